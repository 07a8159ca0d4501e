/* Files of indexes on web servers (bringing.h): fetched one by one, and compared with the lock file. */
#include "outside/bringing.h"

#include <dirent.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/sha256.h"

static const char *name_in_lock(const obb_bringing *b, const obb_index_file *f)
{
    return obb_arena_format(b->arena, "%s/%s", f->index->name, f->path + strlen(f->index->folder) + 1);
}

/* An entry, or what it names, is compared with what is recorded; lists of versions grow. */
void obb_bring_check_entry(obb_bringing *b, const obb_index_file *f)
{
    char digits[OBB_SHA256_TEXT];
    const char *name = name_in_lock(b, f);
    const obb_lock_line *locked = obb_lock_file_find_entry(b->project->lock, name);
    if (!f->version || f->index->ours || obb_sha256_of_file(f->path, digits))
        return;
    if (locked && strcmp(locked->sum, digits) != 0) {
        obb_diag *d = obb_error(b->diags, OBB_FAULT_OUTSIDE, f->place,
                                "the index has changed what it says of `%s %s`", f->name, f->version);
        obb_also(b->diags, d, OBB_NOWHERE, "%s", f->url ? f->url : f->path);
        obb_also(b->diags, d, OBB_NOWHERE, "its SHA-256 is %s", digits);
        obb_also(b->diags, d, (obb_place){OBB_LOCK_NAME, locked->line, 1, NULL, NULL}, "recorded is   %s",
                 locked->sum);
        obb_hint(b->diags, d,
                 "ask who keeps the index; only if that is right, remove the line from " OBB_LOCK_NAME);
        if (f->index->url)
            unlink(f->path);
        return;
    }
    const obb_lock_line line = {.name = f->name,
                                .version = f->version,
                                .kind = OBB_LOCK_ENTRY,
                                .sum = obb_arena_string(b->arena, digits),
                                .commit = "",
                                .revision = "",
                                .from = name};
    obb_arena_push(b->arena, &b->entries, line);
}

/* Where there is none, other indexes may have it: an empty list of versions says so. */
static bool is_not_found(const obb_download *d)
{
    return d->failed.count == 1 && strstr(d->failed.at[0].why, "answers 404");
}

/* A file came, or did not. Whether it is news. */
static bool take_index_file(obb_bringing *b, const obb_index_file *f, const obb_download *d)
{
    obb_text before = {0}, after = {0};
    obb_file_read(f->path, &before);
    bool there = d->from && obb_file_read(d->to, &after) == 0,
         none = !there && !f->version && is_not_found(d);
    int failed = there || none ? obb_below_make_folders(b->top, f->path) : 0;
    if (!failed && (there || none))
        failed = obb_file_write(f->path, obb_text_bytes(&after), after.length, NULL);
    bool same = before.length == after.length &&
                (!after.length || memcmp(before.bytes, after.bytes, after.length) == 0);
    obb_diag *error = NULL;
    if (d->from)
        unlink(d->to);
    if (failed)
        obb_error(b->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", f->path,
                  obb_below_error(failed));
    else if (!there && !none)
        error = obb_error(b->diags, OBB_FAULT_OUTSIDE, f->place, "the index `%s` cannot be read",
                          f->index->name);
    else if (f->lacks && same)
        error = obb_error(b->diags, OBB_FAULT_DESCRIPTION, f->place, "%s", f->lacks);
    for (size_t i = 0; error && i < d->failed.count; i++)
        obb_also(b->diags, error, OBB_NOWHERE, "%s: %s", d->failed.at[i].place, d->failed.at[i].why);
    if (error && f->lacks)
        obb_hint(b->diags, error, "%s",
                 after.length ? obb_arena_format(b->arena, "%s lists: %s", f->url, after.bytes)
                              : obb_arena_format(b->arena, "%s is not there", f->url));
    obb_text_free(&before);
    obb_text_free(&after);
    return !error && !failed;
}

bool obb_bring_index_files(obb_bringing *b)
{
    OBB_VEC(obb_download) list = {0};
    obb_words numbers = {0};
    bool brought = false;
    for (size_t i = 0; i < b->project->index_files.count; i++) {
        const obb_index_file *f = &b->project->index_files.at[i];
        obb_download d = {.name = f->name,
                          .to = obb_arena_format(b->arena, "%s/" OBB_BRING_TEMPORARY "file-%zu", b->top, i)};
        if (!f->missing)
            continue;
        if (b->request->offline) {
            obb_hint(
                b->diags,
                obb_error(b->diags, OBB_FAULT_OUTSIDE, f->place, "%s must be fetched, and that is forbidden",
                          f->url),
                "run `obbligato fetch` without --offline and OBBLIGATO_OFFLINE, where there is a network");
            return false;
        }
        obb_arena_push(b->arena, &d.places, f->url);
        obb_arena_push(b->arena, &list, d);
        obb_arena_push(b->arena, &numbers, (const char *)f);
    }
    const char *why = list.count ? obb_fetcher_download(b->arena, list.at, list.count, b->observer->progress,
                                                        b->observer->self)
                                 : NULL;
    b->interrupted = b->interrupted || why == obb_fetch_interrupted;
    if (why && !b->interrupted)
        obb_error(b->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s", why);
    for (size_t i = 0; i < list.count && !why; i++)
        brought = take_index_file(b, (const obb_index_file *)(const void *)numbers.at[i], &list.at[i]) ||
                  brought;
    return brought;
}

/* Calls for each folder in a folder. */
static void each_folder(obb_arena *arena, const char *folder,
                        void (*take)(obb_arena *arena, const char *folder))
{
    DIR *dir = opendir(folder);
    for (struct dirent *d; dir && (d = readdir(dir));)
        if (d->d_name[0] != '.')
            take(arena, obb_path_join(arena, folder, d->d_name));
    if (dir)
        closedir(dir);
}

static void forget_list(obb_arena *arena, const char *folder)
{
    unlink(obb_path_join(arena, folder, "versions"));
}

static void forget_lists_of(obb_arena *arena, const char *index)
{
    each_folder(arena, index, forget_list);
}

void obb_forget_versions(obb_arena *arena, const char *out)
{
    each_folder(arena, obb_path_join(arena, out, OBB_FETCHED_FOLDER "/.index"), forget_lists_of);
}
