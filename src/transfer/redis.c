/* A far store in a Redis server (transfer.h). */
#include <string.h>

#include "farm/resp.h"
#include "transfer/transfer.h"

enum { AT_A_TIME = 64, PATIENCE_MS = 10000 };

typedef struct redis {
    obb_arena *arena;
    obb_resp *resp;
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
    (void)self;
    promise *p = j->transport;
    p->of = NULL;
}

static void go_on(void *self, int fd, int milliseconds)
{
    redis *r = self;
    obb_resp_go_on(&r->resp, 1, fd, milliseconds, PATIENCE_MS);
}

server *redis_server(const char *url, obb_arena *arena, const char **why)
{
    server *s = obb_arena_alloc(arena, sizeof *s);
    redis *r = obb_arena_alloc(arena, sizeof *r);
    *r = (redis){.arena = arena, .resp = obb_resp_open(url, arena, why)};
    *s = (server){.self = r, .room = AT_A_TIME, .begin = begin, .cancel = cancel, .go_on = go_on};
    return s;
}
