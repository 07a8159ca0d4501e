/* Slots, and the jobs that they take (worker.h). */
#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "base/own.h"
#include "project/project.h"
#include "worker/worker.h"

enum {
    MOST_SLOTS = 512,
    BLOCK_MS = 2000,
    CLAIM_MS = 20000,
    MOST_DELIVERIES = 3,
    ALIVE_SECONDS = 10,
    SWEEP_SECONDS = 60,
    ANSWERS_SECONDS = 3600
};

static volatile sig_atomic_t ended;

static void end(int number)
{
    (void)number;
    ended = 1;
}

bool worker_ends(void)
{
    return ended != 0;
}

/* --- one job ------------------------------------------------------------------------ */

static void drop_reply(redisReply *reply)
{
    if (reply)
        freeReplyObject(reply);
}

static void tell(worker *w, size_t count, const char *const *words)
{
    const char *why;
    drop_reply(obb_resp_ask(w->resp, count, words, NULL, &why));
}

static void answer(worker *w, const task *t, const char *stream, const char *entry, bool made)
{
    const char *list = obb_arena_format(t->arena, "%sanswers:%s", obb_resp_prefix(w->resp), t->answers);
    const char *const push[] = {"RPUSH", list,
                                obb_arena_format(t->arena, "%s %s", t->key.text, made ? "made" : "failed")},
                      *const expire[] = {"EXPIRE", list, obb_arena_format(t->arena, "%d", ANSWERS_SECONDS)},
                      *const acknowledge[] = {"XACK", stream, OBB_FARM_GROUP, entry},
                      *const forget[] = {"XDEL", stream, entry};
    if (t->answers && *t->key.text) {
        obb_resp_tell(w->resp, 3, push, NULL);
        obb_resp_tell(w->resp, 3, expire, NULL);
    }
    obb_resp_tell(w->resp, 4, acknowledge, NULL);
    tell(w, 3, forget); /* whose answer comes behind theirs */
}

static bool keep_result(worker *w, const task *t, const obb_object_cache_item *item)
{
    obb_text bytes = {0};
    const char *key = obb_arena_format(t->arena, "%s%s", obb_resp_prefix(w->resp), t->key.text), *why;
    obb_far_encode(&t->key, item, &w->signer, &bytes);
    const char *const words[] = {"SET", key, bytes.bytes};
    const size_t lengths[] = {3, strlen(key), bytes.length};
    redisReply *reply = obb_resp_ask(w->resp, 3, words, lengths, &why);
    bool kept = reply != NULL;
    drop_reply(reply);
    obb_text_free(&bytes);
    return kept;
}

void keep_entry(worker *w)
{
    const char *const words[] = {"XCLAIM", w->stream, OBB_FARM_GROUP, w->consumer, "0", w->entry, "JUSTID"};
    tell(w, 7, words);
}

/* An entry of the stream: its fields in pairs. */
static void take_entry(worker *w, const char *stream, const redisReply *entry, long long deliveries)
{
    const redisReply *fields = entry->elements == 2 ? entry->element[1] : NULL, *text = NULL, *seal = NULL;
    task t = {.arena = obb_arena_new()};
    obb_object_cache_item item = {.cost = {0, 0}};
    const char *why = NULL;
    for (size_t i = 0; fields && i + 1 < fields->elements; i += 2) {
        if (strcmp(fields->element[i]->str, "job") == 0)
            text = fields->element[i + 1];
        else if (strcmp(fields->element[i]->str, "seal") == 0)
            seal = fields->element[i + 1];
    }
    obb_seal signature;
    if (!text || !seal || seal->len != sizeof signature) {
        why = "it is no job";
    } else {
        memcpy(&signature, seal->str, sizeof signature);
        read_task(w, text->str, text->len, &signature, &t, &why);
    }
    if (!why && deliveries > MOST_DELIVERIES)
        why = "it has killed who did it";
    w->stream = stream;
    w->entry = entry->element[0]->str;
    if (!why)
        why = do_task(w, &t, &item);
    bool made = !why && keep_result(w, &t, &item);
    if (!made && !ended)
        fprintf(stderr, "obbligato worker: a job was not done: %s\n",
                why ? why : "its result could not be kept");
    if (made || !ended) /* what was broken off is delivered to another worker */
        answer(w, &t, stream, entry->element[0]->str, made);
    obb_object_cache_item_free(&item);
    obb_arena_free(t.arena);
}

/* --- one slot ----------------------------------------------------------------------- */

/* How often an entry was delivered. */
static long long deliveries_of(worker *w, const char *stream, const char *entry)
{
    const char *const words[] = {"XPENDING", stream, OBB_FARM_GROUP, entry, entry, "1"};
    const char *why;
    redisReply *reply = obb_resp_ask(w->resp, 6, words, NULL, &why);
    long long n = reply && reply->elements && reply->element[0]->elements == 4
                      ? reply->element[0]->element[3]->integer
                      : 1;
    drop_reply(reply);
    return n;
}

