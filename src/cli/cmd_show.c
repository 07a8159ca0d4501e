/* The command `show`: what the description says and what was found, in tables.
 *
 * One function for each kind of table. All tables are filled row by row and printed by terminal.h, as text
 * or as JSON, so both say the same. Only what a table needs is read or asked: tools are not asked for a
 * table of targets. */
#include <limits.h>
#include <stdio.h>
#include <string.h>
#include <sys/utsname.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "toolchain/spell.h"
#include "toolchain/system.h"

static char *place_text(const session *s, const obb_place *p)
{
    if (!p->file || !p->line || p->file[0] == '<')
        return obb_arena_string(s->w->arena, "built in");
    return obb_arena_format(s->w->arena, "%s:%d", p->file, p->line);
}

static char *joined(const session *s, const obb_words *words, const char *between)
{
    obb_text text = {0};
    for (size_t i = 0; i < words->count; i++)
        obb_text_format(&text, "%s%s", i ? between : "", words->at[i]);
    char *copy = obb_arena_string(s->w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

/* A variant of the platform, to tell about it; NULL when its description is wrong. */
static const obb_variant *some_variant(session *s, const char *platform)
{
    obb_diags *ignored = obb_diags_new();
    const char *const *configurations = obb_project_definition_names(s->w->project,
                                                                     OBB_CONFIGURATION_DEFINITION);
    const obb_variant *v = obb_project_variant(s->w->project, platform, configurations[0], NULL, OBB_NOWHERE,
                                               ignored);
    obb_diags_free(ignored);
    return v;
}

/* --- targets and variants ----------------------------------------------------------- */

static const char *kind_text(const obb_target *t)
{
    static const char *const libraries[] = {"static library", "shared library", "static and shared library",
                                            "plug-in"};
    static const char *const others[] = {"program", "", "image", "group", "step", "test"};
    if (t->kind != OBB_LIBRARY)
        return others[t->kind];
    return obb_has_sources(t) ? libraries[t->library] : "library of headers";
}

static char *image_text(const session *s, const obb_target *t)
{
    obb_text text = {0};
    for (size_t i = 0; i < t->formats.count; i++)
        obb_text_format(&text, "%simg/%s.%s", i ? ", " : "", t->output, t->formats.at[i].text);
    if (!t->formats.count)
        obb_text_format(&text, "img/%s.bin", t->output);
    char *copy = obb_arena_string(s->w->arena, text.bytes);
    obb_text_free(&text);
    return copy;
}

static char *makes_text(const session *s, const obb_target *t)
{
    obb_words paths = {0};
    for (size_t i = 0; i < t->makes.count; i++)
        obb_arena_push(s->w->arena, &paths, t->makes.at[i].path);
    return joined(s, &paths, ", ");
}

static char *product_text(const session *s, const obb_variant *v, const obb_target *t)
{
    obb_arena *a = s->w->arena;
    obb_naming n = obb_naming_for(v, NULL);
    if (t->kind == OBB_STEP)
        return makes_text(s, t);
    if (t->kind == OBB_IMAGE)
        return image_text(s, t);
    if (t->kind == OBB_GROUP || !(obb_has_sources(t) || t->executable.text))
        return obb_arena_string(a, "");
    char *path = obb_product_path(a, &n, "", t, false);
    path += *path == '/';
    bool both = t->kind == OBB_LIBRARY && t->library == OBB_BOTH;
    return both ? obb_arena_format(a, "%s, %s", path, obb_product_path(a, &n, "", t, true) + 1) : path;
}

static char *uses_text(const session *s, const obb_target *t)
{
    obb_words names = {0};
    for (size_t i = 0; i < t->uses.count; i++)
        obb_arena_push(s->w->arena, &names, t->uses.at[i].target->name);
    return joined(s, &names, " ");
}

static char *only_text(const session *s, const obb_target *t)
{
    obb_words conditions = {0};
    for (size_t i = 0; i < t->properties.count; i++)
        if (t->properties.at[i].test)
            obb_arena_push(s->w->arena, &conditions, t->properties.at[i].test_words);
    return joined(s, &conditions, " and ");
}

/* As they are in the first of the chosen variants. */
static int show_targets(session *s)
{
    obb_target_list defaults = {0};
    table t = {.name = "targets"};
    bool *wanted = obb_arena_alloc(s->w->arena, s->w->project->targets.count + 1);
    int code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    const obb_variant *v = s->w->variants.at[0];
    obb_default_targets(s->w->project, s->w->arena, &defaults);
    for (size_t i = 0; i < defaults.count; i++)
        obb_want_target(v, defaults.at[i], wanted);
    table_row(&t, "target", "kind", "default", "product", "uses", "only", "described", "summary");
    for (size_t i = 0; i < s->w->project->targets.count; i++) {
        const obb_target *target = obb_in(v, s->w->project->targets.at[i]);
        table_row(&t, target->name, kind_text(target),
                  obb_left_out(v, target) ? "left out"
                  : wanted[i]             ? "yes"
                                          : "no",
                  product_text(s, v, target), uses_text(s, target),
                  only_text(s, s->w->project->targets.at[i]), place_text(s, &target->place), target->summary);
    }
    table_print(&t, s->options->json);
    return 0;
}

static char *lineups_with(session *s, const char *variant)
{
    obb_words names = {0};
    for (size_t i = 0; i < s->w->project->lineups.count; i++) {
        obb_variants of_lineup = {0};
        obb_project_lineup_variants(s->w->project, s->w->project->lineups.at[i], NULL, s->w->diags,
                                    &of_lineup);
        for (size_t k = 0; k < of_lineup.count; k++)
            if (strcmp(of_lineup.at[k]->name, variant) == 0)
                obb_arena_push(s->w->arena, &names, s->w->project->lineups.at[i]->name);
    }
    return joined(s, &names, " ");
}

static void variant_row(session *s, table *t, const char *name, const obb_definition *configuration)
{
    bool is_default = false;
    for (size_t k = 0; k < s->w->variants.count; k++)
        is_default = is_default || strcmp(s->w->variants.at[k]->name, name) == 0;
    table_row(t, name, is_default ? "yes" : "no", lineups_with(s, name), place_text(s, &configuration->place),
              configuration->summary);
}

/* Every platform with every configuration, and those of lineups that set more. */
static int show_variants(session *s)
{
    table t = {.name = "variants"};
    obb_map shown = {0};
    const obb_definitions *platforms = &s->w->project->definitions[OBB_PLATFORM_DEFINITION];
    const obb_definitions *configurations = &s->w->project->definitions[OBB_CONFIGURATION_DEFINITION];
    int code = obb_workspace_choose_variants(s->w);
    table_row(&t, "variant", "default", "lineups", "described", "summary");
    for (size_t p = 0; p < platforms->count; p++)
        for (size_t c = 0; c < configurations->count; c++) {
            char *name = obb_arena_format(s->w->arena, "%s.%s", platforms->at[p]->name,
                                          configurations->at[c]->name);
            obb_map_put(&shown, name, s);
            variant_row(s, &t, name, configurations->at[c]);
        }
    for (size_t i = 0; i < s->w->project->lineups.count; i++) {
        obb_variants more = {0};
        obb_project_lineup_variants(s->w->project, s->w->project->lineups.at[i], NULL, s->w->diags, &more);
        for (size_t k = 0; k < more.count; k++)
            if (!obb_map_put(&shown, more.at[k]->name, s))
                variant_row(s, &t, more.at[k]->name, more.at[k]->configuration);
    }
    obb_map_free(&shown);
    table_print(&t, s->options->json);
    return code;
}

static int show_lineups(session *s)
{
    table t = {.name = "lineups"};
    table_row(&t, "lineup", ">variants", "variant", "described");
    for (size_t i = 0; i < s->w->project->lineups.count; i++) {
        const obb_lineup *l = s->w->project->lineups.at[i];
        obb_variants variants = {0};
        obb_project_lineup_variants(s->w->project, l, NULL, s->w->diags, &variants);
        for (size_t k = 0; k < variants.count; k++)
            table_row(&t, l->name, obb_arena_format(s->w->arena, "%zu", variants.count), variants.at[k]->name,
                      place_text(s, &l->place));
    }
    table_print(&t, s->options->json);
    return obb_workspace_tell(s->w);
}

/* --- one target --------------------------------------------------------------------- */

static const obb_target *the_target(session *s, const char *what)
{
    if (s->options->request.names.count != 2) {
        obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`show %s` needs one target", what,
                           "`obbligato show targets` lists them");
        return NULL;
    }
    const obb_target *t = obb_project_named(s->w->project, NULL, s->options->request.names.at[1]);
    if (!t) {
        obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no target `%s`",
                                s->options->request.names.at[1]);
        obb_hint_nearest(s->w->diags, d, s->options->request.names.at[1],
                         obb_project_target_names(s->w->project));
        obb_workspace_tell(s->w);
    }
    return t;
}

