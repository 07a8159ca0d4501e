#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "state/snapshot.h"
#include "state/state.h"
#include "unit/suites.h"

static void shell(const char *line)
{
    char *printed;
    harness_shell(line, &printed);
    free(printed);
}

static obb_state *opened(obb_files *files, obb_diags *diags)
{
    return obb_state_open("out", files, OBB_STATE_BUILD, NULL, NULL, diags);
}

/* Puts one record, one answer and one remembered file into a new store. */
static void fill(void)
{
    obb_files *files = obb_files_new();
    obb_diags *diags = obb_diags_new();
    obb_state *s = opened(files, diags);
    obb_memo memo = obb_state_memo(s);
    const char *words[] = {"cc", "-c", "a.c"};
    obb_seen seen[2] = {{obb_files_number(files, "a.c"), {1, 2}}, {obb_files_number(files, "a.h"), {3, 4}}};
    obb_record r = {.command = {5, 6}, .tools = {7, 8}, .output = {9, 10}, .cost = {12, 34000}, .reason = "because"};
    r.argv.at = words;
    r.argv.count = 3;
    r.inputs.at = seen;
    r.inputs.count = 2;
    obb_state_put_record(s, obb_files_number(files, "out/a.o"), &r);
    memo.put(memo.self, (obb_fingerprint){1, 1}, "answer", 6);
    CHECK_NUMBER(obb_state_commit(s), 0);
    obb_state_close(s);
    obb_diags_free(diags);
    obb_files_free(files);
}

static obb_fingerprint piece_of_names(uint64_t piece)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "names asked for");
    obb_hasher_add(p, &piece, sizeof piece);
    return obb_hasher_end(p);
}

/* Names that scans asked for stay, piece by piece; when some may be lost, all names count. */
static void asked_names_are_not_lost(void)
{
    static const uint64_t first[] = {5, 7}, second[] = {7, 9};
    for (int damage = 0; damage < 4; damage++) {
        shell("rm -rf out");
        for (int time = 0; time < 3; time++) {
            obb_diags *diags = obb_diags_new();
            obb_files *files = obb_files_new();
            obb_state *s = opened(files, diags);
            CHECK(obb_state_is_asked(s, 5) == (time > 0) && obb_state_is_asked(s, 9) == (time > 1));
            CHECK(!obb_state_is_asked(s, 6));
            obb_state_note_asked(s, time ? second : first, 2);
            CHECK(obb_state_is_asked(s, 7) && obb_state_is_asked(s, 9) == (time > 0));
            const obb_record record = {.reason = "", .command = {1, 2}, .asked_noted = true};
            obb_state_put_record(s, obb_files_number(files, "out/a.o"), &record);
            obb_memo memo = obb_state_memo(s);
            if (time == 2 && damage == 1)
                memo.put(memo.self, obb_fingerprint_of("names asked for", 15), "", 0);
            else if (time == 2 && damage)
                memo.put(memo.self, piece_of_names((uint64_t)damage - 2), "\5\0\0\0\0\0\0", damage == 2 ? 8 : 0);
            obb_state_close(s);
            obb_files_free(files);
            obb_diags_free(diags);
        }
        obb_diags *diags = obb_diags_new();
        obb_files *files = obb_files_new();
        obb_state *s = opened(files, diags);
        CHECK(obb_state_is_asked(s, 5) && obb_state_is_asked(s, 6) == (damage > 0));
        obb_state_note_asked(s, first, 2);
        CHECK(obb_state_is_asked(s, 6) == (damage > 0));
        obb_state_close(s);
        obb_files_free(files);
        obb_diags_free(diags);
    }
}

static void records_come_back(void)
{
    fill();
    obb_files *files = obb_files_new();
    obb_diags *diags = obb_diags_new();
    obb_state *s = opened(files, diags);
    const obb_record *r = obb_state_record(s, obb_files_number(files, "out/a.o"));
    CHECK(r != NULL);
    if (r) {
        CHECK_NUMBER(r->inputs.count, 2);
        CHECK_TEXT(obb_files_path(files, r->inputs.at[1].file), "a.h");
        CHECK_NUMBER(r->inputs.at[1].fingerprint.low, 4);
        CHECK_NUMBER(r->output.low, 10);
        CHECK_TEXT(r->reason, "because");
        CHECK_NUMBER(r->cost.milliseconds, 12);
        CHECK_NUMBER(r->cost.memory, 34000);
        CHECK_NUMBER(r->argv.count, 3);
        CHECK_TEXT(r->argv.at[2], "a.c");
    }
    CHECK(obb_state_is_made(s, obb_files_number(files, "out/a.o")));
    obb_text answer = {0};
    obb_memo memo = obb_state_memo(s);
    CHECK(memo.get(memo.self, (obb_fingerprint){1, 1}, &answer));
    CHECK_TEXT(answer.bytes, "answer");
    CHECK(!memo.get(memo.self, (obb_fingerprint){1, 2}, &answer));
    obb_text_free(&answer);
    obb_state_forget_made(s, obb_files_number(files, "out/a.o"));
    CHECK(!obb_state_record(s, obb_files_number(files, "out/a.o")));
    obb_state_close(s);
    obb_diags_free(diags);
    obb_files_free(files);
}

