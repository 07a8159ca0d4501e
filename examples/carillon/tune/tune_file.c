#include "tune/tune.h"

#include <stdio.h>

int tune_read(const char *path, stroke *strokes, int room, int *line)
{
    static char text[65536];
    FILE *f = fopen(path, "r");
    size_t n = f ? fread(text, 1, sizeof text - 1, f) : 0;
    *line = 0;
    if (!f)
        return -1;
    fclose(f);
    text[n] = 0;
    return tune_parse(text, strokes, room, line);
}
