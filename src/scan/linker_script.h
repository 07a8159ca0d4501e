/* Linker scripts: which files one reads (GNU ld manual, sections 3.4.2, Commands Dealing with Files). INCLUDE
 * reads another script; INPUT, GROUP and STARTUP name objects, archives and (-lNAME) libraries, which
 * link_scan.h looks for. */
#ifndef OBB_SCAN_LINKER_SCRIPT_H
#define OBB_SCAN_LINKER_SCRIPT_H

#include "base/arena.h"
#include "base/diag.h"
#include "base/files.h"

typedef struct obb_script_missing {
    const char *name;
    obb_place place; /* of the INCLUDE */
} obb_script_missing;

typedef struct obb_script_scan {
    obb_file_list files;  /* scripts, the first one first; empty when it is not there */
    obb_file_list absent; /* where an included file was looked for and was not */
    obb_words inputs;     /* what INPUT, GROUP and STARTUP name, as it is written */
    OBB_VEC(obb_script_missing) missing;
} obb_script_scan;

/* Scans a script; `folders` are searched for what it names, in order. Memory is the arena's. */
void obb_scan_linker_script(obb_files *files, obb_arena *arena, const char *path, const obb_words *folders,
                            obb_script_scan *scan);

#endif
