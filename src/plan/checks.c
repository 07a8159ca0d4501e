/* Compiling checks (plan/checks.h). A block is answered in rounds: what is remembered; what the scan knows by
 * itself (a header that is nowhere); all others in one text, without those that failed until it compiles;
 * each of these alone; then, for each set of headers by itself, what a header of another set may have
 * declared. So a wrong "yes" and a wrong "no" of a shared text are both found. */
#include "plan/checks.h"

#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "plan/check_compiles.h"
#include "toolchain/dialect.h"
#include "toolchain/spell.h"

enum { MOST_ROUNDS = 6, SHORTEST_PIECE = 3 };

/* --- what came of it ---------------------------------------------------------------- */

/* The first complaint of a compiler, without the place in a text that nobody has. */
static const char *complaint(const obb_check_asker *a, const char *said)
{
    const char *error = strstr(said, "error: ");
    const char *from = error ? error + strlen("error: ") : said;
    return obb_arena_copy(a->c->arena, from, strcspn(from, "\n"));
}

static void remember(const obb_check_asker *a, const obb_check_unit *u)
{
    obb_text text = {0};
    if (obb_fingerprint_same(u->key, OBB_NO_FINGERPRINT))
        return;
    obb_text_format(&text, "%c%lld\n%s", u->answer->holds ? '+' : '-', (long long)u->answer->value,
                    u->answer->words ? u->answer->words : "");
    obb_toolchain_remember(a->tc, u->key, obb_text_bytes(&text), text.length);
    obb_text_free(&text);
}

static bool recall(const obb_check_asker *a, obb_check_unit *u)
{
    obb_text text = {0};
    bool known = !obb_fingerprint_same(u->key, OBB_NO_FINGERPRINT) &&
                 a->c->toolchains->memo.get(a->c->toolchains->memo.self, u->key, &text) && text.length > 2;
    if (known) {
        char *end;
        u->answer->holds = text.bytes[0] == '+';
        u->answer->value = strtoll(text.bytes + 1, &end, 10);
        u->answer->words = *end && end[1] ? obb_arena_string(a->c->arena, end + 1) : NULL;
    }
    obb_text_free(&text);
    return known;
}

static void answer(obb_check_asker *a, obb_check_unit *u, bool holds, const char *words)
{
    const obb_header_set *set = u->check->headers.count ? &a->sets.at[u->set] : NULL;
    u->open = false;
    u->answer->holds = holds;
    u->answer->words = !holds && words && set && set->left_out
                           ? obb_arena_format(a->c->arena, "%s; there is no header %s", words, set->left_out)
                           : words;
    a->any_held = a->any_held || holds;
    remember(a, u);
}

static bool has_value(const obb_check *c)
{
    return c->kind == OBB_CHECK_SIZE || c->kind == OBB_CHECK_CONSTANT;
}

/* Reads a value from the object that holds its mark. */
static void take_value(const obb_text *object, obb_check_unit *u)
{
    char mark[40];
    size_t n = (size_t)snprintf(mark, sizeof mark, "obb-value-%zu=", u->check->number);
    const char *at = object->bytes, *end = at + object->length;
    for (; at && (at = memchr(at, mark[0], (size_t)(end - at))); at++)
        if ((size_t)(end - at) > n + 21 && memcmp(at, mark, n) == 0) {
            char digits[22] = {0};
            memcpy(digits, at + n, 21);
            u->answer->value = *digits == '-' ? strtoll(digits, NULL, 10)
                                              : (int64_t)strtoull(digits + 1, NULL, 10);
            return;
        }
}

/* What compiled holds. */
static void accept(obb_check_asker *a, const obb_check_text *t, const obb_check_units *list)
{
    obb_text object = {0};
    bool read = false;
    for (size_t i = 0; i < list->count; i++) {
        if (has_value(list->at[i]->check) && !read)
            read = obb_file_read(t->object, &object) == 0;
        if (has_value(list->at[i]->check) && read && object.length)
            take_value(&object, list->at[i]);
        answer(a, list->at[i], true, NULL);
    }
    obb_text_free(&object);
}

/* --- what only other headers declare ------------------------------------------------ */

