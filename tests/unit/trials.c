/* Commands side by side, trials and how they are judged, reports of them, and the shelf. */
#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "report/report.h"
#include "base/commands.h"
#include "run/test_runs.h"
#include "state/object_cache.h"
#include "unit/suites.h"

/* --- commands ----------------------------------------------------------------------- */

typedef struct lot {
    obb_commands commands;
    obb_command all[4];
    size_t started, over, count;
    char order[10];
} lot;

static void one_over(obb_command *c)
{
    lot *l = c->self;
    l->order[l->over++] = (char)('a' + (c - l->all));
    if (l->over == l->count)
        obb_commands_finish(&l->commands);
}

static void nothing(void *self)
{
    (void)self;
}

static obb_command shell(lot *l, const char *const *argv)
{
    return (obb_command){.argv = argv, .lock = -1, .over = one_over, .self = l};
}

static void run_lot(lot *l)
{
    l->commands = (obb_commands){.self = l, .interrupted = nothing};
    obb_commands_open(&l->commands);
    for (size_t i = 0; i < l->count; i++)
        obb_commands_start(&l->commands, &l->all[i]);
    obb_commands_run(&l->commands);
    for (size_t i = 0; i < l->count; i++)
        CHECK(l->all[i].pid == 0);
}

static void free_lot(lot *l)
{
    for (size_t i = 0; i < l->count; i++) {
        obb_text_free(&l->all[i].output);
        obb_text_free(&l->all[i].errors);
    }
}

/* Its status is gone when it is waited for. */
static void collect_elsewhere(obb_command *c)
{
    int status;
    CHECK(waitpid(c->pid, &status, 0) == c->pid);
}

static void a_command_whose_end_is_unknown_has_failed(void)
{
    const char *fails[] = {"sh", "-c", "echo begun; exit 3", NULL};
    lot l = {.count = 1};
    l.all[0] = shell(&l, fails);
    l.all[0].printed = collect_elsewhere;
    run_lot(&l);
    CHECK_NUMBER(l.all[0].failed, ECHILD);
    CHECK_NUMBER(l.all[0].status, 127);
    free_lot(&l);
}

static void commands_run_side_by_side(void)
{
    const char *slow[] = {"sh", "-c", "sleep 0.2; echo slow; echo wrong >&2; exit 3", NULL};
    const char *quick[] = {"sh", "-c", "pwd; echo $BELL; kill -TERM $$", NULL};
    const char *lost[] = {"./no-such-program", NULL};
    const char *variables[] = {"BELL=great"};
    char **environment = obb_environment_with(NULL, variables, 1);
    lot l = {.count = 3};
    harness_write("below/x", "");
    l.all[0] = shell(&l, slow);
    l.all[0].apart = true;
    l.all[1] = shell(&l, quick);
    l.all[1].folder = "below";
    l.all[1].environment = environment;
    l.all[2] = shell(&l, lost);
    run_lot(&l);
    CHECK_NUMBER(l.over, 3);
    CHECK(l.order[2] == 'a'); /* nobody waited for it */
    CHECK_TEXT(obb_text_bytes(&l.all[0].output), "slow\n");
    CHECK_TEXT(obb_text_bytes(&l.all[0].errors), "wrong\n");
    CHECK_NUMBER(l.all[0].status, 3);
    CHECK(l.all[0].milliseconds >= 190);
    CHECK_NUMBER(l.all[1].signal, SIGTERM);
    CHECK(strstr(obb_text_bytes(&l.all[1].output), "/below\ngreat\n") != NULL);
    CHECK(l.all[2].failed != 0);
    free(environment);
    free_lot(&l);
}

