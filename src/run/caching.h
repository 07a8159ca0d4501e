/* Objects from the cache and into it (state/object_cache.h). Only src/run uses this header. */
#ifndef OBB_RUN_CACHING_H
#define OBB_RUN_CACHING_H

#include "plan/dependencies.h"
#include "state/object_cache.h"

/* The key of what a compile makes; empty when its objects are not kept, or an input cannot be read. */
obb_object_cache_key obb_caching_key(const obb_dependency_table *table, const obb_action *action);

/* Takes the object of a key and writes it to a path. True with what its command printed, added to `printed`,
 * and what making it cost. */
bool obb_caching_take(obb_object_cache *cache, const obb_object_cache_key *key, const char *path,
                      obb_text *printed, obb_cost *cost);

/* Puts the object of an action that has just been made there: `item` has what it cost and what its command
 * printed, `output` is the fingerprint of the object. False: an input was written to while it was read, so
 * which text it is made of is unknown; or it could not be put. */
bool obb_caching_put(obb_object_cache *cache, const obb_object_cache_key *key,
                     const obb_dependency_table *table, const obb_action *action,
                     const obb_object_cache_item *item, obb_fingerprint output);

#endif
