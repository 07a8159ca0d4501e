/* What the `git` program does for third-party code: repositories, and making and applying unified diffs
 * (docs/design.md says why the program and not a library).
 *
 * It runs without the variables that would lead it to another repository, asks for nothing, and sees no
 * repository above the folder that it works in; patches are made and applied without any repository, so that
 * nothing in fetched files is obeyed.
 */
#ifndef OBB_OUTSIDE_GIT_H
#define OBB_OUTSIDE_GIT_H

#include "base/arena.h"
#include "base/text.h"

/* Applies a patch to the files of a folder. NULL, or why not, for users: which file and which part of it. */
const char *obb_apply_patch(obb_arena *arena, const char *folder, const char *patch);

/* The differences between the folders `a` and `b` in a folder, as one unified diff, added to `diff`. NULL, or
 * why not.
 */
const char *obb_make_patch(obb_arena *arena, const char *folder, obb_text *diff);

/* A copy of what a repository had at a revision, with the submodules that it names, in a folder that is there
 * and empty. `commit`: which one it must be, or NULL; then *found is the one that the revision means now. The
 * history is kept below `cache`, for the next time; `offline`: only what is there is looked at. NULL, or why
 * not. */
typedef struct obb_revision {
    const char *url, *revision, *commit;
    bool offline;
} obb_revision;

const char *obb_check_out(obb_arena *arena, const char *cache, const obb_revision *wanted, const char *folder,
                          const char **found);

#endif
