/* Torture: a project is made from a seed and edited at random, again and again. After each
 * edit the incremental build must equal a clean one byte for byte, and the build after it
 * must have nothing to do.
 *
 *     torture PROGRAM SEED EDITS [QUICK-COMPILER]
 *
 * With a quick compiler (torture/quick), thousands of edits take minutes: the project then has a
 * custom toolchain, and neither images nor shared libraries. With TORTURE_TELL in the environment, each edit is told and
 * the folder is kept; TORTURE_STORE names another folder for the store of objects than its own, or off; clean builds never
 * use it. With TORTURE_FAR (the program tests/servers/objects), there is a farm as well, with a worker: the near store vanishes, and
 * the worker and the server are killed, begun anew, and what is in it is spoilt, between builds and in them. When it fails, the seed and the number
 * of the edit are told, and the folder is kept. */
#include <signal.h>
#include <stdarg.h>
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "harness/harness.h"

enum { HEADERS = 7, SOURCES = 9, LIBRARIES = 2, FOLDERS = 3, MADE = 3, OTHERS = 4 };

typedef struct header {
    int value;
    unsigned includes; /* bits of later headers */
    int wide;          /* includes one header more when a macro is set */
    int asks;          /* includes its m<n>.h by the value of this one (-1: by the line; HEADERS and more: not) */
    int other;         /* the value in that, which takes the place of its own */
    int lines;         /* blank ones at its start */
    bool in_folder[FOLDERS]; /* inc0 is searched before inc1, that before inc2 */
    bool guarded;
} header;

typedef struct source {
    bool there;
    int value, name; /* its file is s<name>.c */
    unsigned includes;
    bool computed;   /* includes a header through a macro */
    unsigned made;   /* bits of headers that steps make */
} source;

/* A step that makes the header g<n>.h of g<n>.in. */
typedef struct step {
    int value;
    unsigned includes; /* bits of headers */
    int made;          /* a header that another step makes, and that this one includes; or 0 */
    bool also_reads;   /* and so is the text of all headers in it */
} step;

typedef struct tower {
    header headers[HEADERS];
    source sources[LIBRARIES + 1][SOURCES]; /* the last are the program's own */
    step steps[MADE];
    bool shared[LIBRARIES];
    int own[LIBRARIES + 1], form[LIBRARIES + 1]; /* what is stated of each library and the program alone */
    int level, optimize, names;
    int fetched_version, patched; /* of the archive */
    int ours, theirs, their_step, their_header; /* of the code of others */
    unsigned other_sources;
    bool uses_other;
    int mode, ram, fill, gap; /* an axis; the board's memory, image and linker script */
    bool only, extra;
    bool both, versioned, plug_in; /* of library 1: kinds, names; what the program needs at run time */
    char remark[200];
} tower;

static const char *const optimizations[] = {"none", "speed", "size"};

static tower t;
static unsigned long long state;
static const char *kept_text; /* the program of that name beside this one; or NULL */
static const char *program, *quick; /* quick: NULL for the compilers of this machine */
static bool damage_unnoticed; /* perhaps: see damage_memory */
static bool memory_lost;      /* the same, or it was removed: see kept_as_fresh */

static unsigned pick(unsigned n)
{
    return harness_pick(&state, n);
}

/* --- writing ------------------------------------------------------------------------ */

static void write_file(const char *path, const char *format, ...)
{
    char text[6000];
    va_list args;
    va_start(args, format);
    vsnprintf(text, sizeof text, format, args);
    va_end(args);
    harness_write(path, text);
}

static void write_header(int i, int folder)
{
    const header *h = &t.headers[i];
    char path[60], other[60], body[2000] = "", line[200];
    snprintf(path, sizeof path, "inc%d/h%d.h", folder, i);
    snprintf(other, sizeof other, "inc2/m%d.h", i);
    for (int k = i + 1; k < HEADERS; k++)
        if (h->includes & 1u << k) {
            snprintf(line, sizeof line, "#include %ch%d.h%c\n", k % 2 ? '<' : '"', k, k % 2 ? '>' : '"');
            strcat(body, line);
        }
    if (h->wide > i) {
        snprintf(line, sizeof line, "#if LEVEL > 2 && defined LEVEL\n#include <h%d.h>\n#endif\n", h->wide);
        strcat(body, line);
    }
    snprintf(line, sizeof line, "#undef V%d\n#define V%d (%d + %d)\n", i, i, h->value, folder * 1000);
    strcat(body, line);
    write_file(other, "#undef V%d\n#define V%d (%d + 3000)\n", i, i, h->other);
    if (h->asks < 0)
        snprintf(line, sizeof line, "#if __LINE__ > 8\n#include <m%d.h>\n#endif\n", i);
    else
        snprintf(line, sizeof line, "#if V%d > 2050\n#include <m%d.h>\n#endif\n", h->asks, i);
    if (h->asks < HEADERS)
        strcat(body, line);
    const char *blank = "\n\n\n\n" + (4 - h->lines);
    if (h->guarded)
        write_file(path, "%s#ifndef H%d\n#define H%d\n%s#endif\n", blank, i, i, body);
    else
        write_file(path, "%s#pragma once\n%s", blank, body);
}

static const char *source_path(int library, const source *s)
{
    static char path[60];
    snprintf(path, sizeof path, library < LIBRARIES ? "lib%d/s%d.c" : "main%d/s%d.c", library, s->name);
    return path;
}

static void write_source(int library, int i)
{
    const source *s = &t.sources[library][i];
    char body[3000] = "", sum[1000] = "0", line[200];
    for (int k = 0; k < HEADERS; k++) {
        if (!(s->includes & 1u << k))
            continue;
        if (s->computed)
            snprintf(line, sizeof line, "#undef NAME\n#define NAME <h%d.h>\n#include NAME\n", k);
        else
            snprintf(line, sizeof line, "#include \"h%d.h\"\n", k);
        strcat(body, line);
        snprintf(line, sizeof line, " + V%d", k);
        strcat(sum, line);
    }
    for (int k = 0; k < MADE; k++)
        if (s->made & 1u << k) {
            snprintf(line, sizeof line, "#include \"g%d.h\"\n", k);
            strcat(body, line);
            snprintf(line, sizeof line, " + G%d", k);
            strcat(sum, line);
        }
    write_file(source_path(library, s), "%sint f%d_%d(void) { return %d + LEVEL + OWN + %s; }\n", body, library,
               s->name, s->value, sum);
}

