/* What an edit of files would make again (build/impact.h).
 *
 * The plan is that of the default targets and all tests, scanned anew. Readers of the files are marked, then
 * whatever needs something marked, until nothing is added; of several reasons for an action the first one
 * found is kept. */
#include "build/impact.h"

#include <string.h>

#include "build/planning.h"
#include "build/selection.h"

/* Marks what reads one of the files, then what needs that, and so on. */
static void spread(obb_workspace *w, const obb_file_list *changed, const obb_impact *impact)
{
    bool more = true;
    for (size_t i = 0; i < w->plan->actions.count; i++)
        for (size_t k = 0; k < changed->count && w->wanted[i] && !impact->hit[i]; k++)
            if (obb_action_reads(w, w->plan->actions.at[i], changed->at[k])) {
                impact->hit[i] = true;
                impact->reads[i] = changed->at[k];
            }
    while (more) {
        more = false;
        for (size_t i = 0; i < w->plan->actions.count; i++) {
            const obb_dependencies *d = &w->dependencies->of[i];
            for (size_t k = 0; k < d->needs.count && w->wanted[i] && !impact->hit[i]; k++)
                if (impact->hit[d->needs.at[k]]) {
                    impact->hit[i] = more = true;
                    impact->by[i] = w->plan->actions.at[d->needs.at[k]];
                }
        }
    }
}

static bool is_description(const obb_workspace *w, const char *path)
{
    for (size_t i = 0; i < w->project->descriptions.count; i++)
        if (strcmp(w->project->descriptions.at[i], path) == 0)
            return true;
    return false;
}

static int find_changed(obb_workspace *w, const obb_words *names, obb_file_list *changed)
{
    for (size_t i = 0; i < names->count; i++) {
        const char *path = obb_workspace_path(w, names->at[i]);
        obb_file file = OBB_NO_FILE;
        if (is_description(w, path)) {
            obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                    "`%s` is a description: what is made again depends on the edit", path);
            obb_hint(w->diags, d, "edit it, then ask: obbligato build -n");
        } else {
            file = obb_files_number(w->files, path);
            file = obb_files_is_file(w->files, file) ? file : obb_read_file_named(w, names->at[i]);
        }
        obb_arena_push(w->arena, changed, file);
    }
    return obb_workspace_tell(w);
}

/* The default targets, and all tests. */
static int plan_all(obb_workspace *w)
{
    int code = obb_workspace_read_project(w);
    if (!code)
        code = obb_workspace_open_state(w, false);
    if (!code)
        code = obb_workspace_choose_variants(w);
    if (!code)
        code = obb_workspace_choose_targets(w);
    for (size_t i = 0; i < w->project->targets.count && !code; i++)
        if (w->project->targets.at[i]->kind == OBB_TEST)
            obb_arena_push(w->arena, &w->targets, w->project->targets.at[i]);
    return code ? code : obb_plan_request(w);
}

static bool is_hit(const obb_workspace *w, const obb_impact *impact, const obb_target *t,
                   const obb_variant *v)
{
    const obb_action *a = v ? obb_plan_product(w->plan, t, v) : NULL;
    return a && impact->hit[a->number];
}

bool obb_impact_touches(const obb_workspace *w, const obb_impact *impact, const obb_target *t,
                        const obb_variant *v)
{
    const obb_target *here = obb_in(v, t);
    if (obb_left_out(v, t))
        return false;
    bool hit = is_hit(w, impact, t->tested ? obb_project_named(w->project, NULL, t->tested) : t, v);
    for (size_t i = 0; i < here->uses.count; i++) /* of a library that is linked, the program tells */
        if (here->uses.at[i].target->kind != OBB_LIBRARY || here->commands.count)
            hit = hit || is_hit(w, impact, here->uses.at[i].target, v);
    for (size_t i = 0; i < here->tools.count; i++)
        hit = hit || is_hit(w, impact, here->tools.at[i].target,
                            obb_variant_of_use(&here->tools.at[i], v, w->plan->tools_variant, w->diags));
    return hit;
}

int obb_find_impact(obb_workspace *w, const obb_words *names, obb_impact *impact)
{
    obb_file_list changed = {0};
    int code = plan_all(w);
    if (!code)
        code = obb_scan_all(w);
    if (!code)
        code = find_changed(w, names, &changed);
    if (code)
        return code;
    for (size_t i = 0, named = changed.count; i < named; i++)
        obb_add_other_names(w, changed.at[i], &changed);
    size_t n = w->plan->actions.count + 1;
    *impact = (obb_impact){.hit = obb_arena_alloc(w->arena, n),
                           .by = obb_arena_alloc(w->arena, n * sizeof *impact->by),
                           .reads = obb_arena_alloc(w->arena, n * sizeof *impact->reads)};
    spread(w, &changed, impact);
    return 0;
}
