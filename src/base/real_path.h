/* Paths without symbolic links. */
#ifndef OBB_BASE_REAL_PATH_H
#define OBB_BASE_REAL_PATH_H

#include "base/arena.h"

/* Where a path (absolute) leads, as the system follows it; `met` (or NULL) is told of each symbolic link on
 * the way. What is not there is no link. NULL: there are too many. */
typedef void obb_link_met(void *self, const char *link, const char *target);

const char *obb_real_path(obb_arena *arena, const char *path, obb_link_met *met, void *self);

#endif
