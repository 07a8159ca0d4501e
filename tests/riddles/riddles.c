/* Makes sources of which it is hard to tell what they include: directives and macros at random, for the
 * preprocessor, the GNU assembler and NASM. What the scan finds in them is compared with what the tools say by
 * `oracle FOLDER`.
 *
 *     riddles FOLDER SEED COUNT       so many of each kind, with their description, in a new folder
 *
 * All that is written is valid: an error of a compiler tells nothing. */
#include <errno.h>
#include <stdarg.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "harness/harness.h"

enum { HEADERS = 12, MACROS = 8, DEEP = 4 };

static unsigned long long state;
static FILE *out;
static bool cxx;
static int nesting;

static unsigned pick(unsigned n)
{
    return harness_pick(&state, n);
}

static void say(const char *format, ...)
{
    va_list more;
    va_start(more, format);
    vfprintf(out, format, more);
    va_end(more);
}

/* --- expressions ---------------------------------------------------------------------- */

static void number(void)
{
    static const char *const forms[] = {"0", "1", "2u", "3L", "07", "0x1F", "'a'", "'\\n'", "-1", "0u", "5ul", "2147483647", "4294967295", "'\\x41'",
                                        "18446744073709551615u", "0x7fffffffffffffff"};
    static const char *const newer[] = {"1'000", "0b101", "0x1'F", "1'0u"};
    if (cxx && pick(6) == 0)
        say("%s", newer[pick(4)]);
    else
        say("%s", forms[pick(sizeof forms / sizeof *forms)]);
}

/* What __COUNTER__ is hangs on what was compiled before; of these, the last three do. */
static void count(void)
{
    static const char *const forms[] = {"(__COUNTER__ + %u == __COUNTER__ + 0)", "(TICK - %u < TICK - TICK + TICK)", "(TICK - __COUNTER__ + %u)",
                                        "(1 ? TICK != -(%u - TICK) : 0)", "(0 && __COUNTER__ > %u)", "(TICK < %u + 2)", "((TICK == TICK ? 2 : TICK) < TICK + %u)",
                                        "(ADD(TICK, %u) == TICK)"};
    say(forms[pick(12) ? pick(5) : 5 + pick(3)], pick(3));
}

/* Macros of these names may be defined or not, and as what. */
static void operand(void)
{
    switch (pick(11)) {
    case 0: say("M%u", pick(MACROS)); break;
    case 1: say("defined M%u", pick(MACROS)); break;
    case 2: say("defined(M%u)", pick(MACROS)); break;
    case 3: say("JOIN(M, %u)", pick(MACROS)); break;
    case 4: say("ADD(%u, M%u)", pick(9), pick(MACROS)); break;
    case 5: say("MANY(M%u, %u, M%u)", pick(MACROS), pick(5), pick(MACROS)); break;
    case 6: say(pick(2) ? "__has_include(\"h%u.h\")" : "__has_include(<none%u.h>)", pick(HEADERS)); break;
    case 7: count(); break;
    case 8: say("(%s %% %u)", pick(2) ? "__LINE__" : "HERE", 2 + pick(6)); break;
    default: number(); break;
    }
}

static void expression(int depth)
{
    static const char *const binary[] = {"+", "-", "*", "&", "|", "^", "<", ">", "<=", ">=", "==", "!=", "&&", "||"};
    if (depth <= 0) {
        operand();
        return;
    }
    switch (pick(7)) {
    case 0: say("(%s ", pick(2) ? "!" : "~"); expression(depth - 1); say(")"); break;
    case 1: say("("); expression(depth - 1); say(" ? "); expression(depth - 1); say(" : "); expression(depth - 1); say(")"); break;
    case 2: say("("); expression(depth - 1); say(" %s %u)", pick(2) ? "/" : "%", 1 + pick(7)); break;
    case 3: say("("); expression(depth - 1); say(" %s %u)", pick(2) ? "<<" : ">>", pick(9)); break;
    default: say("("); expression(depth - 1); say(" %s ", binary[pick(14)]); expression(depth - 1); say(")"); break;
    }
}

