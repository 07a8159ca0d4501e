/* Images and memory accounts, on files that are written here byte by byte. */
#include <elf.h>
#include <stdlib.h>
#include <string.h>

#include "base/files.h"
#include "image/account.h"
#include "image/image.h"
#include "unit/suites.h"

/* A linked program in the file `e`: .text, .data (loaded elsewhere) and .bss, four symbols. */
typedef struct maker {
    obb_text text;
    bool wide, big;
} maker;

static void put(maker *m, unsigned bytes, uint64_t value)
{
    for (unsigned i = 0; i < bytes; i++)
        obb_text_char(&m->text, (char)(value >> 8 * (m->big ? bytes - 1 - i : i)));
}

static void word(maker *m, uint64_t value)
{
    put(m, m->wide ? 8 : 4, value);
}

static void section_header(maker *m, unsigned name, unsigned type, uint64_t flags, uint64_t address,
                           uint64_t offset, uint64_t size, unsigned link, unsigned info, uint64_t entry)
{
    put(m, 4, name);
    put(m, 4, type);
    word(m, flags);
    word(m, address);
    word(m, offset);
    word(m, size);
    put(m, 4, link);
    put(m, 4, info);
    word(m, 1);
    word(m, entry);
}

static void segment(maker *m, uint64_t offset, uint64_t address, uint64_t load, uint64_t file_size, uint64_t size)
{
    put(m, 4, PT_LOAD);
    if (m->wide)
        put(m, 4, 7);
    word(m, offset);
    word(m, address);
    word(m, load);
    word(m, file_size);
    word(m, size);
    if (!m->wide)
        put(m, 4, 7);
    word(m, 1);
}

static void symbol(maker *m, unsigned name, uint64_t value, uint64_t size, unsigned info, unsigned section)
{
    put(m, 4, name);
    if (m->wide) {
        put(m, 1, info), put(m, 1, 0), put(m, 2, section);
        put(m, 8, value), put(m, 8, size);
    } else {
        put(m, 4, value), put(m, 4, size);
        put(m, 1, info), put(m, 1, 0), put(m, 2, section);
    }
}

/* .text is 20 bytes at 0x100, .data 6 at 0x1000 loaded from 0x120, .bss 16 at 0x1008. */
static void write_program(const char *path, bool wide, bool big)
{
    static const char names[] = "\0.text\0.data\0.bss\0.symtab\0.strtab\0.shstrtab";
    static const char strings[] = "\0part.c\0ring\0stroke\0table\0room";
    maker m = {.wide = wide, .big = big};
    unsigned header = wide ? 64 : 52, segments = wide ? 56 : 32, sections = wide ? 64 : 40, entry = wide ? 24 : 16;
    unsigned text = header + 2 * segments, data = text + 20, table = data + 6, string = table + 6 * entry;
    unsigned section_names = string + (unsigned)sizeof strings, headers = section_names + (unsigned)sizeof names;
    obb_text_add(&m.text, "\177ELF", 4);
    put(&m, 1, wide ? ELFCLASS64 : ELFCLASS32), put(&m, 1, big ? ELFDATA2MSB : ELFDATA2LSB), put(&m, 1, 1);
    obb_text_add(&m.text, "\0\0\0\0\0\0\0\0\0", 9);
    put(&m, 2, ET_EXEC), put(&m, 2, wide ? EM_AARCH64 : EM_PPC), put(&m, 4, 1);
    word(&m, 0x104), word(&m, header), word(&m, headers);
    put(&m, 4, 0), put(&m, 2, header), put(&m, 2, segments), put(&m, 2, 2), put(&m, 2, sections), put(&m, 2, 7), put(&m, 2, 6);
    segment(&m, text, 0x100, 0x100, 20, 20);
    segment(&m, data, 0x1000, 0x120, 6, 24);
    for (unsigned i = 0; i < 26; i++)
        put(&m, 1, i + 1);
    symbol(&m, 0, 0, 0, 0, 0);
    symbol(&m, 1, 0, 0, STT_FILE, SHN_ABS);
    symbol(&m, 13, 0x108, 8, STT_FUNC, 1);                         /* stroke: local, of part.c */
    symbol(&m, 8, 0x100, 8, (STB_GLOBAL << 4) | STT_FUNC, 1);      /* ring */
    symbol(&m, 20, 0x1000, 4, (STB_GLOBAL << 4) | STT_OBJECT, 2);  /* table */
    symbol(&m, 26, 0x1008, 16, (STB_GLOBAL << 4) | STT_OBJECT, 3); /* room */
    obb_text_add(&m.text, strings, sizeof strings);
    obb_text_add(&m.text, names, sizeof names);
    section_header(&m, 0, 0, 0, 0, 0, 0, 0, 0, 0);
    section_header(&m, 1, SHT_PROGBITS, SHF_ALLOC | SHF_EXECINSTR, 0x100, text, 20, 0, 0, 0);
    section_header(&m, 7, SHT_PROGBITS, SHF_ALLOC | SHF_WRITE, 0x1000, data, 6, 0, 0, 0);
    section_header(&m, 13, SHT_NOBITS, SHF_ALLOC | SHF_WRITE, 0x1008, table, 16, 0, 0, 0);
    section_header(&m, 18, SHT_SYMTAB, 0, 0, table, 6 * entry, 5, 3, entry);
    section_header(&m, 26, SHT_STRTAB, 0, 0, string, sizeof strings, 0, 0, 0);
    section_header(&m, 34, SHT_STRTAB, 0, 0, section_names, sizeof names, 0, 0, 0);
    CHECK_NUMBER(obb_file_write(path, m.text.bytes, m.text.length, NULL), 0);
    obb_text_free(&m.text);
}

