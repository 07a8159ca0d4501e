/* `test`: building tests, running them side by side, and what is told of them. */
#include <stdio.h>
#include <string.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/coverage.h"
#include "report/report.h"
#include "run/launch.h"

enum { USUAL_LIMIT_MS = 60000 };

typedef struct tester {
    session *s;
    OBB_VEC(obb_trial) trials;
    OBB_VEC(obb_print) prints; /* by trial: of all that decides how it ends */
    size_t unaffected, passed_before, left_out; /* left_out: they are in none of the chosen variants */
    FILE *lines;
    int width, variant_width; /* of names, so that they stand in columns */
    json_t *coverage; /* under --json */
    obb_cause *causes; /* after a build that failed in parts: what is still to be made; else NULL */
    int code;         /* of what is wrong with the words of some test; or 0 */
} tester;

/* --- which tests -------------------------------------------------------------------- */

static bool meant(const session *s, const obb_target *t)
{
    for (size_t i = 0; i < s->options->names.count; i++)
        if (obb_path_matches(s->options->names.at[i], t->name))
            return true;
    return !s->options->names.count && !t->optional;
}

/* A name that is no pattern must be that of a test. */
static int check_name(session *s, const char *name)
{
    obb_words known = {0};
    for (size_t i = 0; i < s->project->targets.count; i++) {
        const obb_target *t = s->project->targets.at[i];
        if (t->kind != OBB_TEST)
            continue;
        if (obb_path_matches(name, t->name))
            return 0;
        obb_arena_push(s->arena, &known, t->name);
    }
    obb_arena_push(s->arena, &known, NULL);
    obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "no test is called `%s`", name);
    obb_hint_nearest(s->diags, d, name, known.at);
    if (!d->hint)
        obb_hint(s->diags, d, "`obbligato show tests` lists them; patterns may stand for several: 'tune-*'");
    return session_show_diags(s);
}

/* Whether a test is named as it is called: then it is an error when it is in none of the chosen variants. */
static bool named(const session *s, const obb_target *t)
{
    for (size_t i = 0; i < s->options->names.count; i++)
        if (strcmp(s->options->names.at[i], t->name) == 0)
            return true;
    return false;
}

static bool left_out_everywhere(const session *s, const obb_target *t)
{
    for (size_t v = 0; v < s->variants.count; v++)
        if (!obb_left_out(s->variants.at[v], t))
            return false;
    return true;
}

static int choose_tests(session *s, size_t *left_out)
{
    int code = session_read_project(s);
    for (size_t i = 0; i < s->options->names.count && !code; i++)
        code = check_name(s, s->options->names.at[i]);
    if (!code)
        code = session_choose_variants(s);
    obb_words names = {0};
    for (size_t i = 0; i < s->project->targets.count && !code; i++) {
        const obb_target *t = s->project->targets.at[i];
        bool wanted = t->kind == OBB_TEST && meant(s, t), out = wanted && !named(s, t) && left_out_everywhere(s, t);
        *left_out += out;
        if (wanted && !out)
            obb_vec_push(&names, strdup(t->name));
    }
    options_name(s->options, &names);
    session_begin_anew(s);
    return code;
}

/* --- making trials ------------------------------------------------------------------ */

static void take_words(session *s, const obb_trial *t, const obb_properties *properties, const char *from, obb_words *words)
{
    for (size_t i = 0; i < properties->count; i++)
        for (size_t k = 0; k < properties->at[i].lines.count; k++)
            obb_plan_words(s->plan, t->variant, t->target, &properties->at[i].lines.at[k], from, s->diags, words);
}

/* Where it runs, seen from the project's folder. */
static const char *folder_of(session *s, const obb_trial *t)
{
    obb_word word = {t->target->folder, t->target->folder_place, false};
    const obb_word_list one = {.at = &word, .count = 1};
    obb_words filled = {0};
    if (!t->target->folder)
        return ".";
    obb_plan_words(s->plan, t->variant, t->target, &one, ".", s->diags, &filled);
    return filled.count ? filled.at[0] : ".";
}

