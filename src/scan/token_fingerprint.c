/* The fingerprint of tokens (token_fingerprint.h): a lexer of translation phases 1 to 3 for a dialect, which
 * leaves comments out. Where a construct is in doubt, its bytes count as they are: that costs a compile and
 * never a wrong result. */
#include "scan/token_fingerprint.h"

#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "base/text.h"

/* --- flags -------------------------------------------------------------------------- */

static bool among(const char *word, const char *const *list)
{
    for (; *list; list++)
        if (strcmp(word, *list) == 0)
            return true;
    return false;
}

/* Flags under which more than tokens decides, or whose meaning is unknown. */
static bool bars(const char *flag)
{
    static const char *const starts[] = {"-Werror",
                                         "-pedantic-errors",
                                         "-Wfatal-errors",
                                         "-traditional",
                                         "-finput-charset",
                                         "-fplugin",
                                         "-save-temps",
                                         "-Wimplicit-fallthrough=1",
                                         "-no-integrated-cpp",
                                         "-fpreprocessed",
                                         "-fdirectives-only",
                                         "-wrapper",
                                         "-specs",
                                         "--specs",
                                         "-B",
                                         "@",
                                         NULL};
    static const char *const wholes[] = {"-C", "-CC", "-E", "-S", "-trigraphs", "-Wp", NULL};
    for (const char *const *s = starts; *s; s++)
        if (obb_starts(flag, *s))
            return true;
    return obb_starts(flag, "-Wp,") || among(flag, wholes) || strstr(flag, "embed-source");
}

obb_lexis obb_lexis_of(const obb_words *flags, bool cxx)
{
    static const char *const c90[] = {"c89", "c90", "iso9899:1990", "iso9899:199409", NULL};
    static const char *const c23[] = {"c2x", "gnu2x", "c23", "gnu23", "iso9899:2024", NULL};
    static const char *const early_cxx[] = {"c++98",   "gnu++98", "c++03",   "gnu++03", "c++0x",
                                            "gnu++0x", "c++11",   "gnu++11", NULL};
    obb_lexis l = {.told = true, .line_comments = true, .separators = cxx};
    for (size_t i = 0; i < flags->count; i++) {
        const char *f = flags->at[i], *standard = strcmp(f, "-ansi") == 0  ? (cxx ? "c++98" : "c90")
                                                  : obb_starts(f, "-std=") ? f + 5
                                                                           : NULL;
        l.told = l.told && !bars(f);
        if (!standard)
            continue;
        l.line_comments = !among(standard, c90);
        l.separators = cxx ? !among(standard, early_cxx) : among(standard, c23);
    }
    return l;
}

/* --- texts -------------------------------------------------------------------------- */

static bool heeded(const char *comment, size_t n)
{
    for (size_t i = 0; i + 4 <= n; i++)
        if (strncasecmp(comment + i, "fall", 4) == 0)
            return true;
    return false;
}

typedef struct lexer {
    const char *text, *p, *end;
    const obb_lexis *lexis;
    obb_text out;
    bool includes; /* the current line may name a header, */
    bool angle;    /* and an angle bracket is open in it */
} lexer;

static bool is_blank(char c)
{
    return c == ' ' || c == '\t' || c == '\r' || c == '\f' || c == '\v';
}

/* Joined lines: the length of a backslash with its line's end; 0: none; SIZE_MAX: blanks stand between, and
 * compilers do not agree. */
static size_t joint(const lexer *x, const char *p)
{
    const char *q = p + 1;
    if (p >= x->end || *p != '\\')
        return 0;
    while (q < x->end && is_blank(*q))
        q++;
    if (q >= x->end || *q != '\n')
        return q >= x->end ? SIZE_MAX : 0;
    return q == p + 1 || (q == p + 2 && p[1] == '\r') ? (size_t)(q + 1 - p) : SIZE_MAX;
}

/* Lines may be joined behind what is no part of a longer token or of a comment's marks. */
static bool joined_safely(const lexer *x)
{
    return x->p > x->text && strchr(" \t{};,()", x->p[-1]);
}

static void end_line(obb_text *out)
{
    while (out->length && is_blank(out->bytes[out->length - 1]))
        out->length--;
}

static void take(lexer *x, size_t n)
{
    obb_text_add(&x->out, x->p, n);
    x->p += n;
}

static bool take_literal(lexer *x)
{
    const char *q = x->p + 1;
    for (; q < x->end && *q != *x->p && *q != '\n'; q++) {
        size_t joined = joint(x, q);
        if (joined == SIZE_MAX || (*q == '\\' && q + 1 >= x->end))
            return false;
        if (*q == '\\')
            q += joined ? joined - 1 : 1;
    }
    if (q >= x->end || *q == '\n')
        return false; /* it does not end on its line: its meaning is not defined */
    take(x, (size_t)(q + 1 - x->p));
    return true;
}

