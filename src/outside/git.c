/* Running `git` (git.h).
 *
 * A repository is kept as a bare one below the cache, one for each URL, with all branches and tags of the
 * other side under refs/from; nothing is ever checked out from it by name, only by commit. Submodules are
 * brought by this module itself, commit by commit, so that their URLs and places are checked like everything
 * else. */
#include "outside/git.h"

#include <errno.h>
#include <fcntl.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/below.h"
#include "base/commands.h"
#include "base/path.h"
#include "base/process.h"
#include "base/sha256.h"
#include "base/system.h"

extern char **environ;

/* --- the program -------------------------------------------------------------------- */

static bool leads_elsewhere(const char *variable)
{
    static const char *const names[] = {"GIT_DIR=",
                                        "GIT_WORK_TREE=",
                                        "GIT_INDEX_FILE=",
                                        "GIT_OBJECT_DIRECTORY=",
                                        "GIT_ALTERNATE_OBJECT_DIRECTORIES=",
                                        "GIT_NAMESPACE=",
                                        "GIT_COMMON_DIR=",
                                        "GIT_PREFIX=",
                                        "GIT_EXTERNAL_DIFF=",
                                        "GIT_DIFF_OPTS=",
                                        "GIT_CEILING_DIRECTORIES="};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (obb_starts(variable, names[i]))
            return true;
    return false;
}

/* For what needs no repository: a `.git` that lies among files of others may name programs to run. */
static const char no_repository[] = "GIT_DIR=/dev/null";

/* Runs it with these words in a folder, with one more variable (NULL: none). */
static obb_answer run_git(obb_arena *arena, const char *folder, const char *const *words,
                          const char *variable)
{
    static const char *const fixed[] = {"git",
                                        "-c",
                                        "core.autocrlf=false",
                                        "-c",
                                        "core.eol=lf",
                                        "-c",
                                        "core.hooksPath=/dev/null",
                                        "-c",
                                        "core.fsmonitor=false",
                                        "-c",
                                        "core.attributesFile=/dev/null",
                                        "-c",
                                        "protocol.ext.allow=never",
                                        "-c",
                                        "advice.detachedHead=false"};
    obb_words argv = {0}, variables = {0};
    char here[4096];
    OBB_VEC(char *) kept = {0};
    for (size_t i = 0; i < sizeof fixed / sizeof *fixed; i++)
        obb_arena_push(arena, &argv, fixed[i]);
    for (; *words; words++)
        obb_arena_push(arena, &argv, *words);
    obb_arena_push(arena, &argv, NULL);
    for (char **v = environ; *v; v++)
        if (!leads_elsewhere(*v))
            obb_arena_push(arena, &kept, *v);
    obb_arena_push(arena, &kept, NULL);
    const char *top = obb_path_join(arena, getcwd(here, sizeof here) ? here : "/", folder);
    obb_arena_push(arena, &variables, "LC_ALL=C");
    obb_arena_push(arena, &variables, "GIT_ATTR_NOSYSTEM=1"); /* files are the same on all machines */
    obb_arena_push(arena, &variables, "GIT_TERMINAL_PROMPT=0");
    obb_arena_push(arena, &variables,
                   obb_arena_format(arena, "GIT_CEILING_DIRECTORIES=%s", obb_path_folder(arena, top)));
    if (variable)
        obb_arena_push(arena, &variables, variable);
    char **environment = obb_environment_with(kept.at, variables.at, variables.count);
    obb_answer answer = obb_ask_in(argv.at, "", &(obb_asked_in){folder, environment});
    free(environment);
    return answer;
}

/* The first line of what it complained of that says something; NULL: it went well. */
static const char *complaint(obb_arena *arena, const obb_answer *a)
{
    const char *said = obb_text_bytes(&a->err), *line;
    if (a->failed)
        return a->failed == ENOENT ? "`git` is not installed, or not in a folder that PATH names"
                                   : obb_arena_format(arena, "cannot run `git`: %s", strerror(a->failed));
    if (!a->status)
        return NULL;
    line = strstr(said, "fatal: ");
    line = line ? line + strlen("fatal: ") : said;
    if (!*line)
        return obb_arena_format(arena, "`git` ended with status %d", a->status);
    return obb_arena_copy(arena, line, strcspn(line, "\n"));
}