static void take_expectations(session *s, obb_trial *t, const obb_properties *expectations)
{
    for (size_t i = 0; i < expectations->count; i++)
        for (size_t k = 0; k < expectations->at[i].lines.count; k++) {
            const obb_word_list *w = &expectations->at[i].lines.at[k];
            const char *kind = w->at[0].text, *value = w->at[1].text;
            if (strcmp(kind, "exit") == 0)
                t->expected_status = atoi(value);
            else if (strcmp(kind, "pattern") == 0)
                obb_arena_push(s->arena, &t->patterns, value);
            else
                t->expected_output = obb_path_join(s->arena, obb_path_folder(s->arena, w->at[1].place.file), value);
        }
}

/* The program of a test: its own, or the one that it names. */
static const obb_action *program_of(session *s, const obb_target *t, const obb_variant *v)
{
    if (!t->tested)
        return obb_plan_product(s->plan, t, v);
    return obb_plan_product(s->plan, obb_project_target(s->project, t->tested), v);
}

static void add_list(obb_printer *p, const obb_words *words)
{
    obb_printer_add(p, &words->count, sizeof words->count);
    for (size_t i = 0; i < words->count; i++)
        obb_printer_string(p, words->at[i]);
}

static void add_contents(session *s, obb_printer *p, obb_file file)
{
    obb_print contents = OBB_NO_PRINT;
    obb_files_print(s->files, file, &contents);
    obb_printer_string(p, obb_files_path(s->files, file));
    obb_printer_add(p, &contents, sizeof contents);
}

/* Files that words name, as a whole or behind `=`: products, data, the runner. */
static void add_named(session *s, obb_printer *p, const obb_words *words, const char *folder)
{
    for (size_t i = 0; i < words->count; i++) {
        const char *word = words->at[i], *equals = strchr(word, '=');
        const char *names[] = {word, equals ? equals + 1 : ""};
        for (int k = 0; k < 2; k++) {
            const char *path = obb_path_below(s->arena, s->root, obb_path_join(s->arena, folder ? folder : s->root, names[k]));
            if (*names[k] && obb_files_is_file(s->files, obb_files_number(s->files, path)))
                add_contents(s, p, obb_files_number(s->files, path));
        }
    }
}

/* Shared libraries are read when a program runs, and so are those that they need. */
static void add_shared(session *s, const obb_action *from, bool *seen, obb_file_list *reads)
{
    for (size_t i = 0; i < from->needs.count; i++) {
        const obb_action *need = s->plan->actions.at[from->needs.at[i]];
        if (need->kind != OBB_LINK_LIBRARY || seen[need->number])
            continue;
        seen[need->number] = true;
        obb_arena_push(s->arena, reads, need->output);
        for (size_t k = 0; k < need->also.count; k++)
            obb_arena_push(s->arena, reads, need->also.at[k]);
        add_shared(s, need, seen, reads);
    }
}

/* What the steps make that its words name. */
static void add_made(session *s, const obb_trial *t, obb_file_list *reads)
{
    for (size_t i = 0; i < t->target->uses.count; i++) {
        const obb_action *made = t->target->uses.at[i].target->kind == OBB_LIBRARY ? NULL : obb_plan_product(s->plan, t->target->uses.at[i].target, t->variant);
        if (made)
            obb_arena_push(s->arena, reads, made->output);
        for (size_t k = 0; made && k < made->also.count; k++)
            obb_arena_push(s->arena, reads, made->also.at[k]);
    }
}

