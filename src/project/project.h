/* What a project is: the meaning of its descriptions, checked.
 *
 * A project is read once and holds what is described, with the conditions that stand around
 * it. A variant (variant.h) is the same project with every condition decided; resolve.h gives
 * the settings of one target in one variant. Everything belongs to `arena`. Paths are normal
 * (base/path.h) and relative to the root, which is the working folder.
 */
#ifndef OBB_PROJECT_PROJECT_H
#define OBB_PROJECT_PROJECT_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/diag.h"
#include "base/files.h"
#include "base/map.h"
#include "project/check.h"
#include "project/lock_file.h"

/* The version of Obbligato itself, as `needs obbligato V` is compared with it. */
#define OBB_VERSION "0.4.0"

#define OBB_SCORE_NAME "obbligato.score"

typedef enum obb_target_kind {
    OBB_PROGRAM, OBB_LIBRARY, OBB_IMAGE, OBB_GROUP, OBB_STEP, OBB_TEST
} obb_target_kind;
typedef enum obb_library_kind { OBB_STATIC, OBB_SHARED, OBB_BOTH, OBB_PLUG_IN } obb_library_kind;

typedef struct obb_target obb_target;

typedef struct obb_use {
    const char *name;
    const char *variant; /* of a product elsewhere: PLATFORM or PLATFORM.CONFIGURATION…; else NULL */
    obb_place place;
    const obb_condition *condition;
    obb_target *target; /* as described; never NULL in a project without errors */
    bool shared;        /* stated in `share`: passed on to those that use the target */
    bool as_shared;     /* a library of both kinds is linked as the shared one */
    bool only_words;    /* a step asks how the target is compiled, and for nothing that it makes */
    bool at_run_time;   /* `needs`: it is built along with the target, and nothing of it is linked */
    bool by_file;       /* a step, since something that it makes is named; its other sources are not meant */
} obb_use;

typedef OBB_VEC(obb_use) obb_uses;

/* One line of patterns: what it names, without what follows its `except`; and what stands in for files among
 * these (`instead`). */
typedef struct obb_pattern_line {
    obb_word_list names, except, instead;
    const obb_condition *condition;
    bool maybe;
    bool takes_away; /* an `except` of the whole list: nothing but `except` */
} obb_pattern_line;

typedef OBB_VEC(obb_pattern_line) obb_patterns;

typedef struct obb_for {
    obb_word_list patterns;
    obb_settings settings;
    const obb_condition *condition;
} obb_for;

typedef OBB_VEC(obb_for) obb_fors;

/* A statement that is kept as it was written, where a condition may decide about it. */
typedef struct obb_property {
    int id;            /* an obb_word_id */
    obb_place place;
    OBB_VEC(obb_word_list) lines;
    const obb_condition *condition;
    const obb_test *test;  /* of `only`; and how it is written */
    const char *test_words;
} obb_property;

typedef OBB_VEC(obb_property) obb_properties;

/* A case that the description rejects: `refuse`, or a choice that has no case for the value. */
typedef struct obb_refusal {
    const obb_condition *condition;
    obb_place place;
    const char *reason;       /* NULL: `choose` has no case */
    const obb_choose *choose;
} obb_refusal;

typedef OBB_VEC(obb_refusal) obb_refusals;

/* A part of an image: a file or another target's image, at an offset in bytes, or where a region begins. */
typedef struct obb_placed {
    const char *name;
    obb_place place;
    uint64_t offset;
    const char *region; /* NULL: at the offset */
    const obb_condition *condition;
    obb_target *target; /* an image; NULL: a file of the project, whose path is `name` */
} obb_placed;

typedef OBB_VEC(obb_placed) obb_placed_list;

/* A file that a step makes. */
typedef struct obb_made {
    const char *path; /* below the folder of the variant */
    obb_place place;
    const obb_condition *condition;
    bool source;      /* it is named among the sources of the target */
} obb_made;

typedef OBB_VEC(obb_made) obb_made_list;

/* The lists of a target whose items may depend on conditions, as LIST(type, name): a variant has those items
 * whose condition holds, of each list that stands here (resolve/variant.c). */
