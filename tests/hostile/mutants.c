/* Archives with bytes changed, cut off or put in at random: obbligato-fetch unpacks them or refuses them in its own words,
 * and nothing of them lies or leads outside the folder.
 *
 *     archive-mutants FETCHER FOLDER SEED COUNT       FOLDER: what hostile-archives made */
#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "harness/harness.h"

enum { MOST_FILES = 100, MOST_BYTES = 1 << 20 };

static char *files[MOST_FILES];
static size_t file_count;
static unsigned long long state;
static unsigned char bytes[MOST_BYTES * 2];

static unsigned pick(unsigned n)
{
    return harness_pick(&state, n);
}

static void list(const char *folder)
{
    DIR *dir = opendir(folder);
    char path[4096];
    for (struct dirent *d; dir && (d = readdir(dir));) {
        snprintf(path, sizeof path, "%s/%s", folder, d->d_name);
        if (d->d_name[0] != '.' && !strstr(d->d_name, "bomb") && file_count < MOST_FILES)
            files[file_count++] = strdup(path);
    }
    if (dir)
        closedir(dir);
}

/* Changes a few bytes, cuts, or puts something in. The new length. */
static size_t mutate(size_t n)
{
    static const char *const texts[] = {"../", "/", "..", "\377\377\377\377\377\377\377\377", "ustar"};
    for (unsigned changes = 1 + pick(8); changes && n; changes--) {
        unsigned at = pick((unsigned)(n > 2000 && pick(4) ? 2000 : n));
        const char *text = texts[pick(5)];
        switch (pick(5)) {
        case 0: n = pick(3) ? n : at; break;
        case 1:
            memmove(bytes + at + strlen(text), bytes + at, n - at);
            memcpy(bytes + at, text, strlen(text));
            n += strlen(text);
            break;
        default: bytes[at] = (unsigned char)pick(256); break;
        }
    }
    return n;
}

static bool unpack(const char *fetcher, const char *name, size_t n)
{
    char line[10000], *printed;
    FILE *f = fopen("mutant", "wb");
    if (!f || fwrite(bytes, 1, n, f) != n || fclose(f))
        exit(2);
    snprintf(line, sizeof line,
             "rm -rf top && mkdir -p top/into && echo '{\"unpack\":\"mutant\",\"to\":\"top/into\",\"most-bytes\":9000000,\"most-entries\":900}' "
             "| %s 2> said > answer && [ ! -s said ] && grep -q '^{.*}$' answer && [ \"$(ls -A top)\" = into ] && "
             "[ -z \"$(find top -type l -exec sh -c 'case $(readlink -m \"$1\") in \"$PWD\"/top/into/*|\"$PWD\"/top/into) ;; *) echo out ;; esac' sh {} \\;)\" ]",
             fetcher);
    bool ok = harness_shell(line, &printed) == 0;
    if (!ok) {
        harness_shell("cat said answer; find top -ls", &printed);
        printf("a mutant of %s:\n%s\n", name, printed);
    }
    free(printed);
    return ok;
}

int main(int argc, char **argv)
{
    if (argc != 5)
        return 2;
    char *fetcher = realpath(argv[1], NULL), *folder = harness_folder(), name[100];
    list(argv[2]);
    state = strtoull(argv[3], NULL, 10);
    int count = atoi(argv[4]), i = 0;
    if (!fetcher || !file_count)
        return 2;
    for (bool ok = true; ok && i < count; i += ok) {
        const char *path = files[pick((unsigned)file_count)];
        FILE *f = fopen(path, "rb");
        size_t n = f ? fread(bytes, 1, MOST_BYTES, f) : 0;
        if (f)
            fclose(f);
        if (chdir(folder))
            return 2;
        ok = unpack(fetcher, path, mutate(n));
    }
    snprintf(name, sizeof name, "archives changed at random, seed %s: %d", argv[3], i);
    harness_count(name, i == count);
    if (chdir("/"))
        return 2;
    if (i == count)
        harness_remove(folder);
    free(folder);
    free(fetcher);
    for (size_t k = 0; k < file_count; k++)
        free(files[k]);
    return harness_end();
}
