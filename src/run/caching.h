/* Objects from the cache and into it (state/object_cache.h). Only src/run uses this header. */
#ifndef OBB_RUN_CACHING_H
#define OBB_RUN_CACHING_H

#include "plan/dependencies.h"
#include "state/object_cache.h"

/* The key of what a compile makes, or a step that says so; empty when that is not kept, or an input cannot be
 * read. */
obb_object_cache_key obb_caching_key(const obb_dependency_table *table, const obb_action *action);

/* Takes the object of a key and writes it to a path. True with what its command printed, added to `printed`,
 * and what making it cost. */
bool obb_caching_take(obb_object_cache *cache, const obb_object_cache_key *key, const char *path,
                      obb_text *printed, obb_cost *cost);

/* The same for what a step makes, which goes to its places. */
bool obb_caching_take_step(obb_object_cache *cache, const obb_object_cache_key *key, const obb_plan *plan,
                           const obb_action *action, obb_text *printed, obb_cost *cost);

/* Whether what an action has made is what the cache has under a key. False: it has nothing. */
bool obb_caching_same(obb_object_cache *cache, const obb_object_cache_key *key, const obb_plan *plan,
                      const obb_action *action, bool *same);

/* Puts the object of an action that has just been made there: `item` has what it cost and what its command
 * printed, `output` is the fingerprint of the object. False: an input was written to while it was read, so
 * which text it is made of is unknown; or it could not be put. */
bool obb_caching_put(obb_object_cache *cache, const obb_object_cache_key *key,
                     const obb_dependency_table *table, const obb_action *action,
                     const obb_object_cache_item *item, obb_fingerprint output);

#endif
