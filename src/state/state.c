/* Records, the list of outputs, what is known of files, and the key-value memo, over the store (state.h).
 * All changes are collected in memory and written by obb_state_commit in one transaction. */
#include "state/state.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/map.h"
#include "base/path.h"
#include "base/system.h"
#include "state/lock.h"
#include "state/store.h"

typedef struct bad_key {
    const char *bytes;
    size_t length;
} bad_key;

struct obb_state {
    obb_arena *arena;
    obb_files *files;
    obb_store store;
    obb_lock lock;
    bool in_part; /* rows are read when they are asked for */
    int failed;   /* to write the list of what was made: an errno value */
    uint32_t numbers_taken; /* of a part: lasting numbers that are given */
    obb_map records; /* by path: obb_record */
    uint64_t record_rows, counted; /* how many of them the store holds; how many it was told to hold */
    OBB_VEC(bad_key) bad_records;
    obb_map made;    /* by path: itself, or NULL when forgotten */
    const char *made_path, *out;
    obb_text made_news; /* lines to be added to the list on disk */
    bool made_shrunk;   /* the list must be written again */
    obb_map real;       /* folders behind which paths were shortened (obb_files_resolve) */
    bool moved;         /* one of them is none any more, or nobody knows */
    bool restarted;     /* the machine was started anew since the last commit, */
    int64_t committed;  /* which was then: nanoseconds since 1970 */
    OBB_VEC(uint32_t) numbers; /* by file: its lasting number, plus 1 */
    OBB_VEC(obb_file) by_number;
};

/* What was written shortly before a machine lost its power may be empty and keep its stamp. So after a start
 * of the machine the stamps of what changed shortly before the last commit are not believed, once. */
#define SHORTLY (INT64_C(300) * 1000000000)

/* --- records ------------------------------------------------------------------------ */

static uint32_t lasting_number(obb_state *s, obb_file file);

static void put_u64(obb_text *t, uint64_t v)
{
    obb_text_add(t, &v, sizeof v);
}

static void encode_record(obb_state *s, const obb_record *r, obb_text *t)
{
    obb_text_add(t, &r->command, sizeof r->command);
    obb_text_add(t, &r->tools, sizeof r->tools);
    obb_text_add(t, &r->output, sizeof r->output);
    put_u64(t, r->milliseconds);
    put_u64(t, r->argv.count);
    put_u64(t, r->inputs.count);
    for (size_t i = 0; i < r->inputs.count; i++) {
        uint32_t number = lasting_number(s, r->inputs.at[i].file);
        obb_text_add(t, &number, sizeof number);
        obb_text_add(t, &r->inputs.at[i].fingerprint, sizeof(obb_fingerprint));
    }
    obb_text_add(t, &r->scan, sizeof r->scan);
    put_u64(t, (uint64_t)r->untold << 2 | (uint64_t)r->text_matters << 1 | r->assembled);
    put_u64(t, r->absent.count);
    for (size_t i = 0; i < r->absent.count; i++) {
        uint32_t number = lasting_number(s, r->absent.at[i]);
        obb_text_add(t, &number, sizeof number);
    }
    put_u64(t, r->also.count);
    for (size_t i = 0; i < r->also.count; i++) {
        uint32_t number = lasting_number(s, r->also.at[i]);
        obb_text_add(t, &number, sizeof number);
    }
    obb_text_add(t, r->reason, strlen(r->reason) + 1);
    for (size_t i = 0; i < r->argv.count; i++)
        obb_text_add(t, r->argv.at[i], strlen(r->argv.at[i]) + 1);
}

typedef struct cursor {
    const char *at, *end;
    bool ok;
} cursor;

static void take(cursor *c, void *into, size_t n)
{
    if ((size_t)(c->end - c->at) < n) {
        c->ok = false;
        memset(into, 0, n);
        return;
    }
    memcpy(into, c->at, n);
    c->at += n;
}

static const char *take_string(cursor *c, obb_arena *arena)
{
    const char *nul = memchr(c->at, 0, (size_t)(c->end - c->at));
    if (!nul) {
        c->ok = false;
        return "";
    }
    const char *s = obb_arena_copy(arena, c->at, (size_t)(nul - c->at));
    c->at = nul + 1;
    return s;
}

