/* The table of options that name files, and reading words by it (options.h); response files are opened.
 *
 * Rows are matched by the longest name that fits, first with a separate value, then with a joined one.
 * Response files are expanded in place, with a limit on their nesting, and each word of one carries the word
 * that named the file. */
#include "toolchain/options.h"

#include <string.h>

#include "base/path.h"

enum { DEEPEST_RESPONSE = 20 };

/* A value stands behind `=`, in the next word, or (JOINED) right behind the name. Names are without
 * their dashes. */
typedef struct row {
    const char *name;
    obb_option_kind kind;
    enum { APART, JOINED, ALONE } form; /* ALONE: it has no value */
} row;

static const row of_driver[] = {{"o", OBB_OPTION_NAMES_NONE, JOINED},
                                {"x", OBB_OPTION_NAMES_NONE, JOINED},
                                {"MF", OBB_OPTION_NAMES_NONE, APART},
                                {"MT", OBB_OPTION_NAMES_NONE, APART},
                                {"MQ", OBB_OPTION_NAMES_NONE, APART},
                                {"D", OBB_OPTION_NAMES_NONE, JOINED},
                                {"U", OBB_OPTION_NAMES_NONE, JOINED},
                                {"A", OBB_OPTION_NAMES_NONE, JOINED},
                                {"I", OBB_OPTION_NAMES_NONE, JOINED},
                                /* headers are found by the scan */
                                {"include", OBB_OPTION_NAMES_NONE, APART},
                                {"imacros", OBB_OPTION_NAMES_NONE, APART},
                                {"isystem", OBB_OPTION_NAMES_NONE, JOINED},
                                {"iquote", OBB_OPTION_NAMES_NONE, JOINED},
                                {"idirafter", OBB_OPTION_NAMES_NONE, JOINED},
                                {"iprefix", OBB_OPTION_NAMES_NONE, JOINED},
                                {"iwithprefix", OBB_OPTION_NAMES_NONE, JOINED},
                                {"iwithprefixbefore", OBB_OPTION_NAMES_NONE, JOINED},
                                {"isysroot", OBB_OPTION_NAMES_NONE, APART},
                                {"imultilib", OBB_OPTION_NAMES_NONE, APART},
                                {"sysroot", OBB_OPTION_ROOT, APART},
                                {"target", OBB_OPTION_NAMES_NONE, APART},
                                {"arch", OBB_OPTION_NAMES_NONE, APART},
                                {"framework", OBB_OPTION_NAMES_NONE, APART},
                                {"F", OBB_OPTION_NAMES_NONE, JOINED},
                                {"aux-info", OBB_OPTION_NAMES_NONE, APART},
                                {"dumpbase", OBB_OPTION_NAMES_NONE, APART},
                                {"dumpdir", OBB_OPTION_NAMES_NONE, APART},
                                {"dumpbase-ext", OBB_OPTION_NAMES_NONE, APART},
                                {"param", OBB_OPTION_NAMES_NONE, APART},
                                {"mllvm", OBB_OPTION_NAMES_NONE, APART},
                                {"Xpreprocessor", OBB_OPTION_NAMES_NONE, APART},
                                {"fdebug-prefix-map", OBB_OPTION_NAMES_NONE, APART},
                                {"ffile-prefix-map", OBB_OPTION_NAMES_NONE, APART},
                                {"fmacro-prefix-map", OBB_OPTION_NAMES_NONE, APART},
                                {"B", OBB_OPTION_PROGRAMS, JOINED},
                                {"L", OBB_OPTION_SEARCH, JOINED},
                                {"l", OBB_OPTION_LIBRARY, JOINED},
                                {"T", OBB_OPTION_SCRIPT, JOINED},
                                {"Ttext", OBB_OPTION_NAMES_NONE, APART},
                                {"Tdata", OBB_OPTION_NAMES_NONE, APART},
                                {"Tbss", OBB_OPTION_NAMES_NONE, APART},
                                {"u", OBB_OPTION_NAMES_NONE, JOINED},
                                {"z", OBB_OPTION_NAMES_NONE, JOINED},
                                {"e", OBB_OPTION_NAMES_NONE, APART},
                                {"specs", OBB_OPTION_SPECS, APART},
                                {"wrapper", OBB_OPTION_RUNS, APART},
                                {"fplugin", OBB_OPTION_READS, APART},
                                {"fpass-plugin", OBB_OPTION_READS, APART},
                                {"fprofile-use", OBB_OPTION_READS, ALONE},
                                {"fauto-profile", OBB_OPTION_READS, ALONE},
                                {"fprofile-instr-use", OBB_OPTION_READS, ALONE},
                                {"fprofile-sample-use", OBB_OPTION_READS, ALONE},
                                {"fprofile-list", OBB_OPTION_READS, APART},
                                {"fsanitize-ignorelist", OBB_OPTION_READS, APART},
                                {"fsanitize-blacklist", OBB_OPTION_READS, APART},
                                {"fsanitize-system-ignorelist", OBB_OPTION_READS, APART},
                                {"fsanitize-coverage-allowlist", OBB_OPTION_READS, APART},
                                {"fsanitize-coverage-ignorelist", OBB_OPTION_READS, APART},
                                {"fxray-attr-list", OBB_OPTION_READS, APART},
                                {"fmodule-map-file", OBB_OPTION_READS, APART},
                                {"fmodule-file", OBB_OPTION_READS, APART},
                                {"fmodule-mapper", OBB_OPTION_READS, APART},
                                {"include-pch", OBB_OPTION_READS, APART},
                                {"ivfsoverlay", OBB_OPTION_READS, APART},
                                {"config", OBB_OPTION_READS, APART},
                                {"static", OBB_OPTION_STATIC, ALONE},
                                {"static-pie", OBB_OPTION_STATIC, ALONE},
                                {"shared", OBB_OPTION_SHARED, ALONE},
                                {"dynamiclib", OBB_OPTION_SHARED, ALONE},
                                {"r", OBB_OPTION_RELOCATABLE, ALONE},
                                {"static-libgcc", OBB_OPTION_OTHER, ALONE},
                                {"static-libstdc++", OBB_OPTION_OTHER, ALONE},
                                {NULL, OBB_OPTION_OTHER, ALONE}};

