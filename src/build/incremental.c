/* Planning and building only what changed files and edited descriptions reach (build/incremental.h).
 *
 * What the subplan does not cover (a file of the output folder that it neither makes nor knew before, a
 * diagnostic of any kind) sends the build to the full way, which knows better what to say. */
#include "build/incremental.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "build/budgets.h"
#include "build/outputs.h"
#include "build/planning.h"
#include "run/recall.h"

enum { MOST_EARLY = 100 };

/* Whether all files of the output folder that an action reads are made by the subplan or were known before:
 * otherwise they may be made by a step that the serialized plan does not have. */
static bool is_explained(void *self, const obb_action *a)
{
    const obb_subplan *p = self;
    const obb_workspace *w = p->b->w;
    const obb_dependencies *d = obb_dependencies_of(w->dependencies, a);
    for (size_t k = 0; a->options && k < d->inputs.count; k++) {
        const char *path = obb_files_path(w->files, d->inputs.at[k]);
        obb_file kept;
        if (obb_path_is_output(path, w->out) && !obb_plan_maker(w->plan, d->inputs.at[k]) &&
            !obb_snapshot_knows(p->snapshot, path, &kept))
            return false;
    }
    return true;
}

/* Opens as much of the state as a subplan needs; false when another build has ended since. */
static bool open_state(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    if (p->opened)
        return true;
    w->state = obb_state_open_partial(w->out, w->files);
    if (!w->state || !obb_snapshot_is_current(p->snapshot))
        return false;
    w->toolchains = obb_toolchains_new(w->arena, w->files, obb_state_memo(w->state));
    w->scanner = obb_scanner_new(w->files);
    p->opened = true;
    return true;
}

static bool scan(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_recaller recaller = {.state = w->state, .files = w->files};
    obb_scan_wanted(w->dependencies, w->wanted, obb_scan_records(&recaller, true), w->diags);
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (!is_explained(p, w->plan->actions.at[i]))
            return false;
    return !w->diags->list.count;
}

/* --- contents of files -------------------------------------------------------------- */

static bool plan_changed(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_words names = {0};
    if (!open_state(p))
        return false;
    const obb_plan_input input = obb_plan_input_of(w, NULL);
    obb_take_plan(w, obb_serialized_plan_subplan(p->kept, &p->files_of, &input));
    w->wanted = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    memset(w->wanted, true, w->plan->actions.count);
    obb_serialized_plan_variants(p->kept, w->arena, &names);
    for (size_t i = 0; i < names.count; i++) {
        obb_variant *v = obb_arena_alloc(w->arena, sizeof *v);
        v->name = names.at[i];
        obb_arena_push(w->arena, &w->variants, v);
    }
    return obb_serialized_plan_is_sound(p->kept) && scan(p);
}

/* Leaves the workspace as new. */
static void give_up(obb_subplan *p)
{
    p->opened = false;
    obb_workspace_renew(p->b->w);
}

static void take_changed(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    p->tried = true;
    p->taken = plan_changed(p);
    if (p->taken)
        p->forecast = obb_forecast(w->arena, w->state, w->dependencies, w->wanted);
    else
        give_up(p);
}

/* --- edited descriptions ------------------------------------------------------------ */

/* Reads the project; false when an edited file is not one of its descriptions. Messages are left to the full
 * way. */
static bool read_edited(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_workspace_read_descriptions(w);
    for (size_t i = 0; i < p->edited.count; i++) {
        const char *path = obb_snapshot_path(p->snapshot, p->edited.at[i]);
        size_t k = 0;
        while (k < w->project->descriptions.count && strcmp(w->project->descriptions.at[k], path) != 0)
            k++;
        if (k == w->project->descriptions.count)
            return false;
    }
    return !w->diags->list.count && obb_fetch_is_settled(w->arena, w->project, w->files);
}

/* Removed before the scan, like all that is stale. */
static void drop(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_file_list made = {0};
    obb_serialized_plan_list_dropped(p->kept, &p->files_of, w->plan, &made);
    for (size_t i = 0; i < made.count; i++)
        if (!obb_plan_maker(w->plan, made.at[i]))
            obb_arena_push(w->arena, &p->dropped, made.at[i]);
    obb_drop_outputs(p->b, &p->dropped);
}

