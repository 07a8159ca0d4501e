/* Commands side by side: each in a process group of its own, with what it prints in a pipe, and
 * as long a time as it is given. One event loop; everything happens in obb_commands_run.
 *
 * Uses posix_spawn rather than the event library's fork, which would copy the page tables of all that the
 * scan and the plan hold for each command (docs/design.md).
 */
#ifndef OBB_BASE_COMMANDS_H
#define OBB_BASE_COMMANDS_H

#include <stdbool.h>
#include <stdint.h>
#include <sys/types.h>
#include <uv.h>

#include "base/text.h"

typedef struct obb_commands obb_commands;
typedef struct obb_command obb_command;

struct obb_command {
    /* what is to be run */
    const char *const *argv;  /* ends with NULL; argv[0] is a path or looked up on PATH */
    const char *folder;       /* where it runs; NULL: the working folder */
    char **environment;       /* ends with NULL; NULL: that of this process. It is read at the start alone,
                                 so it may be released once obb_commands_start has returned */
    const char *input;        /* its standard input; NULL: there is none, or */
    const char *input_path;   /* a file that it is read from; NULL: none */
    const char *output_path;  /* the file that standard output goes to, which is made; NULL: to `output` */
    int lock;                 /* a descriptor that it holds as its number 3; -1: none */
    uint64_t limit;           /* milliseconds; then the whole process group is ended. 0: none */
    bool apart;               /* standard error goes to `errors`, and is not mixed with `output` */
    bool ends_group;          /* when the process has ended, what it left running is ended */
    void (*over)(obb_command *command); /* it is over: the fields below are set */
    void (*printed)(obb_command *command); /* `output` or `errors` has grown; or NULL */
    void *self;

    /* how it went */
    obb_text output, errors;
    int failed;         /* an errno value: it could not be started, or nobody can say how it ended */
    int status, signal; /* exit status (127 if it failed in that way); or the signal that ended it */
    bool timed_out;
    uint64_t milliseconds;
    uint64_t memory;          /* bytes: the peak resident size of its largest process; 0: not known */

    /* of the module itself */
    obb_commands *commands;
    pid_t pid;                /* 0: it has ended */
    pid_t group;
    uv_pipe_t pipes[2], in;
    uv_write_t write;
    uv_timer_t timer;
    uint64_t started;
    int open_ends;            /* the process, its pipes, the timer */
    obb_command *next;
};

struct obb_commands {
    void *self;
    bool questions; /* short ones: signals are left alone, and end this process and its commands alike */
    void (*interrupted)(void *self); /* a signal that ends programs came; the commands were told */
    void (*ticked)(void *self);      /* a tenth of a second went by; or NULL */
    unsigned running;
    bool was_interrupted;

    int broken; /* an errno value: there is no event loop, and each command fails with it */

    /* of the module itself */
    uv_loop_t loop;
    uv_signal_t signals[3], ended;
    uv_timer_t tick, grace;
    uint64_t began;
    obb_command *list;
};

void obb_commands_open(obb_commands *commands);

/* Starts a command, which must live until it is over. What cannot be started is over as well. */
void obb_commands_start(obb_commands *commands, obb_command *command);

/* Asks a running command to end (SIGTERM, so that compilers remove what they left in /tmp). It may have ended
 * before, or go on. */
void obb_commands_end(obb_command *command);

/* Lets obb_commands_run return once the running commands are over. */
void obb_commands_finish(obb_commands *commands);

/* Returns after obb_commands_finish, when all are over: the milliseconds since it was opened. */
uint64_t obb_commands_run(obb_commands *commands);

/* Milliseconds on the loop's clock, as of now; and since it was opened. */
uint64_t obb_commands_now(obb_commands *commands);
uint64_t obb_commands_elapsed(obb_commands *commands);

/* An environment (NULL: that of this process) with some variables (NAME=VALUE) in place or besides, in
 * one allocated block that refers to the words of both. */
char **obb_environment_with(char *const *base, const char *const *variables, size_t count);

#endif