static char *origin_text(const session *s, const obb_origin_setting *o)
{
    static const char *const forms[] = {"toolchain %s", "platform %s", "configuration %s", "axes of %s",
                                        "project %s",
                                        "shared by %s", "target %s", "for %s"};
    return obb_arena_format(s->w->arena, forms[o->layer], o->owner);
}

/* The name of the variant stands in each row when there are several, or for a program. */
static void settings_row(table *t, const char *variant, obb_setting_id id, const char *value,
                         const char *from, const char *place)
{
    if (t->columns == 5)
        table_row(t, variant, obb_setting_infos[id].word, value, from, place);
    else
        table_row(t, obb_setting_infos[id].word, value, from, place);
}

/* What the .pc files of a `metadata` setting gave. */
static void metadata_rows(session *s, table *t, const obb_variant *v, const obb_origin_setting *o)
{
    obb_toolchain *tc = s->w->toolchains ? obb_toolchains_for(s->w->toolchains, v) : NULL;
    obb_metadata gave = {0};
    if (!tc || !obb_toolchain_need(tc, OBB_TOOL_C, "show", o->place, s->w->diags) ||
        !obb_system_metadata(tc, o->value, o->place, "show", s->w->diags, &gave))
        return;
    const obb_words *both[] = {&gave.compile, &gave.link};
    for (int i = 0; i < 2; i++)
        if (both[i]->count)
            settings_row(t, v->name, OBB_SET_METADATA,
                         obb_arena_format(s->w->arena, "%s: %s", i ? "link" : "compile",
                                          joined(s, both[i], " ")),
                         obb_arena_format(s->w->arena, "%.*s.pc", (int)strcspn(o->value, " "), o->value), "");
}

