#include "cli/build.h"

#include <stdlib.h>
#include <string.h>
#include <uv.h>

#include "base/below.h"
#include "base/path.h"
#include "base/system.h"
#include "cli/account.h"
#include "cli/build_view.h"
#include "cli/terminal.h"
#include "report/report.h"
#include "run/trace.h"
#include "state/ready.h"

enum { MOST_EARLY = 100 };

/* --- the short way ------------------------------------------------------------------ */

static void add_words(obb_printer *p, const obb_words *words)
{
    for (size_t i = 0; i < words->count; i++)
        obb_printer_string(p, words->at[i]);
    obb_printer_string(p, NULL);
}

/* All that a build depends on besides files: what is asked for, and the environment. */
static obb_print ready_key(const session *s)
{
    static const char *const variables[] = {"PATH", "OBBLIGATO_METADATA"};
    obb_printer *p = obb_printer_new();
    const options *o = s->options;
    obb_printer_string(p, "ready 3 " OBB_VERSION);
    obb_printer_string(p, obb_boot_name(s->arena)); /* after a start of the machine, stamps alone are not believed */
    obb_printer_string(p, s->root);
    obb_printer_string(p, s->out);
    add_words(p, &o->names);
    add_words(p, &o->platforms);
    add_words(p, &o->configurations);
    add_words(p, &o->variants);
    add_words(p, &o->sets);
    add_words(p, &o->lineups);
    for (size_t i = 0; i < sizeof variables / sizeof *variables; i++)
        obb_printer_string(p, getenv(variables[i]));
    obb_tool_environment(p);
    obb_compiler_environment(p);
    obb_linker_environment(p);
    return obb_printer_end(p);
}

static char *ready_path(const session *s, obb_print key)
{
    return obb_arena_format(s->arena, "%s/.obbligato/" OBB_READY_PREFIX "%016llx", s->out, (unsigned long long)key.low);
}

/* The program itself is an input of all that it makes. */
static void look_at_myself(session *s)
{
    char path[4096];
    size_t size = sizeof path;
    obb_print print;
    if (uv_exepath(path, &size) == 0)
        obb_files_print(s->files, obb_files_number(s->files, path), &print);
}

static char *database_path(const session *s, const obb_plan_variant *in)
{
    return obb_path_join(s->arena, in->folder, "compile_commands.json");
}

/* The file is looked at again; false, with an error, when it cannot be written. */
static bool write_database(session *s, obb_file file, const obb_text *text)
{
    obb_print print;
    const char *path = obb_files_path(s->files, file);
    int failed = obb_below_make_folders(s->out, path);
    if (!failed)
        failed = obb_file_write(path, text->bytes, text->length, NULL);
    if (failed)
        session_cannot_write(s, path, failed);
    obb_files_forget(s->files, file);
    obb_files_print(s->files, file, &print);
    return !failed;
}

/* Writes compile_commands.json of each variant; the files are noted as made, and looked at. */
static int write_databases(session *s)
{
    for (size_t i = 0; i < s->plan->variants.count; i++) {
        const obb_plan_variant *in = &s->plan->variants.at[i];
        obb_text text = {0};
        obb_file file = obb_files_number(s->files, database_path(s, in));
        obb_report_compilation_database(s->plan, in->variant, s->root, &text);
        obb_state_note_made(s->state, file);
        write_database(s, file, &text);
        obb_text_free(&text);
    }
    return session_show_diags(s);
}

/* Writes the files whose text is known already; what is in place stays as it is. */
static int write_texts(session *s)
{
    for (size_t i = 0; i < s->plan->texts.count; i++) {
        const obb_ready_text *t = &s->plan->texts.at[i];
        const char *path = obb_files_path(s->files, t->file);
        obb_print print;
        obb_state_note_made(s->state, t->file);
        int failed = obb_below_make_folders(s->out, path);
        if (!failed)
            failed = obb_file_write(path, t->text, strlen(t->text), NULL);
        if (failed)
            session_cannot_write(s, path, failed);
        obb_files_forget(s->files, t->file);
        obb_files_print(s->files, t->file, &print);
    }
    return session_show_diags(s);
}

static void tell_undecided(const session *s)
{
    for (size_t i = 0; s->options->verbose && i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        if (s->wanted[i] && a->undecided)
            terminal_say(stderr, "scan: %s is left to the compiler: %s\n",
                    obb_files_path(s->files, a->source), a->undecided);
    }
}

