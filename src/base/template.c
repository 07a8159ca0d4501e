#include "base/template.h"

#include <ctype.h>
#include <string.h>

bool obb_template_place_at(const char *at, obb_template_kind kind, obb_template_place *place)
{
    bool braces = kind == OBB_TEMPLATE_HEADER && at[0] == '$' && at[1] == '{';
    if (*at != '@' && !braces)
        return false;
    const char *name = at + (braces ? 2 : 1);
    size_t n = 0;
    while (isalnum((unsigned char)name[n]) || name[n] == '_')
        n++;
    *place = (obb_template_place){at, name, (size_t)(name - at) + n + 1, n};
    return n && name[n] == (braces ? '}' : '@') && !isdigit((unsigned char)*name);
}

static const char *value_of(const char *const *values, size_t count, const char *name, size_t n)
{
    for (size_t i = 0; i < count; i++)
        if (strncmp(values[i], name, n) == 0 && values[i][n] == '=')
            return values[i] + n + 1;
    return NULL;
}

bool obb_template_fill(const char *text, obb_template_kind kind, const char *const *values, size_t count,
                       obb_text *filled, obb_template_gap *gap)
{
    size_t line = 1;
    for (const char *at = text; *at;) {
        obb_template_place place;
        bool found = obb_template_place_at(at, kind, &place);
        const char *value = found ? value_of(values, count, place.name, place.length) : NULL;
        if (found && !value) {
            *gap = (obb_template_gap){.place = place, .line = line};
            return false;
        }
        line += *at == '\n';
        if (value)
            obb_text_string(filled, value);
        else
            obb_text_char(filled, *at);
        at += value ? place.whole : 1;
    }
    return true;
}

/* The word of a directive at the beginning of a line, or an empty one; NULL: it is none. */
static const char *directive(const char *line, size_t *n)
{
    const char *mark = line + strspn(line, " \t");
    if (*mark != '#')
        return NULL;
    const char *word = mark + 1 + strspn(mark + 1, " \t");
    for (*n = 0; isalnum((unsigned char)word[*n]) || word[*n] == '_';)
        ++*n;
    return word;
}

static bool has_meaning(const char *word, size_t n)
{
    static const char *const known[] = {"if",       "ifdef",        "ifndef", "elif",   "elifdef",
                                        "elifndef", "else",         "endif",  "define", "include",
                                        "embed",    "line",         "error",  "pragma", "warning",
                                        "import",   "include_next", "ident",  "assert", "unassert"};
    bool is = !n || isdigit((unsigned char)*word); /* nothing, or a place */
    for (size_t i = 0; i < sizeof known / sizeof *known && !is; i++)
        is = strlen(known[i]) == n && memcmp(known[i], word, n) == 0;
    return is;
}

static const char *macro_of(const char *word, size_t n, size_t *length)
{
    const char *name = word + n + strspn(word + n, " \t");
    for (*length = 0; isalnum((unsigned char)name[*length]) || name[*length] == '_';)
        ++*length;
    return name;
}

static const char *next_line(const char *line)
{
    const char *end = strchr(line, '\n');
    return end ? end + 1 : line + strlen(line);
}

static bool is_definition(const char *line, const char *macro, size_t length)
{
    size_t n, k;
    const char *word = directive(line, &n),
               *name = word && n == strlen("define") && memcmp(word, "define", n) == 0 ? macro_of(word, n, &k)
                                                                                       : NULL;
    return name && k == length && memcmp(name, macro, k) == 0;
}

/* Whether a macro that is taken back in a line was defined before it, or is defined anew by the next one. */
static bool is_own(const char *text, const char *undef, const char *macro, size_t length)
{
    bool own = is_definition(next_line(undef), macro, length);
    for (const char *line = text; line < undef && !own; line = next_line(line))
        own = is_definition(line, macro, length);
    return own;
}

/* Whether a line only marks where an answer belongs, and for which macro. */
static bool is_answer(const char *text, const char *line, const char **name, size_t *length)
{
    size_t n;
    const char *word = directive(line, &n);
    if (!word || has_meaning(word, n))
        return false;
    *name = macro_of(word, n, length);
    bool undef = n == strlen("undef") && memcmp(word, "undef", n) == 0;
    return !undef || !is_own(text, line, *name, *length);
}

/* Whether a comment goes on behind the end of a line, which began in one or not (ISO C23, 6.4.9). */
static bool ends_in_comment(const char *line, const char *end, bool inside)
{
    char quote = 0;
    for (const char *at = line; at < end; at++)
        if (inside) {
            inside = strncmp(at, "*/", 2) != 0;
            at += !inside;
        } else if (quote) {
            at += *at == '\\';
            quote = *at == quote ? 0 : quote;
        } else if (strncmp(at, "//", 2) == 0) {
            break;
        } else if (strncmp(at, "/*", 2) == 0) {
            inside = true;
            at++;
        } else if (*at == '"' || *at == '\'') {
            quote = *at;
        }
    return inside;
}

size_t obb_template_split(const char *text, obb_text *kept, obb_template_answer *answer, void *self)
{
    size_t left_out = 0;
    bool inside = false;
    for (const char *line = text; *line;) {
        const char *name, *next = next_line(line);
        size_t n;
        bool out = !inside && is_answer(text, line, &name, &n);
        while (out && next - line > 1 && next[-1] == '\n' && next[-2] == '\\') /* it goes on */
            next = next_line(next);
        left_out += out;
        if (out && answer)
            answer(self, name, n);
        if (!out && kept)
            obb_text_add(kept, line, (size_t)(next - line));
        inside = ends_in_comment(line, next, inside);
        line = next;
    }
    return left_out;
}