static const row of_linker[] = {{"T", OBB_OPTION_SCRIPT, JOINED},
                                {"script", OBB_OPTION_SCRIPT, APART},
                                {"dT", OBB_OPTION_SCRIPT, APART},
                                {"default-script", OBB_OPTION_SCRIPT, APART},
                                {"L", OBB_OPTION_SEARCH, JOINED},
                                {"library-path", OBB_OPTION_SEARCH, APART},
                                {"l", OBB_OPTION_LIBRARY, JOINED},
                                {"library", OBB_OPTION_LIBRARY, APART},
                                {"R", OBB_OPTION_READS, JOINED},
                                {"just-symbols", OBB_OPTION_READS, APART},
                                {"version-script", OBB_OPTION_READS, APART},
                                {"dynamic-list", OBB_OPTION_READS, APART},
                                {"retain-symbols-file", OBB_OPTION_READS, APART},
                                {"export-dynamic-symbol-list", OBB_OPTION_READS, APART},
                                {"symbol-ordering-file", OBB_OPTION_READS, APART},
                                {"section-ordering-file", OBB_OPTION_READS, APART},
                                {"call-graph-ordering-file", OBB_OPTION_READS, APART},
                                {"exported_symbols_list", OBB_OPTION_READS, APART},
                                {"unexported_symbols_list", OBB_OPTION_READS, APART},
                                {"order_file", OBB_OPTION_READS, APART},
                                {"plugin", OBB_OPTION_READS, APART},
                                {"mri-script", OBB_OPTION_SCRIPT, APART},
                                {"c", OBB_OPTION_SCRIPT, APART},
                                {"in-implib", OBB_OPTION_READS, APART},
                                {"error-handling-script", OBB_OPTION_READS, APART},
                                {"remap-inputs-file", OBB_OPTION_READS, APART},
                                {"rpath", OBB_OPTION_RUN_PATH, APART},
                                {"rpath-link", OBB_OPTION_RUN_PATH, APART},
                                {"m", OBB_OPTION_EMULATION, JOINED},
                                {"sysroot", OBB_OPTION_ROOT, APART},
                                {"static", OBB_OPTION_STATIC, ALONE},
                                {"Bstatic", OBB_OPTION_STATIC, ALONE},
                                {"dn", OBB_OPTION_STATIC, ALONE},
                                {"non_shared", OBB_OPTION_STATIC, ALONE},
                                {"Bdynamic", OBB_OPTION_DYNAMIC, ALONE},
                                {"dy", OBB_OPTION_DYNAMIC, ALONE},
                                {"call_shared", OBB_OPTION_DYNAMIC, ALONE},
                                {"shared", OBB_OPTION_SHARED, ALONE},
                                {"Bshareable", OBB_OPTION_SHARED, ALONE},
                                {"r", OBB_OPTION_RELOCATABLE, ALONE},
                                {"relocatable", OBB_OPTION_RELOCATABLE, ALONE},
                                {"o", OBB_OPTION_NAMES_NONE, JOINED},
                                {"output", OBB_OPTION_NAMES_NONE, APART},
                                {"Map", OBB_OPTION_NAMES_NONE, APART},
                                {"dependency-file", OBB_OPTION_NAMES_NONE, APART},
                                {"out-implib", OBB_OPTION_NAMES_NONE, APART},
                                {"output-def", OBB_OPTION_NAMES_NONE, APART},
                                {"base-file", OBB_OPTION_NAMES_NONE, APART},
                                {"soname", OBB_OPTION_NAMES_NONE, APART},
                                {"h", OBB_OPTION_NAMES_NONE, JOINED},
                                {"entry", OBB_OPTION_NAMES_NONE, APART},
                                {"e", OBB_OPTION_NAMES_NONE, JOINED},
                                {"undefined", OBB_OPTION_NAMES_NONE, APART},
                                {"u", OBB_OPTION_NAMES_NONE, JOINED},
                                {"require-defined", OBB_OPTION_NAMES_NONE, APART},
                                {"defsym", OBB_OPTION_NAMES_NONE, APART},
                                {"wrap", OBB_OPTION_NAMES_NONE, APART},
                                {"dynamic-linker", OBB_OPTION_NAMES_NONE, APART},
                                {"I", OBB_OPTION_NAMES_NONE, JOINED},
                                {"format", OBB_OPTION_NAMES_NONE, APART},
                                {"b", OBB_OPTION_NAMES_NONE, JOINED},
                                {"oformat", OBB_OPTION_NAMES_NONE, APART},
                                {"section-start", OBB_OPTION_NAMES_NONE, APART},
                                {"Ttext", OBB_OPTION_NAMES_NONE, APART},
                                {"Tdata", OBB_OPTION_NAMES_NONE, APART},
                                {"Tbss", OBB_OPTION_NAMES_NONE, APART},
                                {"Ttext-segment", OBB_OPTION_NAMES_NONE, APART},
                                {"Trodata-segment", OBB_OPTION_NAMES_NONE, APART},
                                {"Tldata-segment", OBB_OPTION_NAMES_NONE, APART},
                                {"filter", OBB_OPTION_NAMES_NONE, APART},
                                {"auxiliary", OBB_OPTION_NAMES_NONE, APART},
                                {"f", OBB_OPTION_NAMES_NONE, JOINED},
                                {"F", OBB_OPTION_NAMES_NONE, JOINED},
                                {"init", OBB_OPTION_NAMES_NONE, APART},
                                {"fini", OBB_OPTION_NAMES_NONE, APART},
                                {"z", OBB_OPTION_NAMES_NONE, JOINED},
                                {"y", OBB_OPTION_NAMES_NONE, JOINED},
                                {"trace-symbol", OBB_OPTION_NAMES_NONE, APART},
                                {"architecture", OBB_OPTION_NAMES_NONE, APART},
                                {"A", OBB_OPTION_NAMES_NONE, JOINED},
                                {"G", OBB_OPTION_NAMES_NONE, JOINED},
                                {"audit", OBB_OPTION_NAMES_NONE, APART},
                                {"P", OBB_OPTION_NAMES_NONE, APART},
                                {"depaudit", OBB_OPTION_NAMES_NONE, APART},
                                {"assert", OBB_OPTION_NAMES_NONE, APART},
                                {"plugin-opt", OBB_OPTION_NAMES_NONE, APART},
                                {NULL, OBB_OPTION_OTHER, ALONE}};

