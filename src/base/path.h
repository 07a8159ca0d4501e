/* Paths as text.
 *
 * Inside Obbligato a path is relative to the project's root folder (which is the working
 * folder of the process) when it lies below it, and absolute otherwise; it is normal: no
 * empty part, no `.`, and `..` only at the front. The root itself is ".".
 */
#ifndef OBB_BASE_PATH_H
#define OBB_BASE_PATH_H

#include <stdbool.h>

#include "base/arena.h"

/* `path` seen from `folder` (absolute paths stay), made normal. `..` is taken away as text,
 * which is what a reader of a description means by it. */
char *obb_path_join(obb_arena *arena, const char *folder, const char *path);

/* The same, but `..` is resolved as text only after a part that `droppable` accepts; it is asked with the
 * path up to there. Otherwise both are kept for the system to resolve. */
char *obb_path_join_by(obb_arena *arena, const char *folder, const char *path,
                       bool (*droppable)(void *self, const char *path), void *self);

/* The folder of a path ("." when it has none), and the part behind the last slash. */
char *obb_path_folder(obb_arena *arena, const char *path);
const char *obb_path_name(const char *path);

/* The suffix of the name with its dot ("" when it has none). */
const char *obb_path_suffix(const char *path);

/* True when the path leaves the root: absolute, or starting with `..`. */
bool obb_path_outside(const char *path);

/* Whether a path lies below a folder, both of the same form. */
bool obb_path_within(const char *path, const char *folder);

/* Whether a symbolic link at `path` stays below the top that the path is seen from, whatever other such links
 * there are: `..` leads up from real folders alone, so it may stand only at the beginning of the target. */
bool obb_path_link_stays(obb_arena *arena, const char *path, const char *target);

/* Where the sources of third-party code that was fetched are, below the output folder. */
#define OBB_FETCHED_FOLDER "thirdparty"

/* Whether a path lies in an output folder and is made by builds: not a source that was fetched. */
bool obb_path_is_output(const char *path, const char *out);

/* A path as it is seen from a folder, by their texts (both normal and seen from the root, the folder below
 * it). */
const char *obb_path_from(obb_arena *arena, const char *folder, const char *path);

/* Whether `name` is the path, or the end of it behind a slash. */
bool obb_path_ends(const char *path, const char *name);

/* An absolute path made relative to `root` (absolute, normal) when it lies below it. */
char *obb_path_below(obb_arena *arena, const char *root, const char *path);

/* Whether `path` matches `pattern`: `*` and `?` within a part, `[...]` sets, `**` for any
 * number of whole parts. */
bool obb_path_matches(const char *pattern, const char *path);

/* What the parts of a pattern that have wildcards stand for in a path that it matches, joined by slashes; the
 * last part always, and without its suffix. NULL: it does not match. */
char *obb_path_matched_parts(obb_arena *arena, const char *pattern, const char *path);
bool obb_path_is_pattern(const char *path);

/* Makes the folders that `path` needs above it. 0, or an errno value. */
int obb_path_make_folders(const char *path);

#endif
