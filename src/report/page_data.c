/* Data of a page (report/page_data.h). What is said of thousands of actions is kept in columns, and each
 * string once. What is left out is counted. */
#include "report/page_data.h"

#include <stdlib.h>
#include <string.h>

#include "base/arena.h"
#include "base/map.h"
#include "base/text.h"
#include "base/vec.h"

enum {
    MOST_BUILD_BYTES = 1500000,
    MOST_PROGRAM_BYTES = 850000,
    MOST_ACTIONS = 10000,
    FEWEST_ACTIONS = 100,
    MOST_HEADERS = 300,
    MOST_SYSTEM_HEADERS = 100,
    MOST_TESTS = 2000,
    MOST_SYMBOLS = 8000, /* of all programs, */
    FEWEST_SYMBOLS = 60, /* and of each */
    MOST_NAME = 100      /* bytes of a symbol's name */
};

/* Strings by number. */
typedef struct table {
    json_t *strings;
    obb_map numbers; /* the keys are in the document */
    size_t bytes;
} table;

static const char *text_of(const json_t *o, const char *key)
{
    const char *text = json_string_value(json_object_get(o, key));
    return text ? text : "";
}

static json_int_t number_of(const json_t *o, const char *key)
{
    return json_integer_value(json_object_get(o, key));
}

static size_t bytes_of(const json_t *value)
{
    char *text = json_dumps(value, JSON_COMPACT);
    size_t bytes = text ? strlen(text) : 0;
    free(text);
    return bytes;
}

/* A number of a column, and a comma. */
static json_t *counted_number(table *t, json_int_t n)
{
    t->bytes += 2;
    for (json_int_t left = n; left >= 10; left /= 10)
        t->bytes++;
    return json_integer(n);
}

static json_t *numbered(table *t, const char *text)
{
    bool added;
    uint32_t n = obb_map_number(&t->numbers, text, strlen(text), &added);
    if (added) {
        json_array_append_new(t->strings, json_string(text));
        t->bytes += strlen(text) + 3;
    }
    return counted_number(t, n);
}

/* --- builds ------------------------------------------------------------------------- */

static int longest_first(const void *a, const void *b)
{
    const json_t *x = *(json_t *const *)a, *y = *(json_t *const *)b;
    json_int_t m = number_of(x, "milliseconds"), n = number_of(y, "milliseconds");
    return m != n ? (m > n ? -1 : 1) : 0;
}

/* The milliseconds that an action must have taken so that at most so many are shown. */
static json_int_t shortest_shown(const json_t *actions, size_t most)
{
    size_t count = json_array_size(actions), i;
    json_t *action, **all;
    if (count <= most)
        return 0;
    all = obb_alloc(count * sizeof *all);
    json_array_foreach(actions, i, action) {
        all[i] = action;
    }
    qsort(all, count, sizeof *all, longest_first);
    json_int_t shortest = number_of(all[most - 1], "milliseconds");
    free(all);
    return shortest;
}

static json_t *columns_of(table *t, const json_t *actions, size_t most, json_int_t *slots)
{
    static const char *const texts[] = {"action", "output", "target", "variant", "because"};
    static const char *const numbers[] = {"began", "milliseconds", "slot"};
    json_t *columns = json_object(), *action, *taken = json_array();
    json_int_t shortest = shortest_shown(actions, most);
    size_t i, shown = 0;
    for (size_t k = 0; k < sizeof texts / sizeof *texts; k++)
        json_object_set_new(columns, texts[k], json_array());
    for (size_t k = 0; k < sizeof numbers / sizeof *numbers; k++)
        json_object_set_new(columns, numbers[k], json_array());
    json_array_foreach(actions, i, action) {
        if (number_of(action, "slot") >= *slots)
            *slots = number_of(action, "slot") + 1;
        if (number_of(action, "milliseconds") < shortest || shown == most)
            continue;
        shown++;
        for (size_t k = 0; k < sizeof texts / sizeof *texts; k++)
            json_array_append_new(json_object_get(columns, texts[k]), numbered(t, text_of(action, texts[k])));
        for (size_t k = 0; k < sizeof numbers / sizeof *numbers; k++)
            json_array_append_new(json_object_get(columns, numbers[k]),
                                  counted_number(t, number_of(action, numbers[k])));
        json_array_append_new(taken, counted_number(t, json_is_true(
                                                           json_object_get(action, "taken-from-the-store"))));
    }
    json_object_set_new(columns, "taken", taken);
    return columns;
}

/* With at most so many actions, the longest ones. */
static json_t *build_of(table *t, const json_t *build, size_t most)
{
    json_t *way = json_array(), *output;
    const json_t *actions = json_object_get(build, "actions");
    json_int_t slots = 0;
    size_t i;
    json_t *columns = columns_of(t, actions, most, &slots);
    json_array_foreach(json_object_get(build, "longest-way"), i, output)
        json_array_append_new(way, numbered(t, json_is_string(output) ? json_string_value(output) : ""));
    t->bytes += bytes_of(json_object_get(build, "programs"));
    return json_pack("{s:I, s:I, s:I, s:I, s:I, s:I, s:b, s:o, s:o, s:O?}", "started",
                     number_of(build, "started"), "milliseconds", number_of(build, "milliseconds"), "work",
                     number_of(build, "work-milliseconds"), "jobs", number_of(build, "jobs"), "slots", slots,
                     "count", (json_int_t)json_array_size(actions), "failed",
                     number_of(build, "failed") > 0 || json_is_true(json_object_get(build, "interrupted")),
                     "actions", columns, "way", way, "programs", json_object_get(build, "programs"));
}

