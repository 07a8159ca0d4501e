/* Links and archives.
 *
 * A link is planned in the order of its command: settings, start, linker script, objects, libraries (users
 * before what they use, circles searched repeatedly), system libraries. Then all words are scanned as the
 * linker will read them, so that the stated inputs of a link are complete: our own products, files that
 * words name, and what the linker finds by itself. */
#include <string.h>

#include "base/path.h"
#include "plan/context.h"
#include "plan/dependencies.h"
#include "scan/link_scan.h"
#include "scan/linker_script.h"
#include "toolchain/system.h"
#include "toolchain/packages.h"

static bool has_language(obb_plan_context *j, const obb_target *target, obb_language language)
{
    const obb_file_list *sources = &j->in->sources[target->number];
    for (size_t i = 0; i < sources->count; i++)
        if (obb_language_of(obb_files_path(j->plan->files, sources->at[i])) == language)
            return true;
    return false;
}

static obb_role linking_role(obb_plan_context *j, const obb_link_plan *link)
{
    const obb_origin_setting *stated = obb_flat_last(&j->settings, OBB_SET_LINK_WITH);
    bool cxx = has_language(j, j->target, OBB_CXX);
    for (size_t i = 0; i < link->groups.count; i++)
        for (size_t k = 0; k < link->groups.at[i].libraries.count; k++)
            cxx = cxx || has_language(j, link->groups.at[i].libraries.at[k].target, OBB_CXX);
    if (j->in->toolchain->custom || (stated && strcmp(stated->value, "linker") == 0))
        return OBB_TOOL_LINKER;
    if (stated)
        return strcmp(stated->value, "c++") == 0 ? OBB_TOOL_CXX : OBB_TOOL_C;
    return cxx ? OBB_TOOL_CXX : OBB_TOOL_C;
}

const char *obb_context_product_path(const obb_plan_context *j, const obb_target *t, bool shared)
{
    return obb_product_path(j->plan->arena, &j->in->naming, j->in->folder, t, shared);
}

/* The library as users link it. */
static const char *linked_path(const obb_plan_context *j, const obb_linked *library)
{
    return library->shared
               ? obb_import_path(j->plan->arena, &j->in->naming, j->in->folder, library->target->output)
               : obb_context_product_path(j, library->target, false);
}

/* The words of a link, by the compiler driver or by the linker itself. */
typedef struct link_words {
    bool linker;      /* the linker itself: its options stand alone */
    obb_words shared; /* the folders of shared libraries, each once */
    const obb_tool *compiler; /* the one that knows where libraries are */
} link_words;

static void option(obb_plan_context *j, obb_action *a, const link_words *w, const char *text)
{
    obb_spell_for_linker(w->linker, text, NULL, j->plan->arena, &a->argv);
}

/* An archive; with all of its objects, if its target says so (GNU ld manual, --whole-archive; Apple's ld(1),
 * -force_load). */
static void link_archive(obb_plan_context *j, obb_action *a, const obb_linked *library, const link_words *w)
{
    const char *path = linked_path(j, library);
    bool whole = library->target->whole && !library->shared;
    bool apple = strcmp(obb_variant_value(j->in->variant, OBB_AXIS_OS), "macos") == 0;
    if (whole && apple) {
        obb_spell_for_linker(w->linker, "-force_load", path, j->plan->arena, &a->argv);
    } else {
        if (whole)
            option(j, a, w, "--whole-archive");
        obb_context_word(j, a, path);
        if (whole)
            option(j, a, w, "--no-whole-archive");
    }
    obb_context_input(j, a, obb_files_number(j->plan->files, path));
}

static void add_folder(obb_arena *arena, obb_words *folders, const char *path)
{
    const char *folder = obb_path_folder(arena, path);
    if (!obb_has_word(folders, folder))
        obb_arena_push(arena, folders, folder);
}

static void link_libraries(obb_plan_context *j, obb_action *a, const obb_link_plan *link, link_words *w)
{
    for (size_t i = 0; i < link->groups.count; i++) {
        const obb_link_group *g = &link->groups.at[i];
        bool circle = g->libraries.count > 1;
        if (circle)
            option(j, a, w, "--start-group");
        for (size_t k = 0; k < g->libraries.count; k++) {
            if (g->libraries.at[k].shared)
                add_folder(j->plan->arena, &w->shared,
                           obb_shared_path(j->plan->arena, &j->in->naming, j->in->folder,
                                           g->libraries.at[k].target->output));
            link_archive(j, a, &g->libraries.at[k], w);
        }
        if (circle)
            option(j, a, w, "--end-group");
    }
}

