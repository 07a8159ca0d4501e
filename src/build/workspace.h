/* A workspace: a project opened to be built or asked about, with what is remembered of it, its tools, and the
 * variants and targets that were asked for.
 *
 * It is opened in phases, each of which needs the one before: obb_workspace_enter (the folders),
 * _read_project, _open_state, _choose_variants, _choose_targets, and a plan (build/planning.h). What a phase
 * has not reached yet is NULL or empty. A build begins at the first phase and may stop before the last:
 * obb_workspace_renew goes back to what _enter left.
 *
 * The working folder of the process is the project's root from _enter on; all paths are seen from there.
 *
 * Each phase gives 0, or an exit code: an obb_fault, with its messages told to the observer.
 */
#ifndef OBB_BUILD_WORKSPACE_H
#define OBB_BUILD_WORKSPACE_H

#include "build/request.h"
#include "plan/dependencies.h"
#include "state/state.h"

/* How the current plan came to be (build/planning.h). */
typedef struct obb_planning {
    bool **wanted_targets;  /* by variant and target number */
    bool *fixed;            /* by file, so many of them: its contents were asked for before the scan */
    size_t fixed_count;
    bool *budgeted;         /* by action: a program whose size is compared with budgets */
    bool edited;            /* the plan is of what an edited description reaches: */
    size_t planned;         /* so many of its actions, the first ones, were planned again, */
    const bool *settled;    /* of these, the compiles that are as they were, */
    size_t planned_targets; /* and belong to so many targets: */
    const bool *replanned;  /* by their numbers */
} obb_planning;

typedef struct obb_workspace {
    const obb_request *request;
    const obb_build_observer *observer;
    obb_arena *arena;       /* lives as long as the workspace */
    obb_diags *diags;
    const char *root;       /* of the project, absolute */
    const char *start;      /* the folder that the request was made in, seen from the root */
    const char *out;        /* the output folder, seen from the root, or absolute outside of it */
    int64_t began;          /* nanoseconds since 1970: before anything was looked at */
    int64_t noticed;        /* the same: when the change that is built was noticed; 0: nobody told */

    /* from here on, what obb_workspace_renew begins anew */
    obb_files *files;
    obb_project *project;
    obb_state *state;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    obb_host host;          /* this machine; its compiler's family is asked when a condition is about it */
    obb_variants variants;
    obb_target_list targets;
    const obb_plan *plan;
    obb_dependency_table *dependencies; /* of the plan */
    bool *wanted;           /* by action */
    obb_planning planning;
    int missing;            /* under keep_going: the exit code of what is missing for some variants only */
} obb_workspace;

/* Both borrowed: they must outlive the workspace. */
obb_workspace *obb_workspace_new(const obb_request *request, const obb_build_observer *observer);
void obb_workspace_free(obb_workspace *w);

/* Finds the nearest folder with a description, at or above the request's, and makes it the working folder. */
int obb_workspace_enter(obb_workspace *w);

/* Another workspace of the same project and output folder, for one more build. */
obb_workspace *obb_workspace_again(const obb_workspace *w);

int obb_workspace_read_project(obb_workspace *w);
int obb_workspace_open_state(obb_workspace *w, bool for_building);
int obb_workspace_choose_variants(obb_workspace *w);
/* By the names of the request, which may be patterns, else the default ones. */
int obb_workspace_choose_targets(obb_workspace *w);
bool obb_left_out_everywhere(const obb_workspace *w, const obb_target *target); /* of all chosen variants */

/* The path of a target's product in a variant, seen from the project's folder, as toolchain/spell.h names it.
 */
const char *obb_workspace_product_path(obb_workspace *w, const obb_variant *variant,
                                       const obb_target *target);

/* The first four phases, to go on after a build, whichever phase it stopped at. */
int obb_workspace_go_on(obb_workspace *w);

/* Only reads the descriptions: messages stay in `diags`. */
void obb_workspace_read_descriptions(obb_workspace *w);

/* Back to what _enter left, as if nothing had been looked at. */
void obb_workspace_renew(obb_workspace *w);

/* Closes the state, so that no other build waits for this process; the rest stays. */
void obb_workspace_close_state(obb_workspace *w);

/* Tells the observer all that `diags` holds, and empties it. The exit code of the first error, or 0. */
int obb_workspace_tell(obb_workspace *w);

/* Tells one error without a place: `message` is a format for `word`, `hint` may be NULL. Its exit code. */
int obb_workspace_fail(obb_workspace *w, obb_fault fault, const char *message, const char *word,
                       const char *hint);

/* Adds to `diags` that a file could not be written (`failed` is an errno value), and what to do about it. */
void obb_workspace_cannot_write(obb_workspace *w, const char *path, int failed);

/* Writes what the state was told. `before` is the errno value of an earlier commit, which counts too. */
int obb_workspace_commit(obb_workspace *w, int before);

void obb_workspace_phase(const obb_workspace *w, const char *what);

/* A path that the user typed, as the project names it: seen from where it was typed, or from the root, as
 * messages print it, when nothing is there. */
const char *obb_workspace_path(const obb_workspace *w, const char *path);

/* The same, seen from where it was typed, whether it is there or not. */
const char *obb_workspace_typed_path(const obb_workspace *w, const char *path);

#endif
