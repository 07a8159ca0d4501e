/* The commands that check and export a plan without carrying it out: validate, export.
 *
 * `validate` plans every platform and configuration without building; `export` writes one of the formats of
 * src/report to standard output or a file. Neither changes the output folder. */
#include <stdio.h>
#include <string.h>
#include <time.h>

#include "build/delivering.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

/* --- validate ----------------------------------------------------------------------- */

static void add_variant(session *s, const obb_variant *v)
{
    for (size_t i = 0; v && i < s->w->variants.count; i++)
        if (s->w->variants.at[i] == v)
            return;
    if (v)
        obb_arena_push(s->w->arena, &s->w->variants, v);
}

/* Every platform with every configuration, and what lineups name. Missing tools are reported for each
 * platform that needs them. */
static void choose_everything(session *s)
{
    const obb_definitions *platforms = &s->w->project->definitions[OBB_PLATFORM_DEFINITION];
    const obb_definitions *configurations = &s->w->project->definitions[OBB_CONFIGURATION_DEFINITION];
    for (size_t p = 0; p < platforms->count; p++)
        for (size_t c = 0; c < configurations->count; c++) {
            const obb_variant *v = obb_project_variant(s->w->project, platforms->at[p]->name,
                                                       configurations->at[c]->name, NULL, OBB_NOWHERE,
                                                       s->w->diags);
            add_variant(s, v);
        }
    for (size_t i = 0; i < s->w->project->lineups.count; i++) {
        obb_variants named = {0};
        obb_project_lineup_variants(s->w->project, s->w->project->lineups.at[i], NULL, s->w->diags, &named);
        for (size_t k = 0; k < named.count; k++)
            add_variant(s, named.at[k]);
    }
    for (size_t i = 0; i < s->w->project->targets.count; i++)
        obb_arena_push(s->w->arena, &s->w->targets, s->w->project->targets.at[i]);
}

int command_validate(session *s)
{
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = obb_workspace_open_state(s->w, false);
    if (code)
        return code;
    choose_everything(s);
    code = obb_workspace_tell(s->w);
    if (code)
        return code;
    code = obb_make_plan(s->w);
    char targets[40], variants[40], actions[40];
    counted(targets, sizeof targets, s->w->project->targets.count, "target", "targets");
    counted(variants, sizeof variants, s->w->variants.count, "variant", "variants");
    counted(actions, sizeof actions, s->w->plan->actions.count, "action", "actions");
    if (!code && s->options->json) {
        json_t *o = json_object();
        json_object_set_new(o, "valid", json_true());
        json_object_set_new(o, "targets", json_integer((json_int_t)s->w->project->targets.count));
        json_object_set_new(o, "variants", json_integer((json_int_t)s->w->variants.count));
        json_object_set_new(o, "actions", json_integer((json_int_t)s->w->plan->actions.count));
        json_print(o, "validation");
    } else if (!code && !s->options->quiet) {
        printf("%s is sound: %s in %s, %s\n", s->w->project->name, targets, variants, actions);
    }
    return code;
}

/* --- export ------------------------------------------------------------------------- */

/* Removes the first of the names and returns it (it lives as long as the session); "" when there is none. */
static const char *take_name(session *s)
{
    obb_words *names = &s->options->request.names;
    if (!names->count)
        return "";
    char *first = (char *)(uintptr_t)names->at[0];
    const char *copy = obb_arena_string(s->w->arena, first);
    memmove(names->at, names->at + 1, --names->count * sizeof *names->at);
    free(first);
    return copy;
}

static int export_database(session *s, obb_text *text)
{
    if (s->w->variants.count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "a compilation database is for one variant%s", "",
                            "choose one: -c CONFIGURATION");
    obb_report_compilation_database(s->w->plan, s->w->variants.at[0], s->w->root, text);
    return 0;
}

static int export_script(session *s, obb_text *text)
{
    obb_want_header_steps(s->w->dependencies, s->w->wanted);
    obb_report_shell_script(s->w->dependencies, s->w->wanted, obb_delivery_script(s->w), text);
    return 0;
}

static int export_plan(session *s, obb_text *text)
{
    int code = obb_scan_all(s->w);
    if (!code)
        obb_report_plan(s->w->dependencies, s->w->state, s->w->wanted, text);
    return code;
}

static int export_sbom(session *s, obb_text *text)
{
    int code = obb_scan_all(s->w);
    if (!code)
        obb_report_sbom(s->w->dependencies, s->w->wanted, (int64_t)time(NULL), text);
    return code;
}

/* What the page of `report` shows. */
static int export_report_data(session *s, obb_text *text)
{
    json_t *document = NULL;
    int code = report_data(s, &document);
    char *line = code ? NULL : json_dumps(document, JSON_INDENT(2));
    obb_text_format(text, "%s\n", line ? line : "");
    free(line);
    json_decref(document);
    return code;
}

static int export_targets(session *s, obb_text *text)
{
    if (s->w->variants.count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "a graph of targets is for one variant%s", "",
                                  "choose one: -c CONFIGURATION");
    obb_report_target_graph(s->w->variants.at[0], s->w->planning.wanted_targets[0], text);
    return 0;
}

static int export_headers(session *s, obb_text *text)
{
    int code = obb_scan_all(s->w);
    if (!code)
        obb_report_header_graph(obb_includes_of(s->w->dependencies, s->w->wanted, NULL, s->w->arena),
                                s->w->project->name, s->options->verbose, text);
    return code;
}

static int export_actions(session *s, obb_text *text)
{
    obb_report_action_graph(s->w->dependencies, s->w->wanted, text);
    return 0;
}

/* What follows the format (and the kind of graph) are targets. */
int command_export(session *s)
{
    static const struct { const char *name; int (*write)(session *, obb_text *);
    } formats[] = {{"compilation-database", export_database},
                   {"shell-script", export_script},
                   {"debug", export_debug},
                   {"plan", export_plan},
                   {"sbom", export_sbom},
                   {"report-data", export_report_data},
                   {"targets", export_targets},
                   {"headers", export_headers},
                   {"actions", export_actions}};
    const char *format = take_name(s);
    bool graph = strcmp(format, "graph") == 0;
    size_t i = graph ? 6 : 0, end = graph ? 9 : 6;
    if (graph)
        format = take_name(s);
    while (i < end && strcmp(formats[i].name, format) != 0)
        i++;
    if (i == end)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE,
                                  graph ? "`export graph` needs what is drawn%s"
                                        : "`export` needs one format%s",
                                  "",
                                  graph ? "targets, headers or actions"
                                        : "compilation-database, shell-script, debug, plan, sbom, "
                                          "report-data, or graph targets|headers|actions");
    obb_text text = {0};
    int code = formats[i].write == export_report_data ? 0 : obb_plan_request(s->w);
    if (!code)
        code = formats[i].write(s, &text);
    if (!code)
        fputs(obb_text_bytes(&text), stdout);
    obb_text_free(&text);
    return code;
}
