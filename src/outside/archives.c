/* The archives of a fetch (bringing.h): those that are kept, lie on this machine, or are downloaded.
 *
 * Downloads have a lock each, since other projects share them. */
#include "outside/bringing.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/own.h"
#include "base/path.h"
#include "base/sha256.h"
#include "base/system.h"

const char *obb_bring_cache(obb_bringing *b, obb_bring_job *j, const char *what)
{
    const char *folder = obb_user_folder(b->arena, "XDG_CACHE_HOME", ".cache",
                                         obb_arena_format(b->arena, "obbligato/%s", what));
    if (!folder)
        folder = obb_path_join(b->arena, b->top, obb_arena_format(b->arena, ".%s", what));
    obb_ownership own = obb_own_folder(folder);
    if (own == OBB_OWN)
        return folder;
    const char *why = own == OBB_SOMEBODY_ELSES   ? "it belongs to somebody else"
                      : own == OBB_OPEN_TO_OTHERS ? "others can write into it"
                                                  : strerror(errno);
    obb_diag *d = obb_bring_fail(b, j, "cannot use the folder %s",
                                 obb_arena_format(b->arena, "%s: %s", folder, why));
    if (own == OBB_OPEN_TO_OTHERS)
        obb_hint(b->diags, d, "chmod go-w %s, when all that is in it is yours", folder);
    else
        obb_hint(b->diags, d, "XDG_CACHE_HOME names another place");
    return NULL;
}

/* A file of that sum among the downloads; its contents are compared, since anybody may have changed it. */
static const char *kept_download(const obb_bringing *b, const char *cache, const char *sum)
{
    char digits[OBB_SHA256_TEXT];
    const char *path = sum ? obb_path_join(b->arena, cache, sum) : NULL;
    if (!path || obb_sha256_of_file(path, digits))
        return NULL;
    if (strcmp(digits, sum) == 0)
        return path;
    unlink(path);
    return NULL;
}

/* The file that its download becomes at first: the same for the same places. */
static const char *download_path(const obb_bringing *b, const char *cache, const obb_bring_job *j)
{
    char digits[OBB_SHA256_TEXT];
    obb_text text = {0};
    for (size_t i = 0; i < j->f->places.count; i++)
        obb_text_format(&text, "%s\n", j->f->places.at[i].text);
    obb_sha256(text.bytes, text.length, digits);
    obb_text_free(&text);
    return obb_arena_format(b->arena, "%s/new-%.32s", cache, digits);
}

static void no_place(obb_bringing *b, obb_bring_job *j, const obb_download *d)
{
    obb_diag *error = obb_bring_fail(b, j, "cannot fetch `%s`", obb_bring_name(b, j));
    for (size_t i = 0; i < d->failed.count; i++)
        obb_also(b->diags, error, OBB_NOWHERE, "%s: %s", d->failed.at[i].place, d->failed.at[i].why);
    obb_hint(b->diags, error, "another `from` in its statement is tried when the first does not answer");
}

