/* Edits real trees at random: what is built again is what compilers (-M) and linkers (--dependency-file)
 * themselves say, no less and no more.
 *
 *     edits PROGRAM FOLDER SEED COUNT        FOLDER holds a project in C or C++ that builds for this machine
 */
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "harness/harness.h"

enum { MOST = 20000, LINE = 100000 };

typedef struct action {
    char *kind, *output, *reads; /* reads: words with a blank before and behind each */
    bool expected, made;
} action;

static action actions[MOST];
static size_t action_count;
static char *files[MOST]; /* of the project, that something reads */
static size_t file_count;
static unsigned long long state;

static unsigned pick(unsigned n)
{
    return harness_pick(&state, n);
}

static bool reads(const action *a, const char *path)
{
    char word[5000];
    snprintf(word, sizeof word, " %s ", path);
    return strstr(a->reads, word) != NULL;
}

static void add_file(const char *path)
{
    if (path[0] == '/' || (strncmp(path, "out/", 4) == 0 && strncmp(path, "out/thirdparty/", 15) != 0) || file_count == MOST)
        return;
    for (size_t i = 0; i < file_count; i++)
        if (strcmp(files[i], path) == 0)
            return;
    files[file_count++] = strdup(path);
}

/* `a/b/../c` is `a/c`: no folder of these trees is a link. */
static void shorten(char *path)
{
    for (char *up; (up = strstr(path, "/../")) && up != path;) {
        char *from = up;
        while (from > path && from[-1] != '/')
            from--;
        if (strncmp(from, "../", 3) == 0)
            return;
        memmove(from, up + 4, strlen(up + 4) + 1);
    }
}

/* The words of a rule or a command, in one line. */
static char *words_of(char *text)
{
    char *line = malloc(strlen(text) + 3), *at = line;
    if (!line)
        exit(2);
    *at++ = ' ';
    for (char *word = strtok(text, " \t\r\n\\"); word; word = strtok(NULL, " \t\r\n\\")) {
        word += strncmp(word, "./", 2) == 0 ? 2 : 0;
        shorten(word);
        at += sprintf(at, "%s ", word);
    }
    *at = 0;
    return line;
}

static bool is_compile(const char *kind)
{
    return strcmp(kind, "compile") == 0 || strcmp(kind, "assemble") == 0;
}

/* What the tool itself says that this command reads. */
static char *asked(const char *kind, json_t *command)
{
    static char line[LINE];
    json_t *word;
    size_t i;
    bool compile = is_compile(kind);
    int n = 0;
    json_array_foreach(command, i, word) {
        const char *w = json_string_value(word);
        if (compile && strcmp(w, "-o") == 0)
            i++;
        else if (!compile || strcmp(w, "-c") != 0)
            n += snprintf(line + n, sizeof line - (size_t)n, "'%s' ", w);
    }
    char *printed;
    if (strcmp(kind, "archive") == 0 || strcmp(kind, "step") == 0) /* of steps, those that copy files */
        return words_of(line + strspn(line, " ")); /* quotes and all; see below */
    snprintf(line + n, sizeof line - (size_t)n, compile ? "-M" : "-Wl,--dependency-file=edits.d && cat edits.d && rm edits.d");
    if (harness_shell(line, &printed)) {
        printf("the tool does not say: %s\n%s\n", line, printed);
        exit(2);
    }
    return words_of(printed);
}

static void take_actions(const char *program)
{
    char line[5000], *printed;
    json_error_t error;
    json_t *entry;
    size_t i;
    snprintf(line, sizeof line, "rm -rf out; %s build --json > edits.json", program);
    json_t *all = harness_shell(line, &printed) ? NULL : json_load_file("edits.json", 0, &error);
    if (!all) {
        printf("the project does not build: %s\n", printed);
        exit(2);
    }
    free(printed);
    json_array_foreach(json_object_get(all, "actions"), i, entry) {
        const char *kind = json_string_value(json_object_get(entry, "action"));
        action *a = &actions[action_count++];
        *a = (action){.kind = strdup(kind), .output = strdup(json_string_value(json_object_get(entry, "output")))};
        a->reads = asked(kind, json_object_get(entry, "command"));
        for (char *c = a->reads; *c; c++) /* of those whose words were quoted */
            if (*c == '\'')
                *c = ' ';
        char *copy = strdup(a->reads);
        for (char *word = strtok(copy, " "); word && is_compile(kind); word = strtok(NULL, " "))
            if (access(word, W_OK) == 0)
                add_file(word);
        free(copy);
    }
    json_decref(all);
}

/* What must be made after an edit of a file: its readers, and what reads their outputs. */
static size_t expect(const char *path)
{
    size_t count = 0;
    bool more = true;
    for (size_t i = 0; i < action_count; i++)
        count += actions[i].expected = reads(&actions[i], path);
    while (more) {
        more = false;
        for (size_t i = 0; i < action_count; i++)
            for (size_t k = 0; !actions[i].expected && k < action_count; k++)
                if (actions[k].expected && reads(&actions[i], actions[k].output)) {
                    actions[i].expected = more = true;
                    count++;
                }
    }
    return count;
}

static bool made_as_expected(const char *program, const char *path)
{
    char line[5000], *printed;
    json_error_t error;
    json_t *entry;
    size_t i;
    bool good = true;
    for (size_t k = 0; k < action_count; k++)
        actions[k].made = false;
    snprintf(line, sizeof line, "%s build --json > edits.json", program);
    bool built = harness_shell(line, &printed) == 0;
    json_t *all = json_load_file("edits.json", 0, &error);
    json_array_foreach(json_object_get(all, "actions"), i, entry)
        for (size_t k = 0; k < action_count; k++)
            if (strcmp(actions[k].output, json_string_value(json_object_get(entry, "output"))) == 0)
                actions[k].made = true;
    for (size_t k = 0; k < action_count; k++)
        if (actions[k].made != actions[k].expected) {
            printf("%s was edited: %s is%s made again\n", path, actions[k].output, actions[k].made ? "" : " not");
            good = false;
        }
    if (!built)
        printf("%s was edited: %s\n", path, printed);
    free(printed);
    json_decref(all);
    return good && built;
}

static void append(const char *path, const char *text)
{
    FILE *f = fopen(path, "a");
    if (!f || fputs(text, f) < 0 || fclose(f)) {
        perror(path);
        exit(2);
    }
}

int main(int argc, char **argv)
{
    char *program = argc == 5 ? realpath(argv[1], NULL) : NULL, name[5000], text[200];
    if (!program || chdir(argv[2])) {
        fputs("edits PROGRAM FOLDER SEED COUNT\n", stderr);
        return 2;
    }
    setenv("OBBLIGATO_STORE", "off", 1);
    setenv("LC_ALL", "C", 1);
    state = strtoull(argv[3], NULL, 10);
    take_actions(program);
    int count = atoi(argv[4]);
    size_t made = 0;
    bool good = file_count > 0;
    for (int i = 0; good && i < count; i++) {
        const char *path = files[pick((unsigned)file_count)];
        snprintf(text, sizeof text, "\n__asm__(\".pushsection .edited\\n .long %d\\n .popsection\");\n", i); /* may be read many times */
        append(path, text);
        made += expect(path);
        good = made_as_expected(program, path);
    }
    snprintf(name, sizeof name, "%s: %d edits of %zu files, %zu of %zu actions again in all, as the tools say", argv[2], count, file_count, made, action_count);
    puts(name);
    harness_count(name, good);
    free(program);
    return harness_end();
}
