/* What a command works on: the workspace, the options, and what was told under --json. */
#ifndef OBB_CLI_SESSION_H
#define OBB_CLI_SESSION_H

#include <jansson.h>
#include <stdio.h>

#include "build/build.h"
#include "cli/options.h"

typedef struct session {
    obb_workspace *w;
    options *options;
    struct build_view *view; /* while it builds; else NULL */
    json_t *told;     /* under --json: errors and warnings so far, as objects; or NULL */
} session;

/* The observer of a workspace for commands: shows messages and progress on standard error. Its `self` is the
 * session. */
obb_build_observer session_observer(session *s);

/* The errors and warnings that were shown since it was asked last, as an array. */
json_t *session_take_told(session *s);

/* The program (or test with sources) of the one variant that is chosen, by name; NULL with the message shown.
 */
const obb_target *session_program(session *s, const char *name);

/* Where it is built to, seen from the root. */
const char *session_program_path(session *s, const obb_target *program);

/* A variable of this process, from NAME=VALUE. */
void session_set_variable(const char *text);

/* What is left out of the chosen variants, a line for a variant and a reason. */
void session_show_left_out(const obb_words *left_out, FILE *lines);

#endif
