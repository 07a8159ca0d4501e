/* Collecting coverage: gcov is run on the data files of each compile, and its text is added up by source.
 *
 * Counts of a line are added over all compiles that have it, and a line is code when one of them says so.
 * Only files of the project are reported. */
#include "report/coverage.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/process.h"

/* Where the program of a compile counts: beside the object, named after it. */
static char *counts_path(const obb_plan *plan, const obb_action *a, obb_arena *arena)
{
    const char *object = obb_files_path(plan->files, a->output);
    size_t n = strlen(object) - strlen(obb_path_suffix(object));
    return obb_arena_format(arena, "%.*s.gcda", (int)n, object);
}

static bool counts(const obb_action *a)
{
    return a->kind == OBB_COMPILE && a->options && a->options->tool && a->in_place &&
           !a->options->toolchain->custom;
}

void obb_coverage_reset(const obb_plan *plan)
{
    obb_arena *arena = obb_arena_new();
    for (size_t i = 0; i < plan->actions.count; i++)
        if (counts(plan->actions.at[i]))
            obb_below_remove(plan->out, counts_path(plan, plan->actions.at[i], arena));
    obb_arena_free(arena);
}

/* gcov is called like its compiler: arm-none-eabi-gcc, arm-none-eabi-gcov; and so with a version
 * behind (gcc-12, gcov-12). clang's is a mode of llvm-cov. */
static void tool_words(const obb_tool *tool, obb_arena *arena, obb_words *words)
{
    const char *compiler = tool->command.at[0], *name = obb_path_name(compiler);
    const char *gcc = strstr(name, "gcc"), *clang = strstr(name, "clang");
    if (tool->family == OBB_FAMILY_CLANG) {
        const char *version = clang && clang[5] == '-' ? clang + 5 : "";
        obb_arena_push(arena, words, obb_arena_format(arena, "llvm-cov%s", version));
        obb_arena_push(arena, words, "gcov");
        return;
    }
    if (!gcc)
        gcc = strstr(name, "g++");
    const char *gcov = gcc ? obb_arena_format(arena, "%.*sgcov%s", (int)(gcc - name), name, gcc + 3) : "gcov";
    obb_arena_push(arena, words, gcov);
}

static obb_covered_file *file_of(obb_coverage *files, const char *path, const obb_variant *variant,
                                 obb_arena *arena)
{
    for (size_t i = 0; i < files->count; i++)
        if (files->at[i]->variant == variant && strcmp(files->at[i]->path, path) == 0)
            return files->at[i];
    obb_covered_file *f = obb_arena_alloc(arena, sizeof *f);
    *f = (obb_covered_file){.path = obb_arena_string(arena, path), .variant = variant};
    obb_arena_push(arena, files, f);
    return f;
}

/* One line of the tool: "  5*:  12:text", "#####:  13:text", "-:  14:text". */
static void take_line(obb_covered_file *f, const char *line, obb_arena *arena)
{
    const char *colon = strchr(line, ':');
    long number = colon ? strtol(colon + 1, NULL, 10) : 0;
    int64_t count = -1;
    line += strspn(line, " ");
    if (*line == '#' || *line == '=')
        count = 0;
    else if (*line != '-')
        count = strtoll(line, NULL, 10);
    if (number < 1 || number > 10000000)
        return;
    while (f->lines.count < (size_t)number)
        obb_arena_push(arena, &f->lines, -1);
    int64_t *before = &f->lines.at[number - 1];
    if (count >= 0) /* the same header in several sources, the same source in several programs */
        *before = (*before > 0 ? *before : 0) + count;
}

static void take_report(const obb_plan *plan, const obb_action *a, char *text, obb_arena *arena,
                        obb_coverage *files)
{
    obb_covered_file *file = NULL;
    for (char *line = text; *line;) {
        size_t n = strcspn(line, "\n");
        bool last = !line[n];
        line[n] = 0;
        const char *source = strstr(line, ":    0:Source:");
        if (source) {
            char *path = obb_path_below(arena, plan->root, obb_path_join(arena, ".", source + 14));
            file = obb_path_outside(path) ? NULL : file_of(files, path, a->variant, arena);
        } else if (file) {
            take_line(file, line, arena);
        }
        line += n + !last;
    }
}

static int by_path(const void *a, const void *b)
{
    const obb_covered_file *x = *(obb_covered_file *const *)a, *y = *(obb_covered_file *const *)b;
    int order = strcmp(x->path, y->path);
    return order ? order : strcmp(x->variant->name, y->variant->name);
}

static void add_up(obb_coverage *files)
{
    for (size_t i = 0; i < files->count; i++)
        for (size_t k = 0; k < files->at[i]->lines.count; k++) {
            files->at[i]->code += files->at[i]->lines.at[k] >= 0;
            files->at[i]->ran += files->at[i]->lines.at[k] > 0;
        }
    if (files->count)
        qsort(files->at, files->count, sizeof *files->at, by_path);
}

bool obb_coverage_collect(const obb_plan *plan, obb_arena *arena, obb_diags *diags, obb_coverage *files)
{
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        obb_words words = {0};
        if (!counts(a))
            continue;
        const char *counted = counts_path(plan, a, arena);
        if (access(counted, F_OK))
            continue;
        tool_words(a->options->tool, arena, &words);
        const char *tool = words.at[0];
        obb_arena_push(arena, &words, "-t");
        obb_arena_push(arena, &words, counted);
        obb_arena_push(arena, &words, NULL);
        obb_answer answer = obb_ask(words.at, "");
        if (answer.failed) {
            obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                                    "cannot run `%s`, which tells what was executed: %s", tool,
                                    strerror(answer.failed));
            obb_hint(diags, d, "it comes with the compiler (Debian: gcc has gcov, llvm has llvm-cov)");
            obb_answer_free(&answer);
            return false;
        }
        if (answer.out.length)
            take_report(plan, a, answer.out.bytes, arena, files);
        obb_answer_free(&answer);
    }
    add_up(files);
    return true;
}
