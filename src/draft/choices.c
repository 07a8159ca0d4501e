/* Choices that a configuration makes (draft/work.h): an error that stands in code which is compiled only
 * since a macro is not defined goes away when it is: `#error define either FIXED or FLOATING`, or a type that
 * contradicts the system's. Which macros those are, the conditions around the line tell; which one helps, the
 * compiler. */
#include <string.h>

#include "base/files.h"
#include "draft/work.h"
#include "scan/directives.h"

enum { MOST_TRIED = 30, MOST_READ = 60, MOST_IN_ALL = 400, MOST_OTHERS = 8 };

typedef struct around {
    draft *d;
    const obb_symbols *symbols;
    obb_map own;               /* what the file defines itself: guards, and results of conditions; */
    obb_words results;         /* of those, what was tested around the line */
    OBB_VEC(obb_words) levels; /* names in the conditions that are open, the outermost first */
} around;

/* What the system has not, or what a check cannot ask. */
static bool is_unanswered(const draft *d, const char *name)
{
    bool unanswered = false;
    for (size_t i = 0; i < d->questions.count && !unanswered; i++)
        unanswered = strcmp(d->questions.at[i].macro, name) == 0 && !d->questions.at[i].holds &&
                     (d->questions.at[i].kind == DRAFT_ASKS_FUNCTION ||
                      d->questions.at[i].kind == DRAFT_ASKS_UNKNOWN);
    return unanswered;
}

/* Names of compilers and systems begin with an underscore, those of the project are in its templates; most of
 * what a system has, checks ask. */
static bool is_choice(const around *a, const char *name)
{
    bool macro = (*name >= 'A' && *name <= 'Z') || obb_map_get(&a->d->placed, name),
         asked = strncmp(name, "HAVE_", 5) == 0;
    return macro && !draft_is_elsewhere(name) && (!asked || is_unanswered(a->d, name)) &&
           strncmp(name, "SIZEOF_", 7) != 0;
}

static void add_name(around *a, uint32_t symbol)
{
    const char *name = obb_symbol_text(a->symbols, symbol);
    obb_words *level = &a->levels.at[a->levels.count - 1];
    if ((is_choice(a, name) || obb_map_get(&a->own, name)) && !obb_has_word(level, name))
        obb_arena_push(a->d->arena, level, obb_arena_string(a->d->arena, name));
}

static void add_names(around *a, const obb_directive *one)
{
    if (one->kind == OBB_D_IF || one->kind == OBB_D_ELIF) {
        for (size_t i = 0; i < one->count; i++)
            if (one->tokens[i].kind == OBB_T_NAME)
                add_name(a, one->tokens[i].code);
    } else {
        add_name(a, one->symbol);
    }
}

static void take(around *a, const obb_directive *one)
{
    switch (one->kind) {
    case OBB_D_IF:
    case OBB_D_IFDEF:
    case OBB_D_IFNDEF:
        obb_arena_push(a->d->arena, &a->levels, ((obb_words){0}));
        add_names(a, one);
        break;
    case OBB_D_ELIF:
    case OBB_D_ELIFDEF:
    case OBB_D_ELIFNDEF:
        if (a->levels.count)
            add_names(a, one);
        break;
    case OBB_D_ENDIF: a->levels.count -= a->levels.count > 0; break;
    default: break;
    }
}

/* Adds what is tested around a line, the innermost first. */
static void add_tested(around *a, const obb_directive_summary *s, size_t line, obb_words *names)
{
    a->levels.count = 0;
    for (size_t i = 0; i < s->directives.count && s->directives.at[i].line < (int)line; i++)
        take(a, &s->directives.at[i]);
    for (size_t level = a->levels.count; level > 0; level--)
        for (size_t i = 0; i < a->levels.at[level - 1].count; i++) {
            const char *name = a->levels.at[level - 1].at[i];
            obb_words *list = obb_map_get(&a->own, name) ? &a->results : names;
            if (!obb_has_word(list, name))
                obb_arena_push(a->d->arena, list, name);
        }
}

