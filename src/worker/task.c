/* Reading a job, laying out its files, and running its command (worker.h). */
#include <dirent.h>
#include <errno.h>
#include <fcntl.h>
#include <signal.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/resource.h>
#include <sys/select.h>
#include <sys/stat.h>
#include <sys/wait.h>
#include <time.h>
#include <unistd.h>

#include "base/below.h"
#include "base/files.h"
#include "base/json.h"
#include "base/map.h"
#include "base/own.h"
#include "base/path.h"
#include "base/system.h"
#include "worker/worker.h"

enum { LEAST_LIMIT = 60000, LIMIT_FACTOR = 20, MOST_OUTPUT = 1 << 28 };

/* --- reading ------------------------------------------------------------------------ */

static bool take_inputs(task *t, const json_t *inputs)
{
    bool ok = json_is_array(inputs);
    for (size_t i = 0; ok && i < json_array_size(inputs); i++) {
        const json_t *pair = json_array_get(inputs, i);
        const char *path = json_string_value(json_array_get(pair, 0)),
                   *sum = json_string_value(json_array_get(pair, 1));
        obb_listed_file f = {.mode = json_is_true(json_array_get(pair, 2)) ? 0555 : 0444};
        ok = path && sum && obb_is_sha256(sum);
        if (!ok)
            break;
        f.path = obb_arena_string(t->arena, path);
        ok = obb_is_plain_path(path);
        memcpy(f.sum, sum, sizeof f.sum);
        obb_arena_push(t->arena, &t->files, f);
    }
    return ok;
}

static bool take_links(task *t, json_t *links)
{
    const char *path;
    json_t *value;
    bool ok = json_is_object(links);
    json_object_foreach(links, path, value)
    {
        const char *target = json_string_value(value);
        ok = ok && target && *target && obb_is_plain_path(path);
        if (ok)
            obb_arena_push(t->arena, &t->files,
                           ((obb_listed_file){.path = obb_arena_string(t->arena, path),
                                              .target = obb_arena_string(t->arena, target)}));
    }
    return ok;
}

/* Its standard input is one of its inputs, and its standard output one of its outputs. */
static bool take_outputs(task *t, const json_t *o)
{
    obb_json_words(t->arena, json_object_get(o, "makes"), &t->makes);
    t->in = obb_json_text(t->arena, o, "stdin");
    t->out = obb_json_text(t->arena, o, "stdout");
    bool plain = true, in = !t->in, out = !t->out;
    for (size_t i = 0; i < t->makes.count; i++) {
        plain = plain && obb_is_plain_path(t->makes.at[i]) && *obb_path_name(t->makes.at[i]);
        out = out || strcmp(t->out, t->makes.at[i]) == 0;
    }
    for (size_t i = 0; i < t->files.count && !in; i++)
        in = !t->files.at[i].target && strcmp(t->files.at[i].path, t->in) == 0;
    return plain && in && out;
}

bool read_task(worker *w, const char *text, size_t length, const obb_seal *seal, task *t, const char **why)
{
    obb_text bytes = {0};
    obb_text_add(&bytes, text, length);
    bool trusted = obb_seal_holds(seal, &bytes, &w->trust);
    obb_text_free(&bytes);
    if (!trusted) {
        *why = "it is not signed by a key that is trusted";
        return false;
    }
    json_t *o = json_loadb(text, length, 0, NULL);
    const char *key = obb_json_text(t->arena, o, "key");
    t->folder = obb_json_text(t->arena, o, "folder");
    t->answers = obb_json_text(t->arena, o, "answers");
    t->toolchain = obb_json_text(t->arena, o, "toolchain");
    obb_json_words(t->arena, json_object_get(o, "words"), &t->words);
    obb_json_words(t->arena, json_object_get(o, "environment"), &t->environment);
    t->milliseconds = (uint64_t)json_integer_value(json_object_get(o, "milliseconds"));
    bool sound = key && obb_is_sha256(key) && t->folder && obb_is_plain_path(t->folder) && t->answers &&
                 obb_is_sha256(t->answers) && t->toolchain && obb_is_sha256(t->toolchain) && t->words.count;
    if (sound)
        memcpy(t->key.text, key, sizeof t->key.text);
    if (!sound || json_integer_value(json_object_get(o, "version")) != OBB_FARM_VERSION)
        *why = "it is of another version, or no job";
    else if (!take_links(t, json_object_get(o, "links")) || !take_inputs(t, json_object_get(o, "inputs")) ||
             !take_outputs(t, o))
        *why = "it names files that cannot be laid out";
    json_decref(o);
    return !*why;
}

