/* Opening, committing and closing the state (state.h). All changes are collected in memory and written by
 * obb_state_commit in one transaction.
 *
 * A commit is one transaction, so that a kill leaves the old state or the new one. Errors of the store never
 * stop a build: they are noted, reported once, and cost work in the next one. */
#include "state/state_form.h"

#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "base/system.h"

/* --- memo ------------------------------------------------------------------------------- */

/* An answer of the size of a fingerprint: all users of an edited header ask for the same one. */
typedef struct small_answer {
    obb_fingerprint key, answer;
    bool known;
} small_answer;

static small_answer *find_small(const obb_state *s, obb_fingerprint key)
{
    uint32_t n = obb_map_find(&s->answers, (const char *)&key, sizeof key);
    return n == UINT32_MAX ? NULL : s->answers.at[n].value;
}

static void keep_small(obb_state *s, obb_fingerprint key, const char *answer)
{
    small_answer *kept = obb_arena_alloc(s->arena, sizeof *kept);
    kept->key = key;
    memcpy(&kept->answer, answer, sizeof kept->answer);
    kept->known = true;
    uint32_t n = obb_map_number(&s->answers, (const char *)&kept->key, sizeof kept->key, NULL);
    s->answers.at[n].key = (const char *)&kept->key;
    s->answers.at[n].value = kept;
}

/* In a new store there is nothing but what this run has put, and a first build asks for thousands of answers
 * that nobody knows yet. What another process puts meanwhile may be missed: then it is found out once more.
 * Several keys may share a bit. */
enum { MEMO_BITS = 1 << 20 };

static bool may_know(const obb_state *s, obb_fingerprint key)
{
    size_t bit = (size_t)(key.low % MEMO_BITS);
    return !s->put_memos || (s->put_memos[bit / 8] >> bit % 8 & 1);
}

static void note_put(obb_state *s, obb_fingerprint key)
{
    size_t bit = (size_t)(key.low % MEMO_BITS);
    if (s->put_memos)
        s->put_memos[bit / 8] |= (unsigned char)(1u << bit % 8);
}

bool obb_state_memo_get(void *self, obb_fingerprint key, obb_text *answer)
{
    obb_state *s = self;
    if (!may_know(s, key))
        return false;
    const small_answer *kept = find_small(s, key);
    if (kept && kept->known) {
        obb_text_add(answer, &kept->answer, sizeof kept->answer);
        return true;
    }
    size_t before = answer->length;
    bool found = obb_store_get(&s->store, OBB_ROW_MEMO, &key, sizeof key, answer);
    if (found && answer->length - before == sizeof(obb_fingerprint))
        keep_small(s, key, answer->bytes + before);
    return found;
}

void obb_state_memo_put(void *self, obb_fingerprint key, const void *answer, size_t length)
{
    obb_state *s = self;
    small_answer *kept = find_small(s, key);
    note_put(s, key);
    if (kept) /* it may be another answer now */
        kept->known = false;
    obb_store_put(&s->store, OBB_ROW_MEMO, &key, sizeof key, answer, length);
}

obb_memo obb_state_memo(obb_state *s)
{
    return (obb_memo){s, obb_state_memo_get, obb_state_memo_put};
}

/* --- how many records there are --------------------------------------------------------- */

/* A damaged store may lose rows without an error. */
static obb_fingerprint count_key(void)
{
    return obb_fingerprint_of("how many records", 16);
}

static void put_count(obb_state *s)
{
    obb_state_memo_put(s, count_key(), &s->record_rows, sizeof s->record_rows);
    s->counted = s->record_rows;
}

static void read_count(obb_state *s)
{
    obb_text value = {0};
    s->counted = 0;
    if (obb_state_memo_get(s, count_key(), &value) && value.length == sizeof s->counted)
        memcpy(&s->counted, value.bytes, sizeof s->counted);
    obb_text_free(&value);
}

/* A partial state does not know all records, but which it has added or dropped. */
static void add_to_count(obb_state *s)
{
    read_count(s);
    s->counted += (uint64_t)s->added_rows;
    s->added_rows = 0;
    obb_state_memo_put(s, count_key(), &s->counted, sizeof s->counted);
}