/* A linker takes no libraries from folders that only the compiler knows: then the file itself is named. */
static void link_library(obb_plan_context *j, obb_action *a, const char *name, const link_words *w,
                         const obb_words *flags)
{
    obb_file file = w->linker ? obb_system_library(j->in->toolchain, w->compiler, flags, name) : OBB_NO_FILE;
    obb_context_word(j, a,
                     file != OBB_NO_FILE ? obb_files_path(j->plan->files, file)
                                         : obb_arena_format(j->plan->arena, "-l%s", name));
    if (file != OBB_NO_FILE)
        obb_context_input(j, a, file);
}

/* `-L` words and those that choose a machine: the compiler's even when the linker links. */
static obb_words searching_words(obb_plan_context *j, const obb_action *a)
{
    obb_words words = {0};
    for (size_t i = 0; i < a->argv.count; i++)
        obb_arena_push(j->plan->arena, &words, a->argv.at[i]);
    for (size_t i = 0; i < j->settings.count; i++)
        if (j->settings.at[i].id == OBB_SET_FLAGS)
            obb_arena_push(j->plan->arena, &words, j->settings.at[i].value);
    return words;
}

/* A library that a path names: an archive, or a shared one, which is found at run time where it is now. */
static void link_file(obb_plan_context *j, obb_action *a, const obb_origin_setting *lib, link_words *w)
{
    const obb_plan *plan = j->plan;
    obb_file file = obb_files_number(plan->files, lib->value);
    const char *name = obb_path_name(lib->value);
    bool shared = strstr(name, ".so") || obb_path_ends(obb_path_suffix(name), ".dylib");
    bool made = obb_path_within(lib->value,
                                j->in->folder); /* whether it will be there is the step's matter */
    if (!made && !obb_files_is_file(plan->files, file)) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, lib->place, "there is no file `%s`",
                                lib->value);
        obb_hint(j->diags, d, "`libs` takes plain names of libraries, such as `m`, and paths of files");
        a->stated.broken = true;
        return;
    }
    obb_context_word(j, a, lib->value);
    obb_context_input(j, a, file);
    if (shared)
        add_folder(plan->arena, &w->shared, lib->value);
}

static void link_system(obb_plan_context *j, obb_action *a, const obb_link_plan *link, link_words *w)
{
    obb_words flags = searching_words(j, a);
    for (size_t i = 0; i < link->libs.count; i++) {
        const obb_origin_setting *lib = &link->libs.at[i];
        if (lib->id == OBB_SET_LIBS && strchr(lib->value, '/')) {
            link_file(j, a, lib, w);
            continue;
        }
        if (lib->id != OBB_SET_METADATA) {
            link_library(j, a, lib->value, w, &flags);
            continue;
        }
        obb_metadata metadata = {.link = a->argv}; /* no word of theirs is said twice */
        obb_diags *ignored = obb_diags_new(); /* the library's own compiles have told already */
        if (!obb_system_metadata(j->in->toolchain, lib->value, lib->place, j->target->name, ignored,
                                 &metadata))
            a->stated.broken = true;
        a->argv = metadata.link;
        obb_diags_free(ignored);
    }
    if (!obb_flat_is(&j->settings, OBB_SET_STDLIB, "support"))
        return;
    const char *support = obb_toolchain_support_library(j->in->toolchain, w->compiler, &flags);
    if (support) {
        obb_context_word(j, a, support);
        obb_context_input(j, a, obb_files_number(j->plan->files, support));
    }
}

static bool has_input(const obb_action *a, obb_file file)
{
    for (size_t i = 0; i < a->stated.inputs.count; i++)
        if (a->stated.inputs.at[i] == file)
            return true;
    return false;
}

/* `INCLUDE` looks in the working folder, beside the script, and among the texts that are made ready
 * (regions.ld). */
static obb_words script_folders(const obb_plan_context *j, const char *stated)
{
    const obb_plan *plan = j->plan;
    obb_words folders = {0};
    const char *beside = obb_path_folder(plan->arena,
                                         stated); /* a made script includes what lies beside its text */
    obb_arena_push(plan->arena, &folders, ".");
    if (strcmp(beside, ".") != 0)
        obb_arena_push(plan->arena, &folders, beside);
    if (j->in->variant->memory.count)
        obb_arena_push(plan->arena, &folders, obb_plan_text_folder(plan, j->in, NULL));
    return folders;
}

/* What a script includes that is preprocessed first: all that its text names, whatever the conditions around
 * it. */
