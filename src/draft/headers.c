/* Headers that are missing and that builds make by operations of steps (draft/work.h): one of the tree that
 * is included by the path that it is installed with; one that is filled in from a template beside it, x.h.in;
 * one with nothing but the macros of what a library exports; one that stands for a header of the standard. */
#include <ctype.h>
#include <string.h>
#include <strings.h>

#include "base/below.h"
#include "base/files.h"
#include "base/path.h"
#include "base/template.h"
#include "draft/work.h"

const char *draft_made_path(const draft *d, const char *name)
{
    return obb_path_join(d->arena, "gen", name);
}

const char *draft_trial_path(const draft *d, const char *name)
{
    return obb_path_join(d->arena, d->temporary, draft_made_path(d, name));
}

bool draft_can_make(const draft *d, const char *name)
{
    const char *path = draft_made_path(d, name);
    bool beside = strcmp(obb_path_folder(d->arena, path), ".") == 0;
    return *name != '/' && (beside || obb_below_lies("gen", path)) && draft_can_be_named(d, name);
}

bool draft_is_elsewhere(const char *path)
{
    static const char *const names[] = {"win32",   "windows", "win",   "msvc",  "vc",      "watcom",
                                        "borland", "djgpp",   "dos",   "msdos", "os2",     "vms",
                                        "mac",     "macos",   "amiga", "atari", "riscos",  "symbian",
                                        "android", "ios",     "wince", "mingw", "netware", "os400",
                                        "ms",      "nw"};
    for (const char *at = path; *at; at += strspn(at, "/-_.")) {
        size_t n = strcspn(at, "/-_.");
        for (size_t i = 1; i < n; i++)
            if (islower((unsigned char)at[i - 1]) && isupper((unsigned char)at[i]))
                n = i; /* configMS.h */
        for (size_t i = 0; i < sizeof names / sizeof *names; i++)
            if (n == strlen(names[i]) && strncasecmp(at, names[i], n) == 0)
                return true;
        at += n;
    }
    return false;
}

bool draft_is_configuration(const char *path)
{
    return strstr(obb_path_name(path), "config") != NULL;
}

/* The only header of that name, for one that is included by another path. */
static const char *header_here(const draft *d, const char *name)
{
    const char *found = NULL;
    for (size_t i = 0; strchr(name, '/') && i < d->files.count; i++) {
        const draft_file *f = d->files.at[i];
        if (!f->header || draft_is_elsewhere(f->path) || !draft_can_be_named(d, f->path) ||
            strcmp(obb_path_name(f->path), obb_path_name(name)) != 0)
            continue;
        if (found)
            return NULL;
        found = f->path;
    }
    return found;
}

/* --- templates ---------------------------------------------------------------------- */

/* x.h.in, x_h.in, x.hin, x.h.sample; but not what editors, patches and compressors leave. */
bool draft_is_template(const char *path)
{
    static const char *const not[] = {".orig", ".rej", ".bak", ".old", ".save", ".gz",
                                      ".xz",   ".gch", ".pch", ".diff", ".patch", ".swp"};
    const char *name = obb_path_name(path);
    bool is = strstr(name, ".h.") || strstr(name, ".hpp.") || draft_ends_with(name, "_h.in") ||
              draft_ends_with(name, ".hin");
    for (size_t i = 0; i < sizeof not / sizeof *not && is; i++)
        is = !draft_ends_with(name, not[i]);
    return is && name[strlen(name) - 1] != '~';
}

/* x.h.in, or other forms that people write: x_h.in, x.hin, x.h.sample; with a word in front: port-x.h.in. */
static bool is_template_of(const char *path, const char *header)
{
    const char *name = obb_path_name(path), *end = obb_path_suffix(header), *in = strstr(name, header);
    size_t n = strlen(header), stem = n - strlen(end);
    if (in && in > name && in[-1] == '-' && strcmp(in + n, ".in") == 0)
        return true;
    if (strncmp(name, header, stem) != 0)
        return false;
    return (strncmp(name + stem, end, n - stem) == 0 && name[n] == '.') ||
           strcmp(name + stem, "_h.in") == 0 || strcmp(name + stem, ".hin") == 0;
}

