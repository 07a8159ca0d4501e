#include "base/print.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <xxhash.h>

#include "base/regular.h"
#include "base/system.h"
#include "base/vec.h"

struct obb_printer {
    XXH3_state_t *state;
};

obb_print obb_print_of(const void *bytes, size_t length)
{
    XXH128_hash_t h = XXH3_128bits(bytes, length);
    return (obb_print){h.high64, h.low64};
}

bool obb_print_same(obb_print a, obb_print b)
{
    return a.high == b.high && a.low == b.low;
}

obb_printer *obb_printer_new(void)
{
    obb_printer *p = obb_alloc(sizeof *p);
    p->state = XXH3_createState();
    if (!p->state)
        obb_out_of_memory();
    XXH3_128bits_reset(p->state);
    return p;
}

void obb_printer_add(obb_printer *printer, const void *bytes, size_t length)
{
    uint64_t n = length;
    XXH3_128bits_update(printer->state, &n, sizeof n);
    XXH3_128bits_update(printer->state, bytes, length);
}

void obb_printer_string(obb_printer *printer, const char *string)
{
    static const uint64_t none = UINT64_MAX;
    if (string)
        obb_printer_add(printer, string, strlen(string));
    else
        XXH3_128bits_update(printer->state, &none, sizeof none);
}

obb_print obb_printer_end(obb_printer *printer)
{
    XXH128_hash_t h = XXH3_128bits_digest(printer->state);
    XXH3_freeState(printer->state);
    free(printer);
    return (obb_print){h.high64, h.low64};
}

/* --- files -------------------------------------------------------------------------- */

/* A text that has this in it means something else when its file gets another time (GCC manual, Common Predefined
 * Macros). */
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

static obb_print with_time(obb_print print, int64_t modified)
{
    obb_printer *p = obb_printer_new();
    obb_printer_add(p, &print, sizeof print);
    obb_printer_add(p, &modified, sizeof modified);
    return obb_printer_end(p);
}

obb_print obb_print_of_text(const void *bytes, size_t length, int64_t modified)
{
    obb_print print = obb_print_of(bytes, length);
    return tells_time(bytes, length) ? with_time(print, modified) : print;
}

/* A file that does not fit into the buffer, of which `got` bytes are there. */
static int print_long(int fd, char *buffer, size_t room, ssize_t got, int64_t modified, obb_print *print)
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
    *print = (obb_print){h.high64, h.low64};
    if (timed)
        *print = with_time(*print, modified);
    return failed;
}

int obb_print_file(const char *path, obb_print *print)
{
    static _Thread_local char buffer[256 * 1024];
    struct stat s;
    int fd = obb_open_regular(path, &s), failed = 0;
    if (fd < 0)
        return errno;
    ssize_t got = read(fd, buffer, sizeof buffer), more = 1;
    if (got >= 0 && (size_t)got < sizeof buffer) /* most files fit: one read tells it all */
        more = got ? read(fd, buffer + got, sizeof buffer - (size_t)got) : 0;
    if (got >= 0 && more == 0)
        *print = obb_print_of_text(buffer, (size_t)got, obb_modified_at(&s));
    else
        failed = print_long(fd, buffer, sizeof buffer, got < 0 || more < 0 ? -1 : (size_t)got < sizeof buffer ? got + more : got, obb_modified_at(&s), print);
    close(fd);
    return failed;
}
