/* Meaning of `delivery`: what goes out, and where to. */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

static obb_delivery_item *add_item(obb_reader *r, obb_delivery *d, const obb_item *item,
                                   obb_delivery_kind kind)
{
    obb_delivery_item one = {.kind = kind, .place = item->head.place, .condition = item->condition};
    obb_arena_push(r->arena, &d->items, one);
    return &d->items.at[d->items.count - 1];
}

static void read_targets(obb_reader *r, obb_delivery *d, const obb_item *item, obb_delivery_kind kind)
{
    const obb_word_list v = obb_item_values(r, item);
    for (size_t i = 0; i < v.count; i++) {
        obb_delivery_item *one = add_item(r, d, item, kind);
        one->name = v.at[i].text;
        one->place = v.at[i].place;
    }
}

/* A place below the prefix: a relative path that does not lead out. */
static const char *read_place(obb_reader *r, const obb_word *w)
{
    const char *path = obb_path_join(r->arena, "", w->text);
    if (*w->text == '/' || obb_path_outside(path) || strcmp(path, ".") == 0)
        obb_hint(r->diags, obb_reader_fault(r, w->place, "`%s` is no place below the prefix", w->text),
                 "write a folder as it is called there, such as share/%s", r->project->name);
    return path;
}

/* PATTERN... [except PATTERN...] [to PLACE], line by line. */
static void read_files(obb_reader *r, obb_delivery *d, const obb_item *item, obb_delivery_kind kind)
{
    for (size_t i = 0; i < item->lines.count; i++) {
        const obb_word_list *words = &item->lines.at[i];
        obb_delivery_item *one = add_item(r, d, item, kind);
        obb_word_list *into = &one->patterns;
        for (size_t k = 0; k < words->count; k++) {
            const obb_word *w = &words->at[k];
            if (!w->quoted && strcmp(w->text, "except") == 0)
                into = &one->except;
            else if (!w->quoted && strcmp(w->text, "to") == 0 && k + 2 == words->count)
                one->to = read_place(r, &words->at[++k]);
            else
                obb_arena_push(r->arena, into, obb_reader_plain_braces(r, w));
        }
        if (!one->to && kind == OBB_DELIVER_FILES)
            obb_hint(r->diags, obb_reader_fault(r, item->head.place, "`%s` does not say where to",
                                                item->head.text),
                     "write, for example: files tunes/*.tune to share/%s/tunes", r->project->name);
    }
}

/* Packages of systems that what is delivered depends on, as their archive names them. */
static void read_words(obb_reader *r, const obb_item *item, obb_word_list *list)
{
    const obb_word_list v = obb_item_values(r, item);
    for (size_t i = 0; i < v.count; i++)
        obb_arena_push(r->arena, list, v.at[i]);
}

static void read_item(obb_reader *r, obb_delivery *d, const obb_item *item)
{
    obb_word value = obb_item_value(item);
    obb_word_list words;
    switch (item->vocable.id) {
    case OBB_W_SUMMARY: d->summary = value.text; break;
    case OBB_W_MAINTAINER: d->maintainer = value.text; break;
    case OBB_W_DESCRIPTION: d->description = value.text; break;
    case OBB_W_DEPENDS: read_words(r, item, &d->depends); break;
    case OBB_W_ONLY:
        words = obb_item_values(r, item);
        d->only = obb_condition_when(r, &words, item->head.place, NULL);
        d->only_words = obb_joined_words(r->arena, &words);
        break;
    case OBB_W_PROGRAMS: read_targets(r, d, item, OBB_DELIVER_PROGRAM); break;
    case OBB_W_LIBRARIES: read_targets(r, d, item, OBB_DELIVER_LIBRARY); break;
    case OBB_W_PLUG_INS: read_targets(r, d, item, OBB_DELIVER_PLUG_IN); break;
    case OBB_W_IMAGES: read_targets(r, d, item, OBB_DELIVER_IMAGE); break;
    case OBB_W_DEVELOPER_FILES: read_targets(r, d, item, OBB_DELIVER_FOR_DEVELOPERS); break;
    case OBB_W_NEEDS_DELIVERY: read_targets(r, d, item, OBB_DELIVER_NEEDED); break;
    case OBB_W_FILES: read_files(r, d, item, OBB_DELIVER_FILES); break;
    case OBB_W_MANUALS: read_files(r, d, item, OBB_DELIVER_MANUALS); break;
    case OBB_W_LICENCES: read_files(r, d, item, OBB_DELIVER_LICENCES); break;
    default: break;
    }
}

static void read_delivery(obb_reader *r, const obb_item *item)
{
    const obb_delivery *before = obb_project_delivery(r->project, item->name.text ? item->name.text : "");
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    if (before) {
        obb_reader_twice(r, "deliveries", item->name.text, item->name.place, before->place);
        return;
    }
    obb_delivery *d = obb_arena_alloc(r->arena, sizeof *d);
    *d = (obb_delivery){.name = item->name.text, .place = item->name.place};
    const obb_items items = obb_reader_items(r, item->block, OBB_IN_DELIVERY, NULL);
    for (size_t i = 0; i < items.count; i++)
        read_item(r, d, &items.at[i]);
    if (!d->items.count)
        obb_hint(r->diags, obb_reader_fault(r, d->place, "the delivery `%s` has nothing in it", d->name),
                 "state what goes out: programs NAME, libraries NAME, files PATTERN to PLACE");
    obb_arena_push(r->arena, &r->project->deliveries, d);
}

