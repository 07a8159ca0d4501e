/* Names: what is used must exist, and no circle of uses may prevent an order of building.
 *
 * Runs after all targets are read, and resolves names to targets in place; afterwards `target` of a use is
 * never NULL unless there was an error. Circles are looked for without conditions here, and with them for
 * each variant (variant.h). */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"
#include "project/resolve/settings.h"

static void not_to_be_used(obb_project *p, obb_diags *diags, const obb_target *t, const obb_use *use)
{
    static const char *const kinds[] = {"library", "library", "program or image",
                                        "target",  "target",  "library or program"};
    const char *wanted = use->at_run_time ? "plug-in, library, program, image or step" : kinds[t->kind];
    const obb_target *found = obb_project_named(p, use->place.scope, use->name);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                            !found             ? "`%s`: there is no %s `%s`"
                            : use->at_run_time ? "`%s` needs `%s`, which is not a %s"
                                               : "`%s` uses `%s`, which is not a %s",
                            t->name, found ? use->name : wanted, found ? wanted : use->name);
    if (found) {
        obb_also(diags, d, found->place, "`%s` is described here", use->name);
        return;
    }
    obb_hint_nearest(diags, d, use->name, obb_project_target_names(p));
    if (!d->hint && !use->at_run_time && (t->kind <= OBB_LIBRARY || t->kind == OBB_TEST))
        obb_hint(diags, d, "`uses` names libraries of this project; for one of the system: libs %s",
                 use->name);
}

static bool may_use(const obb_target *t, const obb_use *use, const obb_target *used)
{
    if (use->only_words)
        return used->kind == OBB_PROGRAM || used->kind == OBB_LIBRARY || used->kind == OBB_TEST;
    if (use->at_run_time)
        return used != t && used->kind != OBB_GROUP && used->kind != OBB_TEST;
    switch (t->kind) {
    case OBB_GROUP: return true;
    case OBB_IMAGE: return used->kind == OBB_PROGRAM || used->kind == OBB_IMAGE || used->kind == OBB_STEP;
    case OBB_STEP: return used->kind != OBB_GROUP;
    case OBB_TEST:
        return used->kind == OBB_LIBRARY || used->kind == OBB_STEP || used->kind == OBB_PROGRAM ||
               used->kind == OBB_IMAGE;
    default: return used->kind == OBB_LIBRARY || used->kind == OBB_STEP;
    }
}

/* What steps of others make is named by their own targets alone. */
static bool is_in_sight(const obb_target *step, const obb_made *named)
{
    return obb_same(step->place.scope, named->place.scope);
}

static bool is_made(const obb_project *p, const obb_made *named)
{
    for (size_t i = 0; i < p->targets.count; i++)
        for (size_t k = 0; k < p->targets.at[i]->makes.count; k++)
            if (is_in_sight(p->targets.at[i], named) &&
                strcmp(p->targets.at[i]->makes.at[k].path, named->path) == 0)
                return true;
    return false;
}

/* The step that makes what is named becomes something that the target uses. A whole path is not taken for the
 * end of another one. */
static void find_maker(obb_project *p, obb_diags *diags, obb_target *t, obb_made *named)
{
    const obb_made *found = NULL;
    bool whole = is_made(p, named);
    obb_words names = {0};
    for (size_t i = 0; i < p->targets.count; i++)
        for (size_t k = 0; k < p->targets.at[i]->makes.count; k++) {
            const obb_made *made = &p->targets.at[i]->makes.at[k];
            if (!is_in_sight(p->targets.at[i], named))
                continue;
            obb_arena_push(p->arena, &names,
                           strchr(named->path, '/') ? made->path : obb_path_name(made->path));
            bool fits = whole ? strcmp(made->path, named->path) == 0 : obb_path_ends(made->path, named->path);
            if (!fits || (found && strcmp(found->path, made->path) == 0))
                continue;
            if (found) {
                obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, named->place,
                                        "`made:%s` may be %s or %s", named->path, found->path, made->path);
                obb_hint(diags, d, "name more of its path");
                return;
            }
            found = made;
            obb_use use = {.name = p->targets.at[i]->name,
                           .place = named->place,
                           .condition = named->condition,
                           .target = p->targets.at[i],
                           .by_file = true};
            if (p->targets.at[i] != t)
                obb_arena_push(p->arena, &t->uses, use);
        }
    if (found) {
        named->path = found->path; /* as a whole from here on */
        return;
    }
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, named->place, "no step makes `%s`", named->path);
    obb_arena_push(p->arena, &names, NULL);
    obb_hint_nearest(diags, d, named->path, names.at);
    if (!d->hint)
        obb_hint(diags, d, "a step says what it makes: makes gen/NAME");
}

