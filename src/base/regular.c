/* Opening regular files only: the kind is asked of the open descriptor, so that it cannot change in between.
 */
#include "base/regular.h"

#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <unistd.h>

int obb_open_regular(const char *path, struct stat *s)
{
    int fd = open(path, O_RDONLY | O_CLOEXEC | O_NONBLOCK); /* a pipe that nobody writes to would wait */
    int failed = fd < 0                                                  ? errno
                 : fstat(fd, s)                                          ? errno
                 : S_ISREG(s->st_mode) || strcmp(path, "/dev/null") == 0 ? 0
                 : S_ISDIR(s->st_mode)                                   ? EISDIR
                                                                         : EINVAL;
    if (fd >= 0 && failed)
        close(fd);
    errno = failed;
    return failed ? -1 : fd;
}
