/* Writing a snapshot, new or renewed (snapshot.h): the entries in the order in which they will be compared.
 * Nothing is kept of a build during which a file or folder changed too late for its stamp to tell. */
#include "state/snapshot_form.h"

#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/system.h"

enum { MOST_KEPT = 32, MOST_RECENT = 32, FEW_ABSENT = 3 };

/* For what is missing in a folder that exists: nothing appears there, or below it, without a change in the
 * folder. */
typedef struct absence {
    obb_file place, folder;
} absence;

typedef struct keeper {
    obb_files *files;
    obb_snapshot *before;      /* whose numbers count; NULL: those of `files` do */
    OBB_VEC(obb_snapshot_entry) entries; /* by number */
    obb_words paths;        /* by number */
    obb_arena *arena;
    int64_t since;
    OBB_VEC(absence) absences;
    OBB_VEC(bool) noted;      /* by file: whether it is known to be missing */
    OBB_VEC(uint64_t) absent; /* marks of all of these places, and of those before */
    OBB_VEC(uint32_t) absent_in; /* by file that is a folder: how many things are absent in it */
} keeper;

static obb_snapshot_entry *room_for(keeper *k, obb_file file)
{
    const char *path = obb_files_path(k->files, file);
    obb_file number = k->before ? obb_snapshot_number(k->before, path) : file;
    while (k->entries.count <= number) {
        obb_vec_push(&k->entries, (obb_snapshot_entry){.kind = OBB_ENTRY_NOTHING});
        obb_vec_push(&k->paths, NULL);
    }
    k->paths.at[number] = path;
    return &k->entries.at[number];
}

/* Where it has a number. A place that is only missing gets none: numbers stay from renewal to renewal, and
 * the places of each would pile up. */
static void forget_entry(keeper *k, obb_file file)
{
    obb_file number = file;
    if (k->before && !obb_snapshot_knows(k->before, obb_files_path(k->files, file), &number))
        return;
    if (number < k->entries.count)
        k->entries.at[number].kind = OBB_ENTRY_NOTHING;
}

static bool keep_folder(keeper *k, obb_file folder)
{
    obb_snapshot_entry *e = room_for(k, folder);
    if (e->kind == OBB_ENTRY_STAMP)
        return true;
    const obb_stamp *s = obb_files_stamp(k->files, folder);
    if (!s || !obb_stamp_settled(s, k->since))
        return false;
    *e = (obb_snapshot_entry){.stamp = *s,
                 .kind = OBB_ENTRY_STAMP,
                 .fingerprint = obb_snapshot_names_in(obb_files_path(k->files, folder), s),
                 .real = e->real};
    return true;
}

static void keep_kind(keeper *k, obb_file file, const obb_stamp *stamp)
{
    obb_snapshot_entry *e = room_for(k, file);
    if (e->kind == OBB_ENTRY_NOTHING || e->kind == OBB_ENTRY_ABSENT)
        *e = (obb_snapshot_entry){.stamp = *stamp, .kind = OBB_ENTRY_EXISTS, .real = e->real};
}

static void keep_absent(keeper *k, obb_file place)
{
    obb_snapshot_entry *e = room_for(k, place);
    *e = (obb_snapshot_entry){.kind = OBB_ENTRY_ABSENT, .real = e->real};
}

/* Whether the snapshot before tells already when something appears at a place. */
static bool is_kept_absent(const keeper *k, obb_file file, const char *place)
{
    obb_file number;
    if (!k->before || !obb_snapshot_is_absent(k->before, place))
        return false;
    return !obb_snapshot_knows(k->before, obb_files_path(k->files, file), &number) ||
           number >= k->entries.count || k->entries.at[number].kind == OBB_ENTRY_NOTHING ||
           k->entries.at[number].kind == OBB_ENTRY_ABSENT;
}

/* Notes where something may appear: the topmost folder that is missing on the way to it, or itself. What
 * depends on a link that leads nowhere appears when its target does. */
