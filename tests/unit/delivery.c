/* What goes out: versions as Debian orders them, run paths changed in place, manifests. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "delivery/debian_needs.h"
#include "delivery/manifest.h"
#include "delivery/run_path.h"
#include "harness/harness.h"
#include "unit/suites.h"

#define SUM "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"

static bool says(const char *line, const char *wanted)
{
    char *printed;
    int status = harness_shell(line, &printed);
    bool found = strstr(printed, wanted) != NULL;
    if (status || !found)
        printf("%s: %d\n%s\n", line, status, printed);
    free(printed);
    return !status && found;
}

/* The order is that of dpkg itself, where it is there. */
static void versions_are_ordered_as_debian_does(void)
{
    static const char *const rising[] = {"0.9", "1.0~~", "1.0~~a", "1.0~", "1.0~rc1", "1.0", "1.0-1", "1.0-1+b1", "1.0-1.1",
                                         "1.0a", "1.0b", "1.0+x", "1.0.1", "1.2", "1.10", "2.34", "2.34-1~x", "2.34-1", "1:0.1",
                                         "1:0.2-1", "2:0"};
    enum { COUNT = sizeof rising / sizeof *rising };
    bool dpkg = system("dpkg --compare-versions 1 lt 2 2> /dev/null") == 0;
    for (size_t i = 0; i < COUNT; i++)
        for (size_t k = 0; k < COUNT; k++) {
            char line[200];
            int order = obb_debian_compare(rising[i], rising[k]);
            snprintf(line, sizeof line, "dpkg --compare-versions '%s' %s '%s'", rising[i], order < 0 ? "lt" : order ? "gt" : "eq", rising[k]);
            if ((order > 0) - (order < 0) != (i > k) - (i < k))
                printf("%s %s: %d\n", rising[i], rising[k], order);
            CHECK((order > 0) - (order < 0) == (i > k) - (i < k));
            if (dpkg && (i + k) % 7 == 0)
                CHECK(system(line) == 0);
        }
    CHECK(obb_debian_compare("1.002", "1.2") == 0 && obb_debian_compare("0:1", "1") == 0);
}

static bool write_library(const char *from, const char *to, const char *run_path, const char **why)
{
    obb_text text = {0};
    CHECK(obb_file_read(from, &text) == 0);
    *why = obb_run_path_write(&text, run_path);
    CHECK(obb_file_replace(to, text.bytes, text.length, 0666) == 0);
    obb_text_free(&text);
    return !*why;
}

static void a_run_path_becomes_shorter_or_goes(void)
{
    const char *why;
    obb_arena *arena = obb_arena_new();
    obb_text text = {0};
    harness_write("a.c", "int lib(void); int lib(void) { return 1; } int b(void); int b(void) { return 2; }\n");
    CHECK(says("cc -shared -fPIC -o a.so a.c -Wl,-soname,a.so '-Wl,-rpath,$ORIGIN/../../x/../lib' && echo made", "made"));
    CHECK(obb_file_read("a.so", &text) == 0);
    CHECK(strcmp(obb_run_path_read(&text, arena), "$ORIGIN/../../x/../lib") == 0);
    obb_text_free(&text);
    CHECK(write_library("a.so", "b.so", "$ORIGIN/lib", &why));
    CHECK(says("readelf -d b.so", "[$ORIGIN/lib]"));
    /* names that share the end of the old one are what they were */
    CHECK(says("nm -D b.so", "T lib") && says("nm -D b.so", "T b") && says("readelf -d b.so", "soname: [a.so]"));
    CHECK(says("printf 'int lib(void), b(void); int main(void) { return lib() * 10 + b(); }' > m.c && cc m.c ./b.so -o m && { "
               "LD_LIBRARY_PATH=. ./m; echo $?; }", "12"));
    CHECK(write_library("a.so", "c.so", "", &why));
    CHECK(says("! readelf -d c.so | grep -e RUNPATH -e RPATH; readelf -d c.so", "NULL") && says("nm -D c.so", "T lib"));
    CHECK(!write_library("a.so", "d.so", "$ORIGIN/../../x/../lib/longer", &why) && strstr(why, "room"));
    CHECK(says("cmp a.so d.so && echo same", "same")); /* then nothing has changed */
    CHECK(says("cc -shared -fPIC -o e.so a.c && echo made", "made") && !write_library("e.so", "f.so", "", &why));
    harness_write("not.so", "\177ELF and nothing more");
    CHECK(!write_library("not.so", "g.so", "", &why));
    obb_arena_free(arena);
}

