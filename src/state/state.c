#include "state/state.h"

#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <sqlite3.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/file.h>
#include <sys/stat.h>
#include <sys/statvfs.h>
#include <unistd.h>

#include "base/map.h"
#include "base/path.h"

enum { FORMAT = 3 }; /* of the rows; another one is begun anew */

/* ROW_NAME has the path of a lasting number, whose four bytes are the key, the highest first. */
typedef enum row_kind { ROW_MEMO, ROW_FILE, ROW_RECORD, ROW_NAME } row_kind;

struct obb_state {
    obb_arena *arena;
    obb_files *files;
    const char *folder, *path; /* .obbligato and its store */
    sqlite3 *db;
    sqlite3_stmt *get, *put, *drop;
    bool in_transaction, damaged, in_memory;
    bool in_part; /* rows are read when they are asked for */
    bool is_open, spoilt; /* the store was sound when it was opened; it turned out that it is not */
    uint32_t numbers_taken; /* of a part: lasting numbers that are given */
    int failed;
    int lock;
    bool broken_off; /* the build before this one did not end in order */
    obb_map records; /* by path: obb_record */
    uint64_t record_rows, counted; /* how many of them the store holds; how many it was told to hold */
    obb_words bad_records;
    obb_map made;    /* by path: itself, or NULL when forgotten */
    const char *made_path;
    obb_text made_news; /* lines to be added to the list on disk */
    bool made_shrunk;   /* the list must be written anew */
    OBB_VEC(uint32_t) numbers; /* by file: its lasting number, plus 1 */
    OBB_VEC(obb_file) by_number;
};

/* --- the store ---------------------------------------------------------------------- */

/* The store tells of some full disks as of any error of the device. */
static bool disk_is_full(const obb_state *s)
{
    struct statvfs disk;
    return statvfs(s->folder, &disk) == 0 && disk.f_blocks && (uint64_t)disk.f_bavail * disk.f_frsize < 65536;
}

static void note_failure(obb_state *s, int code)
{
    int primary = code & 0xff;
    if (primary == SQLITE_OK || primary == SQLITE_DONE || primary == SQLITE_ROW)
        return;
    if (primary == SQLITE_CORRUPT || primary == SQLITE_NOTADB)
        *(s->is_open ? &s->spoilt : &s->damaged) = true;
    else if (!s->failed)
        s->failed = primary == SQLITE_FULL || disk_is_full(s) ? ENOSPC : primary == SQLITE_READONLY ? EROFS : EIO;
}

static int run_sql(obb_state *s, const char *sql)
{
    int code = sqlite3_exec(s->db, sql, NULL, NULL, NULL);
    note_failure(s, code);
    return code;
}

static int no_rows(void *seen, int columns, char **values, char **names)
{
    (void)names;
    if (columns == 1 && values[0])
        *(int *)seen = atoi(values[0]);
    return 0;
}

static bool prepare(obb_state *s)
{
    int format = -1;
    run_sql(s, "PRAGMA journal_mode=WAL");
    run_sql(s, "PRAGMA synchronous=OFF");
    sqlite3_busy_timeout(s->db, 10000);
    if (sqlite3_exec(s->db, "PRAGMA user_version", no_rows, &format, NULL) != SQLITE_OK)
        return false;
    if (format != 0 && format != FORMAT)
        return false;
    char *version = sqlite3_mprintf("PRAGMA user_version=%d", FORMAT);
    bool ok = run_sql(s, "CREATE TABLE IF NOT EXISTS rows (kind INTEGER NOT NULL, key BLOB NOT NULL, "
                         "value BLOB NOT NULL, PRIMARY KEY (kind, key)) WITHOUT ROWID") == SQLITE_OK &&
              (format == FORMAT || run_sql(s, version) == SQLITE_OK) &&
              sqlite3_prepare_v2(s->db, "SELECT value FROM rows WHERE kind=?1 AND key=?2", -1, &s->get,
                                 NULL) == SQLITE_OK &&
              sqlite3_prepare_v2(s->db, "REPLACE INTO rows VALUES (?1, ?2, ?3)", -1, &s->put, NULL) ==
                  SQLITE_OK &&
              sqlite3_prepare_v2(s->db, "DELETE FROM rows WHERE kind=?1 AND key=?2", -1, &s->drop,
                                 NULL) == SQLITE_OK;
    sqlite3_free(version);
    return ok;
}

