/* `test`: building tests, running them side by side, and showing the results.
 *
 * The tests are built, then run side by side (run/test_runs.h). Reports (TAP, JUnit, JSON, coverage) are
 * written at the end from the same list of test runs. */
#include <stdio.h>
#include <string.h>
#include <uv.h>

#include "base/path.h"
#include "build/causes.h"
#include "build/history.h"
#include "build/tests.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "cli/test_matrix.h"
#include "report/coverage.h"
#include "report/report.h"

typedef struct tester {
    session *s;
    obb_test_list list;
    size_t left_out;          /* they are in none of the chosen variants */
    FILE *lines;
    int width, variant_width; /* of names, so that they stand in columns */
    json_t *coverage;         /* under --json */
} tester;

static const char *name_of(const tester *w, const obb_test_run *t)
{
    const char *number = t->number ? obb_arena_format(w->s->w->arena, " #%u", t->number) : "";
    return obb_arena_format(w->s->w->arena, "%s%s%s%s", t->target->name, t->case_name ? ": " : "",
                            t->case_name ? t->case_name : "", number);
}

static void find_widths(tester *w)
{
    for (size_t i = 0; i < w->list.trials.count; i++) {
        const obb_test_run *t = &w->list.trials.at[i];
        int name = (int)strlen(name_of(w, t)), variant = (int)strlen(t->variant->name);
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

static void show_printed(const tester *w, const obb_test_run *t)
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

static const struct {
    const char *word;
    ink ink;
} outcomes[] = {{"pass", INK_GOOD}, {"fail", INK_ERROR}, {"skip", INK_WARNING}, {"", INK_PLAIN}};

/* The cases that a test told of: those that passed under -v alone. */
static void show_cases(const tester *w, const obb_test_run *t)
{
    for (size_t i = 0; i < t->cases.count; i++) {
        const obb_test_case *c = &t->cases.at[i];
        if (c->outcome == OBB_PASSED && !w->s->options->verbose)
            continue;
        terminal_ink(w->lines, outcomes[c->outcome].ink, "  %-8s", outcomes[c->outcome].word);
        terminal_say(w->lines, "  %s", c->name);
        if (c->reason)
            terminal_say(w->lines, "  because %s", c->reason);
        fputc('\n', w->lines);
    }
}

static void finished(void *self, const obb_test_run *t, size_t done, size_t total)
{
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
    show_cases(w, t);
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
    snprintf(line, sizeof line, "%zu of %zu tests done  %s  %u running", done, total,
             duration_text(room, sizeof room, milliseconds), running);
    terminal_progress(line);
}

static size_t count(const tester *w, obb_outcome outcome)
{
    size_t n = 0;
    for (size_t i = 0; i < w->list.trials.count; i++)
        n += w->list.trials.at[i].outcome == outcome;
    return n;
}

static void summarize(const tester *w, uint64_t milliseconds, bool interrupted)
{
    size_t failed = count(w, OBB_FAILED), skipped = count(w, OBB_SKIPPED), left = count(w, OBB_NOT_RUN);
    char room[40];
    terminal_progress("");
    if (w->s->options->json)
        return;
    if (w->lines == stdout && !w->s->options->quiet)
        test_matrix_print(&w->list, w->s->w->arena);
    if (interrupted)
        terminal_ink(w->lines, INK_ERROR, "interrupted: ");
    terminal_ink(w->lines, failed ? INK_ERROR : INK_GOOD, "%zu passed, %zu failed", count(w, OBB_PASSED),
                 failed);
    if (skipped)
        terminal_say(w->lines, ", %zu skipped", skipped);
    if (left)
        terminal_say(w->lines, ", %zu not run", left);
    if (w->left_out)
        terminal_say(w->lines, ", %zu not for the chosen variants", w->left_out);
    if (w->list.unaffected)
        terminal_say(w->lines, ", %zu not affected since they passed", w->list.unaffected);
    if (w->list.passed_before)
        terminal_say(w->lines, ", %zu left out that did not fail last time", w->list.passed_before);
    terminal_say(w->lines, ", %s\n", duration_text(room, sizeof room, milliseconds));
}

/* Writes a report to a file, or to standard output. */
static int write_report(session *s, const char *path, const obb_text *text)
{
    if (strcmp(path, "-") == 0) {
        fwrite(text->bytes, 1, text->length, stdout);
        return 0;
    }
    char *seen = obb_path_join(s->w->arena, s->w->start, path);
    int failed = obb_path_make_folders(seen);
    if (!failed)
        failed = obb_file_write(seen, text->bytes, text->length, NULL);
    if (failed)
        obb_workspace_cannot_write(s->w, path, failed);
    return obb_workspace_tell(s->w);
}

static int write_reports(tester *w, uint64_t milliseconds)
{
    const options *o = w->s->options;
    int code = 0;
    obb_text text = {0};
    if (o->tap) {
        obb_report_tap(w->list.trials.at, w->list.trials.count, &text);
        code = write_report(w->s, o->tap, &text);
    }
    text.length = 0;
    if (o->junit && !code) {
        obb_report_junit(w->s->w->project ? w->s->w->project->name : "", w->list.trials.at,
                         w->list.trials.count, milliseconds, &text);
        code = write_report(w->s, o->junit, &text);
    }
    obb_text_free(&text);
    if (o->json) {
        json_t *document = json_object();
        json_object_set_new(document, "tests", obb_report_test_runs(w->list.trials.at, w->list.trials.count));
        json_object_set_new(document, "variants", test_matrix_totals(&w->list, w->s->w->arena));
        json_object_set_new(document, "passed", json_integer((json_int_t)count(w, OBB_PASSED)));
        json_object_set_new(document, "failed", json_integer((json_int_t)count(w, OBB_FAILED)));
        json_object_set_new(document, "skipped", json_integer((json_int_t)count(w, OBB_SKIPPED)));
        json_object_set_new(document, "not-run", json_integer((json_int_t)count(w, OBB_NOT_RUN)));
        json_object_set_new(document, "not-affected", json_integer((json_int_t)w->list.unaffected));
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
    table t = {.name = "coverage"};
    size_t code = 0, ran = 0;
    if (!obb_coverage_collect(s->w->plan, s->w->arena, s->w->diags, &files))
        return obb_workspace_tell(s->w);
    table_row(&t, "file", "variant", ">lines of code", ">ran", ">percent");
    for (size_t i = 0; i < files.count; i++) {
        const obb_covered_file *f = files.at[i];
        code += f->code;
        ran += f->ran;
        table_row(&t, f->path, f->variant->name, obb_arena_format(s->w->arena, "%zu", f->code),
                  obb_arena_format(s->w->arena, "%zu", f->ran),
                  obb_arena_format(s->w->arena, "%.1f",
                                   f->code ? 100.0 * (double)f->ran / (double)f->code : 100.0));
    }
    if (s->options->json) {
        w->coverage = table_rows(&t);
        return 0;
    }
    table_print(&t, false);
    terminal_say(stdout, "%zu of %zu lines of code ran: %.1f %%\n", ran, code,
                 code ? 100.0 * (double)ran / (double)code : 100.0);
    return 0;
}

static unsigned jobs(const session *s)
{
    return s->options->request.jobs ? s->options->request.jobs : uv_available_parallelism();
}

static int run_trials(tester *w)
{
    session *s = w->s;
    bool interrupted;
    const obb_test_runs_options how = {.jobs = jobs(s),
                                       .retries = s->options->retry,
                                       .first_failure = s->options->first_failure,
                                       .finished = finished,
                                       .ticked = ticked,
                                       .self = w};
    uint64_t took = obb_run_tests(w->list.trials.at, w->list.trials.count, &how, s->w->arena, &interrupted);
    summarize(w, took, interrupted);
    int noted = obb_remember_test_runs(s->w, &w->list);
    obb_history_add_tests(s->w, w->list.trials.at, w->list.trials.count);
    int code = s->options->coverage && !interrupted ? show_coverage(w) : 0;
    if (!code)
        code = write_reports(w, took);
    code = code ? code : noted;
    if (interrupted)
        return OBB_BUILD_INTERRUPTED;
    return code ? code : count(w, OBB_FAILED) ? OBB_FAULT_ACTION : 0;
}

/* The tests that the names mean take their places in the request. */
static int choose_tests(tester *w)
{
    session *s = w->s;
    obb_words names = {0}, chosen = {0};
    int code = obb_choose_tests(s->w, &names, &w->left_out);
    for (size_t i = 0; i < names.count; i++)
        obb_vec_push(&chosen, strdup(names.at[i]));
    options_name(s->options, &chosen);
    return code;
}

static int tell_none(tester *w)
{
    if (!w->s->options->json && w->left_out)
        terminal_say(stdout, "0 passed, 0 failed, %zu not for the chosen variants\n", w->left_out);
    else if (!w->s->options->json)
        terminal_say(stdout, "the project has no tests; describe one: test NAME { sources tests/*.c }\n");
    return write_reports(w, 0);
}

/* After a build: the tests need the plan, and other builds need not wait for them to end. */
static int test_what_is_built(tester *w, bool in_parts)
{
    session *s = w->s;
    const options *o = s->options;
    obb_workspace_renew(s->w);
    int code = obb_plan_request(s->w);
    if (!code && in_parts)
        code = obb_scan_changed(s->w);
    if (code)
        return code;
    const obb_test_choice choice = {.failed = o->failed, .affected = o->affected, .repeat = o->repeat,
                                    .jobs = jobs(s),
                                    .unmade = in_parts ? obb_list_unmade(s->w) : NULL};
    obb_plan_believe(s->w->plan); /* what steps made is there */
    if (o->coverage)
        obb_coverage_reset(s->w->plan);
    code = obb_make_test_runs(s->w, &choice, &w->list);
    find_widths(w);
    return code ? code : run_trials(w);
}

int command_test(session *s)
{
    const options *o = s->options;
    bool taken = o->json || (o->tap && strcmp(o->tap, "-") == 0) || (o->junit && strcmp(o->junit, "-") == 0);
    tester w = {.s = s, .lines = taken ? stderr : stdout};
    if (o->coverage)
        obb_vec_push(&s->options->request.sets, strdup("coverage=on"));
    int code = choose_tests(&w);
    if (code)
        return code;
    if (!o->request.names.count)
        return tell_none(&w);
    code = build_targets(s, stderr, false);
    bool in_parts = code == OBB_FAULT_ACTION && o->request.keep_going;
    if ((code && !in_parts) || o->request.dry_run)
        return code;
    return test_what_is_built(&w, in_parts);
}
