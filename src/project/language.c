/* Languages by suffix, and whether a name is that of a header. */
#include "project/language.h"

#include <string.h>

#include "base/path.h"

obb_language obb_language_of(const char *path)
{
    static const struct { const char *suffix; obb_language language; } known[] = {
        {".c", OBB_C}, {".cpp", OBB_CXX}, {".cc", OBB_CXX}, {".cxx", OBB_CXX}, {".c++", OBB_CXX},
        {".C", OBB_CXX}, {".S", OBB_ASM_CPP}, {".sx", OBB_ASM_CPP}, {".s", OBB_ASM},
        {".asm", OBB_ASM_INTEL}, {".nasm", OBB_ASM_INTEL}};
    const char *suffix = obb_path_suffix(path);
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strcmp(suffix, known[i].suffix) == 0)
            return known[i].language;
    return OBB_NO_LANGUAGE;
}

bool obb_is_header(const char *path)
{
    static const char *const known[] = {".h", ".hh", ".hpp", ".hxx", ".h++", ".H", ".inc", ".ipp", ".tpp"};
    const char *suffix = obb_path_suffix(path);
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strcmp(suffix, known[i]) == 0)
            return true;
    return false;
}

bool obb_is_object(const char *path)
{
    const char *suffix = obb_path_suffix(path);
    return strcmp(suffix, ".o") == 0 || strcmp(suffix, ".obj") == 0;
}

bool obb_is_archive(const char *path)
{
    const char *suffix = obb_path_suffix(path);
    return strcmp(suffix, ".a") == 0 || strcmp(suffix, ".lib") == 0;
}

const char *obb_language_name(obb_language language)
{
    static const char *const names[] = {"C", "C++", "assembly with preprocessing", "assembly",
                                        "Intel-syntax assembly", "none"};
    return names[language];
}
