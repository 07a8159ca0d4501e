/* Bringing third-party code that is not in the project: what is missing is downloaded, compared with the lock
 * file, unpacked beside its place, patched, and renamed into it. So a tree is there as a whole or not at all,
 * and the next run goes on where a broken one ended.
 *
 * A tree with edits is never replaced or removed: that is an error, unless whoever calls says that they may
 * be dropped. Archives are kept by their sums below ~/.cache/obbligato/downloads, for all projects;
 * repositories below
 * ~/.cache/obbligato/repositories.
 */
#ifndef OBB_OUTSIDE_FETCH_H
#define OBB_OUTSIDE_FETCH_H

#include "outside/fetcher.h"
#include "outside/tree.h"

/* Each may be NULL. */
typedef struct obb_fetch_observer {
    void *self;
    void (*waiting)(void *self, const char *folder, const char *holder); /* another process fetches */
    void (*progress)(void *self, const obb_download *downloads, size_t count);
    void (*brought)(void *self, const obb_thirdparty *other, const char *from, uint64_t bytes); /* it is there
                                                              now; bytes 0: nothing had to be downloaded */
    void (*recorded)(void *self, const char *name,
                     const char *version); /* its sum was written for the first time */
} obb_fetch_observer;

typedef struct obb_fetch_request {
    bool allowed;           /* false: what is missing is an error */
    bool offline;           /* nothing may be downloaded */
    bool locked;            /* a change of the lock file is an error */
    bool newest;            /* branches are looked at anew */
    bool drop_edits;
    const obb_words *names; /* only these; NULL or none: all */
} obb_fetch_request;

typedef enum obb_fetch_result {
    OBB_FETCH_NOTHING,     /* nothing was brought: all was there, or errors say why not */
    OBB_FETCH_BROUGHT,     /* the project must be read again */
    OBB_FETCH_INTERRUPTED  /* the user ended it */
} obb_fetch_result;

/* Brings what the project states. Errors go to `diags`. Memory is the arena's. */
obb_fetch_result obb_fetch(obb_arena *arena, const obb_project *project, obb_files *files,
                           const obb_fetch_request *request, const obb_fetch_observer *observer,
                           obb_diags *diags);

/* The lists of versions of indexes on web servers are fetched again by the next reading. */
void obb_forget_versions(obb_arena *arena, const char *out);

/* Whether all of it is there, as it is described, and the lock file says so. */
bool obb_fetch_is_settled(obb_arena *arena, const obb_project *project, obb_files *files);

/* The differences of a third-party project's tree from what was fetched and patched. NULL, or why they cannot
 * be told. */
const char *obb_list_edits(obb_arena *arena, const obb_thirdparty *other, obb_tree_edits *edits);

/* The same as one unified diff, seen from the tree, added to `diff`; the original files are unpacked again
 * for it. Errors go to `diags`; false then. */
bool obb_diff_edits(obb_arena *arena, const obb_project *project, obb_files *files,
                    const obb_thirdparty *other, obb_text *diff, obb_diags *diags);

/* Trees below an output folder that may hold edits: what is in them is not what is recorded, or nothing is.
 */
void obb_list_edited_trees(obb_arena *arena, const char *out, obb_words *trees);

#endif
