/* Memory accounts: how full the memory of a linked program is, by region, section, source
 * file and symbol. The rows of a table add up to the sizes of the sections in the file: what
 * no symbol covers has a row of its own.
 */
#ifndef OBB_IMAGE_ACCOUNT_H
#define OBB_IMAGE_ACCOUNT_H

#include "image/elf.h"
#include "image/link_map.h"

/* A range of addresses, and what is in it. */
typedef struct obb_region_use {
    const char *name;
    uint64_t origin, length, used; /* bytes */
} obb_region_use;

typedef struct obb_section_use {
    const char *name, *region, *load_region; /* "": in none; load_region when it is another one */
    uint64_t address, size;
} obb_section_use;

/* The bytes of a source file by what they are. */
typedef struct obb_source_use {
    const char *name;
    uint64_t code, constants, data, zeroed; /* executed; only read; written and loaded; zero at start */
} obb_source_use;

typedef struct obb_symbol_use {
    const char *name, *section, *source;
    uint64_t address, size;
} obb_symbol_use;

typedef struct obb_account {
    const char *machine;
    bool wide, big_endian;
    OBB_VEC(obb_region_use) regions;
    OBB_VEC(obb_section_use) sections; /* those that take memory, in order of address */
    OBB_VEC(obb_source_use) sources;   /* largest first */
    OBB_VEC(obb_symbol_use) symbols;   /* largest first */
    obb_source_use total;
} obb_account;

/* Where symbols come from: an object, with the source it was made from; or an archive. */
typedef struct obb_account_object {
    const char *path;
    const char *source; /* NULL: named by the file and its member */
    bool implied;       /* a library that may be linked without being told */
} obb_account_object;

uint64_t obb_source_bytes(const obb_source_use *use);

/* What an account is made of besides the program; any of it may be missing. */
typedef struct obb_account_facts {
    const obb_region_use *regions;
    size_t region_count;
    const obb_account_object *objects;
    size_t object_count;
    const obb_link_map *map; /* or NULL */
} obb_account_facts;

/* The account of a linked program. Bytes that no symbol covers count for the source whose object brought
 * them, as the linker's map tells it; strings, without a map, for the first source that has them. All memory
 * is the arena's. */
obb_account *obb_account_make(const obb_elf *program, const obb_account_facts *facts, obb_arena *arena);

/* Only what it takes of the regions, its sections, and the total; of a program whose sections alone are
 * known. */
obb_account *obb_account_of_sections(const obb_elf *program, const obb_region_use *regions, size_t count,
                                     obb_arena *arena);

#endif
