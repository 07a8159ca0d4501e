/* Folders of files that may go when there is no room: those first that were not used for longest. */
#ifndef OBB_BASE_BOUNDED_H
#define OBB_BASE_BOUNDED_H

#include <stdint.h>

#include "base/vec.h"

typedef struct obb_bounded_file {
    const char *path;
    uint64_t size;
    int64_t used; /* when it was used last: nanoseconds since 1970 */
} obb_bounded_file;

typedef OBB_VEC(obb_bounded_file) obb_bounded_files;

uint64_t obb_bounded_size(const obb_bounded_files *files);

/* If they are larger than the limit, removes some until nine tenths of it hold them. Sorts the list. */
void obb_bounded_sweep(obb_bounded_files *files, uint64_t limit);

#endif
