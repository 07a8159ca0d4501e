/* Archives that must not be unpacked, each with one thing wrong; and one that is right.
 *
 *     hostile-archives FOLDER
 *
 * A file for each row of the table, named after it; and `damaged.tar.gz`, `page.tar.gz`, `bomb.tar.gz`. */
#include <archive.h>
#include <archive_entry.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

typedef struct row {
    const char *archive; /* entries of one archive stand one behind the other */
    const char *name;
    unsigned type;       /* AE_IF... */
    unsigned mode;
    const char *link, *hard;
} row;

static const row rows[] = {
    {"good", "chime/", AE_IFDIR, 0755, NULL, NULL},
    {"good", "chime/core.c", AE_IFREG, 0644, NULL, NULL},
    {"good", "chime/tools/run.sh", AE_IFREG, 0755, NULL, NULL},
    {"good", "chime/tools/also.c", AE_IFLNK, 0777, "../core.c", NULL},
    {"good", "chime/copy.c", AE_IFREG, 0644, NULL, "chime/core.c"},
    {"absolute", "/tmp/obbligato-hostile", AE_IFREG, 0644, NULL, NULL},
    {"climbing", "chime/../../outside.c", AE_IFREG, 0644, NULL, NULL},
    {"climbing-at-the-end", "chime/..", AE_IFREG, 0644, NULL, NULL},
    {"link-out", "chime/elsewhere", AE_IFLNK, 0777, "../../elsewhere", NULL},
    {"link-absolute", "chime/passwords", AE_IFLNK, 0777, "/etc/passwd", NULL},
    {"link-behind-a-link", "chime/a/b/top", AE_IFLNK, 0777, "../..", NULL},
    {"link-behind-a-link", "chime/out", AE_IFLNK, 0777, "a/b/top/../../../elsewhere", NULL},
    {"behind-a-link", "chime/folder", AE_IFLNK, 0777, ".", NULL},
    {"behind-a-link", "chime/folder/core.c", AE_IFREG, 0644, NULL, NULL},
    {"behind-a-file", "chime", AE_IFREG, 0644, NULL, NULL},
    {"behind-a-file", "chime/core.c", AE_IFREG, 0644, NULL, NULL},
    {"hard-link-out", "chime/passwords", AE_IFREG, 0644, NULL, "../../../etc/passwd"},
    {"hard-link-absolute", "chime/passwords", AE_IFREG, 0644, NULL, "/etc/passwd"},
    {"hard-link-to-a-link", "chime/a", AE_IFLNK, 0777, "core.c", NULL},
    {"hard-link-to-a-link", "chime/b", AE_IFREG, 0644, NULL, "chime/a"},
    {"device", "chime/null", AE_IFCHR, 0666, NULL, NULL},
    {"disk", "chime/disk", AE_IFBLK, 0666, NULL, NULL},
    {"pipe", "chime/pipe", AE_IFIFO, 0666, NULL, NULL},
    {"set-user", "chime/tool", AE_IFREG, 04755, NULL, NULL},
    {"set-group", "chime/tool", AE_IFREG, 02755, NULL, NULL},
    {"case", "chime/core.c", AE_IFREG, 0644, NULL, NULL},
    {"case", "chime/Core.c", AE_IFREG, 0644, NULL, NULL},
    {"case-of-folders", "chime/a/one.c", AE_IFREG, 0644, NULL, NULL},
    {"case-of-folders", "chime/A/two.c", AE_IFREG, 0644, NULL, NULL},
    {"case-of-letters", "chime/\xc3\xa4.c", AE_IFREG, 0644, NULL, NULL},
    {"case-of-letters", "chime/\xc3\x84.c", AE_IFREG, 0644, NULL, NULL},
    {"twice", "chime/core.c", AE_IFREG, 0644, NULL, NULL},
    {"twice", "chime/core.c", AE_IFREG, 0644, NULL, NULL},
    {"control", "chime/core\033[2J.c", AE_IFREG, 0644, NULL, NULL},
    {"newline", "chime/core\n.c", AE_IFREG, 0644, NULL, NULL},
};

