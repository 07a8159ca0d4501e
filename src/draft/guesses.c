/* Macros that nobody defines (draft/work.h): their values are made up, and stay if sources compile with them.
 */
#include <ctype.h>
#include <string.h>

#include "draft/work.h"

/* What stands for the value of a macro that only builds say: a text for versions, names and folders, else a
 * number. NULL: it is called like none of these. */
static const char *usual_value(const char *name)
{
    static const char *const numbers[] = {"MAJOR", "MINOR", "PATCH", "MICRO", "LEVEL"},
                             *const texts[] = {"VERSION", "PACKAGE",   "NAME",      "DATE",   "DIR",
                                               "PATH",    "PREFIX",    "COPYRIGHT", "AUTHOR", "EMAIL",
                                               "URL",     "BUGREPORT", "REVISION",  "RELEASE"};
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; i++)
        if (strstr(name, numbers[i]))
            return "0";
    for (size_t i = 0; i < sizeof texts / sizeof *texts; i++)
        if (strstr(name, texts[i]))
            return "\"0\"";
    return NULL;
}

/* A name in capitals, or of a template, that no file defines, or only for another configuration; NULL: it is
 * none. */
static const char *macro_at(draft *d, const char *text)
{
    size_t n = 0, capitals = strspn(text, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_0123456789");
    while (isalnum((unsigned char)text[n]) || text[n] == '_')
        n++;
    const char *name = obb_arena_copy(d->arena, text, n);
    bool known = obb_map_get(&d->defined, name) && !usual_value(name),
         macro = (n == capitals && n > 2) || obb_map_get(&d->placed, name);
    return macro && !known && (*name < '0' || *name > '9') ? name : NULL;
}

/* What the compiler points at, or what comes next. */
static const char *pointed_at(draft *d, const draft_file *f)
{
    size_t length = f->shown ? strlen(f->shown) : 0;
    const char *at = f->column < length ? f->shown + f->column : "";
    return macro_at(d, at + strspn(at, " \t"));
}

/* The macro whose value a compile lacks, by its error: as gcc says it, or clang. */
static const char *lacked_macro(draft *d, const draft_file *f)
{
    static const char *const ends[] = {"' undeclared", "' was not declared"};
    static const char undeclared[] = "use of undeclared identifier '";
    for (size_t i = 0; i < sizeof ends / sizeof *ends; i++)
        if (*f->wrong == '\'' && strstr(f->wrong, ends[i]))
            return macro_at(d, f->wrong + 1);
    if (strncmp(f->wrong, undeclared, strlen(undeclared)) == 0)
        return macro_at(d, f->wrong + strlen(undeclared));
    if (strncmp(f->wrong, "expected ", 9) != 0)
        return NULL;
    const char *before = strstr(f->wrong, " before '");
    return before ? macro_at(d, before + strlen(" before '")) : pointed_at(d, f);
}

/* `class TOWER_API Bell`: the macro in front of the name; NULL: there is none. */
static const char *word_of_class(draft *d, const char *line)
{
    static const char *const keys[] = {"class", "struct", "union"};
    for (size_t i = 0; i < sizeof keys / sizeof *keys; i++) {
        size_t n = strlen(keys[i]);
        if (strncmp(line, keys[i], n) != 0 || !strchr(" \t", line[n]))
            continue;
        const char *word = line + n + strspn(line + n, " \t"), *name = macro_at(d, word);
        const char *next = name ? word + strlen(name) : "";
        next += strspn(next, " \t");
        return isalpha((unsigned char)*next) || *next == '_' ? name : NULL;
    }
    return NULL;
}

/* `char *_Nullable name`: what stands before the place that the compiler points at, if it is called like an
 * extension that this compiler does not have. */
static const char *word_before(draft *d, const draft_file *f)
{
    size_t length = f->shown ? strlen(f->shown) : 0, end = f->column < length ? f->column : 0;
    while (end && strchr(" \t", f->shown[end - 1]))
        end--;
    size_t begin = end;
    while (begin && (isalnum((unsigned char)f->shown[begin - 1]) || f->shown[begin - 1] == '_'))
        begin--;
    const char *word = end ? obb_arena_copy(d->arena, f->shown + begin, end - begin) : "";
    return *word == '_' && strlen(word) > 2 && !obb_map_get(&d->defined, word) ? word : NULL;
}

/* The macro that stands in front of a declaration, where only builds say what it is: mostly nothing. */
static const char *lacked_word(draft *d, const draft_file *f)
{
    static const char unknown[] = "unknown type name '", no_type[] = "' does not name a type";
    if (strncmp(f->wrong, unknown, strlen(unknown)) == 0)
        return macro_at(d, f->wrong + strlen(unknown));
    if (*f->wrong == '\'' && strstr(f->wrong, no_type))
        return macro_at(d, f->wrong + 1);
    const char *class = word_of_class(d, f->shown ? f->shown + strspn(f->shown, " \t") : "");
    if (class)
        return class;
    const char *word = f->shown ? f->shown + strspn(f->shown, " \t") : "", *name = macro_at(d, word);
    if (strncmp(f->wrong, "expected ", 9) != 0)
        return NULL;
    return name && strchr(" \t", word[strlen(name)]) ? name : word_before(d, f);
}

/* Whether macros of the tree begin with the same word: then this one is of the project and not of a system,
 * as those are that begin with few letters (O_, SA_, RE_). */
static bool is_of_project(const draft *d, const char *name)
{
    enum { FEW = 2 };
    size_t n = strcspn(name, "_") + 1;
    bool is = false;
    for (size_t i = 0; i < d->defined.count && !is && n > FEW + 1; i++)
        is = name[n - 1] && strncmp(d->defined.at[i].key, name, n) == 0;
    return is;
}

void draft_list_numbers(draft *d, const char *name, obb_words *defines)
{
    enum { MOST = 4 };
    const obb_words *values = obb_map_get(&d->compared, name);
    for (size_t i = 0; values && i < values->count && i < MOST; i++)
        obb_arena_push(d->arena, defines, values->at[i]);
    if (!values)
        obb_arena_push(d->arena, defines, obb_arena_format(d->arena, "%s=1", name));
}

/* Nothing if it is none of the project's. */
static void list_guesses(draft *d, const char *name, obb_words *defines)
{
    const char *value = usual_value(name);
    if (value && !obb_map_get(&d->compared, name))
        obb_arena_push(d->arena, defines, obb_arena_format(d->arena, "%s=%s", name, value));
    else if (obb_map_get(&d->compared, name) || obb_map_get(&d->placed, name) || is_of_project(d, name))
        draft_list_numbers(d, name, defines);
}

void draft_add_guess(draft *d, const char *define, draft_file *f, obb_map *asked)
{
    obb_map_put(asked, define, f);
    obb_arena_push(d->arena, &d->defines, define);
    d->guessed++;
}

/* The values that may be meant, the likeliest first; of what stands in front of a declaration, those are
 * mostly nothing, or the type of what a function returns. */
static void list_values(draft *d, const draft_file *f, obb_words *defines)
{
    const char *word = lacked_word(d, f), *name = word ? word : lacked_macro(d, f);
    if (name && !word)
        list_guesses(d, name, defines);
    if (word || (name && strncmp(f->wrong, "expected ", 9) == 0)) {
        bool type = draft_ends_with(name, "TYPE");
        const char *lower = draft_lower(d, name);
        if (strstr(lower, "inline"))
            obb_arena_push(d->arena, defines,
                           obb_arena_format(d->arena, "%s=%sinline", name,
                                            strstr(lower, "static") ? "static " : ""));
        obb_arena_push(d->arena, defines, obb_arena_format(d->arena, "%s=%s", name, type ? "void" : ""));
        obb_arena_push(d->arena, defines, obb_arena_format(d->arena, "%s=%s", name, type ? "" : "void"));
    }
}

enum { MOST_GUESSES = 5 }; /* for a source: one that lacks more is for another system */

static void drop_asked(const obb_map *asked, obb_words *defines)
{
    size_t kept = 0;
    for (size_t i = 0; i < defines->count; i++)
        if (!obb_map_get(asked, defines->at[i]))
            defines->at[kept++] = defines->at[i];
    defines->count = kept;
}

/* False: nothing more can be guessed. `asked`: by define, a source that lacked it. */
static bool guess_macros(draft *d, obb_map *asked)
{
    obb_map names = {0}; /* that were tried in this round */
    bool more = false;
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        obb_words defines = {0};
        if (draft_add_extensions(d, f)) {
            more = true;
            continue;
        }
        if (f->wrong && !f->compiled && f->guesses < MOST_GUESSES)
            list_values(d, f, &defines);
        drop_asked(asked, &defines);
        bool tried = !defines.count ||
                     obb_map_put(&names, obb_arena_copy(d->arena, defines.at[0], strcspn(defines.at[0], "=")),
                                 f);
        bool compiles;
        size_t found = tried ? defines.count : draft_try(d, f, &defines, &compiles);
        if (found < defines.count) {
            draft_add_guess(d, defines.at[found], f, asked);
            f->guesses++;
        }
        more = more || found < defines.count;
    }
    obb_map_free(&names);
    return more;
}

