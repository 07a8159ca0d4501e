/* Asking a compiler about a dialect (dialect.h): one preprocessing of nothing for macros and folders, and
 * questions about single expressions (`__has_builtin` and its like), each remembered under the identity of
 * the tool and the flags. */
#include "toolchain/dialect.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "toolchain/options.h"

/* Questions that the headers of common C and C++ libraries ask; asked along with the rest,
 * so that each does not cost a process later. Others are asked when they come up. */
static const char *const common_questions[] = {
    "__has_attribute(__nonnull__)", "__has_attribute(__nothrow__)", "__has_attribute(__malloc__)",
    "__has_attribute(__alloc_size__)", "__has_attribute(__pure__)", "__has_attribute(__const__)",
    "__has_attribute(__unused__)", "__has_attribute(__used__)", "__has_attribute(__noinline__)",
    "__has_attribute(__deprecated__)", "__has_attribute(__format_arg__)",
    "__has_attribute(__warn_unused_result__)", "__has_attribute(__always_inline__)",
    "__has_attribute(__artificial__)", "__has_attribute(__gnu_inline__)",
    "__has_attribute(__error__)", "__has_attribute(__nonstring__)", "__has_attribute(__copy__)",
    "__has_attribute(__access__)", "__has_attribute(__retain__)",
    "__has_attribute(__returns_nonnull__)", "__has_attribute(__noreturn__)",
    "__has_attribute(__fd_arg__)", "__has_attribute(__leaf__)", "__has_attribute(__cold__)",
    "__has_attribute(__diagnose_as_builtin__)", "__has_attribute(noreturn)",
    "__has_attribute(__alloc_align__)", "__has_attribute(__format__)", "__has_attribute(unused)",
    "__has_attribute(format)", "__has_attribute(__counted_by__)",
    "__has_builtin(__builtin_expect)", "__has_builtin(__builtin_trap)",
    "__has_builtin(__builtin_constant_p)", "__has_builtin(__is_same)",
    "__has_builtin(__builtin_va_arg_pack)", "__has_builtin(__builtin_va_arg_pack_len)",
    "__has_builtin(__builtin_is_constant_evaluated)", "__has_builtin(__has_unique_object_representations)",
    "__has_builtin(__is_aggregate)", "__has_builtin(__builtin_launder)",
    "__has_builtin(__builtin_bit_cast)", "__has_builtin(__builtin_source_location)",
    "__has_builtin(__builtin_complex)", "__has_builtin(__builtin_sprintf)",
    "__has_builtin(__is_nothrow_convertible)", "__has_builtin(__is_convertible)",
    "__has_extension(c_static_assert)", "__has_extension(c_generic_selections)",
    "__has_extension(c_alignof)", "__has_feature(address_sanitizer)",
    "__has_feature(thread_sanitizer)", "__has_feature(memory_sanitizer)",
    "__has_feature(cxx_exceptions)", "__has_feature(cxx_rtti)", "__has_feature(modules)",
};
enum { COMMON = sizeof common_questions / sizeof *common_questions, BITS = 24 };

static const char *const operators[] = {
    "__has_include", "__has_include_next", "__has_attribute", "__has_cpp_attribute",
    "__has_c_attribute", "__has_builtin", "__has_feature", "__has_extension",
    "__has_declspec_attribute", "__has_warning", "__has_embed", "__is_identifier",
    "__has_constexpr_builtin", "__building_module",
};

static const char *language_word(obb_language language)
{
    return language == OBB_CXX ? "c++" : language == OBB_C ? "c" : "assembler-with-cpp";
}

static const char *const *command(const obb_dialect *d, const char *const *more)
{
    obb_arena *arena = d->toolchain->arena;
    obb_words argv = {0};
    for (size_t i = 0; i < d->tool->command.count; i++)
        obb_arena_push(arena, &argv, d->tool->command.at[i]);
    for (size_t i = 0; i < d->flags.count; i++)
        obb_arena_push(arena, &argv, d->flags.at[i]);
    for (; *more; more++)
        obb_arena_push(arena, &argv, *more);
    obb_arena_push(arena, &argv, NULL);
    return argv.at;
}

