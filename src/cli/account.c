#include "cli/account.h"

#include <string.h>

#include "base/path.h"

static void add_object(session *s, const char *path, const char *source, obb_account_object **at, size_t *count)
{
    struct { obb_account_object *at; size_t count, room; } list = {*at, *count, *count};
    obb_arena_push(s->arena, &list, (obb_account_object){path, source});
    *at = list.at;
    *count = list.count;
}

/* The objects that a link reads, each with its source; other archives by their own names. */
static void objects_of(session *s, const obb_action *link, obb_account_object **at, size_t *count)
{
    for (size_t i = 0; i < link->inputs.count; i++) {
        const char *path = obb_files_path(s->files, link->inputs.at[i]);
        const obb_action *maker = obb_plan_maker(s->plan, link->inputs.at[i]);
        if (maker && maker->kind == OBB_ARCHIVE)
            objects_of(s, maker, at, count);
        else if (maker && (maker->kind == OBB_COMPILE || maker->kind == OBB_ASSEMBLE))
            add_object(s, path, obb_files_path(s->files, maker->source), at, count);
        else if (!maker && strcmp(obb_path_suffix(path), ".a") == 0)
            add_object(s, path, NULL, at, count);
    }
}

/* Libraries that compilers link without being told. */
static void implied_objects(session *s, const obb_action *link, obb_account_object **at, size_t *count)
{
    static const char *const usual[] = {"c", "gcc", "m", "nosys", "stdc++", "g", NULL};
    static const char *const small[] = {"c_nano", "gcc", "m", "nosys", "stdc++_nano", "g_nano", NULL};
    const char *const *names = usual;
    obb_toolchain *tc = obb_plan_variant_of(s->plan, link->variant)->toolchain;
    if (!link->tool || tc->custom || link->tool->role == OBB_TOOL_LINKER)
        return;
    for (size_t i = 0; i < link->argv.count; i++) /* newlib's other set of libraries */
        if (strstr(link->argv.at[i], "specs=nano"))
            names = small;
    const obb_words *folders = obb_toolchain_library_folders(tc, link->tool, &link->argv);
    for (const char *const *n = names; *n; n++)
        for (size_t i = 0; i < folders->count; i++) {
            char *path = obb_path_join(s->arena, folders->at[i], obb_arena_format(s->arena, "lib%s.a", *n));
            if (!obb_files_is_file(s->files, obb_files_number(s->files, path)))
                continue;
            add_object(s, path, NULL, at, count);
            break;
        }
}

static obb_region_use *regions_of(session *s, const obb_variant *v)
{
    obb_region_use *regions = obb_arena_alloc(s->arena, (v->memory.count + 1) * sizeof *regions);
    for (size_t i = 0; i < v->memory.count; i++)
        regions[i] = (obb_region_use){v->memory.at[i].name, v->memory.at[i].origin, v->memory.at[i].length, 0};
    return regions;
}

obb_account *account_of(session *s, const obb_target *target, const obb_variant *v)
{
    const obb_action *link = obb_plan_product(s->plan, target, v);
    obb_account_object *objects = NULL;
    size_t count = 0;
    const char *wrong = NULL;
    if (!link || link->kind != OBB_LINK_PROGRAM) {
        obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`%s` is no program in %s", target->name, v->name);
        return NULL;
    }
    const obb_elf *elf = obb_elf_read(obb_files_path(s->files, link->output), s->arena, &wrong);
    if (!elf) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s", wrong);
        obb_hint(s->diags, d, "accounts are made of ELF programs that are built: obbligato build %s --variant %s",
                 target->name, v->name);
        return NULL;
    }
    objects_of(s, link, &objects, &count);
    implied_objects(s, link, &objects, &count);
    return obb_account_make(elf, regions_of(s, v), v->memory.count, objects, count, s->arena);
}

obb_account *account_of_regions(session *s, const char *path, const obb_variant *v)
{
    const char *wrong;
    const obb_elf *elf = obb_elf_read(path, s->arena, &wrong);
    return elf ? obb_account_make(elf, regions_of(s, v), v->memory.count, NULL, 0, s->arena) : NULL;
}

bool account_has_budgets(session *s, const obb_target *target, const obb_variant *v)
{
    struct obb_budget *budgets;
    size_t count;
    obb_budgets_of(v, target, s->arena, s->diags, &budgets, &count);
    return count > 0;
}

static uint64_t limit_of(const obb_budget *b, const obb_region_use *r)
{
    return b->percent ? r->length / 100 * b->percent + r->length % 100 * b->percent / 100 : b->bytes;
}

static char *stated(session *s, const obb_budget *b)
{
    return b->percent ? obb_arena_format(s->arena, "%u %%", b->percent)
                      : obb_arena_format(s->arena, "%llu bytes", (unsigned long long)b->bytes);
}

void account_check_budgets(session *s, const obb_target *target, const obb_variant *v, const obb_account *a, bool warn)
{
    struct obb_budget *budgets;
    size_t count;
    obb_budgets_of(v, target, s->arena, s->diags, &budgets, &count);
    for (size_t i = 0; i < count; i++)
        for (size_t k = 0; k < a->regions.count; k++) {
            const obb_region_use *r = &a->regions.at[k];
            uint64_t limit = limit_of(&budgets[i], r);
            if (strcmp(r->name, budgets[i].region) != 0 || r->used <= limit || (!budgets[i].fatal && !warn))
                continue;
            const char *format = "`%s` in %s takes %llu bytes of %s, %llu more than its budget of %s";
            obb_diag *d = budgets[i].fatal
                ? obb_error(s->diags, OBB_FAULT_ACTION, budgets[i].place, format, target->name, v->name,
                            (unsigned long long)r->used, r->name, (unsigned long long)(r->used - limit), stated(s, &budgets[i]))
                : obb_warn(s->diags, budgets[i].place, format, target->name, v->name, (unsigned long long)r->used,
                           r->name, (unsigned long long)(r->used - limit), stated(s, &budgets[i]));
            if (!s->budgets_later)
                obb_hint(s->diags, d, "obbligato size %s --variant %s   tells what takes it", target->name, v->name);
        }
}

uint64_t account_limit(session *s, const obb_target *target, const obb_variant *v, const obb_region_use *r,
                       const char **text)
{
    struct obb_budget *budgets;
    size_t count;
    *text = "";
    obb_budgets_of(v, target, s->arena, s->diags, &budgets, &count);
    for (size_t i = 0; i < count; i++)
        if (strcmp(budgets[i].region, r->name) == 0) {
            *text = stated(s, &budgets[i]);
            return limit_of(&budgets[i], r);
        }
    return 0;
}
