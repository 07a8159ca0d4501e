/* The order of work. */
#include <stdlib.h>
#include <string.h>

#include "run/order.h"
#include "unit/suites.h"

enum { MANY = 300 };

static void use(obb_arena *arena, obb_numbers *users, uint32_t need, uint32_t user)
{
    obb_arena_push(arena, &users[need], user);
}

/* Two compiles, an archive of both, a link of it and of a third compile; and what is no part of it. */
static void the_longest_way_leads_to_the_end(void)
{
    obb_arena *arena = obb_arena_new();
    obb_numbers users[6] = {{0}}, way = {0};
    obb_work work[6] = {{.time = 5, .part = true},  {.time = 7, .part = true}, {.time = 2, .part = true},
                        {.time = 10, .part = true}, {.time = 3, .part = true}, {.time = 100}};
    use(arena, users, 0, 2);
    use(arena, users, 1, 2);
    use(arena, users, 2, 4);
    use(arena, users, 3, 4);
    use(arena, users, 5, 4);
    use(arena, users, 4, 5);
    obb_order_ways(work, users, 6);
    CHECK_NUMBER(work[0].way, 10);
    CHECK_NUMBER(work[1].way, 12);
    CHECK_NUMBER(work[2].way, 5);
    CHECK_NUMBER(work[3].way, 13);
    CHECK_NUMBER(work[4].way, 3);
    obb_order_longest_way(work, users, 6, arena, &way);
    CHECK_NUMBER(way.count, 2);
    CHECK_NUMBER(way.at[0], 3);
    CHECK_NUMBER(way.at[1], 4);
    obb_arena_free(arena);
}

static void nothing_has_no_way(void)
{
    obb_arena *arena = obb_arena_new();
    obb_numbers way = {0}, users[1] = {{0}};
    obb_work none[1] = {{.time = 4}};
    obb_order_ways(none, users, 1);
    obb_order_longest_way(none, users, 1, arena, &way);
    CHECK_NUMBER(way.count, 0);
    obb_arena_free(arena);
}

/* A ready queue filled at random gives what sorting would give. */
static void the_highest_rank_comes_first(void)
{
    obb_arena *arena = obb_arena_new();
    obb_work work[MANY] = {{0}};
    obb_ready ready = {.work = work};
    uint32_t number, before = UINT32_MAX;
    bool in_order = true;
    size_t taken = 0;
    srand(20261126);
    for (uint32_t i = 0; i < MANY; i++)
        work[i].rank = (uint64_t)(rand() % 40);
    for (uint32_t i = 0; i < MANY; i++)
        obb_ready_put(&ready, arena, (i * 7) % MANY);
    for (; obb_ready_take(&ready, UINT64_MAX, &number); before = number, taken++)
        in_order = in_order && (before == UINT32_MAX || work[before].rank > work[number].rank ||
                                (work[before].rank == work[number].rank && before < number));
    CHECK(in_order);
    CHECK_NUMBER(taken, MANY);
    obb_arena_free(arena);
}

static void what_needs_too_much_memory_waits(void)
{
    obb_arena *arena = obb_arena_new();
    obb_work work[5] = {{.rank = 50, .memory = 900},
                        {.rank = 10, .memory = 100},
                        {.rank = 40, .memory = 500},
                        {.rank = 30, .memory = 400},
                        {.rank = 20}};
    obb_ready ready = {.work = work};
    uint32_t number = 99;
    for (uint32_t i = 0; i < 5; i++)
        obb_ready_put(&ready, arena, i);
    CHECK(obb_ready_take(&ready, 400, &number) && number == 3);
    CHECK(obb_ready_take(&ready, 50, &number) && number == 4);
    CHECK(!obb_ready_take(&ready, 50, &number));
    CHECK(obb_ready_take(&ready, 500, &number) && number == 2);
    CHECK(obb_ready_take(&ready, 900, &number) && number == 0);
    CHECK(obb_ready_take(&ready, 100, &number) && number == 1);
    CHECK(!obb_ready_take(&ready, UINT64_MAX, &number));
    obb_arena_free(arena);
}

/* 3 3 2 2 2 on two slots: 3 2 2 beside 3 2 takes 7, but 3 3 beside 2 2 2 takes 6. */
static void orders_are_tried_in_advance(void)
{
    static const uint64_t times[] = {3, 3, 2, 2, 2};
    obb_numbers users[5] = {{0}};
    obb_work work[5];
    uint32_t started[5];
    for (size_t i = 0; i < 5; i++)
        work[i] = (obb_work){.time = times[i], .part = true};
    obb_order_ways(work, users, 5);
    CHECK_NUMBER(obb_order_replay(work, users, 5, 2, OBB_BY_RANK, started), 7);
    CHECK_NUMBER(started[0], 0);
    CHECK_NUMBER(started[4], 4);
    obb_order_refine(work, users, 5, 2);
    CHECK_NUMBER(obb_order_replay(work, users, 5, 2, OBB_BY_RANK, NULL), 6);
}

