/* Installing and taking away (install.h). */
#include "delivery/install.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "base/below.h"
#include "base/map.h"
#include "base/path.h"
#include "base/sha256.h"
#include "base/system.h"

/* One delivery while it is installed or taken away. */
typedef struct work {
    const obb_installing *how;
    obb_arena *arena;
    const char *manifest;       /* its path below the prefix */
    obb_manifest old, unfinished, fresh;
    obb_map old_lines, unfinished_lines, fresh_lines, other_lines; /* by path */
    obb_map repeated_lines;   /* of those that stand twice in the unfinished one, the other */
    obb_map other_names;      /* by path: the delivery that it belongs to */
    unsigned above;           /* how many folders above the prefix were made for others */
    int lock;                 /* of the folder of manifests; -1: it is not there */
    int again; /* an errno value: perhaps another process was quicker, and all is looked at anew */
} work;

static const char *at(const work *w, const char *path)
{
    return obb_path_join(w->arena, w->how->prefix, path);
}

static void fail(const work *w, const char *what, const char *path, int failed, const char *hint)
{
    obb_diag *d = obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s %s: %s", what, path,
                            strerror(failed));
    if (hint)
        obb_hint(w->how->diags, d, "%s", hint);
}

static void tell(const work *w, obb_install_event event, const char *path)
{
    if (w->how->tell)
        w->how->tell(w->how->self, event, path);
}

/* What cannot be told is an error, and nothing is decided by it. */
static void cannot_tell(const work *w, const char *path)
{
    if (errno != ENOENT && errno != ENOTDIR)
        fail(w, "cannot look at", path, errno, NULL);
}

static bool trouble(const work *w)
{
    return obb_diags_fault(w->how->diags) != OBB_FAULT_NONE;
}

/* --- manifests ------------------------------------------------------------------------ */

static void index_lines(obb_map *map, obb_map *repeated, const obb_manifest *r)
{
    for (size_t i = 0; i < r->lines.count; i++)
        obb_map_put(repeated && obb_map_get(map, r->lines.at[i].path) ? repeated : map, r->lines.at[i].path,
                    (void *)(uintptr_t)&r->lines.at[i]);
}

static bool read_own(work *w, const char *path, obb_manifest *r, obb_map *lines)
{
    int failed = obb_manifest_read(w->arena, at(w, path), r);
    if (failed && failed != ENOENT && failed != ENOTDIR)
        fail(w, "cannot read the manifest", at(w, path), failed,
             failed == EINVAL ? "it is damaged: remove it, then install with --replace" : NULL);
    index_lines(lines, &w->repeated_lines, r);
    return !failed || failed == ENOENT || failed == ENOTDIR;
}

static bool read_manifests(work *w)
{
    obb_manifests others = {0};
    bool read = read_own(w, w->manifest, &w->old, &w->old_lines);
    read = read_own(w, obb_arena_format(w->arena, "%s" OBB_MANIFEST_NEW, w->manifest), &w->unfinished,
                    &w->unfinished_lines) && read;
    errno = obb_manifest_others(w->arena, w->how->prefix, w->manifest, &others);
    if (errno)
        cannot_tell(w, at(w, OBB_MANIFEST_FOLDER));
    for (size_t i = 0; i < others.count; i++)
        w->above = others.at[i].above > w->above ? others.at[i].above : w->above;
    for (size_t i = 0; i < others.count; i++)
        for (size_t k = 0; k < others.at[i].lines.count; k++) {
            obb_map_put(&w->other_lines, others.at[i].lines.at[k].path,
                        (void *)(uintptr_t)&others.at[i].lines.at[k]);
            obb_map_put(&w->other_names, others.at[i].lines.at[k].path,
                        (void *)(uintptr_t)obb_arena_format(w->arena, "%s of %s", others.at[i].delivery,
                                                            others.at[i].project));
        }
    return read && !trouble(w);
}

static void release(work *w)
{
    obb_map_free(&w->old_lines);
    obb_map_free(&w->unfinished_lines);
    obb_map_free(&w->repeated_lines);
    obb_map_free(&w->fresh_lines);
    obb_map_free(&w->other_lines);
    obb_map_free(&w->other_names);
    if (w->lock >= 0)
        close(w->lock);
}

