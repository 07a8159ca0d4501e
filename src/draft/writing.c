/* The description (draft/work.h). Files stand as patterns where those mean the same. */
#include <string.h>

#include "base/path.h"
#include "draft/work.h"
#include "score/score.h"

enum { WIDTH = 100 };

void draft_write_word(obb_text *text, const char *word)
{
    obb_score_print_word(&(obb_word){.text = word}, text);
}

/* Words behind the name of a property, parted where the line would be too long. */
static void write_list(const char *property, const obb_words *words, obb_text *text)
{
    size_t column = 0;
    for (size_t i = 0; i < words->count; i++) {
        obb_text word = {0};
        draft_write_word(&word, words->at[i]);
        if (!i)
            obb_text_format(text, "    %s ", property);
        else if (column + word.length + 1 > WIDTH)
            obb_text_string(text, " \\\n           "), column = 0;
        else
            obb_text_char(text, ' ');
        column = (column ? column : 12) + word.length + 1;
        obb_text_string(text, obb_text_bytes(&word));
        obb_text_free(&word);
    }
    if (words->count)
        obb_text_char(text, '\n');
}

/* --- sources ------------------------------------------------------------------------ */

static bool in_target(const draft_file *f, const draft_target *t, const char *folder, const char *suffix)
{
    return f->target == t && strcmp(f->folder, folder) == 0 && strcmp(obb_path_suffix(f->path), suffix) == 0;
}

/* The sources of one folder and suffix: a pattern where it means these and no others, or almost. */
static void add_group(const draft *d, const draft_target *t, const char *folder, const char *suffix,
                      obb_words *sources, obb_words *excepted)
{
    OBB_VEC(const char *) in = {0}, out = {0};
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        if (f->header || strcmp(f->folder, folder) != 0 || strcmp(obb_path_suffix(f->path), suffix) != 0)
            continue;
        if (in_target(f, t, folder, suffix))
            obb_arena_push(d->arena, &in, f->path);
        else
            obb_arena_push(d->arena, &out, f->path);
    }
    bool pattern = obb_has_word(&t->replaced, folder) ||
                   (in.count > 1 && out.count <= 4 && out.count * 2 < in.count && !d->request->known);
    if (pattern)
        obb_arena_push(d->arena, sources,
                       obb_path_join(d->arena, folder, obb_arena_format(d->arena, "*%s", suffix)));
    for (size_t i = 0; i < in.count && !pattern; i++)
        obb_arena_push(d->arena, sources, in.at[i]);
    for (size_t i = 0; i < out.count && pattern; i++)
        obb_arena_push(d->arena, excepted, out.at[i]);
}

static void write_sources(const draft *d, const draft_target *t, obb_text *text)
{
    obb_map groups = {0};
    obb_words sources = {0}, excepted = {0};
    for (size_t i = 0; i < t->files.count; i++) {
        const draft_file *f = t->files.at[i];
        if (f->processor)
            continue;
        const char *suffix = obb_path_suffix(f->path),
                   *key = obb_arena_format(d->arena, "%s\n%s", f->folder, suffix);
        if (!obb_map_put(&groups, key, (void *)(uintptr_t)key))
            add_group(d, t, f->folder, suffix, &sources, &excepted);
    }
    obb_map_free(&groups);
    write_list("sources", &sources, text);
    if (t->instead.count) {
        text->length--; /* its line goes on */
        write_list("instead", &t->instead, text);
    }
    write_list("except", &excepted, text);
    draft_write_processors(d, t, text);
}

/* --- targets ------------------------------------------------------------------------ */

/* --- flags of a compilation database ------------------------------------------------ */

/* A standard is none of assembly's. */
static bool all_have(const draft_target *t, const char *flag)
{
    bool all = true, standard = strncmp(flag, "-std=", 5) == 0;
    for (size_t i = 0; i < t->files.count && all; i++)
        all = obb_has_word(&t->files.at[i]->flags, flag) ||
              (standard && t->files.at[i]->language >= OBB_ASM_CPP);
    return all;
}

static bool is_of_project(const draft *d, const char *flag)
{
    return strncmp(flag, "-D", 2) == 0 && obb_has_word(&d->defines, flag + 2);
}

