/* Flattening the settings of a target in a variant, layer by layer, and what it links (settings.h). Values
 * later in the order of layers win.
 *
 * Nothing is cached: the result is a list in the caller's arena. The order of layers is that of the command
 * line, so a compiler sees later values last. */
#include "project/resolve/settings.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "project/language.h"

/* What is compiled, or linked as it is. */
static bool is_source(const char *path)
{
    return obb_language_of(path) != OBB_NO_LANGUAGE || obb_is_object(path) || obb_is_archive(path);
}

bool obb_compiles_all_of(const obb_use *use)
{
    return use->target && use->target->kind == OBB_STEP && !use->at_run_time && !use->by_file;
}

bool obb_has_sources(const obb_target *target)
{
    bool any = target->sources.count > 0 || target->resources.count > 0,
         compiles = target->kind != OBB_STEP && target->kind != OBB_IMAGE;
    for (size_t i = 0; i < target->made_of.count && compiles; i++)
        any = any || (target->made_of.at[i].source && is_source(target->made_of.at[i].path));
    for (size_t i = 0; i < target->uses.count && compiles && !any; i++) {
        const obb_use *use = &target->uses.at[i];
        for (size_t k = 0; obb_compiles_all_of(use) && k < use->target->makes.count; k++)
            any = any || obb_language_of(use->target->makes.at[k].path) != OBB_NO_LANGUAGE;
    }
    return any;
}

/* --- settings ----------------------------------------------------------------------- */

/* Takes flags back that earlier statements gave. */
static void take_back(obb_flat_settings *flat, const char *pattern)
{
    size_t kept = 0;
    for (size_t i = 0; i < flat->count; i++) {
        const obb_origin_setting s = flat->at[i];
        bool flag = s.id >= OBB_SET_FLAGS && s.id <= OBB_SET_LINK_FLAGS;
        if (!flag || !obb_path_matches(pattern, s.value))
            flat->at[kept++] = s;
    }
    flat->count = kept;
}

static const char *value_in(const obb_variant *v, const obb_setting *s, obb_arena *arena)
{
    return s->has_facts ? obb_fill_facts(v, s->place.scope, s->value, arena) : s->value;
}

static void add(obb_flat_settings *flat, const obb_variant *variant, obb_arena *arena,
                const obb_settings *settings, obb_layer layer, const char *owner)
{
    for (size_t i = 0; i < settings->count; i++) {
        const obb_setting *s = &settings->at[i];
        const char *value = value_in(variant, s, arena);
        if (s->id == OBB_SET_WITHOUT)
            take_back(flat, value);
        obb_arena_push(arena, flat, (obb_origin_setting){s->id, value, s->place, layer, owner});
    }
}

/* What a library passes on to its users, its own and that of others. */
static void add_shared(obb_flat_settings *flat, const obb_variant *variant, obb_arena *arena,
                       const obb_target *described, bool *seen)
{
    const obb_target *library = obb_in(variant, described);
    if (seen[library->number])
        return;
    seen[library->number] = true;
    add(flat, variant, arena, &library->share, OBB_LAYER_SHARED, library->name);
    add(flat, variant, arena, &library->users, OBB_LAYER_SHARED, library->name);
    for (size_t i = 0; i < library->uses.count; i++)
        if (library->uses.at[i].shared)
            add_shared(flat, variant, arena, library->uses.at[i].target, seen);
}

bool obb_for_matches(const obb_target *target, const char *pattern, const obb_source_name *source)
{
    const char *name = pattern + strlen("made:");
    if (!obb_starts(pattern, "made:"))
        return obb_path_matches(pattern, source->path);
    bool whole = false; /* then it is not taken for the end of another one */
    for (size_t i = 0; i < target->made_of.count; i++)
        whole = whole || strcmp(target->made_of.at[i].path, name) == 0;
    return source->made && (whole ? strcmp(source->made, name) == 0 : obb_path_ends(source->made, name));
}

