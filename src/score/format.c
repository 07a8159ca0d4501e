/* Laying a description out (score.h). It is read into lines of a kind of its own, which know what the syntax
 * tree does not: comments, empty lines, where a statement was parted, whether a block stood on one line. */
#include <string.h>

#include "score/lexer.h"

enum { INDENT = 4 };

typedef struct item item;

typedef OBB_VEC(item *) items;

/* A statement, or a comment on a line of its own (`words` is empty then). */
struct item {
    obb_word_list words;
    items inside; /* of its block */
    bool block, one_line;
    bool empty_before;   /* an empty line stands before it */
    const char *comment; /* behind it; of a block, behind its `{` */
    const char *ending;  /* a comment behind the `}` */
};

typedef struct reading {
    obb_lexer lexer;
    int last_line; /* of the mark before */
} reading;

/* --- reading ------------------------------------------------------------------------ */

static obb_mark next(reading *r)
{
    r->last_line = r->lexer.word.place.line;
    return obb_lexer_next(&r->lexer);
}

/* What a comment says, without blanks behind it. */
static const char *comment_text(const reading *r)
{
    const char *text = r->lexer.word.text;
    size_t n = strlen(text);
    while (n && strchr(" \t\r", text[n - 1]))
        n--;
    return obb_arena_copy(r->lexer.arena, text, n);
}

static item *add_item(reading *r, items *into, int *line_before)
{
    item *i = obb_arena_alloc(r->lexer.arena, sizeof *i);
    i->empty_before = into->count && r->lexer.word.place.line > *line_before + 1;
    obb_arena_push(r->lexer.arena, into, i);
    return i;
}

static bool read_items(reading *r, items *into, bool braced);

/* A block behind its `{`; the mark behind it. */
static obb_mark read_inside(reading *r, item *i, obb_mark mark)
{
    i->block = true;
    if (mark == OBB_MARK_OPEN) {
        int open = r->lexer.word.place.line;
        bool comments = read_items(r, &i->inside, true);
        i->one_line = !comments && r->lexer.word.place.line == open;
        if (i->inside.count && !i->inside.at[0]->words.count && !i->inside.at[0]->empty_before &&
            i->inside.at[0]->one_line) {
            i->comment = i->inside.at[0]->comment; /* it stood behind the `{` */
            memmove(i->inside.at, i->inside.at + 1, --i->inside.count * sizeof *i->inside.at);
        }
    } else {
        i->one_line = true;
    }
    mark = next(r);
    if (mark == OBB_MARK_COMMENT) {
        *(i->one_line ? &i->comment : &i->ending) = comment_text(r);
        mark = next(r);
    }
    return mark;
}

static bool is_empty_block(const obb_word *w)
{
    return !w->quoted && strcmp(w->text, "{}") == 0;
}

/* Up to the end of its line. The mark behind it. */
static obb_mark read_item(reading *r, item *i)
{
    obb_mark mark = OBB_MARK_WORD;
    while (mark == OBB_MARK_WORD && !(i->words.count && is_empty_block(&r->lexer.word))) {
        obb_arena_push(r->lexer.arena, &i->words, r->lexer.word);
        mark = next(r);
    }
    if (mark == OBB_MARK_COMMENT) {
        i->comment = comment_text(r);
        mark = next(r);
    }
    return mark == OBB_MARK_OPEN || mark == OBB_MARK_WORD ? read_inside(r, i, mark) : mark;
}

/* Up to the `}`, or the end of the text. Whether there are comments among them. */
static bool read_items(reading *r, items *into, bool braced)
{
    int line_before = r->lexer.word.place.line;
    bool comments = false, behind_open = braced;
    for (obb_mark mark = next(r);;) {
        if (mark == OBB_MARK_EOF || mark == OBB_MARK_CLOSE)
            return comments;
        if (mark == OBB_MARK_COMMENT) {
            item *i = add_item(r, into, &line_before);
            i->comment = comment_text(r);
            i->one_line = behind_open && r->lexer.word.place.line == line_before;
            comments = true;
            line_before = r->lexer.word.place.line;
            mark = next(r);
        } else if (mark == OBB_MARK_WORD) {
            item *i = add_item(r, into, &line_before);
            mark = read_item(r, i);
            comments = comments || i->comment || i->ending;
            line_before = r->last_line;
        } else {
            mark = next(r);
        }
        behind_open = false;
    }
}

/* --- writing ------------------------------------------------------------------------ */

static size_t width_of(const char *text)
{
    size_t n = 0;
    for (; *text; text++)
        n += ((unsigned char)*text & 0xC0) != 0x80;
    return n;
}

/* As it was: a bare word may have a backslash in it. */
static void write_word(const obb_word *w, obb_text *text)
{
    if (w->quoted)
        obb_score_print_word(w, text);
    else
        obb_text_string(text, w->text);
}

static size_t word_width(const obb_word *w)
{
    obb_text text = {0};
    write_word(w, &text);
    size_t n = width_of(obb_text_bytes(&text));
    obb_text_free(&text);
    return n;
}

/* Values of these stand in one column. */
static bool has_value(const item *i)
{
    return i->words.count > 1 && !i->block;
}

