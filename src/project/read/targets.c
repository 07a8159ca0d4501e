/* Meaning of `program`, `library`, `image` and `group`, and of settings.
 *
 * A target has one value or list for each property. What stands under a condition is kept as a property or
 * list item with its condition; the rest is applied at once. Names are resolved later (check.c), when all
 * targets are known. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "project/read/steps.h"
#include "project/resolve/variant.h"

/* --- settings ----------------------------------------------------------------------- */

/* A placeholder within it is filled later. */
static bool macro_name(const char *s)
{
    if (!isalpha((unsigned char)*s) && *s != '_' && *s != '{')
        return false;
    while (isalnum((unsigned char)*s) || *s == '_' || (*s == '{' && strchr(s, '}')))
        s = *s == '{' ? strchr(s, '}') + 1 : s + 1;
    return !*s || *s == '=' || (*s == '(' && strchr(s, ')'));
}

static void check_value(obb_reader *r, const obb_item *item, const obb_word *w)
{
    obb_setting_id id = (obb_setting_id)item->vocable.id;
    if (obb_setting_infos[id].allowed)
        obb_reader_one_of(r, item->head.text, w, obb_setting_infos[id].allowed);
    if (id == OBB_SET_DEFINE && !macro_name(w->text)) {
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is not a macro definition", w->text);
        obb_hint(r->diags, d, "write NAME or NAME=VALUE, without -D");
    }
    if (id == OBB_SET_STANDARD && !obb_standard_language(w->text)) {
        static const char *const some[] = {"c89", "c99", "c11", "c17", "c23", "gnu99", "gnu11", "gnu17",
            "c++11", "c++14", "c++17", "c++20", "c++23", "gnu++17", "gnu++20", NULL};
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is not a language standard", w->text);
        obb_hint_nearest(r->diags, d, w->text, some);
    }
    if (id == OBB_SET_LIBS && (w->text[0] == '-' || !*w->text)) {
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is not a plain library name", w->text);
        obb_hint(r->diags, d,
                 "write `m` for the library that the linker knows as -lm, or the path of a file");
    }
}

/* Words of a set that cannot both hold: levels of warnings, and `none` with anything. */
static void check_set(obb_reader *r, obb_setting_id id, const obb_word_list *values)
{
    const obb_word *level = NULL;
    for (size_t i = 0; i < values->count; i++) {
        const obb_word *w = &values->at[i];
        if (strcmp(w->text, "fatal") == 0)
            continue;
        bool alone = id == OBB_SET_WARNINGS || strcmp(w->text, "none") == 0 ||
                     (level && strcmp(level->text, "none") == 0);
        if (level && alone)
            obb_reader_fault(r, w->place, "`%s` contradicts what stands before it", w->text);
        level = w;
    }
}

/* A word of a list that begins another statement, by what follows it: most likely a `;` is missing. */
static void check_swallowed(obb_reader *r, const obb_item *item, const obb_word_list *values)
{
    for (size_t i = 0; i + 1 < values->count; i++)
        for (int id = 0; id < OBB_SETTING_COUNT; id++) {
            const obb_setting_info *info = &obb_setting_infos[id];
            const char *next = values->at[i + 1].text;
            bool fits = id == OBB_SET_STANDARD && obb_standard_language(next);
            for (const char *const *a = info->allowed; a && *a && !fits; a++)
                fits = strcmp(*a, next) == 0;
            if (values->at[i].quoted || !fits || strcmp(values->at[i].text, info->word) != 0)
                continue;
            obb_diag *d = obb_warn(r->diags, values->at[i].place, "`%s` is taken as a value of `%s`",
                                   info->word, item->head.text);
            obb_hint(r->diags, d,
                     "a list goes on to the end of its line: write `; %s %s` for another statement",
                     info->word, next);
        }
}

