/* What a file is, by the suffix of its name. */
#ifndef OBB_PROJECT_LANGUAGE_H
#define OBB_PROJECT_LANGUAGE_H

#include <stdbool.h>

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

/* What is linked as it is: an object, an archive. */
bool obb_is_object(const char *path);
bool obb_is_archive(const char *path);

const char *obb_language_name(obb_language language);

#endif