static void write_step(int i)
{
    const step *s = &t.steps[i];
    char path[60], body[1000] = "", line[100];
    for (int k = 0; k < HEADERS; k++)
        if (s->includes & 1u << k) {
            snprintf(line, sizeof line, "#include \"h%d.h\"\n", k);
            strcat(body, line);
        }
    if (s->made) {
        snprintf(line, sizeof line, "#include \"g%d.h\"\n", s->made);
        strcat(body, line);
    }
    snprintf(path, sizeof path, "g%d.in", i);
    write_file(path, "#ifndef G%d\n%s#define G%d %d\n#endif\n", i, body, i, s->value);
}

/* The steps; with compilers of this machine, a program of the project does the copying. */
static const char *step_text(void)
{
    static char text[2000];
    char line[300];
    text[0] = 0;
    if (!quick)
        strcat(text, "program copier { sources copier.c; optional yes; only os!=none }\n");
    for (int i = 0; i < MADE; i++) {
        snprintf(line, sizeof line, "step step%d { reads g%d.in%s; makes gen/g%d.h gen/g%d.txt; %s; write-text \"%d\" to gen/g%d.txt%s }\n",
                 i, i, t.steps[i].also_reads ? " remarks/*.in" : "", i, i,
                 quick ? "join {reads} to gen/g%d.h" : "run {tool:copier} {makes} {reads}", t.level, i, i == 2 ? "; optional yes" : "");
        char filled[400];
        snprintf(filled, sizeof filled, line, i);
        strcat(text, quick ? filled : line);
    }
    snprintf(line, sizeof line,
             "step copies { reads g*.in; makes gen/copies.txt gen/counts.txt; run sh -c \"cat $2 $3 > $1; wc -c < $1\" copies "
             "{out}/gen/copies.txt {reads} stdout gen/counts.txt; anywhere yes%s }\n",
             t.steps[0].also_reads ? "; env WORD=x" : "");
    strcat(text, line);
    strcat(text, quick ? "step elsewhere { makes gen/elsewhere.bin; only configuration!=release\n"
                         "    join {product:board.release/lib1} {product:board.release+mode=b/lib1} to {makes} }\n"
                       : "step elsewhere { makes gen/elsewhere.bin; join {product:board/fw} {product:board.release/fw} to {makes}; only os!=none }\n");
    return text;
}

static void write_main(void)
{
    char declared[2000] = "", sum[2000] = "0", line[100];
    for (int l = 0; l <= LIBRARIES; l++)
        for (int i = 0; i < SOURCES; i++)
            if (t.sources[l][i].there) {
                snprintf(line, sizeof line, "int f%d_%d(void);\n", l, t.sources[l][i].name);
                strcat(declared, line);
                snprintf(line, sizeof line, " + f%d_%d()", l, t.sources[l][i].name);
                strcat(sum, line);
            }
    write_file("main.c", "%sint main(void) { return (%s) & 127; }\n", declared, sum);
}

/* Statements of one target: what they change reaches that target and its users alone. */
static const char *own(int l)
{
    static const char *const forms[] = {"", "; optimize size", "; output other%d", " # remark\n", "; include inc%d", "; users { define OWN_USED=%d }"};
    static char texts[LIBRARIES + 1][200];
    char form[100];
    snprintf(form, sizeof form, forms[t.form[l]], l);
    snprintf(texts[l], sizeof texts[l], "; define OWN=%d%s", t.own[l], form);
    return texts[l];
}

static void shell(const char *format, ...);
static void write_score(void);

/* Code of others, with a description, settings and a generated header of its own. */
static const char *others(void)
{
    static char text[500];
    const char *only = quick ? "" : "; only os!=none";
    snprintf(text, sizeof text, "thirdparty peal { from folder other; define OURS=%d }\n"
             "program bells { sources bells.c; uses peal%s }\n"
             "thirdparty reed { version %d; from archive pack/{name}-{version}.tar; describe reed.score%s }\n"
             "program reeds { sources reeds.c; uses reed%s }\n",
             t.ours, only, 1 + t.fetched_version, t.patched == 1 ? "; patch pack/1.patch" : t.patched ? "; patch pack/*.patch" : "", only);
    return text;
}

static const char *used_of_others(void)
{
    return t.uses_other ? " peal" : "";
}

static void write_other_source(int i)
{
    char path[40];
    snprintf(path, sizeof path, "other/src/s%d.c", i);
    write_file(path, "#include <peal.h>\n#include \"theirs.h\"\nint peal%d = PEAL + STEP + THEIRS + OURS;\n", i);
}

static void remove_other_source(int i)
{
    char path[40];
    snprintf(path, sizeof path, "other/src/s%d.c", i);
    remove(path);
}

static void write_others(void)
{
    write_file("other/obbligato.score",
               "project peal { version 2; define THEIRS=%d; include inc }\n"
               "library peal { sources src/*.c; uses theirs; share { include inc } }\n"
               "step theirs { makes gen/theirs.h; write-text \"#define STEP %d\" to gen/theirs.h }\n"
               "configuration debug { define NEVER }\ntest none { sources nowhere.c }\n", t.theirs, t.their_step);
    write_file("other/inc/peal.h", "#define PEAL %d\n", t.their_header);
    for (int i = 0; i < OTHERS; i++)
        if (t.other_sources >> i & 1 || !i)
            write_other_source(i);
        else
            remove_other_source(i);
}

