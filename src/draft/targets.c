/* Programs, libraries and tests (draft/work.h). What defines `main` is a program; what it needs follows from
 * the symbols. What several programs need, or what tests alone need, is a library, and so is what nobody
 * needs: one for each folder. */
#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "draft/work.h"

/* How much two paths have in common at their beginning, in parts. */
static size_t shared_parts(const char *a, const char *b)
{
    size_t parts = 0;
    for (; *a && *a == *b; a++, b++)
        parts += *a == '/';
    return parts;
}

/* Of all that define a symbol, the one that lies nearest; of files with a `main`, that of the program alone.
 * NULL: nobody. */
static draft_file *definer(const draft *d, const char *symbol, draft_file *near, const draft_file *main)
{
    const draft_definers *all = obb_map_get(&d->definers, symbol);
    draft_file *best = NULL;
    for (size_t i = 0; all && i < all->files.count; i++) {
        draft_file *f = all->files.at[i];
        if (f == near)
            return f;
        if ((!f->is_main || f == main) &&
            (!best || shared_parts(f->path, near->path) > shared_parts(best->path, near->path)))
            best = f;
    }
    return best;
}

static bool needs(const draft_file *f, uint32_t program)
{
    bool does = false;
    for (size_t i = 0; i < f->programs.count && !does; i++)
        does = f->programs.at[i] == program;
    return does;
}

/* All that a program needs, beginning with its main. */
static void reach(draft *d, draft_file *f, uint32_t program)
{
    OBB_VEC(draft_file *) open = {0};
    obb_arena_push(d->arena, &open, f);
    obb_arena_push(d->arena, &f->programs, program);
    for (size_t i = 0; i < open.count; i++) {
        draft_file *one = open.at[i];
        for (size_t k = 0; k < one->lacks.count; k++) {
            draft_file *other = definer(d, one->lacks.at[k], one, f);
            if (other && other != one && !needs(other, program)) {
                obb_arena_push(d->arena, &other->programs, program);
                obb_arena_push(d->arena, &open, other);
            }
        }
    }
}

/* --- names -------------------------------------------------------------------------- */

static const char *plain_name(draft *d, const char *text)
{
    while (*text && !isalnum((unsigned char)*text))
        text++;
    char *name = obb_arena_string(d->arena, text);
    for (char *c = name; *c; c++)
        if (!isalnum((unsigned char)*c) && *c != '-' && *c != '_')
            *c = '-';
    return *name ? name : "part";
}

static const char *stem_of(draft *d, const char *path)
{
    const char *name = obb_path_name(path);
    return obb_arena_copy(d->arena, name, strlen(name) - strlen(obb_path_suffix(name)));
}

static bool is_taken(const draft *d, const char *name)
{
    bool taken = false;
    for (size_t i = 0; i < d->targets.count && !taken; i++)
        taken = strcmp(d->targets.at[i]->name, name) == 0;
    return taken;
}

static const char *free_name(draft *d, const char *wanted, const char *folder)
{
    const char *name = plain_name(d, wanted);
    if (is_taken(d, name))
        name = plain_name(d, obb_arena_format(d->arena, "%s-%s", obb_path_name(folder), wanted));
    for (int i = 2; is_taken(d, name); i++)
        name = plain_name(d, obb_arena_format(d->arena, "%s-%d", wanted, i));
    return name;
}

/* The last part that says something; else the project's name. */
static const char *folder_name(const draft *d, const char *folder)
{
    static const char *const plain[] = {".", "src", "source", "sources", "lib", "libs", "common"};
    const char *name = obb_path_name(folder);
    bool says = true;
    for (size_t i = 0; i < sizeof plain / sizeof *plain && says; i++)
        says = strcmp(name, plain[i]) != 0;
    if (says)
        return name;
    return strchr(folder, '/') ? folder_name(d, obb_path_folder(d->arena, folder)) : d->request->name;
}

/* --- tests -------------------------------------------------------------------------- */

static bool is_word_in(const char *text, const char *word)
{
    size_t n = strlen(word);
    for (const char *at = text; (at = strstr(at, word)); at += n)
        if ((at == text || !isalpha((unsigned char)at[-1])) && !isalpha((unsigned char)at[n]))
            return true;
    return false;
}

