/* What the last complete build depended on, in one file that is read in place and compared with
 * the disk: the short way to "nothing to do", and to the few actions that an edit reaches.
 *
 * It holds every file that was looked at, with its stamp; places where nothing was found, or where they are
 * many, the nearest folder above that exists, with the stamp that changes when something is put into
 * it and the fingerprint of the names in it and their kinds; folders that must be no symbolic links; files
 * whose stamp cannot be trusted yet, with their fingerprint; and the plan, as bytes that belong to
 * plan/serialized.h. When all of it is as it was, the same question has the same answer. When only contents
 * of files differ, the serialized plan tells what they reach. When anything else differs, the caller looks at
 * everything anew.
 *
 * Files have numbers in it: those of the obb_files that wrote it, and the next ones for what
 * later parts of a build added. Kept numbers are not those of the current obb_files.
 *
 * Layout, in the byte order of the machine: a header, `count` entries in the order in which they are
 * looked at, for each number the place of its entry, the paths (each ends with NUL) with the message,
 * then the plan. The seal is XXH3-64 of all between it and the plan; the plan has its own.
 *
 * People edit what they edited before, and sources more often than anything else: so that an edit is found
 * soon, and its part is taken while the rest is looked at, the project's own files that changed last come
 * first, then the sources, then all else.
 */
#ifndef OBB_STATE_SNAPSHOT_H
#define OBB_STATE_SNAPSHOT_H

#include "base/files.h"

/* How the names of such files begin: one for each question. */
#define OBB_SNAPSHOT_PREFIX "ready-"

typedef struct obb_snapshot obb_snapshot;

typedef enum obb_snapshot_answer {
    OBB_SNAPSHOT_HOLDS,   /* all is as it was */
    OBB_SNAPSHOT_CHANGED, /* all but the contents of some files, or some files are gone, or a few are new */
    OBB_SNAPSHOT_UNKNOWN  /* more than that */
} obb_snapshot_answer;

/* Opens what was kept for a key; NULL when there is nothing, or nothing sound. */
obb_snapshot *obb_snapshot_open(const char *path, obb_fingerprint key);
void obb_snapshot_close(obb_snapshot *snapshot);

/* Compares with the disk. As soon as something is found to have changed, `first` (unless it is NULL) is
 * called once, in a thread of its own or in one of those that compare: to it, the snapshot is one in which
 * that file alone changed (or none, where the names in a folder did), and all functions below may be used. It
 * has returned when this does. */
obb_snapshot_answer obb_snapshot_check(obb_snapshot *snapshot, void (*first)(void *self), void *self);

/* Whether nothing else changed than what `first` saw. */
bool obb_snapshot_saw_all(const obb_snapshot *snapshot);

/* Instead of comparing: these files (kept numbers) are said to have changed. */
void obb_snapshot_suppose(obb_snapshot *snapshot, const obb_file_list *changed);

/* After such an answer: paths of files that are new in folders whose names count, or gone from them, where
 * nothing else became another and nothing was looked for under the new names; a few at most. Those that are
 * gone are among the changes as well. */
void obb_snapshot_moved(const obb_snapshot *snapshot, obb_arena *arena, obb_words *paths);

/* Kept numbers of the files that changed, after such an answer. */
const obb_file_list *obb_snapshot_changes(const obb_snapshot *snapshot);

/* The message that was kept with it, and how many places it looks at. */
const char *obb_snapshot_message(const obb_snapshot *snapshot);
size_t obb_snapshot_looks(const obb_snapshot *snapshot);

/* The plan; NULL when there is none. What of it obb_snapshot_vouches for (`self` is an obb_snapshot) is as it
 * was written; the rest may be damaged. */
const void *obb_snapshot_plan(const obb_snapshot *snapshot, size_t *length);
bool obb_snapshot_vouches(void *self, const void *at, size_t length);

/* Whether the file that was opened is still the one on disk: no other build ended since. */
bool obb_snapshot_is_current(const obb_snapshot *snapshot);

/* The path of a kept number, and back: the next number for a path that has none yet. */
const char *obb_snapshot_path(const obb_snapshot *snapshot, obb_file kept);
obb_file obb_snapshot_number(obb_snapshot *snapshot, const char *path);
bool obb_snapshot_knows(obb_snapshot *snapshot, const char *path, obb_file *kept);

/* Whether the names in a folder matter: it was listed, or something was looked for in it and not found. */
bool obb_snapshot_counts_names(obb_snapshot *snapshot, const char *folder);

/* Whether a kept number is that of a file of which nothing but the contents counts. */
bool obb_snapshot_is_text(const obb_snapshot *snapshot, obb_file kept);

/* The kept file in `files`. Unless it changed, `files` need not look at it. */
obb_file obb_snapshot_tell(const obb_snapshot *snapshot, obb_file kept, obb_files *files);

/* What the snapshot knows of a file after it was compared, to be asked by `files` (obb_files_ask); `self` is
 * an obb_snapshot. */
obb_files_witness obb_snapshot_witness;

/* Every folder that has a file of which something is kept, each once. */
void obb_snapshot_folders(const obb_snapshot *snapshot, obb_arena *arena, obb_words *folders);

/* Where symbolic links lead that were looked at: the folders of their targets, each once. */
void obb_snapshot_link_folders(const obb_snapshot *snapshot, obb_arena *arena, obb_words *folders);

/* What is written with it. */
typedef struct obb_snapshot_extra {
    const obb_file_list *sources; /* what compiles begin with, as `files` numbers it; NULL: none */
    const char *message;
    const void *plan; /* NULL: none */
    size_t plan_length;
} obb_snapshot_extra;

/* Keeps all that `files` knows. `since` is when the first look was taken (nanoseconds since
 * 1970): nothing is kept when a folder changed so shortly before it that a further change
 * might not show. Of several such files in one folder, the 32 that were written last stay. */
void obb_snapshot_write(const char *path, obb_fingerprint key, obb_files *files, int64_t since,
                     const obb_snapshot_extra *extra);

/* Removes what the last one of them took the place of, to be called while commands run. */
void obb_snapshot_remove_replaced(const char *out);

/* Keeps what was kept, and what `files` knows in place of it. */
void obb_snapshot_renew(obb_snapshot *snapshot, obb_files *files, int64_t since,
                        const obb_snapshot_extra *extra);

#endif
