/* Replays recorded builds on any number of slots, in the order in which obbligato starts actions
 * (run/order.h) and in the order in which they become ready, and compares the time with what no order can go
 * below.
 *
 *     simulate record NAME < PLAN      a recorded build, from what `obbligato export plan` says after a build
 *     simulate [--latency MS] [--rate MBIT] BUILD...
 *
 * A recorded build is a text. Its first line is its name; each further one is an action: a letter (c: a
 * compile, which may be done elsewhere; h: what stays at home), milliseconds, bytes that it reads and no line
 * before it, bytes that it writes, and the numbers of the lines (from 0) that it depends on. With --latency
 * and --rate, compiles are done elsewhere: each takes the latency, and the time that its bytes take at that
 * rate, longer.
 *
 * Two lower bounds. The simple one: the longest way, or the work divided by the slots, whichever is larger.
 * The tight one: if all is to end at some time, each action can begin when the longest way to it is done, and
 * must end when the longest way behind it can still be done; where the parts of actions that must lie between
 * two times are more than the slots can do, no order ends at that time (energetic reasoning: P. Baptiste, C. Le
 * Pape, W. Nuijten, Satisfiability tests and time-bound adjustments for cumulative scheduling problems, Annals
 * of Operations Research 92, 1999). */
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/arena.h"
#include "base/map.h"
#include "run/order.h"

enum { MICROSECONDS = 1000, COUNTED_SLOTS = 64, MOST_SLOTS = 512 };

/* --- recording ---------------------------------------------------------------------- */

static uint64_t size_of(const char *path)
{
    struct stat s;
    return stat(path, &s) ? 0 : (uint64_t)s.st_size;
}

static uint64_t new_bytes(const json_t *reads, obb_map *known)
{
    uint64_t bytes = 0;
    for (size_t i = 0; i < json_array_size(reads); i++) {
        const char *path = json_string_value(json_array_get(reads, i));
        if (!obb_map_put(known, path, (void *)(uintptr_t)path))
            bytes += size_of(path);
    }
    return bytes;
}

static int record(const char *name)
{
    json_error_t error;
    json_t *plan = json_loadf(stdin, 0, &error), *actions = json_object_get(plan, "actions");
    obb_arena *arena = obb_arena_new();
    obb_map makers = {0}, known = {0};
    if (!json_array_size(actions)) {
        fprintf(stderr, "simulate: no plan with actions: %s\n", error.text);
        return 1;
    }
    for (size_t i = 0; i < json_array_size(actions); i++) {
        const json_t *makes = json_object_get(json_array_get(actions, i), "makes");
        for (size_t k = 0; k < json_array_size(makes); k++)
            obb_map_put(&makers, json_string_value(json_array_get(makes, k)), (void *)(uintptr_t)(i + 1));
    }
    printf("%s\n", name);
    for (size_t i = 0; i < json_array_size(actions); i++) {
        const json_t *a = json_array_get(actions, i), *after = json_object_get(a, "after");
        bool compiles = strcmp(json_string_value(json_object_get(a, "action")), "compile") == 0;
        printf("%c %lld %llu %llu", compiles ? 'c' : 'h',
               (long long)json_integer_value(json_object_get(a, "milliseconds")),
               (unsigned long long)new_bytes(json_object_get(a, "reads"), &known),
               (unsigned long long)size_of(
                   json_string_value(json_array_get(json_object_get(a, "makes"), 0))));
        for (size_t k = 0; k < json_array_size(after); k++) {
            uintptr_t maker = (uintptr_t)obb_map_get(&makers, json_string_value(json_array_get(after, k)));
            if (maker)
                printf(" %zu", (size_t)maker - 1);
        }
        putchar('\n');
    }
    obb_map_free(&makers);
    obb_map_free(&known);
    obb_arena_free(arena);
    json_decref(plan);
    return 0;
}

/* --- a recorded build --------------------------------------------------------------- */

typedef struct build {
    obb_arena *arena;
    char name[80];
    obb_work *work;        /* times in microseconds */
    uint64_t *transferred; /* bytes of each, when it is done elsewhere */
    obb_numbers *users, *needs;
    size_t count;
} build;

static bool read_line(build *b, char *line)
{
    char kind, *at = line;
    unsigned long long milliseconds, reads, writes;
    int length = 0;
    if (sscanf(line, "%c %llu %llu %llu%n", &kind, &milliseconds, &reads, &writes, &length) != 4)
        return false;
    size_t i = b->count++;
    b->work[i] = (obb_work){.time = milliseconds * MICROSECONDS, .part = true};
    b->transferred[i] = kind == 'c' ? reads + writes + 1 : 0; /* with one more: 0 stays at home */
    for (char *end; at += length, length = 0, *at; length = (int)(end - at)) {
        unsigned long need = strtoul(at, &end, 10);
        if (end == at)
            break;
        obb_arena_push(b->arena, &b->needs[i], (uint32_t)need);
    }
    return true;
}

