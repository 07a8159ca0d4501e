/* The form of a kept plan (kept.h), and how it is written. Only src/plan uses this header. */
#ifndef OBB_PLAN_KEPT_FORM_H
#define OBB_PLAN_KEPT_FORM_H

#include "base/map.h"
#include "plan/kept.h"

#define KEPT_NONE UINT32_MAX

enum { WORD_OF_PRINT = sizeof(obb_print) / sizeof(uint32_t) };

/* Lists are an offset into the pool, where their length stands before them. */
typedef struct kept_action {
    uint32_t kind, target, target_kind, variant, tool, words;
    uint32_t argv, output_word, root_word, output, also, beside, inputs, needs, source;
    uint32_t in_place, budgeted, reports, untold;
    uint32_t image_format, image_program, image_parts, image_fill, image_fill_stated, image_pad_high, image_pad_low;
    uint32_t step_parts, step_folder, step_environment, step_reports, found_inputs; /* step_parts KEPT_NONE: no step */
    uint32_t command[WORD_OF_PRINT], tools[WORD_OF_PRINT];
} kept_action;

typedef struct kept_tool {
    uint32_t toolchain, role, family, role_name, wanted, variable, version, target, command;
    uint32_t identity[WORD_OF_PRINT];
} kept_tool;

typedef struct kept_toolchain {
    uint32_t name, prefix, custom, macros, search;
} kept_toolchain;

typedef struct kept_words {
    uint32_t tool, language, flags, includes, defines, named, tokens_decide, stored;
} kept_words;

typedef struct kept_header {
    char magic[8];
    uint32_t actions, tools, toolchains, words; /* how many */
    uint32_t variants, chosen, left_out;        /* lists of strings; chosen: those of the variants that were asked for */
    uint32_t fixed;                             /* a list of files */
    uint32_t touched_files;                     /* files that `touchers` has a row for */
    uint32_t touchers, users;                   /* indexes: by file, the actions that read or make it; by
                                                   action, those that need it */
    uint32_t added;                             /* a list of pairs, file and action, behind `touchers` */
    uint32_t rest[WORD_OF_PRINT], wanted[WORD_OF_PRINT]; /* of the project; of which targets were built where */
    uint32_t statements;                        /* the fingerprints of all targets' statements, as one list */
    uint32_t text_length;                       /* of the strings; a multiple of 4 */
    uint32_t pool_count, fresh_count;           /* numbers in the pool; as it was first written */
} kept_header;

#define KEPT_MAGIC "obbpln7" /* eight bytes with the last one; count up when a table changes */

struct obb_kept_plan {
    const kept_header *header;
    const kept_action *actions;
    const kept_tool *tools;
    const kept_toolchain *toolchains;
    const kept_words *words;
    const char *text;
    const uint32_t *pool;
    size_t length;
    obb_arena *arena;
    OBB_VEC(uint32_t) reached; /* by action of the part: its kept number; KEPT_NONE: it has none */
    uint32_t *part_number;     /* by action: in the part, plus 1 */
    size_t planned;            /* so many of the part's actions, the first, were planned anew */
};

/* A row of an index. */
typedef struct kept_row {
    const uint32_t *at;
    uint32_t count;
} kept_row;

kept_row kept_touchers(const obb_kept_plan *kept, obb_file file);
kept_row kept_users(const obb_kept_plan *kept, uint32_t action);

/* Whether a file stands in a list of the pool; whether an action makes it. */
bool kept_lists(const obb_kept_plan *kept, uint32_t list, obb_file file);
bool kept_makes(const obb_kept_plan *kept, uint32_t action, obb_file file);

#endif
