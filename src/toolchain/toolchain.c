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

/* The variable that can name a tool: CC for this machine's, ARM_GCC_CC for that of `arm-gcc`.
 * AS is not asked of the environment for this machine: others mean another program by it. */
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
    for (size_t i = 1; i < words->count; i++)
        obb_arena_push(tc->arena, &t->command, words->at[i]);
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
    obb_fingerprint sum = OBB_NO_FINGERPRINT; /* whatever order the environment has */
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

/* What the manuals name (GCC manual 3.21, Environment Variables Affecting GCC; Clang's manual, Environment;
 * GNU ld manual 2.2; NASM manual 2.1.34), but for what changes messages alone (LANG, LC_*, GCC_COLORS,
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

/* --- asking what a tool is ---------------------------------------------------------- */

/* Errors that say something of the program, and not of this moment. */
static bool is_lasting(int error)
{
    static const int lasting[] = {ENOENT, EACCES,       EPERM, ENOEXEC, ENOTDIR,
                                  ELOOP,  ENAMETOOLONG, E2BIG, EINVAL};
    for (size_t i = 0; i < sizeof lasting / sizeof *lasting; i++)
        if (error == lasting[i])
            return true;
    return false;
}

void obb_toolchain_ask_all(obb_toolchain *tc, const char *const *const *argvs, size_t count,
                           const char *input, obb_answer *answers)
{
    tc->questions += count;
    obb_ask_all(argvs, count, input, answers);
    for (size_t i = 0; i < count; i++) {
        bool here = answers[i].failed && !is_lasting(answers[i].failed);
        tc->trouble = here ? answers[i].failed : tc->trouble;
        tc->unsure = tc->unsure || here || answers[i].status > 128;
    }
}

obb_answer obb_toolchain_ask(obb_toolchain *tc, const char *const *argv, const char *input)
{
    obb_answer answer;
    obb_toolchain_ask_all(tc, &argv, 1, input, &answer);
    return answer;
}

void obb_toolchain_remember(obb_toolchain *tc, obb_fingerprint key, const void *answer, size_t length)
{
    if (!tc->unsure)
        tc->memo.put(tc->memo.self, key, answer, length);
}

static const char *const *command_of(obb_toolchain *tc, const obb_tool *tool, const char *const *words)
{
    obb_words argv = {0};
    for (size_t i = 0; i < tool->command.count; i++)
        obb_arena_push(tc->arena, &argv, tool->command.at[i]);
    for (; *words; words++)
        obb_arena_push(tc->arena, &argv, *words);
    obb_arena_push(tc->arena, &argv, NULL);
    return argv.at;
}

static obb_answer ask(obb_toolchain *tc, const obb_tool *tool, const char *const *words,
                      const char *input)
{
    return obb_toolchain_ask(tc, command_of(tc, tool, words), input);
}

static const char *line_with(obb_arena *arena, const char *text, const char *mark)
{
    for (const char *line = text; *line;) {
        size_t n = strcspn(line, "\n");
        char *copy = obb_arena_copy(arena, line, n);
        if (strstr(copy, mark)) {
            while (n && (copy[n - 1] == ' ' || copy[n - 1] == '\r'))
                copy[--n] = 0;
            return copy;
        }
        line += strcspn(line, "\n");
        line += *line == '\n';
    }
    return "";
}

/* --- programs behind a driver ------------------------------------------------------- */

/* Where a driver finds a program that it runs: in the folders that it told of, then on PATH (GCC manual 3.16,
 * Directory Options). "" when it is nowhere. */
static const char *find_behind(obb_toolchain *tc, const char *folders, const char *name)
{
    char *path = NULL;
    for (const char *at = folders; name[0] != '/' && *at && !path;) {
        size_t n = strcspn(at, ":");
        const char *folder = obb_arena_copy(tc->arena, at, n);
        if (n)
            path = obb_find_program(tc->files, tc->arena,
                                    obb_path_join(tc->arena, folder[0] == '/' ? "/" : ".",
                                                  obb_arena_format(tc->arena, "%s/%s", folder, name)));
        at += n + (at[n] == ':');
    }
    if (!path)
        path = obb_find_program(tc->files, tc->arena, name);
    return path ? path : "";
}

/* A compiler driver leaves the work to other programs. Where it says which, they are part of what it is: a
 * new assembler or linker is a changed tool. What it says is kept with what we find, since another one may
 * appear in an earlier folder. */