/* --- patches ------------------------------------------------------------------------ */

/* Whether a patch's line "+++ NAME" or "--- NAME" names the file; a time may follow the name. */
static bool names_file(const char *line, const char *file)
{
    const char *name = line + 4;
    size_t n = strcspn(name, "\t\n"), m = strlen(file);
    return n >= m && strncmp(name + n - m, file, m) == 0 && (n == m || name[n - m - 1] == '/');
}

/* Which part of its file a patch's line is of: the number of the part that begins there. */
static size_t part_at(const char *patch, const char *file, unsigned long line)
{
    obb_text text = {0};
    size_t part = 0, found = 0;
    bool of_file = false;
    if (obb_file_read(patch, &text))
        return 0;
    for (const char *at = obb_text_bytes(&text); *at && !found; at += strcspn(at, "\n"), at += *at == '\n') {
        if (obb_starts(at, "--- ") || obb_starts(at, "+++ ")) { /* one of them may be /dev/null */
            of_file = (*at == '+' && of_file) || names_file(at, file);
            part = 0;
        } else if (of_file && obb_starts(at, "@@ -")) {
            part++;
            found = strtoul(at + 4, NULL, 10) == line ? part : 0;
        }
    }
    obb_text_free(&text);
    return found;
}

/* What `git apply` says, in our words: "error: patch failed: FILE:LINE", "error: FILE: No such file or
 * directory", "error: corrupt patch at line N". */
static const char *why_not_applied(obb_arena *arena, const char *patch, const obb_answer *a)
{
    static const char failed[] = "error: patch failed: ", error[] = "error: ";
    const char *said = obb_text_bytes(&a->err), *at = strstr(said, failed);
    if (a->failed)
        return complaint(arena, a);
    if (at) {
        const char *name = at + sizeof failed - 1;
        const char *line = obb_arena_copy(arena, name, strcspn(name, "\n")), *colon = strrchr(line, ':');
        if (colon) {
            const char *file = obb_arena_copy(arena, line, (size_t)(colon - line));
            unsigned long number = strtoul(colon + 1, NULL, 10);
            size_t part = part_at(patch, file, number);
            return part ? obb_arena_format(arena,
                                           "part %zu of its changes to %s (line %lu) does not fit that file",
                                           part, file, number)
                        : obb_arena_format(arena, "its changes to %s at line %lu do not fit that file", file,
                                           number);
        }
    }
    at = strstr(said, error);
    at = at ? at + sizeof error - 1 : said;
    return *at ? obb_arena_copy(arena, at, strcspn(at, "\n")) : "it holds no changes";
}

const char *obb_apply_patch(obb_arena *arena, const char *folder, const char *patch)
{
    static const char *const levels[] = {"-p1", "-p0"}; /* with a/ and b/ before the names, or without */
    char here[4096];
    const char *whole = obb_path_join(arena, getcwd(here, sizeof here) ? here : "/", patch), *why = NULL;
    for (size_t i = 0; i < 2; i++) {
        const char *const words[] = {"apply", levels[i], "--whitespace=nowarn", "--", whole, NULL};
        obb_answer a = run_git(arena, folder, words, no_repository);
        bool done = !a.failed && !a.status;
        const char *reason = done ? NULL : why_not_applied(arena, patch, &a);
        bool other_level = !done && i == 0 && !a.failed && strstr(obb_text_bytes(&a.err), "No such file");
        obb_answer_free(&a);
        if (done)
            return NULL;
        why = why ? why : reason;
        if (!other_level)
            break;
    }
    return why;
}

