/* Compiling each source once (draft/work.h), with this machine's compilers: what objects define and lack. */
#include <errno.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/files.h"
#include "base/path.h"
#include "base/process.h"
#include "draft/work.h"
#include "image/elf.h"

/* A signal that ends programs came: nothing more is compiled, and the temporary folder goes. */
static volatile sig_atomic_t interrupted;

static void note_interruption(int number)
{
    (void)number;
    interrupted = 1;
}

enum { SIGNALS = 3 };
static const int signals[SIGNALS] = {SIGINT, SIGTERM, SIGHUP};

/* A second one ends this process at once, should a compile hang. What is ignored stays so. */
static void take_signals(struct sigaction *before)
{
    struct sigaction note = {.sa_handler = note_interruption, .sa_flags = (int)SA_RESETHAND | SA_RESTART};
    interrupted = 0;
    for (int i = 0; i < SIGNALS; i++)
        if (!sigaction(signals[i], NULL, &before[i]) && before[i].sa_handler != SIG_IGN)
            sigaction(signals[i], &note, NULL);
}

static void leave_signals(const struct sigaction *before)
{
    for (int i = 0; i < SIGNALS; i++)
        sigaction(signals[i], &before[i], NULL);
}

static bool stops(const draft *d)
{
    return interrupted || d->failed;
}

static const char *compiler(bool cxx)
{
    const char *named = getenv(cxx ? "CXX" : "CC");
    return named && *named ? named : cxx ? "c++" : "cc";
}

/* Another one each time: what an earlier attempt made is still there when it is taken back. */
static const char *new_object(draft *d)
{
    return obb_arena_format(d->arena, "%s/%zu.o", d->temporary, d->objects++);
}

struct draft_attempt {
    draft_file *files; /* as they were */
    obb_words missing;
};

const draft_attempt *draft_save(const draft *d)
{
    draft_attempt *saved = obb_arena_alloc(d->arena, sizeof *saved);
    saved->files = obb_arena_alloc(d->arena, (d->files.count + 1) * sizeof *saved->files);
    for (size_t i = 0; i < d->files.count; i++)
        saved->files[i] = *d->files.at[i];
    for (size_t i = 0; i < d->missing.count; i++)
        obb_arena_push(d->arena, &saved->missing, d->missing.at[i]);
    return saved;
}

void draft_take_back(draft *d, const draft_attempt *saved)
{
    for (size_t i = 0; i < d->files.count; i++)
        *d->files.at[i] = saved->files[i];
    d->missing = saved->missing;
}

void draft_add_compiler(draft *d, bool cxx, obb_words *words)
{
    for (const char *at = compiler(cxx); *at;) {
        size_t n = strcspn(at, " ");
        if (n)
            obb_arena_push(d->arena, words, obb_arena_copy(d->arena, at, n));
        at += n + (at[n] == ' ');
    }
}

/* One question: a line that begins with `has` for each that is there. */
static void ask_headers_of(draft *d, bool cxx, const obb_words *names, obb_map *has)
{
    obb_text text = {0};
    obb_words words = {0};
    for (size_t i = 0; i < names->count; i++)
        if (!strpbrk(names->at[i], "\"<>\\"))
            obb_text_format(&text, "#if __has_include(<%s>)\nhas %zu\n#endif\n", names->at[i], i);
    draft_add_compiler(d, cxx, &words);
    const char *const rest[] = {"-E", "-P", "-x", cxx ? "c++" : "c", "-", NULL};
    for (size_t i = 0; i < sizeof rest / sizeof *rest; i++)
        obb_arena_push(d->arena, &words, rest[i]);
    obb_answer answer = obb_ask(words.at, obb_text_bytes(&text));
    for (const char *at = obb_text_bytes(&answer.out); (at = strstr(at, "has ")); at += 4) {
        size_t i = strtoul(at + 4, NULL, 10);
        if (i < names->count)
            obb_map_put(has, names->at[i], d);
    }
    obb_answer_free(&answer);
    obb_text_free(&text);
}

