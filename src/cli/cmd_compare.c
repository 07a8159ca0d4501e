/* The command `compare`: two variants side by side.
 *
 * Both variants are planned and scanned in one plan; settings, commands, times and sizes are then compared
 * table by table. Nothing is built: what was not built has no size and no time. Under --json the tables are
 * members of one document. */
#include <stdio.h>
#include <string.h>

#include "base/path.h"
#include "build/accounts.h"
#include "build/selection.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

typedef struct sides {
    session *s;
    const obb_variant *v[2];
    json_t *document; /* under --json: one member a table */
} sides;

static char *place_text(const sides *c, const obb_place *p)
{
    if (!p->file || !p->line || p->file[0] == '<')
        return obb_arena_string(c->s->w->arena, "built in");
    return obb_arena_format(c->s->w->arena, "%s:%d", p->file, p->line);
}

/* The headings of a side's columns: its variant for users, always the same for programs. */
static const char *column(const sides *c, int side, const char *more)
{
    static const char *const fixed[] = {"first", "second"};
    return c->document ? obb_arena_format(c->s->w->arena, "%s%s", fixed[side], more)
           : *more     ? "set by"
                       : c->v[side]->name;
}

static void show(sides *c, table *t, const char *title)
{
    if (c->document) {
        json_object_set_new(c->document, t->name, table_rows(t));
    } else if (t->cells.count > t->columns) {
        terminal_ink(stdout, INK_STRONG, "%s\n", title);
        table_print(t, false);
        putchar('\n');
    } else {
        table_drop(t);
    }
}

/* --- axes and settings -------------------------------------------------------------- */

static void compare_axes(sides *c)
{
    table t = {.name = "axes"};
    table_row(&t, "axis", column(c, 0, ""), column(c, 0, "-set-by"), column(c, 1, ""),
              column(c, 1, "-set-by"));
    for (size_t i = 0; i < c->s->w->project->axes.count; i++)
        if (strcmp(c->v[0]->values[i], c->v[1]->values[i]) != 0)
            table_row(&t, c->s->w->project->axes.at[i]->name, c->v[0]->values[i], c->v[0]->value_from[i],
                      c->v[1]->values[i], c->v[1]->value_from[i]);
    show(c, &t, "Axes that differ");
}

/* A setting that only one side has, and how many of the targets it was found in. */
typedef struct difference {
    int side;
    const obb_origin_setting *setting;
    size_t targets;
    const char *target; /* the first */
} difference;

typedef OBB_VEC(difference) differences;

static bool same_setting(const obb_origin_setting *a, const obb_origin_setting *b)
{
    return a->id == b->id && strcmp(a->value, b->value) == 0;
}

static bool has_setting(const obb_flat_settings *all, const obb_origin_setting *s)
{
    for (size_t i = 0; i < all->count; i++)
        if (same_setting(&all->at[i], s))
            return true;
    return false;
}

static void add_difference(sides *c, differences *list, int side, const obb_origin_setting *s,
                           const char *target)
{
    for (size_t i = 0; i < list->count; i++)
        if (list->at[i].side == side && same_setting(list->at[i].setting, s) &&
            list->at[i].setting->place.line == s->place.line &&
            obb_same(list->at[i].setting->place.file, s->place.file)) {
            list->at[i].targets++;
            return;
        }
    obb_arena_push(c->s->w->arena, list, (difference){side, s, 1, target});
}

static void compare_settings(sides *c)
{
    table t = {.name = "settings"};
    differences list = {0};
    size_t compared = 0;
    for (size_t i = 0; i < c->s->w->targets.count; i++) {
        const obb_target *target = c->s->w->targets.at[i];
        if (target->kind > OBB_LIBRARY || obb_left_out(c->v[0], target) || obb_left_out(c->v[1], target))
            continue;
        obb_flat_settings *flat = obb_arena_alloc(c->s->w->arena, 2 * sizeof *flat);
        compared++;
        for (int side = 0; side < 2; side++)
            flat[side] = obb_resolve(c->v[side], target, NULL, c->s->w->arena);
        for (int side = 0; side < 2; side++)
            for (size_t k = 0; k < flat[side].count; k++)
                if (!has_setting(&flat[1 - side], &flat[side].at[k]))
                    add_difference(c, &list, side, &flat[side].at[k], target->name);
    }
    table_row(&t, "setting", column(c, 0, ""), column(c, 1, ""), "of", "stated at");
    for (int id = 0; id < OBB_SETTING_COUNT; id++)
        for (size_t i = 0; i < list.count; i++) {
            const difference *d = &list.at[i];
            if ((int)d->setting->id != id)
                continue;
            const char *of = d->targets == compared && compared > 1 ? "all targets"
                             : d->targets == 1                      ? d->target
                                               : obb_arena_format(c->s->w->arena, "%s and %zu more",
                                                                  d->target, d->targets - 1);
            table_row(&t, obb_setting_infos[id].word, d->side == 0 ? d->setting->value : "",
                      d->side == 1 ? d->setting->value : "", of, place_text(c, &d->setting->place));
        }
    show(c, &t, "Settings that only one has");
}