static void edit_others(void)
{
    switch (pick(7)) {
    case 0: t.theirs = (int)pick(4); break;
    case 1: t.their_step = (int)pick(4); break;
    case 2: t.their_header = (int)pick(4); break;
    case 3: case 4: t.other_sources ^= 1u << pick(OTHERS); break;
    case 5: t.ours = (int)pick(4); break;
    default: t.uses_other = !t.uses_other; break;
    }
    write_others();
    write_score();
    snprintf(t.remark, sizeof t.remark, "code of others");
}

static void write_quick_score(void)
{
    write_file("obbligato.score",
               "project tower { version 1.%d; define LEVEL=%d; include inc0 inc1 inc2; default season }\n"
               "toolchain quick { family custom; compile c %s compile {source} {object} {flags} {defines} {includes}\n"
               "    archive %s gather {library} {objects}\n    link %s gather {program} {objects} {libraries}\n"
               "    spell include \"-I{path}\" define \"-D{name}={value}\" optimize=none -O0 optimize=speed -O2 optimize=size -Os }\n"
               "platform board { set os=none cpu=quick; toolchain quick }\n"
               "axis mode { values a b c; default %c; define MODE }\n"
               "configuration debug { optimize %s }\n"
               "library lib0 { sources lib0/*.c instead lib0/{axis:mode}/*.c; uses lib1%s }\n"
               "library lib1 { sources maybe lib1/*.c lib1/base.c; when mode=b|c { define EXTRA=%d }%s }\n"
               "program main { sources main.c maybe main2/*.c; uses lib0 lib1%s%s%s }\n"
               "lineup season { board.debug board.debug+mode=c board.release }\n%s%s",
               t.level, t.level, quick, quick, quick, 'a' + t.mode, optimizations[t.optimize], own(0), t.extra, own(1),
               used_of_others(), t.only ? "; only mode=a|b" : "", own(2), step_text(), others());
}

static void write_score(void)
{
    if (quick) {
        write_quick_score();
        return;
    }
    write_file("obbligato.score",
               "project tower { version 1.%d; define LEVEL=%d; include inc0 inc1 inc2; default season }\n"
               "read board.score\n"
               "axis mode { values a b c; default %c; define MODE }\n"
               "configuration debug { optimize %s; debug-info full }\n"
               "library lib0 { sources lib0/*.c instead lib0/{axis:mode}/*.c; choose os { none { kind static } else { kind %s } } ; uses lib1%s }\n"
               "library lib1 { sources maybe lib1/*.c lib1/base.c; choose os { none { kind static } else { kind %s%s } }\n"
               "    when mode=b|c { define EXTRA=%d }%s }\n"
               "program main { sources main.c maybe main2/*.c; uses lib0 lib1%s%s; only os!=none%s%s%s }\n"
               "%s%s%s"
               "program fw { sources fw.c; uses lib1; only os=none }\n"
               "image flash { from fw; formats bin hex; fill 0x%x; only os=none }\n"
               "lineup season { host.debug host.debug+mode=c board.release }\n%s%s",
               t.level, t.level, 'a' + t.mode, optimizations[t.optimize], t.shared[0] ? "shared" : "static", own(0),
               t.both ? "both" : t.shared[1] ? "shared" : "static", t.versioned ? "; soname 1 1.2" : "", t.extra, own(1),
               t.both ? " shared" : "", used_of_others(), t.only ? " and mode=a|b" : "", t.plug_in ? "; needs ring" : "", own(2),
               t.plug_in ? "library ring { kind plug-in; sources ring.c; uses lib1; only os!=none" : "",
               t.plug_in && t.only ? " and mode=a|b" : "", t.plug_in ? " }\n" : "",
               (unsigned)t.fill, step_text(), others());
}

static void write_board(void)
{
    write_file("board.score",
               "platform board { like host; set os=none; freestanding yes; stdlib none; pic no; pie no; stack-protector no\n"
               "    entry begin; linker-script board/board.ld; link-flags -Wl,--build-id=none\n"
               "    memory { flash 0x10000 64K rx\n ram 0x%x 64K } }\n", 0x40000 + t.ram * 0x10000);
    write_file("board/gap.ld", "gap = %d;\n", t.gap * 16);
    write_file("board/board.ld",
               "INCLUDE regions.ld\nINCLUDE gap.ld\nSECTIONS { .text : { *(.text*) *(.rodata*) . += gap; } > flash\n"
               ".data : { *(.data*) } > ram AT> flash .bss : { *(.bss*) } > ram\n"
               "/DISCARD/ : { *(.note*) *(.comment) *(.eh_frame) } }\n");
    write_file("fw.c", "#include \"tower-variant.h\"\nextern int base; int started = 1;\n"
                       "void begin(void); void begin(void) { for (;;) started += base + TOWER_VERSION_MINOR; }\n");
}

