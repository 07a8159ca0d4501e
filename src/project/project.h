/* What a project is: the meaning of its descriptions, checked.
 *
 * A project is read once and does not depend on a variant; resolve.h gives the settings of
 * one target in one variant. Everything belongs to `arena`. Paths are normal (base/path.h)
 * and relative to the root, which is the working folder.
 */
#ifndef OBB_PROJECT_PROJECT_H
#define OBB_PROJECT_PROJECT_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/diag.h"
#include "base/files.h"
#include "base/map.h"
#include "project/setting.h"

/* The version of Obbligato itself, as `needs obbligato V` is compared with it. */
#define OBB_VERSION "0.1.0"

#define OBB_SCORE_NAME "obbligato.score"

typedef enum obb_target_kind { OBB_PROGRAM, OBB_LIBRARY, OBB_GROUP } obb_target_kind;
typedef enum obb_library_kind { OBB_STATIC, OBB_SHARED, OBB_BOTH } obb_library_kind;

typedef struct obb_target obb_target;

typedef struct obb_use {
    const char *name;
    obb_place place;
    obb_target *target; /* never NULL in a project without errors */
    bool shared;        /* stated in `share`: handed on to those that use the target */
} obb_use;

/* One line of patterns: what it names, less what stands behind its `except`. */
typedef struct obb_pattern_line {
    obb_word_list names, except;
    bool maybe;
} obb_pattern_line;

typedef struct obb_patterns {
    OBB_VEC(obb_pattern_line) lines;
    obb_word_list except; /* holds for all lines */
} obb_patterns;

typedef struct obb_for {
    obb_word_list patterns;
    obb_settings settings;
} obb_for;

struct obb_target {
    obb_target_kind kind;
    const char *name;
    obb_place place;
    const char *summary; /* or NULL */
    const char *output;  /* the base name of its product; the target's own name by default */
    obb_place output_place;
    bool optional;
    obb_library_kind library;
    obb_patterns sources;
    obb_settings own, share, users;
    OBB_VEC(obb_for) for_files;
    OBB_VEC(obb_use) uses; /* of a group: its members */
    size_t number;         /* its index in the project */
};

typedef struct obb_configuration {
    const char *name;
    obb_place place; /* line 0: built in */
    const char *summary;
    const char *like; /* or NULL */
    obb_place like_place;
    obb_settings settings; /* those of `like` come first */
} obb_configuration;

/* One platform with one configuration. */
typedef struct obb_variant {
    const char *name; /* host.debug */
    const char *platform;
    const obb_configuration *configuration;
} obb_variant;

typedef struct obb_named_value {
    const char *name;
    obb_place place;
    obb_word_list values;
    int state; /* while it is replaced: 0 not yet, 1 under way, 2 done */
} obb_named_value;

typedef struct obb_project {
    obb_arena *arena;
    const char *name;
    obb_place place;
    const char *version, *summary; /* "" when not stated */
    obb_settings settings;
    OBB_VEC(obb_target *) targets;
    obb_map target_names;
    OBB_VEC(obb_configuration *) configurations;
    OBB_VEC(obb_named_value *) values;
    OBB_VEC(const obb_target *) default_targets;
    OBB_VEC(const obb_variant *) default_variants;
    obb_words descriptions; /* the files that were read, obbligato.score first */
} obb_project;

/* Reads obbligato.score in the working folder and all it reads. Never NULL; when `diags`
 * holds an error, the project must not be built. */
obb_project *obb_project_read(obb_files *files, obb_diags *diags);
void obb_project_free(obb_project *project);

/* By name, or NULL. */
obb_target *obb_project_target(const obb_project *project, const char *name);
const obb_configuration *obb_project_configuration(const obb_project *project, const char *name);

/* The names, for hints: ends with NULL. They live as long as the project. */
const char *const *obb_project_target_names(const obb_project *project);
const char *const *obb_project_configuration_names(const obb_project *project);

/* The variant `platform.configuration`; with an error in `diags` and NULL when there is no
 * such thing. */
const obb_variant *obb_project_variant(obb_project *project, const char *platform,
                                       const char *configuration, obb_place place,
                                       obb_diags *diags);
const obb_variant *obb_project_variant_named(obb_project *project, const char *name,
                                             obb_place place, obb_diags *diags);

/* The files that the patterns name, each once, in order; errors for a pattern that matches
 * nothing and for files outside the project. */
void obb_patterns_expand(const obb_patterns *patterns, obb_files *files, obb_arena *arena,
                         obb_diags *diags, obb_file_list *found);

#endif
