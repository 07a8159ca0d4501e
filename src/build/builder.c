/* Carrying out the plan of a workspace (build/builder.h): the options of the run, the object store, and what
 * is told and written at its end.
 *
 * The object cache is opened for the run alone. What the run wrote into the state is committed by
 * obb_builder_settle, also after failures: records of what was made are true whatever happened afterwards. */
#include "build/builder.h"

#include <string.h>
#include <uv.h>

#include "base/system.h"
#include "build/history.h"
#include "build/planning.h"

void obb_builder_observe(void *self, const obb_event *e)
{
    obb_builder *b = self;
    const obb_build_observer *o = b->w->observer;
    if (e->kind == OBB_EVENT_DONE && !b->has_room) {
        obb_history_make_room(b->w);
        obb_snapshot_remove_replaced(b->w->out);
        b->has_room = true;
    }
    if (e->kind == OBB_EVENT_DONE && e->action->kind == OBB_LINK_PROGRAM)
        obb_arena_push(b->w->arena, &b->linked, e->action);
    if (o->event)
        o->event(o->self, e);
}

/* Where objects are kept for other builds; NULL: nowhere, which is not a fault. */
static obb_object_cache *open_cache(obb_workspace *w)
{
    const obb_object_cache_place place = obb_object_cache_find_place(w->arena);
    const char *why;
    obb_object_cache *cache = obb_object_cache_open(&place, w->arena, &why);
    if (why)
        obb_hint(w->diags,
                 obb_warn(w->diags, OBB_NOWHERE, "the store in %s is not used: %s", place.folder, why),
                 "name another folder: OBBLIGATO_STORE=FOLDER, or off");
    obb_workspace_tell(w);
    return cache;
}

static void close_cache(obb_workspace *w, obb_object_cache *cache)
{
    int failed = obb_object_cache_close(cache);
    if (failed)
        obb_hint(w->diags, obb_warn(w->diags, OBB_NOWHERE, "the store in %s cannot be written: %s",
                                    obb_object_cache_find_place(w->arena).folder, strerror(failed)),
                 "make room there, or bound it: OBBLIGATO_STORE_LIMIT=SIZE");
    obb_workspace_tell(w);
}

static obb_words project_far_words(const obb_workspace *w)
{
    const obb_project *p = w->project;
    return obb_far_words(w->arena, p->far_store, p->far_read_only, &p->trust);
}

static void tell_of_far(obb_workspace *w, const obb_far_place *far, const obb_run_result *r)
{
    if (w->request->farm_check && !far->makes)
        obb_hint(w->diags,
                 obb_warn(w->diags, OBB_NOWHERE, "there is no farm whose objects could be compared"),
                 "name one: OBBLIGATO_FARM=redis://farm.example/0");
    if (r->far_trouble)
        obb_hint(w->diags, obb_warn(w->diags, OBB_NOWHERE, "the far store %s was given up: %s",
                                    obb_far_shown(far->url, w->arena), r->far_trouble),
                 "the build went on without it; OBBLIGATO_FAR_STORE=off leaves it out");
    if (r->far_refused)
        obb_hint(
            w->diags,
            obb_warn(w->diags, OBB_NOWHERE,
                     "%zu objects of the far store %s were refused: damaged, or not signed by a key that "
                     "is trusted",
                     r->far_refused, obb_far_shown(far->url, w->arena)),
            "state whose objects are taken: trust ed25519:..., in the project");
    if (r->unlike)
        obb_hint(w->diags,
                 obb_error(w->diags, OBB_FAULT_ACTION, OBB_NOWHERE,
                           "%zu of %zu objects that the farm %s made as well have other bytes there:%s",
                           r->unlike, r->compared, obb_far_shown(far->url, w->arena), r->unlike_names),
                 "those made here stand in their places; what decides them besides their inputs, or who "
                 "made them there?");
    obb_workspace_tell(w);
}

void obb_builder_tell_ended(const obb_builder *b)
{
    const obb_build_observer *o = b->w->observer;
    if (o->ended)
        o->ended(o->self, b->outcome);
}