/* Adds what is tested around the lines that define a macro. */
static void add_tested_of(around *a, const obb_directive_summary *s, const char *macro, obb_words *names)
{
    for (size_t i = 0; i < s->directives.count; i++) {
        const obb_directive *one = &s->directives.at[i];
        if (one->kind == OBB_D_DEFINE && one->macro &&
            strcmp(obb_symbol_text(a->symbols, one->macro->symbol), macro) == 0)
            add_tested(a, s, (size_t)one->line, names);
    }
}

/* Macros of the file that a line uses. */
static void add_used(around *a, const char *text, size_t line)
{
    static const char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZabcdefghijklmnopqrstuvwxyz_0123456789";
    for (size_t i = 1; i < line && text; i++) {
        text = strchr(text, '\n');
        text += text != NULL;
    }
    for (const char *at = text; at && *at && *at != '\n';) {
        size_t n = strspn(at, letters);
        const char *name = obb_arena_copy(a->d->arena, at, n);
        if (n && obb_map_get(&a->own, name) && !obb_has_word(&a->results, name))
            obb_arena_push(a->d->arena, &a->results, name);
        at += n ? n : 1;
    }
}

/* Adds what is tested around a line, and around the definitions of what the file itself decides it by, or
 * uses in it. */
static void add_tested_around(around *a, const obb_directive_summary *s, const char *text, size_t line,
                              obb_words *names)
{
    add_tested(a, s, line, names);
    add_used(a, text, line);
    const size_t results = a->results.count;
    for (size_t i = 0; i < results; i++)
        add_tested_of(a, s, a->results.at[i], names);
}

/* What is tested around an include that is left out: names that nothing defines. */
static void add_includes(around *a, const obb_directive_summary *s, obb_words *names)
{
    for (size_t i = 0; i < s->directives.count; i++) {
        take(a, &s->directives.at[i]);
        for (size_t level = 0; s->directives.at[i].kind == OBB_D_INCLUDE && level < a->levels.count; level++)
            for (size_t k = 0; k < a->levels.at[level].count; k++) {
                const char *name = a->levels.at[level].at[k];
                if (!obb_has_word(names, name) && !obb_map_get(&a->d->defined, name) &&
                    !obb_map_get(&a->own, name))
                    obb_arena_push(a->d->arena, names, name);
            }
    }
}

typedef enum place_kind { AROUND_LINE, AROUND_MACRO, AROUND_INCLUDES } place_kind;

/* Adds what is tested around places of a file: a line, the lines that define a macro, or includes. */
static void find_names(draft *d, const char *path, place_kind kind, size_t line, const char *macro,
                       obb_words *names)
{
    obb_symbols symbols = {.arena = d->arena};
    around a = {.d = d, .symbols = &symbols};
    obb_text text = {0};
    if (obb_file_read(path, &text)) {
        obb_text_free(&text);
        return;
    }
    const obb_directive_summary *s = obb_directives_summarize(&symbols, obb_text_bytes(&text), text.length,
                                                              OBB_TEXT_C_RAW);
    for (size_t i = 0; i < s->directives.count; i++)
        if (s->directives.at[i].kind == OBB_D_DEFINE && s->directives.at[i].macro)
            obb_map_put(&a.own, obb_symbol_text(&symbols, s->directives.at[i].macro->symbol), d);
    if (kind == AROUND_LINE)
        add_tested_around(&a, s, obb_text_bytes(&text), line, names);
    if (kind == AROUND_INCLUDES)
        add_includes(&a, s, names);
    if (kind == AROUND_MACRO)
        add_tested_of(&a, s, macro, names);
    obb_map_free(&a.own);
    obb_map_free(&symbols.map);
    obb_text_free(&text);
}

