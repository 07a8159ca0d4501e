/* Diagnostics: errors and warnings for the user, as values.
 *
 * Nothing here prints. A list of them is passed down through the modules; src/cli shows it at the end, with
 * the source line and a caret.
 */
#ifndef OBB_BASE_DIAG_H
#define OBB_BASE_DIAG_H

#include <stdbool.h>
#include <stddef.h>

#include "base/arena.h"
#include "base/vec.h"

/* A place in a text. `file` NULL: no place. `line` 0: the file as a whole. Lines and columns
 * count from 1; columns count bytes. */
typedef struct obb_place {
    const char *file;
    int line, column;
    const char *folder; /* of a description: what paths in it are relative to */
    const char *scope;  /* and the third-party project that it describes; NULL: ours */
} obb_place;

#define OBB_NOWHERE ((obb_place){0})

/* Whose fault it is, which is also the exit code of the program. */
typedef enum obb_fault {
    OBB_FAULT_NONE = 0,
    OBB_FAULT_ACTION = 1,      /* a command of the build, or a test, failed */
    OBB_FAULT_USAGE = 2,       /* the command line is wrong */
    OBB_FAULT_DESCRIPTION = 3, /* the description is wrong */
    OBB_FAULT_OUTSIDE = 4      /* something outside is missing: a compiler, a library, a file */
} obb_fault;

typedef struct obb_note {
    obb_place place;
    const char *message;
} obb_note;

typedef struct obb_diag {
    obb_fault fault; /* OBB_FAULT_NONE: a warning */
    obb_place place;
    const char *message;
    const char *hint; /* what to do; or NULL */
    const char *cause,
        *stopped; /* errors of one cause are one for users, and each stops something; or NULL */
    obb_words all_stopped;       /* by all errors of that cause, each once; after obb_diags_settle */
    OBB_VEC(obb_note) notes;
} obb_diag;

typedef struct obb_diags {
    obb_arena *arena;
    OBB_VEC(obb_diag *) list;
} obb_diags;

obb_diags *obb_diags_new(void);
void obb_diags_free(obb_diags *diags);

/* Adds an error (a warning) and gives it back, so that a hint or a note can be added. The
 * texts are copied; places must outlive the list. */
obb_diag *obb_error(obb_diags *diags, obb_fault fault, obb_place place, const char *format, ...);
obb_diag *obb_warn(obb_diags *diags, obb_place place, const char *format, ...);
void obb_hint(obb_diags *diags, obb_diag *diag, const char *format, ...);
void obb_also(obb_diags *diags, obb_diag *diag, obb_place place, const char *format, ...);

/* Errors that have the same cause (any text) are one for users; `stopped` is what this one stops. */
void obb_stops(obb_diags *diags, obb_diag *diag, const char *cause, const char *stopped);

/* A hint of the form "did you mean ...?" when a known word is near. */
void obb_hint_nearest(obb_diags *diags, obb_diag *diag, const char *word,
                      const char *const *known);

/* Prepares them for users: messages of one file in the order of its lines, files in the order of their first
 * message, the same message at the same place once, and one error for each cause, with all that it stops. */
void obb_diags_settle(obb_diags *diags);

/* The fault of the first error, or OBB_FAULT_NONE. */
obb_fault obb_diags_fault(const obb_diags *diags);

#endif
