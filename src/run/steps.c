/* What steps do (run/steps.h): commands one after the other, operations on files, and what is read on the
 * way.
 *
 * An operation writes its result with the folders above it; a command runs in a reduced environment. Nothing
 * here changes the dependency table or the state. */
#include "run/steps.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/commands.h"
#include "base/path.h"
#include "base/sha256.h"
#include "base/template.h"
#include "run/invocation.h"
#include "toolchain/dialect.h"

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

/* The contents one after the other; an executable file stays executable. */
static const char *join(const obb_step_command *part, obb_arena *arena)
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
    if (!message && part->kind == OBB_STEP_COPY && stat(part->words.at[0], &st) == 0 &&
        chmod(to, st.st_mode & 0777))
        message = wrong(arena, "write", to, errno);
    obb_text_free(&text);
    return message;
}

static const char *move(const obb_step_command *part, obb_arena *arena)
{
    int failed = obb_path_make_folders(part->words.at[1]);
    if (!failed && rename(part->words.at[0], part->words.at[1]))
        failed = errno;
    return failed ? wrong(arena, "move", part->words.at[0], failed) : NULL;
}

/* FIPS 180-4; the lines have the form that the system's checksum programs read. */
static const char *hash(const obb_step_command *part, obb_arena *arena)
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
            obb_text_format(&text, "%s  %s\n", obb_sha256(one.bytes, one.length, digest),
                            obb_path_name(part->words.at[i]));
        obb_text_free(&one);
    }
    if (!message)
        message = write_out(part->words.at[part->words.count - 1], &text, arena);
    obb_text_free(&text);
    return message;
}

static const char *fill(const obb_step_command *part, obb_arena *arena)
{
    uint64_t count = 0, byte = 0;
    obb_read_size(part->words.at[0], &count);
    obb_read_size(part->words.at[1], &byte);
    int failed = obb_path_make_folders(part->words.at[2]);
    if (!failed)
        failed = obb_file_fill(part->words.at[2], count, (unsigned char)byte);
    return failed ? wrong(arena, "write", part->words.at[2], failed) : NULL;
}

/* A text of lines, the last of which ends as well. */
static const char *fill_in(const obb_step_command *part, obb_arena *arena)
{
    obb_text text = {0}, filled = {0};
    int failed = obb_file_read(part->words.at[0], &text);
    const char *message = failed ? wrong(arena, "read", part->words.at[0], failed) : NULL;
    obb_template_gap gap;
    if (!message && !obb_template_fill(obb_text_bytes(&text), OBB_TEMPLATE_TEXT, part->words.at + 1,
                                       part->words.count - 2, &filled, &gap))
        message = obb_arena_format(
            arena, "%s:%zu: `%.*s` has no value\n  hint: state it: fill-in %s with %.*s=VALUE",
            part->words.at[0], gap.line, (int)gap.place.whole, gap.place.at, part->words.at[0],
            (int)gap.place.length, gap.place.name);
    if (filled.length && filled.bytes[filled.length - 1] != '\n')
        obb_text_char(&filled, '\n');
    if (!message)
        message = write_out(part->words.at[part->words.count - 1], &filled, arena);
    obb_text_free(&text);
    obb_text_free(&filled);
    return message;
}

static const char *write_text(const obb_step_command *part, obb_arena *arena)
{
    obb_text text = {0};
    obb_text_format(&text, "%s\n", part->words.at[0]);
    const char *message = write_out(part->words.at[1], &text, arena);
    obb_text_free(&text);
    return message;
}

static const char *empty(const obb_plan *plan, const obb_step_command *part, obb_arena *arena)
{
    const char *folder = part->words.at[0];
    int failed = obb_below_remove_all(plan->out, folder);
    if (!failed || failed == ENOENT)
        failed = obb_below_make_folders(plan->out, obb_path_join(arena, folder, "x"));
    return failed ? wrong(arena, "empty", folder, failed) : NULL;
}

static const char *operate(const obb_plan *plan, const obb_step_command *part, obb_arena *arena)
{
    const char *to = part->words.at[part->words.count - 1];
    int failed = obb_below_make_folders(plan->out, to);
    if (failed)
        return obb_arena_format(arena, "cannot write %s: %s", to, obb_below_error(failed));
    switch (part->kind) {
    case OBB_STEP_COPY: case OBB_STEP_JOIN: return join(part, arena);
    case OBB_STEP_MOVE: return move(part, arena);
    case OBB_STEP_HASH: return hash(part, arena);
    case OBB_STEP_FILL: return fill(part, arena);
    case OBB_STEP_FILL_IN: return fill_in(part, arena);
    case OBB_STEP_WRITE: return write_text(part, arena);
    case OBB_STEP_EMPTY: return empty(plan, part, arena);
    case OBB_STEP_RUN: break;
    }
    return NULL;
}

/* What every step sees of the environment: PATH, HOME and TMPDIR as they are, LC_ALL=C; and what is
 * stated. */
char **obb_step_environment(const obb_step_run *s)
{
    static const char *const kept[] = {"PATH", "HOME", "TMPDIR"};
    const obb_step_recipe *step = s->action->step;
    const obb_words stated = obb_step_words(step, &step->environment, s->jobs, s->arena);
    OBB_VEC(char *) base = {0};
    for (size_t i = 0; i < sizeof kept / sizeof *kept; i++)
        if (getenv(kept[i]))
            obb_arena_push(s->arena, &base, obb_arena_format(s->arena, "%s=%s", kept[i], getenv(kept[i])));
    obb_arena_push(s->arena, &base, obb_arena_string(s->arena, "LC_ALL=C"));
    obb_arena_push(s->arena, &base, NULL);
    return obb_environment_with(base.at, stated.at, stated.count);
}

