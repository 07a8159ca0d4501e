/* Carrying a plan out (run.h). An action is ready when all that it needs is done; then it is judged
 * (up_to_date.c), and either complete at once or put into the queue of what must run. Outputs are made in a
 * folder of the tool's own and renamed when the command has succeeded; the record is written after that.
 * What a compile includes may be known only once a step has run: then its scan goes on, and actions may
 * become wanted late. */
#include "run/scheduler.h"

#include <errno.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/system.h"
#include "run/caching.h"
#include "run/expected.h"

/* Tenths of a second between two commits: rows that wait for the same one share its pages. */
enum { COMMIT_TICKS = 3 };

/* Whether the far store was asked for what an action makes. */
enum { NOT_ASKED, ASKED, NOT_TO_ASK, TO_COMPARE };

static void tell(obb_scheduler *r, obb_event event)
{
    event.done = r->finished;
    event.total = r->total;
    event.running = r->commands.running + (event.kind == OBB_EVENT_START);
    event.elapsed = obb_commands_elapsed(&r->commands);
    if (r->far)
        event.farm = obb_far_farm(r->far);
    if (r->expected_work > r->done_work)
        event.expected = (r->expected_work - r->done_work) / (r->options->jobs ? r->options->jobs : 1);
    if (r->options->observer)
        r->options->observer(r->options->self, &event);
}

/* --- the order ---------------------------------------------------------------------- */

static void prepare(obb_scheduler *r)
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

static void complete(obb_scheduler *r, uint32_t number)
{
    r->done[number] = true;
    for (size_t i = 0; i < r->users[number].count; i++)
        if (--r->waiting_for[r->users[number].at[i]] == 0)
            obb_arena_push(r->arena, &r->to_judge, r->users[number].at[i]);
}

static void wait_for(obb_scheduler *r, uint32_t number, uint32_t need)
{
    if (r->done[need])
        return;
    r->waiting_for[number]++;
    obb_arena_push(r->arena, &r->users[need], number);
}

/* Outputs are noted before they are made, so that they are found even after a kill. */
static void note_action(obb_scheduler *r, const obb_action *a)
{
    obb_state_note_made(r->state, a->output);
    for (size_t k = 0; k < a->also.count; k++)
        obb_state_note_made(r->state, a->also.at[k]);
    for (size_t k = 0; k < a->byproducts.count; k++)
        obb_state_note_made(r->state, a->byproducts.at[k]);
}

static void want_late(obb_scheduler *r, uint32_t number, uint32_t user);

/* Takes a scan further, where a step that it waited for is done. False: there is more to wait for,
 * or it cannot be done. */
static bool scan_late(obb_scheduler *r, uint32_t number)
{
    const obb_action *a = r->plan->actions.at[number];
    obb_dependencies *d = &r->table->of[number];
    while (obb_unscanned(r->table, a) && !r->waiting_for[number]) {
        size_t before = d->needs.count;
        obb_scan_action(r->table, a, obb_scan_records(&r->recaller, true), r->diags);
        for (size_t i = before; i < d->needs.count; i++) {
            want_late(r, d->needs.at[i], number);
            wait_for(r, number, d->needs.at[i]);
        }
    }
    return !d->broken && !r->waiting_for[number];
}

/* An action that turns out to be wanted: a source includes what it makes. */
static void want_late(obb_scheduler *r, uint32_t number, uint32_t user)
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

static void count_failure(obb_scheduler *r, obb_event event)
{
    event.kind = OBB_EVENT_FAILED;
    tell(r, event);
    r->result.failed++;
    if (!r->options->keep_going)
        r->stopping = true;
}

/* The diagnostics of a late scan, in one text. */
static const char *said(obb_scheduler *r)
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

/* It cannot be done, by the diagnostics. */
static void fail_late(obb_scheduler *r, const obb_action *a, const char *cause)
{
    if (r->options->explained) { /* the whole plan may know what makes it */
        r->result.takes_more = r->stopping = true;
        r->diags->list.count = 0;
        return;
    }
    count_failure(r, (obb_event){.action = a,
                                 .cause = cause,
                                 .message = said(r),
                                 .output = ""});
}