static obb_answer ask(const obb_dialect *d, const char *const *more, const char *input)
{
    return obb_toolchain_ask(d->toolchain, command(d, more), input);
}

/* --- the question and its answer ---------------------------------------------------- */

/* Lines that make the compiler define a macro for each operator it has, for each common
 * question that it can answer, and for each that it answers with anything but 0. */
static void question_text(obb_text *text)
{
    obb_text_string(text, "int x[] = R\"(\n#define OBB_COOKED\n)\";\n"
                          "#ifndef OBB_COOKED\n#define OBB_RAW\n#endif\n"
                          "#define OBB_JOINED ?" "?/\n#define OBB_APART\n"
                          "#ifndef OBB_APART\n#define OBB_TRIGRAPHS\n#endif\n");
    for (size_t i = 0; i < sizeof operators / sizeof *operators; i++)
        obb_text_format(text, "#ifdef %s\n#define OBB_OPERATOR_%s\n#endif\n", operators[i],
                        operators[i]);
    for (int i = 0; i < COMMON; i++) {
        int n = (int)strcspn(common_questions[i], "(");
        obb_text_format(text, "#ifdef %.*s\n#define OBB_ASKED_%d\n", n, common_questions[i], i);
        obb_text_format(text, "#if %s\n#define OBB_TRUE_%d\n#endif\n#endif\n", common_questions[i], i);
    }
}

/* The answer is kept as lines: a letter, a blank, a value. */
static void keep_search_list(obb_text *answer, const char *said)
{
    char letter = 0;
    for (const char *line = said; *line;) {
        size_t n = strcspn(line, "\n");
        if (obb_starts(line, "#include \"...\""))
            letter = 'q';
        else if (obb_starts(line, "#include <...>"))
            letter = 'f';
        else if (obb_starts(line, "End of search list"))
            letter = 0;
        else if (letter && line[0] == ' ')
            obb_text_format(answer, "%c %.*s\n", letter, (int)(n - 1), line + 1);
        line += n + (line[n] == '\n');
    }
}

/* Folders that do not exist, and would be searched if they did. */
static void keep_absent_folders(obb_text *answer, const char *said)
{
    static const char mark[] = "ignoring nonexistent directory \"";
    for (const char *at = said; (at = strstr(at, mark));) {
        at += sizeof mark - 1;
        obb_text_format(answer, "g %.*s\n", (int)strcspn(at, "\"\n"), at);
    }
}

static bool is_marker_of_file(const char *line)
{
    const char *quote = strchr(line, '"');
    return line[0] == '#' && line[1] == ' ' && quote && quote[1] != '<' && quote[1] != '"';
}

static void keep_macros(obb_text *answer, const char *out)
{
    for (const char *line = out; *line;) {
        size_t n = strcspn(line, "\n");
        if (obb_starts(line, "#define ") || obb_starts(line, "#undef ")) {
            obb_text_format(answer, "m %.*s\n", (int)n, line);
        } else if (is_marker_of_file(line)) {
            const char *from = strchr(line, '"') + 1;
            size_t length = strcspn(from, "\"");
            const char *flags = from + length + 1;
            if (flags < line + n && strstr(flags, "1") && strstr(flags, "1") < line + n)
                obb_text_format(answer, "i %.*s\n", (int)length, from);
        }
        line += n + (line[n] == '\n');
    }
}

/* Files that are read although no text includes them, such as lists of what sanitizers are to ignore. */
static void keep_other_inputs(const obb_dialect *d, const obb_answer *rule, obb_text *answer)
{
    obb_words files = {0};
    if (!rule->failed && !rule->status)
        obb_read_rule(d->toolchain->files, d->toolchain->arena, ".", obb_text_bytes(&rule->out), &files);
    for (size_t i = 0; i < files.count; i++)
        if (files.at[i][0] == '/')
            obb_text_format(answer, "i %s\n", files.at[i]);
}