/* Whatever bytes of the store are damaged, what is read is right or absent. */
static void damage_costs_work_not_truth(void)
{
    unsigned seed = harness_seed(3);
    for (int round = 0, rounds = harness_rounds(60); round < rounds; round++) {
        shell("rm -rf out");
        fill();
        size_t n;
        char *bytes = harness_read("out/.obbligato/state.db", &n);
        for (int i = 0; i < 1 + round % 60; i++) {
            seed = seed * 1103515245 + 12345;
            bytes[(seed >> 8) % n] ^= (char)(1 + (seed >> 4) % 255);
        }
        FILE *f = fopen("out/.obbligato/state.db", "wb");
        fwrite(bytes, 1, n, f);
        fclose(f);
        free(bytes);
        obb_files *files = obb_files_new();
        obb_diags *diags = obb_diags_new();
        obb_state *s = opened(files, diags);
        CHECK(s != NULL);
        const obb_record *r = s ? obb_state_record(s, obb_files_number(files, "out/a.o")) : NULL;
        CHECK(!r || (r->inputs.count == 2 && r->output.low == 10 && strcmp(r->argv.at[2], "a.c") == 0));
        obb_state_close(s);
        obb_diags_free(diags);
        obb_files_free(files);
    }
}

/* A damaged key may stand where no search comes to it: the row cannot be dropped by it. */
static void damage_is_over_after_one_build(void)
{
    static const char *const outputs[] = {"out/a.o", "out/b.o", "out/c.o", "out/d.o"};
    static const char *const keys[] = {"zzz/b.o", "a\\x00t/b.o"};
    obb_record r = {.reason = "because"};
    for (size_t k = 0; k < sizeof keys / sizeof *keys; k++) {
        char line[200];
        shell("rm -rf out");
        for (int turn = 0; turn < 3; turn++) {
            obb_files *files = obb_files_new();
            obb_diags *diags = obb_diags_new();
            obb_state *s = opened(files, diags);
            CHECK(s && (turn < 2 || !obb_state_was_damaged(s)));
            for (size_t i = 0; s && i < sizeof outputs / sizeof *outputs; i++)
                if (!obb_state_record(s, obb_files_number(files, outputs[i])))
                    obb_state_put_record(s, obb_files_number(files, outputs[i]), &r);
            obb_state_close(s);
            obb_diags_free(diags);
            obb_files_free(files);
            snprintf(line, sizeof line, "LC_ALL=C sed -i 's|out/b.o|%s|' out/.obbligato/state.db", keys[k]);
            if (turn == 0)
                shell(line);
        }
    }
}

static void wait_for_the_clock(void)
{
    struct timespec t = {.tv_nsec = 40000000};
    nanosleep(&t, NULL);
}

/* How many files are read for their fingerprint when the state is opened, and one that is known is asked for. `boot`: the
 * start of the machine that is noted afterwards; NULL: the current one. */
static size_t reads_of_known(const char *boot)
{
    obb_files *files = obb_files_new();
    obb_diags *diags = obb_diags_new();
    obb_state *s = opened(files, diags);
    obb_fingerprint fingerprint;
    obb_files_fingerprint(files, obb_files_number(files, "made.o"), &fingerprint);
    size_t reads = obb_files_read_count(files);
    obb_state_remember_files(s);
    if (boot) {
        obb_memo memo = obb_state_memo(s);
        obb_text value = {0};
        int64_t now = obb_now();
        obb_text_add(&value, &now, sizeof now);
        obb_text_string(&value, boot);
        memo.put(memo.self, obb_fingerprint_of("start of the machine", 20), value.bytes, value.length);
        obb_text_free(&value);
    }
    obb_state_close(s);
    obb_diags_free(diags);
    obb_files_free(files);
    return reads;
}

/* A file that changed shortly before the machine was started anew may have lost its data and kept its stamp. */
static void stamps_are_not_believed_after_a_start_of_the_machine(void)
{
    shell("rm -rf out; echo > made.o");
    wait_for_the_clock();
    CHECK_NUMBER(reads_of_known(NULL), 1);
    CHECK_NUMBER(reads_of_known("another start"), 0);
    CHECK_NUMBER(reads_of_known(NULL), 1); /* once */
    CHECK_NUMBER(reads_of_known(NULL), 0);
}

static const obb_fingerprint key = {11, 12};

/* Keeps: one file read, and others if they are there, one folder listed, one place of absence. */
static void keep(void)
{
    const obb_snapshot_extra extra = {NULL, "all is well", "a plan", 6};
    const char *const more[] = {"k/also", "k/listed/seen"};
    obb_files *files = obb_files_new();
    obb_fingerprint fingerprint;
    int64_t since = obb_now();
    obb_files_fingerprint(files, obb_files_number(files, "k/read"), &fingerprint);
    for (size_t i = 0; i < sizeof more / sizeof *more; i++)
        if (access(more[i], F_OK) == 0)
            obb_files_fingerprint(files, obb_files_number(files, more[i]), &fingerprint);
    obb_files_list(files, obb_files_number(files, "k/listed"));
    obb_files_stamp(files, obb_files_number(files, "k/absent/deep/er"));
    obb_files_stamp(files, obb_files_number(files, "k/listed/sought"));
    obb_snapshot_write("ready", key, files, since, &extra);
    obb_files_free(files);
}

