#include "base/print.h"

#include <errno.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>
#include <xxhash.h>

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

int obb_print_file(const char *path, obb_print *print)
{
    static _Thread_local char buffer[256 * 1024];
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    if (fd < 0)
        return errno;
    ssize_t got = read(fd, buffer, sizeof buffer);
    if (got >= 0 && (size_t)got < sizeof buffer) { /* most files fit: one read tells it all */
        ssize_t more = got ? read(fd, buffer + got, sizeof buffer - (size_t)got) : 0;
        if (more == 0) {
            *print = obb_print_of(buffer, (size_t)got);
            close(fd);
            return 0;
        }
        if (more > 0)
            got += more;
        else
            got = more;
    }
    XXH3_state_t *state = XXH3_createState();
    if (!state)
        obb_out_of_memory();
    XXH3_128bits_reset(state);
    while (got > 0) {
        XXH3_128bits_update(state, buffer, (size_t)got);
        got = read(fd, buffer, sizeof buffer);
    }
    int failed = got < 0 ? errno : 0;
    XXH128_hash_t h = XXH3_128bits_digest(state);
    XXH3_freeState(state);
    close(fd);
    *print = (obb_print){h.high64, h.low64};
    return failed;
}
