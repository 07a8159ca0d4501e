/* Growing an array: to twice its room, or to what is needed; what is new is zeroed. */
#include "base/vec.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

void obb_out_of_memory(void)
{
    fputs("obbligato: error: out of memory\n", stderr);
    abort();
}

bool obb_has_word(const obb_words *words, const char *word)
{
    for (size_t i = 0; i < words->count; i++)
        if (strcmp(words->at[i], word) == 0)
            return true;
    return false;
}

void *obb_alloc(size_t size)
{
    void *p = calloc(1, size ? size : 1);
    if (!p)
        obb_out_of_memory();
    return p;
}

void *obb_grow(void *at, size_t *room, size_t need, size_t size)
{
    if (need <= *room)
        return at;
    size_t wanted = *room ? *room * 2 : 8;
    if (wanted < need)
        wanted = need;
    char *grown = realloc(at, wanted * size);
    if (!grown)
        obb_out_of_memory();
    memset(grown + *room * size, 0, (wanted - *room) * size);
    *room = wanted;
    return grown;
}
