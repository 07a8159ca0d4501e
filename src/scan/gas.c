/* The conditionals of the compiler's own assembler (GNU as manual, sections .if, .set, .macro and
 * .rept), as far as they decide what is included.
 *
 * Symbols that are set to what can be computed have their value; all others are unknown. Where a
 * condition depends on one of those, and in the bodies of macros and repetitions, both branches are
 * read, and what is included there is for the assembler itself to say. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "scan/scanner.h"

enum { TAKEN, OVER, WAITING, UNKNOWN }; /* of a conditional: this branch; none any more; not yet */

typedef struct number {
    int64_t value;
    bool known;
} number;

/* --- symbols ------------------------------------------------------------------------ */

static number *symbol(obb_scanner *s, const char *name, size_t length)
{
    return obb_map_get(&s->gas.symbols, obb_arena_copy(s->scratch, name, length));
}

static void set_symbol(obb_scanner *s, const char *name, size_t length, number value)
{
    number *n = symbol(s, name, length);
    if (!n) {
        n = obb_arena_alloc(s->scratch, sizeof *n);
        obb_map_put(&s->gas.symbols, obb_arena_copy(s->scratch, name, length), n);
    }
    *n = s->gas.unknown ? (number){0, false} : value;
}

static size_t name_length(const char *p)
{
    size_t n = 0;
    while (isalnum((unsigned char)p[n]) || (p[n] && strchr("_.$", p[n])))
        n++;
    return n && !isdigit((unsigned char)*p) ? n : 0;
}

/* --- expressions -------------------------------------------------------------------- */

typedef struct reader {
    obb_scanner *scanner;
    const char *at;
    bool known;
    int depth;
} reader;

static const char *skip_blanks(const char *p)
{
    return p + strspn(p, " \t");
}

static int64_t expression(reader *r, int least);

static int64_t operand(reader *r)
{
    const char *p = r->at = skip_blanks(r->at);
    size_t n = name_length(p);
    if (++r->depth > 100) {
        r->known = false;
        return 0;
    }
    if (n) {
        const number *known = symbol(r->scanner, p, n);
        r->known = r->known && known && known->known;
        r->at += n;
        return known ? known->value : 0;
    }
    if (*p == '(') {
        r->at++;
        int64_t inner = expression(r, 1);
        r->at = skip_blanks(r->at);
        r->known = r->known && *r->at == ')';
        r->at += *r->at == ')';
        return inner;
    }
    if (*p && strchr("-~!+", *p)) {
        r->at++;
        int64_t v = operand(r);
        return *p == '-' ? (int64_t)(0 - (uint64_t)v) : *p == '~' ? ~v : *p == '!' ? !v : v;
    }
    if (*p == '\'' && p[1] && p[1] != '\\') {
        r->at += p[2] == '\'' ? 3 : 2;
        return (unsigned char)p[1];
    }
    bool binary = p[0] == '0' && (p[1] == 'b' || p[1] == 'B');
    char *end = (char *)(uintptr_t)p;
    uint64_t v = isdigit((unsigned char)*p) ? strtoull(binary ? p + 2 : p, &end, binary ? 2 : 0) : 0;
    r->known = r->known && end != p && !isalnum((unsigned char)*end); /* 1f and 1b are labels */
    r->at = end;
    return (int64_t)v;
}

/* The operators by rank, as the manual has them (Infix Operators): not those of C. */
static size_t operator_at(const char *p, int *rank)
{
    static const struct { const char *text; int rank;
    } operators[] = {{"<<", 5}, {">>", 5}, {"&&", 2}, {"||", 1}, {"==", 3}, {"!=", 3}, {"<>", 3},
                     {"<=", 3}, {">=", 3}, {"*", 5},  {"/", 5},  {"%", 5},  {"|", 4},  {"&", 4},
                     {"^", 4},  {"!", 4},  {"+", 3},  {"-", 3},  {"<", 3},  {">", 3}};
    for (size_t i = 0; i < sizeof operators / sizeof *operators; i++)
        if (strncmp(p, operators[i].text, strlen(operators[i].text)) == 0) {
            *rank = operators[i].rank;
            return strlen(operators[i].text);
        }
    return 0;
}

