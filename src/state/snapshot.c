/* The snapshot (snapshot.h): its form, the comparison with the disk, and writing it. The comparison divides
 * the entries among a few threads, which only read; what they learn is put together when all have ended. The
 * thread that calls `first` alone may use the snapshot meanwhile. */
#include "state/snapshot.h"

#include <dirent.h>
#include <fcntl.h>
#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/map.h"
#include "base/path.h"
#include "base/regular.h"
#include "base/system.h"

enum {
    NOTHING,
    STAMP,
    EXISTS,
    VERIFY,
    ABSENT,
    MOST_CHANGES = 1000,
    MOST_KEPT = 32,
    MOST_RECENT = 32,
    FEW_ABSENT = 3
};

static const uint32_t nowhere = UINT32_MAX; /* the place of a number without an entry */

typedef struct entry {
    obb_stamp stamp;
    obb_fingerprint fingerprint; /* of a folder: of the names in it; none when they are not to be compared */
    uint32_t number, path, kind;
    uint32_t source, real; /* 0 or 1; real: a folder that must be no symbolic link (obb_files_resolve) */
} entry;

typedef struct header {
    char magic[8];
    uint64_t seal, plan_seal;
    obb_fingerprint key;
    uint32_t count, text_length; /* of paths and message */
    uint32_t message;            /* where the message begins in the text */
    uint32_t next_number;
    uint64_t plan_length;        /* it begins at the next multiple of 8 */
} header;

struct obb_snapshot {
    char *path;
    header *header;
    size_t size;
    entry *entries;
    const uint32_t *places; /* by number */
    const char *text;
    struct stat opened;
    obb_file_list changes;
    bool plan_checked, plan_sound, saw_all;
    obb_map numbers;     /* by path; filled when first asked */
    obb_words new_paths; /* of numbers from next_number on */
    obb_arena *arena;
};

static const char magic[8] = "obbrdy4";

enum { SEALED_FROM = offsetof(header, key) };

static size_t text_offset(const header *h)
{
    return sizeof *h + h->count * sizeof(entry) + (size_t)h->next_number * sizeof(uint32_t);
}

static size_t plan_offset(const header *h)
{
    return (text_offset(h) + h->text_length + 7) / 8 * 8;
}

/* --- reading ------------------------------------------------------------------------ */

static bool well_formed(const header *h, size_t size, obb_fingerprint key)
{
    if (size < sizeof *h || memcmp(h->magic, magic, sizeof magic) != 0 || !h->text_length ||
        h->message >= h->text_length || !obb_fingerprint_same(h->key, key) ||
        plan_offset(h) + h->plan_length != size)
        return false;
    const char *text = (const char *)h + text_offset(h);
    return text[h->text_length - 1] == 0 &&
           obb_fingerprint_of((const char *)h + SEALED_FROM, plan_offset(h) - SEALED_FROM).low == h->seal;
}

static bool in_place(const obb_snapshot *r)
{
    for (uint32_t i = 0; i < r->header->count; i++)
        if (r->entries[i].path >= r->header->text_length || r->entries[i].number >= r->header->next_number ||
            r->places[r->entries[i].number] != i)
            return false;
    for (uint32_t n = 0; n < r->header->next_number; n++)
        if (r->places[n] != nowhere && r->places[n] >= r->header->count)
            return false;
    return true;
}

obb_snapshot *obb_snapshot_open(const char *path, obb_fingerprint key)
{
    struct stat s;
    int fd = obb_open_regular(path, &s);
    if (fd < 0)
        return NULL;
    bool any = s.st_size > 0;
    void *bytes = any ? mmap(NULL, (size_t)s.st_size, PROT_READ | PROT_WRITE, MAP_PRIVATE, fd, 0)
                      : MAP_FAILED;
    close(fd);
    if (bytes == MAP_FAILED)
        return NULL;
    obb_snapshot *r = obb_alloc(sizeof *r);
    r->header = bytes;
    r->size = (size_t)s.st_size;
    r->opened = s;
    r->arena = obb_arena_new();
    r->path = obb_arena_string(r->arena, path);
    if (well_formed(r->header, r->size, key)) {
        r->entries = (entry *)(void *)(r->header + 1);
        r->places = (const uint32_t *)(r->entries + r->header->count);
        r->text = (const char *)r->header + text_offset(r->header);
        if (in_place(r))
            return r;
    }
    obb_snapshot_close(r);
    return NULL;
}

