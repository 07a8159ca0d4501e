/* Carrying out the parts of a step. Only src/run uses this header. */
#ifndef OBB_RUN_STEPS_H
#define OBB_RUN_STEPS_H

#include "plan/plan.h"

/* An operation on files. NULL, or what went wrong, in the arena. */
const char *obb_step_operate(const obb_step_part *part, obb_arena *arena);

/* What every step sees of the environment: PATH, HOME and TMPDIR as they are, LC_ALL=C; and what is
 * stated. Ends with NULL; in the arena. */
char **obb_step_environment(const obb_words *stated, obb_arena *arena);

/* Files of a step are taken away before it runs, so that what it does not make is missed. */
void obb_step_remove_outputs(const obb_plan *plan, const obb_action *step);

#endif