static void settings_of(session *s, table *t, const obb_variant *variant, const obb_target *target)
{
    obb_flat_settings flat = obb_resolve(variant, target, NULL, s->w->arena);
    for (int id = 0; id < OBB_SETTING_COUNT; id++)
        for (size_t i = 0; i < flat.count; i++)
            if ((int)flat.at[i].id == id) {
                settings_row(t, variant->name, flat.at[i].id, flat.at[i].value, origin_text(s, &flat.at[i]),
                             place_text(s, &flat.at[i].place));
                if (id == OBB_SET_METADATA)
                    metadata_rows(s, t, variant, &flat.at[i]);
            }
    for (size_t f = 0; f < target->for_files.count; f++) {
        const obb_for *block = &target->for_files.at[f];
        for (size_t i = 0; i < block->settings.count; i++)
            settings_row(t, variant->name, block->settings.at[i].id,
                         obb_fill_facts(variant, block->settings.at[i].place.scope,
                                        block->settings.at[i].value, s->w->arena),
                         obb_arena_format(s->w->arena, "for %s", block->patterns.at[0].text),
                         place_text(s, &block->settings.at[i].place));
    }
}

static int show_settings(session *s)
{
    const obb_target *described = the_target(s, "settings");
    int code = described ? obb_workspace_open_state(s->w, false) : OBB_FAULT_USAGE;
    if (!code)
        code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    table t = {.name = "settings", .columns = s->options->json || s->w->variants.count > 1 ? 5 : 4};
    if (t.columns == 5)
        table_row(&t, "variant", "setting", "value", "from", "stated at");
    else
        table_row(&t, "setting", "value", "from", "stated at");
    for (size_t v = 0; v < s->w->variants.count; v++) {
        obb_report_refusals(s->w->variants.at[v], described, s->w->diags);
        settings_of(s, &t, s->w->variants.at[v], obb_in(s->w->variants.at[v], described));
    }
    if (t.columns == 4)
        terminal_say(stdout, "%s in the variant %s:\n", described->name, s->w->variants.at[0]->name);
    table_print(&t, s->options->json);
    return obb_workspace_tell(s->w);
}

