/* Meaning of `toolchain`, `platform` and `configuration`, which are parts of a variant; and
 * of `lineup`. */
#include <stdio.h>
#include <string.h>

#include "project/reader.h"
#include "project/variant.h"

static const char *const kind_names[] = {"toolchain", "platform", "configuration"};

static const struct { obb_word_id word; obb_where where; } kinds[] = {
    {OBB_W_TOOLCHAIN, OBB_IN_TOOLCHAIN}, {OBB_W_PLATFORM, OBB_IN_PLATFORM},
    {OBB_W_CONFIGURATION, OBB_IN_CONFIGURATION}};

/* %s: the axis values of this machine. */
static const char built_in_text[] =
    "toolchain host { summary \"the tools of this machine\" }\n"
    "platform host { summary \"this machine\"; toolchain host; set %s }\n"
    "configuration debug   { summary \"for finding faults\"; optimize none; debug-info full }\n"
    "configuration release { summary \"for delivery\"; optimize speed; define NDEBUG }\n";

const char *obb_part_kind_name(obb_part_kind kind)
{
    return kind_names[kind];
}

const obb_part *obb_project_part(const obb_project *p, obb_part_kind kind, const char *name)
{
    return obb_map_get(&p->part_names[kind], name);
}

static void keep_part(obb_project *p, obb_part *part)
{
    obb_arena_push(p->arena, &p->parts[part->kind], part);
    obb_map_put(&p->part_names[part->kind], part->name, part);
}

const char *const *obb_project_part_names(const obb_project *p, obb_part_kind kind)
{
    const char **names = obb_arena_alloc(p->arena, (p->parts[kind].count + 1) * sizeof *names);
    for (size_t i = 0; i < p->parts[kind].count; i++)
        names[i] = p->parts[kind].at[i]->name;
    return names;
}

const obb_lineup *obb_project_lineup(const obb_project *p, const char *name)
{
    for (size_t i = 0; i < p->lineups.count; i++)
        if (strcmp(p->lineups.at[i]->name, name) == 0)
            return p->lineups.at[i];
    return NULL;
}

const char *const *obb_project_lineup_names(const obb_project *p)
{
    const char **names = obb_arena_alloc(p->arena, (p->lineups.count + 1) * sizeof *names);
    for (size_t i = 0; i < p->lineups.count; i++)
        names[i] = p->lineups.at[i]->name;
    return names;
}

/* --- one part ----------------------------------------------------------------------- */

static void read_sets(obb_reader *r, const obb_item *item, obb_part *part)
{
    obb_word_list values = obb_item_values(r, item);
    if (item->guard) {
        obb_diag *d = obb_reader_fault(r, item->head.place, "`%s` decides about axes and cannot hang on a condition", item->head.text);
        obb_hint(r->diags, d, "describe another %s that is like this one", kind_names[part->kind]);
        return;
    }
    for (size_t i = 0; i < values.count; i++) {
        obb_assignment a;
        const char *equals = strchr(values.at[i].text, '=');
        char *name = obb_arena_copy(r->arena, values.at[i].text, equals ? (size_t)(equals - values.at[i].text) : 0);
        obb_axis *axis = obb_find_axis(r->project, name);
        if (!obb_read_assignment(r->project, values.at[i].text, values.at[i].place, r->diags, &a))
            continue;
        obb_check_new_value(r, axis, a.value, a.place);
        obb_add_axis_value(r, axis, a.value);
        obb_arena_push(r->arena, &part->sets, a);
    }
}

static void check_pairs(obb_reader *r, const obb_item *item, const char *const *keys)
{
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i += 2)
        if (keys)
            obb_reader_one_of(r, item->head.text, &values.at[i], keys);
    if (values.count % 2)
        obb_reader_fault(r, item->head.place, "`%s` takes pairs: a word, and what it becomes", item->head.text);
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
    case OBB_W_LEAST:
        if (value.text[strspn(value.text, "0123456789.")]) {
            obb_diag *d = obb_reader_fault(r, value.place, "`%s` is no version", value.text);
            obb_hint(r->diags, d, "write numbers and dots: least 12.2");
        }
        break;
    default: break;
    }
}

static void read_part_item(obb_reader *r, const obb_item *item, obb_part *part)
{
    obb_word value = obb_item_value(item);
    obb_word_id id = item->vocable.id;
    if ((int)id < OBB_SETTING_COUNT) {
        obb_read_setting(r, item, &part->settings);
    } else if (id == OBB_W_SUMMARY) {
        part->summary = value.text;
    } else if (id == OBB_W_LIKE) {
        part->like = value.text;
        part->like_place = value.place;
    } else if (id == OBB_W_SET) {
        read_sets(r, item, part);
    } else if (id == OBB_W_REFUSE) {
        obb_read_refusal(r, item, &part->refusals);
    } else {
        check_property(r, item);
        obb_arena_push(r->arena, &part->properties, obb_item_property(item));
    }
}

