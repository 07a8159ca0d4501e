#include "build/selection.h"
#include "cli/questions.h"

#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "plan/differences.h"
#include "plan/includes.h"
#include "report/report.h"

enum { MOST_COSTS = 30 };

bool questions_asked(const options *o)
{
    return o->who || o->chain || o->circles || o->ambiguous || o->costs || o->never || o->missing ||
           o->differences;
}

static const char *path_of(const session *s, obb_file file)
{
    return obb_files_path(s->w->files, file);
}

static char *number(const session *s, uint64_t n)
{
    return obb_arena_format(s->w->arena, "%llu", (unsigned long long)n);
}

static bool compiles(const session *s, size_t i)
{
    const obb_action *a = s->w->plan->actions.at[i];
    return s->w->wanted[i] && (a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE);
}

static bool reads(const obb_action *a, obb_file file)
{
    for (size_t i = 0; i < a->inputs.count; i++)
        if (a->inputs.at[i] == file)
            return true;
    return false;
}

/* What a compiler or an earlier build told of may not have been looked at yet. */
static void look_at_inputs(session *s)
{
    for (size_t i = 0; i < s->w->plan->actions.count; i++)
        for (size_t k = 0; s->w->wanted[i] && k < s->w->plan->actions.at[i]->inputs.count; k++)
            obb_files_stamp(s->w->files, s->w->plan->actions.at[i]->inputs.at[k]);
}

/* Other names, by links, under which the same file is read. */
static void add_other_names(session *s, obb_file file, obb_file_list *files)
{
    look_at_inputs(s);
    const obb_stamp *stamp = obb_files_stamp(s->w->files, file);
    obb_stamp one = stamp ? *stamp : (obb_stamp){.inode = 0};
    for (obb_file f = 0; stamp && f < obb_files_count(s->w->files); f++) {
        const obb_cached_stat look = obb_files_cached_stat(s->w->files, f);
        if (f != file && look.stamp && obb_stamp_same(look.stamp, &one))
            obb_arena_push(s->w->arena, files, f);
    }
}

/* The name under which a file is read, when it is not read under its own. */
static obb_file name_read(session *s, obb_file file)
{
    obb_file_list names = {0};
    obb_arena_push(s->w->arena, &names, file);
    add_other_names(s, file, &names);
    for (size_t k = 0; k < names.count; k++)
        for (size_t i = 0; i < s->w->plan->actions.count; i++)
            if (s->w->wanted[i] && reads(s->w->plan->actions.at[i], names.at[k]))
                return names.at[k];
    return file;
}

/* The files that are read and whose path ends with a name. */
static void read_so_called(const session *s, const char *name, obb_file_list *files)
{
    const obb_typed_name typed = obb_type_name(s->w, name);
    bool *seen = obb_arena_alloc(s->w->arena, obb_files_count(s->w->files) + 1);
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        for (size_t k = 0; s->w->wanted[i] && k < a->inputs.count; k++) {
            obb_file file = a->inputs.at[k];
            if (!seen[file] && obb_fit_name(&typed, obb_files_path(s->w->files, file)) == OBB_NAME_IS_END)
                obb_arena_push(s->w->arena, files, file);
            seen[file] = true;
        }
    }
}

/* A file that a person names: by its path, or by the end of the path of one that is read. OBB_NO_FILE with an
 * error. */
static obb_file file_named(session *s, const char *name)
{
    obb_file file = obb_files_number(s->w->files, obb_workspace_path(s->w, name));
    obb_file_list found = {0};
    if (obb_files_is_file(s->w->files, file))
        return name_read(s, file);
    read_so_called(s, name, &found);
    if (found.count == 1)
        return found.at[0];
    obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                            found.count ? "several files are called `%s`" : "there is no file `%s`", name);
    for (size_t i = 0; i < found.count; i++)
        obb_also(s->w->diags, d, OBB_NOWHERE, "%s", obb_files_path(s->w->files, found.at[i]));
    obb_hint(s->w->diags, d, "name it by its path; `obbligato scan` lists what is read");
    return OBB_NO_FILE;
}

