/* A build after each change that the file system reports (inotify, kqueue: by libuv). */
#ifndef OBB_BUILD_WATCH_H
#define OBB_BUILD_WATCH_H

#include "build/build.h"

/* All must be there. */
typedef struct obb_watch_observer {
    void *self;
    void (*waiting)(void *self, size_t folders); /* so many folders are watched, and nothing has changed
                                                    yet */
    void (*changed)(void *self, const obb_words *paths);        /* these did; a build follows */
    void (*begins)(void *self, obb_workspace *turn);            /* a build, in a workspace of its own */
    void (*ended)(void *self, obb_workspace *turn, const obb_build_outcome *outcome, int code);
} obb_watch_observer;

/* Builds, and again after each change, until a build is interrupted. `first` has been entered, and nothing
 * more; the workspaces of the builds have its request and its observer. The exit code of the last build. */
int obb_watch(obb_workspace *first, const obb_watch_observer *observer);

#endif
