/* The scan of a plan's compiles (dependencies.h): their inputs, the places of absence, and diagnostics for
 * missing headers.
 *
 * A row of the table is filled in one go: earlier scan, own scan, or the compiler's answer, in this order.
 * It is complete when `scanned` is set and nothing is pending. A diagnostic makes the action broken and
 * never leaves a guess among the inputs. */
#include "plan/dependencies.h"

#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "plan/differences.h"
#include "plan/presence.h"
#include "plan/profile.h"
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

/* One compile while it is scanned. */
typedef struct scan_job {
    obb_dependency_table *table;
    const obb_plan *plan;
    const obb_action *a;
    obb_dependencies *d;
    obb_diags *diags;
} scan_job;

static void tell_refusal(const scan_job *j, const obb_dialect *d)
{
    const obb_plan *plan = j->plan;
    const obb_action *a = j->a;
    obb_diags *diags = j->diags;
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

static bool prepare_setup(const scan_job *j)
{
    const obb_compile_options *w = j->a->options;
    const obb_preprocessor_setup **setup = &j->table->setups[w->number];
    bool fresh = !*setup;
    if (fresh)
        *setup = obb_scanner_setup(j->plan->scanner,
                                   obb_dialect_for(w->toolchain, w->tool, w->language, &w->flags),
                                   &w->includes, &w->defines);
    j->d->setup = *setup;
    if (fresh && !j->d->setup->dialect->ok)
        tell_refusal(j, j->d->setup->dialect);
    return j->d->setup->dialect->ok;
}

static void take_input(const scan_job *j, obb_file file)
{
    const obb_action *maker = obb_plan_maker(j->plan, file);
    obb_arena_push(j->plan->arena, &j->d->inputs, file);
    if (maker)
        obb_arena_push(j->plan->arena, &j->d->needs, maker->number);
}

static bool has_input(const obb_dependencies *d, obb_file file)
{
    for (size_t i = 0; i < d->inputs.count; i++)
        if (d->inputs.at[i] == file)
            return true;
    return false;
}

static obb_file precompiled_form(obb_dependency_table *table, obb_file header, const char *path)
{
    const obb_plan *plan = table->plan;
    while (table->precompiled.count <= header)
        obb_arena_push(plan->arena, &table->precompiled, 0);
    if (!table->precompiled.at[header])
        table->precompiled.at[header] = obb_files_number(plan->files,
                                                         obb_arena_format(plan->arena, "%s.gch", path)) +
                                        1;
    return table->precompiled.at[header] - 1;
}

/* A compiler of either family takes a precompiled form in place of a header that it stands beside (GCC manual
 * 3.22, Using Precompiled Headers): a file, or a folder of them. */
static void take_precompiled(const scan_job *j, size_t count)
{
    const obb_plan *plan = j->plan;
    for (size_t i = 0; i < count; i++) {
        const char *path = obb_files_path(plan->files, j->d->inputs.at[i]);
        if (obb_path_outside(path) || !obb_is_header(path))
            continue;
        obb_file file = precompiled_form(j->table, j->d->inputs.at[i], path);
        const obb_stamp *stamp = obb_files_stamp(plan->files, file);
        const obb_words *names = stamp && stamp->kind == OBB_KIND_FOLDER ? obb_files_list(plan->files, file)
                                                                         : NULL;
        if (stamp && !names && !has_input(j->d, file))
            take_input(j, file);
        for (size_t k = 0; names && k < names->count; k++) {
            obb_file member = obb_files_number(plan->files,
                                               obb_path_join(plan->arena, obb_files_path(plan->files, file),
                                                             names->at[k]));
            if (obb_files_is_file(plan->files, member) && !has_input(j->d, member))
                take_input(j, member);
        }
    }
}

static void take_profile(const scan_job *j)
{
    obb_file_list places = {0};
    obb_profile_places(j->plan, j->a, &places);
    for (size_t i = 0; i < places.count; i++)
        if (obb_files_is_file(j->plan->files, places.at[i]) && !has_input(j->d, places.at[i]))
            take_input(j, places.at[i]);
}

static void take_files(const scan_job *j, const obb_file_list *files, const obb_file_list *absent)
{
    const obb_compile_options *options = j->a->options;
    j->d->inputs.count = 0;
    for (size_t i = 0; i < files->count; i++)
        take_input(j, files->at[i]);
    for (size_t i = 0; i < options->named.count; i++)
        if (!has_input(j->d, options->named.at[i]))
            take_input(j, options->named.at[i]);
    if (options->language == OBB_C || options->language == OBB_CXX)
        take_precompiled(j, j->d->inputs.count);
    take_profile(j);
    for (size_t i = 0; i < absent->count; i++)
        obb_arena_push(j->plan->arena, &j->d->absent, absent->at[i]);
}

/* Files whose presence alone decided something are inputs, the last of those that the scan found: no compiler
 * reports them. */
static void take_tested(const scan_job *j, const obb_file_list *tested)
{
    size_t before = j->d->inputs.count;
    for (size_t i = 0; i < tested->count; i++)
        if (!has_input(j->d, tested->at[i]))
            take_input(j, tested->at[i]);
    j->d->untold = j->d->inputs.count - before;
}

/* Where a file that the compiler named would have been found earlier, had it been there. */
static void absent_before(const scan_job *j, const char *path)
{
    const obb_plan *plan = j->plan;
    const obb_preprocessor_setup *setup = j->d->setup;
    for (size_t i = 0; i < setup->folders.count; i++) {
        const char *folder = obb_files_path(plan->files, setup->folders.at[i]);
        if (!obb_path_within(path, folder))
            continue;
        for (size_t k = 0; k < i; k++) {
            obb_file place = obb_files_number(
                plan->files, obb_path_join(plan->arena, obb_files_path(plan->files, setup->folders.at[k]),
                                           path + strlen(folder) + 1));
            if (!obb_files_is_file(plan->files, place))
                obb_arena_push(plan->arena, &j->d->absent, place);
        }
        return;
    }
}

/* Leaves the list of files to the compiler; false when it does not give one either. Of assembly,
 * the scan has looked in all places; of C, what `__has_include` asks for behind the place where the scan
 * ended is added. */
static bool ask_compiler(const scan_job *j, const obb_file_list *looked_in, obb_file_list *tested)
{
    const obb_plan *plan = j->plan;
    const obb_action *a = j->a;
    bool assembly = a->options->language == OBB_ASM || a->options->language == OBB_ASM_CPP;
    obb_words words = {0}, said = {0};
    for (size_t i = 0; i < a->argv.count; i++) {
        bool skip = i == a->output_word || i + 1 == a->output_word || strcmp(a->argv.at[i], "-c") == 0 ||
                    strcmp(a->argv.at[i], obb_files_path(plan->files, a->source)) == 0;
        if (!skip)
            obb_arena_push(plan->arena, &words, a->argv.at[i]);
    }
    if (!obb_dialect_ask_files(j->d->setup->dialect, &words, obb_files_path(plan->files, a->source),
                               &said))
        return false;
    obb_file_list files = {0}, absent = {0};
    for (size_t i = 0; i < said.count; i++) {
        obb_arena_push(plan->arena, &files, obb_files_number(plan->files, said.at[i]));
        absent_before(j, said.at[i]);
        if (!assembly)
            obb_find_presence_tests(plan, j->d->setup, files.at[i], &absent, tested);
    }
    take_files(j, &files, assembly ? looked_in : &absent);
    return true;
}

static void name_provider(const obb_plan *plan, obb_diag *d, const char *name, obb_diags *diags)
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

static void report_missing(const scan_job *j, const obb_missing *m)
{
    const obb_plan *plan = j->plan;
    const obb_action *a = j->a;
    obb_diags *diags = j->diags;
    obb_words folders = {0};
    obb_place place = {.file = obb_files_path(plan->files, m->file), .line = m->line};
    for (size_t i = 0; i < diags->list.count; i++) { /* once, however many sources include it */
        const obb_diag *before = diags->list.at[i];
        if (before->place.file == place.file && before->place.line == place.line)
            return;
    }
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "header %s%s%s is missing; `%s` (%s) needs it",
                            m->quoted ? "\"" : "<", m->name, m->quoted ? "\"" : ">", a->target->name,
                            a->variant->name);
    obb_scan_searched(plan->scanner, j->d->setup, m, plan->arena, &folders);
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

/* What the source includes is unknown: neither the scan nor, mostly with a custom toolchain, the compiler can
 * say. A guess would build too little one day. */
static void report_undecided(const scan_job *j)
{
    const obb_action *a = j->a;
    obb_diags *diags = j->diags;
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, a->target->place,
                            "it cannot be told which files `%s` (%s) includes: %s", a->target->name,
                            a->variant->name, j->d->undecided);
    if (a->options->toolchain->custom)
        obb_hint(diags, d, "state what the compiler of toolchain `%s` defines: set-macros NAME=VALUE",
                 a->options->toolchain->name);
    else
        obb_hint(diags, d,
                 "the compiler does not say either; try its command by hand: obbligato build -n -v");
}

