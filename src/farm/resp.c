/* Connections to Redis servers (farm/resp.h). */
#include "farm/resp.h"

#include <curl/curl.h>
#include <poll.h>
#include <stdlib.h>
#include <string.h>

#include "base/text.h"
#include "base/vec.h"

enum { CONNECT_SECONDS = 5, MOST_CONNECTIONS = 4 };

typedef struct waiting {
    obb_resp_answer *answer;
    void *self, *what;
} waiting;

struct obb_resp {
    obb_arena *arena;
    CURL *curl;
    curl_socket_t socket;
    redisReader *reader;
    const char *prefix, *trouble;
    obb_text to_write;
    size_t written;
    OBB_VEC(waiting) list; /* of answers, in order, from `first` on */
    size_t first;
    uint64_t sent;
    int quiet; /* milliseconds without an answer that is waited for */
};

/* --- answers ------------------------------------------------------------------------ */

static void break_off(obb_resp *r, const char *why)
{
    if (!r->trouble)
        r->trouble = why;
    while (r->first < r->list.count) {
        const waiting w = r->list.at[r->first++];
        w.answer(w.self, w.what, NULL);
    }
}

static void take_reply(obb_resp *r, const redisReply *reply)
{
    r->quiet = 0;
    if (r->first == r->list.count)
        return;
    const waiting w = r->list.at[r->first++];
    if (r->first == r->list.count)
        r->first = r->list.count = 0;
    w.answer(w.self, w.what, reply);
}

