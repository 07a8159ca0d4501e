/* The questions that `scan` answers about the headers of a scanned plan. */
#ifndef OBB_CLI_SCAN_QUESTIONS_H
#define OBB_CLI_SCAN_QUESTIONS_H

#include "cli/session.h"
#include "cli/terminal.h"

/* Whether the options of `scan` ask one of these rather than for the list of files. */
bool questions_asked(const options *o);

/* Answers it; the session's plan is scanned. `from` are the names behind the command. */
int questions_answer(session *s, const obb_words *from);

/* Prints a table (and releases it); when it has no rows, and not under --json, a sentence in its place. */
int questions_print_rows(session *s, table *t, const char *none);

#endif
