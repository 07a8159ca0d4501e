/* What all commands share: how messages and progress are shown while a workspace is at work.
 *
 * The observer of the workspace ends here: diagnostics are shown with their source lines, or collected under
 * --json, each once. Whatever else a command prints goes through terminal.h. */
#include "cli/session.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "cli/terminal.h"
#include "report/report.h"

enum { MOST_STOPPED = 6 };

static void show_stopped(const obb_words *stopped)
{
    if (stopped->count < 2)
        return;
    terminal_say(stderr, "  stops %zu: ", stopped->count);
    for (size_t i = 0; i < stopped->count && i < MOST_STOPPED; i++)
        terminal_say(stderr, "%s%s", i ? ", " : "", stopped->at[i]);
    if (stopped->count > MOST_STOPPED)
        terminal_say(stderr, " and %zu more", stopped->count - MOST_STOPPED);
    terminal_say(stderr, "\n");
}

static void note_told(session *s, const obb_diag *d)
{
    json_t *o = json_object();
    if (!s->told)
        s->told = json_array();
    json_object_set_new(o, "severity", json_string(d->fault ? "error" : "warning"));
    json_object_set_new(o, "message", obb_report_text(d->message));
    json_object_set_new(o, "file", d->place.file ? obb_report_text(d->place.file) : json_null());
    json_object_set_new(o, "line", d->place.line ? json_integer(d->place.line) : json_null());
    json_object_set_new(o, "column",
                        d->place.line && d->place.column ? json_integer(d->place.column) : json_null());
    json_object_set_new(o, "hint", d->hint ? obb_report_text(d->hint) : json_null());
    json_array_append_new(s->told, o);
}

json_t *session_take_told(session *s)
{
    json_t *told = s->told ? s->told : json_array();
    s->told = NULL;
    return told;
}

void session_show_messages(void *self, const obb_diags *diags)
{
    session *s = self;
    size_t errors = 0;
    for (size_t i = 0; i < diags->list.count; i++) {
        const obb_diag *d = diags->list.at[i];
        terminal_show_diag(d);
        show_stopped(&d->all_stopped);
        if (s->options->json)
            note_told(s, d);
        errors += d->fault != OBB_FAULT_NONE;
    }
    if (errors > 1)
        terminal_say(stderr, "%zu errors\n", errors);
}

void session_show_phase(void *self, const char *what)
{
    (void)self;
    terminal_progress(what);
}

void session_show_waiting(void *self, const char *out, const char *holder)
{
    (void)self;
    terminal_say(stderr, "obbligato: waiting for another build in %s (%s)\n", out,
                 *holder ? holder : "unknown");
}

const obb_target *session_program(session *s, const char *name)
{
    obb_workspace *w = s->w;
    const obb_target *t = obb_project_named(w->project, NULL, name);
    if (w->variants.count != 1) {
        obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` runs in one variant", name,
                           "choose one: -p PLATFORM -c CONFIGURATION, or --variant");
        return NULL;
    }
    bool runs = t && (t->kind == OBB_PROGRAM || t->kind == OBB_IMAGE || (t->kind == OBB_TEST && !t->tested));
    if (!runs) {
        obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` is not a program or an image", name,
                           "`obbligato show targets` lists them");
        return NULL;
    }
    return obb_in(w->variants.at[0], t);
}

obb_launching session_launching(session *s, const obb_target *target, const obb_words *arguments)
{
    obb_workspace *w = s->w;
    const obb_variant *v = w->variants.at[0];
    const obb_target *program = obb_program_in(v, target);
    obb_launching launching = {.variant = v, .arguments = arguments, .files = w->files, .arena = w->arena};
    if (program)
        launching.program = obb_path_join(w->arena, w->root, obb_workspace_product_path(w, v, program));
    if (target->kind == OBB_IMAGE)
        launching.image = obb_path_join(w->arena, w->root, obb_workspace_product_path(w, v, target));
    return launching;
}

void session_set_variable(const char *text)
{
    char *name = strdup(text);
    name[strcspn(name, "=")] = 0;
    setenv(name, text + strlen(name) + 1, 1);
    free(name);
}

void session_show_left_out(const obb_words *left_out, FILE *lines)
{
    for (size_t i = 0; i + 2 < left_out->count; i += 3) {
        terminal_say(lines, "left out  %s", left_out->at[i]);
        terminal_ink(lines, INK_DIM, "  %s, because only %s", left_out->at[i + 1], left_out->at[i + 2]);
        fputc('\n', lines);
    }
}
