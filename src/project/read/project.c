/* Reading a project: all files first (so that order never matters), then meaning.
 *
 * The files that `read` names are parsed before anything is given a meaning. All faults of a description are
 * collected; a project with an error is complete enough to be asked about, and never built. */
#include "project/project.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"
#include "project/resolve/variant.h"
#include "project/version.h"
#include "state/far_place.h"

static void follow(obb_reader *r, const obb_item *item, obb_items *top)
{
    obb_word value = obb_item_value(item);
    if (!*value.text)
        return;
    const char *beside = obb_path_folder(r->arena, value.place.file);
    const char *path = obb_path_join(r->arena, beside, value.text);
    bool apart = strcmp(beside, value.place.folder) != 0; /* it describes files that lie elsewhere */
    obb_diag *d = NULL;
    if (obb_path_outside(path) && !(value.place.scope && obb_path_within(path, beside))) {
        d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, value.place,
                      "`%s` lies outside the project", path);
        obb_hint(r->diags, d, "a project reads files below the folder of " OBB_SCORE_NAME);
        return;
    }
    if (obb_map_get(&r->read_files, obb_reader_scoped(r, value.place, path)))
        d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, value.place, "`%s` is read already", path);
    if (!d)
        obb_read_file(r, &(obb_score_origin){path, apart ? value.place.folder : NULL, value.place.scope},
                      value.place, top);
}

/* Each once; several projects may read one file. */
static void note_description(obb_project *p, obb_words *list, const char *path)
{
    if (!obb_has_word(list, path))
        obb_arena_push(p->arena, list, path);
}

bool obb_read_file(obb_reader *r, const obb_score_origin *origin, obb_place from, obb_items *top)
{
    obb_text text = {0};
    const char *path = origin->file;
    enum { LARGEST = 64 << 20 };
    obb_file file = obb_files_number(r->files, path);
    const obb_stamp *stamp = obb_files_stamp(r->files, file);
    int failed = stamp && stamp->size > LARGEST ? EFBIG : obb_files_read(r->files, file, &text);
    if (failed) {
        obb_diag *d = obb_error(r->diags, failed == ENOENT ? OBB_FAULT_DESCRIPTION : OBB_FAULT_OUTSIDE,
                                from, "cannot read `%s`: %s", path, strerror(failed));
        if (from.line)
            obb_hint(r->diags, d, "paths are relative to the folder of %s", from.file);
        obb_text_free(&text);
        return false;
    }
    path = obb_arena_string(r->arena, path);
    obb_map_put(&r->read_files, obb_reader_scoped(r, (obb_place){.scope = origin->scope}, path), r);
    note_description(r->project, &r->project->descriptions, path);
    if (!origin->scope)
        note_description(r->project, &r->project->own_descriptions, path);
    obb_score *score = obb_score_parse(r->arena, origin, text.bytes, text.length, r->diags);
    obb_text_free(&text);
    obb_spread_only(r, &score->top);
    obb_expand_each(r, &score->top);
    obb_items items = obb_reader_items(r, &score->top, OBB_IN_TOP, NULL);
    for (size_t i = 0; i < items.count; i++) {
        obb_arena_push(r->arena, top, items.at[i]);
        if (items.at[i].vocable.id == OBB_W_READ)
            follow(r, &items.at[i], top);
        if (items.at[i].vocable.id == OBB_W_THIRDPARTY && !origin->scope)
            obb_read_thirdparty(r, &items.at[i], top);
        if (items.at[i].vocable.id == OBB_W_INDEX && !origin->scope)
            obb_read_index(r, &items.at[i]);
    }
    return true;
}

static void add_value(obb_reader *r, const char *name, obb_place place, obb_word_list values)
{
    obb_named_value *v = obb_arena_alloc(r->arena, sizeof *v);
    *v = (obb_named_value){name, place, values, 0};
    obb_named_value *before = obb_map_get(&r->value_names, name);
    if (before) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, place,
                                "there are two values named `%s`", name);
        if (before->place.line)
            obb_also(r->diags, d, before->place, "the other one");
        else
            obb_hint(r->diags, d, "`%s` is a fact of the project itself", name);
        return;
    }
    obb_map_put(&r->value_names, name, v);
    obb_arena_push(r->arena, &r->project->values, v);
}

