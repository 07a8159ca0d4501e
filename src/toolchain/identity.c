/* Asking tools what they are: version, target, and an identity that changes whenever the tool does. The
 * identity covers the programs that a driver runs (cc1, as, ld) and the variables that change what they make.
 */
#include "toolchain/toolchain.h"

#include <ctype.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "toolchain/asking.h"
#include "toolchain/dialect.h"
#include "toolchain/linking.h"

/* Errors that are due to the program, and not to the state of the machine. */
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
        const char *said;
        size_t length;
        tc->unsure = tc->unsure || here || obb_answer_is_unsure(&answers[i], &said, &length);
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

obb_answer obb_tool_ask(obb_toolchain *tc, const obb_tool *tool, const char *const *words, const char *input)
{
    return obb_toolchain_ask(tc, command_of(tc, tool, words), input);
}

const char *obb_line_with(obb_arena *arena, const char *text, const char *mark)
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

const char *obb_find_behind(obb_toolchain *tc, const char *folders, const char *name)
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

/* A compiler driver leaves the work to other programs. Where it names them, they are part of its identity: a
 * new assembler or linker is a changed tool. Its answer is kept with what we find, since another program may
 * appear in an earlier folder. */
static void add_helper(obb_toolchain *tc, const char *name, const obb_answer *a, const char *folders,
                       obb_text *answer)
{
    const char *out = obb_text_bytes(&a->out), *said = obb_arena_copy(tc->arena, out, strcspn(out, "\n"));
    if (a->failed || a->status || !*said)
        return;
    const char *told = obb_find_behind(tc, "", said);
    if (*told)
        obb_text_format(answer, "%s\t%s\t%s\n", name, told, obb_find_behind(tc, folders, name));
}

/* The driver as it sees itself: behind a script, it is another program than the one that was called. */
static void add_driver(obb_toolchain *tc, const obb_tool *tool, const char *said, const char *folders,
                       obb_text *answer)
{
    static const char gcc[] = "COLLECT_GCC=", clang[] = "InstalledDir: ";
    const char *line = obb_line_with(tc->arena, said, gcc), *folder = obb_line_with(tc->arena, said, clang);
    const char *name = obb_starts(line, gcc) ? line + sizeof gcc - 1
                       : obb_starts(folder, clang)
                           ? obb_arena_format(tc->arena, "%s/clang", folder + sizeof clang - 1)
                           : "";
    const char *path = obb_find_behind(tc, "", name);
    if (*path && strcmp(path, tool->command.at[0]) != 0)
        obb_text_format(answer, "%s\t%s\t%s\n", name, path, obb_find_behind(tc, folders, name));
}

/* What it says of itself, and the programs behind it that it tells of: Clang has its compiler in itself, and
 * calls the linker by itself. */
static void ask_compiler(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    enum { COUNT = 5, FIRST_HELPER = 1, COUNT_OF_CLANG = 3 };
    const char *const helpers[] = {"as", "ld", tool->role == OBB_TOOL_CXX ? "cc1plus" : "cc1", "collect2"};
    const char *const *commands[COUNT] = {command_of(tc, tool, (const char *[]){"-print-search-dirs", NULL})};
    obb_answer itself = obb_tool_ask(tc, tool, (const char *[]){"-v", NULL}, ""), said[COUNT];
    const char *version = obb_line_with(tc->arena, obb_text_bytes(&itself.err), " version ");
    const char *target = obb_line_with(tc->arena, obb_text_bytes(&itself.err), "Target: ");
    if (itself.failed || itself.status || !*version) {
        obb_answer_free(&itself);
        return;
    }
    size_t count = strstr(version, "clang") ? COUNT_OF_CLANG : COUNT;
    for (size_t i = FIRST_HELPER; i < count; i++)
        commands[i] = command_of(
            tc, tool,
            (const char *[]){obb_arena_format(tc->arena, "-print-prog-name=%s", helpers[i - FIRST_HELPER]),
                             NULL});
    obb_toolchain_ask_all(tc, commands, count, "", said);
    const char *libraries = obb_line_with(tc->arena, obb_text_bytes(&said[0].out), "libraries: ");
    const char *programs = obb_line_with(tc->arena, obb_text_bytes(&said[0].out), "programs: ");
    programs = *programs ? programs + strcspn(programs, "=") + 1 : "";
    obb_text_format(answer, "%s\n%s\n%s\n%s\n", version, *target ? target + 8 : "",
                    *libraries ? libraries + strcspn(libraries, "=") + 1 : "", programs);
    for (size_t i = FIRST_HELPER; i < count; i++)
        add_helper(tc, helpers[i - FIRST_HELPER], &said[i], programs, answer);
    add_driver(tc, tool, obb_text_bytes(&itself.err), programs, answer);
    obb_answer_free(&itself);
    for (size_t i = 0; i < count; i++)
        obb_answer_free(&said[i]);
}