static void invent(void)
{
    for (int i = 0; i < HEADERS; i++) {
        header *h = &t.headers[i];
        h->value = (int)pick(100);
        h->guarded = pick(2);
        h->asks = (int)pick(HEADERS + 3) - 1;
        h->wide = i + 1 < HEADERS ? i + 1 + (int)pick((unsigned)(HEADERS - i - 1)) : 0;
        for (int k = i + 1; k < HEADERS; k++)
            h->includes |= pick(4) == 0 ? 1u << k : 0;
        h->in_folder[2] = true;
        write_header(i, 2);
    }
    for (int l = 0; l <= LIBRARIES; l++)
        for (int i = 0; i < SOURCES; i++) {
            source *s = &t.sources[l][i];
            *s = (source){.there = i < 3, .value = (int)pick(100), .name = t.names++,
                          .includes = pick(1u << HEADERS), .computed = pick(4) == 0};
            if (s->there)
                write_source(l, i);
        }
    for (int i = 0; i < MADE; i++) {
        t.steps[i].value = (int)pick(100);
        write_step(i);
    }
    write_file("remarks/one.in", "\n");
    write_file("inc0/none.h", "\n"); /* folders that are stated must be there */
    write_file("inc1/none.h", "\n");
    write_file("copier.c", "#include <stdio.h>\n#include \"h5.h\"\nint main(int argc, char **argv)\n{\n    FILE *to = fopen(argv[1], \"w\");\n"
                           "    for (int i = 3; i < argc; i++) { FILE *from = fopen(argv[i], \"r\"); for (int c; (c = getc(from)) != EOF;) putc(c, to); fclose(from); }\n"
                           "    return fclose(to);\n}\n");
    t.uses_other = true;
    write_others();
    write_file("reeds.c", "#include <reed.h>\nint main(void) { return REED; }\n");
    write_file("reed.score", "project reed\nlibrary reed { sources *.c; share { include . } }\n");
    shell("mkdir -p pack reed; for v in 1 2; do printf '#define REED %%s\\n\\n\\n' $v > reed/reed.h; echo '#include <reed.h>' > reed/reed.c; "
          "echo 'int reed = REED;' >> reed/reed.c; tar cf pack/reed-$v.tar reed; done; rm -r reed; "
          "printf -- '--- a/reed.c\\n+++ b/reed.c\\n@@ -1,2 +1,3 @@\\n #include <reed.h>\\n int reed = REED;\\n+int patched;\\n' > pack/1.patch; "
          "printf -- '--- /dev/null\\n+++ b/more.c\\n@@ -0,0 +1 @@\\n+int more;\\n' > pack/2.patch");
    write_file("bells.c", "#include <peal.h>\nint main(void) { return PEAL; }\n");
    write_file("lib1/base.c", "int base;\n");
    write_file("ring.c", "#include \"h4.h\"\nextern int base;\nint ring(void);\nint ring(void) { return base + V4; }\n");
    t.level = 1;
    t.fill = 0xff;
    write_main();
    write_score();
    write_board();
}

/* --- edits -------------------------------------------------------------------------- */

static void shell(const char *format, ...)
{
    char line[4000], *printed;
    va_list args;
    va_start(args, format);
    vsnprintf(line, sizeof line, format, args);
    va_end(args);
    harness_shell(line, &printed);
    free(printed);
}

static source *any_source(int *library, int *index)
{
    do {
        *library = (int)pick(LIBRARIES + 1);
        *index = (int)pick(SOURCES);
    } while (!t.sources[*library][*index].there);
    return &t.sources[*library][*index];
}

static void edit_header(void)
{
    int i = (int)pick(HEADERS);
    header *h = &t.headers[i];
    if (pick(3))
        h->value = (int)pick(100);
    else
        h->other = (int)pick(100);
    h->lines = pick(3) == 0 ? (int)pick(5) : h->lines;
    h->asks = pick(6) == 0 ? (int)pick(HEADERS + 3) - 1 : h->asks;
    if (pick(3) == 0)
        for (int k = i + 1; k < HEADERS; k++)
            h->includes ^= pick(4) == 0 ? 1u << k : 0;
    for (int f = 0; f < FOLDERS; f++)
        if (h->in_folder[f])
            write_header(i, f);
    snprintf(t.remark, sizeof t.remark, "header h%d", i);
}

static void edit_source(void)
{
    int l, i;
    source *s = any_source(&l, &i);
    s->value = (int)pick(100);
    s->includes ^= 1u << pick(HEADERS);
    write_source(l, i);
    snprintf(t.remark, sizeof t.remark, "source s%d", s->name);
}

/* Comments and blanks at the ends of lines: nothing may have to be compiled. */
static void edit_remark(void)
{
    int l, i;
    source *s = any_source(&l, &i);
    if (pick(2))
        shell("sed -i '%us|$| // remark %u|; 1s|[ ]*$|  |' %s", 1 + pick(3), pick(100), source_path(l, s));
    else
        shell("sed -i '$s|[ ]*$| /* remark %u */|' inc2/h%u.h", pick(100), pick(HEADERS));
    snprintf(t.remark, sizeof t.remark, "remark");
}

static void shadow(void)
{
    int i = (int)pick(HEADERS), f = (int)pick(2);
    header *h = &t.headers[i];
    h->in_folder[f] = !h->in_folder[f];
    if (h->in_folder[f])
        write_header(i, f);
    else
        shell("rm inc%d/h%d.h", f, i);
    snprintf(t.remark, sizeof t.remark, "%s inc%d/h%d.h", h->in_folder[f] ? "a new" : "no more", f, i);
}

static void add_or_delete_source(void)
{
    int l = (int)pick(LIBRARIES + 1), i = 1 + (int)pick(SOURCES - 1);
    source *s = &t.sources[l][i];
    s->there = !s->there;
    if (s->there)
        write_source(l, i);
    else
        shell("rm %s", source_path(l, s));
    write_main();
    snprintf(t.remark, sizeof t.remark, "%s s%d", s->there ? "added" : "deleted", s->name);
}

/* A file that stands in for a source in one mode. */
static void override_source(void)
{
    int l, i;
    const source *s = any_source(&l, &i);
    unsigned mode = pick(3);
    if (l == 0)
        shell("f=lib0/%c/s%d.c; mkdir -p lib0/%c; if [ -e $f ]; then rm $f; else sed 's/return/return 5 +/' %s > $f; fi", 'a' + mode,
              s->name, 'a' + mode, source_path(l, s));
    else
        shell("rm -f lib0/%c/*.c", 'a' + mode);
    snprintf(t.remark, sizeof t.remark, "stands in for s%d", s->name);
}

/* How library 1 is made and named, and whether a plug-in is brought along. */
static void edit_library(void)
{
    switch (pick(5)) {
    case 0: t.both = !t.both; break;
    case 1: t.versioned = !t.versioned; break;
    case 2: t.plug_in = !t.plug_in; break;
    case 3: shell("rm -f out/host.debug/lib/liblib1.so.1 out/host.debug/plug-ins/ring.so"); break;
    default: shell("[ ! -e out/host.debug/lib/liblib1.so ] || ln -sfn liblib0.so out/host.debug/lib/liblib1.so");
    }
    write_score();
    snprintf(t.remark, sizeof t.remark, "library 1");
}

