/* The dependency table: what each action of a plan reads and needs, as far as it is known by now. It begins
 * with what the plan states; scans complete it before the plan is carried out, and, of what steps make,
 * meanwhile; what tools report of a run is added. The plan itself stays as it was made.
 *
 * A row is changed only by who carries out or scans its action, in one thread. All lists are the arena's,
 * which is that of the plan.
 */
#ifndef OBB_PLAN_DEPENDENCIES_H
#define OBB_PLAN_DEPENDENCIES_H

#include "plan/plan.h"

typedef struct obb_dependency_table {
    const obb_plan *plan;
    obb_dependencies *of;                  /* by action number */
    const obb_preprocessor_setup **setups; /* by number of compile options; NULL: not made yet */
    OBB_VEC(obb_file) precompiled;         /* by file: where its precompiled form would be, plus 1 */
} obb_dependency_table;

/* A table in the plan's arena that knows what the plan states. The plan must be complete. */
obb_dependency_table *obb_dependency_table_new(const obb_plan *plan);

obb_dependencies *obb_dependencies_of(const obb_dependency_table *table, const obb_action *action);

/* --- wanting: `wanted` is by action number -------------------------------------------- */

/* Marks what a target needs in a variant; all of its members for a group. */
void obb_want(const obb_dependency_table *table, const obb_target *target, const obb_variant *variant,
              bool *wanted);

/* Marks an action and all that it needs; false when it was marked already. */
bool obb_want_action(const obb_dependency_table *table, uint32_t number, bool *wanted);

/* Adds the steps whose headers what is wanted may include: nobody knows it before they are made. Those that
 * are optional count where a target names them. */
void obb_want_header_steps(const obb_dependency_table *table, bool *wanted);

/* Whether an action needs another one, in the end. */
bool obb_needs_action(const obb_dependency_table *table, const obb_action *action, const obb_action *other);

/* --- scanning ------------------------------------------------------------------------ */

/* An earlier scan of a compile. */
typedef struct obb_recalled_scan {
    obb_file_list files, absent; /* released with obb_vec_free */
    size_t untold;
    bool text_matters, assembled, asked_noted;
} obb_recalled_scan;

/* Whether all that an earlier scan of the compile depended on is as it was; `scan` and `setup` of its
 * dependencies are known. */
typedef bool obb_recall_scan(void *self, const obb_action *action, const obb_dependencies *dependencies,
                             obb_recalled_scan *recalled);

/* Where earlier scans are asked for; `recall` NULL: nowhere. `scanned` (or NULL) is called when sources were
 * scanned, before any of it is recorded. */
typedef struct obb_scan_memory {
    obb_recall_scan *recall;
    void (*scanned)(void *self, obb_scanner *scanner);
    void *self;
} obb_scan_memory;

/* Adds the deferred error of an action that is wanted after all, once. False: there is none left to tell. */
bool obb_tell_deferred(obb_dependencies *dependencies, obb_diags *diags);

/* Scans the sources of the wanted compiles that were not scanned yet, and completes their
 * inputs. What they read that actions make becomes wanted as well. A scan that comes to a file that is
 * still to be made stays pending. A header that is missing, and that the compiler does not find either, is an
 * error, and its action is broken. */
void obb_scan_wanted(obb_dependency_table *table, bool *wanted, obb_scan_memory memory, obb_diags *diags);

/* The same for one action, where a step was carried out since. */
void obb_scan_action(obb_dependency_table *table, const obb_action *action, obb_scan_memory memory,
                     obb_diags *diags);

/* Whether it is a compile whose scan is not complete. */
bool obb_unscanned(const obb_dependency_table *table, const obb_action *action);

/* What the tool itself named, and the scan did not find, becomes an input (differences.h). */
void obb_add_missed(const obb_plan *plan, const obb_action *action, obb_dependencies *dependencies);

/* --- what steps make ----------------------------------------------------------------- */

/* What was made by earlier builds counts as made: for questions, which build nothing. */
void obb_plan_believe(const obb_plan *plan);

/* The outputs of a step become pending, or are looked at on disk again. */
void obb_plan_mark_pending(const obb_plan *plan, const obb_action *step);
void obb_plan_forget(const obb_plan *plan, const obb_action *step);

/* What a step reported that it read the last time: inputs behind those that are stated. */
void obb_step_recall_reads(const obb_plan *plan, const obb_action *step, obb_dependencies *dependencies);
void obb_step_remember_reads(const obb_plan *plan, const obb_action *step,
                             const obb_dependencies *dependencies);

#endif
