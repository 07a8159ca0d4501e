/* `impact`: what an edit of a file would make again. */
#include "build/impact.h"

#include "cli/commands.h"
#include "cli/scan_questions.h"
#include "cli/terminal.h"

static void add_rows(session *s, table *t, const obb_impact *impact, size_t *counts)
{
    const obb_workspace *w = s->w;
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i], *by = impact->by[i];
        if (!impact->hit[i])
            continue;
        counts[a->kind]++;
        table_row(t, obb_action_verb(a), obb_action_subject(w->plan, a), a->target->name, a->variant->name,
                  by ? obb_arena_format(w->arena, "after %s", obb_action_subject(w->plan, by))
                     : obb_arena_format(w->arena, "reads %s", obb_files_path(w->files, impact->reads[i])));
    }
}

static void show_counts(const size_t *counts)
{
    char room[6][40];
    size_t all = 0;
    for (int kind = 0; kind < OBB_ACTION_KINDS; kind++)
        all += counts[kind];
    if (!all)
        return;
    terminal_say(stdout, "%s at most: %s, %s, %s, %s, %s; fewer when something comes out the same\n",
                 counted(room[0], sizeof room[0], all, "action", "actions"),
                 counted(room[1], sizeof room[1], counts[OBB_COMPILE] + counts[OBB_ASSEMBLE], "compile",
                         "compiles"),
                 counted(room[2], sizeof room[2], counts[OBB_ARCHIVE], "archive", "archives"),
                 counted(room[3], sizeof room[3], counts[OBB_LINK_LIBRARY] + counts[OBB_LINK_PROGRAM], "link",
                         "links"),
                 counted(room[4], sizeof room[4], counts[OBB_MAKE_IMAGE], "image", "images"),
                 counted(room[5], sizeof room[5], counts[OBB_RUN_STEP], "step", "steps"));
}

/* Tests whose programs would be made again. */
static void show_touched(const session *s, const obb_impact *impact)
{
    const obb_workspace *w = s->w;
    size_t count = 0;
    for (size_t v = 0; v < w->variants.count; v++)
        for (size_t i = 0; i < w->project->targets.count; i++) {
            const obb_target *t = obb_in(w->variants.at[v], w->project->targets.at[i]);
            if (t->kind == OBB_TEST && obb_impact_touches(w, impact, t, w->variants.at[v]))
                terminal_say(stdout, "%s%s (%s)", count++ ? ", " : "tests affected: ", t->name,
                             w->variants.at[v]->name);
        }
    if (count)
        terminal_say(stdout, "\n");
}

int command_impact(session *s)
{
    obb_words names = s->options->request.names;
    obb_impact impact;
    table t = {.name = "impact"};
    size_t counts[OBB_ACTION_KINDS] = {0};
    if (!names.count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`impact` needs a file%s", "",
                                  "obbligato impact include/tune.h");
    s->options->request.names.count = 0;
    int code = obb_find_impact(s->w, &names, &impact);
    s->options->request.names.count = names.count;
    if (code)
        return code;
    table_row(&t, "action", "makes", "target", "variant", "because it");
    add_rows(s, &t, &impact, counts);
    questions_print_rows(s, &t, "nothing that is built by default reads it");
    if (s->options->json)
        return 0;
    show_counts(counts);
    show_touched(s, &impact);
    return 0;
}
