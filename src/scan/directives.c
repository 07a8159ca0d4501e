/* From bytes to a directive summary (directives.h), in one pass over the text. A branch links to the next of
 * its group, so that a condition that does not hold is skipped without looking at what is in it. */
#include "scan/directives.h"

#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "base/text.h"

typedef struct summarizer {
    obb_symbols *symbols;
    const char *start, *at, *end;
    int line;
    obb_text_kind kind;
    obb_text buffer; /* the logical line of a directive */
    obb_directive_summary *summary;
    OBB_VEC(uint32_t) open; /* conditionals that are not closed: their last branch */
    bool watch; /* the text may include something by assembly */
} summarizer;

/* --- passing over text -------------------------------------------------------------- */

static const char *joint(const char *p, const char *end)
{
    if (*p != '\\')
        return NULL;
    const char *q = p + 1;
    while (q < end && (*q == ' ' || *q == '\t' || *q == '\r')) /* compilers allow blanks here */
        q++;
    return q < end && *q == '\n' ? q + 1 : NULL;
}

static int count_lines(const char *from, const char *to)
{
    int lines = 0;
    while ((from = memchr(from, '\n', (size_t)(to - from)))) {
        lines++;
        from++;
    }
    return lines;
}

static void skip_block_comment(summarizer *d)
{
    const char *from = d->at, *close = d->at + 2;
    do
        close = close < d->end ? memchr(close, '*', (size_t)(d->end - close)) : NULL;
    while (close && *++close != '/');
    d->at = close ? close + 1 : d->end;
    d->line += count_lines(from, d->at);
}

/* To the newline at the end of the logical line. */
static void skip_line_comment(summarizer *d)
{
    for (;;) {
        const char *newline = memchr(d->at, '\n', (size_t)(d->end - d->at)), *last = newline;
        while (newline && last > d->at && (last[-1] == ' ' || last[-1] == '\t' || last[-1] == '\r'))
            last--;
        bool joined = newline && last > d->at && last[-1] == '\\';
        d->at = !newline ? d->end : joined ? newline + 1 : newline;
        d->line += joined;
        if (!joined)
            return;
    }
}

static bool raw_prefix(const char *start, const char *quote)
{
    const char *p = quote;
    while (p > start && (isalnum((unsigned char)p[-1]) || p[-1] == '_'))
        p--;
    size_t n = (size_t)(quote - p);
    return n && n <= 3 && quote[-1] == 'R' &&
           (n == 1 || (n == 2 && strchr("LuU", *p)) || (n == 3 && memcmp(p, "u8", 2) == 0));
}

/* A raw string: no comment, line or escape counts until its delimiter (C++ [lex.string]). */
static bool skip_raw_string(summarizer *d)
{
    const char *quote = d->at;
    size_t n = 0;
    while (n <= 16 && quote + 1 + n < d->end && quote[1 + n] != '(' && !strchr(" )\\\"\n", quote[1 + n]))
        n++;
    if (quote + 1 + n >= d->end || quote[1 + n] != '(')
        return false;
    int lines = 0;
    for (const char *p = quote + n + 2; p + n + 1 < d->end; p++) {
        lines += *p == '\n';
        if (*p == ')' && memcmp(p + 1, quote + 1, n) == 0 && p[n + 1] == '"') {
            d->at = p + n + 2;
            d->line += lines;
            return true;
        }
    }
    return false;
}

/* A literal that ends on its logical line; else the quote is a character like any other. */
static void skip_literal(summarizer *d)
{
    const char quote = *d->at;
    int lines = 0;
    for (const char *p = d->at + 1; p < d->end && *p != '\n';) {
        const char *next = joint(p, d->end);
        if (next) {
            lines++;
            p = next;
        } else if (*p == '\\') {
            p += 2;
        } else if (*p++ == quote) {
            d->at = p;
            d->line += lines;
            return;
        }
    }
    d->at++;
}