/* To be changed whenever the scan finds something else for the same files. */
static const char way_we_scan[] = "scan 2, obbligato " OBB_VERSION;

static obb_fingerprint scan_fingerprint(const obb_dependencies *d)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, way_we_scan);
    obb_hasher_add(p, &d->setup->dialect->answer, sizeof(obb_fingerprint));
    return obb_hasher_end(p);
}

/* The scan of an earlier build. What only the compiler named stands at the end of its files. */
static bool recall_scan(const scan_job *j, obb_scan_memory memory, bool any_differences)
{
    obb_recalled_scan scan = {0};
    obb_differences known = {0};
    bool recalled = memory.recall && memory.recall(memory.self, j->a, j->d, &scan);
    if (recalled) {
        take_files(j, &scan.files, &scan.absent);
        j->d->untold = scan.untold;
        j->d->text_matters = scan.text_matters;
        j->d->asked_noted = scan.asked_noted;
        j->d->assembled = scan.assembled;
    }
    j->d->found_inputs = j->d->inputs.count;
    if (recalled && any_differences)
        obb_differences_recall(j->plan->toolchains->memo, j->plan, j->a, j->plan->arena, &known);
    for (size_t i = 0; i < known.count; i++)
        j->d->found_inputs -= known.at[i].missed && j->d->found_inputs;
    obb_vec_free(&scan.files);
    obb_vec_free(&scan.absent);
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

static void wait_for(const scan_job *j, obb_file file)
{
    const obb_plan *plan = j->plan;
    const obb_action *maker = obb_plan_maker(plan, file);
    j->d->pending = file;
    j->d->scanned = false;
    if (!maker)
        return;
    obb_arena_push(plan->arena, &j->d->needs, maker->number);
    if (!obb_needs_action(j->table, maker, j->a))
        return;
    j->d->broken = true;
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, maker->target->place,
                            "a circle: %s reads %s, which the step `%s` makes, and that needs %s",
                            obb_files_path(plan->files, j->a->source), obb_files_path(plan->files, file),
                            maker->target->name, obb_files_path(plan->files, j->a->output));
    obb_hint(j->diags, d, "what a step runs must not read what the step makes");
}

