#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/process.h"
#include "scan/directives.h"
#include "scan/token_fingerprint.h"
#include "scan/linker_script.h"
#include "scan/scan.h"
#include "scan/directive_fingerprint.h"
#include "toolchain/options.h"
#include "unit/suites.h"

/* A dialect without a compiler behind it: only what the text itself decides. */
typedef struct world {
    obb_files *files;
    obb_scanner *scanner;
    obb_toolchain toolchain;
    obb_tool tool;
    obb_dialect dialect;
    obb_scan_result result;
    obb_words includes, defines;
} world;

static void begin(world *w, obb_language language, const char *macros)
{
    *w = (world){.files = obb_files_new()};
    w->scanner = obb_scanner_new(w->files);
    w->dialect = (obb_dialect){.toolchain = &w->toolchain, .tool = &w->tool, .language = language,
                               .macros = macros, .ok = true, .raw_strings = language == OBB_CXX};
    obb_vec_push(&w->includes, "inc");
}

static void end(world *w)
{
    obb_scan_result_free(&w->result);
    obb_scanner_free(w->scanner);
    obb_vec_free(&w->includes);
    obb_vec_free(&w->defines);
    obb_files_free(w->files);
}

static void scan(world *w, const char *path)
{
    const obb_preprocessor_setup *setup = obb_scanner_setup(w->scanner, &w->dialect, &w->includes, &w->defines);
    obb_scan_result_free(&w->result);
    w->result = (obb_scan_result){0};
    obb_scan(w->scanner, setup, obb_files_number(w->files, path), true, &w->result);
}

static bool reads(const world *w, const char *path)
{
    for (size_t i = 0; i < w->result.files.count; i++)
        if (strcmp(obb_files_path(w->files, w->result.files.at[i]), path) == 0)
            return true;
    return false;
}

static bool lacks(const world *w, const char *path)
{
    for (size_t i = 0; i < w->result.absent.count; i++)
        if (strcmp(obb_files_path(w->files, w->result.absent.at[i]), path) == 0)
            return true;
    return false;
}

/* Whether `#if text` is taken; -1 when it is left to the compiler. */
static int taken(const char *text, obb_language language)
{
    world w;
    char source[600];
    begin(&w, language, "#define ONE 1\n#define TEN 10\n#define ADD(a, b) ((a) + (b))\n#define EMPTY\n");
    harness_write("inc/yes.h", "");
    snprintf(source, sizeof source, "#if %s\n#include <yes.h>\n#endif\n", text);
    harness_write("c.c", source);
    scan(&w, "c.c");
    int answer = w.result.undecided ? -1 : reads(&w, "inc/yes.h");
    end(&w);
    return answer;
}

static void evaluates_conditions(void)
{
    static const char *const yes[] = {
        "1", "ONE + 2 * 3 == 7", "ADD(ONE, TEN) == 11", "-1 < 0", "-1 > 0u", "'a' == 97", "'\\0' == 0", "'ab' == 24930", "'\\0001' == '1'",
        "1 ? 2 : 0", "0 || !0", "defined ONE && !defined(TWO)", "0x10 == 16", "010 == 8",
        "0b11 == 3", "1ULL << 40 == 1099511627776", "~0u == 18446744073709551615u", "7 % 4 == 3",
        "EMPTY + 1", "1 | 2 ^ 3 & 1", "2 - 1 - 1 == 0", "-9223372036854775807 - 1 < 0", "(-1) >> 63 == -1",
        "0 && 1 / 0 || 1", "1 ? 1 : 1 / 0"};
    static const char *const no[] = {"0", "TWO", "ADD(1, -1)", "!ONE", "1 == 2", "defined TWO", "'a' > 'b'",
                                     "1 < 0 || 2 < 1", "0 ? 1 : 0"};
    static const char *const left[] = {"1 / 0", "1 +", "(1", "ADD(1", "'abcde'", "L'ab'", "''", "1.5", "TWO(3)", "@", "", "1 1",
                                       "defined", "-9223372036854775807 / 0"};
    for (size_t i = 0; i < sizeof yes / sizeof *yes; i++)
        if (!CHECK_NUMBER(taken(yes[i], OBB_C), 1))
            printf("  %s\n", yes[i]);
    for (size_t i = 0; i < sizeof no / sizeof *no; i++)
        if (!CHECK_NUMBER(taken(no[i], OBB_C), 0))
            printf("  %s\n", no[i]);
    for (size_t i = 0; i < sizeof left / sizeof *left; i++)
        if (!CHECK_NUMBER(taken(left[i], OBB_C), -1))
            printf("  %s\n", left[i]);
    CHECK_NUMBER(taken("true and not false", OBB_CXX), 1);
    CHECK_NUMBER(taken("true", OBB_C), 0);
}

static void deep_nesting_is_left_to_the_compiler(void)
{
    obb_text text = {0};
    for (int i = 0; i < 200; i++)
        obb_text_char(&text, '(');
    obb_text_char(&text, '1');
    for (int i = 0; i < 200; i++)
        obb_text_char(&text, ')');
    CHECK_NUMBER(taken(text.bytes, OBB_C), 1);
    obb_text_free(&text);
    obb_text source = {0};
    world w;
    begin(&w, OBB_C, "");
    obb_text_string(&source, "#if ");
    for (int i = 0; i < 100000; i++)
        obb_text_char(&source, i % 2 ? '!' : '(');
    obb_text_string(&source, "\n#endif\n");
    harness_write("deep.c", source.bytes);
    harness_write("self.c", "#include \"self.c\"\n");
    scan(&w, "deep.c");
    CHECK(w.result.undecided != NULL);
    scan(&w, "self.c");
    CHECK(w.result.undecided != NULL && strstr(w.result.undecided, "too deep"));
    end(&w);
    obb_text_free(&source);
}

