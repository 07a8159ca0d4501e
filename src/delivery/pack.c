/* Packing (pack.h). */
#include "delivery/pack.h"

#include <errno.h>
#include <jansson.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "base/sha256.h"

const char *const obb_pack_formats[] = {"tar.gz", "tar.xz", "tar.zst", "zip", "deb", "run", NULL};

void obb_pack_failed(const obb_packing *p, const char *what, const char *path, const char *why)
{
    obb_error(p->input->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s %s: %s", what, path, why);
}

static bool write_work(const obb_packing *p, const char *name, const obb_text *text, const char **path)
{
    *path = obb_arena_format(p->arena, "%s/%s.%s", p->work, p->delivery->name, name);
    int failed = obb_file_write(*path, obb_text_bytes(text), text->length, NULL);
    if (failed)
        obb_pack_failed(p, "cannot write", *path, strerror(failed));
    return !failed;
}

/* Its place in the archive names the file in which it is kept until then: no other part of a package has it.
 */
bool obb_pack_text(const obb_packing *p, obb_members *members, const char *path, const obb_text *text)
{
    char sum[OBB_SHA256_TEXT];
    obb_member m = {.path = path};
    bool written = write_work(p, obb_sha256(path, strlen(path), sum), text, &m.source);
    obb_arena_push(p->arena, members, m);
    return written;
}

bool obb_pack_members(const obb_packing *p, const char *folder, obb_members *members)
{
    bool done = true;
    for (size_t i = 0; i < p->entries->count && done; i++) {
        const obb_entry *e = &p->entries->at[i];
        obb_member m = {.path = obb_arena_format(p->arena, "%s%s", folder, e->path), .link = e->link,
                        .source = e->link ? NULL : e->source, .executable = e->executable};
        obb_text text = {0};
        if (!e->link && (e->linked || !e->source)) {
            int failed = obb_entry_read(p->input, e, &text);
            done = !failed && write_work(p, obb_arena_format(p->arena, "%zu", i), &text, &m.source);
            if (failed)
                obb_pack_failed(p, "cannot read", e->source, strerror(failed));
        }
        obb_text_free(&text);
        obb_arena_push(p->arena, members, m);
    }
    return done && !obb_diags_fault(p->input->diags);
}

static int64_t time_of_all(void)
{
    const char *said = getenv("SOURCE_DATE_EPOCH");
    return said && *said ? strtoll(said, NULL, 10) : OBB_DELIVERY_TIME;
}

static json_t *request_of(const char *format, const char *to, bool folders, const obb_members *members)
{
    json_t *list = json_array();
    for (size_t i = 0; i < members->count; i++) {
        const obb_member *m = &members->at[i];
        json_t *o = json_pack("{s:s,s:i}", "path", m->path, "mode", m->executable ? 0755 : 0644);
        json_object_set_new(o, m->link ? "link" : "source", json_string(m->link ? m->link : m->source));
        json_array_append_new(list, o);
    }
    return json_pack("{s:s,s:s,s:I,s:b,s:o}", "format", format, "to", to, "time", (json_int_t)time_of_all(),
                     "folders", folders, "entries", list);
}

const char *obb_pack_archive(const obb_packing *p, const char *format, const char *name, bool folders,
                             const obb_members *members)
{
    const char *program = obb_program_beside(p->arena, "obbligato-pack");
    const char *to = obb_path_join(p->arena, p->work, name);
    if (!program) {
        obb_pack_failed(p, "cannot write", name,
                        "the program obbligato-pack, which belongs beside obbligato, is not there");
        return NULL;
    }
    json_t *request = request_of(format, to, folders, members);
    char *text = json_dumps(request, JSON_COMPACT);
    json_decref(request);
    if (!text) { /* a path that is no UTF-8 */
        obb_pack_failed(p, "cannot write", name, "the names of its files are not all UTF-8");
        return NULL;
    }
    const char *const argv[] = {program, NULL};
    obb_answer a = obb_ask(argv, text);
    bool done = !a.failed && !a.status;
    if (!done)
        obb_pack_failed(p, "cannot write", name,
                        a.failed ? strerror(a.failed)
                                 : obb_arena_copy(p->arena, obb_text_bytes(&a.err),
                                                  strcspn(obb_text_bytes(&a.err), "\n")));
    obb_answer_free(&a);
    free(text);
    return done ? to : NULL;
}

const char *obb_pack_compressed(const obb_packing *p, const char *source, const char *name)
{
    obb_members one = {0};
    obb_arena_push(p->arena, &one, (obb_member){.path = "data", .source = source});
    return obb_pack_archive(p, "gz", name, false, &one);
}

const char *obb_pack_finish(const obb_packing *p, const char *made, const char *name)
{
    const char *path = obb_path_join(p->arena, p->to, name);
    obb_text text = {0};
    for (size_t i = 0; i < p->taken->count; i++)
        if (strcmp(p->taken->at[i], path) == 0) {
            obb_diag *d = obb_error(p->input->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                    "%s would be written again, for %s", path, p->input->in->variant->name);
            obb_hint(p->input->diags, d,
                     "choose one variant for each machine, or leave the delivery out of others: only");
            return NULL;
        }
    obb_arena_push(p->arena, p->taken, path);
    int failed = obb_path_make_folders(path);
    failed = failed ? failed : chmod(made, 0644) ? errno : 0;
    if (!failed && rename(made, path)) { /* another file system, perhaps */
        failed = obb_file_read(made, &text);
        failed = failed ? failed : obb_file_replace(path, obb_text_bytes(&text), text.length, 0666);
    }
    obb_text_free(&text);
    if (failed)
        obb_pack_failed(p, "cannot write", path, strerror(failed));
    return failed ? NULL : path;
}

/* The sums of all files, as `sha256sum -c` reads them. */
static bool add_sums(const obb_packing *p, const char *folder, obb_members *members)
{
    obb_text text = {0};
    char sum[OBB_SHA256_TEXT];
    for (size_t i = 0; i < members->count; i++)
        if (!members->at[i].link && !obb_sha256_of_file(members->at[i].source, sum))
            obb_text_format(&text, "%s  %s\n", sum, members->at[i].path + strlen(folder));
    bool done = obb_pack_text(p, members, obb_arena_format(p->arena, "%sSHA256SUMS", folder), &text);
    obb_text_free(&text);
    return done;
}

const char *obb_pack(const obb_packing *p)
{
    obb_members members = {0};
    if (strcmp(p->format, "deb") == 0)
        return obb_pack_deb(p);
    if (strcmp(p->format, "run") == 0)
        return obb_pack_run(p);
    const char *folder = obb_arena_format(p->arena, "%s/", p->name);
    const char *name = obb_arena_format(p->arena, "%s.%s", p->name, p->format);
    if (!obb_pack_members(p, folder, &members) || !add_sums(p, folder, &members))
        return NULL;
    const char *made = obb_pack_archive(p, p->format, name, true, &members);
    return made ? obb_pack_finish(p, made, name) : NULL;
}