/* --- for the preprocessor ------------------------------------------------------------- */

static void include(void)
{
    unsigned h = pick(HEADERS);
    switch (pick(6)) {
    case 0: say("#include <h%u.h>\n", h); break;
    case 1: say("#include TEXT(JOIN(h, %u).h)\n", h); break;
    case 2: say("#undef NAME\n#define NAME \"h%u.h\"\n#include NAME\n", h); break;
    case 3: say("#define ANGLE%u <h%u.h>\n#include ANGLE%u\n#undef ANGLE%u\n", h, h, h, h); break;
    case 4: say("#  include /* a remark */ \"h%u.h\" // more\n", h); break;
    default: say("#include \"h%u.h\"\n", h); break;
    }
}

static void define(void)
{
    unsigned m = pick(MACROS);
    say("#undef M%u\n#define M%u ", m, m);
    switch (pick(6)) {
    case 0: say("(M%u + 1)\n", m); break; /* painted: not replaced again */
    case 1: say("(M%u | M%u)\n", pick(MACROS), pick(MACROS)); break;
    case 2: say("ADD(M%u, 1)\n", (m + 1) % MACROS); break;
    case 3: say("GLUE(%u, %u)\n", 1 + pick(9), pick(9)); break; /* JOIN may be what led here, and is not replaced again */
    case 4: say("\\\n  "); number(); say("\n"); break;
    default: number(); say("\n"); break;
    }
}

static void lines(int depth);

static void conditional(int depth)
{
    switch (pick(5)) {
    case 0: say("#ifdef M%u\n", pick(MACROS)); break;
    case 1: say("#ifndef M%u /* a remark */\n", pick(MACROS)); break;
    default: say("#if "); expression((int)pick(DEEP)); say("\n"); break;
    }
    lines(depth - 1);
    for (unsigned n = pick(3); n; n--) {
        say("#elif ");
        expression((int)pick(DEEP));
        say("\n");
        lines(depth - 1);
    }
    if (pick(2)) {
        say("#else\n");
        lines(depth - 1);
    }
    say("#endif\n");
}

static void lines(int depth)
{
    for (unsigned n = 1 + pick(3); n; n--)
        switch (pick(8)) {
        case 0: define(); break;
        case 7: say(pick(2) ? "#line %u // more\n" : "# %u \"other.y\"\n", 1 + pick(90)); break;
        case 1: say("#undef M%u\n", pick(MACROS)); break;
        case 2: say("%s", pick(2) ? "/* #include \"h0.h\"\n#if 1 */\n" : "// ends here \\\n#include \"h1.h\"\n"); break;
        case 3:
            say("static const char *text_%d = \"#include \\\"h2.h\\\"\"; enum { TICKS_%d = TICK };\n", nesting, nesting);
            nesting++;
            break;
        case 4:
        case 5:
            if (depth > 0) {
                conditional(depth);
                break;
            }
            include();
            break;
        default: include(); break;
        }
}

static void write_source(void)
{
    say("#define PASTE(a, b) a##b\n#define JOIN(a, b) PASTE(a, b)\n#define GLUE(a, b) a##b\n#define QUOTE(x) #x\n#define TEXT(x) QUOTE(x)\n"
        "#define ADD(a, b) ((a) + (b))\n#define TICK __COUNTER__\n#define HERE __LINE__\n#define FIRST(a, ...) (a)\n#define MANY(...) (FIRST(__VA_ARGS__, 0) + ADD(1, 2))\n");
    for (unsigned n = 6; n; n--)
        lines(DEEP);
}

