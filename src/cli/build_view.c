/* What is shown of a build: its lines, its end, and its document under --json.
 *
 * Events of a run become lines as they come; warnings and outputs of commands are printed whole, never
 * between the bytes of others. Under --json nothing is printed before the end but messages, and the actions
 * are collected into one document. */
#include "cli/build_view.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "cli/terminal.h"
#include "report/report.h"

enum { MOST_NAMES = 4 };

/* --- what is seen ------------------------------------------------------------------- */

static void show_output(const build_view *v, const obb_event *e)
{
    bool step = e->kind == OBB_EVENT_DONE &&
                e->action->kind == OBB_RUN_STEP; /* compilers print warnings, steps what they like */
    if (!e->output_length || (step && v->s->options->quiet))
        return;
    FILE *to = e->kind == OBB_EVENT_FAILED ? stderr : v->lines;
    fwrite(e->output, 1, e->output_length, to);
    if (e->output[e->output_length - 1] != '\n')
        fputc('\n', to);
}

static char *command_line(const build_view *v, const obb_action *a)
{
    obb_text text = {0};
    obb_action_command(a, &text);
    char *line = obb_arena_string(v->s->w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return line;
}

/* Without a progress line, each line says how far the build is; what would be the same in every line of a
 * first build is said once. */
void view_action_line(build_view *v, const obb_event *e, FILE *to)
{
    const obb_action *a = e->action;
    bool is_new = strcmp(e->cause, "never made here before") == 0, taken = e->hit;
    const char *cause = is_new && v->said_new ? "" : e->cause;
    v->said_new = v->said_new || is_new;
    terminal_say(to, "%-8s  %s", taken ? "take" : obb_action_verb(a), obb_action_subject(v->s->w->plan, a));
    bool named = v->s->w->variants.count != 1 || strcmp(a->variant->name, v->s->w->variants.at[0]->name) != 0;
    if (named || *cause)
        terminal_ink(to, INK_DIM, "  %s%s%s%s", named ? a->variant->name : "", named && *cause ? ", " : "",
                     *cause ? "because " : "", cause);
    if (!terminal_has_progress_line())
        terminal_ink(to, INK_DIM, "  (%zu of %zu)", e->done, e->total);
    fputc('\n', to);
    if (v->s->options->verbose)
        terminal_say(to, "    %s\n", command_line(v, a));
}

static void show_done(build_view *v, const obb_event *e)
{
    bool line = !terminal_has_progress_line() || v->s->options->verbose || e->output_length;
    if (!line)
        return;
    terminal_progress("");
    if (!v->s->options->quiet)
        view_action_line(v, e, v->lines);
    show_output(v, e);
    fflush(v->lines);
}

enum { LONG_LINE = 600, SHOWN_OF_LONG = 300 };

/* A long command is in a file, complete. */
static void show_command(const build_view *v, const obb_action *a)
{
    const char *line = command_line(v, a),
               *path = obb_path_join(v->s->w->arena, v->s->w->out, ".obbligato/failed-command");
    size_t n = strlen(line);
    bool kept = n > LONG_LINE && !v->s->options->verbose &&
                !obb_file_replace(path, obb_arena_format(v->s->w->arena, "%s\n", line), n + 1, 0666);
    if (kept)
        terminal_say(stderr, "  command  %.*s ... (%zu bytes; all of it is in %s)\n", SHOWN_OF_LONG, line, n,
                     path);
    else
        terminal_say(stderr, "  command  %s\n", line);
}

static void show_failed(build_view *v, const obb_event *e)
{
    const obb_action *a = e->action;
    const session *s = v->s;
    terminal_progress("");
    fflush(v->lines);
    fputs("obbligato: ", stderr);
    terminal_ink(stderr, INK_ERROR, "error:");
    terminal_say(stderr, " %s %s ", obb_action_verb(a), obb_action_subject(s->w->plan, a));
    if (e->message)
        terminal_say(stderr, "failed: %s\n", e->message);
    else if (e->signal)
        terminal_say(stderr, "was terminated by signal %d (%s)\n", e->signal, strsignal(e->signal));
    else
        terminal_say(stderr, "failed with exit status %d\n", e->status);
    terminal_say(stderr, "  target   %s\n  variant  %s\n  because  %s\n", a->target->name, a->variant->name,
                 e->cause);
    show_output(v, e);
    show_command(v, a);
    fflush(stderr);
}

static void show_progress(build_view *v, const obb_event *e)
{
    char room[40], left[40] = "", more[32] = "", farm[80] = "", line[480];
    if (!v->latest || !e->running)
        return;
    if (e->farm.slots)
        snprintf(farm, sizeof farm, "  farm: %llu of %llu slots busy, %s sent",
                 (unsigned long long)(e->farm.jobs < e->farm.slots ? e->farm.jobs : e->farm.slots),
                 (unsigned long long)e->farm.slots, bytes_text(room, sizeof room, e->farm.bytes));
    if (e->expected)
        snprintf(left, sizeof left, ", about %llu s to go", (unsigned long long)(e->expected + 999) / 1000);
    if (e->running > 1)
        snprintf(more, sizeof more, " and %zu more", e->running - 1);
    snprintf(line, sizeof line, "%zu of %zu done  %s%s%s  %s %s%s", e->done, e->total,
             duration_text(room, sizeof room, e->elapsed), left, farm, obb_action_verb(v->latest),
             obb_action_subject(v->s->w->plan, v->latest), more);
    terminal_progress(line);
}

static void note_json(build_view *v, const obb_event *e)
{
    const obb_action *a = e->action;
    json_t *o = json_object();
    json_t *words = json_array();
    for (size_t i = 0; i < a->argv.count; i++)
        json_array_append_new(words, obb_report_text(a->argv.at[i]));
    json_object_set_new(o, "action", json_string(obb_action_verb(a)));
    json_object_set_new(o, "target", obb_report_text(a->target->name));
    json_object_set_new(o, "variant", obb_report_text(a->variant->name));
    json_object_set_new(o, "output", obb_report_text(obb_files_path(v->s->w->files, a->output)));
    json_object_set_new(o, "because", obb_report_text(e->cause));
    json_object_set_new(o, "command", words);
    json_object_set_new(o, "ok", json_boolean(e->kind == OBB_EVENT_DONE));
    json_object_set_new(o, "taken-from-the-store", json_boolean(e->hit));
    json_object_set_new(o, "status", json_integer(e->signal ? 128 + e->signal : e->status));
    json_object_set_new(o, "milliseconds", json_integer((json_int_t)e->milliseconds));
    json_object_set_new(o, "printed", obb_report_string(e->output, e->output_length));
    json_array_append_new(v->actions, o);
}

static void show_event(void *self, const obb_event *e)
{
    build_view *v = ((session *)self)->view;
    if (e->kind == OBB_EVENT_BEGIN &&
        v->actions) /* an incremental run that came to more is followed by a full one */
        json_array_clear(v->actions);
    if (v->actions && (e->kind == OBB_EVENT_DONE || e->kind == OBB_EVENT_FAILED))
        note_json(v, e);
    switch (e->kind) {
    case OBB_EVENT_START:
        if (v->s->w->noticed && !v->latest && v->s->options->verbose)
            terminal_say(v->lines, "first command %.1f ms after the notice\n",
                         (double)(obb_now() - v->s->w->noticed) / 1e6);
        v->latest = e->action;
        show_progress(v, e);
        break;
    case OBB_EVENT_DONE:
        if (!v->actions)
            show_done(v, e);
        show_progress(v, e); /* the next command may have started before this one was counted */
        break;
    case OBB_EVENT_FAILED: show_failed(v, e); break;
    case OBB_EVENT_REMOVED:
        if (v->s->options->verbose && !v->actions)
            terminal_say(v->lines, "remove    %s  because nothing makes it any more\n", e->path);
        break;
    case OBB_EVENT_TICK: show_progress(v, e); break;
    case OBB_EVENT_BEGIN: break;
    }
}

/* --- the end ------------------------------------------------------------------------ */

static char *names_of(const session *s, const obb_words *variants)
{
    obb_text text = {0};
    if (variants->count > MOST_NAMES)
        return obb_arena_format(s->w->arena, "%zu variants", variants->count);
    for (size_t i = 0; i < variants->count; i++)
        obb_text_format(&text, "%s%s", i ? ", " : "", variants->at[i]);
    char *names = obb_arena_string(s->w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return names;
}

/* One line, and all of it under -v. */
static void show_left_out(const build_view *v, const obb_words *left_out)
{
    size_t targets = 0;
    char room[40];
    for (size_t i = 0; i + 2 < left_out->count; i += 3) { /* names, variant, reason */
        targets++;
        for (const char *c = left_out->at[i]; *c; c++)
            targets += *c == ',';
    }
    if (v->s->options->verbose)
        session_show_left_out(left_out, v->lines);
    else if (targets)
        terminal_say(v->lines, "%s left out, since they are not for these variants (-v lists them)\n",
                     counted(room, sizeof room, targets, "target is", "targets are"));
}

static void show_idle(const build_view *v, const obb_build_outcome *o)
{
    char room[60];
    if (v->say_idle && o->run.up_to_date) {
        terminal_say(v->lines, "nothing to do: %s up to date (%s)\n",
                     counted(room, sizeof room, o->run.up_to_date, "file is", "files are"),
                     names_of(v->s, &o->variants));
    } else if (v->say_idle) {
        show_left_out(v, &o->left_out);
        terminal_say(v->lines, "nothing to do: no file is to be made (%s)\n", names_of(v->s, &o->variants));
    }
}

static void show_counts(const build_view *v, const obb_build_outcome *o)
{
    const obb_run_result *r = &o->run;
    char room[40];
    FILE *to = r->failed || r->interrupted || r->left ? stderr : v->lines;
    if (r->interrupted)
        terminal_ink(to, INK_ERROR, "interrupted: ");
    else if (r->failed || r->left)
        terminal_ink(to, INK_ERROR, "%zu failed: ", r->failed);
    terminal_say(to, "%zu made", r->made - r->hits);
    if (r->hits)
        terminal_say(to, ", %zu taken from the store", r->hits);
    if (r->far_hits)
        terminal_say(to, ", %zu of them from afar", r->far_hits);
    if (r->compared)
        terminal_say(to, ", %zu made here and by the farm, %zu with other bytes", r->compared, r->unlike);
    if (r->same)
        terminal_say(to, " (%zu came out the same)", r->same);
    if (r->left)
        terminal_say(to, ", %zu not made", r->left);
    terminal_say(to, ", %zu up to date, %s (%s)\n", r->up_to_date,
                 duration_text(room, sizeof room, r->milliseconds), names_of(v->s, &o->variants));
}

static void show_scan(const build_view *v, const obb_run_result *r)
{
    char reports[40], differences[40];
    if (!r->differences && !(v->s->options->verbose && r->reports))
        return;
    terminal_say(v->lines, "scan: %s reported what was read, %s%s\n",
                 counted(reports, sizeof reports, r->reports, "command", "commands"),
                 counted(differences, sizeof differences, r->differences, "file differs", "files differ"),
                 r->differences ? " (obbligato scan --differences)" : "");
}

/* What no number of processors can make shorter. */
static void show_longest_way(const build_view *v, const obb_run_result *r)
{
    char took[40], work[40], least[40];
    uint64_t way = 0;
    for (size_t i = 0; i < r->way.count; i++)
        way += r->way.at[i].milliseconds;
    if (!v->s->options->verbose || !r->way.count)
        return;
    terminal_say(v->lines, "longest way: %s of %s work; at least %s with %u at a time\n",
                 duration_text(took, sizeof took, way), duration_text(work, sizeof work, r->work),
                 duration_text(least, sizeof least, way > r->work / r->jobs ? way : r->work / r->jobs),
                 r->jobs);
    for (size_t i = 0; i < r->way.count; i++) {
        const obb_action *a = r->way.at[i].action;
        terminal_say(v->lines, "  %8s  %-8s  %s", duration_text(took, sizeof took, r->way.at[i].milliseconds),
                     obb_action_verb(a), obb_action_subject(v->s->w->plan, a));
        terminal_ink(v->lines, INK_DIM, "%s%s\n", v->s->w->variants.count != 1 ? "  " : "",
                     v->s->w->variants.count != 1 ? a->variant->name : "");
    }
}

static void show_ended(void *self, const obb_build_outcome *o)
{
    const build_view *v = ((session *)self)->view;
    const obb_run_result *r = &o->run;
    char room[40];
    terminal_progress("");
    if (r->moving) {
        terminal_ink(stderr, INK_WARNING, "%s changed while it was being read;", r->moving);
        terminal_say(stderr, " what was made of it will be made again at the next build\n");
    }
    if (v->actions || v->s->options->quiet)
        return;
    if (!r->made && !r->failed && !r->left && !r->removed && !r->interrupted) {
        show_idle(v, o);
        return;
    }
    show_left_out(v, &o->left_out);
    if (r->removed && !v->s->options->verbose)
        terminal_say(v->lines, "removed %s that nothing makes any more (-v lists them)\n",
                     counted(room, sizeof room, r->removed, "file", "files"));
    show_scan(v, r);
    show_longest_way(v, r);
    show_counts(v, o);
}

static void show_replanned(void *self, size_t targets, size_t of)
{
    const build_view *v = ((session *)self)->view;
    if (v->s->options->verbose && !v->actions)
        terminal_say(v->lines, "plan: %zu of %zu targets are planned again\n", targets, of);
}

static void show_undecided(void *self, const char *source, const char *why)
{
    const build_view *v = ((session *)self)->view;
    if (v->s->options->verbose)
        terminal_say(stderr, "scan: %s is left to the compiler: %s\n", source, why);
}

obb_build_observer view_observer(session *s)
{
    return (obb_build_observer){.self = s,
                                .messages = session_show_messages,
                                .phase = session_show_phase,
                                .waiting = session_show_waiting,
                                .downloading = session_show_downloading,
                                .brought = session_show_brought,
                                .recorded = session_show_recorded,
                                .replanned = show_replanned,
                                .undecided = show_undecided,
                                .event = show_event,
                                .ended = show_ended};
}

void view_forecast(build_view *v, const obb_build_outcome *o)
{
    const session *s = v->s;
    table t = {.name = "forecast"};
    obb_words variants = {0};
    table_row(&t, "action", "makes", "target", "variant", "because");
    for (size_t i = 0; i < o->forecast.count; i++) {
        const obb_action *a = o->forecast.at[i].action;
        const char *cause = o->forecast.at[i].cause;
        const obb_event event = {.action = a, .cause = cause, .done = i + 1, .total = o->forecast.count};
        table_row(&t, obb_action_verb(a), obb_files_path(s->w->files, a->output), a->target->name,
                  a->variant->name, cause);
        if (!s->options->json)
            view_action_line(v, &event, stdout);
    }
    if (s->options->json) {
        table_print(&t, true);
        return;
    }
    table_drop(&t);
    if (!s->options->quiet)
        session_show_left_out(&o->left_out, stdout);
    for (size_t i = 0; i < s->w->variants.count; i++)
        obb_arena_push(s->w->arena, &variants, s->w->variants.at[i]->name);
    terminal_say(stdout, "%zu to make (%s); nothing was changed\n", o->forecast.count,
                 names_of(s, &variants));
}

static void set_count(json_t *document, const char *name, uint64_t count)
{
    json_object_set_new(document, name, json_integer((json_int_t)count));
}

/* Of a build that stopped before its actions, the variants that were chosen. */
static json_t *list_variants(const session *s, const obb_build_outcome *o)
{
    json_t *variants = json_array();
    for (size_t i = 0; i < o->variants.count; i++)
        json_array_append_new(variants, obb_report_text(o->variants.at[i]));
    for (size_t i = 0; !o->ran && i < s->w->variants.count; i++)
        json_array_append_new(variants, obb_report_text(s->w->variants.at[i]->name));
    return variants;
}

static json_t *list_longest_way(const session *s, const obb_run_result *r)
{
    json_t *list = json_array();
    for (size_t i = 0; i < r->way.count; i++) {
        const obb_action *a = r->way.at[i].action;
        json_t *o = json_object();
        json_object_set_new(o, "action", json_string(obb_action_verb(a)));
        json_object_set_new(o, "output", obb_report_text(obb_files_path(s->w->files, a->output)));
        set_count(o, "milliseconds", r->way.at[i].milliseconds);
        json_array_append_new(list, o);
    }
    return list;
}

/* One shape, whatever was done. */
void view_print_json(build_view *v, const obb_build_outcome *o)
{
    const obb_run_result *r = &o->run;
    json_t *document = json_object();
    json_object_set_new(document, "variants", list_variants(v->s, o));
    json_object_set_new(document, "actions", v->actions);
    set_count(document, "made", r->made);
    set_count(document, "taken-from-the-store", r->hits);
    set_count(document, "taken-from-the-far-store", r->far_hits);
    set_count(document, "compared-with-the-farm", r->compared);
    set_count(document, "other-bytes-in-the-farm", r->unlike);
    set_count(document, "farm-slots", r->farm.slots);
    set_count(document, "sent-to-the-farm-bytes", r->farm.bytes);
    set_count(document, "came-out-the-same", r->same);
    set_count(document, "up-to-date", r->up_to_date);
    set_count(document, "failed", r->failed);
    set_count(document, "not-made", r->left);
    set_count(document, "reports", r->reports);
    set_count(document, "differences", r->differences);
    json_object_set_new(document, "interrupted", json_boolean(r->interrupted));
    set_count(document, "looked-at", o->looks);
    set_count(document, "milliseconds", r->milliseconds);
    set_count(document, "work-milliseconds", r->work);
    json_object_set_new(document, "longest-way", list_longest_way(v->s, r));
    json_object_set_new(document, "errors", session_take_told(v->s));
    json_print(document, "build");
    v->actions = NULL;
}