/* By its folder, its name, or what it includes. */
static bool is_test(const draft_file *f)
{
    static const char *const words[] = {"test",      "tests", "testing", "unittest",
                                        "unittests", "check", "selftest"};
    static const char *const headers[] = {"gtest/gtest.h", "check.h", "CUnit/CUnit.h", "cmocka.h", "catch2/"};
    const char *name = obb_path_name(f->path);
    bool is = strncmp(name, "test", 4) == 0 || strstr(name, "test.") != NULL ||
              strstr(name, "tests.") != NULL;
    for (size_t i = 0; i < sizeof words / sizeof *words && !is; i++)
        is = is_word_in(f->path, words[i]);
    for (size_t i = 0; i < f->includes.count && !is; i++)
        for (size_t k = 0; k < sizeof headers / sizeof *headers && !is; k++)
            is = strncmp(f->includes.at[i].name, headers[k], strlen(headers[k])) == 0;
    return is;
}

/* --- grouping ----------------------------------------------------------------------- */

static draft_target *add_target(draft *d, draft_kind kind, const char *name, const char *folder)
{
    draft_target *t = obb_arena_alloc(d->arena, sizeof *t);
    *t = (draft_target){.kind = kind, .name = name, .folder = folder};
    obb_arena_push(d->arena, &d->targets, t);
    return t;
}

static void give(draft *d, draft_target *t, draft_file *f)
{
    f->target = t;
    obb_arena_push(d->arena, &t->files, f);
}

static void find_programs(draft *d)
{
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        if (!f->is_main || f->known)
            continue;
        const char *stem = stem_of(d, f->path);
        draft_target *t = add_target(d, is_test(f) ? DRAFT_TEST : DRAFT_PROGRAM,
                                     free_name(d,
                                               strcmp(stem, "main") == 0 ? folder_name(d, f->folder) : stem,
                                               f->folder),
                                     f->folder);
        t->main = f;
        give(d, t, f);
        reach(d, f, (uint32_t)(d->targets.count - 1));
    }
}

/* A folder of which several programs need something is a library. */
static bool is_shared(const draft *d, const char *folder)
{
    bool shared = false;
    for (size_t i = 0; i < d->files.count && !shared; i++)
        shared = d->files.at[i]->programs.count > 1 && !d->files.at[i]->is_main &&
                 strcmp(d->files.at[i]->folder, folder) == 0;
    return shared;
}

static bool has_main(const draft *d, const char *folder)
{
    bool has = false;
    for (size_t i = 0; i < d->files.count && !has; i++)
        has = d->files.at[i]->is_main && strcmp(d->files.at[i]->folder, folder) == 0;
    return has;
}

/* A source that one program alone needs belongs to it, unless that is a test of something else. */
static draft_target *only_user(const draft *d, const draft_file *f)
{
    draft_target *t = f->programs.count == 1 && !is_shared(d, f->folder) ? d->targets.at[f->programs.at[0]]
                                                                         : NULL;
    return t && (t->kind == DRAFT_PROGRAM || (is_test(f) && strcmp(t->folder, f->folder) == 0)) ? t : NULL;
}

static draft_target *library_of(draft *d, const char *folder)
{
    for (size_t i = 0; i < d->targets.count; i++)
        if (d->targets.at[i]->kind == DRAFT_LIBRARY && strcmp(d->targets.at[i]->folder, folder) == 0)
            return d->targets.at[i];
    const char *name = folder_name(d, folder);
    if (is_taken(d, plain_name(d, name)))
        name = obb_arena_format(d->arena, "%s-parts", name);
    return add_target(d, DRAFT_LIBRARY, free_name(d, name, folder), folder);
}

static void uses(draft *d, draft_target *t, draft_target *other)
{
    for (size_t i = 0; i < t->uses.count; i++)
        if (t->uses.at[i] == other)
            return;
    if (t != other)
        obb_arena_push(d->arena, &t->uses, other);
}

