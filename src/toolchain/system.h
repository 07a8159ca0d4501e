/* Libraries that the system has: by plain name, and by the metadata file that a library
 * installed. */
#ifndef OBB_TOOLCHAIN_SYSTEM_H
#define OBB_TOOLCHAIN_SYSTEM_H

#include "toolchain/toolchain.h"

/* The file that a compiler's link would take for `-lNAME`, or OBB_NO_FILE: for links by the linker itself,
 * which does not know the compiler's folders. The `-L` words of `flags` are searched first. The tool must
 * have been asked. */
obb_file obb_system_library(obb_toolchain *toolchain, const obb_tool *tool, const obb_words *flags,
                            const char *name);

/* What metadata files say: words for compiles and for links. */
typedef struct obb_metadata {
    obb_words compile, link; /* the arena's of the toolchain */
} obb_metadata;

/* Reads NAME.pc and those it requires, for a text "NAME" or "NAME least VERSION" (lines NAME=VALUE, then
 * Requires:, Libs: and Cflags: with ${NAME} in them). The folders of OBBLIGATO_METADATA (separated by colons)
 * come first, then those one level below the library folders of the toolchain. Their words are added to
 * `metadata`. False with an error in `diags` when one is missing or too old. */
bool obb_system_metadata(obb_toolchain *toolchain, const char *wanted, obb_place place,
                         const char *who, obb_diags *diags, obb_metadata *metadata);

/* The words for compiles that NAME.pc has itself, without those of what it requires. False: there is no such
 * file. */
bool obb_system_metadata_itself(obb_toolchain *toolchain, const char *name, obb_words *compile);

/* The names of all metadata files that would be found. */
void obb_system_metadata_names(obb_toolchain *toolchain, obb_words *names);

/* What the folder is called in which this machine's libraries keep their metadata files, one level below that
 * of the libraries: other readers look for them there. "metadata" where no library has one. */
const char *obb_system_metadata_folder(obb_toolchain *toolchain);

#endif
