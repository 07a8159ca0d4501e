/* Macros that nobody defines (draft/work.h): their values are made up, and stay if sources compile with them.
 */
#include <string.h>

#include "draft/work.h"

/* A name in capitals that no file defines; NULL: it is none. */
static const char *macro_at(draft *d, const char *text)
{
    size_t n = strspn(text, "ABCDEFGHIJKLMNOPQRSTUVWXYZ_0123456789");
    const char *name = obb_arena_copy(d->arena, text, n);
    bool ends = !(text[n] >= 'a' && text[n] <= 'z'), known = obb_map_get(&d->defined, name) != NULL;
    return n > 2 && ends && !known && (*name < '0' || *name > '9') ? name : NULL;
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

/* The macro that stands in front of a declaration, where only builds say what it is: mostly nothing. */
static const char *lacked_word(draft *d, const draft_file *f)
{
    static const char unknown[] = "unknown type name '";
    if (strncmp(f->wrong, unknown, strlen(unknown)) == 0)
        return macro_at(d, f->wrong + strlen(unknown));
    const char *word = f->shown ? f->shown + strspn(f->shown, " \t") : "", *name = macro_at(d, word);
    return name && strncmp(f->wrong, "expected ", 9) == 0 && strchr(" \t", word[strlen(name)]) ? name : NULL;
}

/* Whether macros of the tree begin with the same word: then this one is of the project and not of a system.
 */
static bool is_of_project(const draft *d, const char *name)
{
    size_t n = strcspn(name, "_") + 1;
    bool is = false;
    for (size_t i = 0; i < d->defined.count && !is; i++)
        is = name[n - 1] && strncmp(d->defined.at[i].key, name, n) == 0;
    return is;
}

/* What stands for the value of a macro that only builds say: a text for versions, names and folders, else a
 * number. NULL: it is none of the project's. */
static const char *guess_for(draft *d, const char *name)
{
    static const char *const numbers[] = {"MAJOR", "MINOR", "PATCH", "MICRO", "LEVEL"},
                             *const texts[] = {"VERSION", "PACKAGE",   "NAME",      "DATE",   "DIR",
                                               "PATH",    "PREFIX",    "COPYRIGHT", "AUTHOR", "EMAIL",
                                               "URL",     "BUGREPORT", "REVISION",  "RELEASE"};
    for (size_t i = 0; i < sizeof numbers / sizeof *numbers; i++)
        if (strstr(name, numbers[i]))
            return obb_arena_format(d->arena, "%s=0", name);
    for (size_t i = 0; i < sizeof texts / sizeof *texts; i++)
        if (strstr(name, texts[i]))
            return obb_arena_format(d->arena, "%s=\"0\"", name);
    return is_of_project(d, name) ? obb_arena_format(d->arena, "%s=1", name) : NULL;
}

/* False: nothing more can be guessed. `asked`: by define, a source that lacked it. */
static bool guess_macros(draft *d, obb_map *asked)
{
    bool more = false;
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        const char *word = f->wrong ? lacked_word(d, f) : NULL,
                   *name = f->wrong && !word ? lacked_macro(d, f) : NULL,
                   *define = word   ? obb_arena_format(d->arena, "%s=", word)
                             : name ? guess_for(d, name)
                                    : NULL;
        if (!define || obb_map_put(asked, define, f))
            continue;
        obb_arena_push(d->arena, &d->defines, define);
        d->guessed++;
        more = true;
    }
    return more;
}

/* A value that has not helped is none. */
static void drop_useless(draft *d, const obb_map *asked)
{
    size_t kept = d->defines.count - d->guessed;
    d->guessed = 0;
    for (size_t i = kept; i < d->defines.count; i++) {
        const draft_file *f = obb_map_get(asked, d->defines.at[i]);
        if (f->compiled) {
            d->defines.at[kept++] = d->defines.at[i];
            d->guessed++;
        }
    }
    d->defines.count = kept;
    if (d->guessed)
        draft_note(d,
                   "macros whose values are made up, since nothing here says them: %zu, at the top of the "
                   "description",
                   d->guessed);
}

/* `#error`: clang says the text alone, and shows the directive. */
static bool is_refusal(const draft_file *f)
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
        if (is_refusal(d->files.at[i]))
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

void draft_guess(draft *d)
{
    obb_map asked = {0};
    guess_names(d, &asked);
    for (int round = 0; round < DRAFT_ROUNDS && guess_macros(d, &asked); round++)
        draft_compile_rest(d, false);
    drop_useless(d, &asked);
    obb_map_free(&asked);
}
