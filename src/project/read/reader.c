/* From syntax trees to items (reader.h). Values are replaced while words are read, with a limit on what they
 * may become. Statements inside conditions stand among the others, each with its condition. */
#include "project/read/reader.h"

#include <string.h>

#include "base/fill.h"
#include "base/path.h"

obb_diag *obb_reader_fault(obb_reader *r, obb_place place, const char *message, const char *word)
{
    return obb_error(r->diags, OBB_FAULT_DESCRIPTION, place, message, word);
}

/* --- {name} ------------------------------------------------------------------------- */

static void replace(obb_reader *r, const obb_word *word, const char *const *kept, obb_word_list *into);

/* Values that are made of each other: how deep, and how many words all of them may become. */
enum { DEEPEST_VALUE = 1000, MOST_VALUE_WORDS = 1000000 };

static const obb_word_list *value_of(obb_reader *r, const char *name, const obb_word *word)
{
    obb_named_value *v = obb_map_get(&r->value_names, obb_reader_scoped(r, word->place, name));
    if (!v) {
        obb_diag *d = obb_reader_fault(r, word->place, "no value is named `%s`", name);
        const char **known = obb_arena_alloc(r->arena, (r->value_names.count + 1) * sizeof *known);
        for (size_t i = 0; i < r->value_names.count; i++)
            known[i] = r->value_names.at[i].key;
        obb_hint_nearest(r->diags, d, name, known);
        if (!d->hint)
            obb_hint(r->diags, d, "`let %s ...` makes one; `{{` is a brace", name);
        return NULL;
    }
    if (v->state == 1) {
        obb_reader_fault(r, v->place, "the value `%s` is made from itself", name);
        return NULL;
    }
    if (r->value_depth >= DEEPEST_VALUE) {
        obb_reader_fault(r, v->place, "the value `%s` is nested too deeply in other values", name);
        return NULL;
    }
    if (v->state == 0) {
        obb_word_list done = {0};
        v->state = 1;
        r->value_depth++;
        for (size_t i = 0; i < v->values.count; i++)
            replace(r, &v->values.at[i], NULL, &done);
        r->value_depth--;
        v->values = done;
        v->state = 2;
        r->value_words += done.count;
        if (r->value_words > MOST_VALUE_WORDS) {
            if (r->value_words - done.count <= MOST_VALUE_WORDS)
                obb_reader_fault(r, v->place,
                                 "the values of this project grow without measure: `%s` is the one too many",
                                 name);
            v->values.count = 0;
        }
    }
    return &v->values;
}

static bool is_kept(const char *const *kept, const char *name)
{
    for (; kept && *kept; kept++) {
        size_t n = strlen(*kept);
        if (strcmp(*kept, name) == 0 || ((*kept)[n - 1] == ':' && strncmp(*kept, name, n) == 0))
            return true;
    }
    return false;
}

/* Replaces all `{name}` in a word, but those that are `kept` for later. A word that is one
 * `{name}` alone becomes all its values. */
static void replace(obb_reader *r, const obb_word *word, const char *const *kept, obb_word_list *into)
{
    obb_text text = {0};
    obb_text_add(&text, "", 0);
    for (const char *c = word->text; *c;) {
        size_t n = strcspn(c, "{}");
        obb_text_add(&text, c, n);
        c += n;
        if ((c[0] == '{' || c[0] == '}') && c[1] == c[0]) {
            obb_text_add(&text, c, kept ? 2 : 1); /* a later filling removes one */
            c += 2;
        } else if (c[0] == '{' && strchr(c, '}')) {
            size_t m = strcspn(c, "}");
            const char *name = obb_arena_copy(r->arena, c + 1, m - 1);
            if (is_kept(kept, name)) {
                obb_text_add(&text, c, m + 1);
                c += m + 1;
                continue;
            }
            const obb_word_list *values = value_of(r, name, word);
            if (values && c == word->text && !c[m + 1]) {
                for (size_t i = 0; i < values->count; i++) {
                    obb_word w = values->at[i];
                    w.place = word->place;
                    obb_arena_push(r->arena, into, w);
                }
                obb_text_free(&text);
                return;
            }
            if (values && values->count != 1)
                obb_reader_fault(r, word->place, "`%s` has several values and cannot be part of a word",
                                 name);
            else if (values)
                obb_text_string(&text, values->at[0].text);
            c += m + 1;
        } else if (*c) {
            obb_diag *d = obb_reader_fault(r, word->place, "a single brace in `%s`", word->text);
            obb_hint(r->diags, d, "`{name}` names a value; write `%c%c` for a brace", *c, *c);
            c++;
        }
    }
    obb_word w = *word;
    w.text = obb_arena_copy(r->arena, text.bytes, text.length);
    obb_arena_push(r->arena, into, w);
    obb_text_free(&text);
}