void draft_ask_headers(draft *d, const obb_words *names, obb_map *has)
{
    bool uses[2] = {false, false};
    for (size_t i = 0; i < d->files.count; i++)
        if (!d->files.at[i]->header)
            uses[d->files.at[i]->language == OBB_CXX] = true;
    for (int cxx = 0; cxx < 2; cxx++)
        if (uses[cxx] && names->count)
            ask_headers_of(d, cxx != 0, names, has);
}

/* Unoptimized: what a compile would take out is still asked for. Without an object, it is asked whether C
 * calls functions that are not declared. */
static const char *const *command_for(draft *d, const draft_file *f, const char *object)
{
    obb_words words = {0};
    draft_add_compiler(d, f->language == OBB_CXX, &words);
    obb_arena_push(d->arena, &words, object ? "-w" : "-fsyntax-only");
    obb_arena_push(d->arena, &words, object ? "-O0" : "-Werror=implicit-function-declaration");
    for (size_t i = 0; i < d->includes.count; i++)
        obb_arena_push(d->arena, &words, obb_arena_format(d->arena, "-I%s", d->includes.at[i]));
    for (size_t i = 0; i < d->packages.count; i++)
        for (size_t k = 0; k < d->packages.at[i]->words.count; k++)
            obb_arena_push(d->arena, &words, d->packages.at[i]->words.at[k]);
    if (d->header || d->made.count)
        obb_arena_push(d->arena, &words, obb_arena_format(d->arena, "-I%s/gen", d->temporary));
    if (d->forced) {
        obb_arena_push(d->arena, &words, "-include");
        obb_arena_push(d->arena, &words, d->header);
    }
    for (size_t i = 0; i < d->defines.count; i++)
        obb_arena_push(d->arena, &words, obb_arena_format(d->arena, "-D%s", d->defines.at[i]));
    for (size_t i = 0; i < f->flags.count; i++)
        obb_arena_push(d->arena, &words, f->flags.at[i]);
    const char *path = *f->path == '-' || *f->path == '@' ? obb_arena_format(d->arena, "./%s", f->path)
                                                          : f->path;
    const char *const rest[] = {"-c", path, "-o", object, NULL};
    for (size_t i = object ? 0 : 1; i < sizeof rest / sizeof *rest && (object || i < 2); i++)
        obb_arena_push(d->arena, &words, rest[i]);
    obb_arena_push(d->arena, &words, NULL);
    return words.at;
}

/* gcc says `x.h: No such file or directory`, clang `'x.h' file not found`. */
static const char *missing_in(draft *d, const char *wrong)
{
    const char *end = strstr(wrong, ": No such file or directory");
    if (end)
        return obb_arena_copy(d->arena, wrong, (size_t)(end - wrong));
    end = *wrong == '\'' ? strstr(wrong, "' file not found") : NULL;
    return end ? obb_arena_copy(d->arena, wrong + 1, (size_t)(end - wrong - 1)) : NULL;
}

/* `path:line:column: ` at the start of a line. False: it is of no file of the tree, and of no header
 * that was made. */
static bool take_place(draft *d, draft_file *f, const char *line)
{
    size_t n = strcspn(line, ":\n");
    bool own = *line != '/' || strncmp(line, d->temporary, strlen(d->temporary)) == 0,
         place = line[n] == ':' && n && own && line[n + 1] >= '1' && line[n + 1] <= '9';
    if (place) {
        f->wrong_in = obb_arena_copy(d->arena, line, n);
        f->wrong_line = strtoul(line + n + 1, NULL, 10);
    }
    return place;
}

