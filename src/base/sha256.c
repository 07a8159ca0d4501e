/* SHA-256 and HMAC, by Nettle. */
#include "base/sha256.h"

#include <errno.h>
#include <nettle/hmac.h>
#include <nettle/memops.h>
#include <nettle/sha2.h>
#include <stdint.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "base/regular.h"

static char *digest_of(struct sha256_ctx *context, char text[OBB_SHA256_TEXT])
{
    uint8_t digest[SHA256_DIGEST_SIZE];
    sha256_digest(context, sizeof digest, digest);
    for (size_t i = 0; i < sizeof digest; i++)
        sprintf(text + 2 * i, "%02x", digest[i]);
    return text;
}

char *obb_sha256(const void *bytes, size_t length, char text[OBB_SHA256_TEXT])
{
    struct sha256_ctx context;
    sha256_init(&context);
    if (length)
        sha256_update(&context, length, bytes);
    return digest_of(&context, text);
}

int obb_sha256_of_file(const char *path, char text[OBB_SHA256_TEXT])
{
    uint8_t buffer[65536];
    struct sha256_ctx context;
    struct stat there;
    ssize_t got;
    int fd = obb_open_regular(path, &there);
    if (fd < 0)
        return errno;
    sha256_init(&context);
    while ((got = read(fd, buffer, sizeof buffer)) > 0 || (got < 0 && errno == EINTR))
        sha256_update(&context, got > 0 ? (size_t)got : 0, buffer);
    int failed = got < 0 ? errno : 0;
    close(fd);
    digest_of(&context, text);
    return failed;
}

bool obb_is_sha256(const char *word)
{
    return strlen(word) == OBB_SHA256_TEXT - 1 && strspn(word, "0123456789abcdef") == OBB_SHA256_TEXT - 1;
}

void obb_hmac_sha256(obb_bytes key, obb_bytes first, obb_bytes second,
                     unsigned char digest[OBB_SHA256_BYTES])
{
    struct hmac_sha256_ctx context;
    hmac_sha256_set_key(&context, key.length, key.at);
    hmac_sha256_update(&context, first.length, first.at);
    hmac_sha256_update(&context, second.length, second.at);
    hmac_sha256_digest(&context, OBB_SHA256_BYTES, digest);
}

bool obb_same_digest(const unsigned char *a, const unsigned char *b)
{
    return memeql_sec(a, b, OBB_SHA256_BYTES);
}
