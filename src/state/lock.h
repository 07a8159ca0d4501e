/* One writer for an output folder: a lock on a file (flock), with a note of who holds it. Only
 * src/state uses this header.
 *
 * The lock is passed on to the commands that a build starts. So when a build is killed, the next
 * one waits until its last command has ended too, and none of them writes in between. The note
 * stays when a build is killed: an orderly end leaves none.
 */
#ifndef OBB_STATE_LOCK_H
#define OBB_STATE_LOCK_H

#include <stdbool.h>

typedef struct obb_lock {
    int fd;          /* -1: not held */
    bool broken_off; /* the last holder did not end in order */
} obb_lock;

/* Takes it, and waits for whoever holds it: `waiting` (may be NULL) is called once, with the note.
 * False with errno when it cannot be had. */
bool obb_lock_take(obb_lock *lock, const char *path, void (*waiting)(void *self, const char *holder),
                   void *self);

/* Takes it when nobody holds it and the last one who did ended in order; else leaves all as it is. */
bool obb_lock_take_at_once(obb_lock *lock, const char *path);

/* Gives it back, in order. */
void obb_lock_release(obb_lock *lock);

#endif