static void close_store(obb_state *s)
{
    sqlite3_finalize(s->get);
    sqlite3_finalize(s->put);
    sqlite3_finalize(s->drop);
    sqlite3_close(s->db);
    s->get = s->put = s->drop = NULL;
    s->db = NULL;
}

static bool open_store(obb_state *s)
{
    int code = sqlite3_open_v2(s->in_memory ? ":memory:" : s->path, &s->db,
                               SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL);
    return code == SQLITE_OK && prepare(s);
}

/* A store that cannot be read is kept under another name, for whoever wants to know why. */
static void set_aside(obb_state *s)
{
    static const char *const suffixes[] = {"", "-wal", "-shm"};
    close_store(s);
    for (size_t i = 0; i < 3; i++) {
        char *from = obb_arena_format(s->arena, "%s%s", s->path, suffixes[i]);
        if (i == 0)
            rename(from, obb_arena_format(s->arena, "%s.damaged", s->path));
        else
            unlink(from);
    }
    s->damaged = true;
}

static void leave_alone(obb_state *s)
{
    close_store(s);
    s->in_memory = true;
    s->damaged = false;
    s->failed = 0;
}

static void begin(obb_state *s)
{
    if (!s->in_transaction && s->db)
        s->in_transaction = run_sql(s, "BEGIN") == SQLITE_OK;
}

static void write_made(obb_state *s);

static void write_all_records(obb_state *s);
static void put_count(obb_state *s);

/* A store that turns out to be damaged while it is written: what is known is written anew. A part
 * knows little; the next build of all begins anew. */
static void replace_store(obb_state *s)
{
    s->is_open = s->spoilt = s->in_transaction = false;
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    s->numbers_taken = 0;
    set_aside(s);
    s->is_open = open_store(s);
    s->counted = 0;
    if (s->is_open && !s->in_part) {
        write_all_records(s);
        put_count(s);
    }
    if (s->in_transaction)
        run_sql(s, "COMMIT");
    s->in_transaction = false;
}

int obb_state_commit(obb_state *s)
{
    if (s->in_transaction && s->record_rows != s->counted && !s->in_part)
        put_count(s);
    if (s->in_transaction)
        run_sql(s, "COMMIT");
    s->in_transaction = false;
    if (s->spoilt)
        replace_store(s);
    write_made(s);
    int failed = s->failed;
    s->failed = 0;
    return failed;
}

/* A seal over key and value tells a damaged row. */
static uint64_t seal(row_kind kind, const void *key, size_t key_length, const void *value, size_t length)
{
    obb_printer *p = obb_printer_new();
    obb_printer_add(p, &kind, sizeof kind);
    obb_printer_add(p, key, key_length);
    obb_printer_add(p, value, length);
    return obb_printer_end(p).low;
}

static void put_row(obb_state *s, row_kind kind, const void *key, size_t key_length,
                    const void *value, size_t length)
{
    uint64_t mark = seal(kind, key, key_length, value, length);
    obb_text sealed = {0};
    if (!s->db)
        return;
    begin(s);
    obb_text_add(&sealed, &mark, sizeof mark);
    obb_text_add(&sealed, value, length);
    sqlite3_bind_int(s->put, 1, (int)kind);
    sqlite3_bind_blob(s->put, 2, key, (int)key_length, SQLITE_STATIC);
    sqlite3_bind_blob(s->put, 3, sealed.bytes, (int)sealed.length, SQLITE_STATIC);
    note_failure(s, sqlite3_step(s->put));
    sqlite3_reset(s->put);
    sqlite3_clear_bindings(s->put);
    obb_text_free(&sealed);
}

static void drop_row(obb_state *s, row_kind kind, const char *key)
{
    if (!s->db)
        return;
    begin(s);
    sqlite3_bind_int(s->drop, 1, (int)kind);
    sqlite3_bind_blob(s->drop, 2, key, (int)strlen(key), SQLITE_STATIC);
    note_failure(s, sqlite3_step(s->drop));
    sqlite3_reset(s->drop);
}

