/* Memory that is released all at once.
 *
 * What belongs together (a syntax tree, a project, a plan) is allocated from one arena and
 * lives exactly as long as it.
 */
#ifndef OBB_BASE_ARENA_H
#define OBB_BASE_ARENA_H

#include <stddef.h>

typedef struct obb_arena obb_arena;

obb_arena *obb_arena_new(void);
void obb_arena_free(obb_arena *arena); /* NULL is fine */

/* Takes everything back at once and keeps some of the memory for what comes next. */
void obb_arena_reset(obb_arena *arena);

/* Zeroed memory, aligned for any type. */
void *obb_arena_alloc(obb_arena *arena, size_t size);

/* A copy of `length` bytes, with a NUL behind them. */
char *obb_arena_copy(obb_arena *arena, const void *bytes, size_t length);
char *obb_arena_string(obb_arena *arena, const char *string);

/* Arrays whose memory belongs to an arena: the same OBB_VEC, pushed with this instead of
 * obb_vec_push, and never freed by themselves. */
#define obb_arena_push(arena, v, ...)                                                     \
    ((v)->at = obb_arena_grow((arena), (v)->at, &(v)->room, (v)->count + 1, sizeof *(v)->at), \
     (v)->at[(v)->count++] = (__VA_ARGS__))

void *obb_arena_grow(obb_arena *arena, void *at, size_t *room, size_t need, size_t size);

/* printf into the arena. */
char *obb_arena_format(obb_arena *arena, const char *format, ...);

#endif