const char *draft_template_of(const draft *d, const char *header)
{
    const char *found = NULL;
    for (size_t i = 0; i < d->templates.count; i++) {
        const char *path = d->templates.at[i];
        if (is_template_of(path, obb_path_name(header)) && draft_can_be_named(d, path) &&
            (!found || strlen(path) < strlen(found)))
            found = path;
    }
    return found;
}

/* `typedef @SIZE16@ tower_int16_t;`: the type that the name behind it tells. What stands alone in its line is
 * nothing, or, if it is called so, includes what declares such types; else 0. */
static const char *value_at(const char *line, const obb_template_place *place)
{
    static const struct {
        const char *name, *type;
    } types[] = {{"uint8", "unsigned char"}, {"uint16", "unsigned short"},
                 {"uint32", "unsigned int"}, {"uint64", "unsigned long long"},
                 {"int8", "signed char"},    {"int16", "short"},
                 {"int32", "int"},           {"int64", "long long"}};
    const char *behind = place->at + place->whole, *end = behind + strcspn(behind, ";\n");
    if (line == place->at && (*behind == '\n' || !*behind)) {
        const char *include = strstr(place->name, "INCLUDE");
        return include && include < behind ? "#include <inttypes.h>" : "";
    }
    if (strncmp(line, "typedef ", 8) != 0 || line + 8 != place->at)
        return "0";
    for (size_t i = 0; i < sizeof types / sizeof *types; i++) {
        const char *named = strstr(behind, types[i].name);
        if (named && named < end)
            return types[i].type;
    }
    return "int";
}

void draft_fill_in(draft *d, const char *text, obb_template_kind kind, obb_words *values, obb_text *filled)
{
    obb_map known = {0};
    for (const char *at = text, *line = text; *at;) {
        obb_template_place place;
        bool found = obb_template_place_at(at, kind, &place);
        const char *name = found ? obb_arena_copy(d->arena, place.name, place.length) : NULL,
                   *value = name ? obb_map_get(&known, name) : NULL;
        if (name && !value) {
            value = value_at(line, &place);
            obb_map_put(&known, name, (void *)(uintptr_t)value);
            obb_arena_push(d->arena, values, obb_arena_format(d->arena, "%s=%s", name, value));
        }
        obb_text_add(filled, value ? value : at, value ? strlen(value) : 1);
        line = *at == '\n' ? at + 1 : line;
        at += found ? place.whole : 1;
    }
    obb_map_free(&known);
}

/* Else it has places for answers of a configuration: then it is made by checks. */
static bool is_plain(const char *text)
{
    bool values = strstr(text, "${") != NULL; /* which steps do not fill in */
    return !values && !obb_template_split(text, NULL, NULL, NULL);
}

/* --- what libraries export ---------------------------------------------------------- */

/* bell_export.h: BELL_EXPORT and what goes with it, for a library that is linked statically. */
static const char *export_text(draft *d, const char *name)
{
    const char *file = obb_path_name(name), *end = strstr(file, "_export.h");
    if (!end || end == file || end[strlen("_export.h")])
        return NULL;
    char *prefix = obb_arena_copy(d->arena, file, (size_t)(end - file));
    for (char *c = prefix; *c; c++)
        *c = isalnum((unsigned char)*c) ? (char)toupper((unsigned char)*c) : '_';
    return obb_arena_format(d->arena, "#define %s_EXPORT\n#define %s_NO_EXPORT\n#define %s_DEPRECATED\n",
                            prefix, prefix, prefix);
}

