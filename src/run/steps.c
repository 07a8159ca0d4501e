#include "run/steps.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/sha256.h"
#include "base/path.h"

static const char *wrong(obb_arena *arena, const char *what, const char *path, int failed)
{
    return obb_arena_format(arena, "cannot %s %s: %s", what, path, strerror(failed));
}

static const char *write_out(const char *path, const obb_text *text, obb_arena *arena)
{
    int failed = obb_path_make_folders(path);
    if (!failed)
        failed = obb_file_write(path, obb_text_bytes(text), text->length, NULL);
    return failed ? wrong(arena, "write", path, failed) : NULL;
}

/* The contents one behind the other; a file that may be run stays one. */
static const char *join(const obb_step_part *part, obb_arena *arena)
{
    obb_text text = {0};
    const char *message = NULL, *to = part->words.at[part->words.count - 1];
    struct stat st;
    for (size_t i = 0; i + 1 < part->words.count && !message; i++) {
        obb_text one = {0};
        int failed = obb_file_read(part->words.at[i], &one);
        if (failed)
            message = wrong(arena, "read", part->words.at[i], failed);
        else if (one.length)
            obb_text_add(&text, one.bytes, one.length);
        obb_text_free(&one);
    }
    if (!message)
        message = write_out(to, &text, arena);
    if (!message && part->kind == OBB_PART_COPY && stat(part->words.at[0], &st) == 0 && chmod(to, st.st_mode & 0777))
        message = wrong(arena, "write", to, errno);
    obb_text_free(&text);
    return message;
}

static const char *move(const obb_step_part *part, obb_arena *arena)
{
    int failed = obb_path_make_folders(part->words.at[1]);
    if (!failed && rename(part->words.at[0], part->words.at[1]))
        failed = errno;
    return failed ? wrong(arena, "move", part->words.at[0], failed) : NULL;
}

/* FIPS 180-4; the lines have the form that checking programs of the system read. */
static const char *hash(const obb_step_part *part, obb_arena *arena)
{
    obb_text text = {0};
    const char *message = NULL;
    for (size_t i = 0; i + 1 < part->words.count && !message; i++) {
        obb_text one = {0};
        char digest[OBB_SHA256_TEXT];
        int failed = obb_file_read(part->words.at[i], &one);
        if (failed)
            message = wrong(arena, "read", part->words.at[i], failed);
        else
            obb_text_format(&text, "%s  %s\n", obb_sha256(one.bytes, one.length, digest), obb_path_name(part->words.at[i]));
        obb_text_free(&one);
    }
    if (!message)
        message = write_out(part->words.at[part->words.count - 1], &text, arena);
    obb_text_free(&text);
    return message;
}

static const char *fill(const obb_step_part *part, obb_arena *arena)
{
    uint64_t count = 0, byte = 0;
    obb_text text = {0};
    obb_read_size(part->words.at[0], &count);
    obb_read_size(part->words.at[1], &byte);
    for (uint64_t i = 0; i < count; i++)
        obb_text_char(&text, (char)byte);
    const char *message = write_out(part->words.at[2], &text, arena);
    obb_text_free(&text);
    return message;
}

static const char *write_text(const obb_step_part *part, obb_arena *arena)
{
    obb_text text = {0};
    obb_text_format(&text, "%s\n", part->words.at[0]);
    const char *message = write_out(part->words.at[1], &text, arena);
    obb_text_free(&text);
    return message;
}

const char *obb_step_operate(const obb_step_part *part, obb_arena *arena)
{
    switch (part->kind) {
    case OBB_PART_COPY: case OBB_PART_JOIN: return join(part, arena);
    case OBB_PART_MOVE: return move(part, arena);
    case OBB_PART_HASH: return hash(part, arena);
    case OBB_PART_FILL: return fill(part, arena);
    case OBB_PART_WRITE: return write_text(part, arena);
    case OBB_PART_RUN: break;
    }
    return NULL;
}

char **obb_step_environment(const obb_words *stated, obb_arena *arena)
{
    static const char *const kept[] = {"PATH", "HOME", "TMPDIR"};
    OBB_VEC(char *) all = {0};
    obb_words variables = {0};
    for (size_t i = 0; i < sizeof kept / sizeof *kept; i++)
        if (getenv(kept[i]))
            obb_arena_push(arena, &variables, obb_arena_format(arena, "%s=%s", kept[i], getenv(kept[i])));
    obb_arena_push(arena, &variables, "LC_ALL=C");
    for (size_t i = 0; i < variables.count; i++) {
        size_t name = strcspn(variables.at[i], "=") + 1;
        bool replaced = false;
        for (size_t k = 0; k < stated->count && !replaced; k++)
            replaced = strncmp(variables.at[i], stated->at[k], name) == 0;
        if (!replaced)
            obb_arena_push(arena, &all, obb_arena_string(arena, variables.at[i]));
    }
    for (size_t k = 0; k < stated->count; k++)
        obb_arena_push(arena, &all, obb_arena_string(arena, stated->at[k]));
    obb_arena_push(arena, &all, NULL);
    return all.at;
}

void obb_step_remove_outputs(const obb_plan *plan, const obb_action *a)
{
    unlink(obb_files_path(plan->files, a->output));
    for (size_t i = 0; i < a->also.count; i++)
        unlink(obb_files_path(plan->files, a->also.at[i]));
}
