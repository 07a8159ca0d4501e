/* The plan, its forecast and its running, on real compilers but without the command line. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "report/report.h"
#include "run/run.h"
#include "toolchain/system.h"
#include "unit/same.h"
#include "unit/suites.h"
#include "unit/world.h"

static world begin_in(const char *variant)
{
    world w = world_plan(variant, NULL);
    world_scan(&w);
    CHECK_NUMBER(obb_diags_fault(w.diags), OBB_FAULT_NONE);
    return w;
}

static world begin(void)
{
    return begin_in("host.debug");
}

static void write_project(void)
{
    world_clear();
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c m.c; share { include inc } }\n"
                                     "program p { sources p.c; uses l }\n");
    harness_write("inc/l.h", "int l(void);\n#define L 1\n");
    harness_write("l.c", "#include <l.h>\nint l(void) { return L; }\n");
    harness_write("m.c", "int m;\n");
    harness_write("p.c", "#include <l.h>\nint main(void) { return l(); }\n");
    world_settle();
}

static void the_second_run_makes_and_reads_nothing(void)
{
    write_project();
    world w = begin();
    obb_run_result r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.made, 5);
    CHECK_NUMBER(w.started, 5);
    CHECK_NUMBER(r.failed, 0);
    CHECK(w.plan->variants.at[0].toolchain->questions > 0);
    world_end(&w);
    world_settle();
    w = begin(); /* now the outputs are old enough to be believed */
    CHECK_NUMBER(world_carry_out(&w, 2).up_to_date, 5);
    world_end(&w);
    w = begin();
    size_t looks = obb_files_stat_count(w.files);
    r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.made, 0);
    CHECK_NUMBER(r.up_to_date, 5);
    CHECK_NUMBER(w.plan->variants.at[0].toolchain->questions, 0); /* the compiler is not asked again */
    CHECK(obb_files_stat_count(w.files) - looks < 20); /* no file is looked at twice */
    world_end(&w);
}

static size_t inputs_of(const world *w, const char *object)
{
    const obb_action *a = obb_plan_maker(w->plan, obb_files_number(w->files, object));
    return obb_dependencies_of(w->table, a)->inputs.count;
}

/* What macros become, and on which lines directives stand, counts as soon as one scan has asked for it. */
static void what_scans_ask_for_is_known_later(void)
{
    static const struct { const char *m, *header; size_t recalled, inputs; } edits[] = {
        {NULL, "#define L 5\n", 3, 2},
        {"#include <l.h>\n#if L > 5\n#include <more.h>\n#endif\nint m;\n", NULL, 2, 3}, /* m.c asks for L from here on */
        {NULL, "#define L 6\n", 1, 4},                        /* l.c and m.c read it; p.c does not */
        {NULL, "#define L 5\n", 1, 3},
        {NULL, "\n#define L 5\n", 3, 3},
        {"#include <l.h>\n#if __LINE__ == 2\n#include <more.h>\n#endif\nint m;\n", NULL, 2, 4},
        {"\n#include <l.h>\n#if __LINE__ == 2\n#include <more.h>\n#endif\nint m;\n", NULL, 2, 3},
        {NULL, "#define L 5\n", 1, 3}};
    world_clear();
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c m.c; share { include inc } }\n"
                                     "program p { sources p.c; uses l }\n");
    harness_write("inc/l.h", "#define L 4\n");
    harness_write("inc/more.h", "");
    harness_write("l.c", "#include <l.h>\nint l(void) { return L; }\n");
    harness_write("m.c", "int m;\n");
    harness_write("p.c", "int main(void) { return 0; }\n");
    world w = world_plan("host.debug", NULL);
    w.forgetful = true; /* as former versions wrote their records */
    world_scan(&w);
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("inc/l.h", "\n#define L 4\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 2);
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
    world_end(&w);
    for (size_t i = 0; i < sizeof edits / sizeof *edits; i++) {
        if (edits[i].m)
            harness_write("m.c", edits[i].m);
        if (edits[i].header)
            harness_write("inc/l.h", edits[i].header);
        w = begin();
        if (!CHECK_NUMBER(w.recalled, edits[i].recalled) ||
            !CHECK_NUMBER(inputs_of(&w, "out/host.debug/obj/l/m.c.o"), edits[i].inputs))
            printf("edit %zu\n", i);
        CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
        world_end(&w);
    }
}