static obb_manifest manifest_of(obb_arena *arena)
{
    static const obb_manifest_line lines[] = {{OBB_MANIFEST_DIRECTORY, ".", NULL, false},
                                              {OBB_MANIFEST_DIRECTORY, "share/a b", NULL, false},
                                              {OBB_MANIFEST_FILE, "bin/ring it", SUM, true},
                                              {OBB_MANIFEST_FILE, "share/a b/c", SUM, false},
                                              {OBB_MANIFEST_LINK, "lib/x y.so", "x y.so.1", false}};
    obb_manifest m = {.project = "tower", .version = "1.2", .delivery = "kit", .variant = "host.release", .above = 2};
    for (size_t i = 0; i < sizeof lines / sizeof *lines; i++)
        obb_arena_push(arena, &m.lines, lines[i]);
    return m;
}

static void a_manifest_reads_as_it_is_written(void)
{
    obb_arena *arena = obb_arena_new();
    obb_manifest m = manifest_of(arena), read;
    CHECK(obb_manifest_write(&m, "kit") == 0 && obb_manifest_read(arena, "kit", &read) == 0);
    CHECK(strcmp(read.project, "tower") == 0 && strcmp(read.version, "1.2") == 0 && strcmp(read.delivery, "kit") == 0);
    CHECK(strcmp(read.variant, "host.release") == 0 && read.above == 2 && read.lines.count == m.lines.count);
    for (size_t i = 0; i < m.lines.count && i < read.lines.count; i++) {
        const obb_manifest_line *a = &m.lines.at[i], *b = &read.lines.at[i];
        CHECK(a->kind == b->kind && strcmp(a->path, b->path) == 0 && obb_same(a->sum, b->sum) && a->executable == b->executable);
    }
    struct stat s;
    CHECK(stat("kit", &s) == 0 && (s.st_mode & 0777) == 0644);
    obb_arena_free(arena);
}

/* No line of it is passed over: what cannot be read is no manifest. */
static void a_damaged_manifest_is_none(void)
{
    static const char head[] = "obbligato-installed 1\ndelivery tower 1.2 kit host.release\n";
    static const char *const bad[] = {"folder /etc\n", "folder ../x\n", "folder a/../../x\n", "folder a//b\n", "folder \n", "fold a\n",
                                      "file " SUM "0 644 a\n", "file 12 644 a\n", "file " SUM " 644 ../a\n", "link a\tb/../../c\n", "\n"};
    obb_arena *arena = obb_arena_new();
    obb_manifest read;
    char text[400];
    for (size_t i = 0; i < sizeof bad / sizeof *bad; i++) {
        snprintf(text, sizeof text, "%sfolder share\n%s", head, bad[i]);
        harness_write("m", text);
        if (obb_manifest_read(arena, "m", &read) == 0)
            printf("taken: %s", bad[i]);
        CHECK(obb_manifest_read(arena, "m", &read) != 0);
    }
    harness_write("m", "obbligato-installed 2\ndelivery tower 1.2 kit host.release\n");
    CHECK(obb_manifest_read(arena, "m", &read) != 0);
    harness_write("m", "obbligato-installed 1\nfolder share\n");
    CHECK(obb_manifest_read(arena, "m", &read) != 0);
    harness_write("m", head);
    CHECK(obb_manifest_read(arena, "m", &read) == 0);
    obb_arena_free(arena);
}

void suite_delivery(void)
{
    harness_test("versions are ordered as Debian does", versions_are_ordered_as_debian_does);
    harness_test("a run path becomes shorter or goes", a_run_path_becomes_shorter_or_goes);
    harness_test("a manifest reads as it is written", a_manifest_reads_as_it_is_written);
    harness_test("a damaged manifest is none", a_damaged_manifest_is_none);
}
