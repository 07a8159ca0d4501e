/* The scan of a plan's compiles: their inputs, the places of absence, and what to say about
 * a header that is nowhere. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "plan/differences.h"
#include "plan/presence.h"
#include "toolchain/packages.h"

static bool part_of_word(char c)
{
    return isalnum((unsigned char)c) || c == '_';
}

/* Whether a text has these bytes as a word, or as several. */
static bool has_word(const char *text, const char *word, size_t n)
{
    for (const char *at = text; n && *at; at++)
        if (strncmp(at, word, n) == 0 && (at == text || !part_of_word(at[-1])) && !part_of_word(at[n]))
            return true;
    return false;
}

/* How much of a flag the words of a refusal name: the whole of it, what is before its `=`, the value behind
 * it, or both apart. 0: nothing. */
static size_t named_in(const char *refusal, const char *flag)
{
    size_t whole = strlen(flag), head = strcspn(flag, "=");
    if (has_word(refusal, flag, whole))
        return whole;
    if (head == whole)
        return 0;
    bool name = has_word(refusal, flag, head), value = has_word(refusal, flag + head + 1, whole - head - 1);
    return (name ? head : 0) + (value ? whole - head : 0);
}

static const obb_origin_setting *refused_setting(const obb_flat_settings *settings, const char *refusal)
{
    const obb_origin_setting *found = NULL;
    size_t most = 0;
    for (size_t i = 0; i < settings->count; i++) {
        size_t n = settings->at[i].id == OBB_SET_FLAGS ? named_in(refusal, settings->at[i].value) : 0;
        if (n > most) {
            found = &settings->at[i];
            most = n;
        }
    }
    return found;
}

static void tell_refusal(obb_plan *plan, const obb_action *a, const obb_dialect *d, obb_diags *diags)
{
    const char *compiler = d->tool->command.at[0];
    obb_source_name name = obb_plan_source_name(plan, obb_plan_variant_of(plan, a->variant), a->source);
    obb_flat_settings settings = obb_resolve(a->variant, a->target, &name, plan->arena);
    const obb_origin_setting *s = refused_setting(&settings, d->refusal);
    obb_diag *e = s ? obb_error(diags, OBB_FAULT_DESCRIPTION, s->place.line ? s->place : a->target->place,
                                "the compiler %s refuses `%s`: %s", compiler, s->value, d->refusal)
                    : obb_error(diags, OBB_FAULT_DESCRIPTION, a->target->place,
                                "the compiler %s refuses the flags of `%s`: %s", compiler, a->target->name,
                                d->refusal);
    obb_hint(diags, e, "`obbligato show settings %s --variant %s` tells where each flag comes from",
             a->target->name, a->variant->name);
    obb_stops(diags, e, obb_arena_format(plan->arena, "refused by %s: %s", compiler, d->refusal),
              obb_arena_format(plan->arena, "%s (%s)", a->target->name, a->variant->name));
}

static bool prepare_setup(obb_plan *plan, obb_action *a, obb_diags *diags)
{
    obb_compile_options *w = a->options;
    if (w->setup)
        return w->setup->dialect->ok;
    const obb_dialect *d = obb_dialect_for(w->toolchain, w->tool, w->language, &w->flags);
    w->setup = obb_scanner_setup(plan->scanner, d, &w->includes, &w->defines);
    if (!d->ok)
        tell_refusal(plan, a, d, diags);
    return d->ok;
}

static void take_input(obb_plan *plan, obb_action *a, obb_file file)
{
    const obb_action *maker = obb_plan_maker(plan, file);
    obb_arena_push(plan->arena, &a->inputs, file);
    if (maker)
        obb_arena_push(plan->arena, &a->needs, maker->number);
}

static bool has_input(const obb_action *a, obb_file file)
{
    for (size_t i = 0; i < a->inputs.count; i++)
        if (a->inputs.at[i] == file)
            return true;
    return false;
}

static obb_file precompiled_form(obb_plan *plan, obb_file header, const char *path)
{
    while (plan->precompiled.count <= header)
        obb_vec_push(&plan->precompiled, 0);
    if (!plan->precompiled.at[header])
        plan->precompiled.at[header] = obb_files_number(plan->files,
                                                        obb_arena_format(plan->arena, "%s.gch", path)) +
                                       1;
    return plan->precompiled.at[header] - 1;
}

