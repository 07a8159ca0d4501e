/* Text that grows (text.h), and small helpers on words: nearest name, quoting for a shell, sizes such as
 * `8K`.
 *
 * Bytes are appended with doubling room, and a NUL always follows. The helpers change nothing but the text
 * that they are given. */
#include "base/text.h"

#include <errno.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/vec.h"

static void room_for(obb_text *text, size_t more)
{
    text->bytes = obb_grow(text->bytes, &text->room, text->length + more + 1, 1);
}

void obb_text_add(obb_text *text, const void *bytes, size_t length)
{
    room_for(text, length);
    if (length)
        memcpy(text->bytes + text->length, bytes, length);
    text->length += length;
    text->bytes[text->length] = 0;
}

void obb_text_string(obb_text *text, const char *string)
{
    obb_text_add(text, string, strlen(string));
}

void obb_text_char(obb_text *text, char c)
{
    obb_text_add(text, &c, 1);
}

void obb_text_format(obb_text *text, const char *format, ...)
{
    va_list args, again;
    va_start(args, format);
    va_copy(again, args);
    size_t length = (size_t)vsnprintf(NULL, 0, format, args);
    room_for(text, length);
    vsnprintf(text->bytes + text->length, length + 1, format, again);
    text->length += length;
    va_end(again);
    va_end(args);
}

const char *obb_text_bytes(const obb_text *text)
{
    return text->bytes ? text->bytes : "";
}

void obb_text_free(obb_text *text)
{
    free(text->bytes);
    *text = (obb_text){0};
}

bool obb_starts(const char *string, const char *prefix)
{
    return strncmp(string, prefix, strlen(prefix)) == 0;
}

bool obb_same(const char *a, const char *b)
{
    return a == b || (a && b && strcmp(a, b) == 0);
}

static bool plain_in_a_shell(const char *word)
{
    static const char plain[] = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789"
                                "_-+=./:,@%^";
    return *word && word[strspn(word, plain)] == 0;
}

void obb_text_shell_line(obb_text *text, const char *const *words, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        if (i)
            obb_text_char(text, ' ');
        if (plain_in_a_shell(words[i])) {
            obb_text_string(text, words[i]);
            continue;
        }
        obb_text_char(text, '\'');
        for (const char *c = words[i]; *c; c++) {
            if (*c == '\'')
                obb_text_string(text, "'\\''");
            else
                obb_text_char(text, *c);
        }
        obb_text_char(text, '\'');
    }
}

enum { LONGEST = 64 };

/* Optimal string alignment distance: inserts, deletes, changes, swaps of neighbours. */
static size_t distance(const char *a, const char *b)
{
    size_t n = strlen(a), m = strlen(b), row[3][LONGEST + 1];
    if (n > LONGEST || m > LONGEST)
        return LONGEST;
    for (size_t j = 0; j <= m; j++)
        row[0][j] = j;
    for (size_t i = 1; i <= n; i++) {
        size_t *now = row[i % 3], *one = row[(i + 2) % 3], *two = row[(i + 1) % 3];
        now[0] = i;
        for (size_t j = 1; j <= m; j++) {
            size_t best = one[j - 1] + (a[i - 1] != b[j - 1]);
            if (one[j] + 1 < best)
                best = one[j] + 1;
            if (now[j - 1] + 1 < best)
                best = now[j - 1] + 1;
            if (i > 1 && j > 1 && a[i - 1] == b[j - 2] && a[i - 2] == b[j - 1] &&
                two[j - 2] + 1 < best)
                best = two[j - 2] + 1;
            now[j] = best;
        }
    }
    return row[n % 3][m];
}

const char *obb_nearest(const char *word, const char *const *known)
{
    const char *nearest = NULL;
    size_t least = strlen(word) / 3 + 2;
    for (; *known; known++) {
        size_t d = distance(word, *known);
        if (d < least) {
            least = d;
            nearest = *known;
        }
    }
    return nearest;
}

bool obb_read_size(const char *text, uint64_t *bytes)
{
    static const char units[] = "KMG";
    char *end;
    if (*text < '0' || *text > '9')
        return false;
    errno = 0;
    unsigned long long n = strtoull(text, &end, obb_starts(text, "0x") ? 16 : 10);
    const char *unit = *end ? strchr(units, *end) : NULL;
    unsigned shift = unit ? 10U * (unsigned)(unit - units + 1) : 0;
    if (errno || (*end && (!unit || end[1])) || (shift && n >> (64 - shift)))
        return false;
    *bytes = (uint64_t)n << shift;
    return true;
}

bool obb_read_time(const char *text, uint64_t *milliseconds)
{
    char *end;
    double n = strtod(text, &end);
    double unit = strcmp(end, "ms") == 0    ? 1
                  : strcmp(end, "s") == 0   ? 1000
                  : strcmp(end, "min") == 0 ? 60000
                                            : 0;
    if (end == text || !(n * unit >= 1 && n * unit <= 1e9))
        return false;
    *milliseconds = (uint64_t)(n * unit);
    return true;
}

/* The length of the character that begins here, with its number; 0: it is none. */
static size_t character(const unsigned char *s, size_t length, uint32_t *number)
{
    size_t n = s[0] < 0x80                   ? 1
               : s[0] >= 0xC2 && s[0] < 0xE0 ? 2
               : s[0] >= 0xE0 && s[0] < 0xF0 ? 3
               : s[0] >= 0xF0 && s[0] < 0xF5 ? 4
                                             : 0;
    *number = n == 1 ? s[0] : n ? s[0] & (0x7Fu >> n) : 0;
    for (size_t i = 1; i < n; i++) {
        if (i >= length || (s[i] & 0xC0) != 0x80)
            return 0;
        *number = *number << 6 | (s[i] & 0x3Fu);
    }
    return n;
}

void obb_text_visible(obb_text *text, const char *string, size_t length, bool one_line)
{
    obb_text_add(text, "", 0);
    for (size_t i = 0; i < length;) {
        uint32_t c;
        size_t n = character((const unsigned char *)string + i, length - i, &c);
        bool kept = !one_line && (string[i] == '\n' || string[i] == '\t');
        bool turns = (c >= 0x200E && c <= 0x200F) || (c >= 0x202A && c <= 0x202E) ||
                     (c >= 0x2066 && c <= 0x2069);
        if (!n || ((c < 0x20 || c == 0x7F) && !kept))
            obb_text_format(text, "\\x%02x", (unsigned char)string[i]);
        else if ((c >= 0x80 && c < 0xA0) || turns)
            obb_text_format(text, "\\u{%x}", (unsigned)c);
        else
            obb_text_add(text, string + i, n);
        i += n ? n : 1;
    }
}