static void only_what_an_edit_reaches_is_scanned(void)
{
    write_project();
    world w = begin();
    CHECK_NUMBER(w.recalled, 0);
    world_carry_out(&w, 2);
    world_end(&w);
    w = begin();
    CHECK_NUMBER(w.recalled, 3); /* nothing changed */
    const obb_action *object = obb_plan_maker(w.plan, obb_files_number(w.files, "out/host.debug/obj/l/l.c.o"));
    size_t inputs = obb_dependencies_of(w.table, object)->inputs.count;
    CHECK_NUMBER(inputs, 3); /* l.c, what the compiler reads by itself, inc/l.h */
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("l.c", "#include <l.h>\nint l(void) { return L + 1 - 1; }\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 3); /* its directives are as they were */
    CHECK_NUMBER(world_carry_out(&w, 2).made, 3);
    world_end(&w);
    harness_write("l.c", "\n#include <l.h>\nint l(void) { return L + 1 - 1; }\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 3); /* they stand at other lines */
    CHECK_NUMBER(world_carry_out(&w, 2).made, 3);
    world_end(&w);
    harness_write("l.c", "#include <l.h>\nint l(void) { return L; }\n");
    w = begin();
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("inc/l.h", "int l(void);\n#define L 2\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 3); /* no condition or include asks for L */
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
    world_end(&w);
    harness_write("inc/l.h", "int l(void);\n#define L 4\n#define M\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 1); /* another directive; m.c does not include it */
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
    world_end(&w);
    harness_write("first/other.h", "");
    harness_write("obbligato.score", "project p { }\nlibrary l { sources l.c m.c; share { include first inc } }\n"
                                     "program p { sources p.c; uses l }\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 0); /* other words on the command line */
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("first/l.h", "int l(void);\n#define L 3\n");
    w = begin();
    CHECK_NUMBER(w.recalled, 1); /* where it was looked for without success, there it is now */
    CHECK_NUMBER(world_carry_out(&w, 2).made, 5 - 1);
    world_end(&w);
}

static void a_header_remakes_its_readers_alone(void)
{
    write_project();
    world w = begin();
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("inc/l.h", "int l(void);\n#define L 2\n");
    w = begin();
    obb_cause *causes = obb_forecast(w.arena, w.state, w.table, w.wanted);
    size_t expected = 0;
    for (size_t i = 0; i < w.plan->actions.count; i++)
        expected += causes[i].kind != OBB_CAUSE_NONE;
    CHECK_NUMBER(expected, 4); /* l.c, p.c, the archive, the program */
    obb_run_result r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.made, 4);
    CHECK_NUMBER(r.same, 1); /* p.c does not use L */
    CHECK_NUMBER(r.up_to_date, 1);
    CHECK(strstr(w.causes.bytes, "l.c: inc/l.h changed\n") != NULL);
    CHECK(strstr(w.causes.bytes, "lib/libl.a: out/host.debug/obj/l/l.c.o changed\n") != NULL);
    world_end(&w);
}

static void a_failure_leaves_the_old_output(void)
{
    size_t before_length, after_length;
    write_project();
    world w = begin();
    world_carry_out(&w, 2);
    world_end(&w);
    char *before = harness_read("out/host.debug/obj/l/l.c.o", &before_length);
    harness_write("l.c", "this is not C\n");
    w = begin();
    obb_run_result r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.failed, 1);
    CHECK(r.left >= 1);
    world_end(&w);
    char *after = harness_read("out/host.debug/obj/l/l.c.o", &after_length);
    CHECK(before && after && before_length == after_length && memcmp(before, after, before_length) == 0);
    char *left;
    CHECK(harness_shell("ls out/.obbligato/work | grep .", &left) == 1);
    free(left);
    free(before);
    free(after);
    w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 1); /* and it is not taken for good */
    world_end(&w);
}

static size_t remove_stale(world *w)
{
    const obb_run_options options = {.observer = world_observe, .self = w};
    obb_file_list stale = {0};
    obb_run_list_stale(w->plan, w->state, &stale);
    size_t removed = obb_run_remove(w->plan, w->state, &stale, &options);
    obb_vec_free(&stale);
    return removed;
}

static void what_nothing_makes_any_more_goes(void)
{
    write_project();
    world w = begin();
    world_carry_out(&w, 2);
    world_end(&w);
    harness_write("out/host.debug/lib/mine", "mine");
    harness_write("obbligato.score", "project p { }\nprogram p { sources m.c p2.c }\n");
    harness_write("p2.c", "int main(void) { return 0; }\n");
    w = begin();
    CHECK_NUMBER(remove_stale(&w), 4); /* l.o, m.o, libl.a, p.c.o */
    CHECK(access("out/host.debug/lib/libl.a", F_OK) != 0);
    CHECK(access("out/host.debug/obj/l", F_OK) != 0);
    CHECK(access("out/host.debug/lib/mine", F_OK) == 0);
    world_carry_out(&w, 2);
    world_end(&w);
}

/* With one job and a plan of its own, the archive comes behind its objects. */
static void a_script_has_every_command_in_order(void)
{
    write_project();
    world w = begin();
    obb_text script = {0};
    obb_report_shell_script(w.table, w.wanted, NULL, &script);
    const char *object = strstr(script.bytes, "-o out/host.debug/obj/l/l.c.o");
    const char *archive = strstr(script.bytes, "rcsD out/host.debug/lib/libl.a");
    const char *program = strstr(script.bytes, "-o out/host.debug/bin/p");
    CHECK(object && archive && program && object < archive && archive < program);
    CHECK(strstr(script.bytes, "run_CC() { cc \"$@\"; }\n") != NULL);
    obb_text_free(&script);
    obb_text database = {0};
    obb_report_compilation_database(w.plan, w.variant, "/root/of/it", &database);
    CHECK(strstr(database.bytes, "\"directory\": \"/root/of/it\"") != NULL);
    CHECK(strstr(database.bytes, "\"file\": \"m.c\"") != NULL);
    obb_text_free(&database);
    world_end(&w);
}

static void metadata_files_are_read_with_what_they_require(void)
{
    write_project();
    harness_write("pc/bells.pc", "prefix=/opt/bells\n# remark\nlibdir=${prefix}/lib\nName: bells\n"
                                 "Requires: rope >= 1.0, wheel\nCflags: -I${prefix}/include -DB=1\n"
                                 "Libs: -L${libdir} -lbells\nLibs.private: -lnever\n");
    harness_write("pc/rope.pc", "Name: rope\nRequires: wheel\nLibs: -lrope\nCflags: -DB=1\n");
    harness_write("pc/wheel.pc", "Name: wheel\nLibs: -L/usr/lib -lwheel\nCflags: -I/usr/include\n");
    setenv("OBBLIGATO_METADATA", "nowhere:pc", 1);
    world w = begin();
    obb_metadata metadata = {0};
    obb_text line = {0};
    CHECK(obb_system_metadata(w.plan->variants.at[0].toolchain, "bells", OBB_NOWHERE, "p", w.diags, &metadata));
    obb_text_shell_line(&line, metadata.compile.at, metadata.compile.count);
    CHECK_TEXT(line.bytes, "-I/opt/bells/include -DB=1");
    line.length = 0;
    obb_text_shell_line(&line, metadata.link.at, metadata.link.count);
    CHECK_TEXT(line.bytes, "-L/opt/bells/lib -lbells -lrope -lwheel");
    obb_text_free(&line);
    unsetenv("OBBLIGATO_METADATA");
    world_end(&w);
    w = begin();
    CHECK(!obb_system_metadata(w.plan->variants.at[0].toolchain, "bells", OBB_NOWHERE, "p", w.diags, &metadata));
    CHECK(w.diags->list.count == 1 && strstr(w.diags->list.at[0]->message, "no `bells.pc`"));
    world_end(&w);
}

/* The action that makes a file, as a shell line; "" when nothing makes it. */
static const char *command(world *w, const char *path)
{
    const obb_action *a = obb_plan_maker(w->plan, obb_files_number(w->files, path));
    obb_text text = {0};
    if (a)
        obb_text_shell_line(&text, a->argv.at, a->argv.count);
    char *line = obb_arena_string(w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return line;
}

static void write_sources(const char *const *names)
{
    world_clear();
    for (; *names; names++)
        harness_write(*names, "int unused;\n");
}

static void static_libraries_inside_shared_ones_are_position_independent(void)
{
    static const char *const names[] = {"a.c", "b.c", "c.c", "p.c", NULL};
    write_sources(names);
    harness_write("obbligato.score", "project p { }\nlibrary a { sources a.c; kind shared; uses b }\n"
                                     "library b { sources b.c }\nlibrary c { sources c.c }\n"
                                     "library h { share { define H } }\nprogram p { sources p.c; uses a c h }\n");
    world w = begin();
    CHECK(strstr(command(&w, "out/host.debug/obj/a/a.c.o"), "-fPIC") != NULL);
    CHECK(strstr(command(&w, "out/host.debug/obj/b/b.c.o"), "-fPIC") != NULL);
    CHECK(strstr(command(&w, "out/host.debug/obj/c/c.c.o"), "-fPIC") == NULL);
    CHECK(strstr(command(&w, "out/host.debug/obj/p/p.c.o"), "-DH") != NULL);
    CHECK_TEXT(command(&w, "out/host.debug/lib/libh.a"), "");
    CHECK(strstr(command(&w, "out/host.debug/lib/liba.so"), "-Wl,-soname,liba.so") != NULL);
    const char *link = command(&w, "out/host.debug/bin/p");
    CHECK(strstr(link, "out/host.debug/lib/liba.so out/host.debug/lib/libc.a '-Wl,-rpath,$ORIGIN/../lib'") != NULL);
    CHECK(strstr(link, "libb.a") == NULL); /* it is in liba.so already */
    world_end(&w);
}

static void a_library_in_cxx_makes_the_cxx_compiler_link(void)
{
    static const char *const names[] = {"a.cpp", "p.c", "q.c", NULL};
    write_sources(names);
    harness_write("obbligato.score", "project p { }\nlibrary a { sources a.cpp }\nprogram p { sources p.c; uses a }\n"
                                     "program q { sources q.c }\nprogram r { sources q.c; link-with c++ }\n");
    world w = begin();
    CHECK(strstr(command(&w, "out/host.debug/bin/p"), "/c++ -o") != NULL);
    CHECK(strstr(command(&w, "out/host.debug/bin/q"), "/cc -o") != NULL);
    CHECK(strstr(command(&w, "out/host.debug/bin/r"), "/c++ -o") != NULL);
    world_end(&w);
}

static void what_is_wanted_follows_uses(void)
{
    static const char *const names[] = {"a.c", "b.c", "p.c", "q.c", NULL};
    write_sources(names);
    harness_write("obbligato.score", "project p { }\nlibrary a { sources a.c }\nlibrary b { sources b.c; uses a }\n"
                                     "program p { sources p.c; uses b }\nprogram q { sources q.c; optional yes }\n"
                                     "group all { p q }\n");
    world w = begin();
    obb_target_list defaults = {0};
    size_t n = 0;
    obb_default_targets(w.project, w.arena, &defaults);
    CHECK_NUMBER(defaults.count, 3); /* not the optional one, not the group */
    memset(w.wanted, 0, w.plan->actions.count);
    obb_want(w.table, obb_project_target(w.project, "b"), w.variant, w.wanted);
    for (size_t i = 0; i < w.plan->actions.count; i++)
        n += w.wanted[i];
    CHECK_NUMBER(n, 2); /* an archive needs nothing of the library it uses */
    obb_want(w.table, obb_project_target(w.project, "all"), w.variant, w.wanted);
    for (size_t i = n = 0; i < w.plan->actions.count; i++)
        n += w.wanted[i];
    CHECK_NUMBER(n, 8);
    world_end(&w);
}

/* --- images and other outputs ------------------------------------------------------- */

static void write_images(const char *notes)
{
    world_clear();
    harness_write("obbligato.score", "project p { }\nprogram p { sources p.c }\n"
                                     "image part { place notes.txt at 4; pad-to 16; fill 0x2e }\n"
                                     "image whole { place part at 0; place notes.txt at 20; formats bin hex }\n");
    harness_write("p.c", "int main(void) { return 0; }\n");
    harness_write("notes.txt", notes);
    world_settle();
}

static void check_file(const char *path, const char *wanted, size_t length)
{
    size_t n = 0;
    char *text = harness_read(path, &n);
    CHECK_NUMBER(n, length);
    CHECK(text && n == length && memcmp(text, wanted, length) == 0);
    free(text);
}

static void images_follow_their_parts(void)
{
    write_images("bell");
    world w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).made, 5);
    world_end(&w);
    check_file("out/host.debug/img/part.bin", "....bell........", 16);
    check_file("out/host.debug/img/whole.bin", "....bell........\0\0\0\0bell", 24);
    harness_write("notes.txt", "ring");
    w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).made, 3);
    CHECK(strstr(w.causes.bytes, "img/part.bin: notes.txt changed"));
    world_end(&w);
    check_file("out/host.debug/img/whole.bin", "....ring........\0\0\0\0ring", 24);
    harness_write("out/host.debug/img/whole.hex", "something else");
    w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).made, 1);
    CHECK(strstr(w.causes.bytes, "changed by something else"));
    world_end(&w);
}