/* Judges what has become ready; what is up to date makes more ready. */
static void judge_ready(obb_scheduler *r)
{
    while (r->first_to_judge < r->to_judge.count) {
        uint32_t n = r->to_judge.at[r->first_to_judge++];
        const obb_action *a = r->plan->actions.at[n];
        obb_dependencies *d = &r->table->of[n];
        bool late = !d->broken && obb_unscanned(r->table, a);
        if (late && !scan_late(r, n)) {
            if (d->broken)
                fail_late(r, a, "what it includes was made just now");
            continue;
        }
        if (late && r->options->explained && !r->options->explained(r->options->explainer, a)) {
            r->result.takes_more = r->stopping = true;
            continue;
        }
        if (d->broken && obb_tell_deferred(d, r->diags))
            fail_late(r, a, "a source includes what it makes");
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
        r->fresh += a->options || (a->step && a->step->anywhere);
    }
}

/* --- one command -------------------------------------------------------------------- */

static void start_more(obb_scheduler *r);

/* The first slot in which nothing runs. */
static unsigned take_slot(obb_scheduler *r)
{
    size_t i = 0;
    while (i < r->slots.count && r->slots.at[i].taken)
        i++;
    if (i == r->slots.count)
        obb_arena_push(r->arena, &r->slots, (obb_slot){.report = NULL});
    r->slots.at[i].taken = true;
    return (unsigned)i;
}

/* It runs no longer. */
static void leave(obb_scheduler *r, obb_child *c)
{
    if (c->left)
        return;
    c->left = true;
    obb_invocation_over(&c->invocation);
    c->took = obb_commands_now(&r->commands) - c->started;
    r->slots.at[c->slot].taken = false;
    r->memory -= r->work[c->action->number].memory;
    if (r->far)
        r->children[c->action->number] = NULL;
}

static void fail(obb_scheduler *r, obb_child *c, const char *message)
{
    count_failure(r, (obb_event){.action = c->action,
                                 .cause = c->cause,
                                 .output = obb_text_bytes(&c->command.output),
                                 .output_length = c->command.output.length,
                                 .status = c->command.status,
                                 .signal = c->command.signal,
                                 .message = message,
                                 .milliseconds = c->took});
}

/* What a command that has ended leaves behind: its output in place and its record, or what
 * failed. */
static void settle(obb_scheduler *r, obb_child *c, const char *message)
{
    bool ok = c->command.status == 0 && c->command.signal == 0 && !message;
    leave(r, c);
    r->done_work += r->forecast[c->action->number].cost.milliseconds;
    obb_name_output(r, c);
    if (ok)
        message = obb_accept_output(r, c);
    obb_drop_leftovers(c, ok && !message);
    if (ok && !message) {
        r->finished++;
        tell(r, (obb_event){.kind = OBB_EVENT_DONE,
                            .action = c->action,
                            .cause = c->cause,
                            .output = obb_text_bytes(&c->command.output),
                            .output_length = c->command.output.length,
                            .hit = c->cached,
                            .milliseconds = c->took});
        complete(r, c->action->number);
    } else if (!r->result.interrupted) {
        fail(r, c, message);
    }
    obb_text_free(&c->command.output);
}

/* --- steps and operations ----------------------------------------------------------- */

static void over(obb_command *command);

/* A step reported what it read: those files are inputs from now on. */
static void take_reads(obb_scheduler *r, const obb_action *a, const obb_words *reads)
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

static void go_on(obb_scheduler *r, obb_child *c)
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
    bool judged = !outcome.message && r->options->strict;
    settle(r, c, judged ? obb_step_judge_watch(&c->step, r->table) : outcome.message);
}

static void begin_step(obb_scheduler *r, obb_child *c)
{
    c->learns = r->far ? obb_far_to_learn(r->far, r->plan->files, c->action) : NULL;
    c->step = (obb_step_run){.plan = r->plan,
                             .action = c->action,
                             .arena = r->arena,
                             .jobs = r->options->jobs,
                             .watcher = r->options->strict || c->learns ? r->options->watcher : NULL};
    obb_step_begin(&c->step);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    go_on(r, c);
}