/* Locks the folder of the manifests, if it is there: who has it may have moved it away meanwhile. */
static bool open_lock(work *w)
{
    const char *folder = at(w, OBB_MANIFEST_FOLDER);
    struct stat open_one, there;
    for (;;) {
        w->lock = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC);
        if (w->lock < 0 && (errno == ENOENT || errno == ENOTDIR))
            return true;
        if (w->lock < 0 || !obb_lock_descriptor(w->lock, true) || fstat(w->lock, &open_one)) {
            fail(w, "cannot lock", folder, errno, NULL);
            return false;
        }
        if (!stat(folder, &there) && there.st_ino == open_one.st_ino && there.st_dev == open_one.st_dev)
            return true;
        close(w->lock);
    }
}

/* --- what is there ------------------------------------------------------------------ */

static bool is_there(const work *w, const char *path)
{
    struct stat s;
    if (!lstat(at(w, path), &s))
        return true;
    cannot_tell(w, at(w, path));
    return false;
}

/* Whether what lies there is what the line says. */
static bool is_as(const work *w, const obb_manifest_line *line)
{
    const char *path = line ? at(w, line->path) : "";
    char target[4096], sum[OBB_SHA256_TEXT];
    struct stat s;
    if (!line)
        return false;
    if (lstat(path, &s)) {
        cannot_tell(w, path);
        return false;
    }
    if (line->kind == OBB_MANIFEST_LINK) {
        ssize_t n = S_ISLNK(s.st_mode) ? readlink(path, target, sizeof target - 1) : 0;
        if (n < 0)
            cannot_tell(w, path);
        target[n > 0 ? n : 0] = 0;
        return n > 0 && strcmp(target, line->sum) == 0;
    }
    if (line->kind != OBB_MANIFEST_FILE || !S_ISREG(s.st_mode))
        return false;
    errno = obb_sha256_of_file(path, sum);
    if (errno)
        cannot_tell(w, path);
    return !errno && strcmp(sum, line->sum) == 0;
}

static bool has_mode(const work *w, const obb_manifest_line *line)
{
    struct stat s;
    return line->kind == OBB_MANIFEST_LINK ||
           (!lstat(at(w, line->path), &s) && (s.st_mode & 07777) == (line->executable ? 0755u : 0644u));
}

/* Whether it was installed by this delivery and is as it was then. */
static bool is_ours(const work *w, const char *path)
{
    return is_as(w, obb_map_get(&w->old_lines, path)) || is_as(w, obb_map_get(&w->unfinished_lines, path)) ||
           is_as(w, obb_map_get(&w->repeated_lines, path));
}

/* --- installing --------------------------------------------------------------------- */

static bool list_entries(work *w, const obb_contents_input *in, const obb_entries *entries)
{
    char sum[OBB_SHA256_TEXT];
    for (size_t i = 0; i < entries->count; i++) {
        const obb_entry *e = &entries->at[i];
        obb_manifest_line line = {.kind = e->link ? OBB_MANIFEST_LINK : OBB_MANIFEST_FILE,
                                .path = e->path,
                                .sum = e->link,
                                .executable = e->executable};
        obb_text text = {0};
        int failed = e->link ? 0 : obb_entry_read(in, e, &text);
        if (failed)
            fail(w, "cannot read", e->source, failed, NULL);
        if (!e->link)
            line.sum = obb_arena_string(w->arena, obb_sha256(obb_text_bytes(&text), text.length, sum));
        obb_text_free(&text);
        if (strpbrk(e->path, "\n\t"))
            obb_error(w->how->diags, OBB_FAULT_OUTSIDE, e->place,
                      "`%s` has a newline or a tab in its name, and cannot be installed", e->path);
        obb_arena_push(w->arena, &w->fresh.lines, line);
    }
    return !obb_diags_fault(w->how->diags);
}

/* A file in the way is nothing of ours: it stays, unless that is said. */
static void check_way(const work *w, const obb_manifest_line *line)
{
    const char *other = obb_map_get(&w->other_names, line->path), *path = at(w, line->path);
    const obb_manifest_line *belongs = obb_map_get(&w->other_lines, line->path);
    struct stat s;
    if (belongs && belongs->kind != OBB_MANIFEST_DIRECTORY) {
        obb_hint(w->how->diags,
                 obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s belongs to the delivery %s",
                           path, other),
                 "uninstall that first, or deliver the file once: the other delivery can need the one that "
                 "has it");
        return;
    }
    if (lstat(path, &s)) {
        cannot_tell(w, path);
        return;
    }
    if (is_as(w, line) || is_ours(w, line->path))
        return;
    if (S_ISDIR(s.st_mode))
        obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s is a folder, and a file is to be there",
                  path);
    else if (!w->how->replace && (obb_map_get(&w->old_lines, line->path)))
        obb_hint(w->how->diags,
                 obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                           "%s was changed since it was installed", path),
                 "keep a copy of it, then use --replace");
    else if (!w->how->replace)
        obb_hint(w->how->diags,
                 obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                           "%s is there already, and is not from a delivery", path),
                 "--replace overwrites it");
}

