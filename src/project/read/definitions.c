/* Meaning of `toolchain`, `platform` and `configuration`, which are parts of a variant; and of `lineup`.
 *
 * Definitions are read in the order of `like`, each after the one that it is like, whose settings it begins
 * with. One of a built-in name replaces it for the whole project. */
#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"
#include "project/resolve/variant.h"


static const struct { obb_word_id word; obb_where where; } kinds[] = {
    {OBB_W_TOOLCHAIN, OBB_IN_TOOLCHAIN}, {OBB_W_PLATFORM, OBB_IN_PLATFORM},
    {OBB_W_CONFIGURATION, OBB_IN_CONFIGURATION}};

/* %s: the axis values of this machine. */
static const char built_in_text[] =
    "toolchain host { summary \"the tools of this machine\" }\n"
    "platform host { summary \"this machine\"; toolchain host; set %s }\n"
    "configuration debug   { summary \"for finding faults\"; optimize none; debug-info full }\n"
    "configuration release { summary \"for delivery\"; optimize speed; define NDEBUG }\n";

static void keep_part(obb_project *p, obb_definition *definition)
{
    obb_arena_push(p->arena, &p->definitions[definition->kind], definition);
    obb_map_put(&p->part_names[definition->kind], definition->name, definition);
}

/* --- one part ----------------------------------------------------------------------- */

static void read_sets(obb_reader *r, const obb_item *item, obb_definition *definition)
{
    obb_word_list values = obb_item_values(r, item);
    if (item->condition) {
        obb_diag *d = obb_reader_fault(r, item->head.place,
                                       "`%s` decides about axes and cannot depend on a condition",
                                       item->head.text);
        obb_hint(r->diags, d, "describe another %s that is like this one",
                 obb_definition_kind_name(definition->kind));
        return;
    }
    for (size_t i = 0; i < values.count; i++) {
        obb_assignment a;
        const char *equals = strchr(values.at[i].text, '=');
        char *name = obb_arena_copy(r->arena, values.at[i].text,
                                    equals ? (size_t)(equals - values.at[i].text) : 0);
        obb_axis *axis = obb_find_axis(r->project, name);
        if (!obb_read_assignment(r->project, values.at[i].text, values.at[i].place, r->diags, &a))
            continue;
        obb_check_new_value(r, axis, a.value, a.place);
        obb_add_axis_value(r, axis, a.value);
        obb_arena_push(r->arena, &definition->sets, a);
    }
}

static void check_pairs(obb_reader *r, const obb_item *item, const char *const *keys)
{
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i += 2)
        if (keys)
            obb_reader_one_of(r, item->head.text, &values.at[i], keys);
    if (values.count % 2)
        obb_reader_fault(r, item->head.place, "`%s` takes pairs: a word, and what it becomes",
                         item->head.text);
}

static void check_property(obb_reader *r, const obb_item *item)
{
    static const char *const families[] = {"gcc", "clang", "custom", NULL};
    static const char *const suffixes[] = {"object", "library", "shared", "program", NULL};
    static const char *const languages[] = {"c", "c++", NULL};
    obb_word value = obb_item_value(item);
    switch (item->vocable.id) {
    case OBB_W_FAMILY: obb_reader_one_of(r, "family", &value, families); break;
    case OBB_W_SUFFIX: check_pairs(r, item, suffixes); break;
    case OBB_W_SPELL: check_pairs(r, item, NULL); break;
    case OBB_W_COMPILE: obb_reader_one_of(r, "compile", &value, languages); break;
    case OBB_W_LIBRARY_FOLDER:
        if (obb_path_outside(obb_path_join(r->arena, "", value.text)) || !*value.text || *value.text == '/')
            obb_hint(r->diags,
                     obb_reader_fault(r, value.place, "`%s` is no folder below the prefix", value.text),
                     "write what the system calls it: library-folder lib/x86_64-linux-gnu");
        break;
    case OBB_W_LEAST:
        if (value.text[strspn(value.text, "0123456789.")]) {
            obb_diag *d = obb_reader_fault(r, value.place, "`%s` is not a version", value.text);
            obb_hint(r->diags, d, "write numbers and dots: least 12.2");
        }
        break;
    default: break;
    }
}