/* The words of a file. */
static const obb_map *tokens_of(obb_check_asker *a, obb_file file)
{
    const char *path = obb_files_path(a->c->files, file);
    obb_map *words = obb_map_get(&a->tokens, path);
    obb_text text = {0};
    if (words)
        return words;
    words = obb_arena_alloc(a->c->arena, sizeof *words);
    obb_map_put(&a->tokens, path, words);
    if (obb_files_read(a->c->files, file, &text))
        text.length = 0;
    for (const char *s = obb_text_bytes(&text); *s;) {
        size_t n = 0;
        while (isalnum((unsigned char)s[n]) || s[n] == '_')
            n++;
        if (n)
            obb_map_put(words, obb_arena_copy(a->c->arena, s, n), words);
        s += n ? n : 1;
    }
    obb_text_free(&text);
    return words;
}

/* Whether a file may declare a name: it has it as a word, or the beginning of it, which some macro may paste
 * something to. */
static bool may_declare(obb_check_asker *a, obb_file file, const char *name)
{
    const obb_map *words = tokens_of(a, file);
    bool may = obb_map_get(words, name) != NULL;
    for (size_t n = strlen(name); n > SHORTEST_PIECE && !may; n--)
        may = obb_map_get(words, obb_arena_copy(a->c->arena, name, n - 1)) != NULL;
    return may;
}

static bool among(const obb_file_list *files, obb_file file)
{
    for (size_t i = 0; i < files->count; i++)
        if (files->at[i] == file)
            return true;
    return false;
}

/* The word of a check that must be declared. */
static const char *name_of(const obb_check_asker *a, const obb_check *c)
{
    const char *text = c->subject, *last = text;
    for (const char *s = text; *s; s++)
        if (!isalnum((unsigned char)*s) && *s != '_' && (isalnum((unsigned char)s[1]) || s[1] == '_'))
            last = s + 1;
    size_t n = 0;
    while (isalnum((unsigned char)last[n]) || last[n] == '_')
        n++;
    return obb_arena_copy(a->c->arena, last, n);
}

/* Whether a header that stood before in the shared text may have declared what this check looks for: one that
 * its own headers do not read, or that does something else each time it is read (as stddef.h does). */
static bool is_doubtful(obb_check_asker *a, const obb_check_unit *u, const obb_file_list *before)
{
    const char *name = name_of(a, u->check);
    if (u->check->kind == OBB_CHECK_HEADER || !*name)
        return false;
    for (size_t i = 0; i < before->count; i++)
        if (may_declare(a, before->at[i], name) &&
            (!obb_scan_is_guarded(a->c->scanner, before->at[i]) ||
             !among(&a->sets.at[u->set].files, before->at[i])))
            return true;
    return false;
}

/* --- rounds ------------------------------------------------------------------------- */

static void compile_alone(obb_check_asker *a, const obb_check_units *list)
{
    obb_check_text *texts = obb_arena_alloc(a->c->arena, (list->count + 1) * sizeof *texts);
    for (size_t i = 0; i < list->count; i++) {
        obb_text text = {0};
        const obb_check_units one = {.at = &list->at[i], .count = 1};
        obb_check_add_units(&text, a, &one);
        texts[i].source = obb_check_write(a, &text);
        obb_text_free(&text);
        if (!texts[i].source)
            return;
    }
    obb_check_compile(a, texts, list->count);
    for (size_t i = 0; i < list->count; i++) {
        const obb_check_units one = {.at = &list->at[i], .count = 1};
        if (texts[i].ok)
            accept(a, &texts[i], &one);
        else
            answer(a, list->at[i], false, complaint(a, texts[i].said));
    }
}

/* Which units a compiler complains about: by the names that `#line` gave their texts, and by those of the
 * texts from which a header was read that it complains about. */
static size_t find_complaints(const obb_check_asker *a, const char *said, bool *failed)
{
    size_t found = 0, from = SIZE_MAX;
    for (const char *line = said; *line;) {
        size_t n = strcspn(line, "\n");
        const char *copy = obb_arena_copy(a->c->arena, line, n), *mark = strstr(copy, "check-");
        size_t number = mark ? (size_t)strtoul(mark + strlen("check-"), NULL, 10) : SIZE_MAX;
        bool error = strstr(copy, "error") != NULL;
        if (mark && !error)
            from = number;
        size_t blamed = number != SIZE_MAX ? number : from;
        for (size_t i = 0; error && i < a->units.count; i++)
            if (a->units.at[i].check->number == blamed && !failed[i]) {
                failed[i] = true;
                found++;
            }
        line += n + (line[n] == '\n');
    }
    return found;
}

