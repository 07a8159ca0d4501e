/* Trees of third-party code (bringing.h): made in a new folder from an archive or a repository, patched, and
 * renamed into their places. */
#include "outside/bringing.h"

#include <ctype.h>
#include <dirent.h>
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "outside/git.h"

/* What is edited in a tree that must be unpacked anew; unless it is in the new one as well, it is kept. */
void obb_bring_find_edits(obb_bringing *b, obb_bring_job *j)
{
    if (j->need == OBB_NEEDS_ANEW && !b->request->drop_edits)
        j->unread = obb_list_edits(b->arena, j->other, &j->edits);
    if (j->unread)
        j->failed = true;
}

void obb_bring_edits_in_the_way(obb_bringing *b, obb_bring_job *j)
{
    enum { SHOWN = 3 };
    const obb_tree_edits *edits = &j->edits;
    obb_diag *d = obb_bring_fail(b, j, "`%s` cannot be unpacked anew, since it was edited",
                                 obb_bring_name(b, j));
    obb_also(b->diags, d, j->other->place, "%s", j->why);
    for (size_t i = 0; i < edits->count && i < SHOWN; i++)
        obb_also(b->diags, d, OBB_NOWHERE, "%s %s", edits->at[i].what,
                 obb_path_join(b->arena, j->f->tree, edits->at[i].path));
    if (edits->count > SHOWN)
        obb_also(b->diags, d, OBB_NOWHERE, "and %zu more", edits->count - SHOWN);
    bool named = !strchr(j->other->name, ':'); /* not an index, nor a binary: commands take its name */
    const char *drop = obb_arena_format(b->arena, "obbligato fetch --drop-edits%s%s", named ? " " : "",
                                        named ? j->other->name : "");
    if (j->unread)
        obb_hint(b->diags, d, "move %s away, if there is something in it that you want; or drop it: %s",
                 j->f->tree, drop);
    else if (named)
        obb_hint(b->diags, d,
                 "make them a patch that its statement names: obbligato patch %s --to FILE; or lose them: %s",
                 j->other->name, drop);
    else
        obb_hint(b->diags, d, "move %s away to keep them; or lose all edits: %s", j->f->tree, drop);
}

void obb_bring_drop(const obb_bringing *b, const char *path)
{
    if (obb_is_real_folder(path))
        obb_below_remove_all(b->top, path);
    remove(path);
}

char *obb_bring_new_folder(obb_bringing *b, obb_bring_job *j)
{
    char *folder = obb_arena_format(b->arena, "%s/" OBB_BRING_TEMPORARY "XXXXXX", b->top);
    if (mkdtemp(folder) && chmod(folder, 0755) == 0)
        return folder;
    obb_bring_fail(b, j, "cannot make a folder in %s",
                   obb_arena_format(b->arena, "%s: %s", b->top, strerror(errno)));
    return NULL;
}

/* An archive with one folder in it stands for what is in that folder. */
static const char *root_of(obb_bringing *b, const char *folder)
{
    const char *only = NULL;
    size_t count = 0;
    DIR *dir = opendir(folder);
    for (struct dirent *d; dir && (d = readdir(dir));)
        if (strcmp(d->d_name, ".") != 0 && strcmp(d->d_name, "..") != 0 &&
            strcmp(d->d_name, "pax_global_header") != 0 && !count++)
            only = obb_path_join(b->arena, folder, d->d_name);
    if (dir)
        closedir(dir);
    return count == 1 && obb_is_real_folder(only) ? only : folder;
}

static const char *unpack(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    const obb_not_unpacked failed = obb_fetcher_unpack(b->arena, j->archive, folder);
    bool refused = failed.why && *failed.entry;
    if (!failed.why)
        return root_of(b, folder);
    if (failed.why == obb_fetch_interrupted) {
        b->interrupted = j->failed = true;
        return NULL;
    }
    obb_diag *d = obb_bring_fail(b, j,
                                 refused ? "cannot unpack `%s`: an entry of its archive is refused"
                                         : "cannot unpack `%s`",
                                 obb_bring_name(b, j));
    obb_also(b->diags, d, OBB_NOWHERE, refused ? "%s: %s" : "%s%s", failed.entry, failed.why);
    obb_also(b->diags, d, OBB_NOWHERE, "%s", j->from);
    obb_hint(b->diags, d,
             failed.here ? "it is tried again by the next build, or by `obbligato fetch`"
             : refused   ? "nothing of it was kept; tell its authors, or take it from elsewhere"
                         : "see whether its URL gives an archive, and not a page about it");
    return NULL;
}

