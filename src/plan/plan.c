#include "plan/plan.h"

#include <string.h>

#include "base/path.h"
#include "toolchain/spell.h"
#include "toolchain/system.h"

/* One target in one variant, while it is planned. */
typedef struct job {
    obb_plan *plan;
    const obb_target *target;
    const obb_variant *variant;
    const char *folder; /* of the variant */
    obb_flat_settings settings;
    bool pic;
    obb_words metadata_compile, metadata_link;
    obb_compile_words *shared[OBB_NO_LANGUAGE];
    OBB_VEC(obb_action *) compiles;
    obb_diags *diags;
} job;

char *obb_variant_folder(obb_arena *arena, const char *out, const obb_variant *variant)
{
    return obb_path_join(arena, out, variant->name);
}

obb_action *obb_plan_maker(const obb_plan *plan, obb_file file)
{
    if (file >= plan->makers.count || !plan->makers.at[file])
        return NULL;
    return plan->actions.at[plan->makers.at[file] - 1];
}

static void set_maker(job *j, obb_action *action)
{
    obb_plan *plan = j->plan;
    if (action->output >= plan->makers.count) {
        obb_vec_room(&plan->makers, action->output + 256);
        plan->makers.count = action->output + 256;
    }
    const obb_action *other = obb_plan_maker(plan, action->output);
    if (other) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, action->target->output_place,
                                "`%s` and `%s` would both make %s", other->target->name,
                                action->target->name, obb_files_path(plan->files, action->output));
        obb_also(j->diags, d, other->target->output_place, "the other one");
        obb_hint(j->diags, d, "give one of them another name: output NAME");
        return;
    }
    plan->makers.at[action->output] = action->number + 1;
}

static obb_action *add_action(job *j, obb_action_kind kind, const char *output)
{
    obb_plan *plan = j->plan;
    obb_action *a = obb_arena_alloc(plan->arena, sizeof *a);
    a->kind = kind;
    a->number = (uint32_t)plan->actions.count;
    a->target = j->target;
    a->variant = j->variant;
    a->output = obb_files_number(plan->files, output);
    obb_arena_push(plan->arena, &plan->actions, a);
    set_maker(j, a);
    return a;
}

static void word(job *j, obb_action *a, const char *text)
{
    obb_arena_push(j->plan->arena, &a->argv, text);
}

static void words(job *j, obb_action *a, const obb_words *list)
{
    for (size_t i = 0; i < list->count; i++)
        word(j, a, list->at[i]);
}

static void output_word(job *j, obb_action *a)
{
    a->output_word = a->argv.count;
    word(j, a, obb_files_path(j->plan->files, a->output));
}

static void input(job *j, obb_action *a, obb_file file)
{
    const obb_action *maker = obb_plan_maker(j->plan, file);
    obb_arena_push(j->plan->arena, &a->inputs, file);
    if (maker)
        obb_arena_push(j->plan->arena, &a->needs, maker->number);
}

static void finish(job *j, obb_action *a, const obb_tool *tool)
{
    obb_printer *p = obb_printer_new();
    for (size_t i = 0; i < a->argv.count; i++)
        obb_printer_string(p, a->argv.at[i]);
    obb_printer_add(p, &tool->identity, sizeof tool->identity);
    a->command = obb_printer_end(p);
    a->tools = tool->identity;
    a->tool = tool;
    word(j, a, NULL);
    a->argv.count--;
}

/* --- compiles ----------------------------------------------------------------------- */

static const char *who(job *j)
{
    return j->target->name;
}

