/* Bringing what was asked for up to date.
 *
 * A build takes the shortest of three ways. When nothing changed since the last complete build of the same
 * request, its snapshot (state/snapshot.h) says so at once. When only contents of files or some descriptions
 * changed, what they reach is planned and carried out (build/incremental.h). Else all of it is read, planned
 * and looked at (build/full.h).
 */
#ifndef OBB_BUILD_BUILD_H
#define OBB_BUILD_BUILD_H

#include "build/planning.h"
#include "build/workspace.h"
#include "state/snapshot.h"

/* What would be made, and why; of a dry run. */
typedef struct obb_forecast_line {
    const obb_action *action;
    const char *cause;
} obb_forecast_line;

typedef struct obb_build_outcome {
    bool ran; /* it came to carrying out actions, or there was nothing to do: `run` and `variants` hold */
    obb_run_result run;
    obb_words variants;  /* names */
    obb_words left_out;  /* see obb_list_left_out */
    size_t looks;        /* how many places of the file system were looked at */
    bool forecasted;
    OBB_VEC(obb_forecast_line) forecast;
} obb_build_outcome;

enum { OBB_BUILD_INTERRUPTED = 130 }; /* an exit code besides those of obb_fault */

/* 0, or an exit code with the messages told. The workspace may have stopped at any phase:
 * obb_workspace_go_on, or obb_build_and_plan for whoever needs the plan. `outcome` lives as long as the
 * workspace. */
int obb_build(obb_workspace *w, obb_build_outcome *outcome);

/* The same, and then the workspace has the plan of all that was asked for; not after a dry run. */
int obb_build_and_plan(obb_workspace *w, obb_build_outcome *outcome);

/* The same as obb_build when it is known that these files (numbers of the snapshot) changed, and nothing else
 * did. */
int obb_build_changed(obb_workspace *w, obb_snapshot *snapshot, const obb_file_list *changed,
                      obb_build_outcome *outcome);

/* The snapshot of the last complete build of the same request, opened; NULL: there is none. */
obb_snapshot *obb_build_snapshot(const obb_workspace *w);

#endif
