/* Texts, places and names of files, between the protocol and obbligato (editor/work.h). */
#include <ctype.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "editor/work.h"

static const char scheme[] = "file://";

const char *path_of_uri(obb_arena *arena, const char *uri)
{
    size_t n = strlen(scheme);
    if (strncmp(uri, scheme, n) != 0 || uri[n] != '/')
        return NULL;
    char *path = obb_arena_string(arena, uri + n), *to = path; /* RFC 3986, section 2.1 */
    for (const char *c = path; *c; c++) {
        unsigned code;
        if (*c == '%' && isxdigit((unsigned char)c[1]) && isxdigit((unsigned char)c[2]) &&
            sscanf(c + 1, "%2x", &code) == 1) {
            *to++ = (char)code;
            c += 2;
        } else {
            *to++ = *c;
        }
    }
    *to = 0;
    return obb_path_join(arena, "/", path);
}

const char *uri_of_path(const obb_editor *e, const char *path)
{
    obb_text text = {0};
    for (size_t i = 0; i < e->documents.count; i++)
        if (strcmp(e->documents.at[i]->path, path) == 0)
            return e->documents.at[i]->uri;
    obb_text_string(&text, scheme);
    for (const char *c = path; *c; c++)
        if (isalnum((unsigned char)*c) || strchr("/-._~", *c))
            obb_text_char(&text, *c);
        else
            obb_text_format(&text, "%%%02X", (unsigned)(unsigned char)*c);
    const char *uri = obb_arena_string(e->arena, text.bytes);
    obb_text_free(&text);
    return uri;
}

document *document_of(const obb_editor *e, const char *uri)
{
    for (size_t i = 0; i < e->documents.count; i++)
        if (strcmp(e->documents.at[i]->uri, uri) == 0)
            return e->documents.at[i];
    return NULL;
}

void open_document(obb_editor *e, const char *uri, const char *text, size_t length, json_int_t version)
{
    document *d = document_of(e, uri);
    obb_arena *arena = obb_arena_new();
    const char *path = path_of_uri(arena, uri);
    if (!d && path) {
        d = obb_alloc(sizeof *d);
        *d = (document){.uri = strdup(uri), .path = strdup(path)};
        obb_vec_push(&e->documents, d);
    }
    if (d) {
        d->text.length = 0;
        obb_text_add(&d->text, text, length);
        d->version = version;
        e->stale = true;
    }
    obb_arena_free(arena);
}

void close_document(obb_editor *e, const char *uri)
{
    for (size_t i = 0; i < e->documents.count; i++) {
        document *d = e->documents.at[i];
        if (strcmp(d->uri, uri) != 0)
            continue;
        e->documents.at[i] = e->documents.at[--e->documents.count];
        free(d->uri);
        free(d->path);
        obb_text_free(&d->text);
        free(d);
        e->stale = true;
        return;
    }
}

const char *text_of(obb_editor *e, const char *path, size_t *length)
{
    obb_text text = {0};
    for (size_t i = 0; i < e->documents.count; i++)
        if (strcmp(e->documents.at[i]->path, path) == 0) {
            *length = e->documents.at[i]->text.length;
            return obb_text_bytes(&e->documents.at[i]->text);
        }
    obb_file_read(path, &text);
    *length = text.length;
    const char *copy = obb_arena_copy(e->arena, obb_text_bytes(&text), text.length);
    obb_text_free(&text);
    return copy;
}

/* Where the lines of a file begin, as of the last reading. */
typedef struct line_index {
    OBB_VEC(const char *) lines;
} line_index;

static const line_index *lines_of(obb_editor *e, const char *path)
{
    line_index *index = obb_map_get(&e->lines, path);
    size_t length;
    if (index)
        return index;
    index = obb_arena_alloc(e->arena, sizeof *index);
    for (const char *at = text_of(e, path, &length); at; at = strchr(at, '\n'), at += at != NULL)
        obb_arena_push(e->arena, &index->lines, at);
    obb_map_put(&e->lines, obb_arena_string(e->arena, path), index);
    return index;
}

const char *line_of(obb_editor *e, const char *path, size_t line, size_t *length)
{
    const line_index *index = lines_of(e, path);
    const char *at = line < index->lines.count ? index->lines.at[line] : "";
    *length = strcspn(at, "\r\n");
    return at;
}

/* The length of a character, and how many UTF-16 units it has (RFC 2781, section 2.1). */
static size_t character(const char *c, const char *end, size_t *units)
{
    unsigned char first = (unsigned char)*c;
    size_t n = first >= 0xF0 ? 4 : first >= 0xE0 ? 3 : first >= 0xC0 ? 2 : 1;
    *units = n == 4 ? 2 : 1;
    return n <= (size_t)(end - c) ? n : (size_t)(end - c);
}

size_t units_before(const char *line, size_t length, size_t byte)
{
    const char *end = line + length, *stop = line + (byte < length ? byte : length);
    size_t units = 0, more;
    for (const char *c = line; c < stop; units += more)
        c += character(c, end, &more);
    return units;
}

size_t byte_after(const char *line, size_t length, size_t units)
{
    const char *end = line + length, *c = line;
    for (size_t more; c < end && units; units -= more < units ? more : units)
        c += character(c, end, &more);
    return (size_t)(c - line);
}

json_t *position_json(obb_editor *e, const char *path, int line, int column)
{
    size_t length;
    const char *at = line_of(e, path, line > 0 ? (size_t)line - 1 : 0, &length);
    size_t units = units_before(at, length, column > 0 ? (size_t)column - 1 : 0);
    json_t *o = json_object(); /* an outline has thousands of these */
    json_object_set_new_nocheck(o, "line", json_integer(line > 0 ? line - 1 : 0));
    json_object_set_new_nocheck(o, "character", json_integer((json_int_t)units));
    return o;
}

json_t *range_json(obb_editor *e, const char *path, obb_place begin, size_t length)
{
    json_t *o = json_object();
    json_object_set_new_nocheck(o, "start", position_json(e, path, begin.line, begin.column));
    json_object_set_new_nocheck(o, "end", position_json(e, path, begin.line, begin.column + (int)length));
    return o;
}
