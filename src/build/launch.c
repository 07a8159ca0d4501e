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
static bool fill(const obb_variant *v, const obb_word_list *said, obb_files *files, const char *program,
                 const obb_words *arguments, const char *port, obb_arena *arena, obb_diags *diags,
                 obb_words *words)
{
    obb_words programs = {0}, ports = {0}, templates = {0};
    bool takes = false;
    obb_arena_push(arena, &programs, program);
    obb_arena_push(arena, &ports, port);
    for (size_t i = 0; i < said->count; i++) {
        obb_arena_push(arena, &templates, said->at[i].text);
        takes = takes || strstr(said->at[i].text, "{arguments}");
    }
    if (arguments->count && !takes) {
        obb_diag *d = obb_error(diags, OBB_FAULT_USAGE, OBB_NOWHERE, "the runner `%s` hands no arguments on",
                                v->runner->name);
        obb_hint(diags, d, "put {arguments} into its `run`");
        return false;
    }
    const obb_filling fillings[] = {{"program", &programs}, {"arguments", arguments}, {"port", &ports}};
    obb_fill_words(&templates, fillings, 3, arena, words);
    const char *found = obb_find_program(files, arena, words->at[0]);
    if (!found) {
        obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, v->runner->place,
                                "`%s` is not on PATH; the runner `%s` needs it", words->at[0],
                                v->runner->name);
        obb_hint(diags, d,
                 "install it (Debian has emulators in qemu-system-arm, qemu-system-misc and qemu-user)");
        return false;
    }
    words->at[0] = found;
    return true;
}

bool obb_launch_words(const obb_variant *v, obb_files *files, const char *program, const obb_words *arguments,
                      obb_arena *arena, obb_diags *diags, obb_words *words)
{
    if (!v->runner && !obb_runs_here(v))
        return needs_runner(v, diags);
    if (v->runner)
        return fill(v, &v->runner->run, files, program, arguments, "", arena, diags, words);
    obb_arena_push(arena, words, program);
    for (size_t i = 0; i < arguments->count; i++)
        obb_arena_push(arena, words, arguments->at[i]);
    return true;
}

bool obb_debug_words(const obb_variant *v, obb_files *files, const char *program, const obb_words *arguments,
                     const char *port, obb_arena *arena, obb_diags *diags, obb_words *words)
{
    if (!v->runner)
        return needs_runner(v, diags);
    if (v->runner->debug.count)
        return fill(v, &v->runner->debug, files, program, arguments, port, arena, diags, words);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, v->runner->place,
                            "the runner `%s` does not say how it waits for a debugger", v->runner->name);
    obb_hint(diags, d, "state it: debug EMULATOR {program} WORDS-THAT-MAKE-IT-WAIT {port}");
    return false;
}
