/* Whether the system of a variant's platform has third-party code that `system` states. */
#ifndef OBB_PLAN_ON_SYSTEM_H
#define OBB_PLAN_ON_SYSTEM_H

#include "plan/check_context.h"

/* Of `metadata`, the file that a library installs; of headers and libraries, each of them in the folders that
 * the compiler and its linker search with the variant's flags. Nothing is compiled. Files that are not there
 * are known as absent from then on. */
bool obb_system_offers(const obb_check_context *context, const obb_variant *variant,
                       const obb_thirdparty *other);

#endif