/* `metadata bell least 1.2`: the two words behind a name become part of it. Where the next name stands. */
static size_t take_least(obb_reader *r, const obb_word_list *values, size_t i, obb_setting *s)
{
    const obb_word *least = i + 1 < values->count ? &values->at[i + 1] : NULL;
    if (!least || least->quoted || strcmp(least->text, "least") != 0)
        return i;
    const char *version = i + 2 < values->count ? values->at[i + 2].text : "";
    if (!isdigit((unsigned char)version[0])) {
        obb_diag *d = obb_reader_fault(r, least->place, "`%s` needs a version, such as 1.2", least->text);
        obb_hint(r->diags, d, "metadata %s least 1.2", s->value);
        return i + 1;
    }
    s->value = obb_arena_format(r->arena, "%s least %s", s->value, version);
    return i + 2;
}

/* Whether values of axes stand in the words; an axis that there is not is an error. */
static bool has_axes(obb_reader *r, const obb_word_list *words)
{
    bool any = false;
    for (size_t i = 0; i < words->count; i++)
        for (const char *at = words->at[i].text; (at = strstr(at, "{axis:")); at++) {
            const char *name = obb_arena_copy(r->arena, at + 6, strcspn(at + 6, "}"));
            if (!obb_find_axis_in(r->project, words->at[i].place.scope, name))
                obb_no_such_axis(r->project, name, words->at[i].place, r->diags);
            any = true;
        }
    return any;
}

void obb_read_setting(obb_reader *r, const obb_item *item, obb_settings *settings)
{
    obb_setting_id id = (obb_setting_id)item->vocable.id;
    obb_setting_shape shape = obb_setting_infos[id].shape;
    obb_word_list values = obb_item_values(r, item);
    has_axes(r, &values);
    if (shape == OBB_SET)
        check_set(r, id, &values);
    else
        check_swallowed(r, item, &values);
    for (size_t i = 0; i < values.count; i++) {
        bool facts = obb_has_facts(values.at[i].text);
        const obb_word word = facts ? values.at[i] : obb_reader_plain_braces(r, &values.at[i]), *w = &word;
        check_value(r, item, w);
        obb_setting s = {id, w->text, w->place, item->condition, facts};
        if (id == OBB_SET_METADATA)
            i = take_least(r, &values, i, &s);
        bool path = shape == OBB_FOLDERS || (id == OBB_SET_LIBS && strchr(w->text, '/')) ||
                    (shape == OBB_ONE_FILE && !obb_starts(w->text, "made:"));
        if (path && !obb_starts(w->text, "{out}")) /* which is seen from the project's folder */
            s.value = obb_reader_path(r, w);
        if (shape == OBB_SET)
            s.value = obb_joined_words(r->arena, &values);
        if (shape != OBB_SET || i == 0)
            obb_arena_push(r->arena, settings, s);
    }
}

void obb_read_refusal(obb_reader *r, const obb_item *item, obb_refusals *refusals)
{
    obb_refusal refusal = {.condition = item->condition, .place = item->head.place, .choose = item->choose,
                           .reason = item->choose ? NULL : obb_item_value(item).text};
    if (!item->choose && !item->condition) {
        obb_diag *d = obb_reader_fault(r, item->head.place, "`%s` without a condition rejects everything",
                                       item->head.text);
        obb_hint(r->diags, d, "put it inside `when` or `choose`; `only` says where a target is there at all");
    }
    obb_arena_push(r->arena, refusals, refusal);
}

/* --- targets ------------------------------------------------------------------------ */

