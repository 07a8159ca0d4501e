/* What actions are expected to cost: what they cost the last time; those that were never carried out, by
 * their kind and the size of what they read. */
#ifndef OBB_RUN_EXPECTED_H
#define OBB_RUN_EXPECTED_H

#include "run/order.h"
#include "run/up_to_date.h"

/* Sets time (milliseconds) and memory of each action of the plan, by number; what `forecast` says is up to
 * date costs nothing. */
void obb_expect(obb_work *work, const obb_dependency_table *table, const obb_cause *forecast,
                const bool *wanted);

#endif
