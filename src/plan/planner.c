/* From a project to a plan (planner.h): variant by variant, and in each first the sources of all targets,
 * then the actions of one target after the other.
 *
 * Order matters twice: used targets are planned before their users, and the variant of the tools before all
 * others, so that every action finds the makers of its inputs. Targets that are not wanted are planned as
 * well, with their diagnostics dropped. */
#include "plan/planner.h"

#include <string.h>
#include <unistd.h>

#include "plan/context.h"
#include "plan/dependencies.h"

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

static void add_product(obb_plan_context *j, obb_product *product, const obb_action *a)
{
    obb_arena_push(j->plan->arena, &product->actions, a->number);
}

/* Who wants a target wants what it needs at run time. */
static void bring_needed(const obb_plan_context *j, const obb_product *product)
{
    for (size_t i = 0; i < j->target->uses.count; i++) {
        const obb_product *needed = j->target->uses.at[i].at_run_time
                                        ? obb_plan_product_of(j->plan, j->target->uses.at[i].target,
                                                              j->in->variant)
                                        : NULL;
        for (size_t k = 0; needed && k < needed->actions.count; k++)
            for (size_t n = 0; n < product->actions.count; n++)
                obb_arena_push(j->plan->arena, &j->plan->actions.at[product->actions.at[n]]->followers,
                               needed->actions.at[k]);
    }
}

static void plan_target(obb_plan_context *j)
{
    obb_plan *plan = j->unfinished;
    const obb_target *t = j->target;
    obb_product product = {.target = plan->project->targets.at[t->number], .variant = j->in->variant};
    bool here = !obb_left_out(j->in->variant, t);
    if (here && t->executable.text) {
        const obb_action *made = obb_plan_maker(plan,
                                                obb_files_number(plan->files,
                                                                 obb_context_product_path(j, t, false)));
        if (made)
            add_product(j, &product, made);
    } else if (here && t->kind == OBB_STEP && t->makes.count) {
        obb_plan_step(j, &product);
    } else if (here && t->kind != OBB_GROUP && (obb_has_sources(t) || t->kind == OBB_IMAGE)) {
        j->settings = obb_resolve(j->in->variant, t, NULL, plan->arena);
        obb_context_check_facts(j, &j->settings);
        obb_context_take_metadata(j);
        obb_plan_compiles(j);
        if (t->kind == OBB_IMAGE)
            obb_plan_image(j, &product);
        if (t->kind == OBB_PROGRAM || t->kind == OBB_TEST)
            add_product(j, &product,
                        obb_plan_link(j, OBB_LINK_PROGRAM, obb_context_product_path(j, t, false)));
        if (t->kind == OBB_LIBRARY && t->library != OBB_SHARED && t->library != OBB_PLUG_IN)
            add_product(j, &product, obb_plan_archive(j, obb_context_product_path(j, t, false)));
        if (t->kind == OBB_LIBRARY && t->library != OBB_STATIC)
            add_product(j, &product,
                        obb_plan_link(j, OBB_LINK_LIBRARY, obb_context_product_path(j, t, true)));
    }
    obb_arena_push(plan->arena, &plan->products, product);
    j->in->products[t->number] = (uint32_t)plan->products.count;
    if (here)
        bring_needed(j, &product);
    const obb_target *owner = here && t->after && product.actions.count ? t->owner : NULL;
    const obb_product *owned = owner && j->in->products[owner->number]
                                   ? &plan->products.at[j->in->products[owner->number] - 1]
                                   : NULL;
    for (size_t i = 0; owned && i < owned->actions.count;
         i++) /* wanting the target is wanting the steps behind it */
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
        if (!t->uses.at[i].only_words)
            order_targets(v, t->uses.at[i].target, placed, arena, order);
    for (size_t i = 0; i < t->tools.count; i++) /* where they are built in this very variant */
        order_targets(v, t->tools.at[i].target, placed, arena, order);
    obb_arena_push(arena, order, t);
}

/* One variant while it is planned. */
typedef struct variant_planner {
    obb_plan *plan;
    obb_plan_variant *in;
    const bool *wanted;   /* by target number; NULL: all */
    obb_target_list order; /* what others use stands before them */
    obb_diags *diags, *ignored; /* of targets that count; of the others */
} variant_planner;