/* The end of a comment that begins here; NULL: unknown. */
static const char *comment_end(const lexer *x)
{
    bool line = x->p[1] == '/';
    for (const char *q = x->p + 2; q < x->end; q++) {
        size_t joined = joint(x, q);
        if (joined == SIZE_MAX || (joined && (q[-1] == '*' || q[-1] == '\n')))
            return NULL;
        if (joined)
            q += joined - 1;
        else if (line ? *q == '\n' : q[0] == '*' && q + 1 < x->end && q[1] == '/')
            return line ? q : q + 2;
    }
    return line ? x->end : NULL;
}

static bool take_comment(lexer *x)
{
    const char *end = comment_end(x);
    if (!end || (x->includes && x->angle))
        return false;
    if (heeded(x->p, (size_t)(end - x->p))) {
        take(x, (size_t)(end - x->p));
        return true;
    }
    for (; x->p < end; x->p++) {
        if (*x->p == '\n')
            end_line(&x->out);
        obb_text_char(&x->out, *x->p == '\n' ? '\n' : ' ');
    }
    return true;
}

static bool name_part(char c)
{
    return isalnum((unsigned char)c) || c == '_' || c == '$' || (unsigned char)c >= 0x80;
}

/* A name or a number (C11 6.4.2, 6.4.8) with all that belongs to it. */
static bool take_word(lexer *x)
{
    bool number = isdigit((unsigned char)*x->p) || *x->p == '.';
    const char *q = x->p + 1;
    for (; q < x->end; q++) {
        bool sign = number && (*q == '+' || *q == '-') && strchr("eEpP", q[-1]);
        bool parts = number && *q == '\'';
        if (parts && (!x->lexis->separators || q + 1 >= x->end || !name_part(q[1])))
            return false;
        if (!sign && !parts && !name_part(*q) && !(number && *q == '.'))
            break;
    }
    size_t n = (size_t)(q - x->p);
    bool quoted = q < x->end && (*q == '"' || *q == '\'');
    if (!number && quoted && x->p[n - 1] == 'R')
        return false; /* a raw string, in some standards */
    if (n > 5 && (strncmp(x->p, "inclu", 5) == 0 || strncmp(x->p, "impor", 5) == 0 ||
                  strncmp(x->p, "embed", 5) == 0 || strncmp(x->p, "__has", 5) == 0))
        x->includes = true;
    if (n == 5 && strncmp(x->p, "embed", 5) == 0)
        x->includes = true;
    take(x, n);
    return true;
}

static bool is_trigraph(const lexer *x)
{
    return x->end - x->p >= 3 && x->p[0] == '?' && x->p[1] == '?' && strchr("=/'()!<>-", x->p[2]);
}

static bool step(lexer *x)
{
    char c = *x->p, next = x->p + 1 < x->end ? x->p[1] : 0;
    size_t joined = joint(x, x->p);
    if (is_trigraph(x) || joined == SIZE_MAX || (joined && !joined_safely(x)))
        return false;
    if (joined) {
        take(x, joined);
        return true;
    }
    if (c == '/' && next == '/' && !x->lexis->line_comments)
        return false;
    if (c == '/' && (next == '/' || next == '*'))
        return take_comment(x);
    if (c == '"' || c == '\'')
        return take_literal(x);
    if (name_part(c) || (c == '.' && isdigit((unsigned char)next)))
        return take_word(x);
    if (c == '\n') {
        end_line(&x->out);
        x->includes = x->angle = false;
    }
    if (c == '<' || c == '>')
        x->angle = c == '<';
    take(x, 1);
    return true;
}

/* A text may hold trigraphs within literals and comments as well. */
static bool any_trigraph(const char *text, size_t length)
{
    lexer x = {.p = text, .end = text + length};
    for (; (x.p = x.p < x.end ? memchr(x.p, '?', (size_t)(x.end - x.p)) : NULL); x.p++)
        if (is_trigraph(&x))
            return true;
    return false;
}

bool obb_token_fingerprint(const char *text, size_t length, const obb_lexis *lexis,
                           obb_fingerprint *fingerprint)
{
    lexer x = {.text = text, .p = text, .end = text + length, .lexis = lexis};
    if (!lexis->told || memchr(text, 0, length) || any_trigraph(text, length))
        return false;
    obb_text_add(&x.out, "", 0);
    bool known = true;
    while (known && x.p < x.end)
        known = step(&x);
    do /* lines behind the last token move none */
        end_line(&x.out);
    while (x.out.length && x.out.bytes[x.out.length - 1] == '\n' && x.out.length--);
    if (known)
        *fingerprint = obb_fingerprint_of(x.out.bytes, x.out.length);
    obb_text_free(&x.out);
    return known;
}