/* 1'000: the apostrophe belongs to a number when the word before it starts with a digit. */
static bool separates_digits(const char *start, const char *quote)
{
    const char *p = quote;
    while (p > start && (isalnum((unsigned char)p[-1]) || p[-1] == '_' || p[-1] == '\'' || p[-1] == '.'))
        p--;
    return p < quote && isdigit((unsigned char)*p);
}

/* To the end of the logical line, the newline included. */
static void skip_line(summarizer *d)
{
    const char *start = d->at;
    while (d->at < d->end) {
        d->at += strcspn(d->at, "\n/\"'\\");
        if (d->at >= d->end)
            return;
        const char *next;
        switch (*d->at) {
        case '\n':
            d->at++;
            d->line++;
            return;
        case '/':
            if (d->at[1] == '*')
                skip_block_comment(d);
            else if (d->at[1] == '/')
                skip_line_comment(d);
            else
                d->at++;
            break;
        case '"':
            if (d->kind != OBB_TEXT_C_RAW || !raw_prefix(start, d->at) || !skip_raw_string(d))
                skip_literal(d);
            break;
        case '\'':
            if (separates_digits(start, d->at))
                d->at++;
            else
                skip_literal(d);
            break;
        case '\\':
            next = joint(d->at, d->end);
            d->line += next != NULL;
            d->at = next ? next : d->at + 1;
            break;
        default: /* a NUL byte in the text */
            d->at++;
        }
    }
}

/* Blanks, comments and joints before the first token of a line. */
static void skip_blanks(summarizer *d)
{
    while (d->at < d->end) {
        const char *next;
        if (*d->at == ' ' || *d->at == '\t' || *d->at == '\r' || *d->at == '\f' || *d->at == '\v') {
            d->at++;
        } else if (d->at[0] == '/' && d->at[1] == '*') {
            skip_block_comment(d);
        } else if ((next = joint(d->at, d->end))) {
            d->line++;
            d->at = next;
        } else {
            return;
        }
    }
}

/* --- the logical line of a directive ------------------------------------------------- */

static void keep_literal(summarizer *d)
{
    const char *from = d->at;
    skip_literal(d);
    for (; from < d->at;) {
        const char *next = joint(from, d->end);
        if (next && next <= d->at) {
            from = next;
        } else {
            obb_text_char(&d->buffer, *from++);
        }
    }
}

static bool ends_run(char c)
{
    return c == '\n' || c == '/' || c == '\\' || c == '"' || c == '\'';
}

/* Collects the rest of the line with comments as a blank and joints taken away. */
static void collect_line(summarizer *d)
{
    d->buffer.length = 0;
    obb_text_add(&d->buffer, "", 0);
    while (d->at < d->end) {
        const char *next;
        if (*d->at == '\n') {
            d->at++;
            d->line++;
            return;
        }
        if (d->at[0] == '/' && d->at[1] == '*') {
            skip_block_comment(d);
            obb_text_char(&d->buffer, ' ');
        } else if (d->at[0] == '/' && d->at[1] == '/') {
            skip_line_comment(d);
        } else if ((next = joint(d->at, d->end))) {
            d->line++;
            d->at = next;
        } else if (*d->at == '"' ||
                   (*d->at == '\'' && !(d->at > d->start && isalnum((unsigned char)d->at[-1])))) {
            keep_literal(d);
        } else {
            const char *from = d->at++;
            while (d->at < d->end && !ends_run(*d->at))
                d->at++;
            obb_text_add(&d->buffer, from, (size_t)(d->at - from));
        }
    }
}

/* --- directives --------------------------------------------------------------------- */

static obb_directive *add(summarizer *d, obb_directive_kind kind, int line)
{
    obb_arena_push(d->symbols->arena, &d->summary->directives,
                   (obb_directive){.kind = kind, .line = line});
    return &d->summary->directives.at[d->summary->directives.count - 1];
}

