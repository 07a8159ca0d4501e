/* The commands that tell what is described: show, validate, export. */
#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"
#include "toolchain/spell.h"

static char *place_text(const session *s, const obb_place *p)
{
    if (!p->file || !p->line || p->file[0] == '<')
        return obb_arena_string(s->arena, "built in");
    return obb_arena_format(s->arena, "%s:%d", p->file, p->line);
}

/* --- targets and variants ----------------------------------------------------------- */

static const char *kind_text(const obb_target *t)
{
    static const char *const libraries[] = {"static library", "shared library", "static and shared library"};
    if (t->kind == OBB_PROGRAM)
        return "program";
    if (t->kind == OBB_GROUP)
        return "group";
    return obb_has_sources(t) ? libraries[t->library] : "library of headers";
}

static char *product_text(const session *s, const obb_target *t)
{
    obb_arena *a = s->arena;
    if (t->kind == OBB_PROGRAM)
        return obb_program_path(a, "", t->output) + 1;
    if (t->kind == OBB_GROUP || !obb_has_sources(t))
        return obb_arena_string(a, "");
    if (t->library == OBB_STATIC)
        return obb_static_path(a, "", t->output) + 1;
    if (t->library == OBB_SHARED)
        return obb_shared_path(a, "", t->output) + 1;
    return obb_arena_format(a, "%s, %s", obb_static_path(a, "", t->output) + 1, obb_shared_path(a, "", t->output) + 1);
}

static char *uses_text(const session *s, const obb_target *t)
{
    obb_text text = {0};
    for (size_t i = 0; i < t->uses.count; i++)
        obb_text_format(&text, "%s%s", i ? " " : "", t->uses.at[i].name);
    char *copy = obb_arena_string(s->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static int show_targets(session *s)
{
    obb_target_list defaults = {0};
    table t = {.name = "targets", .columns = 7};
    bool *wanted = obb_arena_alloc(s->arena, s->project->targets.count);
    obb_default_targets(s->project, s->arena, &defaults);
    for (size_t i = 0; i < defaults.count; i++)
        obb_want_target(defaults.at[i], wanted);
    table_row(&t, "target", "kind", "default", "product", "uses", "described", "summary");
    for (size_t i = 0; i < s->project->targets.count; i++) {
        const obb_target *target = s->project->targets.at[i];
        table_row(&t, target->name, kind_text(target), wanted[i] ? "yes" : "no", product_text(s, target),
                  uses_text(s, target), place_text(s, &target->place), target->summary);
    }
    table_print(&t, s->options->json);
    return 0;
}

static int show_variants(session *s)
{
    table t = {.name = "variants", .columns = 4};
    table_row(&t, "variant", "default", "described", "summary");
    int code = session_choose_variants(s);
    for (size_t i = 0; i < s->project->configurations.count; i++) {
        const obb_configuration *c = s->project->configurations.at[i];
        char *name = obb_arena_format(s->arena, "host.%s", c->name);
        bool is_default = false;
        for (size_t k = 0; k < s->variants.count; k++)
            is_default = is_default || strcmp(s->variants.at[k]->name, name) == 0;
        table_row(&t, name, is_default ? "yes" : "no", place_text(s, &c->place), c->summary);
    }
    table_print(&t, s->options->json);
    return code;
}

/* --- one target --------------------------------------------------------------------- */

static const obb_target *the_target(session *s, const char *what)
{
    if (s->options->names.count != 2) {
        session_fail(s, OBB_FAULT_USAGE, "`show %s` wants one target", what, "`obbligato show targets` lists them");
        return NULL;
    }
    const obb_target *t = obb_project_target(s->project, s->options->names.at[1]);
    if (!t) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no target `%s`",
                                s->options->names.at[1]);
        obb_hint_nearest(s->diags, d, s->options->names.at[1], obb_project_target_names(s->project));
        session_show_diags(s);
    }
    return t;
}

static char *origin_text(const session *s, const obb_origin_setting *o)
{
    static const char *const forms[] = {"toolchain %s", "platform %s", "configuration %s", "project %s",
                                        "shared by %s", "target %s", "for %s"};
    return obb_arena_format(s->arena, forms[o->layer], o->owner);
}

static int show_settings(session *s)
{
    const obb_target *target = the_target(s, "settings");
    int code = target ? session_choose_variants(s) : OBB_FAULT_USAGE;
    table t = {.name = "settings", .columns = 5};
    if (code)
        return code;
    table_row(&t, "variant", "setting", "value", "from", "stated at");
    for (size_t v = 0; v < s->variants.count; v++) {
        obb_flat_settings flat = obb_resolve(s->project, s->variants.at[v], target, NULL, s->arena);
        for (int id = 0; id < OBB_SETTING_COUNT; id++)
            for (size_t i = 0; i < flat.count; i++)
                if ((int)flat.at[i].id == id)
                    table_row(&t, s->variants.at[v]->name, obb_setting_infos[id].word, flat.at[i].value,
                              origin_text(s, &flat.at[i]), place_text(s, &flat.at[i].place));
        for (size_t f = 0; f < target->for_files.count; f++) {
            const obb_for *block = &target->for_files.at[f];
            for (size_t i = 0; i < block->settings.count; i++)
                table_row(&t, s->variants.at[v]->name, obb_setting_infos[block->settings.at[i].id].word,
                          block->settings.at[i].value,
                          obb_arena_format(s->arena, "for %s", block->patterns.at[0].text),
                          place_text(s, &block->settings.at[i].place));
        }
    }
    table_print(&t, s->options->json);
    return 0;
}