static obb_compile_words *make_words(job *j, obb_language language,
                                     const obb_flat_settings *settings)
{
    obb_arena *arena = j->plan->arena;
    obb_toolchain *tc = j->plan->toolchain;
    const obb_tool *tool = obb_toolchain_need(tc, obb_role_of(language), obb_arena_format(arena, "`%s`", who(j)),
                                              j->target->place, j->diags);
    obb_compile_words *w = obb_arena_alloc(arena, sizeof *w);
    w->tool = tool;
    w->language = language;
    if (!tool)
        return w;
    const char *machine = tool->target;
    if (language == OBB_ASM_INTEL) { /* it makes objects for the machine that the C compiler is for */
        const obb_tool *c = obb_toolchain_need(tc, OBB_TOOL_C, obb_arena_format(arena, "`%s`", who(j)),
                                               j->target->place, j->diags);
        machine = c ? c->target : "";
        if (c && !obb_intel_format(machine))
            obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                      "`%s` has Intel-syntax assembly, which is not for %s", who(j), machine);
    }
    obb_spell_compile(machine, language, settings, j->pic, &j->metadata_compile, arena, &w->flags);
    obb_spell_includes(settings, arena, &w->includes);
    obb_spell_defines(settings, arena, &w->defines);
    return w;
}

static obb_compile_words *words_for(job *j, obb_language language, const char *path)
{
    if (obb_resolve_has_own(j->target, path)) {
        obb_flat_settings own = obb_resolve(j->plan->project, j->variant, j->target, path, j->plan->arena);
        return make_words(j, language, &own);
    }
    if (!j->shared[language])
        j->shared[language] = make_words(j, language, &j->settings);
    return j->shared[language];
}

/* These write files beside the object, named after it, and tell its name to the program. */
static bool writes_beside(const obb_words *flags)
{
    static const char *const marks[] = {"--coverage", "-ftest-coverage", "-fprofile-arcs",
                                        "-gsplit-dwarf", "-save-temps", NULL};
    for (size_t i = 0; i < flags->count; i++)
        for (const char *const *m = marks; *m; m++)
            if (obb_starts(flags->at[i], *m))
                return true;
    return false;
}

static void plan_compile(job *j, obb_file source, obb_language language)
{
    obb_plan *plan = j->plan;
    const char *path = obb_files_path(plan->files, source);
    obb_action *a = add_action(j, language >= OBB_ASM_CPP ? OBB_ASSEMBLE : OBB_COMPILE,
                               obb_arena_format(plan->arena, "%s/obj/%s/%s.o", j->folder,
                                                j->target->name, path));
    obb_arena_push(plan->arena, &j->compiles, a);
    a->source = source;
    a->words = words_for(j, language, path);
    input(j, a, source);
    if (!a->words->tool) {
        a->broken = true;
        return;
    }
    words(j, a, &a->words->tool->command);
    obb_spell_include_words(language, &a->words->includes, &a->words->defines, plan->arena, &a->argv);
    words(j, a, &a->words->flags);
    if (language != OBB_ASM_INTEL)
        word(j, a, "-c");
    word(j, a, path);
    word(j, a, "-o");
    output_word(j, a);
    a->in_place = writes_beside(&a->words->flags);
    finish(j, a, a->words->tool);
}

static obb_file_list *sources_of(job *j)
{
    obb_file_list *list = &j->plan->sources[j->target->number];
    if (!list->count)
        obb_patterns_expand(&j->target->sources, j->plan->files, j->plan->arena, j->diags, list);
    return list;
}

/* Every source must be something that can be compiled, or a header. */
static void check_sources(job *j)
{
    const obb_file_list *sources = sources_of(j);
    size_t compiled = 0, faults = j->diags->list.count;
    for (size_t i = 0; i < sources->count; i++) {
        const char *path = obb_files_path(j->plan->files, sources->at[i]);
        bool known = obb_language_of(path) != OBB_NO_LANGUAGE;
        compiled += known;
        if (known || obb_is_header(path))
            continue;
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                                "`%s` has the source %s, and nothing compiles `%s` files", who(j), path,
                                obb_path_suffix(path));
        obb_hint(j->diags, d, "known suffixes: .c .cpp .cc .cxx .S .s .asm; `except` takes files away");
    }
    if (obb_has_sources(j->target) && !compiled && j->diags->list.count == faults && sources->count) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                                "`%s` has nothing to compile", who(j));
        obb_hint(j->diags, d, "its sources are all headers; a library of headers states no sources");
    }
}

