/* What macros of a configuration ask (draft/work.h): HAVE_SYS_TIME_H a header, HAVE_SSIZE_T a type,
 * HAVE_STRUCT_TM_TM_GMTOFF a member, SIZEOF_LONG a size, and most others a function. The compiler is asked
 * twice: which of these there are, and how large. */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/files.h"
#include "base/path.h"
#include "base/process.h"
#include "draft/work.h"
#include "image/elf.h"

const char *const *draft_usual_headers(bool of_types)
{
    static const char *const all[] = {"ctype.h", "errno.h", "fcntl.h", "grp.h", "inttypes.h", "limits.h",
                                      "locale.h", "math.h", "poll.h", "pthread.h", "regex.h", "sched.h",
                                      "signal.h", "stdarg.h", "strings.h", "sys/ioctl.h", "sys/mman.h",
                                      "sys/resource.h", "sys/select.h", "sys/wait.h", "termios.h", "wctype.h",
                                      /* those with types come last */
                                      "dirent.h", "netdb.h", "netinet/in.h", "pwd.h", "stddef.h", "stdint.h",
                                      "stdio.h", "stdlib.h", "string.h", "sys/socket.h", "sys/stat.h",
                                      "sys/time.h", "sys/types.h", "time.h", "unistd.h", "wchar.h", NULL};
    const char *const *first = all;
    while (of_types && strcmp(*first, "dirent.h") != 0)
        first++;
    return first;
}

/* HAVE_SYS_TIME_H: which of the headers that are included somewhere has this macro; NULL: none, or it is no
 * macro of a header. */
static const char *header_of(const draft *d, const char *macro)
{
    for (size_t i = 0; i < d->files.count; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count; k++) {
            const char *name = d->files.at[i]->includes.at[k].name, *m = macro + strlen("HAVE_"), *n = name;
            while (*m && *n &&
                   (*m == *n || (*n >= 'a' && *n <= 'z' && *m == *n - 32) ||
                    (*m == '_' && (*n == '/' || *n == '.' || *n == '-'))))
                m++, n++;
            if (!*m && !*n)
                return name;
        }
    return NULL;
}

static bool has_small_letters(const char *text)
{
    while (*text && !(*text >= 'a' && *text <= 'z'))
        text++;
    return *text != 0;
}

/* LONG_LONG is `long long`, SIZE_T is `size_t`, VOID_P is `void *`; NULL: no type is called so. */
static const char *type_of(const draft *d, const char *macro)
{
    char *type = (char *)(uintptr_t)draft_lower(d, macro);
    if (has_small_letters(macro))
        return NULL;
    if (strcmp(macro, "VOID_P") == 0)
        return "void *";
    if (strcmp(macro, "_BOOL") == 0)
        return "_Bool";
    for (char *c = type; *c && !draft_ends_with(type, "_t"); c++)
        *c = *c == '_' ? ' ' : *c;
    return type;
}

static void add(draft *d, const char *macro, draft_kind_of_question kind, const char *name, const char *of)
{
    obb_arena_push(d->arena, &d->questions,
                   ((draft_question){.macro = macro, .kind = kind, .name = name, .of = of}));
}

/* HAVE_STRUCT_STAT_ST_BLKSIZE: where the name of the type ends is tried. */
static void add_member(draft *d, const char *macro)
{
    const char *rest = macro + strlen("HAVE_STRUCT_");
    for (const char *bar = strchr(rest, '_'); bar; bar = strchr(bar + 1, '_')) {
        const char *type = draft_lower(d, obb_arena_copy(d->arena, rest, (size_t)(bar - rest)));
        add(d, macro, DRAFT_ASKS_MEMBER, draft_lower(d, bar + 1),
            obb_arena_format(d->arena, "struct %s", type));
    }
}

