/* Steps: what is promised, when scans go on, what is kept of them; how programs are launched; what
 * a command opens. */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <unistd.h>

#include "build/launch.h"
#include "run/run.h"
#include "base/trace.h"
#include "unit/same.h"
#include "unit/suites.h"
#include "unit/world.h"

static world begin(const char *only)
{
    world w = world_plan("host.debug", only);
    world_scan(&w);
    return w;
}

static obb_action *compile_of(const world *w, const char *source)
{
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (w->plan->actions.at[i]->options && w->plan->actions.at[i]->variant == w->variant &&
            strcmp(obb_files_path(w->files, w->plan->actions.at[i]->source), source) == 0)
            return w->plan->actions.at[i];
    return NULL;
}

/* --- promises ----------------------------------------------------------------------- */

static void a_promised_file_is_there_and_cannot_be_had(void)
{
    world_clear();
    harness_write("old.h", "1\n");
    obb_files *files = obb_files_new();
    obb_file old = obb_files_number(files, "old.h"), new = obb_files_number(files, "new.h");
    obb_fingerprint fingerprint;
    obb_text text = {0};
    obb_files_mark_pending(files, old);
    obb_files_mark_pending(files, new);
    CHECK(obb_files_is_file(files, old) && obb_files_is_file(files, new));
    CHECK_NUMBER(obb_files_fingerprint(files, old, &fingerprint), EAGAIN);
    CHECK_NUMBER(obb_files_read(files, new, &text), EAGAIN);
    obb_files_forget(files, old);
    obb_files_forget(files, new);
    CHECK_NUMBER(obb_files_fingerprint(files, old, &fingerprint), 0);
    CHECK(!obb_files_is_file(files, new) && !obb_files_is_pending(files, new));
    obb_text_free(&text);
    obb_files_free(files);
}

static void write_chain(void)
{
    world_clear();
    harness_write("obbligato.score",
                  "project p { }\n"
                  "step first  { reads a.in; makes gen/a.h; copy a.in to gen/a.h }\n"
                  "step second { reads b.in; makes gen/b.h; copy b.in to gen/b.h; optional yes }\n"
                  "program p { sources p.c q.c }\n");
    harness_write("a.in", "#include \"b.h\"\n");
    harness_write("b.in", "#define B 0\n");
    harness_write("p.c", "#include \"a.h\"\nint q(void);\nint main(void) { return B + q(); }\n");
    harness_write("q.c", "int q(void) { return 0; }\nint q(void);\n");
    world_settle();
}

static void scans_go_on_when_a_step_is_done(void)
{
    write_chain();
    world w = begin("p");
    obb_action *p = compile_of(&w, "p.c");
    CHECK_TEXT(obb_files_path(w.files, obb_dependencies_of(w.table, p)->pending), "out/host.debug/gen/a.h");
    CHECK(obb_unscanned(w.table, p) && !obb_unscanned(w.table, compile_of(&w, "q.c")));
    obb_run_result r = world_carry_out(&w, 1);
    CHECK_NUMBER(r.failed + r.left, 0);
    /* the second step was wanted when the first was done, as urgently as p.c, which waits for it */
    CHECK_TEXT(obb_text_bytes(&w.order), "gen/a.h gen/b.h p.c q.c bin/p");
    world_end(&w);
    world_settle();
    w = begin("p");
    r = world_carry_out(&w, 1);
    CHECK_NUMBER(r.made, 0);
    CHECK_NUMBER(r.up_to_date, 5);
    world_end(&w);
}

static void what_comes_out_the_same_stops_there(void)
{
    write_chain();
    world w = begin("p");
    world_carry_out(&w, 1);
    world_end(&w);
    harness_write("obbligato.score",
                  "project p { }\n"
                  "step first  { reads a.in more.in; makes gen/a.h; copy a.in to gen/a.h }\n"
                  "step second { reads b.in; makes gen/b.h; copy b.in to gen/b.h; optional yes }\n"
                  "program p { sources p.c q.c }\n");
    harness_write("more.in", "x\n");
    w = begin("p");
    obb_run_result r = world_carry_out(&w, 1);
    CHECK_TEXT(obb_text_bytes(&w.order), "gen/a.h");
    CHECK_NUMBER(r.same, 1);
    CHECK_NUMBER(r.up_to_date, 4);
    world_end(&w);
}

