/* Conditions: the integer expressions of #if (C11 6.6 and 6.10.1), in intmax_t and uintmax_t,
 * by precedence climbing. What is not evaluated (behind &&, || and ?:) may divide by zero.
 *
 * What __COUNTER__ is hangs on all text before, which is not replaced here. But a condition may be the same
 * whatever it is, such as `__COUNTER__ + 1 == __COUNTER__ + 0`, which asks whether it counts: a value says
 * how many times the unknown count is in it, and sums and comparisons in which that cancels out are decided.
 */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "scan/scanner.h"

typedef struct value {
    uintmax_t bits;
    bool is_unsigned;
    int counts; /* so many times the count before the condition is to be added */
} value;

typedef struct evaluator {
    obb_scanner *scanner;
    const obb_token *at, *end;
    int skipping; /* > 0: the operand is not evaluated */
    int depth;
} evaluator;

static value of(uintmax_t bits, bool is_unsigned)
{
    return (value){bits, is_unsigned, 0};
}

/* The value itself is needed. */
static value settled(const evaluator *e, value v)
{
    if (v.counts && !e->skipping)
        obb_scan_give_up(e->scanner, "`%s` decides", "__COUNTER__");
    return of(v.bits, v.is_unsigned);
}

static void malformed(evaluator *e)
{
    obb_scan_give_up(e->scanner, "a condition that is not understood near `%s`",
                     e->at < e->end ? obb_scan_spell(e->scanner->scratch, e->at, 1) : "its end");
}

static value number(evaluator *e, const obb_token *t)
{
    if (t->plain)
        return of(t->code, false);
    char digits[80];
    size_t n = 0;
    for (uint32_t i = 0; i < t->length && n < sizeof digits - 1; i++)
        if (t->text[i] != '\'')
            digits[n++] = t->text[i];
    digits[n] = 0;
    int base = 10;
    const char *s = digits;
    if (s[0] == '0' && (s[1] == 'x' || s[1] == 'X'))
        base = 16, s += 2;
    else if (s[0] == '0' && (s[1] == 'b' || s[1] == 'B'))
        base = 2, s += 2;
    else if (s[0] == '0')
        base = 8;
    uintmax_t v = 0;
    for (;; s++) {
        int d = *s >= '0' && *s <= '9'                  ? *s - '0'
                : (*s | 32) >= 'a' && (*s | 32) <= 'f' ? (*s | 32) - 'a' + 10
                                                       : 99;
        if (d >= base)
            break;
        v = v * (uintmax_t)base + (uintmax_t)d;
    }
    bool u = false;
    for (; *s; s++) {
        if (!strchr("uUlLzZ", *s))
            malformed(e);
        u = u || *s == 'u' || *s == 'U';
    }
    return of(v, u || (v > (uintmax_t)INTMAX_MAX));
}

static bool macro_known(evaluator *e, const char *name)
{
    return obb_scan_macro(e->scanner, obb_symbol(&e->scanner->symbols, name, strlen(name))) != NULL;
}

/* One character of a constant: ASCII, or an escape of up to eight bits; behind it. */
static const char *one_character(evaluator *e, const char *s, const char *end, int *c)
{
    *c = (unsigned char)*s;
    if (*c >= 0x80)
        malformed(e);
    if (*s != '\\') {
        s++;
    } else if (strchr("01234567", s[1])) {
        const char *last = s + 4;
        for (*c = 0, s++; s < end && s < last && *s >= '0' && *s <= '7'; s++)
            *c = *c * 8 + (*s - '0');
    } else if (s[1] == 'x') {
        for (*c = 0, s += 2; s < end && isxdigit((unsigned char)*s) && *c < 0x100; s++)
            *c = *c * 16 + (*s <= '9' ? *s - '0' : (*s | 32) - 'a' + 10);
    } else {
        static const char letters[] = "abfnrtv\\'\"?", meanings[] = "\a\b\f\n\r\t\v\\'\"?";
        const char *letter = strchr(letters, s[1]);
        if (!letter)
            malformed(e);
        *c = letter ? meanings[letter - letters] : 0;
        s += 2;
    }
    if (s > end || *c > 0xff)
        malformed(e);
    return s;
}

/* A character constant of ASCII characters and escapes; others are for the compiler. Several are
 * an int, the first highest, as compilers of both families have it. */