static bool read_build(build *b, const char *path)
{
    char line[65536];
    size_t lines = 0;
    FILE *file = fopen(path, "r");
    *b = (build){.arena = obb_arena_new()};
    while (file && fgets(line, sizeof line, file))
        lines++;
    if (!file || lines < 2) {
        fprintf(stderr, "simulate: cannot read %s\n", path);
        return false;
    }
    b->work = obb_arena_alloc(b->arena, lines * sizeof *b->work);
    b->transferred = obb_arena_alloc(b->arena, lines * sizeof *b->transferred);
    b->users = obb_arena_alloc(b->arena, lines * sizeof *b->users);
    b->needs = obb_arena_alloc(b->arena, lines * sizeof *b->needs);
    rewind(file);
    bool ok = fgets(line, sizeof line, file) != NULL;
    snprintf(b->name, sizeof b->name, "%.*s", (int)strcspn(line, "\n"), line);
    while (ok && fgets(line, sizeof line, file))
        ok = read_line(b, line);
    fclose(file);
    for (size_t i = 0; i < b->count && ok; i++)
        for (size_t k = 0; k < b->needs[i].count && ok; k++) {
            ok = b->needs[i].at[k] < b->count;
            if (ok)
                obb_arena_push(b->arena, &b->users[b->needs[i].at[k]], (uint32_t)i);
        }
    if (!ok)
        fprintf(stderr, "simulate: %s is no recorded build\n", path);
    return ok;
}

/* --- bounds ------------------------------------------------------------------------- */

static uint64_t larger(uint64_t a, uint64_t b)
{
    return a > b ? a : b;
}

static uint64_t total_work(const build *b)
{
    uint64_t sum = 0;
    for (size_t i = 0; i < b->count; i++)
        sum += b->work[i].time;
    return sum;
}

static uint64_t longest_way(const build *b)
{
    uint64_t way = 0;
    for (size_t i = 0; i < b->count; i++)
        way = larger(way, b->work[i].way);
    return way;
}

static uint64_t head_of(const build *b, uint64_t *heads, size_t i)
{
    uint64_t head = 0;
    if (heads[i] != UINT64_MAX)
        return heads[i];
    for (size_t k = 0; k < b->needs[i].count; k++) {
        size_t need = b->needs[i].at[k];
        head = larger(head, head_of(b, heads, need) + b->work[need].time);
    }
    return heads[i] = head;
}

/* A part of the build, and when it can be done at all if the whole ends at `end`. */
typedef struct window {
    int64_t from, time, behind; /* `behind`: what must come after it */
} window;

/* How much of it must be done between two times. */
static int64_t least_between(const window *w, int64_t end, int64_t from, int64_t to)
{
    int64_t by_start = w->from + w->time - from, by_end = to - (end - w->behind - w->time);
    int64_t least = by_start < by_end ? by_start : by_end;
    least = least < to - from ? least : to - from;
    least = least < w->time ? least : w->time;
    return least > 0 ? least : 0;
}

/* Between `from` and `to`, does more have to be done than so many slots can do? */
static bool is_too_much(const window *all, size_t count, int64_t end, int64_t from, int64_t to, unsigned slots)
{
    int64_t work = 0, room = (to - from) * (int64_t)slots;
    for (size_t i = 0; i < count && work <= room; i++)
        work += least_between(&all[i], end, from, to);
    return to > from && work > room;
}

/* No order can end at `end`. Looked for where windows begin, and where they end. */
static bool is_impossible(const window *all, size_t count, int64_t end, unsigned slots)
{
    for (size_t a = 0; a < count; a++) {
        size_t same = 0;
        while (all[same].from != all[a].from)
            same++;
        for (size_t b = 0; same == a && b < count; b++)
            if (is_too_much(all, count, end, all[a].from, end - all[b].behind, slots))
                return true;
    }
    return false;
}

/* `simple`: a bound; `reached`: what an order has reached. */
static uint64_t tight_bound(const build *b, unsigned slots, uint64_t simple, uint64_t reached)
{
    uint64_t *heads = obb_alloc(b->count * sizeof *heads);
    window *all = obb_alloc(b->count * sizeof *all);
    for (size_t i = 0; i < b->count; i++)
        heads[i] = UINT64_MAX;
    for (size_t i = 0; i < b->count; i++)
        all[i] = (window){(int64_t)head_of(b, heads, i), (int64_t)b->work[i].time,
                          (int64_t)(b->work[i].way - b->work[i].time)};
    while (simple < reached) {
        uint64_t middle = simple + (reached - simple) / 2;
        if (is_impossible(all, b->count, (int64_t)middle, slots))
            simple = middle + 1;
        else
            reached = middle;
    }
    free(heads);
    free(all);
    return simple;
}

