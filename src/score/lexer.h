/* Words, braces and ends of statements, one at a time. Only the parser uses this. */
#ifndef OBB_SCORE_LEXER_H
#define OBB_SCORE_LEXER_H

#include "score/score.h"

typedef enum obb_mark {
    OBB_MARK_WORD,
    OBB_MARK_OPEN,
    OBB_MARK_CLOSE,
    OBB_MARK_END,
    OBB_MARK_COMMENT, /* where they are asked for */
    OBB_MARK_EOF
} obb_mark;

typedef struct obb_lexer {
    obb_arena *arena;
    obb_diags *diags;
    obb_place begin; /* of the text */
    const char *at, *end, *line_start;
    int line;
    bool tells_comments;
    obb_word word; /* of the last OBB_MARK_WORD or OBB_MARK_COMMENT; `place` is right for every mark */
} obb_lexer;

obb_lexer obb_lexer_on(obb_arena *arena, obb_place begin, const char *text, size_t length, obb_diags *diags);
obb_mark obb_lexer_next(obb_lexer *lexer);

#endif
