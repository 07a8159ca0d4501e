/* Growable arrays.
 *
 * OBB_VEC(T) declares one: `at` holds `count` items, with room for `room`. A zeroed
 * struct is an empty array. The items belong to the array and are released with
 * obb_vec_free; pushing may move them, so no pointer into `at` outlives a push.
 */
#ifndef OBB_BASE_VEC_H
#define OBB_BASE_VEC_H

#include <stdbool.h>
#include <stddef.h>
#include <stdlib.h>

#define OBB_VEC(T) struct { T *at; size_t count, room; }

#define obb_vec_push(v, ...)                                                              \
    ((v)->at = obb_grow((v)->at, &(v)->room, (v)->count + 1, sizeof *(v)->at),            \
     (v)->at[(v)->count++] = (__VA_ARGS__))

/* Makes room for `n` items in all. */
#define obb_vec_room(v, n) ((v)->at = obb_grow((v)->at, &(v)->room, (n), sizeof *(v)->at))

#define obb_vec_free(v) (free((v)->at), (v)->at = NULL, (v)->count = (v)->room = 0)

typedef OBB_VEC(const char *) obb_words;

/* Whether one of them is this word. */
bool obb_has_word(const obb_words *words, const char *word);

/* Memory for at least `need` items of `size` bytes; new room is zeroed. Running out of
 * memory ends the process (see obb_out_of_memory). */
void *obb_grow(void *at, size_t *room, size_t need, size_t size);

/* malloc and calloc that never return NULL. */
void *obb_alloc(size_t size);

/* Writes one line to standard error and aborts: without memory nothing can be said about the rest of the
 * work, and every output so far is in place. */
void obb_out_of_memory(void);

#endif
