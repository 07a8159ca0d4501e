#ifdef __linux__
#define _GNU_SOURCE /* affinity: pthread_setaffinity_np(3), sched_getcpu(3) */
#include <pthread.h>
#include <sched.h>
#endif

#include "base/thread.h"

/* Linux may let a new thread wait, two to four milliseconds, for the processor of the one that began it while
 * another is idle (seen on virtual machines, which take an idle processor for one that the host has taken away).
 * So it is sent to another one; then it may run wherever the process may. */
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
