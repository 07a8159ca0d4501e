/* One run while it goes on. Only src/run uses this header: run.c carries a plan out, steps.c does what
 * steps do, caching.c takes objects from the cache and puts them there. */
#ifndef OBB_RUN_SCHEDULER_H
#define OBB_RUN_SCHEDULER_H

#include "base/commands.h"
#include "run/run.h"

typedef struct runner runner;

/* One action that is being carried out. */
typedef struct child {
    obb_command command;
    runner *run;
    obb_action *action;
    const char *cause;
    char *temporary, *words_file;
    const char *told_file; /* where the command tells what it read; or NULL */
    size_t parts;    /* of a step: those that are done */
    const char *watched; /* where the watcher tells what the current part opens; or NULL */
    obb_words opened; /* files of the project that its parts opened for reading */
    const char *unwatched; /* why nobody could watch; or NULL */
    obb_words argv;
    uint64_t started;
    obb_object_cache_key key; /* in the cache; empty: it is not for it */
    size_t inputs;     /* how many there were when the key was made */
    uint64_t cached;  /* it was taken from there: how long it took to make it; else 0 */
    bool taken;
} child;

/* What is to be put in the cache when the run ends and no input has moved. */
typedef struct caching {
    obb_object_cache_key key;
    const obb_action *action;
    uint64_t milliseconds;
    const char *printed;
} caching;

struct runner {
    obb_plan *plan;
    obb_state *state;
    bool *wanted;
    const obb_run_options *options;
    obb_arena *arena;
    obb_commands commands;
    uint32_t *waiting_for; /* by action: needs that are not done */
    OBB_VEC(uint32_t) *users; /* by action */
    OBB_VEC(uint32_t) ready;  /* a queue: from `first_ready` on */
    size_t first_ready;
    OBB_VEC(uint32_t) to_run; /* a queue of actions that must be made */
    size_t first_to_run;
    const char **causes;
    bool *done; /* by action: its outputs are in their final state */
    obb_diags *diags;
    const obb_cause *forecast;
    size_t total, finished;
    uint64_t expected_work, done_work;
    bool stopping;
    OBB_VEC(bool) noted; /* by file */
    OBB_VEC(obb_action *) made;
    OBB_VEC(caching) cachings;
    obb_run_result result;
};

/* run.c: a file of an action's own, which no product can be: below the tool's own folder, called after the
 * output. */
char *obb_run_work_file(runner *run, const obb_action *action, const char *suffix);

void obb_run_tell(runner *run, obb_event event);

/* What an action that has ended leaves behind: its output in place and its record, or what failed
 * (`message`, or what its command's status says). */
void obb_child_settle(runner *run, child *child, const char *message);
void obb_child_over(obb_command *command);

/* steps.c: begins a step; goes on with its next part; takes what the watcher told. */
void obb_step_begin(runner *run, child *child);
void obb_step_go_on(runner *run, child *child);
void obb_step_take_watch(runner *run, child *child);

/* caching.c: takes the object from the cache, as if the command had made it just now; puts there
 * what this run made. */
bool obb_object_cache_take_object(runner *run, child *child);
void obb_object_cache_fill(runner *run);

#endif
