/* The order of work (run/order.h). */
#include "run/order.h"

#include <stdlib.h>

/* By action: how many parts it depends on. Allocated. */
static uint32_t *count_needs(const obb_work *work, const obb_numbers *users, size_t count)
{
    uint32_t *needs = obb_alloc((count + 1) * sizeof *needs);
    for (uint32_t i = 0; i < count; i++)
        for (size_t k = 0; work[i].part && k < users[i].count; k++)
            needs[users[i].at[k]]++;
    return needs;
}

/* All parts, each behind those that it depends on. */
static size_t sort_by_dependence(const obb_work *work, const obb_numbers *users, size_t count,
                                 uint32_t *sorted)
{
    uint32_t *waits = count_needs(work, users, count);
    size_t n = 0;
    for (uint32_t i = 0; i < count; i++)
        if (work[i].part && !waits[i])
            sorted[n++] = i;
    for (size_t at = 0; at < n; at++) {
        const obb_numbers *of = &users[sorted[at]];
        for (size_t k = 0; k < of->count; k++)
            if (--waits[of->at[k]] == 0 && work[of->at[k]].part)
                sorted[n++] = of->at[k];
    }
    free(waits);
    return n;
}

/* The user with the longest way, as an index into the work; `count`: there is none. */
static size_t next_on_way(const obb_work *work, const obb_numbers *users, size_t count)
{
    size_t next = count;
    for (size_t k = 0; k < users->count; k++) {
        uint32_t user = users->at[k];
        if (work[user].part && (next == count || work[user].way > work[next].way))
            next = user;
    }
    return next;
}

void obb_order_ways(obb_work *work, const obb_numbers *users, size_t count)
{
    uint32_t *sorted = obb_alloc((count + 1) * sizeof *sorted);
    for (size_t n = sort_by_dependence(work, users, count, sorted); n--;) {
        size_t next = next_on_way(work, &users[sorted[n]], count);
        obb_work *w = &work[sorted[n]];
        w->rank = w->way = w->time + (next < count ? work[next].way : 0);
    }
    free(sorted);
}

void obb_order_longest_way(const obb_work *work, const obb_numbers *users, size_t count, obb_arena *arena,
                           obb_numbers *way)
{
    size_t at = count;
    for (size_t i = 0; i < count; i++)
        if (work[i].part && (at == count || work[i].way > work[at].way))
            at = i;
    for (; at < count; at = next_on_way(work, &users[at], count))
        obb_arena_push(arena, way, (uint32_t)at);
}

static bool goes_first(const obb_ready *r, uint32_t a, uint32_t b)
{
    return r->work[a].rank != r->work[b].rank ? r->work[a].rank > r->work[b].rank : a < b;
}

static void swap(obb_ready *r, size_t a, size_t b)
{
    uint32_t number = r->heap.at[a];
    r->heap.at[a] = r->heap.at[b];
    r->heap.at[b] = number;
}

static void rise(obb_ready *r, size_t at)
{
    for (; at && goes_first(r, r->heap.at[at], r->heap.at[(at - 1) / 2]); at = (at - 1) / 2)
        swap(r, at, (at - 1) / 2);
}

static void sink(obb_ready *r, size_t at)
{
    for (size_t child; (child = 2 * at + 1) < r->heap.count; at = child) {
        child += child + 1 < r->heap.count && goes_first(r, r->heap.at[child + 1], r->heap.at[child]);
        if (!goes_first(r, r->heap.at[child], r->heap.at[at]))
            break;
        swap(r, at, child);
    }
}

void obb_ready_put(obb_ready *r, obb_arena *arena, uint32_t number)
{
    obb_arena_push(arena, &r->heap, number);
    rise(r, r->heap.count - 1);
}

bool obb_ready_take(obb_ready *r, uint64_t room, uint32_t *number)
{
    size_t best = 0;
    if (r->heap.count && r->work[r->heap.at[0]].memory > room) {
        best = r->heap.count;
        for (size_t i = 1; i < r->heap.count; i++)
            if (r->work[r->heap.at[i]].memory <= room &&
                (best == r->heap.count || goes_first(r, r->heap.at[i], r->heap.at[best])))
                best = i;
    }
    if (best >= r->heap.count)
        return false;
    *number = r->heap.at[best];
    r->heap.at[best] = r->heap.at[--r->heap.count];
    if (best < r->heap.count) {
        rise(r, best);
        sink(r, best);
    }
    return true;
}

/* --- trying orders in advance ------------------------------------------------------- */

