/* The preprocessor of the Intel-syntax assembler, as far as it decides what is read:
 * %include, incbin, and the conditionals around them (NASM manual, chapters 3.2.3 and 4).
 *
 * Multi-line macros and repetitions are not carried out: when they include something, the assembler must
 * tell, and what they define is unsure from there on. The same holds for all that may differ between the two:
 * numbers in other notations, operators that bind or divide in another way than in C, directives that are not
 * known. */
#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "scan/scanner.h"

typedef struct branch {
    bool taken, was_hit, outer;
} branch;

typedef struct intel {
    obb_scanner *scanner;
    OBB_VEC(branch) branches;
    int in_macro; /* inside %macro ... %endmacro, and %rep ... %endrep */
    obb_marks unsure; /* symbols of names that multi-line macros define or undefine */
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

static void tokens_of(intel *x, const char *text, obb_tokens *tokens)
{
    char *copy = obb_arena_string(x->scanner->arena, text);
    obb_tokens_of(&x->scanner->symbols, copy, strlen(copy), tokens);
}

static bool is_unsure(const intel *x, uint32_t symbol)
{
    for (size_t i = 0; i < x->unsure.count; i++)
        if (x->unsure.at[i] == symbol)
            return true;
    return false;
}

/* What is unsure has no value from then on, so that what is replaced by it stays undecided. */
static void set_macro(intel *x, const obb_tokens *tokens, bool undefine)
{
    obb_macro *m = obb_macro_of(&x->scanner->symbols, tokens->at, tokens->count);
    if (m)
        obb_scan_set_macro(x->scanner, m->symbol, undefine || is_unsure(x, m->symbol) ? NULL : m);
}

/* The words of a definition, whose name must be written as it is. In the body of a multi-line macro it is
 * unknown whether, when and how often it is made: then the name is unsure, and the result false. */
static bool begin_definition(intel *x, const char *rest, obb_tokens *tokens)
{
    const char *name = rest + strspn(rest, " \t");
    tokens_of(x, rest, tokens);
    if (name[strcspn(name, " \t(%")] == '%' || !tokens->count || tokens->at[0].kind != OBB_T_NAME)
        obb_scan_give_up(x->scanner, "the name in `%s` is computed", rest);
    if (!x->in_macro)
        return true;
    obb_arena_push(x->scanner->scratch, &x->unsure, tokens->at[0].code);
    obb_scan_set_macro(x->scanner, tokens->at[0].code, NULL);
    return false;
}

/* %define, %undef: the text, which is replaced where the name is used. */
static void define(intel *x, const char *rest, bool undefine)
{
    obb_tokens tokens = {0};
    if (begin_definition(x, rest, &tokens))
        set_macro(x, &tokens, undefine);
}

/* What the assembler defines by itself, and what multi-line macros may define, is not known here. */
static void must_be_sure(intel *x, uint32_t symbol)
{
    const char *name = obb_symbol_text(&x->scanner->symbols, symbol);
    if (is_unsure(x, symbol) || strncmp(name, "__", 2) == 0)
        obb_scan_give_up(x->scanner, "whether `%s` is defined, and as what", name);
}

static bool is_plain_number(const obb_token *t)
{
    size_t digits = 0;
    if (t->plain)
        return true;
    while (digits < t->length && isdigit((unsigned char)t->text[digits]))
        digits++;
    bool decimal = digits == t->length && digits < 19 && (digits == 1 || t->text[0] != '0');
    size_t hex = 2;
    while (hex < t->length && isxdigit((unsigned char)t->text[hex]))
        hex++;
    return decimal || (t->length > 2 && t->length < 18 && t->text[0] == '0' && (t->text[1] | 32) == 'x' &&
                       hex == t->length);
}

/* Both compare with these; the bitwise operators bind less than them in C, and more in NASM. */
static bool compares(const obb_token *t)
{
    return t->code == '<' || t->code == '>' || t->code == OBB_MARK2('=', '=') ||
           t->code == OBB_MARK2('!', '=') || t->code == OBB_MARK2('<', '=') || t->code == OBB_MARK2('>', '=');
}

/* The value of an expression (NASM manual 3.5, 4.4), when it is certainly the same in C. Macros are replaced.
 */
static intmax_t evaluate(intel *x, const char *rest)
{
    obb_scanner *s = x->scanner;
    obb_tokens tokens = {0}, out = {0};
    bool bitwise = false, comparison = false;
    tokens_of(x, rest, &tokens);
    obb_scan_replace(s, tokens.at, tokens.count, false, &out);
    for (size_t i = 0; i < out.count; i++) {
        obb_token *t = &out.at[i];
        if (t->kind == OBB_T_MARK && t->code == '=')
            t->code = OBB_MARK2('=', '=');
        bool mark = t->kind == OBB_T_MARK && !strchr("$%/", (int)t->code) && t->code != OBB_MARK2('>', '>');
        if (!mark && !(t->kind == OBB_T_NUMBER && is_plain_number(t)))
            obb_scan_give_up(s, "the expression `%s` is not decided here", rest);
        bitwise = bitwise || (mark && (t->code == '&' || t->code == '|' || t->code == '^'));
        comparison = comparison || (mark && compares(t));
    }
    if (bitwise && comparison)
        obb_scan_give_up(s, "the expression `%s` is not decided here", rest);
    return obb_scan_value(s, out.at, out.count);
}

static bool condition(intel *x, const char *rest)
{
    return evaluate(x, rest) != 0;
}

/* %assign: the value of now. */
static void assign(intel *x, const char *rest)
{
    obb_tokens tokens = {0};
    if (!begin_definition(x, rest, &tokens))
        return;
    const char *name = obb_symbol_text(&x->scanner->symbols, tokens.at[0].code);
    const char *expression = strstr(rest, name) + strlen(name);
    define(x, obb_arena_format(x->scanner->scratch, "%s (%lld)", name, (long long)evaluate(x, expression)),
           false);
}

/* %xdefine: the text, with all replaced that is defined now. */
static void define_replaced(intel *x, const char *rest)
{
    obb_scanner *s = x->scanner;
    obb_tokens tokens = {0}, body = {0}, all = {0};
    if (!begin_definition(x, rest, &tokens))
        return;
    if (tokens.count > 1 && tokens.at[1].kind == OBB_T_MARK && tokens.at[1].code == '(' &&
        !tokens.at[1].space)
        obb_scan_give_up(s, "`%%xdefine%s` is not decided here", rest);
    obb_scan_replace(s, tokens.at + 1, tokens.count - 1, false, &body);
    obb_arena_push(s->arena, &all, tokens.at[0]);
    for (size_t i = 0; i < body.count; i++)
        obb_arena_push(s->arena, &all, body.at[i]);
    if (all.count > 1)
        all.at[1].space = true; /* a bracket begins no parameters */
    obb_arena_push(s->arena, &all, (obb_token){.kind = OBB_T_END});
    all.count--;
    set_macro(x, &all, false);
}

static bool defined(intel *x, const char *rest)
{
    obb_scanner *s = x->scanner;
    rest += strspn(rest, " \t");
    size_t n = strcspn(rest, " \t");
    uint32_t symbol = obb_symbol(&s->symbols, rest, n);
    if (memchr(rest, '%', n))
        obb_scan_give_up(s, "the name in `%s` is computed", rest);
    must_be_sure(x, symbol);
    return obb_scan_macro(s, symbol) != NULL;
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
        b.taken = b.was_hit = b.outer && test(x, word + 2, rest);
        obb_arena_push(x->scanner->scratch, &x->branches, b);
        return true;
    }
    branch *b = x->branches.count ? &x->branches.at[x->branches.count - 1] : NULL;
    if (strncasecmp(word, "elif", 4) == 0 && b) {
        b->taken = !b->was_hit && b->outer && test(x, word + 4, rest);
        b->was_hit = b->was_hit || b->taken;
    } else if (strcasecmp(word, "else") == 0 && b) {
        b->taken = !b->was_hit && b->outer;
        b->was_hit = true;
    } else if (strcasecmp(word, "endif") == 0 && b) {
        x->branches.count--;
    } else {
        return false;
    }
    return true;
}

