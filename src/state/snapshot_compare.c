/* Comparing a snapshot with the disk (snapshot.h). The entries are divided among a few threads, which only
 * read; what they learn is put together when all have ended. The thread that calls `first` alone may use the
 * snapshot meanwhile. */
#include "state/snapshot_form.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "base/system.h"

enum { MOST_CHANGES = 1000, MOST_MOVED = 4 };

/* What kind of thing an entry of a folder is. A link counts as one, and as what it leads to. */
static char kind_of(int folder, const struct dirent *entry)
{
    struct stat s = {.st_mode = obb_entry_type(entry)};
    bool there = s.st_mode || fstatat(folder, entry->d_name, &s, AT_SYMLINK_NOFOLLOW) == 0,
         link = there && S_ISLNK(s.st_mode);
    if (link)
        there = fstatat(folder, entry->d_name, &s, 0) == 0;
    return (char)((link ? 'a' : 'A') + (!there ? 0 : S_ISREG(s.st_mode) ? 1 : S_ISDIR(s.st_mode) ? 2 : 3));
}

/* The sums of obb_snapshot_names_in, before they become one. */
typedef struct name_sums {
    uint64_t high, low;
    size_t count;
} name_sums;

static obb_fingerprint print_of(const name_sums *s)
{
    return (obb_fingerprint){s->high, s->low ^ (uint64_t)s->count << 32 ^ 1};
}

static obb_fingerprint name_print(const char *name, char kind)
{
    const char named[2] = {kind, 0};
    obb_fingerprint one = obb_fingerprint_of(name, strlen(name));
    one.low += obb_fingerprint_of(named, sizeof named).low;
    return one;
}

/* The one name without which the names in a folder are those before: a file that is new. The sums tell it,
 * since each name adds its own. NULL: there is more to it. */
static char *added_name(const char *folder, const name_sums *now, obb_fingerprint before)
{
    DIR *dir = opendir(folder);
    char *found = NULL;
    if (!dir)
        return NULL;
    for (struct dirent *d; !found && (d = readdir(dir));) {
        char kind = kind_of(dirfd(dir), d);
        obb_fingerprint one = name_print(d->d_name, kind);
        const name_sums rest = {now->high - one.high, now->low - one.low, now->count - 1};
        if (kind == 'B' && obb_fingerprint_same(print_of(&rest), before)) {
            obb_text path = {0};
            obb_text_format(&path, "%s%s%s", strcmp(folder, ".") == 0 ? "" : folder,
                            strcmp(folder, ".") == 0 ? "" : "/", d->d_name);
            found = path.bytes;
        }
    }
    closedir(dir);
    return found;
}

/* The sums of the names in a folder, as long as its stamp is the one given; false otherwise. */
static bool sum_names(const char *path, const obb_stamp *stamp, name_sums *sums)
{
    obb_stamp after;
    DIR *dir = obb_path_outside(path) ? NULL : opendir(path);
    *sums = (name_sums){0}; /* whatever order they come in */
    if (!dir)
        return false;
    for (struct dirent *d; (d = readdir(dir)); sums->count++) {
        obb_fingerprint one = name_print(d->d_name, kind_of(dirfd(dir), d));
        sums->high += one.high;
        sums->low += one.low;
    }
    closedir(dir);
    return obb_stamp_of(path, &after) && obb_stamp_same(&after, stamp);
}

/* Of the names in a folder and of what kind they are, as long as its stamp is the one given; else none.
 * Folders outside the project are not listed: they change seldom, and some are large. */
obb_fingerprint obb_snapshot_names_in(const char *path, const obb_stamp *stamp)
{
    name_sums sums;
    return sum_names(path, stamp, &sums) ? print_of(&sums) : OBB_NO_FINGERPRINT;
}

/* A comparison of less than ten milliseconds is not worth other processors; for a longer one, more than a few
 * threads would only wait for each other. */
#ifndef OBB_MANY_ENTRIES /* the configuration for race detection starts helpers sooner */
#define OBB_MANY_ENTRIES 8000
#endif

enum { MOST_HELPERS = 3, SHARE = OBB_MANY_ENTRIES < 8000 ? 8 : 64 };

/* One comparison with the disk. Until it is over it changes nothing of what it compares, so that
 * `first` may use that. Several threads may take shares of the entries, in their order. */
typedef struct comparison {
    obb_snapshot *snapshot;
    void (*first)(void *self);
    void *self;
    uv_thread_t helpers[MOST_HELPERS], byproducts;
    size_t helper_count;
    bool is_busy;    /* each processor has a thread that compares: one more would take turns with them */
    bool is_beside;  /* a thread runs `first` */
    uv_mutex_t lock; /* of all that follows */
    bool is_begun;   /* `first` was called */
    uint32_t next;   /* the first entry that no thread has taken */
    obb_file_list changes;
    OBB_VEC(obb_moved_file) moved;
    OBB_VEC(obb_snapshot_entry) calmed; /* with stamps that are enough from now on */
    bool unknown, restamped; /* restamped: a file has another stamp, and the contents it had */
} comparison;