/* _stdint.h: what stands for a header of the standard where a system has none. */
static const char *standard_text(const draft *d, const char *name)
{
    static const char *const standard[] = {"stdint.h", "stdbool.h", "inttypes.h"};
    const char *file = obb_path_name(name);
    for (size_t i = 0; i < sizeof standard / sizeof *standard; i++) {
        size_t n = strlen(file), k = strlen(standard[i]);
        if (n > k && strcmp(file + n - k, standard[i]) == 0 && strchr("_-", file[n - k - 1]))
            return obb_arena_format(d->arena, "#include <%s>\n", standard[i]);
    }
    return NULL;
}

/* --- making them -------------------------------------------------------------------- */

bool draft_is_made(const draft *d, const char *name)
{
    bool made = false;
    for (size_t i = 0; i < d->made.count && !made; i++)
        made = strcmp(d->made.at[i].name, name) == 0;
    return made;
}

/* How a header is made, and its text; false: nobody knows. */
static bool find_way(draft *d, draft_made_header *h, obb_text *text)
{
    obb_text from = {0};
    bool found = false;
    /* a configuration that lies elsewhere is that of another program */
    if (!draft_is_configuration(h->name) && (h->copied = header_here(d, h->name))) {
        found = !obb_file_read(h->copied, text);
    } else if ((h->template = draft_template_of(d, h->name)) && !obb_file_read(h->template, &from) &&
               is_plain(obb_text_bytes(&from))) {
        draft_fill_in(d, obb_text_bytes(&from), OBB_TEMPLATE_TEXT, &h->values, text);
        found = true;
    } else if ((h->text = export_text(d, h->name)) || (h->text = standard_text(d, h->name))) {
        h->template = NULL;
        obb_text_string(text, h->text);
        found = true;
    }
    obb_text_free(&from);
    return found;
}

bool draft_make_headers(draft *d)
{
    bool more = false;
    for (size_t i = 0; i < d->missing.count; i++) {
        draft_made_header h = {.name = d->missing.at[i]};
        obb_text text = {0};
        if (draft_can_make(d, h.name) && !draft_is_made(d, h.name) && find_way(d, &h, &text) &&
            draft_write_trial(d, h.name, obb_text_bytes(&text), text.length)) {
            obb_arena_push(d->arena, &d->made, h);
            more = true;
        }
        obb_text_free(&text);
    }
    return more;
}

static void write_operation(const draft_made_header *h, obb_text *text)
{
    const char *operation = h->copied || (h->template && !h->values.count) ? "copy"
                            : h->template                                  ? "fill-in"
                                                                           : "write-text";
    obb_text_format(text, "    %s ", operation);
    draft_write_word(text, h->copied ? h->copied : h->template ? h->template : h->text);
    for (size_t i = 0; i < h->values.count; i++) {
        obb_text_string(text, i ? " " : " with ");
        draft_write_word(text, h->values.at[i]);
    }
    obb_text_string(text, " to ");
}

void draft_write_made_headers(const draft *d, obb_text *text)
{
    bool guessed = false;
    OBB_VEC(const draft_made_header *) made = {0};
    for (size_t i = 0; i < d->made.count; i++)
        if (!d->made.at[i].checks) {
            obb_arena_push(d->arena, &made, &d->made.at[i]);
            guessed = guessed || d->made.at[i].values.count;
        }
    if (!made.count)
        return;
    obb_text_format(text, "\n# Headers that builds make%s.\nstep made-headers {\n    makes",
                    guessed ? "; nothing here says the values: put them right" : "");
    for (size_t i = 0; i < made.count; i++) {
        obb_text_char(text, ' ');
        draft_write_word(text, draft_made_path(d, made.at[i]->name));
    }
    for (size_t i = 0; i < made.count; i++) {
        obb_text_char(text, '\n');
        write_operation(made.at[i], text);
        draft_write_word(text, draft_made_path(d, made.at[i]->name));
    }
    obb_text_char(text, '\n');
    obb_text_string(text, "}\n");
}
