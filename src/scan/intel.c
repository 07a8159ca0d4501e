/* The preprocessor of the Intel-syntax assembler, as far as it decides what is read:
 * %include, incbin, and the conditionals around them (NASM manual, chapters 3.2.3 and 4).
 * Multi-line macros and repetitions that include something are for the assembler to tell. */
#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "scan/scanner.h"

typedef struct branch {
    bool taken, was_taken, outer;
} branch;

typedef struct intel {
    obb_scanner *scanner;
    OBB_VEC(branch) branches;
    int in_macro; /* inside %macro ... %endmacro */
} intel;

static void read_intel(intel *x, obb_file file);

static bool active(const intel *x)
{
    const branch *b = x->branches.count ? &x->branches.at[x->branches.count - 1] : NULL;
    return !b || (b->taken && b->outer);
}

static char *quoted_name(obb_scanner *s, const char *text)
{
    text += strspn(text, " \t");
    const char *end = *text && strchr("\"'`", *text) ? strchr(text + 1, *text) : NULL;
    if (!end)
        obb_scan_give_up(s, "the file name `%s` is computed", text);
    return obb_arena_copy(s->scratch, text + 1, end ? (size_t)(end - text - 1) : 0);
}

static void include(intel *x, const char *rest, int line, bool binary)
{
    obb_scanner *s = x->scanner;
    if (x->in_macro)
        obb_scan_give_up(s, "a multi-line macro includes `%s`", rest);
    char *name = quoted_name(s, rest);
    obb_file file = obb_scan_look_up_assembly(s, name);
    if (file == OBB_NO_FILE) {
        obb_missing missing = {obb_arena_string(s->arena, name), true, s->file, line};
        obb_vec_push(&s->result->missing, missing);
        return;
    }
    obb_scan_note_file(s, file, s->file, line, false);
    if (binary)
        return;
    if (++s->depth > OBB_DEEPEST_INCLUDE)
        obb_scan_give_up(s, "includes are nested too deep at `%s`", name);
    obb_file outer = s->file;
    read_intel(x, file);
    s->file = outer;
    s->depth--;
}

/* %define, %assign: only plain names matter to conditions. */
static void define(intel *x, const char *rest, bool undefine)
{
    obb_scanner *s = x->scanner;
    obb_tokens tokens = {0};
    char *copy = obb_arena_string(s->arena, rest);
    obb_tokens_of(&s->symbols, copy, strlen(copy), &tokens);
    obb_macro *m = obb_macro_of(&s->symbols, tokens.at, tokens.count);
    if (m)
        obb_scan_set_macro(s, m->symbol, undefine ? NULL : m);
}

/* NASM compares with = and <> as well. Numbers in other notations are left to it. */
static bool condition(intel *x, const char *rest)
{
    obb_scanner *s = x->scanner;
    obb_tokens tokens = {0};
    char *copy = obb_arena_string(s->arena, rest);
    obb_tokens_of(&s->symbols, copy, strlen(copy), &tokens);
    for (size_t i = 0; i < tokens.count; i++) {
        obb_token *t = &tokens.at[i];
        if (t->kind == OBB_T_MARK && t->code == '=')
            t->code = OBB_MARK2('=', '=');
        if (t->kind == OBB_T_MARK && (t->code == '$' || t->code == '%'))
            obb_scan_give_up(s, "the condition `%s` is not decided here", rest);
        if (t->kind == OBB_T_NAME && !obb_scan_macro(s, t->code))
            obb_scan_give_up(s, "the condition `%s` names a symbol", rest);
    }
    return obb_scan_condition(s, tokens.at, tokens.count);
}

static bool defined(intel *x, const char *rest)
{
    obb_scanner *s = x->scanner;
    rest += strspn(rest, " \t");
    size_t n = strcspn(rest, " \t");
    return obb_scan_macro(s, obb_symbol(&s->symbols, rest, n)) != NULL;
}

static bool test(intel *x, const char *kind, const char *rest)
{
    if (!*kind)
        return condition(x, rest);
    if (strcmp(kind, "def") == 0)
        return defined(x, rest);
    if (strcmp(kind, "ndef") == 0)
        return !defined(x, rest);
    obb_scan_give_up(x->scanner, "`%%if%s` is not decided here", kind);
    return false;
}

