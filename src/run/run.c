#include "run/run.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <stdio.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "plan/differences.h"
#include "toolchain/dialect.h"

extern char **environ;

enum { LONG_COMMAND = 100 * 1024, GRACE_MS = 2000, TICK_MS = 100 };

typedef struct runner runner;

/* One running command. It is over when the process has ended and its pipe is closed. */
typedef struct child {
    runner *run;
    obb_action *action;
    const char *cause;
    pid_t pid; /* 0: it has ended */
    uv_pipe_t pipe;
    obb_text output;
    char *temporary, *words_file;
    char *told_file; /* where the compiler tells what it read; or NULL */
    obb_words argv;
    uint64_t started;
    int status, signal;
    int open_ends; /* process, pipe */
    struct child *next;
} child;

struct runner {
    obb_plan *plan;
    obb_state *state;
    const bool *wanted;
    const obb_run_options *options;
    obb_arena *arena;
    uv_loop_t loop;
    uv_signal_t signals[3], ended;
    uv_timer_t tick, grace;
    uint32_t *waiting_for; /* by action: needs that are not done */
    OBB_VEC(uint32_t) *users; /* by action */
    OBB_VEC(uint32_t) ready;  /* a queue: from `first_ready` on */
    size_t first_ready;
    OBB_VEC(uint32_t) to_run; /* a queue of actions that must be made */
    size_t first_to_run;
    const char **causes;
    obb_cause *forecast;
    child *children;
    unsigned running;
    size_t total, finished;
    uint64_t began, expected_work, done_work;
    bool stopping;
    OBB_VEC(bool) noted; /* by file */
    OBB_VEC(obb_action *) made;
    obb_run_result result;
};

static void tell(runner *r, obb_event event)
{
    event.done = r->finished;
    event.total = r->total;
    event.running = r->running;
    event.elapsed = uv_now(&r->loop) - r->began;
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
        const obb_record *record = obb_state_record(r->state, a->output);
        r->total++;
        r->expected_work += record ? record->milliseconds : 0;
    }
}

static void complete(runner *r, uint32_t number)
{
    for (size_t i = 0; i < r->users[number].count; i++)
        if (--r->waiting_for[r->users[number].at[i]] == 0)
            obb_arena_push(r->arena, &r->ready, r->users[number].at[i]);
}

/* Judges what has become ready; what is up to date makes more ready. */
static void judge_ready(runner *r)
{
    while (r->first_ready < r->ready.count) {
        uint32_t n = r->ready.at[r->first_ready++];
        obb_action *a = r->plan->actions.at[n];
        if (a->broken)
            continue;
        obb_cause cause = obb_judge(r->state, r->plan->files, a);
        if (cause.kind == OBB_CAUSE_NONE) {
            r->result.up_to_date++;
            if (r->forecast[n].kind != OBB_CAUSE_NONE)
                r->total--;
            complete(r, n);
            continue;
        }
        r->causes[n] = obb_cause_text(r->arena, r->state, r->plan, a, cause);
        obb_arena_push(r->arena, &r->to_run, n);
    }
}

/* --- one command -------------------------------------------------------------------- */

static void start_more(runner *r);

static void fail(runner *r, child *c, const char *message)
{
    tell(r, (obb_event){.kind = OBB_EVENT_FAILED, .action = c->action, .cause = c->cause,
                        .output = obb_text_bytes(&c->output), .output_length = c->output.length,
                        .status = c->status, .signal = c->signal, .message = message,
                        .milliseconds = uv_now(&r->loop) - c->started});
    r->result.failed++;
    if (!r->options->keep_going)
        r->stopping = true;
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
        obb_read_rule(r->arena, root, text.bytes, &files);
        obb_differences_find(r->plan, a, &files, r->plan->arena, &differences);
        obb_differences_remember(r->plan->toolchains->memo, r->plan, a, &differences);
        a->inputs.count = a->found_inputs;
    }
    for (size_t i = 0; i < differences.count; i++)
        if (differences.at[i].missed)
            obb_arena_push(r->plan->arena, &a->inputs, obb_files_number(r->plan->files, differences.at[i].path));
    r->result.differences += differences.count;
    obb_text_free(&text);
}

/* Each input is noted once in a run. */
static bool known_likeness(runner *r, obb_file file)
{
    while (r->noted.count <= file)
        obb_vec_push(&r->noted, false);
    bool known = r->noted.at[file];
    r->noted.at[file] = true;
    return known;
}

