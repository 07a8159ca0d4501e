/* The names of macros that scans asked for (state.h), by their marks: a piece for each time that there were
 * new ones, and a head that says how many there are.
 *
 * Names must not be lost while the records of those scans stay. Where that cannot be told (no head beside
 * records that rely on it, a piece too few), any name counts as asked for; that costs scans, never a wrong
 * answer. */
#include "state/state_form.h"

#include <string.h>

typedef struct names_head {
    uint64_t pieces, names, sum; /* sum of the marks */
} names_head;

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

static bool add_name(obb_state *s, uint64_t name)
{
    bool added;
    uint32_t n = obb_map_number(&s->asked, (const char *)&name, sizeof name, &added);
    if (added) {
        s->asked.at[n].key = obb_arena_copy(s->arena, (const char *)&name, sizeof name);
        s->asked_sum += name;
    }
    return added;
}

static void read_piece(obb_state *s, uint64_t piece)
{
    obb_text value = {0};
    obb_state_memo_get(s, piece_key(piece), &value);
    for (size_t at = 0; at + sizeof(uint64_t) <= value.length; at += sizeof(uint64_t)) {
        uint64_t name;
        memcpy(&name, value.bytes + at, sizeof name);
        add_name(s, name);
    }
    obb_text_free(&value);
}

static void read_names(obb_state *s)
{
    obb_text value = {0};
    names_head head = {0};
    if (s->asked_read)
        return;
    s->asked_read = true;
    bool any = obb_state_memo_get(s, head_key(), &value) && value.length == sizeof head;
    if (any)
        memcpy(&head, value.bytes, sizeof head);
    obb_text_free(&value);
    for (uint64_t i = 0; i < head.pieces; i++)
        read_piece(s, i);
    s->all_asked = any ? s->asked.count != head.names || s->asked_sum != head.sum
                       : s->partial || s->asked_records;
    s->asked_pieces = head.pieces;
}

bool obb_state_notes_asked(obb_state *s)
{
    read_names(s);
    return !s->all_asked;
}

bool obb_state_is_asked(obb_state *s, uint64_t name)
{
    read_names(s);
    return s->all_asked || obb_map_find(&s->asked, (const char *)&name, sizeof name) != UINT32_MAX;
}

void obb_state_note_asked(obb_state *s, const uint64_t *names, size_t count)
{
    obb_text piece = {0};
    if (!obb_state_is_writer(s))
        return;
    read_names(s);
    bool first = !s->asked_pieces; /* even if no names: then it is known that there are none */
    for (size_t i = 0; i < count; i++)
        if (add_name(s, names[i]))
            obb_text_add(&piece, &names[i], sizeof names[i]);
    if ((first || piece.length) && !s->all_asked) {
        const names_head head = {s->asked_pieces + 1, s->asked.count, s->asked_sum};
        obb_state_memo_put(s, piece_key(s->asked_pieces++), obb_text_bytes(&piece), piece.length);
        obb_state_memo_put(s, head_key(), &head, sizeof head);
    }
    obb_text_free(&piece);
}
