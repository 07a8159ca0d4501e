/* Edits of C and C++ texts that cannot matter: of comments alone, for a compile; of all but directives, for a
 * scan. What is needed to tell is remembered under the contents that a text had. */
#ifndef OBB_RUN_TEXT_CHANGES_H
#define OBB_RUN_TEXT_CHANGES_H

#include "plan/dependencies.h"
#include "scan/directives.h"
#include "scan/token_fingerprint.h"
#include "state/state.h"

/* How the text of a compile is read. */
obb_lexis obb_lexis_of_action(const obb_action *action);
obb_text_kind obb_text_kind_of(const obb_dependencies *dependencies);

/* The same as a number from 1 to 31: compiles of one way have the same fingerprints of tokens and directives.
 * 0: neither is kept for it, as for assembly. */
unsigned obb_text_reading(const obb_dependency_table *table, const obb_action *action);

/* Remembers, under the fingerprint of an input's contents, the fingerprint of its tokens (so that a later
 * edit of comments alone needs no compile) and that of its directives (so that an edit that leaves them as
 * they are needs no scan). */
void obb_note_text(obb_state *state, const obb_dependency_table *table, obb_file input,
                   const obb_action *action);

/* Whether a file with the contents `now`, which had the contents `then`, only changed in comments or behind
 * the ends of its lines. */
bool obb_tokens_are_alike(obb_state *state, obb_files *files, obb_file file, const obb_lexis *lexis,
                          obb_fingerprint then, obb_fingerprint now);

/* Whether it only changed where a scan does not look: outside of directives; and, where it is noted what
 * scans asked for, on which lines they stand and what those macros become that none asked for. */
bool obb_scans_are_alike(obb_state *state, obb_files *files, obb_file file, obb_text_kind kind,
                         bool asked_noted, obb_fingerprint then, obb_fingerprint now);

#endif
