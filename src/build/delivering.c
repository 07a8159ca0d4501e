/* Deliveries of a workspace (delivering.h). */
#include "build/delivering.h"

#include <stdio.h>
#include <string.h>

#include "base/below.h"
#include "base/path.h"
#include "base/process.h"
#include "build/planning.h"
#include "delivery/chain.h"
#include "delivery/contents.h"
#include "delivery/install_script.h"
#include "delivery/pack.h"
#include "image/elf.h"

static int unknown(obb_workspace *w, const char *name)
{
    const obb_project *p = w->project;
    const char **names = obb_arena_alloc(w->arena, (p->deliveries.count + 1) * sizeof *names);
    for (size_t i = 0; i < p->deliveries.count; i++)
        names[i] = p->deliveries.at[i]->name;
    obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no delivery `%s`", name);
    obb_hint_nearest(w->diags, d, name, names);
    if (!d->hint)
        obb_hint(w->diags, d, "`obbligato show deliveries` lists them");
    return obb_workspace_tell(w);
}

static void add_name(obb_arena *arena, obb_words *names, const char *name)
{
    for (size_t i = 0; i < names->count; i++)
        if (strcmp(names->at[i], name) == 0)
            return;
    obb_arena_push(arena, names, obb_arena_string(arena, name)); /* the project is read again by a build */
}

/* One delivery in the chosen variants. False: it is left out of all of them. */
static bool choose(obb_workspace *w, const obb_delivery *d, obb_delivery_choice *c)
{
    bool any = false;
    for (size_t v = 0; v < w->variants.count; v++) {
        const obb_variant *variant = w->variants.at[v];
        obb_delivery_list all = {0};
        obb_target_list needed = {0};
        if (obb_delivery_left_out(variant, d))
            continue;
        any = true;
        obb_delivery_chain(variant, d, w->arena, &all);
        for (size_t i = 0; i < all.count; i++) {
            obb_delivery_targets(variant, all.at[i], w->arena, &needed);
            if (c->chain || all.at[i] == d)
                add_name(w->arena, &c->deliveries, all.at[i]->name);
        }
        for (size_t i = 0; i < needed.count; i++)
            if (!obb_left_out(variant, needed.at[i]))
                add_name(w->arena, &c->targets, needed.at[i]->name);
    }
    return any;
}

int obb_choose_deliveries(obb_workspace *w, const obb_words *names, obb_delivery_choice *choice)
{
    int code = obb_workspace_read_project(w);
    if (!code)
        code = obb_workspace_open_state(w, false);
    if (!code)
        code = obb_workspace_choose_variants(w);
    for (size_t i = 0; !code && i < names->count; i++) {
        const obb_delivery *d = obb_project_delivery(w->project, names->at[i]);
        if (!d)
            return unknown(w, names->at[i]);
        if (choose(w, d, choice))
            continue;
        obb_diag *e = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "the delivery `%s` is left out of %s",
                                d->name,
                                w->variants.count == 1 ? w->variants.at[0]->name : "all chosen variants");
        obb_hint(w->diags, e, "it is there only %s", d->only_words);
    }
    for (size_t i = 0; !code && !names->count && i < w->project->deliveries.count; i++)
        choose(w, w->project->deliveries.at[i], choice);
    if (!code && !choice->deliveries.count && !obb_diags_fault(w->diags))
        obb_hint(w->diags,
                 obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "nothing is delivered in %s",
                           w->variants.count == 1 ? w->variants.at[0]->name : "the chosen variants"),
                 "state what goes out: delivery NAME { programs NAME }");
    code = code ? code : obb_workspace_tell(w);
    choice->variants = w->variants.count;
    if (!code)
        obb_workspace_renew(w);
    return code;
}

/* What is in a delivery in one variant; with a table, of what is built. */
static obb_delivered list_one(obb_workspace *w, const obb_delivery *d, const obb_variant *v,
                              const obb_dependency_table *table)
{
    obb_delivered one = {.delivery = d, .in = obb_plan_variant_of(w->plan, v)};
    one.input = (obb_contents_input){
        .arena = w->arena, .plan = w->plan, .table = table, .in = one.in, .diags = w->diags};
    one.entries = obb_delivery_contents(&one.input, d);
    return one;
}

int obb_list_deliveries(obb_workspace *w, const obb_words *deliveries, bool built, obb_delivered_list *list)
{
    for (size_t v = 0; v < w->variants.count; v++)
        for (size_t i = 0; i < deliveries->count; i++) {
            const obb_delivery *d = obb_project_delivery(w->project, deliveries->at[i]);
            const obb_variant *variant = w->variants.at[v];
            if (!d || !obb_plan_variant_of(w->plan, variant) || obb_delivery_left_out(variant, d))
                continue;
            obb_delivered one = list_one(w, d, variant, built ? w->dependencies : NULL);
            obb_arena_push(w->arena, list, one);
        }
    return obb_workspace_tell(w);
}