/* --- laying out --------------------------------------------------------------------- */

const char *make_folders(const char *root, const char *path, obb_arena *arena)
{
    char *copy = obb_arena_format(arena, "%s%s", root, path);
    struct stat s;
    for (char *slash = strchr(copy + strlen(root) + 1, '/'); slash; slash = strchr(slash + 1, '/')) {
        *slash = 0;
        bool made = mkdir(copy, 0755) == 0 || (errno == EEXIST && lstat(copy, &s) == 0 && S_ISDIR(s.st_mode));
        if (!made)
            return obb_arena_format(arena, "cannot lay out %s: %s is no folder", path, copy + strlen(root));
        *slash = '/';
    }
    return NULL;
}

static bool leads_to(const char *path, const char *target)
{
    char there[4096];
    ssize_t n = readlink(path, there, sizeof there);
    return n == (ssize_t)strlen(target) && memcmp(there, target, (size_t)n) == 0;
}

static bool is_same_file(const char *a, const char *b)
{
    struct stat x, y;
    return !lstat(a, &x) && !lstat(b, &y) && x.st_ino == y.st_ino && x.st_dev == y.st_dev;
}

/* One file or link. `made`: those that were not there before. */
static const char *lay_out_one(worker *w, obb_arena *arena, const char *root, const obb_listed_file *f,
                               obb_file_listing *made)
{
    const char *at = obb_arena_format(arena, "%s%s", root, f->path),
               *why = make_folders(root, f->path, arena);
    const char *blob = why || f->target ? NULL : have_blob(w, arena, f, &why);
    if (why)
        return why;
    if ((f->target ? symlink(f->target, at) : link(blob, at)) == 0) {
        if (made)
            obb_arena_push(arena, made, *f);
        return NULL;
    }
    int failed = errno;
    bool same = failed == EEXIST && (f->target ? leads_to(at, f->target) : is_same_file(at, blob));
    return same ? NULL : obb_arena_format(arena, "cannot lay out %s: %s", f->path, strerror(failed));
}

/* Hard links to the cache, which the command sees read-only. Links of the toolchain come first: what lies
 * behind them is named by its real path. */
static const char *lay_out(worker *w, obb_arena *arena, const char *root, const obb_file_listing *files,
                           obb_file_listing *made)
{
    const char *why = NULL;
    for (int links = 1; links >= 0 && !why; links--)
        for (size_t i = 0; i < files->count && !why; i++)
            if (!files->at[i].target == !links)
                why = lay_out_one(w, arena, root, &files->at[i], made);
    return why;
}

static const char *toolchain_files(worker *w, task *t, obb_file_listing *list)
{
    obb_listed_file f = {.mode = 0444};
    const char *why;
    obb_text text = {0};
    memcpy(f.sum, t->toolchain, sizeof f.sum);
    const char *path = have_blob(w, t->arena, &f, &why);
    if (path &&
        (obb_file_read(path, &text) || !obb_listing_read(t->arena, obb_text_bytes(&text), text.length, list)))
        why = "the list of the compiler's files is damaged";
    obb_text_free(&text);
    return why;
}

/* --- running ------------------------------------------------------------------------ */

/* Of this machine; the rest of /dev is not in sight. Compilers need the first two; each takes bubblewrap a
 * fifth of a millisecond. */
static const char *const devices[] = {"/dev/null", "/dev/urandom", "/dev/zero", "/dev/full", "/dev/random"};
enum { DEVICES = sizeof devices / sizeof *devices, DEVICES_OF_COMPILES = 2 };

