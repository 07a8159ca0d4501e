/* What a step does: its operations on files are carried out here; its commands are run by the scheduler,
 * which settles the outcome. Only src/run uses this header. */
#ifndef OBB_RUN_STEPS_H
#define OBB_RUN_STEPS_H

#include "plan/dependencies.h"

/* One step while it goes on. */
typedef struct obb_step_run {
    const obb_plan *plan;
    const obb_action *action;
    obb_arena *arena;
    unsigned jobs;         /* how many commands may run at a time */
    const char *watcher;   /* see obb_run_options; NULL: nobody watches what it reads */
    size_t next;           /* the first of its commands and operations that is not done */
    const char *watched;   /* where the watcher tells what the current command opens; or NULL */
    obb_words opened;      /* files of the project that its commands opened for reading */
    const char *unwatched; /* why it could not be watched; or NULL */
} obb_step_run;

/* How far it came. */
typedef struct obb_step_outcome {
    const char *const *argv; /* a command that is to be run now; NULL: it is over, */
    const char *input, *output; /* of the command, see obb_step_command */
    const char *message;     /* and this is what went wrong; NULL: nothing did */
    bool told;               /* it reported what it read: */
    obb_words reads;
} obb_step_outcome;

/* Removes what it made before, so that what it does not make is missed. */
void obb_step_begin(const obb_step_run *step);

/* Goes on up to the next command, or to its end. */
obb_step_outcome obb_step_go_on(obb_step_run *step);

/* The environment of its commands; released with free. */
char **obb_step_environment(const obb_step_run *step);

/* A command has ended: takes what the watcher told of it. */
void obb_step_take_watch(obb_step_run *step);

/* What --strict finds wrong with a step that succeeded otherwise; NULL: nothing. */
const char *obb_step_judge_watch(const obb_step_run *step, const obb_dependency_table *table);

#endif
