/* The run path of a program or shared library in ELF (gABI, Dynamic Section: DT_RUNPATH, and DT_RPATH before
 * it), changed in the bytes of the file: it can become shorter, or go. */
#ifndef OBB_DELIVERY_RUN_PATH_H
#define OBB_DELIVERY_RUN_PATH_H

#include "base/arena.h"
#include "base/text.h"

/* The run path in these bytes, in the arena; NULL: there is none, or they are no ELF file. */
const char *obb_run_path_read(const obb_text *file, obb_arena *arena);

/* Puts another one in its place; "" takes it away. NULL, or why that cannot be done: then nothing has
 * changed.
 */
const char *obb_run_path_write(obb_text *file, const char *run_path);

#endif
