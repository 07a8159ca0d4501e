/* How portable settings are spelt for a compiler, and what products are called.
 *
 * Spelling asks nothing and looks at no file: the same settings give the same words on every machine with
 * the same kind of compiler. */
#ifndef OBB_TOOLCHAIN_SPELL_H
#define OBB_TOOLCHAIN_SPELL_H

#include "toolchain/toolchain.h"

/* What decides the words of a compile. */
typedef struct obb_compile_facts {
    const char *machine; /* the target of the C compiler */
    obb_language language;
    const obb_flat_settings *settings;
    bool pic;            /* it ends up in a shared library */
    obb_words metadata;  /* words of metadata files */
} obb_compile_facts;

/* The words of one compile that decide how the text is read, except for include folders and
 * macros: standard, optimisation, warnings, flags as they are … in the order of layers. */
void obb_spell_compile(const obb_compile_facts *facts, obb_arena *arena, obb_words *words);

/* Include folders and macros, each once: a folder at its first mention, a macro by its last. */
void obb_spell_includes(const obb_flat_settings *settings, obb_arena *arena, obb_words *folders);
void obb_spell_defines(const obb_flat_settings *settings, obb_arena *arena, obb_words *defines);
void obb_spell_include_words(obb_language language, const obb_words *folders,
                             const obb_words *defines, obb_arena *arena, obb_words *words);

/* The words of a link that stand before its objects: for a compiler that links, or for the
 * linker itself. `machine` is the target of the C compiler. */
void obb_spell_link(const char *machine, bool linker, const obb_flat_settings *settings, obb_arena *arena,
                    obb_words *words);

/* An option for the linker, with the word behind it or NULL: as it is for the linker itself; for a compiler
 * that links as -Wl,OPTION,VALUE (GCC manual, Link Options), or by -Xlinker when a comma in it would split
 * it. */
void obb_spell_for_linker(bool linker, const char *option, const char *value, obb_arena *arena,
                          obb_words *words);

/* Object format of the Intel-syntax assembler for a machine and the flags of its compiles;
 * NULL when it has none. */
const char *obb_intel_format(const char *target, const obb_words *flags);

/* A command with its placeholders replaced: `fillings` gives the words of each; then come those that depend
 * on the variant alone, where there is one (resolve/variant.h). A word that is a placeholder alone becomes
 * all its words. */
typedef struct obb_filling {
    const char *name;
    const obb_words *words;
} obb_filling;

typedef struct obb_filling_list {
    const obb_filling *at;
    size_t count;
    const obb_variant *variant; /* or NULL */
    obb_arena *arena;
} obb_filling_list;

void obb_fill_words(const obb_words *command, const obb_filling_list *fillings, obb_words *words);

/* A compile by a custom toolchain: what its placeholders stand for. */
typedef struct obb_custom_compile {
    obb_language language;
    const char *source, *object;
    const obb_words *includes, *defines, *flags;
} obb_custom_compile;

/* Adds its words behind the program; the command of that language must be stated. */
void obb_spell_custom_compile(const obb_custom *custom, const obb_custom_compile *compile, obb_arena *arena,
                              obb_words *words);

/* Its command for a language, with placeholders; it has no words when none is stated. */
const obb_words *obb_custom_command(const obb_custom *custom, obb_language language);

/* How a custom toolchain spells a setting; nothing is added when it does not say. */
void obb_spell_custom(const obb_custom *custom, obb_language language, const obb_flat_settings *settings,
                      obb_arena *arena, obb_words *flags);
void obb_spell_custom_words(const obb_custom *custom, const char *word, const obb_words *values,
                            obb_arena *arena, obb_words *words);

/* What products are called on an operating system: bin/NAME, lib/libNAME.a, lib/libNAME.so;
 * bin/NAME.exe, bin/NAME.dll with lib/libNAME.dll.a to link with on windows; .dylib on macos.
 * A toolchain may state other suffixes. */
typedef struct obb_naming {
    const char *program, *object, *library, *shared, *import; /* import: NULL, there is none */
    const char *libraries; /* their folder, below that of the variant and below a prefix: lib */
    const char *project;   /* its name: that of the folder of plug-ins, in that of libraries */
    bool shared_in_bin, plain_names; /* plain: a library is NAME, not libNAME */
} obb_naming;

/* By the name of a system and a toolchain; that may be NULL, for names that it does not decide. */
obb_naming obb_naming_of_system(const char *os, const obb_toolchain *toolchain);

/* In a variant. */
obb_naming obb_naming_for(const obb_variant *variant, const obb_toolchain *toolchain);

/* Paths below the folder of a variant. */
char *obb_program_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                       const char *name);
char *obb_test_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder, const char *name);
char *obb_static_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                      const char *name);
char *obb_shared_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                      const char *name);

/* The same of one whose interface or file has a version: libNAME.so.3, libNAME.3.dylib, NAME-3.dll. */
char *obb_versioned_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                         const char *name, const char *version);

/* A shared library that programs load by themselves: plug-ins/NAME.so, .dll on windows. */
char *obb_plug_in_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                       const char *name);

/* The product of a target with one: of a library of both kinds the static one, or the shared one; of an image
 * its first form. */
char *obb_product_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                       const obb_target *target, bool shared);

/* What links with a shared library: itself, or its import library. */
char *obb_import_path(obb_arena *arena, const obb_naming *naming, const char *variant_folder,
                      const char *name);

#endif
