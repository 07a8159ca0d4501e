/* The texts of checks, and their compiles (check_compiles.h). Each check stands under a `#line` of its own,
 * so that a complaint about it is told from those about others. */
#include "plan/check_compiles.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "toolchain/spell.h"

enum { AT_ONCE = 8 };

void obb_check_add_headers(obb_text *text, const obb_header_set *set)
{
    for (size_t i = 0; i < set->headers.count; i++)
        obb_text_format(text, "#include <%s>\n", set->headers.at[i]);
}

/* The value as text in the object: a mark with the check's number, a sign and twenty digits. It is made of
 * constant expressions, so that no word size or byte order matters. */
static void add_value(obb_text *text, size_t number, const char *expression)
{
    unsigned long long place = 10000000000000000000ull;
    obb_text_format(text, "char obb_value_%zu[] = {", number);
    char mark[40];
    snprintf(mark, sizeof mark, "obb-value-%zu=", number);
    for (const char *m = mark; *m; m++)
        obb_text_format(text, "%d,", *m);
    obb_text_format(text, "(%s) < 0 ? 45 : 43", expression);
    for (int i = 0; i < 20; i++, place /= 10)
        obb_text_format(
            text,
            ",(char)(48 + (((%s) < 0 ? 0ull - (unsigned long long)(%s) : (unsigned long long)(%s))"
            " / %lluull) %% 10)",
            expression, expression, expression, place);
    obb_text_string(text, "};\n");
}

static void add_body(obb_text *text, const obb_check_unit *u, bool cxx)
{
    const obb_check *c = u->check;
    size_t n = c->number;
    char expression[80];
    switch (c->kind) {
    case OBB_CHECK_FUNCTION:
        obb_text_format(text, cxx ? "#ifndef %s\nvoid obb_use_%zu() { using ::%s; }\n#endif\n"
                                  : "#ifndef %s\nvoid obb_use_%zu(void) { (void)&%s; }\n#endif\n",
                        strstr(c->subject, "::") ? "obb_no_macro" : c->subject, n, c->subject);
        break;
    case OBB_CHECK_MEMBER:
        obb_text_format(text, "void obb_use_%zu(%s *x) { (void)x->%s; }\n", n, c->of, c->subject);
        break;
    case OBB_CHECK_TYPE:
        obb_text_format(text, "typedef %s obb_type_%zu;\nchar obb_size_%zu[sizeof(obb_type_%zu)];\n",
                        c->subject, n, n, n);
        break;
    case OBB_CHECK_SIZE:
        obb_text_format(text, "typedef %s obb_type_%zu;\n", c->subject, n);
        snprintf(expression, sizeof expression, "sizeof(obb_type_%zu)", n);
        add_value(text, n, expression);
        break;
    case OBB_CHECK_CONSTANT:
        obb_text_format(text, "char obb_constant_%zu[(%s) ? 1 : 1];\n", n, c->subject);
        add_value(text, n, c->subject);
        break;
    default: break;
    }
}

static void add_unit(obb_text *text, const obb_check_asker *a, const obb_check_unit *u, bool with_headers)
{
    obb_text_format(text, "#line 1 \"check-%zu\"\n", u->check->number);
    if (with_headers)
        obb_check_add_headers(text, &a->sets.at[u->set]);
    add_body(text, u, a->block->cxx);
}

/* All units in one text; the headers of a set stand before the first of it. */
void obb_check_add_units(obb_text *text, const obb_check_asker *a, const obb_check_units *list)
{
    size_t last = SIZE_MAX;
    for (size_t i = 0; i < list->count; i++) {
        add_unit(text, a, list->at[i], list->at[i]->set != last);
        last = list->at[i]->set;
    }
    obb_text_string(text, "int obb_text_end;\n");
}

/* --- compiling ---------------------------------------------------------------------- */

static const char *work_folder(obb_check_asker *a)
{
    if (!a->folder) {
        char *folder = obb_arena_format(a->c->arena, "%s/obbligato-checks-XXXXXX", obb_temporary_folder());
        a->folder = mkdtemp(folder) ? folder : NULL;
    }
    return a->folder;
}

const char *obb_check_suffix(const obb_check_asker *a)
{
    return a->block->cxx ? "cpp" : "c";
}

