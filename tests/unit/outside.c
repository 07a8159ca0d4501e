/* Third-party code: versions, the lock file, records of trees, links that stay. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/sha256.h"
#include "harness/harness.h"
#include "outside/tree.h"
#include "project/lock_file.h"
#include "project/version.h"
#include "unit/suites.h"

#define SUM "0123456789abcdef0123456789abcdef0123456789abcdef0123456789abcdef"

static void versions_are_ordered(void)
{
    static const char *const rising[] = {"0.9", "1.0-beta", "1.0-rc1", "1.0-rc2", "1.0", "1.0.0", "1.0.1", "1.0.2~x",
                                         "1.0.2", "1.0.2a", "1.0.2w", "1.2", "1.10", "1.10.1", "2", "2024.1", "20240.1"};
    enum { COUNT = sizeof rising / sizeof *rising };
    for (size_t i = 0; i < COUNT; i++)
        for (size_t k = 0; k < COUNT; k++) {
            int order = obb_version_order(rising[i], rising[k]);
            if ((order > 0) - (order < 0) != (i > k) - (i < k))
                printf("%s %s: %d\n", rising[i], rising[k], order);
            CHECK((order > 0) - (order < 0) == (i > k) - (i < k));
        }
    CHECK(obb_version_order("1.02", "1.2") == 0);
    CHECK(obb_version_order("1.00000000000000000000000000000000001", "1.2") < 0);
    CHECK(obb_version_ok("2.4.1+dfsg~1") && !obb_version_ok("") && !obb_version_ok("../x") && !obb_version_ok("-1"));
    CHECK(!obb_version_ok(".") && !obb_version_ok("a b") && !obb_version_ok("{x}"));
}

static obb_lock_file *lock_of(obb_arena *arena, const char *text, obb_diags *diags)
{
    FILE *f = fopen(OBB_LOCK_NAME, "w");
    CHECK(f && fputs(text, f) >= 0 && fclose(f) == 0);
    obb_files *files = obb_files_new();
    obb_lock_file *lock = obb_lock_file_read(files, arena, diags);
    obb_files_free(files);
    return lock;
}

static void a_lock_file_reads_as_it_is_written(void)
{
    obb_arena *arena = obb_arena_new();
    obb_diags *diags = obb_diags_new();
    obb_text text = {0};
    obb_lock_file *lock = lock_of(arena,
                                  "# remark\n\nwire - repository sha256:" SUM " 0a1b v2 https://x/a b\n"
                                  "chime 2.4 entry sha256:" SUM " hall/chime/2.4.score\n"
                                  "chime 2.4 archive sha256:" SUM " https://x/chime.tar\nchime 2.10 archive sha256:" SUM " y\n",
                                  diags);
    CHECK_NUMBER(obb_diags_fault(diags), 0);
    CHECK_NUMBER(lock->lines.count, 4);
    const obb_lock_line *l = obb_lock_file_find(lock, "wire", "-", OBB_LOCK_REPOSITORY);
    CHECK(l != NULL);
    CHECK_TEXT(l->commit, "0a1b");
    CHECK_TEXT(l->revision, "v2");
    CHECK_TEXT(l->from, "https://x/a b");
    CHECK(!obb_lock_file_find(lock, "wire", "-", OBB_LOCK_ARCHIVE) && !obb_lock_file_find(lock, "chime", "2", OBB_LOCK_ARCHIVE));
    l = obb_lock_file_find_entry(lock, "hall/chime/2.4.score");
    CHECK(l && l->line == 4);
    obb_lock_file_print(lock, &text);
    const char *first = strchr(text.bytes, '\n') + 1;
    CHECK_TEXT(first, "chime 2.10 archive sha256:" SUM " y\nchime 2.4 archive sha256:" SUM " https://x/chime.tar\n"
                      "chime 2.4 entry sha256:" SUM " hall/chime/2.4.score\nwire - repository sha256:" SUM " 0a1b v2 https://x/a b\n");
    obb_text again = {0};
    obb_lock_file_print(lock_of(arena, text.bytes, diags), &again);
    CHECK_TEXT(again.bytes, text.bytes);
    obb_text_free(&text);
    obb_text_free(&again);
    obb_diags_free(diags);
    obb_arena_free(arena);
}

static void a_line_of_a_lock_file_is_never_skipped(void)
{
    static const char *const bad[] = {"chime", "chime 1", "chime 1 archive", "chime 1 archive sha256:12 x",
                                      "chime 1 archive md5:" SUM " x", "chime 1 parcel sha256:" SUM " x",
                                      "chime 1 archive sha256:" SUM, "chime 1 repository sha256:" SUM " commit",
                                      "<<<<<<< ours", "chime 1 archive sha256:" SUM "0 x"};
    for (size_t i = 0; i < sizeof bad / sizeof *bad; i++) {
        obb_arena *arena = obb_arena_new();
        obb_diags *diags = obb_diags_new();
        obb_lock_file *lock = lock_of(arena, bad[i], diags);
        CHECK_NUMBER(lock->lines.count, 0);
        CHECK_NUMBER(obb_diags_fault(diags), OBB_FAULT_DESCRIPTION);
        obb_diags_free(diags);
        obb_arena_free(arena);
    }
}

static void write_file(const char *path, const char *text)
{
    obb_path_make_folders(path);
    FILE *f = fopen(path, "w");
    CHECK(f && fputs(text, f) >= 0 && fclose(f) == 0);
}

/* What differs, as one text. */
static const char *differences(obb_arena *arena, const char *folder, const obb_tree *tree)
{
    obb_tree_edits edits = {0};
    const char *where, *text = "";
    CHECK_NUMBER(obb_tree_compare(folder, tree, arena, &edits, &where), 0);
    for (size_t i = 0; i < edits.count; i++)
        text = obb_arena_format(arena, "%s%s %s;", text, edits.at[i].what, edits.at[i].path);
    return text;
}

