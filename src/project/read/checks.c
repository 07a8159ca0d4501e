/* Meaning of `checks`, and of `has` in conditions.
 *
 * Every value of a line is a check of its own, with the headers behind `in`. `has` means all checks of a
 * subject: one of them must hold. The answers hang on the settings of variant and project, so no condition
 * around those may ask for one. */
#include <ctype.h>
#include <string.h>

#include "project/read/reader.h"

const char *const obb_check_kind_names[] = {"header", "function", "member",   "type", "size",
                                            "constant", "compiles", "flag", NULL};

/* HAVE_ or SIZEOF_, and the subject in capitals; `void *` is VOID_P, as sizes of pointers are mostly called.
 */
static const char *macro_of(obb_reader *r, const obb_check *c)
{
    const char *prefix = c->kind == OBB_CHECK_SIZE ? "SIZEOF" : "HAVE";
    char *macro = c->of ? obb_arena_format(r->arena, "%s_%s_%s", prefix, c->of, c->subject)
                        : obb_arena_format(r->arena, "%s_%s", prefix, c->subject);
    for (char *p = macro; *p; p++)
        *p = (char)(isalnum((unsigned char)*p) ? toupper((unsigned char)*p) : *p == '*' ? 'P' : '_');
    return macro;
}

/* What becomes part of a text for the compiler holds nothing that could end it. */
static bool is_plain(obb_reader *r, const obb_word *w)
{
    if (*w->text && !strpbrk(w->text, ";{}\"#\\\n<>"))
        return true;
    obb_reader_fault(r, w->place, "`%s` cannot be looked for", w->text);
    return false;
}

static bool same_check(const obb_check *a, const obb_check *b)
{
    bool same = a->kind == b->kind && strcmp(a->subject, b->subject) == 0 && obb_same(a->of, b->of) &&
                a->condition == b->condition && obb_same(a->block->into, b->block->into) &&
                obb_same(a->place.scope, b->place.scope);
    return same && !a->condition;
}

static void add_check(obb_reader *r, obb_check check)
{
    obb_project *p = r->project;
    for (size_t i = 0; i < p->checks.count; i++)
        if (same_check(p->checks.at[i], &check)) {
            obb_reader_twice(r, "checks", check.subject, check.place, p->checks.at[i]->place);
            return;
        }
    obb_check *c = obb_arena_alloc(r->arena, sizeof *c);
    *c = check;
    c->number = p->checks.count;
    c->macro = check.kind == OBB_CHECK_FLAG ? NULL : macro_of(r, c);
    obb_arena_push(r->arena, &p->checks, c);
}

static bool is_mark(const obb_word *w, const char *mark)
{
    return !w->quoted && strcmp(w->text, mark) == 0;
}

/* Up to a word that is not quoted; the index behind the last value. */
static size_t find_mark(const obb_word_list *v, size_t from, const char *mark)
{
    while (from < v->count && !is_mark(&v->at[from], mark))
        from++;
    return from;
}

static void usage(obb_reader *r, const obb_item *item, const char *form)
{
    obb_diag *d = obb_reader_fault(r, item->head.place, "this `%s` is not complete", item->head.text);
    obb_hint(r->diags, d, "write: %s", form);
}

/* compiles NAME FILE */
static void read_compiles(obb_reader *r, const obb_item *item, obb_check check, const obb_word_list *v)
{
    if (v->count != 2) {
        usage(r, item, "compiles atomics checks/atomics.c");
        return;
    }
    check.subject = v->at[0].text;
    check.place = v->at[0].place;
    check.file = obb_reader_path(r, &v->at[1]);
    if (obb_reader_name_ok(r, &v->at[0]))
        add_check(r, check);
}

