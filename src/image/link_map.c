/* Reading linkers' maps (link_map.h), line by line. A line that names an address, a size and a file is a
 * piece; all others say something else. */
#include "image/link_map.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"

/* GNU: [name] 0xADDRESS 0xSIZE FILE; a long name stands on a line of its own before it. Behind the size of a
 * *fill* stands what it is filled with. */
static bool read_gnu(const char *line, obb_map_piece *piece)
{
    unsigned long long address, size;
    int end = 0;
    const char *at = strstr(line, " 0x");
    if (!at || obb_starts(line, " *fill*") || sscanf(at, " 0x%llx 0x%llx %n", &address, &size, &end) < 2 ||
        !end || !size)
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

static int by_place(const void *a, const void *b)
{
    const obb_map_piece *x = a, *y = b;
    int order = strcmp(x->section, y->section);
    return order                     ? order
           : x->address < y->address ? -1
                                     : x->address > y->address;
}

typedef struct reader {
    obb_arena *arena;
    bool started, llvm;
    size_t column;       /* LLVM: where names of output sections begin */
    const char *section; /* the last one that began */
} reader;

static void read_heading(reader *r, const char *line)
{
    const char *out = strstr(line, "VMA") && strstr(line, "LMA") ? strstr(line, "Out") : NULL;
    r->llvm = out != NULL;
    r->column = out ? (size_t)(out - line) : 0;
    r->started = r->llvm || obb_starts(line, "Linker script and memory map");
}

/* A line names an output section where those stand: GNU's linker begins it with the name. */
static void note_section(reader *r, const char *line)
{
    if (strlen(line) > r->column && line[r->column] != ' ')
        r->section = obb_arena_copy(r->arena, line + r->column, strcspn(line + r->column, " \r"));
}

void obb_link_map_read(const char *text, obb_arena *arena, obb_link_map *map)
{
    reader r = {.arena = arena, .section = ""};
    for (const char *c = text; *c;) {
        size_t n = strcspn(c, "\n");
        const char *line = obb_arena_copy(arena, c, n);
        obb_map_piece piece;
        c += n + (c[n] == '\n');
        if (!r.started) {
            read_heading(&r, line);
            continue;
        }
        note_section(&r, line);
        if (r.llvm ? read_llvm(line, &piece) : read_gnu(line, &piece)) {
            const char *section = r.llvm ? strstr(piece.file, ":(") : NULL;
            piece.section = r.section;
            piece.file = section ? obb_arena_copy(arena, piece.file, (size_t)(section - piece.file))
                                 : piece.file;
            obb_arena_push(arena, &map->pieces, piece);
        }
    }
    if (map->pieces.count)
        qsort(map->pieces.at, map->pieces.count, sizeof *map->pieces.at, by_place);
}

/* How many pieces stand before a place or begin there. */
static size_t begun(const obb_link_map *map, const char *section, uint64_t address)
{
    const obb_map_piece place = {.section = section, .address = address};
    size_t low = 0, high = map->pieces.count;
    while (low < high) {
        size_t middle = low + (high - low) / 2;
        if (by_place(&map->pieces.at[middle], &place) <= 0)
            low = middle + 1;
        else
            high = middle;
    }
    return low;
}

const obb_map_piece *obb_link_map_at(const obb_link_map *map, const char *section, uint64_t address)
{
    size_t n = begun(map, section, address);
    const obb_map_piece *piece = n ? &map->pieces.at[n - 1] : NULL;
    bool covers = piece && strcmp(piece->section, section) == 0 && address - piece->address < piece->size;
    return covers ? piece : NULL;
}

uint64_t obb_link_map_next(const obb_link_map *map, const char *section, uint64_t address)
{
    size_t n = begun(map, section, address);
    bool any = n < map->pieces.count && strcmp(map->pieces.at[n].section, section) == 0;
    return any ? map->pieces.at[n].address : UINT64_MAX;
}
