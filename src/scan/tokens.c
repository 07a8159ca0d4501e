/* Preprocessing tokens (C11 6.4) of one line, and macros made of them.
 *
 * A token refers to the text that it came from, which must outlive it, and names have their symbols at once.
 * A macro that cannot be made (malformed) is left to the compiler to report. */
#include <ctype.h>
#include <string.h>

#include "scan/directives.h"

uint32_t obb_symbol(obb_symbols *symbols, const char *text, size_t length)
{
    bool added;
    uint32_t n = obb_map_number(&symbols->map, text, length, &added);
    if (added)
        symbols->map.at[n].key = obb_arena_copy(symbols->arena, text, length);
    return n;
}

const char *obb_symbol_text(const obb_symbols *symbols, uint32_t symbol)
{
    return symbols->map.at[symbol].key;
}

static bool name_start(char c)
{
    return (c >= 'a' && c <= 'z') || (c >= 'A' && c <= 'Z') || c == '_' || c == '$' ||
           (unsigned char)c >= 0x80;
}

static bool name_part(char c)
{
    return name_start(c) || (c >= '0' && c <= '9');
}

/* The length of a literal in quotes that starts at s; 0 when it does not end on the line. */
static size_t quoted_length(const char *s, const char *end)
{
    for (const char *p = s + 1; p < end; p++) {
        if (*p == '\\')
            p++;
        else if (*p == *s)
            return (size_t)(p + 1 - s);
    }
    return 0;
}

/* u8R"x(...)x" and its like, within one line. */
static size_t raw_length(const char *quote, const char *end)
{
    const char *open = memchr(quote, '(', (size_t)(end - quote));
    if (!open || open - quote > 17)
        return 0;
    size_t n = (size_t)(open - quote - 1);
    for (const char *p = open + 1; p + n + 1 < end; p++)
        if (*p == ')' && memcmp(p + 1, quote + 1, n) == 0 && p[n + 1] == '"')
            return (size_t)(p + n + 2 - quote);
    return 0;
}

static size_t number_length(const char *s, const char *end)
{
    const char *p = s + 1;
    for (; p < end; p++) {
        if ((*p == '+' || *p == '-') && strchr("eEpP", p[-1]))
            continue;
        if (*p == '\'' && p + 1 < end && name_part(p[1]))
            continue;
        if (!name_part(*p) && *p != '.')
            break;
    }
    return (size_t)(p - s);
}

static size_t mark_length(const char *s, const char *end)
{
    if (end - s < 2 || !strchr("<>.#=!&|-+:%", *s) || !strchr("<=>.#&|-+:%", s[1]))
        return 1;
    static const char *const marks[] = {"<<=", ">>=", "...", "<=>", "##", "<<", ">>", "<=", ">=",
                                        "==", "!=", "&&", "||", "->", "++", "--", "::", "<:", ":>",
                                        "<%", "%>", "%:"};
    for (size_t i = 0; i < sizeof marks / sizeof *marks; i++) {
        size_t n = strlen(marks[i]);
        if ((size_t)(end - s) >= n && memcmp(s, marks[i], n) == 0)
            return n;
    }
    return 1;
}

static obb_token mark_token(const char *s, size_t n)
{
    uint32_t code = 0;
    for (size_t i = 0; i < n; i++)
        code |= (uint32_t)(unsigned char)s[i] << 8 * i;
    if (code == OBB_MARK2('%', ':'))
        code = OBB_MARK1('#');
    return (obb_token){.kind = OBB_T_MARK, .code = code, .text = s, .length = (uint32_t)n};
}

static obb_token literal_token(uint8_t kind, const char *s, size_t n)
{
    return (obb_token){.kind = kind, .text = s, .length = (uint32_t)n};
}

/* Most numbers are short decimal ones, perhaps with an L: their value is known at once. */
static obb_token number_token(const char *s, size_t n)
{
    obb_token t = literal_token(OBB_T_NUMBER, s, n);
    size_t i = 0;
    while (i < n && i < 9 && isdigit((unsigned char)s[i]))
        t.code = t.code * 10 + (uint32_t)(s[i++] - '0');
    t.plain = (s[0] != '0' || i == 1) && (i == n || (i + 1 == n && s[i] == 'L'));
    return t;
}

