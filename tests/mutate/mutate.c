/* Do the tests see single mistakes? Makes small changes to the code at random in a copy of the tree, builds it, runs
 * unit tests, scenarios and 300 edits of torture, and tells which changes nobody saw.
 *
 *     mutate PROGRAM TREE SEED COUNT
 *
 * PROGRAM is an obbligato that builds the copy; TREE is the project (what is committed there is copied). COUNT
 * mutants that change what the compiler makes are judged. Not part of the check: it takes a minute for each. A mutant
 * may do anything, so that the tests of a superuser's run are done as `nobody`.
 *
 * Each line tells place, kind, and who saw it; survivors stand with the line before and after. */
#include <ctype.h>
#include <dirent.h>
#include <stdarg.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "harness/harness.h"

typedef struct source {
    char *path, *text;
    size_t length;
} source;

/* A change: so many bytes at a place become others. */
typedef struct change {
    const source *in;
    size_t at, length;
    char with[600];
} change;

enum { MOST_SOURCES = 300, MOST_SITES = 200000, LINE = 9000 };

typedef enum kind { NEGATE, JOIN, COMPARE, NUMBER, TRUTH, EXCHANGE, LEAVE_OUT, HASHING, KINDS } kind;

static const char *const kinds[KINDS] = {"condition negated", "and for or", "comparison shifted", "one left out", "true for false",
                                         "arguments exchanged", "statement left out", "member left out of hashing"};

static source sources[MOST_SOURCES];
static size_t source_count;
static struct { kind kind; size_t source, at, length; } *sites;
static size_t site_count, site_counts[KINDS];
static unsigned long long state;
static const char *program;
static char *copy, *output;

static unsigned pick(unsigned n)
{
    return harness_pick(&state, n);
}

static int shell(const char *format, ...)
{
    char line[LINE];
    va_list more;
    va_start(more, format);
    vsnprintf(line, sizeof line, format, more);
    va_end(more);
    free(output);
    return harness_shell(line, &output);
}

/* --- what can be changed -------------------------------------------------------------- */

static void add_site(kind k, size_t s, size_t at, size_t length)
{
    if (site_count == MOST_SITES)
        return;
    sites[site_count].kind = k;
    sites[site_count].source = s;
    sites[site_count].at = at;
    sites[site_count++].length = length;
    site_counts[k]++;
}

/* Behind the bracket that closes the one at `at`; 0: it does not close in this statement. */
static size_t behind_bracket(const char *text, size_t at)
{
    int depth = 0;
    for (size_t i = at; text[i] && text[i] != ';' && text[i] != '{'; i++) {
        if (text[i] == '"' || text[i] == '\'')
            return 0;
        depth += text[i] == '(' ? 1 : text[i] == ')' ? -1 : 0;
        if (!depth)
            return i + 1;
    }
    return 0;
}

static bool starts(const char *text, const char *with)
{
    return strncmp(text, with, strlen(with)) == 0;
}

/* A call of two names, or the first two of more: f(a, b. */
static size_t two_names(const char *text, size_t at)
{
    size_t i = at + 1;
    for (int n = 0; n < 2; n++) {
        size_t from = i;
        while (isalnum((unsigned char)text[i]) || text[i] == '_' || text[i] == '.' || (text[i] == '-' && text[i + 1] == '>') || (text[i] == '>' && text[i - 1] == '-'))
            i++;
        if (i == from || (n == 0 && !starts(text + i, ", ")) || (n == 1 && text[i] != ',' && text[i] != ')'))
            return 0;
        i += n == 0 ? 2 : 0;
    }
    return i - at - 1;
}