static bool ask_dialect(obb_dialect *d, obb_text *answer, obb_text *refused)
{
    const char *language = language_word(d->language);
    const char *macros[] = {"-E", "-dD", "-v", "-w", "-x", language, "-", NULL};
    const char *others[] = {"-M", "-w", "-x", language, "-", NULL};
    const char *const *commands[] = {command(d, macros), command(d, others)};
    size_t count = d->tool->family == OBB_FAMILY_CLANG ? 2 : 1; /* gcc and its like read no other files */
    obb_text question = {0};
    obb_answer a[2];
    question_text(&question);
    obb_toolchain_ask_all(d->toolchain, commands, count, question.bytes, a);
    bool ok = !a[0].failed && !a[0].status;
    if (ok) {
        if (count > 1)
            keep_other_inputs(d, &a[1], answer);
        keep_search_list(answer, obb_text_bytes(&a[0].err));
        keep_absent_folders(answer, obb_text_bytes(&a[0].err));
        keep_macros(answer, obb_text_bytes(&a[0].out));
    } else {
        obb_text_string(refused, obb_text_bytes(&a[0].err));
    }
    for (size_t i = 0; i < count; i++)
        obb_answer_free(&a[i]);
    obb_text_free(&question);
    return ok;
}

static void take_common(obb_dialect *d, const char *line)
{
    int number;
    if (sscanf(line, "#define OBB_ASKED_%d", &number) == 1) {
        obb_map_put(&d->values, common_questions[number],
                    obb_arena_alloc(d->toolchain->arena, sizeof(intmax_t)));
    } else if (sscanf(line, "#define OBB_TRUE_%d", &number) == 1) {
        intmax_t *value = obb_map_get(&d->values, common_questions[number]);
        *value = 1;
    }
}

/* A folder or file that the compiler named, as everything else here names it. */
static const char *path_from_compiler(const obb_dialect *d, const char *said)
{
    char root[4096];
    obb_arena *arena = d->toolchain->arena;
    const char *path = obb_files_resolve(d->toolchain->files, arena, ".", said);
    return getcwd(root, sizeof root) ? obb_path_below(arena, root, path) : path;
}

static void take_answer(obb_dialect *d, const char *answer)
{
    obb_arena *arena = d->toolchain->arena;
    obb_text macros = {0};
    d->answer = obb_fingerprint_of(answer, strlen(answer));
    const size_t prefix = strlen("#define OBB_OPERATOR_");
    for (const char *line = answer; *line;) {
        size_t n = strcspn(line, "\n");
        size_t length = n - 2;
        while (length && line[1 + length] == ' ') /* compilers end empty macros with a blank */
            length--;
        char *value = obb_arena_copy(arena, line + 2, length);
        if (line[0] == 'q')
            obb_arena_push(arena, &d->quote_folders, path_from_compiler(d, value));
        else if (line[0] == 'f')
            obb_arena_push(arena, &d->folders, path_from_compiler(d, value));
        else if (line[0] == 'i')
            obb_arena_push(arena, &d->implicit, path_from_compiler(d, value));
        else if (line[0] == 'g')
            obb_arena_push(arena, &d->gone, path_from_compiler(d, value));
        else if (strcmp(value, "#define OBB_RAW") == 0)
            d->raw_strings = true;
        else if (strcmp(value, "#define OBB_TRIGRAPHS") == 0)
            d->trigraphs = true;
        else if (obb_starts(value, "#define OBB_OPERATOR_"))
            obb_arena_push(arena, &d->operators, value + prefix);
        else if (obb_starts(value, "#define OBB_"))
            take_common(d, value);
        else
            obb_text_format(&macros, "%s\n", value);
        line += n + (line[n] == '\n');
    }
    d->macros = obb_arena_string(arena, obb_text_bytes(&macros));
    obb_text_free(&macros);
}

