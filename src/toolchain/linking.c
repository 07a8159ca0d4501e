/* Asking drivers and linkers what a link has besides its words (linking.h). An answer is kept as long as
 * tool, words and environment are the same, and the folders that it depends on are. */
#include "toolchain/linking.h"

#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "toolchain/asking.h"
#include "toolchain/spell.h"

#define MARK "obbligato-objects" /* stands for what the command links: a name that no library has */

typedef struct asker {
    obb_toolchain *tc;
    const obb_tool *tool;
    obb_words words; /* those that decide the answer */
    obb_linking *linking;
} asker;

static bool is_driver(const obb_tool *tool)
{
    return tool->role != OBB_TOOL_LINKER;
}

/* Words about files and about where things lie in memory do not change what the driver adds. */
static bool decides(const obb_option *o)
{
    static const char *const starts[] = {"-g", "-W", "-O", "-f", NULL};
    static const char *const links[] = {"-fuse-ld",      "-fsanitize", "-flto",   "-fprofile", "-fopenmp",
                                        "-fsplit-stack", "-fno-",      "-frtlib", NULL};
    bool dull = false, heard = false;
    if (o->reader != OBB_READ_BY_DRIVER)
        return o->kind == OBB_OPTION_EMULATION || o->kind == OBB_OPTION_ROOT || o->kind == OBB_OPTION_STATIC;
    if (o->kind == OBB_OPTION_STATIC || o->kind == OBB_OPTION_SHARED || o->kind == OBB_OPTION_SPECS ||
        o->kind == OBB_OPTION_PROGRAMS || o->kind == OBB_OPTION_RELOCATABLE || o->kind == OBB_OPTION_ROOT)
        return true;
    if (o->kind != OBB_OPTION_OTHER && o->kind != OBB_OPTION_NAMES_NONE)
        return false;
    if (o->kind == OBB_OPTION_NAMES_NONE)
        return obb_starts(o->word, "-target") || obb_starts(o->word, "--target") ||
               obb_starts(o->word, "-arch");
    for (const char *const *s = starts; *s; s++)
        dull = dull || obb_starts(o->word, *s);
    for (const char *const *s = links; *s; s++)
        heard = heard || obb_starts(o->word, *s);
    return !dull || heard;
}

static void choose_words(asker *a, const obb_options *words)
{
    obb_arena *arena = a->tc->arena;
    for (size_t i = 0; i < words->count; i++) {
        const obb_option *o = &words->at[i];
        if (!decides(o))
            continue;
        bool apart = *o->value && o->kind != OBB_OPTION_OTHER && !strstr(o->word, o->value);
        if (apart && (o->kind == OBB_OPTION_PROGRAMS || o->kind == OBB_OPTION_SPECS)) {
            obb_arena_push(arena, &a->words,
                           obb_arena_format(arena, o->kind == OBB_OPTION_SPECS ? "-specs=%s" : "-B%s",
                                            o->value));
            continue;
        }
        bool as_they_are = o->reader == OBB_READ_BY_DRIVER || !is_driver(a->tool);
        obb_spell_for_linker(as_they_are, o->word, apart ? o->value : NULL, arena, &a->words);
    }
}

static obb_answer ask(asker *a, const obb_words *command, const obb_words *words, const char *const *more)
{
    obb_arena *arena = a->tc->arena;
    obb_words argv = {0};
    for (size_t i = 0; i < command->count; i++)
        obb_arena_push(arena, &argv, command->at[i]);
    for (size_t i = 0; words && i < words->count; i++)
        obb_arena_push(arena, &argv, words->at[i]);
    for (; *more; more++)
        obb_arena_push(arena, &argv, *more);
    obb_arena_push(arena, &argv, NULL);
    return obb_toolchain_ask(a->tc, argv.at, "");
}

/* --- the answer, a line for each thing: a letter, a blank, a value ------------------- */

static void keep(obb_text *answer, char letter, const char *value)
{
    if (!strchr(value, '\n'))
        obb_text_format(answer, "%c %s\n", letter, value);
}

