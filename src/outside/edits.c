/* What was edited in trees of third-party code (fetch.h): as a list, and as a unified diff against what is
 * unpacked again.
 */
#include "outside/fetch.h"

#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "outside/bringing.h"
#include "outside/git.h"

const char *obb_list_edits(obb_arena *arena, const obb_thirdparty *other, obb_tree_edits *edits)
{
    obb_tree recorded;
    const char *where = "";
    if (!other->fetched || !other->fetched->tree)
        return "it lies in a folder of the project";
    if (access(other->fetched->tree, F_OK))
        return "it is not fetched yet";
    if (!obb_tree_read(other->fetched->record, arena, &recorded))
        return "the record of what was in it is gone";
    int failed = obb_tree_compare(other->fetched->tree, &recorded, arena, edits, &where);
    return failed ? obb_arena_format(arena, "cannot read %s: %s", where, strerror(failed)) : NULL;
}

void obb_list_edited_trees(obb_arena *arena, const char *out, obb_words *trees)
{
    static const char suffix[] = ".record";
    const char *top = obb_path_join(arena, out, OBB_FETCHED_FOLDER), *where;
    DIR *dir = opendir(top);
    for (struct dirent *d; dir && (d = readdir(dir));) {
        const char *path = obb_path_join(arena, top, d->d_name);
        obb_tree recorded;
        obb_tree_edits edits = {0};
        if (d->d_name[0] == '.' || !obb_is_real_folder(path))
            continue;
        bool same = obb_tree_read(obb_arena_format(arena, "%s%s", path, suffix), arena, &recorded) &&
                    !obb_tree_compare(path, &recorded, arena, &edits, &where) && !edits.count;
        if (!same)
            obb_arena_push(arena, trees, path);
    }
    if (dir)
        closedir(dir);
}

/* A copy of one file of a tree in `a` or `b`, where the diff is made. */
static int copy_file(obb_bringing *b, const char *root, const char *path, const char *folder,
                     const char *side)
{
    const char *from = obb_path_join(b->arena, root, path),
               *to = obb_path_join(b->arena, obb_path_join(b->arena, folder, side), path);
    char target[4096];
    struct stat s;
    obb_text text = {0};
    int failed = lstat(from, &s) ? errno : obb_path_make_folders(to);
    if (!failed && S_ISLNK(s.st_mode)) {
        ssize_t n = readlink(from, target, sizeof target - 1);
        target[n > 0 ? n : 0] = '\0';
        return symlink(target, to) ? errno : 0;
    }
    failed = failed ? failed : obb_file_read(from, &text);
    if (!failed)
        failed = obb_file_replace(to, obb_text_bytes(&text), text.length, s.st_mode & 0777);
    obb_text_free(&text);
    return failed;
}

static void diff_in(obb_bringing *b, obb_bring_job *j, const char *folder, const obb_tree_edits *edits,
                    obb_text *diff)
{
    const char *sides[] = {obb_path_join(b->arena, folder, "a"), obb_path_join(b->arena, folder, "b")};
    char *pristine = obb_path_join(b->arena, folder, "pristine");
    int failed = mkdir(sides[0], 0777) || mkdir(sides[1], 0777) || mkdir(pristine, 0777) ? errno : 0;
    const char *root = failed ? NULL : obb_bring_make_tree(b, j, pristine);
    for (size_t i = 0; root && !failed && i < edits->count; i++) {
        const obb_tree_edit *e = &edits->at[i];
        if (strcmp(e->what, "added") != 0)
            failed = copy_file(b, root, e->path, folder, "a");
        if (!failed && strcmp(e->what, "removed") != 0)
            failed = copy_file(b, j->f->tree, e->path, folder, "b");
    }
    const char *why = failed ? strerror(failed) : root ? obb_make_patch(b->arena, folder, diff) : NULL;
    if (why)
        obb_bring_fail(b, j, "cannot compare: %s", why);
}

bool obb_diff_edits(obb_arena *arena, const obb_project *project, obb_files *files,
                    const obb_thirdparty *other, obb_text *diff, obb_diags *diags)
{
    static const obb_fetch_observer nobody;
    obb_words names = {0};
    obb_arena_push(arena, &names, other->name);
    const obb_fetch_request request = {.allowed = true, .names = &names};
    obb_bringing b = {.arena = arena,
                      .project = project,
                      .files = files,
                      .request = &request,
                      .observer = &nobody,
                      .diags = diags,
                      .top = obb_path_join(arena, project->out, OBB_FETCHED_FOLDER)};
    obb_tree_edits edits = {0};
    const char *why = obb_list_edits(arena, other, &edits);
    if (why)
        obb_hint(diags, obb_error(diags, OBB_FAULT_OUTSIDE, other->place, "`%s`: %s", other->name, why),
                 other->fetched ? "`obbligato fetch` brings it"
                                : "what was edited there, version control tells");
    if (why || !edits.count)
        return !why;
    obb_bring_list(&b);
    obb_bring_job *j = NULL;
    for (size_t i = 0; i < b.jobs.count; i++) {
        b.jobs.at[i].need = b.jobs.at[i].other == other ? OBB_NEEDS_ANEW : OBB_NEEDS_NOTHING;
        j = b.jobs.at[i].other == other ? &b.jobs.at[i] : j;
    }
    obb_bring_archives(&b);
    char *folder = j->failed ? NULL : obb_bring_new_folder(&b, j);
    if (folder) {
        diff_in(&b, j, folder, &edits, diff);
        obb_bring_drop(&b, folder);
    }
    return !j->failed;
}