static bool has_product(const obb_target *t)
{
    return t->kind == OBB_PROGRAM || t->kind == OBB_LIBRARY || t->kind == OBB_IMAGE || t->kind == OBB_TEST;
}

static void find_tools(obb_project *p, obb_diags *diags, const char *who, obb_uses *tools)
{
    for (size_t i = 0; i < tools->count; i++) {
        obb_use *use = &tools->at[i];
        use->target = obb_project_named(p, use->place.scope, use->name);
        if (use->target && (use->variant ? has_product(use->target) : use->target->kind == OBB_PROGRAM))
            continue;
        if (use->variant) {
            obb_diag *fault =
                obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                          use->target ? "`%s` names {product:%s/%s}, which is not a program, library or image"
                                      : "`%s` names {product:%s/%s}, and there is no such target",
                          who, use->variant, use->name);
            obb_hint_nearest(diags, fault, use->name, obb_project_target_names(p));
            continue;
        }
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                                use->target ? "`%s` runs {tool:%s}, which is not a program"
                                            : "`%s` runs {tool:%s}, and there is no such program",
                                who, use->name);
        obb_hint_nearest(diags, d, use->name, obb_project_target_names(p));
        if (!d->hint)
            obb_hint(diags, d,
                     "{tool:NAME} is a program of this project, built for this machine; others are named as "
                     "they are");
    }
}

static void find_launched(obb_project *p, obb_diags *diags, obb_launch *l)
{
    for (size_t i = 0; i < l->products.count; i++) {
        obb_use *use = &l->products.at[i];
        use->target = obb_project_named(p, use->place.scope, use->name);
        if (use->target && use->target->kind != OBB_GROUP && use->target->kind != OBB_STEP)
            continue;
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                                use->target
                                    ? "`%s` names the product of `%s`, which is not a program, library "
                                      "or image"
                                    : "`%s` names the product of `%s`, and there is no such target",
                                l->name, use->name);
        obb_hint_nearest(diags, d, use->name, obb_project_target_names(p));
    }
    l->target = l->program ? obb_project_named(p, NULL, l->program) : NULL;
    if (!l->program || (l->target && (l->target->kind == OBB_PROGRAM || l->target->kind == OBB_IMAGE)))
        return;
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, l->place,
                            "`%s` runs `%s`, which is not a program or an image", l->name, l->program);
    obb_hint_nearest(diags, d, l->program, obb_project_target_names(p));
}

static void find_used(obb_project *p, obb_diags *diags, obb_target *t)
{
    for (size_t k = 0; k < t->uses.count; k++) {
        obb_use *use = &t->uses.at[k];
        obb_target *found = obb_project_named(p, use->place.scope, use->name);
        if (found && may_use(t, use, found))
            use->target = found;
        else
            not_to_be_used(p, diags, t, use);
    }
    find_tools(p, diags, t->name, &t->tools);
    for (size_t k = 0; k < t->made_of.count; k++)
        find_maker(p, diags, t, &t->made_of.at[k]);
    for (size_t k = 0; k < t->placed.count; k++)
        t->placed.at[k].target = obb_project_named(p, t->place.scope, t->placed.at[k].name);
}

/* Names of toolchains and runners that platforms state. */
static void find_parts(obb_project *p, obb_diags *diags, const obb_definition *platform)
{
    for (size_t i = 0; i < platform->properties.count; i++) {
        const obb_property *property = &platform->properties.at[i];
        bool toolchain = property->id == OBB_W_USES_TOOLCHAIN;
        if ((!toolchain && property->id != OBB_W_USES_RUNNER) || !property->lines.at[0].count)
            continue;
        const obb_word *name = &property->lines.at[0].at[0];
        if (toolchain ? obb_project_definition(p, OBB_TOOLCHAIN_DEFINITION, name->text) != NULL
                      : obb_project_runner(p, name->text) != NULL)
            continue;
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, name->place, "there is no %s `%s`",
                                toolchain ? "toolchain" : "runner", name->text);
        obb_words names = {0};
        for (size_t k = 0; !toolchain && k < p->runners.count; k++)
            obb_arena_push(p->arena, &names, p->runners.at[k]->name);
        obb_arena_push(p->arena, &names, NULL);
        obb_hint_nearest(diags, d, name->text,
                         toolchain ? obb_project_definition_names(p, OBB_TOOLCHAIN_DEFINITION) : names.at);
    }
}

/* Static libraries may need each other: nothing of one is needed to make the other. */
static bool may_stand_in_a_circle(const obb_target *t)
{
    return t->kind == OBB_LIBRARY && (!obb_has_sources(t) || t->library == OBB_STATIC);
}

