/* Finding tools: by what a description states, by the environment, by their usual names (toolchain.h).
 * Nothing is asked here; a toolchain is one for all variants that state the same of it. */
#include "toolchain/toolchain.h"

#include <ctype.h>
#include <errno.h>
#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "project/vocabulary.h"
#include "toolchain/dialect.h"
#include "toolchain/linking.h"

obb_role obb_role_of(obb_language language)
{
    return language == OBB_CXX                                  ? OBB_TOOL_CXX
           : language == OBB_ASM_INTEL                          ? OBB_TOOL_INTEL_ASSEMBLER
           : language == OBB_ASM || language == OBB_ASM_CPP     ? OBB_TOOL_ASSEMBLER
                                                                : OBB_TOOL_C;
}

static void split_words(obb_arena *arena, const char *text, obb_words *words)
{
    while (*(text += strspn(text, " \t"))) {
        size_t n = strcspn(text, " \t");
        obb_arena_push(arena, words, obb_arena_copy(arena, text, n));
        text += n;
    }
}

/* A tool of a toolchain: the property that names it, the variable that can, and its usual
 * names. */
static const struct usual {
    const char *role_name, *suffix;
    int property;
    const char *host, *gcc, *clang;
} usual[OBB_ROLE_COUNT] = {
    [OBB_TOOL_C] = {"C compiler", "CC", OBB_W_TOOL_C, "cc", "gcc", "clang"},
    [OBB_TOOL_CXX] = {"C++ compiler", "CXX", OBB_W_TOOL_CXX, "c++", "g++", "clang++"},
    [OBB_TOOL_ASSEMBLER] = {"assembler", "AS", OBB_W_TOOL_ASSEMBLER, "cc", "gcc", "clang"},
    [OBB_TOOL_ARCHIVER] = {"archiver", "AR", OBB_W_TOOL_ARCHIVER, "ar", "ar", "ar"},
    [OBB_TOOL_INTEL_ASSEMBLER] = {"Intel-syntax assembler", "NASM", OBB_W_TOOL_INTEL, "nasm", "nasm", "nasm"},
    [OBB_TOOL_LINKER] = {"linker", "LD", OBB_W_TOOL_LINKER, "ld", "ld", "ld"},
    [OBB_TOOL_COPIER] = {"object copier", "OBJCOPY", OBB_W_TOOL_COPIER, "objcopy", "objcopy", "objcopy"},
    [OBB_TOOL_DEBUGGER] = {"debugger", "GDB", OBB_W_TOOL_DEBUGGER, "gdb", "gdb", "gdb"},
};

/* The variable that can name a tool: CC for this machine's, ARM_GCC_CC for that of `arm-gcc`. AS is not taken
 * from the environment for this machine: elsewhere it names another program. */
static const char *variable_of(obb_arena *arena, const char *toolchain, obb_role role)
{
    if (strcmp(toolchain, "host") == 0)
        return role == OBB_TOOL_ASSEMBLER ? "CC" : usual[role].suffix;
    char *name = obb_arena_format(arena, "%s_%s", toolchain, usual[role].suffix);
    for (char *c = name; *c; c++)
        *c = (char)(isalnum((unsigned char)*c) ? toupper((unsigned char)*c) : '_');
    return name;
}

static void find_program(obb_toolchain *tc, obb_tool *t, const obb_words *words)
{
    t->wanted = words->at[0];
    const char *path = obb_find_program(tc->files, tc->arena, t->wanted);
    if (!path)
        return;
    obb_arena_push(tc->arena, &t->command, path);
    for (size_t i = 1; i < words->count; i++) {
        obb_arena_push(tc->arena, &t->command, words->at[i]);
        obb_arena_push(tc->arena, &t->more, words->at[i]);
    }
}

/* The words that name a tool: the environment's, those stated, those stated for the C compiler
 * (which assembles too), or the usual name behind the prefix. */
static void find_tool(obb_toolchain *tc, obb_role role, const obb_words *stated, const char *usual_name)
{
    obb_tool *t = &tc->tools[role];
    const char *variable = variable_of(tc->arena, tc->name, role), *named = getenv(variable);
    obb_words words = {0};
    *t = (obb_tool){.role = role, .role_name = usual[role].role_name, .variable = variable,
                    .from_variable = named && *named, .version = "", .target = ""};
    if (t->from_variable)
        split_words(tc->arena, named, &words);
    for (size_t i = 0; !t->from_variable && i < stated->count; i++)
        obb_arena_push(tc->arena, &words, stated->at[i]);
    if (!words.count && role == OBB_TOOL_ASSEMBLER) {
        t->command = tc->tools[OBB_TOOL_C].command;
        t->more = tc->tools[OBB_TOOL_C].more;
        t->wanted = tc->tools[OBB_TOOL_C].wanted;
        return;
    }
    if (!words.count)
        obb_arena_push(tc->arena, &words,
                       role == OBB_TOOL_INTEL_ASSEMBLER ? usual_name
                       : obb_arena_format(tc->arena, "%s%s", tc->prefix, usual_name));
    find_program(tc, t, &words);
}