static void notes_where_a_header_is_not(void)
{
    world w;
    begin(&w, OBB_C, "");
    obb_vec_push(&w.includes, "more");
    harness_write("src/a.c", "#include \"h.h\"\n#include <gone.h>\n");
    harness_write("more/h.h", "");
    scan(&w, "src/a.c");
    CHECK(reads(&w, "more/h.h") && lacks(&w, "src/h.h") && lacks(&w, "inc/h.h"));
    CHECK_NUMBER(w.result.missing.count, 1);
    CHECK(lacks(&w, "inc/gone.h") && lacks(&w, "more/gone.h") && !lacks(&w, "src/gone.h"));
    end(&w);
}

static void reads_a_guarded_header_once(void)
{
    world w;
    begin(&w, OBB_C, "");
    harness_write("inc/g.h", "#ifndef G\n#define G\n#include <in.h>\n#endif\n");
    harness_write("inc/in.h", "#pragma once\n#ifdef TWICE\n#include <never.h>\n#endif\n#define TWICE\n");
    harness_write("a.c", "#include <g.h>\n#include <g.h>\n#include <in.h>\n");
    scan(&w, "a.c");
    CHECK_NUMBER(w.result.files.count, 3);
    CHECK_NUMBER(w.result.missing.count, 0);
    CHECK_NUMBER(w.result.includes.count, 4);
    CHECK(w.result.includes.at[2].again && w.result.includes.at[3].again && !w.result.includes.at[1].again);
    end(&w);
}

/* What one source defines is gone in the next; what the flags define is not. */
static void sources_do_not_touch_each_other(void)
{
    world w;
    begin(&w, OBB_C, "#define BASE 1\n");
    harness_write("inc/x.h", "");
    harness_write("one.c", "#define LEAK 1\n#undef BASE\n");
    harness_write("two.c", "#if defined LEAK || !defined BASE\n#include <x.h>\n#endif\n");
    scan(&w, "one.c");
    scan(&w, "two.c");
    CHECK(!reads(&w, "inc/x.h"));
    obb_vec_push(&w.defines, "LEAK");
    scan(&w, "two.c");
    CHECK(reads(&w, "inc/x.h"));
    end(&w);
}

static unsigned random_below(unsigned *seed, unsigned limit)
{
    *seed = *seed * 1103515245 + 12345;
    return (*seed >> 12) % limit;
}

/* A text of directives about a few macros and headers, with open conditionals closed. */
static void write_directives(const char *path, unsigned *seed, bool guard)
{
    static const char *const lines[] = {
        "#define M%d %d\n", "#undef M%d\n", "#if M%d > %d\n", "#ifdef M%d\n", "#ifndef M%d\n", "#else\n", "#endif\n",
        "#include <h%d.h>\n", "#include \"h%d.h\"\n", "#import <h%d.h>\n", "#pragma once\n", "#if __INCLUDE_LEVEL__ > %d\n",
        "#define M%d M0 + M%d\n", "#if __has_include(<h%d.h>)\n", "#include <h%d.h>\n", "#include_next <h%d.h>\n",
        "#pragma push_macro(\"M%d\")\n", "#pragma pop_macro(\"M%d\")\n", "#include H%d\n", "#define H%d <h%d.h>\n"};
    obb_text text = {0};
    int open = guard;
    if (guard)
        obb_text_format(&text, "#ifndef G_%d\n#define G_%d\n", (int)strlen(path), path[4]);
    for (int i = 0; i < 8; i++) {
        unsigned k = random_below(seed, sizeof lines / sizeof *lines);
        bool closes = k == 6, other = k == 5;
        if ((closes || other) && !open)
            continue;
        open += (k >= 2 && k <= 4) || k == 11 || k == 13 ? 1 : closes ? -1 : 0;
        obb_text_format(&text, lines[k], (int)random_below(seed, 9), (int)random_below(seed, 9));
    }
    for (; open > 0; open--)
        obb_text_string(&text, "#endif\n");
    harness_write(path, text.bytes);
    obb_text_free(&text);
}

static bool same_files(const obb_file_list *a, const obb_file_list *b)
{
    return a->count == b->count && (!a->count || memcmp(a->at, b->at, a->count * sizeof *a->at) == 0);
}

/* What is remembered of reading headers must give what reading them gives. A scan that tells
 * its includes remembers nothing. */
