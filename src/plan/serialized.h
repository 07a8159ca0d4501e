/* A plan in a form that is read in place: what state/snapshot.h keeps beside what the plan depended
 * on. When only contents of files changed, the actions that they reach are taken out of it and
 * become a plan of their own, without reading a description, asking a tool or planning anew.
 *
 * The bytes are tables of 32-bit numbers in the byte order of the machine, behind a header; lists
 * and strings are offsets. Files have the numbers that the snapshot gave them.
 */
#ifndef OBB_PLAN_SERIALIZED_H
#define OBB_PLAN_SERIALIZED_H

#include "plan/dependencies.h"

/* What is kept with a plan that was carried out. */
typedef struct obb_plan_facts {
    const bool *wanted;       /* by action: it belongs to what was built */
    const bool *fixed;        /* by file, so many of them: its contents decided the plan itself */
    size_t fixed_count;
    const bool *budgeted;     /* by action: of a program, its size was compared with budgets; NULL: of none */
    const obb_words *left_out; /* what users are told is left out: for each line the targets, the
                                  variant and the reason */
    const obb_words *far;     /* the far store, as obb_far_place_of reads it */
    obb_fingerprint wanted_targets; /* of which targets are built in which variants */
} obb_plan_facts;

/* Adds the wanted actions of a plan that was carried out whole, with what is known of them by now. */
void obb_serialized_plan_write(const obb_dependency_table *table, const obb_plan_facts *facts,
                               obb_text *bytes);

typedef struct obb_serialized_plan obb_serialized_plan;

/* The bytes of one. They are looked at as they are needed, since mostly few of them are. */
typedef struct obb_plan_bytes {
    const void *at;
    size_t length;
    bool (*vouch)(void *self, const void *at, size_t length); /* whether these are as they were written; NULL:
                                                                 all are */
    void *self;
} obb_plan_bytes;

/* Opens the bytes, which must outlive it; NULL when they are not sound. */
obb_serialized_plan *obb_serialized_plan_open(const obb_plan_bytes *bytes, obb_arena *arena);

/* Whether all that was read of it so far was sound: otherwise what it told is of no use, and nothing more is
 * read. And whether all of it is. */
bool obb_serialized_plan_is_sound(const obb_serialized_plan *kept);
bool obb_serialized_plan_is_whole(const obb_serialized_plan *kept);

/* How files of the serialized plan become files of this run, and back. */
typedef struct obb_file_mapping {
    void *self;
    obb_file (*tell)(void *self, obb_file kept);   /* known, unless it changed */
    obb_file (*number)(void *self, obb_file file); /* the kept one of a file */
} obb_file_mapping;

/* Whether that a file is there decided what the plan is: something else than a scan found it. */
bool obb_serialized_plan_rests_on(const obb_serialized_plan *kept, obb_file file);

/* Finds the actions that changed files (by the snapshot's numbers) reach; files that no action reads or makes
 * are added to `others` (the arena's). False: they change more than actions, so that a subplan is not enough.
 */
bool obb_serialized_plan_reaches(obb_serialized_plan *kept, const obb_file_list *changed,
                                 obb_file_list *others);

size_t obb_serialized_plan_reached(const obb_serialized_plan *kept); /* how many actions */

/* The subplan that the changed files reach: their users, and what uses the products of those. All of it is
 * wanted, and its compiles are not scanned yet. Targets of it have a kind and a name, variants a name, and
 * nothing else; there is no project. Of the input, what is about projects and variants does not count. */
obb_plan *obb_serialized_plan_subplan(obb_serialized_plan *kept, const obb_file_mapping *files_of,
                                      const obb_plan_input *input);

size_t obb_serialized_plan_count(const obb_serialized_plan *kept); /* actions in all */
void obb_serialized_plan_variants(const obb_serialized_plan *kept, obb_arena *arena, obb_words *names);
void obb_serialized_plan_left_out(const obb_serialized_plan *kept, obb_arena *arena, obb_words *left_out);
void obb_serialized_plan_far(const obb_serialized_plan *kept, obb_arena *arena, obb_words *far);

/* Whether the edited descriptions of a project differ from those of the serialized plan in nothing but the
 * statements of targets, which are the same ones. */
bool obb_serialized_plan_fits(const obb_serialized_plan *kept, const obb_project *project);

/* Marks which targets the edit reaches (those with another statement than before, and all that use them), and
 * of which the sources must be known to plan these, in the scope of the input; so does a source that is new
 * or gone. False: other targets are wanted than before (`wanted` is their fingerprint), or it reaches some
 * that cannot be planned without all others (steps, what uses steps, shared libraries). */
bool obb_serialized_plan_compare(const obb_serialized_plan *kept, const obb_plan_input *input,
                                 obb_fingerprint wanted);

/* After obb_serialized_plan_reaches: the wanted actions of a plan of these targets take the place of the kept
 * ones, and what uses their products is reached. Kept ones that are not among them are dropped; false:
 * something else uses what these made. */
bool obb_serialized_plan_replace(obb_serialized_plan *kept, const obb_plan *plan, const bool *wanted,
                                 const bool *targets, const obb_file_mapping *files_of);

/* Whether a planned action (by its number) is a compile with the command, the tools and the inputs of the
 * kept one: it is up to date. */
bool obb_serialized_plan_settled(const obb_serialized_plan *kept, size_t number);

/* How many of the planned actions make files that none of the kept ones does; how many kept ones are
 * dropped, and all that these made (added to `made`, which is the plan's arena's). */
size_t obb_serialized_plan_new(const obb_serialized_plan *kept);
size_t obb_serialized_plan_dropped(const obb_serialized_plan *kept);
void obb_serialized_plan_list_dropped(const obb_serialized_plan *kept, const obb_file_mapping *files_of,
                                      const obb_plan *plan, obb_file_list *made);

/* Adds the reached actions that were not planned again to that plan. */
void obb_serialized_plan_join(obb_serialized_plan *kept, const obb_file_mapping *files_of, obb_plan *plan);

/* The bytes with what the part's actions were found to read, and with the planned ones and the facts of their
 * plan in place of the former (`facts` NULL: none was planned; of `wanted`, the planned actions count).
 * Nothing when they have been renewed so often that it is better to write them anew, when the order of
 * actions changed, when there are new or dropped ones, or when the bytes are damaged. */
void obb_serialized_plan_renew(const obb_serialized_plan *kept, const obb_dependency_table *part,
                               const obb_plan_facts *facts, const obb_file_mapping *files_of,
                               obb_text *bytes);

#endif
