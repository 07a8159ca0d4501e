/* Which files a command reads and writes, by watching its system calls (ptrace(2) of Linux 5.3 and later).
 * Other systems have nothing of the kind without privileges, and callers are told so.
 */
#ifndef OBB_BASE_TRACE_H
#define OBB_BASE_TRACE_H

#include <stdbool.h>

#include "base/arena.h"

/* Whether this system offers it at all. */
bool obb_trace_offered(void);

/* Runs a command (argv ends with NULL) to its end, with its children, and writes what they opened
 * to a file: a line each, absolute: `r PATH` or `w PATH`; `x PATH` for programs, and what starts
 * them; `n PATH` for the name by which one of these was reached, when that is another one; or `! WHY` when it
 * cannot be watched. The
 * exit status of the command; 128 + signal. To be called in a process that has nothing else to do:
 * it waits for all children. */
int obb_trace(char *const *argv, const char *report);

#endif
