/* Parsing descriptions, by recursion over blocks up to a limit. A mistake is reported, and parsing continues
 * after it.
 *
 * The tree always has the shape that the braces say, with missing ones added at the end of the text. */
#include <string.h>

#include "base/path.h"

#include "score/lexer.h"

enum { DEEPEST = 100 };

typedef struct parser {
    obb_lexer lexer;
    int depth;
} parser;

static void parse_block(parser *p, obb_block *block, bool braced);

static void reject_glued_brace(parser *p, const obb_word *w)
{
    size_t n = strlen(w->text);
    bool open = n > 1 && w->text[n - 1] == '{' && w->text[n - 2] != '{';
    bool close = n > 1 && w->text[n - 1] == '}' && !strchr(w->text, '{');
    if (w->quoted || (!open && !close))
        return;
    obb_diag *d = obb_error(p->lexer.diags, OBB_FAULT_DESCRIPTION, w->place,
                            "a brace stands as a word of its own");
    obb_hint(p->lexer.diags, d, "write `%.*s %c`, or `%c%c` for a brace in a value", (int)(n - 1),
             w->text, w->text[n - 1], w->text[n - 1], w->text[n - 1]);
}

static obb_block *open_block(parser *p, obb_place open)
{
    obb_block *block = obb_arena_alloc(p->lexer.arena, sizeof *block);
    block->open = open;
    if (++p->depth > DEEPEST) {
        obb_error(p->lexer.diags, OBB_FAULT_DESCRIPTION, open,
                  "blocks are nested more than %d deep", DEEPEST);
        p->lexer.at = p->lexer.end;
    } else {
        parse_block(p, block, true);
    }
    p->depth--;
    return block;
}

/* Reads one statement whose first mark is a word; gives the mark that ended it. */
static obb_mark parse_statement(parser *p, obb_block *into)
{
    obb_statement *s = obb_arena_alloc(p->lexer.arena, sizeof *s);
    obb_mark mark = OBB_MARK_WORD;
    obb_arena_push(p->lexer.arena, &into->list, s);
    while (mark == OBB_MARK_WORD) {
        if (!p->lexer.word.quoted && strcmp(p->lexer.word.text, "{}") == 0 &&
            s->words.count) { /* an empty block */
            s->block = obb_arena_alloc(p->lexer.arena, sizeof *s->block);
            s->block->open = p->lexer.word.place;
            return OBB_MARK_END;
        }
        reject_glued_brace(p, &p->lexer.word);
        obb_arena_push(p->lexer.arena, &s->words, p->lexer.word);
        mark = obb_lexer_next(&p->lexer);
    }
    if (mark != OBB_MARK_OPEN)
        return mark;
    s->block = open_block(p, p->lexer.word.place);
    return OBB_MARK_END;
}

static void parse_block(parser *p, obb_block *block, bool braced)
{
    obb_diags *diags = p->lexer.diags;
    for (;;) {
        obb_mark mark = obb_lexer_next(&p->lexer);
        if (mark == OBB_MARK_WORD)
            mark = parse_statement(p, block);
        if (mark == OBB_MARK_CLOSE && braced)
            return;
        if (mark == OBB_MARK_CLOSE)
            obb_error(diags, OBB_FAULT_DESCRIPTION, p->lexer.word.place,
                      "this `}` closes nothing");
        if (mark == OBB_MARK_OPEN) {
            obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, p->lexer.word.place,
                                    "a block without a statement before it");
            obb_hint(diags, d, "put `{` on the line of the statement that it belongs to");
            open_block(p, p->lexer.word.place); /* read for its errors */
        }
        if (mark == OBB_MARK_EOF) {
            if (braced && p->depth <= DEEPEST)
                obb_error(diags, OBB_FAULT_DESCRIPTION, block->open,
                          "this block is never closed");
            return;
        }
    }
}

obb_score *obb_score_parse(obb_arena *arena, const obb_score_origin *origin, const char *text, size_t length,
                           obb_diags *diags)
{
    obb_score *score = obb_arena_alloc(arena, sizeof *score);
    const char *file = obb_arena_string(arena, origin->file);
    const char *folder = origin->folder ? obb_arena_string(arena, origin->folder)
                                        : obb_path_folder(arena, file);
    score->file = file;
    score->top.open = (obb_place){.file = file, .line = 1, .column = 1, .folder = folder,
                                  .scope = origin->scope};
    parser p = {.lexer = obb_lexer_on(arena, score->top.open, text, length, diags)};
    parse_block(&p, &score->top, false);
    return score;
}
