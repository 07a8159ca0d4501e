/* The list of what was made (state.h), a text of its own: it is written before the first output is made, so
 * that what was made is known although the database may be lost.
 *
 * Lines are only added while a build runs; the list is rewritten when something was forgotten. A damaged
 * line is dropped, and the records fill the gap. */
#include "state/state_form.h"

#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/system.h"

/* The list is a text of its own, a line a path, each behind a seal: it outlives a damaged
 * store, so that what was made can still be found and removed. */
static void add_made_line(obb_text *text, const char *path)
{
    uint64_t mark = obb_fingerprint_of(path, strlen(path)).low;
    obb_text_format(text, "%016llx %s\n", (unsigned long long)mark, path);
}

/* Only the holder of the lock may store how many there are, or replace the store: another process may have it
 * open for reading, and remember answers in it. */
bool obb_state_is_writer(const obb_state *s)
{
    return s->lock.fd >= 0;
}

void obb_state_read_made(obb_state *s)
{
    obb_text text = {0}, line = {0};
    obb_stamp there;
    if (obb_state_is_writer(s) &&
        (obb_is_link(s->made_path) || (obb_stamp_of(s->made_path, &there) && there.kind != OBB_KIND_FILE))) {
        obb_below_remove_all(s->out, s->made_path); /* it is not a list of ours */
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

void obb_state_write_made(obb_state *s)
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
    if (s->forgotten.count)
        obb_map_put(&s->forgotten, path, NULL);
    if (!obb_map_put(&s->made, path, s) && !s->store.in_memory)
        add_made_line(&s->made_news, path);
}

bool obb_state_is_made(const obb_state *s, obb_file output)
{
    return obb_map_get(&s->made, obb_files_path(s->files, output)) != NULL;
}

void obb_state_forget_made(obb_state *s, obb_file output)
{
    const char *path = obb_files_path(s->files, output);
    obb_text row = {0};
    s->added_rows -= s->partial && obb_store_get(&s->store, OBB_ROW_RECORD, path, strlen(path), &row);
    obb_text_free(&row);
    obb_map_put(&s->made, path, NULL);
    s->record_rows -= obb_map_put(&s->records, path, NULL) != NULL;
    if (s->partial)
        obb_map_put(&s->forgotten, path, s);
    s->made_shrunk = !s->partial;
    obb_store_drop(&s->store, OBB_ROW_RECORD, path, strlen(path));
}

/* When the build is over, since all of the list must be read for that: what is in it and is not there does no
 * harm. */
void obb_state_shrink_made(obb_state *s)
{
    if (!s->forgotten.count || !obb_state_is_writer(s))
        return;
    obb_state_write_made(s); /* what was added */
    obb_state_read_made(s);
    for (size_t i = 0; i < s->forgotten.count; i++)
        if (s->forgotten.at[i].value)
            obb_map_put(&s->made, s->forgotten.at[i].key, NULL);
    s->made_shrunk = true;
}

void obb_state_list_made(obb_state *s, obb_file_list *outputs)
{
    for (size_t i = 0; i < s->made.count; i++)
        if (s->made.at[i].value)
            obb_vec_push(outputs, obb_files_number(s->files, s->made.at[i].key));
}
