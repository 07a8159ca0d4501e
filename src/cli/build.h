/* Building, for the commands that build: build itself, run. */
#ifndef OBB_CLI_BUILD_H
#define OBB_CLI_BUILD_H

#include <stdio.h>

#include "cli/session.h"

/* Brings the chosen targets up to date. Lines go to `lines` (standard error when the
 * command's standard output belongs to something else). `say_idle`: say that there is
 * nothing to do. 0, or an exit code. */
int build_targets(session *s, FILE *lines, bool say_idle);

#endif