void obb_read_patterns(obb_reader *r, const obb_item *item, obb_patterns *patterns)
{
    for (size_t i = 0; i < item->lines.count; i++) {
        const obb_word_list *words = &item->lines.at[i];
        obb_pattern_line line = {.condition = item->condition,
                                 .takes_away = item->vocable.id == OBB_W_EXCEPT};
        obb_word_list *into = line.takes_away ? &line.except : &line.names;
        for (size_t k = 0; k < words->count; k++) {
            const obb_word *w = &words->at[k];
            if (!w->quoted && strcmp(w->text, "except") == 0)
                into = &line.except;
            else if (!w->quoted && strcmp(w->text, "instead") == 0 && !line.takes_away)
                into = &line.instead;
            else if (!w->quoted && strcmp(w->text, "maybe") == 0 && k + 1 == words->count)
                obb_hint(r->diags,
                         obb_reader_fault(r, w->place, "`%s` stands in front of the patterns", w->text),
                         "sources maybe extra/*.c");
            else if (!w->quoted && strcmp(w->text, "maybe") == 0)
                line.maybe = true;
            else
                obb_arena_push(r->arena, into,
                               strstr(w->text, "{axis:") ? *w : obb_reader_plain_braces(r, w));
        }
        obb_arena_push(r->arena, patterns, line);
    }
}

static void add_use(obb_reader *r, obb_target *t, const obb_word *name, const obb_condition *condition,
                    bool shared)
{
    obb_use use = {.name = name->text, .place = name->place, .condition = condition, .shared = shared};
    obb_arena_push(r->arena, &t->uses, use);
}

static bool says_shared(const obb_word *w)
{
    return !w->quoted && strcmp(w->text, "shared") == 0;
}

/* `uses tune strike shared`: a word behind the name of a library says how it is linked. */
static void read_uses(obb_reader *r, const obb_item *item, obb_target *t, bool shared)
{
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i++) {
        add_use(r, t, &values.at[i], item->condition, shared);
        if (t->kind != OBB_GROUP && i + 1 < values.count && says_shared(&values.at[i + 1])) {
            t->uses.at[t->uses.count - 1].as_shared = true;
            i++;
        }
    }
}

static void read_needs(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i++) {
        add_use(r, t, &values.at[i], item->condition, false);
        t->uses.at[t->uses.count - 1].at_run_time = true;
    }
}

/* --- sets of settings with a name ----------------------------------------------------- */

enum { MOST_LIKES = 50 };

static void read_set(obb_reader *r, const obb_item *set, const obb_condition *condition, obb_target *t);

/* What `like` says stands where a target's own settings begin. */
static void read_like(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list names = obb_item_values(r, item);
    for (size_t i = 0; i < names.count; i++) {
        const obb_item *set = obb_map_get(&r->settings_names,
                                          obb_reader_scoped(r, names.at[i].place, names.at[i].text));
        if (set && r->likes < MOST_LIKES) {
            read_set(r, set, item->condition, t);
            continue;
        }
        obb_diag *d = obb_reader_fault(r, names.at[i].place,
                                       set ? "the settings `%s` are like themselves"
                                           : "there are no settings `%s`",
                                       names.at[i].text);
        if (!set)
            obb_hint(r->diags, d, "state them: settings %s { ... }", names.at[i].text);
    }
}

static void read_set(obb_reader *r, const obb_item *set, const obb_condition *condition, obb_target *t)
{
    obb_items items = obb_reader_items(r, set->block, OBB_IN_SETTINGS, condition);
    r->likes++;
    for (size_t i = 0; i < items.count; i++)
        if (items.at[i].vocable.id == OBB_W_LIKE_SETTINGS)
            read_like(r, &items.at[i], t);
    for (size_t i = 0; i < items.count; i++) {
        t->conditional = t->conditional || items.at[i].condition;
        if (items.at[i].vocable.id == OBB_W_USES)
            read_uses(r, &items.at[i], t, false);
        else if ((int)items.at[i].vocable.id < OBB_SETTING_COUNT)
            obb_read_setting(r, &items.at[i], &t->own);
    }
    r->likes--;
}

void obb_name_settings(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++) {
        obb_item *item = &top->at[i];
        if (item->vocable.id != OBB_W_SETTINGS || !item->block || !obb_reader_name_ok(r, &item->name))
            continue;
        const obb_item *before = obb_map_get(&r->settings_names, item->name.text);
        if (before)
            obb_reader_twice(r, "settings", item->name.text, item->name.place, before->name.place);
        else
            obb_map_put(&r->settings_names, item->name.text, item);
    }
    for (size_t i = 0; i < top->count;
         i++) { /* faults of those that no target is like are reported as well */
        obb_target nobody = {.name = ""};
        if (top->at[i].vocable.id == OBB_W_SETTINGS && top->at[i].block)
            read_set(r, &top->at[i], NULL, &nobody);
    }
}