/* --- items -------------------------------------------------------------------------- */

static void add_line(obb_reader *r, obb_item *item, const obb_word *words, size_t count)
{
    obb_word_list line = {0};
    for (size_t i = 0; i < count; i++) {
        if (item->vocable.id == OBB_W_LET)
            obb_arena_push(r->arena, &line, words[i]);
        else
            replace(r, &words[i], obb_vocable_placeholders(item->vocable.id), &line);
    }
    obb_arena_push(r->arena, &item->lines, line);
}

static void add_block_lines(obb_reader *r, obb_item *item, const obb_block *block)
{
    for (size_t i = 0; i < block->list.count; i++) {
        const obb_statement *s = block->list.at[i];
        add_line(r, item, s->words.at, s->words.count);
        if (s->block)
            obb_reader_fault(r, s->block->open, "a list (here `%s`) cannot contain blocks", item->head.text);
    }
}

static void unknown_word(obb_reader *r, const obb_word *w, obb_where where)
{
    unsigned places = obb_vocable_places(w->text);
    const char *known[OBB_MOST_WORDS];
    obb_diag *d;
    if (!places) {
        d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->place, "unknown word `%s` in %s",
                      w->text, obb_where_name(where));
        obb_vocable_list(where, known);
        obb_hint_nearest(r->diags, d, w->text, known);
        return;
    }
    obb_text text = {0};
    for (unsigned bit = 1; bit <= OBB_IN_LAST; bit <<= 1)
        if (places & bit)
            obb_text_format(&text, "%s%s", text.length ? ", " : "", obb_where_name((obb_where)bit));
    d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, w->place, "`%s` is not allowed in %s", w->text,
                  obb_where_name(where));
    obb_hint(r->diags, d, "it belongs in %s", text.bytes);
    obb_text_free(&text);
}

static bool allowed(obb_word_id id, const char *word)
{
    const char *const *a = (int)id < OBB_SETTING_COUNT ? obb_setting_infos[id].allowed : NULL;
    for (; a && *a; a++)
        if (strcmp(*a, word) == 0)
            return true;
    return false;
}

/* How many of the words after the head are values of a statement of fixed length; the words
 * after them must then begin another statement. */
static size_t own_words(const obb_vocable *v, const obb_statement *s, size_t from)
{
    size_t left = s->words.count - from - 1;
    if (v->takes == OBB_TAKES_ONE)
        return left < 1 ? left : 1;
    if (v->takes != OBB_TAKES_SET)
        return left;
    size_t n = left ? 1 : 0; /* the first is taken as it is: if it is wrong, it is reported */
    while (n < left && allowed(v->id, s->words.at[from + 1 + n].text))
        n++;
    return n;
}

static void too_many(obb_reader *r, const obb_vocable *v, const obb_word *extra)
{
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, extra->place,
                            "`%s` takes %s, and `%s` begins no statement here", v->word,
                            v->takes == OBB_TAKES_ONE ? "one value" : "only its own words",
                            extra->text);
    obb_hint(r->diags, d, "a value with blanks is written in double quotes");
}

static void check_shape(obb_reader *r, const obb_item *item, size_t values, const obb_block *block)
{
    obb_takes t = item->vocable.takes;
    bool wants_block = t == OBB_TAKES_BLOCK || t == OBB_TAKES_NAME_BLOCK || t == OBB_TAKES_LIST_BLOCK;
    bool bars_block = t == OBB_TAKES_ONE || t == OBB_TAKES_SET;
    const char *w = item->head.text;
    if (wants_block && !block &&
        item->vocable.id != OBB_W_PROJECT) /* a project may state nothing but its name */
        obb_reader_fault(r, item->head.place, "`%s` needs a block: { ... }", w);
    if (bars_block && block)
        obb_reader_fault(r, block->open, "`%s` takes no block", w);
    if ((t == OBB_TAKES_NAME_BLOCK || t == OBB_TAKES_NAME_LIST) && !item->name.text)
        obb_reader_fault(r, item->head.place, "`%s` needs a name", w);
    else if ((t == OBB_TAKES_BLOCK || t == OBB_TAKES_NAME_BLOCK) && values)
        obb_reader_fault(r, item->head.place, "`%s` has too many words before its block", w);
    else if (t != OBB_TAKES_BLOCK && t != OBB_TAKES_NAME_BLOCK && !values &&
             (wants_block || !block) && item->vocable.id != OBB_W_LET)
        obb_reader_fault(r, item->head.place, "`%s` needs a value", w);
}

