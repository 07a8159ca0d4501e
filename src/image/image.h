/* Images: what is put on a device. Made by our own writers from the loadable sections of an
 * ELF file, or from parts at offsets.
 *
 *   bin   raw bytes, from the lowest address on
 *   hex   Intel Hexadecimal Object File Format Specification, revision A (1988): 16 bytes a
 *         record, extended segment addresses below 1 MiB, extended linear ones above
 *   srec  Motorola S-records (M68000 Family Programmer's Reference Manual, appendix C): S1, S2
 *         or S3 by the highest address; the S0 record holds the name of the file
 */
#ifndef OBB_IMAGE_IMAGE_H
#define OBB_IMAGE_IMAGE_H

#include <stdbool.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

typedef enum obb_image_format { OBB_IMAGE_BIN, OBB_IMAGE_HEX, OBB_IMAGE_SREC } obb_image_format;

typedef struct obb_image_segment {
    const char *path;
    uint64_t offset; /* bytes from the start of the image; of one with an address, the address */
    uint64_t room;   /* bytes that it may have; 0: any number */
} obb_image_segment;

typedef struct obb_image_recipe {
    obb_image_format format;
    const char *program;  /* an ELF file; NULL: made of `segments` */
    OBB_VEC(obb_image_segment) segments;
    bool addressed;       /* the segments lie at addresses, */
    uint64_t address;     /* of which this is the first one of the image */
    int fill;             /* the byte between sections or segments, and behind them */
    bool fill_stated;     /* hex and srec fill gaps only when it is */
    uint64_t pad_to;      /* length in bytes; 0: as long as it is */
} obb_image_recipe;

/* What is in an image, in order of address: sections or segments, and what lies between and behind them. */
typedef struct obb_image_part {
    const char *name; /* of a section or a file; NULL: a gap */
    uint64_t address, length; /* bytes; the address counts from the start, where the image has none */
    bool padding;     /* a gap behind all parts */
} obb_image_part;

typedef struct obb_image_layout {
    uint64_t start, length; /* of the raw form */
    bool addressed;         /* it has an address: `start` */
    OBB_VEC(obb_image_part) parts;
} obb_image_layout;

/* NULL, or what is wrong (allocated from the arena). */
const char *obb_image_lay_out(const obb_image_recipe *recipe, obb_arena *arena, obb_image_layout *layout);

/* Makes the image at `path`; `name` is the name that it says it has. NULL, or what is wrong
 * (allocated from the arena). */
const char *obb_image_make(const obb_image_recipe *recipe, const char *path, const char *name,
                           obb_arena *arena);

#endif
