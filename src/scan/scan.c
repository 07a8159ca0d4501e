/* Evaluating directives (scan.h): files, conditions and macros, as the compiler would. Includes recurse,
 * with a limit. What cannot be decided sets `undecided`, and the compiler is asked for the files. */
#include "scan/scan.h"

#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "scan/directive_fingerprint.h"
#include "scan/scanner.h"

obb_scanner *obb_scanner_new(obb_files *files)
{
    obb_scanner *s = obb_alloc(sizeof *s);
    s->files = files;
    s->arena = obb_arena_new();
    s->scratch = obb_arena_new();
    s->symbols.arena = s->arena;
    s->sym_defined = obb_symbol(&s->symbols, "defined", 7);
    s->sym_va_args = obb_symbol(&s->symbols, "__VA_ARGS__", 11);
    s->sym_va_opt = obb_symbol(&s->symbols, "__VA_OPT__", 10);
    s->sym_has_include = obb_symbol(&s->symbols, "__has_include", 13);
    s->sym_has_embed = obb_symbol(&s->symbols, "__has_embed", 11);
    s->sym_has_include_next = obb_symbol(&s->symbols, "__has_include_next", 18);
    return s;
}

void obb_scanner_free(obb_scanner *s)
{
    if (!s)
        return;
    for (int i = 0; i < OBB_TEXT_KINDS * 2; i++)
        obb_vec_free(&s->summaries[i]);
    obb_vec_free(&s->expected);
    obb_vec_free(&s->macros);
    obb_vec_free(&s->asked);
    obb_vec_free(&s->asked_news);
    obb_vec_free(&s->seen);
    obb_vec_free(&s->once);
    obb_vec_free(&s->absent_seen);
    obb_vec_free(&s->tested_seen);
    obb_vec_free(&s->saved);
    obb_vec_free(&s->assembling);
    obb_vec_free(&s->log);
    obb_vec_free(&s->gas.levels);
    obb_map_free(&s->gas.symbols);
    obb_vec_free(&s->noted_symbols);
    obb_vec_free(&s->noted_files);
    obb_map_free(&s->memos);
    obb_map_free(&s->setups);
    obb_map_free(&s->definitions);
    obb_map_free(&s->lookups);
    obb_map_free(&s->symbols.map);
    obb_arena_free(s->arena);
    obb_arena_free(s->scratch);
    free(s);
}

void obb_scan_result_free(obb_scan_result *result)
{
    obb_vec_free(&result->files);
    obb_vec_free(&result->absent);
    obb_vec_free(&result->tested);
    obb_vec_free(&result->missing);
    obb_vec_free(&result->includes);
}

void obb_scan_give_up(obb_scanner *s, const char *format, const char *word)
{
    s->result->undecided = obb_arena_format(s->arena, format, word);
    s->result->undecided_file = s->file;
    s->result->undecided_line = s->line;
    s->result->at_most = false;
    longjmp(s->undecided, 1);
}

void obb_scan_wait_for(obb_scanner *s, obb_file file)
{
    s->result->waits = true;
    s->result->pending = file;
    longjmp(s->undecided, 1);
}

/* --- ways --------------------------------------------------------------------------- */

static bool same_folder(obb_files *files, const char *a, const char *b)
{
    const obb_stamp *x = obb_files_stamp(files, obb_files_number(files, a));
    obb_stamp first = x ? *x : (obb_stamp){0};
    const obb_stamp *y = obb_files_stamp(files, obb_files_number(files, b));
    return strcmp(a, b) == 0 || (x && y && first.inode == y->inode && first.changed == y->changed);
}

static bool among(obb_files *files, const obb_words *folders, const char *folder)
{
    for (size_t i = 0; i < folders->count; i++)
        if (same_folder(files, folders->at[i], folder))
            return true;
    return false;
}

/* The project's folders come first, except for one that the compiler searches anyway: compilers keep that in
 * its original place. A folder counts at its first mention. */
