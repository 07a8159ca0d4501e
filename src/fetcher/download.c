/* Downloads side by side, by libcurl's multi interface: each from its places in turn, with retries, resumed
 * where an earlier one broke off.
 *
 * A part is continued only when the server names the same version of the file as when it began (RFC
 * 9110, 13.1.5: If-Range); a server that does not know ranges sends all of it, and the part begins anew. */
#include <curl/curl.h>
#include <errno.h>
#include <fcntl.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "base/system.h"
#include "base/text.h"
#include "base/vec.h"
#include "fetcher/fetcher.h"

enum { MOST_AT_ONCE = 6, MOST_TRIES = 4, MOST_REDIRECTS = 10, CONNECT_SECONDS = 15 };

typedef struct transfer {
    size_t number;
    const json_t *places;
    const char *to;
    char *part, *tag;           /* beside `to` */
    size_t place;               /* of the one that is tried */
    int tries;                  /* of this place */
    CURL *curl;                 /* NULL: it is not running */
    struct curl_slist *headers;
    int lock;                   /* a descriptor of the part, while it is written by this process alone */
    FILE *file;                 /* opened by the first bytes */
    int failed;                 /* an errno value: the file could not be written */
    uint64_t begun;             /* bytes that were there */
    uint64_t got, total, told;
    uint64_t not_before;        /* milliseconds: when it may be tried again */
    char new_tag[512];
    char error[CURL_ERROR_SIZE];
    bool over;
} transfer;

static uint64_t now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (uint64_t)t.tv_sec * 1000 + (uint64_t)t.tv_nsec / 1000000;
}

static long patience(void)
{
    const char *said = getenv("OBBLIGATO_FETCH_TIMEOUT");
    long seconds = said ? strtol(said, NULL, 10) : 0;
    return seconds > 0 ? seconds : 30;
}

static char *with_suffix(const char *path, const char *suffix)
{
    size_t n = strlen(path), m = strlen(suffix);
    char *both = obb_alloc(n + m + 1);
    memcpy(both, path, n);
    memcpy(both + n, suffix, m + 1);
    return both;
}

static const char *place_of(const transfer *t)
{
    return json_string_value(json_array_get(t->places, t->place));
}

/* --- one transfer ------------------------------------------------------------------- */

/* Whether the answer continues the part: otherwise what was there is written anew. */
static bool continues(const transfer *t)
{
    long status = 0;
    curl_easy_getinfo(t->curl, CURLINFO_RESPONSE_CODE, &status);
    return t->begun && status == 206;
}

static size_t take_bytes(char *bytes, size_t size, size_t count, void *self)
{
    transfer *t = self;
    long status = 0;
    curl_easy_getinfo(t->curl, CURLINFO_RESPONSE_CODE, &status);
    if (status >= 300)
        return size * count; /* the page of an error */
    if (!t->file) {
        bool more = continues(t);
        t->file = fopen(t->part, more ? "ab" : "wb"); /* the same file: it is not made anew */
        if (!more)
            t->begun = 0;
        FILE *tag = t->file && *t->new_tag ? fopen(t->tag, "w") : NULL;
        if (tag) {
            fputs(t->new_tag, tag);
            fclose(tag);
        } else {
            unlink(t->tag);
        }
    }
    if (!t->file || fwrite(bytes, size, count, t->file) != count) {
        t->failed = errno ? errno : EIO;
        return 0;
    }
    return size * count;
}

/* What tells one version of the file from another. A weak one does not (RFC 9110, 8.8.1). */
static size_t take_header(char *line, size_t size, size_t count, void *self)
{
    static const char name[] = "etag:";
    transfer *t = self;
    size_t n = size * count;
    if (n >= 5 && strncmp(line, "HTTP/", 5) == 0)
        *t->new_tag = '\0'; /* of the answer that redirects */
    if (n > sizeof name - 1 && curl_strnequal(line, name, sizeof name - 1)) {
        const char *value = line + sizeof name - 1;
        size_t m = n - (sizeof name - 1);
        while (m && (*value == ' ' || *value == '\t'))
            value++, m--;
        while (m && strchr(" \t\r\n", value[m - 1]))
            m--;
        if (m && m < sizeof t->new_tag && *value == '"') {
            memcpy(t->new_tag, value, m);
            t->new_tag[m] = '\0';
        }
    }
    return n;
}