/* The line of -### that links has our mark among its words. */
static void keep_link_line(asker *a, const char *said, obb_text *answer)
{
    obb_arena *arena = a->tc->arena;
    for (const char *line = said; *line;) {
        size_t n = strcspn(line, "\n");
        char *copy = obb_arena_copy(arena, line, n);
        obb_words words = {0};
        bool behind = false;
        static const char specs[] = "Reading specs from ";
        if (obb_starts(copy, specs))
            keep(answer, 's', copy + sizeof specs - 1);
        if (copy[0] == ' ' && strstr(copy, "-l" MARK))
            obb_split_command(copy, arena, &words);
        for (size_t i = 1; i < words.count; i++) {
            if (strcmp(words.at[i], "-l" MARK) == 0)
                behind = true;
            else
                keep(answer, behind ? 'W' : 'w', words.at[i]);
        }
        if (words.count && words.at[0][0] == '/' && !strstr(words.at[0], "collect2"))
            keep(answer, 'p', words.at[0]);
        line += n + (line[n] == '\n');
    }
}

static const char *value_of(const obb_words *lines, char letter)
{
    for (size_t i = 0; i < lines->count; i++)
        if (lines->at[i][0] == letter)
            return lines->at[i] + 2;
    return "";
}

static void split_lines(obb_arena *arena, const char *text, obb_words *lines)
{
    while (*text) {
        size_t n = strcspn(text, "\n");
        if (n >= 2)
            obb_arena_push(arena, lines, obb_arena_copy(arena, text, n));
        text += n + (text[n] == '\n');
    }
}

static void keep_linker_path(asker *a, obb_text *answer)
{
    const char *name = "ld";
    for (size_t i = 0; i < a->words.count; i++)
        if (obb_starts(a->words.at[i], "-fuse-ld=") && a->words.at[i][9])
            name = a->words.at[i][9] == '/' ? a->words.at[i] + 9
                                            : obb_arena_format(a->tc->arena, "ld.%s", a->words.at[i] + 9);
    obb_answer said = ask(a, &a->tool->command, &a->words,
                          (const char *[]){obb_arena_format(a->tc->arena, "-print-prog-name=%s", name),
                                           NULL});
    const char *out = obb_text_bytes(&said.out);
    char *path = said.failed || said.status
                     ? NULL
                     : obb_find_program(a->tc->files, a->tc->arena,
                                        obb_arena_copy(a->tc->arena, out, strcspn(out, "\n")));
    if (path)
        keep(answer, 'p', path);
    obb_answer_free(&said);
}

/* SEARCH_DIR("=/usr/lib"); the sign stands for the folder of the system (GNU ld manual, 3.4.2). */
static void keep_builtin_folders(asker *a, const char *said, obb_text *answer)
{
    static const char mark[] = "SEARCH_DIR(\"";
    for (const char *at = said; (at = strstr(at, mark));) {
        at += sizeof mark - 1;
        keep(answer, 'd', obb_arena_copy(a->tc->arena, at, strcspn(at, "\"")));
    }
}

static void ask_linker(asker *a, const obb_words *command, const char *emulation, obb_text *answer)
{
    const char *verbose[] = {"--verbose", *emulation ? "-m" : NULL, emulation, NULL},
               *help[] = {"--help", NULL};
    obb_answer said = ask(a, command, NULL, verbose);
    keep_builtin_folders(a, obb_text_bytes(&said.out), answer);
    obb_answer_free(&said);
    said = ask(a, command, NULL, help);
    if (strstr(obb_text_bytes(&said.out), "--dependency-file"))
        keep(answer, 'r', "1");
    obb_answer_free(&said);
}

