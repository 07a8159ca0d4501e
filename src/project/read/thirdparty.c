/* Code of others as part of the project (reader.h): where it is, and what describes it.
 *
 * Its description is parsed like a file of ours, with a scope: whatever it names gets the name of the
 * third-party project in front, and its own words find these first. What it says of platforms, toolchains,
 * tests and launches is not looked at: those are ours. Where its files are must be known while files are
 * still being read, so the statement is looked through for that first, and read as a whole when values and
 * axes are known. */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

/* Whether a statement of its description counts. */
static bool counts(obb_word_id id)
{
    switch (id) {
    case OBB_W_PROJECT:
    case OBB_W_LET:
    case OBB_W_AXIS:
    case OBB_W_PROGRAM:
    case OBB_W_LIBRARY:
    case OBB_W_GROUP:
    case OBB_W_IMAGE: case OBB_W_STEP: case OBB_W_SETTINGS: case OBB_W_CHECKS:
    case OBB_W_THIRDPARTY: return true;
    default: return false;
    }
}

static void take_items(obb_reader *r, const obb_items *all, obb_items *top)
{
    for (size_t i = 0; i < all->count; i++) {
        obb_item item = all->at[i];
        if (!counts(item.vocable.id))
            continue;
        bool named = item.vocable.id != OBB_W_PROJECT && item.vocable.id != OBB_W_CHECKS &&
                     item.vocable.id != OBB_W_THIRDPARTY;
        if (named && !obb_reader_name_ok(r, &item.name))
            continue;
        if (named)
            item.name.text = obb_reader_scoped(r, item.head.place, item.name.text);
        obb_arena_push(r->arena, top, item);
    }
}

static void read_describe(obb_reader *r, const obb_word *value, obb_thirdparty *t)
{
    t->description = obb_reader_path(r, value);
    if (t->index && t->index->url && !obb_need_index_file(r, t, value))
        t->folder = NULL;
    if (!obb_path_outside(t->description) || (t->index && obb_path_within(t->description, t->index->folder)))
        return;
    obb_diag *d = obb_reader_fault(r, value->place, "`%s` lies outside the project", t->description);
    obb_hint(r->diags, d, "a project reads files below the folder of " OBB_SCORE_NAME);
    t->folder = NULL;
}

/* `header H... [lib L...]`: the words go on to one of the lists at each of these. */
static bool read_headers(obb_reader *r, const obb_word_list *v, obb_on_system *system)
{
    obb_words *into = &system->headers;
    for (size_t i = 1; i < v->count; i++)
        if (i > 1 && into == &system->headers && strcmp(v->at[i].text, "lib") == 0)
            into = &system->libs;
        else
            obb_arena_push(r->arena, into, v->at[i].text);
    return system->headers.count && (into == &system->headers || system->libs.count);
}

/* `system metadata NAME [least V]`, or `system header H... [lib L...]`. */
static void read_system(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    const obb_word_list v = obb_item_values(r, item);
    const char *what = v.count ? v.at[0].text : "", *text = "";
    bool metadata = strcmp(what, "metadata") == 0, least = v.count == 4 && strcmp(v.at[2].text, "least") == 0;
    obb_on_system *system = obb_arena_alloc(r->arena, sizeof *system);
    for (size_t i = 0; i < v.count; i++)
        text = obb_arena_format(r->arena, "%s%s%s", text, i ? " " : "", v.at[i].text);
    *system = (obb_on_system){.text = text, .place = item->head.place};
    bool understood = metadata                         ? v.count == 2 || least
                      : strcmp(what, "header") == 0 ? read_headers(r, &v, system)
                                                       : false;
    if (!understood) {
        obb_hint(r->diags,
                 obb_reader_fault(r, item->head.place, "`%s` says what the system may have", item->head.text),
                 "write, for example: system metadata zlib least 1.2, or: system header zlib.h lib z");
        return;
    }
    if (metadata)
        system->metadata = text + strlen("metadata ");
    t->system = system;
}

bool obb_read_prefer(obb_reader *r, const obb_item *item)
{
    static const char *const words[] = {"system", "own", NULL};
    const obb_word value = obb_item_value(item);
    return obb_reader_one_of(r, item->head.text, &value, words) == 1;
}

/* What is in a statement. Faults of everything that is not needed to read its description are reported when
 * all of the statement is read. */
static obb_items inside_of(const obb_reader *r, const obb_block *block)
{
    obb_reader look = *r;
    look.diags = obb_diags_new();
    obb_items inside = obb_reader_items(&look, block, OBB_IN_THIRDPARTY, NULL);
    obb_diags_free(look.diags);
    return inside;
}

