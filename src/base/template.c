#include "base/template.h"

#include <ctype.h>
#include <string.h>

/* The name that stands between two signs at `at`: its length; 0: there is none. */
static size_t name_at(const char *at)
{
    size_t n = 1;
    while (isalnum((unsigned char)at[n]) || at[n] == '_')
        n++;
    return n > 1 && at[n] == '@' && !isdigit((unsigned char)at[1]) ? n - 1 : 0;
}

static const char *value_of(const char *const *values, size_t count, const char *name, size_t n)
{
    for (size_t i = 0; i < count; i++)
        if (strncmp(values[i], name, n) == 0 && values[i][n] == '=')
            return values[i] + n + 1;
    return NULL;
}

bool obb_template_fill(const char *text, const char *const *values, size_t count, obb_text *filled,
                       obb_template_gap *gap)
{
    size_t line = 1;
    for (const char *at = text; *at;) {
        size_t n = *at == '@' ? name_at(at) : 0;
        const char *value = n ? value_of(values, count, at + 1, n) : NULL;
        if (n && !value) {
            *gap = (obb_template_gap){.name = at + 1, .length = n, .line = line};
            return false;
        }
        line += *at == '\n';
        if (value)
            obb_text_string(filled, value);
        else
            obb_text_char(filled, *at);
        at += value ? n + 2 : 1;
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

size_t obb_template_keep_code(const char *text, obb_text *kept)
{
    size_t left_out = 0;
    for (const char *line = text; *line;) {
        size_t n, length = strcspn(line, "\n") + (strchr(line, '\n') != NULL);
        const char *word = directive(line, &n);
        bool out = word && !has_meaning(word, n);
        while (out && length > 1 && line[length - 2] == '\\' && line[length - 1] == '\n') /* it goes on */
            length += strcspn(line + length, "\n") + (strchr(line + length, '\n') != NULL);
        left_out += out;
        if (!out && kept)
            obb_text_add(kept, line, length);
        line += length;
    }
    return left_out;
}
