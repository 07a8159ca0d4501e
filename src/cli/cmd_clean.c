/* `clean`: removing what was made. */
#include "build/clean.h"

#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

static void print_json(const session *s, const obb_clean_result *r)
{
    json_t *document = json_object(), *files = json_array();
    for (size_t i = 0; i < r->files.count; i++)
        json_array_append_new(files, obb_report_text(r->files.at[i]));
    json_object_set_new(document, "removed", files);
    json_object_set_new(document, "dry-run", json_boolean(s->options->request.dry_run));
    json_print(document, "clean");
}

static void print_removed(const session *s, const obb_clean_result *r)
{
    char room[40];
    bool dry = s->options->request.dry_run;
    for (size_t i = 0; i < r->files.count && s->options->verbose; i++)
        terminal_say(stdout, "%s %s\n", dry ? "would remove" : "remove", r->files.at[i]);
    if (!s->options->quiet)
        terminal_say(stdout, "%s %s\n", dry ? "would remove" : "removed",
                     counted(room, sizeof room, r->files.count, "file", "files"));
}

static void print_lines(const session *s, const obb_clean_result *r)
{
    const char *out = s->w->out;
    switch (r->what) {
    case OBB_CLEANED: print_removed(s, r); break;
    case OBB_CLEANED_ALL:
        if (!s->options->quiet)
            terminal_say(stdout, s->options->request.dry_run ? "would remove %s with all that is in it\n"
                                                             : "removed %s with all that was in it\n", out);
        break;
    case OBB_NOTHING_TO_CLEAN: terminal_say(stdout, "nothing to clean in %s\n", out); break;
    case OBB_CLEAN_UNKNOWN:
        terminal_say(stdout,
                     "%s is an output folder, but what was made in it is not known any more: its folder "
                     ".obbligato is gone\n"
                     "  hint: `obbligato clean --all` removes it, with all that is in it\n",
                     out);
        break;
    }
}

int command_clean(session *s)
{
    const obb_request *r = &s->options->request;
    obb_clean_result result;
    if (r->names.count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`clean` takes no names, but `%s` is given",
                                  r->names.at[0], "choose variants instead: -c CONFIGURATION");
    if (s->options->all && obb_request_chooses_variants(r))
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE,
                                  "`clean --all` removes the whole output folder `%s`, and takes no variants",
                                  s->w->out, "leave --all out, or the variants");
    int code = s->options->all ? obb_clean_all(s->w, &result) : obb_clean(s->w, &result);
    if (code && (result.what != OBB_CLEANED || !result.files.count))
        return code;
    if (s->options->json)
        print_json(s, &result);
    else
        print_lines(s, &result);
    return code;
}
