/* What one compile would read less of without one of its headers. */
#ifndef OBB_PLAN_SAVINGS_H
#define OBB_PLAN_SAVINGS_H

#include "scan/scan.h"

/* A file that a compile reads. The first one is the source. */
typedef struct obb_read_file {
    obb_file file;
    uint64_t lines; /* of it */
    uint64_t saved; /* out: lines that would not be read if nothing included it: its own, each time that it is
                       read, and those of files that are reached through it alone */
} obb_read_file;

/* Sets `saved` of all. `files` are those of the scan in its order, with their lines set; the scan was made
 * with its includes.
 *
 * A file that is reached through another one alone is dominated by it, in the graph of includes. (Keith D.
 * Cooper, Timothy J. Harvey, Ken Kennedy: A Simple, Fast Dominance Algorithm, 2001.) */
void obb_find_savings(const obb_scan_result *scan, obb_read_file *files, size_t count);

#endif
