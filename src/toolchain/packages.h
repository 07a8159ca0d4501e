/* Which package of the system has a file, according to the package database of this machine. */
#ifndef OBB_TOOLCHAIN_PACKAGES_H
#define OBB_TOOLCHAIN_PACKAGES_H

#include "toolchain/toolchain.h"

/* The packages that have a file whose path ends with `name` ("zlib.h") and has `within` ("/usr/include/") in
 * it, as people list them ("a or b"): of all packages by apt-file(1) where it is installed, else of the
 * installed ones by dpkg-query(1). NULL for the toolchains of other machines, when neither program can be run
 * or answers soon, when no package or too many are known, and after the first few questions: a hint is not
 * worth a wait. */
const char *obb_packages_with(obb_toolchain *toolchain, const char *name, const char *within);

#endif
