/* Fingerprints by XXH3 (fingerprint.h). Files are read in blocks, so that their size does not matter.
 *
 * A text that contains __TIMESTAMP__ has the time of its last change in its fingerprint, since its meaning
 * depends on it. The hasher feeds each part with its length, so that the borders of parts count. */
#include "base/fingerprint.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <xxhash.h>

#include "base/regular.h"
#include "base/system.h"
#include "base/vec.h"

struct obb_hasher {
    XXH3_state_t *state;
};

obb_fingerprint obb_fingerprint_of(const void *bytes, size_t length)
{
    XXH128_hash_t h = XXH3_128bits(bytes, length);
    return (obb_fingerprint){h.high64, h.low64};
}

bool obb_fingerprint_same(obb_fingerprint a, obb_fingerprint b)
{
    return a.high == b.high && a.low == b.low;
}

obb_hasher *obb_hasher_new(void)
{
    obb_hasher *p = obb_alloc(sizeof *p);
    p->state = XXH3_createState();
    if (!p->state)
        obb_out_of_memory();
    XXH3_128bits_reset(p->state);
    return p;
}

void obb_hasher_add(obb_hasher *hasher, const void *bytes, size_t length)
{
    uint64_t n = length;
    XXH3_128bits_update(hasher->state, &n, sizeof n);
    XXH3_128bits_update(hasher->state, bytes, length);
}

void obb_hasher_string(obb_hasher *hasher, const char *string)
{
    static const uint64_t none = UINT64_MAX;
    if (string)
        obb_hasher_add(hasher, string, strlen(string));
    else
        XXH3_128bits_update(hasher->state, &none, sizeof none);
}

obb_fingerprint obb_hasher_end(obb_hasher *hasher)
{
    XXH128_hash_t h = XXH3_128bits_digest(hasher->state);
    XXH3_freeState(hasher->state);
    free(hasher);
    return (obb_fingerprint){h.high64, h.low64};
}

/* --- files -------------------------------------------------------------------------- */

/* A text that has this in it means something else when its file gets another time (GCC manual, Common
 * Predefined Macros). */
static const char by_time[] = "__TIMESTAMP__";
enum { MARK = sizeof by_time - 1 };

static bool tells_time(const char *bytes, size_t length)
{
    const char *end = bytes + length;
    for (const char *m = bytes; m < end && (m = memchr(m, 'M', (size_t)(end - m))); m++)
        if (m - bytes >= 4 && end - m >= MARK - 4 && memcmp(m - 4, by_time, MARK) == 0)
            return true;
    return false;
}

static obb_fingerprint with_time(obb_fingerprint fingerprint, int64_t modified)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    obb_hasher_add(p, &modified, sizeof modified);
    return obb_hasher_end(p);
}

obb_fingerprint obb_fingerprint_of_text(const void *bytes, size_t length, int64_t modified)
{
    obb_fingerprint fingerprint = obb_fingerprint_of(bytes, length);
    return tells_time(bytes, length) ? with_time(fingerprint, modified) : fingerprint;
}

/* A file that does not fit into the buffer, of which `got` bytes are there. */
static int fingerprint_long(int fd, char *buffer, size_t room, ssize_t got, int64_t modified,
                            obb_fingerprint *fingerprint)
{
    char edge[2 * MARK];
    size_t kept = 0;
    bool timed = false;
    XXH3_state_t *state = XXH3_createState();
    if (!state)
        obb_out_of_memory();
    XXH3_128bits_reset(state);
    while (got > 0) {
        size_t n = (size_t)got, head = n < MARK ? n : MARK, tail = n < MARK - 1 ? n : MARK - 1;
        XXH3_128bits_update(state, buffer, n);
        memcpy(edge + kept, buffer, head);
        timed = timed || tells_time(edge, kept + head) || tells_time(buffer, n);
        memcpy(edge, buffer + n - tail, tail);
        kept = tail;
        got = read(fd, buffer, room);
    }
    int failed = got < 0 ? errno : 0;
    XXH128_hash_t h = XXH3_128bits_digest(state);
    XXH3_freeState(state);
    *fingerprint = (obb_fingerprint){h.high64, h.low64};
    if (timed)
        *fingerprint = with_time(*fingerprint, modified);
    return failed;
}

int obb_fingerprint_file(const char *path, obb_fingerprint *fingerprint)
{
    static _Thread_local char buffer[256 * 1024];
    struct stat s;
    int fd = obb_open_regular(path, &s), failed = 0;
    if (fd < 0)
        return errno;
    ssize_t got = read(fd, buffer, sizeof buffer), more = 1;
    if (got >= 0 && (size_t)got < sizeof buffer) /* most files fit: one read is enough */
        more = got ? read(fd, buffer + got, sizeof buffer - (size_t)got) : 0;
    if (got >= 0 && more == 0)
        *fingerprint = obb_fingerprint_of_text(buffer, (size_t)got, obb_modified_at(&s));
    else
        failed = fingerprint_long(fd, buffer, sizeof buffer,
                                  got < 0 || more < 0           ? -1
                                  : (size_t)got < sizeof buffer ? got + more
                                                                : got,
                                  obb_modified_at(&s), fingerprint);
    close(fd);
    return failed;
}
