/* Opening a project in phases (build/workspace.h). What one phase finds wrong is told before the next
 * begins.
 *
 * Each phase reports its diagnostics and empties the list before it returns, so that no phase runs on the
 * faults of another. Whatever a phase allocates is the arena's or is released by obb_workspace_renew, which
 * may be called after any of them. */
#include "build/workspace.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/below.h"
#include "base/path.h"
#include "build/outcome.h"
#include "plan/checks.h"
#include "plan/on_system.h"

obb_workspace *obb_workspace_new(const obb_request *request, const obb_build_observer *observer)
{
    obb_workspace *w = obb_alloc(sizeof *w);
    w->request = request;
    w->observer = observer;
    w->arena = obb_arena_new();
    w->diags = obb_diags_new();
    w->files = obb_files_new();
    return w;
}

obb_workspace *obb_workspace_again(const obb_workspace *first)
{
    obb_workspace *w = obb_workspace_new(first->request, first->observer);
    w->root = obb_arena_string(w->arena, first->root);
    w->start = obb_arena_string(w->arena, first->start);
    w->out = obb_arena_string(w->arena, first->out);
    w->began = obb_now();
    obb_files_hide(w->files, w->out, OBB_MARK_NAME);
    return w;
}

int obb_workspace_tell(obb_workspace *w)
{
    int code = (int)obb_diags_fault(w->diags);
    if (w->diags->list.count && w->observer->messages) {
        obb_diags_settle(w->diags);
        w->observer->messages(w->observer->self, w->diags);
    }
    obb_diags_free(w->diags);
    w->diags = obb_diags_new();
    return code;
}

void obb_workspace_phase(const obb_workspace *w, const char *what)
{
    if (w->observer->phase)
        w->observer->phase(w->observer->self, what);
}

int obb_workspace_fail(obb_workspace *w, obb_fault fault, const char *message, const char *word,
                       const char *hint)
{
    obb_diag *d = obb_error(w->diags, fault, OBB_NOWHERE, message, word);
    if (hint)
        obb_hint(w->diags, d, "%s", hint);
    return obb_workspace_tell(w);
}

void obb_workspace_cannot_write(obb_workspace *w, const char *path, int failed)
{
    obb_diag *d = obb_error(w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", path,
                            obb_below_error(failed));
    if (failed == ENOSPC || failed == EDQUOT || failed == EFBIG)
        obb_hint(w->diags, d, "make room there, and run it again: what has been made is kept");
    else if (failed == EACCES || failed == EPERM || failed == EROFS)
        obb_hint(w->diags, d, "choose a place where you have permission to write");
    else if (failed == ELOOP)
        obb_hint(w->diags, d, "remove the link");
}

int obb_workspace_commit(obb_workspace *w, int before)
{
    int failed = obb_state_commit(w->state);
    failed = failed ? failed : before;
    if (failed)
        obb_workspace_cannot_write(w, obb_arena_format(w->arena, "%s/.obbligato/state.db", w->out), failed);
    return obb_workspace_tell(w);
}

/* The nearest folder at or above `folder` that holds a description. */
static char *find_root(obb_workspace *w, const char *folder)
{
    for (;;) {
        char *score = obb_path_join(w->arena, folder, OBB_SCORE_NAME);
        if (access(score, F_OK) == 0)
            return obb_arena_string(w->arena, folder);
        if (strcmp(folder, "/") == 0)
            return NULL;
        folder = obb_path_folder(w->arena, folder);
    }
}

int obb_workspace_enter(obb_workspace *w)
{
    char here[4096];
    w->began = obb_now();
    if (w->request->folder && chdir(w->request->folder))
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "cannot go to the folder `%s`", w->request->folder,
                                  NULL);
    if (!getcwd(here, sizeof here))
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "the working folder cannot be named: %s",
                                  strerror(errno), NULL);
    w->root = find_root(w, here);
    if (!w->root)
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "no " OBB_SCORE_NAME " here or above: %s", here,
                    "write one (`obbligato help` shows the shortest), or go to your project: -C FOLDER");
    const char *out = w->request->out ? w->request->out : obb_path_join(w->arena, w->root, "out");
    w->out = obb_path_below(w->arena, w->root, obb_path_join(w->arena, here, out));
    w->start = obb_path_below(w->arena, w->root, here);
    if (strcmp(w->out, ".") == 0)
        return obb_workspace_fail(
            w, OBB_FAULT_USAGE, "the output folder cannot be the project's own folder, %s", w->root,
            "nothing is ever written among the sources; choose a folder below or elsewhere");
    if (chdir(w->root))
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot go to the folder `%s`", w->root, NULL);
    obb_files_hide(w->files, w->out, OBB_MARK_NAME);
    return 0;
}

