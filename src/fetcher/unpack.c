/* Unpacking, by libarchive. An archive is written by strangers: every entry is checked before anything of it
 * is written, and the first that is not as it should be ends it.
 *
 * The folder is new and nobody else's, and all that is in it was unpacked from this archive. So it is known
 * of each part of a path what stands there, and nothing is written behind a link. Formats that take contents
 * from elsewhere (mtree), and compressions that need other programs, are not read. */
#include <archive.h>
#include <archive_entry.h>
#include <errno.h>
#include <fcntl.h>
#include <locale.h>
#include <stdbool.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <wchar.h>
#include <wctype.h>

#include "base/below.h"
#include "base/files.h"
#include "base/map.h"
#include "base/path.h"
#include "base/text.h"
#include "fetcher/fetcher.h"

typedef enum entry_kind { A_FOLDER, A_FILE, A_LINK } entry_kind;

typedef struct known {
    const char *name;
    entry_kind kind;
} known;

typedef struct unpacking {
    struct archive *archive;
    obb_arena *arena;
    const char *folder;
    uint64_t most_bytes, bytes;
    size_t most_entries, entries;
    obb_map names;       /* known, by the name in small letters */
    const char *failed;  /* why it ended; NULL: it has not */
    bool here;           /* and that is no fault of the archive */
} unpacking;

static bool fail(unpacking *u, const char *why)
{
    u->failed = why;
    return false;
}

static bool fail_errno(unpacking *u, const char *what, int failed)
{
    u->here = true;
    return fail(u, obb_arena_format(u->arena, "%s: %s", what, strerror(failed)));
}

/* --- names -------------------------------------------------------------------------- */

