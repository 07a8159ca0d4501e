/* Asking another program: run it to its end and take what it printed.
 *
 * The first question ignores SIGPIPE in this process, for good: a program that does not read its input must
 * not end the one that asks. */
#ifndef OBB_BASE_PROCESS_H
#define OBB_BASE_PROCESS_H

#include "base/arena.h"
#include "base/files.h"
#include "base/text.h"

typedef struct obb_answer {
    int failed;     /* 0, or the errno value of why it could not be started */
    int status;     /* exit status; 128 + signal when a signal ended it */
    obb_text out, err;
} obb_answer;

/* Runs argv (ends with NULL; argv[0] is a path or looked up on PATH) with `input` on its
 * standard input. Messages of the program are in plain English (LC_ALL=C). */
obb_answer obb_ask(const char *const *argv, const char *input);

/* The same in a folder (NULL: the working folder) and with an environment of its own (ends with NULL). */
typedef struct obb_asked_in {
    const char *folder;
    char **environment;
} obb_asked_in;

obb_answer obb_ask_in(const char *const *argv, const char *input, const obb_asked_in *in);

/* Runs a program in this one's place, as far as the terminal and the environment are concerned, in `folder`,
 * and ends it with all that it started after `limit` milliseconds: *timed_out. Its exit status, 128 + signal,
 * or minus an errno value. */
int obb_run_within(const char *const *argv, const char *folder, uint64_t limit, bool *timed_out);

/* Like obb_ask, without input and with a time limit in milliseconds: then it is ended, with all that it
 * started. */
obb_answer obb_ask_within(const char *const *argv, uint64_t limit);

/* Asks `count` programs at once, all with the same input; the answers stand in the order of the
 * commands. */
void obb_ask_all(const char *const *const *argvs, size_t count, const char *input,
                 obb_answer *answers);
void obb_answer_free(obb_answer *answer);

/* Whether it says more of this machine, here and now, than of what was asked: the program, or one that it ran
 * itself, was ended by a signal, or complains of memory, room, processes or descriptors. The line of that
 * complaint at *said and so many bytes; 0: it says none. */
bool obb_answer_is_unsure(const obb_answer *answer, const char **said, size_t *length);

/* A program that belongs to this one and lies in the same folder; NULL: there is none. */
const char *obb_program_beside(obb_arena *arena, const char *name);

/* Where PATH has the program `name`; NULL when nowhere. A name with a slash is looked up as
 * it is. All places that were tried have been looked at in `files`. */
char *obb_find_program(obb_files *files, obb_arena *arena, const char *name);

/* Utilities that run another program (POSIX.1-2017, XCU 4: env, nice, nohup, time; those of Linux systems)
 * have its name behind their options, numbers and variables: adds the programs that a command of such a one
 * runs. Relative paths are left to who knows the folder. */
void obb_find_programs_behind(obb_files *files, obb_arena *arena, const obb_words *words,
                              obb_file_list *programs);

/* What to say of a program that was not found: "is not on PATH", or of a name with a slash "is not an
 * executable file". */
const char *obb_program_absence(const char *name);

#endif
