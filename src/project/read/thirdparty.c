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

/* Whether a statement of its description counts; *fault: it cannot be heeded yet. */
static bool counts(obb_word_id id, bool *fault)
{
    *fault = id == OBB_W_AXIS;
    switch (id) {
    case OBB_W_PROJECT: case OBB_W_LET: case OBB_W_PROGRAM: case OBB_W_LIBRARY: case OBB_W_GROUP:
    case OBB_W_IMAGE: case OBB_W_STEP: case OBB_W_SETTINGS: case OBB_W_CHECKS:
    case OBB_W_THIRDPARTY: return true;
    default: return false;
    }
}

static void take_items(obb_reader *r, const obb_items *all, obb_items *top)
{
    for (size_t i = 0; i < all->count; i++) {
        obb_item item = all->at[i];
        bool fault;
        if (!counts(item.vocable.id, &fault)) {
            if (fault)
                obb_hint(r->diags,
                         obb_reader_fault(r, item.head.place, "`%s` of third-party code is not supported",
                                          item.head.text),
                         "describe its targets by a file of yours: describe FILE");
            continue;
        }
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
    if (!obb_path_outside(t->description))
        return;
    obb_diag *d = obb_reader_fault(r, value->place, "`%s` lies outside the project", t->description);
    obb_hint(r->diags, d, "a project reads files below the folder of " OBB_SCORE_NAME);
    t->folder = NULL;
}

/* What must be known to read its description. Faults of everything else are reported when all of the
 * statement is read. */
static void find_description(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    obb_reader look = *r;
    size_t places = 0;
    look.diags = obb_diags_new();
    obb_items inside = obb_reader_items(&look, item->block, OBB_IN_THIRDPARTY, NULL);
    obb_diags_free(look.diags);
    for (size_t i = 0; i < inside.count; i++)
        places += inside.at[i].vocable.id == OBB_W_FROM_PLACE;
    obb_read_places(r, &inside, t);
    for (size_t i = 0; i < inside.count; i++) {
        obb_word value = obb_item_value(&inside.at[i]);
        if (inside.at[i].vocable.id == OBB_W_LICENCE)
            t->licence = value.text;
        if (inside.at[i].vocable.id == OBB_W_DESCRIBE && *value.text)
            read_describe(r, &value, t);
    }
    if (!places)
        obb_hint(r->diags, obb_reader_fault(r, t->place, "it is not said where `%s` is", t->name),
                 "write: from folder PATH");
    if (t->folder && !t->description)
        t->description = obb_path_join(r->arena, t->folder, OBB_SCORE_NAME);
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
    obb_thirdparty *t = obb_arena_alloc(r->arena, sizeof *t);
    *t = (obb_thirdparty){.name = item->name.text, .place = item->name.place, .version = "", .licence = "", .from = "",
                          .project = item->name.text};
    obb_arena_push(r->arena, &r->project->thirdparty, t);
    find_description(r, item, t);
    if (!t->folder) { /* an error was reported, or it is missing: what uses it would be one error more each */
        r->project->incomplete = true;
        return;
    }
    const obb_score_origin origin = {t->description, t->folder, t->name};
    obb_items all = {0};
    if (obb_read_file(r, &origin, t->place, &all))
        take_items(r, &all, top);
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

static void read_statement(obb_reader *r, const obb_item *item, obb_thirdparty *t)
{
    obb_items inside = obb_reader_items(r, item->block, OBB_IN_THIRDPARTY, NULL);
    for (size_t i = 0; i < inside.count; i++) {
        const obb_item *fact = &inside.at[i];
        if (fact->vocable.id == OBB_W_LICENCE)
            t->licence = obb_item_value(fact).text;
        else if (fact->vocable.id == OBB_W_REFUSE)
            obb_read_refusal(r, fact, &t->refusals);
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
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        obb_thirdparty *t = item->vocable.id == OBB_W_THIRDPARTY && item->block
                                ? obb_project_thirdparty(r->project, item->name.text)
                                : NULL;
        if (item->vocable.id == OBB_W_THIRDPARTY && item->head.place.scope)
            check_nested(r, item);
        else if (t)
            read_statement(r, item, t);
    }
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        obb_thirdparty *t = item->vocable.id == OBB_W_PROJECT
                                ? obb_project_thirdparty(r->project, item->head.place.scope)
                                : NULL;
        if (t)
            read_project(r, item, t);
    }
}
