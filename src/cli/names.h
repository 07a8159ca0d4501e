/* What a name that a person wrote means: a file of the project, or actions of a plan. */
#ifndef OBB_CLI_NAMES_H
#define OBB_CLI_NAMES_H

#include "cli/session.h"

/* What a name has to do with a path of the project; the better, the greater. */
typedef enum name_fit {
    NAME_NOT,
    NAME_IS_END,    /* of its last part or parts */
    NAME_FROM_ROOT, /* as messages print it */
    NAME_TYPED      /* as it was written, or another name of the same file */
} name_fit;

typedef struct typed_name {
    const char *name, *typed, *from_root; /* as it was written; and the paths that this may be, as the project names them */
    bool is_file;                         /* such a file is there: */
    obb_stamp stamp;
} typed_name;

typed_name names_typed(const session *s, const char *name);
name_fit names_fit(const typed_name *name, const char *path);

/* Marks the planned actions of the chosen variants that a name fits best: by source, product or target, or, with
 * `only_compiles`, by source or target. False: it fits none. */
bool names_mark(const session *s, const char *name, bool only_compiles, bool *named);

#endif