static void add_question(draft *d, const char *macro)
{
    static const char *const types[] = {"LONG_LONG", "LONG_DOUBLE", "UNSIGNED_LONG_LONG", "_BOOL"};
    const char *header = header_of(d, macro), *rest = macro + strlen("HAVE_");
    bool type = draft_ends_with(rest, "_T");
    for (size_t i = 0; i < sizeof types / sizeof *types; i++)
        type = type || strcmp(rest, types[i]) == 0;
    if (strncmp(macro, "SIZEOF_", 7) == 0)
        add(d, macro, type_of(d, macro + 7) ? DRAFT_ASKS_SIZE : DRAFT_ASKS_UNKNOWN, type_of(d, macro + 7),
            NULL);
    else if (header)
        add(d, macro, DRAFT_ASKS_HEADER, header, NULL);
    else if (type && type_of(d, rest))
        add(d, macro, DRAFT_ASKS_TYPE, type_of(d, rest), NULL);
    else if (strncmp(rest, "STRUCT_", 7) == 0 && strchr(rest + 7, '_'))
        add_member(d, macro);
    else if (strncmp(rest, "DECL_", 5) == 0)
        add(d, macro, DRAFT_ASKS_DECLARED, draft_lower(d, rest + 5), NULL);
    else if (draft_ends_with(macro, "_H") || strncmp(rest, "LIB", 3) == 0 || *rest == '_')
        add(d, macro, DRAFT_ASKS_UNKNOWN, NULL, NULL);
    else
        add(d, macro, DRAFT_ASKS_FUNCTION, draft_lower(d, rest), NULL);
}

/* --- what this system answers ------------------------------------------------------- */

static void write_headers(obb_text *text)
{
    for (const char *const *h = draft_usual_headers(false); *h; h++)
        obb_text_format(text, "#if __has_include(<%s>)\n#include <%s>\n#endif\n", *h, *h);
    obb_text_string(text, "#line 1 \"asked\"\n");
}

static void write_question(const draft_question *q, size_t i, obb_text *text)
{
    if (!q->holds)
        obb_text_char(text, '\n');
    else if (q->kind == DRAFT_ASKS_MEMBER)
        obb_text_format(text, "char v%zu[sizeof ((%s *)0)->%s];\n", i, q->of, q->name);
    else if (q->kind == DRAFT_ASKS_DECLARED)
        obb_text_format(text, "void v%zu(void) { (void)%s; }\n", i, q->name);
    else if (q->kind == DRAFT_ASKS_FUNCTION) /* macros are as good, as in checks */
        obb_text_format(text,
                        "\n#ifndef %s\n#line %zu \"asked\"\nvoid v%zu(void) { (void)%s; }\n#endif\n"
                        "#line %zu \"asked\"\n",
                        q->name, i + 1, i, q->name, i + 2);
    else
        obb_text_format(text, "char v%zu[sizeof (%s)];\n", i, q->name);
}

/* A line for each that may still hold; those with errors do not. False: none had one. */
static bool ask_once(draft *d)
{
    obb_text text = {0};
    obb_words words = {0};
    bool any = false;
    write_headers(&text);
    for (size_t i = 0; i < d->questions.count; i++)
        write_question(&d->questions.at[i], i, &text);
    draft_add_compiler(d, false, &words);
    const char *const rest[] = {"-w", "-D_GNU_SOURCE", "-fsyntax-only", "-x", "c", "-", NULL};
    for (size_t i = 0; i < sizeof rest / sizeof *rest; i++)
        obb_arena_push(d->arena, &words, rest[i]);
    obb_answer answer = obb_ask(words.at, obb_text_bytes(&text));
    for (const char *at = obb_text_bytes(&answer.err); (at = strstr(at, "asked:")); at += 6) {
        size_t line = strtoul(at + 6, NULL, 10);
        const char *end = at + strcspn(at, "\n"), *error = strstr(at, " error: ");
        if (!line || line > d->questions.count || !error || error > end)
            continue;
        any = any || d->questions.at[line - 1].holds;
        d->questions.at[line - 1].holds = false;
    }
    obb_answer_free(&answer);
    obb_text_free(&text);
    return any;
}

