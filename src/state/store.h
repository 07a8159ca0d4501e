/* The store of src/state: rows of a kind, a key and a value, in one SQLite file with a table for each
 * kind. Only src/state uses this header.
 *
 * A table each, since rows of one kind are small and those of another are large: finding a name reads no
 * record.
 *
 * Each value is sealed with a fingerprint of kind, key and value, so that a damaged row reads as
 * absent. Failures are noted and asked for at the end: a store that cannot be written costs work,
 * never a wrong result.
 */
#ifndef OBB_STATE_STORE_H
#define OBB_STATE_STORE_H

#include <sqlite3.h>

#include "base/arena.h"
#include "base/fingerprint.h"
#include "base/map.h"
#include "base/text.h"

/* OBB_ROW_NAME has the path of a lasting number, whose four bytes are the key, the highest first. */
typedef enum obb_row_kind {
    OBB_ROW_MEMO,
    OBB_ROW_FILE,
    OBB_ROW_RECORD,
    OBB_ROW_NAME,
    OBB_ROW_KINDS
} obb_row_kind;

typedef struct obb_store {
    obb_arena *arena;
    const char *folder, *path;
    sqlite3 *db; /* NULL: it is closed */
    sqlite3_stmt *get[OBB_ROW_KINDS], *put[OBB_ROW_KINDS], *drop[OBB_ROW_KINDS]; /* NULL: not used yet */
    bool in_memory, in_transaction;
    bool is_new;      /* it had no rows when it was opened */
    bool has_written; /* in the open transaction, so that others cannot write now */
    obb_map waiting;  /* rows that were put: see obb_store_put */
    obb_arena *rows;  /* what they consist of; NULL: there are none */
    bool sound;   /* it was sound when it was opened; damage that is found later clears this */
    bool damaged, spoilt;
    int failed;   /* 0, or the errno value of the first failure */
} obb_store;

/* Opens the file, or a store in memory; makes it when it is not there. False when it is damaged, of
 * another format, or cannot be used (`failed`). */
bool obb_store_open(obb_store *store);
void obb_store_close(obb_store *store);

/* Keeps a store that cannot be read under another name, so that it can be examined. It is closed, and
 * `damaged` from then on. */
void obb_store_set_aside(obb_store *store);

/* Whether there is hardly any room left where it lies. */
bool obb_store_disk_is_full(const obb_store *store);

/* All that is looked at from here on is of one time, and need not be locked for each look. */
void obb_store_begin(obb_store *store);

/* All that was put or dropped since the last time becomes true at once. */
void obb_store_commit(obb_store *store);
void obb_store_roll_back(obb_store *store);
bool obb_store_has_news(const obb_store *store);

/* Rows wait in memory for the commit, where obb_store_get finds them: only then others must wait who write,
 * too.
 */
void obb_store_put(obb_store *store, obb_row_kind kind, const void *key, size_t key_length, const void *value,
                   size_t length);
/* False: there was no such row. */
bool obb_store_drop(obb_store *store, obb_row_kind kind, const void *key, size_t key_length);

/* Adds one row's value to `into`; false when there is none, or a damaged one. */
bool obb_store_get(obb_store *store, obb_row_kind kind, const void *key, size_t key_length, obb_text *into);

/* Calls for each row of a kind; the key lives in the arena. `value` NULL: the row is damaged. */
typedef void obb_row_taker(void *self, const char *key, size_t key_length, const char *value, size_t length);
void obb_store_each(obb_store *store, obb_row_kind kind, obb_row_taker *take, void *self);

/* The highest key of a kind, added to `into`; false when there is none. */
bool obb_store_last_key(obb_store *store, obb_row_kind kind, obb_text *into);

#endif