int obb_install(obb_workspace *w, obb_installing *how, obb_delivered *d)
{
    how->arena = w->arena;
    how->diags = d->input.diags = w->diags;
    obb_install_delivery(how, &d->input, d->delivery, &d->entries);
    return obb_workspace_tell(w);
}

int obb_uninstall(obb_workspace *w, obb_installing *how, const char *delivery)
{
    how->arena = w->arena;
    how->diags = w->diags;
    obb_uninstall_delivery(how, w->project->name, delivery);
    return obb_workspace_tell(w);
}

int obb_find_installed(obb_workspace *w, const char *prefix, obb_words *names)
{
    int failed = obb_installed_deliveries(w->arena, prefix, w->project->name, names);
    return failed ? obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot tell what is installed there: %s",
                                       strerror(failed), NULL)
                  : 0;
}

/* --- stripping ---------------------------------------------------------------------- */

static const char *strip_folder(const obb_workspace *w)
{
    return obb_path_join(w->arena, w->out, ".obbligato/stripped");
}

void obb_drop_stripped(const obb_workspace *w)
{
    obb_below_remove_all(w->out, strip_folder(w));
}

static bool copy_object(obb_workspace *w, const obb_entry *e, const obb_tool *tool,
                        const char *const *options)
{
    obb_words argv = {0};
    for (size_t i = 0; i < tool->command.count; i++)
        obb_arena_push(w->arena, &argv, tool->command.at[i]);
    for (; *options; options++)
        obb_arena_push(w->arena, &argv, *options);
    obb_arena_push(w->arena, &argv, NULL);
    obb_answer a = obb_ask(argv.at, "");
    bool done = !a.failed && !a.status;
    if (!done)
        obb_error(w->diags, OBB_FAULT_OUTSIDE, e->place, "cannot strip %s: %s", e->source,
                  a.failed ? strerror(a.failed) : obb_text_bytes(&a.err));
    obb_answer_free(&a);
    return done;
}

/* Where debuggers look for the symbols of a file (GDB manual, Separate Debug Files); NULL: it has no build
 * identifier. */
static const char *debug_place(obb_workspace *w, const char *path)
{
    const char *id = obb_elf_build_id(path, w->arena);
    return id && strlen(id) > 2 ? obb_arena_format(w->arena, "lib/debug/.build-id/%.2s/%s.debug", id, id + 2)
                                : NULL;
}

static bool strip(obb_workspace *w, obb_delivered *d, size_t number, const obb_tool *tool, bool apart)
{
    obb_entry *e = &d->entries.at[number];
    const char *base = obb_arena_format(w->arena, "%s/%s.%s.%zu", strip_folder(w), d->delivery->name,
                                        d->in->variant->name, number);
    const char *whole = obb_arena_format(w->arena, "%s.whole", base),
               *symbols = obb_arena_format(w->arena, "%s.debug", base);
    obb_text text = {0};
    int failed = obb_entry_read(&d->input, e, &text);
    bool elf = text.length > 4 && memcmp(text.bytes, "\177ELF", 4) == 0;
    failed = failed || !(elf || e->static_library) ? failed
                                                   : obb_file_write(whole, text.bytes, text.length, NULL);
    obb_text_free(&text);
    if (failed)
        obb_error(w->diags, OBB_FAULT_OUTSIDE, e->place, "cannot strip %s: %s", e->source, strerror(failed));
    if (failed || !(elf || e->static_library))
        return !failed;
    const char *place = apart && elf ? debug_place(w, whole) : NULL;
    const char *const strip_words[] = {e->static_library ? "--strip-debug" : "--strip-unneeded", "-D", whole,
                                       base, NULL};
    const char *const debug_words[] = {"--only-keep-debug", "-D", whole, symbols, NULL};
    if (!copy_object(w, e, tool, strip_words) || (place && !copy_object(w, e, tool, debug_words)))
        return false;
    const obb_entry kept = *e;
    e->source = base;
    e->linked = e->static_library = false;
    if (place) /* moves the entries */
        obb_arena_push(w->arena, &d->entries,
                       (obb_entry){.path = place, .source = symbols, .place = kept.place,
                                   .what = obb_arena_format(w->arena, "symbols of %s", kept.path)});
    return true;
}

int obb_strip_deliveries(obb_workspace *w, bool apart, obb_delivered_list *list)
{
    bool done = true;
    obb_drop_stripped(w);
    for (size_t i = 0; i < list->count && done; i++) {
        obb_delivered *d = &list->at[i];
        d->input.diags = w->diags;
        const obb_tool *tool = NULL;
        size_t count = d->entries.count;
        for (size_t k = 0; k < count && done; k++) {
            if (!d->entries.at[k].source || !(d->entries.at[k].linked || d->entries.at[k].static_library))
                continue;
            if (!tool)
                tool = obb_toolchain_need(d->in->toolchain, OBB_TOOL_COPIER,
                                          obb_arena_format(w->arena, "stripping (%s)", d->in->variant->name),
                                          d->entries.at[k].place, w->diags);
            done = tool && strip(w, d, k, tool, apart);
        }
    }
    return obb_workspace_tell(w);
}