static void add_script_includes(obb_plan_context *j, obb_action *a, const char *stated)
{
    const obb_origin_setting *script = obb_flat_last(&j->settings, OBB_SET_LINKER_SCRIPT);
    const obb_words folders = script_folders(j, stated);
    obb_script_scan scan = {0};
    if (strcmp(script->value, stated) == 0)
        return;
    obb_scan_linker_script(j->plan->files, j->plan->arena, stated, &folders, &scan);
    for (size_t i = 1; i < scan.files.count; i++)
        if (!has_input(a, scan.files.at[i])) {
            obb_context_input(j, a, scan.files.at[i]);
            a->stated.untold++;
        }
}

/* The linker script and what it includes. What a made one includes is known once it is made, by whoever runs
 * the link. */
static void link_script(obb_plan_context *j, obb_action *a, const char *stated)
{
    const obb_origin_setting *script = obb_flat_last(&j->settings, OBB_SET_LINKER_SCRIPT);
    const obb_plan *plan = j->plan;
    if (!script)
        return;
    const obb_words folders = script_folders(j, stated);
    for (size_t i = 1; i < folders.count; i++)
        obb_context_word(j, a, obb_arena_format(plan->arena, "-L%s", folders.at[i]));
    obb_script_scan scan = {0};
    obb_file file = obb_files_number(plan->files, script->value);
    if (obb_plan_maker(plan, file)) {
        obb_context_input(j, a, file);
        return;
    }
    obb_scan_linker_script(plan->files, plan->arena, script->value, &folders, &scan);
    if (!scan.files.count)
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, script->place, "there is no file `%s`", script->value);
    if (scan.files.count) /* what it includes is found along with all that the link reads */
        obb_context_input(j, a, scan.files.at[0]);
    for (size_t i = 0; i < scan.missing.count; i++) {
        const obb_script_missing *m = &scan.missing.at[i];
        obb_diag *d = obb_error(j->diags, OBB_FAULT_OUTSIDE, m->place,
                                "the linker script includes `%s`, which is missing; `%s` (%s) needs it",
                                m->name, j->target->name, j->in->variant->name);
        for (size_t k = 0; k < folders.count; k++)
            obb_also(j->diags, d, OBB_NOWHERE, "looked in %s", folders.at[k]);
        if (strcmp(m->name, "regions.ld") == 0)
            obb_hint(j->diags, d, "regions.ld is written when platform `%s` states its `memory`",
                     j->in->variant->platform->name);
        a->stated.broken = true;
    }
}

static void missing_library(obb_plan_context *j, const obb_origin_setting *lib, const obb_words *folders)
{
    obb_diag *d = obb_error(j->diags, OBB_FAULT_OUTSIDE, lib->place,
                            "the %s has no library `%s`; `%s` needs it",
                            strcmp(j->in->toolchain->name, "host") == 0 ? "system" : "toolchain", lib->value,
                            j->target->name);
    const char *forms = lib->value[0] == ':' ? lib->value + 1
                                             : obb_arena_format(j->plan->arena, "lib%s.so and lib%s.a",
                                                                lib->value, lib->value);
    for (size_t i = 0; i < folders->count; i++)
        if (obb_files_stamp(j->plan->files, obb_files_number(j->plan->files, folders->at[i])))
            obb_also(j->diags, d, OBB_NOWHERE, "looked for %s in %s", forms, folders->at[i]);
    const char *file = lib->value[0] == ':' ? lib->value + 1
                                            : obb_arena_format(j->plan->arena, "lib%s.so", lib->value);
    const char *packages = obb_packages_with(j->in->toolchain, file, "/lib");
    obb_hint(j->diags, d, "install %s, or add its folder: link-flags -L/folder",
             packages ? packages : "its development package");
    obb_stops(j->diags, d,
              obb_arena_format(j->plan->arena, "no library %s for %s", lib->value, j->in->toolchain->name),
              j->target->name);
}

/* Whether it is known where the linker looks by itself: if not, the linker reports what is missing. */
static bool knows_folders(const obb_linking *linking)
{
    bool any = linking->folders.count > 0;
    for (size_t i = 0; i < linking->before.count; i++)
        any = any || linking->before.at[i].kind == OBB_OPTION_SEARCH;
    return any;
}

static void tell_missing(obb_plan_context *j, obb_action *a, const obb_link_plan *link,
                         const obb_link_scan *scan)
{
    for (size_t i = 0; i < link->libs.count; i++)
        for (size_t k = 0; link->libs.at[i].id != OBB_SET_METADATA && k < scan->missing.count; k++)
            if (strcmp(scan->missing.at[k], link->libs.at[i].value) == 0) {
                missing_library(j, &link->libs.at[i], &scan->folders);
                a->stated.broken = true;
                break;
            }
}

