/* What held when each output was made: kept between runs in one file, OUT/.obbligato/state.db; and the list
 * of what was made, in OUT/.obbligato/made.
 *
 * The store is SQLite (docs/design.md says why): rows of a kind, a key and a value. Each
 * value is sealed with a fingerprint of its own, so that a damaged row reads as absent; a
 * store that cannot be read at all is set aside and started over. Either way the cost is work
 * done again, never a wrong result.
 */
#ifndef OBB_STATE_STATE_H
#define OBB_STATE_STATE_H

#include <stdint.h>

#include "base/arena.h"
#include "base/diag.h"
#include "base/files.h"
#include "base/memo.h"
#include "state/cost.h"

typedef struct obb_seen {
    obb_file file;
    obb_fingerprint fingerprint; /* of its contents; or OBB_SEEN_THERE: only that it was there counted */
} obb_seen;

#define OBB_SEEN_THERE ((obb_fingerprint){0x7468657265, 0x6973})

/* What is known of an output that was made. All memory of one that comes from the state is the state's. */
typedef struct obb_record {
    obb_fingerprint command, tools;
    obb_fingerprint output;        /* its contents */
    obb_cost cost;           /* of making it */
    const char *reason;      /* why it was made then, for users */
    obb_words argv;          /* the words of the command */
    OBB_VEC(obb_seen) inputs;
    obb_fingerprint scan;          /* of a compile: what its scan depended on besides files; else none */
    obb_file_list absent;    /* places where a header was not */
    obb_file_list also;      /* other files that were made with it, recorded twice as well */
    bool assembled, text_matters; /* see obb_scan_result */
    bool asked_noted;             /* obb_state_is_asked knows what its scan asked for */
    size_t untold;           /* see obb_dependencies */
} obb_record;

typedef struct obb_state obb_state;

/* Opens the state of an output folder, for one of two uses. OBB_STATE_BUILD: folder and store
 * are made when they are not there, and this process becomes the only writer: `waiting` is
 * called once, with who holds it, when it must wait for another. OBB_STATE_READ: what is there
 * is read, and what is learnt is kept in memory only when nothing is there. NULL with an error
 * in `diags` when the folder cannot be used. */
typedef enum obb_state_use { OBB_STATE_READ, OBB_STATE_BUILD } obb_state_use;

obb_state *obb_state_open(const char *out, obb_files *files, obb_state_use use,
                          void (*waiting)(void *self, const char *holder), void *self,
                          obb_diags *diags);

/* Opens it for a build of a few actions: records and what is known of files are read when they
 * are asked for, not all of them. Whatever is made must have been made before. NULL when another
 * build runs, the last one was broken off, or the store is not as it should be: then a build
 * must take all of it. */
obb_state *obb_state_open_partial(const char *out, obb_files *files);
void obb_state_close(obb_state *state);

/* Whether the store was damaged and started over. */
bool obb_state_was_damaged(const obb_state *state);

/* Whether the build before this one was killed: its commands may have left something. */
bool obb_state_was_broken_off(const obb_state *state);

/* The descriptor of the lock, for the commands of a build to hold as well; -1: none. */
int obb_state_lock(const obb_state *state);

/* Writes all that was put since the last time, at once. 0, or an errno-like value. */
int obb_state_commit(obb_state *state);

/* Drops what was put since the last time. */
void obb_state_drop_news(obb_state *state);

/* Remembers what `files` learnt. What was remembered they were told when the state was opened. */
void obb_state_remember_files(obb_state *state);

/* A file in an output folder that says what it is: `clean --all` removes such a folder with all that is in
 * it. */
#define OBB_MARK_NAME ".obbligato-output"
#define OBB_MARK_TEXT                                                                                        \
    "What obbligato makes is in this folder. `obbligato clean --all` removes it, with all that is in it.\n"

int obb_state_mark(const char *out); /* makes the folder and its mark; 0, or an errno value */
bool obb_state_is_marked(const char *out);

/* Whether a folder after which `..` was resolved as text (obb_files_resolve) is no longer a real folder: then
 * what earlier scans found may mean other files. */
bool obb_state_folders_moved(const obb_state *state);

/* The record of an output; NULL when there is none. It lives as long as the state. */
const obb_record *obb_state_record(obb_state *state, obb_file output);

/* The command by which an output was made the last time, and what that cost. */
typedef struct obb_last_run {
    obb_fingerprint command;
    obb_cost cost;
} obb_last_run;

/* Whether there is a record, and what it says of that: without reading the rest of it. */
bool obb_state_last_run(obb_state *state, obb_file output, obb_last_run *last);

/* Puts a record; all of it is copied except for the words and the array of argv, which must outlive the
 * state. */
void obb_state_put_record(obb_state *state, obb_file output, const obb_record *record);

/* Outputs are noted before they are made for the first time, so that even after a kill it is
 * known what was made here. A partial state does not know what was noted before: it notes again. Forgetting
 * also drops the record; a partial state takes it out of the list when it is closed. */
void obb_state_note_made(obb_state *state, obb_file output);
bool obb_state_is_made(const obb_state *state, obb_file output);
void obb_state_forget_made(obb_state *state, obb_file output);
void obb_state_list_made(obb_state *state, obb_file_list *outputs);

/* Answers that are costly to get. */
obb_memo obb_state_memo(obb_state *state);

/* Macros that a scan asked for, by marks of their names: all of those whose results are in the records,
 * perhaps more. What a scan asked for is noted before its record is put. */
bool obb_state_is_asked(obb_state *state, uint64_t name);
void obb_state_note_asked(obb_state *state, const uint64_t *names, size_t count);

#endif
