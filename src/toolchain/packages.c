#include "toolchain/packages.h"

#include <string.h>

#include "base/process.h"
#include "base/vec.h"

enum { MOST = 3 };

static bool has_end(const char *path, const char *end)
{
    size_t m = strlen(path), n = strlen(end);
    return m >= n && strcmp(path + m - n, end) == 0;
}

static void add_once(obb_arena *arena, obb_words *names, const char *name)
{
    for (size_t i = 0; i < names->count; i++)
        if (strcmp(names->at[i], name) == 0)
            return;
    obb_arena_push(arena, names, name);
}

/* Lines of either program: NAME: PATH, or NAME:ARCHITECTURE: PATH. */
static void take_lines(obb_arena *arena, const char *text, const char *end, const char *within, obb_words *names)
{
    while (*text) {
        size_t n = strcspn(text, "\n");
        char *line = obb_arena_copy(arena, text, n), *path = strstr(line, ": ");
        if (path && has_end(path + 2, end) && strstr(path + 2, within))
            add_once(arena, names, obb_arena_copy(arena, line, strcspn(line, ":")));
        text += n + (text[n] == '\n');
    }
}

static void ask(obb_files *files, obb_arena *arena, const char *program, const char *how, const char *what, const char *end,
                const char *within, obb_words *names)
{
    const char *path = obb_find_program(files, arena, program);
    const char *words[] = {path, how, what, NULL};
    if (!path)
        return;
    obb_answer answer = obb_ask(words, "");
    if (!answer.failed && !answer.status)
        take_lines(arena, obb_text_bytes(&answer.out), end, within, names);
    obb_answer_free(&answer);
}

const char *obb_packages_with(obb_files *files, obb_arena *arena, const char *end, const char *within)
{
    obb_words names = {0};
    obb_text list = {0};
    ask(files, arena, "apt-file", "search", end, end, within, &names);
    if (!names.count)
        ask(files, arena, "dpkg-query", "-S", obb_arena_format(arena, "*%s", end), end, within, &names);
    for (size_t i = 0; i < names.count && names.count <= MOST; i++)
        obb_text_format(&list, "%s%s", i == 0 ? "" : i + 1 == names.count ? " or " : ", ", names.at[i]);
    const char *text = list.length ? obb_arena_string(arena, list.bytes) : NULL;
    obb_text_free(&list);
    return text;
}
