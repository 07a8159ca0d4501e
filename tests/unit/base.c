#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <unistd.h>

#include "base/below.h"
#include "base/diag.h"
#include "base/files.h"
#include "base/map.h"
#include "base/path.h"
#include "base/process.h"
#include "base/template.h"
#include "unit/suites.h"

static void joins_paths(void)
{
    static const char *const cases[][3] = {
        {".", "a.c", "a.c"}, {"src", "a.c", "src/a.c"}, {"src", "../a.c", "a.c"},
        {"src", "../../a.c", "../a.c"}, {"..", "../a.c", "../../a.c"}, {"a/b", "./c//d/.", "a/b/c/d"},
        {"src", "/usr/./include", "/usr/include"}, {"/", "..", "/"}, {"/usr", "../..", "/"},
        {"a", "..", "."}, {".", ".", "."}, {"a b", "ü/c", "a b/ü/c"}, {"/x", "y", "/x/y"}};
    obb_arena *arena = obb_arena_new();
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++)
        CHECK_TEXT(obb_path_join(arena, cases[i][0], cases[i][1]), cases[i][2]);
    obb_arena_free(arena);
}

static void fills_templates_in(void)
{
    static const char *const values[] = {"BELL=great", "B=", "_x1=@B@"};
    static const char *const cases[][2] = {
        {"@BELL@", "great"}, {"a@B@b", "ab"}, {"@_x1@", "@B@"}, {"@", "@"}, {"@@", "@@"},
        {"@BELL @", "@BELL @"}, {"${BELL}", "${BELL}"},
        {"@1@", "@1@"}, {"x@y.z@BELL@", "x@y.zgreat"}, {"@BELL", "@BELL"}, {"@B@@B@\n", "\n"}, {"", ""}};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        obb_text filled = {0};
        obb_template_gap gap;
        CHECK(obb_template_fill(cases[i][0], OBB_TEMPLATE_TEXT, values, 3, &filled, &gap));
        CHECK_TEXT(obb_text_bytes(&filled), cases[i][1]);
        obb_text_free(&filled);
    }
    static const char *const headers[][2] = {{"${BELL}", "great"}, {"a${B}@BELL@b", "agreatb"}, {"${", "${"},
                                             {"${}${1}$", "${}${1}$"}, {"${BELL", "${BELL"}, {"$B@B$", "$B@B$"},
                                             {"${BELL@}", "${BELL@}"}, {"@BELL}", "@BELL}"}};
    for (size_t i = 0; i < sizeof headers / sizeof *headers; i++) {
        obb_text filled = {0};
        obb_template_gap gap;
        CHECK(obb_template_fill(headers[i][0], OBB_TEMPLATE_HEADER, values, 3, &filled, &gap));
        CHECK_TEXT(obb_text_bytes(&filled), headers[i][1]);
        obb_text_free(&filled);
    }
    obb_text none = {0};
    obb_template_gap gap = {0};
    CHECK(!obb_template_fill("a\n@BELL@\n @BEL@", OBB_TEMPLATE_TEXT, values, 3, &none, &gap));
    CHECK(gap.line == 3 && gap.place.length == 3 && strncmp(gap.place.name, "BEL@", 4) == 0);
    CHECK(!obb_template_fill("\n a${BEL}", OBB_TEMPLATE_HEADER, values, 3, &none, &gap));
    CHECK(gap.line == 2 && gap.place.whole == 6 && strncmp(gap.place.at, "${BEL}", 6) == 0);
    obb_text_free(&none);
}

