/* An editor's session while it goes on. Only src/editor uses this header. */
#ifndef OBB_EDITOR_WORK_H
#define OBB_EDITOR_WORK_H

#include "base/map.h"
#include "build/workspace.h"
#include "editor/editor.h"
#include "score/score.h"

/* A text that the editor has open. */
typedef struct document {
    char *uri, *path; /* absolute */
    obb_text text;
    json_int_t version;
} document;

/* What names stand for. */
enum {
    NAMES_PROGRAM = 1,
    NAMES_LIBRARY = 2,
    NAMES_TEST = 4,
    NAMES_STEP = 8,
    NAMES_IMAGE = 16,
    NAMES_GROUP = 32,
    NAMES_TARGET = 63,
    NAMES_PLATFORM = 64,
    NAMES_CONFIGURATION = 128,
    NAMES_TOOLCHAIN = 256,
    NAMES_AXIS = 512,
    NAMES_VALUE = 1024, /* of an axis: AXIS=VALUE */
    NAMES_RUNNER = 2048,
    NAMES_SETTINGS = 4096,
    NAMES_DELIVERY = 8192,
    NAMES_LET = 16384,
    NAMES_VARIANT = 32768,
    NAMES_FILE = 65536,
    NAMES_FOLDER = 131072,
    NAMES_DEVICE = 262144,
    NAMES_THIRDPARTY = 524288
};

/* A word that defines or uses a name. */
typedef struct mention {
    unsigned kinds;
    const char *name;
    const char *axis; /* of a value: whose */
    obb_place place;  /* where the name itself begins */
    bool defines;
} mention;

typedef OBB_VEC(mention) mentions;

struct obb_editor {
    OBB_VEC(document *) documents;
    obb_words told; /* URIs with diagnostics, which are taken back when they are gone */
    obb_arena *told_arena;
    bool initialized, shut_down;
    const char *manual;

    /* of the last reading; released before the next one */
    obb_request request;
    obb_build_observer observer;
    obb_workspace *w; /* NULL: there is no project */
    obb_arena *arena;
    bool named;         /* the next one is found: */
    mentions mentions;  /* in its own descriptions; see mentions_of */
    obb_map lines; /* by path: line_index */
    bool stale;
};

/* --- documents.c */

document *document_of(const obb_editor *e, const char *uri);
void open_document(obb_editor *e, const char *uri, const char *text, size_t length, json_int_t version);
void close_document(obb_editor *e, const char *uri);

/* Absolute; in the editor's arena. NULL: it is no file. */
const char *path_of_uri(obb_arena *arena, const char *uri);

/* As the editor names it, if it is open. */
const char *uri_of_path(const obb_editor *e, const char *path);

/* The text of a file as the editor sees it: open, or on disk. */
const char *text_of(obb_editor *e, const char *path, size_t *length);

/* A line (from 0) of a file; "" behind the last one. */
const char *line_of(obb_editor *e, const char *path, size_t line, size_t *length);

/* The number of UTF-16 units before a byte of a line; and back. */
size_t units_before(const char *line, size_t length, size_t byte);
size_t byte_after(const char *line, size_t length, size_t units);

json_t *position_json(obb_editor *e, const char *path, int line, int column);
json_t *range_json(obb_editor *e, const char *path, obb_place begin, size_t length);

/* --- meaning.c: reads the project again if something has changed since; and tells what is wrong with it. */

void read_again(obb_editor *e);
void tell_diagnostics(obb_editor *e, json_t *out);

/* From the project's folder, of a document. */
const char *path_in_project(const obb_editor *e, const char *path);

/* --- names.c */

/* All of them. They are found when they are asked for, since a change of a text alone asks for none. */
const mentions *mentions_of(obb_editor *e);

/* What names the values of a statement may be, by its first word and the block that it stands in. */
unsigned names_in(const char *word, const char *block);

/* The mention at a place; NULL: none. */
const mention *mention_at(obb_editor *e, const char *path, int line, int column);
bool same_name(const mention *a, const mention *b);

/* --- places.c: where in a text a position is */

typedef struct frame {
    const char *word, *name; /* the first two words of a statement whose block it is in; "" for none */
} frame;

typedef struct spot {
    OBB_VEC(frame) frames;  /* outermost first */
    obb_word_list words;    /* of the statement that it is in, before it */
    const char *word;       /* what stands before it of its own word; "" */
    const char *whole;      /* the word that it is in, or behind */
    obb_place place;        /* where that begins */
} spot;

void find_spot(obb_editor *e, const char *path, int line, int column, spot *s);

/* What words may begin a statement there (project/vocabulary.h); 0: values stand there. */
unsigned where_of(const spot *s);

json_t *outline(obb_editor *e, const char *path);
json_t *foldings(obb_editor *e, const char *path);

/* --- offers.c, explaining.c */

json_t *offer_completions(obb_editor *e, const char *path, int line, int column);
json_t *explain(obb_editor *e, const char *path, int line, int column);

#endif