static void remembered_readings_are_true(void)
{
    enum { ROUNDS = 150, SOURCES = 6, HEADERS = 9 };
    unsigned seed = harness_seed(3), decided = 0, many = 0;
    for (int round = 0, rounds = harness_rounds(ROUNDS); round < rounds; round++) {
        world w;
        char path[40];
        begin(&w, OBB_C, "#define M1 4\n#define H0 <h0.h>\n");
        w.dialect.operators = (obb_words){.at = (const char *[]){"__has_include"}, .count = 1};
        if (round % 2)
            obb_vec_push(&w.includes, "second");
        for (int h = 0; h < HEADERS; h++) {
            snprintf(path, sizeof path, "%s/h%d.h", h % 4 == 3 ? "second" : "inc", h);
            write_directives(path, &seed, h % 2);
        }
        for (int i = 0; i < SOURCES * 4; i++) {
            snprintf(path, sizeof path, "r%d.c", i % SOURCES);
            if (i < SOURCES)
                write_directives(path, &seed, false);
            scan(&w, path);
            const obb_preprocessor_setup *setup = obb_scanner_setup(w.scanner, &w.dialect, &w.includes, &w.defines);
            obb_scan_result again = {0};
            obb_scan(w.scanner, setup, obb_files_number(w.files, path), false, &again);
            CHECK((again.undecided != NULL) == (w.result.undecided != NULL));
            if (!w.result.undecided)
                CHECK(same_files(&again.files, &w.result.files) && same_files(&again.absent, &w.result.absent) &&
                      again.missing.count == w.result.missing.count);
            decided += !w.result.undecided;
            many += w.result.files.count > 4;
            obb_scan_result_free(&again);
        }
        for (int h = 0; h < HEADERS; h++) {
            snprintf(path, sizeof path, "%s/h%d.h", h % 4 == 3 ? "second" : "inc", h);
            remove(path);
        }
        end(&w);
    }
    CHECK(decided > ROUNDS * SOURCES * 2 && many > ROUNDS); /* it is about something */
}

static void embeds_what_is_there(void)
{
    world w;
    begin(&w, OBB_C, "");
    w.dialect.operators = (obb_words){.at = (const char *[]){"__has_include", "__has_embed"}, .count = 2};
    w.dialect.embed_folders = (obb_words){.at = (const char *[]){"data"}, .count = 1};
    harness_write("data/a.bin", "abc");
    harness_write("src/b.bin", "");
    harness_write("inc/yes.h", "");
    harness_write("src/e.c", "#define NAME <a.bin>\n#if __has_embed(NAME) == 1 && __has_embed(\"b.bin\") == 2 && !__has_embed(<b.bin>)\n"
                             "#include <yes.h>\n#endif\nchar x[] = {\n#embed <a.bin> limit(2)\n,\n#embed \"b.bin\" if_empty(0)\n};\n");
    scan(&w, "src/e.c");
    CHECK_TEXT(w.result.undecided ? w.result.undecided : "", "");
    CHECK(reads(&w, "data/a.bin"));
    CHECK(reads(&w, "src/b.bin"));
    CHECK(reads(&w, "inc/yes.h"));
    CHECK(lacks(&w, "data/b.bin") && !lacks(&w, "src/a.bin"));
    CHECK(w.result.text_matters && !w.result.trigraphs_alone); /* what is embedded has no comments */
    w.dialect.trigraphs = true;
    scan(&w, "src/e.c");
    CHECK(w.result.text_matters && !w.result.trigraphs_alone);
    w.dialect.trigraphs = false;
    harness_write("src/g.c", "#embed \"gone.bin\"\n");
    scan(&w, "src/g.c");
    CHECK(w.result.undecided != NULL);
    harness_write("src/p.c", "#if __has_embed(\"b.bin\" limit(0))\n#endif\n");
    scan(&w, "src/p.c");
    CHECK(w.result.undecided != NULL);
    end(&w);
    begin(&w, OBB_C, ""); /* a compiler that knows no #embed */
    scan(&w, "src/e.c");
    CHECK(!reads(&w, "src/b.bin"));
    end(&w);
}

static void trigraphs_are_a_matter_of_the_dialect(void)
{
    world w;
    static const char source[] = "?" "?=include <yes.h>\n// comment ?" "?/\n#include <no.h>\n";
    harness_write("inc/yes.h", "");
    harness_write("t.c", source);
    for (int trigraphs = 0; trigraphs < 2; trigraphs++) {
        begin(&w, OBB_C, "");
        w.dialect.trigraphs = trigraphs;
        scan(&w, "t.c");
        CHECK_NUMBER(reads(&w, "inc/yes.h"), trigraphs);
        CHECK(w.result.text_matters == w.dialect.trigraphs && w.result.trigraphs_alone == w.dialect.trigraphs);
        CHECK_NUMBER(w.result.missing.count, !trigraphs);
        end(&w);
    }
    char all[] = "?" "?=?" "?/?" "?'?" "?(?" "?)?" "?!?" "?<?" "?>?" "?-?" "?x?" "?" "?=";
    CHECK_NUMBER(obb_replace_trigraphs(all, sizeof all - 1), 14);
    CHECK_TEXT(all, "#\\^[]|{}~?" "?x?#");
}