static void share(obb_check_asker *a, const obb_check_units *list);

static void halve(obb_check_asker *a, const obb_check_units *list)
{
    const obb_check_units first = {.at = list->at, .count = list->count / 2},
                    second = {.at = list->at + list->count / 2, .count = list->count - list->count / 2};
    share(a, &first);
    share(a, &second);
}

/* Compiles units in one text; what is complained about goes out of it, until it compiles. */
static void share(obb_check_asker *a, const obb_check_units *list)
{
    obb_check_units rest = {0}, suspects = {0};
    if (list->count < 2) {
        compile_alone(a, list);
        return;
    }
    for (size_t i = 0; i < list->count; i++)
        obb_arena_push(a->c->arena, &rest, list->at[i]);
    for (int round = 0; rest.count; round++) {
        obb_text text = {0};
        obb_check_add_units(&text, a, &rest);
        obb_check_text t = {.source = obb_check_write(a, &text)};
        obb_text_free(&text);
        if (!t.source)
            return;
        obb_check_compile(a, &t, 1);
        if (t.ok) {
            accept(a, &t, &rest);
            break;
        }
        bool *failed = obb_arena_alloc(a->c->arena, a->units.count + 1);
        if (round == MOST_ROUNDS || !find_complaints(a, t.said, failed)) {
            halve(a, &rest);
            break;
        }
        obb_check_units good = {0};
        for (size_t i = 0; i < rest.count; i++)
            obb_arena_push(a->c->arena, failed[rest.at[i] - a->units.at] ? &suspects : &good, rest.at[i]);
        if (good.count == rest.count) {
            halve(a, &rest);
            break;
        }
        rest = good;
    }
    if (suspects.count)
        compile_alone(a, &suspects);
}

/* Adds what a set brings to what stands before the next one. */
static void bring(const obb_check_asker *a, size_t set, obb_file_list *before)
{
    const obb_file_list *files = &a->sets.at[set].files;
    for (size_t i = 0; i < files->count; i++)
        if (!among(before, files->at[i]))
            obb_arena_push(a->c->arena, before, files->at[i]);
}

/* Of units that shared a text in this order: those that hold, and may do so only because of another set's
 * headers. */
static obb_check_units find_doubtful(obb_check_asker *a, const obb_check_units *list)
{
    obb_file_list before = {0};
    obb_check_units found = {0};
    for (size_t i = 0; i < list->count; i++) {
        obb_check_unit *u = list->at[i];
        if (i && list->at[i - 1]->set != u->set)
            bring(a, list->at[i - 1]->set, &before);
        if (u->answer->holds && is_doubtful(a, u, &before))
            obb_arena_push(a->c->arena, &found, u);
    }
    return found;
}

/* Takes the sets out of a list that can share a text without doubt, in this order; the others stay in it. */
static obb_check_units take_sure(obb_check_asker *a, obb_check_units *list)
{
    obb_file_list before = {0};
    obb_check_units sure = {0}, others = {0};
    for (size_t from = 0, end; from < list->count; from = end) {
        bool doubt = false;
        for (end = from; end < list->count && list->at[end]->set == list->at[from]->set; end++)
            doubt = doubt || is_doubtful(a, list->at[end], &before);
        for (size_t i = from; i < end; i++)
            obb_arena_push(a->c->arena, doubt ? &others : &sure, list->at[i]);
        if (!doubt)
            bring(a, list->at[from]->set, &before);
    }
    *list = others;
    return sure;
}

/* What is doubtful shares further texts, each of sets that leave no doubt about each other. Nothing stands
 * before the first set, so there are fewer each time. */
static void settle_doubts(obb_check_asker *a, const obb_check_units *shared)
{
    obb_check_units list = find_doubtful(a, shared);
    while (list.count) {
        const obb_check_units sure = take_sure(a, &list);
        share(a, &sure);
    }
}

/* --- what is known without compiling ------------------------------------------------ */

static bool same_headers(const obb_words *a, const obb_words *b)
{
    bool same = a->count == b->count;
    for (size_t i = 0; same && i < a->count; i++)
        same = strcmp(a->at[i], b->at[i]) == 0;
    return same;
}

