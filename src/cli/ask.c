/* The commands that answer questions about files: scan, why. */
#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/names.h"
#include "cli/questions.h"
#include "cli/terminal.h"
#include "report/report.h"

static bool compiles(const obb_action *a)
{
    return a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
}

static int plan_everything(session *s)
{
    int code = session_read_project(s);
    if (!code)
        code = session_open_state(s, false);
    if (!code)
        code = session_choose_variants(s);
    return code;
}

/* Marks in `wanted` what the names mean, and nothing else. An error for a name that means
 * nothing. */
static int want_named(session *s, bool only_compiles)
{
    bool *named = obb_arena_alloc(s->arena, s->plan->actions.count);
    for (size_t n = 0; n < s->options->names.count; n++) {
        const char *name = s->options->names.at[n];
        if (names_mark(s, name, only_compiles, named))
            continue;
        obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                only_compiles ? "`%s` is no source and no target with sources"
                                              : "nothing makes `%s`, and no target has that name",
                                name);
        if (!only_compiles && obb_is_header(name))
            obb_hint(s->diags, d, "a header is read: `obbligato impact %s` tells by what", name);
        else
            obb_hint_nearest(s->diags, d, name, obb_project_target_names(s->project));
        if (!d->hint)
            obb_hint(s->diags, d, only_compiles ? "name a source as `obbligato show sources TARGET` lists it"
                                                  : "name a source, a product or a target");
    }
    s->wanted = named;
    return session_show_diags(s);
}

static int choose_actions(session *s, bool only_compiles)
{
    int code = plan_everything(s);
    if (code)
        return code;
    if (!s->options->names.count) {
        code = session_choose_targets(s);
        return code ? code : session_make_plan(s);
    }
    s->plan = obb_plan_make(s->arena, s->project, s->files, s->toolchains, s->scanner, s->out, s->variants.at,
                            s->variants.count, NULL, NULL, s->diags);
    code = session_show_diags(s);
    return code ? code : want_named(s, only_compiles);
}

/* --- scan --------------------------------------------------------------------------- */

static json_t *json_files(const session *s, const obb_file_list *files)
{
    json_t *list = json_array();
    for (size_t i = 0; i < files->count; i++)
        json_array_append_new(list, obb_report_text(obb_files_path(s->files, files->at[i])));
    return list;
}

static void list_json(const session *s)
{
    json_t *sources = json_array(), *document = json_object();
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        if (!s->wanted[i] || !compiles(a))
            continue;
        json_t *o = json_object();
        json_object_set_new(o, "source", obb_report_text(obb_files_path(s->files, a->source)));
        json_object_set_new(o, "target", obb_report_text(a->target->name));
        json_object_set_new(o, "variant", obb_report_text(a->variant->name));
        json_object_set_new(o, "files", json_files(s, &a->inputs));
        json_object_set_new(o, "looked-for-in-vain", json_files(s, &a->absent));
        json_object_set_new(o, "waits-for", a->pending == OBB_NO_FILE ? json_null() : obb_report_text(obb_files_path(s->files, a->pending)));
        json_object_set_new(o, "left-to-the-compiler", a->undecided ? obb_report_text(a->undecided) : json_null());
        json_array_append_new(sources, o);
    }
    json_object_set_new(document, "sources", sources);
    json_print(document, "scan");
}

static void list_one(const char *path)
{
    fputs("    ", stdout); /* there may be a hundred thousand of them */
    fputs(path, stdout);
    putchar('\n');
}