static void intel_syntax_has_its_own_directives(void)
{
    world w;
    begin(&w, OBB_ASM_INTEL, "");
    obb_vec_push(&w.defines, "WIDE=1");
    harness_write("inc/a.inc", "%define A 2\n");
    harness_write("b.bin", "");
    harness_write("t.asm", "%INCLUDE 'a.inc'\n%if A = 2 && WIDE\nx: incbin \"b.bin\" ; it's\n%else\n"
                           "%include \"no.inc\"\n%endif\ndb 'incbin', \"%include\" ; %include 'no'\n");
    scan(&w, "t.asm");
    CHECK(w.result.undecided == NULL && w.result.missing.count == 0);
    CHECK(reads(&w, "inc/a.inc") && reads(&w, "b.bin"));
    static const struct { bool sure; const char *text; } cases[] = {
        {false, "%if label > 2\n%include 'a.inc'\n%endif\n"},
        {false, "%define A 6\n%if A & 3 == 2\n%include 'a.inc'\n%endif\n"},     /* binds another way in C */
        {false, "%if 010 == 10\n%include 'a.inc'\n%endif\n"},                    /* decimal */
        {false, "%define A -6\n%if A / 2 == -3\n%include 'a.inc'\n%endif\n"},   /* without a sign */
        {false, "%if __BITS__ == 64\n%include 'a.inc'\n%endif\n"},
        {false, "%strlen L 'abc'\n%ifdef L\n%include 'a.inc'\n%endif\n"},
        {false, "%macro m 0\n%define A\n%endmacro\nm\n%ifdef A\n%include 'a.inc'\n%endif\n"},
        {false, "%macro m 1\n%define %1\n%endmacro\nm A\n%ifdef A\n%include 'a.inc'\n%endif\n"},
        {false, "%assign A 1\n%define B A\n%macro m 0\n%assign A 2\n%endmacro\nm\n%if B == 1\n%include 'a.inc'\n%endif\n"},
        {false, "%assign A 1\n%macro m 0\n%assign A 2\n%endmacro\nm\n%xdefine B A\n%if B == 1\n%include 'a.inc'\n%endif\n"},
        {false, "%macro m 0\n%assign A 2\n%endmacro\n%assign A 1\n%define B A\nm\n%if B == 1\n%include 'a.inc'\n%endif\n"},
        {false, "%rep 0\n%assign A 1\n%endrep\n%ifdef A\n%include 'a.inc'\n%endif\n"},
        {false, "%assign A label\n"},
        {false, "%define N A\n%define %[N] 1\n%ifdef A\n%include 'a.inc'\n%endif\n"},
        {false, "%define N 1\n%define A%[N] 1\n%ifdef A1\n%include 'a.inc'\n%endif\n"},
        {false, "%define N 1\n%assign A%[N] 1\n%ifdef A1\n%include 'a.inc'\n%endif\n"},
        {false, "%define N 1\n%define A1\n%ifdef A%[N]\n%include 'a.inc'\n%endif\n"},
        {true, "%assign A 1\n%assign B A + 1\n%assign A 5\n%if B = 2\n%include 'a.inc'\n%endif\n"}, /* the value of then */
        {true, "%define A 1\n%xdefine B A\n%define A 5\n%if B == 1\n%include 'a.inc'\n%endif\n"},
        {true, "%define A 1\n%define B A\n%define A 5\n%if B == 5\n%include 'a.inc'\n%endif\n"},
        {true, "%define A 1\n%xdefine A A + 1\n%xdefine A A + 1\n%if A == 3\n%include 'a.inc'\n%endif\n"},
        {true, "%assign A 1\n%assign A A + 1\n%assign A A + 1\n%if A == 3\n%include 'a.inc'\n%endif\n"},
        {true, "%assign A -1\n%if A < 0\n%include 'a.inc'\n%endif\n"},
        {true, "%macro m 0\n%ifdef A\nnop\n%else\n%endif\n%endmacro\n%ifndef A\n%include 'a.inc'\n%endif\n"},
        {true, "%if 1\n%include 'a.inc'\n%else\n%if 1\n%else\n%include 'b.bin'\n%endif\n%endif\n"},
        {true, "%if 0\n%if 0\n%else\n%include 'b.bin'\n%endif\n%else\n%include 'a.inc'\n%endif\n"}};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        harness_write("u.asm", cases[i].text);
        scan(&w, "u.asm");
        CHECK(cases[i].sure ? !w.result.undecided && reads(&w, "inc/a.inc") && !reads(&w, "b.bin") : w.result.undecided != NULL);
    }
    end(&w);
}

/* A text can make macros grow for ever, or nest as deep as it is long. */
/* Compilers take the line on which it, or the macro that brings it, stands. */
static void lines_within_a_directive_are_left_to_the_compiler(void)
{
    static const struct { const char *text; bool told; } cases[] = {
        {"#if __LINE__ == 1\n#endif\n", true}, {"#if 1 && \\\n__LINE__ == 2\n#endif\n", false},
        {"#if 1 && /*\n*/ __LINE__ == 2\n#endif\n", false}, {"#if 0\n#elif \\\n__LINE__\n#endif\n", false},
        {"#define L __LINE__\n#if 1 && \\\nL\n#endif\n", false}, {"#if 1 \\\n&& 1\n#endif\n#if __LINE__\n#endif\n", true},
        {"#line \\\n5\n#if __LINE__ == 5\n#endif\n", true}};
    world w;
    begin(&w, OBB_C, "");
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        char name[20];
        snprintf(name, sizeof name, "line%zu.c", i);
        harness_write(name, cases[i].text);
        scan(&w, name);
        if (!CHECK((w.result.undecided == NULL) == cases[i].told))
            printf("case %zu\n", i);
    }
    end(&w);
}