/* Scans a text that is nowhere on disk; the files that it reads, and a header that is missing. */
static void scan_text(obb_check_asker *a, const obb_text *text, obb_header_set *set)
{
    obb_check_context *c = a->c;
    const obb_fingerprint contents = obb_fingerprint_of(obb_text_bytes(text), text->length);
    obb_file file = obb_files_number(c->files,
                                     obb_arena_format(c->arena, "%s/obbligato-check-%016llx.%s",
                                                      obb_temporary_folder(),
                                                      (unsigned long long)contents.low, obb_check_suffix(a)));
    obb_scan_result r = {0};
    obb_files_provide(c->files, file, obb_arena_string(c->arena, obb_text_bytes(text)), text->length);
    obb_scan(c->scanner, a->setup, file, false, &r);
    for (size_t i = 1; i < r.files.count; i++)
        obb_arena_push(c->arena, &set->files, r.files.at[i]);
    set->known = !r.undecided && !r.waits;
    if (r.missing.count && set->known)
        set->missing = obb_arena_string(c->arena, r.missing.at[0].name);
    obb_scan_result_free(&r);
    obb_files_forget(c->files, file);
}

static bool leave_out(obb_check_asker *a, obb_header_set *set, const char *missing)
{
    obb_words left = {0};
    for (size_t i = 0; i < set->headers.count; i++)
        if (strcmp(set->headers.at[i], missing) != 0)
            obb_arena_push(a->c->arena, &left, set->headers.at[i]);
    if (left.count == set->headers.count || !left.count)
        return false;
    set->headers = left;
    if (!set->left_out)
        set->left_out = missing;
    return true;
}

/* Of several headers, those that the platform does not have are left out, since each system declares things
 * elsewhere; but not the one that is looked for. */
static void scan_set(obb_check_asker *a, obb_header_set *set, const char *sought)
{
    bool again = true;
    while (again) {
        obb_text text = {0};
        set->files.count = 0;
        set->missing = NULL;
        obb_check_add_headers(&text, set);
        scan_text(a, &text, set);
        obb_text_free(&text);
        again = set->missing && !(sought && strcmp(set->missing, sought) == 0) &&
                leave_out(a, set, set->missing);
    }
}

/* The set of a check's headers; a header that is looked for counts as one. */
static size_t set_of(obb_check_asker *a, const obb_check *check)
{
    obb_words headers = {0};
    for (size_t i = 0; i < check->headers.count; i++)
        obb_arena_push(a->c->arena, &headers, check->headers.at[i]);
    if (check->kind == OBB_CHECK_HEADER)
        obb_arena_push(a->c->arena, &headers, check->subject);
    for (size_t i = 0; i < a->sets.count; i++)
        if (same_headers(&a->sets.at[i].stated, &headers))
            return i;
    obb_header_set set = {.stated = headers, .headers = headers};
    if (a->setup)
        scan_set(a, &set, check->kind == OBB_CHECK_HEADER ? check->subject : NULL);
    obb_arena_push(a->c->arena, &a->sets, set);
    return a->sets.count - 1;
}

/* All that decides an answer; none when the scan could not follow all of it. */
static obb_fingerprint key_of(obb_check_asker *a, const obb_check *check, const obb_file_list *files)
{
    obb_hasher *p = obb_hasher_new();
    const obb_words *lists[] = {&a->tool->command, &a->flags, &a->includes, &a->defines, &check->headers};
    bool known = true;
    obb_hasher_string(p, "check 1");
    obb_hasher_add(p, &a->tool->identity, sizeof a->tool->identity);
    obb_compiler_environment(p);
    for (size_t l = 0; l < sizeof lists / sizeof *lists; l++)
        for (size_t i = 0; lists[l] && i <= lists[l]->count; i++)
            obb_hasher_string(p, i < lists[l]->count ? lists[l]->at[i] : NULL);
    obb_hasher_add(p, &check->kind, sizeof check->kind);
    obb_hasher_string(p, check->subject);
    obb_hasher_string(p, check->of);
    for (size_t i = 0; i < files->count && known; i++) {
        obb_fingerprint fingerprint;
        known = obb_files_fingerprint(a->c->files, files->at[i], &fingerprint) == 0;
        obb_hasher_string(p, obb_files_path(a->c->files, files->at[i]));
        obb_hasher_add(p, &fingerprint, sizeof fingerprint);
    }
    obb_fingerprint key = obb_hasher_end(p);
    return known ? key : OBB_NO_FINGERPRINT;
}

/* --- flags and whole sources -------------------------------------------------------- */

