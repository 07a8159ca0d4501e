/* The text of a description: from bytes to a syntax tree, and back to text.
 *
 * A statement is a line of words, with a block in braces behind them or not. A newline or a
 * semicolon ends it, `\` at the end of a line joins the next one, `#` at the start of a word
 * begins a comment. A word is bare, or a string in double quotes. What the words mean is not
 * known here: that is src/project.
 *
 * All memory belongs to the arena; the texts of words stay as written except for the escapes of
 * strings (`{name}` is replaced later, when meaning is given).
 */
#ifndef OBB_SCORE_SCORE_H
#define OBB_SCORE_SCORE_H

#include <stdbool.h>
#include <stddef.h>

#include "base/arena.h"
#include "base/diag.h"
#include "base/text.h"
#include "base/vec.h"

typedef struct obb_word {
    const char *text;
    obb_place place;
    bool quoted;
} obb_word;

typedef OBB_VEC(obb_word) obb_word_list;

typedef struct obb_statement obb_statement;

typedef struct obb_block {
    OBB_VEC(obb_statement *) list;
    obb_place open;
} obb_block;

struct obb_statement {
    obb_word_list words; /* at least one */
    obb_block *block;        /* NULL when there is none */
};

typedef struct obb_score {
    const char *file;
    obb_block top;
} obb_score;

/* Where a text comes from; all places in it say so. `scope` must outlive the tree. */
typedef struct obb_score_origin {
    const char *file;
    const char *folder; /* what paths in it are relative to; NULL: the folder of the file */
    const char *scope;  /* the third-party project that it describes; NULL: ours */
} obb_score_origin;

/* Reads a whole text. Errors go to `diags`, all of them; the tree holds what could be read. */
obb_score *obb_score_parse(obb_arena *arena, const obb_score_origin *origin, const char *text, size_t length,
                           obb_diags *diags);

/* A text laid out in the one form that there is for it: words as they are, comments kept, at most one empty
 * line between statements; blocks indented by four spaces, values in a block in one column; a block on one
 * line stays on one, and so does each line that a statement was parted into. False, with errors in `diags`:
 * it cannot be read. Laying that out again changes nothing. */
bool obb_score_format(obb_arena *arena, const obb_score_origin *origin, const char *text, size_t length,
                      obb_diags *diags, obb_text *formatted);

/* A word as it must be written. */
void obb_score_print_word(const obb_word *word, obb_text *text);

/* The tree as text: a statement a line, blocks indented by four spaces, words quoted where
 * they must be. Parsing that text gives the same tree. */
void obb_score_print(const obb_score *score, obb_text *text);

#endif
