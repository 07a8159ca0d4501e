/* How a program or an image of a variant is run on this machine: as it is, or by the platform's runner. */
#ifndef OBB_BUILD_LAUNCH_H
#define OBB_BUILD_LAUNCH_H

#include "build/workspace.h"

/* Whether programs of the variant run here without help. */
bool obb_runs_here(const obb_variant *variant);

/* What is to run. */
typedef struct obb_launching {
    const obb_variant *variant;
    const char *program;        /* its path; of an image: that of the program in it, or NULL */
    const char *image;          /* the path of an image; NULL: a program is run */
    const obb_words *arguments;
    const char *port;           /* of a program that waits for a debugger: where; else NULL */
    obb_files *files;           /* to find the runner by */
    obb_arena *arena;           /* of the words */
} obb_launching;

/* The words that run it with its arguments; with a port, so that it waits there for a debugger, by the
 * runner's `debug` or `debug-image`. False, with why and what to do in `diags`, when it cannot be run here.
 */
bool obb_launch_words(const obb_launching *l, obb_diags *diags, obb_words *words);

/* A launch in a variant, with its placeholders filled: what they name is an absolute path. */
typedef struct obb_launch_facts {
    obb_words arguments, environment; /* NAME=VALUE */
    const char *folder;               /* absolute; NULL: where the command is given */
} obb_launch_facts;

/* What the launch says; nothing, when it is NULL. Errors are in the workspace's diags. */
obb_launch_facts obb_launch_in(obb_workspace *workspace, const obb_launch *launch,
                               const obb_variant *variant);

/* The program whose code is in a target: itself; of an image, what it is made from, or that of the first
 * image in it which has one. NULL: none. */
const obb_target *obb_program_in(const obb_variant *variant, const obb_target *target);

#endif