/* Again until nothing is wrong: clang ends after twenty errors. */
static void ask_what_there_is(draft *d)
{
    for (size_t i = 0; i < d->questions.count; i++) {
        draft_question *q = &d->questions.at[i];
        q->holds = q->kind != DRAFT_ASKS_HEADER && q->kind != DRAFT_ASKS_UNKNOWN;
    }
    while (ask_once(d)) {
    }
}

/* The sizes of arrays in an object. */
static void ask_sizes(draft *d)
{
    obb_text text = {0};
    obb_words words = {0};
    const char *object = obb_path_join(d->arena, d->temporary, "sizes.o"), *wrong;
    write_headers(&text);
    for (size_t i = 0; i < d->questions.count; i++)
        if (d->questions.at[i].holds && d->questions.at[i].kind == DRAFT_ASKS_SIZE)
            obb_text_format(&text, "char v%zu[sizeof (%s)] = {1};\n", i, d->questions.at[i].name);
    draft_add_compiler(d, false, &words);
    const char *const rest[] = {"-w", "-D_GNU_SOURCE", "-x", "c", "-c", "-", "-o", object, NULL};
    for (size_t i = 0; i < sizeof rest / sizeof *rest; i++)
        obb_arena_push(d->arena, &words, rest[i]);
    obb_answer answer = obb_ask(words.at, obb_text_bytes(&text));
    const obb_elf *elf = obb_elf_read(object, d->arena, &wrong);
    for (size_t i = 0; elf && i < elf->symbols.count; i++) {
        const obb_elf_symbol *s = &elf->symbols.at[i];
        size_t n = *s->name == 'v' ? strtoul(s->name + 1, NULL, 10) : d->questions.count;
        if (n < d->questions.count)
            d->questions.at[n].size = s->size;
    }
    unlink(object);
    obb_answer_free(&answer);
    obb_text_free(&text);
}

static void ask_headers(draft *d)
{
    obb_words names = {0};
    obb_map has = {0};
    for (size_t i = 0; i < d->questions.count; i++)
        if (d->questions.at[i].kind == DRAFT_ASKS_HEADER)
            obb_arena_push(d->arena, &names, d->questions.at[i].name);
    draft_ask_headers(d, &names, &has);
    for (size_t i = 0; i < d->questions.count; i++) {
        draft_question *q = &d->questions.at[i];
        if (q->kind == DRAFT_ASKS_HEADER)
            q->holds = obb_map_get(&has, q->name) != NULL;
    }
    obb_map_free(&has);
}

/* Of the ways to read a member's macro, the one that holds, or the first one. */
static void choose_members(draft *d)
{
    size_t kept = 0;
    for (size_t i = 0; i < d->questions.count; i++) {
        const draft_question *q = &d->questions.at[i];
        draft_question *last = kept ? &d->questions.at[kept - 1] : NULL;
        bool again = last && q->kind == DRAFT_ASKS_MEMBER && strcmp(last->macro, q->macro) == 0;
        if (again && q->holds && !last->holds)
            *last = *q;
        if (!again)
            d->questions.at[kept++] = *q;
    }
    d->questions.count = kept;
}

void draft_find_questions(draft *d)
{
    for (size_t i = 0; i < d->tested.count; i++)
        add_question(d, d->tested.at[i]);
    if (!d->questions.count)
        return;
    ask_what_there_is(d);
    ask_sizes(d);
    choose_members(d);
    ask_headers(d);
}

void draft_write_header(draft *d, const char *name)
{
    obb_text text = {0};
    for (size_t i = 0; i < d->questions.count; i++) {
        const draft_question *q = &d->questions.at[i];
        if (q->holds && q->kind == DRAFT_ASKS_SIZE)
            obb_text_format(&text, "#define %s %llu\n", q->macro, (unsigned long long)q->size);
        else if (q->holds)
            obb_text_format(&text, "#define %s 1\n", q->macro);
        else if (q->kind == DRAFT_ASKS_DECLARED)
            obb_text_format(&text, "#define %s 0\n", q->macro);
    }
    if (d->template)
        obb_text_string(&text, d->template_text);
    draft_write_trial(d, name, obb_text_bytes(&text), text.length);
    obb_text_free(&text);
}