static void add_helper(obb_toolchain *tc, const char *name, const obb_answer *a, const char *folders,
                       obb_text *answer)
{
    const char *out = obb_text_bytes(&a->out), *said = obb_arena_copy(tc->arena, out, strcspn(out, "\n"));
    if (a->failed || a->status || !*said)
        return;
    const char *told = find_behind(tc, "", said);
    if (*told)
        obb_text_format(answer, "%s\t%s\t%s\n", name, told, find_behind(tc, folders, name));
}

static void ask_compiler(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    enum { COUNT = 5, FIRST_HELPER = 2 };
    const char *const helpers[COUNT - FIRST_HELPER] = {tool->role == OBB_TOOL_CXX ? "cc1plus" : "cc1", "as",
                                                       "ld"};
    const char *questions[COUNT] = {"-v", "-print-search-dirs"};
    for (int i = FIRST_HELPER; i < COUNT; i++)
        questions[i] = obb_arena_format(tc->arena, "-print-prog-name=%s", helpers[i - FIRST_HELPER]);
    const char *const *commands[COUNT];
    obb_answer said[COUNT];
    for (size_t i = 0; i < COUNT; i++)
        commands[i] = command_of(tc, tool, (const char *[]){questions[i], NULL});
    obb_toolchain_ask_all(tc, commands, COUNT, "", said);
    const char *version = line_with(tc->arena, obb_text_bytes(&said[0].err), " version ");
    const char *target = line_with(tc->arena, obb_text_bytes(&said[0].err), "Target: ");
    const char *libraries = line_with(tc->arena, obb_text_bytes(&said[1].out), "libraries: ");
    const char *programs = line_with(tc->arena, obb_text_bytes(&said[1].out), "programs: ");
    programs = *programs ? programs + strcspn(programs, "=") + 1 : "";
    if (!said[0].failed && !said[0].status && *version) {
        obb_text_format(answer, "%s\n%s\n%s\n%s\n", version, *target ? target + 8 : "",
                        *libraries ? libraries + strcspn(libraries, "=") + 1 : "", programs);
        for (size_t i = FIRST_HELPER; i < COUNT; i++)
            add_helper(tc, helpers[i - FIRST_HELPER], &said[i], programs, answer);
    }
    for (size_t i = 0; i < COUNT; i++)
        obb_answer_free(&said[i]);
}

static void ask_other(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    static const char *const what_are_you[] = {"--version", NULL};
    obb_answer a = ask(tc, tool, what_are_you, "");
    const char *out = obb_text_bytes(&a.out);
    if (!a.failed && !a.status && *out)
        obb_text_format(answer, "%.*s\n\n\n\n", (int)strcspn(out, "\n"), out);
    obb_answer_free(&a);
}

static obb_fingerprint memo_key(obb_toolchain *tc, const obb_tool *tool)
{
    obb_file program = obb_files_number(tc->files, tool->command.at[0]);
    const obb_stamp *stamp = obb_files_stamp(tc->files, program);
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "tool 3");
    for (size_t i = 0; i < tool->command.count; i++)
        obb_hasher_string(p, tool->command.at[i]);
    if (stamp)
        obb_hasher_add(p, stamp, sizeof *stamp);
    obb_compiler_environment(p); /* which programs it runs hangs on some of them */
    return obb_hasher_end(p);
}

static char *take_line(obb_arena *arena, const char **text)
{
    size_t n = strcspn(*text, "\n");
    char *line = obb_arena_copy(arena, *text, n);
    *text += n + ((*text)[n] == '\n');
    return line;
}

static void take_library_folders(obb_toolchain *tc, const char *list)
{
    obb_words folders = {0};
    while (*list) {
        size_t n = strcspn(list, ":");
        const char *folder = obb_files_resolve(tc->files, tc->arena, list[0] == '/' ? "/" : ".",
                                               obb_arena_copy(tc->arena, list, n));
        bool known = false;
        for (size_t i = 0; i < folders.count; i++)
            known = known || strcmp(folders.at[i], folder) == 0;
        if (n && !known)
            obb_arena_push(tc->arena, &folders, folder);
        list += n + (list[n] == ':');
    }
    tc->library_folders = folders;
}

/* The program behind the driver that a line of its answer names; "" when another one would be run now. */
static const char *take_helper(obb_toolchain *tc, char *line, const char *folders)
{
    char *told = line + strcspn(line, "\t"), *found;
    if (!*told)
        return "";
    *told++ = 0;
    found = told + strcspn(told, "\t");
    if (*found)
        *found++ = 0;
    return strcmp(find_behind(tc, folders, line), found) == 0 ? told : "";
}

