/* The three ways of a build (build/build.h), and when each is taken.
 *
 * The snapshot of the same request is compared first, and may begin a subplan in another thread, which alone
 * uses the workspace until it has ended. A way that gives up leaves the workspace as new, so the next longer
 * one starts from the beginning. */
#include "build/build.h"

#include <stdlib.h>
#include <string.h>

#include "base/system.h"
#include "build/builder.h"
#include "build/full.h"
#include "build/incremental.h"
#include "build/planning.h"
#include "base/trace.h"
#include "state/snapshot.h"

static void add_words(obb_hasher *p, const obb_words *words)
{
    for (size_t i = 0; i < words->count; i++)
        obb_hasher_string(p, words->at[i]);
    obb_hasher_string(p, NULL);
}

/* All that a build depends on besides files: the request, the environment, and the boot of the machine, since
 * stamps alone are not trusted after another boot. */
static obb_fingerprint snapshot_key(const obb_workspace *w)
{
    static const char *const variables[] = {"PATH", "OBBLIGATO_METADATA"};
    obb_hasher *p = obb_hasher_new();
    const obb_request *r = w->request;
    obb_hasher_string(p, "ready 4 " OBB_VERSION);
    obb_hasher_string(p, obb_boot_name(w->arena));
    obb_hasher_string(p, w->root);
    obb_hasher_string(p, w->out);
    add_words(p, &r->names);
    add_words(p, &r->platforms);
    add_words(p, &r->configurations);
    add_words(p, &r->variants);
    add_words(p, &r->sets);
    add_words(p, &r->lineups);
    obb_hasher_string(p, r->prefer);
    for (size_t i = 0; i < sizeof variables / sizeof *variables; i++)
        obb_hasher_string(p, getenv(variables[i]));
    obb_tool_environment(p);
    obb_compiler_environment(p);
    obb_linker_environment(p);
    return obb_hasher_end(p);
}

static obb_builder builder_of(obb_workspace *w, obb_build_outcome *outcome)
{
    *outcome = (obb_build_outcome){0};
    return (obb_builder){.w = w, .outcome = outcome, .key = snapshot_key(w)};
}

/* Nothing changed: the outcome is the one in the snapshot. */
static void take_message(obb_builder *b, const char *message)
{
    char *rest;
    b->outcome->ran = true;
    b->outcome->run.up_to_date = (size_t)strtoull(message, &rest, 10);
    for (const char *line = rest + (*rest == '\n'); *line; line += strcspn(line, "\n") + 1)
        obb_arena_push(b->w->arena, &b->outcome->variants,
                       obb_arena_copy(b->w->arena, line, strcspn(line, "\n")));
    obb_builder_tell_ended(b);
}

/* True when the snapshot was enough, with the exit code. */
static bool build_from_snapshot(obb_builder *b, int *code)
{
    obb_snapshot *snapshot = b->w->request->dry_run ? NULL
                                                    : obb_snapshot_open(obb_builder_snapshot_path(b), b->key);
    bool done = false;
    if (snapshot) {
        obb_subplan p;
        obb_subplan_begin(&p, b, snapshot);
        obb_snapshot_answer answer = obb_snapshot_check(snapshot, obb_subplan_take_early, &p);
        b->outcome->looks = obb_snapshot_looks(snapshot);
        *code = 0;
        if (answer == OBB_SNAPSHOT_HOLDS)
            take_message(b, obb_snapshot_message(snapshot));
        done = answer == OBB_SNAPSHOT_HOLDS ||
               (answer == OBB_SNAPSHOT_CHANGED && obb_build_incremental(&p, code));
        if (!done && (p.taken || p.opened)) /* then more than contents changed */
            obb_subplan_drop(&p);
    }
    obb_snapshot_close(snapshot);
    return done;
}

int obb_build(obb_workspace *w, obb_build_outcome *outcome)
{
    obb_builder b = builder_of(w, outcome);
    int code;
    if (w->request->strict && !obb_trace_offered())
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "this system offers no way to watch what steps read%s",
                                  "", "leave --strict out; Linux has it");
    if (!build_from_snapshot(&b, &code))
        code = obb_build_full(&b);
    outcome->looks += obb_files_stat_count(w->files);
    return code;
}

int obb_build_and_plan(obb_workspace *w, obb_build_outcome *outcome)
{
    int code = obb_build(w, outcome);
    if (code || (w->project && !w->planning.edited) || w->request->dry_run)
        return code;
    obb_workspace_renew(w); /* the build needed no plan, or only a part of it */
    return obb_plan_request(w);
}

int obb_build_changed(obb_workspace *w, obb_snapshot *snapshot, const obb_file_list *changed,
                      obb_build_outcome *outcome)
{
    obb_builder b = builder_of(w, outcome);
    obb_subplan p;
    int code;
    obb_snapshot_suppose(snapshot, changed);
    obb_subplan_begin(&p, &b, snapshot);
    if (!obb_build_incremental(&p, &code))
        return obb_build(w, outcome);
    outcome->looks += obb_files_stat_count(w->files);
    return code;
}

obb_snapshot *obb_build_snapshot(obb_workspace *w)
{
    obb_build_outcome none;
    obb_builder b = builder_of(w, &none);
    return obb_snapshot_open(obb_builder_snapshot_path(&b), b.key);
}
