/* Replacing macros, as C11 6.10.3 tells it: a stack of token lists that are being read, the innermost first.
 * A macro is not replaced inside its own replacement; a name that was not replaced for that reason never is.
 */
#include <stdio.h>
#include <string.h>

#include "base/text.h"
#include "scan/scanner.h"

typedef struct layer {
    const obb_token *at, *end;
    obb_macro *macro; /* whose replacement this is; or NULL */
} layer;

typedef struct replacer {
    obb_scanner *scanner;
    OBB_VEC(layer) layers;
    bool condition;
    uint32_t counters; /* how often __COUNTER__ was replaced */
} replacer;

/* In any source: what others become does not matter to a scan. */
static void note_asked(obb_scanner *s, uint32_t symbol)
{
    if (symbol >= s->asked.count) {
        obb_vec_room(&s->asked, s->symbols.map.count + 64);
        s->asked.count = s->symbols.map.count + 64;
    }
    if (!s->asked.at[symbol])
        obb_vec_push(&s->asked_news, symbol);
    s->asked.at[symbol] = true;
}

obb_macro *obb_scan_macro(obb_scanner *s, uint32_t symbol)
{
    const obb_macro_slot *slot = symbol < s->macros.count ? &s->macros.at[symbol] : NULL;
    obb_macro *macro = !slot ? NULL : slot->mark == s->now ? slot->current : slot->predefined;
    note_asked(s, symbol);
    if (s->logging)
        obb_scan_log_asked(s, symbol, macro);
    return macro;
}

static obb_macro_slot *slot_of(obb_scanner *s, uint32_t symbol)
{
    if (symbol >= s->macros.count) {
        obb_vec_room(&s->macros, s->symbols.map.count + 64);
        s->macros.count = s->symbols.map.count + 64;
    }
    return &s->macros.at[symbol];
}

void obb_scan_set_macro(obb_scanner *s, uint32_t symbol, obb_macro *macro)
{
    obb_macro_slot *slot = slot_of(s, symbol);
    slot->current = macro;
    slot->mark = s->now;
    if (s->logging)
        obb_scan_log_set(s, symbol, macro);
}

static void push_layer(replacer *r, const obb_token *tokens, size_t count, obb_macro *macro)
{
    if (r->layers.count > 1000)
        obb_scan_give_up(r->scanner, "macros are nested too deep at `%s`",
                         macro ? obb_symbol_text(&r->scanner->symbols, macro->symbol) : "");
    if (macro)
        macro->busy = r->scanner->now;
    obb_arena_push(r->scanner->scratch, &r->layers, (layer){tokens, tokens + count, macro});
}

/* The next token, not replaced; NULL at the end. It is not taken. */
static const obb_token *peek(replacer *r)
{
    while (r->layers.count) {
        layer *top = &r->layers.at[r->layers.count - 1];
        if (top->at < top->end)
            return top->at;
        if (top->macro)
            top->macro->busy = 0;
        r->layers.count--;
    }
    return NULL;
}

static const obb_token *take(replacer *r)
{
    const obb_token *t = peek(r);
    if (t)
        r->layers.at[r->layers.count - 1].at++;
    return t;
}

static void run(replacer *r, obb_tokens *out);

void obb_scan_replace(obb_scanner *s, const obb_token *tokens, size_t count, bool condition,
                      obb_tokens *out)
{
    replacer r = {.scanner = s, .condition = condition};
    if (++s->nesting > OBB_DEEPEST_ARGUMENTS)
        obb_scan_give_up(s, "arguments of macros are nested too deeply%s", "");
    push_layer(&r, tokens, count, NULL);
    run(&r, out);
    s->nesting--;
}

char *obb_scan_spell(obb_arena *arena, const obb_token *tokens, size_t count)
{
    obb_text text = {0};
    for (size_t i = 0; i < count; i++) {
        if (i && tokens[i].space)
            obb_text_char(&text, ' ');
        obb_text_add(&text, tokens[i].text, tokens[i].length);
    }
    char *spelt = obb_arena_copy(arena, obb_text_bytes(&text), text.length);
    obb_text_free(&text);
    return spelt;
}

/* --- arguments ---------------------------------------------------------------------- */

typedef struct argument {
    obb_tokens raw, replaced;
    bool was_replaced;
} argument;

