/* What a command works on: the project, its state, its tools, and a plan of what is asked
 * for. Each step is taken when a command needs it. */
#ifndef OBB_CLI_SESSION_H
#define OBB_CLI_SESSION_H

#include <jansson.h>
#include <stdio.h>

#include "base/diag.h"
#include "cli/options.h"
#include "plan/kept.h"
#include "plan/plan.h"
#include "run/run.h"
#include "state/ready.h"
#include "state/state.h"

typedef struct session {
    options *options;
    obb_arena *arena;
    obb_diags *diags;
    obb_files *files;
    const char *start;   /* the folder that the command was given in, seen from the root */
    const char *root;    /* absolute; the working folder */
    const char *out;
    int64_t began;       /* nanoseconds since 1970 */
    int64_t noticed;     /* the same: when the change that is built was told of; 0: nobody told */
    obb_project *project;
    obb_state *state;
    obb_toolchains *toolchains;
    obb_host host;       /* this machine; its compiler's family is asked when it matters */
    obb_scanner *scanner;
    obb_plan *plan;
    obb_variants variants;
    bool budgets_later;  /* the command itself tells about budgets */
    int missing;         /* under -k: an exit code; something outside is missing for some variants */
    obb_target_list targets;
    bool **wanted_targets; /* by variant and target */
    bool *wanted;          /* by action */
    bool *fixed;           /* by file: its contents were asked for before the scan */
    size_t fixed_count;
    json_t *told;          /* under --json: errors and warnings so far, as objects; or NULL */
    bool json_said;        /* the document of a build was printed */
    bool edited;           /* the plan is of what an edited description reaches, */
    size_t planned;        /* and so many of its actions, the first, were planned anew, */
    size_t planned_targets; /* which belong to so many targets */
} session;

/* Finds the root above the folder at hand and goes there. 0, or an exit code. */
int session_enter(session *s);

/* Each takes what it needs before it. 0, or an exit code, with the messages shown. */
int session_read_project(session *s);
int session_open_state(session *s, bool for_building);
int session_choose_variants(session *s);
int session_choose_targets(session *s);  /* by the names given, else the default ones */
int session_make_plan(session *s);
int session_scan(session *s);           /* every wanted source anew */
int session_scan_or_recall(session *s); /* those of which something changed since they were compiled */

/* All of it up to a plan of the targets named, without building. */
int session_plan_named(session *s);
void session_end(session *s);

/* For what comes after a build that may have taken the short way: anew, up to the chosen variants. */
int session_go_on(session *s);

/* Forgets files, state and plan, as if nothing had been looked at. */
void session_begin_anew(session *s);

/* A plan of the actions that changed files reach, from what an earlier build kept, with its
 * compiles scanned; false when a plan of all is needed. Then nothing is left of it. */
bool session_take_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of);

/* Throws it away, with all that it learnt: something that it hangs on turned out to be different. */
void session_drop_part(session *s);

/* The same where descriptions (`edited`, kept numbers) were edited as well: the targets that the edit reaches are
 * planned anew, as the first actions of the plan. */
bool session_take_edited_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of,
                              const obb_file_list *edited);

/* Which targets are built in which variants, in short. */
obb_print session_wanted_print(const session *s);

/* Whether all files of the output folder that an action of a part reads are made by the part, or
 * were known before: else a step may make them that the kept plan does not have. */
bool session_explains(const session *s, obb_ready *ready, const obb_action *action);

/* What is left out of the chosen variants: told a line for a variant and a reason (three words
 * each: targets, variant, reason); an error when it was asked for by name and is in none of
 * them. */
void session_list_left_out(session *s, obb_words *left_out);
void session_tell_left_out(const obb_words *left_out, FILE *lines);
int session_check_left_out(session *s);

/* The program (or test with sources) of the one variant that is chosen, by name; NULL with the message shown. */
const obb_target *session_program(session *s, const char *name);

/* Where it is built to, seen from the root. */
const char *session_program_path(session *s, const obb_target *program);

/* A variable of this process, from NAME=VALUE. */
void session_set_variable(session *s, const char *text);

/* Shows and takes away what `diags` holds; the exit code of the first error, or 0. */
int session_show_diags(session *s);

/* The errors and warnings that were shown since it was asked last, as an array. */
json_t *session_take_told(session *s);

/* One error without a place: `message` is a format for `word`, `hint` may be NULL. Shown at
 * once; its exit code. */
int session_fail(session *s, obb_fault fault, const char *message, const char *word, const char *hint);

/* Notes that a file could not be written (`failed` is an errno value), with what to do about it. */
void session_cannot_write(session *s, const char *path, int failed);

/* Writes down what the state was told; the exit code, with the error shown. `before`: the errno value of an earlier
 * commit, which counts too. */
int session_commit(session *s, int before);

/* A path that the person wrote, as the project names it: seen from where it was written, or from the root, as
 * messages print it, when nothing is there. */
const char *session_path(const session *s, const char *path);

/* The same, seen from where it was written, whether it is there or not. */
const char *session_typed_path(const session *s, const char *path);

#endif