static void find_uses(draft *d)
{
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        for (size_t k = 0; f->target && k < f->lacks.count; k++) {
            draft_file *other = definer(d, f->lacks.at[k], f, f->target->main);
            if (other && other->target && other->target->kind == DRAFT_LIBRARY)
                uses(d, f->target, other->target);
            else if (other && other->known && !obb_has_word(&f->target->known, other->path))
                obb_arena_push(d->arena, &f->target->known, other->path);
            else if (!other)
                obb_arena_push(d->arena, &f->target->unresolved, f->lacks.at[k]);
        }
    }
}

/* --- twins -------------------------------------------------------------------------- */

/* A symbol that it needs and that is neither here nor in a library of the system; NULL: there is none. */
static const char *lacks_nowhere(draft *d, const draft_file *f)
{
    for (size_t i = 0; i < f->lacks.count; i++)
        if (!obb_map_get(&d->definers, f->lacks.at[i]) && !draft_is_of_system(d, f->lacks.at[i]))
            return f->lacks.at[i];
    return NULL;
}

/* A file beside it that defines the symbol as well, and needs nothing that is nowhere. */
static const draft_file *twin_of(draft *d, const draft_file *f, const char *symbol)
{
    const draft_definers *all = obb_map_get(&d->definers, symbol);
    for (size_t i = 0; all && i < all->files.count; i++)
        if (all->files.at[i] != f && strcmp(all->files.at[i]->folder, f->folder) == 0 &&
            !lacks_nowhere(d, all->files.at[i]))
            return all->files.at[i];
    return NULL;
}

static void remove_definer(draft *d, const draft_file *f)
{
    for (size_t i = 0; i < f->defines.count; i++) {
        draft_definers *all = obb_map_get(&d->definers, f->defines.at[i]);
        size_t kept = 0;
        for (size_t k = 0; all && k < all->files.count; k++)
            if (all->files.at[k] != f)
                all->files.at[kept++] = all->files.at[k];
        if (all)
            all->files.count = kept;
    }
}

/* Files for other systems compile here as well, but need what only those have; others beside them define the
 * same for this one. */
static void leave_twins_out(draft *d)
{
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        bool doubled = f->compiled && !f->is_main && f->defines.count;
        for (size_t k = 0; k < f->defines.count && doubled; k++) {
            const draft_definers *all = obb_map_get(&d->definers, f->defines.at[k]);
            doubled = all && all->files.count > 1;
        }
        const char *lacking = doubled ? lacks_nowhere(d, f) : NULL;
        const draft_file *twin = NULL;
        for (size_t k = 0; lacking && k < f->defines.count && (k == 0 || twin); k++)
            twin = twin_of(d, f, f->defines.at[k]);
        if (twin) {
            f->left_for = obb_arena_format(d->arena, "%s has the same, and does without %s, which is nowhere",
                                           twin->path, lacking);
            remove_definer(d, f);
        }
    }
}

/* --- circles ------------------------------------------------------------------------ */

static void mark_reached(const draft_target *from, obb_map *reached)
{
    for (size_t i = 0; i < from->uses.count; i++)
        if (!obb_map_put(reached, from->uses.at[i]->name, from->uses.at[i]))
            mark_reached(from->uses.at[i], reached);
}

static const char *common_folder(draft *d, const char *a, const char *b)
{
    while (strcmp(a, ".") != 0 && strcmp(a, b) != 0 && !obb_path_within(b, a))
        a = obb_path_folder(d->arena, a);
    return a;
}

static bool lies_below(const draft_target *t, const char *folder)
{
    return t->kind == DRAFT_LIBRARY && t->files.count && /* none: it is merged with another one */
           (strcmp(folder, ".") == 0 || strcmp(t->folder, folder) == 0 || obb_path_within(t->folder, folder));
}

typedef OBB_VEC(draft_target *) circle;

/* Many libraries of few files each are parts of one. */
static bool are_small(size_t libraries, size_t files)
{
    enum { MANY = 12, FEW = 3 };
    return libraries >= MANY && files < libraries * FEW;
}

/* The libraries that need this one and that it needs, itself too; and, if those are most of what lies below
 * their common folder, or all of that are small, the rest of it. */