static const row of_assembler[] = {{"o", OBB_OPTION_NAMES_NONE, JOINED},
                                   {"I", OBB_OPTION_NAMES_NONE, JOINED},
                                   {"MD", OBB_OPTION_NAMES_NONE, APART},
                                   {"defsym", OBB_OPTION_NAMES_NONE, APART},
                                   {"debug-prefix-map", OBB_OPTION_NAMES_NONE, APART},
                                   {NULL, OBB_OPTION_OTHER, ALONE}};

static const row *rows_of(obb_option_reader reader)
{
    return reader == OBB_READ_BY_DRIVER ? of_driver : reader == OBB_READ_BY_LINKER ? of_linker : of_assembler;
}

typedef struct reader {
    obb_files *files;
    obb_arena *arena;
    obb_options *options;
    int depth;
    size_t first, count; /* the words of the command that are at hand */
} reader;

static void add(reader *r, obb_option_kind kind, obb_option_reader by, const char *word, const char *value)
{
    obb_arena_push(r->arena, r->options, (obb_option){kind, by, word, value, r->first, r->count});
}

static const row *exact_row(const row *rows, const char *name, size_t length)
{
    for (const row *w = rows; w->name; w++)
        if (strlen(w->name) == length && strncmp(w->name, name, length) == 0)
            return w;
    return NULL;
}