/* 'h': all holds; 'c' and the names of what changed, and of what is new or gone behind a tilde; 'u': nobody knows. */
static const char *answer(void)
{
    static char said[200];
    obb_snapshot *ready = obb_snapshot_open("ready", key);
    obb_snapshot_answer a = ready ? obb_snapshot_check(ready, NULL, NULL) : OBB_SNAPSHOT_UNKNOWN;
    snprintf(said, sizeof said, "%s", a == OBB_SNAPSHOT_HOLDS ? "h" : a == OBB_SNAPSHOT_CHANGED ? "c" : "u");
    if (ready) {
        size_t length;
        const void *plan = obb_snapshot_plan(ready, &length);
        CHECK(plan && obb_snapshot_vouches(ready, plan, length));
        CHECK_TEXT(obb_snapshot_message(ready), "all is well");
        CHECK(plan && length == 6 && memcmp(plan, "a plan", 6) == 0);
    }
    for (size_t i = 0; a == OBB_SNAPSHOT_CHANGED && i < obb_snapshot_changes(ready)->count; i++)
        snprintf(said + strlen(said), sizeof said - strlen(said), " %s",
                 obb_snapshot_path(ready, obb_snapshot_changes(ready)->at[i]));
    obb_arena *arena = obb_arena_new();
    obb_words moved = {0};
    if (a == OBB_SNAPSHOT_CHANGED)
        obb_snapshot_moved(ready, arena, &moved);
    for (size_t i = 0; i < moved.count; i++)
        snprintf(said + strlen(said), sizeof said - strlen(said), " ~%s", moved.at[i]);
    obb_arena_free(arena);
    obb_snapshot_close(ready);
    return said;
}

static void the_short_way_sees_every_change(void)
{
    static const struct { const char *change, *answer; } changes[] = {
        {"echo other > k/read", "c k/read"}, {"rm k/read", "c k/read"}, {"touch k/listed/new", "c ~k/listed/new"},
        {"touch k/listed/new k/listed/two", "u"}, {"mkdir k/listed/new", "u"}, {"ln -s old k/listed/new", "u"},
        {"mkfifo k/listed/new", "u"}, {"touch k/listed/sought", "u"}, {"touch k/listed/new; rm k/listed/old", "u"},
        {"touch k/listed/new; echo other > k/read", "c k/read ~k/listed/new"},
        {"touch k/listed/new; rm k/listed/old; mkdir k/listed/old", "u"},
        {"rm k/listed/old", "u"}, {"mkdir -p k/absent", "u"}, {"mv k/read k/x; cp k/x k/read", "h"},
        {"rm -rf k/listed", "u"}, {"printf x >> ready", "u"}, {"rm ready", "u"}, {"mkdir k/sub", "h"},
        {"rm k/read; mkdir k/read", "u"}, {"chmod +x k/read", "u"}, {"touch k/read", "h"},
        {"touch k/listed/x; rm k/listed/x", "h"}, {"cp k/read k/x; mv k/x k/read", "h"},
        {"sed s/t/u/ k/read > k/x; mv k/x k/read", "c k/read"}, {"mv k/listed/old k/listed/other", "u"},
        {"rm k/listed/seen", "c k/listed/seen ~k/listed/seen"}, {"rm k/listed/seen k/listed/old", "u"},
        {"mv k/listed/seen k/listed/new", "c k/listed/seen ~k/listed/new ~k/listed/seen"},
        {"mv k/listed/seen k/listed/sought", "u"}, {"rm k/listed/seen; mkdir k/listed/seen", "u"},
        {"rm k/listed/seen; ln -s old k/listed/seen", "u"}, {"mv k/listed/seen k/read", "c k/read k/listed/seen ~k/listed/seen"}};
    for (size_t i = 0; i < sizeof changes / sizeof *changes; i++) {
        shell("rm -rf k; mkdir -p k/listed; echo text > k/read; echo > k/listed/old; echo seen > k/listed/seen");
        wait_for_the_clock();
        keep();
        CHECK_TEXT(answer(), "h");
        CHECK_TEXT(answer(), "h");
        wait_for_the_clock();
        shell(changes[i].change);
        if (!CHECK_TEXT(answer(), changes[i].answer))
            printf("  after: %s\n", changes[i].change);
        wait_for_the_clock();
        if (!CHECK_TEXT(answer(), changes[i].answer))
            printf("  again, after: %s\n", changes[i].change);
    }
}

static void the_short_way_verifies_what_is_young(void)
{
    const obb_snapshot_extra extra = {NULL, "all is well", "a plan", 6};
    shell("rm -rf k; mkdir -p k/listed");
    wait_for_the_clock();
    harness_write("k/read", "a");
    obb_stamp before, after;
    obb_files *files = obb_files_new();
    obb_fingerprint fingerprint;
    obb_files_fingerprint(files, obb_files_number(files, "k/read"), &fingerprint);
    obb_snapshot_write("ready", key, files, obb_now(), &extra);
    obb_files_free(files);
    obb_stamp_of("k/read", &before);
    FILE *f = fopen("k/read", "r+b"); /* the same size, and perhaps the same stamp */
    fputc('b', f);
    fclose(f);
    obb_stamp_of("k/read", &after);
    CHECK_TEXT(answer(), "c k/read");
    CHECK(before.size == after.size);
}

/* Files that are gone stand in the snapshot no more; the folder tells when they come back. */
static void the_short_way_forgets_what_is_gone(void)
{
    const obb_snapshot_extra extra = {NULL, "all is well", "a plan", 6};
    shell("rm -rf k; mkdir -p k/listed; echo text > k/read; echo seen > k/listed/seen");
    wait_for_the_clock();
    keep();
    shell("rm k/listed/seen");
    wait_for_the_clock();
    obb_snapshot *ready = obb_snapshot_open("ready", key);
    obb_files *files = obb_files_new();
    CHECK(ready && obb_snapshot_check(ready, NULL, NULL) == OBB_SNAPSHOT_CHANGED);
    obb_snapshot_renew(ready, files, obb_now(), &extra);
    obb_snapshot_close(ready);
    obb_files_free(files);
    CHECK_TEXT(answer(), "h");
    shell("echo seen > k/listed/seen");
    CHECK_TEXT(answer(), "c ~k/listed/seen");
}