/* What would be made, and why, without making it. */
static int forecast(session *s)
{
    obb_cause *causes = obb_forecast(s->arena, s->state, s->plan, s->wanted);
    build_view v = {.s = s, .lines = stdout};
    table t = {.name = "forecast", .columns = 5};
    size_t count = 0, total = 0;
    for (size_t i = 0; i < s->plan->actions.count; i++)
        total += s->wanted[i] && causes[i].kind != OBB_CAUSE_NONE;
    table_row(&t, "action", "makes", "target", "variant", "because");
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        if (!s->wanted[i] || causes[i].kind == OBB_CAUSE_NONE)
            continue;
        const char *cause = obb_cause_text(s->arena, s->state, s->plan, a, causes[i]);
        count++;
        table_row(&t, obb_action_verb(a), obb_files_path(s->files, a->output), a->target->name, a->variant->name, cause);
        const obb_event event = {.action = a, .cause = cause, .done = count, .total = total};
        if (!s->options->json)
            view_action_line(&v, &event, stdout);
    }
    if (s->options->json) {
        table_print(&t, true);
        return 0;
    }
    table_drop(&t);
    session_list_left_out(s, &v.left_out);
    if (!s->options->quiet)
        session_tell_left_out(&v.left_out, stdout);
    terminal_say(stdout, "%zu to make (%s); nothing was changed\n", count, view_variant_names(s));
    return 0;
}

static int prepare(session *s)
{
    int code = session_open_state(s, !s->options->dry_run);
    return code ? code : session_plan_named(s);
}

/* Which programs of those that were planned here are compared with budgets; of the others it was kept. */
static void note_budgets(session *s)
{
    size_t planned = !s->plan->project ? 0 : s->edited ? s->planned : s->plan->actions.count;
    for (size_t i = 0; i < planned; i++) {
        obb_action *a = s->plan->actions.at[i];
        a->budgeted = s->wanted[i] && !a->broken && a->kind == OBB_LINK_PROGRAM && a->variant->memory.count &&
                      account_has_budgets(s, a->target, a->variant);
    }
}

/* A part of a kept plan has names of variants and targets alone: then it is looked up what they are. */
static void check_program(session *s, const obb_action *a, bool made)
{
    const obb_variant *v = a->variant;
    const obb_target *t = a->target;
    if (!s->plan->project) {
        v = obb_project_variant_named(s->project, v->name, &s->options->sets, OBB_NOWHERE, s->diags);
        t = obb_project_target(s->project, t->name);
    }
    const obb_account *account = v && t ? account_of_regions(s, obb_files_path(s->files, a->output), v) : NULL;
    if (account) /* what cannot be read failed to link, which was told */
        account_check_budgets(s, t, v, account, made);
}

static void check_programs(session *s, const build_view *v)
{
    for (size_t i = 0; i < s->plan->actions.count; i++) {
        const obb_action *a = s->plan->actions.at[i];
        if (!s->wanted[i] || !a->budgeted)
            continue;
        bool made = false;
        for (size_t k = 0; k < v->linked.count && !made; k++)
            made = v->linked.at[k] == a;
        check_program(s, a, made);
    }
}

static bool any_budgets(const session *s)
{
    for (size_t i = 0; i < s->plan->actions.count && !s->budgets_later; i++)
        if (s->wanted[i] && s->plan->actions.at[i]->budgeted)
            return true;
    return false;
}

/* Programs that overrun a budget: told when they were made just now, and always when the
 * budget is fatal. A part without a project has one for as long as this takes: its variants are not those of
 * the project, and whoever finds a project in a session may take them for that. */
static int check_budgets(session *s, const build_view *v)
{
    bool borrowed = !s->project;
    note_budgets(s);
    if (!any_budgets(s))
        return session_show_diags(s);
    int code = borrowed ? session_read_project(s) : 0;
    if (!code) {
        check_programs(s, v);
        code = session_show_diags(s);
    }
    if (borrowed) {
        obb_project_free(s->project);
        s->project = NULL;
    }
    return code;
}

static obb_kept_facts facts_of(const session *s, const build_view *v)
{
    return (obb_kept_facts){.wanted = s->wanted, .fixed = s->fixed, .fixed_count = s->fixed_count,
                            .left_out = &v->left_out, .wanted_targets = session_wanted_print(s)};
}

