/* `language-server`: messages over standard input and output, each behind its length (the protocol's base
 * protocol). */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/commands.h"
#include "editor/editor.h"
#include "obbligato-resources.h"

enum { LONGEST = 1 << 28 };

/* All JSON of a message and its answers lives as long as these take: an outline has tens of thousands of
 * values, and allocating and releasing each took a third of its time. The editor keeps none. */
static obb_arena *values;

static void *take_memory(size_t size)
{
    return obb_arena_alloc(values, size);
}

static void leave_memory(void *memory)
{
    (void)memory;
}

static void send(const json_t *message)
{
    char *text = json_dumps(message, JSON_COMPACT);
    if (text)
        printf("Content-Length: %zu\r\n\r\n%s", strlen(text), text);
    fflush(stdout);
}

/* The length that the lines in front of a message say; 0: the input has ended; negative: they say none. */
static long read_length(void)
{
    char line[1000];
    long length = -1;
    while (fgets(line, sizeof line, stdin)) {
        if (strcmp(line, "\r\n") == 0 || strcmp(line, "\n") == 0)
            return length > LONGEST ? -1 : length;
        if (strncmp(line, "Content-Length:", 15) == 0)
            length = strtol(line + 15, NULL, 10);
    }
    return 0;
}

static bool take(obb_editor *e, const char *text, size_t length)
{
    json_error_t error;
    json_t *message = json_loadb(text, length, 0, &error), *out = json_array();
    bool more = true;
    if (message)
        more = obb_editor_take(e, message, out);
    else
        json_array_append_new(out, obb_editor_refusal(error.text));
    for (size_t i = 0; i < json_array_size(out); i++)
        send(json_array_get(out, i));
    obb_arena_reset(values);
    return more;
}

int command_language_server(session *s)
{
    obb_editor *e = obb_editor_new((const char *)language_md);
    bool more = true;
    (void)s;
    values = obb_arena_new();
    json_set_alloc_funcs(take_memory, leave_memory);
    for (long length; more && (length = read_length()) != 0;) {
        char *text = length > 0 ? malloc((size_t)length) : NULL;
        if (!text) { /* where the next message begins, nobody knows */
            json_t *refusal = obb_editor_refusal("a message without its length, or too long");
            send(refusal);
            break;
        }
        size_t n = fread(text, 1, (size_t)length, stdin);
        more = n == (size_t)length && take(e, text, n);
        free(text);
    }
    int code = obb_editor_was_shut_down(e) ? 0 : OBB_FAULT_ACTION;
    obb_editor_free(e);
    obb_arena_free(values);
    return code;
}