static int take_progress(void *self, curl_off_t total, curl_off_t got, curl_off_t up_total, curl_off_t up)
{
    transfer *t = self;
    (void)up_total, (void)up;
    t->got = t->begun + (uint64_t)got;
    t->total = total > 0 ? t->begun + (uint64_t)total : 0;
    return 0;
}

/* Continues what is there, when it is known which version it is of. */
static void resume(transfer *t)
{
    struct stat there;
    char tag[512] = "";
    FILE *f = fopen(t->tag, "r");
    bool known = f && fgets(tag, sizeof tag, f) && *tag;
    if (f)
        fclose(f);
    t->begun = 0;
    if (!known || stat(t->part, &there) || there.st_size <= 0)
        return;
    t->begun = (uint64_t)there.st_size;
    char *header = with_suffix("If-Range: ", tag);
    t->headers = curl_slist_append(NULL, header);
    free(header);
    char range[40];
    snprintf(range, sizeof range, "%llu-", (unsigned long long)t->begun);
    curl_easy_setopt(t->curl, CURLOPT_RANGE, range);
}

/* Proxies, ~/.netrc and certificates as libcurl and its program have them. */
static void set_up(transfer *t)
{
    const char *url = place_of(t), *bundle = getenv("CURL_CA_BUNDLE");
    bool secure = strncmp(url, "https:", 6) == 0;
    bundle = bundle && *bundle ? bundle : getenv("SSL_CERT_FILE");
    curl_easy_setopt(t->curl, CURLOPT_URL, url);
    curl_easy_setopt(t->curl, CURLOPT_PRIVATE, t);
    curl_easy_setopt(t->curl, CURLOPT_ERRORBUFFER, t->error);
    curl_easy_setopt(t->curl, CURLOPT_NOSIGNAL, 1L);
    curl_easy_setopt(t->curl, CURLOPT_PROTOCOLS_STR, "https,http,file");
    curl_easy_setopt(t->curl, CURLOPT_REDIR_PROTOCOLS_STR, secure ? "https" : "https,http");
    curl_easy_setopt(t->curl, CURLOPT_FOLLOWLOCATION, 1L);
    curl_easy_setopt(t->curl, CURLOPT_MAXREDIRS, (long)MOST_REDIRECTS);
    curl_easy_setopt(t->curl, CURLOPT_CONNECTTIMEOUT, (long)CONNECT_SECONDS);
    curl_easy_setopt(t->curl, CURLOPT_LOW_SPEED_LIMIT, 1L);
    curl_easy_setopt(t->curl, CURLOPT_LOW_SPEED_TIME, patience());
    curl_easy_setopt(t->curl, CURLOPT_NETRC, (long)CURL_NETRC_OPTIONAL);
    curl_easy_setopt(t->curl, CURLOPT_USERAGENT, "obbligato");
    if (bundle && *bundle)
        curl_easy_setopt(t->curl, CURLOPT_CAINFO, bundle);
    curl_easy_setopt(t->curl, CURLOPT_WRITEFUNCTION, take_bytes);
    curl_easy_setopt(t->curl, CURLOPT_WRITEDATA, t);
    curl_easy_setopt(t->curl, CURLOPT_HEADERFUNCTION, take_header);
    curl_easy_setopt(t->curl, CURLOPT_HEADERDATA, t);
    curl_easy_setopt(t->curl, CURLOPT_NOPROGRESS, 0L);
    curl_easy_setopt(t->curl, CURLOPT_XFERINFOFUNCTION, take_progress);
    curl_easy_setopt(t->curl, CURLOPT_XFERINFODATA, t);
}