/* A pipe or a device among the inputs: reading it would consume its data, or wait for ever. */
static bool is_odd(const scan_job *j, const obb_file_list *list)
{
    const obb_files *files = j->plan->files;
    for (size_t i = 0; i < list->count; i++) {
        const char *path = obb_files_path(files, list->at[i]);
        const obb_stamp *stamp = obb_files_stamp(j->plan->files, list->at[i]);
        if (obb_files_is_pending(files, list->at[i]) || !stamp || stamp->kind == OBB_KIND_FILE ||
            strcmp(path, "/dev/null") == 0)
            continue;
        obb_diag *d = obb_error(j->diags, OBB_FAULT_OUTSIDE, j->a->target->place,
                                "`%s` (%s) reads `%s`, which is not a regular file", j->a->target->name,
                                j->a->variant->name, path);
        obb_hint(j->diags, d, "pipes and devices are not read; put a file there");
        return true;
    }
    return false;
}

/* What the scan could not follow is left to the compiler; where that cannot tell either, to a later time,
 * when all headers are made, or it is an error. */
static void decide(const scan_job *j, const obb_scan_result *result, obb_file_list *tested)
{
    obb_file header;
    if (result->undecided)
        j->d->undecided = obb_arena_format(j->plan->arena, "%s:%d: %s",
                                           obb_files_path(j->plan->files, result->undecided_file),
                                           result->undecided_line, result->undecided);
    else if (result->missing.count)
        j->d->undecided = "a header is missing";
    if (!j->d->undecided || ask_compiler(j, &result->absent, tested) || result->at_most)
        return;
    if (result->undecided && pending_header(j->plan, j->a->variant, &header)) {
        j->d->undecided = NULL;
        wait_for(j, header);
        return;
    }
    for (size_t i = 0; i < result->missing.count; i++)
        report_missing(j, &result->missing.at[i]);
    if (!result->missing.count)
        report_undecided(j);
    j->d->broken = true;
}

static void take_scan(const scan_job *j, const obb_scan_result *result)
{
    obb_file_list tested = {0};
    take_files(j, &result->files, &result->absent);
    if (result->waits) {
        wait_for(j, result->pending);
        return;
    }
    if (result->undecided && is_odd(j, &result->files)) {
        j->d->broken = true;
        return;
    }
    decide(j, result, &tested);
    for (size_t i = 0; i < result->tested.count; i++)
        obb_arena_push(j->plan->arena, &tested, result->tested.at[i]);
    take_tested(j, &tested);
    j->d->text_matters = result->text_matters || j->d->undecided;
    j->d->trigraphs_alone = result->trigraphs_alone && !j->d->undecided;
    j->d->assembled = result->assembled;
}