/* The targets that the edit reaches are planned again, as the first actions of the plan. */
static bool plan_edited(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    if (!open_state(p) || !read_edited(p) || !obb_serialized_plan_is_whole(p->kept) ||
        !obb_serialized_plan_fits(p->kept, w->project) || obb_workspace_choose_variants(w) ||
        obb_workspace_choose_targets(w))
        return false;
    obb_plan_scope *scope = obb_arena_alloc(w->arena, sizeof *scope);
    scope->planned = obb_arena_alloc(w->arena, w->project->targets.count + 1);
    scope->known = obb_arena_alloc(w->arena, w->project->targets.count + 1);
    scope->moved = p->moved;
    obb_want_targets(w);
    const obb_plan_input input = obb_plan_input_of(w, scope);
    if (!obb_serialized_plan_compare(p->kept, &input, obb_wanted_fingerprint(w)))
        return false;
    w->planning.edited = true;
    w->planning.planned_targets = 0;
    for (size_t i = 0; i < w->project->targets.count; i++)
        w->planning.planned_targets += scope->planned[i];
    if (p->moved.count && !w->planning.planned_targets)
        return false;
    obb_plan *plan = obb_plan_targets(w, scope);
    if (w->diags->list.count ||
        !obb_serialized_plan_replace(p->kept, w->plan, w->wanted, scope->planned, &p->files_of))
        return false;
    w->planning.planned = w->plan->actions.count;
    obb_serialized_plan_join(p->kept, &p->files_of, plan);
    obb_take_plan(w, plan);
    bool *wanted = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    bool *settled = obb_arena_alloc(w->arena, w->planning.planned + 1);
    memset(wanted, true, w->plan->actions.count);
    for (size_t i = 0; i < w->planning.planned; i++) {
        settled[i] = obb_serialized_plan_settled(p->kept, i);
        wanted[i] = w->wanted[i] && !settled[i];
    }
    w->planning.replanned = scope->planned;
    w->planning.settled = settled;
    w->wanted = wanted;
    drop(p);
    return scan(p);
}

/* --- taking it ---------------------------------------------------------------------- */

static obb_file tell_file(void *self, obb_file kept)
{
    const obb_subplan *p = self;
    return obb_snapshot_tell(p->snapshot, kept, p->b->w->files);
}

static obb_file number_file(void *self, obb_file file)
{
    const obb_subplan *p = self;
    return obb_snapshot_number(p->snapshot, obb_files_path(p->b->w->files, file));
}

void obb_subplan_begin(obb_subplan *p, obb_builder *b, obb_snapshot *snapshot)
{
    *p = (obb_subplan){.b = b, .snapshot = snapshot, .files_of = {p, tell_file, number_file}};
}

/* Another program on PATH, or another library, may stand in for it. */
static bool is_basis_gone(const obb_subplan *p)
{
    const obb_file_list *changes = obb_snapshot_changes(p->snapshot);
    bool gone = false;
    for (size_t i = 0; i < changes->count && !gone; i++) {
        const char *path = obb_snapshot_path(p->snapshot, changes->at[i]);
        obb_stamp stamp;
        gone = obb_serialized_plan_rests_on(p->kept, changes->at[i]) &&
               !obb_path_is_output(path, p->b->w->out) && !obb_stamp_of(path, &stamp);
    }
    return gone;
}

/* Finds what the changes reach; false when it takes more than a subplan. */
static bool find(obb_subplan *p)
{
    obb_plan_bytes bytes = {.vouch = obb_snapshot_vouches, .self = p->snapshot};
    bytes.at = obb_snapshot_plan(p->snapshot, &bytes.length);
    p->kept = bytes.at ? obb_serialized_plan_open(&bytes, p->b->w->arena) : NULL;
    p->edited = (obb_file_list){0};
    p->moved = (obb_words){0};
    p->dropped = (obb_file_list){0};
    obb_snapshot_moved(p->snapshot, p->b->w->arena, &p->moved);
    p->found = p->kept && !is_basis_gone(p) &&
               obb_serialized_plan_reaches(p->kept, obb_snapshot_changes(p->snapshot), &p->edited) &&
               obb_serialized_plan_is_sound(p->kept);
    return p->found;
}

/* Useless when more than the first file changed; so it is not done where it may take longer than the
 * comparison. Where a file is new or gone, mostly more changed: then it is only made ready for that. */
void obb_subplan_take_early(void *self)
{
    obb_subplan *p = self;
    obb_stamp stamp;
    const obb_file_list *changes = obb_snapshot_changes(p->snapshot);
    if (!changes->count || !obb_stamp_of(obb_snapshot_path(p->snapshot, changes->at[0]), &stamp)) {
        if (!open_state(p))
            give_up(p);
        return;
    }
    p->early = true;
    if (find(p) && !p->edited.count && obb_serialized_plan_reached(p->kept) <= MOST_EARLY)
        take_changed(p);
}

