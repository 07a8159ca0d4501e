/* `reproduce`: is what was made here the same as what is made of the same project elsewhere? The
 * files that the plan knows are copied to a temporary folder, built there from nothing, one
 * command at a time, and each product is compared with the one here, byte for byte. */
#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "base/process.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "image/elf.h"
#include "report/report.h"

/* One product that came out differently. */
typedef struct unlike {
    const char *path;
    uint64_t offset;     /* of the first byte that differs */
    const char *section; /* that it lies in; or NULL */
    const char *reason;  /* as far as it can be told; or NULL */
} unlike;

typedef struct twin {
    session *s;
    const char *folder; /* where it is built; outputs are in out/ below it */
    size_t compared;
    OBB_VEC(unlike) unlike;
} twin;

/* --- the copy ----------------------------------------------------------------------- */

static int copy_file(const twin *t, const char *path)
{
    obb_text text = {0};
    struct stat mode;
    char *there = obb_path_join(t->s->arena, t->folder, path);
    int failed = obb_file_read(path, &text);
    if (!failed)
        failed = obb_file_write(there, obb_text_bytes(&text), text.length, NULL);
    if (!failed && stat(path, &mode) == 0 && (mode.st_mode & S_IXUSR) && chmod(there, 0777))
        failed = errno;
    obb_text_free(&text);
    return failed;
}

