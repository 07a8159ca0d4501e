/* Comparing an action with its record (up_to_date.h): command, tools, outputs, inputs, in this order.
 * Contents decide; where a language and its options allow it, the fingerprint of the tokens or of the
 * directives stands in for them. */
#include "run/up_to_date.h"

#include <errno.h>
#include <string.h>

#include "base/path.h"
#include "scan/token_fingerprint.h"
#include "scan/directive_fingerprint.h"

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

/* --- edits that cannot matter ------------------------------------------------------- */

static obb_lexis lexis_of(const obb_action *a)
{
    return obb_lexis_of(&a->options->flags, a->options->language == OBB_CXX);
}

static obb_fingerprint token_fingerprint_key(obb_fingerprint contents, const obb_lexis *lexis)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, lexis->line_comments ? lexis->separators ? "likeness 3 //'" : "likeness 3 //"
                                              : "likeness 3");
    obb_hasher_add(p, &contents, sizeof contents);
    return obb_hasher_end(p);
}

static bool is_c_text(const char *path)
{
    obb_language language = obb_language_of(path);
    return language == OBB_C || language == OBB_CXX || obb_is_header(path);
}

/* The text of a file, when it is one of C and still has these contents. */
static bool text_now(obb_files *files, obb_file file, obb_fingerprint contents, obb_text *text)
{
    return is_c_text(obb_files_path(files, file)) && !obb_files_read(files, file, text) && text->length &&
           obb_fingerprint_same(obb_fingerprint_of(text->bytes, text->length), contents);
}

/* The token fingerprint of the current contents; false when there is none. */
static bool token_fingerprint_now(obb_files *files, obb_file file, obb_fingerprint contents,
                                  const obb_lexis *lexis, obb_fingerprint *token_fingerprint)
{
    obb_text text = {0};
    bool ok = text_now(files, file, contents, &text) &&
              obb_token_fingerprint(text.bytes, text.length, lexis, token_fingerprint);
    obb_text_free(&text);
    return ok;
}

/* Directives are recognized the same way in all texts of a language except for raw strings. */
static obb_text_kind text_kind(const obb_dependencies *d)
{
    return d->setup && d->setup->dialect->raw_strings ? OBB_TEXT_C_RAW : OBB_TEXT_C;
}

static obb_fingerprint directive_fingerprint_key(obb_fingerprint contents, obb_text_kind kind)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, kind == OBB_TEXT_C ? "skeleton 1" : "skeleton 1 raw");
    obb_hasher_add(p, &contents, sizeof contents);
    return obb_hasher_end(p);
}

static void note_token_fingerprint(obb_memo memo, obb_fingerprint contents, const obb_text *text,
                          const obb_lexis *lexis)
{
    obb_fingerprint token_fingerprint;
    if (obb_token_fingerprint(text->bytes, text->length, lexis, &token_fingerprint))
        memo.put(memo.self, token_fingerprint_key(contents, lexis), &token_fingerprint,
                 sizeof token_fingerprint);
}

static void note_directive_fingerprint(obb_memo memo, obb_fingerprint contents, const obb_text *text,
                                       obb_text_kind kind)
{
    obb_fingerprint directive_fingerprint = obb_directive_fingerprint(text->bytes, text->length, kind);
    memo.put(memo.self, directive_fingerprint_key(contents, kind), &directive_fingerprint,
             sizeof directive_fingerprint);
}

static bool remembered(obb_memo memo, obb_fingerprint key)
{
    obb_text known = {0};
    bool is = memo.get(memo.self, key, &known);
    obb_text_free(&known);
    return is;
}

unsigned obb_text_reading(const obb_dependency_table *table, const obb_action *a)
{
    const obb_lexis lexis = lexis_of(a);
    const unsigned told = a->options->tokens_decide && lexis.told,
                   raw = text_kind(obb_dependencies_of(table, a)) == OBB_TEXT_C_RAW;
    if (a->options->language != OBB_C && a->options->language != OBB_CXX)
        return 0;
    return 1 + (told | raw << 1 | (told & lexis.line_comments) << 2 | (told & lexis.separators) << 3);
}

void obb_note_text(obb_state *state, const obb_dependency_table *table, obb_file input, const obb_action *a)
{
    obb_files *files = table->plan->files;
    const obb_text_kind kind = text_kind(obb_dependencies_of(table, a));
    obb_memo memo = obb_state_memo(state);
    obb_fingerprint contents;
    obb_text text = {0};
    if (!obb_text_reading(table, a) || obb_path_outside(obb_files_path(files, input)) ||
        obb_files_fingerprint(files, input, &contents))
        return;
    const obb_lexis lexis = lexis_of(a);
    bool token_fingerprint = a->options->tokens_decide && lexis.told &&
                             !remembered(memo, token_fingerprint_key(contents, &lexis));
    bool directive_fingerprint = !remembered(memo, directive_fingerprint_key(contents, kind));
    if ((token_fingerprint || directive_fingerprint) && text_now(files, input, contents, &text)) {
        if (token_fingerprint)
            note_token_fingerprint(memo, contents, &text, &lexis);
        if (directive_fingerprint)
            note_directive_fingerprint(memo, contents, &text, kind);
    }
    obb_text_free(&text);
}