/* Those of a source that all sources of its target have, or the others. */
static void write_flags(const draft *d, const draft_target *t, const draft_file *f, bool common,
                        obb_text *text)
{
    obb_words defines = {0}, standards = {0}, others = {0};
    for (size_t i = 0; i < f->flags.count; i++) {
        const char *flag = f->flags.at[i];
        if (is_of_project(d, flag) || all_have(t, flag) != common)
            continue;
        if (strncmp(flag, "-D", 2) == 0)
            obb_arena_push(d->arena, &defines, flag + 2);
        else if (strncmp(flag, "-std=", 5) == 0)
            obb_arena_push(d->arena, &standards, flag + 5);
        else
            obb_arena_push(d->arena, &others, flag);
    }
    write_list("define", &defines, text);
    write_list("standard", &standards, text);
    write_list("flags", &others, text);
}

/* Sources with the same flags of their own stand together. */
static void write_own_flags(const draft *d, const draft_target *t, obb_text *text)
{
    obb_map groups = {0}; /* by what they say: obb_words of paths */
    for (size_t i = 0; i < t->files.count; i++) {
        obb_text said = {0};
        write_flags(d, t, t->files.at[i], false, &said);
        obb_words *paths = said.length ? obb_map_get(&groups, said.bytes) : NULL;
        if (said.length && !paths) {
            paths = obb_arena_alloc(d->arena, sizeof *paths);
            obb_map_put(&groups, obb_arena_string(d->arena, said.bytes), paths);
        }
        if (paths)
            obb_arena_push(d->arena, paths, t->files.at[i]->path);
        obb_text_free(&said);
    }
    for (size_t i = 0; i < groups.count; i++) {
        write_list("for", groups.at[i].value, text);
        text->length--; /* its line goes on */
        obb_text_format(text, " {\n%s    }\n", groups.at[i].key);
    }
    obb_map_free(&groups);
}

/* Of the first source that may have all of them. */
static const draft_file *first_compiled(const draft_target *t)
{
    for (size_t i = 0; i < t->files.count; i++)
        if (t->files.at[i]->language < OBB_ASM_CPP)
            return t->files.at[i];
    return t->files.at[0];
}

/* Macros of what is declared have a value of their own, which `function` does not give. */
static bool has_declared(const draft *d)
{
    bool has = false;
    for (size_t i = 0; d->header && i < d->questions.count && !has; i++)
        has = d->questions.at[i].kind == DRAFT_ASKS_DECLARED;
    return has;
}

static void write_target(const draft *d, const draft_target *t, obb_text *text)
{
    static const char *const kinds[] = {"library", "program", "test"};
    obb_words used = {0};
    for (size_t i = 0; i < t->uses.count; i++)
        obb_arena_push(d->arena, &used, t->uses.at[i]->name);
    obb_text_format(text, "\n%s %s {\n", kinds[t->kind], t->name);
    write_sources(d, t, text);
    write_list("uses", &used, text);
    if (has_declared(d))
        obb_text_string(text, "    like declared\n");
    if (d->forced) {
        obb_text_string(text, "    flags -include ");
        draft_write_word(text, d->header);
        obb_text_char(text, '\n');
    }
    write_flags(d, t, first_compiled(t), true, text);
    write_own_flags(d, t, text);
    write_list("metadata", &t->packages, text);
    write_list("libs", &t->libs, text);
    for (size_t i = 0; i < t->known.count; i++)
        obb_text_format(text, "    # uses the target that has %s\n", t->known.at[i]);
    for (size_t i = 0; i < t->unresolved.count && i < 8; i++)
        obb_text_format(text, "    # %s is defined nowhere: not here, and in no library of this system\n",
                        t->unresolved.at[i]);
    if (t->unresolved.count > 8)
        obb_text_format(text, "    # and %zu more\n", t->unresolved.count - 8);
    obb_text_string(text, "}\n");
}

static const draft_choice *choice_of(const draft *d, const char *define)
{
    const draft_choice *choice = NULL;
    for (size_t i = 0; i < d->choices.count && !choice; i++)
        choice = strcmp(d->choices.at[i].define, define) == 0 ? &d->choices.at[i] : NULL;
    return choice;
}