static void an_image_that_fails_is_gone(void)
{
    write_images("bell");
    world w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
    world_end(&w);
    harness_write("notes.txt", "much longer than the image is");
    w = begin();
    obb_run_result r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.failed, 1);
    CHECK(r.left >= 2); /* what is made of it */
    CHECK(!obb_stamp_of("out/host.debug/img/part.bin", &(obb_stamp){0}));
    world_end(&w);
    harness_write("notes.txt", "bell");
    w = begin();
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 0);
    world_end(&w);
    check_file("out/host.debug/img/part.bin", "....bell........", 16);
}

/* A toolchain of shell scripts, whose link writes a second file and leaves a third. */
static void write_scripts(const char *link)
{
    char *printed;
    world_clear();
    harness_write("obbligato.score",
                  "project p { default odd.debug }\n"
                  "toolchain odd { family custom; compile c ./compile {source} {object} {flags}; link ./link {program} {objects}\n"
                  "  suffix object .obj program .exe; beside .list .map }\n"
                  "platform odd { set os=none; toolchain odd; flags -x }\n"
                  "program p { sources p.c }\n");
    harness_write("p.c", "one\n");
    harness_write("compile", "#!/bin/sh\ncat \"$1\" > \"$2\" && echo \"$3\" >> \"$2\" && echo list > \"${2%.obj}.list\"\n");
    harness_write("link", link);
    harness_shell("chmod +x compile link", &printed);
    free(printed);
    world_settle();
}

