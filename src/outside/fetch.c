/* Bringing third-party code (fetch.h).
 *
 * One process at a time works below OUT/thirdparty: it holds a lock there, and looks at everything again when
 * it has it. Downloads have a lock each, since other projects share them. */
#include "outside/fetch.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/sha256.h"
#include "base/system.h"
#include "outside/git.h"
#include "state/lock.h"
#include "state/state.h"

#define TEMPORARY ".new-"

typedef enum need { NOTHING, MISSING, ANEW } need;

/* One third-party project while it is brought. */
typedef struct job {
    const obb_thirdparty *other;
    const obb_fetched *f;
    const obb_lock_line *locked; /* what the lock file knows of it; or NULL */
    obb_tree tree;               /* its record, unless it is missing; then the new one */
    need need;
    const char *why;             /* of ANEW, for users */
    const char *archive;         /* the file that holds it; NULL: not there yet */
    const char *from;            /* the place that it came from */
    uint64_t bytes;              /* that were downloaded */
    obb_tree_edits edits;        /* in the tree that is there, when it must be unpacked anew */
    const char *unread;          /* why they cannot be told; or NULL */
    bool failed;
} job;

typedef OBB_VEC(job) jobs;

typedef struct bringing {
    obb_arena *arena;
    const obb_project *project;
    obb_files *files;
    const obb_fetch_request *request;
    const obb_fetch_observer *observer;
    obb_diags *diags;
    const char *top; /* OUT/thirdparty */
    jobs jobs;
    OBB_VEC(obb_lock_line) entries; /* of indexes: lines of the lock file */
    bool interrupted;
} bringing;

static const char *version_of(const obb_thirdparty *other)
{
    return *other->version ? other->version : "-";
}

static const char *name_of(const bringing *b, const job *j)
{
    return obb_arena_format(b->arena, "%s%s%s", j->other->name, *j->other->version ? " " : "",
                            j->other->version);
}

static obb_diag *fail(bringing *b, job *j, const char *message, const char *what)
{
    j->failed = true;
    return obb_error(b->diags, OBB_FAULT_OUTSIDE, j->other->place, message, what);
}

/* --- what must be done -------------------------------------------------------------- */

static const char *wanted_sum(const job *j)
{
    return j->f->sum ? j->f->sum : j->locked && j->f->kind == OBB_FROM_ARCHIVE ? j->locked->sum : NULL;
}

/* The sums of its patches as they are now. */
static bool sums_of_patches(obb_arena *arena, obb_files *files, const obb_fetched *f, obb_tree *tree)
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
static bool archive_changed(const job *j)
{
    char digits[OBB_SHA256_TEXT];
    const char *path = j->f->places.at[0].text;
    return j->f->kind == OBB_FROM_ARCHIVE && !strstr(path, "://") && obb_sha256_of_file(path, digits) == 0 &&
           strcmp(digits, j->tree.sum) != 0;
}

/* Why what is unpacked is not what is described; NULL: it is. */
static const char *why_anew(obb_arena *arena, obb_files *files, const job *j)
{
    obb_tree now = {0};
    const char *sum = wanted_sum(j);
    if (j->tree.from != j->f->kind)
        return "it comes from elsewhere now";
    if (sum && strcmp(sum, j->tree.sum) != 0)
        return "its archive is another one now";
    if (j->locked && j->f->kind == OBB_FROM_REPOSITORY && strcmp(j->locked->commit, j->tree.commit) != 0)
        return "its commit is another one now";
    if (archive_changed(j))
        return "its archive is another one now";
    if (!sums_of_patches(arena, files, j->f, &now) || !same_patches(&now, &j->tree))
        return "its patches are others now";
    return NULL;
}

static void judge(obb_arena *arena, obb_files *files, const obb_project *project, job *j)
{
    obb_stamp tree;
    bool repository = j->f->kind == OBB_FROM_REPOSITORY;
    j->locked = obb_lock_file_find(project->lock, j->other->name, version_of(j->other),
                                   repository ? OBB_LOCK_REPOSITORY : OBB_LOCK_ARCHIVE);
    if (j->locked && repository && strcmp(j->locked->revision, j->f->revision) != 0)
        j->locked = NULL;
    j->need = MISSING;
    if (!obb_stamp_of(j->f->tree, &tree) || tree.kind != OBB_KIND_FOLDER)
        return;
    j->need = ANEW;
    j->why = obb_tree_read(j->f->record, arena, &j->tree) ? why_anew(arena, files, j)
                                                         : "the record of what was in it is gone";
    if (!j->why)
        j->need = NOTHING;
}

static bool is_chosen(const bringing *b, const char *name)
{
    const obb_words *names = b->request->names;
    bool any = names && names->count;
    for (size_t i = 0; any && i < names->count; i++)
        if (strcmp(names->at[i], name) == 0)
            return true;
    return !any;
}