static bool knows_folder(const obb_map *map, const char *path)
{
    const obb_manifest_line *line = obb_map_get(map, path);
    return line && line->kind == OBB_MANIFEST_DIRECTORY;
}

/* The folders that the files need, outer ones first: those that are not there, and those that a delivery made
 * before. */
static void list_folders(work *w, obb_manifest *folders)
{
    obb_map seen = {0};
    obb_words all = {0};
    size_t files = w->fresh.lines.count;
    for (size_t i = 0; i <= files; i++) {
        obb_words up = {0};
        const char *path = i < files ? w->fresh.lines.at[i].path : w->manifest;
        do {
            path = obb_path_folder(w->arena, path);
            obb_arena_push(w->arena, &up, path);
        } while (strcmp(path, ".") != 0);
        for (size_t k = up.count; k-- > 0;)
            if (!obb_map_get(&seen, up.at[k])) {
                obb_map_put(&seen, up.at[k], (void *)(uintptr_t)up.at[k]);
                obb_arena_push(w->arena, &all, up.at[k]);
            }
    }
    for (size_t i = 0; i < all.count; i++) {
        const char *path = all.at[i];
        struct stat s;
        bool there = !stat(at(w, path), &s);
        if (!there)
            cannot_tell(w, at(w, path));
        if (there && !S_ISDIR(s.st_mode))
            obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                      "%s is a file, and a folder is to be there", at(w, path));
        else if (!there && !lstat(at(w, path), &s) && S_ISLNK(s.st_mode)) /* and no folder by now */
            obb_hint(w->how->diags,
                     obb_error(w->how->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE,
                               "%s is a link that leads nowhere, and a folder is to be there", at(w, path)),
                     "remove the link, or make the folder that it names");
        if (!there || knows_folder(&w->old_lines, path) || knows_folder(&w->unfinished_lines, path) ||
            knows_folder(&w->other_lines, path))
            obb_arena_push(w->arena, &folders->lines,
                           (obb_manifest_line){.kind = OBB_MANIFEST_DIRECTORY, .path = path});
    }
    obb_map_free(&seen);
}

static unsigned count_above(const work *w)
{
    unsigned n = 0;
    struct stat s;
    for (const char *path = obb_path_folder(w->arena, w->how->prefix);
         strcmp(path, "/") != 0 && strcmp(path, ".") != 0 && stat(path, &s);
         path = obb_path_folder(w->arena, path))
        n++;
    return n;
}

static bool make_folder(const work *w, const char *path)
{
    const char *whole = at(w, path);
    bool there = !mkdir(whole, 0755) || errno == EEXIST;
    if (there && (!chmod(whole, 0755) || errno == EPERM))
        return true;
    fail(w, "cannot make the folder", whole, errno, NULL);
    return false;
}

/* Under another name, which is always the same for the path, so that one that is left over is found. */
static const char *new_name(const work *w, const char *path)
{
    char sum[OBB_SHA256_TEXT];
    obb_sha256(path, strlen(path), sum);
    return obb_path_join(w->arena, obb_path_folder(w->arena, at(w, path)),
                         obb_arena_format(w->arena, OBB_NEW_PREFIX "%.16s", sum));
}

static int write_bytes(const char *path, const obb_text *text, unsigned mode)
{
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_CLOEXEC | O_NOFOLLOW, 0600),
        failed = fd < 0 ? errno : 0;
    for (size_t done = 0; !failed && done < text->length;) {
        ssize_t n = write(fd, text->bytes + done, text->length - done);
        if (n < 0 && errno != EINTR)
            failed = errno;
        done += n > 0 ? (size_t)n : 0;
    }
    if (!failed && fchmod(fd, (mode_t)mode))
        failed = errno;
    if (fd >= 0 && close(fd) && !failed)
        failed = errno;
    return failed;
}

