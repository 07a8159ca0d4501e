/* Patterns to files: each line by itself (its names less its exceptions), then the
 * exceptions of the whole list, then each file once. */
#include <stdint.h>
#include <string.h>

#include "base/map.h"
#include "base/path.h"
#include "base/text.h"
#include "project/language.h"
#include "project/project.h"

static const char *seen_from_its_file(obb_arena *arena, const obb_word *w)
{
    return obb_path_join(arena, w->place.folder, w->text);
}

/* Which exceptions matched something, by their words. */
typedef struct exceptions {
    obb_arena *arena;
    obb_map used;
} exceptions;

static char *key_of(obb_arena *arena, const obb_word *w)
{
    return obb_arena_format(arena, "%s:%d:%d", w->place.file, w->place.line, w->place.column);
}

static bool taken_away(exceptions *e, const obb_word_list *except, const char *path)
{
    bool away = false;
    for (size_t i = 0; i < except->count; i++)
        if (obb_path_matches(seen_from_its_file(e->arena, &except->at[i]), path)) {
            away = true;
            obb_map_put(&e->used, key_of(e->arena, &except->at[i]), e);
        }
    return away;
}

static void check_exceptions(exceptions *e, const obb_patterns *patterns, obb_diags *diags)
{
    for (size_t i = 0; i < patterns->count; i++)
        for (size_t k = 0; k < patterns->at[i].except.count; k++) {
            const obb_word *w = &patterns->at[i].except.at[k];
            if (patterns->at[i].maybe || obb_map_get(&e->used, key_of(e->arena, w)))
                continue;
            obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, w->place, "`except %s` excludes nothing",
                                    seen_from_its_file(e->arena, w));
            obb_hint(diags, d, "take it out, or look at the name; paths are relative to the folder of %s",
                     w->place.file);
        }
}

static void nothing_matches(const obb_word *w, const char *pattern, obb_diags *diags)
{
    bool is_pattern = obb_path_is_pattern(pattern);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, w->place,
                            is_pattern ? "no file matches `%s`" : "there is no file `%s`", pattern);
    obb_hint(diags, d, is_pattern ? "paths are relative to %s; `maybe` before the pattern allows none"
                                  : "paths are relative to the folder of %s", w->place.file);
}

/* Files that stand in for others, and each plus 1 by what its pattern's wildcards stand for. */
typedef struct stand_ins {
    obb_file_list files;
    obb_map by_parts;
} stand_ins;

static void expand_name(const obb_pattern_line *line, const obb_word *w, obb_files *files,
                        obb_arena *arena, obb_diags *diags, obb_file_list *found)
{
    if (obb_starts(w->text, "made:") || obb_starts(w->text, "product:")) /* files that are not there yet */
        return;
    const char *pattern = seen_from_its_file(arena, w);
    size_t before = found->count;
    if (obb_path_outside(pattern) && !(w->place.scope && obb_path_within(pattern, w->place.folder))) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, w->place,
                                "`%s` lies outside the project", pattern);
        obb_hint(diags, d, "move it below the folder of " OBB_SCORE_NAME
                           ", or put " OBB_SCORE_NAME " higher up");
        return;
    }
    obb_files_expand(files, pattern, found);
    if (found->count == before && !line->maybe)
        nothing_matches(w, pattern, diags);
}

/* One expansion while it goes on. */
typedef struct expansion {
    const obb_patterns *patterns;
    obb_files *files;
    obb_arena *arena;
    obb_diags *diags;
    obb_file_list *found;
    obb_replaced_list *replaced; /* or NULL */
    obb_map seen;
    exceptions exceptions;
} expansion;

static bool is_excepted(expansion *x, const obb_pattern_line *line, obb_file file)
{
    const char *path = obb_files_path(x->files, file);
    bool away = taken_away(&x->exceptions, &line->except, path);
    for (size_t n = 0; n < x->patterns->count; n++)
        away = (x->patterns->at[n].takes_away &&
                taken_away(&x->exceptions, &x->patterns->at[n].except, path)) || away;
    return away;
}

static void add_found(expansion *x, obb_file file)
{
    bool added;
    const char *path = obb_files_path(x->files, file);
    obb_map_number(&x->seen, path, strlen(path), &added);
    if (added)
        obb_arena_push(x->arena, x->found, file);
}

/* Patterns behind `instead` may match nothing: not every variant has such files. */
static void find_stand_ins(expansion *x, const obb_pattern_line *line, stand_ins *s)
{
    const obb_pattern_line maybe = {.maybe = true};
    for (size_t k = 0; k < line->instead.count; k++) {
        const obb_word *w = &line->instead.at[k];
        const char *pattern = seen_from_its_file(x->arena, w);
        obb_file_list all = {0};
        expand_name(&maybe, w, x->files, x->arena, x->diags, &all);
        for (size_t i = 0; i < all.count; i++) {
            const char *path = obb_files_path(x->files, all.at[i]);
            char *parts = obb_path_matched_parts(x->arena, pattern, path);
            if (!parts || obb_is_header(path) || is_excepted(x, line, all.at[i]))
                continue;
            uintptr_t other = (uintptr_t)obb_map_put(&s->by_parts, parts,
                                                     (void *)((uintptr_t)all.at[i] + 1));
            if (other && other != (uintptr_t)all.at[i] + 1) {
                obb_diag *d = obb_error(x->diags, OBB_FAULT_DESCRIPTION, w->place,
                                        "`%s` and `%s` would stand in for the same file",
                                        obb_files_path(x->files, (obb_file)(other - 1)), path);
                obb_hint(x->diags, d, "take one of them away: except %s", path);
            }
            obb_arena_push(x->arena, &s->files, all.at[i]);
        }
        obb_vec_free(&all);
    }
}

static void expand_line(expansion *x, const obb_pattern_line *line)
{
    stand_ins s = {0};
    find_stand_ins(x, line, &s);
    for (size_t k = 0; k < line->names.count; k++) {
        const char *pattern = seen_from_its_file(x->arena, &line->names.at[k]);
        obb_file_list all = {0};
        expand_name(line, &line->names.at[k], x->files, x->arena, x->diags, &all);
        for (size_t i = 0; i < all.count; i++) {
            char *parts = line->instead.count ? obb_path_matched_parts(x->arena, pattern,
                                                                       obb_files_path(x->files, all.at[i]))
                                              : NULL;
            uintptr_t by = parts ? (uintptr_t)obb_map_get(&s.by_parts, parts) : 0;
            if (is_excepted(x, line, all.at[i]))
                continue;
            if (!by || by == (uintptr_t)all.at[i] + 1)
                add_found(x, all.at[i]);
            else if (x->replaced)
                obb_arena_push(x->arena, x->replaced, ((obb_replaced){all.at[i], (obb_file)(by - 1)}));
        }
        obb_vec_free(&all);
    }
    for (size_t i = 0; i < s.files.count; i++)
        add_found(x, s.files.at[i]);
    obb_map_free(&s.by_parts);
}

void obb_patterns_expand(const obb_patterns *patterns, obb_files *files, obb_arena *arena,
                         obb_diags *diags, obb_file_list *found, obb_replaced_list *replaced)
{
    expansion x = {.patterns = patterns, .files = files, .arena = arena, .diags = diags, .found = found,
                   .replaced = replaced, .exceptions = {.arena = arena}};
    for (size_t i = 0; i < patterns->count; i++)
        expand_line(&x, &patterns->at[i]);
    check_exceptions(&x.exceptions, patterns, diags);
    obb_map_free(&x.exceptions.used);
    obb_map_free(&x.seen);
}
