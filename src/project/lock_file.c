/* The lock file (lock_file.h): parsed line by line, written whole. A line that cannot be read is an error,
 * never skipped: a sum that is lost would be recorded anew from whatever is fetched next. */
#include "project/lock_file.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "base/sha256.h"

static const char *const kinds[] = {"archive", "repository", "entry"};
static const char sum_prefix[] = "sha256:";

/* The next word of a line; the last one is the rest. NULL: there is none. */
static const char *take_word(obb_arena *arena, const char **at, bool rest)
{
    const char *word = *at + strspn(*at, " ");
    size_t n = rest ? strlen(word) : strcspn(word, " ");
    *at = word + n;
    return n ? obb_arena_copy(arena, word, n) : NULL;
}

static bool read_line(obb_arena *arena, const char *text, obb_lock_line *line)
{
    const char *kind = NULL, *sum = NULL;
    bool whole = (line->name = take_word(arena, &text, false)) &&
                 (line->version = take_word(arena, &text, false)) &&
                 (kind = take_word(arena, &text, false)) && (sum = take_word(arena, &text, false)) &&
                 obb_starts(sum, sum_prefix) && obb_is_sha256(sum + sizeof sum_prefix - 1);
    if (!whole)
        return false;
    size_t k = 0;
    while (k < sizeof kinds / sizeof *kinds && strcmp(kinds[k], kind) != 0)
        k++;
    if (k == sizeof kinds / sizeof *kinds)
        return false;
    line->kind = (obb_lock_kind)k;
    line->sum = sum + sizeof sum_prefix - 1;
    line->commit = line->revision = "";
    if (line->kind == OBB_LOCK_REPOSITORY && (!(line->commit = take_word(arena, &text, false)) ||
                                              !(line->revision = take_word(arena, &text, false))))
        return false;
    return (line->from = take_word(arena, &text, true)) != NULL;
}

static void read_lines(obb_lock_file *lock, const char *text, obb_diags *diags)
{
    int number = 1;
    for (const char *at = text; *at; number++) {
        size_t n = strcspn(at, "\n");
        const char *line = obb_arena_copy(lock->arena, at, n);
        obb_lock_line read = {.line = number};
        at += n + (at[n] == '\n');
        if (!*line || *line == '#')
            continue;
        if (read_line(lock->arena, line, &read)) {
            obb_arena_push(lock->arena, &lock->lines, read);
            continue;
        }
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION,
                                (obb_place){OBB_LOCK_NAME, number, 1, NULL, NULL},
                                "this line cannot be read");
        obb_hint(diags, d,
                 "take back what was changed in it; or remove the line, and the next `obbligato fetch` "
                 "records what it gets");
    }
}

obb_lock_file *obb_lock_file_read(obb_files *files, obb_arena *arena, obb_diags *diags)
{
    enum { LARGEST = 16 << 20 };
    obb_lock_file *lock = obb_arena_alloc(arena, sizeof *lock);
    obb_file file = obb_files_number(files, OBB_LOCK_NAME);
    const obb_stamp *stamp = obb_files_stamp(files, file);
    obb_text text = {0};
    lock->arena = arena;
    if (!stamp)
        return lock;
    int failed = stamp->size > LARGEST ? EFBIG : obb_files_read(files, file, &text);
    if (failed)
        obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot read %s: %s", OBB_LOCK_NAME,
                  strerror(failed));
    else
        read_lines(lock, text.bytes, diags);
    obb_text_free(&text);
    return lock;
}

const obb_lock_line *obb_lock_file_find(const obb_lock_file *lock, const char *name, const char *version,
                                   obb_lock_kind kind)
{
    for (size_t i = 0; i < lock->lines.count; i++) {
        const obb_lock_line *l = &lock->lines.at[i];
        if (l->kind == kind && strcmp(l->name, name) == 0 && strcmp(l->version, version) == 0)
            return l;
    }
    return NULL;
}

const obb_lock_line *obb_lock_file_find_entry(const obb_lock_file *lock, const char *from)
{
    for (size_t i = 0; i < lock->lines.count; i++)
        if (lock->lines.at[i].kind == OBB_LOCK_ENTRY && strcmp(lock->lines.at[i].from, from) == 0)
            return &lock->lines.at[i];
    return NULL;
}

static int by_name(const void *a, const void *b)
{
    const obb_lock_line *x = a, *y = b;
    int order = strcmp(x->name, y->name);
    if (!order)
        order = strcmp(x->version, y->version);
    if (!order)
        order = (int)x->kind - (int)y->kind;
    return order ? order : strcmp(x->from, y->from);
}

void obb_lock_file_print(const obb_lock_file *lock, obb_text *text)
{
    obb_lock_line *sorted = obb_alloc((lock->lines.count + 1) * sizeof *sorted);
    if (lock->lines.count)
        memcpy(sorted, lock->lines.at, lock->lines.count * sizeof *sorted);
    qsort(sorted, lock->lines.count, sizeof *sorted, by_name);
    obb_text_string(
        text, "# What was fetched, and its sums: written by `obbligato fetch`, kept with the project.\n");
    for (size_t i = 0; i < lock->lines.count; i++) {
        const obb_lock_line *l = &sorted[i];
        obb_text_format(text, "%s %s %s %s%s ", l->name, l->version, kinds[l->kind], sum_prefix, l->sum);
        if (l->kind == OBB_LOCK_REPOSITORY)
            obb_text_format(text, "%s %s ", l->commit, l->revision);
        obb_text_format(text, "%s\n", l->from);
    }
    free(sorted);
}
