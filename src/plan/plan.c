#include "plan/plan.h"

#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "plan/context.h"
#include "toolchain/system.h"

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
        obb_vec_room(&plan->makers, file + 256);
        plan->makers.count = file + 256;
    }
    plan->makers.at[file] = action->number + 1;
}

/* --- actions ------------------------------------------------------------------------ */

static void set_maker(obb_plan_context *j, const obb_action *action, obb_file file)
{
    obb_plan *plan = j->plan;
    const obb_action *other = obb_plan_maker(plan, file);
    if (other) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, action->target->output_place,
                                "`%s` and `%s` would both make %s", other->target->name,
                                action->target->name, obb_files_path(plan->files, file));
        obb_also(j->diags, d, other->target->output_place, "the other one");
        obb_hint(j->diags, d, "give one of them another name: output NAME");
        return;
    }
    obb_plan_set_maker(plan, file, action);
}

obb_action *obb_context_action(obb_plan_context *j, obb_action_kind kind, const char *output)
{
    obb_plan *plan = j->plan;
    obb_action *a = obb_arena_alloc(plan->arena, sizeof *a);
    a->kind = kind;
    a->number = (uint32_t)plan->actions.count;
    a->target = j->target;
    a->variant = j->in->variant;
    a->output_word = a->root_word = SIZE_MAX;
    a->pending = OBB_NO_FILE;
    a->output = obb_files_number(plan->files, output);
    obb_arena_push(plan->arena, &plan->actions, a);
    set_maker(j, a, a->output);
    return a;
}

void obb_context_also(obb_plan_context *j, obb_action *a, const char *output)
{
    obb_file file = obb_files_number(j->plan->files, output);
    obb_arena_push(j->plan->arena, &a->also, file);
    set_maker(j, a, file);
}

void obb_context_beside(obb_plan_context *j, obb_action *a, const char *suffix, const obb_words *suffixes)
{
    const char *path = obb_files_path(j->plan->files, a->output);
    size_t n = strlen(path), m = strlen(suffix);
    if (n > m && strcmp(path + n - m, suffix) == 0)
        n -= m;
    for (size_t i = 0; i < suffixes->count; i++)
        obb_arena_push(j->plan->arena, &a->byproducts,
                       obb_files_number(j->plan->files, obb_arena_format(j->plan->arena, "%.*s%s", (int)n,
                                                                         path, suffixes->at[i])));
}

void obb_context_word(obb_plan_context *j, obb_action *a, const char *text)
{
    obb_arena_push(j->plan->arena, &a->argv, text);
}

void obb_context_words(obb_plan_context *j, obb_action *a, const obb_words *list)
{
    for (size_t i = 0; i < list->count; i++)
        obb_context_word(j, a, list->at[i]);
}

void obb_context_output_word(obb_plan_context *j, obb_action *a)
{
    a->output_word = a->argv.count;
    obb_context_word(j, a, obb_files_path(j->plan->files, a->output));
}

void obb_context_root_word(obb_plan_context *j, obb_action *a)
{
    a->root_word = a->argv.count;
    obb_context_word(j, a, obb_arena_format(j->plan->arena, "-fdebug-prefix-map=%s=.", j->plan->root));
}

void obb_context_input(obb_plan_context *j, obb_action *a, obb_file file)
{
    const obb_action *maker = obb_plan_maker(j->plan, file);
    obb_arena_push(j->plan->arena, &a->inputs, file);
    if (maker)
        obb_arena_push(j->plan->arena, &a->needs, maker->number);
}

void obb_context_finish(obb_plan_context *j, obb_action *a, const obb_tool *tool, const obb_fingerprint *more)
{
    static const char image[] = "obbligato image 1",
                      step[] = "obbligato step 1"; /* count up when these change */
    obb_fingerprint identity = tool      ? tool->identity
                               : a->step ? obb_fingerprint_of(step, sizeof step)
                                         : obb_fingerprint_of(image, sizeof image);
    if (more) {
        const obb_fingerprint both[] = {identity, *more};
        identity = obb_fingerprint_of(both, sizeof both);
    }
    obb_hasher *p = obb_hasher_new();
    for (size_t i = 0; i < a->argv.count; i++)
        obb_hasher_string(p, i == a->root_word ? OBB_ROOT_WORD : a->argv.at[i]);
    obb_hasher_add(p, &identity, sizeof identity);
    a->command = obb_hasher_end(p);
    a->tools = identity;
    a->tool = tool;
    obb_context_word(j, a, NULL);
    a->argv.count--;
}

