/* What an edited description reaches in a serialized plan.
 *
 * A target is reached when its statement differs from the serialized one, or when it uses a reached target.
 * Everything that could change other targets' plans (settings of the project, steps, tools, shared
 * libraries), or that needs a text to be written (resources), makes the answer false: then all is planned
 * anew. */
#include <string.h>

#include "base/path.h"
#include "plan/serialized_format.h"

typedef struct reader {
    const obb_project *project;
    const obb_variant *const *variants;
    size_t variant_count;
    obb_arena *arena;
} reader;

/* Marks what uses a marked target, in whatever variant. */
static void mark_users(const reader *r, bool *marked)
{
    size_t n = r->project->targets.count;
    obb_file_list *users = obb_arena_alloc(r->arena, (n + 1) * sizeof *users), work = {0};
    for (uint32_t i = 0; i < n; i++) {
        const obb_uses *used = &r->project->targets.at[i]->uses;
        for (size_t k = 0; k < used->count; k++)
            obb_arena_push(r->arena, &users[used->at[k].target->number], i);
        if (marked[i])
            obb_arena_push(r->arena, &work, i);
    }
    for (size_t i = 0; i < work.count; i++)
        for (size_t k = 0; k < users[work.at[i]].count; k++) {
            uint32_t user = users[work.at[i]].at[k];
            if (!marked[user])
                obb_arena_push(r->arena, &work, user);
            marked[user] = true;
        }
}

static void mark_used(const obb_target *t, bool *marked)
{
    if (marked[t->number])
        return;
    marked[t->number] = true;
    for (size_t i = 0; i < t->uses.count; i++)
        mark_used(t->uses.at[i].target, marked);
}

/* Whether what it compiles is known without planning steps. */
static bool without_steps(const obb_target *t)
{
    bool good = t->kind != OBB_STEP && !t->made_of.count && !t->tools.count;
    for (size_t i = 0; good && i < t->uses.count; i++)
        good = t->uses.at[i].target->kind != OBB_STEP;
    return good;
}

/* A shared library decides how what it uses is compiled. */
static bool is_static(const reader *r, const obb_target *t)
{
    bool good = true;
    for (size_t v = 0; t->kind == OBB_LIBRARY && v < r->variant_count; v++)
        good = good && obb_in(r->variants[v], t)->library == OBB_STATIC;
    return good;
}

/* Steps that run it are planned with it. */
static bool is_no_tool(const reader *r, const bool *planned)
{
    bool good = true;
    for (size_t i = 0; i < r->project->targets.count; i++)
        for (size_t k = 0; k < r->project->targets.at[i]->tools.count; k++)
            good = good && !planned[r->project->targets.at[i]->tools.at[k].target->number];
    return good;
}

/* A target that was not wanted may have made other files before: the serialized plan does not have it. */
static bool was_asked_for(const reader *r, const obb_target *t, bool *const *wanted_targets)
{
    bool good = true;
    for (size_t v = 0; v < r->variant_count; v++)
        good = good &&
               (t->kind == OBB_GROUP || wanted_targets[v][t->number] || obb_left_out(r->variants[v], t));
    return good;
}

static bool line_matches(const obb_word_list *words, const char *path, obb_arena *arena)
{
    for (size_t i = 0; i < words->count; i++) {
        const obb_word *w = &words->at[i];
        if (obb_path_matches(obb_path_join(arena, w->place.folder, w->text), path))
            return true;
    }
    return false;
}

/* Whether a target names one of these files by its patterns, in some variant; what they except does not
 * count. */
static bool matches_any(const reader *r, const obb_target *described, const obb_words *paths)
{
    bool any = false;
    for (size_t v = 0; paths->count && v < r->variant_count && !any; v++) {
        const obb_target *t = obb_in(r->variants[v], described);
        const obb_patterns *all[] = {&t->sources, &t->resources, &t->reads};
        for (size_t k = 0; k < sizeof all / sizeof *all; k++)
            for (size_t i = 0; i < all[k]->count; i++)
                for (size_t n = 0; n < paths->count && !any; n++)
                    any = line_matches(&all[k]->at[i].names, paths->at[n], r->arena) ||
                          line_matches(&all[k]->at[i].instead, paths->at[n], r->arena);
    }
    return any;
}

bool obb_serialized_plan_fits(const obb_serialized_plan *k, const obb_project *p)
{
    return memcmp(k->header->rest, &p->rest, sizeof p->rest) == 0 &&
           serialized_list(k, k->header->statements)[0] == p->targets.count * WORD_OF_PRINT;
}

bool obb_serialized_plan_compare(const obb_serialized_plan *k, const obb_plan_input *input,
                                 obb_fingerprint wanted)
{
    const obb_project *p = input->project;
    reader r = {p, input->variants, input->variant_count, NULL};
    bool *planned = input->scope->planned, *known = input->scope->known;
    const uint32_t *statements = serialized_list(k, k->header->statements) + 1;
    bool good = memcmp(k->header->wanted, &wanted, sizeof wanted) == 0;
    r.arena = obb_arena_new();
    for (size_t i = 0; i < p->targets.count; i++) {
        planned[i] = memcmp(statements + i * WORD_OF_PRINT, &p->targets.at[i]->statement,
                            sizeof(obb_fingerprint)) != 0 ||
                     matches_any(&r, p->targets.at[i], &input->scope->moved);
        good = good && (!planned[i] || was_asked_for(&r, p->targets.at[i], input->wanted_targets));
    }
    mark_users(&r, planned);
    good = good && is_no_tool(&r, planned);
    for (size_t i = 0; i < p->targets.count; i++)
        if (planned[i] && p->targets.at[i]->kind != OBB_GROUP) /* of groups, nothing is made */
            mark_used(p->targets.at[i], known);
    for (size_t i = 0; good && i < p->targets.count; i++)
        good = !known[i] ||
               (without_steps(p->targets.at[i]) &&
                (!planned[i] || (is_static(&r, p->targets.at[i]) && !p->targets.at[i]->resources.count)));
    obb_arena_free(r.arena);
    return good;
}
