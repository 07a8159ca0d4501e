/* Variants of files for processors (draft/work.h): sources in folders that are called like one. Where a file
 * beside the folders has the same name without its suffix, they stand in for it; else each processor has its
 * own. */
#include <string.h>

#include "base/path.h"
#include "draft/work.h"

static const char *parent_of(draft *d, const draft_file *f)
{
    return obb_path_folder(d->arena, f->folder);
}

static bool same_stem(const draft_file *a, const draft_file *b)
{
    const char *x = obb_path_name(a->path), *y = obb_path_name(b->path);
    size_t n = strlen(x) - strlen(obb_path_suffix(x)), k = strlen(y) - strlen(obb_path_suffix(y));
    return n == k && strncmp(x, y, n) == 0;
}

/* `{axis:cpu}` is the name of the folder alone where that is the value of the axis. */
static bool is_value(const draft_file *f)
{
    return f->processor && strcmp(obb_path_name(f->folder), f->processor) == 0;
}

/* The source beside the folder that one of a processor stands in for; NULL: none. */
static draft_file *replaced(const draft *d, const draft_file *f)
{
    const char *parent = f->header || f->known || !is_value(f) ? NULL : obb_path_folder(d->arena, f->folder);
    for (size_t i = 0; parent && i < d->files.count; i++) {
        draft_file *other = d->files.at[i];
        if (!other->header && !other->processor && strcmp(other->folder, parent) == 0 && same_stem(other, f))
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
    if (!draft_has(patterns, pattern))
        obb_arena_push(d->arena, patterns, pattern);
}

/* The target that alone has what stands in folders for processors beside each other; NULL: several, or none.
 */
static draft_target *owner_of(draft *d, const char *parent)
{
    draft_target *owner = NULL;
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        if (f->header || !f->processor || !f->target || strcmp(parent_of(d, f), parent) != 0)
            continue;
        if (owner && owner != f->target)
            return NULL;
        owner = f->target;
    }
    return owner;
}

void draft_find_processors(draft *d)
{
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        const draft_file *other = replaced(d, f);
        if (!other || !other->target)
            continue;
        f->target = other->target;
        add_pattern(d, &other->target->instead,
                    obb_path_join(d->arena, parent_of(d, f),
                                  obb_arena_format(d->arena, "{axis:cpu}/*%s", obb_path_suffix(f->path))));
        add_pattern(d, &other->target->replaced, other->folder);
    }
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        const char *parent = f->processor && !f->header && !f->known ? parent_of(d, f) : NULL;
        draft_target *owner = parent ? owner_of(d, parent) : NULL;
        if (!owner)
            continue;
        f->target = owner;
        if (!draft_has(&owner->replaced, parent))
            add_pattern(d, &owner->processors, parent);
    }
}

/* The sources of a processor below a folder, a pattern for each folder and suffix. */
static void write_processor(const draft *d, const char *parent, const char *processor, obb_text *text)
{
    obb_words told = {0};
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        const char *pattern = obb_arena_format(d->arena, "%s/*%s", f->folder, obb_path_suffix(f->path));
        if (!f->header && f->processor && strcmp(f->processor, processor) == 0 &&
            strcmp(obb_path_folder(d->arena, f->folder), parent) == 0 && !draft_has(&told, pattern))
            obb_arena_push(d->arena, &told, pattern);
    }
    obb_text_format(text, "        %s { sources", processor);
    for (size_t i = 0; i < told.count; i++)
        obb_text_format(text, " %s", told.at[i]);
    obb_text_string(text, " }\n");
}

void draft_write_processors(const draft *d, const draft_target *t, obb_text *text)
{
    for (size_t i = 0; i < t->processors.count; i++) {
        obb_words told = {0};
        obb_text_string(text, "    choose cpu {\n");
        for (size_t k = 0; k < d->files.count; k++) {
            const draft_file *f = d->files.at[k];
            bool here = !f->header && f->processor && f->target == t &&
                        strcmp(obb_path_folder(d->arena, f->folder), t->processors.at[i]) == 0;
            if (!here || draft_has(&told, f->processor))
                continue;
            obb_arena_push(d->arena, &told, f->processor);
            write_processor(d, t->processors.at[i], f->processor, text);
        }
        obb_text_string(text, "        else { refuse \"it has no sources for this processor\" }\n    }\n");
    }
}
