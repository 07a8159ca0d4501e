/* What a link has besides the words of its command: the start files, libraries and folders that the
 * compiler adds, and the folders that the linker itself searches. The tools are asked once for each set
 * of words that decide it (-### of the gcc and clang families; --verbose of GNU ld, whose default script
 * names its folders), and the answer is kept. */
#ifndef OBB_TOOLCHAIN_LINKING_H
#define OBB_TOOLCHAIN_LINKING_H

#include "toolchain/options.h"
#include "toolchain/toolchain.h"

typedef struct obb_linking {
    obb_options before, behind; /* the linker's words before and behind those of the command */
    obb_words folders;          /* that the linker searches by itself, behind those it is given */
    obb_words system_folders;   /* the same for libraries that libraries need (ld.so.conf) */
    obb_words read;             /* files that the driver reads: specifications */
    const char *root;           /* the folder of the system, "" for none */
    const char *linker;         /* its path; "" when nobody knows */
    bool reports;               /* it writes what it read: --dependency-file */
    bool windows;               /* names of libraries as on that system */
    obb_fingerprint identity;         /* of the linker and of the variables that change a link */
    obb_map scans;              /* of links with these (scan/link_scan.h) */
} obb_linking;

/* For the words of a link (without the program). `tool` links, a driver or the linker itself; it must
 * have been asked. Never NULL: what cannot be found out is empty. */
obb_linking *obb_toolchain_linking(obb_toolchain *toolchain, const obb_tool *tool, const obb_options *words);

/* Releases what one holds outside the arena; obb_toolchain_free calls it. */
void obb_linking_free(obb_linking *linking);

/* Programs that a driver runs when these words stand in its command and name other places for them (-B,
 * -specs, -fuse-ld, -wrapper): they decide what comes out, as the tool itself does. */
void obb_toolchain_programs(obb_toolchain *toolchain, const obb_tool *tool, const obb_options *words,
                            obb_file_list *programs);

/* Programs that compile when these words are those of a link (-flto of the GCC family). Clang's are its
 * linker, or a plug-in that the linker's words name. */
void obb_toolchain_late_compilers(obb_toolchain *toolchain, const obb_tool *tool, const obb_options *words,
                                  obb_file_list *programs);

#endif