/* --- flags -------------------------------------------------------------------------- */

/* Takes -include and -imacros out: those files are scanned like any other. */
static void take_flags(obb_dialect *d, const obb_words *flags)
{
    obb_arena *arena = d->toolchain->arena;
    for (size_t i = 0; i < flags->count; i++) {
        const char *f = flags->at[i];
        bool forced = strcmp(f, "-include") == 0 || strcmp(f, "-imacros") == 0;
        if (forced && i + 1 < flags->count) {
            obb_arena_push(arena, &d->forced, flags->at[++i]);
            continue;
        }
        if (obb_starts(f, "-I") && (f[2] || i + 1 < flags->count))
            obb_arena_push(arena, &d->stated,
                           path_from_compiler(d, f[2] ? f + 2 : flags->at[i + 1]));
        if (obb_starts(f, "--embed-dir="))
            obb_arena_push(arena, &d->embed_folders, path_from_compiler(d, strchr(f, '=') + 1));
        obb_arena_push(arena, &d->flags, f);
    }
}

static obb_fingerprint key_of(const obb_dialect *d)
{
    obb_files *files = d->toolchain->files;
    obb_options options = {0};
    obb_options_read(&d->flags, OBB_READ_BY_DRIVER, files, d->toolchain->arena, &options);
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "dialect 7");
    obb_hasher_add(p, &d->tool->identity, sizeof d->tool->identity);
    for (size_t i = 0; i < d->tool->command.count; i++)
        obb_hasher_string(p, d->tool->command.at[i]);
    obb_hasher_add(p, &d->language, sizeof d->language);
    for (size_t i = 0; i < d->flags.count; i++)
        obb_hasher_string(p, d->flags.at[i]);
    for (size_t i = 0; i < options.count; i++) { /* words that stand in files */
        const obb_option *o = &options.at[i];
        obb_fingerprint fingerprint = OBB_NO_FINGERPRINT;
        if ((o->kind != OBB_OPTION_RESPONSE && o->kind != OBB_OPTION_SPECS) || !*o->value)
            continue;
        obb_files_fingerprint(files,
                              obb_files_number(files,
                                               obb_files_resolve(files, d->toolchain->arena, ".", o->value)),
                              &fingerprint);
        obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    }
    return obb_hasher_end(p);
}

/* Files that the compiler always reads, and the folders it searches, are part of the
 * answer: when one of them changes, the answer is asked for again. */
static obb_fingerprint surroundings(const obb_dialect *d)
{
    obb_files *files = d->toolchain->files;
    obb_hasher *p = obb_hasher_new();
    for (size_t i = 0; i < d->implicit.count; i++) {
        obb_fingerprint fingerprint;
        obb_files_fingerprint(files, obb_files_number(files, d->implicit.at[i]), &fingerprint);
        obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    }
    for (size_t i = 0; i < d->folders.count; i++) {
        bool there = obb_files_stamp(files, obb_files_number(files, d->folders.at[i])) != NULL;
        obb_hasher_add(p, &there, sizeof there);
    }
    for (size_t i = 0; i < d->gone.count; i++) {
        bool there = obb_files_stamp(files, obb_files_number(files, d->gone.at[i])) != NULL;
        obb_hasher_add(p, &there, sizeof there);
    }
    return obb_hasher_end(p);
}

static void forget_answer(obb_dialect *d)
{
    obb_map_free(&d->values);
    d->quote_folders = d->folders = d->implicit = d->gone = d->operators = (obb_words){0};
}

static bool remembered(obb_dialect *d)
{
    obb_text answer = {0};
    obb_memo *memo = &d->toolchain->memo;
    bool have = memo->get(memo->self, d->key, &answer) && answer.length > sizeof(obb_fingerprint);
    if (have) {
        obb_fingerprint then, now;
        memcpy(&then, answer.bytes, sizeof then);
        take_answer(d, answer.bytes + sizeof then);
        now = surroundings(d);
        have = obb_fingerprint_same(then, now);
        if (!have)
            forget_answer(d);
    }
    obb_text_free(&answer);
    return have;
}

