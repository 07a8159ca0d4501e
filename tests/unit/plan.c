/* What a plan holds besides commands: texts, images, what is left out; and what is asked of a
 * scanned one. Compilers are asked, and nothing is run. */
#include <stdlib.h>
#include <string.h>

#include "plan/differences.h"
#include "plan/includes.h"
#include "plan/planner.h"
#include "report/report.h"
#include "unit/same.h"
#include "unit/suites.h"

/* A memory for answers that lives as long as a test. */
typedef struct row {
    obb_fingerprint key;
    const char *bytes;
    size_t length;
} row;

typedef struct memory {
    obb_arena *arena;
    OBB_VEC(row) rows;
} memory;

static bool get(void *self, obb_fingerprint key, obb_text *answer)
{
    memory *m = self;
    for (size_t i = m->rows.count; i-- > 0;)
        if (obb_fingerprint_same(m->rows.at[i].key, key)) {
            obb_text_add(answer, m->rows.at[i].bytes, m->rows.at[i].length);
            return true;
        }
    return false;
}

static void put(void *self, obb_fingerprint key, const void *bytes, size_t length)
{
    memory *m = self;
    obb_arena_push(m->arena, &m->rows, (row){key, obb_arena_copy(m->arena, bytes, length), length});
}

typedef struct world {
    memory memory;
    obb_arena *arena;
    obb_diags *diags;
    obb_files *files;
    obb_project *project;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    const obb_variant *variants[2];
    obb_plan *plan;
    obb_dependency_table *table;
    bool *wanted;
} world;

static void begin(world *w, const char *first, const char *second)
{
    *w = (world){.arena = obb_arena_new(), .diags = obb_diags_new(), .files = obb_files_new()};
    w->memory.arena = w->arena;
    w->toolchains = obb_toolchains_new(w->arena, w->files, (obb_memo){&w->memory, get, put});
    w->scanner = obb_scanner_new(w->files);
    w->project = obb_project_read(w->files, NULL, NULL, w->diags);
    w->variants[0] = obb_project_variant_named(w->project, first, NULL, OBB_NOWHERE, w->diags);
    if (second)
        w->variants[1] = obb_project_variant_named(w->project, second, NULL, OBB_NOWHERE, w->diags);
    CHECK_NUMBER(obb_diags_fault(w->diags), OBB_FAULT_NONE);
    w->plan = obb_plan_make(&(const obb_plan_input){.arena = w->arena, .project = w->project, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner,
                                          .out = "out", .variants = w->variants, .variant_count = second ? 2 : 1}, w->diags);
    w->table = obb_dependency_table_new(w->plan);
    w->wanted = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    memset(w->wanted, 1, w->plan->actions.count);
    obb_scan_wanted(w->table, w->wanted, (obb_scan_memory){NULL, NULL, NULL}, w->diags);
    CHECK_NUMBER(obb_diags_fault(w->diags), OBB_FAULT_NONE);
}

static void end(world *w)
{
    obb_scanner_free(w->scanner);
    obb_toolchains_free(w->toolchains);
    obb_project_free(w->project);
    obb_files_free(w->files);
    obb_diags_free(w->diags);
    obb_arena_free(w->arena);
}

static obb_file file(world *w, const char *path)
{
    return obb_files_number(w->files, path);
}

static const obb_action *maker(world *w, const char *path)
{
    const obb_action *a = obb_plan_maker(w->plan, file(w, path));
    CHECK(a != NULL);
    return a ? a : w->plan->actions.at[0];
}

/* --- includes ----------------------------------------------------------------------- */

static void write_headers(void)
{
    harness_write("obbligato.score", "project p { include inc more }\nprogram p { sources a.c b.c }\n");
    harness_write("inc/top.h", "#pragma once\n#include \"mid.h\"\nint top;\n");
    harness_write("inc/mid.h", "#ifndef MID\n#define MID\n#include \"low.h\"\n#include \"top.h\"\n#endif\n");
    harness_write("inc/low.h", "#pragma once\nint low;\n");
    harness_write("more/low.h", "int other;\n");
    harness_write("a.c", "\n#include <top.h>\nint main(void) { return low; }\n");
    harness_write("b.c", "#include \"mid.h\"\n");
}