static obb_words command_of(const task *t, const char *root, const char *output, const open_folders *open)
{
    obb_words words = {0};
    const char *const before[] = {"bwrap",
                                  "--unshare-all",
                                  "--die-with-parent",
                                  "--new-session",
                                  "--ro-bind",
                                  root,
                                  "/",
                                  "--proc",
                                  "/proc",
                                  "--bind",
                                  output,
                                  OBB_FARM_OUTPUT_FOLDER,
                                  "--clearenv",
                                  "--setenv",
                                  "TMPDIR",
                                  OBB_FARM_OUTPUT_FOLDER,
                                  "--chdir",
                                  t->folder};
    for (size_t i = 0; i < sizeof before / sizeof *before; i++)
        obb_arena_push(t->arena, &words, before[i]);
    const size_t bound = t->makes.count ? DEVICES : DEVICES_OF_COMPILES;
    for (size_t i = 0; i < bound; i++) { /* not all of /dev: projects may lie in /dev/shm */
        obb_arena_push(t->arena, &words, "--dev-bind");
        obb_arena_push(t->arena, &words, devices[i]);
        obb_arena_push(t->arena, &words, devices[i]);
    }
    for (size_t i = 0; i < open->count; i++) {
        obb_arena_push(t->arena, &words, "--bind");
        obb_arena_push(t->arena, &words, open->at[i].here);
        obb_arena_push(t->arena, &words, open->at[i].there);
    }
    for (size_t i = 0; i < t->environment.count; i++) {
        const char *said = t->environment.at[i], *value = strchr(said, '=');
        if (!value || value == said)
            continue;
        obb_arena_push(t->arena, &words, "--setenv");
        obb_arena_push(t->arena, &words, obb_arena_copy(t->arena, said, (size_t)(value - said)));
        obb_arena_push(t->arena, &words, value + 1);
    }
    obb_arena_push(t->arena, &words, "--");
    for (size_t i = 0; i < t->words.count; i++)
        obb_arena_push(t->arena, &words, t->words.at[i]);
    obb_arena_push(t->arena, &words, NULL);
    return words;
}

static pid_t begin(const obb_words *words, const streams *s, const sigset_t *while_waiting)
{
    pid_t child = fork();
    if (child)
        return child;
    sigprocmask(SIG_SETMASK, while_waiting, NULL);
    const struct rlimit files = {MOST_OUTPUT, MOST_OUTPUT};
    int in = open(s->in, O_RDONLY), err = open(s->err, O_WRONLY | O_CREAT | O_TRUNC, 0600);
    int out = s->out ? open(s->out, O_WRONLY | O_CREAT | O_TRUNC, 0644) : err;
    setpgid(0, 0);
    setrlimit(RLIMIT_FSIZE, &files);
    if (in >= 0 && out >= 0 && dup2(in, 0) == 0 && err >= 0 && dup2(out, 1) == 1 && dup2(err, 2) == 2)
        execvp(words->at[0], (char **)(uintptr_t)words->at);
    _exit(127);
}

static uint64_t now_ms(void)
{
    struct timespec t;
    clock_gettime(CLOCK_MONOTONIC, &t);
    return (uint64_t)t.tv_sec * 1000 + (uint64_t)t.tv_nsec / 1000000;
}

static void wake(int number)
{
    (void)number; /* it ends pselect */
}

/* SIGCHLD comes while it is waited for, and at no other time. */
static void expect_ends(sigset_t *while_waiting)
{
    const struct sigaction action = {.sa_handler = wake};
    sigset_t ends;
    sigaction(SIGCHLD, &action, NULL);
    sigemptyset(&ends);
    sigaddset(&ends, SIGCHLD);
    sigprocmask(SIG_BLOCK, &ends, while_waiting);
    sigdelset(while_waiting, SIGCHLD);
}

/* Its status, or -1 when it took longer than the limit or the worker ends. */
static int wait_for(worker *w, pid_t child, const sigset_t *while_waiting, uint64_t limit, obb_cost *cost)
{
    const struct timespec tick = {.tv_sec = 5};
    uint64_t began = now_ms();
    int status = 0;
    pid_t ended;
    while ((ended = obb_ended_child(child, &status, &cost->memory)) == 0 && now_ms() - began < limit &&
           !worker_ends())
        if (pselect(0, NULL, NULL, NULL, &tick, while_waiting) == 0)
            keep_entry(w);
    cost->milliseconds = now_ms() - began;
    if (ended == child)
        return WIFEXITED(status) ? WEXITSTATUS(status) : 128 + WTERMSIG(status);
    kill(-child, SIGKILL);
    waitpid(child, &status, 0);
    return -1;
}