/* Takes over what another one began and did not end. */
static void claim(worker *w, const char *stream)
{
    const char *const words[] =
        {"XAUTOCLAIM", stream, OBB_FARM_GROUP, w->consumer, obb_arena_format(w->arena, "%d", CLAIM_MS), "0",
         "COUNT",      "1"};
    const char *why;
    redisReply *reply = obb_resp_ask(w->resp, 8, words, NULL, &why);
    if (reply && reply->elements >= 2)
        for (size_t i = 0; i < reply->element[1]->elements; i++) {
            const redisReply *entry = reply->element[1]->element[i];
            if (entry->elements == 2)
                take_entry(w, stream, entry, deliveries_of(w, stream, entry->element[0]->str));
        }
    drop_reply(reply);
}

static const char *stream_of(worker *w, obb_arena *arena, const obb_resp *resp)
{
    return obb_farm_stream(arena, obb_resp_prefix(resp), w->machine);
}

static void join(worker *w, const char *stream)
{
    const char *const group[] = {"XGROUP", "CREATE", stream, OBB_FARM_GROUP, "0", "MKSTREAM"},
                      *const name[] = {"SADD",
                                       obb_arena_format(w->arena, "%squeues:" OBB_FARM_VERSION_TEXT,
                                                        obb_resp_prefix(w->resp)),
                                       w->machine};
    tell(w, 6, group); /* it may be there */
    tell(w, 3, name);
}

static void take_next(worker *w, const char *stream)
{
    const char *const words[] = {"XREADGROUP",
                                 "GROUP",
                                 OBB_FARM_GROUP,
                                 w->consumer,
                                 "COUNT",
                                 "1",
                                 "BLOCK",
                                 obb_arena_format(w->arena, "%d", BLOCK_MS),
                                 "STREAMS",
                                 stream,
                                 ">"};
    const char *why;
    redisReply *reply = obb_resp_ask(w->resp, 11, words, NULL, &why);
    if (reply && reply->type == REDIS_REPLY_ARRAY && reply->elements && reply->element[0]->elements == 2 &&
        reply->element[0]->element[1]->elements)
        take_entry(w, stream, reply->element[0]->element[1]->element[0], 1);
    else if (reply)
        claim(w, stream);
    else if (!obb_resp_trouble(w->resp)) /* the server has lost its memory, and the group with it */
        join(w, stream), sleep(1);
    drop_reply(reply);
}

/* Serves until the connection breaks, or it is ended. */
static void serve(worker *w)
{
    const char *why, *stream;
    w->arena = obb_arena_new();
    w->resp = obb_resp_open(w->url, w->arena, &why);
    if (!w->resp)
        return;
    stream = stream_of(w, w->arena, w->resp);
    join(w, stream);
    while (!ended && !obb_resp_trouble(w->resp) && getppid() == w->parent)
        take_next(w, stream);
    obb_resp_close(w->resp);
    obb_arena_free(w->arena);
}

static pid_t begin_slot(worker *w, const char *consumer)
{
    w->consumer = consumer;
    pid_t child = fork();
    if (child)
        return child;
    while (!ended && getppid() == w->parent) { /* when it was killed, its slots end as well */
        serve(w);
        if (!ended)
            sleep(1);
    }
    forget_place(w, getpid());
    _exit(0);
}

/* --- all of them -------------------------------------------------------------------- */

static void tell_alive(worker *w, unsigned slots)
{
    const char *why;
    obb_arena *arena = obb_arena_new();
    obb_resp *resp = obb_resp_open(w->url, arena, &why);
    if (resp) {
        const char *key = obb_arena_format(arena, "%sworker:%s", obb_resp_prefix(resp), w->name);
        const char *const words[] = {"HSET",    key,
                                     "slots",   obb_arena_format(arena, "%u", slots),
                                     "machine", w->machine,
                                     "version", OBB_VERSION,
                                     "jobs",    OBB_FARM_VERSION_TEXT},
                          *const expire[] = {"EXPIRE", key, obb_arena_format(arena, "%d", ALIVE_SECONDS)},
                          *const name[] = {"SADD",
                                           obb_arena_format(arena, "%sworkers", obb_resp_prefix(resp)),
                                           w->name};
        drop_reply(obb_resp_ask(resp, 10, words, NULL, &why));
        drop_reply(obb_resp_ask(resp, 3, expire, NULL, &why));
        drop_reply(obb_resp_ask(resp, 3, name, NULL, &why));
        obb_resp_close(resp);
    }
    obb_arena_free(arena);
}

static uint64_t cache_limit(void)
{
    const char *said = getenv("OBBLIGATO_WORKER_LIMIT");
    uint64_t limit = 0;
    return said && obb_read_size(said, &limit) && limit ? limit : UINT64_C(5) << 30;
}

/* What a slot had begun and not ended. An entry that is claimed like this counts as having waited for long
 * enough to be taken over, and not as delivered once more (JUSTID). */
