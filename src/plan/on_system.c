/* What a system has of third-party code (on_system.h). */
#include "plan/on_system.h"

#include "base/path.h"
#include "project/check.h"
#include "toolchain/dialect.h"
#include "toolchain/spell.h"
#include "toolchain/system.h"

static bool has_header(const obb_check_context *c, const obb_dialect *d, const char *name)
{
    bool found = false;
    for (size_t i = 0; i < d->folders.count && !found; i++)
        found = obb_files_is_file(c->files,
                                  obb_files_number(c->files,
                                                   obb_path_join(c->arena, d->folders.at[i], name)));
    return found;
}

/* The flags of compiles and of links in a project where nothing else is stated. */
static void find_flags(const obb_check_context *c, const obb_variant *v, const obb_tool *tool,
                       obb_words *compile, obb_words *link)
{
    const obb_checks nothing = {0};
    const obb_flat_settings settings = obb_resolve_checks(v, &nothing, c->arena);
    const obb_compile_facts facts = {.machine = tool->target, .language = OBB_C, .settings = &settings};
    const obb_toolchain *tc = obb_toolchains_for(c->toolchains, v);
    if (tc->custom)
        obb_spell_custom(tc->custom, OBB_C, &settings, c->arena, compile);
    else
        obb_spell_compile(&facts, c->arena, compile);
    for (size_t i = 0; i < compile->count; i++)
        obb_arena_push(c->arena, link, compile->at[i]);
    for (size_t i = 0; i < settings.count; i++)
        if (settings.at[i].id == OBB_SET_LINK_FLAGS)
            obb_arena_push(c->arena, link, settings.at[i].value);
}

bool obb_system_offers(const obb_check_context *c, const obb_variant *v, const obb_thirdparty *other)
{
    const obb_on_system *system = other->system;
    obb_toolchain *tc = obb_toolchains_for(c->toolchains, v);
    const obb_tool *tool = obb_toolchain_need(tc, OBB_TOOL_C, "system", OBB_NOWHERE, c->diags);
    obb_metadata metadata = {0};
    if (!tool)
        return false;
    if (system->metadata)
        return obb_system_metadata(tc, system->metadata, system->place, other->name, c->diags, &metadata);
    obb_words compile = {0}, link = {0};
    find_flags(c, v, tool, &compile, &link);
    const obb_dialect *d = obb_dialect_for(tc, tool, OBB_C, &compile);
    bool found = d->ok;
    for (size_t i = 0; i < system->headers.count && found; i++)
        found = has_header(c, d, system->headers.at[i]);
    for (size_t i = 0; i < system->libs.count && found; i++)
        found = obb_system_library(tc, tool, &link, system->libs.at[i]) != OBB_NO_FILE;
    return found;
}
