/* The command line asks for POSIX alone; this file needs what systems have beyond it. Some have a feature
 * macro for that; macOS and the BSDs declare everything when none is defined. */
#ifdef __linux__
#define _GNU_SOURCE /* flock(2), affinity: pthread_setaffinity_np(3), sched_getcpu(3) */
#else
#undef _POSIX_C_SOURCE
#endif

#include "base/system.h"

#include <ctype.h>
#include <errno.h>
#include <fcntl.h>
#include <pthread.h>
#include <stdio.h>
#include <string.h>
#include <sys/file.h>
#include <sys/resource.h>
#include <sys/wait.h>
#include <unistd.h>

#ifdef __linux__
#include <sched.h>
#include <sys/syscall.h>
#elif defined __APPLE__ || defined __FreeBSD__ || defined __NetBSD__
#include <sys/sysctl.h>
#include <sys/time.h>
#endif

/* POSIX.1-2008 has st_mtim, as Linux and the BSDs have it; macOS has a name of its own. */
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

mode_t obb_entry_type(const struct dirent *entry)
{
#ifdef DT_REG
    return entry->d_type == DT_REG ? S_IFREG : entry->d_type == DT_DIR ? S_IFDIR : 0;
#else
    (void)entry;
    return 0;
#endif
}

bool obb_lock_descriptor(int fd, bool wait)
{
    int code;
    do
        code = flock(fd, wait ? LOCK_EX : LOCK_EX | LOCK_NB);
    while (code && errno == EINTR && wait);
    return code == 0;
}

int obb_rename_at(int from_folder, const char *from, int to_folder, const char *to)
{
#ifdef SYS_renameat2
    enum { EXCHANGE = 2 }; /* RENAME_EXCHANGE of renameat2(2), which old C libraries do not declare */
    if (syscall(SYS_renameat2, from_folder, from, to_folder, to, EXCHANGE) == 0) {
        if (unlinkat(from_folder, from, 0) == 0)
            return 0;
        syscall(SYS_renameat2, from_folder, from, to_folder, to,
                EXCHANGE); /* it was a folder, or cannot be removed */
    }
#endif
    return renameat(from_folder, from, to_folder, to);
}

int obb_open_without_links(const char *path)
{
#ifdef SYS_openat2
    enum { NO_SYMLINKS = 4 }; /* RESOLVE_NO_SYMLINKS of openat2(2), which old C libraries do not declare */
    const struct {
        uint64_t flags, mode, resolve;
    } how = {O_RDONLY | O_DIRECTORY | O_CLOEXEC, 0, NO_SYMLINKS};
    return (int)syscall(SYS_openat2, AT_FDCWD, path, &how, sizeof how);
#else
    (void)path;
    errno = ENOSYS;
    return -1;
#endif
}

void obb_ask_for_short_turns(void)
{
#if defined SYS_sched_getattr && defined SYS_sched_setattr
    enum { USUAL_POLICY = 0, RESET_ON_FORK = 1, TURN = 100000 }; /* nanoseconds: the least that counts */
    struct {
        uint32_t size, policy;
        uint64_t flags;
        int32_t nice;
        uint32_t priority;
        uint64_t runtime, deadline, period;
    } turn = {.size = 0};
    if (syscall(SYS_sched_getattr, 0, &turn, sizeof turn, 0) || turn.policy != USUAL_POLICY || turn.nice < 0)
        return; /* who has more than the usual would not hand it on to children that are reset */
    turn.flags = RESET_ON_FORK;
    turn.runtime = TURN;
    syscall(SYS_sched_setattr, 0, &turn, 0);
#endif
}

/* By /proc (proc(5) of Linux). Elsewhere there is no such folder, or none with `fd` in it. */
bool obb_find_holder(const struct stat *file, char *name, size_t room)
{
    DIR *all = opendir("/proc");
    bool found = false;
    for (struct dirent *d; all && !found && (d = readdir(all));) {
        char path[300], command[100] = "";
        struct stat s;
        snprintf(path, sizeof path, "/proc/%s/fd/3", d->d_name);
        found = isdigit((unsigned char)d->d_name[0]) && stat(path, &s) == 0 && s.st_ino == file->st_ino &&
                s.st_dev == file->st_dev;
        if (!found)
            continue;
        snprintf(path, sizeof path, "/proc/%s/comm", d->d_name);
        int fd = open(path, O_RDONLY | O_CLOEXEC);
        ssize_t n = fd < 0 ? 0 : read(fd, command, sizeof command - 1);
        if (fd >= 0)
            close(fd);
        command[n > 0 ? n - 1 : 0] = 0;
        snprintf(name, room, "`%s`, process %s", *command ? command : "a command", d->d_name);
    }
    if (all)
        closedir(all);
    return found;
}