/* The forecast knows what is behind a step that is up to date, and not what is behind another. */
static void the_forecast_goes_through_steps(void)
{
    write_chain();
    world w = begin("p");
    obb_cause *causes = obb_forecast(w.arena, w.state, w.table, w.wanted);
    CHECK_NUMBER(causes[compile_of(&w, "p.c")->number].kind, OBB_CAUSE_NEVER_MADE);
    CHECK(obb_dependencies_of(w.table, compile_of(&w, "p.c"))->pending != OBB_NO_FILE);
    world_carry_out(&w, 1);
    world_end(&w);
    harness_write("b.in", "#define B (1 - 1)\n");
    world_settle();
    w = begin("p");
    causes = obb_forecast(w.arena, w.state, w.table, w.wanted);
    size_t expected = 0;
    for (size_t i = 0; i < w.plan->actions.count; i++)
        expected += causes[i].kind != OBB_CAUSE_NONE;
    CHECK_NUMBER(expected, 3); /* the second step, p.c, the program */
    CHECK_NUMBER(causes[compile_of(&w, "p.c")->number].kind, OBB_CAUSE_INPUT_REMADE);
    CHECK_NUMBER(causes[compile_of(&w, "q.c")->number].kind, OBB_CAUSE_NONE);
    world_end(&w);
}

static void a_late_header_that_is_missing_is_told(void)
{
    write_chain();
    harness_write("a.in", "#include \"nowhere.h\"\n");
    world w = begin("p");
    obb_run_result r = world_carry_out(&w, 1);
    CHECK_NUMBER(r.failed, 1);
    CHECK(strstr(obb_text_bytes(&w.order), "!out/host.debug/gen/a.h:1: header \"nowhere.h\" is missing") != NULL);
    CHECK_NUMBER(r.left, 2);
    world_end(&w);
}

static void questions_believe_what_is_made(void)
{
    write_chain();
    world w = begin("p");
    world_carry_out(&w, 1);
    world_end(&w);
    harness_write("a.in", "#define NEWER\n");
    w = world_plan("host.debug", "p");
    obb_plan_believe(w.plan);
    obb_scan_wanted(w.table, w.wanted, (obb_scan_memory){NULL, NULL, NULL}, w.diags);
    CHECK(obb_dependencies_of(w.table, compile_of(&w, "p.c"))->pending == OBB_NO_FILE); /* as it was made, not as it will be */
    world_end(&w);
}

/* --- what a step is ----------------------------------------------------------------- */

