/* Manual pages, from the table of commands and from docs/language.md, in the macros of man(7). */
#include <errno.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "obbligato-resources.h"

int print_language(void)
{
    return fwrite(language_md, 1, language_md_size, stdout) == language_md_size ? 0 : (int)OBB_FAULT_OUTSIDE;
}

/* --- text --------------------------------------------------------------------------- */

/* Plain text: what the formatter would take as its own is escaped. `begin`: it begins a line. */
static void plain(obb_text *t, const char *text, size_t length, bool begin)
{
    if (begin && length && (*text == '.' || *text == '\''))
        obb_text_string(t, "\\&");
    for (size_t i = 0; i < length; i++)
        if (text[i] == '\\')
            obb_text_string(t, "\\e");
        else if (text[i] == '-')
            obb_text_string(t, "\\-");
        else if (i + 2 < length &&
                 memcmp(text + i, "\342\200\246", 3) == 0) { /* an ellipsis, which few devices have */
            obb_text_string(t, "...");
            i += 2;
        } else
            obb_text_char(t, text[i]);
}

/* Markdown within a line: `code` is bold, of [text](link) the text stays. */
static void marked(obb_text *t, const char *text, size_t length)
{
    bool code = false;
    for (size_t i = 0; i < length; i++) {
        const char *close = !code && text[i] == '[' ? memchr(text + i, ']', length - i) : NULL;
        const char *end = close && close + 1 < text + length && close[1] == '('
                              ? memchr(close, ')', (size_t)(text + length - close))
                              : NULL;
        if (text[i] == '`') {
            code = !code;
            obb_text_string(t, code ? "\\fB" : "\\fR");
        } else if (text[i] == '\\' && i + 1 < length && text[i + 1] == '|') {
            plain(t, "|", 1, false);
            i++;
        } else if (end) {
            marked(t, text + i + 1, (size_t)(close - text) - i - 1);
            i = (size_t)(end - text);
        } else {
            size_t n = 1; /* a character of UTF-8 stays in one piece */
            while (i + n < length && (text[i + n] & 0xc0) == 0x80)
                n++;
            plain(t, text + i, n, i == 0);
            i += n - 1;
        }
    }
    obb_text_string(t, code ? "\\fR" : "");
}

static size_t line_length(const char *at)
{
    return strcspn(at, "\n");
}

/* A row of a table: its first cell as a tag, the others behind it. */
static void row(obb_text *t, const char *line, size_t length)
{
    const char *at = line + 1;
    obb_text_string(t, ".TP\n");
    for (size_t cell = 0; at < line + length; cell++) {
        const char *end = at;
        while (end < line + length && (*end != '|' || end[-1] == '\\'))
            end++;
        const char *from = at + strspn(at, " "), *to = end;
        while (to > from && to[-1] == ' ')
            to--;
        if (cell > 1 && to > from)
            obb_text_string(t, "\n");
        marked(t, from, from < to ? (size_t)(to - from) : 0);
        obb_text_string(t, cell == 0 ? "\n" : "");
        at = end + 1;
    }
    obb_text_char(t, '\n');
}

typedef enum part { NOTHING, PARAGRAPH, CODE, ITEM, TABLE } part;

static part part_of(const char *line, size_t length, part before)
{
    if (!length)
        return NOTHING;
    if (*line == '|')
        return TABLE;
    if (obb_starts(line, "* "))
        return ITEM;
    if (before == ITEM && obb_starts(line, "  "))
        return ITEM;
    return obb_starts(line, "    ") ? CODE : PARAGRAPH;
}

static void heading(obb_text *t, const char *line, size_t length)
{
    size_t level = strspn(line, "#");
    obb_text_string(t, level < 3 ? ".SH " : ".SS ");
    for (size_t i = level + 1; i < length; i++)
        if (line[i] != '`')
            obb_text_char(t, line[i]);
    obb_text_char(t, '\n');
}

/* The heading of a table, and the line below it, say nothing in a list of tags. */
static bool is_frame(const char *line, size_t length)
{
    const char *next = line[length] ? line + length + 1 : "";
    return line[strspn(line, "|- ")] == '\n' || (*next == '|' && next[strspn(next, "|- ")] == '\n');
}

static void page_body(obb_text *t, const char *text, size_t length)
{
    part now = NOTHING;
    for (const char *at = text; at < text + length && *at; at += line_length(at) + 1) {
        size_t n = line_length(at);
        part next = *at == '#' ? NOTHING : part_of(at, n, now);
        if (now == CODE && next != CODE && n)
            obb_text_string(t, ".fi\n.RE\n");
        else if (now == CODE && next != CODE && !obb_starts(at + n + 1, "    "))
            obb_text_string(t, ".fi\n.RE\n");
        else if (now == CODE && next != CODE)
            next = CODE;
        if (*at == '#')
            heading(t, at, n);
        else if (next == TABLE && !is_frame(at, n))
            row(t, at, n);
        else if (next == CODE && now != CODE)
            obb_text_string(t, ".PP\n.RS 4\n.nf\n");
        else if (next == PARAGRAPH && now != PARAGRAPH)
            obb_text_string(t, ".PP\n");
        else if (next == ITEM && *at == '*')
            obb_text_string(t, ".IP \\(bu 2\n");
        if (next == CODE)
            plain(t, n > 4 ? at + 4 : "", n > 4 ? n - 4 : 0, true);
        else if (next == PARAGRAPH || next == ITEM)
            marked(t, at + (*at == '*' || *at == ' ' ? 2 : 0), n - (*at == '*' || *at == ' ' ? 2 : 0));
        if (next == CODE || next == PARAGRAPH || next == ITEM)
            obb_text_char(t, '\n');
        now = next;
    }
    if (now == CODE)
        obb_text_string(t, ".fi\n.RE\n");
}