static void plan_compiles(job *j)
{
    const obb_file_list *sources = sources_of(j);
    for (size_t i = 0; i < sources->count; i++) {
        obb_language language = obb_language_of(obb_files_path(j->plan->files, sources->at[i]));
        if (language != OBB_NO_LANGUAGE)
            plan_compile(j, sources->at[i], language);
    }
}

/* --- links -------------------------------------------------------------------------- */

static bool has_language(job *j, const obb_target *target, obb_language language)
{
    const obb_file_list *sources = &j->plan->sources[target->number];
    for (size_t i = 0; i < sources->count; i++)
        if (obb_language_of(obb_files_path(j->plan->files, sources->at[i])) == language)
            return true;
    return false;
}

static obb_role linking_role(job *j, const obb_link_plan *link)
{
    const obb_origin_setting *stated = obb_flat_last(&j->settings, OBB_SET_LINK_WITH);
    bool cxx = has_language(j, j->target, OBB_CXX);
    for (size_t i = 0; i < link->groups.count; i++)
        for (size_t k = 0; k < link->groups.at[i].libraries.count; k++)
            cxx = cxx || has_language(j, link->groups.at[i].libraries.at[k], OBB_CXX);
    if (stated && strcmp(stated->value, "linker") == 0) {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, stated->place,
                  "`link-with linker` is part of the language, but its meaning is not there yet "
                  "in this version");
        return OBB_TOOL_C;
    }
    if (stated)
        return strcmp(stated->value, "c++") == 0 ? OBB_TOOL_CXX : OBB_TOOL_C;
    return cxx ? OBB_TOOL_CXX : OBB_TOOL_C;
}

static const char *product_path(job *j, const obb_target *t, bool shared)
{
    obb_arena *arena = j->plan->arena;
    if (t->kind == OBB_PROGRAM)
        return obb_program_path(arena, j->folder, t->output);
    return shared ? obb_shared_path(arena, j->folder, t->output)
                  : obb_static_path(arena, j->folder, t->output);
}

static bool link_libraries(job *j, obb_action *a, const obb_link_plan *link)
{
    bool any_shared = false;
    for (size_t i = 0; i < link->groups.count; i++) {
        const obb_link_group *g = &link->groups.at[i];
        bool circle = g->libraries.count > 1;
        if (circle)
            word(j, a, "-Wl,--start-group");
        for (size_t k = 0; k < g->libraries.count; k++) {
            bool shared = obb_links_shared(g->libraries.at[k]);
            const char *path = product_path(j, g->libraries.at[k], shared);
            any_shared = any_shared || shared;
            word(j, a, path);
            input(j, a, obb_files_number(j->plan->files, path));
        }
        if (circle)
            word(j, a, "-Wl,--end-group");
    }
    return any_shared;
}

static void missing_library(job *j, const obb_origin_setting *lib)
{
    obb_diag *d = obb_error(j->diags, OBB_FAULT_OUTSIDE, lib->place,
                            "the system has no library `%s`; `%s` needs it", lib->value, who(j));
    const obb_words *folders = &j->plan->toolchain->library_folders;
    for (size_t i = 0; i < folders->count; i++)
        if (obb_files_stamp(j->plan->files, obb_files_number(j->plan->files, folders->at[i])))
            obb_also(j->diags, d, OBB_NOWHERE, "looked for lib%s.so and lib%s.a in %s", lib->value,
                     lib->value, folders->at[i]);
    obb_hint(j->diags, d, "install its development package (Debian: often lib%s-dev), or add its "
                          "folder: link-flags -L/folder", lib->value);
}