static void rename_source(void)
{
    int l, i;
    source *s = any_source(&l, &i);
    shell("rm %s", source_path(l, s));
    s->name = t.names++;
    write_source(l, i);
    write_main();
    snprintf(t.remark, sizeof t.remark, "renamed to s%d", s->name);
}

static void edit_step(void)
{
    int i = (int)pick(MADE), l, n;
    step *s = &t.steps[i];
    switch (pick(7)) {
    case 0: case 1: s->value = (int)pick(100); break;
    case 2: s->includes ^= 1u << pick(HEADERS); break;
    case 3: s->made = i + 1 < MADE && !s->made ? i + 1 : 0; break;
    case 4: s->also_reads = !s->also_reads; break;
    case 5: shell("if [ -e remarks/two.in ]; then rm remarks/two.in; else echo '/* two */' > remarks/two.in; fi"); break;
    default: {
        source *reader = any_source(&l, &n);
        reader->made ^= 1u << pick(MADE);
        write_source(l, n);
    }
    }
    write_step(i);
    write_score();
    snprintf(t.remark, sizeof t.remark, "step %d", i);
}

static void meddle_with_steps(void)
{
    static const char *const folders[] = {"board.release", "host.debug", "board.debug+mode=c", "host.debug+mode=c"};
    const char *folder = folders[pick(4)];
    switch (pick(3)) {
    case 0: shell("rm -f out/%s/gen/g%u.*", folder, pick(MADE)); break;
    case 1: shell("[ ! -e out/%s/gen/g0.h ] || echo '#error changed' >> out/%s/gen/g0.h", folder, folder); break;
    default: shell("rm -f out/host.release/bin/copier"); break;
    }
    snprintf(t.remark, sizeof t.remark, "what steps made");
}

static void edit_description(void)
{
    unsigned what = pick(3);
    if (what == 0)
        t.level = (int)pick(5);
    else if (what == 1)
        t.optimize = (int)pick(3);
    else {
        unsigned l = pick(LIBRARIES);
        t.shared[l] = !t.shared[l];
    }
    write_score();
    snprintf(t.remark, sizeof t.remark, "description");
}

/* One target, as people do it most, and what it is made of with it. */
static void edit_target(void)
{
    unsigned l = pick(LIBRARIES + 1);
    if (pick(3))
        t.own[l] = (int)pick(4);
    else
        t.form[l] = (int)pick(l < LIBRARIES ? 6 : 5); /* a program has no `users` */
    write_score();
    switch (pick(6)) {
    case 0: edit_source(); break;
    case 1: edit_header(); break;
    default: break;
    }
    snprintf(t.remark, sizeof t.remark, "target %u", l);
}

static void edit_variants(void)
{
    switch (pick(5)) {
    case 0: t.mode = (int)pick(3); break;
    case 1: t.only = !t.only; break;
    case 2: t.extra = !t.extra; break;
    case 3: t.fill = (int)pick(256); break;
    default:
        t.ram = (int)pick(4);
        t.gap = (int)pick(4);
    }
    write_score();
    write_board();
    snprintf(t.remark, sizeof t.remark, "variants");
}

static void touch_something(void)
{
    int l, i;
    source *s = any_source(&l, &i);
    const char *path = source_path(l, s);
    switch (pick(6)) {
    case 4: shell("touch -d '2040-02-03' %s", path); break;
    case 5: shell("touch -d @%u %s", 1700000000 + pick(3), path); break; /* whole seconds */
    case 0: shell("touch %s", path); break;
    case 1: shell("touch -d '2001-02-03' %s", path); break;
    case 2: shell("cp %s x && mv x %s", path, path); break;
    default: shell("touch inc2/h%u.h", pick(HEADERS)); break;
    }
    snprintf(t.remark, sizeof t.remark, "touched");
}

/* New contents of the same size under the old time stamp. */
static void edit_behind_the_clock(void)
{
    int l, i;
    source *s = any_source(&l, &i);
    char path[60];
    snprintf(path, sizeof path, "%s", source_path(l, s));
    shell("cp -p %s stamp", path);
    s->value = s->value >= 50 ? s->value - 40 : s->value + 40;
    if (s->value < 10)
        s->value += 10;
    write_source(l, i);
    shell("touch -r stamp %s; rm stamp", path);
    snprintf(t.remark, sizeof t.remark, "s%d under its old time stamp", s->name);
}

static void meddle_with_outputs(void)
{
    switch (pick(7)) {
    case 4: shell("rm -f out/board.release/gen/*"); break;
    case 5: shell("echo x >> out/board.release/img/flash.hex; rm -f out/board.release/img/flash.bin"); break;
    case 6: shell("[ ! -e out/board.release/gen/regions.ld ] || echo x >> out/board.release/gen/regions.ld; rm -rf out/host.debug+mode=c"); break;
    case 0: shell("f=$(find out -name '*.o' | sort | sed -n %up); [ -z \"$f\" ] || rm \"$f\"", 1 + pick(8)); break;
    case 1: shell("f=$(find out -name '*.o' | sort | sed -n %up); [ -z \"$f\" ] || echo x >> \"$f\"", 1 + pick(8)); break;
    case 2: shell("rm -f out/host.debug/bin/main out/host.debug/lib/liblib0.*"); break;
    default: shell("rm -f out/.obbligato/state.db*"); memory_lost = true; break;
    }
    snprintf(t.remark, sizeof t.remark, "outputs");
}

/* A byte of what is remembered, somewhere. It may be noticed by a later build only: one that takes the short way does not
 * read all of it, and a damaged key between the pages of the store shows when something was put there twice. It costs one
 * build that makes all anew, told as what it is. */
