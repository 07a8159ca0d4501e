/* Reading the project as it stands in the editor, and telling what is wrong with it (editor/work.h). */
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "editor/work.h"
#include "project/vocabulary.h"

static void hear_messages(void *self, const obb_diags *diags)
{
    (void)self, (void)diags; /* they stay in the list */
}

const char *path_in_project(const obb_editor *e, const char *path)
{
    return e->w && e->w->root ? obb_path_below(e->arena, e->w->root, path) : path;
}

static void forget_reading(obb_editor *e)
{
    obb_workspace_free(e->w);
    obb_arena_free(e->arena);
    e->w = NULL;
    e->arena = obb_arena_new();
    e->mentions = (mentions){0};
    e->named = false;
    obb_map_free(&e->lines);
    e->lines = (obb_map){0};
}

/* Texts that are not saved stand in the places of their files. */
static void lay_over(obb_editor *e)
{
    for (size_t i = 0; i < e->documents.count; i++) {
        const document *d = e->documents.at[i];
        const char *path = path_in_project(e, d->path);
        if (*path != '/')
            obb_files_provide(e->w->files, obb_files_number(e->w->files, obb_arena_string(e->arena, path)),
                              obb_text_bytes(&d->text), d->text.length);
    }
}

/* The folder of the first open document decides which project it is. */
static bool go_there(const obb_editor *e)
{
    obb_arena *arena = obb_arena_new();
    bool there = e->documents.count && chdir(obb_path_folder(arena, e->documents.at[0]->path)) == 0;
    obb_arena_free(arena);
    return there;
}

void read_again(obb_editor *e)
{
    if (!e->stale && e->arena)
        return;
    e->stale = false;
    forget_reading(e);
    if (!go_there(e))
        return;
    e->observer = (obb_build_observer){.self = e, .messages = hear_messages};
    e->request = (obb_request){0};
    e->w = obb_workspace_new(&e->request, &e->observer);
    if (obb_workspace_enter(e->w)) {
        obb_workspace_free(e->w);
        e->w = NULL;
        return;
    }
    lay_over(e);
    obb_workspace_read_descriptions(e->w);
    obb_diags_settle(e->w->diags);
}

/* --- diagnostics -------------------------------------------------------------------- */

static size_t word_length(obb_editor *e, const char *path, obb_place place)
{
    size_t length;
    const char *line = line_of(e, path, place.line > 0 ? (size_t)place.line - 1 : 0, &length);
    size_t from = place.column > 0 ? (size_t)place.column - 1 : 0;
    if (from >= length)
        return 1;
    if (line[from] == '"') {
        const char *end = memchr(line + from + 1, '"', length - from - 1);
        return end ? (size_t)(end - line) - from + 1 : length - from;
    }
    size_t n = 0;
    while (from + n < length && !strchr(" \t;", line[from + n]))
        n++;
    return n ? n : 1;
}

static json_t *diagnostic(obb_editor *e, const char *path, const obb_diag *d)
{
    json_t *related = json_array();
    for (size_t i = 0; i < d->notes.count; i++) {
        const obb_note *n = &d->notes.at[i];
        if (!n->place.file)
            continue;
        const char *there = obb_path_join(e->arena, e->w->root, n->place.file);
        json_array_append_new(related,
                              json_pack("{s:{s:s, s:o}, s:s}", "location", "uri", uri_of_path(e, there),
                                        "range",
                                        range_json(e, there, n->place, word_length(e, there, n->place)),
                                        "message", n->message));
    }
    const char *message = d->hint ? obb_arena_format(e->arena, "%s\n%s", d->message, d->hint) : d->message;
    json_t *o = json_pack("{s:o, s:i, s:s, s:s, s:o}", "range",
                          range_json(e, path, d->place, word_length(e, path, d->place)), "severity",
                          d->fault ? 1 : 2, "source", "obbligato", "message", message, "relatedInformation",
                          related);
    if (d->hint)
        json_object_set_new(o, "data", json_string(d->hint));
    return o;
}

static void publish(json_t *out, const char *uri, json_t *list)
{
    json_array_append_new(out, json_pack("{s:s, s:s, s:{s:s, s:o}}", "jsonrpc", "2.0", "method",
                                         "textDocument/publishDiagnostics", "params", "uri", uri,
                                         "diagnostics", list));
}

/* The file that a message is about; what has no place stands in the project's first one. */
static const char *file_of(const obb_editor *e, const obb_diag *d)
{
    const char *file = d->place.file ? d->place.file : OBB_SCORE_NAME;
    return obb_path_join(e->arena, e->w->root, file);
}

void tell_diagnostics(obb_editor *e, json_t *out)
{
    read_again(e);
    obb_arena *arena = obb_arena_new();
    obb_words told = {0};
    obb_map lists = {0};
    for (size_t i = 0; e->w && i < e->w->diags->list.count; i++) {
        const obb_diag *d = e->w->diags->list.at[i];
        const char *path = file_of(e, d), *uri = uri_of_path(e, path);
        json_t *list = obb_map_get(&lists, uri);
        if (!list) {
            list = json_array();
            obb_map_put(&lists, uri, list);
            obb_arena_push(arena, &told, obb_arena_string(arena, uri));
        }
        json_array_append_new(list, diagnostic(e, path, d));
    }
    for (size_t i = 0; i < e->documents.count;
         i++) /* of what is open, it is told as well that nothing is wrong */
        if (!obb_map_get(&lists, e->documents.at[i]->uri))
            publish(out, e->documents.at[i]->uri, json_array());
    for (size_t i = 0; i < e->told.count; i++)
        if (!obb_map_get(&lists, e->told.at[i]) && !document_of(e, e->told.at[i]))
            publish(out, e->told.at[i], json_array());
    for (size_t i = 0; i < lists.count; i++)
        publish(out, lists.at[i].key, lists.at[i].value);
    obb_map_free(&lists);
    obb_arena_free(e->told_arena);
    e->told_arena = arena;
    e->told = told;
}