/* A table that may be empty: then a sentence says so, but for programs. */
static int print_rows(session *s, table *t, const char *none)
{
    if (t->cells.count > t->columns || s->options->json) {
        table_print(t, s->options->json);
    } else {
        terminal_say(stdout, "%s\n", none);
        table_drop(t);
    }
    return 0;
}

static void print_or_add(json_t *document, table *t, const char *title)
{
    if (document) {
        json_object_set_new(document, t->name, table_rows(t));
        return;
    }
    terminal_ink(stdout, INK_STRONG, "%s\n", title);
    table_print(t, false);
}

/* --- who includes it ---------------------------------------------------------------- */

static int answer_who(session *s, const obb_includes *all)
{
    obb_file file = file_named(s, s->options->who);
    if (file == OBB_NO_FILE)
        return obb_workspace_tell(s->w);
    json_t *document = s->options->json ? json_object() : NULL;
    table direct = {.name = "direct", .columns = 2}, through = {.name = "compiles", .columns = 5};
    size_t count = 0;
    table_row(&direct, "included by", ">line");
    for (size_t i = 0; i < all->edges.count; i++)
        if (all->edges.at[i].to == file)
            table_row(&direct, path_of(s, all->edges.at[i].from), number(s, (uint64_t)all->edges.at[i].line));
    table_row(&through, "source", "target", "variant", ">steps", "through");
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        if (!compiles(s, i) || a->source == file || !reads(a, file))
            continue;
        obb_include_edges chain = obb_includes_chain(all, a->source, file);
        table_row(&through, path_of(s, a->source), a->target->name, a->variant->name, number(s, chain.count),
                  chain.count > 1 ? path_of(s, chain.at[0].to) : "");
        count++;
    }
    print_or_add(document, &direct, obb_arena_format(s->w->arena, "%s is included by", path_of(s, file)));
    if (!document)
        putchar('\n');
    print_or_add(document, &through,
                 obb_arena_format(s->w->arena, "and so read by %zu compile%s", count, count == 1 ? "" : "s"));
    if (document)
        json_print(document, "includers");
    return 0;
}

/* --- chains, circles ---------------------------------------------------------------- */

/* The steps of a chain; of one of several circles, with its number. */
static void chain_rows(session *s, table *t, const char *group, const obb_include_edges *chain)
{
    for (size_t i = 0; i < chain->count; i++) {
        const char *from = path_of(s, chain->at[i].from), *to = path_of(s, chain->at[i].to);
        if (group)
            table_row(t, group, from, number(s, (uint64_t)chain->at[i].line), to);
        else
            table_row(t, from, number(s, (uint64_t)chain->at[i].line), to);
    }
}

static int answer_chain(session *s, const obb_includes *all, const obb_words *from)
{
    table t = {.name = "chain", .columns = 3};
    if (from->count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`--chain %s` wants the file to start from",
                                  s->options->chain, "obbligato scan --chain HEADER SOURCE");
    obb_file to = file_named(s, s->options->chain), start = file_named(s, from->at[0]);
    if (to == OBB_NO_FILE || start == OBB_NO_FILE)
        return obb_workspace_tell(s->w);
    obb_include_edges chain = obb_includes_chain(all, start, to);
    if (!chain.count && !s->options->json) {
        terminal_say(stdout, "%s does not include %s, in any way\n", path_of(s, start), path_of(s, to));
        return 0;
    }
    table_row(&t, "file", ">line", "includes");
    chain_rows(s, &t, NULL, &chain);
    table_print(&t, s->options->json);
    return 0;
}

static int answer_circles(session *s, const obb_includes *all)
{
    table t = {.name = "circles", .columns = 4};
    obb_include_circles circles = obb_includes_circles(all);
    table_row(&t, "circle", "file", ">line", "includes");
    for (size_t i = 0; i < circles.count; i++)
        chain_rows(s, &t, number(s, i + 1), &circles.at[i]);
    return print_rows(s, &t, "no file includes itself, in any way");
}

/* --- names in several folders ------------------------------------------------------- */