static void read_settings_block(obb_reader *r, const obb_item *item, obb_where where,
                                obb_target *t, obb_settings *settings)
{
    if (!item->block)
        return;
    obb_items items = obb_reader_items(r, item->block, where, item->condition);
    for (size_t i = 0; i < items.count; i++) {
        t->conditional = t->conditional || items.at[i].condition;
        if (items.at[i].vocable.id == OBB_W_USES)
            read_uses(r, &items.at[i], t, true);
        else if (items.at[i].vocable.id == OBB_W_REFUSE)
            obb_read_refusal(r, &items.at[i], &t->refusals);
        else
            obb_read_setting(r, &items.at[i], settings);
    }
}

static void read_for(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_for f = {.patterns = obb_item_values(r, item), .condition = item->condition};
    read_settings_block(r, item, OBB_IN_FOR, t, &f.settings);
    for (size_t i = 0; i < f.patterns.count; i++)
        if (!obb_starts(f.patterns.at[i].text, "made:"))
            f.patterns.at[i].text = obb_reader_path(r, &f.patterns.at[i]);
    obb_arena_push(r->arena, &t->for_files, f);
}

static const char *const yes_no[] = {"yes", "no", NULL};
static const char *const formats[] = {"bin", "hex", "srec", NULL};

static void check_size(obb_reader *r, const obb_word *value, uint64_t most)
{
    uint64_t bytes;
    if (obb_read_size(value->text, &bytes) && bytes <= most)
        return;
    obb_diag *d = obb_reader_fault(r, value->place,
                                   most == 0xff ? "`%s` is not a byte" : "`%s` is not a number of bytes",
                                   value->text);
    obb_hint(r->diags, d,
             most == 0xff ? "a number from 0 to 0xff" : "decimal or 0x, with K, M or G: 512, 0x200, 1440K");
}

/* The version becomes part of file names. */
static void check_soname(obb_reader *r, const obb_item *item, const obb_word_list *values)
{
    const char *known = "0123456789abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ.-_+";
    bool fits = values->count == 1 || values->count == 2;
    for (size_t i = 0; i < values->count; i++)
        fits = fits && *values->at[i].text && !values->at[i].text[strspn(values->at[i].text, known)];
    if (fits)
        return;
    obb_diag *d = obb_reader_fault(r, item->head.place,
                                   "`%s` takes the version of the interface, and that of the file",
                                   item->head.text);
    obb_hint(r->diags, d, "soname 3, or soname 3 3.1.0");
}

static void check_property(obb_reader *r, const obb_item *item)
{
    obb_word value = obb_item_value(item);
    obb_word_list values = obb_item_values(r, item);
    switch (item->vocable.id) {
    case OBB_W_OPTIONAL: obb_reader_one_of(r, "optional", &value, yes_no); break;
    case OBB_W_WHOLE: obb_reader_one_of(r, "whole", &value, yes_no); break;
    case OBB_W_KIND: obb_reader_one_of(r, "kind", &value, obb_library_kinds); break;
    case OBB_W_OUTPUT: obb_reader_name_ok(r, &value); break;
    case OBB_W_FILL: check_size(r, &value, 0xff); break;
    case OBB_W_PAD_TO: check_size(r, &value, UINT64_MAX); break;
    case OBB_W_SONAME: check_soname(r, item, &values); break;
    case OBB_W_FORMATS:
        for (size_t i = 0; i < values.count; i++)
            obb_reader_one_of(r, "formats", &values.at[i], formats);
        break;
    default: break;
    }
}