static bool for_holds(const obb_target *target, const obb_for *f, const obb_source_name *source)
{
    for (size_t i = 0; i < f->patterns.count; i++)
        if (obb_for_matches(target, f->patterns.at[i].text, source))
            return true;
    return false;
}

bool obb_resolve_has_own(const obb_target *target, const obb_source_name *source)
{
    for (size_t i = 0; i < target->for_files.count; i++)
        if (for_holds(target, &target->for_files.at[i], source))
            return true;
    return false;
}

static void add_holding(obb_flat_settings *flat, const obb_variant *variant, obb_arena *arena,
                        const obb_settings *settings, obb_layer layer, const char *owner)
{
    obb_settings holding = {0};
    for (size_t i = 0; i < settings->count; i++)
        if (obb_condition_holds(variant, settings->at[i].condition))
            obb_arena_push(arena, &holding, settings->at[i]);
    add(flat, variant, arena, &holding, layer, owner);
}

/* What axes define is for the code of those who state them; coverage is for all. */
static void add_axes(obb_flat_settings *flat, const obb_variant *variant, const char *scope, obb_arena *arena,
                     const char *owner)
{
    const obb_settings *all = &variant->settings[OBB_LAYER_AXIS];
    obb_settings kept = {0};
    for (size_t i = 0; i < all->count; i++)
        if (all->at[i].id != OBB_SET_DEFINE || obb_same(all->at[i].place.scope, scope))
            obb_arena_push(arena, &kept, all->at[i]);
    add(flat, variant, arena, &kept, OBB_LAYER_AXIS, owner);
}

/* For code of others, its own project's settings stand in place of ours, and its configuration may be another
 * one. */
static void add_layers(obb_flat_settings *flat, const obb_variant *variant, const char *scope,
                       obb_arena *arena)
{
    const obb_project *project = variant->project;
    const obb_thirdparty *other = obb_project_thirdparty(project, scope);
    const obb_definition *configuration =
        other && other->configuration.text
            ? obb_project_definition(project, OBB_CONFIGURATION_DEFINITION, other->configuration.text)
            : NULL;
    const char *owners[] = {variant->toolchain->name, variant->platform->name,
                            configuration ? configuration->name : variant->configuration->name, project->name,
                            project->name};
    for (int layer = 0; layer < OBB_LAYER_SHARED; layer++) {
        if (other && layer == OBB_LAYER_PROJECT) {
            add_holding(flat, variant, arena, &other->settings, OBB_LAYER_PROJECT, other->name);
            add_holding(flat, variant, arena, &other->ours, OBB_LAYER_PROJECT, other->name);
        } else if (configuration && layer == OBB_LAYER_CONFIGURATION) {
            add_holding(flat, variant, arena, &configuration->settings, OBB_LAYER_CONFIGURATION,
                        configuration->name);
        } else if (layer == OBB_LAYER_AXIS) {
            add_axes(flat, variant, scope, arena, owners[layer]);
        } else {
            add(flat, variant, arena, &variant->settings[layer], (obb_layer)layer, owners[layer]);
        }
    }
}

obb_flat_settings obb_resolve_checks(const obb_variant *variant, const obb_checks *checks, obb_arena *arena)
{
    obb_flat_settings flat = {0};
    add_layers(&flat, variant, checks->place.scope, arena);
    add_holding(&flat, variant, arena, &checks->settings, OBB_LAYER_TARGET, "checks");
    return flat;
}

