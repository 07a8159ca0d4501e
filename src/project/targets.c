/* Meaning of `program`, `library`, `group` and `configuration`, and of settings. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "project/reader.h"

/* The value of an item, which must be one of `words` (ends with NULL); its index, or -1. */
static int one_of(obb_reader *r, const obb_item *item, const obb_word *w,
                  const char *const *words)
{
    obb_text text = {0};
    for (int i = 0; words[i]; i++) {
        if (strcmp(words[i], w->text) == 0) {
            obb_text_free(&text);
            return i;
        }
        obb_text_format(&text, "%s%s", i ? ", " : "", words[i]);
    }
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->place,
                            "`%s` is no value of `%s`", w->text, item->head.text);
    obb_hint(r->diags, d, "its values are: %s", text.bytes);
    obb_text_free(&text);
    return -1;
}

/* --- settings ----------------------------------------------------------------------- */

static bool macro_name(const char *s)
{
    if (!isalpha((unsigned char)*s) && *s != '_')
        return false;
    while (isalnum((unsigned char)*s) || *s == '_')
        s++;
    return !*s || *s == '=' || (*s == '(' && strchr(s, ')'));
}

static void check_value(obb_reader *r, const obb_item *item, const obb_word *w)
{
    obb_setting_id id = (obb_setting_id)item->vocable.id;
    if (obb_setting_infos[id].allowed)
        one_of(r, item, w, obb_setting_infos[id].allowed);
    if (id == OBB_SET_DEFINE && !macro_name(w->text)) {
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is no macro definition", w->text);
        obb_hint(r->diags, d, "write NAME or NAME=VALUE, without -D");
    }
    if (id == OBB_SET_STANDARD && !obb_standard_language(w->text)) {
        static const char *const some[] = {"c89", "c99", "c11", "c17", "c23", "gnu99", "gnu11", "gnu17",
            "c++11", "c++14", "c++17", "c++20", "c++23", "gnu++17", "gnu++20", NULL};
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is no language standard", w->text);
        obb_hint_nearest(r->diags, d, w->text, some);
    }
    if (id == OBB_SET_LIBS && (w->text[0] == '-' || strchr(w->text, '/') || !*w->text)) {
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is no plain library name", w->text);
        obb_hint(r->diags, d, "write `m` for the library that the linker knows as -lm");
    }
}

