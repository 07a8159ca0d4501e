/* A file reduced to its directives, tokens and all, once and for all who include it.
 *
 * The lexical rules are those of ISO/IEC 9899 5.1.1.2 (phases 2 and 3: joined lines,
 * comments, preprocessing tokens) and of C++ raw strings ([lex.string]). What is not a
 * directive is only passed over, with its strings and comments respected. In assembly,
 * `.include` and `.incbin` statements are taken as directives too, and so are lines of C with
 * such a statement in a string, which is inline assembly; `_Pragma` at the start of a line is
 * the pragma that it says.
 */
#ifndef OBB_SCAN_DIRECTIVES_H
#define OBB_SCAN_DIRECTIVES_H

#include <stdbool.h>
#include <stdint.h>

#include "base/arena.h"
#include "base/map.h"
#include "base/vec.h"

typedef enum obb_token_kind {
    OBB_T_END, OBB_T_NAME, OBB_T_NUMBER, OBB_T_CHAR, OBB_T_STRING, OBB_T_MARK, OBB_T_OTHER,
    OBB_T_NOTHING, /* an empty argument, next to ## */
    OBB_T_COUNTER  /* __COUNTER__ in a condition: `code` more than it is before the condition */
} obb_token_kind;

typedef struct obb_token {
    uint8_t kind;
    bool space;     /* white space before it */
    bool stays;     /* a name that is not to be replaced any more */
    bool plain;     /* a number whose value is `code`, signed */
    uint32_t code;  /* of a name: its symbol; of a mark: its characters, first in the low byte */
    uint32_t length;
    const char *text;
} obb_token;

#define OBB_MARK1(a) ((uint32_t)(a))
#define OBB_MARK2(a, b) ((uint32_t)(a) | (uint32_t)(b) << 8)
#define OBB_MARK3(a, b, c) (OBB_MARK2(a, b) | (uint32_t)(c) << 16)

typedef OBB_VEC(obb_token) obb_tokens;

/* Whether a token is this mark, such as OBB_MARK2('#', '#'). */
static inline bool obb_is_mark(const obb_token *token, uint32_t code)
{
    return token->kind == OBB_T_MARK && token->code == code;
}

typedef struct obb_macro {
    uint32_t symbol;
    bool with_arguments, variadic;
    bool assembles;        /* its body has a string with .incbin or .include in it */
    uint8_t builtin;       /* obb_builtin */
    uint32_t busy;         /* the source in which it is being replaced (C11 6.10.3.4), or 0 */
    uint32_t parameter_count;
    uint32_t *parameters;  /* symbols; the last is __VA_ARGS__ or a GNU name when variadic */
    const obb_token *body;
    size_t length;
} obb_macro;

typedef enum obb_builtin {
    OBB_NOT_BUILTIN, OBB_BUILTIN_LINE, OBB_BUILTIN_LEVEL, OBB_BUILTIN_COUNTER, OBB_BUILTIN_UNKNOWN,
    OBB_BUILTIN_OPERATOR /* __has_attribute and its like */
} obb_builtin;

typedef enum obb_directive_kind {
    OBB_D_IF, OBB_D_IFDEF, OBB_D_IFNDEF, OBB_D_ELIF, OBB_D_ELIFDEF, OBB_D_ELIFNDEF, OBB_D_ELSE,
    OBB_D_ENDIF, OBB_D_DEFINE, OBB_D_UNDEF,
    OBB_D_LINE, /* #line, or the form that preprocessors write; `line` is the one behind it */
    OBB_D_INCLUDE, OBB_D_INCLUDE_NEXT, OBB_D_IMPORT,
    OBB_D_EMBED, OBB_D_ONCE, OBB_D_PUSH, OBB_D_POP, OBB_D_ASM_INCLUDE, OBB_D_ASM_INCBIN,
    OBB_D_GAS, /* a statement of assembly that decides what is included: `name` is its word */
    OBB_D_INLINE /* a line of C with inline assembly that includes something */
} obb_directive_kind;

typedef struct obb_directive {
    obb_directive_kind kind;
    int line;
    bool spans;             /* it stands on several lines */
    uint32_t symbol;        /* of ifdef, undef, push and the like */
    uint32_t next;          /* of a conditional: the index of the next branch or of #endif */
    const obb_token *tokens; /* ends with OBB_T_END */
    size_t count;
    obb_macro *macro;       /* of define */
    const char *name;       /* of include with a plain name: the name; else NULL */
    bool quoted;            /* "name" rather than <name> */
} obb_directive;

typedef struct obb_directive_summary {
    OBB_VEC(obb_directive) directives; /* one more than counted: a closing #endif */
    bool guarded;           /* nothing happens when `guard` is defined */
    uint32_t guard;
} obb_directive_summary;

/* Names to numbers, one table for all files of a scanner. */
typedef struct obb_symbols {
    obb_arena *arena;
    obb_map map;
} obb_symbols;

uint32_t obb_symbol(obb_symbols *symbols, const char *text, size_t length);
const char *obb_symbol_text(const obb_symbols *symbols, uint32_t symbol);

/* Raw strings and trigraphs are a matter of the dialect. */
typedef enum obb_text_kind {
    OBB_TEXT_C,
    OBB_TEXT_C_RAW,
    OBB_TEXT_ASM_CPP,
    OBB_TEXT_ASM,
    OBB_TEXT_KINDS
} obb_text_kind;

/* Replaces the trigraphs of a text, in place (C11 5.2.1.1); its new length. */
size_t obb_replace_trigraphs(char *text, size_t length);

/* The text need not outlive the call. It is NUL-terminated at text[length]. */
obb_directive_summary *obb_directives_summarize(obb_symbols *symbols, const char *text, size_t length,
                            obb_text_kind kind);

/* Tokens of one line of text, which must outlive them; the list ends with OBB_T_END (not
 * counted). */
void obb_tokens_of(obb_symbols *symbols, const char *text, size_t length, obb_tokens *tokens);

/* The macro that `#define` with these tokens makes; NULL when they make none. */
obb_macro *obb_macro_of(obb_symbols *symbols, const obb_token *tokens, size_t count);

#endif
