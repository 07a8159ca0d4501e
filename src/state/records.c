/* Records of actions (state.h): their form in the store, reading them all at once or one when it is asked
 * for.
 *
 * A row is decoded in one pass with every length checked; one that does not fit is treated as absent. Files
 * are stored by lasting numbers, so that a path is stored once. */
#include "state/state_form.h"

#include <string.h>

#define ASKED_NOTED ((uint64_t)1 << 63) /* a flag of a record; former versions wrote none */

static void put_u64(obb_text *t, uint64_t v)
{
    obb_text_add(t, &v, sizeof v);
}

static void encode_record(obb_state *s, const obb_record *r, obb_text *t)
{
    obb_text_add(t, &r->command, sizeof r->command);
    obb_text_add(t, &r->tools, sizeof r->tools);
    obb_text_add(t, &r->output, sizeof r->output);
    put_u64(t, r->cost.milliseconds);
    put_u64(t, r->cost.memory);
    put_u64(t, r->argv.count);
    put_u64(t, r->inputs.count);
    for (size_t i = 0; i < r->inputs.count; i++) {
        uint32_t number = obb_state_lasting_number(s, r->inputs.at[i].file);
        obb_text_add(t, &number, sizeof number);
        obb_text_add(t, &r->inputs.at[i].fingerprint, sizeof(obb_fingerprint));
    }
    obb_text_add(t, &r->scan, sizeof r->scan);
    put_u64(t, (r->asked_noted ? ASKED_NOTED : 0) | (uint64_t)r->untold << 2 |
                   (uint64_t)r->text_matters << 1 | r->assembled);
    put_u64(t, r->absent.count);
    for (size_t i = 0; i < r->absent.count; i++) {
        uint32_t number = obb_state_lasting_number(s, r->absent.at[i]);
        obb_text_add(t, &number, sizeof number);
    }
    put_u64(t, r->also.count);
    for (size_t i = 0; i < r->also.count; i++) {
        uint32_t number = obb_state_lasting_number(s, r->also.at[i]);
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

/* A file by its lasting number. */
static obb_file take_numbered(obb_state *s, cursor *c)
{
    uint32_t number;
    take(c, &number, sizeof number);
    if (s->partial && c->ok)
        obb_state_know_number(s, number);
    c->ok = c->ok && number < s->by_number.count && s->by_number.at[number] != OBB_NO_FILE;
    return c->ok ? s->by_number.at[number] : 0;
}

static void take_head(cursor *c, obb_record *r)
{
    take(c, &r->command, sizeof r->command);
    take(c, &r->tools, sizeof r->tools);
    take(c, &r->output, sizeof r->output);
    take(c, &r->cost.milliseconds, sizeof r->cost.milliseconds);
    take(c, &r->cost.memory, sizeof r->cost.memory);
}

/* False: the row is of no use. */
static bool take_record(obb_state *s, const char *key, const char *value, size_t length)
{
    cursor c = {value, value + length, true};
    obb_record *r = obb_arena_alloc(s->arena, sizeof *r);
    uint64_t words, inputs, flags = 0, absent = 0, also = 0;
    take_head(&c, r);
    take(&c, &words, sizeof words);
    take(&c, &inputs, sizeof inputs);
    for (uint64_t i = 0; i < inputs && c.ok; i++) {
        obb_seen seen = {.file = take_numbered(s, &c)};
        take(&c, &seen.fingerprint, sizeof seen.fingerprint);
        obb_arena_push(s->arena, &r->inputs, seen);
    }
    take(&c, &r->scan, sizeof r->scan);
    take(&c, &flags, sizeof flags);
    take(&c, &absent, sizeof absent);
    r->assembled = flags & 1;
    r->text_matters = flags >> 1 & 1;
    r->asked_noted = (flags & ASKED_NOTED) != 0;
    r->untold = (flags & ~ASKED_NOTED) >> 2;
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
    s->asked_records += c.ok && r->asked_noted;
    if (c.ok && obb_map_put(&s->records, key, r))
        s->store.damaged = true; /* two rows of one key: one that the store has lost sight of */
    return c.ok;
}

/* Of a partial state: a record's row, when it is asked for. */
static bool get_record_row(obb_state *s, const char *path, obb_text *value)
{
    return s->partial && obb_store_get(&s->store, OBB_ROW_RECORD, path, strlen(path), value);
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

bool obb_state_last_run(obb_state *s, obb_file output, obb_last_run *last)
{
    const char *path = obb_files_path(s->files, output);
    const obb_record *known = obb_map_get(&s->records, path);
    obb_text value = {0};
    bool there = known != NULL;
    *last = known ? (obb_last_run){known->command, known->cost} : (obb_last_run){OBB_NO_FINGERPRINT, {0, 0}};
    if (!known && get_record_row(s, path, &value)) {
        cursor c = {value.bytes, value.bytes + value.length, true};
        obb_record head;
        take_head(&c, &head);
        there = c.ok;
        *last = (obb_last_run){head.command, head.cost};
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
    copy->asked_noted = record->asked_noted && obb_state_notes_asked(s);
    copy->reason = obb_arena_string(s->arena, record->reason);
    copy->inputs.at = (obb_seen *)(void *)obb_arena_copy(s->arena, record->inputs.at,
                                                         record->inputs.count * sizeof(obb_seen));
    copy->absent.at = (obb_file *)(void *)obb_arena_copy(s->arena, record->absent.at,
                                                         record->absent.count * sizeof(obb_file));
    copy->also.at = (obb_file *)(void *)obb_arena_copy(s->arena, record->also.at,
                                                       record->also.count * sizeof(obb_file));
    s->added_rows += s->partial && !obb_store_get(&s->store, OBB_ROW_RECORD, path, strlen(path), &text);
    text.length = 0;
    encode_record(s, copy, &text);
    obb_store_put(&s->store, OBB_ROW_RECORD, path, strlen(path), text.bytes, text.length);
    obb_text_free(&text);
    s->record_rows += !obb_map_put(&s->records, path, copy);
    if (!s->partial)
        obb_state_note_made(s, output);
}

void obb_state_write_all_records(obb_state *s)
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

void obb_state_take_record_row(void *self, const char *key, size_t key_length, const char *value,
                               size_t length)
{
    obb_state *s = self;
    bool good = value && take_record(s, key, value, length);
    s->record_rows += good;
    if (!good)
        obb_arena_push(s->arena, &s->bad_records, (obb_bad_key){key, key_length});
}