static char *chain_text(world *w, const obb_include_edges *chain)
{
    obb_text text = {0};
    for (size_t i = 0; i < chain->count; i++)
        obb_text_format(&text, "%s:%d>", obb_files_path(w->files, chain->at[i].from), chain->at[i].line);
    if (chain->count)
        obb_text_string(&text, obb_files_path(w->files, chain->at[chain->count - 1].to));
    char *copy = obb_arena_string(w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static void chains_and_circles(void)
{
    world w;
    write_headers();
    begin(&w, "host.debug", NULL);
    const obb_includes *all = obb_includes_of(w.table, w.wanted, NULL, w.arena);
    obb_include_edges chain = obb_includes_chain(all, file(&w, "a.c"), file(&w, "inc/low.h"));
    CHECK_TEXT(chain_text(&w, &chain), "a.c:2>inc/top.h:2>inc/mid.h:3>inc/low.h");
    chain = obb_includes_chain(all, file(&w, "b.c"), file(&w, "inc/low.h"));
    CHECK_TEXT(chain_text(&w, &chain), "b.c:1>inc/mid.h:3>inc/low.h");
    chain = obb_includes_chain(all, file(&w, "inc/low.h"), file(&w, "a.c"));
    CHECK_NUMBER(chain.count, 0);
    obb_include_circles circles = obb_includes_circles(all);
    CHECK_NUMBER(circles.count, 1);
    CHECK_NUMBER(circles.at[0].count, 2);
    CHECK(circles.at[0].at[0].from == circles.at[0].at[1].to && circles.at[0].at[0].to == circles.at[0].at[1].from);
    end(&w);
}

static void costs_and_names_in_several_folders(void)
{
    world w;
    write_headers();
    begin(&w, "host.debug", NULL);
    const obb_includes *all = obb_includes_of(w.table, w.wanted, NULL, w.arena);
    size_t found = 0;
    for (size_t i = 0; i < all->costs.count; i++) {
        const obb_header_cost *c = &all->costs.at[i];
        const char *path = obb_files_path(w.files, c->file);
        CHECK(i == 0 || all->costs.at[i - 1].brought >= c->brought);
        if (strcmp(path, "inc/top.h") == 0) { /* by a.c with all below; by b.c below mid.h, bringing itself alone */
            CHECK_NUMBER(c->times, 2);
            CHECK_NUMBER(c->brought, 3 + 5 + 2 + 3);
            found++;
        } else if (strcmp(path, "inc/low.h") == 0) {
            CHECK_NUMBER(c->times, 2);
            CHECK_NUMBER(c->lines, 2);
            CHECK_NUMBER(c->bytes, 22);
            CHECK_NUMBER(c->brought, 4);
            found++;
        }
    }
    CHECK_NUMBER(found, 2);
    size_t ours = 0;
    for (size_t i = 0; i < all->ambiguous.count; i++) {
        const obb_ambiguity *a = &all->ambiguous.at[i];
        if (strcmp(a->name, "low.h") != 0)
            continue;
        ours++;
        CHECK_TEXT(obb_files_path(w.files, a->winner), "inc/low.h");
        CHECK_NUMBER(a->others.count, 1);
        CHECK_TEXT(obb_files_path(w.files, a->others.at[0]), "more/low.h");
    }
    CHECK_NUMBER(ours, 1);
    end(&w);
}

static void graphs_are_drawn(void)
{
    world w;
    obb_text headers = {0}, actions = {0};
    write_headers();
    begin(&w, "host.debug", NULL);
    obb_report_header_graph(obb_includes_of(w.table, w.wanted, NULL, w.arena), "p \"x\"", false, &headers);
    CHECK(obb_starts(headers.bytes, "digraph \"p \\\"x\\\"\" {\n"));
    CHECK(strstr(headers.bytes, "  \"a.c\" [label=\"a.c\", shape=box];\n"));
    CHECK(strstr(headers.bytes, "  \"inc/mid.h\" -> \"inc/top.h\";\n"));
    CHECK(!strstr(headers.bytes, "\"/"));
    w.wanted[maker(&w, "out/host.debug/obj/p/b.c.o")->number] = false;
    obb_report_action_graph(w.table, w.wanted, &actions);
    CHECK(strstr(actions.bytes, "  \"out/host.debug/obj/p/a.c.o\" -> \"out/host.debug/bin/p\";\n"));
    CHECK(!strstr(actions.bytes, "b.c.o"));
    obb_text_free(&headers);
    obb_text_free(&actions);
    end(&w);
}

/* --- what the compiler tells -------------------------------------------------------- */

static void reports_are_compared(void)
{
    world w;
    obb_differences found = {0}, known = {0};
    write_headers();
    begin(&w, "host.debug", NULL);
    obb_memo memo = w.toolchains->memo;
    const obb_action *a = maker(&w, "out/host.debug/obj/p/b.c.o");
    obb_words report = {0};
    const obb_file_list *inputs = &obb_dependencies_of(w.table, a)->inputs;
    for (size_t i = 1; i < inputs->count; i++) /* the source need not be named */
        obb_arena_push(w.arena, &report, obb_files_path(w.files, inputs->at[i]));
    obb_differences_find(w.table, a, &report, w.arena, &found);
    CHECK_NUMBER(found.count, 0);
    CHECK(!obb_differences_known(memo));
    obb_differences_remember(memo, w.plan, a, &found);
    CHECK(!obb_differences_known(memo)); /* nothing is kept of agreement */
    report.at[report.count - 1] = "more/low.h";
    obb_differences_find(w.table, a, &report, w.arena, &found);
    CHECK_NUMBER(found.count, 2);
    CHECK(!found.at[0].missed && found.at[1].missed);
    CHECK_TEXT(found.at[1].path, "more/low.h");
    obb_differences_remember(memo, w.plan, a, &found);
    obb_differences_recall(memo, w.plan, a, w.arena, &known);
    CHECK(obb_differences_known(memo));
    CHECK_NUMBER(known.count, 2);
    CHECK(known.count == 2 && known.at[1].missed && strcmp(known.at[1].path, "more/low.h") == 0);
    known.count = found.count = 0;
    obb_differences_remember(memo, w.plan, a, &found); /* it agrees again: that is remembered */
    obb_differences_recall(memo, w.plan, a, w.arena, &known);
    CHECK_NUMBER(known.count, 0);
    end(&w);
}

static void another_name_of_one_file_is_no_difference(void)
{
    world w;
    obb_differences found = {0};
    char *printed;
    write_headers();
    harness_shell("ln -sf inc again", &printed);
    free(printed);
    begin(&w, "host.debug", NULL);
    const obb_action *a = maker(&w, "out/host.debug/obj/p/b.c.o");
    obb_words report = {0};
    const obb_file_list *inputs = &obb_dependencies_of(w.table, a)->inputs;
    for (size_t i = 1; i < inputs->count; i++) {
        const char *path = obb_files_path(w.files, inputs->at[i]);
        obb_arena_push(w.arena, &report, obb_starts(path, "inc/") ? obb_arena_format(w.arena, "again/%s", path + 4) : path);
    }
    obb_differences_find(w.table, a, &report, w.arena, &found);
    CHECK_NUMBER(found.count, 0);
    end(&w);
}

/* --- texts, images, what is left out ------------------------------------------------ */

static void write_board(void)
{
    harness_write("obbligato.score",
                  "project bell-tower { version 2.10 }\n"
                  "axis mood { values calm wild-night; default calm; define MOOD_ }\n"
                  "platform board { like host; set os=none; memory { rom 0x1000 4K rx\n ram 0x20000000 64K } }\n"
                  "program p { sources a.c; only os=none }\n"
                  "image i { from p; formats bin srec; fill 0xee; only os=none }\n"
                  "image disk { place i at 16; place notes.txt at 1K; pad-to 2K; only os=none }\n"
                  "library l { sources a.c; only os!=none }\n");
    harness_write("a.c", "int main(void) { return 0; }\n");
    harness_write("notes.txt", "bells\n");
}

static void texts_say_what_is_described(void)
{
    world w;
    write_board();
    begin(&w, "host.debug+mood=wild-night", "board.release");
    CHECK_NUMBER(w.plan->texts.count, 3);
    CHECK_TEXT(obb_files_path(w.files, w.plan->texts.at[0].file), "out/host.debug+mood=wild-night/gen/bell-tower-variant.h");
    CHECK_TEXT(w.plan->texts.at[0].text,
               "/* Facts of bell-tower in the variant host.debug+mood=wild-night; written by obbligato. */\n"
               "#ifndef BELL_TOWER_VARIANT_H\n#define BELL_TOWER_VARIANT_H\n"
               "#define BELL_TOWER_VERSION \"2.10\"\n#define BELL_TOWER_VERSION_MAJOR 2\n"
               "#define BELL_TOWER_VERSION_MINOR 10\n#define BELL_TOWER_VERSION_PATCH 0\n"
               "#define BELL_TOWER_VARIANT \"host.debug+mood=wild-night\"\n#define MOOD_WILD_NIGHT 1\n#endif\n");
    CHECK_TEXT(w.plan->texts.at[2].text,
               "/* The memory of platform board; written by obbligato from obbligato.score. */\nMEMORY\n{\n"
               "    rom (rx) : ORIGIN = 0x00001000, LENGTH = 0x00001000\n"
               "    ram : ORIGIN = 0x20000000, LENGTH = 0x00010000\n}\n");
    end(&w);
}

static void images_are_planned_from_what_they_hold(void)
{
    world w;
    write_board();
    begin(&w, "host.debug", "board.release");
    const obb_action *disk = maker(&w, "out/board.release/img/disk.bin"), *srec = maker(&w, "out/board.release/img/i.srec");
    CHECK_NUMBER(disk->kind, OBB_MAKE_IMAGE);
    CHECK_NUMBER(disk->stated.needs.count, 1);
    CHECK_NUMBER(disk->stated.inputs.count, 2);
    CHECK_NUMBER(disk->image->segments.at[1].offset, 1024);
    CHECK_NUMBER(disk->image->pad_to, 2048);
    CHECK(!disk->image->fill_stated && disk->tool == NULL);
    CHECK(srec->image->fill_stated && srec->image->fill == 0xee);
    CHECK_TEXT(srec->image->program, "out/board.release/bin/p");
    CHECK_TEXT(srec->argv.at[1], "srec");
    CHECK(!obb_plan_maker(w.plan, file(&w, "out/board.release/img/i.hex")));
    CHECK(!obb_plan_maker(w.plan, file(&w, "out/host.debug/img/i.bin"))); /* left out */
    CHECK(!obb_plan_maker(w.plan, file(&w, "out/board.release/lib/libl.a")));
    CHECK_TEXT(obb_left_out(w.variants[0], obb_project_target(w.project, "i")), "os=none");
    CHECK(obb_left_out(w.variants[1], obb_project_target(w.project, "i")) == NULL);
    CHECK(obb_plan_product(w.plan, obb_project_target(w.project, "p"), w.variants[1])->kind == OBB_LINK_PROGRAM);
    CHECK(obb_plan_product(w.plan, obb_project_target(w.project, "p"), w.variants[0]) == NULL);
    end(&w);
}

static void wanting_stops_where_targets_are_left_out(void)
{
    world w;
    write_board();
    begin(&w, "host.debug", "board.release");
    bool targets[8] = {false};
    size_t actions = 0;
    obb_want_target(w.variants[0], obb_project_target(w.project, "disk"), targets);
    for (int i = 0; i < 8; i++)
        CHECK(!targets[i]);
    obb_want_target(w.variants[1], obb_project_target(w.project, "disk"), targets);
    CHECK(targets[0] && targets[1] && targets[2] && !targets[3]); /* p, i, disk; not l */
    memset(w.wanted, 0, w.plan->actions.count);
    obb_want(w.table, obb_project_target(w.project, "disk"), w.variants[1], w.wanted);
    for (size_t i = 0; i < w.plan->actions.count; i++)
        actions += w.wanted[i];
    CHECK_NUMBER(actions, 4); /* compile, link, i.bin, disk.bin; the other form of i is not needed */
    end(&w);
}

/* --- accounts as JSON --------------------------------------------------------------- */

static void saved_accounts_are_read_back(void)
{
    obb_arena *arena = obb_arena_new();
    obb_account a = {.machine = "ARM", .big_endian = true};
    obb_arena_push(arena, &a.regions, (obb_region_use){"flash", 0x8000, 4096, 100});
    obb_arena_push(arena, &a.sections, (obb_section_use){".data", "ram", "flash", 0x20000000, 12});
    obb_arena_push(arena, &a.sources, (obb_source_use){"a.c", 1, 2, 3, 4});
    obb_arena_push(arena, &a.sources, (obb_source_use){"b.c", 10, 20, 30, 40});
    obb_arena_push(arena, &a.symbols, (obb_symbol_use){"ring", ".text", "a.c", 0x8001, 77});
    json_t *document = json_object(), *programs = json_array();
    json_array_append_new(programs, obb_report_account("fw", "board.debug", &a));
    a.regions.at[0].used = 200;
    json_array_append_new(programs, obb_report_account("fw", "board.release", &a));
    json_object_set_new(document, "programs", programs);
    const obb_account *back = obb_report_read_account(document, "fw", "board.release", arena);
    CHECK(back && back->regions.count == 1 && back->regions.at[0].used == 200);
    CHECK_NUMBER(obb_report_read_account(document, "fw", "board.debug", arena)->regions.at[0].used, 100);
    CHECK(obb_report_read_account(document, "fw", "elsewhere.debug", arena) !=
          NULL); /* any is better than none */
    CHECK(!obb_report_read_account(document, "other", "board.debug", arena));
    CHECK(!obb_report_read_account(NULL, "fw", "board.debug", arena));
    CHECK_TEXT(back->sections.at[0].load_region, "flash");
    CHECK_NUMBER(obb_source_bytes(&back->total), 110);
    CHECK_NUMBER(back->total.zeroed, 44);
    CHECK_TEXT(back->symbols.at[0].name, "ring");
    CHECK_NUMBER(back->symbols.at[0].address, 0x8001);
    json_decref(document);
    obb_arena_free(arena);
}

/* --- edited descriptions ------------------------------------------------------------ */

#define SIXTY "a-word-of-sixty-characters-which-is-a-part-of-a-longer-word-"
#define LONG_WORD SIXTY SIXTY SIXTY SIXTY SIXTY SIXTY

static const char description[] =
    "project p { include inc; define BASE; define LONG=" LONG_WORD " }\n"
    "axis way { values a b; default a }\n"
    "library low { sources low.c }\n"
    "library mid { sources mid.c; uses low }\n"
    "library other { sources other.c; when way=b { define B } }\n"
    "program one { sources one.c; uses mid }\n"
    "program two { sources two.c; uses other }\n"
    "program both { sources both.c; uses mid other }\n"
    "library so { sources so.c; kind shared }\n"
    "program sharing { sources sharing.c; uses so }\n"
    "step gen { makes gen/x.c; write-text \"int x;\" to gen/x.c }\n"
    "program made { sources made.c; uses gen }\n"
    "program late { sources late.c; optional yes }\n"
    "group parts { one two gen }\n";

/* The description with the first `what` replaced, or, without one, with a line more. */
static void write_edited(const char *what, const char *by)
{
    const char *at = what ? strstr(description, what) : description + strlen(description);
    obb_text text = {0};
    CHECK(at != NULL);
    obb_text_add(&text, description, (size_t)(at - description));
    obb_text_format(&text, "%s%s", by, at + (what ? strlen(what) : 0));
    harness_write("obbligato.score", text.bytes);
    obb_text_free(&text);
}

/* Which targets are built in both variants: all but optional ones. */
static void want(const world *w, const obb_project *project, const obb_variant *const *variants, bool **wanted)
{
    obb_target_list targets = {0};
    obb_default_targets(project, w->arena, &targets);
    for (int v = 0; v < 2; v++) {
        wanted[v] = obb_arena_alloc(w->arena, project->targets.count + 1);
        for (size_t i = 0; i < targets.count; i++)
            obb_want_target(variants[v], targets.at[i], wanted[v]);
    }
}

static obb_fingerprint fingerprint_of(bool *const *wanted, size_t count)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_add(p, wanted[0], count);
    obb_hasher_add(p, wanted[1], count);
    return obb_hasher_end(p);
}

/* The plan of the description as it was, as it is kept. */
static void keep(world *w, obb_text *bytes)
{
    bool *wanted[2], *none = obb_arena_alloc(w->arena, obb_files_count(w->files) + w->plan->actions.count);
    const obb_words left_out = {0};
    want(w, w->project, w->variants, wanted);
    memset(w->wanted, 0, w->plan->actions.count);
    for (int v = 0; v < 2; v++)
        for (size_t i = 0; i < w->project->targets.count; i++)
            if (wanted[v][i])
                obb_want(w->table, w->project->targets.at[i], w->variants[v], w->wanted);
    const obb_plan_facts facts = {.wanted = w->wanted, .fixed = none, .left_out = &left_out, .far = &left_out,
                                  .wanted_targets = fingerprint_of(wanted, w->project->targets.count)};
    obb_serialized_plan_write(w->table, &facts, bytes);
}

/* A plan of all in the edited description. */
typedef struct edited {
    obb_project *project;
    const obb_variant *variants[2];
    bool *wanted[2];
    obb_plan *whole;
} edited;

static edited read_edited(world *w)
{
    edited e;
    obb_files_forget(w->files, file(w, "obbligato.score"));
    e.project = obb_project_read(w->files, NULL, NULL, w->diags);
    for (int v = 0; v < 2; v++)
        e.variants[v] = obb_project_variant_named(e.project, w->variants[v]->name, NULL, OBB_NOWHERE, w->diags);
    want(w, e.project, e.variants, e.wanted);
    e.whole = obb_plan_make(&(const obb_plan_input){.arena = w->arena, .project = e.project, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner,
                                          .out = "out", .variants = e.variants, .variant_count = 2, .wanted_targets = e.wanted}, w->diags);
    CHECK_NUMBER(obb_diags_fault(w->diags), OBB_FAULT_NONE);
    return e;
}

static bool same_needs(const obb_plan *p, const obb_action *a, const obb_plan *q, const obb_action *b)
{
    bool same = a->stated.needs.count == b->stated.needs.count;
    for (size_t i = 0; same && i < a->stated.needs.count; i++) {
        bool found = false;
        for (size_t k = 0; k < b->stated.needs.count; k++)
            found = found || p->actions.at[a->stated.needs.at[i]]->output == q->actions.at[b->stated.needs.at[k]]->output;
        same = found;
    }
    return same;
}

/* All that is kept, as a plan. */
static obb_plan *all_of(world *w, const obb_text *bytes)
{
    obb_file_list changed = {0}, others = {0};
    obb_serialized_plan *kept = obb_serialized_plan_open(&(obb_plan_bytes){bytes->bytes, bytes->length, NULL, NULL}, w->arena);
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (w->wanted[i])
            obb_arena_push(w->arena, &changed, w->plan->actions.at[i]->output);
    CHECK(kept && obb_serialized_plan_reaches(kept, &changed, &others) && !others.count);
    return kept ? obb_serialized_plan_subplan(kept, &same_files,
        &(const obb_plan_input){.arena = w->arena, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner, .out = "out"}) : NULL;
}

/* What is kept now is what a plan of all says. */
static void compare_with_whole(world *w, const edited *e, const obb_text *renewed)
{
    obb_plan *kept = all_of(w, renewed);
    size_t count = 0;
    for (size_t i = 0; i < w->plan->actions.count; i++)
        count += w->wanted[i];
    CHECK_NUMBER(kept->actions.count, count);
    for (size_t i = 0; i < kept->actions.count; i++) {
        const obb_action *a = kept->actions.at[i], *b = obb_plan_maker(e->whole, a->output);
        CHECK(b && a->kind == b->kind && same_words(&a->argv, &b->argv) && obb_fingerprint_same(a->command, b->command));
        CHECK(b && (a->options || (same_needs(kept, a, e->whole, b) && a->stated.inputs.count == b->stated.inputs.count)));
        CHECK(b && (!a->options || (same_words(&a->options->defines, &b->options->defines) && a->source == b->source)));
    }
}

/* The names of the targets that an edit has planned again; "all": nothing less would do. */
static const char *planned_again(world *w, const obb_text *bytes, const edited *e)
{
    obb_file_list nothing = {0}, others = {0};
    obb_text names = {0}, renewed = {0};
    size_t n = e->project->targets.count;
    const obb_plan_scope scope = {obb_arena_alloc(w->arena, n + 1), obb_arena_alloc(w->arena, n + 1), {0}};
    const obb_plan_input input = {.arena = w->arena, .project = e->project, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner,
                                  .out = "out", .variants = e->variants, .variant_count = 2, .wanted_targets = e->wanted, .scope = &scope};
    obb_serialized_plan *kept = obb_serialized_plan_open(&(obb_plan_bytes){bytes->bytes, bytes->length, NULL, NULL}, w->arena);
    CHECK(obb_serialized_plan_reaches(kept, &nothing, &others));
    if (!obb_serialized_plan_fits(kept, e->project) ||
        !obb_serialized_plan_compare(kept, &input, fingerprint_of(e->wanted, n)))
        return "all";
    obb_plan *part = obb_plan_make(&input, w->diags);
    bool *wanted = obb_arena_alloc(w->arena, part->actions.count + 1), *none = obb_arena_alloc(w->arena, part->actions.count + 1);
    memset(wanted, 1, part->actions.count);
    if (!obb_serialized_plan_replace(kept, part, wanted, scope.planned, &same_files))
        return "all";
    obb_serialized_plan_join(kept, &same_files, part);
    obb_dependency_table *table = obb_dependency_table_new(part);
    obb_scan_wanted(table, wanted, (obb_scan_memory){NULL, NULL, NULL}, w->diags);
    const obb_words left_out = {0};
    const obb_plan_facts facts = {.wanted = wanted, .fixed = none, .left_out = &left_out, .far = &left_out};
    obb_serialized_plan_renew(kept, table, &facts, &same_files, &renewed);
    CHECK(!renewed.length == (obb_serialized_plan_new(kept) || obb_serialized_plan_dropped(kept))); /* it is written anew then */
    if (renewed.length)
        compare_with_whole(w, e, &renewed);
    for (size_t i = 0; i < n; i++)
        if (scope.planned[i])
            obb_text_format(&names, "%s%s", names.length ? " " : "", e->project->targets.at[i]->name);
    const char *said = obb_arena_string(w->arena, obb_text_bytes(&names));
    obb_text_free(&names);
    obb_text_free(&renewed);
    return said;
}

/* And what is kept of it. */
static void begin_described(world *w, obb_text *bytes)
{
    static const char *const sources[] = {"low", "mid", "other", "one", "two", "both", "so", "sharing", "made", "late"};
    char path[40];
    harness_write("obbligato.score", description);
    for (size_t i = 0; i < sizeof sources / sizeof *sources; i++) {
        snprintf(path, sizeof path, "%s.c", sources[i]);
        harness_write(path, "int main(void) { return 0; }\n");
    }
    begin(w, "host.debug", "host.release+way=b");
    keep(w, bytes);
}

/* Bytes that are there once somebody asked whether they may be read: until then each is 0xff. */
typedef struct withheld {
    const obb_text *bytes;
    char *shown;
    size_t asked, refused; /* refused: the question that is not granted; 0: none */
} withheld;

static bool show(void *self, const void *at, size_t length)
{
    withheld *x = self;
    size_t from = (size_t)((const char *)at - x->shown);
    if (++x->asked == x->refused)
        return false;
    memcpy(x->shown + from, x->bytes->bytes + from, length);
    return true;
}

static void add_words(obb_text *text, const char *what, const obb_words *words)
{
    obb_text_format(text, " %s:", what);
    for (size_t i = 0; i < words->count; i++)
        obb_text_format(text, " %s", words->at[i] ? words->at[i] : "nothing");
}

static void add_files(world *w, obb_text *text, const char *what, const obb_file_list *list)
{
    obb_text_format(text, " %s:", what);
    for (size_t i = 0; i < list->count; i++)
        obb_text_format(text, " %s", obb_files_path(w->files, list->at[i]));
}

/* What is told of the actions that a file reaches. NULL: some of it may not be read. */
static const char *told_of(world *w, const obb_plan_bytes *bytes, obb_file file)
{
    obb_file_list changed = {&file, 1, 1}, others = {0};
    obb_words names = {0}, left_out = {0}, far = {0};
    obb_text text = {0};
    const obb_plan_input input = {.arena = w->arena, .files = w->files, .toolchains = w->toolchains, .scanner = w->scanner, .out = "out"};
    obb_serialized_plan *kept = obb_serialized_plan_open(bytes, w->arena);
    if (!kept)
        return NULL;
    obb_text_format(&text, "%d", obb_serialized_plan_reaches(kept, &changed, &others));
    obb_text_format(&text, "%d", obb_serialized_plan_rests_on(kept, file));
    const obb_plan *plan = obb_serialized_plan_subplan(kept, &same_files, &input);
    obb_serialized_plan_variants(kept, w->arena, &names);
    obb_serialized_plan_left_out(kept, w->arena, &left_out);
    obb_serialized_plan_far(kept, w->arena, &far);
    add_words(&text, "variants", &names);
    add_words(&text, "left out", &left_out);
    add_words(&text, "far", &far);
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        obb_text_format(&text, "\n%s of %s in %s, kind %d %016llx %016llx", obb_files_path(w->files, a->output), a->target->name, a->variant->name,
                        a->kind, (unsigned long long)a->command.low, (unsigned long long)a->tools.low);
        add_words(&text, "words", &a->argv);
        add_files(w, &text, "also", &a->also);
        add_files(w, &text, "inputs", &a->stated.inputs);
        for (size_t n = 0; n < a->stated.needs.count; n++)
            obb_text_format(&text, " %u", a->stated.needs.at[n]);
        if (a->tool) {
            obb_text_format(&text, " %d %d %s", a->tool->role, a->tool->family, a->tool->version);
            add_words(&text, "tool", &a->tool->command);
        }
        if (a->options) {
            obb_text_format(&text, " by %s", a->options->toolchain ? a->options->toolchain->name : "nothing");
            add_words(&text, "flags", &a->options->flags);
            add_words(&text, "includes", &a->options->includes);
            add_words(&text, "defines", &a->options->defines);
        }
        for (size_t n = 0; a->step && n < a->step->commands.count; n++)
            add_words(&text, "runs", &a->step->commands.at[n].words);
    }
    const char *told = obb_serialized_plan_is_sound(kept) ? obb_arena_string(w->arena, text.bytes) : NULL;
    obb_text_free(&text);
    return told;
}