static void add_made_file(session *s, const obb_variant *v, const char *path, obb_file_list *files)
{
    const char *folder = obb_variant_folder(s->w->arena, s->w->out, v);
    obb_arena_push(s->w->arena, files,
                   obb_files_number(s->w->files, obb_path_join(s->w->arena, folder, path)));
}

/* What steps make of its sources, below the folder of the variant. */
static void add_made(session *s, const obb_variant *v, const obb_target *target, obb_file_list *files)
{
    for (size_t i = 0; i < target->made_of.count; i++)
        if (target->made_of.at[i].source)
            add_made_file(s, v, target->made_of.at[i].path, files);
    for (size_t i = 0; i < target->uses.count && target->kind != OBB_STEP; i++) {
        const obb_target *step = obb_in(v, target->uses.at[i].target);
        for (size_t k = 0; obb_compiles_all_of(&target->uses.at[i]) && k < step->makes.count; k++)
            if (obb_language_of(step->makes.at[k].path) != OBB_NO_LANGUAGE)
                add_made_file(s, v, step->makes.at[k].path, files);
    }
}

static const char *how_compiled(const char *path)
{
    obb_language language = obb_language_of(path);
    return language != OBB_NO_LANGUAGE                   ? obb_language_name(language)
           : obb_is_header(path)                         ? "header, not compiled"
           : obb_is_object(path) || obb_is_archive(path) ? "linked as it is"
                                                         : "nothing compiles it";
}

/* The files that it replaces in some of the variants. */
static char *stands_in_for(session *s, const obb_replaced_list *replaced, obb_file file)
{
    obb_words names = {0};
    for (size_t i = 0; i < replaced->count; i++)
        if (replaced->at[i].by == file)
            obb_arena_push(s->w->arena, &names, obb_files_path(s->w->files, replaced->at[i].file));
    return joined(s, &names, ", ");
}

static int show_sources(session *s)
{
    const obb_target *target = the_target(s, "sources");
    obb_file_list files = {0};
    obb_replaced_list replaced = {0};
    table t = {.name = "sources"};
    int code = target ? obb_workspace_choose_variants(s->w) : OBB_FAULT_USAGE;
    if (code)
        return code;
    for (size_t v = 0; v < s->w->variants.count; v++) {
        obb_patterns_expand(&obb_in(s->w->variants.at[v], target)->sources, s->w->files, s->w->arena,
                            s->w->diags, &files, &replaced);
        add_made(s, s->w->variants.at[v], obb_in(s->w->variants.at[v], target), &files);
    }
    table_row(&t, "source", "language", "instead of");
    for (size_t i = 0; i < files.count; i++) {
        const char *path = obb_files_path(s->w->files, files.at[i]);
        bool again = false;
        for (size_t k = 0; k < i; k++)
            again = again || files.at[k] == files.at[i];
        if (!again)
            table_row(&t, path, how_compiled(path), stands_in_for(s, &replaced, files.at[i]));
    }
    table_print(&t, s->options->json);
    return obb_workspace_tell(s->w);
}

/* --- toolchains and platforms ------------------------------------------------------- */

