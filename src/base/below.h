/* Writing and removing below a folder, whatever stands there: every step of the way down is taken by a
 * descriptor, and no symbolic link is followed. So a link that somebody put into the output folder changes
 * nothing elsewhere.
 *
 * `top` is the output folder, which may itself be reached by links; `path` lies below it, both seen from the
 * working folder. Errors are errno values: EINVAL when the path does not lie below, ELOOP when a link is in
 * the way.
 */
#ifndef OBB_BASE_BELOW_H
#define OBB_BASE_BELOW_H

#include <stdbool.h>
#include <stddef.h>

/* Makes the folders that the path needs. 0, or an errno value. */
int obb_below_make_folders(const char *top, const char *path);

/* Removes a file, or a link; nothing there is not an error. A folder is EISDIR. */
int obb_below_remove(const char *top, const char *path);

/* Removes the folders above a path that are empty, up to `top`. */
void obb_below_remove_empty(const char *top, const char *path);

/* Renames a file; both lie below. */
int obb_below_rename(const char *top, const char *from, const char *to);

/* Gives a file another name. */
int obb_below_link(const char *top, const char *from, const char *to);

/* Whether a path lies below by its text: no dot-dot in it. */
bool obb_below_lies(const char *top, const char *path);

/* Removes a folder below, or (`path` NULL) all that is in `top`; links in it are removed, not followed.
 * Folders in it that are locked (as some tools unpack them) are opened for that; `top` is not. 0, or an errno
 * value. */
int obb_below_remove_all(const char *top, const char *path);

/* What an errno value of these means, for users. */
const char *obb_below_error(int failed);

#endif
