/* The files that one run of the tool knows: each has a number, is looked at once, and is
 * read for its fingerprint only when its stamp is not the one that was remembered.
 *
 * Contents decide whether a file changed. The stamp (inode, size, times of change) is the
 * quick check. A stamp is only worth remembering when it is older than the moment of reading
 * by more than the step of the clock that made it: a file that is written twice in one step
 * has one stamp and two contents.
 */
#ifndef OBB_BASE_FILES_H
#define OBB_BASE_FILES_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/map.h"
#include "base/fingerprint.h"
#include "base/text.h"
#include "base/vec.h"

typedef uint32_t obb_file;
#define OBB_NO_FILE UINT32_MAX

typedef OBB_VEC(obb_file) obb_file_list;

typedef enum obb_kind { OBB_KIND_FILE, OBB_KIND_FOLDER, OBB_KIND_OTHER } obb_kind;

typedef struct obb_stamp {
    uint64_t inode, size;
    int64_t modified, changed; /* nanoseconds since 1970 */
    uint32_t kind;             /* obb_kind */
    uint32_t executable;       /* 0 or 1 */
} obb_stamp;

typedef struct obb_files obb_files;

obb_files *obb_files_new(void);
void obb_files_free(obb_files *files);

/* The number of a path (normal, see path.h), and back. Numbers count from 0. */
obb_file obb_files_number(obb_files *files, const char *path);
const char *obb_files_path(const obb_files *files, obb_file file);
size_t obb_files_count(const obb_files *files);

/* A path that a text or a program names relative to a folder, as the system reads it: after a symbolic link,
 * or a name that does not exist, `..` does not lead where the text says, so both parts are kept. Folders
 * after which it was resolved as text are noted: if one of them became a link, the path would mean another
 * file. */
char *obb_files_resolve(obb_files *files, obb_arena *arena, const char *folder, const char *path);

/* Those folders, as a map whose keys they are; and whether a path is such a folder on disk now. */
const obb_map *obb_files_real_folders(const obb_files *files);
bool obb_is_real_folder(const char *path);

/* Whether there is a symbolic link at the path, wherever it leads. */
bool obb_is_link(const char *path);

/* Looks at a path on disk, remembering nothing. False when nothing is there. */
bool obb_stamp_of(const char *path, obb_stamp *stamp);
bool obb_stamp_same(const obb_stamp *a, const obb_stamp *b);

/* The current time: nanoseconds since 1970. */
int64_t obb_now(void);

/* Whether nothing can have been written at or after the moment `now` (nanoseconds since
 * 1970) that leaves the stamp as it is. */
bool obb_stamp_settled(const obb_stamp *stamp, int64_t now);

/* What has been looked at so far, without looking again. */
typedef struct obb_cached_stat {
    bool looked, hashed, trusted, listed;
    const obb_stamp *stamp; /* NULL: not there */
    obb_fingerprint fingerprint;
} obb_cached_stat;

obb_cached_stat obb_files_cached_stat(const obb_files *files, obb_file file);

/* The stamp of a file, taken at the first call; NULL when there is no such file. */
const obb_stamp *obb_files_stamp(obb_files *files, obb_file file);
bool obb_files_is_file(obb_files *files, obb_file file);

/* The fingerprint of its contents. 0, or an errno value. */
int obb_files_fingerprint(obb_files *files, obb_file file, obb_fingerprint *fingerprint);

/* Reads the whole file (NUL-terminated) and keeps its fingerprint, so that it need not be read
 * again for that. 0, or an errno value. */
int obb_files_read(obb_files *files, obb_file file, obb_text *text);

/* The file is about to be written with this text: until it is forgotten, all questions are answered as if it
 * were there. `text` must live as long as `files`. */
void obb_files_provide(obb_files *files, obb_file file, const char *text, size_t length);

/* The file is going to be made, with contents that are not known yet: until it is forgotten, it counts as a
 * file, and reading it fails (EAGAIN). */