/* "Debian: gcc-arm-none-eabi"; "" when nothing is known. */
static const char *package_of(session *s, const obb_toolchain *tc, const obb_tool *tool)
{
    const char *package = obb_tool_package(s->w->arena, tc, tool);
    return package ? obb_arena_format(s->w->arena, "Debian: %s", package) : "";
}

/* "arm-none-eabi-gcc 12.2.1", or what is missing and what has it. */
static char *tool_text(session *s, obb_toolchain *tc, obb_role role)
{
    obb_diags *ignored = obb_diags_new();
    const obb_tool *tool = obb_toolchain_need(tc, role, "show", OBB_NOWHERE, ignored);
    const char *name = tc->tools[role].wanted;
    char *text;
    obb_diags_free(ignored);
    if (!tool && !tc->tools[role].command.count) {
        const char *package = package_of(s, tc, &tc->tools[role]);
        text = obb_arena_format(s->w->arena, "missing: %s%s%s%s", name, *package ? " (" : "", package,
                                *package ? ")" : "");
    } else if (!tool) {
        text = obb_arena_format(s->w->arena, "unfit: %s", name);
    } else {
        const char *from = strstr(tool->version, "version "),
                   *number = strpbrk(from ? from : tool->version, "0123456789");
        text = obb_arena_format(s->w->arena, "%s %.*s", obb_path_name(tool->command.at[0]),
                                number ? (int)strspn(number, "0123456789.") : 0, number ? number : "");
    }
    return text;
}

static const char *named_by(const session *s, const obb_tool *tool, const obb_toolchain *tc)
{
    if (tool->from_variable)
        return tool->variable;
    return obb_arena_format(s->w->arena, "%s, or %s",
                            strcmp(tc->name, "host") == 0 ? "default" : "description", tool->variable);
}

static void toolchain_rows(session *s, table *t, obb_toolchain *tc)
{
    obb_diags *ignored = obb_diags_new();
    for (int role = 0; role < OBB_ROLE_COUNT; role++) {
        const obb_tool *tool = &tc->tools[role];
        static const obb_words none;
        bool not_for_it = role == OBB_TOOL_INTEL_ASSEMBLER && tc->tools[OBB_TOOL_C].asked &&
                          !obb_intel_format(tc->tools[OBB_TOOL_C].target, &none);
        bool same_as_c = role == OBB_TOOL_ASSEMBLER && obb_same(tool->wanted, tc->tools[OBB_TOOL_C].wanted);
        if (same_as_c || not_for_it || (tc->custom && (!tool->wanted || !*tool->wanted)) ||
            role == OBB_TOOL_DEBUGGER)
            continue;
        obb_toolchain_need(tc, (obb_role)role, "show", OBB_NOWHERE, ignored);
        const char *package = package_of(s, tc, tool);
        table_row(t, tc->name, tool->role_name,
                  tool->command.count
                      ? joined(s, &tool->command, " ")
                      : obb_arena_format(s->w->arena, "(%s %s%s%s)", tool->wanted,
                                         obb_program_absence(tool->wanted), *package ? "; " : "", package),
                  named_by(s, tool, tc), tool->target, obb_toolchain_standards(tc, tool, s->w->arena),
                  tool->version);
    }
    obb_diags_free(ignored);
}

static int show_toolchains(session *s)
{
    table t = {.name = "toolchains"};
    const obb_definitions *toolchains = &s->w->project->definitions[OBB_TOOLCHAIN_DEFINITION];
    const obb_definitions *platforms = &s->w->project->definitions[OBB_PLATFORM_DEFINITION];
    int code = obb_workspace_open_state(s->w, false);
    if (code)
        return code;
    table_row(&t, "toolchain", "tool", "program", "named by", "target", "standards", "version");
    for (size_t i = 0; i < toolchains->count; i++) {
        const obb_variant *v = NULL;
        for (size_t p = 0; p < platforms->count && !(v && v->toolchain == toolchains->at[i]); p++)
            v = some_variant(s, platforms->at[p]->name);
        if (v && v->toolchain == toolchains->at[i])
            toolchain_rows(s, &t, obb_toolchains_for(s->w->toolchains, v));
        else
            table_row(&t, toolchains->at[i]->name, "(no platform uses it)", "", "", "", "", "");
    }
    table_print(&t, s->options->json);
    return 0;
}