static void a_limit_ends_the_whole_group(void)
{
    const char *stubborn[] = {"sh", "-c", "trap '' TERM; (sleep 50; touch still-there) & echo begun; sleep 50", NULL};
    const char *leaves[] = {"sh", "-c", "sleep 50 & echo left", NULL};
    lot l = {.count = 2};
    l.all[0] = shell(&l, stubborn);
    l.all[0].limit = 150;
    l.all[1] = shell(&l, leaves);
    l.all[1].ends_group = true; /* else its pipe would stay open for 50 s */
    run_lot(&l);
    CHECK(l.all[0].timed_out);
    CHECK_NUMBER(l.all[0].signal, SIGKILL);
    CHECK_TEXT(obb_text_bytes(&l.all[0].output), "begun\n");
    CHECK(!l.all[1].timed_out);
    CHECK_TEXT(obb_text_bytes(&l.all[1].output), "left\n");
    CHECK(l.all[0].milliseconds < 20000);
    free_lot(&l);
}

/* --- trials ------------------------------------------------------------------------- */

static size_t finished_count;

static void finished(void *self, const obb_test_run *t, size_t done, size_t total)
{
    (void)self, (void)t;
    finished_count++;
    CHECK(done <= total && done == finished_count);
}

static void ticked(void *self, size_t done, size_t total, unsigned running, uint64_t milliseconds)
{
    (void)self, (void)milliseconds;
    CHECK(done <= total && running <= 2);
}

static const obb_target target = {.kind = OBB_TEST, .name = "t<1> & \"more\""};
static const obb_variant variant = {.name = "host.debug"};

static obb_test_run trial(obb_arena *arena, const char *script)
{
    obb_test_run t = {.target = &target, .variant = &variant, .limit = 10000};
    const char *words[] = {"sh", "-c", script, NULL};
    for (int i = 0; i < 4; i++)
        obb_arena_push(arena, &t.argv, words[i]);
    t.argv.count--;
    return t;
}

static obb_test_runs_options usual(void)
{
    finished_count = 0;
    return (obb_test_runs_options){.jobs = 2, .finished = finished, .ticked = ticked};
}

static void trials_are_judged(void)
{
    obb_arena *arena = obb_arena_new();
    obb_test_runs_options how = usual();
    bool interrupted;
    obb_test_run all[8];
    for (int i = 0; i < 8; i++)
        all[i] = trial(arena, "echo one; echo two");
    harness_write("expected", "one\ntwo\n");
    harness_write("other", "one\nthree\n");
    all[0].expected_output = "expected";
    all[1].expected_output = "other";
    all[2].expected_output = "nowhere";
    all[3].expected_status = 1;
    obb_arena_push(arena, &all[4].patterns, "^t.o$");
    obb_arena_push(arena, &all[5].patterns, "^t.o$");
    obb_arena_push(arena, &all[5].patterns, "three");
    obb_arena_push(arena, &all[6].patterns, "(");
    all[7].argv.count = 0;
    all[7].reason = "no emulator";
    obb_run_tests(all, 8, &how, arena, &interrupted);
    static const obb_outcome wanted[] = {OBB_PASSED, OBB_FAILED, OBB_FAILED, OBB_FAILED, OBB_PASSED, OBB_FAILED, OBB_FAILED, OBB_SKIPPED};
    for (int i = 0; i < 8; i++)
        CHECK_NUMBER(all[i].outcome, wanted[i]);
    CHECK_NUMBER(finished_count, 8);
    CHECK_TEXT(all[1].difference, "  one\n- three\n+ two\n");
    CHECK_TEXT(all[3].reason, "exit status 0, wanted 1");
    CHECK_TEXT(all[5].reason, "nothing that it printed matches `three`");
    CHECK(strstr(all[6].reason, "is not a regular expression") != NULL);
    CHECK_TEXT(all[7].reason, "no emulator");
    CHECK(!interrupted);
    obb_arena_free(arena);
}

static void a_trial_is_tried_again(void)
{
    obb_arena *arena = obb_arena_new();
    obb_test_runs_options how = usual();
    bool interrupted;
    obb_test_run all[2] = {trial(arena, "echo x >> tries; test $(wc -l < tries) -ge 3"), trial(arena, "false")};
    how.retries = 2;
    obb_run_tests(all, 2, &how, arena, &interrupted);
    CHECK_NUMBER(all[0].outcome, OBB_PASSED);
    CHECK_NUMBER(all[0].attempts, 3);
    CHECK_TEXT(all[0].reason, "it failed 2 times before"); /* never in silence */
    CHECK_NUMBER(all[1].outcome, OBB_FAILED);
    CHECK_NUMBER(all[1].attempts, 3);
    obb_arena_free(arena);
}

