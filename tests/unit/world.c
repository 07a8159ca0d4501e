#include "unit/world.h"

#include "plan/planner.h"
#include "run/recall.h"

#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "harness/harness.h"

world world_plan(const char *variant, const char *only)
{
    world w = {.arena = obb_arena_new(), .diags = obb_diags_new(), .files = obb_files_new()};
    obb_files_hide(w.files, "out", OBB_MARK_NAME);
    w.state = obb_state_open("out", w.files, OBB_STATE_BUILD, NULL, NULL, w.diags);
    w.toolchains = obb_toolchains_new(w.arena, w.files, obb_state_memo(w.state));
    w.scanner = obb_scanner_new(w.files);
    w.project = obb_project_read(w.files, NULL, NULL, w.diags);
    CHECK_NUMBER(obb_diags_fault(w.diags), OBB_FAULT_NONE);
    w.variant = obb_project_variant_named(w.project, variant, NULL, OBB_NOWHERE, w.diags);
    bool *targets = obb_arena_alloc(w.arena, w.project->targets.count + 1);
    if (only)
        obb_want_target(w.variant, obb_project_target(w.project, only), targets);
    w.plan = obb_plan_make(&(const obb_plan_input){.arena = w.arena, .project = w.project, .files = w.files, .toolchains = w.toolchains, .scanner = w.scanner,
                                          .out = "out", .variants = &w.variant, .variant_count = 1, .wanted_targets = only ? (bool *const *)&targets : NULL}, w.diags);
    CHECK_NUMBER(obb_diags_fault(w.diags), OBB_FAULT_NONE);
    w.table = obb_dependency_table_new(w.plan);
    w.wanted = obb_arena_alloc(w.arena, w.plan->actions.count + 1);
    if (only)
        obb_want(w.table, obb_project_target(w.project, only), w.variant, w.wanted);
    else
        memset(w.wanted, 1, w.plan->actions.count);
    return w;
}

typedef struct counted_memory {
    obb_scan_memory memory;
    size_t recalled;
} counted_memory;

static bool counting_recall(void *self, const obb_action *a, const obb_dependencies *d, obb_recalled_scan *scan)
{
    counted_memory *c = self;
    bool known = c->memory.recall(c->memory.self, a, d, scan);
    c->recalled += known;
    return known;
}

static void pass_on(void *self, obb_scanner *scanner)
{
    const counted_memory *c = self;
    c->memory.scanned(c->memory.self, scanner);
}

void world_scan(world *w)
{
    obb_recaller recaller = {.state = w->state, .files = w->files};
    counted_memory counted = {obb_scan_records(&recaller, true), 0};
    obb_scan_wanted(w->table, w->wanted, (obb_scan_memory){counting_recall, w->forgetful ? NULL : pass_on, &counted}, w->diags);
    w->recalled = counted.recalled;
}

void world_observe(void *self, const obb_event *e)
{
    world *w = self;
    w->started += e->kind == OBB_EVENT_START;
    w->done += e->kind == OBB_EVENT_DONE;
    w->failed += e->kind == OBB_EVENT_FAILED;
    w->removed += e->kind == OBB_EVENT_REMOVED;
    if (e->kind == OBB_EVENT_DONE) {
        obb_text_format(&w->causes, "%s: %s\n", obb_action_subject(w->plan, e->action), e->cause);
        obb_text_format(&w->order, "%s%s", w->order.length ? " " : "", obb_action_subject(w->plan, e->action));
    }
    if (e->kind == OBB_EVENT_FAILED)
        obb_text_format(&w->order, "%s!%s", w->order.length ? " " : "", e->message ? e->message : "");
}

obb_run_result world_carry_out(world *w, unsigned jobs)
{
    obb_run_options options = {.jobs = jobs, .observer = world_observe, .self = w};
    return obb_run(w->table, w->state, w->wanted, &options);
}

void world_end(world *w)
{
    obb_state_remember_files(w->state);
    obb_state_commit(w->state);
    obb_scanner_free(w->scanner);
    obb_toolchains_free(w->toolchains);
    obb_state_close(w->state);
    obb_project_free(w->project);
    obb_files_free(w->files);
    obb_diags_free(w->diags);
    obb_arena_free(w->arena);
    obb_text_free(&w->causes);
    obb_text_free(&w->order);
}

void world_settle(void)
{
    struct timespec t = {.tv_nsec = 40000000};
    nanosleep(&t, NULL);
}

void world_clear(void)
{
    char *printed;
    harness_shell("rm -rf ./*", &printed);
    free(printed);
}
