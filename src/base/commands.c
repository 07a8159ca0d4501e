/* Running commands side by side in one event loop (commands.h). Processes are started with posix_spawn, which
 * gives them the default action of SIGPIPE, and waited for through SIGCHLD. A command is over when its
 * process has ended and its pipes are closed, or when the grace period for children that still hold a pipe
 * has passed. */
#include "base/commands.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <spawn.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/system.h"
#include "base/vec.h"

extern char **environ;

enum { GRACE_MS = 2000, TICK_MS = 100, NOT_RUN = 127 };

uint64_t obb_commands_now(obb_commands *s)
{
    if (s->broken)
        return 0;
    uv_update_time(&s->loop);
    return uv_now(&s->loop);
}

uint64_t obb_commands_elapsed(obb_commands *s)
{
    return obb_commands_now(s) - s->began;
}

/* --- the end of one ----------------------------------------------------------------- */

static void over(obb_command *c)
{
    obb_commands *s = c->commands;
    obb_command **at = &s->list;
    while (*at != c)
        at = &(*at)->next;
    *at = c->next;
    s->running--;
    c->milliseconds = obb_commands_now(s) - c->started;
    c->over(c);
}

static void end_closed(uv_handle_t *handle)
{
    obb_command *c = handle->data;
    if (--c->open_ends == 0)
        over(c);
}

static void child_ended(obb_command *c, int status)
{
    c->status = c->failed ? NOT_RUN : WIFEXITED(status) ? WEXITSTATUS(status) : 0;
    c->signal = WIFSIGNALED(status) ? WTERMSIG(status) : 0;
    c->pid = 0;
    if (c->ends_group && c->group)
        kill(-c->group, SIGKILL);
    if (c->limit && !uv_is_closing((uv_handle_t *)&c->timer))
        uv_close((uv_handle_t *)&c->timer, end_closed);
    if (--c->open_ends == 0)
        over(c);
}

/* SIGCHLD: some commands have ended. One that is over may start others and so change the
 * list: after each, it is begun again. */
static void children_ended(uv_signal_t *handle, int signal_number)
{
    obb_commands *s = handle->data;
    (void)signal_number;
    for (obb_command *c = s->list; c;) {
        int status = 0;
        pid_t ended;
        do
            ended = c->pid > 0 ? obb_ended_child(c->pid, &status, &c->memory) : 0;
        while (ended < 0 && errno == EINTR);
        if (ended < 0) /* its status was collected elsewhere: the outcome is unknown */
            c->failed = errno;
        if (c->pid > 0 && (ended == c->pid || c->failed)) {
            child_ended(c, status);
            c = s->list;
        } else {
            c = c->next;
        }
    }
}

static void time_is_up(uv_timer_t *timer)
{
    obb_command *c = timer->data;
    c->timed_out = true;
    if (c->group)
        kill(-c->group, SIGKILL);
}

/* --- what it prints ----------------------------------------------------------------- */

static void give_room(uv_handle_t *handle, size_t wanted, uv_buf_t *buffer)
{
    (void)handle, (void)wanted;
    *buffer = uv_buf_init(obb_alloc(16384), 16384);
}

static void took_output(uv_stream_t *stream, ssize_t n, const uv_buf_t *buffer)
{
    obb_command *c = stream->data;
    if (n > 0)
        obb_text_add(stream == (uv_stream_t *)&c->pipes[1] ? &c->errors : &c->output, buffer->base,
                     (size_t)n);
    free(buffer->base);
    if (n > 0 && c->printed)
        c->printed(c);
    if (n < 0)
        uv_close((uv_handle_t *)stream, end_closed);
}

/* Moves a descriptor of ours above those that a command is given. -1: it was closed. */
static int out_of_the_way(int fd)
{
    int moved = fd > 3 ? fd : fcntl(fd, F_DUPFD_CLOEXEC, 10);
    int failed = moved < 0 || fcntl(moved, F_SETFD, FD_CLOEXEC) ? errno : 0;
    if (moved != fd || failed)
        close(fd);
    if (failed && moved >= 0 && moved != fd)
        close(moved);
    errno = failed;
    return failed ? -1 : moved;
}

