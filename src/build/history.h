/* The last builds that made something: what they did, when, and in which slot (report/report.h,
 * obb_report_build). A file each in OUT/.obbligato/builds, bounded in number and size. */
#ifndef OBB_BUILD_HISTORY_H
#define OBB_BUILD_HISTORY_H

#include <jansson.h>

#include "build/workspace.h"
#include "run/run.h"

#define OBB_HISTORY_FOLDER ".obbligato/builds"

/* Adds a build. What cannot be written is left out: nothing hangs on it. */
void obb_history_add(obb_workspace *w, const obb_run_result *result);

/* All of them, the oldest first; released by the caller. */
json_t *obb_history(obb_workspace *w);

#endif
