#include "scan/likeness.h"

#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "base/text.h"

static bool heeded(const char *comment, size_t n)
{
    for (size_t i = 0; i + 4 <= n; i++)
        if (strncasecmp(comment + i, "fall", 4) == 0)
            return true;
    return false;
}

/* The end of a comment that begins at `p`. */
static const char *comment_end(const char *p, const char *end)
{
    if (p[1] == '*') {
        for (p += 2; p < end; p++)
            if (p[0] == '*' && p + 1 < end && p[1] == '/')
                return p + 2;
        return end;
    }
    while (p < end && (*p != '\n' || p[-1] == '\\' || (p[-1] == '\r' && p[-2] == '\\')))
        p++;
    return p;
}

static const char *literal_end(const char *p, const char *end)
{
    char quote = *p++;
    while (p < end && *p != quote && *p != '\n')
        p += *p == '\\' && p + 1 < end ? 2 : 1;
    return p < end ? p + (*p == quote) : end;
}

/* An apostrophe between digits parts them (C++14); before one stands a digit or a letter. */
static bool parts_digits(const char *text, const char *p)
{
    return *p == '\'' && p > text && isalnum((unsigned char)p[-1]) && isalnum((unsigned char)p[1]);
}

static void end_line(obb_text *out)
{
    while (out->length && (out->bytes[out->length - 1] == ' ' || out->bytes[out->length - 1] == '\t' || out->bytes[out->length - 1] == '\r'))
        out->length--;
}

static void blank_comment(obb_text *out, const char *p, const char *end)
{
    for (; p < end; p++) {
        if (*p == '\n')
            end_line(out);
        obb_text_char(out, *p == '\n' ? '\n' : ' ');
    }
}

bool obb_likeness(const char *text, size_t length, obb_print *print)
{
    obb_text out = {0};
    const char *end = text + length;
    if (strstr(text, "R\"") || memchr(text, 0, length))
        return false;
    obb_text_add(&out, "", 0);
    for (const char *p = text; p < end;) {
        bool comment = p[0] == '/' && p + 1 < end && (p[1] == '/' || p[1] == '*');
        bool literal = (*p == '"' || *p == '\'') && !parts_digits(text, p);
        const char *next = comment ? comment_end(p, end) : literal ? literal_end(p, end) : p + 1;
        if (comment && !heeded(p, (size_t)(next - p)))
            blank_comment(&out, p, next);
        else {
            if (*p == '\n')
                end_line(&out);
            obb_text_add(&out, p, (size_t)(next - p));
        }
        p = next;
    }
    do /* lines behind the last token move none */
        end_line(&out);
    while (out.length && out.bytes[out.length - 1] == '\n' && out.length--);
    *print = obb_print_of(out.bytes, out.length);
    obb_text_free(&out);
    return true;
}
