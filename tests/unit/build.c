/* Building as a library: a request, an observer, and no command line. */
#include <stdlib.h>
#include <string.h>

#include "base/text.h"
#include "build/build.h"
#include "unit/suites.h"

typedef struct heard {
    size_t done, messages, ended;
    obb_text said; /* the messages, a line each */
} heard;

static void hear_event(void *self, const obb_event *e)
{
    ((heard *)self)->done += e->kind == OBB_EVENT_DONE;
}

static void hear_messages(void *self, const obb_diags *diags)
{
    heard *h = self;
    h->messages += diags->list.count;
    for (size_t i = 0; i < diags->list.count; i++)
        obb_text_format(&h->said, "%s\n", diags->list.at[i]->message);
}

static void hear_end(void *self, const obb_build_outcome *outcome)
{
    (void)outcome;
    ((heard *)self)->ended++;
}

static int build(heard *h, obb_run_result *result, const char *name)
{
    obb_request request = {.jobs = 2};
    const obb_build_observer observer = {.self = h, .messages = hear_messages, .event = hear_event, .ended = hear_end};
    obb_build_outcome outcome = {0};
    if (name)
        obb_vec_push(&request.names, name);
    *h = (heard){0};
    obb_workspace *w = obb_workspace_new(&request, &observer);
    int code = obb_workspace_enter(w);
    if (!code)
        code = obb_build(w, &outcome);
    *result = outcome.run;
    obb_workspace_free(w);
    obb_vec_free(&request.names);
    return code;
}

static void begin(void)
{
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c }\nprogram m { sources m.c; uses l }\n");
    harness_write("l.c", "int l(void) { return 0; }\n");
    harness_write("m.c", "int l(void);\nint main(void) { return l(); }\n");
}

static void a_project_is_built_with_an_observer(void)
{
    heard h;
    obb_run_result r;
    begin();
    CHECK_NUMBER(build(&h, &r, NULL), 0);
    CHECK_NUMBER(h.done, 4);
    CHECK_NUMBER(r.made, 4);
    CHECK_NUMBER(h.ended, 1);
    CHECK_NUMBER(h.messages, 0);
    CHECK_NUMBER(system("./out/host.debug/bin/m"), 0);
    CHECK_NUMBER(build(&h, &r, NULL), 0); /* from the snapshot */
    CHECK_NUMBER(h.done, 0);
    CHECK_NUMBER(r.up_to_date, 4);
    CHECK_NUMBER(h.ended, 1);
    harness_write("l.c", "int l(void) { return 7; }\n");
    CHECK_NUMBER(build(&h, &r, NULL), 0); /* incremental */
    CHECK_NUMBER(r.made, 3);
    CHECK_NUMBER(r.up_to_date, 1);
}

static void what_is_wrong_is_told_to_the_observer(void)
{
    heard h;
    obb_run_result r;
    begin();
    CHECK_NUMBER(build(&h, &r, "nobody"), OBB_FAULT_USAGE);
    CHECK_TEXT(obb_text_bytes(&h.said), "there is no target `nobody`\n");
    obb_text_free(&h.said);
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c }\nprogram m { sources m.c; uses l }\nlibrary { }\n");
    CHECK_NUMBER(build(&h, &r, NULL), OBB_FAULT_DESCRIPTION);
    CHECK_NUMBER(h.ended, 0);
    CHECK(h.messages);
    obb_text_free(&h.said);
    harness_write("m.c", "int l(void);\nint main(void) { return l(; }\n");
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c }\nprogram m { sources m.c; uses l }\n");
    CHECK_NUMBER(build(&h, &r, NULL), OBB_FAULT_ACTION);
    CHECK_NUMBER(r.failed, 1);
    CHECK_NUMBER(h.ended, 1);
}

/* Messages as users are told them: in the order of lines, each once, and one error for one cause. */
static void messages_are_settled(void)
{
    obb_diags *diags = obb_diags_new();
    const obb_place first = {.file = "a", .line = 1, .column = 1}, second = {.file = "a", .line = 2, .column = 1};
    obb_warn(diags, second, "later");
    obb_error(diags, OBB_FAULT_USAGE, first, "earlier");
    obb_warn(diags, second, "later");
    obb_stops(diags, obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "no cc"), "cc", "one");
    obb_stops(diags, obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "no cc, again"), "cc", "two");
    obb_stops(diags, obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "no cc, again"), "cc", "two");
    obb_diags_settle(diags);
    CHECK_NUMBER(diags->list.count, 3);
    CHECK_TEXT(diags->list.at[0]->message, "earlier");
    CHECK_TEXT(diags->list.at[1]->message, "later");
    CHECK_TEXT(diags->list.at[2]->message, "no cc");
    CHECK_NUMBER(diags->list.at[2]->all_stopped.count, 2);
    CHECK_TEXT(diags->list.at[2]->all_stopped.at[1], "two");
    obb_diags_free(diags);
}

void suite_build(void)
{
    harness_test("a project is built with an observer", a_project_is_built_with_an_observer);
    harness_test("what is wrong is told to the observer", what_is_wrong_is_told_to_the_observer);
    harness_test("messages are settled", messages_are_settled);
}
