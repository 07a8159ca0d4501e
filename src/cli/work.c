/* The commands that change something: build, run, clean. */
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "toolchain/spell.h"

int command_build(session *s)
{
    return build_targets(s, stdout, true);
}

/* --- run ---------------------------------------------------------------------------- */

/* Whether programs of the variant run here without help. */
static bool runs_here(const obb_variant *v)
{
    const char *cpu = obb_variant_value(v, OBB_AXIS_CPU), *here = v->project->host->cpu;
    bool same = strcmp(cpu, here) == 0 || (strcmp(cpu, "x86") == 0 && strcmp(here, "x86_64") == 0);
    return same && strcmp(obb_variant_value(v, OBB_AXIS_OS), v->project->host->os) == 0;
}

/* The command that runs the program: itself, or the platform's runner with it. */
static int runner_words(session *s, const obb_variant *v, const char *program, obb_words *argv)
{
    obb_words programs = {0}, none = {0};
    obb_arena_push(s->arena, &programs, program);
    if (!v->runner && !runs_here(v)) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_DESCRIPTION, v->platform->place,
                                "programs of platform `%s` do not run on this machine", v->platform->name);
        obb_hint(s->diags, d, "name what runs them: runner NAME in the platform, and "
                              "runner NAME { run EMULATOR {program} {arguments} }");
        return session_show_diags(s);
    }
    if (!v->runner) {
        obb_arena_push(s->arena, argv, program);
        for (size_t i = 0; i < s->options->arguments.count; i++)
            obb_arena_push(s->arena, argv, s->options->arguments.at[i]);
        return 0;
    }
    obb_words template_words = {0};
    bool takes = false;
    for (size_t i = 0; i < v->runner->run.count; i++) {
        obb_arena_push(s->arena, &template_words, v->runner->run.at[i].text);
        takes = takes || strstr(v->runner->run.at[i].text, "{arguments}");
    }
    if (s->options->arguments.count && !takes)
        return session_fail(s, OBB_FAULT_USAGE, "the runner `%s` hands no arguments on", v->runner->name,
                            "put {arguments} into its `run`");
    const obb_filling fillings[] = {{"program", &programs}, {"arguments", &s->options->arguments}, {"port", &none}};
    obb_fill_words(&template_words, fillings, 3, s->arena, argv);
    const char *found = obb_find_program(s->files, s->arena, argv->at[0]);
    if (!found) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_OUTSIDE, v->runner->place, "`%s` is not on PATH; the runner `%s` needs it",
                                argv->at[0], v->runner->name);
        obb_hint(s->diags, d, "install it (Debian has emulators in qemu-system-arm, qemu-system-misc and qemu-user)");
        return session_show_diags(s);
    }
    argv->at[0] = found;
    return 0;
}

/* Becomes the program, or its runner. Returns only when that fails. */
static int become(session *s, const obb_target *target)
{
    const obb_variant *v = s->variants.at[0];
    obb_naming naming = obb_naming_for(obb_variant_value(v, OBB_AXIS_OS),
                                       s->toolchains ? obb_toolchains_for(s->toolchains, v) : NULL);
    const char *path = obb_program_path(s->arena, &naming, obb_variant_folder(s->arena, s->out, v), target->output);
    obb_words argv = {0};
    int code = runner_words(s, v, obb_path_join(s->arena, s->root, path), &argv);
    if (code)
        return code;
    obb_arena_push(s->arena, &argv, NULL);
    fflush(stdout);
    if (chdir(s->start))
        return session_fail(s, OBB_FAULT_OUTSIDE, "cannot go back to `%s`", s->start, NULL);
    obb_state_close(s->state); /* so that nobody waits for a program that runs long */
    s->state = NULL;
    execv(argv.at[0], (char *const *)(uintptr_t)argv.at);
    return session_fail(s, OBB_FAULT_OUTSIDE, "cannot run the program: %s", strerror(errno), NULL);
}

int command_run(session *s)
{
    if (s->options->names.count != 1)
        return session_fail(s, OBB_FAULT_USAGE, "`run` takes one program%s", "",
                    "arguments of the program stand behind --: obbligato run NAME -- ARGUMENTS");
    int code = build_targets(s, stderr, false);
    if (code || s->options->dry_run)
        return code;
    if (!s->project) { /* the build took the short way */
        session_begin_anew(s);
        code = session_read_project(s);
        if (!code)
            code = session_open_state(s, false);
        if (!code)
            code = session_choose_variants(s);
        if (code)
            return code;
    }
    const obb_target *t = session_program(s, s->options->names.at[0]);
    return t ? become(s, t) : OBB_FAULT_USAGE;
}

/* --- clean -------------------------------------------------------------------------- */

static bool chooses_variants(const options *o)
{
    return o->platforms.count || o->configurations.count || o->variants.count || o->lineups.count || o->sets.count;
}

/* Whether a made file belongs to a chosen variant; all do when none is chosen. */
static bool chosen(const session *s, const char *path)
{
    bool any = chooses_variants(s->options);
    for (size_t i = 0; any && i < s->variants.count; i++) {
        if (obb_path_within(path, obb_variant_folder(s->arena, s->out, s->variants.at[i])))
            return true;
    }
    return !any;
}

/* Files of the tool's own that are left when nothing made is. */
static void remove_own_files(session *s)
{
    char *folder = obb_path_join(s->arena, s->out, ".obbligato");
    const obb_words *names = obb_files_list(s->files, obb_files_number(s->files, folder));
    obb_state_close(s->state);
    s->state = NULL;
    for (size_t i = 0; i < names->count; i++)
        if (obb_starts(names->at[i], "ready-") || obb_starts(names->at[i], "state.db") ||
            strcmp(names->at[i], "lock") == 0 || strcmp(names->at[i], "made") == 0)
            unlink(obb_path_join(s->arena, folder, names->at[i]));
    rmdir(folder);
    rmdir(s->out);
}

int command_clean(session *s)
{
    obb_file_list made = {0};
    size_t removed = 0, kept = 0;
    bool any = chooses_variants(s->options);
    if (s->options->names.count)
        return session_fail(s, OBB_FAULT_USAGE, "`clean` takes no names, but `%s` is given", s->options->names.at[0],
                    "choose variants instead: -c CONFIGURATION");
    if (access(obb_path_join(s->arena, s->out, ".obbligato"), F_OK)) {
        printf("nothing to clean in %s\n", s->out);
        return 0;
    }
    int code = session_open_state(s, true);
    if (!code && any && !(code = session_read_project(s)))
        code = session_choose_variants(s);
    if (code)
        return code;
    obb_state_list_made(s->state, &made);
    for (size_t i = 0; i < made.count; i++) {
        const char *path = obb_files_path(s->files, made.at[i]);
        if (!chosen(s, path)) {
            kept++;
            continue;
        }
        bool there = access(path, F_OK) == 0;
        if (s->options->verbose && there)
            printf("%s %s\n", s->options->dry_run ? "would remove" : "remove", path);
        removed += there;
        if (s->options->dry_run)
            continue;
        int failed = obb_remove_output(path, s->out);
        if (failed)
            obb_error(s->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot remove %s: %s", path, strerror(failed));
        else
            obb_state_forget_made(s->state, made.at[i]);
    }
    obb_vec_free(&made);
    code = session_show_diags(s);
    if (!kept && !code && !s->options->dry_run)
        remove_own_files(s);
    char room[40];
    if (!s->options->quiet)
        printf("%s %s\n", s->options->dry_run ? "would remove" : "removed",
               counted(room, sizeof room, removed, "file", "files"));
    return code;
}
