#include "tune/tune.h"

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

int tune_parse(const char *text, stroke *strokes, int room, int *line)
{
    int count = 0;
    uint32_t now = 0;
    for (*line = 1; *text; ++*line) {
        if (*text != '#' && *text != '\n') {
            if (count == room || !read_line(text, &strokes[count], &now))
                return -1;
            count++;
        }
        while (*text && *text != '\n')
            text++;
        text += *text == '\n';
    }
    return count;
}
