/* The table of all words of the language. The order of rows is the order in which hints list them. */
#include "project/vocabulary.h"

#include <string.h>

enum {
    PARTS = OBB_IN_TOOLCHAIN | OBB_IN_PLATFORM | OBB_IN_CONFIGURATION,
    EVERYWHERE = OBB_IN_PROJECT | PARTS | OBB_IN_TARGET | OBB_IN_SHARE | OBB_IN_USERS | OBB_IN_FOR,
    LINKING = (EVERYWHERE & ~OBB_IN_FOR) | OBB_IN_THIRDPARTY,
    MADE = OBB_IN_TARGET | OBB_IN_IMAGE,
    ANY = MADE | OBB_IN_STEP,
    CONDITIONAL = EVERYWHERE | OBB_IN_THIRDPARTY | OBB_IN_IMAGE | OBB_IN_STEP | OBB_IN_CHECKS |
                  OBB_IN_SETTINGS | OBB_IN_DELIVERY
};

static const obb_vocable words[] = {
    {"project", OBB_W_PROJECT, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"read", OBB_W_READ, OBB_IN_TOP, OBB_TAKES_ONE},
    {"let", OBB_W_LET, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"axis", OBB_W_AXIS, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"toolchain", OBB_W_TOOLCHAIN, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"platform", OBB_W_PLATFORM, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"configuration", OBB_W_CONFIGURATION, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"lineup", OBB_W_LINEUP, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"program", OBB_W_PROGRAM, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"library", OBB_W_LIBRARY, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"group", OBB_W_GROUP, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"image", OBB_W_IMAGE, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"runner", OBB_W_RUNNER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"test", OBB_W_TEST, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"step", OBB_W_STEP, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"device", OBB_W_DEVICE, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"launch", OBB_W_LAUNCH, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"checks", OBB_W_CHECKS, OBB_IN_TOP, OBB_TAKES_BLOCK},
    {"settings", OBB_W_SETTINGS, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"thirdparty", OBB_W_THIRDPARTY, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"index", OBB_W_INDEX, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"at", OBB_W_AT, OBB_IN_INDEX, OBB_TAKES_LIST},
    {"delivery", OBB_W_DELIVERY, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"programs", OBB_W_PROGRAMS, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"libraries", OBB_W_LIBRARIES, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"plug-ins", OBB_W_PLUG_INS, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"images", OBB_W_IMAGES, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"developer-files", OBB_W_DEVELOPER_FILES, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"files", OBB_W_FILES, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"manuals", OBB_W_MANUALS, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"licences", OBB_W_LICENCES, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"needs", OBB_W_NEEDS_DELIVERY, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"maintainer", OBB_W_MAINTAINER, OBB_IN_DELIVERY | OBB_IN_PROJECT, OBB_TAKES_ONE},
    {"description", OBB_W_DESCRIPTION, OBB_IN_DELIVERY, OBB_TAKES_ONE},
    {"depends", OBB_W_DEPENDS, OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"licence", OBB_W_LICENCE, OBB_IN_PROJECT, OBB_TAKES_ONE},
    {"version", OBB_W_VERSION, OBB_IN_PROJECT, OBB_TAKES_ONE},
    {"far-store", OBB_W_FAR_STORE, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"trust", OBB_W_TRUST, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"version", OBB_W_VERSION, OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"summary", OBB_W_SUMMARY,
     OBB_IN_PROJECT | PARTS | ANY | OBB_IN_AXIS | OBB_IN_RUNNER | OBB_IN_DEVICE | OBB_IN_LAUNCH |
         OBB_IN_DELIVERY,
     OBB_TAKES_ONE},
    {"needs", OBB_W_NEEDS, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"default", OBB_W_DEFAULT, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"header", OBB_W_HEADER, OBB_IN_PROJECT, OBB_TAKES_ONE},
    {"values", OBB_W_VALUES, OBB_IN_AXIS, OBB_TAKES_LIST},
    {"default", OBB_W_INITIAL, OBB_IN_AXIS, OBB_TAKES_ONE},
    {"define", OBB_W_MACRO, OBB_IN_AXIS, OBB_TAKES_LIST},
    {"like", OBB_W_LIKE, PARTS, OBB_TAKES_ONE},
    {"set", OBB_W_SET, OBB_IN_PLATFORM | OBB_IN_CONFIGURATION | OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"toolchain", OBB_W_USES_TOOLCHAIN, OBB_IN_PLATFORM, OBB_TAKES_ONE},
    {"runner", OBB_W_USES_RUNNER, OBB_IN_PLATFORM, OBB_TAKES_ONE},
    {"library-folder", OBB_W_LIBRARY_FOLDER, OBB_IN_PLATFORM, OBB_TAKES_ONE},
    {"memory", OBB_W_MEMORY, OBB_IN_PLATFORM, OBB_TAKES_LIST},
    {"budget", OBB_W_BUDGET, OBB_IN_PLATFORM | OBB_IN_CONFIGURATION | OBB_IN_PROGRAM, OBB_TAKES_LIST},
    {"run", OBB_W_RUN, OBB_IN_RUNNER, OBB_TAKES_LIST},
    {"success", OBB_W_SUCCESS, OBB_IN_RUNNER, OBB_TAKES_ONE},
    {"debug", OBB_W_DEBUG, OBB_IN_RUNNER, OBB_TAKES_LIST},
    {"run-image", OBB_W_RUN_IMAGE, OBB_IN_RUNNER, OBB_TAKES_LIST},
    {"debug-image", OBB_W_DEBUG_IMAGE, OBB_IN_RUNNER, OBB_TAKES_LIST},
    {"family", OBB_W_FAMILY, OBB_IN_TOOLCHAIN, OBB_TAKES_ONE},
    {"prefix", OBB_W_PREFIX, OBB_IN_TOOLCHAIN, OBB_TAKES_ONE},
    {"least", OBB_W_LEAST, OBB_IN_TOOLCHAIN, OBB_TAKES_ONE},
    {"c", OBB_W_TOOL_C, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"c++", OBB_W_TOOL_CXX, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"assembler", OBB_W_TOOL_ASSEMBLER, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"intel-assembler", OBB_W_TOOL_INTEL, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"linker", OBB_W_TOOL_LINKER, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"archiver", OBB_W_TOOL_ARCHIVER, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"object-copier", OBB_W_TOOL_COPIER, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"debugger", OBB_W_TOOL_DEBUGGER, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"compile", OBB_W_COMPILE, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"assemble", OBB_W_ASSEMBLE, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"archive", OBB_W_ARCHIVE, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"link", OBB_W_LINK, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"spell", OBB_W_SPELL, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"suffix", OBB_W_SUFFIX, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"set-macros", OBB_W_SET_MACROS, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"search", OBB_W_SEARCH, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"beside", OBB_W_BESIDE, OBB_IN_TOOLCHAIN, OBB_TAKES_LIST},
    {"sources", OBB_W_SOURCES, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"resources", OBB_W_RESOURCES, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"except", OBB_W_EXCEPT, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"uses", OBB_W_USES, OBB_IN_TARGET | OBB_IN_SHARE | OBB_IN_SETTINGS, OBB_TAKES_LIST},
    {"like", OBB_W_LIKE_SETTINGS, OBB_IN_TARGET | OBB_IN_SETTINGS, OBB_TAKES_LIST},
    {"each", OBB_W_EACH, ANY, OBB_TAKES_LIST},
    {"each-of", OBB_W_EACH, ANY, OBB_TAKES_LIST},
    {"share", OBB_W_SHARE, OBB_IN_LIBRARY, OBB_TAKES_BLOCK},
    {"users", OBB_W_USERS, OBB_IN_LIBRARY, OBB_TAKES_BLOCK},
    {"kind", OBB_W_KIND, OBB_IN_LIBRARY, OBB_TAKES_ONE},
    {"whole", OBB_W_WHOLE, OBB_IN_LIBRARY, OBB_TAKES_ONE},
    {"soname", OBB_W_SONAME, OBB_IN_LIBRARY, OBB_TAKES_LIST},
    {"needs", OBB_W_NEEDS_TARGET, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"link-order", OBB_W_LINK_ORDER, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"for", OBB_W_FOR, OBB_IN_TARGET, OBB_TAKES_LIST_BLOCK},
    {"optional", OBB_W_OPTIONAL, ANY, OBB_TAKES_ONE},
    {"executable", OBB_W_EXECUTABLE, OBB_IN_PROGRAM, OBB_TAKES_ONE},
    {"output", OBB_W_OUTPUT, MADE, OBB_TAKES_ONE},
    {"from", OBB_W_FROM, OBB_IN_IMAGE, OBB_TAKES_ONE},
    {"from", OBB_W_FROM_PLACE, OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"describe", OBB_W_DESCRIBE, OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"licence", OBB_W_LICENCE, OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"build", OBB_W_BUILD, OBB_IN_THIRDPARTY, OBB_TAKES_BLOCK},
    {"run", OBB_W_STEP_RUN, OBB_IN_BUILD, OBB_TAKES_LIST},
    {"reads", OBB_W_READS, OBB_IN_BUILD, OBB_TAKES_LIST},
    {"env", OBB_W_ENV, OBB_IN_BUILD, OBB_TAKES_LIST},
    {"offers", OBB_W_OFFERS, OBB_IN_BUILD, OBB_TAKES_LIST_BLOCK},
    {"at", OBB_W_OFFERED_AT, OBB_IN_OFFER, OBB_TAKES_ONE},
    {"archive", OBB_W_OFFERED_ARCHIVE, OBB_IN_OFFER, OBB_TAKES_ONE},
    {"shared", OBB_W_OFFERED_SHARED, OBB_IN_OFFER, OBB_TAKES_ONE},
    {"headers", OBB_W_OFFERED_HEADERS, OBB_IN_OFFER, OBB_TAKES_LIST},
    {"include", OBB_W_OFFERED_INCLUDE, OBB_IN_OFFER, OBB_TAKES_LIST},
    {"libs", OBB_W_OFFERED_LIBS, OBB_IN_OFFER, OBB_TAKES_LIST},
    {"uses", OBB_W_USES, OBB_IN_OFFER, OBB_TAKES_LIST},
    {"own-headers", OBB_W_OWN_HEADERS, OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"configuration", OBB_W_IN_CONFIGURATION, OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"prebuilt", OBB_W_PREBUILT, OBB_IN_THIRDPARTY, OBB_TAKES_LIST_BLOCK},
    {"from", OBB_W_FROM_PLACE, OBB_IN_PREBUILT, OBB_TAKES_LIST},
    {"sha256", OBB_W_SHA256, OBB_IN_PREBUILT, OBB_TAKES_ONE},
    {"offers", OBB_W_OFFERS, OBB_IN_PREBUILT, OBB_TAKES_LIST_BLOCK},
    {"system", OBB_W_SYSTEM, OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"prefer", OBB_W_PREFER, OBB_IN_PROJECT | OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"sha256", OBB_W_SHA256, OBB_IN_THIRDPARTY, OBB_TAKES_ONE},
    {"needs", OBB_W_NEEDS_OTHER, OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"patch", OBB_W_PATCH, OBB_IN_THIRDPARTY, OBB_TAKES_LIST},
    {"formats", OBB_W_FORMATS, OBB_IN_IMAGE, OBB_TAKES_LIST},
    {"fill", OBB_W_FILL, OBB_IN_IMAGE, OBB_TAKES_ONE},
    {"place", OBB_W_PLACE, OBB_IN_IMAGE, OBB_TAKES_LIST},
    {"pad-to", OBB_W_PAD_TO, OBB_IN_IMAGE, OBB_TAKES_ONE},
    {"when", OBB_W_WHEN, CONDITIONAL, OBB_TAKES_LIST_BLOCK},
    {"choose", OBB_W_CHOOSE, CONDITIONAL, OBB_TAKES_LIST_BLOCK},
    {"only", OBB_W_ONLY, OBB_IN_TOP | ANY | OBB_IN_DELIVERY, OBB_TAKES_LIST},
    {"refuse", OBB_W_REFUSE, OBB_IN_PROJECT | OBB_IN_THIRDPARTY | PARTS | ANY | OBB_IN_SHARE, OBB_TAKES_ONE},
    {"before", OBB_W_BEFORE, OBB_IN_TARGET, OBB_TAKES_BLOCK},
    {"after", OBB_W_AFTER, OBB_IN_TARGET, OBB_TAKES_BLOCK},
    {"reads", OBB_W_READS, OBB_IN_STEP | OBB_IN_TEST, OBB_TAKES_LIST},
    {"makes", OBB_W_MAKES, OBB_IN_STEP, OBB_TAKES_LIST},
    {"run", OBB_W_STEP_RUN, OBB_IN_STEP | OBB_IN_TEST, OBB_TAKES_LIST},
    {"copy", OBB_W_COPY, OBB_IN_STEP, OBB_TAKES_LIST},
    {"move", OBB_W_MOVE, OBB_IN_STEP, OBB_TAKES_LIST},
    {"join", OBB_W_JOIN, OBB_IN_STEP, OBB_TAKES_LIST},
    {"fill", OBB_W_FILL_FILE, OBB_IN_STEP, OBB_TAKES_LIST},
    {"fill-in", OBB_W_FILL_IN, OBB_IN_STEP, OBB_TAKES_LIST},
    {"hash", OBB_W_HASH, OBB_IN_STEP, OBB_TAKES_LIST},
    {"write-text", OBB_W_WRITE_TEXT, OBB_IN_STEP, OBB_TAKES_LIST},
    {"in", OBB_W_IN, OBB_IN_STEP | OBB_IN_TEST | OBB_IN_LAUNCH, OBB_TAKES_ONE},
    {"env", OBB_W_ENV, OBB_IN_STEP | OBB_IN_TEST | OBB_IN_LAUNCH, OBB_TAKES_LIST},
    {"apart", OBB_W_APART, OBB_IN_STEP, OBB_TAKES_ONE},
    {"anywhere", OBB_W_ANYWHERE, OBB_IN_STEP, OBB_TAKES_ONE},
    {"reports-reads", OBB_W_REPORTS_READS, OBB_IN_STEP, OBB_TAKES_ONE},
    {"args", OBB_W_ARGS, OBB_IN_TEST | OBB_IN_LAUNCH, OBB_TAKES_LIST},
    {"expect", OBB_W_EXPECT, OBB_IN_TEST, OBB_TAKES_LIST},
    {"cases", OBB_W_CASES, OBB_IN_TEST, OBB_TAKES_LIST},
    {"timeout", OBB_W_TIMEOUT, OBB_IN_TEST, OBB_TAKES_ONE},
    {"program", OBB_W_TESTED, OBB_IN_TEST | OBB_IN_LAUNCH, OBB_TAKES_ONE},
    {"image", OBB_W_LAUNCHED_IMAGE, OBB_IN_LAUNCH, OBB_TAKES_ONE},
    {"header", OBB_W_CHECK + OBB_CHECK_HEADER, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"function", OBB_W_CHECK + OBB_CHECK_FUNCTION, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"member", OBB_W_CHECK + OBB_CHECK_MEMBER, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"type", OBB_W_CHECK + OBB_CHECK_TYPE, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"size", OBB_W_CHECK + OBB_CHECK_SIZE, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"constant", OBB_W_CHECK + OBB_CHECK_CONSTANT, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"compiles", OBB_W_CHECK + OBB_CHECK_COMPILES, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"flag", OBB_W_CHECK + OBB_CHECK_FLAG, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"language", OBB_W_LANGUAGE, OBB_IN_CHECKS, OBB_TAKES_ONE},
    {"into", OBB_W_INTO, OBB_IN_CHECKS, OBB_TAKES_ONE},
    {"template", OBB_W_TEMPLATE, OBB_IN_CHECKS, OBB_TAKES_LIST},
    {"probe", OBB_W_PROBE, OBB_IN_DEVICE, OBB_TAKES_LIST},
    {"load", OBB_W_LOAD, OBB_IN_DEVICE, OBB_TAKES_LIST},
    {"verify", OBB_W_VERIFY, OBB_IN_DEVICE, OBB_TAKES_LIST},
    {"reset", OBB_W_RESET, OBB_IN_DEVICE, OBB_TAKES_LIST},
};

