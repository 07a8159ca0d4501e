/* Where a compiler has its libraries, for the words of a command.
 *
 * The compiler is asked once for each set of flags that selects libraries (machine, system root,
 * specifications), and the answer is remembered under its identity. */
#include "toolchain/toolchain.h"

#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "toolchain/asking.h"

void obb_take_library_folders(obb_toolchain *tc, const char *list)
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
        obb_answer a = obb_tool_ask(tc, tool, words.at, "");
        obb_text_string(&answer,
                        a.failed || a.status ? "" : obb_line_with(tc->arena, obb_text_bytes(&a.out), mark));
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
        obb_take_library_folders(tc, *line ? line + strcspn(line, "=") + 1 : "");
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

const char *obb_toolchain_archive_plugin(obb_toolchain *tc, const obb_tool *compiler)
{
    static const obb_words none;
    obb_text id = {0};
    const char *path = tc->custom ? ""
                                  : ask_for_machine(tc, compiler, &none,
                                                    compiler->family == OBB_FAMILY_CLANG
                                                        ? "-print-file-name=LLVMgold.so"
                                                        : "-print-file-name=liblto_plugin.so",
                                                    "/", &id);
    obb_text_free(&id);
    return *path && obb_files_is_file(tc->files, obb_files_number(tc->files, path)) ? path : NULL;
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
            obb_answer a = obb_tool_ask(tc, tool, words, "");
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
