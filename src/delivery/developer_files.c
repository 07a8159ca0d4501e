/* What a library's users in other builds need (collector.h): archive, link name, headers, and a metadata file
 * as other libraries of the system install it (lines NAME=VALUE, then fields; toolchain/system.h reads them).
 * It is relocatable: its paths are seen from the folder that it lies in. */
#include <string.h>

#include "base/path.h"
#include "delivery/chain.h"
#include "delivery/collector.h"
#include "project/language.h"
#include "toolchain/system.h"

/* --- files to link ------------------------------------------------------------------ */

static const char *place_in(const obb_collector *c, const char *path)
{
    return path + strlen(c->in->in->folder) + 1;
}

static void add_linkable(obb_collector *c, const obb_delivery_item *item, const obb_action *a)
{
    obb_files *files = c->in->plan->files;
    const char *path = obb_files_path(files, a->output);
    const char *what = obb_arena_format(c->in->arena, "library %s", item->name);
    const obb_entry like = {.static_library = true, .place = item->place, .what = what};
    if (a->kind != OBB_LINK_LIBRARY) {
        obb_collect_file(c, place_in(c, path), path, &like);
        return;
    }
    for (size_t i = 0; i < a->also.count; i++) {
        const char *also = obb_files_path(files, a->also.at[i]);
        bool link = i + a->links >= a->also.count, plain = strcmp(obb_path_suffix(also), ".so") == 0 ||
                                                            strcmp(obb_path_suffix(also), ".dylib") == 0;
        if (link && plain && i + 1 == a->also.count)
            obb_collect_link(c, place_in(c, also), obb_path_name(path), item->place, what);
        else if (obb_is_archive(also)) /* an import library */
            obb_collect_file(c, place_in(c, also), also, &like);
    }
}

/* --- headers ------------------------------------------------------------------------ */

static void add_header(obb_collector *c, const obb_delivery_item *item, const char *folder, const char *path)
{
    obb_collect_file(c, obb_path_join(c->in->arena, "include", obb_path_from(c->in->arena, folder, path)),
                     path,
                     &(obb_entry){.place = item->place,
                                  .what = obb_arena_format(c->in->arena, "header of %s", item->name)});
}

/* Headers that the project generates, where one that goes out names them. */
static void add_generated(obb_collector *c, const obb_delivery_item *item, const char *header)
{
    const obb_plan *plan = c->in->plan;
    obb_text text = {0};
    if (obb_file_read(header, &text))
        return;
    for (size_t i = 0; i < plan->texts.count; i++) {
        const char *path = obb_files_path(plan->files, plan->texts.at[i].file), *name = obb_path_name(path);
        bool named = false;
        for (const char *at = obb_text_bytes(&text); (at = strstr(at, name)) && !named; at++)
            named = at > text.bytes && (at[-1] == '"' || at[-1] == '<') &&
                    (at[strlen(name)] == '"' || at[strlen(name)] == '>');
        if (named && plan->texts.at[i].variant == c->in->in->variant && obb_is_header(path))
            add_header(c, item, obb_path_folder(c->in->arena, path), path);
    }
    obb_text_free(&text);
}

/* All headers below a folder that the library's users search; of a folder of what steps make, theirs. */
static void add_headers(obb_collector *c, const obb_delivery_item *item, const obb_target *t,
                        const char *folder)
{
    obb_files *files = c->in->plan->files;
    obb_file_list found = {0};
    obb_files_expand(files, obb_path_join(c->in->arena, folder, "**/*"), &found);
    for (size_t i = 0; i < found.count; i++) {
        const char *path = obb_files_path(files, found.at[i]);
        if (!obb_is_header(path) || !obb_files_is_file(files, found.at[i]))
            continue;
        add_header(c, item, folder, path);
        add_generated(c, item, path);
    }
    obb_vec_free(&found);
    for (size_t i = 0; i < t->uses.count; i++) {
        const obb_target *step = obb_in(c->in->in->variant, t->uses.at[i].target);
        for (size_t k = 0; k < step->makes.count; k++) {
            const char *path = obb_path_join(c->in->arena,
                                             obb_variant_own_folder(c->in->arena, c->in->in->folder,
                                                                    step->place.scope),
                                             step->makes.at[k].path);
            if (obb_is_header(path) && obb_path_within(path, folder))
                add_header(c, item, folder, path);
        }
    }
}

