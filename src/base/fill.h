/* Placeholders: `{name}` in a word stands for something else, `{{` and `}}` are braces. One way for all of
 * the language: values, steps, tests, runners, devices, and the commands of custom toolchains. */
#ifndef OBB_BASE_FILL_H
#define OBB_BASE_FILL_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/vec.h"

typedef struct obb_fill {
    /* What a name stands for, added to `words`; false: it is none here, and stays as it is written. `alone`:
     * it is all of the word, which becomes as many words as there are; else it may have one value. */
    bool (*value)(void *self, const char *name, bool alone, obb_words *words);
    void *self;
} obb_fill;

/* One word, filled. False when a placeholder within it has several values: then it is not added. */
bool obb_fill_word(const obb_fill *fill, const char *word, obb_arena *arena, obb_words *into);

#endif