const char *obb_boot_name(obb_arena *arena)
{
    char name[100] = "";
#ifdef __linux__
    int fd = open("/proc/sys/kernel/random/boot_id", O_RDONLY | O_CLOEXEC);
    ssize_t n = fd < 0 ? 0 : read(fd, name, sizeof name - 1);
    if (fd >= 0)
        close(fd);
    name[n > 0 ? n : 0] = 0;
#elif defined __APPLE__
    size_t length = sizeof name - 1;
    if (sysctlbyname("kern.bootsessionuuid", name, &length, NULL, 0))
        *name = 0;
#elif defined __FreeBSD__ || defined __NetBSD__
    struct timeval began; /* moves when the clock is set: then outputs are looked at once too often */
    size_t length = sizeof began;
    if (sysctlbyname("kern.boottime", &began, &length, NULL, 0) == 0)
        snprintf(name, sizeof name, "%lld.%06ld", (long long)began.tv_sec, (long)began.tv_usec);
#endif
    return obb_arena_copy(arena, name, strcspn(name, "\n"));
}

/* Where wait4(2) is: Linux counts in kilobytes, the BSDs as well, macOS in bytes. */
pid_t obb_ended_child(pid_t child, int *status, uint64_t *memory)
{
    struct rusage usage = {.ru_maxrss = 0};
    pid_t ended = wait4(child, status, WNOHANG, &usage);
#ifdef __APPLE__
    const uint64_t unit = 1;
#else
    const uint64_t unit = 1024;
#endif
    *memory = ended == child ? (uint64_t)usage.ru_maxrss * unit : 0;
    return ended;
}

/* The number behind a word of a file of the system; 0: there is none. (libuv could tell, but ends the program
 * when such a file cannot be closed.) */
static uint64_t number_in(const char *path, const char *word, uint64_t unit)
{
    char text[4096];
    unsigned long long number = 0;
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t n = fd < 0 ? -1 : read(fd, text, sizeof text - 1);
    if (fd >= 0)
        close(fd);
    text[n > 0 ? n : 0] = 0;
    const char *at = strstr(text, word);
    return at && sscanf(at + strlen(word), " %llu", &number) == 1 ? number * unit : 0;
}

/* proc(5) of Linux; the control groups of both versions (cgroups(7)), as a container sees its own. */
uint64_t obb_memory_at_hand(void)
{
    static const char *const limits[] = {"/sys/fs/cgroup/memory.max",
                                         "/sys/fs/cgroup/memory/memory.limit_in_bytes"};
    uint64_t there = number_in("/proc/meminfo", "MemAvailable:", 1024);
    for (size_t i = 0; i < sizeof limits / sizeof *limits; i++) {
        uint64_t limit = number_in(limits[i], "", 1);
        there = limit && limit < there ? limit : there;
    }
    return there;
}

/* Linux may let a new thread wait, two to four milliseconds, for the processor of the one that began it while
 * another is idle (seen on virtual machines, which take an idle processor for one that the host has taken
 * away). So it is moved to another processor, and may then run wherever the process may. */
static void send_to_another_processor(uv_thread_t thread)
{
#ifdef __linux__
    cpu_set_t all, others;
    int here = sched_getcpu();
    if (here < 0 || sched_getaffinity(0, sizeof all, &all) || CPU_COUNT(&all) < 2)
        return;
    others = all;
    CPU_CLR((size_t)here, &others);
    if (pthread_setaffinity_np(thread, sizeof others, &others) == 0)
        pthread_setaffinity_np(thread, sizeof all, &all);
#else
    (void)thread;
#endif
}

bool obb_thread_begin(uv_thread_t *thread, void (*work)(void *self), void *self)
{
    if (uv_thread_create(thread, work, self))
        return false;
    send_to_another_processor(*thread);
    return true;
}
