/* Every system call fails once.
 *
 * A build of a small project, and then an install and an uninstall, is run under ptrace; its N-th call fails with an error that this call may
 * give, or the program is killed there; N goes through the whole build. The commands that it runs are
 * left alone. After each: the build came to an end by itself, what it called a success is right, the
 * next build is right, the one after it has nothing to do, and so is one that takes all from the store. An
 * install is finished by the next one, or undone by an uninstall; an uninstall is finished by the next one.
 *
 *     faults PROGRAM STRIDE [QUICK-COMPILER]      every STRIDE-th call; with the compiler of this machine
 *                                                 unless another is given
 *     faults PROGRAM 1 QUICK-COMPILER SITUATION N one call alone, to look into a failure
 */
#include <errno.h>
#include <fcntl.h>
#include <limits.h>
#include <signal.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/ptrace.h>
#include <sys/syscall.h>
#include <sys/types.h>
#include <sys/user.h>
#include <sys/wait.h>
#include <unistd.h>

#include "harness/harness.h"

enum { SECONDS = 20 }; /* a build here takes a fraction of one */

/* What may fail, and how. A number of -1 is a call that this machine does not have. */
static const struct { long number; const char *name; int errors[4]; } calls[] = {
    {SYS_write, "write", {ENOSPC, EIO, EINTR}},
    {SYS_pwrite64, "pwrite64", {ENOSPC, EIO}},
    {SYS_writev, "writev", {ENOSPC, EIO}},
    {SYS_read, "read", {EIO, EINTR}},
    {SYS_pread64, "pread64", {EIO, EINTR}},
    {SYS_openat, "openat", {EMFILE, ENOSPC, EACCES, EIO}},
    {SYS_openat2, "openat2", {EMFILE, EACCES, EIO}},
    {SYS_close, "close", {EIO, EINTR}},
    {SYS_renameat, "renameat", {ENOSPC, EIO}},
    {SYS_renameat2, "renameat2", {ENOSPC, EIO}},
    {SYS_linkat, "linkat", {EMLINK, EPERM}},
    {SYS_unlinkat, "unlinkat", {EIO, EACCES}},
    {SYS_mkdirat, "mkdirat", {ENOSPC, EACCES}},
    {SYS_ftruncate, "ftruncate", {ENOSPC, EIO}},
    {SYS_fallocate, "fallocate", {ENOSPC}},
    {SYS_fchmod, "fchmod", {EPERM}},
    {SYS_utimensat, "utimensat", {EPERM}},
    {SYS_fsync, "fsync", {EIO}},
    {SYS_fdatasync, "fdatasync", {EIO}},
    {SYS_fstat, "fstat", {EIO}},
    {SYS_newfstatat, "newfstatat", {EIO, ENOMEM}},
    {SYS_statx, "statx", {EIO}},
    {SYS_readlinkat, "readlinkat", {EIO}},
    {SYS_getdents64, "getdents64", {EIO}},
    {SYS_lseek, "lseek", {EIO}},
    {SYS_fcntl, "fcntl", {ENOLCK}}, /* locks here never wait, so that no signal ends the waiting */
    {SYS_flock, "flock", {ENOLCK, EINTR}},
    {SYS_mmap, "mmap", {ENOMEM}},
    {SYS_clone, "clone", {EAGAIN, ENOMEM}},
    {SYS_clone3, "clone3", {EAGAIN}},
    {SYS_pipe2, "pipe2", {EMFILE}},
    {SYS_socketpair, "socketpair", {EMFILE}},
    {SYS_dup3, "dup3", {EMFILE}},
    {SYS_wait4, "wait4", {EINTR, ECHILD}},
    {SYS_eventfd2, "eventfd2", {EMFILE}},
    {SYS_epoll_create1, "epoll_create1", {EMFILE}},
    {SYS_epoll_pwait, "epoll_pwait", {EINTR}},
#ifdef SYS_open /* not among the calls of newer machines */
    {SYS_open, "open", {EMFILE, ENOSPC, EACCES, EIO}},
    {SYS_rename, "rename", {ENOSPC, EIO}},
    {SYS_link, "link", {EMLINK, EPERM}},
    {SYS_unlink, "unlink", {EIO, EACCES}},
    {SYS_rmdir, "rmdir", {EIO, EACCES}},
    {SYS_mkdir, "mkdir", {ENOSPC, EACCES}},
    {SYS_chmod, "chmod", {EPERM}},
    {SYS_stat, "stat", {EIO}},
    {SYS_lstat, "lstat", {EIO}},
    {SYS_readlink, "readlink", {EIO}},
    {SYS_fork, "fork", {EAGAIN}},
    {SYS_vfork, "vfork", {EAGAIN}},
    {SYS_pipe, "pipe", {EMFILE}},
    {SYS_poll, "poll", {EINTR, ENOMEM}},
    {SYS_epoll_wait, "epoll_wait", {EINTR}},
#endif
};

