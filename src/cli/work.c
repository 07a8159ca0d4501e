/* The commands that change something: build, run, clean. */
#include <dirent.h>
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"
#include "run/launch.h"

int command_build(session *s)
{
    return build_targets(s, stdout, true);
}

/* --- run ---------------------------------------------------------------------------- */

/* Becomes the program, or its runner. Returns only when that fails. */
static int become(session *s, const obb_target *target, const obb_launch *launch)
{
    const obb_variant *v = s->variants.at[0];
    const char *path = session_program_path(s, target);
    const char *folder = launch && launch->folder ? obb_path_join(s->arena, s->root, launch->folder) : s->start;
    obb_words argv = {0}, arguments = {0};
    for (size_t i = 0; launch && i < launch->arguments.count; i++)
        obb_arena_push(s->arena, &arguments, launch->arguments.at[i].text);
    for (size_t i = 0; i < s->options->arguments.count; i++)
        obb_arena_push(s->arena, &arguments, s->options->arguments.at[i]);
    if (!obb_launch_words(v, s->files, obb_path_join(s->arena, s->root, path), &arguments, s->arena, s->diags, &argv))
        return session_show_diags(s);
    obb_arena_push(s->arena, &argv, NULL);
    fflush(stdout);
    if (chdir(folder))
        return session_fail(s, OBB_FAULT_OUTSIDE, "cannot go to `%s`", folder, NULL);
    for (size_t i = 0; launch && i < launch->environment.count; i++)
        session_set_variable(s, launch->environment.at[i].text);
    obb_state_close(s->state); /* so that nobody waits for a program that runs long */
    s->state = NULL;
    execv(argv.at[0], (char *const *)(uintptr_t)argv.at);
    return session_fail(s, OBB_FAULT_OUTSIDE, "cannot run the program: %s", strerror(errno), NULL);
}

int command_run(session *s)
{
    if (s->options->names.count != 1)
        return session_fail(s, OBB_FAULT_USAGE, "`run` takes one program or launch%s", "",
                            "arguments of the program stand behind --: obbligato run NAME -- ARGUMENTS");
    int code = build_targets(s, stderr, false);
    if (code || s->options->dry_run)
        return code;
    code = s->project ? 0 : session_go_on(s);
    if (code)
        return code;
    const obb_launch *launch = obb_project_launch(s->project, s->options->names.at[0]);
    const obb_target *t = session_program(s, launch ? launch->program : s->options->names.at[0]);
    return t ? become(s, t, launch) : OBB_FAULT_USAGE;
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

/* The mark goes with the folder, and stays with what else lies in it. */
static void remove_mark(const session *s)
{
    size_t others = 0;
    DIR *d = opendir(s->out);
    for (struct dirent *e; d && (e = readdir(d));)
        others += strcmp(e->d_name, ".") != 0 && strcmp(e->d_name, "..") != 0 && strcmp(e->d_name, OBB_MARK_NAME) != 0;
    if (d)
        closedir(d);
    if (d && !others && obb_below_remove(s->out, obb_path_join(s->arena, s->out, OBB_MARK_NAME)) == 0)
        rmdir(s->out);
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
            strcmp(names->at[i], "lock") == 0 || strcmp(names->at[i], "failed-command") == 0 || strcmp(names->at[i], "made") == 0)
            obb_below_remove(s->out, obb_path_join(s->arena, folder, names->at[i]));
    obb_below_remove_all(s->out, obb_path_join(s->arena, s->out, OBB_WORK_FOLDER));
    rmdir(folder);
    remove_mark(s);
}

static void tell_cleaned(const session *s, json_t *files)
{
    json_t *document = json_object();
    json_object_set_new(document, "removed", files);
    json_object_set_new(document, "dry-run", json_boolean(s->options->dry_run));
    json_print(document, "clean");
}