/* Whether there is no room for what a compile may make. Compilers take away what they could not finish. */
static bool is_full(draft *d)
{
    enum { CHUNKS = 256, CHUNK = 65536 };
    char *zeros = obb_alloc(CHUNK);
    FILE *f = fopen(obb_path_join(d->arena, d->temporary, "room"), "wb");
    bool full = !f;
    memset(zeros, 0, CHUNK);
    for (int i = 0; i < CHUNKS && !full; i++)
        full = fwrite(zeros, 1, CHUNK, f) != CHUNK;
    if (f)
        full = fclose(f) != 0 || full;
    unlink(obb_path_join(d->arena, d->temporary, "room"));
    free(zeros);
    return full;
}

/* The first error of what a compiler said: behind the word, which assemblers begin with `E`. Lines of
 * sources, which warnings show as well, begin with blanks. NULL: there is none. */
static const char *first_error(const char *text)
{
    for (const char *at = text; (at = strstr(at, "rror: ")); at++) {
        const char *line = at;
        while (line > text && line[-1] != '\n')
            line--;
        if (at > line && (at[-1] == 'e' || at[-1] == 'E') && (at - 1 == line || at[-2] == ' ') &&
            *line != ' ')
            return at + strlen("rror: ");
    }
    return NULL;
}

/* The place of an error; where that is a header of the system, of what it contradicts, which a note tells. */
static void find_place(draft *d, draft_file *f, const char *text, const char *error)
{
    const char *line = error;
    while (line > text && line[-1] != '\n')
        line--;
    bool found = take_place(d, f, line);
    while (!found && (line = strchr(line, '\n')) && *++line) {
        const char *end = line + strcspn(line, "\n"), *note = strstr(line, " note: "),
                   *next = strstr(line, "rror: ");
        if (next && next < end)
            return;
        found = note && note < end && take_place(d, f, line);
    }
}

/* The first line that says what is wrong, without the place; then the line of the source that it is about,
 * and a line that points into it. Both may stand behind a bar and the number of the line, as gcc and newer
 * clangs write them. */
static void take_error(draft *d, draft_file *f, const obb_answer *answer)
{
    const char *text = obb_text_bytes(&answer->err), *at = first_error(text), *said;
    size_t length;
    if (obb_answer_is_unsure(answer, &said, &length) && is_full(d))
        d->failed = obb_arena_format(d->arena, "the temporary folder %s is full; TMPDIR names another",
                                     obb_temporary_folder());
    at = at ? at : text;
    find_place(d, f, text, at);
    size_t n = strcspn(at, "\n");
    const char *line = at[n] ? at + n + 1 : "", *pointer = strchr(line, '\n');
    size_t number = strspn(line, " 0123456789"),
           before = line[number] == '|' && line[number + 1] == ' ' ? number + 2 : 0;
    f->wrong = obb_arena_copy(d->arena, at, n);
    f->shown = pointer ? obb_arena_copy(d->arena, line + before, (size_t)(pointer - line) - before) : NULL;
    f->column = pointer ? strcspn(pointer + 1, "^\n") : 0;
    f->column = f->column > before ? f->column - before : 0;
    f->missing = missing_in(d, f->wrong);
}

static void note_missing(draft *d, const draft_file *f)
{
    const char *name = f->missing;
    if (name && !obb_has_word(&d->missing, name))
        obb_arena_push(d->arena, &d->missing, name);
}

static void take_answer(draft *d, draft_file *f, const obb_answer *answer)
{
    f->compiled = !answer->failed && answer->status == 0;
    f->wrong = f->wrong_in = f->shown = f->missing = NULL;
    if (answer->failed)
        f->wrong = d->unstarted =
            obb_arena_format(d->arena, "the compiler `%s` cannot be started (%s); CC and CXX name others",
                             compiler(f->language == OBB_CXX), strerror(answer->failed));
    else if (!f->compiled)
        take_error(d, f, answer);
}

/* The later, the better: an error that is stated in the code is less than one that the compiler finds. */
typedef enum effect { SAME_ERROR, REFUSED, OTHER_ERROR, NO_ERROR } effect;

