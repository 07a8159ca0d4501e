/* The last builds that made something: what they did, when, and in which slot (report/report.h,
 * obb_report_build), and what the programs that they linked take of memory. And the last test runs: how each
 * test ended. A file each in OUT/.obbligato/builds and in OUT/.obbligato/tests, bounded in number and size.
 */
#ifndef OBB_BUILD_HISTORY_H
#define OBB_BUILD_HISTORY_H

#include <jansson.h>

#include "build/workspace.h"
#include "run/run.h"
#include "run/test_runs.h"

/* Removes builds that are too many once one more is added. It is done while commands run: some file systems
 * take milliseconds for it. */
void obb_history_make_room(obb_workspace *w);

/* Adds a build, or a run of tests. What cannot be written is left out: nothing hangs on it. */
void obb_history_add(obb_workspace *w, const obb_run_result *result);
void obb_history_add_tests(obb_workspace *w, const obb_test_run *runs, size_t count);

/* All of them, the oldest first; released by the caller. */
json_t *obb_history(obb_workspace *w);
json_t *obb_history_of_tests(obb_workspace *w);

void obb_history_forget(obb_workspace *w);

#endif
