/* What a compiler opens besides the inputs of a compile: the files that another machine must lay out to run
 * it. Found by watching one compile of each language (base/trace.h). */
#ifndef OBB_TRANSFER_PACKING_H
#define OBB_TRANSFER_PACKING_H

#include "farm/job.h"

/* Runs the command, whose output goes nowhere, and lists its files; `is_input` tells paths (absolute) that
 * are inputs. NULL, or why it cannot be told. */
const char *list_toolchain(obb_arena *arena, const char *const *argv,
                           bool (*is_input)(void *self, const char *path), void *self,
                           obb_file_listing *list);

/* The same by what was watched already: the report of it (base/trace.h). */
const char *list_report(obb_arena *arena, const char *report,
                        bool (*is_input)(void *self, const char *path), void *self, obb_file_listing *list);

#endif
