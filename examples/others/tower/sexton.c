#include <almanac.h>
#include <stdio.h>
#include <stdlib.h>

int main(int argc, char **argv)
{
    for (int i = 1; i < argc; i++)
        printf("%5s minutes after midnight: %2d strokes\n", argv[i], almanac_strokes(strtol(argv[i], NULL, 10)));
    return 0;
}
