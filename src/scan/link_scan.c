/* Scanning a link (link_scan.h): its words in order, by the table of options, then the libraries that shared
 * libraries need. Every place where a library was looked for before it was found is noted as an absence. */
#include "scan/link_scan.h"

#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "image/elf.h"
#include "scan/linker_script.h"

/* GNU ld gives up at 10 scripts in each other. */
enum { DEEPEST = 10, BEGINNING = 4096 };

typedef struct scanner {
    obb_files *files;
    obb_arena *arena;
    const obb_linking *linking;
    obb_link_scan *scan;
    obb_words run_paths; /* of the command, for what libraries need */
    obb_map noted;       /* files, by path */
    obb_map loaded;      /* shared libraries, by the name that others need them by */
    obb_file_list shared; /* whose needs are still to be looked for */
    bool is_static, makes_shared;
    int depth;
} scanner;

static void look_into(scanner *s, obb_file file);

static bool note_in(scanner *s, obb_file file, obb_file_list *list)
{
    obb_fingerprint fingerprint;
    if (obb_map_put(&s->noted, obb_files_path(s->files, file), s))
        return false;
    obb_arena_push(s->arena, list, file);
    obb_files_fingerprint(s->files, file, &fingerprint); /* its contents decide what else is read */
    return true;
}

static bool note(scanner *s, obb_file file)
{
    return note_in(s, file, &s->scan->files);
}

static bool note_untold(scanner *s, obb_file file)
{
    return note_in(s, file, &s->scan->untold);
}

static bool take_file(scanner *s, const char *path)
{
    obb_file file = obb_files_number(s->files, path);
    if (!obb_files_is_file(s->files, file))
        return false;
    if (note(s, file))
        look_into(s, file);
    return true;
}

/* --- libraries ---------------------------------------------------------------------- */

/* ld tries all forms in a folder before it goes to the next. */
static bool library_in(scanner *s, const char *folder, const char *name)
{
    static const char *const elf[] = {"lib%s.so", "lib%s.dylib", "lib%s.tbd", NULL};
    static const char *const windows[] = {"lib%s.dll.a", "%s.dll.a", "lib%s.lib", "%s.lib",
                                          "lib%s.dll",   "%s.dll",   NULL};
    if (name[0] == ':')
        return take_file(s, obb_files_resolve(s->files, s->arena, folder, name + 1));
    for (const char *const *f = s->linking->windows ? windows : elf; *f && !s->is_static; f++)
        if (take_file(s, obb_files_resolve(s->files, s->arena, folder, obb_arena_format(s->arena, *f, name))))
            return true;
    return take_file(s, obb_files_resolve(s->files, s->arena, folder,
                                          obb_arena_format(s->arena, "lib%s.a", name)));
}

static bool find_library(scanner *s, const char *name)
{
    for (size_t i = 0; i < s->scan->folders.count; i++)
        if (library_in(s, s->scan->folders.at[i], name))
            return true;
    return false;
}

/* --- scripts ------------------------------------------------------------------------ */

/* A file that a script names: from the working folder, beside the script, then where libraries are. */
static void find_input(scanner *s, const char *name, const char *byproducts)
{
    if (name[0] == '-' && name[1] == 'l') {
        find_library(s, name + 2);
        return;
    }
    if (name[0] == '/' && *s->linking->root &&
        take_file(s, obb_files_resolve(s->files, s->arena, s->linking->root, name + strspn(name, "/"))))
        return;
    if (name[0] == '=' || obb_starts(name, "$SYSROOT")) {
        const char *rest = name + (name[0] == '=' ? 1 : 8);
        take_file(s, obb_files_resolve(s->files, s->arena, *s->linking->root ? s->linking->root : "/",
                                       rest + strspn(rest, "/")));
        return;
    }
    if (take_file(s, obb_files_resolve(s->files, s->arena, ".", name)) || name[0] == '/' ||
        take_file(s, obb_files_resolve(s->files, s->arena, obb_path_folder(s->arena, byproducts), name)))
        return;
    for (size_t i = 0; i < s->scan->folders.count; i++)
        if (take_file(s, obb_files_resolve(s->files, s->arena, s->scan->folders.at[i], name)))
            return;
}