/* All of an output folder, whoever put it there. */
static int clean_all(session *s)
{
    obb_stamp stamp;
    bool there = obb_stamp_of(s->out, &stamp);
    if (there && !obb_state_is_marked(s->out))
        return session_fail(s, OBB_FAULT_USAGE, "`%s` has no mark of an output folder, so it is not removed as one", s->out,
                            "look at what is in it, and remove it by hand");
    if (there && !s->options->dry_run) {
        int code = session_open_state(s, true); /* no other build is at work in it */
        if (code)
            return code;
        int failed = obb_below_remove_all(s->out, NULL);
        obb_state_close(s->state);
        s->state = NULL;
        if (failed)
            return session_fail(s, OBB_FAULT_OUTSIDE, "cannot remove all of the output folder: %s", strerror(failed), NULL);
        rmdir(s->out);
    }
    json_t *files = json_array();
    if (there)
        json_array_append_new(files, obb_report_text(s->out));
    if (s->options->json)
        tell_cleaned(s, files);
    else
        json_decref(files);
    if (!s->options->json && !s->options->quiet)
        terminal_say(stdout, there ? s->options->dry_run ? "would remove %s with all that is in it\n" : "removed %s with all that was in it\n" : "nothing to clean in %s\n", s->out);
    return 0;
}

int command_clean(session *s)
{
    obb_file_list made = {0};
    size_t removed = 0, kept = 0;
    bool any = chooses_variants(s->options);
    if (s->options->names.count)
        return session_fail(s, OBB_FAULT_USAGE, "`clean` takes no names, but `%s` is given", s->options->names.at[0],
                    "choose variants instead: -c CONFIGURATION");
    if (s->options->all && !any)
        return clean_all(s);
    if (s->options->all)
        return session_fail(s, OBB_FAULT_USAGE, "`clean --all` removes the whole output folder `%s`, and takes no variants", s->out, "leave --all out, or the variants");
    if (access(obb_path_join(s->arena, s->out, ".obbligato"), F_OK)) {
        if (!s->options->json && obb_state_is_marked(s->out)) {
            terminal_say(stdout, "%s is an output folder, but what was made in it is not known any more: its folder .obbligato is gone\n"
                   "  hint: `obbligato clean --all` removes it, with all that is in it\n", s->out);
            return 0;
        }
        if (s->options->json)
            tell_cleaned(s, json_array());
        else
            terminal_say(stdout, "nothing to clean in %s\n", s->out);
        return 0;
    }
    int code = session_open_state(s, true);
    if (!code && any && !(code = session_read_project(s)))
        code = session_choose_variants(s);
    if (code)
        return code;
    json_t *files = json_array();
    obb_state_list_made(s->state, &made);
    for (size_t i = 0; i < made.count; i++) {
        const char *path = obb_files_path(s->files, made.at[i]);
        if (!chosen(s, path)) {
            kept++;
            continue;
        }
        bool there = access(path, F_OK) == 0;
        if (s->options->verbose && there && !s->options->json)
            terminal_say(stdout, "%s %s\n", s->options->dry_run ? "would remove" : "remove", path);
        removed += there;
        if (there)
            json_array_append_new(files, obb_report_text(path));
        if (s->options->dry_run)
            continue;
        int failed = obb_remove_output(path, s->out);
        if (failed)
            obb_error(s->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot remove %s: %s", path, obb_below_error(failed));
        else
            obb_state_forget_made(s->state, made.at[i]);
    }
    obb_vec_free(&made);
    code = session_show_diags(s);
    if (!kept && !code && !s->options->dry_run)
        remove_own_files(s);
    char room[40];
    if (s->options->json)
        tell_cleaned(s, files);
    else
        json_decref(files);
    if (!s->options->quiet && !s->options->json)
        terminal_say(stdout, "%s %s\n", s->options->dry_run ? "would remove" : "removed",
               counted(room, sizeof room, removed, "file", "files"));
    return code;
}