/* A compiler of either family takes a precompiled form in place of a header that it stands beside (GCC manual
 * 3.22, Using Precompiled Headers): a file, or a folder of them. */
static void take_precompiled(obb_plan *plan, obb_action *a, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        const char *path = obb_files_path(plan->files, a->inputs.at[i]);
        if (obb_path_outside(path) || !obb_is_header(path))
            continue;
        obb_file file = precompiled_form(plan, a->inputs.at[i], path);
        const obb_stamp *stamp = obb_files_stamp(plan->files, file);
        const obb_words *names = stamp && stamp->kind == OBB_KIND_FOLDER ? obb_files_list(plan->files, file)
                                                                         : NULL;
        if (stamp && !names && !has_input(a, file))
            take_input(plan, a, file);
        for (size_t k = 0; names && k < names->count; k++) {
            obb_file member = obb_files_number(plan->files,
                                               obb_path_join(plan->arena, obb_files_path(plan->files, file),
                                                             names->at[k]));
            if (obb_files_is_file(plan->files, member) && !has_input(a, member))
                take_input(plan, a, member);
        }
    }
}

static void take_files(obb_plan *plan, obb_action *a, const obb_file_list *files,
                       const obb_file_list *absent)
{
    a->inputs.count = 0;
    for (size_t i = 0; i < files->count; i++)
        take_input(plan, a, files->at[i]);
    for (size_t i = 0; i < a->options->named.count; i++)
        if (!has_input(a, a->options->named.at[i]))
            take_input(plan, a, a->options->named.at[i]);
    if (a->options->language == OBB_C || a->options->language == OBB_CXX)
        take_precompiled(plan, a, a->inputs.count);
    for (size_t i = 0; i < absent->count; i++)
        obb_arena_push(plan->arena, &a->absent, absent->at[i]);
}

/* Files whose presence alone decided something are inputs, the last of those that the scan found: no compiler
 * reports them. */
static void take_tested(obb_plan *plan, obb_action *a, const obb_file_list *tested)
{
    size_t before = a->inputs.count;
    for (size_t i = 0; i < tested->count; i++)
        if (!has_input(a, tested->at[i]))
            take_input(plan, a, tested->at[i]);
    a->untold = a->inputs.count - before;
}

/* Where a file that the compiler named would have been found earlier, had it been there. */
static void absent_before(obb_plan *plan, obb_action *a, const char *path)
{
    const obb_preprocessor_setup *setup = a->options->setup;
    for (size_t i = 0; i < setup->folders.count; i++) {
        const char *folder = obb_files_path(plan->files, setup->folders.at[i]);
        if (!obb_path_within(path, folder))
            continue;
        for (size_t k = 0; k < i; k++) {
            obb_file place = obb_files_number(
                plan->files, obb_path_join(plan->arena, obb_files_path(plan->files, setup->folders.at[k]),
                                           path + strlen(folder) + 1));
            if (!obb_files_is_file(plan->files, place))
                obb_arena_push(plan->arena, &a->absent, place);
        }
        return;
    }
}

/* Leaves the list of files to the compiler; false when it does not give one either. Of assembly,
 * the scan has looked in all places; of C, what `__has_include` asks for behind the place where the scan
 * ended is added. */
static bool ask_compiler(obb_plan *plan, obb_action *a, const obb_file_list *looked_in, obb_file_list *tested)
{
    bool assembly = a->options->language == OBB_ASM || a->options->language == OBB_ASM_CPP;
    obb_words words = {0}, said = {0};
    for (size_t i = 0; i < a->argv.count; i++) {
        bool skip = i == a->output_word || i + 1 == a->output_word || strcmp(a->argv.at[i], "-c") == 0 ||
                    strcmp(a->argv.at[i], obb_files_path(plan->files, a->source)) == 0;
        if (!skip)
            obb_arena_push(plan->arena, &words, a->argv.at[i]);
    }
    if (!obb_dialect_ask_files(a->options->setup->dialect, &words, obb_files_path(plan->files, a->source),
                               &said))
        return false;
    obb_file_list files = {0}, absent = {0};
    for (size_t i = 0; i < said.count; i++) {
        obb_arena_push(plan->arena, &files, obb_files_number(plan->files, said.at[i]));
        absent_before(plan, a, said.at[i]);
        if (!assembly)
            obb_find_presence_tests(plan, a->options->setup, files.at[i], &absent, tested);
    }
    take_files(plan, a, &files, assembly ? looked_in : &absent);
    return true;
}

