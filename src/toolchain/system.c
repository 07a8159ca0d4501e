/* Finding libraries of the system, and reading metadata files (`.pc`) with those that they require. Every
 * folder that was searched is told when nothing is found.
 *
 * Files are looked up through obb_files, so that their absence in earlier folders is known, and a library
 * that appears there is noticed. */
#include "toolchain/system.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "toolchain/packages.h"

static obb_file file_in(obb_toolchain *tc, const char *folder, const char *name)
{
    obb_file file = obb_files_number(tc->files, obb_path_join(tc->arena, folder, name));
    return obb_files_is_file(tc->files, file) ? file : OBB_NO_FILE;
}

static obb_file library_in(obb_toolchain *tc, const char *folder, const char *name)
{
    static const char *const forms[] = {"lib%s.so",  "lib%s.dll.a", "lib%s.dylib",
                                        "lib%s.tbd", "lib%s.a",     NULL};
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
    obb_map seen; /* names that were read: their versions */
    const char *unmet; /* "bell is 1.2, and rope wants >= 2"; or NULL */
    obb_words *compile, *link;
} pc_reader;

/* Systems keep these files in a folder below that of the libraries. */
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
        if (!common_folder(word) && (word[1] == 'l' || !obb_has_word(words, word)))
            obb_arena_push(tc->arena, words, word);
        text += n;
    }
}

static const char *read_pc(pc_reader *r, const char *name);

/* By their numbers, part by part. */
static int compare_versions(const char *a, const char *b)
{
    while (*a || *b) {
        char *a_end, *b_end;
        unsigned long x = strtoul(a, &a_end, 10), y = strtoul(b, &b_end, 10);
        if (x != y)
            return x < y ? -1 : 1;
        a = *a_end ? a_end + 1 : a_end;
        b = *b_end ? b_end + 1 : b_end;
    }
    return 0;
}

static bool satisfies(const char *have, const char *relation, const char *wanted)
{
    int c = compare_versions(have, wanted);
    return strcmp(relation, ">=") == 0   ? c >= 0
           : strcmp(relation, ">") == 0  ? c > 0
           : strcmp(relation, "<=") == 0 ? c <= 0
           : strcmp(relation, "<") == 0  ? c < 0
           : strcmp(relation, "!=") == 0 ? c != 0
                                         : c == 0;
}

static void check_version(pc_reader *r, const char *who, const char *name, const char *relation,
                          const char *wanted)
{
    const char *have = obb_map_get(&r->seen, name);
    if (have && *have && !r->unmet && !satisfies(have, relation, wanted))
        r->unmet = obb_arena_format(r->toolchain->arena, "`%s` is version %s, and `%s` needs %s %s", name,
                                    have, who, relation, wanted);
}

/* What a description demands; unlike a `.pc` file's demands, it is not met by a library that gives no
 * version. */
static void check_least(pc_reader *r, const char *name, const char *wanted)
{
    const char *have = obb_map_get(&r->seen, name);
    if (r->unmet || (have && *have && compare_versions(have, wanted) >= 0))
        return;
    r->unmet = have && *have
                   ? obb_arena_format(r->toolchain->arena, "`%s` is version %s, older than %s", name, have,
                                      wanted)
                   : obb_arena_format(r->toolchain->arena,
                                      "`%s.pc` gives no version, and at least %s is wanted", name, wanted);
}

static char *take_span(pc_reader *r, const char **list, size_t n)
{
    char *text = obb_arena_copy(r->toolchain->arena, *list, n);
    *list += n;
    *list += strspn(*list, " \t");
    return text;
}

/* Reads all of "name >= 1.2, name ..."; the name of one that is missing, or NULL. */
static const char *read_required(pc_reader *r, const char *who, const char *list)
{
    while (list && *(list += strspn(list, " \t,"))) {
        const char *name = take_span(r, &list, strcspn(list, " \t,<>=!"));
        const char *missing = *name ? read_pc(r, name) : NULL;
        if (missing)
            return missing;
        if (*list && strchr("<>=!", *list)) {
            const char *relation = take_span(r, &list, strspn(list, "<>=!"));
            check_version(r, who, name, relation, take_span(r, &list, strcspn(list, " \t,")));
        } else if (!*name) {
            break;
        }
    }
    return NULL;
}

/* Its values, and with a colon in front its fields. False: there is no such file. */
static bool read_file(obb_toolchain *tc, const char *name, obb_map *values)
{
    obb_file file = find_pc(tc, name);
    obb_text text = {0};
    obb_fingerprint fingerprint;
    if (file == OBB_NO_FILE || obb_file_read(obb_files_path(tc->files, file), &text))
        return false;
    obb_files_fingerprint(tc->files, file, &fingerprint);
    obb_map_put(values, "pcfiledir", obb_path_folder(tc->arena, obb_files_path(tc->files, file)));
    read_values(tc, text.bytes, values);
    obb_text_free(&text);
    return true;
}

