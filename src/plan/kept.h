/* A plan in a form that is read in place: what state/ready.h keeps beside what the plan depended
 * on. When only contents of files changed, the actions that they reach are taken out of it and
 * become a plan of their own, without reading a description, asking a tool or planning anew.
 *
 * The bytes are tables of 32-bit numbers in the byte order of the machine, behind a header; lists
 * and strings are offsets. Files have the numbers that ready.h gave them.
 */
#ifndef OBB_PLAN_KEPT_H
#define OBB_PLAN_KEPT_H

#include "plan/plan.h"

/* Adds the wanted actions of a plan that was carried out whole. `fixed` tells, by file number,
 * whose contents decided the plan itself; `long_way` by action number, which of them need the
 * project to be finished. `left_out` is what people are told is left out: for each line the
 * targets, the variant and the reason. */
void obb_kept_plan_write(const obb_plan *plan, const bool *wanted, const bool *fixed, size_t fixed_count,
                         const bool *long_way, const obb_words *left_out, obb_text *bytes);

typedef struct obb_kept_plan obb_kept_plan;

/* Opens the bytes, which must outlive it; NULL when they are not sound. */
obb_kept_plan *obb_kept_plan_open(const void *bytes, size_t length, obb_arena *arena);

/* How files of the kept plan become files of this run, and back. */
typedef struct obb_kept_files {
    void *self;
    obb_file (*tell)(void *self, obb_file kept);   /* known, unless it changed */
    obb_file (*number)(void *self, obb_file file); /* the kept one of a file */
} obb_kept_files;

/* Whether the changed files (kept numbers) are all inputs or outputs of actions and of nothing
 * else, so that a part is enough. */
bool obb_kept_plan_reaches(obb_kept_plan *kept, const obb_file_list *changed);

/* The part that the changed files reach: their users, and what uses the products of those. All
 * of it is wanted, and its compiles are not scanned yet. Targets of it have a kind and a
 * name, variants a name, and nothing else; there is no project. The plan lives in the arena. */
obb_plan *obb_kept_plan_part(obb_kept_plan *kept, const obb_kept_files *files_of, obb_arena *arena, obb_files *files,
                             obb_toolchains *toolchains, obb_scanner *scanner, const char *out);

size_t obb_kept_plan_count(const obb_kept_plan *kept); /* actions in all */
void obb_kept_plan_variants(const obb_kept_plan *kept, obb_arena *arena, obb_words *names);
void obb_kept_plan_left_out(const obb_kept_plan *kept, obb_arena *arena, obb_words *left_out);

/* The bytes with what the part's actions were found to read; none when they have been renewed so
 * often that it is better to write them anew, or when the order of actions is another one now. */
void obb_kept_plan_renew(const obb_kept_plan *kept, const obb_plan *part, const obb_kept_files *files_of,
                         obb_text *bytes);

#endif