/* The newest one: of as many actions as there is room for. */
static json_t *newest_build(table *t, const json_t *build)
{
    for (size_t most = MOST_ACTIONS;; most /= 2) {
        json_t *shown = build_of(t, build, most);
        if (t->bytes <= MOST_BUILD_BYTES || most / 2 < FEWEST_ACTIONS)
            return shown;
        json_decref(shown);
        obb_map_free(&t->numbers);
        json_array_clear(t->strings);
        *t = (table){.strings = t->strings};
    }
}

/* The newest ones that there is room for, the oldest first. */
static json_t *builds_of(const json_t *document, json_t **strings)
{
    const json_t *builds = json_object_get(document, "builds");
    table t = {.strings = json_array()};
    json_t *shown = json_array();
    for (size_t i = json_array_size(builds); i-- > 0;) {
        size_t known = json_array_size(t.strings);
        bool first = !json_array_size(shown);
        json_t *build = first ? newest_build(&t, json_array_get(builds, i))
                              : build_of(&t, json_array_get(builds, i), MOST_ACTIONS);
        if (!first && t.bytes > MOST_BUILD_BYTES) {
            json_decref(build);
            while (json_array_size(t.strings) > known)
                json_array_remove(t.strings, json_array_size(t.strings) - 1);
            break;
        }
        json_array_insert_new(shown, 0, build);
    }
    obb_map_free(&t.numbers);
    *strings = t.strings;
    return shown;
}

/* --- headers ------------------------------------------------------------------------ */

static json_t *headers_of(const json_t *document)
{
    const json_t *headers = json_object_get(document, "headers");
    json_t *rows = json_array(), *h;
    size_t i, own = 0, system = 0;
    json_array_foreach(headers, i, h) {
        const char *name = text_of(h, "header");
        if (*name == '/' ? system++ >= MOST_SYSTEM_HEADERS : own++ >= MOST_HEADERS)
            continue;
        json_array_append_new(rows, json_pack("[s, I, I, I, I, I, I]", name, number_of(h, "compiles"),
                                              number_of(h, "lines"), number_of(h, "lines-brought-in"),
                                              number_of(h, "lines-saved-without"),
                                              number_of(h, "milliseconds-estimated"),
                                              number_of(h, "milliseconds-saved-without")));
    }
    return json_pack("{s:I, s:o}", "count", (json_int_t)json_array_size(headers), "rows", rows);
}

/* --- programs ----------------------------------------------------------------------- */

/* Symbols that are too small to be shown, by section and source. */
typedef struct rest {
    const char *section, *source;
    json_int_t count, bytes;
} rest;

/* Where there are many sources, those that come last, which have the smallest symbols, are one. */
static void add_to_rest(obb_arena *arena, obb_map *rests, const json_t *symbol, size_t most)
{
    const char *section = text_of(symbol, "section"), *source = text_of(symbol, "source");
    char *key = obb_arena_format(arena, "%s\n%s", section, source);
    if (rests->count >= most && !obb_map_get(rests, key)) {
        source = "(other sources)";
        key = obb_arena_format(arena, "%s\n%s", section, source);
    }
    rest *r = obb_map_get(rests, key);
    if (!r) {
        r = obb_arena_alloc(arena, sizeof *r);
        *r = (rest){.section = section, .source = source};
        obb_map_put(rests, key, r);
    }
    r->count++;
    r->bytes += number_of(symbol, "size");
}

/* A name that is cut where it is too long, at the border of a character. */
static json_t *short_name(const char *name)
{
    size_t length = strlen(name);
    if (length <= MOST_NAME)
        return json_string(name);
    for (length = MOST_NAME; length && ((unsigned char)name[length] & 0xc0) == 0x80;)
        length--;
    obb_text text = {0};
    obb_text_add(&text, name, length);
    obb_text_add(&text, "...", 3);
    json_t *cut = json_string(obb_text_bytes(&text));
    obb_text_free(&text);
    return cut;
}

/* [name, section, source, bytes]; the document has the largest first. */
static json_t *symbols_of(const json_t *account, size_t most)
{
    obb_arena *arena = obb_arena_new();
    obb_map rests = {0};
    json_t *rows = json_array(), *symbol;
    size_t i;
    json_array_foreach(json_object_get(account, "symbols"), i, symbol) {
        if (i < most)
            json_array_append_new(rows, json_pack("[o, s, s, I]", short_name(text_of(symbol, "symbol")),
                                                  text_of(symbol, "section"), text_of(symbol, "source"),
                                                  number_of(symbol, "size")));
        else
            add_to_rest(arena, &rests, symbol, most);
    }
    for (size_t k = 0; k < rests.count; k++) {
        const rest *r = rests.at[k].value;
        json_array_append_new(rows, json_pack("[s, s, s, I]",
                                              obb_arena_format(arena, "(%lld smaller)", (long long)r->count),
                                              r->section, r->source, r->bytes));
    }
    obb_map_free(&rests);
    obb_arena_free(arena);
    return rows;
}

