/* Reading `__has_include` without its conditions (presence.h): the text is searched for the word, comments
 * and branches that are not taken included. */
#include "plan/presence.h"

#include <string.h>

#include "base/path.h"

static const char word[] = "__has_include";

typedef struct finder {
    const obb_plan *plan;
    const obb_preprocessor_setup *setup;
    const char *folder; /* of the file that asks */
    obb_file_list *absent, *tested;
} finder;

/* True when it is there. */
static bool look(finder *f, const char *folder, const char *name)
{
    const char *path = obb_files_resolve(f->plan->files, f->plan->arena, folder, name);
    obb_file file = obb_files_number(f->plan->files, path);
    bool there = obb_files_is_file(f->plan->files, file);
    obb_arena_push(f->plan->arena, there ? f->tested : f->absent, file);
    return there;
}

/* Where `__has_include_next` continues is not known here: all places count. */
static void look_for(finder *f, const char *name, bool quoted, bool next)
{
    bool found = (quoted || *name == '/') && look(f, f->folder, name);
    for (size_t i = 0; *name != '/' && i < f->setup->folders.count && (next || !found); i++)
        found = look(f, obb_files_path(f->plan->files, f->setup->folders.at[i]), name);
}

void obb_find_presence_tests(const obb_plan *plan, const obb_preprocessor_setup *setup, obb_file file,
                             obb_file_list *absent, obb_file_list *tested)
{
    obb_text text = {0};
    finder f = {plan, setup, obb_path_folder(plan->arena, obb_files_path(plan->files, file)), absent, tested};
    if (obb_files_read(plan->files, file, &text))
        text.length = 0;
    for (const char *at = obb_text_bytes(&text); (at = strstr(at, word));) {
        at += sizeof word - 1;
        bool next = obb_starts(at, "_next");
        at += next ? strlen("_next") : 0;
        at += strspn(at, " \t");
        at += *at == '(' ? 1 + strspn(at + 1, " \t") : 0;
        if (*at != '"' && *at != '<')
            continue;
        size_t n = strcspn(at + 1, *at == '"' ? "\"\n" : ">\n");
        if (n && at[1 + n] && at[1 + n] != '\n')
            look_for(&f, obb_arena_copy(plan->arena, at + 1, n), *at == '"', next);
    }
    obb_text_free(&text);
}