static void remember(obb_dialect *d, const obb_text *answer)
{
    obb_text kept = {0};
    obb_fingerprint now = surroundings(d);
    obb_text_add(&kept, &now, sizeof now);
    obb_text_add(&kept, answer->bytes, answer->length);
    obb_toolchain_remember(d->toolchain, d->key, kept.bytes, kept.length);
    obb_text_free(&kept);
}

/* A custom toolchain is not asked: what it predefines and searches is described. */
static void take_custom(obb_dialect *d)
{
    const obb_custom *c = d->toolchain->custom;
    obb_arena *arena = d->toolchain->arena;
    obb_text macros = {0};
    for (size_t i = 0; i < c->macros.count; i++) {
        const char *m = c->macros.at[i];
        int n = (int)strcspn(m, "=");
        obb_text_format(&macros, "#define %.*s %s\n", n, m, m[n] ? m + n + 1 : "1");
    }
    for (size_t i = 0; i < c->search.count; i++)
        obb_arena_push(arena, &d->folders, path_from_compiler(d, c->search.at[i]));
    d->macros = obb_arena_string(arena, obb_text_bytes(&macros));
    obb_text_free(&macros);
}

const obb_dialect *obb_dialect_for(obb_toolchain *tc, const obb_tool *tool,
                                   obb_language language, const obb_words *flags)
{
    obb_dialect *d = obb_arena_alloc(tc->arena, sizeof *d);
    *d = (obb_dialect){.toolchain = tc, .tool = tool, .language = language, .macros = ""};
    take_flags(d, flags);
    d->key = key_of(d);
    obb_text id = {0};
    obb_text_format(&id, "%016llx%016llx", (unsigned long long)d->key.high, (unsigned long long)d->key.low);
    for (size_t i = 0; i < d->forced.count; i++)
        obb_text_format(&id, "\n%s", d->forced.at[i]);
    obb_dialect *known = obb_map_get(&tc->dialects, id.bytes);
    if (known) {
        obb_text_free(&id);
        return known;
    }
    obb_map_put(&tc->dialects, obb_arena_string(tc->arena, id.bytes), d);
    obb_text_free(&id);
    if (tc->custom)
        take_custom(d);
    d->ok = tc->custom || language == OBB_ASM_INTEL || language == OBB_ASM ||
            remembered(d); /* assemblers predefine nothing */
    if (d->ok)
        return d;
    obb_text answer = {0}, refused = {0};
    d->ok = ask_dialect(d, &answer, &refused);
    if (d->ok) {
        take_answer(d, answer.bytes);
        remember(d, &answer);
    } else {
        const char *said = obb_text_bytes(&refused), *error = strstr(said, "error: ");
        said = error ? error + strlen("error: ") : said;
        d->refusal = obb_arena_copy(tc->arena, said, strcspn(said, "\n"));
    }
    obb_text_free(&answer);
    obb_text_free(&refused);
    return d;
}

void obb_dialect_free(obb_dialect *dialect)
{
    obb_map_free(&dialect->values);
    obb_map_free(&dialect->refused);
}

/* --- later questions ---------------------------------------------------------------- */

/* Lines that print a word for each bit that an expression has. A complaint about them names the expression by
 * its number, as if it stood in a file of its own (C11 6.10.4). */
static void add_question(obb_text *text, const char *expression, size_t number)
{
    obb_text_format(text, "#line 1 \"obb-question-%zu\"\n", number);
    for (int bit = 0; bit < BITS; bit++)
        obb_text_format(text, "#if ((%s) >> %d) & 1\nobb_bit_%zu_%d\n#endif\n", expression, bit, number, bit);
}