static void add_job(bringing *b, const obb_thirdparty *other)
{
    job j = {.other = other, .f = other->fetched, .tree = {.commit = "", .place = ""}};
    if (!j.f || !j.f->tree)
        return;
    judge(b->arena, b->files, b->project, &j);
    if (b->request->newest && j.f->kind == OBB_FROM_REPOSITORY && is_chosen(b, other->name)) {
        j.locked = NULL;
        j.need = j.need == NOTHING ? ANEW : j.need;
        j.why = j.why ? j.why : "its newest commit is wanted";
    }
    if (!is_chosen(b, other->name) && !obb_starts(other->name, "index:"))
        j.need = NOTHING;
    obb_arena_push(b->arena, &b->jobs, j);
}

static void list_jobs(bringing *b)
{
    b->jobs.count = 0;
    for (size_t i = 0; i < b->project->indexes.count; i++)
        if (b->project->indexes.at[i]->source)
            add_job(b, b->project->indexes.at[i]->source);
    for (size_t i = 0; i < b->project->thirdparty.count; i++)
        add_job(b, b->project->thirdparty.at[i]);
}

/* --- edits -------------------------------------------------------------------------- */

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

/* What is edited in a tree that must be unpacked anew; unless it is in the new one as well, it is kept. */
static void find_edits(bringing *b, job *j)
{
    if (j->need == ANEW && !b->request->drop_edits)
        j->unread = obb_list_edits(b->arena, j->other, &j->edits);
    if (j->unread)
        j->failed = true;
}

static void edits_in_the_way(bringing *b, job *j)
{
    enum { SHOWN = 3 };
    const obb_tree_edits *edits = &j->edits;
    obb_diag *d = fail(b, j, "`%s` cannot be unpacked anew, since it was edited", name_of(b, j));
    obb_also(b->diags, d, j->other->place, "%s", j->why);
    for (size_t i = 0; i < edits->count && i < SHOWN; i++)
        obb_also(b->diags, d, OBB_NOWHERE, "%s %s", edits->at[i].what,
                 obb_path_join(b->arena, j->f->tree, edits->at[i].path));
    if (edits->count > SHOWN)
        obb_also(b->diags, d, OBB_NOWHERE, "and %zu more", edits->count - SHOWN);
    if (j->unread)
        obb_hint(b->diags, d,
                 "move %s away, if there is something in it that you want; or drop it: obbligato fetch "
                 "--drop-edits %s",
                 j->f->tree, j->other->name);
    else
        obb_hint(b->diags, d,
                 "make them a patch that its statement names: obbligato patch %s --to FILE; or lose them: "
                 "obbligato fetch --drop-edits %s",
                 j->other->name, j->other->name);
}

/* --- downloads ---------------------------------------------------------------------- */

static const char *cache_folder(const bringing *b, const char *what)
{
    const char *folder = obb_user_folder(b->arena, "XDG_CACHE_HOME", ".cache",
                                         obb_arena_format(b->arena, "obbligato/%s", what));
    return folder ? folder : obb_path_join(b->arena, b->top, obb_arena_format(b->arena, ".%s", what));
}

/* A file of that sum among the downloads; its contents are compared, since anybody may have changed it. */
static const char *kept_download(const bringing *b, const char *sum)
{
    char digits[OBB_SHA256_TEXT];
    const char *path = sum ? obb_path_join(b->arena, cache_folder(b, "downloads"), sum) : NULL;
    if (!path || obb_sha256_of_file(path, digits))
        return NULL;
    if (strcmp(digits, sum) == 0)
        return path;
    unlink(path);
    return NULL;
}

/* The file that its download becomes at first: the same for the same places. */
static const char *download_path(const bringing *b, const job *j)
{
    char digits[OBB_SHA256_TEXT];
    obb_text text = {0};
    for (size_t i = 0; i < j->f->places.count; i++)
        obb_text_format(&text, "%s\n", j->f->places.at[i].text);
    obb_sha256(text.bytes, text.length, digits);
    obb_text_free(&text);
    return obb_arena_format(b->arena, "%s/new-%.32s", cache_folder(b, "downloads"), digits);
}

static void no_place(bringing *b, job *j, const obb_download *d)
{
    obb_diag *error = fail(b, j, "cannot fetch `%s`", name_of(b, j));
    for (size_t i = 0; i < d->failed.count; i++)
        obb_also(b->diags, error, OBB_NOWHERE, "%s: %s", d->failed.at[i].place, d->failed.at[i].why);
    obb_hint(b->diags, error, "another `from` in its statement is tried when the first does not answer");
}

