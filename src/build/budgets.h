/* Budgets of the programs that a build made. */
#ifndef OBB_BUILD_BUDGETS_H
#define OBB_BUILD_BUDGETS_H

#include "build/builder.h"

/* Compares them after a run. Those that were not made just now are reported only when their budget is fatal.
 * 0, or an exit code with the messages told. */
int obb_check_budgets(obb_builder *b);

#endif