static effect effect_of(draft *d, const draft_file *f, const obb_answer *answer)
{
    draft_file now = *f;
    take_answer(d, &now, answer);
    bool same = now.wrong_in && f->wrong_in && strcmp(now.wrong_in, f->wrong_in) == 0 &&
                now.wrong_line == f->wrong_line && strcmp(now.wrong, f->wrong) == 0;
    return now.compiled ? NO_ERROR : same ? SAME_ERROR : draft_is_refusal(&now) ? REFUSED : OTHER_ERROR;
}

/* Commands that run side by side, and the numbers of the files that they are about. */
typedef struct batch {
    size_t most, count;
    const char *const **commands;
    size_t *numbers;
    obb_answer *answers;
} batch;

static batch open_batch(const draft *d)
{
    batch b = {.most = d->request->jobs ? d->request->jobs : 1};
    b.commands = obb_alloc(b.most * sizeof *b.commands);
    b.numbers = obb_alloc(b.most * sizeof *b.numbers);
    b.answers = obb_alloc(b.most * sizeof *b.answers);
    return b;
}

static void close_batch(batch *b)
{
    free(b->commands);
    free(b->numbers);
    free(b->answers);
}

static void add_command(batch *b, size_t number, const char *const *command)
{
    b->numbers[b->count] = number;
    b->commands[b->count++] = command;
}

static void ask(batch *b)
{
    obb_ask_all(b->commands, b->count, NULL, b->answers);
}

static void forget_answers(batch *b)
{
    for (size_t k = 0; k < b->count; k++)
        obb_answer_free(&b->answers[k]);
    b->count = 0;
}

size_t draft_try(draft *d, draft_file *f, const obb_words *words, bool *compiles)
{
    batch b = open_batch(d);
    size_t best = words->count;
    effect reached = SAME_ERROR;
    for (size_t i = 0; i < words->count && reached != NO_ERROR && !stops(d);) {
        for (; i < words->count && b.count < b.most; i++) {
            obb_words *into = *words->at[i] == '-' ? &f->flags : &d->defines;
            obb_arena_push(d->arena, into, words->at[i]);
            add_command(&b, i, command_for(d, f, new_object(d)));
            into->count--;
            d->tries += into == &d->defines;
        }
        ask(&b);
        for (size_t k = 0; k < b.count; k++) {
            effect e = effect_of(d, f, &b.answers[k]);
            best = e > reached ? b.numbers[k] : best;
            reached = e > reached ? e : reached;
        }
        forget_answers(&b);
    }
    close_batch(&b);
    *compiles = reached == NO_ERROR;
    return best;
}

size_t draft_compile_rest(draft *d, bool note)
{
    batch b = open_batch(d);
    size_t compiled = 0, done = 0;
    for (size_t i = 0; i < d->files.count && !stops(d);) {
        for (; i < d->files.count && b.count < b.most; i++) {
            draft_file *f = d->files.at[i];
            if (f->header || f->compiled || draft_is_foreign(f))
                continue;
            f->object = new_object(d);
            add_command(&b, i, command_for(d, f, f->object));
        }
        ask(&b);
        for (size_t k = 0; k < b.count; k++) {
            draft_file *f = d->files.at[b.numbers[k]];
            take_answer(d, f, &b.answers[k]);
            compiled += f->compiled;
            if (note && !f->compiled)
                note_missing(d, f);
        }
        done += b.count;
        if (b.count && d->request->progress)
            d->request->progress(d->request->self, done, d->result->sources);
        forget_answers(&b);
    }
    close_batch(&b);
    return compiled;
}

/* --- objects ------------------------------------------------------------------------ */

static void add_definer(draft *d, const char *symbol, draft_file *f)
{
    draft_definers *all = obb_map_get(&d->definers, symbol);
    if (!all) {
        all = obb_arena_alloc(d->arena, sizeof *all);
        obb_map_put(&d->definers, symbol, all);
    }
    obb_arena_push(d->arena, &all->files, f);
}