#define OBB_CONDITIONAL_LISTS(LIST)                                                                      \
    LIST(obb_patterns, sources)                                                                          \
    LIST(obb_patterns, resources)       /* files that become part of the program as they are */             \
    LIST(obb_settings, own)                                                                              \
    LIST(obb_settings, share)                                                                            \
    LIST(obb_settings, users)                                                                            \
    LIST(obb_fors, for_files)           /* their settings depend on conditions as well */                  \
    LIST(obb_uses, uses)                /* of a group: its members; of an image: what is in it */        \
    LIST(obb_properties, properties)    /* single values that depend on conditions, `only`, `budget` */  \
    LIST(obb_placed_list, placed)       /* of an image */                                                \
    LIST(obb_patterns, reads)           /* from here on of a step, and of a test that is run */          \
    LIST(obb_made_list, makes)                                                                           \
    LIST(obb_made_list, made_of)        /* `made:NAME`: what it names of what steps make */              \
    LIST(obb_properties, commands)      /* `run` and the operations on files, in their order */          \
    LIST(obb_properties, environment)   /* `env`: NAME=VALUE */                                          \
    LIST(obb_properties, arguments)                                                                      \
    LIST(obb_properties, expectations)                                                                   \
    LIST(obb_properties, cases)         /* how a test tells of its cases */                              \
    LIST(obb_uses, tools)               /* programs for this machine, products of other variants */
#define OBB_DECLARE_LIST(type, name) type name;

struct obb_target {
    OBB_CONDITIONAL_LISTS(OBB_DECLARE_LIST)
    obb_target_kind kind;
    const char *name;
    obb_place place;
    const char *summary; /* or NULL */
    const char *output;  /* the base name of its product; the target's own name by default */
    obb_place output_place;
    obb_word executable; /* of a program that is not linked here: a file, or made:NAME; text NULL: it is */
    bool optional;
    bool whole;          /* a static library whose every object is linked, needed or not */
    obb_library_kind library;
    obb_word_list soname;    /* of a shared library: the version of its interface, and that of its file */
    obb_word_list link_order; /* sources whose objects are linked in this order; `rest`: all others */
    obb_refusals refusals;
    size_t number;         /* its index in the project */
    obb_fingerprint statement;   /* the fingerprint of its statement, wherever in its file it stands */
    bool conditional;      /* something in it depends on a condition */

    /* of an image */
    const char *from_source; /* an Intel-syntax source, assembled flat; or NULL */
    obb_word_list formats;   /* bin, hex, srec */
    int fill;                /* the byte between parts; -1: not stated */
    uint64_t pad_to;         /* bytes; 0: as long as it is */

    /* of a step; of a test, what it is run with */
    const char *folder;         /* where it runs, with placeholders; NULL: the project's folder */
    obb_place folder_place;
    const char *reports_reads;  /* below the folder of the variant: where it tells what it read; or NULL */
    bool apart;                 /* in an emptied folder of its own; its folders are named absolutely */
    bool anywhere;              /* what it makes hangs on nothing but what it states: others may make it */
    obb_place anywhere_place;
    obb_target *owner;          /* of `before` and `after`: the target that they stand in; else NULL */
    bool after;
    uint64_t time_limit;        /* milliseconds; 0: not stated */
    const char *tested;         /* the program that a test without sources runs; or NULL */
};

typedef enum obb_definition_kind {
    OBB_TOOLCHAIN_DEFINITION,
    OBB_PLATFORM_DEFINITION,
    OBB_CONFIGURATION_DEFINITION
} obb_definition_kind;

/* What is stated of a toolchain, a platform or a configuration. */
typedef struct obb_definition {
    obb_definition_kind kind;
    const char *name;
    obb_place place; /* line 0: built in */
    const char *summary;
    const char *like; /* or NULL */
    obb_place like_place;
    obb_settings settings; /* those of `like` come first, here and in what follows */
    OBB_VEC(obb_assignment) sets;
    obb_properties properties;
    obb_refusals refusals;
} obb_definition;

typedef OBB_VEC(obb_definition *) obb_definitions;

typedef struct obb_runner {
    const char *name;
    obb_place place;
    const char *summary;
    obb_word_list run, debug; /* words, with {program}, {arguments}, {port} left in them */
    obb_word_list run_image, debug_image; /* the same of images, with {image} */
    int success;              /* its exit code when the program's is 0 */
} obb_runner;

