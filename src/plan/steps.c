/* Steps: commands and operations on files with what they read and make.
 *
 * Each word is filled (plan/words.h), and whatever it names (products, made files, tools, files of the
 * project) becomes a stated input, so that a step runs again when any of them changes. Outputs are pending in
 * obb_files until the step is up to date. */
#include <string.h>
#include <uv.h>

#include "base/path.h"
#include "base/process.h"
#include "plan/dependencies.h"
#include "plan/words.h"
#include "project/vocabulary.h"

/* By obb_step_command_kind. */
static const char *const part_words[] = {NULL,   "copy", "move",    "join",
                                         "hash", "fill", "fill-in", "write-text", "empty"};

/* --- what it reads ------------------------------------------------------------------ */

static void input_once(obb_filler *f, obb_file file)
{
    for (size_t i = 0; i < f->action->stated.inputs.count; i++)
        if (f->action->stated.inputs.at[i] == file)
            return;
    obb_context_input(f->context, f->action, file);
}

/* The path of a word as it is seen from where the command runs. That folder may not be there yet: what leads
 * out of it is taken away as text, unless a symbolic link is on the way. */
static const char *path_of_word(const obb_filler *f, const char *word)
{
    const obb_plan *plan = f->context->plan;
    const char *from = f->from;
    if (obb_leads_back(plan->arena, from))
        for (; obb_starts(word, "../") && strcmp(from, ".") != 0; word += 3)
            from = obb_path_folder(plan->arena, from);
    return obb_files_resolve(plan->files, plan->arena, from, word);
}

/* A word that names a file of the project, such as a script, is an input as well. */
static void take_words(obb_filler *f, const obb_words *words)
{
    obb_plan_context *j = f->context;
    for (size_t i = 1; i < words->count; i++) {
        const char *path = path_of_word(f, words->at[i]);
        if (*words->at[i] == '-' || !*words->at[i] || obb_path_outside(path) ||
            obb_path_is_output(path, j->plan->out))
            continue;
        obb_file file = obb_files_number(j->plan->files, path);
        if (obb_files_is_file(j->plan->files, file))
            input_once(f, file);
    }
}

static void take_programs_behind(obb_filler *f, const obb_words *words)
{
    const obb_plan *plan = f->context->plan;
    obb_file_list programs = {0};
    obb_find_programs_behind(plan->files, plan->arena, words, &programs);
    for (size_t i = 0; i < programs.count; i++)
        input_once(f, programs.at[i]);
}

/* The program that a command begins with is an input, too: one of the project, or of the system. */
static void take_program(obb_filler *f, const char *name)
{
    obb_plan_context *j = f->context;
    const char *path = strchr(name, '/') ? path_of_word(f, name)
                                         : obb_find_program(j->plan->files, j->plan->arena, name);
    obb_file file = path ? obb_files_number(j->plan->files, path) : OBB_NO_FILE;
    if (path && (obb_plan_maker(j->plan, file) || obb_files_is_file(j->plan->files, file))) {
        input_once(f, file);
        return;
    }
    obb_diag *d = obb_error(j->diags, OBB_FAULT_OUTSIDE, f->place,
                            "the step `%s` runs `%s`, which is not there", j->target->name, name);
    obb_hint(j->diags, d,
             strchr(name, '/') ? "its path is seen from the folder of " OBB_SCORE_NAME
                                 ", or from what `in` states; {source} is the folder of the description"
                               : "it is not on PATH: install it; a program of the project is {tool:NAME}");
    f->action->stated.broken = true;
}

/* --- what it does ------------------------------------------------------------------- */

static obb_step_command_kind part_kind(int id)
{
    switch (id) {
    case OBB_W_COPY: return OBB_STEP_COPY;
    case OBB_W_MOVE: return OBB_STEP_MOVE;
    case OBB_W_JOIN: return OBB_STEP_JOIN;
    case OBB_W_HASH: return OBB_STEP_HASH;
    case OBB_W_FILL_FILE: return OBB_STEP_FILL;
    case OBB_W_FILL_IN: return OBB_STEP_FILL_IN;
    case OBB_W_WRITE_TEXT: return OBB_STEP_WRITE;
    default: return OBB_STEP_RUN;
    }
}