static void damage_memory(void)
{
    static const char *const files[] = {"state.db", "ready-*", "made", "state.db-wal"};
    damage_unnoticed = memory_lost = true;
    if (pick(2))
        shell("rm -f out/.obbligato/ready-*");
    shell("for f in out/.obbligato/%s; do [ -s $f ] && printf '\\%o' | dd of=$f bs=1 conv=notrunc status=none "
          "seek=$(($(wc -c < $f) * %u / 1000)); done", files[pick(4)], pick(256), pick(1000));
    snprintf(t.remark, sizeof t.remark, "damaged memory");
}

/* Symbolic and hard links: files and folders become links and back, links lead elsewhere from now on, or nowhere, or
 * their targets appear. (From the root: the folders that they lie in move.) */
static void link_something(void)
{
    static const char *const folders[] = {"inc0", "inc1", "inc2", "lib0", "lib1", "main2"};
    int l, n;
    const source *s = any_source(&l, &n);
    unsigned i = pick(HEADERS), f = pick(2);
    const char *path = source_path(l, s), *folder = folders[pick(6)], *name = strchr(path, '/') + 1;
    shell("mkdir -p far/files far/folders far/deep");
    switch (pick(9)) {
    case 0: shell("[ -L inc2/h%u.h ] || { mv inc2/h%u.h far/files/ && ln -s \"$PWD/far/files/h%u.h\" inc2/h%u.h; }", i, i, i, i); break;
    case 1: shell("[ ! -L inc2/h%u.h ] || { cp inc2/h%u.h x && rm inc2/h%u.h && mv x inc2/h%u.h; }", i, i, i, i); break;
    case 2: shell("[ -L %s ] || { [ ! -d %s ] || { rm -rf far/folders/%s && mv %s far/folders/ && ln -s far/folders/%s %s; }; }", folder, folder, folder, folder, folder, folder); break;
    case 3: shell("[ ! -L %s ] || { cp -r %s/ x && rm %s && mv x %s; }", folder, folder, folder, folder); break;
    case 4: shell("[ ! -L %s ] || { cp -r %s/ x && rm -rf far/deep/%s && mv x far/deep/%s && ln -sfn far/deep/%s %s; }", folder, folder, folder, folder, folder, folder); break;
    case 5: shell("[ -L %s ] || { cp %s far/files/%s && ln -sf \"$PWD/far/files/%s\" %s; }", path, path, name, name, path); break;
    case 6: shell("ln -f inc2/h%u.h far/files/hard%u.h; sed -i 's/^#undef/#undef/' far/files/hard%u.h", i, i, i); break;
    case 7: shell("[ -e inc%u/h%u.h ] || ln -s \"$PWD/far/files/later%u.h\" inc%u/h%u.h", f, i, i, f, i); break;
    default: shell("[ ! -L inc%u/h%u.h ] || cp inc2/h%u.h far/files/later%u.h", f, i, i, i); break;
    }
    shell("rm -f x");
    snprintf(t.remark, sizeof t.remark, "links");
}

/* A copy of a file or a folder is bound to its place, and is what stands there: until the next edit. Where that is not
 * allowed, nothing happens. */
static char bound[100];

static void bind_something(void)
{
    char *printed, line[400];
    if (pick(2))
        snprintf(bound, sizeof bound, "inc2/h%u.h", pick(HEADERS));
    else
        snprintf(bound, sizeof bound, "inc%u", pick(3));
    snprintf(line, sizeof line, "mkdir -p far && rm -rf far/bound && cp -rL %s far/bound && mount --bind far/bound %s", bound, bound);
    if (harness_shell(line, &printed))
        bound[0] = 0;
    free(printed);
    snprintf(t.remark, sizeof t.remark, "bound %s", *bound ? bound : "nothing");
}

static void unbind(void)
{
    char *printed, line[200];
    snprintf(line, sizeof line, "umount -l %s", bound);
    if (*bound) {
        harness_shell(line, &printed);
        free(printed);
    }
    bound[0] = 0;
}

/* What was fetched: edited inside, another version, patched otherwise, its edits made a patch or dropped, gone; and the
 * fetch of it killed. A tree that was edited stays when the statement changes: then the edits are dropped on purpose. */
static pid_t begin_build(void);
static void wait_a_little(unsigned milliseconds);

static void edit_fetched(void)
{
    int version = 1 + t.fetched_version;
    pid_t child;
    switch (pick(8)) {
    case 0: case 1: shell("sed -i '1s/.*/#define REED %u/' out/thirdparty/reed-%d/reed.h", pick(9), version); break;
    case 2: shell("echo 'int more%u;' > out/thirdparty/reed-%d/own%u.c", pick(9), version, pick(2)); break;
    case 3: shell("rm -f out/thirdparty/reed-%d/own?.c", version); break;
    case 4: t.fetched_version = !t.fetched_version; break;
    case 5: t.patched = (int)pick(3); break;
    case 6: shell("rm -rf out/thirdparty/reed-%d", version); break;
    default:
        shell("rm -rf out/thirdparty/reed-%d", version);
        child = begin_build();
        wait_a_little(60);
        kill(child, SIGKILL);
        waitpid(child, NULL, 0);
    }
    write_score();
    shell("%s fetch -q || %s fetch -q --drop-edits", program, program);
    if (pick(4) == 0) /* the edits as a patch: taken back by it, and made again */
        shell("%s patch reed --to kept.patch -q && [ -s kept.patch ] || exit 0; for way in -R -s; do "
              "patch -s -p1 $way -d out/thirdparty/reed-%d < kept.patch || echo '#error patch' >> main.c; done; rm -f kept.patch",
              program, 1 + t.fetched_version);
    snprintf(t.remark, sizeof t.remark, "fetched code");
}

static pid_t begin_build(void)
{
    pid_t child = fork();
    if (child == 0) {
        if (!freopen("/dev/null", "w", stdout) || !freopen("/dev/null", "w", stderr))
            _exit(1);
        execl(program, program, "build", "-q", (char *)NULL);
        _exit(127);
    }
    return child;
}

/* Up to so many milliseconds; builds with the quick compiler are shorter. */
static void wait_a_little(unsigned milliseconds)
{
    struct timespec wait = {.tv_nsec = (long)pick(quick ? milliseconds / 2 : milliseconds) * 1000000};
    nanosleep(&wait, NULL);
}

