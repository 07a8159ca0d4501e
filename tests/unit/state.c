#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>
#include <unistd.h>

#include "state/ready.h"
#include "state/state.h"
#include "unit/suites.h"

static obb_state *opened(obb_files *files, obb_diags *diags)
{
    return obb_state_open("out", files, true, NULL, NULL, diags);
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
    obb_record r = {.command = {5, 6}, .tools = {7, 8}, .output = {9, 10}, .milliseconds = 12, .reason = "because"};
    r.argv.at = words;
    r.argv.count = 3;
    r.inputs.at = seen;
    r.inputs.count = 2;
    obb_state_put_record(s, obb_files_number(files, "out/a.o"), &r);
    memo.put(memo.self, (obb_print){1, 1}, "answer", 6);
    CHECK_NUMBER(obb_state_commit(s), 0);
    obb_state_close(s);
    obb_diags_free(diags);
    obb_files_free(files);
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
        CHECK_NUMBER(r->inputs.at[1].print.low, 4);
        CHECK_NUMBER(r->output.low, 10);
        CHECK_TEXT(r->reason, "because");
        CHECK_NUMBER(r->argv.count, 3);
        CHECK_TEXT(r->argv.at[2], "a.c");
    }
    CHECK(obb_state_is_made(s, obb_files_number(files, "out/a.o")));
    obb_text answer = {0};
    obb_memo memo = obb_state_memo(s);
    CHECK(memo.get(memo.self, (obb_print){1, 1}, &answer));
    CHECK_TEXT(answer.bytes, "answer");
    CHECK(!memo.get(memo.self, (obb_print){1, 2}, &answer));
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
    unsigned seed = 3;
    for (int round = 0; round < 60; round++) {
        char *printed;
        harness_shell("rm -rf out", &printed);
        free(printed);
        fill();
        size_t n;
        char *bytes = harness_read("out/.obbligato/state.db", &n);
        for (int i = 0; i < 1 + round; i++) {
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

static void wait_for_the_clock(void)
{
    struct timespec t = {.tv_nsec = 40000000};
    nanosleep(&t, NULL);
}

static int64_t now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

static const obb_print key = {11, 12};

/* Keeps: one file read, one folder listed, one place of absence. */
static void keep(void)
{
    obb_files *files = obb_files_new();
    obb_print print;
    int64_t since = now();
    obb_files_print(files, obb_files_number(files, "k/read"), &print);
    obb_files_list(files, obb_files_number(files, "k/listed"));
    obb_files_stamp(files, obb_files_number(files, "k/absent/deep/er"));
    obb_ready_write("ready", key, files, since, "all is well");
    obb_files_free(files);
}

static bool holds(void)
{
    obb_text message = {0};
    size_t looks;
    bool yes = obb_ready_holds("ready", key, &message, &looks);
    if (yes)
        CHECK_TEXT(message.bytes, "all is well");
    obb_text_free(&message);
    return yes;
}

static void the_short_way_sees_every_change(void)
{
    static const char *const changes[] = {
        "echo other > k/read", "rm k/read", "touch k/listed/new", "rm k/listed/old", "mkdir -p k/absent",
        "mv k/read k/x; cp k/x k/read", "rm -rf k/listed", "printf x >> ready", "rm ready", "mkdir k/sub"};
    for (size_t i = 0; i < sizeof changes / sizeof *changes; i++) {
        char *printed;
        harness_shell("rm -rf k; mkdir -p k/listed; echo text > k/read; echo > k/listed/old", &printed);
        free(printed);
        wait_for_the_clock();
        keep();
        CHECK(holds());
        CHECK(holds());
        wait_for_the_clock();
        harness_shell(changes[i], &printed);
        free(printed);
        if (!CHECK(!holds()))
            printf("  after: %s\n", changes[i]);
    }
}

static void the_short_way_verifies_what_is_young(void)
{
    char *printed;
    harness_shell("rm -rf k; mkdir -p k/listed", &printed);
    free(printed);
    wait_for_the_clock();
    harness_write("k/read", "a");
    obb_stamp before, after;
    obb_files *files = obb_files_new();
    obb_print print;
    obb_files_print(files, obb_files_number(files, "k/read"), &print);
    obb_ready_write("ready", key, files, now(), "all is well");
    obb_files_free(files);
    obb_stamp_of("k/read", &before);
    FILE *f = fopen("k/read", "r+b"); /* the same size, and perhaps the same stamp */
    fputc('b', f);
    fclose(f);
    obb_stamp_of("k/read", &after);
    CHECK(!holds());
    CHECK(before.size == after.size);
}

void suite_state(void)
{
    harness_test("records come back", records_come_back);
    harness_test("damage costs work, not truth", damage_costs_work_not_truth);
    harness_test("the short way sees every change", the_short_way_sees_every_change);
    harness_test("the short way verifies what is young", the_short_way_verifies_what_is_young);
}
