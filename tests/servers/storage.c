/* A stand-in for an object storage: GET and PUT of objects in memory, taken when they are signed as version 4 of the
 * signature of such storages wants it (a canonical request, its SHA-256, a chain of HMACs over date, region and service).
 *
 *     storage PORT-FILE ID SECRET
 *
 * It listens on a port of 127.0.0.1 that it writes into the file, one request at a time, and ends after two minutes.
 * Whatever is not signed, or for another body, is answered with 403. */
#include <arpa/inet.h>
#include <netinet/in.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>
#include <sys/socket.h>
#include <unistd.h>

#include "base/map.h"
#include "base/sha256.h"
#include "base/text.h"

enum { LIFE = 120, MOST_HEADERS = 40, MOST = 1 << 24 };

typedef struct request {
    char *method, *path;
    char *names[MOST_HEADERS], *values[MOST_HEADERS];
    int headers;
    const char *body;
    size_t length;
} request;

static const char *header(const request *q, const char *name, size_t length)
{
    for (int i = 0; i < q->headers; i++)
        if (strlen(q->names[i]) == length && strncasecmp(q->names[i], name, length) == 0)
            return q->values[i];
    return "";
}

static const char *named(const request *q, const char *name)
{
    return header(q, name, strlen(name));
}

static void hmac(const void *key, size_t key_length, const char *text, size_t length, unsigned char *digest)
{
    obb_hmac_sha256((obb_bytes){key, key_length}, (obb_bytes){text, length}, (obb_bytes){"", 0}, digest);
}

/* The part of the Authorization header behind a name, up to a comma or the end. */
static size_t field(const char *text, const char *name, const char **value)
{
    const char *at = strstr(text, name);
    *value = at ? at + strlen(name) : "";
    return strcspn(*value, ",");
}

static bool is_signed(const request *q, const char *id, const char *secret)
{
    const char *who, *names, *signature, *said = named(q, "authorization");
    size_t who_length = field(said, "Credential=", &who), names_length = field(said, "SignedHeaders=", &names),
           signature_length = field(said, "Signature=", &signature), id_length = strlen(id);
    unsigned char digest[OBB_SHA256_BYTES], next[OBB_SHA256_BYTES];
    char sum[OBB_SHA256_TEXT], hexadecimal[2 * OBB_SHA256_BYTES + 1];
    obb_text text = {0};
    obb_sha256(q->body, q->length, sum);
    if (strncmp(who, id, id_length) != 0 || who[id_length] != '/' || strcmp(named(q, "x-amz-content-sha256"), sum) != 0)
        return false;
    obb_text_format(&text, "%s\n%s\n\n", q->method, q->path);
    for (size_t at = 0, n; at < names_length; at += n + 1) {
        n = strcspn(names + at, ";,");
        obb_text_format(&text, "%.*s:%s\n", (int)n, names + at, header(q, names + at, n));
    }
    obb_text_format(&text, "\n%.*s\n%s", (int)names_length, names, sum);
    obb_sha256(text.bytes, text.length, sum);
    text.length = 0;
    const char *scope = who + id_length + 1;
    size_t scope_length = who_length - id_length - 1;
    obb_text_format(&text, "AWS4-HMAC-SHA256\n%s\n%.*s\n%s", named(q, "x-amz-date"), (int)scope_length, scope, sum);
    obb_text start = {0};
    obb_text_format(&start, "AWS4%s", secret);
    size_t n = strcspn(scope, "/");
    hmac(start.bytes, start.length, scope, n, digest);
    for (size_t at = n + 1; at < scope_length; at += n + 1) { /* region, service, and a word that is always the same */
        n = strcspn(scope + at, "/,");
        hmac(digest, sizeof digest, scope + at, n, next);
        memcpy(digest, next, sizeof digest);
    }
    hmac(digest, sizeof digest, text.bytes, text.length, next);
    for (int i = 0; i < OBB_SHA256_BYTES; i++)
        snprintf(hexadecimal + 2 * i, 3, "%02x", next[i]);
    obb_text_free(&text);
    obb_text_free(&start);
    return signature_length == strlen(hexadecimal) && strncmp(signature, hexadecimal, signature_length) == 0;
}