enum { COUNT = sizeof words / sizeof *words };

static obb_takes setting_takes(obb_setting_shape shape)
{
    switch (shape) {
    case OBB_ONE: case OBB_ONE_FILE: return OBB_TAKES_ONE;
    case OBB_SET: return OBB_TAKES_SET;
    default: return OBB_TAKES_LIST;
    }
}

static bool for_links(int setting)
{
    return setting == OBB_SET_LINK_FLAGS || setting >= OBB_SET_STDLIB;
}

/* A setting as a word, from the table of settings. */
static obb_vocable setting_word(int id)
{
    return (obb_vocable){obb_setting_infos[id].word, (obb_word_id)id,
                         for_links(id) ? LINKING | OBB_IN_SETTINGS
                                       : EVERYWHERE | OBB_IN_CHECKS | OBB_IN_SETTINGS | OBB_IN_THIRDPARTY,
                         setting_takes(obb_setting_infos[id].shape)};
}

static const char *word_at(int i)
{
    return i < COUNT ? words[i].word : obb_setting_infos[i - COUNT].word;
}

enum { LETTERS = 256, ALL = COUNT + OBB_SETTING_COUNT };

/* All words by their first letters, in the order of the table: each word of a description is looked for. Rows
 * are counted from 1; 0 ends a list. */
