/* Rows in SQLite (store.h). Every failure is noted and nothing stops: a row that cannot be read is absent,
 * one that cannot be written is told of at the commit.
 *
 * Statements are prepared when they are first used. The first failure is kept in `failed`; after one that
 * means damage, nothing more is read or written. */
#include "base/files.h"
#include "state/store.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/statvfs.h>
#include <unistd.h>

enum { FORMAT = 9 }; /* of the rows; another one is started over */

/* The store reports some full disks as device errors. */
bool obb_store_disk_is_full(const obb_store *s)
{
    struct statvfs disk;
    return statvfs(s->folder, &disk) == 0 && disk.f_blocks && (uint64_t)disk.f_bavail * disk.f_frsize < 65536;
}

static void note_failure(obb_store *s, int code)
{
    int primary = code & 0xff;
    if (primary == SQLITE_OK || primary == SQLITE_DONE || primary == SQLITE_ROW)
        return;
    if (primary == SQLITE_CORRUPT || primary == SQLITE_NOTADB)
        *(s->sound ? &s->spoilt : &s->damaged) = true;
    else if (!s->failed)
        s->failed = primary == SQLITE_FULL || obb_store_disk_is_full(s) ? ENOSPC
                    : primary == SQLITE_READONLY                        ? EROFS
                                                                        : EIO;
}

static int run_sql(obb_store *s, const char *sql)
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

static const char *const tables[OBB_ROW_KINDS] = {"memos", "files", "records", "names"};

static bool make_tables(obb_store *s)
{
    bool ok = true;
    for (int kind = 0; kind < OBB_ROW_KINDS && ok; kind++)
        ok = run_sql(s, obb_arena_format(s->arena,
                                         "CREATE TABLE IF NOT EXISTS %s (key BLOB PRIMARY KEY NOT NULL, "
                                         "value BLOB NOT NULL) WITHOUT ROWID",
                                         tables[kind])) == SQLITE_OK;
    return ok && run_sql(s, obb_arena_format(s->arena, "PRAGMA user_version=%d", FORMAT)) == SQLITE_OK;
}

static bool prepare(obb_store *s)
{
    int format = -1, stay = 1;
    run_sql(s, "PRAGMA synchronous=OFF"); /* before anything is written: a new store would be synced four
                                             times */
    run_sql(s, "PRAGMA journal_mode=WAL");
    /* Its files stay, empty, when the store is closed: creating them each time would cost half a millisecond.
     */
    sqlite3_file_control(s->db, "main", SQLITE_FCNTL_PERSIST_WAL, &stay);
    run_sql(s, "PRAGMA journal_size_limit=0");
    sqlite3_busy_timeout(s->db, 10000);
    if (sqlite3_exec(s->db, "PRAGMA user_version", no_rows, &format, NULL) != SQLITE_OK)
        return false;
    s->is_new = format == 0 && make_tables(s);
    return format == FORMAT || s->is_new;
}

/* `sql` names the table of the kind. NULL: the store is damaged; so it is when a table is not there. */
static sqlite3_stmt *statement_for(obb_store *s, const char *sql, obb_row_kind kind)
{
    sqlite3_stmt *made = NULL;
    char *text = sqlite3_mprintf(sql, tables[kind]);
    int code = sqlite3_prepare_v2(s->db, text, -1, &made, NULL);
    note_failure(s, code == SQLITE_ERROR ? SQLITE_CORRUPT : code);
    sqlite3_free(text);
    return made;
}

/* One that stays, made when it is first used. */
static sqlite3_stmt *statement(obb_store *s, sqlite3_stmt **of_kinds, const char *sql, obb_row_kind kind)
{
    if (!of_kinds[kind])
        of_kinds[kind] = statement_for(s, sql, kind);
    return of_kinds[kind];
}

bool obb_store_open(obb_store *s)
{
    static const char *const suffixes[] = {"", "-wal", "-shm", "-journal", NULL};
    for (const char *const *x = suffixes; *x && !s->in_memory; x++) { /* it would be written through */
        const char *path = obb_arena_format(s->arena, "%s%s", s->path, *x);
        if (obb_is_link(path))
            unlink(path);
    }
    int code = sqlite3_open_v2(s->in_memory ? ":memory:" : s->path, &s->db,
                               SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL);
    return code == SQLITE_OK && prepare(s);
}

