/* Conditions as they are written, to tests and conditions.
 *
 * condition = or;  or = and { "or" and };  and = not { "and" not }
 *     not = [ "not" ] ( "(" or ")" | "has" SUBJECT | AXIS "=" VALUES | AXIS "!=" VALUES );  VALUES = value {
 * "|" value }
 */
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

typedef struct words {
    obb_reader *reader;
    const obb_word_list *list;
    size_t next;
    obb_place place; /* of the statement */
    bool failed;
    int depth;
} words;

/* The greatest nesting of parentheses and negations, and the most words of one condition: recursion has a
 * limit. */
enum { DEEPEST = 200, MOST_WORDS = 2000 };

static const obb_test *read_or(words *w);
static const obb_test *read_not(words *w);

static const char *peek(const words *w)
{
    return w->next < w->list->count ? w->list->at[w->next].text : NULL;
}

static bool take(words *w, const char *word)
{
    const char *next = peek(w);
    bool same = next && strcmp(next, word) == 0;
    w->next += same;
    return same;
}

static obb_test *node(words *w, obb_test test)
{
    obb_test *t = obb_arena_alloc(w->reader->arena, sizeof *t);
    *t = test;
    return t;
}

static void wrong(words *w, const char *message, const char *word)
{
    obb_place place = w->next < w->list->count ? w->list->at[w->next].place : w->place;
    obb_diag *d = w->failed ? NULL : obb_reader_fault(w->reader, place, message, word);
    w->failed = true;
    if (d)
        obb_hint(w->reader->diags, d, "a condition is written: os=none and not telemetry=off|basic; "
                                      "parentheses stand as words of their own");
}

/* Splits a|b*|c, and notes each for the check against the known values. */
static void split_alternatives(obb_reader *r, const obb_axis *axis, const char *text, obb_place place,
                               obb_words *alternatives)
{
    if (axis && axis->number == OBB_AXIS_FAMILY)
        r->project->asks_family = true;
    for (;; text++) {
        size_t n = strcspn(text, "|");
        const char *value = obb_arena_copy(r->arena, text, n);
        obb_arena_push(r->arena, alternatives, value);
        if (axis)
            obb_arena_push(r->arena, &r->alternatives, (obb_assignment){axis, value, place});
        text += n;
        if (!*text)
            return;
    }
}

static const obb_test *read_axis_test(words *w)
{
    const char *text = peek(w);
    const char *equals = text ? strchr(text, '=') : NULL;
    if (!equals || equals == text) {
        wrong(w, text ? "`%s` is not a condition" : "a condition is missing%s", text ? text : "");
        return NULL;
    }
    bool differs = equals[-1] == '!';
    obb_place place = w->list->at[w->next].place;
    char *name = obb_arena_copy(w->reader->arena, text, (size_t)(equals - text) - differs);
    const obb_axis *axis = obb_axis_or_fault(w->reader, name, place);
    obb_test *t = node(w, (obb_test){.kind = OBB_TEST_AXIS, .axis = axis});
    w->next++;
    if (!axis)
        w->failed = true;
    else
        split_alternatives(w->reader, axis, equals + 1, place, &t->alternatives);
    return differs ? node(w, (obb_test){.kind = OBB_TEST_NOT, .a = t}) : t;
}

static const obb_test *read_has(words *w)
{
    const char *subject = peek(w);
    if (!subject) {
        wrong(w, "`has` needs what is looked for%s", "");
        return NULL;
    }
    obb_test *t = node(w, (obb_test){.kind = OBB_TEST_HAS, .subject = subject});
    obb_arena_push(w->reader->arena, &w->reader->sought, (obb_sought){t, w->list->at[w->next++].place});
    return t;
}

static const obb_test *read_nested(words *w)
{
    if (take(w, "has"))
        return read_has(w);
    if (take(w, "not"))
        return node(w, (obb_test){.kind = OBB_TEST_NOT, .a = read_not(w)});
    if (!take(w, "("))
        return read_axis_test(w);
    const obb_test *inner = read_or(w);
    if (!take(w, ")"))
        wrong(w, "a `)` is missing%s", "");
    return inner;
}

static const obb_test *read_not(words *w)
{
    const obb_test *t = NULL;
    if (++w->depth > DEEPEST)
        wrong(w, "the condition is nested too deeply%s", "");
    else
        t = read_nested(w);
    w->depth--;
    return t;
}

static const obb_test *read_and(words *w)
{
    const obb_test *t = read_not(w);
    while (take(w, "and"))
        t = node(w, (obb_test){.kind = OBB_TEST_AND, .a = t, .b = read_not(w)});
    return t;
}

