/* The state of an output folder, shared by its files. Only src/state uses this header.
 *
 * A state is whole (all rows read at the start) or partial (rows read on demand, for a build of a few
 * actions); functions that need all rows are not called on a partial one. */
#ifndef OBB_STATE_STATE_FORM_H
#define OBB_STATE_STATE_FORM_H

#include "base/map.h"
#include "state/lock.h"
#include "state/state.h"
#include "state/store.h"

typedef struct obb_bad_key {
    const char *bytes;
    size_t length;
} obb_bad_key;

/* How many pieces the names have in the store, how many they are, and the sum of their marks. */
typedef struct obb_asked_head {
    uint64_t pieces, names, sum;
} obb_asked_head;

struct obb_state {
    obb_arena *arena;
    obb_files *files;
    obb_store store;
    obb_lock lock;
    bool partial; /* rows are read when they are asked for */
    int failed;   /* to write the list of what was made: an errno value */
    uint32_t numbers_taken; /* of a partial state: lasting numbers that are given */
    obb_map records; /* by path: obb_record */
    obb_map answers; /* by key: small ones that this run asked the memo for */
    unsigned char *put_memos;  /* of a store that this run made: bits of the keys that it has put; or NULL */
    obb_asked_head asked_head; /* of the names of macros that scans asked for, once `asked_head_read` */
    OBB_VEC(uint64_t) asked;   /* their marks, once `asked_read` */
    bool asked_head_read, asked_read, all_asked;
    uint64_t asked_records;        /* records that rely on them */
    uint64_t record_rows, counted; /* how many of them the store holds; how many it was told to hold */
    int64_t added_rows; /* of a partial state: how many more it holds since it was told; or fewer */
    OBB_VEC(obb_bad_key) bad_records;
    obb_map made;    /* by path: itself, or NULL when forgotten */
    const char *made_path, *out;
    obb_text made_news; /* lines to be added to the list on disk */
    bool made_shrunk;   /* the list must be rewritten */
    obb_map forgotten;  /* of a partial state, which does not know the list: what will not be in it */
    obb_map real;       /* folders after which `..` was resolved as text (obb_files_resolve) */
    bool moved;         /* one of them is no longer a real folder, or that is unknown */
    bool restarted;     /* the machine was booted since the last commit, */
    int64_t committed;  /* which was then: nanoseconds since 1970 */
    OBB_VEC(uint32_t) numbers; /* by file: its lasting number, plus 1 */
    OBB_VEC(obb_file) by_number;
};

/* file_cache.c: files have lasting numbers in the store. The one of a file, given when it has none yet; a
 * number that a row has; and how many are given. */
uint32_t obb_state_lasting_number(obb_state *s, obb_file file);
void obb_state_know_number(obb_state *s, uint32_t number);
bool obb_state_count_numbers(obb_state *s);

/* file_cache.c: takes a row of the store (a row reader). */
void obb_state_take_file(void *self, const char *key, size_t key_length, const char *value, size_t length);

/* file_cache.c: whether those folders are as they were, and the boot of the machine. */
bool obb_state_knows_folders(obb_state *s);
void obb_state_know_boot(obb_state *s);

/* records.c: takes a row of the store (a row reader); all records, into a store that was made anew. */
void obb_state_take_record_row(void *self, const char *key, size_t key_length, const char *value,
                               size_t length);
void obb_state_write_all_records(obb_state *s);

/* asked_names.c: whether what scans ask for is noted at all. */
bool obb_state_notes_asked(obb_state *s);

/* Into a store that was made anew. */
void obb_state_write_all_asked(obb_state *s);

/* outputs.c: the list of what was made. */
bool obb_state_is_writer(const obb_state *s);
void obb_state_read_made(obb_state *s);
void obb_state_write_made(obb_state *s);
void obb_state_shrink_made(obb_state *s);

/* open.c: the key-value cache. */
bool obb_state_memo_get(void *self, obb_fingerprint key, obb_text *answer);
void obb_state_memo_put(void *self, obb_fingerprint key, const void *answer, size_t length);

#endif