/* How one traced build ended. */
typedef struct ending {
    long counted;       /* calls that may fail */
    const char *failed; /* the name of the one that did, or NULL: there were fewer */
    int error;          /* what it gave; 0: the program was killed there */
    int status;         /* of wait */
    bool late;          /* it did not end */
} ending;

static const char *program, *quick;
static char *store;

/* --- one traced build ----------------------------------------------------------------- */

static int call_of(long number)
{
    for (size_t i = 0; i < sizeof calls / sizeof *calls; i++)
        if (calls[i].number == number)
            return (int)i;
    return -1;
}

static bool is_one_of(const char *name, const char *const *names)
{
    while (*names && strcmp(name, *names) != 0)
        names++;
    return *names != NULL;
}

/* The event library ends the program when the system refuses what it never refuses: to read, write or close
 * what it keeps in memory. The same for its own first pipe. And no lock is ever kept against the will of its holder. */
static bool can_fail(pid_t process, int which, const struct __ptrace_syscall_info *info, bool *spared)
{
    static const char *const of_files[] = {"read", "write", "close", NULL};
    const char *name = calls[which].name;
    char path[60], target[60] = "";
    if (strcmp(name, "pipe2") == 0 && !*spared) {
        *spared = true;
        return false;
    }
    if (strcmp(name, "fcntl") == 0 && (info->entry.args[1] == F_SETLK || info->entry.args[1] == F_SETLKW))
        return (short)ptrace(PTRACE_PEEKDATA, process, info->entry.args[2], 0) != F_UNLCK; /* l_type comes first */
    if (!is_one_of(name, of_files))
        return true;
    snprintf(path, sizeof path, "/proc/%d/fd/%lu", (int)process, (unsigned long)info->entry.args[0]);
    return readlink(path, target, sizeof target - 1) > 0 && target[0] == '/';
}

/* At the entry of a call: it is not made. */
static void take_away(pid_t thread)
{
#if defined __x86_64__
    ptrace(PTRACE_POKEUSER, thread, offsetof(struct user_regs_struct, orig_rax), -1L);
#else
    (void)thread;
#endif
}

/* At its exit: what it gives. */
static void give(pid_t thread, int error)
{
#if defined __x86_64__
    ptrace(PTRACE_POKEUSER, thread, offsetof(struct user_regs_struct, rax), (long)-error);
#else
    (void)thread, (void)error;
#endif
}

static pid_t begin(char *const *words)
{
    fflush(stdout);
    pid_t process = fork();
    if (process)
        return process;
    if (!freopen("printed", "w", stdout) || dup2(1, 2) < 0 || ptrace(PTRACE_TRACEME, 0, 0, 0))
        _exit(120);
    raise(SIGSTOP);
    execv(words[0], words);
    _exit(121);
}

/* Containers may forbid it, and here are the registers of one machine only. */
static bool may_trace(void)
{
#if defined __x86_64__
    int status;
    pid_t process = fork();
    if (process == 0)
        _exit(ptrace(PTRACE_TRACEME, 0, 0, 0) ? 1 : 0);
    return process > 0 && waitpid(process, &status, 0) == process && WIFEXITED(status) && WEXITSTATUS(status) == 0;
#else
    return false;
#endif
}