static void find_description(obb_reader *r, const obb_items *inside, obb_thirdparty *t)
{
    for (size_t i = 0; i < inside->count; i++) {
        obb_word value = obb_item_value(&inside->at[i]);
        if (inside->at[i].vocable.id == OBB_W_LICENCE)
            t->licence = value.text;
        if (inside->at[i].vocable.id == OBB_W_SYSTEM)
            read_system(r, &inside->at[i], t);
        if (inside->at[i].vocable.id == OBB_W_PREFER) {
            t->prefer_own = obb_read_prefer(r, &inside->at[i]);
            t->prefers = true;
        }
        if (inside->at[i].vocable.id == OBB_W_DESCRIBE && *value.text)
            read_describe(r, &value, t);
    }
}

void obb_place_other(obb_reader *r, obb_other *o, obb_items *top)
{
    obb_thirdparty *t = o->t;
    obb_items inside = o->entry, all = {0};
    for (size_t i = 0; i < o->ours.count; i++)
        obb_arena_push(r->arena, &inside, o->ours.at[i]);
    o->placed = true;
    obb_read_places(r, &inside, t);
    find_description(r, &inside, t);
    obb_read_prebuilts(r, &inside, t, &all);
    take_items(r, &all, top);
    all = (obb_items){0};
    if (!t->folder && !t->fetched && t->prebuilts.count) /* there are no sources of its own */
        return;
    if (!t->folder && !t->fetched && t->system) { /* there are no sources of its own */
        obb_read_system_library(r, t, &all);
        take_items(r, &all, top);
        return;
    }
    if (!t->folder) { /* an error was reported, or it is missing: what uses it would be one error more each */
        r->project->incomplete = true;
        return;
    }
    bool builds = false;
    for (size_t i = 0; i < inside.count; i++)
        builds = builds || inside.at[i].vocable.id == OBB_W_BUILD;
    if (builds) {
        obb_read_build(r, &inside, t, &all);
        take_items(r, &all, top);
        return;
    }
    if (!t->description)
        t->description = obb_path_join(r->arena, t->folder, OBB_SCORE_NAME);
    const obb_score_origin origin = {t->description, t->folder, t->name};
    if (obb_read_file(r, &origin, t->place, &all))
        take_items(r, &all, top);
}

obb_other *obb_add_other(obb_reader *r, const obb_word *name, const obb_item *item)
{
    obb_thirdparty *t = obb_arena_alloc(r->arena, sizeof *t);
    obb_other *o = obb_arena_alloc(r->arena, sizeof *o);
    *t = (obb_thirdparty){.name = name->text, .place = name->place, .version = "", .licence = "", .from = "",
                          .project = name->text};
    *o = (obb_other){.t = t, .item = item};
    obb_arena_push(r->arena, &r->project->thirdparty, t);
    obb_arena_push(r->arena, &r->others, o);
    return o;
}

void obb_read_thirdparty(obb_reader *r, const obb_item *item, obb_items *top)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    const obb_thirdparty *before = obb_project_thirdparty(r->project, item->name.text);
    if (before) {
        obb_reader_twice(r, "third-party projects", item->name.text, item->name.place, before->place);
        return;
    }
    obb_item *kept = obb_arena_alloc(r->arena, sizeof *kept);
    *kept = *item;
    obb_other *o = obb_add_other(r, &item->name, kept);
    o->ours = inside_of(r, item->block);
    bool from = false, system = false, binaries = false;
    for (size_t i = 0; i < o->ours.count; i++) {
        from = from || o->ours.at[i].vocable.id == OBB_W_FROM_PLACE;
        system = system || o->ours.at[i].vocable.id == OBB_W_SYSTEM;
        binaries = binaries || o->ours.at[i].vocable.id == OBB_W_PREBUILT;
    }
    if (from || ((system || binaries) && !r->project->indexes.count)) /* else an index may have sources */
        obb_place_other(r, o, top);
}

/* Its own project statement: settings for all of its targets. */
static void read_project(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    obb_items inside = {0};
    if (item->name.text)
        t->project = item->name.text;
    if (item->block)
        inside = obb_reader_items(r, item->block, OBB_IN_PROJECT, NULL);
    for (size_t i = 0; i < inside.count; i++) {
        if (inside.at[i].vocable.id == OBB_W_VERSION && !*t->version)
            t->version = obb_item_value(&inside.at[i]).text;
        else if (inside.at[i].vocable.id == OBB_W_HEADER && *obb_item_value(&inside.at[i]).text)
            t->header = obb_item_value(&inside.at[i]).text;
        else if (inside.at[i].vocable.id == OBB_W_NEEDS)
            obb_read_needs(r, &inside.at[i]);
        else if (inside.at[i].vocable.id == OBB_W_REFUSE)
            obb_read_refusal(r, &inside.at[i], &t->refusals);
        else if ((int)inside.at[i].vocable.id < OBB_SETTING_COUNT)
            obb_read_setting(r, &inside.at[i], &t->settings);
    }
}