static void read_values(obb_reader *r, const obb_items *top)
{
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_LET && obb_reader_name_ok(r, &top->at[i].name))
            add_value(r, top->at[i].name.text, top->at[i].name.place,
                      obb_item_values(r, &top->at[i]));
}

/* --- the project statement ---------------------------------------------------------- */

void obb_read_needs(obb_reader *r, const obb_item *item)
{
    obb_word_list v = obb_item_values(r, item);
    if (v.count != 2 || strcmp(v.at[0].text, "obbligato") != 0) {
        obb_error(r->diags, OBB_FAULT_DESCRIPTION, item->head.place,
                  "write: needs obbligato VERSION");
    } else if (obb_version_order(v.at[1].text, OBB_VERSION) > 0) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, v.at[1].place,
                                "this project needs obbligato %s; this is " OBB_VERSION, v.at[1].text);
        obb_hint(r->diags, d, "install a newer obbligato");
    }
}

static void read_project(obb_reader *r, const obb_items *top)
{
    obb_project *p = r->project;
    const obb_item *first = NULL;
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        if (item->vocable.id != OBB_W_PROJECT || item->head.place.scope)
            continue;
        if (first) {
            obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, item->head.place,
                                    "a project is described once");
            obb_also(r->diags, d, first->head.place, "here is the first `project`");
            continue;
        }
        first = item;
        if (obb_reader_name_ok(r, &item->name))
            p->name = item->name.text;
        p->place = item->head.place;
    }
    if (!first) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION,
                                ((obb_place){.file = OBB_SCORE_NAME, .line = 1, .column = 1}),
                                "no `project` statement");
        obb_hint(r->diags, d, "begin with: project NAME { version 0.1.0 }");
    }
}

/* The `project` of ours, or of a third-party project. */
static const obb_item *project_item(const obb_items *top, const char *scope)
{
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_PROJECT && obb_same(top->at[i].head.place.scope, scope))
            return top->at[i].block ? &top->at[i] : NULL;
    return NULL;
}

static void add_fact(obb_reader *r, const char *scope, const char *name, const char *value)
{
    obb_word_list one = {0};
    obb_arena_push(r->arena, &one, (obb_word){value, {0}, true});
    add_value(r, obb_reader_scoped(r, (obb_place){.scope = scope}, name), OBB_NOWHERE, one);
}

/* What the block of a statement says in one word; NULL: nothing. Faults are left for when it is read. */
static const char *stated(const obb_reader *r, const obb_item *item, obb_where where, obb_word_id id)
{
    obb_reader look = *r;
    const char *value = NULL;
    look.diags = obb_diags_new();
    obb_items inside = obb_reader_items(&look, item->block, where, NULL);
    for (size_t i = 0; i < inside.count; i++)
        if (inside.at[i].vocable.id == id)
            value = obb_item_value(&inside.at[i]).text;
    obb_diags_free(look.diags);
    return value;
}

/* Facts come before everything else, since the project's own settings may name them: the block is searched
 * for them first, and read as a whole after that. */
static void name_facts(obb_reader *r, const obb_items *top)
{
    const obb_item *item = project_item(top, NULL);
    const char *version = item ? stated(r, item, OBB_IN_PROJECT, OBB_W_VERSION) : NULL;
    const char *summary = item ? stated(r, item, OBB_IN_PROJECT, OBB_W_SUMMARY) : NULL;
    add_fact(r, NULL, "project.name", r->project->name);
    add_fact(r, NULL, "project.version", version ? version : "");
    add_fact(r, NULL, "project.summary", summary ? summary : "");
}

/* The same of a third-party project; which version it is, we may say as well. */
static void name_facts_of(obb_reader *r, const obb_items *top, const obb_thirdparty *t)
{
    const obb_item *item = project_item(top, t->name);
    const char *summary = item ? stated(r, item, OBB_IN_PROJECT, OBB_W_SUMMARY) : NULL;
    const char *version = !*t->version && item ? stated(r, item, OBB_IN_PROJECT, OBB_W_VERSION) : t->version;
    add_fact(r, t->name, "project.name", item && item->name.text ? item->name.text : t->name);
    add_fact(r, t->name, "project.version", version ? version : "");
    add_fact(r, t->name, "project.summary", summary ? summary : "");
}

/* The header that gives the project's facts and the axes to the code. */
static void read_header(obb_reader *r, const obb_item *item)
{
    obb_word value = obb_item_value(item);
    if (obb_reader_name_ok(r, &value))
        r->project->header = value.text;
}