/* What the linker reads besides our own objects and libraries, found by its own rules. */
static const obb_linking *scan_link(obb_plan_context *j, obb_action *a, const obb_link_plan *link,
                                    const obb_tool *tool, const obb_words *words)
{
    const obb_plan *plan = j->plan;
    obb_options options = {0};
    obb_options_read(words, tool->role == OBB_TOOL_LINKER ? OBB_READ_BY_LINKER : OBB_READ_BY_DRIVER,
                     plan->files, plan->arena, &options);
    obb_linking *linking = obb_toolchain_linking(j->in->toolchain, tool, &options);
    const obb_link_scan *scan = obb_scan_link(plan->files, plan->arena, linking, &options);
    obb_file_list programs = {0};
    obb_toolchain_programs(j->in->toolchain, tool, &options, &programs);
    obb_toolchain_late_compilers(j->in->toolchain, tool, &options, &programs);
    if (knows_folders(linking))
        tell_missing(j, a, link, scan);
    for (size_t i = 0; i < scan->files.count; i++)
        if (!has_input(a, scan->files.at[i]) && scan->files.at[i] != a->output)
            obb_context_input(j, a, scan->files.at[i]);
    for (size_t i = 0; i < options.count; i++) { /* made by an action, and not there yet */
        const obb_option *o = &options.at[i];
        obb_file file = obb_option_names_file(o) && *o->value
                            ? obb_files_number(plan->files,
                                               obb_files_resolve(plan->files, plan->arena, ".", o->value))
                            : OBB_NO_FILE;
        if (file != OBB_NO_FILE && obb_plan_maker(plan, file) && file != a->output && !has_input(a, file))
            obb_context_input(j, a, file);
    }
    size_t told = a->stated.inputs.count;
    for (size_t i = 0; i < scan->untold.count; i++)
        if (!has_input(a, scan->untold.at[i]))
            obb_context_input(j, a, scan->untold.at[i]);
    for (size_t i = 0; i < programs.count; i++)
        obb_context_input(j, a, programs.at[i]);
    a->stated.untold = a->stated.inputs.count - told;
    return linking;
}

static void add_plug_ins(const obb_plan_context *j, obb_words *folders)
{
    for (size_t i = 0; i < j->target->uses.count; i++) {
        const obb_target *used = obb_in(j->in->variant, j->target->uses.at[i].target);
        if (j->target->uses.at[i].at_run_time && used->kind == OBB_LIBRARY && used->library == OBB_PLUG_IN)
            add_folder(j->plan->arena, folders, obb_context_product_path(j, used, true));
    }
}

/* A folder as it is seen from that of the product: `$ORIGIN/../lib`. One of the project from an output folder
 * elsewhere is named as a whole. */
static const char *run_path_to(const obb_plan_context *j, const obb_action *a, const char *origin,
                               const char *folder)
{
    obb_arena *arena = j->plan->arena;
    const char *own = obb_path_folder(arena, obb_files_path(j->plan->files, a->output)), *top = j->in->folder;
    bool inside = strcmp(folder, top) == 0 || obb_path_within(folder, top);
    obb_text way = {0};
    if (strcmp(own, folder) == 0)
        return origin;
    if (!inside && (*own == '/' || *folder == '/' || obb_path_outside(own)))
        return obb_path_join(arena, j->plan->root, folder);
    obb_text_string(&way, origin);
    for (const char *c = inside ? own + strlen(top) : own; c && *c; c = strchr(c + 1, '/'))
        obb_text_string(&way, "/..");
    obb_text_format(&way, "%s%s", inside ? "" : "/", inside ? folder + strlen(top) : folder);
    const char *copy = obb_arena_string(arena, way.bytes);
    obb_text_free(&way);
    return copy;
}

/* Shared libraries and plug-ins are found at run time beside the programs, wherever the output folder
 * is put: run paths are relative to the file itself. */