/* Links a branch with the one before it, and opens or closes the conditional. */
static void link_branch(summarizer *d, obb_directive_kind kind)
{
    uint32_t index = (uint32_t)d->summary->directives.count - 1;
    if (kind == OBB_D_IF || kind == OBB_D_IFDEF || kind == OBB_D_IFNDEF) {
        obb_vec_push(&d->open, index);
        return;
    }
    if (!d->open.count) { /* a branch without a conditional: the compiler reports it */
        d->summary->directives.count--;
        return;
    }
    d->summary->directives.at[d->open.at[d->open.count - 1]].next = index;
    d->open.at[d->open.count - 1] = index;
    if (kind == OBB_D_ENDIF)
        d->open.count--;
}

static void take_tokens(summarizer *d, obb_directive *directive)
{
    char *text = obb_arena_copy(d->symbols->arena, d->buffer.bytes, d->buffer.length);
    obb_tokens tokens = {0};
    obb_tokens_of(d->symbols, text, d->buffer.length, &tokens);
    directive->tokens = tokens.at;
    directive->count = tokens.count;
    if (tokens.count && tokens.at[0].kind == OBB_T_NAME)
        directive->symbol = tokens.at[0].code;
}

/* "name" or <name> as written (C11 6.4.7); otherwise the tokens are left to be replaced. */
static void take_header_name(summarizer *d, obb_directive *directive)
{
    const char *s = d->buffer.bytes + strspn(d->buffer.bytes, " \t\f\v");
    const char close = *s == '<' ? '>' : '"';
    const char *end = *s == '<' || *s == '"' ? strchr(s + 1, close) : NULL;
    if (end) {
        directive->name = obb_arena_copy(d->symbols->arena, s + 1, (size_t)(end - s - 1));
        directive->quoted = close == '"';
    } else {
        take_tokens(d, directive);
    }
}

static void take_pragma(summarizer *d, int line)
{
    obb_tokens t = {0};
    char *text = obb_arena_copy(d->symbols->arena, d->buffer.bytes, d->buffer.length);
    obb_tokens_of(d->symbols, text, d->buffer.length, &t);
    if (!t.count || t.at[0].kind != OBB_T_NAME)
        return;
    const char *what = obb_symbol_text(d->symbols, t.at[0].code);
    if (strcmp(what, "once") == 0) {
        add(d, OBB_D_ONCE, line);
    } else if ((strcmp(what, "push_macro") == 0 || strcmp(what, "pop_macro") == 0) && t.count >= 4 &&
               t.at[2].kind == OBB_T_STRING && t.at[2].length > 2) {
        obb_directive *p = add(d, what[1] == 'u' ? OBB_D_PUSH : OBB_D_POP, line);
        p->symbol = obb_symbol(d->symbols, t.at[2].text + 1, t.at[2].length - 2);
    }
}

static bool string_includes(const obb_token *tokens, size_t count);

/* `# 33 "name" 1`: what a preprocessor writes into its output is read like #line (GCC, The C Preprocessor,
 * Preprocessor Output). */
static void take_marker(summarizer *d, const char *number, size_t n)
{
    collect_line(d);
    const char *rest = d->buffer.bytes + strspn(d->buffer.bytes, " \t\f\v");
    if (*rest && *rest != '"')
        return; /* a comment in assembly */
    d->buffer.length = 0;
    obb_text_add(&d->buffer, number, n);
    take_tokens(d, add(d, OBB_D_LINE, d->line));
}

