/* Comparing an action with its record (up_to_date.h): command, tools, outputs, inputs, in this order.
 * Contents decide; where a language and its options allow it, the fingerprint of the tokens or of the
 * directives stands in for them. */
#include "run/up_to_date.h"

#include <errno.h>
#include <string.h>

#include "run/recall.h"

static bool among(const obb_file_list *files, obb_file file)
{
    for (size_t i = 0; i < files->count; i++)
        if (files->at[i] == file)
            return true;
    return false;
}

static const obb_seen *seen_before(const obb_record *record, obb_file file)
{
    for (size_t i = 0; i < record->inputs.count; i++)
        if (record->inputs.at[i].file == file)
            return &record->inputs.at[i];
    return NULL;
}

static obb_cause because(obb_cause_kind kind, obb_file file)
{
    return (obb_cause){.kind = kind, .file = file};
}

/* The difference that users would name first: a file that changed (found already), then one that is new, then
 * one that is not read any more. */
static obb_cause input_difference(const obb_file_list *inputs, const obb_record *record, obb_file changed)
{
    if (changed != OBB_NO_FILE)
        return because(OBB_CAUSE_INPUT_CHANGED, changed);
    for (size_t i = 0; i < inputs->count; i++)
        if (!seen_before(record, inputs->at[i]))
            return because(OBB_CAUSE_INPUT_NEW, inputs->at[i]);
    for (size_t i = 0; i < record->inputs.count; i++)
        if (!among(inputs, record->inputs.at[i].file))
            return because(OBB_CAUSE_INPUT_NO_MORE, record->inputs.at[i].file);
    return because(OBB_CAUSE_NONE, OBB_NO_FILE);
}

static bool only_presence_counts(const obb_action *a, const obb_dependencies *d, size_t input)
{
    return a->options && input < d->found_inputs && input >= d->found_inputs - d->untold;
}

int obb_input_fingerprint(const obb_dependency_table *table, const obb_action *a, size_t input,
                          obb_fingerprint *fingerprint)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    if (!only_presence_counts(a, d, input))
        return obb_files_fingerprint(table->plan->files, d->inputs.at[input], fingerprint);
    *fingerprint = OBB_SEEN_THERE;
    return obb_files_is_file(table->plan->files, d->inputs.at[input]) ? 0 : ENOENT;
}

static obb_cause judge_inputs(obb_state *state, const obb_dependency_table *table, const obb_action *a,
                              const obb_record *record)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    /* What assembly includes, or #embed, is read as bytes. Texts with trigraphs have no fingerprint. */
    bool tolerant = a->options && a->options->tokens_decide && !d->assembled &&
                    (!d->text_matters || d->trigraphs_alone);
    const obb_lexis lexis = tolerant ? obb_lexis_of_action(a) : (obb_lexis){.told = false};
    tolerant = tolerant && lexis.told;
    bool same = record->inputs.count == d->inputs.count;
    obb_file changed = OBB_NO_FILE; /* the first one that makes it necessary */
    for (size_t i = 0; i < d->inputs.count; i++) {
        obb_fingerprint fingerprint;
        obb_file file = d->inputs.at[i];
        if (obb_input_fingerprint(table, a, i, &fingerprint))
            return because(OBB_CAUSE_INPUT_MISSING, file);
        const obb_seen *before = i < record->inputs.count && record->inputs.at[i].file == file
                                     ? &record->inputs.at[i]
                                     : seen_before(record, file);
        same = same && before == &record->inputs.at[i];
        if (before && changed == OBB_NO_FILE && !obb_fingerprint_same(before->fingerprint, fingerprint) &&
            !(tolerant && obb_tokens_are_alike(state, table->plan->files, file, &lexis, before->fingerprint,
                                               fingerprint)))
            changed = file;
    }
    return same && changed == OBB_NO_FILE ? because(OBB_CAUSE_NONE, OBB_NO_FILE)
                                          : input_difference(&d->inputs, record, changed);
}

int obb_outputs_fingerprint(obb_files *files, const obb_action *a, obb_fingerprint *fingerprint,
                            obb_file *missing)
{
    *missing = a->output;
    int failed = obb_files_fingerprint(files, a->output, fingerprint);
    if (failed || !a->also.count)
        return failed;
    obb_hasher *p = obb_hasher_new();
    obb_hasher_add(p, fingerprint, sizeof *fingerprint);
    for (size_t i = 0; i < a->also.count && !failed; i++) {
        obb_fingerprint other;
        *missing = a->also.at[i];
        failed = obb_files_fingerprint(files, a->also.at[i], &other);
        obb_hasher_add(p, &other, sizeof other);
    }
    *fingerprint = obb_hasher_end(p);
    return failed;
}

