#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "project/resolve/settings.h"
#include "unit/suites.h"

typedef struct world {
    obb_files *files;
    obb_diags *diags;
    obb_project *project;
    obb_arena *arena;
} world;

static world read_project(const char *text)
{
    harness_write(OBB_SCORE_NAME, text);
    world w = {.files = obb_files_new(), .diags = obb_diags_new(), .arena = obb_arena_new()};
    w.project = obb_project_read(w.files, NULL, NULL, w.diags);
    return w;
}

static void end(world *w)
{
    obb_project_free(w->project);
    obb_files_free(w->files);
    obb_diags_free(w->diags);
    obb_arena_free(w->arena);
}

/* The values of one setting of a target in a variant, in order, with blanks between. */
static char *values_in(world *w, const char *target, const char *variant, obb_setting_id id)
{
    const obb_variant *v = obb_project_variant_named(w->project, variant, NULL, OBB_NOWHERE, w->diags);
    if (!v)
        return "no such variant";
    obb_flat_settings flat = obb_resolve(v, obb_project_target(w->project, target), NULL, w->arena);
    obb_text text = {0};
    for (size_t i = 0; i < flat.count; i++)
        if (flat.at[i].id == id)
            obb_text_format(&text, "%s%s", text.length ? " " : "", flat.at[i].value);
    char *copy = obb_arena_string(w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static char *values(world *w, const char *target, const char *configuration, obb_setting_id id)
{
    return values_in(w, target, obb_arena_format(w->arena, "host.%s", configuration), id);
}

static void layers_come_in_their_order(void)
{
    world w = read_project("project p { define project }\n"
                           "configuration debug { define configuration }\n"
                           "library a { share { define a-shared uses b }\n define a_own\n users { define a_users } }\n"
                           "library b { share { define b_shared } }\n"
                           "program q { uses a; define q }\n");
    CHECK_NUMBER(obb_diags_fault(w.diags), OBB_FAULT_DESCRIPTION); /* a-shared, uses, b are no macros */
    end(&w);
    w = read_project("project p { define project }\n"
                     "configuration debug { define configuration }\n"
                     "library a { share { define a_shared; uses b }\n define a_own\n users { define a_users } }\n"
                     "library b { share { define b_shared } }\n"
                     "program q { sources q.c; uses a; define q }\n");
    CHECK_NUMBER(obb_diags_fault(w.diags), OBB_FAULT_NONE);
    CHECK_TEXT(values(&w, "q", "debug", OBB_SET_DEFINE), "configuration project a_shared a_users b_shared q");
    CHECK_TEXT(values(&w, "a", "debug", OBB_SET_DEFINE), "configuration project b_shared a_own a_shared");
    CHECK_TEXT(values(&w, "q", "release", OBB_SET_DEFINE), "NDEBUG project a_shared a_users b_shared q");
    end(&w);
}

static void private_uses_hand_nothing_on(void)
{
    world w = read_project("project p { }\nlibrary low { sources l.c; share { define LOW } libs rt }\n"
                           "library high { sources h.c; uses low }\nprogram q { sources q.c; uses high }\n");
    CHECK_TEXT(values(&w, "q", "debug", OBB_SET_DEFINE), "");
    CHECK_TEXT(values(&w, "high", "debug", OBB_SET_DEFINE), "LOW");
    const obb_variant *v = obb_project_variant(w.project, "host", "debug", NULL, OBB_NOWHERE, w.diags);
    obb_link_plan link = obb_resolve_link(v, obb_project_target(w.project, "q"), w.arena);
    CHECK_NUMBER(link.groups.count, 2); /* but it must be linked */
    CHECK_NUMBER(link.libs.count, 1);
    end(&w);
}

static void links_users_before_used(void)
{
    world w = read_project("project p { }\n"
                           "library a { sources x.c; uses c b }\nlibrary b { sources x.c; uses d }\n"
                           "library c { sources x.c; uses d }\nlibrary d { sources x.c; libs m }\n"
                           "library e { sources x.c; uses f }\nlibrary f { sources x.c; uses e }\n"
                           "program q { sources x.c; uses e a; libs m popt }\n");
    const obb_variant *v = obb_project_variant(w.project, "host", "debug", NULL, OBB_NOWHERE, w.diags);
    obb_link_plan link = obb_resolve_link(v, obb_project_target(w.project, "q"), w.arena);
    obb_text order = {0};
    for (size_t i = 0; i < link.groups.count; i++) {
        for (size_t k = 0; k < link.groups.at[i].libraries.count; k++)
            obb_text_string(&order, link.groups.at[i].libraries.at[k].target->name);
        obb_text_char(&order, ' ');
    }
    CHECK_TEXT(obb_text_bytes(&order), "ef a c b d ");
    obb_text_free(&order);
    CHECK_NUMBER(link.libs.count, 2);
    if (link.libs.count == 2) { /* the last mention decides: d comes after q */
        CHECK_TEXT(link.libs.at[0].value, "popt");
        CHECK_TEXT(link.libs.at[1].value, "m");
    }
    end(&w);
}

static void statements_of_fixed_length_may_share_a_line(void)
{
    world w = read_project("project p { version 1 summary \"two words\" warnings strict fatal optimize size }\n"
                           "configuration lean { like release optimize size define A B }\n");
    CHECK_NUMBER(w.diags->list.count, 0);
    CHECK_TEXT(w.project->version, "1");
    CHECK_TEXT(w.project->summary, "two words");
    const obb_definition *c = obb_project_definition(w.project, OBB_CONFIGURATION_DEFINITION, "lean");
    CHECK(c && c->settings.count == 5);
    CHECK_NUMBER(w.project->settings.count, 2);
    CHECK_TEXT(w.project->settings.at[0].value, "strict fatal");
    end(&w);
}

static void named_values_replace(void)
{
    world w = read_project("project p { version 3 }\nlet dirs a b\nlet all {dirs} c\nlet v {project.version}.x\n"
                           "library l { share { include {all}; define V={v} {{=1 } }\nlet loop {loop}\n"
                           "program q { sources {dirs}/x.c {loop} }\n");
    bool circle = false, several = false;
    for (size_t i = 0; i < w.diags->list.count; i++) {
        circle = circle || strstr(w.diags->list.at[i]->message, "made from itself");
        several = several || strstr(w.diags->list.at[i]->message, "has several values");
    }
    CHECK(circle && several);
    end(&w);
    w = read_project("project p { version 3 }\nlet dirs a b\nlet all {dirs} c\nlet v {project.version}.x\n"
                     "library l { share { include {all}; define V={v} } }\n");
    CHECK_NUMBER(w.diags->list.count, 0);
    CHECK_TEXT(values(&w, "l", "debug", OBB_SET_INCLUDE), "a b c");
    CHECK_TEXT(values(&w, "l", "debug", OBB_SET_DEFINE), "V=3.x");
    end(&w);
}

static void paths_are_seen_from_their_file(void)
{
    harness_write("parts/lib.score", "library l { share { include . ../inc } }\nread deep/more.score\n");
    harness_write("parts/deep/more.score", "library m { share { include x } }\n");
    world w = read_project("project p { }\nread parts/lib.score\n");
    CHECK_NUMBER(w.diags->list.count, 0);
    CHECK_TEXT(values(&w, "l", "debug", OBB_SET_INCLUDE), "parts inc");
    CHECK_TEXT(values(&w, "m", "debug", OBB_SET_INCLUDE), "parts/deep/x");
    CHECK_NUMBER(w.project->descriptions.count, 3);
    end(&w);
}

static void standards_are_known_by_language(void)
{
    CHECK_NUMBER(obb_standard_language("c11"), 'c');
    CHECK_NUMBER(obb_standard_language("gnu++20"), '+');
    CHECK_NUMBER(obb_standard_language("c++17"), '+');
    CHECK_NUMBER(obb_standard_language("c12"), 0);
    CHECK_NUMBER(obb_standard_language("c++99"), 0);
    CHECK_NUMBER(obb_standard_language(""), 0);
}

/* The defines of `p` tell which conditions held. */
static char *defines_in(world *w, const char *variant)
{
    return values_in(w, "p", variant, OBB_SET_DEFINE);
}

static void conditions_are_decided_by_axis_values(void)
{
    world w = read_project("project p { }\n"
                           "axis a { values x y z; default x }\naxis b { values on off; default on }\n"
                           "program p { sources p.c\n"
                           "  when a=x|y and not b=off { define XY_ON }\n"
                           "  when not a=x or b=off { define NOT_X_OR_OFF }\n"
                           "  when not ( a=x or b=off ) { define NEITHER }\n"
                           "  when a!=x|y { define Z; when b=on { define Z_ON } }\n"
                           "  choose a { x { define CX } y|z { define CYZ; choose b { off { define CYZ_OFF } else { define CYZ_ON } } } } }\n");
    CHECK_NUMBER(w.diags->list.count, 0);
    CHECK_TEXT(defines_in(&w, "host.debug"), "XY_ON CX");
    CHECK_TEXT(defines_in(&w, "host.debug+a=y"), "XY_ON NOT_X_OR_OFF NEITHER CYZ CYZ_ON");
    CHECK_TEXT(defines_in(&w, "host.debug+a=z+b=off"), "NOT_X_OR_OFF Z CYZ CYZ_OFF");
    CHECK_TEXT(defines_in(&w, "host.debug+b=on+a=z"), "NOT_X_OR_OFF NEITHER Z Z_ON CYZ CYZ_ON");
    end(&w);
}

static void variants_have_one_name(void)
{
    world w = read_project("project p { }\naxis a { values x y; default x }\naxis b { values x y; default x }\n"
                           "platform twin { like host; set a=y }\nprogram p { sources p.c }\n");
    const char *sets[] = {"b=y", "a=y", "a=x", NULL};
    obb_words words = {.at = sets, .count = 2};
    const obb_variant *v = obb_project_variant(w.project, "host", "debug", &words, OBB_NOWHERE, w.diags);
    CHECK_TEXT(v->name, "host.debug+a=y+b=y"); /* sorted, whatever the order */
    words.count = 3;
    v = obb_project_variant(w.project, "host", "debug", &words, OBB_NOWHERE, w.diags);
    CHECK_TEXT(v->name, "host.debug+b=y"); /* the last one counts, and a=x is so anyway */
    CHECK(v == obb_project_variant_named(w.project, "host.debug+b=y+a=x", NULL, OBB_NOWHERE, w.diags));
    v = obb_project_variant_named(w.project, "twin.debug+a=y", NULL, OBB_NOWHERE, w.diags);
    CHECK_TEXT(v->name, "twin.debug");
    CHECK_TEXT(v->value_from[v->project->axes.count - 2], "platform twin");
    end(&w);
}

static void parts_build_on_others(void)
{
    world w = read_project("project p { }\naxis a { values x y z; default x }\n"
                           "platform base { set os=none a=y; define BASE; memory { flash 0 1K } }\n"
                           "platform more { like base; set a=z; define MORE; memory { ram 0x1000 2K } }\n"
                           "platform most { like more; define MOST; memory { flash 0 4K } }\n"
                           "configuration debug { like release; define MINE }\n"
                           "program p { sources p.c }\n");
    CHECK_NUMBER(w.diags->list.count, 0);
    CHECK_TEXT(defines_in(&w, "most.debug"), "BASE MORE MOST NDEBUG MINE");
    const obb_variant *v = obb_project_variant_named(w.project, "most.debug", NULL, OBB_NOWHERE, w.diags);
    CHECK_TEXT(v->values[OBB_AXIS_BUILT_IN], "z");
    CHECK_NUMBER(v->memory.count, 2);
    CHECK_TEXT(v->memory.at[0].name, "flash"); /* stated anew: in its old place, with its new length */
    CHECK_NUMBER(v->memory.at[0].length, 4096);
    CHECK_NUMBER(v->memory.at[1].origin, 0x1000);
    end(&w);
    w = read_project("project p { }\nplatform a { like b }\nplatform b { like a }\nprogram p { sources p.c }\n");
    CHECK(w.diags->list.count > 0 && strstr(w.diags->list.at[0]->message, "built on itself"));
    end(&w);
}

static void what_holds_is_given_as_a_target(void)
{
    world w = read_project("project p { }\naxis a { values x y; default x }\n"
                           "library l { sources l.c }\nlibrary m { kind static; when a=y { kind shared; sources m.c } }\n"
                           "program p { sources p.c; when a=y { uses l; output other; for p.c { define FOR } } }\n");
    const obb_target *p = obb_project_target(w.project, "p"), *m = obb_project_target(w.project, "m");
    const obb_variant *x = obb_project_variant_named(w.project, "host.debug", NULL, OBB_NOWHERE, w.diags);
    const obb_variant *y = obb_project_variant_named(w.project, "host.debug+a=y", NULL, OBB_NOWHERE, w.diags);
    CHECK_NUMBER(obb_in(x, p)->uses.count, 0);
    CHECK_NUMBER(obb_in(y, p)->uses.count, 1);
    CHECK_TEXT(obb_in(x, p)->output, "p");
    CHECK_TEXT(obb_in(y, p)->output, "other");
    const obb_source_name source = {"p.c", NULL};
    CHECK(!obb_resolve_has_own(obb_in(x, p), &source) && obb_resolve_has_own(obb_in(y, p), &source));
    CHECK(!obb_has_sources(obb_in(x, m)) && obb_in(y, m)->library == OBB_SHARED);
    CHECK(obb_in(x, obb_project_target(w.project, "l")) == obb_project_target(w.project, "l")); /* nothing to decide */
    end(&w);
}

static void sizes_have_units(void)
{
    uint64_t n;
    CHECK(obb_read_size("1440K", &n) && n == 1474560);
    CHECK(obb_read_size("0x200", &n) && n == 512);
    CHECK(obb_read_size("2M", &n) && n == 2097152);
    CHECK(obb_read_size("0", &n) && n == 0);
    CHECK(!obb_read_size("12Q", &n) && !obb_read_size("-1", &n) && !obb_read_size("", &n) && !obb_read_size("1KK", &n));
    CHECK(!obb_read_size("0xffffffffffffffffK", &n) && !obb_read_size("99999999999999999999", &n));
}

/* Statements put together at random: whatever comes out, it is read, judged in a variant, and
 * answered with values or errors. */
static void survives_any_description(void)
{
    const obb_source_name source = {"p.c", NULL};
    static const char *const bits[] = {
        "program p { sources p.c\n", "library l { ", "image i { from p; ", "platform m { set os=none; ", "toolchain t { ",
        "configuration k { ", "axis a { values x y; default x }\n", "lineup n { host.debug m.k+a=y }\n", "runner r { run x {program} }\n",
        "when a=x { ", "when not ( a=y or os=linux|none ) and cpu=* { ", "choose a { x { ", "} y { ", "} else { ", "} }\n", "}\n", "}\n", "}\n",
        "uses l\n", "define A=1\n", "share { include . }\n", "kind shared\n", "refuse \"no\"\n", "only a=x\n", "memory { f 0 1K }\n",
        "budget f 50%\n", "like m\n", "like host\n", "set a=y\n", "like k\n", "prefix x-\n", "family custom\n", "compile c x {source} {object}\n",
        "spell include -I{path}\n", "place i at 12\n", "place x at\n", "formats bin hex\n", "fill 300\n", "pad-to 1M\n", "for *.c { define B }\n",
        "let v {v} x\n", "\"", "{", "{{", "\\\n", "# remark\n", "project q { default n p }\n", "group g p l\n", "uses p i g\n",
        "step s { reads p.c; makes gen/s.h; run {tool:p} {makes} {reads} }\n", "step u { ", "test v { sources p.c; args x; ", "makes gen/x gen/y\n",
        "run {tool:q} {made:s.h}\n", "copy a to b\n", "fill 4K with 0xff to gen/x\n", "env A=b\n", "in {source}\n", "reads made:s.h product:p\n",
        "sources made:s.h\n", "before { ", "after { makes img/x; ", "expect exit 3\n", "expect output x\n", "timeout 3s\n", "program p\n",
        "device d { load {tool:p} {image}\n", "launch e { program p; args a }\n", "uses s\n", "place made:s.h at 4\n", "reports-reads gen/d\n"};
    unsigned seed = harness_seed(12345);
    for (int i = 0, rounds = harness_rounds(400); i < rounds; i++) {
        obb_text text = {0};
        obb_text_string(&text, "project p { version 1 }\n");
        for (int k = 0; k < 30; k++) {
            seed = seed * 1103515245 + 12345;
            obb_text_string(&text, bits[(seed >> 8) % (sizeof bits / sizeof *bits)]);
        }
        world w = read_project(text.bytes);
        const char *const *platforms = obb_project_definition_names(w.project, OBB_PLATFORM_DEFINITION);
        for (size_t v = 0; platforms[v]; v++) {
            const obb_variant *variant = obb_project_variant(w.project, platforms[v], "debug", NULL, OBB_NOWHERE, w.diags);
            for (size_t t = 0; variant && !obb_diags_fault(w.diags) && t < w.project->targets.count; t++) {
                obb_report_refusals(variant, w.project->targets.at[t], w.diags);
                obb_resolve(variant, w.project->targets.at[t], &source, w.arena);
                CHECK(obb_in(variant, w.project->targets.at[t])->number == t);
            }
        }
        end(&w);
        obb_text_free(&text);
    }
}

void suite_project(void)
{
    harness_test("layers come in their order", layers_come_in_their_order);
    harness_test("private uses hand nothing on", private_uses_hand_nothing_on);
    harness_test("links users before used", links_users_before_used);
    harness_test("statements of fixed length may share a line", statements_of_fixed_length_may_share_a_line);
    harness_test("named values replace", named_values_replace);
    harness_test("paths are seen from their file", paths_are_seen_from_their_file);
    harness_test("standards are known by language", standards_are_known_by_language);
    harness_test("conditions are decided by axis values", conditions_are_decided_by_axis_values);
    harness_test("variants have one name", variants_have_one_name);
    harness_test("parts build on others", parts_build_on_others);
    harness_test("what holds is given as a target", what_holds_is_given_as_a_target);
    harness_test("sizes have units", sizes_have_units);
    harness_test("survives any description", survives_any_description);
}