/* A pipe with both ends above those descriptors. 0, or an errno value with both closed. */
static int make_pipe(int ends[2])
{
    if (pipe(ends))
        return errno;
    ends[0] = out_of_the_way(ends[0]);
    int failed = ends[0] < 0 ? errno : 0;
    ends[1] = out_of_the_way(ends[1]);
    if (!failed && ends[1] >= 0)
        return 0;
    failed = failed ? failed : errno;
    for (int i = 0; i < 2; i++)
        if (ends[i] >= 0)
            close(ends[i]);
    return failed;
}

/* 0 with the end that the command writes to, or an errno value. */
static int open_pipe(obb_command *c, uv_pipe_t *handle, int *end)
{
    int ends[2], failed = make_pipe(ends);
    if (failed)
        return failed;
    handle->data = c;
    uv_pipe_init(&c->commands->loop, handle, 0);
    c->open_ends++;
    failed = uv_pipe_open(handle, ends[0]);
    if (failed)
        close(ends[0]);
    else
        failed = uv_read_start((uv_stream_t *)handle, give_room, took_output);
    if (!failed) {
        *end = ends[1];
        return 0;
    }
    close(ends[1]);
    uv_close((uv_handle_t *)handle, end_closed);
    return -failed;
}

/* --- what it reads ------------------------------------------------------------------ */

static void wrote(uv_write_t *write, int status)
{
    (void)status; /* a program need not read its input */
    uv_close((uv_handle_t *)write->handle, end_closed);
}

/* 0 with the end that the command reads from, or an errno value. */
static int open_input(obb_command *c, int *end)
{
    int ends[2], failed = make_pipe(ends);
    if (failed)
        return failed;
    c->in.data = c;
    uv_pipe_init(&c->commands->loop, &c->in, 0);
    c->open_ends++;
    failed = uv_pipe_open(&c->in, ends[1]);
    if (failed)
        close(ends[1]);
    uv_buf_t text = uv_buf_init((char *)(uintptr_t)c->input, (unsigned)strlen(c->input));
    if (!failed)
        failed = uv_write(&c->write, (uv_stream_t *)&c->in, &text, 1, wrote);
    if (!failed) {
        *end = ends[0];
        return 0;
    }
    close(ends[0]);
    uv_close((uv_handle_t *)&c->in, end_closed);
    return -failed;
}

/* --- the start of one --------------------------------------------------------------- */

/* The ends of pipes that a command is given; -1: it has none. */
typedef struct command_ends {
    int input, output, errors;
} command_ends;

static void prepare_signals(posix_spawnattr_t *attributes, bool group)
{
    sigset_t none, pipe_signal;
    sigemptyset(&none);
    sigemptyset(&pipe_signal);
    sigaddset(&pipe_signal, SIGPIPE);
    posix_spawnattr_init(attributes);
    posix_spawnattr_setflags(attributes, (short)((group ? POSIX_SPAWN_SETPGROUP : 0) |
                                                 POSIX_SPAWN_SETSIGMASK | POSIX_SPAWN_SETSIGDEF));
    posix_spawnattr_setpgroup(attributes, 0);
    posix_spawnattr_setsigmask(attributes, &none);
    posix_spawnattr_setsigdefault(attributes, &pipe_signal);
}

static int spawn_here(obb_command *c, const command_ends *ends)
{
    posix_spawn_file_actions_t files;
    posix_spawnattr_t attributes;
    posix_spawn_file_actions_init(&files);
    if (ends->input >= 0)
        posix_spawn_file_actions_adddup2(&files, ends->input, 0);
    else
        posix_spawn_file_actions_addopen(&files, 0, "/dev/null", O_RDONLY, 0);
    posix_spawn_file_actions_adddup2(&files, ends->output, 1);
    posix_spawn_file_actions_adddup2(&files, ends->errors, 2);
    if (c->lock > 3)
        posix_spawn_file_actions_adddup2(&files, c->lock, 3);
    prepare_signals(&attributes, !c->commands->questions);
    int failed = posix_spawnp(&c->pid, c->argv[0], &files, &attributes, (char *const *)(uintptr_t)c->argv,
                              c->environment ? c->environment : environ);
    posix_spawn_file_actions_destroy(&files);
    posix_spawnattr_destroy(&attributes);
    return failed;
}

