/* The object cache (object_cache.h). Entries are found by name, checked by owner, rights and seal, and
 * written by rename. At the end of a build that added much, the least recently used entries are removed until
 * the limit holds. */
#include "state/object_cache.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stddef.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/bounded.h"
#include "base/files.h"
#include "base/own.h"
#include "base/path.h"

#define USUAL_LIMIT (UINT64_C(5) << 30)
#define ABANDONED (INT64_C(3600) * 1000000000) /* nanoseconds */

/* A sweep looks at all entries: it is made when this part of the limit has been added. */
enum { GROWTH = 20 };

typedef struct entry_header {
    char magic[8];
    uint64_t printed, bytes, milliseconds, memory;
    unsigned char seal[OBB_SHA256_BYTES]; /* of the key and all of it, with this as zeros */
} entry_header;

static const char magic[8] = "obbobj3";

struct obb_object_cache {
    char *folder;
    uint64_t limit, added;
    int failed; /* the first errno value of what could not be put */
    bool shared;
    obb_text key; /* of a shared one */
    obb_arena *arena;
};

/* --- opening ------------------------------------------------------------------------ */

obb_object_cache_place obb_object_cache_find_place(obb_arena *arena)
{
    static const char shared[] = "shared ";
    const char *stated = getenv("OBBLIGATO_STORE"), *most = getenv("OBBLIGATO_STORE_LIMIT"),
               *key = getenv("OBBLIGATO_STORE_KEY");
    obb_object_cache_place place = {
        .folder = stated && *stated ? stated
                                    : obb_user_folder(arena, "XDG_CACHE_HOME", ".cache", "obbligato/store")};
    if (most)
        obb_read_size(most, &place.limit);
    if (place.folder && strcmp(place.folder, "off") == 0)
        place.folder = NULL;
    place.shared = place.folder && obb_starts(place.folder, shared);
    if (place.shared) {
        place.folder += strlen(shared) + strspn(place.folder + strlen(shared), " ");
        place.key_file = key && *key
                             ? key
                             : obb_user_folder(arena, "XDG_CONFIG_HOME", ".config", "obbligato/store.key");
    }
    return place;
}

static const char *check_folder(obb_object_cache *s, obb_arena *arena)
{
    struct stat folder;
    int failed = s->shared ? obb_own_make(s->folder) : 0; /* whoever shares it decides who may look into it */
    if (s->shared && !failed && (stat(s->folder, &folder) || !S_ISDIR(folder.st_mode)))
        failed = ENOTDIR;
    obb_ownership own = s->shared ? OBB_OWN : obb_own_folder(s->folder);
    failed = own == OBB_NO_FOLDER ? errno : failed;
    if (failed)
        return obb_arena_format(arena, "its folder cannot be made: %s", strerror(failed));
    return own == OBB_SOMEBODY_ELSES   ? "its folder belongs to somebody else"
           : own == OBB_OPEN_TO_OTHERS ? "others can write into its folder"
                                       : NULL;
}

static const char *take_key(obb_object_cache *s, const char *path, obb_arena *arena)
{
    struct stat file;
    if (!path || stat(path, &file) || obb_file_read(path, &s->key) || s->key.length < OBB_SHA256_BYTES)
        return obb_arena_format(arena,
                                "it is shared, and its key is missing: a file of 32 or more random bytes, %s",
                                path ? path : "OBBLIGATO_STORE_KEY");
    if (file.st_uid != geteuid() || (file.st_mode & 077))
        return obb_arena_format(arena, "others can read its key, %s: chmod 600", path);
    return NULL;
}

static void free_cache(obb_object_cache *s)
{
    obb_text_free(&s->key);
    obb_arena_free(s->arena);
    free(s);
}

obb_object_cache *obb_object_cache_open(const obb_object_cache_place *place, obb_arena *arena,
                                        const char **why)
{
    *why = NULL;
    if (!place->folder)
        return NULL;
    obb_object_cache *s = obb_alloc(sizeof *s);
    *s = (obb_object_cache){.limit = place->limit ? place->limit : USUAL_LIMIT,
                            .shared = place->shared,
                            .arena = obb_arena_new()};
    s->folder = obb_arena_string(s->arena, place->folder);
    *why = check_folder(s, arena);
    if (!*why && s->shared)
        *why = take_key(s, place->key_file, arena);
    if (!*why)
        return s;
    free_cache(s);
    return NULL;
}

