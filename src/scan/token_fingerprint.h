/* The part of a C or C++ text that can matter to its compile: all of it but comments and the white space at
 * the ends of lines.
 */
#ifndef OBB_SCAN_TOKEN_FINGERPRINT_H
#define OBB_SCAN_TOKEN_FINGERPRINT_H

#include <stdbool.h>

#include "base/fingerprint.h"
#include "base/vec.h"

/* How a compiler of the gcc family splits texts into tokens under its flags. */
typedef struct obb_lexis {
    bool told;          /* no flag prevents it; otherwise there is no token fingerprint */
    bool line_comments; /* `//` begins a comment (not in ISO C90) */
    bool separators;    /* an apostrophe separates digits (C++14, C23) */
} obb_lexis;

/* `flags` are those of a compile; the last one that states a standard decides. Not known where a flag makes
 * comments matter: warnings that are errors, standards of a traditional preprocessor, words that stand
 * elsewhere. */
obb_lexis obb_lexis_of(const obb_words *flags, bool cxx);

/* A fingerprint that two texts share when every token stands at the same line and column in both (ISO/IEC
 * 9899 5.1.1.2, phases 1 to 3: a comment is a blank). False when there is none, because the text might be
 * read differently under another standard or compiler: raw strings, trigraphs, literals that do not end on
 * their line, lines that are joined in the middle of what may be a token, blanks behind a backslash at the
 * end of a line (gcc joins such lines, others do not), and header names that look like comments. Comments
 * about falling through in a `switch` count as text, since compilers read them. */
bool obb_token_fingerprint(const char *text, size_t length, const obb_lexis *lexis,
                           obb_fingerprint *fingerprint);

#endif