/* Whether what is missing for a target is an error. */
static bool counts(const variant_planner *p, const obb_target *t)
{
    return !p->wanted || p->wanted[t->number] ||
           (p->in->makes_headers && t->kind == OBB_STEP && !t->optional);
}

static obb_plan_context context_of(const variant_planner *p, const obb_target *t)
{
    return (obb_plan_context){.plan = p->plan,
                              .unfinished = p->plan,
                              .in = p->in,
                              .target = t,
                              .diags = counts(p, t) ? p->diags : p->ignored};
}

/* The sources of all targets come first: how a program links depends on what its libraries are written in. */
static void find_sources(const variant_planner *p)
{
    for (size_t i = 0; i < p->order.count; i++) {
        const obb_target *t = p->order.at[i];
        if ((p->plan->scope && !p->plan->scope->known[t->number]) || obb_left_out(p->in->variant, t))
            continue;
        obb_plan_context context = context_of(p, t);
        if (counts(p, t))
            obb_report_refusals(p->in->variant, t, p->diags);
        obb_plan_check_sources(&context);
    }
}

/* A scan may find that what a step makes is needed, though nothing names the step. */
static void defer_error(obb_plan *plan, size_t first, const obb_diag *d)
{
    obb_deferred_error *e = obb_arena_alloc(plan->arena, sizeof *e);
    *e = (obb_deferred_error){.fault = d->fault,
                              .place = d->place,
                              .message = obb_arena_string(plan->arena, d->message),
                              .hint = d->hint ? obb_arena_string(plan->arena, d->hint) : NULL};
    for (size_t i = first; i < plan->actions.count; i++)
        if (plan->actions.at[i]->stated.broken)
            plan->actions.at[i]->stated.deferred = e;
}

static void plan_targets(const variant_planner *p)
{
    for (size_t i = 0; i < p->order.count; i++) {
        obb_plan_context context = context_of(p, p->order.at[i]);
        size_t told = p->ignored->list.count, first = p->plan->actions.count;
        if (!p->plan->scope || p->plan->scope->planned[p->order.at[i]->number])
            plan_target(&context);
        if (p->ignored->list.count > told)
            defer_error(p->plan, first, p->ignored->list.at[told]);
    }
}

static obb_plan_variant *new_variant(obb_plan *plan, const obb_variant *v, bool chosen)
{
    obb_arena *arena = plan->arena;
    size_t n = plan->project->targets.count;
    obb_plan_variant *in = obb_arena_alloc(arena, sizeof *in);
    *in = (obb_plan_variant){.variant = v, .toolchain = obb_toolchains_for(plan->toolchains, v),
                             .folder = obb_variant_folder(arena, plan->out, v), .chosen = chosen};
    in->naming = obb_naming_for(v, in->toolchain);
    in->sources = obb_arena_alloc(arena, (n + 1) * sizeof *in->sources);
    in->sources_complete = obb_arena_alloc(arena, n + 1);
    in->pic = find_pic(v, arena);
    in->products = obb_arena_alloc(arena, (n + 1) * sizeof *in->products);
    for (size_t i = 0; i < n; i++)
        in->makes_headers = in->makes_headers || (!plan->project->targets.at[i]->place.scope &&
                                                  obb_makes_header(v, plan->project->targets.at[i]));
    obb_arena_push(arena, &plan->variants, *in);
    return in;
}

static void plan_variant(obb_plan *plan, const obb_variant *v, bool chosen, const bool *wanted,
                         obb_diags *diags)
{
    variant_planner p = {.plan = plan, .in = new_variant(plan, v, chosen), .wanted = wanted, .diags = diags,
                         .ignored = obb_diags_new()};
    bool *placed = obb_arena_alloc(plan->arena, plan->project->targets.count + 1);
    size_t before = diags->list.count;
    obb_plan_texts(plan, p.in, diags);
    for (size_t i = 0; i < plan->project->targets.count; i++)
        order_targets(v, plan->project->targets.at[i], placed, plan->arena, &p.order);
    find_sources(&p);
    if (diags->list.count == before)
        plan_targets(&p);
    obb_diags_free(p.ignored);
}

/* --- which variants, in which order ------------------------------------------------- */

/* A variant that is chosen, or of which targets that are wanted run tools or name products. */
typedef struct entry {
    const obb_variant *variant;
    bool chosen, begun;
    bool *wanted;       /* by target number; NULL: all */
    obb_variants needs; /* are planned before it: steps must know who makes what they name */
} entry;