obb_cause obb_judge(obb_state *state, const obb_dependency_table *table, const obb_action *a)
{
    obb_files *files = table->plan->files;
    const obb_record *record = obb_state_record(state, a->output);
    obb_fingerprint fingerprint;
    obb_file missing;
    if (!record)
        return because(OBB_CAUSE_NEVER_MADE, a->output);
    if (!obb_files_stamp(files, a->output))
        return because(OBB_CAUSE_OUTPUT_GONE, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        if (!obb_files_stamp(files, a->also.at[i]))
            return because(OBB_CAUSE_OUTPUT_GONE, a->also.at[i]);
    if (!obb_fingerprint_same(record->tools, a->tools))
        return because(OBB_CAUSE_TOOL, a->output);
    if (!obb_fingerprint_same(record->command, a->command))
        return because(OBB_CAUSE_COMMAND, a->output);
    obb_cause cause = judge_inputs(state, table, a, record);
    if (cause.kind != OBB_CAUSE_NONE)
        return cause;
    if (obb_outputs_fingerprint(files, a, &fingerprint, &missing) ||
        !obb_fingerprint_same(fingerprint, record->output))
        return because(OBB_CAUSE_OUTPUT_CHANGED, a->output);
    return because(OBB_CAUSE_NONE, OBB_NO_FILE);
}

obb_cause obb_judge_step(obb_state *state, const obb_dependency_table *table, const obb_action *step)
{
    obb_plan_forget(table->plan, step);
    obb_cause cause = obb_judge(state, table, step);
    if (cause.kind != OBB_CAUSE_NONE)
        obb_plan_mark_pending(table->plan, step);
    return cause;
}

/* --- forecast ----------------------------------------------------------------------- */

typedef struct forecaster {
    obb_state *state;
    obb_dependency_table *table;
    bool *wanted, *done;
    obb_cause *causes;
    obb_diags *diags;
    obb_recaller recaller;
} forecaster;

static void forecast_action(forecaster *f, uint32_t number);

/* The first of its needs that will be carried out, or cannot be; NULL: none. */
static const obb_action *remade_need(forecaster *f, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(f->table, a);
    for (size_t i = 0; i < d->needs.count; i++) {
        uint32_t need = d->needs.at[i];
        if (f->wanted[need])
            forecast_action(f, need);
        if (f->causes[need].kind != OBB_CAUSE_NONE || f->table->of[need].broken)
            return f->table->plan->actions.at[need];
    }
    return NULL;
}

static void forecast_action(forecaster *f, uint32_t number)
{
    if (f->done[number])
        return;
    f->done[number] = true;
    const obb_action *a = f->table->plan->actions.at[number];
    obb_dependencies *d = obb_dependencies_of(f->table, a);
    const obb_action *need = remade_need(f, a);
    while (!need && obb_unscanned(f->table, a)) { /* what it waited for is there */
        obb_scan_action(f->table, a, obb_scan_records(&f->recaller, true), f->diags);
        for (size_t i = 0; i < d->needs.count; i++)
            obb_want_action(f->table, d->needs.at[i], f->wanted);
        need = remade_need(f, a);
    }
    if (f->diags->list.count) { /* it is reported when the action is carried out */
        d->broken = d->scanned = false;
        f->diags->list.count = 0;
    }
    obb_cause *cause = &f->causes[number];
    obb_last_run last = {0};
    if (need)
        *cause = obb_state_last_run(f->state, a->output, &last)
                     ? because(OBB_CAUSE_INPUT_REMADE, need->output)
                     : because(OBB_CAUSE_NEVER_MADE, a->output);
    else if (!d->broken)
        *cause = a->step ? obb_judge_step(f->state, f->table, a) : obb_judge(f->state, f->table, a);
    if (!need && cause->kind != OBB_CAUSE_NONE)
        obb_state_last_run(f->state, a->output, &last);
    cause->cost = last.cost;
}

obb_cause *obb_forecast(obb_arena *arena, obb_state *state, obb_dependency_table *table, bool *wanted)
{
    const obb_plan *plan = table->plan;
    forecaster f = {.state = state,
                    .table = table,
                    .wanted = wanted,
                    .diags = obb_diags_new(),
                    .causes = obb_arena_alloc(arena, plan->actions.count * sizeof *f.causes),
                    .done = obb_arena_alloc(arena, plan->actions.count),
                    .recaller = {.state = state, .files = plan->files}};
    for (uint32_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            forecast_action(&f, i);
    obb_diags_free(f.diags);
    return f.causes;
}
