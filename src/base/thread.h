/* A thread that works beside the one that begins it, for milliseconds. */
#ifndef OBB_BASE_THREAD_H
#define OBB_BASE_THREAD_H

#include <stdbool.h>
#include <uv.h>

/* False: there is none to be had. It is waited for with uv_thread_join. */
bool obb_thread_begin(uv_thread_t *thread, void (*work)(void *self), void *self);

#endif
