/* Profiles of former runs that compilers read and that no report tells of. With -fprofile-use and
 * -fbranch-probabilities, those of the GCC family read counts (GCC manual 12, 3.11): a file for each object,
 * which is named after it. One that is not there is no error.
 */
#ifndef OBB_PLAN_PROFILE_H
#define OBB_PLAN_PROFILE_H

#include "plan/plan.h"

/* Whether it reads the counts of its own object: the object's name must then be the final one. */
bool obb_reads_profile(const obb_compile_options *options);

/* Adds the places where profiles are looked for that the words of a compile do not name as files, there or
 * not. */
void obb_profile_places(const obb_plan *plan, const obb_action *action, obb_file_list *places);

/* By its suffix. */
bool obb_is_profile(const char *path);

#endif
