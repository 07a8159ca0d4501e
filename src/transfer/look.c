/* What a farm says of itself (farm/job.h): its workers and its queues, a line each. */
#include <stdio.h>
#include <string.h>

#include "farm/job.h"
#include "farm/resp.h"
#include "transfer/farm.h"

static const char *field_of(const redisReply *fields, const char *name)
{
    for (size_t i = 0; i + 1 < fields->elements; i += 2)
        if (strcmp(fields->element[i]->str, name) == 0 && fields->element[i + 1]->len &&
            !strchr(fields->element[i + 1]->str, ' '))
            return fields->element[i + 1]->str;
    return "?";
}

static long long count_of(obb_resp *r, size_t count, const char *const *words)
{
    const char *why;
    redisReply *reply = obb_resp_ask(r, count, words, NULL, &why);
    long long n = !reply                               ? 0
                  : reply->type == REDIS_REPLY_INTEGER ? reply->integer
                  : reply->elements                    ? reply->element[0]->integer
                                                       : 0;
    if (reply)
        freeReplyObject(reply);
    return n;
}

/* Of one that is gone, its name is taken away. */
static void say_worker(obb_resp *r, obb_arena *arena, const char *name)
{
    const char *const words[] = {"HGETALL", obb_arena_format(arena, "%sworker:%s", obb_resp_prefix(r), name)},
                      *const forget[] = {"SREM", obb_arena_format(arena, "%sworkers", obb_resp_prefix(r)),
                                         name};
    const char *why;
    redisReply *fields = obb_resp_ask(r, 2, words, NULL, &why);
    if (fields && fields->elements)
        printf("worker %s %s %s %s %s\n", name, field_of(fields, "slots"), field_of(fields, "machine"),
               field_of(fields, "version"), field_of(fields, "jobs"));
    else if (fields)
        count_of(r, 3, forget);
    if (fields)
        freeReplyObject(fields);
}

static void say_queue(obb_resp *r, obb_arena *arena, const char *machine)
{
    const char *key = obb_farm_stream(arena, obb_resp_prefix(r), machine);
    const char *const length[] = {"XLEN", key}, *const pending[] = {"XPENDING", key, OBB_FARM_GROUP};
    long long all = count_of(r, 2, length), begun = count_of(r, 3, pending);
    printf("queue %s %lld %lld\n", machine, all > begun ? all - begun : 0, begun);
}

/* Each name in a set. */
static void each(obb_resp *r, obb_arena *arena, const char *set,
                 void (*say)(obb_resp *r, obb_arena *arena, const char *name))
{
    const char *const words[] = {"SMEMBERS", obb_arena_format(arena, "%s%s", obb_resp_prefix(r), set)};
    const char *why;
    redisReply *reply = obb_resp_ask(r, 2, words, NULL, &why);
    for (size_t i = 0; reply && i < reply->elements; i++)
        say(r, arena, reply->element[i]->str);
    if (reply)
        freeReplyObject(reply);
}

int show_farm(const char *url)
{
    const char *why;
    obb_arena *arena = obb_arena_new();
    obb_resp *r = obb_resp_open(url, arena, &why);
    if (r) {
        each(r, arena, "workers", say_worker);
        each(r, arena, "queues:" OBB_FARM_VERSION_TEXT, say_queue);
        why = obb_resp_trouble(r);
        obb_resp_close(r);
    }
    if (why)
        fprintf(stderr, "%s\n", why);
    obb_arena_free(arena);
    return why ? 1 : 0;
}
