/* Objects from the cache and into it (state/object_cache.h). Only src/run uses this header. */
#ifndef OBB_RUN_CACHING_H
#define OBB_RUN_CACHING_H

#include "plan/dependencies.h"
#include "state/object_cache.h"
#include "state/state.h"

/* The key of what a compile makes; empty when its objects are not kept, or an input cannot be read. */
obb_object_cache_key obb_caching_key(const obb_dependency_table *table, const obb_action *action);

/* Takes the object of a key and writes it to a path. True with what its command printed, added to `printed`,
 * and what making it cost. */
bool obb_caching_take(obb_object_cache *cache, const obb_object_cache_key *key, const char *path,
                      obb_text *printed, obb_cost *cost);

/* What is to be put there when a run ends and no input has moved. */
typedef struct obb_cacheable {
    obb_object_cache_key key;
    const obb_action *action;
    obb_cost cost;
    const char *printed;
} obb_cacheable;

/* Puts it there, when its record says that its inputs stayed as they were while they were read. */
void obb_caching_put(obb_object_cache *cache, const obb_plan *plan, obb_state *state,
                     const obb_cacheable *cacheable);

#endif