/* A word of the language with the words and the block that belong to it. */
typedef struct phrase {
    obb_vocable vocable;
    const obb_word *words; /* the word itself, then so many of its own: */
    size_t own;
    const obb_block *block; /* or NULL */
} phrase;

static obb_item *add_item(obb_reader *r, obb_items *items, const phrase *p, const obb_condition *condition)
{
    const obb_vocable *v = &p->vocable;
    const obb_block *block = p->block;
    size_t own = p->own;
    obb_item item = {.vocable = *v, .head = p->words[0], .condition = condition};
    bool named = v->takes == OBB_TAKES_NAME_BLOCK || v->takes == OBB_TAKES_NAME_LIST;
    bool list = v->takes == OBB_TAKES_LIST || v->takes == OBB_TAKES_NAME_LIST;
    size_t skip = named && own ? 1 : 0;
    if (skip)
        item.name = p->words[1];
    if (own - skip || !(list && block))
        add_line(r, &item, p->words + 1 + skip, own - skip);
    check_shape(r, &item, own - skip, block);
    if (list && block)
        add_block_lines(r, &item, block);
    else
        item.block = block;
    if (v->takes == OBB_TAKES_ONE || v->takes == OBB_TAKES_SET)
        for (size_t i = 0; i < items->count; i++)
            if (items->at[i].vocable.id == v->id && items->at[i].condition == condition &&
                v->id != OBB_W_READ && v->id != OBB_W_REFUSE)
                item.before = items->at[i].head.place;
    obb_arena_push(r->arena, items, item);
    return &items->at[items->count - 1];
}

static void read_block(obb_reader *r, obb_items *items, const obb_block *block, obb_where where,
                       const obb_condition *condition);

/* The statements inside a condition stand among those around it, with their condition. */
static void open_condition(obb_reader *r, obb_items *items, const obb_item *opened, obb_where where,
                           const obb_condition *condition)
{
    obb_word_list words = obb_item_values(r, opened);
    if (!opened->block)
        return;
    if (opened->vocable.id == OBB_W_WHEN) {
        read_block(r, items, opened->block, where,
                   obb_condition_when(r, &words, opened->head.place, condition));
        return;
    }
    obb_choose *c = obb_read_choose(r, &words, opened->block, opened->head.place, condition);
    for (size_t i = 0; c && i < opened->block->list.count; i++)
        if (opened->block->list.at[i]->block)
            read_block(r, items, opened->block->list.at[i]->block, where, obb_condition_case(r, c, i));
    obb_vocable refuse;
    if (!c || c->has_else)
        return;
    obb_vocable_find("refuse", OBB_IN_PROJECT, &refuse);
    obb_item none = {.vocable = refuse, .head = opened->head, .choose = c,
                     .condition = obb_condition_case(r, c, c->cases.count)};
    obb_arena_push(r->arena, items, none);
}

static void read_statement(obb_reader *r, obb_items *items, const obb_statement *s, obb_where where,
                           const obb_condition *condition)
{
    for (size_t from = 0; from < s->words.count;) {
        const obb_word *head = &s->words.at[from];
        obb_vocable v, next;
        if (head->quoted || !obb_vocable_find(head->text, where, &v)) {
            unknown_word(r, head, where);
            return;
        }
        size_t own = own_words(&v, s, from), after = from + 1 + own;
        bool last = after >= s->words.count;
        if (!last && !obb_vocable_find(s->words.at[after].text, where, &next)) {
            too_many(r, &v, &s->words.at[after]);
            return;
        }
        const phrase p = {v, head, own, last ? s->block : NULL};
        obb_item *item = add_item(r, items, &p, condition);
        if (v.id == OBB_W_WHEN || v.id == OBB_W_CHOOSE) {
            obb_item opened = *item;
            items->count--;
            open_condition(r, items, &opened, where, condition);
        }
        from = after;
    }
}