/* Writes a text to be compiled; NULL, with an error, when that fails. */
const char *obb_check_write(obb_check_asker *a, const obb_text *text)
{
    const char *folder = work_folder(a);
    char *path = obb_arena_format(a->c->arena, "%s/%zu.%s", folder ? folder : "?", a->texts++,
                                  obb_check_suffix(a));
    if (folder && !obb_file_write(path, obb_text_bytes(text), text->length, NULL))
        return path;
    obb_diag *d = obb_error(a->c->diags, OBB_FAULT_OUTSIDE, a->block->place,
                            "cannot write a text for `checks` to %s", obb_temporary_folder());
    obb_hint(a->c->diags, d, "make room there, or name another folder: TMPDIR=FOLDER");
    return NULL;
}

static void custom_words(const obb_check_asker *a, const obb_check_text *t, obb_words *argv)
{
    obb_words flags = {0};
    const obb_custom_compile compile = {.language = a->language, .source = t->source, .object = t->object,
                                        .includes = &a->includes, .defines = &a->defines, .flags = &flags};
    for (size_t i = 0; i < a->flags.count; i++)
        obb_arena_push(a->c->arena, &flags, a->flags.at[i]);
    for (size_t i = 0; t->more && i < t->more->count; i++)
        obb_arena_push(a->c->arena, &flags, t->more->at[i]);
    obb_spell_custom_compile(a->tc->custom, &compile, a->c->arena, argv);
}

/* Warnings decide nothing, unless a flag is looked for; objects hold code, so that they can be read. */
static const char *const *words_of(const obb_check_asker *a, const obb_check_text *t)
{
    obb_arena *arena = a->c->arena;
    obb_words argv = {0};
    for (size_t i = 0; i < a->tool->command.count; i++)
        obb_arena_push(arena, &argv, a->tool->command.at[i]);
    if (a->tc->custom) {
        custom_words(a, t, &argv);
    } else {
        obb_spell_include_words(a->language, &a->includes, &a->defines, arena, &argv);
        for (size_t i = 0; i < a->flags.count; i++)
            obb_arena_push(arena, &argv, a->flags.at[i]);
        obb_arena_push(arena, &argv, t->more ? "-Werror" : "-w");
        for (size_t i = 0; t->more && i < t->more->count; i++)
            obb_arena_push(arena, &argv, t->more->at[i]);
        const char *const rest[] = {"-fno-lto", "-c", t->source, "-o", t->object};
        for (size_t i = 0; i < sizeof rest / sizeof *rest; i++)
            obb_arena_push(arena, &argv, rest[i]);
        if (a->tool->family == OBB_FAMILY_CLANG)
            obb_arena_push(arena, &argv, "-ferror-limit=0");
    }
    obb_arena_push(arena, &argv, NULL);
    return argv.at;
}

/* A compiler that was killed, or had no room, says nothing about the platform. */
static void check_end(obb_check_asker *a, const obb_answer *answer)
{
    const char *said;
    size_t length;
    if (answer->failed || !obb_answer_is_unsure(answer, &said, &length))
        return;
    obb_diag *d = length ? obb_error(a->c->diags, OBB_FAULT_OUTSIDE, a->block->place,
                                     "the compiler %s could not answer `checks`: %.*s",
                                     a->tool->command.at[0], (int)length, said)
                         : obb_error(a->c->diags, OBB_FAULT_OUTSIDE, a->block->place,
                                     "the compiler %s was ended by signal %d while it answered `checks`",
                                     a->tool->command.at[0], answer->status - 128);
    obb_hint(a->c->diags, d,
             "try again, nothing is remembered of this; TMPDIR=FOLDER names where there is room");
}

/* Compiles texts side by side, some at once. */
void obb_check_compile(obb_check_asker *a, obb_check_text *texts, size_t count)
{
    for (size_t from = 0; from < count; from += AT_ONCE) {
        size_t n = count - from < AT_ONCE ? count - from : AT_ONCE;
        const char *const *commands[AT_ONCE];
        obb_answer answers[AT_ONCE];
        for (size_t i = 0; i < n; i++) {
            obb_check_text *t = &texts[from + i];
            t->object = obb_arena_format(a->c->arena, "%s/%zu.o", work_folder(a), a->texts++);
            commands[i] = words_of(a, t);
        }
        obb_toolchain_ask_all(a->tc, commands, n, "", answers);
        a->c->compiles += n;
        for (size_t i = 0; i < n; i++) {
            obb_check_text *t = &texts[from + i];
            t->ok = !answers[i].failed && !answers[i].status && access(t->object, R_OK) == 0;
            t->said = obb_arena_format(a->c->arena, "%s%s", obb_text_bytes(&answers[i].err),
                                       obb_text_bytes(&answers[i].out));
            check_end(a, &answers[i]);
            obb_answer_free(&answers[i]);
        }
    }
}