/* Names that differ in their case only are one on some systems. */
static const char *in_small_letters(obb_arena *arena, const char *name)
{
    obb_text text = {0};
    mbstate_t in = {0}, out = {0};
    char bytes[32];
    wchar_t wide;
    while (*name) {
        size_t n = mbrtowc(&wide, name, strlen(name), &in);
        if (n == (size_t)-1 || n == (size_t)-2 || n == 0) {
            obb_text_char(&text, *name++);
            in = (mbstate_t){0};
            continue;
        }
        size_t m = wcrtomb(bytes, (wchar_t)towlower((wint_t)wide), &out);
        obb_text_add(&text, bytes, m == (size_t)-1 ? 0 : m);
        name += n;
    }
    const char *copy = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static bool has_control(const char *name)
{
    for (; *name; name++)
        if ((unsigned char)*name < 0x20 || *name == 0x7f)
            return true;
    return false;
}

static bool climbs(const char *name)
{
    for (const char *at = name; *at; at += strcspn(at, "/"), at += *at == '/')
        if (strncmp(at, "..", 2) == 0 && (at[2] == '/' || !at[2]))
            return true;
    return false;
}

/* The name as a path below the folder; NULL: it is refused. "." is the folder itself. */
static const char *checked_name(unpacking *u, const char *name)
{
    enum { LONGEST = 1000 };
    if (!name || !*name)
        fail(u, "it has no name");
    else if (*name == '/')
        fail(u, "its name is absolute");
    else if (climbs(name))
        fail(u, "its name leads out of the folder");
    else if (has_control(name))
        fail(u, "there are control characters in its name");
    else if (strlen(name) > LONGEST)
        fail(u, "its name is too long");
    else
        return obb_path_join(u->arena, ".", name);
    return NULL;
}

/* What is known of a path; NULL: nothing stands there. */
static const known *at_path(const unpacking *u, const char *path)
{
    return obb_map_get(&u->names, in_small_letters(u->arena, path));
}

static bool note(unpacking *u, const char *path, entry_kind kind)
{
    const known *before = at_path(u, path);
    if (before && strcmp(before->name, path) != 0)
        return fail(u, obb_arena_format(u->arena, "its name differs from `%s` in nothing but case",
                                        before->name));
    if (before && (kind != A_FOLDER || before->kind != A_FOLDER))
        return fail(u, "it is there twice");
    known *k = obb_arena_alloc(u->arena, sizeof *k);
    *k = (known){path, kind};
    obb_map_put(&u->names, in_small_letters(u->arena, path), k);
    return true;
}

/* The folders above it, which need not be entries themselves. */
static bool note_folders(unpacking *u, const char *path)
{
    for (const char *slash = strchr(path, '/'); slash; slash = strchr(slash + 1, '/')) {
        const char *folder = obb_arena_copy(u->arena, path, (size_t)(slash - path));
        const known *k = at_path(u, folder);
        if (k && k->kind != A_FOLDER)
            return fail(u, obb_arena_format(u->arena, "it lies behind `%s`, which is %s", folder,
                                            k->kind == A_LINK ? "a link" : "a file"));
        if (!note(u, folder, A_FOLDER))
            return false;
    }
    return true;
}

/* --- entries ------------------------------------------------------------------------ */

static bool write_file(unpacking *u, struct archive_entry *e, const char *path, int fd)
{
    const void *bytes;
    size_t count;
    la_int64_t offset, end = 0;
    int got;
    while ((got = archive_read_data_block(u->archive, &bytes, &count, &offset)) == ARCHIVE_OK) {
        u->bytes += count + (offset > end ? (uint64_t)(offset - end) : 0);
        end = offset + (la_int64_t)count;
        if (u->bytes > u->most_bytes)
            return fail(u, obb_arena_format(u->arena, "it unpacks to more than %llu MiB in all",
                                            (unsigned long long)(u->most_bytes >> 20)));
        for (size_t done = 0; done < count;) {
            ssize_t n = pwrite(fd, (const char *)bytes + done, count - done, offset + (la_int64_t)done);
            if (n < 0)
                return fail_errno(u, obb_arena_format(u->arena, "cannot write %s", path), errno);
            done += (size_t)n;
        }
    }
    if (got != ARCHIVE_EOF)
        return fail(u, obb_arena_format(u->arena, "it is damaged: %s", archive_error_string(u->archive)));
    if (archive_entry_size_is_set(e) && archive_entry_size(e) > end) {
        u->bytes += (uint64_t)(archive_entry_size(e) - end);
        if (u->bytes > u->most_bytes)
            return fail(u, "it unpacks to more than is allowed in all");
        if (ftruncate(fd, archive_entry_size(e)))
            return fail_errno(u, obb_arena_format(u->arena, "cannot write %s", path), errno);
    }
    return true;
}

/* Its time is kept: some sources are made from others beside them, and tools compare. */
static bool unpack_file(unpacking *u, struct archive_entry *e, const char *path)
{
    mode_t mode = archive_entry_mode(e) & 0111 ? 0777 : 0666;
    const struct timespec times[2] = {{archive_entry_mtime(e), archive_entry_mtime_nsec(e)},
                                      {archive_entry_mtime(e), archive_entry_mtime_nsec(e)}};
    int fd = open(path, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
    if (fd < 0)
        return fail_errno(u, obb_arena_format(u->arena, "cannot make %s", path), errno);
    bool done = write_file(u, e, path, fd);
    if (archive_entry_mtime_is_set(e))
        futimens(fd, times);
    if (close(fd) && done)
        done = fail_errno(u, obb_arena_format(u->arena, "cannot write %s", path), errno);
    return done;
}

/* A link leads to something below the folder, by its text. */
static bool unpack_link(unpacking *u, const char *target, const char *name, const char *path)
{
    if (!target || !*target)
        return fail(u, "it is a link that leads nowhere");
    if (!obb_path_link_stays(u->arena, name, target) || has_control(target))
        return fail(u,
                    obb_arena_format(u->arena, "it is a link that leads out of the folder, to `%s`", target));
    return !symlink(target, path) ||
           fail_errno(u, obb_arena_format(u->arena, "cannot make %s", path), errno);
}

/* Two names of one file: the other must have been unpacked, and stays apart, since one of them may be edited.
 */
static bool unpack_hard_link(unpacking *u, const char *target, const char *path)
{
    const char *other = checked_name(u, target);
    const known *k = other ? at_path(u, other) : NULL;
    obb_text text = {0};
    struct stat there;
    if (!other || !k || k->kind != A_FILE || strcmp(k->name, other) != 0)
        return fail(u, obb_arena_format(u->arena, "it is another name of `%s`, which is no file before it",
                                        target ? target : ""));
    const char *from = obb_path_join(u->arena, u->folder, other);
    if (stat(from, &there))
        return fail_errno(u, "cannot read what it is another name of", errno);
    u->bytes += (uint64_t)there.st_size;
    if (u->bytes > u->most_bytes)
        return fail(u, "it unpacks to more than is allowed in all");
    int failed = obb_file_read(from, &text);
    if (!failed)
        failed = obb_file_replace(path, obb_text_bytes(&text), text.length, there.st_mode & 0777);
    obb_text_free(&text);
    return !failed || fail_errno(u, obb_arena_format(u->arena, "cannot make %s", path), failed);
}

static bool make_folders(unpacking *u, const char *path)
{
    int failed = obb_below_make_folders(u->folder, path);
    return !failed || fail_errno(u, obb_arena_format(u->arena, "cannot make the folder of %s", path), failed);
}

static bool unpack_entry(unpacking *u, struct archive_entry *e)
{
    const char *name = checked_name(u, archive_entry_pathname(e)), *hard = archive_entry_hardlink(e);
    mode_t type = archive_entry_filetype(e);
    if (!name)
        return false;
    if (++u->entries > u->most_entries)
        return fail(u, obb_arena_format(u->arena, "there are more than %zu entries", u->most_entries));
    if (archive_entry_mode(e) & (S_ISUID | S_ISGID) && type != AE_IFDIR)
        return fail(u, "it has a set-user or set-group bit");
    if (!hard && type != AE_IFREG && type != AE_IFDIR && type != AE_IFLNK)
        return fail(u, "it is a device, a pipe or a socket");
    if (strcmp(name, ".") == 0)
        return type == AE_IFDIR || fail(u, "it has the name of the folder itself");
    entry_kind kind = type == AE_IFDIR ? A_FOLDER : type == AE_IFLNK ? A_LINK : A_FILE;
    if (archive_entry_is_encrypted(e))
        return fail(u, "it is encrypted");
    if (!note_folders(u, name) || !note(u, name, kind))
        return false;
    const char *path = obb_path_join(u->arena, u->folder, name);
    if (kind == A_FOLDER)
        return make_folders(u, obb_path_join(u->arena, path, "x"));
    if (!make_folders(u, path))
        return false;
    if (hard)
        return unpack_hard_link(u, hard, path);
    return kind == A_LINK ? unpack_link(u, archive_entry_symlink(e), name, path) : unpack_file(u, e, path);
}

static void allow_formats(struct archive *a)
{
    static int (*const formats[])(
        struct archive *) = {archive_read_support_format_tar,     archive_read_support_format_gnutar,
                             archive_read_support_format_zip,     archive_read_support_format_7zip,
                             archive_read_support_format_cpio,    archive_read_support_format_rar,
                             archive_read_support_format_rar5,    archive_read_support_format_cab,
                             archive_read_support_format_lha,     archive_read_support_format_xar,
                             archive_read_support_format_iso9660, archive_read_support_format_ar};
    static int (*const filters[])(
        struct archive *) = {archive_read_support_filter_gzip, archive_read_support_filter_bzip2,
                             archive_read_support_filter_xz,   archive_read_support_filter_lzma,
                             archive_read_support_filter_lzip, archive_read_support_filter_zstd,
                             archive_read_support_filter_lz4,  archive_read_support_filter_compress,
                             archive_read_support_filter_rpm};
    for (size_t i = 0; i < sizeof formats / sizeof *formats; i++)
        formats[i](a);
    for (size_t i = 0; i < sizeof filters / sizeof *filters; i++)
        filters[i](
            a); /* ARCHIVE_WARN: it would run a program; libarchive was built without that compression */
}

/* Until the end, or the first entry that is refused: its name, for users, is put in *name. */
static void unpack_all(unpacking *u, const char *path, const char **name)
{
    struct archive_entry *e;
    int got = archive_read_open_filename(u->archive, path, 65536);
    while (got == ARCHIVE_OK && !u->failed) {
        got = archive_read_next_header(u->archive, &e);
        if (got == ARCHIVE_OK || got == ARCHIVE_WARN) {
            const char *entry = archive_entry_pathname(e);
            *name = obb_arena_string(u->arena, entry ? entry : "");
            if (unpack_entry(u, e))
                *name = NULL;
            got = ARCHIVE_OK;
        }
    }
    if (!u->failed && got != ARCHIVE_EOF)
        fail(u, u->entries ? obb_arena_format(u->arena, "the archive is damaged: %s",
                                              archive_error_string(u->archive))
                           : "this is no archive of a known form, or it is damaged from the beginning");
    if (!u->failed && !u->entries)
        fail(u, "the archive is empty");
}

static json_t *visible(const char *string)
{
    obb_text text = {0};
    obb_text_visible(&text, string, strlen(string), true);
    json_t *value = json_string(obb_text_bytes(&text));
    obb_text_free(&text);
    return value;
}

int unpack(const json_t *request)
{
    const char *path = json_string_value(json_object_get(request, "unpack"));
    unpacking u = {.folder = json_string_value(json_object_get(request, "to")),
                   .most_bytes = (uint64_t)json_integer_value(json_object_get(request, "most-bytes")),
                   .most_entries = (size_t)json_integer_value(json_object_get(request, "most-entries"))};
    const char *name = NULL;
    if (!path || !u.folder)
        return 2;
    setlocale(LC_CTYPE, "C.UTF-8"); /* names in archives are UTF-8; without it they are taken as bytes */
    u.arena = obb_arena_new();
    u.archive = archive_read_new();
    allow_formats(u.archive);
    unpack_all(&u, path, &name);
    json_t *line = json_object();
    if (u.failed) {
        json_object_set_new(line, "failed", visible(u.failed));
        json_object_set_new(line, "entry", visible(name && !u.here ? name : ""));
        json_object_set_new(line, "here", json_boolean(u.here));
    } else {
        json_object_set_new(line, "entries", json_integer((json_int_t)u.entries));
    }
    tell(line);
    archive_read_free(u.archive);
    obb_map_free(&u.names);
    obb_arena_free(u.arena);
    return 0;
}
