/* Inline assembly in C and C++ that includes something: no compiler reports it, and the object
 * depends on it all the same.
 *
 * The strings of a line are put together, macros replaced, as the assembler will see them. A macro whose
 * body includes something is looked for in the texts of the source and of the project's headers once the
 * source is read, and each of its uses is replaced. That is done without regard to conditionals around the
 * use: a file too many does less harm than a file too few. Not seen: statements whose file name does not
 * stand on the line of `.incbin`, and those in raw strings of several lines. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "scan/scanner.h"

/* The contents of a string literal (C11 6.4.5): escapes that matter to an assembler's text. */
static void add_literal(obb_text *text, const obb_token *t)
{
    const char *c = memchr(t->text, '"', t->length), *end = t->text + t->length - 1;
    for (c = c ? c + 1 : end; c < end; c++) {
        if (*c == '\\' && c + 1 < end) {
            c++;
            obb_text_char(text, *c == 'n' ? '\n' : *c == 't' ? '\t' : *c);
        } else {
            obb_text_char(text, *c);
        }
    }
}

static bool begins_statement(const char *text, const char *p)
{
    while (p > text && (p[-1] == ' ' || p[-1] == '\t'))
        p--;
    return p == text || strchr("\n;:", p[-1]);
}

/* Every `.incbin "x"` and `.include "x"` of an assembler's text. */
static void read_statements(obb_scanner *s, const char *text)
{
    for (const char *p = text; (p = strstr(p, ".inc")); p += 4) {
        bool binary = obb_starts(p, ".incbin");
        const char *name = p + (binary ? 7 : 8);
        if ((!binary && !obb_starts(p, ".include")) || !begins_statement(text, p))
            continue;
        name += strspn(name, " \t");
        const char *end = *name == '"' ? strchr(name + 1, '"') : NULL;
        if (end)
            obb_scan_include_assembly(s, obb_arena_copy(s->scratch, name + 1, (size_t)(end - name - 1)),
                                      binary, s->line);
    }
}

void obb_scan_inline(obb_scanner *s, const obb_token *tokens, size_t count)
{
    obb_tokens out = {0};
    obb_text text = {0};
    obb_scan_replace(s, tokens, count, false, &out);
    for (size_t i = 0; i < out.count; i++)
        if (out.at[i].kind == OBB_T_STRING)
            add_literal(&text, &out.at[i]);
    char *copy = obb_arena_string(s->scratch, obb_text_bytes(&text));
    obb_text_free(&text);
    read_statements(s, copy);
}

/* --- uses of macros ----------------------------------------------------------------- */

static bool word_at(const char *text, const char *p, size_t n)
{
    return (p == text || !(isalnum((unsigned char)p[-1]) || p[-1] == '_')) &&
           !(isalnum((unsigned char)p[n]) || p[n] == '_');
}

static bool on_a_directive(const char *text, const char *p)
{
    while (p > text && (p[-1] != '\n' || (p - 1 > text && p[-2] == '\\')))
        p--;
    return p[strspn(p, " \t")] == '#';
}

/* Behind the parenthesis that closes the arguments; NULL when it does not close. */
static const char *behind_arguments(const char *p)
{
    int depth = 0;
    for (; *p; p++) {
        if (*p == '"' || *p == '\'') {
            for (char quote = *p++; *p && *p != quote; p++)
                p += *p == '\\' && p[1];
            if (!*p)
                return NULL;
        } else if (*p == '(') {
            depth++;
        } else if (*p == ')' && --depth == 0) {
            return p + 1;
        }
    }
    return NULL;
}

static void read_use(obb_scanner *s, const char *p, size_t n)
{
    const char *open = p + n + strspn(p + n, " \t\r\n"), *end = *open == '(' ? behind_arguments(open) : p + n;
    obb_tokens tokens = {0};
    if (!end)
        return;
    size_t length = (size_t)(end - p);
    obb_tokens_of(&s->symbols, obb_arena_copy(s->scratch, p, length), length, &tokens);
    obb_scan_inline(s, tokens.at, tokens.count);
}

static void read_uses(obb_scanner *s, obb_file file, uint32_t symbol)
{
    obb_text text = {0};
    const char *name = obb_symbol_text(&s->symbols, symbol);
    size_t n = strlen(name);
    if (obb_files_read(s->files, file, &text)) {
        obb_text_free(&text);
        return;
    }
    const char *copy = obb_arena_copy(s->scratch, text.bytes, text.length); /* reading may give up */
    obb_text_free(&text);
    int line = 1;
    const char *counted = copy;
    s->file = file;
    for (const char *p = copy; (p = strstr(p, name)); p += n) {
        if (!word_at(copy, p, n) || on_a_directive(copy, p))
            continue;
        for (; counted < p; counted++)
            line += *counted == '\n';
        s->line = line;
        read_use(s, p, n);
    }
}

void obb_scan_assembling_macros(obb_scanner *s)
{
    size_t files = s->result->files.count; /* what is added from here on is not C */
    for (size_t m = 0; m < s->assembling.count; m++)
        for (size_t i = 0; i < files; i++)
            if (!obb_path_outside(obb_files_path(s->files, s->result->files.at[i])) &&
                obb_scan_macro(s, s->assembling.at[m]))
                read_uses(s, s->result->files.at[i], s->assembling.at[m]);
}
