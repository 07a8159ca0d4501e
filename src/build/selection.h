/* Resolving a name that the user typed: to a file of the project, or to actions of a plan. */
#ifndef OBB_BUILD_SELECTION_H
#define OBB_BUILD_SELECTION_H

#include "build/workspace.h"

/* How well a name fits a path of the project; greater is better. */
typedef enum obb_name_fit {
    OBB_NAME_NOT,
    OBB_NAME_IS_END,    /* of its last part or parts */
    OBB_NAME_FROM_ROOT, /* as messages print it */
    OBB_NAME_TYPED      /* as it was written, or another name of the same file */
} obb_name_fit;

typedef struct obb_typed_name {
    const char *name, *typed,
        *from_root; /* as it was written; and the paths that it may stand for, as the project names them */
    const obb_target *target;             /* that it may stand for; or NULL */
    bool is_file;                         /* such a file is there: */
    obb_stamp stamp;
} obb_typed_name;

obb_typed_name obb_type_name(const obb_workspace *w, const char *name);
obb_name_fit obb_fit_name(const obb_typed_name *name, const char *path);

/* Marks the planned actions of the chosen variants that a name fits best: by source, product or target, or,
 * with `only_compiles`, by source or target. False: it fits none. */
bool obb_mark_named(const obb_workspace *w, const char *name, bool only_compiles, bool *named);

/* A file that is read, by its path or by the end of it; also one that is read under another name, through
 * links. OBB_NO_FILE with an error in `diags`. The plan must have been scanned. */
obb_file obb_read_file_named(obb_workspace *w, const char *name);

/* Other names, through links, under which the same file is read. */
void obb_add_other_names(obb_workspace *w, obb_file file, obb_file_list *files);

bool obb_action_reads(const obb_workspace *w, const obb_action *action, obb_file file);

#endif