static void wrong_sum(bringing *b, job *j, const char *from, const char *is)
{
    const char *wanted = wanted_sum(j);
    obb_diag *d = fail(b, j, "what was fetched for `%s` is not what it was before", name_of(b, j));
    obb_also(b->diags, d, OBB_NOWHERE, "%s", from);
    obb_also(b->diags, d, OBB_NOWHERE, "its SHA-256 is %s", is);
    if (j->f->sum)
        obb_also(b->diags, d, j->other->place, "its statement says %s", wanted);
    else
        obb_also(b->diags, d, (obb_place){OBB_LOCK_NAME, j->locked->line, 1, NULL, NULL}, "recorded is   %s",
                 wanted);
    obb_hint(b->diags, d,
             "ask its authors why it changed; only if that is right, remove the line from " OBB_LOCK_NAME
             ", and it is recorded anew");
}

/* The archive is at `path`: its sum, and then its place among the downloads. False: its sum is wrong. */
static bool take_archive(bringing *b, job *j, const char *path, bool keep)
{
    char digits[OBB_SHA256_TEXT];
    const char *wanted = wanted_sum(j);
    int failed = obb_sha256_of_file(path, digits);
    if (failed) {
        fail(b, j, "cannot read %s", obb_arena_format(b->arena, "%s: %s", path, strerror(failed)));
        return true;
    }
    if (wanted && strcmp(digits, wanted) != 0)
        return false;
    j->tree.sum = obb_arena_string(b->arena, digits);
    j->archive = path;
    if (keep) {
        j->archive = obb_path_join(b->arena, obb_path_folder(b->arena, path), j->tree.sum);
        if (rename(path, j->archive))
            fail(b, j, "cannot keep %s", obb_arena_format(b->arena, "%s: %s", j->archive, strerror(errno)));
    }
    return true;
}

/* A file on this machine is used where it is; else NULL. */
static const char *local_file(const bringing *b, const char *place)
{
    (void)b;
    if (obb_starts(place, "file://"))
        return place + strlen("file://");
    return strstr(place, "://") ? NULL : place;
}

/* Archives that lie on this machine: the first place that is there. */
static bool take_local(bringing *b, job *j)
{
    for (size_t i = 0; i < j->f->places.count; i++) {
        const char *place = j->f->places.at[i].text, *path = local_file(b, place);
        if (!path || access(path, F_OK))
            continue;
        j->from = place;
        if (!take_archive(b, j, path, false)) {
            char digits[OBB_SHA256_TEXT];
            obb_sha256_of_file(path, digits);
            wrong_sum(b, j, place, obb_arena_string(b->arena, digits));
        }
        return true;
    }
    return false;
}

static int by_path(const void *a, const void *b)
{
    return strcmp(((const obb_download *)a)->to, ((const obb_download *)b)->to);
}

/* One process at a time writes a download. The descriptors are given back by the caller. */
static void lock_downloads(bringing *b, const obb_download *list, size_t count, int *locks)
{
    for (size_t i = 0; i < count; i++) {
        const char *path = obb_arena_format(b->arena, "%s.lock", list[i].to);
        locks[i] = open(path, O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW, 0600);
        if (locks[i] < 0 || obb_lock_descriptor(locks[i], false))
            continue;
        if (b->observer->waiting)
            b->observer->waiting(b->observer->self, path, "another download of the same");
        obb_lock_descriptor(locks[i], true);
    }
}

static job *job_of(bringing *b, const obb_download *d)
{
    for (size_t i = 0; i < b->jobs.count; i++)
        if (strcmp(b->jobs.at[i].other->name, d->name) == 0)
            return &b->jobs.at[i];
    return NULL;
}

static void take_download(bringing *b, obb_download *d, bool again)
{
    job *j = job_of(b, d);
    char digits[OBB_SHA256_TEXT];
    struct stat s;
    if (!d->from) {
        no_place(b, j, d);
        return;
    }
    j->from = d->from;
    j->bytes = stat(d->to, &s) ? 0 : (uint64_t)s.st_size;
    if (take_archive(b, j, d->to, true))
        return;
    obb_sha256_of_file(d->to, digits);
    unlink(d->to);
    if (!d->resumed || again) { /* else a part of it may have been of another time */
        wrong_sum(b, j, d->from, obb_arena_string(b->arena, digits));
        return;
    }
    obb_download once = {.name = d->name, .places = d->places, .to = d->to};
    const char *why = obb_fetcher_download(b->arena, &once, 1, b->observer->progress, b->observer->self);
    if (why)
        fail(b, j, "%s", why);
    else
        take_download(b, &once, true);
}

