#include "state/ready.h"

#include <fcntl.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "base/path.h"

enum { STAMP = 0, EXISTS = 1, VERIFY = 2 };

typedef struct entry {
    obb_stamp stamp;
    obb_print print;
    uint32_t path, kind;
} entry;

typedef struct header {
    char magic[8];
    uint64_t seal;
    obb_print key;
    uint32_t count, text_length; /* of paths and message */
    uint32_t message, unused;    /* where the message begins in the text */
} header;

static const char magic[8] = "obbrdy1";

enum { SEALED_FROM = offsetof(header, key) };

static int64_t now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

/* --- checking ----------------------------------------------------------------------- */

static bool verified(entry *e, const char *path, bool *settled)
{
    obb_print print;
    int64_t moment = now();
    if (obb_print_file(path, &print) || !obb_print_same(print, e->print))
        return false;
    *settled = obb_stamp_settled(&e->stamp, moment);
    return true;
}

static bool holds(entry *e, const char *path, size_t *calmed)
{
    obb_stamp stamp;
    bool settled = false;
    if (!obb_stamp_of(path, &stamp))
        return false;
    if (e->kind == EXISTS)
        return stamp.kind == e->stamp.kind;
    if (!obb_stamp_same(&stamp, &e->stamp))
        return false;
    if (e->kind != VERIFY)
        return true;
    if (!verified(e, path, &settled))
        return false;
    *calmed += settled;
    if (settled)
        e->kind = STAMP;
    return true;
}

static bool well_formed(const header *h, size_t size, obb_print key)
{
    return size >= sizeof *h && memcmp(h->magic, magic, sizeof magic) == 0 &&
           size == sizeof *h + h->count * sizeof(entry) + h->text_length && h->text_length &&
           ((const char *)h)[size - 1] == 0 && h->message < h->text_length &&
           obb_print_same(h->key, key) &&
           obb_print_of((const char *)h + SEALED_FROM, size - SEALED_FROM).low == h->seal;
}

static bool all_hold(header *h, size_t size, size_t *calmed)
{
    entry *entries = (entry *)(void *)(h + 1);
    const char *text = (const char *)(entries + h->count);
    (void)size;
    for (uint32_t i = 0; i < h->count; i++)
        if (entries[i].path >= h->text_length || !holds(&entries[i], text + entries[i].path, calmed))
            return false;
    return true;
}

bool obb_ready_holds(const char *path, obb_print key, obb_text *message, size_t *looks)
{
    struct stat s;
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    if (fd < 0 || fstat(fd, &s) || s.st_size <= 0) {
        if (fd >= 0)
            close(fd);
        return false;
    }
    size_t size = (size_t)s.st_size, calmed = 0;
    header *h = mmap(NULL, size, PROT_READ | PROT_WRITE, MAP_PRIVATE, fd, 0);
    close(fd);
    if (h == MAP_FAILED)
        return false;
    bool good = well_formed(h, size, key) && all_hold(h, size, &calmed);
    if (good) {
        *looks = h->count;
        obb_text_string(message, (const char *)((entry *)(void *)(h + 1) + h->count) + h->message);
    }
    if (good && calmed) { /* their stamps are enough from now on */
        h->seal = obb_print_of((const char *)h + SEALED_FROM, size - SEALED_FROM).low;
        obb_file_write(path, h, size, NULL);
    }
    munmap(h, size);
    return good;
}

/* --- keeping ------------------------------------------------------------------------ */

typedef struct keeper {
    obb_files *files;
    OBB_VEC(entry) entries;
    obb_text text;
    OBB_VEC(bool) watched; /* by file: its folder stamp is kept */
} keeper;

static void keep(keeper *k, obb_file file, entry e)
{
    const char *path = obb_files_path(k->files, file);
    e.path = (uint32_t)k->text.length;
    obb_text_add(&k->text, path, strlen(path) + 1);
    obb_vec_push(&k->entries, e);
}

static bool keep_folder(keeper *k, obb_file folder, int64_t since)
{
    while (k->watched.count <= folder)
        obb_vec_push(&k->watched, false);
    if (k->watched.at[folder])
        return true;
    k->watched.at[folder] = true;
    const obb_stamp *s = obb_files_stamp(k->files, folder);
    if (!s || !obb_stamp_settled(s, since))
        return false;
    keep(k, folder, (entry){.stamp = *s, .kind = STAMP});
    return true;
}

/* The nearest folder above that exists: nothing appears at the path without a change in it. */
static bool keep_absence(keeper *k, obb_arena *arena, obb_file file, int64_t since)
{
    const char *path = obb_files_path(k->files, file);
    for (;;) {
        if (strcmp(path, ".") == 0 || strcmp(path, "/") == 0)
            return false;
        path = obb_path_folder(arena, path);
        obb_file folder = obb_files_number(k->files, path);
        const obb_stamp *s = obb_files_stamp(k->files, folder);
        if (s)
            return s->kind != OBB_KIND_FOLDER || keep_folder(k, folder, since);
    }
}

static bool keep_file(keeper *k, obb_arena *arena, obb_file file, int64_t since)
{
    obb_look look = obb_files_look(k->files, file);
    if (!look.looked)
        return true;
    if (!look.stamp)
        return keep_absence(k, arena, file, since);
    if (look.listed && !keep_folder(k, file, since))
        return false;
    if (look.stamp->kind == OBB_KIND_FOLDER || !look.printed)
        keep(k, file, (entry){.stamp = *look.stamp, .kind = EXISTS});
    else
        keep(k, file, (entry){.stamp = *look.stamp, .print = look.print,
                              .kind = look.trusted ? STAMP : VERIFY});
    return true;
}

void obb_ready_write(const char *path, obb_print key, obb_files *files, int64_t since,
                     const char *message)
{
    keeper k = {.files = files};
    obb_arena *arena = obb_arena_new();
    bool good = true;
    size_t count = obb_files_count(files);
    for (obb_file f = 0; good && f < count; f++)
        good = keep_file(&k, arena, f, since);
    if (good) {
        header h = {.key = key, .count = (uint32_t)k.entries.count,
                    .message = (uint32_t)k.text.length};
        obb_text all = {0};
        memcpy(h.magic, magic, sizeof magic);
        obb_text_add(&k.text, message, strlen(message) + 1);
        h.text_length = (uint32_t)k.text.length;
        obb_text_add(&all, &h, sizeof h);
        obb_text_add(&all, k.entries.at, k.entries.count * sizeof(entry));
        obb_text_add(&all, k.text.bytes, k.text.length);
        h.seal = obb_print_of(all.bytes + SEALED_FROM, all.length - SEALED_FROM).low;
        memcpy(all.bytes, &h, sizeof h);
        obb_file_write(path, all.bytes, all.length, NULL);
        obb_text_free(&all);
    } else {
        unlink(path);
    }
    obb_vec_free(&k.entries);
    obb_vec_free(&k.watched);
    obb_text_free(&k.text);
    obb_arena_free(arena);
}
