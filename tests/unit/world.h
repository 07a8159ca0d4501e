/* A project, planned and ready to be carried out in the working folder: what tests of the plan's
 * carrying out share. */
#ifndef OBB_TESTS_WORLD_H
#define OBB_TESTS_WORLD_H

#include "run/run.h"
#include "toolchain/system.h"

typedef struct world {
    obb_arena *arena;
    obb_diags *diags;
    obb_files *files;
    obb_project *project;
    obb_state *state;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    obb_plan *plan;
    obb_dependency_table *table;
    const obb_variant *variant;
    bool *wanted;
    size_t started, done, failed, removed, recalled;
    bool forgetful; /* what scans ask for is not noted */
    obb_text causes; /* "SUBJECT: CAUSE" lines of what was made */
    obb_text order;  /* its subjects, and "!MESSAGE" of what failed, with blanks between */
} world;

/* Reads obbligato.score and plans it in a variant: a target and what it needs; NULL: all. Nothing is
 * scanned yet. */
world world_plan(const char *variant, const char *only);

/* Scans what is wanted, with what records tell; `recalled` counts what needed no scan. */
void world_scan(world *w);

obb_run_result world_carry_out(world *w, unsigned jobs);
void world_observe(void *self, const obb_event *event);

/* Keeps what was learnt, and releases all. */
void world_end(world *w);

/* Until stamps of files are old enough to be believed. */
void world_settle(void);

/* Empties the working folder. */
void world_clear(void);

#endif
