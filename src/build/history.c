/* The last builds and test runs (build/history.h). The names of the files are the times when they began, so
 * they sort by age. */
#include "build/history.h"

#include <dirent.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/below.h"
#include "base/json.h"
#include "base/path.h"
#include "report/report.h"

enum { MOST_ENTRIES = 50, MOST_BYTES = 16 << 20 };

static const char builds[] = ".obbligato/builds", tests[] = ".obbligato/tests";

static int by_name(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

static void list_entries(obb_workspace *w, const char *of, obb_words *paths)
{
    const char *folder = obb_path_join(w->arena, w->out, of);
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));)
        if (strcmp(obb_path_suffix(e->d_name), ".json") == 0 && *e->d_name != '.')
            obb_arena_push(w->arena, paths, obb_path_join(w->arena, folder, e->d_name));
    if (d)
        closedir(d);
    if (paths->count)
        qsort(paths->at, paths->count, sizeof *paths->at, by_name);
}

/* The oldest ones go, so that there is room for one more. */
static void bound_entries(obb_workspace *w, const char *of)
{
    obb_words paths = {0};
    uint64_t bytes = 0;
    list_entries(w, of, &paths);
    for (size_t i = paths.count; i-- > 0;) {
        struct stat s;
        bytes += stat(paths.at[i], &s) ? 0 : (uint64_t)s.st_size;
        if (paths.count - i >= MOST_ENTRIES || (bytes > MOST_BYTES && i + 1 < paths.count))
            obb_below_remove(w->out, paths.at[i]);
    }
}

/* Takes the entry over. */
static void add_entry(obb_workspace *w, const char *of, json_t *entry)
{
    char *text = json_dumps(entry, JSON_COMPACT);
    const char *path = obb_arena_format(w->arena, "%s/%s/%020lld.json", w->out, of, (long long)w->began);
    if (text && !obb_below_make_folders(w->out, path))
        obb_file_replace(path, text, strlen(text), 0666);
    free(text);
    json_decref(entry);
}

/* The programs that were linked, by their sections: what regions there are, a subplan does not know. */
static json_t *linked_programs(obb_workspace *w, const obb_run_result *r)
{
    json_t *programs = json_array();
    for (size_t i = 0; i < r->parts.count; i++) {
        const obb_action *a = r->parts.at[i].action;
        const char *wrong;
        const obb_elf *program = a->kind == OBB_LINK_PROGRAM
                                     ? obb_elf_read_sections(obb_files_path(w->files, a->output), w->arena,
                                                             &wrong)
                                     : NULL;
        if (program)
            json_array_append_new(programs,
                                  json_pack("{s:o, s:o, s:o}", "program", obb_report_text(a->target->name),
                                            "variant", obb_report_text(a->variant->name), "sections",
                                            obb_report_sections(program)));
    }
    return programs;
}

void obb_history_make_room(obb_workspace *w)
{
    bound_entries(w, builds);
}

void obb_history_add(obb_workspace *w, const obb_run_result *r)
{
    obb_words variants = {0};
    for (size_t i = 0; i < w->variants.count; i++)
        obb_arena_push(w->arena, &variants, w->variants.at[i]->name);
    json_t *build = obb_report_build(w->plan, r, &variants, w->began);
    json_object_set_new(build, "programs", linked_programs(w, r));
    add_entry(w, builds, build);
}

void obb_history_add_tests(obb_workspace *w, const obb_test_run *runs, size_t count)
{
    bound_entries(w, tests);
    add_entry(w, tests,
              json_pack("{s:I, s:o}", "started", (json_int_t)(w->began / 1000000), "tests",
                        obb_report_test_times(runs, count)));
}

static json_t *entries(obb_workspace *w, const char *of)
{
    obb_words paths = {0};
    json_t *list = json_array();
    list_entries(w, of, &paths);
    for (size_t i = 0; i < paths.count; i++) {
        json_error_t error; /* what cannot be read is left out */
        json_t *entry = obb_json_read(paths.at[i], &error);
        if (json_is_object(entry))
            json_array_append(list, entry);
        json_decref(entry);
    }
    return list;
}

json_t *obb_history(obb_workspace *w)
{
    return entries(w, builds);
}

json_t *obb_history_of_tests(obb_workspace *w)
{
    return entries(w, tests);
}

void obb_history_forget(obb_workspace *w)
{
    obb_below_remove_all(w->out, obb_path_join(w->arena, w->out, builds));
    obb_below_remove_all(w->out, obb_path_join(w->arena, w->out, tests));
}