/* A file that an operation reads or writes: what the step makes lies in the folder of the variant,
 * all else is seen from the description. */
static const char *operand(obb_filler *f, const obb_word *w, const char *filled)
{
    obb_arena *arena = f->context->plan->arena;
    if (strchr(w->text, '{'))
        return filled;
    for (size_t i = 0; i < f->context->target->makes.count; i++)
        if (strcmp(f->context->target->makes.at[i].path, filled) == 0)
            return obb_path_join(arena, obb_context_folder(f->context, f->context->target), filled);
    return obb_path_join(arena, w->place.folder, filled);
}

/* A file that an operation, or a command by its standard input, reads. */
static void read_operand(obb_filler *f, const char *path)
{
    obb_plan_context *j = f->context;
    obb_file file = obb_files_number(j->plan->files, path);
    const obb_action *made = obb_plan_maker(j->plan, file); /* a tool's or another variant's, too */
    if (obb_filler_is_late(f, file))
        return;
    if (made == f->action || (!made && obb_path_within(path, j->in->folder)))
        return; /* its own, or below {out} */
    input_once(f, file);
    if (!made && !obb_files_is_file(j->plan->files, file)) {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, f->place, "there is no file `%s`", path);
        f->action->stated.broken = true;
    }
}

/* Whether a word of an operation names a file: the last one does, the one it is written to. */
static bool names_file(obb_step_command_kind kind, size_t at, bool last)
{
    return last || (kind != OBB_STEP_FILL && kind != OBB_STEP_WRITE && (kind != OBB_STEP_FILL_IN || at == 0));
}

/* Adds what a word of an operation stands for. Only `join` and `hash` take several files; anything else would
 * shift the words, and another file would be written. */
static bool add_operand(obb_filler *f, const obb_word *w, bool file, bool several, obb_step_command *part)
{
    obb_plan_context *j = f->context;
    obb_words filled = {0};
    size_t errors = j->diags->list.count;
    obb_filler_word(f, w, &filled);
    for (size_t i = 0; i < filled.count; i++)
        obb_arena_push(j->plan->arena, &part->words, file ? operand(f, w, filled.at[i]) : filled.at[i]);
    if ((several || filled.count == 1) && j->diags->list.count == errors)
        return true;
    f->action->stated.broken = true;
    if (j->diags->list.count > errors)
        return false;
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, w->place,
                            "`%s` stands for %zu words, and `%s` takes one there", w->text, filled.count,
                            part_words[part->kind]);
    obb_hint(j->diags, d, "`join` and `hash` take several files; a command takes any words: run COMMAND %s",
             w->text);
    return false;
}

/* What it says, without `with` and `to`, which stand at fixed places. */
static bool add_operation(obb_filler *f, const obb_property *p, obb_step_command *part)
{
    const obb_word_list *line = &p->lines.at[0];
    bool several = part->kind == OBB_STEP_JOIN || part->kind == OBB_STEP_HASH,
         with = part->kind == OBB_STEP_FILL || part->kind == OBB_STEP_FILL_IN, good = true;
    f->from = ".";
    for (size_t i = 0; i < line->count; i++) {
        bool last = i + 1 == line->count, file = names_file(part->kind, i, last);
        size_t before = part->words.count;
        if (i + 2 == line->count || (with && i == 1))
            continue;
        good = add_operand(f, &line->at[i], file, several && !last, part) && good;
        for (size_t k = before; file && !last && k < part->words.count; k++)
            read_operand(f, part->words.at[k]);
    }
    return good;
}

/* An operation, or the output of a command, goes below the variant's folder; a file is moved only from there.
 */
