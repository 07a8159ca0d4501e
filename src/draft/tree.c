/* What there is in a tree (draft/work.h): sources and headers, what they include, and the macros of a
 * configuration that they test. */
#include <dirent.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/files.h"
#include "base/path.h"
#include "draft/work.h"
#include "project/axis.h"
#include "scan/directives.h"
#include "score/score.h"
#include "state/state.h"

enum { MOST_FILES = 50000, DEEPEST = 40 };

void draft_note(draft *d, const char *format, ...)
{
    char line[1000];
    va_list args;
    va_start(args, format);
    vsnprintf(line, sizeof line, format, args);
    va_end(args);
    obb_arena_push(d->arena, &d->result->notes, obb_arena_string(d->arena, line));
}

static bool is_header(const char *path)
{
    static const char *const suffixes[] = {".h",   ".hh",  ".hpp", ".hxx", ".inc",
                                           ".inl", ".ipp", ".tcc", ".def"};
    bool is = false;
    for (size_t i = 0; i < sizeof suffixes / sizeof *suffixes && !is; i++)
        is = strcmp(obb_path_suffix(path), suffixes[i]) == 0;
    return is;
}

static bool is_grammar(const char *path)
{
    static const char *const suffixes[] = {".y", ".yy", ".l", ".ll", ".re", ".rl"};
    bool is = false;
    for (size_t i = 0; i < sizeof suffixes / sizeof *suffixes && !is; i++)
        is = strcmp(obb_path_suffix(path), suffixes[i]) == 0;
    return is;
}

static bool is_known(const draft *d, const char *path)
{
    bool known = false;
    for (size_t i = 0; d->request->known && i < d->request->known->count && !known; i++)
        known = obb_path_matches(d->request->known->at[i], path);
    return known;
}

bool draft_can_be_named(const draft *d, const char *path)
{
    obb_diags *diags = obb_diags_new();
    obb_text text = {0};
    obb_text_format(&text, "x \"%s\"", path);
    obb_score_parse(d->arena, &(obb_score_origin){.file = "x"}, text.bytes, text.length,
                    diags); /* the lexer is asked */
    bool can = !diags->list.count && !strpbrk(path, "*?[]{}\"\\\n\t");
    obb_text_free(&text);
    obb_diags_free(diags);
    return can;
}

/* By the name of the folder. What is for 32 bits of x86 alone, and what is for both, is told by compiling it.
 */
static const char *processor_of(const char *folder)
{
    const char *processor = obb_cpu_of(obb_path_name(folder));
    bool both = strcmp(processor, "x86") == 0 && strcmp(obb_host_here()->cpu, "x86_64") == 0;
    return *processor && !both ? processor : NULL;
}

/* Processors that have no value of an axis, and names that may mean something else. */
static bool may_be_processor(const char *name)
{
    static const char *const names[] = {"alpha",     "arc",         "armv7",      "armv8",    "avr32",
                                        "bfin",      "c6x",         "cris",       "csky",     "frv",
                                        "h8300",     "hppa",        "hexagon",    "ia64",     "kvx",
                                        "lm32",      "m32r",        "m68k",       "m88k",     "metag",
                                        "mips64",    "moxie",       "neon",       "nios2",    "or1k",
                                        "pa",        "ppc",         "ppc64",      "riscv",    "rs6000",
                                        "rx",        "s390",        "sh",         "sh64",     "sparc",
                                        "tile",      "vax",         "v850",       "wasm",     "wasm32",
                                        "loongarch", "loongarch64", "microblaze", "openrisc", "altivec",
                                        "parisc"};
    bool is = false;
    for (size_t i = 0; i < sizeof names / sizeof *names && !is; i++)
        is = strcmp(names[i], name) == 0;
    return is;
}

