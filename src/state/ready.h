/* The short way to "nothing to do": everything that the last complete look depended on, in
 * one file that is read in place and compared with the disk.
 *
 * It holds every file that was looked at, with its stamp; for places where nothing was found,
 * the nearest folder above that exists, with the stamp that changes when something is put
 * into it; and files whose stamp cannot be trusted yet, with their fingerprint. When all of
 * it is as it was, the same question has the same answer. When anything differs, the caller
 * looks at everything anew.
 *
 * Layout, in the byte order of the machine: a header, `count` entries of 64 bytes, then the
 * paths (each ends with NUL), then the message. The seal is XXH3-64 of all behind it.
 */
#ifndef OBB_STATE_READY_H
#define OBB_STATE_READY_H

#include "base/files.h"

/* Whether all is as it was for this key; `message` then gets what was kept with it, and
 * `looks` the number of places looked at. */
bool obb_ready_holds(const char *path, obb_print key, obb_text *message, size_t *looks);

/* Keeps all that `files` knows. `since` is when the first look was taken (nanoseconds since
 * 1970): nothing is kept when a folder changed so shortly before it that a further change
 * might not show. */
void obb_ready_write(const char *path, obb_print key, obb_files *files, int64_t since,
                     const char *message);

#endif