static void check_operands(obb_filler *f, const obb_step_command *part)
{
    obb_plan_context *j = f->context;
    const char *to = part->kind == OBB_STEP_RUN ? part->output : part->words.at[part->words.count - 1];
    const char *wrong = !obb_path_within(to, j->in->folder) ? to
                        : part->kind == OBB_STEP_MOVE && !obb_path_within(part->words.at[0], j->in->folder)
                            ? part->words.at[0]
                            : NULL;
    if (!wrong)
        return;
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, f->place,
                            "this would change `%s`, which the step does not make", wrong);
    obb_hint(j->diags, d, wrong == to ? "name it under `makes`, or put it into {out}" : "copy it instead");
    f->action->stated.broken = true;
}

/* run WORDS... [stdin FILE] [stdout FILE]: the words without these. */
static obb_word_list take_redirections(obb_filler *f, const obb_word_list *line, obb_step_command *part)
{
    obb_word_list words = *line;
    for (int n = 0; n < 2 && words.count > 2; n++) {
        const obb_word *mark = &words.at[words.count - 2], *file = mark + 1;
        const char **into = mark->quoted                            ? NULL
                            : strcmp(mark->text, "stdin") == 0  ? &part->input
                            : strcmp(mark->text, "stdout") == 0 ? &part->output
                                                                : NULL;
        obb_words filled = {0};
        const char *from = f->from;
        if (!into)
            break;
        words.count -= 2;
        f->from = "."; /* files of operations are seen from the description */
        obb_filler_word(f, file, &filled);
        f->from = from;
        if (filled.count == 1)
            *into = operand(f, file, filled.at[0]);
        else
            obb_error(f->context->diags, OBB_FAULT_DESCRIPTION, file->place, "`%s` is not one file",
                      file->text);
    }
    if (part->input)
        read_operand(f, part->input);
    if (part->output)
        check_operands(f, part);
    return words;
}

static void add_part(obb_filler *f, obb_step_recipe *step, const obb_property *p, const char *folder)
{
    obb_arena *arena = f->context->plan->arena;
    obb_step_command part = {.kind = part_kind(p->id)};
    f->place = p->place;
    f->from = folder ? folder : ".";
    if (part.kind == OBB_STEP_RUN) {
        const obb_word_list words = take_redirections(f, &p->lines.at[0], &part);
        size_t errors = f->context->diags->list.count;
        part.words = obb_filler_line(f, &words);
        if (part.words.count) {
            take_program(f, part.words.at[0]);
        } else {
            f->action->stated.broken = true;
            if (f->context->diags->list.count == errors)
                obb_error(f->context->diags, OBB_FAULT_DESCRIPTION, p->place,
                          "the step `%s` runs nothing: `%s` stands for no word here",
                          f->context->target->name, p->lines.at[0].at[0].text);
        }
        take_words(f, &part.words);
        take_programs_behind(f, &part.words);
    } else {
        if (add_operation(f, p, &part))
            check_operands(f, &part);
    }
    obb_arena_push(arena, &part.words, NULL);
    part.words.count--;
    obb_arena_push(arena, &step->commands, part);
}

/* The words of all parts one behind the other: for users, and for the record of the action. */
static void describe(obb_plan_context *j, obb_action *a)
{
    const obb_step_recipe *step = a->step;
    if (step->folder) {
        obb_context_word(j, a, "in");
        obb_context_word(j, a, step->folder);
    }
    obb_context_words(j, a, &step->environment);
    for (size_t i = 0; i < step->commands.count; i++) {
        if (i)
            obb_context_word(j, a, "&&");
        if (part_words[step->commands.at[i].kind])
            obb_context_word(j, a, part_words[step->commands.at[i].kind]);
        const obb_step_command *c = &step->commands.at[i];
        obb_context_words(j, a, &c->words);
        if (c->input)
            obb_context_word(j, a, obb_arena_format(j->plan->arena, "<%s", c->input));
        if (c->output)
            obb_context_word(j, a, obb_arena_format(j->plan->arena, ">%s", c->output));
    }
    for (size_t i = 0; i < a->also.count; i++) { /* what it makes is part of it */
        obb_context_word(j, a, ";");
        obb_context_word(j, a, obb_files_path(j->plan->files, a->also.at[i]));
    }
}