typedef struct entries {
    obb_plan *plan;
    obb_diags *diags;
    OBB_VEC(entry *) list;
    bool grown; /* something more is wanted */
} entries;

static entry *entry_of(entries *e, const obb_variant *v)
{
    for (size_t i = 0; i < e->list.count; i++)
        if (e->list.at[i]->variant == v)
            return e->list.at[i];
    entry *made = obb_arena_alloc(e->plan->arena, sizeof *made);
    *made = (entry){.variant = v,
                    .wanted = obb_arena_alloc(e->plan->arena, e->plan->project->targets.count + 1)};
    obb_arena_push(e->plan->arena, &e->list, made);
    e->grown = true;
    return made;
}

static void add_need(entries *e, entry *user, const obb_variant *needed)
{
    for (size_t i = 0; i < user->needs.count; i++)
        if (user->needs.at[i] == needed)
            return;
    if (needed != user->variant)
        obb_arena_push(e->plan->arena, &user->needs, needed);
}

/* Wants what the targets that are wanted here run and name elsewhere. Words of tests are read when all is
 * planned. */
static void follow(entries *e, entry *here)
{
    const obb_project *project = e->plan->project;
    const obb_variant *v = here->variant;
    for (size_t i = 0; i < project->targets.count; i++) {
        const obb_target *t = project->targets.at[i];
        if (!t->tools.count)
            continue;
        t = obb_in(v, t);
        bool counts = !here->wanted || here->wanted[i] || (!t->optional && obb_makes_header(v, t));
        for (size_t k = 0; counts && k < t->tools.count && !obb_left_out(v, t); k++) {
            const obb_target *named = t->tools.at[k].target;
            const obb_variant *there = obb_variant_of_use(&t->tools.at[k], v, e->plan->tools_variant,
                                                          e->diags);
            entry *other = there ? entry_of(e, there) : NULL;
            if (other && t->kind != OBB_TEST)
                add_need(e, here, there);
            if (!other || !other->wanted || other->wanted[named->number] || obb_left_out(there, named))
                continue;
            obb_want_target(there, named, other->wanted);
            e->grown = true;
        }
    }
}

static void plan_entry(entries *e, entry *one)
{
    if (one->begun)
        return;
    one->begun = true;
    for (size_t i = 0; i < one->needs.count; i++)
        plan_entry(e, entry_of(e, one->needs.at[i]));
    plan_variant(e->plan, one->variant, one->chosen, one->wanted, e->diags);
}

/* A target in a variant, and what it needs there and elsewhere. */
typedef struct walk {
    obb_plan *plan;
    const obb_action *sought; /* a step */
    bool *seen;               /* by variant and target number */
    obb_diags *told;          /* when the variants were looked for */
} walk;

static bool needs_step(walk *w, const obb_variant *v, const obb_target *described)
{
    const obb_target *t = obb_in(v, described);
    const obb_plan_variant *in = obb_plan_variant_of(w->plan, v);
    if (v == w->sought->variant && t->number == w->sought->target->number)
        return true;
    bool *seen =
        in ? &w->seen[(size_t)(in - w->plan->variants.at) * w->plan->project->targets.count + t->number]
           : NULL;
    if (!in || *seen || obb_left_out(v, t))
        return false;
    *seen = true;
    for (size_t i = 0; i < t->uses.count; i++)
        if (!t->uses.at[i].only_words && needs_step(w, v, t->uses.at[i].target))
            return true;
    for (size_t i = 0; i < t->tools.count; i++) {
        const obb_variant *there = obb_variant_of_use(&t->tools.at[i], v, w->plan->tools_variant, w->told);
        if (there && needs_step(w, there, t->tools.at[i].target))
            return true;
    }
    return false;
}

static bool is_circle(obb_plan *plan, const obb_late_need *late)
{
    walk w = {.plan = plan,
              .sought = late->action,
              .seen = obb_arena_alloc(plan->arena, plan->variants.count * plan->project->targets.count),
              .told = obb_diags_new()};
    bool is = needs_step(&w, late->variant, late->target);
    obb_diags_free(w.told);
    return is;
}

