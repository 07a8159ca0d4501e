/* Scenarios: what the user does and sees, driven on the built program.
 *
 *     scenarios PROGRAM FILE...
 *
 * A file holds scenarios; each runs in a new folder. Lines (leading blanks do not count):
 *
 *     scenario WHAT IT SHOWS     begins one
 *     write PATH                 makes a file of the `|` lines that follow
 *     append PATH                adds them
 *     do WORDS                   runs the program with these words (by sh)
 *     sh LINE                    runs a shell line; $OBB is the program, $TREE the
 *                                folder that the scenarios were started in
 *     exit N                     the exit status of the last run was N (0 when not stated)
 *     store FOLDER|off           the store from here on; each scenario begins with one of its own
 *     says TEXT                  what the last run printed has TEXT in it; a number at its beginning or end is
 *                                a whole one
 *     lacks TEXT                 it does not
 *     lines N TEXT               N lines of it have TEXT in them
 *     needs LINE                 what the scenario cannot do without, such as the right to
 *                                mount: when the shell line fails, the scenario is skipped
 *     # ...                      a remark
 */
#include "harness/harness.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

typedef struct play {
    const char *file;
    int line;
    char *name, *folder, *store, *cache, *printed;
    int status;
    bool ran, judged; /* something ran; its exit status was judged */
    bool failed, skipped;
    FILE *writing;
} play;

static char home[4096];

static void complain(play *p, const char *what, const char *more)
{
    printf("%s:%d: %s%s\n", p->file, p->line, what, more);
    if (p->printed && *p->printed)
        printf("--- it printed:\n%s---\n", p->printed);
    p->failed = true;
}

static void judge_status(play *p, int wanted)
{
    char text[80];
    p->judged = true;
    if (p->status == wanted)
        return;
    snprintf(text, sizeof text, "exit status %d, wanted %d", p->status, wanted);
    complain(p, text, "");
}

static void settle(play *p)
{
    if (p->writing)
        fclose(p->writing);
    p->writing = NULL;
    if (p->ran && !p->judged)
        judge_status(p, 0);
}

static void end_scenario(play *p)
{
    if (!p->name)
        return;
    settle(p);
    if (!p->skipped)
        harness_count(p->name, !p->failed);
    if (chdir(home))
        exit(1);
    harness_remove(p->folder);
    harness_remove(p->store);
    harness_remove(p->cache);
    free(p->name);
    free(p->folder);
    free(p->store);
    free(p->cache);
    free(p->printed);
    *p = (play){.file = p->file, .line = p->line};
}

static void run(play *p, const char *line)
{
    settle(p);
    free(p->printed);
    p->status = harness_shell(line, &p->printed);
    p->ran = true;
    p->judged = false;
}

static void begin_scenario(play *p, const char *name)
{
    end_scenario(p);
    p->name = strdup(name);
    p->folder = harness_folder();
    p->store = harness_folder();
    p->cache = harness_folder(); /* of downloads */
    setenv("OBBLIGATO_STORE", p->store, 1);
    setenv("XDG_CACHE_HOME", p->cache, 1);
    if (chdir(p->folder))
        exit(1);
}

/* Whether a text is there; a number at its beginning or end is a whole one. */
static bool says(const char *printed, const char *text)
{
    size_t n = strlen(text);
    for (const char *at = printed; n && (at = strstr(at, text)); at++) {
        bool whole = !(isdigit((unsigned char)text[0]) && at > printed && isdigit((unsigned char)at[-1])) &&
                     !(isdigit((unsigned char)text[n - 1]) && isdigit((unsigned char)at[n]));
        if (whole)
            return true;
    }
    return false;
}

static void check_lines(play *p, const char *rest)
{
    char *text;
    long wanted = strtol(rest, &text, 10), n = 0;
    text += *text == ' ';
    for (char *at = p->printed; at && *at;) {
        char *end = strchr(at, '\n');
        if (end)
            *end = 0;
        n += says(at, text);
        if (end)
            *end = '\n';
        at = end ? end + 1 : NULL;
    }
    if (n != wanted) {
        char message[80];
        snprintf(message, sizeof message, "%ld lines, wanted %ld, with: ", n, wanted);
        complain(p, message, text);
    }
}

static void check_need(play *p, const char *line)
{
    char *printed;
    p->skipped = harness_shell(line, &printed) != 0;
    free(printed);
    if (p->skipped)
        harness_skip(p->name, line);
}

static void step(play *p, char *line)
{
    char *rest = line + strcspn(line, " ");
    if (*rest)
        *rest++ = 0;
    if (strcmp(line, "scenario") == 0) {
        begin_scenario(p, rest);
    } else if (strcmp(line, "write") == 0 || strcmp(line, "append") == 0) {
        settle(p);
        if (*line == 'w')
            harness_write(rest, "");
        p->writing = fopen(rest, *line == 'w' ? "wb" : "ab");
        if (!p->writing)
            complain(p, "cannot write ", rest);
    } else if (strcmp(line, "do") == 0) {
        char whole[4096];
        snprintf(whole, sizeof whole, "\"$OBB\" %s", rest);
        run(p, whole);
    } else if (strcmp(line, "sh") == 0) {
        run(p, rest);
    } else if (strcmp(line, "exit") == 0) {
        judge_status(p, atoi(rest));
    } else if (strcmp(line, "store") == 0) {
        setenv("OBBLIGATO_STORE", rest, 1);
    } else if (strcmp(line, "says") == 0) {
        if (!p->printed || !says(p->printed, rest))
            complain(p, "it does not say: ", rest);
    } else if (strcmp(line, "lacks") == 0) {
        if (p->printed && strstr(p->printed, rest))
            complain(p, "it says: ", rest);
    } else if (strcmp(line, "needs") == 0) {
        check_need(p, rest);
    } else if (strcmp(line, "lines") == 0) {
        check_lines(p, rest);
    } else {
        complain(p, "not a step: ", line);
    }
}

static void read_line(play *p, char *line)
{
    line[strcspn(line, "\n")] = 0;
    line += strspn(line, " ");
    p->line++;
    if (*line == '|' && p->writing)
        fprintf(p->writing, "%s\n", line + 1 + (line[1] == ' '));
    else if (*line && *line != '#' && !((p->failed || p->skipped) && strncmp(line, "scenario", 8) != 0))
        step(p, line);
}

int main(int argc, char **argv)
{
    static char line[4096];
    char *program = argc > 2 ? realpath(argv[1], NULL) : NULL;
    if (!program || !getcwd(home, sizeof home)) {
        fputs("scenarios PROGRAM FILE...\n", stderr);
        return 2;
    }
    setenv("OBB", program, 1);
    setenv("TREE", home, 1);
    unsetenv("OBBLIGATO_OUT");
    unsetenv("OBBLIGATO_JOBS");
    unsetenv("CC");
    unsetenv("CXX");
    setenv("LC_ALL", "C", 1);
    for (int i = 2; i < argc; i++) {
        FILE *f = fopen(argv[i], "r");
        play p = {.file = argv[i]};
        if (!f) {
            perror(argv[i]);
            return 2;
        }
        while (fgets(line, sizeof line, f))
            read_line(&p, line);
        end_scenario(&p);
        fclose(f);
    }
    free(program);
    return harness_end();
}
