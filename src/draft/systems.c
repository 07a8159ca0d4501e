/* Libraries of this system (draft/work.h): those that define what targets lack and the C and C++ libraries do
 * not have. */
#include <dirent.h>
#include <stdlib.h>
#include <string.h>

#include "base/files.h"
#include "base/path.h"
#include "base/process.h"
#include "draft/work.h"
#include "image/elf.h"

typedef struct library {
    const char *name, *path, *package; /* the package: of its .pc file; or NULL */
    obb_map symbols;
    bool read;
} library;

typedef OBB_VEC(library) libraries;

static const char *asked(draft *d, const char *what)
{
    const char *named = getenv("CC"), *cc = named && *named ? named : "cc"; /* perhaps with words behind it */
    const char *const argv[] = {obb_arena_copy(d->arena, cc, strcspn(cc, " ")),
                                obb_arena_format(d->arena, "-print-file-name=%s", what), NULL};
    obb_answer answer = obb_ask(argv, NULL);
    const char *said = obb_text_bytes(&answer.out);
    const char *path = obb_arena_copy(d->arena, said, strcspn(said, "\n"));
    obb_answer_free(&answer);
    return path;
}

static void read_symbols(draft *d, library *l)
{
    obb_elf_names names = {0};
    if (l->read)
        return;
    l->read = true;
    obb_elf_read_names(l->path, d->arena, &names);
    for (size_t i = 0; i < names.defined.count; i++)
        obb_map_put(&l->symbols, names.defined.at[i], l);
}

