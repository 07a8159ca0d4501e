/* Bringing third-party code (fetch.h, bringing.h): all parts in their order, and the lock file.
 *
 * One process at a time works below OUT/thirdparty: it holds a lock there, and looks at everything again when
 * it has it. */
#include "outside/bringing.h"

#include <errno.h>
#include <string.h>

#include "base/path.h"
#include "state/lock.h"
#include "state/state.h"

/* A place as the lock file names it, wherever the output folder is. */
static const char *place_in_lock(const obb_bringing *b, const obb_bring_job *j)
{
    const char *place = j->from ? j->from : j->tree.place;
    const obb_index *index = j->other->index;
    return index && index->folder && obb_path_within(place, index->folder)
               ? obb_arena_format(b->arena, "%s/%s", index->name, place + strlen(index->folder) + 1)
               : place;
}

/* What the lock file must say; lines of what failed stay as they are. */
static void make_lock(obb_bringing *b, obb_lock_file *lock)
{
    *lock = (obb_lock_file){.arena = b->arena};
    for (size_t i = 0; i < b->entries.count; i++)
        obb_arena_push(b->arena, &lock->lines, b->entries.at[i]);
    for (size_t i = 0; i < b->jobs.count; i++) {
        const obb_bring_job *j = &b->jobs.at[i];
        bool repository = j->f->kind == OBB_FROM_REPOSITORY, known = !j->failed && j->tree.sum;
        const obb_lock_line line = {.name = j->other->name, .version = obb_bring_version(j->other),
                                    .kind = repository ? OBB_LOCK_REPOSITORY : OBB_LOCK_ARCHIVE,
                                    .sum = j->tree.sum, .commit = j->tree.commit,
                                    .revision = repository ? j->f->revision : "",
                                    .from = place_in_lock(b, j)};
        bool same = known && j->locked && strcmp(j->locked->sum, line.sum) == 0 &&
                    strcmp(j->locked->commit, line.commit) == 0;
        if (j->locked && (same || !known))
            obb_arena_push(b->arena, &lock->lines, *j->locked); /* from wherever it was first fetched */
        else if (known)
            obb_arena_push(b->arena, &lock->lines, line);
    }
}

static void tell_recorded(const obb_bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++) {
        const obb_bring_job *j = &b->jobs.at[i];
        if (!j->locked && !j->failed && b->observer->recorded)
            b->observer->recorded(b->observer->self, j->other->name, j->other->version);
    }
}

static void write_lock(obb_bringing *b)
{
    obb_lock_file lock;
    obb_text before = {0}, after = {0};
    make_lock(b, &lock);
    obb_lock_file_print(&lock, &after);
    bool there = obb_file_read(OBB_LOCK_NAME, &before) == 0;
    bool same = there ? before.length == after.length && memcmp(before.bytes, after.bytes, after.length) == 0
                      : lock.lines.count == 0;
    if (!same && b->request->locked) {
        obb_diag *d = obb_error(b->diags, OBB_FAULT_OUTSIDE,
                                (obb_place){OBB_LOCK_NAME, there, there, NULL, NULL},
                                "what is described is not what %s says, and --locked forbids to change it",
                                OBB_LOCK_NAME);
        obb_hint(b->diags, d, "run `obbligato fetch` without --locked, look at what it changes, and keep it");
    } else if (!same) {
        int failed = obb_file_replace(OBB_LOCK_NAME, after.bytes, after.length, 0666);
        if (failed)
            obb_error(b->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", OBB_LOCK_NAME,
                      strerror(failed));
        else
            tell_recorded(b);
        obb_files_forget(b->files, obb_files_number(b->files, OBB_LOCK_NAME));
    }
    obb_text_free(&before);
    obb_text_free(&after);
}

/* --- the whole ---------------------------------------------------------------------- */

static bool any_needs(const obb_bringing *b)
{
    for (size_t i = 0; i < b->project->index_files.count; i++)
        if (b->project->index_files.at[i].missing)
            return true;
    for (size_t i = 0; i < b->jobs.count; i++)
        if (b->jobs.at[i].need != OBB_NEEDS_NOTHING)
            return true;
    return false;
}

/* Without leave to fetch, what is missing is an error, each. */
static void tell_missing(obb_bringing *b)
{
    for (size_t i = 0; i < b->project->index_files.count; i++) {
        const obb_index_file *f = &b->project->index_files.at[i];
        if (f->missing)
            obb_hint(b->diags,
                     obb_error(b->diags, OBB_FAULT_OUTSIDE, f->place,
                               "what the index `%s` has of `%s` is not fetched yet", f->index->name, f->name),
                     "`obbligato fetch` does it; so does `obbligato build`");
    }
    for (size_t i = 0; i < b->jobs.count; i++) {
        obb_bring_job *j = &b->jobs.at[i];
        if (j->need == OBB_NEEDS_NOTHING)
            continue;
        obb_diag *d = obb_bring_fail(b, j,
                                     j->need == OBB_NEEDS_FETCH ? "`%s` is not fetched yet"
                                                                : "`%s` must be unpacked anew",
                                     obb_bring_name(b, j));
        if (j->need == OBB_NEEDS_ANEW)
            obb_also(b->diags, d, OBB_NOWHERE, "%s", j->why);
        obb_hint(b->diags, d, "`obbligato fetch` does it; so does `obbligato build`");
    }
}

