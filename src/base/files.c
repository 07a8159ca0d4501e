/* The table of files (files.h): a number, a stamp, a fingerprint and a directory listing for each path,
 * filled in when it is first asked for. An entry is looked at once; only obb_files_forget makes the next
 * question go to the disk again. Atomic writing of files is here as well. */
#include "base/files.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "base/map.h"
#include "base/path.h"
#include "base/regular.h"
#include "base/system.h"

enum {
    LOOKED = 1,
    THERE = 2,
    PRINTED = 4,
    TRUSTED = 8,
    RECALLED = 16,
    LISTED = 32,
    PROVIDED = 64,
    PENDING = 128,
    FORGOTTEN = 256
};

typedef struct entry {
    obb_stamp stamp, recalled_stamp;
    obb_fingerprint fingerprint, recalled_fingerprint;
    unsigned flags;
    obb_words *names;
} entry;

typedef struct provided_text {
    obb_file file;
    const char *bytes;
    size_t length;
} provided_text;

struct obb_files {
    obb_arena *arena;
    obb_map numbers;
    obb_map real;   /* folders after which `..` was resolved as text */
    obb_map coming; /* folders in which files will be made; filled when first asked */
    bool knows_coming;
    OBB_VEC(entry) entries;
    const char *hidden, *mark; /* see obb_files_hide */
    size_t reads, looks;
    OBB_VEC(provided_text) provided; /* few */
    obb_files_witness *witness;      /* NULL: none */
    void *witness_self;
};

obb_files *obb_files_new(void)
{
    obb_files *f = obb_alloc(sizeof *f);
    f->arena = obb_arena_new();
    return f;
}

void obb_files_free(obb_files *files)
{
    if (!files)
        return;
    for (size_t i = 0; i < files->entries.count; i++)
        if (files->entries.at[i].names)
            obb_vec_free(files->entries.at[i].names);
    obb_vec_free(&files->entries);
    obb_vec_free(&files->provided);
    obb_map_free(&files->numbers);
    obb_map_free(&files->real);
    obb_map_free(&files->coming);
    obb_arena_free(files->arena);
    free(files);
}

obb_file obb_files_number(obb_files *files, const char *path)
{
    bool added;
    size_t length = strlen(path);
    obb_file n = obb_map_number(&files->numbers, path, length, &added);
    if (added) {
        files->numbers.at[n].key = obb_arena_copy(files->arena, path, length);
        obb_vec_push(&files->entries, (entry){.flags = 0});
    }
    return n;
}

const char *obb_files_path(const obb_files *files, obb_file file)
{
    return files->numbers.at[file].key;
}

bool obb_is_real_folder(const char *path)
{
    struct stat s;
    return lstat(path, &s) == 0 && S_ISDIR(s.st_mode);
}

bool obb_is_link(const char *path)
{
    struct stat s;
    return lstat(path, &s) == 0 && S_ISLNK(s.st_mode);
}

/* All folders above a file. */
static void note_coming(obb_files *files, obb_file file)
{
    const char *folder = obb_path_folder(files->arena, obb_files_path(files, file));
    while (strcmp(folder, ".") != 0 && !obb_map_put(&files->coming, folder, files))
        folder = obb_path_folder(files->arena, folder);
}

/* Whether nothing is there, and a file is going to be made below it: then its folder is, too, and no link. */
static bool will_be_folder(obb_files *files, const char *path)
{
    struct stat s;
    if (lstat(path, &s) == 0)
        return false;
    for (obb_file f = 0; f < files->entries.count && !files->knows_coming; f++)
        if (files->entries.at[f].flags & (PENDING | PROVIDED))
            note_coming(files, f);
    files->knows_coming = true;
    return obb_map_get(&files->coming, path) != NULL;
}

static bool note_real(void *self, const char *path)
{
    obb_files *files = self;
    if (obb_map_get(&files->real, path))
        return true;
    if (!obb_is_real_folder(path) && !will_be_folder(files, path))
        return false;
    char *copy = obb_arena_string(files->arena, path);
    obb_map_put(&files->real, copy, copy);
    return true;
}

char *obb_files_resolve(obb_files *files, obb_arena *arena, const char *folder, const char *path)
{
    return obb_path_join_by(arena, folder, path, note_real, files);
}

