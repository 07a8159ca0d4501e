#include "cli/session.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <time.h>
#include <unistd.h>

#include "base/path.h"
#include "cli/terminal.h"

/* Messages of one file come in the order of its lines; files in the order of their first. */
static void put_in_order(obb_diags *diags)
{
    for (size_t i = 1; i < diags->list.count; i++) {
        obb_diag *d = diags->list.at[i];
        size_t k = i;
        while (k > 0 && d->place.line && obb_same(diags->list.at[k - 1]->place.file, d->place.file) &&
               diags->list.at[k - 1]->place.line > d->place.line) {
            diags->list.at[k] = diags->list.at[k - 1];
            k--;
        }
        diags->list.at[k] = d;
    }
}

int session_show_diags(session *s)
{
    int code = (int)obb_diags_fault(s->diags);
    size_t errors = 0;
    put_in_order(s->diags);
    for (size_t i = 0; i < s->diags->list.count; i++) {
        terminal_show_diag(s->diags->list.at[i]);
        errors += s->diags->list.at[i]->fault != OBB_FAULT_NONE;
    }
    if (errors > 1)
        fprintf(stderr, "%zu errors\n", errors);
    obb_diags_free(s->diags);
    s->diags = obb_diags_new();
    return code;
}

int session_fail(session *s, obb_fault fault, const char *message, const char *word, const char *hint)
{
    obb_diag *d = obb_error(s->diags, fault, OBB_NOWHERE, message, word);
    if (hint)
        obb_hint(s->diags, d, "%s", hint);
    return session_show_diags(s);
}

/* The nearest folder at or above `folder` that holds a description. */
static char *find_root(session *s, const char *folder)
{
    for (;;) {
        char *score = obb_path_join(s->arena, folder, OBB_SCORE_NAME);
        if (access(score, F_OK) == 0)
            return obb_arena_string(s->arena, folder);
        if (strcmp(folder, "/") == 0)
            return NULL;
        folder = obb_path_folder(s->arena, folder);
    }
}

int session_enter(session *s)
{
    char here[4096];
    struct timespec t;
    clock_gettime(CLOCK_REALTIME, &t);
    s->began = (int64_t)t.tv_sec * 1000000000 + t.tv_nsec;
    if (s->options->folder && chdir(s->options->folder))
        return session_fail(s, OBB_FAULT_USAGE, "cannot go to the folder `%s`", s->options->folder, NULL);
    if (!getcwd(here, sizeof here))
        return session_fail(s, OBB_FAULT_OUTSIDE, "the working folder cannot be named: %s", strerror(errno), NULL);
    s->root = find_root(s, here);
    if (!s->root)
        return session_fail(s, OBB_FAULT_USAGE, "no " OBB_SCORE_NAME " here or above: %s", here,
                    "write one (`obbligato help` shows the shortest), or go to your project: -C FOLDER");
    const char *out = s->options->out ? s->options->out : obb_path_join(s->arena, s->root, "out");
    s->out = obb_path_below(s->arena, s->root, obb_path_join(s->arena, here, out));
    s->start = obb_path_below(s->arena, s->root, here);
    if (strcmp(s->out, ".") == 0)
        return session_fail(s, OBB_FAULT_USAGE, "the output folder cannot be the project's own folder, %s", s->root,
                    "nothing is ever written among the sources; choose a folder below or elsewhere");
    if (chdir(s->root))
        return session_fail(s, OBB_FAULT_OUTSIDE, "cannot go to the folder `%s`", s->root, NULL);
    obb_files_hide(s->files, s->out);
    return 0;
}

const char *session_path(const session *s, const char *path)
{
    char *full = obb_path_join(s->arena, obb_path_join(s->arena, s->root, s->start), path);
    return obb_path_below(s->arena, s->root, full);
}

int session_read_project(session *s)
{
    s->project = obb_project_read(s->files, s->diags);
    return session_show_diags(s);
}

static void say_waiting(void *self, const char *holder)
{
    const session *s = self;
    fprintf(stderr, "obbligato: waiting for another build in %s (%s)\n", s->out,
            *holder ? holder : "unknown");
}

