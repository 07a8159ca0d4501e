/* Cases inside a test program: what one says by itself (TAP), and what one lists.
 *
 * TAP: the Test Anything Protocol, version 14 (testanything.org), of which version 13 is a part. */
#ifndef OBB_RUN_CASES_H
#define OBB_RUN_CASES_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/vec.h"

typedef enum obb_outcome { OBB_PASSED, OBB_FAILED, OBB_SKIPPED, OBB_NOT_RUN } obb_outcome;

/* A case that a test tells of by itself. */
typedef struct obb_test_case {
    const char *name;
    obb_outcome outcome;
    const char *reason; /* why it is skipped, or passed in spite of what it found; or NULL */
} obb_test_case;

typedef OBB_VEC(obb_test_case) obb_test_cases;

/* Reads what a test printed; `cases` are then its cases; those inside a subtest count as the one that stands
 * behind them. NULL, or why the test has failed; *skipped: it says that all of it is left out, and this is
 * why. */
const char *obb_cases_read_tap(const char *printed, obb_arena *arena, obb_test_cases *cases, bool *skipped);

/* The names of the cases in a list, a line each. Where lines begin with blanks, only these are cases, and
 * their names begin with the line above that does not. What stands behind two blanks and `#` is a remark. */
void obb_cases_read_list(const char *printed, obb_arena *arena, obb_words *names);

#endif