static void read_part_item(obb_reader *r, const obb_item *item, obb_definition *definition)
{
    obb_word value = obb_item_value(item);
    obb_word_id id = item->vocable.id;
    if ((int)id < OBB_SETTING_COUNT) {
        obb_read_setting(r, item, &definition->settings);
    } else if (id == OBB_W_SUMMARY) {
        definition->summary = value.text;
    } else if (id == OBB_W_LIKE) {
        definition->like = value.text;
        definition->like_place = value.place;
    } else if (id == OBB_W_SET) {
        read_sets(r, item, definition);
    } else if (id == OBB_W_REFUSE) {
        obb_read_refusal(r, item, &definition->refusals);
    } else {
        check_property(r, item);
        obb_arena_push(r->arena, &definition->properties, obb_item_property(item));
    }
}

static obb_definition *read_part(obb_reader *r, const obb_item *item, obb_definition_kind kind)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return NULL;
    obb_definition *definition = obb_arena_alloc(r->arena, sizeof *definition);
    definition->kind = kind;
    definition->name = item->name.text;
    definition->place = item->name.place;
    if (strpbrk(definition->name, "+=") ||
        (kind == OBB_PLATFORM_DEFINITION && strchr(definition->name, '.'))) {
        obb_diag *d = obb_reader_fault(r, definition->place, "`%s` cannot be a name here", definition->name);
        obb_hint(r->diags, d, "variants are called PLATFORM.CONFIGURATION+AXIS=VALUE");
    }
    obb_items items = obb_reader_items(r, item->block, kinds[kind].where, NULL);
    for (size_t i = 0; i < items.count; i++)
        read_part_item(r, &items.at[i], definition);
    return definition;
}

/* --- like --------------------------------------------------------------------------- */

#define PREPEND(arena, list, front)                              \
    do {                                                         \
        size_t own_ = (list)->count;                             \
        if (!(front)->count)                                     \
            break;                                               \
        for (size_t i_ = 0; i_ < (front)->count; i_++)           \
            obb_arena_push(arena, list, (front)->at[i_]);        \
        for (size_t i_ = 0; i_ < own_; i_++)                     \
            obb_arena_push(arena, list, (list)->at[i_]);         \
        memmove((list)->at, (list)->at + own_, ((list)->count - own_) * sizeof *(list)->at); \
        (list)->count -= own_;                                   \
    } while (0)

enum { DEEPEST_LIKE = 5000 };

/* Puts what `like` says in front. `built_in` holds the ones that a project may replace and
 * still build on under the same name. */
static void build_on(obb_reader *r, obb_definition *definition, const obb_definitions *built_in, size_t depth)
{
    if (!definition->like)
        return;
    obb_definition *base = NULL;
    for (size_t i = 0; i < built_in->count; i++)
        if (strcmp(built_in->at[i]->name, definition->like) == 0)
            base = built_in->at[i];
    obb_definition *other = strcmp(definition->like, definition->name) != 0
                                ? obb_map_get(&r->project->part_names[definition->kind], definition->like)
                                : NULL;
    base = other ? other : base;
    size_t most = r->project->definitions[definition->kind].count;
    if (!base || depth > most || depth > DEEPEST_LIKE) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, definition->like_place,
                                !base          ? "there is no %s `%s`"
                                : depth > most ? "the %s `%s` is built on itself in the end"
                                               : "the %s `%s` is built on others, one on the other, too deep",
                                obb_definition_kind_name(definition->kind), definition->like);
        if (!base)
            obb_hint_nearest(r->diags, d, definition->like,
                             obb_project_definition_names(r->project, definition->kind));
        definition->like = NULL;
        return;
    }
    build_on(r, base, built_in, depth + 1);
    PREPEND(r->arena, &definition->settings, &base->settings);
    PREPEND(r->arena, &definition->sets, &base->sets);
    PREPEND(r->arena, &definition->properties, &base->properties);
    PREPEND(r->arena, &definition->refusals, &base->refusals);
    definition->like = NULL;
}

