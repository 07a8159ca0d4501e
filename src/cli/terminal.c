/* Output: colours, tables, progress, diagnostics with their source line. Control characters in names are
 * shown as escapes; what commands print passes as it is.
 *
 * Whether there are colours and a progress line is decided once, for each stream. The progress line is
 * cleared before anything else is written. Control characters never reach the terminal by names or
 * descriptions. */
#include "cli/terminal.h"
#include "report/report.h"

#include <assert.h>
#include <stdarg.h>
#include <string.h>
#include <sys/ioctl.h>
#include <unistd.h>

#include "base/files.h"

static struct {
    bool color_out, color_err, progress;
    bool line_shown;
    size_t columns; /* that tables may take; 0: as many as they need */
} terminal;

static bool decide(when w, int fd)
{
    const char *none = getenv("NO_COLOR"), *kind = getenv("TERM");
    if (w != WHEN_AUTO)
        return w == WHEN_ALWAYS;
    return isatty(fd) && !(none && *none) && !(kind && strcmp(kind, "dumb") == 0);
}

/* Of the terminal behind a descriptor; 0: it is none. */
static size_t width_behind(int fd)
{
    struct winsize size;
    return ioctl(fd, TIOCGWINSZ, &size) == 0 && size.ws_col > 10 ? size.ws_col : 0;
}

static size_t terminal_width(void)
{
    size_t width = width_behind(STDERR_FILENO);
    return width ? width : 80;
}

void terminal_open(const options *o)
{
    const char *kind = getenv("TERM");
    bool able = isatty(STDERR_FILENO) && !(kind && strcmp(kind, "dumb") == 0);
    terminal.color_out = decide(o->color, STDOUT_FILENO);
    terminal.color_err = decide(o->color, STDERR_FILENO);
    terminal.columns = o->wide ? 0 : width_behind(STDOUT_FILENO);
    terminal.progress = !o->quiet && !o->json &&
                        (o->progress == WHEN_ALWAYS || (o->progress == WHEN_AUTO && able));
}

bool terminal_has_progress_line(void)
{
    return terminal.progress;
}

/* Select graphic rendition (ECMA-48, 8.3.117). */
static const char *const inks[] = {"", "1;31", "1;33", "32", "2", "1"};

static void say_visible(FILE *stream, const char *format, va_list args)
{
    va_list again;
    obb_text shown = {0};
    va_copy(again, args);
    int n = vsnprintf(NULL, 0, format, again);
    va_end(again);
    char *said = obb_alloc((size_t)(n < 0 ? 0 : n) + 1);
    vsnprintf(said, (size_t)(n < 0 ? 0 : n) + 1, format, args);
    obb_text_visible(&shown, said, strlen(said), false);
    fwrite(shown.bytes, 1, shown.length, stream);
    obb_text_free(&shown);
    free(said);
}

void terminal_say(FILE *stream, const char *format, ...)
{
    va_list args;
    va_start(args, format);
    say_visible(stream, format, args);
    va_end(args);
}

void terminal_ink(FILE *stream, ink i, const char *format, ...)
{
    bool color = i != INK_PLAIN && (stream == stderr ? terminal.color_err : terminal.color_out);
    va_list args;
    va_start(args, format);
    if (color)
        fprintf(stream, "\033[%sm", inks[i]);
    say_visible(stream, format, args);
    if (color)
        fputs("\033[0m", stream);
    va_end(args);
}


/* The bytes of the first `columns` characters (UTF-8, RFC 3629). */
static size_t cut(const char *line, size_t columns)
{
    size_t n = 0;
    for (; line[n]; n++)
        if (((unsigned char)line[n] & 0xC0) != 0x80 && columns-- == 0)
            break;
    return n;
}

void terminal_progress(const char *line)
{
    if (!terminal.progress || (!*line && !terminal.line_shown))
        return;
    fflush(stdout);
    fputs("\r\033[K", stderr);
    terminal_say(stderr, "%.*s", (int)cut(line, terminal_width() - 1), line);
    fflush(stderr);
    terminal.line_shown = *line != 0;
}

