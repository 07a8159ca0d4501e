/* Messages of the protocol, and what is done for each (editor/editor.h). */
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "editor/work.h"

/* JSON-RPC 2.0, section 5.1; and of the protocol. */
enum {
    PARSE_ERROR = -32700,
    INVALID_REQUEST = -32600,
    NO_METHOD = -32601,
    INVALID_PARAMS = -32602,
    NOT_INITIALIZED = -32002,
    REQUEST_FAILED = -32803
};

obb_editor *obb_editor_new(const char *manual)
{
    obb_editor *e = obb_alloc(sizeof *e);
    *e = (obb_editor){.manual = manual, .stale = true};
    return e;
}

void obb_editor_free(obb_editor *e)
{
    while (e->documents.count)
        close_document(e, e->documents.at[0]->uri);
    obb_vec_free(&e->documents);
    obb_workspace_free(e->w);
    obb_map_free(&e->lines);
    obb_arena_free(e->arena);
    obb_arena_free(e->told_arena);
    free(e);
}

bool obb_editor_was_shut_down(const obb_editor *e)
{
    return e->shut_down;
}

static json_t *error_for(json_t *id, int code, const char *message)
{
    return json_pack("{s:s, s:o, s:{s:i, s:s}}", "jsonrpc", "2.0", "id", id, "error", "code", code, "message",
                     message);
}

json_t *obb_editor_refusal(const char *why)
{
    return error_for(json_null(), PARSE_ERROR, why);
}

/* --- what is asked about a place ---------------------------------------------------- */

typedef struct asked {
    const char *uri, *path;
    int line, column;
} asked;

/* False: it names no place of a file. */
static bool read_place(obb_editor *e, const json_t *params, asked *a)
{
    const json_t *position = json_object_get(params, "position"), *line = json_object_get(position, "line"),
                 *unit = json_object_get(position, "character");
    size_t length;
    a->uri = json_string_value(json_object_get(json_object_get(params, "textDocument"), "uri"));
    read_again(e);
    a->path = a->uri ? path_of_uri(e->arena, a->uri) : NULL;
    if (!a->path)
        return false;
    a->line = a->column = 1;
    if (!position)
        return true;
    if (!json_is_integer(line) || !json_is_integer(unit) || json_integer_value(line) < 0 ||
        json_integer_value(unit) < 0 || json_integer_value(line) > 100000000)
        return false;
    const char *text = line_of(e, a->path, (size_t)json_integer_value(line), &length);
    a->line = (int)json_integer_value(line) + 1;
    a->column = (int)byte_after(text, length, (size_t)json_integer_value(unit)) + 1;
    return true;
}

static json_t *location(obb_editor *e, const mention *m)
{
    const char *path = obb_path_join(e->arena, e->w->root, m->place.file);
    return json_pack("{s:s, s:o}", "uri", uri_of_path(e, path), "range",
                     range_json(e, path, m->place, strlen(m->name)));
}

static json_t *find_places(obb_editor *e, const asked *a, bool definitions, bool uses)
{
    const mentions *all = mentions_of(e);
    const mention *at = mention_at(e, a->path, a->line, a->column);
    json_t *list = json_array();
    for (size_t i = 0; at && i < all->count; i++) {
        const mention *m = &all->at[i];
        if (same_name(at, m) && (m->defines ? definitions : uses))
            json_array_append_new(list, location(e, m));
    }
    return list;
}

static json_t *definition(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    return find_places(e, a, true, false);
}

static json_t *references(obb_editor *e, const asked *a, const json_t *params)
{
    bool too = json_is_true(json_object_get(json_object_get(params, "context"), "includeDeclaration"));
    return find_places(e, a, too, true);
}

static json_t *hover(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    return explain(e, a->path, a->line, a->column);
}

static json_t *completion(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    return offer_completions(e, a->path, a->line, a->column);
}

static json_t *symbols(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    return outline(e, a->path);
}

static json_t *folding(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    return foldings(e, a->path);
}

/* --- changes ------------------------------------------------------------------------ */

/* Whether a name can be renamed: it is defined in a description here. */
static bool is_defined_here(obb_editor *e, const mention *at)
{
    const mentions *all = mentions_of(e);
    bool defined = false;
    for (size_t i = 0; at && i < all->count && !defined; i++)
        defined = all->at[i].defines && same_name(at, &all->at[i]);
    return defined;
}

