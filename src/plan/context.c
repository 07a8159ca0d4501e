/* Building actions, one word and one file after the other (context.h). An action is complete when
 * obb_context_finish has given it the fingerprint of its command. */
#include "plan/context.h"

#include <string.h>

#include "base/path.h"

static void set_maker(obb_plan_context *j, const obb_action *action, obb_file file)
{
    const obb_plan *plan = j->plan;
    const obb_action *other = obb_plan_maker(plan, file);
    if (other) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, action->target->output_place,
                                "`%s` and `%s` would both make %s", other->target->name,
                                action->target->name, obb_files_path(plan->files, file));
        obb_also(j->diags, d, other->target->output_place, "the other one");
        obb_hint(j->diags, d, "give one of them another name: output NAME");
        return;
    }
    obb_plan_set_maker(j->unfinished, file, action);
}

obb_action *obb_context_action(obb_plan_context *j, obb_action_kind kind, const char *output)
{
    const obb_plan *plan = j->plan;
    obb_action *a = obb_arena_alloc(plan->arena, sizeof *a);
    a->kind = kind;
    a->number = (uint32_t)plan->actions.count;
    a->target = j->target;
    a->variant = j->in->variant;
    a->output_word = a->root_word = SIZE_MAX;
    a->stated.pending = OBB_NO_FILE;
    a->output = obb_files_number(plan->files, output);
    obb_arena_push(plan->arena, &j->unfinished->actions, a);
    set_maker(j, a, a->output);
    return a;
}

void obb_context_also(obb_plan_context *j, obb_action *a, const char *output)
{
    obb_file file = obb_files_number(j->plan->files, output);
    obb_arena_push(j->plan->arena, &a->also, file);
    set_maker(j, a, file);
}

void obb_context_beside(obb_plan_context *j, obb_action *a, const char *suffix, const obb_words *suffixes)
{
    const char *path = obb_files_path(j->plan->files, a->output);
    size_t n = strlen(path), m = strlen(suffix);
    if (n > m && strcmp(path + n - m, suffix) == 0)
        n -= m;
    for (size_t i = 0; i < suffixes->count; i++)
        obb_arena_push(j->plan->arena, &a->byproducts,
                       obb_files_number(j->plan->files, obb_arena_format(j->plan->arena, "%.*s%s", (int)n,
                                                                         path, suffixes->at[i])));
}

void obb_context_word(obb_plan_context *j, obb_action *a, const char *text)
{
    obb_arena_push(j->plan->arena, &a->argv, text);
}

void obb_context_file_word(obb_plan_context *j, obb_action *a, const char *path)
{
    bool alike = *path == '-' || *path == '@';
    obb_context_word(j, a, alike ? obb_arena_format(j->plan->arena, "./%s", path) : path);
}

void obb_context_words(obb_plan_context *j, obb_action *a, const obb_words *list)
{
    for (size_t i = 0; i < list->count; i++)
        obb_context_word(j, a, list->at[i]);
}

void obb_context_output_word(obb_plan_context *j, obb_action *a)
{
    a->output_word = a->argv.count;
    obb_context_word(j, a, obb_files_path(j->plan->files, a->output));
}

void obb_context_root_word(obb_plan_context *j, obb_action *a)
{
    a->root_word = a->argv.count;
    obb_context_word(j, a, obb_arena_format(j->plan->arena, "-fdebug-prefix-map=%s=.", j->plan->root));
}

void obb_context_input(obb_plan_context *j, obb_action *a, obb_file file)
{
    const obb_action *maker = obb_plan_maker(j->plan, file);
    obb_arena_push(j->plan->arena, &a->stated.inputs, file);
    if (maker)
        obb_arena_push(j->plan->arena, &a->stated.needs, maker->number);
}

void obb_context_finish(obb_plan_context *j, obb_action *a, const obb_tool *tool, const obb_fingerprint *more)
{
    static const char image[] = "obbligato image 1",
                      step[] = "obbligato step 1"; /* count up when these change */
    obb_fingerprint identity = tool      ? tool->identity
                               : a->step ? obb_fingerprint_of(step, sizeof step)
                                         : obb_fingerprint_of(image, sizeof image);
    if (more) {
        const obb_fingerprint both[] = {identity, *more};
        identity = obb_fingerprint_of(both, sizeof both);
    }
    obb_hasher *p = obb_hasher_new();
    for (size_t i = 0; i < a->argv.count; i++)
        obb_hasher_string(p, i == a->root_word ? OBB_ROOT_WORD : a->argv.at[i]);
    obb_hasher_add(p, &identity, sizeof identity);
    a->command = obb_hasher_end(p);
    a->tools = identity;
    a->tool = tool;
    obb_context_word(j, a, NULL);
    a->argv.count--;
}

void obb_context_take_metadata(obb_plan_context *j)
{
    for (size_t i = 0; i < j->settings.count; i++) {
        const obb_origin_setting *s = &j->settings.at[i];
        if (s->id == OBB_SET_METADATA && obb_context_tool(j, OBB_TOOL_C))
            obb_system_metadata(j->in->toolchain, s->value, s->place, j->target->name, j->diags,
                                &j->metadata);
    }
}

void obb_context_check_facts(obb_plan_context *j, const obb_flat_settings *settings)
{
    for (size_t i = 0; i < settings->count; i++) { /* axes are checked when the description is read */
        const char *left = strstr(settings->at[i].value, "{region:");
        if (left)
            obb_report_no_fact(j->in->variant,
                               obb_arena_copy(j->plan->arena, left + 1, strcspn(left + 1, "}")),
                               settings->at[i].place, j->diags);
    }
}

const obb_tool *obb_context_tool(obb_plan_context *j, obb_role role)
{
    return obb_toolchain_need(j->in->toolchain, role,
                              obb_arena_format(j->plan->arena, "`%s` (%s)", j->target->name,
                                               j->in->variant->name),
                              j->target->place, j->diags);
}