static void ask_other(obb_toolchain *tc, obb_tool *tool, obb_text *answer)
{
    static const char *const what_are_you[] = {"--version", NULL};
    obb_answer a = obb_tool_ask(tc, tool, what_are_you, "");
    const char *out = obb_text_bytes(&a.out);
    if (!a.failed && !a.status && *out)
        obb_text_format(answer, "%.*s\n\n\n\n", (int)strcspn(out, "\n"), out);
    obb_answer_free(&a);
}

static bool is_driver(const obb_tool *tool)
{
    return tool->role == OBB_TOOL_C || tool->role == OBB_TOOL_CXX || tool->role == OBB_TOOL_ASSEMBLER;
}

/* Whether the questions are those for compilers that are known, rather than those for any program. */
static bool asked_as_compiler(const obb_tool *tool)
{
    return is_driver(tool) && tool->family != OBB_FAMILY_CUSTOM;
}

/* Files that the words behind a tool's path name, and programs on PATH, which a tool runs that stands in
 * front of others. */
static void named_files(obb_toolchain *tc, const obb_tool *tool, obb_file_list *list)
{
    obb_options options = {0};
    obb_options_read(&tool->more, OBB_READ_BY_DRIVER, tc->files, tc->arena, &options);
    for (size_t i = 0; i < options.count; i++) {
        const obb_option *o = &options.at[i];
        const char *program = o->kind == OBB_OPTION_FILE ? obb_find_program(tc->files, tc->arena, o->value)
                                                         : NULL,
                   *path = program ? program : o->value;
        obb_file file = obb_option_names_file(o) && *path
                            ? obb_files_number(tc->files, obb_path_join(tc->arena, ".", path))
                            : OBB_NO_FILE;
        if (file != OBB_NO_FILE && obb_files_is_file(tc->files, file))
            obb_arena_push(tc->arena, list, file);
        else
            obb_option_guess(o, tc->files, tc->arena, list);
    }
    obb_toolchain_programs(tc, tool, &options, list);
}

/* Not the paths, beside those in the words: elsewhere it may lie in another folder. */
static void add_named(obb_toolchain *tc, const obb_tool *tool, obb_hasher *p)
{
    obb_file_list list = {0};
    if (tool->more.count)
        named_files(tc, tool, &list);
    for (size_t i = 0; i < list.count; i++) {
        obb_fingerprint contents = OBB_NO_FINGERPRINT;
        obb_files_fingerprint(tc->files, list.at[i], &contents);
        obb_hasher_add(p, &contents, sizeof contents);
    }
}

static obb_fingerprint memo_key(obb_toolchain *tc, const obb_tool *tool)
{
    obb_file program = obb_files_number(tc->files, tool->command.at[0]);
    const obb_stamp *stamp = obb_files_stamp(tc->files, program);
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, asked_as_compiler(tool) ? "compiler 6" : "tool 4");
    for (size_t i = 0; i < tool->command.count; i++)
        obb_hasher_string(p, tool->command.at[i]);
    if (stamp)
        obb_hasher_add(p, stamp, sizeof *stamp);
    add_named(tc, tool, p);
    obb_compiler_environment(p); /* which programs it runs depends on some of them */
    return obb_hasher_end(p);
}

static char *take_line(obb_arena *arena, const char **text)
{
    size_t n = strcspn(*text, "\n");
    char *line = obb_arena_copy(arena, *text, n);
    *text += n + ((*text)[n] == '\n');
    return line;
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
    return strcmp(obb_find_behind(tc, folders, line), found) == 0 ? told : "";
}

/* The remembered answer, one line each: version, target, library folders, folders of programs, programs.
 * False when the tool must be asked again. */
static bool take_answer(obb_toolchain *tc, obb_tool *tool, const char *answer)
{
    obb_fingerprint contents;
    tool->version = take_line(tc->arena, &answer);
    tool->target = take_line(tc->arena, &answer);
    const char *libraries = take_line(tc->arena, &answer), *programs = take_line(tc->arena, &answer);
    tool->program_folders = programs;
    if (*libraries && !tc->library_folders.count)
        obb_take_library_folders(tc, libraries);
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
    add_named(tc, tool, p);
    obb_compiler_environment(p);
    tool->identity = obb_hasher_end(p);
    return good && *tool->version;
}