static void answer_flags(obb_check_asker *a, const obb_check_units *list)
{
    obb_text empty = {0};
    obb_text_string(&empty, "int obb_text_end;\n");
    obb_check_text *texts = obb_arena_alloc(a->c->arena, (list->count + 1) * sizeof *texts);
    obb_words *flags = obb_arena_alloc(a->c->arena, (list->count + 1) * sizeof *flags);
    const char *source = list->count ? obb_check_write(a, &empty) : NULL;
    obb_text_free(&empty);
    if (!source)
        return;
    obb_words all = {0};
    for (size_t i = 0; i < list->count; i++)
        obb_arena_push(a->c->arena, &all, list->at[i]->check->subject);
    obb_check_text together = {.source = source, .more = &all};
    obb_check_compile(a, &together, 1);
    for (size_t i = 0; i < list->count; i++) {
        obb_arena_push(a->c->arena, &flags[i], list->at[i]->check->subject);
        texts[i] = (obb_check_text){.source = source, .more = &flags[i]};
    }
    if (!together.ok && list->count > 1)
        obb_check_compile(a, texts, list->count);
    for (size_t i = 0; i < list->count; i++) {
        const obb_check_text *t = list->count > 1 && !together.ok ? &texts[i] : &together;
        answer(a, list->at[i], t->ok, t->ok ? NULL : complaint(a, t->said));
    }
}

static void answer_sources(obb_check_asker *a, const obb_check_units *list)
{
    obb_check_text *texts = obb_arena_alloc(a->c->arena, (list->count + 1) * sizeof *texts);
    for (size_t i = 0; i < list->count; i++)
        texts[i].source = list->at[i]->check->file;
    obb_check_compile(a, texts, list->count);
    for (size_t i = 0; i < list->count; i++)
        answer(a, list->at[i], texts[i].ok, texts[i].ok ? NULL : complaint(a, texts[i].said));
}

/* What a source reads: its own scan; a source that is not there is an error of the description. */
static bool scan_source(obb_check_asker *a, const obb_check *check, obb_file_list *files)
{
    obb_file file = obb_files_number(a->c->files, check->file);
    obb_scan_result r = {0};
    if (!obb_files_is_file(a->c->files, file)) {
        obb_diag *d = obb_error(a->c->diags, OBB_FAULT_DESCRIPTION, check->place, "there is no file `%s`",
                                check->file);
        obb_hint(a->c->diags, d, "`compiles %s FILE` names a source of the project", check->subject);
        return false;
    }
    obb_arena_push(a->c->arena, files, file);
    if (a->setup) {
        obb_scan(a->c->scanner, a->setup, file, false, &r);
        for (size_t i = 1; i < r.files.count; i++)
            obb_arena_push(a->c->arena, files, r.files.at[i]);
    }
    obb_scan_result_free(&r);
    return true;
}

/* --- one block ---------------------------------------------------------------------- */

/* Decides what it can, and gives the unit a key. */
static void prepare(obb_check_asker *a, obb_check_unit *u)
{
    const obb_check *c = u->check;
    obb_file_list files = {0};
    u->open = true;
    if (c->kind == OBB_CHECK_FLAG) {
        u->key = key_of(a, c, &files);
    } else if (c->kind == OBB_CHECK_COMPILES) {
        u->open = scan_source(a, c, &files);
        u->key = key_of(a, c, &files);
    } else {
        u->set = set_of(a, c);
        const obb_header_set *set = &a->sets.at[u->set];
        u->key = set->known ? key_of(a, c, &set->files) : OBB_NO_FINGERPRINT;
        u->files = set->files.count;
        if (set->missing) {
            u->open = false;
            u->answer->words = obb_arena_format(a->c->arena, "there is no header %s", set->missing);
        }
    }
    if (u->open && recall(a, u))
        u->open = false;
    a->any_held = a->any_held || u->answer->holds;
}

/* Headers that read little declare little that the next ones do not. */
static int by_set(const void *x, const void *y)
{
    const obb_check_unit *a = *(obb_check_unit *const *)x, *b = *(obb_check_unit *const *)y;
    if (a->files != b->files)
        return a->files < b->files ? -1 : 1;
    if (a->set != b->set)
        return a->set < b->set ? -1 : 1;
    return a->check->number < b->check->number ? -1 : a->check->number > b->check->number;
}

