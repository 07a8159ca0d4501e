/* SHA-256 and HMAC, by Nettle. */
#include "base/sha256.h"

#include <nettle/hmac.h>
#include <nettle/memops.h>
#include <nettle/sha2.h>
#include <stdint.h>
#include <stdio.h>

char *obb_sha256(const void *bytes, size_t length, char text[OBB_SHA256_TEXT])
{
    struct sha256_ctx context;
    uint8_t digest[SHA256_DIGEST_SIZE];
    sha256_init(&context);
    if (length)
        sha256_update(&context, length, bytes);
    sha256_digest(&context, sizeof digest, digest);
    for (size_t i = 0; i < sizeof digest; i++)
        sprintf(text + 2 * i, "%02x", digest[i]);
    return text;
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