/* What a later part learnt stands in place of what was kept, and the rest stays. */
static void the_short_way_is_renewed(void)
{
    const obb_snapshot_extra extra = {NULL, "all is well", "a plan", 6};
    shell("rm -rf k; mkdir -p k/listed; echo text > k/read; echo > k/listed/old");
    wait_for_the_clock();
    keep();
    shell("echo other > k/read; mkdir -p f; echo new > f/found");
    wait_for_the_clock();
    obb_snapshot *ready = obb_snapshot_open("ready", key);
    obb_file kept, found;
    CHECK(ready && obb_snapshot_knows(ready, "k/read", &kept) && !obb_snapshot_knows(ready, "f/found", &found));
    obb_file_list changed = {.at = &kept, .count = 1};
    obb_snapshot_suppose(ready, &changed);
    obb_files *files = obb_files_new();
    obb_fingerprint fingerprint;
    obb_files_fingerprint(files, obb_snapshot_tell(ready, kept, files), &fingerprint);
    CHECK(obb_fingerprint_same(fingerprint, obb_fingerprint_of("other\n", 6)));
    obb_files_fingerprint(files, obb_files_number(files, "f/found"), &fingerprint);
    obb_files_stamp(files, obb_files_number(files, "f/nowhere"));
    int64_t since = obb_now();
    found = obb_snapshot_number(ready, "f/found");
    obb_snapshot_renew(ready, files, since, &extra);
    obb_snapshot_close(ready);
    obb_files_free(files);
    CHECK_TEXT(answer(), "h");
    ready = obb_snapshot_open("ready", key);
    CHECK_TEXT(obb_snapshot_path(ready, found), "f/found");
    CHECK_TEXT(obb_snapshot_path(ready, kept), "k/read");
    CHECK(obb_snapshot_counts_names(ready, "k/listed") && obb_snapshot_knows(ready, "f/nowhere", &found));
    CHECK(!obb_snapshot_counts_names(ready, "k/read") && !obb_snapshot_counts_names(ready, "."));
    obb_snapshot_close(ready);
    shell("echo newer > f/found");
    CHECK_TEXT(answer(), "c f/found");
    shell("echo new > f/found; touch f/nowhere");
    CHECK_TEXT(answer(), "u");
}

/* However often it is renewed: what is only known to be missing takes no number, or each edit would make the next
 * build slower. */
static void the_short_way_does_not_grow(void)
{
    const obb_snapshot_extra extra = {NULL, "all is well", "a plan", 6};
    shell("rm -rf k; mkdir -p k/listed k/full; touch k/full/a; echo text > k/read");
    wait_for_the_clock();
    keep();
    obb_stamp once = {0}, now = {0};
    for (int i = 0; i < 3; i++) {
        shell("echo again >> k/read");
        wait_for_the_clock();
        obb_snapshot *ready = obb_snapshot_open("ready", key);
        obb_files *files = obb_files_new();
        obb_fingerprint fingerprint;
        char missing[40];
        CHECK(ready && obb_snapshot_check(ready, NULL, NULL) == OBB_SNAPSHOT_CHANGED);
        obb_files_fingerprint(files, obb_files_number(files, "k/read"), &fingerprint);
        for (int m = 0; m < 20; m++) {
            snprintf(missing, sizeof missing, "k/%s/missing%d/file", m % 2 ? "listed" : "full", m);
            obb_files_stamp(files, obb_files_number(files, missing));
        }
        obb_snapshot_renew(ready, files, obb_now(), &extra);
        obb_snapshot_close(ready);
        obb_files_free(files);
        CHECK(obb_stamp_of("ready", &now));
        if (i == 0)
            once = now;
        CHECK(now.size == once.size);
    }
    CHECK_TEXT(answer(), "h");
    shell("mkdir k/full/missing0; touch k/full/missing0/file");
    CHECK_TEXT(answer(), "u");
}

typedef struct early {
    obb_snapshot *ready;
    int calls;
    char saw[100];
} early;

/* What `first` sees, and may ask for. */
static void look_early(void *self)
{
    early *e = self;
    size_t length;
    obb_file kept;
    obb_files *files = obb_files_new();
    const obb_file_list *changes = obb_snapshot_changes(e->ready);
    e->calls++;
    for (size_t i = 0; i < changes->count; i++)
        snprintf(e->saw + strlen(e->saw), sizeof e->saw - strlen(e->saw), "%s ", obb_snapshot_path(e->ready, changes->at[i]));
    CHECK(obb_snapshot_vouches(e->ready, obb_snapshot_plan(e->ready, &length), 6) && obb_snapshot_is_current(e->ready));
    CHECK(obb_snapshot_knows(e->ready, "k/read", &kept) && obb_snapshot_number(e->ready, "k/new") != kept);
    CHECK_TEXT(obb_files_path(files, obb_snapshot_tell(e->ready, kept, files)), "k/read");
    obb_files_free(files);
}