static json_t *may_rename(obb_editor *e, const asked *a, const json_t *params)
{
    (void)params;
    const mention *at = mention_at(e, a->path, a->line, a->column);
    return is_defined_here(e, at) ? range_json(e, a->path, at->place, strlen(at->name)) : json_null();
}

static bool is_name(const char *text)
{
    return text && *text && !strpbrk(text, " \t\r\n\"\\;#{}=|:/");
}

static json_t *rename_all(obb_editor *e, const asked *a, const json_t *params)
{
    const mentions *all = mentions_of(e);
    const char *name = json_string_value(json_object_get(params, "newName"));
    const mention *at = mention_at(e, a->path, a->line, a->column);
    if (!is_name(name) || !is_defined_here(e, at))
        return NULL;
    json_t *changes = json_object();
    for (size_t i = 0; i < all->count; i++) {
        const mention *m = &all->at[i];
        if (!same_name(at, m))
            continue;
        const char *path = obb_path_join(e->arena, e->w->root, m->place.file), *uri = uri_of_path(e, path);
        json_t *list = json_object_get(changes, uri);
        if (!list) {
            list = json_array();
            json_object_set_new(changes, uri, list);
        }
        json_array_append_new(list,
                              json_pack("{s:o, s:s}", "range", range_json(e, path, m->place, strlen(m->name)),
                                        "newText", name));
    }
    return json_pack("{s:o}", "changes", changes);
}

static json_t *formatting(obb_editor *e, const asked *a, const json_t *params)
{
    size_t length, lines = 0;
    const char *text = text_of(e, a->path, &length);
    obb_diags *ignored = obb_diags_new();
    obb_text formatted = {0};
    json_t *edits = json_array();
    (void)params;
    bool read = obb_score_format(e->arena, &(obb_score_origin){.file = a->path}, text, length, ignored,
                                 &formatted);
    for (size_t i = 0; i < length; i++)
        lines += text[i] == '\n';
    if (read && (formatted.length != length || (length && memcmp(formatted.bytes, text, length) != 0)))
        json_array_append_new(edits,
                              json_pack("{s:{s:{s:i, s:i}, s:{s:I, s:i}}, s:s}", "range", "start", "line", 0,
                                        "character", 0, "end", "line", (json_int_t)lines + 1, "character", 0,
                                        "newText", obb_text_bytes(&formatted)));
    obb_text_free(&formatted);
    obb_diags_free(ignored);
    return edits;
}

/* The word that a hint suggests: did you mean `WORD`? */
static const char *suggestion(obb_editor *e, const char *hint)
{
    const char *at = hint ? strstr(hint, "did you mean `") : NULL;
    return at ? obb_arena_copy(e->arena, at + 14, strcspn(at + 14, "`")) : NULL;
}

static json_t *actions(obb_editor *e, const asked *a, const json_t *params)
{
    const json_t *list = json_object_get(json_object_get(params, "context"), "diagnostics");
    json_t *all = json_array();
    for (size_t i = 0; i < json_array_size(list); i++) {
        json_t *d = json_array_get(list, i);
        const char *hint = json_string_value(json_object_get(d, "data"));
        const char *word = suggestion(e, hint ? hint : json_string_value(json_object_get(d, "message")));
        json_t *range = json_object_get(d, "range");
        if (word && range)
            json_array_append_new(all, json_pack("{s:s, s:s, s:[O], s:{s:{s:[{s:O, s:s}]}}}", "title",
                                                 obb_arena_format(e->arena, "Replace it by `%s`", word),
                                                 "kind", "quickfix", "diagnostics", d, "edit", "changes",
                                                 a->uri, "range", range, "newText", word));
    }
    return all;
}

typedef struct method {
    const char *name;
    json_t *(*answer)(obb_editor *e, const asked *a, const json_t *params); /* NULL: it cannot be done */
} method;

static const method methods[] = {{"textDocument/definition", definition},
                                 {"textDocument/references", references},
                                 {"textDocument/hover", hover},
                                 {"textDocument/completion", completion},
                                 {"textDocument/documentSymbol", symbols},
                                 {"textDocument/foldingRange", folding},
                                 {"textDocument/formatting", formatting},
                                 {"textDocument/prepareRename", may_rename},
                                 {"textDocument/rename", rename_all},
                                 {"textDocument/codeAction", actions}};

/* --- life --------------------------------------------------------------------------- */

