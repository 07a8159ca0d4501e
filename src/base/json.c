/* JSON (base/json.h). Jansson's own way to read a file waits for ever at a pipe. */
#include "base/json.h"

#include <stdio.h>
#include <string.h>

#include "base/files.h"

json_t *obb_json_read(const char *path, json_error_t *error)
{
    obb_text text = {0};
    int failed = obb_file_read(path, &text);
    json_t *document = failed ? NULL : json_loadb(obb_text_bytes(&text), text.length, 0, error);
    if (failed) {
        *error = (json_error_t){0};
        snprintf(error->text, sizeof error->text, "%s", strerror(failed));
    }
    obb_text_free(&text);
    return document;
}

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
