#include <stdlib.h>
#include <string.h>

#include "toolchain/dialect.h"
#include "toolchain/spell.h"
#include "unit/suites.h"

static void reads_dependency_rules(void)
{
    obb_arena *arena = obb_arena_new();
    obb_files *files = obb_files_new();
    obb_words named = {0};
    harness_write("tests/x", "");
    obb_read_rule(files, arena, "/home/p", "out/a.o: src/a.c \\\n  inc/./b.h tests/../c.h /home/p/d.h \\\n my\\ file.h x$$y.h a\\#b.h\n\nsrc/a.c:\n\nb: nowhere/../e.h\n",
                  &named);
    static const char *const wanted[] = {"src/a.c", "inc/b.h", "c.h", "d.h", "my file.h", "x$y.h", "a#b.h", "nowhere/../e.h"};
    CHECK_NUMBER(named.count, 8);
    for (size_t i = 0; i < named.count && i < 8; i++)
        CHECK_TEXT(named.at[i], wanted[i]);
    obb_files_free(files);
    obb_arena_free(arena);
}

/* GNU's linkers escape nothing, LLVM's does; a linker may also write as compilers do. */
static void what_linkers_report(void)
{
    obb_arena *arena = obb_arena_new();
    obb_files *files = obb_files_new();
    static const char *const texts[] = {
        "out/p x: \\\n  /usr/lib/crt1.o \\\n  sub dir/a$ #.o \\\n  b.o \\\n  z\\ y/c.o\n\nsub dir/a$ #.o:\n\nb.o:\n",
        "out/p\\ x: \\\n  /usr/lib/crt1.o \\\n  sub\\ dir/a$$\\ \\#.o \\\n  b.o\n\nsub\\ dir/a$$\\ \\#.o:\n",
        "out/p: /usr/lib/crt1.o sub\\ dir/a$$\\ \\#.o b.o"};
    static const char *const wanted[] = {"/usr/lib/crt1.o", "sub dir/a$ #.o", "b.o", "z\\ y/c.o"};
    harness_write("sub dir/a$ #.o", "");
    harness_write("z\\ y/c.o", "");
    for (size_t t = 0; t < 3; t++) {
        obb_words named = {0};
        obb_read_link_rule(files, arena, "/home/p", texts[t], &named);
        CHECK_NUMBER(named.count, t == 0 ? 4 : 3);
        for (size_t i = 0; i < named.count && i < 4; i++)
            CHECK_TEXT(named.at[i], wanted[i]);
    }
    obb_files_free(files);
    obb_arena_free(arena);
}

/* Each variable that the table names changes what a tool is, and no other does. */
static void every_variable_of_the_table_counts(void)
{
    const char *const *const tables[] = {obb_compiler_variables, obb_linker_variables};
    for (int t = 0; t < 2; t++)
        for (const char *const *name = tables[t]; *name; name++) {
            obb_fingerprint before[2], after[2];
            for (int k = 0; k < 2; k++) {
                obb_hasher *compile = obb_hasher_new(), *link = obb_hasher_new();
                unsetenv(*name);
                if (k)
                    setenv(*name, "bells", 1);
                obb_compiler_environment(compile);
                obb_linker_environment(link);
                obb_fingerprint *both = k ? after : before;
                both[0] = obb_hasher_end(compile);
                both[1] = obb_hasher_end(link);
            }
            unsetenv(*name);
            CHECK(!obb_fingerprint_same(before[t], after[t]) && obb_fingerprint_same(before[!t], after[!t]));
        }
}