/* What depends on a condition is kept for each variant to decide; the rest is known now. */
static void read_once(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_property p = obb_item_property(item);
    size_t before = r->diags->list.count;
    check_property(r, item);
    if (r->diags->list.count != before)
        return;
    if (item->vocable.id == OBB_W_ONLY) {
        obb_word_list words = obb_item_values(r, item);
        p.test = obb_read_test(r, &words, item->head.place);
        p.test_words = obb_joined_words(r->arena, &words);
    }
    bool kept = item->condition || item->vocable.id == OBB_W_ONLY || item->vocable.id == OBB_W_BUDGET;
    if (kept)
        obb_arena_push(r->arena, &t->properties, p);
    else
        obb_apply_property(r->arena, t, &p);
    t->conditional = t->conditional || item->vocable.id == OBB_W_ONLY;
}

/* --- images ------------------------------------------------------------------------- */

static void read_from(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word value = obb_item_value(item);
    const char *suffix = obb_path_suffix(value.text);
    if (strcmp(suffix, ".asm") == 0 || strcmp(suffix, ".nasm") == 0)
        read_once(r, item, t);
    else
        add_use(r, t, &value, item->condition, false);
}

/* place NAME at OFFSET, or at region NAME: an image of the project, or a file. */
static void read_place(obb_reader *r, const obb_item *item, obb_target *t)
{
    for (size_t i = 0; i < item->lines.count; i++) {
        const obb_word_list *w = &item->lines.at[i];
        obb_placed placed = {.condition = item->condition};
        bool at = w->count > 2 && strcmp(w->at[1].text, "at") == 0;
        if (at && w->count == 4 && strcmp(w->at[2].text, "region") == 0)
            placed.region = w->at[3].text;
        if (!placed.region && (!at || w->count != 3 || !obb_read_size(w->at[2].text, &placed.offset))) {
            obb_diag *d = obb_reader_fault(r, item->head.place, "`%s` takes a part and its offset",
                                           item->head.text);
            obb_hint(r->diags, d,
                     "write: place NAME at 512 (or 0x200, or 2K), or: place NAME at region FLASH");
            continue;
        }
        placed.name = w->at[0].text;
        placed.place = w->at[0].place;
        obb_word_list one = {.at = (obb_word *)(uintptr_t)&w->at[0], .count = 1};
        if (strncmp(placed.name, "made:", 5) == 0)
            obb_read_references(r, &one, item->condition, t);
        else if (!*obb_path_suffix(placed.name) && !strchr(placed.name, '/'))
            add_use(r, t, &w->at[0], item->condition, false);
        else
            placed.name = obb_reader_path(r, &w->at[0]);
        obb_arena_push(r->arena, &t->placed, placed);
    }
}

static void check_image(obb_reader *r, const obb_target *t)
{
    bool made_of_something = t->from_source || t->uses.count || t->placed.count;
    for (size_t i = 0; i < t->properties.count; i++)
        made_of_something = made_of_something || t->properties.at[i].id == OBB_W_FROM;
    if (made_of_something)
        return;
    obb_diag *d = obb_reader_fault(r, t->place, "image `%s` has no contents", t->name);
    obb_hint(r->diags, d, "state a program (from NAME), or parts (place NAME at OFFSET)");
}

/* --- reading a target --------------------------------------------------------------- */

static void read_sources(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    t->conditional = has_axes(r, &words) || t->conditional;
    size_t before = t->made_of.count;
    obb_read_patterns(r, item, &t->sources);
    obb_read_references(r, &words, item->condition, t);
    for (size_t i = before; i < t->made_of.count; i++)
        t->made_of.at[i].source = true;
}

/* A test of a program that is described elsewhere. */
static void read_tested(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word name = obb_item_value(item);
    t->tested = name.text;
    add_use(r, t, &name, item->condition, false);
}

static void read_property(obb_reader *r, const obb_item *item, obb_target *t);

