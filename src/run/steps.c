/* What steps do: commands one after the other, operations on files, and what is read on the way. */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/sha256.h"
#include "run/scheduler.h"
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

/* The contents one behind the other; a file that may be run stays one. */
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

/* FIPS 180-4; the lines have the form that checking programs of the system read. */
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

static const char *write_text(const obb_step_command *part, obb_arena *arena)
{
    obb_text text = {0};
    obb_text_format(&text, "%s\n", part->words.at[0]);
    const char *message = write_out(part->words.at[1], &text, arena);
    obb_text_free(&text);
    return message;
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
    case OBB_STEP_WRITE: return write_text(part, arena);
    case OBB_STEP_RUN: break;
    }
    return NULL;
}

/* What every step sees of the environment: PATH, HOME and TMPDIR as they are, LC_ALL=C; and what is
 * stated. */
static char **environment_of(const obb_words *stated, obb_arena *arena)
{
    static const char *const kept[] = {"PATH", "HOME", "TMPDIR"};
    OBB_VEC(char *) base = {0};
    for (size_t i = 0; i < sizeof kept / sizeof *kept; i++)
        if (getenv(kept[i]))
            obb_arena_push(arena, &base, obb_arena_format(arena, "%s=%s", kept[i], getenv(kept[i])));
    obb_arena_push(arena, &base, obb_arena_string(arena, "LC_ALL=C"));
    obb_arena_push(arena, &base, NULL);
    return obb_environment_with(base.at, stated->at, stated->count);
}

/* So that what a step does not make is missed. */
static void remove_outputs(const obb_plan *plan, const obb_action *a)
{
    obb_below_remove(plan->out, obb_files_path(plan->files, a->output));
    for (size_t i = 0; i < a->also.count; i++)
        obb_below_remove(plan->out, obb_files_path(plan->files, a->also.at[i]));
}

/* --- what it reads ------------------------------------------------------------------ */

/* A step said that it would tell what it read: those are inputs from now on. NULL, or what is wrong. */
static const char *take_reads(runner *r, child *c)
{
    obb_action *a = c->action;
    obb_text text = {0};
    obb_words files = {0};
    char root[4096];
    int failed = obb_file_read(c->told_file, &text);
    if (!failed && getcwd(root, sizeof root))
        obb_read_rule(r->plan->files, r->plan->arena, root, text.bytes, &files);
    obb_text_free(&text);
    a->inputs.count = a->found_inputs;
    for (size_t i = 0; i < files.count; i++) {
        obb_file file = obb_files_number(r->plan->files, files.at[i]);
        bool known = false;
        for (size_t k = 0; k < a->inputs.count && !known; k++)
            known = a->inputs.at[k] == file;
        if (!known && obb_plan_maker(r->plan, file) != a)
            obb_arena_push(r->plan->arena, &a->inputs, file);
    }
    obb_step_remember_reads(r->plan, a);
    return failed ? obb_arena_format(r->arena, "it did not tell what it read: %s: %s", c->told_file,
                                     strerror(failed))
                  : NULL;
}

/* Reads what the watcher told. */
void obb_step_take_watch(runner *r, child *c)
{
    obb_text text = {0};
    char root[4096];
    bool told = c->watched && !obb_file_read(c->watched, &text) && text.length && getcwd(root, sizeof root);
    for (char *line = told ? text.bytes : NULL; line && *line;) {
        size_t n = strcspn(line, "\n");
        const char *path = obb_arena_copy(r->arena, line + 2, n > 2 ? n - 2 : 0);
        const char *below = obb_path_below(r->arena, root, path);
        if (line[0] == '!')
            c->unwatched = path;
        else if (line[0] == 'r' && !obb_path_outside(below))
            obb_arena_push(r->arena, &c->opened, below);
        line += n + (line[n] == '\n');
    }
    if (c->watched)
        unlink(c->watched);
    obb_text_free(&text);
}

/* Whether a step may read a file: it is stated, or told of, or its own; and so is all in the output
 * folder that nobody else makes. */
static bool may_read(const runner *r, const obb_action *a, const char *path)
{
    obb_file file = obb_files_number(r->plan->files, path);
    const obb_action *maker = obb_plan_maker(r->plan, file);
    bool known = maker ? maker == a : obb_path_within(path, r->plan->out);
    for (size_t i = 0; i < a->inputs.count && !known; i++)
        known = a->inputs.at[i] == file;
    return known;
}

/* What --strict has to say about a step that did well otherwise; NULL: nothing. */
static const char *judge_watch(runner *r, const child *c)
{
    obb_text text = {0};
    obb_map told = {0};
    const char *message = NULL;
    if (c->unwatched)
        return obb_arena_format(r->arena, "nobody could watch what it reads: %s", c->unwatched);
    for (size_t i = 0; i < c->opened.count; i++)
        if (!may_read(r, c->action, c->opened.at[i]) && !obb_map_put(&told, c->opened.at[i], r))
            obb_text_format(&text, "%s %s", text.length ? "," : "", c->opened.at[i]);
    if (text.length)
        message =
            obb_arena_format(r->arena,
                             "it reads files of the project that it does not declare:%s\n"
                             "  hint: state them: reads FILE..., or let it tell them: reports-reads FILE",
                             text.bytes);
    obb_map_free(&told);
    obb_text_free(&text);
    return message;
}

/* The words of a part, behind those of the watcher where there is one. */
static const char *const *watched_words(runner *r, child *c, const obb_step_command *part)
{
    obb_words words = {0};
    char root[4096];
    if (!r->options->watcher || !getcwd(root, sizeof root))
        return part->words.at;
    c->watched = obb_path_join(r->arena, root, obb_run_work_file(r, c->action, "watched"));
    obb_arena_push(r->arena, &words, r->options->watcher);
    obb_arena_push(r->arena, &words, "trace-reads");
    obb_arena_push(r->arena, &words, c->watched);
    for (size_t i = 0; i <= part->words.count; i++)
        obb_arena_push(r->arena, &words, part->words.at[i]);
    return words.at;
}

/* Goes on with a step: operations are done here, a command is started. */
void obb_step_go_on(runner *r, child *c)
{
    const obb_step_recipe *step = c->action->step;
    const char *message = NULL;
    for (; c->parts < step->commands.count && !message; c->parts++) {
        const obb_step_command *part = &step->commands.at[c->parts];
        if (part->kind != OBB_STEP_RUN) {
            message = operate(r->plan, part, r->arena);
            continue;
        }
        obb_text printed = c->command.output;
        char **environment = environment_of(&step->environment, r->arena);
        c->parts++;
        c->command = (obb_command){.argv = watched_words(r, c, part),
                                   .folder = step->folder,
                                   .lock = obb_state_lock(r->state),
                                   .over = obb_child_over,
                                   .self = c,
                                   .environment = environment,
                                   .output = printed};
        obb_commands_start(&r->commands, &c->command);
        free(environment);
        return;
    }
    if (!message && c->told_file)
        message = take_reads(r, c);
    if (!message && r->options->watcher)
        message = judge_watch(r, c);
    obb_child_settle(r, c, message);
}

void obb_step_begin(runner *r, child *c)
{
    c->told_file = c->action->step->reports_reads;
    if (c->told_file)
        unlink(c->told_file);
    remove_outputs(r->plan, c->action);
    obb_run_tell(r, (obb_event){.kind = OBB_EVENT_START, .action = c->action, .cause = c->cause});
    obb_step_go_on(r, c);
}