static void list_folders(obb_scanner *s, obb_preprocessor_setup *setup)
{
    const obb_dialect *d = setup->dialect;
    for (size_t i = 0; i < d->quote_folders.count; i++)
        obb_arena_push(s->arena, &setup->folders, obb_files_number(s->files, d->quote_folders.at[i]));
    setup->quote_folders = setup->folders.count;
    obb_words placed = {0};
    for (size_t i = 0; i < setup->includes.count; i++) {
        const char *folder = setup->includes.at[i];
        bool of_system = among(s->files, &d->folders, folder) && !among(s->files, &d->stated, folder);
        if (of_system || among(s->files, &placed, folder))
            continue;
        obb_arena_push(s->arena, &placed, folder);
        obb_arena_push(s->arena, &setup->folders, obb_files_number(s->files, folder));
    }
    for (size_t i = 0; i < d->folders.count; i++)
        if (!among(s->files, &placed, d->folders.at[i]))
            obb_arena_push(s->arena, &setup->folders, obb_files_number(s->files, d->folders.at[i]));
}

static void define_builtins(obb_scanner *s, const obb_dialect *d)
{
    static const struct { const char *name; obb_builtin builtin; } known[] = {
        {"__LINE__", OBB_BUILTIN_LINE}, {"__INCLUDE_LEVEL__", OBB_BUILTIN_LEVEL},
        {"__FILE__", OBB_BUILTIN_UNKNOWN}, {"__COUNTER__", OBB_BUILTIN_COUNTER},
        {"__DATE__", OBB_BUILTIN_UNKNOWN}, {"__TIME__", OBB_BUILTIN_UNKNOWN},
        {"__TIMESTAMP__", OBB_BUILTIN_UNKNOWN}, {"__BASE_FILE__", OBB_BUILTIN_UNKNOWN},
        {"__FILE_NAME__", OBB_BUILTIN_UNKNOWN}};
    const size_t count = sizeof known / sizeof *known;
    for (size_t i = 0; i < count + d->operators.count; i++) {
        const char *name = i < count ? known[i].name : d->operators.at[i - count];
        obb_macro *m = obb_arena_alloc(s->arena, sizeof *m);
        m->symbol = obb_symbol(&s->symbols, name, strlen(name));
        m->builtin = (uint8_t)(i < count ? known[i].builtin : OBB_BUILTIN_OPERATOR);
        obb_scan_set_macro(s, m->symbol, m);
    }
}

/* A text of definitions is read once, however many setups have it: most targets of a project share their
 * macros. */
static const obb_directive_summary *definitions(obb_scanner *s, const char *text)
{
    bool added;
    uint32_t number = obb_map_number(&s->definitions, text, strlen(text), &added);
    if (added) {
        char *kept = obb_arena_string(s->arena, text);
        s->definitions.at[number].key = kept;
        s->definitions.at[number].value = obb_directives_summarize(&s->symbols, kept, strlen(kept),
                                                                   OBB_TEXT_C);
    }
    return s->definitions.at[number].value;
}

static void define_all(obb_scanner *s, const obb_directive_summary *summary)
{
    for (size_t i = 0; i < summary->directives.count; i++) {
        const obb_directive *d = &summary->directives.at[i];
        if (d->kind == OBB_D_DEFINE)
            obb_scan_set_macro(s, d->macro->symbol, d->macro);
        else if (d->kind == OBB_D_UNDEF)
            obb_scan_set_macro(s, d->symbol, NULL);
    }
}

/* What a setup predefines: the compiler's own macros, then those of the command. -DNAME is 1; -DNAME=VALUE is
 * VALUE (as with c99 in POSIX). */
