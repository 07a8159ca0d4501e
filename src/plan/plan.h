/* The plan: what there is to do, as a graph of actions. Each action is one command, or one
 * operation of our own, that makes one file from others. All variants of one run are in one
 * plan.
 *
 * The plan says what is made and how; whether it must be made again is for src/run, from
 * what src/state remembers. A plan is a value: once it is made, nothing changes it. What scans and
 * tools tell of its actions later is in the dependency table beside it (dependencies.h).
 */
#ifndef OBB_PLAN_PLAN_H
#define OBB_PLAN_PLAN_H

#include "image/image.h"
#include "project/resolve/settings.h"
#include "scan/scan.h"
#include "toolchain/spell.h"
#include "toolchain/toolchain.h"

typedef enum obb_action_kind {
    OBB_COMPILE, OBB_ASSEMBLE, OBB_ARCHIVE, OBB_LINK_LIBRARY, OBB_LINK_PROGRAM, OBB_MAKE_IMAGE, OBB_RUN_STEP,
    OBB_ACTION_KINDS
} obb_action_kind;

/* What a step does, one after the other: commands, and operations on files that need none. */
typedef enum obb_step_command_kind {
    OBB_STEP_RUN,   /* words: the command */
    OBB_STEP_COPY, OBB_STEP_MOVE, OBB_STEP_JOIN, /* words: files, the last one is written */
    OBB_STEP_HASH,  /* the same: a line each, SHA-256 in hexadecimal and the path */
    OBB_STEP_FILL,  /* words: how many bytes, which one, the file */
    OBB_STEP_FILL_IN, /* words: a text, NAME=VALUE ..., the file: @NAME@ in its lines is replaced */
    OBB_STEP_WRITE, /* words: the text, the file */
    OBB_STEP_EMPTY  /* words: a folder, which is there and empty afterwards */
} obb_step_command_kind;

typedef struct obb_step_command {
    obb_step_command_kind kind;
    obb_words words; /* ends with a NULL that is not counted */
    const char *input, *output; /* of a command: files for standard input and output, seen from the working
                                   folder; NULL: none */
} obb_step_command;

typedef struct obb_step_recipe {
    OBB_VEC(obb_step_command) commands;
    const char *folder;        /* where its commands run; NULL: the working folder. Their words are
                                  seen from there; those of operations from the working folder */
    obb_words environment;     /* NAME=VALUE, besides the few that every step has */
    const char *reports_reads; /* where it writes the files that it read; or NULL */
    bool apart;                /* in folders of its own, with another description of a build */
    bool anywhere;             /* what it makes may be kept for others, and made elsewhere; it has
                                  one command */
} obb_step_recipe;

/* Stands in words of a step that runs apart for how many commands may run at a time: the number is no part of
 * what is made. */
#define OBB_JOBS_WORD "{jobs}"

/* What the compiles of one target in one language share. */
typedef struct obb_compile_options {
    uint32_t number;             /* in the plan */
    obb_toolchain *toolchain;
    const obb_tool *tool;
    obb_language language;
    obb_words flags;             /* all but include folders and macros */
    obb_words includes, defines;
    obb_file_list named;         /* files that its words name, besides headers */
    bool stored;                 /* its objects may be kept for other builds, and taken from there */
    bool tokens_decide;          /* comments and white space behind a line cannot change what is made */
} obb_compile_options;

/* Replaces the word with the project's folder in a command's fingerprint, and in a shell script. */
#define OBB_ROOT_WORD "-fdebug-prefix-map=$PWD=."

/* Why an action is broken that nothing wanted when it was planned. */
typedef struct obb_deferred_error {
    obb_fault fault;
    obb_place place;
    const char *message, *hint; /* the hint may be NULL */
} obb_deferred_error;

