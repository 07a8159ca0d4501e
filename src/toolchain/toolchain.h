/* The tools that carry a build out, what they are, and how they are invoked.
 *
 * There is the toolchain of this machine and any number that a description adds. Those of the
 * gcc and clang families are asked what they are, by questions that compile and link nothing,
 * since a bare-metal compiler cannot link a hosted program. One of the custom family is known
 * by its description alone.
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
#include "base/process.h"
#include "project/language.h"
#include "project/resolve/settings.h"



typedef enum obb_role {
    OBB_TOOL_C, OBB_TOOL_CXX, OBB_TOOL_ASSEMBLER, OBB_TOOL_ARCHIVER, OBB_TOOL_INTEL_ASSEMBLER,
    OBB_TOOL_LINKER, OBB_TOOL_COPIER, OBB_TOOL_DEBUGGER, OBB_ROLE_COUNT
} obb_role;

typedef enum obb_family {
    OBB_FAMILY_UNKNOWN,
    OBB_FAMILY_GCC,
    OBB_FAMILY_CLANG,
    OBB_FAMILY_CUSTOM
} obb_family;

typedef struct obb_tool {
    obb_role role;
    const char *role_name; /* "C compiler" */
    const char *wanted;    /* the name that was looked for */
    const char *variable;  /* the environment variable that can name another */
    bool from_variable;
    obb_words command;     /* its path and the words that always follow; empty: not found */
    obb_words more;        /* words behind its path that may name further programs, and files */
    const char *version;   /* one line; set once asked */
    const char *target;    /* the machine it compiles for, as a triplet; "" if it has none */
    obb_family family;
    const char *program_folders; /* where a driver looks for programs, with `:` between; set once asked */
    obb_fingerprint identity;    /* changes whenever the tool does */
    bool asked;
} obb_tool;

/* How a setting is spelt for a custom toolchain: `word` is include, define, lib, a setting,
 * or SETTING=VALUE. */
typedef struct obb_spelling {
    const char *word, *text; /* with {path}, {name}, {value} in it */
} obb_spelling;

/* A toolchain that is described by its commands (family custom). A command that is not stated
 * has no words. */
typedef struct obb_custom {
    obb_words compile_c, compile_cxx, assemble, archive, link;
    OBB_VEC(obb_spelling) spellings;
    obb_words macros;  /* NAME=VALUE that the compiler defines */
    obb_words search;  /* folders that it searches for headers */
    obb_words byproducts;  /* suffixes of files that a compile leaves beside its object */
} obb_custom;

typedef struct obb_toolchain {
    const char *name;
    obb_place place;           /* where it is described; line 0: built in */
    obb_arena *arena;
    obb_files *files;
    obb_memo memo;
    const char *prefix;        /* "" for none */
    const char *least;         /* the oldest version accepted; or NULL */
    obb_custom *custom;        /* NULL: of a known family */
    const char *object_suffix, *library_suffix, *shared_suffix, *program_suffix; /* NULL: the usual */
    obb_tool tools[OBB_ROLE_COUNT];
    obb_words library_folders; /* where the linker looks; set once a C or C++ tool is asked */
    obb_map machine_folders;   /* the same for flags that choose a machine: obb_words */
    obb_map support_libraries; /* by such flags: path */
    obb_map dialects;
    obb_map linkings;          /* obb_linking (linking.h), by what decides them */
    obb_map packages;          /* what has a file, as people list it (packages.h); "" for nothing */
    size_t questions;          /* how many processes were started to ask */
    bool unsure; /* one of them was ended by a signal or not started: nothing is remembered any more */
    int trouble; /* an errno value: why one could not be started, for want of descriptors or memory */
} obb_toolchain;

/* The toolchain of this machine: cc, c++, ar, nasm ... on PATH, or what CC, CXX, AR, NASM, LD
 * and OBJCOPY name. Nothing is asked yet. */
obb_toolchain *obb_toolchain_host(obb_arena *arena, obb_files *files, obb_memo memo);
void obb_toolchain_free(obb_toolchain *toolchain);

/* All toolchains of one run. */
typedef struct obb_toolchains {
    obb_arena *arena;
    obb_files *files;
    obb_memo memo;
    obb_map known; /* obb_toolchain, by what is stated of them */
} obb_toolchains;

obb_toolchains *obb_toolchains_new(obb_arena *arena, obb_files *files, obb_memo memo);
void obb_toolchains_free(obb_toolchains *toolchains);

/* The one that a variant is built with; the same for variants that state the same of it. Any
 * tool of a toolchain called NAME can be named by the environment: NAME_CC and so on, in
 * capitals. */
obb_toolchain *obb_toolchains_for(obb_toolchains *toolchains, const obb_variant *variant);

/* The tool, asked; NULL with an error in `diags` when it is missing or gives no answer.
 * `who` needs it, `place` says where that is stated. */
const obb_tool *obb_toolchain_need(obb_toolchain *toolchain, obb_role role, const char *who,
                                   obb_place place, obb_diags *diags);

/* Runs programs to ask them what only they know; see obb_ask_all. When one could not be started for want of
 * descriptors, memory or processes, no later answer is remembered. */
void obb_toolchain_ask_all(obb_toolchain *toolchain, const char *const *const *argvs, size_t count,
                           const char *input, obb_answer *answers);
obb_answer obb_toolchain_ask(obb_toolchain *toolchain, const char *const *argv, const char *input);
void obb_toolchain_remember(obb_toolchain *toolchain, obb_fingerprint key, const void *answer, size_t length);

/* True when that happened: adds one error in place of all others, since a plan without answers means nothing.
 */
bool obb_toolchains_tell_trouble(const obb_toolchains *toolchains, obb_diags *diags);

/* Takes a toolchain that was made elsewhere into the set, which releases it. */
void obb_toolchains_adopt(obb_toolchains *toolchains, obb_toolchain *toolchain);

obb_role obb_role_of(obb_language language);

/* Where the linker looks for libraries with these flags: those that choose a machine, a
 * system root or a set of specifications change it. The tool must have been asked. */
const obb_words *obb_toolchain_library_folders(obb_toolchain *toolchain, const obb_tool *tool,
                                               const obb_words *flags);

/* The plug-in by which GNU ar reads objects that are compiled when they are linked (-flto); NULL: the
 * compiler has none. */
const char *obb_toolchain_archive_plugin(obb_toolchain *toolchain, const obb_tool *compiler);

/* The compiler's own support library (integer division and its like) for these flags, or
 * NULL. */
const char *obb_toolchain_support_library(obb_toolchain *toolchain, const obb_tool *tool,
                                          const obb_words *flags);

/* The language standards that a C or C++ compiler takes ("c99 c11 c17"), by asking it to
 * preprocess nothing; "" for other tools. */
const char *obb_toolchain_standards(obb_toolchain *toolchain, const obb_tool *tool, obb_arena *arena);

/* The Debian package of a tool; NULL of one for another machine that Debian has none for, of one that is
 * named by its path, and of one that is described by its commands. */
const char *obb_tool_package(obb_arena *arena, const obb_toolchain *toolchain, const obb_tool *tool);

/* The environment variables that name tools: NAME_CC, CC and so on, with their values. */
void obb_tool_environment(obb_hasher *hasher);

/* The environment variables that change what compilers, assemblers and archivers make, with their values; and
 * those that change links alone. */
void obb_compiler_environment(obb_hasher *hasher);
void obb_linker_environment(obb_hasher *hasher);

/* The same as one table: names, ends with NULL. */
extern const char *const obb_compiler_variables[], *const obb_linker_variables[];

#endif