static obb_file_list sources_of(const session *s)
{
    obb_file_list sources = {0};
    for (size_t i = 0; i < s->plan->actions.count; i++)
        if (s->plan->actions.at[i]->words)
            obb_arena_push(s->arena, &sources, s->plan->actions.at[i]->source);
    return sources;
}

/* Keeps what this build hung on, and its plan, for the next one. */
static void keep_ready(session *s, const build_view *v, const obb_run_result *r, obb_print key)
{
    obb_text plan = {0};
    const obb_kept_facts facts = facts_of(s, v);
    obb_kept_plan_write(s->plan, &facts, &plan);
    obb_file_list sources = sources_of(s);
    const obb_ready_extra extra = {&sources, view_kept_message(s, r->up_to_date + r->made), plan.bytes, plan.length};
    obb_ready_write(ready_path(s, key), key, s->files, s->began, &extra);
    obb_text_free(&plan);
}

/* A part of what was built before: what changed files and edited descriptions reach. */
typedef struct part {
    session *s;
    obb_ready *ready;
    obb_kept_plan *kept;
    obb_kept_files files_of;
    obb_file_list edited; /* descriptions, or what may be ones; kept numbers */
    bool early;           /* it was begun while the rest was looked at */
    bool found, tried, taken; /* it is known what they reach; it was taken, or could not be; the session has its plan */
    const obb_cause *forecast; /* NULL: not asked yet */
} part;

static bool explained(void *self, const obb_action *a)
{
    const part *p = self;
    return session_explains(p->s, p->ready, a);
}

/* Where objects are kept for other builds; NULL: nowhere, which is no fault. */
static obb_shelf *open_shelf(session *s)
{
    const obb_shelf_place place = obb_shelf_find_place(s->arena);
    const char *why;
    obb_shelf *shelf = obb_shelf_open(&place, s->arena, &why);
    if (why)
        obb_hint(s->diags, obb_warn(s->diags, OBB_NOWHERE, "the store in %s is not used: %s", place.folder, why),
                 "name another folder: OBBLIGATO_STORE=FOLDER, or off");
    session_show_diags(s);
    return shelf;
}

static void close_shelf(session *s, obb_shelf *shelf)
{
    int failed = obb_shelf_close(shelf);
    if (failed)
        obb_hint(s->diags, obb_warn(s->diags, OBB_NOWHERE, "the store in %s takes no more: %s", obb_shelf_find_place(s->arena).folder, strerror(failed)),
                 "make room there, or bound it: OBBLIGATO_STORE_LIMIT=SIZE");
    session_show_diags(s);
}

/* The actions, and what is told of them. */
static obb_run_result run_actions(session *s, build_view *v, size_t removed, size_t others, part *p)
{
    obb_shelf *shelf = open_shelf(s);
    char self[4096];
    size_t size = sizeof self;
    const char *watcher = s->options->strict && uv_exepath(self, &size) == 0 ? self : NULL;
    const obb_run_options how = {.keep_going = s->options->keep_going, .observer = view_observe, .self = v,
                                 .jobs = s->options->jobs ? s->options->jobs : uv_available_parallelism(),
                                 .explained = p ? explained : NULL, .explainer = p, .forecast = p ? p->forecast : NULL,
                                 .shelf = shelf, .watcher = watcher};
    if (v->json)
        v->actions = json_array();
    obb_run_result r = obb_run(s->plan, s->state, s->wanted, &how);
    close_shelf(s, shelf);
    if (r.takes_more) { /* what was done so far stands */
        json_decref(v->actions);
        v->actions = NULL;
        return r;
    }
    r.removed = removed;
    r.up_to_date += others;
    view_summarize(v, &r);
    if (v->actions) {
        view_print_json(s, view_variant_list(s), v->actions, &r, v->looks);
    }
    return r;
}

/* 0, or the exit code that a run ends with. */
static int settle(session *s, const obb_run_result *r)
{
    obb_state_remember_files(s->state);
    int code = session_commit(s, r->store_failed);
    if (code)
        return code;
    return r->interrupted ? EXIT_INTERRUPTED : r->failed || r->left ? (int)OBB_FAULT_ACTION : 0;
}

static int carry_out(session *s, build_view *v, int scan_code, obb_print key)
{
    session_list_left_out(s, &v->left_out);
    tell_undecided(s);
    int code = write_databases(s);
    if (!code)
        code = write_texts(s);
    if (code)
        return code;
    obb_run_result r = run_actions(s, v, v->removed, 0, NULL);
    look_at_myself(s);
    code = settle(s, &r);
    if (code && code != (int)OBB_FAULT_ACTION)
        return code;
    int over = check_budgets(s, v);
    if (code)
        return scan_code && !r.failed ? scan_code : code;
    if (over)
        return over;
    if (!r.moving && !scan_code)
        keep_ready(s, v, &r, key);
    return scan_code;
}