void obb_step_begin(const obb_step_run *s)
{
    const obb_plan *plan = s->plan;
    const obb_action *a = s->action;
    if (a->step->reports_reads)
        unlink(a->step->reports_reads);
    obb_below_remove(plan->out, obb_files_path(plan->files, a->output));
    for (size_t i = 0; i < a->also.count; i++)
        obb_below_remove(plan->out, obb_files_path(plan->files, a->also.at[i]));
}

/* --- what it reads ------------------------------------------------------------------ */

/* Reads the report of a step that declares one. NULL, or what is wrong. */
static const char *take_reads(const obb_step_run *s, obb_words *reads)
{
    const char *path = s->action->step->reports_reads;
    obb_text text = {0};
    char root[4096];
    int failed = obb_file_read(path, &text);
    if (!failed && getcwd(root, sizeof root))
        obb_read_rule(s->plan->files, s->plan->arena, root, text.bytes, reads);
    obb_text_free(&text);
    return failed ? obb_arena_format(s->arena, "it did not tell what it read: %s: %s", path, strerror(failed))
                  : NULL;
}

void obb_step_take_watch(obb_step_run *s)
{
    obb_text text = {0};
    char root[4096];
    bool told = s->watched && !obb_file_read(s->watched, &text) && text.length && getcwd(root, sizeof root);
    for (char *line = told ? text.bytes : NULL; line && *line;) {
        size_t n = strcspn(line, "\n");
        const char *path = obb_arena_copy(s->arena, line + 2, n > 2 ? n - 2 : 0);
        const char *below = obb_path_below(s->arena, root, path);
        if (line[0] == '!')
            s->unwatched = path;
        else if (line[0] == 'r' && !obb_path_outside(below))
            obb_arena_push(s->arena, &s->opened, below);
        line += n + (line[n] == '\n');
    }
    if (s->watched)
        unlink(s->watched);
    obb_text_free(&text);
}

/* Whether a step may read a file: one that it states, reports or makes itself, or one in the output folder
 * that no other action makes. */
static bool may_read(const obb_dependency_table *table, const obb_action *a, const char *path)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_file file = obb_files_number(table->plan->files, path);
    const obb_action *maker = obb_plan_maker(table->plan, file);
    bool known = maker ? maker == a : obb_path_is_output(path, table->plan->out);
    for (size_t i = 0; i < d->inputs.count && !known; i++)
        known = d->inputs.at[i] == file;
    return known;
}

const char *obb_step_judge_watch(const obb_step_run *s, const obb_dependency_table *table)
{
    obb_text text = {0};
    obb_map told = {0};
    const char *message = NULL;
    if (s->unwatched)
        return obb_arena_format(s->arena, "nobody could watch what it reads: %s", s->unwatched);
    for (size_t i = 0; i < s->opened.count; i++)
        if (!may_read(table, s->action, s->opened.at[i]) && !obb_map_put(&told, s->opened.at[i], &told))
            obb_text_format(&text, "%s %s", text.length ? "," : "", s->opened.at[i]);
    if (text.length)
        message =
            obb_arena_format(s->arena,
                             "it reads files of the project that it does not declare:%s\n"
                             "  hint: state them: reads FILE..., or let it tell them: reports-reads FILE",
                             text.bytes);
    obb_map_free(&told);
    obb_text_free(&text);
    return message;
}

/* --- going on ----------------------------------------------------------------------- */

/* The words of a command, behind those of the watcher where there is one. */
static const char *const *watched_words(obb_step_run *s, const obb_step_command *command)
{
    const obb_words own = obb_step_words(s->action->step, &command->words, s->jobs, s->arena);
    obb_words words = {0};
    char root[4096];
    if (!s->watcher || !getcwd(root, sizeof root))
        return own.at;
    s->watched = obb_path_join(s->arena, root, obb_work_file(s->plan, s->action, s->arena, "watched"));
    obb_arena_push(s->arena, &words, s->watcher);
    obb_arena_push(s->arena, &words, "trace-reads");
    obb_arena_push(s->arena, &words, s->watched);
    for (size_t i = 0; i <= own.count; i++)
        obb_arena_push(s->arena, &words, own.at[i]);
    return words.at;
}

/* The files of a command's standard input and output. NULL, or what is wrong with them. */
static const char *prepare_files(const obb_step_run *s, const obb_step_command *command)
{
    if (command->input && access(command->input, R_OK))
        return wrong(s->arena, "read", command->input, errno);
    int failed = command->output ? obb_below_make_folders(s->plan->out, command->output) : 0;
    if (!failed && command->output && obb_is_link(command->output))
        failed = obb_below_remove(s->plan->out, command->output);
    return failed
               ? obb_arena_format(s->arena, "cannot write %s: %s", command->output, obb_below_error(failed))
               : NULL;
}

obb_step_outcome obb_step_go_on(obb_step_run *s)
{
    const obb_step_recipe *step = s->action->step;
    obb_step_outcome outcome = {0};
    while (s->next < step->commands.count && !outcome.message) {
        const obb_step_command *command = &step->commands.at[s->next++];
        if (command->kind == OBB_STEP_RUN) {
            outcome.message = prepare_files(s, command);
            outcome.argv = outcome.message ? NULL : watched_words(s, command);
            outcome.input = command->input;
            outcome.output = command->output;
            return outcome;
        }
        outcome.message = operate(s->plan, command, s->arena);
    }
    outcome.told = !outcome.message && step->reports_reads;
    if (outcome.told)
        outcome.message = take_reads(s, &outcome.reads);
    return outcome;
}
