/* Trees and their records (tree.h). Contents are compared, not stamps: this is asked before something is
 * replaced, and an edit must not be lost for a stamp that came out the same. */
#include "outside/tree.h"

#include <dirent.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/sha256.h"

static const char sum_prefix[] = "sha256:";

static const char *next_word(obb_arena *arena, const char **at, bool rest)
{
    size_t n = rest ? strlen(*at) : strcspn(*at, " ");
    const char *word = obb_arena_copy(arena, *at, n);
    *at += n;
    *at += **at == ' ';
    return word;
}

static bool read_line(const char *line, obb_arena *arena, obb_tree *tree)
{
    static const char *const kinds[] = {"file", "program", "link"};
    const char *kind = next_word(arena, &line, false);
    bool from = strcmp(kind, "from") == 0;
    const char *what = from ? next_word(arena, &line, false) : NULL;
    const char *sum = next_word(arena, &line, false), *rest = next_word(arena, &line, true);
    if (!obb_starts(sum, sum_prefix) || !obb_is_sha256(sum + sizeof sum_prefix - 1))
        return false;
    sum += sizeof sum_prefix - 1;
    if (from) {
        tree->from = strcmp(what, "repository") == 0 ? OBB_FROM_REPOSITORY : OBB_FROM_ARCHIVE;
        tree->sum = sum;
        tree->commit = next_word(arena, &rest, false);
        tree->revision = next_word(arena, &rest, false);
        tree->place = rest;
        if (tree->from == OBB_FROM_ARCHIVE)
            tree->commit = tree->revision = "";
        return *rest != '\0';
    }
    if (strcmp(kind, "patch") == 0) {
        obb_arena_push(arena, &tree->patches, (obb_tree_file){"patch", sum, rest});
        return true;
    }
    for (size_t i = 0; i < sizeof kinds / sizeof *kinds; i++)
        if (strcmp(kinds[i], kind) == 0) {
            obb_arena_push(arena, &tree->files, (obb_tree_file){kinds[i], sum, rest});
            return true;
        }
    return false;
}

bool obb_tree_read(const char *record, obb_arena *arena, obb_tree *tree)
{
    obb_text text = {0};
    *tree = (obb_tree){.commit = "", .revision = "", .place = ""};
    bool ok = obb_file_read(record, &text) == 0;
    for (const char *at = obb_text_bytes(&text); ok && *at;) {
        size_t n = strcspn(at, "\n");
        ok = read_line(obb_arena_copy(arena, at, n), arena, tree);
        at += n + (at[n] == '\n');
    }
    obb_text_free(&text);
    return ok && tree->sum;
}

static void print_files(const obb_tree_file *files, size_t count, obb_text *text)
{
    for (size_t i = 0; i < count; i++)
        obb_text_format(text, "%s %s%s %s\n", files[i].kind, sum_prefix, files[i].sum, files[i].path);
}

void obb_tree_print(const obb_tree *tree, obb_text *text)
{
    bool repository = tree->from == OBB_FROM_REPOSITORY;
    obb_text_format(text, "from %s %s%s %s %s %s\n", repository ? "repository" : "archive", sum_prefix,
                    tree->sum, repository ? tree->commit : "-", repository ? tree->revision : "-",
                    tree->place);
    print_files(tree->patches.at, tree->patches.count, text);
    print_files(tree->files.at, tree->files.count, text);
}

const char *obb_tree_sum(const obb_tree *tree, obb_arena *arena)
{
    char digits[OBB_SHA256_TEXT];
    obb_text text = {0};
    print_files(tree->files.at, tree->files.count, &text);
    obb_sha256(obb_text_bytes(&text), text.length, digits);
    obb_text_free(&text);
    return obb_arena_string(arena, digits);
}

/* --- what is on disk ---------------------------------------------------------------- */

static int add_entry(const char *path, const char *below, const struct stat *s, obb_arena *arena,
                     obb_tree *tree)
{
    char digits[OBB_SHA256_TEXT];
    int failed = 0;
    bool link = S_ISLNK(s->st_mode);
    if (link) {
        char target[4096];
        ssize_t n = readlink(path, target, sizeof target);
        if (n < 0)
            return errno;
        obb_sha256(target, (size_t)n, digits);
    } else {
        failed = obb_sha256_of_file(path, digits);
    }
    const char *kind = link ? "link" : s->st_mode & 0100 ? "program" : "file";
    if (!failed)
        obb_arena_push(arena, &tree->files, (obb_tree_file){kind, obb_arena_string(arena, digits), below});
    return failed;
}

/* The entries of one folder; folders among them go to the end of the list. What is neither file, folder nor
 * link is left out: nothing of it can have been unpacked. */
static int list_folder(const char *top, const char *below, obb_arena *arena, obb_tree *tree,
                       obb_words *folders, const char **where)
{
    DIR *dir = opendir(obb_path_join(arena, top, below));
    int failed = dir ? 0 : errno;
    *where = obb_path_join(arena, top, below);
    for (struct dirent *d; dir && !failed && (d = readdir(dir));) {
        struct stat s;
        if (strcmp(d->d_name, ".") == 0 || strcmp(d->d_name, "..") == 0)
            continue;
        const char *inside = obb_path_join(arena, below, d->d_name);
        *where = obb_path_join(arena, top, inside);
        if (lstat(*where, &s))
            failed = errno;
        else if (S_ISDIR(s.st_mode))
            obb_arena_push(arena, folders, inside);
        else if (S_ISREG(s.st_mode) || S_ISLNK(s.st_mode))
            failed = add_entry(*where, inside, &s, arena, tree);
    }
    if (dir)
        closedir(dir);
    return failed;
}

static int by_path(const void *a, const void *b)
{
    return strcmp(((const obb_tree_file *)a)->path, ((const obb_tree_file *)b)->path);
}

int obb_tree_list(const char *folder, obb_arena *arena, obb_tree *tree, const char **where)
{
    obb_words folders = {0};
    int failed = 0;
    obb_arena_push(arena, &folders, ".");
    for (size_t i = 0; i < folders.count && !failed; i++)
        failed = list_folder(folder, folders.at[i], arena, tree, &folders, where);
    if (tree->files.count)
        qsort(tree->files.at, tree->files.count, sizeof *tree->files.at, by_path);
    return failed;
}

int obb_tree_compare(const char *folder, const obb_tree *recorded, obb_arena *arena, obb_tree_edits *edits,
                     const char **where)
{
    obb_tree now = {0};
    int failed = obb_tree_list(folder, arena, &now, where);
    size_t i = 0, k = 0;
    while (!failed && (i < recorded->files.count || k < now.files.count)) {
        const obb_tree_file *was = i < recorded->files.count ? &recorded->files.at[i] : NULL,
                            *is = k < now.files.count ? &now.files.at[k] : NULL;
        int order = !was ? 1 : !is ? -1 : strcmp(was->path, is->path);
        i += order <= 0;
        k += order >= 0;
        if (order)
            obb_arena_push(arena, edits,
                           order < 0 ? (obb_tree_edit){"removed", was->path}
                                     : (obb_tree_edit){"added", is->path});
        else if (strcmp(was->sum, is->sum) != 0 || strcmp(was->kind, is->kind) != 0)
            obb_arena_push(arena, edits, (obb_tree_edit){"edited", is->path});
    }
    return failed;
}
