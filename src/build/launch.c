/* How a program is run here (launch.h): directly, or through the runner of its platform.
 *
 * The words come from the runner's description, with {program}, {arguments} and {port} replaced. Without a
 * runner, the program must be for this machine; a runner that is not on PATH is an error with a hint. */
#include "build/launch.h"

#include <string.h>

#include "base/process.h"
#include "toolchain/spell.h"

bool obb_runs_here(const obb_variant *v)
{
    const char *cpu = obb_variant_value(v, OBB_AXIS_CPU), *here = v->project->host->cpu;
    bool same = strcmp(cpu, here) == 0 || (strcmp(cpu, "x86") == 0 && strcmp(here, "x86_64") == 0);
    return same && strcmp(obb_variant_value(v, OBB_AXIS_OS), v->project->host->os) == 0;
}

static bool needs_runner(const obb_variant *v, obb_diags *diags)
{
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, v->platform->place,
                            "programs of platform `%s` do not run on this machine", v->platform->name);
    obb_hint(diags, d, "name what runs them: runner NAME in the platform, and "
                       "runner NAME { run EMULATOR {program} {arguments} }");
    return false;
}

/* The words of a runner with its placeholders replaced. */
static void fill(const obb_launching *l, const obb_word_list *said, obb_words *words)
{
    obb_words programs = {0}, ports = {0}, templates = {0};
    obb_arena_push(l->arena, &programs, l->program);
    obb_arena_push(l->arena, &ports, l->port ? l->port : "");
    for (size_t i = 0; i < said->count; i++)
        obb_arena_push(l->arena, &templates, said->at[i].text);
    const obb_filling fillings[] = {{"program", &programs}, {"arguments", l->arguments}, {"port", &ports}};
    obb_fill_words(&templates, fillings, 3, l->arena, words);
}

static bool takes_arguments(const obb_word_list *said)
{
    for (size_t i = 0; i < said->count; i++)
        if (strstr(said->at[i].text, "{arguments}"))
            return true;
    return false;
}

static bool by_runner(const obb_launching *l, const obb_word_list *said, obb_diags *diags, obb_words *words)
{
    const obb_runner *runner = l->variant->runner;
    if (l->arguments->count && !takes_arguments(said)) {
        obb_diag *d = obb_error(diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                "the runner `%s` does not pass arguments on", runner->name);
        obb_hint(diags, d, "put {arguments} into its `run`");
        return false;
    }
    fill(l, said, words);
    const char *found = obb_find_program(l->files, l->arena, words->at[0]);
    if (!found) {
        obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, runner->place,
                                "`%s` is not on PATH; the runner `%s` needs it", words->at[0], runner->name);
        obb_hint(diags, d,
                 "install it (Debian has emulators in qemu-system-arm, qemu-system-misc and qemu-user)");
        return false;
    }
    words->at[0] = found;
    return true;
}

static bool waiting_for_debugger(const obb_launching *l, obb_diags *diags, obb_words *words)
{
    const obb_runner *runner = l->variant->runner;
    if (!runner)
        return needs_runner(l->variant, diags);
    if (runner->debug.count)
        return by_runner(l, &runner->debug, diags, words);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, runner->place,
                            "the runner `%s` does not say how it waits for a debugger", runner->name);
    obb_hint(diags, d, "state it: debug EMULATOR {program} WORDS-THAT-MAKE-IT-WAIT {port}");
    return false;
}

bool obb_launch_words(const obb_launching *l, obb_diags *diags, obb_words *words)
{
    const obb_variant *v = l->variant;
    if (l->port)
        return waiting_for_debugger(l, diags, words);
    if (!v->runner && !obb_runs_here(v))
        return needs_runner(v, diags);
    if (v->runner)
        return by_runner(l, &v->runner->run, diags, words);
    obb_arena_push(l->arena, words, l->program);
    for (size_t i = 0; i < l->arguments->count; i++)
        obb_arena_push(l->arena, words, l->arguments->at[i]);
    return true;
}