void obb_snapshot_close(obb_snapshot *r)
{
    if (!r)
        return;
    munmap(r->header, r->size);
    obb_vec_free(&r->changes);
    obb_vec_free(&r->new_paths);
    obb_map_free(&r->numbers);
    obb_arena_free(r->arena);
    free(r);
}

const obb_file_list *obb_snapshot_changes(const obb_snapshot *r)
{
    return &r->changes;
}

const char *obb_snapshot_message(const obb_snapshot *r)
{
    return r->text + r->header->message;
}

size_t obb_snapshot_looks(const obb_snapshot *r)
{
    return r->header->count;
}

const void *obb_snapshot_plan(obb_snapshot *r, size_t *length)
{
    const char *plan = (const char *)r->header + plan_offset(r->header);
    *length = (size_t)r->header->plan_length;
    if (!r->plan_checked)
        r->plan_sound = *length && obb_fingerprint_of(plan, *length).low == r->header->plan_seal;
    r->plan_checked = true;
    return r->plan_sound ? plan : NULL;
}

bool obb_snapshot_is_current(const obb_snapshot *r)
{
    struct stat s;
    return stat(r->path, &s) == 0 && s.st_ino == r->opened.st_ino &&
           obb_changed_at(&s) == obb_changed_at(&r->opened);
}

static entry *entry_of(const obb_snapshot *r, obb_file kept)
{
    uint32_t place = kept < r->header->next_number ? r->places[kept] : nowhere;
    return place == nowhere ? NULL : &r->entries[place];
}

const char *obb_snapshot_path(const obb_snapshot *r, obb_file kept)
{
    if (kept >= r->header->next_number)
        return r->new_paths.at[kept - r->header->next_number];
    const entry *e = entry_of(r, kept);
    return e ? r->text + e->path : NULL;
}

bool obb_snapshot_knows(obb_snapshot *r, const char *path, obb_file *kept)
{
    uint32_t to_fill = r->numbers.count ? 0 : r->header->count;
    for (uint32_t i = 0; i < to_fill; i++)
        obb_map_put(&r->numbers, r->text + r->entries[i].path, &r->entries[i].number);
    const uint32_t *known = obb_map_get(&r->numbers, path);
    *kept = known ? *known : OBB_NO_FILE;
    return known != NULL;
}

bool obb_snapshot_counts_names(obb_snapshot *r, const char *folder)
{
    obb_file kept;
    const entry *e = obb_snapshot_knows(r, folder, &kept) ? entry_of(r, kept) : NULL;
    return e && e->kind == STAMP && e->stamp.kind == OBB_KIND_FOLDER;
}

bool obb_snapshot_is_text(const obb_snapshot *r, obb_file kept)
{
    const entry *e = entry_of(r, kept);
    return e && (e->kind == STAMP || e->kind == VERIFY) && e->stamp.kind == OBB_KIND_FILE && !e->real;
}

obb_file obb_snapshot_number(obb_snapshot *r, const char *path)
{
    obb_file kept;
    if (obb_snapshot_knows(r, path, &kept))
        return kept;
    uint32_t *number = obb_arena_alloc(r->arena, sizeof *number);
    char *copy = obb_arena_string(r->arena, path);
    *number = r->header->next_number + (uint32_t)r->new_paths.count;
    obb_vec_push(&r->new_paths, copy);
    obb_map_put(&r->numbers, copy, number);
    return *number;
}

static bool changed(const obb_snapshot *r, obb_file kept)
{
    for (size_t i = 0; i < r->changes.count; i++)
        if (r->changes.at[i] == kept)
            return true;
    return false;
}