const char *obb_make_patch(obb_arena *arena, const char *folder, obb_text *diff)
{
    static const char *const words[] = {"diff",
                                        "--no-index",
                                        "--no-color",
                                        "--no-ext-diff",
                                        "--no-textconv",
                                        "--no-renames",
                                        "--no-prefix",
                                        "--binary",
                                        "--",
                                        "a",
                                        "b",
                                        NULL};
    obb_answer a = run_git(arena, folder, words, no_repository);
    const char *why = a.status > 1 || a.failed ? complaint(arena, &a) : NULL;
    if (!why)
        obb_text_add(diff, obb_text_bytes(&a.out), a.out.length);
    obb_answer_free(&a);
    return why;
}

/* --- repositories ------------------------------------------------------------------- */

/* Runs it on a bare repository; what it printed, without the last newline, is put in *out (or NULL). NULL, or
 * why not.
 */
static const char *on_repository(obb_arena *arena, const char *repository, const char *const *words,
                                 const char **out)
{
    obb_words all = {0};
    obb_arena_push(arena, &all, "--git-dir=.");
    for (; *words; words++)
        obb_arena_push(arena, &all, *words);
    obb_arena_push(arena, &all, NULL);
    obb_answer a = run_git(arena, repository, all.at, NULL);
    const char *why = complaint(arena, &a);
    if (!why && out) {
        size_t n = a.out.length;
        n -= n && a.out.bytes[n - 1] == '\n';
        *out = obb_arena_copy(arena, obb_text_bytes(&a.out), n);
    }
    obb_answer_free(&a);
    return why;
}

static bool is_commit(const char *word)
{
    size_t n = strspn(word, "0123456789abcdef");
    return (n == 40 || n == 64) && !word[n];
}

/* The commit of a revision in the repository, as far as it is there: a commit itself, a tag, or a branch. */
static const char *find_commit(obb_arena *arena, const char *repository, const char *revision)
{
    const char *const names[] = {revision, obb_arena_format(arena, "refs/from/tags/%s", revision),
                                 obb_arena_format(arena, "refs/from/heads/%s", revision)};
    for (size_t i = strspn(revision, "0123456789abcdef") == strlen(revision) && strlen(revision) >= 7 ? 0 : 1;
         i < 3; i++) {
        const char *const words[] = {"rev-parse",
                                     "--verify",
                                     "--quiet",
                                     "--end-of-options",
                                     obb_arena_format(arena, "%s^{commit}", names[i]),
                                     NULL};
        const char *commit = NULL;
        if (!on_repository(arena, repository, words, &commit) && is_commit(commit))
            return commit;
    }
    return NULL;
}

/* All branches and tags; or one commit alone, which servers may refuse. */
static const char *fetch(obb_arena *arena, const char *repository, const obb_revision *r)
{
    const char *const all[] = {"fetch",
                               "--quiet",
                               "--force",
                               "--no-tags",
                               "--no-write-fetch-head",
                               "--",
                               r->url,
                               "+refs/heads/*:refs/from/heads/*",
                               "+refs/tags/*:refs/from/tags/*",
                               NULL};
    const char *why = on_repository(arena, repository, all, NULL);
    const char *commit = r->commit ? r->commit : r->revision;
    if (!why && is_commit(commit) && !find_commit(arena, repository, commit)) {
        const char *const one[] = {"fetch", "--quiet", "--no-tags", "--", r->url, commit, NULL};
        on_repository(arena, repository, one, NULL);
    }
    return why;
}

static const char *check_out(obb_arena *arena, const char *cache, const obb_revision *r, const char *folder,
                             const char **found, int depth);

/* The URL of a submodule: it may be seen from that of the repository (gitmodules(5)). */
static const char *url_of_module(obb_arena *arena, const char *url, const char *stated)
{
    if (!obb_starts(stated, "./") && !obb_starts(stated, "../"))
        return stated;
    const char *path = strstr(url, "://");
    size_t host = path ? (size_t)(path - url) + 3 : 0;
    host += host ? strcspn(url + host, "/") : 0;
    return obb_arena_format(arena, "%.*s%s", (int)host, url, obb_path_join(arena, url + host, stated));
}

