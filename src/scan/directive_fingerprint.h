/* The part of a C or C++ text that matters to the scan: its directives, with their lines. As long as that is
 * the same, an edit does not change which files are included.
 */
#ifndef OBB_SCAN_DIRECTIVE_FINGERPRINT_H
#define OBB_SCAN_DIRECTIVE_FINGERPRINT_H

#include "base/fingerprint.h"
#include "scan/directives.h"

/* A fingerprint of the directives of a text (NUL-terminated at text[length]). */
obb_fingerprint obb_directive_fingerprint(const char *text, size_t length, obb_text_kind kind);

#endif