int session_open_state(session *s, bool for_building)
{
    s->state = obb_state_open(s->out, s->files, for_building, say_waiting, s, s->diags);
    if (s->state && obb_state_was_damaged(s->state))
        obb_warn(s->diags, OBB_NOWHERE,
                 "the memory of earlier builds in %s was damaged; it is begun anew", s->out);
    int code = session_show_diags(s);
    if (code)
        return code;
    s->toolchain = obb_toolchain_host(s->arena, s->files, obb_state_memo(s->state));
    s->scanner = obb_scanner_new(s->files);
    return 0;
}

static void choose(session *s, const obb_variant *v)
{
    for (size_t i = 0; v && i < s->variants.count; i++)
        if (strcmp(s->variants.at[i]->name, v->name) == 0)
            return;
    if (v)
        obb_arena_push(s->arena, &s->variants, v);
}

int session_choose_variants(session *s)
{
    const options *o = s->options;
    static const char *const host[] = {"host"};
    const char *const *platforms = o->platforms.count ? o->platforms.at : host;
    size_t count = o->platforms.count ? o->platforms.count : 1;
    for (size_t p = 0; p < count; p++) {
        for (size_t c = 0; c < o->configurations.count; c++)
            choose(s, obb_project_variant(s->project, platforms[p], o->configurations.at[c], OBB_NOWHERE, s->diags));
        if (!o->configurations.count && o->platforms.count)
            choose(s, obb_project_variant(s->project, platforms[p], "debug", OBB_NOWHERE, s->diags));
    }
    for (size_t i = 0; i < o->variants.count; i++)
        choose(s, obb_project_variant_named(s->project, o->variants.at[i], OBB_NOWHERE, s->diags));
    if (!s->variants.count && !obb_diags_fault(s->diags))
        for (size_t i = 0; i < s->project->default_variants.count; i++)
            choose(s, s->project->default_variants.at[i]);
    if (!s->variants.count && !obb_diags_fault(s->diags))
        choose(s, obb_project_variant(s->project, "host", "debug", OBB_NOWHERE, s->diags));
    return session_show_diags(s);
}

int session_choose_targets(session *s)
{
    const obb_words *names = &s->options->names;
    for (size_t i = 0; i < names->count; i++) {
        const obb_target *t = obb_project_target(s->project, names->at[i]);
        if (t) {
            obb_arena_push(s->arena, &s->targets, t);
            continue;
        }
        obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no target `%s`", names->at[i]);
        obb_hint_nearest(s->diags, d, names->at[i], obb_project_target_names(s->project));
        if (!d->hint)
            obb_hint(s->diags, d, "`obbligato show targets` lists them");
    }
    if (!names->count)
        obb_default_targets(s->project, s->arena, &s->targets);
    return session_show_diags(s);
}

int session_make_plan(session *s)
{
    s->wanted_targets = obb_arena_alloc(s->arena, s->project->targets.count);
    for (size_t i = 0; i < s->targets.count; i++)
        obb_want_target(s->targets.at[i], s->wanted_targets);
    s->plan = obb_plan_make(s->arena, s->project, s->files, s->toolchain, s->scanner, s->out,
                            s->variants.at, s->variants.count, s->wanted_targets, s->diags);
    s->wanted = obb_arena_alloc(s->arena, s->plan->actions.count);
    for (size_t v = 0; v < s->variants.count; v++)
        for (size_t i = 0; i < s->targets.count; i++)
            obb_plan_want(s->plan, s->targets.at[i], s->variants.at[v], s->wanted);
    return session_show_diags(s);
}

int session_scan(session *s)
{
    terminal_progress("reading what the sources include");
    obb_plan_scan(s->plan, s->wanted, s->diags);
    terminal_progress("");
    return session_show_diags(s);
}

void session_end(session *s)
{
    obb_plan_free(s->plan);
    obb_scanner_free(s->scanner);
    obb_toolchain_free(s->toolchain);
    obb_state_close(s->state);
    obb_project_free(s->project);
    obb_files_free(s->files);
    obb_diags_free(s->diags);
    obb_arena_free(s->arena);
}
