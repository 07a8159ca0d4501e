/* Which lines ran: read from the compiler's own coverage tool (gcov, or llvm-cov gcov), whose text
 * form "COUNT:LINE:TEXT" the GCC manual describes (section "Invoking gcov"). */
#ifndef OBB_REPORT_COVERAGE_H
#define OBB_REPORT_COVERAGE_H

#include "plan/plan.h"

typedef struct obb_covered_file {
    const char *path;
    const obb_variant *variant;
    OBB_VEC(int64_t) lines;  /* by line, from 0 for line 1: how often it ran; -1: it is no code */
    size_t code, ran;        /* lines that are code; those that ran */
} obb_covered_file;

typedef OBB_VEC(obb_covered_file *) obb_coverage;

/* Removes what earlier runs counted. */
void obb_coverage_reset(const obb_plan *plan);

/* What the runs since then counted, for files of the project in the order of their paths. False,
 * with an error, when the tool is missing. */
bool obb_coverage_collect(const obb_plan *plan, obb_arena *arena, obb_diags *diags, obb_coverage *files);

#endif
