/* The tests of a project as test runs: which are meant, what each runs, and which need not run again.
 *
 * For each test and variant it is remembered whether it passed, with a fingerprint of all that decides
 * that.
 */
#ifndef OBB_BUILD_TESTS_H
#define OBB_BUILD_TESTS_H

#include "build/workspace.h"
#include "run/test_runs.h"

/* Which test runs are made of the tests in the plan. */
typedef struct obb_test_choice {
    bool failed;          /* only those that failed the last time */
    bool affected;        /* only those of which something changed since they passed */
    unsigned repeat;      /* how often each is run; 0: once */
    unsigned jobs;        /* how many programs are asked for their cases at a time */
    const bool *unmade;   /* by action, whether it could not be made: its tests fail. NULL: all were */
} obb_test_choice;

/* A test whose cases are run one by one. */
typedef struct obb_test_suite {
    obb_test_run listing; /* as it is asked for its cases */
    obb_fingerprint fingerprint;
    obb_words cases;
} obb_test_suite;

typedef struct obb_test_list {
    OBB_VEC(obb_test_run) trials;
    OBB_VEC(obb_fingerprint) fingerprints;         /* by test run: of all that decides its result */
    OBB_VEC(obb_test_suite) suites;
    size_t unaffected, passed_before;  /* left out by the choice */
} obb_test_list;

/* Reads the project and finds the tests that the names of the request mean (patterns, or nothing for all that
 * are not optional). Their names, in the arena; tests that are in none of the chosen variants are counted
 * instead, unless they were asked for by their exact names. Leaves the workspace as _enter did. */
int obb_choose_tests(obb_workspace *w, obb_words *names, size_t *left_out);

/* The test runs of the targets of the plan, in their order. 0, or the exit code for an error in the words of
 * a test. */
int obb_make_test_runs(obb_workspace *w, const obb_test_choice *choice, obb_test_list *list);

/* Remembers the results. */
int obb_remember_test_runs(obb_workspace *w, const obb_test_list *list);

#endif