/* One line of `ls-tree`: "160000 commit HASH<tab>PATH". */
static const char *bring_module(obb_arena *arena, const char *cache, const obb_revision *r,
                                const char *folder, const char *line, int depth)
{
    const char *tab = strchr(line, '\t'), *commit = line + strlen("160000 commit "), *url = NULL, *ignored;
    const char *path = tab ? tab + 1 : "", *modules = obb_path_join(arena, folder, ".gitmodules");
    const char *const names[] =
        {"config", "-f", ".gitmodules", "--get-regexp", "^submodule\\..*\\.(path|url)$", NULL};
    if (access(modules, R_OK))
        return obb_arena_format(arena, "the submodule %s is not named in .gitmodules", path);
    obb_answer a = run_git(arena, folder, names, no_repository);
    const char *text = obb_arena_string(arena, obb_text_bytes(&a.out)), *name = NULL;
    obb_answer_free(&a);
    for (int pass = 0; pass < 2; pass++)
        for (const char *at = text; *at; at += strcspn(at, "\n"), at += *at == '\n') {
            const char *one = obb_arena_copy(arena, at, strcspn(at, "\n")), *value = strchr(one, ' ');
            const char *key = value ? obb_arena_copy(arena, one, (size_t)(value - one)) : one;
            if (!pass && value && strcmp(value + 1, path) == 0 && strlen(key) > 5 &&
                strcmp(key + strlen(key) - 5, ".path") == 0)
                name = obb_arena_copy(arena, key, strlen(key) - 5);
            else if (pass && name && value && strcmp(key, obb_arena_format(arena, "%s.url", name)) == 0)
                url = value + 1;
        }
    if (!url)
        return obb_arena_format(arena, "the submodule %s is not named in .gitmodules", path);
    url = url_of_module(arena, r->url, url);
    if (!obb_starts(url, "https://") && !obb_starts(url, "http://") && !obb_starts(url, "ssh://") &&
        !obb_starts(url, "git://") && !(obb_starts(url, "file://") && obb_starts(r->url, "file://")))
        return obb_arena_format(arena, "the submodule %s comes from `%s`, which is not a URL that is fetched",
                                path, url);
    const obb_revision module = {.url = url,
                                 .commit = obb_arena_copy(arena, commit, strcspn(commit, "\t")),
                                 .revision = obb_arena_copy(arena, commit, strcspn(commit, "\t")),
                                 .offline = r->offline};
    const char *into = obb_path_join(arena, folder, path);
    if (obb_path_outside(path) || obb_below_make_folders(folder, obb_path_join(arena, into, "x")))
        return obb_arena_format(arena, "the submodule %s has no folder", path);
    const char *why = check_out(arena, cache, &module, into, &ignored, depth + 1);
    return why ? obb_arena_format(arena, "submodule %s: %s", path, why) : NULL;
}

/* The files of a commit, and then its submodules. */
static const char *write_files(obb_arena *arena, const char *repository, const char *commit,
                               const char *folder)
{
    const char *index = obb_arena_format(arena, "%s.index", folder);
    const char *const words[] = {obb_arena_format(arena, "--git-dir=%s", repository),
                                 obb_arena_format(arena, "--work-tree=%s", folder),
                                 "checkout",
                                 "--quiet",
                                 "--force",
                                 commit,
                                 "--",
                                 ".",
                                 NULL};
    obb_answer a = run_git(arena, folder, words, obb_arena_format(arena, "GIT_INDEX_FILE=%s", index));
    const char *why = complaint(arena, &a);
    obb_answer_free(&a);
    unlink(index);
    return why;
}

/* --- kept repositories -------------------------------------------------------------- */

/* What came of a repository. */
typedef struct taking {
    const char *commit;
    const char *modules; /* what `ls-tree` prints of the commit */
    bool damaged;        /* it failed, and the repository itself may be why */
} taking;