static void link_run_paths(obb_plan_context *j, obb_action *a, const obb_words *shared)
{
    const char *os = obb_variant_value(j->in->variant, OBB_AXIS_OS);
    if (strcmp(os, "windows") == 0) /* it looks beside the program, where they are */
        return;
    bool apple = strcmp(os, "macos") == 0;
    const char *origin = apple ? "@loader_path" : "$ORIGIN";
    obb_arena *arena = j->plan->arena;
    obb_words folders = {0};
    for (size_t i = 0; i < shared->count; i++)
        obb_arena_push(arena, &folders, shared->at[i]);
    add_plug_ins(j, &folders);
    for (size_t i = 0; i < folders.count; i++)
        obb_spell_for_linker(false, "-rpath", run_path_to(j, a, origin, folders.at[i]), arena, &a->argv);
    for (size_t i = 0; i < shared->count && !apple; i++)
        obb_spell_for_linker(false, "-rpath-link", shared->at[i], arena, &a->argv);
}

static void shared_words(obb_plan_context *j, obb_action *a, const char *output)
{
    obb_arena *arena = j->plan->arena;
    bool apple = strcmp(obb_variant_value(j->in->variant, OBB_AXIS_OS), "macos") == 0,
         plug_in = j->target->library == OBB_PLUG_IN;
    const char *soname = j->target->soname.count && !plug_in
                             ? obb_versioned_path(arena, &j->in->naming, j->in->folder, j->target->output,
                                                  j->target->soname.at[0].text)
                             : output;
    obb_context_word(j, a, !apple ? "-shared" : plug_in ? "-bundle" : "-dynamiclib");
    if (plug_in) { /* what it leaves open, the program has */
        if (apple)
            obb_spell_for_linker(false, "-undefined", "dynamic_lookup", arena, &a->argv);
    } else if (apple) {
        obb_spell_for_linker(false, "-install_name",
                             obb_arena_format(arena, "@rpath/%s", obb_path_name(soname)), arena, &a->argv);
    } else if (j->in->naming.import) {
        const char *import = obb_import_path(arena, &j->in->naming, j->in->folder, j->target->output);
        obb_spell_for_linker(false, "--out-implib", import, arena, &a->argv);
        obb_context_also(j, a, import);
        a->in_place = true; /* the import library holds the name of the shared one */
    } else {
        obb_spell_for_linker(false, "-soname", obb_path_name(soname), arena, &a->argv);
    }
}

/* The names under which a library with a version is looked for: at run time by its interface, by linkers
 * without one. They are symbolic links beside it, except where the linker has an import library. */
static void add_links(obb_plan_context *j, obb_action *a, const char *output)
{
    const obb_target *t = j->target;
    const obb_naming *n = &j->in->naming;
    if (a->kind != OBB_LINK_LIBRARY || !t->soname.count || n->import || t->library == OBB_PLUG_IN)
        return;
    const char *names[] = {obb_versioned_path(j->plan->arena, n, j->in->folder, t->output,
                                              t->soname.at[0].text),
                           obb_shared_path(j->plan->arena, n, j->in->folder, t->output)};
    for (size_t i = 0; i < 2; i++)
        if (strcmp(names[i], output) != 0) {
            obb_context_also(j, a, names[i]);
            a->links++;
        }
}

/* An object or an archive that is linked, and what it is made from: itself, if nothing makes it. */
typedef struct linked_file {
    obb_file source, file;
} linked_file;

typedef OBB_VEC(linked_file) linked_files;

/* Objects and archives among the sources: of one kind, in their order. */
static void add_prebuilt(obb_plan_context *j, bool (*is)(const char *path), linked_files *list)
{
    const obb_file_list *sources = &j->in->sources[j->target->number];
    for (size_t i = 0; i < sources->count; i++)
        if (is(obb_files_path(j->plan->files, sources->at[i])))
            obb_arena_push(j->plan->arena, list, ((linked_file){sources->at[i], sources->at[i]}));
}

/* Moves what is made from a source to a place in the list; false: nothing is. */
static bool move_to(linked_files *list, size_t from, size_t to, obb_file source)
{
    for (size_t i = from; i < list->count; i++) {
        const linked_file found = list->at[i];
        if (found.source != source)
            continue;
        memmove(list->at + i, list->at + i + 1, (list->count - i - 1) * sizeof found);
        list->count--;
        to = to > list->count ? list->count : to;
        memmove(list->at + to + 1, list->at + to, (list->count - to) * sizeof found);
        list->at[to] = found;
        list->count++;
        return true;
    }
    return false;
}

static obb_file ordered_source(obb_plan_context *j, const obb_word *w)
{
    obb_arena *arena = j->plan->arena;
    return obb_starts(w->text, "made:")
               ? obb_context_made(j, w->text + strlen("made:"), w->place)
               : obb_files_number(j->plan->files,
                                  obb_path_join(arena, w->place.folder, w->text));
}

