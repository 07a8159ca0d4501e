/* Watching the system calls of a command by ptrace (trace.h). Each stop of a child is either the entry or
 * the exit of a system call; paths are read from its memory at the entry, and counted when the call
 * succeeds. */
#include "base/trace.h"

#ifdef __linux__

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <string.h>
#include <sys/ptrace.h>
#include <sys/syscall.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/vec.h"

/* One thread that is watched. */
typedef struct tracee {
    pid_t pid;
    bool seen;       /* it has stopped for the first time */
    bool opening;    /* it is in a call that opens a file */
    bool writing;    /* for writing alone */
    char name[2 * 4096 + 2]; /* by which it is opened, or begun; "": not known */
} tracee;

typedef struct watcher {
    OBB_VEC(tracee) tracees;
    FILE *report;
    pid_t command;
    int status;
} watcher;

bool obb_trace_offered(void)
{
    return true;
}

static tracee *tracee_of(watcher *w, pid_t pid)
{
    for (size_t i = 0; i < w->tracees.count; i++)
        if (w->tracees.at[i].pid == pid)
            return &w->tracees.at[i];
    obb_vec_push(&w->tracees, (tracee){.pid = pid});
    return &w->tracees.at[w->tracees.count - 1];
}

/* A string in the memory of a tracee, page by page: behind its page there may be nothing. */
static void read_string(pid_t pid, unsigned long long address, char *text, size_t room)
{
    char path[60];
    size_t got = 0;
    snprintf(path, sizeof path, "/proc/%ld/mem", (long)pid);
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    while (fd >= 0 && got < room - 1 && !memchr(text, 0, got)) {
        size_t page = 4096 - (address + got) % 4096, left = room - 1 - got;
        ssize_t n = pread(fd, text + got, page < left ? page : left, (off_t)(address + got));
        if (n <= 0)
            break;
        got += (size_t)n;
    }
    if (fd >= 0)
        close(fd);
    text[got] = 0;
}

/* A path that a tracee names, made absolute; "" when it cannot be had. */
static void read_name(tracee *t, unsigned long long folder, unsigned long long address)
{
    char path[60], text[4096], here[4096] = "";
    ssize_t n = 0;
    read_string(t->pid, address, text, sizeof text);
    if (*text && *text != '/' && (int)folder == AT_FDCWD) {
        snprintf(path, sizeof path, "/proc/%ld/cwd", (long)t->pid);
        n = readlink(path, here, sizeof here - 1);
    }
    bool absolute = *text == '/' || n > 0;
    int length = snprintf(t->name, sizeof t->name, "%s%s%s", here, *text == '/' ? "" : "/", text);
    if (!absolute || length >= (int)sizeof t->name)
        t->name[0] = 0;
}

static void begin_call(tracee *t, const struct __ptrace_syscall_info *info)
{
    unsigned long long flags = O_RDONLY;
    t->opening = true;
    if (info->entry.nr == SYS_openat) {
        flags = info->entry.args[2];
        read_name(t, info->entry.args[0], info->entry.args[1]);
    } else if (info->entry.nr == SYS_execve) {
        read_name(t, (unsigned long long)AT_FDCWD, info->entry.args[0]);
        t->opening = false;
    }
#ifdef SYS_open
    else if (info->entry.nr == SYS_open)
        flags = info->entry.args[1];
#endif
#ifdef SYS_creat
    else if (info->entry.nr == SYS_creat)
        flags = O_WRONLY;
#endif
#ifdef SYS_openat2
    else if (info->entry.nr == SYS_openat2)
        flags = O_RDONLY;
#endif
    else
        t->opening = false;
    t->writing = (flags & O_ACCMODE) == O_WRONLY;
    if (flags & O_DIRECTORY)
        t->opening = false;
}

static void end_call(watcher *w, tracee *t, long long fd)
{
    char link[60], path[4096];
    ssize_t n;
    if (!t->opening || fd < 0)
        return;
    snprintf(link, sizeof link, "/proc/%ld/fd/%lld", (long)t->pid, fd);
    n = readlink(link, path, sizeof path - 1);
    if (n <= 0 || path[0] != '/')
        return;
    path[n] = 0;
    fprintf(w->report, "%c %s\n", t->writing ? 'w' : 'r', path);
    if (*t->name && strcmp(t->name, path) != 0)
        fprintf(w->report, "n %s\n", t->name);
}

