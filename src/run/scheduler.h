/* A run while it goes on, and one action that is being carried out. Only src/run uses this header. */
#ifndef OBB_RUN_SCHEDULER_H
#define OBB_RUN_SCHEDULER_H

#include "base/commands.h"
#include "run/far.h"
#include "run/invocation.h"
#include "run/order.h"
#include "run/recall.h"
#include "run/run.h"
#include "run/steps.h"

typedef struct obb_scheduler obb_scheduler;

/* One action that is being carried out: an invocation of a tool, a step, an operation of our own, or an
 * object from the cache. */
typedef struct obb_child {
    obb_command command;
    obb_scheduler *run;
    const obb_action *action;
    const char *cause;
    obb_invocation invocation;
    obb_step_run step;
    uint64_t started, took; /* milliseconds; `took` when it runs no longer */
    unsigned slot;
    bool left;                /* it runs no longer: its slot may be another's */
    obb_object_cache_key key; /* in the cache; empty: it is not for it */
    size_t inputs;            /* how many there were when the key was made */
    bool far, superseded;     /* its object came from the far store: before it started; while it was made */
    const char *learns;       /* of a step: its command is watched, for the farm (obb_far_to_learn) */
    bool compares;            /* a farm has made it as well: its object is in the cache */
    bool cached;              /* it was taken from the cache, */
    obb_cost cost;            /* and making it had this cost; else what this one costs, so far */
} obb_child;

/* Commands that run side by side have different ones. */
typedef struct obb_slot {
    bool taken;
    const char *report; /* that its commands add to; NULL: none yet */
} obb_slot;

struct obb_scheduler {
    const obb_plan *plan;
    obb_dependency_table *table; /* of the plan: grows while it runs */
    obb_state *state;
    bool *wanted;
    const obb_run_options *options;
    obb_arena *arena;
    obb_commands commands;
    uint32_t *waiting_for; /* by action: needs that are not done */
    obb_numbers *users;       /* by action */
    obb_numbers to_judge;     /* a queue, from `first_to_judge` on: what they need is done */
    size_t first_to_judge;
    obb_ready to_run;         /* actions that must be made, and could start */
    obb_far *far;             /* or NULL */
    obb_ready asked; /* the same, but the far store is asked for what they make; or was, and then they
                        are not (any more) in `standing` ASKED, and do not count here */
    size_t asked_count;       /* how many count */
    size_t fresh;             /* compiles that became ready since it was asked the last time */
    unsigned char *standing;  /* by action; with a far store */
    obb_child **children;         /* by action, those that run; with a far store */
    obb_work *work;           /* by action: what is expected */
    uint64_t memory;          /* that running commands are expected to need */
    OBB_VEC(obb_slot) slots;
    const char **causes;
    bool *done; /* by action: its outputs are in their final state */
    obb_diags *diags;
    obb_recaller recaller;
    const obb_cause *forecast;
    size_t total, finished;
    uint64_t expected_work, done_work;
    bool stopping;
    unsigned uncommitted;    /* records that were put since the last commit, */
    unsigned ticks;          /* and the tenths of a second since then */
    obb_arena *scratch;      /* for what is needed while one report is read */
    OBB_VEC(uint32_t) noted; /* by file: a bit for each way of reading it, see obb_text_reading */
    OBB_VEC(const obb_action *) made;
    obb_run_result result;
};

/* What a command that has ended leaves behind (acceptance.c): puts the output of one that succeeded in its
 * place and writes the record. NULL, or what went wrong. */
const char *obb_accept_output(obb_scheduler *scheduler, obb_child *child);

/* Commits records. A commit for each would be a fifth of the tool's own work: they wait for the next tenth of
 * a second; what a kill loses of them is made again. */
void obb_commit_records(obb_scheduler *scheduler);

/* Removes the report of what it read; one of a command that did not fail may be another's already. */
void obb_drop_report(obb_child *child);

/* Removes what else it left; of one that failed, also what it made. */
void obb_drop_leftovers(obb_child *child, bool succeeded);

/* Names the output in what the command printed, where it knew a temporary name only. */
void obb_name_output(const obb_scheduler *scheduler, obb_child *child);

#endif