const obb_map *obb_files_real_folders(const obb_files *files)
{
    return &files->real;
}

size_t obb_files_count(const obb_files *files)
{
    return files->entries.count;
}

bool obb_stamp_of(const char *path, obb_stamp *stamp)
{
    struct stat s;
    if (stat(path, &s))
        return false;
    *stamp = (obb_stamp){
        .inode = (uint64_t)s.st_ino,
        .size = S_ISDIR(s.st_mode) ? 0 : (uint64_t)s.st_size,
        .modified = obb_modified_at(&s),
        .changed = obb_changed_at(&s),
        .kind = S_ISREG(s.st_mode)   ? OBB_KIND_FILE
                : S_ISDIR(s.st_mode) ? OBB_KIND_FOLDER
                                     : OBB_KIND_OTHER,
        .executable = (s.st_mode & S_IXUSR) != 0,
    };
    return true;
}

bool obb_stamp_same(const obb_stamp *a, const obb_stamp *b)
{
    return a->inode == b->inode && a->size == b->size && a->modified == b->modified &&
           a->changed == b->changed && a->kind == b->kind && a->executable == b->executable;
}

const obb_stamp *obb_files_stamp(obb_files *files, obb_file file)
{
    entry *e = &files->entries.at[file];
    if (!(e->flags & (LOOKED | FORGOTTEN)) && files->witness)
        files->witness(files->witness_self, files, file);
    if (!(e->flags & LOOKED)) {
        files->looks++;
        e->flags |= LOOKED;
        if (obb_stamp_of(obb_files_path(files, file), &e->stamp))
            e->flags |= THERE;
    }
    return e->flags & THERE ? &e->stamp : NULL;
}

bool obb_files_is_file(obb_files *files, obb_file file)
{
    const obb_stamp *s = obb_files_stamp(files, file);
    return obb_files_is_pending(files, file) || (s && s->kind != OBB_KIND_FOLDER);
}

void obb_files_mark_pending(obb_files *files, obb_file file)
{
    files->entries.at[file].flags |= PENDING;
    if (files->knows_coming)
        note_coming(files, file);
}

void obb_files_mark_absent(obb_files *files, obb_file file)
{
    obb_files_forget(files, file);
    files->entries.at[file].flags |= LOOKED;
}

bool obb_files_is_pending(const obb_files *files, obb_file file)
{
    return files->entries.at[file].flags & PENDING;
}