static void take_directive(summarizer *d, const char *word, size_t n, int line)
{
    static const struct { const char *word; obb_directive_kind kind;
    } known[] = {{"if", OBB_D_IF},
                 {"ifdef", OBB_D_IFDEF},
                 {"ifndef", OBB_D_IFNDEF},
                 {"elif", OBB_D_ELIF},
                 {"elifdef", OBB_D_ELIFDEF},
                 {"elifndef", OBB_D_ELIFNDEF},
                 {"else", OBB_D_ELSE},
                 {"endif", OBB_D_ENDIF},
                 {"define", OBB_D_DEFINE},
                 {"undef", OBB_D_UNDEF},
                 {"line", OBB_D_LINE},
                 {"include", OBB_D_INCLUDE},
                 {"include_next", OBB_D_INCLUDE_NEXT},
                 {"import", OBB_D_IMPORT},
                 {"embed", OBB_D_EMBED}};
    enum { KNOWN = sizeof known / sizeof *known };
    int i = 0;
    while (i < KNOWN && !(strlen(known[i].word) == n && memcmp(known[i].word, word, n) == 0))
        i++;
    bool pragma = n == 6 && memcmp(word, "pragma", 6) == 0;
    if (n && isdigit((unsigned char)*word)) {
        take_marker(d, word, n);
        return;
    }
    if (i == KNOWN && !pragma) {
        skip_line(d);
        return;
    }
    collect_line(d);
    if (pragma) {
        take_pragma(d, line);
        return;
    }
    obb_directive *directive = add(d, known[i].kind, known[i].kind == OBB_D_LINE ? d->line : line);
    directive->spans = d->line > line + 1;
    if (known[i].kind >= OBB_D_INCLUDE)
        take_header_name(d, directive);
    else if (known[i].kind != OBB_D_ELSE && known[i].kind != OBB_D_ENDIF)
        take_tokens(d, directive);
    if (known[i].kind == OBB_D_DEFINE) {
        directive->macro = obb_macro_of(d->symbols, directive->tokens, directive->count);
        if (directive->macro && d->watch)
            directive->macro->assembles = string_includes(directive->tokens, directive->count);
        if (!directive->macro)
            d->summary->directives.count--;
    }
    if (known[i].kind <= OBB_D_ENDIF)
        link_branch(d, known[i].kind);
}

/* --- assembly ----------------------------------------------------------------------- */

static void add_statement(summarizer *d, obb_directive_kind kind, const char *word, const char *rest,
                          size_t length, int line)
{
    obb_directive *directive = add(d, kind, line);
    obb_tokens tokens = {0};
    char *text = obb_arena_copy(d->symbols->arena, rest, length);
    obb_tokens_of(d->symbols, text, length, &tokens);
    directive->name = word;
    directive->tokens = tokens.at;
    directive->count = tokens.count;
}

/* The word of a statement that decides what is included (GNU as manual, sections .if, .include,
 * .incbin, .macro, .rept, .set); NULL for all others. */
static const char *gas_word(const char *p, size_t n)
{
    static const char *const words[] = {".include", ".incbin", ".if",    ".ifdef", ".ifndef", ".ifnotdef",
                                        ".ifeq",    ".ifne",   ".ifgt",  ".ifge",  ".iflt",   ".ifle",
                                        ".ifb",     ".ifnb",   ".ifc",   ".ifnc",  ".ifeqs",  ".ifnes",
                                        ".else",    ".elseif", ".endif", ".set",   ".equ",    ".equiv",
                                        ".eqv",     ".macro",  ".endm",  ".rept",  ".irp",    ".irpc",
                                        ".endr"};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        if (strlen(words[i]) == n && strncasecmp(words[i], p, n) == 0)
            return words[i];
    return NULL;
}

static size_t gas_name(const char *p, const char *end)
{
    const char *from = p;
    while (p < end && (isalnum((unsigned char)*p) || strchr("_.$", *p)))
        p++;
    return (size_t)(p - from);
}