static void custom_commands_leave_files_beside(void)
{
    obb_stamp stamp;
    obb_file_list made = {0};
    write_scripts("#!/bin/sh\ncat \"$2\" > \"$1\" && echo map > \"${1%.exe}.map\"\n");
    world w = begin_in("odd.debug");
    CHECK_NUMBER(world_carry_out(&w, 2).made, 2);
    check_file("out/odd.debug/bin/p.exe", "one\n-x\n", 7);
    CHECK(obb_stamp_of("out/odd.debug/bin/p.map", &stamp) && obb_stamp_of("out/odd.debug/obj/p/p.c.list", &stamp));
    obb_state_list_made(w.state, &made);
    size_t found = 0;
    for (size_t i = 0; i < made.count; i++) {
        const char *path = obb_files_path(w.files, made.at[i]);
        found += strcmp(path, "out/odd.debug/bin/p.map") == 0 || strcmp(path, "out/odd.debug/obj/p/p.c.list") == 0;
    }
    CHECK_NUMBER(found, 2); /* so that cleaning takes them along */
    obb_vec_free(&made);
    CHECK_NUMBER(remove_stale(&w), 0);
    CHECK(obb_stamp_of("out/odd.debug/bin/p.map", &stamp)); /* and it is not taken for stale */
    world_end(&w);
    w = begin_in("odd.debug");
    CHECK_NUMBER(world_carry_out(&w, 2).up_to_date, 2);
    world_end(&w);
    char *printed;
    harness_shell("echo '# newer' >> compile", &printed);
    free(printed);
    w = begin_in("odd.debug");
    obb_run_result r = world_carry_out(&w, 2);
    CHECK_NUMBER(r.made, 1); /* the object comes out the same */
    CHECK_NUMBER(r.same, 1);
    world_end(&w);
}