/* The files of a revision in a folder, fetched first where that is needed. NULL, or why not. */
static const char *take_files(obb_arena *arena, const char *repository, const obb_revision *r,
                              const char *folder, taking *t)
{
    const char *wanted = r->commit ? r->commit : r->revision, *why = NULL;
    *t = (taking){.commit = r->commit ? find_commit(arena, repository, wanted) : NULL, .modules = ""};
    if (!t->commit && !r->offline)
        why = fetch(arena, repository, r);
    if (!why && !t->commit)
        t->commit = find_commit(arena, repository, wanted);
    if (!why && !t->commit) {
        const char *const words[] = {"fsck", "--connectivity-only", "--no-dangling", NULL};
        t->damaged = on_repository(arena, repository, words, NULL) != NULL;
        return obb_arena_format(arena, "the repository has no %s `%s`",
                                r->commit ? "commit" : "branch, tag or commit", wanted);
    }
    const char *const list[] = {"ls-tree", "-r", "--full-tree", t->commit, NULL};
    if (!why)
        why = write_files(arena, repository, t->commit, folder);
    if (!why)
        why = on_repository(arena, repository, list, &t->modules);
    t->damaged = why != NULL;
    return why;
}

/* The same from a new repository, which takes the place of the one that is there only when all went well. */
static const char *take_anew(obb_arena *arena, const char *cache, const char *repository,
                             const obb_revision *r, const char *folder, taking *t)
{
    const char *fresh = obb_arena_format(arena, "%s.new", repository);
    const char *const words[] = {"init", "--quiet", "--bare", "--template=", "--", fresh, NULL};
    obb_below_remove_all(cache, fresh);
    obb_below_remove_all(folder, NULL);
    obb_answer a = run_git(arena, "/", words, NULL);
    const char *why = complaint(arena, &a);
    obb_answer_free(&a);
    if (!why)
        why = take_files(arena, fresh, r, folder, t);
    if (!why)
        obb_below_remove_all(cache, repository);
    if (!why && rename(fresh, repository))
        why = obb_arena_format(arena, "cannot keep its repository: %s", strerror(errno));
    if (why)
        obb_below_remove_all(cache, fresh);
    return why;
}

/* One process at a time uses a kept repository. A crash, or a full disk, may have left one that is good for
 * nothing, with locks that nobody holds: it is made anew. */
static const char *take_kept(obb_arena *arena, const char *cache, const char *repository,
                             const obb_revision *r, const char *folder, taking *t)
{
    int lock = open(obb_arena_format(arena, "%s.lock", repository), O_RDWR | O_CREAT | O_CLOEXEC | O_NOFOLLOW,
                    0600);
    const char *why = NULL;
    if (lock < 0 || !obb_lock_descriptor(lock, true))
        why = obb_arena_format(arena, "cannot lock its repository: %s", strerror(errno));
    bool kept = access(obb_path_join(arena, repository, "HEAD"), F_OK) == 0;
    if (!why && !kept && r->offline)
        why = "it was never fetched on this machine";
    else if (!why && kept)
        why = take_files(arena, repository, r, folder, t);
    if ((!why && !kept) || (why && t->damaged && !r->offline))
        why = take_anew(arena, cache, repository, r, folder, t);
    if (lock >= 0)
        close(lock);
    return why;
}

static const char *check_out(obb_arena *arena, const char *cache, const obb_revision *r, const char *folder,
                             const char **found, int depth)
{
    enum { DEEPEST = 20 };
    char digits[OBB_SHA256_TEXT], here[4096];
    taking t = {0};
    if (depth > DEEPEST)
        return "its submodules are nested too deeply";
    const char *top = getcwd(here, sizeof here) ? here : "/";
    cache = obb_path_join(arena, top, cache);
    folder = obb_path_join(arena, top, folder);
    obb_sha256(r->url, strlen(r->url), digits);
    const char *repository = obb_path_join(arena, cache, obb_arena_copy(arena, digits, 32));
    const char *why = take_kept(arena, cache, repository, r, folder, &t);
    for (const char *at = t.modules; !why && *at; at += strcspn(at, "\n"), at += *at == '\n')
        if (obb_starts(at, "160000 commit "))
            why = bring_module(arena, cache, r, folder, obb_arena_copy(arena, at, strcspn(at, "\n")), depth);
    *found = t.commit;
    return why;
}

const char *obb_check_out(obb_arena *arena, const char *cache, const obb_revision *wanted, const char *folder,
                          const char **found)
{
    return check_out(arena, cache, wanted, folder, found, 0);
}