static void elf_of_both_classes_and_byte_orders(void)
{
    for (int i = 0; i < 4; i++) {
        obb_arena *arena = obb_arena_new();
        const char *wrong = NULL;
        write_program("e", i & 1, i & 2);
        const obb_elf *e = obb_elf_read("e", arena, &wrong);
        CHECK(e != NULL);
        if (!e)
            return;
        CHECK_NUMBER(e->wide, i & 1);
        CHECK_NUMBER(e->big_endian, (i & 2) != 0);
        CHECK_TEXT(e->machine, i & 1 ? "AArch64" : "PowerPC");
        CHECK_NUMBER(e->entry, 0x104);
        CHECK_NUMBER(e->symbols.count, 4);
        const obb_elf_section *data = &e->sections.at[1];
        CHECK_TEXT(data->name, ".data");
        CHECK_NUMBER(data->load_address, 0x120);
        CHECK(data->has_contents && data->writable && !e->sections.at[2].has_contents);
        obb_arena_free(arena);
    }
}

static void accounts_add_up(void)
{
    for (int i = 0; i < 4; i++) {
        obb_arena *arena = obb_arena_new();
        const char *wrong = NULL;
        const obb_region_use regions[] = {{"flash", 0x100, 0x100, 0}, {"ram", 0x1000, 0x20, 0}};
        write_program("e", i & 1, i & 2);
        const obb_elf *e = obb_elf_read("e", arena, &wrong);
        const obb_account *a = obb_account_make(e, &(const obb_account_facts){.regions = regions, .region_count = 2}, arena);
        CHECK_NUMBER(a->regions.at[0].used, 26); /* .text, and where .data is loaded from */
        CHECK_NUMBER(a->regions.at[1].used, 22);
        CHECK_NUMBER(obb_source_bytes(&a->total), 42);
        CHECK_NUMBER(a->total.code, 20);
        CHECK_NUMBER(a->total.data, 6);
        CHECK_NUMBER(a->total.zeroed, 16);
        uint64_t sources = 0, symbols = 0, sections = 0, bare = 0;
        for (size_t k = 0; k < a->sources.count; k++)
            sources += obb_source_bytes(&a->sources.at[k]);
        for (size_t k = 0; k < a->symbols.count; k++) {
            symbols += a->symbols.at[k].size;
            bare += strcmp(a->symbols.at[k].name, "(no symbol)") == 0 ? a->symbols.at[k].size : 0;
        }
        for (size_t k = 0; k < a->sections.count; k++)
            sections += a->sections.at[k].size;
        CHECK_NUMBER(sources, 42);
        CHECK_NUMBER(symbols, 42);
        CHECK_NUMBER(sections, 42);
        CHECK_NUMBER(bare, 6); /* 4 behind stroke, 2 behind table */
        CHECK_TEXT(a->symbols.at[0].name, "room");
        CHECK_TEXT(a->sections.at[1].load_region, "flash");
        obb_arena_free(arena);
    }
}

static char *made(const obb_image_recipe *job, obb_arena *arena, size_t *length)
{
    const char *wrong = obb_image_make(job, "image", "bells.srec", arena);
    if (wrong)
        return obb_arena_string(arena, wrong);
    char *text = harness_read("image", length), *copy = obb_arena_copy(arena, text, *length);
    free(text);
    return copy;
}