static void defer_unplanned(obb_plan *plan, const obb_late_need *late)
{
    obb_deferred_error *e = obb_arena_alloc(plan->arena, sizeof *e);
    const char *step = late->action->target->name;
    *e = (obb_deferred_error){
        .fault = OBB_FAULT_DESCRIPTION,
        .place = late->place,
        .message = obb_arena_format(plan->arena,
                                    "a source includes what `%s` makes of {%s}, but no target uses `%s`",
                                    step, late->as, step),
        .hint = obb_arena_format(plan->arena, "add it to the target of the source: uses %s", step)};
    late->action->stated.deferred = e;
}

/* Who makes what was named before its variant was planned. Where that was not planned at all, nothing that is
 * wanted names it. */
static void bind_late(obb_plan *plan, obb_diags *diags)
{
    for (size_t i = 0; i < plan->late.count; i++) {
        const obb_late_need *late = &plan->late.at[i];
        const obb_action *maker = obb_plan_maker(plan, late->file);
        bool circle = maker && is_circle(plan, late);
        if (maker && !circle) {
            obb_arena_push(plan->arena, &late->action->stated.needs, maker->number);
            continue;
        }
        late->action->stated.broken = true;
        if (!maker && !obb_plan_variant_of(plan, late->variant)) {
            defer_unplanned(plan, late);
            continue;
        }
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, late->place,
                                circle ? "`%s` in %s needs {%s}, and that needs what it makes itself"
                                       : "`%s` in %s needs {%s}, which makes nothing",
                                late->action->target->name, late->action->variant->name, late->as);
        if (circle)
            obb_hint(diags, d, "what a step reads must not need what the step makes");
    }
}

static bool runs_tools(const obb_project *project)
{
    for (size_t i = 0; i < project->targets.count; i++)
        for (size_t k = 0; k < project->targets.at[i]->tools.count; k++)
            if (!project->targets.at[i]->tools.at[k].variant)
                return true;
    return false;
}

static void plan_variants(obb_plan *plan, const obb_plan_input *in, obb_diags *diags)
{
    entries e = {.plan = plan, .diags = diags};
    size_t targets = plan->project->targets.count;
    if (in->variant_count && runs_tools(plan->project))
        plan->tools_variant = obb_project_variant_named(in->variants[0]->project, OBB_TOOLS_VARIANT, NULL,
                                                        OBB_NOWHERE, diags);
    if (plan->tools_variant)
        entry_of(&e, plan->tools_variant);
    for (size_t v = 0; v < in->variant_count; v++) {
        entry *chosen = entry_of(&e, in->variants[v]);
        chosen->chosen = true;
        for (size_t i = 0; in->wanted_targets && i < targets; i++)
            chosen->wanted[i] = in->wanted_targets[v][i];
        if (!in->wanted_targets)
            chosen->wanted = NULL;
    }
    do {
        e.grown = false;
        for (size_t i = 0; i < e.list.count; i++)
            follow(&e, e.list.at[i]);
    } while (e.grown);
    if (obb_diags_fault(diags) != OBB_FAULT_NONE)
        return;
    for (size_t i = 0; i < e.list.count; i++) /* a variant without a compiler does not stop the others */
        plan_entry(&e, e.list.at[i]);
    bind_late(plan, diags);
}

const char *obb_plan_root(obb_arena *arena)
{
    char root[4096];
    return obb_arena_string(arena, getcwd(root, sizeof root) ? root : ".");
}

obb_plan *obb_plan_make(const obb_plan_input *in, obb_diags *diags)
{
    obb_arena *arena = in->arena;
    obb_plan *plan = obb_arena_alloc(arena, sizeof *plan);
    size_t targets = in->project->targets.count + 1;
    *plan = (obb_plan){.arena = arena,
                       .project = in->project,
                       .files = in->files,
                       .toolchains = in->toolchains,
                       .scanner = in->scanner,
                       .out = in->out,
                       .root = obb_plan_root(arena),
                       .scope = in->scope};
    plan->common_sources = obb_arena_alloc(arena, targets * sizeof *plan->common_sources);
    for (size_t v = 0; v < in->variant_count; v++)
        obb_check_circles(in->variants[v], diags);
    if (obb_diags_fault(diags) == OBB_FAULT_NONE)
        plan_variants(plan, in, diags);
    for (size_t i = 0; i < plan->actions.count; i++)
        if (plan->actions.at[i]->kind == OBB_RUN_STEP)
            obb_plan_mark_pending(plan, plan->actions.at[i]);
    return plan;
}