/* A header of the tree that a file includes, by the end of its path. */
static const draft_file *included(const draft *d, const char *name)
{
    size_t n = strlen(name);
    for (size_t i = 0; i < d->files.count; i++) {
        const char *path = d->files.at[i]->path;
        size_t length = strlen(path);
        if (length >= n && strcmp(path + length - n, name) == 0 &&
            (length == n || path[length - n - 1] == '/'))
            return d->files.at[i];
    }
    return NULL;
}

static bool is_of_this_system(const char *name)
{
    return strstr(name, "POSIX") || strstr(name, "UNIX") || strstr(name, "LINUX");
}

/* Names that decide what is included, in a source and all that it includes: those of this system first. */
static void find_names_of_includes(draft *d, const draft_file *f, obb_words *names)
{
    OBB_VEC(const draft_file *) read = {0};
    obb_words found = {0};
    obb_arena_push(d->arena, &read, f);
    for (size_t i = 0; i < read.count; i++) {
        find_names(d, read.at[i]->path, AROUND_INCLUDES, 0, NULL, &found);
        for (size_t k = 0; k < read.at[i]->includes.count && read.count < MOST_READ; k++) {
            const draft_file *in = included(d, read.at[i]->includes.at[k].name);
            bool known = !in;
            for (size_t m = 0; m < read.count && !known; m++)
                known = read.at[m] == in;
            if (!known)
                obb_arena_push(d->arena, &read, in);
        }
    }
    for (int own = 1; own >= 0; own--)
        for (size_t i = 0; i < found.count; i++)
            if (is_of_this_system(found.at[i]) == own && !obb_has_word(names, found.at[i]))
                obb_arena_push(d->arena, names, found.at[i]);
}

/* Of a name in quotation marks that is unknown there, although some header may define it as a macro. */
static void find_names_of_macro(draft *d, const draft_file *f, obb_words *names)
{
    const char *begin = strchr(f->wrong, '\''), *end = begin ? strchr(begin + 1, '\'') : NULL;
    const char *macro = end ? obb_arena_copy(d->arena, begin + 1, (size_t)(end - begin - 1)) : NULL;
    for (size_t i = 0; macro && obb_map_get(&d->defined, macro) && i < d->files.count; i++)
        if (d->files.at[i]->header)
            find_names(d, d->files.at[i]->path, AROUND_MACRO, 0, macro, names);
}

/* Those that the error itself names come first, in its order; `#error` may name one that is tested elsewhere.
 */
static void put_named_first(draft *d, const draft_file *f, obb_words *names)
{
    static const char letters[] = "ABCDEFGHIJKLMNOPQRSTUVWXYZ_0123456789";
    obb_words first = {0};
    for (const char *at = f->wrong; *at; at += strspn(at, letters), at += strcspn(at, letters)) {
        size_t n = strspn(at, letters);
        const char *name = obb_arena_copy(d->arena, at, n);
        bool may = n > 3 && *at >= 'A' && *at <= 'Z' && !(at[n] >= 'a' && at[n] <= 'z');
        bool free = !obb_map_get(&d->defined, name) || obb_map_get(&d->compared, name) ||
                    obb_map_get(&d->placed, name);
        bool other = draft_is_refusal(f) && strchr(name, '_') && free;
        if (may && !obb_has_word(&first, name) && (obb_has_word(names, name) || other))
            obb_arena_push(d->arena, &first, name);
    }
    for (size_t i = 0; i < names->count; i++)
        if (!obb_has_word(&first, names->at[i]))
            obb_arena_push(d->arena, &first, names->at[i]);
    *names = first;
}