static void record(runner *r, child *c, obb_print output, uint64_t milliseconds)
{
    const obb_action *a = c->action;
    obb_record rec = {.command = a->command, .tools = a->tools, .output = output,
                      .milliseconds = milliseconds, .reason = c->cause, .argv = a->argv,
                      .scan = a->scan, .assembled = a->assembled};
    rec.absent.at = a->absent.at;
    rec.absent.count = a->absent.count;
    for (size_t i = 0; i < a->inputs.count; i++) {
        obb_seen seen = {a->inputs.at[i], OBB_NO_PRINT};
        obb_files_print(r->plan->files, seen.file, &seen.print);
        obb_arena_push(r->arena, &rec.inputs, seen);
        if (a->words && a->words->tokens_decide && !known_likeness(r, seen.file))
            obb_note_likeness(r->state, r->plan->files, seen.file);
    }
    obb_state_put_record(r->state, a->output, &rec);
    int failed = obb_state_commit(r->state);
    if (failed && !r->result.store_failed)
        r->result.store_failed = failed;
}

/* Puts the output in its place and writes the record. NULL, or what went wrong. */
static const char *accept_output(runner *r, child *c)
{
    obb_files *files = r->plan->files;
    const obb_action *a = c->action;
    const char *path = obb_files_path(files, a->output);
    const obb_record *before = obb_state_record(r->state, a->output);
    obb_print then = before ? before->output : OBB_NO_PRINT, print;
    if (c->temporary && rename(c->temporary, path))
        return errno == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                               : obb_arena_format(r->arena, "cannot put %s in its place: %s", path,
                                                  strerror(errno));
    obb_file missing;
    obb_files_forget(files, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        obb_files_forget(files, a->also.at[i]);
    int failed = obb_outputs_print(files, a, &print, &missing);
    path = obb_files_path(files, missing);
    if (failed)
        return failed == ENOENT ? obb_arena_format(r->arena, "it did not make %s", path)
                                : obb_arena_format(r->arena, "cannot read %s: %s", path, strerror(failed));
    if (c->told_file)
        take_report(r, c);
    record(r, c, print, uv_now(&r->loop) - c->started);
    r->result.made++;
    r->result.same += obb_print_same(then, print);
    obb_arena_push(r->arena, &r->made, c->action);
    return NULL;
}

static void drop_files(const obb_files *files, const obb_file_list *list)
{
    for (size_t i = 0; i < list->count; i++)
        unlink(obb_files_path(files, list->at[i]));
}

static void drop_leftovers(child *c, bool succeeded)
{
    const obb_files *files = c->run->plan->files;
    if (c->temporary)
        unlink(c->temporary);
    else if (!succeeded)
        unlink(obb_files_path(files, c->action->output));
    if (!succeeded) {
        drop_files(files, &c->action->also);
        drop_files(files, &c->action->beside);
    }
    if (c->words_file)
        unlink(c->words_file);
    if (c->told_file)
        unlink(c->told_file);
}

static void unlink_child(runner *r, child *c)
{
    child **at = &r->children;
    while (*at != c)
        at = &(*at)->next;
    *at = c->next;
    r->running--;
}

/* What a command that has ended leaves behind: its output in place and its record, or what
 * failed. */
static void settle(runner *r, child *c, const char *message)
{
    bool ok = c->status == 0 && c->signal == 0 && !message;
    uv_update_time(&r->loop);
    const obb_record *before = obb_state_record(r->state, c->action->output);
    r->done_work += before ? before->milliseconds : 0;
    if (ok)
        message = accept_output(r, c);
    drop_leftovers(c, ok && !message);
    if (ok && !message) {
        r->finished++;
        tell(r, (obb_event){.kind = OBB_EVENT_DONE, .action = c->action, .cause = c->cause,
                            .output = obb_text_bytes(&c->output), .output_length = c->output.length,
                            .milliseconds = uv_now(&r->loop) - c->started});
        complete(r, c->action->number);
    } else if (!r->result.interrupted) {
        fail(r, c, message);
    }
    obb_text_free(&c->output);
}

static void over(child *c)
{
    runner *r = c->run;
    unlink_child(r, c);
    settle(r, c, NULL);
    start_more(r);
}

static void end_closed(uv_handle_t *handle)
{
    child *c = handle->data;
    if (--c->open_ends == 0)
        over(c);
}

static void give_room(uv_handle_t *handle, size_t wanted, uv_buf_t *buffer)
{
    (void)handle, (void)wanted;
    *buffer = uv_buf_init(obb_alloc(16384), 16384);
}

static void took_output(uv_stream_t *stream, ssize_t n, const uv_buf_t *buffer)
{
    child *c = stream->data;
    if (n > 0)
        obb_text_add(&c->output, buffer->base, (size_t)n);
    free(buffer->base);
    if (n < 0)
        uv_close((uv_handle_t *)stream, end_closed);
}

static void child_ended(child *c, int status)
{
    c->status = WIFEXITED(status) ? WEXITSTATUS(status) : 0;
    c->signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
    c->pid = 0;
    if (--c->open_ends == 0)
        over(c);
}

/* SIGCHLD: some commands have ended. One that is over may start others and so change the
 * list: after each, it is begun again. */
static void children_ended(uv_signal_t *handle, int signal_number)
{
    runner *r = handle->data;
    (void)signal_number;
    for (child *c = r->children; c;) {
        int status;
        if (c->pid > 0 && waitpid(c->pid, &status, WNOHANG) == c->pid) {
            child_ended(c, status);
            c = r->children;
        } else {
            c = c->next;
        }
    }
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
    c->words_file = obb_arena_format(r->arena, "%s.words", obb_files_path(r->plan->files, c->action->output));
    bool ok = obb_file_write(c->words_file, text.bytes, text.length, NULL) == 0;
    obb_text_free(&text);
    c->argv.count = from;
    obb_arena_push(r->arena, &c->argv, obb_arena_format(r->arena, "@%s", c->words_file));
    obb_arena_push(r->arena, &c->argv, NULL);
    return ok;
}

/* The command as it is run: with the temporary name, and a words file when it is long. */
static bool make_argv(runner *r, child *c)
{
    const obb_action *a = c->action;
    size_t length = 0;
    if (!a->in_place && a->output_word != SIZE_MAX)
        c->temporary = obb_arena_format(r->arena, "%s.part", obb_files_path(r->plan->files, a->output));
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = c->temporary && i == a->output_word ? c->temporary : a->argv.at[i];
        obb_arena_push(r->arena, &c->argv, w);
        length += strlen(w) + 1;
    }
    obb_arena_push(r->arena, &c->argv, NULL);
    return length < LONG_COMMAND || write_words_file(r, c, a->tool->command.count);
}

