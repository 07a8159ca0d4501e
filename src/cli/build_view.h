/* What is shown of a build while it goes on, and at its end. */
#ifndef OBB_CLI_BUILD_VIEW_H
#define OBB_CLI_BUILD_VIEW_H

#include <stdio.h>

#include "cli/session.h"

typedef struct build_view {
    session *s;
    FILE *lines;
    const obb_action *latest; /* the command that was started last */
    json_t *actions;          /* of the one document under --json; else NULL */
    bool say_idle;            /* that there is nothing to do */
    bool said_new;            /* that something was never made here before */
} build_view;

/* The observer of a session's workspaces. Its `self` is the session; while something is built, that has a
 * view. */
obb_build_observer view_observer(session *s);

/* The line of one action, with its command under -v. */
void view_action_line(build_view *view, const obb_event *event, FILE *to);

/* What would be made, of a dry run. */
void view_forecast(build_view *view, const obb_build_outcome *outcome);

/* The document of a build. */
void view_print_json(build_view *view, const obb_build_outcome *outcome);

#endif
