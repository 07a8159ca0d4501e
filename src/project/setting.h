/* Settings: the portable words that say how things are compiled and linked.
 *
 * One table row for each setting says how its values combine and what they may be; readers, spelling and
 * help all use it. A setting that is not in the table does not exist. */
#ifndef OBB_PROJECT_SETTING_H
#define OBB_PROJECT_SETTING_H

#include <stdbool.h>

#include "base/diag.h"
#include "base/vec.h"
#include "score/score.h"

typedef enum obb_setting_id {
    OBB_SET_INCLUDE,
    OBB_SET_DEFINE,
    OBB_SET_FLAGS,
    OBB_SET_C_FLAGS,
    OBB_SET_CXX_FLAGS,
    OBB_SET_ASM_FLAGS,
    OBB_SET_LINK_FLAGS,
    OBB_SET_STANDARD,
    OBB_SET_OPTIMIZE,
    OBB_SET_DEBUG_INFO,
    OBB_SET_WARNINGS,
    OBB_SET_SANITIZE,
    OBB_SET_LTO,
    OBB_SET_COVERAGE,
    OBB_SET_PIC,
    OBB_SET_FREESTANDING,
    OBB_SET_RED_ZONE,
    OBB_SET_STACK_PROTECTOR,
    OBB_SET_PIE,
    OBB_SET_DROP_UNUSED,
    OBB_SET_EXACT_TEXT,
    OBB_SET_STORE,
    OBB_SET_WITHOUT,
    OBB_SET_VISIBILITY,
    OBB_SET_STDLIB,
    OBB_SET_LINKER_SCRIPT,
    OBB_SET_EXPORTS,
    OBB_SET_DYNAMIC_LIST,
    OBB_SET_MAP,
    OBB_SET_RPATH,
    OBB_SET_ENTRY,
    OBB_SET_LINK_WITH,
    OBB_SET_LIBS,
    OBB_SET_METADATA,
    OBB_SETTING_COUNT
} obb_setting_id;

typedef enum obb_setting_shape {
    OBB_ONE,      /* one value; the last layer that states it wins */
    OBB_SET,      /* a few words that make one value together; the last layer wins */
    OBB_LIST,     /* values that add up */
    OBB_FOLDERS,  /* a list of folders, relative to the file that states them */
    OBB_ONE_FILE  /* one file, relative to the file that states it */
} obb_setting_shape;

typedef struct obb_setting_info {
    const char *word;
    obb_setting_shape shape;
    const char *const *allowed; /* ends with NULL; NULL: anything */
    const char *summary;
} obb_setting_info;

extern const obb_setting_info obb_setting_infos[OBB_SETTING_COUNT];

/* One value of one setting, where it was stated. */
typedef struct obb_setting {
    obb_setting_id id;
    const char *value;
    obb_place place;
    const struct obb_condition *condition; /* the condition it depends on (axis.h); NULL: none */
    bool has_facts; /* placeholders stand in its value, which each variant fills (resolve/variant.h) */
} obb_setting;

typedef OBB_VEC(obb_setting) obb_settings;

/* Of a language standard: 'c' or '+', or 0 when it is none. Any c89…c23, gnu89…gnu23,
 * c++98…c++26, gnu++98…gnu++26 that exists is one. */
int obb_standard_language(const char *standard);

#endif
