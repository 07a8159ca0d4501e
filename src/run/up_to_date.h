/* Whether an action must be carried out, and why.
 *
 * Judging reads records and the dependency table and changes neither; only a forecast takes late scans
 * further. The order of checks decides which of several causes is named. */
#ifndef OBB_RUN_UP_TO_DATE_H
#define OBB_RUN_UP_TO_DATE_H

#include "plan/dependencies.h"
#include "state/state.h"

typedef enum obb_cause_kind {
    OBB_CAUSE_NONE,          /* it is up to date */
    OBB_CAUSE_NEVER_MADE,
    OBB_CAUSE_OUTPUT_GONE,
    OBB_CAUSE_OUTPUT_CHANGED, /* by something else */
    OBB_CAUSE_TOOL,
    OBB_CAUSE_COMMAND,
    OBB_CAUSE_INPUT_CHANGED,
    OBB_CAUSE_INPUT_NEW,     /* read now, was not before */
    OBB_CAUSE_INPUT_NO_MORE, /* was read, is not any more */
    OBB_CAUSE_INPUT_MISSING, /* must be there, and is not */
    OBB_CAUSE_INPUT_REMADE   /* will be remade first; only in a forecast */
} obb_cause_kind;

typedef struct obb_cause {
    obb_cause_kind kind;
    obb_file file; /* the input or output meant */
    obb_cost cost; /* of a forecast: what making it cost the last time */
} obb_cause;

/* The fingerprint of an input, by its index: of its contents, or only that it is there, where nothing else
 * counts (`untold` of a compile). 0, or an errno value. */
int obb_input_fingerprint(const obb_dependency_table *table, const obb_action *action, size_t input,
                          obb_fingerprint *fingerprint);

/* The fingerprint of all that an action makes. 0, or an errno value with the file it is about. */
int obb_outputs_fingerprint(obb_files *files, const obb_action *action, obb_fingerprint *fingerprint,
                            obb_file *missing);

/* Compares what is there with what the record says. Inputs that other actions make must be
 * in their final state. */
obb_cause obb_judge(obb_state *state, const obb_dependency_table *table, const obb_action *action);

/* The same of a step: its outputs are no longer pending when it is up to date, and pending otherwise. */
obb_cause obb_judge_step(obb_state *state, const obb_dependency_table *table, const obb_action *step);

/* The cause as a phrase: "include/tune.h changed", "-O2 instead of -O0" ... */
const char *obb_cause_text(obb_arena *arena, obb_state *state, const obb_plan *plan,
                           const obb_action *action, obb_cause cause);

/* What would be carried out now: a cause for each wanted action, by number, allocated from the arena. An
 * action behind one that is carried out has OBB_CAUSE_INPUT_REMADE (it may turn out that its input comes out
 * the same). Scans that wait for a step that is up to date are taken further; what they find missing is
 * reported by the run. */
obb_cause *obb_forecast(obb_arena *arena, obb_state *state, obb_dependency_table *table, bool *wanted);

#endif