/* --- a part ------------------------------------------------------------------------- */

static obb_file tell_file(void *self, obb_file kept)
{
    const part *p = self;
    return obb_ready_tell(p->ready, kept, p->s->files);
}

static obb_file number_file(void *self, obb_file file)
{
    const part *p = self;
    return obb_ready_number(p->ready, obb_files_path(p->s->files, file));
}

static void part_begin(part *p, session *s, obb_ready *ready)
{
    *p = (part){.s = s, .ready = ready, .files_of = {p, tell_file, number_file}};
}

/* Finds what the changes reach; false when it takes more than a part. */
static bool find_part(part *p)
{
    size_t length;
    const void *bytes = obb_ready_plan(p->ready, &length);
    p->kept = bytes ? obb_kept_plan_open(bytes, length, p->s->arena) : NULL;
    p->edited = (obb_file_list){0};
    p->found = p->kept && obb_kept_plan_reaches(p->kept, obb_ready_changes(p->ready), &p->edited);
    return p->found;
}

static void take_changed(part *p)
{
    p->tried = true;
    p->taken = session_take_part(p->s, p->ready, p->kept, &p->files_of);
    if (p->taken)
        p->forecast = obb_forecast(p->s->arena, p->s->state, p->s->plan, p->s->wanted);
}

/* Mostly one file was edited: its part is taken while the rest is looked at. When that was not all, it was in
 * vain; so it is not done where it may take longer than the look. */
static void take_early(void *self)
{
    part *p = self;
    p->early = true;
    if (find_part(p) && !p->edited.count && obb_kept_plan_reached(p->kept) <= MOST_EARLY)
        take_changed(p);
}

/* A part that was begun early holds, or is taken now. */
static bool take_part(part *p)
{
    if (p->early && !obb_ready_saw_all(p->ready)) {
        session_drop_part(p->s);
        part_begin(p, p->s, p->ready);
    }
    if (!p->early)
        find_part(p);
    if (p->found && p->edited.count)
        p->taken = session_take_edited_part(p->s, p->ready, p->kept, &p->files_of, &p->edited);
    else if (p->found && !p->tried)
        take_changed(p);
    return p->taken;
}

/* The commands of what was planned anew take their places in compile_commands.json. */
static bool renew_databases(session *s)
{
    bool good = true;
    for (size_t i = 0; i < s->plan->variants.count && good; i++) {
        const obb_plan_variant *in = &s->plan->variants.at[i];
        obb_file file = obb_files_number(s->files, database_path(s, in));
        obb_text before = {0}, text = {0};
        good = !obb_files_read(s->files, file, &before) &&
               obb_report_renew_compilation_database(s->plan, s->planned, in->variant, s->root, &before, &text) &&
               write_database(s, file, &text);
        obb_text_free(&before);
        obb_text_free(&text);
    }
    return good;
}

/* Keeps what was kept, with what this part found in place of it. */
static void renew_ready(const part *p, const build_view *v)
{
    session *s = p->s;
    obb_text plan = {0};
    if (s->edited) {
        const obb_kept_facts facts = facts_of(s, v);
        obb_kept_plan_renew(p->kept, s->plan, &facts, &p->files_of, &plan);
    } else {
        obb_kept_plan_renew(p->kept, s->plan, NULL, &p->files_of, &plan);
    }
    obb_file_list sources = sources_of(s);
    const obb_ready_extra extra = {&sources, obb_ready_message(p->ready), plan.bytes, plan.length};
    obb_ready_renew(p->ready, s->files, s->began, &extra);
    obb_text_free(&plan);
}

/* Only contents of files changed since the last complete build: only what they reach is looked
 * at. False when it takes more than that. */