static void give_back(worker *w, obb_resp *resp, obb_arena *arena, const char *consumer)
{
    const char *stream = stream_of(w, arena, resp), *why;
    const char *const pending[] = {"XPENDING", stream, OBB_FARM_GROUP, "-", "+", "10", consumer};
    redisReply *reply = obb_resp_ask(resp, 7, pending, NULL, &why);
    size_t count = reply ? reply->elements : 0;
    for (size_t i = 0; i < count; i++) {
        const char *const words[] = {"XCLAIM",
                                     stream,
                                     OBB_FARM_GROUP,
                                     consumer,
                                     "0",
                                     reply->element[i]->element[0]->str,
                                     "IDLE",
                                     obb_arena_format(arena, "%d", CLAIM_MS),
                                     "JUSTID"};
        drop_reply(obb_resp_ask(resp, 9, words, NULL, &why));
    }
    const char *const leave[] = {"XGROUP", "DELCONSUMER", stream, OBB_FARM_GROUP, consumer};
    if (reply && !count && ended)
        drop_reply(obb_resp_ask(resp, 5, leave, NULL, &why));
    drop_reply(reply);
}

/* So that nobody has to wait until it is late. */
static void give_back_of(worker *w, const char *const *consumers, size_t count)
{
    const char *why;
    obb_arena *arena = obb_arena_new();
    obb_resp *resp = obb_resp_open(w->url, arena, &why);
    for (size_t i = 0; resp && i < count; i++)
        give_back(w, resp, arena, consumers[i]);
    if (resp)
        obb_resp_close(resp);
    obb_arena_free(arena);
}

static void tend(worker *w, unsigned slots)
{
    pid_t *children = obb_alloc(slots * sizeof *children);
    const char **consumers = obb_alloc(slots * sizeof *consumers);
    for (unsigned i = 0; i < slots; i++)
        consumers[i] = obb_arena_format(w->arena, "%s-%u", w->name, i);
    w->parent = getpid();
    for (unsigned second = 0; !ended; second++) {
        for (unsigned i = 0; i < slots && !ended; i++)
            if (children[i] <= 0)
                children[i] = begin_slot(w, consumers[i]);
        if (second % (ALIVE_SECONDS / 3) == 0)
            tell_alive(w, slots);
        if (second % SWEEP_SECONDS == 0)
            bound_blobs(w, cache_limit());
        sleep(1);
        for (pid_t gone; (gone = waitpid(-1, NULL, WNOHANG)) > 0;)
            for (unsigned i = 0; i < slots; i++)
                if (children[i] == gone) {
                    forget_place(w, gone);
                    give_back_of(w, &consumers[i], 1);
                    children[i] = 0;
                }
    }
    for (unsigned i = 0; i < slots; i++)
        if (children[i] > 0)
            kill(children[i], SIGTERM);
    while (waitpid(-1, NULL, 0) > 0 || errno == EINTR)
        ;
    give_back_of(w, consumers, slots);
    free(consumers);
    free(children);
}

/* NULL, or why no job can be done here. */
static const char *find_trouble(worker *w)
{
    const char *why = obb_find_signing_key(&w->signer, w->arena);
    bool anyone = false;
    for (size_t i = 0; i < w->trust.count; i++)
        anyone = anyone || strcmp(w->trust.at[i], OBB_TRUST_ANYONE) == 0;
    if (why)
        return why;
    if (!w->trust.count)
        return "nobody is trusted, so no job would be done: OBBLIGATO_TRUST=ed25519:..., or anyone";
    if (!w->signer.there && !anyone)
        return "there is no key to sign results with: obbligato keys NAME";
    if (obb_own_folder(w->cache) != OBB_OWN)
        return obb_arena_format(w->arena, "%s is not a folder of this person alone", w->cache);
    if (system("bwrap --unshare-all --ro-bind / / true > /dev/null 2>&1"))
        return "jobs are shut in by bubblewrap (bwrap), which is not there or does not work here";
    obb_resp *resp = obb_resp_open(w->url, w->arena, &why);
    if (resp)
        obb_resp_close(resp);
    return why;
}

int main(int argc, char **argv)
{
    worker w = {.arena = NULL};
    if (argc == 2 && strcmp(argv[1], "--version") == 0) {
        puts("obbligato-worker " OBB_VERSION);
        return 0;
    }
    w.url = getenv(OBB_FAR_URL);
    unsigned slots = argc > 3 && w.url ? (unsigned)strtoul(argv[1], NULL, 10) : 0;
    if (!slots || slots > MOST_SLOTS) {
        fputs("obbligato-worker is started by obbligato worker\n", stderr);
        return 2;
    }
    w.arena = obb_arena_new();
    w.cache = argv[2];
    w.name = argv[3];
    w.machine = obb_farm_machine(w.arena);
    for (int i = 4; i < argc; i++)
        obb_arena_push(w.arena, &w.trust, argv[i]);
    const char *why = find_trouble(&w);
    if (why) {
        fprintf(stderr, "obbligato worker: %s\n", why);
        obb_arena_free(w.arena);
        return 4;
    }
    const struct sigaction action = {.sa_handler = end};
    sigaction(SIGTERM, &action, NULL);
    sigaction(SIGINT, &action, NULL);
    signal(SIGPIPE, SIG_IGN);
    forget_dead_places(&w);
    if (isatty(1))
        printf("%u slots; Ctrl-C ends it\n", slots);
    fflush(stdout);
    tend(&w, slots);
    obb_arena_free(w.arena);
    return 0;
}
