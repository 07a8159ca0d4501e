/* obbligato-transfer: the program that moves entries between the object cache of this machine
 * (state/object_cache.h) and a far store, while a build goes on and for a while after it. It is a program of
 * its own so that no build waits for a network, what strangers wrote is parsed in another process, and the
 * libraries for it are not loaded by each build (docs/design.md).
 *
 *     obbligato-transfer read-only|read-write|make [TRUST...]     make: a farm; and read-write
 *
 * The URL is in the variable OBBLIGATO_TRANSFER_URL, since it may have a password in it. It reads lines from
 * standard input and answers in lines:
 *
 *     get KEY        is it there?      hit KEY       it is in the cache now
 *                                      miss KEY      it is not there, or could not be had
 *                                      refused KEY   it is damaged, or not signed by whom is trusted
 *     put KEY        send it from the cache; there is no answer
 *                                    off WHY       nothing will be brought any more
 *
 * Of a farm:
 *
 *     file N FINGERPRINT PATH             jobs name the file by this number, from now on; there is no answer
 *     make KEY MS TOOLCHAIN N,... WHAT    as get; what is not there is made there. WHAT: a JSON object with
 *                                         `words`; of a step also `makes`, `environment`, `folder`, and
 *                                         perhaps `stdin`, `stdout`: paths from the project's folder
 *                                    watch TOOLCHAIN    what this one reads must be watched: jobs wait for it
 *     seen TOOLCHAIN FILE                 it was: the report (base/trace.h) is in a file, which is removed
 *                                    farm SLOTS JOBS BYTES    now and then: slots of workers, jobs of this
 *                                                             build that they have, bytes that were sent
 *
 * When standard input ends, what was not brought is dropped, and what is still to be sent is sent, for
 * OBBLIGATO_FAR_LINGER seconds at most (60). What it did is added up in the file `far` of the cache's folder.
 *
 *     obbligato-transfer farm          a farm's workers and queues, a line each (build/farm.c reads them)
 *     obbligato-transfer keys NAME     makes a key pair (state/far_place.h) and prints the public one
 *
 * The form of an entry: farm/entry.h.
 *
 * Over http and https, the entry KEY is at URL/KEY (RFC 9110: GET, PUT); a token in OBBLIGATO_FAR_TOKEN is
 * sent as Bearer (RFC 6750), name and password are taken from netrc; OBBLIGATO_FAR_SIGNATURE (such as
 * aws:amz:REGION:s3) signs requests as object storages want it, with that name and password. Over redis, it
 * is the value of PREFIX:KEY, for redis://[[USER]:PASSWORD@]HOST[:PORT][/DATABASE[/PREFIX]] (RESP2; rediss:
 * by TLS).
 */
#ifndef OBB_TRANSFER_TRANSFER_H
#define OBB_TRANSFER_TRANSFER_H

#include "farm/entry.h"

/* --- what is to be moved (main.c) */

typedef struct job {
    obb_object_cache_key key;
    bool sends;
    obb_text bytes; /* what is sent; what has come */
    size_t sent;
    struct making *making; /* how it is made elsewhere where it is not there; NULL: it is not */
    void *transport;       /* of the server's own */
} job;

typedef enum outcome {
    MOVED,
    NOT_THERE,
    FAILED,      /* this time */
    UNREACHABLE, /* and so will be the next one */
    NOT_ALLOWED  /* as far as sending goes, or bringing */
} outcome;

/* A job is over; called by servers. `why`: for users. */
void job_over(job *j, outcome how, const char *why);

/* --- servers (http.c, redis.c) */

typedef struct server {
    void *self;
    size_t room; /* jobs at a time */
    void (*begin)(void *self, job *j);
    void (*cancel)(void *self, job *j);
    struct farm *farm; /* where what is not there is made; NULL: nowhere */
    /* Goes on with what can go on, and waits until something can, `fd` (-1: none) can be read, or so many
     * milliseconds have passed. */
    void (*go_on)(void *self, int fd, int milliseconds);
} server;

/* NULL with *why, for a URL that cannot be used. */
server *http_server(const char *url, obb_arena *arena, const char **why);
server *redis_server(const char *url, bool makes, const obb_signing_key *signer, obb_arena *arena,
                     const char **why);

#endif