static void list_definitions(obb_scanner *s, obb_preprocessor_setup *setup)
{
    obb_text text = {0};
    obb_arena_push(s->arena, &setup->predefined, definitions(s, setup->dialect->macros));
    for (size_t i = 0; i < setup->defines.count; i++) {
        const char *d = setup->defines.at[i], *equal = strchr(d, '=');
        text.length = 0;
        obb_text_string(&text, "#define ");
        obb_text_add(&text, d, equal ? (size_t)(equal - d) : strlen(d));
        obb_text_string(&text, " ");
        obb_text_string(&text, equal ? equal + 1 : "1");
        obb_text_string(&text, "\n");
        obb_arena_push(s->arena, &setup->predefined, definitions(s, obb_text_bytes(&text)));
    }
    obb_text_free(&text);
}

static obb_words copied(obb_arena *arena, const obb_words *words)
{
    obb_words copy = {0};
    for (size_t i = 0; i < words->count; i++)
        obb_arena_push(arena, &copy, obb_arena_string(arena, words->at[i]));
    return copy;
}

const obb_preprocessor_setup *obb_scanner_setup(obb_scanner *s, const obb_dialect *dialect,
                                    const obb_words *includes, const obb_words *defines)
{
    obb_hasher *p = obb_hasher_new();
    const void *identity = dialect;
    obb_hasher_add(p, &identity, sizeof identity);
    for (size_t i = 0; i < includes->count; i++)
        obb_hasher_string(p, includes->at[i]);
    obb_hasher_string(p, NULL);
    for (size_t i = 0; i < defines->count; i++)
        obb_hasher_string(p, defines->at[i]);
    obb_fingerprint fingerprint = obb_hasher_end(p);
    char *key = obb_arena_copy(s->arena, &fingerprint, sizeof fingerprint);
    uint32_t number = obb_map_number(&s->setups, key, sizeof fingerprint, NULL);
    if (!s->setups.at[number].value) {
        obb_preprocessor_setup *setup = obb_arena_alloc(s->arena, sizeof *setup);
        *setup = (obb_preprocessor_setup){.dialect = dialect, .includes = *includes, .defines = *defines,
                              .number = number};
        s->setups.at[number].value = setup;
        if (dialect->language == OBB_ASM_INTEL) { /* reads them anew for each source */
            setup->includes = copied(s->arena, includes);
            setup->defines = copied(s->arena, defines);
        } else {
            list_folders(s, setup);
            list_definitions(s, setup);
        }
    }
    return s->setups.at[number].value;
}

/* Makes the macros of a setup the predefined ones. */
static void load(obb_scanner *s, const obb_preprocessor_setup *setup)
{
    if (s->loaded == setup)
        return;
    for (size_t i = 0; i < s->macros.count; i++)
        s->macros.at[i].predefined = NULL;
    s->now++;
    define_builtins(s, setup->dialect);
    for (size_t i = 0; i < setup->predefined.count; i++)
        define_all(s, setup->predefined.at[i]);
    for (size_t i = 0; i < s->macros.count; i++)
        if (s->macros.at[i].mark == s->now)
            s->macros.at[i].predefined = s->macros.at[i].current;
    s->loaded = setup;
}

/* --- looking headers up ------------------------------------------------------------- */

typedef struct lookup_key {
    uint32_t setup, folder_of_file, name, start;
} lookup_key;

static bool try_place(obb_scanner *s, obb_found *found, obb_file_list *absent, const char *folder,
                      const char *name)
{
    obb_file file = obb_files_number(s->files, obb_files_resolve(s->files, s->scratch, folder, name));
    if (obb_files_is_file(s->files, file)) {
        found->file = file;
        return true;
    }
    obb_arena_push(s->arena, absent, file);
    return false;
}

/* C11 6.10.2: "x" beside the file first, then like <x>. `start` is the first folder of the setup that is
 * searched. */