static obb_target *new_target(obb_reader *r, const char *name, obb_place place, obb_target_kind kind)
{
    obb_project *p = r->project;
    obb_target *t = obb_arena_alloc(r->arena, sizeof *t);
    t->kind = kind;
    t->name = name;
    t->output = place.scope ? obb_arena_format(r->arena, "%s/%s", place.scope, name + strlen(place.scope) + 1)
                            : name;
    t->place = t->output_place = place;
    t->number = p->targets.count;
    t->fill = -1;
    obb_arena_push(r->arena, &p->targets, t);
    obb_map_put(&p->target_names, t->name, t);
    return t;
}

/* A step that stands in the target: of its own, and the target uses it; or the other way round. */
static void read_around(obb_reader *r, const obb_item *item, obb_target *t)
{
    bool after = item->vocable.id == OBB_W_AFTER;
    const char *name = obb_arena_format(r->arena, "%s:%s", t->name, after ? "after" : "before");
    for (int n = 2; obb_project_target(r->project, name); n++)
        name = obb_arena_format(r->arena, "%s:%s-%d", t->name, after ? "after" : "before", n);
    if (!item->block)
        return;
    obb_target *step = new_target(r, name, item->head.place, OBB_STEP);
    step->owner = t;
    step->after = after;
    obb_items items = obb_reader_items(r, item->block, OBB_IN_STEP, item->condition);
    for (size_t i = 0; i < items.count; i++)
        read_property(r, &items.at[i], step);
    obb_check_step(r, step);
    obb_word used = {after ? t->name : name, item->head.place, false};
    add_use(r, after ? step : t, &used, item->condition, false);
    step->conditional = step->conditional || item->condition;
}

static void note_resources(obb_reader *r, const obb_target *t)
{
    bool known = false;
    for (size_t i = 0; i < r->project->resource_scopes.count && !known; i++)
        known = obb_same(r->project->resource_scopes.at[i], t->place.scope);
    if (!known)
        obb_arena_push(r->arena, &r->project->resource_scopes, t->place.scope);
}

/* Files that a step or a test reads, or that become part of a program. */
static void read_inputs(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    if (item->vocable.id != OBB_W_READS)
        note_resources(r, t);
    obb_read_patterns(r, item, item->vocable.id == OBB_W_READS ? &t->reads : &t->resources);
    obb_read_references(r, &words, item->condition, t);
    t->conditional = has_axes(r, &words) || t->conditional;
}

/* A linker script, or a list of names, may be what a step makes. */
static void read_own(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    int id = (int)item->vocable.id;
    if (id == OBB_SET_LINKER_SCRIPT || id == OBB_SET_EXPORTS || id == OBB_SET_DYNAMIC_LIST)
        obb_read_references(r, &words, item->condition, t);
    obb_read_setting(r, item, &t->own);
}

/* A program that a step makes, or that is there. */
static void read_executable(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    obb_read_references(r, &words, item->condition, t);
    read_once(r, item, t);
}

static void read_property(obb_reader *r, const obb_item *item, obb_target *t)
{
    t->conditional = t->conditional || item->condition;
    switch (item->vocable.id) {
    case OBB_W_SOURCES: case OBB_W_EXCEPT: read_sources(r, item, t); break;
    case OBB_W_READS: case OBB_W_RESOURCES: read_inputs(r, item, t); break;
    case OBB_W_BEFORE: case OBB_W_AFTER: read_around(r, item, t); break;
    case OBB_W_TESTED: read_tested(r, item, t); break;
    case OBB_W_USES: read_uses(r, item, t, false); break;
    case OBB_W_NEEDS_TARGET: read_needs(r, item, t); break;
    case OBB_W_SHARE: read_settings_block(r, item, OBB_IN_SHARE, t, &t->share); break;
    case OBB_W_USERS: read_settings_block(r, item, OBB_IN_USERS, t, &t->users); break;
    case OBB_W_FOR: read_for(r, item, t); break;
    case OBB_W_REFUSE: obb_read_refusal(r, item, &t->refusals); break;
    case OBB_W_FROM: read_from(r, item, t); break;
    case OBB_W_EXECUTABLE: read_executable(r, item, t); break;
    case OBB_W_PLACE: read_place(r, item, t); break;
    case OBB_W_EACH:
        obb_reader_fault(r, item->head.place, "`%s` stands in the block of the target itself",
                         item->head.text);
        break;
    default:
        if ((int)item->vocable.id < OBB_SETTING_COUNT)
            read_own(r, item, t);
        else if (!obb_read_step_property(r, item, t))
            read_once(r, item, t);
    }
}

