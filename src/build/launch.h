/* How a program of a variant is run on this machine: as it is, or by the platform's runner. */
#ifndef OBB_BUILD_LAUNCH_H
#define OBB_BUILD_LAUNCH_H

#include "base/diag.h"
#include "base/files.h"
#include "project/resolve/variant.h"

/* Whether programs of the variant run here without help. */
bool obb_runs_here(const obb_variant *variant);

/* What is to run. */
typedef struct obb_launching {
    const obb_variant *variant;
    const char *program;        /* its path */
    const obb_words *arguments;
    const char *port;           /* of a program that waits for a debugger: where; else NULL */
    obb_files *files;           /* to find the runner by */
    obb_arena *arena;           /* of the words */
} obb_launching;

/* The words that run a program with its arguments; with a port, so that it waits there for a debugger, by the
 * runner's `debug`. False, with why and what to do in `diags`, when it cannot be run here. */
bool obb_launch_words(const obb_launching *l, obb_diags *diags, obb_words *words);

#endif
