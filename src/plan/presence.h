/* The files that `__has_include` asks for, where the scan could not go all the way (ISO/IEC 9899:2023 6.10.1,
 * [cpp.cond]). Only src/plan uses this header. */
#ifndef OBB_PLAN_PRESENCE_H
#define OBB_PLAN_PRESENCE_H

#include "plan/plan.h"

/* Adds what a file asks for by a literal name, whether its condition counts or not: places where it is not to
 * `absent`, and where it is to `tested` (both the arena's). A file too many costs a look at it; a file too
 * few, a stale output. */
void obb_find_presence_tests(const obb_plan *plan, const obb_preprocessor_setup *setup, obb_file file,
                             obb_file_list *absent, obb_file_list *tested);

#endif