static void link_system(job *j, obb_action *a, const obb_link_plan *link)
{
    obb_arena *arena = j->plan->arena;
    for (size_t i = 0; i < link->libs.count; i++) {
        const obb_origin_setting *lib = &link->libs.at[i];
        if (lib->id == OBB_SET_METADATA) {
            obb_words compile = {0};
            obb_diags *ignored = obb_diags_new(); /* the library's own compiles have told already */
            if (!obb_system_metadata(j->plan->toolchain, lib->value, lib->place, who(j), ignored,
                                     &compile, &a->argv))
                a->broken = true;
            obb_diags_free(ignored);
            continue;
        }
        obb_file file = obb_system_library(j->plan->toolchain, &a->argv, lib->value);
        word(j, a, obb_arena_format(arena, "-l%s", lib->value));
        if (file != OBB_NO_FILE) {
            input(j, a, file);
        } else {
            missing_library(j, lib);
            a->broken = true;
        }
    }
}

static void link_script(job *j, obb_action *a)
{
    const obb_origin_setting *script = obb_flat_last(&j->settings, OBB_SET_LINKER_SCRIPT);
    if (!script)
        return;
    obb_file file = obb_files_number(j->plan->files, script->value);
    if (!obb_files_is_file(j->plan->files, file))
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, script->place, "there is no file `%s`", script->value);
    input(j, a, file);
}

/* Shared libraries are found at run time beside the programs, wherever the output folder
 * is put: run paths are relative to the file itself. */
static void link_run_path(job *j, obb_action *a)
{
    word(j, a, j->target->kind == OBB_PROGRAM ? "-Wl,-rpath,$ORIGIN/../lib" : "-Wl,-rpath,$ORIGIN");
    word(j, a, obb_arena_format(j->plan->arena, "-Wl,-rpath-link,%s/lib", j->folder));
}

static obb_action *plan_link(job *j, obb_action_kind kind, const char *output)
{
    obb_plan *plan = j->plan;
    obb_link_plan link = obb_resolve_link(plan->project, j->variant, j->target, plan->arena);
    obb_action *a = add_action(j, kind, output);
    const obb_tool *tool = obb_toolchain_need(plan->toolchain, linking_role(j, &link),
                                              obb_arena_format(plan->arena, "`%s`", who(j)),
                                              j->target->place, j->diags);
    a->broken = !tool;
    if (!tool)
        return a;
    words(j, a, &tool->command);
    if (kind == OBB_LINK_LIBRARY) {
        word(j, a, "-shared");
        word(j, a, obb_arena_format(plan->arena, "-Wl,-soname,%s", obb_path_name(output)));
    }
    obb_spell_link(&j->settings, plan->arena, &a->argv);
    for (size_t i = 0; i < link.flags.count; i++)
        if (!obb_has_sources(j->target) || link.flags.at[i].owner != j->target->name)
            word(j, a, link.flags.at[i].value);
    word(j, a, "-o");
    output_word(j, a);
    for (size_t i = 0; i < j->compiles.count; i++) {
        word(j, a, obb_files_path(plan->files, j->compiles.at[i]->output));
        input(j, a, j->compiles.at[i]->output);
    }
    bool any_shared = link_libraries(j, a, &link);
    link_system(j, a, &link);
    link_script(j, a);
    if (any_shared)
        link_run_path(j, a);
    finish(j, a, tool);
    return a;
}

static obb_action *plan_archive(job *j, const char *output)
{
    obb_action *a = add_action(j, OBB_ARCHIVE, output);
    const obb_tool *tool = obb_toolchain_need(j->plan->toolchain, OBB_TOOL_ARCHIVER,
                                              obb_arena_format(j->plan->arena, "`%s`", who(j)),
                                              j->target->place, j->diags);
    a->broken = !tool;
    if (!tool)
        return a;
    words(j, a, &tool->command);
    word(j, a, "rcsD"); /* D: no times, owners or modes, so that equal objects make equal archives */
    output_word(j, a);
    for (size_t i = 0; i < j->compiles.count; i++) {
        word(j, a, obb_files_path(j->plan->files, j->compiles.at[i]->output));
        input(j, a, j->compiles.at[i]->output);
    }
    finish(j, a, tool);
    return a;
}

