#include <string.h>

#include "base/path.h"
#include "report/report.h"

static void add_command(const obb_plan *plan, const obb_action *a, obb_map *folders, obb_text *text)
{
    const char *folder = obb_path_folder(plan->arena, obb_files_path(plan->files, a->output));
    if (!obb_map_put(folders, folder, text)) {
        const char *words[] = {"mkdir", "-p", folder};
        obb_text_shell_line(text, words, 3);
        obb_text_char(text, '\n');
    }
    if (a->kind == OBB_ARCHIVE) { /* an archiver adds to what is there */
        const char *words[] = {"rm", "-f", obb_files_path(plan->files, a->output)};
        obb_text_shell_line(text, words, 3);
        obb_text_char(text, '\n');
    }
    size_t own = a->tool->command.count; /* the tool by its variable, so that it can be another */
    obb_text_format(text, "$%s ", a->tool->variable);
    obb_text_shell_line(text, a->argv.at + own, a->argv.count - own);
    obb_text_char(text, '\n');
}

/* Every tool can be named from outside, as for obbligato itself. */
static void add_variables(const obb_plan *plan, const bool *wanted, obb_text *text)
{
    bool used[OBB_ROLE_COUNT] = {false};
    for (size_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            used[plan->actions.at[i]->tool->role] = true;
    for (int i = 0; i < OBB_ROLE_COUNT; i++) {
        const obb_tool *t = &plan->toolchain->tools[i];
        if (used[i])
            obb_text_format(text, "%s=${%s:-%s}\n", t->variable, t->variable, t->wanted);
    }
}

static void add_in_order(const obb_plan *plan, uint32_t number, const bool *wanted, bool *done,
                         obb_map *folders, obb_text *text)
{
    if (done[number] || !wanted[number])
        return;
    done[number] = true;
    const obb_action *a = plan->actions.at[number];
    for (size_t i = 0; i < a->needs.count; i++)
        add_in_order(plan, a->needs.at[i], wanted, done, folders, text);
    add_command(plan, a, folders, text);
}

void obb_report_shell_script(const obb_plan *plan, const bool *wanted, obb_text *text)
{
    obb_map folders = {0};
    bool *done = obb_alloc(plan->actions.count);
    obb_text_format(text, "#!/bin/sh\n# Builds %s %s without obbligato; written by obbligato export shell-script.\n"
                    "set -e\ncd \"$(dirname \"$0\")\"\n", plan->project->name, plan->project->version);
    add_variables(plan, wanted, text);
    for (uint32_t i = 0; i < plan->actions.count; i++)
        add_in_order(plan, i, wanted, done, &folders, text);
    free(done);
    obb_map_free(&folders);
}
