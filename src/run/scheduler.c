/* Carrying a plan out (run.h). An action is ready when all that it needs is done; then it is judged
 * (up_to_date.c), and either complete at once or put into the queue of what must run. Outputs are made in a
 * folder of the tool's own and renamed when the command has succeeded; the record is written after that.
 * What a compile includes may be known only once a step has run: then its scan goes on, and actions may
 * become wanted late. */
#include "run/run.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "plan/differences.h"
#include "run/scheduler.h"
#include "toolchain/dialect.h"

enum { LONG_COMMAND = 100 * 1024 };

void obb_run_tell(runner *r, obb_event event)
{
    event.done = r->finished;
    event.total = r->total;
    event.running = r->commands.running + (event.kind == OBB_EVENT_START);
    event.elapsed = obb_commands_elapsed(&r->commands);
    if (r->expected_work > r->done_work)
        event.expected = (r->expected_work - r->done_work) / (r->options->jobs ? r->options->jobs : 1);
    if (r->options->observer)
        r->options->observer(r->options->self, &event);
}

/* --- the order ---------------------------------------------------------------------- */

static void prepare(runner *r)
{
    const obb_plan *plan = r->plan;
    size_t n = plan->actions.count;
    r->waiting_for = obb_arena_alloc(r->arena, n * sizeof *r->waiting_for);
    r->users = obb_arena_alloc(r->arena, n * sizeof *r->users);
    r->causes = obb_arena_alloc(r->arena, n * sizeof *r->causes);
    r->done = obb_arena_alloc(r->arena, n);
    for (uint32_t i = 0; i < n; i++) {
        const obb_action *a = plan->actions.at[i];
        if (!r->wanted[i])
            continue;
        for (size_t k = 0; k < a->needs.count; k++) {
            r->waiting_for[i]++;
            obb_arena_push(r->arena, &r->users[a->needs.at[k]], i);
        }
        if (!a->needs.count)
            obb_arena_push(r->arena, &r->ready, i);
        if (r->forecast[i].kind == OBB_CAUSE_NONE)
            continue;
        r->total++;
        r->expected_work += r->forecast[i].took;
    }
}

static void complete(runner *r, uint32_t number)
{
    r->done[number] = true;
    for (size_t i = 0; i < r->users[number].count; i++)
        if (--r->waiting_for[r->users[number].at[i]] == 0)
            obb_arena_push(r->arena, &r->ready, r->users[number].at[i]);
}

static void wait_for(runner *r, uint32_t number, uint32_t need)
{
    if (r->done[need])
        return;
    r->waiting_for[number]++;
    obb_arena_push(r->arena, &r->users[need], number);
}

/* What it will make is known before it is made, so that it is found even after a kill. */
static void note_action(runner *r, const obb_action *a)
{
    obb_state_note_made(r->state, a->output);
    for (size_t k = 0; k < a->also.count; k++)
        obb_state_note_made(r->state, a->also.at[k]);
    for (size_t k = 0; k < a->byproducts.count; k++)
        obb_state_note_made(r->state, a->byproducts.at[k]);
}

static void want_late(runner *r, uint32_t number);

/* Takes a scan further, where a step that it waited for is done. False: there is more to wait for,
 * or it cannot be done. */
static bool scan_late(runner *r, uint32_t number)
{
    obb_action *a = r->plan->actions.at[number];
    obb_recaller recaller = {r->state, r->plan->files};
    while (obb_action_unscanned(a) && !r->waiting_for[number]) {
        size_t before = a->needs.count;
        obb_plan_scan_action(r->plan, a, obb_recall_from_records, &recaller, r->diags);
        for (size_t i = before; i < a->needs.count; i++) {
            want_late(r, a->needs.at[i]);
            wait_for(r, number, a->needs.at[i]);
        }
    }
    return !a->broken && !r->waiting_for[number];
}

/* An action that nobody knew to be wanted: what it makes is included by something that is made. */
static void want_late(runner *r, uint32_t number)
{
    const obb_action *a = r->plan->actions.at[number];
    if (r->wanted[number])
        return;
    r->wanted[number] = true;
    note_action(r, a);
    obb_state_commit(r->state);
    for (size_t i = 0; i < a->needs.count; i++) {
        want_late(r, a->needs.at[i]);
        wait_for(r, number, a->needs.at[i]);
    }
    if (!r->waiting_for[number])
        obb_arena_push(r->arena, &r->ready, number);
}