/* --- targets ------------------------------------------------------------------------ */

/* Static libraries that end up in a shared one must be position-independent. */
static void mark_pic(const obb_target *target, bool *pic)
{
    if (target->kind != OBB_LIBRARY || pic[target->number])
        return;
    pic[target->number] = true;
    for (size_t i = 0; i < target->uses.count; i++)
        mark_pic(target->uses.at[i].target, pic);
}

static bool *find_pic(const obb_project *project, obb_arena *arena)
{
    bool *pic = obb_arena_alloc(arena, project->targets.count);
    for (size_t i = 0; i < project->targets.count; i++) {
        const obb_target *t = project->targets.at[i];
        if (t->kind == OBB_LIBRARY && t->library != OBB_STATIC && obb_has_sources(t))
            mark_pic(t, pic);
    }
    return pic;
}

static void take_metadata(job *j)
{
    for (size_t i = 0; i < j->settings.count; i++) {
        const obb_origin_setting *s = &j->settings.at[i];
        if (s->id == OBB_SET_METADATA &&
            obb_toolchain_need(j->plan->toolchain, OBB_TOOL_C, who(j), s->place, j->diags))
            obb_system_metadata(j->plan->toolchain, s->value, s->place, who(j), j->diags,
                                &j->metadata_compile, &j->metadata_link);
    }
}

static void plan_target(job *j)
{
    obb_plan *plan = j->plan;
    const obb_target *t = j->target;
    obb_product product = {.target = t, .variant = j->variant};
    if (t->kind != OBB_GROUP && obb_has_sources(t)) {
        j->settings = obb_resolve(plan->project, j->variant, t, NULL, plan->arena);
        take_metadata(j);
        plan_compiles(j);
        if (t->kind == OBB_PROGRAM) {
            obb_action *a = plan_link(j, OBB_LINK_PROGRAM, product_path(j, t, false));
            obb_arena_push(plan->arena, &product.actions, a->number);
        }
        if (t->kind == OBB_LIBRARY && t->library != OBB_SHARED) {
            obb_action *a = plan_archive(j, product_path(j, t, false));
            obb_arena_push(plan->arena, &product.actions, a->number);
        }
        if (t->kind == OBB_LIBRARY && t->library != OBB_STATIC) {
            obb_action *a = plan_link(j, OBB_LINK_LIBRARY, product_path(j, t, true));
            obb_arena_push(plan->arena, &product.actions, a->number);
        }
    }
    obb_arena_push(plan->arena, &plan->products, product);
}

/* What is used comes before its users, so that inputs know their makers. */
static void order_targets(const obb_target *t, bool *placed, obb_arena *arena, obb_target_list *order)
{
    if (placed[t->number])
        return;
    placed[t->number] = true;
    for (size_t i = 0; i < t->uses.count; i++)
        order_targets(t->uses.at[i].target, placed, arena, order);
    obb_arena_push(arena, order, t);
}

/* The sources of all targets first: how a program links depends on what its libraries are
 * written in. */
static void expand_sources(obb_plan *plan, const obb_target_list *order, const bool *wanted,
                           obb_diags *diags, obb_diags *ignored)
{
    for (size_t i = 0; i < order->count; i++) {
        bool counts = !wanted || wanted[order->at[i]->number];
        job j = {.plan = plan, .target = order->at[i], .diags = counts ? diags : ignored};
        check_sources(&j);
    }
}