static bool is_choice(const draft *d, const char *define)
{
    bool is = false;
    for (size_t i = 0; i < d->choices.count && !is; i++)
        is = strcmp(d->choices.at[i].define, define) == 0;
    return is;
}

/* A value that has not helped is none; unless others did not compile without it. */
static void drop_useless(draft *d, const obb_map *asked)
{
    const size_t first = d->defines.count - d->guessed, guessed = d->guessed,
                 compiled = draft_count_compiled(d);
    const draft_attempt *saved = draft_save(d);
    const obb_words all = d->defines;
    obb_words kept = {0};
    for (size_t i = 0; i < all.count; i++)
        if (i < first || is_choice(d, all.at[i]) || ((draft_file *)obb_map_get(asked, all.at[i]))->compiled)
            obb_arena_push(d->arena, &kept, all.at[i]);
    if (kept.count < all.count) {
        d->defines = kept;
        d->guessed = kept.count - first;
        draft_compile_anew(d);
    }
    if (draft_count_compiled(d) < compiled) {
        d->defines = all;
        d->guessed = guessed;
        draft_take_back(d, saved);
    }
    draft_tell_extensions(d);
    if (d->guessed)
        draft_note(d,
                   "macros whose values are made up, since nothing here says them: %zu, at the top of the "
                   "description",
                   d->guessed);
}

