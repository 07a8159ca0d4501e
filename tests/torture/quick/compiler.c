/* A compiler for torture that takes a millisecond: what it makes is the text that it read.
 *
 *     quick-compiler compile SOURCE OBJECT [-DNAME=VALUE] [-IFOLDER] ...
 *     quick-compiler gather OUTPUT INPUT...
 *
 * With QUICK_COMPILER_NOTE in the environment, it adds the time at which it began to that file.
 * It follows the directives that torture writes, by its own rules and in its own way, so that
 * it is also a second opinion on what a scan must find. Any other directive is an error. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

enum { MOST = 200, LINE = 600 };

static const char *folders[MOST], *once[MOST];
static char names[MOST][40], values[MOST][100];
static int folder_count, once_count, name_count, depth;
static FILE *out;

static void fail(const char *what, const char *word)
{
    fprintf(stderr, "quick-compiler: %s %s\n", what, word);
    exit(1);
}

static const char *value_of(const char *name)
{
    for (int i = name_count; i-- > 0;)
        if (strcmp(names[i], name) == 0)
            return values[i];
    return NULL;
}

static void define(const char *name, const char *value)
{
    if (name_count == MOST)
        fail("too many macros:", name);
    snprintf(names[name_count], sizeof names[0], "%s", name);
    snprintf(values[name_count++], sizeof values[0], "%s", value);
}

static void undefine(const char *name)
{
    for (int i = 0; i < name_count; i++)
        if (strcmp(names[i], name) == 0)
            names[i][0] = 0;
}

static void read_text(const char *path);

static int try_folder(const char *folder, size_t length, const char *name)
{
    char path[LINE];
    snprintf(path, sizeof path, "%.*s%s%s", (int)length, folder, length ? "/" : "", name);
    FILE *f = fopen(path, "r");
    if (!f)
        return 0;
    fclose(f);
    char *kept = malloc(strlen(path) + 1); /* for the list of those that are read once */
    if (!kept)
        exit(1);
    read_text(strcpy(kept, path));
    return 1;
}

static void include(const char *from, const char *word)
{
    char name[100];
    if (*word != '"' && *word != '<')
        word = value_of(word) ? value_of(word) : "";
    if (sscanf(word + (*word != 0), "%99[^\">]", name) != 1)
        fail("what is included by", from);
    const char *slash = strrchr(from, '/');
    if (*word == '"' && try_folder(from, slash ? (size_t)(slash - from) : 0, name))
        return;
    for (int i = 0; i < folder_count; i++)
        if (try_folder(folders[i], strlen(folders[i]), name))
            return;
    fail("there is no", name);
}

/* (A + B), as the headers define it; 0 when there is no such macro. */
static int sum_of(const char *name)
{
    int a = 0, b = 0;
    const char *value = value_of(name);
    if (value && sscanf(value, "(%d + %d)", &a, &b) != 2)
        fail("a value that is not known:", value);
    return a + b;
}

/* Whether the lines behind a condition count. */
static int holds(const char *line, int at)
{
    char name[40];
    int number;
    if (sscanf(line, "#if __LINE__ > %d", &number) == 1)
        return at > number;
    if (sscanf(line, "#if %39[V0-9] > %d", name, &number) == 2)
        return sum_of(name) > number;
    if (sscanf(line, "#ifndef %39s", name) == 1)
        return !value_of(name);
    if (sscanf(line, "#if LEVEL > %d && defined LEVEL", &number) == 1)
        return value_of("LEVEL") && atoi(value_of("LEVEL")) > number;
    fail("a condition that is not known:", line);
    return 0;
}

static void directive(const char *path, const char *line)
{
    char name[40], rest[100] = "";
    if (strncmp(line, "#include ", 9) == 0)
        include(path, line + 9);
    else if (sscanf(line, "#define %39s %99[^\n]", name, rest) >= 1)
        define(name, rest);
    else if (sscanf(line, "#undef %39s", name) == 1)
        undefine(name);
    else if (strcmp(line, "#pragma once") == 0)
        once[once_count++] = path;
    else
        fail("a directive that is not known:", line);
}

static void read_text(const char *path)
{
    char line[LINE];
    int at = 0, open = 0, skipped = 0; /* the line; conditions, and how many of them, from the first that does not hold */
    FILE *f = fopen(path, "r");
    if (!f || ++depth > 100)
        fail("cannot read", path);
    for (int i = 0; i < once_count; i++)
        if (strcmp(once[i], path) == 0) {
            fclose(f);
            depth--;
            return;
        }
    fprintf(out, "[%s]\n", path);
    while (fgets(line, sizeof line, f)) {
        line[strcspn(line, "\n")] = 0;
        at++;
        char *comment = line[0] == '#' ? strstr(line, "//") : NULL;
        if (!comment && line[0] == '#')
            comment = strstr(line, "/*");
        fprintf(out, "%s\n", line);
        if (comment)
            *comment = 0;
        for (size_t n = strlen(line); n && line[n - 1] == ' '; n--)
            line[n - 1] = 0;
        if (strncmp(line, "#if", 3) == 0) {
            open++;
            skipped += skipped || !holds(line, at);
        } else if (strcmp(line, "#endif") == 0) {
            open--;
            skipped -= skipped > 0;
        } else if (line[0] == '#' && !skipped) {
            directive(path, line);
        }
    }
    if (open)
        fail("an open condition in", path);
    fclose(f);
    depth--;
}

static void gather(const char *path)
{
    int c;
    FILE *f = fopen(path, "r");
    if (!f)
        fail("cannot read", path);
    fprintf(out, "{%s}\n", path + strcspn(path, "/")); /* the output folder may be called anything */
    while ((c = getc(f)) != EOF)
        putc(c, out);
    fclose(f);
}

static void note_time(const char *path)
{
    struct timespec t;
    FILE *f = path ? fopen(path, "a") : NULL;
    clock_gettime(CLOCK_REALTIME, &t);
    if (f)
        fprintf(f, "%lld.%09ld\n", (long long)t.tv_sec, t.tv_nsec);
    if (f)
        fclose(f);
}

int main(int argc, char **argv)
{
    note_time(getenv("QUICK_COMPILER_NOTE"));
    int compile = argc > 3 && strcmp(argv[1], "compile") == 0;
    if (!compile && (argc < 3 || strcmp(argv[1], "gather") != 0))
        fail("what is to be done?", argc > 1 ? argv[1] : "");
    out = fopen(argv[compile ? 3 : 2], "w");
    if (!out)
        fail("cannot write", argv[compile ? 3 : 2]);
    for (int i = compile ? 4 : 3; i < argc; i++) {
        char name[40], value[100] = "";
        if (!compile)
            gather(argv[i]);
        else if (strncmp(argv[i], "-I", 2) == 0)
            folders[folder_count++] = argv[i] + 2;
        else if (sscanf(argv[i], "-D%39[^=]=%99s", name, value) >= 1)
            define(name, value);
        if (compile && !strstr(argv[i], "/gen")) /* that lies in the output folder */
            fprintf(out, "%s\n", argv[i]);
    }
    if (compile)
        read_text(argv[2]);
    return fclose(out) != 0;
}
