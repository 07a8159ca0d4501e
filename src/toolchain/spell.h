/* How portable settings are spelt for a compiler, and what products are called. */
#ifndef OBB_TOOLCHAIN_SPELL_H
#define OBB_TOOLCHAIN_SPELL_H

#include "toolchain/toolchain.h"

/* The words of one compile that decide how the text is read, but for include folders and
 * macros: standard, optimisation, warnings, flags as they are … in the order of layers.
 * `machine` is the target of the C compiler; words of `metadata` files are in `more`. */
void obb_spell_compile(const char *machine, obb_language language,
                       const obb_flat_settings *settings, bool pic, const obb_words *more,
                       obb_arena *arena, obb_words *words);

/* Include folders and macros, each once: a folder at its first mention, a macro by its last. */
void obb_spell_includes(const obb_flat_settings *settings, obb_arena *arena, obb_words *folders);
void obb_spell_defines(const obb_flat_settings *settings, obb_arena *arena, obb_words *defines);
void obb_spell_include_words(obb_language language, const obb_words *folders,
                             const obb_words *defines, obb_arena *arena, obb_words *words);

/* The words of a link that stand before its objects. */
void obb_spell_link(const obb_flat_settings *settings, obb_arena *arena, obb_words *words);

/* Object format of the Intel-syntax assembler for a machine; NULL when it has none. */
const char *obb_intel_format(const char *target);

/* bin/NAME, lib/libNAME.a, lib/libNAME.so: below the folder of a variant. */
char *obb_program_path(obb_arena *arena, const char *variant_folder, const char *name);
char *obb_static_path(obb_arena *arena, const char *variant_folder, const char *name);
char *obb_shared_path(obb_arena *arena, const char *variant_folder, const char *name);

#endif
