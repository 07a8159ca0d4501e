/* obbligato-worker: carries out jobs of a farm (farm/job.h) on this machine, in as many processes as it has
 * slots.
 *
 *     obbligato-worker SLOTS CACHE NAME [TRUST...]     the URL: OBBLIGATO_TRANSFER_URL
 *
 * Each slot waits for a job of this machine's kind, lays out exactly the files that it names in a folder of
 * its own (those that this machine has with the same contents are taken from it, the others from the server),
 * and runs its command there by bubblewrap: without network, with nothing else in sight, nothing but the
 * output writable. The result goes to the server as a far entry, signed with this person's key. A slot that
 * dies is begun anew; its job is delivered to another one.
 */
#ifndef OBB_WORKER_WORKER_H
#define OBB_WORKER_WORKER_H

#include <sys/types.h>

#include "farm/entry.h"
#include "farm/job.h"
#include "farm/resp.h"

typedef struct worker {
    obb_arena *arena; /* of the slot */
    const char *url, *cache, *name, *machine;
    obb_words trust;
    obb_signing_key signer;
    pid_t parent; /* of the slots */
    obb_resp *resp;
    char laid[OBB_SHA256_TEXT]; /* the toolchain whose files stand in the slot's folder; "": none */
    const char *stream, *entry; /* what the slot does just now */
} worker;

/* What a job says. */
typedef struct task {
    obb_arena *arena;
    obb_object_cache_key key;
    const char *folder, *answers, *toolchain;
    obb_words words, environment;
    obb_file_listing files; /* the inputs: absolute paths */
    uint64_t milliseconds;
} task;

/* False with *why: it is none, or not signed by whom is trusted. */
bool read_task(worker *w, const char *text, size_t length, const obb_seal *seal, task *t, const char **why);

/* The file with these contents in the cache, from this machine or from the server; NULL with *why. */
const char *have_blob(worker *w, obb_arena *arena, const obb_listed_file *file, const char **why);

/* Says that the entry is still being done, so that no other worker takes it over. */
void keep_entry(worker *w);

/* Makes room in the cache when it has become larger: what stands in no slot and was not used for longest
 * goes. */
void bound_blobs(const worker *w, uint64_t limit);

/* Carries it out: NULL with the result, or why it could not be. A command that fails is such a reason, too.
 */
const char *do_task(worker *w, task *t, obb_object_cache_item *item);

/* Whether this process was told to end. */
bool worker_ends(void);

/* Removes the folder of a slot. */
void forget_place(const worker *w, pid_t slot);

/* Those of slots that were killed. */
void forget_dead_places(const worker *w);

#endif
