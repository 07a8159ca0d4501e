/* A far store over HTTP (transfer.h), by libcurl: many requests at a time, over kept connections. Redirects
 * are not followed: what is sent, and who is believed, is said once. */
#include <curl/curl.h>
#include <stdlib.h>
#include <string.h>

#include "farm/resp.h"
#include "transfer/transfer.h"

enum { AT_A_TIME = 32, CONNECTIONS = 16, CONNECT_SECONDS = 5, QUIET_SECONDS = 10 };

typedef struct http {
    CURLM *multi;
    const char *url, *token, *signature;
    obb_arena *arena;
} http;

typedef struct request {
    CURL *curl;
    struct curl_slist *headers;
    char error[CURL_ERROR_SIZE];
} request;

static size_t take_bytes(char *bytes, size_t size, size_t n, void *self)
{
    job *j = self;
    if (j->bytes.length + size * n > OBB_MOST_ENTRY)
        return 0;
    if (n)
        obb_text_add(&j->bytes, bytes, size * n);
    return size * n;
}

static size_t give_bytes(char *room, size_t size, size_t n, void *self)
{
    job *j = self;
    size_t left = j->bytes.length - j->sent, given = size * n < left ? size * n : left;
    if (given)
        memcpy(room, j->bytes.bytes + j->sent, given);
    j->sent += given;
    return given;
}

/* Of a PUT: a connection that was kept may turn out to be closed when the bytes have begun to go. */
static int begin_again(void *self, curl_off_t offset, int origin)
{
    job *j = self;
    if (origin != SEEK_SET || offset < 0 || (size_t)offset > j->bytes.length)
        return CURL_SEEKFUNC_FAIL;
    j->sent = (size_t)offset;
    return CURL_SEEKFUNC_OK;
}

static size_t drop_bytes(char *bytes, size_t size, size_t n, void *self)
{
    (void)bytes, (void)self;
    return size * n;
}

static void set_who(const http *h, request *q, const job *j)
{
    char sum[OBB_SHA256_TEXT], line[OBB_SHA256_TEXT + 40];
    curl_easy_setopt(q->curl, CURLOPT_NETRC, (long)CURL_NETRC_OPTIONAL);
    if (h->token) {
        curl_easy_setopt(q->curl, CURLOPT_HTTPAUTH, (long)CURLAUTH_BEARER);
        curl_easy_setopt(q->curl, CURLOPT_XOAUTH2_BEARER, h->token);
    }
    if (!h->signature)
        return;
    obb_sha256(obb_text_bytes(&j->bytes), j->bytes.length, sum);
    snprintf(line, sizeof line, "x-amz-content-sha256: %s", sum);
    q->headers = curl_slist_append(q->headers, line);
    curl_easy_setopt(q->curl, CURLOPT_AWS_SIGV4, h->signature);
}

static void set_request(const http *h, request *q, job *j)
{
    CURL *c = q->curl;
    curl_easy_setopt(c, CURLOPT_URL, obb_arena_format(h->arena, "%s/%s", h->url, j->key.text));
    curl_easy_setopt(c, CURLOPT_PRIVATE, j);
    curl_easy_setopt(c, CURLOPT_ERRORBUFFER, q->error);
    curl_easy_setopt(c, CURLOPT_NOSIGNAL, 1L);
    curl_easy_setopt(c, CURLOPT_PROTOCOLS_STR, "http,https");
    curl_easy_setopt(c, CURLOPT_CONNECTTIMEOUT, (long)CONNECT_SECONDS);
    curl_easy_setopt(c, CURLOPT_LOW_SPEED_LIMIT, 1L);
    curl_easy_setopt(c, CURLOPT_LOW_SPEED_TIME, (long)QUIET_SECONDS);
    curl_easy_setopt(c, CURLOPT_USERAGENT, "obbligato");
    if (obb_certificates())
        curl_easy_setopt(c, CURLOPT_CAINFO, obb_certificates());
    curl_easy_setopt(c, CURLOPT_WRITEFUNCTION, j->sends ? drop_bytes : take_bytes);
    curl_easy_setopt(c, CURLOPT_WRITEDATA, j);
    q->headers = curl_slist_append(NULL, "Expect:");
    set_who(h, q, j);
    if (j->sends) {
        curl_easy_setopt(c, CURLOPT_UPLOAD, 1L);
        curl_easy_setopt(c, CURLOPT_INFILESIZE_LARGE, (curl_off_t)j->bytes.length);
        curl_easy_setopt(c, CURLOPT_READFUNCTION, give_bytes);
        curl_easy_setopt(c, CURLOPT_READDATA, j);
        curl_easy_setopt(c, CURLOPT_SEEKFUNCTION, begin_again);
        curl_easy_setopt(c, CURLOPT_SEEKDATA, j);
        q->headers = curl_slist_append(q->headers, "Content-Type: application/octet-stream");
    }
    curl_easy_setopt(c, CURLOPT_HTTPHEADER, q->headers);
}