/* Marks the expressions that the compiler said were wrong, in lines as `obb-question-7:1:5: error: ...`. */
static void mark_refused(const char *said, bool *refused, size_t count)
{
    for (const char *line = said; *line; line += strcspn(line, "\n"), line += *line == '\n') {
        size_t number;
        const char *error = strstr(line, " error: ");
        if (error && error < line + strcspn(line, "\n") && sscanf(line, "obb-question-%zu:", &number) == 1 &&
            number < count)
            refused[number] = true;
    }
}

/* Asks about the expressions that are not refused; false: the compiler found something wrong. */
static bool ask_values(const obb_dialect *d, const obb_words *expressions, bool *refused, intmax_t *values)
{
    const char *words[] = {"-E", "-P", "-x", language_word(d->language), "-", NULL};
    obb_text question = {0};
    for (size_t i = 0; i < expressions->count; i++)
        if (!refused[i])
            add_question(&question, expressions->at[i], i);
    obb_answer a = ask(d, words, obb_text_bytes(&question));
    bool ok = !a.failed && !a.status;
    memset(values, 0, expressions->count * sizeof *values);
    for (const char *at = obb_text_bytes(&a.out); ok && (at = strstr(at, "obb_bit_"));) {
        size_t number;
        int bit;
        at += strlen("obb_bit_");
        if (sscanf(at, "%zu_%d", &number, &bit) == 2 && number < expressions->count)
            values[number] |= (intmax_t)1 << bit;
    }
    if (!ok)
        mark_refused(obb_text_bytes(&a.err), refused, expressions->count);
    obb_answer_free(&a);
    obb_text_free(&question);
    return ok;
}

static obb_fingerprint key_of_value(const obb_dialect *d, const char *expression)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "value");
    obb_hasher_add(p, &d->key, sizeof d->key);
    obb_hasher_string(p, expression);
    return obb_hasher_end(p);
}

static void keep_value(obb_dialect *d, const char *expression, intmax_t value)
{
    intmax_t *known = obb_arena_alloc(d->toolchain->arena, sizeof *known);
    *known = value;
    obb_map_put(&d->values, obb_arena_string(d->toolchain->arena, expression), known);
}

bool obb_dialect_knows(const obb_dialect *dialect, const char *expression, intmax_t *value)
{
    obb_dialect *d = (obb_dialect *)(uintptr_t)dialect; /* only its memory of answers grows */
    obb_memo *memo = &d->toolchain->memo;
    const intmax_t *known = obb_map_get(&d->values, expression);
    obb_text answer = {0};
    if (known) {
        *value = *known;
        return true;
    }
    bool ok = !d->toolchain->custom && memo->get(memo->self, key_of_value(d, expression), &answer) &&
              answer.length == sizeof *value;
    if (ok) {
        memcpy(value, answer.bytes, sizeof *value);
        keep_value(d, expression, *value);
    }
    obb_text_free(&answer);
    return ok;
}

/* Asks, and once more without those that the compiler found fault with. Faults that cannot be told apart
 * leave the first expression alone to be asked about: the others were guesses. */
static void ask_until_answered(const obb_dialect *d, const obb_words *expressions, bool *refused,
                               intmax_t *values)
{
    obb_words first = {0};
    if (ask_values(d, expressions, refused, values) || ask_values(d, expressions, refused, values))
        return;
    for (size_t i = 0; i < expressions->count; i++)
        refused[i] = true;
    refused[0] = false;
    obb_arena_push(d->toolchain->arena, &first, expressions->at[0]);
    refused[0] = !ask_values(d, &first, refused, values);
}

