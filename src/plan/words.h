/* Words of steps, tests and devices while they are planned: what their placeholders stand for becomes an
 * input of the action. Only src/plan uses this header. */
#ifndef OBB_PLAN_WORDS_H
#define OBB_PLAN_WORDS_H

#include "plan/context.h"

typedef struct obb_filler {
    obb_plan_context *context;
    obb_action *action;
    const char *from;       /* the folder that paths are seen from; "." is the project's */
    obb_words reads, makes; /* paths, seen from the project's folder */
    obb_place place;
} obb_filler;

/* What `reads` states. */
void obb_filler_reads(obb_filler *filler);

/* One word, or a line of them, with their placeholders replaced. Errors are those of the context. */
void obb_filler_word(obb_filler *filler, const obb_word *word, obb_words *into);
obb_words obb_filler_line(obb_filler *filler, const obb_word_list *line);

/* Whether a word named this file as the product of a variant that is planned later. */
bool obb_filler_is_late(const obb_filler *filler, obb_file file);

/* Whether dot-dot leads from a folder to the one that holds it by name: none of them is a symbolic link. */
bool obb_leads_back(obb_arena *arena, const char *folder);

#endif
