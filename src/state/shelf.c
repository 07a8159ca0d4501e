#include "state/shelf.h"

#include <dirent.h>
#include <fcntl.h>
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "base/path.h"

#define USUAL_LIMIT (UINT64_C(5) << 30)
#define ABANDONED (INT64_C(3600) * 1000000000) /* nanoseconds */

/* A sweep looks at all entries: it is made when this part of the limit has been added. */
enum { GROWTH = 20, KEEP_PERCENT = 90 };

typedef struct entry_header {
    char magic[8];
    uint64_t printed, bytes, milliseconds;
    obb_print seal; /* of all of it, with this as zeros */
} entry_header;

static const char magic[8] = "obbobj1";

struct obb_shelf {
    char *folder;
    uint64_t limit, added;
    unsigned long serial;
    obb_arena *arena;
};

/* --- opening ------------------------------------------------------------------------ */

const char *obb_shelf_place(obb_arena *arena, uint64_t *limit)
{
    const char *stated = getenv("OBBLIGATO_STORE"), *cache = getenv("XDG_CACHE_HOME"), *home = getenv("HOME");
    const char *most = getenv("OBBLIGATO_STORE_LIMIT");
    *limit = 0;
    if (most)
        obb_read_size(most, limit);
    if (stated && *stated)
        return strcmp(stated, "off") == 0 ? NULL : stated;
    if (cache && *cache == '/')
        return obb_path_join(arena, cache, "obbligato/store");
    return home && *home == '/' ? obb_path_join(arena, home, ".cache/obbligato/store") : NULL;
}

obb_shelf *obb_shelf_open(const char *folder, uint64_t limit)
{
    obb_arena *arena = obb_arena_new();
    if (obb_path_make_folders(obb_path_join(arena, folder, "x"))) {
        obb_arena_free(arena);
        return NULL;
    }
    obb_shelf *s = obb_alloc(sizeof *s);
    *s = (obb_shelf){.limit = limit ? limit : USUAL_LIMIT, .arena = arena, .folder = obb_arena_string(arena, folder)};
    return s;
}

const char *obb_shelf_folder(const obb_shelf *s)
{
    return s->folder;
}

obb_shelf_key obb_shelf_key_of(const void *description, size_t length)
{
    obb_shelf_key key;
    obb_sha256(description, length, key.text);
    return key;
}

static char *entry_path(obb_shelf *s, const obb_shelf_key *key)
{
    return obb_arena_format(s->arena, "%s/%c/%s.object", s->folder, *key->text, key->text);
}

/* --- entries ------------------------------------------------------------------------ */

void obb_shelf_item_free(obb_shelf_item *item)
{
    obb_text_free(&item->printed);
    obb_text_free(&item->bytes);
}

static obb_print seal_of(const obb_text *text)
{
    obb_print none = OBB_NO_PRINT;
    memcpy(text->bytes + offsetof(entry_header, seal), &none, sizeof none);
    return obb_print_of(text->bytes, text->length);
}

bool obb_shelf_take(obb_shelf *s, const obb_shelf_key *key, obb_shelf_item *item)
{
    obb_text text = {0};
    entry_header h;
    const char *path = entry_path(s, key);
    *item = (obb_shelf_item){.milliseconds = 0};
    if (!*key->text || obb_file_read(path, &text)) {
        obb_text_free(&text);
        return false;
    }
    bool ok = text.length >= sizeof h;
    if (ok)
        memcpy(&h, text.bytes, sizeof h);
    ok = ok && memcmp(h.magic, magic, sizeof magic) == 0 && h.printed <= text.length && h.bytes <= text.length &&
         sizeof h + h.printed + h.bytes == text.length;
    const char *rest = text.bytes + sizeof h;
    ok = ok && obb_print_same(h.seal, seal_of(&text));
    if (ok) {
        obb_text_add(&item->printed, rest, h.printed);
        obb_text_add(&item->bytes, rest + h.printed, h.bytes);
        item->milliseconds = h.milliseconds;
        utimensat(AT_FDCWD, path, NULL, 0); /* it was used now */
    } else {
        unlink(path);
    }
    obb_text_free(&text);
    return ok;
}

