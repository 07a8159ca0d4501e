/* What the object cache holds, for whoever asks. */
#ifndef OBB_BUILD_CACHE_H
#define OBB_BUILD_CACHE_H

#include "build/workspace.h"
#include "state/far_place.h"

typedef struct obb_cache_state {
    const char *folder; /* NULL: the cache is off */
    bool there;         /* it has been used; then */
    size_t entries;
    uint64_t bytes, limit;
    obb_far_place far;  /* behind it; the URL without password, or NULL */
    obb_far_account far_account;
    int64_t oldest; /* last use of the entry that was not used for longest: nanoseconds since 1970; 0: none */
} obb_cache_state;

/* 0, or an exit code with the message told: it cannot be used. */
int obb_look_at_cache(obb_workspace *w, obb_cache_state *state);

#endif