static void count_failure(runner *r, obb_event event)
{
    event.kind = OBB_EVENT_FAILED;
    obb_run_tell(r, event);
    r->result.failed++;
    if (!r->options->keep_going)
        r->stopping = true;
}

/* What the late scan of an action had to say, in one text. */
static const char *said(runner *r)
{
    obb_text text = {0};
    for (size_t i = 0; i < r->diags->list.count; i++) {
        const obb_diag *d = r->diags->list.at[i];
        obb_text_format(&text, "%s%s:%d: %s", i ? "\n" : "", d->place.file ? d->place.file : "",
                        d->place.line, d->message);
        for (size_t k = 0; k < d->notes.count; k++)
            obb_text_format(&text, "\n  %s", d->notes.at[k].message);
        if (d->hint)
            obb_text_format(&text, "\n  hint: %s", d->hint);
    }
    const char *copy = obb_arena_string(r->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    r->diags->list.count = 0;
    return copy;
}

static void fail_scan(runner *r, obb_action *a)
{
    if (r->options->explained) { /* the whole plan may know what makes it */
        r->result.takes_more = r->stopping = true;
        r->diags->list.count = 0;
        return;
    }
    count_failure(r, (obb_event){.action = a,
                                 .cause = "what it includes was made just now",
                                 .message = said(r),
                                 .output = ""});
}

/* Judges what has become ready; what is up to date makes more ready. */
static void judge_ready(runner *r)
{
    while (r->first_ready < r->ready.count) {
        uint32_t n = r->ready.at[r->first_ready++];
        obb_action *a = r->plan->actions.at[n];
        bool late = !a->broken && obb_action_unscanned(a);
        if (late && !scan_late(r, n)) {
            if (a->broken)
                fail_scan(r, a);
            continue;
        }
        if (late && r->options->explained && !r->options->explained(r->options->explainer, a)) {
            r->result.takes_more = r->stopping = true;
            continue;
        }
        if (a->broken)
            continue;
        obb_cause cause = a->step ? obb_judge_step(r->state, r->plan, a)
                                  : obb_judge(r->state, r->plan->files, a);
        if (cause.kind == OBB_CAUSE_NONE) {
            r->result.up_to_date++;
            if (r->forecast[n].kind != OBB_CAUSE_NONE)
                r->total--;
            complete(r, n);
            continue;
        }
        r->total += r->forecast[n].kind == OBB_CAUSE_NONE; /* it was not expected */
        r->causes[n] = obb_cause_text(r->arena, r->state, r->plan, a, cause);
        obb_arena_push(r->arena, &r->to_run, n);
    }
}

/* --- one command -------------------------------------------------------------------- */

static void start_more(runner *r);

char *obb_run_work_file(runner *r, const obb_action *a, const char *suffix)
{
    const char *path = obb_files_path(r->plan->files, a->output);
    return obb_arena_format(r->arena, "%s/" OBB_WORK_FOLDER "/%016llx.%s", r->plan->out,
                            (unsigned long long)obb_fingerprint_of(path, strlen(path)).low, suffix);
}

static void fail(runner *r, child *c, const char *message)
{
    count_failure(r, (obb_event){.action = c->action,
                                 .cause = c->cause,
                                 .output = obb_text_bytes(&c->command.output),
                                 .output_length = c->command.output.length,
                                 .status = c->command.status,
                                 .signal = c->command.signal,
                                 .message = message,
                                 .milliseconds = obb_commands_now(&r->commands) - c->started});
}

/* Takes the compiler's report of what it read, and compares. What the scan had not found is an
 * input from now on. */
static void take_report(runner *r, child *c)
{
    obb_action *a = c->action;
    obb_text text = {0};
    obb_words files = {0};
    obb_differences differences = {0};
    char root[4096];
    bool told = !obb_file_read(c->told_file, &text) && text.length && getcwd(root, sizeof root);
    if (told) {
        r->result.reports++;
        obb_read_rule(r->plan->files, r->arena, root, text.bytes, &files);
        obb_differences_find(r->plan, a, &files, r->plan->arena, &differences);
        obb_differences_remember(r->plan->toolchains->memo, r->plan, a, &differences);
        a->inputs.count = a->found_inputs;
    }
    for (size_t i = 0; i < differences.count; i++)
        if (differences.at[i].missed)
            obb_arena_push(r->plan->arena, &a->inputs,
                           obb_files_number(r->plan->files, differences.at[i].path));
    r->result.differences += differences.count;
    obb_text_free(&text);
}

/* Each input is noted once in a run. */
static bool noted_before(runner *r, obb_file file)
{
    while (r->noted.count <= file)
        obb_vec_push(&r->noted, false);
    bool known = r->noted.at[file];
    r->noted.at[file] = true;
    return known;
}

static void record(runner *r, child *c, obb_fingerprint output, uint64_t milliseconds)
{
    const obb_action *a = c->action;
    obb_record rec = {.command = a->command, .tools = a->tools, .output = output,
                      .milliseconds = milliseconds, .reason = c->cause, .argv = a->argv,
                      .scan = a->scan, .assembled = a->assembled, .text_matters = a->text_matters,
                      .untold = a->untold};
    rec.absent.at = a->absent.at;
    rec.absent.count = a->absent.count;
    rec.also.at = a->also.at;
    rec.also.count = a->also.count;
    for (size_t i = 0; i < a->inputs.count; i++) {
        obb_seen seen = {a->inputs.at[i], OBB_NO_FINGERPRINT};
        obb_input_fingerprint(r->plan->files, a, i, &seen.fingerprint);
        obb_arena_push(r->arena, &rec.inputs, seen);
        if (a->options && !noted_before(r, seen.file))
            obb_note_text(r->state, r->plan->files, seen.file, a);
    }
    obb_state_put_record(r->state, a->output, &rec);
    int failed = obb_state_commit(r->state);
    if (failed && !r->result.store_failed)
        r->result.store_failed = failed;
}

/* Renames; where a part of the output folder lies on another file system, copies. */
static int put_in_place(runner *r, const char *temporary, const char *path)
{
    int failed = obb_below_rename(r->plan->out, temporary, path);
    obb_text text = {0};
    obb_stamp stamp;
    if (failed != EXDEV)
        return failed;
    failed = obb_stamp_of(temporary, &stamp) ? obb_file_read(temporary, &text) : errno;
    if (!failed)
        failed = obb_below_make_folders(r->plan->out, path);
    if (!failed)
        failed = obb_file_replace(path, obb_text_bytes(&text), text.length, stamp.executable ? 0777 : 0666);
    obb_text_free(&text);
    return failed;
}

/* Puts the output in its place and writes the record. NULL, or what went wrong. */
static const char *accept_output(runner *r, child *c)
{
    obb_files *files = r->plan->files;
    const obb_action *a = c->action;
    const char *path = obb_files_path(files, a->output);
    const obb_record *before = obb_state_record(r->state, a->output);
    obb_fingerprint then = before ? before->output : OBB_NO_FINGERPRINT, fingerprint;
    int misplaced = c->temporary ? put_in_place(r, c->temporary, path) : 0;
    if (misplaced)
        return misplaced == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                   : obb_arena_format(r->arena, "cannot put %s in its place: %s", path,
                                                      obb_below_error(misplaced));
    obb_file missing;
    obb_files_forget(files, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        obb_files_forget(files, a->also.at[i]);
    int failed = obb_outputs_fingerprint(files, a, &fingerprint, &missing);
    path = obb_files_path(files, missing);
    if (failed)
        return failed == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                : obb_arena_format(r->arena, "cannot read %s: %s", path, strerror(failed));
    if (c->told_file && !a->step)
        take_report(r, c);
    uint64_t took = c->taken ? c->cached : obb_commands_now(&r->commands) - c->started;
    record(r, c, fingerprint, took);
    r->result.made++;
    r->result.hits += c->taken;
    if (*c->key.text && !c->taken && a->inputs.count == c->inputs)
        obb_arena_push(r->arena, &r->cachings,
                       (caching){c->key, a, took,
                                 obb_arena_string(r->arena, obb_text_bytes(&c->command.output))});
    r->result.same += obb_fingerprint_same(then, fingerprint);
    obb_arena_push(r->arena, &r->made, c->action);
    return NULL;
}

static void drop_files(const obb_plan *plan, const obb_file_list *list)
{
    for (size_t i = 0; i < list->count; i++)
        obb_below_remove(plan->out, obb_files_path(plan->files, list->at[i]));
}

/* A step may promise its report as well. */
static bool is_output(const obb_files *files, const obb_action *a, const char *path)
{
    bool is = strcmp(obb_files_path(files, a->output), path) == 0;
    for (size_t i = 0; i < a->also.count && !is; i++)
        is = strcmp(obb_files_path(files, a->also.at[i]), path) == 0;
    return is;
}

static void drop_leftovers(child *c, bool succeeded)
{
    const obb_plan *plan = c->run->plan;
    const obb_files *files = plan->files;
    if (c->temporary)
        unlink(c->temporary);
    else if (!succeeded)
        obb_below_remove(plan->out, obb_files_path(files, c->action->output));
    if (!succeeded) {
        drop_files(plan, &c->action->also);
        drop_files(plan, &c->action->byproducts);
    }
    if (c->words_file)
        unlink(c->words_file);
    if (c->told_file && !is_output(files, c->action, c->told_file))
        unlink(c->told_file);
}

/* The command wrote under another name than the one that people know: they are told the latter. */
static void name_output(const runner *r, child *c)
{
    const char *text = obb_text_bytes(&c->command.output),
               *path = obb_files_path(r->plan->files, c->action->output), *found;
    obb_text told = {0};
    size_t n = c->temporary ? strlen(c->temporary) : 0;
    if (!n || !strstr(text, c->temporary))
        return;
    for (; (found = strstr(text, c->temporary)); text = found + n) {
        obb_text_add(&told, text, (size_t)(found - text));
        obb_text_string(&told, path);
    }
    obb_text_add(&told, text, c->command.output.length - (size_t)(text - c->command.output.bytes));
    obb_text_free(&c->command.output);
    c->command.output = told;
}

/* What a command that has ended leaves behind: its output in place and its record, or what
 * failed. */
void obb_child_settle(runner *r, child *c, const char *message)
{
    bool ok = c->command.status == 0 && c->command.signal == 0 && !message;
    r->done_work += r->forecast[c->action->number].took;
    name_output(r, c);
    if (ok)
        message = accept_output(r, c);
    drop_leftovers(c, ok && !message);
    if (ok && !message) {
        r->finished++;
        obb_run_tell(r, (obb_event){.kind = OBB_EVENT_DONE,
                                    .action = c->action,
                                    .cause = c->cause,
                                    .output = obb_text_bytes(&c->command.output),
                                    .output_length = c->command.output.length,
                                    .hit = c->taken,
                                    .milliseconds = obb_commands_now(&r->commands) - c->started});
        complete(r, c->action->number);
    } else if (!r->result.interrupted) {
        fail(r, c, message);
    }
    obb_text_free(&c->command.output);
}


void obb_child_over(obb_command *command)
{
    child *c = command->self;
    if (command->failed)
        obb_text_format(&command->output, "cannot run %s: %s\n", command->argv[0], strerror(command->failed));
    obb_step_take_watch(c->run, c);
    bool goes_on = c->action->step && command->status == 0 && command->signal == 0;
    if (goes_on && !c->run->result.interrupted)
        obb_step_go_on(c->run, c);
    else
        obb_child_settle(c->run, c, goes_on ? "it was interrupted" : NULL);
    start_more(c->run);
}

/* The words that do not fit on a command line go into a file: one a line, in quotes. */
static bool write_words_file(runner *r, child *c, size_t from)
{
    obb_text text = {0};
    for (size_t i = from; i + 1 < c->argv.count; i++) {
        obb_text_char(&text, '"');
        for (const char *s = c->argv.at[i]; *s; s++) {
            if (*s == '"' || *s == '\\')
                obb_text_char(&text, '\\');
            obb_text_char(&text, *s);
        }
        obb_text_string(&text, "\"\n");
    }
    c->words_file = obb_run_work_file(r, c->action, "words");
    bool ok = obb_file_replace(c->words_file, text.bytes, text.length, 0666) == 0;
    obb_text_free(&text);
    c->argv.count = from;
    obb_arena_push(r->arena, &c->argv, obb_arena_format(r->arena, "@%s", c->words_file));
    obb_arena_push(r->arena, &c->argv, NULL);
    return ok;
}

/* The linker is asked for its report by one more word, which is no part of the command (GNU ld manual 2.1,
 * --dependency-file; LLVM's and gold have it as well). */
static const char *report_word(runner *r, child *c)
{
    const obb_action *a = c->action;
    if (!a->reports || strpbrk(r->plan->out, " ,\t"))
        return NULL;
    for (size_t i = 0; i < a->argv.count; i++)
        if (strstr(a->argv.at[i], "dependency-file"))
            return NULL;
    c->told_file = obb_run_work_file(r, a, "told");
    unlink(c->told_file);
    return obb_arena_format(r->arena, "%s--dependency-file=%s",
                            a->tool->role == OBB_TOOL_LINKER ? "" : "-Wl,", c->told_file);
}

/* The command as it is run: with the temporary name, and a words file when it is long. */
static bool make_argv(runner *r, child *c)
{
    const obb_action *a = c->action;
    size_t length = 0;
    if (!a->in_place && a->output_word != SIZE_MAX)
        c->temporary = obb_run_work_file(r, a, "part");
    const char *report = report_word(r, c);
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = c->temporary && i == a->output_word ? c->temporary : a->argv.at[i];
        obb_arena_push(r->arena, &c->argv, w);
        length += strlen(w) + 1;
    }
    if (report)
        obb_arena_push(r->arena, &c->argv, report);
    obb_arena_push(r->arena, &c->argv, NULL);
    return length < LONG_COMMAND || write_words_file(r, c, a->tool->command.count);
}

/* Compilers of the known families write what they read when a variable of the environment says
 * where: gcc by SUNPRO_DEPENDENCIES (GCC manual, Environment Variables Affecting GCC), clang by
 * words that are added to its own (CCC_OVERRIDE_OPTIONS). So the command stays as it is shown.
 * NULL: this one cannot, or the user uses the variable. */
static char *report_variable(runner *r, child *c)
{
    const obb_action *a = c->action;
    bool preprocessed = a->options && (a->options->language == OBB_C || a->options->language == OBB_CXX ||
                                       a->options->language == OBB_ASM_CPP);
    obb_family family = a->tool ? a->tool->family : OBB_FAMILY_UNKNOWN;
    const char *name = family == OBB_FAMILY_GCC     ? "SUNPRO_DEPENDENCIES"
                       : family == OBB_FAMILY_CLANG ? "CCC_OVERRIDE_OPTIONS"
                                                    : NULL;
    if (!preprocessed || !name || getenv(name) || strpbrk(r->plan->out, " \t"))
        return NULL;
    for (size_t i = 0; i < a->argv.count; i++)
        if (obb_starts(a->argv.at[i], "-M"))
            return NULL;
    c->told_file = obb_run_work_file(r, a, "told");
    unlink(c->told_file); /* a report is added to what is there */
    return obb_arena_format(r->arena, family == OBB_FAMILY_GCC ? "%s=%s x" : "%s=# +-MD +-MF +%s", name,
                            c->told_file);
}

/* An operation of our own is done at once, here: it takes milliseconds. */
static void operate(runner *r, child *c)
{
    const char *path = obb_files_path(r->plan->files, c->action->output);
    obb_run_tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    obb_child_settle(r, c, obb_image_make(c->action->image, path, obb_path_name(path), r->arena));
}

/* The folders of an output. A tool that writes under the final name must not write through a link; and
 * nothing can be put in the place of a folder. */
static int make_room(runner *r, const obb_action *a, obb_file output)
{
    const char *path = obb_files_path(r->plan->files, output);
    obb_stamp stamp;
    int failed = obb_below_make_folders(r->plan->out, path);
    if (!failed && obb_stamp_of(path, &stamp) && stamp.kind == OBB_KIND_FOLDER && !obb_is_link(path))
        failed = obb_below_remove_all(r->plan->out, path);
    else if (!failed && a->in_place && obb_is_link(path))
        failed = obb_below_remove(r->plan->out, path);
    return failed;
}

static void start(runner *r, uint32_t number)
{
    child *c = obb_arena_alloc(r->arena, sizeof *c);
    obb_action *a = r->plan->actions.at[number];
    const char *path = obb_files_path(r->plan->files, a->output);
    *c = (child){.run = r,
                 .action = a,
                 .cause = r->causes[number],
                 .started = obb_commands_now(&r->commands)};
    int failed = make_room(r, a, a->output);
    for (size_t i = 0; i < a->also.count && !failed; i++)
        failed = make_room(r, a, a->also.at[i]);
    if (!failed && a->image) {
        operate(r, c);
        return;
    }
    if (!failed && a->step) {
        obb_step_begin(r, c);
        return;
    }
    if (!failed && obb_object_cache_take_object(r, c))
        return;
    if (!failed && !make_argv(r, c))
        failed = EIO;
    if (c->temporary)
        unlink(c->temporary);
    if (failed) {
        fail(r, c, obb_arena_format(r->arena, "cannot write %s: %s", path, obb_below_error(failed)));
        return;
    }
    obb_run_tell(r, (obb_event){.kind = OBB_EVENT_START, .action = a, .cause = c->cause});
    const char *report = report_variable(r, c);
    char **environment = report ? obb_environment_with(NULL, &report, 1) : NULL;
    c->command = (obb_command){.argv = c->argv.at,
                               .environment = environment,
                               .lock = obb_state_lock(r->state),
                               .over = obb_child_over,
                               .self = c};
    obb_commands_start(&r->commands, &c->command);
    free(environment);
}

static void start_more(runner *r)
{
    judge_ready(r);
    while (!r->stopping && r->commands.running < r->options->jobs && r->first_to_run < r->to_run.count) {
        start(r, r->to_run.at[r->first_to_run++]);
        judge_ready(r);
    }
    if (!r->commands.running && (r->stopping || r->first_to_run == r->to_run.count))
        obb_commands_finish(&r->commands);
}

static void interrupted(void *self)
{
    runner *r = self;
    r->result.interrupted = r->stopping = true;
    start_more(r);
}

static void ticked(void *self)
{
    obb_run_tell(self, (obb_event){.kind = OBB_EVENT_TICK});
}

/* --- the whole ---------------------------------------------------------------------- */

static void note_outputs(runner *r)
{
    for (uint32_t i = 0; i < r->plan->actions.count; i++)
        if (r->wanted[i] && r->forecast[i].kind != OBB_CAUSE_NONE)
            note_action(r, r->plan->actions.at[i]);
    r->result.store_failed = obb_state_commit(r->state);
}

/* An input that changed while commands read it: nobody knows which text they saw, so the
 * records of its readers must not hold. */
static void check_moving_inputs(runner *r)
{
    obb_files *files = r->plan->files;
    size_t count = obb_files_count(files);
    char *moved = obb_arena_alloc(r->arena, count); /* 0 not looked at, 1 steady, 2 moved */
    for (size_t i = 0; i < r->made.count; i++) {
        const obb_action *a = r->made.at[i];
        bool any = false;
        for (size_t k = 0; k < a->inputs.count; k++) {
            obb_file f = a->inputs.at[k];
            obb_stamp stamp;
            if (!moved[f]) {
                const obb_stamp *then = obb_files_stamp(files, f);
                bool there = obb_stamp_of(obb_files_path(files, f), &stamp);
                moved[f] = then && there && obb_stamp_same(then, &stamp) ? 1 : 2;
            }
            any = any || moved[f] == 2;
            if (moved[f] == 2)
                r->result.moving = obb_files_path(files, f);
        }
        if (!any)
            continue;
        obb_record rec = *obb_state_record(r->state, a->output);
        for (size_t k = 0; k < rec.inputs.count; k++)
            if (moved[rec.inputs.at[k].file] == 2)
                rec.inputs.at[k].fingerprint = OBB_NO_FINGERPRINT;
        obb_state_put_record(r->state, a->output, &rec);
    }
}

obb_run_result obb_run(obb_plan *plan, obb_state *state, bool *wanted,
                       const obb_run_options *options)
{
    runner r = {.plan = plan, .state = state, .wanted = wanted, .options = options,
                .arena = obb_arena_new()};
    size_t wanted_count = 0;
    r.diags = obb_diags_new();
    r.forecast = options->forecast ? options->forecast : obb_forecast(r.arena, state, plan, wanted);
    prepare(&r);
    r.commands = (obb_commands){.self = &r, .interrupted = interrupted, .ticked = ticked};
    obb_commands_open(&r.commands);
    if (r.total)
        note_outputs(&r);
    if (r.total) /* what fails is told by the first action */
        obb_below_make_folders(plan->out, obb_arena_format(r.arena, "%s/" OBB_WORK_FOLDER "/x", plan->out));
    obb_run_tell(&r, (obb_event){.kind = OBB_EVENT_BEGIN});
    start_more(&r);
    r.result.milliseconds = obb_commands_run(&r.commands);
    check_moving_inputs(&r);
    if (options->cache)
        obb_object_cache_fill(&r);
    for (size_t i = 0; i < plan->actions.count; i++)
        wanted_count += wanted[i];
    r.result.left = wanted_count - r.result.made - r.result.up_to_date - r.result.failed;
    if (r.result.moving)
        r.result.moving = obb_arena_string(plan->arena, r.result.moving);
    obb_vec_free(&r.noted);
    obb_diags_free(r.diags);
    obb_arena_free(r.arena);
    return r.result;
}