/* An operation of our own is done at once, here: it takes milliseconds. */
static void operate(obb_scheduler *r, obb_child *c)
{
    const char *path = obb_files_path(r->plan->files, c->action->output);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    settle(r, c, obb_image_make(c->action->image, path, obb_path_name(path), r->arena));
}

/* The folders of an output. A tool that writes under the final name must not write through a link; and
 * nothing can be put in the place of a folder. */
static int make_room(obb_scheduler *r, const obb_action *a, obb_file output)
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

static bool take_from_cache(obb_scheduler *r, obb_child *c)
{
    const obb_action *a = c->action;
    const char *path = a->step ? NULL : obb_work_file(r->plan, a, r->arena, "part");
    c->cached = a->step ? obb_caching_take_step(r->options->cache, &c->key, r->plan, a, &c->command.output,
                                                &c->cost)
                        : obb_caching_take(r->options->cache, &c->key, path, &c->command.output, &c->cost);
    if (c->cached)
        c->invocation.temporary = path;
    return c->cached;
}

/* From the cache, as if the command had made it just now. */
static bool take_cached(obb_scheduler *r, obb_child *c)
{
    if (!r->options->cache)
        return false;
    c->key = obb_caching_key(r->table, c->action);
    c->inputs = obb_dependencies_of(r->table, c->action)->inputs.count;
    c->compares = r->far && r->standing[c->action->number] == TO_COMPARE;
    bool watched = c->action->step && r->options->strict; /* what is taken cannot be watched */
    return *c->key.text && !c->compares && !watched && take_from_cache(r, c);
}

/* What is not asked for elsewhere yet is, while it is made here. */
static void ask_beside(obb_scheduler *r, const obb_child *c)
{
    if (!r->far || !*c->key.text || r->standing[c->action->number] != NOT_ASKED)
        return;
    r->standing[c->action->number] = NOT_TO_ASK;
    obb_far_ask(r->far, &c->key, c->action->number);
}

static void invoke(obb_scheduler *r, obb_child *c)
{
    /* Compilers write the folder into debug information as the shell names it, if that is this one. */
    const char *const variables[] = {obb_arena_format(r->arena, "PWD=%s", r->plan->root),
                                     c->invocation.variable};
    char **environment = obb_environment_with(NULL, variables, variables[1] ? 2 : 1);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    c->command = (obb_command){.argv = c->invocation.argv.at,
                               .environment = environment,
                               .lock = obb_state_lock(r->state),
                               .over = over,
                               .self = c};
    obb_commands_start(&r->commands, &c->command);
    free(environment);
    ask_beside(r, c);
}

static void start(obb_scheduler *r, uint32_t number, bool far)
{
    obb_child *c = obb_arena_alloc(r->arena, sizeof *c);
    const obb_action *a = r->plan->actions.at[number];
    r->memory += r->work[number].memory;
    if (r->far)
        r->children[number] = c;
    *c = (obb_child){.run = r,
                     .action = a,
                     .cause = r->causes[number],
                     .far = far,
                     .slot = take_slot(r),
                     .started = obb_commands_now(&r->commands)};
    int failed = make_room(r, a, a->output);
    for (size_t i = 0; i < a->also.count && !failed; i++)
        failed = make_room(r, a, a->also.at[i]);
    if (!failed && a->image) {
        operate(r, c);
    } else if (!failed && take_cached(r, c)) {
        settle(r, c, NULL);
    } else if (!failed && a->step) {
        begin_step(r, c);
        ask_beside(r, c);
    } else if (!failed &&
               obb_invocation_make(r->plan, a, &r->slots.at[c->slot].report, r->arena, &c->invocation)) {
        invoke(r, c);
    } else {
        leave(r, c);
        fail(r, c,
             obb_arena_format(r->arena, "cannot write %s: %s", obb_files_path(r->plan->files, a->output),
                              obb_below_error(failed ? failed : EIO)));
    }
}