/* Names that only the system has several times are its own affair, unless all is asked for. */
static bool of_the_project(const session *s, const obb_ambiguity *a)
{
    bool ours = !obb_path_outside(path_of(s, a->winner));
    for (size_t i = 0; i < a->others.count; i++)
        ours = ours || !obb_path_outside(path_of(s, a->others.at[i]));
    return ours || s->options->verbose;
}

static int answer_ambiguous(session *s, const obb_includes *all)
{
    table t = {.name = "ambiguous", .columns = 3};
    table_row(&t, "name", "read", "also in");
    for (size_t i = 0; i < all->ambiguous.count; i++) {
        const obb_ambiguity *a = &all->ambiguous.at[i];
        for (size_t k = 0; k < a->others.count && of_the_project(s, a); k++)
            table_row(&t, k ? "" : a->name, k ? "" : path_of(s, a->winner), path_of(s, a->others.at[k]));
    }
    return print_rows(s, &t, s->options->verbose ? "every name that is included is in one folder alone"
                             : "every name that is included is in one folder alone (-v: also the system's)");
}

/* --- costs -------------------------------------------------------------------------- */

static int answer_costs(session *s, const obb_includes *all)
{
    table t = {.name = "costs", .columns = 6};
    size_t most = s->options->verbose || s->options->json ? all->costs.count : MOST_COSTS;
    table_row(&t, "header", ">compiles", ">own lines", ">lines brought in", ">per compile", ">bytes read");
    for (size_t i = 0; i < all->costs.count && i < most; i++) {
        const obb_header_cost *c = &all->costs.at[i];
        table_row(&t, path_of(s, c->file), number(s, c->times), number(s, c->lines), number(s, c->brought),
                  number(s, c->times ? c->brought / c->times : 0), number(s, c->bytes * c->times));
    }
    table_print(&t, s->options->json);
    if (most < all->costs.count)
        terminal_say(stdout, "(%zu cheaper ones; -v shows them)\n", all->costs.count - most);
    return 0;
}

/* --- never included, missing -------------------------------------------------------- */

static int answer_never(session *s)
{
    static const char *const suffixes[] = {"h", "hh", "hpp", "hxx", "inc", "ipp", NULL};
    table t = {.name = "never-included", .columns = 2};
    obb_file_list headers = {0};
    bool *read = obb_alloc(obb_files_count(s->w->files) + 1);
    size_t known = obb_files_count(s->w->files);
    for (size_t i = 0; i < s->w->plan->actions.count; i++)
        for (size_t k = 0; s->w->wanted[i] && k < s->w->plan->actions.at[i]->inputs.count; k++)
            read[s->w->plan->actions.at[i]->inputs.at[k]] = true;
    for (const char *const *suffix = suffixes; *suffix; suffix++)
        obb_files_expand(s->w->files, obb_arena_format(s->w->arena, "**/*.%s", *suffix), &headers);
    table_row(&t, "header", ">bytes");
    for (size_t i = 0; i < headers.count; i++) {
        if (headers.at[i] < known && read[headers.at[i]])
            continue;
        table_row(&t, path_of(s, headers.at[i]),
                  number(s, obb_files_stamp(s->w->files, headers.at[i])->size));
    }
    obb_vec_free(&headers);
    free(read);
    return print_rows(s, &t, "every header of the project is included by something that was scanned");
}

static int answer_missing(session *s)
{
    table t = {.name = "missing", .columns = 6};
    obb_map seen = {0};
    table_row(&t, "header", "included by", ">line", "target", "variant", "source");
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        obb_scan_result r = {0};
        if (!compiles(s, i) || !a->options->setup)
            continue;
        obb_scan(s->w->scanner, a->options->setup, a->source, false, &r);
        for (size_t k = 0; k < r.missing.count; k++) {
            const obb_missing *m = &r.missing.at[k]; /* once, with the first source that comes to it */
            char *key = obb_arena_format(s->w->arena, "%s\n%u\n%d\n%s\n%s", m->name, (unsigned)m->file,
                                         m->line, a->target->name, a->variant->name);
            if (!obb_map_put(&seen, key, s))
                table_row(&t, obb_arena_string(s->w->arena, m->name), path_of(s, m->file),
                          number(s, (uint64_t)m->line), a->target->name, a->variant->name,
                          path_of(s, a->source));
        }
        obb_scan_result_free(&r);
    }
    obb_map_free(&seen);
    return print_rows(s, &t, "no header is missing");
}