void obb_shelf_put(obb_shelf *s, const obb_shelf_key *key, const obb_shelf_item *item)
{
    obb_text text = {0};
    entry_header h = {.printed = item->printed.length, .bytes = item->bytes.length, .milliseconds = item->milliseconds};
    const char *path = entry_path(s, key);
    const char *temporary = obb_arena_format(s->arena, "%s.%ld-%lu", path, (long)getpid(), s->serial++);
    if (!*key->text || h.printed + h.bytes > s->limit / 10)
        return;
    obb_text_add(&text, &h, sizeof h);
    if (item->printed.length)
        obb_text_add(&text, item->printed.bytes, item->printed.length);
    if (item->bytes.length)
        obb_text_add(&text, item->bytes.bytes, item->bytes.length);
    memcpy(h.magic, magic, sizeof magic);
    memcpy(text.bytes, &h, sizeof h);
    h.seal = seal_of(&text);
    memcpy(text.bytes, &h, sizeof h);
    if (!obb_file_write_by(temporary, path, text.bytes, text.length))
        s->added += text.length;
    obb_text_free(&text);
}

/* --- its size ----------------------------------------------------------------------- */

typedef struct found {
    const char *path;
    uint64_t size;
    int64_t used;
} found;

typedef OBB_VEC(found) found_list;

/* Entries. What builds that were killed left half written is cleared away (ABANDONED: nobody writes so long). */
static void list_folder(const char *folder, bool clears, obb_arena *arena, found_list *list)
{
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        obb_stamp stamp;
        char *path = obb_path_join(arena, folder, e->d_name);
        if (!obb_stamp_of(path, &stamp) || stamp.kind != OBB_KIND_FILE)
            continue;
        if (strcmp(obb_path_suffix(e->d_name), ".object") == 0)
            obb_arena_push(arena, list, (found){path, stamp.size, stamp.modified});
        else if (clears && obb_now() - stamp.modified > ABANDONED)
            unlink(path);
    }
    if (d)
        closedir(d);
}

static void list_all(obb_shelf *s, bool clears, obb_arena *arena, found_list *list)
{
    for (const char *digit = "0123456789abcdef"; *digit; digit++)
        list_folder(obb_arena_format(arena, "%s/%c", s->folder, *digit), clears, arena, list);
}

obb_shelf_account obb_shelf_look(obb_shelf *s)
{
    obb_arena *arena = obb_arena_new();
    found_list list = {0};
    obb_shelf_account a = {.limit = s->limit};
    list_all(s, false, arena, &list);
    for (size_t i = 0; i < list.count; i++) {
        a.bytes += list.at[i].size;
        a.oldest = !a.oldest || list.at[i].used < a.oldest ? list.at[i].used : a.oldest;
    }
    a.entries = list.count;
    obb_arena_free(arena);
    return a;
}

static int by_use(const void *a, const void *b)
{
    int64_t x = ((const found *)a)->used, y = ((const found *)b)->used;
    return x < y ? -1 : x > y;
}

static void sweep(obb_shelf *s)
{
    obb_arena *arena = obb_arena_new();
    found_list list = {0};
    uint64_t bytes = 0;
    list_all(s, true, arena, &list);
    for (size_t i = 0; i < list.count; i++)
        bytes += list.at[i].size;
    bool too_large = bytes > s->limit;
    if (too_large && list.count)
        qsort(list.at, list.count, sizeof *list.at, by_use);
    for (size_t i = 0; too_large && bytes > s->limit / 100 * KEEP_PERCENT && i < list.count; i++) {
        bytes -= list.at[i].size;
        unlink(list.at[i].path);
    }
    obb_arena_free(arena);
}

/* How much was added since the last sweep stands in a file. Two builds that end in one instant may
 * lose one of both sums, which only makes the next sweep later. */
static void note_growth(obb_shelf *s)
{
    char *path = obb_path_join(s->arena, s->folder, "grown"), line[40];
    obb_text text = {0};
    uint64_t grown = obb_file_read(path, &text) ? 0 : strtoull(obb_text_bytes(&text), NULL, 10);
    grown += s->added;
    if (grown > s->limit / GROWTH) {
        sweep(s);
        grown = 0;
    }
    int n = snprintf(line, sizeof line, "%llu\n", (unsigned long long)grown);
    obb_file_write(path, line, (size_t)n, NULL);
    obb_text_free(&text);
}

void obb_shelf_close(obb_shelf *s)
{
    if (!s)
        return;
    if (s->added)
        note_growth(s);
    obb_arena_free(s->arena);
    free(s);
}