static obb_token next_token(obb_symbols *symbols, const char *s, const char *end)
{
    if (name_start(*s)) {
        size_t n = 1;
        while (s + n < end && name_part(s[n]))
            n++;
        if (s + n < end && (s[n] == '"' || s[n] == '\'') && n <= 3) { /* L"x", u8'x', R"(x)" */
            bool prefix = (n == 1 && strchr("LuUR", s[0])) || (n == 2 && memcmp(s, "u8", 2) == 0) ||
                          (s[n - 1] == 'R' && strchr("LuU", s[0]));
            size_t m = !prefix ? 0 : s[n - 1] == 'R' && s[n] == '"' ? raw_length(s + n, end)
                                                                  : quoted_length(s + n, end);
            if (m)
                return literal_token(s[n] == '"' ? OBB_T_STRING : OBB_T_CHAR, s, n + m);
        }
        obb_token t = literal_token(OBB_T_NAME, s, n);
        t.code = obb_symbol(symbols, s, n);
        return t;
    }
    if (isdigit((unsigned char)*s) || (*s == '.' && s + 1 < end && isdigit((unsigned char)s[1])))
        return number_token(s, number_length(s, end));
    if (*s == '"' || *s == '\'') {
        size_t n = quoted_length(s, end);
        if (n)
            return literal_token(*s == '"' ? OBB_T_STRING : OBB_T_CHAR, s, n);
        return literal_token(OBB_T_OTHER, s, 1);
    }
    return mark_token(s, mark_length(s, end));
}

void obb_tokens_of(obb_symbols *symbols, const char *text, size_t length, obb_tokens *tokens)
{
    const char *s = text, *end = text + length;
    bool space = false;
    for (;;) {
        for (; s < end && isspace((unsigned char)*s); s++)
            space = true;
        if (s >= end)
            break;
        obb_token t = next_token(symbols, s, end);
        t.space = space;
        obb_arena_push(symbols->arena, tokens, t);
        s += t.length;
        space = false;
    }
    obb_arena_push(symbols->arena, tokens, (obb_token){.kind = OBB_T_END});
    tokens->count--;
}

/* Reads `(a, b, ...)` behind the name; the index after it, or 0 when it is malformed. */
static size_t read_parameters(obb_symbols *symbols, const obb_token *t, size_t count, obb_macro *m)
{
    OBB_VEC(uint32_t) names = {0};
    size_t i = 2;
    m->with_arguments = true;
    for (bool want = true; i < count; i++) {
        if (t[i].kind == OBB_T_NAME && want) {
            obb_arena_push(symbols->arena, &names, t[i].code);
            want = false;
        } else if (t[i].code == OBB_MARK3('.', '.', '.') && t[i].kind == OBB_T_MARK) {
            m->variadic = true;
            if (want)
                obb_arena_push(symbols->arena, &names, obb_symbol(symbols, "__VA_ARGS__", 11));
            want = false;
        } else if (t[i].kind == OBB_T_MARK && t[i].code == ',' && !want) {
            want = true;
        } else {
            break;
        }
    }
    if (i >= count || t[i].kind != OBB_T_MARK || t[i].code != ')')
        return 0;
    m->parameters = names.at;
    m->parameter_count = (uint32_t)names.count;
    return i + 1;
}

obb_macro *obb_macro_of(obb_symbols *symbols, const obb_token *tokens, size_t count)
{
    if (!count || tokens[0].kind != OBB_T_NAME)
        return NULL;
    obb_macro *m = obb_arena_alloc(symbols->arena, sizeof *m);
    m->symbol = tokens[0].code;
    size_t body = 1;
    if (count > 1 && tokens[1].kind == OBB_T_MARK && tokens[1].code == '(' && !tokens[1].space)
        body = read_parameters(symbols, tokens, count, m);
    if (!body)
        return NULL;
    m->body = tokens + body;
    m->length = count - body;
    return m;
}