static void keeps_the_code_of_templates(void)
{
    static const char *const cases[][2] = {
        {"#undef A\nint a;\n", "int a;\n"}, {" # undef A\n#define B\n", "#define B\n"},
        {"#mark A \\\n goes on\n#if 1\n", "#if 1\n"}, {"#\n# 12 \"a\"\n", "#\n# 12 \"a\"\n"},
        {"#undefined\n#defined", ""},
        {"#include_next <a.h>\n# pragma once", "#include_next <a.h>\n# pragma once"},
        {"#undef A", ""}, {"x #undef A\n", "x #undef A\n"}, {"#undef A \\", ""}, {"", ""},
        {"#undef A\n#define A 1\n#undef AB\n", "#undef A\n#define A 1\n"},
        {"#undef A\n\n#define A 1\n", "\n#define A 1\n"},
        {"/* what is\n#included */\n\"/*\"\n#undef A\n//*\n#mark B\n'\\\"'/*\n#mark*/\n", "/* what is\n#included */\n\"/*\"\n//*\n'\\\"'/*\n#mark*/\n"},
        {"# define B(x) x\n#undef B\n#undef\n", "# define B(x) x\n#undef B\n"}};
    static const size_t left_out[] = {1, 1, 1, 0, 2, 0, 1, 0, 1, 0, 1, 1, 2, 1};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        obb_text kept = {0};
        CHECK(obb_template_split(cases[i][0], &kept, NULL, NULL) == left_out[i]);
        CHECK(obb_template_split(cases[i][0], NULL, NULL, NULL) == left_out[i]);
        CHECK_TEXT(obb_text_bytes(&kept), cases[i][1]);
        obb_text_free(&kept);
    }
}

static void maps_grow(void)
{
    static char keys[1000][16];
    obb_map map = {0};
    for (int i = 0; i < 1000; i++)
        snprintf(keys[i], sizeof keys[i], "k%d", i);
    for (int i = 0; i < 1000; i++) {
        CHECK(!obb_map_get(&map, keys[i]));
        CHECK(!obb_map_put(&map, keys[i], keys[i]) && obb_map_put(&map, keys[i], keys[i]) == keys[i]);
    }
    CHECK_NUMBER(map.count, 1000);
    for (int i = 0; i < 1000; i++)
        CHECK(obb_map_get(&map, keys[i]) == keys[i]);
    obb_map_free(&map);
}

/* `..` is taken away behind a folder that is there, or in which something will be made. */
static void resolves_behind_folders_to_come(void)
{
    obb_arena *arena = obb_arena_new();
    obb_files *files = obb_files_new();
    obb_files_mark_pending(files, obb_files_number(files, "not-there/gen/deep/a.h"));
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there/gen", "../x.h"), "not-there/x.h");
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there", "../x.h"), "x.h");
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there/gen/deep", "../../x.h"), "not-there/x.h");
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there/ge", "../x.h"), "not-there/ge/../x.h");
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there/late", "../x.h"), "not-there/late/../x.h");
    obb_files_provide(files, obb_files_number(files, "not-there/late/b.h"), "", 0);
    CHECK_TEXT(obb_files_resolve(files, arena, "not-there/late", "../x.h"), "not-there/x.h");
    obb_files_mark_pending(files, obb_files_number(files, "/no/such/folder/c.h"));
    CHECK_TEXT(obb_files_resolve(files, arena, "/no/such/folder", "../x.h"), "/no/such/x.h");
    obb_files_free(files);
    obb_arena_free(arena);
}

static void takes_paths_apart(void)
{
    obb_arena *arena = obb_arena_new();
    CHECK_TEXT(obb_path_folder(arena, "a.c"), ".");
    CHECK_TEXT(obb_path_folder(arena, "x/y/a.c"), "x/y");
    CHECK_TEXT(obb_path_folder(arena, "/a"), "/");
    CHECK_TEXT(obb_path_name("x/a.tar.gz"), "a.tar.gz");
    CHECK_TEXT(obb_path_suffix("x/a.tar.gz"), ".gz");
    CHECK_TEXT(obb_path_suffix("x.d/.profile"), "");
    CHECK_TEXT(obb_path_below(arena, "/home/b", "/home/b/src/a.c"), "src/a.c");
    CHECK_TEXT(obb_path_below(arena, "/home/b", "/home/bells/a.c"), "/home/bells/a.c");
    CHECK_TEXT(obb_path_below(arena, "/home/b", "/home/b"), ".");
    CHECK(obb_path_outside("../a") && obb_path_outside("..") && obb_path_outside("/a"));
    CHECK(!obb_path_outside("..a/b") && !obb_path_outside("a/b"));
    obb_arena_free(arena);
}