static const obb_test *read_or(words *w)
{
    const obb_test *t = read_and(w);
    while (take(w, "or"))
        t = node(w, (obb_test){.kind = OBB_TEST_OR, .a = t, .b = read_and(w)});
    return t;
}

const obb_test *obb_read_test(obb_reader *r, const obb_word_list *list, obb_place place)
{
    words w = {.reader = r, .list = list, .place = place};
    if (list->count > MOST_WORDS) {
        wrong(&w, "the condition is too long%s", "");
        return NULL;
    }
    const obb_test *t = read_or(&w);
    if (!w.failed && peek(&w))
        wrong(&w, "`and` or `or` is expected before `%s`", peek(&w));
    return w.failed ? NULL : t;
}

/* --- guards ------------------------------------------------------------------------- */

static obb_condition *new_condition(obb_reader *r, const obb_condition *parent)
{
    obb_condition *g = obb_arena_alloc(r->arena, sizeof *g);
    g->parent = parent;
    g->number = r->project->condition_count++;
    return g;
}

const obb_condition *obb_condition_when(obb_reader *r, const obb_word_list *list, obb_place place,
                                const obb_condition *parent)
{
    obb_condition *g = new_condition(r, parent);
    g->test = obb_read_test(r, list, place);
    return g;
}

const obb_condition *obb_condition_case(obb_reader *r, const obb_choose *choose, size_t which)
{
    obb_condition *g = new_condition(r, choose->parent);
    g->choose = choose;
    g->which = which;
    return g;
}

/* One case a statement: the values, and a block. */
static void read_case(obb_reader *r, obb_choose *c, const obb_statement *s)
{
    const obb_word *w = &s->words.at[0];
    obb_case a = {.place = w->place};
    bool is_else = !w->quoted && strcmp(w->text, "else") == 0;
    if (s->words.count != 1 || !s->block) {
        obb_diag *d = obb_reader_fault(r, w->place, "`%s` is not a case of a choice", w->text);
        obb_hint(r->diags, d, "a case is one word and a block: linux|macos { ... } or else { ... }");
    }
    if (c->has_else) {
        obb_diag *d = obb_reader_fault(r, w->place,
                                       is_else ? "`%s` is stated twice" : "`%s` stands after `else`",
                                       w->text);
        obb_hint(r->diags, d, "`else` is the last case");
    }
    if (is_else)
        c->has_else = true;
    else
        split_alternatives(r, c->axis, w->text, w->place, &a.alternatives);
    obb_arena_push(r->arena, &c->cases, a);
}

obb_choose *obb_read_choose(obb_reader *r, const obb_word_list *list, const obb_block *block,
                            obb_place place, const obb_condition *parent)
{
    obb_choose *c = obb_arena_alloc(r->arena, sizeof *c);
    c->place = place;
    c->parent = parent;
    if (list->count != 1) {
        obb_diag *d = obb_reader_fault(r, place, "`choose` needs one axis%s", "");
        obb_hint(r->diags, d, "write: choose os { none { ... } linux|macos { ... } else { ... } }");
        return NULL;
    }
    c->axis = obb_axis_or_fault(r, list->at[0].text, list->at[0].place);
    for (size_t i = 0; i < block->list.count; i++)
        read_case(r, c, block->list.at[i]);
    return c->axis ? c : NULL;
}

bool obb_value_among(const char *value, const obb_words *alternatives)
{
    for (size_t i = 0; i < alternatives->count; i++)
        if (obb_path_matches(alternatives->at[i], value))
            return true;
    return false;
}

/* A value that no variant can have would silently be a branch that is never taken. */
void obb_check_alternatives(obb_reader *r)
{
    for (size_t i = 0; i < r->alternatives.count; i++) {
        const obb_assignment *a = &r->alternatives.at[i];
        bool known = !a->axis->values.count && a->axis->open;
        for (size_t k = 0; k < a->axis->values.count && !known; k++)
            known = obb_path_matches(a->value, a->axis->values.at[k]);
        if (known)
            continue;
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, a->place, "the axis `%s` has no value `%s`",
                                a->axis->name, a->value);
        obb_words names = {0};
        for (size_t k = 0; k < a->axis->values.count; k++)
            obb_arena_push(r->arena, &names, a->axis->values.at[k]);
        obb_arena_push(r->arena, &names, NULL);
        obb_hint_nearest(r->diags, d, a->value, names.at);
        if (!d->hint)
            obb_hint(r->diags, d, "`obbligato show axes` lists its values; `axis %s { values %s }` adds one",
                     a->axis->name, a->value);
    }
}