static void search(obb_scanner *s, const char *name, const char *byproducts, size_t start,
                   obb_found *found)
{
    obb_file_list absent = {0};
    found->file = OBB_NO_FILE;
    found->folder = UINT32_MAX;
    bool done = name[0] == '/' ? try_place(s, found, &absent, "/", name)
                               : byproducts && try_place(s, found, &absent, byproducts, name);
    for (size_t i = start; !done && name[0] != '/' && i < s->setup->folders.count; i++) {
        done = try_place(s, found, &absent, obb_files_path(s->files, s->setup->folders.at[i]), name);
        if (done)
            found->folder = (uint32_t)i;
    }
    found->absent = absent.at;
    found->absent_count = (uint32_t)absent.count;
}

const obb_found *obb_scan_look_up(obb_scanner *s, const char *name, bool quoted, bool next)
{
    bool after = next && s->folder != UINT32_MAX; /* in the source itself, it is a plain include */
    bool byproducts = quoted && !after;
    size_t start = after ? s->folder + 1 : quoted ? 0 : s->setup->quote_folders;
    char *folder = byproducts ? obb_path_folder(s->scratch, obb_files_path(s->files, s->file)) : NULL;
    lookup_key key = {s->setup->number,
                      byproducts ? obb_symbol(&s->symbols, folder, strlen(folder)) : UINT32_MAX,
                      obb_symbol(&s->symbols, name, strlen(name)), (uint32_t)start};
    bool added;
    uint32_t n = obb_map_number(&s->lookups, (const char *)&key, sizeof key, &added);
    if (added) {
        obb_found *found = obb_arena_alloc(s->arena, sizeof *found);
        s->lookups.at[n].key = obb_arena_copy(s->arena, &key, sizeof key);
        s->lookups.at[n].value = found;
        search(s, name, folder, start, found);
    }
    return s->lookups.at[n].value;
}

/* Whether a mark per file is set for this source; sets it. */
static bool marked(obb_scanner *s, obb_marks *marks, obb_file file)
{
    if (file >= marks->count) {
        obb_vec_room(marks, file + 256);
        marks->count = file + 256;
    }
    bool was = marks->at[file] == s->now;
    marks->at[file] = s->now;
    return was;
}

void obb_scan_note_absent(obb_scanner *s, const obb_found *found)
{
    if (!found->absent_count)
        return;
    obb_scan_log_absent(s, found);
    for (uint32_t i = 0; i < found->absent_count; i++)
        if (!marked(s, &s->absent_seen, found->absent[i]))
            obb_vec_push(&s->result->absent, found->absent[i]);
}

void obb_scan_note_tested(obb_scanner *s, obb_file file)
{
    obb_scan_log_tested(s, file);
    if (!marked(s, &s->tested_seen, file))
        obb_vec_push(&s->result->tested, file);
}

bool obb_scan_note_file(obb_scanner *s, obb_file file, obb_file from, int line, bool again)
{
    bool was = marked(s, &s->seen, file);
    obb_scan_log_file(s, file);
    if (!was)
        obb_vec_push(&s->result->files, file);
    if (s->with_includes && from != OBB_NO_FILE)
        obb_vec_push(&s->result->includes, (obb_include){from, file, line, s->depth + 1, was || again});
    return !was;
}

/* --- reading ------------------------------------------------------------------------ */

static obb_text_kind kind_of_source(const obb_scanner *s)
{
    return s->setup->dialect->language == OBB_ASM_CPP ? OBB_TEXT_ASM_CPP
           : s->setup->dialect->language == OBB_ASM   ? OBB_TEXT_ASM
           : s->setup->dialect->raw_strings           ? OBB_TEXT_C_RAW
                                                    : OBB_TEXT_C;
}