void obb_store_begin(obb_store *s)
{
    if (!s->in_transaction && s->db)
        s->in_transaction = run_sql(s, "BEGIN") == SQLITE_OK;
}

/* --- writing ------------------------------------------------------------------------ */

/* A row that waits: its key in the map is its kind, in a byte, and then this key. */
typedef struct waiting_row {
    obb_row_kind kind;
    const char *key, *value;
    size_t key_length, length;
} waiting_row;

enum { MOST_WAITING = 1000 };

/* A seal over key and value tells a damaged row. */
static uint64_t seal(obb_row_kind kind, const void *key, size_t key_length, const void *value, size_t length)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_add(p, &kind, sizeof kind);
    obb_hasher_add(p, key, key_length);
    obb_hasher_add(p, value, length);
    return obb_hasher_end(p).low;
}

/* One that has looked at older rows could not write any more once another has written. */
static bool begin_writing(obb_store *s)
{
    if (s->has_written)
        return true;
    if (s->in_transaction)
        run_sql(s, "COMMIT");
    s->in_transaction = s->has_written = run_sql(s, "BEGIN IMMEDIATE") == SQLITE_OK;
    return s->has_written;
}

static void write_row(obb_store *s, const waiting_row *row)
{
    uint64_t mark = seal(row->kind, row->key, row->key_length, row->value, row->length);
    obb_text sealed = {0};
    sqlite3_stmt *put = statement(s, s->put, "REPLACE INTO %s VALUES (?1, ?2)", row->kind);
    if (!put)
        return;
    obb_text_add(&sealed, &mark, sizeof mark);
    obb_text_add(&sealed, row->value, row->length);
    sqlite3_bind_blob(put, 1, row->key, (int)row->key_length, SQLITE_STATIC);
    sqlite3_bind_blob(put, 2, sealed.bytes, (int)sealed.length, SQLITE_STATIC);
    note_failure(s, sqlite3_step(put));
    sqlite3_reset(put);
    sqlite3_clear_bindings(put);
    obb_text_free(&sealed);
}

static void forget_waiting(obb_store *s)
{
    obb_map_free(&s->waiting);
    obb_arena_free(s->rows);
    s->rows = NULL;
}

static void write_waiting(obb_store *s)
{
    if (s->waiting.count && begin_writing(s))
        for (size_t i = 0; i < s->waiting.count; i++)
            write_row(s, s->waiting.at[i].value);
    forget_waiting(s);
}

bool obb_store_has_news(const obb_store *s)
{
    return s->waiting.count || s->has_written;
}

void obb_store_commit(obb_store *s)
{
    write_waiting(s);
    if (s->in_transaction)
        run_sql(s, "COMMIT");
    s->in_transaction = s->has_written = false;
}

void obb_store_roll_back(obb_store *s)
{
    forget_waiting(s);
    if (s->in_transaction)
        run_sql(s, "ROLLBACK");
    s->in_transaction = s->has_written = false;
}

void obb_store_close(obb_store *s)
{
    for (int kind = 0; kind < OBB_ROW_KINDS; kind++) {
        sqlite3_finalize(s->get[kind]);
        sqlite3_finalize(s->put[kind]);
        sqlite3_finalize(s->drop[kind]);
        s->get[kind] = s->put[kind] = s->drop[kind] = NULL;
    }
    forget_waiting(s);
    sqlite3_close(s->db);
    s->db = NULL;
    s->in_transaction = s->has_written = s->sound = s->spoilt = false;
}

void obb_store_set_aside(obb_store *s)
{
    static const char *const suffixes[] = {"", "-wal", "-shm"};
    obb_store_close(s);
    for (size_t i = 0; i < 3; i++) {
        char *from = obb_arena_format(s->arena, "%s%s", s->path, suffixes[i]);
        if (i == 0)
            rename(from, obb_arena_format(s->arena, "%s.damaged", s->path));
        else
            unlink(from);
    }
    s->damaged = true;
}

static void waiting_key(char *both, obb_row_kind kind, const void *key, size_t key_length)
{
    both[0] = (char)kind;
    memcpy(both + 1, key, key_length);
}