/* All that decides how a trial ends, as far as it is known. */
static obb_print print_of(session *s, const obb_trial *t, const obb_action *program)
{
    obb_printer *p = obb_printer_new();
    obb_file_list reads = {0};
    bool *seen = obb_arena_alloc(s->arena, s->plan->actions.count + 1);
    obb_printer_string(p, "trial 2");
    add_contents(s, p, program->output);
    add_list(p, &t->argv);
    add_list(p, &t->environment);
    add_list(p, &t->patterns);
    obb_printer_string(p, t->folder);
    obb_printer_string(p, t->expected_output);
    obb_printer_add(p, &t->limit, sizeof t->limit);
    obb_printer_add(p, &t->expected_status, sizeof t->expected_status);
    add_named(s, p, &t->argv, t->folder);
    add_named(s, p, &t->environment, t->folder);
    obb_patterns_expand(&t->target->reads, s->files, s->arena, s->diags, &reads);
    if (t->expected_output)
        obb_arena_push(s->arena, &reads, obb_files_number(s->files, t->expected_output));
    add_shared(s, program, seen, &reads);
    add_made(s, t, &reads);
    for (size_t i = 0; i < reads.count; i++)
        add_contents(s, p, reads.at[i]);
    return obb_printer_end(p);
}

static obb_print result_key(const obb_trial *t)
{
    obb_printer *p = obb_printer_new();
    obb_printer_string(p, "result of test");
    obb_printer_string(p, t->variant->name);
    obb_printer_string(p, t->target->name);
    return obb_printer_end(p);
}

typedef struct result {
    obb_print print;
    uint32_t passed;
} result;

static bool last_result(session *s, const obb_trial *t, result *last)
{
    obb_memo memo = obb_state_memo(s->state);
    obb_text text = {0};
    bool known = memo.get(memo.self, result_key(t), &text) && text.length == sizeof *last;
    if (known)
        memcpy(last, text.bytes, sizeof *last);
    obb_text_free(&text);
    return known;
}

/* The first message of what stands in the way of running it. */
static const char *first_message(session *s)
{
    const char *message = s->diags->list.count ? obb_arena_string(s->arena, s->diags->list.at[0]->message) : "it cannot be run here";
    s->diags->list.count = 0;
    return message;
}

static void add_trial(tester *w, const obb_target *described, const obb_variant *v)
{
    session *s = w->s;
    const obb_target *here = obb_in(v, described);
    const obb_action *program = program_of(s, here, v);
    obb_words arguments = {0};
    obb_trial t = {.target = here, .variant = v, .limit = here->time_limit ? here->time_limit : USUAL_LIMIT_MS};
    if (!program)
        return;
    const char *folder = folder_of(s, &t);
    take_words(s, &t, &here->arguments, folder, &arguments);
    take_words(s, &t, &here->environment, folder, &t.environment);
    take_expectations(s, &t, &here->expectations);
    if (here->folder)
        t.folder = obb_path_join(s->arena, s->root, folder);
    if (s->diags->list.count)
        w->code = session_show_diags(s);
    const char *path = obb_path_join(s->arena, s->root, obb_files_path(s->files, program->output));
    if (!obb_launch_words(v, s->files, path, &arguments, s->arena, s->diags, &t.argv)) {
        t.argv.count = 0;
        t.reason = first_message(s);
    }
    obb_arena_push(s->arena, &t.argv, NULL);
    t.argv.count--;
    t.not_built = w->causes && w->causes[program->number].kind != OBB_CAUSE_NONE;
    if (t.not_built) {
        t.argv.count = 0;
        t.reason = "its program could not be built";
    }
    obb_print print = print_of(s, &t, program);
    result last;
    bool known = last_result(s, &t, &last);
    if (s->options->failed && (!known || last.passed)) {
        w->passed_before++;
        return;
    }
    if (s->options->affected && known && last.passed && obb_print_same(last.print, print)) {
        w->unaffected++;
        return;
    }
    unsigned times = s->options->repeat ? s->options->repeat : 1;
    for (unsigned i = 1; i <= times; i++) {
        t.number = times > 1 ? i : 0;
        obb_arena_push(s->arena, &w->trials, t);
        obb_arena_push(s->arena, &w->prints, print);
    }
}

