/* Which deliveries belong together (chain.h). */
#include "delivery/chain.h"

#include <string.h>

#include "base/path.h"

const char *obb_delivery_left_out(const obb_variant *v, const obb_delivery *d)
{
    return d->only && !obb_condition_holds(v, d->only) ? d->only_words : NULL;
}

bool obb_delivery_has(const obb_variant *v, const obb_delivery_item *item)
{
    return !item->condition || obb_condition_holds(v, item->condition);
}

void obb_delivery_chain(const obb_variant *v, const obb_delivery *d, obb_arena *arena,
                        obb_delivery_list *list)
{
    for (size_t i = 0; i < list->count; i++)
        if (list->at[i] == d)
            return;
    obb_arena_push(arena, list,
                   d); /* before what it needs, so that a circle ends; then it moves behind that */
    size_t here = list->count - 1;
    for (size_t i = 0; i < d->items.count; i++)
        if (d->items.at[i].needed && obb_delivery_has(v, &d->items.at[i]))
            obb_delivery_chain(v, d->items.at[i].needed, arena, list);
    memmove(list->at + here, list->at + here + 1, (list->count - here - 1) * sizeof *list->at);
    list->at[list->count - 1] = d;
}

/* The step that makes what is named as made:NAME. */
const obb_target *obb_delivery_maker(const obb_variant *v, const char *name, const char **path)
{
    const obb_project *p = v->project;
    for (size_t i = 0; i < p->targets.count; i++) {
        const obb_target *t = obb_in(v, p->targets.at[i]);
        for (size_t k = 0; !t->place.scope && k < t->makes.count; k++)
            if (obb_path_ends(t->makes.at[k].path, name)) {
                *path = t->makes.at[k].path;
                return t;
            }
    }
    return NULL;
}

void obb_delivery_targets(const obb_variant *v, const obb_delivery *d, obb_arena *arena,
                          obb_target_list *targets)
{
    for (size_t i = 0; i < d->items.count; i++) {
        const obb_delivery_item *item = &d->items.at[i];
        const char *path;
        if (!obb_delivery_has(v, item))
            continue;
        if (item->target)
            obb_arena_push(arena, targets, item->target);
        for (size_t k = 0; k < item->patterns.count; k++) {
            const char *word = item->patterns.at[k].text;
            const obb_target *step = obb_starts(word, "made:") ? obb_delivery_maker(v, word + 5, &path)
                                                               : NULL;
            if (step)
                obb_arena_push(arena, targets, v->project->targets.at[step->number]);
        }
    }
}