static void endless_macros_are_left_to_the_compiler(void)
{
    obb_text text = {0};
    world w;
    begin(&w, OBB_C, "");
    for (int i = 0; i < 60; i++)
        obb_text_format(&text, "#define M%d M%d M%d\n", i, i + 1, i + 1);
    obb_text_string(&text, "#if M0\n#endif\n");
    harness_write("grow.c", text.bytes);
    scan(&w, "grow.c");
    CHECK(w.result.undecided && strstr(w.result.undecided, "without end"));
    text.length = 0;
    obb_text_string(&text, "#define F(x) x\n#if ");
    for (int i = 0; i < 50000; i++)
        obb_text_string(&text, "F(");
    obb_text_string(&text, "\n#endif\n");
    harness_write("nest.c", text.bytes);
    scan(&w, "nest.c");
    CHECK(w.result.undecided != NULL);
    end(&w);
    obb_text_free(&text);
}

/* Random lines of likely pieces: nothing may crash, whatever is decided. */
static void survives_any_text(void)
{
    static const char *const pieces[] = {"#", "if", "define", "include", " ", "X", "(", ")", "##", ",", "1", "\n",
        "\\\n", "\"", "'", "<", ">", "/*", "*/", "//", "elif", "endif", "else", "__VA_ARGS__", "...", "R\"(",
        "defined", "!", "?", ":", "%:", "#define F(x,y) x##y #x\n", "#if F(1,2)\n", "F", "pragma once", "-", "0x",
        "#define X X+X\n", "#include X\n", "undef", "\t", "é", "%include", "%if", "%endif\n", "%define", "incbin", ".include",
        ".incbin \"x\"\n", ";", "%macro\n", "$", "@", ".if", ".endif\n", ".else\n", ".elseif ", ".ifdef X\n", ".macro a\n",
        ".endm\n", ".rept 2\n", ".endr\n", ".set X,", "X = ", "X:", "<<", "&&", "%", ".include \"f/0.cpp\"\n", "?" "?/\n", "#embed"};
    world w;
    unsigned seed = harness_seed(7);
    for (int round = 0, rounds = harness_rounds(4000); round < rounds; round++) {
        static const obb_language languages[] = {OBB_CXX, OBB_ASM_CPP, OBB_ASM_INTEL, OBB_ASM};
        if (round % 1000 == 0) {
            if (round)
                end(&w);
            begin(&w, languages[round / 1000 % 4], "");
            w.dialect.trigraphs = round / 4000 % 2;
        }
        obb_text text = {0};
        char name[30];
        for (int i = 0; i < 60; i++) {
            seed = seed * 1103515245 + 12345;
            obb_text_string(&text, pieces[(seed >> 16) % (sizeof pieces / sizeof *pieces)]);
        }
        snprintf(name, sizeof name, "f/%d.cpp", round % 1000);
        harness_write(name, text.bytes);
        scan(&w, name);
        CHECK(w.result.files.count >= 1);
        obb_text_free(&text);
    }
    end(&w);
}

/* The names of files, with blanks between. */
static char *names_of(const obb_files *files, const obb_file_list *list, obb_arena *arena)
{
    obb_text text = {0};
    for (size_t i = 0; i < list->count; i++)
        obb_text_format(&text, "%s%s", i ? " " : "", obb_files_path(files, list->at[i]));
    char *names = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return names;
}

static void linker_scripts_read_others(void)
{
    obb_files *files = obb_files_new();
    obb_arena *arena = obb_arena_new();
    const char *searched[] = {".", "ld", "gen"};
    const obb_words folders = {.at = searched, .count = 3};
    obb_script_scan scan = {0};
    harness_write("ld/main.ld", "/* INCLUDE no.ld */\nINCLUDE regions.ld INCLUDE \"part one.ld\"\n# INCLUDE no.ld\n"
                                "INPUT ( objs/start.o, -lm AS_NEEDED ( ld/extra.a nowhere.o ) )\n"
                                "SECTIONS { .text : { INCLUDE ld/inner.ld } .INCLUDE : { *(.INCLUDE) } }\nINCLUDE gone.ld\n");
    harness_write("ld/part one.ld", "INCLUDE main.ld\n"); /* itself, in the end */
    harness_write("ld/inner.ld", "");
    harness_write("ld/extra.a", "x");
    harness_write("objs/start.o", "x");
    harness_write("gen/regions.ld", "MEMORY { }\n");
    obb_scan_linker_script(files, arena, "ld/main.ld", &folders, &scan);
    CHECK_TEXT(names_of(files, &scan.files, arena), "ld/main.ld gen/regions.ld ld/part one.ld ld/inner.ld");
    CHECK_NUMBER(scan.inputs.count, 4);
    CHECK_TEXT(scan.inputs.at[1], "-lm");
    CHECK_TEXT(names_of(files, &scan.absent, arena), "regions.ld ld/regions.ld part one.ld main.ld gone.ld ld/gone.ld gen/gone.ld");
    CHECK_NUMBER(scan.missing.count, 1);
    CHECK_TEXT(scan.missing.at[0].name, "gone.ld");
    CHECK_NUMBER(scan.missing.at[0].place.line, 6);
    scan = (obb_script_scan){0};
    obb_scan_linker_script(files, arena, "nowhere.ld", &folders, &scan);
    CHECK_NUMBER(scan.files.count, 0);
    obb_arena_free(arena);
    obb_files_free(files);
}

