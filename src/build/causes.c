/* Records and a forecast, joined for whoever asks why (build/causes.h). */
#include "build/causes.h"

#include "run/up_to_date.h"

void obb_explain(obb_workspace *w, const bool *named, obb_explanation_list *list)
{
    obb_cause *causes = obb_forecast(w->arena, w->state, w->dependencies, w->wanted);
    for (size_t i = 0; i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        const obb_record *r = named[i] ? obb_state_record(w->state, a->output) : NULL;
        if (!named[i])
            continue;
        const obb_explanation e = {.action = a,
                                   .made = r,
                                   .milliseconds = r ? r->cost.milliseconds : 0,
                                   .last = r ? r->reason : NULL,
                                   .would_be_made = causes[i].kind != OBB_CAUSE_NONE,
                                   .now = obb_cause_text(w->arena, w->state, w->plan, a, causes[i])};
        obb_arena_push(w->arena, list, e);
    }
}

bool *obb_list_unmade(obb_workspace *w)
{
    obb_cause *causes = obb_forecast(w->arena, w->state, w->dependencies, w->wanted);
    bool *unmade = obb_arena_alloc(w->arena, w->plan->actions.count + 1);
    for (size_t i = 0; i < w->plan->actions.count; i++)
        unmade[i] = causes[i].kind != OBB_CAUSE_NONE;
    return unmade;
}