/* Headers change what is asked: some are read once, some each time. */
static void write_header(unsigned h)
{
    unsigned m = pick(MACROS);
    switch (pick(4)) {
    case 0: say("#pragma once\n#define H%u\n", h); break;
    case 1: say("#ifndef H%u\n#define H%u\n#undef M%u\n#define M%u %u\n#endif\n", h, h, m, m, pick(5)); break;
    case 2: say("#undef M%u\n", m); break;
    default: say("#ifdef H%u\n#undef M%u\n#define M%u 1\n#else\n#define H%u\n#endif\n", h, m, m, h); break;
    }
    if (h + 1 < HEADERS && pick(2))
        say("#ifndef IN%u\n#define IN%u\n#include \"h%u.h\"\n#endif\n", h, h, h + 1 + pick(HEADERS - h - 1));
}

/* --- for the GNU assembler ------------------------------------------------------------ */

static bool macros; /* includes stand in macros and repetitions as well: most of these the assembler must be asked */

static void gas_lines(int depth)
{
    static const char *const tests[] = {".if", ".ifeq", ".ifne", ".ifgt", ".iflt", ".ifge", ".ifle"};
    for (unsigned n = 1 + pick(3); n; n--)
        switch (pick(macros ? 8 : 4)) {
        case 0: say(" .set s%u, %u\n", pick(MACROS), pick(5)); break;
        case 1: say(" .set s%u, s%u + 1\n", pick(MACROS / 2), MACROS / 2 + pick(MACROS / 2)); break;
        case 2:
        case 3:
            if (depth > 0) {
                if (pick(3) == 0)
                    say(" .if%sdef s%u\n", pick(2) ? "" : "n", pick(MACROS + 4));
                else
                    say(" %s s%u %c %u\n", tests[pick(7)], pick(MACROS), "+-*&|"[pick(5)], pick(5));
                gas_lines(depth - 1);
                if (pick(2)) {
                    say(" .else\n");
                    gas_lines(depth - 1);
                }
                say(" .endif\n");
                break;
            }
            say(" .include \"h%u.inc\"\n", pick(HEADERS));
            break;
        case 4: say(" take %u\n", pick(HEADERS)); break;
        case 5: say(" .rept %u\n .include \"h%u.inc\"\n .endr\n", pick(3), pick(HEADERS)); break;
        case 6: say(" .irp n, %u, %u\n .include \"h\\n\\().inc\"\n .endr\n", pick(HEADERS), pick(HEADERS)); break;
        default: say(" .include \"h%u.inc\"\n", pick(HEADERS)); break;
        }
}

static void write_gas(void)
{
    for (unsigned m = 0; m < MACROS; m++)
        say(" .set s%u, %u\n", m, pick(4));
    if (macros)
        say(" .macro take n\n .if \\n > %u\n .include \"h\\n\\().inc\"\n .endif\n .endm\n", pick(HEADERS));
    for (unsigned n = 4; n; n--)
        gas_lines(DEEP - 1);
}

/* --- for NASM ------------------------------------------------------------------------- */

static void nasm_lines(int depth)
{
    for (unsigned n = 1 + pick(3); n; n--)
        switch (pick(macros ? 9 : 5)) {
        case 0:
            if (pick(3))
                say("%%define M%u %u\n", pick(MACROS), pick(5));
            else
                say("%%%sdefine A%u (A%u + A%u)\n", pick(2) ? "x" : "", pick(MACROS / 2), MACROS / 2 + pick(MACROS / 2), MACROS / 2 + pick(MACROS / 2));
            break;
        case 1: say("%%%s A%u (A%u + 1)\n", pick(3) ? "assign" : "xdefine", pick(MACROS / 2), pick(MACROS)); break;
        case 2: say("%%undef M%u\n", pick(MACROS)); break;
        case 3:
        case 4:
            if (depth > 0) {
                if (pick(2))
                    say("%%if%sdef M%u\n", pick(2) ? "" : "n", pick(MACROS));
                else if (pick(16))
                    say("%%if A%u %s %u\n", pick(MACROS), pick(2) ? ">" : "==", pick(4));
                else
                    say("%%if A%u %c (A%u + 1) %s 0%u\n", pick(MACROS), "+-*&|^/"[pick(7)], MACROS / 2 + pick(MACROS / 2), pick(2) ? "<" : "=", pick(12));
                nasm_lines(depth - 1);
                if (pick(2)) {
                    say("%%else\n");
                    nasm_lines(depth - 1);
                }
                say("%%endif\n");
                break;
            }
            say("%%include \"h%u.inc\"\n", pick(HEADERS));
            break;
        case 5: say("take %u\n", pick(HEADERS)); break;
        case 7: say("set %u\n", pick(MACROS / 2)); break;
        case 6: say("%%rep %u\n%%include \"h%u.inc\"\n%%endrep\n", pick(3), pick(HEADERS)); break;
        default: say("%%include \"h%u.inc\"\n", pick(HEADERS)); break;
        }
}

