/* Where in a text a position is: the blocks around it, and the statement (editor/work.h). Texts that are
 * being typed are rarely right, so this goes by marks and braces alone. */
#include <string.h>

#include "base/path.h"
#include "editor/work.h"
#include "project/vocabulary.h"
#include "score/lexer.h"

typedef struct pass {
    obb_lexer lexer;
    obb_diags *ignored;
} pass;

static pass begin_pass(obb_editor *e, const char *path)
{
    size_t length;
    const char *text = text_of(e, path, &length);
    obb_diags *ignored = obb_diags_new();
    return (pass){obb_lexer_on(e->arena, (obb_place){.file = path}, text, length, ignored), ignored};
}

static bool is_before(const obb_place *a, int line, int column)
{
    return a->line < line || (a->line == line && a->column < column);
}

static void enter(obb_editor *e, spot *s)
{
    const frame f = {s->words.count ? s->words.at[0].text : "",
                     s->words.count > 1 ? s->words.at[1].text : ""};
    obb_arena_push(e->arena, &s->frames, f);
    s->words.count = 0;
}

/* A word that begins before the position and does not end before it is the one that is typed. */
static bool is_at(const obb_word *w, int line, int column)
{
    return w->place.line == line && column <= w->place.column + (int)strlen(w->text) + 2 * w->quoted;
}

void find_spot(obb_editor *e, const char *path, int line, int column, spot *s)
{
    pass p = begin_pass(e, path);
    *s = (spot){.word = "", .whole = "", .place = {.file = path, .line = line, .column = column}};
    for (obb_mark mark; (mark = obb_lexer_next(&p.lexer)) != OBB_MARK_EOF;) {
        const obb_word *w = &p.lexer.word;
        if (!is_before(&w->place, line, column))
            break;
        if (mark == OBB_MARK_WORD && is_at(w, line, column)) {
            s->whole = w->text;
            s->word = obb_arena_copy(e->arena, w->text,
                                     (size_t)(column - w->place.column) < strlen(w->text)
                                         ? (size_t)(column - w->place.column)
                                         : strlen(w->text));
            s->place = w->place;
            break;
        }
        if (mark == OBB_MARK_WORD)
            obb_arena_push(e->arena, &s->words, *w);
        else if (mark == OBB_MARK_OPEN)
            enter(e, s);
        else
            s->words.count = 0;
        if (mark == OBB_MARK_CLOSE && s->frames.count)
            s->frames.count--;
    }
    obb_diags_free(p.ignored);
}

/* --- blocks ------------------------------------------------------------------------- */

typedef struct opened {
    const char *word;
    unsigned where;
} opened;

static unsigned opened_by(const char *word, unsigned in)
{
    static const opened at_top[] = {{"project", OBB_IN_PROJECT},   {"program", OBB_IN_PROGRAM},
                                    {"library", OBB_IN_LIBRARY},   {"test", OBB_IN_TEST},
                                    {"image", OBB_IN_IMAGE},       {"step", OBB_IN_STEP},
                                    {"axis", OBB_IN_AXIS},         {"toolchain", OBB_IN_TOOLCHAIN},
                                    {"platform", OBB_IN_PLATFORM}, {"configuration", OBB_IN_CONFIGURATION},
                                    {"runner", OBB_IN_RUNNER},     {"device", OBB_IN_DEVICE},
                                    {"launch", OBB_IN_LAUNCH},     {"checks", OBB_IN_CHECKS},
                                    {"settings", OBB_IN_SETTINGS}, {"thirdparty", OBB_IN_THIRDPARTY},
                                    {"index", OBB_IN_INDEX},       {"delivery", OBB_IN_DELIVERY},
                                    {"only", OBB_IN_TOP}},
                        inside[] = {{"share", OBB_IN_SHARE},  {"users", OBB_IN_USERS},
                                    {"for", OBB_IN_FOR},      {"build", OBB_IN_BUILD},
                                    {"offers", OBB_IN_OFFER}, {"prebuilt", OBB_IN_PREBUILT},
                                    {"before", OBB_IN_STEP},  {"after", OBB_IN_STEP}};
    const opened *list = in == OBB_IN_TOP ? at_top : inside;
    size_t count = in == OBB_IN_TOP ? sizeof at_top / sizeof *at_top : sizeof inside / sizeof *inside;
    for (size_t i = 0; i < count; i++)
        if (strcmp(list[i].word, word) == 0)
            return list[i].where;
    return strcmp(word, "when") == 0 ? in : 0;
}

