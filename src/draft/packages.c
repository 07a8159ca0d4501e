/* Headers of libraries that lie in folders of their own (draft/work.h): which .pc file tells of the folder,
 * and which targets need it. */
#include <string.h>

#include "base/files.h"
#include "base/path.h"
#include "draft/work.h"

enum { DEEPEST = 16 }; /* of values in values, and of packages that need others */

typedef struct metadata {
    const char *name, *text;
} metadata;

typedef OBB_VEC(metadata) metadata_list;

static void read_all(draft *d, metadata_list *list)
{
    obb_words paths = {0};
    draft_list_metadata(d, &paths);
    for (size_t i = 0; i < paths.count; i++) {
        obb_text text = {0};
        const char *name = obb_path_name(paths.at[i]);
        if (!obb_file_read(paths.at[i], &text))
            obb_arena_push(d->arena, list,
                           ((metadata){obb_arena_copy(d->arena, name, strlen(name) - 3),
                                       obb_arena_format(d->arena, "\n%s", obb_text_bytes(&text))}));
        obb_text_free(&text);
    }
}

/* What stands behind a word at the beginning of a line: `Cflags:`, `prefix=`. "" when there is no such line.
 */
static const char *line_behind(draft *d, const metadata *m, const char *word)
{
    const char *found = strstr(m->text, obb_arena_format(d->arena, "\n%s", word));
    found = found ? found + 1 + strlen(word) : "";
    return obb_arena_copy(d->arena, found, strcspn(found, "\n"));
}