static void tells_what_wildcards_stand_for(void)
{
    static const char *const cases[][3] = {
        {"src/*/*.c", "src/string/copy.c", "/string/copy"},
        {"src/*/arm/*", "src/string/arm/copy.S", "/string/copy"},
        {"drivers/spi.c", "drivers/spi.c", "/spi"},
        {"a/**/*.c", "a/x/y/b.c", "/x/y/b"},
        {"a/**/*.c", "a/b.c", "/b"},
        {"a/**/t/*.c", "a/t/t/b.c", "/t/b"},
        {"src/*/*.c", "src/copy.c", NULL},
        {"src/*.c", "src/a/b.c", NULL},
        {"a/**/*.c", "a/x/b.h", NULL},
    };
    obb_arena *arena = obb_arena_new();
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++)
        CHECK_TEXT(obb_path_matched_parts(arena, cases[i][0], cases[i][1]), cases[i][2]);
    obb_arena_free(arena);
}

static void matches_patterns(void)
{
    static const char *const yes[][2] = {
        {"*.c", "a.c"}, {"src/*.c", "src/.c"}, {"**/*.c", "a.c"}, {"**/*.c", "x/y/a.c"},
        {"a?c", "abc"}, {"[a-c]x", "bx"}, {"[!a]x", "bx"}, {"a*b*c", "aXbYbZc"}, {"src/**", "src/x/y"},
        {"src/**/t/*.c", "src/t/a.c"}, {"src/**/t/*.c", "src/p/q/t/a.c"}};
    static const char *const no[][2] = {
        {"*.c", "x/a.c"}, {"src/*.c", "src/x/a.c"}, {"*.c", "a.cc"}, {"[a-c]x", "dx"}, {"[!a]x", "ax"},
        {"a?c", "ac"}, {"src/**/t/*.c", "src/p/a.c"}, {"x/*", "x"}};
    for (size_t i = 0; i < sizeof yes / sizeof *yes; i++)
        if (!CHECK(obb_path_matches(yes[i][0], yes[i][1])))
            printf("  %s against %s\n", yes[i][0], yes[i][1]);
    for (size_t i = 0; i < sizeof no / sizeof *no; i++)
        if (!CHECK(!obb_path_matches(no[i][0], no[i][1])))
            printf("  %s against %s\n", no[i][0], no[i][1]);
}

static void expands_patterns_in_order(void)
{
    harness_write("p/b.c", "");
    harness_write("p/a.c", "");
    harness_write("p/.hidden.c", "");
    harness_write("p/deep/er/c.c", "");
    harness_write("p/out/made.c", "");
    obb_files *files = obb_files_new();
    obb_file_list found = {0};
    obb_files_hide(files, "p/out", ".mark");
    obb_files_expand(files, "p/**/*.c", &found);
    CHECK_NUMBER(found.count, 3);
    if (found.count == 3) {
        CHECK_TEXT(obb_files_path(files, found.at[0]), "p/a.c");
        CHECK_TEXT(obb_files_path(files, found.at[1]), "p/b.c");
        CHECK_TEXT(obb_files_path(files, found.at[2]), "p/deep/er/c.c");
    }
    obb_vec_free(&found);
    obb_files_free(files);
}

static void finds_the_nearest_word(void)
{
    static const char *const known[] = {"sources", "share", "summary", "uses", NULL};
    CHECK_TEXT(obb_nearest("sorces", known), "sources");
    CHECK_TEXT(obb_nearest("soucres", known), "sources");
    static const char *const swapped[] = {"stirkely", "strike", NULL}; /* two letters more; one swap */
    CHECK_TEXT(obb_nearest("stirke", swapped), "strike");
    CHECK_TEXT(obb_nearest("shares", known), "share");
    CHECK(obb_nearest("telemetry", known) == NULL);
    CHECK(obb_nearest("", known) == NULL);
}

