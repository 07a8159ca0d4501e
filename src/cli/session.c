#include "cli/session.h"

#include <errno.h>
#include <stdio.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "cli/terminal.h"
#include "report/report.h"

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

/* The same may be found at several stations: said once. */
static bool said_before(const obb_diags *diags, size_t n)
{
    const obb_diag *d = diags->list.at[n];
    for (size_t i = 0; i < n; i++) {
        const obb_diag *other = diags->list.at[i];
        if (d->cause && obb_same(d->cause, other->cause))
            return true;
        if (other->place.line == d->place.line && other->place.column == d->place.column &&
            obb_same(other->place.file, d->place.file) && strcmp(other->message, d->message) == 0)
            return true;
    }
    return false;
}

enum { MOST_STOPPED = 6 };

/* One error for one cause, with all that it stops. */
static void tell_stopped(const obb_diags *diags, size_t first)
{
    const char *cause = diags->list.at[first]->cause;
    obb_map seen = {0};
    for (size_t i = first; cause && i < diags->list.count; i++)
        if (obb_same(diags->list.at[i]->cause, cause))
            obb_map_put(&seen, diags->list.at[i]->stopped, (void *)(uintptr_t)diags);
    if (seen.count > 1) {
        terminal_say(stderr, "  stops %zu: ", seen.count);
        for (size_t i = 0; i < seen.count && i < MOST_STOPPED; i++)
            terminal_say(stderr, "%s%s", i ? ", " : "", seen.at[i].key);
        if (seen.count > MOST_STOPPED)
            terminal_say(stderr, " and %zu more", seen.count - MOST_STOPPED);
        terminal_say(stderr, "\n");
    }
    obb_map_free(&seen);
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
    json_object_set_new(o, "column", d->place.line && d->place.column ? json_integer(d->place.column) : json_null());
    json_object_set_new(o, "hint", d->hint ? obb_report_text(d->hint) : json_null());
    json_array_append_new(s->told, o);
}

json_t *session_take_told(session *s)
{
    json_t *told = s->told ? s->told : json_array();
    s->told = NULL;
    return told;
}