static void know_number(obb_state *s, uint32_t number);

/* A file by its lasting number. */
static obb_file take_numbered(obb_state *s, cursor *c)
{
    uint32_t number;
    take(c, &number, sizeof number);
    if (s->in_part && c->ok)
        know_number(s, number);
    c->ok = c->ok && number < s->by_number.count && s->by_number.at[number] != OBB_NO_FILE;
    return c->ok ? s->by_number.at[number] : 0;
}

static void take_head(cursor *c, obb_record *r)
{
    take(c, &r->command, sizeof r->command);
    take(c, &r->tools, sizeof r->tools);
    take(c, &r->output, sizeof r->output);
    take(c, &r->milliseconds, sizeof r->milliseconds);
}

/* False: the row is of no use. */
static bool take_record(obb_state *s, const char *key, const char *value, size_t length)
{
    cursor c = {value, value + length, true};
    obb_record *r = obb_arena_alloc(s->arena, sizeof *r);
    uint64_t words, inputs, assembled = 0, absent = 0, also = 0;
    take_head(&c, r);
    take(&c, &words, sizeof words);
    take(&c, &inputs, sizeof inputs);
    for (uint64_t i = 0; i < inputs && c.ok; i++) {
        obb_seen seen = {.file = take_numbered(s, &c)};
        take(&c, &seen.fingerprint, sizeof seen.fingerprint);
        obb_arena_push(s->arena, &r->inputs, seen);
    }
    take(&c, &r->scan, sizeof r->scan);
    take(&c, &assembled, sizeof assembled);
    take(&c, &absent, sizeof absent);
    r->assembled = assembled & 1;
    r->text_matters = assembled >> 1 & 1;
    r->untold = assembled >> 2;
    for (uint64_t i = 0; i < absent && c.ok; i++) {
        obb_file file = take_numbered(s, &c);
        obb_arena_push(s->arena, &r->absent, file);
    }
    take(&c, &also, sizeof also);
    for (uint64_t i = 0; i < also && c.ok; i++) {
        obb_file file = take_numbered(s, &c);
        obb_arena_push(s->arena, &r->also, file);
    }
    r->reason = take_string(&c, s->arena);
    for (uint64_t i = 0; i < words && c.ok; i++)
        obb_arena_push(s->arena, &r->argv, take_string(&c, s->arena));
    if (c.ok && obb_map_put(&s->records, key, r))
        s->store.damaged = true; /* two rows of one key: one that the store has lost sight of */
    return c.ok;
}

/* Of a part: a record's row, when it is asked for. */
static bool get_record_row(obb_state *s, const char *path, obb_text *value)
{
    return s->in_part && obb_store_get(&s->store, OBB_ROW_RECORD, path, strlen(path), value);
}

const obb_record *obb_state_record(obb_state *s, obb_file output)
{
    const char *path = obb_files_path(s->files, output);
    const obb_record *known = obb_map_get(&s->records, path);
    obb_text value = {0};
    if (!known && get_record_row(s, path, &value)) {
        take_record(s, path, value.bytes, value.length);
        known = obb_map_get(&s->records, path);
    }
    obb_text_free(&value);
    return known;
}

bool obb_state_last_duration(obb_state *s, obb_file output, uint64_t *milliseconds)
{
    const char *path = obb_files_path(s->files, output);
    const obb_record *known = obb_map_get(&s->records, path);
    obb_text value = {0};
    bool there = known != NULL;
    *milliseconds = known ? known->milliseconds : 0;
    if (!known && get_record_row(s, path, &value)) {
        cursor c = {value.bytes, value.bytes + value.length, true};
        obb_record head;
        take_head(&c, &head);
        there = c.ok;
        *milliseconds = head.milliseconds;
    }
    obb_text_free(&value);
    return there;
}