/* What was told, one line each: version, target, library folders, folders of programs, programs. False when
 * that must be asked anew. */
static bool take_answer(obb_toolchain *tc, obb_tool *tool, const char *answer)
{
    obb_fingerprint contents;
    tool->version = take_line(tc->arena, &answer);
    tool->target = take_line(tc->arena, &answer);
    const char *libraries = take_line(tc->arena, &answer), *programs = take_line(tc->arena, &answer);
    if (*libraries && !tc->library_folders.count)
        take_library_folders(tc, libraries);
    if (tool->family != OBB_FAMILY_CUSTOM)
        tool->family = strstr(tool->version, "clang") ? OBB_FAMILY_CLANG
                   : strstr(tool->version, "gcc") ? OBB_FAMILY_GCC
                                                  : OBB_FAMILY_UNKNOWN;
    obb_files_fingerprint(tc->files, obb_files_number(tc->files, tool->command.at[0]), &contents);
    obb_hasher *p = obb_hasher_new();
    bool good = true;
    obb_hasher_add(p, &contents, sizeof contents);
    obb_hasher_string(p, tool->version);
    obb_hasher_string(p, tool->target);
    while (*answer) {
        const char *helper = take_helper(tc, take_line(tc->arena, &answer), programs);
        good = good && *helper;
        obb_files_fingerprint(tc->files, obb_files_number(tc->files, *helper ? helper : tool->command.at[0]),
                              &contents);
        obb_hasher_add(p, &contents, sizeof contents);
    }
    obb_compiler_environment(p);
    tool->identity = obb_hasher_end(p);
    return good && *tool->version;
}

static bool is_driver(const obb_tool *tool)
{
    return tool->role == OBB_TOOL_C || tool->role == OBB_TOOL_CXX || tool->role == OBB_TOOL_ASSEMBLER;
}

static bool ask_tool(obb_toolchain *tc, obb_tool *tool)
{
    obb_text answer = {0};
    obb_fingerprint key = memo_key(tc, tool);
    bool custom = tool->family == OBB_FAMILY_CUSTOM, compiler = is_driver(tool) && !custom;
    bool ok = tc->memo.get(tc->memo.self, key, &answer) && take_answer(tc, tool, obb_text_bytes(&answer));
    if (!ok) {
        answer.length = 0;
        obb_text_add(&answer, "", 0);
        if (compiler)
            ask_compiler(tc, tool, &answer);
        else
            ask_other(tc, tool, &answer);
        if (!answer.length && custom) /* it need not say what it is: its contents are its identity */
            obb_text_format(&answer, "%s\n\n\n\n", tool->wanted);
        if (answer.length)
            obb_toolchain_remember(tc, key, answer.bytes, answer.length);
        ok = take_answer(tc, tool, obb_text_bytes(&answer));
    }
    obb_text_free(&answer);
    tool->asked = ok;
    if (custom)
        tool->family = OBB_FAMILY_CUSTOM;
    return ok && (!compiler || tool->family != OBB_FAMILY_UNKNOWN);
}

const char *obb_tool_package(obb_arena *arena, const obb_toolchain *tc, const obb_tool *tool)
{
    static const char *const packages[OBB_ROLE_COUNT] = {"gcc", "g++", "gcc", "binutils", "nasm", "binutils",
                                                         "binutils", "gdb-multiarch"};
    static const char *const other_names[] = {"x86_64-w64-mingw32-", "gcc-mingw-w64-x86-64",
                                              "i686-w64-mingw32-", "gcc-mingw-w64-i686", NULL};
    size_t n = strlen(tc->prefix);
    if (tool->role == OBB_TOOL_INTEL_ASSEMBLER || tool->family == OBB_FAMILY_CUSTOM)
        return tool->family == OBB_FAMILY_CUSTOM ? tool->wanted : "nasm";
    if (strstr(tool->wanted, "clang"))
        return "clang";
    for (const char *const *o = other_names; *o; o += 2)
        if (strcmp(tc->prefix, o[0]) == 0)
            return o[1];
    if (!n || tc->prefix[n - 1] != '-')
        return packages[tool->role];
    char *name = obb_arena_format(arena, "%s-%.*s",
                                  strchr("gb", packages[tool->role][0]) && tool->role != OBB_TOOL_CXX
                                      ? "gcc"
                                      : packages[tool->role],
                                  (int)(n - 1), tc->prefix);
    for (char *c = name; *c; c++)
        if (*c == '_')
            *c = '-';
    return name;
}