void obb_dialect_ask(const obb_dialect *dialect, const obb_words *expressions)
{
    obb_dialect *d = (obb_dialect *)(uintptr_t)dialect; /* only its memory of answers grows */
    obb_arena *arena = d->toolchain->arena;
    if (d->toolchain->custom || !expressions->count || obb_map_get(&d->refused, expressions->at[0]))
        return;
    bool *refused = obb_arena_alloc(arena, expressions->count * sizeof *refused);
    intmax_t *values = obb_arena_alloc(arena, expressions->count * sizeof *values);
    for (size_t i = 0; i < expressions->count; i++)
        refused[i] = obb_map_get(&d->refused, expressions->at[i]) != NULL;
    ask_until_answered(d, expressions, refused, values);
    for (size_t i = 0; i < expressions->count; i++) {
        if (!refused[i]) {
            keep_value(d, expressions->at[i], values[i]);
            obb_toolchain_remember(d->toolchain, key_of_value(d, expressions->at[i]), &values[i],
                                   sizeof values[i]);
        } else if (i == 0) { /* of the others, it may have been another one's fault */
            obb_map_put(&d->refused, obb_arena_string(arena, expressions->at[0]), d);
        }
    }
}

/* Behind the targets of the rule that begins here; NULL: its line has none. */
static const char *behind_targets(const char *c)
{
    for (; *c; c++) {
        if (c[0] == '\\' && c[1])
            c++;
        else if (c[0] == ':' && strchr(" \t\n\r\\", c[1]))
            return c + 1;
        else if (*c == '\n')
            return NULL;
    }
    return NULL;
}

/* A path that a tool named, as the system reads it. */
static const char *named_path(obb_files *files, obb_arena *arena, const char *root, const char *path)
{
    return obb_files_resolve(files, arena, ".", obb_path_below(arena, root, path));
}

/* Where a line is continued: how many characters that takes, else 0. */
static size_t continuation(const char *c)
{
    return c[0] != '\\' ? 0 : c[1] == '\n' ? 2 : c[1] == '\r' && c[2] == '\n' ? 3 : 0;
}

/* The words up to the end of the rule; where that is. */
static const char *read_words(obb_files *files, obb_arena *arena, const char *root, const char *c,
                              obb_text *word, obb_words *named)
{
    while (*c && *c != '\n') {
        size_t broken = continuation(c);
        if (broken || strchr(" \t\r", *c)) {
            c += broken ? broken : 1;
            continue;
        }
        word->length = 0;
        for (;;) {
            size_t plain = strcspn(c, " \t\n\r\\$");
            obb_text_add(word, c, plain);
            c += plain;
            if ((*c != '\\' && *c != '$') || continuation(c))
                break;
            if (*c == '$' ? c[1] == '$' : c[1] && strchr(" #:", c[1]))
                c++;
            obb_text_char(word, *c++);
        }
        obb_arena_push(arena, named, named_path(files, arena, root, word->bytes));
    }
    return c;
}

void obb_read_rule(obb_files *files, obb_arena *arena, const char *root, const char *text, obb_words *named)
{
    obb_text word = {0};
    for (const char *c = text; *c; c += *c == '\n') {
        const char *words = behind_targets(c);
        c = words ? read_words(files, arena, root, words, &word, named) : c + strcspn(c, "\n");
    }
    obb_text_free(&word);
}

void obb_read_link_rule(obb_files *files, obb_arena *arena, const char *root, const char *text,
                        obb_words *named)
{
    obb_text word = {0};
    const char *c = behind_targets(text);
    size_t blanks = c ? strspn(c, " ") : 0;
    if (!c || !continuation(c + blanks)) { /* not a path a line */
        obb_read_rule(files, arena, root, text, named);
        return;
    }
    for (c += strcspn(c, "\n"); c[0] == '\n' && c[1] == ' '; c += strcspn(c, "\n")) {
        c += 1 + strspn(c + 1, " ");
        size_t n = strcspn(c, "\r\n");
        if (n > 1 && c[n - 1] == '\\' && c[n - 2] == ' ')
            n -= 2;
        const char *line = obb_arena_copy(arena, c, n), *plain = named_path(files, arena, root, line);
        if (strpbrk(line, " \\$") && !obb_files_is_file(files, obb_files_number(files, plain)))
            read_words(files, arena, root, line, &word, named);
        else
            obb_arena_push(arena, named, plain);
    }
    obb_text_free(&word);
}

/* Adds what a rule in a file names, which is removed; what the driver made for itself is left
 * out. */
