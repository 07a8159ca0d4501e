/* Meaning of `step`, of `before` and `after` in a target, and of what a test is run with.
 *
 * A step of its own and one inside a target have the same properties; `before` and `after` add who uses
 * whom. Every step must make something and do something. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"
#include "project/read/steps.h"

static bool begins(const char *text, const char *prefix)
{
    return strncmp(text, prefix, strlen(prefix)) == 0;
}

/* Adds what stands behind `prefix`, up to the closing brace where there is one. */
static void add_named(obb_reader *r, const obb_word *w, const char *at, const obb_condition *condition,
                      obb_uses *uses)
{
    obb_use use = {.name = obb_arena_copy(r->arena, at, strcspn(at, "}")),
                   .place = w->place,
                   .condition = condition};
    for (size_t i = 0; i < uses->count; i++)
        if (strcmp(uses->at[i].name, use.name) == 0 && !uses->at[i].variant &&
            uses->at[i].condition == condition)
            return;
    obb_arena_push(r->arena, uses, use);
}

/* A product: NAME, or VARIANT/NAME of another variant. */
static void add_product(obb_reader *r, const obb_word *w, const char *at, const obb_condition *condition,
                        obb_target *t)
{
    size_t n = strcspn(at, "/}");
    obb_use use = {.name = obb_arena_copy(r->arena, at + n + 1, at[n] == '/' ? strcspn(at + n + 1, "}") : 0),
                   .variant = obb_arena_copy(r->arena, at, n),
                   .place = w->place,
                   .condition = condition};
    if (at[n] == '/')
        obb_arena_push(r->arena, &t->tools, use);
    else
        add_named(r, w, at, condition, &t->uses);
}

static void read_products(obb_reader *r, const obb_word_list *words, const obb_condition *condition,
                          obb_target *t)
{
    static const char prefix[] = "{product:";
    for (size_t i = 0; i < words->count; i++) {
        if (begins(words->at[i].text, prefix + 1))
            add_product(r, &words->at[i], words->at[i].text + strlen(prefix + 1), condition, t);
        for (const char *at = words->at[i].text; (at = strstr(at, prefix)); at += strlen(prefix))
            add_product(r, &words->at[i], at + strlen(prefix), condition, t);
    }
}

static void read_named(obb_reader *r, const obb_word_list *words, const char *prefix,
                       const obb_condition *condition, obb_uses *uses)
{
    for (size_t i = 0; i < words->count; i++)
        for (const char *at = words->at[i].text; (at = strstr(at, prefix)); at += strlen(prefix))
            add_named(r, &words->at[i], at + strlen(prefix), condition, uses);
}

void obb_read_tools(obb_reader *r, const obb_word_list *words, const obb_condition *condition,
                    obb_uses *tools)
{
    read_named(r, words, "{tool:", condition, tools);
}

void obb_check_environment(obb_reader *r, const obb_word_list *words)
{
    for (size_t i = 0; i < words->count; i++) {
        const char *equals = strchr(words->at[i].text, '=');
        if (equals && equals != words->at[i].text)
            continue;
        obb_diag *d = obb_reader_fault(r, words->at[i].place, "`%s` is not of the form NAME=VALUE",
                                       words->at[i].text);
        obb_hint(r->diags, d, "write: env NAME=VALUE");
    }
}

/* --- what a step makes -------------------------------------------------------------- */

static void read_makes(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    for (size_t i = 0; i < words.count; i++) {
        const obb_word *w = &words.at[i];
        const char *path = obb_path_join(r->arena, "", w->text);
        if (obb_path_outside(path) || obb_path_is_pattern(path) || begins(path, "obj/") ||
            strcmp(path, ".") == 0) {
            obb_diag *d = obb_reader_fault(r, w->place, "`%s` is not a file that a step may make", w->text);
            obb_hint(r->diags, d,
                     "what steps make lies in the folder of the variant, outside obj: makes gen/NAME");
            continue;
        }
        for (size_t k = 0; k < t->makes.count; k++)
            if (strcmp(t->makes.at[k].path, path) == 0 && t->makes.at[k].condition == item->condition) {
                obb_diag *d = obb_reader_fault(r, w->place, "`%s` is named twice", path);
                obb_also(r->diags, d, t->makes.at[k].place, "named here before");
            }
        obb_arena_push(r->arena, &t->makes, (obb_made){path, w->place, item->condition, false});
    }
}

