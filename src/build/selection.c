#include "build/selection.h"

#include <string.h>

#include "base/path.h"

obb_typed_name obb_type_name(const obb_workspace *w, const char *name)
{
    obb_typed_name typed = {.name = name,
                            .typed = obb_workspace_typed_path(w, name),
                            .from_root = obb_path_below(w->arena, w->root,
                                                        obb_path_join(w->arena, w->root, name))};
    const obb_stamp *stamp = obb_files_stamp(w->files,
                                             obb_files_number(w->files, obb_workspace_path(w, name)));
    typed.is_file = stamp && stamp->kind == OBB_KIND_FILE;
    if (typed.is_file)
        typed.stamp = *stamp;
    return typed;
}

obb_name_fit obb_fit_name(const obb_typed_name *name, const char *path)
{
    return strcmp(name->typed, path) == 0       ? OBB_NAME_TYPED
           : strcmp(name->from_root, path) == 0 ? OBB_NAME_FROM_ROOT
           : obb_path_ends(path, name->name)    ? OBB_NAME_IS_END
                                                : OBB_NAME_NOT;
}

static void better(obb_name_fit *fit, obb_name_fit other)
{
    if (other > *fit)
        *fit = other;
}

static bool compiles(const obb_action *a)
{
    return a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
}

/* Whether a source is the file that was named by another path, through links. */
static bool is_file(const obb_workspace *w, obb_file source, const obb_typed_name *name)
{
    const obb_stamp *stamp = name->is_file ? obb_files_stamp(w->files, source) : NULL;
    return stamp && obb_stamp_same(stamp, &name->stamp);
}

/* How well a name fits an action: its source, its products, its target, or its name in the output folder. */
static obb_name_fit means(const obb_workspace *w, const obb_typed_name *name, const obb_action *a)
{
    obb_name_fit fit = OBB_NAME_NOT;
    if (!obb_plan_variant_of(w->plan, a->variant)->chosen)
        return OBB_NAME_NOT;
    if (strcmp(a->target->name, name->name) == 0 ||
        (!compiles(a) && strcmp(obb_action_subject(w->plan, a), name->name) == 0))
        return OBB_NAME_TYPED;
    for (size_t i = 0; i < a->also.count; i++) {
        const char *other = obb_files_path(w->files, a->also.at[i]);
        better(&fit, strcmp(obb_action_below(w->plan, a, other), name->name) == 0
                         ? OBB_NAME_TYPED
                         : obb_fit_name(name, other));
    }
    better(&fit, obb_fit_name(name, obb_files_path(w->files, a->output)));
    if (compiles(a))
        better(&fit, is_file(w, a->source, name) ? OBB_NAME_TYPED
                                                 : obb_fit_name(name, obb_files_path(w->files, a->source)));
    return fit;
}

bool obb_mark_named(const obb_workspace *w, const char *name, bool only_compiles, bool *named)
{
    size_t count = w->plan->actions.count;
    const obb_typed_name typed = obb_type_name(w, name);
    obb_name_fit best = OBB_NAME_NOT, *fits = obb_arena_alloc(w->arena, (count + 1) * sizeof *fits);
    for (size_t i = 0; i < count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        fits[i] = only_compiles && !compiles(a) ? OBB_NAME_NOT : means(w, &typed, a);
        better(&best, fits[i]);
    }
    for (size_t i = 0; i < count; i++)
        named[i] = named[i] || (fits[i] == best && best != OBB_NAME_NOT);
    return best != OBB_NAME_NOT;
}
