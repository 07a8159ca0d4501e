/* Runs on this machine, on the tower's computer and on both boards. */
#include <tune/tune.h>

#ifdef ON_BOARD
#include "port.h"
#define say(text) port_write(text)
#else
#include <stdio.h>
#define say(text) fputs(text, stdout)
#endif

static stroke strokes[4];

static int wrong(const char *what)
{
    say("tune: wrong: ");
    say(what);
    say("\n");
    return 1;
}

int main(void)
{
    int line;
    if (tune_parse("0 12 7\n# a remark\n400 10 5\n", strokes, 4, &line) != 2)
        return wrong("the number of strokes");
    if (strokes[1].at != 400 || strokes[1].bell != 10 || strokes[1].force != 5)
        return wrong("the second stroke");
    if (tune_parse("0 12 7\n100 99 5\n", strokes, 4, &line) != -1 || line != 2)
        return wrong("a bell that does not hang here");
    if (tune_parse("0 1 1\n0 1 1\n0 1 1\n0 1 1\n0 1 1\n", strokes, 4, &line) != -1)
        return wrong("more strokes than there is room for");
    say("tune: all well\n");
    return 0;
}
