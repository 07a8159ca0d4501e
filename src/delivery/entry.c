/* What is in an entry (entry.h). */
#include "delivery/entry.h"

#include <string.h>

#include "base/path.h"
#include "delivery/run_path.h"

/* A folder of a run path as it is seen from where the file goes. Folders outside of the variant's hold what
 * is delivered to lib. */
static const char *moved(const obb_contents_input *in, const obb_entry *entry, const char *folder)
{
    static const char origin[] = "$ORIGIN";
    obb_arena *arena = in->arena;
    const char *here = obb_path_folder(arena, entry->path), *target = in->in->naming.libraries;
    bool relative = obb_starts(folder, origin);
    if (!relative && !obb_path_within(folder, in->plan->root))
        return folder;
    const char *there = relative ? obb_path_join(arena, obb_path_folder(arena, entry->source),
                                                 folder + strlen(origin) + (folder[strlen(origin)] == '/'))
                                 : obb_path_below(arena, in->plan->root, folder);
    size_t n = strlen(in->in->folder);
    if (obb_path_within(there, in->in->folder) && !obb_starts(there + n, "/" OBB_FETCHED_FOLDER "/"))
        target = there[n] ? there + n + 1 : ".";
    if (in->searched && strcmp(target, in->searched) == 0)
        return "";
    if (strcmp(here, target) == 0)
        return origin;
    obb_text way = {0};
    obb_text_string(&way, origin);
    for (const char *c = here; strcmp(here, ".") != 0 && c; c = strchr(c + 1, '/'))
        obb_text_string(&way, "/..");
    obb_text_format(&way, "/%s", target);
    const char *copy = obb_arena_string(arena, way.bytes);
    obb_text_free(&way);
    return copy;
}

static const char *moved_run_path(const obb_contents_input *in, const obb_entry *entry, const char *run_path)
{
    obb_words folders = {0};
    const char *all = "";
    for (const char *at = run_path; *at;) {
        size_t n = strcspn(at, ":");
        const char *folder = moved(in, entry, obb_arena_copy(in->arena, at, n));
        bool known = false;
        for (size_t i = 0; i < folders.count && !known; i++)
            known = strcmp(folders.at[i], folder) == 0;
        if (!known && *folder)
            obb_arena_push(in->arena, &folders, folder);
        at += n + (at[n] == ':');
    }
    for (size_t i = 0; i < folders.count; i++)
        all = obb_arena_format(in->arena, "%s%s%s", all, i ? ":" : "", folders.at[i]);
    return all;
}

int obb_entry_read(const obb_contents_input *in, const obb_entry *entry, obb_text *text)
{
    if (!entry->source) {
        obb_text_add(text, entry->bytes, entry->length);
        return 0;
    }
    int failed = obb_file_read(entry->source, text);
    const char *run_path = !failed && entry->linked ? obb_run_path_read(text, in->arena) : NULL;
    const char *other = run_path ? moved_run_path(in, entry, run_path) : NULL, *why = NULL;
    if (other && strcmp(run_path, other) != 0)
        why = obb_run_path_write(text, other);
    if (why)
        obb_error(in->diags, OBB_FAULT_OUTSIDE, entry->place,
                  "the run path of %s cannot become `%s`, as it must be in %s: %s", entry->source, other,
                  entry->path, why);
    return failed;
}