/* `link-order a.c b.c rest z.c`: what stands before `rest` comes first, what stands behind it last. */
static void put_in_order(obb_plan_context *j, linked_files *list)
{
    const obb_word_list *order = &j->target->link_order;
    size_t first = 0;
    bool rest = false;
    for (size_t i = 0; i < order->count; i++) {
        const obb_word *w = &order->at[i];
        if (!w->quoted && strcmp(w->text, "rest") == 0) {
            rest = true;
            continue;
        }
        obb_file source = ordered_source(j, w);
        if (source != OBB_NO_FILE && !move_to(list, first, rest ? list->count : first, source)) {
            obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, w->place,
                                    "`link-order` names `%s`, which is no source of `%s`", w->text,
                                    j->target->name);
            obb_hint(j->diags, d, "each of its files is named once, as in `sources`; `rest` is all others");
        }
        first += !rest;
    }
}

static void objects(obb_plan_context *j, obb_action *a, obb_words *into)
{
    linked_files list = {0};
    for (size_t i = 0; i < j->compiles.count; i++)
        obb_arena_push(j->plan->arena, &list,
                       ((linked_file){j->compiles.at[i]->source, j->compiles.at[i]->output}));
    add_prebuilt(j, obb_is_object, &list);
    add_prebuilt(j, obb_is_archive, &list);
    put_in_order(j, &list);
    for (size_t i = 0; i < list.count; i++) {
        obb_arena_push(j->plan->arena, into, obb_files_path(j->plan->files, list.at[i].file));
        if (list.at[i].file != list.at[i].source || !has_input(a, list.at[i].file))
            obb_context_input(j, a, list.at[i].file);
    }
}

/* Archives among the sources: their members may lie elsewhere. */
static void prebuilt_archives(obb_plan_context *j, obb_words *into)
{
    linked_files list = {0};
    add_prebuilt(j, obb_is_archive, &list);
    for (size_t i = 0; i < list.count; i++)
        obb_arena_push(j->plan->arena, into, obb_files_path(j->plan->files, list.at[i].file));
}

/* A command of a custom toolchain, and what its placeholders stand for. */
typedef struct custom_words {
    const obb_words *command;
    const char *output_name; /* the placeholder of the output */
    obb_words libraries, flags;
} custom_words;

/* Link or archive. */
static void custom_command(obb_plan_context *j, obb_action *a, const custom_words *custom,
                           const obb_tool *tool)
{
    obb_words output = {0}, object_words = {0}, argv = {0};
    obb_arena_push(j->plan->arena, &output, obb_files_path(j->plan->files, a->output));
    objects(j, a, &object_words);
    obb_filling fillings[] = {{custom->output_name, &output},
                              {"objects", &object_words},
                              {"libraries", &custom->libraries},
                              {"flags", &custom->flags}};
    const obb_filling_list list = {fillings, 4, j->in->variant, j->plan->arena};
    obb_fill_words(custom->command, &list, &argv);
    obb_context_words(j, a, &tool->command);
    for (size_t i = 1; i < argv.count; i++)
        obb_context_word(j, a, argv.at[i]);
    a->in_place = true;
}

static void refuse_whole(obb_plan_context *j, obb_action *a, const obb_target *library)
{
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, library->place,
                            "toolchain `%s` does not say how all of library `%s` is linked; `%s` uses it",
                            j->in->toolchain->name, library->name, j->target->name);
    obb_hint(j->diags, d, "put `whole yes` inside a `when` that leaves this toolchain out");
    a->stated.broken = true;
}

static void custom_link(obb_plan_context *j, obb_action *a, const obb_link_plan *link, const obb_tool *tool)
{
    const obb_custom *c = j->in->toolchain->custom;
    custom_words words = {.command = &c->link, .output_name = "program"};
    obb_words libs = {0};
    for (size_t i = 0; i < link->groups.count; i++)
        for (size_t k = 0; k < link->groups.at[i].libraries.count; k++) {
            const obb_linked *library = &link->groups.at[i].libraries.at[k];
            const char *path = linked_path(j, library);
            if (library->target->whole)
                refuse_whole(j, a, library->target);
            obb_arena_push(j->plan->arena, &words.libraries, path);
            obb_context_input(j, a, obb_files_number(j->plan->files, path));
        }
    for (size_t i = 0; i < link->libs.count; i++)
        if (link->libs.at[i].id == OBB_SET_LIBS)
            obb_arena_push(j->plan->arena, &libs, link->libs.at[i].value);
    obb_spell_custom_words(c, "lib", &libs, j->plan->arena, &words.libraries);
    for (size_t i = 0; i < j->settings.count; i++)
        if (j->settings.at[i].id == OBB_SET_LINK_FLAGS || j->settings.at[i].id == OBB_SET_FLAGS)
            obb_arena_push(j->plan->arena, &words.flags, j->settings.at[i].value);
    custom_command(j, a, &words, tool);
    obb_context_named_files(j, tool, &words.flags, &a->stated.inputs);
    obb_context_beside(j, a, j->in->naming.program, &c->byproducts);
}

