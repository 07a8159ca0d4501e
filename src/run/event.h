/* Events of a plan that is carried out, and the result at its end. */
#ifndef OBB_RUN_EVENT_H
#define OBB_RUN_EVENT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "base/vec.h"

struct obb_action;

typedef enum obb_event_kind {
    OBB_EVENT_BEGIN,  /* the forecast is known */
    OBB_EVENT_START,  /* an action's command starts */
    OBB_EVENT_DONE,   /* it succeeded */
    OBB_EVENT_FAILED,
    OBB_EVENT_REMOVED, /* a file that nothing makes any more was removed: `path` */
    OBB_EVENT_TICK     /* time passed */
} obb_event_kind;

/* What a build sees of a farm: slots of its workers, jobs of this build that they have, bytes that were sent.
 */
typedef struct obb_farm_view {
    uint64_t slots, jobs, bytes;
} obb_farm_view;

typedef struct obb_event {
    obb_event_kind kind;
    const struct obb_action *action;
    const char *cause;   /* why it is made */
    const char *path;
    const char *output;  /* what the command printed, standard output and error as they came */
    size_t output_length;
    int status, signal;  /* of a failed one; `message` instead when it could not be run */
    const char *message;
    bool hit;            /* it was in the object cache */
    size_t done, total, running; /* actions so far, in all (as far as is known now), right now */
    uint64_t milliseconds;       /* of the action */
    uint64_t elapsed;            /* milliseconds since the start of the run */
    uint64_t expected;           /* milliseconds still to go, from earlier times; 0: not known */
    obb_farm_view farm;          /* just now; no slots: there is none, or nobody works there */
} obb_event;

typedef void obb_observer(void *self, const obb_event *event);

/* A part of the longest way (run/order.h), and how long it took. */
typedef struct obb_way_part {
    const struct obb_action *action;
    uint64_t milliseconds;
} obb_way_part;

/* An action that was carried out, or whose output was taken from the store. */
typedef struct obb_made_part {
    const struct obb_action *action;
    uint64_t began, milliseconds; /* since the run's start; how long it took */
    unsigned slot;                /* from 0: those side by side have different ones */
    const char *cause;
    bool taken;
} obb_made_part;

typedef struct obb_run_result {
    size_t made, same, up_to_date, failed, left; /* same: made, and came out as before */
    size_t hits, far_hits; /* of those made: they were in the object cache; they came from the far store */
    size_t removed;
    size_t reports, differences; /* tools that reported what they read; how many files the scan had missed,
                                    or had found without the tool reading them */
    bool interrupted;
    bool takes_more;           /* of a subplan: it came to something that needs the whole plan, and ended */
    int store_failed;          /* an errno value: the state could not be written */
    size_t far_refused; /* entries of the far store that were damaged or not signed as they should be */
    const char *far_trouble;   /* why the far store was given up; NULL: it was not. In the plan's arena */
    obb_farm_view farm;        /* at the end */
    size_t compared, unlike;   /* of those made: also made by the farm (farm_check); with other bytes, */
    const char *unlike_names;  /* these, up to ten, a line each; in the plan's arena */
    const char *moving;        /* an input that changed while it was being read; or NULL */
    uint64_t milliseconds;
    unsigned jobs;             /* commands side by side at most */
    uint64_t work;             /* milliseconds that all commands took together */
    OBB_VEC(obb_made_part) parts; /* in the order in which they ended; in the plan's arena */
    OBB_VEC(obb_way_part) way; /* the longest way of what was carried out, from first to last; in the plan's
                                  arena */
} obb_run_result;

#endif