static void two_builds_at_once(void)
{
    edit_header();
    pid_t first = begin_build(), second = begin_build();
    waitpid(first, NULL, 0);
    waitpid(second, NULL, 0);
    snprintf(t.remark, sizeof t.remark, "two builds at once");
}

static void edit_while_it_is_built(void)
{
    edit_header();
    pid_t child = begin_build();
    for (int i = 0; i < 3; i++) {
        wait_a_little(40);
        if (pick(2))
            edit_source();
        else
            edit_header();
    }
    waitpid(child, NULL, 0);
    snprintf(t.remark, sizeof t.remark, "edits while it was built");
}

/* A source that cannot be read for one build. */
static void unreadable_source(void)
{
    int l, i;
    char path[60];
    const source *s = any_source(&l, &i);
    snprintf(path, sizeof path, "%s", source_path(l, s));
    shell("mv %s kept && mkdir %s && %s build -q; rmdir %s && mv kept %s", path, path, program, path, path);
    snprintf(t.remark, sizeof t.remark, "%s was unreadable", path);
}

/* Starts a build and ends it at a random instant. */
static void broken_build(void)
{
    int signal_number = pick(2) ? SIGKILL : SIGINT;
    edit_header();
    edit_source();
    pid_t child = begin_build();
    wait_a_little(90);
    kill(child, signal_number);
    waitpid(child, NULL, 0);
    snprintf(t.remark, sizeof t.remark, "a build ended by signal %d", signal_number);
}

/* The farm. Its server and its worker's files lie beside the project. */
static const char *far;
static pid_t worker;

static void end_worker(void)
{
    if (worker > 0) {
        kill(-worker, SIGKILL);
        waitpid(worker, NULL, 0);
    }
    worker = 0;
}

static void begin_worker(void)
{
    char cache[5000];
    end_worker();
    worker = fork();
    if (worker)
        return;
    setpgid(0, 0);
    snprintf(cache, sizeof cache, "%s/cache", getenv("TORTURE_BESIDE"));
    setenv("XDG_CACHE_HOME", cache, 1);
    if (!freopen("/dev/null", "w", stdout) || !freopen("/dev/null", "w", stderr))
        _exit(1);
    execl(program, program, "worker", "-q", "-j", "3", (char *)NULL);
    _exit(127);
}

static void meddle_with_far(void)
{
    pid_t child;
    if (!far)
        return;
    shell("rm -rf \"$OBBLIGATO_STORE\"");
    switch (pick(7)) {
    case 5: end_worker(); break;
    case 6: begin_worker(); break;
    case 0: shell("cd \"$TORTURE_BESIDE\" && sh %s spoil || true", far); break;
    case 1: shell("cd \"$TORTURE_BESIDE\" && sh %s cut || true", far); break;
    case 2: shell("cd \"$TORTURE_BESIDE\" && { [ -f objects/pid ] || sh %s again; }", far); break;
    case 3: /* killed while it is used */
        shell("rm -rf out");
        child = begin_build();
        wait_a_little(200);
        if (pick(2))
            end_worker();
        shell("cd \"$TORTURE_BESIDE\" && sh %s cut || true", far);
        waitpid(child, NULL, 0);
        shell("cd \"$TORTURE_BESIDE\" && sh %s again", far);
        break;
    default: shell("rm -rf out"); /* all of it is taken from there */
    }
    snprintf(t.remark, sizeof t.remark, "the far store");
}

static void begin_far(const char *beside)
{
    char line[5000], port[40] = "";
    if (!far)
        return;
    setenv("TORTURE_BESIDE", beside, 1);
    shell("cd \"$TORTURE_BESIDE\" && sh %s start --maxmemory 60mb --maxmemory-policy allkeys-random", far);
    snprintf(line, sizeof line, "%s/objects/port", beside);
    FILE *file = fopen(line, "r");
    if (!file || !fgets(port, sizeof port, file)) {
        printf("there is no server: %s\n", line);
        exit(2);
    }
    fclose(file);
    snprintf(line, sizeof line, "redis://127.0.0.1:%.*s", (int)strcspn(port, "\n"), port);
    setenv("OBBLIGATO_FARM", line, 1);
    begin_worker();
}

static void edit(void)
{
    static void (*const edits[])(void) = {
        edit_header, edit_header, edit_header, edit_header, edit_source, edit_source, shadow, shadow, add_or_delete_source,
        rename_source, override_source, edit_library, edit_description, edit_target, edit_target, edit_variants, edit_variants, edit_step, edit_step, meddle_with_steps, edit_remark, edit_remark, edit_others, edit_others, edit_fetched, edit_fetched, touch_something, edit_behind_the_clock, meddle_with_outputs, link_something, link_something, broken_build,
        bind_something, damage_memory, two_builds_at_once, edit_while_it_is_built, unreadable_source};
    bool was_bound = *bound;
    unbind();
    if (far && pick(3) == 0)
        meddle_with_far();
    else if (was_bound && pick(2))
        snprintf(t.remark, sizeof t.remark, "unbound");
    else
        edits[pick(sizeof edits / sizeof *edits)]();
}

/* --- the proof ---------------------------------------------------------------------- */

static char *before; /* what the step before printed */

static bool run(const char *what, const char *line, const char *says)
{
    char *printed;
    int status = harness_shell(line, &printed);
    bool ok = status == 0 && (!says || strstr(printed, says));
    if (!ok)
        printf("%s: exit status %d\n%s\nbefore that:\n%s\n", what, status, printed, before ? before : "");
    free(before);
    before = printed;
    return ok;
}

static bool nothing_to_do(const char *line)
{
    static const char told[] = "the memory of earlier builds in out was damaged";
    char *printed;
    if (damage_unnoticed && strstr(before, told))
        damage_unnoticed = false;
    if (damage_unnoticed) {
        harness_shell(line, &printed);
        damage_unnoticed = strstr(printed, told) == NULL;
        free(printed);
    }
    return run("the build after it", line, "nothing to do");
}

