/* The plan as JSON: every action with its command, what it reads, what it makes, and what comes before. */
#include <uv.h>

#include "report/report.h"

static json_t *paths(const obb_plan *plan, const obb_file_list *files)
{
    json_t *list = json_array();
    for (size_t i = 0; i < files->count; i++)
        json_array_append_new(list, obb_report_text(obb_files_path(plan->files, files->at[i])));
    return list;
}

static json_t *commands(const obb_plan *plan, const obb_action *a)
{
    json_t *all = json_array();
    for (size_t i = 0; a->step && i < a->step->commands.count; i++) {
        json_t *words = json_array();
        const obb_words part = obb_step_words(a->step, &a->step->commands.at[i].words,
                                              uv_available_parallelism(), plan->arena);
        if (a->step->commands.at[i].kind != OBB_STEP_RUN)
            continue;
        for (size_t k = 0; k < part.count; k++)
            json_array_append_new(words, obb_report_text(part.at[k]));
        json_array_append_new(all, words);
    }
    if (!a->step && !a->image) {
        json_t *words = json_array();
        for (size_t i = 0; i < a->argv.count; i++)
            json_array_append_new(words, obb_report_text(a->argv.at[i]));
        json_array_append_new(all, words);
    }
    return all;
}

static json_t *describe(const obb_dependency_table *table, obb_state *state, const obb_action *a)
{
    const obb_plan *plan = table->plan;
    const obb_dependencies *d = obb_dependencies_of(table, a);
    json_t *o = json_object(), *makes = paths(plan, &a->also), *after = json_array();
    obb_text line = {0};
    obb_action_command(a, &line);
    json_array_insert_new(makes, 0, obb_report_text(obb_files_path(plan->files, a->output)));
    for (size_t i = 0; i < d->needs.count; i++)
        json_array_append_new(after,
                              obb_report_text(
                                  obb_files_path(plan->files, plan->actions.at[d->needs.at[i]]->output)));
    json_object_set_new(o, "action", json_string(obb_action_verb(a)));
    json_object_set_new(o, "target", obb_report_text(a->target->name));
    json_object_set_new(o, "variant", obb_report_text(a->variant->name));
    json_object_set_new(o, "makes", makes);
    json_object_set_new(o, "reads", paths(plan, &d->inputs));
    json_object_set_new(o, "after", after);
    json_object_set_new(o, "commands", commands(plan, a));
    json_object_set_new(o, "as-typed", obb_report_text(obb_text_bytes(&line)));
    obb_text_free(&line);
    obb_last_run last;
    if (obb_state_last_run(state, a->output, &last)) {
        json_object_set_new(o, "milliseconds", json_integer((json_int_t)last.cost.milliseconds));
        json_object_set_new(o, "peak-memory", json_integer((json_int_t)last.cost.memory));
    }
    return o;
}

void obb_report_plan(const obb_dependency_table *table, obb_state *state, const bool *wanted, obb_text *text)
{
    const obb_plan *plan = table->plan;
    json_t *document = json_object(), *actions = json_array();
    for (size_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            json_array_append_new(actions, describe(table, state, plan->actions.at[i]));
    json_object_set_new(document, "format", json_string("obbligato.plan"));
    json_object_set_new(document, "version", json_integer(1));
    json_object_set_new(document, "root", obb_report_text(plan->root));
    json_object_set_new(document, "actions", actions);
    char *dump = json_dumps(document, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
    obb_text_format(text, "%s\n", dump);
    free(dump);
    json_decref(document);
}