static char *size_text(const session *s, uint64_t bytes)
{
    unsigned long long n = bytes;
    return n && n % (1 << 20) == 0 ? obb_arena_format(s->w->arena, "%lluM", n >> 20)
           : n % 1024 == 0         ? obb_arena_format(s->w->arena, "%lluK", n >> 10)
                                   : obb_arena_format(s->w->arena, "%llu", n);
}

static int show_platforms(session *s)
{
    table t = {.name = "platforms"};
    const obb_definitions *platforms = &s->w->project->definitions[OBB_PLATFORM_DEFINITION];
    int code = obb_workspace_open_state(s->w, false);
    if (code)
        return code;
    table_row(&t, "platform", "os", "cpu", "libc", "toolchain", "C compiler", "memory", "runner", "summary");
    for (size_t i = 0; i < platforms->count; i++) {
        const obb_variant *v = some_variant(s, platforms->at[i]->name);
        obb_words memory = {0};
        if (!v) {
            table_row(&t, platforms->at[i]->name, "", "", "", "",
                      "(its description is wrong: obbligato validate)", "", "", "");
            continue;
        }
        for (size_t r = 0; r < v->memory.count; r++)
            obb_arena_push(s->w->arena, &memory,
                           obb_arena_format(s->w->arena, "%s %s", v->memory.at[r].name,
                                            size_text(s, v->memory.at[r].length)));
        table_row(&t, v->platform->name, obb_variant_value(v, OBB_AXIS_OS),
                  obb_variant_value(v, OBB_AXIS_CPU), obb_variant_value(v, OBB_AXIS_LIBC), v->toolchain->name,
                  tool_text(s, obb_toolchains_for(s->w->toolchains, v), OBB_TOOL_C), joined(s, &memory, ", "),
                  v->runner ? v->runner->name : "", v->platform->summary);
    }
    table_print(&t, s->options->json);
    return 0;
}

/* --- checks ------------------------------------------------------------------------- */

static const char *subject_text(const session *s, const obb_check *c)
{
    return c->of ? obb_arena_format(s->w->arena, "%s of %s", c->subject, c->of) : c->subject;
}

static const char *answer_text(const session *s, const obb_check *c, const obb_check_answer *a)
{
    bool value = c->kind == OBB_CHECK_SIZE || c->kind == OBB_CHECK_CONSTANT;
    return !a->asked              ? "not asked"
           : !a->holds            ? "no"
           : value                ? obb_arena_format(s->w->arena, "%lld", (long long)a->value)
                                  : "yes";
}

static int show_checks(session *s)
{
    table t = {.name = "checks"};
    int code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    table_row(&t, "check", "of", "variant", "answer", "macro", "why not", "described");
    for (size_t i = 0; i < s->w->project->checks.count; i++)
        for (size_t v = 0; v < s->w->variants.count; v++) {
            const obb_check *c = s->w->project->checks.at[i];
            const obb_check_answer *a = &obb_check_answers(s->w->variants.at[v])[i];
            table_row(&t, obb_check_kind_names[c->kind], subject_text(s, c), s->w->variants.at[v]->name,
                      answer_text(s, c, a), c->macro ? c->macro : "", a->words ? a->words : "",
                      place_text(s, &c->place));
        }
    code = obb_workspace_tell(s->w);
    table_print(&t, s->options->json);
    int unwritten = s->w->state ? obb_workspace_commit(s->w, 0) : 0;
    return code ? code : unwritten;
}

/* --- axes --------------------------------------------------------------------------- */

