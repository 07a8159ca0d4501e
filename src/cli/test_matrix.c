/* Results of tests by variant (cli/test_matrix.h): a row for each test, a column for each variant, both in
 * the order in which they first occur. The runs of a test, and its cases, share a cell. */
#include "cli/test_matrix.h"

#include <stdio.h>
#include <string.h>

#include "cli/terminal.h"

/* What came out of some test runs. */
typedef struct sums {
    size_t passed, failed, skipped;
} sums;

typedef struct matrix {
    OBB_VEC(const obb_variant *) variants;
    OBB_VEC(const char *) tests;
    OBB_VEC(sums) cells; /* test by test */
} matrix;

static size_t column_of(matrix *m, const obb_variant *v, obb_arena *arena)
{
    for (size_t i = 0; i < m->variants.count; i++)
        if (m->variants.at[i] == v)
            return i;
    obb_arena_push(arena, &m->variants, v);
    return m->variants.count - 1;
}

static size_t row_of(matrix *m, const char *test, obb_arena *arena)
{
    for (size_t i = 0; i < m->tests.count; i++)
        if (strcmp(m->tests.at[i], test) == 0)
            return i;
    obb_arena_push(arena, &m->tests, test);
    for (size_t i = 0; i < m->variants.count; i++)
        obb_arena_push(arena, &m->cells, (sums){0});
    return m->tests.count - 1;
}

static void add(sums *s, const obb_test_run *t)
{
    s->passed += t->outcome == OBB_PASSED;
    s->failed += t->outcome == OBB_FAILED;
    s->skipped += t->outcome == OBB_SKIPPED;
}

static matrix matrix_of(const obb_test_list *list, obb_arena *arena)
{
    matrix m = {0};
    for (size_t i = 0; i < list->trials.count; i++)
        column_of(&m, list->trials.at[i].variant, arena);
    for (size_t i = 0; i < list->trials.count; i++) {
        const obb_test_run *t = &list->trials.at[i];
        size_t row = row_of(&m, t->target->name, arena), column = column_of(&m, t->variant, arena);
        add(&m.cells.at[row * m.variants.count + column], t);
    }
    return m;
}

/* "pass", "fail", "fail 2 of 5", "skip"; "" when it did not run there. */
static const char *cell_text(const sums *s, obb_arena *arena)
{
    size_t ran = s->passed + s->failed;
    if (!ran)
        return s->skipped ? "skip" : "";
    if (s->failed)
        return ran == 1 ? "fail" : obb_arena_format(arena, "fail %zu of %zu", s->failed, ran);
    return ran == 1 ? "pass" : obb_arena_format(arena, "pass %zu", ran);
}

static sums column_sums(const matrix *m, size_t column)
{
    sums all = {0};
    for (size_t row = 0; row < m->tests.count; row++) {
        const sums *s = &m->cells.at[row * m->variants.count + column];
        all.passed += s->passed;
        all.failed += s->failed;
        all.skipped += s->skipped;
    }
    return all;
}

void test_matrix_print(const obb_test_list *list, obb_arena *arena)
{
    const matrix m = matrix_of(list, arena);
    table t = {.name = "tests", .columns = m.variants.count + 1};
    if (m.variants.count < 2)
        return;
    table_cell(&t, "test");
    for (size_t c = 0; c < m.variants.count; c++)
        table_cell(&t, m.variants.at[c]->name);
    for (size_t row = 0; row < m.tests.count; row++) {
        table_cell(&t, m.tests.at[row]);
        for (size_t c = 0; c < m.variants.count; c++)
            table_cell(&t, cell_text(&m.cells.at[row * m.variants.count + c], arena));
    }
    table_cell(&t, "all");
    for (size_t c = 0; c < m.variants.count; c++) {
        const sums s = column_sums(&m, c);
        table_cell(&t, obb_arena_format(arena, "%zu of %zu pass", s.passed, s.passed + s.failed));
    }
    table_print(&t, false);
}

json_t *test_matrix_totals(const obb_test_list *list, obb_arena *arena)
{
    const matrix m = matrix_of(list, arena);
    json_t *totals = json_array();
    for (size_t c = 0; c < m.variants.count; c++) {
        const sums s = column_sums(&m, c);
        json_array_append_new(totals, json_pack("{s:s, s:I, s:I, s:I}", "variant", m.variants.at[c]->name,
                                                "passed", (json_int_t)s.passed, "failed",
                                                (json_int_t)s.failed, "skipped", (json_int_t)s.skipped));
    }
    return totals;
}
