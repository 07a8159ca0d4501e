/* Programs that a build made are compared with their budgets (build/budgets.h). */
#include "build/budgets.h"

#include "build/accounts.h"

/* Which programs of those that were planned here are compared with budgets; of the others it was kept. */
static void note_budgets(obb_workspace *w)
{
    size_t planned = !w->plan->project    ? 0
                     : w->planning.edited ? w->planning.planned
                                          : w->plan->actions.count;
    w->planning.budgeted = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        w->planning.budgeted[i] = i >= planned
                                      ? a->budgeted
                                      : w->wanted[i] && !a->stated.broken && a->kind == OBB_LINK_PROGRAM &&
                                            a->variant->memory.count &&
                                            obb_has_budgets(w, a->target, a->variant);
    }
}

/* A subplan has only the names of variants and targets; the project is read for the rest. */
static void check_program(obb_workspace *w, const obb_action *a, bool made)
{
    const obb_variant *v = a->variant;
    const obb_target *t = a->target;
    if (!w->plan->project) {
        v = obb_project_variant_named(w->project, v->name, &w->request->sets, OBB_NOWHERE, w->diags);
        t = obb_project_target(w->project, t->name);
    }
    const obb_account *account = v && t ? obb_account_of_regions(w, obb_files_path(w->files, a->output), v)
                                        : NULL;
    if (account) /* what cannot be read failed to link, which was reported */
        obb_compare_budgets(w, t, v, account, made);
}

static void check_programs(const obb_builder *b)
{
    obb_workspace *w = b->w;
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        if (!w->wanted[i] || !w->planning.budgeted[i])
            continue;
        bool made = false;
        for (size_t k = 0; k < b->linked.count && !made; k++)
            made = b->linked.at[k] == a;
        check_program(w, a, made);
    }
}

static bool any_budgets(const obb_workspace *w)
{
    for (size_t i = 0; i < w->plan->actions.count && !w->request->budgets_apart; i++)
        if (w->wanted[i] && w->planning.budgeted[i])
            return true;
    return false;
}

/* Reports programs that exceed a budget when they were made just now, and always when the budget is fatal. A
 * workspace without a project gets one for as long as this takes only: the variants of its plan are not those
 * of the project, and later code must not mistake them for that. */
int obb_check_budgets(obb_builder *b)
{
    obb_workspace *w = b->w;
    bool borrowed = !w->project;
    note_budgets(w);
    if (!any_budgets(w))
        return obb_workspace_tell(w);
    int code = borrowed ? obb_workspace_read_project(w) : 0;
    if (!code) {
        check_programs(b);
        code = obb_workspace_tell(w);
    }
    if (borrowed) {
        obb_project_free(w->project);
        w->project = NULL;
    }
    return code;
}