static void read_statement(obb_reader *r, const obb_items *inside, obb_thirdparty *t)
{
    for (size_t i = 0; i < inside->count; i++) {
        const obb_item *fact = &inside->at[i];
        if (fact->vocable.id == OBB_W_LICENCE)
            t->licence = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_REFUSE)
            obb_read_refusal(r, fact, &t->refusals);
        else if (fact->vocable.id == OBB_W_OWN_HEADERS)
            t->own_headers = strcmp(obb_item_value(fact).text, "yes") == 0;
        else if (fact->vocable.id == OBB_W_IN_CONFIGURATION)
            t->configuration = obb_item_value(fact);
        else if ((int)fact->vocable.id < OBB_SETTING_COUNT)
            obb_read_setting(r, fact, &t->ours);
    }
}

/* Third-party code that it uses itself is stated by us. */
static void check_nested(obb_reader *r, const obb_item *item)
{
    if (!item->name.text || obb_project_thirdparty(r->project, item->name.text))
        return;
    obb_diag *d = obb_reader_fault(r, item->name.place, "`%s` is third-party code of third-party code",
                                   item->name.text);
    obb_hint(r->diags, d, "state it in " OBB_SCORE_NAME ": thirdparty %s { from folder ... }",
             item->name.text);
}

void obb_read_thirdparty_settings(obb_reader *r, const obb_items *top)
{
    for (size_t i = 0; i < r->others.count; i++) {
        const obb_other *o = r->others.at[i];
        read_statement(r, &o->entry, o->t);
        if (o->item) {
            const obb_items ours = obb_reader_items(r, o->item->block, OBB_IN_THIRDPARTY, NULL);
            read_statement(r, &ours, o->t);
        }
    }
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        obb_thirdparty *t = item->vocable.id == OBB_W_PROJECT
                                ? obb_project_thirdparty(r->project, item->head.place.scope)
                                : NULL;
        if (item->vocable.id == OBB_W_THIRDPARTY && item->head.place.scope)
            check_nested(r, item);
        else if (t)
            read_project(r, item, t);
    }
}

/* `set AXIS=VALUE`: the default of one of its axes. */
static void set_axis(obb_reader *r, const obb_word *word, obb_thirdparty *t)
{
    const char *equals = strchr(word->text, '=');
    const char *name = equals ? obb_arena_copy(r->arena, word->text, (size_t)(equals - word->text))
                              : word->text;
    obb_axis *axis = obb_find_axis(r->project, obb_arena_format(r->arena, "%s:%s", t->name, name));
    if (!axis || !equals || equals == word->text) {
        obb_diag *d = obb_reader_fault(r, word->place, axis ? "`%s` states no value" : "it has no axis `%s`",
                                       name);
        obb_hint(r->diags, d, "`%s` has those that its description states: set AXIS=VALUE", t->name);
    } else if (!axis->open && !obb_value_among(equals + 1, &axis->values)) {
        obb_barred_value(axis, equals + 1, word->place, r->arena, r->diags);
    } else {
        axis->initial = equals + 1;
        axis->initial_place = word->place;
    }
}

void obb_set_axes_of_others(obb_reader *r)
{
    for (size_t i = 0; i < r->others.count; i++) {
        obb_other *o = r->others.at[i];
        obb_items all = o->entry;
        for (size_t k = 0; k < o->ours.count; k++)
            obb_arena_push(r->arena, &all, o->ours.at[k]);
        for (size_t k = 0; k < all.count; k++) {
            const obb_word_list v = all.at[k].vocable.id == OBB_W_SET ? obb_item_values(r, &all.at[k])
                                                                      : (obb_word_list){0};
            for (size_t n = 0; n < v.count; n++)
                set_axis(r, &v.at[n], o->t);
        }
    }
}

void obb_check_configurations_of_others(obb_reader *r)
{
    for (size_t i = 0; i < r->project->thirdparty.count; i++) {
        const obb_word *name = &r->project->thirdparty.at[i]->configuration;
        if (!name->text || obb_project_definition(r->project, OBB_CONFIGURATION_DEFINITION, name->text))
            continue;
        const obb_definitions *all = &r->project->definitions[OBB_CONFIGURATION_DEFINITION];
        const char **known = obb_arena_alloc(r->arena, (all->count + 1) * sizeof *known);
        for (size_t k = 0; k < all->count; k++)
            known[k] = all->at[k]->name;
        obb_diag *d = obb_reader_fault(r, name->place, "there is no configuration `%s`", name->text);
        obb_hint_nearest(r->diags, d, name->text, known);
    }
}
