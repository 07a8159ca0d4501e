/* Uses: every name must be a library of the project, and no circle may stand in the way of
 * making things in some order. */
#include <string.h>

#include "project/reader.h"
#include "project/resolve.h"

static void not_a_library(obb_project *p, obb_diags *diags, const obb_target *t, obb_use *use)
{
    const obb_target *found = obb_project_target(p, use->name);
    obb_diag *d;
    if (found) {
        d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                      "`%s` uses `%s`, which is no library", t->name, use->name);
        obb_also(diags, d, found->place, "`%s` is described here", use->name);
        return;
    }
    d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                  t->kind == OBB_GROUP ? "there is no target `%s`" : "there is no library `%s`",
                  use->name);
    obb_hint_nearest(diags, d, use->name, obb_project_target_names(p));
    if (!d->hint && t->kind != OBB_GROUP)
        obb_hint(diags, d, "`uses` names libraries of this project; for one of the system: libs %s",
                 use->name);
}

static bool find_targets(obb_project *p, obb_diags *diags)
{
    bool all = true;
    for (size_t i = 0; i < p->targets.count; i++) {
        obb_target *t = p->targets.at[i];
        for (size_t k = 0; k < t->uses.count; k++) {
            obb_use *use = &t->uses.at[k];
            obb_target *found = obb_project_target(p, use->name);
            if (found && (t->kind == OBB_GROUP || found->kind == OBB_LIBRARY)) {
                use->target = found;
                continue;
            }
            all = false;
            not_a_library(p, diags, t, use);
        }
    }
    return all;
}

/* Static libraries may need each other: nothing of one is needed to make the other. */
static bool may_stand_in_a_circle(const obb_target *t)
{
    return t->kind == OBB_LIBRARY && (!obb_has_sources(t) || t->library == OBB_STATIC);
}

typedef struct trail {
    obb_project *project;
    obb_diags *diags;
    char *state; /* by target: 0 new, 1 on the trail, 2 done */
    OBB_VEC(const obb_use *) uses;
    OBB_VEC(const obb_target *) targets;
} trail;

static void report_circle(trail *w, const obb_use *back)
{
    size_t first = 0;
    bool allowed = true;
    while (w->targets.at[first] != back->target)
        first++;
    for (size_t i = first; i < w->targets.count; i++)
        allowed = allowed && may_stand_in_a_circle(w->targets.at[i]);
    if (allowed)
        return;
    obb_text text = {0};
    for (size_t i = first; i < w->targets.count; i++)
        obb_text_format(&text, "%s -> ", w->targets.at[i]->name);
    obb_diag *d = obb_error(w->diags, OBB_FAULT_DESCRIPTION, back->place,
                            "a circle: %s%s", text.bytes, back->target->name);
    for (size_t i = first; i + 1 < w->targets.count; i++)
        obb_also(w->diags, d, w->uses.at[i + 1]->place, "`%s` uses `%s` here",
                 w->targets.at[i]->name, w->targets.at[i + 1]->name);
    obb_hint(w->diags, d, "only static libraries may use each other in a circle");
    obb_text_free(&text);
}

static void walk(trail *w, const obb_target *t, const obb_use *by)
{
    w->state[t->number] = 1;
    obb_arena_push(w->project->arena, &w->targets, t);
    obb_arena_push(w->project->arena, &w->uses, by);
    for (size_t i = 0; i < t->uses.count; i++) {
        const obb_use *use = &t->uses.at[i];
        if (w->state[use->target->number] == 1)
            report_circle(w, use);
        else if (w->state[use->target->number] == 0)
            walk(w, use->target, use);
    }
    w->targets.count--;
    w->uses.count--;
    w->state[t->number] = 2;
}

void obb_check_uses(obb_project *project, obb_diags *diags)
{
    if (!find_targets(project, diags))
        return;
    trail w = {.project = project, .diags = diags};
    w.state = obb_arena_alloc(project->arena, project->targets.count);
    for (size_t i = 0; i < project->targets.count; i++)
        if (w.state[i] == 0)
            walk(&w, project->targets.at[i], NULL);
}
