/* Files as the system has them. Only regular ones are read: what stands in a pipe or a device is gone once it is
 * read, and may have no end. */
#ifndef OBB_BASE_REGULAR_H
#define OBB_BASE_REGULAR_H

#include <stdint.h>
#include <sys/stat.h>

/* Opens a file for reading; -1 with errno (EISDIR for a folder, EINVAL for what is no regular file; /dev/null
 * counts as one). */
int obb_open_regular(const char *path, struct stat *s);

/* Nanoseconds since 1970. */
int64_t obb_modified_at(const struct stat *s);
int64_t obb_changed_at(const struct stat *s);

#endif
