/* Patterns to files: each line by itself (its names less its exceptions), then the
 * exceptions of the whole list, then each file once. */
#include <string.h>

#include "base/map.h"
#include "base/path.h"
#include "base/text.h"
#include "project/project.h"

static const char *seen_from_its_file(obb_arena *arena, const obb_word *w)
{
    return obb_path_join(arena, obb_path_folder(arena, w->place.file), w->text);
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

static void expand_name(const obb_pattern_line *line, const obb_word *w, obb_files *files,
                        obb_arena *arena, obb_diags *diags, obb_file_list *found)
{
    if (obb_starts(w->text, "made:") || obb_starts(w->text, "product:")) /* files that are not there yet */
        return;
    const char *pattern = seen_from_its_file(arena, w);
    size_t before = found->count;
    if (obb_path_outside(pattern)) {
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

void obb_patterns_expand(const obb_patterns *patterns, obb_files *files, obb_arena *arena,
                         obb_diags *diags, obb_file_list *found)
{
    obb_map seen = {0};
    obb_file_list all = {0};
    exceptions e = {.arena = arena};
    for (size_t i = 0; i < patterns->count; i++) {
        const obb_pattern_line *line = &patterns->at[i];
        all.count = 0;
        for (size_t k = 0; k < line->names.count; k++)
            expand_name(line, &line->names.at[k], files, arena, diags, &all);
        for (size_t k = 0; k < all.count; k++) {
            const char *path = obb_files_path(files, all.at[k]);
            bool added, away = taken_away(&e, &line->except, path);
            for (size_t n = 0; n < patterns->count; n++)
                away = (patterns->at[n].takes_away && taken_away(&e, &patterns->at[n].except, path)) || away;
            if (away)
                continue;
            obb_map_number(&seen, path, strlen(path), &added);
            if (added)
                obb_arena_push(arena, found, all.at[k]);
        }
    }
    check_exceptions(&e, patterns, diags);
    obb_map_free(&e.used);
    obb_vec_free(&all);
    obb_map_free(&seen);
}
