/* This person's own folders (own.h). */
#include "base/own.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

int obb_own_make(const char *folder)
{
    char *copy = strdup(folder);
    int failed = copy ? 0 : ENOMEM;
    for (char *slash = copy ? strchr(copy + 1, '/') : NULL; copy && !failed; slash = strchr(slash + 1, '/')) {
        if (slash)
            *slash = 0;
        if (mkdir(copy, 0700) && errno != EEXIST)
            failed = errno;
        if (!slash)
            break;
        *slash = '/';
    }
    free(copy);
    return failed;
}

obb_ownership obb_own_of(const struct stat *s)
{
    if (s->st_uid != geteuid())
        return OBB_SOMEBODY_ELSES;
    return s->st_mode & (S_IWGRP | S_IWOTH) ? OBB_OPEN_TO_OTHERS : OBB_OWN;
}

obb_ownership obb_own_folder(const char *folder)
{
    struct stat there;
    int failed = obb_own_make(folder);
    if (!failed && stat(folder, &there))
        failed = errno;
    if (!failed && !S_ISDIR(there.st_mode))
        failed = ENOTDIR;
    errno = failed;
    obb_ownership own = failed ? OBB_NO_FOLDER : obb_own_of(&there);
    if (own == OBB_OWN && there.st_mode & 077)
        chmod(folder, 0700);
    return own;
}