/* Reads the arguments behind a `(` that was taken already. */
static argument *take_arguments(replacer *r, const obb_macro *m)
{
    obb_arena *arena = r->scanner->scratch;
    size_t room = m->parameter_count ? m->parameter_count : 1, n = 0;
    argument *args = obb_arena_alloc(arena, room * sizeof *args);
    for (int depth = 0;;) {
        const obb_token *t = take(r);
        if (!t)
            obb_scan_give_up(r->scanner, "the arguments of `%s` do not end on the line",
                             obb_symbol_text(&r->scanner->symbols, m->symbol));
        if (obb_is_mark(t, '('))
            depth++;
        if (obb_is_mark(t, ')') && depth-- == 0)
            return args;
        bool rest = m->variadic && n + 1 >= m->parameter_count;
        if (obb_is_mark(t, ',') && depth == 0 && !rest) {
            if (++n >= room)
                obb_scan_give_up(r->scanner, "`%s` has too many arguments",
                                 obb_symbol_text(&r->scanner->symbols, m->symbol));
            continue;
        }
        obb_arena_push(arena, &args[n].raw, *t);
    }
}

static obb_tokens *replaced(replacer *r, argument *a)
{
    if (!a->was_replaced) {
        a->was_replaced = true;
        obb_scan_replace(r->scanner, a->raw.at, a->raw.count, r->condition, &a->replaced);
    }
    return &a->replaced;
}

/* --- # and ## ----------------------------------------------------------------------- */

static obb_token stringized(replacer *r, const obb_tokens *raw)
{
    obb_text text = {0};
    obb_text_char(&text, '"');
    for (size_t i = 0; i < raw->count; i++) {
        const obb_token *t = &raw->at[i];
        bool literal = t->kind == OBB_T_STRING || t->kind == OBB_T_CHAR;
        if (i && t->space)
            obb_text_char(&text, ' ');
        for (uint32_t k = 0; k < t->length; k++) {
            if (literal && (t->text[k] == '"' || t->text[k] == '\\'))
                obb_text_char(&text, '\\');
            obb_text_char(&text, t->text[k]);
        }
    }
    obb_text_char(&text, '"');
    obb_token t = {.kind = OBB_T_STRING, .length = (uint32_t)text.length,
                   .text = obb_arena_copy(r->scanner->scratch, text.bytes, text.length)};
    obb_text_free(&text);
    return t;
}

static obb_token pasted(replacer *r, const obb_token *a, const obb_token *b)
{
    obb_scanner *s = r->scanner;
    if (a->kind == OBB_T_NOTHING)
        return *b;
    if (b->kind == OBB_T_NOTHING)
        return *a;
    char *text = obb_arena_format(s->scratch, "%.*s%.*s", (int)a->length, a->text, (int)b->length, b->text);
    obb_tokens tokens = {0};
    obb_tokens_of(&s->symbols, text, a->length + b->length, &tokens);
    if (tokens.count != 1)
        obb_scan_give_up(s, "`%s` is the result of ## and not a token", text);
    obb_token t = tokens.at[0];
    t.space = a->space;
    return t;
}

static int parameter_of(const obb_macro *m, const obb_token *t)
{
    if (t->kind == OBB_T_NAME)
        for (uint32_t i = 0; i < m->parameter_count; i++)
            if (m->parameters[i] == t->code)
                return (int)i;
    return -1;
}

static void add_nothing_or(obb_arena *arena, obb_tokens *out, const obb_tokens *list, bool space)
{
    if (!list->count)
        obb_arena_push(arena, out, (obb_token){.kind = OBB_T_NOTHING, .text = ""});
    for (size_t i = 0; i < list->count; i++) {
        obb_token t = list->at[i];
        if (i == 0)
            t.space = space;
        obb_arena_push(arena, out, t);
    }
}

/* Joins the last token of `out` with the operand of ## at body[i]; the index behind it. */
static size_t paste(replacer *r, const obb_macro *m, argument *args, size_t i, obb_tokens *out)
{
    obb_arena *arena = r->scanner->scratch;
    const obb_token *operand = &m->body[i];
    int p = m->with_arguments ? parameter_of(m, operand) : -1;
    obb_tokens right = {0};
    if (p >= 0)
        add_nothing_or(arena, &right, &args[p].raw, operand->space);
    else
        obb_arena_push(arena, &right, *operand);
    obb_token *left = &out->at[out->count - 1];
    bool gnu_comma = p >= 0 && m->variadic && (uint32_t)p + 1 == m->parameter_count && obb_is_mark(left, ',');
    if (gnu_comma && !args[p].raw.count) {
        out->count--; /* GNU: `, ## __VA_ARGS__` of nothing takes the comma with it */
    } else if (gnu_comma) {
        add_nothing_or(arena, out, replaced(r, &args[p]), false);
    } else {
        *left = pasted(r, left, &right.at[0]);
        for (size_t k = 1; k < right.count; k++)
            obb_arena_push(arena, out, right.at[k]);
    }
    return i + 1;
}

