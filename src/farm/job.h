/* Work that is done elsewhere: how jobs and what they need are kept in a Redis server.
 *
 * PREFIX:blob:SHA256: the bytes of a file.
 *
 * PREFIX:jobs:VERSION:MACHINE: a stream of jobs of this version, read by the group `workers` (a consumer
 * group: each entry is delivered to one worker, and again to another when that one dies). Its entries have
 * `job`, a JSON document, and `seal`, its signature (obb_seal, in bytes). Workers of another version do not
 * see it.
 *
 * PREFIX:answers:BUILDER: a list of answers, `KEY made` or `KEY failed`; it expires.
 *
 * PREFIX:worker:NAME: a hash, what a worker says of itself (`slots`, `machine`, `version` of the program,
 * `jobs`, the version of jobs that it does); it expires.
 *
 * PREFIX:workers, PREFIX:queues:VERSION: sets of the names of workers and of the machines of streams, so that
 * nobody has to search for them.
 *
 * PREFIX:KEY: the result, a far entry (farm/entry.h), as the far store has it.
 *
 * A job (JSON, RFC 8259): `version` 1; `key`; `folder`, where its command runs; `words`, of which
 * OBB_FAR_OUTPUT is the name of the output; `environment`; `toolchain`, the blob of a list of files; `links`,
 * an object: the targets of the symbolic links on the way to inputs; `inputs`, each real path, SHA-256, and
 * whether it is executable; `milliseconds` that it is expected to take; `answers`, where the answer goes. Of
 * a step also `makes`, the paths of its outputs, and perhaps `stdin` and `stdout`, paths as well: then the
 * result is these files, packed (state/packed.h).
 *
 * A list of files is a text, a line each: `f SHA256 MODE PATH` for a file with an octal mode, `l
 * PATH<tab>TARGET` for a symbolic link.
 */
#ifndef OBB_FARM_JOB_H
#define OBB_FARM_JOB_H

#include "base/arena.h"
#include "base/sha256.h"
#include "base/text.h"
#include "base/vec.h"

#define OBB_FARM_VERSION 1
#define OBB_FARM_VERSION_TEXT OBB_FARM_TEXT_OF(OBB_FARM_VERSION) /* the same in names */
#define OBB_FARM_TEXT_OF(number) OBB_FARM_TEXT_OF_IT(number)
#define OBB_FARM_TEXT_OF_IT(number) #number
#define OBB_FARM_GROUP "workers"
#define OBB_FARM_OUTPUT_FOLDER "/obbligato-output"

typedef struct obb_listed_file {
    const char *path;
    const char *target; /* of a symbolic link; NULL: a file */
    char sum[OBB_SHA256_TEXT];
    unsigned mode;
} obb_listed_file;

typedef OBB_VEC(obb_listed_file) obb_file_listing;

void obb_listing_write(const obb_file_listing *list, obb_text *text);

/* False: it is none. */
bool obb_listing_read(obb_arena *arena, const char *text, size_t length, obb_file_listing *list);

/* Absolute, and leading up nowhere. */
bool obb_is_plain_path(const char *path);

/* The stream of jobs for a machine. */
const char *obb_farm_stream(obb_arena *arena, const char *prefix, const char *machine);

/* What machine this is, as far as programs for it are concerned: "linux-x86_64". */
const char *obb_farm_machine(obb_arena *arena);

#endif
