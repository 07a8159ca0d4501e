/* Questions that only the compiler can answer: `__has_attribute(x)` and its like in a condition.
 *
 * A process for each would cost more than the whole scan of a source, and headers that ask one such question
 * mostly ask many. So when the compiler must be asked, all that the source and those behind it may include is
 * looked through for more of them, whatever the conditions around say, and one process answers all. A guess
 * that was not needed costs next to nothing: its answer is right, and kept. Nothing of this leaves a trace in
 * the result. */
#include <string.h>

#include "scan/scanner.h"

enum { MOST_QUESTIONS = 400, MOST_BYTES = 16 << 20 };

typedef OBB_VEC(const obb_macro *) macro_list;

typedef struct sweep {
    obb_scanner *scanner;
    obb_map files;      /* that were looked through: their numbers */
    obb_map wrappers;   /* names as of `#define HAS(x) __has_attribute(x)` -> macro_list, since
                         * branches may define one in several ways */
    obb_map asked;
    obb_words questions;
    int depth;
} sweep;

static bool is_new(obb_map *map, uint32_t number, obb_arena *arena)
{
    bool added;
    uint32_t n = obb_map_number(map, (const char *)&number, sizeof number, &added);
    if (added)
        map->at[n].key = obb_arena_copy(arena, &number, sizeof number);
    return added;
}

/* The macro that the compiler has from the beginning; operators are such. */
static const obb_macro *predefined(const obb_scanner *s, uint32_t symbol)
{
    return symbol < s->macros.count ? s->macros.at[symbol].predefined : NULL;
}

/* The next `NAME(x)` in a macro's body where x is its parameter: the index of the name; else the length. */
static size_t next_use(const obb_macro *m, size_t from)
{
    for (size_t i = from; i + 3 < m->length; i++)
        if (m->body[i].kind == OBB_T_NAME && obb_is_mark(&m->body[i + 1], '(') &&
            m->body[i + 2].kind == OBB_T_NAME && m->body[i + 2].code == m->parameters[0] &&
            obb_is_mark(&m->body[i + 3], ')'))
            return i;
    return m->length;
}

static bool is_wrapper(const obb_macro *m)
{
    return m->with_arguments && m->parameter_count == 1 && next_use(m, 0) < m->length;
}

/* The count of tokens up to the `)` that closes the one before them; 0: none. */
static size_t operand_length(const obb_token *t, const obb_token *end)
{
    size_t n = 0;
    for (int depth = 0; t + n < end; n++) {
        depth += obb_is_mark(&t[n], '(');
        if (obb_is_mark(&t[n], ')') && depth-- == 0)
            return n;
    }
    return 0;
}

static void add_question(sweep *w, const char *question)
{
    bool added;
    intmax_t value;
    if (w->questions.count >= MOST_QUESTIONS)
        return;
    obb_map_number(&w->asked, question, strlen(question), &added);
    if (added && !obb_dialect_knows(w->scanner->setup->dialect, question, &value))
        obb_arena_push(w->scanner->scratch, &w->questions, question);
}

/* The questions that a name with an operand asks: its own, or those of the macro that it is. Whether a header
 * is there is not for the compiler to say. */
static void add_questions_of(sweep *w, uint32_t symbol, const char *operand, int hops)
{
    const obb_scanner *s = w->scanner;
    const char *name = obb_symbol_text(&s->symbols, symbol);
    const obb_macro *m = predefined(s, symbol);
    if (symbol == s->sym_has_include || symbol == s->sym_has_include_next || symbol == s->sym_has_embed)
        return;
    if (m && m->builtin == OBB_BUILTIN_OPERATOR)
        add_question(w, obb_arena_format(s->scratch, "%s(%s)", name, operand));
    const macro_list *wrappers = hops ? obb_map_get(&w->wrappers, name) : NULL;
    for (size_t k = 0; wrappers && k < wrappers->count; k++) {
        m = wrappers->at[k];
        for (size_t i = next_use(m, 0); i < m->length; i = next_use(m, i + 1))
            add_questions_of(w, m->body[i].code, operand, hops - 1);
    }
}

