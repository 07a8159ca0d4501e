/* The scan of a compile, taken from its record: as long as all that it depended on is as it was, or changed
 * only where no scan looks (text_changes.h). */
#ifndef OBB_RUN_RECALL_H
#define OBB_RUN_RECALL_H

#include "run/text_changes.h"

enum { OBB_RECENT_CHANGES = 8 };

/* Begins as {state, files}. Users of an edited header ask the same of it, one after the other. */
typedef struct obb_recaller {
    obb_state *state;
    obb_files *files;
    struct {
        obb_file file;
        obb_text_kind kind;
        obb_fingerprint then, now;
        bool asked_noted, alike;
    } recent[OBB_RECENT_CHANGES];
    unsigned next; /* the place of the next one; counts on */
} obb_recaller;

/* The memory of a scan: what records tell, and where it is noted what scans asked for. With `recall` false
 * nothing is recalled. The recaller must live as long. */
obb_scan_memory obb_scan_records(obb_recaller *recaller, bool recall);

#endif
