/* Writing and removing below a folder (below.h). A folder is opened in one call that follows no link, where
 * the system has such a call and no link is there; else every part of the path is opened with openat and
 * O_NOFOLLOW from the descriptor of the one above it. So a link that appears meanwhile is never followed. */
#include "base/below.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/system.h"

bool obb_below_lies(const char *top, const char *path)
{
    if (!obb_path_within(path, top))
        return false;
    for (const char *part = path + strlen(top) + 1;; part++) {
        size_t n = strcspn(part, "/");
        if (n == 0 || (n == 1 && part[0] == '.') || (n == 2 && part[0] == '.' && part[1] == '.'))
            return false;
        part += n;
        if (!*part)
            return true;
    }
}

/* A folder in a folder; -1 with errno. */
static int enter(int folder, const char *name, bool make)
{
    struct stat s;
    int flags = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC;
    int fd = openat(folder, name, flags);
    if (fd < 0 && errno == ENOENT && make && (mkdirat(folder, name, 0777) == 0 || errno == EEXIST))
        fd = openat(folder, name, flags);
    if (fd < 0 && errno == ENOTDIR && fstatat(folder, name, &s, AT_SYMLINK_NOFOLLOW) == 0)
        errno = S_ISLNK(s.st_mode) ? ELOOP : ENOTDIR;
    return fd;
}

/* The folder that holds a path, part by part; -1 with errno. */
static int open_by_parts(const char *top, const char *path, bool make)
{
    int fd = open(top, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0 && errno == ENOENT && make && obb_path_make_folders(path) == 0)
        fd = open(top, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    char *copy = strdup(path + strlen(top) + 1), *part = copy;
    for (char *slash; copy && fd >= 0 && (slash = strchr(part, '/')); part = slash + 1) {
        *slash = 0;
        int next = enter(fd, part, make), failed = errno;
        close(fd);
        fd = next;
        errno = failed;
    }
    int failed = copy ? errno : ENOMEM;
    free(copy);
    errno = failed;
    return fd;
}

/* The folder that holds a path, and the name in it; -1 with errno. Most paths exist and have no link in them:
 * those take one call. (`top` may be reached by links; what lies below may not.) */
static int open_holder(const char *top, const char *path, bool make, const char **name)
{
    char folder[1024];
    int fd = -1;
    if (!obb_below_lies(top, path)) {
        errno = EINVAL;
        return -1;
    }
    *name = strrchr(path, '/') + 1;
    size_t n = (size_t)(*name - 1 - path);
    if (n < sizeof folder) {
        memcpy(folder, path, n);
        folder[n] = 0;
        fd = obb_open_without_links(folder);
    }
    return fd >= 0 ? fd : open_by_parts(top, path, make);
}

int obb_below_make_folders(const char *top, const char *path)
{
    const char *name;
    int fd = open_holder(top, path, true, &name);
    if (fd < 0)
        return errno;
    close(fd);
    return 0;
}

int obb_below_remove(const char *top, const char *path)
{
    const char *name;
    int fd = open_holder(top, path, false, &name), failed = fd < 0 ? errno : 0;
    if (fd >= 0 && unlinkat(fd, name, 0))
        failed = errno;
    if (fd >= 0)
        close(fd);
    return failed == ENOENT || failed == ENOTDIR ? 0 : failed;
}

void obb_below_remove_empty(const char *top, const char *path)
{
    char *copy = strdup(path);
    bool removed = copy != NULL;
    while (removed) {
        const char *name;
        char *slash = strrchr(copy, '/');
        *slash = 0;
        int fd = obb_below_lies(top, copy) ? open_holder(top, copy, false, &name) : -1;
        removed = fd >= 0 && unlinkat(fd, name, AT_REMOVEDIR) == 0;
        if (fd >= 0)
            close(fd);
    }
    free(copy);
}

static int link_at(int old, const char *old_name, int new, const char *new_name)
{
    return linkat(old, old_name, new, new_name, 0);
}

/* Does something with two names, each in its folder. */
static int with_both(const char *top, const char *from, const char *to,
                     int (*act)(int old, const char *old_name, int new, const char *new_name))
{
    const char *old_name, *new_name;
    int old = open_holder(top, from, false, &old_name), failed = old < 0 ? errno : 0;
    int new = failed ? -1 : open_holder(top, to, false, &new_name);
    if (!failed && new < 0)
        failed = errno;
    if (!failed && act(old, old_name, new, new_name))
        failed = errno;
    if (old >= 0)
        close(old);
    if (new >= 0)
        close(new);
    return failed;
}

int obb_below_rename(const char *top, const char *from, const char *to)
{
    return with_both(top, from, to, obb_rename_at);
}

int obb_below_link(const char *top, const char *from, const char *to)
{
    return with_both(top, from, to, link_at);
}

/* A folder may be locked: what tools unpack often is. It is its owner's to open. */
static int enter_locked(int folder, const char *name)
{
    int flags = O_RDONLY | O_DIRECTORY | O_NOFOLLOW | O_CLOEXEC | O_NONBLOCK;
    int fd = openat(folder, name, flags);
    if (fd < 0 && errno == EACCES && fchmodat(folder, name, 0700, AT_SYMLINK_NOFOLLOW) == 0)
        fd = openat(folder, name, flags);
    return fd;
}

/* Where what is in a folder can be seen and removed; errors come when that is tried. */
static void unlock(int folder)
{
    struct stat s;
    if (fstat(folder, &s) == 0 && (s.st_mode & S_IRWXU) != S_IRWXU)
        fchmod(folder, S_IRWXU);
}

static int empty(int folder)
{
    int failed = 0, copy = dup(folder);
    DIR *d = copy < 0 ? NULL : fdopendir(copy);
    if (!d) {
        failed = errno;
        if (copy >= 0)
            close(copy);
        return failed;
    }
    for (struct dirent *e; !failed && (e = readdir(d));) {
        if (strcmp(e->d_name, ".") == 0 || strcmp(e->d_name, "..") == 0)
            continue;
        int fd = enter_locked(folder, e->d_name);
        if (fd >= 0) {
            unlock(fd);
            failed = empty(fd);
            close(fd);
        }
        if (!failed && unlinkat(folder, e->d_name, fd >= 0 ? AT_REMOVEDIR : 0))
            failed = errno;
    }
    closedir(d);
    return failed;
}

int obb_below_remove_all(const char *top, const char *path)
{
    const char *name = NULL;
    int holder = path ? open_holder(top, path, false, &name) : -1;
    int fd = path ? holder < 0 ? -1 : enter(holder, name, false)
                  : open(top, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
    if (fd < 0 && errno == EACCES && holder >= 0)
        fd = enter_locked(holder, name);
    if (fd >= 0 && path)
        unlock(fd);
    int failed = fd < 0 ? errno : empty(fd);
    if (!failed && path && unlinkat(holder, name, AT_REMOVEDIR))
        failed = errno;
    if (fd >= 0)
        close(fd);
    if (holder >= 0)
        close(holder);
    return failed == ENOENT ? 0 : failed;
}

const char *obb_below_error(int failed)
{
    return failed == ELOOP    ? "a symbolic link is in the way, and nothing is written or removed through one"
           : failed == EINVAL ? "it does not lie in the output folder"
                              : strerror(failed);
}
