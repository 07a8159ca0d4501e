/* What a delivery consists of (contents.h). */
#include "delivery/contents.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "delivery/chain.h"
#include "delivery/collector.h"
#include "image/elf.h"
#include "project/language.h"
#include "report/report.h"

/* --- products ----------------------------------------------------------------------- */

/* Where a file of the variant's folder goes; NULL: it is not in there, or lies in the prefix of something
 * that built itself. */
static const char *place_in(const obb_collector *c, const char *path)
{
    const char *folder = c->in->in->folder;
    size_t n = strlen(folder);
    if (!obb_path_within(path, folder) || obb_starts(path + n, "/" OBB_FETCHED_FOLDER "/"))
        return NULL;
    return path + n + 1;
}

static const char *name_in(const obb_collector *c, const char *folder, const char *path)
{
    return obb_path_join(c->in->arena, folder, obb_path_name(path));
}

/* A program lies in bin, wherever it is in the variant's folder; a shared library where it is there, and one
 * that comes from elsewhere in lib. */
static const char *product_place(const obb_collector *c, const char *path, bool program)
{
    const char *below = place_in(c, path);
    if (c->firmware)
        return name_in(c, "firmware", path);
    return program ? name_in(c, "bin", path) : below ? below : name_in(c, c->in->in->naming.shared_in_bin
                                                                               ? "bin"
                                                                               : c->in->in->naming.libraries,
                                                                        path);
}

/* A shared library that nothing here links: of a vendor, or of what built itself. Programs find it by the
 * name that it has in it; what it needs itself and lies beside it comes along. */
static void collect_foreign(obb_collector *c, const char *path, const obb_delivery_item *item)
{
    obb_arena *arena = c->in->arena;
    obb_elf_dynamic d = {0};
    bool read = obb_elf_read_dynamic(path, arena, &d);
    const char *place = product_place(c, path, false);
    if (read && d.name && !strchr(d.name, '/'))
        place = obb_path_join(arena, obb_path_folder(arena, place), d.name);
    if (obb_map_put(c->foreign, place, c)) /* by another of its names */
        return;
    obb_collect_file(c, place, path,
                     &(obb_entry){.linked = true,
                                  .place = item->place,
                                  .what = obb_arena_format(arena, "library %s", obb_path_name(path))});
    for (size_t i = 0; i < d.needed.count; i++) {
        const char *other = obb_path_join(arena, obb_path_folder(arena, path), d.needed.at[i]);
        if (obb_files_is_file(c->in->plan->files, obb_files_number(c->in->plan->files, other)))
            collect_foreign(c, other, item);
    }
}

/* Shared libraries that a link reads, and plug-ins that its target needs. */
static void add_needed(obb_collector *c, const obb_action *a, const obb_delivery_item *item)
{
    const obb_plan *plan = c->in->plan;
    for (size_t i = 0; i < a->stated.inputs.count; i++) {
        const char *path = obb_files_path(plan->files, a->stated.inputs.at[i]);
        const obb_action *maker = obb_plan_maker(plan, a->stated.inputs.at[i]);
        const char *name = obb_path_name(path);
        bool shared = strstr(name, ".so") || obb_path_ends(obb_path_suffix(name), ".dylib") ||
                      obb_path_ends(obb_path_suffix(name), ".dll");
        bool ours = !obb_path_outside(path) || obb_path_within(path, plan->out);
        if (maker && maker->kind == OBB_LINK_LIBRARY)
            obb_collect_library(c, maker, item);
        else if (shared && ours)
            collect_foreign(c, path, item);
    }
    for (size_t i = 0; i < a->target->uses.count; i++) {
        const obb_target *used = obb_in(c->in->in->variant, a->target->uses.at[i].target);
        const obb_action *made = a->target->uses.at[i].at_run_time
                                     ? obb_plan_product(plan, used, c->in->in->variant)
                                     : NULL;
        if (made && made->kind == OBB_LINK_LIBRARY)
            obb_collect_library(c, made, item);
    }
}

/* A shared library with the link by which programs find it; that by which others link it is for developers.
 */
void obb_collect_library(obb_collector *c, const obb_action *a, const obb_delivery_item *item)
{
    obb_arena *arena = c->in->arena;
    const char *path = obb_files_path(c->in->plan->files, a->output);
    if (c->brought[a->number])
        return;
    c->brought[a->number] = true;
    const char *what = obb_arena_format(arena, "%s %s",
                                        a->target->library == OBB_PLUG_IN ? "plug-in" : "library",
                                        a->target->name);
    obb_collect_file(c, product_place(c, path, false), path,
                     &(obb_entry){.linked = true, .place = item->place, .what = what});
    if (a->links) { /* the first of them is the one that is asked for at run time, if it is another one */
        const char *other = obb_files_path(c->in->plan->files, a->also.at[a->also.count - a->links]);
        bool at_run_time = strcmp(obb_path_suffix(other), ".so") != 0;
        if (at_run_time)
            obb_collect_link(c, product_place(c, other, false), obb_path_name(path), item->place, what);
    }
    obb_collect_thirdparty(c, a);
    add_needed(c, a, item);
}