static obb_toolchain *new_toolchain(obb_arena *arena, obb_files *files, obb_memo memo, const char *name)
{
    obb_toolchain *tc = obb_arena_alloc(arena, sizeof *tc);
    *tc = (obb_toolchain){.name = name, .arena = arena, .files = files, .memo = memo, .prefix = ""};
    return tc;
}

obb_toolchain *obb_toolchain_host(obb_arena *arena, obb_files *files, obb_memo memo)
{
    static const obb_words none;
    obb_toolchain *tc = new_toolchain(arena, files, memo, "host");
    for (int role = 0; role < OBB_ROLE_COUNT; role++)
        find_tool(tc, (obb_role)role, &none, usual[role].host);
    return tc;
}

void obb_toolchain_free(obb_toolchain *toolchain)
{
    if (!toolchain)
        return;
    for (size_t i = 0; i < toolchain->dialects.count; i++)
        obb_dialect_free(toolchain->dialects.at[i].value);
    obb_map_free(&toolchain->dialects);
    for (size_t i = 0; i < toolchain->linkings.count; i++)
        obb_linking_free(toolchain->linkings.at[i].value);
    obb_map_free(&toolchain->linkings);
    obb_map_free(&toolchain->machine_folders);
    obb_map_free(&toolchain->support_libraries);
    obb_map_free(&toolchain->packages);
}

/* --- as described ------------------------------------------------------------------- */

/* All words of the properties of one kind that hold in the variant; of the last one only when
 * they do not add up. */
static obb_words words_of(obb_arena *arena, const obb_variant *v, int id, bool add_up)
{
    obb_words words = {0};
    const obb_properties *all = &v->toolchain->properties;
    for (size_t i = 0; i < all->count; i++) {
        const obb_property *p = &all->at[i];
        if (p->id != id || !obb_condition_holds(v, p->condition))
            continue;
        if (!add_up)
            words.count = 0;
        for (size_t l = 0; l < p->lines.count; l++)
            for (size_t k = 0; k < p->lines.at[l].count; k++)
                obb_arena_push(arena, &words, p->lines.at[l].at[k].text);
    }
    return words;
}

static const char *word_of(obb_arena *arena, const obb_variant *v, int id)
{
    obb_words words = words_of(arena, v, id, false);
    return words.count ? words.at[0] : NULL;
}

static void take_suffixes(obb_toolchain *tc, const obb_variant *v)
{
    obb_words w = words_of(tc->arena, v, OBB_W_SUFFIX, true);
    for (size_t i = 0; i + 1 < w.count; i += 2) {
        const char **into = strcmp(w.at[i], "object") == 0    ? &tc->object_suffix
                            : strcmp(w.at[i], "library") == 0 ? &tc->library_suffix
                            : strcmp(w.at[i], "shared") == 0  ? &tc->shared_suffix
                                                              : &tc->program_suffix;
        *into = w.at[i + 1];
    }
}

/* The tool behind a custom command is its first word. */
static void take_command(obb_toolchain *tc, obb_role role, const obb_words *words)
{
    static const obb_words none;
    obb_words first = {0};
    if (words->count)
        obb_arena_push(tc->arena, &first, words->at[0]);
    find_tool(tc, role, first.count ? &first : &none, "");
    tc->tools[role].command.count = tc->tools[role].command.count ? 1 : 0;
    tc->tools[role].more.count = 0;
    for (size_t i = 1; i < words->count; i++)
        if (!strchr(words->at[i], '{'))
            obb_arena_push(tc->arena, &tc->tools[role].more, words->at[i]);
}

static void take_compile_commands(obb_toolchain *tc, const obb_variant *v, obb_custom *c)
{
    const obb_properties *all = &v->toolchain->properties;
    for (size_t i = 0; i < all->count; i++) {
        const obb_property *p = &all->at[i];
        if (p->id != OBB_W_COMPILE || !obb_condition_holds(v, p->condition) || !p->lines.at[0].count)
            continue;
        obb_words *into = strcmp(p->lines.at[0].at[0].text, "c++") == 0 ? &c->compile_cxx : &c->compile_c;
        into->count = 0;
        for (size_t k = 1; k < p->lines.at[0].count; k++)
            obb_arena_push(tc->arena, into, p->lines.at[0].at[k].text);
    }
}

