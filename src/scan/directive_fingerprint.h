/* The part of a C or C++ text that matters to the scan: its directives. An edit that leaves them as they are,
 * or changes only what no scan asked for, does not change which files are included.
 */
#ifndef OBB_SCAN_DIRECTIVE_FINGERPRINT_H
#define OBB_SCAN_DIRECTIVE_FINGERPRINT_H

#include "base/fingerprint.h"
#include "base/text.h"
#include "base/vec.h"
#include "scan/directives.h"

/* Macros as each #define has them, in order. */
typedef struct obb_macro_mark {
    uint64_t name; /* obb_macro_name_mark */
    uint64_t body; /* a fingerprint of parameters and replacement */
} obb_macro_mark;

typedef struct obb_directive_fingerprint {
    obb_fingerprint skeleton; /* all but lines and what macros become */
    uint64_t lines;           /* of the lines on which they stand */
    OBB_VEC(obb_macro_mark) macros;
} obb_directive_fingerprint;

/* The fingerprint of a macro's name. */
uint64_t obb_macro_name_mark(const char *name);

/* That of a text (NUL-terminated at text[length]); released with obb_vec_free(&print->macros). */
void obb_directive_fingerprint_of(const char *text, size_t length, obb_text_kind kind,
                                  obb_directive_fingerprint *print);

/* A form to be kept, which obb_directives_alike takes. */
void obb_directive_fingerprint_encode(const obb_directive_fingerprint *print, obb_text *bytes);

/* Whether a scan that read the text `then` (as encoded) finds the same in the text `now`: the directives are
 * the same but for macros that it did not ask for, and for their lines where it did not ask for __LINE__.
 * `asked` says whether a scan ever did, of a name's mark. */
bool obb_directives_alike(const obb_text *then, const obb_directive_fingerprint *now,
                          bool (*asked)(void *self, uint64_t name), void *self);

#endif
