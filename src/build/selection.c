/* Resolving names that the user typed (selection.h). The best fit wins: a path as it was typed, then a path
 * from the root as messages print it, then the end of a path. */
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
    typed.target = w->project ? obb_project_named(w->project, NULL, name) : NULL;
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
    if ((name->target && name->target->number == a->target->number) ||
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

/* Of a target that makes nothing itself, such as a program that a step makes: what makes its product. */
static bool mark_products(const obb_workspace *w, const char *name, bool *named)
{
    bool any = false;
    for (size_t i = 0; i < w->plan->products.count; i++) {
        const obb_product *p = &w->plan->products.at[i];
        for (size_t k = 0; strcmp(p->target->name, name) == 0 && k < p->actions.count; k++)
            any = named[p->actions.at[k]] = true;
    }
    return any;
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
    return best != OBB_NAME_NOT || (!only_compiles && mark_products(w, name, named));
}

/* --- files that are read ------------------------------------------------------------- */

bool obb_action_reads(const obb_workspace *w, const obb_action *a, obb_file file)
{
    const obb_dependencies *d = obb_dependencies_of(w->dependencies, a);
    for (size_t i = 0; i < d->inputs.count; i++)
        if (d->inputs.at[i] == file)
            return true;
    return false;
}

/* Files that a compiler or an earlier build named may not have been looked at yet. */
static void look_at_inputs(obb_workspace *w)
{
    for (size_t i = 0; i < w->plan->actions.count; i++)
        for (size_t k = 0; w->wanted[i] && k < w->dependencies->of[i].inputs.count; k++)
            obb_files_stamp(w->files, w->dependencies->of[i].inputs.at[k]);
}

void obb_add_other_names(obb_workspace *w, obb_file file, obb_file_list *files)
{
    look_at_inputs(w);
    const obb_stamp *stamp = obb_files_stamp(w->files, file);
    obb_stamp one = stamp ? *stamp : (obb_stamp){.inode = 0};
    for (obb_file f = 0; stamp && f < obb_files_count(w->files); f++) {
        const obb_cached_stat look = obb_files_cached_stat(w->files, f);
        if (f != file && look.stamp && obb_stamp_same(look.stamp, &one))
            obb_arena_push(w->arena, files, f);
    }
}

/* The name under which a file is read, when it is not read under its own. */
static obb_file name_read(obb_workspace *w, obb_file file)
{
    obb_file_list names = {0};
    obb_arena_push(w->arena, &names, file);
    obb_add_other_names(w, file, &names);
    for (size_t k = 0; k < names.count; k++)
        for (size_t i = 0; i < w->plan->actions.count; i++)
            if (w->wanted[i] && obb_action_reads(w, w->plan->actions.at[i], names.at[k]))
                return names.at[k];
    return file;
}

/* The files that are read and whose path ends with a name. */
static void read_so_called(const obb_workspace *w, const char *name, obb_file_list *files)
{
    const obb_typed_name typed = obb_type_name(w, name);
    bool *seen = obb_arena_alloc(w->arena, obb_files_count(w->files) + 1);
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_dependencies *d = &w->dependencies->of[i];
        for (size_t k = 0; w->wanted[i] && k < d->inputs.count; k++) {
            obb_file file = d->inputs.at[k];
            if (!seen[file] && obb_fit_name(&typed, obb_files_path(w->files, file)) == OBB_NAME_IS_END)
                obb_arena_push(w->arena, files, file);
            seen[file] = true;
        }
    }
}

obb_file obb_read_file_named(obb_workspace *w, const char *name)
{
    obb_file file = obb_files_number(w->files, obb_workspace_path(w, name));
    obb_file_list found = {0};
    if (obb_files_is_file(w->files, file))
        return name_read(w, file);
    read_so_called(w, name, &found);
    if (found.count == 1)
        return found.at[0];
    obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                            found.count ? "several files are called `%s`" : "there is no file `%s`", name);
    for (size_t i = 0; i < found.count; i++)
        obb_also(w->diags, d, OBB_NOWHERE, "%s", obb_files_path(w->files, found.at[i]));
    obb_hint(w->diags, d, "name it by its path; `obbligato scan` lists what is read");
    return OBB_NO_FILE;
}

