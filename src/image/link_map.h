/* The map that a linker writes beside its output: which bytes of it came from which object.
 *
 * Two forms are read: that of GNU ld ("Linker script and memory map": name, address, size and file, GNU ld
 * manual, -Map), which Arm's and others' GNU toolchains share; and that of LLVM's lld (columns VMA, LMA,
 * Size, Align, Out, In). Anything else has no pieces. */
#ifndef OBB_IMAGE_LINK_MAP_H
#define OBB_IMAGE_LINK_MAP_H

#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

/* An input section in the output. Sections that are not loaded, such as those for debuggers, may have the
 * addresses of others: a place is an output section and an address in it. */
typedef struct obb_map_piece {
    const char *section;    /* of the output: .text */
    uint64_t address, size; /* bytes */
    const char *file;       /* as the linker names it: out/v/obj/a.o, or lib/libtune.a(tune.o) */
} obb_map_piece;

typedef struct obb_link_map {
    OBB_VEC(obb_map_piece) pieces; /* in order of section and address */
} obb_link_map;

void obb_link_map_read(const char *text, obb_arena *arena, obb_link_map *map);

/* Where the next piece of a section begins behind an address; UINT64_MAX: none does. */
uint64_t obb_link_map_next(const obb_link_map *map, const char *section, uint64_t address);

/* The piece of a section that an address lies in; NULL: none. */
const obb_map_piece *obb_link_map_at(const obb_link_map *map, const char *section, uint64_t address);

#endif
