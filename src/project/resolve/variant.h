/* A variant: one platform with one configuration, and the axis values that were set besides.
 * Here every condition is decided: targets are given as they are in this variant.
 */
#ifndef OBB_PROJECT_RESOLVE_VARIANT_H
#define OBB_PROJECT_RESOLVE_VARIANT_H

#include "project/project.h"

/* The layers of settings in the order of the command line; a later one wins. */
typedef enum obb_layer {
    OBB_LAYER_TOOLCHAIN, OBB_LAYER_PLATFORM, OBB_LAYER_CONFIGURATION, OBB_LAYER_AXIS,
    OBB_LAYER_PROJECT, OBB_LAYER_SHARED, OBB_LAYER_TARGET, OBB_LAYER_FILE
} obb_layer;

/* A range of addresses of a platform's memory. */
typedef struct obb_region {
    const char *name;
    const char *attributes; /* as in a linker script's MEMORY, "rx"; "" for none */
    uint64_t origin, length; /* bytes */
    obb_place place;
} obb_region;

/* How full a region may be. */
typedef struct obb_budget {
    const char *region;
    uint64_t bytes;      /* when percent is 0 */
    unsigned percent;
    bool fatal;
    obb_place place;
} obb_budget;

struct obb_variant {
    const char *name; /* host.debug, striker-m3.release+telemetry=full */
    obb_project *project;
    const obb_definition *platform, *configuration, *toolchain;
    const obb_runner *runner;   /* NULL: programs run as they are */
    const char **values;        /* by axis number; "" when nothing sets it */
    const char **value_from;    /* who set it: "platform x", "--set", "default" ... */
    obb_settings settings[OBB_LAYER_SHARED]; /* of the layers below */
    OBB_VEC(obb_region) memory;
    OBB_VEC(obb_budget) budgets; /* of the platform and the configuration */
    struct obb_overlaps *overlaps; /* choices where two cases were found to fit */
    char *conditions;               /* by number of condition: 0 not asked yet, 1 holds, 2 does not */
    obb_check_answer *answers;  /* by number of check */
    bool *answered;             /* one flag: whether they were asked for */
    char *systems; /* by third-party project: 0 not asked yet, 1 the system's is taken, 2 it is not */
    obb_target **targets;       /* by target number, as they are here; NULL: not asked yet */
};

typedef struct obb_variants {
    const obb_variant **at;
    size_t count, room;
} obb_variants;

/* The variant of these; `sets` are "axis=value" of the command line. With an error in `diags`
 * and NULL when there is no such thing. The same one for the same values. */
const obb_variant *obb_project_variant(obb_project *project, const char *platform,
                                       const char *configuration, const obb_words *sets,
                                       obb_place place, obb_diags *diags);

/* The variant of the product that a use of another variant names: of a platform alone, that with the
 * configuration of `from`. Of a tool, `tools`. With an error in `diags` and NULL when there is no such
 * thing. */
const obb_variant *obb_variant_of_use(const obb_use *use, const obb_variant *from, const obb_variant *tools,
                                      obb_diags *diags);

/* The one that is called so: PLATFORM.CONFIGURATION[+AXIS=VALUE...]. */
const obb_variant *obb_project_variant_named(obb_project *project, const char *name,
                                             const obb_words *sets, obb_place place,
                                             obb_diags *diags);

/* All variants of a lineup. */
void obb_project_lineup_variants(obb_project *project, const obb_lineup *lineup,
                                 const obb_words *sets, obb_diags *diags, obb_variants *variants);

/* The answers to all checks in this variant, by number; asked for at the first call. */
const obb_check_answer *obb_check_answers(const obb_variant *variant);

/* Whether third-party code that the system may have is taken from there, in this variant. */
bool obb_takes_system(const obb_variant *variant, const obb_thirdparty *other);

bool obb_condition_holds(const obb_variant *variant, const obb_condition *condition);

/* The value of an axis, "" when it has none here. */
const char *obb_variant_value(const obb_variant *variant, obb_axis_id axis);

/* What a placeholder stands for that depends on nothing but the variant: `variant`, its name; `out`, its
 * folder seen from the project's; `axis:NAME`; and of a region of memory `region:NAME`, its first address,
 * `region:NAME.end`, the one behind it, and `region:NAME.length`, its bytes. NULL: it is none of these, or
 * there is no such axis or region. */
const char *obb_variant_fact(const obb_variant *variant, const char *scope, const char *name,
                             obb_arena *arena);

/* Where in the folder of a variant lies what the description of a third-party project (`scope`) makes; of
 * ours (NULL), in the folder itself. */
char *obb_variant_own_folder(obb_arena *arena, const char *folder, const char *scope);

/* Whether such placeholders stand in a word of a description (`scope`); and the word with them filled, where
 * those that mean nothing stay. */
bool obb_has_facts(const char *word);
const char *obb_fill_facts(const obb_variant *variant, const char *scope, const char *word, obb_arena *arena);

/* The error for `axis:NAME` or `region:NAME` that is none of the variant's. */
void obb_report_no_fact(const obb_variant *variant, const char *name, obb_place place, obb_diags *diags);

/* The target as it is in this variant: conditions decided, only what holds. */
const obb_target *obb_in(const obb_variant *variant, const obb_target *target);

/* The condition that leaves the target out of this variant, as it is written; NULL: it is
 * there. */
const char *obb_left_out(const obb_variant *variant, const obb_target *target);

/* Errors for what the description rejects in this variant: refused cases, choices without a case, uses of
 * targets that are not there. */
void obb_report_refusals(const obb_variant *variant, const obb_target *target, obb_diags *diags);

/* The last property of this kind that holds; NULL: none. `id` is an obb_word_id. */
const obb_property *obb_definition_property(const obb_variant *variant, const obb_definition *definition,
                                            int id);

/* Circles of uses in this variant that prevent an order of building. */
void obb_check_circles(const obb_variant *variant, obb_diags *diags);

/* The budgets that hold for a program: its own, then those of the variant. */
void obb_budgets_of(const obb_variant *variant, const obb_target *target, obb_arena *arena,
                    obb_diags *diags, struct obb_budget **budgets, size_t *count);

/* The macros of the axes that hand their value to the code: NAME=1, one for each. */
void obb_axis_macros(const obb_variant *variant, const char *scope, obb_arena *arena, obb_words *macros);

#endif