static const char *step_folder(obb_filler *f)
{
    const obb_target *t = f->context->target;
    obb_words filled = {0};
    if (!t->folder)
        return NULL;
    f->from = ".";
    obb_filler_word(f, &(obb_word){t->folder, t->folder_place, false}, &filled);
    return filled.count && strcmp(filled.at[0], ".") != 0 ? filled.at[0] : NULL;
}

/* Begins with folders that are empty: what an earlier build left in them would be part of this one. */
static const char *apart_folders(const obb_filler *f, obb_step_recipe *step)
{
    static const char *const names[] = {"prefix", "build"};
    obb_arena *arena = f->context->plan->arena;
    const char *folder = NULL;
    for (size_t i = 0; i < 2; i++) {
        obb_step_command part = {.kind = OBB_STEP_EMPTY};
        folder = obb_path_join(arena, obb_context_folder(f->context, f->context->target), names[i]);
        obb_arena_push(arena, &part.words, folder);
        obb_arena_push(arena, &part.words, NULL);
        part.words.count--;
        obb_arena_push(arena, &step->commands, part);
    }
    return folder;
}

static bool is_made(const obb_filler *f, const char *path)
{
    bool is = false;
    for (size_t i = 0; i < f->makes.count && !is; i++)
        is = strcmp(f->makes.at[i], path) == 0;
    return is;
}

/* Elsewhere, one command sees what is stated and nothing else. */
static bool fits_anywhere(const obb_filler *f, const obb_step_recipe *step)
{
    const obb_target *t = f->context->target;
    const char *wrong = step->apart        ? "`apart yes`"
                        : t->reports_reads ? "`reports-reads`"
                        : step->commands.count != 1 || step->commands.at[0].kind != OBB_STEP_RUN
                            ? "anything but one `run`"
                        : step->commands.at[0].output && !is_made(f, step->commands.at[0].output)
                            ? "a `stdout` that is not among `makes`"
                            : NULL;
    if (!wrong)
        return true;
    obb_diag *d = obb_error(f->context->diags, OBB_FAULT_DESCRIPTION, t->anywhere_place,
                            "the step `%s` cannot be made anywhere with %s", t->name, wrong);
    obb_hint(f->context->diags, d,
             "a step of its own for what can: one command, all that it reads in `reads`");
    f->action->stated.broken = true;
    return false;
}

void obb_plan_step(obb_plan_context *j, obb_product *product)
{
    obb_arena *arena = j->plan->arena;
    const obb_target *t = j->target;
    obb_step_recipe *step = obb_arena_alloc(arena, sizeof *step);
    obb_filler f = {.context = j, .from = ".", .place = t->place};
    for (size_t i = 0; i < t->makes.count; i++)
        obb_arena_push(arena, &f.makes, obb_path_join(arena, obb_context_folder(j, t), t->makes.at[i].path));
    f.action = obb_context_action(j, OBB_RUN_STEP, f.makes.at[0]);
    f.action->step = step;
    step->apart = t->apart;
    f.action->in_place = true;
    for (size_t i = 1; i < f.makes.count; i++)
        obb_context_also(j, f.action, f.makes.at[i]);
    obb_filler_reads(&f);
    const char *folder = step->folder = t->apart ? apart_folders(&f, step) : step_folder(&f);
    for (size_t i = 0; i < t->environment.count; i++)
        for (size_t k = 0; k < t->environment.at[i].lines.count; k++) {
            obb_words filled = obb_filler_line(&f, &t->environment.at[i].lines.at[k]);
            for (size_t n = 0; n < filled.count; n++)
                obb_arena_push(arena, &step->environment, filled.at[n]);
        }
    for (size_t i = 0; i < t->commands.count; i++)
        add_part(&f, step, &t->commands.at[i], folder);
    if (t->reports_reads)
        step->reports_reads = obb_path_join(arena, obb_context_folder(j, t), t->reports_reads);
    step->anywhere = t->anywhere && fits_anywhere(&f, step);
    describe(j, f.action);
    f.action->stated.found_inputs = f.action->stated.inputs.count;
    obb_context_finish(j, f.action, NULL, NULL);
    obb_step_recall_reads(j->plan, f.action, &f.action->stated);
    obb_arena_push(arena, &product->actions, f.action->number);
}

