#include "toolchain/system.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"

static obb_file file_in(obb_toolchain *tc, const char *folder, const char *name)
{
    obb_file file = obb_files_number(tc->files, obb_path_join(tc->arena, folder, name));
    return obb_files_is_file(tc->files, file) ? file : OBB_NO_FILE;
}

static obb_file library_in(obb_toolchain *tc, const char *folder, const char *name)
{
    static const char *const forms[] = {"lib%s.so", "lib%s.dll.a", "lib%s.dylib", "lib%s.tbd", "lib%s.a", NULL};
    obb_file file = OBB_NO_FILE;
    for (const char *const *f = forms; *f && file == OBB_NO_FILE; f++)
        file = file_in(tc, folder, obb_arena_format(tc->arena, *f, name));
    return file;
}

obb_file obb_system_library(obb_toolchain *tc, const obb_tool *tool, const obb_words *flags, const char *name)
{
    const obb_words *folders = obb_toolchain_library_folders(tc, tool, flags);
    obb_file file = OBB_NO_FILE;
    for (size_t i = 0; i < flags->count && file == OBB_NO_FILE; i++) {
        const char *f = flags->at[i];
        if (strcmp(f, "-L") == 0 && i + 1 < flags->count)
            file = library_in(tc, flags->at[i + 1], name);
        else if (obb_starts(f, "-L"))
            file = library_in(tc, f + 2, name);
    }
    for (size_t i = 0; i < folders->count && file == OBB_NO_FILE; i++)
        file = library_in(tc, folders->at[i], name);
    return file;
}

/* --- metadata files ----------------------------------------------------------------- */

typedef struct pc_reader {
    obb_toolchain *toolchain;
    obb_map seen; /* names that were read */
    obb_words *compile, *link;
} pc_reader;

/* Systems keep these files in a folder below that of the libraries; its name is theirs. */
static obb_file file_one_below(obb_toolchain *tc, const char *folder, const char *name)
{
    obb_file_list found = {0};
    obb_files_expand(tc->files, obb_arena_format(tc->arena, "%s/*/%s", folder, name), &found);
    obb_file file = found.count ? found.at[0] : OBB_NO_FILE;
    obb_vec_free(&found);
    return file;
}

static obb_file find_pc(obb_toolchain *tc, const char *name)
{
    const char *stated = getenv("OBBLIGATO_METADATA");
    char *file_name = obb_arena_format(tc->arena, "%s.pc", name);
    obb_file file = OBB_NO_FILE;
    while (stated && *stated && file == OBB_NO_FILE) {
        size_t n = strcspn(stated, ":");
        if (n)
            file = file_in(tc, obb_arena_copy(tc->arena, stated, n), file_name);
        stated += n + (stated[n] == ':');
    }
    for (size_t i = 0; i < tc->library_folders.count && file == OBB_NO_FILE; i++)
        file = file_one_below(tc, tc->library_folders.at[i], file_name);
    return file != OBB_NO_FILE ? file : file_one_below(tc, "/usr/share", file_name);
}

