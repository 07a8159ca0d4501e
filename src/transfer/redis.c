/* A far store in a Redis server, or one that speaks its protocol (transfer.h): hiredis writes and reads the
 * protocol (RESP2), libcurl makes the connection, by TLS for rediss. Commands go in a pipeline, and answers
 * come in their order. */
#include <curl/curl.h>
#include <hiredis/hiredis.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "transfer/transfer.h"

enum { AT_A_TIME = 64, CONNECT_SECONDS = 5, QUIET_MS = 10000, MOST_PARTS = 3 };

typedef struct redis {
    obb_arena *arena;
    CURL *curl;
    curl_socket_t socket;
    redisReader *reader;
    const char *prefix;
    obb_text to_write;
    size_t written;
    OBB_VEC(job *) waiting;  /* for answers, in order, from `first` on; NULL: nobody waits any more */
    size_t first, greetings; /* answers to what was said before the first of them */
    int quiet;               /* milliseconds without an answer that is waited for */
    bool broken;
} redis;

/* --- the end of jobs ---------------------------------------------------------------- */

static void break_off(redis *r, const char *why)
{
    r->broken = true;
    for (; r->first < r->waiting.count; r->first++)
        if (r->waiting.at[r->first])
            job_over(r->waiting.at[r->first], UNREACHABLE, why);
}

static void take_reply(redis *r, const redisReply *reply)
{
    bool error = reply->type == REDIS_REPLY_ERROR;
    r->quiet = 0;
    if (r->greetings) {
        r->greetings--;
        if (error)
            break_off(r, obb_arena_copy(r->arena, reply->str, reply->len));
        return;
    }
    job *j = r->first < r->waiting.count ? r->waiting.at[r->first++] : NULL;
    if (!j)
        return;
    const char *why = error ? obb_arena_copy(r->arena, reply->str, reply->len) : NULL;
    if (error)
        job_over(j, NOT_ALLOWED, why);
    else if (j->sends)
        job_over(j, MOVED, NULL);
    else if (reply->type != REDIS_REPLY_STRING || reply->len > MOST_BYTES)
        job_over(j, NOT_THERE, NULL);
    else {
        if (reply->len)
            obb_text_add(&j->bytes, reply->str, reply->len);
        job_over(j, MOVED, NULL);
    }
}

/* --- bytes -------------------------------------------------------------------------- */

static void say(redis *r, int count, const char **words, const size_t *lengths)
{
    char *command;
    int n = redisFormatCommandArgv(&command, count, words, lengths);
    if (n < 0)
        abort(); /* out of memory */
    obb_text_add(&r->to_write, command, (size_t)n);
    free(command);
}

static void write_some(redis *r)
{
    while (!r->broken && r->written < r->to_write.length) {
        size_t n = 0;
        CURLcode code = curl_easy_send(r->curl, r->to_write.bytes + r->written,
                                       r->to_write.length - r->written, &n);
        if (code == CURLE_AGAIN)
            return;
        if (code)
            break_off(r, "the connection was closed");
        r->written += n;
    }
    r->to_write.length = r->written = 0;
}

static void read_some(redis *r)
{
    char room[65536];
    void *reply;
    for (size_t n = 0; !r->broken;) {
        CURLcode code = curl_easy_recv(r->curl, room, sizeof room, &n);
        if (code == CURLE_AGAIN)
            return;
        if (code || !n) {
            break_off(r, "the connection was closed");
            return;
        }
        bool ok = redisReaderFeed(r->reader, room, n) == REDIS_OK;
        while (ok && !r->broken && (ok = redisReaderGetReply(r->reader, &reply) == REDIS_OK) && reply) {
            take_reply(r, reply);
            freeReplyObject(reply);
        }
        if (!ok)
            break_off(r, "it does not speak the protocol of Redis");
    }
}

/* --- jobs --------------------------------------------------------------------------- */

static void begin(void *self, job *j)
{
    redis *r = self;
    const char *key = obb_arena_format(r->arena, "%s%s", r->prefix, j->key.text),
               *words[MOST_PARTS] = {j->sends ? "SET" : "GET", key, obb_text_bytes(&j->bytes)};
    const size_t lengths[MOST_PARTS] = {3, strlen(key), j->bytes.length};
    if (r->broken) {
        job_over(j, UNREACHABLE, "the connection was closed");
        return;
    }
    say(r, j->sends ? 3 : 2, words, lengths);
    obb_vec_push(&r->waiting, j);
    write_some(r);
}

static void cancel(void *self, job *j)
{
    redis *r = self;
    for (size_t i = r->first; i < r->waiting.count; i++)
        if (r->waiting.at[i] == j)
            r->waiting.at[i] = NULL;
}

