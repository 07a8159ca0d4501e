/* What making an output cost. */
#ifndef OBB_STATE_COST_H
#define OBB_STATE_COST_H

#include <stdint.h>

typedef struct obb_cost {
    uint64_t milliseconds; /* from its start to its end */
    uint64_t memory;       /* bytes: the peak resident size of its largest process; 0: not known */
} obb_cost;

#endif