static int64_t applied(reader *r, const char *op, size_t n, int64_t a, int64_t b)
{
    uint64_t x = (uint64_t)a, y = (uint64_t)b;
    char c = *op;
    if (n == 2) {
        int64_t truth = c == '='                   ? -(a == b)
                        : c == '!' || op[1] == '>' ? -(a != b)
                        : c == '<'                 ? -(a <= b)
                                                   : -(a >= b);
        if (c == '&')
            return a && b;
        if (c == '|')
            return a || b;
        if (strncmp(op, "<<", 2) == 0 || strncmp(op, ">>", 2) == 0)
            return y > 63 ? 0 : (int64_t)(c == '<' ? x << y : x >> y);
        return truth;
    }
    switch (c) {
    case '*': return (int64_t)(x * y);
    case '/': case '%':
        r->known = r->known && b != 0 && !(b == -1);
        return !b || b == -1 ? 0 : c == '/' ? a / b : a % b;
    case '|': return a | b;
    case '&': return a & b;
    case '^': return a ^ b;
    case '!': return a | ~b;
    case '+': return (int64_t)(x + y);
    case '-': return (int64_t)(x - y);
    case '<': return -(a < b);
    default: return -(a > b);
    }
}

static int64_t expression(reader *r, int least)
{
    int64_t a = operand(r);
    for (;;) {
        int rank = 0;
        r->at = skip_blanks(r->at);
        const char *op = r->at;
        size_t n = operator_at(op, &rank);
        if (!n || rank < least)
            return a;
        r->at += n;
        a = applied(r, op, n, a, expression(r, rank + 1));
    }
}

static number value_of(obb_scanner *s, const char *text)
{
    reader r = {.scanner = s, .at = text, .known = true};
    number n = {.value = expression(&r, 1)};
    n.known = r.known && !*skip_blanks(r.at);
    return n;
}

/* --- conditionals ------------------------------------------------------------------- */

/* -1: unknown. */
static int condition(obb_scanner *s, const char *word, const char *rest)
{
    static const struct { const char *word; char operation;
    } known[] = {{".if", 'n'},   {".ifne", 'n'}, {".ifeq", 'e'}, {".ifgt", '>'},
                 {".ifge", 'g'}, {".iflt", '<'}, {".ifle", 'l'}};
    if (strcmp(word, ".ifdef") == 0 || strcmp(word, ".ifndef") == 0 || strcmp(word, ".ifnotdef") == 0) {
        const char *name = skip_blanks(rest);
        bool defined = symbol(s, name, name_length(name)) != NULL;
        if (!defined && s->gas.hidden)
            return -1;
        return defined == (strcmp(word, ".ifdef") == 0);
    }
    number n = value_of(s, rest);
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strcmp(word, known[i].word) == 0 && n.known)
            switch (known[i].operation) {
            case 'n': return n.value != 0;
            case 'e': return n.value == 0;
            case '>': return n.value > 0;
            case 'g': return n.value >= 0;
            case '<': return n.value < 0;
            default: return n.value <= 0;
            }
    return -1;
}

bool obb_scan_gas_skips(const obb_scanner *s)
{
    for (size_t i = 0; i < s->gas.levels.count; i++)
        if (s->gas.levels.at[i] == OVER || s->gas.levels.at[i] == WAITING)
            return true;
    return false;
}

static void open_level(obb_scanner *s, const char *word, const char *rest)
{
    int yes = obb_scan_gas_skips(s) ? 0 : condition(s, word, rest);
    obb_vec_push(&s->gas.levels, yes < 0 ? UNKNOWN : yes ? TAKEN : obb_scan_gas_skips(s) ? OVER : WAITING);
    s->gas.unknown += yes < 0;
}

