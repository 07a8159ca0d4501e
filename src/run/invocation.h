/* How the tool of an action is invoked: the planned words with a temporary name for the output, in a file
 * when they are too long for a command line, and with what makes the tool report what it reads. Only src/run
 * uses this header. */
#ifndef OBB_RUN_INVOCATION_H
#define OBB_RUN_INVOCATION_H

#include "plan/plan.h"

typedef struct obb_invocation {
    obb_words argv;         /* ends with NULL, which is counted */
    const char *temporary;  /* where the output is written; NULL: under its own name */
    const char *words_file; /* where the words are; NULL: on the command line */
    const char *report;     /* where the tool tells what it reads; NULL: it does not */
    bool report_stays;      /* the next command in the same slot adds to it; so it is read as soon as this one
                               ends: */
    uint64_t report_from;   /* behind so many bytes, */
    obb_text told;          /* into this */
    const char *variable;   /* NAME=VALUE, for its environment; NULL: none */
} obb_invocation;

/* A file of an action's own, which no product can be: below the tool's own folder, called after the output.
 */
char *obb_work_file(const obb_plan *plan, const obb_action *action, obb_arena *arena, const char *suffix);

/* Its tool has ended: what is added to a report that stays is another's from now on. */
void obb_invocation_over(obb_invocation *invocation);

/* Prepares an invocation: what an earlier one left is removed. `shared` is the report that commands which
 * follow one another add to; NULL: there is none yet. False when the words cannot be written. All memory is
 * the arena's. */
bool obb_invocation_make(const obb_plan *plan, const obb_action *action, const char **shared,
                         obb_arena *arena, obb_invocation *invocation);

#endif