static void download(bringing *b, obb_download *list, size_t count)
{
    int *locks = obb_arena_alloc(b->arena, (count + 1) * sizeof *locks);
    qsort(list, count, sizeof *list, by_path); /* whoever locks several does so in the same order */
    int failed = obb_path_make_folders(list[0].to);
    lock_downloads(b, list, count, locks);
    const char *why = failed ? obb_arena_format(b->arena, "cannot make the folder of %s: %s", list[0].to,
                                                strerror(failed))
                             : obb_fetcher_download(b->arena, list, count, b->observer->progress,
                                                    b->observer->self);
    for (size_t i = 0; i < count && !why; i++)
        take_download(b, &list[i], false);
    b->interrupted = b->interrupted || why == obb_fetch_interrupted;
    if (why && !b->interrupted)
        fail(b, job_of(b, &list[0]), "%s", why);
    for (size_t i = 0; i < count; i++) {
        if (why)
            job_of(b, &list[i])->failed = true;
        if (locks[i] >= 0)
            close(locks[i]);
    }
}

static void not_offline(bringing *b, job *j)
{
    obb_diag *d = fail(b, j, "`%s` must be fetched, and that is forbidden", name_of(b, j));
    obb_also(b->diags, d, j->other->place, "%s", j->f->places.at[0].text);
    obb_hint(b->diags, d,
             "run `obbligato fetch` without --offline and OBBLIGATO_OFFLINE, where there is a network");
}

/* The archives of all jobs, from this machine or from elsewhere. */
static void bring_archives(bringing *b)
{
    OBB_VEC(obb_download) list = {0};
    for (size_t i = 0; i < b->jobs.count; i++) {
        job *j = &b->jobs.at[i];
        if (j->need == NOTHING || j->failed || j->f->kind != OBB_FROM_ARCHIVE)
            continue;
        j->archive = kept_download(b, wanted_sum(j));
        if (j->archive) {
            j->tree.sum = wanted_sum(j);
            j->from = j->locked ? j->locked->from : j->f->places.at[0].text;
            continue;
        }
        if (take_local(b, j))
            continue;
        if (b->request->offline) {
            not_offline(b, j);
            continue;
        }
        obb_download d = {.name = j->other->name, .to = download_path(b, j)};
        for (size_t k = 0; k < j->f->places.count; k++)
            obb_arena_push(b->arena, &d.places, j->f->places.at[k].text);
        obb_arena_push(b->arena, &list, d);
    }
    if (list.count)
        download(b, list.at, list.count);
}

/* --- files of indexes --------------------------------------------------------------- */

static const char *name_in_lock(const bringing *b, const obb_index_file *f)
{
    return obb_arena_format(b->arena, "%s/%s", f->index->name, f->path + strlen(f->index->folder) + 1);
}

/* An entry, or what it names, is compared with what is recorded; lists of versions grow. */
static void check_index_file(bringing *b, const obb_index_file *f)
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
    return d->failed.count == 1 && strstr(d->failed.at[0].why, "404");
}