void obb_bring_wrong_sum(obb_bringing *b, obb_bring_job *j, const char *from, const char *is)
{
    const char *wanted = obb_bring_wanted_sum(j);
    obb_diag *d = obb_bring_fail(b, j, "what was fetched for `%s` is not what it was before",
                                 obb_bring_name(b, j));
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
static bool take_archive(obb_bringing *b, obb_bring_job *j, const char *path, bool keep)
{
    char digits[OBB_SHA256_TEXT];
    const char *wanted = obb_bring_wanted_sum(j);
    int failed = obb_sha256_of_file(path, digits);
    if (failed) {
        obb_bring_fail(b, j, "cannot read %s", obb_arena_format(b->arena, "%s: %s", path, strerror(failed)));
        return true;
    }
    if (wanted && strcmp(digits, wanted) != 0)
        return false;
    j->tree.sum = obb_arena_string(b->arena, digits);
    j->archive = path;
    if (keep) {
        j->archive = obb_path_join(b->arena, obb_path_folder(b->arena, path), j->tree.sum);
        if (rename(path, j->archive))
            obb_bring_fail(b, j, "cannot keep %s",
                           obb_arena_format(b->arena, "%s: %s", j->archive, strerror(errno)));
    }
    return true;
}

/* A file on this machine is used where it is; else NULL. */
static const char *local_file(const char *place)
{
    if (obb_starts(place, "file://"))
        return place + strlen("file://");
    return strstr(place, "://") ? NULL : place;
}

/* Archives that lie on this machine: the first place that is there. */
static bool take_local(obb_bringing *b, obb_bring_job *j)
{
    for (size_t i = 0; i < j->f->places.count; i++) {
        const char *place = j->f->places.at[i].text, *path = local_file(place);
        if (!path || access(path, F_OK))
            continue;
        j->from = place;
        if (!take_archive(b, j, path, false)) {
            char digits[OBB_SHA256_TEXT];
            obb_sha256_of_file(path, digits);
            obb_bring_wrong_sum(b, j, place, obb_arena_string(b->arena, digits));
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
static void lock_downloads(obb_bringing *b, const obb_download *list, size_t count, int *locks)
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

static obb_bring_job *job_of(obb_bringing *b, const obb_download *d)
{
    for (size_t i = 0; i < b->jobs.count; i++)
        if (strcmp(b->jobs.at[i].other->name, d->name) == 0)
            return &b->jobs.at[i];
    return NULL;
}

static void take_download(obb_bringing *b, obb_download *d, bool again)
{
    obb_bring_job *j = job_of(b, d);
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
        obb_bring_wrong_sum(b, j, d->from, obb_arena_string(b->arena, digits));
        return;
    }
    obb_download once = {.name = d->name, .places = d->places, .to = d->to};
    const char *why = obb_fetcher_download(b->arena, &once, 1, b->observer->progress, b->observer->self);
    if (why)
        obb_bring_fail(b, j, "%s", why);
    else
        take_download(b, &once, true);
}

static void download(obb_bringing *b, obb_download *list, size_t count)
{
    int *locks = obb_arena_alloc(b->arena, (count + 1) * sizeof *locks);
    qsort(list, count, sizeof *list, by_path); /* whoever locks several does so in the same order */
    lock_downloads(b, list, count, locks);
    const char *why = obb_fetcher_download(b->arena, list, count, b->observer->progress, b->observer->self);
    for (size_t i = 0; i < count && !why; i++)
        take_download(b, &list[i], false);
    b->interrupted = b->interrupted || why == obb_fetch_interrupted;
    if (why && !b->interrupted)
        obb_bring_fail(b, job_of(b, &list[0]), "%s", why);
    for (size_t i = 0; i < count; i++) {
        if (why)
            job_of(b, &list[i])->failed = true;
        if (locks[i] >= 0)
            close(locks[i]);
    }
}

static void not_offline(obb_bringing *b, obb_bring_job *j)
{
    obb_diag *d = obb_bring_fail(b, j, "`%s` must be fetched, and that is forbidden", obb_bring_name(b, j));
    obb_also(b->diags, d, j->other->place, "%s", j->f->places.at[0].text);
    obb_hint(b->diags, d,
             "run `obbligato fetch` without --offline and OBBLIGATO_OFFLINE, where there is a network");
}

/* The archives of all jobs, from this machine or from elsewhere. */
void obb_bring_archives(obb_bringing *b)
{
    OBB_VEC(obb_download) list = {0};
    for (size_t i = 0; i < b->jobs.count; i++) {
        obb_bring_job *j = &b->jobs.at[i];
        if (j->need == OBB_NEEDS_NOTHING || j->failed || j->f->kind != OBB_FROM_ARCHIVE)
            continue;
        if (take_local(b, j))
            continue;
        const char *cache = obb_bring_cache(b, j, "downloads");
        if (!cache)
            continue;
        j->archive = kept_download(b, cache, obb_bring_wanted_sum(j));
        if (j->archive) {
            j->tree.sum = obb_bring_wanted_sum(j);
            j->from = j->locked ? j->locked->from : j->f->places.at[0].text;
            continue;
        }
        if (b->request->offline) {
            not_offline(b, j);
            continue;
        }
        obb_download d = {.name = j->other->name, .to = download_path(b, cache, j)};
        for (size_t k = 0; k < j->f->places.count; k++)
            obb_arena_push(b->arena, &d.places, j->f->places.at[k].text);
        obb_arena_push(b->arena, &list, d);
    }
    if (list.count)
        download(b, list.at, list.count);
}