/* What is found first is told while the rest is looked at, and it is known afterwards whether it was all. */
static void the_first_change_is_told_early(void)
{
    static const struct { const char *change, *saw; obb_snapshot_answer answer; bool all; } cases[] = {
        {"true", "", OBB_SNAPSHOT_HOLDS, false}, {"echo other > k/read", "k/read ", OBB_SNAPSHOT_CHANGED, true},
        {"echo other > k/read; echo another > k/also", "", OBB_SNAPSHOT_CHANGED, false},
        {"echo other > k/read; touch k/also", "k/read ", OBB_SNAPSHOT_CHANGED, false},
        {"echo other > k/read; touch k/listed/x; rm k/listed/x", "k/read ", OBB_SNAPSHOT_CHANGED, true},
        {"echo other > k/read; touch k/listed/x", "k/read ", OBB_SNAPSHOT_CHANGED, false},
        {"echo other > k/read; touch k/listed/x k/listed/y", "k/read ", OBB_SNAPSHOT_UNKNOWN, false}};
    for (size_t i = 0; i < sizeof cases / sizeof *cases; i++) {
        shell("rm -rf k; mkdir -p k/listed; echo text > k/read; echo also > k/also");
        wait_for_the_clock();
        keep();
        shell(cases[i].change);
        early e = {.ready = obb_snapshot_open("ready", key)};
        bool right = CHECK(e.ready && obb_snapshot_check(e.ready, look_early, &e) == cases[i].answer);
        right = CHECK(obb_snapshot_saw_all(e.ready) == cases[i].all) && right;
        right = CHECK(e.calls == (cases[i].answer != OBB_SNAPSHOT_HOLDS)) && right;
        if (!(*cases[i].saw || !e.calls ? CHECK_TEXT(e.saw, cases[i].saw) : CHECK(obb_snapshot_changes(e.ready)->count == 2)) || !right)
            printf("  after: %s\n", cases[i].change);
        obb_snapshot_close(e.ready);
    }
}

static void keep_many(const char *ready, const char *const *names, size_t count, const obb_file_list *sources)
{
    const obb_snapshot_extra extra = {sources, "all is well", "a plan", 6};
    obb_files *files = obb_files_new();
    obb_fingerprint fingerprint;
    for (size_t i = 0; i < count; i++)
        obb_files_fingerprint(files, obb_files_number(files, names[i]), &fingerprint);
    obb_snapshot_write(ready, key, files, obb_now(), &extra);
    obb_files_free(files);
}

/* With so many that other threads help. */
static void a_long_look_finds_all_changes(void)
{
    enum { MANY = 9000 };
    static char names[MANY][20];
    static const char *paths[MANY];
    shell("rm -rf k; mkdir k; cd k; seq 0 8999 | xargs touch");
    for (int i = 0; i < MANY; i++) {
        snprintf(names[i], sizeof names[i], "k/%d", i);
        paths[i] = names[i];
    }
    wait_for_the_clock();
    keep_many("ready", paths, MANY, NULL);
    CHECK_TEXT(answer(), "h");
    shell("for i in 8999 0 4000 77; do echo new > k/$i; done; touch k/5000");
    CHECK_TEXT(answer(), "c k/0 k/77 k/4000 k/8999");
    shell("cd k; seq 10 1010 | while read i; do echo x > $i; done");
    CHECK_TEXT(answer(), "u"); /* it is not worth telling */
}

/* Files edited last, then sources, then the others; what was made comes with the others. */
static void what_is_edited_often_is_looked_at_first(void)
{
    enum { FOLDERS = 40 };
    static char names[FOLDERS][20];
    static const char *paths[FOLDERS + 1];
    obb_file_list sources = {.at = (obb_file[]){3}, .count = 1};
    obb_words folders = {0};
    obb_text order = {0};
    obb_arena *arena = obb_arena_new();
    shell("rm -rf f[0-9]* o; mkdir -p o/.obbligato; for i in $(seq 0 39); do mkdir f$i; echo > f$i/x; [ $i != 8 ] || sleep 0.01; done; "
          "sleep 0.01; echo > f9/x; sleep 0.01; echo > f2/x; sleep 0.01; echo > o/made");
    for (int i = 0; i < FOLDERS; i++) {
        snprintf(names[i], sizeof names[i], "f%d/x", i);
        paths[i] = names[i];
    }
    paths[FOLDERS] = "o/made";
    wait_for_the_clock();
    keep_many("o/.obbligato/ready", paths, FOLDERS + 1, &sources);
    obb_snapshot *ready = obb_snapshot_open("o/.obbligato/ready", key);
    obb_snapshot_folders(ready, arena, &folders);
    for (size_t i = 0; i < folders.count; i++)
        if (i < 2 || i > 31)
            obb_text_format(&order, "%s ", folders.at[i]);
    CHECK_TEXT(obb_text_bytes(&order), "f2 f9 f3 f0 f1 f4 f5 f6 f7 f8 o ");
    obb_snapshot_close(ready);
    obb_text_free(&order);
    obb_arena_free(arena);
}

static void pieces_of_a_plan_are_vouched_for_on_their_own(void)
{
    enum { PIECE = 16 * 1024, LENGTH = 3 * PIECE + 100 };
    char *plan = calloc(1, LENGTH);
    const obb_snapshot_extra extra = {NULL, "all is well", plan, LENGTH};
    obb_files *files = obb_files_new();
    size_t length;
    memset(plan, 'p', LENGTH);
    memcpy(plan + PIECE + 50, "here", 4);
    obb_snapshot_write("ready", key, files, obb_now(), &extra);
    shell("sed -i 's/here/hare/' ready");
    obb_snapshot *ready = obb_snapshot_open("ready", key);
    const char *at = ready ? obb_snapshot_plan(ready, &length) : NULL;
    CHECK(at && length == LENGTH);
    CHECK(obb_snapshot_vouches(ready, at, PIECE) && obb_snapshot_vouches(ready, at + PIECE - 1, 1) && obb_snapshot_vouches(ready, at, 0));
    CHECK(!obb_snapshot_vouches(ready, at + PIECE - 1, 2) && !obb_snapshot_vouches(ready, at + PIECE, 1));
    CHECK(!obb_snapshot_vouches(ready, at, LENGTH) && !obb_snapshot_vouches(ready, at + 2 * PIECE - 1, 1));
    CHECK(obb_snapshot_vouches(ready, at + 2 * PIECE, PIECE + 100) && obb_snapshot_vouches(ready, at + LENGTH - 1, 1));
    CHECK(!obb_snapshot_vouches(ready, at + LENGTH - 1, 2) && !obb_snapshot_vouches(ready, at - 1, 1));
    CHECK(!obb_snapshot_vouches(ready, at + 2 * PIECE, SIZE_MAX));
    obb_snapshot_close(ready);
    obb_files_free(files);
    free(plan);
}

