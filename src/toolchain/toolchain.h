/* The tools that carry a build out, what they are, and how they are told things.
 *
 * A tool is found by name, then asked once what it is (version, target, predefined macros,
 * folders it searches). The answers are remembered under the stamp of its program file, so
 * that a changed compiler is asked again.
 */
#ifndef OBB_TOOLCHAIN_TOOLCHAIN_H
#define OBB_TOOLCHAIN_TOOLCHAIN_H

#include <stdint.h>

#include "base/arena.h"
#include "base/diag.h"
#include "base/files.h"
#include "base/memo.h"
#include "project/resolve.h"

typedef enum obb_language {
    OBB_C,
    OBB_CXX,
    OBB_ASM_CPP,   /* .S: the compiler's assembler, after preprocessing */
    OBB_ASM,       /* .s: the compiler's assembler */
    OBB_ASM_INTEL, /* .asm: the Intel-syntax assembler */
    OBB_NO_LANGUAGE
} obb_language;

/* By the suffix; OBB_NO_LANGUAGE for files that are not compiled. Headers in a source list
 * are welcome and not compiled: obb_is_header tells. */
obb_language obb_language_of(const char *path);
bool obb_is_header(const char *path);
const char *obb_language_name(obb_language language);

typedef enum obb_role {
    OBB_TOOL_C, OBB_TOOL_CXX, OBB_TOOL_ARCHIVER, OBB_TOOL_INTEL_ASSEMBLER, OBB_ROLE_COUNT
} obb_role;

typedef enum obb_family { OBB_FAMILY_UNKNOWN, OBB_FAMILY_GCC, OBB_FAMILY_CLANG } obb_family;

typedef struct obb_tool {
    obb_role role;
    const char *role_name; /* "C compiler" */
    const char *wanted;    /* the name that was looked for */
    const char *variable;  /* the environment variable that can name another; or NULL */
    bool from_variable;
    obb_words command;     /* its path and the words that always follow; empty: not found */
    const char *version;   /* one line; set once asked */
    const char *target;    /* the machine it compiles for, as a triplet; "" if it has none */
    obb_family family;
    obb_print identity;    /* changes whenever the tool does */
    bool asked;
} obb_tool;

typedef struct obb_toolchain {
    const char *name;
    obb_arena *arena;
    obb_files *files;
    obb_memo memo;
    obb_tool tools[OBB_ROLE_COUNT];
    obb_words library_folders; /* where the linker looks; set once a C or C++ tool is asked */
    obb_map dialects;
    size_t questions;          /* how many processes were started to ask */
} obb_toolchain;

/* The toolchain of this machine: cc, c++, ar, nasm on PATH, or what CC, CXX, AR and NASM
 * name. Nothing is asked yet. */
obb_toolchain *obb_toolchain_host(obb_arena *arena, obb_files *files, obb_memo memo);
void obb_toolchain_free(obb_toolchain *toolchain);

/* The tool, asked; NULL with an error in `diags` when it is missing or gives no answer.
 * `who` needs it, `place` says where that is stated. */
const obb_tool *obb_toolchain_need(obb_toolchain *toolchain, obb_role role, const char *who,
                                   obb_place place, obb_diags *diags);

obb_role obb_role_of(obb_language language);

/* The environment variables that change what a compiler does, with their values. */
void obb_compiler_environment(obb_printer *printer);

#endif
