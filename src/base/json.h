/* JSON files, and texts out of JSON values, into an arena. */
#ifndef OBB_BASE_JSON_H
#define OBB_BASE_JSON_H

#include <jansson.h>

#include "base/arena.h"
#include "base/vec.h"

/* Reads a regular file; NULL with `error` set. Released by the caller. */
json_t *obb_json_read(const char *path, json_error_t *error);

/* The text of that name in an object; NULL: there is none. */
const char *obb_json_text(obb_arena *arena, const json_t *object, const char *name);

/* Adds the texts of an array; what is none is "". */
void obb_json_words(obb_arena *arena, const json_t *array, obb_words *words);

#endif