static bool custom_can(obb_plan_context *j, const obb_words *command, const char *what)
{
    if (!j->in->toolchain->custom || command->count)
        return true;
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                            "toolchain `%s` does not say how it makes a %s; `%s` is one",
                            j->in->toolchain->name, what, j->target->name);
    obb_also(j->diags, d, j->in->toolchain->place, "the toolchain");
    return false;
}

/* Files that settings name: what a step makes (made:NAME) by its path; an error when one is not there. */
static void find_stated_files(obb_plan_context *j)
{
    const obb_plan *plan = j->plan;
    for (size_t i = 0; i < j->settings.count; i++) {
        obb_origin_setting *s = &j->settings.at[i];
        if (s->id < OBB_SET_LINKER_SCRIPT || s->id > OBB_SET_DYNAMIC_LIST)
            continue;
        if (obb_starts(s->value, "made:")) {
            obb_file made = obb_context_made(j, s->value + strlen("made:"), s->place);
            if (made != OBB_NO_FILE)
                s->value = obb_files_path(plan->files, made);
        } else if (s->id != OBB_SET_LINKER_SCRIPT &&
                   !obb_files_is_file(plan->files, obb_files_number(plan->files, s->value))) {
            obb_error(j->diags, OBB_FAULT_DESCRIPTION, s->place, "there is no file `%s`", s->value);
        }
    }
}

/* The linker script as it is stated, whose place in the settings is taken by what the preprocessor makes of
 * it (x.ld.S). NULL: there is none. */
static const char *prepare_script(obb_plan_context *j)
{
    obb_origin_setting *script = NULL;
    find_stated_files(j);
    for (size_t i = 0; i < j->settings.count; i++)
        if (j->settings.at[i].id == OBB_SET_LINKER_SCRIPT)
            script = &j->settings.at[i];
    const char *stated = script ? script->value : NULL;
    if (stated && strcmp(obb_path_suffix(stated), ".S") == 0)
        script->value = obb_plan_script(j, stated, script->place);
    return stated;
}

/* The linker's map, beside its output. */
static void add_map(obb_plan_context *j, obb_action *a, const obb_tool *tool, const char *output)
{
    if (!obb_flat_is(&j->settings, OBB_SET_MAP, "yes"))
        return;
    bool apple = strcmp(obb_variant_value(j->in->variant, OBB_AXIS_OS), "macos") == 0;
    const char *path = obb_arena_format(j->plan->arena, "%s.map", output);
    obb_spell_for_linker(tool->role == OBB_TOOL_LINKER,
                         apple ? "-map" : obb_arena_format(j->plan->arena, "-Map=%s", path),
                         apple ? path : NULL, j->plan->arena, &a->argv);
    obb_context_also(j, a, path);
}