/* A program has been begun: it, and what the system maps to start it. */
static void tell_program(watcher *w, const tracee *t)
{
    char line[4400], before[4096] = "";
    snprintf(line, sizeof line, "/proc/%ld/maps", (long)t->pid);
    FILE *maps = fopen(line, "re");
    while (maps && fgets(line, sizeof line, maps)) {
        char *path = strchr(line, '/');
        line[strcspn(line, "\n")] = 0;
        if (!path || strcmp(path, before) == 0)
            continue;
        fprintf(w->report, "x %s\n", path);
        snprintf(before, sizeof before, "%s", path);
    }
    if (maps)
        fclose(maps);
    if (*t->name)
        fprintf(w->report, "n %s\n", t->name);
}

static void call_stop(watcher *w, tracee *t)
{
    struct __ptrace_syscall_info info;
    memset(&info, 0, sizeof info);
    if (ptrace(PTRACE_GET_SYSCALL_INFO, t->pid, (void *)sizeof info, &info) <= 0)
        return;
    if (info.op == PTRACE_SYSCALL_INFO_ENTRY)
        begin_call(t, &info);
    else if (info.op == PTRACE_SYSCALL_INFO_EXIT) {
        end_call(w, t, info.exit.rval);
        t->opening = false;
    }
}

/* The signal that a stopped thread goes on with. */
static int stopped(watcher *w, pid_t pid, int status)
{
    tracee *t = tracee_of(w, pid);
    int number = WSTOPSIG(status);
    bool first = !t->seen;
    t->seen = true;
    if (number == (SIGTRAP | 0x80)) {
        call_stop(w, t);
        return 0;
    }
    if (status >> 16 == PTRACE_EVENT_EXEC)
        tell_program(w, t);
    if (status >> 16 || (first && number == SIGSTOP)) /* an event; the start of a new thread */
        return 0;
    return number;
}

static void forget(watcher *w, pid_t pid)
{
    for (size_t i = 0; i < w->tracees.count; i++)
        if (w->tracees.at[i].pid == pid)
            w->tracees.at[i] = w->tracees.at[--w->tracees.count];
}

static void watch(watcher *w)
{
    int status;
    pid_t pid;
    while ((pid = waitpid(-1, &status, __WALL)) > 0 || (pid < 0 && errno == EINTR)) {
        if (pid < 0)
            continue;
        if (WIFSTOPPED(status)) {
            ptrace(PTRACE_SYSCALL, pid, NULL, (void *)(long)stopped(w, pid, status));
            continue;
        }
        forget(w, pid);
        if (pid == w->command)
            w->status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    }
}

int obb_trace(char *const *argv, const char *report)
{
    watcher w = {.report = fopen(report, "w"), .status = 127};
    int status;
    if (!w.report)
        return 127;
    w.command = fork();
    if (w.command == 0) {
        if (ptrace(PTRACE_TRACEME, 0, NULL, NULL)) {
            fprintf(w.report, "! %s\n", strerror(errno));
            fclose(w.report);
        } else {
            raise(SIGSTOP);
        }
        execvp(argv[0], argv);
        fprintf(stderr, "cannot run %s: %s\n", argv[0], strerror(errno));
        _exit(127);
    }
    while (waitpid(w.command, &status, 0) < 0 && errno == EINTR)
        ;
    if (WIFSTOPPED(status)) {
        tracee_of(&w, w.command)->seen = true;
        ptrace(PTRACE_SETOPTIONS, w.command, NULL,
               (void *)(long)(PTRACE_O_TRACESYSGOOD | PTRACE_O_TRACEFORK | PTRACE_O_TRACEVFORK |
                              PTRACE_O_TRACECLONE | PTRACE_O_TRACEEXEC | PTRACE_O_EXITKILL));
        ptrace(PTRACE_SYSCALL, w.command, NULL, NULL);
        watch(&w);
    } else {
        w.status = WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    }
    fclose(w.report);
    obb_vec_free(&w.tracees);
    return w.status;
}

#else

bool obb_trace_offered(void)
{
    return false;
}

int obb_trace(char *const *argv, const char *report)
{
    (void)argv, (void)report;
    return 127;
}

#endif
