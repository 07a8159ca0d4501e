/* Carrying a plan out: what must be made is made, side by side, in order.
 *
 * An output is made in a folder of the tool's own (OBB_WORK_FOLDER) and renamed when the command
 * succeeded; where the tool must know the final name, a failed one is removed. A record is
 * written only after the output is in place, so a kill at any moment leaves either the old
 * truth or the new one.
 */
#ifndef OBB_RUN_RUN_H
#define OBB_RUN_RUN_H

#include "run/event.h"
#include "run/up_to_date.h"
#include "state/far_place.h"
#include "state/object_cache.h"

/* Where commands write outputs that are not complete yet, below the output folder: no product lies there. */
#define OBB_WORK_FOLDER ".obbligato/work"

typedef struct obb_run_options {
    unsigned jobs;
    uint64_t memory; /* bytes that its commands together may be expected to need; 0: no limit. One runs in any
                        case */
    bool keep_going;
    obb_observer *observer;
    void *self;
    bool (*explained)(void *self, const obb_action *action); /* of a subplan: whether it knows all that a
                                                                late scan found; NULL: the plan is whole */
    void *explainer;
    const char *watcher;  /* the program that watches what steps read, called `WATCHER trace-reads REPORT
                             COMMAND...` (trace.h); NULL: nobody can */
    bool strict;          /* each step is watched, and fails when it reads what it does not declare */
    obb_object_cache *cache;     /* where objects are kept for other builds; NULL: nowhere */
    unsigned farm_check;         /* of 10,000 objects that a farm made, so many are made here as well, and
                                    compared */
    const obb_far_place *far;    /* the far store behind it; NULL: none */
    const obb_cause *forecast; /* what obb_forecast said just now; NULL: it is asked */
} obb_run_options;

/* Carries out the wanted actions of the table's plan, and those that are found to be needed on the way: what
 * a source includes that a step makes is known when the step is done. Signals that end a program (INT, TERM,
 * HUP) end the commands, remove what they left, and make the run end with `interrupted`. */
obb_run_result obb_run(obb_dependency_table *table, obb_state *state, bool *wanted,
                       const obb_run_options *options);

/* Files of the planned variants' folders that were made here and that nothing makes any more. The list
 * is released with obb_vec_free. */
void obb_run_list_stale(const obb_plan *plan, obb_state *state, obb_file_list *stale);

/* Removes outputs, and folders that this leaves empty. The number of files removed. */
size_t obb_run_remove(const obb_plan *plan, obb_state *state, const obb_file_list *files,
                      const obb_run_options *options);

/* After a build that was killed: removes what its commands left beside their outputs. */
void obb_run_sweep(const obb_plan *plan, obb_state *state);

/* Removes one output and the remains of a broken attempt to make it, then the empty folders above it, up to
 * `top`. 0, or an errno value; nothing there is not an error. */
int obb_remove_output(const char *path, const char *top);

#endif
