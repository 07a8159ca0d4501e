/* Collecting entries (collector.h). */
#include "delivery/collector.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"

void obb_collect_file(obb_collector *c, const char *path, const char *source, const obb_entry *like)
{
    obb_entry e = *like;
    e.path = path;
    e.source = source;
    obb_arena_push(c->in->arena, &c->entries, e);
}

void obb_collect_link(obb_collector *c, const char *path, const char *target, obb_place place,
                      const char *what)
{
    obb_arena_push(c->in->arena, &c->entries,
                   (obb_entry){.path = path, .link = target, .place = place, .what = what});
}

void obb_collect_bytes(obb_collector *c, const char *path, const char *bytes, size_t length, obb_place place,
                       const char *what)
{
    obb_arena_push(c->in->arena, &c->entries,
                   (obb_entry){.path = path,
                               .bytes = bytes ? obb_arena_copy(c->in->arena, bytes, length) : NULL,
                               .length = length,
                               .place = place,
                               .what = what});
}

/* --- third-party code --------------------------------------------------------------- */

static void follow(obb_collector *c, const obb_action *a, bool *seen)
{
    const obb_plan *plan = c->in->plan;
    const obb_project *p = plan->project;
    if (seen[a->number])
        return;
    seen[a->number] = true;
    for (size_t i = 0; a->target->place.scope && i < p->thirdparty.count; i++)
        c->others[i] = c->others[i] || strcmp(p->thirdparty.at[i]->name, a->target->place.scope) == 0;
    for (size_t i = 0; i < a->stated.inputs.count; i++) {
        const obb_action *maker = obb_plan_maker(plan, a->stated.inputs.at[i]);
        bool tool = maker && maker->kind == OBB_LINK_PROGRAM && a->kind != OBB_MAKE_IMAGE;
        if (maker && !tool)
            follow(c, maker, seen);
        const char *path = obb_files_path(plan->files, a->stated.inputs.at[i]);
        for (size_t k = 0; !maker && k < p->thirdparty.count; k++)
            for (size_t n = 0; n < p->thirdparty.at[k]->prebuilts.count; n++) {
                const char *folder = p->thirdparty.at[k]->prebuilts.at[n]->folder;
                c->others[k] = c->others[k] || (folder && obb_path_within(path, folder));
            }
    }
}

void obb_collect_thirdparty(obb_collector *c, const obb_action *a)
{
    bool *seen = obb_alloc(c->in->plan->actions.count + 1);
    follow(c, a, seen);
    free(seen);
}
