/* Asking the package database which package has a file, within a time limit. */
#include "toolchain/packages.h"

#include <string.h>

#include "base/path.h"
#include "base/process.h"

enum { MOST_NAMES = 3, MOST_QUESTIONS = 3, SOON_MS = 5000 };

static void add_once(obb_arena *arena, obb_words *names, const char *name)
{
    for (size_t i = 0; i < names->count; i++)
        if (strcmp(names->at[i], name) == 0)
            return;
    obb_arena_push(arena, names, name);
}

/* Lines of either program: NAME: PATH, or NAME:ARCHITECTURE: PATH. */
static void take_lines(obb_arena *arena, const char *text, const char *name, const char *within,
                       obb_words *packages)
{
    while (*text) {
        size_t n = strcspn(text, "\n");
        char *line = obb_arena_copy(arena, text, n), *path = strstr(line, ": ");
        if (path && obb_path_ends(path + 2, name) && strstr(path + 2, within))
            add_once(arena, packages, obb_arena_copy(arena, line, strcspn(line, ":")));
        text += n + (text[n] == '\n');
    }
}

static bool ask(obb_toolchain *tc, const char *program, const char *how, const char *what, obb_answer *answer)
{
    const char *path = obb_find_program(tc->files, tc->arena, program);
    const char *words[] = {path, how, what, NULL};
    if (!path)
        return false;
    *answer = obb_ask_within(words, SOON_MS);
    return true;
}

static void ask_both(obb_toolchain *tc, const char *name, const char *within, obb_words *packages)
{
    obb_answer answer = {0};
    if (ask(tc, "apt-file", "search", obb_arena_format(tc->arena, "/%s", name), &answer))
        take_lines(tc->arena, obb_text_bytes(&answer.out), name, within, packages);
    obb_answer_free(&answer);
    answer = (obb_answer){0};
    if (!packages->count && ask(tc, "dpkg-query", "-S", obb_arena_format(tc->arena, "*/%s", name), &answer))
        take_lines(tc->arena, obb_text_bytes(&answer.out), name, within, packages);
    obb_answer_free(&answer);
}

static const char *listed(obb_arena *arena, const obb_words *packages)
{
    obb_text list = {0};
    for (size_t i = 0; i < packages->count; i++)
        obb_text_format(&list, "%s%s",
                        i == 0                     ? ""
                        : i + 1 == packages->count ? " or "
                                                   : ", ",
                        packages->at[i]);
    const char *text = obb_arena_string(arena, obb_text_bytes(&list));
    obb_text_free(&list);
    return text;
}

const char *obb_packages_with(obb_toolchain *tc, const char *name, const char *within)
{
    obb_words packages = {0};
    const char *known = obb_map_get(&tc->packages, name);
    if (known)
        return *known ? known : NULL;
    if (strcmp(tc->name, "host") != 0 || tc->packages.count == MOST_QUESTIONS)
        return NULL;
    ask_both(tc, name, within, &packages);
    known = packages.count <= MOST_NAMES ? listed(tc->arena, &packages) : "";
    obb_map_put(&tc->packages, obb_arena_string(tc->arena, name), (char *)(uintptr_t)known);
    return *known ? known : NULL;
}
