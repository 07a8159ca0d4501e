/* Lexing descriptions. Every token has its place, which all later messages use.
 *
 * It never fails: a byte that cannot be part of a description is reported and passed over, so the parser
 * always gets a next mark, and the end at last. */
#include "score/lexer.h"

#include <string.h>

static obb_place here(const obb_lexer *l)
{
    obb_place place = l->begin;
    place.line = l->line;
    place.column = (int)(l->at - l->line_start) + 1;
    return place;
}

obb_lexer obb_lexer_on(obb_arena *arena, obb_place begin, const char *text, size_t length, obb_diags *diags)
{
    obb_lexer l = {.arena = arena, .diags = diags, .begin = begin, .at = text,
                   .end = text + length, .line_start = text, .line = 1};
    if (length >= 3 && memcmp(text, "\xEF\xBB\xBF", 3) == 0)
        l.at += 3; /* a byte-order mark */
    return l;
}

static void newline(obb_lexer *l)
{
    l->at++;
    l->line++;
    l->line_start = l->at;
}

/* The length of the UTF-8 sequence at `s`, or 0 (RFC 3629, section 4). */
static int utf8_length(const unsigned char *s, const unsigned char *end)
{
    if (s[0] < 0x80)
        return s[0] >= 0x20 || s[0] == '\t' || s[0] == '\r';
    int n = s[0] >= 0xF0 && s[0] <= 0xF4 ? 4 : s[0] >= 0xE0 ? 3 : s[0] >= 0xC2 ? 2 : 0;
    if (s[0] > 0xF4 || n == 0 || end - s < n)
        return 0;
    for (int i = 1; i < n; i++)
        if ((s[i] & 0xC0) != 0x80)
            return 0;
    if ((s[0] == 0xE0 && s[1] < 0xA0) || (s[0] == 0xED && s[1] > 0x9F) ||
        (s[0] == 0xF0 && s[1] < 0x90) || (s[0] == 0xF4 && s[1] > 0x8F))
        return 0;
    return n;
}

/* Steps over one character; a byte that is none is reported once a word. */
static void step(obb_lexer *l, bool *reported)
{
    int n = utf8_length((const unsigned char *)l->at, (const unsigned char *)l->end);
    if (n == 0 && !*reported) {
        obb_diag *d = obb_error(l->diags, OBB_FAULT_DESCRIPTION, here(l),
                                "byte 0x%02X is not text", (unsigned char)*l->at);
        obb_hint(l->diags, d, "a description is UTF-8 without control characters");
        *reported = true;
    }
    l->at += n ? n : 1;
}

static bool at_line_end(const char *at, const char *end)
{
    return at == end || *at == '\n' || (*at == '\r' && at + 1 < end && at[1] == '\n');
}

static bool at_joint(const obb_lexer *l)
{
    return *l->at == '\\' && l->at + 1 < l->end && at_line_end(l->at + 1, l->end);
}

static void skip_comment(obb_lexer *l)
{
    bool reported = false;
    while (!at_line_end(l->at, l->end))
        step(l, &reported);
}

/* Blanks, joined lines, and comments that nobody asks for. */
static void skip_blanks(obb_lexer *l)
{
    while (l->at < l->end) {
        if (*l->at == ' ' || *l->at == '\t' || (*l->at == '\r' && at_line_end(l->at, l->end))) {
            l->at++;
        } else if (at_joint(l)) {
            l->at += l->at[1] == '\r' ? 2 : 1;
            newline(l);
        } else if (*l->at == '#' && !l->tells_comments) {
            skip_comment(l);
        } else {
            return;
        }
    }
}

static void quoted_word(obb_lexer *l)
{
    obb_text text = {0};
    obb_place start = here(l);
    bool reported = false;
    obb_text_add(&text, "", 0);
    l->at++;
    while (!at_line_end(l->at, l->end) && *l->at != '"') {
        if (*l->at != '\\') {
            const char *from = l->at;
            step(l, &reported);
            obb_text_add(&text, from, (size_t)(l->at - from));
            continue;
        }
        static const char letters[] = "\"\\nt", meanings[] = "\"\\\n\t";
        const char *letter = l->at + 1 < l->end ? strchr(letters, l->at[1]) : NULL;
        if (letter && *letter) {
            obb_text_char(&text, meanings[letter - letters]);
            l->at += 2;
        } else {
            obb_diag *d = obb_error(l->diags, OBB_FAULT_DESCRIPTION, here(l),
                                    "unknown escape in a string");
            obb_hint(l->diags, d, "the escapes are \\\" \\\\ \\n \\t");
            l->at++;
        }
    }
    if (at_line_end(l->at, l->end)) {
        obb_diag *d = obb_error(l->diags, OBB_FAULT_DESCRIPTION, start, "the string does not end");
        obb_hint(l->diags, d, "close it with \" on the same line");
    } else {
        l->at++;
    }
    l->word = (obb_word){obb_arena_copy(l->arena, text.bytes, text.length), start, true};
    obb_text_free(&text);
}

static void bare_word(obb_lexer *l)
{
    const char *from = l->at;
    obb_place start = here(l);
    bool reported = false;
    while (!at_line_end(l->at, l->end) && *l->at != ' ' && *l->at != '\t' && *l->at != ';' && !at_joint(l)) {
        if (*l->at == '"' && !reported) {
            obb_diag *d = obb_error(l->diags, OBB_FAULT_DESCRIPTION, here(l),
                                    "a quote inside a bare word");
            obb_hint(l->diags, d, "put the whole value in quotes, and write \\\" for a quote in it");
            reported = true;
        }
        step(l, &reported);
    }
    size_t n = (size_t)(l->at - from);
    l->word = (obb_word){obb_arena_copy(l->arena, from, n), start, false};
}

obb_mark obb_lexer_next(obb_lexer *l)
{
    skip_blanks(l);
    l->word.place = here(l);
    if (l->at >= l->end)
        return OBB_MARK_EOF;
    if (*l->at == '\n') {
        newline(l);
        return OBB_MARK_END;
    }
    if (*l->at == ';') {
        l->at++;
        return OBB_MARK_END;
    }
    if (*l->at == '#') {
        const char *from = l->at;
        skip_comment(l);
        l->word.text = obb_arena_copy(l->arena, from, (size_t)(l->at - from));
        return OBB_MARK_COMMENT;
    }
    if (*l->at == '"') {
        quoted_word(l);
        return OBB_MARK_WORD;
    }
    bare_word(l);
    if (strcmp(l->word.text, "{") == 0)
        return OBB_MARK_OPEN;
    if (strcmp(l->word.text, "}") == 0)
        return OBB_MARK_CLOSE;
    return OBB_MARK_WORD;
}
