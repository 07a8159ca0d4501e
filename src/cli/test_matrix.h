/* Results of tests by variant. */
#ifndef OBB_CLI_TEST_MATRIX_H
#define OBB_CLI_TEST_MATRIX_H

#include <jansson.h>

#include "build/tests.h"

/* A table of the tests and the variants they ran in, with sums, when there are several variants; else
 * nothing. */
void test_matrix_print(const obb_test_list *list, obb_arena *arena);

/* For each variant how many passed, failed and were skipped. */
json_t *test_matrix_totals(const obb_test_list *list, obb_arena *arena);

#endif