static const char *name_of(const tester *w, const obb_trial *t)
{
    const char *number = t->number ? obb_arena_format(w->s->arena, " #%u", t->number) : "";
    return obb_arena_format(w->s->arena, "%s%s", t->target->name, number);
}

static void make_trials(tester *w)
{
    session *s = w->s;
    for (size_t v = 0; v < s->variants.count; v++)
        for (size_t i = 0; i < s->targets.count; i++)
            if (!obb_left_out(s->variants.at[v], s->targets.at[i]))
                add_trial(w, s->targets.at[i], s->variants.at[v]);
    for (size_t i = 0; i < w->trials.count; i++) {
        int name = (int)strlen(name_of(w, &w->trials.at[i])), variant = (int)strlen(w->trials.at[i].variant->name);
        w->width = name > w->width ? name : w->width;
        w->variant_width = variant > w->variant_width ? variant : w->variant_width;
    }
}

/* --- what is told ------------------------------------------------------------------- */

static void indent(FILE *to, const char *text)
{
    while (*text) {
        size_t n = strcspn(text, "\n");
        terminal_say(to, "    %.*s\n", (int)n, text);
        text += n + (text[n] == '\n');
    }
}

static void show_printed(const tester *w, const obb_trial *t)
{
    obb_text line = {0};
    obb_text_shell_line(&line, t->argv.at, t->argv.count);
    if (t->argv.count)
        terminal_say(w->lines, "  command   %s\n", obb_text_bytes(&line));
    obb_text_free(&line);
    if (*t->output) {
        terminal_say(w->lines, "  printed\n");
        indent(w->lines, t->output);
    }
    if (*t->errors) {
        terminal_say(w->lines, "  on standard error\n");
        indent(w->lines, t->errors);
    }
    if (t->difference) {
        terminal_say(w->lines, "  differs: - is expected, + was printed\n");
        indent(w->lines, t->difference);
    }
}

static void finished(void *self, const obb_trial *t, size_t done, size_t total)
{
    static const struct { const char *word; ink ink; } outcomes[] = {{"pass", INK_GOOD}, {"fail", INK_ERROR}, {"skip", INK_WARNING}, {"", INK_PLAIN}};
    const tester *w = self;
    const options *o = w->s->options;
    char room[40];
    bool shown = t->outcome != OBB_PASSED || t->reason || o->verbose || !terminal_has_progress_line();
    (void)done, (void)total;
    if (o->json || (o->quiet && t->outcome != OBB_FAILED) || !shown)
        return;
    terminal_progress("");
    terminal_ink(w->lines, outcomes[t->outcome].ink, "%-8s", outcomes[t->outcome].word);
    terminal_say(w->lines, "  %-*s", w->width, name_of(w, t));
    terminal_ink(w->lines, INK_DIM, "  %-*s", w->variant_width, t->variant->name);
    if (t->outcome != OBB_SKIPPED)
        terminal_say(w->lines, "  %7s", duration_text(room, sizeof room, t->milliseconds));
    if (t->reason)
        terminal_say(w->lines, "  because %s", t->reason);
    fputc('\n', w->lines);
    if (t->outcome == OBB_FAILED || (o->verbose && t->outcome == OBB_PASSED))
        show_printed(w, t);
    fflush(w->lines);
}

static void ticked(void *self, size_t done, size_t total, unsigned running, uint64_t milliseconds)
{
    const tester *w = self;
    char line[200], room[40];
    if (w->s->options->json)
        return;
    snprintf(line, sizeof line, "%zu of %zu tests done  %s  %u running", done, total, duration_text(room, sizeof room, milliseconds), running);
    terminal_progress(line);
}