static int remove_tree(const char *path)
{
    int failed = obb_below_remove_all(path, NULL);
    return !failed && rmdir(path) && errno != ENOENT ? errno : failed;
}

static const char *run(worker *w, task *t, const char *place, obb_object_cache_item *item)
{
    const char *root = obb_arena_format(t->arena, "%s/root", place),
               *output = obb_arena_format(t->arena, "%s/output", place),
               *printed = obb_arena_format(t->arena, "%s/printed", place);
    uint64_t limit = t->milliseconds * LIMIT_FACTOR > LEAST_LIMIT ? t->milliseconds * LIMIT_FACTOR
                                                                  : LEAST_LIMIT;
    open_folders open = {0};
    const char *why = open_outputs(t, root, output, &open);
    if (why)
        return why;
    const obb_words words = command_of(t, root, output, &open);
    const streams ends = {t->in ? obb_arena_format(t->arena, "%s%s", root, t->in) : "/dev/null",
                          t->out ? where_output_lies(t, &open, t->out) : NULL, printed};
    sigset_t while_waiting;
    expect_ends(&while_waiting);
    pid_t child = begin(&words, &ends, &while_waiting);
    if (child < 0)
        return strerror(errno);
    int status = wait_for(w, child, &while_waiting, limit, &item->cost);
    if (status < 0)
        return worker_ends() ? "the worker was ended" : "it took too long";
    obb_file_read(printed, &item->printed);
    if (status)
        return obb_arena_format(t->arena, "its command failed with exit status %d: %.400s", status,
                                obb_text_bytes(&item->printed));
    if (t->makes.count)
        return pack_outputs(t, &open, &item->bytes);
    int failed = obb_file_read(obb_arena_format(t->arena, "%s/object", output), &item->bytes);
    return failed ? obb_arena_format(t->arena, "its command made nothing: %s", strerror(failed)) : NULL;
}

/* The folder of the slot, with the files of a toolchain. It stays for the next job: most have the same. */
static const char *lay_out_toolchain(worker *w, task *t, const char *place, const char *root)
{
    static const char *const folders[] = {"/dev/", "/proc/", OBB_FARM_OUTPUT_FOLDER "/"};
    obb_file_listing files = {0};
    if (strcmp(w->laid, t->toolchain) == 0)
        return NULL;
    w->laid[0] = 0;
    w->inputs.count = 0;
    int standing = remove_tree(place);
    const char *why = standing ? obb_arena_format(t->arena, "cannot remove %s: %s", place, strerror(standing))
                               : toolchain_files(w, t, &files);
    if (!why && (obb_own_make(root) || obb_own_make(obb_arena_format(t->arena, "%s/output", place))))
        why = obb_arena_format(t->arena, "cannot make %s: %s", place, strerror(errno));
    for (size_t i = 0; i < sizeof folders / sizeof *folders && !why; i++)
        why = make_folders(root, folders[i], t->arena);
    for (size_t i = 0; i < DEVICES && !why; i++) /* what they are bound to */
        if (obb_file_replace(obb_arena_format(t->arena, "%s%s", root, devices[i]), "", 0, 0600))
            why = obb_arena_format(t->arena, "cannot make %s%s: %s", root, devices[i], strerror(errno));
    if (!why)
        why = lay_out(w, t->arena, root, &files, NULL);
    if (!why)
        memcpy(w->laid, t->toolchain, sizeof w->laid);
    return why;
}

/* The folder stays: a new one for each job takes a file system longer than all else here. */
static void empty_output(worker *w, const char *place)
{
    char path[8192];
    if (snprintf(path, sizeof path, "%s/output", place) >= (int)sizeof path || chmod(path, 0700) ||
        obb_below_remove_all(path, NULL))
        w->laid[0] = 0;
}