static void ask_all(asker *a, obb_text *answer)
{
    obb_arena *arena = a->tc->arena;
    obb_words lines = {0}, linker = {0};
    const char *emulation = "";
    if (is_driver(a->tool)) {
        obb_answer said = ask(a, &a->tool->command, &a->words,
                              (const char *[]){"-###", "-l" MARK, "-o", MARK, NULL});
        keep_link_line(a, obb_text_bytes(&said.err), answer);
        obb_answer_free(&said);
        split_lines(arena, obb_text_bytes(answer), &lines);
        if (!*value_of(&lines, 'p'))
            keep_linker_path(a, answer);
        lines.count = 0;
        split_lines(arena, obb_text_bytes(answer), &lines);
        if (*value_of(&lines, 'p'))
            obb_arena_push(arena, &linker, value_of(&lines, 'p'));
        for (size_t i = 0; i + 1 < lines.count; i++)
            if (strcmp(lines.at[i], "w -m") == 0)
                emulation = lines.at[i + 1] + 2;
    } else {
        for (size_t i = 0; i < a->tool->command.count; i++)
            obb_arena_push(arena, &linker, a->tool->command.at[i]);
        keep(answer, 'p', a->tool->command.at[0]);
        for (size_t i = 0; i + 1 < a->words.count; i++)
            if (strcmp(a->words.at[i], "-m") == 0)
                emulation = a->words.at[i + 1];
    }
    if (linker.count)
        ask_linker(a, &linker, emulation, answer);
}

/* --- taking it ---------------------------------------------------------------------- */

/* "=/lib" or "$SYSROOT/lib": below the folder of the system. */
static const char *rooted(obb_arena *arena, const char *root, const char *folder)
{
    const char *rest = folder[0] == '=' ? folder + 1 : obb_starts(folder, "$SYSROOT") ? folder + 8 : NULL;
    return !rest   ? obb_path_join(arena, "/", folder)
           : *root ? obb_path_join(arena, root, rest + strspn(rest, "/"))
                   : obb_path_join(arena, "/", rest);
}

/* Folders of the system's own loader (ld.so(8), ldconfig(8)), which GNU ld searches for what shared
 * libraries need. */
static void take_loader_folders(asker *a, const char *path, int depth)
{
    obb_text text = {0};
    obb_arena *arena = a->tc->arena;
    obb_file file = obb_files_number(a->tc->files, path);
    if (depth > 5 || !obb_files_is_file(a->tc->files, file) || obb_files_read(a->tc->files, file, &text)) {
        obb_text_free(&text);
        return;
    }
    for (const char *line = text.bytes; *line;) {
        size_t n = strcspn(line, "\n#");
        obb_words words = {0};
        obb_file_list found = {0};
        obb_split_command(obb_arena_copy(arena, line, n), arena, &words);
        bool includes = words.count && strcmp(words.at[0], "include") == 0;
        for (size_t i = 1; includes && i < words.count; i++)
            obb_files_expand(a->tc->files, obb_path_join(arena, obb_path_folder(arena, path), words.at[i]),
                             &found);
        for (size_t i = 0; i < found.count; i++)
            take_loader_folders(a, obb_files_path(a->tc->files, found.at[i]), depth + 1);
        if (!includes && words.count && words.at[0][0] == '/')
            obb_arena_push(arena, &a->linking->system_folders, obb_path_join(arena, "/", words.at[0]));
        obb_vec_free(&found);
        line += strcspn(line, "\n");
        line += *line == '\n';
    }
    obb_text_free(&text);
}

static void take_answer(asker *a, const char *answer)
{
    obb_arena *arena = a->tc->arena;
    obb_linking *l = a->linking;
    obb_words lines = {0}, before = {0}, behind = {0};
    split_lines(arena, answer, &lines);
    for (size_t i = 0; i < lines.count; i++)
        if (strchr("wW", lines.at[i][0]))
            obb_arena_push(arena, lines.at[i][0] == 'w' ? &before : &behind, lines.at[i] + 2);
    obb_options_read(&before, OBB_READ_BY_LINKER, a->tc->files, arena, &l->before);
    obb_options_read(&behind, OBB_READ_BY_LINKER, a->tc->files, arena, &l->behind);
    for (size_t i = 0; i < l->before.count; i++)
        if (l->before.at[i].kind == OBB_OPTION_ROOT)
            l->root = l->before.at[i].value;
    for (size_t i = 0; i < lines.count; i++) {
        const char *value = lines.at[i] + 2;
        if (lines.at[i][0] == 'd')
            obb_arena_push(arena, &l->folders, rooted(arena, l->root, value));
        else if (lines.at[i][0] == 's')
            obb_arena_push(arena, &l->read, obb_path_join(arena, ".", value));
        else if (lines.at[i][0] == 'p')
            l->linker = value;
        else if (lines.at[i][0] == 'r')
            l->reports = true;
    }
}

