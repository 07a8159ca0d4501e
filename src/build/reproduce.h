/* Reproducibility: is what was made here the same as what is made from the same project elsewhere?
 *
 * The files that the plan knows are copied to a temporary folder and built there from nothing, one command at
 * a time, without the object store; each product is compared with the one here, byte for byte. */
#ifndef OBB_BUILD_REPRODUCE_H
#define OBB_BUILD_REPRODUCE_H

#include "build/workspace.h"

/* One product that came out differently. */
typedef struct obb_unlike {
    const char *path;
    uint64_t offset;     /* of the first byte that differs */
    const char *section; /* of an ELF file, that it lies in; or NULL */
    const char *reason;  /* as far as it can be told; or NULL */
} obb_unlike;

typedef struct obb_reproduction {
    char *
        folder; /* where it was built; outputs are in `out` below it. Kept unless all products are the same */
    size_t compared;
    OBB_VEC(obb_unlike) unlike;
    const char *errors;  /* the messages of that build if it failed; else NULL */
} obb_reproduction;

/* The workspace has a plan that was built and scanned. 0 when all products are the same, else an exit code.
 */
int obb_reproduce(obb_workspace *w, obb_reproduction *result);

#endif
