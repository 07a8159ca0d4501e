/* How a program of a variant is run on this machine: as it is, or by the platform's runner. */
#ifndef OBB_BUILD_LAUNCH_H
#define OBB_BUILD_LAUNCH_H

#include "base/diag.h"
#include "base/files.h"
#include "project/resolve/variant.h"

/* Whether programs of the variant run here without help. */
bool obb_runs_here(const obb_variant *variant);

/* The words that run a program with its arguments. False, with why and what to do in `diags`, when
 * it cannot be run here. */
bool obb_launch_words(const obb_variant *variant, obb_files *files, const char *program,
                      const obb_words *arguments, obb_arena *arena, obb_diags *diags, obb_words *words);

/* The same for a program that waits for a debugger, by the runner's `debug`; `port` is where. */
bool obb_debug_words(const obb_variant *variant, obb_files *files, const char *program,
                     const obb_words *arguments, const char *port, obb_arena *arena, obb_diags *diags,
                     obb_words *words);

#endif