static void a_custom_command_that_fails_leaves_nothing(void)
{
    obb_stamp stamp;
    write_scripts("#!/bin/sh\necho half > \"$1\"; echo map > \"${1%.exe}.map\"; exit 3\n");
    world w = begin_in("odd.debug");
    CHECK_NUMBER(world_carry_out(&w, 2).failed, 1);
    CHECK(!obb_stamp_of("out/odd.debug/bin/p.exe", &stamp) && !obb_stamp_of("out/odd.debug/bin/p.map", &stamp));
    world_end(&w);
}

/* The part that these files reach, by the names of its outputs. "no": a part is not enough. */
static const char *part_of(const world *w, const obb_text *bytes, const char *first, const char *second, obb_plan **part)
{
    obb_file_list changed = {0}, others = {0};
    obb_text names = {0};
    obb_arena_push(w->arena, &changed, obb_files_number(w->files, first));
    if (second)
        obb_arena_push(w->arena, &changed, obb_files_number(w->files, second));
    obb_serialized_plan *kept = obb_serialized_plan_open(&(obb_plan_bytes){bytes->bytes, bytes->length, NULL, NULL}, w->arena);
    *part = NULL;
    if (!CHECK(kept != NULL) || !obb_serialized_plan_reaches(kept, &changed, &others) || others.count)
        return "no";
    *part = obb_serialized_plan_subplan(kept, &same_files,
        &(const obb_plan_input){.arena = w->arena, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner, .out = "out"});
    for (size_t i = 0; i < (*part)->actions.count; i++)
        obb_text_format(&names, "%s%s", i ? " " : "", obb_action_subject(*part, (*part)->actions.at[i]));
    const char *said = obb_arena_string(w->arena, obb_text_bytes(&names));
    obb_text_free(&names);
    return said;
}