static void quotes_for_a_shell(void)
{
    const char *words[] = {"cc", "-DX=\"a b\"", "it's", "", "$HOME", "a=b", "src/ä.c"};
    obb_text line = {0}, command = {0};
    char *printed;
    obb_text_shell_line(&line, words, 7);
    obb_text_format(&command, "printf '<%%s>' %s", line.bytes + strlen("cc "));
    harness_shell(command.bytes, &printed);
    CHECK_TEXT(printed, "<-DX=\"a b\"><it's><><$HOME><a=b><src/ä.c>");
    free(printed);
    obb_text_free(&line);
    obb_text_free(&command);
}

static void maps_keep_order_and_numbers(void)
{
    static char keys[1000][16];
    obb_map map = {0};
    for (int i = 0; i < 1000; i++) {
        snprintf(keys[i], sizeof keys[i], "k%d", i);
        CHECK(obb_map_put(&map, keys[i], keys[i]) == NULL);
    }
    for (int i = 0; i < 1000; i++) {
        CHECK(obb_map_get(&map, keys[i]) == keys[i]);
        CHECK_NUMBER(obb_map_find(&map, keys[i], strlen(keys[i])), i);
    }
    CHECK(obb_map_get(&map, "k1000") == NULL);
    CHECK(obb_map_put(&map, "k7", NULL) == keys[7] && obb_map_get(&map, "k7") == NULL);
    CHECK_NUMBER(map.count, 1000);
    obb_map_free(&map);
}

static void fingerprints_tell_parts_apart(void)
{
    obb_hasher *a = obb_hasher_new(), *b = obb_hasher_new(), *c = obb_hasher_new();
    obb_fingerprint in_pieces, at_once;
    obb_hasher_string(a, "ab");
    obb_hasher_string(a, "c");
    obb_hasher_string(b, "a");
    obb_hasher_string(b, "bc");
    obb_hasher_string(c, "ab");
    obb_hasher_string(c, NULL);
    obb_fingerprint x = obb_hasher_end(a), y = obb_hasher_end(b), z = obb_hasher_end(c);
    CHECK(!obb_fingerprint_same(x, y) && !obb_fingerprint_same(x, z));
    size_t n = 700 * 1024 + 3; /* more than one read */
    char *big = malloc(n + 1);
    memset(big, 'x', n);
    big[n] = 0;
    harness_write("big", big);
    CHECK_NUMBER(obb_fingerprint_file("big", &in_pieces), 0);
    at_once = obb_fingerprint_of(big, n);
    CHECK(obb_fingerprint_same(in_pieces, at_once));
    CHECK(obb_fingerprint_file("nothing", &in_pieces) != 0);
    free(big);
}

static void arenas_give_zeroed_memory_again(void)
{
    obb_arena *arena = obb_arena_new();
    for (int round = 0; round < 3; round++) {
        for (int i = 0; i < 100; i++) {
            unsigned char *p = obb_arena_alloc(arena, 3000);
            for (int k = 0; k < 3000; k++)
                if (p[k])
                    CHECK(p[k] == 0);
            memset(p, 0xAA, 3000);
        }
        memset(obb_arena_alloc(arena, 1000000), 1, 1000000);
        obb_arena_reset(arena);
    }
    obb_arena_free(arena);
}

