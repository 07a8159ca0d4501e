/* The object cache: objects that were made once, kept for all builds of this person on this machine, in a
 * folder of their own. What was compiled from the same texts with the same command and tool, by
 * whatever project folder or variant, is taken from there.
 *
 * An entry is one file: a header, what the command printed, and the object. Its name is its key, a
 * SHA-256 of all that decides what comes out. Entries are written beside and renamed, and sealed: a
 * damaged one is not an entry. Several builds may use it at once.
 *
 * Whoever can write an entry decides what programs are made of. So its folders are this person's alone (0700,
 * files 0600, whatever the umask), and what belongs to others, can be written by others, or is a link, is no
 * entry. A store that several people share says so; there, an entry counts when it is sealed (HMAC, FIPS
 * 198-1) with a key that they share, which is kept elsewhere.
 */
#ifndef OBB_STATE_OBJECT_CACHE_H
#define OBB_STATE_OBJECT_CACHE_H

#include "base/arena.h"
#include "base/sha256.h"
#include "base/text.h"
#include "state/cost.h"

typedef struct obb_object_cache obb_object_cache;

typedef struct obb_object_cache_key {
    char text[OBB_SHA256_TEXT];
} obb_object_cache_key;

typedef struct obb_object_cache_item {
    obb_text printed;      /* what the command printed when it was made */
    obb_text bytes;
    obb_cost cost;         /* of making it */
} obb_object_cache_item;

/* Where a cache is. */
typedef struct obb_object_cache_place {
    const char *folder;   /* NULL: nowhere */
    uint64_t limit;       /* bytes; 0: the usual limit */
    bool shared;
    const char *key_file; /* of a shared one */
} obb_object_cache_place;

/* Opens the cache of a place, whose folder need not be there. NULL when there is none, or it cannot be used
 * or trusted: then *why says so (in the arena), or is NULL. */
obb_object_cache *obb_object_cache_open(const obb_object_cache_place *place, obb_arena *arena,
                                        const char **why);

/* Makes room when it has become too large, oldest use first; and releases it. An errno value when something
 * that belongs there could not be put; 0 for a store that may only be read, which is a way to use one. */
int obb_object_cache_close(obb_object_cache *cache);

/* The key of what a description of it tells. */
obb_object_cache_key obb_object_cache_key_of(const void *description, size_t length);

/* Takes an entry; false when there is none. The texts are released with obb_object_cache_item_free. */
bool obb_object_cache_take(obb_object_cache *cache, const obb_object_cache_key *key,
                           obb_object_cache_item *item);

/* Whether there is something under its name, without looking into it. */
bool obb_object_cache_has(obb_object_cache *cache, const obb_object_cache_key *key);

/* Puts one there. It is not an error when that fails: then it is not there, and false. */
bool obb_object_cache_put(obb_object_cache *cache, const obb_object_cache_key *key,
                          const obb_object_cache_item *item);
void obb_object_cache_item_free(obb_object_cache_item *item);

typedef struct obb_object_cache_account {
    size_t entries;
    uint64_t bytes, limit;
    int64_t oldest; /* last use of the entry that was not used for longest: nanoseconds since 1970; 0: none */
} obb_object_cache_account;

obb_object_cache_account obb_object_cache_look(obb_object_cache *cache);
const char *obb_object_cache_folder(const obb_object_cache *cache);

/* Where the cache of this person is: OBBLIGATO_STORE (off: nowhere; `shared FOLDER`), else below
 * XDG_CACHE_HOME or
 * ~/.cache (XDG Base Directory Specification 0.8); its limit: OBBLIGATO_STORE_LIMIT; its key:
 * OBBLIGATO_STORE_KEY, else obbligato/store.key below XDG_CONFIG_HOME or ~/.config. In the arena. */
obb_object_cache_place obb_object_cache_find_place(obb_arena *arena);

#endif