/* Where a start file would have been found earlier, and which folders would be searched if they were there:
 * as long as that holds, the driver's answer is the same. */
static obb_fingerprint surroundings(asker *a, const obb_words *flags)
{
    obb_arena *arena = a->tc->arena;
    obb_files *files = a->tc->files;
    obb_linking *l = a->linking;
    obb_hasher *p = obb_hasher_new();
    obb_fingerprint fingerprint = OBB_NO_FINGERPRINT;
    const obb_words none = {0};
    const obb_words *candidates = is_driver(a->tool) ? obb_toolchain_library_folders(a->tc, a->tool, flags)
                                                     : &none;
    if (*l->linker)
        obb_files_fingerprint(files, obb_files_number(files, l->linker), &fingerprint);
    obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    for (size_t i = 0; i < l->read.count; i++) {
        obb_files_fingerprint(files, obb_files_number(files, l->read.at[i]), &fingerprint);
        obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    }
    for (size_t i = 0; i < candidates->count; i++) {
        bool there = obb_files_stamp(files, obb_files_number(files, candidates->at[i])) != NULL;
        obb_hasher_add(p, &there, sizeof there);
    }
    for (int k = 0; k < 2; k++) {
        const obb_options *words = k ? &l->behind : &l->before;
        for (size_t i = 0; i < words->count; i++)
            for (size_t c = 0; words->at[i].kind == OBB_OPTION_FILE && c < candidates->count; c++) {
                const char *place = obb_path_join(arena, candidates->at[c],
                                                  obb_path_name(words->at[i].value));
                bool there = obb_files_is_file(files, obb_files_number(files, place));
                obb_hasher_add(p, &there, sizeof there);
            }
    }
    return obb_hasher_end(p);
}

static obb_fingerprint key_of(const asker *a)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "linking 1");
    obb_hasher_add(p, &a->tool->identity, sizeof a->tool->identity);
    for (size_t i = 0; i < a->tool->command.count; i++)
        obb_hasher_string(p, a->tool->command.at[i]);
    obb_hasher_string(p, NULL);
    for (size_t i = 0; i < a->words.count; i++)
        obb_hasher_string(p, a->words.at[i]);
    obb_linker_environment(p);
    return obb_hasher_end(p);
}

static void forget(obb_linking *l)
{
    *l = (obb_linking){.root = "", .linker = "", .windows = l->windows};
}

static void recall_or_ask(asker *a, obb_fingerprint key)
{
    obb_memo *memo = &a->tc->memo;
    obb_text answer = {0}, kept = {0};
    obb_fingerprint then = OBB_NO_FINGERPRINT, now;
    if (memo->get(memo->self, key, &answer) && answer.length > sizeof then) {
        memcpy(&then, answer.bytes, sizeof then);
        take_answer(a, answer.bytes + sizeof then);
        now = surroundings(a, &a->words);
        obb_text_free(&answer);
        if (obb_fingerprint_same(then, now))
            return;
        forget(a->linking);
    }
    answer.length = 0;
    obb_text_string(&answer, "");
    ask_all(a, &answer);
    take_answer(a, answer.bytes);
    now = surroundings(a, &a->words);
    obb_text_add(&kept, &now, sizeof now);
    obb_text_add(&kept, answer.bytes, answer.length);
    obb_text_char(&kept, '\n');
    obb_toolchain_remember(a->tc, key, kept.bytes, kept.length);
    obb_text_free(&answer);
    obb_text_free(&kept);
}