static void read_line(obb_reader *r, const obb_item *item, const obb_checks *block, const obb_word_list *v)
{
    obb_check check = {.kind = (obb_check_kind)(item->vocable.id - OBB_W_CHECK), .block = block,
                       .condition = item->condition};
    size_t in = find_mark(v, 0, "in"), of = find_mark(v, 0, "of"), values = of < in ? of : in;
    if (!v->count) /* which is reported already */
        return;
    if (check.kind == OBB_CHECK_COMPILES) {
        read_compiles(r, item, check, v);
        return;
    }
    if (check.kind == OBB_CHECK_MEMBER) {
        if (of + 2 != in || !of) {
            usage(r, item, "member tm_gmtoff of \"struct tm\" in time.h");
            return;
        }
        check.of = is_plain(r, &v->at[of + 1]) ? v->at[of + 1].text : "int";
    }
    bool takes_headers = check.kind != OBB_CHECK_HEADER && check.kind != OBB_CHECK_FLAG;
    if (!values || (in < v->count && (in + 1 == v->count || !takes_headers)) ||
        (check.kind == OBB_CHECK_FUNCTION && in == v->count)) {
        usage(r, item, check.kind == OBB_CHECK_HEADER ? "header sys/epoll.h" : check.kind == OBB_CHECK_FLAG
                       ? "flag -Wnull-dereference" : "function strlcpy in string.h");
        return;
    }
    for (size_t i = in + 1; i < v->count; i++)
        if (is_plain(r, &v->at[i]))
            obb_arena_push(r->arena, &check.headers, v->at[i].text);
    for (size_t i = 0; i < values; i++) {
        check.subject = v->at[i].text;
        check.place = v->at[i].place;
        if (is_plain(r, &v->at[i]))
            add_check(r, check);
    }
}

static void twice(obb_reader *r, obb_place place, obb_place before)
{
    obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, place, "this header has a template already");
    obb_also(r->diags, d, before, "this one");
}

/* template FILE [with NAME=VALUE...] */
static void read_template(obb_reader *r, const obb_item *item, obb_checks *block)
{
    static const char form[] = "template config.h.in with PORT=80";
    const obb_word_list v = obb_item_values(r, item);
    bool complete = v.count == 1 || (v.count > 2 && is_mark(&v.at[1], "with"));
    for (size_t i = 2; i < v.count && complete; i++) {
        complete = strchr(v.at[i].text, '=') && *v.at[i].text != '=';
        obb_arena_push(r->arena, &block->values, obb_reader_plain_braces(r, &v.at[i]).text);
    }
    if (!complete) {
        if (v.count) /* else it is reported already */
            usage(r, item, form);
        return;
    }
    if (block->template) {
        twice(r, v.at[0].place, block->template_place);
        return;
    }
    block->template = obb_reader_path(r, &v.at[0]);
    block->template_place = v.at[0].place;
}

/* Two blocks may write to one header, and to one only of them belongs its template. */
static void check_template(obb_reader *r, const obb_checks *block)
{
    if (block->template && !block->into) {
        obb_diag *d = obb_error(r->diags, OBB_FAULT_DESCRIPTION, block->template_place,
                                "this template is for no header");
        obb_hint(r->diags, d, "name the header that it becomes: into config.h");
    }
    for (size_t i = 0; i < r->project->templates.count && block->template && block->into; i++) {
        const obb_checks *other = r->project->templates.at[i];
        if (strcmp(other->into, block->into) == 0 && obb_same(other->place.scope, block->place.scope))
            twice(r, block->template_place, other->template_place);
    }
    if (block->template && block->into)
        obb_arena_push(r->arena, &r->project->templates, block);
}

static void read_block(obb_reader *r, const obb_item *statement)
{
    static const char *const languages[] = {"c", "c++", NULL};
    obb_checks *block = obb_arena_alloc(r->arena, sizeof *block);
    block->place = statement->head.place;
    obb_items items = obb_reader_items(r, statement->block, OBB_IN_CHECKS, NULL);
    for (size_t i = 0; i < items.count; i++) {
        obb_word value = obb_item_value(&items.at[i]);
        bool of_header = items.at[i].vocable.id == OBB_W_INTO || items.at[i].vocable.id == OBB_W_TEMPLATE;
        if (of_header && items.at[i].condition) {
            obb_diag *d = obb_reader_fault(r, value.place, "`%s` cannot hang on a condition here",
                                           items.at[i].head.text);
            obb_hint(r->diags, d, "there may be several blocks, each with a header of its own; or state the "
                                  "condition in the template, by macros");
            continue;
        }
        if (items.at[i].vocable.id == OBB_W_LANGUAGE)
            block->cxx = obb_reader_one_of(r, "language", &value, languages) == 1;
        else if (items.at[i].vocable.id == OBB_W_INTO && obb_reader_name_ok(r, &value))
            block->into = value.text;
        else if (items.at[i].vocable.id == OBB_W_TEMPLATE)
            read_template(r, &items.at[i], block);
        else if (items.at[i].vocable.id < (int)OBB_SETTING_COUNT)
            obb_read_setting(r, &items.at[i], &block->settings);
    }
    check_template(r, block);
    for (size_t i = 0; i < items.count; i++)
        for (size_t k = 0; items.at[i].vocable.id >= OBB_W_CHECK &&
                           items.at[i].vocable.id <= OBB_W_CHECK_LAST && k < items.at[i].lines.count;
             k++)
            read_line(r, &items.at[i], block, &items.at[i].lines.at[k]);
}

