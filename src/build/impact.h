/* What an edit of files would make again. */
#ifndef OBB_BUILD_IMPACT_H
#define OBB_BUILD_IMPACT_H

#include "build/workspace.h"

/* By action number. */
typedef struct obb_impact {
    bool *hit;              /* it would be carried out again, */
    const obb_action **by;  /* after this one; NULL: since it reads */
    obb_file *reads;        /* this file */
} obb_impact;

/* Plans the default targets and all tests of the chosen variants, and finds what reads the named files and
 * what needs that, and so on. The names are of the request, which then names no targets. 0, or an exit code
 * with the messages told. */
int obb_find_impact(obb_workspace *w, const obb_words *names, obb_impact *impact);

/* Whether the program of a test is hit. */
bool obb_impact_touches(const obb_workspace *w, const obb_impact *impact, const obb_target *test,
                        const obb_variant *variant);

#endif
