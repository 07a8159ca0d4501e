/* What a command works with: the workspace, the options, and the messages collected under --json. */
#ifndef OBB_CLI_SESSION_H
#define OBB_CLI_SESSION_H

#include <jansson.h>
#include <stdio.h>

#include "build/build.h"
#include "build/launch.h"
#include "cli/options.h"

typedef struct session {
    obb_workspace *w;
    options *options;
    struct build_view *view; /* while it builds; else NULL */
    size_t brought;   /* third-party projects that were fetched */
    json_t *told;     /* under --json: errors and warnings so far, as objects; or NULL */
} session;

/* Of the observer of a workspace (build_view.h), what does not depend on a build; `self` is the session. */
void session_show_messages(void *self, const obb_diags *diags);
void session_show_phase(void *self, const char *what);
void session_show_waiting(void *self, const char *out, const char *holder);

/* The same of fetching third-party code (cmd_fetch.c). */
void session_show_downloading(void *self, const obb_download *downloads, size_t count);
void session_show_brought(void *self, const obb_thirdparty *other, const char *from, uint64_t bytes);
void session_show_recorded(void *self, const char *name, const char *version);

/* The errors and warnings that were shown since it was asked last, as an array. */
json_t *session_take_told(session *s);

/* The program, image, or test with sources of the one variant that is chosen, by name; NULL with the message
 * shown.
 */
const obb_target *session_program(session *s, const char *name);

/* What is run of a target in the one chosen variant, without a port. */
obb_launching session_launching(session *s, const obb_target *target, const obb_words *arguments);

/* A variable of this process, from NAME=VALUE. */
void session_set_variable(const char *text);

/* Shows what is left out of the chosen variants, a line for each variant and reason. */
void session_show_left_out(const obb_words *left_out, FILE *lines);

#endif