/* The line of a file, for showing it under a message. */
static void show_line(const obb_place *p)
{
    obb_text text = {0};
    if (!p->file || p->line < 1 || p->file[0] == '<' || obb_file_read(p->file, &text)) {
        obb_text_free(&text);
        return;
    }
    const char *line = text.bytes;
    for (int i = 1; i < p->line && line; i++) {
        line = strchr(line, '\n');
        line += line != NULL;
    }
    if (line && *line) {
        int length = (int)strcspn(line, "\r\n");
        terminal_say(stderr, "    %.*s\n", length, line);
        if (p->column > 0 && p->column <= length + 1) {
            fputs("    ", stderr);
            for (int i = 0; i < p->column - 1; i++)
                if (((unsigned char)line[i] & 0xC0) != 0x80)
                    fputc(line[i] == '\t' ? '\t' : ' ', stderr);
            terminal_ink(stderr, INK_ERROR, "^");
            fputc('\n', stderr);
        }
    }
    obb_text_free(&text);
}

static void show_place(const obb_place *p)
{
    if (!p->file)
        return;
    terminal_say(stderr, "%s", p->file);
    if (p->line > 0)
        fprintf(stderr, ":%d", p->line);
    if (p->line > 0 && p->column > 0)
        fprintf(stderr, ":%d", p->column);
    fputs(": ", stderr);
}

void terminal_show_diag(const obb_diag *d)
{
    terminal_progress("");
    fflush(stdout);
    if (!d->place.file)
        fputs("obbligato: ", stderr);
    show_place(&d->place);
    terminal_ink(stderr, d->fault ? INK_ERROR : INK_WARNING, d->fault ? "error:" : "warning:");
    terminal_say(stderr, " %s\n", d->message);
    show_line(&d->place);
    for (size_t i = 0; i < d->notes.count; i++) {
        fputs("  ", stderr);
        show_place(&d->notes.at[i].place);
        terminal_say(stderr, "%s\n", d->notes.at[i].message);
    }
    if (d->hint)
        terminal_say(stderr, "  hint: %s\n", d->hint);
}

/* --- tables ------------------------------------------------------------------------- */

void table_cell(table *t, const char *cell)
{
    obb_vec_push(&t->cells, strdup(cell));
}

void table_take_row(table *t, const char *const *cells, size_t count)
{
    if (!t->columns)
        t->columns = count;
    assert(count >= t->columns);
    for (size_t i = 0; i < t->columns; i++)
        table_cell(t, cells[i] ? cells[i] : "");
}

static size_t width_of(const char *text)
{
    size_t n = 0;
    for (; *text; text++)
        n += ((unsigned char)*text & 0xC0) != 0x80;
    return n;
}

static void print_cell(const char *cell, size_t width, bool right, bool last, bool heading)
{
    size_t fill = width > width_of(cell) ? width - width_of(cell) : 0;
    if (right)
        printf("%*s", (int)fill, "");
    terminal_ink(stdout, heading ? INK_STRONG : INK_PLAIN, "%s", cell);
    if (!right && !last)
        printf("%*s", (int)fill, "");
    fputs(last ? "\n" : "  ", stdout);
}

/* Right-aligned columns lose their mark; gives their flags. */
static bool *take_marks(table *t)
{
    bool *right = obb_alloc(t->columns);
    for (size_t c = 0; c < t->columns; c++) {
        char *heading = (char *)(uintptr_t)t->cells.at[c];
        right[c] = heading[0] == '>';
        if (right[c])
            memmove(heading, heading + 1, strlen(heading));
    }
    return right;
}

static void make_visible(table *t)
{
    for (size_t i = 0; i < t->cells.count; i++) {
        obb_text shown = {0};
        obb_text_visible(&shown, t->cells.at[i], strlen(t->cells.at[i]), true);
        free((char *)(uintptr_t)t->cells.at[i]);
        t->cells.at[i] = shown.bytes;
    }
}

enum { LEAST = 6, LEAST_OF_NAMES = 24 };

/* What a row needs at least: numbers stay whole, and something is left of words, more of the names. */
static size_t least_width(const bool *right, const size_t *widths, size_t columns)
{
    size_t all = 2 * (columns - 1);
    for (size_t c = 0; c < columns; c++) {
        size_t least = right[c] ? widths[c] : c ? LEAST : LEAST_OF_NAMES;
        all += least < widths[c] ? least : widths[c];
    }
    return all;
}

/* Leaves out columns, the last ones first, and shrinks columns of words, the widest first and the first one
 * (the names) last, until a row fits. Gives how many columns stay; *cut: something was shrunk or left out. */
