/* Building, for the commands that build: build itself, run. */
#ifndef OBB_CLI_BUILD_H
#define OBB_CLI_BUILD_H

#include <stdio.h>

#include "cli/session.h"

/* Brings the chosen targets up to date. Lines go to `lines` (standard error when the
 * command's standard output belongs to something else). `say_idle`: say that there is
 * nothing to do. 0, or an exit code. */
int build_targets(session *s, FILE *lines, bool say_idle);

/* The same for a command that goes on with project and plan, and to which standard output
 * belongs. Under -n there is a forecast, and no plan is promised. */
int build_and_plan(session *s);

/* The same when it is known that these files (kept numbers) changed, and nothing else did. */
int build_changed(session *s, obb_ready *ready, const obb_file_list *changed, FILE *lines);

/* What the last complete build of the same kept, opened; NULL when there is nothing. */
obb_ready *build_kept(const session *s);

enum { EXIT_INTERRUPTED = 130 };

#endif
