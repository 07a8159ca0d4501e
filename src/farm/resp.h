/* A connection to a Redis server, or to one that speaks its protocol: hiredis writes and reads the protocol
 * (RESP2), libcurl makes the connection, by TLS for rediss. Commands go in a pipeline; answers come in their
 * order.
 *
 * URLs: redis[s]://[[USER]:PASSWORD@]HOST[:PORT][/DATABASE[/PREFIX]].
 */
#ifndef OBB_FARM_RESP_H
#define OBB_FARM_RESP_H

#include <hiredis/hiredis.h>
#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

#include "base/arena.h"

typedef struct obb_resp obb_resp;

/* An answer, which is released afterwards; NULL: the connection broke before it. */
typedef void obb_resp_answer(void *self, void *what, const redisReply *reply);

/* NULL with *why (in the arena). The connection lives in the arena; obb_resp_close ends it. */
obb_resp *obb_resp_open(const char *url, obb_arena *arena, const char **why);
void obb_resp_close(obb_resp *resp);

/* In front of the names of all that is kept there: "PREFIX:", or "obbligato:". */
const char *obb_resp_prefix(const obb_resp *resp);

/* Why it is broken; NULL: it is not. */
const char *obb_resp_trouble(const obb_resp *resp);

/* How many bytes it was given to write. */
uint64_t obb_resp_sent(const obb_resp *resp);

/* One command. `count` words of some lengths (NULL: they end with a NUL). The answer comes in obb_resp_go_on;
 * at once, when the connection is broken. */
void obb_resp_say(obb_resp *resp, size_t count, const char *const *words, const size_t *lengths,
                  obb_resp_answer *answer, void *self, void *what);

/* One whose answer does not matter. */
void obb_resp_tell(obb_resp *resp, size_t count, const char *const *words, const size_t *lengths);

/* Writes and reads what can be, and waits until more can be, `fd` (-1: none) can be read, or so many
 * milliseconds have passed. A connection that waits for an answer for `patience` milliseconds is broken (0:
 * it may wait). */
void obb_resp_go_on(obb_resp *const *resps, size_t count, int fd, int milliseconds, int patience);

/* One command, and its answer: released with freeReplyObject; NULL: the connection broke, or the answer was
 * an error, which is *why then (in the arena). */
redisReply *obb_resp_ask(obb_resp *resp, size_t count, const char *const *words, const size_t *lengths,
                         const char **why);

/* The certificates to believe, as the environment says; NULL: the usual ones. */
const char *obb_certificates(void);

#endif
