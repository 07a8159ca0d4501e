/* What a build did, as JSON (docs/commands.md, obbligato.build-log). */
#include "report/report.h"

json_t *obb_report_build(const obb_plan *plan, const obb_run_result *r, const obb_words *variants,
                         int64_t started)
{
    json_t *o = json_object(), *names = json_array(), *parts = json_array(), *way = json_array();
    for (size_t i = 0; i < variants->count; i++)
        json_array_append_new(names, obb_report_text(variants->at[i]));
    for (size_t i = 0; i < r->parts.count; i++) {
        const obb_made_part *p = &r->parts.at[i];
        json_t *part = json_object();
        json_object_set_new(part, "action", json_string(obb_action_verb(p->action)));
        json_object_set_new(part, "output", obb_report_text(obb_files_path(plan->files, p->action->output)));
        json_object_set_new(part, "target", obb_report_text(p->action->target->name));
        json_object_set_new(part, "variant", obb_report_text(p->action->variant->name));
        json_object_set_new(part, "because", obb_report_text(p->cause));
        json_object_set_new(part, "began", json_integer((json_int_t)p->began));
        json_object_set_new(part, "milliseconds", json_integer((json_int_t)p->milliseconds));
        json_object_set_new(part, "slot", json_integer(p->slot));
        json_object_set_new(part, "taken-from-the-store", json_boolean(p->taken));
        json_array_append_new(parts, part);
    }
    for (size_t i = 0; i < r->way.count; i++)
        json_array_append_new(way, obb_report_text(obb_files_path(plan->files, r->way.at[i].action->output)));
    json_object_set_new(o, "started", json_integer((json_int_t)(started / 1000000)));
    json_object_set_new(o, "milliseconds", json_integer((json_int_t)r->milliseconds));
    json_object_set_new(o, "work-milliseconds", json_integer((json_int_t)r->work));
    json_object_set_new(o, "jobs", json_integer(r->jobs));
    json_object_set_new(o, "variants", names);
    json_object_set_new(o, "up-to-date", json_integer((json_int_t)r->up_to_date));
    json_object_set_new(o, "failed", json_integer((json_int_t)r->failed));
    json_object_set_new(o, "interrupted", json_boolean(r->interrupted));
    json_object_set_new(o, "actions", parts);
    json_object_set_new(o, "longest-way", way);
    return o;
}
