/* Statements for many alike (`each`, `each-of`): before anything is given a meaning, a statement whose block
 * says `each` becomes one statement for each file or value, with its placeholders replaced in all words.
 * Later stages know nothing of it. */
#include <ctype.h>
#include <string.h>

#include "base/path.h"
#include "project/read/reader.h"

/* What the placeholders of one copy stand for. */
typedef struct instance {
    const char *each, *stem, *folder;
    char *capitals; /* of the stem, or of the value */
    bool of_file;
} instance;

typedef OBB_VEC(instance) instances;

static char *in_capitals(obb_arena *arena, const char *text)
{
    char *copy = obb_arena_string(arena, text);
    for (char *c = copy; *c; c++)
        *c = (char)(isalnum((unsigned char)*c) ? toupper((unsigned char)*c) : '_');
    return copy;
}

/* NULL: the name is none of these, and stays for later. */
static const char *value_of(const instance *in, const char *name, size_t n)
{
    const struct { const char *name, *value; } known[] = {{"each", in->each},
                                                          {in->of_file ? "stem" : "word", in->stem},
                                                          {in->of_file ? "STEM" : "WORD", in->capitals},
                                                          {in->of_file ? "folder" : "word", in->folder}};
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strlen(known[i].name) == n && strncmp(known[i].name, name, n) == 0)
            return known[i].value;
    return NULL;
}

static obb_word fill(obb_reader *r, const obb_word *word, const instance *in)
{
    obb_text text = {0};
    obb_text_add(&text, "", 0);
    for (const char *c = word->text; *c;) {
        size_t n = strcspn(c, "{"), m = c[n] ? strcspn(c + n, "}") : 0;
        const char *value = m > 1 && c[n + 1] != '{' ? value_of(in, c + n + 1, m - 1) : NULL;
        obb_text_add(&text, c, n);
        c += n;
        if (value) {
            obb_text_string(&text, value);
            c += m + 1;
        } else if (*c) {
            size_t braces = c[1] == '{' ? 2 : 1;
            obb_text_add(&text, c, braces);
            c += braces;
        }
    }
    obb_word filled = {obb_arena_string(r->arena, obb_text_bytes(&text)), word->place, word->quoted};
    obb_text_free(&text);
    return filled;
}

static bool is_each(const obb_statement *s)
{
    const obb_word *w = &s->words.at[0];
    return !w->quoted && (strcmp(w->text, "each") == 0 || strcmp(w->text, "each-of") == 0);
}

static obb_block *copy_block(obb_reader *r, const obb_block *block, const instance *in);

static obb_statement *copy_statement(obb_reader *r, const obb_statement *s, const instance *in)
{
    obb_statement *copy = obb_arena_alloc(r->arena, sizeof *copy);
    for (size_t i = 0; i < s->words.count; i++)
        obb_arena_push(r->arena, &copy->words, fill(r, &s->words.at[i], in));
    copy->block = s->block ? copy_block(r, s->block, in) : NULL;
    return copy;
}

static obb_block *copy_block(obb_reader *r, const obb_block *block, const instance *in)
{
    obb_block *copy = obb_arena_alloc(r->arena, sizeof *copy);
    copy->open = block->open;
    for (size_t i = 0; i < block->list.count; i++)
        if (!is_each(block->list.at[i]))
            obb_arena_push(r->arena, &copy->list, copy_statement(r, block->list.at[i], in));
    return copy;
}

/* --- what there is one for ------------------------------------------------------------ */

static void add_file(obb_reader *r, const char *path, const obb_word *pattern, instances *list)
{
    const char *below = obb_path_from(r->arena, pattern->place.folder, path);
    const char *name = obb_path_name(path), *suffix = obb_path_suffix(name);
    instance in = {.each = below, .of_file = true, .folder = obb_path_folder(r->arena, below)};
    in.stem = obb_arena_copy(r->arena, name, strlen(name) - strlen(suffix));
    in.capitals = in_capitals(r->arena, in.stem);
    obb_arena_push(r->arena, list, in);
}

static bool excepted(obb_reader *r, const obb_word_list *words, size_t from, const char *path)
{
    for (size_t i = from; i < words->count; i++)
        if (obb_path_matches(obb_reader_path(r, &words->at[i]), path))
            return true;
    return false;
}

