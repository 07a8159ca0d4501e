#include "words.h"

int words_number(const char **text)
{
    int n = 0, digits = 0;
    while (**text == ' ' || **text == '\t')
        ++*text;
    for (; **text >= '0' && **text <= '9' && n < 100000; ++*text, digits++)
        n = n * 10 + (**text - '0');
    return digits ? n : -1;
}
