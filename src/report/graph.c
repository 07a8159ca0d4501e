/* Graphs in DOT (Graphviz, "The DOT Language"): targets, headers, actions.
 *
 * Nodes and edges are written in the order of the plan, so that equal plans give equal texts. Names are
 * quoted as DOT strings. */
#include <string.h>

#include "base/path.h"
#include "report/report.h"

static void quoted(obb_text *text, const char *name)
{
    obb_text_char(text, '"');
    for (; *name; name++) {
        if (*name == '"' || *name == '\\')
            obb_text_char(text, '\\');
        obb_text_char(text, *name);
    }
    obb_text_char(text, '"');
}

static void node(obb_text *text, const char *name, const char *label, const char *shape)
{
    obb_text_string(text, "  ");
    quoted(text, name);
    obb_text_string(text, " [label=");
    quoted(text, label);
    obb_text_format(text, ", shape=%s];\n", shape);
}

static void edge(obb_text *text, const char *from, const char *to, const char *style)
{
    obb_text_string(text, "  ");
    quoted(text, from);
    obb_text_string(text, " -> ");
    quoted(text, to);
    obb_text_format(text, "%s;\n", style);
}

static void begin(obb_text *text, const char *name)
{
    obb_text_string(text, "digraph ");
    quoted(text, name);
    obb_text_string(text, " {\n  rankdir=LR;\n  node [fontname=\"sans-serif\", fontsize=11];\n");
}

/* --- targets ------------------------------------------------------------------------ */

void obb_report_target_graph(const obb_variant *v, const bool *wanted, obb_text *text)
{
    static const char *const shapes[] = {/* by obb_target_kind */
                                         "box", "ellipse", "cylinder", "folder", "cds", "note"};
    const obb_project *p = v->project;
    begin(text, v->name);
    for (size_t i = 0; i < p->targets.count; i++) {
        const obb_target *t = obb_in(v, p->targets.at[i]);
        if (!wanted[i])
            continue;
        node(text, t->name, t->name, shapes[t->kind]);
        for (size_t k = 0; k < t->uses.count; k++)
            if (wanted[t->uses.at[k].target->number])
                edge(text, t->name, t->uses.at[k].target->name,
                     t->uses.at[k].at_run_time ? " [style=dotted]"
                     : t->uses.at[k].shared    ? ""
                                               : " [style=dashed]");
    }
    obb_text_string(text, "}\n");
}

/* --- headers ------------------------------------------------------------------------ */

static bool drawn(const obb_includes *all, obb_file file, bool system_too)
{
    return system_too || !obb_path_outside(obb_files_path(all->plan->files, file));
}

void obb_report_header_graph(const obb_includes *all, const char *name, bool system_too, obb_text *text)
{
    obb_map seen = {0};
    const obb_files *files = all->plan->files;
    begin(text, name);
    for (size_t i = 0; i < all->edges.count; i++) {
        const obb_include_edge *e = &all->edges.at[i];
        const obb_file ends[] = {e->from, e->to};
        if (!drawn(all, e->to, system_too) || !drawn(all, e->from, system_too))
            continue;
        for (int k = 0; k < 2; k++) {
            const char *path = obb_files_path(files, ends[k]);
            if (!obb_map_put(&seen, path, text))
                node(text, path, path, obb_is_header(path) ? "ellipse" : "box");
        }
        edge(text, obb_files_path(files, e->from), obb_files_path(files, e->to), "");
    }
    obb_text_string(text, "}\n");
    obb_map_free(&seen);
}

/* --- actions ------------------------------------------------------------------------ */

void obb_report_action_graph(const obb_dependency_table *table, const bool *wanted, obb_text *text)
{
    const obb_plan *plan = table->plan;
    begin(text, plan->project->name);
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        const obb_dependencies *d = obb_dependencies_of(table, a);
        const char *output = obb_files_path(plan->files, a->output);
        if (!wanted[i])
            continue;
        node(text, output,
             obb_arena_format(plan->arena, "%s %s", obb_action_verb(a), obb_action_subject(plan, a)),
             a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE ? "box"
             : a->kind == OBB_MAKE_IMAGE                       ? "cylinder"
                                                               : "ellipse");
        for (size_t k = 0; k < d->needs.count; k++) {
            bool again = false; /* one need may make several inputs */
            for (size_t m = 0; m < k; m++)
                again = again || d->needs.at[m] == d->needs.at[k];
            if (!again && wanted[d->needs.at[k]])
                edge(text, obb_files_path(plan->files, plan->actions.at[d->needs.at[k]]->output), output, "");
        }
    }
    obb_text_string(text, "}\n");
}