static bool goes_to_header(const obb_check *c, const char *scope)
{
    return c->macro && !c->block->into && obb_same(c->place.scope, scope);
}

static void name_header(obb_reader *r)
{
    bool any = false;
    for (size_t i = 0; i < r->project->axes.count; i++)
        any = any || (r->project->axes.at[i]->define && !r->project->axes.at[i]->place.scope);
    for (size_t i = 0; i < r->project->checks.count; i++)
        any = any || goes_to_header(r->project->checks.at[i], NULL);
    if (any && !r->project->header)
        r->project->header = obb_arena_format(r->arena, "%s-variant.h", r->project->name);
    for (size_t i = 0; i < r->project->thirdparty.count; i++) {
        obb_thirdparty *t = r->project->thirdparty.at[i];
        bool theirs = false;
        for (size_t k = 0; k < r->project->checks.count; k++)
            theirs = theirs || goes_to_header(r->project->checks.at[k], t->name);
        for (size_t k = 0; k < r->project->axes.count; k++)
            theirs = theirs || (r->project->axes.at[k]->define &&
                                obb_same(r->project->axes.at[k]->place.scope, t->name));
        if (theirs && !t->header)
            t->header = obb_arena_format(r->arena, "%s-variant.h", t->project);
    }
}

/* far-store URL [read-only] */
static void read_far_store(obb_reader *r, const obb_item *item)
{
    const obb_word_list values = obb_item_values(r, item);
    obb_project *p = r->project;
    if (!values.count)
        return; /* it was told */
    const obb_word *url = &values.at[0];
    if (!obb_far_scheme(url->text))
        obb_hint(r->diags,
                 obb_error(r->diags, OBB_FAULT_DESCRIPTION, url->place, "`%s` is not the URL of a far store",
                           url->text),
                 "it begins with https://, http://, or redis://: far-store https://objects.example/main");
    p->far_store = url->text;
    p->far_read_only = values.count > 1 && strcmp(values.at[1].text, "read-only") == 0;
    if (values.count > 2 || (values.count == 2 && !p->far_read_only))
        obb_hint(r->diags,
                 obb_error(r->diags, OBB_FAULT_DESCRIPTION, values.at[1].place,
                           "behind the URL of a far store stands `read-only` or nothing, not `%s`",
                           values.at[1].text),
                 "far-store URL read-only");
}

static void read_trust(obb_reader *r, const obb_item *item)
{
    const obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i++) {
        const obb_word *w = &values.at[i];
        if (!obb_is_trust(w->text))
            obb_hint(r->diags,
                     obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->place, "`%s` is not a public key",
                               w->text),
                     "`obbligato keys NAME` makes a pair and prints the public one: ed25519:, and 64 "
                     "hexadecimal digits; `trust anyone` takes objects of whoever can write there");
        obb_arena_push(r->arena, &r->project->trust, w->text);
    }
}

static void read_facts(obb_reader *r, const obb_items *top, obb_items *inside)
{
    obb_project *p = r->project;
    const obb_item *item = project_item(top, NULL);
    if (item)
        *inside = obb_reader_items(r, item->block, OBB_IN_PROJECT, NULL);
    for (size_t i = 0; i < inside->count; i++) {
        const obb_item *fact = &inside->at[i];
        if (fact->vocable.id == OBB_W_VERSION)
            p->version = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_SUMMARY)
            p->summary = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_MAINTAINER)
            p->maintainer = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_LICENCE)
            p->licence = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_FAR_STORE)
            read_far_store(r, fact);
        else if (fact->vocable.id == OBB_W_TRUST)
            read_trust(r, fact);
        else if (fact->vocable.id == OBB_W_NEEDS)
            obb_read_needs(r, fact);
        else if (fact->vocable.id == OBB_W_REFUSE)
            obb_read_refusal(r, fact, &p->refusals);
        else if (fact->vocable.id == OBB_W_PREFER)
            p->prefer_own = obb_read_prefer(r, fact);
        else if (fact->vocable.id == OBB_W_HEADER)
            read_header(r, fact);
        else if (fact->vocable.id != OBB_W_DEFAULT)
            obb_read_setting(r, fact, &p->settings);
    }
}