/* --- packing ------------------------------------------------------------------------ */

/* NAME-VERSION-PLATFORM; of several variants of one platform, the whole name of the variant. */
static const char *package_name(const obb_workspace *w, const obb_delivered *d)
{
    const obb_variant *v = d->in->variant;
    const char *version = w->project->version, *where = v->platform->name;
    for (size_t i = 0; i < w->variants.count; i++)
        if (w->variants.at[i] != v && w->variants.at[i]->platform == v->platform)
            where = v->name;
    return obb_arena_format(w->arena, "%s%s%s-%s", d->delivery->name, *version ? "-" : "", version, where);
}

int obb_pack_delivered(obb_workspace *w, const obb_delivered *d, const obb_pack_request *r, obb_words *packed)
{
    bool deb = strcmp(r->format, "deb") == 0;
    obb_delivered_list list = {0};
    obb_delivery_list chain = {0};
    obb_delivered one = *d;
    one.entries = (obb_entries){0}; /* stripping changes them */
    one.input.diags = w->diags;
    one.input.searched = deb ? d->in->naming.libraries : NULL;
    for (size_t i = 0; i < d->entries.count; i++)
        obb_arena_push(w->arena, &one.entries, d->entries.at[i]);
    obb_arena_push(w->arena, &list, one);
    int code = deb || r->strip || r->debug_files ? obb_strip_deliveries(w, r->debug_files, &list) : 0;
    list.at[0].input.diags = w->diags;
    obb_packing p = {.arena = w->arena,
                     .input = &list.at[0].input,
                     .delivery = d->delivery,
                     .entries = &list.at[0].entries,
                     .format = r->format,
                     .name = package_name(w, d),
                     .taken = packed,
                     .to = r->to ? r->to : obb_path_join(w->arena, w->out, "packages"),
                     .work = obb_path_join(w->arena, w->out, ".obbligato/packing")};
    obb_below_remove_all(w->out, p.work);
    obb_delivery_chain(d->in->variant, d->delivery, w->arena, &chain);
    for (size_t i = 0; i + 1 < chain.count; i++)
        obb_arena_push(w->arena, &p.needs, chain.at[i]->name);
    obb_workspace_phase(w, obb_arena_format(w->arena, "packing %s as %s", p.name, r->format));
    if (!code)
        obb_pack(&p);
    obb_workspace_phase(w, "");
    obb_below_remove_all(w->out, p.work);
    obb_drop_stripped(w);
    return code ? code : obb_workspace_tell(w);
}

/* --- scripts ------------------------------------------------------------------------- */

static bool is_wanted(const obb_workspace *w, const obb_target_list *targets, const obb_variant *v)
{
    bool all = targets->count > 0;
    for (size_t i = 0; i < targets->count && all; i++) {
        const obb_product *p = obb_plan_product_of(w->plan, targets->at[i], v);
        bool made = p && (p->actions.count || !obb_has_sources(obb_in(v, targets->at[i])));
        for (size_t k = 0; made && k < p->actions.count; k++)
            made = w->wanted[p->actions.at[k]];
        all = made || obb_left_out(v, targets->at[i]);
    }
    return all;
}

const char *obb_delivery_script(obb_workspace *w)
{
    const obb_variant *v = w->variants.count == 1 ? w->variants.at[0] : NULL;
    obb_words names = {0};
    obb_delivered_list list = {0};
    obb_text text = {0};
    obb_diags *told = w->diags;
    for (size_t i = 0; v && i < w->project->deliveries.count; i++) {
        obb_target_list targets = {0};
        obb_delivery_targets(v, w->project->deliveries.at[i], w->arena, &targets);
        if (!obb_delivery_left_out(v, w->project->deliveries.at[i]) && is_wanted(w, &targets, v))
            add_name(w->arena, &names, w->project->deliveries.at[i]->name);
    }
    w->diags = obb_diags_new(); /* what cannot be delivered is no matter of a script that builds */
    for (size_t i = 0; i < names.count; i++) {
        obb_delivered one = list_one(w, obb_project_delivery(w->project, names.at[i]), v, NULL);
        if (!obb_diags_fault(w->diags))
            obb_arena_push(w->arena, &list, one);
    }
    obb_diags_free(w->diags);
    w->diags = told;
    obb_text_string(&text, obb_install_script_begin);
    for (size_t i = 0; i < list.count; i++)
        obb_install_script(&list.at[i].input, &list.at[i].entries, &text);
    obb_text_string(&text, obb_install_script_end);
    const char *copy = list.count ? obb_arena_string(w->arena, text.bytes) : NULL;
    obb_text_free(&text);
    return copy;
}
