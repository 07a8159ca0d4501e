/* Removing what builds made. */
#ifndef OBB_BUILD_CLEAN_H
#define OBB_BUILD_CLEAN_H

#include "build/workspace.h"

typedef enum obb_clean_case {
    OBB_CLEANED,          /* `files` were removed, or would be in a dry run */
    OBB_CLEANED_ALL,      /* the same: the output folder itself */
    OBB_NOTHING_TO_CLEAN,
    OBB_CLEAN_UNKNOWN     /* it is an output folder, but what was made in it is no longer known */
} obb_clean_case;

typedef struct obb_clean_result {
    obb_clean_case what;
    obb_words files;
} obb_clean_result;

/* Removes what was made for the variants of the request, or for all when it chooses none. 0, or an exit code
 * with the messages told. */
int obb_clean(obb_workspace *w, obb_clean_result *result);

/* Removes an output folder with all that is in it, if it has the mark of one. */
int obb_clean_all(obb_workspace *w, obb_clean_result *result);

/* Whether a request chooses variants. */
bool obb_request_chooses_variants(const obb_request *r);

#endif
