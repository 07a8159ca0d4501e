/* Building, for the commands that build, with what is shown of it. */
#ifndef OBB_CLI_BUILD_H
#define OBB_CLI_BUILD_H

#include <stdio.h>

#include "cli/build_view.h"

/* Brings what was asked for up to date. Lines go to `lines` (standard error when standard output is taken by
 * something else). `say_idle`: say that there is nothing to do. 0, or an exit code. */
int build_targets(session *s, FILE *lines, bool say_idle);

/* The same for a command that goes on with the plan, and to which standard output belongs. Under -n there is
 * a forecast, and no plan is promised. */
int build_and_plan(session *s);

/* Begin and end of showing a build that a command asks of the library itself. */
void build_show(session *s, build_view *view, FILE *lines, bool say_idle);
int build_end(session *s, const obb_build_outcome *outcome, int code);

#endif
