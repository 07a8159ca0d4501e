/* Building a project anew in another folder, and comparing the products (build/reproduce.h).
 *
 * The copy has the files that plan and scan know, by the same paths below another root. This program builds
 * it as another process, with the store off and one command at a time; then products are compared byte by
 * byte, and the first difference is placed in a section where the file is ELF. */
#include "build/reproduce.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <uv.h>

#include "base/below.h"
#include "base/path.h"
#include "base/process.h"
#include "image/elf.h"

typedef struct twin {
    obb_workspace *w;
    obb_reproduction *result;
    char *top; /* the copy lies below it as the original lies below the root of the file system, so that code
                  beside the project lies beside the copy */
} twin;

/* Where the products of the copy are. */
static const char *out_of_twin(const twin *t)
{
    const char *out = obb_path_outside(t->w->out) ? "out" : t->w->out;
    return obb_path_join(t->w->arena, t->result->folder, out);
}

/* --- the copy ----------------------------------------------------------------------- */

static char *place_of(const twin *t, const char *path)
{
    return obb_path_join(t->w->arena, t->result->folder, path);
}

/* What is copied: the project, but not what is made, and code of others that lies beside it. */
static bool is_copied(const twin *t, const char *path)
{
    const obb_project *p = t->w->project;
    for (size_t i = 0; i < p->thirdparty.count; i++)
        if (!p->thirdparty.at[i]->fetched && *path != '/' && obb_path_outside(p->thirdparty.at[i]->folder) &&
            (obb_path_within(path, p->thirdparty.at[i]->folder) ||
             strcmp(path, p->thirdparty.at[i]->folder) == 0))
            return true;
    return !obb_path_outside(path) && !obb_path_is_output(path, t->w->out);
}

static int copy_file(const twin *t, const char *path)
{
    obb_text text = {0};
    struct stat mode;
    char *there = place_of(t, path);
    int failed = obb_file_read(path, &text);
    if (!failed)
        failed = obb_file_write(there, obb_text_bytes(&text), text.length, NULL);
    if (!failed && stat(path, &mode) == 0 && (mode.st_mode & S_IXUSR) && chmod(there, 0777))
        failed = errno;
    obb_text_free(&text);
    return failed;
}

static int copy_entry(const twin *t, const char *path, const obb_stamp *stamp)
{
    if (stamp->kind == OBB_KIND_FOLDER)
        return obb_below_make_folders(t->top, place_of(t, obb_path_join(t->w->arena, path, "x")));
    return stamp->kind == OBB_KIND_FILE ? copy_file(t, path) : 0;
}

/* All of the project that was looked at: descriptions, sources, headers, scripts; and folders, which must be
 * there though nothing in them is read. */
static int copy_project(const twin *t)
{
    const obb_workspace *w = t->w;
    for (size_t i = 0; i < w->plan->actions.count; i++) { /* the last build may have needed no look at them */
        const obb_file_list *inputs = &obb_dependencies_of(w->dependencies, w->plan->actions.at[i])->inputs;
        for (size_t k = 0; k < inputs->count; k++)
            obb_files_stamp(w->files, inputs->at[k]);
    }
    for (obb_file f = 0; f < obb_files_count(w->files); f++) {
        const char *path = obb_files_path(w->files, f);
        obb_cached_stat look = obb_files_cached_stat(w->files, f);
        if (!look.stamp || !is_copied(t, path))
            continue;
        int failed = copy_entry(t, path, look.stamp);
        if (failed) {
            obb_error(w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot copy %s to %s: %s", path,
                      t->result->folder, strerror(failed));
            return OBB_FAULT_OUTSIDE;
        }
    }
    return 0;
}

static void add_pair(obb_workspace *w, obb_words *argv, const char *option, const char *value)
{
    obb_arena_push(w->arena, argv, option);
    obb_arena_push(w->arena, argv, value);
}

/* Another process of this program builds the same variants and targets there. */
static int build_there(const twin *t)
{
    obb_workspace *w = t->w;
    obb_words argv = {0};
    char self[4096];
    size_t size = sizeof self;
    if (uv_exepath(self, &size))
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot tell the path of this program%s", "", NULL);
    obb_arena_push(w->arena, &argv, self);
    obb_arena_push(w->arena, &argv, "build");
    obb_arena_push(w->arena, &argv, "-q");
    add_pair(w, &argv, "-C", t->result->folder);
    add_pair(w, &argv, "-o", out_of_twin(t));
    add_pair(w, &argv, "-j", "1");
    for (size_t i = 0; i < w->variants.count; i++)
        add_pair(w, &argv, "--variant", w->variants.at[i]->name);
    for (size_t i = 0; i < w->request->names.count; i++)
        obb_arena_push(w->arena, &argv, w->request->names.at[i]);
    obb_arena_push(w->arena, &argv, NULL);
    setenv("OBBLIGATO_STORE", "off", 1); /* objects from the cache would prove nothing */
    obb_workspace_phase(w, "building it elsewhere");
    obb_answer a = obb_ask(argv.at, "");
    obb_workspace_phase(w, "");
    int code = a.failed ? (int)OBB_FAULT_OUTSIDE : a.status;
    if (code) {
        t->result->errors = obb_arena_string(w->arena, obb_text_bytes(&a.err));
        obb_workspace_fail(w, (obb_fault)code, "it cannot be built in %s", t->result->folder,
                     "it may read files that the description does not name");
    }
    obb_answer_free(&a);
    return code;
}

