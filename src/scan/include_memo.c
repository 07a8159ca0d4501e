/* The include memo: what reading a header did is remembered, and repeated without reading it as long as all
 * that it depended on is the same: most headers of a system do the same in every source.
 *
 * While a source is scanned, a log tells what was asked (which macro stands for a name, whether a file is
 * read once only) and what was done (definitions, files, places of absence). When a header has been read, its
 * part of the log becomes a memo: what it asked and did not set itself are its needs, the rest its effects.
 * In the log of the including file, the memo replaces that part, so the memos of large headers share those of
 * small ones.
 *
 * The first one is not kept: many headers are read by one source only. What does not concern macros and
 * files (inline assembly, pushed macros, the level of inclusion, what is missing) spoils a memo, and it is
 * not kept. */
#include "scan/scanner.h"

enum { MOST_MEMOS = 8 };

typedef enum event_kind {
    ASKED,      /* `number` is a symbol, `value` the macro that it stood for */
    SET,        /* the same */
    ASKED_ONCE, /* `number` is a file, `value` is not NULL when it was marked */
    SET_ONCE,   /* `number` is a file */
    FILE_READ,  /* `number` is a file */
    ABSENT,     /* `value` is an obb_found */
    TESTED,     /* `number` is a file */
    DONE,       /* `value` is an obb_include_memo, all of which holds and is done */
    SPOILT
} event_kind;

struct obb_include_memo {
    obb_include_memo *next; /* of the same header */
    obb_event *needs, *effects;
    uint32_t need_count, effect_count;
};

typedef struct memo_key {
    uint32_t setup;
    obb_file file;
    uint32_t folder;
} memo_key;

/* A header under a preprocessor setup. */
typedef struct memos {
    uint32_t times, kept;
    obb_include_memo *first;
} memos;

static void add(obb_scanner *s, event_kind kind, uint32_t number, const void *value)
{
    if (s->logging)
        obb_vec_push(&s->log, (obb_event){(uint32_t)kind, number, value});
}

void obb_scan_log_asked(obb_scanner *s, uint32_t symbol, const obb_macro *macro)
{
    add(s, ASKED, symbol, macro);
}

void obb_scan_log_set(obb_scanner *s, uint32_t symbol, const obb_macro *macro)
{
    add(s, SET, symbol, macro);
}

void obb_scan_log_once(obb_scanner *s, obb_file file, bool set, bool was)
{
    add(s, set ? SET_ONCE : ASKED_ONCE, file, was ? s : NULL);
}

void obb_scan_log_file(obb_scanner *s, obb_file file)
{
    add(s, FILE_READ, file, NULL);
}

void obb_scan_log_absent(obb_scanner *s, const obb_found *found)
{
    add(s, ABSENT, 0, found);
}

void obb_scan_log_tested(obb_scanner *s, obb_file file)
{
    add(s, TESTED, file, NULL);
}

void obb_scan_spoil_memos(obb_scanner *s)
{
    add(s, SPOILT, 0, NULL);
}

static memos *memos_of(obb_scanner *s, obb_file file, uint32_t folder)
{
    memo_key key = {s->setup->number, file, folder};
    bool added;
    uint32_t n = obb_map_number(&s->memos, (const char *)&key, sizeof key, &added);
    if (added) {
        s->memos.at[n].key = obb_arena_copy(s->arena, &key, sizeof key);
        s->memos.at[n].value = obb_arena_alloc(s->arena, sizeof(memos));
    }
    return s->memos.at[n].value;
}

/* --- doing a reading again ---------------------------------------------------------- */

static bool holds(obb_scanner *s, const obb_include_memo *r)
{
    for (uint32_t i = 0; i < r->need_count; i++) {
        const obb_event *e = &r->needs[i];
        bool yes = e->kind == ASKED        ? obb_scan_macro(s, e->number) == e->value
                   : e->kind == ASKED_ONCE ? obb_scan_read_once(s, e->number) == (e->value != NULL)
                                           : holds(s, e->value);
        if (!yes)
            return false;
    }
    return true;
}

static void do_again(obb_scanner *s, const obb_include_memo *r)
{
    for (uint32_t i = 0; i < r->effect_count; i++) {
        const obb_event *e = &r->effects[i];
        switch ((event_kind)e->kind) {
        case SET: obb_scan_set_macro(s, e->number, (obb_macro *)(uintptr_t)e->value); break;
        case SET_ONCE: obb_scan_mark_once(s, e->number); break;
        case FILE_READ: obb_scan_note_file(s, e->number, OBB_NO_FILE, 0, false); break;
        case ABSENT: obb_scan_note_absent(s, e->value); break;
        case TESTED: obb_scan_note_tested(s, e->number); break;
        default: do_again(s, e->value); break;
        }
    }
}