obb_action *obb_plan_link(obb_plan_context *j, obb_action_kind kind, const char *output)
{
    const char *script = prepare_script(j);
    const obb_plan *plan = j->plan;
    obb_link_plan link = obb_resolve_link(j->in->variant, j->target, plan->arena);
    obb_action *a = obb_context_action(j, kind, output);
    static const obb_words none;
    obb_custom *custom = j->in->toolchain->custom;
    if (!custom_can(j, kind == OBB_LINK_LIBRARY || !custom ? &none : &custom->link,
                    kind == OBB_LINK_LIBRARY ? "shared library" : "program")) {
        a->stated.broken = true;
        return a;
    }
    obb_role role = linking_role(j, &link);
    const obb_tool *tool = obb_context_tool(j, role);
    link_words w = {.linker = role == OBB_TOOL_LINKER, .compiler = tool};
    if (w.linker && !custom)
        w.compiler = obb_context_tool(j, OBB_TOOL_C);
    a->stated.broken = !tool || !w.compiler;
    if (a->stated.broken)
        return a;
    if (custom) {
        custom_link(j, a, &link, tool);
        obb_context_finish(j, a, tool, NULL);
        return a;
    }
    obb_words own = {0}; /* except for objects and libraries of ours, which are known */
    obb_context_words(j, a, &tool->command);
    if (kind == OBB_LINK_LIBRARY)
        shared_words(j, a, output);
    if (script)
        link_script(j, a, script); /* adds its folders before the linker opens it */
    obb_spell_link(w.compiler->target, w.linker, &j->settings, plan->arena, &a->argv);
    for (size_t i = 0; i < link.flags.count; i++)
        if (!obb_has_sources(j->target) || link.flags.at[i].owner != j->target->name)
            obb_context_word(j, a, link.flags.at[i].value);
    for (size_t i = tool->command.count; i < a->argv.count; i++)
        obb_arena_push(plan->arena, &own, a->argv.at[i]);
    obb_context_word(j, a, "-o");
    obb_context_output_word(j, a);
    add_map(j, a, tool, output);
    add_links(j, a, output);
    objects(j, a, &a->argv);
    prebuilt_archives(j, &own);
    link_libraries(j, a, &link, &w);
    size_t ours = a->argv.count;
    link_system(j, a, &link, &w);
    if (!w.linker)
        link_run_paths(j, a, &w.shared);
    for (size_t i = ours; i < a->argv.count; i++)
        obb_arena_push(plan->arena, &own, a->argv.at[i]);
    for (size_t i = 1; i < tool->command.count; i++) /* words that always stand behind the tool */
        obb_arena_push(plan->arena, &own, tool->command.at[i]);
    const obb_linking *linking = scan_link(j, a, &link, tool, &own);
    if (script)
        add_script_includes(j, a, script);
    a->reports = linking->reports;
    a->stated.found_inputs = a->stated.inputs.count;
    obb_context_finish(j, a, tool, &linking->identity);
    obb_add_missed(plan, a, &a->stated);
    return a;
}

/* The compiler that left its work on some object to the linker; NULL: none did. */
static const obb_tool *compiler_for_link_time(const obb_plan_context *j)
{
    for (size_t i = 0; i < j->compiles.count; i++) {
        const obb_compile_options *o = j->compiles.at[i]->options;
        bool late = false;
        for (size_t k = 0; o && k < o->flags.count; k++)
            late = obb_starts(o->flags.at[k], "-flto") || (late && strcmp(o->flags.at[k], "-fno-lto") != 0);
        if (late)
            return o->tool;
    }
    return NULL;
}

/* GNU ar reads such objects by a plug-in of the compiler, as gcc-ar tells it (GCC manual 3.11, -flto).
 * Without it, their symbols would not be in the index of the archive. */
static void archive_plugin(obb_plan_context *j, obb_action *a, const obb_tool *archiver)
{
    const obb_tool *compiler = strstr(archiver->version, "GNU ar") ? compiler_for_link_time(j) : NULL;
    const char *plugin = compiler ? obb_toolchain_archive_plugin(j->in->toolchain, compiler) : NULL;
    if (!plugin)
        return;
    obb_context_word(j, a, "--plugin");
    obb_context_word(j, a, plugin);
    obb_context_input(j, a, obb_files_number(j->plan->files, plugin));
}

obb_action *obb_plan_archive(obb_plan_context *j, const char *output)
{
    obb_action *a = obb_context_action(j, OBB_ARCHIVE, output);
    static const obb_words none;
    obb_custom *custom = j->in->toolchain->custom;
    const obb_tool *tool = custom_can(j, custom ? &custom->archive : &none, "static library")
                               ? obb_context_tool(j, OBB_TOOL_ARCHIVER) : NULL;
    a->stated.broken = !tool;
    if (!tool)
        return a;
    if (custom) {
        const custom_words words = {.command = &custom->archive, .output_name = "library"};
        custom_command(j, a, &words, tool);
        obb_context_finish(j, a, tool, NULL);
        return a;
    }
    obb_context_words(j, a, &tool->command);
    obb_context_word(j, a,
                     "rcsD"); /* D: no times, owners or modes, so that equal objects make equal archives */
    archive_plugin(j, a, tool);
    obb_context_output_word(j, a);
    objects(j, a, &a->argv);
    obb_context_finish(j, a, tool, NULL);
    return a;
}

obb_words obb_plan_link_words(obb_plan_context *j)
{
    obb_words words = {0};
    const obb_tool *compiler = obb_context_tool(j, OBB_TOOL_C);
    const obb_flat_settings settings = obb_resolve(j->in->variant, j->target, NULL, j->plan->arena);
    if (compiler)
        obb_spell_link(compiler->target, false, &settings, j->plan->arena, &words);
    return words;
}