/* With the values of `${name}`. */
static const char *expanded(draft *d, const metadata *m, const char *line, int depth)
{
    obb_text text = {0};
    for (const char *open; depth && (open = strstr(line, "${"));) {
        size_t n = strcspn(open, "}");
        const char *name = obb_arena_copy(d->arena, open + 2, n > 2 ? n - 2 : 0);
        obb_text_add(&text, line, (size_t)(open - line));
        obb_text_string(&text, expanded(d, m, line_behind(d, m, obb_arena_format(d->arena, "%s=", name)),
                                        depth - 1));
        line = open + n + (open[n] == '}');
    }
    obb_text_string(&text, line);
    const char *copy = obb_arena_string(d->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static void take_words(draft *d, const char *line, obb_words *words)
{
    for (size_t n; *(line += strspn(line, " \t,")); line += n) {
        n = strcspn(line, " \t,");
        obb_arena_push(d->arena, words, obb_arena_copy(d->arena, line, n));
    }
}

/* The include folders that a package names itself. */
static void own_folders(draft *d, const metadata *m, obb_words *folders)
{
    obb_words words = {0};
    take_words(d, expanded(d, m, line_behind(d, m, "Cflags:"), DEEPEST), &words);
    for (size_t i = 0; i < words.count; i++)
        if (strncmp(words.at[i], "-I/", 3) == 0 && strcmp(words.at[i], "-I/usr/include") != 0 &&
            !obb_has_word(folders, words.at[i] + 2))
            obb_arena_push(d->arena, folders, words.at[i] + 2);
}

static const metadata *named(const metadata_list *all, const char *name)
{
    for (size_t i = 0; i < all->count; i++)
        if (strcmp(all->at[i].name, name) == 0)
            return &all->at[i];
    return NULL;
}

/* Those of what it requires as well. False: something that it requires is not there. */
static bool all_folders(draft *d, const metadata_list *all, const metadata *m, obb_words *folders, int depth)
{
    static const char *const lines[] = {"Requires:", "Requires.private:"};
    bool complete = depth > 0;
    own_folders(d, m, folders);
    for (size_t k = 0; k < 2 && complete; k++) {
        obb_words words = {0};
        take_words(d, expanded(d, m, line_behind(d, m, lines[k]), DEEPEST), &words);
        for (size_t i = 0; i < words.count && complete; i++) {
            if (strchr("<>=", words.at[i][0])) {
                i++; /* a version */
                continue;
            }
            const metadata *other = named(all, words.at[i]);
            complete = other ? all_folders(d, all, other, folders, depth - 1) : k == 1;
        }
    }
    return complete;
}

/* The package whose own folder has the header; of several, the one with the shortest name. */
static const metadata *package_with(draft *d, const metadata_list *all, const char *header)
{
    const metadata *best = NULL;
    for (size_t i = 0; i < all->count; i++) {
        const metadata *m = &all->at[i];
        obb_words folders = {0};
        obb_stamp stamp;
        own_folders(d, m, &folders);
        for (size_t k = 0; k < folders.count; k++)
            if ((!best || strlen(m->name) < strlen(best->name)) &&
                obb_stamp_of(obb_path_join(d->arena, folders.at[k], header), &stamp))
                best = m;
    }
    return best;
}

static draft_package *add_package(draft *d, const metadata_list *all, const metadata *m)
{
    draft_package *p = obb_arena_alloc(d->arena, sizeof *p);
    p->name = m->name;
    if (!all_folders(d, all, m, &p->folders, DEEPEST))
        return NULL;
    for (size_t i = 0; i < d->packages.count; i++)
        if (strcmp(d->packages.at[i]->name, m->name) == 0)
            return d->packages.at[i];
    obb_arena_push(d->arena, &d->packages, p);
    return p;
}

/* Includes of which the tree has no file. What is quoted is meant to be one of the tree, or is made. */
static void list_outside(draft *d, obb_words *outside)
{
    obb_map seen = {0};
    for (size_t i = 0; i < d->files.count; i++)
        obb_map_put(&seen, obb_path_name(d->files.at[i]->path), d);
    for (size_t i = 0; i < d->files.count; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count; k++) {
            const char *name = d->files.at[i]->includes.at[k].name;
            if (!d->files.at[i]->includes.at[k].quoted && !draft_is_configuration(name) && *name != '/' &&
                !obb_map_get(&seen, obb_path_name(name)) && !obb_map_put(&seen, name, d) &&
                !draft_template_of(d, name))
                obb_arena_push(d->arena, outside, name);
        }
    obb_map_free(&seen);
}

void draft_find_packages(draft *d)
{
    obb_words outside = {0};
    obb_map has = {0};
    metadata_list all = {0};
    list_outside(d, &outside);
    draft_ask_headers(d, &outside, &has);
    for (size_t i = 0; i < outside.count; i++) {
        if (obb_map_get(&has, outside.at[i]))
            continue;
        if (!all.count)
            read_all(d, &all);
        const metadata *m = package_with(d, &all, outside.at[i]);
        draft_package *p = m ? add_package(d, &all, m) : NULL;
        if (p)
            obb_arena_push(d->arena, &p->headers, outside.at[i]);
    }
    obb_map_free(&has);
}

/* Marks the files that include a header of a package, or a marked one, by their names. */
static void mark(const draft *d, const draft_package *p, obb_map *marked)
{
    for (bool more = true; more;) {
        more = false;
        for (size_t i = 0; i < d->files.count; i++) {
            const draft_file *f = d->files.at[i];
            bool is = obb_map_get(marked, f->path) != NULL;
            for (size_t k = 0; k < f->includes.count && !is; k++) {
                const char *name = f->includes.at[k].name;
                is = obb_has_word(&p->headers, name) || obb_map_get(marked, obb_path_name(name));
                if (!is)
                    continue;
                more = true;
                obb_map_put(marked, f->path, (void *)(uintptr_t)f);
                if (f->header)
                    obb_map_put(marked, obb_path_name(f->path), (void *)(uintptr_t)f);
            }
        }
    }
}

void draft_use_packages(draft *d)
{
    for (size_t i = 0; i < d->packages.count; i++) {
        const draft_package *p = d->packages.at[i];
        obb_map marked = {0};
        mark(d, p, &marked);
        for (size_t t = 0; t < d->targets.count; t++) {
            draft_target *target = d->targets.at[t];
            bool needs = false;
            for (size_t k = 0; k < target->files.count && !needs; k++)
                needs = obb_map_get(&marked, target->files.at[k]->path) != NULL;
            if (needs && !obb_has_word(&target->packages, p->name))
                obb_arena_push(d->arena, &target->packages, p->name);
        }
        obb_map_free(&marked);
    }
}
