#include "state/lock.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"

static bool try_lock(int fd, bool wait)
{
    int code;
    do
        code = flock(fd, wait ? LOCK_EX : LOCK_EX | LOCK_NB);
    while (code && errno == EINTR && wait);
    return code == 0;
}

static void tell_who_waits(int fd, void (*waiting)(void *, const char *), void *self)
{
    char holder[200] = "";
    ssize_t n = pread(fd, holder, sizeof holder - 1, 0);
    holder[n > 0 ? n : 0] = 0;
    if (waiting)
        waiting(self, holder);
}

/* The lock file may be taken away by the one who held it (when all is cleaned). */
static bool still_there(int fd, const char *path)
{
    struct stat mine, now;
    return fstat(fd, &mine) == 0 && stat(path, &now) == 0 && mine.st_ino == now.st_ino;
}

/* Above the descriptors that a command is given (see obb_state_lock). */
static int open_high(const char *path)
{
    int fd = open(path, O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    int high = fd < 0 ? -1 : fcntl(fd, F_DUPFD_CLOEXEC, 10);
    if (fd >= 0)
        close(fd);
    return high;
}

static bool open_lock(obb_lock *l, const char *path)
{
    l->fd = obb_path_make_folders(path) ? -1 : open_high(path);
    return l->fd >= 0;
}

static void look_for_note(obb_lock *l)
{
    char note;
    l->broken_off = pread(l->fd, &note, 1, 0) == 1;
}

static void leave_note(obb_lock *l)
{
    char note[60];
    int length = snprintf(note, sizeof note, "process %ld", (long)getpid());
    bool noted = ftruncate(l->fd, 0) == 0 && pwrite(l->fd, note, (size_t)length, 0) == length;
    (void)noted; /* it is for people, and for the next build to look for leftovers */
}

bool obb_lock_take(obb_lock *l, const char *path, void (*waiting)(void *, const char *), void *self)
{
    for (;;) {
        if (!open_lock(l, path))
            return false;
        if (!try_lock(l->fd, false)) {
            tell_who_waits(l->fd, waiting, self);
            waiting = NULL; /* said once */
            if (!try_lock(l->fd, true))
                return false;
        }
        if (still_there(l->fd, path))
            break;
        close(l->fd);
    }
    look_for_note(l);
    leave_note(l);
    return true;
}

bool obb_lock_take_at_once(obb_lock *l, const char *path)
{
    bool mine = open_lock(l, path) && try_lock(l->fd, false) && still_there(l->fd, path);
    if (mine)
        look_for_note(l);
    if (mine && !l->broken_off) {
        leave_note(l);
        return true;
    }
    if (l->fd >= 0)
        close(l->fd);
    l->fd = -1;
    return false;
}

void obb_lock_release(obb_lock *l)
{
    if (l->fd < 0)
        return;
    bool cleared = ftruncate(l->fd, 0) == 0;
    (void)cleared; /* if not, the next build looks for leftovers in vain */
    close(l->fd);
    l->fd = -1;
}