/* The longest name that the word begins with, of those that their values follow at once. */
static const row *joined_row(const row *rows, const char *word)
{
    const row *best = NULL;
    for (const row *w = rows; w->name; w++)
        if (w->form == JOINED && obb_starts(word, w->name) && (!best || strlen(w->name) > strlen(best->name)))
            best = w;
    return best;
}

static void read_words(reader *r, const obb_words *words, obb_option_reader by);

/* Words of another program that stand in one of the driver's, with commas between. */
static void read_parts(reader *r, const char *list, obb_option_reader by)
{
    obb_words parts = {0};
    for (;; list++) {
        size_t n = strcspn(list, ",");
        obb_arena_push(r->arena, &parts, obb_arena_copy(r->arena, list, n));
        list += n;
        if (!*list)
            break;
    }
    read_words(r, &parts, by);
}

static void read_response(reader *r, const char *word, obb_option_reader by)
{
    obb_text text = {0};
    obb_words words = {0};
    const char *path = obb_path_join(r->arena, ".", word + 1);
    obb_file file = obb_files_number(r->files, path);
    add(r, OBB_OPTION_RESPONSE, by, word, path);
    if (r->depth >= DEEPEST_RESPONSE || !obb_files_is_file(r->files, file) ||
        obb_files_read(r->files, file, &text)) {
        obb_text_free(&text);
        return;
    }
    obb_split_command(obb_text_bytes(&text), r->arena, &words);
    obb_text_free(&text);
    r->depth++;
    read_words(r, &words, by);
    r->depth--;
}

/* One option; how many of the words it takes. */
static size_t read_option(reader *r, const obb_words *words, size_t i, obb_option_reader by)
{
    const char *word = words->at[i], *next = i + 1 < words->count ? words->at[i + 1] : NULL;
    size_t dashes = strspn(word, "-");
    const char *name = word + (dashes > 2 ? 2 : dashes), *equals = strchr(name, '=');
    const row *known = exact_row(rows_of(by), name, equals ? (size_t)(equals - name) : strlen(name));
    if (known && equals) {
        add(r, known->kind, by, word, equals + 1);
        return 1;
    }
    if (known && known->form != ALONE && next) {
        if (!r->depth)
            r->count = 2;
        add(r, known->kind, by, word, next);
        return 2;
    }
    if (!known && dashes == 1)
        known = joined_row(rows_of(by), name);
    else if (known && known->form != ALONE)
        known = NULL;
    add(r, known ? known->kind : OBB_OPTION_OTHER, by, word,
        !known ? word : known->form == JOINED ? name + strlen(known->name) : "");
    return 1;
}

static const char *others_words(const char *word, obb_option_reader *by)
{
    *by = obb_starts(word, "-Wl,") ? OBB_READ_BY_LINKER : OBB_READ_BY_ASSEMBLER;
    return obb_starts(word, "-Wl,") || obb_starts(word, "-Wa,") ? word + 4 : NULL;
}