int64_t obb_now(void)
{
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    return (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
}

/* File systems step their clocks by up to 10 ms; those that step by 1 or 2 s show no
 * fractions. */
bool obb_stamp_settled(const obb_stamp *s, int64_t now)
{
    int64_t latest = s->modified > s->changed ? s->modified : s->changed;
    bool coarse = s->modified % 1000000000 == 0 && s->changed % 1000000000 == 0;
    return latest + (coarse ? 2100000000 : 20000000) < now;
}

obb_cached_stat obb_files_cached_stat(const obb_files *files, obb_file file)
{
    const entry *e = &files->entries.at[file];
    return (obb_cached_stat){
        .looked = e->flags & LOOKED,
        .hashed = e->flags & PRINTED,
        .trusted = e->flags & TRUSTED,
        .listed = e->flags & LISTED,
        .stamp = e->flags & THERE ? &e->stamp : NULL,
        .fingerprint = e->fingerprint,
    };
}

/* A fingerprint of contents that were read at the moment `now`. */
static void keep_fingerprint(entry *e, obb_fingerprint fingerprint, int64_t now)
{
    e->fingerprint = fingerprint;
    e->flags &= ~(unsigned)TRUSTED;
    e->flags |= PRINTED;
    if (obb_stamp_settled(&e->stamp, now))
        e->flags |= TRUSTED;
}

int obb_files_fingerprint(obb_files *files, obb_file file, obb_fingerprint *fingerprint)
{
    const obb_stamp *stamp = obb_files_stamp(files, file);
    entry *e = &files->entries.at[file];
    *fingerprint = OBB_NO_FINGERPRINT;
    if (e->flags & PENDING)
        return EAGAIN;
    if (!stamp)
        return ENOENT;
    if (!(e->flags & PRINTED)) {
        if (e->flags & RECALLED && obb_stamp_same(stamp, &e->recalled_stamp)) {
            e->fingerprint = e->recalled_fingerprint;
            e->flags |= TRUSTED | PRINTED;
        } else {
            obb_fingerprint read;
            int64_t now = obb_now();
            files->reads++;
            int failed = obb_fingerprint_file(obb_files_path(files, file), &read);
            if (failed)
                return failed;
            keep_fingerprint(e, read, now);
        }
    }
    *fingerprint = e->fingerprint;
    return 0;
}

int obb_files_read(obb_files *files, obb_file file, obb_text *text)
{
    const obb_stamp *stamp = obb_files_stamp(files, file);
    if (obb_files_is_pending(files, file))
        return EAGAIN;
    for (size_t i = 0; files->entries.at[file].flags & PROVIDED && i < files->provided.count; i++)
        if (files->provided.at[i].file == file) {
            obb_text_add(text, files->provided.at[i].bytes, files->provided.at[i].length);
            return 0;
        }
    int64_t now = obb_now();
    files->reads++;
    int failed = obb_file_read(obb_files_path(files, file), text);
    entry *e = &files->entries.at[file];
    if (!failed && stamp && !(e->flags & PRINTED))
        keep_fingerprint(e, obb_fingerprint_of_text(text->bytes, text->length, stamp->modified), now);
    return failed;
}

void obb_files_provide(obb_files *files, obb_file file, const char *bytes, size_t length)
{
    obb_fingerprint fingerprint, print_there;
    entry *e = &files->entries.at[file];
    fingerprint = obb_fingerprint_of(bytes, length);
    obb_files_forget(files, file);
    if (!obb_files_fingerprint(files, file, &print_there) && obb_fingerprint_same(fingerprint, print_there))
        return; /* it is there already */
    e->stamp = (obb_stamp){.kind = OBB_KIND_FILE, .size = length};
    e->fingerprint = fingerprint;
    e->flags = (e->flags & (RECALLED | LISTED)) | LOOKED | THERE | PRINTED | PROVIDED;
    obb_vec_push(&files->provided, (provided_text){file, bytes, length});
    if (files->knows_coming)
        note_coming(files, file);
}

void obb_files_forget(obb_files *files, obb_file file)
{
    entry *e = &files->entries.at[file];
    e->flags = (e->flags & (RECALLED | LISTED)) | FORGOTTEN;
}

void obb_files_forget_below(obb_files *files, const char *folder)
{
    for (obb_file f = 0; f < obb_files_count(files); f++)
        if (strcmp(obb_files_path(files, f), folder) == 0 ||
            obb_path_within(obb_files_path(files, f), folder)) {
            if (files->entries.at[f].names)
                obb_vec_free(files->entries.at[f].names);
            files->entries.at[f].names = NULL;
            files->entries.at[f].flags &= RECALLED;
        }
}

void obb_files_recall(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint)
{
    entry *e = &files->entries.at[file];
    e->recalled_stamp = stamp;
    e->recalled_fingerprint = fingerprint;
    e->flags |= RECALLED;
}

void obb_files_know(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint,
                    bool trusted)
{
    entry *e = &files->entries.at[file];
    if (e->flags & LOOKED)
        return;
    obb_files_recall(files, file, stamp, fingerprint);
    e->stamp = stamp;
    e->fingerprint = fingerprint;
    e->flags |= LOOKED | THERE | PRINTED | (trusted ? TRUSTED : 0);
}

void obb_files_know_stamp(obb_files *files, obb_file file, obb_stamp stamp, obb_fingerprint fingerprint)
{
    entry *e = &files->entries.at[file];
    obb_files_recall(files, file, stamp, fingerprint);
    e->stamp = stamp;
    e->flags |= LOOKED | THERE;
}

void obb_files_know_absent(obb_files *files, obb_file file)
{
    files->entries.at[file].flags |= LOOKED;
}

void obb_files_ask(obb_files *files, obb_files_witness *witness, void *self)
{
    files->witness = witness;
    files->witness_self = self;
}

bool obb_files_memory(const obb_files *files, obb_file file, obb_stamp *stamp,
                      obb_fingerprint *fingerprint, bool *news)
{
    const entry *e = &files->entries.at[file];
    const unsigned all = LOOKED | THERE | PRINTED | TRUSTED;
    if ((e->flags & all) != all)
        return false;
    *stamp = e->stamp;
    *fingerprint = e->fingerprint;
    *news = !(e->flags & RECALLED) || !obb_stamp_same(&e->stamp, &e->recalled_stamp) ||
            !obb_fingerprint_same(e->fingerprint, e->recalled_fingerprint);
    return true;
}

size_t obb_files_read_count(const obb_files *files)
{
    return files->reads;
}

size_t obb_files_stat_count(const obb_files *files)
{
    return files->looks;
}

static int by_name(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

const obb_words *obb_files_list(obb_files *files, obb_file folder)
{
    entry *e = &files->entries.at[folder];
    if (e->names)
        return e->names;
    obb_files_stamp(files, folder); /* before reading, so that a later change shows */
    obb_words *names = obb_arena_alloc(files->arena, sizeof *names);
    e->names = names;
    e->flags |= LISTED;
    if (files->hidden && strcmp(obb_files_path(files, folder), files->hidden) == 0)
        return names;
    DIR *dir = opendir(obb_files_path(files, folder));
    if (!dir)
        return names;
    for (struct dirent *d; (d = readdir(dir));)
        if (strcmp(d->d_name, ".") != 0 && strcmp(d->d_name, "..") != 0)
            obb_vec_push(names, obb_arena_string(files->arena, d->d_name));
    closedir(dir);
    if (names->count)
        qsort(names->at, names->count, sizeof *names->at, by_name);
    return names;
}

void obb_files_hide(obb_files *files, const char *folder, const char *mark)
{
    files->hidden = obb_arena_string(files->arena, folder);
    files->mark = mark;
}

static bool is_marked(obb_files *files, const char *folder)
{
    return files->mark && obb_files_is_file(files, obb_files_number(files, obb_path_join(files->arena, folder,
                                                                                         files->mark)));
}

/* `folder` stands for the parts already matched; `rest` are the parts still to match. */
static void expand(obb_files *files, const char *folder, const char *rest, obb_file_list *found)
{
    size_t n = strcspn(rest, "/");
    const char *next = rest[n] ? rest + n + 1 : NULL;
    char *part = obb_arena_copy(files->arena, rest, n);
    if (!obb_path_is_pattern(part)) {
        char *path = obb_path_join(files->arena, folder, part);
        obb_file file = obb_files_number(files, path);
        if (next)
            expand(files, path, next, found);
        else if (obb_files_is_file(files, file))
            obb_vec_push(found, file);
        return;
    }
    bool any_depth = strcmp(part, "**") == 0;
    if (any_depth && next)
        expand(files, folder, next, found);
    const obb_words *names = obb_files_list(files, obb_files_number(files, folder));
    for (size_t i = 0; i < names->count; i++) {
        const char *name = names->at[i];
        if (name[0] == '.' && part[0] != '.')
            continue;
        if (!any_depth && !obb_path_matches(part, name))
            continue;
        char *path = obb_path_join(files->arena, folder, name);
        obb_file file = obb_files_number(files, path);
        bool folder_below = any_depth && obb_is_real_folder(path);
        if ((folder_below || (next && !any_depth)) && is_marked(files, path))
            continue;
        if (folder_below)
            expand(files, path, rest, found);
        else if (any_depth ? !next && obb_files_is_file(files, file) : !next)
            obb_vec_push(found, file);
        else if (!any_depth && next)
            expand(files, path, next, found);
    }
}

void obb_files_expand(obb_files *files, const char *pattern, obb_file_list *found)
{
    if (pattern[0] == '/')
        expand(files, "/", pattern + 1, found);
    else
        expand(files, ".", pattern, found);
}

const char *obb_temporary_folder(void)
{
    const char *named = getenv("TMPDIR");
    return named && *named ? named : "/tmp";
}

const char *obb_user_folder(obb_arena *arena, const char *variable, const char *usual, const char *rest)
{
    const char *stated = getenv(variable), *home = getenv("HOME");
    if (stated && *stated == '/')
        return obb_path_join(arena, stated, rest);
    return home && *home == '/' ? obb_path_join(arena, obb_path_join(arena, home, usual), rest) : NULL;
}

int obb_file_read(const char *path, obb_text *text)
{
    return obb_file_read_from(path, 0, text);
}

int obb_file_read_from(const char *path, uint64_t from, obb_text *text)
{
    struct stat s;
    int fd = obb_open_regular(path, &s);
    if (fd < 0)
        return errno;
    char buffer[65536];
    ssize_t got = from && lseek(fd, (off_t)from, SEEK_SET) < 0 ? -1 : 0;
    const uint64_t size = s.st_size > 0 ? (uint64_t)s.st_size
                                        : UINT64_MAX; /* some are made when they are read */
    obb_text_add(text, "", 0);
    while (got >= 0 && from < size &&
           ((got = read(fd, buffer, sizeof buffer)) > 0 || (got < 0 && errno == EINTR))) {
        obb_text_add(text, buffer, got > 0 ? (size_t)got : 0);
        from += got > 0 ? (uint64_t)got : 0;
        got = 0;
    }
    int failed = got < 0 ? errno : 0;
    close(fd);
    return failed;
}

static int write_all(int fd, const char *bytes, size_t length)
{
    while (length) {
        ssize_t n = write(fd, bytes, length);
        if (n < 0 && errno != EINTR)
            return errno;
        if (n > 0) {
            bytes += n;
            length -= (size_t)n;
        }
    }
    return 0;
}

/* A new file beside `path`, which nobody can have made before; -1 with errno. */
static int open_new(const char *path, unsigned mode, obb_text *name)
{
    static _Atomic unsigned long serial;
    size_t folder = (size_t)(obb_path_name(path) - path);
    for (int attempt = 0; attempt < 100; attempt++) {
        struct timespec now;
        clock_gettime(CLOCK_REALTIME, &now);
        const struct {
            struct timespec now;
            long process;
            unsigned long serial;
            const void *place;
        } seed = {now, (long)getpid(), serial++, &now};
        obb_hasher *p = obb_hasher_new();
        obb_hasher_add(p, &seed.now, sizeof seed.now);
        obb_hasher_add(p, &seed.process, sizeof seed.process);
        obb_hasher_add(p, &seed.serial, sizeof seed.serial);
        obb_hasher_add(p, &seed.place, sizeof seed.place);
        name->length = 0;
        obb_text_format(name, "%.*s" OBB_NEW_PREFIX "%016llx", (int)folder, path,
                        (unsigned long long)obb_hasher_end(p).low);
        int fd = open(name->bytes, O_WRONLY | O_CREAT | O_EXCL | O_NOFOLLOW | O_CLOEXEC, mode);
        if (fd >= 0 || errno != EEXIST)
            return fd;
    }
    return -1;
}

static int finish_new(int fd, obb_text *name, const char *path, int failed)
{
    if (fd >= 0 && close(fd) && !failed)
        failed = errno;
    if (!failed && rename(name->bytes, path))
        failed = errno;
    if (failed && fd >= 0)
        unlink(name->bytes);
    obb_text_free(name);
    return failed;
}

int obb_file_replace(const char *path, const void *bytes, size_t length, unsigned mode)
{
    obb_text name = {0};
    int fd = open_new(path, mode, &name), failed = fd < 0 ? errno : write_all(fd, bytes, length);
    return finish_new(fd, &name, path, failed);
}

int obb_file_fill(const char *path, uint64_t count, unsigned char byte)
{
    enum { PIECE = 1 << 20 };
    obb_text name = {0};
    int fd = open_new(path, 0666, &name), failed = fd < 0 ? errno : 0;
    char *piece = obb_alloc(PIECE);
    memset(piece, byte, PIECE);
    if (!failed && count > INT64_MAX)
        failed = EFBIG;
    if (!failed && !byte && ftruncate(fd, (off_t)count))
        failed = errno;
    for (uint64_t left = byte ? count : 0; left && !failed;) {
        size_t n = left < PIECE ? (size_t)left : PIECE;
        failed = write_all(fd, piece, n);
        left -= n;
    }
    free(piece);
    return finish_new(fd, &name, path, failed);
}

int obb_file_write(const char *path, const void *bytes, size_t length, bool *same)
{
    obb_text now = {0};
    bool equal = !obb_is_link(path) && obb_file_read(path, &now) == 0 && now.length == length &&
                 memcmp(now.bytes, bytes, length) == 0;
    obb_text_free(&now);
    if (same)
        *same = equal;
    if (equal)
        return 0;
    int failed = obb_path_make_folders(path);
    return failed ? failed : obb_file_replace(path, bytes, length, 0666);
}
