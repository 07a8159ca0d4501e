/* What must be done of a fetch (bringing.h): each third-party project is compared with its record, the lock
 * file and its patches. */
#include "outside/bringing.h"

#include <string.h>

#include "base/path.h"
#include "base/sha256.h"

const char *obb_bring_version(const obb_thirdparty *other)
{
    return *other->version ? other->version : "-";
}

const char *obb_bring_name(const obb_bringing *b, const obb_bring_job *j)
{
    return obb_arena_format(b->arena, "%s%s%s", j->other->name, *j->other->version ? " " : "",
                            j->other->version);
}

obb_diag *obb_bring_fail(obb_bringing *b, obb_bring_job *j, const char *message, const char *what)
{
    j->failed = true;
    return obb_error(b->diags, OBB_FAULT_OUTSIDE, j->other->place, message, what);
}

const char *obb_bring_wanted_sum(const obb_bring_job *j)
{
    return j->f->sum ? j->f->sum : j->locked && j->f->kind == OBB_FROM_ARCHIVE ? j->locked->sum : NULL;
}

/* The sums of its patches as they are now. */
bool obb_bring_sum_patches(obb_arena *arena, obb_files *files, const obb_fetched *f, obb_tree *tree)
{
    tree->patches.count = 0;
    for (size_t i = 0; i < f->patches.count; i++) {
        char digits[OBB_SHA256_TEXT];
        const char *path = obb_files_path(files, f->patches.at[i]);
        if (obb_sha256_of_file(path, digits))
            return false;
        obb_arena_push(arena, &tree->patches,
                       (obb_tree_file){"patch", obb_arena_string(arena, digits), path});
    }
    return true;
}

static bool same_patches(const obb_tree *a, const obb_tree *b)
{
    bool same = a->patches.count == b->patches.count;
    for (size_t i = 0; same && i < a->patches.count; i++)
        same = strcmp(a->patches.at[i].sum, b->patches.at[i].sum) == 0;
    return same;
}

/* An archive of the project itself is compared with what was unpacked. */
static bool archive_changed(const obb_bring_job *j)
{
    char digits[OBB_SHA256_TEXT];
    const char *path = j->f->places.at[0].text;
    return j->f->kind == OBB_FROM_ARCHIVE && !strstr(path, "://") && obb_sha256_of_file(path, digits) == 0 &&
           strcmp(digits, j->tree.sum) != 0;
}

/* Why what is unpacked is not what is described; NULL: it is. */
static const char *why_anew(obb_arena *arena, obb_files *files, const obb_bring_job *j)
{
    obb_tree now = {0};
    const char *sum = obb_bring_wanted_sum(j);
    if (j->tree.from != j->f->kind)
        return "it comes from elsewhere now";
    if (sum && strcmp(sum, j->tree.sum) != 0)
        return "its archive is another one now";
    if (j->locked && j->f->kind == OBB_FROM_REPOSITORY && strcmp(j->locked->commit, j->tree.commit) != 0)
        return "its commit is another one now";
    if (j->f->kind == OBB_FROM_REPOSITORY && strcmp(j->f->revision, j->tree.revision) != 0)
        return "its revision is another one now";
    if (archive_changed(j))
        return "its archive is another one now";
    if (!obb_bring_sum_patches(arena, files, j->f, &now) || !same_patches(&now, &j->tree))
        return "its patches are others now";
    return NULL;
}

static void judge(obb_arena *arena, obb_files *files, const obb_project *project, obb_bring_job *j)
{
    obb_stamp tree;
    bool repository = j->f->kind == OBB_FROM_REPOSITORY;
    j->locked = obb_lock_file_find(project->lock, j->other->name, obb_bring_version(j->other),
                                   repository ? OBB_LOCK_REPOSITORY : OBB_LOCK_ARCHIVE);
    if (j->locked && repository && strcmp(j->locked->revision, j->f->revision) != 0)
        j->locked = NULL;
    j->need = OBB_NEEDS_FETCH;
    if (!obb_stamp_of(j->f->tree, &tree) || tree.kind != OBB_KIND_FOLDER)
        return;
    j->need = OBB_NEEDS_ANEW;
    j->why = obb_tree_read(j->f->record, arena, &j->tree) ? why_anew(arena, files, j)
                                                          : "the record of what was in it is gone";
    if (!j->why)
        j->need = OBB_NEEDS_NOTHING;
}

static bool is_chosen(const obb_bringing *b, const char *name)
{
    const obb_words *names = b->request->names;
    bool any = names && names->count;
    for (size_t i = 0; any && i < names->count; i++)
        if (strcmp(names->at[i], name) == 0)
            return true;
    return !any;
}

static void add_job(obb_bringing *b, const obb_thirdparty *other)
{
    obb_bring_job j = {.other = other,
                       .f = other->fetched,
                       .tree = {.commit = "", .revision = "", .place = ""}};
    if (!j.f || !j.f->tree)
        return;
    judge(b->arena, b->files, b->project, &j);
    if (b->request->newest && j.f->kind == OBB_FROM_REPOSITORY && is_chosen(b, other->name)) {
        j.locked = NULL;
        j.need = j.need == OBB_NEEDS_NOTHING ? OBB_NEEDS_ANEW : j.need;
        j.why = j.why ? j.why : "its newest commit is wanted";
    }
    if (!is_chosen(b, other->name) && !strchr(other->name, ':'))
        j.need = OBB_NEEDS_NOTHING;
    obb_arena_push(b->arena, &b->jobs, j);
}

void obb_bring_list(obb_bringing *b)
{
    b->jobs.count = 0;
    for (size_t i = 0; i < b->project->indexes.count; i++)
        if (b->project->indexes.at[i]->source)
            add_job(b, b->project->indexes.at[i]->source);
    for (size_t i = 0; i < b->project->thirdparty.count; i++) {
        const obb_thirdparty *other = b->project->thirdparty.at[i];
        add_job(b, other);
        for (size_t k = 0; k < other->prebuilts.count; k++)
            add_job(b, other->prebuilts.at[k]);
    }
}
