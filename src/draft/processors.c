/* Variants of files for processors (draft/work.h): sources in folders that are called like one. Where a file
 * beside the folders has the same name without its suffix, they stand in for it; else each processor has its
 * own. */
#include <string.h>

#include "base/path.h"
#include "draft/work.h"

static bool same_stem(const draft_file *a, const draft_file *b)
{
    const char *x = obb_path_name(a->path), *y = obb_path_name(b->path);
    size_t n = strlen(x) - strlen(obb_path_suffix(x)), k = strlen(y) - strlen(obb_path_suffix(y));
    return n == k && strncmp(x, y, n) == 0;
}

/* In a folder for a processor, which lies in this one. */
static bool is_beside(const draft_file *f, const char *parent)
{
    return f->beside && strcmp(f->beside, parent) == 0;
}

/* `{axis:cpu}` is the name of the folder alone where that is the value of the axis. */
static bool is_value(const draft_file *f)
{
    return f->processor && strcmp(obb_path_name(f->folder), f->processor) == 0;
}

/* The source beside the folder that one of a processor stands in for; NULL: none. */
static draft_file *replaced(const draft *d, const draft_file *f)
{
    bool may = is_value(f);
    for (size_t i = 0; may && i < d->files.count; i++) {
        draft_file *other = d->files.at[i];
        if (!other->header && !other->processor && strcmp(other->folder, f->beside) == 0 &&
            same_stem(other, f))
            return other;
    }
    return NULL;
}

bool draft_stands_in(const draft *d, const draft_file *f)
{
    return replaced(d, f) != NULL;
}

static void add_pattern(draft *d, obb_words *patterns, const char *pattern)
{
    if (!obb_has_word(patterns, pattern))
        obb_arena_push(d->arena, patterns, pattern);
}

/* The target that alone has what stands in folders for processors beside each other; NULL: several, or none.
 */
static draft_target *owner_of(const draft *d, const char *parent)
{
    draft_target *owner = NULL;
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        if (!is_beside(f, parent) || !f->target)
            continue;
        if (owner && owner != f->target)
            return NULL;
        owner = f->target;
    }
    return owner;
}

/* The target that alone has what is replaced beside folders for processors; NULL: several, whose patterns
 * would take what stands in for the others' files, or none. */
static draft_target *owner_of_replaced(const draft *d, const char *parent)
{
    draft_target *owner = NULL;
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        const draft_file *other = is_beside(f, parent) ? replaced(d, f) : NULL;
        if (!other || !other->target)
            continue;
        if (owner && owner != other->target)
            return NULL;
        owner = other->target;
    }
    return owner;
}

/* The folders beside which there are folders for processors, each once. */
static void list_parents(draft *d, obb_words *parents)
{
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        if (f->beside)
            add_pattern(d, parents, f->beside);
    }
}

static void replace(draft *d, draft_target *owner, const char *parent)
{
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        if (!is_beside(f, parent) || !replaced(d, f))
            continue;
        f->target = owner;
        add_pattern(d, &owner->instead,
                    obb_path_join(d->arena, parent,
                                  obb_arena_format(d->arena, "{axis:cpu}/*%s", obb_path_suffix(f->path))));
        add_pattern(d, &owner->replaced, parent);
    }
}

void draft_find_processors(draft *d)
{
    obb_words parents = {0};
    list_parents(d, &parents);
    for (size_t i = 0; i < parents.count; i++) {
        draft_target *replacing = owner_of_replaced(d, parents.at[i]), *owner;
        if (replacing)
            replace(d, replacing, parents.at[i]);
        owner = owner_of(d, parents.at[i]);
        for (size_t k = 0; owner && k < d->files.count; k++)
            if (is_beside(d->files.at[k], parents.at[i]))
                d->files.at[k]->target = owner;
        if (owner && !replacing)
            add_pattern(d, &owner->processors, parents.at[i]);
    }
}

/* The sources of a processor below a folder, a pattern for each folder and suffix. */
static void write_processor(const draft *d, const char *parent, const char *processor, obb_text *text)
{
    obb_words told = {0};
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        const char *pattern = obb_arena_format(d->arena, "%s/*%s", f->folder, obb_path_suffix(f->path));
        if (is_beside(f, parent) && strcmp(f->processor, processor) == 0 && !obb_has_word(&told, pattern))
            obb_arena_push(d->arena, &told, pattern);
    }
    obb_text_format(text, "        %s { sources", processor);
    for (size_t i = 0; i < told.count; i++) {
        obb_text_char(text, ' ');
        draft_write_word(text, told.at[i]);
    }
    obb_text_string(text, " }\n");
}

void draft_write_processors(const draft *d, const draft_target *t, obb_text *text)
{
    for (size_t i = 0; i < t->processors.count; i++) {
        obb_words told = {0};
        obb_text_string(text, "    choose cpu {\n");
        for (size_t k = 0; k < d->files.count; k++) {
            const draft_file *f = d->files.at[k];
            if (f->target != t || !is_beside(f, t->processors.at[i]) || obb_has_word(&told, f->processor))
                continue;
            obb_arena_push(d->arena, &told, f->processor);
            write_processor(d, t->processors.at[i], f->processor, text);
        }
        obb_text_string(text, "        else { refuse \"it has no sources for this processor\" }\n    }\n");
    }
}