/* The names of regular files in a folder that were read and are gone, in the order of the entries: at most
 * MOST_MOVED, or one more when there are more. */
static void list_gone(const obb_snapshot *s, const char *folder, obb_arena *arena, obb_words *names)
{
    size_t n = strcmp(folder, ".") == 0 ? 0 : strlen(folder) + 1;
    obb_map present = {0};
    DIR *dir = opendir(folder);
    for (struct dirent *d; dir && (d = readdir(dir));)
        obb_map_put(&present, obb_arena_string(arena, d->d_name), arena);
    for (uint32_t i = 0; dir && i < s->header->count && names->count <= MOST_MOVED; i++) {
        const obb_snapshot_entry *e = &s->entries[i];
        const char *path = s->text + e->path;
        if ((e->kind == OBB_ENTRY_STAMP || e->kind == OBB_ENTRY_VERIFY) && e->stamp.kind == OBB_KIND_FILE &&
            (!n || (strncmp(path, folder, n - 1) == 0 && path[n - 1] == '/')) && !strchr(path + n, '/') &&
            !obb_map_get(&present, path + n))
            obb_arena_push(arena, names, path + n);
    }
    if (dir)
        closedir(dir);
    obb_map_free(&present);
}

/* Of the files that are gone, and one that is new under a name that nothing looked for. False: the names
 * differ by more than that. */
static bool name_moved(const obb_snapshot *s, const obb_snapshot_entry *e, const name_sums *sums,
                       const obb_words *gone, char **added)
{
    name_sums rest = *sums;
    for (size_t i = 0; i < gone->count; i++, rest.count++) {
        obb_fingerprint one = name_print(gone->at[i], 'B');
        rest.high += one.high;
        rest.low += one.low;
    }
    if (gone->count > MOST_MOVED || obb_fingerprint_same(print_of(&rest), e->fingerprint))
        return gone->count <= MOST_MOVED;
    *added = added_name(s->text + e->path, &rest, e->fingerprint);
    return *added && !obb_snapshot_is_absent(s, *added);
}

static void begin_beside(comparison *c);

/* Whether `first` is still to be called, for what was found just now. */
static bool is_first(comparison *c)
{
    uv_mutex_lock(&c->lock);
    bool first = c->first && !c->is_begun;
    c->is_begun = true;
    uv_mutex_unlock(&c->lock);
    return first;
}

/* Notes which files of a folder are gone or new. False: it may be more than that, or nothing known. */
static bool note_moved(comparison *c, const obb_snapshot_entry *e, const obb_stamp *stamp,
                       const name_sums *sums)
{
    const char *folder = c->snapshot->text + e->path;
    obb_moved_file moved = {.folder = e->number, .stamp = *stamp, .names = print_of(sums)};
    obb_arena *arena = obb_arena_new();
    obb_words gone = {0};
    list_gone(c->snapshot, folder, arena, &gone);
    bool good = name_moved(c->snapshot, e, sums, &gone, &moved.path);
    uv_mutex_lock(&c->lock);
    good = good && c->moved.count + gone.count < MOST_MOVED;
    if (good && moved.path)
        obb_vec_push(&c->moved, moved);
    else
        free(moved.path);
    moved.gone = true;
    for (size_t i = 0; good && i < gone.count; i++) {
        obb_text path = {0};
        obb_text_string(&path, obb_path_join(arena, folder, gone.at[i]));
        moved.path = path.bytes;
        obb_vec_push(&c->moved, moved);
    }
    uv_mutex_unlock(&c->lock);
    obb_arena_free(arena);
    if (good && c->snapshot->header->count >= OBB_MANY_ENTRIES && is_first(c)) /* else not worth a thread */
        begin_beside(c);
    return good;
}

static void calm(comparison *c, const obb_snapshot_entry *e, const obb_stamp *stamp, uint32_t kind)
{
    obb_snapshot_entry calmed = *e;
    calmed.stamp = *stamp;
    calmed.kind = kind;
    uv_mutex_lock(&c->lock);
    obb_vec_push(&c->calmed, calmed);
    c->restamped = c->restamped || (e->stamp.kind == OBB_KIND_FILE && !obb_stamp_same(stamp, &e->stamp));
    uv_mutex_unlock(&c->lock);
}

/* A folder in which a file was created and removed again, as editors do: only the names in it count. */
static obb_snapshot_answer compare_folder(comparison *c, const obb_snapshot_entry *e, const char *path,
                                          const obb_stamp *stamp)
{
    int64_t moment = obb_now();
    name_sums sums;
    if (stamp->kind != OBB_KIND_FOLDER || obb_fingerprint_same(e->fingerprint, OBB_NO_FINGERPRINT) ||
        !sum_names(path, stamp, &sums))
        return OBB_SNAPSHOT_UNKNOWN;
    if (!obb_fingerprint_same(print_of(&sums), e->fingerprint))
        return note_moved(c, e, stamp, &sums) ? OBB_SNAPSHOT_HOLDS : OBB_SNAPSHOT_UNKNOWN;
    if (obb_stamp_settled(stamp, moment))
        calm(c, e, stamp, e->kind);
    return OBB_SNAPSHOT_HOLDS;
}

