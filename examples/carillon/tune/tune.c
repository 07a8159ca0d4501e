#include "tune/tune.h"

#include <stdio.h>

#include "words.h"

int tune_room(void)
{
    return TUNE_MAX_STROKES;
}

static int read_line(const char *text, stroke *s, uint32_t *now)
{
    int pause = words_number(&text), bell = words_number(&text), force = words_number(&text);
    if (pause < 0 || bell < 1 || bell > TUNE_BELLS || force < 1 || force > 9)
        return 0;
    *now += (uint32_t)pause;
    *s = (stroke){*now, (uint8_t)bell, (uint8_t)force};
    return 1;
}

int tune_read(const char *path, stroke *strokes, int room, int *line)
{
    char text[200];
    int count = 0;
    uint32_t now = 0;
    FILE *f = fopen(path, "r");
    *line = 0;
    if (!f)
        return -1;
    while (count >= 0 && fgets(text, sizeof text, f)) {
        ++*line;
        if (text[0] == '#' || text[0] == '\n')
            continue;
        if (count == room || !read_line(text, &strokes[count], &now))
            count = -2;
        count++;
    }
    fclose(f);
    return count;
}
