#include "toolchain/toolchain.h"

#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "toolchain/dialect.h"

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

const char *obb_language_name(obb_language language)
{
    static const char *const names[] = {"C", "C++", "assembly with preprocessing", "assembly",
                                        "Intel-syntax assembly", "none"};
    return names[language];
}

obb_role obb_role_of(obb_language language)
{
    return language == OBB_CXX         ? OBB_TOOL_CXX
           : language == OBB_ASM_INTEL ? OBB_TOOL_INTEL_ASSEMBLER
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

static void find_tool(obb_toolchain *tc, obb_role role, const char *role_name,
                      const char *variable, const char *name)
{
    obb_tool *t = &tc->tools[role];
    const char *stated = getenv(variable);
    obb_words words = {0};
    *t = (obb_tool){.role = role, .role_name = role_name, .variable = variable,
                    .from_variable = stated && *stated, .version = "", .target = ""};
    split_words(tc->arena, t->from_variable ? stated : name, &words);
    t->wanted = words.count ? words.at[0] : name;
    const char *path = obb_find_program(tc->files, tc->arena, t->wanted);
    if (!path)
        return;
    obb_arena_push(tc->arena, &t->command, path);
    for (size_t i = 1; i < words.count; i++)
        obb_arena_push(tc->arena, &t->command, words.at[i]);
}

obb_toolchain *obb_toolchain_host(obb_arena *arena, obb_files *files, obb_memo memo)
{
    obb_toolchain *tc = obb_arena_alloc(arena, sizeof *tc);
    *tc = (obb_toolchain){.name = "host", .arena = arena, .files = files, .memo = memo};
    find_tool(tc, OBB_TOOL_C, "C compiler", "CC", "cc");
    find_tool(tc, OBB_TOOL_CXX, "C++ compiler", "CXX", "c++");
    find_tool(tc, OBB_TOOL_ARCHIVER, "archiver", "AR", "ar");
    find_tool(tc, OBB_TOOL_INTEL_ASSEMBLER, "Intel-syntax assembler", "NASM", "nasm");
    return tc;
}

void obb_toolchain_free(obb_toolchain *toolchain)
{
    if (!toolchain)
        return;
    for (size_t i = 0; i < toolchain->dialects.count; i++)
        obb_dialect_free(toolchain->dialects.at[i].value);
    obb_map_free(&toolchain->dialects);
}

void obb_compiler_environment(obb_printer *printer)
{
    static const char *const names[] = {"CPATH", "C_INCLUDE_PATH", "CPLUS_INCLUDE_PATH",
        "LIBRARY_PATH", "GCC_EXEC_PREFIX", "COMPILER_PATH", "SOURCE_DATE_EPOCH",
        "CCC_OVERRIDE_OPTIONS", "NASMENV"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        obb_printer_string(printer, getenv(names[i]));
}

/* --- asking what a tool is ---------------------------------------------------------- */

static obb_answer ask(obb_toolchain *tc, const obb_tool *tool, const char *const *words,
                      const char *input)
{
    obb_words argv = {0};
    for (size_t i = 0; i < tool->command.count; i++)
        obb_arena_push(tc->arena, &argv, tool->command.at[i]);
    for (; *words; words++)
        obb_arena_push(tc->arena, &argv, *words);
    obb_arena_push(tc->arena, &argv, NULL);
    tc->questions++;
    return obb_ask(argv.at, input);
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

/* A compiler driver leaves the work to other programs. Where it says which, they are part of
 * what it is: a new assembler or linker is a changed tool. */
static void ask_helpers(obb_toolchain *tc, const obb_tool *tool, obb_text *answer)
{
    const char *names[] = {tool->role == OBB_TOOL_CXX ? "cc1plus" : "cc1", "as", "ld"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++) {
        const char *words[] = {obb_arena_format(tc->arena, "-print-prog-name=%s", names[i]), NULL};
        obb_answer a = ask(tc, tool, words, "");
        const char *said = obb_text_bytes(&a.out);
        char *name = obb_arena_copy(tc->arena, said, strcspn(said, "\n"));
        char *path = a.failed || a.status ? NULL : obb_find_program(tc->files, tc->arena, name);
        if (path)
            obb_text_format(answer, "%s\n", path);
        obb_answer_free(&a);
    }
}

static void ask_compiler(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    static const char *const what_are_you[] = {"-v", NULL};
    static const char *const where_are_libraries[] = {"-print-search-dirs", NULL};
    obb_answer a = ask(tc, tool, what_are_you, "");
    const char *version = line_with(tc->arena, obb_text_bytes(&a.err), " version ");
    const char *target = line_with(tc->arena, obb_text_bytes(&a.err), "Target: ");
    obb_answer b = ask(tc, tool, where_are_libraries, "");
    const char *libraries = line_with(tc->arena, obb_text_bytes(&b.out), "libraries: ");
    if (!a.failed && !a.status && *version) {
        obb_text_format(answer, "%s\n%s\n%s\n", version, *target ? target + 8 : "",
                        *libraries ? libraries + strcspn(libraries, "=") + 1 : "");
        ask_helpers(tc, tool, answer);
    }
    obb_answer_free(&a);
    obb_answer_free(&b);
}

static void ask_other(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    static const char *const what_are_you[] = {"--version", NULL};
    obb_answer a = ask(tc, tool, what_are_you, "");
    const char *out = obb_text_bytes(&a.out);
    if (!a.failed && !a.status && *out)
        obb_text_format(answer, "%.*s\n\n\n", (int)strcspn(out, "\n"), out);
    obb_answer_free(&a);
}

static obb_print memo_key(obb_toolchain *tc, const obb_tool *tool)
{
    obb_file program = obb_files_number(tc->files, tool->command.at[0]);
    const obb_stamp *stamp = obb_files_stamp(tc->files, program);
    obb_printer *p = obb_printer_new();
    obb_printer_string(p, "tool 2");
    for (size_t i = 0; i < tool->command.count; i++)
        obb_printer_string(p, tool->command.at[i]);
    if (stamp)
        obb_printer_add(p, stamp, sizeof *stamp);
    return obb_printer_end(p);
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
        const char *folder = obb_path_join(tc->arena, "/", obb_arena_copy(tc->arena, list, n));
        bool known = false;
        for (size_t i = 0; i < folders.count; i++)
            known = known || strcmp(folders.at[i], folder) == 0;
        if (n && !known)
            obb_arena_push(tc->arena, &folders, folder);
        list += n + (list[n] == ':');
    }
    tc->library_folders = folders;
}

/* What was told, one line each: version, target, library folders, programs behind it. */
static bool take_answer(obb_toolchain *tc, obb_tool *tool, const char *answer)
{
    obb_print contents;
    tool->version = take_line(tc->arena, &answer);
    tool->target = take_line(tc->arena, &answer);
    const char *libraries = take_line(tc->arena, &answer);
    if (*libraries && !tc->library_folders.count)
        take_library_folders(tc, libraries);
    tool->family = strstr(tool->version, "clang") ? OBB_FAMILY_CLANG
                   : strstr(tool->version, "gcc") ? OBB_FAMILY_GCC
                                                  : OBB_FAMILY_UNKNOWN;
    obb_files_print(tc->files, obb_files_number(tc->files, tool->command.at[0]), &contents);
    obb_printer *p = obb_printer_new();
    obb_printer_add(p, &contents, sizeof contents);
    obb_printer_string(p, tool->version);
    obb_printer_string(p, tool->target);
    while (*answer) {
        obb_files_print(tc->files, obb_files_number(tc->files, take_line(tc->arena, &answer)), &contents);
        obb_printer_add(p, &contents, sizeof contents);
    }
    obb_compiler_environment(p);
    tool->identity = obb_printer_end(p);
    return *tool->version != 0;
}

static bool ask_tool(obb_toolchain *tc, obb_tool *tool)
{
    obb_text answer = {0};
    obb_print key = memo_key(tc, tool);
    bool compiler = tool->role == OBB_TOOL_C || tool->role == OBB_TOOL_CXX;
    if (!tc->memo.get(tc->memo.self, key, &answer)) {
        if (compiler)
            ask_compiler(tc, tool, &answer);
        else
            ask_other(tc, tool, &answer);
        if (answer.length)
            tc->memo.put(tc->memo.self, key, answer.bytes, answer.length);
    }
    bool ok = take_answer(tc, tool, obb_text_bytes(&answer));
    obb_text_free(&answer);
    tool->asked = ok;
    return ok && (!compiler || tool->family != OBB_FAMILY_UNKNOWN);
}

static const char *package_of(const obb_tool *tool)
{
    static const char *const packages[] = {"gcc", "g++", "binutils", "nasm"};
    return packages[tool->role];
}

const obb_tool *obb_toolchain_need(obb_toolchain *toolchain, obb_role role, const char *who,
                                   obb_place place, obb_diags *diags)
{
    obb_tool *tool = &toolchain->tools[role];
    obb_diag *d;
    if (tool->asked)
        return tool;
    if (!tool->command.count) {
        d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "no %s: `%s` (%s) is not on PATH; %s needs it",
                      tool->role_name, tool->wanted,
                      tool->from_variable ? tool->variable : "the default", who);
        obb_hint(diags, d, "install it (Debian: %s), or name another: %s=/path/to/program",
                 package_of(tool), tool->variable);
        return NULL;
    }
    if (ask_tool(toolchain, tool))
        return tool;
    d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "the %s `%s` does not say what it is; %s needs it",
                  tool->role_name, tool->command.at[0], who);
    obb_hint(diags, d, "compilers of the gcc and clang families are known; name one: %s=/path/to/program",
             tool->variable);
    return NULL;
}
