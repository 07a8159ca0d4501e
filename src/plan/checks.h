/* Answering checks (project/check.h) by compiling and by reading the object, never by running: so the answers
 * are had for every platform in the same way.
 *
 * Which files a check reads, and where headers are not, the scan tells: an answer is remembered under all of
 * that with the tool and its words, so a library that is installed or removed later is noticed without being
 * told. Many checks share one compile; what fails in it is compiled alone, and so is what a header of another
 * check may have declared.
 */
#ifndef OBB_PLAN_CHECKS_H
#define OBB_PLAN_CHECKS_H

#include "plan/check_context.h"

/* Answers all checks of the project in a variant; `answers` is by number, and zeroed. A compiler that is
 * missing, or that refuses the settings of a block, is an error in `diags`. */
void obb_answer_all_checks(obb_check_context *context, const obb_variant *variant, obb_check_answer *answers);

#endif