static bool write_entry(const work *w, const obb_contents_input *in, const obb_entry *e)
{
    const char *path = at(w, e->path), *fresh = new_name(w, e->path);
    obb_text text = {0};
    unlink(fresh);
    int failed = e->link ? 0 : obb_entry_read(in, e, &text);
    if (!failed && e->link)
        failed = symlink(e->link, fresh) ? errno : 0;
    else if (!failed)
        failed = write_bytes(fresh, &text, e->executable ? 0755 : 0644);
    if (!failed && rename(fresh, path))
        failed = errno;
    if (failed)
        unlink(fresh);
    obb_text_free(&text);
    if (failed)
        fail(w, "cannot write", path, failed, "what was installed before is as it was, or as it will be");
    return !failed;
}

static bool remove_line(const work *w, const obb_manifest_line *line)
{
    const char *path = at(w, line->path);
    unlink(new_name(w, line->path));
    if (!is_there(w, line->path))
        return !trouble(w);
    if (!is_ours(w, line->path)) {
        if (!trouble(w))
            tell(w, OBB_LEFT, path);
        return !trouble(w);
    }
    tell(w, OBB_TAKEN_AWAY, path);
    if (w->how->dry_run || !unlink(path))
        return true;
    fail(w, "cannot remove", path, errno, NULL);
    return false;
}

/* What an earlier version had and this one has not. */
static bool remove_former(const work *w, const obb_manifest *former)
{
    bool removed = true;
    for (size_t i = 0; i < former->lines.count; i++)
        if (former->lines.at[i].kind != OBB_MANIFEST_DIRECTORY &&
            !obb_map_get(&w->fresh_lines, former->lines.at[i].path))
            removed = remove_line(w, &former->lines.at[i]) && removed;
    return removed;
}

/* Folders that a delivery made, when they are empty, inner ones first; not those that hold the manifest. */
static void remove_folders(const work *w, const obb_manifest *former)
{
    for (size_t i = former->lines.count; i-- > 0 && !w->how->dry_run;) {
        const obb_manifest_line *l = &former->lines.at[i];
        bool holds_it = strcmp(l->path, ".") == 0 || obb_path_within(w->manifest, l->path);
        if (l->kind != OBB_MANIFEST_DIRECTORY || holds_it || obb_map_get(&w->fresh_lines, l->path))
            continue;
        if (rmdir(at(w, l->path)) && errno != ENOTEMPTY && errno != EEXIST && errno != EBUSY)
            cannot_tell(w, at(w, l->path));
    }
}

static bool make_folders(work *w)
{
    bool made = true;
    for (size_t i = 0; i < w->fresh.lines.count && made; i++)
        if (w->fresh.lines.at[i].kind == OBB_MANIFEST_DIRECTORY)
            made = make_folder(w, w->fresh.lines.at[i].path);
    return made;
}

/* What a writer of manifests left that was ended. */
static void sweep(const work *w)
{
    DIR *d = opendir(at(w, OBB_MANIFEST_FOLDER));
    for (const struct dirent *e; d && (e = readdir(d));)
        if (obb_starts(e->d_name, OBB_NEW_PREFIX))
            unlinkat(dirfd(d), e->d_name, 0);
    if (d)
        closedir(d);
}

static const char *unfinished_path(const work *w)
{
    return at(w, obb_arena_format(w->arena, "%s" OBB_MANIFEST_NEW, w->manifest));
}

/* The outermost folder above a path that is not there; NULL: all are. */
static const char *first_missing(const work *w, const char *path)
{
    struct stat s;
    const char *missing = NULL;
    for (path = obb_path_folder(w->arena, path); stat(path, &s) && errno == ENOENT;
         path = obb_path_folder(w->arena, path))
        missing = path;
    return missing;
}

/* The name beside a folder's place under which it is made, and under which it goes: always the same. */
static const char *hidden_name(const work *w, const char *folder)
{
    char sum[OBB_SHA256_TEXT];
    obb_sha256(folder, strlen(folder), sum);
    return obb_path_join(w->arena, obb_path_folder(w->arena, folder),
                         obb_arena_format(w->arena, OBB_NEW_PREFIX "%.16s", sum));
}

