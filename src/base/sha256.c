#include "base/sha256.h"

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
