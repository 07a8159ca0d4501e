/* Drafting a description of a tree (draft/draft.h). */
#ifndef OBB_BUILD_DRAFT_H
#define OBB_BUILD_DRAFT_H

#include "build/workspace.h"
#include "draft/draft.h"

typedef struct obb_drafted {
    obb_draft_result result;
    const char *text;   /* laid out; "" when there is nothing to describe */
    bool adds;          /* there is a description already: this is what it does not have */
    bool written;       /* to obbligato.score */
} obb_drafted;

/* Drafts the tree in `folder` (NULL: here). Where there is no description, and `only_look` is not said, it is
 * written; one that is there is never changed. 0, or an exit code with the message told. */
int obb_draft_tree(obb_workspace *w, const char *folder, const char *database, bool only_look,
                   obb_drafted *drafted);

#endif
