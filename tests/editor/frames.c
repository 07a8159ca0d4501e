/* A client of a language server in three parts, for pipes:
 *
 *     frames pack                 lines with a message each become what a server reads; {root} in them is the working
 *                                 folder
 *     frames unpack               what a server writes becomes lines
 *     frames mutate SEED COUNT    as pack, and again and again with bytes changed, cut out and doubled; then shutdown and
 *                                 exit
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

enum { LONGEST = 1 << 20, MOST = 200 };

static unsigned lot;

static unsigned draw(unsigned below)
{
    lot = lot * 1103515245u + 12345u;
    return lot / 65536 % below;
}

static void put(const char *text, size_t length)
{
    printf("Content-Length: %zu\r\n\r\n", length);
    fwrite(text, 1, length, stdout);
}

/* The next line, with {root} filled in; NULL: there is none. Released with free. */
static char *next_line(void)
{
    static char line[LONGEST];
    char here[4096];
    if (!fgets(line, sizeof line, stdin) || !getcwd(here, sizeof here))
        return NULL;
    line[strcspn(line, "\n")] = 0;
    char *filled = calloc(1, strlen(line) + 20 * strlen(here) + 1);
    for (const char *at = line; filled && *at;) {
        const char *mark = strstr(at, "{root}");
        size_t n = mark ? (size_t)(mark - at) : strlen(at);
        strncat(filled, at, n);
        if (mark)
            strcat(filled, here);
        at += n + (mark ? 6 : 0);
    }
    return filled;
}

static void pack(void)
{
    for (char *line; (line = next_line()); free(line))
        if (*line && *line != '#')
            put(line, strlen(line));
}

static int unpack(void)
{
    char line[1000], *body = malloc(LONGEST);
    size_t length = 0;
    while (body && fgets(line, sizeof line, stdin)) {
        if (strncmp(line, "Content-Length: ", 16) == 0)
            length = strtoul(line + 16, NULL, 10);
        if (strcmp(line, "\r\n") != 0)
            continue;
        if (length >= LONGEST || fread(body, 1, length, stdin) != length)
            return 1;
        fwrite(body, 1, length, stdout);
        putchar('\n');
    }
    free(body);
    return 0;
}

static void mutate(unsigned count)
{
    static const char last[] = "{\"jsonrpc\":\"2.0\",\"id\":0,\"method\":\"initialize\",\"params\":{}}",
                      shutdown[] = "{\"jsonrpc\":\"2.0\",\"id\":1,\"method\":\"shutdown\"}",
                      end[] = "{\"jsonrpc\":\"2.0\",\"method\":\"exit\"}";
    char *lines[MOST];
    size_t n = 0;
    while (n < MOST && (lines[n] = next_line()))
        n++;
    put(last, strlen(last));
    for (unsigned i = 0; n && i < count; i++) {
        size_t length = strlen(lines[i % n]);
        char *text = malloc(length + 100);
        if (!text)
            exit(1);
        memcpy(text, lines[i % n], length + 1);
        for (unsigned k = draw(4); k && length > 10; k--) {
            size_t at = draw((unsigned)length - 8), run = 1 + draw(7);
            switch (draw(4)) {
            case 0: text[at] = (char)(1 + draw(255)); break;
            case 1: memmove(text + at, text + at + run, length - at - run); length -= run; break;
            case 2: memmove(text + at + run, text + at, length - at); length += run; k = length > strlen(lines[i % n]) + 60 ? 1 : k; break;
            default: text[at] = "\"\\{}[]0123456789,:"[draw(18)]; break;
            }
        }
        if (!strstr(lines[i % n], "\"exit\"") && !strstr(lines[i % n], "\"shutdown\""))
            put(text, length);
        free(text);
    }
    put(shutdown, strlen(shutdown));
    put(end, strlen(end));
    while (n)
        free(lines[--n]);
}

int main(int argc, char **argv)
{
    if (argc == 2 && strcmp(argv[1], "pack") == 0) {
        pack();
    } else if (argc == 2 && strcmp(argv[1], "unpack") == 0) {
        return unpack();
    } else if (argc == 4 && strcmp(argv[1], "mutate") == 0) {
        lot = (unsigned)strtoul(argv[2], NULL, 10);
        mutate((unsigned)strtoul(argv[3], NULL, 10));
    } else {
        fputs("frames pack|unpack|mutate SEED COUNT\n", stderr);
        return 2;
    }
    return 0;
}
