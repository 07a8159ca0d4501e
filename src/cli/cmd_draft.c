/* `draft`: from a source tree to a description of it. */
#include <string.h>

#include "build/draft.h"
#include "cli/commands.h"
#include "cli/terminal.h"

static void show_summary(const obb_drafted *d)
{
    const obb_draft_result *r = &d->result;
    char libraries[40], programs[40], tests[40];
    terminal_say(stderr, "%zu of %zu sources compile; %s, %s, %s\n", r->compiled, r->sources,
                 counted(libraries, sizeof libraries, r->libraries, "library", "libraries"),
                 counted(programs, sizeof programs, r->programs, "program", "programs"),
                 counted(tests, sizeof tests, r->tests, "test", "tests"));
    for (size_t i = 0; i < r->notes.count; i++)
        terminal_say(stderr, "%s\n", r->notes.at[i]);
    if (d->written)
        terminal_say(stderr, "wrote " OBB_SCORE_NAME
                             "; comments in it say what is unsure. Next: obbligato build -k\n");
    else if (d->adds && *d->text)
        terminal_say(stderr, "there is an " OBB_SCORE_NAME
                             ", which was left as it is: this is what it does not have\n");
}

static void print_json(const obb_drafted *d)
{
    const obb_draft_result *r = &d->result;
    json_print(json_pack("{s:I, s:I, s:I, s:I, s:I, s:b, s:b, s:s}", "sources", (json_int_t)r->sources,
                         "compiled", (json_int_t)r->compiled, "libraries", (json_int_t)r->libraries,
                         "programs", (json_int_t)r->programs, "tests", (json_int_t)r->tests, "written",
                         d->written, "adds", d->adds, "text", d->text),
               "draft");
}

int command_draft(session *s)
{
    const options *o = s->options;
    const obb_words *names = &o->request.names;
    obb_drafted d;
    if (names->count > 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`draft` takes one folder, not also `%s`",
                                  names->at[1], "obbligato draft FOLDER");
    int code = obb_draft_tree(s->w, names->count ? names->at[0] : o->request.folder, o->from,
                              o->request.dry_run, &d);
    terminal_progress("");
    if (d.result.interrupted)
        terminal_say(stderr, "interrupted: nothing was written\n");
    if (code)
        return code;
    if (o->json) {
        print_json(&d);
        return 0;
    }
    if (!d.result.sources) {
        terminal_say(stderr, d.adds ? "there are no sources that " OBB_SCORE_NAME " does not have\n"
                                    : "there are no sources here\n");
        return 0;
    }
    if (!d.written)
        terminal_say(stdout, "%s", d.text);
    show_summary(&d);
    return 0;
}