obb_flat_settings obb_resolve(const obb_variant *variant, const obb_target *described,
                              const obb_source_name *source, obb_arena *arena)
{
    const obb_project *project = variant->project;
    const obb_target *target = obb_in(variant, described);
    obb_flat_settings flat = {0};
    bool *seen = obb_alloc(project->targets.count);
    add_layers(&flat, variant, target->place.scope, arena);
    seen[target->number] = true;
    for (size_t i = 0; i < target->uses.count; i++)
        if (!target->uses.at[i].at_run_time)
            add_shared(&flat, variant, arena, target->uses.at[i].target, seen);
    add(&flat, variant, arena, &target->own, OBB_LAYER_TARGET, target->name);
    add(&flat, variant, arena, &target->share, OBB_LAYER_TARGET, target->name);
    for (size_t i = 0; source && i < target->for_files.count; i++)
        if (for_holds(target, &target->for_files.at[i], source))
            add(&flat, variant, arena, &target->for_files.at[i].settings, OBB_LAYER_FILE,
                target->for_files.at[i].patterns.at[0].text);
    free(seen);
    return flat;
}

const obb_origin_setting *obb_flat_last(const obb_flat_settings *settings, obb_setting_id id)
{
    for (size_t i = settings->count; i-- > 0;)
        if (settings->at[i].id == id)
            return &settings->at[i];
    return NULL;
}

bool obb_flat_is(const obb_flat_settings *settings, obb_setting_id id, const char *value)
{
    const obb_origin_setting *last = obb_flat_last(settings, id);
    return last && strcmp(last->value, value) == 0;
}

const char *obb_flat_standard(const obb_flat_settings *settings, int language)
{
    for (size_t i = settings->count; i-- > 0;)
        if (settings->at[i].id == OBB_SET_STANDARD &&
            obb_standard_language(settings->at[i].value) == language)
            return settings->at[i].value;
    return NULL;
}

/* --- links -------------------------------------------------------------------------- */

/* Strongly connected components of what must be linked (R. Tarjan, "Depth-first search and
 * linear graph algorithms", 1972). They come out used-first. */
typedef struct walker {
    const obb_variant *variant;
    obb_arena *arena;
    size_t *index, *low; /* by target number; 0: not visited */
    bool *on_stack;
    bool *shared; /* by target number: of a library of both kinds, the shared one is linked */
    bool more;    /* another one of these was found on the way */
    OBB_VEC(const obb_target *) stack;
    size_t next;
    OBB_VEC(obb_link_group) found;
} walker;

/* Whether the library is linked as a shared one here. */
static bool links_shared(const walker *w, const obb_target *library)
{
    return obb_has_sources(library) && (library->library == OBB_SHARED || library->library == OBB_PLUG_IN ||
                                        (library->library == OBB_BOTH && w->shared[library->number]));
}

/* A static library does not link, so all that it uses must be linked by its users. A shared
 * one has linked what it keeps to itself. */
static bool handed_on(const walker *w, const obb_target *from, const obb_use *use, bool root)
{
    return !use->at_run_time && (root || !links_shared(w, from) || use->shared);
}

static void pop_component(walker *w, const obb_target *t)
{
    obb_link_group group = {0};
    const obb_target *member;
    do {
        member = w->stack.at[--w->stack.count];
        w->on_stack[member->number] = false;
        obb_arena_push(w->arena, &group.libraries, ((obb_linked){member, links_shared(w, member)}));
    } while (member != t);
    for (size_t i = 0, n = group.libraries.count; i < n / 2; i++) { /* in order of first use */
        const obb_linked swap = group.libraries.at[i];
        group.libraries.at[i] = group.libraries.at[n - 1 - i];
        group.libraries.at[n - 1 - i] = swap;
    }
    obb_arena_push(w->arena, &w->found, group);
}

static void visit(walker *w, const obb_target *t, bool root)
{
    w->index[t->number] = w->low[t->number] = ++w->next;
    obb_arena_push(w->arena, &w->stack, t);
    w->on_stack[t->number] = true;
    for (size_t i = t->uses.count; i-- > 0;) { /* backwards, so that the reverse is in order */
        const obb_target *u = obb_in(w->variant, t->uses.at[i].target);
        if (u->kind != OBB_LIBRARY || !handed_on(w, t, &t->uses.at[i], root))
            continue;
        w->more = w->more || (t->uses.at[i].as_shared && !w->shared[u->number]);
        w->shared[u->number] = w->shared[u->number] || t->uses.at[i].as_shared;
        if (!w->index[u->number]) {
            visit(w, u, false);
            if (w->low[u->number] < w->low[t->number])
                w->low[t->number] = w->low[u->number];
        } else if (w->on_stack[u->number] && w->index[u->number] < w->low[t->number]) {
            w->low[t->number] = w->index[u->number];
        }
    }
    if (w->low[t->number] == w->index[t->number])
        pop_component(w, t);
}