/* `#error`: clang says the text alone, and shows the directive. */
bool draft_is_refusal(const draft_file *f)
{
    const char *shown = f->shown ? f->shown + strspn(f->shown, " \t#") : "";
    return f->wrong && (strncmp(f->wrong, "#error", 6) == 0 || strncmp(shown, "error", 5) == 0);
}

/* Sources that refuse to be compiled without a configuration ask for the names that it would have. */
static void guess_names(draft *d, obb_map *asked)
{
    size_t before = d->defines.count;
    draft_file *refused = NULL;
    for (size_t i = 0; i < d->files.count && !refused; i++)
        if (draft_is_refusal(d->files.at[i]))
            refused = d->files.at[i];
    for (size_t i = 0; refused && i < d->names.count; i++)
        if (!obb_map_get(&d->answered, d->names.at[i]))
            obb_arena_push(d->arena, &d->defines, obb_arena_format(d->arena, "%s=\"0\"", d->names.at[i]));
    if (d->defines.count == before)
        return;
    if (!draft_compile_rest(d, false)) {
        d->defines.count = before;
        return;
    }
    for (size_t i = 0; i < d->files.count && !refused->compiled; i++)
        refused = d->files.at[i]->compiled ? d->files.at[i] : refused;
    for (size_t i = before; i < d->defines.count; i++)
        obb_map_put(asked, d->defines.at[i], refused);
    d->guessed += d->defines.count - before;
}

/* Since the first choice that has not been found good yet. */
typedef struct chain {
    bool open;
    const draft_attempt *saved;
    size_t defines, guessed, choices, compiled;
} chain;

static void begin(draft *d, chain *c)
{
    if (!c->open)
        *c = (chain){true,       draft_save(d),    d->defines.count,
                     d->guessed, d->choices.count, draft_count_compiled(d)};
}

static void undo(draft *d, chain *c)
{
    if (!c->open)
        return;
    draft_take_back(d, c->saved);
    d->defines.count = c->defines;
    d->guessed = c->guessed;
    d->choices.count = c->choices;
    c->open = false;
}

/* Choices change what compiled before as well: they are good if more compiles than without them. */
static void judge(draft *d, chain *c)
{
    draft_compile_anew(d);
    if (draft_count_compiled(d) > c->compiled)
        c->open = false;
    else
        undo(d, c);
}

void draft_guess(draft *d)
{
    obb_map asked = {0};
    chain c = {0};
    guess_names(d, &asked);
    for (int round = 0; round < 2 * DRAFT_ROUNDS; round++) {
        if (!guess_macros(d, &asked)) {
            begin(d, &c);
            if (!draft_choose(d, &asked))
                break;
        }
        if (draft_compile_rest(d, false) && c.open)
            judge(d, &c);
    }
    undo(d, &c);
    drop_useless(d, &asked);
    obb_map_free(&asked);
}
