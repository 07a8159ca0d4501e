/* What the files of the scan share. Only src/scan uses this header.
 *
 * They depend on each other, since the matter is recursive: reading a file means reading those that it
 * includes, and a condition or an include in it may be made of macros of all of them. */
#ifndef OBB_SCAN_SCANNER_H
#define OBB_SCAN_SCANNER_H

#include <setjmp.h>

#include "scan/directives.h"
#include "scan/scan.h"

enum { OBB_DEEPEST_INCLUDE = 200, OBB_DEEPEST_ARGUMENTS = 200, OBB_MOST_STEPS = 20000000 };

/* Macros by symbol. A definition of the current source counts when its mark is `now`; else the predefined one
 * of the setup does. So a new source starts by adding one to `now`. */
typedef struct obb_macro_slot {
    obb_macro *predefined, *current;
    uint32_t mark;
} obb_macro_slot;

/* By file: the source (its `now`) in which something was so. */
typedef OBB_VEC(uint32_t) obb_marks;

typedef struct obb_saved_macro {
    uint32_t symbol;
    obb_macro *macro;
} obb_saved_macro;

/* What happened while a source was scanned, and what reading a header did (include_memo.c). */
typedef struct obb_event {
    uint32_t kind, number;
    const void *value;
} obb_event;

typedef struct obb_include_memo obb_include_memo;

typedef struct obb_found {
    obb_file file;      /* OBB_NO_FILE: nowhere */
    uint32_t folder;    /* index in the setup's folders, for include_next; UINT32_MAX: none */
    obb_file *absent;   /* places tried before */
    uint32_t absent_count;
} obb_found;

/* Of the compiler's own assembler (gas.c), while a source is read. */
typedef struct obb_gas {
    obb_map symbols;
    OBB_VEC(uint8_t) levels; /* conditionals that are open */
    unsigned blocks;         /* macros and repetitions that are open */
    unsigned unknown;        /* of both, how many may or may not be assembled */
    bool hidden;             /* symbols may be defined that nobody saw */
} obb_gas;

typedef struct obb_expected_source {
    const obb_preprocessor_setup *setup;
    obb_file file;
} obb_expected_source;

struct obb_scanner {
    obb_files *files;
    obb_arena *arena;   /* lives as long as the scanner */
    obb_arena *scratch; /* lives as long as one source */
    obb_symbols symbols;
    OBB_VEC(obb_directive_summary *)
    summaries[OBB_TEXT_KINDS * 2];                 /* by file; the second half with trigraphs */
    OBB_VEC(obb_macro_slot) macros;                /* by symbol */
    OBB_VEC(bool) asked;                           /* by symbol: whether it was asked for in any source */
    OBB_VEC(uint32_t) asked_news;                  /* symbols, since obb_scanner_take_asked */
    obb_marks seen, once, absent_seen, tested_seen; /* by file */
    uint32_t now;
    obb_map setups;       /* obb_preprocessor_setup */
    obb_map definitions; /* obb_directive_summary: macros of a compiler or of a command, by their text */
    const obb_preprocessor_setup *loaded;
    obb_map lookups;    /* obb_found */
    obb_map memos;   /* of headers by setup, see include_memo.c */
    obb_marks noted_symbols, noted_files; /* while a memo is made: see include_memo.c */
    uint32_t condensing;
    OBB_VEC(obb_expected_source) expected; /* see questions.c */
    uint32_t sym_defined, sym_va_args, sym_va_opt, sym_has_include, sym_has_include_next, sym_has_embed;

    /* of the source that is being scanned */
    const obb_preprocessor_setup *setup;
    obb_scan_result *result;
    bool with_includes;
    obb_file file;       /* that is being read */
    uint32_t folder;     /* where it was found */
    int line, depth;
    intmax_t line_shift; /* what #line adds to it for __LINE__ */
    bool spans;          /* the directive stands on several lines, so __LINE__ depends on where in it */
    int nesting;         /* of arguments that are being replaced */
    long steps;          /* tokens replaced so far: a text can make them double endlessly */
    OBB_VEC(obb_saved_macro) saved;
    OBB_VEC(obb_event) log;
    obb_gas gas;
    bool logging;        /* memos are kept and used */
    bool embedded;       /* something was, by #embed */
    OBB_VEC(uint32_t) assembling; /* macros that may include something by inline assembly */
    jmp_buf undecided;
};

/* Gives the source up: the compiler must be asked. Does not return. */
void obb_scan_give_up(obb_scanner *scanner, const char *format, const char *word);

/* Ends the scan at a file that is not made yet. */
void obb_scan_wait_for(obb_scanner *scanner, obb_file file);

/* The macro of a symbol now, or NULL. */
obb_macro *obb_scan_macro(obb_scanner *scanner, uint32_t symbol);
void obb_scan_set_macro(obb_scanner *scanner, uint32_t symbol, obb_macro *macro);