/* What an action reads and needs. */
typedef struct obb_dependencies {
    obb_file_list inputs;    /* files it reads; for a compile: the source, then what the scan found */
    OBB_VEC(uint32_t) needs; /* actions that make some of its inputs */
    size_t found_inputs;     /* how many of the inputs the scan found; behind them stands what only
                                the tool named (differences.h). Of a step: the inputs that are
                                stated; behind them, those that it told of */
    size_t untold;           /* the last ones of those that the scan found and that the tool's own report does
                                not name: so many. Of a compile: those of which only the presence counts
                                (__has_include) */
    bool broken;             /* it cannot be run: a tool, a library or a header is missing */
    const obb_deferred_error *deferred; /* why, to be told when a scan finds that it is wanted; NULL: nothing,
                                           or it is told */

    /* of a compile, from its scan */
    bool scanned;
    obb_file pending;        /* what its scan came to that is still to be made; OBB_NO_FILE: nothing.
                                Its maker is among the needs, and after it the scan goes on */
    obb_file_list absent;    /* places where a header is not, and would be read if it were */
    const char *undecided;   /* why the compiler was asked for the files; or NULL */
    obb_fingerprint scan;    /* what the scan depends on besides files: the compiler's answers, and the way we
                                scan */
    bool trigraphs_alone;    /* see obb_scan_result; false when it was recalled */
    bool text_matters;       /* see obb_scan_result; true when the compiler was asked */
    bool asked_noted;        /* what its scan asked for is noted (obb_scan_memory) */
    bool assembled;          /* the scan found files that only an assembler reads */
    const obb_preprocessor_setup *setup; /* NULL: it was not scanned */
} obb_dependencies;

typedef struct obb_action {
    obb_action_kind kind;
    uint32_t number;
    const obb_target *target;
    const obb_variant *variant;
    obb_words argv;          /* the command; ends with a NULL that is not counted. Of an operation
                                of our own: what it does, for users and for the record */
    size_t output_word;      /* the index of the output's name in argv */
    size_t root_word;        /* the index of a word that names the project's folder, so that what is
                                made does not; SIZE_MAX: none. It is no part of `command` */
    bool in_place;           /* the tool must write under the final name: no temporary one */
    bool reports;            /* of a link: its linker can write what it read */
    bool budgeted;           /* of a program in a serialized plan: its size was compared with budgets */
    obb_file output;
    obb_file_list also;      /* other files that it must make */
    size_t links;            /* the last ones of these are symbolic links to its output: so many */
    obb_file_list byproducts;    /* files that the tool may leave, which nobody needs */
    const obb_image_recipe *image; /* of OBB_MAKE_IMAGE */
    const obb_step_recipe *step;   /* of OBB_RUN_STEP */
    obb_dependencies stated; /* what is known of it without a scan; what is known by now is in the table */
    OBB_VEC(uint32_t) followers; /* steps that stand behind it (`after`): who wants it wants them */
    obb_fingerprint command;       /* of argv and of the tools' identities */
    obb_fingerprint tools;         /* of the tools' identities alone */
    const obb_tool *tool;    /* NULL: an operation of our own */

    /* of a compile */
    const obb_compile_options *options;
    obb_file source;
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
    obb_file_list *sources;  /* by target number; and whether what steps make is among them */
    bool *sources_complete;
    bool *pic;               /* by target number: it ends up in a shared library */
    uint32_t *products;      /* by target number: the index in the plan's products, plus 1 */
    bool chosen;             /* it was asked for; else it is there for the tools of steps alone */
    bool makes_headers;      /* some step does */
} obb_plan_variant;

/* A file that is written before the actions run, because what is in it is known: the header
 * of the project's facts and axes, the MEMORY part for linker scripts. */
typedef struct obb_generated_text {
    obb_file file;
    const obb_variant *variant;
    const char *text;
} obb_generated_text;

/* Some targets of a project (by number), planned to take their places in a serialized plan (serialized.h). */
typedef struct obb_plan_scope {
    bool *planned;
    bool *known; /* their sources are looked for, since they decide how users link */
    obb_words moved; /* paths of files that are new or gone: whose patterns they match is planned */
} obb_plan_scope;

/* What a step names of a variant that is planned after its own. */
typedef struct obb_late_need {
    obb_action *action;
    const obb_target *target; /* whose product it is */
    const obb_variant *variant;
    obb_file file;
    obb_place place;
    const char *as; /* product:VARIANT/NAME */
} obb_late_need;