const char *obb_object_cache_folder(const obb_object_cache *s)
{
    return s->folder;
}

obb_object_cache_key obb_object_cache_key_of(const void *description, size_t length)
{
    obb_object_cache_key key;
    obb_sha256(description, length, key.text);
    return key;
}

static char *entry_path(obb_object_cache *s, const obb_object_cache_key *key)
{
    return obb_arena_format(s->arena, "%s/%c/%s.object", s->folder, *key->text, key->text);
}

/* --- entries ------------------------------------------------------------------------ */

void obb_object_cache_item_free(obb_object_cache_item *item)
{
    obb_text_free(&item->printed);
    obb_text_free(&item->bytes);
}

static void seal_of(const obb_object_cache *s, const obb_object_cache_key *key, obb_text *text,
                    unsigned char seal[OBB_SHA256_BYTES])
{
    char *at = text->bytes + offsetof(entry_header, seal);
    memset(at, 0, OBB_SHA256_BYTES);
    memset(seal, 0, OBB_SHA256_BYTES);
    if (s->shared) {
        obb_hmac_sha256((obb_bytes){s->key.bytes, s->key.length}, (obb_bytes){key->text, sizeof key->text},
                        (obb_bytes){text->bytes, text->length}, seal);
        return;
    }
    obb_hasher *p = obb_hasher_new();
    obb_hasher_add(p, key->text, sizeof key->text);
    obb_hasher_add(p, text->bytes, text->length);
    obb_fingerprint fingerprint = obb_hasher_end(p);
    memcpy(seal, &fingerprint, sizeof fingerprint);
}

/* An entry that only this person (or who has the key) can have written. */
static bool read_entry(const obb_object_cache *s, const char *path, obb_text *text)
{
    struct stat file, folder;
    obb_arena *arena = obb_arena_new();
    bool ok = lstat(path, &file) == 0 && S_ISREG(file.st_mode) &&
              lstat(obb_path_folder(arena, path), &folder) == 0 && S_ISDIR(folder.st_mode) &&
              (s->shared || (obb_own_of(&file) == OBB_OWN && obb_own_of(&folder) == OBB_OWN)) &&
              (uint64_t)file.st_size <= s->limit && !obb_file_read(path, text);
    obb_arena_free(arena);
    return ok;
}

bool obb_object_cache_take(obb_object_cache *s, const obb_object_cache_key *key, obb_object_cache_item *item)
{
    obb_text text = {0};
    entry_header h;
    unsigned char seal[OBB_SHA256_BYTES];
    const char *path = entry_path(s, key);
    *item = (obb_object_cache_item){.cost = {0, 0}};
    if (!*key->text || !read_entry(s, path, &text)) {
        obb_text_free(&text);
        return false;
    }
    bool ok = text.length >= sizeof h;
    if (ok)
        memcpy(&h, text.bytes, sizeof h);
    ok = ok && memcmp(h.magic, magic, sizeof magic) == 0 && h.printed <= text.length &&
         h.bytes <= text.length && sizeof h + h.printed + h.bytes == text.length;
    if (ok)
        seal_of(s, key, &text, seal);
    ok = ok && obb_same_digest(h.seal, seal);
    if (ok) {
        const char *rest = text.bytes + sizeof h;
        obb_text_add(&item->printed, rest, (size_t)h.printed);
        obb_text_add(&item->bytes, rest + h.printed, (size_t)h.bytes);
        item->cost = (obb_cost){h.milliseconds, h.memory};
        utimensat(AT_FDCWD, path, NULL, AT_SYMLINK_NOFOLLOW); /* it was used now */
    } else {
        unlink(path);
    }
    obb_text_free(&text);
    return ok;
}

static void note_failure(obb_object_cache *s, int failed)
{
    if (!s->failed && failed != EROFS && failed != EACCES)
        s->failed = failed;
}