static const char *joined(obb_reader *r, const obb_word_list *values)
{
    obb_text text = {0};
    for (size_t i = 0; i < values->count; i++)
        obb_text_format(&text, "%s%s", i ? " " : "", values->at[i].text);
    const char *copy = obb_arena_string(r->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

void obb_read_setting(obb_reader *r, const obb_item *item, obb_settings *settings)
{
    obb_setting_id id = (obb_setting_id)item->vocable.id;
    obb_setting_shape shape = obb_setting_infos[id].shape;
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i++) {
        const obb_word *w = &values.at[i];
        check_value(r, item, w);
        obb_setting s = {id, w->text, w->place};
        if (shape == OBB_FOLDERS || shape == OBB_ONE_FILE)
            s.value = obb_reader_path(r, w);
        if (shape == OBB_SET)
            s.value = joined(r, &values);
        if (shape != OBB_SET || i == 0)
            obb_arena_push(r->arena, settings, s);
    }
}

/* --- targets ------------------------------------------------------------------------ */

static void read_patterns(obb_reader *r, const obb_item *item, obb_patterns *patterns)
{
    for (size_t i = 0; i < item->lines.count; i++) {
        const obb_word_list *words = &item->lines.at[i];
        obb_pattern_line line = {.maybe = false};
        bool except = false;
        for (size_t k = 0; k < words->count; k++) {
            const obb_word *w = &words->at[k];
            if (!w->quoted && strcmp(w->text, "except") == 0)
                except = true;
            else if (!w->quoted && strcmp(w->text, "maybe") == 0)
                line.maybe = true;
            else if (except)
                obb_arena_push(r->arena, &line.except, *w);
            else
                obb_arena_push(r->arena, &line.names, *w);
        }
        obb_arena_push(r->arena, &patterns->lines, line);
    }
}

static void read_uses(obb_reader *r, const obb_item *item, obb_target *t, bool shared)
{
    obb_word_list values = obb_item_values(r, item);
    for (size_t i = 0; i < values.count; i++) {
        obb_use use = {values.at[i].text, values.at[i].place, NULL, shared};
        obb_arena_push(r->arena, &t->uses, use);
    }
}

static void read_settings_block(obb_reader *r, const obb_item *item, obb_where where,
                                obb_target *t, obb_settings *settings)
{
    if (!item->block)
        return;
    obb_items items = obb_reader_items(r, item->block, where);
    for (size_t i = 0; i < items.count; i++) {
        if (items.at[i].vocable.id == OBB_W_USES)
            read_uses(r, &items.at[i], t, true);
        else
            obb_read_setting(r, &items.at[i], settings);
    }
}

static void read_for(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_for f = {.patterns = obb_item_values(r, item)};
    read_settings_block(r, item, OBB_IN_FOR, t, &f.settings);
    for (size_t i = 0; i < f.patterns.count; i++)
        f.patterns.at[i].text = obb_reader_path(r, &f.patterns.at[i]);
    obb_arena_push(r->arena, &t->for_files, f);
}

static void read_property(obb_reader *r, const obb_item *item, obb_target *t)
{
    static const char *const yes_no[] = {"yes", "no", NULL};
    static const char *const kinds[] = {"static", "shared", "both", NULL};
    obb_word value = obb_item_value(item);
    obb_word_list values;
    switch (item->vocable.id) {
    case OBB_W_SUMMARY: t->summary = value.text; break;
    case OBB_W_SOURCES: read_patterns(r, item, &t->sources); break;
    case OBB_W_EXCEPT:
        values = obb_item_values(r, item);
        for (size_t i = 0; i < values.count; i++)
            obb_arena_push(r->arena, &t->sources.except, values.at[i]);
        break;
    case OBB_W_USES: read_uses(r, item, t, false); break;
    case OBB_W_SHARE: read_settings_block(r, item, OBB_IN_SHARE, t, &t->share); break;
    case OBB_W_USERS: read_settings_block(r, item, OBB_IN_USERS, t, &t->users); break;
    case OBB_W_FOR: read_for(r, item, t); break;
    case OBB_W_OPTIONAL: t->optional = one_of(r, item, &value, yes_no) == 0; break;
    case OBB_W_OUTPUT:
        t->output_place = value.place;
        if (obb_reader_name_ok(r, &value))
            t->output = value.text;
        break;
    case OBB_W_KIND: {
        int kind = one_of(r, item, &value, kinds);
        t->library = kind < 0 ? OBB_STATIC : (obb_library_kind)kind;
        break;
    }
    default: obb_read_setting(r, item, &t->own); break;
    }
}

static obb_target *add_target(obb_reader *r, const obb_item *item, obb_target_kind kind)
{
    obb_project *p = r->project;
    if (!obb_reader_name_ok(r, &item->name))
        return NULL;
    obb_target *before = obb_map_get(&p->target_names, item->name.text);
    if (before) {
        obb_diag *d = obb_reader_fault(r, item->name.place, "there are two targets named `%s`", item->name.text);
        obb_also(r->diags, d, before->place, "the other one");
        return NULL;
    }
    obb_target *t = obb_arena_alloc(r->arena, sizeof *t);
    t->kind = kind;
    t->name = t->output = item->name.text;
    t->place = t->output_place = item->name.place;
    t->number = p->targets.count;
    obb_arena_push(r->arena, &p->targets, t);
    obb_map_put(&p->target_names, t->name, t);
    return t;
}

static void read_target(obb_reader *r, const obb_item *item, obb_target *t)
{
    if (t->kind == OBB_GROUP) {
        read_uses(r, item, t, false);
        return;
    }
    if (!item->block)
        return;
    obb_where where = t->kind == OBB_PROGRAM ? OBB_IN_PROGRAM : OBB_IN_LIBRARY;
    obb_items items = obb_reader_items(r, item->block, where);
    for (size_t i = 0; i < items.count; i++)
        read_property(r, &items.at[i], t);
    if (t->kind == OBB_PROGRAM && !t->sources.lines.count) {
        obb_diag *d = obb_reader_fault(r, t->place, "program `%s` has no sources", t->name);
        obb_hint(r->diags, d, "state them: sources src/*.c");
    }
}

void obb_read_targets(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++) {
        const obb_item *item = &top->at[i];
        obb_word_id id = item->vocable.id;
        if (id != OBB_W_PROGRAM && id != OBB_W_LIBRARY && id != OBB_W_GROUP)
            continue;
        obb_target *t = add_target(r, item, id == OBB_W_PROGRAM   ? OBB_PROGRAM
                                            : id == OBB_W_LIBRARY ? OBB_LIBRARY
                                                                  : OBB_GROUP);
        if (t)
            read_target(r, item, t);
    }
}

