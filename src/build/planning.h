/* From the request to a plan of it: the last phase of a workspace. Each gives 0, or an exit code with the
 * messages told. */
#ifndef OBB_BUILD_PLANNING_H
#define OBB_BUILD_PLANNING_H

#include "build/workspace.h"

/* All phases up to a plan of the request, without scanning or building. */
int obb_plan_request(obb_workspace *w);

/* The plan of the targets that were chosen. Under keep_going, what is missing for some variants is noted in
 * w->missing, and the others go on. */
int obb_make_plan(obb_workspace *w);

/* Plans all targets of the chosen variants, for whoever asks about some of them; nothing is wanted. */
int obb_plan_everything(obb_workspace *w);

/* The planner's input, from what the phases of the workspace have found. */
obb_plan_input obb_plan_input_of(const obb_workspace *w, const obb_plan_scope *scope);

/* Gives the workspace a complete plan, with a dependency table for it. */
void obb_take_plan(obb_workspace *w, const obb_plan *plan);

/* Plans these targets: `scope` as for obb_plan_make. A caller that adds actions to the plan must call
 * obb_take_plan again. */
void obb_want_targets(obb_workspace *w);
obb_plan *obb_plan_targets(obb_workspace *w, const obb_plan_scope *scope);

/* Scans every wanted source anew; what is found to be needed besides does not become wanted. */
int obb_scan_all(obb_workspace *w);

/* Scans the sources of which something changed since they were compiled; of the others, what was found then
 * is taken. */
int obb_scan_changed(obb_workspace *w);

/* Which targets are built in which variants, as a fingerprint. */
obb_fingerprint obb_wanted_fingerprint(const obb_workspace *w);

/* What the chosen variants leave out: three words for a variant and a reason (targets, variant, reason). */
void obb_list_left_out(obb_workspace *w, obb_words *left_out);

/* An error when a target that was asked for by name is left out everywhere. */
int obb_check_left_out(obb_workspace *w);

#endif