static void name_provider(obb_plan *plan, obb_diag *d, const char *name, obb_diags *diags)
{
    for (size_t t = 0; plan->project && t < plan->project->targets.count; t++) {
        const obb_target *target = plan->project->targets.at[t];
        const obb_settings *both[] = {&target->share, &target->users};
        for (int k = 0; k < 2; k++)
            for (size_t i = 0; i < both[k]->count; i++) {
                if (both[k]->at[i].id != OBB_SET_INCLUDE)
                    continue;
                char *path = obb_path_join(plan->arena, both[k]->at[i].value, name);
                if (!obb_files_is_file(plan->files, obb_files_number(plan->files, path)))
                    continue;
                obb_also(diags, d, both[k]->at[i].place, "`%s` shares %s, which has it", target->name,
                         both[k]->at[i].value);
                obb_hint(diags, d, "add it: uses %s", target->name);
            }
    }
}

static void report_missing(obb_plan *plan, obb_action *a, const obb_missing *m, obb_diags *diags)
{
    obb_words folders = {0};
    obb_place place = {obb_files_path(plan->files, m->file), m->line, 0};
    for (size_t i = 0; i < diags->list.count; i++) { /* once, however many sources include it */
        const obb_diag *before = diags->list.at[i];
        if (before->place.file == place.file && before->place.line == place.line)
            return;
    }
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "header %s%s%s is missing; `%s` (%s) needs it",
                            m->quoted ? "\"" : "<", m->name, m->quoted ? "\"" : ">", a->target->name,
                            a->variant->name);
    obb_scan_searched(plan->scanner, a->options->setup, m, plan->arena, &folders);
    for (size_t i = 0; i < folders.count; i++)
        obb_also(diags, d, OBB_NOWHERE, "looked in %s", folders.at[i]);
    name_provider(plan, d, m->name, diags);
    const char *packages = d->hint || m->quoted
                               ? NULL
                               : obb_packages_with(a->options->toolchain, m->name, "/usr/include/");
    if (!d->hint)
        obb_hint(diags, d, "state its folder (include FOLDER), or install %s",
                 packages ? packages : "what provides it");
}

/* Nobody knows what the source includes: neither the scan nor, mostly with a custom
 * toolchain, the compiler. To guess would be to build too little one day. */
static void report_undecided(const obb_action *a, obb_diags *diags)
{
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, a->target->place,
                            "it cannot be told which files `%s` (%s) includes: %s", a->target->name,
                            a->variant->name, a->undecided);
    if (a->options->toolchain->custom)
        obb_hint(diags, d, "state what the compiler of toolchain `%s` defines: set-macros NAME=VALUE",
                 a->options->toolchain->name);
    else
        obb_hint(diags, d,
                 "the compiler does not say either; try its command by hand: obbligato build -n -v");
}

/* Counts up when the scan finds something else for the same files. */
static const char way_we_scan[] = "scan 1, obbligato " OBB_VERSION;

static obb_fingerprint scan_fingerprint(const obb_action *a)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, way_we_scan);
    obb_hasher_add(p, &a->options->setup->dialect->answer, sizeof(obb_fingerprint));
    return obb_hasher_end(p);
}

/* The scan of an earlier build. What only the compiler named stands at the end of its files. */
static bool recall_scan(obb_plan *plan, obb_action *a, obb_recall_scan *recall, void *self,
                        bool any_differences)
{
    obb_file_list files = {0}, absent = {0};
    obb_differences known = {0};
    bool recalled = recall && recall(self, a, &files, &absent);
    if (recalled)
        take_files(plan, a, &files, &absent);
    a->found_inputs = a->inputs.count;
    if (recalled && any_differences)
        obb_differences_recall(plan->toolchains->memo, plan, a, plan->arena, &known);
    for (size_t i = 0; i < known.count; i++)
        a->found_inputs -= known.at[i].missed && a->found_inputs;
    obb_vec_free(&files);
    obb_vec_free(&absent);
    return recalled;
}

