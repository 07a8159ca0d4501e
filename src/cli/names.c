#include "cli/names.h"

#include <string.h>

#include "base/path.h"

typed_name names_typed(const session *s, const char *name)
{
    typed_name typed = {.name = name, .typed = session_typed_path(s, name),
                        .from_root = obb_path_below(s->arena, s->root, obb_path_join(s->arena, s->root, name))};
    const obb_stamp *stamp = obb_files_stamp(s->files, obb_files_number(s->files, session_path(s, name)));
    typed.is_file = stamp && stamp->kind == OBB_KIND_FILE;
    if (typed.is_file)
        typed.stamp = *stamp;
    return typed;
}

name_fit names_fit(const typed_name *name, const char *path)
{
    return strcmp(name->typed, path) == 0       ? NAME_TYPED
           : strcmp(name->from_root, path) == 0 ? NAME_FROM_ROOT
           : obb_path_ends(path, name->name)    ? NAME_IS_END
                                                : NAME_NOT;
}

static void better(name_fit *fit, name_fit other)
{
    if (other > *fit)
        *fit = other;
}

static bool compiles(const obb_action *a)
{
    return a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
}

/* Whether a source is the file that was named by another path, through links. */
static bool is_file(const session *s, obb_file source, const typed_name *name)
{
    const obb_stamp *stamp = name->is_file ? obb_files_stamp(s->files, source) : NULL;
    return stamp && obb_stamp_same(stamp, &name->stamp);
}

/* How well a name fits an action: its source, its products, its target, or its name in the output folder. */
static name_fit means(const session *s, const typed_name *name, const obb_action *a)
{
    name_fit fit = NAME_NOT;
    if (!obb_plan_variant_of(s->plan, a->variant)->chosen)
        return NAME_NOT;
    if (strcmp(a->target->name, name->name) == 0 || (!compiles(a) && strcmp(obb_action_subject(s->plan, a), name->name) == 0))
        return NAME_TYPED;
    for (size_t i = 0; i < a->also.count; i++) {
        const char *other = obb_files_path(s->files, a->also.at[i]);
        better(&fit, strcmp(obb_action_below(s->plan, a, other), name->name) == 0 ? NAME_TYPED : names_fit(name, other));
    }
    better(&fit, names_fit(name, obb_files_path(s->files, a->output)));
    if (compiles(a))
        better(&fit, is_file(s, a->source, name) ? NAME_TYPED : names_fit(name, obb_files_path(s->files, a->source)));
    return fit;
}

bool names_mark(const session *s, const char *name, bool only_compiles, bool *named)
{
    size_t count = s->plan->actions.count;
    const typed_name typed = names_typed(s, name);
    name_fit best = NAME_NOT, *fits = obb_arena_alloc(s->arena, (count + 1) * sizeof *fits);
    for (size_t i = 0; i < count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        fits[i] = only_compiles && !compiles(a) ? NAME_NOT : means(s, &typed, a);
        better(&best, fits[i]);
    }
    for (size_t i = 0; i < count; i++)
        named[i] = named[i] || (fits[i] == best && best != NAME_NOT);
    return best != NAME_NOT;
}
