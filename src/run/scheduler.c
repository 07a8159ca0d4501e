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
#include "base/commands.h"
#include "base/path.h"
#include "plan/differences.h"
#include "run/caching.h"
#include "run/expected.h"
#include "run/invocation.h"
#include "run/steps.h"
#include "scan/linker_script.h"
#include "toolchain/dialect.h"

typedef struct runner runner;

/* How long an action that was carried out took. */
typedef struct obb_took {
    uint32_t number;
    uint64_t milliseconds;
} obb_took;

/* One action that is being carried out: an invocation of a tool, a step, an operation of our own, or an
 * object from the cache. */
typedef struct child {
    obb_command command;
    runner *run;
    const obb_action *action;
    const char *cause;
    obb_invocation invocation;
    obb_step_run step;
    uint64_t started;
    obb_object_cache_key key; /* in the cache; empty: it is not for it */
    size_t inputs;            /* how many there were when the key was made */
    bool cached;              /* it was taken from there, */
    obb_cost cost;            /* and making it had this cost; else what this one costs, so far */
} child;

struct runner {
    const obb_plan *plan;
    obb_dependency_table *table; /* of the plan: grows while it runs */
    obb_state *state;
    bool *wanted;
    const obb_run_options *options;
    obb_arena *arena;
    obb_commands commands;
    uint32_t *waiting_for; /* by action: needs that are not done */
    obb_numbers *users;       /* by action */
    obb_numbers to_judge;     /* a queue, from `first_to_judge` on: what they need is done */
    size_t first_to_judge;
    obb_ready to_run;         /* actions that must be made, and could start */
    obb_work *work;           /* by action: what is expected */
    uint64_t memory;          /* that running commands are expected to need */
    OBB_VEC(obb_took) took;   /* in the order in which they ended */
    const char **causes;
    bool *done; /* by action: its outputs are in their final state */
    obb_diags *diags;
    const obb_cause *forecast;
    size_t total, finished;
    uint64_t expected_work, done_work;
    bool stopping;
    OBB_VEC(bool) noted; /* by file */
    OBB_VEC(const obb_action *) made;
    OBB_VEC(obb_cacheable) cacheable;
    obb_run_result result;
};

static void tell(runner *r, obb_event event)
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
        const obb_dependencies *d = &r->table->of[i];
        if (!r->wanted[i])
            continue;
        for (size_t k = 0; k < d->needs.count; k++) {
            uint32_t need = d->needs.at[k];
            if (!r->wanted[need]) /* of a subplan: it is known to be up to date */
                continue;
            r->waiting_for[i]++;
            obb_arena_push(r->arena, &r->users[need], i);
        }
        if (!r->waiting_for[i])
            obb_arena_push(r->arena, &r->to_judge, i);
        if (r->forecast[i].kind == OBB_CAUSE_NONE)
            continue;
        r->total++;
        r->expected_work += r->forecast[i].cost.milliseconds;
    }
    r->work = obb_arena_alloc(r->arena, n * sizeof *r->work);
    obb_expect(r->work, r->table, r->forecast, r->wanted);
    obb_order_ways(r->work, r->users, n);
    obb_order_refine(r->work, r->users, n, r->options->jobs);
    r->to_run.work = r->work;
}

static void complete(runner *r, uint32_t number)
{
    r->done[number] = true;
    for (size_t i = 0; i < r->users[number].count; i++)
        if (--r->waiting_for[r->users[number].at[i]] == 0)
            obb_arena_push(r->arena, &r->to_judge, r->users[number].at[i]);
}

static void wait_for(runner *r, uint32_t number, uint32_t need)
{
    if (r->done[need])
        return;
    r->waiting_for[number]++;
    obb_arena_push(r->arena, &r->users[need], number);
}

/* Outputs are noted before they are made, so that they are found even after a kill. */
static void note_action(runner *r, const obb_action *a)
{
    obb_state_note_made(r->state, a->output);
    for (size_t k = 0; k < a->also.count; k++)
        obb_state_note_made(r->state, a->also.at[k]);
    for (size_t k = 0; k < a->byproducts.count; k++)
        obb_state_note_made(r->state, a->byproducts.at[k]);
}

