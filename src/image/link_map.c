/* Reading linkers' maps (link_map.h), line by line. A line that names an address, a size and a file is a
 * piece; all others say something else. */
#include "image/link_map.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"

/* GNU: [name] 0xADDRESS 0xSIZE FILE; a long name stands on a line of its own before it. */
static bool read_gnu(const char *line, obb_map_piece *piece)
{
    unsigned long long address, size;
    int end = 0;
    const char *at = strstr(line, " 0x");
    if (!at || sscanf(at, " 0x%llx 0x%llx %n", &address, &size, &end) < 2 || !end || !size)
        return false;
    piece->file = at + end;
    piece->address = address;
    piece->size = size;
    return *piece->file && !obb_starts(piece->file, "load address");
}

/* LLVM: VMA LMA SIZE ALIGN, in hexadecimal, then FILE:(SECTION) further to the right. */
static bool read_llvm(const char *line, obb_map_piece *piece)
{
    unsigned long long address, load, size;
    unsigned align;
    int end = 0;
    if (sscanf(line, "%llx %llx %llx %u %n", &address, &load, &size, &align, &end) < 4 || !end || !size)
        return false;
    piece->file = line + end;
    piece->address = address;
    piece->size = size;
    return strstr(piece->file, ":(") != NULL;
}

static int by_address(const void *a, const void *b)
{
    const obb_map_piece *x = a, *y = b;
    return x->address < y->address ? -1 : x->address > y->address;
}

void obb_link_map_read(const char *text, obb_arena *arena, obb_link_map *map)
{
    bool llvm = false, started = false;
    for (const char *c = text; *c;) {
        size_t n = strcspn(c, "\n");
        const char *line = obb_arena_copy(arena, c, n);
        obb_map_piece piece;
        c += n + (c[n] == '\n');
        if (!started) {
            llvm = strstr(line, "VMA") && strstr(line, "LMA") && strstr(line, "Size");
            started = llvm || obb_starts(line, "Linker script and memory map");
            continue;
        }
        if (llvm ? read_llvm(line, &piece) : read_gnu(line, &piece)) {
            const char *section = llvm ? strstr(piece.file, ":(") : NULL;
            piece.file = section ? obb_arena_copy(arena, piece.file, (size_t)(section - piece.file))
                                 : piece.file;
            obb_arena_push(arena, &map->pieces, piece);
        }
    }
    if (map->pieces.count)
        qsort(map->pieces.at, map->pieces.count, sizeof *map->pieces.at, by_address);
}

/* How many pieces begin at an address or before it. */
static size_t begun(const obb_link_map *map, uint64_t address)
{
    size_t low = 0, high = map->pieces.count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (map->pieces.at[middle].address <= address)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

const obb_map_piece *obb_link_map_at(const obb_link_map *map, uint64_t address)
{
    size_t n = begun(map, address);
    const obb_map_piece *piece = n ? &map->pieces.at[n - 1] : NULL;
    return piece && address - piece->address < piece->size ? piece : NULL;
}

uint64_t obb_link_map_next(const obb_link_map *map, uint64_t address)
{
    size_t n = begun(map, address);
    return n < map->pieces.count ? map->pieces.at[n].address : UINT64_MAX;
}
