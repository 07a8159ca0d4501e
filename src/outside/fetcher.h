/* obbligato-fetch (src/fetcher), from obbligato's side: it lies in the folder of the program that runs, is
 * asked to download or to unpack, and is not believed: sums are compared here. */
#ifndef OBB_OUTSIDE_FETCHER_H
#define OBB_OUTSIDE_FETCHER_H

#include <stdbool.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/vec.h"

/* A place that did not give it, and why. */
typedef struct obb_failed_place {
    const char *place, *why;
} obb_failed_place;

typedef struct obb_download {
    const char *name;  /* for users */
    obb_words places;  /* URLs, tried in this order */
    const char *to;    /* the file that it becomes */

    /* how it went */
    uint64_t got, total; /* bytes; total 0: not known */
    const char *from;    /* the place that gave it; NULL: none did */
    bool resumed;        /* a part of it is from an earlier time */
    OBB_VEC(obb_failed_place) failed;
} obb_download;

/* Called a few times a second. */
typedef void obb_download_progress(void *self, const obb_download *downloads, size_t count);

/* Why not, when the user ended it. */
extern const char obb_fetch_interrupted[];

/* Downloads side by side. NULL, or why the program could not be run; results stand in the list. */
const char *obb_fetcher_download(obb_arena *arena, obb_download *downloads, size_t count,
                                 obb_download_progress *progress, void *self);

/* Why an archive could not be unpacked. */
typedef struct obb_not_unpacked {
    const char *why;   /* NULL: it was */
    const char *entry; /* the name of the entry that was refused; else "" */
    bool here;         /* it is no fault of the archive */
} obb_not_unpacked;

/* Unpacks an archive into a folder that is there and empty. */
obb_not_unpacked obb_fetcher_unpack(obb_arena *arena, const char *archive, const char *folder);

#endif