static void images_are_as_their_formats_say(void)
{
    obb_arena *arena = obb_arena_new();
    obb_image_recipe job = {.format = OBB_IMAGE_BIN, .program = "e", .fill = 0xff, .fill_stated = true};
    size_t length = 0;
    write_program("e", false, true);
    const char *bin = made(&job, arena, &length);
    CHECK_NUMBER(length, 0x26);
    CHECK(bin[0] == 1 && bin[19] == 20 && (unsigned char)bin[20] == 0xff && bin[0x20] == 21);
    job.pad_to = 64;
    bin = made(&job, arena, &length);
    CHECK_NUMBER(length, 64);
    CHECK((unsigned char)bin[63] == 0xff);
    job.pad_to = 0;
    job.format = OBB_IMAGE_HEX;
    CHECK_TEXT(made(&job, arena, &length),
               ":100100000102030405060708090A0B0C0D0E0F1067\r\n:0401100011121314A1\r\n"
               ":0C011400FFFFFFFFFFFFFFFFFFFFFFFFEB\r\n:0601200015161718191A4C\r\n"
               ":0400000300000104F4\r\n:00000001FF\r\n");
    job.fill_stated = false;
    job.format = OBB_IMAGE_SREC;
    CHECK_TEXT(made(&job, arena, &length),
               "S00D000062656C6C732E7372656305\r\nS11301000102030405060708090A0B0C0D0E0F1063\r\n"
               "S1070110111213149D\r\nS109012015161718191A48\r\nS9030104F7\r\n");
    obb_arena_free(arena);
}

static void addresses_above_the_first_64_kilobytes(void)
{
    obb_arena *arena = obb_arena_new();
    obb_image_recipe job = {.format = OBB_IMAGE_HEX, .fill = 0};
    size_t length = 0;
    harness_write("part", "bell");
    obb_arena_push(arena, &job.segments, (obb_image_segment){"part", 0xfffe, 0});
    CHECK_TEXT(made(&job, arena, &length), ":02FFFE0062653A\r\n:020000021000EC\r\n:020000006C6C26\r\n:00000001FF\r\n");
    job.segments.at[0].offset = 0x8000000;
    CHECK_TEXT(made(&job, arena, &length), ":020000040800F2\r\n:0400000062656C6C5D\r\n:00000001FF\r\n");
    job.segments.at[0].offset = 0xfffff;
    CHECK_TEXT(made(&job, arena, &length),
               ":02000002F0000C\r\n:01FFFF00629F\r\n:020000020000FC\r\n:020000040010EA\r\n:03000000656C6CC0\r\n:00000001FF\r\n");
    job.format = OBB_IMAGE_SREC;
    job.segments.at[0].offset = 0x12345;
    CHECK_TEXT(made(&job, arena, &length), "S00D000062656C6C732E7372656305\r\nS20801234562656C6CEF\r\nS804000000FB\r\n");
    job.segments.at[0].offset = 0x100000000;
    CHECK(strstr(made(&job, arena, &length), "lies above 4 GiB"));
    obb_arena_free(arena);
}

static void what_is_no_elf_is_said(void)
{
    obb_arena *arena = obb_arena_new();
    const char *wrong = NULL;
    harness_write("x", "\177ELF and no more");
    CHECK(!obb_elf_read("x", arena, &wrong));
    CHECK_TEXT(wrong, "x is not an ELF file");
    CHECK(!obb_elf_read("nowhere", arena, &wrong));
    CHECK_TEXT(wrong, "cannot read nowhere: No such file or directory");
    obb_arena_free(arena);
}

/* Bytes of a program changed at random: it is read, or it is said what is wrong. */
static void damaged_programs_are_survived(void)
{
    unsigned seed = harness_seed(99);
    for (int i = 0, rounds = harness_rounds(600); i < rounds; i++) {
        size_t length = 0;
        write_program("e", i & 1, i & 2);
        char *bytes = harness_read("e", &length);
        for (int k = 0; k < 1 + i % 6; k++) {
            seed = seed * 1103515245 + 12345;
            bytes[(seed >> 8) % length] = (char)(seed >> 24);
        }
        if (i % 5 == 0)
            length = (seed >> 4) % length;
        obb_file_write("e", bytes, length, NULL);
        obb_arena *arena = obb_arena_new();
        const char *wrong = NULL;
        const obb_region_use region = {"all", 0, UINT64_MAX, 0};
        const obb_elf *e = obb_elf_read("e", arena, &wrong);
        CHECK(e || wrong);
        if (e)
            CHECK(obb_account_make(e, &(const obb_account_facts){.regions = &region, .region_count = 1}, arena) != NULL);
        const obb_image_recipe job = {.format = OBB_IMAGE_SREC, .program = "e"};
        wrong = obb_image_make(&job, "image", "e", arena);
        CHECK(!wrong || *wrong);
        free(bytes);
        obb_arena_free(arena);
    }
}