/* --- the far store ------------------------------------------------------------------ */

/* Asks for what could start and does not yet. Keys are made here and not before the first commands run.
 * Answers and the commands here meet in the middle: of a far store, what starts last here is asked for first;
 * a farm begins with what has the longest way, and of that this machine begins with the shortest. */
static void ask_ahead(obb_scheduler *r)
{
    obb_numbers all = {0};
    obb_ready rest = {.work = r->work};
    if (!r->fresh)
        return;
    r->fresh = 0;
    for (uint32_t number; obb_ready_take(&r->to_run, UINT64_MAX, &number);)
        obb_arena_push(r->arena, &all, number);
    for (size_t i = 0; i < all.count; i++) {
        uint32_t number = all.at[obb_far_makes(r->far) ? i : all.count - 1 - i];
        bool asked = false;
        if (r->standing[number] == NOT_ASKED) {
            obb_object_cache_key key = obb_caching_key(r->table, r->plan->actions.at[number]);
            asked = *key.text && !obb_object_cache_has(r->options->cache, &key) &&
                    (obb_far_makes(r->far) ? obb_far_make(r->far, &key, r->table, r->plan->actions.at[number],
                                                          r->work[number].time)
                                           : obb_far_ask(r->far, &key, number));
            r->standing[number] = asked ? ASKED : NOT_TO_ASK;
        }
        obb_ready_put(asked ? &r->asked : &rest, r->arena, number);
        r->asked_count += asked;
    }
    r->to_run = rest;
}

/* Whether an object of the farm is one of those that are made here as well. */
static bool is_checked(const obb_scheduler *r, uint32_t number)
{
    obb_fingerprint lot = OBB_NO_FINGERPRINT; /* of its source: a share of all, and the same ones again */
    const obb_action *a = r->plan->actions.at[number];
    if (!r->options->farm_check || !obb_far_makes(r->far) || !obb_dependencies_of(r->table, a)->inputs.count)
        return false;
    obb_input_fingerprint(r->table, a, 0, &lot);
    return lot.low % 10000 < r->options->farm_check;
}

/* The answer. What is there is taken at once, beside the commands that run; a command that is making it just
 * now is ended. */
static void far_answered(void *self, uint32_t number, bool there)
{
    obb_scheduler *r = self;
    obb_child *running = r->children[number];
    bool waits = r->standing[number] == ASKED;
    bool checked = there && is_checked(r, number);
    r->standing[number] = checked ? TO_COMPARE : NOT_TO_ASK;
    r->asked_count -= waits;
    if (checked && running)
        running->compares = !running->cached;
    if (waits && there && !checked && !r->stopping) {
        start(r, number, true);
    } else if (waits) {
        obb_ready_put(&r->to_run, r->arena, number);
    } else if (there && running && !checked && !running->cached && !r->stopping) {
        running->superseded = true;
        obb_commands_end(&running->command);
    }
    if (waits)
        start_more(r);
}

/* A command was ended because its object came from the far store. If that is gone again, it runs once more.
 */
static void take_in_its_place(obb_scheduler *r, obb_child *c)
{
    c->superseded = false;
    obb_drop_report(c);
    c->invocation.report = NULL;
    c->invocation.report_stays = false;
    c->command.output.length = 0;
    c->command.status = c->command.signal = 0;
    c->cost = (obb_cost){0, 0};
    c->far = take_from_cache(r, c);
    if (c->cached)
        settle(r, c, NULL);
    else if (c->action->step)
        begin_step(r, c);
    else if (obb_invocation_make(r->plan, c->action, &r->slots.at[c->slot].report, r->arena, &c->invocation))
        invoke(r, c);
    else
        settle(r, c, "cannot write its words into a file");
}

/* --- the next one ------------------------------------------------------------------- */