static void read_object(draft *d, draft_file *f, const char *object)
{
    obb_elf_names names = {0};
    if (!obb_elf_read_names(object, d->arena, &names))
        return;
    f->defines = names.defined;
    f->lacks = names.wanted;
    size_t count = draft_stands_in(d, f) ? 0 : f->defines.count;
    for (size_t i = 0; i < count; i++)
        if (strcmp(f->defines.at[i], "main") == 0)
            f->is_main = true;
        else
            add_definer(d, f->defines.at[i], f);
}

bool draft_write_trial(draft *d, const char *name, const char *text, size_t length)
{
    const char *path = draft_trial_path(d, name);
    int failed = obb_path_make_folders(path);
    if (!failed)
        failed = obb_file_write(path, text, length, NULL);
    if (failed)
        d->failed = obb_arena_format(d->arena, "cannot write %s (%s); TMPDIR names another folder", path,
                                     strerror(failed));
    return !failed;
}

static void remove_temporary(const draft *d)
{
    obb_below_remove_all(d->temporary, NULL);
    rmdir(d->temporary);
}

/* By the name of a file: those that are included by a path that ends so. */
typedef struct included {
    OBB_VEC(draft_file *) by;
} included;

static void list_included(draft *d, obb_map *names)
{
    for (size_t i = 0; i < d->files.count; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count; k++) {
            const char *name = obb_path_name(d->files.at[i]->includes.at[k].name);
            included *in = obb_map_get(names, name);
            if (!in) {
                in = obb_arena_alloc(d->arena, sizeof *in);
                obb_map_put(names, name, in);
            }
            obb_arena_push(d->arena, &in->by, d->files.at[i]);
        }
}

/* Whether a file includes a path: seen from its folder, or, by the name alone, from wherever it is looked
 * for. */
static bool includes(draft *d, const draft_file *f, const char *path)
{
    bool does = false;
    for (size_t i = 0; i < f->includes.count && !does; i++) {
        const char *name = f->includes.at[i].name;
        does = strcmp(name, obb_path_name(path)) == 0 ||
               strcmp(obb_path_join(d->arena, f->folder, name), path) == 0;
    }
    return does;
}

/* Sources that others include, and that do not compile alone, are parts of these. */
static void find_parts(draft *d)
{
    obb_map names = {0};
    list_included(d, &names);
    for (size_t i = 0; i < d->files.count; i++) {
        draft_file *f = d->files.at[i];
        const included *in = f->header || f->compiled ? NULL : obb_map_get(&names, obb_path_name(f->path));
        for (size_t k = 0; in && k < in->by.count && !f->part_of; k++)
            if (in->by.at[k] != f && includes(d, in->by.at[k], f->path))
                f->part_of = in->by.at[k]->path;
        d->result->sources -= f->part_of && !f->known && !draft_is_foreign(f);
    }
    obb_map_free(&names);
}

/* A header of the system is not meant where the tree has a template of it, and it is in quotation marks: it
 * is missed, though compilers do not miss it. */
static void miss_templates(draft *d, obb_words *expected)
{
    obb_map names = {0};
    for (size_t i = 0; i < d->files.count; i++)
        if (d->files.at[i]->header && !draft_is_template(d->files.at[i]->path))
            obb_map_put(&names, obb_path_name(d->files.at[i]->path), d);
    for (size_t i = 0; i < d->files.count; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count; k++) {
            const named_include *in = &d->files.at[i]->includes.at[k];
            if (in->quoted && !obb_map_put(&names, obb_path_name(in->name), d) &&
                draft_template_of(d, in->name) && !obb_has_word(&d->missing, in->name)) {
                obb_arena_push(d->arena, &d->missing, in->name);
                obb_arena_push(d->arena, expected, in->name);
            }
        }
    obb_map_free(&names);
}

