/* Loaded in front of the system's library (LD_PRELOAD), it sets the clock of a program a day ahead: for tests
 * of machines whose clocks are wrong. */
#define _GNU_SOURCE
#include <dlfcn.h>
#include <sys/time.h>
#include <time.h>

enum { DAY = 86400 };

int clock_gettime(clockid_t id, struct timespec *t)
{
    int (*real)(clockid_t, struct timespec *);
    *(void **)&real = dlsym(RTLD_NEXT, "clock_gettime");
    int result = real(id, t);
    if (result == 0 && id == CLOCK_REALTIME)
        t->tv_sec += DAY;
    return result;
}

int gettimeofday(struct timeval *restrict t, void *restrict zone)
{
    struct timespec now;
    (void)zone;
    int result = clock_gettime(CLOCK_REALTIME, &now);
    t->tv_sec = now.tv_sec;
    t->tv_usec = now.tv_nsec / 1000;
    return result;
}

time_t time(time_t *t)
{
    struct timespec now;
    clock_gettime(CLOCK_REALTIME, &now);
    if (t)
        *t = now.tv_sec;
    return now.tv_sec;
}