/* A file came, or did not. Whether it is news. */
static bool take_index_file(bringing *b, const obb_index_file *f, const obb_download *d)
{
    obb_text before = {0}, after = {0};
    obb_file_read(f->path, &before);
    bool there = d->from && obb_file_read(d->to, &after) == 0,
         none = !there && !f->version && is_not_found(d);
    int failed = there || none ? obb_file_write(f->path, obb_text_bytes(&after), after.length, NULL) : 0;
    bool same = before.length == after.length &&
                (!after.length || memcmp(before.bytes, after.bytes, after.length) == 0);
    obb_diag *error = NULL;
    if (d->from)
        unlink(d->to);
    if (failed)
        obb_error(b->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", f->path, strerror(failed));
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

static bool bring_index_files(bringing *b)
{
    OBB_VEC(obb_download) list = {0};
    obb_words numbers = {0};
    bool brought = false;
    for (size_t i = 0; i < b->project->index_files.count; i++) {
        const obb_index_file *f = &b->project->index_files.at[i];
        obb_download d = {.name = f->name,
                          .to = obb_arena_format(b->arena, "%s/" TEMPORARY "file-%zu", b->top, i)};
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

/* --- trees -------------------------------------------------------------------------- */

static char *new_folder(bringing *b, job *j)
{
    char *folder = obb_arena_format(b->arena, "%s/" TEMPORARY "XXXXXX", b->top);
    if (mkdtemp(folder) && chmod(folder, 0755) == 0)
        return folder;
    fail(b, j, "cannot make a folder in %s", obb_arena_format(b->arena, "%s: %s", b->top, strerror(errno)));
    return NULL;
}

/* An archive with one folder in it stands for what is in that folder. */
static const char *root_of(bringing *b, const char *folder)
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

static const char *unpack(bringing *b, job *j, const char *folder)
{
    const obb_not_unpacked not = obb_fetcher_unpack(b->arena, j->archive, folder);
    bool refused = not.why && *not.entry;
    if (!not.why)
        return root_of(b, folder);
    if (not.why == obb_fetch_interrupted) {
        b->interrupted = j->failed = true;
        return NULL;
    }
    obb_diag *d = fail(b, j,
                       refused ? "cannot unpack `%s`: an entry of its archive is refused"
                               : "cannot unpack `%s`",
                       name_of(b, j));
    obb_also(b->diags, d, OBB_NOWHERE, refused ? "%s: %s" : "%s%s", not.entry, not.why);
    obb_also(b->diags, d, OBB_NOWHERE, "%s", j->from);
    obb_hint(b->diags, d, not.here  ? "it is tried again by the next build, or by `obbligato fetch`"
                          : refused ? "nothing of it was kept; tell its authors, or take it from elsewhere"
                                    : "see whether its URL gives an archive, and not a page about it");
    return NULL;
}

/* What was checked out has the same rules as what was unpacked, as far as they can be broken there. */
static const char *refused_link(bringing *b, const obb_tree *tree, const char *folder)
{
    for (size_t i = 0; i < tree->files.count; i++) {
        char target[4096];
        const char *path = tree->files.at[i].path;
        ssize_t n = strcmp(tree->files.at[i].kind, "link") == 0
                        ? readlink(obb_path_join(b->arena, folder, path), target, sizeof target - 1) : 0;
        if (n <= 0)
            continue;
        target[n] = '\0';
        if (!obb_path_link_stays(b->arena, path, target))
            return obb_arena_format(b->arena, "%s is a link that leads out of the folder, to `%s`", path,
                                    target);
    }
    return NULL;
}

static const char *check_out(bringing *b, job *j, const char *folder)
{
    const char *why = "", *commit = NULL, *cache = cache_folder(b, "repositories");
    obb_path_make_folders(obb_path_join(b->arena, cache, "x"));
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
        obb_diag *d = fail(b, j, "cannot fetch `%s`", name_of(b, j));
        obb_also(b->diags, d, OBB_NOWHERE, "%s", reasons.bytes);
        obb_hint(b->diags, d, b->request->offline ? "--offline or OBBLIGATO_OFFLINE forbids to fetch it"
                                                  : "`git ls-remote` with that URL shows what there is");
        folder = NULL;
    }
    obb_text_free(&reasons);
    j->tree.commit = commit;
    return folder;
}

static bool apply_patches(bringing *b, job *j, const char *folder)
{
    if (!sums_of_patches(b->arena, b->files, j->f, &j->tree)) {
        fail(b, j, "cannot read the patches of `%s`", name_of(b, j));
        return false;
    }
    for (size_t i = 0; i < j->tree.patches.count; i++) {
        const char *path = j->tree.patches.at[i].path, *why = obb_apply_patch(b->arena, folder, path);
        if (!why)
            continue;
        obb_diag *d = fail(b, j, "the patch %s cannot be applied",
                           obb_arena_format(b->arena, "%s of `%s`", path, name_of(b, j)));
        obb_also(b->diags, d, (obb_place){path, 1, 1, NULL, NULL}, "%s", why);
        obb_hint(b->diags, d,
                 "patches are applied in the order of their names, each to what the one before left");
        return false;
    }
    return true;
}

/* Lists the files, and their sum when it is a repository's. */
static bool list_files(bringing *b, job *j, const char *folder)
{
    const char *where = folder;
    j->tree.files.count = 0;
    int failed = obb_tree_list(folder, b->arena, &j->tree, &where);
    if (failed)
        fail(b, j, "cannot read %s", obb_arena_format(b->arena, "%s: %s", where, strerror(failed)));
    return !failed;
}

static bool check_repository(bringing *b, job *j, const char *folder)
{
    const char *link = list_files(b, j, folder) ? refused_link(b, &j->tree, folder) : NULL;
    if (j->failed)
        return false;
    j->tree.sum = obb_tree_sum(&j->tree, b->arena);
    if (link) {
        obb_hint(b->diags, fail(b, j, "a file of its repository is refused: %s", link),
                 "nothing of it was kept; tell its authors, or take it from elsewhere");
    } else if (j->locked && strcmp(j->locked->sum, j->tree.sum) != 0) {
        wrong_sum(b, j, j->from, j->tree.sum);
    }
    return !j->failed;
}

/* The files as they were fetched, then patched, in a new folder; NULL: it failed. */
static const char *make_tree(bringing *b, job *j, const char *folder)
{
    j->tree.from = j->f->kind;
    const char *root = j->f->kind == OBB_FROM_ARCHIVE ? unpack(b, j, folder) : check_out(b, j, folder);
    j->tree.place = j->from;
    if (!root || (j->f->kind == OBB_FROM_REPOSITORY && !check_repository(b, j, root)))
        return NULL;
    if (!apply_patches(b, j, root) || !list_files(b, j, root))
        return NULL;
    const char *link = refused_link(b, &j->tree, root); /* patches may make links as well */
    if (link)
        fail(b, j, "a patch is refused: %s", link);
    return link ? NULL : root;
}

/* Whether the tree that is there is the new one already, with its edits: they have become patches. */
static bool is_there_already(bringing *b, job *j)
{
    obb_tree_edits edits = {0};
    const char *where;
    return j->edits.count && !obb_tree_compare(j->f->tree, &j->tree, b->arena, &edits, &where) &&
           !edits.count;
}

/* The record first: a tree without one is taken for somebody else's. */
static void put_in_place(bringing *b, job *j, const char *root)
{
    obb_text text = {0};
    const char *old = obb_arena_format(b->arena, "%s/" TEMPORARY "old-%s", b->top, obb_path_name(j->f->tree));
    obb_tree_print(&j->tree, &text);
    if (access(old, F_OK) == 0)
        obb_below_remove_all(b->top, old);
    bool there = is_there_already(b, j);
    int failed = !there && rename(j->f->tree, old) && errno != ENOENT ? errno : 0;
    failed = failed ? failed : obb_file_replace(j->f->record, text.bytes, text.length, 0666);
    if (!failed && !there && rename(root, j->f->tree))
        failed = errno;
    obb_text_free(&text);
    if (failed)
        fail(b, j, "cannot put the files in place: %s",
             obb_arena_format(b->arena, "%s: %s", j->f->tree, strerror(failed)));
    obb_below_remove_all(b->top, old);
    rmdir(old);
}

static void unpack_job(bringing *b, job *j)
{
    char *folder = new_folder(b, j);
    const char *root = folder ? make_tree(b, j, folder) : NULL;
    if (root && j->edits.count && !is_there_already(b, j))
        edits_in_the_way(b, j);
    else if (root)
        put_in_place(b, j, root);
    if (folder) {
        obb_below_remove_all(b->top, folder);
        rmdir(folder);
    }
    if (!j->failed && b->observer->brought)
        b->observer->brought(b->observer->self, j->other, j->from, j->bytes);
}

/* What an earlier process left half done. */
static void sweep(const bringing *b)
{
    DIR *dir = opendir(b->top);
    for (struct dirent *d; dir && (d = readdir(dir));)
        if (obb_starts(d->d_name, TEMPORARY)) {
            const char *path = obb_path_join(b->arena, b->top, d->d_name);
            obb_below_remove_all(b->top, path);
            rmdir(path);
        }
    if (dir)
        closedir(dir);
}

/* --- the lock file ------------------------------------------------------------------ */

/* A place as the lock file names it, wherever the output folder is. */
static const char *place_in_lock(const bringing *b, const job *j)
{
    const char *place = j->from ? j->from : j->tree.place;
    const obb_index *index = j->other->index;
    return index && index->folder && obb_path_within(place, index->folder)
               ? obb_arena_format(b->arena, "%s/%s", index->name, place + strlen(index->folder) + 1)
               : place;
}

/* What the lock file must say; lines of what failed stay as they are. */
static void make_lock(bringing *b, obb_lock_file *lock)
{
    *lock = (obb_lock_file){.arena = b->arena};
    for (size_t i = 0; i < b->entries.count; i++)
        obb_arena_push(b->arena, &lock->lines, b->entries.at[i]);
    for (size_t i = 0; i < b->jobs.count; i++) {
        const job *j = &b->jobs.at[i];
        bool repository = j->f->kind == OBB_FROM_REPOSITORY, known = !j->failed && j->tree.sum;
        const obb_lock_line line = {.name = j->other->name, .version = version_of(j->other),
                                    .kind = repository ? OBB_LOCK_REPOSITORY : OBB_LOCK_ARCHIVE,
                                    .sum = j->tree.sum, .commit = j->tree.commit,
                                    .revision = repository ? j->f->revision : "",
                                    .from = place_in_lock(b, j)};
        bool same = known && j->locked && strcmp(j->locked->sum, line.sum) == 0 &&
                    strcmp(j->locked->commit, line.commit) == 0;
        if (j->locked && (same || !known))
            obb_arena_push(b->arena, &lock->lines, *j->locked); /* from wherever it was first fetched */
        else if (known)
            obb_arena_push(b->arena, &lock->lines, line);
    }
}

static void tell_recorded(const bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++) {
        const job *j = &b->jobs.at[i];
        if (!j->locked && !j->failed && b->observer->recorded)
            b->observer->recorded(b->observer->self, j->other->name, j->other->version);
    }
}

static void write_lock(bringing *b)
{
    obb_lock_file lock;
    obb_text before = {0}, after = {0};
    make_lock(b, &lock);
    obb_lock_file_print(&lock, &after);
    bool there = obb_file_read(OBB_LOCK_NAME, &before) == 0;
    bool same = there ? before.length == after.length && memcmp(before.bytes, after.bytes, after.length) == 0
                      : lock.lines.count == 0;
    if (!same && b->request->locked) {
        obb_diag *d = obb_error(b->diags, OBB_FAULT_OUTSIDE,
                                (obb_place){OBB_LOCK_NAME, there, there, NULL, NULL},
                                "what is described is not what %s says, and --locked forbids to change it",
                                OBB_LOCK_NAME);
        obb_hint(b->diags, d, "run `obbligato fetch` without --locked, look at what it changes, and keep it");
    } else if (!same) {
        int failed = obb_file_replace(OBB_LOCK_NAME, after.bytes, after.length, 0666);
        if (failed)
            obb_error(b->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", OBB_LOCK_NAME,
                      strerror(failed));
        else
            tell_recorded(b);
        obb_files_forget(b->files, obb_files_number(b->files, OBB_LOCK_NAME));
    }
    obb_text_free(&before);
    obb_text_free(&after);
}

/* --- the whole ---------------------------------------------------------------------- */

static bool any_needs(const bringing *b)
{
    for (size_t i = 0; i < b->project->index_files.count; i++)
        if (b->project->index_files.at[i].missing)
            return true;
    for (size_t i = 0; i < b->jobs.count; i++)
        if (b->jobs.at[i].need != NOTHING)
            return true;
    return false;
}

/* Without leave to fetch, what is missing is an error, each. */
static void tell_missing(bringing *b)
{
    for (size_t i = 0; i < b->project->index_files.count; i++) {
        const obb_index_file *f = &b->project->index_files.at[i];
        if (f->missing)
            obb_hint(b->diags,
                     obb_error(b->diags, OBB_FAULT_OUTSIDE, f->place,
                               "what the index `%s` has of `%s` is not fetched yet", f->index->name, f->name),
                     "`obbligato fetch` does it; so does `obbligato build`");
    }
    for (size_t i = 0; i < b->jobs.count; i++) {
        job *j = &b->jobs.at[i];
        if (j->need == NOTHING)
            continue;
        obb_diag *d = fail(b, j,
                           j->need == MISSING ? "`%s` is not fetched yet" : "`%s` must be unpacked anew",
                           name_of(b, j));
        if (j->need == ANEW)
            obb_also(b->diags, d, OBB_NOWHERE, "%s", j->why);
        obb_hint(b->diags, d, "`obbligato fetch` does it; so does `obbligato build`");
    }
}

static void say_waiting(void *self, const char *holder)
{
    const bringing *b = self;
    if (b->observer->waiting)
        b->observer->waiting(b->observer->self, b->top, holder);
}

static bool bring(bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++)
        find_edits(b, &b->jobs.at[i]);
    sweep(b);
    bool brought = bring_index_files(b);
    if (b->interrupted)
        return false;
    bring_archives(b);
    for (size_t i = 0; i < b->jobs.count; i++) {
        job *j = &b->jobs.at[i];
        if (j->unread)
            edits_in_the_way(b, j);
        else if (j->need != NOTHING && !j->failed && !b->interrupted)
            unpack_job(b, j);
        brought = brought || (j->need != NOTHING && !j->failed && !b->interrupted);
    }
    return brought;
}

/* Places that lie in the project are told as they are described. */
static void check_statements(bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++) {
        job *j = &b->jobs.at[i];
        if (!j->f->sum || !j->locked || strcmp(j->f->sum, j->locked->sum) == 0)
            continue;
        obb_diag *d = fail(b, j, "the stated sum of `%s` is not the recorded one", name_of(b, j));
        obb_also(b->diags, d, j->other->place, "stated is   %s", j->f->sum);
        obb_also(b->diags, d, (obb_place){OBB_LOCK_NAME, j->locked->line, 1, NULL, NULL}, "recorded is %s",
                 j->locked->sum);
        obb_hint(b->diags, d, "one of them is wrong: when it is the recorded one, remove its line");
    }
}

