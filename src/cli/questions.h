/* The questions that `scan` and `impact` answer about the headers of a scanned plan. */
#ifndef OBB_CLI_QUESTIONS_H
#define OBB_CLI_QUESTIONS_H

#include "cli/session.h"

/* Whether the options of `scan` ask one of these rather than for the list of files. */
bool questions_asked(const options *o);

/* Answers it; the session's plan is scanned. `from` are the names behind the command. */
int questions_answer(session *s, const obb_words *from);

#endif