static bool count_is_right(obb_state *s)
{
    read_count(s);
    return s->counted == s->record_rows + s->bad_records.count;
}

/* --- writing it down -------------------------------------------------------------------- */

/* A store that turns out to be damaged while it is written: what is known is written again. A partial state
 * knows little; the next full build begins anew. */
static void replace_store(obb_state *s)
{
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    s->numbers_taken = 0;
    s->counted = 0;
    obb_store_set_aside(&s->store);
    s->store.sound = obb_store_open(&s->store);
    if (s->store.sound && !s->partial) {
        obb_state_write_all_records(s);
        obb_state_write_all_asked(s);
        put_count(s);
    }
    obb_store_commit(&s->store);
}

int obb_state_commit(obb_state *s)
{
    if (obb_store_has_news(&s->store) && s->record_rows != s->counted && obb_state_is_writer(s) &&
        !s->partial)
        put_count(s);
    if (obb_store_has_news(&s->store) && s->added_rows && obb_state_is_writer(s))
        add_to_count(s);
    obb_store_commit(&s->store);
    if (s->store.spoilt && obb_state_is_writer(s))
        replace_store(s);
    obb_state_write_made(s);
    int failed = s->store.failed ? s->store.failed : s->failed;
    s->store.failed = s->failed = 0;
    return failed;
}

void obb_state_drop_news(obb_state *s)
{
    obb_store_roll_back(&s->store);
    s->added_rows = 0;
    s->made_shrunk = false;
    s->made_news.length = 0;
    obb_map_free(&s->forgotten);
}

/* --- opening ---------------------------------------------------------------------------- */

static obb_state *refuse(obb_state *s, obb_diags *diags, const char *path, int failed)
{
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot use the output folder `%s`: %s",
                            path, obb_below_error(failed));
    obb_hint(diags, d, "choose another one: --out FOLDER, or OBBLIGATO_OUT=FOLDER");
    obb_state_close(s);
    return NULL;
}

static obb_state *new_state(const char *out, obb_files *files)
{
    obb_state *s = obb_alloc(sizeof *s);
    s->arena = obb_arena_new();
    s->files = files;
    s->lock.fd = -1;
    s->store.arena = s->arena;
    s->out = obb_arena_string(s->arena, out);
    s->store.folder = obb_path_join(s->arena, out, ".obbligato");
    s->store.path = obb_path_join(s->arena, s->store.folder, "state.db");
    s->made_path = obb_path_join(s->arena, s->store.folder, "made");
    return s;
}

int obb_state_mark(const char *out)
{
    obb_text path = {0};
    obb_stamp stamp;
    obb_text_format(&path, "%s/" OBB_MARK_NAME, out);
    int failed = obb_path_make_folders(path.bytes);
    if (!failed && !obb_stamp_of(path.bytes, &stamp))
        failed = obb_file_replace(path.bytes, OBB_MARK_TEXT, strlen(OBB_MARK_TEXT), 0666);
    obb_text_free(&path);
    return failed;
}

bool obb_state_is_marked(const char *out)
{
    obb_text text = {0}, path = {0};
    obb_text_format(&path, "%s/" OBB_MARK_NAME, out);
    bool is = !obb_is_link(path.bytes) && !obb_file_read(path.bytes, &text) &&
              strcmp(obb_text_bytes(&text), OBB_MARK_TEXT) == 0;
    obb_text_free(&text);
    obb_text_free(&path);
    return is;
}

static char *lock_path(const obb_state *s)
{
    return obb_path_join(s->arena, s->store.folder, "lock");
}

/* Opens the store, or a new one in its place. The writer sets a store aside that cannot be read; readers work
 * in memory, since another process may be building. */
static bool open_some_store(obb_state *s)
{
    if (obb_store_open(&s->store))
        return true;
    if (obb_state_is_writer(s)) {
        obb_store_set_aside(&s->store);
    } else {
        obb_store_close(&s->store);
        s->store.in_memory = true;
        s->store.damaged = false;
        s->store.failed = 0;
    }
    return obb_store_open(&s->store);
}