static bool is_the_same(const obb_listed_file *a, const obb_listed_file *b)
{
    if (!a->target != !b->target)
        return false;
    return a->target ? strcmp(a->target, b->target) == 0 : strcmp(a->sum, b->sum) == 0 && a->mode == b->mode;
}

/* Nothing of one job is in sight of the next one but what both have: that stays. `missing`: what this one has
 * besides. NULL, or why something is still there. */
static const char *take_away_others(worker *w, const task *t, const char *root, obb_file_listing *missing)
{
    obb_map wanted = {0};
    obb_file_listing staying = {0};
    const char *why = NULL;
    bool *stands = obb_arena_alloc(t->arena, t->files.count + 1);
    for (size_t i = 0; i < t->files.count; i++)
        obb_map_put(&wanted, t->files.at[i].path, (void *)(uintptr_t)&t->files.at[i]);
    for (size_t i = 0; i < w->inputs.count; i++) {
        const obb_listed_file *f = &w->inputs.at[i], *now = obb_map_get(&wanted, f->path);
        if (now && is_the_same(f, now)) {
            stands[now - t->files.at] = true;
            obb_arena_push(t->arena, &staying, *now);
        } else if (unlink(obb_arena_format(t->arena, "%s%s", root, f->path))) {
            why = obb_arena_format(t->arena, "cannot take away %s: %s", f->path, strerror(errno));
        }
    }
    for (size_t i = 0; i < t->files.count; i++)
        if (!stands[i])
            obb_arena_push(t->arena, missing, t->files.at[i]);
    w->inputs = staying; /* until they are listed for the next job */
    obb_map_free(&wanted);
    return why;
}

/* What stands there now, in memory that outlives the job. */
static void list_inputs(worker *w, const obb_file_listing *made)
{
    obb_arena *arena = obb_arena_new();
    obb_file_listing all = {0};
    const obb_file_listing *const parts[] = {&w->inputs, made};
    for (size_t k = 0; k < 2; k++)
        for (size_t i = 0; i < parts[k]->count; i++) {
            obb_listed_file f = parts[k]->at[i];
            f.path = obb_arena_string(arena, f.path);
            f.target = f.target ? obb_arena_string(arena, f.target) : NULL;
            obb_arena_push(arena, &all, f);
        }
    if (w->inputs_arena)
        obb_arena_free(w->inputs_arena);
    w->inputs_arena = arena;
    w->inputs = all;
}

static const char *lay_out_job(worker *w, task *t, const char *place, const char *root)
{
    obb_file_listing missing = {0}, made = {0};
    const char *why = lay_out_toolchain(w, t, place, root);
    if (!why)
        why = make_folders(root, obb_arena_format(t->arena, "%s/", t->folder), t->arena);
    if (!why)
        why = take_away_others(w, t, root, &missing);
    if (!why)
        why = lay_out(w, t->arena, root, &missing, &made);
    list_inputs(w, &made);
    return why;
}

const char *do_task(worker *w, task *t, obb_object_cache_item *item)
{
    const char *place = obb_arena_format(t->arena, "%s/slots/%ld", w->cache, (long)getpid()),
               *root = obb_arena_format(t->arena, "%s/root", place);
    const bool others_were_there = w->laid[0] != 0;
    const char *why = lay_out_job(w, t, place, root);
    if (why && others_were_there) { /* their folders may be in the way: once more, from nothing */
        w->laid[0] = 0;
        why = lay_out_job(w, t, place, root);
    }
    if (!why)
        why = run(w, t, place, item);
    empty_output(w, place);
    return why;
}

void forget_place(const worker *w, pid_t slot)
{
    char place[8192];
    if (snprintf(place, sizeof place, "%s/slots/%ld", w->cache, (long)slot) < (int)sizeof place)
        remove_tree(place);
}

void forget_dead_places(const worker *w)
{
    char folder[8192];
    if (snprintf(folder, sizeof folder, "%s/slots", w->cache) >= (int)sizeof folder)
        return;
    DIR *d = opendir(folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        long slot = strtol(e->d_name, NULL, 10);
        if (slot > 0 && kill((pid_t)slot, 0) && errno == ESRCH)
            forget_place(w, (pid_t)slot);
    }
    if (d)
        closedir(d);
}
