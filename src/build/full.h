/* The full way of a build: everything is read, planned and looked at, whatever a snapshot has. */
#ifndef OBB_BUILD_FULL_H
#define OBB_BUILD_FULL_H

#include "build/builder.h"

/* 0, or an exit code with the messages told. A complete build leaves a snapshot. */
int obb_build_full(obb_builder *b);

#endif
