/* Which files a link reads, found by the linker's own rules before it runs (GNU ld manual 2.1.1, options
 * -L and -l; 2.6, Commands Dealing with Files of linker scripts; System V ABI, Dynamic Section): start files,
 * scripts and what they name, libraries in the folders that are searched, members of thin archives, and the
 * shared libraries that shared libraries need. */
#ifndef OBB_SCAN_LINK_SCAN_H
#define OBB_SCAN_LINK_SCAN_H

#include "toolchain/linking.h"

typedef struct obb_link_scan {
    obb_file_list files; /* in the order in which they are found, each once. Those that the words of the
                            command name are seen from the working folder */
    obb_file_list untold;  /* the same: those that linkers' own reports leave out, such as specifications,
                              plug-ins  and scripts that scripts include */
    obb_words folders;     /* that are searched for libraries, in order */
    obb_words
        missing; /* libraries that the words name, by the name behind -l, and that are in none of them */
} obb_link_scan;

/* What a link with these words reads, besides what it names that is not there yet. Places where
 * something was looked for without success are looked at in `files`, and so known to whoever keeps what was
 * looked at. The result belongs to the toolchain of `linking`. */
const obb_link_scan *obb_scan_link(obb_files *files, obb_arena *arena, obb_linking *linking,
                                   const obb_options *words);

#endif
