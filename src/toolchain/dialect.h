/* A dialect: one language of one compiler under one set of flags, and what that compiler
 * says of it: predefined macros, folders it searches, files it always reads. The scan
 * reads sources as that compiler would. */
#ifndef OBB_TOOLCHAIN_DIALECT_H
#define OBB_TOOLCHAIN_DIALECT_H

#include "toolchain/toolchain.h"

typedef struct obb_dialect {
    obb_toolchain *toolchain;
    const obb_tool *tool;
    obb_language language;
    obb_words flags;       /* all that matters to the preprocessor, but -include files */
    obb_words forced;      /* files of -include and -imacros, in order */
    obb_fingerprint key;
    obb_fingerprint answer;      /* of all that the compiler said */
    const char *macros;    /* lines of #define and #undef, as the compiler prints them */
    obb_words quote_folders, folders; /* searched for "x" only; for both. All exist. */
    obb_words stated;      /* those of `folders` that the flags name: not the system's */
    obb_words gone;        /* folders that would be searched if they existed */
    obb_words implicit;    /* files read before the source: each is an input */
    obb_words operators;   /* __has_attribute and its like, as far as the compiler has them */
    bool raw_strings;      /* R"(x)" is one token */
    bool trigraphs;        /* ??= is #, and so on (C11 5.2.1.1) */
    obb_words embed_folders; /* searched for what #embed names (C23 6.10.3) */
    obb_map values;        /* answers to questions: text -> intmax_t * */
    obb_map refused;       /* questions that the compiler found fault with */
    bool ok;
    const char *refusal;   /* what the compiler said when it did not take the flags, one line; or NULL */
} obb_dialect;

/* The dialect for these flags (as they stand on the command line, without include folders
 * and macros of the project's own). Asked once, then remembered. Never NULL; `ok` is false
 * when the compiler refused, and then `refusal` is what it said. */
const obb_dialect *obb_dialect_for(obb_toolchain *toolchain, const obb_tool *tool,
                                   obb_language language, const obb_words *flags);

/* Releases what a dialect holds outside the arena; obb_toolchain_free calls it. */
void obb_dialect_free(obb_dialect *dialect);

/* The value of an expression that only the compiler can tell, such as __has_attribute(noreturn), when it was
 * asked about it before, now or in an earlier run. */
bool obb_dialect_knows(const obb_dialect *dialect, const char *expression, intmax_t *value);

/* Asks the compiler about such expressions, in one process. Those that it finds no fault with are known from
 * then on; the first one is asked about alone when the faults cannot be told apart. */
void obb_dialect_ask(const obb_dialect *dialect, const obb_words *expressions);

/* The files that the compiler itself says a source reads (-M; of assembly, what its assembler
 * says), or false. `words` is the
 * command line without -c, -o and the source. */
bool obb_dialect_ask_files(const obb_dialect *dialect, const obb_words *words,
                           const char *source, obb_words *files);

/* Reads the rules of a text in the dependency format (target: words; blanks and hashes escaped with a
 * backslash, dollars doubled, lines continued by a backslash); gives the words behind the colons, the
 * paths as the system reads them (files.h), relative to `root`. */
void obb_read_rule(obb_files *files, obb_arena *arena, const char *root, const char *text, obb_words *named);

/* The same of a linker. GNU's write a path a line and escape nothing, LLVM's escapes: where both readings are
 * possible, the file that is there is meant. */
void obb_read_link_rule(obb_files *files, obb_arena *arena, const char *root, const char *text,
                        obb_words *named);

#endif
