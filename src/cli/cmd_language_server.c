/* `language-server`: messages over standard input and output, each behind its length (the protocol's base
 * protocol). */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "cli/commands.h"
#include "editor/editor.h"
#include "obbligato-resources.h"

enum { LONGEST = 1 << 28 };

static void send(const json_t *message)
{
    char *text = json_dumps(message, JSON_COMPACT);
    if (text)
        printf("Content-Length: %zu\r\n\r\n%s", strlen(text), text);
    free(text);
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
    json_decref(message);
    json_decref(out);
    return more;
}

int command_language_server(session *s)
{
    obb_editor *e = obb_editor_new((const char *)language_md);
    bool more = true;
    (void)s;
    for (long length; more && (length = read_length()) != 0;) {
        char *text = length > 0 ? malloc((size_t)length) : NULL;
        if (!text) { /* where the next message begins, nobody knows */
            json_t *refusal = obb_editor_refusal("a message without its length, or too long");
            send(refusal);
            json_decref(refusal);
            break;
        }
        size_t n = fread(text, 1, (size_t)length, stdin);
        more = n == (size_t)length && take(e, text, n);
        free(text);
    }
    int code = obb_editor_was_shut_down(e) ? 0 : OBB_FAULT_ACTION;
    obb_editor_free(e);
    return code;
}
