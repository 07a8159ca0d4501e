/* Jobs for a farm (farm/job.h), from this machine: what another one needs is put into the server once, the
 * job into its stream, and the answers are waited for beside everything else. */
#ifndef OBB_TRANSFER_FARM_H
#define OBB_TRANSFER_FARM_H

#include "base/fingerprint.h"
#include "farm/resp.h"
#include "transfer/transfer.h"

typedef struct farm farm;

/* What is to be made, as the build tells it (transfer.h). */
typedef struct making {
    obb_words words;        /* ends with a NULL that is not counted */
    bool step;              /* what follows is said of it, */
    obb_words environment, makes;
    const char *folder, *in, *out; /* and of these, NULL where there are none */
    const char *toolchain;  /* by what its files are remembered */
    OBB_VEC(size_t) inputs; /* numbers of files */
    uint64_t milliseconds;  /* that it is expected to take */
    size_t waits_for;       /* blobs of which it is not known whether they are there */
    bool sent, cancelled;
    const char *entry; /* its number in the stream; NULL: not known yet */
} making;

/* NULL with *why. */
farm *farm_new(obb_resp *resp, const char *url, const obb_signing_key *signer, obb_arena *arena,
               const char **why);

/* A file that jobs name by number, with the fingerprint that the build has of it. */
void farm_file(farm *f, size_t number, obb_fingerprint fingerprint, const char *path);

/* What a step's program reads was watched; the report is removed. */
void farm_seen(farm *f, const char *toolchain, const char *report);

/* Sends the job; later, made_job is called. */
void farm_begin(farm *f, job *j);

/* It is no longer wanted. */
void farm_cancel(farm *f, job *j);

/* Looks how many slots the farm's workers have that do jobs of this kind. */
void farm_count_slots(farm *f);
unsigned long farm_slots(const farm *f); /* when it was looked at the last time */

/* How many bytes went to the server. */
uint64_t farm_sent(const farm *f);

/* The connection on which answers come. */
obb_resp *farm_answers(farm *f);

/* In main.c: what a step's program reads must be watched. */
void want_watch(const char *toolchain);

/* In main.c: its result is to be brought, or it could not be made. */
void made_job(const char *key, bool made);

/* In look.c: the workers and queues of a farm on standard output: an exit status. */
int show_farm(const char *url);

#endif
