/* Devices: an image onto one, and what one tells about itself, by the commands that the project states for
 * it. What is on a device, as far as it was loaded from here, is remembered. */
#ifndef OBB_BUILD_LOADING_H
#define OBB_BUILD_LOADING_H

#include "build/workspace.h"

/* Each may be NULL. */
typedef struct obb_talk_observer {
    void *self;
    void (*command)(void *self, const obb_words *argv);
    /* Lines of the form `N of M bytes` are progress of `what` (load, verify ...); all others are passed on.
     */
    void (*progress)(void *self, const char *what, uint64_t done, uint64_t total);
    void (*line)(void *self, const char *line);
    void (*ended)(void *self, const char *errors,
                  size_t length); /* of a command: what it wrote to standard error */
} obb_talk_observer;

typedef struct obb_talk {
    obb_workspace *w;          /* with a plan of one variant */
    const obb_device *device;
    const obb_talk_observer *observer;
    obb_words said;            /* lines that are not progress */
    const char *state;         /* afterwards: what is on the device, or "" */
} obb_talk;

/* The device of that name; NULL: the project's only one. NULL with the message told. */
const obb_device *obb_find_device(obb_workspace *w, const char *name);

/* The image of that name, when one variant is chosen; NULL with the message told. */
const obb_target *obb_find_image(obb_workspace *w, const char *name);

/* Where an image is loaded: as stated, or the first address of its program. 0, or an exit code. */
int obb_find_address(obb_workspace *w, const char *image, const char *stated, const char **address);

/* Loads the file of an image, verifies it and resets the device, as far as the device states how. 0, or an
 * exit code with the messages told. From the start until all of that has succeeded, the image on the device
 * counts as incomplete. */
int obb_load(obb_talk *talk, const char *name, const char *file, const char *address);

/* Asks the device what is on it. */
int obb_probe(obb_talk *talk);

#endif