/* One statement, labels before it. */
static void take_statement(summarizer *d, const char *p, const char *end, int line)
{
    for (;;) {
        while (p < end && (*p == ' ' || *p == '\t'))
            p++;
        size_t n = gas_name(p, end);
        const char *after = p + n;
        while (after < end && (*after == ' ' || *after == '\t'))
            after++;
        if (n && after < end && *after == ':') {
            add_statement(d, OBB_D_GAS, ":", p, n, line);
            p = after + 1;
            continue;
        }
        const char *word = n ? gas_word(p, n) : NULL;
        if (word && strcmp(word, ".include") == 0)
            add_statement(d, OBB_D_ASM_INCLUDE, NULL, p + n, (size_t)(end - p) - n, line);
        else if (word && strcmp(word, ".incbin") == 0)
            add_statement(d, OBB_D_ASM_INCBIN, NULL, p + n, (size_t)(end - p) - n, line);
        else if (word)
            add_statement(d, OBB_D_GAS, word, p + n, (size_t)(end - p) - n, line);
        else if (n && after < end && *after == '=')
            add_statement(d, OBB_D_GAS, "=", p, (size_t)(end - p), line);
        return;
    }
}

/* The statements of a line: parted by `;`, up to a comment. What only looks like a comment or an
 * end (each machine has its own marks) is read as one. */
static void take_assembly(summarizer *d, int line)
{
    const char *from = d->buffer.bytes, *p = from;
    for (bool quoted = false; *p; p++) {
        if (*p == '"' && (p == from || p[-1] != '\\'))
            quoted = !quoted;
        if (quoted)
            continue;
        if (*p == '#' || *p == '@')
            break;
        if (*p == ';') {
            take_statement(d, from, p, line);
            from = p + 1;
        }
    }
    take_statement(d, from, p, line);
}

/* Whether one of the strings says .incbin or .include. */
static bool string_includes(const obb_token *tokens, size_t count)
{
    for (size_t i = 0; i < count; i++)
        for (size_t k = 0; tokens[i].kind == OBB_T_STRING && k + 8 < tokens[i].length; k++)
            if (memcmp(tokens[i].text + k, ".incbin", 7) == 0 ||
                memcmp(tokens[i].text + k, ".include", 8) == 0)
                return true;
    return false;
}

/* A line of C: inline assembly, if a string in it includes something. */
static void take_inline(summarizer *d, int line)
{
    obb_tokens tokens = {0};
    char *text = obb_arena_copy(d->symbols->arena, d->buffer.bytes, d->buffer.length);
    obb_tokens_of(d->symbols, text, d->buffer.length, &tokens);
    if (!string_includes(tokens.at, tokens.count))
        return;
    obb_directive *directive = add(d, OBB_D_INLINE, line);
    directive->tokens = tokens.at;
    directive->count = tokens.count;
}

/* _Pragma("once") at the start of a line is #pragma once (C11 6.10.9), and so on. */
static void take_pragma_operator(summarizer *d, int line)
{
    collect_line(d);
    const char *open = strchr(d->buffer.bytes, '"'), *close = strrchr(d->buffer.bytes, '"');
    if (!open || open == close)
        return;
    obb_text inner = {0};
    for (const char *c = open + 1; c < close; c++)
        if (c[0] != '\\' || (c[1] != '"' && c[1] != '\\'))
            obb_text_char(&inner, *c);
    d->buffer.length = 0;
    obb_text_add(&d->buffer, obb_text_bytes(&inner), inner.length);
    obb_text_free(&inner);
    take_pragma(d, line);
}

static bool line_has(const summarizer *d, const char *what)
{
    const char *end = memchr(d->at, '\n', (size_t)(d->end - d->at)), *found = strstr(d->at, what);
    return found && found < (end ? end : d->end);
}

static void take_text_line(summarizer *d, bool watch, int line)
{
    bool assembly = d->kind == OBB_TEXT_ASM_CPP || d->kind == OBB_TEXT_ASM;
    if (!assembly && d->end - d->at > 8 && memcmp(d->at, "_Pragma", 7) == 0) {
        take_pragma_operator(d, line);
    } else if (!assembly && (!watch || !line_has(d, ".inc"))) {
        skip_line(d);
    } else {
        collect_line(d);
        if (assembly)
            take_assembly(d, line);
        else
            take_inline(d, line);
    }
}