static void after_the_first_failure_nothing_begins(void)
{
    obb_arena *arena = obb_arena_new();
    obb_test_runs_options how = usual();
    bool interrupted;
    obb_test_run all[3] = {trial(arena, "true"), trial(arena, "false"), trial(arena, "touch began")};
    how.first_failure = true;
    how.jobs = 1;
    obb_run_tests(all, 3, &how, arena, &interrupted);
    CHECK_NUMBER(all[1].outcome, OBB_FAILED);
    CHECK_NUMBER(all[2].outcome, OBB_NOT_RUN);
    CHECK(access("began", F_OK) != 0);
    obb_arena_free(arena);
}

/* --- differences -------------------------------------------------------------------- */

static void differences_of_lines(void)
{
    obb_arena *arena = obb_arena_new();
    CHECK_TEXT(obb_lines_difference("a\nb\nc\n", "a\nb\nc\n", arena), "  ...\n");
    CHECK_TEXT(obb_lines_difference("", "a\n", arena), "+ a\n(it has besides the end of the last line)\n");
    CHECK_TEXT(obb_lines_difference("a\n", "a", arena), "  ...\n(it lacks the end of the last line)\n");
    CHECK_TEXT(obb_lines_difference("1\n2\n3\n4\n5\n6\n7\n", "1\n2\n3\n4\n5\n6\n8\n", arena), "  ...\n  5\n  6\n- 7\n+ 8\n");
    obb_arena_free(arena);
}

/* With all that is marked `-` and all that is not marked, one gets the first text; with `+`, the second. */
static void a_difference_leads_from_one_to_the_other(void)
{
    unsigned seed = harness_seed(7);
    for (int round = 0; round < harness_rounds(200); round++) {
        obb_arena *arena = obb_arena_new();
        obb_text texts[2] = {{0}, {0}}, back[2] = {{0}, {0}};
        for (int k = 0; k < 2; k++)
            for (int i = 0; i < 5; i++) /* few lines, so that none is left out for being far from an edit */
                if ((seed = seed * 1103515245 + 12345) >> 16 & 1)
                    obb_text_format(&texts[k], "%u\n", seed >> 20 & 3);
        const char *shown = obb_lines_difference(obb_text_bytes(&texts[0]), obb_text_bytes(&texts[1]), arena);
        bool any = strcmp(obb_text_bytes(&texts[0]), obb_text_bytes(&texts[1])) != 0;
        bool whole = any && !strstr(shown, "...");
        for (const char *line = shown; *line;) {
            size_t n = strcspn(line, "\n");
            if (line[0] == ' ' || line[0] == '-')
                obb_text_format(&back[0], "%.*s\n", (int)n - 2, line + 2);
            if (line[0] == ' ' || line[0] == '+')
                obb_text_format(&back[1], "%.*s\n", (int)n - 2, line + 2);
            line += n + (line[n] == '\n');
        }
        for (int k = 0; k < 2; k++) {
            if (whole)
                CHECK_TEXT(obb_text_bytes(&back[k]), obb_text_bytes(&texts[k]));
            obb_text_free(&back[k]);
            obb_text_free(&texts[k]);
        }
        obb_arena_free(arena);
    }
}

/* --- reports ------------------------------------------------------------------------ */