unsigned where_of(const spot *s)
{
    unsigned where = OBB_IN_TOP;
    for (size_t i = 0; i < s->frames.count; i++) {
        const char *word = s->frames.at[i].word;
        if (strcmp(word, "choose") == 0) { /* its block has values, and theirs are like the one around */
            if (i + 1 == s->frames.count)
                return 0;
            i++;
            continue;
        }
        where = opened_by(word, where);
        if (!where)
            return 0;
    }
    return where;
}

/* --- outline and folding ------------------------------------------------------------ */

/* SymbolKind of the protocol. */
static int symbol_kind(const char *word)
{
    static const char *const names[] = {"program",   "library",       "test", "step", "image",  "platform",
                                        "toolchain", "configuration", "axis", "let",  "project"};
    static const int kinds[] = {12, 2, 6, 24, 8, 5, 23, 7, 10, 13, 4};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (strcmp(names[i], word) == 0)
            return kinds[i];
    return 3;
}

static void add_symbol(obb_editor *e, const char *path, const obb_word_list *words, obb_place end,
                       json_t *list)
{
    const obb_word *first = &words->at[0], *name = words->count > 1 ? &words->at[1] : first;
    json_t *whole = json_pack("{s:o, s:o}", "start",
                              position_json(e, path, first->place.line, first->place.column), "end",
                              position_json(e, path, end.line, end.column + 1));
    json_array_append_new(list,
                          json_pack("{s:s, s:s, s:i, s:o, s:o}", "name", *name->text ? name->text : "?",
                                    "detail", first->text, "kind", symbol_kind(first->text), "range", whole,
                                    "selectionRange", range_json(e, path, name->place, strlen(name->text))));
}

json_t *outline(obb_editor *e, const char *path)
{
    pass p = begin_pass(e, path);
    json_t *list = json_array();
    obb_word_list words = {0};
    int depth = 0;
    obb_place last = {.line = 1, .column = 1};
    for (obb_mark mark = OBB_MARK_END; mark != OBB_MARK_EOF;) {
        mark = obb_lexer_next(&p.lexer);
        if (mark == OBB_MARK_WORD && !depth)
            obb_arena_push(e->arena, &words, p.lexer.word);
        depth += mark == OBB_MARK_OPEN;
        depth -= mark == OBB_MARK_CLOSE && depth;
        bool ends = !depth && (mark == OBB_MARK_END || mark == OBB_MARK_EOF || mark == OBB_MARK_CLOSE);
        if (ends && words.count) {
            add_symbol(e, path, &words, mark == OBB_MARK_CLOSE ? p.lexer.word.place : last, list);
            words = (obb_word_list){0};
        }
        if (mark != OBB_MARK_END)
            last = p.lexer.word.place;
    }
    obb_diags_free(p.ignored);
    return list;
}

json_t *foldings(obb_editor *e, const char *path)
{
    pass p = begin_pass(e, path);
    json_t *list = json_array();
    OBB_VEC(int) open = {0};
    for (obb_mark mark; (mark = obb_lexer_next(&p.lexer)) != OBB_MARK_EOF;) {
        int line = p.lexer.word.place.line;
        if (mark == OBB_MARK_OPEN)
            obb_arena_push(e->arena, &open, line);
        if (mark != OBB_MARK_CLOSE || !open.count)
            continue;
        int first = open.at[--open.count];
        if (line > first)
            json_array_append_new(list, json_pack("{s:i, s:i}", "startLine", first - 1, "endLine", line - 2));
    }
    obb_diags_free(p.ignored);
    return list;
}