void obb_state_put_record(obb_state *s, obb_file output, const obb_record *record)
{
    const char *path = obb_files_path(s->files, output);
    obb_record *copy = obb_arena_alloc(s->arena, sizeof *copy);
    obb_text text = {0};
    *copy = *record;
    copy->reason = obb_arena_string(s->arena, record->reason);
    copy->inputs.at = (obb_seen *)(void *)obb_arena_copy(s->arena, record->inputs.at,
                                                         record->inputs.count * sizeof(obb_seen));
    copy->absent.at = (obb_file *)(void *)obb_arena_copy(s->arena, record->absent.at,
                                                         record->absent.count * sizeof(obb_file));
    copy->also.at = (obb_file *)(void *)obb_arena_copy(s->arena, record->also.at,
                                                       record->also.count * sizeof(obb_file));
    encode_record(s, record, &text);
    obb_store_put(&s->store, OBB_ROW_RECORD, path, strlen(path), text.bytes, text.length);
    obb_text_free(&text);
    s->record_rows += !obb_map_put(&s->records, path, copy);
    obb_state_note_made(s, output);
}

static void write_all_records(obb_state *s)
{
    for (size_t i = 0; i < s->records.count; i++) {
        obb_text text = {0};
        const char *path = s->records.at[i].key;
        if (!s->records.at[i].value)
            continue;
        encode_record(s, s->records.at[i].value, &text);
        obb_store_put(&s->store, OBB_ROW_RECORD, path, strlen(path), text.bytes, text.length);
        obb_text_free(&text);
    }
}

/* --- what was made ------------------------------------------------------------------ */

/* The list is a text of its own, a line a path, each behind a seal: it outlives a damaged
 * store, so that what was made can still be found and removed. */
static void add_made_line(obb_text *text, const char *path)
{
    uint64_t mark = obb_fingerprint_of(path, strlen(path)).low;
    obb_text_format(text, "%016llx %s\n", (unsigned long long)mark, path);
}

/* Only who holds the lock may tell how many there are, or replace the store: another process may
 * have it open for reading, and remember answers in it. */
static bool is_writer(const obb_state *s)
{
    return s->lock.fd >= 0;
}

static void read_made(obb_state *s)
{
    obb_text text = {0}, line = {0};
    obb_stamp there;
    if (is_writer(s) &&
        (obb_is_link(s->made_path) || (obb_stamp_of(s->made_path, &there) && there.kind != OBB_KIND_FILE))) {
        obb_below_remove_all(s->out, s->made_path); /* whatever it is, it is no list of ours */
        obb_below_remove(s->out, s->made_path);
    }
    if (!s->store.in_memory && obb_file_read(s->made_path, &text) == 0)
        for (char *at = text.bytes; *at;) {
            size_t n = strcspn(at, "\n");
            const char *path = n > 17 ? obb_arena_copy(s->arena, at + 17, n - 17) : "";
            line.length = 0;
            add_made_line(&line, path);
            if (line.length == n + 1 && memcmp(line.bytes, at, n) == 0 && obb_below_lies(s->out, path))
                obb_map_put(&s->made, path, s);
            at += n + (at[n] == '\n');
        }
    obb_text_free(&text);
    obb_text_free(&line);
}

static void write_made(obb_state *s)
{
    int failed = 0;
    if (s->made_shrunk) {
        obb_text all = {0};
        for (size_t i = 0; i < s->made.count; i++)
            if (s->made.at[i].value)
                add_made_line(&all, s->made.at[i].key);
        failed = obb_file_write(s->made_path, obb_text_bytes(&all), all.length, NULL);
        obb_text_free(&all);
    } else if (s->made_news.length) {
        int fd = open(s->made_path, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC | O_NOFOLLOW, 0666);
        ssize_t n = fd < 0 ? -1 : write(fd, s->made_news.bytes, s->made_news.length);
        failed = n < 0 ? errno : (size_t)n < s->made_news.length ? ENOSPC : 0;
        if (fd >= 0)
            close(fd);
    }
    s->made_shrunk = false;
    s->made_news.length = 0;
    if (failed && !s->failed)
        s->failed = failed;
}

void obb_state_note_made(obb_state *s, obb_file output)
{
    const char *path = obb_files_path(s->files, output);
    if (!s->in_part && !obb_map_put(&s->made, path, s) && !s->store.in_memory)
        add_made_line(&s->made_news, path);
}

bool obb_state_is_made(const obb_state *s, obb_file output)
{
    return obb_map_get(&s->made, obb_files_path(s->files, output)) != NULL;
}