static void write_some(obb_resp *r)
{
    while (!r->trouble && r->written < r->to_write.length) {
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

static void read_some(obb_resp *r)
{
    char room[65536];
    void *reply;
    for (size_t n = 0; !r->trouble;) {
        CURLcode code = curl_easy_recv(r->curl, room, sizeof room, &n);
        if (code == CURLE_AGAIN)
            return;
        if (code || !n) {
            break_off(r, "the connection was closed");
            return;
        }
        bool ok = redisReaderFeed(r->reader, room, n) == REDIS_OK;
        while (ok && !r->trouble && (ok = redisReaderGetReply(r->reader, &reply) == REDIS_OK) && reply) {
            take_reply(r, reply);
            freeReplyObject(reply);
        }
        if (!ok)
            break_off(r, "it does not speak the protocol of Redis");
    }
}

void obb_resp_say(obb_resp *r, size_t count, const char *const *words, const size_t *lengths,
                  obb_resp_answer *answer, void *self, void *what)
{
    char *command;
    if (r->trouble) {
        answer(self, what, NULL);
        return;
    }
    int n = redisFormatCommandArgv(&command, (int)count, (const char **)(uintptr_t)words, lengths);
    if (n < 0)
        abort(); /* out of memory */
    obb_text_add(&r->to_write, command, (size_t)n);
    free(command);
    r->sent += (uint64_t)n;
    obb_vec_push(&r->list, ((waiting){answer, self, what}));
    write_some(r);
}

static void ignore(void *self, void *what, const redisReply *reply)
{
    (void)self, (void)what, (void)reply;
}

void obb_resp_tell(obb_resp *r, size_t count, const char *const *words, const size_t *lengths)
{
    obb_resp_say(r, count, words, lengths, ignore, NULL, NULL);
}

void obb_resp_go_on(obb_resp *const *all, size_t count, int fd, int milliseconds, int patience)
{
    struct pollfd ends[MOST_CONNECTIONS + 1] = {{.fd = fd, .events = POLLIN}};
    for (size_t i = 0; i < count; i++) {
        write_some(all[i]);
        ends[i + 1] = (struct pollfd){.fd = all[i]->trouble ? -1 : all[i]->socket, .events = POLLIN};
        if (all[i]->written < all[i]->to_write.length)
            ends[i + 1].events |= POLLOUT;
    }
    int n = poll(ends, (nfds_t)count + 1, milliseconds);
    for (size_t i = 0; i < count; i++) {
        obb_resp *r = all[i];
        r->quiet = n == 0 && r->first < r->list.count ? r->quiet + milliseconds : r->quiet;
        if (patience && r->quiet >= patience && !r->trouble)
            break_off(r, "it does not answer");
        if (n > 0 && ends[i + 1].revents) {
            write_some(r);
            read_some(r);
        }
    }
}

/* --- one after the other ------------------------------------------------------------ */

/* An answer that is waited for: kept, since the one that is told of it goes. */
typedef struct asked {
    redisReply *reply;
    bool over;
} asked;

static redisReply *copy_of(const redisReply *reply)
{
    redisReply *copy = obb_alloc(sizeof *copy);
    copy->type = reply->type;
    copy->integer = reply->integer;
    copy->len = reply->len;
    if (reply->str) {
        copy->str = malloc(reply->len + 1);
        if (!copy->str)
            abort();
        memcpy(copy->str, reply->str, reply->len);
        copy->str[reply->len] = 0;
    }
    copy->elements = reply->elements;
    if (reply->elements)
        copy->element = obb_alloc(reply->elements * sizeof *copy->element);
    for (size_t i = 0; i < reply->elements; i++)
        copy->element[i] = copy_of(reply->element[i]);
    return copy;
}

static void keep_answer(void *self, void *what, const redisReply *reply)
{
    asked *a = self;
    (void)what;
    a->reply = reply ? copy_of(reply) : NULL;
    a->over = true;
}

redisReply *obb_resp_ask(obb_resp *r, size_t count, const char *const *words, const size_t *lengths,
                         const char **why)
{
    enum { WAIT_MS = 1000, PATIENCE_MS = 30000 };
    asked a = {NULL, false};
    obb_resp_say(r, count, words, lengths, keep_answer, &a, NULL);
    while (!a.over)
        obb_resp_go_on(&r, 1, -1, WAIT_MS, PATIENCE_MS);
    *why = a.reply ? NULL : r->trouble;
    if (a.reply && a.reply->type == REDIS_REPLY_ERROR) {
        *why = obb_arena_copy(r->arena, a.reply->str, a.reply->len);
        freeReplyObject(a.reply);
        a.reply = NULL;
    }
    return a.reply;
}

/* --- the connection ----------------------------------------------------------------- */

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

static void greeted(void *self, void *what, const redisReply *reply)
{
    obb_resp *r = self;
    (void)what;
    if (reply && reply->type == REDIS_REPLY_ERROR)
        break_off(r, obb_arena_copy(r->arena, reply->str, reply->len));
}

static void greet(obb_resp *r, const place *p)
{
    const char *path = p->path ? p->path + strspn(p->path, "/") : "";
    size_t n = strcspn(path, "/");
    const char *rest = path + n + strspn(path + n, "/");
    bool named = p->user && *p->user;
    const char *const auth[] = {"AUTH", named ? p->user : p->password, p->password},
                      *const choose[] = {"SELECT", n ? obb_arena_copy(r->arena, path, n) : "0"};
    r->prefix = obb_arena_format(r->arena, "%s:", *rest ? rest : "obbligato");
    if (p->password)
        obb_resp_say(r, named ? 3 : 2, auth, NULL, greeted, r, NULL);
    obb_resp_say(r, 2, choose, NULL, greeted, r, NULL);
}

const char *obb_certificates(void)
{
    const char *bundle = getenv("CURL_CA_BUNDLE");
    bundle = bundle && *bundle ? bundle : getenv("SSL_CERT_FILE");
    return bundle && *bundle ? bundle : NULL;
}

static const char *meet(obb_resp *r, const char *url, const place *p)
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
    if (obb_certificates())
        curl_easy_setopt(r->curl, CURLOPT_CAINFO, obb_certificates());
    CURLcode code = curl_easy_perform(r->curl);
    curl_easy_setopt(r->curl, CURLOPT_ERRORBUFFER, NULL);
    if (code)
        return obb_arena_string(r->arena, *error ? error : curl_easy_strerror(code));
    curl_easy_getinfo(r->curl, CURLINFO_ACTIVESOCKET, &r->socket);
    return NULL;
}

void obb_resp_close(obb_resp *r)
{
    if (r->curl)
        curl_easy_cleanup(r->curl);
    if (r->reader)
        redisReaderFree(r->reader);
    r->curl = NULL;
    r->reader = NULL;
    obb_text_free(&r->to_write);
    obb_vec_free(&r->list);
    r->trouble = r->trouble ? r->trouble : "the connection was closed";
}

obb_resp *obb_resp_open(const char *url, obb_arena *arena, const char **why)
{
    obb_resp *r = obb_arena_alloc(arena, sizeof *r);
    place p = {0};
    *r = (obb_resp){.arena = arena, .reader = redisReaderCreate()};
    *why = !r->reader || curl_global_init(CURL_GLOBAL_DEFAULT) ? "libcurl cannot be used"
                                                               : take_apart(url, &p);
    if (!*why)
        *why = meet(r, url, &p);
    if (!*why)
        greet(r, &p);
    free_place(&p);
    if (*why)
        obb_resp_close(r);
    return *why ? NULL : r;
}

const char *obb_resp_prefix(const obb_resp *r)
{
    return r->prefix;
}

uint64_t obb_resp_sent(const obb_resp *r)
{
    return r->sent;
}

const char *obb_resp_trouble(const obb_resp *r)
{
    return r->trouble;
}