static void scan_source(const scan_job *j)
{
    obb_scan_result result = {0};
    if (obb_files_is_pending(j->plan->files, j->a->source)) {
        wait_for(j, j->a->source);
        return;
    }
    obb_scan(j->plan->scanner, j->d->setup, j->a->source, false, &result);
    take_scan(j, &result);
    obb_scan_result_free(&result);
}

void obb_add_missed(const obb_plan *plan, const obb_action *a, obb_dependencies *d)
{
    if (!obb_differences_known(plan->toolchains->memo))
        return;
    obb_differences known = {0};
    obb_differences_recall(plan->toolchains->memo, plan, a, plan->arena, &known);
    for (size_t i = 0; i < known.count; i++) {
        obb_file file = obb_files_number(plan->files, known.at[i].path);
        if (known.at[i].missed && !has_input(d, file))
            obb_arena_push(plan->arena, &d->inputs, file);
    }
}

bool obb_unscanned(const obb_dependency_table *table, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    return (a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE) && !d->scanned && !d->broken;
}

/* False: the source must be read. */
static bool scan_from_memory(const scan_job *j, obb_scan_memory memory, bool any_differences)
{
    obb_dependencies *d = j->d;
    d->scanned = true;
    d->pending = OBB_NO_FILE;
    d->absent.count = 0;
    d->broken = !prepare_setup(j);
    if (d->broken)
        return true;
    d->scan = scan_fingerprint(d);
    return !obb_files_is_pending(j->plan->files, j->a->source) && recall_scan(j, memory, any_differences);
}

static void scan_anew(const scan_job *j, obb_scan_memory memory, bool any_differences)
{
    obb_dependencies *d = j->d;
    scan_source(j);
    d->asked_noted = memory.scanned != NULL;
    d->found_inputs = d->inputs.count;
    if (any_differences && !d->broken && d->scanned)
        obb_add_missed(j->plan, j->a, d);
}

void obb_scan_action(obb_dependency_table *t, const obb_action *a, obb_scan_memory memory, obb_diags *diags)
{
    const scan_job job = {t, t->plan, a, obb_dependencies_of(t, a), diags};
    bool any = obb_differences_known(t->plan->toolchains->memo);
    if (obb_unscanned(t, a) && !scan_from_memory(&job, memory, any)) {
        scan_anew(&job, memory, any);
        if (memory.scanned)
            memory.scanned(memory.self, t->plan->scanner);
    }
}

void obb_scan_wanted(obb_dependency_table *t, bool *wanted, obb_scan_memory memory, obb_diags *diags)
{
    bool any = obb_differences_known(t->plan->toolchains->memo), more = true;
    while (more) { /* what a header's maker needs is scanned as well */
        OBB_VEC(scan_job) jobs = {0}, to_read = {0};
        for (size_t i = 0; i < t->plan->actions.count; i++) {
            const obb_action *a = t->plan->actions.at[i];
            const scan_job job = {t, t->plan, a, obb_dependencies_of(t, a), diags};
            if (!wanted[i] || !obb_unscanned(t, a) || job.d->pending != OBB_NO_FILE)
                continue;
            obb_vec_push(&jobs, job);
            if (scan_from_memory(&job, memory, any))
                continue;
            obb_vec_push(&to_read, job);
            obb_scanner_expect(t->plan->scanner, job.d->setup, a->source);
        }
        for (size_t i = 0; i < to_read.count; i++)
            scan_anew(&to_read.at[i], memory, any);
        if (to_read.count && memory.scanned)
            memory.scanned(memory.self, t->plan->scanner);
        more = false;
        for (size_t i = 0; i < jobs.count; i++)
            for (size_t k = 0; k < jobs.at[i].d->needs.count; k++)
                more = obb_want_action(t, jobs.at[i].d->needs.at[k], wanted) || more;
        obb_vec_free(&jobs);
        obb_vec_free(&to_read);
    }
    for (size_t i = 0; i < t->plan->actions.count; i++)
        if (wanted[i])
            obb_tell_deferred(&t->of[i], diags);
}

/* --- what steps make ---------------------------------------------------------------- */

void obb_plan_mark_pending(const obb_plan *plan, const obb_action *step)
{
    obb_files_mark_pending(plan->files, step->output);
    for (size_t i = 0; i < step->also.count; i++)
        obb_files_mark_pending(plan->files, step->also.at[i]);
}

void obb_plan_forget(const obb_plan *plan, const obb_action *step)
{
    obb_files_forget(plan->files, step->output);
    for (size_t i = 0; i < step->also.count; i++)
        obb_files_forget(plan->files, step->also.at[i]);
}

void obb_plan_believe(const obb_plan *plan)
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