/* Locks a hidden folder, if nobody has: who makes one keeps it locked. -1: it is not there, or another's. */
static int lock_hidden(const char *folder)
{
    struct stat open_one, there;
    int fd = open(folder, O_RDONLY | O_DIRECTORY | O_CLOEXEC | O_NOFOLLOW);
    bool locked = fd >= 0 && obb_lock_descriptor(fd, false) && !fstat(fd, &open_one) &&
                  !lstat(folder, &there) && there.st_ino == open_one.st_ino &&
                  there.st_dev == open_one.st_dev;
    if (fd >= 0 && !locked)
        close(fd);
    return locked ? fd : -1;
}

/* What a process left there that was ended. */
static void sweep_hidden(const work *w)
{
    for (const char *folder = at(w, OBB_MANIFEST_FOLDER);
         strcmp(folder, "/") != 0 && strcmp(folder, ".") != 0; folder = obb_path_folder(w->arena, folder)) {
        const char *hidden = hidden_name(w, folder);
        int fd = lock_hidden(hidden);
        if (fd < 0)
            continue;
        obb_below_remove_all(obb_path_folder(w->arena, folder), hidden);
        close(fd);
    }
}

/* Makes a folder that is not there yet with the manifest in it, or nothing at all. 0, or an errno value;
 * EEXIST when another process does the same. */
static int place_manifest(const work *w, const obb_manifest *all, const char *missing)
{
    const char *holder = obb_path_folder(w->arena, missing), *path = unfinished_path(w);
    const char *fresh = hidden_name(w, missing);
    const char *inside = obb_path_join(w->arena, fresh, path + strlen(missing) + 1);
    int failed = mkdir(fresh, 0755) ? errno : 0;
    if (failed)
        return failed;
    int fd = lock_hidden(fresh);
    failed = fd < 0 ? EEXIST : fchmod(fd, 0755) ? errno : 0;
    for (const char *slash = strchr(inside + strlen(fresh) + 1, '/'); slash && !failed;
         slash = strchr(slash + 1, '/')) {
        const char *folder = obb_arena_copy(w->arena, inside, (size_t)(slash - inside));
        failed = mkdir(folder, 0755) || chmod(folder, 0755) ? errno : 0;
    }
    failed = failed ? failed : obb_manifest_write(all, inside);
    failed = failed ? failed : rename(fresh, missing) ? errno : 0;
    if (failed && fd >= 0)
        obb_below_remove_all(holder, fresh);
    if (fd >= 0)
        close(fd); /* it may be the folder that is locked next */
    return failed;
}

/* What will be there is known on the disk before anything of it is; so is what an earlier install left. */
static bool begin(work *w)
{
    obb_manifest all = w->fresh;
    all.lines.at = NULL;
    all.lines.count = all.lines.room = 0;
    for (size_t i = 0; i < w->fresh.lines.count; i++)
        obb_arena_push(w->arena, &all.lines, w->fresh.lines.at[i]);
    for (size_t i = 0; i < w->unfinished.lines.count; i++) {
        const obb_manifest_line *l = &w->unfinished.lines.at[i];
        bool folder = l->kind == OBB_MANIFEST_DIRECTORY;
        if (folder ? !obb_map_get(&w->fresh_lines, l->path) : is_as(w, l))
            obb_arena_push(w->arena, &all.lines, *l);
    }
    sweep_hidden(w);
    const char *missing = w->lock < 0 ? first_missing(w, unfinished_path(w)) : NULL;
    int failed = missing ? place_manifest(w, &all, missing) : w->lock < 0 ? EEXIST : 0;
    w->again = failed == EEXIST || failed == ENOTEMPTY || failed == ENOENT ? failed : 0;
    if (failed) {
        if (!w->again)
            fail(w, "cannot make the folder", missing, failed, "choose another --prefix, or --below FOLDER");
        return false;
    }
    if (missing && !open_lock(w))
        return false;
    if (missing &&
        (w->lock < 0 || access(unfinished_path(w), F_OK))) { /* somebody has taken it away at once */
        w->again = EEXIST;
        return false;
    }
    sweep(w);
    failed = missing ? 0 : obb_manifest_write(&all, unfinished_path(w));
    if (failed)
        fail(w, "cannot write the manifest", unfinished_path(w), failed, NULL);
    return !failed && make_folders(w);
}