void obb_read_checks(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_CHECKS && top->at[i].block)
            read_block(r, &top->at[i]);
}

/* --- has ---------------------------------------------------------------------------- */

static void find_checks(obb_reader *r, const obb_sought *sought)
{
    const obb_project *p = r->project;
    obb_words subjects = {0};
    for (size_t i = 0; i < p->checks.count; i++) {
        if (!obb_same(p->checks.at[i]->place.scope, sought->place.scope))
            continue;
        obb_arena_push(r->arena, &subjects, p->checks.at[i]->subject);
        if (strcmp(p->checks.at[i]->subject, sought->test->subject) == 0)
            obb_arena_push(r->arena, &sought->test->checks, p->checks.at[i]);
    }
    obb_arena_push(r->arena, &subjects, NULL);
    if (sought->test->checks.count)
        return;
    obb_diag *d = obb_reader_fault(r, sought->place, "no check looks for `%s`", sought->test->subject);
    obb_hint_nearest(r->diags, d, sought->test->subject, subjects.at);
    if (!d->hint)
        obb_hint(r->diags, d, "state one: checks { header %s }", sought->test->subject);
}

static bool test_asks(const obb_test *t)
{
    return t && (t->kind == OBB_TEST_HAS || test_asks(t->a) || test_asks(t->b));
}

static bool asks(const obb_condition *c)
{
    for (; c; c = c->parent)
        if (test_asks(c->test))
            return true;
    return false;
}

static void refuse_asking(obb_reader *r, const obb_condition *c, obb_place place, const char *where)
{
    if (!asks(c))
        return;
    obb_diag *d = obb_reader_fault(r, place,
                                   "`has` cannot decide about this: it stands in `%s`, on which the "
                                   "answers depend",
                                   where);
    obb_hint(r->diags, d, "put it into a target, or into the `share` of a library that all use");
}

static void refuse_settings(obb_reader *r, const obb_settings *settings, const char *where)
{
    for (size_t i = 0; i < settings->count; i++)
        refuse_asking(r, settings->at[i].condition, settings->at[i].place, where);
}

static void refuse_properties(obb_reader *r, const obb_properties *properties, const char *where)
{
    for (size_t i = 0; i < properties->count; i++)
        refuse_asking(r, properties->at[i].condition, properties->at[i].place, where);
}

static void refuse_refusals(obb_reader *r, const obb_refusals *refusals, const char *where)
{
    for (size_t i = 0; i < refusals->count; i++)
        refuse_asking(r, refusals->at[i].condition, refusals->at[i].place, where);
}

void obb_resolve_has(obb_reader *r)
{
    const obb_project *p = r->project;
    for (size_t i = 0; i < r->sought.count; i++)
        find_checks(r, &r->sought.at[i]);
    refuse_settings(r, &p->settings, "project");
    refuse_refusals(r, &p->refusals, "project");
    for (size_t i = 0; i < p->thirdparty.count; i++) {
        refuse_settings(r, &p->thirdparty.at[i]->settings, "project");
        refuse_settings(r, &p->thirdparty.at[i]->ours, "thirdparty");
        refuse_refusals(r, &p->thirdparty.at[i]->refusals, "thirdparty");
    }
    for (int kind = 0; kind < 3; kind++)
        for (size_t i = 0; i < p->definitions[kind].count; i++) {
            const obb_definition *d = p->definitions[kind].at[i];
            refuse_settings(r, &d->settings, obb_definition_kind_name(d->kind));
            refuse_properties(r, &d->properties, obb_definition_kind_name(d->kind));
            refuse_refusals(r, &d->refusals, obb_definition_kind_name(d->kind));
        }
    for (size_t i = 0; i < p->checks.count; i++) {
        refuse_asking(r, p->checks.at[i]->condition, p->checks.at[i]->place, "checks");
        refuse_settings(r, &p->checks.at[i]->block->settings, "checks");
    }
}
