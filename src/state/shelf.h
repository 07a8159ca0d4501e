/* The shelf: objects that were made once, kept for all builds of this person on this machine, in a
 * folder of their own. What was compiled from the same texts with the same command and tool, by
 * whatever project folder or variant, is taken from there.
 *
 * An entry is one file: a header, what the command printed, and the object. Its name is its key, a
 * SHA-256 of all that decides what comes out. Entries are written beside and renamed, and sealed: a
 * damaged one is no entry. Several builds may use it at once.
 *
 * Whoever can write an entry decides what programs are made of. So its folders are this person's alone (0700, files
 * 0600, whatever the umask), and what belongs to others, can be written by others, or is a link, is no entry. A store
 * that several people share says so; there, an entry counts when it is sealed (HMAC, FIPS 198-1) with a key that they
 * share, which is kept elsewhere.
 */
#ifndef OBB_STATE_SHELF_H
#define OBB_STATE_SHELF_H

#include "base/arena.h"
#include "base/sha256.h"
#include "base/text.h"

typedef struct obb_shelf obb_shelf;

typedef struct obb_shelf_key {
    char text[OBB_SHA256_TEXT];
} obb_shelf_key;

typedef struct obb_shelf_item {
    obb_text printed;      /* what the command printed when it was made */
    obb_text bytes;
    uint64_t milliseconds; /* how long that took */
} obb_shelf_item;

/* Where a shelf is. */
typedef struct obb_shelf_place {
    const char *folder;   /* NULL: nowhere */
    uint64_t limit;       /* bytes; 0: the usual limit */
    bool shared;
    const char *key_file; /* of a shared one */
} obb_shelf_place;

/* Opens the shelf of a place, whose folder need not be there. NULL when there is none, or it cannot be used or trusted:
 * then *why says so (in the arena), or is NULL. */
obb_shelf *obb_shelf_open(const obb_shelf_place *place, obb_arena *arena, const char **why);

/* Makes room when it has become too large, oldest use first; and releases it. An errno value when something that belongs
 * there could not be put; 0 for a store that may only be read, which is a way to use one. */
int obb_shelf_close(obb_shelf *shelf);

/* The key of what a description of it tells. */
obb_shelf_key obb_shelf_key_of(const void *description, size_t length);

/* Takes an entry; false when there is none. The texts are released with obb_shelf_item_free. */
bool obb_shelf_take(obb_shelf *shelf, const obb_shelf_key *key, obb_shelf_item *item);

/* Puts one there. It is no error when that fails: then it is not there. */
void obb_shelf_put(obb_shelf *shelf, const obb_shelf_key *key, const obb_shelf_item *item);
void obb_shelf_item_free(obb_shelf_item *item);

typedef struct obb_shelf_account {
    size_t entries;
    uint64_t bytes, limit;
    int64_t oldest; /* last use of the entry that was not used for longest: nanoseconds since 1970; 0: none */
} obb_shelf_account;

obb_shelf_account obb_shelf_look(obb_shelf *shelf);
const char *obb_shelf_folder(const obb_shelf *shelf);

/* Where the shelf of this person is: OBBLIGATO_STORE (off: nowhere; `shared FOLDER`), else below XDG_CACHE_HOME or
 * ~/.cache (XDG Base Directory Specification 0.8); its limit: OBBLIGATO_STORE_LIMIT; its key: OBBLIGATO_STORE_KEY, else
 * obbligato/store.key below XDG_CONFIG_HOME or ~/.config. In the arena. */
obb_shelf_place obb_shelf_find_place(obb_arena *arena);

#endif