void obb_state_forget_made(obb_state *s, obb_file output)
{
    const char *path = obb_files_path(s->files, output);
    obb_map_put(&s->made, path, NULL);
    s->record_rows -= obb_map_put(&s->records, path, NULL) != NULL;
    s->made_shrunk = true;
    obb_store_drop(&s->store, OBB_ROW_RECORD, path, strlen(path));
}

void obb_state_list_made(obb_state *s, obb_file_list *outputs)
{
    for (size_t i = 0; i < s->made.count; i++)
        if (s->made.at[i].value)
            obb_vec_push(outputs, obb_files_number(s->files, s->made.at[i].key));
}

/* --- files -------------------------------------------------------------------------- */

typedef struct file_row {
    uint32_t number, remembered;
    obb_stamp stamp;
    obb_fingerprint fingerprint;
} file_row;

static void put_file_row(obb_state *s, obb_file file, const file_row *row)
{
    const char *path = obb_files_path(s->files, file);
    obb_store_put(&s->store, OBB_ROW_FILE, path, strlen(path), row, sizeof *row);
}

static void set_number(obb_state *s, obb_file file, uint32_t number)
{
    while (s->numbers.count <= file)
        obb_vec_push(&s->numbers, 0);
    while (s->by_number.count <= number)
        obb_vec_push(&s->by_number, OBB_NO_FILE);
    s->numbers.at[file] = number + 1;
    s->by_number.at[number] = file;
}

static void name_key(uint32_t number, unsigned char key[4])
{
    for (int i = 0; i < 4; i++)
        key[i] = (unsigned char)(number >> (24 - 8 * i));
}

/* Of a part: what is known of a file, when it is asked for. */
static bool get_file_row(obb_state *s, obb_file file, file_row *row)
{
    obb_text value = {0};
    const char *path = obb_files_path(s->files, file);
    bool found = obb_store_get(&s->store, OBB_ROW_FILE, path, strlen(path), &value) &&
                 value.length == sizeof *row;
    if (found)
        memcpy(row, value.bytes, sizeof *row);
    obb_text_free(&value);
    return found;
}

static uint32_t lasting_number(obb_state *s, obb_file file)
{
    unsigned char key[4];
    file_row row = {.number = s->in_part ? s->numbers_taken : (uint32_t)s->by_number.count};
    if (file < s->numbers.count && s->numbers.at[file])
        return s->numbers.at[file] - 1;
    if (s->in_part && get_file_row(s, file, &row)) {
        set_number(s, file, row.number);
        return row.number;
    }
    const char *path = obb_files_path(s->files, file);
    s->numbers_taken++;
    set_number(s, file, row.number);
    put_file_row(s, file, &row);
    name_key(row.number, key);
    obb_store_put(&s->store, OBB_ROW_NAME, key, sizeof key, path, strlen(path) + 1);
    return row.number;
}

/* Of a part: the path of a lasting number, when it is asked for. */
static void know_number(obb_state *s, uint32_t number)
{
    unsigned char key[4];
    obb_text path = {0};
    name_key(number, key);
    bool known = number < s->by_number.count && s->by_number.at[number] != OBB_NO_FILE;
    if (!known && obb_store_get(&s->store, OBB_ROW_NAME, key, sizeof key, &path))
        set_number(s, obb_files_number(s->files, path.bytes), number);
    obb_text_free(&path);
}

/* The lasting number that comes next; false when the rows do not tell. */
static bool count_numbers(obb_state *s)
{
    obb_text key = {0};
    bool told = obb_store_last_key(&s->store, OBB_ROW_NAME, &key) && key.length == 4;
    for (int i = 0; told && i < 4; i++)
        s->numbers_taken = s->numbers_taken << 8 | (unsigned char)key.bytes[i];
    s->numbers_taken += told;
    obb_text_free(&key);
    return told;
}

static void take_file(void *self, const char *key, size_t key_length, const char *value, size_t length)
{
    obb_state *s = self;
    file_row row;
    (void)key_length;
    if (!value || length != sizeof row)
        return;
    memcpy(&row, value, sizeof row);
    if (row.number > 100000000)
        return;
    obb_file file = obb_files_number(s->files, key);
    if (file < s->numbers.count && s->numbers.at[file])
        s->store.damaged = true; /* two rows of one key, see take_record */
    set_number(s, file, row.number);
    if (row.remembered && !(s->restarted && row.stamp.changed > s->committed - SHORTLY))
        obb_files_recall(s->files, file, row.stamp, row.fingerprint);
}