/* Those that it knows, and those that are new; also where the slots for them run over the end of the table. */
static void paths_of_a_snapshot_are_found(void)
{
    enum { MANY = 300 };
    char path[40];
    obb_file kept, seen[MANY];
    for (int count = 1; count <= MANY; count += count < 40 ? 1 : 130) {
        const obb_snapshot_extra extra = {NULL, "all is well", NULL, 0};
        obb_files *files = obb_files_new();
        for (int i = 0; i < count; i++) {
            snprintf(path, sizeof path, "nowhere-%d", i);
            seen[i] = obb_files_number(files, path);
            obb_files_know_absent(files, seen[i]);
            obb_files_fingerprint(files, seen[i], &(obb_fingerprint){0, 0});
        }
        obb_snapshot_write("ready", key, files, obb_now(), &extra);
        obb_snapshot *ready = obb_snapshot_open("ready", key);
        CHECK(ready != NULL);
        for (int i = 0; i < count; i++)
            CHECK(obb_snapshot_knows(ready, obb_files_path(files, seen[i]), &kept) && strcmp(obb_snapshot_path(ready, kept), obb_files_path(files, seen[i])) == 0);
        for (int i = count; i < count + 20; i++) {
            snprintf(path, sizeof path, "nowhere-%d", i);
            CHECK(!obb_snapshot_knows(ready, path, &kept));
            kept = obb_snapshot_number(ready, path);
            CHECK(obb_snapshot_number(ready, path) == kept);
            CHECK_TEXT(obb_snapshot_path(ready, kept), path);
        }
        obb_snapshot_close(ready);
        obb_files_free(files);
    }
}

/* Whether anything changed or not. */
static void nobody_vouches_for_a_damaged_plan(void)
{
    size_t length;
    shell("rm -rf k; mkdir -p k/listed; echo one > k/read");
    wait_for_the_clock();
    keep();
    shell("sed -i 's/a plan/a clan/' ready");
    for (int edited = 0; edited < 2; edited++) {
        obb_snapshot *ready = obb_snapshot_open("ready", key);
        CHECK(ready && obb_snapshot_check(ready, NULL, NULL) == (edited ? OBB_SNAPSHOT_CHANGED : OBB_SNAPSHOT_HOLDS));
        for (int again = 0; again < 2; again++)
            CHECK(ready && !obb_snapshot_vouches(ready, obb_snapshot_plan(ready, &length), 1));
        obb_snapshot_close(ready);
        ready = obb_snapshot_open("ready", key);
        CHECK(ready && obb_snapshot_check(ready, NULL, NULL) != OBB_SNAPSHOT_UNKNOWN);
        obb_snapshot_close(ready); /* without looking at the plan */
        shell("echo two > k/read");
    }
}

static void questions_of_old_are_forgotten(void)
{
    const obb_fingerprint any = {4, 5};
    const obb_snapshot_extra none = {.message = "message"};
    char path[40];
    obb_files *files = obb_files_new();
    shell("rm -rf many; mkdir many; echo > many/other");
    for (int i = 0; i < 40; i++) {
        snprintf(path, sizeof path, "many/" OBB_SNAPSHOT_PREFIX "%d", i);
        obb_snapshot_write(path, any, files, obb_now(), &none);
        wait_for_the_clock();
    }
    obb_files_free(files);
    char *said;
    harness_shell("cd many && ls | wc -l && ls other ready-8 ready-39; [ -e ready-7 ] || echo gone", &said);
    CHECK_TEXT(said, "33\nother\nready-39\nready-8\ngone\n");
    free(said);
}

