/* Several files in one (state/packed.h). */
#include "state/packed.h"

#include <stdint.h>

enum { HEAD = 8 };

void obb_packed_add(obb_text *text, const char *bytes, size_t length, bool executable)
{
    uint64_t head = (uint64_t)length << 1 | executable;
    for (int i = 0; i < HEAD; i++)
        obb_text_char(text, (char)(unsigned char)(head >> (8 * i) & 0xff));
    if (length)
        obb_text_add(text, bytes, length);
}

bool obb_packed_next(const obb_text *text, size_t *at, obb_packed_file *file)
{
    uint64_t head = 0;
    if (text->length < HEAD || *at > text->length - HEAD)
        return false;
    for (int i = 0; i < HEAD; i++)
        head |= (uint64_t)(unsigned char)text->bytes[*at + (size_t)i] << (8 * i);
    *at += HEAD;
    if (head >> 1 > text->length - *at)
        return false;
    *file = (obb_packed_file){text->bytes + *at, (size_t)(head >> 1), head & 1};
    *at += file->length;
    return true;
}
