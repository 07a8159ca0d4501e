/* Which package of the system has a file: asked of what this machine knows of its packages. */
#ifndef OBB_TOOLCHAIN_PACKAGES_H
#define OBB_TOOLCHAIN_PACKAGES_H

#include "base/arena.h"
#include "base/files.h"

/* The packages whose files end with `end` ("/zlib.h") and have `within` ("/usr/include/") in their path, as
 * people list them ("a or b"): of all packages by apt-file(1) where it is installed, else of the installed ones by
 * dpkg-query(1). NULL when neither can be asked, none is known, or so many are that it is no help. */
const char *obb_packages_with(obb_files *files, obb_arena *arena, const char *end, const char *within);

#endif
