/* Environment variables that change the output of tools. */
#include "toolchain/toolchain.h"

#include <stdlib.h>

/* What the manuals name (GCC manual 3.21, Environment Variables Affecting GCC; Clang's manual, Environment;
 * GNU ld manual 2.2; NASM manual 2.1.34), except for what changes messages alone (LANG, LC_*, GCC_COLORS,
 * TMPDIR) or asks for reports (SUNPRO_DEPENDENCIES, DEPENDENCIES_OUTPUT, CC_PRINT_*). */
const char *const obb_compiler_variables[] = {"CPATH",
                                              "C_INCLUDE_PATH",
                                              "CPLUS_INCLUDE_PATH",
                                              "OBJC_INCLUDE_PATH",
                                              "LIBRARY_PATH",
                                              "GCC_EXEC_PREFIX",
                                              "COMPILER_PATH",
                                              "GCC_COMPARE_DEBUG",
                                              "SOURCE_DATE_EPOCH",
                                              "CCC_OVERRIDE_OPTIONS",
                                              "CCC_ADD_ARGS",
                                              "CLANG_CONFIG_FILE_SYSTEM_DIR",
                                              "CLANG_CONFIG_FILE_USER_DIR",
                                              "CLANG_NO_DEFAULT_CONFIG",
                                              "SDKROOT",
                                              "MACOSX_DEPLOYMENT_TARGET",
                                              "IPHONEOS_DEPLOYMENT_TARGET",
                                              "GNUTARGET",
                                              "ZERO_AR_DATE",
                                              "NASMENV",
                                              NULL};
const char *const obb_linker_variables[] = {"LD_RUN_PATH", "LD_LIBRARY_PATH", "LDEMULATION",
                                            "COLLECT_NO_DEMANGLE", NULL};

static void add_variables(obb_hasher *hasher, const char *const *names)
{
    for (; *names; names++)
        obb_hasher_string(hasher, getenv(*names));
}

void obb_compiler_environment(obb_hasher *hasher)
{
    add_variables(hasher, obb_compiler_variables);
}

void obb_linker_environment(obb_hasher *hasher)
{
    add_variables(hasher, obb_linker_variables);
}
