/* Filling in a template: a text in which `@NAME@` stands for a value; in headers `${NAME}`, too, which means
 * nothing else in C. NAME is of letters, digits and underscores, and begins with no digit; whatever else
 * stands between those signs stays as it is. */
#ifndef OBB_BASE_TEMPLATE_H
#define OBB_BASE_TEMPLATE_H

#include <stdbool.h>
#include <stddef.h>

#include "base/text.h"

typedef enum obb_template_kind { OBB_TEMPLATE_TEXT, OBB_TEMPLATE_HEADER } obb_template_kind;

/* A place for a value, of `whole` bytes, and the name in it: bytes of the template. */
typedef struct obb_template_place {
    const char *at, *name;
    size_t whole, length;
} obb_template_place;

/* Whether there is one at `at`. */
bool obb_template_place_at(const char *at, obb_template_kind kind, obb_template_place *place);

/* One whose name has no value. */
typedef struct obb_template_gap {
    obb_template_place place;
    size_t line; /* from 1 */
} obb_template_gap;

/* Adds the text to `filled`, with the values: so many words NAME=VALUE. False: a name has none, and `gap`
 * says which; the text may then be added in part. */
bool obb_template_fill(const char *text, obb_template_kind kind, const char *const *values, size_t count,
                       obb_text *filled, obb_template_gap *gap);

/* Told of a macro for which a template has a place: so many bytes at `name`. */
typedef void obb_template_answer(void *self, const char *name, size_t length);

/* Adds the lines of a header's template that have a meaning where its macros are defined already. The others
 * only mark where answers belong, and are told to `answer`: directives that are none of C's (ISO C23, 6.10.1)
 * and of its compilers' extensions; and `#undef` of what the template has not defined itself, and does not
 * define in the next line, since it would take the answer back. Returns how many these are; `kept` and
 * `answer` may be NULL. */
size_t obb_template_split(const char *text, obb_text *kept, obb_template_answer *answer, void *self);

#endif
