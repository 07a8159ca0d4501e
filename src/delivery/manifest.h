/* The manifest of what was installed into a prefix: one file for each delivery of each project, in
 * PREFIX/share/obbligato. Text, one line for each file, sorted by path:
 *
 *     obbligato-installed 1
 *     delivery PROJECT VERSION DELIVERY VARIANT
 *     above N                       so many folders above the prefix were made for it
 *     folder PATH                   below the prefix; `.` is the prefix; made here, or by another delivery
 *     file SHA256 755 PATH          octal mode
 *     link TARGET<TAB>PATH
 *
 * While a delivery is installed, a second file with `.new` behind its name lists what will be there then, and
 * what an install before it left behind when it ended too soon: a path may stand twice. So after an end at
 * any time both together know every file that may be there. */
#ifndef OBB_DELIVERY_MANIFEST_H
#define OBB_DELIVERY_MANIFEST_H

#include <stdbool.h>

#include "base/arena.h"
#include "base/vec.h"

#define OBB_MANIFEST_FOLDER "share/obbligato"
#define OBB_MANIFEST_NEW ".new"

typedef enum obb_manifest_kind {
    OBB_MANIFEST_DIRECTORY,
    OBB_MANIFEST_FILE,
    OBB_MANIFEST_LINK
} obb_manifest_kind;

typedef struct obb_manifest_line {
    obb_manifest_kind kind;
    const char *path;
    const char *sum;    /* of a link, its target; of a folder NULL */
    bool executable;
} obb_manifest_line;

typedef struct obb_manifest {
    const char *project, *version, *delivery, *variant; /* version "-": none is stated */
    unsigned above;
    OBB_VEC(obb_manifest_line) lines;
} obb_manifest;

typedef OBB_VEC(obb_manifest) obb_manifests;

/* The path of a manifest below the prefix. */
const char *obb_manifest_path(obb_arena *arena, const char *project, const char *delivery);

/* Reads one; 0, or an errno value: ENOENT when there is none, EINVAL when it is none. */
int obb_manifest_read(obb_arena *arena, const char *path, obb_manifest *manifest);

/* Writes one, on the disk when it returns. 0, or an errno value. */
int obb_manifest_write(const obb_manifest *manifest, const char *path);

/* All manifests of a prefix but one (its path below the prefix), unfinished ones as well. 0, or an errno
 * value; a prefix without any is none. */
int obb_manifest_others(obb_arena *arena, const char *prefix, const char *except, obb_manifests *manifests);

#endif