static void write_nasm(void)
{
    for (unsigned m = 0; m < MACROS; m++)
        say("%%assign A%u %u\n", m, pick(4));
    if (macros)
        say("%%macro set 1\n%%assign A%%1 A%%1 + 1\n%%define SET%u\n%%endmacro\n%%rep %u\n%%assign A1 A1 + 1\n%%endrep\n", pick(3), pick(3));
    if (macros)
        say("%%macro take 1\n%%if %%1 > %u\n%%include \"h0.inc\"\n%%else\n%%include \"h1.inc\"\n%%endif\n%%endmacro\n", pick(HEADERS));
    for (unsigned n = 4; n; n--)
        nasm_lines(DEEP - 1);
}

/* --- all of it ------------------------------------------------------------------------ */

static void begin(const char *format, unsigned n)
{
    char path[100];
    snprintf(path, sizeof path, format, n);
    if (out)
        fclose(out);
    out = fopen(path, "w");
    if (!out) {
        perror(path);
        exit(2);
    }
}

int main(int argc, char **argv)
{
    static const char *const folders[] = {"inc", "gas", "nasm", "c", "old", "cxx"};
    if (argc != 4 || (mkdir(argv[1], 0777) && errno != EEXIST) || chdir(argv[1])) {
        fputs("riddles FOLDER SEED COUNT\n", stderr);
        return 2;
    }
    state = strtoull(argv[2], NULL, 10);
    unsigned count = (unsigned)atoi(argv[3]);
    for (size_t i = 0; i < sizeof folders / sizeof *folders; i++)
        mkdir(folders[i], 0777);
    begin("obbligato.score", 0);
    say("project riddles { version 1; include inc; default host.debug }\n"
        "library c { sources c/*.c; standard gnu17 }\nlibrary old { sources old/*.c; standard c99 }\n"
        "library cxx { sources cxx/*.cpp; standard c++17 }\n"
        "library gas { sources gas/*.s; include gas }\nlibrary nasm { sources nasm/*.asm; include nasm; only cpu=x86_64 }\n");
    for (unsigned h = 0; h < HEADERS; h++) {
        begin("inc/h%u.h", h);
        write_header(h);
        begin("gas/h%u.inc", h);
        say(" .set s%u, s%u + 1\n", pick(MACROS), pick(MACROS));
        begin("nasm/h%u.inc", h);
        say("%%assign A%u A%u + 1\n", pick(MACROS), pick(MACROS));
    }
    for (unsigned i = 0; i < count; i++) {
        macros = i % 4 == 0;
        cxx = false;
        begin("c/r%u.c", i);
        write_source();
        begin("old/r%u.c", i);
        write_source();
        cxx = true;
        begin("cxx/r%u.cpp", i);
        write_source();
        begin("gas/r%u.s", i);
        write_gas();
        begin("nasm/r%u.asm", i);
        write_nasm();
    }
    return fclose(out) ? 2 : 0;
}