/* With random actions and needs: never slower than the order of readiness, never below the bounds, every part
 * once, and each behind what it needs. */
static void refined_orders_are_never_worse(void)
{
    obb_arena *arena = obb_arena_new();
    size_t worse = 0, below = 0, wrong = 0;
    srand(20261126);
    for (int round = 0; round < 60; round++) {
        enum { COUNT = 40 };
        obb_numbers users[COUNT] = {{0}};
        obb_work work[COUNT];
        uint32_t started[COUNT], place[COUNT];
        uint64_t total = 0, way = 0;
        unsigned slots = 1 + (unsigned)round % 7;
        for (uint32_t i = 0; i < COUNT; i++) {
            work[i] = (obb_work){.time = (uint64_t)(1 + rand() % 90), .part = true};
            total += work[i].time;
            for (int k = rand() % 3; i && k--;)
                use(arena, users, (uint32_t)rand() % i, i);
        }
        uint64_t queue = obb_order_replay(work, users, COUNT, slots, OBB_BY_READINESS, NULL);
        obb_order_ways(work, users, COUNT);
        for (size_t i = 0; i < COUNT; i++)
            way = work[i].way > way ? work[i].way : way;
        obb_order_refine(work, users, COUNT, slots);
        uint64_t refined = obb_order_replay(work, users, COUNT, slots, OBB_BY_RANK, started);
        worse += refined > queue;
        below += refined < way || refined * slots < total;
        memset(place, 255, sizeof place);
        for (uint32_t i = 0; i < COUNT; i++)
            place[started[i]] = i;
        for (size_t i = 0; i < COUNT; i++)
            for (size_t k = 0; k < users[i].count; k++)
                wrong += place[i] >= place[users[i].at[k]] || place[i] >= COUNT;
    }
    CHECK_NUMBER(worse, 0);
    CHECK_NUMBER(below, 0);
    CHECK_NUMBER(wrong, 0);
    obb_arena_free(arena);
}

/* A hundred compiles for a library and two dozen beside it; behind the library two links, one of which is long. By
 * ways alone the compiles beside it come too late or too early. */
static void a_library_with_links_behind_it_is_refined(void)
{
    enum { INSIDE = 100, BESIDE = 24, LIBRARY = INSIDE + BESIDE, LONG_LINK, LINK, COUNT };
    for (uint64_t lot = 1; lot <= 5; lot++) {
        obb_arena *arena = obb_arena_new();
        obb_numbers users[COUNT] = {{0}};
        obb_work work[COUNT];
        uint64_t drawn = lot;
        for (uint32_t i = 0; i < LIBRARY; i++) {
            drawn = drawn * 6364136223846793005u + 1442695040888963407u;
            uint64_t time = 50 + (drawn >> 40) % 500;
            work[i] = (obb_work){.time = time * time / 250, .part = true};
            use(arena, users, i, i < INSIDE ? (uint32_t)LIBRARY : (uint32_t)LINK);
        }
        work[LIBRARY] = (obb_work){.time = 100, .part = true};
        work[LONG_LINK] = (obb_work){.time = 330, .part = true};
        work[LINK] = (obb_work){.time = 140, .part = true};
        use(arena, users, LIBRARY, LONG_LINK);
        use(arena, users, LIBRARY, LINK);
        obb_order_ways(work, users, COUNT);
        uint64_t by_ways = obb_order_replay(work, users, COUNT, 16, OBB_BY_RANK, NULL);
        obb_order_refine(work, users, COUNT, 16);
        CHECK(obb_order_replay(work, users, COUNT, 16, OBB_BY_RANK, NULL) * 100 <= by_ways * 97);
        obb_arena_free(arena);
    }
}

void suite_order(void)
{
    harness_test("the longest way leads to the end", the_longest_way_leads_to_the_end);
    harness_test("nothing has no way", nothing_has_no_way);
    harness_test("the highest rank comes first", the_highest_rank_comes_first);
    harness_test("what needs too much memory waits", what_needs_too_much_memory_waits);
    harness_test("orders are tried in advance", orders_are_tried_in_advance);
    harness_test("refined orders are never worse", refined_orders_are_never_worse);
    harness_test("a library with links behind it is refined", a_library_with_links_behind_it_is_refined);
}
