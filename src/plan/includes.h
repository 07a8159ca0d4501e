/* Who includes whom, over all the wanted compiles of a plan: the graph behind the questions
 * that `scan` answers. The plan must have been scanned. */
#ifndef OBB_PLAN_INCLUDES_H
#define OBB_PLAN_INCLUDES_H

#include "plan/dependencies.h"

typedef struct obb_include_edge {
    obb_file from, to;
    int line; /* of the first #include of it; 0: before the first line (-include) */
} obb_include_edge;

typedef OBB_VEC(obb_include_edge) obb_include_edges;

/* What a header costs. */
typedef struct obb_header_cost {
    obb_file file;
    size_t times;         /* compiles that read it */
    uint64_t lines, bytes; /* its own */
    uint64_t brought;     /* lines that it brings in, with what it includes, over all compiles */
    uint64_t saved;       /* lines that the compiles would not read if nothing included it */
    double milliseconds, saved_milliseconds; /* of the compiles, for `brought` and `saved`: an estimate,
                                                shares by lines; 0 where it is not known what they took */
} obb_header_cost;

/* A name that several searched folders have. */
typedef struct obb_ambiguity {
    const char *name;  /* as it is included */
    obb_file winner;   /* the one that is read */
    obb_file_list others;
} obb_ambiguity;

typedef struct obb_includes {
    const obb_plan *plan;
    obb_arena *arena;
    obb_include_edges edges;          /* each pair once */
    OBB_VEC(obb_header_cost) costs;   /* dearest first; sources are not among them */
    OBB_VEC(obb_ambiguity) ambiguous; /* by name */
} obb_includes;

/* Scans every wanted compile once more, with its includes. `took`: the milliseconds of each action, 0 where
 * they are not known; or NULL. All memory is the arena's. */
obb_includes *obb_includes_of(const obb_dependency_table *table, const bool *wanted, const uint64_t *took,
                              obb_arena *arena);

/* The shortest chain of includes from one file to another; empty when there is none. */
obb_include_edges obb_includes_chain(const obb_includes *includes, obb_file from, obb_file to);

/* Groups of files that include each other in circles: for each, one shortest circle. */
typedef OBB_VEC(obb_include_edges) obb_include_circles;
obb_include_circles obb_includes_circles(const obb_includes *includes);

#endif
