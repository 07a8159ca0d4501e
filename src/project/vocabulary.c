#include "project/vocabulary.h"

#include <string.h>

enum {
    EVERYWHERE = OBB_IN_PROJECT | OBB_IN_CONFIGURATION | OBB_IN_TARGET | OBB_IN_SHARE |
                 OBB_IN_USERS | OBB_IN_FOR,
    LINKING = EVERYWHERE & ~OBB_IN_FOR,
    CONDITIONAL = OBB_IN_TARGET | OBB_IN_SHARE | OBB_IN_CONFIGURATION
};

static const obb_vocable words[] = {
    {"project", OBB_W_PROJECT, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"read", OBB_W_READ, OBB_IN_TOP, OBB_TAKES_ONE},
    {"let", OBB_W_LET, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"configuration", OBB_W_CONFIGURATION, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"program", OBB_W_PROGRAM, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"library", OBB_W_LIBRARY, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"group", OBB_W_GROUP, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"axis", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"toolchain", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"platform", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"lineup", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_LIST},
    {"test", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"image", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"step", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"runner", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"device", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"launch", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"thirdparty", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_NAME_BLOCK},
    {"install", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_BLOCK},
    {"package", OBB_W_LATER, OBB_IN_TOP, OBB_TAKES_BLOCK},
    {"version", OBB_W_VERSION, OBB_IN_PROJECT, OBB_TAKES_ONE},
    {"summary", OBB_W_SUMMARY, OBB_IN_PROJECT | OBB_IN_CONFIGURATION | OBB_IN_TARGET,
     OBB_TAKES_ONE},
    {"needs", OBB_W_NEEDS, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"default", OBB_W_DEFAULT, OBB_IN_PROJECT, OBB_TAKES_LIST},
    {"like", OBB_W_LIKE, OBB_IN_CONFIGURATION, OBB_TAKES_ONE},
    {"sources", OBB_W_SOURCES, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"except", OBB_W_EXCEPT, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"uses", OBB_W_USES, OBB_IN_TARGET | OBB_IN_SHARE, OBB_TAKES_LIST},
    {"share", OBB_W_SHARE, OBB_IN_LIBRARY, OBB_TAKES_BLOCK},
    {"users", OBB_W_USERS, OBB_IN_LIBRARY, OBB_TAKES_BLOCK},
    {"kind", OBB_W_KIND, OBB_IN_LIBRARY, OBB_TAKES_ONE},
    {"for", OBB_W_FOR, OBB_IN_TARGET, OBB_TAKES_LIST_BLOCK},
    {"optional", OBB_W_OPTIONAL, OBB_IN_TARGET, OBB_TAKES_ONE},
    {"output", OBB_W_OUTPUT, OBB_IN_TARGET, OBB_TAKES_ONE},
    {"when", OBB_W_LATER, CONDITIONAL, OBB_TAKES_LIST_BLOCK},
    {"choose", OBB_W_LATER, CONDITIONAL, OBB_TAKES_LIST_BLOCK},
    {"only", OBB_W_LATER, OBB_IN_TARGET, OBB_TAKES_LIST},
    {"refuse", OBB_W_LATER, CONDITIONAL, OBB_TAKES_ONE},
    {"before", OBB_W_LATER, OBB_IN_TARGET, OBB_TAKES_BLOCK},
    {"after", OBB_W_LATER, OBB_IN_TARGET, OBB_TAKES_BLOCK},
    {"set", OBB_W_LATER, OBB_IN_CONFIGURATION, OBB_TAKES_LIST},
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
                         for_links(id) ? LINKING : EVERYWHERE,
                         setting_takes(obb_setting_infos[id].shape)};
}

bool obb_vocable_find(const char *word, obb_where where, obb_vocable *found)
{
    for (int i = 0; i < COUNT + OBB_SETTING_COUNT; i++) {
        *found = i < COUNT ? words[i] : setting_word(i - COUNT);
        if (found->where & where && strcmp(found->word, word) == 0)
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
    default: return "a target";
    }
}
