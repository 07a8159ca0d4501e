/* Memory accounts of a session's programs, for the commands that tell about them. */
#ifndef OBB_CLI_ACCOUNT_H
#define OBB_CLI_ACCOUNT_H

#include "cli/session.h"
#include "image/account.h"

/* The account of a program as it lies in the output folder; NULL with an error in the
 * session's diagnostics. The session needs a plan with the variant. */
obb_account *account_of(session *s, const obb_target *target, const obb_variant *variant);

/* Only what it takes of the variant's regions: without sources and archives, and without a plan. NULL: it is no
 * program, or not there. */
obb_account *account_of_regions(session *s, const char *path, const obb_variant *variant);

/* Tells (as errors for those that are `fatal`, else as warnings) which budgets of a program
 * are overrun. `warn` false: only the fatal ones. */
void account_check_budgets(session *s, const obb_target *target, const obb_variant *variant,
                           const obb_account *account, bool warn);

/* Whether any budget is stated that could be overrun. */
bool account_has_budgets(session *s, const obb_target *target, const obb_variant *variant);

/* The limit of a region in bytes, 0 when there is none; *text is how it was stated. */
uint64_t account_limit(session *s, const obb_target *target, const obb_variant *variant,
                       const obb_region_use *region, const char **text);

#endif