/* NULL when the file cannot be read, or is not made yet. */
static obb_directive_summary *summary_if_readable(obb_scanner *s, obb_file file, obb_text_kind kind)
{
    bool trigraphs = s->setup->dialect->trigraphs && kind != OBB_TEXT_ASM;
    int which = (int)kind + (trigraphs ? OBB_TEXT_KINDS : 0);
    if (file >= s->summaries[which].count) {
        obb_vec_room(&s->summaries[which], file + 256);
        s->summaries[which].count = file + 256;
    }
    obb_text text = {0};
    if (s->summaries[which].at[file])
        return s->summaries[which].at[file];
    if (!obb_files_is_pending(s->files, file) && !obb_files_read(s->files, file, &text)) {
        if (trigraphs)
            text.length = obb_replace_trigraphs(text.bytes, text.length);
        s->summaries[which].at[file] = obb_directives_summarize(&s->symbols, text.bytes, text.length, kind);
    }
    obb_text_free(&text);
    return s->summaries[which].at[file];
}

const obb_directive_summary *obb_scan_summary(obb_scanner *s, obb_file file)
{
    return summary_if_readable(s, file, kind_of_source(s));
}

static obb_directive_summary *summary_of(obb_scanner *s, obb_file file, obb_text_kind kind)
{
    obb_directive_summary *summary = summary_if_readable(s, file, kind);
    if (!summary) {
        if (obb_files_is_pending(s->files, file))
            obb_scan_wait_for(s, file);
        if (!marked(s, &s->seen, file)) /* the compiler, which is asked instead, names it */
            obb_vec_push(&s->result->files, file);
        obb_scan_give_up(s, "cannot read `%s`", obb_files_path(s->files, file));
    }
    return summary;
}

bool obb_scan_is_guarded(const obb_scanner *s, obb_file file)
{
    bool guarded = false;
    for (int which = 0; which < OBB_TEXT_KINDS * 2 && !guarded; which++)
        guarded = file < s->summaries[which].count && s->summaries[which].at[file] &&
                  s->summaries[which].at[file]->guarded;
    return guarded;
}

static void read_file(obb_scanner *s, obb_file file, uint32_t folder, obb_text_kind kind);

bool obb_scan_read_once(obb_scanner *s, obb_file file)
{
    bool was = file < s->once.count && s->once.at[file] == s->now;
    obb_scan_log_once(s, file, false, was);
    return was;
}

void obb_scan_mark_once(obb_scanner *s, obb_file file)
{
    obb_scan_log_once(s, file, true, true);
    marked(s, &s->once, file);
}

static void enter(obb_scanner *s, const obb_found *found, int line, bool once)
{
    obb_directive_summary *summary = summary_of(s, found->file, kind_of_source(s));
    bool skip = obb_scan_read_once(s, found->file) ||
                (summary->guarded && obb_scan_macro(s, summary->guard) != NULL);
    obb_scan_note_file(s, found->file, s->file, line, skip);
    if (once)
        obb_scan_mark_once(s, found->file);
    if (skip || obb_scan_recall_memo(s, found->file, found->folder))
        return;
    if (s->depth >= OBB_DEEPEST_INCLUDE)
        obb_scan_give_up(s, "includes are nested too deep at `%s`", obb_files_path(s->files, found->file));
    obb_file file = s->file;
    uint32_t folder = s->folder;
    size_t began = s->log.count;
    s->depth++;
    read_file(s, found->file, found->folder, kind_of_source(s));
    s->depth--;
    obb_scan_keep_memo(s, found->file, found->folder, began);
    s->file = file;
    s->folder = folder;
}

static void include(obb_scanner *s, const obb_directive *d)
{
    const char *name = d->name;
    bool quoted = d->quoted;
    if (!name)
        name = obb_scan_header_name(s, d->tokens, d->count, &quoted);
    const obb_found *found = obb_scan_look_up(s, name, quoted, d->kind == OBB_D_INCLUDE_NEXT);
    obb_scan_note_absent(s, found);
    if (found->file == OBB_NO_FILE) {
        obb_missing missing = {obb_arena_string(s->arena, name), quoted, s->file, d->line};
        obb_vec_push(&s->result->missing, missing);
        obb_scan_spoil_memos(s);
        return;
    }
    enter(s, found, d->line, d->kind == OBB_D_IMPORT);
}