/* --- pages -------------------------------------------------------------------------- */

static void begin(obb_text *t, const char *name, const char *section, const char *summary)
{
    obb_text_string(t, ".TH \"");
    for (const char *c = name; *c; c++)
        obb_text_char(t, *c >= 'a' && *c <= 'z' ? (char)(*c - 'a' + 'A') : *c);
    obb_text_format(t, "\" %s \"\" \"obbligato " OBB_VERSION "\" \"Obbligato\"\n.SH NAME\n", section);
    plain(t, name, strlen(name), true);
    obb_text_string(t, " \\- ");
    plain(t, summary, strlen(summary), false);
    obb_text_char(t, '\n');
}

/* Words that stand below each other. */
static bool has_columns(const char *line)
{
    const char *gap = strstr(line, "   ");
    return gap && gap < line + line_length(line);
}

/* Help: lines that begin with blanks are examples or tables, and stay as they are. */
static void help_body(obb_text *t, const char *text)
{
    bool fixed = false;
    for (const char *at = text; *at; at += line_length(at) + (at[line_length(at)] == '\n')) {
        bool now = *at == ' ' || (fixed && *at == '\n') || has_columns(at);
        if (now != fixed)
            obb_text_string(t, now ? ".PP\n.nf\n" : ".fi\n.PP\n");
        fixed = now;
        plain(t, at, line_length(at), true);
        obb_text_char(t, '\n');
    }
    obb_text_string(t, fixed ? ".fi\n" : "");
}

static void command_page(obb_text *t, const command *c)
{
    char name[60];
    snprintf(name, sizeof name, "obbligato-%s", c->name);
    begin(t, name, "1", c->summary);
    obb_text_format(t, ".SH SYNOPSIS\n.B obbligato %s\n[options] ", c->name);
    plain(t, c->operands, strlen(c->operands), false);
    obb_text_string(t, "\n.SH DESCRIPTION\n");
    help_body(t, c->help);
    obb_text_string(t, ".SH OPTIONS\n");
    help_body(t, options_text);
    obb_text_string(t, ".SH EXIT STATUS\n");
    help_body(t, exit_codes_text);
    obb_text_string(t, ".SH SEE ALSO\n.BR obbligato (1),\n.BR obbligato\\-language (5)\n");
}

static void main_page(obb_text *t)
{
    begin(t, "obbligato", "1", "builds C, C++ and assembly for several machines and configurations");
    obb_text_string(t,
                    ".SH SYNOPSIS\n.B obbligato\nCOMMAND [options] [NAMES]\n.SH DESCRIPTION\nThe project is "
                    "described in a file named\n"
                    ".B " OBB_SCORE_NAME "\nof its own, in the language of\n.BR obbligato\\-language (5).\n"
                    "Each command has a page of its own:\n");
    for (const command *c = commands; c->name; c++) {
        obb_text_format(t, ".TP\n.BR obbligato\\-%s (1)\n", c->name);
        plain(t, c->summary, strlen(c->summary), true);
        obb_text_char(t, '\n');
    }
    obb_text_string(t, ".SH OPTIONS\n");
    help_body(t, options_text);
    obb_text_string(t, ".SH EXIT STATUS\n");
    help_body(t, exit_codes_text);
}

static int write_page(session *s, const char *folder, const char *name, const obb_text *t)
{
    const char *section = obb_path_suffix(name) + 1;
    const char *path = obb_arena_format(s->w->arena, "%s/man%s/%s", folder, section, name);
    int failed = obb_file_write(path, t->bytes, t->length, NULL);
    if (!failed)
        return 0;
    return obb_workspace_fail(s->w, OBB_FAULT_OUTSIDE, "cannot write %s",
                              obb_arena_format(s->w->arena, "%s: %s", path, strerror(failed)), NULL);
}

int write_manuals(session *s, const char *folder)
{
    obb_text text = {0};
    main_page(&text);
    int code = write_page(s, folder, "obbligato.1", &text);
    obb_text_free(&text);
    for (const command *c = commands; c->name && !code; c++) {
        command_page(&text, c);
        code = write_page(s, folder, obb_arena_format(s->w->arena, "obbligato-%s.1", c->name), &text);
        obb_text_free(&text);
    }
    if (!code) {
        begin(&text, "obbligato-language", "5", "how projects are described");
        page_body(&text, (const char *)language_md, language_md_size);
        code = write_page(s, folder, "obbligato-language.5", &text);
        obb_text_free(&text);
    }
    return code;
}