static void take_custom(obb_toolchain *tc, const obb_variant *v)
{
    obb_custom *c = tc->custom = obb_arena_alloc(tc->arena, sizeof *c);
    take_compile_commands(tc, v, c);
    c->assemble = words_of(tc->arena, v, OBB_W_ASSEMBLE, false);
    c->archive = words_of(tc->arena, v, OBB_W_ARCHIVE, false);
    c->link = words_of(tc->arena, v, OBB_W_LINK, false);
    c->macros = words_of(tc->arena, v, OBB_W_SET_MACROS, true);
    c->search = words_of(tc->arena, v, OBB_W_SEARCH, true);
    c->byproducts = words_of(tc->arena, v, OBB_W_BESIDE, true);
    obb_words w = words_of(tc->arena, v, OBB_W_SPELL, true);
    for (size_t i = 0; i + 1 < w.count; i += 2)
        obb_arena_push(tc->arena, &c->spellings, (obb_spelling){w.at[i], w.at[i + 1]});
    take_command(tc, OBB_TOOL_C, &c->compile_c);
    take_command(tc, OBB_TOOL_CXX, &c->compile_cxx);
    take_command(tc, OBB_TOOL_ASSEMBLER, &c->assemble);
    take_command(tc, OBB_TOOL_ARCHIVER, &c->archive);
    take_command(tc, OBB_TOOL_LINKER, &c->link);
    for (int role = 0; role < OBB_ROLE_COUNT; role++)
        tc->tools[role].family = OBB_FAMILY_CUSTOM;
}

static obb_toolchain *describe(obb_toolchains *set, const obb_variant *v)
{
    obb_toolchain *tc = new_toolchain(set->arena, set->files, set->memo, v->toolchain->name);
    const char *prefix = word_of(tc->arena, v, OBB_W_PREFIX), *family = word_of(tc->arena, v, OBB_W_FAMILY);
    bool clang = family && strcmp(family, "clang") == 0;
    bool hosts = strcmp(tc->name, "host") == 0 && !prefix && !family;
    tc->place = v->toolchain->place;
    tc->prefix = prefix ? prefix : "";
    tc->least = word_of(tc->arena, v, OBB_W_LEAST);
    take_suffixes(tc, v);
    for (int role = 0; role < OBB_ROLE_COUNT; role++) {
        obb_words stated = words_of(tc->arena, v, usual[role].property, false);
        find_tool(tc, (obb_role)role, &stated,
                  hosts ? usual[role].host : clang ? usual[role].clang : usual[role].gcc);
    }
    if (family && strcmp(family, "custom") == 0)
        take_custom(tc, v);
    return tc;
}

obb_toolchains *obb_toolchains_new(obb_arena *arena, obb_files *files, obb_memo memo)
{
    obb_toolchains *set = obb_arena_alloc(arena, sizeof *set);
    *set = (obb_toolchains){.arena = arena, .files = files, .memo = memo};
    return set;
}

void obb_toolchains_free(obb_toolchains *set)
{
    if (!set)
        return;
    for (size_t i = 0; i < set->known.count; i++)
        obb_toolchain_free(set->known.at[i].value);
    obb_map_free(&set->known);
}

obb_toolchain *obb_toolchains_for(obb_toolchains *set, const obb_variant *v)
{
    obb_text key = {0};
    const obb_properties *all = &v->toolchain->properties;
    obb_text_string(&key, v->toolchain->name);
    for (size_t i = 0; i < all->count; i++) /* which of its statements hold */
        obb_text_char(&key, obb_condition_holds(v, all->at[i].condition) ? '+' : '-');
    obb_toolchain *tc = obb_map_get(&set->known, key.bytes);
    if (!tc) {
        tc = describe(set, v);
        obb_map_put(&set->known, obb_arena_string(set->arena, key.bytes), tc);
    }
    obb_text_free(&key);
    return tc;
}

void obb_toolchains_adopt(obb_toolchains *set, obb_toolchain *toolchain)
{
    obb_map_put(&set->known, obb_arena_format(set->arena, "adopted %zu", set->known.count), toolchain);
}

extern char **environ;

void obb_tool_environment(obb_hasher *hasher)
{
    obb_fingerprint sum = OBB_NO_FINGERPRINT; /* independent of the order of the environment */
    for (char **e = environ; *e; e++) {
        size_t n = strcspn(*e, "=");
        for (int role = 0; role < OBB_ROLE_COUNT; role++) {
            size_t m = strlen(usual[role].suffix);
            if (n < m || strncmp(*e + n - m, usual[role].suffix, m) != 0)
                continue;
            obb_fingerprint one = obb_fingerprint_of(*e, strlen(*e));
            sum.high ^= one.high;
            sum.low ^= one.low;
            break;
        }
    }
    obb_hasher_add(hasher, &sum, sizeof sum);
}
