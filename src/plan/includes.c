/* The graph of includes (includes.h), built once from the scans of all wanted compiles; each question walks
 * it.
 *
 * Edges are kept once for each pair of files; costs are sums over all compiles that read a header. Chains
 * and circles are found on this graph without further scans. */
#include "plan/includes.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "plan/savings.h"

typedef struct gatherer {
    obb_includes *all;
    const obb_plan *plan;
    obb_map edges;     /* "from to" -> seen */
    obb_map costs;     /* path -> obb_header_cost */
    obb_map ambiguous; /* "name winner" -> seen */
} gatherer;

/* --- edges -------------------------------------------------------------------------- */

static void add_edge(gatherer *g, const obb_include *in)
{
    char key[40];
    bool added;
    int n = snprintf(key, sizeof key, "%x %x", (unsigned)in->from, (unsigned)in->to);
    if (obb_map_find(&g->edges, key, (size_t)n) != UINT32_MAX)
        return;
    obb_map_number(&g->edges, obb_arena_string(g->all->arena, key), (size_t)n, &added);
    obb_arena_push(g->all->arena, &g->all->edges, (obb_include_edge){in->from, in->to, in->line});
}

/* --- costs -------------------------------------------------------------------------- */

/* Its bytes, and its lines; 0 when it cannot be read. */
static uint64_t read_file(gatherer *g, obb_file file, uint64_t *lines)
{
    obb_text text = {0};
    uint64_t bytes = 0;
    *lines = 0;
    if (!obb_files_read(g->plan->files, file, &text)) {
        bytes = text.length;
        for (size_t i = 0; i < text.length; i++)
            *lines += text.bytes[i] == '\n';
    }
    obb_text_free(&text);
    return bytes;
}

static obb_header_cost *cost_of(gatherer *g, obb_file file)
{
    const char *path = obb_files_path(g->plan->files, file);
    obb_header_cost *c = obb_map_get(&g->costs, path);
    if (c)
        return c;
    c = obb_arena_alloc(g->all->arena, sizeof *c);
    c->file = file;
    c->bytes = read_file(g, file, &c->lines);
    obb_map_put(&g->costs, path, c);
    return c;
}

/* What the include at `i` brings in: itself and all that is included below it for the first
 * time. Gives the index behind it. */
static size_t add_cost(gatherer *g, const obb_scan_result *r, size_t i, double took, uint64_t *lines)
{
    const obb_include *in = &r->includes.at[i];
    obb_header_cost *c = in->again ? NULL : cost_of(g, in->to);
    uint64_t brought = c ? c->lines : 0;
    size_t k = i + 1;
    while (k < r->includes.count && r->includes.at[k].depth > in->depth)
        k = add_cost(g, r, k, took, &brought);
    if (c) {
        c->times++;
        c->brought += brought;
        c->milliseconds += took * (double)brought;
    }
    *lines += brought;
    return k;
}

/* `took`: milliseconds. They are shared by lines, those of the source included. */
static void add_costs(gatherer *g, const obb_scan_result *r, uint64_t took)
{
    obb_read_file *files = obb_alloc((r->files.count + 1) * sizeof *files);
    for (size_t i = 0; i < r->files.count; i++)
        files[i] = (obb_read_file){.file = r->files.at[i],
                                   .lines = i ? cost_of(g, r->files.at[i])->lines : 0};
    if (r->files.count)
        read_file(g, r->files.at[0], &files[0].lines);
    obb_find_savings(r, files, r->files.count);
    double of_line = files[0].saved ? (double)took / (double)files[0].saved
                                    : 0; /* without it, nothing is read */
    uint64_t brought = 0;
    for (size_t i = 0; i < r->includes.count;)
        i = add_cost(g, r, i, of_line, &brought);
    for (size_t i = 1; i < r->files.count; i++) {
        obb_header_cost *c = cost_of(g, files[i].file);
        c->saved += files[i].saved;
        c->saved_milliseconds += of_line * (double)files[i].saved;
    }
    free(files);
}

/* --- names in several folders ------------------------------------------------------- */

