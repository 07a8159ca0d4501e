/* Several files in the bytes of one entry of a cache: what a step has made.
 *
 * For each file, in the order in which the step states them: a number of 64 bits, the least significant byte
 * first, which is twice its length, and one more when it is executable; then its bytes.
 */
#ifndef OBB_STATE_PACKED_H
#define OBB_STATE_PACKED_H

#include "base/text.h"

typedef struct obb_packed_file {
    const char *bytes; /* in the text */
    size_t length;
    bool executable;
} obb_packed_file;

void obb_packed_add(obb_text *text, const char *bytes, size_t length, bool executable);

/* The file that begins at *at, which is moved behind it. False: there is none, or it is cut off. */
bool obb_packed_next(const obb_text *text, size_t *at, obb_packed_file *file);

#endif
