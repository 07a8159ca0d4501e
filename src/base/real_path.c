/* Paths without symbolic links (base/real_path.h). */
#include "base/real_path.h"

#include <stdbool.h>
#include <string.h>
#include <unistd.h>

const char *obb_real_path(obb_arena *arena, const char *path, obb_link_met *met, void *self)
{
    enum { MOST_LINKS = 40 };
    char *real = obb_arena_string(arena, ""), target[4096];
    int links = 0;
    while (*(path += strspn(path, "/")) && links < MOST_LINKS) {
        size_t n = strcspn(path, "/");
        char *next = obb_arena_format(arena, "%s/%.*s", real, (int)n, path);
        bool up = n == 2 && strncmp(path, "..", 2) == 0, here = n == 1 && *path == '.';
        ssize_t length = up || here ? 0 : readlink(next, target, sizeof target - 1);
        path += n;
        if (up && strrchr(real, '/'))
            *strrchr(real, '/') = 0;
        if (length <= 0) {
            real = up || here ? real : next;
            continue;
        }
        target[length] = 0;
        if (met)
            met(self, next, obb_arena_string(arena, target));
        path = obb_arena_format(arena, "%s%s", target, path);
        real = *target == '/' ? obb_arena_string(arena, "") : real;
        links++;
    }
    return links < MOST_LINKS ? real : NULL;
}