void obb_store_put(obb_store *s, obb_row_kind kind, const void *key, size_t key_length, const void *value,
                   size_t length)
{
    if (!s->db)
        return;
    if (!s->rows)
        s->rows = obb_arena_new();
    waiting_row *row = obb_arena_alloc(s->rows, sizeof *row);
    char *both = obb_arena_alloc(s->rows, key_length + 1);
    waiting_key(both, kind, key, key_length);
    *row = (waiting_row){kind, both + 1, obb_arena_copy(s->rows, value, length), key_length, length};
    uint32_t n = obb_map_number(&s->waiting, both, key_length + 1, NULL);
    s->waiting.at[n].key = both;
    s->waiting.at[n].value = row;
    if (s->waiting.count >= MOST_WAITING)
        write_waiting(s);
}

static const waiting_row *find_waiting(const obb_store *s, obb_row_kind kind, const void *key,
                                       size_t key_length)
{
    char near[256], *both = key_length < sizeof near ? near : obb_alloc(key_length + 1);
    waiting_key(both, kind, key, key_length);
    uint32_t n = obb_map_find(&s->waiting, both, key_length + 1);
    if (both != near)
        free(both);
    return n == UINT32_MAX ? NULL : s->waiting.at[n].value;
}

bool obb_store_drop(obb_store *s, obb_row_kind kind, const void *key, size_t key_length)
{
    if (!s->db)
        return false;
    write_waiting(s);
    if (!begin_writing(s))
        return false;
    sqlite3_stmt *drop = statement(s, s->drop, "DELETE FROM %s WHERE key=?1", kind);
    if (!drop)
        return false;
    sqlite3_bind_blob(drop, 1, key, (int)key_length, SQLITE_STATIC);
    int code = sqlite3_step(drop);
    note_failure(s, code);
    sqlite3_reset(drop);
    return code == SQLITE_DONE && sqlite3_changes(s->db) == 1;
}

/* The value of a column if its seal holds; NULL otherwise. */
static const char *unsealed(obb_row_kind kind, const void *key, size_t key_length, const void *sealed,
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

bool obb_store_get(obb_store *s, obb_row_kind kind, const void *key, size_t key_length, obb_text *into)
{
    size_t length;
    bool found = false;
    const waiting_row *row = s->waiting.count ? find_waiting(s, kind, key, key_length) : NULL;
    if (row) {
        obb_text_add(into, row->value, row->length);
        return true;
    }
    sqlite3_stmt *get = s->db ? statement(s, s->get, "SELECT value FROM %s WHERE key=?1", kind) : NULL;
    if (!get)
        return false;
    sqlite3_bind_blob(get, 1, key, (int)key_length, SQLITE_STATIC);
    int code = sqlite3_step(get);
    if (code == SQLITE_ROW) {
        const char *value = unsealed(kind, key, key_length, sqlite3_column_blob(get, 0),
                                     (size_t)sqlite3_column_bytes(get, 0), &length);
        found = value != NULL;
        if (found)
            obb_text_add(into, value, length);
    }
    note_failure(s, code);
    sqlite3_reset(get);
    return found;
}

void obb_store_each(obb_store *s, obb_row_kind kind, obb_row_taker *take, void *self)
{
    sqlite3_stmt *all = statement_for(s, "SELECT key, value FROM %s", kind);
    int code = SQLITE_OK;
    if (all) {
        while ((code = sqlite3_step(all)) == SQLITE_ROW) {
            size_t n = (size_t)sqlite3_column_bytes(all, 0), length = 0;
            char *key = obb_arena_copy(s->arena, sqlite3_column_blob(all, 0), n);
            const char *value = unsealed(kind, key, n, sqlite3_column_blob(all, 1),
                                         (size_t)sqlite3_column_bytes(all, 1), &length);
            take(self, key, n, value, length);
        }
    }
    note_failure(s, code);
    sqlite3_finalize(all);
}

bool obb_store_last_key(obb_store *s, obb_row_kind kind, obb_text *into)
{
    sqlite3_stmt *last = statement_for(s, "SELECT key FROM %s ORDER BY key DESC LIMIT 1", kind);
    bool told = false;
    int code = SQLITE_OK;
    if (last) {
        code = sqlite3_step(last);
        told = code == SQLITE_ROW;
        if (told)
            obb_text_add(into, sqlite3_column_blob(last, 0), (size_t)sqlite3_column_bytes(last, 0));
    }
    note_failure(s, code);
    sqlite3_finalize(last);
    return told;
}