static void take_record_row(void *self, const char *key, size_t key_length, const char *value, size_t length)
{
    obb_state *s = self;
    bool good = value && take_record(s, key, value, length);
    s->record_rows += good;
    if (!good)
        obb_arena_push(s->arena, &s->bad_records, (bad_key){key, key_length});
}

/* --- memo --------------------------------------------------------------------------- */

static bool memo_get(void *self, obb_fingerprint key, obb_text *answer)
{
    obb_state *s = self;
    return obb_store_get(&s->store, OBB_ROW_MEMO, &key, sizeof key, answer);
}

static void memo_put(void *self, obb_fingerprint key, const void *answer, size_t length)
{
    obb_state *s = self;
    obb_store_put(&s->store, OBB_ROW_MEMO, &key, sizeof key, answer, length);
}

obb_memo obb_state_memo(obb_state *s)
{
    return (obb_memo){s, memo_get, memo_put};
}

/* --- folders behind which paths were shortened --------------------------------------- */

static obb_fingerprint real_key(void)
{
    return obb_fingerprint_of("real folders", 12);
}

static bool knows_folders(obb_state *s)
{
    obb_text list = {0};
    bool known = memo_get(s, real_key(), &list);
    for (const char *at = obb_text_bytes(&list); *at;) {
        size_t n = strcspn(at, "\n");
        const char *path = obb_arena_copy(s->arena, at, n);
        obb_map_put(&s->real, path, s);
        s->moved = s->moved || !obb_is_real_folder(path);
        at += n + (at[n] == '\n');
    }
    obb_text_free(&list);
    return known;
}

static void remember_folders(obb_state *s)
{
    const obb_map *real = obb_files_real_folders(s->files);
    obb_text list = {0};
    bool news = !knows_folders(s);
    for (size_t i = 0; i < real->count; i++)
        news = !obb_map_put(&s->real, real->at[i].key, s) || news;
    news = news || s->moved;
    for (size_t i = 0; news && i < s->real.count; i++)
        if (obb_is_real_folder(s->real.at[i].key) && !strchr(s->real.at[i].key, '\n'))
            obb_text_format(&list, "%s\n", s->real.at[i].key);
    if (news)
        memo_put(s, real_key(), obb_text_bytes(&list), list.length);
    obb_text_free(&list);
}

/* --- the machine ---------------------------------------------------------------------- */

static obb_fingerprint boot_key(void)
{
    return obb_fingerprint_of("start of the machine", 20);
}

static void know_boot(obb_state *s)
{
    obb_text value = {0};
    const char *name = obb_boot_name(s->arena);
    bool known = *name && memo_get(s, boot_key(), &value) && value.length > sizeof s->committed;
    if (known)
        memcpy(&s->committed, value.bytes, sizeof s->committed);
    s->restarted = known && strcmp(value.bytes + sizeof s->committed, name) != 0;
    obb_text_free(&value);
}

static void remember_boot(obb_state *s)
{
    obb_text value = {0};
    const char *name = obb_boot_name(s->arena);
    int64_t now = obb_now();
    obb_text_add(&value, &now, sizeof now);
    obb_text_string(&value, name);
    if (*name)
        memo_put(s, boot_key(), value.bytes, value.length);
    obb_text_free(&value);
}

bool obb_state_folders_moved(const obb_state *s)
{
    return s->moved;
}

void obb_state_remember_files(obb_state *s)
{
    remember_folders(s);
    remember_boot(s);
    size_t count = obb_files_count(s->files);
    for (obb_file f = 0; f < count; f++) {
        file_row row = {.remembered = 1};
        bool news;
        if (!obb_files_memory(s->files, f, &row.stamp, &row.fingerprint, &news) || !news)
            continue;
        row.number = lasting_number(s, f);
        put_file_row(s, f, &row);
        obb_files_recall(s->files, f, row.stamp, row.fingerprint);
    }
}

/* --- how many records there are ------------------------------------------------------ */