static void read_script(scanner *s, obb_file file)
{
    obb_script_scan found = {0};
    const char *path = obb_files_path(s->files, file);
    obb_words folders = {0};
    if (s->depth >= DEEPEST)
        return;
    s->depth++;
    obb_arena_push(s->arena, &folders, ".");
    obb_arena_push(s->arena, &folders, obb_path_folder(s->arena, path));
    for (size_t i = 0; i < s->scan->folders.count; i++)
        obb_arena_push(s->arena, &folders, s->scan->folders.at[i]);
    obb_scan_linker_script(s->files, s->arena, path, &folders, &found);
    for (size_t i = 0; i < found.files.count; i++)
        note_untold(s, found.files.at[i]);
    for (size_t i = 0; i < found.inputs.count; i++)
        find_input(s, found.inputs.at[i], path);
    s->depth--;
}

static void find_script(scanner *s, const char *name)
{
    obb_file file = obb_files_number(s->files, obb_files_resolve(s->files, s->arena, ".", name));
    for (size_t i = 0; !obb_files_is_file(s->files, file) && i < s->scan->folders.count; i++)
        file = obb_files_number(s->files,
                                obb_files_resolve(s->files, s->arena, s->scan->folders.at[i], name));
    if (obb_files_is_file(s->files, file) && note_untold(s, file))
        read_script(s, file);
}

/* --- what files are ------------------------------------------------------------------ */

static size_t beginning_of(const char *path, char *bytes, size_t room)
{
    int fd = open(path, O_RDONLY | O_CLOEXEC);
    ssize_t n = fd < 0 ? -1 : read(fd, bytes, room);
    if (fd >= 0)
        close(fd);
    return n < 0 ? 0 : (size_t)n;
}

/* Members of a thin archive lie beside it (GNU binutils, ar, "thin archives"; the header is that of
 * ar(5): the name in 16 bytes, the size in 10 from byte 48 on). */
static void read_thin_archive(scanner *s, const char *path)
{
    enum { HEADER = 60, SIZE_AT = 48 };
    obb_text text = {0};
    const char *folder = obb_path_folder(s->arena, path), *names = NULL;
    size_t names_length = 0;
    if (obb_file_read(path, &text))
        text.length = 0;
    for (size_t at = 8; at + HEADER <= text.length;) {
        const char *h = text.bytes + at;
        size_t size = strtoul(obb_arena_copy(s->arena, h + SIZE_AT, 10), NULL, 10);
        bool index = h[0] == '/' && (h[1] == ' ' || h[1] == '/' || h[1] == 'S');
        if (index && h[1] == '/') {
            names = h + HEADER;
            names_length = size;
        }
        if (h[0] == '/' && h[1] >= '0' && h[1] <= '9' && names) {
            size_t from = strtoul(obb_arena_copy(s->arena, h + 1, 15), NULL, 10), n = 0;
            while (from + n < names_length && names + from + n < text.bytes + text.length &&
                   names[from + n] != '\n')
                n++;
            if (n && from < names_length)
                take_file(s, obb_files_resolve(s->files, s->arena, folder,
                                               obb_arena_copy(s->arena, names + from,
                                                              n - (names[from + n - 1] == '/'))));
        } else if (!index && h[0] != '/') {
            size_t n = 0;
            while (n < 16 && h[n] != '/' && h[n] != ' ')
                n++;
            take_file(s, obb_files_resolve(s->files, s->arena, folder, obb_arena_copy(s->arena, h, n)));
        }
        at += HEADER + (index ? size + (size & 1) : 0);
    }
    obb_text_free(&text);
}