/* What was renewed, edit by edit, reads like what is written again. It is put back: later edits renew it further. What was
 * done to the memory before may show here first, once: then it is started over.
 *
 * A header may be edited and edited back while it is built. Then all files have the contents that the snapshot has, which
 * holds, but objects that came out the same have records of the header as it was meanwhile: without the snapshot they are
 * made again, and must come out the same again. */
static bool kept_as_fresh(void)
{
    char line[10000], *printed;
    const char *pardon = strcmp(t.remark, "edits while it was built") == 0
                             ? "grep -Eq '^([0-9]+) made \\(\\1 came out the same\\)' kept.said && { rm -f kept.*; exit 0; }; "
                             : "";
    snprintf(line, sizeof line, "set -- out/.obbligato/ready-*; [ $# = 1 ] && [ -f \"$1\" ] || exit 0; %s $1 > kept.renewed || exit 1; "
             "! grep -q '^no plan' kept.renewed || { rm kept.*; exit 0; }; mv $1 kept.ready; "
             "%s build > kept.said || exit 1; grep -q '^nothing to do' kept.said || { %scat kept.said; exit 1; }; "
             "[ ! -f $1 ] || { %s $1 > kept.fresh && diff kept.renewed kept.fresh || exit 1; }; mv kept.ready $1; rm -f kept.*", kept_text, program, pardon, kept_text);
    if (!memory_lost)
        return run("what is kept", line, NULL);
    memory_lost = harness_shell(line, &printed) == 0;
    free(printed);
    /* All of it: what was damaged twice, or in several rows, would show a second time. */
    shell("rm -f kept.*%s", memory_lost ? "" : " out/.obbligato/ready-* out/.obbligato/state.db*");
    return true;
}

static bool proof(void)
{
    char line[5000];
    snprintf(line, sizeof line, "%s build", program);
    if (!run("the build", line, NULL) || !nothing_to_do(line))
        return false;
    /* in a copy of the project: what steps make is named by its path in what is made of it */
    snprintf(line, sizeof line, "rm -rf clean && mkdir clean && for f in *; do case $f in out|clean) ;; *) cp -pr $f clean/ ;; esac; done && "
             "mkdir clean/out && cp -pr out/thirdparty clean/out/ && "
             "cd clean && OBBLIGATO_STORE=off OBBLIGATO_FAR_STORE=off %s build -q", program);
    if (!run("the clean build", line, NULL))
        return false;
    /* what is wanted only while something includes it may be left of an earlier build: what an optional step makes, and
     * any step in a variant of which only products are named. That is another one when the default of its axis changes */
    const char *elsewhere = quick ? "board.release+mode=b" : "board.debug";
    snprintf(line, sizeof line, "! diff -r -x compile_commands.json -x .obbligato -x 'g2.*' out clean/out 2>&1 | "
             "grep -v '^Only in out\\(: %s$\\|/%s/gen: g[0-9]\\)'", elsewhere, elsewhere);
    return run("the comparison", line, NULL) &&
           run("the lists of compiles", "for f in out/*/compile_commands.json; do sed \"s|$PWD/clean|$PWD|\" clean/$f | cmp - $f || exit 1; done", NULL) &&
           (!kept_text || kept_as_fresh()); /* last: it writes the lists anew */
}

int main(int argc, char **argv)
{
    char name[100];
    if (argc != 4 && argc != 5) {
        fputs("torture PROGRAM SEED EDITS [QUICK-COMPILER]\n", stderr);
        return 2;
    }
    quick = argc == 5 ? realpath(argv[4], NULL) : NULL;
    program = realpath(argv[1], NULL);
    char byproducts[5000];
    snprintf(byproducts, sizeof byproducts, "%.*s/kept-text", (int)(strrchr(argv[0], '/') ? strrchr(argv[0], '/') - argv[0] : 0), argv[0]);
    kept_text = realpath(byproducts, NULL);
    far = getenv("TORTURE_FAR") ? realpath(getenv("TORTURE_FAR"), NULL) : NULL;
    state = strtoull(argv[2], NULL, 10);
    int edits = atoi(argv[3]);
    char *folder = harness_folder();
    if (!program || chdir(folder)) {
        perror(argv[1]);
        return 2;
    }
    bool tell = getenv("TORTURE_TELL") != NULL;
    setenv("LC_ALL", "C", 1);
    unsetenv("OBBLIGATO_OUT");
    char *store = harness_folder(); /* as users have it, unless another one is named */
    char *cache = harness_folder();
    setenv("XDG_CACHE_HOME", cache, 1);
    setenv("OBBLIGATO_STORE", getenv("TORTURE_STORE") ? getenv("TORTURE_STORE") : store, 1);
    char *beside = harness_folder();
    begin_far(beside);
    invent();
    bool ok = proof();
    int i = 0;
    for (; ok && i < edits; i++) {
        edit();
        if (tell)
            printf("%d: %s\n", i, t.remark);
        ok = proof();
        if (!ok)
            printf("torture: seed %s, edit %d (%s); the folder is kept: %s\n", argv[2], i, t.remark, folder);
    }
    unbind();
    snprintf(name, sizeof name, "torture with seed %s: %d edits%s", argv[2], i, quick ? ", quick compiler" : "");
    harness_count(name, ok);
    if (chdir("/"))
        return 2;
    if (ok && !tell)
        harness_remove(folder);
    end_worker();
    if (far)
        shell("cd \"$TORTURE_BESIDE\" && sh %s stop || true", far);
    harness_remove(beside);
    harness_remove(store);
    harness_remove(cache);
    free(beside);
    free((void *)(uintptr_t)far);
    free(cache);
    free(store);
    free(folder);
    free(before);
    free((void *)(uintptr_t)program);
    free((void *)(uintptr_t)quick);
    free((void *)(uintptr_t)kept_text);
    return harness_end();
}