/* --- its commands ------------------------------------------------------------------- */

/* How an operation on files is written, and its words before the last two: `to FILE`. */
static const struct { obb_word_id id; const char *form; size_t least, most; } operations[] = {
    {OBB_W_COPY, "copy FILE to FILE", 1, 1},
    {OBB_W_MOVE, "move FILE to FILE", 1, 1},
    {OBB_W_JOIN, "join FILE... to FILE", 1, SIZE_MAX},
    {OBB_W_HASH, "hash FILE... to FILE", 1, SIZE_MAX},
    {OBB_W_FILL_IN, "fill-in FILE with NAME=VALUE... to FILE", 3, SIZE_MAX},
    {OBB_W_FILL_FILE, "fill SIZE with BYTE to FILE", 3, 3},
    {OBB_W_WRITE_TEXT, "write-text TEXT to FILE", 1, 1}};

static void check_operation(obb_reader *r, const obb_item *item, const obb_word_list *w)
{
    for (size_t i = 0; i < sizeof operations / sizeof *operations; i++) {
        if (operations[i].id != item->vocable.id)
            continue;
        uint64_t number;
        bool ok = w->count >= operations[i].least + 2 &&
                  (operations[i].most == SIZE_MAX || w->count <= operations[i].most + 2) &&
                  strcmp(w->at[w->count - 2].text, "to") == 0;
        if (ok && item->vocable.id == OBB_W_FILL_FILE)
            ok = obb_read_size(w->at[0].text, &number) && strcmp(w->at[1].text, "with") == 0 &&
                 obb_read_size(w->at[2].text, &number) && number <= 0xff;
        if (ok && item->vocable.id == OBB_W_FILL_IN)
            ok = strcmp(w->at[1].text, "with") == 0;
        for (size_t k = 2; ok && item->vocable.id == OBB_W_FILL_IN && k + 2 < w->count; k++)
            ok = strchr(w->at[k].text, '=') && *w->at[k].text != '=';
        if (ok)
            return;
        obb_diag *d = obb_reader_fault(r, item->head.place, "this is not a `%s`", item->head.text);
        obb_hint(r->diags, d, "write: %s", operations[i].form);
    }
}

static void add_command(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    obb_property p = obb_item_property(item);
    p.lines.at = obb_arena_alloc(r->arena, sizeof *p.lines.at);
    p.lines.at[0] = words;
    p.lines.count = p.lines.room = 1;
    if (!words.count)
        return;
    check_operation(r, item, &words);
    obb_arena_push(r->arena, &t->commands, p);
    obb_read_references(r, &words, item->condition, t);
}

void obb_read_products(obb_reader *r, const obb_word_list *words, obb_uses *uses)
{
    read_named(r, words, "{product:", NULL, uses);
}

/* Targets whose compile words a step asks for. */
static void read_word_uses(obb_reader *r, const obb_word_list *words, const obb_condition *condition,
                           obb_target *t)
{
    obb_uses uses = {0};
    read_named(r, words, "{compile-words:", condition, &uses);
    read_named(r, words, "{compile-words-file:", condition, &uses);
    for (size_t i = 0; i < uses.count; i++) {
        uses.at[i].only_words = true;
        obb_arena_push(r->arena, &t->uses, uses.at[i]);
    }
}

void obb_read_references(obb_reader *r, const obb_word_list *words, const obb_condition *condition,
                         obb_target *t)
{
    obb_read_tools(r, words, condition, &t->tools);
    read_products(r, words, condition, t);
    read_word_uses(r, words, condition, t);
    for (size_t i = 0; i < words->count; i++) {
        const char *text = words->at[i].text, *at = text;
        if (begins(text, "made:"))
            obb_arena_push(r->arena, &t->made_of, (obb_made){text + 5, words->at[i].place, condition, false});
        for (; (at = strstr(at, "{made:")); at += 6)
            obb_arena_push(r->arena, &t->made_of,
                           (obb_made){obb_arena_copy(r->arena, at + 6, strcspn(at + 6, "}")),
                                      words->at[i].place, condition, false});
    }
}

/* --- one property ------------------------------------------------------------------- */

