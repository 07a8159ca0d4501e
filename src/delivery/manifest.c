/* Manifests of what was installed (manifest.h). */
#include "delivery/manifest.h"

#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/files.h"
#include "base/path.h"
#include "base/sha256.h"
#include "base/text.h"

static const char first_line[] = "obbligato-installed 1";

const char *obb_manifest_path(obb_arena *arena, const char *project, const char *delivery)
{
    return obb_arena_format(arena, OBB_MANIFEST_FOLDER "/%s.%s", project, delivery);
}

/* The next word of a line, which ends there. */
static char *take_word(char **at, char end)
{
    char *word = *at, *stop = strchr(word, end);
    *at = stop ? stop + 1 : word + strlen(word);
    if (stop)
        *stop = 0;
    return word;
}

/* A path as it is written here: below the prefix, whoever has changed the manifest. */
static bool is_below(obb_arena *arena, const char *path)
{
    return *path && *path != '/' && !obb_path_outside(path) &&
           strcmp(obb_path_join(arena, "", path), path) == 0;
}

static bool read_line(obb_arena *arena, char *at, obb_manifest *r)
{
    const char *word = take_word(&at, ' ');
    obb_manifest_line line = {.kind = OBB_MANIFEST_DIRECTORY};
    if (strcmp(word, "delivery") == 0) {
        r->project = take_word(&at, ' ');
        r->version = take_word(&at, ' ');
        r->delivery = take_word(&at, ' ');
        r->variant = at;
        return *at;
    }
    if (strcmp(word, "above") == 0) {
        r->above = (unsigned)strtoul(at, NULL, 10);
        return true;
    }
    if (strcmp(word, "file") == 0) {
        line.kind = OBB_MANIFEST_FILE;
        line.sum = take_word(&at, ' ');
        line.executable = strcmp(take_word(&at, ' '), "755") == 0;
    } else if (strcmp(word, "link") == 0) {
        line.kind = OBB_MANIFEST_LINK;
        line.sum = take_word(&at, '\t');
    } else if (strcmp(word, "folder") != 0) {
        return false;
    }
    line.path = at;
    obb_arena_push(arena, &r->lines, line);
    return is_below(arena, at) && (line.kind != OBB_MANIFEST_FILE || obb_is_sha256(line.sum));
}

int obb_manifest_read(obb_arena *arena, const char *path, obb_manifest *r)
{
    obb_text text = {0};
    *r = (obb_manifest){0};
    int failed = obb_file_read(path, &text);
    char *at = obb_arena_copy(arena, obb_text_bytes(&text), text.length);
    bool sound = !failed && strlen(at) == text.length && strcmp(take_word(&at, '\n'), first_line) == 0;
    while (sound && *at)
        sound = read_line(arena, take_word(&at, '\n'), r);
    obb_text_free(&text);
    return failed ? failed : sound && r->variant ? 0 : EINVAL;
}

int obb_manifest_write(const obb_manifest *r, const char *path)
{
    obb_text text = {0};
    obb_text_format(&text, "%s\ndelivery %s %s %s %s\n", first_line, r->project, r->version, r->delivery,
                    r->variant);
    if (r->above)
        obb_text_format(&text, "above %u\n", r->above);
    for (size_t i = 0; i < r->lines.count; i++) {
        const obb_manifest_line *l = &r->lines.at[i];
        if (l->kind == OBB_MANIFEST_DIRECTORY)
            obb_text_format(&text, "folder %s\n", l->path);
        else if (l->kind == OBB_MANIFEST_LINK)
            obb_text_format(&text, "link %s\t%s\n", l->sum, l->path);
        else
            obb_text_format(&text, "file %s %s %s\n", l->sum, l->executable ? "755" : "644", l->path);
    }
    int failed = obb_file_replace(path, obb_text_bytes(&text), text.length, 0666);
    obb_text_free(&text);
    int fd = failed ? -1 : open(path, O_RDONLY | O_CLOEXEC);
    if (fd >= 0) {
        fchmod(fd, 0644);
        failed = fsync(fd) ? errno : 0;
        close(fd);
    }
    return failed;
}

int obb_manifest_others(obb_arena *arena, const char *prefix, const char *except, obb_manifests *manifests)
{
    const char *folder = obb_path_join(arena, prefix, OBB_MANIFEST_FOLDER), *own = obb_path_name(except);
    DIR *d = opendir(folder);
    int failed = d || errno == ENOENT || errno == ENOTDIR ? 0 : errno;
    for (const struct dirent *e; d && (errno = 0, e = readdir(d));) {
        obb_manifest r;
        size_t n = strlen(own);
        bool is_own = obb_starts(e->d_name, own) &&
                      (!e->d_name[n] || strcmp(e->d_name + n, OBB_MANIFEST_NEW) == 0);
        int wrong = *e->d_name == '.' || is_own
                        ? EINVAL
                        : obb_manifest_read(arena, obb_path_join(arena, folder, e->d_name), &r);
        if (!wrong)
            obb_arena_push(arena, manifests, r);
        else if (wrong != EINVAL && wrong != ENOENT)
            failed = wrong;
    }
    failed = d && errno && !failed ? errno : failed;
    if (d)
        closedir(d);
    return failed;
}
