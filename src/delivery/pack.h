/* A delivery as one file: an archive, a Debian package, or a script that installs itself.
 *
 * What is packed is written by the program obbligato-pack (src/packer). The same entries give the same bytes.
 */
#ifndef OBB_DELIVERY_PACK_H
#define OBB_DELIVERY_PACK_H

#include "delivery/entry.h"

typedef struct obb_packing {
    obb_arena *arena;
    const obb_contents_input *input; /* of the entries */
    const obb_delivery *delivery;
    const obb_entries *entries;
    obb_words needs;       /* names of deliveries that this one needs */
    const char *format;    /* one of obb_pack_formats */
    const char *name;      /* of archives: the file without its suffix, and the folder in it */
    const char *to;        /* the folder that the file is written to */
    obb_words *taken;      /* files that were packed in this run: one is not written twice */
    const char *work;      /* a folder for what is made on the way */
} obb_packing;

/* tar.gz tar.xz tar.zst zip deb run; ends with NULL. */
extern const char *const obb_pack_formats[];

/* The path of the file; NULL with errors in the input's `diags`. What stood there is replaced when all went
 * well. */
const char *obb_pack(const obb_packing *packing);

/* --- for the parts of it (debian.c, run_file.c) --- */

/* A member of an archive: a file that is there already, or a link. */
typedef struct obb_member {
    const char *path, *source, *link;
    bool executable;
} obb_member;

typedef OBB_VEC(obb_member) obb_members;

/* The entries, each in a file, below a folder of the archive ("" or NAME/). False with errors. */
bool obb_pack_members(const obb_packing *packing, const char *folder, obb_members *members);

/* A member that is written here. */
bool obb_pack_text(const obb_packing *packing, obb_members *members, const char *path, const obb_text *text);

/* Writes an archive into the folder for what is made on the way; its path, or NULL with errors. */
const char *obb_pack_archive(const obb_packing *packing, const char *format, const char *name, bool folders,
                             const obb_members *members);

/* The same bytes compressed (gzip), in a file of that folder; NULL with errors. */
const char *obb_pack_compressed(const obb_packing *packing, const char *source, const char *name);

/* Moves a finished file to where it goes. */
const char *obb_pack_finish(const obb_packing *packing, const char *made, const char *name);

void obb_pack_failed(const obb_packing *packing, const char *what, const char *path, const char *why);

/* debian.c, run_file.c */
const char *obb_pack_deb(const obb_packing *packing);
const char *obb_pack_run(const obb_packing *packing);

#endif