static void check_stated_once(obb_reader *r, obb_items *items)
{
    for (size_t i = 0; i < items->count; i++) {
        obb_item *item = &items->at[i];
        if (!item->before.line)
            continue;
        obb_diag *d = obb_reader_fault(r, item->head.place, "`%s` is stated twice in one block",
                                       item->head.text);
        obb_also(r->diags, d, item->before, "stated here before");
    }
}

static void read_block(obb_reader *r, obb_items *items, const obb_block *block, obb_where where,
                       const obb_condition *condition)
{
    for (size_t i = 0; i < block->list.count; i++)
        read_statement(r, items, block->list.at[i], where, condition);
}

obb_items obb_reader_items(obb_reader *r, const obb_block *block, obb_where where,
                           const obb_condition *condition)
{
    obb_items items = {0};
    read_block(r, &items, block, where, condition);
    check_stated_once(r, &items);
    return items;
}

obb_property obb_item_property(const obb_item *item)
{
    obb_property p = {.id = (int)item->vocable.id, .place = item->head.place, .condition = item->condition};
    p.lines.at = item->lines.at;
    p.lines.count = item->lines.count;
    return p;
}

char *obb_joined_words(obb_arena *arena, const obb_word_list *words)
{
    obb_text text = {0};
    for (size_t i = 0; i < words->count; i++)
        obb_text_format(&text, "%s%s", i ? " " : "", words->at[i].text);
    char *copy = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

void obb_reader_twice(obb_reader *r, const char *kinds, const char *name, obb_place place, obb_place before)
{
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, place, "there are two %s named `%s`", kinds,
                            name);
    obb_also(r->diags, d, before, "the other one");
}

int obb_reader_one_of(obb_reader *r, const char *what, const obb_word *value, const char *const *words)
{
    obb_text text = {0};
    for (int i = 0; words[i]; i++) {
        if (strcmp(words[i], value->text) == 0) {
            obb_text_free(&text);
            return i;
        }
        obb_text_format(&text, "%s%s", i ? ", " : "", words[i]);
    }
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, value->place, "`%s` is not a value of `%s`",
                            value->text, what);
    obb_hint(r->diags, d, "its values are: %s", text.bytes);
    obb_text_free(&text);
    return -1;
}

obb_word_list obb_item_values(obb_reader *r, const obb_item *item)
{
    obb_word_list all = {0};
    for (size_t i = 0; i < item->lines.count; i++)
        for (size_t k = 0; k < item->lines.at[i].count; k++)
            obb_arena_push(r->arena, &all, item->lines.at[i].at[k]);
    return all;
}

obb_word obb_item_value(const obb_item *item)
{
    if (item->lines.count && item->lines.at[0].count)
        return item->lines.at[0].at[0];
    return (obb_word){"", item->head.place, false};
}

static bool no_value(void *self, const char *name, bool alone, obb_words *words)
{
    (void)self, (void)name, (void)alone, (void)words;
    return false;
}

obb_word obb_reader_plain_braces(obb_reader *r, const obb_word *word)
{
    static const obb_fill fill = {no_value, NULL};
    obb_words filled = {0};
    obb_word plain = *word;
    if (strpbrk(word->text, "{}")) {
        obb_fill_word(&fill, word->text, r->arena, &filled);
        plain.text = filled.at[0];
    }
    return plain;
}

const char *obb_reader_path(obb_reader *r, const obb_word *word)
{
    return obb_path_join(r->arena, word->place.folder, word->text);
}

const char *obb_reader_scoped(obb_reader *r, obb_place place, const char *name)
{
    return place.scope ? obb_arena_format(r->arena, "%s:%s", place.scope, name) : name;
}

bool obb_reader_name_ok(obb_reader *r, const obb_word *name)
{
    if (!name->text)
        return false;
    size_t scope = name->place.scope ? strlen(name->place.scope) + 1 : 0;
    const char *own = name->text; /* without the scope that obb_read_thirdparty gave it */
    if (scope && strncmp(own, name->place.scope, scope - 1) == 0 && own[scope - 1] == ':')
        own += scope;
    if (*own && !strpbrk(own, " \t\n/\\{}:,*?[]\"'") && own[0] != '-' && own[0] != '.')
        return true;
    obb_diag *d = obb_reader_fault(r, name->place, "`%s` cannot be a name", own);
    obb_hint(r->diags, d, "a name has no blanks, no / \\ : , * ? [ ] { } or quotes, and does not "
                          "start with - or .");
    return false;
}