/* --- targets, sizes and times ------------------------------------------------------- */

static void compare_targets(sides *c)
{
    table t = {.name = "targets"};
    table_row(&t, "target", "only in", "because");
    for (size_t i = 0; i < c->s->w->targets.count; i++) {
        const obb_target *target = c->s->w->targets.at[i];
        const char *out[] = {obb_left_out(c->v[0], target), obb_left_out(c->v[1], target)};
        if (!out[0] != !out[1])
            table_row(&t, target->name, c->v[out[0] ? 1 : 0]->name,
                      obb_arena_format(c->s->w->arena, "only %s", out[0] ? out[0] : out[1]));
    }
    show(c, &t, "Targets that only one has");
}

/* What the last making of a target took, over all its actions. */
static unsigned long long time_of(const sides *c, const obb_target *target, const obb_variant *v)
{
    unsigned long long sum = 0;
    for (size_t i = 0; i < c->s->w->plan->actions.count; i++) {
        const obb_action *a = c->s->w->plan->actions.at[i];
        const obb_record *r = a->variant == v && a->target->number == target->number
                                  ? obb_state_record(c->s->w->state, a->output) : NULL;
        sum += r ? r->cost.milliseconds : 0;
    }
    return sum;
}

static char *number(const sides *c, bool known, unsigned long long n)
{
    return known ? obb_arena_format(c->s->w->arena, "%llu", n)
                 : obb_arena_string(c->s->w->arena, "not built");
}

static void size_rows(sides *c, table *t, const obb_target *target, obb_account *const *a)
{
    static const char *const names[] = {"code", "constants", "data", "zeroed"};
    for (int kind = 0; kind < 4; kind++) {
        unsigned long long n[2] = {0};
        for (int side = 0; side < 2; side++)
            if (a[side]) {
                const obb_source_use *u = &a[side]->total;
                n[side] = kind == 0 ? u->code : kind == 1 ? u->constants : kind == 2 ? u->data : u->zeroed;
            }
        if (!n[0] && !n[1])
            continue;
        table_row(t, target->name, names[kind], number(c, a[0], n[0]), number(c, a[1], n[1]),
                  a[0] && a[1] ? obb_arena_format(c->s->w->arena, "%+lld", (long long)n[1] - (long long)n[0])
                               : "",
                  "bytes");
    }
}

static void compare_sizes(sides *c)
{
    table t = {.name = "sizes"};
    table_row(&t, "target", "what", obb_arena_format(c->s->w->arena, ">%s", column(c, 0, "")),
              obb_arena_format(c->s->w->arena, ">%s", column(c, 1, "")), ">difference", "unit");
    obb_diags *own = c->s->w->diags;
    for (size_t i = 0; i < c->s->w->targets.count; i++) {
        const obb_target *target = c->s->w->targets.at[i];
        obb_account *a[2] = {NULL, NULL};
        if (target->kind > OBB_LIBRARY || obb_left_out(c->v[0], target) || obb_left_out(c->v[1], target))
            continue;
        c->s->w->diags = obb_diags_new(); /* what is not built has no size */
        for (int side = 0; side < 2 && target->kind == OBB_PROGRAM; side++)
            a[side] = obb_account_of_program(c->s->w, target, c->v[side]);
        obb_diags_free(c->s->w->diags);
        size_rows(c, &t, target, a);
        unsigned long long ms[] = {time_of(c, target, c->v[0]), time_of(c, target, c->v[1])};
        if (ms[0] || ms[1])
            table_row(&t, target->name, "time to make", number(c, ms[0], ms[0]), number(c, ms[1], ms[1]),
                      ms[0] && ms[1]
                          ? obb_arena_format(c->s->w->arena, "%+lld", (long long)ms[1] - (long long)ms[0])
                          : "",
                      "ms");
    }
    c->s->w->diags = own;
    show(c, &t, "Sizes and times of what both have");
}

/* --- commands of a source ----------------------------------------------------------- */

static const obb_action *compile_of(const sides *c, const char *path, const obb_variant *v)
{
    for (size_t i = 0; i < c->s->w->plan->actions.count; i++) {
        const obb_action *a = c->s->w->plan->actions.at[i];
        bool compiles = a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE;
        if (compiles && a->variant == v && strcmp(obb_files_path(c->s->w->files, a->source), path) == 0)
            return a;
    }
    return NULL;
}