static obb_snapshot_answer compare_contents(comparison *c, const obb_snapshot_entry *e, const char *path,
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
        calm(c, e, stamp, settled ? OBB_ENTRY_STAMP : OBB_ENTRY_VERIFY);
    return OBB_SNAPSHOT_HOLDS;
}

static obb_snapshot_answer compare(comparison *c, const obb_snapshot_entry *e)
{
    obb_stamp stamp;
    const char *path = c->snapshot->text + e->path;
    bool contents = e->kind != OBB_ENTRY_EXISTS && e->stamp.kind == OBB_KIND_FILE;
    if (e->real && !obb_is_real_folder(path))
        return OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == OBB_ENTRY_NOTHING)
        return OBB_SNAPSHOT_HOLDS;
    if (e->kind == OBB_ENTRY_ABSENT)
        return obb_stamp_of(path, &stamp) ? OBB_SNAPSHOT_UNKNOWN : OBB_SNAPSHOT_HOLDS;
    if (!obb_stamp_of(path, &stamp))
        return contents ? OBB_SNAPSHOT_CHANGED : OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == OBB_ENTRY_EXISTS)
        return stamp.kind == e->stamp.kind ? OBB_SNAPSHOT_HOLDS : OBB_SNAPSHOT_UNKNOWN;
    if (e->kind == OBB_ENTRY_STAMP && obb_stamp_same(&stamp, &e->stamp))
        return OBB_SNAPSHOT_HOLDS;
    return contents ? compare_contents(c, e, path, &stamp) : compare_folder(c, e, path, &stamp);
}

void obb_snapshot_seal(obb_snapshot_header *h)
{
    h->seal = obb_fingerprint_of((const char *)h + OBB_SNAPSHOT_SEALED_FROM,
                                 obb_snapshot_plan_offset(h) - OBB_SNAPSHOT_SEALED_FROM)
                  .low;
}

static void note_answer(comparison *c, const obb_snapshot_entry *e, obb_snapshot_answer answer)
{
    uv_mutex_lock(&c->lock);
    if (answer == OBB_SNAPSHOT_CHANGED)
        obb_vec_push(&c->changes, e->number);
    c->unknown = c->unknown || answer == OBB_SNAPSHOT_UNKNOWN || c->changes.count > MOST_CHANGES;
    uv_mutex_unlock(&c->lock);
    if (answer == OBB_SNAPSHOT_CHANGED && is_first(c)) {
        obb_vec_push(&c->snapshot->changes, e->number);
        begin_beside(c);
    }
}

/* The next entries for this thread to compare; false when there are none, or the result is known. */
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
            const obb_snapshot_entry *e = &c->snapshot->entries[i];
            obb_snapshot_answer answer = compare(c, e);
            if (answer != OBB_SNAPSHOT_HOLDS)
                note_answer(c, e, answer);
            if (answer == OBB_SNAPSHOT_UNKNOWN)
                return;
        }
}

/* A thread that already exists helps as well. */
static void go_beside(void *self)
{
    comparison *c = self;
    c->first(c->self);
    compare_shares(c);
}

static void begin_beside(comparison *c)
{
    c->is_beside = !c->is_busy && obb_thread_begin(&c->byproducts, go_beside, c);
    if (!c->is_beside)
        c->first(c->self);
}

static void compare_all(comparison *c)
{
    size_t idle = uv_available_parallelism() - 1;
    size_t helpers = c->snapshot->header->count < OBB_MANY_ENTRIES ? 0
                     : idle < MOST_HELPERS                         ? idle
                                                                   : MOST_HELPERS;
    c->is_busy = helpers == idle;
    while (c->helper_count < helpers && obb_thread_begin(&c->helpers[c->helper_count], compare_shares, c))
        c->helper_count++;
    compare_shares(c);
    for (size_t i = 0; i < c->helper_count; i++)
        uv_thread_join(&c->helpers[i]);
    if (c->is_beside) /* a helper may have begun it */
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
        *obb_snapshot_entry_of(r, c.calmed.at[i].number) = c.calmed.at[i];
    if (!c.unknown && !c.changes.count && !c.moved.count && c.calmed.count &&
        obb_snapshot_is_current(r)) { /* stamps are enough from now on */
        obb_snapshot_seal(r->header);
        obb_file_write(r->path, r->header, r->size, NULL);
    }
    if (c.changes.count)
        qsort(c.changes.at, c.changes.count, sizeof *c.changes.at, by_number);
    obb_vec_free(&r->changes);
    obb_vec_free(&c.calmed);
    r->changes = c.changes;
    for (size_t i = 0; i < c.moved.count; i++)
        obb_vec_push(&r->moved, c.moved.at[i]);
    r->saw_all = !c.unknown && c.changes.count == 1 && !c.moved.count && !c.restamped;
    obb_vec_free(&c.moved);
    return c.unknown                                ? OBB_SNAPSHOT_UNKNOWN
           : c.changes.count || r->moved.count ? OBB_SNAPSHOT_CHANGED
                                                    : OBB_SNAPSHOT_HOLDS;
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