/* A fetcher whose obbligato was killed may still write the part for a moment. False: it does, or the part
 * cannot be made (`failed`). */
static bool lock_part(transfer *t)
{
    struct stat mine, there;
    t->lock = open(t->part, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
    t->failed = t->lock < 0 ? errno : 0;
    bool ours = t->lock >= 0 && obb_lock_descriptor(t->lock, false) && fstat(t->lock, &mine) == 0 &&
                stat(t->part, &there) == 0 && mine.st_ino == there.st_ino;
    if (!ours && t->lock >= 0)
        close(t->lock);
    return ours;
}

static void give_up_place(transfer *t, const char *why);

static void start(CURLM *multi, transfer *t)
{
    if (!lock_part(t)) {
        t->not_before = now() + 50;
        if (t->failed)
            give_up_place(t, strerror(t->failed));
        return;
    }
    t->curl = curl_easy_init();
    t->tries++;
    *t->error = *t->new_tag = '\0';
    t->got = t->total = 0;
    set_up(t);
    if (strncmp(place_of(t), "http", 4) == 0)
        resume(t);
    curl_easy_setopt(t->curl, CURLOPT_HTTPHEADER, t->headers);
    curl_multi_add_handle(multi, t->curl);
}

static void stop(CURLM *multi, transfer *t)
{
    if (t->curl) {
        curl_multi_remove_handle(multi, t->curl);
        curl_easy_cleanup(t->curl);
    }
    curl_slist_free_all(t->headers);
    t->headers = NULL;
    t->curl = NULL;
    if (t->file && fclose(t->file) && !t->failed)
        t->failed = errno;
    t->file = NULL;
    close(t->lock);
}

/* --- what comes of it --------------------------------------------------------------- */

/* Whether it may go better in a moment: the server is busy, or the line broke. */
static bool may_pass(CURLcode code, long status)
{
    switch (code) {
    case CURLE_OK: return status == 408 || status == 429 || status >= 500;
    case CURLE_COULDNT_CONNECT: case CURLE_OPERATION_TIMEDOUT: case CURLE_PARTIAL_FILE:
    case CURLE_RECV_ERROR: case CURLE_SEND_ERROR: case CURLE_GOT_NOTHING: case CURLE_HTTP2:
    case CURLE_HTTP2_STREAM: case CURLE_COULDNT_RESOLVE_HOST: case CURLE_RANGE_ERROR: return true;
    default: return false;
    }
}

static void describe_failure(const transfer *t, CURLcode code, long status, obb_text *text)
{
    if (t->failed)
        obb_text_format(text, "cannot write %s: %s", t->part, strerror(t->failed));
    else if (code == CURLE_OK && status >= 300)
        obb_text_format(text, "the server answers %ld%s", status,
                        status == 404   ? " (not found)"
                        : status == 401 ? " (it wants a login: ~/.netrc)"
                        : status == 403 ? " (forbidden)"
                                        : "");
    else
        obb_text_string(text, *t->error ? t->error : curl_easy_strerror(code));
}

static void give_up_place(transfer *t, const char *why)
{
    obb_text text = {0};
    obb_text_visible(&text, why, strlen(why), true);
    tell(json_pack("{s:I,s:I,s:s}", "number", (json_int_t)t->number, "place", (json_int_t)t->place, "failed",
                   obb_text_bytes(&text)));
    obb_text_free(&text);
    t->place++;
    t->tries = 0;
    t->not_before = 0;
    if (t->failed || t->place >= json_array_size(t->places)) {
        t->over = true;
        tell(json_pack("{s:I,s:n}", "number", (json_int_t)t->number, "done"));
    }
}

static void ended(CURLM *multi, transfer *t, CURLcode code)
{
    long status = 0;
    bool resumed = continues(t);
    curl_easy_getinfo(t->curl, CURLINFO_RESPONSE_CODE, &status);
    bool whole = code == CURLE_OK && status < 300;
    if (whole && !t->file && truncate(t->part, 0)) /* a file without a byte is one, too */
        t->failed = errno;
    if (t->file && fflush(t->file) && !t->failed)
        t->failed = errno;
    if (whole && !t->failed && rename(t->part, t->to))
        t->failed = errno;
    stop(multi, t);
    if (whole && !t->failed) {
        unlink(t->tag);
        t->over = true;
        tell(json_pack("{s:I,s:I,s:b}", "number", (json_int_t)t->number, "done", (json_int_t)t->place,
                       "resumed", resumed));
        return;
    }
    if (status == 416 || code == CURLE_RANGE_ERROR) { /* the part is longer than the file is now */
        unlink(t->tag);
        code = CURLE_RANGE_ERROR;
    }
    if (!t->failed && may_pass(code, status) && t->tries < MOST_TRIES) {
        t->not_before = now() + (250u << t->tries);
        return;
    }
    obb_text why = {0};
    describe_failure(t, code, status, &why);
    give_up_place(t, why.bytes);
    obb_text_free(&why);
}

static void tell_progress(transfer *t)
{
    if (!t->curl || t->got == t->told)
        return;
    t->told = t->got;
    tell(json_pack("{s:I,s:I,s:I}", "number", (json_int_t)t->number, "got", (json_int_t)t->got, "total",
                   (json_int_t)t->total));
}

static void take_ended(CURLM *multi)
{
    CURLMsg *message;
    int left;
    while ((message = curl_multi_info_read(multi, &left))) {
        char *t = NULL;
        if (message->msg != CURLMSG_DONE)
            continue;
        CURLcode code = message->data.result;
        curl_easy_getinfo(message->easy_handle, CURLINFO_PRIVATE, &t);
        ended(multi, (transfer *)(void *)t, code);
    }
}

/* Starts those that may run. How many are not over. */
static size_t start_next(CURLM *multi, transfer *all, size_t count)
{
    size_t running = 0, open = 0;
    for (size_t i = 0; i < count; i++) {
        running += all[i].curl != NULL;
        open += !all[i].over;
    }
    for (size_t i = 0; i < count && running < MOST_AT_ONCE; i++)
        if (!all[i].over && !all[i].curl && now() >= all[i].not_before) {
            start(multi, &all[i]);
            running++;
        }
    return open;
}

static void carry_out(CURLM *multi, transfer *all, size_t count)
{
    uint64_t told = now();
    while (start_next(multi, all, count)) {
        int running;
        curl_multi_perform(multi, &running);
        take_ended(multi);
        if (now() - told >= 100) {
            told = now();
            for (size_t i = 0; i < count; i++)
                tell_progress(&all[i]);
        }
        curl_multi_poll(multi, NULL, 0, 50, NULL);
    }
}

int download(const json_t *downloads)
{
    size_t count = json_array_size(downloads);
    transfer *all = calloc(count + 1, sizeof *all);
    if (!all || curl_global_init(CURL_GLOBAL_DEFAULT))
        obb_out_of_memory();
    CURLM *multi = curl_multi_init();
    for (size_t i = 0; i < count; i++) {
        const json_t *d = json_array_get(downloads, i);
        transfer *t = &all[i];
        *t = (transfer){.number = i, .places = json_object_get(d, "places"),
                        .to = json_string_value(json_object_get(d, "to"))};
        if (!t->to || !json_array_size(t->places))
            return 2;
        t->part = with_suffix(t->to, ".part");
        t->tag = with_suffix(t->to, ".tag");
    }
    carry_out(multi, all, count);
    for (size_t i = 0; i < count; i++) {
        free(all[i].part);
        free(all[i].tag);
    }
    free(all);
    curl_multi_cleanup(multi);
    curl_global_cleanup();
    return 0;
}
