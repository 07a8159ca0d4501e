/* Questions about a plan: who makes a file, what a target makes, how actions are called (plan.h).
 *
 * None of these changes the plan, except for noting makers while it is made. */
#include "plan/plan.h"

#include <string.h>

#include "base/path.h"

char *obb_variant_folder(obb_arena *arena, const char *out, const obb_variant *variant)
{
    return obb_path_join(arena, out, variant->name);
}

obb_action *obb_plan_maker(const obb_plan *plan, obb_file file)
{
    if (file >= plan->makers.count || !plan->makers.at[file])
        return NULL;
    return plan->actions.at[plan->makers.at[file] - 1];
}

void obb_plan_set_maker(obb_plan *plan, obb_file file, const obb_action *action)
{
    if (file >= plan->makers.count) {
        plan->makers.at = obb_arena_grow(plan->arena, plan->makers.at, &plan->makers.room, file + 256,
                                         sizeof *plan->makers.at);
        plan->makers.count = file + 256;
    }
    plan->makers.at[file] = action->number + 1;
}

void obb_want_target(const obb_variant *variant, const obb_target *target, bool *wanted_targets)
{
    const obb_target *here = obb_in(variant, target);
    if (wanted_targets[here->number] || obb_left_out(variant, here))
        return;
    wanted_targets[here->number] = true;
    for (size_t i = 0; i < here->uses.count; i++)
        if (!here->uses.at[i].only_words)
            obb_want_target(variant, here->uses.at[i].target, wanted_targets);
}

const obb_plan_variant *obb_plan_variant_of(const obb_plan *plan, const obb_variant *variant)
{
    for (size_t i = 0; i < plan->variants.count; i++)
        if (plan->variants.at[i].variant == variant)
            return &plan->variants.at[i];
    return NULL;
}

const obb_product *obb_plan_product_of(const obb_plan *plan, const obb_target *target,
                                       const obb_variant *variant)
{
    const obb_plan_variant *in = obb_plan_variant_of(plan, variant);
    return in && in->products[target->number] ? &plan->products.at[in->products[target->number] - 1] : NULL;
}

const obb_action *obb_plan_product(const obb_plan *plan, const obb_target *target, const obb_variant *variant)
{
    const obb_product *p = obb_plan_product_of(plan, target, variant);
    return p && p->actions.count ? plan->actions.at[p->actions.at[0]] : NULL;
}

void obb_default_targets(const obb_project *project, obb_arena *arena, obb_target_list *targets)
{
    for (size_t i = 0; i < project->default_targets.count; i++)
        obb_arena_push(arena, targets, project->default_targets.at[i]);
    for (size_t i = 0; !project->default_targets.count && i < project->targets.count; i++)
        if (!project->targets.at[i]->optional && project->targets.at[i]->kind != OBB_GROUP &&
            project->targets.at[i]->kind != OBB_TEST)
            obb_arena_push(arena, targets, project->targets.at[i]);
}

const char *obb_action_verb(const obb_action *action)
{
    static const char *const verbs[] = {"compile", "assemble", "archive", "link", "link", "image", "step"};
    return verbs[action->kind];
}

const char *obb_action_subject(const obb_plan *plan, const obb_action *action)
{
    bool compiles = action->kind == OBB_COMPILE || action->kind == OBB_ASSEMBLE;
    if (compiles && action->target->kind != OBB_IMAGE)
        return obb_files_path(plan->files, action->source);
    return obb_action_below(plan, action, obb_files_path(plan->files, action->output));
}

bool obb_makes_header(const obb_variant *v, const obb_target *described)
{
    const obb_target *t = obb_in(v, described);
    for (size_t i = 0; t->kind == OBB_STEP && i < t->makes.count; i++)
        if (obb_is_header(t->makes.at[i].path) && !obb_left_out(v, t))
            return true;
    return false;
}

obb_source_name obb_plan_source_name(const obb_plan *plan, const obb_plan_variant *in, obb_file source)
{
    static const char others[] = "thirdparty/";
    const char *path = obb_files_path(plan->files, source);
    const char *made = obb_path_within(path, in->folder) ? path + strlen(in->folder) + 1 : NULL;
    if (made && obb_starts(made, others)) /* as its own description names it */
        made += strcspn(made + sizeof others - 1, "/") + sizeof others;
    return (obb_source_name){path, made};
}

const char *obb_action_below(const obb_plan *plan, const obb_action *action, const char *path)
{
    const char *folder = obb_variant_folder(plan->arena, plan->out, action->variant);
    return obb_path_within(path, folder) ? path + strlen(folder) + 1 : path;
}

obb_fingerprint obb_action_key(const obb_plan *plan, const obb_action *action, const char *what)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, what);
    obb_hasher_string(p, obb_files_path(plan->files, action->output));
    obb_hasher_add(p, &action->command, sizeof action->command);
    return obb_hasher_end(p);
}