static bool is_one_of(const char *word, const char *const *words)
{
    while (*words && strcasecmp(word, *words) != 0)
        words++;
    return *words != NULL;
}

static void directive(intel *x, const char *word, const char *rest, int line)
{
    static const char *const begins[] = {"macro", "imacro", "rmacro", "irmacro", "rep", NULL};
    static const char *const ends[] = {"endmacro", "endm", "endrep", NULL};
    static const char *const harmless[] = {"error",  "warning",   "fatal",   "note",    "line",      "pragma",
                                           "rotate", "exitmacro", "exitrep", "unmacro", "unimacro",  "push",
                                           "pop",    "repl",      "arg",     "local",   "stacksize", NULL};
    if (x->in_macro && strncasecmp(word, "if", 2) == 0)
        return; /* it belongs to the body */
    if (x->in_macro && (strncasecmp(word, "el", 2) == 0 || strcasecmp(word, "endif") == 0))
        return;
    if (conditional(x, word, rest) || !active(x))
        return;
    if (strcasecmp(word, "include") == 0)
        include(x, rest, line, false);
    else if (strcasecmp(word, "define") == 0)
        define(x, rest, false);
    else if (strcasecmp(word, "xdefine") == 0)
        define_replaced(x, rest);
    else if (strcasecmp(word, "assign") == 0)
        assign(x, rest);
    else if (strcasecmp(word, "undef") == 0)
        define(x, rest, true);
    else if (is_one_of(word, begins))
        x->in_macro++;
    else if (is_one_of(word, ends))
        x->in_macro -= x->in_macro > 0;
    else if (!is_one_of(word, harmless))
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
    if (obb_files_is_pending(s->files, file))
        obb_scan_wait_for(s, file);
    if (obb_files_read(s->files, file, &text))
        obb_scan_give_up(s, "cannot read `%s`", obb_files_path(s->files, file));
    char *copy = obb_arena_copy(s->scratch, text.bytes, text.length); /* giving up would leak `text` */
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
    for (size_t i = 0; i < s->setup->defines.count; i++) {
        char *d = obb_arena_string(s->scratch, s->setup->defines.at[i]), *equal = strchr(d, '=');
        if (equal)
            *equal = ' ';
        define(&x, d, false);
    }
    read_intel(&x, file);
}
