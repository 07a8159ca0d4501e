/* `build`, and what other commands show while they build. */
#include "cli/build.h"

#include "cli/build_view.h"
#include "cli/commands.h"
#include "cli/terminal.h"

void build_show(session *s, build_view *v, FILE *lines, bool say_idle)
{
    *v = (build_view){.s = s, .lines = lines, .say_idle = say_idle};
    if (s->options->json && lines == stdout && !s->options->request.dry_run)
        v->actions = json_array();
    s->view = v;
}

int build_end(session *s, const obb_build_outcome *outcome, int code)
{
    if (outcome->forecasted)
        view_forecast(s->view, outcome);
    if (s->view->actions)
        view_print_json(s->view, outcome);
    s->view = NULL;
    return code;
}

static int show(session *s, FILE *lines, bool say_idle,
                int (*build)(obb_workspace *w, obb_build_outcome *outcome))
{
    build_view v;
    obb_build_outcome outcome;
    build_show(s, &v, lines, say_idle);
    int code = build(s->w, &outcome);
    return build_end(s, &outcome, code);
}

int build_targets(session *s, FILE *lines, bool say_idle)
{
    return show(s, lines, say_idle, obb_build);
}

int build_and_plan(session *s)
{
    return show(s, stderr, false, obb_build_and_plan);
}

int command_build(session *s)
{
    return build_targets(s, stdout, true);
}