obb_linking *obb_toolchain_linking(obb_toolchain *tc, const obb_tool *tool, const obb_options *words)
{
    asker a = {.tc = tc, .tool = tool};
    obb_text id = {0};
    choose_words(&a, words);
    obb_fingerprint key = key_of(&a);
    obb_text_format(&id, "%016llx%016llx", (unsigned long long)key.high, (unsigned long long)key.low);
    obb_linking *known = obb_map_get(&tc->linkings, id.bytes);
    if (!known) {
        known = obb_arena_alloc(tc->arena, sizeof *known);
        *known = (obb_linking){.root = "",
                               .linker = "",
                               .windows = strstr(tool->target, "mingw") || strstr(tool->target, "windows") ||
                                          strstr(tool->target, "cygwin")};
        a.linking = known;
        obb_map_put(&tc->linkings, obb_arena_string(tc->arena, id.bytes), known);
        recall_or_ask(&a, key);
        if (strcmp(tc->name, "host") == 0)
            take_loader_folders(&a, "/etc/ld.so.conf", 0);
        obb_hasher *p = obb_hasher_new();
        obb_fingerprint fingerprint = OBB_NO_FINGERPRINT;
        if (*known->linker)
            obb_files_fingerprint(tc->files, obb_files_number(tc->files, known->linker), &fingerprint);
        obb_hasher_add(p, &fingerprint, sizeof fingerprint);
        obb_linker_environment(p);
        known->identity = obb_hasher_end(p);
    }
    obb_text_free(&id);
    return known;
}

void obb_linking_free(obb_linking *linking)
{
    obb_map_free(&linking->scans);
}

static bool takes_late(const char *word, bool late)
{
    return obb_starts(word, "-flto") || (late && strcmp(word, "-fno-lto") != 0);
}

void obb_toolchain_late_compilers(obb_toolchain *tc, const obb_tool *tool, const obb_options *words,
                                  obb_file_list *programs)
{
    static const char *const names[] = {"lto1", "lto-wrapper"};
    bool late = false;
    for (size_t i = 0; i < tool->more.count; i++)
        late = takes_late(tool->more.at[i], late);
    for (size_t i = 0; i < words->count; i++)
        late = words->at[i].reader == OBB_READ_BY_DRIVER ? takes_late(words->at[i].word, late) : late;
    for (size_t i = 0; late && tool->family == OBB_FAMILY_GCC && i < sizeof names / sizeof *names; i++) {
        const char *path = obb_find_behind(tc, tool->program_folders, names[i]);
        if (*path)
            obb_arena_push(tc->arena, programs, obb_files_number(tc->files, path));
    }
}

void obb_toolchain_programs(obb_toolchain *tc, const obb_tool *tool, const obb_options *words,
                            obb_file_list *programs)
{
    static const char *const names[] = {"cc1",  "cc1plus",     "collect2", "as", "ld",
                                        "lto1", "lto-wrapper", "specs",    NULL};
    (void)tool;
    for (size_t i = 0; i < words->count; i++) {
        const obb_option *o = &words->at[i];
        if (o->reader == OBB_READ_BY_DRIVER && o->kind == OBB_OPTION_RUNS) {
            const char *name = obb_arena_copy(tc->arena, o->value, strcspn(o->value, ","));
            const char *path = obb_find_program(tc->files, tc->arena, name);
            if (path)
                obb_arena_push(tc->arena, programs, obb_files_number(tc->files, path));
        }
        for (const char *const *n = names;
             o->reader == OBB_READ_BY_DRIVER && o->kind == OBB_OPTION_PROGRAMS && *n; n++) {
            /* the value is put in front as it is (GCC manual, 3.16): a folder, or the beginning of names */
            const char *both[] = {obb_arena_format(tc->arena, "%s/%s", o->value, *n),
                                  obb_arena_format(tc->arena, "%s%s", o->value, *n)};
            for (int k = 0; k < 2; k++) {
                obb_file file = obb_files_number(tc->files, obb_path_join(tc->arena, ".", both[k]));
                if (obb_files_is_file(tc->files, file))
                    obb_arena_push(tc->arena, programs, file);
            }
        }
    }
}