static bool keep_absence(keeper *k, obb_file file)
{
    const char *path = obb_files_path(k->files, file), *place;
    obb_file at = file, missing;
    const obb_stamp *s;
    do {
        if (strcmp(path, ".") == 0 || strcmp(path, "/") == 0)
            return false;
        place = path;
        missing = at;
        path = obb_path_folder(k->arena, path);
        at = obb_files_number(k->files, path);
        s = obb_files_stamp(k->files, at);
    } while (!s);
    if (is_kept_absent(k, file, place))
        return true;
    forget_entry(k, file);
    while (k->noted.count <= missing)
        obb_vec_push(&k->noted, false);
    if (k->noted.at[missing])
        return true;
    k->noted.at[missing] = true;
    if (obb_is_link(place)) {
        keep_absent(k, missing);
    } else if (s->kind != OBB_KIND_FOLDER) { /* it may become a folder */
        keep_kind(k, at, s);
    } else {
        while (k->absent_in.count <= at)
            obb_vec_push(&k->absent_in, 0);
        k->absent_in.at[at]++;
        obb_vec_push(&k->absences, (absence){missing, at});
    }
    return true;
}

/* Few absences in a folder are looked at one by one, more by the folder, which is looked at anyway when its
 * names count. */
static void keep_absences(keeper *k)
{
    for (size_t i = 0; i < k->absences.count; i++) {
        const absence *a = &k->absences.at[i];
        obb_vec_push(&k->absent, obb_snapshot_absent_mark(obb_files_path(k->files, a->place)));
        const obb_snapshot_entry *e = room_for(k, a->folder);
        if (e->kind == OBB_ENTRY_STAMP && e->stamp.kind == OBB_KIND_FOLDER)
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
    obb_snapshot_entry *e = room_for(k, file);
    if (look.stamp->kind == OBB_KIND_FOLDER && e->kind == OBB_ENTRY_STAMP && e->stamp.kind == OBB_KIND_FOLDER)
        return true;
    if (look.stamp->kind == OBB_KIND_FOLDER || !look.hashed)
        *e = e->kind == OBB_ENTRY_STAMP || e->kind == OBB_ENTRY_VERIFY
                 ? *e
                 : (obb_snapshot_entry){.stamp = *look.stamp, .kind = OBB_ENTRY_EXISTS, .real = e->real};
    else
        *e = (obb_snapshot_entry){.stamp = *look.stamp,
                     .fingerprint = look.fingerprint,
                     .kind = look.trusted ? OBB_ENTRY_STAMP : OBB_ENTRY_VERIFY,
                     .real = e->real};
    return true;
}

/* Numbers of files that people edited last: of the project, and not made here. How many. */
static size_t find_recent(const keeper *k, const char *out, uint32_t recent[MOST_RECENT])
{
    size_t count = 0;
    for (uint32_t n = 0; n < k->entries.count; n++) {
        const obb_snapshot_entry *e = &k->entries.at[n];
        bool file = (e->kind == OBB_ENTRY_STAMP || e->kind == OBB_ENTRY_VERIFY) &&
                    e->stamp.kind == OBB_KIND_FILE;
        bool full = count == MOST_RECENT;
        if (!file || (full && k->entries.at[recent[count - 1]].stamp.changed >= e->stamp.changed) ||
            obb_path_outside(k->paths.at[n]) || obb_path_is_output(k->paths.at[n], out))
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
static void place(const keeper *k, uint32_t number, obb_snapshot_header *h, uint32_t *places,
                  obb_text *entries, obb_text *text)
{
    obb_snapshot_entry *e = &k->entries.at[number];
    if ((e->kind == OBB_ENTRY_NOTHING && !e->real) || places[number] != OBB_SNAPSHOT_NO_ENTRY)
        return;
    places[number] = h->count++;
    e->number = number;
    e->path = (uint32_t)text->length;
    obb_text_add(text, k->paths.at[number], strlen(k->paths.at[number]) + 1);
    obb_text_add(entries, e, sizeof *e);
}

/* In order, each once. */
static void add_absent(keeper *k, obb_snapshot_header *h, obb_text *all)
{
    if (k->absent.count)
        qsort(k->absent.at, k->absent.count, sizeof *k->absent.at, obb_snapshot_by_mark);
    for (size_t i = 0; i < k->absent.count; i++)
        if (!i || k->absent.at[i] != k->absent.at[i - 1]) {
            obb_text_add(all, &k->absent.at[i], sizeof k->absent.at[i]);
            h->absent_count++;
        }
}

static void add_slots(const keeper *k, const obb_snapshot_header *h, const obb_text *text, obb_text *all)
{
    size_t slots = obb_snapshot_slots(h);
    uint32_t *table = obb_arena_alloc(k->arena, slots * sizeof *table);
    const obb_snapshot_entry *entries = (const obb_snapshot_entry *)(const void *)(all->bytes + sizeof *h);
    for (uint32_t i = 0; i < h->count; i++) {
        size_t at = obb_snapshot_slot_of(h, text->bytes + entries[i].path);
        while (table[at])
            at = (at + 1) % slots;
        table[at] = i + 1;
    }
    obb_text_add(all, table, slots * sizeof *table);
}

static char *replaced_path(obb_arena *arena, const char *folder)
{
    return obb_path_join(arena, folder, "work/replaced-snapshot");
}

/* What is replaced keeps another name for a while: some file systems take milliseconds to remove a file of
 * this size, and this is the end of a build. */
static void replace(obb_arena *arena, const char *path, const obb_text *text)
{
    const char *folder = obb_path_folder(arena, path);
    obb_below_link(obb_path_folder(arena, folder), path, replaced_path(arena, folder));
    if (!obb_path_make_folders(path))
        obb_file_replace(path, text->bytes, text->length, 0666);
}

void obb_snapshot_remove_replaced(const char *out)
{
    obb_arena *arena = obb_arena_new();
    obb_below_remove(out, replaced_path(arena, obb_path_join(arena, out, ".obbligato")));
    obb_arena_free(arena);
}

static void write_down(keeper *k, const char *path, obb_fingerprint key, const obb_snapshot_extra *extra)
{
    obb_snapshot_header h = {.key = key,
                             .next_number = (uint32_t)k->entries.count,
                             .plan_length = extra->plan_length};
    obb_text all = {0}, text = {0};
    uint32_t recent[MOST_RECENT], *places = obb_arena_alloc(k->arena, (h.next_number + 1) * sizeof *places);
    size_t recent_count = find_recent(k, obb_path_folder(k->arena, obb_path_folder(k->arena, path)), recent);
    memset(places, 0xff, h.next_number * sizeof *places);
    memcpy(h.magic, OBB_SNAPSHOT_MAGIC, sizeof h.magic);
    obb_text_add(&all, &h, sizeof h);
    for (size_t i = 0; i < recent_count; i++)
        place(k, recent[i], &h, places, &all, &text);
    for (uint32_t n = 0; n < h.next_number; n++)
        if (k->entries.at[n].source)
            place(k, n, &h, places, &all, &text);
    for (uint32_t n = 0; n < h.next_number; n++)
        place(k, n, &h, places, &all, &text);
    add_absent(k, &h, &all);
    for (size_t i = 0; i < obb_snapshot_plan_pieces(&h); i++) {
        uint64_t seal = obb_snapshot_plan_seal(extra->plan, extra->plan_length, i);
        obb_text_add(&all, &seal, sizeof seal);
    }
    obb_text_add(&all, places, h.next_number * sizeof *places);
    add_slots(k, &h, &text, &all);
    h.message = (uint32_t)text.length;
    obb_text_add(&text, extra->message, strlen(extra->message) + 1);
    h.text_length = (uint32_t)text.length;
    obb_text_add(&all, text.bytes, text.length);
    while (all.length < obb_snapshot_plan_offset(&h))
        obb_text_char(&all, 0);
    if (extra->plan_length)
        obb_text_add(&all, extra->plan, extra->plan_length);
    memcpy(all.bytes, &h, sizeof h);
    obb_snapshot_seal((obb_snapshot_header *)(void *)all.bytes);
    replace(k->arena, path, &all);
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
    obb_vec_free(&k->noted);
    obb_vec_free(&k->absent);
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

/* Snapshots of requests that were made once, and of former versions, are removed eventually. */
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
    for (uint64_t i = 0; i < r->header->absent_count; i++)
        obb_vec_push(&k.absent, r->absent[i]);
    bool settled = true;
    for (size_t i = 0; i < r->moved.count; i++) { /* the folders as they are now */
        const obb_moved_file *moved = &r->moved.at[i];
        obb_snapshot_entry *e = &k.entries.at[moved->folder];
        obb_file number;
        e->stamp = moved->stamp;
        e->fingerprint = moved->names;
        settled = settled && obb_stamp_settled(&e->stamp, since);
        if (moved->gone &&
            obb_snapshot_knows(r, moved->path, &number)) /* the folder tells if it comes back */
            k.entries.at[number] = (obb_snapshot_entry){.kind = OBB_ENTRY_NOTHING};
    }
    if (!settled) {
        unlink(r->path);
        obb_vec_free(&k.entries);
        obb_vec_free(&k.paths);
        obb_vec_free(&k.absent);
        return;
    }
    keep(&k, r->path, r->header->key, extra);
}
