/* SHA-256 (FIPS 180-4), by Nettle (why, docs/design.md says): for sums that people see, and for keys that are
 * shared between builds. Whether a file changed is told by fingerprints (print.h), which are faster. */
#ifndef OBB_BASE_SHA256_H
#define OBB_BASE_SHA256_H

#include <stddef.h>

enum { OBB_SHA256_TEXT = 65 }; /* 64 hexadecimal digits and a NUL */

/* The digest in hexadecimal, in `text`, which is also the result. */
char *obb_sha256(const void *bytes, size_t length, char text[OBB_SHA256_TEXT]);

#endif