/* The replacement of a macro with its arguments put in. */
static obb_tokens substituted(replacer *r, const obb_macro *m, argument *args)
{
    obb_arena *arena = r->scanner->scratch;
    obb_tokens out = {0};
    for (size_t i = 0; i < m->length; i++) {
        const obb_token *t = &m->body[i];
        bool pasting = i + 1 < m->length && obb_is_mark(&m->body[i + 1], OBB_MARK2('#', '#'));
        int p = m->with_arguments ? parameter_of(m, t) : -1;
        if (t->kind == OBB_T_NAME && t->code == r->scanner->sym_va_opt)
            obb_scan_give_up(r->scanner, "`%s` is not decided here", "__VA_OPT__");
        if (obb_is_mark(t, OBB_MARK2('#', '#')) && out.count && i + 1 < m->length) {
            i = paste(r, m, args, i + 1, &out) - 1;
        } else if (m->with_arguments && obb_is_mark(t, '#') && i + 1 < m->length &&
                   parameter_of(m, &m->body[i + 1]) >= 0) {
            obb_arena_push(arena, &out, stringized(r, &args[parameter_of(m, &m->body[++i])].raw));
        } else if (p >= 0) {
            add_nothing_or(arena, &out, pasting ? &args[p].raw : replaced(r, &args[p]), t->space);
        } else {
            obb_arena_push(arena, &out, *t);
        }
    }
    return out;
}

/* --- names -------------------------------------------------------------------------- */

static obb_token number(replacer *r, intmax_t value)
{
    char *text = obb_arena_format(r->scanner->scratch, "%lld", (long long)value);
    return (obb_token){.kind = OBB_T_NUMBER, .text = text, .length = (uint32_t)strlen(text)};
}

static const obb_token *must(replacer *r, const obb_token *t, const char *after)
{
    if (!t)
        obb_scan_give_up(r->scanner, "a condition breaks off after `%s`", after);
    return t;
}

static obb_token take_defined(replacer *r)
{
    const obb_token *t = must(r, take(r), "defined");
    bool parens = obb_is_mark(t, '(');
    if (parens)
        t = must(r, take(r), "defined(");
    if (t->kind != OBB_T_NAME)
        obb_scan_give_up(r->scanner, "`%s` without a name", "defined");
    bool yes = obb_scan_macro(r->scanner, t->code) != NULL;
    if (parens && !obb_is_mark(must(r, take(r), "defined(X"), ')'))
        obb_scan_give_up(r->scanner, "`%s` without a )", "defined(X");
    return number(r, yes);
}

/* The name between < and >, or in quotes; from tokens that were replaced unless it starts
 * with one of these. */
char *obb_scan_header_name(obb_scanner *s, const obb_token *t, size_t count, bool *quoted)
{
    obb_tokens out = {0};
    if (count && t[0].kind != OBB_T_STRING && !obb_is_mark(t, '<')) {
        obb_scan_replace(s, t, count, false, &out);
        t = out.at;
        count = out.count;
    }
    *quoted = count && t[0].kind == OBB_T_STRING;
    if (*quoted && t[0].text[0] == '"')
        return obb_arena_copy(s->scratch, t[0].text + 1, t[0].length - 2);
    size_t close = 1;
    while (close < count && !obb_is_mark(&t[close], '>'))
        close++;
    if (!count || !obb_is_mark(t, '<') || close >= count)
        obb_scan_give_up(s, "`%s` is not a header name", count ? obb_scan_spell(s->scratch, t, count) : "");
    return obb_scan_spell(s->scratch, t + 1, close - 1);
}

/* The tokens up to the `)` that closes an operator, after its `(`. */
static obb_tokens operand(replacer *r, const char *name)
{
    obb_tokens in = {0};
    if (!obb_is_mark(must(r, take(r), name), '('))
        obb_scan_give_up(r->scanner, "`%s` without a (", name);
    for (int depth = 0;;) {
        const obb_token *t = must(r, take(r), name);
        depth += obb_is_mark(t, '(');
        if (obb_is_mark(t, ')') && depth-- == 0)
            return in;
        obb_arena_push(r->scanner->scratch, &in, *t);
    }
}

/* __has_embed: 0 for nowhere, 1 for there, 2 for there and empty (C23 6.10.2). With parameters, the compiler
 * must be asked. */
static intmax_t embedded(obb_scanner *s, const obb_tokens *in)
{
    bool quoted;
    size_t end = 0;
    while (end < in->count && in->at[0].kind != OBB_T_STRING && !obb_is_mark(&in->at[end], '>'))
        end++;
    if (in->count > end + 1)
        obb_scan_give_up(s, "`%s` with parameters decides", "__has_embed");
    const char *name = obb_scan_header_name(s, in->at, in->count, &quoted);
    obb_file file = obb_scan_look_up_embedded(s, name, quoted);
    const obb_stamp *stamp = file == OBB_NO_FILE ? NULL : obb_files_stamp(s->files, file);
    if (stamp)
        obb_scan_note_tested(s, file);
    return !stamp ? 0 : stamp->size ? 1 : 2;
}

