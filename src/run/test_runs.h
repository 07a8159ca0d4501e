/* Test runs: running tests side by side, and judging the results. */
#ifndef OBB_RUN_TEST_RUNS_H
#define OBB_RUN_TEST_RUNS_H

#include "base/files.h"
#include "base/text.h"
#include "project/resolve/variant.h"
#include "run/cases.h"

/* One run of one test, or of one of its cases, in one variant. */
typedef struct obb_test_run {
    const obb_target *target;
    const obb_variant *variant;
    const char *case_name;    /* which of its cases; NULL: it is run as a whole */
    unsigned number;          /* from 1, when it is repeated; else 0 */
    obb_words argv; /* ends with a NULL that is not counted; empty: it cannot be run, and `reason` says why */
    bool not_built;           /* then it is a failure, otherwise a skip */
    const char *folder;       /* where it runs; NULL: the working folder */
    obb_words environment;    /* NAME=VALUE, besides that of this process */
    uint64_t limit;           /* milliseconds */
    int expected_status;
    const char *expected_output; /* the file with exactly that; or NULL */
    obb_words patterns;       /* regular expressions (POSIX, extended), each of which must be found */
    bool tap;                 /* it tells of its cases in TAP (cases.h) */

    obb_outcome outcome;
    const char *reason;       /* of a failure, or of a skip; NULL: none */
    unsigned attempts;        /* how often it was run */
    int status, signal;
    uint64_t milliseconds;    /* of the last attempt */
    const char *output,
        *errors;              /* what it printed, the last time, `\x00` for a zero byte; "" before it ran */
    const char *difference;   /* between expected and printed, line by line; or NULL */
    obb_test_cases cases;     /* that it told of */
} obb_test_run;

typedef struct obb_test_runs_options {
    unsigned jobs;
    unsigned retries;         /* how often a test run that failed is repeated */
    bool first_failure;       /* no test run begins after one that failed */
    void (*finished)(void *self, const obb_test_run *trial, size_t done, size_t total);
    void (*ticked)(void *self, size_t done, size_t total, unsigned running, uint64_t milliseconds);
    void *self;
} obb_test_runs_options;

/* Carries out all test runs; those that cannot be run are skipped. Gives the milliseconds; sets *interrupted
 * when a signal ended it. */
uint64_t obb_run_tests(obb_test_run *trials, size_t count, const obb_test_runs_options *options,
                       obb_arena *arena, bool *interrupted);

/* What differs between two texts, line by line: "- " lines of `expected`, "+ " lines of `printed`,
 * with two lines around each. Of very long texts, only the first place. (Longest common
 * subsequence by dynamic programming.) */
char *obb_lines_difference(const char *expected, const char *printed, obb_arena *arena);

#endif