static void begin(void *self, job *j)
{
    http *h = self;
    request *q = obb_alloc(sizeof *q);
    q->curl = curl_easy_init();
    j->transport = q;
    if (!q->curl)
        abort(); /* out of memory, as obb_alloc says it */
    set_request(h, q, j);
    curl_multi_add_handle(h->multi, q->curl);
}

static void end_request(const http *h, job *j)
{
    request *q = j->transport;
    curl_multi_remove_handle(h->multi, q->curl);
    curl_easy_cleanup(q->curl);
    curl_slist_free_all(q->headers);
    free(q);
    j->transport = NULL;
}

static void cancel(void *self, job *j)
{
    end_request(self, j);
}

/* By the status of RFC 9110, 15. */
static outcome judge(CURLcode code, long status, const job *j)
{
    if (code == CURLE_COULDNT_RESOLVE_HOST || code == CURLE_COULDNT_CONNECT ||
        code == CURLE_PEER_FAILED_VERIFICATION || code == CURLE_SSL_CACERT_BADFILE ||
        code == CURLE_URL_MALFORMAT || code == CURLE_OPERATION_TIMEDOUT)
        return UNREACHABLE;
    if (code)
        return FAILED;
    if (status >= 200 && status < 300)
        return MOVED;
    if (!j->sends && (status == 404 || status == 410))
        return NOT_THERE;
    return status == 401 || status == 403 || status == 405 || status == 413 || status == 507 ? NOT_ALLOWED
                                                                                             : FAILED;
}

static void end_what_is_over(http *h)
{
    CURLMsg *message;
    int left;
    while ((message = curl_multi_info_read(h->multi, &left))) {
        job *j;
        char *at = NULL;
        long status = 0;
        CURLcode code = message->data.result;
        if (message->msg != CURLMSG_DONE)
            continue;
        curl_easy_getinfo(message->easy_handle, CURLINFO_PRIVATE, &at);
        curl_easy_getinfo(message->easy_handle, CURLINFO_RESPONSE_CODE, &status);
        j = (job *)(void *)at;
        const request *q = j->transport;
        const char *why = code ? obb_arena_string(h->arena, *q->error ? q->error : curl_easy_strerror(code))
                               : obb_arena_format(h->arena, "it answers with status %ld", status);
        outcome how = judge(code, status, j);
        end_request(h, j);
        job_over(j, how, why);
    }
}

static void go_on(void *self, int fd, int milliseconds)
{
    http *h = self;
    int running;
    struct curl_waitfd extra = {.fd = fd, .events = CURL_WAIT_POLLIN};
    curl_multi_perform(h->multi, &running);
    end_what_is_over(h);
    curl_multi_poll(h->multi, fd < 0 ? NULL : &extra, fd < 0 ? 0 : 1, milliseconds, NULL);
    curl_multi_perform(h->multi, &running);
    end_what_is_over(h);
}

server *http_server(const char *url, obb_arena *arena, const char **why)
{
    server *s = obb_arena_alloc(arena, sizeof *s);
    http *h = obb_arena_alloc(arena, sizeof *h);
    size_t n = strlen(url);
    while (n && url[n - 1] == '/')
        n--;
    *h = (http){.url = obb_arena_copy(arena, url, n), .arena = arena};
    h->token = getenv("OBBLIGATO_FAR_TOKEN");
    h->token = h->token && *h->token ? h->token : NULL;
    h->signature = getenv("OBBLIGATO_FAR_SIGNATURE");
    h->signature = h->signature && *h->signature ? h->signature : NULL;
    *why = curl_global_init(CURL_GLOBAL_DEFAULT) ? "libcurl cannot be used" : NULL;
    h->multi = *why ? NULL : curl_multi_init();
    if (h->multi)
        curl_multi_setopt(h->multi, CURLMOPT_MAX_TOTAL_CONNECTIONS, (long)CONNECTIONS);
    *s = (server){.self = h, .room = AT_A_TIME, .begin = begin, .cancel = cancel, .go_on = go_on};
    return s;
}
