/* The incremental way of a build: when only contents of files changed, or some descriptions, what they reach
 * becomes a plan of its own (a subplan), from what the last complete build kept, and is carried out. */
#ifndef OBB_BUILD_INCREMENTAL_H
#define OBB_BUILD_INCREMENTAL_H

#include "build/builder.h"

typedef struct obb_subplan {
    obb_builder *b;
    obb_snapshot *snapshot;
    obb_serialized_plan *kept;       /* the plan in the snapshot */
    obb_file_mapping files_of;
    obb_file_list edited; /* changed files that no action reads, which may be descriptions (kept numbers) */
    obb_words moved;           /* paths of files that are new, or gone */
    obb_file_list dropped;     /* what nothing makes any more */
    bool early;                /* it was begun while the rest was compared */
    bool opened;               /* the workspace has the state */
    bool found;                /* it is known what the changes reach */
    bool tried;                /* it was taken, or could not be */
    bool taken;                /* the workspace has its plan */
    const obb_cause *forecast; /* NULL: not asked yet */
} obb_subplan;

void obb_subplan_begin(obb_subplan *p, obb_builder *b, obb_snapshot *snapshot);

/* For obb_snapshot_check, as soon as a first change is found; `self` is an obb_subplan. Mostly one file was
 * edited: its subplan is taken while the rest is compared. Until that has ended, this thread alone uses the
 * workspace. */
void obb_subplan_take_early(void *self);

/* Builds what the changes of the snapshot reach. False: it takes more than that; then the workspace is as
 * new. Else *code is the exit code. */
bool obb_build_incremental(obb_subplan *p, int *code);

/* Throws away what was taken, with all that it learnt: something that it depends on turned out to be
 * different. */
void obb_subplan_drop(obb_subplan *p);

#endif
