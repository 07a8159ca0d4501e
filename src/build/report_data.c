/* Data of reports (build/report_data.h). Nothing is made for them: builds and tests come from the logs, the
 * rest is computed from what lies in the output folder. */
#include "build/report_data.h"

#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "build/accounts.h"
#include "build/history.h"
#include "build/images.h"
#include "build/planning.h"
#include "plan/includes.h"
#include "report/report.h"

/* NULL, and nothing said, when there is no such variant any more. */
static const obb_variant *variant_named(obb_workspace *w, const char *name)
{
    obb_diags *quiet = obb_diags_new();
    const obb_variant *v = name ? obb_project_variant_named(w->project, name, NULL, OBB_NOWHERE, quiet)
                                : NULL;
    obb_diags_free(quiet);
    return v;
}

static bool is_in_any(const obb_variants *variants, const obb_target *t)
{
    bool is = false;
    for (size_t i = 0; i < variants->count && !is; i++)
        is = !obb_left_out(variants->at[i], t);
    return is;
}

static void add_variants(obb_workspace *w, const json_t *build, obb_words *names, obb_variants *variants)
{
    const json_t *name;
    size_t i;
    json_array_foreach(json_object_get(build, "variants"), i, name) {
        const char *text = json_string_value(name);
        const obb_variant *v = text && !obb_has_word(names, text) ? variant_named(w, text) : NULL;
        if (!v)
            continue;
        obb_vec_push(names, strdup(text));
        obb_arena_push(w->arena, variants, v);
    }
}

static void add_targets(obb_workspace *w, const json_t *build, const obb_variants *variants, obb_map *seen,
                        obb_words *targets)
{
    const json_t *action;
    size_t i;
    json_array_foreach(json_object_get(build, "actions"), i, action) {
        const char *text = json_string_value(json_object_get(action, "target"));
        const obb_target *t = text && !obb_map_put(seen, text, seen) ? obb_project_target(w->project, text)
                                                                     : NULL;
        if (t && is_in_any(variants, t))
            obb_vec_push(targets, strdup(text));
    }
}

void obb_report_choice(obb_workspace *w, obb_words *names, obb_words *targets)
{
    json_t *builds = obb_history(w), *build;
    obb_variants variants = {0};
    obb_map seen = {0};
    size_t i;
    json_array_foreach(builds, i, build) {
        add_variants(w, build, names, &variants);
    }
    json_array_foreach(builds, i, build) {
        if (targets)
            add_targets(w, build, &variants, &seen, targets);
    }
    obb_map_free(&seen);
    json_decref(builds);
}

/* --- builds ------------------------------------------------------------------------- */

/* The log has sections of programs; what they take of memory follows from the regions that there are now. */
static json_t *sums_of(obb_workspace *w, const json_t *logged)
{
    const char *program = json_string_value(json_object_get(logged, "program"));
    const char *variant = json_string_value(json_object_get(logged, "variant"));
    const obb_variant *v = variant_named(w, variant);
    const obb_elf *elf = obb_report_read_sections(json_object_get(logged, "sections"), w->arena);
    const obb_account *a = obb_account_of_sections(elf, v ? obb_regions_of(w, v) : NULL,
                                                   v ? v->memory.count : 0, w->arena);
    return obb_report_account_sums(program ? program : "", variant ? variant : "", a);
}

static json_t *builds_of(obb_workspace *w)
{
    json_t *builds = obb_history(w), *build, *logged;
    size_t i, k;
    json_array_foreach(builds, i, build) {
        json_t *programs = json_array();
        json_array_foreach(json_object_get(build, "programs"), k, logged)
            json_array_append_new(programs, sums_of(w, logged));
        json_object_set_new(build, "programs", programs);
    }
    return builds;
}

/* --- headers ------------------------------------------------------------------------ */

static json_t *headers_of(obb_workspace *w)
{
    uint64_t *took = obb_alloc((w->plan->actions.count + 1) * sizeof *took);
    obb_last_run last;
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (obb_state_last_run(w->state, w->plan->actions.at[i]->output, &last))
            took[i] = last.cost.milliseconds;
    const obb_includes *all = obb_includes_of(w->dependencies, w->wanted, took, w->arena);
    json_t *list = json_array();
    for (size_t i = 0; i < all->costs.count; i++) {
        const obb_header_cost *c = &all->costs.at[i];
        json_t *o = json_pack("{s:o, s:I, s:I, s:I, s:I, s:I, s:I, s:I}", "header",
                              obb_report_text(obb_files_path(w->files, c->file)), "compiles",
                              (json_int_t)c->times, "lines", (json_int_t)c->lines, "bytes",
                              (json_int_t)c->bytes, "lines-brought-in", (json_int_t)c->brought,
                              "lines-saved-without", (json_int_t)c->saved, "milliseconds-estimated",
                              (json_int_t)(c->milliseconds + 0.5), "milliseconds-saved-without",
                              (json_int_t)(c->saved_milliseconds + 0.5));
        json_array_append_new(list, o);
    }
    free(took);
    return list;
}

/* --- programs and images ------------------------------------------------------------ */

static void add_budgets(obb_workspace *w, const obb_target *t, const obb_variant *v, const obb_account *a,
                        json_t *account)
{
    json_t *regions = json_object_get(account, "regions");
    for (size_t i = 0; i < a->regions.count; i++) {
        const char *stated;
        uint64_t limit = obb_budget_limit(w, t, v, &a->regions.at[i], &stated);
        json_object_set_new(json_array_get(regions, i), "budget",
                            limit ? json_integer((json_int_t)limit) : json_null());
    }
}

static json_t *program_of(obb_workspace *w, const obb_target *t, const obb_variant *v, const json_t *against)
{
    const obb_account *a = obb_account_of_program(w, t, v);
    if (!a)
        return NULL;
    json_t *o = obb_report_account(t->name, v->name, a);
    const obb_account *before = against ? obb_report_read_account(against, t->name, v->name, w->arena) : NULL;
    add_budgets(w, t, v, a, o);
    if (before)
        json_object_set_new(o, "against", obb_report_account(t->name, v->name, before));
    return o;
}

/* What is not built, or is no ELF file, is left out: what is wrong with it, other commands say. */
static void add_products(obb_workspace *w, const json_t *against, json_t *programs, json_t *images)
{
    obb_diags *told = w->diags;
    w->diags = obb_diags_new();
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        if (!w->wanted[i])
            continue;
        const bool first = a->image &&
                           obb_plan_product(w->plan, a->target, a->variant) == a; /* of several formats */
        const obb_image_layout *layout = first ? obb_layout_of_image(w, a->target, a->variant) : NULL;
        json_t *program = a->kind == OBB_LINK_PROGRAM ? program_of(w, a->target, a->variant, against) : NULL;
        if (layout)
            json_array_append_new(images, obb_report_image(a->target->name, a->variant->name, layout));
        if (program)
            json_array_append_new(programs, program);
    }
    obb_diags_free(w->diags);
    w->diags = told;
}

int obb_report_data(obb_workspace *w, const json_t *against, json_t **document)
{
    int code = obb_scan_all(w);
    if (code)
        return code;
    json_t *programs = json_array(), *images = json_array();
    add_products(w, against, programs, images);
    *document = json_pack("{s:s, s:i, s:o, s:I, s:o, s:o, s:o, s:o, s:o}", "format", "obbligato.report-data",
                          "version", 1, "project", obb_report_text(w->project->name), "written",
                          (json_int_t)time(NULL) * 1000, "builds", builds_of(w), "headers", headers_of(w),
                          "programs", programs, "images", images, "tests", obb_history_of_tests(w));
    return 0;
}
