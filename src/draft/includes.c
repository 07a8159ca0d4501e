/* Include folders (draft/work.h): those in which includes are found that are found nowhere else. The folder
 * that most of what is open needs is taken, again and again. */
#include <string.h>

#include "base/path.h"
#include "draft/work.h"

/* An include that its own folder does not have. */
typedef struct open_include {
    const char *name;
    bool quoted, found;
} open_include;

typedef OBB_VEC(open_include) open_includes;

typedef struct candidate {
    const char *folder;
    size_t votes;
} candidate;

static bool is_file(const obb_map *paths, const char *path)
{
    return obb_map_get(paths, path) != NULL;
}

/* The folder from which `name` is this header: "." for the top; NULL: from none. */
static const char *folder_for(draft *d, const char *path, const char *name)
{
    size_t n = strlen(path), k = strlen(name);
    if (strcmp(path, name) == 0)
        return ".";
    if (k + 1 >= n || strcmp(path + n - k, name) != 0 || path[n - k - 1] != '/')
        return NULL;
    return obb_arena_copy(d->arena, path, n - k - 1);
}

static void vote(draft *d, obb_map *votes, const char *folder)
{
    candidate *c = obb_map_get(votes, folder);
    if (!c) {
        c = obb_arena_alloc(d->arena, sizeof *c);
        c->folder = folder;
        obb_map_put(votes, folder, c);
    }
    c->votes++;
}

/* Each header of the tree by the last part of its path; but not configurations of other systems, and what is
 * for these, or for other processors, only where there is nothing else. */
typedef struct named {
    OBB_VEC(const char *) paths;
    bool elsewhere; /* all of them are for other systems */
} named;

static void index_files(draft *d, obb_map *paths, obb_map *names)
{
    for (size_t i = 0; i < d->files.count; i++) {
        const char *path = d->files.at[i]->path, *name = obb_path_name(path);
        named *n = obb_map_get(names, name);
        obb_map_put(paths, path, d);
        bool elsewhere = draft_is_elsewhere(d->files.at[i]->folder) || d->files.at[i]->foreign;
        if (d->files.at[i]->other_configuration || (n && elsewhere && !n->elsewhere))
            continue;
        if (!n) {
            n = obb_arena_alloc(d->arena, sizeof *n);
            obb_map_put(names, name, n);
        }
        n->paths.count = n->elsewhere && !elsewhere ? 0 : n->paths.count;
        n->elsewhere = elsewhere;
        obb_arena_push(d->arena, &n->paths, path);
    }
}

static void find_open(draft *d, const obb_map *paths, const obb_map *names, open_includes *open)
{
    for (size_t i = 0; i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        for (size_t k = 0; k < f->includes.count; k++) {
            const char *name = f->includes.at[k].name;
            bool beside = f->includes.at[k].quoted &&
                          is_file(paths, obb_path_join(d->arena, f->folder, name));
            if (!beside && obb_map_get(names, obb_path_name(name)))
                obb_arena_push(d->arena, open, ((open_include){name, f->includes.at[k].quoted, false}));
        }
    }
}

static bool found_in(draft *d, const obb_map *paths, const char *name)
{
    bool found = false;
    for (size_t i = 0; i < d->includes.count && !found; i++)
        found = is_file(paths, obb_path_join(d->arena, d->includes.at[i], name));
    return found;
}

static const candidate *best_folder(draft *d, open_includes *open, const obb_map *names)
{
    obb_map votes = {0};
    const candidate *best = NULL;
    for (size_t i = 0; i < open->count; i++) {
        const named *n = obb_map_get(names, obb_path_name(open->at[i].name));
        for (size_t k = 0; !open->at[i].found && n && k < n->paths.count; k++) {
            const char *folder = folder_for(d, n->paths.at[k], open->at[i].name);
            if (folder)
                vote(d, &votes, folder);
        }
    }
    for (size_t i = 0; i < votes.count; i++) {
        const candidate *c = votes.at[i].value;
        bool more = !best || c->votes > best->votes;
        bool shorter = best && c->votes == best->votes &&
                       (strlen(c->folder) < strlen(best->folder) ||
                        (strlen(c->folder) == strlen(best->folder) && strcmp(c->folder, best->folder) < 0));
        best = more || shorter ? c : best;
    }
    obb_map_free(&votes);
    return best;
}

/* The system's own of the same name is meant where it is not quoted: `<string.h>` beside a string.h of a
 * port; and where the tree has one for other systems alone. */
static bool may_be_of_system(const open_include *open, const obb_map *names)
{
    const named *n = obb_map_get(names, obb_path_name(open->name));
    return !open->quoted || (n && n->elsewhere);
}

static void leave_to_system(draft *d, open_includes *open, const obb_map *names)
{
    obb_words asked = {0};
    obb_map has = {0};
    for (size_t i = 0; i < open->count; i++)
        if (may_be_of_system(&open->at[i], names))
            obb_arena_push(d->arena, &asked, open->at[i].name);
    draft_ask_headers(d, &asked, &has);
    for (size_t i = 0; i < open->count; i++)
        open->at[i].found = may_be_of_system(&open->at[i], names) && obb_map_get(&has, open->at[i].name);
    obb_map_free(&has);
}

void draft_find_includes(draft *d)
{
    obb_map paths = {0}, names = {0};
    open_includes open = {0};
    for (size_t i = 0; i < d->folders_given.count; i++)
        obb_arena_push(d->arena, &d->includes, d->folders_given.at[i]);
    index_files(d, &paths, &names);
    find_open(d, &paths, &names, &open);
    leave_to_system(d, &open, &names);
    for (;;) {
        for (size_t i = 0; i < open.count; i++)
            open.at[i].found = open.at[i].found || found_in(d, &paths, open.at[i].name);
        const candidate *best = best_folder(d, &open, &names);
        if (!best)
            break;
        obb_arena_push(d->arena, &d->includes, best->folder);
    }
    obb_map_free(&paths);
    obb_map_free(&names);
}