static void collect(sweep *w, const obb_directive *d)
{
    const obb_token *end = d->tokens + d->count;
    for (const obb_token *t = d->tokens; t + 2 < end; t++) {
        size_t n = t->kind == OBB_T_NAME && obb_is_mark(&t[1], '(') ? operand_length(t + 2, end) : 0;
        if (n)
            add_questions_of(w, t->code, obb_scan_spell(w->scanner->scratch, t + 2, n), 3);
    }
}

static void keep_wrapper(sweep *w, const obb_macro *macro)
{
    const char *name = obb_symbol_text(&w->scanner->symbols, macro->symbol);
    macro_list *known = obb_map_get(&w->wrappers, name);
    if (!known) {
        known = obb_arena_alloc(w->scanner->scratch, sizeof *known);
        obb_map_put(&w->wrappers, name, known);
    }
    obb_arena_push(w->scanner->scratch, known, macro);
}

static void look_through(sweep *w, obb_file file, uint32_t folder);

/* As if the file were being read, which decides where headers are looked for. */
static void follow(sweep *w, obb_file file, uint32_t folder, const obb_directive *d)
{
    obb_scanner *s = w->scanner;
    obb_file reading = s->file;
    uint32_t where = s->folder;
    s->file = file;
    s->folder = folder;
    const obb_found *found = obb_scan_look_up(s, d->name, d->quoted, d->kind == OBB_D_INCLUDE_NEXT);
    s->file = reading;
    s->folder = where;
    if (found->file != OBB_NO_FILE)
        look_through(w, found->file, found->folder);
}

/* What no condition lets the compiler read must not cost much: it may be anything. */
static bool is_worth_reading(const sweep *w, obb_file file)
{
    const obb_stamp *stamp = obb_files_stamp(w->scanner->files, file);
    return stamp && stamp->kind == OBB_KIND_FILE && stamp->size <= MOST_BYTES;
}

static void look_through(sweep *w, obb_file file, uint32_t folder)
{
    if (w->depth >= OBB_DEEPEST_INCLUDE || !is_worth_reading(w, file) ||
        !is_new(&w->files, file, w->scanner->scratch))
        return;
    const obb_directive_summary *summary = obb_scan_summary(w->scanner, file);
    w->depth++;
    for (size_t i = 0; summary && i < summary->directives.count; i++) {
        obb_directive *d = &summary->directives.at[i];
        if (d->kind == OBB_D_IF || d->kind == OBB_D_ELIF)
            collect(w, d);
        else if (d->kind == OBB_D_DEFINE && is_wrapper(d->macro))
            keep_wrapper(w, d->macro);
        else if ((d->kind == OBB_D_INCLUDE || d->kind == OBB_D_INCLUDE_NEXT || d->kind == OBB_D_IMPORT) &&
                 d->name)
            follow(w, file, folder, d);
    }
    w->depth--;
}

void obb_scanner_expect(obb_scanner *scanner, const obb_preprocessor_setup *setup, obb_file source)
{
    obb_vec_push(&scanner->expected, ((obb_expected_source){setup, source}));
}

bool obb_scan_ask_compiler(obb_scanner *s, const char *question, intmax_t *value)
{
    const obb_dialect *dialect = s->setup->dialect;
    sweep w = {.scanner = s};
    if (obb_dialect_knows(dialect, question, value))
        return true;
    add_question(&w, question);
    look_through(&w, s->result->files.at[0], UINT32_MAX);
    for (size_t i = 0; i < s->expected.count; i++)
        if (s->expected.at[i].setup == s->setup)
            look_through(&w, s->expected.at[i].file, UINT32_MAX);
    obb_map_free(&w.files);
    obb_map_free(&w.wrappers);
    obb_map_free(&w.asked);
    obb_dialect_ask(dialect, &w.questions);
    return obb_dialect_knows(dialect, question, value);
}
