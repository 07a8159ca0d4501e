/* Opening a snapshot and asking it (snapshot.h). It is mapped and read in place; files get numbers beyond
 * those that it has as they are first asked for.
 *
 * A file is refused as a whole when magic, lengths or seal do not fit. After that, indexes are trusted. */
#include "state/snapshot_form.h"

#include <stdlib.h>
#include <string.h>
#include <sys/mman.h>
#include <unistd.h>

#include "base/path.h"
#include "base/regular.h"
#include "base/system.h"

static size_t text_offset(const obb_snapshot_header *h)
{
    return sizeof *h + h->count * sizeof(obb_snapshot_entry) +
           ((size_t)h->absent_count + obb_snapshot_plan_pieces(h)) * sizeof(uint64_t) +
           ((size_t)h->next_number + obb_snapshot_slots(h)) * sizeof(uint32_t);
}

size_t obb_snapshot_slots(const obb_snapshot_header *h)
{
    return (size_t)h->count + h->count / 2 + 1;
}

size_t obb_snapshot_slot_of(const obb_snapshot_header *h, const char *path)
{
    return (size_t)(obb_fingerprint_of(path, strlen(path)).low % obb_snapshot_slots(h));
}

size_t obb_snapshot_plan_pieces(const obb_snapshot_header *h)
{
    return ((size_t)h->plan_length + OBB_PLAN_PIECE - 1) / OBB_PLAN_PIECE;
}

uint64_t obb_snapshot_plan_seal(const void *plan, size_t length, size_t piece)
{
    size_t from = piece * OBB_PLAN_PIECE, rest = length - from;
    return obb_fingerprint_of((const char *)plan + from, rest < OBB_PLAN_PIECE ? rest : OBB_PLAN_PIECE).low;
}

size_t obb_snapshot_plan_offset(const obb_snapshot_header *h)
{
    return (text_offset(h) + h->text_length + 7) / 8 * 8;
}

static bool well_formed(const obb_snapshot_header *h, size_t size, obb_fingerprint key)
{
    if (size < sizeof *h || memcmp(h->magic, OBB_SNAPSHOT_MAGIC, sizeof h->magic) != 0 || !h->text_length ||
        h->message >= h->text_length || h->absent_count > size || h->plan_length > size ||
        !obb_fingerprint_same(h->key, key) || obb_snapshot_plan_offset(h) + h->plan_length != size)
        return false;
    const char *text = (const char *)h + text_offset(h);
    return text[h->text_length - 1] == 0 &&
           obb_fingerprint_of((const char *)h + OBB_SNAPSHOT_SEALED_FROM,
                              obb_snapshot_plan_offset(h) - OBB_SNAPSHOT_SEALED_FROM)
                   .low == h->seal;
}

static bool in_place(const obb_snapshot *r)
{
    for (uint32_t i = 0; i < r->header->count; i++)
        if (r->entries[i].path >= r->header->text_length || r->entries[i].number >= r->header->next_number ||
            r->places[r->entries[i].number] != i)
            return false;
    for (uint32_t n = 0; n < r->header->next_number; n++)
        if (r->places[n] != OBB_SNAPSHOT_NO_ENTRY && r->places[n] >= r->header->count)
            return false;
    for (size_t i = 0; i < obb_snapshot_slots(r->header); i++)
        if (r->slots[i] > r->header->count)
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
        r->entries = (obb_snapshot_entry *)(void *)(r->header + 1);
        r->absent = (const uint64_t *)(void *)(r->entries + r->header->count);
        r->plan_seals = r->absent + r->header->absent_count;
        r->places = (const uint32_t *)(const void *)(r->plan_seals + obb_snapshot_plan_pieces(r->header));
        r->vouched = obb_arena_alloc(r->arena, obb_snapshot_plan_pieces(r->header) + 1);
        r->slots = r->places + r->header->next_number;
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
    for (size_t i = 0; i < r->moved.count; i++)
        free(r->moved.at[i].path);
    obb_vec_free(&r->moved);
    obb_vec_free(&r->new_paths);
    obb_map_free(&r->new_numbers);
    obb_arena_free(r->arena);
    free(r);
}

const obb_file_list *obb_snapshot_changes(const obb_snapshot *r)
{
    return &r->changes;
}

void obb_snapshot_moved(const obb_snapshot *r, obb_arena *arena, obb_words *paths)
{
    for (size_t i = 0; i < r->moved.count; i++)
        obb_arena_push(arena, paths, obb_arena_string(arena, r->moved.at[i].path));
}

uint64_t obb_snapshot_absent_mark(const char *path)
{
    return obb_fingerprint_of(path, strlen(path)).low;
}

bool obb_snapshot_is_absent(const obb_snapshot *r, const char *path)
{
    uint64_t mark = obb_snapshot_absent_mark(path);
    return bsearch(&mark, r->absent, (size_t)r->header->absent_count, sizeof mark, obb_snapshot_by_mark);
}

int obb_snapshot_by_mark(const void *a, const void *b)
{
    uint64_t x = *(const uint64_t *)a, y = *(const uint64_t *)b;
    return x < y ? -1 : x > y;
}

const char *obb_snapshot_message(const obb_snapshot *r)
{
    return r->text + r->header->message;
}

size_t obb_snapshot_looks(const obb_snapshot *r)
{
    return r->header->count;
}