/* Compilers of the known families write what they read when a variable of the environment says
 * where: gcc by SUNPRO_DEPENDENCIES (GCC manual, Environment Variables Affecting GCC), clang by
 * words that are added to its own (CCC_OVERRIDE_OPTIONS). So the command stays as it is shown.
 * NULL: this one cannot, or a person uses the variable. */
static char *report_variable(runner *r, child *c)
{
    const obb_action *a = c->action;
    bool preprocessed = a->words && (a->words->language == OBB_C || a->words->language == OBB_CXX || a->words->language == OBB_ASM_CPP);
    obb_family family = a->tool ? a->tool->family : OBB_FAMILY_UNKNOWN;
    const char *name = family == OBB_FAMILY_GCC ? "SUNPRO_DEPENDENCIES" : family == OBB_FAMILY_CLANG ? "CCC_OVERRIDE_OPTIONS" : NULL;
    const char *path = obb_files_path(r->plan->files, a->output);
    if (!preprocessed || !name || getenv(name) || strpbrk(path, " \t"))
        return NULL;
    for (size_t i = 0; i < a->argv.count; i++)
        if (obb_starts(a->argv.at[i], "-M"))
            return NULL;
    c->told_file = obb_arena_format(r->arena, "%s.told", path);
    unlink(c->told_file); /* a report is added to what is there */
    return obb_arena_format(r->arena, family == OBB_FAMILY_GCC ? "%s=%s x" : "%s=# +-MD +-MF +%s", name, c->told_file);
}

/* The environment with one variable more. */
static char **environment_with(runner *r, char *variable)
{
    size_t n = 0;
    if (!variable)
        return environ;
    while (environ[n])
        n++;
    char **all = obb_arena_alloc(r->arena, (n + 2) * sizeof *all);
    memcpy(all, environ, n * sizeof *all);
    all[n] = variable;
    return all;
}

/* Starts the command in a process group of its own, which is ended as a whole, with its
 * output in a pipe and the lock of the output folder in its hands. posix_spawn and not the
 * library's way, which forks: a fork copies the page tables of all that the scan and the
 * plan hold, once for each command (docs/design.md). */