/* In one folder (unless it is NULL), then in others; the places where it was not are noted. */
static obb_file look_in(obb_scanner *s, const char *first, const obb_words *folders, const char *name)
{
    obb_found *found = obb_arena_alloc(s->arena, sizeof *found); /* the log may refer to it */
    obb_file_list absent = {0};
    bool there = first && try_place(s, found, &absent, first, name);
    for (size_t i = 0; !there && i < folders->count; i++)
        there = try_place(s, found, &absent, folders->at[i], name);
    found->absent = absent.at;
    found->absent_count = (uint32_t)absent.count;
    obb_scan_note_absent(s, found);
    return there ? found->file : OBB_NO_FILE;
}

obb_file obb_scan_look_up_embedded(obb_scanner *s, const char *name, bool quoted)
{
    const char *byproducts = quoted ? obb_path_folder(s->scratch, obb_files_path(s->files, s->file)) : NULL;
    return look_in(s, byproducts, &s->setup->dialect->embed_folders, name);
}

/* The bytes of a file as numbers (C23 6.10.3). Even with a limit, the file is read. A compiler without #embed
 * does not have __has_embed, and for it this is no directive. */
static void embed(obb_scanner *s, const obb_directive *d)
{
    const char *name = d->name;
    bool quoted = d->quoted;
    const obb_macro *known = obb_scan_macro(s, s->sym_has_embed);
    if (!known || !known->builtin)
        return;
    if (!name)
        name = obb_scan_header_name(s, d->tokens, d->count, &quoted);
    obb_file file = obb_scan_look_up_embedded(s, name, quoted);
    if (file == OBB_NO_FILE)
        obb_scan_give_up(s, "what #embed names is nowhere: `%s`", name);
    obb_scan_note_file(s, file, s->file, d->line, false);
    s->embedded = true; /* all of it is read, comments too; no memo can express that */
    obb_scan_spoil_memos(s);
}

obb_file obb_scan_look_up_assembly(obb_scanner *s, const char *name)
{
    obb_scan_spoil_memos(s);
    return look_in(s, ".", &s->setup->includes, name);
}

void obb_scan_include_assembly(obb_scanner *s, const char *name, bool binary, int line)
{
    if (obb_scan_gas_skips(s))
        return;
    obb_file file = obb_scan_look_up_assembly(s, name);
    if (s->gas.unknown &&
        !s->result->undecided) { /* all candidates are read; the assembler decides */
        s->result->undecided = obb_arena_format(s->arena, "whether it includes `%s`", name);
        s->result->undecided_file = s->file;
        s->result->undecided_line = line;
        s->result->at_most = true;
    }
    if (file == OBB_NO_FILE)
        return;
    bool fresh = obb_scan_note_file(s, file, s->file, line, false);
    s->result->assembled = true;
    if (binary || (!fresh && s->gas.unknown))
        return;
    if (s->depth >= OBB_DEEPEST_INCLUDE || (s->steps += 1000) > OBB_MOST_STEPS)
        obb_scan_give_up(s, "includes are nested too deep at `%s`", name);
    obb_file outer = s->file;
    s->depth++;
    read_file(s, file, UINT32_MAX, OBB_TEXT_ASM);
    s->depth--;
    s->file = outer;
}

static void read_gas(obb_scanner *s, const obb_directive *d)
{
    obb_tokens out = {0};
    obb_scan_replace(s, d->tokens, d->count, false, &out);
    obb_scan_gas(s, d->name, obb_scan_spell(s->scratch, out.at, out.count));
}

static void include_assembly(obb_scanner *s, const obb_directive *d)
{
    obb_tokens out = {0};
    obb_scan_replace(s, d->tokens, d->count, false, &out);
    if (!out.count || out.at[0].kind != OBB_T_STRING || out.at[0].length < 3)
        return;
    obb_scan_include_assembly(s, obb_arena_copy(s->scratch, out.at[0].text + 1, out.at[0].length - 2),
                              d->kind == OBB_D_ASM_INCBIN, d->line);
}

