/* The form of a snapshot, shared by reading, comparing and writing. Only src/state uses this header.
 *
 * All structures are read in place from the mapped file: fixed-width fields and no pointers. Whoever changes
 * one counts the magic up. */
#ifndef OBB_STATE_SNAPSHOT_FORM_H
#define OBB_STATE_SNAPSHOT_FORM_H

#include <stddef.h>
#include <sys/stat.h>

#include "base/map.h"
#include "state/snapshot.h"

/* How an entry is compared. */
typedef enum obb_entry_kind {
    OBB_ENTRY_NOTHING, /* not at all: it has a number only */
    OBB_ENTRY_STAMP,   /* by its stamp, and when that differs, by its contents or the names in it */
    OBB_ENTRY_EXISTS,  /* it must be there */
    OBB_ENTRY_VERIFY,  /* by its contents: the stamp was too young to be trusted */
    OBB_ENTRY_ABSENT   /* it must not be there */
} obb_entry_kind;

#define OBB_SNAPSHOT_NO_ENTRY UINT32_MAX /* the place of a number without an entry */

typedef struct obb_snapshot_entry {
    obb_stamp stamp;
    obb_fingerprint fingerprint; /* of a folder: of the names in it; none when they are not to be compared */
    uint32_t number, path, kind;
    uint32_t source, real; /* 0 or 1; real: a folder that must be no symbolic link (obb_files_resolve) */
} obb_snapshot_entry;

typedef struct obb_snapshot_header {
    char magic[8];
    uint64_t seal;
    obb_fingerprint key;
    uint32_t count, text_length; /* of paths and message */
    uint32_t message;            /* where the message begins in the text */
    uint32_t next_number;
    uint64_t absent_count;       /* of fingerprints of places where nothing was, in order */
    uint64_t plan_length;        /* it begins at the next multiple of 8, and has a seal for each piece */
} obb_snapshot_header;

#define OBB_SNAPSHOT_MAGIC "obbrdy9" /* eight bytes with the last one; count up when something changes */

enum { OBB_SNAPSHOT_SEALED_FROM = offsetof(obb_snapshot_header, key), OBB_PLAN_PIECE = 16 * 1024 };

/* A file that appeared in a folder whose names count, or is gone from it, and the folder as it is now. */
typedef struct obb_moved_file {
    char *path; /* released with free */
    bool gone;
    uint32_t folder; /* a kept number */
    obb_stamp stamp;
    obb_fingerprint names;
} obb_moved_file;

struct obb_snapshot {
    char *path;
    obb_snapshot_header *header;
    size_t size;
    obb_snapshot_entry *entries;
    const uint64_t *absent, *plan_seals;
    const uint32_t *places; /* by number */
    const uint32_t *slots;  /* by path: the place, plus 1 */
    const char *text;
    struct stat opened;
    obb_file_list changes;
    OBB_VEC(obb_moved_file) moved;
    bool *vouched; /* by piece of the plan: it is as it was written */
    bool saw_all;
    obb_words new_paths; /* of numbers from next_number on */
    obb_map new_numbers; /* by such a path */
    obb_arena *arena;
};

/* Where the plan begins, how many pieces it has, and the seal of one. */
size_t obb_snapshot_plan_offset(const obb_snapshot_header *header);
size_t obb_snapshot_plan_pieces(const obb_snapshot_header *header);
uint64_t obb_snapshot_plan_seal(const void *plan, size_t length, size_t piece);

/* The entry of a kept number; NULL: it has none. */
obb_snapshot_entry *obb_snapshot_entry_of(const obb_snapshot *snapshot, obb_file kept);

/* The fingerprint under which a place is noted where nothing was. */
uint64_t obb_snapshot_absent_mark(const char *path);

/* How many slots the table of paths has, always more than entries, and the first one for a path: its entry is
 * in that or in one behind it, before the first empty one. */
size_t obb_snapshot_slots(const obb_snapshot_header *header);
size_t obb_snapshot_slot_of(const obb_snapshot_header *header, const char *path);

/* Whether one stands for this path: nothing was there when the snapshot was written. */
bool obb_snapshot_is_absent(const obb_snapshot *snapshot, const char *path);

/* For qsort and bsearch of such marks. */
int obb_snapshot_by_mark(const void *a, const void *b);

/* Whether a kept number is among the changes. */
bool obb_snapshot_changed(const obb_snapshot *snapshot, obb_file kept);

/* The fingerprint of the names in a folder and of their kinds. */
obb_fingerprint obb_snapshot_names_in(const char *path, const obb_stamp *stamp);

/* Seals what stands between the seal and the plan. */
void obb_snapshot_seal(obb_snapshot_header *header);

#endif