static volatile sig_atomic_t too_late;

static void ring(int signal)
{
    (void)signal;
    too_late = 1;
}

/* The calls count from the first look at the working folder on: before that the system loads the program. */
static ending trace(char *const *words, long nth, bool kill_it, unsigned turn)
{
    ending e = {0};
    pid_t process = begin(words), failing = 0;
    bool counting = false, spared = false;
    int status;
    if (process < 0 || waitpid(process, &status, 0) != process || !WIFSTOPPED(status)) {
        puts("the build cannot be traced");
        exit(2);
    }
    ptrace(PTRACE_SETOPTIONS, process, 0, PTRACE_O_TRACESYSGOOD | PTRACE_O_TRACECLONE | PTRACE_O_EXITKILL);
    ptrace(PTRACE_SYSCALL, process, 0, 0);
    too_late = 0;
    alarm(SECONDS);
    for (;;) {
        pid_t thread = waitpid(-1, &status, __WALL);
        if (thread < 0 && errno == EINTR && too_late && !e.late) {
            e.late = true;
            kill(process, SIGKILL);
        }
        if (thread < 0 && errno != EINTR)
            break;
        if (thread < 0)
            continue;
        if (WIFEXITED(status) || WIFSIGNALED(status)) {
            if (thread != process)
                continue;
            e.status = status;
            break;
        }
        int signal = WSTOPSIG(status);
        if (signal == (SIGTRAP | 0x80)) {
            struct __ptrace_syscall_info info = {0};
            ptrace(PTRACE_GET_SYSCALL_INFO, thread, sizeof info, &info);
            if (info.op == PTRACE_SYSCALL_INFO_ENTRY) {
                int which = call_of((long)info.entry.nr);
                counting = counting || info.entry.nr == SYS_getcwd;
                if (counting && which >= 0 && can_fail(thread, which, &info, &spared) && ++e.counted == nth) {
                    int errors = 0;
                    while (errors < 4 && calls[which].errors[errors])
                        errors++;
                    e.failed = calls[which].name;
                    if (kill_it) {
                        kill(process, SIGKILL);
                    } else {
                        e.error = calls[which].errors[turn % (unsigned)errors];
                        if (calls[which].number != SYS_close) /* a file is closed even so */
                            take_away(thread);
                        failing = thread;
                    }
                }
            } else if (thread == failing) {
                give(thread, e.error);
                failing = 0;
            }
            signal = 0;
        } else if (signal == SIGTRAP || signal == SIGSTOP) {
            signal = 0; /* of a new thread, and of ptrace itself */
        }
        ptrace(PTRACE_SYSCALL, thread, 0, signal);
    }
    alarm(0);
    return e;
}

/* --- the project ---------------------------------------------------------------------- */

static void describe(void)
{
    char text[4000];
    if (quick)
        snprintf(text, sizeof text,
                 "project faults { version 1; include inc; default quick.debug }\n"
                 "toolchain quick { family custom; compile c %s compile {source} {object} {defines} {includes}\n"
                 "    archive %s gather {library} {objects}; link %s gather {program} {objects} {libraries}\n"
                 "    spell include \"-I{path}\" define \"-D{name}={value}\" }\n"
                 "platform quick { set os=none cpu=quick; toolchain quick }\n",
                 quick, quick, quick);
    else
        snprintf(text, sizeof text, "project faults { version 1; include inc }\n");
    snprintf(text + strlen(text), sizeof text - strlen(text),
             "step facts { reads facts.in; makes gen/facts.h; copy facts.in to gen/facts.h }\n"
             "step note { reads facts.in; makes gen/note.txt; run sh -c \"cat facts.in; cp facts.in {makes}\" }\n"
             "library a { sources a/*.c; uses facts }\n"
             "program p { sources main.c; uses a note }\n"
             "delivery faults { programs p; files names/* to share/faults/names; files inc/* facts.in to share/inc }\n");
    harness_write("obbligato.score", text);
    harness_write("a/one.c", "#include \"inc.h\"\n#include \"facts.h\"\nint one(void) { return VALUE; }\n");
    harness_write("a/two.c", "int two(void) { return 2; }\n");
    harness_write("main.c", "#include \"inc.h\"\nint one(void), two(void); int main(void) { return one() + two() + VALUE; }\n");
}