/* What runs, as a binary heap by the time at which it ends. */
typedef struct running {
    uint64_t *ends;
    uint32_t *number;
    size_t count;
} running;

static void set_running(running *r, size_t at, uint64_t ends, uint32_t number)
{
    r->ends[at] = ends;
    r->number[at] = number;
}

static void begin_running(running *r, uint64_t ends, uint32_t number)
{
    size_t at = r->count++;
    for (; at && r->ends[(at - 1) / 2] > ends; at = (at - 1) / 2)
        set_running(r, at, r->ends[(at - 1) / 2], r->number[(at - 1) / 2]);
    set_running(r, at, ends, number);
}

/* The one that ends first, with the moment. */
static uint32_t end_running(running *r, uint64_t *now)
{
    uint32_t first = r->number[0];
    *now = r->ends[0];
    size_t at = 0, last = --r->count;
    for (size_t child; (child = 2 * at + 1) < last; at = child) {
        child += child + 1 < last && r->ends[child + 1] < r->ends[child];
        if (r->ends[child] >= r->ends[last])
            break;
        set_running(r, at, r->ends[child], r->number[child]);
    }
    set_running(r, at, r->ends[last], r->number[last]);
    return first;
}

/* Parts become ready. */
typedef struct replay {
    obb_arena *arena;
    obb_work *work; /* a copy: its ranks may become those of readiness */
    obb_ready ready;
    obb_policy policy;
    uint64_t next_rank;
} replay;

static void make_ready(replay *r, uint32_t number)
{
    if (r->policy == OBB_BY_READINESS)
        r->work[number].rank = r->next_rank--;
    obb_ready_put(&r->ready, r->arena, number);
}

/* As obb_order_replay; sets the parts in the order in which they end as well (NULL: not asked for). */
static uint64_t replay_parts(const obb_work *work, const obb_numbers *users, size_t count, unsigned slots,
                             obb_policy policy, uint32_t *started, uint32_t *ended)
{
    obb_arena *arena = obb_arena_new();
    uint32_t *needs = count_needs(work, users, count), number;
    size_t most = slots < count ? slots : count, begun = 0, over = 0;
    running at_work = {obb_arena_alloc(arena, (most + 1) * sizeof(uint64_t)),
                       obb_arena_alloc(arena, (most + 1) * sizeof(uint32_t)), 0};
    replay r = {.arena = arena,
                .work = (obb_work *)(void *)obb_arena_copy(arena, work, count * sizeof *work),
                .policy = policy,
                .next_rank = UINT64_MAX};
    uint64_t now = 0;
    r.ready.work = r.work;
    for (uint32_t i = 0; i < count; i++)
        if (work[i].part && !needs[i])
            make_ready(&r, i);
    for (;;) {
        for (; at_work.count < most && obb_ready_take(&r.ready, UINT64_MAX, &number); begun++) {
            begin_running(&at_work, now + work[number].time, number);
            if (started)
                started[begun] = number;
        }
        if (!at_work.count)
            break;
        number = end_running(&at_work, &now);
        if (ended)
            ended[over++] = number;
        const obb_numbers *of = &users[number];
        for (size_t k = 0; k < of->count; k++)
            if (--needs[of->at[k]] == 0 && work[of->at[k]].part)
                make_ready(&r, of->at[k]);
    }
    free(needs);
    obb_arena_free(arena);
    return now;
}

uint64_t obb_order_replay(const obb_work *work, const obb_numbers *users, size_t count, unsigned slots,
                          obb_policy policy, uint32_t *started)
{
    return replay_parts(work, users, count, slots, policy, started, NULL);
}

/* Replays: so many at most, which takes a millisecond where few actions are to be made, and so many replayed
 * actions, which takes some ten; but the order of readiness is tried always. */
enum { MOST_REPLAYS = 300, MOST_REPLAYED = 60000 };

/* How often an order is improved from its end and from its start before another one is drawn. */
enum { IMPROVEMENTS = 2 };

/* An order is good enough that is this part above the lower bound. */
enum { GOOD_ENOUGH = 100 };

typedef struct tail {
    uint64_t behind, time; /* the longest way behind a part, and its own time */
} tail;

static int by_tail(const void *a, const void *b)
{
    const tail *x = a, *y = b;
    return x->behind > y->behind ? -1 : x->behind < y->behind;
}

/* No order takes less than the longest way; nor than any set of parts divided by the slots, and the least way
 * behind one of them (J. Carlier, The One-Machine Sequencing Problem, European Journal of Operational
 * Research 11, 1982). */