/* The words of a command, with the folder of its variant written the same on both sides. */
static obb_words plain_words(const sides *c, const obb_action *a, int side)
{
    obb_words words = {0};
    const char *folder = obb_variant_folder(c->s->w->arena, c->s->w->out, c->v[side]);
    for (size_t i = 0; a && i < a->argv.count; i++) {
        const char *at = strstr(a->argv.at[i], folder);
        const char *word = a->argv.at[i];
        if (at)
            word = obb_arena_format(c->s->w->arena, "%.*s%s%s", (int)(at - word), word, "(variant)",
                                    at + strlen(folder));
        obb_arena_push(c->s->w->arena, &words, word);
    }
    return words;
}

/* Words that both have stand on one row, in the order of the first command. */
static void compare_commands(sides *c, const char *path)
{
    obb_words a = plain_words(c, compile_of(c, path, c->v[0]), 0),
              b = plain_words(c, compile_of(c, path, c->v[1]), 1);
    table t = {.name = "commands"};
    table_row(&t, column(c, 0, ""), column(c, 1, ""));
    size_t next = 0;
    for (size_t i = 0; i < a.count; i++) {
        bool both = obb_has_word(&b, a.at[i]);
        for (; both && next < b.count && strcmp(b.at[next], a.at[i]) != 0; next++)
            if (!obb_has_word(&a, b.at[next]))
                table_row(&t, "", b.at[next]);
        next += both && next < b.count;
        table_row(&t, a.at[i], both ? a.at[i] : "");
    }
    for (; next < b.count; next++)
        if (!obb_has_word(&a, b.at[next]))
            table_row(&t, "", b.at[next]);
    show(c, &t, obb_arena_format(c->s->w->arena, "The command that compiles %s", path));
}

/* --- the command -------------------------------------------------------------------- */

static int choose_two(session *s, sides *c)
{
    obb_words *names = &s->options->request.names;
    if (names->count < 2)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`compare` needs two variants%s", "",
                            "obbligato compare host.debug host.release [TARGET|SOURCE...]");
    for (int i = 0; i < 2; i++) {
        c->v[i] = obb_project_variant_named(s->w->project, names->at[i], &s->options->request.sets,
                                            OBB_NOWHERE, s->w->diags);
        if (c->v[i])
            obb_arena_push(s->w->arena, &s->w->variants, c->v[i]);
    }
    return obb_workspace_tell(s->w);
}

/* The names behind the variants: targets; what is none must be a source. */
static void choose_targets(session *s, obb_words *others)
{
    for (size_t i = 2; i < s->options->request.names.count; i++) {
        const char *name = s->options->request.names.at[i];
        const obb_target *t = obb_project_named(s->w->project, NULL, name);
        if (t)
            obb_arena_push(s->w->arena, &s->w->targets, t);
        else
            obb_arena_push(s->w->arena, others, name);
    }
    bool all = !s->w->targets.count;
    for (size_t i = 0; all && i < s->w->project->targets.count; i++)
        obb_arena_push(s->w->arena, &s->w->targets, s->w->project->targets.at[i]);
}

static void add_source(session *s, obb_words *sources, const char *path)
{
    if (!obb_has_word(sources, path))
        obb_arena_push(s->w->arena, sources, path);
}

/* The sources that the names mean, each once. */
static int find_sources(session *s, const obb_words *names, obb_words *sources)
{
    size_t count = s->w->plan->actions.count;
    for (size_t i = 0; i < names->count; i++) {
        bool *named = obb_arena_alloc(s->w->arena, count + 1);
        if (!obb_mark_named(s->w, names->at[i], true, named)) {
            obb_diag *d = obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                    "`%s` is neither a target nor a source", names->at[i]);
            obb_hint_nearest(s->w->diags, d, names->at[i], obb_project_target_names(s->w->project));
        }
        for (size_t k = 0; k < count; k++)
            if (named[k])
                add_source(s, sources, obb_files_path(s->w->files, s->w->plan->actions.at[k]->source));
    }
    return obb_workspace_tell(s->w);
}

int command_compare(session *s)
{
    sides c = {.s = s};
    obb_words others = {0}, sources = {0};
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = obb_workspace_open_state(s->w, false);
    if (!code)
        code = choose_two(s, &c);
    if (code)
        return code;
    choose_targets(s, &others);
    s->w->variants.count = c.v[0] == c.v[1] ? 1 : 2;
    code = obb_plan_everything(s->w);
    if (code && code != OBB_FAULT_OUTSIDE) /* what lacks a tool here can still be compared */
        return code;
    code = find_sources(s, &others, &sources);
    if (code)
        return code;
    if (s->options->json)
        c.document = json_object();
    for (size_t i = 0; i < sources.count; i++)
        compare_commands(&c, sources.at[i]);
    if (!sources.count) {
        compare_axes(&c);
        compare_targets(&c);
        compare_settings(&c);
        compare_sizes(&c);
    }
    if (c.document)
        json_print(c.document, "comparison");
    return 0;
}
