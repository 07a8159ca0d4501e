/* Asking programs (process.h): all of a set side by side, in an environment without the variables that
 * change messages. Where a program is, is found along PATH.
 *
 * Each question is a command of one event loop (commands.h), with both outputs collected. Where too many at
 * once cannot be started, they are asked one after the other. SIGPIPE is ignored from the first question on.
 */
#include "base/process.h"

#include <errno.h>
#include <signal.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "base/commands.h"
#include "base/path.h"
#include "base/vec.h"

typedef struct question {
    obb_command command;
    size_t *open; /* of those asked at once */
} question;

static void answered(obb_command *c)
{
    question *q = c->self;
    if (--*q->open == 0)
        obb_commands_finish(c->commands);
}

static void interrupted(void *self)
{
    (void)self; /* the command was ended; its answer says so */
}

/* With a limit (milliseconds; 0: none) it gets a process group of its own, so that all of it can be ended. */
static void ask_at_once(const char *const *const *argvs, size_t count, const char *input,
                        const obb_asked_in *in, uint64_t limit, obb_answer *answers)
{
    question *questions = obb_alloc(count * sizeof *questions);
    size_t open = count;
    obb_commands commands = {.questions = !limit, .interrupted = interrupted};
    obb_commands_open(&commands);
    for (size_t i = 0; i < count; i++) {
        questions[i] = (question){.open = &open,
                                  .command = {.argv = argvs[i],
                                              .environment = in->environment,
                                              .folder = in->folder,
                                              .input = input,
                                              .lock = -1,
                                              .limit = limit,
                                              .ends_group = limit > 0,
                                              .apart = true,
                                              .over = answered,
                                              .self = &questions[i]}};
        obb_commands_start(&commands, &questions[i].command);
    }
    obb_commands_run(&commands);
    for (size_t i = 0; i < count; i++) {
        const obb_command *c = &questions[i].command;
        answers[i] = (obb_answer){.failed = c->failed,
                                  .status = c->signal ? 128 + c->signal : c->status,
                                  .out = c->output,
                                  .err = c->errors};
    }
    free(questions);
}

static char **plain_environment(void)
{
    static const char *const plain[] = {"LC_ALL=C"};
    signal(SIGPIPE, SIG_IGN); /* of a program that does not read its input */
    return obb_environment_with(NULL, plain, 1);
}

void obb_ask_all(const char *const *const *argvs, size_t count, const char *input, obb_answer *answers)
{
    char **env = plain_environment();
    const obb_asked_in in = {NULL, env};
    if (count)
        ask_at_once(argvs, count, input, &in, 0, answers);
    for (size_t i = 0; i < count && count > 1; i++)
        if (answers[i].failed == EMFILE || answers[i].failed == EAGAIN) { /* too many at once: alone */
            obb_answer_free(&answers[i]);
            ask_at_once(&argvs[i], 1, input, &in, 0, &answers[i]);
        }
    free(env);
}

obb_answer obb_ask_within(const char *const *argv, uint64_t limit)
{
    obb_answer answer;
    char **env = plain_environment();
    ask_at_once(&argv, 1, "", &(obb_asked_in){NULL, env}, limit, &answer);
    free(env);
    return answer;
}

obb_answer obb_ask_in(const char *const *argv, const char *input, const obb_asked_in *in)
{
    obb_answer answer;
    signal(SIGPIPE, SIG_IGN);
    ask_at_once(&argv, 1, input, in, 0, &answer);
    return answer;
}

/* The terminal belongs to a group of processes; only that one may read from it. */
static void give_terminal(pid_t group)
{
    void (*before)(int) = signal(SIGTTOU, SIG_IGN); /* for asking from outside that group */
    if (isatty(STDIN_FILENO))
        tcsetpgrp(STDIN_FILENO, group);
    signal(SIGTTOU, before);
}

static volatile sig_atomic_t passed_on; /* a signal that arrived meanwhile */

static void pass_on(int sig)
{
    passed_on = sig;
}

/* Waits for the end of a group's leader, and ends the group when the time is over: kindly, then for good. */
static int wait_within(pid_t group, uint64_t limit, bool *timed_out)
{
    enum { TICK_MS = 5, GRACE_MS = 2000 };
    const struct timespec tick = {.tv_nsec = TICK_MS * 1000000};
    int status = 0;
    uint64_t waited = 0;
    while (waitpid(group, &status, WNOHANG) == 0) {
        nanosleep(&tick, NULL);
        waited += TICK_MS;
        if (passed_on)
            kill(-group, passed_on);
        passed_on = 0;
        if (!*timed_out && waited >= limit) {
            *timed_out = true;
            kill(-group, SIGTERM);
        } else if (waited >= limit + GRACE_MS) {
            kill(-group, SIGKILL);
        }
    }
    if (*timed_out)
        kill(-group, SIGKILL); /* what it left */
    return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
}

