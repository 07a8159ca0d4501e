/* The lock of an output folder (lock.h). The descriptor is kept above those that commands get, and is
 * inherited by them.
 *
 * Whoever holds the lock may write the state; readers take none. The kernel releases it with the last
 * process that inherited it, so it cannot outlive a crash. */
#include "state/lock.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/system.h"

/* The writer of the note may have ended, and its children hold the lock. */
static void tell_who_waits(int fd, void (*waiting)(void *, const char *), void *self)
{
    char holder[600] = "", command[400];
    long process = 0;
    struct stat file;
    ssize_t n = pread(fd, holder, sizeof holder - 1, 0);
    holder[n > 0 ? n : 0] = 0;
    bool ended = sscanf(holder, "process %ld", &process) == 1 && kill((pid_t)process, 0) && errno == ESRCH;
    if (ended && fstat(fd, &file) == 0 && obb_find_holder(&file, command, sizeof command))
        snprintf(holder, sizeof holder, "%s, which a build that has ended left running", command);
    else if (ended)
        snprintf(holder, sizeof holder,
                 "a command that a build left running, which has ended itself: process %ld", process);
    if (waiting)
        waiting(self, holder);
}

/* The lock file may be removed by its holder (when everything is cleaned). */
static bool still_there(int fd, const char *path)
{
    struct stat mine, now;
    return fstat(fd, &mine) == 0 && stat(path, &now) == 0 && mine.st_ino == now.st_ino;
}

/* Above the descriptors that a command is given (see obb_state_lock). */
static int open_high(const char *path)
{
    int fd = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0666);
    int high = fd < 0 ? -1 : fcntl(fd, F_DUPFD_CLOEXEC, 10), failed = errno;
    if (fd >= 0)
        close(fd);
    errno = failed == EINVAL ? EMFILE : failed; /* there may be no descriptors that high */
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
    (void)noted; /* it informs users, and makes the next build look for leftovers */
}

bool obb_lock_take(obb_lock *l, const char *path, void (*waiting)(void *, const char *), void *self)
{
    for (;;) {
        if (!open_lock(l, path))
            return false;
        if (!obb_lock_descriptor(l->fd, false)) {
            tell_who_waits(l->fd, waiting, self);
            waiting = NULL; /* said once */
            if (!obb_lock_descriptor(l->fd, true))
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
    bool mine = open_lock(l, path) && obb_lock_descriptor(l->fd, false) && still_there(l->fd, path);
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
    (void)cleared; /* if not, the next build looks for leftovers and finds none */
    close(l->fd);
    l->fd = -1;
}