/* A device, such as a board, and the commands that talk to it. */
typedef struct obb_device {
    const char *name;
    obb_place place;
    const char *summary;
    obb_word_list probe, load, verify, reset; /* words with placeholders; empty: not stated */
    obb_uses tools;
} obb_device;

/* A program with its arguments, environment and folder. */
typedef struct obb_launch {
    const char *name;
    obb_place place;
    const char *summary;
    const char *program; /* or an image */
    obb_word_list arguments, environment; /* with placeholders, and so is the folder */
    const char *folder; /* NULL: where the command is given */
    obb_uses products;  /* what {product:NAME} names in these */
    const obb_target *target;
} obb_launch;

typedef struct obb_lineup {
    const char *name;
    obb_place place;
    obb_word_list variants;
} obb_lineup;

/* What a line of a delivery is about. */
typedef enum obb_delivery_kind {
    OBB_DELIVER_PROGRAM,
    OBB_DELIVER_LIBRARY,        /* what its users need at run time */
    OBB_DELIVER_PLUG_IN,
    OBB_DELIVER_IMAGE,
    OBB_DELIVER_FOR_DEVELOPERS, /* archives, headers, and what describes them to other builds */
    OBB_DELIVER_FILES,
    OBB_DELIVER_MANUALS,
    OBB_DELIVER_LICENCES,
    OBB_DELIVER_NEEDED          /* another delivery */
} obb_delivery_kind;

typedef struct obb_delivery_item {
    obb_delivery_kind kind;
    obb_place place;
    const obb_condition *condition;
    const char *name;              /* of a target or a delivery; NULL: files */
    const obb_target *target;
    const struct obb_delivery *needed;
    obb_word_list patterns, except; /* of files, as they are written, and made:NAME */
    const char *to;                /* their folder below the prefix; NULL: the usual one of their kind */
} obb_delivery_item;

/* What goes out together: installed, or packed. */
typedef struct obb_delivery {
    const char *name;
    obb_place place;
    const char *summary, *description, *maintainer; /* or NULL */
    obb_word_list depends;         /* packages of the system, besides those that are found */
    const obb_condition *only;     /* or NULL; and how it is written */
    const char *only_words;
    bool assumed;                  /* nobody stated it */
    OBB_VEC(obb_delivery_item) items;
} obb_delivery;

/* Where third-party code comes from. */
typedef enum obb_source_kind { OBB_FROM_FOLDER, OBB_FROM_ARCHIVE, OBB_FROM_REPOSITORY } obb_source_kind;

/* What is fetched, and unpacked below the output folder (src/outside). */
typedef struct obb_fetched {
    obb_source_kind kind;
    obb_word_list places;   /* URLs, or paths of archives: tried in this order */
    const char *revision;   /* of a repository: a branch, tag or commit */
    const char *sum;        /* SHA-256 of the archive as stated; or NULL */
    obb_file_list patches;  /* in the order in which they are applied */
    const char *tree;       /* where its files are unpacked: OUT/thirdparty/NAME-VERSION */
    const char *record;     /* the file beside it that tells what it was unpacked from (outside/tree.h) */
    bool missing;           /* it is not there yet */
} obb_fetched;

/* Where third-party code is looked up that is stated without `from`: a folder with NAME/VERSION.score, here
 * or fetched as a repository; or the same on a web server, of which single files are fetched into the folder.
 */
typedef struct obb_index {
    const char *name;
    obb_place place;
    const char *folder;    /* NULL: it is a repository that is not there yet */
    const char *url;       /* of a web server; else NULL */
    bool ours;             /* it lies in the project, which keeps it */
    struct obb_thirdparty *source; /* a repository, as what is fetched; else NULL */
} obb_index;

/* A file of an index that is needed. */
typedef struct obb_index_file {
    const char *name,
        *version; /* of the project whose entry it is, or is named by; VERSION NULL: its list of versions */
    const obb_index *index;
    const char *url, *path;
    obb_place place;       /* of what needs it */
    bool missing;          /* it must be fetched */
    const char
        *lacks; /* it is there, and must be fetched again, since it lacks this (a message); else NULL */
} obb_index_file;

/* Who asks for third-party code, and for which version. */
typedef struct obb_asker {
    const char *by;        /* another third-party project; NULL: this project */
    const char *version;   /* NULL: any */
    bool least;            /* that one or a later one */
    obb_place place;
} obb_asker;

