/* What actions are expected to cost (run/expected.h). A guess is a base and a rate for each byte, and is
 * corrected by how far the same guess is from what is known of others of its kind. */
#include "run/expected.h"

typedef struct guess {
    double base, rate; /* milliseconds; milliseconds for each byte read */
} guess;

static const guess guesses[OBB_ACTION_KINDS] =
    {[OBB_COMPILE] = {10, 0.0005},       [OBB_ASSEMBLE] = {5, 0.0002},       [OBB_ARCHIVE] = {5, 0.00002},
     [OBB_LINK_LIBRARY] = {20, 0.00005}, [OBB_LINK_PROGRAM] = {20, 0.00005}, [OBB_MAKE_IMAGE] = {1, 0.00001},
     [OBB_RUN_STEP] = {100, 0.00005}};

enum { USUAL_INPUT = 20000 }; /* bytes, of a file that is still to be made */

static double guessed(const obb_dependency_table *table, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    double bytes = 0;
    for (size_t i = 0; i < d->inputs.count; i++) {
        const obb_stamp *stamp = obb_files_cached_stat(table->plan->files, d->inputs.at[i]).stamp;
        bytes += stamp ? (double)stamp->size : USUAL_INPUT;
    }
    return guesses[a->kind].base + bytes * guesses[a->kind].rate;
}

/* What is known of a kind. */
typedef struct experience {
    double guessed, took, memory;
    size_t count;
} experience;

void obb_expect(obb_work *work, const obb_dependency_table *table, const obb_cause *forecast,
                const bool *wanted)
{
    const obb_plan *plan = table->plan;
    experience known[OBB_ACTION_KINDS] = {{0, 0, 0, 0}};
    size_t unknown = 0;
    for (size_t i = 0; i < plan->actions.count; i++)
        unknown += forecast[i].kind == OBB_CAUSE_NEVER_MADE;
    for (size_t i = 0; i < plan->actions.count && unknown; i++) {
        const obb_action *a = plan->actions.at[i];
        experience *e = &known[a->kind];
        if (!forecast[i].cost.milliseconds)
            continue;
        e->guessed += guessed(table, a);
        e->took += (double)forecast[i].cost.milliseconds;
        e->memory += (double)forecast[i].cost.memory;
        e->count++;
    }
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        const experience *e = &known[a->kind];
        bool never = forecast[i].kind == OBB_CAUSE_NEVER_MADE;
        work[i] = (obb_work){.time = forecast[i].cost.milliseconds,
                             .memory = forecast[i].cost.memory,
                             .part = wanted[i]};
        if (never) {
            work[i].time = (uint64_t)(guessed(table, a) * (e->guessed > 0 ? e->took / e->guessed : 1));
            work[i].memory = e->count ? (uint64_t)(e->memory / (double)e->count) : 0;
        }
    }
}
