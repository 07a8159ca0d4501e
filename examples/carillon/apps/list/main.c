#include <stdio.h>
#include <stdlib.h>

#include <ruler.h>
#include <tune/tune.h>

int main(int argc, char **argv)
{
    char room[RULER_ROOM];
    stroke *strokes = calloc((size_t)tune_room(), sizeof *strokes);
    int line, failed = !strokes;
    for (int i = 1; i < argc && !failed; i++) {
        int n = tune_read(argv[i], strokes, tune_room(), &line);
        if (n < 0) {
            fprintf(stderr, "%s:%d: not a stroke\n", argv[i], line);
            failed = 1;
        } else {
            printf("%-24s %3d strokes %7s\n", argv[i], n, ruler_time(room, n ? strokes[n - 1].at : 0));
        }
    }
    free(strokes);
    return failed;
}
