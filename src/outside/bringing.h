/* One fetch while it goes on: what all parts of it share. Only src/outside uses this header.
 *
 * A job is one third-party project, or the repository of an index. It goes from part to part: judged, its
 * archive brought, unpacked; each may fail it, with an error told, and the rest leave it alone from then on.
 * Memory is the arena's. */
#ifndef OBB_OUTSIDE_BRINGING_H
#define OBB_OUTSIDE_BRINGING_H

#include "outside/fetch.h"

/* The prefix of what is being made in OUT/thirdparty. */
#define OBB_BRING_TEMPORARY ".new-"

typedef enum obb_need { OBB_NEEDS_NOTHING, OBB_NEEDS_FETCH, OBB_NEEDS_ANEW } obb_need;

/* One third-party project while it is brought. */
typedef struct obb_bring_job {
    const obb_thirdparty *other;
    const obb_fetched *f;
    const obb_lock_line *locked; /* what the lock file knows of it; or NULL */
    obb_tree tree;               /* its record, unless it is missing; then the new one */
    obb_need need;
    const char *why;             /* of OBB_NEEDS_ANEW, for users */
    const char *archive;         /* the file that holds it; NULL: not there yet */
    const char *from;            /* the place that it came from */
    uint64_t bytes;              /* that were downloaded */
    obb_tree_edits edits;        /* in the tree that is there, when it must be unpacked anew */
    const char *unread;          /* why they cannot be told; or NULL */
    bool failed;
} obb_bring_job;

typedef struct obb_bringing {
    obb_arena *arena;
    const obb_project *project;
    obb_files *files;
    const obb_fetch_request *request;
    const obb_fetch_observer *observer;
    obb_diags *diags;
    const char *top; /* OUT/thirdparty */
    OBB_VEC(obb_bring_job) jobs;
    OBB_VEC(obb_lock_line) entries; /* of indexes: lines of the lock file */
    bool interrupted;
} obb_bringing;

/* judging.c: what must be done. The jobs of a project, each judged; the sums of a job's patches as they are
 * now. */
void obb_bring_list(obb_bringing *bringing);
bool obb_bring_sum_patches(obb_arena *arena, obb_files *files, const obb_fetched *fetched, obb_tree *tree);
const char *obb_bring_wanted_sum(const obb_bring_job *job); /* NULL: none is known */
const char *obb_bring_version(const obb_thirdparty *other); /* as the lock file has it */
const char *obb_bring_name(const obb_bringing *bringing, const obb_bring_job *job); /* for users */
obb_diag *obb_bring_fail(obb_bringing *bringing, obb_bring_job *job, const char *message, const char *what);

/* archives.c: the archives of all jobs that need one. */
void obb_bring_archives(obb_bringing *bringing);
/* A folder of this person's alone, made; NULL: there is none that can be trusted, and the job has failed. */
const char *obb_bring_cache(obb_bringing *bringing, obb_bring_job *job, const char *what);
void obb_bring_wrong_sum(obb_bringing *bringing, obb_bring_job *job, const char *from, const char *is);

/* entries.c: files of indexes on web servers. Whether something came; and one that is there is compared. */
bool obb_bring_index_files(obb_bringing *bringing);
void obb_bring_check_entry(obb_bringing *bringing, const obb_index_file *file);

/* unpacking.c: the tree of a job, in a new folder or in its place; what is left of earlier runs. */
char *obb_bring_new_folder(obb_bringing *bringing, obb_bring_job *job);
const char *obb_bring_make_tree(obb_bringing *bringing, obb_bring_job *job, const char *folder);
void obb_bring_unpack(obb_bringing *bringing, obb_bring_job *job);
void obb_bring_sweep(const obb_bringing *bringing);
/* Removes what was made there, or what stood in its place: a link is not followed. */
void obb_bring_drop(const obb_bringing *bringing, const char *path);
void obb_bring_find_edits(obb_bringing *bringing, obb_bring_job *job);
void obb_bring_edits_in_the_way(obb_bringing *bringing, obb_bring_job *job);

#endif
