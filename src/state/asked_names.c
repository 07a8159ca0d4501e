/* The names of macros that scans asked for (state.h), by their marks: a piece for each time that there were
 * new ones, and a head that says how many there are.
 *
 * Names must not be lost while the records of those scans stay. Where that cannot be told (no head beside
 * records that rely on it, a piece too few), any name counts as asked for; that costs scans, never a wrong
 * answer. */
#include "state/state_form.h"

#include <stdlib.h>
#include <string.h>

static obb_fingerprint head_key(void)
{
    return obb_fingerprint_of("names asked for", 15);
}

static obb_fingerprint piece_key(uint64_t piece)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "names asked for");
    obb_hasher_add(p, &piece, sizeof piece);
    return obb_hasher_end(p);
}

static void read_head(obb_state *s)
{
    obb_text value = {0};
    if (s->asked_head_read)
        return;
    s->asked_head_read = true;
    if (obb_state_memo_get(s, head_key(), &value) && value.length == sizeof s->asked_head)
        memcpy(&s->asked_head, value.bytes, sizeof s->asked_head);
    else
        s->all_asked = s->partial || s->asked_records;
    obb_text_free(&value);
}

/* Only where a name is asked for: large projects have hundreds of thousands. */
static void read_names(obb_state *s)
{
    uint64_t sum = 0;
    read_head(s);
    if (s->asked_read)
        return;
    s->asked_read = true;
    for (uint64_t i = 0; i < s->asked_head.pieces; i++) {
        obb_text value = {0};
        obb_state_memo_get(s, piece_key(i), &value);
        size_t count = value.length / sizeof *s->asked.at;
        obb_vec_room(&s->asked, s->asked.count + count + 1);
        if (count)
            memcpy(s->asked.at + s->asked.count, value.bytes, count * sizeof *s->asked.at);
        s->asked.count += count;
        obb_text_free(&value);
    }
    for (size_t i = 0; i < s->asked.count; i++)
        sum += s->asked.at[i];
    if (s->asked.count != s->asked_head.names || sum != s->asked_head.sum)
        s->all_asked = true;
}

bool obb_state_notes_asked(obb_state *s)
{
    read_head(s);
    return !s->all_asked;
}

bool obb_state_is_asked(obb_state *s, uint64_t name)
{
    read_names(s);
    bool asked = s->all_asked;
    for (size_t i = 0; i < s->asked.count && !asked; i++)
        asked = s->asked.at[i] == name;
    return asked;
}

static int by_value(const void *a, const void *b)
{
    uint64_t x = *(const uint64_t *)a, y = *(const uint64_t *)b;
    return x < y ? -1 : x > y;
}

/* Puts the names from one on as another piece. */
static void put_piece(obb_state *s, size_t from)
{
    obb_asked_head *h = &s->asked_head;
    for (size_t i = from; i < s->asked.count; i++)
        h->sum += s->asked.at[i];
    h->names = s->asked.count;
    obb_state_memo_put(s, piece_key(h->pieces++), s->asked.at + from,
                       (s->asked.count - from) * sizeof *s->asked.at);
    obb_state_memo_put(s, head_key(), h, sizeof *h);
}

/* Most are known: one pass over those finds which are not. */
void obb_state_note_asked(obb_state *s, const uint64_t *names, size_t count)
{
    if (!obb_state_is_writer(s))
        return;
    read_names(s);
    size_t before = s->asked.count;
    uint64_t *sorted = obb_alloc((count + 1) * sizeof *sorted);
    bool *known = obb_alloc(count + 1);
    if (count)
        memcpy(sorted, names, count * sizeof *sorted);
    qsort(sorted, count, sizeof *sorted, by_value);
    for (size_t i = 0; i < before; i++) {
        const uint64_t *same = bsearch(&s->asked.at[i], sorted, count, sizeof *sorted, by_value);
        if (same)
            known[same - sorted] = true;
    }
    for (size_t i = 0; i < count; i++)
        if (!known[i])
            obb_vec_push(&s->asked, sorted[i]);
    free(known);
    free(sorted);
    if (!s->all_asked && (s->asked.count > before || !s->asked_head.pieces)) /* none is known as well */
        put_piece(s, before);
}

void obb_state_write_all_asked(obb_state *s)
{
    s->asked_head = (obb_asked_head){0};
    if (s->asked_read && !s->all_asked)
        put_piece(s, 0);
}