obb_file obb_snapshot_tell(const obb_snapshot *r, obb_file kept, obb_files *files)
{
    obb_file file = obb_files_number(files, obb_snapshot_path(r, kept));
    const entry *e = entry_of(r, kept);
    if (e && e->stamp.kind == OBB_KIND_FILE && (e->kind == STAMP || e->kind == VERIFY) && !changed(r, kept))
        obb_files_know(files, file, e->stamp, e->fingerprint, e->kind == STAMP);
    return file;
}

void obb_snapshot_folders(const obb_snapshot *r, obb_arena *arena, obb_words *folders)
{
    obb_map seen = {0};
    for (uint32_t i = 0; i < r->header->count; i++) {
        const char *path = r->text + r->entries[i].path;
        const char *folder = r->entries[i].stamp.kind == OBB_KIND_FOLDER ? path
                                                                         : obb_path_folder(arena, path);
        if (!obb_map_put(&seen, folder, r->header))
            obb_arena_push(arena, folders, folder);
    }
    obb_map_free(&seen);
}

void obb_snapshot_link_folders(const obb_snapshot *r, obb_arena *arena, obb_words *folders)
{
    obb_map seen = {0};
    for (uint32_t i = 0; i < r->header->count; i++) {
        const char *path = r->text + r->entries[i].path;
        uv_fs_t request;
        bool leads = !obb_path_outside(path) && obb_is_link(path);
        const char *target = leads && uv_fs_realpath(NULL, &request, path, NULL) == 0 ? request.ptr : NULL;
        const char *folder = target ? r->entries[i].stamp.kind == OBB_KIND_FOLDER
                                          ? obb_arena_string(arena, target)
                                          : obb_path_folder(arena, target)
                                    : NULL;
        if (folder && !obb_map_put(&seen, folder, r->header))
            obb_arena_push(arena, folders, folder);
        if (leads)
            uv_fs_req_cleanup(&request);
    }
    obb_map_free(&seen);
}

/* --- comparing ---------------------------------------------------------------------- */

/* What kind of thing a name stands for. A link counts as one, and as what it leads to. */
static char kind_of(int folder, const char *name)
{
    struct stat s;
    bool there = fstatat(folder, name, &s, AT_SYMLINK_NOFOLLOW) == 0, link = there && S_ISLNK(s.st_mode);
    if (link)
        there = fstatat(folder, name, &s, 0) == 0;
    return (char)((link ? 'a' : 'A') + (!there ? 0 : S_ISREG(s.st_mode) ? 1 : S_ISDIR(s.st_mode) ? 2 : 3));
}

/* Of the names in a folder and of what kind they are, as long as its stamp is the one given; else none.
 * Folders outside the project are not listed: they change seldom, and some are large. */
static obb_fingerprint names_in(const char *path, const obb_stamp *stamp)
{
    obb_stamp after;
    uint64_t sum_high = 0, sum_low = 0; /* whatever order they come in */
    size_t count = 0;
    DIR *dir = obb_path_outside(path) ? NULL : opendir(path);
    if (!dir)
        return OBB_NO_FINGERPRINT;
    for (struct dirent *d; (d = readdir(dir)); count++) {
        const char named[2] = {kind_of(dirfd(dir), d->d_name), 0};
        obb_fingerprint one = obb_fingerprint_of(d->d_name, strlen(d->d_name));
        one.low += obb_fingerprint_of(named, sizeof named).low;
        sum_high += one.high;
        sum_low += one.low;
    }
    closedir(dir);
    if (!obb_stamp_of(path, &after) || !obb_stamp_same(&after, stamp))
        return OBB_NO_FINGERPRINT;
    return (obb_fingerprint){sum_high, sum_low ^ (uint64_t)count << 32 ^ 1};
}

/* Where a look takes less than some ten milliseconds, it is not worth taking processors from others; and
 * where it takes longer, more than a few only wait for each other. */
#ifndef OBB_MANY_ENTRIES /* the configuration that finds races lets helpers begin sooner */
#define OBB_MANY_ENTRIES 8000
#endif

