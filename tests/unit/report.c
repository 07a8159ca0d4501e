/* Data of reports and their page. */
#include <stdlib.h>
#include <string.h>

#include "image/account.h"
#include "plan/savings.h"
#include "report/page.h"
#include "report/page_data.h"
#include "report/report.h"
#include "unit/suites.h"

enum { NODES = 12, MOST_EDGES = 30 };

static unsigned lot = 20261127;

static unsigned draw(unsigned below)
{
    lot = lot * 1103515245u + 12345u;
    return lot / 65536 % below;
}

/* The lines of all that is reached from the source when one file is not included. */
static uint64_t reached_without(const obb_scan_result *scan, const uint64_t *weights, size_t count,
                                size_t left_out)
{
    bool reached[NODES] = {true};
    uint64_t sum = 0;
    for (bool more = true; more;) {
        more = false;
        for (size_t i = 0; i < scan->includes.count; i++) {
            const obb_include *in = &scan->includes.at[i];
            if (reached[in->from - 1] && !reached[in->to - 1] && in->to - 1 != left_out)
                more = reached[in->to - 1] = true;
        }
    }
    for (size_t i = 0; i < count; i++)
        sum += reached[i] ? weights[i] : 0;
    return sum;
}

/* Random includes; what is saved is compared with leaving each file out in turn. */
static void savings_are_what_is_no_longer_reached(void)
{
    size_t shared = 0;
    for (int round = 0; round < 3000; round++) {
        obb_scan_result scan = {0};
        obb_read_file files[NODES];
        uint64_t weights[NODES] = {0};
        bool seen[NODES] = {true};
        size_t count = 2 + draw(NODES - 1);
        for (size_t i = 0; i < count; i++)
            files[i] = (obb_read_file){.file = (obb_file)(i + 1), .lines = 1 + draw(100)};
        weights[0] = files[0].lines;
        for (unsigned k = draw(MOST_EDGES); k-- > 0;) {
            size_t from = draw((unsigned)count), to = 1 + draw((unsigned)count - 1);
            bool twice = seen[to] && draw(8) == 0; /* read again: it has no guard */
            if (!seen[from])
                continue;
            obb_vec_push(&scan.includes, ((obb_include){.from = (obb_file)(from + 1),
                                                        .to = (obb_file)(to + 1),
                                                        .again = seen[to] && !twice}));
            weights[to] += !seen[to] || twice ? files[to].lines : 0;
            seen[to] = true;
        }
        obb_find_savings(&scan, files, count);
        uint64_t all = reached_without(&scan, weights, count, NODES);
        CHECK_NUMBER(files[0].saved, all);
        for (size_t i = 1; i < count; i++) {
            uint64_t saved = seen[i] ? all - reached_without(&scan, weights, count, i) : 0;
            shared += saved > weights[i];
            CHECK_NUMBER(files[i].saved, saved);
        }
        obb_vec_free(&scan.includes);
    }
    CHECK(shared > 1000); /* others were reached through them alone */
}

/* This program, by its sections alone and by all that it has. */
static void sections_give_the_same_sums(void)
{
    obb_arena *arena = obb_arena_new();
    const char *wrong;
    const obb_elf *whole = obb_elf_read("/proc/self/exe", arena, &wrong);
    const obb_elf *sections = obb_elf_read_sections("/proc/self/exe", arena, &wrong);
    CHECK(whole && sections);
    if (whole && sections) {
        const obb_region_use all = {"all", 0, UINT64_MAX / 2, 0};
        const obb_account_facts facts = {.regions = &all, .region_count = 1};
        const obb_account *a = obb_account_make(whole, &facts, arena);
        const obb_account *b = obb_account_of_sections(sections, &all, 1, arena);
        json_t *logged = obb_report_sections(sections);
        const obb_account *c = obb_account_of_sections(obb_report_read_sections(logged, arena), &all, 1,
                                                       arena);
        CHECK(b->regions.at[0].used > 10000);
        CHECK_NUMBER(b->regions.at[0].used, a->regions.at[0].used);
        CHECK_NUMBER(obb_source_bytes(&b->total), obb_source_bytes(&a->total));
        CHECK_NUMBER(b->total.zeroed, a->total.zeroed);
        CHECK_NUMBER(b->total.code, a->total.code);
        CHECK_NUMBER(c->regions.at[0].used, a->regions.at[0].used);
        CHECK_NUMBER(c->total.constants, a->total.constants);
        CHECK_NUMBER(c->sections.count, a->sections.count);
        json_decref(logged);
    }
    obb_arena_free(arena);
}

