/* The texts of checks, and their compiles: what src/plan/checks.c asks with. Only these two files use this
 * header. */
#ifndef OBB_PLAN_CHECK_COMPILES_H
#define OBB_PLAN_CHECK_COMPILES_H

#include "plan/check_context.h"

/* The headers of some checks, and what they bring. */
typedef struct obb_header_set {
    obb_words stated;     /* as the checks name them */
    obb_words headers;    /* those that the platform has */
    const char *left_out; /* the first one that it has not; or NULL */
    obb_file_list files;  /* all that is read for them */
    const char *missing;  /* what makes any answer a no: the header that is looked for, one that another
                             includes, or the last one that is left; or NULL */
    bool known;           /* the scan could follow all of it */
} obb_header_set;

typedef struct obb_check_unit {
    const obb_check *check;
    obb_check_answer *answer;
    size_t set, files;    /* its headers, and how many files they read */
    obb_fingerprint key;
    bool open;            /* still to be answered */
} obb_check_unit;

typedef OBB_VEC(obb_check_unit *) obb_check_units;

/* One block in one variant, while it is answered. */
typedef struct obb_check_asker {
    obb_check_context *c;
    const obb_checks *block;
    obb_toolchain *tc;
    const obb_tool *tool;
    obb_language language;
    obb_words flags, includes, defines;
    const obb_preprocessor_setup *setup;
    OBB_VEC(obb_header_set) sets;
    OBB_VEC(obb_check_unit) units;
    const char *folder;   /* of texts and objects; NULL: not made yet */
    size_t texts;         /* that were compiled so far */
    bool any_held;
    obb_map tokens;       /* by path: an obb_map whose keys are the words of a file */
} obb_check_asker;

/* A text that is compiled, and what came of it. */
typedef struct obb_check_text {
    const char *source;   /* a path */
    const char *object;
    const obb_words *more; /* flags; or NULL */
    bool ok;
    const char *said;
} obb_check_text;

/* Adds the includes of a set. */
void obb_check_add_headers(obb_text *text, const obb_header_set *set);

/* Adds what each of these checks asks, under `#line`s that name it. */
void obb_check_add_units(obb_text *text, const obb_check_asker *asker, const obb_check_units *list);

/* The suffix of sources in the language of the block. */
const char *obb_check_suffix(const obb_check_asker *asker);

/* Writes a text to be compiled; its path, or NULL with an error. */
const char *obb_check_write(obb_check_asker *asker, const obb_text *text);

/* Compiles texts side by side, some at once. */
void obb_check_compile(obb_check_asker *asker, obb_check_text *texts, size_t count);

#endif