static void look_into(scanner *s, obb_file file)
{
    char bytes[BEGINNING];
    const char *path = obb_files_path(s->files, file);
    if (obb_files_is_pending(s->files, file))
        return;
    size_t n = beginning_of(path, bytes, sizeof bytes);
    if (n >= 8 && memcmp(bytes, "!<thin>\n", 8) == 0)
        read_thin_archive(s, path);
    else if (n >= 4 && memcmp(bytes, "\177ELF", 4) == 0)
        obb_arena_push(s->arena, &s->shared, file);
    else if (n && !memchr(bytes, 0, n) && memcmp(bytes, "!<arch>\n", n < 8 ? n : 8) != 0)
        read_script(s,
                    file); /* what is no object is a script (GNU ld manual, 3.11, Implicit Linker Scripts) */
}

/* --- what shared libraries need ------------------------------------------------------ */

static bool find_needed(scanner *s, const char *name, const obb_words *folders)
{
    for (size_t i = 0; i < folders->count; i++)
        if (take_file(s, obb_files_resolve(s->files, s->arena, folders->at[i], name)))
            return true;
    return false;
}

static void split_folders(scanner *s, const char *list, const char *origin, obb_words *folders)
{
    while (list && *list) {
        size_t n = strcspn(list, ":");
        const char *folder = obb_arena_copy(s->arena, list, n);
        if (obb_starts(folder, "$ORIGIN"))
            folder = obb_files_resolve(s->files, s->arena, origin, folder + 7 + strspn(folder + 7, "/"));
        if (n && !(folder[0] == '$'))
            obb_arena_push(s->arena, folders, folder);
        list += n + (list[n] == ':');
    }
}

/* The order is that of GNU ld (its manual, -rpath-link). */
static void find_needs(scanner *s, obb_file library)
{
    obb_elf_dynamic d = {0};
    const char *path = obb_files_path(s->files, library), *origin = obb_path_folder(s->arena, path);
    obb_words own = {0}, environment = {0};
    if (!obb_elf_read_dynamic(path, s->arena, &d) || !d.is_library)
        return;
    obb_map_put(&s->loaded, d.name ? d.name : obb_path_name(path), s);
    split_folders(s, d.run_path, origin, &own);
    if (!s->run_paths.count)
        split_folders(s, getenv("LD_RUN_PATH"), ".", &environment);
    split_folders(s, getenv("LD_LIBRARY_PATH"), ".", &environment);
    for (size_t i = 0; i < d.needed.count; i++) {
        const char *name = d.needed.at[i];
        if (obb_map_get(&s->loaded, name))
            continue;
        obb_map_put(&s->loaded, name, s);
        bool found = find_needed(s, name, &s->run_paths) || find_needed(s, name, &environment) ||
                     find_needed(s, name, &own) || find_needed(s, name, &s->linking->system_folders) ||
                     find_needed(s, name, &s->linking->folders);
        (void)found; /* the linker reports what is nowhere */
    }
}

static void find_all_needs(scanner *s)
{
    for (size_t i = 0; i < s->shared.count;
         i++) { /* all that are named are there before what they need is looked for */
        obb_elf_dynamic d = {0};
        const char *path = obb_files_path(s->files, s->shared.at[i]);
        if (obb_elf_read_dynamic(path, s->arena, &d) && d.is_library)
            obb_map_put(&s->loaded, d.name ? d.name : obb_path_name(path), s);
    }
    for (size_t i = 0; i < s->shared.count && !s->makes_shared; i++) /* the list grows */
        find_needs(s, s->shared.at[i]);
}

/* --- words -------------------------------------------------------------------------- */

static void guess(scanner *s, const obb_option *o)
{
    obb_file_list found = {0};
    obb_option_guess(o, s->files, s->arena, &found);
    for (size_t i = 0; i < found.count; i++)
        note_untold(s, found.at[i]);
}