static void linker_scripts_survive_any_text(void)
{
    static const char bits[] = "INCLUDE INPUT( ) \"a /* */ * { } , ; \n GROUP # STARTUP=";
    const obb_words folders = {.at = (const char *[]){"."}, .count = 1};
    unsigned seed = harness_seed(7);
    for (int i = 0, rounds = harness_rounds(300); i < rounds; i++) {
        obb_text text = {0};
        obb_files *files = obb_files_new();
        obb_arena *arena = obb_arena_new();
        obb_script_scan scan = {0};
        for (int k = 0; k < 40; k++) {
            seed = seed * 1103515245 + 12345;
            obb_text_add(&text, bits + (seed >> 8) % (sizeof bits - 9), 1 + (seed >> 20) % 8);
        }
        harness_write("any.ld", text.bytes);
        obb_scan_linker_script(files, arena, "any.ld", &folders, &scan);
        CHECK(scan.files.count >= 1);
        obb_text_free(&text);
        obb_arena_free(arena);
        obb_files_free(files);
    }
}

static void texts_are_known_before_they_are_written(void)
{
    obb_files *files = obb_files_new();
    obb_file file = obb_files_number(files, "gen-later.h");
    obb_fingerprint fingerprint, wanted = obb_fingerprint_of("int x;", 6);
    obb_text text = {0};
    CHECK(!obb_files_is_file(files, file));
    obb_files_provide(files, file, "int x;", 6);
    CHECK(obb_files_is_file(files, file));
    CHECK(!obb_files_fingerprint(files, file, &fingerprint) && obb_fingerprint_same(fingerprint, wanted));
    CHECK(!obb_files_read(files, file, &text));
    CHECK_TEXT(text.bytes, "int x;");
    obb_files_forget(files, file);
    CHECK(!obb_files_is_file(files, file)); /* it is not written yet */
    harness_write("gen-later.h", "int x;");
    obb_files_forget(files, file);
    obb_files_provide(files, file, "int x;", 6);
    const obb_stamp *stamp = obb_files_stamp(files, file);
    CHECK(stamp && stamp->inode); /* the file itself, since it is as it should be */
    obb_text_free(&text);
    obb_files_free(files);
}

static bool alike(const char *a, const char *b)
{
    static const obb_lexis lexis = {true, true, true};
    obb_fingerprint x, y;
    return obb_token_fingerprint(a, strlen(a), &lexis, &x) && obb_token_fingerprint(b, strlen(b), &lexis, &y) && obb_fingerprint_same(x, y);
}

static bool alike_in(const char *flags, bool cxx, const char *a, const char *b)
{
    obb_arena *arena = obb_arena_new();
    obb_words words = {0};
    obb_fingerprint x, y;
    obb_split_command(flags, arena, &words);
    const obb_lexis lexis = obb_lexis_of(&words, cxx);
    bool same = obb_token_fingerprint(a, strlen(a), &lexis, &x) && obb_token_fingerprint(b, strlen(b), &lexis, &y) && obb_fingerprint_same(x, y);
    obb_arena_free(arena);
    return same;
}

/* Of flags: what they make of comments. */
static void flags_decide_what_a_comment_is(void)
{
    CHECK(alike_in("", false, "int a; // x\n", "int a; // y\n"));
    CHECK(!alike_in("-std=c89", false, "int a; // x\n", "int a; // y\n"));
    CHECK(!alike_in("-ansi", false, "int a; // x\n", "int a; // y\n"));
    CHECK(alike_in("-std=c89 -std=gnu89", false, "int a; // x\n", "int a; // y\n"));
    CHECK(alike_in("-std=c89", false, "int a; /* x */\n", "int a; /* y */\n"));
    CHECK(!alike_in("-std=c11", false, "f(1'0) // x\n", "f(1'0) // y\n"));
    CHECK(alike_in("-std=c2x", false, "f(1'0) // x\n", "f(1'0) // y\n"));
    CHECK(alike_in("", true, "f(1'0) // x\n", "f(1'0) // y\n"));
    CHECK(!alike_in("-std=c++11", true, "f(1'0) // x\n", "f(1'0) // y\n"));
    static const char *const bars[] = {"-Werror", "-Werror=comment", "-pedantic-errors", "-traditional-cpp", "@words", "-specs=x", "-fplugin=x",
                                       "-Btools", "-save-temps", "-Wimplicit-fallthrough=1", "-finput-charset=latin1"};
    for (size_t i = 0; i < sizeof bars / sizeof *bars; i++)
        if (!CHECK(!alike_in(bars[i], false, "int a; // x\n", "int a; // y\n")))
            printf("under %s\n", bars[i]);
}

/* Text by text, what a compiler reads of two that are said to be alike is the same, under each standard. */
static char *fragment(unsigned *seed)
{
    static char *const fragments[] = {"/*", "*/", "//", "\n", "\n", "\n", "\\\n", "\\ \n", " \\\n", "'", "\"", "L'a'", "'\"'", "u8\"x\"", "1'0", "0x1p-3", "?\?/",
        "?\?'", "#define X ", "#include <a//b>", "R\"(x)\"", "a", "b", " ", "\t", "\r\n", "*", "/", "<", ">", "'a'", "case'a':", "\"//\"", "\"\\\"", "don't", "#", "(", ")",
        "\\", "/\\\n/", "*\\\n/", "// x ?\?/\n", "/* x */", "// y\n", "/* z\n */", "L", "R", "u", "\f", "int v = 1;"};
    return fragments[random_below(seed, (unsigned)(sizeof fragments / sizeof *fragments))];
}