int obb_run_within(const char *const *argv, const char *folder, uint64_t limit, bool *timed_out)
{
    const int told[] = {SIGINT, SIGTERM, SIGHUP};
    pid_t own = getpgrp(), child = fork();
    *timed_out = false;
    if (child < 0)
        return -errno;
    if (child == 0) {
        setpgid(0, 0);
        give_terminal(getpid());
        if (!chdir(folder))
            execv(argv[0], (char *const *)(uintptr_t)argv);
        _exit(127);
    }
    setpgid(child, child); /* whoever comes first */
    for (size_t i = 0; i < sizeof told / sizeof *told; i++)
        signal(told[i], pass_on);
    int status = wait_within(child, limit, timed_out);
    for (size_t i = 0; i < sizeof told / sizeof *told; i++)
        signal(told[i], SIG_DFL);
    give_terminal(own);
    return status;
}

obb_answer obb_ask(const char *const *argv, const char *input)
{
    obb_answer answer;
    obb_ask_all(&argv, 1, input, &answer);
    return answer;
}

void obb_answer_free(obb_answer *answer)
{
    obb_text_free(&answer->out);
    obb_text_free(&answer->err);
}

/* As the C library words them, and compilers. */
static const char *const complaints[] = {
    "No space left on device", "Disk quota exceeded",      "Cannot allocate memory",
    "out of memory",           "virtual memory exhausted", "Resource temporarily unavailable",
    "Too many open files",     "Input/output error",       "Killed signal terminated program"};

bool obb_answer_is_unsure(const obb_answer *answer, const char **said, size_t *length)
{
    bool unsure = answer->status > 128;
    *length = 0;
    for (const char *line = obb_text_bytes(&answer->err); *line && answer->status && !*length;) {
        const size_t n = strcspn(line, "\n");
        for (size_t i = 0; i < sizeof complaints / sizeof *complaints && *line != ' '; i++) {
            const char *at = strstr(line, complaints[i]); /* lines of sources begin with blanks */
            if (!at || at >= line + n)
                continue;
            *said = line;
            *length = n;
            unsure = true;
        }
        line += n + (line[n] == '\n');
    }
    return unsure;
}

/* One that may not be run is looked at whole: that it is there is not all that decides. */
static bool runs(obb_files *files, const char *path)
{
    const obb_file file = obb_files_number(files, path);
    const obb_stamp *s = obb_files_stamp(files, file);
    obb_fingerprint contents;
    if (!s || s->kind != OBB_KIND_FILE)
        return false;
    bool may = access(path, X_OK) == 0;
    if (!may)
        obb_files_fingerprint(files, file, &contents);
    return may;
}

char *obb_find_program(obb_files *files, obb_arena *arena, const char *name)
{
    if (!*name)
        return NULL;
    if (strchr(name, '/'))
        return runs(files, name) ? obb_arena_string(arena, name) : NULL;
    const char *path = getenv("PATH");
    for (path = path ? path : "/bin:/usr/bin"; *path;) {
        size_t n = strcspn(path, ":");
        char *folder = n ? obb_arena_copy(arena, path, n) : obb_arena_string(arena, ".");
        char *full = obb_path_join(arena, folder, name);
        if (runs(files, full))
            return full;
        path += n;
        path += *path == ':';
    }
    return NULL;
}

static bool runs_another(const char *name)
{
    static const char *const names[] = {"env",    "nice",   "nohup",   "time", "timeout",
                                        "stdbuf", "setsid", "taskset", "chrt", "ionice"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (strcmp(obb_path_name(name), names[i]) == 0)
            return true;
    return false;
}

void obb_find_programs_behind(obb_files *files, obb_arena *arena, const obb_words *words,
                              obb_file_list *programs)
{
    bool behind = words->count && runs_another(words->at[0]);
    for (size_t i = 1; i < words->count && behind; i++) {
        const char *word = words->at[i];
        bool relative = word[0] != '/' && strchr(word, '/');
        const char *path = word[0] == '-' || strchr(word, '=') || relative
                               ? NULL
                               : obb_find_program(files, arena, word);
        if (!path)
            continue;
        obb_arena_push(arena, programs, obb_files_number(files, path));
        behind = runs_another(word);
    }
}

const char *obb_program_absence(const char *name)
{
    return strchr(name, '/') ? "is not an executable file" : "is not on PATH";
}

const char *obb_program_beside(obb_arena *arena, const char *name)
{
    char path[4096];
    size_t size = sizeof path;
    if (uv_exepath(path, &size))
        return NULL;
    const char *beside = obb_path_join(arena, obb_path_folder(arena, path), name);
    return access(beside, X_OK) ? NULL : beside;
}