static json_t *sums_of(const json_t *account)
{
    static const char *const kinds[] = {"code", "constants", "data", "zeroed"};
    json_t *sums = json_object(), *source;
    size_t i;
    for (size_t k = 0; k < sizeof kinds / sizeof *kinds; k++) {
        json_int_t sum = 0;
        json_array_foreach(json_object_get(account, "sources"), i, source) {
            sum += number_of(source, kinds[k]);
        }
        json_object_set_new(sums, kinds[k], json_integer(sum));
    }
    return sums;
}

static json_t *program_of(const json_t *account, size_t most)
{
    json_t *against = json_object_get(account, "against"), *sums = sums_of(account);
    json_t *program = json_pack("{s:s, s:s, s:O?, s:O?, s:o, s:o}", "program", text_of(account, "program"),
                                "variant", text_of(account, "variant"), "regions",
                                json_object_get(account, "regions"), "sections",
                                json_object_get(account, "sections"), "symbols", symbols_of(account, most),
                                "sums", sums);
    json_object_update(program, sums);
    if (against)
        json_object_set_new(program, "against", program_of(against, most));
    return program;
}

/* As many as there is room for, with so many symbols each. */
static json_t *some_programs(const json_t *accounts, size_t symbols)
{
    json_t *programs = json_array(), *account;
    size_t i, bytes = 0;
    json_array_foreach(accounts, i, account) {
        json_t *program = program_of(account, symbols);
        bytes += bytes_of(program);
        if (bytes > MOST_PROGRAM_BYTES && i) {
            json_decref(program);
            break;
        }
        json_array_append_new(programs, program);
    }
    return programs;
}

/* All, with fewer symbols if need be; else some. */
static json_t *programs_of(const json_t *document, json_int_t *left_out)
{
    const json_t *accounts = json_object_get(document, "programs");
    size_t count = json_array_size(accounts), symbols = count ? MOST_SYMBOLS / count : 0;
    json_t *programs = some_programs(accounts, symbols > FEWEST_SYMBOLS ? symbols : FEWEST_SYMBOLS);
    while (symbols / 2 > FEWEST_SYMBOLS &&
           (json_array_size(programs) < count || bytes_of(programs) > MOST_PROGRAM_BYTES)) {
        json_decref(programs);
        symbols /= 2;
        programs = some_programs(accounts, symbols);
    }
    *left_out = (json_int_t)(count - json_array_size(programs));
    return programs;
}

/* --- tests -------------------------------------------------------------------------- */

/* [test, variant, outcome, because, milliseconds, started]: of each the last run. */
static json_t *tests_of(const json_t *document)
{
    const json_t *runs = json_object_get(document, "tests");
    obb_arena *arena = obb_arena_new();
    obb_map seen = {0};
    json_t *rows = json_array(), *test;
    size_t i, k = json_array_size(runs);
    while (k-- > 0) {
        const json_t *run = json_array_get(runs, k);
        json_array_foreach(json_object_get(run, "tests"), i, test) {
            const char *of = text_of(test, "case");
            char *name = obb_arena_format(arena, "%s%s%s", text_of(test, "test"), *of ? ": " : "", of);
            char *key = obb_arena_format(arena, "%s\n%s", name, text_of(test, "variant"));
            if (obb_map_put(&seen, key, key) || json_array_size(rows) >= MOST_TESTS)
                continue;
            json_array_append_new(rows,
                                  json_pack("[s, s, s, O?, I, I]", name, text_of(test, "variant"),
                                            text_of(test, "outcome"), json_object_get(test, "because"),
                                            number_of(test, "milliseconds"), number_of(run, "started")));
        }
    }
    json_int_t count = (json_int_t)seen.count;
    obb_map_free(&seen);
    obb_arena_free(arena);
    return json_pack("{s:I, s:o}", "count", count, "rows", rows);
}

json_t *obb_page_data(const json_t *document)
{
    json_t *strings, *builds = builds_of(document, &strings);
    json_int_t left_out;
    json_t *programs = programs_of(document, &left_out);
    size_t count = json_array_size(json_object_get(document, "builds"));
    return json_pack("{s:s, s:I, s:o, s:o, s:I, s:o, s:o, s:I, s:O?, s:o}", "project",
                     text_of(document, "project"), "written", number_of(document, "written"), "strings",
                     strings, "builds", builds, "buildsLeftOut",
                     (json_int_t)(count - json_array_size(builds)), "headers", headers_of(document),
                     "programs", programs, "programsLeftOut", left_out, "images",
                     json_object_get(document, "images"), "tests", tests_of(document));
}