static value character(evaluator *e, const obb_token *t)
{
    const char *quote = memchr(t->text, '\'', t->length), *s = quote + 1, *end = t->text + t->length - 1;
    bool is_unsigned = quote > t->text && (t->text[0] != 'L' || macro_known(e, "__WCHAR_UNSIGNED__"));
    uint32_t all = 0;
    int count = 0;
    while (s < end) {
        int c;
        s = one_character(e, s, end, &c);
        all = all << 8 | (uint32_t)c;
        count++;
    }
    if (count == 1 && all >= 0x80 && quote == t->text && !macro_known(e, "__CHAR_UNSIGNED__"))
        all -= 0x100; /* a char is signed here */
    if (!count || count > 4 || (count > 1 && (quote > t->text || all & 0x80808080u)))
        malformed(e);
    return of((uintmax_t)(intmax_t)(int32_t)all, is_unsigned);
}

static bool accept(evaluator *e, uint32_t code)
{
    if (e->at >= e->end || e->at->kind != OBB_T_MARK || e->at->code != code)
        return false;
    e->at++;
    return true;
}

static value conditional(evaluator *e);

/* In C++ these names are operators ([lex.digraph]) and truth values. */
static bool spelt(const evaluator *e, const char *word)
{
    return e->at < e->end && e->at->kind == OBB_T_NAME &&
           e->scanner->setup->dialect->language == OBB_CXX && strlen(word) == e->at->length &&
           memcmp(word, e->at->text, e->at->length) == 0;
}

static value name(evaluator *e)
{
    bool yes = spelt(e, "true");
    e->at++;
    if (e->at < e->end && e->at->kind == OBB_T_MARK && e->at->code == '(')
        malformed(e); /* looks like a macro that is not defined: the compiler reports it */
    return of(yes, false);
}

static value unary(evaluator *e);

/* ! ~ - + before an operand, any number of them. */
static value unary_sign(evaluator *e)
{
    if (++e->depth > 400)
        malformed(e);
    value v = unary(e);
    e->depth--;
    return v;
}

static value unary(evaluator *e)
{
    if (e->at >= e->end)
        malformed(e);
    if (accept(e, '(')) {
        value v = conditional(e);
        if (!accept(e, ')'))
            malformed(e);
        return v;
    }
    bool not_word = spelt(e, "not"), compl_word = spelt(e, "compl");
    if (not_word || compl_word)
        e->at++;
    if (not_word || accept(e, '!'))
        return of(settled(e, unary_sign(e)).bits == 0, false);
    if (compl_word || accept(e, '~')) {
        value v = settled(e, unary_sign(e));
        return of(~v.bits, v.is_unsigned);
    }
    if (accept(e, '-')) {
        value v = unary_sign(e);
        return (value){0 - v.bits, v.is_unsigned, -v.counts};
    }
    if (accept(e, '+'))
        return unary_sign(e);
    const obb_token *t = e->at;
    if (t->kind == OBB_T_NAME)
        return name(e);
    if (t->kind == OBB_T_COUNTER) {
        e->at++;
        return (value){t->code, false, 1};
    }
    if (t->kind == OBB_T_NUMBER || t->kind == OBB_T_CHAR) {
        value v = t->kind == OBB_T_NUMBER ? number(e, t) : character(e, t);
        e->at++;
        return v;
    }
    malformed(e);
    return of(0, false);
}

typedef enum operation {
    NONE, OR, AND, BIT_OR, BIT_XOR, BIT_AND, EQUAL, UNEQUAL, LESS, GREATER, LESS_EQUAL,
    GREATER_EQUAL, LEFT, RIGHT, PLUS, MINUS, TIMES, DIVIDE, REMAINDER
} operation;

static operation mark_operation(uint32_t code)
{
    switch (code) {
    case OBB_MARK2('|', '|'): return OR;
    case OBB_MARK2('&', '&'): return AND;
    case '|': return BIT_OR;
    case '^': return BIT_XOR;
    case '&': return BIT_AND;
    case OBB_MARK2('=', '='): return EQUAL;
    case OBB_MARK2('!', '='): return UNEQUAL;
    case '<': return LESS;
    case '>': return GREATER;
    case OBB_MARK2('<', '='): return LESS_EQUAL;
    case OBB_MARK2('>', '='): return GREATER_EQUAL;
    case OBB_MARK2('<', '<'): return LEFT;
    case OBB_MARK2('>', '>'): return RIGHT;
    case '+': return PLUS;
    case '-': return MINUS;
    case '*': return TIMES;
    case '/': return DIVIDE;
    case '%': return REMAINDER;
    default: return NONE;
    }
}