obb_fetch_result obb_fetch(obb_arena *arena, const obb_project *project, obb_files *files,
                           const obb_fetch_request *request, const obb_fetch_observer *observer,
                           obb_diags *diags)
{
    bringing b = {.arena = arena,
                  .project = project,
                  .files = files,
                  .request = request,
                  .observer = observer,
                  .diags = diags,
                  .top = obb_path_join(arena, project->out, OBB_FETCHED_FOLDER)};
    bool brought = false;
    obb_lock held = {.fd = -1};
    list_jobs(&b);
    check_statements(&b);
    for (size_t i = 0; i < project->index_files.count; i++)
        if (!project->index_files.at[i].missing)
            check_index_file(&b, &project->index_files.at[i]);
    if (obb_diags_fault(diags))
        return OBB_FETCH_NOTHING;
    if (!request->allowed) {
        tell_missing(&b);
        return OBB_FETCH_NOTHING;
    }
    if (any_needs(&b)) {
        const char *path = obb_path_join(arena, b.top, ".lock");
        int failed = obb_is_link(b.top) ? ELOOP : obb_state_mark(project->out);
        if (failed || !obb_lock_take(&held, path, say_waiting, &b)) {
            obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", path,
                      strerror(failed ? failed : errno));
            return OBB_FETCH_NOTHING;
        }
        list_jobs(&b);
        brought = bring(&b) || !any_needs(&b);
    }
    if (!project->incomplete && !b.interrupted) /* else it is not known what all is stated */
        write_lock(&b);
    if (held.fd >= 0)
        obb_lock_release(&held);
    return b.interrupted ? OBB_FETCH_INTERRUPTED : brought ? OBB_FETCH_BROUGHT : OBB_FETCH_NOTHING;
}