static void reports_hold_what_was_printed(void)
{
    obb_test_run all[3] = {{.target = &target, .variant = &variant, .outcome = OBB_PASSED, .milliseconds = 12, .output = "", .errors = ""},
                        {.target = &target, .variant = &variant, .number = 2, .outcome = OBB_FAILED, .reason = "exit status 1, wanted 0",
                         .output = "a <b> & \001\nlast", .errors = "", .difference = "- x\n"},
                        {.target = &target, .variant = &variant, .outcome = OBB_SKIPPED, .reason = "no emulator", .output = "", .errors = ""}};
    obb_text tap = {0}, junit = {0};
    obb_report_tap(all, 3, &tap);
    CHECK_TEXT(obb_text_bytes(&tap),
               "TAP version 14\n1..3\nok 1 - t<1> & \"more\" (host.debug)\n  ---\n  duration_ms: 12\n  ...\n"
               "not ok 2 - t<1> & \"more\" (host.debug) run 2\n  ---\n  duration_ms: 0\n  message: |2\n    exit status 1, wanted 0\n"
               "  printed: |2\n    a <b> & ?\n    last\n  difference: |2\n    - x\n  ...\n"
               "ok 3 - t<1> & \"more\" (host.debug) # SKIP no emulator\n");
    obb_report_junit("p", all, 3, 1500, &junit);
    const char *xml = obb_text_bytes(&junit);
    CHECK(strstr(xml, "<testsuite name=\"p\" tests=\"3\" failures=\"1\" errors=\"0\" skipped=\"1\" time=\"1.500\">") != NULL);
    CHECK(strstr(xml, "name=\"t&lt;1&gt; &amp; &quot;more&quot;\"") != NULL);
    CHECK(strstr(xml, "<system-out>a &lt;b&gt; &amp; ?&#10;last</system-out>") != NULL);
    CHECK(strstr(xml, "<skipped message=\"no emulator\"/>") != NULL);
    obb_text_free(&tap);
    obb_text_free(&junit);
}

/* --- the shelf ---------------------------------------------------------------------- */

static obb_object_cache_key key_of(int n)
{
    return obb_object_cache_key_of(&n, sizeof n);
}

static void put(obb_object_cache *cache, int n, const char *bytes, size_t length)
{
    obb_object_cache_key key = key_of(n);
    obb_object_cache_item item = {.cost = {7, 4096}};
    obb_text_add(&item.bytes, bytes, length);
    obb_text_string(&item.printed, "warning\n");
    obb_object_cache_put(cache, &key, &item);
    obb_object_cache_item_free(&item);
}

static bool take(obb_object_cache *cache, int n, size_t length)
{
    obb_object_cache_key key = key_of(n);
    obb_object_cache_item item;
    bool there = obb_object_cache_take(cache, &key, &item);
    if (there) {
        CHECK_NUMBER(item.bytes.length, length);
        CHECK_TEXT(obb_text_bytes(&item.printed), "warning\n");
        CHECK_NUMBER(item.cost.milliseconds, 7);
        CHECK_NUMBER(item.cost.memory, 4096);
    }
    obb_object_cache_item_free(&item);
    return there;
}

static obb_object_cache *cache_in(const char *folder, uint64_t limit)
{
    obb_arena *arena = obb_arena_new();
    const obb_object_cache_place place = {.folder = folder, .limit = limit};
    const char *why;
    obb_object_cache *cache = obb_object_cache_open(&place, arena, &why);
    CHECK(!cache == (why != NULL));
    obb_arena_free(arena);
    return cache;
}

static void what_is_shelved_is_found_again(void)
{
    obb_object_cache *cache = cache_in("shelf/of/mine", 0);
    put(cache, 1, "a\0b", 3);
    put(cache, 2, "", 0);
    CHECK(take(cache, 1, 3) && take(cache, 2, 0) && !take(cache, 3, 0));
    put(cache, 1, "other", 5); /* the same key: what it decides is the same, so either will do */
    CHECK(take(cache, 1, 5));
    CHECK_NUMBER(obb_object_cache_look(cache).entries, 2);
    obb_object_cache_close(cache);
    harness_write("file", "");
    CHECK(!cache_in("file/shelf", 0));
}

