/* Packages of libraries (debian_needs.h). */
#include "delivery/debian_needs.h"

#include <ctype.h>
#include <dirent.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/files.h"
#include "base/map.h"
#include "base/path.h"
#include "base/text.h"

/* --- versions ----------------------------------------------------------------------- */

/* The order of a character where there are no digits: ~ before the end, letters before all others. */
static int rank(char c)
{
    return c == '~' ? -1 : !c || isdigit((unsigned char)c) ? 0 : isalpha((unsigned char)c) ? c : c + 256;
}

static int compare_part(const char *a, size_t na, const char *b, size_t nb)
{
    size_t i = 0, k = 0;
    while (i < na || k < nb) {
        while ((i < na && !isdigit((unsigned char)a[i])) || (k < nb && !isdigit((unsigned char)b[k]))) {
            int x = rank(i < na ? a[i] : 0), y = rank(k < nb ? b[k] : 0);
            if (x != y)
                return x < y ? -1 : 1;
            i += i < na;
            k += k < nb;
        }
        while (i < na && a[i] == '0')
            i++;
        while (k < nb && b[k] == '0')
            k++;
        size_t x = i, y = k;
        while (i < na && isdigit((unsigned char)a[i]))
            i++;
        while (k < nb && isdigit((unsigned char)b[k]))
            k++;
        int order = i - x != k - y ? (i - x < k - y ? -1 : 1) : strncmp(a + x, b + y, i - x);
        if (order)
            return order < 0 ? -1 : 1;
    }
    return 0;
}

int obb_debian_compare(const char *a, const char *b)
{
    const char *ca = strchr(a, ':'), *cb = strchr(b, ':');
    long ea = ca ? strtol(a, NULL, 10) : 0, eb = cb ? strtol(b, NULL, 10) : 0;
    if (ea != eb)
        return ea < eb ? -1 : 1;
    a = ca ? ca + 1 : a;
    b = cb ? cb + 1 : b;
    const char *ra = strrchr(a, '-'), *rb = strrchr(b, '-');
    size_t na = ra ? (size_t)(ra - a) : strlen(a), nb = rb ? (size_t)(rb - b) : strlen(b);
    int order = compare_part(a, na, b, nb);
    return order ? order
                 : compare_part(ra ? ra + 1 : "", ra ? strlen(ra + 1) : 0, rb ? rb + 1 : "",
                                rb ? strlen(rb + 1) : 0);
}

/* --- what packages say -------------------------------------------------------------- */

static const char database[] = "/var/lib/dpkg/info";

/* Whether a file of the database is of a package for the architecture: NAME:amd64.symbols, NAME.symbols of
 * this machine's own, or NAME-arm64-cross.symbols, which stands for the package NAME there. */
static bool is_for(const obb_debian_needs *n, const char *file, const char *suffix)
{
    size_t length = strlen(file), m = strlen(suffix);
    if (length <= m || strcmp(file + length - m, suffix) != 0)
        return false;
    const char *name = obb_arena_copy(n->arena, file, length - m), *colon = strchr(name, ':');
    const char *cross = obb_arena_format(n->arena, "-%s-cross", n->architecture);
    bool is_cross = strlen(name) > strlen(cross) && strcmp(name + strlen(name) - strlen(cross), cross) == 0;
    return colon ? strcmp(colon + 1, n->architecture) == 0 : n->native || is_cross;
}

/* "libc6-arm64-cross (>= 2.36)" is libc6 there; the name alone, and the version behind it. */
static const char *package_of(const obb_debian_needs *n, const char *text, const char **version)
{
    const char *cross = obb_arena_format(n->arena, "-%s-cross", n->architecture);
    size_t length = strcspn(text, " \t,|(#\n:");
    const char *name = obb_arena_copy(n->arena, text, length), *at = strstr(name, cross),
               *least = strstr(text, "(>=");
    size_t line = strcspn(text, "\n,|");
    if (at && !at[strlen(cross)])
        name = obb_arena_copy(n->arena, name, (size_t)(at - name));
    *version = "";
    if (least && least < text + line) {
        least += 3 + strspn(least + 3, " ");
        *version = obb_arena_copy(n->arena, least, strcspn(least, ")\n"));
    }
    return name;
}

static void need(obb_debian_needs *n, const char *package, const char *version)
{
    size_t i = 0;
    while (i < n->names.count && strcmp(n->names.at[i], package) < 0)
        i++;
    if (i < n->names.count && strcmp(n->names.at[i], package) == 0) {
        if (obb_debian_compare(version, n->versions.at[i]) > 0)
            n->versions.at[i] = version;
        return;
    }
    obb_arena_push(n->arena, &n->names, "");
    obb_arena_push(n->arena, &n->versions, "");
    memmove(n->names.at + i + 1, n->names.at + i, (n->names.count - i - 1) * sizeof *n->names.at);
    memmove(n->versions.at + i + 1, n->versions.at + i, (n->versions.count - i - 1) * sizeof *n->versions.at);
    n->names.at[i] = package;
    n->versions.at[i] = version;
}