const char *obb_workspace_typed_path(const obb_workspace *w, const char *path)
{
    char *full = obb_path_join(w->arena, obb_path_join(w->arena, w->root, w->start), path);
    for (size_t i = 0; w->project && i < w->project->thirdparty.count; i++) { /* beside the project */
        const char *folder = w->project->thirdparty.at[i]->folder;
        const char *whole = folder ? obb_path_join(w->arena, w->root, folder) : "";
        if (folder && obb_starts(folder, "../") && obb_path_within(full, whole))
            return obb_path_join(w->arena, folder, full + strlen(whole) + 1);
    }
    return obb_path_below(w->arena, w->root, full);
}

const char *obb_workspace_path(const obb_workspace *w, const char *path)
{
    const char *typed = obb_workspace_typed_path(w, path);
    struct stat here;
    bool as_printed = lstat(typed, &here) != 0 && lstat(path, &here) == 0;
    return as_printed ? obb_path_below(w->arena, w->root, obb_path_join(w->arena, w->root, path)) : typed;
}

/* The family of this machine's compiler: asked only when a condition is about it. */
static const char *family_here(void *self)
{
    obb_workspace *w = self;
    obb_diags *ignored = obb_diags_new();
    const obb_tool *tool = NULL;
    if (obb_workspace_open_state(w, false) == 0) {
        obb_toolchain *tc = obb_toolchain_host(w->arena, w->files, obb_state_memo(w->state));
        tool = obb_toolchain_need(tc, OBB_TOOL_C, "family", OBB_NOWHERE, ignored);
        obb_toolchain_free(tc);
    }
    const char *family = tool && tool->family == OBB_FAMILY_CLANG ? "clang" : "gcc";
    obb_diags_free(ignored);
    return family;
}

/* The checks of a variant: asked for by the first condition or header that depends on them. */
static void answer_checks(void *self, const obb_variant *variant, obb_check_answer *answers)
{
    obb_workspace *w = self;
    if (!w->toolchains && obb_workspace_open_state(w, false))
        return;
    obb_check_context context = {.arena = w->arena, .files = w->files, .toolchains = w->toolchains,
                                 .scanner = w->scanner, .diags = w->diags};
    obb_workspace_phase(w, "finding out what the platform has");
    obb_answer_all_checks(&context, variant, answers);
    obb_workspace_phase(w, "");
}

/* Whether the platform's system has a library that will do. */
static bool has_system(void *self, const obb_variant *variant, const obb_thirdparty *other)
{
    obb_workspace *w = self;
    if (!w->toolchains && obb_workspace_open_state(w, false))
        return false;
    obb_diags *ignored = obb_diags_new();
    const obb_check_context context = {.arena = w->arena, .files = w->files, .toolchains = w->toolchains,
                                       .scanner = w->scanner, .diags = ignored};
    bool has = obb_system_offers(&context, variant, other);
    obb_diags_free(ignored);
    return has;
}

void obb_workspace_read_descriptions(obb_workspace *w)
{
    w->host = *obb_host_here();
    w->host.family = family_here;
    w->host.self = w;
    const obb_reading how = {.out = w->out, .newest = w->request->newest, .names = &w->request->fetched,
                             .prefer = w->request->prefer};
    w->project = obb_project_read(w->files, &w->host, &how, w->diags);
    w->project->answer_checks = answer_checks;
    w->project->has_system = has_system;
    w->project->answerer = w;
}

