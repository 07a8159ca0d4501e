/* From the request to a plan (build/planning.h).
 *
 * Files whose contents were asked for before the scan (descriptions, metadata files) decide the plan itself
 * and are noted as fixed: when one of them changes, no serialized plan holds. All other inputs only decide
 * what is carried out. */
#include "build/planning.h"

#include <string.h>

#include "plan/planner.h"
#include "run/recall.h"

/* --- what is left out --------------------------------------------------------------- */

static int refuse_left_out(obb_workspace *w, const obb_target *t)
{
    obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`%s` does not exist in %s", t->name,
                            w->variants.count == 1 ? w->variants.at[0]->name : "any of the chosen variants");
    for (size_t v = 0; v < w->variants.count; v++)
        obb_also(w->diags, d, t->place, "%s: only %s", w->variants.at[v]->name,
                 obb_left_out(w->variants.at[v], t));
    obb_hint(w->diags, d, "choose another variant: -p PLATFORM; `obbligato show platforms` lists them");
    return obb_workspace_tell(w);
}

/* The targets that are meant, with the members of groups in place of the groups. */
static void add_meant(obb_workspace *w, const obb_target *t, bool *seen, obb_target_list *meant)
{
    if (seen[t->number])
        return;
    seen[t->number] = true;
    if (t->kind != OBB_GROUP)
        obb_arena_push(w->arena, meant, t);
    for (size_t i = 0; t->kind == OBB_GROUP && i < t->uses.count; i++)
        add_meant(w, t->uses.at[i].target, seen, meant);
}

/* For a variant and a reason: all targets, from the first one on, that are left out for it. */
static void list_reason(obb_workspace *w, const obb_target_list *meant, const obb_variant *v, size_t first,
                        const char *reason, obb_words *left_out)
{
    obb_text names = {0};
    for (size_t i = first; i < meant->count; i++)
        if (obb_same(obb_left_out(v, meant->at[i]), reason))
            obb_text_format(&names, "%s%s", i > first ? ", " : "", meant->at[i]->name);
    obb_arena_push(w->arena, left_out, obb_arena_string(w->arena, names.bytes));
    obb_arena_push(w->arena, left_out, v->name);
    obb_arena_push(w->arena, left_out, reason);
    obb_text_free(&names);
}

void obb_list_left_out(obb_workspace *w, obb_words *left_out)
{
    obb_target_list meant = {0};
    bool *seen = obb_arena_alloc(w->arena, w->project->targets.count + 1);
    for (size_t i = 0; i < w->targets.count; i++)
        add_meant(w, w->targets.at[i], seen, &meant);
    for (size_t v = 0; v < w->variants.count; v++) {
        obb_map listed = {0};
        for (size_t i = 0; i < meant.count; i++) {
            const char *reason = obb_left_out(w->variants.at[v], meant.at[i]);
            if (reason && !obb_map_put(&listed, reason, w))
                list_reason(w, &meant, w->variants.at[v], i, reason, left_out);
        }
        obb_map_free(&listed);
    }
}

int obb_check_left_out(obb_workspace *w)
{
    for (size_t i = 0; i < w->targets.count && w->request->names.count; i++)
        if (obb_left_out_everywhere(w, w->targets.at[i]))
            return refuse_left_out(w, w->targets.at[i]);
    return 0;
}

/* --- the plan ----------------------------------------------------------------------- */

/* Files whose contents were asked for before the scan decide the plan itself. */
static void note_fixed(obb_workspace *w)
{
    w->planning.fixed_count = obb_files_count(w->files);
    w->planning.fixed = obb_arena_alloc(w->arena, w->planning.fixed_count + 1);
    for (obb_file f = 0; f < w->planning.fixed_count; f++)
        w->planning.fixed[f] = obb_files_cached_stat(w->files, f).hashed;
}

