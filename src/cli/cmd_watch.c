/* `watch`: a build after each change. */
#include "build/watch.h"

#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"

enum { SHOWN = 3 };

typedef struct watch_view {
    session *s;
    obb_workspace *first;
    build_view build;
    bool said; /* how many folders are watched */
} watch_view;

static void show_waiting(void *self, size_t folders)
{
    watch_view *v = self;
    const options *o = v->s->options;
    char line[100];
    if (!v->said && !o->quiet && !o->json && !terminal_has_progress_line())
        terminal_say(stdout, "watching %zu folders\n", folders);
    v->said = true;
    fflush(stdout);
    snprintf(line, sizeof line, "waiting for changes in %zu folders", folders);
    terminal_progress(line);
}

static void show_changed(void *self, const obb_words *paths)
{
    const watch_view *v = self;
    if (v->s->options->quiet || v->s->options->json || !paths->count)
        return;
    for (size_t i = 0; i < paths->count && i < SHOWN; i++)
        terminal_say(stdout, "%s%s", i ? ", " : "change    ", paths->at[i]);
    if (paths->count > SHOWN)
        terminal_say(stdout, " and %zu more", paths->count - SHOWN);
    terminal_say(stdout, "\n");
}

static void begin_build(void *self, obb_workspace *turn)
{
    watch_view *v = self;
    terminal_progress("");
    v->s->w = turn;
    build_show(v->s, &v->build, stdout, true);
}

static void end_build(void *self, obb_workspace *turn, const obb_build_outcome *outcome, int code)
{
    watch_view *v = self;
    (void)turn;
    build_end(v->s, outcome, code);
    fflush(stdout);
    v->s->w = v->first;
}

int command_watch(session *s)
{
    if (s->options->request.dry_run)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`watch` builds: it takes no `%s`", "-n",
                                  "obbligato build -n tells what would be made");
    watch_view v = {.s = s, .first = s->w};
    const obb_watch_observer observer = {&v, show_waiting, show_changed, begin_build, end_build};
    return obb_watch(s->w, &observer);
}