static void scan_word(scanner *s, const obb_option *o)
{
    const char *path = *o->value ? obb_files_resolve(s->files, s->arena, ".", o->value) : NULL;
    switch (o->kind) {
    case OBB_OPTION_FILE: take_file(s, path ? path : "."); break;
    case OBB_OPTION_READS: case OBB_OPTION_SPECS: case OBB_OPTION_RESPONSE:
        if (path && obb_files_is_file(s->files, obb_files_number(s->files, path)))
            note_in(s, obb_files_number(s->files, path),
                    o->kind == OBB_OPTION_READS && !strstr(o->word, "plugin") ? &s->scan->files
                                                                              : &s->scan->untold);
        break;
    case OBB_OPTION_SCRIPT: if (path) find_script(s, o->value); break;
    case OBB_OPTION_LIBRARY:
        if (path && !find_library(s, o->value))
            obb_arena_push(s->arena, &s->scan->missing, o->value);
        break;
    case OBB_OPTION_STATIC: s->is_static = true; break;
    case OBB_OPTION_DYNAMIC: s->is_static = false; break;
    case OBB_OPTION_OTHER: guess(s, o); break;
    default: break;
    }
}

static void add_folder(scanner *s, const char *folder)
{
    obb_words *folders = &s->scan->folders;
    if (!obb_has_word(folders, folder))
        obb_arena_push(s->arena, folders, folder);
}

static void take_folders(scanner *s, const obb_options *words)
{
    for (size_t i = 0; i < words->count; i++) {
        const obb_option *o = &words->at[i];
        const char *value = o->value;
        if (o->kind == OBB_OPTION_SEARCH && *value)
            add_folder(s, *value == '=' ? obb_files_resolve(s->files, s->arena,
                                                            *s->linking->root ? s->linking->root : "/",
                                                            value + 1 + strspn(value + 1, "/"))
                                        : obb_files_resolve(s->files, s->arena, ".", value));
        if (o->kind == OBB_OPTION_RUN_PATH)
            split_folders(s, value, ".", &s->run_paths);
        s->makes_shared = s->makes_shared || o->kind == OBB_OPTION_SHARED ||
                          o->kind == OBB_OPTION_RELOCATABLE;
    }
}

static void scan_words(scanner *s, const obb_options *words)
{
    for (size_t i = 0; i < words->count; i++)
        scan_word(s, &words->at[i]);
}

static char *key_of(obb_arena *arena, const obb_options *words)
{
    obb_text key = {0};
    obb_text_string(&key, "");
    for (size_t i = 0; i < words->count; i++)
        if (words->at[i].kind != OBB_OPTION_NAMES_NONE)
            obb_text_format(&key, "%d %d %s\n", (int)words->at[i].kind, (int)words->at[i].reader,
                            words->at[i].value);
    char *copy = obb_arena_string(arena, key.bytes);
    obb_text_free(&key);
    return copy;
}

const obb_link_scan *obb_scan_link(obb_files *files, obb_arena *arena, obb_linking *linking,
                                   const obb_options *words)
{
    char *key = key_of(arena, words);
    obb_link_scan *known = obb_map_get(&linking->scans, key);
    if (known)
        return known;
    known = obb_arena_alloc(arena, sizeof *known);
    obb_map_put(&linking->scans, key, known);
    scanner s = {.files = files, .arena = arena, .linking = linking, .scan = known};
    take_folders(&s, words);
    take_folders(&s, &linking->before);
    take_folders(&s, &linking->behind);
    for (size_t i = 0; i < linking->folders.count; i++)
        add_folder(&s, linking->folders.at[i]);
    for (size_t i = 0; i < linking->read.count; i++)
        note_untold(&s, obb_files_number(files, linking->read.at[i]));
    scan_words(&s, &linking->before);
    scan_words(&s, words);
    scan_words(&s, &linking->behind);
    find_all_needs(&s);
    obb_map_free(&s.noted);
    obb_map_free(&s.loaded);
    return known;
}
