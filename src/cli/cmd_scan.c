/* The commands that answer questions about files: scan, why.
 *
 * The names become a choice of compiles, which are scanned anew without the state's records. What the scan
 * cannot decide is shown as such; nothing is built. */
#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "build/causes.h"
#include "build/selection.h"
#include "cli/commands.h"
#include "cli/scan_questions.h"
#include "cli/terminal.h"
#include "report/report.h"

static bool compiles(const obb_action *a)
{
    return a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
}

static int plan_everything(session *s)
{
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = obb_workspace_open_state(s->w, false);
    if (!code)
        code = obb_workspace_choose_variants(s->w);
    return code;
}

/* Marks in `wanted` what the names mean, and nothing else. An error for a name that means
 * nothing. */
static int want_named(session *s, bool only_compiles)
{
    bool *named = obb_arena_alloc(s->w->arena, s->w->plan->actions.count);
    for (size_t n = 0; n < s->options->request.names.count; n++) {
        const char *name = s->options->request.names.at[n];
        if (obb_mark_named(s->w, name, only_compiles, named))
            continue;
        obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                only_compiles ? "`%s` is neither a source nor a target with sources"
                                              : "nothing makes `%s`, and no target has that name",
                                name);
        if (!only_compiles && obb_is_header(name))
            obb_hint(s->w->diags, d, "a header is read: `obbligato impact %s` tells by what", name);
        else
            obb_hint_nearest(s->w->diags, d, name, obb_project_target_names(s->w->project));
        if (!d->hint)
            obb_hint(s->w->diags, d,
                     only_compiles ? "name a source as `obbligato show sources TARGET` lists it"
                                   : "name a source, a product or a target");
    }
    s->w->wanted = named;
    return obb_workspace_tell(s->w);
}

static int choose_actions(session *s, bool only_compiles)
{
    int code = plan_everything(s);
    if (code)
        return code;
    if (!s->options->request.names.count) {
        code = obb_workspace_choose_targets(s->w);
        return code ? code : obb_make_plan(s->w);
    }
    code = obb_plan_everything(s->w);
    return code ? code : want_named(s, only_compiles);
}

/* --- scan --------------------------------------------------------------------------- */

static json_t *json_files(const session *s, const obb_file_list *files)
{
    json_t *list = json_array();
    for (size_t i = 0; i < files->count; i++)
        json_array_append_new(list, obb_report_text(obb_files_path(s->w->files, files->at[i])));
    return list;
}

static void list_json(const session *s)
{
    json_t *sources = json_array(), *document = json_object();
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        const obb_dependencies *d = obb_dependencies_of(s->w->dependencies, a);
        if (!s->w->wanted[i] || !compiles(a))
            continue;
        json_t *o = json_object();
        json_object_set_new(o, "source", obb_report_text(obb_files_path(s->w->files, a->source)));
        json_object_set_new(o, "target", obb_report_text(a->target->name));
        json_object_set_new(o, "variant", obb_report_text(a->variant->name));
        json_object_set_new(o, "files", json_files(s, &d->inputs));
        json_object_set_new(o, "absent", json_files(s, &d->absent));
        json_object_set_new(o, "waits-for",
                            d->pending == OBB_NO_FILE
                                ? json_null()
                                : obb_report_text(obb_files_path(s->w->files, d->pending)));
        json_object_set_new(o, "left-to-the-compiler",
                            d->undecided ? obb_report_text(d->undecided) : json_null());
        json_array_append_new(sources, o);
    }
    json_object_set_new(document, "sources", sources);
    json_print(document, "scan");
}

static void list_one(const char *path)
{
    fputs("    ", stdout); /* faster than a format, for a hundred thousand of them */
    fputs(path, stdout);
    putchar('\n');
}

static void list_files(const session *s)
{
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        const obb_dependencies *d = obb_dependencies_of(s->w->dependencies, a);
        char room[40];
        if (!s->w->wanted[i] || !compiles(a))
            continue;
        terminal_ink(stdout, INK_STRONG, "%s", obb_files_path(s->w->files, a->source));
        terminal_say(stdout, "  %s, %s, %s%s\n", a->target->name, a->variant->name,
               counted(room, sizeof room, d->inputs.count - 1, "file", "files"),
               d->undecided ? ", according to the compiler" : "");
        for (size_t k = 1; k < d->inputs.count; k++)
            list_one(obb_files_path(s->w->files, d->inputs.at[k]));
        if (d->pending != OBB_NO_FILE)
            terminal_say(stdout, "    ... and what is behind %s, which the step `%s` has still to make\n",
                         obb_files_path(s->w->files, d->pending),
                         obb_plan_maker(s->w->plan, d->pending)->target->name);
        if (d->undecided && s->options->verbose)
            terminal_say(stdout, "    left to the compiler: %s\n", d->undecided);
    }
}

/* Whether another include of the same file follows at this depth, before a shallower one. */
static bool has_sibling(const obb_scan_result *r, size_t i, int depth)
{
    for (size_t k = i + 1; k < r->includes.count && r->includes.at[k].depth >= depth; k++)
        if (r->includes.at[k].depth == depth)
            return true;
    return false;
}