static json_t *capabilities(void)
{
    return json_pack(
        "{s:{s:{s:b, s:i}, s:b, s:b, s:b, s:{s:[s, s, s, s]}, s:b, s:b, s:b, s:{s:b}, s:b}, s:{s:s, s:s}}",
        "capabilities", "textDocumentSync", "openClose", 1, "change", 1, "definitionProvider", 1,
        "referencesProvider", 1, "hoverProvider", 1, "completionProvider", "triggerCharacters", "=", ":", "/",
        "|", "documentSymbolProvider", 1, "foldingRangeProvider", 1, "documentFormattingProvider", 1,
        "renameProvider", "prepareProvider", 1, "codeActionProvider", 1, "serverInfo", "name", "obbligato",
        "version", OBB_VERSION);
}

static void take_text(obb_editor *e, const char *name, const json_t *params, json_t *out)
{
    const json_t *d = json_object_get(params, "textDocument"),
                 *changes = json_object_get(params, "contentChanges");
    const char *uri = json_string_value(json_object_get(d, "uri"));
    const json_t *text = json_array_size(changes)
                             ? json_object_get(json_array_get(changes, json_array_size(changes) - 1), "text")
                             : json_object_get(d, "text");
    json_int_t version = json_integer_value(json_object_get(d, "version"));
    if (!uri)
        return;
    if (strcmp(name, "textDocument/didClose") == 0)
        close_document(e, uri);
    else if (json_is_string(text))
        open_document(e, uri, json_string_value(text), json_string_length(text), version);
    else
        e->stale = true; /* it was saved: others may have changed as well */
    tell_diagnostics(e, out);
}

static void take_notification(obb_editor *e, const char *name, const json_t *params, json_t *out)
{
    static const char *const texts[] = {"textDocument/didOpen", "textDocument/didChange",
                                        "textDocument/didClose", "textDocument/didSave",
                                        "workspace/didChangeWatchedFiles"};
    for (size_t i = 0; i < sizeof texts / sizeof *texts; i++)
        if (strcmp(name, texts[i]) == 0 && i < 4)
            take_text(e, name, params, out);
        else if (strcmp(name, texts[i]) == 0)
            e->stale = true, tell_diagnostics(e, out);
}

static json_t *answer_request(obb_editor *e, const char *name, json_t *id, const json_t *params)
{
    json_t *result = NULL;
    asked a;
    if (strcmp(name, "initialize") == 0) {
        e->initialized = true;
        result = capabilities();
    } else if (!e->initialized) {
        return error_for(id, NOT_INITIALIZED, "initialize comes first");
    } else if (e->shut_down) {
        return error_for(id, INVALID_REQUEST, "it was shut down");
    } else if (strcmp(name, "shutdown") == 0) {
        e->shut_down = true;
        result = json_null();
    } else {
        const method *m = NULL;
        for (size_t i = 0; i < sizeof methods / sizeof *methods && !m; i++)
            m = strcmp(methods[i].name, name) == 0 ? &methods[i] : NULL;
        if (!m)
            return error_for(id, NO_METHOD, "there is no such method");
        if (!read_place(e, params, &a))
            return error_for(id, INVALID_PARAMS, "it names no place in a file");
        result = m->answer(e, &a, params);
        if (!result)
            return error_for(id, REQUEST_FAILED, "this cannot be renamed, or not to that");
    }
    json_t *answer = json_object();
    json_object_set_new(answer, "jsonrpc", json_string("2.0"));
    json_object_set_new(answer, "id", id);
    json_object_set_new(answer, "result", result);
    return answer;
}

bool obb_editor_take(obb_editor *e, const json_t *message, json_t *out)
{
    const char *name = json_string_value(json_object_get(message, "method"));
    json_t *id = json_object_get(message, "id"), *params = json_object_get(message, "params");
    if (!name) { /* an answer to something that we did not ask; or no message */
        if (!json_is_object(message) ||
            (!json_object_get(message, "result") && !json_object_get(message, "error")))
            json_array_append_new(out, error_for(id ? json_incref(id) : json_null(), INVALID_REQUEST,
                                                 "it is no request"));
        return true;
    }
    if (strcmp(name, "exit") == 0)
        return false;
    if (id)
        json_array_append_new(out, answer_request(e, name, json_incref(id), params));
    else if (e->initialized)
        take_notification(e, name, params, out);
    return true;
}
