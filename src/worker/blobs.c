/* Files by their contents (worker.h): each once in the cache, read-only, one for programs and one for others.
 */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/bounded.h"
#include "base/files.h"
#include "base/own.h"
#include "base/path.h"
#include "base/system.h"
#include "worker/worker.h"

/* Writes it beside and links it, which replaces nothing: a slot that links a file just when it is replaced
 * would not find it. */
static const char *keep(const char *path, const obb_text *bytes, mode_t mode, obb_arena *arena)
{
    const char *beside = obb_arena_format(arena, "%s.%ld", path, (long)getpid());
    int fd = open(beside, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC, mode);
    size_t written = 0;
    for (ssize_t n; fd >= 0 && written < bytes->length; written += (size_t)n)
        if ((n = write(fd, bytes->bytes + written, bytes->length - written)) <= 0)
            break;
    bool ok = fd >= 0 && written == bytes->length && fchmod(fd, mode) == 0;
    if (fd >= 0)
        ok = close(fd) == 0 && ok;
    ok = ok && (link(beside, path) == 0 || errno == EEXIST);
    int failed = errno;
    unlink(beside);
    return ok ? NULL : obb_arena_format(arena, "cannot write %s: %s", path, strerror(failed));
}

static bool has_sum(const obb_text *bytes, const char *sum)
{
    char found[OBB_SHA256_TEXT];
    return strcmp(obb_sha256(obb_text_bytes(bytes), bytes->length, found), sum) == 0;
}

static bool take_from_server(worker *w, obb_arena *arena, const char *sum, obb_text *bytes, const char **why)
{
    const char *const words[] = {"GET", obb_arena_format(arena, "%sblob:%s", obb_resp_prefix(w->resp), sum)};
    redisReply *reply = obb_resp_ask(w->resp, 2, words, NULL, why);
    bytes->length = 0;
    if (reply && reply->type == REDIS_REPLY_STRING && reply->len)
        obb_text_add(bytes, reply->str, reply->len);
    bool there = reply && reply->type == REDIS_REPLY_STRING;
    if (reply)
        freeReplyObject(reply);
    if (!there && !*why)
        *why = obb_arena_format(arena, "the server does not have the file %.12s... any more", sum);
    if (there && !has_sum(bytes, sum)) {
        there = false;
        *why = obb_arena_format(arena, "the server has other bytes under %.12s...", sum);
    }
    return there;
}

const char *have_blob(worker *w, obb_arena *arena, const obb_listed_file *f, const char **why)
{
    const char *folder = obb_arena_format(arena, "%s/blobs/%.2s", w->cache, f->sum),
               *path = obb_arena_format(arena, "%s/%s%s", folder, f->sum, f->mode & 0111 ? "-program" : "");
    obb_text bytes = {0};
    *why = NULL;
    if (utimensat(AT_FDCWD, path, NULL, 0) == 0) /* it is there, and used now */
        return path;
    bool here = f->path && *f->path == '/' && !obb_file_read(f->path, &bytes) && has_sum(&bytes, f->sum);
    if (!here)
        here = take_from_server(w, arena, f->sum, &bytes, why);
    if (here && obb_own_make(folder))
        *why = obb_arena_format(arena, "cannot make %s: %s", folder, strerror(errno));
    else if (here)
        *why = keep(path, &bytes, f->mode & 0111 ? 0555 : 0444, arena);
    obb_text_free(&bytes);
    return *why ? NULL : path;
}

/* --- its size ----------------------------------------------------------------------- */

enum { ABANDONED_SECONDS = 3600 };

/* Those that stand in no slot (they have other names there). What was broken off goes. */
static void list_folder(const char *folder, obb_arena *arena, obb_bounded_files *list)
{
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        struct stat s;
        char *path = obb_path_join(arena, folder, e->d_name);
        if (lstat(path, &s) || !S_ISREG(s.st_mode) || s.st_nlink > 1)
            continue;
        if (!strchr(e->d_name, '.'))
            obb_arena_push(arena, list, ((obb_bounded_file){path, (uint64_t)s.st_size, obb_modified_at(&s)}));
        else if (obb_now() - obb_modified_at(&s) > INT64_C(1000000000) * ABANDONED_SECONDS)
            unlink(path);
    }
    if (d)
        closedir(d);
}

void bound_blobs(const worker *w, uint64_t limit)
{
    obb_arena *arena = obb_arena_new();
    obb_bounded_files list = {0};
    for (int i = 0; i < 256; i++)
        list_folder(obb_arena_format(arena, "%s/blobs/%02x", w->cache, i), arena, &list);
    obb_bounded_sweep(&list, limit);
    obb_arena_free(arena);
}