static int spawn_process(runner *r, child *c, int output)
{
    posix_spawn_file_actions_t files;
    posix_spawnattr_t attributes;
    sigset_t none, pipe_signal;
    int lock = obb_state_lock(r->state);
    sigemptyset(&none);
    sigemptyset(&pipe_signal);
    sigaddset(&pipe_signal, SIGPIPE);
    posix_spawn_file_actions_init(&files);
    posix_spawn_file_actions_addopen(&files, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&files, output, 1);
    posix_spawn_file_actions_adddup2(&files, output, 2);
    if (lock > 3)
        posix_spawn_file_actions_adddup2(&files, lock, 3);
    posix_spawnattr_init(&attributes);
    posix_spawnattr_setflags(&attributes, POSIX_SPAWN_SETPGROUP | POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF);
    posix_spawnattr_setpgroup(&attributes, 0);
    posix_spawnattr_setsigmask(&attributes, &none);
    posix_spawnattr_setsigdefault(&attributes, &pipe_signal);
    int failed = posix_spawnp(&c->pid, c->argv.at[0], &files, &attributes,
                              (char *const *)(uintptr_t)c->argv.at,
                              environment_with(r, report_variable(r, c)));
    posix_spawn_file_actions_destroy(&files);
    posix_spawnattr_destroy(&attributes);
    return failed;
}

/* The first descriptors are for the command; what is ours stays above them. */
static int out_of_the_way(int fd)
{
    int moved = fd > 3 ? fd : fcntl(fd, F_DUPFD_CLOEXEC, 10);
    if (moved != fd)
        close(fd);
    return moved;
}

static int spawn(runner *r, child *c)
{
    int ends[2];
    if (pipe(ends))
        return errno;
    ends[0] = out_of_the_way(ends[0]);
    ends[1] = out_of_the_way(ends[1]);
    fcntl(ends[0], F_SETFD, FD_CLOEXEC);
    fcntl(ends[1], F_SETFD, FD_CLOEXEC);
    int failed = spawn_process(r, c, ends[1]);
    close(ends[1]);
    c->pipe.data = c;
    c->open_ends = failed ? 1 : 2;
    uv_pipe_init(&r->loop, &c->pipe, 0);
    uv_pipe_open(&c->pipe, ends[0]);
    if (failed) {
        c->status = 127;
        c->pid = 0;
    }
    uv_read_start((uv_stream_t *)&c->pipe, give_room, took_output);
    return failed;
}

/* An operation of our own is done at once, here: it takes milliseconds. */
static void operate(runner *r, child *c)
{
    const char *path = obb_files_path(r->plan->files, c->action->output);
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    settle(r, c, obb_image_make(c->action->image, path, obb_path_name(path), r->arena));
}

static void start(runner *r, uint32_t number)
{
    child *c = obb_arena_alloc(r->arena, sizeof *c);
    obb_action *a = r->plan->actions.at[number];
    const char *path = obb_files_path(r->plan->files, a->output);
    *c = (child){.run = r, .action = a, .cause = r->causes[number], .started = uv_now(&r->loop)};
    int failed = obb_path_make_folders(path);
    for (size_t i = 0; i < a->also.count && !failed; i++)
        failed = obb_path_make_folders(obb_files_path(r->plan->files, a->also.at[i]));
    if (!failed && a->image) {
        operate(r, c);
        return;
    }
    if (!failed && !make_argv(r, c))
        failed = EIO;
    if (c->temporary)
        unlink(c->temporary);
    if (failed) {
        fail(r, c, obb_arena_format(r->arena, "cannot write %s: %s", path, strerror(failed)));
        return;
    }
    c->next = r->children;
    r->children = c;
    r->running++;
    tell(r, (obb_event){.kind = OBB_EVENT_START, .action = a, .cause = c->cause});
    failed = spawn(r, c);
    if (failed)
        obb_text_format(&c->output, "cannot run %s: %s\n", c->argv.at[0], strerror(failed));
}

static void stop_timers(runner *r)
{
    for (int i = 0; i < 3; i++)
        if (!uv_is_closing((uv_handle_t *)&r->signals[i]))
            uv_close((uv_handle_t *)&r->signals[i], NULL);
    if (!uv_is_closing((uv_handle_t *)&r->ended))
        uv_close((uv_handle_t *)&r->ended, NULL);
    if (!uv_is_closing((uv_handle_t *)&r->tick))
        uv_close((uv_handle_t *)&r->tick, NULL);
    if (!uv_is_closing((uv_handle_t *)&r->grace))
        uv_close((uv_handle_t *)&r->grace, NULL);
}