static bool finish(work *w)
{
    remove_folders(w, &w->unfinished);
    remove_folders(w, &w->old);
    if (trouble(w))
        return false;
    int failed = obb_manifest_write(&w->fresh, at(w, w->manifest));
    if (failed)
        fail(w, "cannot write the manifest", at(w, w->manifest), failed, NULL);
    else if (unlink(unfinished_path(w)))
        cannot_tell(w, unfinished_path(w));
    return !trouble(w);
}

static bool write_all(work *w, const obb_contents_input *in, const obb_entries *entries)
{
    bool written = true;
    for (size_t i = 0; i < entries->count && written; i++) {
        const obb_manifest_line *line = obb_map_get(&w->fresh_lines, entries->at[i].path);
        bool kept = is_as(w, line) && has_mode(w, line);
        if (!kept && !w->how->dry_run)
            written = write_entry(w, in, &entries->at[i]);
        if (written)
            tell(w, kept ? OBB_KEPT : OBB_INSTALLED, at(w, line->path));
    }
    return written;
}

static bool install_once(work *w, const obb_contents_input *in, const obb_entries *entries)
{
    obb_manifest folders = {0};
    bool done = (w->how->dry_run || open_lock(w)) && read_manifests(w) && list_entries(w, in, entries);
    for (size_t i = 0; done && i < w->fresh.lines.count; i++)
        check_way(w, &w->fresh.lines.at[i]);
    if (done)
        list_folders(w, &folders);
    w->fresh.above = w->old.variant          ? w->old.above
                     : w->unfinished.variant ? w->unfinished.above
                     : w->above              ? w->above /* whoever goes last takes them away */
                                             : count_above(w);
    for (size_t i = 0; i < w->fresh.lines.count; i++)
        obb_arena_push(w->arena, &folders.lines, w->fresh.lines.at[i]);
    w->fresh.lines.at = folders.lines.at;
    w->fresh.lines.count = folders.lines.count;
    index_lines(&w->fresh_lines, NULL, &w->fresh);
    done = done && !trouble(w);
    done = done && (w->how->dry_run || begin(w)) && write_all(w, in, entries);
    if (done) {
        done = remove_former(w, &w->unfinished);
        done = remove_former(w, &w->old) && done && !trouble(w);
        done = done && (w->how->dry_run || finish(w));
    }
    return done;
}

bool obb_install_delivery(const obb_installing *how, const obb_contents_input *in, const obb_delivery *d,
                          const obb_entries *entries)
{
    enum { MOST_TRIES = 20 };
    const obb_project *p = in->plan->project;
    bool done = false, again = true;
    for (int tries = 0; again && tries < MOST_TRIES; tries++) {
        work w = {.how = how,
                  .arena = how->arena,
                  .lock = -1,
                  .manifest = obb_manifest_path(how->arena, p->name, d->name)};
        w.fresh = (obb_manifest){.project = p->name,
                                 .version = *p->version ? p->version : "-",
                                 .delivery = d->name,
                                 .variant = in->in->variant->name};
        done = install_once(&w, in, entries);
        again = w.again;
        if (again)
            nanosleep(&(struct timespec){.tv_nsec = tries * 5000000L}, NULL);
        if (again && tries + 1 == MOST_TRIES)
            fail(&w, "cannot make the folder", at(&w, "."), w.again,
                 "choose another --prefix, or --below FOLDER");
        release(&w);
    }
    return done;
}

/* --- taking away -------------------------------------------------------------------- */

/* Whether a folder has nothing in it but this name, and what writers of manifests left. */
static bool has_only(const work *w, const char *folder, const char *name)
{
    DIR *d = opendir(folder);
    bool only = d != NULL;
    size_t n = strlen(name);
    if (!d)
        cannot_tell(w, folder);
    for (const struct dirent *e; only && (errno = 0, e = readdir(d));)
        only = strcmp(e->d_name, ".") == 0 || strcmp(e->d_name, "..") == 0 ||
               obb_starts(e->d_name, OBB_NEW_PREFIX) ||
               (obb_starts(e->d_name, name) &&
                (!e->d_name[n] || strcmp(e->d_name + n, OBB_MANIFEST_NEW) == 0));
    if (d && errno)
        cannot_tell(w, folder);
    if (d)
        closedir(d);
    return only;
}

/* The outermost folder that was made here and has nothing in it but the way to the manifest; NULL: there is
 * none. */