static json_t *an_action(const char *output, int milliseconds, int slot)
{
    return json_pack("{s:s, s:s, s:s, s:s, s:s, s:i, s:i, s:i, s:b}", "action", "compile", "output", output,
                     "target", "t", "variant", "v", "because", "b", "began", 0, "milliseconds", milliseconds,
                     "slot", slot, "taken-from-the-store", slot == 1);
}

static void pages_have_strings_once(void)
{
    json_t *document = json_pack("{s:s, s:[{s:[o, o], s:[s]}]}", "project", "p", "builds", "actions",
                                 an_action("a.o", 5, 0), an_action("b.o", 7, 1), "longest-way", "b.o");
    json_t *data = obb_page_data(document), *build = json_array_get(json_object_get(data, "builds"), 0);
    char *strings = json_dumps(json_object_get(data, "strings"), JSON_COMPACT);
    char *actions = json_dumps(json_object_get(build, "actions"), JSON_COMPACT | JSON_SORT_KEYS);
    CHECK_TEXT(strings, "[\"compile\",\"a.o\",\"t\",\"v\",\"b\",\"b.o\"]");
    CHECK_TEXT(actions,
               "{\"action\":[0,0],\"because\":[4,4],\"began\":[0,0],\"milliseconds\":[5,7],\"output\":[1,5],"
               "\"slot\":[0,1],\"taken\":[0,1],\"target\":[2,2],\"variant\":[3,3]}");
    CHECK_NUMBER(json_integer_value(json_object_get(build, "slots")), 2);
    CHECK_NUMBER(json_integer_value(json_array_get(json_object_get(build, "way"), 0)), 5);
    free(strings);
    free(actions);
    json_decref(data);
    json_decref(document);
}

/* Symbols that are too small are one row for each section and source, and nothing is lost. */
static void small_symbols_are_summed_up(void)
{
    json_t *symbols = json_array();
    uint64_t sum = 0, shown = 0;
    for (int i = 0; i < 20000; i++) {
        sum += (uint64_t)(20000 - i);
        json_array_append_new(symbols, json_pack("{s:s, s:s, s:s, s:i}", "symbol", "s", "section",
                                                 i % 2 ? ".text" : ".data", "source", i % 3 ? "a.c" : "b.c",
                                                 "size", 20000 - i));
    }
    json_t *document = json_pack("{s:[{s:s, s:o}]}", "programs", "program", "p", "symbols", symbols);
    json_t *data = obb_page_data(document), *row;
    const json_t *rows = json_object_get(json_array_get(json_object_get(data, "programs"), 0), "symbols");
    size_t i;
    json_array_foreach(rows, i, row) shown += (uint64_t)json_integer_value(json_array_get(row, 3));
    CHECK_NUMBER(json_array_size(rows), 8000 + 4);
    CHECK_NUMBER(shown, sum);
    CHECK_TEXT(json_string_value(json_array_get(json_array_get(rows, 8000), 0)), "(4000 smaller)");
    json_decref(data);
    json_decref(document);
}

static void no_text_ends_the_data(void)
{
    json_t *document = json_pack("{s:s}", "project", "</script><!--\"\\");
    const obb_page_texts texts = {.body = "<p>body</p>", .style = "", .charts = "", .scripts = "x"};
    obb_text html = {0};
    obb_report_page(document, &texts, &html);
    const char *data = strstr(obb_text_bytes(&html), "id=\"data\">");
    CHECK(data && strstr(data, "\\u003c/script>\\u003c!--\\\"\\\\"));
    CHECK(data && strchr(data, '<') == strstr(data, "</script>\n<script>"));
    /* FIPS 180-4 gives the digest of nothing, and this one of "x". */
    CHECK(strstr(html.bytes, "style-src 'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU='; script-src "
                             "'sha256-47DEQpj8HBSa+/TImW+5JCeuQeRkm5NMpJWZG3hSuFU=' 'sha256-LXEWQrcm"));
    obb_text_free(&html);
    json_decref(document);
}

void suite_report(void)
{
    harness_test("savings are what is no longer reached", savings_are_what_is_no_longer_reached);
    harness_test("sections give the same sums", sections_give_the_same_sums);
    harness_test("pages have strings once", pages_have_strings_once);
    harness_test("small symbols are summed up", small_symbols_are_summed_up);
    harness_test("no text ends the data", no_text_ends_the_data);
}