/* Control characters in a name, which a record could not hold. NULL: there are none. */
static const char *refused_name(obb_bringing *b, const char *name)
{
    obb_text text = {0};
    const char *why = NULL;
    for (const char *c = name; *c && !why; c++)
        if ((unsigned char)*c < 0x20 || *c == 0x7f) {
            obb_text_visible(&text, name, strlen(name), true);
            why = obb_arena_format(b->arena, "there are control characters in the name of %s", text.bytes);
        }
    obb_text_free(&text);
    return why;
}

static const char *in_small_letters(obb_arena *arena, const char *name)
{
    char *small = obb_arena_string(arena, name);
    for (char *c = small; *c; c++)
        *c = (char)tolower((unsigned char)*c);
    return small;
}

static const char *refused_link(obb_bringing *b, const obb_tree_file *file, const char *folder)
{
    char target[4096];
    ssize_t n = strcmp(file->kind, "link") == 0
                    ? readlink(obb_path_join(b->arena, folder, file->path), target, sizeof target - 1)
                    : 0;
    target[n > 0 ? n : 0] = '\0';
    return n > 0 && !obb_path_link_stays(b->arena, file->path, target)
               ? obb_arena_format(b->arena, "%s is a link that leads out of the folder, to `%s`", file->path,
                                  target)
               : NULL;
}

/* What was checked out, or patched, has the same rules as what was unpacked, as far as they can be broken
 * there. Why a file is refused; NULL: none is. */
static const char *refused_file(obb_bringing *b, const obb_tree *tree, const char *folder)
{
    obb_map names = {0};
    const char *why = NULL;
    for (size_t i = 0; i < tree->files.count && !why; i++) {
        obb_tree_file *file = &tree->files.at[i];
        const obb_tree_file *other = obb_map_put(&names, in_small_letters(b->arena, file->path), file);
        why = refused_name(b, file->path);
        if (!why && other)
            why = obb_arena_format(b->arena, "%s and %s differ in nothing but case", other->path, file->path);
        else if (!why)
            why = refused_link(b, file, folder);
    }
    obb_map_free(&names);
    return why;
}

static const char *check_out(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    const char *why = "", *commit = NULL, *cache = obb_bring_cache(b, j, "repositories");
    if (!cache)
        return NULL;
    obb_text reasons = {0};
    for (size_t i = 0; i < j->f->places.count && why; i++) {
        const obb_revision r = {.url = j->f->places.at[i].text,
                                .revision = j->f->revision,
                                .commit = j->locked ? j->locked->commit : NULL,
                                .offline = b->request->offline};
        obb_below_remove_all(folder, NULL);
        why = obb_check_out(b->arena, cache, &r, folder, &commit);
        j->from = r.url;
        if (why)
            obb_text_format(&reasons, "%s%s: %s", reasons.length ? "\n" : "", r.url, why);
    }
    if (why) {
        obb_diag *d = obb_bring_fail(b, j, "cannot fetch `%s`", obb_bring_name(b, j));
        obb_also(b->diags, d, OBB_NOWHERE, "%s", reasons.bytes);
        obb_hint(b->diags, d,
                 b->request->offline ? "it is not fetched because of --offline or OBBLIGATO_OFFLINE"
                                     : "`git ls-remote` with that URL shows what there is");
        folder = NULL;
    }
    obb_text_free(&reasons);
    j->tree.commit = commit;
    return folder;
}

static bool apply_patches(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    if (!obb_bring_sum_patches(b->arena, b->files, j->f, &j->tree)) {
        obb_bring_fail(b, j, "cannot read the patches of `%s`", obb_bring_name(b, j));
        return false;
    }
    for (size_t i = 0; i < j->tree.patches.count; i++) {
        const char *path = j->tree.patches.at[i].path, *why = obb_apply_patch(b->arena, folder, path);
        if (!why)
            continue;
        obb_diag *d = obb_bring_fail(b, j, "the patch %s cannot be applied",
                                     obb_arena_format(b->arena, "%s of `%s`", path, obb_bring_name(b, j)));
        obb_also(b->diags, d, (obb_place){path, 1, 1, NULL, NULL}, "%s", why);
        obb_hint(b->diags, d,
                 "patches are applied in the order of their names, each to what the one before left");
        return false;
    }
    return true;
}