/* --- the table ---------------------------------------------------------------------- */

typedef OBB_VEC(double) ratios;

typedef struct summary {
    ratios simple, tight; /* up to COUNTED_SLOTS slots */
    size_t runs, worse; /* than in the order in which they become ready: by more than the clock of records */
} summary;

/* What lies between here and there. */
typedef struct distance {
    uint64_t latency; /* microseconds */
    double rate;      /* bytes in a microsecond; 0: no limit */
} distance;

static void go_elsewhere(build *b, const distance *far)
{
    for (size_t i = 0; i < b->count; i++) {
        b->work[i].time += b->transferred[i] ? far->latency : 0;
        b->work[i].time += far->rate > 0 ? (uint64_t)((double)b->transferred[i] / far->rate) : 0;
    }
}

static void simulate(build *b, const distance *far, summary *all)
{
    go_elsewhere(b, far);
    obb_order_ways(b->work, b->users, b->count);
    uint64_t work = total_work(b), way = longest_way(b);
    printf("%s: %zu actions, work %.1f s, longest way %.1f s\n", b->name, b->count, (double)work / 1e6,
           (double)way / 1e6);
    printf("  %5s  %10s  %10s  %8s  %8s  %12s\n", "slots", "bound", "time", "/ bound", "/ tight",
           "ready first");
    for (unsigned slots = 1; slots <= MOST_SLOTS; slots *= 2) {
        uint64_t simple = larger(way, (work + slots - 1) / slots);
        uint64_t queue = obb_order_replay(b->work, b->users, b->count, slots, OBB_BY_READINESS, NULL);
        obb_order_ways(b->work, b->users, b->count);
        obb_order_refine(b->work, b->users, b->count, slots);
        uint64_t time = obb_order_replay(b->work, b->users, b->count, slots, OBB_BY_RANK, NULL);
        uint64_t tight = tight_bound(b, slots, simple, time);
        double of_simple = (double)time / (double)simple, of_tight = (double)time / (double)tight;
        printf("  %5u  %8.2f s  %8.2f s  %8.3f  %8.3f  %12.3f\n", slots, (double)simple / 1e6,
               (double)time / 1e6, of_simple, of_tight, (double)queue / (double)simple);
        if (slots > COUNTED_SLOTS)
            continue;
        obb_vec_push(&all->simple, of_simple);
        obb_vec_push(&all->tight, of_tight);
        all->runs++;
        all->worse += time > queue;
    }
}

static int by_value(const void *a, const void *b)
{
    double x = *(const double *)a, y = *(const double *)b;
    return x < y ? -1 : x > y;
}

static void print_ratios(const char *name, ratios *r)
{
    size_t over = 0;
    qsort(r->at, r->count, sizeof *r->at, by_value);
    for (size_t i = 0; i < r->count; i++)
        over += r->at[i] > 1.10;
    printf("%s: median %.3f, largest %.3f, over 1.10: %zu of %zu\n", name, r->at[r->count / 2],
           r->at[r->count - 1], over, r->count);
}

int main(int argc, char **argv)
{
    distance far = {0};
    summary all = {.runs = 0};
    if (argc == 3 && strcmp(argv[1], "record") == 0)
        return record(argv[2]);
    for (; argc > 2 && strncmp(argv[1], "--", 2) == 0; argc -= 2, argv += 2) {
        if (strcmp(argv[1], "--latency") == 0)
            far.latency = strtoul(argv[2], NULL, 10) * MICROSECONDS;
        else if (strcmp(argv[1], "--rate") == 0)
            far.rate = strtod(argv[2], NULL) / 8;
    }
    if (argc < 2) {
        fputs("usage: simulate [--latency MS] [--rate MBIT] BUILD...\n       simulate record NAME < PLAN\n",
              stderr);
        return 2;
    }
    for (int i = 1; i < argc; i++) {
        build b;
        if (!read_build(&b, argv[i]))
            return 1;
        simulate(&b, &far, &all);
        obb_arena_free(b.arena);
    }
    printf("up to %d slots, %zu runs:\n", COUNTED_SLOTS, all.runs);
    print_ratios("  time / bound", &all.simple);
    print_ratios("  time / tight bound", &all.tight);
    printf("  slower than in the order in which actions become ready: %zu of %zu\n", all.worse, all.runs);
    obb_vec_free(&all.simple);
    obb_vec_free(&all.tight);
    return 0;
}