/* A part of a symbols file: LIBRARY PACKAGE #MINVER#, then a line for each symbol, " NAME@VERSION LEAST".
 * Libraries whose symbols all have versions may list these alone, as VERSION@VERSION. */
static bool take_symbols(obb_debian_needs *n, const char *text, const char *library, const obb_map *wanted)
{
    size_t length = strlen(library);
    const char *at = strncmp(text, library, length) == 0 && text[length] == ' ' ? text : NULL;
    if (!at) {
        const char *line = obb_arena_format(n->arena, "\n%s ", library);
        at = strstr(text, line);
        at = at ? at + 1 : NULL;
    }
    if (!at)
        return false;
    const char *version, *package = package_of(n, at + length + 1, &version);
    for (at += strcspn(at, "\n"); *at && (at[1] == ' ' || at[1] == '|' || at[1] == '*');
         at += strcspn(at, "\n")) {
        at++;
        if (*at != ' ')
            continue;
        const char *symbol = obb_arena_copy(n->arena, at + 1, strcspn(at + 1, " \n")),
                   *sign = strchr(symbol, '@');
        const char *least = at + 1 + strlen(symbol) + 1;
        const char *whole = sign && strncmp(symbol, sign + 1, (size_t)(sign - symbol)) == 0 &&
                                    strlen(sign + 1) == (size_t)(sign - symbol)
                                ? sign + 1
                                : symbol;
        if (!obb_map_get(wanted, whole))
            continue;
        least = obb_arena_copy(n->arena, least, strcspn(least, " \n"));
        if (obb_debian_compare(least, version) > 0)
            version = least;
    }
    need(n, package, version);
    return true;
}

/* A line of a shlibs file: [TYPE: ]NAME VERSION PACKAGES, of libNAME.so.VERSION or libNAME-VERSION.so. */
static bool take_shlibs(obb_debian_needs *n, const char *text, const char *library)
{
    for (const char *at = text; *at; at += strcspn(at, "\n"), at += *at == '\n') {
        char name[200], number[100];
        int end = 0;
        if (sscanf(at, "%199s %99s %n", name, number, &end) != 2 || !end || name[strlen(name) - 1] == ':')
            continue;
        if (strcmp(library, obb_arena_format(n->arena, "%s.so.%s", name, number)) != 0 &&
            strcmp(library, obb_arena_format(n->arena, "%s-%s.so", name, number)) != 0)
            continue;
        const char *version, *package = package_of(n, at + end, &version);
        need(n, package, version);
        return true;
    }
    return false;
}

static bool look_up(obb_debian_needs *n, const char *library, const obb_map *wanted, bool symbols)
{
    DIR *d = opendir(database);
    bool found = false;
    for (const struct dirent *e; d && !found && (e = readdir(d));) {
        obb_text text = {0};
        if (is_for(n, e->d_name, symbols ? ".symbols" : ".shlibs") &&
            !obb_file_read(obb_path_join(n->arena, database, e->d_name), &text))
            found = symbols ? take_symbols(n, obb_text_bytes(&text), library, wanted)
                            : take_shlibs(n, obb_text_bytes(&text), library);
        obb_text_free(&text);
    }
    if (d)
        closedir(d);
    return found;
}

void obb_debian_add_needs(obb_debian_needs *n, const obb_words *libraries, const obb_words *symbols)
{
    obb_map wanted = {0};
    for (size_t i = 0; i < symbols->count; i++) {
        const char *version = strchr(symbols->at[i], '@');
        obb_map_put(&wanted, symbols->at[i], (void *)(uintptr_t)symbols->at[i]);
        if (version)
            obb_map_put(&wanted, version + 1, (void *)(uintptr_t)version);
    }
    for (size_t i = 0; i < libraries->count; i++)
        if (!look_up(n, libraries->at[i], &wanted, true) && !look_up(n, libraries->at[i], &wanted, false)) {
            bool known = false;
            for (size_t k = 0; k < n->unknown.count; k++)
                known = known || strcmp(n->unknown.at[k], libraries->at[i]) == 0;
            if (!known)
                obb_arena_push(n->arena, &n->unknown, libraries->at[i]);
        }
    obb_map_free(&wanted);
}

const char *obb_debian_depends(const obb_debian_needs *n)
{
    const char *all = "";
    for (size_t i = 0; i < n->names.count; i++)
        all = obb_arena_format(n->arena, *n->versions.at[i] ? "%s%s%s (>= %s)" : "%s%s%s", all, i ? ", " : "",
                               n->names.at[i], n->versions.at[i]);
    return all;
}