/* A program, as it is linked or as it is there; with its map in firmware. */
static void add_program(obb_collector *c, const obb_delivery_item *item)
{
    const obb_plan_variant *in = c->in->in;
    const obb_action *a = obb_plan_product(c->in->plan, item->target, in->variant);
    const obb_target *t = obb_in(in->variant, item->target);
    const char *what = obb_arena_format(c->in->arena, "program %s", t->name);
    if (!a && !t->executable.text)
        return;
    const char *path = t->executable.text ? obb_product_path(c->in->arena, &in->naming, in->folder, t, false)
                                          : obb_files_path(c->in->plan->files, a->output);
    obb_collect_file(c, product_place(c, path, true), path,
                     &(obb_entry){.linked = true, .executable = true, .place = item->place, .what = what});
    for (size_t i = 0; a && c->firmware && i < a->also.count; i++) {
        const char *also = obb_files_path(c->in->plan->files, a->also.at[i]);
        if (strcmp(obb_path_suffix(also), ".map") == 0)
            obb_collect_file(c, product_place(c, also, true), also,
                             &(obb_entry){.place = item->place,
                                          .what = obb_arena_format(c->in->arena, "map of %s", t->name)});
    }
    if (!a)
        return;
    c->wanted[a->number] = true;
    obb_collect_thirdparty(c, a);
    add_needed(c, a, item);
}

static void add_shared(obb_collector *c, const obb_delivery_item *item)
{
    const obb_product *p = obb_plan_product_of(c->in->plan, item->target, c->in->in->variant);
    bool any = false;
    for (size_t i = 0; p && i < p->actions.count; i++) {
        const obb_action *a = c->in->plan->actions.at[p->actions.at[i]];
        if (a->kind != OBB_LINK_LIBRARY)
            continue;
        any = true;
        c->wanted[a->number] = true;
        obb_collect_library(c, a, item);
    }
    if (any || obb_left_out(c->in->in->variant, item->target))
        return;
    obb_hint(c->in->diags,
             obb_error(c->in->diags, OBB_FAULT_DESCRIPTION, item->place,
                       "`%s` is not a shared library, so no program needs it at run time", item->name),
             "its archive and headers: developer-files %s", item->name);
}

/* All that an image is written as. */
static void add_image(obb_collector *c, const obb_delivery_item *item)
{
    const obb_product *p = obb_plan_product_of(c->in->plan, item->target, c->in->in->variant);
    const char *what = obb_arena_format(c->in->arena, "image %s", item->name);
    const char *folder = c->firmware ? "firmware"
                                     : obb_arena_format(c->in->arena, "share/%s", c->in->plan->project->name);
    for (size_t i = 0; p && i < p->actions.count; i++) {
        const obb_action *a = c->in->plan->actions.at[p->actions.at[i]];
        c->wanted[a->number] = true;
        obb_collect_thirdparty(c, a);
        for (size_t k = 0; k < a->also.count + 1; k++) {
            const char *path = obb_files_path(c->in->plan->files, k ? a->also.at[k - 1] : a->output);
            obb_collect_file(c, name_in(c, folder, path), path,
                             &(obb_entry){.place = item->place, .what = what});
        }
    }
}

/* --- files -------------------------------------------------------------------------- */

static const char *documents(const obb_collector *c)
{
    return c->firmware ? "doc" : obb_arena_format(c->in->arena, "share/doc/%s", c->delivery->name);
}

/* The folder for files of a kind: of manuals, by the section that the suffix tells. */
static const char *usual_place(const obb_collector *c, const obb_delivery_item *item, const char *path)
{
    if (item->to)
        return item->to;
    if (item->kind == OBB_DELIVER_MANUALS)
        return c->firmware ? "doc"
                           : obb_arena_format(c->in->arena, "share/man/man%s", obb_path_suffix(path) + 1);
    return documents(c);
}

static bool is_excepted(const obb_collector *c, const obb_delivery_item *item, const char *path)
{
    bool any = false;
    for (size_t i = 0; i < item->except.count && !any; i++)
        any = obb_path_matches(obb_path_join(c->in->arena, item->except.at[i].place.folder,
                                             item->except.at[i].text),
                               path);
    return any;
}