/* Whether an input's directives are those that it had. */
static bool same_directives(const obb_recaller *r, obb_text_kind kind, obb_file file, obb_fingerprint then)
{
    obb_memo memo = obb_state_memo(r->state);
    obb_text known = {0}, text = {0};
    obb_fingerprint now, directive_fingerprint;
    bool same = obb_files_fingerprint(r->files, file, &now) == 0 &&
                memo.get(memo.self, directive_fingerprint_key(then, kind), &known) &&
                known.length == sizeof directive_fingerprint && text_now(r->files, file, now, &text);
    if (same) {
        directive_fingerprint = obb_directive_fingerprint(text.bytes, text.length, kind);
        same = memcmp(known.bytes, &directive_fingerprint, sizeof directive_fingerprint) == 0;
    }
    obb_text_free(&known);
    obb_text_free(&text);
    return same;
}

/* Whether an input only changed in comments or behind the ends of its lines. */
static bool alike(obb_state *state, obb_files *files, obb_file file, const obb_lexis *lexis,
                  obb_fingerprint then, obb_fingerprint now)
{
    obb_memo memo = obb_state_memo(state);
    obb_text known = {0};
    obb_fingerprint token_fingerprint;
    bool same = memo.get(memo.self, token_fingerprint_key(then, lexis), &known) &&
                known.length == sizeof token_fingerprint &&
                token_fingerprint_now(files, file, now, lexis, &token_fingerprint) &&
                memcmp(known.bytes, &token_fingerprint, sizeof token_fingerprint) == 0;
    obb_text_free(&known);
    return same;
}

/* In place of a fingerprint of contents. */
static const obb_fingerprint there = {0x7468657265, 0x6973};

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
    *fingerprint = there;
    return obb_files_is_file(table->plan->files, d->inputs.at[input]) ? 0 : ENOENT;
}

static obb_cause judge_inputs(obb_state *state, const obb_dependency_table *table, const obb_action *a,
                              const obb_record *record)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    /* What assembly includes, or #embed, is read as bytes. Texts with trigraphs have no fingerprint. */
    bool tolerant = a->options && a->options->tokens_decide && !d->assembled &&
                    (!d->text_matters || d->trigraphs_alone);
    const obb_lexis lexis = tolerant ? lexis_of(a) : (obb_lexis){.told = false};
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
            !(tolerant && alike(state, table->plan->files, file, &lexis, before->fingerprint, fingerprint)))
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

bool obb_recall_from_records(void *self, const obb_action *a, const obb_dependencies *d,
                             obb_recalled_scan *recalled)
{
    const obb_recaller *r = self;
    const obb_record *record = obb_state_record(r->state, a->output);
    if (obb_state_folders_moved(r->state) || !record || !record->inputs.count ||
        !obb_fingerprint_same(record->command, a->command) || !obb_fingerprint_same(record->scan, d->scan))
        return false;
    for (size_t i = 0; i < record->inputs.count; i++) {
        obb_fingerprint fingerprint;
        const obb_seen *seen = &record->inputs.at[i];
        if (obb_fingerprint_same(seen->fingerprint, there) && obb_files_is_file(r->files, seen->file))
            continue;
        if (obb_files_fingerprint(r->files, seen->file, &fingerprint))
            return false;
        if (!obb_fingerprint_same(fingerprint, seen->fingerprint) &&
            (record->text_matters || !same_directives(r, text_kind(d), seen->file, seen->fingerprint)))
            return false;
    }
    for (size_t i = 0; i < record->absent.count; i++)
        if (obb_files_is_file(r->files, record->absent.at[i]))
            return false;
    for (size_t i = 0; i < record->inputs.count; i++)
        obb_vec_push(&recalled->files, record->inputs.at[i].file);
    for (size_t i = 0; i < record->absent.count; i++)
        obb_vec_push(&recalled->absent, record->absent.at[i]);
    recalled->assembled = record->assembled;
    recalled->text_matters = record->text_matters;
    recalled->untold = record->untold;
    return true;
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
    obb_recaller recaller = {f->state, f->table->plan->files};
    const obb_action *need = remade_need(f, a);
    while (!need && obb_unscanned(f->table, a)) { /* what it waited for is there */
        obb_scan_action(f->table, a, (obb_scan_memory){obb_recall_from_records, &recaller}, f->diags);
        for (size_t i = 0; i < d->needs.count; i++)
            obb_want_action(f->table, d->needs.at[i], f->wanted);
        need = remade_need(f, a);
    }
    if (f->diags->list.count) { /* it is reported when the action is carried out */
        d->broken = d->scanned = false;
        f->diags->list.count = 0;
    }
    obb_cause *cause = &f->causes[number];
    obb_cost cost = {0, 0};
    if (need)
        *cause = obb_state_last_cost(f->state, a->output, &cost)
                     ? because(OBB_CAUSE_INPUT_REMADE, need->output)
                     : because(OBB_CAUSE_NEVER_MADE, a->output);
    else if (!d->broken)
        *cause = a->step ? obb_judge_step(f->state, f->table, a) : obb_judge(f->state, f->table, a);
    if (!need && cause->kind != OBB_CAUSE_NONE)
        obb_state_last_cost(f->state, a->output, &cost);
    cause->cost = cost;
}

obb_cause *obb_forecast(obb_arena *arena, obb_state *state, obb_dependency_table *table, bool *wanted)
{
    const obb_plan *plan = table->plan;
    forecaster f = {.state = state, .table = table, .wanted = wanted, .diags = obb_diags_new(),
                    .causes = obb_arena_alloc(arena, plan->actions.count * sizeof *f.causes),
                    .done = obb_arena_alloc(arena, plan->actions.count)};
    for (uint32_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            forecast_action(&f, i);
    obb_diags_free(f.diags);
    return f.causes;
}