static void stand_at(obb_scanner *s, const obb_directive *d)
{
    s->line = d->line;
    s->spans = d->spans;
}

static bool branch_taken(obb_scanner *s, const obb_directive *d)
{
    stand_at(s, d);
    switch (d->kind) {
    case OBB_D_IF: case OBB_D_ELIF: return obb_scan_condition(s, d->tokens, d->count);
    case OBB_D_IFDEF: case OBB_D_ELIFDEF: return obb_scan_macro(s, d->symbol) != NULL;
    case OBB_D_IFNDEF: case OBB_D_ELIFNDEF: return obb_scan_macro(s, d->symbol) == NULL;
    default: return true; /* #else */
    }
}

/* From a branch that is not taken, or whose end was reached, to where reading goes on. */
static size_t next_branch(obb_scanner *s, const obb_directive_summary *g, size_t i, bool done)
{
    for (i = g->directives.at[i].next; g->directives.at[i].kind != OBB_D_ENDIF;
         i = g->directives.at[i].next)
        if (!done && branch_taken(s, &g->directives.at[i]))
            return i + 1;
    return i + 1;
}

static void push_macro(obb_scanner *s, const obb_directive *d)
{
    obb_scan_spoil_memos(s);
    obb_saved_macro saved = {d->symbol, obb_scan_macro(s, d->symbol)};
    obb_vec_push(&s->saved, saved);
}

static void pop_macro(obb_scanner *s, const obb_directive *d)
{
    obb_scan_spoil_memos(s);
    for (size_t i = s->saved.count; i-- > 0;) {
        if (s->saved.at[i].symbol != d->symbol)
            continue;
        obb_scan_set_macro(s, d->symbol, s->saved.at[i].macro);
        memmove(s->saved.at + i, s->saved.at + i + 1, (s->saved.count - i - 1) * sizeof *s->saved.at);
        s->saved.count--;
        return;
    }
}

/* #line (C11 6.10.4): what __LINE__ is from here on; a decimal number, perhaps after macros are replaced. */
static void set_line(obb_scanner *s, const obb_directive *d)
{
    obb_tokens out = {0};
    intmax_t line = 0;
    obb_scan_replace(s, d->tokens, d->count, false, &out);
    if (!out.count || out.at[0].kind != OBB_T_NUMBER)
        return; /* the compiler reports it */
    for (uint32_t i = 0; i < out.at[0].length && line < INT32_MAX; i++)
        if (isdigit((unsigned char)out.at[0].text[i]))
            line = line * 10 + (out.at[0].text[i] - '0');
    s->line_shift = line - d->line;
}

static void read_file(obb_scanner *s, obb_file file, uint32_t folder, obb_text_kind kind)
{
    obb_directive_summary *g = summary_of(s, file, kind);
    intmax_t shift_outside = s->line_shift;
    s->line_shift = 0;
    s->file = file;
    s->folder = folder;
    for (size_t i = 0; i < g->directives.count;) {
        const obb_directive *d = &g->directives.at[i];
        stand_at(s, d);
        switch (d->kind) {
        case OBB_D_IF: case OBB_D_IFDEF: case OBB_D_IFNDEF:
            i = branch_taken(s, d) ? i + 1 : next_branch(s, g, i, false);
            continue;
        case OBB_D_ELIF: case OBB_D_ELIFDEF: case OBB_D_ELIFNDEF: case OBB_D_ELSE:
            i = next_branch(s, g, i, true);
            continue;
        case OBB_D_ENDIF: break;
        case OBB_D_DEFINE:
            obb_scan_set_macro(s, d->macro->symbol, d->macro);
            if (d->macro->assembles) {
                obb_vec_push(&s->assembling, d->macro->symbol);
                obb_scan_spoil_memos(s);
            }
            break;
        case OBB_D_UNDEF: obb_scan_set_macro(s, d->symbol, NULL); break;
        case OBB_D_LINE: set_line(s, d); break;
        case OBB_D_ONCE: obb_scan_mark_once(s, file); break;
        case OBB_D_PUSH: push_macro(s, d); break;
        case OBB_D_POP: pop_macro(s, d); break;
        case OBB_D_INCLUDE: case OBB_D_INCLUDE_NEXT: case OBB_D_IMPORT: include(s, d); break;
        case OBB_D_EMBED: embed(s, d); break;
        case OBB_D_ASM_INCLUDE: case OBB_D_ASM_INCBIN: include_assembly(s, d); break;
        case OBB_D_GAS: read_gas(s, d); break;
        case OBB_D_INLINE: obb_scan_inline(s, d->tokens, d->count); break;
        }
        i++;
    }
    s->line_shift = shift_outside;
}