obb_plan *obb_plan_make(obb_arena *arena, const obb_project *project, obb_files *files,
                        obb_toolchain *toolchain, obb_scanner *scanner, const char *out,
                        const obb_variant *const *variants, size_t variant_count,
                        const bool *wanted_targets, obb_diags *diags)
{
    obb_plan *plan = obb_arena_alloc(arena, sizeof *plan);
    *plan = (obb_plan){.arena = arena, .project = project, .files = files,
                       .toolchain = toolchain, .scanner = scanner, .out = out};
    bool *pic = find_pic(project, arena);
    bool *placed = obb_arena_alloc(arena, project->targets.count);
    obb_target_list order = {0};
    obb_diags *ignored = obb_diags_new();
    plan->sources = obb_arena_alloc(arena, project->targets.count * sizeof *plan->sources);
    for (size_t i = 0; i < project->targets.count; i++)
        order_targets(project->targets.at[i], placed, arena, &order);
    expand_sources(plan, &order, wanted_targets, diags, ignored);
    for (size_t v = 0; v < variant_count && !obb_diags_fault(diags); v++) {
        obb_arena_push(arena, &plan->variants, variants[v]);
        for (size_t i = 0; i < order.count; i++) {
            const obb_target *t = order.at[i];
            bool counts = !wanted_targets || wanted_targets[t->number];
            job j = {.plan = plan, .target = t, .variant = variants[v], .pic = pic[t->number],
                     .folder = obb_variant_folder(arena, out, variants[v]),
                     .diags = counts ? diags : ignored};
            plan_target(&j);
        }
    }
    obb_diags_free(ignored);
    return plan;
}

void obb_plan_free(obb_plan *plan)
{
    if (plan)
        obb_vec_free(&plan->makers);
}

/* --- wanting ------------------------------------------------------------------------ */

void obb_want_target(const obb_target *target, bool *wanted_targets)
{
    if (wanted_targets[target->number])
        return;
    wanted_targets[target->number] = true;
    for (size_t i = 0; i < target->uses.count; i++)
        obb_want_target(target->uses.at[i].target, wanted_targets);
}

void obb_default_targets(const obb_project *project, obb_arena *arena, obb_target_list *targets)
{
    for (size_t i = 0; i < project->default_targets.count; i++)
        obb_arena_push(arena, targets, project->default_targets.at[i]);
    for (size_t i = 0; !project->default_targets.count && i < project->targets.count; i++)
        if (!project->targets.at[i]->optional && project->targets.at[i]->kind != OBB_GROUP)
            obb_arena_push(arena, targets, project->targets.at[i]);
}

static void want_action(const obb_plan *plan, uint32_t number, bool *wanted)
{
    if (wanted[number])
        return;
    wanted[number] = true;
    const obb_action *a = plan->actions.at[number];
    for (size_t i = 0; i < a->needs.count; i++)
        want_action(plan, a->needs.at[i], wanted);
}

void obb_plan_want(const obb_plan *plan, const obb_target *target, const obb_variant *variant,
                   bool *wanted)
{
    for (size_t i = 0; i < plan->products.count; i++) {
        const obb_product *p = &plan->products.at[i];
        if (p->target == target && p->variant == variant)
            for (size_t k = 0; k < p->actions.count; k++)
                want_action(plan, p->actions.at[k], wanted);
    }
    if (target->kind == OBB_GROUP || !obb_has_sources(target))
        for (size_t i = 0; i < target->uses.count; i++)
            obb_plan_want(plan, target->uses.at[i].target, variant, wanted);
}

const char *obb_action_verb(const obb_action *action)
{
    static const char *const verbs[] = {"compile", "assemble", "archive", "link", "link"};
    return verbs[action->kind];
}

const char *obb_action_subject(const obb_plan *plan, const obb_action *action)
{
    if (action->kind == OBB_COMPILE || action->kind == OBB_ASSEMBLE)
        return obb_files_path(plan->files, action->source);
    const char *path = obb_files_path(plan->files, action->output);
    const char *folder = obb_variant_folder(plan->arena, plan->out, action->variant);
    return path + strlen(folder) + 1;
}