/* --- configurations ----------------------------------------------------------------- */

static obb_configuration *read_configuration(obb_reader *r, const obb_item *item)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return NULL;
    obb_configuration *c = obb_arena_alloc(r->arena, sizeof *c);
    c->name = item->name.text;
    c->place = item->name.place;
    obb_items items = obb_reader_items(r, item->block, OBB_IN_CONFIGURATION);
    for (size_t i = 0; i < items.count; i++) {
        obb_word value = obb_item_value(&items.at[i]);
        if (items.at[i].vocable.id == OBB_W_SUMMARY) {
            c->summary = value.text;
        } else if (items.at[i].vocable.id == OBB_W_LIKE) {
            c->like = value.text;
            c->like_place = value.place;
        } else {
            obb_read_setting(r, &items.at[i], &c->settings);
        }
    }
    return c;
}

static obb_configuration *named(obb_project *p, const char *name)
{
    for (size_t i = 0; i < p->configurations.count; i++)
        if (strcmp(p->configurations.at[i]->name, name) == 0)
            return p->configurations.at[i];
    return NULL;
}

/* Puts the settings of `like` in front. `builtin` holds the ones that a project may replace
 * and still build on under the same name. */
static void build_on(obb_reader *r, obb_configuration *c, obb_configuration *const *builtin,
                     size_t depth)
{
    if (!c->like)
        return;
    obb_configuration *base = NULL;
    for (size_t i = 0; builtin[i]; i++)
        if (strcmp(builtin[i]->name, c->like) == 0)
            base = builtin[i];
    if (strcmp(c->like, c->name) != 0 && named(r->project, c->like))
        base = named(r->project, c->like);
    if (!base || depth > r->project->configurations.count) {
        obb_diag *d = obb_reader_fault(r, c->like_place, base ? "`%s` is built on itself in the end"
                                                   : "there is no configuration `%s`", c->like);
        if (!base)
            obb_hint_nearest(r->diags, d, c->like,
                             obb_project_configuration_names(r->project));
        c->like = NULL;
        return;
    }
    if (base != c)
        build_on(r, base, builtin, depth + 1);
    obb_settings all = {0};
    for (size_t i = 0; i < base->settings.count; i++)
        obb_arena_push(r->arena, &all, base->settings.at[i]);
    for (size_t i = 0; i < c->settings.count; i++)
        obb_arena_push(r->arena, &all, c->settings.at[i]);
    c->settings = all;
    c->like = NULL;
}

void obb_read_configurations(obb_reader *r, obb_items *top, const obb_block *builtin_block)
{
    obb_project *p = r->project;
    obb_configuration *builtin[8] = {0};
    obb_items builtin_items = obb_reader_items(r, builtin_block, OBB_IN_TOP);
    for (size_t i = 0; i < builtin_items.count && i < 7; i++) {
        builtin[i] = read_configuration(r, &builtin_items.at[i]);
        builtin[i]->place.line = 0;
    }
    for (size_t i = 0; i < top->count; i++) {
        if (top->at[i].vocable.id != OBB_W_CONFIGURATION)
            continue;
        obb_configuration *c = read_configuration(r, &top->at[i]);
        obb_configuration *before = c ? named(p, c->name) : NULL;
        if (before) {
            obb_diag *d = obb_reader_fault(r, c->place, "there are two configurations named `%s`", c->name);
            obb_also(r->diags, d, before->place, "the other one");
        } else if (c) {
            obb_arena_push(r->arena, &p->configurations, c);
        }
    }
    for (size_t i = 0; builtin[i]; i++)
        if (!named(p, builtin[i]->name))
            obb_arena_push(r->arena, &p->configurations, builtin[i]);
    for (size_t i = 0; i < p->configurations.count; i++)
        build_on(r, p->configurations.at[i], builtin, 0);
}