/* Whether the first number with dots in the version line is at least `least`. */
static bool new_enough(const char *version, const char *least)
{
    const char *v = strpbrk(version, "0123456789");
    const char *after = strstr(version, "version ");
    for (v = after ? strpbrk(after, "0123456789") : v; v && *least;) {
        char *end, *least_end;
        long have = strtol(v, &end, 10), want = strtol(least, &least_end, 10);
        if (have != want)
            return have > want;
        v = *end == '.' ? end + 1 : "0";
        least = *least_end == '.' ? least_end + 1 : "";
    }
    return true;
}

static bool check_version(obb_toolchain *tc, const obb_tool *tool, const char *who, obb_diags *diags)
{
    if (!tc->least || tool->role != OBB_TOOL_C || new_enough(tool->version, tc->least))
        return true;
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, tc->place,
                            "toolchain `%s` must be %s or newer; %s needs it", tc->name, tc->least, who);
    obb_also(diags, d, OBB_NOWHERE, "%s is: %s", tool->command.at[0], tool->version);
    obb_hint(diags, d, "install a newer one, or name it: %s=/path/to/program", tool->variable);
    obb_stops(diags, d, obb_arena_format(tc->arena, "old %s", tool->command.at[0]), who);
    return false;
}

static void tell_trouble(const obb_toolchain *tc, obb_diags *diags)
{
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, tc->place.line ? tc->place : OBB_NOWHERE,
                            "the compilers of toolchain `%s` cannot be run: %s", tc->name,
                            strerror(tc->trouble));
    obb_hint(diags, d,
             "nothing is wrong with the project: `ulimit -a` shows how many files and processes, and how "
             "much memory, are allowed here");
    obb_stops(diags, d, obb_arena_format(tc->arena, "trouble of %s", tc->name), "all that it makes");
}

bool obb_toolchains_tell_trouble(const obb_toolchains *set, obb_diags *diags)
{
    bool any = false;
    for (size_t i = 0; i < set->known.count; i++) {
        const obb_toolchain *tc = set->known.at[i].value;
        if (tc->trouble && !any) /* errors so far only follow from it */
            diags->list.count = 0;
        if (tc->trouble)
            tell_trouble(tc, diags);
        any = any || tc->trouble;
    }
    return any;
}

const obb_tool *obb_toolchain_need(obb_toolchain *tc, obb_role role, const char *who,
                                   obb_place place, obb_diags *diags)
{
    obb_tool *tool = &tc->tools[role];
    obb_diag *d;
    if (tool->asked)
        return tool;
    if (tc->place.line)
        place = tc->place;
    if (!tool->command.count) {
        d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "no %s: `%s` (%s) is not on PATH; %s needs it",
                      tool->role_name, tool->wanted,
                      tool->from_variable             ? tool->variable
                      : strcmp(tc->name, "host") == 0 ? "the default"
                                                      : obb_arena_format(tc->arena, "toolchain %s", tc->name),
                      who);
        obb_hint(diags, d, "install it (Debian: %s), or name another: %s=/path/to/program",
                 obb_tool_package(tc->arena, tc, tool), tool->variable);
        obb_stops(diags, d,
                  obb_arena_format(tc->arena, "no %s %s of %s", tool->role_name, tool->wanted, tc->name),
                  who);
        return NULL;
    }
    if (ask_tool(tc, tool))
        return check_version(tc, tool, who, diags) ? tool : NULL;
    if (tc->trouble) {
        tell_trouble(tc, diags);
        return NULL;
    }
    d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "the %s `%s` does not say what it is; %s needs it",
                  tool->role_name, tool->command.at[0], who);
    obb_hint(diags, d, "compilers of the gcc and clang families are known; name one: %s=/path/to/program, or "
                       "describe it by its commands (family custom)", tool->variable);
    obb_stops(diags, d, obb_arena_format(tc->arena, "dumb %s", tool->command.at[0]), who);
    return NULL;
}

/* --- by machine --------------------------------------------------------------------- */

/* Flags that decide which of several sets of libraries is meant. */
static bool chooses_machine(const char *flag)
{
    static const char *const starts[] = {"-m",     "--target", "-target", "--sysroot",
                                         "-specs", "--specs",  "-B",      NULL};
    for (const char *const *s = starts; *s; s++)
        if (obb_starts(flag, *s))
            return true;
    return false;
}

