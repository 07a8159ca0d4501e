/* Merging settings: single values replace, lists add up, macros replace by name. */
#include "project/setting.h"

#include <string.h>

static const char *const optimize_words[] = {"none", "debug", "speed", "size", "most", NULL};
static const char *const debug_info_words[] = {"none", "lines", "full", NULL};
static const char *const warnings_words[] = {"none", "normal", "strict", "fatal", NULL};
static const char *const sanitize_words[] = {"none", "address", "undefined", "thread", "leak", NULL};
static const char *const yes_no[] = {"yes", "no", NULL};
static const char *const visibility_words[] = {"default", "hidden", NULL};
static const char *const stdlib_words[] = {"default", "no-start", "support", "none", NULL};
static const char *const link_with_words[] = {"c", "c++", "linker", NULL};

const obb_setting_info obb_setting_infos[OBB_SETTING_COUNT] = {
    [OBB_SET_INCLUDE] = {"include", OBB_FOLDERS, NULL, "folders to search for headers"},
    [OBB_SET_DEFINE] = {"define", OBB_LIST, NULL, "macros: NAME or NAME=VALUE"},
    [OBB_SET_FLAGS] = {"flags", OBB_LIST, NULL, "words for every compiler, as they are"},
    [OBB_SET_C_FLAGS] = {"c-flags", OBB_LIST, NULL, "words for the C compiler"},
    [OBB_SET_CXX_FLAGS] = {"cxx-flags", OBB_LIST, NULL, "words for the C++ compiler"},
    [OBB_SET_ASM_FLAGS] = {"asm-flags", OBB_LIST, NULL, "words for the assembler"},
    [OBB_SET_LINK_FLAGS] = {"link-flags", OBB_LIST, NULL, "words for the link"},
    [OBB_SET_STANDARD] = {"standard", OBB_LIST, NULL, "language standards: c11, c++17, gnu11 ..."},
    [OBB_SET_OPTIMIZE] = {"optimize", OBB_ONE, optimize_words, "what to optimise for"},
    [OBB_SET_DEBUG_INFO] = {"debug-info", OBB_ONE, debug_info_words, "how much a debugger is told"},
    [OBB_SET_WARNINGS] = {"warnings", OBB_SET, warnings_words,
                          "how much the compiler remarks; fatal: a warning fails"},
    [OBB_SET_SANITIZE] = {"sanitize", OBB_SET, sanitize_words, "checks built into the program"},
    [OBB_SET_LTO] = {"lto", OBB_ONE, yes_no, "optimise over the whole program when linking"},
    [OBB_SET_COVERAGE] = {"coverage", OBB_ONE, yes_no, "count what is executed"},
    [OBB_SET_PIC] = {"pic", OBB_ONE, yes_no, "position-independent code"},
    [OBB_SET_FREESTANDING] = {"freestanding", OBB_ONE, yes_no, "no operating system below"},
    [OBB_SET_RED_ZONE] = {"red-zone", OBB_ONE, yes_no, "no: nothing is kept below the stack pointer"},
    [OBB_SET_STACK_PROTECTOR] = {"stack-protector", OBB_ONE, yes_no, "checks that the stack was not overrun"},
    [OBB_SET_PIE] = {"pie", OBB_ONE, yes_no, "programs that may be loaded at any address"},
    [OBB_SET_DROP_UNUSED] = {"drop-unused", OBB_ONE, yes_no,
                             "functions and data that nobody uses are left out"},
    [OBB_SET_EXACT_TEXT] = {"exact-text", OBB_ONE, yes_no,
                            "yes: an edit of comments alone compiles anew, too"},
    [OBB_SET_STORE] = {"store", OBB_ONE, yes_no, "objects are kept for other builds of this machine"},
    [OBB_SET_WITHOUT] = {"without", OBB_LIST, NULL, "flags of earlier layers that are taken back"},
    [OBB_SET_VISIBILITY] = {"visibility", OBB_ONE, visibility_words,
                            "of names that do not say it themselves"},
    [OBB_SET_STDLIB] =
        {"stdlib", OBB_ONE, stdlib_words,
         "no-start: without start files; support: only the compiler's own library; none: nothing"},
    [OBB_SET_LINKER_SCRIPT] = {"linker-script", OBB_ONE_FILE, NULL, "the linker script"},
    [OBB_SET_EXPORTS] = {"exports", OBB_ONE_FILE, NULL, "which names a shared library or program exports"},
    [OBB_SET_DYNAMIC_LIST] = {"dynamic-list", OBB_ONE_FILE, NULL, "names that may be replaced at run time"},
    [OBB_SET_MAP] = {"map", OBB_ONE, yes_no, "yes: the linker writes a map beside its output"},
    [OBB_SET_RPATH] = {"rpath", OBB_LIST, NULL, "more folders to search for shared libraries at run time"},
    [OBB_SET_ENTRY] = {"entry", OBB_ONE, NULL, "the symbol that execution starts at"},
    [OBB_SET_LINK_WITH] = {"link-with", OBB_ONE, link_with_words, "who links: c, c++ or linker"},
    [OBB_SET_LIBS] = {"libs", OBB_LIST, NULL, "libraries of the system by plain name, others by path"},
    [OBB_SET_METADATA] = {"metadata", OBB_LIST, NULL, "libraries of the system that install a .pc file"},
};

int obb_standard_language(const char *standard)
{
    static const char *const c_years[] = {"89", "90", "99", "11", "17", "18", "23", "2x", NULL};
    static const char *const cxx_years[] = {"98", "03", "11", "14", "17", "20", "23", "26", "2a",
                                            "2b", "2c", NULL};
    const char *s = strncmp(standard, "gnu", 3) == 0 ? standard + 3
                    : standard[0] == 'c'             ? standard + 1
                                                     : NULL;
    bool plus = s && strncmp(s, "++", 2) == 0;
    if (!s)
        return 0;
    const char *const *years = plus ? cxx_years : c_years;
    for (s += plus ? 2 : 0; *years; years++)
        if (strcmp(s, *years) == 0)
            return plus ? '+' : 'c';
    return 0;
}