static void a_kept_plan_gives_what_changes_reach(void)
{
    write_project();
    world w = begin();
    world_carry_out(&w, 2);
    obb_text bytes = {0};
    obb_plan *part = NULL;
    const obb_words left_out = {.at = (const char *[]){"x, y", "host.debug", "os=none"}, .count = 3};
    bool *fixed = obb_arena_alloc(w.arena, obb_files_count(w.files));
    fixed[obb_files_number(w.files, "m.c")] = true;
    const obb_plan_facts facts = {.wanted = w.wanted, .fixed = fixed, .fixed_count = obb_files_count(w.files),
                                  .left_out = &left_out, .far = &left_out};
    obb_serialized_plan_write(w.table, &facts, &bytes);
    CHECK_TEXT(part_of(&w, &bytes, "p.c", NULL, &part), "p.c bin/p");
    CHECK_TEXT(part_of(&w, &bytes, "inc/l.h", NULL, &part), "l.c lib/libl.a p.c bin/p");
    CHECK_TEXT(part_of(&w, &bytes, "out/host.debug/obj/l/m.c.o", "p.c", &part), "m.c lib/libl.a p.c bin/p");
    CHECK_TEXT(part_of(&w, &bytes, "m.c", NULL, &part), "no");            /* it decided the plan */
    CHECK_TEXT(part_of(&w, &bytes, "obbligato.score", "p.c", &part), "no"); /* nothing is made of it */
    part_of(&w, &bytes, "l.c", NULL, &part);
    CHECK_NUMBER(part->actions.count, 3);
    for (size_t i = 0; i < part->actions.count; i++) {
        const obb_action *a = part->actions.at[i], *whole = obb_plan_maker(w.plan, a->output);
        CHECK(whole && whole->kind == a->kind && same_words(&whole->argv, &a->argv));
        CHECK(obb_fingerprint_same(whole->command, a->command) && obb_fingerprint_same(whole->tools, a->tools));
        CHECK(whole->output_word == a->output_word && whole->root_word == a->root_word && whole->tool->family == a->tool->family);
        CHECK_TEXT(a->target->name, whole->target->name);
        CHECK_TEXT(a->variant->name, "host.debug");
    }
    bool all[] = {true, true, true};
    obb_dependency_table *table = obb_dependency_table_new(part);
    obb_scan_wanted(table, all, (obb_scan_memory){NULL, NULL, NULL}, w.diags);
    const obb_dependencies *whole = obb_dependencies_of(w.table, obb_plan_maker(w.plan, part->actions.at[0]->output));
    CHECK(obb_fingerprint_same(whole->scan, table->of[0].scan)); /* the compiler was not asked again */
    CHECK_NUMBER(table->of[0].inputs.count, whole->inputs.count);
    CHECK_NUMBER(part->actions.at[0]->stated.inputs.count, 0); /* the plan is as it was */
    CHECK_NUMBER(obb_judge(w.state, table, part->actions.at[0]).kind, OBB_CAUSE_NONE);

    obb_text renewed = {0};
    obb_file_list changed = {0}, others = {0};
    obb_arena_push(w.arena, &changed, obb_files_number(w.files, "l.c"));
    obb_serialized_plan *kept = obb_serialized_plan_open(&(obb_plan_bytes){bytes.bytes, bytes.length, NULL, NULL}, w.arena);
    obb_serialized_plan_reaches(kept, &changed, &others);
    obb_arena_push(w.arena, &table->of[0].inputs, obb_files_number(w.files, "inc/new.h"));
    obb_serialized_plan_renew(kept, table, NULL, &same_files, &renewed);
    CHECK_TEXT(part_of(&w, &renewed, "inc/new.h", NULL, &part), "l.c lib/libl.a bin/p");
    CHECK_TEXT(part_of(&w, &bytes, "inc/new.h", NULL, &part), "no");
    obb_words said = {0};
    obb_serialized_plan_left_out(obb_serialized_plan_open(&(obb_plan_bytes){renewed.bytes, renewed.length, NULL, NULL}, w.arena), w.arena, &said);
    CHECK(same_words(&said, &left_out));
    bool *compared = obb_arena_alloc(w.arena, w.plan->actions.count);
    compared[0] = true;
    obb_plan_facts with_budget = facts;
    with_budget.budgeted = compared;
    obb_text budgeted = {0};
    obb_serialized_plan_write(w.table, &with_budget, &budgeted);
    part_of(&w, &budgeted, obb_files_path(w.files, w.plan->actions.at[0]->source), NULL, &part);
    CHECK(part->actions.at[0]->budgeted && !part->actions.at[1]->budgeted);
    CHECK(!obb_serialized_plan_open(&(obb_plan_bytes){bytes.bytes, bytes.length - 4, NULL, NULL}, w.arena));
    obb_text_free(&bytes);
    obb_text_free(&renewed);
    obb_text_free(&budgeted);
    world_end(&w);
}