static bool hands_on(const char *word, obb_option_reader *by)
{
    *by = strcmp(word, "-Xlinker") == 0      ? OBB_READ_BY_LINKER
          : strcmp(word, "-Xassembler") == 0 ? OBB_READ_BY_ASSEMBLER
                                             : OBB_READ_BY_DRIVER;
    return *by != OBB_READ_BY_DRIVER || strcmp(word, "-Xclang") == 0;
}

static void read_words(reader *r, const obb_words *words, obb_option_reader by)
{
    obb_words handed = {0}; /* the words behind several -Xlinker in a row belong together */
    bool outermost = !r->depth && by == OBB_READ_BY_DRIVER;
    for (size_t i = 0; i < words->count;) {
        const char *word = words->at[i];
        obb_option_reader other;
        if (outermost) {
            r->first = i;
            r->count = 1;
        }
        if (by == OBB_READ_BY_DRIVER && hands_on(word, &other) && i + 1 < words->count) {
            obb_option_reader same = other;
            for (; i + 1 < words->count && hands_on(words->at[i], &same) && same == other; i += 2)
                obb_arena_push(r->arena, &handed, words->at[i + 1]);
            if (outermost)
                r->count = i - r->first;
            if (other == OBB_READ_BY_DRIVER)
                for (size_t k = 0; k < handed.count; k++)
                    add(r, OBB_OPTION_OTHER, by, handed.at[k], handed.at[k]);
            else
                read_words(r, &handed, other);
            handed.count = 0;
        } else if (by == OBB_READ_BY_DRIVER && others_words(word, &other)) {
            read_parts(r, others_words(word, &other), other);
            i++;
        } else if (word[0] == '@' && word[1]) {
            read_response(r, word, by);
            i++;
        } else if (word[0] != '-' || !word[1]) {
            add(r, OBB_OPTION_FILE, by, word, word);
            i++;
        } else {
            i += read_option(r, words, i, by);
        }
    }
}

void obb_options_read(const obb_words *words, obb_option_reader by, obb_files *files, obb_arena *arena,
                      obb_options *options)
{
    reader r = {.files = files, .arena = arena, .options = options};
    read_words(&r, words, by);
}

bool obb_option_names_file(const obb_option *o)
{
    return o->kind == OBB_OPTION_READS || o->kind == OBB_OPTION_RESPONSE || o->kind == OBB_OPTION_SPECS ||
           o->kind == OBB_OPTION_SCRIPT || o->kind == OBB_OPTION_FILE;
}

static void guess(const char *path, obb_files *files, obb_arena *arena, obb_file_list *found)
{
    const char *normal = *path ? obb_path_join(arena, ".", path) : ".";
    if (obb_path_outside(normal))
        return;
    obb_file file = obb_files_number(files, normal);
    if (obb_files_is_file(files, file))
        obb_arena_push(arena, found, file);
}

void obb_option_guess(const obb_option *o, obb_files *files, obb_arena *arena, obb_file_list *found)
{
    const char *at = strpbrk(o->value, "=,");
    if (o->value[0] != '-')
        guess(o->value, files, arena, found);
    for (; at && *at; at += *at != 0) {
        size_t n = strcspn(at + 1, "=,");
        guess(obb_arena_copy(arena, at + 1, n), files, arena, found);
        if (*at == '=' && at[1 + n]) /* the whole of it, too */
            guess(at + 1, files, arena, found);
        at += n;
    }
}

void obb_split_command(const char *text, obb_arena *arena, obb_words *words)
{
    obb_text word = {0};
    while (*(text += strspn(text, " \t\n\r\v\f"))) {
        char quote = 0;
        word.length = 0;
        obb_text_add(&word, "", 0);
        for (; *text && (quote || !strchr(" \t\n\r\v\f", *text)); text++) {
            if (*text == '\\' && text[1] && quote != '\'')
                obb_text_char(&word, *++text);
            else if (quote ? *text == quote : *text == '"' || *text == '\'')
                quote = quote ? 0 : *text;
            else
                obb_text_char(&word, *text);
        }
        obb_arena_push(arena, words, obb_arena_copy(arena, word.bytes, word.length));
    }
    obb_text_free(&word);
}