static void make_headers(draft *d)
{
    for (int round = 0; round < DRAFT_ROUNDS && draft_make_headers(d); round++)
        draft_compile_rest(d, true);
    for (size_t i = 0; i < d->made.count; i++)
        draft_forget_missing(d, d->made.at[i].name);
}

/* Of these files (numbers), or of all that compile, those that call functions that are not declared. */
static void find_undeclared(draft *d, const obb_file_list *among, obb_file_list *undeclared)
{
    batch b = open_batch(d);
    const size_t count = among ? among->count : d->files.count;
    for (size_t i = 0; i < count && !stops(d);) {
        for (; i < count && b.count < b.most; i++) {
            const size_t number = among ? among->at[i] : i;
            const draft_file *f = d->files.at[number];
            if (f->compiled && f->language == OBB_C)
                add_command(&b, number, command_for(d, f, NULL));
        }
        ask(&b);
        for (size_t k = 0; k < b.count; k++)
            if (b.answers[k].status)
                obb_arena_push(d->arena, undeclared, (obb_file)b.numbers[k]);
        forget_answers(&b);
    }
    close_batch(&b);
}

/* Whether functions are declared now that were not; then those that call them are compiled again. */
static bool declares_more(draft *d, const obb_file_list *undeclared)
{
    obb_file_list still = {0};
    find_undeclared(d, undeclared, &still);
    for (size_t i = 0; i < undeclared->count && still.count < undeclared->count; i++)
        d->files.at[undeclared->at[i]]->compiled = false;
    if (still.count < undeclared->count)
        draft_compile_rest(d, false);
    return still.count < undeclared->count;
}

/* It stands in front of the macros whose values are made up. */
static void try_gnu_source(draft *d)
{
    static const char name[] = "_GNU_SOURCE";
    obb_file_list undeclared = {0};
    if (obb_has_word(&d->defines, name))
        return;
    find_undeclared(d, NULL, &undeclared);
    obb_arena_push(d->arena, &d->defines, name);
    size_t last = d->defines.count - 1, at = last - d->guessed;
    memmove(d->defines.at + at + 1, d->defines.at + at, (last - at) * sizeof *d->defines.at);
    d->defines.at[at] = name;
    if (draft_compile_rest(d, false) || declares_more(d, &undeclared))
        return;
    memmove(d->defines.at + at, d->defines.at + at + 1, (last - at) * sizeof *d->defines.at);
    d->defines.count--;
}

static void compile_all(draft *d)
{
    draft_compile_rest(d, true);
    if (d->unstarted && !draft_count_compiled(d))
        return;
    obb_words expected = {0};
    miss_templates(d, &expected);
    make_headers(d);
    draft_configure(d);
    make_headers(d); /* which are missed only behind that of the configuration */
    for (size_t i = 0; i < expected.count; i++)
        if (!draft_count_missing(d, expected.at[i]))
            draft_forget_missing(d, expected.at[i]);
    try_gnu_source(d);
    draft_guess(d);
    if (d->guessed)
        try_gnu_source(d); /* for what only these macros have brought to light */
    find_parts(d);
    for (size_t i = 0; i < d->files.count; i++) {
        d->result->compiled += d->files.at[i]->compiled && draft_is_counted(d->files.at[i]);
        if (d->files.at[i]->compiled)
            read_object(d, d->files.at[i], d->files.at[i]->object);
    }
}

const char *draft_compile(draft *d)
{
    struct sigaction before[SIGNALS];
    d->temporary = obb_arena_format(d->arena, "%s/obbligato-draft-XXXXXX", obb_temporary_folder());
    if (!mkdtemp(d->temporary))
        return obb_arena_format(d->arena, "there can be no temporary folder: %s", strerror(errno));
    take_signals(before);
    compile_all(d);
    remove_temporary(d);
    leave_signals(before);
    d->result->interrupted = interrupted;
    return interrupted                                ? "interrupted"
           : d->failed                                ? d->failed
           : d->unstarted && !draft_count_compiled(d) ? d->unstarted
                                                      : NULL;
}