/* Files in folders that are called like a processor for sure, or like one that stands beside such. */
static void find_processors(draft *d)
{
    obb_map parents = {0}; /* of those that are sure */
    for (size_t i = 0; i < d->files.count; i++)
        if (*obb_cpu_of(obb_path_name(d->files.at[i]->folder)))
            obb_map_put(&parents, obb_path_folder(d->arena, d->files.at[i]->folder), d);
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        const char *name = obb_path_name(f->folder), *parent = obb_path_folder(d->arena, f->folder),
                   *processor = processor_of(f->folder);
        if (!processor && may_be_processor(name) && obb_map_get(&parents, parent))
            processor = name;
        f->foreign = processor && strcmp(processor, obb_host_here()->cpu) != 0;
        f->processor = f->header || f->known ? NULL : processor;
        f->beside = f->processor ? parent : NULL;
    }
    obb_map_free(&parents);
}

static void take_file(draft *d, const char *path)
{
    draft_file *f = obb_arena_alloc(d->arena, sizeof *f);
    *f = (draft_file){.path = path,
                      .folder = obb_path_folder(d->arena, path),
                      .language = obb_language_of(path),
                      .header = is_header(path) || draft_is_template(path)};
    if (draft_is_template(path))
        obb_arena_push(d->arena, &d->templates, path);
    if (is_grammar(path))
        obb_arena_push(d->arena, &d->grammars, path);
    size_t n = strlen(path);
    bool script = n > 5 && strcmp(path + n - 5, ".ld.S") == 0;
    bool source = f->language != OBB_NO_LANGUAGE && !f->header && !script && f->language != OBB_ASM_INTEL;
    f->known = source && is_known(d, path);
    bool can = !source || draft_can_be_named(d, path);
    d->unnamed += !can;
    if ((source && can) || f->header)
        obb_arena_push(d->arena, &d->files, f);
}

bool draft_is_foreign(const draft_file *f)
{
    return f->processor && f->foreign;
}

bool draft_is_counted(const draft_file *f)
{
    return !f->header && !f->known && !f->part_of && !draft_is_foreign(f);
}

/* Folders of other builds have a mark in them. */
static bool is_output(draft *d, const char *folder)
{
    struct stat s;
    return stat(obb_path_join(d->arena, folder, OBB_MARK_NAME), &s) == 0;
}

static void walk(draft *d, const char *folder, int depth)
{
    DIR *dir = depth < DEEPEST && !is_output(d, folder) ? opendir(folder) : NULL;
    for (struct dirent *e; dir && (e = readdir(dir)) && d->files.count < MOST_FILES;) {
        struct stat s;
        const char *path = obb_path_join(d->arena, folder, e->d_name);
        if (*e->d_name == '.' || lstat(path, &s))
            continue;
        if (S_ISDIR(s.st_mode))
            walk(d, path, depth + 1);
        else if (S_ISREG(s.st_mode))
            take_file(d, path);
    }
    if (dir)
        closedir(dir);
}

static int by_path(const void *a, const void *b)
{
    return strcmp((*(draft_file *const *)a)->path, (*(draft_file *const *)b)->path);
}

/* --- what is in them ---------------------------------------------------------------- */

/* Macros of configurations whose answer is the same on every system of today; and one without which nobody
 * includes the header of a configuration. */
static bool holds_everywhere(const char *name)
{
    return strcmp(name, "STDC_HEADERS") == 0 || strcmp(name, "TIME_WITH_SYS_TIME") == 0 ||
           strcmp(name, "HAVE_CONFIG_H") == 0;
}

/* What a configuration says of the project itself. */
static bool is_name(const char *name)
{
    return strncmp(name, "PACKAGE", 7) == 0 || strcmp(name, "VERSION") == 0;
}

static void take_test(draft *d, const char *name, const obb_map *own, obb_map *seen)
{
    bool configured = strncmp(name, "HAVE_", 5) == 0 || strncmp(name, "SIZEOF_", 7) == 0 ||
                      holds_everywhere(name);
    if ((configured || is_name(name)) && !obb_map_get(own, name) && !obb_map_get(seen, name)) {
        name = obb_arena_string(d->arena, name);
        obb_map_put(seen, name, d);
        obb_arena_push(d->arena, configured ? &d->tested : &d->names, name);
    }
}