enum { MOST_HELPERS = 3, SHARE = OBB_MANY_ENTRIES < 1000 ? 8 : 64 };

/* One comparison with the disk. Until it is over it changes nothing of what it compares, so that
 * `first` may use that. Several threads may take shares of the entries, in their order. */
typedef struct comparison {
    obb_snapshot *snapshot;
    void (*first)(void *self);
    void *self;
    uv_thread_t helpers[MOST_HELPERS], byproducts;
    size_t helper_count;
    bool is_beside; /* a thread runs `first` */
    uv_mutex_t lock; /* of all that follows */
    uint32_t next;   /* from here on nobody has taken the entries */
    obb_file_list changes;
    OBB_VEC(entry) calmed; /* with stamps that are enough from now on */
    bool unknown, restamped; /* restamped: a file has another stamp, and the contents it had */
} comparison;

static void calm(comparison *c, const entry *e, const obb_stamp *stamp, uint32_t kind)
{
    entry calmed = *e;
    calmed.stamp = *stamp;
    calmed.kind = kind;
    uv_mutex_lock(&c->lock);
    obb_vec_push(&c->calmed, calmed);
    c->restamped = c->restamped || (e->stamp.kind == OBB_KIND_FILE && !obb_stamp_same(stamp, &e->stamp));
    uv_mutex_unlock(&c->lock);
}

/* A folder in which something was written and taken away again, as editors do: what counts
 * are the names in it. */
static obb_snapshot_answer compare_folder(comparison *c, const entry *e, const char *path,
                                          const obb_stamp *stamp)
{
    int64_t moment = obb_now();
    obb_fingerprint names = obb_fingerprint_same(e->fingerprint, OBB_NO_FINGERPRINT) ? OBB_NO_FINGERPRINT
                                                                                     : names_in(path, stamp);
    if (stamp->kind != OBB_KIND_FOLDER || !names.low || !obb_fingerprint_same(names, e->fingerprint))
        return OBB_SNAPSHOT_UNKNOWN;
    if (obb_stamp_settled(stamp, moment))
        calm(c, e, stamp, e->kind);
    return OBB_SNAPSHOT_HOLDS;
}

static obb_snapshot_answer compare_contents(comparison *c, const entry *e, const char *path,
                                            const obb_stamp *stamp)
{
    obb_fingerprint fingerprint;
    obb_stamp after;
    int64_t moment = obb_now();
    if (stamp->kind != OBB_KIND_FILE || stamp->executable != e->stamp.executable)
        return OBB_SNAPSHOT_UNKNOWN;
    if (obb_fingerprint_file(path, &fingerprint) || !obb_fingerprint_same(fingerprint, e->fingerprint) ||
        !obb_stamp_of(path, &after) || !obb_stamp_same(stamp, &after))
        return OBB_SNAPSHOT_CHANGED;
    bool settled = obb_stamp_settled(stamp, moment);
    if (settled || !obb_stamp_same(stamp, &e->stamp))
        calm(c, e, stamp, settled ? STAMP : VERIFY);
    return OBB_SNAPSHOT_HOLDS;
}

static obb_snapshot_answer compare(comparison *c, const entry *e)
{
    obb_stamp stamp;
    const char *path = c->snapshot->text + e->path;
    bool contents = e->kind != EXISTS && e->stamp.kind == OBB_KIND_FILE;
    if (e->real && !obb_is_real_folder(path))
        return OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == NOTHING)
        return OBB_SNAPSHOT_HOLDS;
    if (e->kind == ABSENT)
        return obb_stamp_of(path, &stamp) ? OBB_SNAPSHOT_UNKNOWN : OBB_SNAPSHOT_HOLDS;
    if (!obb_stamp_of(path, &stamp))
        return contents ? OBB_SNAPSHOT_CHANGED : OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == EXISTS)
        return stamp.kind == e->stamp.kind ? OBB_SNAPSHOT_HOLDS : OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == STAMP && obb_stamp_same(&stamp, &e->stamp))
        return OBB_SNAPSHOT_HOLDS;
    return contents ? compare_contents(c, e, path, &stamp) : compare_folder(c, e, path, &stamp);
}

