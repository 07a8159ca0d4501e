/* A simulated board: flash memory in a file, behind a local socket. For practice, demos and tests
 * without hardware; what real flash does wrong can be provoked.
 *
 *     practice-board SOCKET FLASH-FILE [name=VALUE...]
 *
 *     origin=0         the address of the first byte
 *     size=65536       bytes of flash
 *     erase=1024       bytes of a page, which is erased as a whole
 *     fail-at=ADDRESS  writing this byte fails
 *     stuck-at=ADDRESS this byte becomes 0, and nobody says so
 *     vanish-after=N   after so many bytes were written, the board is gone
 *     refuse=yes       it takes no writes at all
 *     pace=N           milliseconds that each write takes
 *
 * It is spoken to in lines; numbers are decimal or 0x. Each is answered by `ok ...` or `no REASON`:
 *
 *     who                    ok practice origin=0x0 size=65536 erase=1024 starts=0
 *     erase ADDRESS LENGTH   all pages that are touched become 0xff
 *     write ADDRESS LENGTH   followed by the bytes; bits can only be cleared, as in real flash
 *     read ADDRESS LENGTH    ok LENGTH, followed by the bytes
 *     reset                  it starts anew
 */
#include <stdint.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/socket.h>
#include <sys/un.h>
#include <time.h>
#include <unistd.h>

static struct board {
    const char *flash_path;
    unsigned char *flash;
    unsigned long origin, size, erase, pace, written, vanish_after;
    unsigned long fail_at, stuck_at;
    int refuse, starts;
} b = {.size = 65536, .erase = 1024, .fail_at = ~0ul, .stuck_at = ~0ul};

static void keep(void)
{
    FILE *f = fopen(b.flash_path, "wb");
    if (f) {
        fwrite(b.flash, 1, b.size, f);
        fclose(f);
    }
}

static void begin(void)
{
    FILE *f = fopen(b.flash_path, "rb");
    b.flash = malloc(b.size);
    if (!b.flash)
        exit(1);
    memset(b.flash, 0xff, b.size);
    if (f) {
        if (fread(b.flash, 1, b.size, f) < b.size && ferror(f))
            perror(b.flash_path);
        fclose(f);
    }
    keep();
}

static int outside(unsigned long address, unsigned long length)
{
    return address < b.origin || length > b.size || address - b.origin > b.size - length;
}

static void say_outside(FILE *to, unsigned long address, unsigned long length)
{
    fprintf(to, "no flash from 0x%lx on for %lu bytes: it has 0x%lx to 0x%lx\n", address, length, b.origin, b.origin + b.size - 1);
}

static void erase(FILE *to, unsigned long address, unsigned long length)
{
    unsigned long first = (address - b.origin) / b.erase * b.erase, end = address - b.origin + length;
    for (; first < end; first += b.erase)
        memset(b.flash + first, 0xff, b.erase);
    keep();
    fprintf(to, "ok\n");
}

static void wait_a_little(void)
{
    struct timespec t = {.tv_sec = (time_t)(b.pace / 1000), .tv_nsec = (long)(b.pace % 1000) * 1000000};
    if (b.pace)
        nanosleep(&t, NULL);
}

static void write_bytes(FILE *from, FILE *to, unsigned long address, unsigned long length)
{
    const char *wrong = b.refuse ? "the flash is protected" : NULL;
    unsigned long at = address;
    for (unsigned long i = 0; i < length; i++, at++) {
        int c = getc(from);
        if (c == EOF)
            return;
        if (b.vanish_after && ++b.written > b.vanish_after) {
            keep();
            exit(0);
        }
        unsigned char *cell = &b.flash[at - b.origin];
        if (at == b.fail_at)
            wrong = "a cell does not take its value";
        if (wrong)
            continue;
        *cell &= (unsigned char)(at == b.stuck_at ? 0 : c);
        if (*cell != c && at != b.stuck_at)
            wrong = "it was not erased before";
    }
    wait_a_little();
    keep();
    if (wrong)
        fprintf(to, "no write at 0x%lx: %s\n", address, wrong);
    else
        fprintf(to, "ok\n");
}

static void answer(FILE *from, FILE *to, const char *line)
{
    char word[20] = "";
    unsigned long address = 0, length = 0;
    char numbers[2][40] = {"", ""};
    sscanf(line, "%19s %39s %39s", word, numbers[0], numbers[1]);
    address = strtoul(numbers[0], NULL, 0);
    length = strtoul(numbers[1], NULL, 0);
    if (strcmp(word, "who") == 0)
        fprintf(to, "ok practice origin=0x%lx size=%lu erase=%lu starts=%d\n", b.origin, b.size, b.erase, b.starts);
    else if (strcmp(word, "reset") == 0)
        fprintf(to, "ok started %d\n", ++b.starts);
    else if (strcmp(word, "erase") && strcmp(word, "write") && strcmp(word, "read"))
        fprintf(to, "no such thing as `%s`\n", word);
    else if (outside(address, length))
        say_outside(to, address, length);
    else if (*word == 'e')
        erase(to, address, length);
    else if (*word == 'w')
        write_bytes(from, to, address, length);
    else {
        fprintf(to, "ok %lu\n", length);
        fwrite(b.flash + (address - b.origin), 1, length, to);
    }
    fflush(to);
}

static void serve(int fd)
{
    char line[200];
    FILE *from = fdopen(fd, "r"), *to = fdopen(dup(fd), "w");
    while (from && to && fgets(line, sizeof line, from))
        answer(from, to, line);
    if (from)
        fclose(from);
    if (to)
        fclose(to);
}

static int take(const char *word)
{
    static const struct { const char *name; unsigned long *into; } known[] = {
        {"origin=", &b.origin}, {"size=", &b.size}, {"erase=", &b.erase}, {"fail-at=", &b.fail_at}, {"stuck-at=", &b.stuck_at},
        {"vanish-after=", &b.vanish_after}, {"pace=", &b.pace}};
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (strncmp(word, known[i].name, strlen(known[i].name)) == 0) {
            *known[i].into = strtoul(word + strlen(known[i].name), NULL, 0);
            return 1;
        }
    b.refuse = strcmp(word, "refuse=yes") == 0;
    return b.refuse;
}

int main(int argc, char **argv)
{
    struct sockaddr_un name = {.sun_family = AF_UNIX};
    if (argc < 3 || strlen(argv[1]) >= sizeof name.sun_path) {
        fputs("practice-board SOCKET FLASH-FILE [name=VALUE...]\n", stderr);
        return 2;
    }
    for (int i = 3; i < argc; i++)
        if (!take(argv[i])) {
            fprintf(stderr, "practice-board: what is `%s`?\n", argv[i]);
            return 2;
        }
    b.flash_path = argv[2];
    if (!b.erase || b.size % b.erase) {
        fputs("practice-board: the flash is no whole number of pages\n", stderr);
        return 2;
    }
    begin();
    strcpy(name.sun_path, argv[1]);
    unlink(argv[1]);
    int listener = socket(AF_UNIX, SOCK_STREAM, 0);
    if (listener < 0 || bind(listener, (struct sockaddr *)&name, sizeof name) || listen(listener, 4)) {
        perror(argv[1]);
        return 1;
    }
    for (;;) {
        int fd = accept(listener, NULL, NULL);
        if (fd >= 0)
            serve(fd);
    }
}