/* Whatever byte of an entry is damaged or cut off, it is not an entry, and is taken away. */
static void a_damaged_entry_is_none(void)
{
    unsigned seed = harness_seed(11);
    obb_object_cache *cache = cache_in("damaged", 0);
    for (int round = 0; round < harness_rounds(60); round++) {
        char line[300], *printed;
        put(cache, 5, "some bytes of an object", 23);
        seed = seed * 1103515245 + 12345;
        unsigned at = seed >> 16;
        if (round % 3 == 0)
            snprintf(line, sizeof line, "f=$(ls damaged/?/*); head -c $((%u %% $(wc -c < $f))) $f > cut; mv cut $f", at);
        else
            snprintf(line, sizeof line, "f=$(ls damaged/?/*); cp $f before; printf '\\%03o' | dd of=$f bs=1 seek=$((%u %% $(wc -c < $f))) conv=notrunc "
                     "status=none; cmp -s $f before && printf x >> $f; true", seed >> 8 & 255, at);
        harness_shell(line, &printed);
        CHECK_TEXT(printed, "");
        free(printed);
        CHECK(!take(cache, 5, 23));
        CHECK_NUMBER(obb_object_cache_look(cache).entries, 0);
    }
    obb_object_cache_close(cache);
}

static void the_shelf_keeps_its_limit(void)
{
    static char bytes[1000];
    char *printed;
    for (int round = 0; round < 5; round++) {
        obb_object_cache *cache = cache_in("small", 20000);
        for (int i = 0; i < 10; i++)
            put(cache, 100 + round * 10 + i, bytes, sizeof bytes);
        if (round == 0) {
            obb_object_cache_close(cache);
            harness_shell("touch -d 2001-01-01 small/?/*", &printed);
            free(printed);
            cache = cache_in("small", 20000);
            CHECK(take(cache, 103, sizeof bytes)); /* it was used just now */
        }
        obb_object_cache_close(cache);
        cache = cache_in("small", 20000);
        CHECK(obb_object_cache_look(cache).bytes <= 20000);
        if (round == 1) {
            int old = 0, new = 0;
            for (int i = 0; i < 10; i++) {
                old += i != 3 && take(cache, 100 + i, sizeof bytes);
                new += take(cache, 110 + i, sizeof bytes);
            }
            CHECK(take(cache, 103, sizeof bytes));
            CHECK(old < 9 && new == 10); /* the oldest went first */
        }
        obb_object_cache_close(cache);
    }
    harness_shell("touch -d '2 hours ago' small/3/killed.object.77-0; touch small/3/young.object.78-0", &printed);
    free(printed);
    obb_object_cache *cache = cache_in("small", 20000);
    put(cache, 200, bytes, sizeof bytes);
    put(cache, 201, bytes, sizeof bytes);
    obb_object_cache_close(cache);
    CHECK(access("small/3/killed.object.77-0", F_OK) != 0); /* a killed build's */
    CHECK(access("small/3/young.object.78-0", F_OK) == 0);  /* somebody may still write it */
    cache = cache_in("small", 20000);
    static char large[3000];
    put(cache, 999, large, sizeof large); /* more than a tenth of it all */
    CHECK(!take(cache, 999, sizeof large));
    obb_object_cache_close(cache);
}

void suite_trials(void)
{
    harness_test("commands run side by side", commands_run_side_by_side);
    harness_test("a command whose end is unknown has failed", a_command_whose_end_is_unknown_has_failed);
    harness_test("a limit ends the whole group", a_limit_ends_the_whole_group);
    harness_test("trials are judged", trials_are_judged);
    harness_test("a trial is tried again", a_trial_is_tried_again);
    harness_test("after the first failure nothing begins", after_the_first_failure_nothing_begins);
    harness_test("differences of lines", differences_of_lines);
    harness_test("a difference leads from one to the other", a_difference_leads_from_one_to_the_other);
    harness_test("reports hold what was printed", reports_hold_what_was_printed);
    harness_test("what is shelved is found again", what_is_shelved_is_found_again);
    harness_test("a damaged entry is none", a_damaged_entry_is_none);
    harness_test("the shelf keeps its limit", the_shelf_keeps_its_limit);
}