/* --- all of them -------------------------------------------------------------------- */

static void note_axis_value(obb_reader *r, const obb_definition *definition)
{
    obb_axis_id id = definition->kind == OBB_PLATFORM_DEFINITION ? OBB_AXIS_PLATFORM : OBB_AXIS_CONFIGURATION;
    if (definition->kind != OBB_TOOLCHAIN_DEFINITION)
        obb_add_axis_value(r, r->project->axes.at[id], definition->name);
}

static void add_part(obb_reader *r, const obb_item *item, obb_definition_kind kind)
{
    obb_definition *definition = read_part(r, item, kind);
    const obb_definition *before = definition ? obb_project_definition(r->project, kind, definition->name)
                                              : NULL;
    if (before) {
        obb_reader_twice(r, obb_arena_format(r->arena, "%ss", obb_definition_kind_name(kind)),
                         definition->name, definition->place, before->place);
    } else if (definition) {
        keep_part(r->project, definition);
        note_axis_value(r, definition);
    }
}

static obb_items built_in_items(obb_reader *r)
{
    const obb_host *h = r->project->host;
    obb_text text = {0}, facts = {0};
    obb_text_format(&facts, "os=%s libc=%s endian=%s", h->os, h->libc, h->endian);
    if (*h->cpu)
        obb_text_format(&facts, " cpu=%s", h->cpu);
    obb_text_format(&text, built_in_text, facts.bytes);
    const char *copy = obb_arena_string(r->arena, text.bytes);
    obb_score *score = obb_score_parse(r->arena, &(obb_score_origin){.file = "<built in>"}, copy, text.length,
                                       r->diags);
    obb_text_free(&text);
    obb_text_free(&facts);
    return obb_reader_items(r, &score->top, OBB_IN_TOP, NULL);
}

void obb_read_definitions(obb_reader *r, obb_items *top)
{
    obb_items built_in = built_in_items(r);
    obb_definitions replaceable[3] = {{0}};
    for (int kind = 0; kind < 3; kind++) {
        for (size_t i = 0; i < built_in.count; i++)
            if (built_in.at[i].vocable.id == kinds[kind].word) {
                obb_definition *definition = read_part(r, &built_in.at[i], (obb_definition_kind)kind);
                definition->place.line = 0;
                obb_arena_push(r->arena, &replaceable[kind], definition);
            }
        for (size_t i = 0; i < top->count; i++)
            if (top->at[i].vocable.id == kinds[kind].word)
                add_part(r, &top->at[i], (obb_definition_kind)kind);
        for (size_t i = 0; i < replaceable[kind].count; i++)
            if (!obb_project_definition(r->project, (obb_definition_kind)kind,
                                        replaceable[kind].at[i]->name)) {
                keep_part(r->project, replaceable[kind].at[i]);
                note_axis_value(r, replaceable[kind].at[i]);
            }
        for (size_t i = 0; i < r->project->definitions[kind].count; i++)
            build_on(r, r->project->definitions[kind].at[i], &replaceable[kind], 0);
    }
}

/* --- lineups ------------------------------------------------------------------------ */

void obb_read_lineups(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        if (item->vocable.id != OBB_W_LINEUP || !obb_reader_name_ok(r, &item->name))
            continue;
        const obb_lineup *before = obb_project_lineup(r->project, item->name.text);
        if (before) {
            obb_reader_twice(r, "lineups", item->name.text, item->name.place, before->place);
            continue;
        }
        obb_lineup *l = obb_arena_alloc(r->arena, sizeof *l);
        *l = (obb_lineup){item->name.text, item->name.place, obb_item_values(r, item)};
        obb_arena_push(r->arena, &r->project->lineups, l);
    }
}