static bool system_library(obb_setting_id id)
{
    return id == OBB_SET_LIBS || id == OBB_SET_METADATA;
}

/* The last mention of a system library is the one that counts for the order. */
static void add_lib(obb_link_plan *plan, obb_arena *arena, const obb_origin_setting *s)
{
    for (size_t i = 0; i < plan->libs.count; i++) {
        if (plan->libs.at[i].id != s->id || strcmp(plan->libs.at[i].value, s->value) != 0)
            continue;
        memmove(plan->libs.at + i, plan->libs.at + i + 1,
                (plan->libs.count - i - 1) * sizeof *plan->libs.at);
        plan->libs.count--;
        break;
    }
    obb_arena_push(arena, &plan->libs, *s);
}

static void add_system(obb_link_plan *plan, const obb_variant *variant, obb_arena *arena,
                       const obb_settings *settings, const obb_target *owner, bool flags_too)
{
    for (size_t i = 0; i < settings->count; i++) {
        const obb_setting *s = &settings->at[i];
        obb_origin_setting o = {s->id, value_in(variant, s, arena), s->place, OBB_LAYER_SHARED, owner->name};
        if (system_library(s->id))
            add_lib(plan, arena, &o);
        else if (s->id == OBB_SET_LINK_FLAGS && flags_too)
            obb_arena_push(arena, &plan->flags, o);
    }
}

static void add_own_libs(obb_link_plan *plan, const obb_variant *variant, const obb_target *target,
                         obb_arena *arena)
{
    obb_flat_settings own = obb_resolve(variant, target, NULL, arena);
    for (size_t i = 0; i < own.count; i++)
        if (system_library(own.at[i].id) && own.at[i].layer != OBB_LAYER_SHARED)
            add_lib(plan, arena, &own.at[i]);
}

obb_link_plan obb_resolve_link(const obb_variant *variant, const obb_target *described, obb_arena *arena)
{
    obb_link_plan plan = {0};
    const obb_target *target = obb_in(variant, described);
    size_t n = variant->project->targets.count;
    walker w = {.variant = variant, .arena = arena};
    w.index = obb_alloc(n * sizeof *w.index);
    w.low = obb_alloc(n * sizeof *w.low);
    w.on_stack = obb_alloc(n);
    w.shared = obb_alloc(n);
    do { /* a choice may hide what was found behind the library */
        memset(w.index, 0, n * sizeof *w.index);
        w.more = false;
        w.next = w.found.count = 0;
        visit(&w, target, true);
    } while (w.more);
    free(w.index);
    free(w.low);
    free(w.on_stack);
    free(w.shared);
    add_own_libs(&plan, variant, target, arena);
    for (size_t i = w.found.count; i-- > 0;) {
        const obb_link_group *group = &w.found.at[i];
        obb_link_group linked = {0};
        for (size_t k = 0; k < group->libraries.count; k++) {
            const obb_target *t = group->libraries.at[k].target;
            if (t == target)
                continue;
            if (obb_has_sources(t))
                obb_arena_push(arena, &linked.libraries, group->libraries.at[k]);
            if (!group->libraries.at[k].shared)
                add_system(&plan, variant, arena, &t->own, t, false);
            add_system(&plan, variant, arena, &t->share, t, true);
            add_system(&plan, variant, arena, &t->users, t, true);
        }
        if (linked.libraries.count)
            obb_arena_push(arena, &plan.groups, linked);
    }
    return plan;
}