typedef struct trail {
    obb_project *project;
    const obb_variant *variant; /* NULL: only what depends on no condition */
    obb_diags *diags;
    char *state; /* by target: 0 new, 1 on the trail, 2 done */
    size_t *depth; /* by target that is done: how many stand one behind the other from there on */
    bool too_deep;
    OBB_VEC(const obb_use *) uses;
    OBB_VEC(const obb_target *) targets;
} trail;

static void report_circle(trail *w, const obb_use *back)
{
    size_t first = 0;
    bool allowed = true;
    while (w->targets.at[first]->number != back->target->number)
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

/* The greatest depth of uses that is followed. */
enum { DEEPEST_USE = 5000 };

static void tell_depth(trail *w, const obb_target *t)
{
    obb_diag *d = w->too_deep ? NULL
                              : obb_error(w->diags, OBB_FAULT_DESCRIPTION, t->place,
                                          "`%s` uses others, one behind the other, more than %d deep",
                                          t->name, DEEPEST_USE);
    if (d)
        obb_hint(w->diags, d, "let one target or group use many directly, rather than each the next");
    w->too_deep = true;
}

static void walk(trail *w, const obb_target *t, const obb_use *by)
{
    w->state[t->number] = 1;
    if (w->targets.count >= DEEPEST_USE) {
        tell_depth(w, t);
        return;
    }
    obb_arena_push(w->project->arena, &w->targets, t);
    obb_arena_push(w->project->arena, &w->uses, by);
    for (size_t i = 0; i < t->uses.count; i++) {
        const obb_use *use = &t->uses.at[i];
        const obb_target *used = w->variant ? obb_in(w->variant, use->target) : use->target;
        if (use->only_words || (!w->variant && use->condition))
            continue;
        if (w->state[used->number] == 1)
            report_circle(w, use);
        else if (w->state[used->number] == 0)
            walk(w, used, use);
        if (w->depth[used->number] >= w->depth[t->number])
            w->depth[t->number] = w->depth[used->number] + 1;
    }
    if (w->depth[t->number] > DEEPEST_USE)
        tell_depth(w, t);
    w->targets.count--;
    w->uses.count--;
    w->state[t->number] = 2;
}

static void walk_all(obb_project *project, const obb_variant *variant, obb_diags *diags)
{
    trail w = {.project = project, .variant = variant, .diags = diags};
    w.state = obb_arena_alloc(project->arena, project->targets.count);
    w.depth = obb_arena_alloc(project->arena, project->targets.count * sizeof *w.depth);
    for (size_t i = 0; i < project->targets.count; i++)
        if (w.state[i] == 0)
            walk(&w, variant ? obb_in(variant, project->targets.at[i]) : project->targets.at[i], NULL);
}

void obb_check_circles(const obb_variant *variant, obb_diags *diags)
{
    if (variant->project->any_conditional) /* else they were looked for when it was read */
        walk_all(variant->project, variant, diags);
}

/* A program is made of something: what is stated, or what steps make that it uses. */
static void check_sources(obb_diags *diags, const obb_target *t)
{
    bool file = t->executable.text, commanded = t->kind == OBB_TEST && t->commands.count;
    for (size_t i = 0; i < t->properties.count; i++)
        file = file || t->properties.at[i].id == OBB_W_EXECUTABLE;
    if (file && (t->sources.count || t->resources.count)) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, t->place,
                                "program `%s` has sources, and is a file that is there already", t->name);
        obb_hint(diags, d, "state one of them");
    }
    if ((t->kind != OBB_PROGRAM && t->kind != OBB_TEST) || t->tested || commanded || file ||
        obb_has_sources(t))
        return;
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, t->place, "%s `%s` has no sources",
                            t->kind == OBB_TEST ? "test" : "program", t->name);
    obb_hint(diags, d,
             t->kind == OBB_TEST
                 ? "state them, or what it runs: sources tests/*.c, program NAME, or run COMMAND"
                 : "state them: sources src/*.c");
}

void obb_check_names(obb_project *project, obb_diags *diags)
{
    size_t before = diags->list.count;
    for (size_t i = 0; i < project->targets.count; i++)
        find_used(project, diags, project->targets.at[i]);
    for (size_t i = 0; i < project->devices.count; i++)
        find_tools(project, diags, project->devices.at[i]->name, &project->devices.at[i]->tools);
    for (size_t i = 0; i < project->launches.count; i++)
        find_launched(project, diags, project->launches.at[i]);
    bool named = diags->list.count == before;
    for (size_t i = 0; i < project->targets.count;
         i++) /* steps that do not exist make nothing, which is reported already */
        if (named || !project->targets.at[i]->uses.count)
            check_sources(diags, project->targets.at[i]);
    if (named)
        walk_all(project, NULL, diags);
    for (size_t i = 0; i < project->definitions[OBB_PLATFORM_DEFINITION].count; i++)
        find_parts(project, diags, project->definitions[OBB_PLATFORM_DEFINITION].at[i]);
}