static void maps_of_linkers_are_read(void)
{
    static const char gnu[] = "Archive member included to satisfy reference by file (symbol)\n\n"
                              "Discarded input sections\n\n .text          0x00000000        0x8 out/dropped.o\n\n"
                              "Linker script and memory map\n\n"
                              ".text           0x08000000       0x70\n"
                              " .text          0x08000000       0x10 out/a.c.o\n"
                              " .text.a_name_that_is_long\n                0x08000010       0x20 lib/libt.a(b.c.o)\n"
                              " *fill*         0x08000030        0x2 \n"
                              " *fill*         0x08000032        0x2 ff\n"
                              "                0x08000010                chime\n"
                              "                0x08000034                . = ALIGN (0x4)\n"
                              ".data           0x20000000        0x8 load address 0x08000070\n"
                              " .data          0x20000000        0x8 a folder/c.o\n"
                              ".debug_aranges\n                0x08000000       0x40\n"
                              " .debug_aranges\n                0x08000000       0x40 out/d.o\n";
    static const char llvm[] = "             VMA              LMA     Size Align Out     In      Symbol\n"
                               "          201000           201000       30     4 .text\n"
                               "          201000           201000       10     4         out/a.o:(.text)\n"
                               "          201000           201000        0     1                 chime\n"
                               "          201010           201010       20     4         lib/t.a(b.o):(.text.b)\n"
                               "          201008           201008       30     1 .debug_info\n"
                               "          201008           201008       30     1         out/d.o:(.debug_info)\n";
    obb_arena *arena = obb_arena_new();
    obb_link_map g = {0}, l = {0}, none = {0};
    obb_link_map_read(gnu, arena, &g);
    CHECK_NUMBER(g.pieces.count, 4);
    CHECK_TEXT(obb_link_map_at(&g, ".text", 0x0800000f)->file, "out/a.c.o");
    CHECK_TEXT(obb_link_map_at(&g, ".text", 0x08000010)->file, "lib/libt.a(b.c.o)");
    CHECK_TEXT(obb_link_map_at(&g, ".data", 0x20000007)->file, "a folder/c.o");
    CHECK(!obb_link_map_at(&g, ".text", 0x08000030) && !obb_link_map_at(&g, ".text", 0x08000032));
    CHECK(!obb_link_map_at(&g, ".text", 0) && !obb_link_map_at(&g, ".data", 0x20000008));
    CHECK(!obb_link_map_at(&g, ".data", 0x08000000) && !obb_link_map_at(&g, ".bss", 0x20000000));
    CHECK(obb_link_map_next(&g, ".text", 0x08000000) == 0x08000010);
    CHECK(obb_link_map_next(&g, ".text", 0x08000010) == UINT64_MAX);
    obb_link_map_read(llvm, arena, &l);
    CHECK_NUMBER(l.pieces.count, 3);
    CHECK_TEXT(obb_link_map_at(&l, ".text", 0x20102f)->file, "lib/t.a(b.o)");
    CHECK_TEXT(obb_link_map_at(&l, ".debug_info", 0x201008)->file, "out/d.o");
    obb_link_map_read("# Path: a\n0x1 0x2 b\n", arena, &none);
    CHECK_NUMBER(none.pieces.count, 0);
    obb_arena_free(arena);
}

void suite_image(void)
{
    harness_test("maps of linkers are read", maps_of_linkers_are_read);
    harness_test("ELF of both classes and byte orders", elf_of_both_classes_and_byte_orders);
    harness_test("accounts add up", accounts_add_up);
    harness_test("images are as their formats say", images_are_as_their_formats_say);
    harness_test("addresses above the first 64 kilobytes", addresses_above_the_first_64_kilobytes);
    harness_test("what is no ELF is said", what_is_no_elf_is_said);
    harness_test("damaged programs are survived", damaged_programs_are_survived);
}
