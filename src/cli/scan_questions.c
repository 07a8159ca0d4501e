/* The questions that `scan` answers about headers: who includes one, chains, circles, costs ...
 *
 * All of them are answered from the graph of includes (plan/includes.h), which takes one more scan of the
 * chosen compiles. A question whose answer is empty says so in a sentence. */
#include "cli/scan_questions.h"

#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "build/selection.h"
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

/* A table that may be empty: then a sentence says so, except under --json. */
int questions_print_rows(session *s, table *t, const char *none)
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
    obb_file file = obb_read_file_named(s->w, s->options->who);
    if (file == OBB_NO_FILE)
        return obb_workspace_tell(s->w);
    json_t *document = s->options->json ? json_object() : NULL;
    table direct = {.name = "direct"}, through = {.name = "compiles", .columns = 5};
    size_t count = 0;
    table_row(&direct, "included by", ">line");
    for (size_t i = 0; i < all->edges.count; i++)
        if (all->edges.at[i].to == file)
            table_row(&direct, path_of(s, all->edges.at[i].from), number(s, (uint64_t)all->edges.at[i].line));
    table_row(&through, "source", "target", "variant", ">steps", "through");
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        if (!compiles(s, i) || a->source == file || !obb_action_reads(s->w, a, file))
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
    table t = {.name = "chain"};
    if (from->count != 1)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`--chain %s` needs the file to start from",
                                  s->options->chain, "obbligato scan --chain HEADER SOURCE");
    obb_file to = obb_read_file_named(s->w, s->options->chain),
             start = obb_read_file_named(s->w, from->at[0]);
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
    table t = {.name = "circles"};
    obb_include_circles circles = obb_includes_circles(all);
    table_row(&t, "circle", "file", ">line", "includes");
    for (size_t i = 0; i < circles.count; i++)
        chain_rows(s, &t, number(s, i + 1), &circles.at[i]);
    return questions_print_rows(s, &t, "no file includes itself, in any way");
}

/* --- names in several folders ------------------------------------------------------- */

/* Names that are ambiguous only among system headers are not shown, unless everything is asked for. */
static bool of_the_project(const session *s, const obb_ambiguity *a)
{
    bool ours = !obb_path_outside(path_of(s, a->winner));
    for (size_t i = 0; i < a->others.count; i++)
        ours = ours || !obb_path_outside(path_of(s, a->others.at[i]));
    return ours || s->options->verbose;
}

static int answer_ambiguous(session *s, const obb_includes *all)
{
    table t = {.name = "ambiguous"};
    table_row(&t, "name", "read", "also in");
    for (size_t i = 0; i < all->ambiguous.count; i++) {
        const obb_ambiguity *a = &all->ambiguous.at[i];
        for (size_t k = 0; k < a->others.count && of_the_project(s, a); k++)
            table_row(&t, k ? "" : a->name, k ? "" : path_of(s, a->winner), path_of(s, a->others.at[k]));
    }
    return questions_print_rows(
        s, &t,
        s->options->verbose ? "every name that is included is in one folder alone"
                            : "every name that is included is in one folder alone (-v: also the system's)");
}

/* --- costs -------------------------------------------------------------------------- */

static int answer_costs(session *s, const obb_includes *all)
{
    table t = {.name = "costs"};
    size_t most = s->options->verbose || s->options->json ? all->costs.count : MOST_COSTS;
    table_row(&t, "header", ">compiles", ">own lines", ">lines brought in", ">per compile",
              ">saved without it", ">bytes read");
    for (size_t i = 0; i < all->costs.count && i < most; i++) {
        const obb_header_cost *c = &all->costs.at[i];
        table_row(&t, path_of(s, c->file), number(s, c->times), number(s, c->lines), number(s, c->brought),
                  number(s, c->times ? c->brought / c->times : 0), number(s, c->saved),
                  number(s, c->bytes * c->times));
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
    table t = {.name = "never-included"};
    obb_file_list headers = {0};
    bool *read = obb_alloc(obb_files_count(s->w->files) + 1);
    size_t known = obb_files_count(s->w->files);
    for (size_t i = 0; i < s->w->plan->actions.count; i++)
        for (size_t k = 0; s->w->wanted[i] && k < s->w->dependencies->of[i].inputs.count; k++)
            read[s->w->dependencies->of[i].inputs.at[k]] = true;
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
    return questions_print_rows(s, &t,
                                "every header of the project is included by something that was scanned");
}

static int answer_missing(session *s)
{
    table t = {.name = "missing"};
    obb_map seen = {0};
    table_row(&t, "header", "included by", ">line", "target", "variant", "source");
    for (size_t i = 0; i < s->w->plan->actions.count; i++) {
        const obb_action *a = s->w->plan->actions.at[i];
        const obb_preprocessor_setup *setup = s->w->dependencies->of[i].setup;
        obb_scan_result r = {0};
        if (!compiles(s, i) || !setup)
            continue;
        obb_scan(s->w->scanner, setup, a->source, false, &r);
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
    return questions_print_rows(s, &t, "no header is missing");
}

static int answer_differences(session *s)
{
    table t = {.name = "differences"};
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
    return questions_print_rows(s, &t,
                                "the scan agrees with what the compilers and linkers themselves reported");
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
    const obb_includes *all = obb_includes_of(s->w->dependencies, s->w->wanted, NULL, s->w->arena);
    if (o->who)
        return answer_who(s, all);
    if (o->chain)
        return answer_chain(s, all, from);
    if (o->circles)
        return answer_circles(s, all);
    return o->ambiguous ? answer_ambiguous(s, all) : answer_costs(s, all);
}