static void seal(header *h)
{
    h->seal = obb_fingerprint_of((const char *)h + SEALED_FROM, plan_offset(h) - SEALED_FROM).low;
}

static void begin_beside(comparison *c, obb_file changed);

static void note_answer(comparison *c, const entry *e, obb_snapshot_answer answer)
{
    uv_mutex_lock(&c->lock);
    bool first = answer == OBB_SNAPSHOT_CHANGED && !c->changes.count;
    if (answer == OBB_SNAPSHOT_CHANGED)
        obb_vec_push(&c->changes, e->number);
    c->unknown = c->unknown || answer == OBB_SNAPSHOT_UNKNOWN || c->changes.count > MOST_CHANGES;
    uv_mutex_unlock(&c->lock);
    if (first && c->first)
        begin_beside(c, e->number);
}

/* The next entries that this thread is to compare; false when there are none, or it is of no use. */
static bool take_share(comparison *c, uint32_t *from, uint32_t *to)
{
    uint32_t count = c->snapshot->header->count;
    uv_mutex_lock(&c->lock);
    *from = c->unknown ? count : c->next;
    *to = count - *from > SHARE ? *from + SHARE : count;
    c->next = *to;
    uv_mutex_unlock(&c->lock);
    return *from < count;
}

static void compare_shares(void *self)
{
    comparison *c = self;
    uint32_t from, to;
    while (take_share(c, &from, &to))
        for (uint32_t i = from; i < to; i++) {
            const entry *e = &c->snapshot->entries[i];
            obb_snapshot_answer answer = compare(c, e);
            if (answer != OBB_SNAPSHOT_HOLDS)
                note_answer(c, e, answer);
            if (answer == OBB_SNAPSHOT_UNKNOWN)
                return;
        }
}

/* A thread that is there already may as well help. */
static void go_beside(void *self)
{
    comparison *c = self;
    c->first(c->self);
    compare_shares(c);
}

static void begin_beside(comparison *c, obb_file changed)
{
    obb_vec_push(&c->snapshot->changes, changed);
    c->is_beside = obb_thread_begin(&c->byproducts, go_beside, c);
    if (!c->is_beside)
        c->first(c->self);
}

static void compare_all(comparison *c)
{
    size_t helpers = c->snapshot->header->count < OBB_MANY_ENTRIES ? 0 : uv_available_parallelism() - 1;
    while (c->helper_count < helpers && c->helper_count < MOST_HELPERS &&
           obb_thread_begin(&c->helpers[c->helper_count], compare_shares, c))
        c->helper_count++;
    compare_shares(c);
    for (size_t i = 0; i < c->helper_count; i++)
        uv_thread_join(&c->helpers[i]);
    if (c->is_beside) /* one of them may have begun it */
        uv_thread_join(&c->byproducts);
}

static int by_number(const void *a, const void *b)
{
    obb_file x = *(const obb_file *)a, y = *(const obb_file *)b;
    return x < y ? -1 : x > y;
}

obb_snapshot_answer obb_snapshot_check(obb_snapshot *r, void (*first)(void *self), void *self)
{
    comparison c = {.snapshot = r, .first = first, .self = self};
    if (uv_mutex_init(&c.lock))
        return OBB_SNAPSHOT_UNKNOWN;
    compare_all(&c);
    uv_mutex_destroy(&c.lock);
    for (size_t i = 0; i < c.calmed.count; i++)
        *entry_of(r, c.calmed.at[i].number) = c.calmed.at[i];
    if (!c.unknown && !c.changes.count && c.calmed.count &&
        obb_snapshot_is_current(r)) { /* stamps are enough from now on */
        seal(r->header);
        obb_file_write(r->path, r->header, r->size, NULL);
    }
    if (c.changes.count)
        qsort(c.changes.at, c.changes.count, sizeof *c.changes.at, by_number);
    obb_vec_free(&r->changes);
    obb_vec_free(&c.calmed);
    r->changes = c.changes;
    r->saw_all = !c.unknown && c.changes.count == 1 && !c.restamped;
    return c.unknown ? OBB_SNAPSHOT_UNKNOWN : c.changes.count ? OBB_SNAPSHOT_CHANGED : OBB_SNAPSHOT_HOLDS;
}

