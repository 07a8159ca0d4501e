/* From the syntax tree back to text, in one form; reading that again gives the same tree. */
#include <string.h>

#include "score/score.h"

static bool needs_quotes(const obb_word *w)
{
    return !*w->text || strpbrk(w->text, " \t\n\"\\;\r") || w->text[0] == '#' ||
           strcmp(w->text, "{") == 0 || strcmp(w->text, "}") == 0 || w->quoted;
}

void obb_score_print_word(const obb_word *w, obb_text *text)
{
    if (!needs_quotes(w)) {
        obb_text_string(text, w->text);
        return;
    }
    obb_text_char(text, '"');
    for (const char *c = w->text; *c; c++) {
        if (*c == '\n' || *c == '\t') {
            obb_text_string(text, *c == '\n' ? "\\n" : "\\t");
            continue;
        }
        if (*c == '"' || *c == '\\')
            obb_text_char(text, '\\');
        obb_text_char(text, *c);
    }
    obb_text_char(text, '"');
}

static void print_block(const obb_block *block, int depth, obb_text *text)
{
    for (size_t i = 0; i < block->list.count; i++) {
        const obb_statement *s = block->list.at[i];
        obb_text_format(text, "%*s", depth * 4, "");
        for (size_t k = 0; k < s->words.count; k++) {
            if (k)
                obb_text_char(text, ' ');
            obb_score_print_word(&s->words.at[k], text);
        }
        if (s->block) {
            obb_text_string(text, " {\n");
            print_block(s->block, depth + 1, text);
            obb_text_format(text, "%*s}", depth * 4, "");
        }
        obb_text_char(text, '\n');
    }
}

void obb_score_print(const obb_score *score, obb_text *text)
{
    print_block(&score->top, 0, text);
}
