#include "base/sha256.h"

#include <openssl/evp.h>
#include <stdio.h>

char *obb_sha256(const void *bytes, size_t length, char text[OBB_SHA256_TEXT])
{
    unsigned char digest[EVP_MAX_MD_SIZE];
    unsigned size = 0;
    text[0] = 0;
    if (EVP_Digest(length ? bytes : "", length, digest, &size, EVP_sha256(), NULL))
        for (unsigned i = 0; i < size && i < 32; i++)
            sprintf(text + 2 * i, "%02x", digest[i]);
    return text;
}