static int show_sources(session *s)
{
    const obb_target *target = the_target(s, "sources");
    obb_file_list files = {0};
    table t = {.name = "sources", .columns = 2};
    if (!target)
        return OBB_FAULT_USAGE;
    obb_patterns_expand(&target->sources, s->files, s->arena, s->diags, &files);
    table_row(&t, "source", "language");
    for (size_t i = 0; i < files.count; i++) {
        const char *path = obb_files_path(s->files, files.at[i]);
        obb_language language = obb_language_of(path);
        table_row(&t, path, language != OBB_NO_LANGUAGE ? obb_language_name(language)
                            : obb_is_header(path)       ? "header, not compiled"
                                                        : "nothing compiles it");
    }
    table_print(&t, s->options->json);
    return session_show_diags(s);
}

/* --- toolchains --------------------------------------------------------------------- */

static int show_toolchains(session *s)
{
    table t = {.name = "toolchains", .columns = 6};
    int code = session_open_state(s, false);
    obb_diags *ignored = obb_diags_new();
    if (!code)
        table_row(&t, "toolchain", "tool", "program", "named by", "target", "version");
    for (int role = 0; role < OBB_ROLE_COUNT && !code; role++) {
        const obb_tool *tool = &s->toolchain->tools[role];
        obb_toolchain_need(s->toolchain, (obb_role)role, "show", OBB_NOWHERE, ignored);
        table_row(&t, s->toolchain->name, tool->role_name,
                  tool->command.count ? tool->command.at[0]
                                      : obb_arena_format(s->arena, "(%s is not on PATH)", tool->wanted),
                  tool->from_variable ? tool->variable
                                      : obb_arena_format(s->arena, "default, or %s", tool->variable),
                  tool->target, tool->version);
    }
    if (!code)
        table_print(&t, s->options->json);
    obb_diags_free(ignored);
    return code;
}

/* --- show --------------------------------------------------------------------------- */

int command_show(session *s)
{
    static const struct { const char *name; int (*show)(session *); } known[] = {
        {"targets", show_targets}, {"variants", show_variants}, {"settings", show_settings},
        {"sources", show_sources}, {"toolchains", show_toolchains}};
    const char *what = s->options->names.count ? s->options->names.at[0] : "targets";
    const char *names[] = {"targets", "variants", "settings", "sources", "toolchains", NULL};
    int code = session_read_project(s);
    for (size_t i = 0; i < sizeof known / sizeof *known && !code; i++)
        if (strcmp(known[i].name, what) == 0)
            return known[i].show(s);
    if (code)
        return code;
    obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "nothing to show is named `%s`", what);
    obb_hint_nearest(s->diags, d, what, names);
    if (!d->hint)
        obb_hint(s->diags, d, "targets, variants, settings TARGET, sources TARGET, toolchains");
    return session_show_diags(s);
}

/* --- validate ----------------------------------------------------------------------- */

static void choose_everything(session *s)
{
    for (size_t i = 0; i < s->project->configurations.count; i++)
        obb_arena_push(s->arena, &s->variants,
                       obb_project_variant(s->project, "host", s->project->configurations.at[i]->name,
                                           OBB_NOWHERE, s->diags));
    for (size_t i = 0; i < s->project->targets.count; i++)
        obb_arena_push(s->arena, &s->targets, s->project->targets.at[i]);
}

int command_validate(session *s)
{
    int code = session_read_project(s);
    if (!code)
        code = session_open_state(s, false);
    if (code)
        return code;
    choose_everything(s);
    code = session_make_plan(s);
    char targets[40], variants[40], actions[40];
    counted(targets, sizeof targets, s->project->targets.count, "target", "targets");
    counted(variants, sizeof variants, s->variants.count, "variant", "variants");
    counted(actions, sizeof actions, s->plan->actions.count, "action", "actions");
    if (!code && s->options->json) {
        json_t *o = json_object();
        json_object_set_new(o, "valid", json_true());
        json_object_set_new(o, "targets", json_integer((json_int_t)s->project->targets.count));
        json_object_set_new(o, "variants", json_integer((json_int_t)s->variants.count));
        json_object_set_new(o, "actions", json_integer((json_int_t)s->plan->actions.count));
        json_print(o, "validation");
    } else if (!code && !s->options->quiet) {
        printf("%s is sound: %s in %s, %s\n", s->project->name, targets, variants, actions);
    }
    return code;
}

/* --- export ------------------------------------------------------------------------- */

int command_export(session *s)
{
    obb_words *names = &s->options->names;
    const char *format = names->count ? names->at[0] : "";
    bool database = strcmp(format, "compilation-database") == 0;
    if (!database && strcmp(format, "shell-script") != 0)
        return session_fail(s, OBB_FAULT_USAGE, "`export` wants one format%s", "",
                    "compilation-database or shell-script");
    char *first = (char *)(uintptr_t)names->at[0]; /* what follows are targets */
    memmove(names->at, names->at + 1, --names->count * sizeof *names->at);
    free(first);
    int code = session_read_project(s);
    if (!code)
        code = session_open_state(s, false);
    if (!code)
        code = session_choose_variants(s);
    if (!code && database && s->variants.count != 1)
        return session_fail(s, OBB_FAULT_USAGE, "a compilation database is of one variant%s", "",
                    "choose one: -c CONFIGURATION");
    if (!code)
        code = session_choose_targets(s);
    if (!code)
        code = session_make_plan(s);
    if (code)
        return code;
    obb_text text = {0};
    if (database)
        obb_report_compilation_database(s->plan, s->variants.at[0], s->root, &text);
    else
        obb_report_shell_script(s->plan, s->wanted, &text);
    fputs(obb_text_bytes(&text), stdout);
    obb_text_free(&text);
    return 0;
}