bool obb_fetch_is_settled(obb_arena *arena, const obb_project *project, obb_files *files)
{
    static const obb_fetch_request request;
    bringing b = {.arena = arena, .project = project, .files = files, .request = &request};
    list_jobs(&b);
    size_t lines = b.jobs.count;
    for (size_t i = 0; i < project->index_files.count; i++)
        lines += project->index_files.at[i].version && !project->index_files.at[i].index->ours;
    bool settled = !project->incomplete && project->lock->lines.count == lines && !any_needs(&b);
    for (size_t i = 0; settled && i < b.jobs.count; i++)
        settled = b.jobs.at[i].locked != NULL;
    return settled;
}

/* --- what was edited ---------------------------------------------------------------- */

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
static int copy_file(bringing *b, const char *root, const char *path, const char *folder, const char *side)
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

static void diff_in(bringing *b, job *j, const char *folder, const obb_tree_edits *edits, obb_text *diff)
{
    const char *sides[] = {obb_path_join(b->arena, folder, "a"), obb_path_join(b->arena, folder, "b")};
    char *pristine = obb_path_join(b->arena, folder, "pristine");
    int failed = mkdir(sides[0], 0777) || mkdir(sides[1], 0777) || mkdir(pristine, 0777) ? errno : 0;
    const char *root = failed ? NULL : make_tree(b, j, pristine);
    for (size_t i = 0; root && !failed && i < edits->count; i++) {
        const obb_tree_edit *e = &edits->at[i];
        if (strcmp(e->what, "added") != 0)
            failed = copy_file(b, root, e->path, folder, "a");
        if (!failed && strcmp(e->what, "removed") != 0)
            failed = copy_file(b, j->f->tree, e->path, folder, "b");
    }
    const char *why = failed ? strerror(failed) : root ? obb_make_patch(b->arena, folder, diff) : NULL;
    if (why)
        fail(b, j, "cannot compare: %s", why);
}

