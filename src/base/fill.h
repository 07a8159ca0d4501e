/* Placeholders: `{name}` in a word stands for something else, `{{` and `}}` are braces. One way for all of
 * the language: values, steps, tests, runners, devices, and the commands of custom toolchains. */
#ifndef OBB_BASE_FILL_H
#define OBB_BASE_FILL_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/vec.h"

typedef struct obb_fill {
    /* Adds what a name stands for to `words`; false: it is no placeholder here, and stays as it is written.
     * `alone`: the word is this placeholder and nothing else, and becomes as many words as there are values;
     * otherwise it must have one value. */
    bool (*value)(void *self, const char *name, bool alone, obb_words *words);
    void *self;
} obb_fill;

/* One word, filled. False when a placeholder within it has several values: then it is not added. */
bool obb_fill_word(const obb_fill *fill, const char *word, obb_arena *arena, obb_words *into);

#endif