/* --- requests ----------------------------------------------------------------------- */

typedef struct object {
    char *bytes;
    size_t length;
} object;

static obb_map objects;

static void answer(int fd, int status, const char *body, size_t length)
{
    char head[200];
    int n = snprintf(head, sizeof head, "HTTP/1.1 %d Said\r\nContent-Length: %zu\r\nConnection: close\r\n\r\n", status, length);
    if (write(fd, head, (size_t)n) == n && length && write(fd, body, length) < 0)
        perror("storage");
}

static void serve(int fd, const request *q, const char *id, const char *secret)
{
    const object *there = obb_map_get(&objects, q->path);
    if (!is_signed(q, id, secret)) {
        answer(fd, 403, "", 0);
    } else if (strcmp(q->method, "PUT") == 0) {
        object *new = malloc(sizeof *new);
        *new = (object){malloc(q->length + 1), q->length};
        memcpy(new->bytes, q->body, q->length);
        obb_map_put(&objects, strdup(q->path), new);
        answer(fd, 200, "", 0);
    } else if (there) {
        answer(fd, 200, there->bytes, there->length);
    } else {
        answer(fd, 404, "", 0);
    }
}

/* Takes the head apart, in place. */
static void take_apart(request *q, char *head)
{
    char *rest = NULL, *line = strtok_r(head, "\r\n", &rest);
    q->method = line ? line : head;
    q->path = strchr(q->method, ' ');
    if (q->path)
        *q->path++ = 0;
    if (q->path)
        q->path[strcspn(q->path, " ")] = 0;
    while ((line = strtok_r(NULL, "\r\n", &rest)) && q->headers < MOST_HEADERS) {
        char *value = strchr(line, ':');
        if (!value)
            continue;
        *value++ = 0;
        q->names[q->headers] = line;
        q->values[q->headers++] = value + strspn(value, " ");
    }
}

static void meet(int fd, const char *id, const char *secret)
{
    char room[65536], *end = NULL;
    obb_text text = {0};
    request q = {.headers = 0};
    size_t body = 0, length = 0;
    for (ssize_t n; text.length < MOST && (!end || text.length < body + length) && (n = read(fd, room, sizeof room)) > 0;) {
        obb_text_add(&text, room, (size_t)n);
        if (end || !(end = strstr(obb_text_bytes(&text), "\r\n\r\n")))
            continue;
        body = (size_t)(end - text.bytes) + 4;
        char *head = strndup(text.bytes, body);
        take_apart(&q, head);
        length = strtoul(named(&q, "content-length"), NULL, 10);
    }
    if (q.path && text.length >= body + length) {
        q.body = text.bytes + body;
        q.length = length;
        serve(fd, &q, id, secret);
    }
    obb_text_free(&text);
}

int main(int argc, char **argv)
{
    struct sockaddr_in here = {.sin_family = AF_INET, .sin_addr.s_addr = htonl(INADDR_LOOPBACK)};
    socklen_t size = sizeof here;
    int fd = socket(AF_INET, SOCK_STREAM, 0);
    if (argc != 4 || fd < 0 || bind(fd, (struct sockaddr *)&here, sizeof here) || listen(fd, 64) ||
        getsockname(fd, (struct sockaddr *)&here, &size)) {
        fputs("usage: storage PORT-FILE ID SECRET\n", stderr);
        return 2;
    }
    FILE *file = fopen(argv[1], "w");
    if (!file || fprintf(file, "%d\n", ntohs(here.sin_port)) < 0 || fclose(file))
        return 1;
    alarm(LIFE);
    for (;;) {
        int client = accept(fd, NULL, NULL);
        if (client < 0)
            continue;
        meet(client, argv[2], argv[3]);
        close(client);
    }
}
