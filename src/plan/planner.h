/* Planning: from a project to its actions. */
#ifndef OBB_PLAN_PLANNER_H
#define OBB_PLAN_PLANNER_H

#include "plan/plan.h"

/* Plans every target of these variants, whatever is wanted: otherwise it would not be known which files of
 * the output folder nothing makes any more. What is missing for a target that is not wanted is not an error;
 * its actions are broken. The texts are made known to `files`, so that the scan sees them before they are
 * written; what steps make is pending (files.h). Where steps run programs of the project, their variant is
 * planned as well. */
obb_plan *obb_plan_make(const obb_plan_input *input, obb_diags *diags);

#endif