/* Lists the files, and their sum when it is a repository's. */
static bool list_files(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    const char *where = folder;
    j->tree.files.count = 0;
    int failed = obb_tree_list(folder, b->arena, &j->tree, &where);
    if (failed)
        obb_bring_fail(b, j, "cannot read %s", obb_arena_format(b->arena, "%s: %s", where, strerror(failed)));
    return !failed;
}

static bool check_repository(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    const char *refused = list_files(b, j, folder) ? refused_file(b, &j->tree, folder) : NULL;
    if (j->failed)
        return false;
    j->tree.sum = obb_tree_sum(&j->tree, b->arena);
    if (refused) {
        obb_hint(b->diags, obb_bring_fail(b, j, "a file of its repository is refused: %s", refused),
                 "nothing of it was kept; tell its authors, or take it from elsewhere");
    } else if (j->locked && strcmp(j->locked->sum, j->tree.sum) != 0) {
        obb_bring_wrong_sum(b, j, j->from, j->tree.sum);
    }
    return !j->failed;
}

/* The files as they were fetched, then patched, in a new folder; NULL: it failed. */
const char *obb_bring_make_tree(obb_bringing *b, obb_bring_job *j, const char *folder)
{
    j->tree.from = j->f->kind;
    const char *root = j->f->kind == OBB_FROM_ARCHIVE ? unpack(b, j, folder) : check_out(b, j, folder);
    j->tree.place = j->from;
    j->tree.revision = j->f->kind == OBB_FROM_REPOSITORY ? j->f->revision : "";
    if (!root || (j->f->kind == OBB_FROM_REPOSITORY && !check_repository(b, j, root)))
        return NULL;
    if (!apply_patches(b, j, root) || !list_files(b, j, root))
        return NULL;
    const char *refused = refused_file(b, &j->tree, root); /* patches make links and names as well */
    if (refused)
        obb_bring_fail(b, j, "a patch is refused: %s", refused);
    return refused ? NULL : root;
}

/* Whether the tree that is there is the new one already, with its edits: they have become patches. */
static bool is_there_already(obb_bringing *b, obb_bring_job *j)
{
    obb_tree_edits edits = {0};
    const char *where;
    return j->edits.count && !obb_tree_compare(j->f->tree, &j->tree, b->arena, &edits, &where) &&
           !edits.count;
}

/* The record first: a tree without one is taken for somebody else's. */
static void put_in_place(obb_bringing *b, obb_bring_job *j, const char *root)
{
    obb_text text = {0};
    const char *old = obb_arena_format(b->arena, "%s/" OBB_BRING_TEMPORARY "old-%s", b->top,
                                       obb_path_name(j->f->tree));
    obb_tree_print(&j->tree, &text);
    obb_bring_drop(b, old);
    bool there = is_there_already(b, j);
    int failed = !there && rename(j->f->tree, old) && errno != ENOENT ? errno : 0;
    failed = failed ? failed : obb_file_replace(j->f->record, text.bytes, text.length, 0666);
    if (!failed && !there && rename(root, j->f->tree))
        failed = errno;
    obb_text_free(&text);
    if (failed)
        obb_bring_fail(b, j, "cannot put the files in place: %s",
                       obb_arena_format(b->arena, "%s: %s", j->f->tree, strerror(failed)));
    obb_bring_drop(b, old);
}

void obb_bring_unpack(obb_bringing *b, obb_bring_job *j)
{
    char *folder = obb_bring_new_folder(b, j);
    const char *root = folder ? obb_bring_make_tree(b, j, folder) : NULL;
    if (root && j->edits.count && !is_there_already(b, j))
        obb_bring_edits_in_the_way(b, j);
    else if (root)
        put_in_place(b, j, root);
    if (folder)
        obb_bring_drop(b, folder);
    if (!j->failed && b->observer->brought)
        b->observer->brought(b->observer->self, j->other, j->from, j->bytes);
}

/* What an earlier process left half done. */
void obb_bring_sweep(const obb_bringing *b)
{
    DIR *dir = opendir(b->top);
    for (struct dirent *d; dir && (d = readdir(dir));)
        if (obb_starts(d->d_name, OBB_BRING_TEMPORARY))
            obb_bring_drop(b, obb_path_join(b->arena, b->top, d->d_name));
    if (dir)
        closedir(dir);
}