/* The value of a column if its seal holds; NULL otherwise. */
static const char *unsealed(row_kind kind, const void *key, size_t key_length, const void *sealed,
                            size_t sealed_length, size_t *length)
{
    uint64_t mark;
    if (sealed_length < sizeof mark)
        return NULL;
    memcpy(&mark, sealed, sizeof mark);
    *length = sealed_length - sizeof mark;
    const char *value = (const char *)sealed + sizeof mark;
    return seal(kind, key, key_length, value, *length) == mark ? value : NULL;
}

/* One row's value, added to `into`. */
static bool get_row(obb_state *s, row_kind kind, const void *key, size_t key_length, obb_text *into)
{
    size_t length;
    bool found = false;
    sqlite3_bind_int(s->get, 1, (int)kind);
    sqlite3_bind_blob(s->get, 2, key, (int)key_length, SQLITE_STATIC);
    int code = sqlite3_step(s->get);
    if (code == SQLITE_ROW) {
        const char *value = unsealed(kind, key, key_length, sqlite3_column_blob(s->get, 0),
                                     (size_t)sqlite3_column_bytes(s->get, 0), &length);
        found = value != NULL;
        if (found)
            obb_text_add(into, value, length);
    }
    note_failure(s, code);
    sqlite3_reset(s->get);
    return found;
}

/* False: the row is of no use. */
typedef bool row_taker(obb_state *s, const char *key, size_t key_length, const char *value, size_t length);

static void each_row(obb_state *s, row_kind kind, row_taker *take)
{
    sqlite3_stmt *all = NULL;
    int code = sqlite3_prepare_v2(s->db, "SELECT key, value FROM rows WHERE kind=?1", -1, &all, NULL);
    if (code == SQLITE_OK) {
        sqlite3_bind_int(all, 1, (int)kind);
        while ((code = sqlite3_step(all)) == SQLITE_ROW) {
            size_t n = (size_t)sqlite3_column_bytes(all, 0), length;
            char *key = obb_arena_copy(s->arena, sqlite3_column_blob(all, 0), n);
            const char *value = unsealed(kind, key, n, sqlite3_column_blob(all, 1),
                                         (size_t)sqlite3_column_bytes(all, 1), &length);
            bool good = value && take(s, key, n, value, length);
            if (kind == ROW_RECORD) {
                s->record_rows += good;
                if (!good)
                    obb_arena_push(s->arena, &s->bad_records, key);
            }
        }
    }
    note_failure(s, code);
    sqlite3_finalize(all);
}

/* --- one writer --------------------------------------------------------------------- */

/* The lock is handed on to the commands that a build starts. So when a build is killed, the
 * next one waits until its last command has ended too, and none of them writes in between. */
static bool try_lock(int fd, bool wait)
{
    int code;
    do
        code = flock(fd, wait ? LOCK_EX : LOCK_EX | LOCK_NB);
    while (code && errno == EINTR && wait);
    return code == 0;
}

static void tell_who_waits(int fd, void (*waiting)(void *, const char *), void *self)
{
    char holder[200] = "";
    ssize_t n = pread(fd, holder, sizeof holder - 1, 0);
    holder[n > 0 ? n : 0] = 0;
    if (waiting)
        waiting(self, holder);
}

/* The lock file may be taken away by the one who held it (when all is cleaned). */
static bool still_there(int fd, const char *path)
{
    struct stat mine, now;
    return fstat(fd, &mine) == 0 && stat(path, &now) == 0 && mine.st_ino == now.st_ino;
}

/* Above the descriptors that a command is given (see obb_state_lock). */
static int open_high(const char *path)
{
    int fd = open(path, O_RDWR | O_CREAT | O_CLOEXEC, 0666);
    int high = fd < 0 ? -1 : fcntl(fd, F_DUPFD_CLOEXEC, 10);
    if (fd >= 0)
        close(fd);
    return high;
}

static bool open_lock(obb_state *s, const char *path)
{
    s->lock = obb_path_make_folders(path) ? -1 : open_high(path);
    return s->lock >= 0;
}

/* An orderly end leaves no note. */
static void look_for_note(obb_state *s)
{
    char note;
    s->broken_off = pread(s->lock, &note, 1, 0) == 1;
}

static void leave_note(obb_state *s)
{
    char note[60];
    int length = snprintf(note, sizeof note, "process %ld", (long)getpid());
    bool noted = ftruncate(s->lock, 0) == 0 && pwrite(s->lock, note, (size_t)length, 0) == length;
    (void)noted; /* it is for people, and for the next build to look for leftovers */
}