/* Brings what the project states of third-party code. */
static obb_fetch_result fetch(obb_workspace *w, bool first)
{
    const obb_request *r = w->request;
    const obb_build_observer *o = w->observer;
    const obb_fetch_request request = {.allowed = r->fetches && !r->dry_run,
                                       .offline = r->offline,
                                       .locked = r->locked,
                                       .newest = r->newest && first,
                                       .drop_edits = r->drop_edits,
                                       .names = &r->fetched};
    const obb_fetch_observer observer = {.self = o->self, .waiting = o->waiting, .progress = o->downloading,
                                         .brought = o->brought, .recorded = o->recorded};
    obb_fetch_result result = obb_fetch(w->arena, w->project, w->files, &request, &observer, w->diags);
    obb_workspace_phase(w, "");
    if (result == OBB_FETCH_BROUGHT) {
        obb_files_forget_below(w->files, obb_path_join(w->arena, w->out, OBB_FETCHED_FOLDER));
        obb_files_forget(w->files, obb_files_number(w->files, OBB_LOCK_NAME));
    }
    return result;
}

int obb_workspace_read_project(obb_workspace *w)
{
    obb_fetch_result result = OBB_FETCH_BROUGHT;
    int code = 0;
    if (w->request->newest && w->request->fetches)
        obb_forget_versions(w->arena, w->out);
    for (size_t round = 0; result == OBB_FETCH_BROUGHT && !code; round++) {
        obb_project_free(w->project);
        w->project = NULL;
        obb_workspace_read_descriptions(w);
        result = obb_diags_fault(w->diags) ? OBB_FETCH_NOTHING : fetch(w, round == 0);
        code = obb_workspace_tell(w);
    }
    return result == OBB_FETCH_INTERRUPTED ? (int)OBB_BUILD_INTERRUPTED : code;
}

static void say_waiting(void *self, const char *holder)
{
    const obb_workspace *w = self;
    if (w->observer->waiting)
        w->observer->waiting(w->observer->self, w->out, holder);
}

int obb_workspace_open_state(obb_workspace *w, bool for_building)
{
    if (w->state)
        return 0;
    w->state = obb_state_open(w->out, w->files, for_building ? OBB_STATE_BUILD : OBB_STATE_READ, say_waiting,
                              w, w->diags);
    if (w->state && obb_state_was_damaged(w->state))
        obb_warn(w->diags, OBB_NOWHERE,
                 "the memory of earlier builds in %s was damaged, or is another version's; it is begun anew",
                 w->out);
    int code = obb_workspace_tell(w);
    if (code)
        return code;
    w->toolchains = obb_toolchains_new(w->arena, w->files, obb_state_memo(w->state));
    w->scanner = obb_scanner_new(w->files);
    return 0;
}

static void choose(obb_workspace *w, const obb_variant *v)
{
    for (size_t i = 0; v && i < w->variants.count; i++)
        if (strcmp(w->variants.at[i]->name, v->name) == 0)
            return;
    if (v)
        obb_arena_push(w->arena, &w->variants, v);
}

static void choose_pairs(obb_workspace *w)
{
    static const char *const host[] = {"host"}, *const debug[] = {"debug"};
    const obb_request *o = w->request;
    const char *const *platforms = o->platforms.count ? o->platforms.at : host;
    const char *const *configurations = o->configurations.count ? o->configurations.at : debug;
    size_t rows = o->platforms.count ? o->platforms.count : 1,
           columns = o->configurations.count ? o->configurations.count : 1;
    for (size_t p = 0; p < rows; p++)
        for (size_t c = 0; c < columns; c++)
            choose(w, obb_project_variant(w->project, platforms[p], configurations[c], &o->sets, OBB_NOWHERE,
                                          w->diags));
}

static void choose_lineup(obb_workspace *w, const char *name)
{
    const obb_lineup *lineup = obb_project_lineup(w->project, name);
    obb_variants variants = {0};
    if (!lineup) {
        obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no lineup `%s`", name);
        obb_hint_nearest(w->diags, d, name, obb_project_lineup_names(w->project));
        if (!d->hint)
            obb_hint(w->diags, d, "a description makes one: lineup %s { host.debug host.release }", name);
        return;
    }
    obb_project_lineup_variants(w->project, lineup, &w->request->sets, w->diags, &variants);
    for (size_t i = 0; i < variants.count; i++)
        choose(w, variants.at[i]);
}

