/* obbligato.lock: what third-party code was fetched, where from, and its sums. It lies beside the description
 * and belongs to the project, like a source; fetching writes it (src/outside).
 *
 * It is text, sorted, a line each:
 *
 *     NAME VERSION archive    sha256:SUM URL
 *     NAME VERSION repository sha256:SUM COMMIT REVISION URL
 *     NAME VERSION entry      sha256:SUM INDEX/NAME/FILE
 *
 * SUM is that of the archive; of a repository, that of the files of the commit (outside/tree.h); of the entry
 * of an index, or of a file that it names, that of its text. A line that begins with `#` is a comment.
 */
#ifndef OBB_PROJECT_LOCK_FILE_H
#define OBB_PROJECT_LOCK_FILE_H

#include "base/diag.h"
#include "base/files.h"

#define OBB_LOCK_NAME "obbligato.lock"

typedef enum obb_lock_kind { OBB_LOCK_ARCHIVE, OBB_LOCK_REPOSITORY, OBB_LOCK_ENTRY } obb_lock_kind;

typedef struct obb_lock_line {
    const char *name, *version; /* VERSION is "-" where none is stated */
    obb_lock_kind kind;
    const char *sum;            /* SHA-256, in hexadecimal */
    const char *commit, *revision; /* of a repository; else "" */
    const char *from;           /* a URL or path; the name of an index */
    int line;                   /* where it stands; 0: it is new */
} obb_lock_line;

typedef struct obb_lock_file {
    obb_arena *arena;
    OBB_VEC(obb_lock_line) lines;
} obb_lock_file;

/* Reads it from the working folder; without a file it is empty. Errors name the line. */
obb_lock_file *obb_lock_file_read(obb_files *files, obb_arena *arena, obb_diags *diags);

/* The line of a name, version and kind; NULL: there is none. */
const obb_lock_line *obb_lock_file_find(const obb_lock_file *lock, const char *name, const char *version,
                                   obb_lock_kind kind);

/* The line of an entry, or of a file that it names: INDEX/NAME/FILE. */
const obb_lock_line *obb_lock_file_find_entry(const obb_lock_file *lock, const char *from);

/* Its whole text, in order. */
void obb_lock_file_print(const obb_lock_file *lock, obb_text *text);

#endif
