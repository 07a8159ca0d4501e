/* Talks to a striker board: what it is, and what is in its flash. The board is a local socket: the
 * one that BOARD names, or bench.socket in the folder at hand. */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <unistd.h>

enum { PIECE = 512 };

static FILE *from, *to;

static int fail(const char *what, const char *why)
{
    fprintf(stderr, "link: %s: %s\n", what, why);
    return 1;
}

static int connect_to_board(void)
{
    const char *path = getenv("BOARD") ? getenv("BOARD") : "bench.socket";
    struct sockaddr_un name = {.sun_family = AF_UNIX};
    int fd = socket(AF_UNIX, SOCK_STREAM, 0);
    if (strlen(path) >= sizeof name.sun_path)
        return fail(path, "too long a name");
    strcpy(name.sun_path, path);
    if (fd < 0 || connect(fd, (struct sockaddr *)&name, sizeof name))
        return fail(path, "no board answers there");
    from = fdopen(fd, "r");
    to = fdopen(dup(fd), "w");
    return !from || !to;
}

/* The answer to what was asked; NULL when the board is gone, or says no. */
static const char *answer(const char *what)
{
    static char line[300];
    fflush(to);
    if (!fgets(line, sizeof line, from)) {
        fail(what, "the board is gone");
        return NULL;
    }
    line[strcspn(line, "\n")] = 0;
    if (strncmp(line, "ok", 2) == 0)
        return line[2] ? line + 3 : "";
    fail(what, line);
    return NULL;
}

static const char *ask(const char *line)
{
    fprintf(to, "%s\n", line);
    return answer(line);
}

static unsigned char *read_file(const char *path, unsigned long *length)
{
    FILE *f = fopen(path, "rb");
    unsigned char *bytes = malloc(1 << 20);
    *length = f && bytes ? fread(bytes, 1, 1 << 20, f) : 0;
    if (!f)
        fail(path, "cannot be read");
    else
        fclose(f);
    return f ? bytes : NULL;
}

static int write_image(unsigned long address, const char *path)
{
    unsigned long length;
    char line[100];
    unsigned char *bytes = read_file(path, &length);
    if (!bytes)
        return 1;
    snprintf(line, sizeof line, "erase 0x%lx %lu", address, length);
    if (!ask(line))
        return 1;
    for (unsigned long at = 0; at < length; at += PIECE) {
        unsigned long n = length - at < PIECE ? length - at : PIECE;
        fprintf(to, "write 0x%lx %lu\n", address + at, n);
        fwrite(bytes + at, 1, n, to);
        if (!answer("write"))
            return 1;
        printf("%lu of %lu bytes\n", at + n, length);
        fflush(stdout);
    }
    free(bytes);
    return 0;
}

static int verify_image(unsigned long address, const char *path)
{
    unsigned long length;
    char line[100];
    unsigned char *bytes = read_file(path, &length);
    snprintf(line, sizeof line, "read 0x%lx %lu", address, length);
    if (!bytes || !ask(line))
        return 1;
    for (unsigned long i = 0; i < length; i++) {
        int c = getc(from);
        if (c == bytes[i])
            continue;
        snprintf(line, sizeof line, "0x%lx holds 0x%02x, not 0x%02x", address + i, (unsigned)c & 0xff, bytes[i]);
        return fail("verify", line);
    }
    printf("%lu bytes are as they should be\n", length);
    free(bytes);
    return 0;
}

static int dump(unsigned long address, unsigned long length, const char *path)
{
    char line[100];
    FILE *f = fopen(path, "wb");
    snprintf(line, sizeof line, "read 0x%lx %lu", address, length);
    if (!f || !ask(line))
        return 1;
    for (unsigned long i = 0; i < length; i++)
        putc(getc(from), f);
    return fclose(f);
}

int main(int argc, char **argv)
{
    const char *what = argc > 1 ? argv[1] : "", *said;
    if (connect_to_board())
        return 1;
    if (strcmp(what, "info") == 0 && (said = ask("who"))) {
        printf("%s\n", said);
        return 0;
    }
    if (strcmp(what, "reset") == 0)
        return !ask("reset");
    if (strcmp(what, "write") == 0 && argc == 4)
        return write_image(strtoul(argv[2], NULL, 0), argv[3]);
    if (strcmp(what, "verify") == 0 && argc == 4)
        return verify_image(strtoul(argv[2], NULL, 0), argv[3]);
    if (strcmp(what, "read") == 0 && argc == 5)
        return dump(strtoul(argv[2], NULL, 0), strtoul(argv[3], NULL, 0), argv[4]);
    return fail("usage", "link info | write ADDRESS FILE | verify ADDRESS FILE | read ADDRESS LENGTH FILE | reset");
}