/* Those that need not be named. */
static void list_usual(draft *d, libraries *list)
{
    static const char *const names[] = {"libc.so.6", "libc.so", "libstdc++.so.6", "libgcc_s.so.1"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        obb_arena_push(d->arena, list, ((library){.name = names[i], .path = asked(d, names[i])}));
}

static int by_length(const void *a, const void *b)
{
    const library *x = a, *y = b;
    size_t n = strlen(x->name), m = strlen(y->name);
    return n != m ? (n < m ? -1 : 1) : strcmp(x->name, y->name);
}

/* A name for developers may be a text that names the real one. */
static const char *real_library(draft *d, const char *folder, const char *name)
{
    const char *path = obb_path_join(d->arena, folder, obb_arena_format(d->arena, "lib%s.so", name));
    obb_elf_dynamic dynamic;
    if (obb_elf_read_dynamic(path, d->arena, &dynamic))
        return path;
    for (int version = 9; version > 0; version--) {
        const char *other = obb_arena_format(d->arena, "%s.%d", path, version);
        if (obb_elf_read_dynamic(other, d->arena, &dynamic))
            return other;
    }
    return NULL;
}

static void list_folder(draft *d, const char *folder, libraries *list)
{
    DIR *dir = opendir(folder);
    for (struct dirent *e; dir && (e = readdir(dir));) {
        size_t n = strlen(e->d_name);
        if (n < 7 || strncmp(e->d_name, "lib", 3) != 0 || strcmp(e->d_name + n - 3, ".so") != 0 ||
            strncmp(e->d_name, "libc.", 5) == 0)
            continue;
        const char *name = obb_arena_copy(d->arena, e->d_name + 3, n - 6),
                   *path = real_library(d, folder, name);
        if (path)
            obb_arena_push(d->arena, list, ((library){.name = name, .path = path}));
    }
    if (dir)
        closedir(dir);
    if (list->count)
        qsort(list->at, list->count, sizeof *list->at, by_length);
}

/* All .pc files of a folder of libraries: they lie in folders of it. */
static void list_metadata(draft *d, const char *folder, obb_words *paths)
{
    DIR *dir = opendir(folder);
    for (struct dirent *e; dir && (e = readdir(dir));) {
        const char *inner = obb_path_join(d->arena, folder, e->d_name);
        DIR *files = *e->d_name != '.' ? opendir(inner) : NULL;
        for (struct dirent *f; files && (f = readdir(files));)
            if (strcmp(obb_path_suffix(f->d_name), ".pc") == 0)
                obb_arena_push(d->arena, paths, obb_path_join(d->arena, inner, f->d_name));
        if (files)
            closedir(files);
    }
    if (dir)
        closedir(dir);
}

/* Whether it is the first library of the file: what stands behind that may be what it needs itself. */
static bool gives(draft *d, const char *path, const char *name)
{
    obb_text text = {0};
    const char *libs = obb_file_read(path, &text) ? NULL : strstr(obb_text_bytes(&text), "\nLibs:");
    const char *line = libs ? obb_arena_copy(d->arena, libs + 1, strcspn(libs + 1, "\n")) : "",
               *first = strstr(line, " -l");
    obb_text_free(&text);
    return first && strcspn(first + 3, " \t") == strlen(name) && strncmp(first + 3, name, strlen(name)) == 0;
}

/* The .pc file that gives a library, by its name: `Libs:` begins with -lNAME. The shortest of several. */
static const char *package_of(draft *d, const obb_words *metadata, const char *name)
{
    const char *found = NULL;
    for (size_t i = 0; i < metadata->count; i++) {
        const char *file = obb_path_name(metadata->at[i]);
        if ((!found || strlen(file) - 3 < strlen(found)) && gives(d, metadata->at[i], name))
            found = obb_arena_copy(d->arena, file, strlen(file) - 3);
    }
    return found;
}

/* Of what the compiler itself adds, or links from libc_nonshared.a, no shared library tells. */
static bool of_compiler(const char *symbol)
{
    static const char *const names[] = {"_GLOBAL_OFFSET_TABLE_", "__dso_handle", "_DYNAMIC", "environ",
                                        "atexit", "at_quick_exit", "pthread_atfork"};
    bool is = strncmp(symbol, "__stack_chk", 11) == 0 || strncmp(symbol, "__tls", 5) == 0;
    for (size_t i = 0; i < sizeof names / sizeof *names && !is; i++)
        is = strcmp(symbol, names[i]) == 0;
    return is;
}

static void need(draft *d, draft_target *t, library *l, const obb_words *metadata)
{
    if (!l->package) {
        const char *found = package_of(d, metadata, l->name);
        l->package = found ? found : "";
    }
    if (*l->package && !obb_has_word(&t->packages, l->package))
        obb_arena_push(d->arena, &t->packages, l->package);
    if (!*l->package && !obb_has_word(&t->libs, l->name))
        obb_arena_push(d->arena, &t->libs, l->name);
}

static void resolve(draft *d, draft_target *t, const libraries *others, const obb_words *metadata)
{
    obb_words open = t->unresolved;
    t->unresolved = (obb_words){0};
    for (size_t i = 0; i < open.count; i++) {
        const char *symbol = open.at[i];
        bool known = of_compiler(symbol) || draft_has_function(d, symbol) ||
                     obb_has_word(&t->unresolved, symbol);
        for (size_t k = 0; k < others->count && !known; k++) {
            read_symbols(d, &others->at[k]);
            known = obb_map_get(&others->at[k].symbols, symbol) != NULL;
            if (known)
                need(d, t, &others->at[k], metadata);
        }
        if (!known)
            obb_arena_push(d->arena, &t->unresolved, symbol);
    }
}

/* All but those that need not be named. */
static const libraries *others_of(draft *d)
{
    if (!d->systems) {
        libraries *others = obb_arena_alloc(d->arena, sizeof *others);
        list_folder(d, obb_path_folder(d->arena, asked(d, "libc.so.6")), others);
        d->systems = others;
    }
    return d->systems;
}

bool draft_is_of_system(draft *d, const char *symbol)
{
    const libraries *others = others_of(d);
    bool is = of_compiler(symbol) || draft_has_function(d, symbol);
    for (size_t i = 0; i < others->count && !is; i++) {
        read_symbols(d, &others->at[i]);
        is = obb_map_get(&others->at[i].symbols, symbol) != NULL;
    }
    return is;
}

static void free_all(const libraries *list)
{
    for (size_t i = 0; i < list->count; i++)
        obb_map_free(&list->at[i].symbols);
}

bool draft_has_function(draft *d, const char *name)
{
    if (!d->usual.count) {
        libraries usual = {0};
        list_usual(d, &usual);
        for (size_t i = 0; i < usual.count; i++) {
            read_symbols(d, &usual.at[i]);
            for (size_t k = 0; k < usual.at[i].symbols.count; k++)
                obb_map_put(&d->usual, usual.at[i].symbols.at[k].key, d);
        }
        free_all(&usual);
    }
    return obb_map_get(&d->usual, name) != NULL;
}

void draft_find_libraries(draft *d)
{
    obb_words metadata = {0};
    list_metadata(d, obb_path_folder(d->arena, asked(d, "libc.so.6")), &metadata);
    for (size_t i = 0; i < d->targets.count; i++)
        resolve(d, d->targets.at[i], others_of(d), &metadata);
    free_all(others_of(d));
}
