/* Which files linker scripts read (linker_script.h). Only the commands that name files are understood; all
 * else is passed over, with its comments and strings.
 *
 * Scripts are read once each, with a limit on their nesting. Places where an included script was looked for
 * before it was found are noted as absent. */
#include "scan/linker_script.h"

#include <string.h>

#include "base/path.h"

enum { DEEPEST = 10 }; /* as the linker itself allows */

typedef struct reader {
    obb_files *files;
    obb_arena *arena;
    const obb_words *folders;
    obb_script_scan *scan;
    int depth;
} reader;

static void read_script(reader *r, obb_file file);

static bool known(const obb_file_list *list, obb_file file)
{
    for (size_t i = 0; i < list->count; i++)
        if (list->at[i] == file)
            return true;
    return false;
}

/* The first folder that has it; the places before are noted as absences. */
static obb_file look_up(reader *r, const char *name, obb_file_list *absent)
{
    for (size_t i = 0; i < r->folders->count; i++) {
        obb_file file = obb_files_number(r->files,
                                         obb_files_resolve(r->files, r->arena, r->folders->at[i], name));
        if (obb_files_is_file(r->files, file))
            return file;
        if (!known(absent, file))
            obb_arena_push(r->arena, absent, file);
        if (name[0] == '/')
            break;
    }
    return OBB_NO_FILE;
}

/* --- words -------------------------------------------------------------------------- */

typedef struct cursor {
    const char *at;
    int line;
} cursor;

static void skip_blanks(cursor *c)
{
    for (;;) {
        while (*c->at && strchr(" \t\r\n", *c->at))
            c->line += *c->at++ == '\n';
        if (c->at[0] == '/' && c->at[1] == '*') {
            const char *end = strstr(c->at + 2, "*/");
            for (; *c->at && c->at != end; c->at++)
                c->line += *c->at == '\n';
            c->at += *c->at ? 2 : 0;
        } else if (*c->at == '#') {
            c->at += strcspn(c->at, "\n");
        } else {
            return;
        }
    }
}

/* The next word: a name, a quoted string, or one character. NULL at the end. */
static char *next_word(reader *r, cursor *c)
{
    skip_blanks(c);
    if (!*c->at)
        return NULL;
    const char *start = c->at;
    if (*start == '"') {
        size_t n = strcspn(start + 1, "\"\n");
        c->at += n + 1 + (start[n + 1] == '"');
        return obb_arena_copy(r->arena, start + 1, n);
    }
    size_t n = strcspn(start, " \t\r\n(){};,=\"");
    n = n ? n : 1;
    c->at += n;
    return obb_arena_copy(r->arena, start, n);
}

/* --- commands ----------------------------------------------------------------------- */

static void include(reader *r, const char *name, const char *from, int line)
{
    obb_script_missing missing = {name, {.file = from, .line = line, .column = 1}};
    obb_file file = look_up(r, name, &r->scan->absent);
    if (file == OBB_NO_FILE)
        obb_arena_push(r->arena, &r->scan->missing, missing);
    else
        read_script(r, file);
}

/* INPUT ( a.o, -lx, AS_NEEDED ( b.a ) ) */
static void inputs(reader *r, cursor *c)
{
    char *w = next_word(r, c);
    int open = w && strcmp(w, "(") == 0;
    while (open && (w = next_word(r, c))) {
        open += strcmp(w, "(") == 0 ? 1 : strcmp(w, ")") == 0 ? -1 : 0;
        if (!strchr("(),", w[0]) && strcmp(w, "AS_NEEDED") != 0)
            obb_arena_push(r->arena, &r->scan->inputs, w);
    }
}

static void read_script(reader *r, obb_file file)
{
    obb_text text = {0};
    if (known(&r->scan->files, file) || r->depth >= DEEPEST || obb_files_read(r->files, file, &text)) {
        obb_text_free(&text);
        return;
    }
    const char *path = obb_files_path(r->files, file);
    cursor c = {text.bytes, 1};
    obb_arena_push(r->arena, &r->scan->files, file);
    r->depth++;
    for (char *w; (w = next_word(r, &c));) {
        if (strcmp(w, "INCLUDE") == 0) {
            int line = c.line;
            char *name = next_word(r, &c);
            if (name)
                include(r, name, path, line);
        } else if (strcmp(w, "INPUT") == 0 || strcmp(w, "GROUP") == 0 || strcmp(w, "STARTUP") == 0) {
            inputs(r, &c);
        }
    }
    r->depth--;
    obb_text_free(&text);
}

void obb_scan_linker_script(obb_files *files, obb_arena *arena, const char *path, const obb_words *folders,
                            obb_script_scan *scan)
{
    reader r = {.files = files, .arena = arena, .folders = folders, .scan = scan};
    obb_file file = obb_files_number(files, path);
    if (obb_files_is_file(files, file))
        read_script(&r, file);
}