static bool take_lock(obb_state *s, void (*waiting)(void *, const char *), void *self)
{
    char *path = obb_arena_format(s->arena, "%s/lock", s->folder);
    for (;;) {
        if (!open_lock(s, path))
            return false;
        if (!try_lock(s->lock, false)) {
            tell_who_waits(s->lock, waiting, self);
            waiting = NULL; /* said once */
            if (!try_lock(s->lock, true))
                return false;
        }
        if (still_there(s->lock, path))
            break;
        close(s->lock);
    }
    look_for_note(s);
    leave_note(s);
    return true;
}

/* Without waiting, and only after an orderly end. */
static bool take_lock_at_once(obb_state *s)
{
    char *path = obb_arena_format(s->arena, "%s/lock", s->folder);
    bool mine = open_lock(s, path) && try_lock(s->lock, false) && still_there(s->lock, path);
    if (mine)
        look_for_note(s);
    if (mine && !s->broken_off) {
        leave_note(s);
        return true;
    }
    if (s->lock >= 0)
        close(s->lock);
    s->lock = -1;
    return false;
}

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
        obb_text_add(t, &r->inputs.at[i].print, sizeof(obb_print));
    }
    obb_text_add(t, &r->scan, sizeof r->scan);
    put_u64(t, r->assembled);
    put_u64(t, r->absent.count);
    for (size_t i = 0; i < r->absent.count; i++) {
        uint32_t number = lasting_number(s, r->absent.at[i]);
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

static bool take_record(obb_state *s, const char *key, size_t key_length, const char *value, size_t length)
{
    cursor c = {value, value + length, true};
    obb_record *r = obb_arena_alloc(s->arena, sizeof *r);
    uint64_t words, inputs, assembled = 0, absent = 0;
    (void)key_length;
    take(&c, &r->command, sizeof r->command);
    take(&c, &r->tools, sizeof r->tools);
    take(&c, &r->output, sizeof r->output);
    take(&c, &r->milliseconds, sizeof r->milliseconds);
    take(&c, &words, sizeof words);
    take(&c, &inputs, sizeof inputs);
    for (uint64_t i = 0; i < inputs && c.ok; i++) {
        obb_seen seen = {.file = take_numbered(s, &c)};
        take(&c, &seen.print, sizeof seen.print);
        obb_arena_push(s->arena, &r->inputs, seen);
    }
    take(&c, &r->scan, sizeof r->scan);
    take(&c, &assembled, sizeof assembled);
    take(&c, &absent, sizeof absent);
    r->assembled = assembled;
    for (uint64_t i = 0; i < absent && c.ok; i++) {
        obb_file file = take_numbered(s, &c);
        obb_arena_push(s->arena, &r->absent, file);
    }
    r->reason = take_string(&c, s->arena);
    for (uint64_t i = 0; i < words && c.ok; i++)
        obb_arena_push(s->arena, &r->argv, take_string(&c, s->arena));
    if (c.ok && obb_map_put(&s->records, key, r))
        s->damaged = true; /* two rows of one key: one that the store has lost sight of */
    return c.ok;
}

const obb_record *obb_state_record(obb_state *s, obb_file output)
{
    const char *path = obb_files_path(s->files, output);
    const obb_record *known = obb_map_get(&s->records, path);
    obb_text value = {0};
    if (!known && s->in_part && get_row(s, ROW_RECORD, path, strlen(path), &value)) {
        take_record(s, path, strlen(path), value.bytes, value.length);
        known = obb_map_get(&s->records, path);
    }
    obb_text_free(&value);
    return known;
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
    encode_record(s, record, &text);
    put_row(s, ROW_RECORD, path, strlen(path), text.bytes, text.length);
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
        put_row(s, ROW_RECORD, path, strlen(path), text.bytes, text.length);
        obb_text_free(&text);
    }
}

/* --- what was made ------------------------------------------------------------------ */

/* The list is a text of its own, a line a path, each behind a seal: it outlives a damaged
 * store, so that what was made can still be found and removed. */