static const struct by_letter {
    short first[LETTERS], next[ALL + 1];
} * by_letter(void)
{
    static struct by_letter index;
    static bool ready;
    for (int i = ALL; i > 0 && !ready; i--) {
        short *first = &index.first[(unsigned char)*word_at(i - 1)];
        index.next[i] = *first;
        *first = (short)i;
    }
    ready = true;
    return &index;
}

bool obb_vocable_find(const char *word, obb_where where, obb_vocable *found)
{
    const struct by_letter *index = by_letter();
    for (int row = index->first[(unsigned char)*word]; row; row = index->next[row]) {
        int i = row - 1;
        if (strcmp(word_at(i), word) != 0)
            continue;
        *found = i < COUNT ? words[i] : setting_word(i - COUNT);
        if (found->where & where)
            return true;
    }
    return false;
}

unsigned obb_vocable_places(const char *word)
{
    unsigned places = 0;
    for (int i = 0; i < COUNT; i++)
        if (strcmp(words[i].word, word) == 0)
            places |= words[i].where;
    for (int i = 0; i < OBB_SETTING_COUNT; i++)
        if (strcmp(obb_setting_infos[i].word, word) == 0)
            places |= setting_word(i).where;
    return places;
}

void obb_vocable_list(obb_where where, const char **room)
{
    size_t n = 0;
    for (int i = 0; i < COUNT; i++)
        if (words[i].where & where)
            room[n++] = words[i].word;
    for (int i = 0; i < OBB_SETTING_COUNT; i++)
        if (setting_word(i).where & where)
            room[n++] = obb_setting_infos[i].word;
    room[n] = NULL;
}

