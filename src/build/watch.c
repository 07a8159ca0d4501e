/* Building after each change that the file system reports (build/watch.h). Between builds nothing is looked
 * at; the snapshot is open already, so that a notice leads to the actions it reaches without comparing all
 * files. A notice that the snapshot does not explain starts an ordinary build. */
#include "build/watch.h"

#include <string.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"

/* Notices of one change come in a burst: a build begins when none has come for this long. */
enum { QUIET_MS = 10, MOST_NOTICES = 200 };

typedef struct watcher watcher;

typedef struct folder_watch {
    watcher *watcher;
    const char *path;
    uint64_t inode;   /* tells a folder that was removed and made again */
    bool of_link;     /* what lies in it is read under other names */
    uv_fs_event_t event;
} folder_watch;

struct watcher {
    obb_workspace *first; /* its arena holds what stays from build to build */
    const obb_watch_observer *observer;
    obb_arena *arena; /* from the end of one build to the end of the next */
    uv_loop_t loop;
    uv_timer_t quiet;
    obb_map folders;  /* folder_watch by path */
    obb_map noticed;  /* paths since the last build */
    int64_t first_notice;
    bool lost;        /* some notices were lost */
    obb_snapshot *ready; /* what the last build kept; or NULL */
    bool failed;      /* the last build did: then what is kept is older than that */
    obb_map looked;   /* then, the paths that it looked at */
};

static void quiet_now(uv_timer_t *timer)
{
    uv_stop(timer->loop);
}

/* Links may lead there by a whole path. */
static bool of_output(const watcher *w, const char *path)
{
    path = obb_path_below(w->arena, w->first->root, path);
    return strcmp(path, w->first->out) == 0 || obb_path_is_output(path, w->first->out);
}

/* Whether the last build looked at a path. */
static bool known(watcher *w, const char *path)
{
    obb_file kept;
    return (w->ready && obb_snapshot_knows(w->ready, path, &kept)) || obb_map_get(&w->looked, path);
}

/* Whether it may matter that a name which nothing looked at appears in a folder. */
static bool names_matter(watcher *w, const char *folder)
{
    if (w->failed || !w->ready)
        return !obb_path_outside(folder);
    return obb_snapshot_counts_names(w->ready, folder);
}

/* Writing to a file that nothing reads does not matter; its appearance may. */
static void notice(uv_fs_event_t *event, const char *name, int events, int status)
{
    folder_watch *f = event->data;
    watcher *w = f->watcher;
    const char *path = name ? obb_path_join(w->arena, f->path, name) : f->path;
    bool failed = status < 0 || !name || f->of_link; /* the names under which it is read must be looked up */
    bool matters = known(w, path) || (events & UV_RENAME && names_matter(w, f->path));
    if (!failed && (of_output(w, path) || !matters))
        return;
    w->lost = w->lost || failed;
    if (!w->noticed.count)
        w->first_notice = obb_now();
    if (w->noticed.count >= MOST_NOTICES)
        w->lost = true;
    else
        obb_map_put(&w->noticed, path, w);
    uv_timer_start(&w->quiet, quiet_now, QUIET_MS, 0);
}

static void watch_folder(watcher *w, const char *path, bool of_link)
{
    obb_stamp there;
    folder_watch *f = obb_map_get(&w->folders, path);
    if (of_output(w, path) || !obb_stamp_of(path, &there) || there.kind != OBB_KIND_FOLDER ||
        (f && f->inode == there.inode))
        return;
    if (f)
        uv_close((uv_handle_t *)&f->event, NULL);
    const char *kept = f ? f->path : obb_arena_string(w->first->arena, path);
    f = obb_arena_alloc(w->first->arena, sizeof *f);
    *f = (folder_watch){.watcher = w, .path = kept, .inode = there.inode, .of_link = of_link};
    uv_fs_event_init(&w->loop, &f->event);
    f->event.data = f;
    obb_map_put(&w->folders, kept, f);
    uv_fs_event_start(&f->event, notice, kept, 0);
}

/* Remembers what a failed build looked at, since no snapshot does. */
static void note_looked(watcher *w, const obb_workspace *turn)
{
    for (obb_file f = 0; f < obb_files_count(turn->files); f++) {
        const char *path = obb_files_path(turn->files, f);
        if (obb_files_cached_stat(turn->files, f).looked && !obb_path_outside(path))
            obb_map_put(&w->looked, obb_arena_string(w->arena, path), w);
    }
}