static void say_waiting(void *self, const char *holder)
{
    const obb_bringing *b = self;
    if (b->observer->waiting)
        b->observer->waiting(b->observer->self, b->top, holder);
}

static bool bring(obb_bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++)
        obb_bring_find_edits(b, &b->jobs.at[i]);
    obb_bring_sweep(b);
    bool brought = obb_bring_index_files(b);
    if (b->interrupted)
        return false;
    obb_bring_archives(b);
    for (size_t i = 0; i < b->jobs.count; i++) {
        obb_bring_job *j = &b->jobs.at[i];
        if (j->unread)
            obb_bring_edits_in_the_way(b, j);
        else if (j->need != OBB_NEEDS_NOTHING && !j->failed && !b->interrupted)
            obb_bring_unpack(b, j);
        brought = brought || (j->need != OBB_NEEDS_NOTHING && !j->failed && !b->interrupted);
    }
    return brought;
}

/* Places that lie in the project are told as they are described. */
static void check_statements(obb_bringing *b)
{
    for (size_t i = 0; i < b->jobs.count; i++) {
        obb_bring_job *j = &b->jobs.at[i];
        if (!j->f->sum || !j->locked || strcmp(j->f->sum, j->locked->sum) == 0)
            continue;
        obb_diag *d = obb_bring_fail(b, j, "the stated sum of `%s` is not the recorded one",
                                     obb_bring_name(b, j));
        obb_also(b->diags, d, j->other->place, "stated is   %s", j->f->sum);
        obb_also(b->diags, d, (obb_place){OBB_LOCK_NAME, j->locked->line, 1, NULL, NULL}, "recorded is %s",
                 j->locked->sum);
        obb_hint(b->diags, d, "one of them is wrong: when it is the recorded one, remove its line");
    }
}

obb_fetch_result obb_fetch(obb_arena *arena, const obb_project *project, obb_files *files,
                           const obb_fetch_request *request, const obb_fetch_observer *observer,
                           obb_diags *diags)
{
    obb_bringing b = {.arena = arena,
                  .project = project,
                  .files = files,
                  .request = request,
                  .observer = observer,
                  .diags = diags,
                  .top = obb_path_join(arena, project->out, OBB_FETCHED_FOLDER)};
    bool brought = false;
    obb_lock held = {.fd = -1};
    obb_bring_list(&b);
    check_statements(&b);
    for (size_t i = 0; i < project->index_files.count; i++)
        if (!project->index_files.at[i].missing)
            obb_bring_check_entry(&b, &project->index_files.at[i]);
    if (obb_diags_fault(diags))
        return OBB_FETCH_NOTHING;
    if (!request->allowed) {
        tell_missing(&b);
        return OBB_FETCH_NOTHING;
    }
    if (any_needs(&b)) {
        const char *path = obb_path_join(arena, b.top, ".lock");
        int failed = obb_is_link(b.top) ? ELOOP : obb_state_mark(project->out);
        if (failed || !obb_lock_take(&held, path, say_waiting, &b)) {
            obb_error(diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "cannot write %s: %s", path,
                      strerror(failed ? failed : errno));
            return OBB_FETCH_NOTHING;
        }
        obb_bring_list(&b);
        brought = bring(&b) || !any_needs(&b);
    }
    if (!project->incomplete && !b.interrupted) /* else it is not known what all is stated */
        write_lock(&b);
    if (held.fd >= 0)
        obb_lock_release(&held);
    return b.interrupted ? OBB_FETCH_INTERRUPTED : brought ? OBB_FETCH_BROUGHT : OBB_FETCH_NOTHING;
}

bool obb_fetch_is_settled(obb_arena *arena, const obb_project *project, obb_files *files)
{
    static const obb_fetch_request request;
    obb_bringing b = {.arena = arena, .project = project, .files = files, .request = &request};
    obb_bring_list(&b);
    size_t lines = b.jobs.count;
    for (size_t i = 0; i < project->index_files.count; i++)
        lines += project->index_files.at[i].version && !project->index_files.at[i].index->ours;
    bool settled = !project->incomplete && project->lock->lines.count == lines && !any_needs(&b);
    for (size_t i = 0; settled && i < b.jobs.count; i++)
        settled = b.jobs.at[i].locked != NULL;
    return settled;
}