static void edit(int value)
{
    char text[100];
    snprintf(text, sizeof text, "#define VALUE %d\n", value);
    harness_write("inc/inc.h", text);
    snprintf(text, sizeof text, "#define FACTS %d\n", value);
    harness_write("facts.in", text);
    unlink(value ? "names/v0" : "names/v1"); /* what another version has not any more */
    harness_write(value ? "names/v1" : "names/v0", text);
}

static bool shell(const char *format, ...)
{
    char line[9000], *printed;
    va_list more;
    va_start(more, format);
    vsnprintf(line, sizeof line, format, more);
    va_end(more);
    int status = harness_shell(line, &printed);
    if (status)
        printf("exit status %d of: %s\n%s\n", status, line, printed);
    free(printed);
    return status == 0;
}

static bool as_clean(int value)
{
    return shell("diff -r -x .obbligato -x .obbligato-output -x compile_commands.json clean%d/out out", value);
}

/* --- what must hold ------------------------------------------------------------------- */

typedef enum { EDITED, FROM_NOTHING, FROM_THE_STORE, INSTALLED, UPGRADED, TAKEN_AWAY, SITUATIONS } situation;

static const char *const situations[] = {"after an edit", "from nothing", "from the store",
                                         "installed", "upgraded", "taken away"};

/* All that is in the prefix: kinds, modes, names, links and contents. */
#define LIST "(cd pre 2>/dev/null && find . -printf '%%m %%y %%p %%l\\n' | sort && find . -type f -exec sha256sum {} + | sort)"

static bool is_installed(int value)
{
    return shell(LIST " | cmp - installed%d", value);
}

/* Everything as it is before the build that fails. The contents change from one to the next. */
static bool prepare(situation s, int value)
{
    if (s == TAKEN_AWAY)
        return edit(value), shell("rm -rf pre; %s install -q --prefix pre", program);
    if (s == INSTALLED)
        return edit(value), shell("rm -rf pre; %s build -q", program);
    if (s == UPGRADED)
        return edit(value ^ 1), shell("rm -rf pre; %s install -q --prefix pre", program) && (edit(value), shell("%s build -q", program));
    if (s == EDITED)
        return shell("rm -rf '%s'/*; %s build -q", store, program) && (edit(value), true);
    edit(value);
    return shell(s == FROM_NOTHING ? "rm -rf out '%s'/*" : "%s build -q; rm -rf out", s == FROM_NOTHING ? store : program);
}

static const char *wrong_install(situation s, const ending *e, unsigned turn, int value)
{
    bool done = WIFEXITED(e->status) && WEXITSTATUS(e->status) == 0;
    if (s != TAKEN_AWAY && done && !is_installed(value))
        return "called a success what is not right";
    if (s == TAKEN_AWAY && done && !shell("test ! -e pre"))
        return "left something behind";
    if (s != TAKEN_AWAY && turn % 2 == 0)
        return shell("%s install -q --prefix pre", program) && is_installed(value) ? NULL : "the next install does not finish it";
    /* when it had come to its end, there is nothing to take away */
    if (!shell("%s uninstall -q faults --prefix pre > uninstalled 2>&1 || grep -q 'is not installed' uninstalled", program))
        return "the next uninstall fails";
    return shell("! find pre -mindepth 1 2>/dev/null | grep .") ? NULL : "an uninstall leaves something behind";
}