/* What the tool prints for the flags that choose a machine and one more word; remembered. */
static const char *ask_for_machine(obb_toolchain *tc, const obb_tool *tool, const obb_words *flags,
                                   const char *question, const char *mark, obb_text *id)
{
    obb_words words = {0};
    for (size_t i = 0; i < flags->count; i++)
        if (chooses_machine(flags->at[i]))
            obb_arena_push(tc->arena, &words, flags->at[i]);
    obb_text answer = {0};
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, question);
    obb_hasher_add(p, &tool->identity, sizeof tool->identity);
    for (size_t i = 0; i < words.count; i++) {
        obb_hasher_string(p, words.at[i]);
        obb_text_format(id, "%s ", words.at[i]);
    }
    obb_fingerprint key = obb_hasher_end(p);
    obb_arena_push(tc->arena, &words, question);
    obb_arena_push(tc->arena, &words, NULL);
    if (!tc->memo.get(tc->memo.self, key, &answer)) {
        obb_answer a = ask(tc, tool, words.at, "");
        obb_text_string(&answer,
                        a.failed || a.status ? "" : line_with(tc->arena, obb_text_bytes(&a.out), mark));
        obb_text_char(&answer, '\n');
        obb_toolchain_remember(tc, key, answer.bytes, answer.length);
        obb_answer_free(&a);
    }
    const char *line = obb_arena_copy(tc->arena, answer.bytes, strcspn(answer.bytes, "\n"));
    obb_text_free(&answer);
    return line;
}

const obb_words *obb_toolchain_library_folders(obb_toolchain *tc, const obb_tool *tool,
                                               const obb_words *flags)
{
    bool any = false;
    for (size_t i = 0; i < flags->count; i++)
        any = any || chooses_machine(flags->at[i]);
    if (!any || tc->custom)
        return &tc->library_folders;
    obb_text id = {0};
    const char *line = ask_for_machine(tc, tool, flags, "-print-search-dirs", "libraries: ", &id);
    obb_words *known = obb_map_get(&tc->machine_folders, obb_text_bytes(&id));
    if (!known) {
        obb_words usual_folders = tc->library_folders;
        known = obb_arena_alloc(tc->arena, sizeof *known);
        take_library_folders(tc, *line ? line + strcspn(line, "=") + 1 : "");
        *known = tc->library_folders;
        tc->library_folders = usual_folders;
        obb_map_put(&tc->machine_folders, obb_arena_string(tc->arena, obb_text_bytes(&id)), known);
    }
    obb_text_free(&id);
    return known;
}

const char *obb_toolchain_support_library(obb_toolchain *tc, const obb_tool *tool, const obb_words *flags)
{
    obb_text id = {0};
    if (tc->custom)
        return NULL;
    const char *path = ask_for_machine(tc, tool, flags, "-print-libgcc-file-name", "/", &id);
    obb_text_free(&id);
    return *path ? obb_path_join(tc->arena, "/", path) : NULL;
}

const char *obb_toolchain_standards(obb_toolchain *tc, const obb_tool *tool, obb_arena *arena)
{
    static const char *const c[] = {"c89", "c99", "c11", "c17", "c2x", "c23", NULL};
    static const char *const cxx[] = {"c++98", "c++11", "c++14", "c++17", "c++20", "c++23", "c++26", NULL};
    bool is_c = tool->role == OBB_TOOL_C;
    if (!tool->asked || tc->custom || (!is_c && tool->role != OBB_TOOL_CXX))
        return "";
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, is_c ? "C standards" : "C++ standards");
    obb_hasher_add(p, &tool->identity, sizeof tool->identity);
    obb_fingerprint key = obb_hasher_end(p);
    obb_text answer = {0};
    if (!tc->memo.get(tc->memo.self, key, &answer)) {
        for (const char *const *name = is_c ? c : cxx; *name; name++) {
            const char *words[] =
                {obb_arena_format(arena, "-std=%s", *name), "-E", "-x", is_c ? "c" : "c++", "-", NULL};
            obb_answer a = ask(tc, tool, words, "");
            if (!a.failed && !a.status)
                obb_text_format(&answer, "%s%s", answer.length ? " " : "", *name);
            obb_answer_free(&a);
        }
        obb_toolchain_remember(tc, key, obb_text_bytes(&answer), answer.length);
    }
    const char *list = obb_arena_string(arena, obb_text_bytes(&answer));
    obb_text_free(&answer);
    return list;
}