static const char *find_emptied(const work *w)
{
    unsigned above = w->old.variant ? w->old.above : w->unfinished.above;
    const char *emptied = NULL, *folder = at(w, w->manifest), *below = OBB_MANIFEST_FOLDER;
    bool known = true, inside = true;
    while (known) {
        const char *name = obb_path_name(folder);
        folder = obb_path_folder(w->arena, folder);
        known = inside ? knows_folder(&w->old_lines, below) || knows_folder(&w->unfinished_lines, below)
                       : above-- > 0;
        known = known && has_only(w, folder, name);
        if (known)
            emptied = folder;
        inside = inside && strcmp(below, ".") != 0;
        below = obb_path_folder(w->arena, below);
    }
    return emptied;
}

/* As long as the manifest is there, all can be done again; so it goes last, with its folders at once. */
static bool finish_removal(const work *w)
{
    const char *manifests[] = {unfinished_path(w), at(w, w->manifest)};
    remove_folders(w, &w->unfinished);
    remove_folders(w, &w->old);
    sweep_hidden(w);
    const char *emptied = trouble(w) ? NULL : find_emptied(w);
    if (trouble(w))
        return false;
    int failed = emptied && rename(emptied, hidden_name(w, emptied)) ? errno : 0;
    if (failed == ENOTEMPTY || failed == EEXIST) /* another install is about to make one there */
        emptied = NULL;
    else if (failed)
        fail(w, "cannot remove", emptied, failed, NULL);
    else if (emptied) /* the lock that this process has goes with it */
        failed = obb_below_remove_all(obb_path_folder(w->arena, emptied), hidden_name(w, emptied));
    if (failed && emptied && !trouble(w))
        fail(w, "cannot remove", hidden_name(w, emptied), failed, NULL);
    for (size_t i = 0; i < 2 && !emptied && !trouble(w); i++)
        if (unlink(manifests[i]))
            cannot_tell(w, manifests[i]);
    return !trouble(w);
}

bool obb_uninstall_delivery(const obb_installing *how, const char *project, const char *delivery)
{
    work w = {.how = how,
              .arena = how->arena,
              .lock = -1,
              .manifest = obb_manifest_path(how->arena, project, delivery)};
    bool done = (how->dry_run || open_lock(&w)) && read_manifests(&w);
    if (done && !w.old.variant && !w.unfinished.variant) {
        if (!how->dry_run)
            sweep_hidden(&w);
        obb_hint(
            how->diags,
            obb_error(how->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "%s of %s is not installed in %s", delivery,
                      project, how->prefix),
            "name the prefix that it was installed to: --prefix FOLDER, and --below FOLDER if that was said");
        done = false;
    }
    if (done) {
        done = remove_former(&w, &w.unfinished);
        done = remove_former(&w, &w.old) && done && !trouble(&w);
    }
    if (done && !how->dry_run)
        done = finish_removal(&w);
    release(&w);
    return done;
}

/* By the names of the manifests; one that cannot be read counts as well, since it must be told. */
int obb_installed_deliveries(obb_arena *arena, const char *prefix, const char *project, obb_words *names)
{
    const char *folder = obb_path_join(arena, prefix, OBB_MANIFEST_FOLDER),
               *begin = obb_arena_format(arena, "%s.", project);
    DIR *d = opendir(folder);
    int failed = d || errno == ENOENT || errno == ENOTDIR ? 0 : errno;
    for (const struct dirent *e; d && (errno = 0, e = readdir(d));) {
        obb_manifest m;
        size_t n = strlen(e->d_name), suffix = strlen(OBB_MANIFEST_NEW);
        if (n > suffix && strcmp(e->d_name + n - suffix, OBB_MANIFEST_NEW) == 0)
            n -= suffix;
        const char *name = obb_arena_copy(arena, e->d_name, n), *delivery = NULL;
        int wrong = obb_manifest_read(arena, obb_path_join(arena, folder, e->d_name), &m);
        if (!wrong && strcmp(m.project, project) == 0)
            delivery = m.delivery;
        else if (wrong && wrong != ENOENT && obb_starts(name, begin))
            delivery = name + strlen(begin);
        for (size_t k = 0; k < names->count && delivery; k++)
            delivery = strcmp(names->at[k], delivery) == 0 ? NULL : delivery;
        if (delivery)
            obb_arena_push(arena, names, delivery);
    }
    failed = d && errno && !failed ? errno : failed;
    if (d)
        closedir(d);
    return failed;
}