/* ${NAME} in a value; unknown names become nothing. */
static const char *expanded(obb_toolchain *tc, const obb_map *values, const char *value)
{
    obb_text text = {0};
    for (const char *c = value; *c;) {
        const char *close = c[0] == '$' && c[1] == '{' ? strchr(c, '}') : NULL;
        if (!close) {
            obb_text_char(&text, *c++);
            continue;
        }
        const char *known = obb_map_get(values, obb_arena_copy(tc->arena, c + 2, (size_t)(close - c - 2)));
        obb_text_string(&text, known ? known : "");
        c = close + 1;
    }
    const char *copy = obb_arena_string(tc->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static void read_values(obb_toolchain *tc, const char *text, obb_map *values)
{
    for (const char *line = text; *line;) {
        size_t n = strcspn(line, "\n");
        char *copy = obb_arena_copy(tc->arena, line, n);
        copy[strcspn(copy, "#\r")] = 0;
        char *split = copy + strcspn(copy, "=:");
        if (*split) {
            bool field = *split == ':';
            char *end = split;
            *split = 0;
            while (end > copy && (end[-1] == ' ' || end[-1] == '\t'))
                *--end = 0;
            const char *value = split + 1 + strspn(split + 1, " \t");
            char *key = field ? obb_arena_format(tc->arena, ":%s", copy) : copy;
            obb_map_put(values, key, (void *)(uintptr_t)expanded(tc, values, value));
        }
        line += n + (line[n] == '\n');
    }
}

static bool common_folder(const char *word)
{
    return strcmp(word, "-I/usr/include") == 0 || strcmp(word, "-L/usr/lib") == 0;
}

static void add_words(obb_toolchain *tc, const char *text, obb_words *words)
{
    while (text && *(text += strspn(text, " \t"))) {
        size_t n = strcspn(text, " \t");
        const char *word = obb_arena_copy(tc->arena, text, n);
        bool known = common_folder(word);
        for (size_t i = 0; i < words->count && !known && word[1] != 'l'; i++)
            known = strcmp(words->at[i], word) == 0;
        if (!known)
            obb_arena_push(tc->arena, words, word);
        text += n;
    }
}

static const char *read_pc(pc_reader *r, const char *name);

/* Reads all of "name >= 1.2, name ..."; the name of one that is missing, or NULL. */
static const char *read_required(pc_reader *r, const char *list)
{
    while (list && *(list += strspn(list, " \t,"))) {
        size_t n = strcspn(list, " \t,");
        const char *name = obb_arena_copy(r->toolchain->arena, list, n);
        list += n;
        const char *missing = read_pc(r, name);
        if (missing)
            return missing;
        list += strspn(list, " \t");
        if (*list && strchr("<>=!", *list)) { /* versions are the packager's affair */
            list += strspn(list, "<>=!");
            list += strspn(list, " \t");
            list += strcspn(list, " \t,");
        }
    }
    return NULL;
}

static const char *read_pc(pc_reader *r, const char *name)
{
    obb_toolchain *tc = r->toolchain;
    if (obb_map_put(&r->seen, name, r))
        return NULL;
    obb_file file = find_pc(tc, name);
    obb_text text = {0};
    obb_print print;
    if (file == OBB_NO_FILE || obb_file_read(obb_files_path(tc->files, file), &text))
        return name;
    obb_files_print(tc->files, file, &print);
    obb_map values = {0};
    read_values(tc, text.bytes, &values);
    obb_text_free(&text);
    add_words(tc, obb_map_get(&values, ":Cflags"), r->compile);
    add_words(tc, obb_map_get(&values, ":Libs"), r->link);
    const char *requires = obb_map_get(&values, ":Requires");
    obb_map_free(&values);
    return read_required(r, requires);
}

bool obb_system_metadata(obb_toolchain *toolchain, const char *name, obb_place place,
                         const char *who, obb_diags *diags, obb_words *compile, obb_words *link)
{
    pc_reader r = {.toolchain = toolchain, .compile = compile, .link = link};
    const char *missing = read_pc(&r, name);
    obb_map_free(&r.seen);
    if (!missing)
        return true;
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "the system has no `%s.pc`; `%s` needs it%s%s",
                            missing, who, strcmp(missing, name) == 0 ? "" : " through ",
                            strcmp(missing, name) == 0 ? "" : name);
    obb_hint(diags, d, "install the development package of %s, or set OBBLIGATO_METADATA to the folder that has the file", missing);
    const char *stated = getenv("OBBLIGATO_METADATA");
    if (stated && *stated)
        obb_also(diags, d, OBB_NOWHERE, "looked in %s", stated);
    for (size_t i = 0; i < toolchain->library_folders.count; i++)
        if (obb_files_stamp(toolchain->files, obb_files_number(toolchain->files, toolchain->library_folders.at[i])))
            obb_also(diags, d, OBB_NOWHERE, "looked in the folders of %s", toolchain->library_folders.at[i]);
    obb_stops(diags, d, obb_arena_format(toolchain->arena, "no %s.pc for %s", missing, toolchain->name), who);
    return false;
}