static bool ask_tool(obb_toolchain *tc, obb_tool *tool)
{
    obb_text answer = {0};
    obb_fingerprint key = memo_key(tc, tool);
    bool custom = tool->family == OBB_FAMILY_CUSTOM, compiler = asked_as_compiler(tool);
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

/* Compilers for other machines that Debian has (gcc-NAME), and whether that for C++ is apart (g++-NAME). */
static const struct cross_package {
    const char *prefix, *name;
    bool cxx_is_apart;
} cross_packages[] = {
    {"arm-none-eabi-", "arm-none-eabi", false},
    {"avr-", "avr", false},
    {"riscv64-unknown-elf-", "riscv64-unknown-elf", false},
    {"xtensa-lx106-elf-", "xtensa-lx106", false},
    {"i686-w64-mingw32-", "mingw-w64-i686", true},
    {"x86_64-w64-mingw32-", "mingw-w64-x86-64", true},
    {"aarch64-linux-gnu-", "aarch64-linux-gnu", true},
    {"alpha-linux-gnu-", "alpha-linux-gnu", true},
    {"arc-linux-gnu-", "arc-linux-gnu", true},
    {"arm-linux-gnueabi-", "arm-linux-gnueabi", true},
    {"arm-linux-gnueabihf-", "arm-linux-gnueabihf", true},
    {"hppa-linux-gnu-", "hppa-linux-gnu", true},
    {"i686-linux-gnu-", "i686-linux-gnu", true},
    {"m68k-linux-gnu-", "m68k-linux-gnu", true},
    {"mips-linux-gnu-", "mips-linux-gnu", true},
    {"mips64el-linux-gnuabi64-", "mips64el-linux-gnuabi64", true},
    {"mipsel-linux-gnu-", "mipsel-linux-gnu", true},
    {"powerpc-linux-gnu-", "powerpc-linux-gnu", true},
    {"powerpc64-linux-gnu-", "powerpc64-linux-gnu", true},
    {"powerpc64le-linux-gnu-", "powerpc64le-linux-gnu", true},
    {"riscv64-linux-gnu-", "riscv64-linux-gnu", true},
    {"s390x-linux-gnu-", "s390x-linux-gnu", true},
    {"sh4-linux-gnu-", "sh4-linux-gnu", true},
    {"sparc64-linux-gnu-", "sparc64-linux-gnu", true},
    {"x86_64-linux-gnu-", "x86-64-linux-gnu", true},
};

const char *obb_tool_package(obb_arena *arena, const obb_toolchain *tc, const obb_tool *tool)
{
    static const char *const packages[OBB_ROLE_COUNT] = {"gcc",  "g++",      "gcc",      "binutils",
                                                         "nasm", "binutils", "binutils", "gdb-multiarch"};
    if (tool->family == OBB_FAMILY_CUSTOM || strchr(tool->wanted, '/'))
        return NULL;
    if (tool->role == OBB_TOOL_INTEL_ASSEMBLER)
        return "nasm";
    if (strstr(tool->wanted, "clang"))
        return "clang";
    if (!*tc->prefix)
        return packages[tool->role];
    for (size_t i = 0; i < sizeof cross_packages / sizeof *cross_packages; i++) {
        const struct cross_package *p = &cross_packages[i];
        if (strcmp(tc->prefix, p->prefix) == 0)
            return obb_arena_format(arena, "%s-%s",
                                    p->cxx_is_apart && tool->role == OBB_TOOL_CXX ? "g++" : "gcc", p->name);
    }
    return NULL;
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
        if (tc->trouble && !any) /* other errors so far only follow from it */
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
        d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "no %s: `%s` (%s) %s; %s needs it",
                      tool->role_name, tool->wanted,
                      tool->from_variable             ? tool->variable
                      : strcmp(tc->name, "host") == 0 ? "the default"
                                                      : obb_arena_format(tc->arena, "toolchain %s", tc->name),
                      obb_program_absence(tool->wanted), who);
        const char *package = obb_tool_package(tc->arena, tc, tool);
        obb_hint(diags, d, "install it%s, or name another: %s=/path/to/program",
                 package ? obb_arena_format(tc->arena, " (Debian: %s)", package) : "", tool->variable);
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
    d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "the %s `%s` could not be identified; %s needs it",
                  tool->role_name, tool->command.at[0], who);
    obb_hint(diags, d, "compilers of the gcc and clang families are known; name one: %s=/path/to/program, or "
                       "describe it by its commands (family custom)", tool->variable);
    obb_stops(diags, d, obb_arena_format(tc->arena, "dumb %s", tool->command.at[0]), who);
    return NULL;
}

/* --- by machine --------------------------------------------------------------------- */
