/* The farm that OBBLIGATO_FARM names: lending a hand, and looking at it. */
#ifndef OBB_BUILD_FARM_H
#define OBB_BUILD_FARM_H

#include "build/workspace.h"

/* The command that lends this machine's hand, with so many slots; ends with NULL. The URL is in the
 * environment then. 0, or an exit code with the message told. */
int obb_farm_worker_command(obb_workspace *w, unsigned slots, obb_words *command);

typedef struct obb_farm_worker {
    const char *name, *slots, *machine, *version;
} obb_farm_worker;

typedef struct obb_farm_queue {
    const char *machine, *waiting, *begun; /* jobs that nobody has begun yet; that somebody does */
} obb_farm_queue;

typedef struct obb_farm_state {
    const char *url; /* NULL: there is no farm */
    OBB_VEC(obb_farm_worker) workers;
    OBB_VEC(obb_farm_queue) queues;
} obb_farm_state;

/* 0, or an exit code with the message told. */
int obb_farm_look(obb_workspace *w, obb_farm_state *state);

#endif
