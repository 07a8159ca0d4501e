/* Texts out of JSON values (base/json.h). */
#include "base/json.h"

const char *obb_json_text(obb_arena *arena, const json_t *object, const char *name)
{
    const char *text = json_string_value(json_object_get(object, name));
    return text ? obb_arena_string(arena, text) : NULL;
}

void obb_json_words(obb_arena *arena, const json_t *array, obb_words *words)
{
    for (size_t i = 0; i < json_array_size(array); i++) {
        const char *text = json_string_value(json_array_get(array, i));
        obb_arena_push(arena, words, obb_arena_string(arena, text ? text : ""));
    }
}
