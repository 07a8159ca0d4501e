/* The last builds (build/history.h). The names of the files are the times of the builds, so they sort by age.
 */
#include "build/history.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/below.h"
#include "base/path.h"
#include "report/report.h"

enum { MOST_BUILDS = 50, MOST_BYTES = 16 << 20 };

static char *history_folder(const obb_workspace *w)
{
    return obb_path_join(w->arena, w->out, OBB_HISTORY_FOLDER);
}

static int by_name(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

static void list_builds(obb_workspace *w, obb_words *paths)
{
    const char *folder = history_folder(w);
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));)
        if (strcmp(obb_path_suffix(e->d_name), ".json") == 0 && *e->d_name != '.')
            obb_arena_push(w->arena, paths, obb_path_join(w->arena, folder, e->d_name));
    if (d)
        closedir(d);
    if (paths->count)
        qsort(paths->at, paths->count, sizeof *paths->at, by_name);
}

/* The oldest ones go. */
static void bound_history(obb_workspace *w)
{
    obb_words paths = {0};
    uint64_t bytes = 0;
    list_builds(w, &paths);
    for (size_t i = paths.count; i-- > 0;) {
        struct stat s;
        bytes += stat(paths.at[i], &s) ? 0 : (uint64_t)s.st_size;
        if (paths.count - i > MOST_BUILDS || (bytes > MOST_BYTES && i + 1 < paths.count))
            obb_below_remove(w->out, paths.at[i]);
    }
}

void obb_history_add(obb_workspace *w, const obb_run_result *r)
{
    obb_words variants = {0};
    for (size_t i = 0; i < w->variants.count; i++)
        obb_arena_push(w->arena, &variants, w->variants.at[i]->name);
    json_t *build = obb_report_build(w->plan, r, &variants, w->began);
    char *text = json_dumps(build, JSON_COMPACT);
    const char *path = obb_arena_format(w->arena, "%s/%020lld.json", history_folder(w), (long long)w->began);
    if (text && !obb_below_make_folders(w->out, path) && !obb_file_replace(path, text, strlen(text), 0666))
        bound_history(w);
    free(text);
    json_decref(build);
}

json_t *obb_history(obb_workspace *w)
{
    obb_words paths = {0};
    json_t *builds = json_array();
    list_builds(w, &paths);
    for (size_t i = 0; i < paths.count; i++) {
        json_t *build = json_load_file(paths.at[i], 0, NULL);
        if (json_is_object(build))
            json_array_append(builds, build);
        json_decref(build);
    }
    return builds;
}