/* Some header of the variant that is still to be made; when the compiler must be asked, it can
 * only tell when all of them are there. */
static bool pending_header(const obb_plan *plan, const obb_variant *variant, obb_file *file)
{
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        if (a->kind != OBB_RUN_STEP || a->variant != variant)
            continue;
        for (size_t k = 0; k <= a->also.count; k++) {
            *file = k ? a->also.at[k - 1] : a->output;
            if (obb_files_is_pending(plan->files, *file) && obb_is_header(obb_files_path(plan->files, *file)))
                return true;
        }
    }
    return false;
}

static void wait_for(obb_plan *plan, obb_action *a, obb_file file, obb_diags *diags)
{
    const obb_action *maker = obb_plan_maker(plan, file);
    a->pending = file;
    a->scanned = false;
    if (!maker)
        return;
    obb_arena_push(plan->arena, &a->needs, maker->number);
    if (!obb_plan_needs(plan, maker, a))
        return;
    a->broken = true;
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, maker->target->place,
                            "a circle: %s reads %s, which the step `%s` makes, and that needs %s",
                            obb_files_path(plan->files, a->source), obb_files_path(plan->files, file),
                            maker->target->name, obb_files_path(plan->files, a->output));
    obb_hint(diags, d, "what a step runs must not read what the step makes");
}

/* A pipe or a device among what is read: who reads it takes something away, or waits for ever. */
static bool is_odd(obb_plan *plan, const obb_action *a, const obb_file_list *files, obb_diags *diags)
{
    for (size_t i = 0; i < files->count; i++) {
        const char *path = obb_files_path(plan->files, files->at[i]);
        const obb_stamp *stamp = obb_files_stamp(plan->files, files->at[i]);
        if (obb_files_is_pending(plan->files, files->at[i]) || !stamp || stamp->kind == OBB_KIND_FILE ||
            strcmp(path, "/dev/null") == 0)
            continue;
        obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, a->target->place,
                                "`%s` (%s) reads `%s`, which is not a regular file", a->target->name,
                                a->variant->name, path);
        obb_hint(diags, d, "pipes and devices are not read; put a file there");
        return true;
    }
    return false;
}

static void scan_action(obb_plan *plan, obb_action *a, obb_diags *diags)
{
    obb_scan_result result = {0};
    obb_file_list tested = {0};
    obb_file header;
    if (obb_files_is_pending(plan->files, a->source)) {
        wait_for(plan, a, a->source, diags);
        return;
    }
    obb_scan(plan->scanner, a->options->setup, a->source, false, &result);
    take_files(plan, a, &result.files, &result.absent);
    if (result.waits) {
        wait_for(plan, a, result.pending, diags);
        obb_scan_result_free(&result);
        return;
    }
    if (result.undecided && is_odd(plan, a, &result.files, diags)) {
        a->broken = true;
        obb_scan_result_free(&result);
        return;
    }
    if (result.undecided)
        a->undecided = obb_arena_format(plan->arena, "%s:%d: %s",
                                        obb_files_path(plan->files, result.undecided_file),
                                        result.undecided_line, result.undecided);
    else if (result.missing.count)
        a->undecided = "a header is missing";
    if (a->undecided && !ask_compiler(plan, a, &result.absent, &tested) && !result.at_most) {
        if (result.undecided && pending_header(plan, a->variant, &header)) {
            a->undecided = NULL;
            wait_for(plan, a, header, diags);
        } else {
            for (size_t i = 0; i < result.missing.count; i++)
                report_missing(plan, a, &result.missing.at[i], diags);
            if (!result.missing.count)
                report_undecided(a, diags);
            a->broken = true;
        }
    }
    for (size_t i = 0; i < result.tested.count; i++)
        obb_arena_push(plan->arena, &tested, result.tested.at[i]);
    take_tested(plan, a, &tested);
    a->text_matters = result.text_matters || a->undecided;
    a->assembled = result.assembled;
    obb_scan_result_free(&result);
}

