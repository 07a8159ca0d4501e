/* Memory accounts of programs of a workspace (build/accounts.h).
 *
 * An account needs the program's ELF file and, to name the sources of symbols, the objects that its link
 * read: those are stated in the plan, so nothing is scanned or built here. A variant that the plan does not
 * have gets a plan of its own, which replaces that of the workspace only meanwhile. */
#include "build/accounts.h"

#include <string.h>

#include "base/path.h"
#include "plan/planner.h"

static void add_object(obb_workspace *w, obb_account_object object, obb_account_object **at, size_t *count)
{
    struct { obb_account_object *at; size_t count, room; } list = {*at, *count, *count};
    obb_arena_push(w->arena, &list, object);
    *at = list.at;
    *count = list.count;
}

/* The objects that a link reads, each with its source; other archives by their own names. */
static void objects_of(obb_workspace *w, const obb_action *link, obb_account_object **at, size_t *count)
{
    for (size_t i = 0; i < link->stated.inputs.count; i++) {
        const char *path = obb_files_path(w->files, link->stated.inputs.at[i]);
        const obb_action *maker = obb_plan_maker(w->plan, link->stated.inputs.at[i]);
        if (maker && maker->kind == OBB_ARCHIVE)
            objects_of(w, maker, at, count);
        else if (maker && (maker->kind == OBB_COMPILE || maker->kind == OBB_ASSEMBLE))
            add_object(w, (obb_account_object){path, obb_files_path(w->files, maker->source), false}, at,
                       count);
        else if (obb_is_archive(path) || obb_is_object(path))
            add_object(w, (obb_account_object){path, NULL, false}, at, count);
    }
}

/* Libraries that compilers link without being told. */
static void implied_objects(obb_workspace *w, const obb_action *link, obb_account_object **at, size_t *count)
{
    static const char *const usual[] = {"c", "gcc", "m", "nosys", "stdc++", "g", NULL};
    static const char *const small[] = {"c_nano", "gcc", "m", "nosys", "stdc++_nano", "g_nano", NULL};
    const char *const *names = usual;
    obb_toolchain *tc = obb_plan_variant_of(w->plan, link->variant)->toolchain;
    if (!link->tool || tc->custom || link->tool->role == OBB_TOOL_LINKER)
        return;
    for (size_t i = 0; i < link->argv.count; i++) /* newlib's other set of libraries */
        if (strstr(link->argv.at[i], "specs=nano"))
            names = small;
    const obb_words *folders = obb_toolchain_library_folders(tc, link->tool, &link->argv);
    for (const char *const *n = names; *n; n++)
        for (size_t i = 0; i < folders->count; i++) {
            char *path = obb_path_join(w->arena, folders->at[i], obb_arena_format(w->arena, "lib%s.a", *n));
            if (!obb_files_is_file(w->files, obb_files_number(w->files, path)))
                continue;
            add_object(w, (obb_account_object){path, NULL, true}, at, count);
            break;
        }
}

obb_region_use *obb_regions_of(obb_workspace *w, const obb_variant *v)
{
    obb_region_use *regions = obb_arena_alloc(w->arena, (v->memory.count + 1) * sizeof *regions);
    for (size_t i = 0; i < v->memory.count; i++)
        regions[i] = (obb_region_use){v->memory.at[i].name, v->memory.at[i].origin, v->memory.at[i].length,
                                      0};
    return regions;
}

/* The map that the link wrote beside the program, if it did. */
static bool read_map(obb_workspace *w, const obb_action *link, obb_link_map *map)
{
    obb_text text = {0};
    bool read = false;
    for (size_t i = 0; i < link->also.count && !read; i++) {
        const char *path = obb_files_path(w->files, link->also.at[i]);
        read = strcmp(obb_path_suffix(path), ".map") == 0 && !obb_file_read(path, &text);
    }
    if (read)
        obb_link_map_read(obb_text_bytes(&text), w->arena, map);
    obb_text_free(&text);
    return read && map->pieces.count;
}

