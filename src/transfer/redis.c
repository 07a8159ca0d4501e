/* A far store in a Redis server (transfer.h). */
#include <string.h>

#include "farm/resp.h"
#include "transfer/farm.h"
#include "transfer/transfer.h"

enum { AT_A_TIME = 64, PATIENCE_MS = 10000, MOST_JOBS = 100000 };

typedef struct redis {
    obb_arena *arena;
    obb_resp *resp;
    farm *farm;
} redis;

/* The answer to a job, which may have been cancelled: then nobody is told. */
typedef struct promise {
    job *of;
} promise;

static void answered(void *self, void *what, const redisReply *reply)
{
    redis *r = self;
    promise *p = what;
    job *j = p->of;
    if (!j)
        return;
    j->transport = NULL;
    if (r->farm && j->making && !j->making->sent && reply && reply->type == REDIS_REPLY_NIL) {
        farm_begin(r->farm, j);
        return;
    }
    if (!reply) {
        job_over(j, UNREACHABLE, obb_resp_trouble(r->resp));
    } else if (reply->type == REDIS_REPLY_ERROR) {
        job_over(j, NOT_ALLOWED, obb_arena_copy(r->arena, reply->str, reply->len));
    } else if (j->sends) {
        job_over(j, MOVED, NULL);
    } else if (reply->type != REDIS_REPLY_STRING || reply->len > OBB_MOST_ENTRY) {
        job_over(j, NOT_THERE, NULL);
    } else {
        if (reply->len)
            obb_text_add(&j->bytes, reply->str, reply->len);
        job_over(j, MOVED, NULL);
    }
}

static void begin(void *self, job *j)
{
    redis *r = self;
    promise *p = obb_arena_alloc(r->arena, sizeof *p);
    const char *key = obb_arena_format(r->arena, "%s%s", obb_resp_prefix(r->resp), j->key.text);
    const char *const words[] = {j->sends ? "SET" : "GET", key, obb_text_bytes(&j->bytes)};
    const size_t lengths[] = {3, strlen(key), j->bytes.length};
    p->of = j;
    j->transport = p;
    obb_resp_say(r->resp, j->sends ? 3 : 2, words, lengths, answered, r, p);
}

static void cancel(void *self, job *j)
{
    redis *r = self;
    promise *p = j->transport;
    if (p)
        p->of = NULL;
    else if (r->farm && j->making)
        farm_cancel(r->farm, j);
}

static void go_on(void *self, int fd, int milliseconds)
{
    redis *r = self;
    obb_resp *const both[] = {r->resp, r->farm ? farm_answers(r->farm) : NULL};
    obb_resp_go_on(both, r->farm ? 2 : 1, fd, milliseconds, r->farm ? 0 : PATIENCE_MS);
}

server *redis_server(const char *url, bool makes, const obb_signing_key *signer, obb_arena *arena,
                     const char **why)
{
    server *s = obb_arena_alloc(arena, sizeof *s);
    redis *r = obb_arena_alloc(arena, sizeof *r);
    *r = (redis){.arena = arena, .resp = obb_resp_open(url, arena, why)};
    if (makes && !*why)
        r->farm = farm_new(r->resp, url, signer, arena, why);
    *s = (server){.self = r,
                  .room = makes ? MOST_JOBS : AT_A_TIME,
                  .begin = begin,
                  .cancel = cancel,
                  .go_on = go_on,
                  .farm = r->farm};
    return s;
}