/* A damaged store may lose sight of rows without saying so. */
static obb_fingerprint count_key(void)
{
    return obb_fingerprint_of("how many records", 16);
}

static void put_count(obb_state *s)
{
    memo_put(s, count_key(), &s->record_rows, sizeof s->record_rows);
    s->counted = s->record_rows;
}

static bool count_is_right(obb_state *s)
{
    obb_text value = {0};
    s->counted = 0;
    if (memo_get(s, count_key(), &value) && value.length == sizeof s->counted)
        memcpy(&s->counted, value.bytes, sizeof s->counted);
    obb_text_free(&value);
    return s->counted == s->record_rows + s->bad_records.count;
}

/* --- writing it down ---------------------------------------------------------------- */

/* A store that turns out to be damaged while it is written: what is known is written again. A part
 * knows little; the next build of all begins anew. */
static void replace_store(obb_state *s)
{
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    s->numbers_taken = 0;
    s->counted = 0;
    obb_store_set_aside(&s->store);
    s->store.sound = obb_store_open(&s->store);
    if (s->store.sound && !s->in_part) {
        write_all_records(s);
        put_count(s);
    }
    obb_store_commit(&s->store);
}

int obb_state_commit(obb_state *s)
{
    if (s->store.in_transaction && s->record_rows != s->counted && is_writer(s) && !s->in_part)
        put_count(s);
    obb_store_commit(&s->store);
    if (s->store.spoilt && is_writer(s))
        replace_store(s);
    write_made(s);
    int failed = s->store.failed ? s->store.failed : s->failed;
    s->store.failed = s->failed = 0;
    return failed;
}

void obb_state_drop_news(obb_state *s)
{
    obb_store_roll_back(&s->store);
    s->made_news.length = 0;
}

/* --- opening ------------------------------------------------------------------------ */

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

/* By which an output folder is known as one, even when nobody knows any more what was made in it. */
static int mark(obb_state *s)
{
    char *path = obb_path_join(s->arena, s->out, OBB_MARK_NAME);
    obb_stamp stamp;
    return obb_stamp_of(path, &stamp) ? 0
                                      : obb_file_replace(path, OBB_MARK_TEXT, strlen(OBB_MARK_TEXT), 0666);
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

/* Opens the store, or a new one in its place. What cannot be read is set aside by the one who may
 * write; others work in memory, since another process may be building. */
static bool open_some_store(obb_state *s)
{
    if (obb_store_open(&s->store))
        return true;
    if (is_writer(s)) {
        obb_store_set_aside(&s->store);
    } else {
        obb_store_close(&s->store);
        s->store.in_memory = true;
        s->store.damaged = false;
        s->store.failed = 0;
    }
    return obb_store_open(&s->store);
}

/* False: one stays, since its damaged key stands where no search comes to it. */
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
    read_made(s);
    know_boot(s);
    obb_store_each(&s->store, OBB_ROW_FILE, take_file, s);
    obb_store_each(&s->store, OBB_ROW_RECORD, take_record_row, s);
    if (!is_writer(s))
        return true;
    if (!s->store.damaged && count_is_right(s) && drop_bad_records(s))
        return true;
    obb_map_free(&s->records);
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    s->record_rows = s->counted = 0;
    obb_store_set_aside(&s->store);
    return obb_store_open(&s->store);
}

/* What was made is told twice: by the list, and by the records. */
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
        failed = mark(s);
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
    s->moved = !knows_folders(s) || s->moved;
    return s;
}

obb_state *obb_state_open_partial(const char *out, obb_files *files)
{
    obb_state *s = new_state(out, files);
    s->in_part = true;
    if (access(s->store.path, R_OK | W_OK) == 0 && obb_lock_take_at_once(&s->lock, lock_path(s)) &&
        obb_store_open(&s->store) && count_numbers(s) && !s->store.damaged && !s->store.failed) {
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
        obb_state_commit(s);
        obb_store_close(&s->store);
    }
    obb_lock_release(&s->lock);
    obb_map_free(&s->records);
    obb_map_free(&s->made);
    obb_map_free(&s->real);
    obb_text_free(&s->made_news);
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    obb_arena_free(s->arena);
    free(s);
}
