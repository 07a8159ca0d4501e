#include "words.h"

#include <ctype.h>

int words_number(const char **text)
{
    int n = 0, digits = 0;
    while (isspace((unsigned char)**text))
        ++*text;
    for (; isdigit((unsigned char)**text) && n < 100000; ++*text, digits++)
        n = n * 10 + (**text - '0');
    return digits ? n : -1;
}
