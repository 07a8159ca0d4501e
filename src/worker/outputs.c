/* What a step makes (worker.h): each folder of an output is one of its own, bound where the step sees it. So
 * each output lies at a place that this program knows, and no link that the step makes leads elsewhere. */
#include <errno.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "base/own.h"
#include "base/path.h"
#include "state/packed.h"
#include "worker/worker.h"

static bool is_open(const open_folders *open, const char *folder)
{
    bool is = false;
    for (size_t i = 0; i < open->count && !is; i++)
        is = strcmp(open->at[i].there, folder) == 0;
    return is;
}

const char *where_output_lies(const task *t, const open_folders *open, const char *path)
{
    const char *folder = obb_path_folder(t->arena, path);
    for (size_t i = 0; i < open->count; i++)
        if (strcmp(open->at[i].there, folder) == 0)
            return obb_path_join(t->arena, open->at[i].here, obb_path_name(path));
    return NULL;
}

/* Where the copy of an input belongs: in the innermost folder that is open. NULL: it lies in none. */
static const char *copy_of(const task *t, const open_folders *open, const char *path)
{
    const open_folder *in = NULL;
    for (size_t i = 0; i < open->count; i++)
        if (obb_path_within(path, open->at[i].there) &&
            (!in || strlen(open->at[i].there) > strlen(in->there)))
            in = &open->at[i];
    return in ? obb_arena_format(t->arena, "%s%s", in->here, path + strlen(in->there)) : NULL;
}

/* Copies, since the other ones are links to the cache. */
static const char *copy_inputs(const task *t, const char *root, const open_folders *open)
{
    const char *why = NULL;
    for (size_t i = 0; i < t->files.count && !why; i++) {
        const obb_listed_file *f = &t->files.at[i];
        const char *copy = copy_of(t, open, f->path);
        obb_text text = {0};
        if (!copy)
            continue;
        int failed = obb_path_make_folders(copy);
        if (!failed && f->target)
            failed = symlink(f->target, copy) ? errno : 0;
        else if (!failed)
            failed = obb_file_read(obb_arena_format(t->arena, "%s%s", root, f->path), &text);
        if (!failed && !f->target)
            failed = obb_file_replace(copy, obb_text_bytes(&text), text.length, f->mode & 0111 ? 0755 : 0644);
        if (failed)
            why = obb_arena_format(t->arena, "cannot lay out %s: %s", f->path, strerror(failed));
        obb_text_free(&text);
    }
    return why;
}

static const char *open_folder_at(const task *t, const char *root, const char *output, const char *there,
                                  open_folders *open)
{
    const char *here = obb_arena_format(t->arena, "%s/folder-%zu", output, open->count),
               *why = make_folders(root, obb_arena_format(t->arena, "%s/", there), t->arena);
    if (why)
        return why;
    if (obb_own_make(here))
        return obb_arena_format(t->arena, "cannot make %s: %s", here, strerror(errno));
    obb_arena_push(t->arena, open, ((open_folder){here, there}));
    return NULL;
}

const char *open_outputs(const task *t, const char *root, const char *output, open_folders *open)
{
    const char *why = NULL;
    for (;;) { /* those that lie in others behind them: they are bound one after the other */
        const char *next = NULL;
        for (size_t i = 0; i < t->makes.count; i++) {
            const char *folder = obb_path_folder(t->arena, t->makes.at[i]);
            if (!is_open(open, folder) && (!next || strlen(folder) < strlen(next)))
                next = folder;
        }
        if (!next || (why = open_folder_at(t, root, output, next, open)))
            return why ? why : copy_inputs(t, root, open);
    }
}

const char *pack_outputs(const task *t, const open_folders *open, obb_text *bytes)
{
    for (size_t i = 0; i < t->makes.count; i++) {
        const char *path = where_output_lies(t, open, t->makes.at[i]);
        obb_text one = {0};
        struct stat s;
        int failed = lstat(path, &s) ? errno : S_ISREG(s.st_mode) ? obb_file_read(path, &one) : EINVAL;
        if (!failed)
            obb_packed_add(bytes, obb_text_bytes(&one), one.length, s.st_mode & 0111);
        obb_text_free(&one);
        if (failed)
            return obb_arena_format(t->arena, "it did not make %s: %s", t->makes.at[i], strerror(failed));
    }
    return NULL;
}