static operation word_operation(const evaluator *e)
{
    static const struct { const char *word; operation operation;
    } words[] = {{"or", OR},       {"and", AND},        {"bitor", BIT_OR},
                 {"xor", BIT_XOR}, {"bitand", BIT_AND}, {"not_eq", UNEQUAL}};
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        if (spelt(e, words[i].word))
            return words[i].operation;
    return NONE;
}

static operation next_operation(const evaluator *e, int *rank)
{
    static const int ranks[] = {[OR] = 1, [AND] = 2, [BIT_OR] = 3, [BIT_XOR] = 4, [BIT_AND] = 5,
        [EQUAL] = 6, [UNEQUAL] = 6, [LESS] = 7, [GREATER] = 7, [LESS_EQUAL] = 7, [GREATER_EQUAL] = 7,
        [LEFT] = 8, [RIGHT] = 8, [PLUS] = 9, [MINUS] = 9, [TIMES] = 10, [DIVIDE] = 10, [REMAINDER] = 10};
    operation op = NONE;
    if (e->at < e->end && e->at->kind == OBB_T_MARK)
        op = mark_operation(e->at->code);
    else if (e->at < e->end && e->at->kind == OBB_T_NAME)
        op = word_operation(e);
    *rank = ranks[op];
    return op;
}

static value shifted(value a, value b, bool left)
{
    intmax_t by = (intmax_t)b.bits;
    if (!b.is_unsigned && by < 0) {
        left = !left;
        by = -by;
    }
    bool negative = !a.is_unsigned && (intmax_t)a.bits < 0;
    if ((uintmax_t)by >= 64)
        return of(!left && negative ? UINTMAX_MAX : 0, a.is_unsigned);
    if (left)
        return of(a.bits << by, a.is_unsigned);
    uintmax_t v = a.bits >> by;
    if (negative && by)
        v |= UINTMAX_MAX << (64 - by);
    return of(v, a.is_unsigned);
}

static value divided(evaluator *e, value a, value b, bool remainder, bool u)
{
    if (b.bits == 0) {
        if (!e->skipping)
            obb_scan_give_up(e->scanner, "division by %s", "zero");
        return of(0, u);
    }
    if (u)
        return of(remainder ? a.bits % b.bits : a.bits / b.bits, true);
    if ((intmax_t)b.bits == -1) /* INTMAX_MIN / -1 does not fit */
        return of(remainder ? 0 : 0 - a.bits, false);
    intmax_t x = (intmax_t)a.bits, y = (intmax_t)b.bits;
    return of((uintmax_t)(remainder ? x % y : x / y), false);
}

static bool is_comparison(operation op)
{
    return op >= EQUAL && op <= GREATER_EQUAL;
}

static value applied(evaluator *e, operation op, value a, value b);

/* Of sums and differences the counts are those of both; in comparisons equal ones cancel out, unless it is an
 * unsigned one, or the numbers beside them are so large that the sum might not fit. */
static value applied_to_counts(evaluator *e, operation op, value a, value b)
{
    enum { MOST = 1 << 30 };
    bool small = (intmax_t)a.bits > -MOST && (intmax_t)a.bits < MOST && (intmax_t)b.bits > -MOST &&
                 (intmax_t)b.bits < MOST && abs(a.counts) < 1000 && abs(b.counts) < 1000;
    if (small && !a.is_unsigned && !b.is_unsigned && (op == PLUS || op == MINUS))
        return (value){op == PLUS ? a.bits + b.bits : a.bits - b.bits, false,
                       op == PLUS ? a.counts + b.counts : a.counts - b.counts};
    if (small && !a.is_unsigned && !b.is_unsigned && is_comparison(op) && a.counts == b.counts)
        return applied(e, op, of(a.bits, false), of(b.bits, false));
    return applied(e, op, settled(e, a), settled(e, b));
}