/* A pattern keeps the folders behind its first wildcard. */
static const char *kept_part(obb_arena *arena, const char *pattern, const char *path)
{
    size_t fixed = strcspn(pattern, "*?[");
    while (fixed && pattern[fixed - 1] != '/')
        fixed--;
    return obb_path_is_pattern(pattern) ? path + fixed : obb_arena_string(arena, obb_path_name(path));
}

static void add_file(obb_collector *c, const obb_delivery_item *item, const char *path, const char *below)
{
    static const char *const whats[] = {[OBB_DELIVER_FILES] = "file", [OBB_DELIVER_MANUALS] = "manual",
                                        [OBB_DELIVER_LICENCES] = "licence"};
    struct stat s;
    obb_collect_file(c, obb_path_join(c->in->arena, usual_place(c, item, path), below), path,
                     &(obb_entry){.executable = stat(path, &s) == 0 && (s.st_mode & 0100),
                                  .place = item->place,
                                  .what = whats[item->kind]});
}

static void add_made(obb_collector *c, const obb_delivery_item *item, const obb_word *w)
{
    const char *path = NULL;
    const obb_target *step = obb_delivery_maker(c->in->in->variant, w->text + 5, &path);
    if (step)
        add_file(c, item, obb_path_join(c->in->arena, c->in->in->folder, path), obb_path_name(path));
    else
        obb_hint(c->in->diags,
                 obb_error(c->in->diags, OBB_FAULT_DESCRIPTION, w->place, "no step makes `%s` in %s",
                           w->text + 5, c->in->in->variant->name),
                 "a step says what it makes: makes NAME");
}

static void add_files(obb_collector *c, const obb_delivery_item *item)
{
    obb_files *files = c->in->plan->files;
    for (size_t i = 0; i < item->patterns.count; i++) {
        const obb_word *w = &item->patterns.at[i];
        const char *pattern = obb_path_join(c->in->arena, w->place.folder, w->text);
        obb_file_list found = {0};
        bool any = false;
        if (obb_starts(w->text, "made:")) {
            add_made(c, item, w);
            continue;
        }
        obb_files_expand(files, pattern, &found);
        for (size_t k = 0; k < found.count; k++) {
            const char *path = obb_files_path(files, found.at[k]);
            bool file = obb_files_is_file(files, found.at[k]); /* a folder matches as well */
            any = any || file;
            if (file && !is_excepted(c, item, path))
                add_file(c, item, path, kept_part(c->in->arena, pattern, path));
        }
        if (!any)
            obb_error(c->in->diags, OBB_FAULT_DESCRIPTION, w->place, "no file matches `%s`", pattern);
        obb_vec_free(&found);
    }
}

/* --- licences ----------------------------------------------------------------------- */

/* Files in a folder that by their names tell under which terms the code is given. */
static bool add_licences_of(obb_collector *c, const char *folder, const char *into, obb_place place,
                            const char *what)
{
    static const char *const beginnings[] = {"LICENSE", "LICENCE", "COPYING", "COPYRIGHT",
                                             "NOTICE",  "License", "Licence", "license",
                                             "licence", "Copying", "copying", NULL};
    obb_files *files = c->in->plan->files;
    const obb_words *names = obb_files_list(files, obb_files_number(files, folder));
    bool any = false;
    for (size_t i = 0; i < names->count; i++)
        for (const char *const *b = beginnings; *b; b++) {
            const char *path = obb_path_join(c->in->arena, folder, names->at[i]);
            bool code = obb_language_of(path) != OBB_NO_LANGUAGE || obb_is_header(path); /* license.c */
            if (!obb_starts(names->at[i], *b) || code ||
                !obb_files_is_file(files, obb_files_number(files, path)))
                continue;
            obb_collect_file(c, obb_path_join(c->in->arena, into, names->at[i]), path,
                             &(obb_entry){.place = place, .what = what});
            any = true;
            break;
        }
    return any;
}

static void add_licences(obb_collector *c)
{
    const obb_project *p = c->in->plan->project;
    const char *into = obb_path_join(c->in->arena, documents(c), "licences");
    bool own = false;
    for (size_t i = 0; i < c->delivery->items.count; i++)
        own = own || c->delivery->items.at[i].kind == OBB_DELIVER_LICENCES;
    if (!own)
        add_licences_of(c, ".", documents(c), c->delivery->place, "licence");
    for (size_t i = 0; i < p->thirdparty.count; i++) {
        const obb_thirdparty *other = p->thirdparty.at[i];
        const char *what = obb_arena_format(c->in->arena, "licence of %s", other->name);
        if (!c->others[i] || !other->folder)
            continue;
        if (add_licences_of(c, other->folder, obb_path_join(c->in->arena, into, other->name), other->place,
                            what))
            continue;
        obb_hint(c->in->diags,
                 obb_warn(c->in->diags, other->place, "no file in %s tells under which licence %s is given",
                          other->folder, other->name),
                 "deliver it yourself: licences PATTERN to PLACE");
    }
}

