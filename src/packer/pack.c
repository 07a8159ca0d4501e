/* Archives by libarchive (packer.h). */
#include <archive.h>
#include <archive_entry.h>
#include <errno.h>
#include <stdbool.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/files.h"
#include "base/map.h"
#include "base/text.h"
#include "packer/packer.h"

typedef struct packing {
    struct archive *to;
    int64_t time;
    obb_map folders; /* those that are in it */
    char why[600];
} packing;

static const struct form {
    const char *name, *options;
    int (*format)(struct archive *);
    int (*filter)(struct archive *);
} forms[] = {
    {"tar.gz", "gzip:!timestamp,gzip:compression-level=9", archive_write_set_format_pax_restricted,
     archive_write_add_filter_gzip},
    {"tar.xz", "xz:threads=1", archive_write_set_format_pax_restricted, archive_write_add_filter_xz},
    {"tar.zst", "zstd:compression-level=19", archive_write_set_format_pax_restricted,
     archive_write_add_filter_zstd},
    {"zip", "zip:compression=deflate", archive_write_set_format_zip, archive_write_add_filter_none},
    {"gz", "gzip:!timestamp,gzip:compression-level=9", archive_write_set_format_raw,
     archive_write_add_filter_gzip},
    {"ar", NULL, archive_write_set_format_ar_bsd, archive_write_add_filter_none},
};

static bool failed(packing *p, const char *what, const char *why)
{
    snprintf(p->why, sizeof p->why, "%s: %s", what, why ? why : "unknown");
    return false;
}

static struct archive_entry *new_entry(const packing *p, const char *path, unsigned type, mode_t mode)
{
    struct archive_entry *e = archive_entry_new();
    archive_entry_set_pathname(e, path);
    archive_entry_set_filetype(e, type);
    archive_entry_set_perm(e, mode);
    archive_entry_set_mtime(e, p->time, 0);
    archive_entry_set_uid(e, 0);
    archive_entry_set_gid(e, 0);
    archive_entry_set_uname(e, "root");
    archive_entry_set_gname(e, "root");
    return e;
}

static bool add(packing *p, struct archive_entry *e, const obb_text *text)
{
    const char *path = archive_entry_pathname(e);
    archive_entry_set_size(e, text ? (int64_t)text->length : 0);
    bool done = archive_write_header(p->to, e) == ARCHIVE_OK &&
                (!text ||
                 archive_write_data(p->to, obb_text_bytes(text), text->length) == (ssize_t)text->length);
    if (!done)
        failed(p, path, archive_error_string(p->to));
    archive_entry_free(e);
    return done;
}

/* The folders above a path, outer ones first. */
static bool add_folders(packing *p, const char *path)
{
    bool done = true;
    for (const char *slash = strchr(path, '/'); slash && done; slash = strchr(slash + 1, '/')) {
        char *folder = strndup(path, (size_t)(slash - path) + 1);
        bool known = !folder || obb_map_get(&p->folders, folder);
        done = folder && (known || add(p, new_entry(p, folder, AE_IFDIR, 0755), NULL));
        if (known)
            free(folder);
        else
            obb_map_put(&p->folders, folder, folder); /* the map keeps it */
    }
    return done;
}

static bool add_file(packing *p, const json_t *said)
{
    const char *path = json_string_value(json_object_get(said, "path")),
               *source = json_string_value(json_object_get(said, "source")),
               *link = json_string_value(json_object_get(said, "link"));
    mode_t mode = (mode_t)json_integer_value(json_object_get(said, "mode"));
    obb_text text = {0};
    if (!path || !(source || link))
        return failed(p, "a request", "an entry has no path, or nothing in it");
    struct archive_entry *e = new_entry(p, path, link ? AE_IFLNK : AE_IFREG, link ? 0777 : mode);
    if (link) {
        archive_entry_set_symlink(e, link);
        return add(p, e, NULL);
    }
    int code = obb_file_read(source, &text);
    bool done = code ? failed(p, source, strerror(code)) : true;
    if (done)
        done = add(p, e, &text);
    else
        archive_entry_free(e);
    obb_text_free(&text);
    return done;
}

static const struct form *form_of(const char *name)
{
    for (size_t i = 0; name && i < sizeof forms / sizeof *forms; i++)
        if (strcmp(forms[i].name, name) == 0)
            return &forms[i];
    return NULL;
}

static bool write_entries(packing *p, const json_t *request)
{
    const json_t *entry, *list = json_object_get(request, "entries");
    bool folders = json_is_true(json_object_get(request, "folders")), done = true;
    size_t i;
    json_array_foreach(list, i, entry)
    {
        const char *path = json_string_value(json_object_get(entry, "path"));
        done = done && (!folders || !path || add_folders(p, path)) && add_file(p, entry);
    }
    return done;
}

const char *write_archive(const json_t *request)
{
    static packing p;
    const struct form *form = form_of(json_string_value(json_object_get(request, "format")));
    const char *to = json_string_value(json_object_get(request, "to"));
    p = (packing){.time = json_integer_value(json_object_get(request, "time"))};
    if (!form || !to)
        return "the request names no known format, or no file";
    p.to = archive_write_new();
    bool done = form->format(p.to) == ARCHIVE_OK && form->filter(p.to) == ARCHIVE_OK &&
                (!form->options || archive_write_set_options(p.to, form->options) == ARCHIVE_OK) &&
                archive_write_open_filename(p.to, to) == ARCHIVE_OK;
    if (!done)
        failed(&p, to, archive_error_string(p.to));
    archive_write_set_bytes_in_last_block(p.to, 1);
    done = done && write_entries(&p, request);
    if (archive_write_close(p.to) != ARCHIVE_OK && done)
        done = failed(&p, to, archive_error_string(p.to));
    archive_write_free(p.to);
    for (size_t i = 0; i < p.folders.count; i++)
        free(p.folders.at[i].value);
    obb_map_free(&p.folders);
    if (!done)
        remove(to);
    return done ? NULL : p.why;
}
