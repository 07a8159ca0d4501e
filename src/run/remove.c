/* Removing outputs: of failed actions, of actions that are gone, and what a killed build left behind.
 * Folders that this leaves empty go as well, up to the output folder.
 *
 * Only files that this output folder's state lists as made are removed, and only below the output folder,
 * without following links (base/below.h). */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "plan/profile.h"
#include "run/run.h"

int obb_remove_output(const char *path, const char *top)
{
    int failed = obb_below_remove(top, path);
    obb_below_remove_empty(top, path);
    return failed;
}

/* Files that were written beside their places when all ended (obb_file_replace). */
static void remove_new(const char *folder, obb_arena *arena)
{
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));)
        if (obb_starts(e->d_name, OBB_NEW_PREFIX) && strlen(e->d_name) == strlen(OBB_NEW_PREFIX) + 16)
            unlink(obb_arena_format(arena, "%s/%s", folder, e->d_name));
    if (d)
        closedir(d);
}

void obb_run_sweep(const obb_plan *plan, obb_state *state)
{
    obb_file_list made = {0};
    obb_map seen = {0};
    if (!obb_state_was_broken_off(state))
        return;
    obb_arena *arena = obb_arena_new();
    obb_below_remove_all(plan->out, obb_arena_format(arena, "%s/" OBB_WORK_FOLDER, plan->out));
    remove_new(plan->out, arena);
    remove_new(obb_arena_format(arena, "%s/.obbligato", plan->out), arena);
    for (size_t i = 0; i < plan->variants.count; i++)
        remove_new(plan->variants.at[i].folder, arena);
    obb_state_list_made(state, &made);
    for (size_t i = 0; i < made.count; i++) {
        const char *folder = obb_path_folder(arena, obb_files_path(plan->files, made.at[i]));
        if (!obb_map_put(&seen, folder, &made) && obb_below_lies(plan->out, folder))
            remove_new(folder, arena);
    }
    obb_map_free(&seen);
    obb_vec_free(&made);
    obb_arena_free(arena);
}

/* Whether a path lies in the folder of one of these variants, or of one that is not
 * described any more. */
static bool in_charge(const obb_plan *plan, const char *path, obb_map *known, obb_arena *arena)
{
    static char yes, no;
    size_t n = strlen(plan->out);
    if (!obb_path_within(path, plan->out))
        return false;
    const char *rest = path + n + 1;
    char *variant = obb_arena_copy(arena, rest, strcspn(rest, "/"));
    for (size_t i = 0; i < plan->variants.count; i++)
        if (strcmp(plan->variants.at[i].variant->name, variant) == 0)
            return true;
    const char *answer = obb_map_get(known, variant);
    if (!answer) {
        obb_diags *ignored = obb_diags_new();
        obb_project *project = plan->variants.count ? plan->variants.at[0].variant->project : NULL;
        const obb_variant *v = project && strchr(variant, '.')
                                   ? obb_project_variant_named(project, variant, NULL, OBB_NOWHERE, ignored)
                                   : NULL;
        bool gone = project && strchr(variant, '.') && (!v || strcmp(v->name, variant) != 0);
        answer = gone ? &yes : &no;
        obb_map_put(known, variant, (void *)(uintptr_t)answer);
        obb_diags_free(ignored);
    }
    return answer == &yes;
}

static void keep(const obb_plan *plan, const obb_file_list *files, obb_map *kept)
{
    for (size_t i = 0; i < files->count; i++)
        obb_map_put(kept, obb_files_path(plan->files, files->at[i]), kept);
}

/* What some action leaves beside its output, and counts of former runs that it reads: they were written by
 * what a former command made. */
static void keep_beside(const obb_plan *plan, obb_map *kept)
{
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        obb_file_list counts = {0};
        keep(plan, &a->byproducts, kept);
        if (a->options && a->in_place)
            obb_profile_places(plan, a, &counts);
        keep(plan, &counts, kept);
    }
}

/* Texts that are written before the actions run, and the compilation databases. */
static bool generated_text(const obb_plan *plan, obb_file file)
{
    for (size_t i = 0; i < plan->texts.count; i++)
        if (plan->texts.at[i].file == file)
            return true;
    for (size_t i = 0; i < plan->variants.count; i++) {
        const char *path = obb_files_path(plan->files, file), *folder = plan->variants.at[i].folder;
        if (obb_path_within(path, folder) && strcmp(path + strlen(folder) + 1, "compile_commands.json") == 0)
            return true;
    }
    return false;
}

void obb_run_list_stale(const obb_plan *plan, obb_state *state, obb_file_list *stale)
{
    obb_file_list made = {0};
    obb_map byproducts = {0}, variants = {0};
    obb_arena *arena = obb_arena_new();
    obb_state_list_made(state, &made);
    keep_beside(plan, &byproducts);
    for (size_t i = 0; i < made.count; i++) {
        const char *path = obb_files_path(plan->files, made.at[i]);
        if (!obb_plan_maker(plan, made.at[i]) && !obb_map_get(&byproducts, path) &&
            !generated_text(plan, made.at[i]) && in_charge(plan, path, &variants, arena))
            obb_vec_push(stale, made.at[i]);
    }
    obb_map_free(&byproducts);
    obb_map_free(&variants);
    obb_arena_free(arena);
    obb_vec_free(&made);
}

size_t obb_run_remove(const obb_plan *plan, obb_state *state, const obb_file_list *files,
                      const obb_run_options *options)
{
    size_t removed = 0;
    for (size_t i = 0; i < files->count; i++) {
        const char *path = obb_files_path(plan->files, files->at[i]);
        bool there = access(path, F_OK) == 0;
        if (!obb_remove_output(path, plan->out) && there && options->observer) {
            obb_event event = {.kind = OBB_EVENT_REMOVED, .path = path};
            options->observer(options->self, &event);
            removed++;
        }
        obb_files_forget(plan->files, files->at[i]);
        obb_state_forget_made(state, files->at[i]);
    }
    return removed;
}