static int remember(const tester *w)
{
    obb_memo memo = obb_state_memo(w->s->state);
    for (size_t i = 0; i < w->trials.count; i++) {
        const obb_trial *t = &w->trials.at[i];
        result now = {.print = w->prints.at[i], .passed = t->outcome == OBB_PASSED};
        if (t->outcome == OBB_PASSED || t->outcome == OBB_FAILED)
            memo.put(memo.self, result_key(t), &now, sizeof now);
    }
    for (size_t i = 0; i < w->trials.count; i++) { /* one of its runs that failed counts */
        const obb_trial *t = &w->trials.at[i];
        result now = {.print = w->prints.at[i]};
        if (t->outcome == OBB_FAILED)
            memo.put(memo.self, result_key(t), &now, sizeof now);
    }
    return session_commit(w->s, 0);
}

static size_t count(const tester *w, obb_outcome outcome)
{
    size_t n = 0;
    for (size_t i = 0; i < w->trials.count; i++)
        n += w->trials.at[i].outcome == outcome;
    return n;
}

static void summarize(const tester *w, uint64_t milliseconds, bool interrupted)
{
    size_t failed = count(w, OBB_FAILED), skipped = count(w, OBB_SKIPPED), left = count(w, OBB_NOT_RUN);
    char room[40];
    terminal_progress("");
    if (w->s->options->json)
        return;
    if (interrupted)
        terminal_ink(w->lines, INK_ERROR, "interrupted: ");
    terminal_ink(w->lines, failed ? INK_ERROR : INK_GOOD, "%zu passed, %zu failed", count(w, OBB_PASSED), failed);
    if (skipped)
        terminal_say(w->lines, ", %zu skipped", skipped);
    if (left)
        terminal_say(w->lines, ", %zu not run", left);
    if (w->left_out)
        terminal_say(w->lines, ", %zu not for the chosen variants", w->left_out);
    if (w->unaffected)
        terminal_say(w->lines, ", %zu not affected since they passed", w->unaffected);
    if (w->passed_before)
        terminal_say(w->lines, ", %zu left out that did not fail last time", w->passed_before);
    terminal_say(w->lines, ", %s\n", duration_text(room, sizeof room, milliseconds));
}

/* Writes a report to a file, or to standard output. */
static int write_report(session *s, const char *path, const obb_text *text)
{
    if (strcmp(path, "-") == 0) {
        fwrite(text->bytes, 1, text->length, stdout);
        return 0;
    }
    char *seen = obb_path_join(s->arena, s->start, path);
    int failed = obb_path_make_folders(seen);
    if (!failed)
        failed = obb_file_write(seen, text->bytes, text->length, NULL);
    if (failed)
        session_cannot_write(s, path, failed);
    return session_show_diags(s);
}

static int write_reports(tester *w, uint64_t milliseconds)
{
    const options *o = w->s->options;
    int code = 0;
    obb_text text = {0};
    if (o->tap) {
        obb_report_tap(w->trials.at, w->trials.count, &text);
        code = write_report(w->s, o->tap, &text);
    }
    text.length = 0;
    if (o->junit && !code) {
        obb_report_junit(w->s->project->name, w->trials.at, w->trials.count, milliseconds, &text);
        code = write_report(w->s, o->junit, &text);
    }
    obb_text_free(&text);
    if (o->json) {
        json_t *document = json_object();
        json_object_set_new(document, "tests", obb_report_trials(w->trials.at, w->trials.count));
        json_object_set_new(document, "passed", json_integer((json_int_t)count(w, OBB_PASSED)));
        json_object_set_new(document, "failed", json_integer((json_int_t)count(w, OBB_FAILED)));
        json_object_set_new(document, "skipped", json_integer((json_int_t)count(w, OBB_SKIPPED)));
        json_object_set_new(document, "not-run", json_integer((json_int_t)count(w, OBB_NOT_RUN)));
        json_object_set_new(document, "not-affected", json_integer((json_int_t)w->unaffected));
        json_object_set_new(document, "not-for-the-chosen-variants", json_integer((json_int_t)w->left_out));
        json_object_set_new(document, "milliseconds", json_integer((json_int_t)milliseconds));
        if (w->coverage)
            json_object_set_new(document, "coverage", w->coverage);
        json_print(document, "test");
    }
    return code;
}

