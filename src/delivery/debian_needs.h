/* Which Debian packages the libraries are in that programs need, and from which version on (Debian
 * Policy 8.6): from the `symbols` and `shlibs` files that installed packages bring, deb-symbols(5),
 * deb-shlibs(5). */
#ifndef OBB_DELIVERY_DEBIAN_NEEDS_H
#define OBB_DELIVERY_DEBIAN_NEEDS_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/vec.h"

typedef struct obb_debian_needs {
    obb_arena *arena;
    const char *architecture; /* amd64 ... */
    bool native;              /* this machine's */
    obb_words names;          /* packages, sorted; each with its version, in the order of names */
    obb_words versions;       /* "": any */
    obb_words unknown;        /* libraries that no installed package has */
} obb_debian_needs;

/* Adds what a program or library needs (`libraries`: by their sonames, those of the delivery left out), with
 * the symbols that it takes from others (`symbols`: NAME@VERSION, or NAME@Base). */
void obb_debian_add_needs(obb_debian_needs *needs, const obb_words *libraries, const obb_words *symbols);

/* "libc6 (>= 2.34), libuv1 (>= 1.0)". */
const char *obb_debian_depends(const obb_debian_needs *needs);

/* Which of two versions is later (Debian Policy 5.6.12): like strcmp. */
int obb_debian_compare(const char *a, const char *b);

#endif
