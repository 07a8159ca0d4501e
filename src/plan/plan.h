/* The plan: what there is to do, as a graph of actions. Each action is one command, or one
 * operation of our own, that makes one file from others. All variants of one run are in one
 * plan.
 *
 * The plan says what is made and how; whether it must be made again is for src/run, from
 * what src/state remembers.
 */
#ifndef OBB_PLAN_PLAN_H
#define OBB_PLAN_PLAN_H

#include "image/image.h"
#include "project/resolve.h"
#include "scan/scan.h"
#include "toolchain/spell.h"
#include "toolchain/toolchain.h"

typedef enum obb_action_kind {
    OBB_COMPILE, OBB_ASSEMBLE, OBB_ARCHIVE, OBB_LINK_LIBRARY, OBB_LINK_PROGRAM, OBB_MAKE_IMAGE
} obb_action_kind;

/* What the compiles of one target in one language share. */
typedef struct obb_compile_words {
    obb_toolchain *toolchain;
    const obb_tool *tool;
    obb_language language;
    obb_words flags;             /* all but include folders and macros */
    obb_words includes, defines;
    const obb_scan_way *way;     /* made at the first scan */
    bool tokens_decide;          /* comments and white space behind a line cannot change what is made */
} obb_compile_words;

/* What stands in a command's fingerprint, and in a shell script, for the word with the folder. */
#define OBB_ROOT_WORD "-fdebug-prefix-map=$PWD=."

typedef struct obb_action {
    obb_action_kind kind;
    uint32_t number;
    const obb_target *target;
    const obb_variant *variant;
    obb_words argv;          /* the command; ends with a NULL that is not counted. Of an operation
                                of our own: what it does, for people and for the record */
    size_t output_word;      /* the index of the output's name in argv */
    size_t root_word;        /* the index of a word that names the project's folder, so that what is
                                made does not; SIZE_MAX: none. It is no part of `command` */
    bool in_place;           /* the tool must write under the final name: no temporary one */
    obb_file output;
    obb_file_list also;      /* other files that it must make */
    obb_file_list beside;    /* files that the tool may leave, which nobody needs */
    const obb_image_job *image; /* of OBB_MAKE_IMAGE */
    obb_file_list inputs;    /* files it reads; for a compile: the source, then what the scan found */
    OBB_VEC(uint32_t) needs; /* actions that make some of its inputs */
    obb_print command;       /* of argv and of the tools' identities */
    obb_print tools;         /* of the tools' identities alone */
    const obb_tool *tool;    /* NULL: an operation of our own */

    /* of a compile */
    obb_compile_words *words;
    obb_file source;
    obb_file_list absent;    /* places where a header is not, and would be read if it were */
    const char *undecided;   /* why the compiler was asked for the files; or NULL */
    obb_print scan;          /* what the scan hangs on besides files: the compiler's answers, and
                                the way we scan */
    size_t found_inputs;     /* how many of the inputs the scan found; behind them stands what only
                                the compiler named (differences.h) */
    bool assembled;          /* the scan found files that only an assembler reads */
    bool scanned;
    bool broken;             /* it cannot be run: a tool, a library or a header is missing */
} obb_action;

typedef OBB_VEC(const obb_target *) obb_target_list;

typedef struct obb_product {
    const obb_target *target;
    const obb_variant *variant;
    OBB_VEC(uint32_t) actions; /* that make its products: one, two for a library of both kinds */
} obb_product;

/* One variant in a plan. */
typedef struct obb_plan_variant {
    const obb_variant *variant;
    obb_toolchain *toolchain;
    obb_naming naming;
    const char *folder;      /* OUT/VARIANT */
    obb_file_list *sources;  /* by target number */
    bool *pic;               /* by target number: it ends up in a shared library */
    uint32_t *products;      /* by target number: the index in the plan's products, plus 1 */
} obb_plan_variant;

/* A file that is written before the actions run, because what is in it is known: the header
 * of the project's facts and axes, the MEMORY part for linker scripts. */
typedef struct obb_ready_text {
    obb_file file;
    const obb_variant *variant;
    const char *text;
} obb_ready_text;

typedef struct obb_plan {
    obb_arena *arena;
    const obb_project *project; /* NULL: the plan is a part of a kept one (kept.h) */
    obb_files *files;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    const char *out; /* the output folder */
    const char *root; /* the project's folder, absolute */
    OBB_VEC(obb_action *) actions;
    OBB_VEC(uint32_t) makers; /* by file: the number of the action that makes it, plus 1 */
    OBB_VEC(obb_product) products;
    OBB_VEC(obb_plan_variant) variants;
    OBB_VEC(obb_ready_text) texts;
    obb_file_list *common_sources; /* by target number: of targets that hang on no condition */
} obb_plan;

/* Plans every target of these variants, whatever is wanted: only so is it known which files
 * of the output folder are made by nothing any more. What is missing for a target that is
 * not wanted (`wanted_targets`, by variant and by target number; NULL: all are) is no error,
 * its actions are broken. The texts are made known to `files`, so that the scan sees them
 * before they are written. */
obb_plan *obb_plan_make(obb_arena *arena, const obb_project *project, obb_files *files,
                        obb_toolchains *toolchains, obb_scanner *scanner, const char *out,
                        const obb_variant *const *variants, size_t variant_count,
                        bool *const *wanted_targets, obb_diags *diags);
void obb_plan_free(obb_plan *plan);

/* Marks (by number) a target and all that it uses in a variant. */
void obb_want_target(const obb_variant *variant, const obb_target *target, bool *wanted_targets);

/* What is known of a variant in the plan; it must be in it. */
const obb_plan_variant *obb_plan_variant_of(const obb_plan *plan, const obb_variant *variant);

/* The action that makes a target's product (the static one of a library of both kinds); NULL:
 * nothing does. */
const obb_action *obb_plan_product(const obb_plan *plan, const obb_target *target,
                                   const obb_variant *variant);

/* The folder of a variant. */
char *obb_variant_folder(obb_arena *arena, const char *out, const obb_variant *variant);

/* The action that makes a file, or NULL; and that it does. */
obb_action *obb_plan_maker(const obb_plan *plan, obb_file file);
void obb_plan_set_maker(obb_plan *plan, obb_file file, const obb_action *action);

/* Marks (in `wanted`, by action number) what a target needs in a variant; all of its
 * members for a group. */
void obb_plan_want(const obb_plan *plan, const obb_target *target, const obb_variant *variant,
                   bool *wanted);

/* The targets that are built when none is named: the project's default ones, or all that are
 * not optional. */
void obb_default_targets(const obb_project *project, obb_arena *arena, obb_target_list *targets);

/* An earlier scan of the same compile, when all that it hung on is as it was: true with the
 * files that were found and the places of absence. */
typedef bool obb_recall_scan(void *self, const obb_action *action, obb_file_list *files,
                             obb_file_list *absent, bool *assembled);

/* Scans the sources of the wanted compiles that were not scanned yet, and completes their
 * inputs. `recall` (NULL: none) saves scanning what is known. A header that is missing, and that the compiler does not find either, is an error,
 * and its action is broken. */
void obb_plan_scan(obb_plan *plan, const bool *wanted, obb_recall_scan *recall, void *self, obb_diags *diags);

/* What an action is called in messages: "compile src/a.c", "link bin/tower-sim". */
const char *obb_action_verb(const obb_action *action);
const char *obb_action_subject(const obb_plan *plan, const obb_action *action);

#endif
