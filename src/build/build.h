/* Bringing what was asked for up to date.
 *
 * A build takes the shortest of three ways. When nothing changed since the last complete build of the same
 * request, its snapshot (state/snapshot.h) says so at once. When only contents of files or some descriptions
 * changed, what they reach is planned and carried out (build/incremental.h). Else all of it is read, planned
 * and looked at (build/full.h).
 */
#ifndef OBB_BUILD_BUILD_H
#define OBB_BUILD_BUILD_H

#include "build/outcome.h"
#include "build/planning.h"
#include "build/workspace.h"
#include "state/snapshot.h"

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
obb_snapshot *obb_build_snapshot(obb_workspace *w);

#endif
