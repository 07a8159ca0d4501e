/* Paths as text (path.h). Nothing here asks the file system: what links do is base/files.c.
 *
 * A normal path is built part by part, with `.` dropped and `..` resolved as text where the caller allows
 * it. Results are in the arena; a path that is normal already comes out equal. */
#include "base/path.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/text.h"

typedef struct joiner {
    obb_text out;
    bool (*droppable)(void *self, const char *path); /* NULL: always */
    void *self;
} joiner;

/* `..` after what was added so far, which is not empty. */
static void go_up(joiner *j)
{
    obb_text *out = &j->out;
    char *slash = strrchr(out->bytes, '/');
    const char *last = slash ? slash + 1 : out->bytes;
    if (strcmp(last, "..") == 0 || (j->droppable && !j->droppable(j->self, out->bytes)))
        obb_text_string(out, "/..");
    else
        out->length = slash ? (size_t)(slash - out->bytes) + (slash == out->bytes) : 0;
    out->bytes[out->length] = 0;
}

/* Appends the parts of `path`, resolving `.` and `..` on the way. */
static void add_parts(joiner *j, const char *path)
{
    obb_text *out = &j->out;
    while (*path) {
        size_t n = strcspn(path, "/");
        bool up = n == 2 && path[0] == '.' && path[1] == '.';
        if (up && out->length && !obb_same(out->bytes, "/")) {
            go_up(j);
        } else if (up && !out->length) {
            obb_text_string(out, "..");
        } else if (n && !up && !(n == 1 && path[0] == '.')) {
            if (out->length && out->bytes[out->length - 1] != '/')
                obb_text_char(out, '/');
            obb_text_add(out, path, n);
        }
        path += n;
        path += *path == '/';
    }
}

/* Whether no part of it is empty, or begins with a dot: then there is nothing to shorten. */
static bool is_plain(const char *path)
{
    path += path[0] == '/';
    while (*path && *path != '/' && *path != '.') {
        path += strcspn(path, "/");
        if (!*path)
            return true;
        path++;
    }
    return false;
}

char *obb_path_join_by(obb_arena *arena, const char *folder, const char *path,
                       bool (*droppable)(void *self, const char *path), void *self)
{
    if ((path[0] == '/' || strcmp(folder, ".") == 0) && is_plain(path))
        return obb_arena_string(arena, path);
    joiner j = {.droppable = droppable, .self = self};
    if (path[0] == '/' || folder[0] == '/')
        obb_text_char(&j.out, '/');
    if (path[0] != '/')
        add_parts(&j, folder);
    add_parts(&j, path);
    char *joined = obb_arena_string(arena, j.out.length ? j.out.bytes : ".");
    obb_text_free(&j.out);
    return joined;
}

char *obb_path_join(obb_arena *arena, const char *folder, const char *path)
{
    return obb_path_join_by(arena, folder, path, NULL, NULL);
}

char *obb_path_folder(obb_arena *arena, const char *path)
{
    const char *slash = strrchr(path, '/');
    if (!slash)
        return obb_arena_string(arena, ".");
    return obb_arena_copy(arena, path, slash == path ? 1 : (size_t)(slash - path));
}

const char *obb_path_name(const char *path)
{
    const char *slash = strrchr(path, '/');
    return slash ? slash + 1 : path;
}

const char *obb_path_suffix(const char *path)
{
    const char *name = obb_path_name(path), *dot = strrchr(name, '.');
    return dot && dot != name ? dot : "";
}

bool obb_path_outside(const char *path)
{
    return path[0] == '/' || strcmp(path, "..") == 0 || obb_starts(path, "../");
}

bool obb_path_ends(const char *path, const char *name)
{
    size_t n = strlen(path), m = strlen(name);
    return n >= m && strcmp(path + n - m, name) == 0 && (n == m || path[n - m - 1] == '/');
}

bool obb_path_within(const char *path, const char *folder)
{
    size_t n = strlen(folder);
    return strncmp(path, folder, n) == 0 && path[n] == '/';
}

bool obb_path_link_stays(obb_arena *arena, const char *path, const char *target)
{
    if (*target == '/' || obb_path_outside(obb_path_join(arena, obb_path_folder(arena, path), target)))
        return false;
    while (strncmp(target, "../", 3) == 0 || strncmp(target, "./", 2) == 0)
        target += strcspn(target, "/") + 1;
    for (; *target; target += strcspn(target, "/"), target += *target == '/')
        if (strncmp(target, "..", 2) == 0 && target[2] == '/')
            return false;
    return true;
}

bool obb_path_is_output(const char *path, const char *out)
{
    static const char fetched[] = OBB_FETCHED_FOLDER;
    if (!obb_path_within(path, out))
        return false;
    const char *rest = path + strlen(out) + 1;
    return strncmp(rest, fetched, sizeof fetched - 1) != 0 ||
           (rest[sizeof fetched - 1] != '/' && rest[sizeof fetched - 1] != '\0');
}

