/* The tree of a third-party project that was fetched: what it was unpacked from, and the files that were in
 * it then, so that edits are told from what was fetched. It is kept in a file beside the tree,
 * NAME-VERSION.record; a tree without one was not finished, and is no tree.
 *
 * The record is text, a line each; paths are seen from the tree:
 *
 *     from archive sha256:SUM - - PLACE
 *     from repository sha256:SUM COMMIT REVISION PLACE
 *     patch sha256:SUM PATH                  in the order in which they were applied
 *     file sha256:SUM PATH                   and `program` in place of `file`: it can be executed
 *     link sha256:SUM PATH                   a symbolic link; the sum is that of its target's text
 */
#ifndef OBB_OUTSIDE_TREE_H
#define OBB_OUTSIDE_TREE_H

#include "project/project.h"

typedef struct obb_tree_file {
    const char *kind; /* "file", "program" or "link" */
    const char *sum, *path;
} obb_tree_file;

typedef struct obb_tree {
    obb_source_kind from;
    const char *sum, *commit, *revision; /* the latter two are "" of an archive */
    const char *place;        /* where it was fetched from: a URL or path */
    OBB_VEC(obb_tree_file) patches; /* of kind "patch" */
    OBB_VEC(obb_tree_file) files;   /* in order of their paths */
} obb_tree;

/* Reads a record; false when there is none that can be read. In the arena. */
bool obb_tree_read(const char *record, obb_arena *arena, obb_tree *tree);
void obb_tree_print(const obb_tree *tree, obb_text *text);

/* All files below a folder, with their sums, added to the tree. 0, or an errno value with the path. */
int obb_tree_list(const char *folder, obb_arena *arena, obb_tree *tree, const char **where);

/* The sum of all its files: SHA-256 of their lines of the record. */
const char *obb_tree_sum(const obb_tree *tree, obb_arena *arena);

/* What differs from its record, in order: edited, added or removed. 0, or an errno value with the path. */
typedef struct obb_tree_edit {
    const char *what; /* "edited", "added", "removed" */
    const char *path;
} obb_tree_edit;

typedef OBB_VEC(obb_tree_edit) obb_tree_edits;

int obb_tree_compare(const char *folder, const obb_tree *recorded, obb_arena *arena, obb_tree_edits *edits,
                     const char **where);

#endif