/* Settings that the compiler refuses would make every answer "no". */
static void check_refusal(obb_check_asker *a)
{
    obb_text text = {0};
    bool any_no = false;
    for (size_t i = 0; i < a->units.count; i++)
        any_no = any_no || (!a->units.at[i].answer->holds && a->units.at[i].answer->words);
    if (a->any_held || !any_no)
        return;
    obb_text_string(&text, "int obb_text_end;\n");
    obb_check_text t = {.source = obb_check_write(a, &text)};
    obb_text_free(&text);
    if (t.source)
        obb_check_compile(a, &t, 1);
    if (!t.source || t.ok)
        return;
    obb_diag
        *d = obb_error(a->c->diags, OBB_FAULT_DESCRIPTION, a->block->place,
                       "the compiler %s does not compile an empty text with the settings of `checks`: %s",
                       a->tool->command.at[0], complaint(a, t.said));
    obb_hint(a->c->diags, d, "its settings are those of the platform, the configuration and the project");
}

static void answer_units(obb_check_asker *a)
{
    obb_check_units shared = {0}, flags = {0}, sources = {0};
    for (size_t i = 0; i < a->units.count; i++) {
        obb_check_unit *u = &a->units.at[i];
        prepare(a, u);
        if (u->open)
            obb_arena_push(a->c->arena,
                           u->check->kind == OBB_CHECK_FLAG       ? &flags
                           : u->check->kind == OBB_CHECK_COMPILES ? &sources
                                                                  : &shared,
                           u);
    }
    if (shared.count)
        qsort(shared.at, shared.count, sizeof *shared.at, by_set);
    if (shared.count) {
        share(a, &shared);
        settle_doubts(a, &shared);
    }
    answer_flags(a, &flags);
    answer_sources(a, &sources);
    check_refusal(a);
}

/* Words of the block's compiles; false when there is no compiler for them. */
static bool find_words(obb_check_asker *a, const obb_variant *v)
{
    obb_arena *arena = a->c->arena;
    a->tc = obb_toolchains_for(a->c->toolchains, v);
    a->language = a->block->cxx ? OBB_CXX : OBB_C;
    a->tool = obb_toolchain_need(a->tc, a->block->cxx ? OBB_TOOL_CXX : OBB_TOOL_C,
                                 obb_arena_format(arena, "`checks` (%s)", v->name), a->block->place,
                                 a->c->diags);
    if (!a->tool)
        return false;
    const obb_flat_settings settings = obb_resolve_checks(v, a->block, arena);
    obb_spell_includes(&settings, arena, &a->includes);
    obb_spell_defines(&settings, arena, &a->defines);
    if (a->tc->custom) {
        obb_spell_custom(a->tc->custom, a->language, &settings, arena, &a->flags);
        if (!obb_custom_command(a->tc->custom, a->language)->count)
            return false;
    } else {
        const obb_compile_facts facts = {.machine = a->tool->target, .language = a->language,
                                         .settings = &settings};
        obb_spell_compile(&facts, arena, &a->flags);
    }
    const obb_dialect *d = obb_dialect_for(a->tc, a->tool, a->language, &a->flags);
    if (d->ok)
        a->setup = obb_scanner_setup(a->c->scanner, d, &a->includes, &a->defines);
    return true;
}

static void answer_block(obb_check_context *c, const obb_variant *v, const obb_checks *block,
                         obb_check_answer *answers)
{
    obb_check_asker a = {.c = c, .block = block};
    const obb_project *p = v->project;
    for (size_t i = 0; i < p->checks.count; i++)
        if (p->checks.at[i]->block == block && obb_condition_holds(v, p->checks.at[i]->condition)) {
            answers[i].asked = true;
            obb_arena_push(c->arena, &a.units,
                           (obb_check_unit){.check = p->checks.at[i], .answer = &answers[i]});
        }
    if (a.units.count && find_words(&a, v))
        answer_units(&a);
    for (size_t i = 0; i < a.tokens.count; i++)
        obb_map_free(a.tokens.at[i].value);
    obb_map_free(&a.tokens);
    if (a.folder)
        obb_below_remove_all(a.folder, NULL);
    if (a.folder)
        rmdir(a.folder);
}

void obb_answer_all_checks(obb_check_context *c, const obb_variant *v, obb_check_answer *answers)
{
    const obb_project *p = v->project;
    for (size_t i = 0; i < p->checks.count; i++)
        if (i == 0 || p->checks.at[i]->block != p->checks.at[i - 1]->block)
            answer_block(c, v, p->checks.at[i]->block, answers);
}