/* One command runs whatever it needs: without it nothing would go on. */
static uint64_t memory_left(const obb_scheduler *r)
{
    uint64_t limit = r->options->memory;
    if (!limit || !r->commands.running)
        return UINT64_MAX;
    return limit > r->memory ? limit - r->memory : 0;
}

/* What the far store does not have comes before what it has not answered for yet. */
static bool next_to_run(obb_scheduler *r, uint32_t *number)
{
    uint64_t room = memory_left(r);
    if (obb_ready_take(&r->to_run, room, number))
        return true;
    while (r->far && obb_ready_take(&r->asked, room, number))
        if (r->standing[*number] == ASKED) {
            r->standing[*number] = NOT_TO_ASK;
            r->asked_count--;
            return true;
        }
    return false;
}

static void start_more(obb_scheduler *r)
{
    judge_ready(r);
    uint32_t next;
    while (!r->stopping && r->commands.running < r->options->jobs && next_to_run(r, &next)) {
        start(r, next, false);
        judge_ready(r);
    }
    if (r->far && !r->stopping)
        ask_ahead(r);
    if (!r->commands.running && (r->stopping || (!r->to_run.heap.count && !r->asked_count))) {
        obb_far_finish(r->far);
        obb_commands_finish(&r->commands);
    }
}

/* Whether what waits for this action alone comes before all that could start now. */
static bool leads_to_what_comes_first(const obb_scheduler *r, uint32_t number)
{
    const obb_numbers *users = &r->users[number];
    for (size_t i = 0; i < users->count; i++)
        if (r->waiting_for[users->at[i]] == 1 &&
            (!r->to_run.heap.count || r->work[users->at[i]].rank > r->work[r->to_run.heap.at[0]].rank))
            return true;
    return false;
}

/* A processor has nothing to do while the output of a command is looked at and recorded: what could start
 * anyway starts before that. */
static void start_in_its_place(obb_scheduler *r, obb_child *c)
{
    uint32_t next;
    leave(r, c);
    if (!r->stopping && r->commands.running < r->options->jobs &&
        !leads_to_what_comes_first(r, c->action->number) && next_to_run(r, &next))
        start(r, next, false);
}

static void over(obb_command *command)
{
    obb_child *c = command->self;
    obb_scheduler *r = c->run;
    if (command->failed)
        obb_text_format(&command->output, "cannot run %s: %s\n", command->argv[0], strerror(command->failed));
    if (command->memory > c->cost.memory)
        c->cost.memory = command->memory;
    if (c->superseded && (command->signal || command->status) && !r->result.interrupted) {
        take_in_its_place(r, c);
        start_more(r);
        return;
    }
    if (c->learns && c->step.watched && command->status == 0 && command->signal == 0)
        obb_far_learned(r->far, c->learns, c->step.watched);
    obb_step_take_watch(&c->step);
    bool ok = command->status == 0 && command->signal == 0, goes_on = c->action->step && ok;
    if (ok && !goes_on)
        start_in_its_place(r, c);
    if (goes_on && !r->result.interrupted)
        go_on(r, c);
    else
        settle(r, c, goes_on ? "it was interrupted" : NULL);
    start_more(r);
}

static void interrupted(void *self)
{
    obb_scheduler *r = self;
    r->result.interrupted = r->stopping = true;
    start_more(r);
}

static void ticked(void *self)
{
    obb_scheduler *r = self;
    if (++r->ticks >= COMMIT_TICKS)
        obb_commit_records(r);
    tell(self, (obb_event){.kind = OBB_EVENT_TICK});
}

/* --- the whole ---------------------------------------------------------------------- */

/* Whether what it makes was noted when it was carried out before; a whole state knows that itself. */
static bool is_noted(const obb_scheduler *r, const obb_action *a)
{
    obb_last_run last;
    return r->options->explained && obb_state_last_run(r->state, a->output, &last) &&
           obb_fingerprint_same(last.command, a->command);
}