static bool build_part(part *p, build_view *v, int *code)
{
    session *s = p->s;
    size_t wanted = 0;
    if (!take_part(p))
        return false;
    if (s->edited && s->options->verbose && !v->json)
        terminal_say(v->lines, "plan: %zu of %zu targets are planned again\n", s->planned_targets, s->project->targets.count);
    if (s->edited)
        session_list_left_out(s, &v->left_out);
    else
        obb_kept_plan_left_out(p->kept, s->arena, &v->left_out);
    tell_undecided(s);
    for (size_t i = 0; i < s->plan->actions.count; i++)
        wanted += s->wanted[i];
    obb_run_result r = run_actions(s, v, 0, obb_kept_plan_count(p->kept) - wanted, p);
    if (r.takes_more) {
        settle(s, &r);
        session_begin_anew(s);
        p->taken = false;
        return false;
    }
    bool databases = !s->edited || renew_databases(s);
    *code = settle(s, &r);
    int unwritten = session_show_diags(s);
    int over = *code && *code != (int)OBB_FAULT_ACTION ? 0 : check_budgets(s, v);
    if (!*code)
        *code = unwritten ? unwritten : over;
    if (!*code && !r.moving && databases)
        renew_ready(p, v);
    return true;
}

/* What the last complete build kept may be enough: true, with the exit code. */
static bool build_short(session *s, build_view *v, obb_print key, int *code)
{
    obb_ready *ready = s->options->dry_run ? NULL : obb_ready_open(ready_path(s, key), key);
    bool done = false;
    if (ready) {
        part p;
        part_begin(&p, s, ready);
        obb_ready_answer answer = obb_ready_check(ready, take_early, &p);
        v->looks = obb_ready_looks(ready);
        if (answer == OBB_READY_HOLDS)
            *code = view_say_kept(v, obb_ready_message(ready));
        done = answer == OBB_READY_HOLDS || (answer == OBB_READY_CHANGED && build_part(&p, v, code));
        if (!done && p.taken) /* then more changed than contents */
            session_drop_part(s);
    }
    obb_ready_close(ready);
    return done;
}

/* What nothing makes any more goes before the scan, which must not find it, and neither must a compiler that
 * the scan asks. */
static void remove_stale(session *s, build_view *v)
{
    const obb_run_options how = {.observer = view_observe, .self = v};
    obb_file_list stale = {0};
    if (!s->options->dry_run) {
        obb_run_sweep(s->plan, s->state);
        v->removed = obb_run_remove_stale(s->plan, s->state, &how);
        return;
    }
    obb_run_list_stale(s->plan, s->state, &stale);
    for (size_t i = 0; i < stale.count; i++)
        obb_files_deny(s->files, stale.at[i]);
    obb_vec_free(&stale);
}

/* All of it, whatever was kept. */
static int build_long(session *s, build_view *v, obb_print key)
{
    int code = prepare(s);
    if (code)
        return code;
    remove_stale(s, v);
    int scan_code = session_scan_or_recall(s);
    if (!scan_code)
        scan_code = s->missing;
    if (scan_code && !s->options->keep_going)
        return scan_code;
    if (s->options->dry_run)
        return forecast(s);
    return carry_out(s, v, scan_code, key);
}

static build_view view_of(session *s, FILE *lines, bool say_idle)
{
    return (build_view){.s = s, .lines = lines, .say_idle = say_idle, .json = s->options->json && lines == stdout};
}

int build_targets(session *s, FILE *lines, bool say_idle)
{
    if (s->options->strict && !obb_trace_offered())
        return session_fail(s, OBB_FAULT_USAGE, "this system offers no way to watch what steps read%s", "", "leave --strict out; Linux has it");
    obb_print key = ready_key(s);
    build_view v = view_of(s, lines, say_idle);
    int code;
    if (!build_short(s, &v, key, &code))
        code = build_long(s, &v, key);
    if (v.json && !s->json_said && !s->options->dry_run) { /* it did not come to a build */
        const obb_run_result none = {.failed = 0};
        view_print_json(s, view_variant_list(s), json_array(), &none, v.looks);
    }
    return code;
}

int build_and_plan(session *s)
{
    int code = build_targets(s, stderr, false);
    if (code || (s->project && !s->edited) || s->options->dry_run)
        return code;
    session_begin_anew(s); /* the build took the short way, or was of a part */
    return session_plan_named(s);
}

int build_changed(session *s, obb_ready *ready, const obb_file_list *changed, FILE *lines)
{
    build_view v = view_of(s, lines, true);
    part p;
    int code;
    obb_ready_suppose(ready, changed);
    part_begin(&p, s, ready);
    return build_part(&p, &v, &code) ? code : build_targets(s, lines, true);
}

obb_ready *build_kept(const session *s)
{
    obb_print key = ready_key(s);
    return obb_ready_open(ready_path(s, key), key);
}