static void add_bill(obb_collector *c)
{
    obb_text text = {0};
    const char *path = obb_arena_format(c->in->arena, "%s/%s.spdx.json", documents(c), c->delivery->name);
    if (c->in->table)
        obb_report_sbom(c->in->table, c->wanted, OBB_DELIVERY_TIME, &text);
    obb_collect_bytes(c, path, text.bytes, text.length, c->delivery->place, "bill of materials");
    obb_text_free(&text);
}

/* --- all of it ---------------------------------------------------------------------- */

static void add_items(obb_collector *c)
{
    for (size_t i = 0; i < c->delivery->items.count; i++) {
        const obb_delivery_item *item = &c->delivery->items.at[i];
        if (!obb_delivery_has(c->in->in->variant, item) ||
            (item->target && obb_left_out(c->in->in->variant, item->target)))
            continue;
        switch (item->kind) {
        case OBB_DELIVER_PROGRAM: add_program(c, item); break;
        case OBB_DELIVER_LIBRARY: case OBB_DELIVER_PLUG_IN: add_shared(c, item); break;
        case OBB_DELIVER_IMAGE: add_image(c, item); break;
        case OBB_DELIVER_FOR_DEVELOPERS: obb_collect_for_developers(c, item); break;
        case OBB_DELIVER_NEEDED: break;
        default: add_files(c, item);
        }
    }
}

/* What deliveries that this one needs bring along is not brought twice. */
static void leave_to_needed(obb_collector *c)
{
    obb_delivery_list chain = {0};
    obb_delivery_chain(c->in->in->variant, c->delivery, c->in->arena, &chain);
    for (size_t i = 0; i + 1 < chain.count; i++) {
        obb_collector other = *c;
        other.delivery = chain.at[i];
        other.entries = (obb_entries){0};
        other.wanted = obb_arena_alloc(c->in->arena, c->in->plan->actions.count + 1);
        other.others = obb_arena_alloc(c->in->arena, c->in->plan->project->thirdparty.count + 1);
        if (!obb_delivery_left_out(c->in->in->variant, chain.at[i]))
            add_items(&other); /* `brought` is shared */
    }
}

static int by_path(const void *a, const void *b)
{
    return strcmp(((const obb_entry *)a)->path, ((const obb_entry *)b)->path);
}

/* The same file for the same place, stated twice, is one. */
static void drop_repeated(obb_entries *entries)
{
    size_t kept = 0;
    for (size_t i = 0; i < entries->count; i++) {
        const obb_entry *e = &entries->at[i], *last = kept ? &entries->at[kept - 1] : NULL;
        if (!last || strcmp(last->path, e->path) != 0 || e->bytes || !obb_same(last->source, e->source) ||
            !obb_same(last->link, e->link))
            entries->at[kept++] = *e;
    }
    entries->count = kept;
}

/* Two files for one place, or a file where a folder must be. */
static void check_places(const obb_collector *c)
{
    for (size_t i = 0; i + 1 < c->entries.count; i++) {
        const obb_entry *a = &c->entries.at[i], *b = a + 1;
        bool same = strcmp(a->path, b->path) == 0;
        if (!same && !obb_path_within(b->path, a->path))
            continue;
        obb_diag *d = obb_error(c->in->diags, OBB_FAULT_DESCRIPTION, b->place,
                                same ? "two files are delivered to `%s`: %s and %s"
                                     : "`%s` would be a file (%s) and a folder (for %s)",
                                a->path, a->source ? a->source : a->what, b->source ? b->source : b->what);
        obb_also(c->in->diags, d, a->place, "the other one");
    }
}

obb_entries obb_delivery_contents(const obb_contents_input *in, const obb_delivery *d)
{
    const char *os = obb_variant_value(in->in->variant, OBB_AXIS_OS);
    obb_map foreign = {0};
    obb_collector c = {.in = in, .delivery = d, .firmware = strcmp(os, "none") == 0, .foreign = &foreign};
    c.brought = obb_arena_alloc(in->arena, in->plan->actions.count + 1);
    c.wanted = obb_arena_alloc(in->arena, in->plan->actions.count + 1);
    c.others = obb_arena_alloc(in->arena, in->plan->project->thirdparty.count + 1);
    leave_to_needed(&c);
    add_items(&c);
    add_licences(&c);
    add_bill(&c);
    if (c.entries.count)
        qsort(c.entries.at, c.entries.count, sizeof *c.entries.at, by_path);
    drop_repeated(&c.entries);
    check_places(&c);
    obb_map_free(&foreign);
    return c.entries;
}