static const char *command_of(const world *w, const char *subject)
{
    obb_text text = {0};
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (w->plan->actions.at[i]->variant == w->variant && strcmp(obb_action_subject(w->plan, w->plan->actions.at[i]), subject) == 0)
            obb_action_command(w->plan->actions.at[i], &text);
    const char *copy = obb_arena_string(w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static void words_of_steps_are_filled(void)
{
    world_clear();
    harness_write("obbligato.score",
                  "project p { version 3 }\n"
                  "read sub/sub.score\n"
                  "axis color { values red blue; default blue }\n"
                  "program tool { sources tool.c; optional yes }\n"
                  "program p { sources p.c; after { makes img/p.sum; run sh sub/x.sh {product} {makes.dir}/p.sum } }\n");
    harness_write("sub/sub.score",
                  "step one { reads *.txt; makes gen/one gen/two; in .; env N={axis:color}\n"
                  "  run sh x.sh {makes} {reads} --{variant} {source}\n  run {tool:tool} {out}\n}\n"
                  "step two { reads made:one; makes gen/three; join {reads} {made:two} to gen/three\n"
                  "  write-text \"a b\" to {out}/gen/note\n  hash {made:one} to {out}/gen/sum\n  fill 4 with 0x20 to {out}/gen/blank }\n");
    harness_write("sub/a.txt", "");
    harness_write("sub/b.txt", "");
    harness_write("sub/x.sh", "");
    harness_write("tool.c", "int main(void) { return 0; }\n");
    harness_write("p.c", "int main(void) { return 0; }\n");
    world w = world_plan("host.debug", "p");
    CHECK_TEXT(command_of(&w, "gen/one"), "cd sub && N=blue sh x.sh ../out/host.debug/gen/one ../out/host.debug/gen/two a.txt b.txt --host.debug . && "
                                          "N=blue ../out/host.release/bin/tool ../out/host.debug");
    CHECK_TEXT(command_of(&w, "gen/three"), "join out/host.debug/gen/one out/host.debug/gen/two out/host.debug/gen/three && "
                                            "write-text 'a b' out/host.debug/gen/note && hash out/host.debug/gen/one out/host.debug/gen/sum && "
                                            "fill 4 0x20 out/host.debug/gen/blank");
    CHECK_TEXT(command_of(&w, "img/p.sum"), "sh sub/x.sh out/host.debug/bin/p out/host.debug/img/p.sum");
    const obb_action *one = obb_plan_maker(w.plan, obb_files_number(w.files, "out/host.debug/gen/two"));
    bool script = false, tool = false;
    for (size_t i = 0; one && i < one->stated.inputs.count; i++) {
        script = script || strcmp(obb_files_path(w.files, one->stated.inputs.at[i]), "sub/x.sh") == 0;
        tool = tool || strcmp(obb_files_path(w.files, one->stated.inputs.at[i]), "out/host.release/bin/tool") == 0;
    }
    CHECK(script && tool);
    world_end(&w);
}

/* --- the kept plan ------------------------------------------------------------------ */

static void a_kept_plan_holds_steps(void)
{
    write_chain();
    world w = begin("p");
    world_carry_out(&w, 1);
    obb_text bytes = {0};
    const obb_words none = {0};
    bool *flags = obb_arena_alloc(w.arena, obb_files_count(w.files) + w.plan->actions.count);
    const obb_plan_facts facts = {.wanted = w.wanted, .fixed = flags, .fixed_count = obb_files_count(w.files),
                                  .left_out = &none,
                                  .far = &none};
    obb_serialized_plan_write(w.table, &facts, &bytes);
    obb_serialized_plan *kept = obb_serialized_plan_open(&(obb_plan_bytes){bytes.bytes, bytes.length, NULL, NULL}, w.arena);
    obb_file_list changed = {0}, others = {0};
    obb_words variants = {0};
    obb_arena_push(w.arena, &changed, obb_files_number(w.files, "b.in"));
    CHECK(obb_serialized_plan_reaches(kept, &changed, &others) && !others.count);
    obb_plan *part = obb_serialized_plan_subplan(kept, &same_files,
        &(const obb_plan_input){.arena = w.arena, .files = w.files, .toolchains = w.toolchains, .scanner = w.scanner, .out = "out"});
    CHECK_NUMBER(part->actions.count, 3);
    const obb_action *step = part->actions.at[0], *whole = NULL;
    for (size_t i = 0; i < part->actions.count; i++)
        if (part->actions.at[i]->step)
            step = part->actions.at[i];
    CHECK(step->step != NULL && step->step->commands.count == 1 && step->step->commands.at[0].kind == OBB_STEP_COPY);
    whole = obb_plan_maker(w.plan, step->output);
    CHECK(obb_fingerprint_same(step->command, whole->command) && step->stated.found_inputs == whole->stated.found_inputs);
    CHECK(obb_files_is_pending(w.files, step->output)); /* in the part, it is still to be made */
    obb_serialized_plan_variants(kept, w.arena, &variants);
    CHECK_NUMBER(variants.count, 1);
    CHECK_TEXT(variants.at[0], "host.debug");
    obb_text_free(&bytes);
    world_end(&w);
}

/* --- launching ---------------------------------------------------------------------- */

static void launches_go_by_the_runner(void)
{
    world_clear();
    harness_write("obbligato.score",
                  "project p { }\nplatform box { set os=none cpu=odd; runner box }\nplatform bare { set os=none cpu=odd }\n"
                  "runner box { run sh -c {program} {arguments} --; debug sh {program} {port} }\n");
    obb_arena *arena = obb_arena_new();
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new();
    obb_project *project = obb_project_read(files, NULL, NULL, diags);
    obb_words arguments = {0}, words = {0};
    obb_arena_push(arena, &arguments, "one");
    obb_arena_push(arena, &arguments, "two");
    const obb_variant *box = obb_project_variant_named(project, "box.debug", NULL, OBB_NOWHERE, diags);
    const obb_variant *bare = obb_project_variant_named(project, "bare.debug", NULL, OBB_NOWHERE, diags);
    const obb_variant *host = obb_project_variant_named(project, "host.debug", NULL, OBB_NOWHERE, diags);
    CHECK(obb_runs_here(host) && !obb_runs_here(box));
    CHECK(obb_launch_words(&(const obb_launching){box, "/p", NULL, &arguments, NULL, files, arena}, diags, &words));
    CHECK_NUMBER(words.count, 6);
    CHECK_TEXT(words.at[2], "/p");
    CHECK_TEXT(words.at[4], "two");
    words = (obb_words){0};
    CHECK(!obb_launch_words(&(const obb_launching){box, "/p", NULL, &arguments, "77", files, arena}, diags, &words)); /* it hands none on */
    arguments.count = 0;
    words = (obb_words){0};
    CHECK(obb_launch_words(&(const obb_launching){box, "/p", NULL, &arguments, "77", files, arena}, diags, &words));
    CHECK_TEXT(words.at[2], "77");
    words = (obb_words){0};
    CHECK(obb_launch_words(&(const obb_launching){host, "/p", NULL, &arguments, NULL, files, arena}, diags, &words));
    CHECK_NUMBER(words.count, 1);
    CHECK(!obb_launch_words(&(const obb_launching){bare, "/p", NULL, &arguments, NULL, files, arena}, diags, &words));
    obb_project_free(project);
    obb_files_free(files);
    obb_diags_free(diags);
    obb_arena_free(arena);
}

/* --- watching ----------------------------------------------------------------------- */

static void what_a_command_opens_is_told(void)
{
    if (!obb_trace_offered()) {
        harness_skip("what a command opens is told", "this system does not offer it");
        return;
    }
    world_clear();
    harness_write("read.txt", "text\n");
    char *argv[] = {"sh", "-c", "cat read.txt > written.txt; (cat written.txt > /dev/null; exit 0); cat nowhere.txt 2> /dev/null; exit 5", NULL};
    pid_t child = fork();
    if (child == 0)
        _exit(obb_trace(argv, "report"));
    int status = 0;
    CHECK(waitpid(child, &status, 0) == child && WIFEXITED(status) && WEXITSTATUS(status) == 5);
    char *report = harness_read("report", NULL);
    CHECK(report && strstr(report, "/read.txt\n") && strstr(report, "/written.txt\n"));
    CHECK(report && strstr(report, "w /") && strstr(report, "r /") && !strstr(report, "nowhere.txt") && report[0] != '!');
    free(report);
}

void suite_steps(void)
{
    harness_test("a promised file is there and cannot be had", a_promised_file_is_there_and_cannot_be_had);
    harness_test("scans go on when a step is done", scans_go_on_when_a_step_is_done);
    harness_test("what comes out the same stops there", what_comes_out_the_same_stops_there);
    harness_test("the forecast goes through steps", the_forecast_goes_through_steps);
    harness_test("a late header that is missing is told", a_late_header_that_is_missing_is_told);
    harness_test("questions believe what is made", questions_believe_what_is_made);
    harness_test("words of steps are filled", words_of_steps_are_filled);
    harness_test("a kept plan holds steps", a_kept_plan_holds_steps);
    harness_test("launches go by the runner", launches_go_by_the_runner);
    harness_test("what a command opens is told", what_a_command_opens_is_told);
}