static void add_ambiguity(gatherer *g, const obb_preprocessor_setup *setup, obb_file file)
{
    const obb_plan *plan = g->plan;
    obb_arena *arena = g->all->arena;
    const char *path = obb_files_path(plan->files, file), *name = NULL;
    obb_ambiguity a = {.winner = file};
    for (size_t i = 0; i < setup->folders.count; i++) {
        const char *folder = obb_files_path(plan->files, setup->folders.at[i]);
        bool root = strcmp(folder, ".") == 0;
        if (!name && (root ? path[0] != '/' : obb_path_within(path, folder)))
            name = root ? path : path + strlen(folder) + 1;
        obb_file other = name ? obb_files_number(plan->files,
                                                 obb_files_resolve(plan->files, arena, folder, name))
                              : OBB_NO_FILE;
        if (other != OBB_NO_FILE && other != file && obb_files_is_file(plan->files, other))
            obb_arena_push(arena, &a.others, other);
    }
    if (!a.others.count || obb_map_put(&g->ambiguous, obb_arena_format(arena, "%s %s", name, path), g))
        return;
    a.name = name;
    obb_arena_push(arena, &g->all->ambiguous, a);
}

/* --- all of it ---------------------------------------------------------------------- */

static void gather(gatherer *g, const obb_action *a, const obb_preprocessor_setup *setup, uint64_t took)
{
    obb_scan_result r = {0};
    obb_scan(g->plan->scanner, setup, a->source, true, &r);
    for (size_t i = 0; i < r.includes.count; i++)
        add_edge(g, &r.includes.at[i]);
    add_costs(g, &r, took);
    for (size_t i = 1; i < r.files.count; i++)
        add_ambiguity(g, setup, r.files.at[i]);
    obb_scan_result_free(&r);
}

static int by_cost(const void *a, const void *b)
{
    const obb_header_cost *x = a, *y = b;
    if (x->brought != y->brought)
        return x->brought > y->brought ? -1 : 1;
    return x->file < y->file ? -1 : x->file > y->file;
}

static int by_name(const void *a, const void *b)
{
    const obb_ambiguity *x = a, *y = b;
    return strcmp(x->name, y->name);
}

obb_includes *obb_includes_of(const obb_dependency_table *table, const bool *wanted, const uint64_t *took,
                              obb_arena *arena)
{
    const obb_plan *plan = table->plan;
    obb_includes *all = obb_arena_alloc(arena, sizeof *all);
    gatherer g = {.all = all, .plan = plan};
    all->plan = plan;
    all->arena = arena;
    for (size_t i = 0; i < plan->actions.count; i++) {
        if (wanted[i] && table->of[i].setup)
            gather(&g, plan->actions.at[i], table->of[i].setup, took ? took[i] : 0);
    }
    for (size_t i = 0; i < g.costs.count; i++)
        obb_arena_push(arena, &all->costs, *(obb_header_cost *)g.costs.at[i].value);
    if (all->costs.count)
        qsort(all->costs.at, all->costs.count, sizeof *all->costs.at, by_cost);
    if (all->ambiguous.count)
        qsort(all->ambiguous.at, all->ambiguous.count, sizeof *all->ambiguous.at, by_name);
    obb_map_free(&g.edges);
    obb_map_free(&g.costs);
    obb_map_free(&g.ambiguous);
    return all;
}

/* --- chains and circles ------------------------------------------------------------- */

/* Edges by the file that they start from: `first` by file, `next` by edge; counted from 1. */
typedef struct adjacency {
    uint32_t *first, *next;
    size_t files;
} adjacency;

static adjacency index_edges(const obb_includes *all)
{
    adjacency a = {.files = obb_files_count(all->plan->files)};
    a.first = obb_alloc(a.files * sizeof *a.first);
    a.next = obb_alloc((all->edges.count + 1) * sizeof *a.next);
    for (size_t i = all->edges.count; i-- > 0;) {
        a.next[i] = a.first[all->edges.at[i].from];
        a.first[all->edges.at[i].from] = (uint32_t)i + 1;
    }
    return a;
}