const char *obb_where_name(obb_where where)
{
    switch (where) {
    case OBB_IN_TOP: return "the top level";
    case OBB_IN_PROJECT: return "`project`";
    case OBB_IN_CONFIGURATION: return "`configuration`";
    case OBB_IN_PROGRAM: return "`program`";
    case OBB_IN_LIBRARY: return "`library`";
    case OBB_IN_SHARE: return "`share`";
    case OBB_IN_USERS: return "`users`";
    case OBB_IN_FOR: return "`for`";
    case OBB_IN_AXIS: return "`axis`";
    case OBB_IN_TOOLCHAIN: return "`toolchain`";
    case OBB_IN_PLATFORM: return "`platform`";
    case OBB_IN_IMAGE: return "`image`";
    case OBB_IN_RUNNER: return "`runner`";
    case OBB_IN_STEP: return "`step`";
    case OBB_IN_TEST: return "`test`";
    case OBB_IN_DEVICE: return "`device`";
    case OBB_IN_LAUNCH: return "`launch`";
    case OBB_IN_CHECKS: return "`checks`";
    case OBB_IN_SETTINGS: return "`settings`";
    case OBB_IN_THIRDPARTY: return "`thirdparty`";
    case OBB_IN_INDEX: return "`index`";
    case OBB_IN_BUILD: return "`build`";
    case OBB_IN_OFFER: return "`offers`";
    case OBB_IN_PREBUILT: return "`prebuilt`";
    case OBB_IN_DELIVERY: return "`delivery`";
    default: return "a target";
    }
}