/* In the new process, which reports through `told` why it cannot become the command. */
static void become(const obb_command *c, const command_ends *ends, int told)
{
    int input = ends->input >= 0 ? ends->input : open("/dev/null", O_RDONLY);
    sigset_t none;
    sigemptyset(&none);
    if (!c->commands->questions)
        setpgid(0, 0);
    sigprocmask(SIG_SETMASK, &none, NULL);
    signal(SIGPIPE, SIG_DFL);
    bool ready = input >= 0 && dup2(input, 0) == 0 && dup2(ends->output, 1) == 1 &&
                 dup2(ends->errors, 2) == 2 && (c->lock <= 3 || dup2(c->lock, 3) == 3) &&
                 chdir(c->folder) == 0;
    if (c->environment)
        environ = c->environment;
    if (ready)
        execvp(c->argv[0], (char *const *)(uintptr_t)c->argv);
    int why = errno;
    if (write(told, &why, sizeof why) != sizeof why)
        _exit(126);
    _exit(127);
}

/* POSIX.1-2008 has no way to spawn into another folder. */
static int fork_there(obb_command *c, const command_ends *given)
{
    int ends[2], why = make_pipe(ends);
    if (why)
        return why;
    c->pid = fork();
    if (c->pid == 0)
        become(c, given, ends[1]);
    if (c->pid < 0)
        why = errno;
    close(ends[1]);
    ssize_t n = 0;
    while (c->pid > 0 && (n = read(ends[0], &why, sizeof why)) < 0 && errno == EINTR)
        ;
    if (n == sizeof why)
        waitpid(c->pid, NULL, 0);
    close(ends[0]);
    return why;
}

static void close_end(int end)
{
    if (end >= 0)
        close(end);
}

/* A file in place of a pipe. 0, or an errno value. */
static int open_file(const char *path, int flags, int *end)
{
    int fd = open(path, flags | O_CLOEXEC, 0666);
    *end = fd >= 0 ? out_of_the_way(fd) : -1;
    return *end < 0 ? errno : 0;
}

static int spawn(obb_command *c)
{
    command_ends ends = {-1, -1, -1};
    int file = -1, failed = open_pipe(c, &c->pipes[0], &ends.output);
    if (!failed && c->apart)
        failed = open_pipe(c, &c->pipes[1], &ends.errors);
    if (!failed && c->input)
        failed = open_input(c, &ends.input);
    if (!failed && c->input_path)
        failed = open_file(c->input_path, O_RDONLY, &ends.input);
    if (!failed && c->output_path)
        failed = open_file(c->output_path, O_WRONLY | O_CREAT | O_TRUNC, &file);
    command_ends given = {ends.input, file >= 0 ? file : ends.output, c->apart ? ends.errors : ends.output};
    if (!failed)
        failed = (c->folder ? fork_there : spawn_here)(c, &given);
    close_end(ends.input);
    close_end(ends.output);
    close_end(file);
    close_end(ends.errors);
    return failed;
}

static void begin_timer(obb_command *c)
{
    uv_timer_init(&c->commands->loop, &c->timer);
    c->timer.data = c;
    c->open_ends++;
    uv_timer_start(&c->timer, time_is_up, c->limit, 0);
}

void obb_commands_start(obb_commands *s, obb_command *c)
{
    c->commands = s;
    c->next = s->list;
    s->list = c;
    s->running++;
    c->started = s->broken ? 0 : uv_now(&s->loop);
    c->failed = s->broken ? s->broken : spawn(c);
    if (c->failed) {
        c->status = NOT_RUN;
        c->pid = 0;
        if (!c->open_ends)
            over(c);
        return;
    }
    c->group = s->questions ? 0 : c->pid;
    c->open_ends++;
    if (c->limit)
        begin_timer(c);
}

void obb_commands_end(obb_command *c)
{
    if (c->pid > 0 && c->group)
        kill(-c->group, SIGTERM);
}

/* --- signals and time --------------------------------------------------------------- */

static void end_children(obb_commands *s, int signal_number)
{
    for (obb_command *c = s->list; c;
         c = c->next) /* also children of an ended command that still hold its pipes */
        if (c->group > 0)
            kill(-c->group, signal_number);
}

static void close_pipe(obb_command *c, uv_pipe_t *pipe)
{
    if (pipe->data == c && !uv_is_closing((uv_handle_t *)pipe))
        uv_close((uv_handle_t *)pipe, end_closed);
}

