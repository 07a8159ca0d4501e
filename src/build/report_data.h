/* What is known of the builds of a project, as one JSON document: what the last ones did, what headers cost,
 * how full memory is, what is in images, how tests ended. The page of src/report is made of it. */
#ifndef OBB_BUILD_REPORT_DATA_H
#define OBB_BUILD_REPORT_DATA_H

#include <jansson.h>

#include "build/workspace.h"

/* What the last builds were of, as far as the project still has it: added to `variants` and `targets` (names
 * allocated with malloc; `targets` may be NULL). The project must have been read. */
void obb_report_choice(obb_workspace *w, obb_words *variants, obb_words *targets);

/* The document (docs/commands.md, obbligato.report-data) for the plan of the workspace; programs that are not
 * built are left out. `against`: a document with `programs` to compare with, or NULL. *document is released
 * by the caller. 0, or an exit code. */
int obb_report_data(obb_workspace *w, const json_t *against, json_t **document);

#endif
