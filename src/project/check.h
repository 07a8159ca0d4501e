/* Checks: what a platform has, as the code needs to know it: headers, functions, members, types, sizes,
 * constants, sources that compile, flags. Stated in `checks`; answered once for each variant by compiling
 * (plan/checks.h), when a condition or a generated header asks for them.
 */
#ifndef OBB_PROJECT_CHECK_H
#define OBB_PROJECT_CHECK_H

#include "project/axis.h"
#include "project/setting.h"

typedef enum obb_check_kind {
    OBB_CHECK_HEADER,
    OBB_CHECK_FUNCTION,
    OBB_CHECK_MEMBER,
    OBB_CHECK_TYPE,
    OBB_CHECK_SIZE,
    OBB_CHECK_CONSTANT,
    OBB_CHECK_COMPILES,
    OBB_CHECK_FLAG,
    OBB_CHECK_KINDS
} obb_check_kind;

/* One `checks` block. */
typedef struct obb_checks {
    obb_place place;
    bool cxx;             /* in C++, else in C */
    const char *into;     /* the header that its macros are written to; NULL: that of the project */
    const char *template; /* what else that header has, seen from the root; NULL: nothing */
    obb_place template_place;
    obb_words values;     /* for the template: NAME=VALUE */
    obb_settings settings; /* besides those of the variant and the project */
} obb_checks;

typedef struct obb_check {
    obb_check_kind kind;
    const char *subject;  /* a header, a name, a type, a flag; of `compiles`, what it is called */
    const char *of;       /* of a member: the type that has it */
    obb_words headers;    /* included first */
    const char *file;     /* of `compiles`: the source, seen from the root */
    const char *macro;    /* HAVE_STRLCPY, SIZEOF_LONG; NULL: none, of flags */
    obb_place place;
    const obb_condition *condition; /* where it is asked at all */
    const obb_checks *block;
    size_t number;        /* in the project */
} obb_check;

typedef struct obb_check_answer {
    bool asked;        /* its condition holds in the variant */
    bool holds;
    int64_t value;     /* of a size or a constant that holds */
    const char *words; /* of one that does not: why, in the compiler's words or ours */
} obb_check_answer;

extern const char *const obb_check_kind_names[]; /* by kind; ends with NULL */

#endif
