/* The order of work: which of the actions that could start starts first.
 *
 * The way of an action is the time from its start to the end of everything that depends on it, if there were
 * enough processors: its own time and the longest way of its users. What has the longest way starts first,
 * which is list scheduling by critical path (R. L. Graham, Bounds on Multiprocessing Timing Anomalies, SIAM
 * Journal on Applied Mathematics 17(2), 1969; T. C. Hu, Operations Research 9(6), 1961). Where that is not
 * near the lower bound, some other orders are tried in advance, among them that in which actions become
 * ready, and the best is taken. Times are what the caller expects, in any unit; `bench/simulate` measures
 * what comes of it. Independent of plans and states.
 */
#ifndef OBB_RUN_ORDER_H
#define OBB_RUN_ORDER_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

typedef OBB_VEC(uint32_t) obb_numbers;

typedef struct obb_work {
    uint64_t time;   /* that it is expected to take */
    uint64_t memory; /* bytes that it is expected to need; 0: not known */
    uint64_t way;    /* set by obb_order_ways */
    uint64_t rank;   /* what could start is started by it, the highest first; the way, unless refined */
    bool part;       /* it belongs to what is to be done */
} obb_work;

/* Sets the way and the rank of each part. `users`: by number, what depends on it; those that are no parts do
 * not count.
 * There is no circle. */
void obb_order_ways(obb_work *work, const obb_numbers *users, size_t count);

/* The longest way of all, after obb_order_ways: its parts from first to last. */
void obb_order_longest_way(const obb_work *work, const obb_numbers *users, size_t count, obb_arena *arena,
                           obb_numbers *way);

typedef enum obb_policy { OBB_BY_RANK, OBB_BY_READINESS /* what has become ready first */ } obb_policy;

/* The time that all takes on so many slots when each takes what is expected. Sets the parts in the order in
 * which they start (NULL: not asked for), with room for all. */
uint64_t obb_order_replay(const obb_work *work, const obb_numbers *users, size_t count, unsigned slots,
                          obb_policy policy, uint32_t *started);

/* Sets better ranks where there are any, after obb_order_ways. */
void obb_order_refine(obb_work *work, const obb_numbers *users, size_t count, unsigned slots);

/* What could start, as a binary heap. Zero, but for `work`, is an empty one. */
typedef struct obb_ready {
    const obb_work *work;
    obb_numbers heap;
} obb_ready;

void obb_ready_put(obb_ready *ready, obb_arena *arena, uint32_t number);

/* Takes the one with the highest rank of those that need no more memory than `room`; of equals, the least
 * number. False: there is none. */
bool obb_ready_take(obb_ready *ready, uint64_t room, uint32_t *number);

#endif