/* How wide the first words of a block are, from one item up to the next empty line. */
static size_t column_from(const items *list, size_t first)
{
    size_t column = 0;
    for (size_t i = first; i < list->count && (i == first || !list->at[i]->empty_before); i++)
        if (has_value(list->at[i]) && word_width(&list->at[i]->words.at[0]) > column)
            column = word_width(&list->at[i]->words.at[0]);
    return column ? column + 2 : 0;
}

static void write_words(const item *i, int depth, size_t column, obb_text *text)
{
    for (size_t k = 0; k < i->words.count; k++) {
        bool parted = k && i->words.at[k].place.line > i->words.at[k - 1].place.line;
        size_t first = word_width(&i->words.at[0]);
        if (parted)
            obb_text_format(text, " \\\n%*s", depth * INDENT + (int)(column ? column : first + 1), "");
        else if (k == 1 && column)
            obb_text_format(text, "%*s", (int)(column - first), "");
        else if (k)
            obb_text_char(text, ' ');
        write_word(&i->words.at[k], text);
    }
}

static size_t words_width(const item *i)
{
    obb_text text = {0};
    write_words(i, 0, 0, &text);
    size_t n = width_of(obb_text_bytes(&text));
    obb_text_free(&text);
    return n;
}

static bool is_one_line(const items *list, size_t i)
{
    return list->at[i]->block && list->at[i]->one_line;
}

/* Blocks on one line that follow each other have their `{` in one column. */
static size_t brace_column(const items *list, size_t at)
{
    size_t first = at, column = 0;
    while (first && is_one_line(list, first - 1) && !list->at[first]->empty_before)
        first--;
    for (size_t i = first;
         i < list->count && is_one_line(list, i) && (i == first || !list->at[i]->empty_before); i++)
        column = words_width(list->at[i]) > column ? words_width(list->at[i]) : column;
    return column;
}

static void write_one_line(const item *i, obb_text *text)
{
    obb_text_string(text, i->inside.count ? " { " : " {}");
    for (size_t k = 0; k < i->inside.count; k++) {
        obb_text_string(text, k ? "; " : "");
        write_words(i->inside.at[k], 0, 0, text);
        if (i->inside.at[k]->block)
            write_one_line(i->inside.at[k], text);
    }
    obb_text_string(text, i->inside.count ? " }" : "");
}

static void write_items(const items *list, int depth, obb_text *text);

/* Without the comment behind it. */
static void write_item(const items *list, size_t at, int depth, size_t column, obb_text *text)
{
    const item *i = list->at[at];
    obb_text_format(text, "%*s", depth * INDENT, "");
    write_words(i, depth, has_value(i) ? column : 0, text);
    if (is_one_line(list, at)) {
        obb_text_format(text, "%*s", (int)(brace_column(list, at) - words_width(i)), "");
        write_one_line(i, text);
    }
    if (i->block && !i->one_line)
        obb_text_string(text, " {");
}

static size_t last_width(const obb_text *text)
{
    const char *bytes = obb_text_bytes(text), *line = strrchr(bytes, '\n');
    return width_of(line ? line + 1 : bytes);
}

static bool has_comment_behind(const item *i)
{
    return i->comment && i->words.count;
}

/* Comments behind lines that follow each other stand in one column. */
static size_t comment_column(const items *list, size_t from, int depth, size_t column)
{
    size_t widest = 0;
    for (size_t i = from; i < list->count && has_comment_behind(list->at[i]); i++) {
        const item *one = list->at[i];
        obb_text text = {0};
        if (i > from && one->empty_before)
            break;
        write_item(list, i, depth, column, &text);
        widest = last_width(&text) > widest ? last_width(&text) : widest;
        obb_text_free(&text);
        if (one->block && !one->one_line)
            break;
    }
    return widest + 2;
}

static void write_items(const items *list, int depth, obb_text *text)
{
    size_t column = 0, comments = 0;
    for (size_t k = 0; k < list->count; k++) {
        const item *i = list->at[k];
        if (i->empty_before)
            obb_text_char(text, '\n');
        if (depth && (!k || i->empty_before))
            column = column_from(list, k);
        if (!i->words.count) {
            obb_text_format(text, "%*s%s\n", depth * INDENT, "", i->comment);
            continue;
        }
        bool follows = k && has_comment_behind(list->at[k - 1]) && !i->empty_before &&
                       !(list->at[k - 1]->block && !list->at[k - 1]->one_line);
        if (has_comment_behind(i) && !follows)
            comments = comment_column(list, k, depth, column);
        write_item(list, k, depth, column, text);
        if (i->comment)
            obb_text_format(text, "%*s%s", (int)(comments - last_width(text)), "", i->comment);
        obb_text_char(text, '\n');
        if (!i->block || i->one_line)
            continue;
        write_items(&i->inside, depth + 1, text);
        obb_text_format(text, "%*s}%s%s\n", depth * INDENT, "", i->ending ? "  " : "",
                        i->ending ? i->ending : "");
    }
}

bool obb_score_format(obb_arena *arena, const obb_score_origin *origin, const char *text, size_t length,
                      obb_diags *diags, obb_text *formatted)
{
    size_t errors = diags->list.count;
    items top = {0};
    const obb_score *score = obb_score_parse(arena, origin, text, length, diags);
    if (diags->list.count > errors)
        return false;
    reading r = {.lexer = obb_lexer_on(arena, score->top.open, text, length, diags)};
    r.lexer.tells_comments = true;
    read_items(&r, &top, false);
    write_items(&top, 0, formatted);
    return true;
}