/* A template only says where answers belong. */
static void take_definition(draft *d, const draft_file *f, const char *name, obb_map *own)
{
    bool answers = f->header && !draft_is_template(f->path) && !f->other_configuration;
    if (!f->other_configuration)
        obb_map_put(&d->defined, name, d);
    obb_map_put(answers ? &d->answered : own, name, d);
}

/* `BELLS == 8`: a value that a macro may have. */
static void take_comparison(draft *d, const char *name, const obb_token *number)
{
    obb_words *values = obb_map_get(&d->compared, name);
    if (!number->plain || !number->code)
        return;
    if (!values) {
        values = obb_arena_alloc(d->arena, sizeof *values);
        obb_map_put(&d->compared, obb_arena_string(d->arena, name), values);
    }
    const char *value = obb_arena_format(d->arena, "%s=%d", name, (int)number->code);
    if (!obb_has_word(values, value))
        obb_arena_push(d->arena, values, value);
}

static void take_condition(draft *d, const obb_symbols *symbols, const obb_directive *one, const obb_map *own,
                           obb_map *seen)
{
    for (size_t i = 0; i < one->count; i++) {
        const obb_token *t = &one->tokens[i];
        if (t->kind != OBB_T_NAME)
            continue;
        const char *name = obb_symbol_text(symbols, t->code);
        take_test(d, name, own, seen);
        if (i + 2 < one->count && obb_is_mark(t + 1, OBB_MARK2('=', '=')) && t[2].kind == OBB_T_NUMBER)
            take_comparison(d, name, t + 2);
    }
}

/* `own`: macros that this source defines, which answers nobody else. */
static void take_directive(draft *d, draft_file *f, const obb_symbols *symbols, const obb_directive *one,
                           const obb_map *own, obb_map *seen)
{
    switch (one->kind) {
    case OBB_D_INCLUDE:
    case OBB_D_INCLUDE_NEXT:
    case OBB_D_IMPORT:
        if (one->name)
            obb_arena_push(d->arena, &f->includes,
                           ((named_include){obb_arena_string(d->arena, one->name), one->quoted}));
        break;
    case OBB_D_IFDEF:
    case OBB_D_IFNDEF:
    case OBB_D_ELIFDEF:
    case OBB_D_ELIFNDEF: take_test(d, obb_symbol_text(symbols, one->symbol), own, seen); break;
    case OBB_D_IF:
    case OBB_D_ELIF: take_condition(d, symbols, one, own, seen); break;
    default: break;
    }
}

/* NULL: it cannot be read, or has none. */
static const obb_directive_summary *read_directives(const draft_file *f, obb_symbols *symbols)
{
    obb_text text = {0};
    const obb_directive_summary *s = NULL;
    obb_text_kind kind = f->language == OBB_ASM_CPP            ? OBB_TEXT_ASM_CPP
                         : f->language == OBB_CXX || f->header ? OBB_TEXT_C_RAW
                                                               : OBB_TEXT_C;
    if (f->language != OBB_ASM && !obb_file_read(f->path, &text))
        s = obb_directives_summarize(symbols, obb_text_bytes(&text), text.length, kind);
    obb_text_free(&text);
    return s;
}

static void take_definitions(draft *d, const draft_file *f, const obb_symbols *symbols,
                             const obb_directive_summary *s, obb_map *own)
{
    for (size_t i = 0; i < s->directives.count; i++)
        if (s->directives.at[i].kind == OBB_D_DEFINE && s->directives.at[i].macro)
            take_definition(d, f, obb_symbol_text(symbols, s->directives.at[i].macro->symbol), own);
}

static bool may_be_configuration(const draft_file *f)
{
    return f->header && !draft_is_template(f->path) && draft_is_configuration(f->path);
}

/* What configurations define is taken when it is known who includes them. */
static void read_file(draft *d, draft_file *f, obb_symbols *symbols, obb_map *seen)
{
    const obb_directive_summary *s = read_directives(f, symbols);
    obb_map own = {0};
    if (s && !may_be_configuration(f))
        take_definitions(d, f, symbols, s, &own);
    for (size_t i = 0; s && i < s->directives.count; i++)
        take_directive(d, f, symbols, &s->directives.at[i], &own, seen);
    obb_map_free(&own);
}