static char *spelt(obb_arena *arena, obb_language language, const obb_origin_setting *settings, size_t count, bool pic)
{
    obb_flat_settings flat = {0};
    obb_words words = {0};
    obb_text text = {0};
    for (size_t i = 0; i < count; i++)
        obb_arena_push(arena, &flat, settings[i]);
    const obb_compile_facts facts = {.machine = "x86_64-linux-gnu", .language = language, .settings = &flat, .pic = pic};
    obb_spell_compile(&facts, arena, &words);
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

/* A list of words, written as one text. */
static obb_words words_of(obb_arena *arena, const char *text)
{
    obb_words words = {0};
    while (*(text += strspn(text, " "))) {
        size_t n = strcspn(text, " ");
        obb_arena_push(arena, &words, obb_arena_copy(arena, text, n));
        text += n;
    }
    return words;
}

static char *line_of(obb_arena *arena, const obb_words *words)
{
    obb_text text = {0};
    obb_text_shell_line(&text, words->at, words->count);
    char *line = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return line;
}

static void placeholders_become_words(void)
{
    obb_arena *arena = obb_arena_new();
    obb_words command = words_of(arena, "cc {flags} -o{object} {sources} {none} x{none}y {unknown}"), done = {0};
    obb_words flags = words_of(arena, "-a -b"), object = words_of(arena, "o.rel more"), sources = words_of(arena, "s.c"), none = {0};
    const obb_filling fillings[] = {{"flags", &flags}, {"object", &object}, {"sources", &sources}, {"none", &none}};
    const obb_filling_list list = {fillings, 4, NULL, arena};
    obb_fill_words(&command, &list, &done);
    CHECK_TEXT(line_of(arena, &done), "cc -a -b -oo.rel s.c xy '{unknown}'");
    obb_arena_free(arena);
}

static void custom_words_are_spelt_as_described(void)
{
    obb_arena *arena = obb_arena_new();
    obb_custom custom = {0};
    const obb_spelling spellings[] = {{"include", "-I{path}"}, {"define", "-D{name}={value}"}, {"standard", "--std-{value}"},
                                      {"optimize=size", "--small"}, {"optimize", "--level-{value}"}, {"lib", "-l{name}"}};
    for (size_t i = 0; i < 6; i++)
        obb_arena_push(arena, &custom.spellings, spellings[i]);
    obb_words folders = words_of(arena, "a b"), macros = words_of(arena, "X Y=2 Z="), done = {0};
    obb_spell_custom_words(&custom, "include", &folders, arena, &done);
    obb_spell_custom_words(&custom, "define", &macros, arena, &done);
    obb_spell_custom_words(&custom, "lib", &folders, arena, &done);
    obb_spell_custom_words(&custom, "not spelt", &folders, arena, &done);
    CHECK_TEXT(line_of(arena, &done), "-Ia -Ib -DX=1 -DY=2 -DZ= -la -lb");
    const obb_origin_setting settings[] = {
        {.id = OBB_SET_OPTIMIZE, .value = "speed"}, {.id = OBB_SET_STANDARD, .value = "c99"}, {.id = OBB_SET_STANDARD, .value = "c++17"},
        {.id = OBB_SET_FLAGS, .value = "-f"}, {.id = OBB_SET_C_FLAGS, .value = "-c1"}, {.id = OBB_SET_LTO, .value = "yes"},
        {.id = OBB_SET_OPTIMIZE, .value = "size"}};
    obb_flat_settings flat = {0};
    for (size_t i = 0; i < 7; i++)
        obb_arena_push(arena, &flat, settings[i]);
    done.count = 0;
    obb_spell_custom(&custom, OBB_C, &flat, arena, &done);
    CHECK_TEXT(line_of(arena, &done), "--std-c99 --small -f -c1"); /* lto is not spelt, so not said */
    flat.count--;
    done.count = 0;
    obb_spell_custom(&custom, OBB_C, &flat, arena, &done);
    CHECK_TEXT(line_of(arena, &done), "--std-c99 --level-speed -f -c1");
    obb_arena_free(arena);
}

static void links_are_spelt_for_who_links(void)
{
    obb_arena *arena = obb_arena_new();
    const obb_origin_setting settings[] = {
        {.id = OBB_SET_FLAGS, .value = "-mthumb"}, {.id = OBB_SET_STDLIB, .value = "support"}, {.id = OBB_SET_PIE, .value = "no"},
        {.id = OBB_SET_DROP_UNUSED, .value = "yes"}, {.id = OBB_SET_ENTRY, .value = "reset"},
        {.id = OBB_SET_LINKER_SCRIPT, .value = "b.ld"}, {.id = OBB_SET_LINK_FLAGS, .value = "-more"}};
    obb_flat_settings flat = {0};
    obb_words done = {0};
    for (size_t i = 0; i < 7; i++)
        obb_arena_push(arena, &flat, settings[i]);
    obb_spell_link("arm-none-eabi", false, &flat, arena, &done);
    CHECK_TEXT(line_of(arena, &done), "-mthumb -nostdlib -no-pie -Wl,--gc-sections -Wl,-e,reset -T b.ld -more");
    done.count = 0;
    obb_spell_link("arm-none-eabi", true, &flat, arena, &done);
    CHECK_TEXT(line_of(arena, &done), "--gc-sections -e reset -T b.ld -more"); /* the linker knows no words of the compiler */
    obb_arena_free(arena);
}

static void freestanding_words(void)
{
    obb_arena *arena = obb_arena_new();
    const obb_origin_setting settings[] = {
        {.id = OBB_SET_PIE, .value = "no"}, {.id = OBB_SET_RED_ZONE, .value = "no"}, {.id = OBB_SET_STACK_PROTECTOR, .value = "no"},
        {.id = OBB_SET_DROP_UNUSED, .value = "yes"}, {.id = OBB_SET_FLAGS, .value = "-m32"}};
    CHECK_TEXT(spelt(arena, OBB_C, settings, 5, false),
               "-fno-pie -mno-red-zone -fno-stack-protector -ffunction-sections -fdata-sections -m32");
    CHECK_TEXT(spelt(arena, OBB_C, settings, 1, true), "-fPIC"); /* what a shared library needs comes first */
    CHECK_TEXT(spelt(arena, OBB_ASM_INTEL, settings, 5, false), "-f elf32");
    obb_arena_free(arena);
}

static void products_are_called_as_the_system_wants(void)
{
    obb_arena *arena = obb_arena_new();
    obb_toolchain odd = {.object_suffix = ".rel", .library_suffix = ".lib", .program_suffix = ".ihx"};
    obb_naming n = obb_naming_of_system("linux", NULL), w = obb_naming_of_system("windows", NULL), m = obb_naming_of_system("macos", NULL),
               o = obb_naming_of_system("none", &odd);
    CHECK_TEXT(obb_program_path(arena, &n, "out/v", "p"), "out/v/bin/p");
    CHECK_TEXT(obb_shared_path(arena, &n, "out/v", "l"), "out/v/lib/libl.so");
    CHECK_TEXT(obb_import_path(arena, &n, "out/v", "l"), "out/v/lib/libl.so");
    CHECK_TEXT(obb_program_path(arena, &w, "out/v", "p"), "out/v/bin/p.exe");
    CHECK_TEXT(obb_shared_path(arena, &w, "out/v", "l"), "out/v/bin/l.dll");
    CHECK_TEXT(obb_import_path(arena, &w, "out/v", "l"), "out/v/lib/libl.dll.a");
    CHECK_TEXT(obb_static_path(arena, &w, "out/v", "l"), "out/v/lib/libl.a");
    CHECK_TEXT(obb_shared_path(arena, &m, "out/v", "l"), "out/v/lib/libl.dylib");
    CHECK_TEXT(obb_program_path(arena, &o, "out/v", "p"), "out/v/bin/p.ihx");
    CHECK_TEXT(obb_static_path(arena, &o, "out/v", "l"), "out/v/lib/l.lib");
    CHECK_TEXT(o.object, ".rel");
    obb_arena_free(arena);
}

void suite_toolchain(void)
{
    harness_test("reads dependency rules", reads_dependency_rules);
    harness_test("what linkers report", what_linkers_report);
    harness_test("every variable of the table counts", every_variable_of_the_table_counts);
    harness_test("spells portable words", spells_portable_words);
    harness_test("a macro counts by its last definition", a_macro_counts_by_its_last_definition);
    harness_test("suffixes tell languages", suffixes_tell_languages);
    harness_test("placeholders become words", placeholders_become_words);
    harness_test("custom words are spelt as described", custom_words_are_spelt_as_described);
    harness_test("links are spelt for who links", links_are_spelt_for_who_links);
    harness_test("freestanding words", freestanding_words);
    harness_test("products are called as the system wants", products_are_called_as_the_system_wants);
}