static size_t fit(const table *t, const bool *right, size_t *widths, bool *cut_any)
{
    size_t columns = t->columns, all;
    while (terminal.columns && columns > 2 && least_width(right, widths, columns) > terminal.columns)
        columns--;
    *cut_any = columns < t->columns;
    all = 2 * (columns - 1);
    for (size_t c = 0; c < columns; c++)
        all += widths[c];
    while (terminal.columns && all > terminal.columns) {
        size_t widest = columns;
        for (size_t c = 1; c < columns; c++)
            if (!right[c] && widths[c] > LEAST && (widest == columns || widths[c] > widths[widest]))
                widest = c;
        if (widest == columns && !right[0] && widths[0] > LEAST)
            widest = 0;
        if (widest == columns)
            break;
        widths[widest]--;
        all--;
        *cut_any = true;
    }
    return columns;
}

/* A cell in so many columns: of a path, what tells most is its end. */
static char *shortened(const char *cell, size_t width)
{
    static const char left_out[] = "\xE2\x80\xA6"; /* one character, an ellipsis */
    bool path = strchr(cell, '/') && !strchr(cell, ' ');
    size_t keep = width - 1, all = width_of(cell), skip = path ? cut(cell, all - keep) : 0;
    char *text = obb_alloc(strlen(cell) + sizeof left_out);
    sprintf(text, "%s%.*s%s", path ? left_out : "", path ? (int)strlen(cell + skip) : (int)cut(cell, keep),
            cell + skip, path ? "" : left_out);
    return text;
}

static void print_rows(const table *t, const bool *right)
{
    size_t *widths = obb_alloc(t->columns * sizeof *widths);
    for (size_t i = 0; i < t->cells.count; i++) {
        size_t w = width_of(t->cells.at[i]);
        if (w > widths[i % t->columns])
            widths[i % t->columns] = w;
    }
    bool cut_any;
    size_t columns = fit(t, right, widths, &cut_any);
    for (size_t i = 0; i < t->cells.count; i++) {
        size_t c = i % t->columns;
        if (c >= columns)
            continue;
        char *less = width_of(t->cells.at[i]) > widths[c] ? shortened(t->cells.at[i], widths[c]) : NULL;
        print_cell(less ? less : t->cells.at[i], widths[c], right[c], c + 1 == columns, i < t->columns);
        free(less);
    }
    if (cut_any)
        terminal_ink(stdout, INK_DIM, "cut to the width of the terminal; --wide shows all\n");
    free(widths);
}

static json_t *json_rows(const table *t)
{
    json_t *rows = json_array();
    for (size_t i = t->columns; i < t->cells.count; i += t->columns) {
        json_t *row = json_object();
        for (size_t c = 0; c < t->columns; c++)
            json_object_set_new(row, t->cells.at[c], obb_report_text(t->cells.at[i + c]));
        json_array_append_new(rows, row);
    }
    return rows;
}

void table_drop(table *t)
{
    for (size_t i = 0; i < t->cells.count; i++)
        free((char *)(uintptr_t)t->cells.at[i]);
    obb_vec_free(&t->cells);
}

json_t *table_rows(table *t)
{
    free(take_marks(t));
    json_t *rows = json_rows(t);
    table_drop(t);
    return rows;
}

void table_print(table *t, bool json)
{
    if (json) {
        json_t *document = json_object();
        json_object_set_new(document, "rows", table_rows(t));
        json_print(document, t->name);
        return;
    }
    bool *right = take_marks(t);
    make_visible(t);
    print_rows(t, right);
    table_drop(t);
    free(right);
}

void json_print(json_t *document, const char *name)
{
    char format[80];
    json_t *whole = json_object();
    snprintf(format, sizeof format, "obbligato.%s", name);
    json_object_set_new(whole, "format", json_string(format));
    json_object_set_new(whole, "version", json_integer(1));
    json_object_update(whole, document);
    json_dumpf(whole, stdout, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
    putchar('\n');
    fflush(stdout); /* the reader need not wait for what is done afterwards */
    json_decref(whole);
    json_decref(document);
}

const char *duration_text(char *room, size_t size, unsigned long long ms)
{
    if (ms < 1000)
        snprintf(room, size, "%llu ms", ms);
    else if (ms < 120000)
        snprintf(room, size, "%llu.%llu s", ms / 1000, ms % 1000 / 100);
    else
        snprintf(room, size, "%llu min %llu s", ms / 60000, ms % 60000 / 1000);
    return room;
}

const char *bytes_text(char *room, size_t size, unsigned long long bytes)
{
    bool many = bytes >> 20 != 0;
    snprintf(room, size, "%.1f %s", (double)bytes / (many ? 1048576 : 1024), many ? "MiB" : "KiB");
    return room;
}

const char *counted(char *room, size_t size, size_t n, const char *one, const char *many)
{
    snprintf(room, size, "%zu %s", n, n == 1 ? one : many);
    return room;
}
