/* What of a text of C or C++ can matter to its compile: all of it but comments and the white
 * space at the ends of lines.
 */
#ifndef OBB_SCAN_LIKENESS_H
#define OBB_SCAN_LIKENESS_H

#include <stdbool.h>

#include "base/print.h"

/* A fingerprint that two texts share when every token stands at the same line and column in
 * both (ISO/IEC 9899 5.1.1.2, phase 3: a comment is a blank). False when that is not told: for
 * texts with raw strings. Comments about falling through in a `switch` count as text, since
 * compilers heed them. */
bool obb_likeness(const char *text, size_t length, obb_print *print);

#endif
