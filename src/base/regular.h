/* Files as the system has them. Only regular ones are read: what stands in a pipe or a device is gone once it
 * is read, and may have no end. */
#ifndef OBB_BASE_REGULAR_H
#define OBB_BASE_REGULAR_H

#include <sys/stat.h>

/* Opens a file for reading; -1 with errno (EISDIR for a folder, EINVAL for what is not a regular file;
 * /dev/null counts as one). */
int obb_open_regular(const char *path, struct stat *s);

#endif
