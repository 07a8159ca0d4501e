/* Folders whose contents decide what is built, such as caches: they are this person's alone. */
#ifndef OBB_BASE_OWN_H
#define OBB_BASE_OWN_H

#include <stdbool.h>
#include <sys/stat.h>

typedef enum obb_ownership {
    OBB_OWN,            /* only this person can write it */
    OBB_SOMEBODY_ELSES, /* it belongs to another user */
    OBB_OPEN_TO_OTHERS, /* others can write into it */
    OBB_NO_FOLDER       /* it is not there and cannot be made, or is no folder: errno says why */
} obb_ownership;

/* Makes a folder, with those above it, for this person alone (0700); what is there stays as it is. 0, or an
 * errno value. */
int obb_own_make(const char *folder);

/* Of what is there. */
obb_ownership obb_own_of(const struct stat *s);

/* Makes it, and looks at it. One that is this person's is closed to the eyes of others. */
obb_ownership obb_own_folder(const char *folder);

#endif