/* --- the whole ---------------------------------------------------------------------- */

/* `#ifndef X` or `#if !defined X` around all other directives. */
static void find_guard(summarizer *d)
{
    obb_directive_summary *g = d->summary;
    if (g->directives.count < 2)
        return;
    const obb_directive *first = &g->directives.at[0];
    if (first->next != g->directives.count - 1 ||
        g->directives.at[first->next].kind != OBB_D_ENDIF)
        return;
    if (first->kind == OBB_D_IFNDEF && first->count) {
        g->guarded = true;
        g->guard = first->symbol;
    } else if (first->kind == OBB_D_IF && first->count >= 3 && first->tokens[0].code == '!' &&
               first->tokens[1].kind == OBB_T_NAME &&
               strcmp(obb_symbol_text(d->symbols, first->tokens[1].code), "defined") == 0) {
        bool parens = first->count == 5 && first->tokens[2].code == '(';
        const obb_token *name = &first->tokens[parens ? 3 : 2];
        g->guarded = (parens || first->count == 3) && name->kind == OBB_T_NAME;
        g->guard = name->code;
    }
}

/* The name of a directive, with joints taken away; at most as long as the longest known. */
static size_t take_name(summarizer *d, char *name, size_t room)
{
    size_t n = 0;
    for (const char *next; d->at < d->end;) {
        if (isalnum((unsigned char)*d->at) || *d->at == '_') {
            if (n < room)
                name[n] = *d->at;
            n++;
            d->at++;
        } else if ((next = joint(d->at, d->end))) {
            d->line++;
            d->at = next;
        } else {
            break;
        }
    }
    return n < room ? n : 0;
}

static bool at_hash(const summarizer *d)
{
    return d->at < d->end && d->kind != OBB_TEXT_ASM &&
           (*d->at == '#' || (d->at[0] == '%' && d->at[1] == ':'));
}

size_t obb_replace_trigraphs(char *text, size_t length)
{
    static const char letters[] = "=/'()!<>-", meanings[] = "#\\^[]|{}~";
    size_t n = 0;
    for (size_t i = 0; i < length; i++) {
        const char *letter = text[i] == '?' && i + 2 < length && text[i + 1] == '?'
                                 ? memchr(letters, text[i + 2], sizeof letters - 1)
                                 : NULL;
        text[n++] = letter ? meanings[letter - letters] : text[i];
        i += letter ? 2 : 0;
    }
    text[n] = 0;
    return n;
}

obb_directive_summary *obb_directives_summarize(obb_symbols *symbols, const char *text, size_t length,
                            obb_text_kind kind)
{
    summarizer d =
        {.symbols = symbols, .start = text, .at = text, .end = text + length, .line = 1, .kind = kind};
    d.watch = strstr(text, ".inc") != NULL;
    d.summary = obb_arena_alloc(symbols->arena, sizeof *d.summary);
    if (length >= 3 && memcmp(text, "\xEF\xBB\xBF", 3) == 0)
        d.at += 3;
    while (d.at < d.end) {
        skip_blanks(&d);
        int line = d.line;
        if (!at_hash(&d)) {
            take_text_line(&d, d.watch, line);
            continue;
        }
        d.at += *d.at == '#' ? 1 : 2;
        skip_blanks(&d);
        char name[16];
        size_t n = take_name(&d, name, sizeof name);
        take_directive(&d, name, n, line);
    }
    uint32_t end = (uint32_t)d.summary->directives.count;
    for (size_t i = 0; i < d.open.count; i++)
        d.summary->directives.at[d.open.at[i]].next = end;
    if (!d.open.count)
        find_guard(&d);
    add(&d, OBB_D_ENDIF, d.line);
    d.summary->directives.at[end].next = end;
    d.summary->directives.count--;
    obb_vec_free(&d.open);
    obb_text_free(&d.buffer);
    return d.summary;
}