/* --- the comparison ----------------------------------------------------------------- */

static bool holds(const obb_text *text, const char *word)
{
    size_t n = strlen(word);
    for (size_t i = 0; i + n <= text->length; i++)
        if (memcmp(text->bytes + i, word, n) == 0)
            return true;
    return false;
}

/* The section of an ELF file that a byte of it lies in; or NULL. */
static const obb_elf_section *section_at(const obb_elf *elf, uint64_t offset)
{
    for (size_t i = 0; elf && i < elf->sections.count; i++) {
        const obb_elf_section *section = &elf->sections.at[i];
        if (offset >= section->offset && offset - section->offset < section->file_size)
            return section;
    }
    return NULL;
}

static uint64_t first_difference(const obb_text *a, const obb_text *b, uint64_t from)
{
    while (from < a->length && from < b->length && a->bytes[from] == b->bytes[from])
        from++;
    return from;
}

/* Where a difference lies. The linker's build ID is a hash of the rest: it differs because something else
 * does. */
static void place(obb_workspace *w, obb_unlike *u, const obb_text *here, const obb_text *there)
{
    const char *wrong;
    const obb_elf *elf = obb_elf_read(u->path, w->arena, &wrong);
    const obb_elf_section *section = section_at(elf, u->offset);
    if (section && strcmp(section->name, ".note.gnu.build-id") == 0) {
        uint64_t next = first_difference(here, there, section->offset + section->file_size);
        if (next < here->length && next < there->length) {
            u->offset = next;
            section = section_at(elf, next);
        }
    }
    u->section = section ? section->name : NULL;
}

static const char *reason_of(const twin *t, const obb_text *here, const obb_text *there)
{
    if (holds(here, t->w->root) || holds(there, t->result->folder))
        return "it holds the name of the folder that it was made in";
    if (here->length != there->length)
        return "its length differs";
    return NULL;
}

static void compare_product(twin *t, obb_file file)
{
    obb_workspace *w = t->w;
    const char *path = obb_files_path(w->files, file);
    const char *rest = path + strlen(w->out) + 1;
    const char *other = obb_path_join(w->arena, out_of_twin(t), rest);
    obb_text here = {0}, there = {0};
    bool read = !obb_file_read(path, &here) && !obb_file_read(other, &there);
    t->result->compared++;
    uint64_t offset = first_difference(&here, &there, 0);
    if (!read || offset < here.length || offset < there.length) {
        obb_unlike u = {.path = path, .offset = offset, .reason = "it was not made there"};
        if (read) {
            place(w, &u, &here, &there);
            u.reason = reason_of(t, &here, &there);
        }
        obb_arena_push(w->arena, &t->result->unlike, u);
    }
    obb_text_free(&here);
    obb_text_free(&there);
}

static void compare_products(twin *t)
{
    const obb_workspace *w = t->w;
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        if (!w->wanted[i])
            continue;
        compare_product(t, a->output);
        for (size_t k = 0; k < a->also.count; k++)
            compare_product(t, a->also.at[k]);
    }
}

static void remove_folder(const char *folder)
{
    uv_fs_t request;
    uv_dirent_t entry;
    char path[4096];
    if (uv_fs_scandir(NULL, &request, folder, 0, NULL) >= 0)
        while (uv_fs_scandir_next(&request, &entry) != UV_EOF) {
            snprintf(path, sizeof path, "%s/%s", folder, entry.name);
            if (entry.type == UV_DIRENT_DIR)
                remove_folder(path);
            else
                unlink(path);
        }
    uv_fs_req_cleanup(&request);
    rmdir(folder);
}

static int compare_with_twin(twin *t)
{
    int code = copy_project(t);
    if (code)
        return obb_workspace_tell(t->w);
    code = build_there(t);
    if (code)
        return code;
    compare_products(t);
    return t->result->unlike.count ? (int)OBB_FAULT_ACTION : 0;
}

int obb_reproduce(obb_workspace *w, obb_reproduction *result)
{
    twin t = {w, result, obb_arena_format(w->arena, "%s/obbligato-elsewhere-XXXXXX", obb_temporary_folder())};
    *result = (obb_reproduction){.folder = t.top};
    if (!mkdtemp(t.top))
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot make a temporary folder: %s", strerror(errno),
                                  "TMPDIR names where");
    result->folder = obb_path_join(w->arena, t.top, w->root + 1);
    int code = compare_with_twin(&t);
    if (!code) /* otherwise it is kept to be examined */
        remove_folder(t.top);
    return code;
}
