/* The map: an array of entries in order of insertion, and a table of slots with open addressing over it.
 * Nothing is ever removed. */
#include "base/map.h"

#include <stdlib.h>
#include <string.h>
#include <xxhash.h>

#include "base/vec.h"

static size_t slot_of(const obb_map *map, const char *key, size_t length)
{
    size_t mask = map->slot_count - 1;
    size_t i = (size_t)XXH3_64bits(key, length) & mask;
    while (map->slots[i]) {
        size_t entry = map->slots[i] - 1;
        if (map->at[entry].length == length && memcmp(map->at[entry].key, key, length) == 0)
            break;
        i = (i + 1) & mask;
    }
    return i;
}

static void widen(obb_map *map)
{
    free(map->slots);
    map->slot_count = map->slot_count ? map->slot_count * 2 : 16;
    map->slots = obb_alloc(map->slot_count * sizeof *map->slots);
    for (size_t i = 0; i < map->count; i++)
        map->slots[slot_of(map, map->at[i].key, map->at[i].length)] = (uint32_t)(i + 1);
}

uint32_t obb_map_find(const obb_map *map, const char *key, size_t length)
{
    if (!map->count)
        return UINT32_MAX;
    uint32_t found = map->slots[slot_of(map, key, length)];
    return found ? found - 1 : UINT32_MAX;
}

uint32_t obb_map_number(obb_map *map, const char *key, size_t length, bool *added)
{
    if (map->count * 2 >= map->slot_count)
        widen(map);
    size_t slot = slot_of(map, key, length);
    bool fresh = !map->slots[slot];
    if (fresh) {
        map->at = obb_grow(map->at, &map->room, map->count + 1, sizeof *map->at);
        map->at[map->count].key = key;
        map->at[map->count].length = length;
        map->at[map->count].value = NULL;
        map->slots[slot] = (uint32_t)++map->count;
    }
    if (added)
        *added = fresh;
    return map->slots[slot] - 1;
}

void *obb_map_get(const obb_map *map, const char *key)
{
    uint32_t i = obb_map_find(map, key, strlen(key));
    return i == UINT32_MAX ? NULL : map->at[i].value;
}

void *obb_map_put(obb_map *map, const char *key, void *value)
{
    uint32_t i = obb_map_number(map, key, strlen(key), NULL);
    void *before = map->at[i].value;
    map->at[i].value = value;
    return before;
}

void obb_map_free(obb_map *map)
{
    free(map->at);
    free(map->slots);
    *map = (obb_map){0};
}