static uint64_t lower_bound(const obb_work *work, size_t count, unsigned slots, size_t *parts)
{
    uint64_t bound = 0, sum = 0;
    tail *tails = obb_alloc((count + 1) * sizeof *tails);
    for (size_t i = 0; i < count; i++) {
        if (work[i].part)
            tails[(*parts)++] = (tail){work[i].way - work[i].time, work[i].time};
        bound = work[i].part && work[i].way > bound ? work[i].way : bound;
    }
    qsort(tails, *parts, sizeof *tails, by_tail);
    for (size_t i = 0; i < *parts; i++) {
        sum += tails[i].time;
        bound = sum / slots + tails[i].behind > bound ? sum / slots + tails[i].behind : bound;
    }
    free(tails);
    return bound;
}

/* Ways, each made longer by up to as much again, drawn by lot: the same lots each time. */
static void rank_by_lot(obb_work *work, size_t count, uint64_t *lot)
{
    for (size_t i = 0; i < count; i++) {
        *lot = *lot * 6364136223846793005u + 1442695040888963407u; /* D. E. Knuth, MMIX */
        work[i].rank = (uint64_t)((double)work[i].way * (1024 + 1024 * ((double)(*lot >> 40) / (1 << 24))));
    }
}

typedef struct search {
    obb_work *work;
    const obb_numbers *users;
    obb_numbers *needs; /* the same graph, turned round */
    size_t count, parts;
    unsigned slots;
    uint64_t least;                   /* the time of the best order so far */
    uint32_t *best, *started, *ended; /* parts, in an order */
} search;

static void turn_graph_round(search *s, obb_arena *arena)
{
    s->needs = obb_arena_alloc(arena, (s->count + 1) * sizeof *s->needs);
    for (uint32_t i = 0; i < s->count; i++)
        for (size_t k = 0; s->work[i].part && k < s->users[i].count; k++)
            obb_arena_push(arena, &s->needs[s->users[i].at[k]], i);
}

/* By the ranks as they are, or by readiness; kept when nothing was better. */
static void try_order(search *s, obb_policy policy)
{
    uint64_t time = replay_parts(s->work, s->users, s->count, s->slots, policy, s->started, s->ended);
    if (time >= s->least)
        return;
    s->least = time;
    uint32_t *better = s->started;
    s->started = s->best;
    s->best = better;
}

/* What ended last goes first: for a replay the other way round. */
static void rank_by_ends(search *s)
{
    for (size_t i = 0; i < s->parts; i++)
        s->work[s->ended[i]].rank = i;
}

/* Each part as late as it can be without the end of all becoming later, then each as early as it can be:
 * V. Valls, F. Ballestín, S. Quintanilla, Justification and RCPSP: A technique that pays, European Journal
 * of Operational Research 165(2), 2005. Improves the order that was tried last. */
static void improve_order(search *s)
{
    rank_by_ends(s);
    replay_parts(s->work, s->needs, s->count, s->slots, OBB_BY_RANK, NULL, s->ended);
    rank_by_ends(s);
    try_order(s, OBB_BY_RANK);
}

void obb_order_refine(obb_work *work, const obb_numbers *users, size_t count, unsigned slots)
{
    search s = {.work = work, .users = users, .count = count, .slots = slots, .least = UINT64_MAX};
    uint64_t bound = lower_bound(work, count, slots, &s.parts), enough = bound + bound / GOOD_ENOUGH, lot = 1;
    if (slots >= s.parts)
        return;
    obb_arena *arena = obb_arena_new();
    s.best = obb_arena_alloc(arena, s.parts * sizeof *s.best);
    s.started = obb_arena_alloc(arena, s.parts * sizeof *s.started);
    s.ended = obb_arena_alloc(arena, s.parts * sizeof *s.ended);
    size_t replays = MOST_REPLAYED / s.parts < MOST_REPLAYS ? MOST_REPLAYED / s.parts : MOST_REPLAYS;
    if (replays)
        turn_graph_round(&s, arena);
    for (size_t i = 0; !i || (i < replays && s.least > enough); i += 1 + 2 * IMPROVEMENTS) {
        if (i)
            rank_by_lot(work, count, &lot);
        try_order(&s, OBB_BY_RANK);
        for (int k = 0; k < IMPROVEMENTS && replays && s.least > enough; k++)
            improve_order(&s);
    }
    try_order(&s, OBB_BY_READINESS);
    for (size_t i = 0; i < s.parts; i++)
        work[s.best[i]].rank = s.parts - i;
    obb_arena_free(arena);
}
