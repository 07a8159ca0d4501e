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
    const char *consumer; /* the slot's name in the group */
    obb_words trust;
    obb_signing_key signer;
    pid_t parent; /* of the slots */
    obb_resp *resp;
    char laid[OBB_SHA256_TEXT]; /* the toolchain whose files stand in the slot's folder; "": none */
    obb_file_listing inputs;    /* those of the last job, which stand there as well, */
    obb_arena *inputs_arena;    /* and where they are listed; NULL: none yet */
    const char *stream, *entry; /* what the slot does just now */
} worker;

/* What a job says. */
typedef struct task {
    obb_arena *arena;
    obb_object_cache_key key;
    const char *folder, *answers, *toolchain;
    obb_words words, environment;
    obb_file_listing files; /* the inputs: absolute paths */
    obb_words makes;        /* of a step: its outputs, absolute paths; else it has one, in
                               OBB_FARM_OUTPUT_FOLDER */
    const char *in, *out;   /* of a step: its standard input and output; or NULL */
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

/* The folders of a path below `root`. None of them may be a link, which could lead out of it. NULL, or why
 * they cannot be made. */
const char *make_folders(const char *root, const char *path, obb_arena *arena);

/* A folder that a step writes to: where it lies on this machine, and where the step sees it. */
typedef struct open_folder {
    const char *here, *there;
} open_folder;

typedef OBB_VEC(open_folder) open_folders;

/* Makes the folders of its outputs, in the folder `output`, with copies of the inputs in them. NULL, or why
 * it cannot. */
const char *open_outputs(const task *t, const char *root, const char *output, open_folders *open);

/* Where an output of it lies on this machine. */
const char *where_output_lies(const task *t, const open_folders *open, const char *path);

/* Puts them together. NULL, or why it cannot. */
const char *pack_outputs(const task *t, const open_folders *open, obb_text *bytes);

/* The files of a command's standard input, output (NULL: the same as of messages) and messages. */
typedef struct streams {
    const char *in, *out, *err;
} streams;

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