/* Files that the flags include before the source: looked up as "x" from the working folder. */
static void read_forced(obb_scanner *s, obb_file source)
{
    const obb_dialect *d = s->setup->dialect;
    for (size_t i = 0; i < d->implicit.count; i++)
        obb_scan_note_file(s, obb_files_number(s->files, d->implicit.at[i]), source, 0, false);
    for (size_t i = 0; i < d->forced.count; i++) {
        obb_found found;
        s->file = source;
        search(s, d->forced.at[i], ".", 0, &found);
        obb_scan_note_absent(s, &found);
        if (found.file != OBB_NO_FILE)
            enter(s, &found, 0, false);
        else
            obb_scan_give_up(s, "`-include %s` is not found", d->forced.at[i]);
    }
}

void obb_scan(obb_scanner *s, const obb_preprocessor_setup *setup, obb_file source, bool with_includes,
              obb_scan_result *result)
{
    bool intel = setup->dialect->language == OBB_ASM_INTEL;
    s->logging = false;
    if (!intel)
        load(s, setup);
    obb_arena_reset(s->scratch);
    s->now++;
    s->setup = setup;
    s->result = result;
    s->with_includes = with_includes;
    s->file = source;
    s->folder = UINT32_MAX;
    s->line = s->depth = s->nesting = 0;
    s->line_shift = 0;
    s->steps = 0;
    s->saved.count = s->assembling.count = s->log.count = 0;
    obb_scan_note_file(s, source, OBB_NO_FILE, 0, false);
    s->embedded = false;
    result->text_matters = true; /* unless it comes to its end */
    if (setjmp(s->undecided))
        return;
    if (intel) {
        obb_scan_intel(s, source);
        return;
    }
    s->logging = !with_includes;
    obb_scan_gas_begin(s);
    read_forced(s, source);
    read_file(s, source, UINT32_MAX, kind_of_source(s));
    s->logging = false;
    bool other = s->assembling.count || s->embedded || result->undecided ||
                 (kind_of_source(s) != OBB_TEXT_C && kind_of_source(s) != OBB_TEXT_C_RAW);
    result->trigraphs_alone = !other && setup->dialect->trigraphs;
    result->text_matters = other || setup->dialect->trigraphs;
    if (s->assembling.count)
        obb_scan_assembling_macros(s);
}

void obb_scanner_take_asked(obb_scanner *s, obb_macro_names *names)
{
    for (size_t i = 0; i < s->asked_news.count; i++)
        obb_vec_push(names, obb_macro_name_mark(obb_symbol_text(&s->symbols, s->asked_news.at[i])));
    s->asked_news.count = 0;
}

void obb_scan_searched(const obb_scanner *s, const obb_preprocessor_setup *setup, const obb_missing *missing,
                       obb_arena *arena, obb_words *folders)
{
    if (missing->quoted)
        obb_arena_push(arena, folders, obb_path_folder(arena, obb_files_path(s->files, missing->file)));
    for (size_t i = missing->quoted ? 0 : setup->quote_folders; i < setup->folders.count; i++)
        obb_arena_push(arena, folders, obb_files_path(s->files, setup->folders.at[i]));
}