static void a_record_tells_every_edit(void)
{
    obb_arena *arena = obb_arena_new();
    obb_tree tree = {.from = OBB_FROM_REPOSITORY, .sum = SUM, .commit = "0a1b", .revision = "v2", .place = "https://x/a b"}, read = {0};
    const char *where;
    obb_text text = {0};
    write_file("t/a b.c", "int a;\n");
    write_file("t/deep/er/b.c", "int b;\n");
    write_file("t/run.sh", "#\n");
    CHECK(chmod("t/run.sh", 0755) == 0 && symlink("run.sh", "t/link") == 0);
    obb_arena_push(arena, &tree.patches, (obb_tree_file){"patch", SUM, "p/1.patch"});
    CHECK_NUMBER(obb_tree_list("t", arena, &tree, &where), 0);
    CHECK_NUMBER(tree.files.count, 4);
    obb_tree_print(&tree, &text);
    write_file("t.record", text.bytes);
    CHECK(obb_tree_read("t.record", arena, &read));
    CHECK(read.from == OBB_FROM_REPOSITORY && read.patches.count == 1 && read.files.count == 4);
    CHECK_TEXT(read.commit, "0a1b");
    CHECK_TEXT(read.revision, "v2");
    CHECK_TEXT(read.place, "https://x/a b");
    CHECK_TEXT(obb_tree_sum(&read, arena), obb_tree_sum(&tree, arena));
    CHECK_TEXT(differences(arena, "t", &read), "");
    write_file("t/a b.c", "int A;\n"); /* as long as before, and perhaps with the same stamp */
    CHECK_TEXT(differences(arena, "t", &read), "edited a b.c;");
    write_file("t/a b.c", "int a;\n");
    CHECK(chmod("t/run.sh", 0644) == 0);
    CHECK_TEXT(differences(arena, "t", &read), "edited run.sh;");
    CHECK(chmod("t/run.sh", 0755) == 0 && unlink("t/link") == 0 && symlink("a b.c", "t/link") == 0);
    CHECK_TEXT(differences(arena, "t", &read), "edited link;");
    write_file("t/deep/new.c", "");
    CHECK(unlink("t/deep/er/b.c") == 0);
    CHECK_TEXT(differences(arena, "t", &read), "removed deep/er/b.c;added deep/new.c;edited link;");
    obb_text_free(&text);
    obb_arena_free(arena);
}

static void a_damaged_record_is_none(void)
{
    obb_arena *arena = obb_arena_new();
    obb_tree tree;
    static const char *const bad[] = {"", "from archive sha256:12 - x\n", "from archive sha256:" SUM "\n", "from archive sha256:" SUM " - x\n",
                                      "from archive sha256:" SUM " - - x\nfile sha256:12 a\n",
                                      "from archive sha256:" SUM " - - x\nfolder sha256:" SUM " a\n", "file sha256:" SUM " a\n"};
    for (size_t i = 0; i < sizeof bad / sizeof *bad; i++) {
        write_file("bad.record", bad[i]);
        CHECK(!obb_tree_read("bad.record", arena, &tree));
    }
    CHECK(!obb_tree_read("none.record", arena, &tree));
    obb_arena_free(arena);
}

static void links_stay_or_lead_out(void)
{
    static const struct { const char *path, *target; bool stays; } links[] = {
        {"a", "b", true},           {"a/b", "../c", true},     {"a/b/c", "../../d", true}, {"a/b", "./../c", true},
        {"a", "..", false},         {"a", "../b", false},      {"a/b", "../../c", false},  {"a", "/etc/passwd", false},
        {"a", "b/../c", false},     {"a/b", "c/../../../d", false}, {"a/b", "..", true},   {"a", "b..c/d", true}};
    obb_arena *arena = obb_arena_new();
    for (size_t i = 0; i < sizeof links / sizeof *links; i++) {
        if (obb_path_link_stays(arena, links[i].path, links[i].target) != links[i].stays)
            printf("%s -> %s\n", links[i].path, links[i].target);
        CHECK(obb_path_link_stays(arena, links[i].path, links[i].target) == links[i].stays);
    }
    CHECK(obb_path_is_output("out/host.debug/a", "out") && !obb_path_is_output("out/thirdparty/a", "out"));
    CHECK(obb_path_is_output("out/thirdparty.debug/a", "out") && !obb_path_is_output("src/a", "out"));
    obb_arena_free(arena);
}

void suite_outside(void)
{
    harness_test("versions are ordered", versions_are_ordered);
    harness_test("a lock file reads as it is written", a_lock_file_reads_as_it_is_written);
    harness_test("a line of a lock file is never skipped", a_line_of_a_lock_file_is_never_skipped);
    harness_test("a record tells every edit", a_record_tells_every_edit);
    harness_test("a damaged record is none", a_damaged_record_is_none);
    harness_test("links stay or lead out", links_stay_or_lead_out);
}
