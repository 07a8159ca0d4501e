/* What the words of commands say about files: one table of the options of compiler drivers, linkers
 * and assemblers that name files, folders or libraries (GCC manual, Option Summary; GNU ld manual 2.1,
 * Command-line Options; LLVM's Clang command line argument reference and lld manual; GNU as manual 2).
 *
 * Options that are in no row name no file, as far as is known; where a file of the project is named
 * whole behind `=` or `,` in such a word, it counts as one that is read.
 */
#ifndef OBB_TOOLCHAIN_OPTIONS_H
#define OBB_TOOLCHAIN_OPTIONS_H

#include "base/files.h"

typedef enum obb_option_kind {
    OBB_OPTION_OTHER,    /* none of those below; `value` is the word */
    OBB_OPTION_FILE,     /* a word that is not an option: a source, an object, a library, a script */
    OBB_OPTION_READS,    /* reads `value` */
    OBB_OPTION_SCRIPT,   /* reads a linker script, and what that names */
    OBB_OPTION_SPECS,    /* reads specifications of the driver */
    OBB_OPTION_RESPONSE, /* reads more words, which follow in the list */
    OBB_OPTION_PROGRAMS, /* a folder in which the driver looks for its programs and start files */
    OBB_OPTION_RUNS,     /* runs a program of this name */
    OBB_OPTION_SEARCH,   /* a folder that is searched for libraries */
    OBB_OPTION_LIBRARY,  /* a library, by the name behind -l */
    OBB_OPTION_RUN_PATH, /* folders with colons between, for libraries that libraries need */
    OBB_OPTION_STATIC, OBB_OPTION_DYNAMIC, /* from here on, libraries may not, may be shared ones */
    OBB_OPTION_SHARED,   /* a shared library is made */
    OBB_OPTION_RELOCATABLE,
    OBB_OPTION_EMULATION, OBB_OPTION_ROOT, /* of the linker: the machine; the folder of the system */
    OBB_OPTION_NAMES_NONE /* its value is not a file that is read */
} obb_option_kind;

typedef enum obb_option_reader {
    OBB_READ_BY_DRIVER,
    OBB_READ_BY_LINKER,
    OBB_READ_BY_ASSEMBLER
} obb_option_reader;

typedef struct obb_option {
    obb_option_kind kind;
    obb_option_reader reader;
    const char *word;  /* as it stands, or its part behind -Wl, */
    const char *value; /* what it names; "" when nothing */
    size_t first,
        count; /* the words of the command that say it; those of a response file: the word that names it */
} obb_option;

typedef OBB_VEC(obb_option) obb_options;

/* What the words of a command (without the program) say, in their order. Response files are read, and
 * what stands in them follows. Memory is the arena's. */
void obb_options_read(const obb_words *words, obb_option_reader reader, obb_files *files, obb_arena *arena,
                      obb_options *options);

/* Whether its value is the path of a file that is read. */
bool obb_option_names_file(const obb_option *option);

/* Files of the project that a word of no known meaning names behind `=` or `,`, or as a whole. */
void obb_option_guess(const obb_option *option, obb_files *files, obb_arena *arena, obb_file_list *found);

/* The words in a line or a response file: blanks part them, quotes and backslashes as in libiberty's
 * buildargv. */
void obb_split_command(const char *text, obb_arena *arena, obb_words *words);

#endif
