/* Reading steps and what tests are run with. Only src/project uses this header. */
#ifndef OBB_PROJECT_READ_STEPS_H
#define OBB_PROJECT_READ_STEPS_H

#include "project/read/reader.h"

/* A property of a step or a test; false when it is none of those. */
bool obb_read_step_property(obb_reader *reader, const obb_item *item, obb_target *target);

/* A step must make something, and do something for it. */
void obb_check_step(obb_reader *reader, const obb_target *step);

/* What words name by {product:NAME}, {made:NAME} and {tool:NAME}, and by `product:` and `made:` in
 * front, becomes what the target uses. */
void obb_read_products(obb_reader *reader, const obb_word_list *words, obb_uses *uses);
void obb_read_references(obb_reader *reader, const obb_word_list *words, const obb_condition *condition,
                         obb_target *target);

/* targets.c */
void obb_read_patterns(obb_reader *reader, const obb_item *item, obb_patterns *patterns);

#endif
