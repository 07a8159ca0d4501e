/* What is known of files: stamps with the fingerprints of contents that they stand for, and what makes stamps
 * untrustworthy: a folder that became a link, a boot of the machine (state.h). */
#include "state/state_form.h"

#include <string.h>

#include "base/system.h"

/* What was written shortly before a machine lost its power may be empty and keep its stamp. So after a boot,
 * the stamps of files that changed shortly before the last commit are not trusted, once. */
#define SHORTLY (INT64_C(300) * 1000000000)

/* --- files ------------------------------------------------------------------------------ */

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

/* Of a partial state: what is known of a file, when it is asked for. */
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

uint32_t obb_state_lasting_number(obb_state *s, obb_file file)
{
    unsigned char key[4];
    file_row row = {.number = s->partial ? s->numbers_taken : (uint32_t)s->by_number.count};
    if (file < s->numbers.count && s->numbers.at[file])
        return s->numbers.at[file] - 1;
    if (s->partial && get_file_row(s, file, &row)) {
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

/* Of a partial state: the path of a lasting number, when it is asked for. */
void obb_state_know_number(obb_state *s, uint32_t number)
{
    unsigned char key[4];
    obb_text path = {0};
    name_key(number, key);
    bool known = number < s->by_number.count && s->by_number.at[number] != OBB_NO_FILE;
    if (!known && obb_store_get(&s->store, OBB_ROW_NAME, key, sizeof key, &path))
        set_number(s, obb_files_number(s->files, path.bytes), number);
    obb_text_free(&path);
}

/* The next lasting number; false when the rows are not sound. */
bool obb_state_count_numbers(obb_state *s)
{
    obb_text key = {0};
    bool told = obb_store_last_key(&s->store, OBB_ROW_NAME, &key) && key.length == 4;
    for (int i = 0; told && i < 4; i++)
        s->numbers_taken = s->numbers_taken << 8 | (unsigned char)key.bytes[i];
    s->numbers_taken += told;
    obb_text_free(&key);
    return told;
}

void obb_state_take_file(void *self, const char *key, size_t key_length, const char *value, size_t length)
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

/* --- folders behind which paths were shortened ------------------------------------------ */

static obb_fingerprint real_key(void)
{
    return obb_fingerprint_of("real folders", 12);
}

bool obb_state_knows_folders(obb_state *s)
{
    obb_text list = {0};
    bool known = obb_state_memo_get(s, real_key(), &list);
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
    bool news = !obb_state_knows_folders(s);
    for (size_t i = 0; i < real->count; i++)
        news = !obb_map_put(&s->real, real->at[i].key, s) || news;
    news = news || s->moved;
    for (size_t i = 0; news && i < s->real.count; i++)
        if (obb_is_real_folder(s->real.at[i].key) && !strchr(s->real.at[i].key, '\n'))
            obb_text_format(&list, "%s\n", s->real.at[i].key);
    if (news)
        obb_state_memo_put(s, real_key(), obb_text_bytes(&list), list.length);
    obb_text_free(&list);
}

/* --- the machine ------------------------------------------------------------------------ */

static obb_fingerprint boot_key(void)
{
    return obb_fingerprint_of("start of the machine", 20);
}

void obb_state_know_boot(obb_state *s)
{
    obb_text value = {0};
    const char *name = obb_boot_name(s->arena);
    bool known = *name && obb_state_memo_get(s, boot_key(), &value) && value.length > sizeof s->committed;
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
        obb_state_memo_put(s, boot_key(), value.bytes, value.length);
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
        row.number = obb_state_lasting_number(s, f);
        put_file_row(s, f, &row);
        obb_files_recall(s->files, f, row.stamp, row.fingerprint);
    }
}
