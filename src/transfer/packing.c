/* The files of a compiler (transfer/packing.h). */
#include "transfer/packing.h"

#include <fcntl.h>
#include <gelf.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "base/map.h"
#include "base/path.h"
#include "base/process.h"
#include "base/real_path.h"

typedef struct packing {
    obb_arena *arena;
    obb_map known; /* paths that are listed */
    obb_file_listing *list;
    bool (*is_input)(void *self, const char *path);
    void *self;
} packing;

static bool is_new(packing *p, const char *path)
{
    if (obb_map_get(&p->known, path))
        return false;
    obb_map_put(&p->known, obb_arena_string(p->arena, path), p);
    return true;
}

static void add_link(void *self, const char *link, const char *target)
{
    packing *p = self;
    if (!p->is_input(p->self, link) && is_new(p, link))
        obb_arena_push(p->arena, p->list, ((obb_listed_file){.path = link, .target = target}));
}

static void add_links(packing *p, const char *name)
{
    obb_real_path(p->arena, name, add_link, p);
}

/* What a script says that starts it: `#!`, and a path. */
static void add_script_interpreter(packing *p, const char *path)
{
    char line[300] = "";
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t n = fd >= 0 ? read(fd, line, sizeof line - 1) : 0;
    if (fd >= 0)
        close(fd);
    char *name = line + 2 + strspn(n > 2 ? line + 2 : "", " \t");
    if (n > 2 && strncmp(line, "#!", 2) == 0)
        add_links(p, obb_arena_copy(p->arena, name, strcspn(name, " \t\n")));
}

/* Compilers share most of their files: each is read once. */
static bool sum_of(const char *path, char sum[OBB_SHA256_TEXT])
{
    static obb_map sums;
    const char *known = obb_map_get(&sums, path);
    if (!known && obb_sha256_of_file(path, sum))
        return false;
    if (known)
        memcpy(sum, known, OBB_SHA256_TEXT);
    else
        obb_map_put(&sums, strdup(path), strdup(sum));
    return true;
}

static void add_file(packing *p, const char *path)
{
    struct stat s;
    obb_listed_file f = {.path = obb_arena_string(p->arena, path)};
    if (strncmp(path, "/proc/", 6) == 0 || strncmp(path, "/sys/", 5) == 0 || lstat(path, &s) ||
        !S_ISREG(s.st_mode) || p->is_input(p->self, path) || !is_new(p, path))
        return;
    f.mode = s.st_mode & 0111 ? 0555 : 0444;
    if (!sum_of(path, f.sum))
        return;
    obb_arena_push(p->arena, p->list, f);
    if (f.mode & 0111)
        add_script_interpreter(p, path);
}

/* What starts a program (ELF, PT_INTERP), by the name that it says. */
static void add_interpreter(packing *p, const char *path)
{
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    Elf *elf = fd >= 0 && elf_version(EV_CURRENT) != EV_NONE ? elf_begin(fd, ELF_C_READ, NULL) : NULL;
    size_t count = 0;
    if (elf && elf_kind(elf) == ELF_K_ELF)
        elf_getphdrnum(elf, &count);
    for (size_t i = 0; i < count; i++) {
        GElf_Phdr header;
        char name[4096];
        if (!gelf_getphdr(elf, (int)i, &header) || header.p_type != PT_INTERP ||
            header.p_filesz >= sizeof name ||
            pread(fd, name, header.p_filesz, (off_t)header.p_offset) != (ssize_t)header.p_filesz)
            continue;
        name[header.p_filesz] = 0;
        add_links(p, name);
    }
    if (elf)
        elf_end(elf);
    if (fd >= 0)
        close(fd);
}

static void take_report(packing *p, obb_text *report)
{
    char *rest = NULL;
    for (char *line = strtok_r(report->bytes, "\n", &rest); line; line = strtok_r(NULL, "\n", &rest)) {
        if (strlen(line) < 3)
            continue;
        if (*line == 'n')
            add_links(p, line + 2);
        else if (*line == 'r' || *line == 'x')
            add_file(p, line + 2);
        if (*line == 'x')
            add_interpreter(p, line + 2);
    }
}

const char *list_report(obb_arena *arena, const char *report, bool (*is_input)(void *self, const char *path),
                        void *self, obb_file_listing *list)
{
    packing p = {.arena = arena, .list = list, .is_input = is_input, .self = self};
    obb_text text = {0};
    const char *why = NULL;
    if (obb_file_read(report, &text) || !text.length || *text.bytes == '!')
        why = "what it reads could not be watched";
    else
        take_report(&p, &text);
    obb_text_free(&text);
    obb_map_free(&p.known);
    return why;
}

const char *list_toolchain(obb_arena *arena, const char *const *argv,
                           bool (*is_input)(void *self, const char *path), void *self, obb_file_listing *list)
{
    const char *program = obb_program_beside(arena, "obbligato"), *why = NULL;
    char report[] = "/tmp/obbligato-toolchain-XXXXXX";
    int fd = mkstemp(report);
    obb_words words = {0};
    if (!program || fd < 0)
        return "a compile cannot be watched: obbligato is not beside obbligato-transfer, or /tmp cannot be "
               "written";
    close(fd);
    obb_arena_push(arena, &words, program);
    obb_arena_push(arena, &words, "trace-reads");
    obb_arena_push(arena, &words, report);
    for (; *argv; argv++)
        obb_arena_push(arena, &words, *argv);
    obb_arena_push(arena, &words, NULL);
    obb_answer answer = obb_ask(words.at, NULL);
    if (answer.failed || answer.status || list_report(arena, report, is_input, self, list))
        why = obb_arena_format(arena, "the files of %s cannot be found by watching it", words.at[3]);
    obb_answer_free(&answer);
    unlink(report);
    return why;
}