static char *preprocessed(const char *standard, const char *text)
{
    const char *argv[] = {"gcc", standard, "-E", "-w", "-x", strstr(standard, "++") ? "c++" : "c", "-", NULL};
    obb_answer a = obb_ask(argv, text);
    char *out = strdup(obb_text_bytes(&a.out));
    for (size_t n = strlen(out); n && strchr(" \n", out[n - 1]); n--) /* empty lines at the end say nothing */
        out[n - 1] = 0;
    obb_answer_free(&a);
    return out;
}

static void what_is_alike_reads_the_same(void)
{
    static char *const standards[] = {"-std=c89", "-std=gnu89", "-std=c11", "-std=gnu17", "-std=c2x", "-std=c++98", "-std=c++17", "-std=gnu++20"};
    static const char changes[] = "ab /*'\"\\x\n1?";
    unsigned seed = harness_seed(28);
    size_t compared = 0;
    for (int round = 0; round < harness_rounds(1500); round++) {
        obb_text a = {0};
        const char *standard = standards[random_below(&seed, (unsigned)(sizeof standards / sizeof *standards))];
        for (unsigned n = random_below(&seed, (unsigned)12) + 1; n; n--)
            obb_text_string(&a, fragment(&seed));
        char *b = strdup(a.bytes);
        b[random_below(&seed, (unsigned)a.length)] = changes[random_below(&seed, (unsigned)(sizeof changes - 1))];
        if (strcmp(a.bytes, b) != 0 && alike_in(standard, strstr(standard, "++") != NULL, a.bytes, b)) {
            char *x = preprocessed(standard, a.bytes), *y = preprocessed(standard, b);
            compared++;
            if (!CHECK(strcmp(x, y) == 0))
                printf("%s\n--- one:\n%s\n--- other:\n%s\n---\n", standard, a.bytes, b);
            free(x);
            free(y);
        }
        obb_text_free(&a);
        free(b);
    }
    CHECK(compared > 20);
}

static void edits_that_move_no_token_are_known(void)
{
    CHECK(alike("int a; // one\n", "int a;\n"));
    CHECK(alike("int a; // one \\\n two\nint b;\n", "int a;\n\nint b;   \t\r\n"));
    CHECK(alike("/* a */ int b; /* c\n d */\n", "/* x */ int b; /* yy\n z */ \n"));
    CHECK(alike("a/**/b", "a    b"));
    CHECK(!alike("/* a */ int b;", "/* ab */ int b;")); /* a column further */
    CHECK(!alike("/* a */\nint b;", "/* a\n */\nint b;")); /* a line further */
    CHECK(!alike("f(\"// a\");", "f(\"// b\");"));
    CHECK(!alike("f('\"', \"a\"); // x", "f('\"', \"b\"); // x"));
    CHECK(!alike("x = 1'000'000; // \"", "x = 1'000'001; // \""));
    CHECK(alike("x = 1'000'000; // \"", "x = 1'000'000; // y"));
    CHECK(!alike("case 1: /* falls through */\n", "case 1: /* stays where it */\n"));
    CHECK(!alike("\"\\\"// a\" b\n", "\"\\\"// a\" c\n"));
    CHECK(!alike("#define A // \\\n 1\n2\n", "#define A // \n 1\n2\n"));
    CHECK(alike("", "  \t"));
    CHECK(!alike("/* open", "/* oben"));
    CHECK(!alike("return f(L'a', '\"', \"//\", 1);", "return f(L'a', '\"', \"//\", 2);"));
    CHECK(!alike("case'a': v[0]=\"'//\"; return 1;", "case'a': v[0]=\"'//\"; return 2;"));
    CHECK(!alike("// a ?\?/\nreturn 1;", "// a ?\?/\nreturn 2;"));
    CHECK(!alike("/* x *\\\n/ int v = 1; /* y */", "/* x *\\\n/ int v = 2; /* y */"));
    CHECK(!alike("#define X don't /*\nint v = 1; /**/", "#define X don't /*\nint v = 2; /**/"));
    CHECK(!alike("// a \\ \nreturn 1;", "// a \\ \nreturn 2;"));
    CHECK(!alike("#include <a//b>\n", "#include <a//c>\n"));
    CHECK(alike("#define A(x) \\\n  f(x) // a\n", "#define A(x) \\\n  f(x) // b\n"));
    CHECK(alike("int a;\n", "int a;\n\n// more\n\t\n") && alike("int a;", "int a;\n") && alike("", "\n/* only */\n"));
    CHECK(!alike("int a;\n", "\nint a;\n"));
    CHECK(!alike("R\"(// a)\"", "R\"(// a)\"")); /* raw strings: nothing is told */
}

/* --- directives ---------------------------------------------------------------------- */

static bool is_asked(void *self, uint64_t name)
{
    for (const char *const *names = self; *names; names++)
        if (strcmp(*names, "*") == 0 || obb_macro_name_mark(*names) == name)
            return true;
    return false;
}

/* After scans that asked for these names. */
static bool directives_are_alike(const char *a, const char *b, obb_text_kind kind, const char *one, const char *other)
{
    const char *names[] = {one, other, NULL};
    obb_directive_fingerprint then, now;
    obb_text kept = {0};
    obb_directive_fingerprint_of(a, strlen(a), kind, &then);
    obb_directive_fingerprint_of(b, strlen(b), kind, &now);
    obb_directive_fingerprint_encode(&then, &kept);
    bool alike = obb_directives_alike(&kept, &now, is_asked, names);
    obb_vec_free(&then.macros);
    obb_vec_free(&now.macros);
    obb_text_free(&kept);
    return alike;
}

