/* One build while it goes on: what the full and the incremental way share. Only src/build uses this. */
#ifndef OBB_BUILD_BUILDER_H
#define OBB_BUILD_BUILDER_H

#include "build/outcome.h"
#include "build/workspace.h"
#include "plan/serialized.h"
#include "run/run.h"
#include "state/snapshot.h"

typedef struct obb_builder {
    obb_workspace *w;
    obb_build_outcome *outcome;
    obb_fingerprint key;                      /* of the snapshot */
    size_t removed;                     /* files that nothing makes any more */
    OBB_VEC(const obb_action *) linked; /* programs that were made */
    bool has_room;                      /* in the history */
} obb_builder;

/* The observer of the runs of a builder: passes events on to that of the workspace. */
void obb_builder_observe(void *self, const obb_event *event);

/* What a run needs to know when the plan is a subplan. */
typedef struct obb_partial_run {
    bool (*explained)(void *self, const obb_action *action); /* see obb_run_options */
    void *self;
    const obb_cause *forecast;          /* NULL: not asked yet */
    size_t others;                      /* actions that are up to date, and not in the plan */
    const obb_words *far;               /* the far store (obb_far_words) */
} obb_partial_run;

/* Carries the plan out and tells the observer that it has ended, unless it came to something that needs the
 * whole plan. `part` NULL: it is the whole plan. */
obb_run_result obb_builder_run(obb_builder *b, const obb_partial_run *part);

void obb_builder_tell_ended(const obb_builder *b);

/* Writes the state. 0, or the exit code that a run ends with. */
int obb_builder_settle(obb_builder *b, const obb_run_result *result);

/* Tells of sources that the scan leaves to the compiler. */
void obb_builder_tell_undecided(const obb_builder *b);

/* The path of the snapshot. */
char *obb_builder_snapshot_path(const obb_builder *b);

/* What is kept with a plan. */
obb_plan_facts obb_builder_facts(const obb_builder *b);
obb_file_list obb_builder_sources(const obb_builder *b);

#endif