static void list_files(const session *s)
{
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        char room[40];
        if (!s->wanted[i] || !compiles(a))
            continue;
        terminal_ink(stdout, INK_STRONG, "%s", obb_files_path(s->files, a->source));
        terminal_say(stdout, "  %s, %s, %s%s\n", a->target->name, a->variant->name,
               counted(room, sizeof room, a->inputs.count - 1, "file", "files"),
               a->undecided ? ", as the compiler tells" : "");
        for (size_t k = 1; k < a->inputs.count; k++)
            list_one(obb_files_path(s->files, a->inputs.at[k]));
        if (a->pending != OBB_NO_FILE)
            terminal_say(stdout, "    ... and what is behind %s, which the step `%s` has still to make\n", obb_files_path(s->files, a->pending),
                   obb_plan_maker(s->plan, a->pending)->target->name);
        if (a->undecided && s->options->verbose)
            terminal_say(stdout, "    left to the compiler: %s\n", a->undecided);
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
    terminal_say(stdout, "%s %s", open[in->depth] ? "├─" : "└─", obb_files_path(s->files, in->to));
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

/* What files of the system include is counted and not drawn, unless all is asked for. */
static void draw_tree(session *s, const obb_action *a)
{
    obb_scan_result r = {0};
    bool *open = obb_alloc(256);
    char room[40];
    obb_scan(s->scanner, a->words->way, a->source, true, &r);
    terminal_ink(stdout, INK_STRONG, "%s", obb_files_path(s->files, a->source));
    terminal_say(stdout, "  %s, %s, %s\n", a->target->name, a->variant->name,
           counted(room, sizeof room, r.files.count - 1, "file", "files"));
    for (size_t i = 0; i < r.includes.count;) {
        size_t next = behind(&r, i);
        bool whole = s->options->verbose || !obb_path_outside(obb_files_path(s->files, r.includes.at[i].to));
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
    obb_words names = s->options->names;
    s->options->names.count = s->options->chain ? 0 : names.count;
    int code = choose_actions(s, true);
    s->options->names.count = names.count;
    if (!code)
        code = session_scan(s);
    if (code && !(s->options->missing && s->plan && s->wanted))
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
        code = session_scan(s);
    if (code && !s->plan)
        return code;
    if (s->options->tree) {
        for (size_t i = 0; i < s->plan->actions.count; i++)
            if (s->wanted && s->wanted[i] && compiles(s->plan->actions.at[i]) && s->plan->actions.at[i]->words->way)
                draw_tree(s, s->plan->actions.at[i]);
    } else if (!code && s->options->json) {
        list_json(s);
    } else if (!code) {
        list_files(s);
    }
    return code;
}

/* --- why ---------------------------------------------------------------------------- */

/* The forecast is of all that the named actions need; the answer is about those named. */
static void want_needs(const session *s, uint32_t number, bool *wanted)
{
    if (wanted[number])
        return;
    wanted[number] = true;
    const obb_action *a = s->plan->actions.at[number];
    for (size_t i = 0; i < a->needs.count; i++)
        want_needs(s, a->needs.at[i], wanted);
}

int command_why(session *s)
{
    table t = {.name = "why", .columns = 5};
    if (!s->options->names.count) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`why` wants a file or a target");
        obb_hint(s->diags, d, "obbligato why src/tune/tune.c");
        return session_show_diags(s);
    }
    int code = choose_actions(s, false);
    if (code)
        return code;
    bool *named = s->wanted;
    s->wanted = obb_arena_alloc(s->arena, s->plan->actions.count);
    for (uint32_t i = 0; i < s->plan->actions.count; i++)
        if (named[i])
            want_needs(s, i, s->wanted);
    code = session_scan(s);
    obb_cause *causes = obb_forecast(s->arena, s->state, s->plan, s->wanted);
    table_row(&t, "made", "variant", ">took", "last time, because", "now");
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        const obb_record *r = obb_state_record(s->state, a->output);
        char took[40];
        if (!named[i])
            continue;
        const char *cause = obb_cause_text(s->arena, s->state, s->plan, a, causes[i]);
        table_row(&t, obb_action_subject(s->plan, a), a->variant->name,
                  r ? duration_text(took, sizeof took, r->milliseconds) : "", r ? r->reason : "never",
                  causes[i].kind == OBB_CAUSE_NONE ? cause
                                                   : obb_arena_format(s->arena, "would be made: %s", cause));
    }
    table_print(&t, s->options->json);
    return code;
}