bool obb_snapshot_saw_all(const obb_snapshot *r)
{
    return r->saw_all;
}

void obb_snapshot_suppose(obb_snapshot *r, const obb_file_list *files)
{
    for (size_t i = 0; i < files->count; i++)
        obb_vec_push(&r->changes, files->at[i]);
}

/* --- keeping ------------------------------------------------------------------------ */

/* What is missing in a folder that exists: nothing appears there, or below it, without a change in the
 * folder. */
typedef struct absence {
    obb_file place, folder;
} absence;

typedef struct keeper {
    obb_files *files;
    obb_snapshot *before;      /* whose numbers count; NULL: those of `files` do */
    OBB_VEC(entry) entries; /* by number */
    obb_words paths;        /* by number */
    obb_arena *arena;
    int64_t since;
    OBB_VEC(absence) absences;
    OBB_VEC(uint32_t) absent_in; /* by file that is a folder: how many things are absent in it */
} keeper;

static entry *room_for(keeper *k, obb_file file)
{
    const char *path = obb_files_path(k->files, file);
    obb_file number = k->before ? obb_snapshot_number(k->before, path) : file;
    while (k->entries.count <= number) {
        obb_vec_push(&k->entries, (entry){.kind = NOTHING});
        obb_vec_push(&k->paths, NULL);
    }
    k->paths.at[number] = path;
    return &k->entries.at[number];
}

static bool keep_folder(keeper *k, obb_file folder)
{
    entry *e = room_for(k, folder);
    if (e->kind == STAMP)
        return true;
    const obb_stamp *s = obb_files_stamp(k->files, folder);
    if (!s || !obb_stamp_settled(s, k->since))
        return false;
    *e = (entry){.stamp = *s,
                 .kind = STAMP,
                 .fingerprint = names_in(obb_files_path(k->files, folder), s),
                 .real = e->real};
    return true;
}

static void keep_kind(keeper *k, obb_file file, const obb_stamp *stamp)
{
    entry *e = room_for(k, file);
    if (e->kind == NOTHING || e->kind == ABSENT)
        *e = (entry){.stamp = *stamp, .kind = EXISTS, .real = e->real};
}

static void keep_absent(keeper *k, obb_file place)
{
    entry *e = room_for(k, place);
    *e = (entry){.kind = ABSENT, .real = e->real};
}

/* Notes where something may appear. What depends on a link that leads nowhere appears when its target does.
 */
static bool keep_absence(keeper *k, obb_file file)
{
    const char *path = obb_files_path(k->files, file);
    room_for(k, file)->kind = NOTHING;
    for (obb_file at = file, missing;;) {
        if (obb_is_link(path)) {
            keep_absent(k, at);
            return true;
        }
        if (strcmp(path, ".") == 0 || strcmp(path, "/") == 0)
            return false;
        path = obb_path_folder(k->arena, path);
        missing = at;
        at = obb_files_number(k->files, path);
        const obb_stamp *s = obb_files_stamp(k->files, at);
        if (!s)
            continue;
        if (s->kind != OBB_KIND_FOLDER) { /* it may become a folder */
            keep_kind(k, at, s);
            return true;
        }
        while (k->absent_in.count <= at)
            obb_vec_push(&k->absent_in, 0);
        k->absent_in.at[at]++;
        obb_vec_push(&k->absences, (absence){missing, at});
        return true;
    }
}

/* Few absences in a folder are looked at one by one, more by the folder, which is looked at anyway when its
 * names count. */