static const char *because(draft *d, const draft_file *f, const obb_words *defines, size_t chosen)
{
    obb_text text = {0};
    const char *made = strncmp(f->wrong_in, d->temporary, strlen(d->temporary)) == 0
                           ? f->wrong_in + strlen(d->temporary) + 1
                           : NULL;
    obb_text_format(&text, "%s line %zu does not compile without it", made ? made : f->wrong_in,
                    f->wrong_line);
    for (size_t i = 0, told = 0; i < defines->count && told < 3; i++) {
        const char *define = defines->at[i];
        size_t n = draft_ends_with(define, "=1") ? strlen(define) - 2 : strlen(define);
        if (i != chosen)
            obb_text_format(&text, "%s%.*s", told++ ? " or " : "; another choice may be ", (int)n, define);
    }
    const char *copy = obb_arena_string(d->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static bool has_same_error(const draft_file *f, const draft_file *other)
{
    return other != f && !other->compiled && other->wrong_in && strcmp(other->wrong_in, f->wrong_in) == 0 &&
           other->wrong_line == f->wrong_line;
}

/* The macro with which this source compiles; or, of those near the error, so many of the first, with which
 * one of some others compiles that have the same error: it may be for another system itself. Else the first
 * with which it gets further. */
static size_t best_choice(draft *d, draft_file *f, const obb_words *defines, size_t near)
{
    bool compiles;
    size_t best = draft_try(d, f, defines, &compiles), tried = 1;
    const obb_words nearest = {.at = defines->at, .count = near};
    for (size_t i = 0; i < d->files.count && near && !compiles && tried < MOST_OTHERS; i++)
        if (has_same_error(f, d->files.at[i])) {
            size_t other = draft_try(d, d->files.at[i], &nearest, &compiles);
            best = compiles ? other : best;
            tried++;
        }
    return best;
}

static bool is_defined(const draft *d, const char *name)
{
    size_t n = strlen(name);
    bool is = false;
    for (size_t i = 0; i < d->defines.count && !is; i++)
        is = strncmp(d->defines.at[i], name, n) == 0 && d->defines.at[i][n] == '=';
    return is;
}

/* False: none helps. */
static bool choose_for(draft *d, draft_file *f, obb_map *asked)
{
    obb_words names = {0};
    find_names(d, f->wrong_in, AROUND_LINE, f->wrong_line, NULL, &names);
    find_names_of_macro(d, f, &names);
    put_named_first(d, f, &names);
    size_t about = names.count, near = 0;
    find_names_of_includes(d, f, &names);
    obb_words defines = {0};
    for (size_t i = 0; i < names.count && defines.count < MOST_TRIED; i++) {
        obb_words values = {0};
        if (!is_defined(d, names.at[i]))
            draft_list_numbers(d, names.at[i], &values);
        for (size_t k = 0; k < values.count; k++)
            if (!obb_map_get(asked, values.at[k]))
                obb_arena_push(d->arena, &defines, values.at[k]);
        near = i < about ? defines.count : near;
    }
    size_t chosen = best_choice(d, f, &defines, near);
    if (chosen == defines.count)
        return false;
    draft_add_guess(d, defines.at[chosen], f, asked);
    obb_arena_push(d->arena, &d->choices,
                   ((draft_choice){.define = defines.at[chosen],
                                   .because = because(d, f, &defines, chosen)}));
    return true;
}

/* As gcc says it, and clang: old ones, and new ones. */
static bool is_undeclared_function(const draft_file *f)
{
    return strncmp(f->wrong, "implicit declaration of function", 32) == 0 ||
           strncmp(f->wrong, "call to undeclared function", 27) == 0;
}

bool draft_choose(draft *d, obb_map *asked)
{
    obb_map places = {0};
    bool chosen = false;
    for (size_t i = 0; i < d->files.count && !chosen && d->tries < MOST_IN_ALL; i++) {
        draft_file *f = d->files.at[i];
        if (f->header || f->compiled || !f->wrong || !f->wrong_in || f->missing || draft_is_foreign(f) ||
            draft_is_elsewhere(f->path) || is_undeclared_function(f))
            continue;
        const char *place = obb_arena_format(d->arena, "%s:%zu", f->wrong_in, f->wrong_line);
        if (!obb_map_put(&places, place, f))
            chosen = choose_for(d, f, asked);
    }
    obb_map_free(&places);
    return chosen;
}
