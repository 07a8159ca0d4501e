/* `fetch`: bringing third-party code ahead of a build; `patch`: the edits in it as a diff. */
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

void session_show_downloading(void *self, const obb_download *downloads, size_t count)
{
    char got[40], total[40], line[400] = "";
    size_t open = 0;
    uint64_t all = 0, of = 0;
    bool known = true;
    const char *name = "";
    (void)self;
    for (size_t i = 0; i < count; i++) {
        all += downloads[i].got;
        of += downloads[i].total;
        known = known && (downloads[i].total || downloads[i].from);
        if (!downloads[i].from && downloads[i].got && !open++)
            name = downloads[i].name;
    }
    if (!open)
        return;
    if (known && of)
        snprintf(line, sizeof line, "fetching %s  %s of %s (%llu %%)", name, bytes_text(got, sizeof got, all),
                 bytes_text(total, sizeof total, of), (unsigned long long)(all * 100 / of));
    else
        snprintf(line, sizeof line, "fetching %s  %s", name, bytes_text(got, sizeof got, all));
    if (open > 1)
        snprintf(line + strlen(line), sizeof line - strlen(line), "  and %zu more", open - 1);
    terminal_progress(line);
}

void session_show_brought(void *self, const obb_thirdparty *other, const char *from, uint64_t bytes)
{
    session *s = self;
    char room[40], patches[60] = "";
    size_t count = other->fetched->patches.count;
    s->brought++;
    if (s->options->quiet || s->options->json)
        return;
    if (count)
        snprintf(patches, sizeof patches, ", %zu patch%s applied", count, count == 1 ? "" : "es");
    terminal_progress("");
    terminal_say(stderr, "%-8s  %s%s%s  from %s (%s%s)\n", bytes ? "fetch" : "unpack", other->name,
                 *other->version ? " " : "", other->version, from,
                 bytes ? bytes_text(room, sizeof room, bytes) : "nothing to download", patches);
}

void session_show_recorded(void *self, const char *name, const char *version)
{
    const session *s = self;
    if (!s->options->quiet && !s->options->json)
        terminal_say(stderr,
                     "record    %s%s%s  in " OBB_LOCK_NAME ", since it is fetched for the first time\n", name,
                     *version ? " " : "", version);
}

static int unknown(session *s, const char *name)
{
    const char **known = obb_arena_alloc(s->w->arena, (s->w->project->thirdparty.count + 1) * sizeof *known);
    for (size_t i = 0; i < s->w->project->thirdparty.count; i++)
        known[i] = s->w->project->thirdparty.at[i]->name;
    obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no third-party project `%s`",
                            name);
    obb_hint_nearest(s->w->diags, d, name, known);
    if (!d->hint)
        obb_hint(s->w->diags, d, "`obbligato show thirdparty` lists them");
    return obb_workspace_tell(s->w);
}

static int check_names(session *s, const obb_words *names)
{
    for (size_t i = 0; i < names->count; i++)
        if (!obb_project_thirdparty(s->w->project, names->at[i]))
            return unknown(s, names->at[i]);
    return 0;
}

static void print_json(session *s)
{
    json_t *document = json_object();
    json_object_set_new(document, "fetched", json_integer((json_int_t)s->brought));
    json_object_set_new(document, "errors", session_take_told(s));
    json_print(document, "fetch");
}

int command_fetch(session *s)
{
    const obb_request *r = &s->options->request;
    char room[40];
    for (size_t i = 0; i < r->names.count; i++)
        obb_vec_push(&s->options->request.fetched, r->names.at[i]);
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = check_names(s, &r->names);
    if (s->options->json)
        print_json(s);
    else if (!code && !s->options->quiet && s->brought)
        terminal_say(stdout, "%s\n",
                     counted(room, sizeof room, s->brought, "project is there now",
                             "projects are there now"));
    else if (!code && !s->options->quiet)
        terminal_say(stdout, "nothing to fetch\n");
    return code;
}

static int write_patch(session *s, const obb_text *diff)
{
    const char *to = s->options->to;
    char room[40];
    size_t files = 0;
    for (const char *at = obb_text_bytes(diff); (at = strstr(at, "diff --git ")); at++)
        files += at == diff->bytes || at[-1] == '\n';
    if (!to)
        return fwrite(obb_text_bytes(diff), 1, diff->length, stdout) == diff->length ? 0
                                                                                     : (int)OBB_FAULT_OUTSIDE;
    const char *path = obb_workspace_typed_path(s->w, to);
    int failed = obb_path_make_folders(path);
    failed = failed ? failed : obb_file_replace(path, obb_text_bytes(diff), diff->length, 0666);
    if (failed) {
        obb_workspace_cannot_write(s->w, path, failed);
        return obb_workspace_tell(s->w);
    }
    if (!s->options->quiet)
        terminal_say(stdout, "%s has the edits of %s\n", path,
                     counted(room, sizeof room, files, "file", "files"));
    return 0;
}

int command_patch(session *s)
{
    const obb_words *names = &s->options->request.names;
    obb_text diff = {0};
    if (names->count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`patch` takes one third-party project%s", "",
                                  "obbligato patch NAME --to FILE");
    obb_workspace_read_descriptions(s->w);
    const obb_thirdparty *other = obb_project_thirdparty(s->w->project, names->at[0]);
    int code = other ? 0 : obb_workspace_tell(s->w);
    if (code || !other)
        return code ? code : unknown(s, names->at[0]);
    bool made = obb_diff_edits(s->w->arena, s->w->project, s->w->files, other, &diff, s->w->diags);
    code = obb_workspace_tell(s->w);
    if (!code && made && !diff.length)
        terminal_say(s->options->to ? stdout : stderr, "%s has no edits\n", names->at[0]);
    else if (!code && made)
        code = write_patch(s, &diff);
    obb_text_free(&diff);
    return code;
}