static void read_time(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word w = obb_item_value(item);
    if (obb_read_time(w.text, &t->time_limit))
        return;
    obb_diag *d = obb_reader_fault(r, w.place, "`%s` is not a time", w.text);
    obb_hint(r->diags, d, "write a number with its unit: 500ms, 10s, 2min");
}

static bool is_number(const char *text)
{
    while (isdigit((unsigned char)*text))
        text++;
    return !*text;
}

/* cases tap; or cases list WORDS... run WORDS..., the latter with {case} in them. */
static void read_cases(obb_reader *r, const obb_item *item, obb_target *t)
{
    obb_word_list words = obb_item_values(r, item);
    size_t run = 1;
    bool named = false, tap = words.count == 1 && strcmp(words.at[0].text, "tap") == 0;
    while (run < words.count && (words.at[run].quoted || strcmp(words.at[run].text, "run") != 0))
        run++;
    for (size_t i = run; i < words.count; i++)
        named = named || strstr(words.at[i].text, "{case}");
    if (tap || (words.count && strcmp(words.at[0].text, "list") == 0 && run > 1 && named)) {
        obb_arena_push(r->arena, &t->cases, obb_item_property(item));
        return;
    }
    obb_diag *d = obb_reader_fault(r, item->head.place, "`%s` does not say how the test tells of its cases",
                                   item->head.text);
    obb_hint(r->diags, d, "write: cases tap; or: cases list --list run --only {case}");
}

static void read_expectation(obb_reader *r, const obb_item *item, obb_target *t)
{
    static const char *const kinds[] = {"exit", "output", "pattern", NULL};
    obb_property p = obb_item_property(item);
    for (size_t i = 0; i < item->lines.count; i++) {
        const obb_word_list *w = &item->lines.at[i];
        bool known = false;
        for (int k = 0; kinds[k] && w->count; k++)
            known = known || strcmp(kinds[k], w->at[0].text) == 0;
        if (w->count == 2 && known && (strcmp(w->at[0].text, "exit") != 0 || is_number(w->at[1].text)))
            continue;
        obb_diag *d = obb_reader_fault(r, w->count ? w->at[0].place : item->head.place,
                                       "this can be expected of no test: `%s`",
                                       w->count ? w->at[0].text : "");
        obb_hint(r->diags, d,
                 "write: expect exit 3; expect output FILE; expect pattern \"REGULAR EXPRESSION\"");
    }
    obb_arena_push(r->arena, &t->expectations, p);
}

static void keep(obb_reader *r, const obb_item *item, obb_target *t, obb_properties *into)
{
    obb_word_list words = obb_item_values(r, item);
    obb_read_references(r, &words, item->condition, t);
    obb_property p = obb_item_property(item);
    if (item->vocable.id == OBB_W_ENV)
        obb_check_environment(r, &words);
    obb_arena_push(r->arena, into, p);
}

bool obb_read_step_property(obb_reader *r, const obb_item *item, obb_target *t)
{
    switch (item->vocable.id) {
    case OBB_W_MAKES: read_makes(r, item, t); return true;
    case OBB_W_STEP_RUN:
    case OBB_W_COPY:
    case OBB_W_MOVE:
    case OBB_W_JOIN:
    case OBB_W_FILL_FILE:
    case OBB_W_FILL_IN:
    case OBB_W_HASH:
    case OBB_W_WRITE_TEXT: add_command(r, item, t); return true;
    case OBB_W_ENV: keep(r, item, t, &t->environment); return true;
    case OBB_W_ARGS: keep(r, item, t, &t->arguments); return true;
    case OBB_W_EXPECT: read_expectation(r, item, t); return true;
    case OBB_W_CASES: read_cases(r, item, t); return true;
    case OBB_W_TIMEOUT: read_time(r, item, t); return true;
    default: return false;
    }
}

void obb_check_step(obb_reader *r, const obb_target *t)
{
    const char *what = t->makes.count ? "does nothing" : "makes nothing";
    if (t->makes.count && t->commands.count)
        return;
    obb_diag *d = t->owner
                      ? obb_reader_fault(r, t->place, "this %s", what)
                      : obb_reader_fault(r, t->place, "step `%s` does nothing or makes nothing", t->name);
    obb_hint(r->diags, d, "state what it makes (makes gen/NAME) and how (run COMMAND {reads} {makes})");
}
