/* Placeholders that depend on nothing but the variant (variant.h): one meaning for settings, steps, tests,
 * launches, runners and devices. */
#include <string.h>

#include "base/fill.h"
#include "base/path.h"
#include "project/resolve/variant.h"
#include "project/vocabulary.h"

bool obb_has_facts(const char *word)
{
    for (const char *at = word; (at = strchr(at, '{')); at++)
        for (const char *const *name = obb_fact_names; *name; name++) {
            size_t n = strlen(*name);
            if (strncmp(at + 1, *name, n) == 0 && ((*name)[n - 1] == ':' || at[1 + n] == '}'))
                return true;
        }
    return false;
}

/* NAME, NAME.end or NAME.length: an address as the linker and C take it, or a number of bytes. */
static const char *region_fact(const obb_variant *v, const char *name, obb_arena *arena)
{
    for (size_t i = 0; i < v->memory.count; i++) {
        const obb_region *region = &v->memory.at[i];
        size_t n = strlen(region->name);
        if (strncmp(name, region->name, n) != 0)
            continue;
        if (!name[n])
            return obb_arena_format(arena, "0x%08llx", (unsigned long long)region->origin);
        if (strcmp(name + n, ".end") == 0)
            return obb_arena_format(arena, "0x%08llx", (unsigned long long)(region->origin + region->length));
        if (strcmp(name + n, ".length") == 0)
            return obb_arena_format(arena, "%llu", (unsigned long long)region->length);
    }
    return NULL;
}

const char *obb_variant_fact(const obb_variant *v, const char *scope, const char *name, obb_arena *arena)
{
    const obb_axis *axis = obb_starts(name, "axis:") ? obb_find_axis_in(v->project, scope, name + 5) : NULL;
    if (axis)
        return v->values[axis->number];
    if (strcmp(name, "variant") == 0)
        return v->name;
    if (strcmp(name, "out") == 0)
        return obb_path_join(arena, v->project->out, v->name);
    return obb_starts(name, "region:") ? region_fact(v, name + 7, arena) : NULL;
}

char *obb_variant_own_folder(obb_arena *arena, const char *folder, const char *scope)
{
    return scope ? obb_arena_format(arena, "%s/thirdparty/%s", folder, scope)
                 : obb_arena_string(arena, folder);
}

typedef struct asker {
    const obb_variant *variant;
    const char *scope;
    obb_arena *arena;
} asker;

static bool value_of(void *self, const char *name, bool alone, obb_words *words)
{
    const asker *a = self;
    const char *value = obb_variant_fact(a->variant, a->scope, name, a->arena);
    if (value && strcmp(name, "out") == 0)
        value = obb_variant_own_folder(a->arena, value, a->scope);
    (void)alone;
    if (value)
        obb_vec_push(words, value);
    return value != NULL;
}

const char *obb_fill_facts(const obb_variant *v, const char *scope, const char *word, obb_arena *arena)
{
    asker a = {v, scope, arena};
    const obb_fill fill = {value_of, &a};
    obb_words filled = {0};
    obb_fill_word(&fill, word, arena, &filled);
    return filled.at[0];
}

void obb_report_no_fact(const obb_variant *v, const char *name, obb_place place, obb_diags *diags)
{
    obb_words names = {0};
    if (obb_starts(name, "axis:")) {
        obb_no_such_axis(v->project, name + strlen("axis:"), place, diags);
        return;
    }
    name += strlen("region:");
    for (size_t i = 0; i < v->memory.count; i++)
        obb_arena_push(v->project->arena, &names, v->memory.at[i].name);
    obb_arena_push(v->project->arena, &names, NULL);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, place, "platform `%s` has no region `%s`",
                            v->platform->name, name);
    obb_hint_nearest(diags, d, name, names.at);
    if (!d->hint)
        obb_hint(diags, d,
                 "regions stand in its `memory`; {region:NAME} is the first address, {region:NAME.end} the "
                 "one behind, {region:NAME.length} the bytes");
}