const void *obb_snapshot_plan(const obb_snapshot *r, size_t *length)
{
    *length = (size_t)r->header->plan_length;
    return *length ? (const char *)r->header + obb_snapshot_plan_offset(r->header) : NULL;
}

bool obb_snapshot_vouches(void *self, const void *at, size_t length)
{
    obb_snapshot *r = self;
    size_t whole, from;
    const char *plan = obb_snapshot_plan(r, &whole);
    if (!plan || (from = (size_t)((const char *)at - plan)) > whole || length > whole - from)
        return false;
    for (size_t i = from / OBB_PLAN_PIECE; i * OBB_PLAN_PIECE < from + length; i++) {
        r->vouched[i] = r->vouched[i] || obb_snapshot_plan_seal(plan, whole, i) == r->plan_seals[i];
        if (!r->vouched[i])
            return false;
    }
    return true;
}

bool obb_snapshot_is_current(const obb_snapshot *r)
{
    struct stat s;
    return stat(r->path, &s) == 0 && s.st_ino == r->opened.st_ino &&
           obb_changed_at(&s) == obb_changed_at(&r->opened);
}

obb_snapshot_entry *obb_snapshot_entry_of(const obb_snapshot *r, obb_file kept)
{
    uint32_t place = kept < r->header->next_number ? r->places[kept] : OBB_SNAPSHOT_NO_ENTRY;
    return place == OBB_SNAPSHOT_NO_ENTRY ? NULL : &r->entries[place];
}

const char *obb_snapshot_path(const obb_snapshot *r, obb_file kept)
{
    if (kept >= r->header->next_number)
        return r->new_paths.at[kept - r->header->next_number];
    const obb_snapshot_entry *e = obb_snapshot_entry_of(r, kept);
    return e ? r->text + e->path : NULL;
}

static const obb_snapshot_entry *find(const obb_snapshot *r, const char *path)
{
    size_t slots = obb_snapshot_slots(r->header), at = obb_snapshot_slot_of(r->header, path);
    for (; r->slots[at]; at = (at + 1) % slots) {
        const obb_snapshot_entry *e = &r->entries[r->slots[at] - 1];
        if (strcmp(r->text + e->path, path) == 0)
            return e;
    }
    return NULL;
}

bool obb_snapshot_knows(obb_snapshot *r, const char *path, obb_file *kept)
{
    const obb_snapshot_entry *e = find(r, path);
    const uint32_t *known = e ? &e->number : obb_map_get(&r->new_numbers, path);
    *kept = known ? *known : OBB_NO_FILE;
    return known != NULL;
}

bool obb_snapshot_counts_names(obb_snapshot *r, const char *folder)
{
    obb_file kept;
    const obb_snapshot_entry *e = obb_snapshot_knows(r, folder, &kept) ? obb_snapshot_entry_of(r, kept)
                                                                       : NULL;
    return e && e->kind == OBB_ENTRY_STAMP && e->stamp.kind == OBB_KIND_FOLDER;
}

bool obb_snapshot_is_text(const obb_snapshot *r, obb_file kept)
{
    const obb_snapshot_entry *e = obb_snapshot_entry_of(r, kept);
    return e && (e->kind == OBB_ENTRY_STAMP || e->kind == OBB_ENTRY_VERIFY) &&
           e->stamp.kind == OBB_KIND_FILE && !e->real;
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
    obb_map_put(&r->new_numbers, copy, number);
    return *number;
}

bool obb_snapshot_changed(const obb_snapshot *r, obb_file kept)
{
    for (size_t i = 0; i < r->changes.count; i++)
        if (r->changes.at[i] == kept)
            return true;
    return false;
}

obb_file obb_snapshot_tell(const obb_snapshot *r, obb_file kept, obb_files *files)
{
    obb_file file = obb_files_number(files, obb_snapshot_path(r, kept));
    const obb_snapshot_entry *e = obb_snapshot_entry_of(r, kept);
    if (e && e->stamp.kind == OBB_KIND_FILE && (e->kind == OBB_ENTRY_STAMP || e->kind == OBB_ENTRY_VERIFY) &&
        !obb_snapshot_changed(r, kept))
        obb_files_know(files, file, e->stamp, e->fingerprint, e->kind == OBB_ENTRY_STAMP);
    return file;
}

/* Whether nothing was there, nor in place of a folder above it. */
static bool lies_in_absent(const obb_snapshot *r, const char *path)
{
    char folder[4096];
    size_t n = strlen(path);
    if (n >= sizeof folder)
        return false;
    memcpy(folder, path, n + 1);
    for (char *slash = folder + n; slash; slash = strrchr(folder, '/')) {
        *slash = 0;
        if (obb_snapshot_is_absent(r, folder))
            return true;
    }
    return false;
}

void obb_snapshot_witness(void *self, obb_files *files, obb_file file)
{
    obb_snapshot *r = self;
    obb_file kept;
    const char *path = obb_files_path(files, file);
    const obb_snapshot_entry *e = obb_snapshot_knows(r, path, &kept) ? obb_snapshot_entry_of(r, kept) : NULL;
    if (e ? e->kind == OBB_ENTRY_ABSENT : lies_in_absent(r, path))
        obb_files_know_absent(files, file);
    else if (e && e->kind == OBB_ENTRY_STAMP && e->stamp.kind == OBB_KIND_FILE &&
             !obb_snapshot_changed(r, kept))
        obb_files_know_stamp(files, file, e->stamp, e->fingerprint);
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
