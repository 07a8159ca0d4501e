/* Why actions were carried out the last time, and what would be carried out now. */
#ifndef OBB_BUILD_CAUSES_H
#define OBB_BUILD_CAUSES_H

#include "build/workspace.h"

typedef struct obb_explanation {
    const obb_action *action;
    bool made;              /* it is remembered that it was; then */
    uint64_t milliseconds;  /* how long that took, */
    const char *last;       /* and why it was done */
    bool would_be_made;     /* now */
    const char *now;        /* why, or that it is up to date */
} obb_explanation;

typedef OBB_VEC(obb_explanation) obb_explanation_list;

/* Explains the actions that are marked in `named`; the plan must have been scanned. */
void obb_explain(obb_workspace *w, const bool *named, obb_explanation_list *list);

/* By action, whether it is still to be made. */
bool *obb_list_unmade(obb_workspace *w);

#endif