void obb_plan_add_missed(obb_plan *plan, obb_action *a)
{
    if (!obb_differences_known(plan->toolchains->memo))
        return;
    obb_differences known = {0};
    obb_differences_recall(plan->toolchains->memo, plan, a, plan->arena, &known);
    for (size_t i = 0; i < known.count; i++) {
        obb_file file = obb_files_number(plan->files, known.at[i].path);
        bool there = !known.at[i].missed;
        for (size_t k = 0; k < a->inputs.count && !there; k++)
            there = a->inputs.at[k] == file;
        if (!there)
            obb_arena_push(plan->arena, &a->inputs, file);
    }
}

bool obb_action_unscanned(const obb_action *a)
{
    return (a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE) && !a->scanned && !a->broken;
}

static void scan_one(obb_plan *plan, obb_action *a, obb_recall_scan *recall, void *self, bool any_differences,
                     obb_diags *diags)
{
    a->scanned = true;
    a->pending = OBB_NO_FILE;
    a->absent.count = 0;
    a->broken = !prepare_setup(plan, a, diags);
    if (a->broken)
        return;
    a->scan = scan_fingerprint(a);
    if (!obb_files_is_pending(plan->files, a->source) && recall_scan(plan, a, recall, self, any_differences))
        return;
    scan_action(plan, a, diags);
    a->found_inputs = a->inputs.count;
    if (any_differences && !a->broken && a->scanned)
        obb_plan_add_missed(plan, a);
}

void obb_plan_scan_action(obb_plan *plan, obb_action *a, obb_recall_scan *recall, void *self,
                          obb_diags *diags)
{
    if (obb_action_unscanned(a))
        scan_one(plan, a, recall, self, obb_differences_known(plan->toolchains->memo), diags);
}

void obb_plan_scan(obb_plan *plan, bool *wanted, obb_recall_scan *recall, void *self, obb_diags *diags)
{
    bool any = obb_differences_known(plan->toolchains->memo), more = true;
    while (more) { /* what a header's maker needs is scanned as well */
        more = false;
        for (size_t i = 0; i < plan->actions.count; i++) {
            obb_action *a = plan->actions.at[i];
            if (!wanted[i] || !obb_action_unscanned(a) || a->pending != OBB_NO_FILE)
                continue;
            scan_one(plan, a, recall, self, any, diags);
            for (size_t k = 0; k < a->needs.count; k++)
                more = obb_plan_want_action(plan, a->needs.at[k], wanted) || more;
        }
    }
}

/* --- what steps make ---------------------------------------------------------------- */

void obb_plan_mark_pending(obb_plan *plan, const obb_action *step)
{
    obb_files_mark_pending(plan->files, step->output);
    for (size_t i = 0; i < step->also.count; i++)
        obb_files_mark_pending(plan->files, step->also.at[i]);
}

void obb_plan_forget(obb_plan *plan, const obb_action *step)
{
    obb_files_forget(plan->files, step->output);
    for (size_t i = 0; i < step->also.count; i++)
        obb_files_forget(plan->files, step->also.at[i]);
}

void obb_plan_believe(obb_plan *plan)
{
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        bool there = a->kind == OBB_RUN_STEP;
        for (size_t k = 0; there && k <= a->also.count; k++)
            there = obb_files_stamp(plan->files, k ? a->also.at[k - 1] : a->output) != NULL;
        if (there)
            obb_plan_forget(plan, a);
    }
}

typedef struct trail {
    const obb_plan *plan;
    const obb_action *sought;
    bool *seen;
} trail;

static bool leads(trail *t, const obb_action *from)
{
    if (from == t->sought)
        return true;
    if (t->seen[from->number])
        return false;
    t->seen[from->number] = true;
    for (size_t i = 0; i < from->needs.count; i++)
        if (leads(t, t->plan->actions.at[from->needs.at[i]]))
            return true;
    return false;
}

bool obb_plan_needs(const obb_plan *plan, const obb_action *action, const obb_action *other)
{
    trail t = {plan, other, obb_alloc(plan->actions.count)};
    bool found = leads(&t, action);
    free(t.seen);
    return found;
}