static void want_late(runner *r, uint32_t number, uint32_t user);

/* Takes a scan further, where a step that it waited for is done. False: there is more to wait for,
 * or it cannot be done. */
static bool scan_late(runner *r, uint32_t number)
{
    const obb_action *a = r->plan->actions.at[number];
    obb_dependencies *d = &r->table->of[number];
    obb_recaller recaller = {r->state, r->plan->files};
    while (obb_unscanned(r->table, a) && !r->waiting_for[number]) {
        size_t before = d->needs.count;
        obb_scan_action(r->table, a, (obb_scan_memory){obb_recall_from_records, &recaller}, r->diags);
        for (size_t i = before; i < d->needs.count; i++) {
            want_late(r, d->needs.at[i], number);
            wait_for(r, number, d->needs.at[i]);
        }
    }
    return !d->broken && !r->waiting_for[number];
}

/* An action that turns out to be wanted: a source includes what it makes. */
static void want_late(runner *r, uint32_t number, uint32_t user)
{
    const obb_dependencies *d = &r->table->of[number];
    if (r->wanted[number])
        return;
    r->wanted[number] = true;
    r->work[number].part = true;
    r->work[number].rank = r->work[user].rank + 1;
    note_action(r, r->plan->actions.at[number]);
    obb_state_commit(r->state);
    for (size_t i = 0; i < d->needs.count; i++) {
        want_late(r, d->needs.at[i], number);
        wait_for(r, number, d->needs.at[i]);
    }
    if (!r->waiting_for[number])
        obb_arena_push(r->arena, &r->to_judge, number);
}

static void count_failure(runner *r, obb_event event)
{
    event.kind = OBB_EVENT_FAILED;
    tell(r, event);
    r->result.failed++;
    if (!r->options->keep_going)
        r->stopping = true;
}

/* The diagnostics of a late scan, in one text. */
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

static void fail_scan(runner *r, const obb_action *a)
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
    while (r->first_to_judge < r->to_judge.count) {
        uint32_t n = r->to_judge.at[r->first_to_judge++];
        const obb_action *a = r->plan->actions.at[n];
        const obb_dependencies *d = &r->table->of[n];
        bool late = !d->broken && obb_unscanned(r->table, a);
        if (late && !scan_late(r, n)) {
            if (d->broken)
                fail_scan(r, a);
            continue;
        }
        if (late && r->options->explained && !r->options->explained(r->options->explainer, a)) {
            r->result.takes_more = r->stopping = true;
            continue;
        }
        if (d->broken)
            continue;
        obb_cause cause = a->step ? obb_judge_step(r->state, r->table, a) : obb_judge(r->state, r->table, a);
        if (cause.kind == OBB_CAUSE_NONE) {
            r->result.up_to_date++;
            if (r->forecast[n].kind != OBB_CAUSE_NONE)
                r->total--;
            complete(r, n);
            continue;
        }
        r->total += r->forecast[n].kind == OBB_CAUSE_NONE; /* it was not expected */
        r->causes[n] = obb_cause_text(r->arena, r->state, r->plan, a, cause);
        obb_ready_put(&r->to_run, r->arena, n);
    }
}

/* --- one command -------------------------------------------------------------------- */

static void start_more(runner *r);

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

/* What linker scripts include that were made just now: no planning could know it, and linkers do not report
 * it. */
static void add_script_includes(runner *r, const obb_action *a, obb_words *files)
{
    obb_words folders = {0};
    obb_arena_push(r->arena, &folders, ".");
    for (size_t i = 0; a->kind == OBB_LINK_PROGRAM && i + 1 < a->argv.count; i++) {
        const char *word = a->argv.at[i], *script = a->argv.at[i + 1];
        if (obb_starts(word, "-L") && word[2])
            obb_arena_push(r->arena, &folders, word + 2);
        if (strcmp(word, "-T") != 0 || !obb_path_is_output(script, r->plan->out))
            continue;
        obb_script_scan scan = {0};
        obb_scan_linker_script(r->plan->files, r->plan->arena, script, &folders, &scan);
        for (size_t k = 1; k < scan.files.count; k++)
            obb_arena_push(r->arena, files, obb_files_path(r->plan->files, scan.files.at[k]));
    }
}