/* `wanted`: the same whatever a scan asks for (2), unless it asks for A or the line (1), never (0). */
static void directives_alone_decide_a_scan(void)
{
    static const struct { const char *a, *b; int wanted; } cases[] = {
        {"#include <a.h>\nint a;\n", "#include <a.h>\nint b = 2;\nint c;\n", 2},
        {"#include <a.h>\n", "#include <a.h> /* remark */\n", 2},
        {"#include <a.h>\n", "#include \"a.h\"\n", 0},
        {"#include <a.h>\n", "\n#include <a.h>\n", 1},
        {"#define A 1\n", "#define A 2\n", 1},
        {"#define A(x) x\n", "#define A (x) x\n", 1},
        {"#define A(x) x\n", "#define A(y) x\n", 1},
        {"#define A x y\n", "#define A xy\n", 1},
        {"#define A\n", "#define A 1\n", 1},
        {"#define A 1\n", "#define B 1\n", 0},
        {"#define A 1\n", "#undef A\n", 0},
        {"#define A 1\n#define B 1\n", "#define B 1\n#define A 1\n", 0},
        {"#define A 1\n", "#define A 1\n#define A 2\n", 0},
        {"#ifdef A\n#endif\n", "#ifndef A\n#endif\n", 0},
        {"#ifdef A\n#endif\n", "#ifdef B\n#endif\n", 0},
        {"#if A > 1\n#endif\n", "#if A >= 1\n#endif\n", 0},
        {"int a; /*\n#include <a.h>\n*/\n", "int a; /*\n#include <b.h>\n*/\n", 2},
        {"int a; /*\n#include <a.h>\n*/\n", "int a; //\n#include <a.h>\n//\n", 0},
        {"asm(\".incbin \\\"a\\\"\");\n", "asm(\".incbin \\\"b\\\"\");\n", 0},
        {"#define A asm(\".incbin \\\"a\\\"\")\n", "#define A asm(\".incbin \\\"b\\\"\")\n", 0},
        {"#define A 1\n", "#define A asm(\".incbin \\\"b\\\"\")\n", 0},
        {"#line 5\n", "#line 6\n", 1},
        {"#line 5\n", "int x;\n", 1},
        {"# 5 \"a.y\"\n", "# 6 \"a.y\"\n", 1},
        {"_Pragma(\"once\")\n", "int x;\n", 0},
        {"#pragma once\n", "#pragma once\nint x;\n", 2}};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++)
        if (!CHECK(directives_are_alike(cases[i].a, cases[i].b, OBB_TEXT_C, "B", "C") == (cases[i].wanted > 0)) ||
            !CHECK(directives_are_alike(cases[i].a, cases[i].b, OBB_TEXT_C, "A", "__LINE__") == (cases[i].wanted > 1)) ||
            !CHECK(directives_are_alike(cases[i].a, cases[i].b, OBB_TEXT_C, "*", "*") == (cases[i].wanted > 1)))
            printf("case %zu\n", i);
    CHECK(!directives_are_alike("const char *s = R\"x(\n#include <a.h>\n)x\";\n",
                                "const char *s = R\"x(\n)x\";\n#include <a.h>\n", OBB_TEXT_C_RAW, "B", "C"));
    CHECK(directives_are_alike("#define A 1\n#define B 1\n", "#define A 1\n#define B 2\n", OBB_TEXT_C, "A", "C"));
    CHECK(!directives_are_alike("#define A 1\n#define B 1\n", "#define A 1\n#define B 2\n", OBB_TEXT_C, "B", "C"));
}

void suite_scan(void)
{
    harness_test("directives alone decide a scan", directives_alone_decide_a_scan);
    harness_test("flags decide what a comment is", flags_decide_what_a_comment_is);
    harness_test("what is alike reads the same", what_is_alike_reads_the_same);
    harness_test("evaluates conditions", evaluates_conditions);
    harness_test("deep nesting is left to the compiler", deep_nesting_is_left_to_the_compiler);
    harness_test("notes where a header is not", notes_where_a_header_is_not);
    harness_test("reads a guarded header once", reads_a_guarded_header_once);
    harness_test("sources do not touch each other", sources_do_not_touch_each_other);
    harness_test("remembered readings are true", remembered_readings_are_true);
    harness_test("embeds what is there", embeds_what_is_there);
    harness_test("trigraphs are a matter of the dialect", trigraphs_are_a_matter_of_the_dialect);
    harness_test("Intel syntax has its own directives", intel_syntax_has_its_own_directives);
    harness_test("lines within a directive are left to the compiler", lines_within_a_directive_are_left_to_the_compiler);
    harness_test("endless macros are left to the compiler", endless_macros_are_left_to_the_compiler);
    harness_test("survives any text", survives_any_text);
    harness_test("linker scripts read others", linker_scripts_read_others);
    harness_test("linker scripts survive any text", linker_scripts_survive_any_text);
    harness_test("texts are known before they are written", texts_are_known_before_they_are_written);
    harness_test("edits that move no token are known", edits_that_move_no_token_are_known);
}
