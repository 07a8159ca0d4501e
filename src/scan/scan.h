/* Which files a source includes: what the compiler would read for these flags, found by
 * evaluating the preprocessor's directives (ISO/IEC 9899 6.10, and the extensions of the gcc
 * and clang families), and the places where a header was looked for and was not.
 *
 * A file is read and reduced to its directives once for all sources of a scanner. What cannot be decided
 * here is marked in the result, and left to the compiler.
 */
#ifndef OBB_SCAN_SCAN_H
#define OBB_SCAN_SCAN_H

#include "base/files.h"
#include "toolchain/dialect.h"

/* How sources are read: a dialect, and the project's own folders and macros. Sources of one
 * target usually share one. */
typedef struct obb_preprocessor_setup {
    const obb_dialect *dialect;
    obb_words includes; /* folders, in order */
    obb_words defines;  /* NAME or NAME=VALUE, in order */
    uint32_t number;
    OBB_VEC(obb_file) folders; /* all that are searched for <x>, in order */
    size_t quote_folders;      /* how many of them are searched for "x" only, in front */
    OBB_VEC(const struct obb_directive_summary *)
    predefined; /* the definitions of the compiler and of the command */
} obb_preprocessor_setup;

typedef struct obb_missing {
    const char *name; /* as written */
    bool quoted;
    obb_file file;    /* where it is included */
    int line;
} obb_missing;

typedef struct obb_include {
    obb_file from, to;
    int line;   /* in `from` */
    int depth;  /* 1: included by the source itself */
    bool again; /* was read before in this source; what it includes is not repeated */
} obb_include;

typedef struct obb_scan_result {
    obb_file_list files;  /* the source first, then in the order of reading, each once */
    obb_file_list absent; /* where headers were looked for and not found, each once */
    obb_file_list
        tested; /* whose presence decided something (__has_include), each once; some are in `files`, too */
    OBB_VEC(obb_missing) missing;
    OBB_VEC(obb_include) includes; /* only when asked for */
    bool waits;            /* the scan came to a pending file (files.h), and ended there */
    obb_file pending;      /* which */
    bool text_matters;     /* more than the directives of its files decides what it includes; */
    bool trigraphs_alone;  /* but only trigraphs, if there are any */
    bool assembled;        /* something was included by assembly, which compilers do not report */
    bool at_most;          /* undecided, but the files are all that may be read */
    const char *undecided; /* why the compiler must be asked; NULL when all is known */
    obb_file undecided_file;
    int undecided_line;
} obb_scan_result;

typedef struct obb_scanner obb_scanner;

obb_scanner *obb_scanner_new(obb_files *files);
void obb_scanner_free(obb_scanner *scanner);

/* The setup for these; the same one for the same values. The words must outlive the scanner. */
const obb_preprocessor_setup *obb_scanner_setup(obb_scanner *scanner, const obb_dialect *dialect,
                                    const obb_words *includes, const obb_words *defines);

/* A source that is going to be scanned with a setup: what it may ask the compiler is asked together with what
 * the sources before it ask. */
void obb_scanner_expect(obb_scanner *scanner, const obb_preprocessor_setup *setup, obb_file source);

/* The macros that conditions and includes asked for (whether they are defined, what they become) since the
 * last time, by marks of their names (obb_macro_name_mark): what others become does not matter to a scan.
 * Added to `names`. */
typedef OBB_VEC(uint64_t) obb_macro_names;

void obb_scanner_take_asked(obb_scanner *scanner, obb_macro_names *names);

/* Scans one source. The result starts zeroed and is released with obb_scan_result_free. */
void obb_scan(obb_scanner *scanner, const obb_preprocessor_setup *setup, obb_file source,
              bool with_includes, obb_scan_result *result);
void obb_scan_result_free(obb_scan_result *result);

/* Whether a file that was scanned has an include guard: then what it does when it is read a second time is
 * nothing. */
bool obb_scan_is_guarded(const obb_scanner *scanner, obb_file file);

/* The folders that are searched for a name that `from` includes, as the user would list
 * them, in order. */
void obb_scan_searched(const obb_scanner *scanner, const obb_preprocessor_setup *setup,
                       const obb_missing *missing, obb_arena *arena, obb_words *folders);

#endif