static void find_files(obb_reader *r, const obb_word_list *words, instances *list)
{
    size_t except = 1;
    while (except < words->count &&
           (words->at[except].quoted || strcmp(words->at[except].text, "except") != 0))
        except++;
    for (size_t i = 1; i < except; i++) {
        obb_file_list found = {0};
        size_t before = list->count;
        const char *pattern = obb_reader_path(r, &words->at[i]);
        if (obb_path_outside(pattern) &&
            !(words->at[i].place.scope && obb_path_within(pattern, words->at[i].place.folder))) {
            obb_reader_fault(r, words->at[i].place, "`%s` lies outside the project", words->at[i].text);
            continue;
        }
        obb_files_expand(r->files, pattern, &found);
        for (size_t k = 0; k < found.count; k++)
            obb_files_stamp(r->files, found.at[k]); /* the description depends on it */
        for (size_t k = 0; k < found.count; k++)
            if (!excepted(r, words, except + 1, obb_files_path(r->files, found.at[k])))
                add_file(r, obb_files_path(r->files, found.at[k]), &words->at[i], list);
        if (list->count == before) {
            obb_diag *d = obb_reader_fault(r, words->at[i].place, "`%s` matches no file", words->at[i].text);
            obb_hint(r->diags, d,
                     "paths are relative to the folder of %s; patterns end with the line, or with `;`",
                     words->at[i].place.file);
        }
        obb_vec_free(&found);
    }
}

static void find_values(obb_reader *r, const obb_word_list *words, instances *list)
{
    for (size_t i = 1; i < words->count; i++) {
        instance in = {.each = words->at[i].text, .stem = words->at[i].text, .folder = words->at[i].text};
        in.capitals = in_capitals(r->arena, in.stem);
        obb_arena_push(r->arena, list, in);
    }
}

/* The one statement of a block that says `each`; a block of words behind it belongs to it. */
static const obb_statement *each_of(obb_reader *r, const obb_statement *s)
{
    const obb_statement *found = NULL;
    for (size_t i = 0; s->block && i < s->block->list.count; i++) {
        const obb_statement *inner = s->block->list.at[i];
        if (!is_each(inner))
            continue;
        if (found)
            obb_reader_fault(r, inner->words.at[0].place, "a statement has one `%s`",
                             inner->words.at[0].text);
        found = inner;
    }
    return found;
}

static obb_word_list words_of(obb_reader *r, const obb_statement *each)
{
    obb_word_list words = {0};
    for (size_t i = 0; i < each->words.count; i++)
        obb_arena_push(r->arena, &words, each->words.at[i]);
    for (size_t i = 0; each->block && i < each->block->list.count; i++)
        for (size_t k = 0; k < each->block->list.at[i]->words.count; k++)
            obb_arena_push(r->arena, &words, each->block->list.at[i]->words.at[k]);
    return words;
}

bool obb_states_target(const obb_statement *s)
{
    obb_vocable v;
    return !s->words.at[0].quoted && obb_vocable_find(s->words.at[0].text, OBB_IN_TOP, &v) &&
           (v.id == OBB_W_PROGRAM || v.id == OBB_W_LIBRARY || v.id == OBB_W_TEST || v.id == OBB_W_IMAGE ||
            v.id == OBB_W_STEP);
}

void obb_expand_each(obb_reader *r, obb_block *top)
{
    obb_block expanded = {.open = top->open};
    for (size_t i = 0; i < top->list.count; i++) {
        obb_statement *s = top->list.at[i];
        const obb_statement *each = obb_states_target(s) ? each_of(r, s) : NULL;
        if (!each) {
            obb_arena_push(r->arena, &expanded.list, s);
            continue;
        }
        const obb_word_list words = words_of(r, each);
        instances list = {0};
        if (words.count < 2)
            obb_reader_fault(r, words.at[0].place, "`%s` needs a value", words.at[0].text);
        else if (strcmp(words.at[0].text, "each") == 0)
            find_files(r, &words, &list);
        else
            find_values(r, &words, &list);
        for (size_t k = 0; k < list.count; k++)
            obb_arena_push(r->arena, &expanded.list, copy_statement(r, s, &list.at[k]));
    }
    *top = expanded;
}