int obb_workspace_choose_variants(obb_workspace *w)
{
    const obb_request *o = w->request;
    if (o->platforms.count || o->configurations.count)
        choose_pairs(w);
    for (size_t i = 0; i < o->variants.count; i++)
        choose(w, obb_project_variant_named(w->project, o->variants.at[i], &o->sets, OBB_NOWHERE, w->diags));
    for (size_t i = 0; i < o->lineups.count; i++)
        choose_lineup(w, o->lineups.at[i]);
    bool any = o->platforms.count || o->configurations.count || o->variants.count || o->lineups.count;
    for (size_t i = 0; !any && i < w->project->default_variants.count; i++)
        choose(w, obb_project_variant_named(w->project, w->project->default_variants.at[i]->name, &o->sets,
                                            OBB_NOWHERE, w->diags));
    if (!any && !w->project->default_variants.count)
        choose_pairs(w);
    return obb_workspace_tell(w);
}

bool obb_left_out_everywhere(const obb_workspace *w, const obb_target *target)
{
    for (size_t v = 0; v < w->variants.count; v++)
        if (!obb_left_out(w->variants.at[v], target))
            return false;
    return true;
}

/* All whose name matches; those that are in none of the variants do no harm. Parts of others (`bell:after`,
 * `chime:core`) only where the pattern has a colon, too. False: there is none. */
static bool choose_matching(obb_workspace *w, const char *pattern)
{
    bool any = false;
    for (size_t i = 0; strpbrk(pattern, "*?[") && i < w->project->targets.count; i++) {
        const obb_target *t = w->project->targets.at[i];
        if (!obb_path_matches(pattern, t->name) || (strchr(t->name, ':') && !strchr(pattern, ':')))
            continue;
        any = true;
        if (!obb_left_out_everywhere(w, t))
            obb_arena_push(w->arena, &w->targets, t);
    }
    return any;
}

int obb_workspace_choose_targets(obb_workspace *w)
{
    const obb_words *names = &w->request->names;
    for (size_t i = 0; i < names->count; i++) {
        const obb_launch *launch = obb_project_launch(w->project, names->at[i]);
        const obb_target *t = obb_project_named(w->project, NULL, launch ? launch->program : names->at[i]);
        for (size_t k = 0; launch && k < launch->products.count; k++)
            obb_arena_push(w->arena, &w->targets, launch->products.at[k].target);
        if (t) {
            obb_arena_push(w->arena, &w->targets, t);
            continue;
        }
        if (choose_matching(w, names->at[i]))
            continue;
        obb_diag *d = obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no target `%s`",
                                names->at[i]);
        obb_hint_nearest(w->diags, d, names->at[i], obb_project_target_names(w->project));
        if (!d->hint)
            obb_hint(w->diags, d,
                     "`obbligato show targets` lists them; patterns may stand for several: 'bell-*'");
    }
    if (!names->count)
        obb_default_targets(w->project, w->arena, &w->targets);
    return obb_workspace_tell(w);
}

const char *obb_workspace_product_path(obb_workspace *w, const obb_variant *v, const obb_target *target)
{
    const obb_naming naming = obb_naming_for(v, w->toolchains ? obb_toolchains_for(w->toolchains, v) : NULL);
    return obb_product_path(w->arena, &naming, obb_variant_folder(w->arena, w->out, v), obb_in(v, target),
                            false);
}

static void release(obb_workspace *w)
{
    obb_scanner_free(w->scanner);
    obb_toolchains_free(w->toolchains);
    obb_state_close(w->state);
    obb_files_free(w->files);
    obb_project_free(w->project);
}

void obb_workspace_renew(obb_workspace *w)
{
    release(w);
    obb_diags_free(w->diags);
    w->diags = obb_diags_new();
    w->files = obb_files_new();
    obb_files_hide(w->files, w->out, OBB_MARK_NAME);
    w->project = NULL;
    w->state = NULL;
    w->toolchains = NULL;
    w->scanner = NULL;
    w->variants = (obb_variants){0};
    w->targets = (obb_target_list){0};
    w->plan = NULL;
    w->dependencies = NULL;
    w->wanted = NULL;
    w->planning = (obb_planning){0};
    w->missing = 0;
}

void obb_workspace_close_state(obb_workspace *w)
{
    obb_state_close(w->state);
    w->state = NULL;
}

int obb_workspace_go_on(obb_workspace *w)
{
    obb_workspace_renew(w);
    int code = obb_workspace_read_project(w);
    if (!code)
        code = obb_workspace_open_state(w, false);
    return code ? code : obb_workspace_choose_variants(w);
}

void obb_workspace_free(obb_workspace *w)
{
    if (!w)
        return;
    release(w);
    obb_diags_free(w->diags);
    obb_arena_free(w->arena);
    free(w);
}
