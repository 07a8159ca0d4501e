/* Arenas: a chain of blocks, each at least as large as what is asked for. Memory is zeroed, and never moves.
 *
 * What is asked for is cut off the open block; one that does not fit opens a new block. Nothing is given back
 * before the arena is reset or freed, so pointers into it stay valid. */
#include "base/arena.h"

#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/vec.h"

enum { BLOCK = 64 * 1024 };

typedef struct block {
    struct block *next;
    size_t used, size;
    max_align_t bytes[];
} block;

struct obb_arena {
    block *blocks;
};

obb_arena *obb_arena_new(void)
{
    return obb_alloc(sizeof(obb_arena));
}

void obb_arena_free(obb_arena *arena)
{
    if (!arena)
        return;
    for (block *b = arena->blocks; b;) {
        block *next = b->next;
        free(b);
        b = next;
    }
    free(arena);
}

void obb_arena_reset(obb_arena *arena)
{
    block *keep = arena->blocks;
    if (!keep)
        return;
    for (block *b = keep->next; b;) {
        block *next = b->next;
        free(b);
        b = next;
    }
    memset(keep->bytes, 0, keep->used);
    keep->next = NULL;
    keep->used = 0;
}

void *obb_arena_alloc(obb_arena *arena, size_t size)
{
    const size_t unit = _Alignof(max_align_t);
    size = (size + unit - 1) / unit * unit;
    block *b = arena->blocks;
    if (!b || b->size - b->used < size) {
        size_t room = size > BLOCK / 4 ? size : BLOCK;
        block *fresh = obb_alloc(sizeof(block) + room);
        fresh->size = room;
        if (b && room == size) { /* a large piece goes behind, so that the open block stays open */
            fresh->next = b->next;
            b->next = fresh;
        } else {
            fresh->next = b;
            arena->blocks = fresh;
        }
        b = fresh;
    }
    void *p = (char *)b->bytes + b->used;
    b->used += size;
    return p;
}

char *obb_arena_copy(obb_arena *arena, const void *bytes, size_t length)
{
    char *p = obb_arena_alloc(arena, length + 1);
    if (length)
        memcpy(p, bytes, length);
    return p;
}

char *obb_arena_string(obb_arena *arena, const char *string)
{
    return obb_arena_copy(arena, string, strlen(string));
}

void *obb_arena_grow(obb_arena *arena, void *at, size_t *room, size_t need, size_t size)
{
    if (need <= *room)
        return at;
    size_t wanted = *room ? *room * 2 : 4;
    if (wanted < need)
        wanted = need;
    void *grown = obb_arena_alloc(arena, wanted * size);
    if (*room)
        memcpy(grown, at, *room * size);
    *room = wanted;
    return grown;
}

char *obb_arena_format(obb_arena *arena, const char *format, ...)
{
    va_list args, again;
    va_start(args, format);
    va_copy(again, args);
    int length = vsnprintf(NULL, 0, format, args);
    char *p = obb_arena_alloc(arena, (size_t)length + 1);
    vsnprintf(p, (size_t)length + 1, format, again);
    va_end(again);
    va_end(args);
    return p;
}