/* A statement on a line of its own: a call or an assignment, no declaration, no jump. */
static void look_at_statement(size_t s, size_t at, size_t end)
{
    const char *text = sources[s].text;
    static const char *const others[] = {"return", "break", "continue", "goto", "case", "static", "const", "else", "for", "while", "do", "if", "#", "}", "{", "/", "*", NULL};
    size_t from = at;
    while (text[from] == ' ')
        from++;
    if (from - at < 4 || text[end - 1] != ';' || memchr(text + from, '"', end - from))
        return;
    for (const char *const *o = others; *o; o++)
        if (starts(text + from, *o))
            return;
    size_t word = from;
    while (word < end && text[word] != ' ' && text[word] != '(' && text[word] != ';')
        word++;
    bool call = text[word] == '(' || (starts(text + word, ";") && strstr(text + from, "++") && strstr(text + from, "++") < text + end);
    bool assigned = starts(text + word, " = ") || starts(text + word, " += ") || starts(text + word, " |= ");
    if (!call && !assigned)
        return;
    bool hashing = starts(text + from, "obb_printer_add") || starts(text + from, "obb_printer_string") || starts(text + from, "add_word(p");
    if (!hashing && (strstr(text + from, "free(") && strstr(text + from, "free(") < text + end)) /* only a leak */
        return;
    add_site(hashing ? HASHING : LEAVE_OUT, s, from, end - from);
}

static void look_at_line(size_t s, size_t at, size_t end)
{
    const char *text = sources[s].text;
    bool quoted = false;
    look_at_statement(s, at, end);
    for (size_t i = at; i < end; i++) {
        if (text[i] == '"' && (i == at || text[i - 1] != '\\') && text[i - 1] != '\'')
            quoted = !quoted;
        if (quoted)
            continue;
        if (starts(text + i, "//") || starts(text + i, "/*"))
            return;
        if ((starts(text + i, "if (") || starts(text + i, "while (")) && !isalnum((unsigned char)text[i - 1])) {
            size_t open = i + strcspn(text + i, "("), close = behind_bracket(text, open);
            if (close && close <= end)
                add_site(NEGATE, s, open, close - open);
        }
        if (starts(text + i, " && ") || starts(text + i, " || "))
            add_site(JOIN, s, i, 4);
        if (starts(text + i, " < ") || starts(text + i, " > "))
            add_site(COMPARE, s, i, 3);
        if (starts(text + i, " <= ") || starts(text + i, " >= ") || starts(text + i, " == ") || starts(text + i, " != "))
            add_site(COMPARE, s, i, 4);
        if ((starts(text + i, " + 1") || starts(text + i, " - 1")) && !isalnum((unsigned char)text[i + 4]))
            add_site(NUMBER, s, i, 4);
        if ((starts(text + i, "true") && !isalnum((unsigned char)text[i + 4])) || (starts(text + i, "false") && !isalnum((unsigned char)text[i + 5])))
            if (!isalnum((unsigned char)text[i - 1]) && text[i - 1] != '_')
                add_site(TRUTH, s, i, text[i] == 't' ? 4 : 5);
        if (text[i] == '(' && two_names(text, i))
            add_site(EXCHANGE, s, i + 1, two_names(text, i));
    }
}

/* Lines inside functions: those with blanks in front. */
static void look_at_source(size_t s)
{
    const char *text = sources[s].text;
    bool function = false, comment = false;
    for (size_t at = 0; at < sources[s].length;) {
        size_t end = at + strcspn(text + at, "\n");
        if (text[at] == '{')
            function = true;
        if (text[at] == '}')
            function = false;
        bool begins = starts(text + at + strspn(text + at, " "), "/*");
        comment = comment || begins;
        if (function && !comment && text[at] == ' ')
            look_at_line(s, at, end);
        if (comment && memchr(text + at, '*', end - at) && end > at + 1 && strstr(text + at, "*/") && strstr(text + at, "*/") < text + end)
            comment = false;
        at = end + 1;
    }
}