void obb_files_mark_pending(obb_files *files, obb_file file);
bool obb_files_is_pending(const obb_files *files, obb_file file);

/* The file is going to be removed: until it is forgotten, it counts as not there. */
void obb_files_mark_absent(obb_files *files, obb_file file);

/* Makes the next question look at the disk again: after a command wrote the file. */
void obb_files_forget(obb_files *files, obb_file file);

/* The same for all that lies in a folder, and the names in it, whose lists end: after it was replaced as a
 * whole. */
void obb_files_forget_below(obb_files *files, const char *folder);

/* From an earlier run: with this stamp, the file had this fingerprint. */
void obb_files_recall(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint);

/* From the current run: the file has just been looked at, and has this stamp and this
 * fingerprint. `trusted`: the stamp can be trusted from now on. */
void obb_files_know(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint,
                    bool trusted);

/* Who is asked first about a path that is looked at for the first time: it says what is there just now by
 * obb_files_know_stamp or obb_files_know_absent, or nothing. It is not asked about a file that was forgotten.
 * NULL: the disk alone is asked. */
typedef void obb_files_witness(void *self, obb_files *files, obb_file file);
void obb_files_ask(obb_files *files, obb_files_witness *witness, void *self);

/* The file has a stamp that can be trusted; its fingerprint is this one, should it be asked for. */
void obb_files_know_stamp(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint);
void obb_files_know_absent(obb_files *files, obb_file file);

/* What is worth recalling in a later run: true when the fingerprint was needed and its
 * stamp can be trusted; `*news` tells whether it differs from what was recalled. */
bool obb_files_memory(const obb_files *files, obb_file file, obb_stamp *stamp,
                      obb_fingerprint *fingerprint, bool *news);

/* How many files were read for their fingerprint so far, and how many looked at. */
size_t obb_files_read_count(const obb_files *files);
size_t obb_files_stat_count(const obb_files *files);

/* The names in a folder, sorted; empty when it cannot be read. The list lives as long as
 * `files`. */
const obb_words *obb_files_list(obb_files *files, obb_file folder);

/* Patterns see this folder as empty: the output folder, when it lies in the project. Nor do they search
 * folders in which a file of the name `mark` lies (a literal of the caller's): output folders of other
 * builds. */
void obb_files_hide(obb_files *files, const char *folder, const char *mark);

/* Adds the files that match `pattern` (normal path) to `found`, in order of their names.
 * Parts that start with a dot match only patterns that start with one; `**` does not follow
 * symbolic links to folders. */
void obb_files_expand(obb_files *files, const char *pattern, obb_file_list *found);

/* Where temporary files belong: TMPDIR, or /tmp. */
const char *obb_temporary_folder(void);

/* A folder or file of this person's: `rest` below what the environment's `variable` names, else below `usual`
 * in the home folder (XDG Base Directory Specification 0.8). NULL: there is no home. */
const char *obb_user_folder(obb_arena *arena, const char *variable, const char *usual, const char *rest);

/* Reads a whole file, or all behind its first `from` bytes; the text is NUL-terminated. 0, or an errno value.
 */
int obb_file_read(const char *path, obb_text *text);
int obb_file_read_from(const char *path, uint64_t from, obb_text *text);

/* Writes a file whole or not at all: beside it under a new name that nobody can guess, then renamed, so that
 * what stood there (a link, too) is replaced. `mode`: of the new file, less the umask. 0, or an errno value.
 */
int obb_file_replace(const char *path, const void *bytes, size_t length, unsigned mode);

/* The prefix of such names; a build that was killed may leave a file of that kind. */
#define OBB_NEW_PREFIX ".obbligato-"

/* Makes a file of `count` bytes of one value; of zeros, without writing them where the file system can. 0, or
 * an errno value. */
int obb_file_fill(const char *path, uint64_t count, unsigned char byte);

/* The same, with the folders above it and the usual mode. When
 * the contents are already there, nothing is touched and *same is set (if not NULL). */
int obb_file_write(const char *path, const void *bytes, size_t length, bool *same);

#endif