bool obb_diff_edits(obb_arena *arena, const obb_project *project, obb_files *files,
                    const obb_thirdparty *other, obb_text *diff, obb_diags *diags)
{
    static const obb_fetch_observer nobody;
    obb_words names = {0};
    obb_arena_push(arena, &names, other->name);
    const obb_fetch_request request = {.allowed = true, .names = &names};
    bringing b = {.arena = arena,
                  .project = project,
                  .files = files,
                  .request = &request,
                  .observer = &nobody,
                  .diags = diags,
                  .top = obb_path_join(arena, project->out, OBB_FETCHED_FOLDER)};
    obb_tree_edits edits = {0};
    const char *why = obb_list_edits(arena, other, &edits);
    if (why)
        obb_error(diags, OBB_FAULT_OUTSIDE, other->place, "`%s`: %s", other->name, why);
    if (why || !edits.count)
        return !why;
    list_jobs(&b);
    job *j = NULL;
    for (size_t i = 0; i < b.jobs.count; i++) {
        b.jobs.at[i].need = b.jobs.at[i].other == other ? ANEW : NOTHING;
        j = b.jobs.at[i].other == other ? &b.jobs.at[i] : j;
    }
    bring_archives(&b);
    char *folder = j->failed ? NULL : new_folder(&b, j);
    if (folder) {
        diff_in(&b, j, folder, &edits, diff);
        obb_below_remove_all(b.top, folder);
        rmdir(folder);
    }
    return !j->failed;
}
