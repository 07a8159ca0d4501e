/* Fingerprints: 128 bits of XXH3 (xxHash's specification, XXH3 128-bit variant, seed 0).
 *
 * They tell whether contents changed. They are not a defence against someone who makes two
 * different contents with one fingerprint on purpose.
 */
#ifndef OBB_BASE_FINGERPRINT_H
#define OBB_BASE_FINGERPRINT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef struct obb_fingerprint {
    uint64_t high, low;
} obb_fingerprint;

/* Of nothing; also the mark of "no fingerprint known". No content is expected to have it. */
#define OBB_NO_FINGERPRINT ((obb_fingerprint){0, 0})

obb_fingerprint obb_fingerprint_of(const void *bytes, size_t length);
bool obb_fingerprint_same(obb_fingerprint a, obb_fingerprint b);

/* A fingerprint over several parts, each fed with its length, so that no two different
 * sequences of parts run into the same bytes. */
typedef struct obb_hasher obb_hasher;

obb_hasher *obb_hasher_new(void);
void obb_hasher_add(obb_hasher *hasher, const void *bytes, size_t length);
void obb_hasher_string(obb_hasher *hasher, const char *string); /* NULL differs from "" */
obb_fingerprint obb_hasher_end(obb_hasher *hasher);                   /* releases the hasher */

/* Of the contents of a file, with the time of its last change (nanoseconds since 1970): a text that can ask
 * for that time (__TIMESTAMP__) has another fingerprint once the file is touched. */
obb_fingerprint obb_fingerprint_of_text(const void *bytes, size_t length, int64_t modified);

/* The same of a file, which is read to its end. 0, or an errno value. */
int obb_fingerprint_file(const char *path, obb_fingerprint *fingerprint);

#endif
