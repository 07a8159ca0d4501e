/* A map from strings to pointers, and the numbering of strings.
 *
 * Keys are not copied: they must live as long as the map. Order of iteration is the order
 * of insertion, so that nothing printed depends on a hash.
 */
#ifndef OBB_BASE_MAP_H
#define OBB_BASE_MAP_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef struct obb_map {
    struct { const char *key; size_t length; void *value; } *at;
    size_t count, room;
    uint32_t *slots; /* 0 is free, else index + 1 */
    size_t slot_count;
} obb_map;

/* The value of `key`, or NULL. */
void *obb_map_get(const obb_map *map, const char *key);

/* Sets the value of `key`; gives the value it had before, or NULL. */
void *obb_map_put(obb_map *map, const char *key, void *value);

/* The number of `key` (from 0, in order of insertion); it is added when it is new, with
 * `*added` set (if not NULL). The key may hold any bytes. When added, the caller must make
 * at[number].key point at memory that lasts. */
uint32_t obb_map_number(obb_map *map, const char *key, size_t length, bool *added);

/* The number of `key`, or UINT32_MAX. */
uint32_t obb_map_find(const obb_map *map, const char *key, size_t length);

void obb_map_free(obb_map *map);

#endif