const obb_tool *obb_context_tool(obb_plan_context *j, obb_role role)
{
    return obb_toolchain_need(j->in->toolchain, role,
                              obb_arena_format(j->plan->arena, "`%s` (%s)", j->target->name,
                                               j->in->variant->name),
                              j->target->place, j->diags);
}

/* --- targets ------------------------------------------------------------------------ */

/* Static libraries that end up in a shared one must be position-independent. */
static void mark_pic(const obb_variant *v, const obb_target *described, bool *pic)
{
    const obb_target *target = obb_in(v, described);
    if (target->kind != OBB_LIBRARY || pic[target->number])
        return;
    pic[target->number] = true;
    for (size_t i = 0; i < target->uses.count; i++)
        mark_pic(v, target->uses.at[i].target, pic);
}

static bool *find_pic(const obb_variant *v, obb_arena *arena)
{
    const obb_project *project = v->project;
    bool *pic = obb_arena_alloc(arena, project->targets.count + 1);
    for (size_t i = 0; i < project->targets.count; i++) {
        const obb_target *t = obb_in(v, project->targets.at[i]);
        if (t->kind == OBB_LIBRARY && t->library != OBB_STATIC && obb_has_sources(t))
            mark_pic(v, t, pic);
    }
    return pic;
}

static void take_metadata(obb_plan_context *j)
{
    for (size_t i = 0; i < j->settings.count; i++) {
        const obb_origin_setting *s = &j->settings.at[i];
        if (s->id == OBB_SET_METADATA && obb_context_tool(j, OBB_TOOL_C))
            obb_system_metadata(j->in->toolchain, s->value, s->place, j->target->name, j->diags,
                                &j->metadata_compile, &j->metadata_link);
    }
}

static void add_product(obb_plan_context *j, obb_product *product, const obb_action *a)
{
    obb_arena_push(j->plan->arena, &product->actions, a->number);
}

static void plan_target(obb_plan_context *j)
{
    obb_plan *plan = j->plan;
    const obb_target *t = j->target;
    obb_product product = {.target = plan->project->targets.at[t->number], .variant = j->in->variant};
    bool here = !obb_left_out(j->in->variant, t);
    if (here && t->kind == OBB_STEP && t->makes.count) {
        obb_plan_step(j, &product);
    } else if (here && t->kind != OBB_GROUP && (obb_has_sources(t) || t->kind == OBB_IMAGE)) {
        j->settings = obb_resolve(j->in->variant, t, NULL, plan->arena);
        take_metadata(j);
        obb_plan_compiles(j);
        if (t->kind == OBB_IMAGE)
            obb_plan_image(j, &product);
        if (t->kind == OBB_PROGRAM || t->kind == OBB_TEST)
            add_product(j, &product,
                        obb_plan_link(j, OBB_LINK_PROGRAM, obb_context_product_path(j, t, false)));
        if (t->kind == OBB_LIBRARY && t->library != OBB_SHARED)
            add_product(j, &product, obb_plan_archive(j, obb_context_product_path(j, t, false)));
        if (t->kind == OBB_LIBRARY && t->library != OBB_STATIC)
            add_product(j, &product,
                        obb_plan_link(j, OBB_LINK_LIBRARY, obb_context_product_path(j, t, true)));
    }
    obb_arena_push(plan->arena, &plan->products, product);
    j->in->products[t->number] = (uint32_t)plan->products.count;
    const obb_target *owner = here && t->after && product.actions.count ? t->owner : NULL;
    const obb_product *owned = owner && j->in->products[owner->number]
                                   ? &plan->products.at[j->in->products[owner->number] - 1]
                                   : NULL;
    for (size_t i = 0; owned && i < owned->actions.count;
         i++) /* who wants the target wants what stands behind it */
        obb_arena_push(plan->arena, &plan->actions.at[owned->actions.at[i]]->followers,
                       product.actions.at[0]);
}

/* What is used comes before its users, so that inputs know their makers. */
static void order_targets(const obb_variant *v, const obb_target *described, bool *placed, obb_arena *arena,
                          obb_target_list *order)
{
    const obb_target *t = obb_in(v, described);
    if (placed[t->number])
        return;
    placed[t->number] = true;
    for (size_t i = 0; i < t->uses.count; i++)
        order_targets(v, t->uses.at[i].target, placed, arena, order);
    for (size_t i = 0; i < t->tools.count; i++) /* where they are built in this very variant */
        order_targets(v, t->tools.at[i].target, placed, arena, order);
    obb_arena_push(arena, order, t);
}

static bool makes_header(const obb_variant *v, const obb_target *described)
{
    const obb_target *t = obb_in(v, described);
    for (size_t i = 0; t->kind == OBB_STEP && i < t->makes.count; i++)
        if (obb_is_header(t->makes.at[i].path) && !obb_left_out(v, t))
            return true;
    return false;
}

