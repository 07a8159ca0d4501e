/* The full way of a build (build/full.h): plan, stale files, scan, outputs, actions, budgets, snapshot, in
 * this order.
 *
 * A snapshot is written only when all of it succeeded, and nothing that was read changed meanwhile. */
#include "build/full.h"

#include <uv.h>

#include "build/budgets.h"
#include "build/outputs.h"
#include "build/planning.h"

/* The program itself is an input of all that it makes. */
static void look_at_myself(obb_workspace *w)
{
    char path[4096];
    size_t size = sizeof path;
    obb_fingerprint fingerprint;
    if (uv_exepath(path, &size) == 0)
        obb_files_fingerprint(w->files, obb_files_number(w->files, path), &fingerprint);
}

/* What would be made, and why, without making it. */
static int forecast(obb_builder *b)
{
    obb_workspace *w = b->w;
    obb_cause *causes = obb_forecast(w->arena, w->state, w->dependencies, w->wanted);
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        if (!w->wanted[i] || causes[i].kind == OBB_CAUSE_NONE)
            continue;
        const obb_forecast_line line = {a, obb_cause_text(w->arena, w->state, w->plan, a, causes[i])};
        obb_arena_push(w->arena, &b->outcome->forecast, line);
    }
    obb_list_left_out(w, &b->outcome->left_out);
    b->outcome->forecasted = true;
    return 0;
}

/* The message of the next build that has nothing to do: the number of files, and the variants, a line each.
 */
static const char *message_of(const obb_workspace *w, size_t up_to_date)
{
    obb_text text = {0};
    obb_text_format(&text, "%zu\n", up_to_date);
    for (size_t i = 0; i < w->variants.count; i++)
        obb_text_format(&text, "%s\n", w->variants.at[i]->name);
    const char *copy = obb_arena_string(w->arena, text.bytes);
    obb_text_free(&text);
    return copy;
}

static void write_snapshot(const obb_builder *b, const obb_run_result *r)
{
    const obb_workspace *w = b->w;
    obb_text plan = {0};
    const obb_plan_facts facts = obb_builder_facts(b);
    obb_serialized_plan_write(w->dependencies, &facts, &plan);
    obb_file_list sources = obb_builder_sources(b);
    const obb_snapshot_extra extra = {&sources, message_of(w, r->up_to_date + r->made), plan.bytes,
                                      plan.length};
    obb_snapshot_write(obb_builder_snapshot_path(b), b->key, w->files, w->began, &extra);
    obb_text_free(&plan);
}

static int carry_out(obb_builder *b, int scan_code)
{
    obb_workspace *w = b->w;
    obb_list_left_out(w, &b->outcome->left_out);
    obb_builder_tell_undecided(b);
    int code = obb_write_outputs(w);
    if (code)
        return code;
    obb_run_result r = obb_builder_run(b, NULL);
    look_at_myself(w);
    code = obb_builder_settle(b, &r);
    if (code && code != (int)OBB_FAULT_ACTION)
        return code;
    int over = obb_check_budgets(b);
    if (code)
        return scan_code && !r.failed ? scan_code : code;
    if (over)
        return over;
    if (!r.moving && !scan_code)
        write_snapshot(b, &r);
    return scan_code;
}

int obb_build_full(obb_builder *b)
{
    obb_workspace *w = b->w;
    int code = obb_workspace_open_state(w, !w->request->dry_run);
    if (!code)
        code = obb_plan_request(w);
    if (code)
        return code;
    obb_drop_stale(b);
    int scan_code = obb_scan_changed(w);
    if (!scan_code)
        scan_code = w->missing;
    if (scan_code && !w->request->keep_going)
        return scan_code;
    return w->request->dry_run ? forecast(b) : carry_out(b, scan_code);
}