static void add_made_line(obb_text *text, const char *path)
{
    uint64_t mark = obb_print_of(path, strlen(path)).low;
    obb_text_format(text, "%016llx %s\n", (unsigned long long)mark, path);
}

static void read_made(obb_state *s)
{
    obb_text text = {0}, line = {0};
    if (!s->in_memory && obb_file_read(s->made_path, &text) == 0)
        for (char *at = text.bytes; *at;) {
            size_t n = strcspn(at, "\n");
            const char *path = n > 17 ? obb_arena_copy(s->arena, at + 17, n - 17) : "";
            line.length = 0;
            add_made_line(&line, path);
            if (line.length == n + 1 && memcmp(line.bytes, at, n) == 0)
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
        int fd = open(s->made_path, O_WRONLY | O_CREAT | O_APPEND | O_CLOEXEC, 0666);
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
    if (!s->in_part && !obb_map_put(&s->made, path, s) && !s->in_memory)
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
    drop_row(s, ROW_RECORD, path);
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
    obb_print print;
} file_row;

static void put_file_row(obb_state *s, obb_file file, const file_row *row)
{
    const char *path = obb_files_path(s->files, file);
    put_row(s, ROW_FILE, path, strlen(path), row, sizeof *row);
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
    bool found = get_row(s, ROW_FILE, path, strlen(path), &value) && value.length == sizeof *row;
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
    put_row(s, ROW_NAME, key, sizeof key, path, strlen(path) + 1);
    return row.number;
}

/* Of a part: the path of a lasting number, when it is asked for. */
static void know_number(obb_state *s, uint32_t number)
{
    unsigned char key[4];
    obb_text path = {0};
    name_key(number, key);
    bool known = number < s->by_number.count && s->by_number.at[number] != OBB_NO_FILE;
    if (!known && get_row(s, ROW_NAME, key, sizeof key, &path))
        set_number(s, obb_files_number(s->files, path.bytes), number);
    obb_text_free(&path);
}

/* The lasting number that comes next; false when the rows do not tell. */
static bool count_numbers(obb_state *s)
{
    sqlite3_stmt *last = NULL;
    bool told = false;
    if (sqlite3_prepare_v2(s->db, "SELECT key FROM rows WHERE kind=?1 ORDER BY key DESC LIMIT 1", -1, &last, NULL) == SQLITE_OK) {
        sqlite3_bind_int(last, 1, ROW_NAME);
        told = sqlite3_step(last) == SQLITE_ROW && sqlite3_column_bytes(last, 0) == 4;
        const unsigned char *key = told ? sqlite3_column_blob(last, 0) : NULL;
        for (int i = 0; told && i < 4; i++)
            s->numbers_taken = s->numbers_taken << 8 | key[i];
        s->numbers_taken++;
    }
    sqlite3_finalize(last);
    return told;
}

static bool take_file(obb_state *s, const char *key, size_t key_length, const char *value, size_t length)
{
    file_row row;
    (void)key_length;
    if (length != sizeof row)
        return false;
    memcpy(&row, value, sizeof row);
    if (row.number > 100000000)
        return false;
    obb_file file = obb_files_number(s->files, key);
    if (file < s->numbers.count && s->numbers.at[file])
        s->damaged = true;
    set_number(s, file, row.number);
    if (row.remembered)
        obb_files_recall(s->files, file, row.stamp, row.print);
    return true;
}

void obb_state_recall_files(obb_state *s)
{
    if (!s->db)
        return;
    each_row(s, ROW_FILE, take_file);
    each_row(s, ROW_RECORD, take_record);
}

void obb_state_remember_files(obb_state *s)
{
    size_t count = obb_files_count(s->files);
    for (obb_file f = 0; f < count; f++) {
        file_row row = {.remembered = 1};
        bool news;
        if (!obb_files_memory(s->files, f, &row.stamp, &row.print, &news) || !news)
            continue;
        row.number = lasting_number(s, f);
        put_file_row(s, f, &row);
        obb_files_recall(s->files, f, row.stamp, row.print);
    }
}

/* --- memo --------------------------------------------------------------------------- */

static bool memo_get(void *self, obb_print key, obb_text *answer)
{
    obb_state *s = self;
    return s->db && get_row(s, ROW_MEMO, &key, sizeof key, answer);
}

static void memo_put(void *self, obb_print key, const void *answer, size_t length)
{
    put_row(self, ROW_MEMO, &key, sizeof key, answer, length);
}

obb_memo obb_state_memo(obb_state *s)
{
    return (obb_memo){s, memo_get, memo_put};
}

/* --- how many records there are --- */

/* A damaged store may lose sight of rows without saying so. */
static obb_print count_key(void)
{
    return obb_print_of("how many records", 16);
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

/* --- opening ------------------------------------------------------------------------ */

static obb_state *refuse(obb_state *s, obb_diags *diags, const char *path, int failed)
{
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot use the output folder `%s`: %s",
                            path, strerror(failed));
    obb_hint(diags, d, "choose another one: --out FOLDER, or OBBLIGATO_OUT=FOLDER");
    obb_state_close(s);
    return NULL;
}

static obb_state *new_state(const char *out, obb_files *files)
{
    obb_state *s = obb_alloc(sizeof *s);
    s->arena = obb_arena_new();
    s->files = files;
    s->lock = -1;
    s->folder = obb_path_join(s->arena, out, ".obbligato");
    s->path = obb_path_join(s->arena, s->folder, "state.db");
    s->made_path = obb_path_join(s->arena, s->folder, "made");
    return s;
}

obb_state *obb_state_open(const char *out, obb_files *files, obb_state_use use,
                          void (*waiting)(void *, const char *), void *self, obb_diags *diags)
{
    obb_state *s = new_state(out, files);
    bool create = use == OBB_STATE_BUILD;
    if (create) {
        int failed = obb_path_make_folders(s->path);
        if (failed)
            return refuse(s, diags, out, failed);
        if (!take_lock(s, waiting, self))
            return refuse(s, diags, out, errno);
    } else {
        s->in_memory = access(s->path, R_OK | W_OK) != 0;
    }
    if (!open_store(s)) {
        if (create)
            set_aside(s);
        else /* not ours to touch: another process may be building */
            leave_alone(s);
        if (!open_store(s))
            return refuse(s, diags, s->path, disk_is_full(s) ? ENOSPC : s->failed ? s->failed : EIO);
    }
    read_made(s);
    obb_state_recall_files(s);
    if (create && !count_is_right(s))
        s->damaged = true;
    for (size_t i = 0; create && !s->damaged && i < s->bad_records.count; i++)
        drop_row(s, ROW_RECORD, s->bad_records.at[i]);
    if (s->damaged && s->db && create && s->get) { /* found while reading: begin anew as well */
        obb_map_free(&s->records);
        obb_vec_free(&s->numbers);
        obb_vec_free(&s->by_number);
        s->record_rows = s->counted = 0;
        set_aside(s);
        if (!open_store(s))
            return refuse(s, diags, s->path, EIO);
    }
    for (size_t i = 0; i < s->records.count; i++) /* the list may have lost a line */
        obb_state_note_made(s, obb_files_number(files, s->records.at[i].key));
    s->failed = 0;
    s->is_open = true;
    return s;
}

obb_state *obb_state_open_part(const char *out, obb_files *files)
{
    obb_state *s = new_state(out, files);
    s->in_part = true;
    if (access(s->path, R_OK | W_OK) == 0 && take_lock_at_once(s) && open_store(s) && count_numbers(s) && !s->damaged &&
        !s->failed) {
        s->is_open = true;
        begin(s); /* so that each look into the store need not lock it */
        return s;
    }
    obb_state_close(s);
    return NULL;
}

bool obb_state_was_broken_off(const obb_state *s)
{
    return s->broken_off;
}

int obb_state_lock(const obb_state *s)
{
    return s->lock;
}

bool obb_state_was_damaged(const obb_state *s)
{
    return s->damaged;
}

void obb_state_close(obb_state *s)
{
    if (!s)
        return;
    if (s->db) {
        obb_state_commit(s);
        close_store(s);
    }
    if (s->lock >= 0) {
        bool cleared = ftruncate(s->lock, 0) == 0;
        (void)cleared; /* if not, the next build looks for leftovers in vain */
        close(s->lock);
    }
    obb_map_free(&s->records);
    obb_map_free(&s->made);
    obb_text_free(&s->made_news);
    obb_vec_free(&s->numbers);
    obb_vec_free(&s->by_number);
    obb_arena_free(s->arena);
    free(s);
}