/* Where there is nothing to note, nothing is written before the first command starts. */
static void note_outputs(obb_scheduler *r)
{
    bool any = false;
    for (uint32_t i = 0; i < r->plan->actions.count; i++)
        if (r->wanted[i] && r->forecast[i].kind != OBB_CAUSE_NONE && !is_noted(r, r->plan->actions.at[i])) {
            note_action(r, r->plan->actions.at[i]);
            any = true;
        }
    if (any)
        r->result.store_failed = obb_state_commit(r->state);
}

/* An input that changed while commands read it: which text they saw is unknown, so the records of its readers
 * must not hold. */
static void check_moving_inputs(obb_scheduler *r)
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
static void find_longest_way(obb_scheduler *r)
{
    const obb_plan *plan = r->plan;
    size_t n = plan->actions.count;
    obb_work *work = obb_arena_alloc(r->arena, n * sizeof *work);
    obb_numbers way = {0};
    for (size_t i = 0; i < r->result.parts.count; i++) {
        const obb_made_part *p = &r->result.parts.at[i];
        work[p->action->number] = (obb_work){.time = p->milliseconds, .part = true};
        r->result.work += p->milliseconds;
    }
    obb_order_ways(work, r->users, n);
    obb_order_longest_way(work, r->users, n, r->arena, &way);
    for (size_t i = 0; i < way.count; i++)
        obb_arena_push(plan->arena, &r->result.way,
                       (obb_way_part){plan->actions.at[way.at[i]], work[way.at[i]].time});
}

static void begin_far(obb_scheduler *r)
{
    size_t n = r->plan->actions.count;
    if (!r->options->cache || !r->total)
        return;
    r->far = obb_far_new(r->options->far, &r->commands, far_answered, r);
    if (!r->far)
        return;
    r->standing = obb_arena_alloc(r->arena, n);
    r->children = obb_arena_alloc(r->arena, n * sizeof *r->children);
    r->asked.work = r->work;
    if (!obb_far_makes(r->far))
        return;
    obb_work *turned = obb_arena_alloc(r->arena, n * sizeof *turned);
    for (size_t i = 0; i < n; i++) {
        turned[i] = r->work[i];
        turned[i].rank = UINT64_MAX - r->work[i].rank;
    }
    r->asked.work = turned;
}

/* Why the far store was given up, for users. */
static void end_far(obb_scheduler *r)
{
    const char *trouble = r->far ? obb_far_trouble(r->far) : NULL;
    if (trouble)
        r->result.far_trouble = obb_arena_string(r->plan->arena, trouble);
    if (r->far)
        r->result.farm = obb_far_farm(r->far);
    r->result.far_refused = r->far ? obb_far_refused(r->far) : 0;
    obb_far_free(r->far);
}

obb_run_result obb_run(obb_dependency_table *table, obb_state *state, bool *wanted,
                       const obb_run_options *options)
{
    const obb_plan *plan = table->plan;
    obb_scheduler r = {.plan = plan,
                       .table = table,
                       .state = state,
                       .recaller = {.state = state, .files = plan->files},
                       .wanted = wanted,
                       .options = options,
                       .arena = obb_arena_new(),
                       .scratch = obb_arena_new()};
    size_t wanted_count = 0;
    r.diags = obb_diags_new();
    r.forecast = options->forecast ? options->forecast : obb_forecast(r.arena, state, table, wanted);
    prepare(&r);
    r.commands = (obb_commands){.self = &r, .interrupted = interrupted, .ticked = ticked};
    obb_ask_for_short_turns();
    obb_commands_open(&r.commands);
    begin_far(&r);
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
    for (size_t i = 0; i < r.slots.count; i++)
        if (r.slots.at[i].report)
            unlink(r.slots.at[i].report);
    end_far(&r);
    for (size_t i = 0; i < plan->actions.count; i++)
        wanted_count += wanted[i];
    r.result.left = wanted_count - r.result.made - r.result.up_to_date - r.result.failed;
    if (r.result.moving)
        r.result.moving = obb_arena_string(plan->arena, r.result.moving);
    obb_vec_free(&r.noted);
    obb_diags_free(r.diags);
    obb_arena_free(r.scratch);
    obb_arena_free(r.arena);
    return r.result;
}