static void fail(struct archive *a)
{
    fprintf(stderr, "hostile-archives: %s\n", archive_error_string(a));
    exit(1);
}

static struct archive *begin(const char *folder, const char *name, const char *suffix)
{
    char path[4096];
    struct archive *a = archive_write_new();
    snprintf(path, sizeof path, "%s/%s%s", folder, name, suffix);
    archive_write_set_format_pax_restricted(a);
    archive_write_set_options(a, "hdrcharset=BINARY");
    if (strcmp(suffix, ".tar") != 0)
        archive_write_add_filter_gzip(a);
    if (archive_write_open_filename(a, path) != ARCHIVE_OK)
        fail(a);
    return a;
}

static void end(struct archive *a)
{
    if (archive_write_close(a) != ARCHIVE_OK)
        fail(a);
    archive_write_free(a);
}

static void add(struct archive *a, const row *r, size_t zeros)
{
    static const char text[] = "int chime;\n";
    static char room[1 << 20];
    struct archive_entry *e = archive_entry_new();
    int regular = r->type == AE_IFREG && !r->hard;
    archive_entry_set_pathname(e, r->name);
    archive_entry_set_filetype(e, r->type);
    archive_entry_set_perm(e, (__LA_MODE_T)r->mode);
    archive_entry_set_mtime(e, 1600000000, 0);
    archive_entry_set_size(e, regular ? (zeros ? (la_int64_t)(zeros * sizeof room) : (la_int64_t)sizeof text - 1) : 0);
    if (r->link)
        archive_entry_set_symlink(e, r->link);
    if (r->hard)
        archive_entry_set_hardlink(e, r->hard);
    if (archive_write_header(a, e) < ARCHIVE_WARN)
        fail(a);
    for (size_t i = 0; i < zeros; i++)
        archive_write_data(a, room, sizeof room);
    if (regular && !zeros)
        archive_write_data(a, text, sizeof text - 1);
    archive_entry_free(e);
}

/* A file of text, or the first bytes of another file. */
static void write_file(const char *folder, const char *name, const char *from, const char *text, size_t most)
{
    char path[4096], bytes[4096];
    snprintf(path, sizeof path, "%s/%s", folder, from ? from : "");
    FILE *in = from ? fopen(path, "rb") : NULL;
    size_t n = in ? fread(bytes, 1, most < sizeof bytes ? most : sizeof bytes, in) : strlen(text);
    snprintf(path, sizeof path, "%s/%s", folder, name);
    FILE *out = fopen(path, "wb");
    if ((from && !in) || !out || fwrite(in ? bytes : text, 1, n, out) != n || fclose(out))
        exit(1);
    if (in)
        fclose(in);
}

int main(int argc, char **argv)
{
    static const row bomb = {"bomb", "chime/zeros", AE_IFREG, 0644, NULL, NULL};
    if (argc != 2)
        return 2;
    for (size_t i = 0; i < sizeof rows / sizeof *rows;) {
        struct archive *a = begin(argv[1], rows[i].archive, ".tar");
        const char *name = rows[i].archive;
        for (; i < sizeof rows / sizeof *rows && strcmp(rows[i].archive, name) == 0; i++)
            add(a, &rows[i], 0);
        end(a);
    }
    struct archive *a = begin(argv[1], "bomb", ".tar.gz");
    add(a, &bomb, 200);
    end(a);
    a = begin(argv[1], "whole", ".tar.gz");
    for (size_t i = 0; i < 2; i++)
        add(a, &rows[i], 0);
    end(a);
    write_file(argv[1], "damaged.tar.gz", "whole.tar.gz", NULL, 100);
    write_file(argv[1], "page.tar.gz", NULL, "<!DOCTYPE html><title>Not found</title>\n", 0);
    write_file(argv[1], "empty.tar.gz", NULL, "", 0);
    write_file(argv[1], "taker.mtree", NULL, "#mtree\nchime/p type=file contents=/etc/passwd mode=0644 size=5\n", 0);
    return 0;
}