static int show_axes(session *s)
{
    table t = {.name = "axes"};
    int code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    const obb_variant *v = s->w->variants.at[0];
    table_row(&t, "axis", "value", "set by", "values", "macros", "described", "summary");
    for (size_t i = 0; i < s->w->project->axes.count; i++) {
        const obb_axis *axis = s->w->project->axes.at[i];
        table_row(&t, axis->name, v->values[i], v->value_from[i],
                  obb_arena_format(s->w->arena, "%s%s", joined(s, &axis->values, " "),
                                   axis->open ? " ..." : ""),
                  axis->define ? obb_arena_format(s->w->arena, "%s_...", axis->define) : "",
                  place_text(s, &axis->place), axis->summary);
    }
    if (!s->options->json)
        terminal_say(stdout, "In the variant %s:\n", v->name);
    table_print(&t, s->options->json);
    return 0;
}

/* --- this machine ------------------------------------------------------------------- */

static void machine_rows(session *s, table *t)
{
    struct utsname name;
    const obb_host *h = s->w->project->host;
    if (uname(&name) >= 0)
        table_row(t, "operating system",
                  obb_arena_format(s->w->arena, "%s (%s %s)", h->os, name.sysname, name.release));
    table_row(t, "processor", obb_arena_format(s->w->arena, "%s, %s-endian", h->cpu, h->endian));
    table_row(t, "processors for this process",
              obb_arena_format(s->w->arena, "%u", uv_available_parallelism()));
    table_row(t, "memory",
              obb_arena_format(s->w->arena, "%llu MiB", (unsigned long long)(uv_get_total_memory() >> 20)));
    table_row(t, "C library", h->libc);
}

static int show_machine(session *s)
{
    table t = {.name = "machine"};
    int code = obb_workspace_open_state(s->w, false);
    if (code)
        return code;
    const obb_variant *v = some_variant(s, "host");
    table_row(&t, "fact", "value");
    machine_rows(s, &t);
    for (int role = 0; role < OBB_ROLE_COUNT && v; role++)
        if (role != OBB_TOOL_ASSEMBLER)
            table_row(&t, obb_toolchains_for(s->w->toolchains, v)->tools[role].role_name,
                      tool_text(s, obb_toolchains_for(s->w->toolchains, v), (obb_role)role));
    table_row(&t, "obbligato", OBB_VERSION);
    table_print(&t, s->options->json);
    return 0;
}

/* --- show --------------------------------------------------------------------------- */

/* What is not fetched yet can be listed, though nothing else is known of the project then. */
static int read_for(session *s, const char *what)
{
    if (strcmp(what, "thirdparty") != 0)
        return obb_workspace_read_project(s->w);
    obb_workspace_read_descriptions(s->w);
    return obb_workspace_tell(s->w);
}

int command_show(session *s)
{
    static const struct { const char *name; int (*show)(session *);
    } known[] = {{"targets", show_targets},     {"variants", show_variants},
                 {"lineups", show_lineups},
                 {"platforms", show_platforms}, {"toolchains", show_toolchains},
                 {"axes", show_axes},           {"settings", show_settings},
                 {"sources", show_sources},     {"machine", show_machine},
                 {"tests", show_tests},         {"checks", show_checks},
                 {"launches", show_launches},   {"devices", show_devices},
                 {"thirdparty", show_thirdparty},
                 {"deliveries", show_deliveries},
                 {"store", show_store},
                 {"farm", show_farm}};
    enum { KNOWN = sizeof known / sizeof *known };
    const char *what = s->options->request.names.count ? s->options->request.names.at[0] : "targets";
    const char *names[KNOWN + 1] = {NULL};
    int code = read_for(s, what);
    for (size_t i = 0; i < KNOWN && !code; i++) {
        names[i] = known[i].name;
        if (strcmp(known[i].name, what) == 0)
            return known[i].show(s);
    }
    if (code)
        return code;
    obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "nothing to show is named `%s`", what);
    obb_hint_nearest(s->w->diags, d, what, names);
    if (!d->hint)
        obb_hint(s->w->diags, d,
                 "targets, variants, lineups, platforms, toolchains, axes, checks, settings TARGET, sources "
                 "TARGET, "
                 "tests, launches, devices, thirdparty, deliveries, machine, store, farm");
    return obb_workspace_tell(s->w);
}
