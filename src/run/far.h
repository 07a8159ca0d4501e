/* Asking a far store while a build goes on: through obbligato-transfer (transfer/transfer.h), a program of
 * its own that moves entries between the object cache of this machine and the far one. The build never waits
 * for it. What it brings is in the cache before it is told of; what is made is sent while the build goes on,
 * and after its end.
 */
#ifndef OBB_RUN_FAR_H
#define OBB_RUN_FAR_H

#include "base/commands.h"
#include "plan/dependencies.h"
#include "run/event.h"
#include "state/far_place.h"
#include "state/object_cache.h"

typedef struct obb_far obb_far;

/* An entry has come, or it is known that it does not. Called from the event loop. */
typedef void obb_far_answer(void *self, uint32_t number, bool there);

/* Begins nothing yet: the program starts when something is asked or sent for the first time. The place must
 * outlive it. NULL: there is no far store. */
obb_far *obb_far_new(const obb_far_place *place, obb_commands *commands, obb_far_answer *answer, void *self);

/* Asks for the entry of an action, which the cache does not have. False: nothing is asked (any more), or
 * another action asked for the same one. */
bool obb_far_ask(obb_far *far, const obb_object_cache_key *key, uint32_t number);

/* Whether what is not there is made there. */
bool obb_far_makes(const obb_far *far);

/* The same as obb_far_ask, and what is not there is made there: this compile or step, which is expected to
 * take so many milliseconds. */
bool obb_far_make(obb_far *far, const obb_object_cache_key *key, const obb_dependency_table *table,
                  const obb_action *action, uint64_t milliseconds);

/* The farm wants to know what a step's command reads besides its inputs, so that others like it can be made
 * elsewhere: a name under which to tell it, once; NULL: it does not. */
const char *obb_far_to_learn(obb_far *far, obb_files *files, const obb_action *step);

/* It has ended well; its watcher's report is in a file (trace.h), which is left alone. */
void obb_far_learned(obb_far *far, const char *name, const char *report);

/* Sends an entry that is in the cache. */
void obb_far_send(obb_far *far, const obb_object_cache_key *key);

/* What is seen of the farm just now. */
obb_farm_view obb_far_farm(const obb_far *far);

/* Why it is no longer used; NULL: it is. And how many entries were damaged, or not signed by whom is trusted.
 */
const char *obb_far_trouble(const obb_far *far);
size_t obb_far_refused(const obb_far *far);

/* Lets the program finish what it sends, beside or after this one; its handles leave the event loop. */
void obb_far_finish(obb_far *far);

/* After the event loop has ended. */
void obb_far_free(obb_far *far);

#endif
