/* The words that a description may use, where each may stand and what it takes. One table,
 * used for checking, for hints and for help. Only src/project uses this header. */
#ifndef OBB_PROJECT_VOCABULARY_H
#define OBB_PROJECT_VOCABULARY_H

#include "project/check.h"

typedef enum obb_where {
    OBB_IN_TOP = 1, OBB_IN_PROJECT = 2, OBB_IN_CONFIGURATION = 4, OBB_IN_PROGRAM = 8,
    OBB_IN_LIBRARY = 16, OBB_IN_SHARE = 32, OBB_IN_USERS = 64, OBB_IN_FOR = 128,
    OBB_IN_AXIS = 256, OBB_IN_TOOLCHAIN = 512, OBB_IN_PLATFORM = 1024, OBB_IN_IMAGE = 2048,
    OBB_IN_RUNNER = 4096, OBB_IN_STEP = 8192, OBB_IN_TEST = 16384, OBB_IN_DEVICE = 32768,
    OBB_IN_LAUNCH = 65536, OBB_IN_CHECKS = 131072, OBB_IN_SETTINGS = 262144, OBB_IN_THIRDPARTY = 524288,
    OBB_IN_INDEX = 1048576, OBB_IN_BUILD = 2097152, OBB_IN_OFFER = 4194304,
    OBB_IN_PREBUILT = 8388608, OBB_IN_DELIVERY = 16777216,
    OBB_IN_LAST = OBB_IN_DELIVERY,
    OBB_IN_TARGET = OBB_IN_PROGRAM | OBB_IN_LIBRARY | OBB_IN_TEST
} obb_where;

typedef enum obb_takes {
    OBB_TAKES_ONE,        /* one value */
    OBB_TAKES_SET,        /* words out of the allowed ones */
    OBB_TAKES_LIST,       /* values, or a block of them */
    OBB_TAKES_BLOCK,      /* a block */
    OBB_TAKES_NAME_BLOCK, /* a name and a block */
    OBB_TAKES_NAME_LIST,  /* a name and values, or a block of them */
    OBB_TAKES_LIST_BLOCK  /* values and a block */
} obb_takes;

