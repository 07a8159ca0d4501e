/* SHA-256 (FIPS 180-4), by Nettle (why, docs/design.md says): for sums that people see, and for keys that are
 * shared between builds. Whether a file changed is told by fingerprints (fingerprint.h), which are faster. */
#ifndef OBB_BASE_SHA256_H
#define OBB_BASE_SHA256_H

#include <stdbool.h>
#include <stddef.h>

enum { OBB_SHA256_TEXT = 65 }; /* 64 hexadecimal digits and a NUL */

/* The digest in hexadecimal, in `text`, which is also the result. */
char *obb_sha256(const void *bytes, size_t length, char text[OBB_SHA256_TEXT]);

/* The same of a whole file, whatever its size. 0, or an errno value. */
int obb_sha256_of_file(const char *path, char text[OBB_SHA256_TEXT]);

/* Whether a word has the form of such a digest. */
bool obb_is_sha256(const char *word);

enum { OBB_SHA256_BYTES = 32 };

typedef struct obb_bytes {
    const void *at;
    size_t length;
} obb_bytes;

/* The same with a key (FIPS 198-1), over two parts one behind the other. */
void obb_hmac_sha256(obb_bytes key, obb_bytes first, obb_bytes second,
                     unsigned char digest[OBB_SHA256_BYTES]);

/* Whether two digests are the same; how long that takes does not tell where they differ. */
bool obb_same_digest(const unsigned char *a, const unsigned char *b);

#endif