void suite_run(void)
{
    harness_test("static libraries inside shared ones are position-independent",
                 static_libraries_inside_shared_ones_are_position_independent);
    harness_test("a library in C++ makes the C++ compiler link", a_library_in_cxx_makes_the_cxx_compiler_link);
    harness_test("what is wanted follows uses", what_is_wanted_follows_uses);
    harness_test("the second run makes and reads nothing", the_second_run_makes_and_reads_nothing);
    harness_test("only what an edit reaches is scanned", only_what_an_edit_reaches_is_scanned);
    harness_test("what scans ask for is known later", what_scans_ask_for_is_known_later);
    harness_test("a header remakes its readers alone", a_header_remakes_its_readers_alone);
    harness_test("a failure leaves the old output", a_failure_leaves_the_old_output);
    harness_test("what nothing makes any more goes", what_nothing_makes_any_more_goes);
    harness_test("a script has every command in order", a_script_has_every_command_in_order);
    harness_test("metadata files are read with what they require", metadata_files_are_read_with_what_they_require);
    harness_test("images follow their parts", images_follow_their_parts);
    harness_test("an image that fails is gone", an_image_that_fails_is_gone);
    harness_test("custom commands leave files beside", custom_commands_leave_files_beside);
    harness_test("a custom command that fails leaves nothing", a_custom_command_that_fails_leaves_nothing);
    harness_test("a kept plan gives what changes reach", a_kept_plan_gives_what_changes_reach);
}