/* Plans one variant. The sources of all targets first: how a program links depends on what its
 * libraries are written in. */
static void plan_variant(obb_plan *plan, const obb_variant *v, bool chosen, const bool *wanted,
                         obb_diags *diags)
{
    obb_arena *arena = plan->arena;
    size_t n = plan->project->targets.count;
    obb_plan_variant *in = obb_arena_alloc(arena, sizeof *in);
    *in = (obb_plan_variant){.variant = v, .toolchain = obb_toolchains_for(plan->toolchains, v),
                             .folder = obb_variant_folder(arena, plan->out, v)};
    in->naming = obb_naming_for(obb_variant_value(v, OBB_AXIS_OS), in->toolchain);
    in->sources = obb_arena_alloc(arena, (n + 1) * sizeof *in->sources);
    in->sources_complete = obb_arena_alloc(arena, n + 1);
    in->pic = find_pic(v, arena);
    in->products = obb_arena_alloc(arena, (n + 1) * sizeof *in->products);
    in->chosen = chosen;
    for (size_t i = 0; i < n; i++)
        in->makes_headers = in->makes_headers || makes_header(v, plan->project->targets.at[i]);
    obb_arena_push(arena, &plan->variants, *in);
    obb_plan_texts(plan, in);
    bool *placed = obb_arena_alloc(arena, n + 1);
    obb_target_list order = {0};
    obb_diags *ignored = obb_diags_new();
    for (size_t i = 0; i < n; i++)
        order_targets(v, plan->project->targets.at[i], placed, arena, &order);
    size_t before = diags->list.count;
    for (size_t pass = 0; pass < 2 && (pass == 0 || diags->list.count == before); pass++)
        for (size_t i = 0; i < order.count; i++) {
            const obb_target *t = order.at[i];
            bool counts = !wanted || wanted[t->number] ||
                          (in->makes_headers && t->kind == OBB_STEP && !t->optional);
            bool here = !obb_left_out(v, t);
            if (plan->scope && !(pass ? plan->scope->planned : plan->scope->known)[t->number])
                continue;
            obb_plan_context context = {.plan = plan,
                                        .in = in,
                                        .target = t,
                                        .diags = counts ? diags : ignored};
            if (pass)
                plan_target(&context);
            else if (here && counts)
                obb_report_refusals(v, t, diags);
            if (!pass && here)
                obb_plan_check_sources(&context);
        }
    obb_diags_free(ignored);
}

/* The variant of the tools, when some step runs one; what is wanted of it is added. */
static const obb_variant *find_tools(obb_plan *plan, const obb_variant *const *variants, size_t count,
                                     bool *const *wanted_targets, bool *tools, obb_diags *diags)
{
    const obb_variant *home = NULL;
    for (size_t i = 0; i < plan->project->targets.count; i++)
        if (!home && plan->project->targets.at[i]->tools.count)
            home = obb_project_variant_named(variants[0]->project, OBB_TOOLS_VARIANT, NULL, OBB_NOWHERE,
                                             diags);
    for (size_t v = 0; home && v < count; v++)
        for (size_t i = 0; i < plan->project->targets.count; i++) {
            const obb_target *t = obb_in(variants[v], plan->project->targets.at[i]);
            bool counts = !wanted_targets || wanted_targets[v][i] ||
                          (!t->optional && makes_header(variants[v], t));
            for (size_t k = 0; counts && k < t->tools.count && !obb_left_out(variants[v], t); k++)
                obb_want_target(home, t->tools.at[k].target, tools);
        }
    return home;
}

static const char *working_folder(obb_arena *arena)
{
    char root[4096];
    return obb_arena_string(arena, getcwd(root, sizeof root) ? root : ".");
}

