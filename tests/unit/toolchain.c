#include <stdlib.h>
#include <string.h>

#include "toolchain/dialect.h"
#include "toolchain/spell.h"
#include "unit/suites.h"

static void reads_dependency_rules(void)
{
    obb_arena *arena = obb_arena_new();
    obb_words files = {0};
    obb_read_rule(arena, "/home/p", "out/a.o: src/a.c \\\n  inc/./b.h inc/../c.h /home/p/d.h \\\n my\\ file.h x$$y.h a\\#b.h\n", &files);
    static const char *const wanted[] = {"src/a.c", "inc/b.h", "c.h", "d.h", "my file.h", "x$y.h", "a#b.h"};
    CHECK_NUMBER(files.count, 7);
    for (size_t i = 0; i < files.count && i < 7; i++)
        CHECK_TEXT(files.at[i], wanted[i]);
    obb_arena_free(arena);
}

static char *spelt(obb_arena *arena, obb_language language, const obb_origin_setting *settings, size_t count, bool pic)
{
    obb_flat_settings flat = {0};
    obb_words words = {0}, more = {0};
    obb_text text = {0};
    for (size_t i = 0; i < count; i++)
        obb_arena_push(arena, &flat, settings[i]);
    obb_spell_compile("x86_64-linux-gnu", language, &flat, pic, &more, arena, &words);
    obb_text_shell_line(&text, words.at, words.count);
    char *line = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return line;
}

static void spells_portable_words(void)
{
    const obb_origin_setting settings[] = {
        {.id = OBB_SET_OPTIMIZE, .value = "none"}, {.id = OBB_SET_OPTIMIZE, .value = "size"},
        {.id = OBB_SET_STANDARD, .value = "c11"}, {.id = OBB_SET_STANDARD, .value = "c++17"},
        {.id = OBB_SET_DEBUG_INFO, .value = "full"}, {.id = OBB_SET_WARNINGS, .value = "strict fatal"},
        {.id = OBB_SET_SANITIZE, .value = "address undefined"}, {.id = OBB_SET_FLAGS, .value = "-fx"},
        {.id = OBB_SET_C_FLAGS, .value = "-c1"}, {.id = OBB_SET_CXX_FLAGS, .value = "-x1"},
        {.id = OBB_SET_ASM_FLAGS, .value = "-a1"}, {.id = OBB_SET_FREESTANDING, .value = "yes"}};
    const size_t n = sizeof settings / sizeof *settings;
    obb_arena *arena = obb_arena_new();
    CHECK_TEXT(spelt(arena, OBB_C, settings, n, false),
               "-Os -g -ffreestanding -std=c11 -Wall -Wextra -Wpedantic -Werror "
               "-fsanitize=address,undefined -fno-omit-frame-pointer -fx -c1");
    CHECK_TEXT(spelt(arena, OBB_CXX, settings, 4, true), "-Os -fPIC -std=c++17");
    CHECK_TEXT(spelt(arena, OBB_ASM_CPP, settings + 9, 2, false), "-a1");
    CHECK_TEXT(spelt(arena, OBB_ASM_INTEL, settings + 4, 7, false), "-f elf64 -g -Fdwarf -a1");
    obb_arena_free(arena);
}

static void a_macro_counts_by_its_last_definition(void)
{
    obb_arena *arena = obb_arena_new();
    obb_flat_settings flat = {0};
    obb_words defines = {0}, folders = {0};
    static const char *const macros[] = {"A=1", "AB", "A=2", "A"};
    for (size_t i = 0; i < 4; i++) {
        obb_origin_setting d = {.id = OBB_SET_DEFINE, .value = macros[i]};
        obb_origin_setting f = {.id = OBB_SET_INCLUDE, .value = i % 2 ? "x" : "y"};
        obb_arena_push(arena, &flat, d);
        obb_arena_push(arena, &flat, f);
    }
    obb_spell_defines(&flat, arena, &defines);
    obb_spell_includes(&flat, arena, &folders);
    CHECK(defines.count == 2 && strcmp(defines.at[0], "A") == 0 && strcmp(defines.at[1], "AB") == 0);
    CHECK(folders.count == 2 && strcmp(folders.at[0], "y") == 0 && strcmp(folders.at[1], "x") == 0);
    obb_arena_free(arena);
}

static void suffixes_tell_languages(void)
{
    CHECK_NUMBER(obb_language_of("a/b.c"), OBB_C);
    CHECK_NUMBER(obb_language_of("b.C"), OBB_CXX);
    CHECK_NUMBER(obb_language_of("b.S"), OBB_ASM_CPP);
    CHECK_NUMBER(obb_language_of("b.s"), OBB_ASM);
    CHECK_NUMBER(obb_language_of("b.asm"), OBB_ASM_INTEL);
    CHECK_NUMBER(obb_language_of("b.c/notes"), OBB_NO_LANGUAGE);
    CHECK(obb_is_header("x.hpp") && !obb_is_header("x.c"));
    static const obb_words none;
    CHECK_TEXT(obb_intel_format("i686-pc-linux-gnu", &none), "elf32");
    CHECK(obb_intel_format("aarch64-linux-gnu", &none) == NULL);
}

void suite_toolchain(void)
{
    harness_test("reads dependency rules", reads_dependency_rules);
    harness_test("spells portable words", spells_portable_words);
    harness_test("a macro counts by its last definition", a_macro_counts_by_its_last_definition);
    harness_test("suffixes tell languages", suffixes_tell_languages);
}