#define FACTS "out", "variant", "axis:", "region:"

const char *const obb_fact_names[] = {FACTS, NULL};

const char *const *obb_vocable_placeholders(obb_word_id id)
{
    static const char *const of_runners[] = {"program", "image", "arguments", "port", FACTS, NULL};
    static const char *const of_compiles[] = {"source", "object", "includes", "defines", "flags", NULL};
    static const char *const of_archives[] = {"library", "objects", NULL};
    static const char *const of_links[] = {"program", "objects", "libraries", "flags", NULL};
    static const char *const of_spelling[] = {"path", "name", "value", NULL};
    static const char *const of_steps[] = {
        "reads", "makes",     "makes.dir", "source",         "product",             "reports-reads", "tool:",
        "product:", "made:",  "c",         "c++",            "assembler",           "archiver",      "linker",
        "object-copier",      "compile-words:",              "compile-words-file:", "build", "prefix",
        "jobs",     "target",    "c-flags",   "cxx-flags",    "link-flags",          FACTS,           NULL};
    static const char *const of_patterns[] = {"axis:", NULL};
    static const char *const of_cases[] = {"case", NULL};
    static const char *const of_places[] = {"name", "version", NULL};
    static const char *const of_devices[] = {"image", "address", "tool:", FACTS, NULL};
    if ((int)id < OBB_SETTING_COUNT)
        return obb_fact_names;
    switch (id) {
    case OBB_W_RUN: case OBB_W_DEBUG: case OBB_W_RUN_IMAGE: case OBB_W_DEBUG_IMAGE: return of_runners;
    case OBB_W_FROM_PLACE: return of_places;
    case OBB_W_COMPILE: case OBB_W_ASSEMBLE: return of_compiles;
    case OBB_W_ARCHIVE: return of_archives;
    case OBB_W_LINK: return of_links;
    case OBB_W_SPELL: return of_spelling;
    case OBB_W_STEP_RUN:
    case OBB_W_COPY:
    case OBB_W_MOVE:
    case OBB_W_JOIN:
    case OBB_W_FILL_FILE:
    case OBB_W_FILL_IN:
    case OBB_W_HASH:
    case OBB_W_WRITE_TEXT: case OBB_W_IN: case OBB_W_ENV: case OBB_W_ARGS: return of_steps;
    case OBB_W_SOURCES: case OBB_W_EXCEPT: case OBB_W_RESOURCES: case OBB_W_READS: return of_patterns;
    case OBB_W_CASES: return of_cases;
    case OBB_W_PROBE: case OBB_W_LOAD: case OBB_W_VERIFY: case OBB_W_RESET: return of_devices;
    default: return NULL;
    }
}
