/* The only place that prints: tables, messages, progress. */
#ifndef OBB_CLI_TERMINAL_H
#define OBB_CLI_TERMINAL_H

#include <jansson.h>
#include <stdio.h>

#include "base/diag.h"
#include "base/text.h"
#include "cli/options.h"

typedef enum ink { INK_PLAIN, INK_ERROR, INK_WARNING, INK_GOOD, INK_DIM, INK_STRONG } ink;

/* Decides about colours and the progress line, from the options and from where the output
 * goes. */
void terminal_open(const options *o);
bool terminal_has_progress_line(void);

/* Text on a stream, with control characters as escapes: names and descriptions may hold any. What commands
 * print is not written by this, so that its colours stay. */
void terminal_say(FILE *stream, const char *format, ...);

/* The same in an ink; the ink adds to what the words say, never replaces it. */
void terminal_ink(FILE *stream, ink i, const char *format, ...);

/* One line that the next one replaces; "" clears it. */
void terminal_progress(const char *line);

void terminal_show_diag(const obb_diag *d);

/* A table: columns as wide as they must be, two blanks between. A heading that starts with
 * `>` makes its column right-aligned. The same rows are a JSON document under --json: an
 * object with "format" (obbligato.NAME), "version" and "rows", each row an object with the
 * headings as its keys. */
typedef struct table {
    const char *name;
    size_t columns;
    obb_words cells; /* row by row, the heading first */
} table;

/* The first row gives the columns, unless `columns` says how many of its cells are shown; all rows have as
 * many. */
#define table_row(t, ...)                                      \
    table_take_row((t), (const char *const[]){__VA_ARGS__},    \
                   sizeof((const char *const[]){__VA_ARGS__}) / sizeof(const char *))
void table_take_row(table *t, const char *const *cells, size_t count);
void table_cell(table *t, const char *cell); /* the next one, where the columns are not fixed */
void table_print(table *t, bool json); /* and releases it */
json_t *table_rows(table *t);          /* the rows of the document alone; and releases it */
void table_drop(table *t);             /* releases it */

/* Prints an object with "format" and "version" in front of its own members; releases it. */
void json_print(json_t *document, const char *name);

/* "3.4 s", "120 ms". */
const char *duration_text(char *room, size_t size, unsigned long long milliseconds);

/* "3.4 MiB", "1.2 KiB". */
const char *bytes_text(char *room, size_t size, unsigned long long bytes);

/* "1 source", "3 sources". */
const char *counted(char *room, size_t size, size_t n, const char *one, const char *many);

#endif