/* A build of a few actions reads only their rows, and adds to the same store. */
static void a_part_reads_what_it_needs(void)
{
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new();
    obb_seen seen[] = {{0, {1, 2}}, {0, {3, 4}}};
    shell("rm -rf out; mkdir -p out");
    CHECK(obb_state_open_partial("out", files) == NULL); /* nothing is there */
    obb_state *s = obb_state_open("out", files, OBB_STATE_BUILD, NULL, NULL, diags);
    seen[0].file = obb_files_number(files, "a.c");
    seen[1].file = obb_files_number(files, "a.h");
    obb_record record = {.command = {11, 12}, .reason = "never", .inputs = {seen, 2, 2}, .cost = {77, 88}};
    obb_state_put_record(s, obb_files_number(files, "out/a.o"), &record);
    CHECK(obb_state_open_partial("out", files) == NULL); /* another one writes */
    CHECK_NUMBER(obb_state_commit(s), 0);
    obb_state_close(s);
    obb_files_free(files);

    files = obb_files_new();
    obb_files_number(files, "zero"); /* numbers of files differ from run to run */
    s = obb_state_open_partial("out", files);
    CHECK(s != NULL);
    size_t known = obb_files_count(files);
    obb_last_run last = {0};
    CHECK(obb_state_last_run(s, obb_files_number(files, "out/a.o"), &last) && last.cost.milliseconds == 77 && last.cost.memory == 88);
    CHECK(obb_fingerprint_same(last.command, (obb_fingerprint){11, 12}));
    CHECK_NUMBER(obb_files_count(files), known + 1); /* its inputs were not asked for */
    const obb_record *back = obb_state_record(s, obb_files_number(files, "out/a.o"));
    CHECK(back && back->inputs.count == 2);
    CHECK_TEXT(obb_files_path(files, back->inputs.at[1].file), "a.h");
    CHECK(!obb_state_record(s, obb_files_number(files, "out/b.o")));
    CHECK(!obb_state_last_run(s, obb_files_number(files, "out/b.o"), &last) && last.cost.milliseconds == 0 && last.cost.memory == 0);
    obb_memo memo = obb_state_memo(s);
    obb_text answer = {0};
    memo.put(memo.self, (obb_fingerprint){5, 6}, "what was dropped", 16);
    obb_state_drop_news(s);
    CHECK(!memo.get(memo.self, (obb_fingerprint){5, 6}, &answer));
    seen[0].file = obb_files_number(files, "a.c");
    seen[1].file = obb_files_number(files, "new.h");
    obb_state_put_record(s, obb_files_number(files, "out/a.o"), &record);
    obb_state_put_record(s, obb_files_number(files, "out/c.o"), &record);
    obb_state_note_made(s, obb_files_number(files, "out/late.o"));
    obb_state_note_made(s, obb_files_number(files, "out/c.o"));
    CHECK_NUMBER(obb_state_commit(s), 0);
    obb_state_put_record(s, obb_files_number(files, "out/b.o"), &record);
    obb_state_forget_made(s, obb_files_number(files, "out/c.o"));
    obb_state_forget_made(s, obb_files_number(files, "out/nothing.o"));
    obb_state_forget_made(s, obb_files_number(files, "out/late.o"));
    obb_state_note_made(s, obb_files_number(files, "out/late.o"));
    CHECK_NUMBER(obb_state_commit(s), 0);
    obb_state_close(s);
    obb_files_free(files);

    files = obb_files_new();
    s = obb_state_open("out", files, OBB_STATE_BUILD, NULL, NULL, diags);
    CHECK(!obb_state_was_damaged(s) && obb_state_record(s, obb_files_number(files, "out/b.o")));
    CHECK(!obb_state_record(s, obb_files_number(files, "out/c.o")));
    CHECK(obb_state_is_made(s, obb_files_number(files, "out/late.o"))); /* though there is no record yet */
    CHECK(!obb_state_is_made(s, obb_files_number(files, "out/c.o")));
    back = obb_state_record(s, obb_files_number(files, "out/a.o"));
    CHECK(back && back->inputs.count == 2);
    CHECK_TEXT(obb_files_path(files, back->inputs.at[0].file), "a.c");
    CHECK_TEXT(obb_files_path(files, back->inputs.at[1].file), "new.h");
    obb_state_close(s);
    obb_files_free(files);
    obb_diags_free(diags);
}

/* A command that only asks may remember answers while a build goes on: it must not tell what it
 * does not know. */
static void readers_do_not_disturb_the_writer(void)
{
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new(), *others = obb_files_new();
    obb_record record = {.reason = "never"};
    shell("rm -rf out; mkdir -p out");
    obb_state *writer = opened(files, diags);
    obb_state_put_record(writer, obb_files_number(files, "out/a.o"), &record);
    CHECK_NUMBER(obb_state_commit(writer), 0);
    obb_state *reader = obb_state_open("out", others, OBB_STATE_READ, NULL, NULL, diags);
    obb_state_put_record(writer, obb_files_number(files, "out/b.o"), &record);
    CHECK_NUMBER(obb_state_commit(writer), 0);
    obb_memo memo = obb_state_memo(reader);
    memo.put(memo.self, (obb_fingerprint){5, 6}, "x", 1);
    obb_state_close(reader);
    obb_state_close(writer);
    obb_files_free(files);
    files = obb_files_new();
    writer = opened(files, diags);
    CHECK(!obb_state_was_damaged(writer));
    CHECK(obb_state_record(writer, obb_files_number(files, "out/a.o")) && obb_state_record(writer, obb_files_number(files, "out/b.o")));
    obb_state_close(writer);
    obb_files_free(files);
    obb_files_free(others);
    obb_diags_free(diags);
}

/* Records wait for their commit in memory, so nobody else who writes has to wait for it; and whoever has looked at
 * the store before another wrote can still write. */
static void what_waits_locks_nobody_out(void)
{
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new(), *others = obb_files_new();
    obb_seen seen = {obb_files_number(files, "a.c"), {1, 2}};
    obb_record record = {.reason = "never", .inputs = {&seen, 1, 1}};
    obb_text answer = {0};
    shell("rm -rf out; mkdir -p out");
    obb_state *writer = opened(files, diags);
    obb_state_put_record(writer, obb_files_number(files, "out/a.o"), &record);
    CHECK_NUMBER(obb_state_commit(writer), 0);
    obb_state_close(writer);
    writer = obb_state_open_partial("out", files);
    if (!CHECK(writer != NULL))
        return;
    obb_memo build = obb_state_memo(writer);
    CHECK(!build.get(build.self, (obb_fingerprint){5, 6}, &answer));
    obb_state_put_record(writer, obb_files_number(files, "out/b.o"), &record);
    build.put(build.self, (obb_fingerprint){7, 8}, "build", 5);
    CHECK(build.get(build.self, (obb_fingerprint){7, 8}, &answer));
    CHECK_TEXT(answer.bytes, "build");
    obb_state *reader = obb_state_open("out", others, OBB_STATE_READ, NULL, NULL, diags);
    obb_memo question = obb_state_memo(reader);
    answer.length = 0;
    CHECK(!question.get(question.self, (obb_fingerprint){7, 8}, &answer));
    question.put(question.self, (obb_fingerprint){5, 6}, "question", 8);
    CHECK_NUMBER(obb_state_commit(reader), 0);
    obb_state_close(reader);
    CHECK_NUMBER(obb_state_commit(writer), 0);
    build.put(build.self, (obb_fingerprint){9, 9}, "dropped", 7);
    obb_state_drop_news(writer);
    CHECK(!build.get(build.self, (obb_fingerprint){9, 9}, &answer));
    obb_state_close(writer);
    obb_files_free(files);
    files = obb_files_new();
    writer = opened(files, diags);
    build = obb_state_memo(writer);
    CHECK(build.get(build.self, (obb_fingerprint){5, 6}, &answer) && build.get(build.self, (obb_fingerprint){7, 8}, &answer));
    CHECK_TEXT(answer.bytes, "questionbuild");
    CHECK(obb_state_record(writer, obb_files_number(files, "out/a.o")) && obb_state_record(writer, obb_files_number(files, "out/b.o")));
    CHECK(!obb_state_was_damaged(writer));
    obb_state_close(writer);
    obb_text_free(&answer);
    obb_files_free(files);
    obb_files_free(others);
    obb_diags_free(diags);
}