static void start_more(runner *r)
{
    judge_ready(r);
    while (!r->stopping && r->running < r->options->jobs && r->first_to_run < r->to_run.count) {
        start(r, r->to_run.at[r->first_to_run++]);
        judge_ready(r);
    }
    if (!r->running && (r->stopping || r->first_to_run == r->to_run.count))
        stop_timers(r);
}

/* --- signals and time --------------------------------------------------------------- */

static void end_children(runner *r, int signal_number)
{
    for (child *c = r->children; c; c = c->next)
        if (c->pid > 0)
            kill(-c->pid, signal_number);
}

static void grace_over(uv_timer_t *timer)
{
    end_children(timer->data, SIGKILL);
}

static void signalled(uv_signal_t *handle, int signal_number)
{
    runner *r = handle->data;
    (void)signal_number;
    end_children(r, r->result.interrupted ? SIGKILL : SIGTERM);
    r->result.interrupted = r->stopping = true;
    if (!uv_is_closing((uv_handle_t *)&r->grace))
        uv_timer_start(&r->grace, grace_over, GRACE_MS, GRACE_MS);
    start_more(r);
}

static void ticked(uv_timer_t *timer)
{
    runner *r = timer->data;
    tell(r, (obb_event){.kind = OBB_EVENT_TICK});
}

static void open_loop(runner *r)
{
    static const int numbers[] = {SIGINT, SIGTERM, SIGHUP};
    uv_loop_init(&r->loop);
    r->began = uv_now(&r->loop);
    for (int i = 0; i < 3; i++) {
        uv_signal_init(&r->loop, &r->signals[i]);
        r->signals[i].data = r;
        uv_signal_start(&r->signals[i], signalled, numbers[i]);
        uv_unref((uv_handle_t *)&r->signals[i]);
    }
    uv_signal_init(&r->loop, &r->ended);
    r->ended.data = r;
    uv_signal_start(&r->ended, children_ended, SIGCHLD);
    uv_timer_init(&r->loop, &r->tick);
    uv_timer_init(&r->loop, &r->grace);
    r->tick.data = r->grace.data = r;
    uv_timer_start(&r->tick, ticked, TICK_MS, TICK_MS);
    uv_unref((uv_handle_t *)&r->tick);
    uv_unref((uv_handle_t *)&r->grace);
}

/* --- the whole ---------------------------------------------------------------------- */

static void note_outputs(runner *r)
{
    for (uint32_t i = 0; i < r->plan->actions.count; i++) {
        const obb_action *a = r->plan->actions.at[i];
        if (!r->wanted[i] || r->forecast[i].kind == OBB_CAUSE_NONE)
            continue;
        obb_state_note_made(r->state, a->output);
        for (size_t k = 0; k < a->also.count; k++)
            obb_state_note_made(r->state, a->also.at[k]);
        for (size_t k = 0; k < a->beside.count; k++)
            obb_state_note_made(r->state, a->beside.at[k]);
    }
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
                rec.inputs.at[k].print = OBB_NO_PRINT;
        obb_state_put_record(r->state, a->output, &rec);
    }
}

obb_run_result obb_run(obb_plan *plan, obb_state *state, const bool *wanted,
                       const obb_run_options *options)
{
    runner r = {.plan = plan, .state = state, .wanted = wanted, .options = options,
                .arena = obb_arena_new()};
    size_t wanted_count = 0;
    for (size_t i = 0; i < plan->actions.count; i++)
        wanted_count += wanted[i];
    r.forecast = obb_forecast(r.arena, state, plan, wanted);
    prepare(&r);
    open_loop(&r);
    if (r.total)
        note_outputs(&r);
    tell(&r, (obb_event){.kind = OBB_EVENT_BEGIN});
    start_more(&r);
    while (uv_run(&r.loop, UV_RUN_DEFAULT))
        ;
    uv_update_time(&r.loop);
    r.result.milliseconds = uv_now(&r.loop) - r.began;
    check_moving_inputs(&r);
    uv_loop_close(&r.loop);
    r.result.left = wanted_count - r.result.made - r.result.up_to_date - r.result.failed;
    if (r.result.moving)
        r.result.moving = obb_arena_string(plan->arena, r.result.moving);
    obb_vec_free(&r.noted);
    obb_arena_free(r.arena);
    return r.result;
}