static void only_what_somebody_vouches_for_is_read(void)
{
    world w;
    obb_text bytes = {0};
    begin_described(&w, &bytes);
    withheld x = {&bytes, malloc(bytes.length), 0, 0};
    for (size_t i = 0; i < w.plan->actions.count; i++) {
        obb_file file = w.plan->actions.at[i]->output;
        const char *all = told_of(&w, &(obb_plan_bytes){bytes.bytes, bytes.length, NULL, NULL}, file);
        const obb_plan_bytes shown = {x.shown, bytes.length, show, &x};
        x.asked = x.refused = 0;
        memset(x.shown, 0xff, bytes.length);
        CHECK_TEXT(told_of(&w, &shown, file), all);
        for (size_t n = 1, asked = x.asked; n <= asked; n++) {
            x = (withheld){&bytes, x.shown, 0, n};
            memset(x.shown, 0xff, bytes.length);
            CHECK(!told_of(&w, &shown, file));
            CHECK_NUMBER(x.asked, n); /* nothing behind it */
        }
    }
    free(x.shown);
    obb_text_free(&bytes);
    end(&w);
}

static void an_edited_target_is_planned_with_its_users(void)
{
    harness_write("inc/there.h", "");
    harness_write("other/there.h", "");
    static const struct { const char *what, *by, *again; } edits[] = {
        {NULL, "# a remark\n", ""},
        {"library low {", "\n\nlibrary low {", ""}, /* where it stands does not matter */
        {"low.c }", "low.c; define LOW=2 }", "low mid one both parts"},
        {"low.c }", "low.c; users { define LOW=2 } }", "low mid one both parts"},
        {"define B }", "define B=2 }", "other two both parts"},
        {"uses mid }", "uses mid other }", "one parts"},
        {"uses mid other", "uses mid", "both"},
        {"uses mid other", "uses mid other; link-flags -Wl,--no-as-needed", "both"},
        {"sources both.c", "sources \"both.c\"", "both"},
        {"define BASE", "define BASE=2", "all"},            /* a setting of all */
        {"values a b", "values a b c", "all"},
        {NULL, "program more { sources one.c }\n", "all"},  /* another target */
        {"group parts { one two gen }", "group parts { one }", "parts"},
        {"kind shared", "kind shared; define S", "all"},    /* decides how others are compiled */
        {"program sharing {", "program sharing { define S;", "sharing"},
        {"made.c;", "made.c; define M;", "all"},            /* compiles what a step makes */
        {"int x;", "int y;", "all"},
        {"late.c;", "late.c; define L;", "all"},            /* nobody asked for it: not kept */
        {"sources mid.c", "sources mid.c; output middle", "mid one both parts"}, /* other files are made */
        {"sources mid.c", "sources mid.c low.c", "mid one both parts"}, /* one more is made */
        {"sources two.c", "sources two.c; only way=a", "all"}, /* wanted in one variant less */
        {"sources two.c", "sources two.c; optional yes", "all"}};
    world w;
    obb_text bytes = {0};
    begin_described(&w, &bytes);
    for (size_t i = 0; i < sizeof edits / sizeof *edits; i++) {
        write_edited(edits[i].what, edits[i].by);
        edited e = read_edited(&w);
        CHECK_TEXT(planned_again(&w, &bytes, &e), edits[i].again);
        obb_project_free(e.project);
    }
    obb_text_free(&bytes);
    end(&w);
}

void suite_plan(void)
{
    harness_test("an edited target is planned with its users", an_edited_target_is_planned_with_its_users);
    harness_test("only what somebody vouches for is read", only_what_somebody_vouches_for_is_read);
    harness_test("chains and circles", chains_and_circles);
    harness_test("costs, and names in several folders", costs_and_names_in_several_folders);
    harness_test("graphs are drawn", graphs_are_drawn);
    harness_test("reports are compared", reports_are_compared);
    harness_test("another name of one file is no difference", another_name_of_one_file_is_no_difference);
    harness_test("texts say what is described", texts_say_what_is_described);
    harness_test("images are planned from what they hold", images_are_planned_from_what_they_hold);
    harness_test("wanting stops where targets are left out", wanting_stops_where_targets_are_left_out);
    harness_test("saved accounts are read back", saved_accounts_are_read_back);
}