/* A stamp that is as young as the clock's step is not believed later. */
static void young_stamps_are_not_trusted(void)
{
    obb_files *files = obb_files_new();
    obb_stamp stamp;
    obb_fingerprint fingerprint;
    bool news;
    harness_write("young", "1");
    obb_file young = obb_files_number(files, "young");
    CHECK_NUMBER(obb_files_fingerprint(files, young, &fingerprint), 0);
    CHECK(!obb_files_memory(files, young, &stamp, &fingerprint, &news));
    CHECK(obb_stamp_of("young", &stamp));
    CHECK(!obb_stamp_settled(&stamp, stamp.modified + 1000000));
    CHECK(obb_stamp_settled(&stamp, stamp.changed + 3000000000));
    stamp.modified -= stamp.modified % 1000000000; /* a file system of whole seconds */
    stamp.changed = stamp.modified;
    CHECK(!obb_stamp_settled(&stamp, stamp.modified + 1500000000));
    CHECK(obb_stamp_settled(&stamp, stamp.modified + 2500000000));
    CHECK(!obb_stamp_settled(&stamp, stamp.modified - 5)); /* the clock was set back */
    obb_files_free(files);
}

static void a_recalled_fingerprint_saves_reading(void)
{
    obb_files *files = obb_files_new();
    obb_stamp stamp;
    obb_fingerprint wanted = {1, 2}, got;
    harness_write("kept", "text");
    obb_file kept = obb_files_number(files, "kept");
    obb_stamp_of("kept", &stamp);
    obb_files_recall(files, kept, stamp, wanted);
    CHECK_NUMBER(obb_files_fingerprint(files, kept, &got), 0);
    CHECK(obb_fingerprint_same(got, wanted));
    CHECK_NUMBER(obb_files_read_count(files), 0);
    stamp.size++;
    obb_files_forget(files, kept);
    obb_files_recall(files, kept, stamp, wanted);
    obb_files_fingerprint(files, kept, &got);
    CHECK(!obb_fingerprint_same(got, wanted));
    CHECK_NUMBER(obb_files_read_count(files), 1);
    obb_files_free(files);
}

static void writes_whole_or_not_at_all(void)
{
    bool same;
    char *text;
    CHECK_NUMBER(obb_file_write("new/folder/f", "one", 3, &same), 0);
    CHECK(!same);
    CHECK_NUMBER(obb_file_write("new/folder/f", "one", 3, &same), 0);
    CHECK(same);
    text = harness_read("new/folder/f", NULL);
    CHECK_TEXT(text, "one");
    free(text);
    CHECK(obb_file_write("new/folder/f/g", "x", 1, NULL) != 0);
    text = harness_read("new/folder/f", NULL);
    CHECK_TEXT(text, "one");
    free(text);
    char *left;
    CHECK(harness_shell("ls -A new/folder | grep -vx f", &left) == 1); /* nothing else */
    free(left);
}

static void check_text_in(const char *path, const char *wanted)
{
    char *text = harness_read(path, NULL);
    CHECK_TEXT(text, wanted);
    free(text);
}

/* Onto nothing, onto a file, which is gone then, and onto a folder, which stays. */
static void renames_below_a_folder(void)
{
    obb_arena *arena = obb_arena_new();
    char *top = harness_folder(), *new = obb_path_join(arena, top, "new"), *old = obb_path_join(arena, top, "old");
    harness_write(new, "first");
    CHECK_NUMBER(obb_below_rename(top, new, old), 0);
    check_text_in(old, "first");
    CHECK(access(new, F_OK) != 0);
    harness_write(new, "second");
    CHECK_NUMBER(obb_below_rename(top, new, old), 0);
    check_text_in(old, "second");
    CHECK(access(new, F_OK) != 0);
    CHECK(remove(old) == 0 && mkdir(old, 0777) == 0);
    harness_write(new, "third");
    CHECK_NUMBER(obb_below_rename(top, new, old), EISDIR);
    check_text_in(new, "third");
    CHECK(rmdir(old) == 0);
    CHECK_NUMBER(obb_below_rename(top, old, new), ENOENT);
    check_text_in(new, "third");
    CHECK(remove(new) == 0 && rmdir(top) == 0);
    free(top);
    obb_arena_free(arena);
}