static void read_sources(const char *folder)
{
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        char path[LINE];
        struct stat about;
        if (e->d_name[0] == '.')
            continue;
        snprintf(path, sizeof path, "%s/%s", folder, e->d_name);
        if (stat(path, &about) == 0 && S_ISDIR(about.st_mode)) {
            read_sources(path);
        } else if (strlen(path) > 2 && strcmp(path + strlen(path) - 2, ".c") == 0 && source_count < MOST_SOURCES) {
            source *s = &sources[source_count++];
            s->path = strdup(path);
            s->text = harness_read(path, &s->length);
        }
    }
    if (d)
        closedir(d);
}

/* --- one change ----------------------------------------------------------------------- */

static const char *other_comparison(const char *text)
{
    static const char *const pairs[][2] = {{" < ", " <= "}, {" > ", " >= "}, {" <= ", " < "}, {" >= ", " > "}, {" == ", " != "}, {" != ", " == "}};
    for (size_t i = 0; i < sizeof pairs / sizeof *pairs; i++)
        if (starts(text, pairs[i][0]))
            return pairs[i][1];
    return text;
}

/* All kinds are as likely, so that the few of one kind are not lost among the many of another. */
static change choose(kind *k)
{
    change c;
    do
        *k = (kind)pick(KINDS);
    while (!site_counts[*k]);
    unsigned which = pick((unsigned)site_counts[*k]);
    size_t i = 0;
    while (sites[i].kind != *k || which--)
        i++;
    c = (change){.in = &sources[sites[i].source], .at = sites[i].at, .length = sites[i].length};
    const char *text = c.in->text + c.at;
    int n = (int)c.length;
    switch (*k) {
    case NEGATE: snprintf(c.with, sizeof c.with, "(!%.*s)", n, text); break;
    case JOIN: snprintf(c.with, sizeof c.with, "%s", text[1] == '&' ? " || " : " && "); break;
    case COMPARE: snprintf(c.with, sizeof c.with, "%s", other_comparison(text)); break;
    case NUMBER: break;
    case TRUTH: snprintf(c.with, sizeof c.with, "%s", *text == 't' ? "false" : "true"); break;
    case EXCHANGE: {
        int first = (int)strcspn(text, ",");
        snprintf(c.with, sizeof c.with, "%.*s, %.*s", n - first - 2, text + first + 2, first, text);
        break;
    }
    default: snprintf(c.with, sizeof c.with, ";"); break;
    }
    return c;
}

static void write_source(const source *s, const change *c)
{
    char *text = malloc(s->length + sizeof c->with);
    if (!text)
        exit(2);
    sprintf(text, "%.*s%s%s", c ? (int)c->at : 0, s->text, c ? c->with : "", s->text + (c ? c->at + c->length : 0));
    harness_write(s->path, text);
    free(text);
}

/* --- who sees it ---------------------------------------------------------------------- */

static bool build(void)
{
    return shell("cd '%s' && OBBLIGATO_STORE='%s/store' '%s' build -q obbligato unit-tests -c debug", copy, copy, program) == 0;
}

/* With its own temporary folder, which is gone afterwards whatever was done there. */
static bool passes(const char *format, ...)
{
    char line[LINE];
    va_list more;
    va_start(more, format);
    vsnprintf(line, sizeof line, format, more);
    va_end(more);
    const char *as = geteuid() ? "" : "setpriv --reuid=65534 --regid=65534 --clear-groups --no-new-privs";
    int status = shell("t=$(mktemp -d) && chmod 777 $t && cd '%s' && HOME=$t TMPDIR=$t LC_ALL=C OBBLIGATO_STORE=$t/store %s timeout -s KILL 120 sh -c '%s' > $t/said 2>&1; "
                       "s=$?; tail -c 3000 $t/said; rm -rf $t; exit $s", copy, as, line);
    return status == 0;
}

static char *scenario_files[100];
static size_t scenario_count;