static void write_choices(const draft *d, obb_text *text)
{
    for (size_t i = d->defines.count - d->guessed; i < d->defines.count; i++) {
        const draft_choice *choice = choice_of(d, d->defines.at[i]);
        if (!choice)
            continue;
        obb_text_format(text, "    # %s.\n    define ", choice->because);
        draft_write_word(text, choice->define);
        obb_text_char(text, '\n');
    }
}

static void write_project(const draft *d, obb_text *text)
{
    obb_text_format(text,
                    "# Drafted from the sources; a person goes on from here. What is unsure is a comment.\n"
                    "project %s {\n    version 0\n",
                    d->request->name);
    obb_words known = d->defines, guessed = {0};
    known.count -= d->guessed;
    for (size_t i = known.count; i < d->defines.count; i++)
        if (!choice_of(d, d->defines.at[i]))
            obb_arena_push(d->arena, &guessed, d->defines.at[i]);
    write_list("define", &known, text);
    if (guessed.count)
        obb_text_string(text, "    # Nothing here says what these are: put the values right.\n");
    write_list("define", &guessed, text);
    write_choices(d, text);
    write_list("include", &d->includes, text);
    obb_text_string(text, "}\n");
}

bool draft_ends_with(const char *text, const char *end)
{
    size_t n = strlen(text), k = strlen(end);
    return n > k && strcmp(text + n - k, end) == 0;
}

const char *draft_lower(const draft *d, const char *text)
{
    char *copy = obb_arena_string(d->arena, text);
    for (char *c = copy; *c; c++)
        *c = *c >= 'A' && *c <= 'Z' ? (char)(*c + 32) : *c;
    return copy;
}

/* Functions, types and members are looked for where they usually are; headers that a system does not have are
 * left out. */
static void write_in_usual_headers(const draft *d, const char *property, obb_words *names, obb_text *text)
{
    if (!names->count)
        return;
    obb_arena_push(d->arena, names, "in");
    for (const char *const *h = draft_usual_headers(strcmp(property, "function") != 0); *h; h++)
        obb_arena_push(d->arena, names, *h);
    write_list(property, names, text);
}

static void write_members(const draft *d, obb_text *text)
{
    for (size_t i = 0; i < d->questions.count; i++) {
        const draft_question *q = &d->questions.at[i];
        obb_words words = {0};
        if (q->kind != DRAFT_ASKS_MEMBER)
            continue;
        obb_arena_push(d->arena, &words, q->name);
        obb_arena_push(d->arena, &words, "of");
        obb_arena_push(d->arena, &words, q->of);
        write_in_usual_headers(d, "member", &words, text);
    }
}

/* Values of it are made up. */
static void write_template(const draft *d, const char *template, const obb_words *values, obb_text *text)
{
    obb_words words = {0};
    obb_arena_push(d->arena, &words, template);
    if (values->count) {
        obb_text_string(text, "    # Nothing here says what these values are: put them right.\n");
        obb_arena_push(d->arena, &words, "with");
    }
    for (size_t i = 0; i < values->count; i++)
        obb_arena_push(d->arena, &words, values->at[i]);
    write_list("template", &words, text);
}

/* Headers that nothing asks by, and that are made from templates alike. */
static void write_header_templates(const draft *d, obb_text *text)
{
    for (size_t i = 0; i < d->made.count; i++) {
        const draft_made_header *h = &d->made.at[i];
        if (!h->checks)
            continue;
        obb_text_string(text, "\nchecks {\n    into ");
        draft_write_word(text, h->name);
        obb_text_char(text, '\n');
        write_template(d, h->template, &h->values, text);
        obb_text_string(text, "}\n");
    }
}