/* Files that are read once only: #import, #pragma once. */
bool obb_scan_read_once(obb_scanner *scanner, obb_file file);
void obb_scan_mark_once(obb_scanner *scanner, obb_file file);

/* What reading a header depended on and did (include_memo.c): the log of the source. */
void obb_scan_log_asked(obb_scanner *scanner, uint32_t symbol, const obb_macro *macro);
void obb_scan_log_set(obb_scanner *scanner, uint32_t symbol, const obb_macro *macro);
void obb_scan_log_once(obb_scanner *scanner, obb_file file, bool set, bool was);
void obb_scan_log_file(obb_scanner *scanner, obb_file file);
void obb_scan_log_absent(obb_scanner *scanner, const obb_found *found);
void obb_scan_log_tested(obb_scanner *scanner, obb_file file);

/* Something happened that such a log cannot express: the headers that are being read must be read again each
 * time. */
void obb_scan_spoil_memos(obb_scanner *scanner);

/* Repeats what an earlier reading of the header did, when all that it depended on is the same. */
bool obb_scan_recall_memo(obb_scanner *scanner, obb_file file, uint32_t folder);

/* The header was read, and the log had `began` events before. */
void obb_scan_keep_memo(obb_scanner *scanner, obb_file file, uint32_t folder, size_t began);

/* Replaces all macros in the tokens (C11 6.10.3). With `condition`, `defined X` and
 * __has_include and its like become numbers, as in #if. */
void obb_scan_replace(obb_scanner *scanner, const obb_token *tokens, size_t count,
                      bool condition, obb_tokens *out);

/* The header that tokens name: <x>, "x", or what becomes one of these when replaced. */
char *obb_scan_header_name(obb_scanner *scanner, const obb_token *tokens, size_t count,
                           bool *quoted);

/* The value of a condition (C11 6.10.1). */
bool obb_scan_condition(obb_scanner *scanner, const obb_token *tokens, size_t count);

/* The value of tokens in which all is replaced that is to be. */
intmax_t obb_scan_value(obb_scanner *scanner, const obb_token *tokens, size_t count);

/* The value of `__has_attribute(x)` or its like, with all replaced that is to be (questions.c). False when
 * the compiler does not say. */
bool obb_scan_ask_compiler(obb_scanner *scanner, const char *question, intmax_t *value);

/* The directives of a file, or NULL when it cannot be read or is not made yet. */
const obb_directive_summary *obb_scan_summary(obb_scanner *scanner, obb_file file);

/* Looks a header up for the file that is being read. */
const obb_found *obb_scan_look_up(obb_scanner *scanner, const char *name, bool quoted, bool next);

/* Looks up what #embed names: "x" beside the file first, then in the folders for it. The
 * places where it was not are noted. OBB_NO_FILE: nowhere. */
obb_file obb_scan_look_up_embedded(obb_scanner *scanner, const char *name, bool quoted);

/* Looks up what assembly of either dialect includes: in the working folder, then in the
 * project's include folders. OBB_NO_FILE when it is nowhere; the places are noted. */
obb_file obb_scan_look_up_assembly(obb_scanner *scanner, const char *name);

/* Notes the places where it was not. */
void obb_scan_note_absent(obb_scanner *scanner, const obb_found *found);

/* A file whose presence was asked for, and that is there. */
void obb_scan_note_tested(obb_scanner *scanner, obb_file file);

/* The spelling of tokens in one string, a blank where there was white space. */
char *obb_scan_spell(obb_arena *arena, const obb_token *tokens, size_t count);

/* Inline assembly in C (inline.c): what a line of tokens includes; and, when the source is
 * read, what the uses of macros do that were seen to assemble something. */
void obb_scan_inline(obb_scanner *scanner, const obb_token *tokens, size_t count);
void obb_scan_assembling_macros(obb_scanner *scanner);

/* A file that assembly includes, by its name: noted, and read unless it is binary. What is not
 * there is for the assembler to report, since its conditionals are not evaluated here. */
void obb_scan_include_assembly(obb_scanner *scanner, const char *name, bool binary, int line);

/* A statement of the compiler's own assembler that decides what is included (gas.c): its first
 * word and the rest; `=` and `:` stand for a symbol that is set or a label, with the whole
 * statement. */
void obb_scan_gas(obb_scanner *scanner, const char *word, const char *rest);
void obb_scan_gas_begin(obb_scanner *scanner);

/* Whether what is read now is in a branch that is not assembled. */
bool obb_scan_gas_skips(const obb_scanner *scanner);

/* The Intel-syntax assembler's sources (NASM manual, chapter 5, The NASM Preprocessor). */
void obb_scan_intel(obb_scanner *scanner, obb_file file);

/* Notes that the file is read; true when it is the first time in this source. */
bool obb_scan_note_file(obb_scanner *scanner, obb_file file, obb_file from, int line, bool again);

#endif