void obb_want_targets(obb_workspace *w)
{
    w->planning.wanted_targets = obb_arena_alloc(w->arena, (w->variants.count + 1) *
                                                               sizeof *w->planning.wanted_targets);
    for (size_t v = 0; v < w->variants.count; v++) {
        w->planning.wanted_targets[v] = obb_arena_alloc(w->arena, w->project->targets.count + 1);
        for (size_t i = 0; i < w->targets.count; i++)
            obb_want_target(w->variants.at[v], w->targets.at[i], w->planning.wanted_targets[v]);
    }
}

void obb_take_plan(obb_workspace *w, const obb_plan *plan)
{
    w->plan = plan;
    w->dependencies = obb_dependency_table_new(plan);
}

obb_plan_input obb_plan_input_of(const obb_workspace *w, const obb_plan_scope *scope)
{
    return (obb_plan_input){.arena = w->arena, .project = w->project, .files = w->files,
                            .toolchains = w->toolchains, .scanner = w->scanner, .out = w->out,
                            .variants = w->variants.at, .variant_count = w->variants.count,
                            .wanted_targets = w->planning.wanted_targets, .scope = scope};
}

obb_plan *obb_plan_targets(obb_workspace *w, const obb_plan_scope *scope)
{
    const obb_plan_input input = obb_plan_input_of(w, scope);
    obb_plan *plan = obb_plan_make(&input, w->diags);
    obb_take_plan(w, plan);
    w->wanted = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    for (size_t v = 0; v < w->variants.count; v++)
        for (size_t i = 0; i < w->targets.count; i++)
            obb_want(w->dependencies, w->targets.at[i], w->variants.at[v], w->wanted);
    note_fixed(w);
    return plan;
}

int obb_plan_everything(obb_workspace *w)
{
    const obb_plan_input input = obb_plan_input_of(w, NULL);
    obb_take_plan(w, obb_plan_make(&input, w->diags));
    return obb_workspace_tell(w);
}

obb_fingerprint obb_wanted_fingerprint(const obb_workspace *w)
{
    obb_hasher *p = obb_hasher_new();
    for (size_t v = 0; v < w->variants.count; v++) {
        obb_hasher_string(p, w->variants.at[v]->name);
        obb_hasher_add(p, w->planning.wanted_targets[v], w->project->targets.count);
    }
    return obb_hasher_end(p);
}

int obb_make_plan(obb_workspace *w)
{
    obb_want_targets(w);
    obb_plan_targets(w, NULL);
    bool trouble = obb_toolchains_tell_trouble(w->toolchains, w->diags);
    int code = obb_workspace_tell(w);
    if (trouble || code != OBB_FAULT_OUTSIDE || !w->request->keep_going)
        return code;
    w->missing = code; /* the other variants go on */
    return 0;
}

static int scan(obb_workspace *w, bool recall)
{
    obb_recaller recaller = {.state = w->state, .files = w->files};
    obb_workspace_phase(w, "reading what the sources include");
    obb_scan_wanted(w->dependencies, w->wanted, obb_scan_records(&recaller, recall), w->diags);
    obb_workspace_phase(w, "");
    obb_toolchains_tell_trouble(w->toolchains, w->diags);
    return obb_workspace_tell(w);
}

int obb_scan_all(obb_workspace *w)
{
    bool *wanted = w->wanted, *also = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    obb_plan_believe(w->plan);
    memcpy(also, wanted, w->plan->actions.count);
    w->wanted = also; /* what the scan finds to be needed besides was not asked for */
    int code = scan(w, false);
    w->wanted = wanted;
    return code;
}

int obb_scan_changed(obb_workspace *w)
{
    return scan(w, true);
}

int obb_plan_request(obb_workspace *w)
{
    int code = w->project ? 0 : obb_workspace_read_project(w);
    if (!code)
        code = obb_workspace_open_state(w, false);
    if (!code && !w->variants.count)
        code = obb_workspace_choose_variants(w);
    if (!code && !w->targets.count)
        code = obb_workspace_choose_targets(w);
    if (!code)
        code = obb_check_left_out(w);
    return code ? code : obb_make_plan(w);
}
