/* What is told of a build while it goes on, and at its end. Only build.c uses this. */
#ifndef OBB_CLI_BUILD_VIEW_H
#define OBB_CLI_BUILD_VIEW_H

#include <stdio.h>

#include "cli/session.h"

typedef struct build_view {
    session *s;
    FILE *lines;
    const obb_action *latest; /* the command that was started last */
    json_t *actions;          /* under --json */
    bool say_idle;            /* that there is nothing to do */
    bool json;                /* one document; not when standard output belongs to something else */
    size_t removed;           /* files that nothing makes any more */
    size_t looks;             /* places that the short way looked at */
    OBB_VEC(const obb_action *) linked; /* programs that were made */
    obb_words left_out;
    bool said_new;            /* that something was never made here before */
} build_view;

/* An obb_observer; `self` is a build_view. */
void view_observe(void *self, const obb_event *event);

/* The line of one action, with its command under -v. */
void view_action_line(build_view *view, const obb_event *event, FILE *to);

/* The variants in a few words; or all of them, as an array. */
char *view_variant_names(const session *s);
json_t *view_variant_list(const session *s);

/* What the next build says that has nothing to do, as it is kept: see view_say_kept. */
char *view_kept_message(const session *s, size_t up_to_date);
int view_say_kept(const build_view *view, const char *message);

/* The last lines of a build. */
void view_summarize(build_view *view, const obb_run_result *result);

/* The document of a build: one shape, whatever was done. `variants` and `actions` are taken over. */
void view_print_json(session *s, json_t *variants, json_t *actions, const obb_run_result *result, size_t looks);

#endif
