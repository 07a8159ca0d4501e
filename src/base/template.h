/* Filling in a template: a text in which `@NAME@` stands for a value. NAME is of letters, digits and
 * underscores, and begins with no digit; whatever else stands between two signs stays as it is. */
#ifndef OBB_BASE_TEMPLATE_H
#define OBB_BASE_TEMPLATE_H

#include <stdbool.h>
#include <stddef.h>

#include "base/text.h"

/* A name that has no value: the template's bytes at `name`, so many. */
typedef struct obb_template_gap {
    const char *name;
    size_t length;
    size_t line; /* from 1 */
} obb_template_gap;

/* Adds the text to `filled`, with the values: so many words NAME=VALUE. False: a name has none, and `gap`
 * says which; the text may then be added in part. */
bool obb_template_fill(const char *text, const char *const *values, size_t count, obb_text *filled,
                       obb_template_gap *gap);

/* Adds the lines of a header's template that have a meaning where its macros are defined already: all but
 * `#undef`, which would take them back, and directives that are none of C's (ISO C23, 6.10.1) and of its
 * compilers' extensions, since those only mark where definitions belong. Returns how many lines were left
 * out; `kept` may be NULL. */
size_t obb_template_keep_code(const char *text, obb_text *kept);

#endif