bool obb_object_cache_has(obb_object_cache *s, const obb_object_cache_key *key)
{
    return *key->text && access(entry_path(s, key), R_OK) == 0;
}

bool obb_object_cache_put(obb_object_cache *s, const obb_object_cache_key *key,
                          const obb_object_cache_item *item)
{
    obb_text text = {0};
    entry_header h = {.printed = item->printed.length,
                      .bytes = item->bytes.length,
                      .milliseconds = item->cost.milliseconds,
                      .memory = item->cost.memory};
    const char *path = entry_path(s, key), *folder = obb_path_folder(s->arena, path);
    struct stat there;
    if (!*key->text || h.printed + h.bytes > s->limit / 10)
        return false;
    if (mkdir(folder, s->shared ? 0777 : 0700) && errno != EEXIST) {
        note_failure(s, errno);
        return false;
    }
    if (lstat(folder, &there) || !S_ISDIR(there.st_mode) || (!s->shared && obb_own_of(&there) != OBB_OWN))
        return false;
    memcpy(h.magic, magic, sizeof magic);
    obb_text_add(&text, &h, sizeof h);
    if (item->printed.length)
        obb_text_add(&text, item->printed.bytes, item->printed.length);
    if (item->bytes.length)
        obb_text_add(&text, item->bytes.bytes, item->bytes.length);
    seal_of(s, key, &text, h.seal);
    memcpy(text.bytes, &h, sizeof h);
    int failed = obb_file_replace(path, text.bytes, text.length, s->shared ? 0666 : 0600);
    if (failed)
        note_failure(s, failed);
    else
        s->added += text.length;
    obb_text_free(&text);
    return !failed;
}

/* --- its size ----------------------------------------------------------------------- */

/* Entries. What builds that were killed left half written is cleared away (ABANDONED: nobody writes so long).
 */
static void list_folder(const char *folder, bool clears, obb_arena *arena, obb_bounded_files *list)
{
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        obb_stamp stamp;
        char *path = obb_path_join(arena, folder, e->d_name);
        if (!obb_stamp_of(path, &stamp) || stamp.kind != OBB_KIND_FILE)
            continue;
        if (strcmp(obb_path_suffix(e->d_name), ".object") == 0)
            obb_arena_push(arena, list, (obb_bounded_file){path, stamp.size, stamp.modified});
        else if (clears && obb_now() - stamp.modified > ABANDONED)
            unlink(path);
    }
    if (d)
        closedir(d);
}

static void list_all(obb_object_cache *s, bool clears, obb_arena *arena, obb_bounded_files *list)
{
    for (const char *digit = "0123456789abcdef"; *digit; digit++)
        list_folder(obb_arena_format(arena, "%s/%c", s->folder, *digit), clears, arena, list);
}

obb_object_cache_account obb_object_cache_look(obb_object_cache *s)
{
    obb_arena *arena = obb_arena_new();
    obb_bounded_files list = {0};
    obb_object_cache_account a = {.limit = s->limit};
    list_all(s, false, arena, &list);
    a.bytes = obb_bounded_size(&list);
    for (size_t i = 0; i < list.count; i++)
        a.oldest = !a.oldest || list.at[i].used < a.oldest ? list.at[i].used : a.oldest;
    a.entries = list.count;
    obb_arena_free(arena);
    return a;
}

static void sweep(obb_object_cache *s)
{
    obb_arena *arena = obb_arena_new();
    obb_bounded_files list = {0};
    list_all(s, true, arena, &list);
    obb_bounded_sweep(&list, s->limit);
    obb_arena_free(arena);
}

/* How much was added since the last sweep stands in a file. Two builds that end in one instant may
 * lose one of both sums, which only makes the next sweep later. */
static void note_growth(obb_object_cache *s)
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
    obb_file_replace(path, line, (size_t)n, s->shared ? 0666 : 0600);
    obb_text_free(&text);
}

int obb_object_cache_close(obb_object_cache *s)
{
    if (!s)
        return 0;
    if (s->added)
        note_growth(s);
    int failed = s->failed;
    free_cache(s);
    return failed;
}
