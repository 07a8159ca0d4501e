/* Files of the output folder that no command makes (build/outputs.h). Each is noted as made, so that `clean`
 * finds it, and looked at once it is written, so that the snapshot has its stamp. */
#include "build/outputs.h"

#include <string.h>

#include "base/below.h"
#include "base/path.h"
#include "report/report.h"

static obb_file database_of(const obb_workspace *w, const obb_plan_variant *in)
{
    return obb_files_number(w->files, obb_path_join(w->arena, in->folder, "compile_commands.json"));
}

/* False, with an error, when it cannot be written. */
static bool write_output(obb_workspace *w, obb_file file, const char *text, size_t length)
{
    obb_fingerprint fingerprint;
    const char *path = obb_files_path(w->files, file);
    int failed = obb_below_make_folders(w->out, path);
    if (!failed)
        failed = obb_file_write(path, text, length, NULL);
    if (failed)
        obb_workspace_cannot_write(w, path, failed);
    obb_files_forget(w->files, file);
    obb_files_fingerprint(w->files, file, &fingerprint);
    return !failed;
}

/* Noted before it is written. */
static void make_output(obb_workspace *w, obb_file file, const char *text, size_t length)
{
    obb_state_note_made(w->state, file);
    write_output(w, file, text, length);
}

int obb_write_outputs(obb_workspace *w)
{
    for (size_t i = 0; i < w->plan->variants.count; i++) {
        const obb_plan_variant *in = &w->plan->variants.at[i];
        obb_text text = {0};
        obb_report_compilation_database(w->plan, in->variant, w->root, &text);
        make_output(w, database_of(w, in), text.bytes, text.length);
        obb_text_free(&text);
    }
    int code = obb_workspace_tell(w);
    for (size_t i = 0; !code && i < w->plan->texts.count; i++) {
        const obb_generated_text *t = &w->plan->texts.at[i];
        make_output(w, t->file, t->text, strlen(t->text));
    }
    return code ? code : obb_workspace_tell(w);
}

bool obb_renew_databases(obb_workspace *w)
{
    const obb_report_replanned replanned = {w->planning.replanned, w->planning.settled, w->planning.planned};
    bool good = true;
    for (size_t i = 0; i < w->plan->variants.count && good; i++) {
        const obb_plan_variant *in = &w->plan->variants.at[i];
        obb_file file = database_of(w, in);
        obb_text before = {0}, text = {0};
        good = !obb_files_read(w->files, file, &before);
        good = good &&
               obb_report_renew_compilation_database(w->plan, &replanned, in, w->root, &before, &text) &&
               write_output(w, file, text.bytes, text.length);
        obb_text_free(&before);
        obb_text_free(&text);
    }
    return good;
}

void obb_drop_outputs(obb_builder *b, const obb_file_list *files)
{
    const obb_run_options how = {.observer = obb_builder_observe, .self = b};
    b->removed += obb_run_remove(b->w->plan, b->w->state, files, &how);
}

void obb_drop_stale(obb_builder *b)
{
    obb_workspace *w = b->w;
    obb_file_list stale = {0};
    if (!w->request->dry_run)
        obb_run_sweep(w->plan, w->state);
    obb_run_list_stale(w->plan, w->state, &stale);
    if (!w->request->dry_run)
        obb_drop_outputs(b, &stale);
    for (size_t i = 0; w->request->dry_run && i < stale.count; i++)
        obb_files_mark_absent(w->files, stale.at[i]);
    obb_vec_free(&stale);
}
