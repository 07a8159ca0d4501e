/* Savings (plan/savings.h). Nodes are numbers in the order of a depth-first walk that is left last to first,
 * so that a node's dominator always has a smaller number than the node. */
#include "plan/savings.h"

#include <stdlib.h>

#include "base/vec.h"

static const uint32_t NONE = UINT32_MAX;

/* Edges by the node that they start from: `first` by node, `next` by edge; NONE ends a list. */
typedef struct edges {
    uint32_t *first, *next, *to;
    uint32_t count;
} edges;

typedef struct graph {
    const obb_read_file *files;
    uint32_t count;
    edges out, in;         /* by place in `files` */
    uint32_t *number, *at; /* of a place, and back; NONE: not reached */
} graph;

static edges new_edges(size_t nodes, size_t count)
{
    edges e = {.first = obb_alloc((nodes + 1) * sizeof(uint32_t)),
               .next = obb_alloc((count + 1) * sizeof(uint32_t)),
               .to = obb_alloc((count + 1) * sizeof(uint32_t))};
    for (size_t i = 0; i <= nodes; i++)
        e.first[i] = NONE;
    return e;
}

static void add_edge(edges *e, uint32_t from, uint32_t to)
{
    e->to[e->count] = to;
    e->next[e->count] = e->first[from];
    e->first[from] = e->count++;
}

static void free_edges(edges *e)
{
    free(e->first);
    free(e->next);
    free(e->to);
}

static int by_file(const void *a, const void *b)
{
    const obb_file x = *(const obb_file *)a, y = *(const obb_file *)b;
    return x < y ? -1 : x > y;
}

/* A place in `files` by its file. */
typedef struct place {
    obb_file file;
    uint32_t at;
} place;

static uint32_t place_of(const place *places, size_t count, obb_file file)
{
    const place *found = bsearch(&file, places, count, sizeof *places, by_file);
    return found ? found->at : NONE;
}

/* Each time that a file is read, its lines count; those of the source count once. */
static void add_edges(graph *g, const obb_scan_result *scan, obb_read_file *files)
{
    place *places = obb_alloc((g->count + 1) * sizeof *places);
    for (uint32_t i = 0; i < g->count; i++)
        places[i] = (place){g->files[i].file, i};
    qsort(places, g->count, sizeof *places, by_file);
    for (size_t i = 0; i < scan->includes.count; i++) {
        uint32_t from = place_of(places, g->count, scan->includes.at[i].from),
                 to = place_of(places, g->count, scan->includes.at[i].to);
        if (from == NONE || to == NONE)
            continue;
        files[to].saved += scan->includes.at[i].again ? 0 : files[to].lines;
        if (from == to)
            continue;
        add_edge(&g->out, from, to);
        add_edge(&g->in, to, from);
    }
    free(places);
}

/* Numbers the nodes that are reached from the first one; gives how many. */
static uint32_t walk(graph *g)
{
    uint32_t *stack = obb_alloc((g->count + 1) * sizeof *stack),
             *next = obb_alloc((g->count + 1) * sizeof *next);
    uint32_t depth = 1, left = 0;
    bool *seen = obb_alloc(g->count + 1);
    for (uint32_t i = 0; i < g->count; i++) {
        next[i] = g->out.first[i];
        g->number[i] = NONE;
    }
    stack[0] = 0;
    seen[0] = true;
    while (depth) {
        uint32_t node = stack[depth - 1], e = next[node];
        if (e == NONE) {
            g->at[left] = node;
            g->number[node] = left++;
            depth--;
            continue;
        }
        next[node] = g->out.next[e];
        if (!seen[g->out.to[e]]) {
            seen[g->out.to[e]] = true;
            stack[depth++] = g->out.to[e];
        }
    }
    for (uint32_t i = 0; i < left / 2; i++) { /* the one that was left last is the first */
        uint32_t swap = g->at[i];
        g->at[i] = g->at[left - 1 - i];
        g->at[left - 1 - i] = swap;
    }
    for (uint32_t i = 0; i < left; i++)
        g->number[g->at[i]] = i;
    free(stack);
    free(next);
    free(seen);
    return left;
}

static uint32_t common(const uint32_t *dominator, uint32_t a, uint32_t b)
{
    while (a != b) {
        while (a > b)
            a = dominator[a];
        while (b > a)
            b = dominator[b];
    }
    return a;
}

/* The dominator of each numbered node, by number. */
static uint32_t *dominators(const graph *g, uint32_t reached)
{
    uint32_t *dominator = obb_alloc((reached + 1) * sizeof *dominator);
    for (uint32_t i = 1; i < reached; i++)
        dominator[i] = NONE;
    for (bool more = true; more;) {
        more = false;
        for (uint32_t i = 1; i < reached; i++) {
            uint32_t now = NONE;
            for (uint32_t e = g->in.first[g->at[i]]; e != NONE; e = g->in.next[e]) {
                uint32_t from = g->number[g->in.to[e]];
                if (from != NONE && dominator[from] != NONE)
                    now = now == NONE ? from : common(dominator, from, now);
            }
            more = more || now != dominator[i];
            dominator[i] = now;
        }
    }
    return dominator;
}

void obb_find_savings(const obb_scan_result *scan, obb_read_file *files, size_t count)
{
    graph g = {.files = files, .count = (uint32_t)count};
    if (!count)
        return;
    g.out = new_edges(count, scan->includes.count);
    g.in = new_edges(count, scan->includes.count);
    g.number = obb_alloc((count + 1) * sizeof *g.number);
    g.at = obb_alloc((count + 1) * sizeof *g.at);
    for (size_t i = 0; i < count; i++)
        files[i].saved = i ? 0 : files[i].lines;
    add_edges(&g, scan, files);
    uint32_t reached = walk(&g), *dominator = dominators(&g, reached);
    for (uint32_t i = reached; i-- > 1;)
        files[g.at[dominator[i]]].saved += files[g.at[i]].saved;
    free(dominator);
    free(g.number);
    free(g.at);
    free_edges(&g.out);
    free_edges(&g.in);
}