int session_show_diags(session *s)
{
    int code = (int)obb_diags_fault(s->diags);
    size_t errors = 0;
    put_in_order(s->diags);
    for (size_t i = 0; i < s->diags->list.count; i++) {
        if (said_before(s->diags, i))
            continue;
        terminal_show_diag(s->diags->list.at[i]);
        tell_stopped(s->diags, i);
        if (s->options->json)
            note_told(s, s->diags->list.at[i]);
        errors += s->diags->list.at[i]->fault != OBB_FAULT_NONE;
    }
    if (errors > 1)
        terminal_say(stderr, "%zu errors\n", errors);
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

void session_cannot_write(session *s, const char *path, int failed)
{
    obb_diag *d = obb_error(s->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", path, obb_below_error(failed));
    if (failed == ENOSPC || failed == EDQUOT || failed == EFBIG)
        obb_hint(s->diags, d, "make room there, and run it again: what was made stays");
    else if (failed == EACCES || failed == EPERM || failed == EROFS)
        obb_hint(s->diags, d, "name a place where you may write");
    else if (failed == ELOOP)
        obb_hint(s->diags, d, "remove the link");
}

int session_commit(session *s, int before)
{
    int failed = obb_state_commit(s->state);
    failed = failed ? failed : before;
    if (failed)
        session_cannot_write(s, obb_arena_format(s->arena, "%s/.obbligato/state.db", s->out), failed);
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
    s->began = obb_now();
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

const char *session_typed_path(const session *s, const char *path)
{
    char *full = obb_path_join(s->arena, obb_path_join(s->arena, s->root, s->start), path);
    return obb_path_below(s->arena, s->root, full);
}

const char *session_path(const session *s, const char *path)
{
    const char *typed = session_typed_path(s, path);
    struct stat here;
    bool as_printed = lstat(typed, &here) != 0 && lstat(path, &here) == 0;
    return as_printed ? obb_path_below(s->arena, s->root, obb_path_join(s->arena, s->root, path)) : typed;
}

/* The family of this machine's compiler: asked only when a condition is about it. */
static const char *family_here(void *self)
{
    session *s = self;
    obb_diags *ignored = obb_diags_new();
    const obb_tool *tool = NULL;
    if (session_open_state(s, false) == 0) {
        obb_toolchain *tc = obb_toolchain_host(s->arena, s->files, obb_state_memo(s->state));
        tool = obb_toolchain_need(tc, OBB_TOOL_C, "family", OBB_NOWHERE, ignored);
        obb_toolchain_free(tc);
    }
    const char *family = tool && tool->family == OBB_FAMILY_CLANG ? "clang" : "gcc";
    obb_diags_free(ignored);
    return family;
}

static void read_descriptions(session *s)
{
    s->host = *obb_host_here();
    s->host.family = family_here;
    s->host.self = s;
    s->project = obb_project_read(s->files, &s->host, s->diags);
}

int session_read_project(session *s)
{
    read_descriptions(s);
    return session_show_diags(s);
}

static void say_waiting(void *self, const char *holder)
{
    const session *s = self;
    terminal_say(stderr, "obbligato: waiting for another build in %s (%s)\n", s->out,
            *holder ? holder : "unknown");
}

int session_open_state(session *s, bool for_building)
{
    if (s->state)
        return 0;
    s->state = obb_state_open(s->out, s->files, for_building ? OBB_STATE_BUILD : OBB_STATE_READ, say_waiting, s, s->diags);
    if (s->state && obb_state_was_damaged(s->state))
        obb_warn(s->diags, OBB_NOWHERE,
                 "the memory of earlier builds in %s was damaged, or is another version's; it is begun anew", s->out);
    int code = session_show_diags(s);
    if (code)
        return code;
    s->toolchains = obb_toolchains_new(s->arena, s->files, obb_state_memo(s->state));
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

static void choose_pairs(session *s)
{
    static const char *const host[] = {"host"}, *const debug[] = {"debug"};
    const options *o = s->options;
    const char *const *platforms = o->platforms.count ? o->platforms.at : host;
    const char *const *configurations = o->configurations.count ? o->configurations.at : debug;
    size_t rows = o->platforms.count ? o->platforms.count : 1, columns = o->configurations.count ? o->configurations.count : 1;
    for (size_t p = 0; p < rows; p++)
        for (size_t c = 0; c < columns; c++)
            choose(s, obb_project_variant(s->project, platforms[p], configurations[c], &o->sets, OBB_NOWHERE, s->diags));
}

static void choose_lineup(session *s, const char *name)
{
    const obb_lineup *lineup = obb_project_lineup(s->project, name);
    obb_variants variants = {0};
    if (!lineup) {
        obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no lineup `%s`", name);
        obb_hint_nearest(s->diags, d, name, obb_project_lineup_names(s->project));
        if (!d->hint)
            obb_hint(s->diags, d, "a description makes one: lineup %s { host.debug host.release }", name);
        return;
    }
    obb_project_lineup_variants(s->project, lineup, &s->options->sets, s->diags, &variants);
    for (size_t i = 0; i < variants.count; i++)
        choose(s, variants.at[i]);
}

int session_choose_variants(session *s)
{
    const options *o = s->options;
    if (o->platforms.count || o->configurations.count)
        choose_pairs(s);
    for (size_t i = 0; i < o->variants.count; i++)
        choose(s, obb_project_variant_named(s->project, o->variants.at[i], &o->sets, OBB_NOWHERE, s->diags));
    for (size_t i = 0; i < o->lineups.count; i++)
        choose_lineup(s, o->lineups.at[i]);
    bool any = o->platforms.count || o->configurations.count || o->variants.count || o->lineups.count;
    for (size_t i = 0; !any && i < s->project->default_variants.count; i++)
        choose(s, obb_project_variant_named(s->project, s->project->default_variants.at[i]->name, &o->sets,
                                            OBB_NOWHERE, s->diags));
    if (!any && !s->project->default_variants.count)
        choose_pairs(s);
    return session_show_diags(s);
}

int session_choose_targets(session *s)
{
    const obb_words *names = &s->options->names;
    for (size_t i = 0; i < names->count; i++) {
        const obb_launch *launch = obb_project_launch(s->project, names->at[i]);
        const obb_target *t = obb_project_target(s->project, launch ? launch->program : names->at[i]);
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

const obb_target *session_program(session *s, const char *name)
{
    const obb_target *t = obb_project_target(s->project, name);
    if (s->variants.count != 1) {
        session_fail(s, OBB_FAULT_USAGE, "`%s` runs in one variant", name,
                     "choose one: -p PLATFORM -c CONFIGURATION, or --variant");
        return NULL;
    }
    if (!t || (t->kind != OBB_PROGRAM && (t->kind != OBB_TEST || t->tested))) {
        session_fail(s, OBB_FAULT_USAGE, "`%s` is no program", name, "`obbligato show targets` lists them");
        return NULL;
    }
    return obb_in(s->variants.at[0], t);
}

const char *session_program_path(session *s, const obb_target *program)
{
    const obb_variant *v = s->variants.at[0];
    obb_naming naming = obb_naming_for(obb_variant_value(v, OBB_AXIS_OS), s->toolchains ? obb_toolchains_for(s->toolchains, v) : NULL);
    const char *folder = obb_variant_folder(s->arena, s->out, v);
    return program->kind == OBB_TEST ? obb_test_path(s->arena, &naming, folder, program->output)
                                     : obb_program_path(s->arena, &naming, folder, program->output);
}

void session_set_variable(session *s, const char *text)
{
    const char *equals = strchr(text, '=');
    setenv(obb_arena_copy(s->arena, text, (size_t)(equals - text)), equals + 1, 1);
}

/* --- what is left out --------------------------------------------------------------- */

static int left_out_everywhere(session *s, const obb_target *t)
{
    obb_diag *d = obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "`%s` is not there in %s", t->name,
                            s->variants.count == 1 ? s->variants.at[0]->name : "any of the chosen variants");
    for (size_t v = 0; v < s->variants.count; v++)
        obb_also(s->diags, d, t->place, "%s: only %s", s->variants.at[v]->name, obb_left_out(s->variants.at[v], t));
    obb_hint(s->diags, d, "choose another variant: -p PLATFORM; `obbligato show platforms` lists them");
    return session_show_diags(s);
}

/* The targets that are meant, with the members of groups in place of the groups. */
static void add_meant(session *s, const obb_target *t, bool *seen, obb_target_list *meant)
{
    if (seen[t->number])
        return;
    seen[t->number] = true;
    if (t->kind != OBB_GROUP)
        obb_arena_push(s->arena, meant, t);
    for (size_t i = 0; t->kind == OBB_GROUP && i < t->uses.count; i++)
        add_meant(s, t->uses.at[i].target, seen, meant);
}

/* For a variant and a reason: all targets from the first on that it leaves out. */
static void list_reason(session *s, const obb_target_list *meant, const obb_variant *v, size_t first, const char *reason,
                        obb_words *left_out)
{
    obb_text names = {0};
    for (size_t i = first; i < meant->count; i++)
        if (obb_same(obb_left_out(v, meant->at[i]), reason))
            obb_text_format(&names, "%s%s", i > first ? ", " : "", meant->at[i]->name);
    obb_arena_push(s->arena, left_out, obb_arena_string(s->arena, names.bytes));
    obb_arena_push(s->arena, left_out, v->name);
    obb_arena_push(s->arena, left_out, reason);
    obb_text_free(&names);
}

void session_tell_left_out(const obb_words *left_out, FILE *lines)
{
    for (size_t i = 0; i + 2 < left_out->count; i += 3) {
        terminal_say(lines, "left out  %s", left_out->at[i]);
        terminal_ink(lines, INK_DIM, "  %s, because only %s", left_out->at[i + 1], left_out->at[i + 2]);
        fputc('\n', lines);
    }
}

int session_check_left_out(session *s)
{
    for (size_t i = 0; i < s->targets.count && s->options->names.count; i++) {
        size_t v = 0;
        while (v < s->variants.count && obb_left_out(s->variants.at[v], s->targets.at[i]))
            v++;
        if (v == s->variants.count)
            return left_out_everywhere(s, s->targets.at[i]);
    }
    return 0;
}

void session_list_left_out(session *s, obb_words *left_out)
{
    obb_target_list meant = {0};
    bool *seen = obb_arena_alloc(s->arena, s->project->targets.count + 1);
    for (size_t i = 0; i < s->targets.count; i++)
        add_meant(s, s->targets.at[i], seen, &meant);
    for (size_t v = 0; v < s->variants.count; v++) {
        obb_map listed = {0};
        for (size_t i = 0; i < meant.count; i++) {
            const char *reason = obb_left_out(s->variants.at[v], meant.at[i]);
            if (reason && !obb_map_put(&listed, reason, s))
                list_reason(s, &meant, s->variants.at[v], i, reason, left_out);
        }
        obb_map_free(&listed);
    }
}

/* --- the plan ----------------------------------------------------------------------- */

/* What is asked for before the scan decides the plan itself. */
static void note_fixed(session *s)
{
    s->fixed_count = obb_files_count(s->files);
    s->fixed = obb_arena_alloc(s->arena, s->fixed_count + 1);
    for (obb_file f = 0; f < s->fixed_count; f++)
        s->fixed[f] = obb_files_look(s->files, f).printed;
}

static void want_targets(session *s)
{
    s->wanted_targets = obb_arena_alloc(s->arena, (s->variants.count + 1) * sizeof *s->wanted_targets);
    for (size_t v = 0; v < s->variants.count; v++) {
        s->wanted_targets[v] = obb_arena_alloc(s->arena, s->project->targets.count + 1);
        for (size_t i = 0; i < s->targets.count; i++)
            obb_want_target(s->variants.at[v], s->targets.at[i], s->wanted_targets[v]);
    }
}

static void plan_targets(session *s, const obb_plan_scope *scope)
{
    s->plan = obb_plan_make(s->arena, s->project, s->files, s->toolchains, s->scanner, s->out,
                            s->variants.at, s->variants.count, s->wanted_targets, scope, s->diags);
    s->wanted = obb_arena_alloc(s->arena, s->plan->actions.count + 1);
    for (size_t v = 0; v < s->variants.count; v++)
        for (size_t i = 0; i < s->targets.count; i++)
            obb_plan_want(s->plan, s->targets.at[i], s->variants.at[v], s->wanted);
    note_fixed(s);
}

obb_print session_wanted_print(const session *s)
{
    obb_printer *p = obb_printer_new();
    for (size_t v = 0; v < s->variants.count; v++) {
        obb_printer_string(p, s->variants.at[v]->name);
        obb_printer_add(p, s->wanted_targets[v], s->project->targets.count);
    }
    return obb_printer_end(p);
}

int session_make_plan(session *s)
{
    want_targets(s);
    plan_targets(s, NULL);
    bool trouble = obb_toolchains_tell_trouble(s->toolchains, s->diags);
    int code = session_show_diags(s);
    if (trouble || code != OBB_FAULT_OUTSIDE || !s->options->keep_going)
        return code;
    s->missing = code; /* the other variants go on */
    return 0;
}

static int scan(session *s, obb_recall_scan *recall)
{
    obb_recaller recaller = {s->state, s->files};
    terminal_progress("reading what the sources include");
    obb_plan_scan(s->plan, s->wanted, recall, &recaller, s->diags);
    terminal_progress("");
    obb_toolchains_tell_trouble(s->toolchains, s->diags);
    return session_show_diags(s);
}

int session_scan(session *s)
{
    bool *wanted = s->wanted, *also = obb_arena_alloc(s->arena, s->plan->actions.count + 1);
    obb_plan_believe(s->plan);
    memcpy(also, wanted, s->plan->actions.count);
    s->wanted = also; /* what it comes to besides is nothing that was asked for */
    int code = scan(s, NULL);
    s->wanted = wanted;
    return code;
}

int session_scan_or_recall(session *s)
{
    return scan(s, obb_recall_from_records);
}

int session_plan_named(session *s)
{
    int code = s->project ? 0 : session_read_project(s);
    if (!code)
        code = session_open_state(s, false);
    if (!code && !s->variants.count)
        code = session_choose_variants(s);
    if (!code && !s->targets.count)
        code = session_choose_targets(s);
    if (!code)
        code = session_check_left_out(s);
    return code ? code : session_make_plan(s);
}

static void release(session *s)
{
    obb_plan_free(s->plan);
    obb_scanner_free(s->scanner);
    obb_toolchains_free(s->toolchains);
    obb_state_close(s->state);
    obb_files_free(s->files);
    obb_diags_free(s->diags);
}

void session_begin_anew(session *s)
{
    release(s);
    obb_project_free(s->project);
    s->project = NULL;
    s->targets = (obb_target_list){0};
    s->edited = false;
    s->plan = NULL;
    s->scanner = NULL;
    s->toolchains = NULL;
    s->state = NULL;
    s->wanted = NULL;
    s->variants = (obb_variants){0};
    s->files = obb_files_new();
    s->diags = obb_diags_new();
    obb_files_hide(s->files, s->out);
}

int session_go_on(session *s)
{
    session_begin_anew(s);
    int code = session_read_project(s);
    if (!code)
        code = session_open_state(s, false);
    return code ? code : session_choose_variants(s);
}

bool session_explains(const session *s, obb_ready *ready, const obb_action *a)
{
    for (size_t k = 0; a->words && k < a->inputs.count; k++) {
        const char *path = obb_files_path(s->files, a->inputs.at[k]);
        obb_file kept;
        if (obb_path_within(path, s->out) && !obb_plan_maker(s->plan, a->inputs.at[k]) && !obb_ready_knows(ready, path, &kept))
            return false;
    }
    return true;
}

static bool all_explained(const session *s, obb_ready *ready)
{
    for (size_t i = 0; i < s->plan->actions.count; i++)
        if (!session_explains(s, ready, s->plan->actions.at[i]))
            return false;
    return true;
}

/* What is remembered, as a part of it; false when another build ended since. */
static bool open_part(session *s, obb_ready *ready)
{
    s->state = obb_state_open_part(s->out, s->files);
    if (!s->state || !obb_ready_is_current(ready))
        return false;
    s->toolchains = obb_toolchains_new(s->arena, s->files, obb_state_memo(s->state));
    s->scanner = obb_scanner_new(s->files);
    return true;
}

/* False: the whole plan knows better what to say. */
static bool scan_part(session *s, obb_ready *ready)
{
    obb_recaller recaller = {s->state, s->files};
    obb_plan_scan(s->plan, s->wanted, obb_recall_from_records, &recaller, s->diags);
    return !s->diags->list.count && all_explained(s, ready);
}

static bool take_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of)
{
    obb_words names = {0};
    if (!open_part(s, ready))
        return false;
    s->plan = obb_kept_plan_part(kept, files_of, s->arena, s->files, s->toolchains, s->scanner, s->out);
    s->wanted = obb_arena_alloc(s->arena, s->plan->actions.count + 1);
    memset(s->wanted, true, s->plan->actions.count);
    obb_kept_plan_variants(kept, s->arena, &names);
    for (size_t i = 0; i < names.count; i++) {
        obb_variant *v = obb_arena_alloc(s->arena, sizeof *v);
        v->name = names.at[i];
        obb_arena_push(s->arena, &s->variants, v);
    }
    return scan_part(s, ready);
}

bool session_take_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of)
{
    bool taken = take_part(s, ready, kept, files_of);
    if (!taken)
        session_begin_anew(s);
    return taken;
}

void session_drop_part(session *s)
{
    if (s->state)
        obb_state_drop_news(s->state);
    session_begin_anew(s);
}

/* The project, if the files that were edited are its descriptions; messages are for the long way to show. */
static bool read_edited(session *s, obb_ready *ready, const obb_file_list *edited)
{
    read_descriptions(s);
    for (size_t i = 0; i < edited->count; i++) {
        const char *path = obb_ready_path(ready, edited->at[i]);
        size_t k = 0;
        while (k < s->project->descriptions.count && strcmp(s->project->descriptions.at[k], path) != 0)
            k++;
        if (k == s->project->descriptions.count)
            return false;
    }
    return !s->diags->list.count;
}

static bool take_edited_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of,
                             const obb_file_list *edited)
{
    if (!open_part(s, ready) || !read_edited(s, ready, edited) || !obb_kept_plan_fits(kept, s->project) ||
        session_choose_variants(s) || session_choose_targets(s))
        return false;
    obb_plan_scope *scope = obb_arena_alloc(s->arena, sizeof *scope);
    scope->planned = obb_arena_alloc(s->arena, s->project->targets.count + 1);
    scope->known = obb_arena_alloc(s->arena, s->project->targets.count + 1);
    want_targets(s);
    if (!obb_kept_plan_compare(kept, s->project, s->variants.at, s->variants.count, s->wanted_targets, session_wanted_print(s), scope))
        return false;
    s->edited = true;
    s->planned_targets = 0;
    for (size_t i = 0; i < s->project->targets.count; i++)
        s->planned_targets += scope->planned[i];
    plan_targets(s, scope);
    if (s->diags->list.count || !obb_kept_plan_replace(kept, s->plan, s->wanted, scope->planned, files_of))
        return false;
    s->planned = s->plan->actions.count;
    obb_kept_plan_join(kept, files_of, s->plan);
    bool *wanted = obb_arena_alloc(s->arena, s->plan->actions.count + 1);
    memset(wanted, true, s->plan->actions.count);
    memcpy(wanted, s->wanted, s->planned);
    s->wanted = wanted;
    return scan_part(s, ready);
}

bool session_take_edited_part(session *s, obb_ready *ready, obb_kept_plan *kept, const obb_kept_files *files_of,
                              const obb_file_list *edited)
{
    bool taken = take_edited_part(s, ready, kept, files_of, edited);
    if (!taken)
        session_begin_anew(s);
    return taken;
}

void session_end(session *s)
{
    release(s);
    obb_project_free(s->project);
    json_decref(s->told);
    obb_arena_free(s->arena);
}