static bool seen_by(char *who, size_t room)
{
    snprintf(who, room, "unit tests");
    if (!passes("out/host.debug/bin/unit-tests"))
        return true;
    for (size_t i = 0; i < scenario_count; i++) {
        snprintf(who, room, "%s", scenario_files[i]);
        if (!passes("out/host.debug/bin/scenarios out/host.debug/bin/obbligato tests/cli/%s", scenario_files[i])) {
            for (char *found = scenario_files[i]; i > 0; i--) { /* the next one is tried with it first */
                scenario_files[i] = scenario_files[i - 1];
                scenario_files[i - 1] = found;
            }
            return true;
        }
    }
    snprintf(who, room, "torture");
    return !passes("out/host.debug/bin/torture out/host.debug/bin/obbligato 20261123 300 out/host.debug/bin/quick-compiler");
}

static void list_scenarios(void)
{
    char folder[LINE];
    snprintf(folder, sizeof folder, "%s/tests/cli", copy);
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));)
        if (strstr(e->d_name, ".scenario") && scenario_count < 100)
            scenario_files[scenario_count++] = strdup(e->d_name);
    if (d)
        closedir(d);
}

static int line_number(const change *c)
{
    int line = 1;
    for (size_t i = 0; i < c->at; i++)
        line += c->in->text[i] == '\n';
    return line;
}

static void show_line(char mark, const char *text, size_t at)
{
    while (at && text[at - 1] != '\n')
        at--;
    printf("    %c %.*s\n", mark, (int)strcspn(text + at, "\n"), text + at);
}

static void tell(const change *c, kind k, const char *who)
{
    printf("%s:%d: %s: %s\n", c->in->path + strlen(copy) + 1, line_number(c), kinds[k], who ? who : "SURVIVED");
    if (!who) {
        char *now = harness_read(c->in->path, NULL);
        show_line('-', c->in->text, c->at);
        show_line('+', now, c->at);
        free(now);
    }
    fflush(stdout);
}

int main(int argc, char **argv)
{
    if (argc != 5) {
        fputs("mutate PROGRAM TREE SEED COUNT\n", stderr);
        return 2;
    }
    program = realpath(argv[1], NULL);
    state = strtoull(argv[3], NULL, 10);
    int count = atoi(argv[4]), seen = 0, judged = 0;
    char who[200], folder[LINE];
    copy = harness_folder();
    sites = calloc(MOST_SITES, sizeof *sites);
    if (!program || !sites || shell("cd '%s' && git archive HEAD | tar -x -C '%s' && chmod 755 '%s'", argv[2], copy, copy) ||
        shell("cd '%s' && OBBLIGATO_STORE='%s/store' '%s' build -q tests practice-board -c debug", copy, copy, program)) {
        printf("the tree cannot be copied and built: %s\n", output ? output : argv[1]);
        return 2;
    }
    list_scenarios();
    if (!build() || seen_by(who, sizeof who)) {
        printf("without a change, it is not seen as right by %s:\n%s\n", who, output);
        return 2;
    }
    snprintf(folder, sizeof folder, "%s/src", copy);
    read_sources(folder);
    for (size_t s = 0; s < source_count; s++)
        look_at_source(s);
    printf("%zu places in %zu files\n", site_count, source_count);
    shell("cd '%s' && cat out/host.debug/bin/obbligato | sha256sum", copy);
    char *unchanged = strdup(output);
    while (judged < count) {
        kind k;
        change c = choose(&k);
        write_source(c.in, &c);
        bool built = build() && shell("cd '%s' && cat out/host.debug/bin/obbligato | sha256sum", copy) == 0 && strcmp(output, unchanged) != 0;
        if (built) {
            bool saw = seen_by(who, sizeof who);
            judged++;
            seen += saw;
            tell(&c, k, saw ? who : NULL);
        }
        write_source(c.in, NULL);
    }
    printf("%d of %d seen: %d %%\n", seen, judged, 100 * seen / (judged ? judged : 1));
    harness_remove(copy);
    return 0;
}
