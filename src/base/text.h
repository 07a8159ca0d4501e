/* Text that grows.
 *
 * A zeroed obb_text is empty. `bytes` is NULL until something is added, and NUL-terminated
 * from then on (the NUL is not counted in `length`); obb_text_bytes gives "" in place of
 * NULL. Release with obb_text_free.
 */
#ifndef OBB_BASE_TEXT_H
#define OBB_BASE_TEXT_H

#include <stdbool.h>
#include <stddef.h>
#include <stdint.h>

typedef struct obb_text {
    char *bytes;
    size_t length, room;
} obb_text;

void obb_text_add(obb_text *text, const void *bytes, size_t length);
void obb_text_string(obb_text *text, const char *string);
void obb_text_char(obb_text *text, char c);
void obb_text_format(obb_text *text, const char *format, ...);
const char *obb_text_bytes(const obb_text *text);
void obb_text_free(obb_text *text);

bool obb_starts(const char *string, const char *prefix);
bool obb_same(const char *a, const char *b); /* both NULL, or equal */

/* A number of bytes: decimal or 0x..., with K, M or G behind it (1024 times each); false when
 * it is none. */
bool obb_read_size(const char *text, uint64_t *bytes);

/* A time with its unit: 500ms, 10s, 2min; from a millisecond to eleven days. */
bool obb_read_time(const char *text, uint64_t *milliseconds);

/* The words as one line that a POSIX shell would read back as the same words
 * (XCU 2.2 Quoting): plain words bare, others in single quotes. */
void obb_text_shell_line(obb_text *text, const char *const *words, size_t count);

/* Adds a text in a form that is safe for a terminal: control characters (except for newlines and tabs), marks
 * that turn the direction of writing, and bytes that are no UTF-8 (RFC 3629) become escapes: \xNN, \u{NNNN}.
 * `one_line`: newlines and tabs as well. */
void obb_text_visible(obb_text *text, const char *string, size_t length, bool one_line);

/* The known word most like `word` (edit distance with swaps, at most about a third of its
 * length), or NULL. `known` ends with NULL. */
const char *obb_nearest(const char *word, const char *const *known);

#endif
