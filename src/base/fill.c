/* Replacing placeholders in words (fill.h). What a name stands for is asked of the caller. */
#include "base/fill.h"

#include <string.h>

#include "base/text.h"

/* A placeholder that begins at `c`: its name, in the arena; NULL when none does. */
static char *name_at(obb_arena *arena, const char *c)
{
    size_t n = c[0] == '{' ? strcspn(c + 1, "{}") : 0;
    return c[0] == '{' && n && c[1 + n] == '}' ? obb_arena_copy(arena, c + 1, n) : NULL;
}

bool obb_fill_word(const obb_fill *fill, const char *word, obb_arena *arena, obb_words *into)
{
    obb_text text = {0};
    bool good = true;
    obb_text_add(&text, "", 0);
    for (const char *c = word; *c && good;) {
        bool doubled = (c[0] == '{' || c[0] == '}') && c[1] == c[0];
        char *name = doubled ? NULL : name_at(arena, c);
        size_t length = name ? strlen(name) + 2 : 0;
        bool alone = name && c == word && !c[length];
        obb_words values = {0};
        if (!name || !fill->value(fill->self, name, alone, &values)) {
            obb_text_char(&text, *c);
            c += doubled ? 2 : 1;
            continue;
        }
        if (alone) {
            for (size_t i = 0; i < values.count; i++)
                obb_arena_push(arena, into, values.at[i]);
            obb_text_free(&text);
            obb_vec_free(&values);
            return true;
        }
        good = values.count <= 1;
        if (values.count == 1)
            obb_text_string(&text, values.at[0]);
        obb_vec_free(&values);
        c += length;
    }
    if (good)
        obb_arena_push(arena, into, obb_arena_string(arena, text.bytes));
    obb_text_free(&text);
    return good;
}