/* Breadth first: the edges of a shortest way from one file to another, at least one long. */
static obb_include_edges shortest(const obb_includes *all, const adjacency *a, obb_file from, obb_file to)
{
    obb_include_edges chain = {0};
    uint32_t *by = obb_alloc(a->files * sizeof *by); /* the edge that reached a file, from 1 */
    OBB_VEC(obb_file) queue = {0};
    obb_vec_push(&queue, from);
    for (size_t q = 0; q < queue.count && !by[to]; q++)
        for (uint32_t e = a->first[queue.at[q]]; e; e = a->next[e - 1]) {
            obb_file next = all->edges.at[e - 1].to;
            if (by[next] || (next == from && next != to))
                continue;
            by[next] = e;
            obb_vec_push(&queue, next);
        }
    for (obb_file at = to; by[at];) {
        const obb_include_edge *e = &all->edges.at[by[at] - 1];
        obb_arena_push(all->arena, &chain, *e);
        at = e->from;
        if (at == from)
            break;
    }
    for (size_t i = 0; i < chain.count / 2; i++) {
        obb_include_edge swap = chain.at[i];
        chain.at[i] = chain.at[chain.count - 1 - i];
        chain.at[chain.count - 1 - i] = swap;
    }
    obb_vec_free(&queue);
    free(by);
    return chain;
}

obb_include_edges obb_includes_chain(const obb_includes *all, obb_file from, obb_file to)
{
    adjacency a = index_edges(all);
    obb_include_edges chain = shortest(all, &a, from, to);
    free(a.first);
    free(a.next);
    return chain;
}

/* Strongly connected components (R. Tarjan 1972), without recursion: headers nest deep. */
typedef struct finder {
    const obb_includes *all;
    const adjacency *edges;
    uint32_t *index, *low, *at; /* by file; `at`: the edge that is followed next, from 1 */
    bool *on_stack;
    OBB_VEC(obb_file) stack, trail;
    uint32_t next;
    obb_include_circles *found;
} finder;

static void enter(finder *f, obb_file file)
{
    f->index[file] = f->low[file] = ++f->next;
    f->at[file] = f->edges->first[file];
    f->on_stack[file] = true;
    obb_vec_push(&f->stack, file);
    obb_vec_push(&f->trail, file);
}

/* A component is complete: when it is a circle, the shortest through its first file is kept. */
static void leave(finder *f, obb_file file)
{
    size_t size = 0;
    obb_file member;
    bool itself = false;
    do {
        member = f->stack.at[--f->stack.count];
        f->on_stack[member] = false;
        size++;
    } while (member != file);
    for (uint32_t e = f->edges->first[file]; e; e = f->edges->next[e - 1])
        itself = itself || f->all->edges.at[e - 1].to == file;
    if (size > 1 || itself)
        obb_arena_push(f->all->arena, f->found, shortest(f->all, f->edges, file, file));
}

static void walk(finder *f, obb_file start)
{
    enter(f, start);
    while (f->trail.count) {
        obb_file file = f->trail.at[f->trail.count - 1];
        uint32_t e = f->at[file];
        if (e) {
            obb_file to = f->all->edges.at[e - 1].to;
            f->at[file] = f->edges->next[e - 1];
            if (!f->index[to])
                enter(f, to);
            else if (f->on_stack[to] && f->index[to] < f->low[file])
                f->low[file] = f->index[to];
            continue;
        }
        f->trail.count--;
        if (f->trail.count && f->low[file] < f->low[f->trail.at[f->trail.count - 1]])
            f->low[f->trail.at[f->trail.count - 1]] = f->low[file];
        if (f->low[file] == f->index[file])
            leave(f, file);
    }
}

obb_include_circles obb_includes_circles(const obb_includes *all)
{
    obb_include_circles found = {0};
    adjacency a = index_edges(all);
    finder f = {.all = all, .edges = &a, .found = &found};
    f.index = obb_alloc(a.files * sizeof *f.index);
    f.low = obb_alloc(a.files * sizeof *f.low);
    f.at = obb_alloc(a.files * sizeof *f.at);
    f.on_stack = obb_alloc(a.files);
    for (size_t i = 0; i < all->edges.count; i++)
        if (!f.index[all->edges.at[i].from])
            walk(&f, all->edges.at[i].from);
    free(f.index);
    free(f.low);
    free(f.at);
    free(f.on_stack);
    obb_vec_free(&f.stack);
    obb_vec_free(&f.trail);
    free(a.first);
    free(a.next);
    return found;
}