/* The folders of all that the last build looked at. */
static void watch_folders(watcher *w)
{
    obb_words folders = {0};
    if (w->ready)
        obb_snapshot_folders(w->ready, w->arena, &folders);
    for (size_t i = 0; i < w->looked.count; i++)
        obb_arena_push(w->arena, &folders, obb_path_folder(w->arena, w->looked.at[i].key));
    watch_folder(w, ".", false);
    for (size_t i = 0; i < folders.count; i++)
        watch_folder(w, folders.at[i], false);
    folders.count = 0;
    if (w->ready)
        obb_snapshot_link_folders(w->ready, w->arena, &folders);
    for (size_t i = 0; i < folders.count; i++)
        watch_folder(w, folders.at[i], true);
}

/* Waits for a change. False when there can be none. */
static bool wait_for_change(watcher *w)
{
    const obb_watch_observer *o = w->observer;
    o->waiting(o->self, w->folders.count);
    while (!w->noticed.count && uv_run(&w->loop, UV_RUN_DEFAULT))
        ;
    return w->noticed.count;
}

/* The snapshot's files among those that were noticed; false when one is not in the snapshot and exists: then
 * its meaning is unknown. The same holds after a failure. */
static bool explain(watcher *w, obb_file_list *changed)
{
    bool all = w->ready && !w->lost && !w->failed;
    for (size_t i = 0; all && i < w->noticed.count; i++) {
        obb_file kept;
        const char *path = w->noticed.at[i].key;
        if (obb_snapshot_knows(w->ready, path, &kept) && obb_snapshot_is_text(w->ready, kept))
            obb_arena_push(w->arena, changed, kept);
        else
            all = access(path, F_OK) != 0;
    }
    return all;
}

/* A file that is gone and never mattered was an editor's temporary one. */
static void tell_changes(watcher *w)
{
    obb_words paths = {0};
    for (size_t i = 0; i < w->noticed.count; i++) {
        const char *path = w->noticed.at[i].key;
        if (access(path, F_OK) == 0 || known(w, path))
            obb_arena_push(w->arena, &paths, path);
    }
    w->observer->changed(w->observer->self, &paths);
}

/* After a build: prepares what the next notice will need. */
static void get_ready(watcher *w, obb_workspace *turn)
{
    size_t length;
    obb_snapshot_close(w->ready);
    w->ready = obb_build_snapshot(turn);
    if (w->ready) { /* it takes long in a large project, the first time */
        const void *plan = obb_snapshot_plan(w->ready, &length);
        obb_snapshot_vouches(w->ready, plan, length);
    }
    if (w->failed || !w->ready)
        note_looked(w, turn);
    watch_folders(w);
}

static void forget_turn(watcher *w)
{
    obb_map_free(&w->noticed);
    obb_map_free(&w->looked);
    obb_arena_free(w->arena);
    w->arena = obb_arena_new();
    w->lost = false;
}

/* One build, in a workspace of its own. */
static int take_turn(watcher *w, bool first)
{
    const obb_watch_observer *o = w->observer;
    obb_file_list changed = {0};
    bool explained = !first && explain(w, &changed);
    if (explained && !changed.count) { /* an editor's temporary file */
        obb_map_free(&w->noticed);
        return 0;
    }
    obb_workspace *turn = obb_workspace_again(w->first);
    obb_build_outcome outcome;
    turn->noticed = first ? 0 : w->first_notice;
    if (!first)
        tell_changes(w);
    o->begins(o->self, turn);
    int code = explained ? obb_build_changed(turn, w->ready, &changed, &outcome) : obb_build(turn, &outcome);
    o->ended(o->self, turn, &outcome, code);
    w->failed = code != 0;
    forget_turn(w);
    get_ready(w, turn);
    obb_workspace_free(turn);
    return code;
}

static void close_watch(uv_handle_t *handle, void *self)
{
    (void)self;
    if (!uv_is_closing(handle))
        uv_close(handle, NULL);
}

int obb_watch(obb_workspace *first, const obb_watch_observer *observer)
{
    watcher w = {.first = first, .observer = observer, .arena = obb_arena_new()};
    int failed = uv_loop_init(&w.loop);
    if (failed) {
        obb_arena_free(w.arena);
        return obb_workspace_fail(first, OBB_FAULT_OUTSIDE, "nothing can be watched: %s", uv_strerror(failed),
                                  "`ulimit -n` tells how many files a process may have open");
    }
    uv_timer_init(&w.loop, &w.quiet);
    int code = take_turn(&w, true);
    while (code != OBB_BUILD_INTERRUPTED && wait_for_change(&w))
        code = take_turn(&w, false);
    uv_walk(&w.loop, close_watch, NULL);
    uv_run(&w.loop, UV_RUN_DEFAULT);
    uv_loop_close(&w.loop);
    obb_map_free(&w.folders);
    obb_map_free(&w.noticed);
    obb_map_free(&w.looked);
    obb_snapshot_close(w.ready);
    obb_arena_free(w.arena);
    return code;
}
