/* What answering checks works with: lent by the planner, and shared by both files that answer them. */
#ifndef OBB_PLAN_CHECK_CONTEXT_H
#define OBB_PLAN_CHECK_CONTEXT_H

#include "project/resolve/settings.h"
#include "scan/scan.h"
#include "toolchain/toolchain.h"

typedef struct obb_check_context {
    obb_arena *arena; /* texts of answers live there */
    obb_files *files;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    obb_diags *diags;
    size_t compiles;  /* counts how many were made */
} obb_check_context;

#endif