/* A child that left the process group, a daemon for example, is not waited for. */
static void grace_over(uv_timer_t *timer)
{
    obb_commands *s = timer->data;
    end_children(s, SIGKILL);
    for (obb_command *c = s->list; c; c = c->next)
        for (int i = 0; c->pid == 0 && i < 2; i++)
            close_pipe(c, &c->pipes[i]);
}

static void signalled(uv_signal_t *handle, int signal_number)
{
    obb_commands *s = handle->data;
    (void)signal_number;
    end_children(s, s->was_interrupted ? SIGKILL : SIGTERM);
    s->was_interrupted = true;
    if (!uv_is_closing((uv_handle_t *)&s->grace))
        uv_timer_start(&s->grace, grace_over, GRACE_MS, GRACE_MS);
    s->interrupted(s->self);
}

static void ticked(uv_timer_t *timer)
{
    obb_commands *s = timer->data;
    children_ended(&s->ended, SIGCHLD); /* should a signal ever be lost, no build waits for ever */
    if (s->ticked)
        s->ticked(s->self);
}

static int begin_signals(obb_commands *s)
{
    static const int numbers[] = {SIGINT, SIGTERM, SIGHUP};
    int failed = uv_signal_init(&s->loop, &s->ended);
    for (int i = 0; i < 3 && !failed && !s->questions; i++) {
        failed = uv_signal_init(&s->loop, &s->signals[i]);
        if (failed)
            break;
        s->signals[i].data = s;
        failed = uv_signal_start(&s->signals[i], signalled, numbers[i]);
        uv_unref((uv_handle_t *)&s->signals[i]);
    }
    s->ended.data = s;
    return failed ? failed : uv_signal_start(&s->ended, children_ended, SIGCHLD);
}

static void close_any(uv_handle_t *handle, void *self)
{
    (void)self;
    uv_close(handle, NULL);
}

void obb_commands_open(obb_commands *s)
{
    int failed = uv_loop_init(&s->loop);
    if (failed) {
        s->broken = -failed;
        return;
    }
    failed = begin_signals(s);
    if (failed) {
        s->broken = -failed;
        uv_walk(&s->loop, close_any, NULL);
        uv_run(&s->loop, UV_RUN_DEFAULT);
        uv_loop_close(&s->loop);
        return;
    }
    s->began = uv_now(&s->loop);
    uv_timer_init(&s->loop, &s->tick);
    uv_timer_init(&s->loop, &s->grace);
    s->tick.data = s->grace.data = s;
    uv_timer_start(&s->tick, ticked, TICK_MS, TICK_MS);
    uv_unref((uv_handle_t *)&s->tick);
}

static void close_handle(uv_handle_t *handle)
{
    if (!uv_is_closing(handle))
        uv_close(handle, NULL);
}

void obb_commands_finish(obb_commands *s)
{
    if (s->broken)
        return;
    for (int i = 0; i < 3 && !s->questions; i++)
        close_handle((uv_handle_t *)&s->signals[i]);
    close_handle((uv_handle_t *)&s->ended);
    close_handle((uv_handle_t *)&s->tick);
    close_handle((uv_handle_t *)&s->grace);
}

uint64_t obb_commands_run(obb_commands *s)
{
    if (s->broken)
        return 0;
    while (uv_run(&s->loop, UV_RUN_DEFAULT))
        ;
    uint64_t took = obb_commands_now(s) - s->began;
    uv_loop_close(&s->loop);
    return took;
}

char **obb_environment_with(char *const *base, const char *const *variables, size_t count)
{
    size_t n = 0, kept = 0;
    base = base ? base : environ;
    while (base[n])
        n++;
    char **all = obb_alloc((n + count + 1) * sizeof *all);
    for (size_t i = 0; i < n; i++) {
        size_t name = strcspn(base[i], "=") + 1;
        bool replaced = false;
        for (size_t k = 0; k < count && !replaced; k++)
            replaced = strncmp(base[i], variables[k], name) == 0;
        if (!replaced)
            all[kept++] = base[i];
    }
    for (size_t k = 0; k < count; k++)
        all[kept++] = (char *)(uintptr_t)variables[k];
    all[kept] = NULL;
    return all;
}
