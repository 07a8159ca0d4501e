/* Comparing what tools reported with what the scan found (differences.h). A difference is remembered under
 * the command of its action, and becomes an input for as long as that command is the same. */
#include "plan/differences.h"

#include <string.h>

#include "base/path.h"
#include "plan/profile.h"

static obb_fingerprint marker_key(void)
{
    return obb_fingerprint_of("differences", 11);
}

bool obb_differences_known(obb_memo memo)
{
    obb_text answer = {0};
    bool known = memo.get(memo.self, marker_key(), &answer);
    obb_text_free(&answer);
    return known;
}

/* A line each: '+' what the scan missed, '-' what it found alone, and the path. */
void obb_differences_recall(obb_memo memo, const obb_plan *plan, const obb_action *a, obb_arena *arena,
                            obb_differences *differences)
{
    obb_text answer = {0};
    if (memo.get(memo.self, obb_action_key(plan, a, "differences of"), &answer))
        for (const char *line = answer.bytes; *line;) {
            size_t n = strcspn(line, "\n");
            obb_difference d = {obb_arena_copy(arena, line + 1, n - 1), line[0] == '+'};
            obb_arena_push(arena, differences, d);
            line += n + (line[n] == '\n');
        }
    obb_text_free(&answer);
}

void obb_differences_remember(obb_memo memo, const obb_plan *plan, const obb_action *a,
                              const obb_differences *differences)
{
    obb_text text = {0}, before = {0};
    bool had = memo.get(memo.self, obb_action_key(plan, a, "differences of"), &before);
    for (size_t i = 0; i < differences->count; i++)
        obb_text_format(&text, "%c%s\n", differences->at[i].missed ? '+' : '-', differences->at[i].path);
    if (differences->count)
        memo.put(memo.self, marker_key(), "1", 1);
    if (differences->count || had)
        memo.put(memo.self, obb_action_key(plan, a, "differences of"), obb_text_bytes(&text), text.length);
    obb_text_free(&text);
    obb_text_free(&before);
}

/* --- comparing ---------------------------------------------------------------------- */

/* Compilers name headers of the system by their shortest path, through symbolic links: two
 * names of one file are no difference. */
static bool same_file(const obb_plan *plan, obb_file file, const obb_stamp *stamp)
{
    const obb_stamp *other = obb_files_stamp(plan->files, file);
    return stamp && other && obb_stamp_same(stamp, other);
}

static void add(obb_arena *arena, obb_differences *list, const char *path, bool missed)
{
    obb_arena_push(arena, list, (obb_difference){path, missed});
}

/* Reports leave out what the compiler's assembler reads, and files that words name or that stand for others.
 */
static bool is_untold(const obb_dependency_table *t, const obb_action *a, size_t input)
{
    const obb_dependencies *d = obb_dependencies_of(t, a);
    obb_file file = d->inputs.at[input];
    bool untold = d->assembled || input >= d->found_inputs - d->untold ||
                  strstr(obb_files_path(t->plan->files, file), ".gch") ||
                  obb_is_profile(obb_files_path(t->plan->files, file));
    for (size_t i = 0; a->options && i < a->options->named.count && !untold; i++)
        untold = a->options->named.at[i] == file;
    return untold;
}

/* Whether a report names what the scan found, in the same order: it mostly does. */
static bool is_the_same(const obb_plan *plan, const obb_dependencies *d, const obb_words *report)
{
    bool same = report->count == d->found_inputs;
    for (size_t i = 0; i < report->count && same; i++)
        same = strcmp(report->at[i], obb_files_path(plan->files, d->inputs.at[i])) == 0;
    return same;
}

void obb_differences_find(const obb_dependency_table *t, const obb_action *a, const obb_words *report,
                          obb_arena *arena, obb_differences *differences)
{
    const obb_plan *plan = t->plan;
    const obb_dependencies *d = obb_dependencies_of(t, a);
    obb_map told = {0}, scanned = {0};
    obb_file_list only_told = {0};
    if (is_the_same(plan, d, report))
        return;
    for (size_t i = 0; i < d->found_inputs; i++)
        obb_map_put(&scanned, obb_files_path(plan->files, d->inputs.at[i]), &scanned);
    for (size_t i = 0; i < report->count; i++) {
        if (obb_map_put(&told, report->at[i], &told) || obb_map_get(&scanned, report->at[i]))
            continue;
        obb_arena_push(arena, &only_told, obb_files_number(plan->files, report->at[i]));
    }
    for (size_t i = 0; i < d->found_inputs; i++) {
        obb_file file = d->inputs.at[i];
        bool known = file == a->source || obb_map_get(&told, obb_files_path(plan->files, file));
        for (size_t k = 0; k < only_told.count && !known; k++)
            if (same_file(plan, only_told.at[k], obb_files_stamp(plan->files, file))) {
                known = true;
                only_told.at[k] = only_told.at[--only_told.count];
            }
        if (!known && !is_untold(t, a, i))
            add(arena, differences, obb_files_path(plan->files, file), false);
    }
    for (size_t k = 0; k < only_told.count; k++)
        if (obb_files_is_file(plan->files, only_told.at[k]))
            add(arena, differences, obb_files_path(plan->files, only_told.at[k]), true);
    obb_map_free(&told);
    obb_map_free(&scanned);
}
