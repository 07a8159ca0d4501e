/* What the object cache holds (build/cache.h). */
#include "build/cache.h"

#include "state/object_cache.h"

int obb_look_at_cache(obb_workspace *w, obb_cache_state *state)
{
    const obb_object_cache_place place = obb_object_cache_find_place(w->arena);
    const char *why;
    obb_object_cache *cache = obb_object_cache_open(&place, w->arena, &why);
    *state = (obb_cache_state){.folder = place.folder};
    if (place.folder && why)
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE,
                                  obb_arena_format(w->arena, "the store in `%%s` is not used: %s", why),
                                  place.folder, "name another folder: OBBLIGATO_STORE=FOLDER; or off");
    if (cache) {
        const obb_object_cache_account a = obb_object_cache_look(cache);
        *state = (obb_cache_state){.folder = obb_arena_string(w->arena, obb_object_cache_folder(cache)),
                                   .there = true,
                                   .entries = a.entries,
                                   .bytes = a.bytes,
                                   .limit = a.limit,
                                   .oldest = a.oldest};
        state->far_account = obb_far_account_of(state->folder);
    }
    obb_object_cache_close(cache);
    const obb_project *p = w->project;
    const obb_words words = obb_far_words(w->arena, p->far_store, p->far_read_only, &p->trust);
    state->far = obb_far_place_of(&words, w->arena);
    if (state->far.url)
        state->far.url = obb_far_shown(state->far.url, w->arena);
    return 0;
}