/* All files of the project that were looked at: descriptions, sources, headers, scripts. */
static int copy_project(const twin *t)
{
    const session *s = t->s;
    for (obb_file f = 0; f < obb_files_count(s->files); f++) {
        const char *path = obb_files_path(s->files, f);
        obb_look look = obb_files_look(s->files, f);
        if (!look.stamp || look.stamp->kind != OBB_KIND_FILE || obb_path_outside(path) || obb_path_within(path, s->out))
            continue;
        int failed = copy_file(t, path);
        if (failed) {
            obb_error(s->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot copy %s to %s: %s", path, t->folder, strerror(failed));
            return OBB_FAULT_OUTSIDE;
        }
    }
    return 0;
}

static void add_pair(session *s, obb_words *argv, const char *option, const char *value)
{
    obb_arena_push(s->arena, argv, option);
    obb_arena_push(s->arena, argv, value);
}

/* Another process of this program builds the same variants and targets there. */
static int build_there(const twin *t)
{
    session *s = t->s;
    obb_words argv = {0};
    char self[4096];
    size_t size = sizeof self;
    if (uv_exepath(self, &size))
        return session_fail(s, OBB_FAULT_OUTSIDE, "cannot tell the path of this program%s", "", NULL);
    obb_arena_push(s->arena, &argv, self);
    obb_arena_push(s->arena, &argv, "build");
    obb_arena_push(s->arena, &argv, "-q");
    add_pair(s, &argv, "-C", t->folder);
    add_pair(s, &argv, "-o", obb_path_join(s->arena, t->folder, "out"));
    add_pair(s, &argv, "-j", "1");
    for (size_t i = 0; i < s->variants.count; i++)
        add_pair(s, &argv, "--variant", s->variants.at[i]->name);
    for (size_t i = 0; i < s->options->names.count; i++)
        obb_arena_push(s->arena, &argv, s->options->names.at[i]);
    obb_arena_push(s->arena, &argv, NULL);
    session_set_variable(s, "OBBLIGATO_STORE=off"); /* what it has made cannot prove what it would make */
    terminal_progress("building it elsewhere");
    obb_answer a = obb_ask(argv.at, "");
    terminal_progress("");
    int code = a.failed ? (int)OBB_FAULT_OUTSIDE : a.status;
    if (code) {
        fputs(obb_text_bytes(&a.err), stderr);
        session_fail(s, (obb_fault)code, "it cannot be built in %s", t->folder,
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

/* Where a difference lies. The linker's mark of a build is a sum over the rest: it differs
 * because something else does. */
static void place(session *s, unlike *u, const obb_text *here, const obb_text *there)
{
    const char *wrong;
    const obb_elf *elf = obb_elf_read(u->path, s->arena, &wrong);
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
    if (holds(here, t->s->root) || holds(there, t->folder))
        return "it holds the name of the folder that it was made in";
    if (here->length != there->length)
        return "its length differs";
    return NULL;
}

static void compare_product(twin *t, obb_file file)
{
    session *s = t->s;
    const char *path = obb_files_path(s->files, file);
    const char *rest = path + strlen(s->out) + 1;
    const char *other = obb_path_join(s->arena, t->folder, obb_arena_format(s->arena, "out/%s", rest));
    obb_text here = {0}, there = {0};
    bool read = !obb_file_read(path, &here) && !obb_file_read(other, &there);
    t->compared++;
    uint64_t offset = first_difference(&here, &there, 0);
    if (!read || offset < here.length || offset < there.length) {
        unlike u = {.path = path, .offset = offset, .reason = "it was not made there"};
        if (read) {
            place(s, &u, &here, &there);
            u.reason = reason_of(t, &here, &there);
        }
        obb_arena_push(s->arena, &t->unlike, u);
    }
    obb_text_free(&here);
    obb_text_free(&there);
}

static void compare_products(twin *t)
{
    const session *s = t->s;
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        if (!s->wanted[i])
            continue;
        compare_product(t, a->output);
        for (size_t k = 0; k < a->also.count; k++)
            compare_product(t, a->also.at[k]);
    }
}

/* --- what is said ------------------------------------------------------------------- */

static void print_json(const twin *t)
{
    json_t *document = json_object(), *list = json_array();
    for (size_t i = 0; i < t->unlike.count; i++) {
        const unlike *u = &t->unlike.at[i];
        json_t *o = json_object();
        json_object_set_new(o, "file", obb_report_text(u->path));
        json_object_set_new(o, "offset", json_integer((json_int_t)u->offset));
        json_object_set_new(o, "section", u->section ? obb_report_text(u->section) : json_null());
        json_object_set_new(o, "reason", u->reason ? obb_report_text(u->reason) : json_null());
        json_array_append_new(list, o);
    }
    json_object_set_new(document, "compared", json_integer((json_int_t)t->compared));
    json_object_set_new(document, "different", list);
    json_print(document, "reproduce");
}

static void print_lines(const twin *t)
{
    for (size_t i = 0; i < t->unlike.count; i++) {
        const unlike *u = &t->unlike.at[i];
        terminal_say(stdout, "differs   %s  from byte %llu on", u->path, (unsigned long long)u->offset);
        if (u->section)
            terminal_say(stdout, ", in %s", u->section);
        terminal_say(stdout, "%s%s\n", u->reason ? ": " : "", u->reason ? u->reason : "");
    }
    terminal_say(stdout, "%zu products compared with a build in another folder: ", t->compared);
    if (t->unlike.count)
        terminal_ink(stdout, INK_ERROR, "%zu differ", t->unlike.count);
    else
        terminal_say(stdout, "all are the same, byte for byte");
    terminal_say(stdout, "\n");
    if (t->unlike.count)
        terminal_say(stdout, "the other build is kept: %s\n", t->folder);
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

static int take_twin(twin *t)
{
    int code = copy_project(t);
    if (code)
        return session_show_diags(t->s);
    code = build_there(t);
    if (code)
        return code;
    compare_products(t);
    if (t->s->options->json)
        print_json(t);
    else
        print_lines(t);
    return t->unlike.count ? (int)OBB_FAULT_ACTION : 0;
}

int command_reproduce(session *s)
{
    char folder[4096];
    int code = build_and_plan(s);
    if (!code && !s->options->dry_run)
        code = session_scan_or_recall(s); /* what its sources include is copied as well */
    if (code || s->options->dry_run)
        return code;
    snprintf(folder, sizeof folder, "%s/obbligato-elsewhere-XXXXXX", obb_temporary_folder());
    twin t = {.s = s, .folder = mkdtemp(folder)};
    if (!t.folder)
        return session_fail(s, OBB_FAULT_OUTSIDE, "cannot make a temporary folder: %s", strerror(errno), "TMPDIR names where");
    code = take_twin(&t);
    if (!code) /* else somebody will want to look into it */
        remove_folder(t.folder);
    return code;
}
