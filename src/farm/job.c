/* Lists of files, and machines (farm/job.h). */
#include "farm/job.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/utsname.h>
#include <unistd.h>

#include "base/text.h"

void obb_listing_write(const obb_file_listing *list, obb_text *text)
{
    for (size_t i = 0; i < list->count; i++) {
        const obb_listed_file *f = &list->at[i];
        if (f->target)
            obb_text_format(text, "l %s\t%s\n", f->path, f->target);
        else
            obb_text_format(text, "f %s %o %s\n", f->sum, f->mode, f->path);
    }
}

bool obb_is_plain_path(const char *path)
{
    size_t n = strlen(path);
    return *path == '/' && !strstr(path, "/../") && !(n >= 3 && strcmp(path + n - 3, "/..") == 0);
}

static bool read_line(obb_arena *arena, const char *line, size_t length, obb_file_listing *list)
{
    obb_listed_file f = {.path = NULL};
    const char *copy = obb_arena_copy(arena, line, length), *tab = strchr(copy, '\t');
    int at = 0;
    if (*copy == 'l' && tab && copy[1] == ' ') {
        f.path = obb_arena_copy(arena, copy + 2, (size_t)(tab - copy - 2));
        f.target = tab + 1;
    } else if (sscanf(copy, "f %64s %o %n", f.sum, &f.mode, &at) == 2 && at) {
        f.path = copy + at;
    }
    if (!f.path || !obb_is_plain_path(f.path) || (!f.target && !obb_is_sha256(f.sum)))
        return false;
    obb_arena_push(arena, list, f);
    return true;
}

bool obb_listing_read(obb_arena *arena, const char *text, size_t length, obb_file_listing *list)
{
    bool ok = true;
    for (size_t at = 0; at < length && ok;) {
        const char *end = memchr(text + at, '\n', length - at);
        ok = end && read_line(arena, text + at, (size_t)(end - text) - at, list);
        at = end ? (size_t)(end - text) + 1 : length;
    }
    return ok;
}

const char *obb_farm_stream(obb_arena *arena, const char *prefix, const char *machine)
{
    return obb_arena_format(arena, "%sjobs:" OBB_FARM_VERSION_TEXT ":%s", prefix, machine);
}

const char *obb_farm_machine(obb_arena *arena)
{
    struct utsname u;
    char *name = uname(&u) ? obb_arena_string(arena, "unknown")
                           : obb_arena_format(arena, "%s-%s", u.sysname, u.machine);
    for (char *c = name; *c; c++)
        *c = (char)tolower((unsigned char)*c);
    return name;
}