/* Numbers of words; those of settings are their obb_setting_id. */
typedef enum obb_word_id {
    OBB_W_PROJECT = OBB_SETTING_COUNT,
    OBB_W_READ,
    OBB_W_LET,
    OBB_W_CONFIGURATION,
    OBB_W_PROGRAM,
    OBB_W_LIBRARY,
    OBB_W_GROUP,
    OBB_W_VERSION,
    OBB_W_SUMMARY,
    OBB_W_NEEDS,
    OBB_W_DEFAULT,
    OBB_W_LIKE,
    OBB_W_SOURCES,
    OBB_W_EXCEPT,
    OBB_W_USES,
    OBB_W_SHARE,
    OBB_W_USERS,
    OBB_W_KIND,
    OBB_W_FOR,
    OBB_W_OPTIONAL,
    OBB_W_WHOLE,
    OBB_W_SONAME,
    OBB_W_NEEDS_TARGET,
    OBB_W_LINK_ORDER,
    OBB_W_OUTPUT,
    OBB_W_EXECUTABLE,
    OBB_W_AXIS,
    OBB_W_TOOLCHAIN,
    OBB_W_PLATFORM,
    OBB_W_LINEUP,
    OBB_W_RUNNER,
    OBB_W_IMAGE,
    OBB_W_WHEN,
    OBB_W_CHOOSE,
    OBB_W_ONLY,
    OBB_W_REFUSE,
    OBB_W_SET,
    OBB_W_HEADER,
    OBB_W_VALUES,
    OBB_W_INITIAL,
    OBB_W_MACRO,
    OBB_W_MEMORY,
    OBB_W_BUDGET,
    OBB_W_USES_RUNNER,
    OBB_W_LIBRARY_FOLDER,
    OBB_W_USES_TOOLCHAIN,
    OBB_W_RUN,
    OBB_W_DEBUG,
    OBB_W_RUN_IMAGE,
    OBB_W_DEBUG_IMAGE,
    OBB_W_LAUNCHED_IMAGE,
    OBB_W_FAMILY,
    OBB_W_PREFIX,
    OBB_W_LEAST,
    OBB_W_TOOL_C,
    OBB_W_TOOL_CXX,
    OBB_W_TOOL_ASSEMBLER,
    OBB_W_TOOL_INTEL,
    OBB_W_TOOL_LINKER,
    OBB_W_TOOL_ARCHIVER,
    OBB_W_TOOL_COPIER,
    OBB_W_TOOL_DEBUGGER,
    OBB_W_COMPILE,
    OBB_W_ASSEMBLE,
    OBB_W_ARCHIVE,
    OBB_W_LINK,
    OBB_W_SPELL,
    OBB_W_SUFFIX,
    OBB_W_SET_MACROS,
    OBB_W_SEARCH,
    OBB_W_BESIDE,
    OBB_W_TEST,
    OBB_W_STEP,
    OBB_W_DEVICE,
    OBB_W_LAUNCH,
    OBB_W_BEFORE,
    OBB_W_AFTER,
    OBB_W_READS,
    OBB_W_MAKES,
    OBB_W_STEP_RUN,
    OBB_W_COPY,
    OBB_W_MOVE,
    OBB_W_JOIN,
    OBB_W_FILL_FILE,
    OBB_W_FILL_IN,
    OBB_W_HASH,
    OBB_W_WRITE_TEXT,
    OBB_W_IN,
    OBB_W_ENV,
    OBB_W_REPORTS_READS,
    OBB_W_APART,
    OBB_W_ANYWHERE,
    OBB_W_BUILD,
    OBB_W_OFFERS,
    OBB_W_OFFERED_ARCHIVE,
    OBB_W_OFFERED_AT,
    OBB_W_OFFERED_SHARED,
    OBB_W_OFFERED_HEADERS,
    OBB_W_OFFERED_INCLUDE,
    OBB_W_OFFERED_LIBS,
    OBB_W_ARGS,
    OBB_W_EXPECT,
    OBB_W_CASES,
    OBB_W_TIMEOUT,
    OBB_W_TESTED,
    OBB_W_PROBE,
    OBB_W_LOAD,
    OBB_W_VERIFY,
    OBB_W_RESET,
    OBB_W_CHECKS,
    OBB_W_LANGUAGE,
    OBB_W_INTO,
    OBB_W_TEMPLATE,
    OBB_W_SETTINGS,
    OBB_W_LIKE_SETTINGS,
    OBB_W_EACH,
    OBB_W_RESOURCES,
    OBB_W_SUCCESS,
    OBB_W_CHECK, /* the kinds of checks follow, in the order of obb_check_kind */
    OBB_W_CHECK_LAST = OBB_W_CHECK + OBB_CHECK_KINDS - 1,
    OBB_W_FROM,
    OBB_W_FORMATS,
    OBB_W_FILL,
    OBB_W_PLACE,
    OBB_W_PAD_TO,
    OBB_W_THIRDPARTY,
    OBB_W_FROM_PLACE,
    OBB_W_DESCRIBE,
    OBB_W_LICENCE,
    OBB_W_SHA256,
    OBB_W_PATCH,
    OBB_W_SYSTEM,
    OBB_W_PREFER,
    OBB_W_PREBUILT,
    OBB_W_OWN_HEADERS,
    OBB_W_IN_CONFIGURATION,
    OBB_W_INDEX,
    OBB_W_AT,
    OBB_W_NEEDS_OTHER,
    OBB_W_DELIVERY,
    OBB_W_PROGRAMS,
    OBB_W_LIBRARIES,
    OBB_W_PLUG_INS,
    OBB_W_IMAGES,
    OBB_W_DEVELOPER_FILES,
    OBB_W_FILES,
    OBB_W_MANUALS,
    OBB_W_LICENCES,
    OBB_W_NEEDS_DELIVERY,
    OBB_W_MAINTAINER,
    OBB_W_FAR_STORE,
    OBB_W_TRUST,
    OBB_W_DESCRIPTION,
    OBB_W_DEPENDS,
    OBB_WORD_COUNT
} obb_word_id;

typedef struct obb_vocable {
    const char *word;
    obb_word_id id;
    unsigned where; /* obb_where, or-ed */
    obb_takes takes;
} obb_vocable;

/* The word in that place; false when it has none there. */
bool obb_vocable_find(const char *word, obb_where where, obb_vocable *found);

/* Where the word may stand, over all places; 0 when it is not a word of the language. */
unsigned obb_vocable_places(const char *word);

/* The words of a place, ending with NULL; `room` takes OBB_MOST_WORDS. */
enum { OBB_MOST_WORDS = 160 };
void obb_vocable_list(obb_where where, const char **room);

/* "a program", "the project block" ... */
const char *obb_where_name(obb_where where);

/* The `{name}` that stay in the values of a word, for when it is carried out; ends with
 * NULL. One that ends with a colon stands for all that begin so. NULL: none do. */
const char *const *obb_vocable_placeholders(obb_word_id id);

/* Those of them that depend on nothing but the variant (resolve/variant.h). */
extern const char *const obb_fact_names[];

#endif
