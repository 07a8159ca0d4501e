#include <string.h>

#include "base/path.h"
#include "report/report.h"

typedef struct script {
    const obb_plan *plan;
    const bool *wanted;
    bool *done;
    obb_map folders;
    obb_text *text;
} script;

static void line(script *s, const char *const *words, size_t count)
{
    obb_text_shell_line(s->text, words, count);
    obb_text_char(s->text, '\n');
}

static void make_folder(script *s, obb_file file)
{
    const char *folder = obb_path_folder(s->plan->arena, obb_files_path(s->plan->files, file));
    const char *words[] = {"mkdir", "-p", folder};
    if (!obb_map_put(&s->folders, folder, s))
        line(s, words, 3);
}

/* An image, by the toolchain's object copier; parts at offsets are put together by dd. */
static void add_image(script *s, const obb_action *a)
{
    static const char *const formats[] = {"binary", "ihex", "srec"};
    const obb_image_job *image = a->image;
    const char *output = obb_files_path(s->plan->files, a->output);
    obb_toolchain *tc = obb_plan_variant_of(s->plan, a->variant)->toolchain;
    const char *fill = obb_arena_format(s->plan->arena, "--gap-fill=0x%02x", (unsigned)image->fill);
    if (image->program) {
        const char *words[] = {"-O", formats[image->format], image->program, output, fill};
        obb_text_format(s->text, "$%s ", tc->tools[OBB_TOOL_COPIER].variable);
        line(s, words, image->fill_stated ? 5 : 4);
        return;
    }
    obb_text_format(s->text, ": > ");
    line(s, &output, 1);
    for (size_t i = 0; i < image->parts.count; i++) {
        obb_arena *arena = s->plan->arena;
        const char *words[] = {"dd", "bs=1", "conv=notrunc", "status=none",
                               obb_arena_format(arena, "if=%s", image->parts.at[i].path), obb_arena_format(arena, "of=%s", output),
                               obb_arena_format(arena, "seek=%llu", (unsigned long long)image->parts.at[i].offset)};
        line(s, words, 7);
    }
    if (image->pad_to) {
        const char *words[] = {"dd", "bs=1", "count=0", "status=none", obb_arena_format(s->plan->arena, "of=%s", output),
                               obb_arena_format(s->plan->arena, "seek=%llu", (unsigned long long)image->pad_to)};
        line(s, words, 6);
    }
}

/* An operation on files, by programs that POSIX has. */
static void add_operation(script *s, const obb_step_part *part)
{
    const obb_words *w = &part->words;
    const char *to = w->at[w->count - 1];
    switch (part->kind) {
    case OBB_PART_COPY: obb_text_string(s->text, "cp -p "); line(s, w->at, 2); return;
    case OBB_PART_MOVE: obb_text_string(s->text, "mv "); line(s, w->at, 2); return;
    case OBB_PART_JOIN: obb_text_string(s->text, "cat "); obb_text_shell_line(s->text, w->at, w->count - 1); break;
    case OBB_PART_HASH: obb_text_string(s->text, "openssl dgst -sha256 -r "); obb_text_shell_line(s->text, w->at, w->count - 1);
        obb_text_string(s->text, " | sed 's# [*]\\(.*/\\)*#  #'"); break;
    case OBB_PART_WRITE: obb_text_string(s->text, "printf '%s\\n' "); obb_text_shell_line(s->text, w->at, 1); break;
    default: obb_text_format(s->text, "head -c %s /dev/zero | tr '\\000' \"\\\\$(printf %%o %s)\"", w->at[0], w->at[1]); break;
    }
    obb_text_string(s->text, " > ");
    line(s, &to, 1);
}

static void add_step(script *s, const obb_action *a)
{
    const obb_step_job *step = a->step;
    for (size_t i = 0; i < step->parts.count; i++) {
        const obb_step_part *part = &step->parts.at[i];
        if (part->kind != OBB_PART_RUN) {
            add_operation(s, part);
            continue;
        }
        obb_text_string(s->text, "(");
        if (step->folder) {
            obb_text_string(s->text, "cd ");
            obb_text_shell_line(s->text, &step->folder, 1);
            obb_text_string(s->text, " && ");
        }
        obb_text_string(s->text, "env LC_ALL=C ");
        obb_text_shell_line(s->text, step->environment.at, step->environment.count);
        obb_text_string(s->text, step->environment.count ? " " : "");
        obb_text_shell_line(s->text, part->words.at, part->words.count);
        obb_text_string(s->text, ")\n");
    }
}