/* --- what it told ------------------------------------------------------------------- */

void obb_step_recall_reads(const obb_plan *plan, const obb_action *a, obb_dependencies *d)
{
    obb_text text = {0};
    d->inputs.count = d->found_inputs;
    if (a->step->reports_reads &&
        plan->toolchains->memo.get(plan->toolchains->memo.self,
                                   obb_action_key(plan, a, "read by the step of"), &text))
        for (const char *line = text.bytes; *line;) {
            size_t n = strcspn(line, "\n");
            obb_file file = obb_files_number(plan->files, obb_arena_copy(plan->arena, line, n));
            const obb_action *maker = obb_plan_maker(plan, file);
            obb_arena_push(plan->arena, &d->inputs, file);
            if (maker)
                obb_arena_push(plan->arena, &d->needs, maker->number);
            line += n + (line[n] == '\n');
        }
    obb_text_free(&text);
}

void obb_step_remember_reads(const obb_plan *plan, const obb_action *a, const obb_dependencies *d)
{
    obb_text text = {0};
    for (size_t i = d->found_inputs; i < d->inputs.count; i++)
        obb_text_format(&text, "%s\n", obb_files_path(plan->files, d->inputs.at[i]));
    plan->toolchains->memo.put(plan->toolchains->memo.self, obb_action_key(plan, a, "read by the step of"),
                               obb_text_bytes(&text), text.length);
    obb_text_free(&text);
}

obb_words obb_step_words(const obb_step_recipe *step, const obb_words *words, unsigned jobs, obb_arena *arena)
{
    obb_words run = {0};
    for (size_t i = 0; i < words->count; i++) {
        const char *word = words->at[i];
        for (const char *at; step->apart && (at = strstr(word, OBB_JOBS_WORD));)
            word = obb_arena_format(arena, "%.*s%u%s", (int)(at - word), word, jobs,
                                    at + strlen(OBB_JOBS_WORD));
        obb_arena_push(arena, &run, word);
    }
    obb_arena_push(arena, &run, NULL);
    run.count--;
    return run;
}

/* --- for users --------------------------------------------------------------------- */

/* A file as it is seen from where the commands run. */
static void add_redirection(obb_text *text, const char *folder, const char *mark, const char *path)
{
    obb_arena *arena = obb_arena_new();
    const char *seen = path && folder ? obb_path_from(arena, folder, path) : path;
    if (seen)
        obb_text_string(text, mark);
    if (seen)
        obb_text_shell_line(text, &seen, 1);
    obb_arena_free(arena);
}

void obb_action_command(const obb_action *a, obb_text *text)
{
    if (!a->step) {
        obb_text_shell_line(text, a->argv.at, a->argv.count);
        return;
    }
    obb_arena *arena = obb_arena_new();
    if (a->step->folder) {
        const char *words[] = {"cd", a->step->folder};
        obb_text_shell_line(text, words, 2);
        obb_text_string(text, " && ");
    }
    for (size_t i = 0; i < a->step->commands.count; i++) {
        const obb_step_command *part = &a->step->commands.at[i];
        obb_text_string(text, i ? " && " : "");
        for (size_t k = 0; part->kind == OBB_STEP_RUN && k < a->step->environment.count; k++) {
            obb_text_shell_line(text, &a->step->environment.at[k], 1);
            obb_text_char(text, ' ');
        }
        if (part_words[part->kind])
            obb_text_format(text, "%s ", part_words[part->kind]);
        const obb_words words = obb_step_words(a->step, &part->words, uv_available_parallelism(), arena);
        obb_text_shell_line(text, words.at, words.count);
        add_redirection(text, a->step->folder, " < ", part->input);
        add_redirection(text, a->step->folder, " > ", part->output);
    }
    obb_arena_free(arena);
}