static const char *read_pc(pc_reader *r, const char *name)
{
    obb_toolchain *tc = r->toolchain;
    static char none[] = "";
    if (obb_map_get(&r->seen, name))
        return NULL;
    obb_map_put(&r->seen, name, none);
    obb_map values = {0};
    if (!read_file(tc, name, &values))
        return name;
    add_words(tc, obb_map_get(&values, ":Cflags"), r->compile);
    add_words(tc, obb_map_get(&values, ":Libs"), r->link);
    const char *requires = obb_map_get(&values, ":Requires");
    char *version = obb_map_get(&values, ":Version");
    obb_map_put(&r->seen, name, version ? version : none);
    obb_map_free(&values);
    return read_required(r, name, requires);
}

bool obb_system_metadata(obb_toolchain *toolchain, const char *wanted, obb_place place,
                         const char *who, obb_diags *diags, obb_metadata *metadata)
{
    static const char mark[] = " least ";
    pc_reader r = {.toolchain = toolchain, .compile = &metadata->compile, .link = &metadata->link};
    const char *least = strstr(wanted, mark);
    const char *name = least ? obb_arena_copy(toolchain->arena, wanted, (size_t)(least - wanted)) : wanted;
    const char *missing = read_pc(&r, name);
    if (!missing && least)
        check_least(&r, name, least + strlen(mark));
    obb_map_free(&r.seen);
    if (!missing && r.unmet) {
        obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "%s; `%s` needs it", r.unmet, who);
        obb_hint(diags, d,
                 "install another version, or set OBBLIGATO_METADATA to the folder that has its .pc file");
        obb_stops(diags, d, r.unmet, who);
        return false;
    }
    if (!missing)
        return true;
    obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, place, "there is no `%s.pc`; `%s` needs it%s%s",
                            missing, who, strcmp(missing, name) == 0 ? "" : " through ",
                            strcmp(missing, name) == 0 ? "" : name);
    const char *packages = obb_packages_with(toolchain, obb_arena_format(toolchain->arena, "%s.pc", missing),
                                             "/usr/");
    obb_hint(diags, d, "install %s, or set OBBLIGATO_METADATA to the folder that has the file",
             packages ? packages
                      : obb_arena_format(toolchain->arena, "the development package of %s", missing));
    const char *stated = getenv("OBBLIGATO_METADATA");
    if (stated && *stated)
        obb_also(diags, d, OBB_NOWHERE, "looked in %s", stated);
    for (size_t i = 0; i < toolchain->library_folders.count; i++)
        if (obb_files_stamp(toolchain->files,
                            obb_files_number(toolchain->files, toolchain->library_folders.at[i])))
            obb_also(diags, d, OBB_NOWHERE, "looked in the folders of %s", toolchain->library_folders.at[i]);
    obb_stops(diags, d, obb_arena_format(toolchain->arena, "no %s.pc for %s", missing, toolchain->name), who);
    return false;
}

bool obb_system_metadata_itself(obb_toolchain *tc, const char *name, obb_words *compile)
{
    obb_map values = {0};
    bool found = read_file(tc, name, &values);
    if (found)
        add_words(tc, obb_map_get(&values, ":Cflags"), compile);
    obb_map_free(&values);
    return found;
}

static obb_words metadata_patterns(obb_toolchain *tc)
{
    obb_words patterns = {0};
    for (size_t i = 0; i < tc->library_folders.count; i++)
        obb_arena_push(tc->arena, &patterns,
                       obb_arena_format(tc->arena, "%s/*/*.pc", tc->library_folders.at[i]));
    obb_arena_push(tc->arena, &patterns, "/usr/share/*/*.pc");
    return patterns;
}

void obb_system_metadata_names(obb_toolchain *tc, obb_words *names)
{
    const obb_words patterns = metadata_patterns(tc);
    for (size_t i = 0; i < patterns.count; i++) {
        obb_file_list found = {0};
        obb_files_expand(tc->files, patterns.at[i], &found);
        for (size_t k = 0; k < found.count; k++) {
            const char *file = obb_path_name(obb_files_path(tc->files, found.at[k]));
            const char *name = obb_arena_copy(tc->arena, file, strlen(file) - 3);
            if (!obb_has_word(names, name))
                obb_arena_push(tc->arena, names, name);
        }
        obb_vec_free(&found);
    }
}

const char *obb_system_metadata_folder(obb_toolchain *tc)
{
    obb_words patterns = metadata_patterns(tc);
    const char *name = NULL;
    obb_arena_push(tc->arena, &patterns, "/usr/lib/*/*/*.pc");
    for (size_t i = 0; i < patterns.count && !name; i++) {
        obb_file_list found = {0};
        obb_files_expand(tc->files, patterns.at[i], &found);
        if (found.count)
            name = obb_path_name(obb_path_folder(tc->arena, obb_files_path(tc->files, found.at[0])));
        obb_vec_free(&found);
    }
    return name ? name : "metadata";
}