static int answer_differences(session *s)
{
    table t = {.name = "differences", .columns = 5};
    table_row(&t, "file", "source or product", "target", "variant", "what");
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        obb_differences known = {0};
        if (!compiles(s, i) && !(s->w->wanted[i] && a->reports))
            continue;
        obb_differences_recall(s->w->plan->toolchains->memo, s->w->plan, a, s->w->arena, &known);
        for (size_t k = 0; k < known.count; k++)
            table_row(&t, known.at[k].path,
                      a->reports ? obb_action_subject(s->w->plan, a) : path_of(s, a->source), a->target->name,
                      a->variant->name,
                      known.at[k].missed ? "read, and not found by the scan"
                                         : "found by the scan, and not read");
    }
    return print_rows(s, &t, "the scan agrees with what the compilers and linkers themselves reported");
}

int questions_answer(session *s, const obb_words *from)
{
    const options *o = s->options;
    if (o->never)
        return answer_never(s);
    if (o->missing)
        return answer_missing(s);
    if (o->differences)
        return answer_differences(s);
    const obb_includes *all = obb_includes_of(s->w->plan, s->w->wanted, s->w->arena);
    if (o->who)
        return answer_who(s, all);
    if (o->chain)
        return answer_chain(s, all, from);
    if (o->circles)
        return answer_circles(s, all);
    return o->ambiguous ? answer_ambiguous(s, all) : answer_costs(s, all);
}

/* --- impact ------------------------------------------------------------------------- */

static void impact_rows(session *s, table *t, const bool *named, const obb_action **by,
                        const obb_file *reads_file, size_t *counts)
{
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        if (!named[i])
            continue;
        counts[a->kind]++;
        table_row(t, obb_action_verb(a), obb_action_subject(s->w->plan, a), a->target->name, a->variant->name,
                  by[i] ? obb_arena_format(s->w->arena, "after %s", obb_action_subject(s->w->plan, by[i]))
                        : obb_arena_format(s->w->arena, "reads %s", path_of(s, reads_file[i])));
    }
}

/* Marks what reads one of the files, then what needs that, and so on. */
static void spread(session *s, const obb_file_list *changed, bool *hit, const obb_action **by,
                   obb_file *reads_file)
{
    bool more = true;
    for (size_t i = 0; i < s->w->plan->actions.count; i++)
        for (size_t k = 0; k < changed->count && s->w->wanted[i] && !hit[i]; k++)
            if (reads(s->w->plan->actions.at[i], changed->at[k])) {
                hit[i] = true;
                reads_file[i] = changed->at[k];
            }
    while (more) {
        more = false;
        for (size_t i = 0; i < s->w->plan->actions.count; i++) {
            const obb_action *a = s->w->plan->actions.at[i];
            for (size_t k = 0; k < a->needs.count && s->w->wanted[i] && !hit[i]; k++)
                if (hit[a->needs.at[k]]) {
                    hit[i] = more = true;
                    by[i] = s->w->plan->actions.at[a->needs.at[k]];
                }
        }
    }
}

static bool is_description(const session *s, const char *path)
{
    for (size_t i = 0; i < s->w->project->descriptions.count; i++)
        if (strcmp(s->w->project->descriptions.at[i], path) == 0)
            return true;
    return false;
}

static int find_changed(session *s, const obb_words *names, obb_file_list *changed)
{
    for (size_t i = 0; i < names->count; i++) {
        const char *path = obb_workspace_path(s->w, names->at[i]);
        obb_file file = OBB_NO_FILE;
        if (is_description(s, path)) {
            obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                    "`%s` is a description: what is made again hangs on the edit", path);
            obb_hint(s->w->diags, d, "edit it, then ask: obbligato build -n");
        } else {
            file = obb_files_number(s->w->files, path);
            file = obb_files_is_file(s->w->files, file) ? file : file_named(s, names->at[i]);
        }
        obb_arena_push(s->w->arena, changed, file);
    }
    return obb_workspace_tell(s->w);
}

