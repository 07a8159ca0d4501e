/* Headers of a configuration that nobody has made (draft/work.h): which one it is, what it would say, and
 * whether it helps. */
#include <string.h>
#include <unistd.h>

#include "base/files.h"
#include "base/path.h"
#include "base/template.h"
#include "draft/work.h"

static bool is_quoted(const draft *d, const char *name)
{
    bool is = false;
    for (size_t i = 0; i < d->files.count && !is; i++)
        for (size_t k = 0; k < d->files.at[i]->includes.count && !is; k++)
            is = d->files.at[i]->includes.at[k].quoted &&
                 strcmp(d->files.at[i]->includes.at[k].name, name) == 0;
    return is;
}

size_t draft_count_missing(const draft *d, const char *name)
{
    size_t n = 0;
    for (size_t i = 0; i < d->files.count; i++)
        n += d->files.at[i]->missing && strcmp(d->files.at[i]->missing, name) == 0;
    return n;
}

/* The one that is missed most of those that are called like one; else, if much is asked that nobody answers,
 * of those that are the project's: in quotation marks. */
static const char *configuration_header(const draft *d)
{
    const char *most = NULL;
    size_t users = 0;
    bool most_called = false;
    for (size_t i = 0; i < d->missing.count; i++) {
        const char *name = d->missing.at[i];
        bool called = draft_is_configuration(name);
        size_t n = draft_can_make(d, name) ? draft_count_missing(d, name) : 0;
        bool may = called || (d->tested.count > 2 && n > 2 && is_quoted(d, name));
        if (n && may && (called != most_called ? called : n > users)) {
            most = name;
            users = n;
            most_called = called;
        }
    }
    return most;
}

void draft_forget_missing(draft *d, const char *name)
{
    for (size_t i = 0; i < d->missing.count; i++)
        if (strcmp(d->missing.at[i], name) == 0)
            d->missing.at[i--] = d->missing.at[--d->missing.count];
}

/* --- its template ------------------------------------------------------------------- */

/* Whether a text has anything but comments and blanks. */
static bool has_code(const char *text)
{
    for (const char *at = text; *at;) {
        const char *end = strncmp(at, "/*", 2) == 0 ? strstr(at + 2, "*/") : NULL;
        if (end)
            at = end + 2;
        else if (strncmp(at, "//", 2) == 0)
            at += strcspn(at, "\n");
        else if (strchr(" \t\r\n", *at))
            at++;
        else
            return true;
    }
    return false;
}

/* The template of a header and what it has besides places for answers; NULL: there is none, or nothing else
 * in it. */
static const char *find_template(draft *d, const char *header, obb_words *values, const char **code)
{
    obb_text from = {0}, kept = {0}, filled = {0};
    const char *path = draft_template_of(d, header);
    if (path && !obb_file_read(path, &from) && strlen(obb_text_bytes(&from)) == from.length)
        obb_template_split(from.bytes, &kept, NULL, NULL);
    if (has_code(obb_text_bytes(&kept)))
        draft_fill_in(d, kept.bytes, OBB_TEMPLATE_HEADER, values, &filled);
    *code = filled.length ? obb_arena_string(d->arena, filled.bytes) : NULL;
    obb_text_free(&from);
    obb_text_free(&kept);
    obb_text_free(&filled);
    return *code ? path : NULL;
}

/* --- what it says ------------------------------------------------------------------- */

static bool asks_something(const draft *d)
{
    for (size_t i = 0; i < d->questions.count; i++)
        if (d->questions.at[i].kind != DRAFT_ASKS_UNKNOWN)
            return true;
    return false;
}

/* Whether answers would change anything. */
static bool some_hold(const draft *d)
{
    enum { FEWEST = 3 };
    size_t hold = 0;
    for (size_t i = 0; i < d->questions.count; i++)
        hold += d->questions.at[i].holds;
    return hold >= FEWEST;
}

size_t draft_count_compiled(const draft *d)
{
    size_t compiled = 0;
    for (size_t i = 0; i < d->files.count; i++)
        compiled += d->files.at[i]->compiled;
    return compiled;
}

void draft_compile_anew(draft *d)
{
    for (size_t i = 0; i < d->files.count; i++)
        d->files.at[i]->compiled = false;
    d->missing.count = 0;
    draft_compile_rest(d, true);
}

/* After a change that more sources may like: whether they do, and then with it all. What does not compile
 * decides whether the others are tried. */
