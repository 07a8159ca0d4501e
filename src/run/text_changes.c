/* What is remembered of texts (text_changes.h): in the memo of the state, by contents and way of reading.
 * Contents are fingerprinted once for all users of a file. */
#include "run/text_changes.h"

#include <string.h>

#include "base/path.h"
#include "scan/directive_fingerprint.h"

obb_lexis obb_lexis_of_action(const obb_action *a)
{
    return obb_lexis_of(&a->options->flags, a->options->language == OBB_CXX);
}

/* Directives are recognized the same way in all texts of a language except for raw strings. */
obb_text_kind obb_text_kind_of(const obb_dependencies *d)
{
    return d->setup && d->setup->dialect->raw_strings ? OBB_TEXT_C_RAW : OBB_TEXT_C;
}

static obb_fingerprint tokens_key(obb_fingerprint contents, const obb_lexis *lexis)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, lexis->line_comments ? lexis->separators ? "likeness 3 //'" : "likeness 3 //"
                                              : "likeness 3");
    obb_hasher_add(p, &contents, sizeof contents);
    return obb_hasher_end(p);
}

static obb_fingerprint directives_key(obb_fingerprint contents, obb_text_kind kind)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, kind == OBB_TEXT_C ? "skeleton 2" : "skeleton 2 raw");
    obb_hasher_add(p, &contents, sizeof contents);
    return obb_hasher_end(p);
}

static bool is_c_text(const char *path)
{
    obb_language language = obb_language_of(path);
    return language == OBB_C || language == OBB_CXX || obb_is_header(path);
}

/* The text of a file, when it is one of C and still has these contents; read once for all that asks. */
static bool text_now(obb_files *files, obb_file file, obb_fingerprint contents, obb_text *text)
{
    if (text->length)
        return true;
    if (!is_c_text(obb_files_path(files, file)) || obb_files_read(files, file, text) ||
        !obb_fingerprint_same(obb_fingerprint_of(text->bytes, text->length), contents))
        text->length = 0;
    return text->length > 0;
}

static bool recalled(obb_memo memo, obb_fingerprint key, obb_fingerprint *answer)
{
    obb_text known = {0};
    bool is = memo.get(memo.self, key, &known) && known.length == sizeof *answer;
    if (is)
        memcpy(answer, known.bytes, sizeof *answer);
    obb_text_free(&known);
    return is;
}

/* Remembered, or made from the text. */
static bool tokens_of(obb_memo memo, obb_files *files, obb_file file, obb_fingerprint contents,
                      const obb_lexis *lexis, obb_text *text, obb_fingerprint *tokens)
{
    obb_fingerprint key = tokens_key(contents, lexis);
    if (recalled(memo, key, tokens))
        return true;
    if (!text_now(files, file, contents, text) ||
        !obb_token_fingerprint(text->bytes, text->length, lexis, tokens))
        return false;
    memo.put(memo.self, key, tokens, sizeof *tokens);
    return true;
}

static void remember_directives(obb_memo memo, obb_fingerprint key,
                                const obb_directive_fingerprint *directives)
{
    obb_text bytes = {0};
    obb_directive_fingerprint_encode(directives, &bytes);
    memo.put(memo.self, key, bytes.bytes, bytes.length);
    obb_text_free(&bytes);
}

static void note_directives(obb_memo memo, obb_files *files, obb_file file, obb_fingerprint contents,
                            obb_text_kind kind, obb_text *text)
{
    obb_fingerprint key = directives_key(contents, kind);
    obb_text known = {0};
    obb_directive_fingerprint directives;
    if (!memo.get(memo.self, key, &known) && text_now(files, file, contents, text)) {
        obb_directive_fingerprint_of(text->bytes, text->length, kind, &directives);
        remember_directives(memo, key, &directives);
        obb_vec_free(&directives.macros);
    }
    obb_text_free(&known);
}

unsigned obb_text_reading(const obb_dependency_table *table, const obb_action *a)
{
    const obb_lexis lexis = obb_lexis_of_action(a);
    const unsigned told = a->options->tokens_decide && lexis.told,
                   raw = obb_text_kind_of(obb_dependencies_of(table, a)) == OBB_TEXT_C_RAW;
    if (a->options->language != OBB_C && a->options->language != OBB_CXX)
        return 0;
    return 1 + (told | raw << 1 | (told & lexis.line_comments) << 2 | (told & lexis.separators) << 3);
}

void obb_note_text(obb_state *state, const obb_dependency_table *table, obb_file input, const obb_action *a)
{
    obb_files *files = table->plan->files;
    obb_memo memo = obb_state_memo(state);
    obb_fingerprint contents, tokens;
    obb_text text = {0};
    if (!obb_text_reading(table, a) || obb_path_outside(obb_files_path(files, input)) ||
        obb_files_fingerprint(files, input, &contents))
        return;
    const obb_lexis lexis = obb_lexis_of_action(a);
    if (a->options->tokens_decide && lexis.told)
        tokens_of(memo, files, input, contents, &lexis, &text, &tokens);
    note_directives(memo, files, input, contents, obb_text_kind_of(obb_dependencies_of(table, a)), &text);
    obb_text_free(&text);
}

bool obb_tokens_are_alike(obb_state *state, obb_files *files, obb_file file, const obb_lexis *lexis,
                          obb_fingerprint then, obb_fingerprint now)
{
    obb_memo memo = obb_state_memo(state);
    obb_text text = {0};
    obb_fingerprint before, after;
    bool same = recalled(memo, tokens_key(then, lexis), &before) &&
                tokens_of(memo, files, file, now, lexis, &text, &after) &&
                obb_fingerprint_same(before, after);
    obb_text_free(&text);
    return same;
}

static bool is_asked(void *self, uint64_t name)
{
    return obb_state_is_asked(self, name);
}

static bool is_always_asked(void *self, uint64_t name)
{
    (void)self;
    (void)name;
    return true;
}

/* What the text is now is made anew: the names of its macros are not kept. */
bool obb_scans_are_alike(obb_state *state, obb_files *files, obb_file file, obb_text_kind kind,
                         bool asked_noted, obb_fingerprint then, obb_fingerprint now)
{
    obb_memo memo = obb_state_memo(state);
    obb_text before = {0}, text = {0};
    obb_directive_fingerprint directives;
    bool same = memo.get(memo.self, directives_key(then, kind), &before) && text_now(files, file, now, &text);
    if (same) {
        obb_directive_fingerprint_of(text.bytes, text.length, kind, &directives);
        remember_directives(memo, directives_key(now, kind), &directives);
        same = obb_directives_alike(&before, &directives, asked_noted ? is_asked : is_always_asked, state);
        obb_vec_free(&directives.macros);
    }
    obb_text_free(&before);
    obb_text_free(&text);
    return same;
}
