/* How much memory programs take, by region and by source, and what their budgets are. */
#ifndef OBB_BUILD_ACCOUNTS_H
#define OBB_BUILD_ACCOUNTS_H

#include "build/workspace.h"
#include "image/account.h"

/* The account of a program as it lies in the output folder; NULL with an error in `diags`. The plan must have
 * the variant. */
obb_account *obb_account_of_program(obb_workspace *w, const obb_target *target, const obb_variant *variant);

/* The same in a variant that the plan does not have. */
obb_account *obb_account_elsewhere(obb_workspace *w, const obb_target *target, const obb_variant *variant);

/* The memory of a variant, nothing of it used; as many as its `memory` has. */
obb_region_use *obb_regions_of(obb_workspace *w, const obb_variant *variant);

/* Only what it takes of the variant's regions: without sources and archives, and without a plan. NULL: it is
 * no program, or not there. */
obb_account *obb_account_of_regions(obb_workspace *w, const char *path, const obb_variant *variant);

/* Adds to `diags` which budgets of a program are exceeded: as errors those that are `fatal`, and the others,
 * if `warn`, as warnings. */
void obb_compare_budgets(obb_workspace *w, const obb_target *target, const obb_variant *variant,
                         const obb_account *account, bool warn);

/* The limit of a region in bytes, 0 when there is none; *text is how it was stated. */
uint64_t obb_budget_limit(obb_workspace *w, const obb_target *target, const obb_variant *variant,
                          const obb_region_use *region, const char **text);

bool obb_has_budgets(obb_workspace *w, const obb_target *target, const obb_variant *variant);

#endif
