/* The form of a serialized plan (serialized.h), and how it is written. Only src/plan uses this header.
 *
 * Every table is an array of fixed-size rows, and every reference between them is an index or an offset, so
 * that the bytes can be mapped and read in place. Opening checks the magic and the lengths; for the rest, the
 * seals of the snapshot are asked before something is read (serialized_may_read). */
#ifndef OBB_PLAN_SERIALIZED_FORMAT_H
#define OBB_PLAN_SERIALIZED_FORMAT_H

#include "base/map.h"
#include "plan/serialized.h"

#define SERIALIZED_NONE UINT32_MAX

enum { WORD_OF_PRINT = sizeof(obb_fingerprint) / sizeof(uint32_t) };

/* Lists are an offset into the pool, where their length stands before them. */
typedef struct serialized_action {
    uint32_t kind, target, target_kind, variant, tool, words;
    uint32_t argv, output_word, root_word, output, also, links, byproducts, inputs, needs, source;
    uint32_t in_place, budgeted, reports, untold;
    uint32_t image_format, image_program, image_parts, image_fill, image_fill_stated, image_pad_high,
        image_pad_low, image_addressed, image_address_high, image_address_low;
    uint32_t step_parts, step_folder, step_environment, step_reports, step_apart, step_anywhere,
        found_inputs; /* step_parts SERIALIZED_NONE: no step */
    uint32_t command[WORD_OF_PRINT], tools[WORD_OF_PRINT];
} serialized_action;

typedef struct serialized_tool {
    uint32_t toolchain, role, family, role_name, wanted, variable, version, target, command;
    uint32_t identity[WORD_OF_PRINT];
} serialized_tool;

typedef struct serialized_toolchain {
    uint32_t name, prefix, custom, macros, search;
} serialized_toolchain;

typedef struct serialized_words {
    uint32_t tool, language, flags, includes, defines, named, tokens_decide, stored;
} serialized_words;

typedef struct serialized_header {
    char magic[8];
    uint32_t actions, tools, toolchains, words; /* how many */
    uint32_t variants, chosen,
        left_out, far; /* lists of strings; chosen: those of the variants that were asked for */
    uint32_t fixed;                             /* a list of files */
    uint32_t touched_files;                     /* files that `touchers` has a row for */
    uint32_t touchers, users;                   /* indexes: by file, the actions that read or make it; by
                                                   action, those that need it */
    uint32_t added;                             /* a list of pairs, file and action, behind `touchers` */
    uint32_t rest[WORD_OF_PRINT],
        wanted[WORD_OF_PRINT];                  /* of the project; of which targets were built where */
    uint32_t statements;                        /* the fingerprints of all targets' statements, as one list */
    uint32_t text_length;                       /* of the strings; a multiple of 4 */
    uint32_t pool_count, fresh_count;           /* numbers in the pool; as it was first written */
} serialized_header;

#define SERIALIZED_MAGIC "obbplnd" /* eight bytes with the last one; count up when a table changes */

/* What is known of the bytes. */
typedef struct serialized_trust {
    obb_plan_bytes bytes;
    bool whole, damaged;
} serialized_trust;

struct obb_serialized_plan {
    serialized_trust *trust;
    size_t fresh; /* planned actions without a kept one */
    OBB_VEC(uint32_t) dropped; /* kept actions of planned targets without a planned one */
    const serialized_header *header;
    const serialized_action *actions;
    const serialized_tool *tools;
    const serialized_toolchain *toolchains;
    const serialized_words *words;
    const char *text;
    const uint32_t *pool;
    obb_arena *arena;
    OBB_VEC(uint32_t) reached; /* by action of the part: its kept number; SERIALIZED_NONE: it has none */
    uint32_t *part_number;     /* by action: in the part, plus 1 */
    bool *settled;             /* by planned action: see obb_serialized_plan_settled */
    size_t planned;            /* so many of the part's actions, the first, were planned again */
};

/* A row of an index. */
typedef struct serialized_row {
    const uint32_t *at;
    uint32_t count;
} serialized_row;

/* Whether these bytes may be read. After the first ones that are damaged, none may. */
bool serialized_may_read(const obb_serialized_plan *kept, const void *at, size_t length);

/* A list of the pool, its length first; an action. Where they may not be read: an empty one, and one of
 * zeros. */
const uint32_t *serialized_list(const obb_serialized_plan *kept, uint32_t at);
const serialized_action *serialized_action_at(const obb_serialized_plan *kept, uint32_t number);

serialized_row serialized_touchers(const obb_serialized_plan *kept, obb_file file);
serialized_row serialized_users(const obb_serialized_plan *kept, uint32_t action);

/* Whether a file stands in a list of the pool; whether an action makes it. */
bool serialized_lists(const obb_serialized_plan *kept, uint32_t list, obb_file file);
bool serialized_makes(const obb_serialized_plan *kept, uint32_t action, obb_file file);

#endif