/* Lines that ran, by file of the project. */
static int show_coverage(tester *w)
{
    session *s = w->s;
    obb_coverage files = {0};
    table t = {.name = "coverage", .columns = 5};
    size_t code = 0, ran = 0;
    if (!obb_coverage_collect(s->plan, s->arena, s->diags, &files))
        return session_show_diags(s);
    table_row(&t, "file", "variant", ">lines of code", ">ran", ">percent");
    for (size_t i = 0; i < files.count; i++) {
        const obb_covered_file *f = files.at[i];
        code += f->code;
        ran += f->ran;
        table_row(&t, f->path, f->variant->name, obb_arena_format(s->arena, "%zu", f->code), obb_arena_format(s->arena, "%zu", f->ran),
                  obb_arena_format(s->arena, "%.1f", f->code ? 100.0 * (double)f->ran / (double)f->code : 100.0));
    }
    if (s->options->json) {
        w->coverage = table_rows(&t);
        return 0;
    }
    table_print(&t, false);
    terminal_say(stdout, "%zu of %zu lines of code ran: %.1f %%\n", ran, code, code ? 100.0 * (double)ran / (double)code : 100.0);
    return 0;
}

static int run_trials(tester *w)
{
    session *s = w->s;
    bool interrupted;
    const obb_trials_options how = {.jobs = s->options->jobs ? s->options->jobs : uv_available_parallelism(),
                                    .retries = s->options->retry, .first_failure = s->options->first_failure,
                                    .finished = finished, .ticked = ticked, .self = w};
    uint64_t took = obb_trials_run(w->trials.at, w->trials.count, &how, s->arena, &interrupted);
    summarize(w, took, interrupted);
    int noted = remember(w);
    int code = s->options->coverage && !interrupted ? show_coverage(w) : 0;
    if (!code)
        code = write_reports(w, took);
    code = code ? code : noted;
    if (interrupted)
        return EXIT_INTERRUPTED;
    return code ? code : count(w, OBB_FAILED) ? OBB_FAULT_ACTION : 0;
}

int command_test(session *s)
{
    const options *o = s->options;
    bool taken = o->json || (o->tap && strcmp(o->tap, "-") == 0) || (o->junit && strcmp(o->junit, "-") == 0);
    tester w = {.s = s, .lines = taken ? stderr : stdout};
    if (o->coverage)
        obb_vec_push(&s->options->sets, strdup("coverage=on"));
    int code = choose_tests(s, &w.left_out);
    if (code)
        return code;
    if (!o->names.count) {
        if (!o->json && w.left_out)
            terminal_say(stdout, "0 passed, 0 failed, %zu not for the chosen variants\n", w.left_out);
        else if (!o->json)
            terminal_say(stdout, "the project has no tests; describe one: test NAME { sources tests/*.c }\n");
        return write_reports(&w, 0);
    }
    code = build_targets(s, stderr, false);
    bool in_parts = code == OBB_FAULT_ACTION && o->keep_going;
    if ((code && !in_parts) || o->dry_run)
        return code;
    session_begin_anew(s); /* the tests need the plan, and nobody need wait for them to end */
    code = session_plan_named(s);
    if (!code && in_parts)
        code = session_scan_or_recall(s);
    if (code)
        return code;
    if (in_parts)
        w.causes = obb_forecast(s->arena, s->state, s->plan, s->wanted);
    obb_plan_believe(s->plan); /* what steps made is there */
    if (o->coverage)
        obb_coverage_reset(s->plan);
    make_trials(&w);
    return w.code ? w.code : run_trials(&w);
}