static void keep_absences(keeper *k)
{
    for (size_t i = 0; i < k->absences.count; i++) {
        const absence *a = &k->absences.at[i];
        const entry *e = room_for(k, a->folder);
        if (e->kind == STAMP && e->stamp.kind == OBB_KIND_FOLDER)
            continue;
        if (k->absent_in.at[a->folder] <= FEW_ABSENT || !keep_folder(k, a->folder))
            keep_absent(k, a->place);
    }
}

static void keep_real_folders(keeper *k)
{
    const obb_map *real = obb_files_real_folders(k->files);
    for (size_t i = 0; i < real->count; i++)
        room_for(k, obb_files_number(k->files, real->at[i].key))->real = 1;
}

static bool keep_file(keeper *k, obb_file file)
{
    obb_cached_stat look = obb_files_cached_stat(k->files, file);
    if (!look.looked)
        return true;
    if (!look.stamp)
        return keep_absence(k, file);
    if (look.listed && !keep_folder(k, file))
        return false;
    entry *e = room_for(k, file);
    if (look.stamp->kind == OBB_KIND_FOLDER && e->kind == STAMP && e->stamp.kind == OBB_KIND_FOLDER)
        return true;
    if (look.stamp->kind == OBB_KIND_FOLDER || !look.hashed)
        *e = e->kind == STAMP || e->kind == VERIFY
                 ? *e
                 : (entry){.stamp = *look.stamp, .kind = EXISTS, .real = e->real};
    else
        *e = (entry){.stamp = *look.stamp,
                     .fingerprint = look.fingerprint,
                     .kind = look.trusted ? STAMP : VERIFY,
                     .real = e->real};
    return true;
}

/* Numbers of files that people edited last: of the project, and not made here. How many. */
static size_t find_recent(const keeper *k, const char *out, uint32_t recent[MOST_RECENT])
{
    size_t count = 0;
    for (uint32_t n = 0; n < k->entries.count; n++) {
        const entry *e = &k->entries.at[n];
        bool file = (e->kind == STAMP || e->kind == VERIFY) && e->stamp.kind == OBB_KIND_FILE;
        bool full = count == MOST_RECENT;
        if (!file || (full && k->entries.at[recent[count - 1]].stamp.changed >= e->stamp.changed) ||
            obb_path_outside(k->paths.at[n]) || obb_path_within(k->paths.at[n], out))
            continue;
        count += !full;
        size_t at = count - 1;
        for (; at && k->entries.at[recent[at - 1]].stamp.changed < e->stamp.changed; at--)
            recent[at] = recent[at - 1];
        recent[at] = n;
    }
    return count;
}

/* One more entry, unless it has its place. */
static void place(const keeper *k, uint32_t number, header *h, uint32_t *places, obb_text *entries,
                  obb_text *text)
{
    entry *e = &k->entries.at[number];
    if ((e->kind == NOTHING && !e->real) || places[number] != nowhere)
        return;
    places[number] = h->count++;
    e->number = number;
    e->path = (uint32_t)text->length;
    obb_text_add(text, k->paths.at[number], strlen(k->paths.at[number]) + 1);
    obb_text_add(entries, e, sizeof *e);
}

static void write_down(keeper *k, const char *path, obb_fingerprint key, const obb_snapshot_extra *extra)
{
    header h = {.key = key, .next_number = (uint32_t)k->entries.count, .plan_length = extra->plan_length};
    obb_text all = {0}, text = {0};
    uint32_t recent[MOST_RECENT], *places = obb_arena_alloc(k->arena, (h.next_number + 1) * sizeof *places);
    size_t recent_count = find_recent(k, obb_path_folder(k->arena, obb_path_folder(k->arena, path)), recent);
    memset(places, 0xff, h.next_number * sizeof *places);
    memcpy(h.magic, magic, sizeof magic);
    obb_text_add(&all, &h, sizeof h);
    for (size_t i = 0; i < recent_count; i++)
        place(k, recent[i], &h, places, &all, &text);
    for (uint32_t n = 0; n < h.next_number; n++)
        if (k->entries.at[n].source)
            place(k, n, &h, places, &all, &text);
    for (uint32_t n = 0; n < h.next_number; n++)
        place(k, n, &h, places, &all, &text);
    obb_text_add(&all, places, h.next_number * sizeof *places);
    h.message = (uint32_t)text.length;
    obb_text_add(&text, extra->message, strlen(extra->message) + 1);
    h.text_length = (uint32_t)text.length;
    h.plan_seal = extra->plan_length ? obb_fingerprint_of(extra->plan, extra->plan_length).low : 0;
    obb_text_add(&all, text.bytes, text.length);
    while (all.length < plan_offset(&h))
        obb_text_char(&all, 0);
    if (extra->plan_length)
        obb_text_add(&all, extra->plan, extra->plan_length);
    memcpy(all.bytes, &h, sizeof h);
    seal((header *)(void *)all.bytes);
    obb_file_write(path, all.bytes, all.length, NULL);
    obb_text_free(&all);
    obb_text_free(&text);
}