/* What the target's system may have of third-party code. */
typedef struct obb_on_system {
    const char *metadata;          /* NAME or `NAME least VERSION`; NULL: headers and libraries are stated */
    obb_words headers, libs;       /* all of them are there, or it is not; the libraries by plain name */
    const char *text;              /* as it is stated, for users */
    obb_place place;
} obb_on_system;

/* Code of others: its targets are those of its description, named NAME:TARGET. */
typedef struct obb_thirdparty {
    const char *name;
    obb_place place;
    const char *version, *licence; /* "" when not stated */
    const char *from;              /* where it is or comes from, for users */
    const obb_on_system *system;   /* NULL: it is not looked for there */
    bool prefer_own, prefers;      /* its own sources, though the system has it; and whether that is stated */
    const obb_index *index;        /* that it was looked up in; or NULL */
    OBB_VEC(obb_asker) askers;
    obb_fetched *fetched;          /* NULL: it is used where it is */
    const char *folder;            /* where its files are; NULL: an error was reported */
    const char *description;       /* the file that describes its targets */
    const char *project;           /* what that file calls it */
    const char *header;            /* the name of its generated header; or NULL */
    obb_settings settings;         /* what its description states for all of its targets */
    obb_settings ours;             /* what our statement adds to that */
    obb_refusals refusals;         /* of both; they hold for all of its targets */
    OBB_VEC(struct obb_thirdparty *)
    prebuilts;                     /* archives with binaries: only where they come from, and the folder */
    bool own_headers;              /* they are searched as ours are, and give warnings */
    obb_word
        configuration; /* that it is built in, whatever the rest is built in; text NULL: none is stated */
} obb_thirdparty;

typedef struct obb_named_value {
    const char *name;
    obb_place place;
    obb_word_list values;
    int state; /* while it is replaced: 0 not yet, 1 under way, 2 done */
} obb_named_value;

typedef struct obb_variant obb_variant;

/* Answers all checks of a variant: `answers` is by number, and zeroed. */
typedef void obb_answer_checks(void *self, const struct obb_variant *variant, obb_check_answer *answers);

typedef struct obb_project {
    obb_arena *arena;
    const char *name;
    obb_place place;
    const char *version, *summary; /* "" when not stated */
    const char *header;            /* the name of the generated header; or NULL */
    const obb_host *host;
    const char *out;               /* the output folder */
    const obb_lock_file *lock;          /* what is known of third-party code that was fetched */
    bool incomplete; /* some third-party code is missing or wrongly stated: nothing more was read */
    obb_answer_checks *answer_checks; /* set by who can compile; NULL: nothing is there */
    void *answerer;
    bool (*has_system)(void *answerer, const obb_variant *variant, const obb_thirdparty *other); /* or NULL */
    bool prefer_own;               /* of third-party code that does not say it */
    obb_settings settings;
    obb_refusals refusals;
    OBB_VEC(obb_target *) targets;
    obb_map target_names;
    obb_definitions definitions[3];            /* by obb_definition_kind */
    obb_map part_names[3];
    OBB_VEC(obb_axis *) axes;
    OBB_VEC(obb_check *) checks;
    OBB_VEC(const obb_checks *) templates; /* the blocks that have one, and a header for it */
    OBB_VEC(obb_runner *) runners;
    OBB_VEC(obb_device *) devices;
    OBB_VEC(obb_launch *) launches;
    OBB_VEC(obb_lineup *) lineups;
    OBB_VEC(obb_delivery *) deliveries;
    const char *maintainer, *licence; /* "NAME <ADDRESS>"; an SPDX expression; "" when not stated */
    const char *far_store;         /* a URL; NULL: none. Only read, with the next one */
    bool far_read_only;
    obb_words trust;               /* whose objects are taken from there: public keys, or `anyone` */
    OBB_VEC(obb_thirdparty *) thirdparty;
    OBB_VEC(obb_index *) indexes;
    OBB_VEC(obb_index_file) index_files;
    OBB_VEC(obb_named_value *) values;
    OBB_VEC(const obb_target *) default_targets;
    OBB_VEC(const obb_variant *) default_variants;
    obb_map variants;              /* those that were asked for, by name */
    size_t condition_count;
    bool asks_family;              /* some condition is about the toolchain's family */
    bool any_conditional;          /* some target depends on conditions */
    obb_words resource_scopes;     /* of targets that have resources, each once; NULL: the project's own */
    obb_fingerprint rest;         /* of all statements but those of targets; and of the kinds and names of
                               targets, in their order */
    obb_words descriptions; /* the files that were read, obbligato.score first; */
    obb_words own_descriptions; /* of these, those that describe no third-party code */
} obb_project;

