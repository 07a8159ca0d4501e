/* Making room (base/bounded.h). */
#include "base/bounded.h"

#include <stdlib.h>
#include <unistd.h>

enum { KEEP_PERCENT = 90 };

uint64_t obb_bounded_size(const obb_bounded_files *files)
{
    uint64_t bytes = 0;
    for (size_t i = 0; i < files->count; i++)
        bytes += files->at[i].size;
    return bytes;
}

static int by_use(const void *a, const void *b)
{
    int64_t x = ((const obb_bounded_file *)a)->used, y = ((const obb_bounded_file *)b)->used;
    return x < y ? -1 : x > y;
}

void obb_bounded_sweep(obb_bounded_files *files, uint64_t limit)
{
    uint64_t bytes = obb_bounded_size(files);
    if (bytes <= limit || !files->count)
        return;
    qsort(files->at, files->count, sizeof *files->at, by_use);
    for (size_t i = 0; bytes > limit / 100 * KEEP_PERCENT && i < files->count; i++) {
        bytes -= files->at[i].size;
        unlink(files->at[i].path);
    }
}
