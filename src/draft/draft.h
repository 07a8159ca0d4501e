/* From a source tree to a description of it: a proposal that a person goes on with.
 *
 * It works from the sources alone. Each is compiled once, without optimization, into a temporary folder; its
 * object says what it defines and what it lacks. What defines `main` is a program, and what that needs
 * follows from the symbols. What several programs need, or none, becomes libraries, by folder. Include
 * folders are those in which includes are found that are found nowhere else; system libraries are those that
 * define what nothing here does. What is unsure is a comment with the reason.
 */
#ifndef OBB_DRAFT_DRAFT_H
#define OBB_DRAFT_DRAFT_H

#include "base/arena.h"
#include "base/text.h"
#include "base/vec.h"

typedef struct obb_draft_request {
    const char *name;      /* of the project */
    const char *database;  /* a JSON compilation database, from which flags come; or NULL */
    const obb_words *known; /* patterns of sources that a description has already; or NULL */
    unsigned jobs;
    void (*progress)(void *self, size_t done, size_t total);
    void *self;
} obb_draft_request;

typedef struct obb_draft_result {
    size_t sources, compiled;
    size_t programs, libraries, tests;
    obb_words notes; /* what a person should look at, a line each */
    bool interrupted; /* by a signal: nothing came of it */
} obb_draft_result;

/* Drafts the tree in the working folder. The description goes to `text`; empty when there is nothing to
 * describe. NULL, or why it cannot (in the arena, as everything else). */
const char *obb_draft(obb_arena *arena, const obb_draft_request *request, obb_text *text,
                      obb_draft_result *result);

#endif
