/* The tune compiler: tunes in, tables in C out, for machines that have no files. */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include <tune/tune.h>

/* tunes/call.tune becomes tune_call. */
static const char *table_name(const char *path)
{
    static char name[100];
    const char *base = strrchr(path, '/') ? strrchr(path, '/') + 1 : path;
    size_t n = strcspn(base, ".");
    snprintf(name, sizeof name, "tune_%.*s", (int)n, base);
    for (char *c = name; *c; c++)
        *c = isalnum((unsigned char)*c) ? *c : '_';
    return name;
}

static void write_table(FILE *c, FILE *h, const char *name, const stroke *strokes, int count)
{
    fprintf(c, "\nconst stroke %s[] = {\n", name);
    for (int i = 0; i < count; i++)
        fprintf(c, "    {%lu, %u, %u},\n", (unsigned long)strokes[i].at, (unsigned)strokes[i].bell, (unsigned)strokes[i].force);
    fprintf(c, "};\nconst int %s_count = %d;\n", name, count);
    fprintf(h, "extern const stroke %s[];\nextern const int %s_count;\n", name, name);
}

int main(int argc, char **argv)
{
    if (argc < 4) {
        fputs("tunec OUT.c OUT.h TUNE...\n", stderr);
        return 2;
    }
    stroke *strokes = calloc((size_t)tune_room(), sizeof *strokes);
    FILE *c = fopen(argv[1], "w"), *h = fopen(argv[2], "w");
    if (!strokes || !c || !h) {
        perror(argv[1]);
        return 1;
    }
    const char *header = strrchr(argv[2], '/') ? strrchr(argv[2], '/') + 1 : argv[2];
    fprintf(h, "/* Tunes as tables; written by tunec. */\n#include <tune/stroke.h>\n\n");
    fprintf(c, "/* Tunes as tables; written by tunec. */\n#include \"%s\"\n", header);
    for (int i = 3; i < argc; i++) {
        int line, count = tune_read(argv[i], strokes, tune_room(), &line);
        if (count < 1) {
            fprintf(stderr, "%s:%d: error: this is no stroke\n", argv[i], line);
            return 1;
        }
        write_table(c, h, table_name(argv[i]), strokes, count);
    }
    free(strokes);
    return fclose(c) || fclose(h);
}