char *obb_path_below(obb_arena *arena, const char *root, const char *path)
{
    if (strcmp(root, path) == 0)
        return obb_arena_string(arena, ".");
    if (strcmp(root, "/") == 0 && path[0] == '/')
        return obb_arena_string(arena, path + 1);
    if (obb_path_within(path, root))
        return obb_arena_string(arena, path + strlen(root) + 1);
    return obb_arena_string(arena, path);
}

static bool in_set(const char *set, const char *end, char c)
{
    bool negate = *set == '!' || *set == '^', found = false;
    for (set += negate; set < end; set++) {
        if (set + 2 < end && set[1] == '-') {
            found |= (unsigned char)set[0] <= (unsigned char)c &&
                     (unsigned char)c <= (unsigned char)set[2];
            set += 2;
        } else {
            found |= *set == c;
        }
    }
    return found != negate;
}

/* One part against one part; `pe` and `se` are their ends. */
static bool part_matches(const char *p, const char *pe, const char *s, const char *se)
{
    const char *star = NULL, *resume = NULL;
    for (;;) {
        const char *close = p < pe && *p == '[' ? memchr(p + 1, ']', (size_t)(pe - p - 1)) : NULL;
        if (p < pe && *p == '*') {
            star = ++p;
            resume = s;
        } else if (s < se && close && in_set(p + 1, close, *s)) {
            p = close + 1;
            s++;
        } else if (s < se && p < pe && !close && (*p == '?' || *p == *s)) {
            p++;
            s++;
        } else if (p == pe && s == se) {
            return true;
        } else if (star && resume < se) {
            p = star;
            s = ++resume;
        } else {
            return false;
        }
    }
}

bool obb_path_matches(const char *pattern, const char *path)
{
    for (;;) {
        size_t pn = strcspn(pattern, "/"), sn = strcspn(path, "/");
        if (pn == 2 && pattern[0] == '*' && pattern[1] == '*') {
            if (!pattern[pn])
                return true;
            for (const char *rest = path;; rest++) {
                if (obb_path_matches(pattern + 3, rest))
                    return true;
                rest += strcspn(rest, "/");
                if (!*rest)
                    return false;
            }
        }
        if (!part_matches(pattern, pattern + pn, path, path + sn))
            return false;
        if (!pattern[pn] || !path[sn])
            return !pattern[pn] && !path[sn];
        pattern += pn + 1;
        path += sn + 1;
    }
}

/* The same, with the parts added to `text`; what a failed attempt added is taken back. */
static bool match_parts(const char *pattern, const char *path, obb_text *text)
{
    size_t pn = strcspn(pattern, "/"), sn = strcspn(path, "/"), before = text->length;
    bool deep = pn == 2 && pattern[0] == '*' && pattern[1] == '*' && pattern[pn];
    if (deep && match_parts(pattern + 3, path, text))
        return true;
    if (!deep && !part_matches(pattern, pattern + pn, path, path + sn))
        return false;
    bool last = !pattern[pn] && !path[sn];
    if (last || deep || strcspn(pattern, "*?[") < pn)
        obb_text_format(text, "/%.*s", (int)(last ? sn - strlen(obb_path_suffix(path)) : sn), path);
    bool fits = last || (path[sn] && (deep || pattern[pn]) &&
                         match_parts(deep ? pattern : pattern + pn + 1, path + sn + 1, text));
    if (!fits)
        text->length = before;
    return fits;
}

char *obb_path_matched_parts(obb_arena *arena, const char *pattern, const char *path)
{
    obb_text text = {0};
    char *parts = match_parts(pattern, path, &text) ? obb_arena_copy(arena, text.bytes, text.length) : NULL;
    obb_text_free(&text);
    return parts;
}

bool obb_path_is_pattern(const char *path)
{
    return strpbrk(path, "*?[") != NULL;
}

int obb_path_make_folders(const char *path)
{
    char *copy = strdup(path);
    int failed = copy ? 0 : ENOMEM;
    for (char *slash = copy ? strchr(copy + 1, '/') : NULL; slash && !failed;
         slash = strchr(slash + 1, '/')) {
        *slash = 0;
        if (mkdir(copy, 0777) && errno != EEXIST)
            failed = errno;
        *slash = '/';
    }
    free(copy);
    return failed;
}

const char *obb_path_from(obb_arena *arena, const char *folder, const char *path)
{
    size_t common = 0; /* bytes of leading parts that both have, with their slashes */
    if (strcmp(folder, ".") == 0)
        return path;
    if (obb_path_within(path, folder))
        return path + strlen(folder) + 1;
    if (strcmp(path, folder) == 0)
        return ".";
    for (size_t i = 0; folder[i] && folder[i] == path[i]; i++)
        common = folder[i] == '/' ? i + 1 : common;
    obb_text text = {0};
    obb_text_string(&text, "..");
    for (const char *c = folder + common; *c; c++)
        obb_text_string(&text, *c == '/' ? "/.." : "");
    if (strcmp(path, ".") != 0)
        obb_text_format(&text, "/%s", path + common);
    const char *seen = obb_arena_string(arena, text.bytes);
    obb_text_free(&text);
    return seen;
}
