/* One file of a delivery: where it goes, and what is in it. */
#ifndef OBB_DELIVERY_ENTRY_H
#define OBB_DELIVERY_ENTRY_H

#include "plan/dependencies.h"

/* The time of everything that is delivered, unless SOURCE_DATE_EPOCH says another: the first second of 2000,
 * so that the same input gives the same bytes. */
#define OBB_DELIVERY_TIME 946684800

typedef struct obb_entry {
    const char *path;      /* below the prefix */
    const char *what;      /* for users: "program tower-sim" */
    obb_place place;       /* where that is stated */
    const char *source;    /* a file, seen from the project's folder; NULL: one of the next two */
    const char *link;      /* the target of a symbolic link */
    const char *bytes;     /* contents that are known here, so many; NULL: not until all is built */
    size_t length;
    bool linked;           /* a program or shared library: symbols can be stripped */
    bool static_library;
    bool executable;       /* its mode is 0755, else 0644 */
} obb_entry;

typedef OBB_VEC(obb_entry) obb_entries;

typedef struct obb_contents_input {
    obb_arena *arena;      /* entries live there */
    const obb_plan *plan;  /* of all that is delivered in the variant */
    const obb_dependency_table
        *table; /* its sources are scanned; NULL: nothing is built, and there is no SBOM */
    const obb_plan_variant *in;
    obb_diags *diags;
    const char *searched; /* a folder below the prefix where the system looks for shared libraries anyhow,
                             such as lib below /usr: it is left out of run paths; or NULL */
} obb_contents_input;

/* What an entry has in it: its file is read, and the run path of a program or library is as it must be where
 * it goes (run_path.h). 0, or an errno value; `text` is the caller's. */
int obb_entry_read(const obb_contents_input *input, const obb_entry *entry, obb_text *text);

#endif