static obb_part *read_part(obb_reader *r, const obb_item *item, obb_part_kind kind)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return NULL;
    obb_part *part = obb_arena_alloc(r->arena, sizeof *part);
    part->kind = kind;
    part->name = item->name.text;
    part->place = item->name.place;
    if (strpbrk(part->name, "+=") || (kind == OBB_PLATFORM_PART && strchr(part->name, '.'))) {
        obb_diag *d = obb_reader_fault(r, part->place, "`%s` cannot be a name here", part->name);
        obb_hint(r->diags, d, "variants are called PLATFORM.CONFIGURATION+AXIS=VALUE");
    }
    obb_items items = obb_reader_items(r, item->block, kinds[kind].where, NULL);
    for (size_t i = 0; i < items.count; i++)
        read_part_item(r, &items.at[i], part);
    return part;
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
static void build_on(obb_reader *r, obb_part *part, const obb_parts *built_in, size_t depth)
{
    if (!part->like)
        return;
    obb_part *base = NULL;
    for (size_t i = 0; i < built_in->count; i++)
        if (strcmp(built_in->at[i]->name, part->like) == 0)
            base = built_in->at[i];
    obb_part *other = strcmp(part->like, part->name) != 0 ? obb_map_get(&r->project->part_names[part->kind], part->like) : NULL;
    base = other ? other : base;
    size_t most = r->project->parts[part->kind].count;
    if (!base || depth > most || depth > DEEPEST_LIKE) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, part->like_place,
                                !base ? "there is no %s `%s`" : depth > most ? "the %s `%s` is built on itself in the end"
                                                              : "the %s `%s` is built on others, one on the other, too deep",
                                kind_names[part->kind], part->like);
        if (!base)
            obb_hint_nearest(r->diags, d, part->like, obb_project_part_names(r->project, part->kind));
        part->like = NULL;
        return;
    }
    build_on(r, base, built_in, depth + 1);
    PREPEND(r->arena, &part->settings, &base->settings);
    PREPEND(r->arena, &part->sets, &base->sets);
    PREPEND(r->arena, &part->properties, &base->properties);
    PREPEND(r->arena, &part->refusals, &base->refusals);
    part->like = NULL;
}

/* --- all of them -------------------------------------------------------------------- */

static void note_axis_value(obb_reader *r, const obb_part *part)
{
    obb_axis_id id = part->kind == OBB_PLATFORM_PART ? OBB_AXIS_PLATFORM : OBB_AXIS_CONFIGURATION;
    if (part->kind != OBB_TOOLCHAIN_PART)
        obb_add_axis_value(r, r->project->axes.at[id], part->name);
}

static void add_part(obb_reader *r, const obb_item *item, obb_part_kind kind)
{
    obb_part *part = read_part(r, item, kind);
    const obb_part *before = part ? obb_project_part(r->project, kind, part->name) : NULL;
    if (before) {
        obb_reader_twice(r, obb_arena_format(r->arena, "%ss", kind_names[kind]), part->name, part->place, before->place);
    } else if (part) {
        keep_part(r->project, part);
        note_axis_value(r, part);
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
    obb_score *score = obb_score_parse(r->arena, "<built in>", copy, text.length, r->diags);
    obb_text_free(&text);
    obb_text_free(&facts);
    return obb_reader_items(r, &score->top, OBB_IN_TOP, NULL);
}

void obb_read_parts(obb_reader *r, obb_items *top)
{
    obb_items built_in = built_in_items(r);
    obb_parts replaceable[3] = {{0}};
    for (int kind = 0; kind < 3; kind++) {
        for (size_t i = 0; i < built_in.count; i++)
            if (built_in.at[i].vocable.id == kinds[kind].word) {
                obb_part *part = read_part(r, &built_in.at[i], (obb_part_kind)kind);
                part->place.line = 0;
                obb_arena_push(r->arena, &replaceable[kind], part);
            }
        for (size_t i = 0; i < top->count; i++)
            if (top->at[i].vocable.id == kinds[kind].word)
                add_part(r, &top->at[i], (obb_part_kind)kind);
        for (size_t i = 0; i < replaceable[kind].count; i++)
            if (!obb_project_part(r->project, (obb_part_kind)kind, replaceable[kind].at[i]->name)) {
                keep_part(r->project, replaceable[kind].at[i]);
                note_axis_value(r, replaceable[kind].at[i]);
            }
        for (size_t i = 0; i < r->project->parts[kind].count; i++)
            build_on(r, r->project->parts[kind].at[i], &replaceable[kind], 0);
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
