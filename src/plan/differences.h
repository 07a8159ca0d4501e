/* Where a compiler's own report of what it read differs from the scan. A compile is told to
 * write its report along with the object, which costs next to nothing; what it names and the
 * scan did not find is an input from then on, and every difference can be listed.
 */
#ifndef OBB_PLAN_DIFFERENCES_H
#define OBB_PLAN_DIFFERENCES_H

#include "plan/dependencies.h"

typedef struct obb_difference {
    const char *path;
    bool missed; /* the tool read it, and the scan had not found it; otherwise the other way round */
} obb_difference;

typedef OBB_VEC(obb_difference) obb_differences;

/* Whether any difference was ever remembered here: if not, nothing need be looked up. */
bool obb_differences_known(obb_memo memo);

/* Those of one compile, as its last run told. They hold for its command. */
void obb_differences_recall(obb_memo memo, const obb_plan *plan, const obb_action *action, obb_arena *arena,
                            obb_differences *differences);
void obb_differences_remember(obb_memo memo, const obb_plan *plan, const obb_action *action,
                              const obb_differences *differences);

/* Compares a report (the files named in it) with the inputs of a scanned compile, or of a link. */
void obb_differences_find(const obb_dependency_table *table, const obb_action *action,
                          const obb_words *report, obb_arena *arena, obb_differences *differences);

#endif
