/* Reading ELF (Tool Interface Standard, Executable and Linking Format, version 1.2; System V
 * ABI for 64 bit), both classes and byte orders, by elfutils' libelf. */
#ifndef OBB_IMAGE_ELF_H
#define OBB_IMAGE_ELF_H

#include <stdbool.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

typedef struct obb_elf_section {
    const char *name;
    uint64_t address;      /* where it is when the program runs */
    uint64_t load_address; /* where it is loaded from */
    uint64_t size;         /* bytes */
    uint64_t offset, file_size; /* where it lies in the file, and how long it is there */
    bool allocated;        /* it takes memory when the program runs (the zeroed part of a thread's
                              own data does not: each thread gets a copy elsewhere) */
    bool has_contents;     /* it is in the file: bytes to be loaded */
    bool writable, executable;
    bool constants;        /* it is only read: among them strings, each with a NUL behind it */
    const unsigned char *bytes; /* of one with contents, in a program; in an object, of constants */
    unsigned index;
} obb_elf_section;

typedef struct obb_elf_symbol {
    const char *name;
    const char *file;      /* of a local one: the source that the compiler named; or NULL */
    uint64_t address, size;
    unsigned section;      /* index */
    bool global, function, object;
} obb_elf_symbol;

typedef struct obb_elf {
    const char *path;
    bool is_program;       /* linked: sections have their addresses */
    bool wide, big_endian; /* 64 bit; byte order */
    const char *machine;   /* "ARM", "RISC-V" ... or a number */
    uint64_t entry;
    OBB_VEC(obb_elf_section) sections;
    OBB_VEC(obb_elf_symbol) symbols; /* those with a name that are defined */
} obb_elf;

/* Reads a file; NULL with *wrong set (allocated from the arena) when it cannot be read or is
 * no ELF file. All memory is the arena's. */
obb_elf *obb_elf_read(const char *path, obb_arena *arena, const char **wrong);

/* The same without symbols and without the bytes of sections. */
obb_elf *obb_elf_read_sections(const char *path, obb_arena *arena, const char **wrong);

/* Reads the members of an archive (or one ELF file) and calls `take` for each ELF object in
 * it. False when the file cannot be read. */
bool obb_elf_each_member(const char *path, obb_arena *arena,
                         void (*take)(void *self, const char *member, const obb_elf *elf), void *self);

/* The dynamic section of a file (gABI, Dynamic Section). */
typedef struct obb_elf_dynamic {
    bool is_library;      /* it has one, and the file is a shared object */
    const char *name;     /* DT_SONAME; or NULL */
    const char *run_path; /* DT_RUNPATH, else DT_RPATH; or NULL */
    obb_words needed;     /* DT_NEEDED */
} obb_elf_dynamic;

/* The build identifier that the linker wrote (a note of the owner GNU, type NT_GNU_BUILD_ID), in hexadecimal;
 * NULL: there is none. */
const char *obb_elf_build_id(const char *path, obb_arena *arena);

/* False when the file cannot be read or is no ELF file. All memory is the arena's. */
bool obb_elf_read_dynamic(const char *path, obb_arena *arena, obb_elf_dynamic *dynamic);

/* The names of an object, or of a shared library: what others can see of it, and what it takes from others.
 */
typedef struct obb_elf_names {
    obb_words defined, wanted;
} obb_elf_names;

/* False when the file cannot be read or is no ELF file. All memory is the arena's. */
bool obb_elf_read_names(const char *path, obb_arena *arena, obb_elf_names *names);

/* Adds the symbols that it takes from shared libraries: NAME@VERSION, or NAME@Base without one. */
void obb_elf_wanted_symbols(const char *path, obb_arena *arena, obb_words *symbols);

#endif
