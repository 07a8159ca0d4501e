/* A plan as a script for a POSIX shell. It uses what POSIX.1-2008 has and no more, and makes the same bytes
 * as the build.
 *
 * Actions stand after what they need. Commands are those of the build with final names, so the script leaves
 * no temporary files; it has no checks of what is up to date. */
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "report/report.h"

typedef struct script {
    const obb_plan *plan;
    const obb_dependency_table *table;
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

/* What images and steps need besides programs that POSIX has; each is written when something uses it. */
static const char pad_function[] =
    "# pad FILE LENGTH BYTE: makes a file that long, with bytes (octal) behind what is there\n"
    "pad() {\n"
    "    missing=$(($2 - $(wc -c < \"$1\")))\n"
    "    if [ \"$missing\" -gt 0 ]; then\n"
    "        dd if=/dev/zero bs=1 count=\"$missing\" 2> /dev/null | tr '\\000' \"\\\\$3\" >> \"$1\"\n"
    "    fi\n"
    "}\n";
static const char sum_function[] =
    "# sum256 FILE: its SHA-256 and its name; POSIX has no program for that\n"
    "sum256() {\n"
    "    if command -v sha256sum > /dev/null; then digest=$(sha256sum < \"$1\")\n"
    "    elif command -v shasum > /dev/null; then digest=$(shasum -a 256 < \"$1\")\n"
    "    else digest=$(openssl dgst -sha256 -r < \"$1\")\n"
    "    fi\n"
    "    printf '%s  %s\\n' \"${digest%% *}\" \"${1##*/}\"\n"
    "}\n";

static const char apart_values[] = "root=$PWD jobs=$(getconf _NPROCESSORS_ONLN 2> /dev/null || echo 1)\n";

static void pad(script *s, const char *path, uint64_t length, unsigned byte)
{
    const char *words[] = {"pad", path, obb_arena_format(s->plan->arena, "%llu", (unsigned long long)length),
                           obb_arena_format(s->plan->arena, "%03o", byte)};
    line(s, words, 4);
}

static int by_offset(const void *a, const void *b)
{
    uint64_t x = (*(const obb_image_segment *const *)a)->offset,
             y = (*(const obb_image_segment *const *)b)->offset;
    return x < y ? -1 : x > y;
}

static void append(script *s, const char *from, const char *to)
{
    obb_text_string(s->text, "cat ");
    obb_text_shell_line(s->text, &from, 1);
    obb_text_string(s->text, " >> ");
    line(s, &to, 1);
}

/* An image, by the toolchain's object copier; parts at offsets one behind the other. */
static void add_image(script *s, const obb_action *a)
{
    static const char *const formats[] = {"binary", "ihex", "srec"};
    const obb_image_recipe *image = a->image;
    const char *output = obb_files_path(s->plan->files, a->output);
    obb_toolchain *tc = obb_plan_variant_of(s->plan, a->variant)->toolchain;
    const char *fill = obb_arena_format(s->plan->arena, "--gap-fill=0x%02x", (unsigned)image->fill);
    OBB_VEC(const obb_image_segment *) parts = {0};
    if (image->program) {
        const char *words[] = {"-O", formats[image->format], image->program, output, fill};
        obb_text_format(s->text, "run_%s ", tc->tools[OBB_TOOL_COPIER].variable);
        line(s, words, image->fill_stated ? 5 : 4);
    } else {
        obb_text_string(s->text, ": > ");
        line(s, &output, 1);
    }
    for (size_t i = 0; i < image->segments.count; i++)
        obb_arena_push(s->plan->arena, &parts, &image->segments.at[i]);
    if (parts.count)
        qsort(parts.at, parts.count, sizeof *parts.at, by_offset);
    for (size_t i = 0; i < parts.count; i++) {
        pad(s, output, parts.at[i]->offset - (image->addressed ? image->address : 0), (unsigned)image->fill);
        append(s, parts.at[i]->path, output);
    }
    if (image->pad_to && (!image->program || image->format == OBB_IMAGE_BIN))
        pad(s, output, image->pad_to, (unsigned)image->fill);
}

/* In awk: values come by the environment, so that no character in them means anything. */
static const char fill_in_program[] =
    "{ out = \"\"; while (match($0, /@[A-Za-z_][A-Za-z0-9_]*@/)) { "
    "out = out substr($0, 1, RSTART - 1) ENVIRON[\"OBB_\" substr($0, RSTART + 1, RLENGTH - 2)]; "
    "$0 = substr($0, RSTART + RLENGTH) } print out $0 }";

/* An operation on files, by programs that POSIX has. */
static void add_operation(script *s, const obb_step_command *part)
{
    const obb_words *w = &part->words;
    const char *to = w->at[w->count - 1];
    uint64_t count = 0, byte = 0;
    switch (part->kind) {
    case OBB_STEP_EMPTY:
        obb_text_string(s->text, "rm -rf ");
        line(s, &to, 1);
        obb_text_string(s->text, "mkdir -p ");
        line(s, &to, 1);
        return;
    case OBB_STEP_COPY: obb_text_string(s->text, "cp -p "); line(s, w->at, 2); return;
    case OBB_STEP_MOVE: obb_text_string(s->text, "mv "); line(s, w->at, 2); return;
    case OBB_STEP_FILL:
        obb_read_size(w->at[0], &count);
        obb_read_size(w->at[1], &byte);
        obb_text_string(s->text, ": > ");
        line(s, &to, 1);
        pad(s, to, count, (unsigned)byte);
        return;
    case OBB_STEP_FILL_IN:
        obb_text_string(s->text, "env -i \"PATH=$PATH\"");
        for (size_t i = 1; i + 1 < w->count; i++) {
            obb_text_string(s->text, " OBB_");
            obb_text_shell_line(s->text, &w->at[i], 1);
        }
        obb_text_format(s->text, " awk '%s' ", fill_in_program);
        obb_text_shell_line(s->text, &w->at[0], 1);
        obb_text_string(s->text, " > ");
        line(s, &to, 1);
        return;
    default: break;
    }
    obb_text_string(s->text, ": > ");
    line(s, &to, 1);
    for (size_t i = 0; i + 1 < w->count; i++) {
        if (part->kind == OBB_STEP_JOIN) {
            append(s, w->at[i], to);
            continue;
        }
        obb_text_string(s->text, part->kind == OBB_STEP_HASH ? "sum256 " : "printf '%s\\n' ");
        obb_text_shell_line(s->text, &w->at[i], 1);
        obb_text_string(s->text, " >> ");
        line(s, &to, 1);
    }
}

/* A word of a step. Where the project lies, and how many commands may run at a time, is another matter on
 * each machine. */
static void add_word(script *s, const obb_step_recipe *step, const char *word)
{
    const char *const known[] = {OBB_JOBS_WORD, s->plan->root}, *const names[] = {"\"$jobs\"", "\"$root\""};
    for (bool begun = false; *word || !begun; begun = true) {
        const char *next = word + strlen(word), *name = "";
        size_t length = 0;
        for (size_t i = 0; step->apart && i < 2; i++) {
            const char *at = strstr(word, known[i]), *end = at ? at + strlen(known[i]) : NULL;
            if (at && at < next && (i == 0 || !*end || strchr("/= :;,", *end)))
                next = at, name = names[i], length = strlen(known[i]);
        }
        const char *plain = obb_arena_copy(s->plan->arena, word, (size_t)(next - word));
        if (*plain || !*name)
            obb_text_shell_line(s->text, &plain, 1);
        obb_text_string(s->text, name);
        word = next + length;
    }
}

static void add_words(script *s, const obb_step_recipe *step, const obb_words *words, const char *behind)
{
    for (size_t i = 0; i < words->count; i++) {
        add_word(s, step, words->at[i]);
        obb_text_string(s->text, i + 1 < words->count ? " " : behind);
    }
}

static void add_redirection(script *s, const char *mark, const char *path)
{
    if (!path)
        return;
    obb_text_string(s->text, mark);
    obb_text_shell_line(s->text, &path, 1);
}

/* The environment of a step is the same few variables that a build gives it. */
static void add_step(script *s, const obb_action *a)
{
    const obb_step_recipe *step = a->step;
    for (size_t i = 0; i < step->commands.count; i++) {
        const obb_step_command *part = &step->commands.at[i];
        if (part->kind != OBB_STEP_RUN) {
            add_operation(s, part);
            continue;
        }
        obb_text_string(s->text, "(");
        if (step->folder) {
            obb_text_string(s->text, "cd ");
            obb_text_shell_line(s->text, &step->folder, 1);
            obb_text_string(s->text, " && ");
        }
        obb_text_string(
            s->text,
            "env -i ${PATH+\"PATH=$PATH\"} ${HOME+\"HOME=$HOME\"} ${TMPDIR+\"TMPDIR=$TMPDIR\"} LC_ALL=C ");
        add_words(s, step, &step->environment, " ");
        add_words(s, step, &part->words, ")");
        add_redirection(s, " < ", part->input);
        add_redirection(s, " > ", part->output);
        obb_text_string(s->text, "\n");
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
    obb_text_format(s->text, "run_%s ", a->tool->variable);
    if (a->root_word != SIZE_MAX) {
        obb_text_shell_line(s->text, a->argv.at + own, a->root_word - own);
        obb_text_string(s->text, " \"" OBB_ROOT_WORD "\" ");
        own = a->root_word + 1;
    }
    line(s, a->argv.at + own, a->argv.count - own);
    for (size_t i = a->also.count - a->links; i < a->also.count; i++) {
        const char *words[] = {"ln", "-sf", obb_path_name(obb_files_path(s->plan->files, a->output)),
                               obb_files_path(s->plan->files, a->also.at[i])};
        line(s, words, 4);
    }
}

/* A tool as a function: named from outside, its words are parted at blanks; as it is here, they stay as they
 * are. */
static void add_variable(script *s, obb_map *named, const obb_tool *t)
{
    obb_words words = {0};
    if (obb_map_put(named, t->variable, s))
        return;
    obb_arena_push(s->plan->arena, &words, t->wanted);
    for (size_t i = 1; i < t->command.count; i++)
        obb_arena_push(s->plan->arena, &words, t->command.at[i]);
    obb_text_format(s->text, "if [ -n \"${%s:-}\" ]; then run_%s() { $%s \"$@\"; }\nelse run_%s() { ",
                    t->variable, t->variable, t->variable, t->variable);
    obb_text_shell_line(s->text, words.at, words.count);
    obb_text_string(s->text, " \"$@\"; }\nfi\n");
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

/* Files whose text is known. */
static void add_texts(script *s)
{
    for (size_t i = 0; i < s->plan->texts.count; i++) {
        const obb_generated_text *t = &s->plan->texts.at[i];
        const char *path = obb_files_path(s->plan->files, t->file);
        make_folder(s, t->file);
        obb_text_string(s->text, "printf %s ");
        obb_text_shell_line(s->text, &t->text, 1);
        obb_text_string(s->text, " > ");
        line(s, &path, 1);
    }
}

/* The functions that something wanted uses. */
static void add_functions(script *s)
{
    bool pads = false, sums = false, apart = false;
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        apart = apart || (s->wanted[i] && a->step && a->step->apart);
        pads = pads || (s->wanted[i] && a->image && (a->image->segments.count || a->image->pad_to));
        for (size_t k = 0; a->step && s->wanted[i] && k < a->step->commands.count; k++) {
            pads = pads || a->step->commands.at[k].kind == OBB_STEP_FILL;
            sums = sums || a->step->commands.at[k].kind == OBB_STEP_HASH;
        }
    }
    obb_text_string(s->text, apart ? apart_values : "");
    obb_text_string(s->text, pads ? pad_function : "");
    obb_text_string(s->text, sums ? sum_function : "");
}

static void add_in_order(script *s, uint32_t number)
{
    if (s->done[number] || !s->wanted[number])
        return;
    s->done[number] = true;
    const obb_dependencies *d = &s->table->of[number];
    for (size_t i = 0; i < d->needs.count; i++)
        add_in_order(s, d->needs.at[i]);
    add_command(s, s->plan->actions.at[number]);
}

void obb_report_shell_script(const obb_dependency_table *table, const bool *wanted, const char *behind,
                             obb_text *text)
{
    const obb_plan *plan = table->plan;
    script s = {.plan = plan,
                .table = table,
                .wanted = wanted,
                .text = text,
                .done = obb_alloc(plan->actions.count)};
    obb_text_format(text,
                    "#!/bin/sh\n# Builds %s %s without obbligato; written by obbligato export shell-script.\n"
                    "set -e\n%sCDPATH= cd -- \"$(dirname -- \"$0\")\"\n",
                    plan->project->name, plan->project->version, behind ? "started=$PWD\n" : "");
    add_variables(&s);
    add_functions(&s);
    add_texts(&s);
    for (uint32_t i = 0; i < plan->actions.count;
         i++) /* what a source includes that is not made yet, nobody knows */
        if (plan->actions.at[i]->kind == OBB_RUN_STEP)
            add_in_order(&s, i);
    for (uint32_t i = 0; i < plan->actions.count; i++)
        add_in_order(&s, i);
    obb_text_string(text, behind ? behind : "");
    free(s.done);
    obb_map_free(&s.folders);
}