static void write_checks(const draft *d, obb_text *text)
{
    obb_words asked[DRAFT_ASKS_UNKNOWN + 1] = {{0}};
    size_t count = 0;
    for (size_t i = 0; i < d->questions.count; i++) {
        const draft_question *q = &d->questions.at[i];
        obb_arena_push(d->arena, &asked[q->kind], q->kind == DRAFT_ASKS_UNKNOWN ? q->macro : q->name);
        count += q->kind != DRAFT_ASKS_UNKNOWN;
    }
    for (size_t i = 0; i < asked[DRAFT_ASKS_DECLARED].count; i++)
        if (!obb_has_word(&asked[DRAFT_ASKS_FUNCTION], asked[DRAFT_ASKS_DECLARED].at[i]))
            obb_arena_push(d->arena, &asked[DRAFT_ASKS_FUNCTION], asked[DRAFT_ASKS_DECLARED].at[i]);
    if (!d->header || (!count && !d->template))
        return;
    obb_text_format(
        text,
        "\n# The code asks for these by macros that %s %s for, which is not there.\nchecks {\n    into ",
        d->forced ? "its builds put a" : "it includes", d->header);
    draft_write_word(text, d->header);
    obb_text_char(text, '\n');
    if (d->template)
        write_template(d, d->template, &d->template_values, text);
    obb_text_string(text, "    define _GNU_SOURCE\n");
    write_list("header", &asked[DRAFT_ASKS_HEADER], text);
    write_in_usual_headers(d, "function", &asked[DRAFT_ASKS_FUNCTION], text);
    write_in_usual_headers(d, "type", &asked[DRAFT_ASKS_TYPE], text);
    write_members(d, text);
    write_in_usual_headers(d, "size", &asked[DRAFT_ASKS_SIZE], text);
    for (size_t i = 0; i < asked[DRAFT_ASKS_UNKNOWN].count; i++)
        obb_text_format(text, "    # %s: what it asks is not known\n", asked[DRAFT_ASKS_UNKNOWN].at[i]);
    obb_text_string(text, "}\n");
}

static void write_declared(const draft *d, obb_text *text)
{
    if (!has_declared(d))
        return;
    obb_text_string(text, "\nsettings declared {\n");
    for (size_t i = 0; i < d->questions.count; i++)
        if (d->questions.at[i].kind == DRAFT_ASKS_DECLARED)
            obb_text_format(text, "    when has %s { define %s }\n    when not has %s { define %s=0 }\n",
                            d->questions.at[i].name, d->questions.at[i].macro, d->questions.at[i].name,
                            d->questions.at[i].macro);
    obb_text_string(text, "}\n");
}

/* Why a source is in no target. */
static const char *reason(const draft *d, const draft_file *f)
{
    if (draft_is_foreign(f))
        return obb_arena_format(d->arena, "for %s, and nothing here tells which target needs it",
                                f->processor);
    if (f->part_of)
        return obb_arena_format(d->arena, "part of %s, which includes it", f->part_of);
    if (f->left_for)
        return f->left_for;
    return f->compiled ? "needed by nothing here"
                       : obb_arena_format(d->arena, "not compiled here: %s",
                                          f->wrong && *f->wrong ? f->wrong : "the compiler does not say why");
}

/* By their reasons. */
static void write_left_out(const draft *d, obb_text *text)
{
    obb_map told = {0};
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        const char *why = reason(d, f);
        if (f->header || f->known || f->target || obb_map_put(&told, why, (void *)(uintptr_t)why))
            continue;
        obb_text_format(text, "%s# %s\n", told.count == 1 ? "\n" : "", why);
        for (size_t k = i; k < d->files.count; k++)
            if (!d->files.at[k]->header && !d->files.at[k]->known && !d->files.at[k]->target &&
                strcmp(reason(d, d->files.at[k]), why) == 0)
                obb_text_format(text, "#     %s\n", d->files.at[k]->path);
    }
    obb_map_free(&told);
}

static void write_rest(const draft *d, obb_text *text)
{
    for (size_t i = 0; i < d->grammars.count; i++)
        obb_text_format(
            text, "%s# %s: a generator makes sources of it: step NAME { reads %s; makes ...; run ... }\n",
            i ? "" : "\n", d->grammars.at[i], d->grammars.at[i]);
    for (size_t i = 0; i < d->missing.count; i++)
        obb_text_format(
            text,
            "%s# %s is included and not there: is it generated, or of a library that is not installed?\n",
            i || d->grammars.count ? "" : "\n", d->missing.at[i]);
    write_left_out(d, text);
}

void draft_write(const draft *d, obb_text *text)
{
    if (!d->request->known)
        write_project(d, text);
    write_checks(d, text);
    write_header_templates(d, text);
    write_declared(d, text);
    draft_write_made_headers(d, text);
    for (draft_kind kind = DRAFT_LIBRARY; kind <= DRAFT_TEST; kind++)
        for (size_t i = 0; i < d->targets.count; i++)
            if (d->targets.at[i]->kind == kind)
                write_target(d, d->targets.at[i], text);
    write_rest(d, text);
}