static void next_branch(obb_scanner *s, const char *word, const char *rest)
{
    if (!s->gas.levels.count)
        return;
    uint8_t *level = &s->gas.levels.at[s->gas.levels.count - 1];
    if (*level == TAKEN)
        *level = OVER;
    if (*level != WAITING)
        return;
    *level = TAKEN;
    if (strcmp(word, ".elseif") != 0 || obb_scan_gas_skips(s))
        return;
    int yes = condition(s, ".if", rest);
    *level = yes < 0 ? UNKNOWN : yes ? TAKEN : WAITING;
    s->gas.unknown += yes < 0;
}

static void close_level(obb_scanner *s)
{
    if (!s->gas.levels.count)
        return;
    s->gas.unknown -= s->gas.levels.at[--s->gas.levels.count] == UNKNOWN;
}

/* --- statements --------------------------------------------------------------------- */

static void set(obb_scanner *s, const char *rest)
{
    const char *name = skip_blanks(rest), *comma = strchr(name, ',');
    if (comma && name_length(name))
        set_symbol(s, name, name_length(name), value_of(s, comma + 1));
}

static bool one_of(const char *word, const char *const *words)
{
    for (; *words; words++)
        if (strcmp(word, *words) == 0)
            return true;
    return false;
}

void obb_scan_gas(obb_scanner *s, const char *word, const char *rest)
{
    static const char *const setting[] = {".set", ".equ", ".equiv", ".eqv", NULL};
    static const char *const opening[] = {".macro", ".rept", ".irp", ".irpc", NULL};
    static const char *const closing[] = {".endm", ".endr", NULL};
    obb_scan_spoil_memos(s);
    if (one_of(word, opening)) {
        s->gas.blocks++;
        s->gas.unknown++;
        s->gas.hidden = s->gas.hidden || strcmp(word, ".macro") == 0; /* it may define any symbol */
    } else if (one_of(word, closing)) {
        s->gas.unknown -= s->gas.blocks > 0;
        s->gas.blocks -= s->gas.blocks > 0;
    } else if (strncmp(word, ".if", 3) == 0) {
        open_level(s, word, rest);
    } else if (strncmp(word, ".else", 5) == 0) {
        next_branch(s, word, rest);
    } else if (strcmp(word, ".endif") == 0) {
        close_level(s);
    } else if (!obb_scan_gas_skips(s) && one_of(word, setting)) {
        set(s, rest);
    } else if (!obb_scan_gas_skips(s) && strcmp(word, "=") == 0) {
        size_t n = name_length(rest);
        const char *equal = strchr(rest, '=');
        if (n && equal)
            set_symbol(s, rest, n, value_of(s, equal + 1 + (equal[1] == '=')));
    } else if (!obb_scan_gas_skips(s) && strcmp(word, ":") == 0) {
        set_symbol(s, rest, name_length(rest), (number){0, false});
    }
}

void obb_scan_gas_begin(obb_scanner *s)
{
    const obb_words *flags = &s->setup->dialect->flags;
    obb_map_free(&s->gas.symbols);
    s->gas.levels.count = 0;
    s->gas.unknown = s->gas.blocks = 0;
    s->gas.hidden = false;
    for (size_t i = 0; i < flags->count; i++) {
        const char *defined = strstr(flags->at[i], "-Wa,") == flags->at[i] ? strstr(flags->at[i], "--defsym")
                                                                           : NULL;
        for (; defined; defined = strstr(defined, "--defsym")) {
            defined += strlen("--defsym");
            defined += *defined == ',' || *defined == '=';
            const char *equal = strchr(defined, '=');
            if (equal) {
                number n = value_of(s, obb_arena_copy(s->scratch, equal + 1, strcspn(equal + 1, ",")));
                set_symbol(s, defined, (size_t)(equal - defined), n);
            }
        }
    }
}