/* All of it lives in its arena. */
typedef struct obb_plan {
    obb_arena *arena;
    const obb_project *project; /* NULL: it is a subplan of a serialized plan (serialized.h) */
    obb_files *files;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    const char *out; /* the output folder */
    const char *root; /* the project's folder, absolute */
    OBB_VEC(obb_action *) actions;
    uint32_t options;  /* how many compile options there are */
    OBB_VEC(uint32_t) makers; /* by file: the number of the action that makes it, plus 1 */
    OBB_VEC(obb_product) products;
    OBB_VEC(obb_plan_variant) variants;
    OBB_VEC(obb_generated_text) texts;
    obb_file_list *common_sources; /* by target number: of targets that depend on no condition */
    const obb_plan_scope *scope; /* NULL: all targets are planned */
    OBB_VEC(obb_late_need) late;      /* while it is planned */
    const obb_variant *tools_variant; /* in which {tool:NAME} is built: for this machine; or NULL */
} obb_plan;

/* What a plan is made of. */
typedef struct obb_plan_input {
    obb_arena *arena;                 /* the plan lives there */
    const obb_project *project;
    obb_files *files;
    obb_toolchains *toolchains;
    obb_scanner *scanner;
    const char *out;                  /* the output folder */
    const obb_variant *const *variants;
    size_t variant_count;
    bool *const *wanted_targets;      /* by variant and target number; NULL: all are */
    const obb_plan_scope *scope;      /* NULL: all targets */
} obb_plan_input;

/* The root of a plan that is made now: the working folder. */
const char *obb_plan_root(obb_arena *arena);

/* The variant in which programs are built that steps run, whatever is built. */
#define OBB_TOOLS_VARIANT "host.release"

/* Marks (by number) a target and all that it uses in a variant. */
void obb_want_target(const obb_variant *variant, const obb_target *target, bool *wanted_targets);

/* Where the objects of a target lie, with a slash at its end; no other target's do. */
char *obb_plan_objects_folder(obb_arena *arena, const char *variant_folder, const obb_target *target);

/* What is known of a variant in the plan; it must be in it. */
const obb_plan_variant *obb_plan_variant_of(const obb_plan *plan, const obb_variant *variant);

/* What is planned to make a target's products; NULL: nothing. */
const obb_product *obb_plan_product_of(const obb_plan *plan, const obb_target *target,
                                       const obb_variant *variant);

/* The action that makes a target's product (the static one of a library of both kinds); NULL:
 * nothing does. */
const obb_action *obb_plan_product(const obb_plan *plan, const obb_target *target,
                                   const obb_variant *variant);

/* The folder of a variant. */
char *obb_variant_folder(obb_arena *arena, const char *out, const obb_variant *variant);

/* The action that makes a file, or NULL; and setting it. */
obb_action *obb_plan_maker(const obb_plan *plan, obb_file file);
void obb_plan_set_maker(obb_plan *plan, obb_file file, const obb_action *action);

/* The targets that are built when none is named: the project's default ones, or all that are
 * neither optional nor tests. */
void obb_default_targets(const obb_project *project, obb_arena *arena, obb_target_list *targets);

/* Words of a step as they are when so many commands may run at a time; in the arena, and a NULL that is not
 * counted ends them. */
obb_words obb_step_words(const obb_step_recipe *step, const obb_words *words, unsigned jobs,
                         obb_arena *arena);

/* The command of an action as the user would type it; several are joined by &&. */
void obb_action_command(const obb_action *action, obb_text *text);

/* The words of a property of a target (args, env, in) with what stands in braces filled, as in steps, and
 * seen from a folder of the project. Errors for what means nothing are in `diags`. */
obb_words obb_plan_words(const obb_plan *plan, const obb_variant *variant, const obb_target *target,
                         const obb_word_list *said, const char *from, obb_diags *diags);

/* What an action is called in messages: "compile src/a.c", "link bin/tower-sim". */
const char *obb_action_verb(const obb_action *action);
const char *obb_action_subject(const obb_plan *plan, const obb_action *action);

/* The key under which something (`what`) is remembered of an action, as long as its command is the same. */
obb_fingerprint obb_action_key(const obb_plan *plan, const obb_action *action, const char *what);

/* Whether a target is a step that makes a header in the variant. */
bool obb_makes_header(const obb_variant *variant, const obb_target *target);

/* How `for` names a source in a planned variant. */
obb_source_name obb_plan_source_name(const obb_plan *plan, const obb_plan_variant *in, obb_file source);

/* A path as it is called below the folder of the action's variant. */
const char *obb_action_below(const obb_plan *plan, const obb_action *action, const char *path);

#endif