static void keep(keeper *k, const char *path, obb_fingerprint key, const obb_snapshot_extra *extra)
{
    bool good = true;
    size_t count = obb_files_count(k->files);
    k->arena = obb_arena_new();
    for (obb_file f = 0; good && f < count; f++)
        good = keep_file(k, f);
    keep_absences(k);
    keep_real_folders(k);
    for (size_t i = 0; extra->sources && i < extra->sources->count; i++)
        room_for(k, extra->sources->at[i])->source = 1;
    if (good)
        write_down(k, path, key, extra);
    else
        unlink(path);
    obb_vec_free(&k->entries);
    obb_vec_free(&k->paths);
    obb_vec_free(&k->absences);
    obb_vec_free(&k->absent_in);
    obb_arena_free(k->arena);
}

typedef struct aged {
    const char *path;
    int64_t modified; /* nanoseconds since 1970 */
} aged;

static int newest_first(const void *a, const void *b)
{
    int64_t x = ((const aged *)a)->modified, y = ((const aged *)b)->modified;
    return (x < y) - (x > y);
}

/* Questions that were asked once, and those of former versions, go in the end. */
static void remove_oldest(const char *path)
{
    obb_arena *arena = obb_arena_new();
    OBB_VEC(aged) all = {0};
    const char *folder = obb_path_folder(arena, path);
    struct stat s;
    DIR *dir = opendir(folder);
    for (struct dirent *d; dir && (d = readdir(dir));) {
        const char *one = obb_arena_format(arena, "%s/%s", folder, d->d_name);
        if (strncmp(d->d_name, OBB_SNAPSHOT_PREFIX, strlen(OBB_SNAPSHOT_PREFIX)) == 0 && stat(one, &s) == 0)
            obb_arena_push(arena, &all, (aged){one, obb_modified_at(&s)});
    }
    if (dir)
        closedir(dir);
    if (all.count > MOST_KEPT)
        qsort(all.at, all.count, sizeof *all.at, newest_first);
    for (size_t i = MOST_KEPT; i < all.count; i++)
        unlink(all.at[i].path);
    obb_arena_free(arena);
}

void obb_snapshot_write(const char *path, obb_fingerprint key, obb_files *files, int64_t since,
                        const obb_snapshot_extra *extra)
{
    keeper k = {.files = files, .since = since};
    keep(&k, path, key, extra);
    remove_oldest(path);
}

void obb_snapshot_renew(obb_snapshot *r, obb_files *files, int64_t since, const obb_snapshot_extra *extra)
{
    keeper k = {.files = files, .since = since, .before = r};
    obb_vec_room(&k.entries, r->header->next_number + r->new_paths.count + 1);
    obb_vec_room(&k.paths, r->header->next_number + r->new_paths.count + 1);
    k.entries.count = k.paths.count = r->header->next_number;
    for (uint32_t i = 0; i < r->header->count; i++) {
        k.entries.at[r->entries[i].number] = r->entries[i];
        k.paths.at[r->entries[i].number] = r->text + r->entries[i].path;
    }
    keep(&k, r->path, r->header->key, extra);
}