static value applied(evaluator *e, operation op, value a, value b)
{
    if (a.counts || b.counts)
        return applied_to_counts(e, op, a, b);
    bool u = a.is_unsigned || b.is_unsigned;
    bool less = u ? a.bits < b.bits : (intmax_t)a.bits < (intmax_t)b.bits;
    bool same = a.bits == b.bits;
    switch (op) {
    case BIT_OR: return of(a.bits | b.bits, u);
    case BIT_XOR: return of(a.bits ^ b.bits, u);
    case BIT_AND: return of(a.bits & b.bits, u);
    case EQUAL: return of(same, false);
    case UNEQUAL: return of(!same, false);
    case LESS: return of(less, false);
    case GREATER: return of(!less && !same, false);
    case LESS_EQUAL: return of(less || same, false);
    case GREATER_EQUAL: return of(!less, false);
    case LEFT: case RIGHT: return shifted(a, b, op == LEFT);
    case PLUS: return of(a.bits + b.bits, u);
    case MINUS: return of(a.bits - b.bits, u);
    case TIMES: return of(a.bits * b.bits, u);
    default: return divided(e, a, b, op == REMAINDER, u);
    }
}

static value binary(evaluator *e, int least)
{
    value a = unary(e);
    for (int rank = 0;;) {
        operation op = next_operation(e, &rank);
        if (op == NONE || rank < least)
            return a;
        e->at++;
        if (op == OR || op == AND)
            a = settled(e, a);
        bool decided = (op == OR && a.bits) || (op == AND && !a.bits);
        e->skipping += decided;
        value b = binary(e, rank + 1);
        e->skipping -= decided;
        if (op == OR || op == AND)
            a = of(op == OR ? a.bits || settled(e, b).bits : a.bits && settled(e, b).bits, false);
        else
            a = applied(e, op, a, b);
    }
}

static value conditional(evaluator *e)
{
    if (++e->depth > 400)
        obb_scan_give_up(e->scanner, "a condition is nested too deep near `%s`", "(");
    value c = binary(e, 1);
    e->depth--;
    if (!accept(e, '?'))
        return c;
    c = settled(e, c);
    e->skipping += !c.bits;
    value yes = conditional(e);
    e->skipping -= !c.bits;
    if (!accept(e, ':'))
        malformed(e);
    e->skipping += c.bits != 0;
    value no = conditional(e);
    e->skipping -= c.bits != 0;
    value chosen = c.bits ? yes : no;
    return (value){chosen.bits, yes.is_unsigned || no.is_unsigned, chosen.counts};
}

enum { SHORT = 48 };

static obb_token truth(bool yes)
{
    return (
        obb_token){.kind = OBB_T_NUMBER, .text = yes ? "1" : "0", .length = 1, .plain = true, .code = yes};
}

/* Most conditions need no more than `defined X`, and names that stand for one number or for
 * nothing. Those are replaced here, without the machinery for the others. The number of
 * tokens, or 0 when it takes more. */
static size_t replace_simply(obb_scanner *s, const obb_token *t, size_t count, obb_token *out)
{
    size_t n = 0;
    for (size_t i = 0; i < count; i++) {
        out[n] = t[i];
        if (t[i].kind == OBB_T_NAME && t[i].code == s->sym_defined) {
            bool parens = i + 3 < count && t[i + 1].kind == OBB_T_MARK && t[i + 1].code == '(' &&
                          t[i + 3].kind == OBB_T_MARK && t[i + 3].code == ')';
            const obb_token *name = &t[i + (parens ? 2 : 1)];
            if (i + 1 >= count || name->kind != OBB_T_NAME)
                return 0;
            out[n] = truth(obb_scan_macro(s, name->code) != NULL);
            i += parens ? 3 : 1;
        } else if (t[i].kind == OBB_T_NAME) {
            const obb_macro *m = obb_scan_macro(s, t[i].code);
            if (m && (m->builtin || m->with_arguments || m->length != 1 || m->body[0].kind == OBB_T_NAME))
                return 0;
            if (m)
                out[n] = m->body[0];
        }
        n++;
    }
    return n;
}

intmax_t obb_scan_value(obb_scanner *scanner, const obb_token *tokens, size_t count)
{
    evaluator e = {.scanner = scanner, .at = tokens, .end = tokens + count};
    value v = conditional(&e);
    if (e.at != e.end)
        malformed(&e);
    return (intmax_t)settled(&e, v).bits;
}

bool obb_scan_condition(obb_scanner *scanner, const obb_token *tokens, size_t count)
{
    obb_token few[SHORT];
    obb_tokens out = {0};
    size_t n = count <= SHORT ? replace_simply(scanner, tokens, count, few) : 0;
    if (n)
        out.at = few, out.count = n;
    else
        obb_scan_replace(scanner, tokens, count, true, &out);
    return obb_scan_value(scanner, out.at, out.count) != 0;
}