static obb_target *add_target(obb_reader *r, const obb_item *item, obb_target_kind kind)
{
    obb_project *p = r->project;
    if (!obb_reader_name_ok(r, &item->name))
        return NULL;
    const obb_thirdparty *other = obb_project_thirdparty(p, item->name.text);
    if (other) { /* `uses` would not know which is meant, and files would lie in one folder */
        obb_diag *d = obb_reader_fault(r, item->name.place, "`%s` is the name of third-party code",
                                       item->name.text);
        obb_also(r->diags, d, other->place, "which is stated here");
        return NULL;
    }
    obb_target *before = obb_map_get(&p->target_names, item->name.text);
    if (before) {
        obb_reader_twice(r, "targets", item->name.text, item->name.place, before->place);
        return NULL;
    }
    return new_target(r, item->name.text, item->name.place, kind);
}

static void check_test(obb_reader *r, const obb_target *t)
{
    int ways = (t->sources.count > 0) + (t->tested != NULL) + (t->commands.count > 0);
    if (ways > 1) {
        obb_diag *d = obb_reader_fault(r, t->place, "test `%s` runs more than one thing", t->name);
        obb_hint(r->diags, d, "state one of these: sources tests/*.c, program NAME, or run COMMAND");
    }
}

static void read_target(obb_reader *r, const obb_item *item, obb_target *t)
{
    static const obb_where places[] = {[OBB_PROGRAM] = OBB_IN_PROGRAM,
                                       [OBB_LIBRARY] = OBB_IN_LIBRARY,
                                       [OBB_IMAGE] = OBB_IN_IMAGE,
                                       [OBB_STEP] = OBB_IN_STEP,
                                       [OBB_TEST] = OBB_IN_TEST};
    if (t->kind == OBB_GROUP) {
        read_uses(r, item, t, false);
        return;
    }
    if (!item->block)
        return;
    obb_items items = obb_reader_items(r, item->block, places[t->kind], NULL);
    for (size_t i = 0; i < items.count; i++)
        if (items.at[i].vocable.id == OBB_W_LIKE_SETTINGS)
            read_like(r, &items.at[i], t);
    for (size_t i = 0; i < items.count; i++)
        if (items.at[i].vocable.id != OBB_W_LIKE_SETTINGS)
            read_property(r, &items.at[i], t);
    r->project->any_conditional = r->project->any_conditional || t->conditional;
    if (t->kind == OBB_IMAGE)
        check_image(r, t);
    if (t->kind == OBB_STEP)
        obb_check_step(r, t);
    if (t->kind == OBB_TEST)
        check_test(r, t);
}

void obb_read_targets(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++) {
        static const struct { obb_word_id word; obb_target_kind kind;
        } known[] = {{OBB_W_PROGRAM, OBB_PROGRAM}, {OBB_W_LIBRARY, OBB_LIBRARY}, {OBB_W_IMAGE, OBB_IMAGE},
                     {OBB_W_GROUP, OBB_GROUP},     {OBB_W_STEP, OBB_STEP},       {OBB_W_TEST, OBB_TEST}};
        for (size_t k = 0; k < sizeof known / sizeof *known; k++) {
            obb_target *t = top->at[i].vocable.id == known[k].word ? add_target(r, &top->at[i], known[k].kind)
                                                                   : NULL;
            if (t)
                read_target(r, &top->at[i], t);
            if (t && t->place.scope) /* code of others is built when it is used */
                t->optional = true;
        }
    }
}
