#include "state/store.h"

#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/statvfs.h>
#include <unistd.h>

enum { FORMAT = 5 }; /* of the rows; another one is begun anew */

/* The store tells of some full disks as of any error of the device. */
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
        s->failed = primary == SQLITE_FULL || obb_store_disk_is_full(s) ? ENOSPC : primary == SQLITE_READONLY ? EROFS : EIO;
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

static bool prepare(obb_store *s)
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

void obb_store_close(obb_store *s)
{
    sqlite3_finalize(s->get);
    sqlite3_finalize(s->put);
    sqlite3_finalize(s->drop);
    sqlite3_close(s->db);
    s->get = s->put = s->drop = NULL;
    s->db = NULL;
    s->in_transaction = s->sound = s->spoilt = false;
}

bool obb_store_open(obb_store *s)
{
    int code = sqlite3_open_v2(s->in_memory ? ":memory:" : s->path, &s->db,
                               SQLITE_OPEN_READWRITE | SQLITE_OPEN_CREATE, NULL);
    return code == SQLITE_OK && prepare(s);
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

void obb_store_begin(obb_store *s)
{
    if (!s->in_transaction && s->db)
        s->in_transaction = run_sql(s, "BEGIN") == SQLITE_OK;
}

void obb_store_commit(obb_store *s)
{
    if (s->in_transaction)
        run_sql(s, "COMMIT");
    s->in_transaction = false;
}

/* A seal over key and value tells a damaged row. */
static uint64_t seal(obb_row_kind kind, const void *key, size_t key_length, const void *value, size_t length)
{
    obb_printer *p = obb_printer_new();
    obb_printer_add(p, &kind, sizeof kind);
    obb_printer_add(p, key, key_length);
    obb_printer_add(p, value, length);
    return obb_printer_end(p).low;
}

void obb_store_put(obb_store *s, obb_row_kind kind, const void *key, size_t key_length,
                    const void *value, size_t length)
{
    uint64_t mark = seal(kind, key, key_length, value, length);
    obb_text sealed = {0};
    if (!s->db)
        return;
    obb_store_begin(s);
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

bool obb_store_drop(obb_store *s, obb_row_kind kind, const void *key, size_t key_length)
{
    if (!s->db)
        return false;
    obb_store_begin(s);
    sqlite3_bind_int(s->drop, 1, (int)kind);
    sqlite3_bind_blob(s->drop, 2, key, (int)key_length, SQLITE_STATIC);
    int code = sqlite3_step(s->drop);
    note_failure(s, code);
    sqlite3_reset(s->drop);
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
    if (!s->db)
        return false;
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

void obb_store_each(obb_store *s, obb_row_kind kind, obb_row_taker *take, void *self)
{
    sqlite3_stmt *all = NULL;
    int code = sqlite3_prepare_v2(s->db, "SELECT key, value FROM rows WHERE kind=?1", -1, &all, NULL);
    if (code == SQLITE_OK) {
        sqlite3_bind_int(all, 1, (int)kind);
        while ((code = sqlite3_step(all)) == SQLITE_ROW) {
            size_t n = (size_t)sqlite3_column_bytes(all, 0), length = 0;
            char *key = obb_arena_copy(s->arena, sqlite3_column_blob(all, 0), n);
            const char *value = unsealed(kind, key, n, sqlite3_column_blob(all, 1), (size_t)sqlite3_column_bytes(all, 1), &length);
            take(self, key, n, value, length);
        }
    }
    note_failure(s, code);
    sqlite3_finalize(all);
}

bool obb_store_last_key(obb_store *s, obb_row_kind kind, obb_text *into)
{
    sqlite3_stmt *last = NULL;
    bool told = false;
    int code = sqlite3_prepare_v2(s->db, "SELECT key FROM rows WHERE kind=?1 ORDER BY key DESC LIMIT 1", -1, &last, NULL);
    if (code == SQLITE_OK) {
        sqlite3_bind_int(last, 1, (int)kind);
        code = sqlite3_step(last);
        told = code == SQLITE_ROW;
        if (told)
            obb_text_add(into, sqlite3_column_blob(last, 0), (size_t)sqlite3_column_bytes(last, 0));
    }
    note_failure(s, code);
    sqlite3_finalize(last);
    return told;
}