obb_run_result obb_builder_run(obb_builder *b, const obb_partial_run *part)
{
    obb_workspace *w = b->w;
    obb_object_cache *cache = open_cache(w);
    char self[4096];
    size_t size = sizeof self;
    const obb_words far_words = part ? *part->far : project_far_words(w);
    const obb_far_place far = obb_far_place_of(&far_words, w->arena);
    bool watches = w->request->strict || far.makes;
    const char *watcher = watches && uv_exepath(self, &size) == 0 ? self : NULL;
    const obb_run_options how = {.keep_going = w->request->keep_going,
                                 .observer = obb_builder_observe,
                                 .self = b,
                                 .jobs = w->request->jobs ? w->request->jobs : uv_available_parallelism(),
                                 .memory = w->request->memory ? w->request->memory : obb_memory_at_hand(),
                                 .farm_check = w->request->farm_check,
                                 .explained = part ? part->explained : NULL,
                                 .explainer = part ? part->self : NULL,
                                 .forecast = part ? part->forecast : NULL,
                                 .cache = cache,
                                 .far = &far,
                                 .watcher = watcher,
                                 .strict = w->request->strict && watcher};
    obb_run_result r = obb_run(w->dependencies, w->state, w->wanted, &how);
    close_cache(w, cache);
    tell_of_far(w, &far, &r);
    if (r.takes_more) /* what was done so far stands */
        return r;
    r.removed = b->removed;
    r.up_to_date += part ? part->others : 0;
    b->outcome->ran = true;
    b->outcome->run = r;
    for (size_t i = 0; i < w->variants.count; i++)
        obb_arena_push(w->arena, &b->outcome->variants, obb_arena_string(w->arena, w->variants.at[i]->name));
    if (r.parts.count)
        obb_history_add(w, &r);
    obb_builder_tell_ended(b);
    return r;
}

int obb_builder_settle(obb_builder *b, const obb_run_result *r)
{
    obb_state_remember_files(b->w->state);
    int code = obb_workspace_commit(b->w, r->store_failed);
    if (code)
        return code;
    return r->interrupted                      ? OBB_BUILD_INTERRUPTED
           : r->failed || r->left || r->unlike ? (int)OBB_FAULT_ACTION
                                               : 0;
}

void obb_builder_tell_undecided(const obb_builder *b)
{
    const obb_workspace *w = b->w;
    for (size_t i = 0; w->observer->undecided && i < w->plan->actions.count; i++) {
        const obb_action *a = w->plan->actions.at[i];
        const char *undecided = w->dependencies->of[i].undecided;
        if (w->wanted[i] && undecided)
            w->observer->undecided(w->observer->self, obb_files_path(w->files, a->source), undecided);
    }
}

char *obb_builder_snapshot_path(const obb_builder *b)
{
    return obb_arena_format(b->w->arena, "%s/.obbligato/" OBB_SNAPSHOT_PREFIX "%016llx", b->w->out,
                            (unsigned long long)b->key.low);
}

obb_plan_facts obb_builder_facts(const obb_builder *b)
{
    const obb_workspace *w = b->w;
    obb_words *far = obb_arena_alloc(w->arena, sizeof *far);
    *far = project_far_words(w);
    return (obb_plan_facts){.wanted = w->wanted,
                            .budgeted = w->planning.budgeted,
                            .fixed = w->planning.fixed,
                            .fixed_count = w->planning.fixed_count,
                            .left_out = &b->outcome->left_out,
                            .far = far,
                            .wanted_targets = obb_wanted_fingerprint(w)};
}

obb_file_list obb_builder_sources(const obb_builder *b)
{
    const obb_workspace *w = b->w;
    obb_file_list sources = {0};
    for (size_t i = 0; i < w->plan->actions.count; i++)
        if (w->plan->actions.at[i]->options)
            obb_arena_push(w->arena, &sources, w->plan->actions.at[i]->source);
    return sources;
}