static bool touched(const session *s, const obb_target *t, const obb_variant *v, const bool *hit)
{
    const obb_target *program = t->tested ? obb_project_target(s->w->project, t->tested) : t;
    const obb_action *a = obb_left_out(v, t) ? NULL : obb_plan_product(s->w->plan, program, v);
    return a && hit[a->number];
}

/* Tests whose programs would be made again. */
static void tell_tests(const session *s, const bool *hit)
{
    size_t count = 0;
    for (size_t v = 0; v < s->w->variants.count; v++)
        for (size_t i = 0; i < s->w->project->targets.count; i++) {
            const obb_target *t = obb_in(s->w->variants.at[v], s->w->project->targets.at[i]);
            if (t->kind == OBB_TEST && touched(s, t, s->w->variants.at[v], hit))
                terminal_say(stdout, "%s%s (%s)", count++ ? ", " : "tests that it touches: ", t->name,
                             s->w->variants.at[v]->name);
        }
    if (count)
        terminal_say(stdout, "\n");
}

/* The default targets, and all tests. */
static int plan_all(session *s)
{
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = obb_workspace_open_state(s->w, false);
    if (!code)
        code = obb_workspace_choose_variants(s->w);
    if (!code)
        code = obb_workspace_choose_targets(s->w);
    for (size_t i = 0; i < s->w->project->targets.count && !code; i++)
        if (s->w->project->targets.at[i]->kind == OBB_TEST)
            obb_arena_push(s->w->arena, &s->w->targets, s->w->project->targets.at[i]);
    return code ? code : obb_plan_request(s->w);
}

int command_impact(session *s)
{
    obb_words names = s->options->request.names;
    obb_file_list changed = {0};
    table t = {.name = "impact", .columns = 5};
    size_t counts[OBB_ACTION_KINDS] = {0};
    if (!names.count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`impact` wants a file%s", "",
                                  "obbligato impact include/tune.h");
    s->options->request.names.count = 0;
    int code = plan_all(s);
    s->options->request.names.count = names.count;
    if (!code)
        code = obb_scan_all(s->w);
    if (!code)
        code = find_changed(s, &names, &changed);
    if (code)
        return code;
    for (size_t i = 0, named = changed.count; i < named; i++)
        add_other_names(s, changed.at[i], &changed);
    size_t n = s->w->plan->actions.count + 1;
    bool *hit = obb_arena_alloc(s->w->arena, n);
    const obb_action **by = obb_arena_alloc(s->w->arena, n * sizeof *by);
    obb_file *reads_file = obb_arena_alloc(s->w->arena, n * sizeof *reads_file);
    spread(s, &changed, hit, by, reads_file);
    table_row(&t, "action", "makes", "target", "variant", "because it");
    impact_rows(s, &t, hit, by, reads_file, counts);
    size_t all = 0;
    for (int kind = 0; kind < OBB_ACTION_KINDS; kind++)
        all += counts[kind];
    print_rows(s, &t, "nothing that is built by default reads it");
    char room[6][40];
    if (!s->options->json && all)
        terminal_say(stdout, "%s at most: %s, %s, %s, %s, %s; fewer when something comes out the same\n",
                     counted(room[0], sizeof room[0], all, "action", "actions"),
                     counted(room[1], sizeof room[1], counts[OBB_COMPILE] + counts[OBB_ASSEMBLE], "compile",
                             "compiles"),
                     counted(room[2], sizeof room[2], counts[OBB_ARCHIVE], "archive", "archives"),
                     counted(room[3], sizeof room[3], counts[OBB_LINK_LIBRARY] + counts[OBB_LINK_PROGRAM],
                             "link", "links"),
                     counted(room[4], sizeof room[4], counts[OBB_MAKE_IMAGE], "image", "images"),
                     counted(room[5], sizeof room[5], counts[OBB_RUN_STEP], "step", "steps"));
    if (!s->options->json)
        tell_tests(s, hit);
    return 0;
}
