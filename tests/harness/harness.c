#include "harness/harness.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

static struct {
    int passed, failed, skipped;
    bool failing; /* the test that runs */
} counts;

static void count(const char *name, bool passed)
{
    if (passed) {
        counts.passed++;
    } else {
        counts.failed++;
        printf("FAILED  %s\n", name);
    }
    fflush(stdout);
}

void harness_test(const char *name, void (*run)(void))
{
    counts.failing = false;
    run();
    count(name, !counts.failing);
}

void harness_count(const char *name, bool passed)
{
    count(name, passed);
}

void harness_skip(const char *name, const char *reason)
{
    counts.skipped++;
    printf("skipped  %s: %s\n", name, reason);
}

int harness_end(void)
{
    printf("%d passed, %d failed, %d skipped\n", counts.passed, counts.failed, counts.skipped);
    return counts.failed || !counts.passed ? 1 : 0;
}

bool harness_check(bool ok, const char *file, int line, const char *what)
{
    if (!ok) {
        printf("%s:%d: not so: %s\n", file, line, what);
        counts.failing = true;
    }
    return ok;
}

bool harness_same_text(const char *got, const char *wanted, const char *file, int line)
{
    bool same = got && wanted ? strcmp(got, wanted) == 0 : got == wanted;
    if (!same) {
        printf("%s:%d: got    \"%s\"\n", file, line, got ? got : "(nothing)");
        printf("%s:%d: wanted \"%s\"\n", file, line, wanted ? wanted : "(nothing)");
        counts.failing = true;
    }
    return same;
}

bool harness_same_number(long long got, long long wanted, const char *file, int line)
{
    if (got != wanted) {
        printf("%s:%d: got %lld, wanted %lld\n", file, line, got, wanted);
        counts.failing = true;
    }
    return got == wanted;
}

char *harness_folder(void)
{
    const char *top = getenv("TMPDIR");
    char name[4096];
    snprintf(name, sizeof name, "%s/obbligato-test-XXXXXX", top && *top ? top : "/tmp");
    char *made = mkdtemp(name);
    if (!made) {
        perror("mkdtemp");
        exit(1);
    }
    return strdup(made);
}

void harness_remove(const char *folder)
{
    char line[5000], *printed;
    snprintf(line, sizeof line, "chmod -R u+rwX '%s'; rm -rf '%s'", folder, folder);
    harness_shell(line, &printed);
    free(printed);
}

static void make_folders(const char *path)
{
    char *copy = strdup(path);
    for (char *slash = strchr(copy + 1, '/'); slash; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        mkdir(copy, 0777);
        *slash = '/';
    }
    free(copy);
}

unsigned harness_pick(unsigned long long *state, unsigned n)
{
    *state = *state * 6364136223846793005ULL + 1442695040888963407ULL; /* Knuth, The Art of Computer Programming 3.3.4: MMIX */
    return (unsigned)(*state >> 33) % n;
}

void harness_write(const char *path, const char *text)
{
    make_folders(path);
    FILE *f = fopen(path, "wb");
    if (!f || fputs(text, f) < 0 || fclose(f)) {
        perror(path);
        exit(1);
    }
}

char *harness_read(const char *path, size_t *length)
{
    FILE *f = fopen(path, "rb");
    size_t room = 0, n = 0, got;
    char *text = NULL;
    if (!f)
        return NULL;
    do {
        room = room * 2 + 4096;
        text = realloc(text, room + 1);
        if (!text)
            exit(1);
        got = fread(text + n, 1, room - n, f);
        n += got;
    } while (got);
    text[n] = 0;
    fclose(f);
    if (length)
        *length = n;
    return text;
}

int harness_shell(const char *line, char **printed)
{
    char *text = NULL;
    size_t n = 0, room = 0, got;
    char whole[9000];
    snprintf(whole, sizeof whole, "exec 2>&1 </dev/null\n%s", line);
    FILE *pipe = popen(whole, "r");
    if (!pipe)
        exit(1);
    do {
        room = room * 2 + 4096;
        text = realloc(text, room + 1);
        if (!text)
            exit(1);
        got = fread(text + n, 1, room - n, pipe);
        n += got;
    } while (got);
    text[n] = 0;
    int status = pclose(pipe);
    *printed = text;
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

static long from_environment(const char *name, long usual)
{
    const char *value = getenv(name);
    return value && *value ? atol(value) : usual;
}

int harness_rounds(int usual)
{
    return (int)(usual * from_environment("TEST_ROUNDS", 1));
}

unsigned harness_seed(unsigned usual)
{
    return usual + 7919u * (unsigned)from_environment("TEST_SEED", 0);
}
