/* The dependency table as a graph (dependencies.h): what is wanted, and which action needs which.
 *
 * Needs lead from an action to earlier ones, and there are no circles among them: where a scan would close
 * one, the action is broken instead. So each walk ends. */
#include "plan/dependencies.h"

#include <stdlib.h>
#include <string.h>

/* A list of its own, so that it can be emptied and grow without touching the plan's. */
#define COPY_LIST(arena, list)                                                                               \
    ((list).at = (void *)obb_arena_copy(arena, (list).at, (list).count * sizeof *(list).at),                 \
     (list).room = (list).count)

obb_dependency_table *obb_dependency_table_new(const obb_plan *plan)
{
    obb_dependency_table *t = obb_arena_alloc(plan->arena, sizeof *t);
    size_t n = plan->actions.count;
    *t = (obb_dependency_table){
        .plan = plan,
        .of = obb_arena_alloc(plan->arena, (n + 1) * sizeof *t->of),
        .setups = obb_arena_alloc(plan->arena, (plan->options + 1) * sizeof *t->setups)};
    for (size_t i = 0; i < n; i++) {
        obb_dependencies *d = &t->of[i];
        *d = plan->actions.at[i]->stated;
        COPY_LIST(plan->arena, d->inputs);
        COPY_LIST(plan->arena, d->needs);
    }
    return t;
}

obb_dependencies *obb_dependencies_of(const obb_dependency_table *t, const obb_action *a)
{
    return &t->of[a->number];
}

/* --- wanting ------------------------------------------------------------------------ */

bool obb_want_action(const obb_dependency_table *t, uint32_t number, bool *wanted)
{
    if (wanted[number])
        return false;
    wanted[number] = true;
    const obb_action *a = t->plan->actions.at[number];
    const obb_dependencies *d = &t->of[number];
    for (size_t i = 0; i < d->needs.count; i++)
        obb_want_action(t, d->needs.at[i], wanted);
    for (size_t i = 0; i < a->followers.count; i++)
        obb_want_action(t, a->followers.at[i], wanted);
    return true;
}

/* A tool, or the product of another variant. */
static void want_elsewhere(const obb_dependency_table *t, const obb_use *use, const obb_variant *variant,
                           bool *wanted)
{
    obb_diags *told = obb_diags_new(); /* by who planned it */
    const obb_variant *there = obb_variant_of_use(use, variant, t->plan->tools_variant, told);
    if (there)
        obb_want(t, use->target, there, wanted);
    obb_diags_free(told);
}

void obb_want(const obb_dependency_table *t, const obb_target *target, const obb_variant *variant,
              bool *wanted)
{
    const obb_target *here = obb_in(variant, target);
    if (obb_left_out(variant, here))
        return;
    const obb_product *product = obb_plan_product_of(t->plan, here, variant);
    for (size_t k = 0; product && k < product->actions.count; k++)
        obb_want_action(t, product->actions.at[k], wanted);
    for (size_t i = 0; here->kind == OBB_TEST && i < here->uses.count; i++) /* what its words name */
        if (here->uses.at[i].target->kind != OBB_LIBRARY || here->commands.count)
            obb_want(t, here->uses.at[i].target, variant, wanted);
    for (size_t i = 0; here->kind == OBB_TEST && i < here->tools.count; i++)
        want_elsewhere(t, &here->tools.at[i], variant, wanted);
    if (here->kind == OBB_GROUP || here->tested || (here->kind == OBB_LIBRARY && !obb_has_sources(here)))
        for (size_t i = 0; i < here->uses.count; i++)
            obb_want(t, here->uses.at[i].target, variant, wanted);
}

/* Whether some wanted action belongs to a target that uses the step, or to the same third-party project. */
static bool may_need(const obb_dependency_table *t, const obb_action *step, const bool *wanted)
{
    for (size_t i = 0; i < t->plan->actions.count; i++) {
        const obb_action *a = t->plan->actions.at[i];
        if (!wanted[i] || a->variant != step->variant)
            continue;
        if (step->target->place.scope && obb_same(a->target->place.scope, step->target->place.scope))
            return true;
        for (size_t k = 0; k < a->target->uses.count; k++)
            if (a->target->uses.at[k].target->number == step->target->number)
                return true;
    }
    return false;
}

void obb_want_header_steps(const obb_dependency_table *t, bool *wanted)
{
    for (uint32_t i = 0; i < t->plan->actions.count; i++) {
        const obb_action *a = t->plan->actions.at[i];
        if (a->kind == OBB_RUN_STEP && !wanted[i] && obb_makes_header(a->variant, a->target) &&
            (!a->target->optional || may_need(t, a, wanted)))
            obb_want_action(t, i, wanted);
    }
}

bool obb_tell_deferred(obb_dependencies *d, obb_diags *diags)
{
    const obb_deferred_error *e = d->deferred;
    d->deferred = NULL;
    if (!e)
        return false;
    obb_diag *told = obb_error(diags, e->fault, e->place, "%s", e->message);
    if (e->hint)
        obb_hint(diags, told, "%s", e->hint);
    return true;
}

/* --- what leads where --------------------------------------------------------------- */

typedef struct trail {
    const obb_dependency_table *table;
    uint32_t sought;
    bool *seen;
} trail;

static bool leads(trail *t, uint32_t from)
{
    const obb_dependencies *d = &t->table->of[from];
    if (from == t->sought)
        return true;
    if (t->seen[from])
        return false;
    t->seen[from] = true;
    for (size_t i = 0; i < d->needs.count; i++)
        if (leads(t, d->needs.at[i]))
            return true;
    return false;
}

bool obb_needs_action(const obb_dependency_table *table, const obb_action *action, const obb_action *other)
{
    trail t = {table, other->number, obb_alloc(table->plan->actions.count)};
    bool found = leads(&t, action->number);
    free(t.seen);
    return found;
}