static void asks_programs(void)
{
    const char *cat[] = {"sh", "-c", "cat; echo err >&2; exit 3", NULL};
    const char *killed[] = {"sh", "-c", "kill -9 $$", NULL};
    const char *nothing[] = {"/no/such/program", NULL};
    obb_answer a = obb_ask(cat, "input");
    CHECK_TEXT(obb_text_bytes(&a.out), "input");
    CHECK_TEXT(obb_text_bytes(&a.err), "err\n");
    CHECK_NUMBER(a.status, 3);
    obb_answer_free(&a);
    a = obb_ask(killed, "");
    CHECK_NUMBER(a.status, 128 + 9);
    obb_answer_free(&a);
    a = obb_ask(nothing, "");
    CHECK(a.failed != 0);
    obb_answer_free(&a);
}

static bool removes_what_is_locked(mode_t outer_mode, mode_t inner_mode)
{
    char top[] = "/tmp/obbligato-locked-XXXXXX";
    obb_arena *arena = obb_arena_new();
    bool made = mkdtemp(top) != NULL;
    char *outer = obb_path_join(arena, top, "outer"), *inner = obb_path_join(arena, outer, "inner");
    made = made && mkdir(outer, 0700) == 0 && mkdir(inner, 0700) == 0;
    harness_write(obb_path_join(arena, inner, "file"), "");
    made = made && mkdir(obb_path_join(arena, inner, "folder"), 0) == 0 && chmod(inner, inner_mode) == 0 && chmod(outer, outer_mode) == 0;
    bool removed = made && obb_below_remove_all(top, outer) == 0 && access(outer, F_OK) != 0;
    harness_write(obb_path_join(arena, top, "file"), "");
    bool stays = chmod(top, 0500) == 0 && obb_below_remove_all(top, NULL) == EACCES;
    chmod(top, 0700);
    bool empty = obb_below_remove_all(top, NULL) == 0 && rmdir(top) == 0;
    obb_arena_free(arena);
    return removed && stays && empty;
}

/* As somebody for whom modes count. */
static void removes_locked_folders_below(void)
{
    enum { NOBODY = 65534 };
    int status = -1;
    fflush(NULL);
    pid_t child = fork();
    if (child == 0)
        _exit((geteuid() == 0 && (setgid(NOBODY) || setuid(NOBODY))) || !removes_what_is_locked(0500, 0) ||
              !removes_what_is_locked(0400, 0600) || !removes_what_is_locked(0, 0100) || !removes_what_is_locked(0200, 0500));
    CHECK(child > 0 && waitpid(child, &status, 0) == child && status == 0);
}

void suite_base(void)
{
    harness_test("joins paths", joins_paths);
    harness_test("fills templates in", fills_templates_in);
    harness_test("keeps the code of templates", keeps_the_code_of_templates);
    harness_test("maps grow", maps_grow);
    harness_test("resolves behind folders to come", resolves_behind_folders_to_come);
    harness_test("takes paths apart", takes_paths_apart);
    harness_test("matches patterns", matches_patterns);
    harness_test("tells what wildcards stand for", tells_what_wildcards_stand_for);
    harness_test("expands patterns in order", expands_patterns_in_order);
    harness_test("finds the nearest word", finds_the_nearest_word);
    harness_test("quotes for a shell", quotes_for_a_shell);
    harness_test("maps keep order and numbers", maps_keep_order_and_numbers);
    harness_test("fingerprints tell parts apart", fingerprints_tell_parts_apart);
    harness_test("arenas give zeroed memory again", arenas_give_zeroed_memory_again);
    harness_test("young stamps are not trusted", young_stamps_are_not_trusted);
    harness_test("a recalled fingerprint saves reading", a_recalled_fingerprint_saves_reading);
    harness_test("writes whole or not at all", writes_whole_or_not_at_all);
    harness_test("renames below a folder", renames_below_a_folder);
    harness_test("removes locked folders below", removes_locked_folders_below);
    harness_test("asks programs", asks_programs);
}