/* --- metadata ----------------------------------------------------------------------- */

typedef struct metadata {
    obb_words requires, requires_private, cflags, libs, libs_private;
} metadata;

static void add_word(obb_collector *c, obb_words *list, const char *word)
{
    if (!obb_has_word(list, word))
        obb_arena_push(c->in->arena, list, word);
}

/* `metadata NAME [least V]`, as `Requires` has it. */
static const char *requirement(const obb_collector *c, const char *value)
{
    const char *least = strstr(value, " least ");
    return least ? obb_arena_format(c->in->arena, "%.*s >= %s", (int)(least - value), value,
                                    least + strlen(" least "))
                 : value;
}

static void add_settings(obb_collector *c, const obb_settings *settings, bool shared, metadata *m)
{
    for (size_t i = 0; i < settings->count; i++) {
        const obb_setting *s = &settings->at[i];
        const char *value = s->value;
        if (s->id == OBB_SET_METADATA)
            add_word(c, shared ? &m->requires : &m->requires_private, requirement(c, value));
        else if (s->id == OBB_SET_LIBS && !strchr(value, '/'))
            add_word(c, shared ? &m->libs : &m->libs_private, obb_arena_format(c->in->arena, "-l%s", value));
        else if (s->id == OBB_SET_LINK_FLAGS && shared)
            add_word(c, &m->libs, value);
        else if (s->id == OBB_SET_DEFINE && shared)
            add_word(c, &m->cflags, obb_arena_format(c->in->arena, "-D%s", value));
    }
}

static bool is_delivered(const obb_collector *c, const obb_target *t)
{
    obb_delivery_list chain = {0};
    bool any = false;
    obb_delivery_chain(c->in->in->variant, c->delivery, c->in->arena, &chain);
    for (size_t i = 0; i < chain.count; i++)
        for (size_t k = 0; k < chain.at[i]->items.count; k++)
            any = any || (chain.at[i]->items.at[k].kind == OBB_DELIVER_FOR_DEVELOPERS &&
                          chain.at[i]->items.at[k].target->number == t->number);
    return any;
}

static void add_uses(obb_collector *c, const obb_delivery_item *item, const obb_target *t, metadata *m)
{
    bool is_static = t->library == OBB_STATIC || t->library == OBB_BOTH;
    for (size_t i = 0; i < t->uses.count; i++) {
        const obb_use *use = &t->uses.at[i];
        const obb_target *used = obb_in(c->in->in->variant, use->target);
        if (used->kind != OBB_LIBRARY || use->at_run_time)
            continue;
        const char *name = obb_path_name(used->output);
        if (is_delivered(c, used))
            add_word(c, use->shared ? &m->requires : &m->requires_private, name);
        else if (!obb_has_sources(
                     used)) /* headers alone, or the system's: users of the archive link what it links */
            add_settings(c, &used->share, use->shared, m);
        else if (is_static || use->shared)
            obb_hint(c->in->diags,
                     obb_error(c->in->diags, OBB_FAULT_DESCRIPTION, item->place,
                               "users of `%s` need `%s`, which is not delivered for developers", item->name,
                               used->name),
                     "add it: developer-files %s %s", item->name, used->name);
    }
}

static void write_words(obb_text *text, const char *field, const char *first, const obb_words *words,
                        const char *between)
{
    if (!*first && !words->count)
        return;
    obb_text_format(text, "%s: %s", field, first);
    for (size_t i = 0; i < words->count; i++)
        obb_text_format(text, "%s%s", i ? between : *first ? " " : "", words->at[i]);
    obb_text_char(text, '\n');
}