obb_plan *obb_plan_make(obb_arena *arena, const obb_project *project, obb_files *files,
                        obb_toolchains *toolchains, obb_scanner *scanner, const char *out,
                        const obb_variant *const *variants, size_t variant_count,
                        bool *const *wanted_targets, const obb_plan_scope *scope, obb_diags *diags)
{
    obb_plan *plan = obb_arena_alloc(arena, sizeof *plan);
    *plan = (obb_plan){.arena = arena,
                       .project = project,
                       .files = files,
                       .toolchains = toolchains,
                       .scanner = scanner,
                       .out = out,
                       .root = working_folder(arena),
                       .scope = scope};
    plan->common_sources = obb_arena_alloc(arena,
                                           (project->targets.count + 1) * sizeof *plan->common_sources);
    for (size_t v = 0; v < variant_count; v++)
        obb_check_circles(variants[v], diags);
    bool *tools = obb_arena_alloc(arena, project->targets.count + 1), chosen = false;
    const obb_variant *home = variant_count
                                  ? find_tools(plan, variants, variant_count, wanted_targets, tools, diags)
                                  : NULL;
    bool sound = obb_diags_fault(diags) == OBB_FAULT_NONE;
    plan->tools_variant = home;
    for (size_t v = 0; v < variant_count && home; v++) {
        for (size_t i = 0; variants[v] == home && wanted_targets && i < project->targets.count; i++)
            tools[i] = tools[i] || wanted_targets[v][i];
        chosen = chosen || variants[v] == home;
    }
    if (home && sound) /* first: steps of the others need to know who makes their tools */
        plan_variant(plan, home, chosen, wanted_targets || !chosen ? tools : NULL, diags);
    for (size_t v = 0; v < variant_count && sound; v++)
        if (variants[v] != home)
            plan_variant(plan, variants[v], true, wanted_targets ? wanted_targets[v] : NULL, diags);
    for (size_t i = 0; i < plan->actions.count; i++)
        if (plan->actions.at[i]->kind == OBB_RUN_STEP)
            obb_plan_mark_pending(plan, plan->actions.at[i]);
    return plan;
}

void obb_plan_free(obb_plan *plan)
{
    if (plan)
        obb_vec_free(&plan->makers);
    if (plan)
        obb_vec_free(&plan->precompiled);
}

/* --- wanting ------------------------------------------------------------------------ */

void obb_want_target(const obb_variant *variant, const obb_target *target, bool *wanted_targets)
{
    const obb_target *here = obb_in(variant, target);
    if (wanted_targets[here->number] || obb_left_out(variant, here))
        return;
    wanted_targets[here->number] = true;
    for (size_t i = 0; i < here->uses.count; i++)
        obb_want_target(variant, here->uses.at[i].target, wanted_targets);
}

const obb_plan_variant *obb_plan_variant_of(const obb_plan *plan, const obb_variant *variant)
{
    for (size_t i = 0; i < plan->variants.count; i++)
        if (plan->variants.at[i].variant == variant)
            return &plan->variants.at[i];
    return NULL;
}

static const obb_product *product_of(const obb_plan *plan, const obb_target *target,
                                     const obb_variant *variant)
{
    const obb_plan_variant *in = obb_plan_variant_of(plan, variant);
    return in && in->products[target->number] ? &plan->products.at[in->products[target->number] - 1] : NULL;
}

const obb_action *obb_plan_product(const obb_plan *plan, const obb_target *target, const obb_variant *variant)
{
    const obb_product *p = product_of(plan, target, variant);
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

bool obb_plan_want_action(const obb_plan *plan, uint32_t number, bool *wanted)
{
    if (wanted[number])
        return false;
    wanted[number] = true;
    const obb_action *a = plan->actions.at[number];
    for (size_t i = 0; i < a->needs.count; i++)
        obb_plan_want_action(plan, a->needs.at[i], wanted);
    for (size_t i = 0; i < a->followers.count; i++)
        obb_plan_want_action(plan, a->followers.at[i], wanted);
    return true;
}

void obb_plan_want(const obb_plan *plan, const obb_target *target, const obb_variant *variant,
                   bool *wanted)
{
    const obb_target *here = obb_in(variant, target);
    if (obb_left_out(variant, here))
        return;
    const obb_product *product = product_of(plan, here, variant);
    for (size_t k = 0; product && k < product->actions.count; k++)
        obb_plan_want_action(plan, product->actions.at[k], wanted);
    for (size_t i = 0; here->kind == OBB_TEST && i < here->uses.count; i++) /* what its words name */
        if (here->uses.at[i].target->kind != OBB_LIBRARY)
            obb_plan_want(plan, here->uses.at[i].target, variant, wanted);
    for (size_t i = 0; here->kind == OBB_TEST && i < here->tools.count; i++)
        obb_plan_want(plan, here->tools.at[i].target, plan->tools_variant, wanted);
    if (here->kind == OBB_GROUP || here->tested || (here->kind == OBB_LIBRARY && !obb_has_sources(here)))
        for (size_t i = 0; i < here->uses.count; i++)
            obb_plan_want(plan, here->uses.at[i].target, variant, wanted);
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

obb_source_name obb_plan_source_name(const obb_plan *plan, const obb_plan_variant *in, obb_file source)
{
    const char *path = obb_files_path(plan->files, source);
    return (obb_source_name){path, obb_path_within(path, in->folder) ? path + strlen(in->folder) + 1 : NULL};
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
