/* The settings of one target in one variant, flat, each with where it came from; and what
 * a target links. */
#ifndef OBB_PROJECT_RESOLVE_SETTINGS_H
#define OBB_PROJECT_RESOLVE_SETTINGS_H

#include "project/resolve/variant.h"

typedef struct obb_origin_setting {
    obb_setting_id id;
    const char *value;
    obb_place place;
    obb_layer layer;
    const char *owner; /* the part, axis, project, target or pattern that states it */
} obb_origin_setting;

typedef OBB_VEC(obb_origin_setting) obb_flat_settings;

/* A source, as `for` names it. */
typedef struct obb_source_name {
    const char *path;
    const char *made; /* of what a step makes: the path below the folder of the variant; else NULL */
} obb_source_name;

/* The settings that hold for all sources of `target`, then (for one of them) those of its
 * `for` blocks too when `source` is not NULL. In the order of layers. */
obb_flat_settings obb_resolve(const obb_variant *variant, const obb_target *target,
                              const obb_source_name *source, obb_arena *arena);

/* The settings of a `checks` block, behind the layers of the variant and the project. */
obb_flat_settings obb_resolve_checks(const obb_variant *variant, const obb_checks *checks, obb_arena *arena);

/* Whether any `for` block of the target holds for the source. */
bool obb_resolve_has_own(const obb_target *target, const obb_source_name *source);

/* The last value of a single-value setting, or NULL. */
const obb_origin_setting *obb_flat_last(const obb_flat_settings *settings, obb_setting_id id);
bool obb_flat_is(const obb_flat_settings *settings, obb_setting_id id, const char *value);

/* The language standard that holds for 'c' or '+', or NULL. */
const char *obb_flat_standard(const obb_flat_settings *settings, int language);

/* A library as it is linked. */
typedef struct obb_linked {
    const obb_target *target;
    bool shared;
} obb_linked;

/* One library that a target links, or several static ones that need each other in a circle
 * and so must be searched again and again. */
typedef struct obb_link_group {
    OBB_VEC(obb_linked) libraries;
} obb_link_group;

typedef struct obb_link_plan {
    OBB_VEC(obb_link_group) groups; /* users before what they use */
    OBB_VEC(obb_origin_setting) libs; /* `libs` and `metadata` of it all, users first, each once */
    OBB_VEC(obb_origin_setting) flags; /* `link-flags` that used libraries pass on */
} obb_link_plan;

obb_link_plan obb_resolve_link(const obb_variant *variant, const obb_target *target, obb_arena *arena);

/* Whether the library has sources of its own (else it is headers only). */
bool obb_has_sources(const obb_target *target);

/* Whether a target compiles every source that a step makes, since it `uses` the step. */
bool obb_compiles_all_of(const obb_use *use);

/* Whether a name in a `for` of the target (a pattern of paths, or made:NAME) means this source. */
bool obb_for_matches(const obb_target *target, const char *pattern, const obb_source_name *source);

#endif