static bool is_included_beside(const draft *d, const draft_file *header)
{
    bool is = false;
    for (size_t i = 0; i < d->files.count && !is; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count && !is; k++)
            is = strcmp(d->files.at[i]->folder, header->folder) == 0 &&
                 strcmp(d->files.at[i]->includes.at[k].name, obb_path_name(header->path)) == 0;
    return is;
}

/* By its path; or its template lies elsewhere, and nothing beside it includes it: builds make another one
 * here. */
static bool is_other_configuration(const draft *d, const draft_file *header)
{
    if (draft_is_elsewhere(header->path))
        return true;
    const char *template = draft_template_of(d, header->path);
    return template && strcmp(obb_path_folder(d->arena, template), header->folder) != 0 &&
           !is_included_beside(d, header);
}

/* It is called like a configuration, and defines nothing that one has: macros without arguments. */
static bool says_nothing(const obb_directive_summary *s)
{
    for (size_t i = 0; i < s->directives.count; i++) {
        const obb_macro *m = s->directives.at[i].macro;
        if (m && !m->with_arguments && !(s->guarded && m->symbol == s->guard))
            return false;
    }
    return true;
}

static void read_configuration(draft *d, draft_file *f, obb_symbols *symbols)
{
    const obb_directive_summary *s = read_directives(f, symbols);
    obb_map own = {0};
    f->other_configuration = is_other_configuration(d, f) || (s && says_nothing(s));
    if (s)
        take_definitions(d, f, symbols, s, &own);
    obb_map_free(&own);
}

/* Names without capitals are words of the language that a system lacks: `#undef const`. */
static void take_place(void *self, const char *name, size_t length)
{
    draft *d = self;
    const char *macro = obb_arena_copy(d->arena, name, length);
    if (strpbrk(macro, "ABCDEFGHIJKLMNOPQRSTUVWXYZ"))
        obb_map_put(&d->placed, macro, d);
}

static void read_template(draft *d, const char *path)
{
    obb_text text = {0};
    if (!obb_file_read(path, &text))
        obb_template_split(obb_text_bytes(&text), NULL, take_place, d);
    obb_text_free(&text);
}

const char *draft_read_tree(draft *d)
{
    obb_map seen = {0};
    obb_symbols symbols = {.arena = d->arena};
    walk(d, ".", 0);
    if (d->files.count)
        qsort(d->files.at, d->files.count, sizeof *d->files.at, by_path);
    find_processors(d);
    for (size_t i = 0; i < d->files.count; i++)
        read_file(d, d->files.at[i], &symbols, &seen);
    for (size_t i = 0; i < d->files.count; i++)
        if (may_be_configuration(d->files.at[i]))
            read_configuration(d, d->files.at[i], &symbols);
    for (size_t i = 0; i < d->templates.count; i++)
        read_template(d, d->templates.at[i]);
    size_t kept = 0;
    for (size_t i = 0; i < d->tested.count; i++)
        if (!obb_map_get(&d->answered, d->tested.at[i]))
            d->tested.at[kept++] = d->tested.at[i];
    d->tested.count = kept;
    for (size_t i = kept = 0; i < d->tested.count; i++)
        if (holds_everywhere(d->tested.at[i]))
            obb_arena_push(d->arena, &d->defines, obb_arena_format(d->arena, "%s=1", d->tested.at[i]));
        else
            d->tested.at[kept++] = d->tested.at[i];
    d->tested.count = kept;
    obb_map_free(&seen);
    obb_map_free(&symbols.map);
    if (d->unnamed)
        draft_note(d,
                   "%zu of the files are left out, since a description cannot name them (* ? [ ] { } quotes, "
                   "no text)",
                   d->unnamed);
    return d->files.count >= MOST_FILES ? "there are more than 50,000 files; draft a part of the tree" : NULL;
}