static bool holds(situation s, long nth, bool kill_it, unsigned turn, int value, long *counted)
{
    char *words[] = {(char *)(size_t)program, (char *)(size_t)(s == TAKEN_AWAY ? "uninstall" : s >= INSTALLED ? "install" : "build"),
                     s >= INSTALLED ? (char *)(size_t)"--prefix" : NULL, (char *)(size_t)"pre", NULL};
    if (!prepare(s, value))
        return false;
    ending e = trace(words, nth, kill_it, turn);
    if (counted)
        *counted = e.counted;
    const char *wrong = NULL;
    if (e.late)
        wrong = "did not end";
    else if (WIFSIGNALED(e.status) && !(kill_it && WTERMSIG(e.status) == SIGKILL))
        wrong = "ended by a signal";
    else if (s >= INSTALLED)
        wrong = wrong_install(s, &e, turn, value);
    else if (WIFEXITED(e.status) && WEXITSTATUS(e.status) == 0 && !as_clean(value))
        wrong = "called a success what is not right";
    else if (!shell("%s build", program) || !as_clean(value))
        wrong = "the next build is not right";
    else if (!shell("%s build | grep '^nothing to do'", program))
        wrong = "the build after the next one has something to do";
    else if (!shell("rm -rf out; %s build -q", program) || !as_clean(value))
        wrong = "a build from the store is not right";
    if (wrong) {
        size_t length;
        char *printed = harness_read("printed", &length);
        printf("%s, call %ld (%s, %s): %s; status %#x; it printed:\n%s\n", situations[s], nth, e.failed ? e.failed : "none",
               e.error ? strerror(e.error) : "killed", wrong, (unsigned)e.status, printed ? printed : "");
        free(printed);
    }
    return !wrong;
}

int main(int argc, char **argv)
{
    char name[200];
    if (argc < 3) {
        fputs("faults PROGRAM STRIDE [QUICK-COMPILER [SITUATION N]]\n", stderr);
        return 2;
    }
    program = realpath(argv[1], NULL);
    quick = argc > 3 && argv[3][0] ? realpath(argv[3], NULL) : NULL;
    long stride = atol(argv[2]), counted = 0;
    char *folder = harness_folder();
    store = harness_folder();
    if (!program || stride < 1 || chdir(folder)) {
        perror(argv[1]);
        return 2;
    }
    setenv("LC_ALL", "C", 1);
    unsetenv("OBBLIGATO_OUT");
    setenv("OBBLIGATO_STORE", store, 1);
    struct sigaction action = {.sa_handler = ring};
    sigaction(SIGALRM, &action, NULL);
    if (!may_trace()) {
        harness_skip("every system call fails once", "processes may not be traced here (ptrace)");
        return harness_end();
    }
    describe();
    for (int value = 0; value < 2; value++) {
        edit(value);
        if (!shell("mkdir clean%d && cp -R obbligato.score a main.c inc facts.in clean%d && cd clean%d && OBBLIGATO_STORE=off %s build -q",
                   value, value, value, program))
            return 2;
        if (!shell("rm -rf pre; %s install -q --prefix pre && " LIST " > installed%d", program, value))
            return 2;
    }
    bool good = shell("%s build -q", program);
    int value = 0;
    if (argc > 5) {
        good = good && holds((situation)atoi(argv[4]), atol(argv[5]), argc > 6, 0, 0, NULL);
        puts(harness_read("printed", NULL));
    }
    for (int s = 0; s < SITUATIONS && argc <= 5; s++) {
        bool all = good && holds((situation)s, 0, false, 0, value ^= 1, &counted);
        long tried = 0, failed = 0;
        unsigned turn = 0;
        for (int kill_it = 0; kill_it < 2; kill_it++)
            for (long n = 1 + (long)turn % stride; all && n <= counted; n += stride, tried++) {
                if (!holds((situation)s, n, kill_it, turn++, value ^= 1, NULL)) {
                    failed++;
                    all = getenv("FAULTS_ALL") != NULL; /* else the first ends it */
                }
            }
        snprintf(name, sizeof name, "%s, %ld of %ld calls fail, or it is killed there", situations[s], tried, counted);
        harness_count(name, all && !failed && tried > 0);
    }
    if (chdir("/"))
        return 2;
    if (!getenv("FAULTS_KEEP"))
        harness_remove(folder);
    harness_remove(store);
    free(store);
    free(folder);
    free((void *)(size_t)program);
    free((void *)(size_t)quick);
    return harness_end();
}