static void draw_branch(const session *s, const obb_scan_result *r, size_t i, bool *open)
{
    const obb_include *in = &r->includes.at[i];
    open[in->depth] = has_sibling(r, i, in->depth);
    fputs("  ", stdout);
    for (int d = 1; d < in->depth; d++)
        fputs(open[d] ? "│  " : "   ", stdout);
    terminal_say(stdout, "%s %s", open[in->depth] ? "├─" : "└─", obb_files_path(s->w->files, in->to));
    if (in->line)
        terminal_ink(stdout, INK_DIM, "  line %d%s", in->line, in->again ? ", again" : "");
    else
        terminal_ink(stdout, INK_DIM, "  before the first line");
}

/* The includes below one: up to the next that is no deeper. */
static size_t behind(const obb_scan_result *r, size_t i)
{
    size_t k = i + 1;
    while (k < r->includes.count && r->includes.at[k].depth > r->includes.at[i].depth)
        k++;
    return k;
}

/* What system headers include is counted and not drawn, unless everything is asked for. */
static void draw_tree(session *s, const obb_action *a)
{
    obb_scan_result r = {0};
    bool *open = obb_alloc(256);
    char room[40];
    obb_scan(s->w->scanner, obb_dependencies_of(s->w->dependencies, a)->setup, a->source, true, &r);
    terminal_ink(stdout, INK_STRONG, "%s", obb_files_path(s->w->files, a->source));
    terminal_say(stdout, "  %s, %s, %s\n", a->target->name, a->variant->name,
           counted(room, sizeof room, r.files.count - 1, "file", "files"));
    for (size_t i = 0; i < r.includes.count;) {
        size_t next = behind(&r, i);
        bool whole = s->options->verbose ||
                     !obb_path_outside(obb_files_path(s->w->files, r.includes.at[i].to));
        draw_branch(s, &r, i, open);
        if (!whole && next > i + 1)
            terminal_ink(stdout, INK_DIM, ", and %s below (-v shows them)",
                         counted(room, sizeof room, next - i - 1, "include", "includes"));
        putchar('\n');
        i = whole ? i + 1 : next;
    }
    if (r.undecided)
        terminal_say(stdout, "  the rest is left to the compiler: %s\n", r.undecided);
    obb_scan_result_free(&r);
    free(open);
}

/* The names behind `--chain` are files to start from, not what is to be scanned. */
static int answer_question(session *s)
{
    obb_words names = s->options->request.names;
    s->options->request.names.count = s->options->chain ? 0 : names.count;
    int code = choose_actions(s, true);
    s->options->request.names.count = names.count;
    if (!code)
        code = obb_scan_all(s->w);
    if (code && !(s->options->missing && s->w->plan && s->w->wanted))
        return code;
    int answer = questions_answer(s, &names);
    return answer ? answer : code;
}

int command_scan(session *s)
{
    if (questions_asked(s->options))
        return answer_question(s);
    int code = choose_actions(s, true);
    if (!code)
        code = obb_scan_all(s->w);
    if (code && !s->w->plan)
        return code;
    if (s->options->tree) {
        for (size_t i = 0; i < s->w->plan->actions.count; i++)
            if (s->w->wanted && s->w->wanted[i] && compiles(s->w->plan->actions.at[i]) &&
                s->w->dependencies->of[i].setup)
                draw_tree(s, s->w->plan->actions.at[i]);
    } else if (!code && s->options->json) {
        list_json(s);
    } else if (!code) {
        list_files(s);
    }
    return code;
}

/* --- why ---------------------------------------------------------------------------- */

int command_why(session *s)
{
    table t = {.name = "why"};
    if (!s->options->request.names.count) {
        obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`why` needs a file or a target");
        obb_hint(s->w->diags, d, "obbligato why src/tune/tune.c");
        return obb_workspace_tell(s->w);
    }
    int code = choose_actions(s, false);
    if (code)
        return code;
    bool *named = s->w->wanted;
    s->w->wanted = obb_arena_alloc(s->w->arena, s->w->plan->actions.count);
    for (uint32_t i = 0; i < s->w->plan->actions.count; i++)
        if (named[i])
            obb_want_action(s->w->dependencies, i, s->w->wanted); /* the forecast is of all that is needed */
    code = obb_scan_all(s->w);
    obb_explanation_list list = {0};
    obb_explain(s->w, named, &list);
    table_row(&t, "made", "variant", ">took", "last time, because", "now");
    for (size_t i = 0; i < list.count; i++) {
        const obb_explanation *e = &list.at[i];
        char took[40];
        table_row(&t, obb_action_subject(s->w->plan, e->action), e->action->variant->name,
                  e->made ? duration_text(took, sizeof took, e->milliseconds) : "",
                  e->made ? e->last : "never",
                  e->would_be_made ? obb_arena_format(s->w->arena, "would be made: %s", e->now) : e->now);
    }
    table_print(&t, s->options->json);
    return code;
}