/* Whether a target is one of a list, or in a group that is. */
static bool is_in(const obb_target *t, const obb_target *other)
{
    bool any = t == other;
    for (size_t i = 0; other->kind == OBB_GROUP && i < other->uses.count && !any; i++)
        any = other->uses.at[i].target && is_in(t, other->uses.at[i].target);
    return any;
}

/* Without any statement, one of the project's name: its programs and shared libraries that are built by
 * default. */
static void add_default(obb_reader *r)
{
    obb_project *p = r->project;
    obb_delivery *d = obb_arena_alloc(r->arena, sizeof *d);
    *d = (obb_delivery){.name = p->name, .place = p->place, .summary = p->summary, .assumed = true};
    for (size_t i = 0; i < p->targets.count; i++) {
        const obb_target *t = p->targets.at[i];
        bool wanted = !p->default_targets.count && !t->optional;
        for (size_t k = 0; k < p->default_targets.count; k++)
            wanted = wanted || is_in(t, p->default_targets.at[k]);
        bool shared = t->kind == OBB_LIBRARY && (t->library == OBB_SHARED || t->library == OBB_BOTH),
             plug_in = t->kind == OBB_LIBRARY && t->library == OBB_PLUG_IN;
        const obb_delivery_item item = {.kind = plug_in ? OBB_DELIVER_PLUG_IN
                                                : shared ? OBB_DELIVER_LIBRARY
                                                         : OBB_DELIVER_PROGRAM,
                                        .name = t->name,
                                        .place = t->place,
                                        .target = t};
        if (wanted && !t->place.scope && (shared || plug_in || t->kind == OBB_PROGRAM))
            obb_arena_push(r->arena, &d->items, item);
    }
    obb_arena_push(r->arena, &p->deliveries, d);
}

/* --- when all targets are known ------------------------------------------------------ */

static bool fits(obb_delivery_kind kind, const obb_target *t)
{
    switch (kind) {
    case OBB_DELIVER_PROGRAM: return t->kind == OBB_PROGRAM;
    case OBB_DELIVER_LIBRARY: return t->kind == OBB_LIBRARY && t->library != OBB_PLUG_IN;
    case OBB_DELIVER_PLUG_IN: return t->kind == OBB_LIBRARY && t->library == OBB_PLUG_IN;
    case OBB_DELIVER_IMAGE: return t->kind == OBB_IMAGE;
    default: return t->kind == OBB_LIBRARY;
    }
}

static void find_target(obb_reader *r, obb_delivery_item *item)
{
    static const char *const kinds[] = {[OBB_DELIVER_PROGRAM] = "there is no program `%s`",
                                        [OBB_DELIVER_LIBRARY] = "there is no library `%s`",
                                        [OBB_DELIVER_PLUG_IN] = "there is no plug-in `%s`",
                                        [OBB_DELIVER_IMAGE] = "there is no image `%s`",
                                        [OBB_DELIVER_FOR_DEVELOPERS] = "there is no library `%s`"};
    item->target = obb_project_named(r->project, item->place.scope, item->name);
    if (item->target && fits(item->kind, item->target))
        return;
    obb_diag *d = obb_reader_fault(r, item->place, kinds[item->kind], item->name);
    obb_hint_nearest(r->diags, d, item->name, obb_project_target_names(r->project));
}

static void find_needed(obb_reader *r, const obb_delivery *d, obb_delivery_item *item)
{
    const obb_project *p = r->project;
    const char **names = obb_arena_alloc(r->arena, (p->deliveries.count + 1) * sizeof *names);
    item->needed = obb_project_delivery(p, item->name);
    if (item->needed && item->needed != d)
        return;
    for (size_t i = 0; i < p->deliveries.count; i++)
        names[i] = p->deliveries.at[i]->name;
    obb_hint_nearest(r->diags,
                     obb_reader_fault(r, item->place, "there is no other delivery `%s`", item->name),
                     item->name, names);
}

void obb_read_deliveries(obb_reader *r, obb_items *top)
{
    bool sound = !obb_diags_fault(r->diags); /* else what is named may be missing for another reason */
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_DELIVERY)
            read_delivery(r, &top->at[i]);
    if (!r->project->deliveries.count)
        add_default(r);
    for (size_t i = 0; i < r->project->deliveries.count; i++) {
        obb_delivery *d = r->project->deliveries.at[i];
        for (size_t k = 0; k < d->items.count && !d->assumed && sound; k++)
            if (d->items.at[k].kind == OBB_DELIVER_NEEDED)
                find_needed(r, d, &d->items.at[k]);
            else if (d->items.at[k].name)
                find_target(r, &d->items.at[k]);
    }
}