static void find_circle(draft *d, size_t number, const obb_map *reached, circle *found)
{
    const draft_target *t = d->targets.at[number];
    const char *folder = t->folder;
    size_t below = 0, files = 0;
    for (size_t i = 0; i < d->targets.count; i++)
        if (i == number ||
            (d->targets.at[i]->files.count && obb_map_get(&reached[number], d->targets.at[i]->name) &&
             obb_map_get(&reached[i], t->name))) {
            obb_arena_push(d->arena, found, d->targets.at[i]);
            folder = common_folder(d, folder, d->targets.at[i]->folder);
        }
    for (size_t i = 0; i < d->targets.count; i++)
        if (lies_below(d->targets.at[i], folder)) {
            below++;
            files += d->targets.at[i]->files.count;
        }
    if (found->count < 2 || (found->count * 2 <= below && !are_small(below, files)))
        return;
    found->count = 0;
    for (size_t i = 0; i < d->targets.count; i++)
        if (lies_below(d->targets.at[i], folder))
            obb_arena_push(d->arena, found, d->targets.at[i]);
}

/* One library of several: that of their common folder, or one that is called after it. */
static void merge(draft *d, const circle *all)
{
    const char *folder = all->at[0]->folder;
    draft_target *into = all->at[0];
    for (size_t i = 1; i < all->count; i++)
        folder = common_folder(d, folder, all->at[i]->folder);
    for (size_t i = 0; i < all->count; i++)
        into = strcmp(all->at[i]->folder, folder) == 0 ? all->at[i] : into;
    if (strcmp(into->folder, folder) != 0)
        into->name = free_name(d, folder_name(d, folder), folder);
    into->folder = folder;
    for (size_t i = 0; i < all->count; i++)
        for (size_t k = 0; all->at[i] != into && k < all->at[i]->files.count; k++)
            give(d, into, all->at[i]->files.at[k]);
    for (size_t i = 0; i < all->count; i++)
        if (all->at[i] != into)
            all->at[i]->files.count = 0;
}

static void forget_uses(draft *d)
{
    size_t kept = 0;
    for (size_t i = 0; i < d->targets.count; i++) {
        draft_target *t = d->targets.at[i];
        t->uses.count = t->unresolved.count = t->known.count = 0;
        if (t->files.count) /* programs stand in front of libraries, and keep their numbers */
            d->targets.at[kept++] = t;
    }
    d->targets.count = kept;
}

/* Libraries that need each other in a circle are one. */
static void merge_circles(draft *d)
{
    const size_t count = d->targets.count;
    obb_map *reached = obb_alloc((count + 1) * sizeof *reached);
    memset(reached, 0, (count + 1) * sizeof *reached);
    bool merged = false;
    for (size_t i = 0; i < count; i++)
        if (d->targets.at[i]->kind == DRAFT_LIBRARY)
            mark_reached(d->targets.at[i], &reached[i]);
    for (size_t i = 0; i < count; i++) {
        circle all = {0};
        if (d->targets.at[i]->kind == DRAFT_LIBRARY && d->targets.at[i]->files.count)
            find_circle(d, i, reached, &all);
        if (all.count > 1)
            merge(d, &all);
        merged = merged || all.count > 1;
    }
    for (size_t i = 0; i < count; i++)
        obb_map_free(&reached[i]);
    free(reached);
    if (merged) {
        forget_uses(d);
        find_uses(d);
    }
}

void draft_find_targets(draft *d)
{
    leave_twins_out(d);
    find_programs(d);
    size_t programs = d->targets.count;
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        if (!f->compiled || f->is_main || f->known || f->left_for || draft_stands_in(d, f))
            continue;
        draft_target *t = only_user(d, f);
        bool needed = f->programs.count || !has_main(d, f->folder) || is_shared(d, f->folder);
        if (t || needed)
            give(d, t ? t : library_of(d, f->folder), f);
    }
    find_uses(d);
    merge_circles(d);
    for (size_t i = 0; i < d->targets.count; i++) {
        const draft_target *t = d->targets.at[i];
        d->result->programs += t->kind == DRAFT_PROGRAM;
        d->result->tests += t->kind == DRAFT_TEST;
        d->result->libraries += t->kind == DRAFT_LIBRARY;
    }
    if (programs && programs == d->result->tests && !d->result->libraries)
        draft_note(d, "only tests were found, and nothing that they test");
}