/* Takes the tool's report of what it read, and compares. What the scan had not found is an
 * input from now on. Without a report, only what made scripts include is added. */
static void take_report(runner *r, child *c)
{
    const obb_action *a = c->action;
    obb_dependencies *d = obb_dependencies_of(r->table, a);
    obb_text text = {0};
    obb_words files = {0};
    obb_differences differences = {0};
    char root[4096];
    const char *report = c->invocation.report;
    bool told = report && !obb_file_read(report, &text) && text.length && getcwd(root, sizeof root);
    if (told) {
        r->result.reports++;
        bool linked = a->kind == OBB_LINK_PROGRAM || a->kind == OBB_LINK_LIBRARY;
        (linked ? obb_read_link_rule : obb_read_rule)(r->plan->files, r->arena, root, text.bytes, &files);
    }
    add_script_includes(r, a, &files);
    if (told || files.count) {
        obb_differences_find(r->table, a, &files, r->plan->arena, &differences);
        for (size_t i = 0; !told && i < differences.count;) /* nobody said what was not read */
            if (differences.at[i].missed)
                i++;
            else
                differences.at[i] = differences.at[--differences.count];
        obb_differences_remember(r->plan->toolchains->memo, r->plan, a, &differences);
        d->inputs.count = d->found_inputs;
    }
    for (size_t i = 0; i < differences.count; i++)
        if (differences.at[i].missed)
            obb_arena_push(r->plan->arena, &d->inputs,
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

static void record(runner *r, child *c, obb_fingerprint output)
{
    const obb_action *a = c->action;
    const obb_dependencies *d = obb_dependencies_of(r->table, a);
    obb_record rec = {.command = a->command, .tools = a->tools, .output = output,
                      .cost = c->cost, .reason = c->cause, .argv = a->argv,
                      .scan = d->scan, .assembled = d->assembled, .text_matters = d->text_matters,
                      .untold = d->untold};
    rec.absent.at = d->absent.at;
    rec.absent.count = d->absent.count;
    rec.also.at = a->also.at;
    rec.also.count = a->also.count;
    for (size_t i = 0; i < d->inputs.count; i++) {
        obb_seen seen = {d->inputs.at[i], OBB_NO_FINGERPRINT};
        obb_input_fingerprint(r->table, a, i, &seen.fingerprint);
        obb_arena_push(r->arena, &rec.inputs, seen);
        if (a->options && !noted_before(r, seen.file))
            obb_note_text(r->state, r->table, seen.file, a);
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

/* The other names of an output: symbolic links beside it, each put in place at once. */
static int make_links(runner *r, const obb_action *a)
{
    const char *name = obb_path_name(obb_files_path(r->plan->files, a->output));
    int failed = 0;
    for (size_t i = a->also.count - a->links; i < a->also.count && !failed; i++) {
        const char *path = obb_files_path(r->plan->files, a->also.at[i]);
        const char *temporary = obb_work_file(r->plan, a, r->arena, "name");
        unlink(temporary);
        failed = symlink(name, temporary) ? errno : obb_below_rename(r->plan->out, temporary, path);
        unlink(temporary);
        if (failed == EXDEV) { /* a part of the output folder lies on another file system */
            failed = obb_below_remove(r->plan->out, path);
            failed = (!failed || failed == ENOENT) && symlink(name, path) ? errno : 0;
        }
    }
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
    int misplaced = c->invocation.temporary ? put_in_place(r, c->invocation.temporary, path) : 0;
    if (misplaced)
        return misplaced == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                   : obb_arena_format(r->arena, "cannot put %s in its place: %s", path,
                                                      obb_below_error(misplaced));
    int unlinked = make_links(r, a);
    if (unlinked)
        return obb_arena_format(r->arena, "cannot link other names to %s: %s", path,
                                obb_below_error(unlinked));
    obb_file missing;
    obb_files_forget(files, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        obb_files_forget(files, a->also.at[i]);
    int failed = obb_outputs_fingerprint(files, a, &fingerprint, &missing);
    path = obb_files_path(files, missing);
    if (failed)
        return failed == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                : obb_arena_format(r->arena, "cannot read %s: %s", path, strerror(failed));
    if (c->invocation.report || a->kind == OBB_LINK_PROGRAM)
        take_report(r, c);
    uint64_t took = obb_commands_now(&r->commands) - c->started;
    if (!c->cached)
        c->cost.milliseconds = took;
    record(r, c, fingerprint);
    obb_arena_push(r->arena, &r->took, (obb_took){a->number, took});
    r->result.made++;
    r->result.hits += c->cached;
    if (*c->key.text && !c->cached && obb_dependencies_of(r->table, a)->inputs.count == c->inputs)
        obb_arena_push(r->arena, &r->cacheable,
                       (obb_cacheable){c->key, a, c->cost,
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

/* The report of a step may be one of its outputs. */
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
    const obb_invocation *i = &c->invocation;
    const char *report = c->action->step ? c->action->step->reports_reads : i->report;
    if (i->temporary)
        unlink(i->temporary);
    else if (!succeeded)
        obb_below_remove(plan->out, obb_files_path(files, c->action->output));
    if (!succeeded) {
        drop_files(plan, &c->action->also);
        drop_files(plan, &c->action->byproducts);
    }
    if (i->words_file)
        unlink(i->words_file);
    if (report && !is_output(files, c->action, report))
        unlink(report);
}

/* The command wrote under a temporary name: messages show the final one. */
static void name_output(const runner *r, child *c)
{
    const char *text = obb_text_bytes(&c->command.output),
               *path = obb_files_path(r->plan->files, c->action->output), *found;
    obb_text told = {0};
    const char *temporary = c->invocation.temporary;
    size_t n = temporary ? strlen(temporary) : 0;
    if (!n || !strstr(text, temporary))
        return;
    for (; (found = strstr(text, temporary)); text = found + n) {
        obb_text_add(&told, text, (size_t)(found - text));
        obb_text_string(&told, path);
    }
    obb_text_add(&told, text, c->command.output.length - (size_t)(text - c->command.output.bytes));
    obb_text_free(&c->command.output);
    c->command.output = told;
}

/* What a command that has ended leaves behind: its output in place and its record, or what
 * failed. */
static void settle(runner *r, child *c, const char *message)
{
    bool ok = c->command.status == 0 && c->command.signal == 0 && !message;
    r->memory -= r->work[c->action->number].memory;
    r->done_work += r->forecast[c->action->number].cost.milliseconds;
    name_output(r, c);
    if (ok)
        message = accept_output(r, c);
    drop_leftovers(c, ok && !message);
    if (ok && !message) {
        r->finished++;
        tell(r, (obb_event){.kind = OBB_EVENT_DONE,
                                    .action = c->action,
                                    .cause = c->cause,
                                    .output = obb_text_bytes(&c->command.output),
                                    .output_length = c->command.output.length,
                                    .hit = c->cached,
                                    .milliseconds = obb_commands_now(&r->commands) - c->started});
        complete(r, c->action->number);
    } else if (!r->result.interrupted) {
        fail(r, c, message);
    }
    obb_text_free(&c->command.output);
}

/* --- steps and operations ----------------------------------------------------------- */

static void over(obb_command *command);

/* A step reported what it read: those files are inputs from now on. */
static void take_reads(runner *r, const obb_action *a, const obb_words *reads)
{
    obb_dependencies *d = obb_dependencies_of(r->table, a);
    d->inputs.count = d->found_inputs;
    for (size_t i = 0; i < reads->count; i++) {
        obb_file file = obb_files_number(r->plan->files, reads->at[i]);
        bool known = obb_plan_maker(r->plan, file) == a;
        for (size_t k = 0; k < d->inputs.count && !known; k++)
            known = d->inputs.at[k] == file;
        if (!known)
            obb_arena_push(r->plan->arena, &d->inputs, file);
    }
    obb_step_remember_reads(r->plan, a, d);
}

static void go_on(runner *r, child *c)
{
    const obb_step_outcome outcome = obb_step_go_on(&c->step);
    if (outcome.argv) {
        char **environment = obb_step_environment(&c->step);
        c->command = (obb_command){.argv = outcome.argv,
                                   .folder = c->action->step->folder,
                                   .input_path = outcome.input,
                                   .output_path = outcome.output,
                                   .lock = obb_state_lock(r->state),
                                   .over = over,
                                   .self = c,
                                   .environment = environment,
                                   .output = c->command.output};
        obb_commands_start(&r->commands, &c->command);
        free(environment);
        return;
    }
    if (outcome.told)
        take_reads(r, c->action, &outcome.reads);
    bool judged = !outcome.message && r->options->watcher;
    settle(r, c, judged ? obb_step_judge_watch(&c->step, r->table) : outcome.message);
}

static void begin_step(runner *r, child *c)
{
    c->step = (obb_step_run){.plan = r->plan,
                             .action = c->action,
                             .arena = r->arena,
                             .jobs = r->options->jobs,
                             .watcher = r->options->watcher};
    obb_step_begin(&c->step);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    go_on(r, c);
}

/* An operation of our own is done at once, here: it takes milliseconds. */
static void operate(runner *r, child *c)
{
    const char *path = obb_files_path(r->plan->files, c->action->output);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    settle(r, c, obb_image_make(c->action->image, path, obb_path_name(path), r->arena));
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

/* From the cache, as if the command had made it just now. */
static bool take_cached(runner *r, child *c)
{
    if (!r->options->cache)
        return false;
    c->key = obb_caching_key(r->table, c->action);
    c->inputs = obb_dependencies_of(r->table, c->action)->inputs.count;
    const char *path = *c->key.text ? obb_work_file(r->plan, c->action, r->arena, "part") : NULL;
    c->cached = path && obb_caching_take(r->options->cache, &c->key, path, &c->command.output, &c->cost);
    if (c->cached)
        c->invocation.temporary = path;
    return c->cached;
}

static void invoke(runner *r, child *c)
{
    const char *variable = c->invocation.variable;
    char **environment = variable ? obb_environment_with(NULL, &variable, 1) : NULL;
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    c->command = (obb_command){.argv = c->invocation.argv.at,
                               .environment = environment,
                               .lock = obb_state_lock(r->state),
                               .over = over,
                               .self = c};
    obb_commands_start(&r->commands, &c->command);
    free(environment);
}

static void start(runner *r, uint32_t number)
{
    child *c = obb_arena_alloc(r->arena, sizeof *c);
    const obb_action *a = r->plan->actions.at[number];
    r->memory += r->work[number].memory;
    *c = (child){.run = r,
                 .action = a,
                 .cause = r->causes[number],
                 .started = obb_commands_now(&r->commands)};
    int failed = make_room(r, a, a->output);
    for (size_t i = 0; i < a->also.count && !failed; i++)
        failed = make_room(r, a, a->also.at[i]);
    if (!failed && a->image) {
        operate(r, c);
    } else if (!failed && a->step) {
        begin_step(r, c);
    } else if (!failed && take_cached(r, c)) {
        settle(r, c, NULL);
    } else if (!failed && obb_invocation_make(r->plan, a, r->arena, &c->invocation)) {
        invoke(r, c);
    } else {
        fail(r, c,
             obb_arena_format(r->arena, "cannot write %s: %s", obb_files_path(r->plan->files, a->output),
                              obb_below_error(failed ? failed : EIO)));
    }
}

/* One command runs whatever it needs: without it nothing would go on. */
static uint64_t memory_left(const runner *r)
{
    uint64_t limit = r->options->memory;
    if (!limit || !r->commands.running)
        return UINT64_MAX;
    return limit > r->memory ? limit - r->memory : 0;
}

static void start_more(runner *r)
{
    judge_ready(r);
    uint32_t next;
    while (!r->stopping && r->commands.running < r->options->jobs &&
           obb_ready_take(&r->to_run, memory_left(r), &next)) {
        start(r, next);
        judge_ready(r);
    }
    if (!r->commands.running && (r->stopping || !r->to_run.heap.count))
        obb_commands_finish(&r->commands);
}

static void over(obb_command *command)
{
    child *c = command->self;
    runner *r = c->run;
    if (command->failed)
        obb_text_format(&command->output, "cannot run %s: %s\n", command->argv[0], strerror(command->failed));
    if (command->memory > c->cost.memory)
        c->cost.memory = command->memory;
    obb_step_take_watch(&c->step);
    bool goes_on = c->action->step && command->status == 0 && command->signal == 0;
    if (goes_on && !r->result.interrupted)
        go_on(r, c);
    else
        settle(r, c, goes_on ? "it was interrupted" : NULL);
    start_more(r);
}

static void interrupted(void *self)
{
    runner *r = self;
    r->result.interrupted = r->stopping = true;
    start_more(r);
}

static void ticked(void *self)
{
    tell(self, (obb_event){.kind = OBB_EVENT_TICK});
}

/* --- the whole ---------------------------------------------------------------------- */

/* Whether what it makes was noted when it was carried out before; a whole state knows that itself. */
static bool is_noted(const runner *r, const obb_action *a)
{
    const obb_record *record = r->options->explained ? obb_state_record(r->state, a->output) : NULL;
    return record && obb_fingerprint_same(record->command, a->command);
}

static void note_outputs(runner *r)
{
    for (uint32_t i = 0; i < r->plan->actions.count; i++)
        if (r->wanted[i] && r->forecast[i].kind != OBB_CAUSE_NONE && !is_noted(r, r->plan->actions.at[i]))
            note_action(r, r->plan->actions.at[i]);
    r->result.store_failed = obb_state_commit(r->state);
}

/* An input that changed while commands read it: which text they saw is unknown, so the records of its readers
 * must not hold. */
static void check_moving_inputs(runner *r)
{
    obb_files *files = r->plan->files;
    size_t count = obb_files_count(files);
    char *moved = obb_arena_alloc(r->arena, count); /* 0 not looked at, 1 steady, 2 moved */
    for (size_t i = 0; i < r->made.count; i++) {
        const obb_action *a = r->made.at[i];
        const obb_dependencies *d = obb_dependencies_of(r->table, a);
        bool any = false;
        for (size_t k = 0; k < d->inputs.count; k++) {
            obb_file f = d->inputs.at[k];
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

/* The longest way of what was carried out, by the times that it really took. */
static void find_longest_way(runner *r)
{
    const obb_plan *plan = r->plan;
    size_t n = plan->actions.count;
    obb_work *work = obb_arena_alloc(r->arena, n * sizeof *work);
    obb_numbers way = {0};
    for (size_t i = 0; i < r->took.count; i++) {
        work[r->took.at[i].number] = (obb_work){.time = r->took.at[i].milliseconds, .part = true};
        r->result.work += r->took.at[i].milliseconds;
    }
    obb_order_ways(work, r->users, n);
    obb_order_longest_way(work, r->users, n, r->arena, &way);
    for (size_t i = 0; i < way.count; i++)
        obb_arena_push(plan->arena, &r->result.way,
                       (obb_way_part){plan->actions.at[way.at[i]], work[way.at[i]].time});
}

obb_run_result obb_run(obb_dependency_table *table, obb_state *state, bool *wanted,
                       const obb_run_options *options)
{
    const obb_plan *plan = table->plan;
    runner r = {.plan = plan, .table = table, .state = state, .wanted = wanted, .options = options,
                .arena = obb_arena_new()};
    size_t wanted_count = 0;
    r.diags = obb_diags_new();
    r.forecast = options->forecast ? options->forecast : obb_forecast(r.arena, state, table, wanted);
    prepare(&r);
    r.commands = (obb_commands){.self = &r, .interrupted = interrupted, .ticked = ticked};
    obb_commands_open(&r.commands);
    if (r.total)
        note_outputs(&r);
    if (r.total) /* a failure is reported by the first action */
        obb_below_make_folders(plan->out, obb_arena_format(r.arena, "%s/" OBB_WORK_FOLDER "/x", plan->out));
    tell(&r, (obb_event){.kind = OBB_EVENT_BEGIN});
    start_more(&r);
    r.result.milliseconds = obb_commands_run(&r.commands);
    r.result.jobs = options->jobs;
    find_longest_way(&r);
    check_moving_inputs(&r);
    for (size_t i = 0; i < r.cacheable.count; i++)
        obb_caching_put(options->cache, plan, state, &r.cacheable.at[i]);
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