/* False: one stays, since no search reaches its damaged key. */
static bool drop_bad_records(obb_state *s)
{
    bool gone = true;
    for (size_t i = 0; i < s->bad_records.count; i++)
        gone = obb_store_drop(&s->store, OBB_ROW_RECORD, s->bad_records.at[i].bytes,
                              s->bad_records.at[i].length) &&
               gone;
    return gone;
}

/* Reads all that is known. A store that turns out to be damaged is started over; false when that
 * fails as well. */
static bool read_all(obb_state *s)
{
    obb_state_read_made(s);
    obb_state_know_boot(s);
    obb_store_each(&s->store, OBB_ROW_FILE, obb_state_take_file, s);
    obb_store_each(&s->store, OBB_ROW_RECORD, obb_state_take_record_row, s);
    if (!obb_state_is_writer(s))
        return true;
    if (!s->store.damaged && count_is_right(s) && drop_bad_records(s))
        return true;
    obb_map_free(&s->records);
    s->asked_records = 0;
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    s->record_rows = s->counted = 0;
    obb_store_set_aside(&s->store);
    return obb_store_open(&s->store);
}

/* What was made is recorded twice: in the list, and in the records. */
static void note_record(obb_state *s, obb_files *files, const char *path, const obb_record *record)
{
    obb_state_note_made(s, obb_files_number(files, path));
    for (size_t i = 0; i < record->also.count; i++)
        obb_state_note_made(s, record->also.at[i]);
}

obb_state *obb_state_open(const char *out, obb_files *files, obb_state_use use,
                          void (*waiting)(void *, const char *), void *self, obb_diags *diags)
{
    obb_state *s = new_state(out, files);
    if (use == OBB_STATE_BUILD) {
        int failed = obb_below_make_folders(out, s->store.path);
        if (failed)
            return refuse(s, diags, out, failed);
        if (!obb_lock_take(&s->lock, lock_path(s), waiting, self))
            return refuse(s, diags, lock_path(s), errno);
        failed = obb_state_mark(s->out);
        if (failed)
            return refuse(s, diags, out, failed);
    } else {
        s->store.in_memory = access(s->store.path, R_OK | W_OK) != 0;
    }
    if (!open_some_store(s) || !read_all(s))
        return refuse(s, diags, s->store.path,
                      obb_store_disk_is_full(&s->store) ? ENOSPC : s->store.failed ? s->store.failed : EIO);
    for (size_t i = 0; i < s->records.count; i++) /* the list may have lost a line */
        note_record(s, files, s->records.at[i].key, s->records.at[i].value);
    s->store.failed = 0;
    s->store.sound = true;
    if (s->store.is_new)
        s->put_memos = obb_arena_alloc(s->arena, MEMO_BITS / 8);
    s->moved = !obb_state_knows_folders(s) || s->moved;
    return s;
}

obb_state *obb_state_open_partial(const char *out, obb_files *files)
{
    obb_state *s = new_state(out, files);
    s->partial = true;
    if (access(s->store.path, R_OK | W_OK) == 0 && obb_lock_take_at_once(&s->lock, lock_path(s)) &&
        obb_store_open(&s->store) && obb_state_count_numbers(s) && !s->store.damaged && !s->store.failed) {
        s->store.sound = true;
        obb_store_begin(&s->store); /* so that each look into the store need not lock it */
        return s;
    }
    obb_state_close(s);
    return NULL;
}

bool obb_state_was_broken_off(const obb_state *s)
{
    return s->lock.broken_off;
}

int obb_state_lock(const obb_state *s)
{
    return s->lock.fd;
}

bool obb_state_was_damaged(const obb_state *s)
{
    return s->store.damaged;
}

void obb_state_close(obb_state *s)
{
    if (!s)
        return;
    if (s->store.db) {
        obb_state_shrink_made(s);
        obb_state_commit(s);
        obb_store_close(&s->store);
    }
    obb_lock_release(&s->lock);
    obb_map_free(&s->records);
    obb_map_free(&s->answers);
    obb_vec_free(&s->asked);
    obb_map_free(&s->made);
    obb_map_free(&s->forgotten);
    obb_map_free(&s->real);
    obb_text_free(&s->made_news);
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    obb_arena_free(s->arena);
    free(s);
}
