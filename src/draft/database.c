/* Flags from a JSON compilation database (draft/work.h; LLVM project, JSON Compilation Database Format
 * Specification). */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/json.h"
#include "base/path.h"
#include "draft/work.h"

/* A command as a shell takes it apart: blanks, quotes, backslashes. */
static void take_apart(draft *d, const char *command, obb_words *words)
{
    obb_text word = {0};
    char quote = 0;
    bool any = false;
    for (const char *c = command;; c++) {
        if (!*c || (!quote && (*c == ' ' || *c == '\t'))) {
            if (any)
                obb_arena_push(d->arena, words, obb_arena_string(d->arena, obb_text_bytes(&word)));
            word.length = 0;
            any = false;
            if (!*c)
                break;
            continue;
        }
        any = true;
        if (!quote && (*c == '"' || *c == '\''))
            quote = *c;
        else if (quote == *c)
            quote = 0;
        else if (*c == '\\' && quote != '\'' && c[1])
            obb_text_char(&word, *++c);
        else
            obb_text_char(&word, *c);
    }
    obb_text_free(&word);
}

static const char *from_top(draft *d, const char *top, const char *folder, const char *path)
{
    const char *whole = *path == '/' ? path : obb_path_join(d->arena, folder, path);
    return obb_path_below(d->arena, top, obb_path_join(d->arena, "/", whole));
}

static draft_file *file_at(const draft *d, const char *path)
{
    for (size_t i = 0; i < d->files.count; i++)
        if (strcmp(d->files.at[i]->path, path) == 0)
            return d->files.at[i];
    return NULL;
}

/* The flags that decide what is made; folders go to the project. */
static void take_words(draft *d, draft_file *f, const obb_words *words, const char *top, const char *folder)
{
    for (size_t i = 1; i < words->count; i++) {
        const char *w = words->at[i];
        bool apart = strcmp(w, "-I") == 0 || strcmp(w, "-isystem") == 0;
        if (apart || strncmp(w, "-I", 2) == 0) {
            const char *path = apart && i + 1 < words->count ? words->at[++i] : w + 2;
            path = *path ? from_top(d, top, folder, path) : NULL;
            if (path && !obb_has_word(&d->folders_given, path))
                obb_arena_push(d->arena, &d->folders_given, path);
        } else if (strncmp(w, "-D", 2) == 0 || strncmp(w, "-std=", 5) == 0 || strncmp(w, "-U", 2) == 0) {
            bool alone = strcmp(w, "-D") == 0 || strcmp(w, "-U") == 0;
            if (alone && i + 1 < words->count)
                w = obb_arena_format(d->arena, "%s%s", w, words->at[++i]);
            if (!obb_has_word(&f->flags, w))
                obb_arena_push(d->arena, &f->flags, w);
        }
    }
}

/* Macros that all sources have are the project's. */
static void share_defines(draft *d)
{
    const draft_file *first = NULL;
    for (size_t i = 0; i < d->files.count && !first; i++)
        first = d->files.at[i]->flags.count ? d->files.at[i] : NULL;
    for (size_t k = 0; first && k < first->flags.count; k++) {
        const char *flag = first->flags.at[k];
        bool all = strncmp(flag, "-D", 2) == 0;
        for (size_t i = 0; i < d->files.count && all; i++)
            all = d->files.at[i]->header || obb_has_word(&d->files.at[i]->flags, flag);
        if (all)
            obb_arena_push(d->arena, &d->defines, flag + 2);
    }
}

const char *draft_read_database(draft *d)
{
    json_error_t error;
    json_t *list = obb_json_read(d->request->database, &error);
    char top[4096];
    obb_map named = {0};
    if (!json_is_array(list) || !getcwd(top, sizeof top)) {
        json_decref(list);
        return obb_arena_format(d->arena, "%s:%d: %s", d->request->database, error.line,
                                list ? "a compilation database is an array" : error.text);
    }
    for (size_t i = 0; i < json_array_size(list); i++) {
        const json_t *entry = json_array_get(list, i), *given = json_object_get(entry, "arguments");
        const char *folder = json_string_value(json_object_get(entry, "directory")),
                   *file = json_string_value(json_object_get(entry, "file")),
                   *command = json_string_value(json_object_get(entry, "command"));
        obb_words words = {0};
        draft_file *f = file && folder ? file_at(d, from_top(d, top, folder, file)) : NULL;
        if (!f)
            continue;
        obb_json_words(d->arena, given, &words);
        if (command && !words.count)
            take_apart(d, command, &words);
        obb_map_put(&named, f->path, f);
        take_words(d, f, &words, top, folder);
    }
    json_decref(list);
    size_t kept = 0;
    for (size_t i = 0; i < d->files.count; i++) /* what it does not compile is no source */
        if (d->files.at[i]->header || obb_map_get(&named, d->files.at[i]->path))
            d->files.at[kept++] = d->files.at[i];
    d->files.count = kept;
    bool any = named.count > 0;
    obb_map_free(&named);
    share_defines(d);
    return any ? NULL : obb_arena_format(d->arena, "%s names no source of this tree", d->request->database);
}