static void go_on(void *self, int fd, int milliseconds)
{
    redis *r = self;
    bool waits = r->first < r->waiting.count || r->greetings;
    struct pollfd ends[2] = {{.fd = r->broken ? -1 : r->socket, .events = POLLIN},
                             {.fd = fd, .events = POLLIN}};
    write_some(r);
    if (r->written < r->to_write.length)
        ends[0].events |= POLLOUT;
    int n = poll(ends, 2, milliseconds);
    r->quiet = n == 0 && waits ? r->quiet + milliseconds : r->quiet;
    if (r->quiet >= QUIET_MS && !r->broken)
        break_off(r, "it does not answer");
    if (n > 0 && ends[0].revents) {
        write_some(r);
        read_some(r);
    }
}

/* --- the connection ----------------------------------------------------------------- */

/* Of redis://[[USER]:PASSWORD@]HOST[:PORT][/DATABASE[/PREFIX]]. */
typedef struct place {
    char *user, *password, *host, *port, *path;
} place;

static const char *take_apart(const char *url, place *p)
{
    CURLU *u = curl_url();
    bool ok = u && curl_url_set(u, CURLUPART_URL, url, CURLU_NON_SUPPORT_SCHEME) == CURLUE_OK &&
              curl_url_get(u, CURLUPART_HOST, &p->host, 0) == CURLUE_OK;
    curl_url_get(u, CURLUPART_USER, &p->user, CURLU_URLDECODE);
    curl_url_get(u, CURLUPART_PASSWORD, &p->password, CURLU_URLDECODE);
    curl_url_get(u, CURLUPART_PORT, &p->port, 0);
    curl_url_get(u, CURLUPART_PATH, &p->path, CURLU_URLDECODE);
    curl_url_cleanup(u);
    return ok ? NULL : "its URL has no host";
}

static void free_place(place *p)
{
    curl_free(p->user);
    curl_free(p->password);
    curl_free(p->host);
    curl_free(p->port);
    curl_free(p->path);
}

static void greet(redis *r, const place *p)
{
    const char *path = p->path ? p->path + strspn(p->path, "/") : "";
    size_t n = strcspn(path, "/");
    const char *database = n ? obb_arena_copy(r->arena, path, n) : "0",
               *rest = path + n + strspn(path + n, "/");
    if (p->password) {
        bool named = p->user && *p->user;
        const char *words[] = {"AUTH", named ? p->user : p->password, p->password};
        const size_t lengths[] = {4, strlen(words[1]), strlen(p->password)};
        say(r, named ? 3 : 2, words, lengths);
        r->greetings++;
    }
    const char *words[] = {"SELECT", database};
    const size_t lengths[] = {6, strlen(database)};
    say(r, 2, words, lengths);
    r->greetings++;
    r->prefix = obb_arena_format(r->arena, "%s:", *rest ? rest : "obbligato");
}

static const char *meet(redis *r, const char *url, const place *p)
{
    char error[CURL_ERROR_SIZE] = "";
    bool secure = strncmp(url, "rediss:", 7) == 0;
    r->curl = curl_easy_init();
    if (!r->curl)
        return "libcurl cannot be used";
    curl_easy_setopt(r->curl, CURLOPT_URL,
                     obb_arena_format(r->arena, "%s://%s:%s", secure ? "https" : "http", p->host,
                                      p->port ? p->port : "6379"));
    curl_easy_setopt(r->curl, CURLOPT_CONNECT_ONLY, 1L);
    curl_easy_setopt(r->curl, CURLOPT_SSL_ENABLE_ALPN, 0L);
    curl_easy_setopt(r->curl, CURLOPT_PROXY, "");
    curl_easy_setopt(r->curl, CURLOPT_NOSIGNAL, 1L);
    curl_easy_setopt(r->curl, CURLOPT_CONNECTTIMEOUT, (long)CONNECT_SECONDS);
    curl_easy_setopt(r->curl, CURLOPT_ERRORBUFFER, error);
    if (certificates())
        curl_easy_setopt(r->curl, CURLOPT_CAINFO, certificates());
    CURLcode code = curl_easy_perform(r->curl);
    curl_easy_setopt(r->curl, CURLOPT_ERRORBUFFER, NULL);
    if (code)
        return obb_arena_string(r->arena, *error ? error : curl_easy_strerror(code));
    curl_easy_getinfo(r->curl, CURLINFO_ACTIVESOCKET, &r->socket);
    return NULL;
}

server *redis_server(const char *url, obb_arena *arena, const char **why)
{
    server *s = obb_arena_alloc(arena, sizeof *s);
    redis *r = obb_arena_alloc(arena, sizeof *r);
    place p = {0};
    *r = (redis){.arena = arena, .reader = redisReaderCreate()};
    *why = !r->reader || curl_global_init(CURL_GLOBAL_DEFAULT) ? "libcurl cannot be used"
                                                               : take_apart(url, &p);
    if (!*why)
        *why = meet(r, url, &p);
    if (!*why)
        greet(r, &p);
    free_place(&p);
    *s = (server){.self = r, .room = AT_A_TIME, .begin = begin, .cancel = cancel, .go_on = go_on};
    return s;
}