void obb_subplan_drop(obb_subplan *p)
{
    if (p->b->w->state)
        obb_state_drop_news(p->b->w->state);
    give_up(p);
}

/* Takes the subplan that was begun early if it holds, or a new one. */
static bool take(obb_subplan *p)
{
    if (p->early && !obb_snapshot_saw_all(p->snapshot)) {
        obb_subplan_drop(p);
        obb_subplan_begin(p, p->b, p->snapshot);
    }
    if (!p->early)
        find(p);
    if (p->found && (p->edited.count || p->moved.count)) {
        obb_files_ask(p->b->w->files, obb_snapshot_witness, p->snapshot);
        p->taken = plan_edited(p);
        if (!p->taken)
            give_up(p);
        obb_files_ask(p->b->w->files, NULL, NULL); /* commands may change from here on what it knows */
    } else if (p->found && !p->tried) {
        take_changed(p);
    }
    return p->taken;
}

/* --- building it -------------------------------------------------------------------- */

/* The message that was kept begins with the number of files. */
static const char *message_with_new(const obb_subplan *p)
{
    const char *message = obb_snapshot_message(p->snapshot);
    char *rest;
    unsigned long long files = strtoull(message, &rest, 10) + obb_serialized_plan_new(p->kept) -
                               obb_serialized_plan_dropped(p->kept);
    return obb_arena_format(p->b->w->arena, "%llu%s", files, rest);
}

/* Renews the snapshot with what this subplan found. */
static void renew_snapshot(const obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_text plan = {0};
    obb_plan_facts facts;
    if (w->planning.edited)
        facts = obb_builder_facts(p->b);
    obb_serialized_plan_renew(p->kept, w->dependencies, w->planning.edited ? &facts : NULL, &p->files_of,
                              &plan);
    obb_file_list sources = obb_builder_sources(p->b);
    const obb_snapshot_extra extra = {&sources, message_with_new(p), plan.bytes, plan.length};
    obb_snapshot_renew(p->snapshot, w->files, w->began, &extra);
    obb_text_free(&plan);
}

static void list_left_out(obb_subplan *p)
{
    obb_workspace *w = p->b->w;
    obb_words *left_out = &p->b->outcome->left_out;
    if (w->planning.edited)
        obb_list_left_out(w, left_out);
    else
        obb_serialized_plan_left_out(p->kept, w->arena, left_out);
    for (size_t i = 0; i < left_out->count; i++) /* the snapshot may be closed before the outcome is read */
        left_out->at[i] = obb_arena_string(w->arena, left_out->at[i]);
}

static void tell_what_is_planned(const obb_subplan *p)
{
    const obb_workspace *w = p->b->w;
    const obb_build_observer *o = w->observer;
    if (w->planning.edited && o->replanned)
        o->replanned(o->self, w->planning.planned_targets, w->project->targets.count);
    obb_builder_tell_undecided(p->b);
}

static size_t count_wanted(const obb_workspace *w)
{
    size_t n = 0;
    for (size_t i = 0; i < w->plan->actions.count; i++)
        n += w->wanted[i];
    return n;
}

/* Which tells what is left out. */
static bool leave_to_full_way(obb_subplan *p)
{
    give_up(p);
    p->b->outcome->left_out.count = 0;
    p->taken = false;
    return false;
}

bool obb_build_incremental(obb_subplan *p, int *code)
{
    obb_workspace *w = p->b->w;
    if (!take(p))
        return false;
    obb_words far = {0};
    obb_serialized_plan_far(p->kept, w->arena, &far);
    list_left_out(p);
    if (!obb_serialized_plan_is_sound(p->kept))
        return leave_to_full_way(p);
    tell_what_is_planned(p);
    const obb_partial_run part = {is_explained, p, p->forecast,
                                  obb_serialized_plan_count(p->kept) + obb_serialized_plan_new(p->kept) -
                                      obb_serialized_plan_dropped(p->kept) - count_wanted(w),
                                  &far};
    obb_run_result r = obb_builder_run(p->b, &part);
    if (r.takes_more) {
        obb_builder_settle(p->b, &r);
        return leave_to_full_way(p);
    }
    bool databases = !w->planning.edited || obb_renew_databases(w);
    *code = obb_builder_settle(p->b, &r);
    int unwritten = obb_workspace_tell(w);
    int over = *code && *code != (int)OBB_FAULT_ACTION ? 0 : obb_check_budgets(p->b);
    if (!*code)
        *code = unwritten ? unwritten : over;
    if (!*code && !r.moving && databases)
        renew_snapshot(p);
    return true;
}