/* A new store is asked only for what this run has put into it; one that was there before, for everything. */
static void a_new_store_knows_what_was_put(void)
{
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new(), *others = obb_files_new();
    obb_text answer = {0};
    shell("rm -rf out; mkdir -p out");
    obb_state *writer = opened(files, diags), *reader = obb_state_open("out", others, OBB_STATE_READ, NULL, NULL, diags);
    obb_memo build = obb_state_memo(writer), question = obb_state_memo(reader);
    build.put(build.self, (obb_fingerprint){1, 7}, "an answer", 9);
    CHECK_NUMBER(obb_state_commit(writer), 0);
    question.put(question.self, (obb_fingerprint){1, 8}, "of another", 10);
    CHECK_NUMBER(obb_state_commit(reader), 0);
    CHECK(!build.get(build.self, (obb_fingerprint){1, 8}, &answer)); /* it is not looked for */
    CHECK(build.get(build.self, (obb_fingerprint){1, 7}, &answer));
    CHECK_TEXT(obb_text_bytes(&answer), "an answer");
    CHECK(question.get(question.self, (obb_fingerprint){1, 7}, &answer)); /* that store was there when it was opened */
    obb_state_close(reader);
    obb_state_close(writer);
    writer = opened(files, diags);
    build = obb_state_memo(writer);
    answer.length = 0;
    CHECK(build.get(build.self, (obb_fingerprint){1, 7}, &answer) && build.get(build.self, (obb_fingerprint){1, 8}, &answer));
    CHECK_TEXT(obb_text_bytes(&answer), "an answerof another");
    obb_state_close(writer);
    obb_text_free(&answer);
    obb_files_free(files);
    obb_files_free(others);
    obb_diags_free(diags);
}

/* What was made is told by the list and by the records: one of them may be damaged. */
static void what_was_made_is_told_twice(void)
{
    obb_diags *diags = obb_diags_new();
    for (int damage = 0; damage < 2; damage++) {
        obb_files *files = obb_files_new();
        shell("rm -rf out; mkdir -p out");
        obb_state *s = obb_state_open("out", files, OBB_STATE_BUILD, NULL, NULL, diags);
        obb_record record = {.reason = "never"};
        obb_state_put_record(s, obb_files_number(files, "out/a.o"), &record);
        obb_state_put_record(s, obb_files_number(files, "out/b.o"), &record);
        obb_state_commit(s);
        obb_state_close(s);
        shell(damage ? "rm out/.obbligato/state.db*" : "sed -i s/a.o/x.o/ out/.obbligato/made");
        s = obb_state_open("out", files, OBB_STATE_BUILD, NULL, NULL, diags);
        CHECK(obb_state_is_made(s, obb_files_number(files, "out/a.o")) && obb_state_is_made(s, obb_files_number(files, "out/b.o")));
        CHECK(!obb_state_is_made(s, obb_files_number(files, "out/x.o")));
        obb_state_close(s);
        obb_files_free(files);
    }
    obb_diags_free(diags);
}

void suite_state(void)
{
    harness_test("records come back", records_come_back);
    harness_test("asked names are not lost", asked_names_are_not_lost);
    harness_test("damage costs work, not truth", damage_costs_work_not_truth);
    harness_test("damage is over after one build", damage_is_over_after_one_build);
    harness_test("stamps are not believed after a start of the machine", stamps_are_not_believed_after_a_start_of_the_machine);
    harness_test("the short way sees every change", the_short_way_sees_every_change);
    harness_test("the short way verifies what is young", the_short_way_verifies_what_is_young);
    harness_test("paths of a snapshot are found", paths_of_a_snapshot_are_found);
    harness_test("nobody vouches for a damaged plan", nobody_vouches_for_a_damaged_plan);
    harness_test("pieces of a plan are vouched for on their own", pieces_of_a_plan_are_vouched_for_on_their_own);
    harness_test("questions of old are forgotten", questions_of_old_are_forgotten);
    harness_test("the short way is renewed", the_short_way_is_renewed);
    harness_test("the short way does not grow", the_short_way_does_not_grow);
    harness_test("the short way forgets what is gone", the_short_way_forgets_what_is_gone);
    harness_test("the first change is told early", the_first_change_is_told_early);
    harness_test("a long look finds all changes", a_long_look_finds_all_changes);
    harness_test("what is edited often is looked at first", what_is_edited_often_is_looked_at_first);
    harness_test("readers do not disturb the writer", readers_do_not_disturb_the_writer);
    harness_test("what waits locks nobody out", what_waits_locks_nobody_out);
    harness_test("a new store knows what was put", a_new_store_knows_what_was_put);
    harness_test("what was made is told twice", what_was_made_is_told_twice);
    harness_test("a part reads what it needs", a_part_reads_what_it_needs);
}