static obb_token take_operator(replacer *r, uint32_t symbol)
{
    obb_scanner *s = r->scanner;
    const char *name = obb_symbol_text(&s->symbols, symbol);
    obb_tokens in = operand(r, name);
    if (symbol == s->sym_has_include || symbol == s->sym_has_include_next) {
        bool quoted;
        char *header = obb_scan_header_name(s, in.at, in.count, &quoted);
        const obb_found *found = obb_scan_look_up(s, header, quoted, symbol == s->sym_has_include_next);
        obb_scan_note_absent(s, found);
        if (found->file != OBB_NO_FILE && s->setup->dialect->tool->family == OBB_FAMILY_CLANG)
            obb_scan_note_file(s, found->file, OBB_NO_FILE, 0, false); /* clang counts it as read */
        if (found->file != OBB_NO_FILE)
            obb_scan_note_tested(s, found->file);
        return number(r, found->file != OBB_NO_FILE);
    }
    if (symbol == s->sym_has_embed)
        return number(r, embedded(s, &in));
    obb_tokens out = {0};
    obb_scan_replace(s, in.at, in.count, false, &out);
    char *question = obb_arena_format(s->scratch, "%s(%s)", name,
                                      obb_scan_spell(s->scratch, out.at, out.count));
    intmax_t value;
    if (!obb_scan_ask_compiler(s, question, &value))
        obb_scan_give_up(s, "the compiler does not say what `%s` is", question);
    return number(r, value);
}

static bool replace_builtin(replacer *r, const obb_macro *m, obb_tokens *out)
{
    obb_scanner *s = r->scanner;
    const char *name = obb_symbol_text(&s->symbols, m->symbol);
    switch (m->builtin) {
    case OBB_BUILTIN_LINE:
        if (s->spans)
            obb_scan_give_up(s, "`%s` in a directive of several lines", name);
        obb_arena_push(s->scratch, out, number(r, s->line + s->line_shift));
        return true;
    case OBB_BUILTIN_LEVEL:
        obb_scan_spoil_memos(s);
        obb_arena_push(s->scratch, out, number(r, s->depth));
        return true;
    case OBB_BUILTIN_COUNTER:
        if (!r->condition || s->nesting > 1) /* in an argument, compilers may count in another order */
            obb_scan_give_up(s, "`%s` decides", name);
        obb_arena_push(s->scratch, out,
                       ((obb_token){.kind = OBB_T_COUNTER, .code = r->counters++, .text = ""}));
        return true;
    case OBB_BUILTIN_UNKNOWN: obb_scan_give_up(s, "`%s` decides", name); return true;
    case OBB_BUILTIN_OPERATOR:
        if (!r->condition)
            return false;
        obb_arena_push(s->scratch, out, take_operator(r, m->symbol));
        return true;
    default: return false;
    }
}

/* Replaces one name; false when it stays. */
static bool replace_name(replacer *r, const obb_token *t, obb_tokens *out)
{
    obb_macro *m = obb_scan_macro(r->scanner, t->code);
    if (r->condition && t->code == r->scanner->sym_defined) {
        obb_token n = take_defined(r);
        obb_arena_push(r->scanner->scratch, out, n);
        return true;
    }
    if (!m || m->busy == r->scanner->now || t->stays)
        return false;
    if (m->builtin)
        return replace_builtin(r, m, out);
    argument *args = NULL;
    if (m->with_arguments) {
        const obb_token *next = peek(r);
        if (!next || !obb_is_mark(next, '('))
            return false;
        take(r);
        args = take_arguments(r, m);
    }
    obb_tokens body = {0};
    bool plain = !m->with_arguments;
    for (size_t i = 0; plain && i < m->length; i++)
        plain = !obb_is_mark(&m->body[i], OBB_MARK2('#', '#'));
    if (plain)
        push_layer(r, m->body, m->length, m);
    else {
        body = substituted(r, m, args);
        push_layer(r, body.at, body.count, m);
    }
    return true;
}

static void run(replacer *r, obb_tokens *out)
{
    const obb_token *t;
    while ((t = take(r))) {
        obb_token kept = *t;
        if (++r->scanner->steps > OBB_MOST_STEPS)
            obb_scan_give_up(r->scanner, "macros grow without end%s", "");
        if (t->kind == OBB_T_NAME) {
            obb_macro *m = obb_scan_macro(r->scanner, t->code);
            if (replace_name(r, t, out))
                continue;
            kept.stays = kept.stays || (m && m->busy == r->scanner->now);
        }
        if (kept.kind != OBB_T_NOTHING)
            obb_arena_push(r->scanner->scratch, out, kept);
    }
}
