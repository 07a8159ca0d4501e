#include "base/regular.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

int obb_open_regular(const char *path, struct stat *s)
{
    int fd = open(path, O_RDONLY | O_CLOEXEC | O_NONBLOCK); /* a pipe that nobody writes to would wait */
    int failed = fd < 0 ? errno : fstat(fd, s) ? errno : S_ISREG(s->st_mode) || strcmp(path, "/dev/null") == 0 ? 0 : S_ISDIR(s->st_mode) ? EISDIR : EINVAL;
    if (fd >= 0 && failed)
        close(fd);
    errno = failed;
    return failed ? -1 : fd;
}

/* POSIX.1-2008 has st_mtim; macOS has the name of its own when the standard is asked for. */
#ifdef __APPLE__
#define st_mtim st_mtimespec
#define st_ctim st_ctimespec
#endif

static int64_t nanoseconds(struct timespec t)
{
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

int64_t obb_modified_at(const struct stat *s)
{
    return nanoseconds(s->st_mtim);
}

int64_t obb_changed_at(const struct stat *s)
{
    return nanoseconds(s->st_ctim);
}