static bool take_rule_file(obb_files *all, obb_arena *arena, const char *root, const char *path,
                           obb_words *files)
{
    obb_text text = {0};
    obb_words named = {0};
    bool ok = !obb_file_read(path, &text) && text.length;
    if (ok)
        obb_read_rule(all, arena, root, text.bytes, &named);
    for (size_t i = 0; i < named.count; i++)
        if (strcmp(named.at[i], "{standard input}") != 0)
            obb_arena_push(arena, files, named.at[i]);
    obb_text_free(&text);
    unlink(path);
    return ok;
}

static const char *temporary_file(obb_arena *arena)
{
    char *path = obb_arena_format(arena, "%s/obbligato-asked-XXXXXX", obb_temporary_folder());
    int fd = mkstemp(path);
    if (fd >= 0)
        close(fd);
    return fd < 0 ? NULL : path;
}

/* What the assembler of the gcc family reads, by its own report (GNU as manual, --MD), and what the
 * preprocessor before it does. */
static bool ask_assembler(const obb_dialect *d, const obb_words *words, const char *source, const char *root,
                          obb_words *files)
{
    obb_arena *arena = d->toolchain->arena;
    bool with_cpp = d->language == OBB_ASM_CPP;
    const char *assembled = temporary_file(arena), *preprocessed = with_cpp ? temporary_file(arena) : NULL;
    if (!assembled || (with_cpp && !preprocessed))
        return false;
    const char *more[] = {"-pipe",
                          "-c",
                          source,
                          "-o",
                          "/dev/null",
                          "-Xassembler", "--MD", "-Xassembler", assembled, /* -Wa, would split at a comma */
                          with_cpp ? "-MD" : NULL,
                          "-MF",
                          preprocessed,
                          NULL};
    obb_words argv = {0};
    for (size_t i = 0; i < words->count; i++)
        obb_arena_push(arena, &argv, words->at[i]);
    for (size_t i = 0; more[i]; i++)
        obb_arena_push(arena, &argv, more[i]);
    obb_arena_push(arena, &argv, NULL);
    obb_answer a = obb_toolchain_ask(d->toolchain, argv.at, "");
    bool ok = !a.failed && !a.status;
    obb_answer_free(&a);
    if (with_cpp)
        ok = take_rule_file(d->toolchain->files, arena, root, preprocessed, files) && ok;
    else
        obb_arena_push(arena, files, source);
    return take_rule_file(d->toolchain->files, arena, root, assembled, files) && ok;
}

/* Such as a linker script: what an assembler would say of it does not matter. */
static bool only_preprocesses(const obb_words *words)
{
    for (size_t i = 0; i < words->count; i++)
        if (strcmp(words->at[i], "-E") == 0)
            return true;
    return false;
}

bool obb_dialect_ask_files(const obb_dialect *dialect, const obb_words *words,
                           const char *source, obb_words *files)
{
    obb_arena *arena = dialect->toolchain->arena;
    obb_words argv = {0};
    char root[4096];
    if (dialect->toolchain->custom)
        return false;
    if ((dialect->language == OBB_ASM || dialect->language == OBB_ASM_CPP) && !only_preprocesses(words))
        return dialect->tool->family == OBB_FAMILY_GCC && getcwd(root, sizeof root) &&
               ask_assembler(dialect, words, source, root, files);
    for (size_t i = 0; i < words->count; i++)
        obb_arena_push(arena, &argv, words->at[i]);
    obb_arena_push(arena, &argv, "-M");
    obb_arena_push(arena, &argv, source);
    obb_arena_push(arena, &argv, NULL);
    obb_answer a = obb_toolchain_ask(dialect->toolchain, argv.at, "");
    bool ok = !a.failed && !a.status && getcwd(root, sizeof root);
    if (ok)
        obb_read_rule(dialect->toolchain->files, arena, root, obb_text_bytes(&a.out), files);
    obb_answer_free(&a);
    return ok;
}
