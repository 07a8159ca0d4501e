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

bool obb_template_answer_at(const char *line, const char **name, size_t *length)
{
    size_t n;
    const char *word = directive(line, &n);
    if (!word || has_meaning(word, n))
        return false;
    *name = word + n + strspn(word + n, " \t");
    for (*length = 0; isalnum((unsigned char)(*name)[*length]) || (*name)[*length] == '_';)
        ++*length;
    return *length > 0;
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
