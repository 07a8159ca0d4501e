/* Invocations of tools (run/invocation.h). What is added to the planned words is no part of the command: it
 * is neither shown nor in its fingerprint. */
#include "run/invocation.h"

#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "run/run.h"

#define REPORTED "x" /* the target in reports of compilers */

enum { LONG_COMMAND = 100 * 1024 };

typedef struct maker {
    const obb_plan *plan;
    const obb_action *a;
    const char **shared;
    obb_arena *arena;
    obb_invocation *to;
} maker;

char *obb_work_file(const obb_plan *plan, const obb_action *a, obb_arena *arena, const char *suffix)
{
    const char *path = obb_files_path(plan->files, a->output);
    return obb_arena_format(arena, "%s/" OBB_WORK_FOLDER "/%016llx.%s", plan->out,
                            (unsigned long long)obb_fingerprint_of(path, strlen(path)).low, suffix);
}

/* The words that do not fit on a command line go into a file: one a line, in quotes. */
static bool write_words_file(const maker *m, size_t from)
{
    obb_invocation *to = m->to;
    obb_text text = {0};
    for (size_t i = from; i + 1 < to->argv.count; i++) {
        obb_text_char(&text, '"');
        for (const char *s = to->argv.at[i]; *s; s++) {
            if (*s == '"' || *s == '\\')
                obb_text_char(&text, '\\');
            obb_text_char(&text, *s);
        }
        obb_text_string(&text, "\"\n");
    }
    to->words_file = obb_work_file(m->plan, m->a, m->arena, "words");
    bool ok = obb_file_replace(to->words_file, text.bytes, text.length, 0666) == 0;
    obb_text_free(&text);
    to->argv.count = from;
    obb_arena_push(m->arena, &to->argv, obb_arena_format(m->arena, "@%s", to->words_file));
    obb_arena_push(m->arena, &to->argv, NULL);
    return ok;
}

/* Where the report is expected. */
static void expect_report(const maker *m)
{
    m->to->report = obb_work_file(m->plan, m->a, m->arena, "told");
    unlink(m->to->report);
}

/* The same for a tool that adds to what is there: commands that follow one another share a file. One that is
 * made and removed for each command takes longest of all that a compile's report costs: ext4 without a
 * journal looks at all inodes that were freed lately before it takes a free one. */
static void expect_addition(const maker *m)
{
    enum { MOST = 1 << 20 };
    struct stat s;
    if (*m->shared && lstat(*m->shared, &s) == 0 && S_ISREG(s.st_mode) && s.st_size < MOST) {
        m->to->report = *m->shared;
        m->to->report_from = (uint64_t)s.st_size;
    } else {
        if (*m->shared)
            unlink(*m->shared);
        expect_report(m);
        *m->shared = m->to->report;
    }
    m->to->report_stays = true;
}

/* What does not begin as a report was not added: a program in front of the compiler wrote the file anew. */
void obb_invocation_over(obb_invocation *i)
{
    if (i->report_stays && (obb_file_read_from(i->report, i->report_from, &i->told) ||
                            !obb_starts(obb_text_bytes(&i->told), REPORTED ":")))
        i->told.length = 0;
}

/* The linker is asked for its report by one more word (GNU ld manual 2.1, --dependency-file; LLVM's and gold
 * have it as well). */
static const char *report_word(const maker *m)
{
    const obb_action *a = m->a;
    if (!a->reports || strpbrk(m->plan->out, " ,\t"))
        return NULL;
    for (size_t i = 0; i < a->argv.count; i++)
        if (strstr(a->argv.at[i], "dependency-file"))
            return NULL;
    expect_report(m);
    return obb_arena_format(m->arena, "%s--dependency-file=%s",
                            a->tool->role == OBB_TOOL_LINKER ? "" : "-Wl,", m->to->report);
}

/* Compilers of the known families write what they read when a variable of the environment says
 * where: gcc by SUNPRO_DEPENDENCIES (GCC manual, Environment Variables Affecting GCC), clang by
 * words that are added to its own (CCC_OVERRIDE_OPTIONS). So the command stays as it is shown.
 * NULL: this one cannot, or the user uses the variable. */
static const char *report_variable(const maker *m)
{
    const obb_action *a = m->a;
    bool preprocessed = a->options && (a->options->language == OBB_C || a->options->language == OBB_CXX ||
                                       a->options->language == OBB_ASM_CPP);
    obb_family family = a->tool ? a->tool->family : OBB_FAMILY_UNKNOWN;
    const char *name = family == OBB_FAMILY_GCC     ? "SUNPRO_DEPENDENCIES"
                       : family == OBB_FAMILY_CLANG ? "CCC_OVERRIDE_OPTIONS"
                                                    : NULL;
    if (!preprocessed || !name || getenv(name) || strpbrk(m->plan->out, " \t"))
        return NULL;
    for (size_t i = 0; i < a->argv.count; i++)
        if (obb_starts(a->argv.at[i], "-M"))
            return NULL;
    (family == OBB_FAMILY_GCC ? expect_addition : expect_report)(m);
    return obb_arena_format(m->arena, family == OBB_FAMILY_GCC ? "%s=%s " REPORTED : "%s=# +-MD +-MF +%s",
                            name, m->to->report);
}

bool obb_invocation_make(const obb_plan *plan, const obb_action *a, const char **shared, obb_arena *arena,
                         obb_invocation *to)
{
    const maker m = {plan, a, shared, arena, to};
    size_t length = 0;
    *to = (obb_invocation){0};
    if (!a->in_place && a->output_word != SIZE_MAX)
        to->temporary = obb_work_file(plan, a, arena, "part");
    if (to->temporary)
        unlink(to->temporary);
    const char *report = report_word(&m);
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = to->temporary && i == a->output_word ? to->temporary : a->argv.at[i];
        obb_arena_push(arena, &to->argv, w);
        length += strlen(w) + 1;
    }
    if (report)
        obb_arena_push(arena, &to->argv, report);
    obb_arena_push(arena, &to->argv, NULL);
    to->variable = report_variable(&m);
    return length < LONG_COMMAND || write_words_file(&m, a->tool->command.count);
}