static bool is_better(draft *d)
{
    const draft_attempt *saved = draft_save(d);
    size_t before = draft_count_compiled(d);
    if (draft_compile_rest(d, false))
        draft_compile_anew(d);
    if (draft_count_compiled(d) > before)
        return true;
    draft_take_back(d, saved);
    return false;
}

/* Macros are tested that a header of a configuration would have, and sources do not include it: builds put it
 * in front of each. It stays if more sources compile with it. */
static void try_in_front(draft *d)
{
    const char *header = d->header;
    d->header = header ? header : "config.h";
    d->forced = true;
    if (!header)
        draft_write_header(d, d->header);
    if (is_better(d))
        return;
    if (!header)
        unlink(draft_trial_path(d, d->header));
    d->header = header;
    d->forced = false;
}

static void make_header(draft *d, const draft_made_header *h)
{
    obb_arena_push(d->arena, &d->made, *h);
    draft_write_trial(d, h->name, h->text, strlen(h->text));
}

/* A header with this text, which a step makes. */
static void make_text(draft *d, const char *name, const char *text)
{
    make_header(d, &(draft_made_header){.name = name, .text = text});
}

/* What `checks` may write into: a name, not a path. */
static bool is_plain_name(const char *name)
{
    return !strpbrk(name, " \t/\\:,") && *name != '.' && *name != '-';
}

/* The header of the answers; `header` is what sources include. */
static void write_answers(draft *d, const char *header)
{
    d->header = is_plain_name(header) ? header : "config.h";
    draft_write_header(d, d->header);
    if (d->header != header) /* beside the folder of made headers, whatever other folders have */
        make_text(d, header,
                  strncmp(header, "../", 3) == 0 && !strchr(header + 3, '/') ? "#include \"gen/config.h\"\n"
                                                                             : "#include <config.h>\n");
}

/* Whether fewer than nine of ten sources compile. */
static bool is_poor(const draft *d)
{
    return draft_count_compiled(d) * 10 < d->result->sources * 9;
}

/* A template may be wrong with the values that are made up: then the answers stand alone. */
static void try_without_template(draft *d)
{
    const char *template = d->template;
    d->template = NULL;
    draft_write_header(d, d->header);
    if (is_better(d))
        return;
    d->template = template;
    draft_write_header(d, d->header);
}

/* Others that are called like one have the same answers. */
static bool make_others(draft *d)
{
    bool more = false;
    for (size_t i = 0; d->header && i < d->missing.count; i++) {
        const char *name = d->missing.at[i];
        if (!draft_is_configuration(name) || !draft_can_make(d, name) || !draft_count_missing(d, name))
            continue;
        make_text(d, name, obb_arena_format(d->arena, "#include <%s>\n", d->header));
        draft_forget_missing(d, name);
        more = true;
    }
    return more;
}

/* Other headers whose templates have more in them than values. */
static bool make_from_templates(draft *d)
{
    bool more = false;
    for (size_t i = 0; i < d->missing.count; i++) {
        draft_made_header h = {.name = d->missing.at[i], .checks = true};
        if (!is_plain_name(h.name) || !draft_can_make(d, h.name) || draft_is_made(d, h.name))
            continue;
        h.template = find_template(d, h.name, &h.values, &h.text);
        if (h.template) {
            make_header(d, &h);
            more = true;
        }
    }
    return more;
}

/* Headers of a configuration, made as far as it is known how, for the sources that miss them. */
void draft_configure(draft *d)
{
    const char *header = configuration_header(d);
    draft_find_questions(d);
    if (header) {
        d->template = find_template(d, header, &d->template_values, &d->template_text);
        if (asks_something(d) || d->template)
            write_answers(d, header);
        else
            make_text(d, header, "/* what a build would say here is not known */\n");
        d->missing.count = 0;
        draft_compile_rest(d, true);
        draft_forget_missing(d, header);
    }
    for (int round = 0; round < DRAFT_ROUNDS && make_from_templates(d); round++)
        draft_compile_rest(d, true);
    if (d->template && is_poor(d))
        try_without_template(d);
    for (int round = 0; round < DRAFT_ROUNDS && make_others(d); round++)
        draft_compile_rest(d, true);
    if (some_hold(d) && draft_count_compiled(d) < d->result->sources)
        try_in_front(d);
    if (header)
        draft_forget_missing(d, header);
}