static void add_default(obb_reader *r, const obb_word *w)
{
    obb_project *p = r->project;
    const obb_target *t = obb_project_named(p, NULL, w->text);
    const obb_lineup *l = obb_project_lineup(p, w->text);
    obb_variants variants = {0};
    if (t) {
        obb_arena_push(r->arena, &p->default_targets, t);
        return;
    }
    if (l) {
        obb_project_lineup_variants(p, l, NULL, r->diags, &variants);
    } else if (strchr(w->text, '.')) {
        const obb_variant *v = obb_project_variant_named(p, w->text, NULL, w->place, r->diags);
        if (v)
            obb_arena_push(r->arena, &variants, v);
    } else {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->place,
                                "`%s` is neither a target nor a variant nor a lineup", w->text);
        obb_hint_nearest(r->diags, d, w->text, obb_project_target_names(p));
        if (!d->hint)
            obb_hint(r->diags, d, "a variant is written PLATFORM.CONFIGURATION");
    }
    for (size_t i = 0; i < variants.count; i++)
        obb_arena_push(r->arena, &p->default_variants, variants.at[i]);
}

/* Every variant that is named must exist; they are made here, so that a mistake is reported whatever is
 * built. */
static void read_defaults(obb_reader *r, const obb_items *inside)
{
    obb_variants checked = {0};
    if (obb_diags_fault(r->diags))
        return;
    for (size_t i = 0; i < inside->count; i++) {
        if (inside->at[i].vocable.id != OBB_W_DEFAULT)
            continue;
        obb_word_list values = obb_item_values(r, &inside->at[i]);
        for (size_t k = 0; k < values.count; k++)
            add_default(r, &values.at[k]);
    }
    for (size_t i = 0; i < r->project->lineups.count; i++)
        obb_project_lineup_variants(r->project, r->project->lineups.at[i], NULL, r->diags, &checked);
}

static void prefer(const obb_reader *r)
{
    for (size_t i = 0; i < r->project->thirdparty.count; i++) {
        obb_thirdparty *t = r->project->thirdparty.at[i];
        t->prefer_own = r->how->prefer ? strcmp(r->how->prefer, "own") == 0
                        : t->prefers   ? t->prefer_own
                                       : r->project->prefer_own;
    }
}

/* All files are there, and what they say gets a meaning. */
static void give_meaning(obb_reader *r, obb_items *top)
{
    obb_project *p = r->project;
    obb_items inside = {0};
    read_project(r, top);
    read_values(r, top);
    obb_read_axes(r, top);
    obb_set_axes_of_others(r);
    name_facts(r, top);
    for (size_t i = 0; i < p->thirdparty.count; i++)
        name_facts_of(r, top, p->thirdparty.at[i]);
    read_facts(r, top, &inside);
    prefer(r);
    obb_read_thirdparty_settings(r, top);
    obb_read_checks(r, top);
    name_header(r);
    obb_name_settings(r, top);
    obb_read_definitions(r, top);
    obb_check_configurations_of_others(r);
    obb_read_runners(r, top);
    obb_read_launches(r, top);
    obb_read_lineups(r, top);
    obb_read_targets(r, top);
    obb_fingerprint_statements(r, top);
    obb_check_alternatives(r);
    obb_resolve_has(r);
    obb_check_names(p, r->diags);
    read_defaults(r, &inside);
    obb_read_deliveries(r, top);
}

obb_project *obb_project_read(obb_files *files, const obb_host *host, const obb_reading *how,
                              obb_diags *diags)
{
    obb_arena *arena = obb_arena_new();
    obb_project *p = obb_arena_alloc(arena, sizeof *p);
    *p = (obb_project){.arena = arena,
                       .name = "",
                       .version = "",
                       .summary = "",
                       .maintainer = "",
                       .licence = "",
                       .host = host ? host : obb_host_here(),
                       .out = how && how->out ? obb_arena_string(arena, how->out) : "out",
                       .lock = obb_lock_file_read(files, arena, diags)};
    static const obb_reading plain;
    obb_reader r = {.how = how ? how : &plain, .project = p, .arena = arena, .files = files, .diags = diags};
    obb_items top = {0};
    obb_read_file(&r, &(obb_score_origin){.file = OBB_SCORE_NAME}, OBB_NOWHERE, &top);
    obb_look_up_others(&r, &top);
    if (p->descriptions.count && !p->incomplete)
        give_meaning(&r, &top);
    obb_map_free(&r.read_files);
    obb_map_free(&r.value_names);
    obb_map_free(&r.settings_names);
    return p;
}

/* --- looking things up -------------------------------------------------------------- */