static void add_command(script *s, const obb_action *a)
{
    make_folder(s, a->output);
    for (size_t i = 0; i < a->also.count; i++)
        make_folder(s, a->also.at[i]);
    if (a->step) {
        add_step(s, a);
        return;
    }
    if (a->image) {
        add_image(s, a);
        return;
    }
    if (a->kind == OBB_ARCHIVE) { /* an archiver adds to what is there */
        const char *words[] = {"rm", "-f", obb_files_path(s->plan->files, a->output)};
        line(s, words, 3);
    }
    size_t own = a->tool->command.count; /* the tool by its variable, so that it can be another */
    obb_text_format(s->text, "$%s ", a->tool->variable);
    if (a->root_word != SIZE_MAX) {
        obb_text_shell_line(s->text, a->argv.at + own, a->root_word - own);
        obb_text_string(s->text, " \"" OBB_ROOT_WORD "\" ");
        own = a->root_word + 1;
    }
    line(s, a->argv.at + own, a->argv.count - own);
}

static void add_variable(script *s, obb_map *named, const obb_tool *t)
{
    if (obb_map_put(named, t->variable, s))
        return;
    obb_text_format(s->text, "%s=${%s:-%s", t->variable, t->variable, t->wanted);
    for (size_t i = 1; i < t->command.count; i++)
        obb_text_format(s->text, " %s", t->command.at[i]);
    obb_text_string(s->text, "}\n");
}

/* Every tool can be named from outside, as for obbligato itself. */
static void add_variables(script *s)
{
    obb_map named = {0};
    for (int role = 0; role < OBB_ROLE_COUNT; role++)
        for (size_t i = 0; i < s->plan->actions.count; i++) {
            const obb_action *a = s->plan->actions.at[i];
            if (!s->wanted[i])
                continue;
            if (a->tool && (int)a->tool->role == role)
                add_variable(s, &named, a->tool);
            if (a->image && a->image->program && role == OBB_TOOL_COPIER)
                add_variable(s, &named, &obb_plan_variant_of(s->plan, a->variant)->toolchain->tools[role]);
        }
    obb_map_free(&named);
}

/* Files whose text is known, as here documents. */
static void add_texts(script *s)
{
    for (size_t i = 0; i < s->plan->texts.count; i++) {
        const obb_ready_text *t = &s->plan->texts.at[i];
        const char *path = obb_files_path(s->plan->files, t->file);
        make_folder(s, t->file);
        obb_text_string(s->text, "cat <<'END_OF_TEXT' > ");
        line(s, &path, 1);
        obb_text_format(s->text, "%sEND_OF_TEXT\n", t->text);
    }
}

static void add_in_order(script *s, uint32_t number)
{
    if (s->done[number] || !s->wanted[number])
        return;
    s->done[number] = true;
    const obb_action *a = s->plan->actions.at[number];
    for (size_t i = 0; i < a->needs.count; i++)
        add_in_order(s, a->needs.at[i]);
    add_command(s, a);
}

void obb_report_shell_script(const obb_plan *plan, const bool *wanted, obb_text *text)
{
    script s = {.plan = plan, .wanted = wanted, .text = text, .done = obb_alloc(plan->actions.count)};
    obb_text_format(text, "#!/bin/sh\n# Builds %s %s without obbligato; written by obbligato export shell-script.\n"
                    "set -e\ncd \"$(dirname \"$0\")\"\n", plan->project->name, plan->project->version);
    add_variables(&s);
    add_texts(&s);
    for (uint32_t i = 0; i < plan->actions.count; i++) /* what a source includes that is not made yet, nobody knows */
        if (plan->actions.at[i]->kind == OBB_RUN_STEP)
            add_in_order(&s, i);
    for (uint32_t i = 0; i < plan->actions.count; i++)
        add_in_order(&s, i);
    free(s.done);
    obb_map_free(&s.folders);
}