obb_account *obb_account_of_program(obb_workspace *w, const obb_target *target, const obb_variant *v)
{
    const obb_action *link = obb_plan_product(w->plan, target, v);
    obb_account_object *objects = NULL;
    size_t count = 0;
    const char *wrong = NULL;
    if (!link || link->kind != OBB_LINK_PROGRAM) {
        obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`%s` is not a program in %s", target->name,
                  v->name);
        return NULL;
    }
    const obb_elf *elf = obb_elf_read(obb_files_path(w->files, link->output), w->arena, &wrong);
    if (!elf) {
        obb_diag *d = obb_error(w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s", wrong);
        obb_hint(w->diags, d,
                 "accounts are made of ELF programs that are built: obbligato build %s --variant %s",
                 target->name, v->name);
        return NULL;
    }
    objects_of(w, link, &objects, &count);
    implied_objects(w, link, &objects, &count);
    obb_link_map map = {0};
    const obb_account_facts facts = {obb_regions_of(w, v), v->memory.count, objects, count,
                                     read_map(w, link, &map) ? &map : NULL};
    return obb_account_make(elf, &facts, w->arena);
}

obb_account *obb_account_elsewhere(obb_workspace *w, const obb_target *target, const obb_variant *v)
{
    const obb_plan *mine = w->plan; /* the other variant's objects are known to a plan of its own */
    const obb_plan_input input = {.arena = w->arena, .project = w->project, .files = w->files,
                                  .toolchains = w->toolchains, .scanner = w->scanner, .out = w->out,
                                  .variants = &v, .variant_count = 1};
    obb_account *a = NULL;
    w->plan = obb_plan_make(&input, w->diags);
    if (obb_diags_fault(w->diags) == OBB_FAULT_NONE)
        a = obb_account_of_program(w, target, v);
    w->plan = mine;
    return a;
}

obb_account *obb_account_of_regions(obb_workspace *w, const char *path, const obb_variant *v)
{
    const char *wrong;
    const obb_elf *elf = obb_elf_read_sections(path, w->arena, &wrong);
    return elf ? obb_account_of_sections(elf, obb_regions_of(w, v), v->memory.count, w->arena) : NULL;
}

bool obb_has_budgets(obb_workspace *w, const obb_target *target, const obb_variant *v)
{
    struct obb_budget *budgets;
    size_t count;
    obb_budgets_of(v, target, w->arena, w->diags, &budgets, &count);
    return count > 0;
}

static uint64_t limit_of(const obb_budget *b, const obb_region_use *r)
{
    return b->percent ? r->length / 100 * b->percent + r->length % 100 * b->percent / 100 : b->bytes;
}

static char *stated(obb_workspace *w, const obb_budget *b)
{
    return b->percent ? obb_arena_format(w->arena, "%u %%", b->percent)
                      : obb_arena_format(w->arena, "%llu bytes", (unsigned long long)b->bytes);
}

void obb_compare_budgets(obb_workspace *w, const obb_target *target, const obb_variant *v,
                         const obb_account *a, bool warn)
{
    struct obb_budget *budgets;
    size_t count;
    obb_budgets_of(v, target, w->arena, w->diags, &budgets, &count);
    for (size_t i = 0; i < count; i++)
        for (size_t k = 0; k < a->regions.count; k++) {
            const obb_region_use *r = &a->regions.at[k];
            uint64_t limit = limit_of(&budgets[i], r);
            if (strcmp(r->name, budgets[i].region) != 0 || r->used <= limit || (!budgets[i].fatal && !warn))
                continue;
            const char *format = "`%s` in %s takes %llu bytes of %s, %llu more than its budget of %s";
            obb_diag *d = budgets[i].fatal
                              ? obb_error(w->diags, OBB_FAULT_ACTION, budgets[i].place, format, target->name,
                                          v->name, (unsigned long long)r->used, r->name,
                                          (unsigned long long)(r->used - limit), stated(w, &budgets[i]))
                              : obb_warn(w->diags, budgets[i].place, format, target->name, v->name,
                                         (unsigned long long)r->used, r->name,
                                         (unsigned long long)(r->used - limit), stated(w, &budgets[i]));
            if (!w->request->budgets_apart)
                obb_hint(w->diags, d, "obbligato size %s --variant %s   tells what takes it", target->name,
                         v->name);
        }
}

uint64_t obb_budget_limit(obb_workspace *w, const obb_target *target, const obb_variant *v,
                          const obb_region_use *r, const char **text)
{
    struct obb_budget *budgets;
    size_t count;
    *text = "";
    obb_budgets_of(v, target, w->arena, w->diags, &budgets, &count);
    for (size_t i = 0; i < count; i++)
        if (strcmp(budgets[i].region, r->name) == 0) {
            *text = stated(w, &budgets[i]);
            return limit_of(&budgets[i], r);
        }
    return 0;
}