bool obb_scan_recall_memo(obb_scanner *s, obb_file file, uint32_t folder)
{
    if (!s->logging)
        return false;
    memos *all = memos_of(s, file, folder);
    all->times++;
    s->logging = false; /* one event stands for all of them */
    const obb_include_memo *r = all->first;
    while (r && !holds(s, r))
        r = r->next;
    if (r)
        do_again(s, r);
    s->logging = true;
    if (r)
        add(s, DONE, 0, r);
    return r != NULL;
}

/* --- keeping one -------------------------------------------------------------------- */

/* The names and files that a part of the log asked for or set so far. */
typedef struct condenser {
    obb_scanner *scanner;
    OBB_VEC(obb_event) needs, effects;
} condenser;

enum { WAS_ASKED = 1, WAS_SET = 2 };

/* Notes that a number was asked for or set; what was noted before. Symbols and files have
 * tables of their own. */
static unsigned note(obb_scanner *s, bool symbol, uint32_t number, unsigned what)
{
    obb_marks *marks = symbol ? &s->noted_symbols : &s->noted_files;
    if (number >= marks->count) {
        obb_vec_room(marks, number + 1024);
        marks->count = number + 1024;
    }
    uint32_t *mark = &marks->at[number];
    unsigned before = *mark >> 2 == s->condensing ? *mark & 3 : 0;
    *mark = s->condensing << 2 | before | what;
    return before;
}

static bool asks(const obb_event *e)
{
    return e->kind == ASKED || e->kind == ASKED_ONCE;
}

/* Whether something that the memo needs was set before, in the part that is condensed. */
static bool needs_what_was_set(obb_scanner *s, const obb_include_memo *r)
{
    for (uint32_t i = 0; i < r->need_count; i++) {
        const obb_event *e = &r->needs[i];
        if (asks(e) ? note(s, e->kind == ASKED, e->number, 0) & WAS_SET : needs_what_was_set(s, e->value))
            return true;
    }
    return false;
}

static void need(condenser *c, const obb_event *e)
{
    if (!note(c->scanner, e->kind == ASKED, e->number, WAS_ASKED))
        obb_vec_push(&c->needs, *e);
}

static void need_each(condenser *c, const obb_include_memo *r)
{
    for (uint32_t i = 0; i < r->need_count; i++) {
        if (asks(&r->needs[i]))
            need(c, &r->needs[i]);
        else
            need_each(c, r->needs[i].value);
    }
}

static void note_sets(obb_scanner *s, const obb_include_memo *r)
{
    for (uint32_t i = 0; i < r->effect_count; i++) {
        const obb_event *e = &r->effects[i];
        if (e->kind == SET || e->kind == SET_ONCE)
            note(s, e->kind == SET, e->number, WAS_SET);
        else if (e->kind == DONE)
            note_sets(s, e->value);
    }
}

static void condense(condenser *c, const obb_event *e)
{
    if (asks(e)) {
        need(c, e);
        return;
    }
    if (e->kind == DONE) {
        const obb_include_memo *r = e->value;
        if (r->need_count > 1 && !needs_what_was_set(c->scanner, r))
            obb_vec_push(&c->needs, *e);
        else
            need_each(c, r);
        note_sets(c->scanner, r);
    } else if (e->kind == SET || e->kind == SET_ONCE) {
        note(c->scanner, e->kind == SET, e->number, WAS_SET);
    }
    obb_vec_push(&c->effects, *e);
}

void obb_scan_keep_memo(obb_scanner *s, obb_file file, uint32_t folder, size_t began)
{
    if (!s->logging)
        return;
    memos *all = memos_of(s, file, folder);
    if (all->times < 2 || all->kept >= MOST_MEMOS)
        return;
    condenser c = {.scanner = s};
    if (++s->condensing >= UINT32_MAX >> 2) { /* all marks are old */
        obb_vec_free(&s->noted_symbols);
        obb_vec_free(&s->noted_files);
        s->condensing = 1;
    }
    bool spoilt = false;
    for (size_t i = began; i < s->log.count && !spoilt; i++) {
        spoilt = s->log.at[i].kind == SPOILT;
        condense(&c, &s->log.at[i]);
    }
    if (!spoilt) {
        obb_include_memo *r = obb_arena_alloc(s->arena, sizeof *r);
        *r = (obb_include_memo){.next = all->first,
                                .need_count = (uint32_t)c.needs.count,
                                .effect_count = (uint32_t)c.effects.count};
        r->needs = (obb_event *)(void *)obb_arena_copy(s->arena, c.needs.at,
                                                       c.needs.count * sizeof *c.needs.at);
        r->effects = (obb_event *)(void *)obb_arena_copy(s->arena, c.effects.at,
                                                         c.effects.count * sizeof *c.effects.at);
        all->first = r;
        all->kept++;
        s->log.count = began;
        add(s, DONE, 0, r);
    }
    obb_vec_free(&c.needs);
    obb_vec_free(&c.effects);
}