/* Where the files to link are, seen from the prefix. */
static const char *library_folder(const obb_collector *c, const obb_target *t)
{
    const char *folder = obb_path_folder(c->in->arena, t->output);
    const char *libraries = c->in->in->naming.libraries;
    return strcmp(folder, ".") == 0 ? libraries : obb_path_join(c->in->arena, libraries, folder);
}

static bool has_cxx(const obb_collector *c, const obb_target *t)
{
    const obb_file_list *sources = &c->in->in->sources[t->number];
    bool any = false;
    for (size_t i = 0; i < sources->count && !any; i++)
        any = obb_language_of(obb_files_path(c->in->plan->files, sources->at[i])) == OBB_CXX;
    return any;
}

static void add_metadata(obb_collector *c, const obb_delivery_item *item, const obb_target *t)
{
    const obb_project *p = c->in->plan->project;
    const obb_thirdparty *other = t->place.scope ? obb_project_thirdparty(p, t->place.scope) : NULL;
    const char *name = obb_path_name(t->output), *version = other ? other->version : p->version;
    bool links = obb_has_sources(t);
    metadata m = {0};
    obb_text text = {0};
    add_settings(c, &t->share, true, &m);
    add_settings(c, &t->own, false, &m);
    add_uses(c, item, t, &m);
    if (links && has_cxx(c, t) && t->library != OBB_SHARED)
        add_word(c, &m.libs_private,
                 strcmp(obb_variant_value(c->in->in->variant, OBB_AXIS_OS), "macos") == 0 ? "-lc++"
                                                                                          : "-lstdc++");
    const char *folder = library_folder(c, t);
    obb_text_string(&text, "prefix=${pcfiledir}/..");
    for (const char *slash = c->in->in->naming.libraries; slash; slash = strchr(slash + 1, '/'))
        obb_text_string(&text, "/..");
    obb_text_string(&text, "\nincludedir=${prefix}/include\n");
    obb_text_format(&text, "libdir=${prefix}/%s\n\nName: %s\nDescription: %s\nVersion: %s\n", folder, name,
                    t->summary && *t->summary
                        ? t->summary
                        : obb_arena_format(c->in->arena, "The library %s of %s", name, p->name),
                    *version ? version : "0");
    write_words(&text, "Requires", "", &m.requires, ", ");
    write_words(&text, "Requires.private", "", &m.requires_private, ", ");
    write_words(&text, "Cflags", "-I${includedir}", &m.cflags, " ");
    write_words(&text, "Libs", links ? obb_arena_format(c->in->arena, "-L${libdir} -l%s", name) : "", &m.libs,
                " ");
    write_words(&text, "Libs.private", "", &m.libs_private, " ");
    obb_collect_bytes(c,
                      obb_arena_format(c->in->arena, "%s/%s/%s.pc", c->in->in->naming.libraries,
                                       obb_system_metadata_folder(c->in->in->toolchain), name),
                      obb_text_bytes(&text), text.length, item->place,
                      obb_arena_format(c->in->arena, "metadata of %s", item->name));
    obb_text_free(&text);
}

void obb_collect_for_developers(obb_collector *c, const obb_delivery_item *item)
{
    const obb_variant *v = c->in->in->variant;
    const obb_target *t = obb_in(v, item->target);
    const obb_product *p = obb_plan_product_of(c->in->plan, item->target, v);
    for (size_t i = 0; p && i < p->actions.count; i++) {
        const obb_action *a = c->in->plan->actions.at[p->actions.at[i]];
        c->wanted[a->number] = true;
        add_linkable(c, item, a);
        obb_collect_thirdparty(c, a);
        if (a->kind == OBB_LINK_LIBRARY)
            obb_collect_library(c, a, item);
    }
    for (size_t i = 0; i < t->share.count; i++)
        if (t->share.at[i].id == OBB_SET_INCLUDE)
            add_headers(c, item, t, obb_fill_facts(v, t->place.scope, t->share.at[i].value, c->in->arena));
    add_metadata(c, item, t);
}
