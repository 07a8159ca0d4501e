/* Axes: what a build can vary along; and conditions on their values.
 *
 * Every condition of a description becomes a node with the condition around it as its parent. A statement
 * carries the innermost condition around it, or NULL. Whether a condition holds is decided once for each
 * variant (variant.h).
 */
#ifndef OBB_PROJECT_AXIS_H
#define OBB_PROJECT_AXIS_H

#include <stdbool.h>
#include <stdint.h>

#include "base/diag.h"
#include "base/vec.h"
#include "score/score.h"

/* The axes that are built in, in this order. */
typedef enum obb_axis_id {
    OBB_AXIS_OS, OBB_AXIS_CPU, OBB_AXIS_LIBC, OBB_AXIS_ENDIAN, OBB_AXIS_FAMILY,
    OBB_AXIS_CONFIGURATION, OBB_AXIS_PLATFORM, OBB_AXIS_HOST_OS, OBB_AXIS_HOST_CPU, OBB_AXIS_COVERAGE,
    OBB_AXIS_BUILT_IN
} obb_axis_id;

typedef struct obb_axis {
    const char *name;
    obb_place place;     /* line 0: built in */
    const char *summary; /* or NULL */
    obb_words values;    /* the known ones */
    bool open;           /* a platform may set others, which are known from then on */
    bool found_out;      /* follows from something else, so it cannot be set */
    const char *initial; /* its default; or NULL */
    obb_place initial_place;
    const char *define;  /* the prefix of its macros; or NULL */
    bool define_in_header; /* they are in the generated header alone, so that objects can be shared */
    size_t number;       /* its index in the project; built-in ones are obb_axis_id */
} obb_axis;

/* The value of the axis `cpu` by which people know a processor: x86_64 for amd64; "": none. */
const char *obb_cpu_of(const char *name);

/* `axis=value`, where it was stated: set, or asked for by a condition. */
typedef struct obb_assignment {
    const obb_axis *axis;
    const char *value;
    obb_place place;
} obb_assignment;

struct obb_check;

/* A test of axis values and checks: axis=a|b*, axis!=a, has strlcpy, and, or, not, ( ). */
typedef struct obb_test {
    enum { OBB_TEST_AXIS, OBB_TEST_HAS, OBB_TEST_NOT, OBB_TEST_AND, OBB_TEST_OR } kind;
    const obb_axis *axis;
    obb_words alternatives; /* values or patterns */
    const char *subject;    /* of `has`: what is looked for, */
    OBB_VEC(const struct obb_check *) checks; /* and the checks of that name: one must hold */
    const struct obb_test *a, *b;
} obb_test;

typedef struct obb_case {
    obb_words alternatives; /* empty: else */
    obb_place place;
} obb_case;

typedef struct obb_condition obb_condition;

typedef struct obb_choose {
    const obb_axis *axis;
    obb_place place;
    const obb_condition *parent;
    OBB_VEC(obb_case) cases; /* `else`, when there is one, is the last */
    bool has_else;
} obb_choose;

struct obb_condition {
    const obb_condition *parent;
    const obb_test *test;     /* of `when`; NULL: a case of `choose` */
    const obb_choose *choose;
    size_t which;             /* the case; the number of cases: none of them */
    size_t number;            /* in the project */
};

/* What this machine is. `family` (gcc or clang) is asked only when something depends on it. */
typedef struct obb_host {
    const char *os, *cpu, *libc, *endian;
    const char *(*family)(void *self);
    void *self;
} obb_host;

/* This machine, as uname (POSIX) and the C library describe it; the family is assumed to be gcc. */
const obb_host *obb_host_here(void);

/* Whether a value is one of these words or matches one of these patterns. */
bool obb_value_among(const char *value, const obb_words *alternatives);

#endif
