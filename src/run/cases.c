/* Cases inside a test program (run/cases.h), read line by line. Lines that mean nothing are what the program
 * printed besides, and are passed over. */
#include "run/cases.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <strings.h>

#include "base/text.h"

typedef struct tap_reader {
    obb_test_cases *cases;
    obb_arena *arena;
    long planned; /* -1: no plan yet */
    const char *bail, *skip_all;
} tap_reader;

static const char *trimmed(obb_arena *arena, const char *from, size_t n)
{
    while (n && isspace((unsigned char)*from))
        from++, n--;
    while (n && isspace((unsigned char)from[n - 1]))
        n--;
    return obb_arena_copy(arena, from, n);
}

/* A description without the backslashes that escape `#` and themselves (TAP 14, Escaping). */
static const char *unescaped(obb_arena *arena, const char *text)
{
    char *copy = obb_arena_string(arena, text), *to = copy;
    for (const char *c = text; *c; c++) {
        if (*c == '\\' && (c[1] == '#' || c[1] == '\\'))
            c++;
        *to++ = *c;
    }
    *to = 0;
    return copy;
}

/* Where the directive of a line begins: the first `#` behind a blank that no backslash escapes; or its end.
 */
static size_t directive_at(const char *line)
{
    size_t i = 0;
    while (line[i] && !(line[i] == '#' && i && isspace((unsigned char)line[i - 1])))
        i += line[i] == '\\' && line[i + 1] ? 2 : 1;
    return i;
}

/* [number] [- description] [# directive reason], behind `ok` or `not ok`. */
static void read_point(tap_reader *r, const char *rest, bool ok)
{
    obb_test_case c = {.outcome = ok ? OBB_PASSED : OBB_FAILED};
    rest += strspn(rest, " \t");
    rest += strspn(rest, "0123456789");
    size_t n = directive_at(rest);
    const char *directive = rest[n] ? rest + n + 1 + strspn(rest + n + 1, " \t") : "";
    size_t dash = strspn(rest, " \t");
    dash = dash < n && rest[dash] == '-' ? dash + 1 : 0;
    c.name = unescaped(r->arena, trimmed(r->arena, rest + dash, n - dash));
    if (!*c.name)
        c.name = obb_arena_format(r->arena, "case %zu", r->cases->count + 1);
    bool skip = strncasecmp(directive, "skip", 4) == 0, todo = strncasecmp(directive, "todo", 4) == 0;
    if (skip || todo) {
        directive += strcspn(directive, " \t");
        c.reason = trimmed(r->arena, directive, strlen(directive));
        if (!*c.reason)
            c.reason = skip ? "it is left out" : "it is not done yet";
        c.outcome = skip ? OBB_SKIPPED : OBB_PASSED;
    }
    obb_arena_push(r->arena, r->cases, c);
}

static void read_line(tap_reader *r, const char *line)
{
    int end = 0;
    long last;
    bool bad = obb_starts(line, "not ok");
    const char *rest = line + (bad ? 6 : 2);
    if ((bad || obb_starts(line, "ok")) && (!*rest || isspace((unsigned char)*rest))) {
        read_point(r, rest, !bad);
    } else if (sscanf(line, "1..%ld%n", &last, &end) == 1 && end && last >= 0) {
        size_t at = directive_at(line);
        r->planned = last;
        const char *why = line[at] ? line + at + 1 + strspn(line + at + 1, " \t") : "";
        if (strncasecmp(why, "skip", 4) == 0)
            why += strcspn(why, " \t");
        why = trimmed(r->arena, why, strlen(why));
        if (last == 0)
            r->skip_all = *why ? why : "it has no cases";
    } else if (strncasecmp(line, "bail out!", 9) == 0) {
        r->bail = trimmed(r->arena, line + 9, strlen(line + 9));
    }
}

/* "2 of 5 cases failed: low bell, high bell" */
static const char *failures(tap_reader *r)
{
    size_t failed = 0;
    obb_text names = {0};
    for (size_t i = 0; i < r->cases->count; i++)
        if (r->cases->at[i].outcome == OBB_FAILED && ++failed <= 3)
            obb_text_format(&names, "%s%s", failed > 1 ? ", " : "", r->cases->at[i].name);
    const char *text = failed ? obb_arena_format(r->arena, "%zu of %zu cases failed: %s%s", failed,
                                                 r->cases->count, names.bytes, failed > 3 ? " ..." : "")
                              : NULL;
    obb_text_free(&names);
    return text;
}

const char *obb_cases_read_tap(const char *printed, obb_arena *arena, obb_test_cases *cases, bool *skipped)
{
    tap_reader r = {.cases = cases, .arena = arena, .planned = -1};
    cases->count = 0;
    *skipped = false;
    for (const char *line = printed; *line;) {
        size_t n = strcspn(line, "\n");
        if (!isspace((unsigned char)*line)) /* not of a subtest, nor of a YAML block */
            read_line(&r, trimmed(arena, line, n));
        line += n + (line[n] == '\n');
    }
    if (r.bail)
        return obb_arena_format(arena, "it bailed out%s%s", *r.bail ? ": " : "", r.bail);
    const char *failed = failures(&r);
    if (failed)
        return failed;
    if (r.planned < 0)
        return "it printed no plan of its cases (1..N)";
    if ((size_t)r.planned != cases->count)
        return obb_arena_format(arena, "it planned %ld case%s and told of %zu", r.planned,
                                r.planned == 1 ? "" : "s", cases->count);
    *skipped = r.planned == 0;
    return *skipped ? r.skip_all : NULL;
}

void obb_cases_read_list(const char *printed, obb_arena *arena, obb_words *names)
{
    bool nested = false;
    const char *heading = "";
    for (const char *line = printed; *line; line += strcspn(line, "\n"), line += *line == '\n')
        nested = nested || (isblank((unsigned char)*line) && line[strspn(line, " \t")] != '\n');
    for (const char *line = printed; *line;) {
        size_t n = strcspn(line, "\n");
        const char *remark = strstr(line, "  #");
        const char *name = trimmed(arena, line, remark && remark < line + n ? (size_t)(remark - line) : n);
        if (nested && !isblank((unsigned char)*line))
            heading = name;
        else if (*name)
            obb_arena_push(arena, names, obb_arena_format(arena, "%s%s", heading, name));
        line += n + (line[n] == '\n');
    }
}