/* How a project is read; NULL and zeros are good defaults. */
typedef struct obb_reading {
    const char *prefer;      /* "system" or "own", whatever is stated; NULL: as stated */
    const char *out;         /* the output folder; NULL: "out" */
    bool newest;             /* of what indexes offer, the latest versions are chosen, not the least ones: */
    const obb_words *names;  /* of these; NULL or none: of all */
} obb_reading;

/* Reads obbligato.score in the working folder and all it reads. `host` is what this machine
 * is; NULL: found out here, with the compiler family left at gcc. It must outlive the
 * project. Never NULL; when `diags` holds an error, the project must not be built. */
obb_project *obb_project_read(obb_files *files, const obb_host *host, const obb_reading *how,
                              obb_diags *diags);
void obb_project_free(obb_project *project);

/* By name, or NULL. */
obb_target *obb_project_target(const obb_project *project, const char *name);
const obb_definition *obb_project_definition(const obb_project *project, obb_definition_kind kind,
                                             const char *name);
const obb_runner *obb_project_runner(const obb_project *project, const char *name);
const obb_lineup *obb_project_lineup(const obb_project *project, const char *name);
const obb_device *obb_project_device(const obb_project *project, const char *name);
const obb_launch *obb_project_launch(const obb_project *project, const char *name);
obb_thirdparty *obb_project_thirdparty(const obb_project *project, const char *name);

/* The name of a target as part of a path: NAME/TARGET of third-party code. */
const char *obb_target_folder(const obb_target *target, obb_arena *arena);

/* What a name means in the description of a third-party project (`scope`), or in ours (NULL): one of its own
 * targets first; then the target of that name; then the library of the third-party project of that name, if
 * it has one that is called as it is itself, or one alone. NULL: there is none. */
obb_target *obb_project_named(const obb_project *project, const char *scope, const char *name);

/* The names, for hints: ends with NULL. They live as long as the project. */
const char *const *obb_project_target_names(const obb_project *project);
const char *const *obb_project_definition_names(const obb_project *project, obb_definition_kind kind);
const char *const *obb_project_lineup_names(const obb_project *project);

/* "toolchain", "platform", "configuration". */
const char *obb_definition_kind_name(obb_definition_kind kind);

/* A file that is named, and the one that stands in for it. */
typedef struct obb_replaced {
    obb_file file, by;
} obb_replaced;

typedef OBB_VEC(obb_replaced) obb_replaced_list;

/* The files that the patterns name, each once, in order; errors for a pattern that matches
 * nothing and for files outside the project. `replaced` (or NULL): those that others stand in for. */
void obb_patterns_expand(const obb_patterns *patterns, obb_files *files, obb_arena *arena,
                         obb_diags *diags, obb_file_list *found, obb_replaced_list *replaced);

/* NULL: there is none. */
const obb_delivery *obb_project_delivery(const obb_project *project, const char *name);

/* The axis of a name; NULL: there is none. */
/* As a description names it: one of its own comes first. */
obb_axis *obb_find_axis_in(const obb_project *project, const char *scope, const char *name);
obb_axis *obb_find_axis(const obb_project *project, const char *name);

/* Errors about that: of the description when `place` is in one, else of the command line. */
void obb_no_such_axis(const obb_project *project, const char *name, obb_place place, obb_diags *diags);
void obb_barred_value(const obb_axis *axis, const char *value, obb_place place, obb_arena *arena,
                      obb_diags *diags);

/* An assignment AXIS=VALUE; false with an error. */
bool obb_read_assignment(obb_project *project, const char *word, obb_place place, obb_diags *diags,
                         obb_assignment *assignment);

/* By obb_library_kind; ends with NULL. */
extern const char *const obb_library_kinds[];

/* Gives a target the value of a property that it may have once. */
void obb_apply_property(obb_arena *arena, obb_target *target, const obb_property *property);

#endif