static bool conditional(intel *x, const char *word, const char *rest)
{
    if (strncasecmp(word, "if", 2) == 0) {
        branch b = {.outer = active(x)};
        b.taken = b.was_taken = b.outer && test(x, word + 2, rest);
        obb_arena_push(x->scanner->scratch, &x->branches, b);
        return true;
    }
    branch *b = x->branches.count ? &x->branches.at[x->branches.count - 1] : NULL;
    if (strncasecmp(word, "elif", 4) == 0 && b) {
        b->taken = !b->was_taken && b->outer && test(x, word + 4, rest);
        b->was_taken = b->was_taken || b->taken;
    } else if (strcasecmp(word, "else") == 0 && b) {
        b->taken = !b->was_taken;
        b->was_taken = true;
    } else if (strcasecmp(word, "endif") == 0 && b) {
        x->branches.count--;
    } else {
        return false;
    }
    return true;
}

static void directive(intel *x, const char *word, const char *rest, int line)
{
    if (conditional(x, word, rest) || !active(x))
        return;
    if (strcasecmp(word, "include") == 0)
        include(x, rest, line, false);
    else if (strcasecmp(word, "define") == 0 || strcasecmp(word, "xdefine") == 0 ||
             strcasecmp(word, "assign") == 0)
        define(x, rest, false);
    else if (strcasecmp(word, "undef") == 0)
        define(x, rest, true);
    else if (strcasecmp(word, "macro") == 0 || strcasecmp(word, "imacro") == 0 || strcasecmp(word, "rep") == 0)
        x->in_macro++;
    else if (strcasecmp(word, "endmacro") == 0 || strcasecmp(word, "endm") == 0 || strcasecmp(word, "endrep") == 0)
        x->in_macro -= x->in_macro > 0;
    else if (strcasecmp(word, "pathsearch") == 0 || strcasecmp(word, "depend") == 0 ||
             strcasecmp(word, "idefine") == 0 || strcasecmp(word, "ixdefine") == 0)
        obb_scan_give_up(x->scanner, "`%%%s` is not decided here", word);
}

/* Finds `incbin` as the operation of a line, behind a label or `times`. */
static const char *incbin_operand(const char *text)
{
    for (const char *p = text; *p; p++) {
        if (*p == '"' || *p == '\'' || *p == '`') {
            const char *end = strchr(p + 1, *p);
            if (!end)
                return NULL;
            p = end;
        } else if (strncasecmp(p, "incbin", 6) == 0 && (p == text || strchr(" \t:", p[-1])) &&
                   p[6] && strchr(" \t\"'`", p[6])) {
            return p + 6;
        }
    }
    return NULL;
}

static void cut_comment(char *text)
{
    for (char *p = text; *p; p++) {
        if (*p == ';') {
            *p = 0;
            return;
        }
        if (*p == '"' || *p == '\'' || *p == '`') {
            char *end = strchr(p + 1, *p);
            if (!end)
                return;
            p = end;
        }
    }
}

static void read_line(intel *x, char *text, int line)
{
    x->scanner->line = line;
    cut_comment(text);
    text += strspn(text, " \t");
    if (*text == '%' && isalpha((unsigned char)text[1])) {
        size_t n = 1;
        while (isalnum((unsigned char)text[1 + n]))
            n++;
        char *word = obb_arena_copy(x->scanner->scratch, text + 1, n);
        directive(x, word, text + 1 + n, line);
        return;
    }
    const char *operand = active(x) ? incbin_operand(text) : NULL;
    if (operand)
        include(x, operand, line, true);
}

static void read_intel(intel *x, obb_file file)
{
    obb_scanner *s = x->scanner;
    obb_text text = {0};
    if (obb_files_is_promised(s->files, file))
        obb_scan_wait_for(s, file);
    if (obb_files_read(s->files, file, &text))
        obb_scan_give_up(s, "cannot read `%s`", obb_files_path(s->files, file));
    char *copy = obb_arena_copy(s->scratch, text.bytes, text.length); /* a give-up would leak `text` */
    obb_text_free(&text);
    s->file = file;
    int line = 1;
    for (char *at = copy; *at; line++) {
        char *from = at;
        int first = line;
        at += strcspn(at, "\n");
        while (*at && at > from && at[-1] == '\\') { /* a joined line */
            at[-1] = at[0] = ' ';
            at += strcspn(at, "\n");
            line++;
        }
        if (*at)
            *at++ = 0;
        read_line(x, from, first);
    }
}

void obb_scan_intel(obb_scanner *s, obb_file file)
{
    intel x = {.scanner = s};
    s->loaded = NULL; /* these macros are not those of a compiler */
    for (size_t i = 0; i < s->macros.count; i++)
        s->macros.at[i].predefined = NULL;
    for (size_t i = 0; i < s->way->defines.count; i++) {
        char *d = obb_arena_string(s->scratch, s->way->defines.at[i]), *equal = strchr(d, '=');
        if (equal)
            *equal = ' ';
        define(&x, d, false);
    }
    read_intel(&x, file);
}
