/* Removing what builds made (build/clean.h). Everything is removed through descriptors below the output
 * folder (base/below.h): what is noted as made elsewhere is not touched. */
#include "build/clean.h"

#include <dirent.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "build/history.h"
#include "run/run.h"

bool obb_request_chooses_variants(const obb_request *r)
{
    return r->platforms.count || r->configurations.count || r->variants.count || r->lineups.count ||
           r->sets.count;
}

/* Whether a made file belongs to a chosen variant; all do when none is chosen. */
static bool chosen(const obb_workspace *w, const char *path)
{
    bool any = obb_request_chooses_variants(w->request);
    for (size_t i = 0; any && i < w->variants.count; i++) {
        if (obb_path_within(path, obb_variant_folder(w->arena, w->out, w->variants.at[i])))
            return true;
    }
    return !any;
}

/* The mark is removed with the folder, and stays when something else lies in it. */
static void remove_mark(const obb_workspace *w)
{
    size_t others = 0;
    DIR *d = opendir(w->out);
    for (struct dirent *e; d && (e = readdir(d));)
        others += strcmp(e->d_name, ".") != 0 && strcmp(e->d_name, "..") != 0 &&
                  strcmp(e->d_name, OBB_MARK_NAME) != 0;
    if (d)
        closedir(d);
    if (d && !others && obb_below_remove(w->out, obb_path_join(w->arena, w->out, OBB_MARK_NAME)) == 0)
        rmdir(w->out);
}

/* Files of the tool's own that remain when nothing that was made does. */
static void remove_own_files(obb_workspace *w)
{
    char *folder = obb_path_join(w->arena, w->out, ".obbligato");
    const obb_words *names = obb_files_list(w->files, obb_files_number(w->files, folder));
    obb_workspace_close_state(w);
    for (size_t i = 0; i < names->count; i++)
        if (obb_starts(names->at[i], "ready-") || obb_starts(names->at[i], "state.db") ||
            strcmp(names->at[i], "lock") == 0 || strcmp(names->at[i], "failed-command") == 0 ||
            strcmp(names->at[i], "made") == 0)
            obb_below_remove(w->out, obb_path_join(w->arena, folder, names->at[i]));
    obb_below_remove_all(w->out, obb_path_join(w->arena, w->out, OBB_WORK_FOLDER));
    obb_history_forget(w);
    rmdir(folder);
    remove_mark(w);
}

int obb_clean_all(obb_workspace *w, obb_clean_result *result)
{
    obb_stamp stamp;
    bool there = obb_stamp_of(w->out, &stamp);
    *result = (obb_clean_result){.what = there ? OBB_CLEANED_ALL : OBB_NOTHING_TO_CLEAN};
    if (!there)
        return 0;
    if (!obb_state_is_marked(w->out))
        return obb_workspace_fail(w, OBB_FAULT_USAGE,
                                  "`%s` has no mark of an output folder, so it is not removed as one", w->out,
                                  "look at what is in it, and remove it by hand");
    obb_words edited = {0};
    if (!w->request->drop_edits)
        obb_list_edited_trees(w->arena, w->out, &edited);
    if (edited.count)
        return obb_workspace_fail(
            w, OBB_FAULT_USAGE, "`%s` was edited, and would be lost", edited.at[0],
            "keep the edits with `obbligato patch NAME --to FILE`; --drop-edits removes them as "
            "well");
    obb_arena_push(w->arena, &result->files, w->out);
    if (w->request->dry_run)
        return 0;
    int code = obb_workspace_open_state(w, true); /* no other build is using it */
    if (code)
        return code;
    int failed = obb_below_remove_all(w->out, NULL);
    obb_workspace_close_state(w);
    if (failed)
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot remove all of the output folder: %s",
                                  strerror(failed), NULL);
    rmdir(w->out);
    return 0;
}

static void clean_file(obb_workspace *w, obb_file file, obb_clean_result *result)
{
    const char *path = obb_files_path(w->files, file);
    if (access(path, F_OK) == 0)
        obb_arena_push(w->arena, &result->files, path);
    if (w->request->dry_run)
        return;
    int failed = obb_remove_output(path, w->out);
    if (failed)
        obb_error(w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot remove %s: %s", path,
                  obb_below_error(failed));
    else
        obb_state_forget_made(w->state, file);
}

static int open_for_clean(obb_workspace *w)
{
    int code = obb_workspace_open_state(w, true);
    if (!code && obb_request_chooses_variants(w->request) && !(code = obb_workspace_read_project(w)))
        code = obb_workspace_choose_variants(w);
    return code;
}

int obb_clean(obb_workspace *w, obb_clean_result *result)
{
    obb_file_list made = {0};
    size_t kept = 0;
    *result = (obb_clean_result){.what = OBB_CLEANED};
    if (access(obb_path_join(w->arena, w->out, ".obbligato"), F_OK)) {
        result->what = obb_state_is_marked(w->out) ? OBB_CLEAN_UNKNOWN : OBB_NOTHING_TO_CLEAN;
        return 0;
    }
    int code = open_for_clean(w);
    if (code)
        return code;
    obb_state_list_made(w->state, &made);
    for (size_t i = 0; i < made.count; i++) {
        if (chosen(w, obb_files_path(w->files, made.at[i])))
            clean_file(w, made.at[i], result);
        else
            kept++;
    }
    obb_vec_free(&made);
    code = obb_workspace_tell(w);
    if (!kept && !code && !w->request->dry_run)
        remove_own_files(w);
    return code;
}
