/* Deciding conditions and giving targets as they are in a variant (variant.h). Each condition is evaluated
 * once for each variant, and each target is resolved when it is first asked for. */
#include "project/resolve/variant.h"

#include <ctype.h>
#include <stdlib.h>
#include <string.h>

#include "project/vocabulary.h"

typedef struct overlap {
    const obb_choose *choose;
    size_t first, second; /* cases */
} overlap;

typedef struct obb_overlaps {
    overlap *at;
    size_t count, room;
} obb_overlaps;

/* --- conditions --------------------------------------------------------------------- */

const obb_check_answer *obb_check_answers(const obb_variant *v)
{
    const obb_project *p = v->project;
    if (!*v->answered && p->answer_checks) {
        *v->answered = true;
        p->answer_checks(p->answerer, v, v->answers);
    }
    return v->answers;
}

static bool has(const obb_variant *v, const obb_test *t)
{
    const obb_check_answer *answers = obb_check_answers(v);
    bool any = false;
    for (size_t i = 0; i < t->checks.count; i++)
        any = any || answers[t->checks.at[i]->number].holds;
    return any;
}

static bool test_holds(const obb_variant *v, const obb_test *t)
{
    switch (t->kind) {
    case OBB_TEST_AXIS: return obb_value_among(v->values[t->axis->number], &t->alternatives);
    case OBB_TEST_HAS: return has(v, t);
    case OBB_TEST_NOT: return !test_holds(v, t->a);
    case OBB_TEST_AND: return test_holds(v, t->a) && test_holds(v, t->b);
    case OBB_TEST_OR: return test_holds(v, t->a) || test_holds(v, t->b);
    }
    return false;
}

static bool case_fits(const obb_variant *v, const obb_choose *c, size_t which)
{
    const obb_words *alternatives = &c->cases.at[which].alternatives;
    return alternatives->count && obb_value_among(v->values[c->axis->number], alternatives);
}

/* Two cases that both fit would make the order of statements matter. */
static void note_overlaps(const obb_variant *v, const obb_choose *c, size_t which)
{
    for (size_t i = which + 1; i < c->cases.count; i++)
        if (case_fits(v, c, i))
            obb_arena_push(v->project->arena, v->overlaps, (overlap){c, which, i});
}

/* `else`, and the case that stands for "none": when no other fits. */
static bool choice_holds(const obb_variant *v, const obb_choose *c, size_t which)
{
    if (which < c->cases.count && c->cases.at[which].alternatives.count) {
        if (case_fits(v, c, which))
            note_overlaps(v, c, which);
        return case_fits(v, c, which);
    }
    for (size_t i = 0; i < c->cases.count; i++)
        if (case_fits(v, c, i))
            return false;
    return true;
}

bool obb_condition_holds(const obb_variant *v, const obb_condition *g)
{
    if (!g)
        return true;
    char *known = &v->conditions[g->number];
    if (!*known) {
        bool holds = obb_condition_holds(v, g->parent) &&
                     (g->test ? test_holds(v, g->test) : g->choose && choice_holds(v, g->choose, g->which));
        *known = holds ? 1 : 2;
    }
    return *known == 1;
}

const char *obb_variant_value(const obb_variant *v, obb_axis_id axis)
{
    return v->values[axis];
}

const obb_property *obb_definition_property(const obb_variant *v, const obb_definition *definition, int id)
{
    for (size_t i = definition->properties.count; i-- > 0;)
        if (definition->properties.at[i].id == id &&
            obb_condition_holds(v, definition->properties.at[i].condition))
            return &definition->properties.at[i];
    return NULL;
}

static const char *property_word(const obb_variant *v, const obb_definition *definition, int id)
{
    const obb_property *p = obb_definition_property(v, definition, id);
    return p && p->lines.count && p->lines.at[0].count ? p->lines.at[0].at[0].text : NULL;
}

/* --- what is refused ---------------------------------------------------------------- */

static char *case_names(obb_arena *arena, const obb_choose *c)
{
    obb_text text = {0};
    for (size_t i = 0; i < c->cases.count; i++)
        for (size_t k = 0; k < c->cases.at[i].alternatives.count; k++)
            obb_text_format(&text, "%s%s", text.length ? k ? "|" : ", " : "",
                            c->cases.at[i].alternatives.at[k]);
    char *copy = obb_arena_string(arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

static void report_refusals(const obb_variant *v, const obb_refusals *refusals, const char *kind,
                            const char *name, obb_diags *diags)
{
    for (size_t i = 0; i < refusals->count; i++) {
        const obb_refusal *r = &refusals->at[i];
        if (!obb_condition_holds(v, r->condition))
            continue;
        if (r->reason) {
            obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, r->place,
                                    "the %s `%s` is refused in %s: %s", kind, name, v->name, r->reason);
            obb_hint(diags, d, "`only` leaves a target out of variants where it cannot be");
            obb_stops(diags, d,
                      obb_arena_format(v->project->arena, "refused %s:%d:%d", r->place.file, r->place.line,
                                       r->place.column),
                      obb_arena_format(v->project->arena, "%s (%s)", name, v->name));
            continue;
        }
        const char *value = v->values[r->choose->axis->number];
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, r->place,
                                "the %s `%s` has no case for %s=%s in %s", kind, name, r->choose->axis->name,
                                *value ? value : "(not set)", v->name);
        obb_hint(diags, d, "its cases are: %s; add one, or `else { ... }`",
                 case_names(v->project->arena, r->choose));
        obb_stops(diags, d,
                  obb_arena_format(v->project->arena, "no case %s:%d:%d %s", r->place.file, r->place.line,
                                   r->place.column, value),
                  obb_arena_format(v->project->arena, "%s (%s)", name, v->name));
    }
}

static void report_overlaps(const obb_variant *v, obb_diags *diags)
{
    for (size_t i = 0; i < v->overlaps->count; i++) {
        const obb_choose *c = v->overlaps->at[i].choose;
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, c->cases.at[v->overlaps->at[i].second].place,
                                "two cases fit %s=%s in %s", c->axis->name, v->values[c->axis->number],
                                v->name);
        obb_also(diags, d, c->cases.at[v->overlaps->at[i].first].place, "the other one");
    }
    v->overlaps->count = 0;
}

static const char *const target_kinds[] = {"program", "library", "image", "group", "step", "test"};

/* A plug-in is never linked; and `shared` takes a library that is made so. */
static void check_kind(const obb_variant *v, const obb_target *t, const obb_use *use, obb_diags *diags)
{
    const obb_target *used = obb_in(v, use->target);
    bool links = used->kind == OBB_LIBRARY && !use->at_run_time && t->kind != OBB_STEP && !t->commands.count;
    obb_diag *d = NULL;
    if (links && used->library == OBB_PLUG_IN) {
        d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                      "`%s` uses the plug-in `%s`, which cannot be linked", t->name, used->name);
        obb_hint(diags, d, "it is loaded at run time: needs %s", used->name);
    } else if (use->as_shared && used->library == OBB_STATIC) {
        d = obb_error(diags, OBB_FAULT_DESCRIPTION, use->place,
                      "`%s` uses `%s` as a shared library, and it is not made as one", t->name, used->name);
        obb_hint(diags, d, "state for `%s`: kind both", used->name);
    }
    if (d)
        obb_also(diags, d, used->place, "`%s` is described here", used->name);
}

void obb_report_refusals(const obb_variant *v, const obb_target *target, obb_diags *diags)
{
    const obb_target *described = v->project->targets.at[target->number], *here = obb_in(v, target);
    const obb_thirdparty *other = obb_project_thirdparty(v->project, target->place.scope);
    report_refusals(v, &described->refusals, target_kinds[target->kind], target->name, diags);
    if (other)
        report_refusals(v, &other->refusals, "third-party project", other->name, diags);
    report_overlaps(v, diags);
    for (size_t i = 0; i < here->uses.count && target->kind != OBB_GROUP; i++) {
        check_kind(v, here, &here->uses.at[i], diags);
        const char *condition = obb_left_out(v, here->uses.at[i].target);
        if (!condition)
            continue;
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, here->uses.at[i].place,
                                "`%s` uses `%s`, which does not exist in %s: only %s", target->name,
                                here->uses.at[i].name, v->name, condition);
        obb_hint(diags, d, "put the use inside `when`, or say for `%s` too: only %s", target->name,
                 condition);
        obb_stops(diags, d,
                  obb_arena_format(v->project->arena, "%s uses %s", target->name, here->uses.at[i].name),
                  obb_arena_format(v->project->arena, "`%s` (%s)", target->name, v->name));
    }
}

/* --- targets ------------------------------------------------------------------------ */

#define KEEP_HOLDING(v, from, to)                                                       \
    do {                                                                                \
        for (size_t i_ = 0; i_ < (from)->count; i_++)                                   \
            if (obb_condition_holds(v, (from)->at[i_].condition))                       \
                obb_arena_push((v)->project->arena, to, (from)->at[i_]);                \
    } while (0)
#define DECIDE_LIST(type, name)                                                         \
    t->name = (type){0};                                                                \
    KEEP_HOLDING(v, &described->name, &t->name);

static void fill_words(const obb_variant *v, obb_word_list *list)
{
    const obb_word_list stated = *list;
    *list = (obb_word_list){0};
    for (size_t i = 0; i < stated.count; i++) {
        obb_word w = stated.at[i];
        if (strstr(w.text, "{axis:"))
            w.text = obb_fill_facts(v, w.place.scope, w.text, v->project->arena);
        obb_arena_push(v->project->arena, list, w);
    }
}

/* The values of axes take their places in patterns. */
static void fill_patterns(const obb_variant *v, obb_patterns *patterns)
{
    for (size_t i = 0; i < patterns->count; i++) {
        fill_words(v, &patterns->at[i].names);
        fill_words(v, &patterns->at[i].except);
        fill_words(v, &patterns->at[i].instead);
    }
}

static obb_target *decided(const obb_variant *v, const obb_target *described)
{
    obb_arena *arena = v->project->arena;
    obb_target *t = obb_arena_alloc(arena, sizeof *t);
    *t = *described;
    OBB_CONDITIONAL_LISTS(DECIDE_LIST)
    fill_patterns(v, &t->sources);
    fill_patterns(v, &t->resources);
    fill_patterns(v, &t->reads);
    for (size_t i = 0; i < t->for_files.count; i++) {
        obb_settings all = t->for_files.at[i].settings;
        t->for_files.at[i].settings = (obb_settings){0};
        KEEP_HOLDING(v, &all, &t->for_files.at[i].settings);
    }
    for (size_t i = 0; i < t->properties.count; i++)
        obb_apply_property(arena, t, &t->properties.at[i]);
    return t;
}

/* --- what the system has of third-party code ----------------------------------------- */

bool obb_takes_system(const obb_variant *v, const obb_thirdparty *other)
{
    const obb_project *p = v->project;
    size_t i = 0;
    while (i < p->thirdparty.count && p->thirdparty.at[i] != other)
        i++;
    if (!other->system || !(other->fetched || other->folder))
        return other->system != NULL;
    if (other->prefer_own || !p->has_system)
        return false;
    if (!v->systems[i])
        v->systems[i] = p->has_system(p->answerer, v, other) ? 1 : 2;
    return v->systems[i] == 1;
}

/* A library of which nothing is compiled. */
static obb_target *in_place_of(const obb_variant *v, const obb_target *described)
{
    obb_arena *arena = v->project->arena;
    obb_target *t = obb_arena_alloc(arena, sizeof *t);
    *t = (obb_target){.kind = described->kind,
                      .name = described->name,
                      .place = described->place,
                      .summary = described->summary,
                      .output = described->output,
                      .optional = described->optional,
                      .number = described->number,
                      .statement = described->statement,
                      .conditional = true,
                      .fill = -1};
    return t;
}

/* Users of the system's library get its metadata, or link it. */
static void share_system(const obb_variant *v, const obb_on_system *system, obb_target *t)
{
    obb_setting s = {.id = OBB_SET_METADATA, .value = system->metadata, .place = system->place};
    if (system->metadata)
        obb_arena_push(v->project->arena, &t->share, s);
    s.id = OBB_SET_LIBS;
    for (size_t i = 0; i < system->libs.count; i++) {
        s.value = system->libs.at[i];
        obb_arena_push(v->project->arena, &t->share, s);
    }
}

/* What stands in place of the library that stands for a third-party project: the system's, or a binary of it.
 * NULL: the library itself. */
static obb_target *stand_in(const obb_variant *v, const obb_target *target)
{
    const char *scope = target->place.scope;
    const obb_thirdparty *other = scope ? obb_project_thirdparty(v->project, scope) : NULL;
    bool sources = other && (other->fetched || other->folder) && (other->system || other->prebuilts.count) &&
                   obb_project_named(v->project, NULL, scope) == target;
    if (!sources)
        return NULL;
    if (other->system && obb_takes_system(v, other)) {
        obb_target *t = in_place_of(v, target);
        share_system(v, other->system, t);
        return t;
    }
    const obb_target *binary = obb_project_target(v->project,
                                                  obb_arena_format(v->project->arena, "%s:prebuilt", scope));
    if (!binary || other->prefer_own || obb_left_out(v, binary))
        return NULL;
    obb_target *t = in_place_of(v, target);
    t->share = obb_in(v, binary)->share;
    return t;
}

const obb_target *obb_in(const obb_variant *v, const obb_target *target)
{
    obb_target **here = &v->targets[target->number];
    obb_target *described = v->project->targets.at[target->number];
    if (!*here) {
        obb_target *other = stand_in(v, described);
        *here = other ? other : described->conditional ? decided(v, described) : described;
    }
    return *here;
}

const char *obb_left_out(const obb_variant *v, const obb_target *target)
{
    const obb_properties *p = &obb_in(v, target)->properties;
    for (size_t i = 0; i < p->count; i++)
        if (p->at[i].id == OBB_W_ONLY && p->at[i].test && !test_holds(v, p->at[i].test))
            return p->at[i].test_words;
    const obb_target *owner = v->project->targets.at[target->number]->owner;
    return owner ? obb_left_out(v, owner) : NULL;
}

/* --- memory and budgets ------------------------------------------------------------- */

static void read_region(obb_variant *v, const obb_word_list *w, obb_place place, obb_diags *diags)
{
    obb_region region = {.place = place, .attributes = ""};
    bool ok = (w->count == 3 || w->count == 4) && obb_read_size(w->at[1].text, &region.origin) &&
              obb_read_size(w->at[2].text, &region.length) && region.length;
    if (!ok) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, w->count ? w->at[0].place : place,
                                "`memory` of platform `%s`: this is not a region", v->platform->name);
        obb_hint(diags, d, "a line takes a name, the first address and the length: flash 0x08000000 256K");
        return;
    }
    region.name = w->at[0].text;
    region.place = w->at[0].place;
    if (w->count == 4)
        region.attributes = w->at[3].text;
    for (size_t i = 0; i < v->memory.count; i++)
        if (strcmp(v->memory.at[i].name, region.name) == 0) { /* stated anew after `like` */
            v->memory.at[i] = region;
            return;
        }
    obb_arena_push(v->project->arena, &v->memory, region);
}

static bool read_budget(const obb_variant *v, const obb_property *p, obb_budget *b, obb_diags *diags)
{
    const obb_word_list *w = &p->lines.at[0];
    char *end = NULL;
    *b = (obb_budget){.place = p->place};
    bool ok = w->count == 2 || (w->count == 3 && strcmp(w->at[2].text, "fatal") == 0);
    if (ok) {
        unsigned long percent = strtoul(w->at[1].text, &end, 10);
        bool is_percent = end > w->at[1].text && strcmp(end, "%") == 0 && percent > 0 && percent <= 100;
        b->region = w->at[0].text;
        b->percent = is_percent ? (unsigned)percent : 0;
        b->fatal = w->count == 3;
        ok = is_percent || obb_read_size(w->at[1].text, &b->bytes);
    }
    if (!ok) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, p->place, "this is not a budget");
        obb_hint(
            diags, d,
            "write a region and a limit: budget flash 90%%; or 120K; `fatal` behind it makes it an error");
        return false;
    }
    for (size_t i = 0; i < v->memory.count; i++)
        if (strcmp(v->memory.at[i].name, b->region) == 0)
            return true;
    if (v->memory.count) {
        const char *names[65] = {0};
        for (size_t i = 0; i < v->memory.count && i < 64; i++)
            names[i] = v->memory.at[i].name;
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, p->place,
                                "platform `%s` has no memory region `%s`", v->platform->name, b->region);
        obb_hint_nearest(diags, d, b->region, names);
    }
    return false;
}

static void read_memory(obb_variant *v, obb_diags *diags)
{
    const obb_properties *p = &v->platform->properties;
    for (size_t i = 0; i < p->count; i++)
        for (size_t k = 0; p->at[i].id == OBB_W_MEMORY && k < p->at[i].lines.count; k++)
            if (obb_condition_holds(v, p->at[i].condition))
                read_region(v, &p->at[i].lines.at[k], p->at[i].place, diags);
    for (size_t i = 0; i < v->memory.count; i++)
        for (size_t k = 0; k < i; k++) {
            const obb_region *a = &v->memory.at[i], *b = &v->memory.at[k];
            if (a->origin >= b->origin + b->length || b->origin >= a->origin + a->length)
                continue;
            obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, a->place,
                                    "the regions `%s` and `%s` overlap", b->name, a->name);
            obb_also(diags, d, b->place, "the other one");
        }
}

static void add_budgets(const obb_variant *v, const obb_properties *p, obb_arena *arena, obb_diags *diags,
                        struct obb_budget **budgets, size_t *count)
{
    struct { obb_budget *at; size_t count, room; } list = {*budgets, *count, *count};
    for (size_t i = 0; i < p->count; i++) {
        obb_budget b;
        if (p->at[i].id != OBB_W_BUDGET || !obb_condition_holds(v, p->at[i].condition) ||
            !read_budget(v, &p->at[i], &b, diags))
            continue;
        size_t k = 0;
        while (k < list.count && strcmp(list.at[k].region, b.region) != 0)
            k++;
        if (k < list.count)
            list.at[k] = b;
        else
            obb_arena_push(arena, &list, b);
    }
    *budgets = list.at;
    *count = list.count;
}

void obb_budgets_of(const obb_variant *v, const obb_target *target, obb_arena *arena, obb_diags *diags,
                    struct obb_budget **budgets, size_t *count)
{
    *budgets = NULL;
    *count = 0;
    add_budgets(v, &v->platform->properties, arena, diags, budgets, count);
    add_budgets(v, &v->configuration->properties, arena, diags, budgets, count);
    if (target)
        add_budgets(v, &obb_in(v, target)->properties, arena, diags, budgets, count);
}

/* --- axes in code ------------------------------------------------------------------- */

static char *macro_of(const obb_variant *v, const obb_axis *axis, obb_arena *arena)
{
    size_t n = strlen(axis->define);
    char *macro = obb_arena_format(arena, "%s%s%s=1", axis->define,
                                   n && axis->define[n - 1] == '_' ? "" : "_", v->values[axis->number]);
    for (char *c = macro; *c && *c != '='; c++)
        *c = (char)(isalnum((unsigned char)*c) ? toupper((unsigned char)*c) : '_');
    return macro;
}

void obb_axis_macros(const obb_variant *v, const char *scope, obb_arena *arena, obb_words *macros)
{
    for (size_t i = 0; i < v->project->axes.count; i++) {
        const obb_axis *axis = v->project->axes.at[i];
        if (axis->define && obb_same(axis->place.scope, scope))
            obb_arena_push(arena, macros, macro_of(v, axis, arena));
    }
}

static void set_axis_layer(obb_variant *v)
{
    obb_arena *arena = v->project->arena;
    for (size_t i = 0; i < v->project->axes.count; i++) {
        const obb_axis *axis = v->project->axes.at[i];
        if (axis->define && !axis->define_in_header)
            obb_arena_push(arena, &v->settings[OBB_LAYER_AXIS],
                           (obb_setting){OBB_SET_DEFINE, macro_of(v, axis, arena), axis->place, NULL, false});
    }
}

/* --- making one --------------------------------------------------------------------- */

static const obb_definition *find_part(obb_project *p, obb_definition_kind kind, const char *name,
                                       obb_place place, obb_diags *diags)
{
    const obb_definition *definition = obb_project_definition(p, kind, name);
    if (definition)
        return definition;
    obb_diag *d = obb_error(diags, place.line ? OBB_FAULT_DESCRIPTION : OBB_FAULT_USAGE, place,
                            "there is no %s `%s`", obb_definition_kind_name(kind), name);
    obb_hint_nearest(diags, d, name, obb_project_definition_names(p, kind));
    if (!d->hint)
        obb_hint(diags, d, "`obbligato show %s` lists them",
                 kind == OBB_PLATFORM_DEFINITION ? "platforms" : "variants");
    return NULL;
}

static void set_value(obb_variant *v, const obb_assignment *a, const char *from)
{
    v->values[a->axis->number] = a->value;
    v->value_from[a->axis->number] = from;
}

static void take_part_values(obb_variant *v, const obb_definition *definition)
{
    const char *from = obb_arena_format(v->project->arena, "%s %s",
                                        obb_definition_kind_name(definition->kind), definition->name);
    for (size_t i = 0; i < definition->sets.count; i++)
        set_value(v, &definition->sets.at[i], from);
}

static void derive_value(obb_variant *v, obb_axis_id axis, const char *value, const char *from)
{
    v->values[axis] = value;
    v->value_from[axis] = from;
}

static void take_values(obb_variant *v)
{
    obb_project *p = v->project;
    size_t n = p->axes.count;
    v->values = obb_arena_alloc(p->arena, n * sizeof *v->values);
    v->value_from = obb_arena_alloc(p->arena, n * sizeof *v->value_from);
    for (size_t i = 0; i < n; i++) {
        v->values[i] = p->axes.at[i]->initial ? p->axes.at[i]->initial : "";
        v->value_from[i] = p->axes.at[i]->initial ? "default" : "";
    }
    take_part_values(v, v->platform);
    take_part_values(v, v->configuration);
    derive_value(v, OBB_AXIS_PLATFORM, v->platform->name, "variant");
    derive_value(v, OBB_AXIS_CONFIGURATION, v->configuration->name, "variant");
    derive_value(v, OBB_AXIS_HOST_OS, p->host->os, "this machine");
    derive_value(v, OBB_AXIS_HOST_CPU, p->host->cpu, "this machine");
}

static int by_axis_name(const void *a, const void *b)
{
    return strcmp((*(obb_assignment *const *)a)->axis->name, (*(obb_assignment *const *)b)->axis->name);
}

/* Takes the values that were set; the name shows what differs from the variant's own values. */
static bool take_sets(obb_variant *v, const obb_words *sets, obb_place place, obb_diags *diags)
{
    obb_project *p = v->project;
    OBB_VEC(obb_assignment *) changes = {0};
    for (size_t i = 0; sets && i < sets->count; i++) {
        obb_assignment *a = obb_arena_alloc(p->arena, sizeof *a);
        if (!obb_read_assignment(p, sets->at[i], place, diags, a))
            return false;
        for (size_t k = 0; k < changes.count; k++)
            if (changes.at[k]->axis == a->axis) { /* the last one counts */
                changes.at[k]->value = a->value;
                a = NULL;
                break;
            }
        if (a)
            obb_arena_push(p->arena, &changes, a);
    }
    if (changes.count)
        qsort(changes.at, changes.count, sizeof *changes.at, by_axis_name);
    for (size_t i = 0; i < changes.count; i++) {
        if (strcmp(v->values[changes.at[i]->axis->number], changes.at[i]->value) == 0)
            continue;
        v->name = obb_arena_format(p->arena, "%s+%s=%s", v->name, changes.at[i]->axis->name,
                                   changes.at[i]->value);
        set_value(v, changes.at[i], "--set");
    }
    return true;
}

static void set_coverage(obb_variant *v)
{
    const obb_axis *axis = v->project->axes.at[OBB_AXIS_COVERAGE];
    if (strcmp(v->values[OBB_AXIS_COVERAGE], "on") == 0)
        obb_arena_push(v->project->arena, &v->settings[OBB_LAYER_AXIS],
                       (obb_setting){OBB_SET_COVERAGE, "yes", axis->place, NULL, false});
}

static void keep_settings(obb_variant *v, const obb_settings *from, obb_layer layer)
{
    KEEP_HOLDING(v, from, &v->settings[layer]);
}

/* The toolchain decides about the axis `family`, so it cannot itself depend on it. */
static bool take_toolchain(obb_variant *v)
{
    const char *name = property_word(v, v->platform, OBB_W_USES_TOOLCHAIN);
    v->toolchain = obb_project_definition(v->project, OBB_TOOLCHAIN_DEFINITION, name ? name : "host");
    if (!v->toolchain) /* reported when the description was read */
        return false;
    const char *family = property_word(v, v->toolchain, OBB_W_FAMILY);
    bool hosts = strcmp(v->toolchain->name, "host") == 0;
    if (!family && hosts) /* asking costs a process */
        family = v->project->asks_family ? v->project->host->family(v->project->host->self) : "";
    else if (!family)
        family = "gcc";
    derive_value(v, OBB_AXIS_FAMILY, family,
                 obb_arena_format(v->project->arena, "toolchain %s", v->toolchain->name));
    memset(v->conditions, 0, v->project->condition_count + 1);
    return true;
}

static bool complete(obb_variant *v, obb_diags *diags)
{
    obb_project *p = v->project;
    size_t before = diags->list.count;
    if (!*v->values[OBB_AXIS_OS]) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, v->platform->place,
                                "platform `%s` does not say which operating system it has",
                                v->platform->name);
        obb_hint(diags, d, "set os=none for bare metal, or os=linux; `like host` takes this machine's");
        return false;
    }
    if (!take_toolchain(v))
        return false;
    keep_settings(v, &v->toolchain->settings, OBB_LAYER_TOOLCHAIN);
    keep_settings(v, &v->platform->settings, OBB_LAYER_PLATFORM);
    keep_settings(v, &v->configuration->settings, OBB_LAYER_CONFIGURATION);
    keep_settings(v, &p->settings, OBB_LAYER_PROJECT);
    set_axis_layer(v);
    set_coverage(v);
    report_refusals(v, &v->toolchain->refusals, "toolchain", v->toolchain->name, diags);
    report_refusals(v, &v->platform->refusals, "platform", v->platform->name, diags);
    report_refusals(v, &v->configuration->refusals, "configuration", v->configuration->name, diags);
    report_refusals(v, &p->refusals, "project", p->name, diags);
    report_overlaps(v, diags);
    read_memory(v, diags);
    struct obb_budget *budgets;
    size_t count;
    obb_budgets_of(v, NULL, p->arena, diags, &budgets, &count);
    const char *runner = property_word(v, v->platform, OBB_W_USES_RUNNER);
    v->runner = runner ? obb_project_runner(p, runner) : NULL;
    return diags->list.count == before;
}

const obb_variant *obb_project_variant(obb_project *p, const char *platform, const char *configuration,
                                       const obb_words *sets, obb_place place, obb_diags *diags)
{
    obb_variant *v = obb_arena_alloc(p->arena, sizeof *v);
    v->project = p;
    v->platform = find_part(p, OBB_PLATFORM_DEFINITION, platform, place, diags);
    v->configuration = find_part(p, OBB_CONFIGURATION_DEFINITION, configuration, place, diags);
    if (!v->platform || !v->configuration)
        return NULL;
    v->name = obb_arena_format(p->arena, "%s.%s", platform, configuration);
    take_values(v);
    if (!take_sets(v, sets, place, diags))
        return NULL;
    const obb_variant *known = obb_map_get(&p->variants, v->name);
    if (known)
        return known;
    v->overlaps = obb_arena_alloc(p->arena, sizeof *v->overlaps);
    v->conditions = obb_arena_alloc(p->arena, p->condition_count + 1);
    v->answers = obb_arena_alloc(p->arena, (p->checks.count + 1) * sizeof *v->answers);
    v->answered = obb_arena_alloc(p->arena, sizeof *v->answered);
    v->systems = obb_arena_alloc(p->arena, p->thirdparty.count + 1);
    v->targets = obb_arena_alloc(p->arena, (p->targets.count + 1) * sizeof *v->targets);
    if (!complete(v, diags))
        return NULL;
    obb_map_put(&p->variants, v->name, v);
    return v;
}

const obb_variant *obb_project_variant_named(obb_project *p, const char *name, const obb_words *sets,
                                             obb_place place, obb_diags *diags)
{
    size_t length = strcspn(name, "+");
    const char *dot = memchr(name, '.', length);
    obb_words all = {0};
    if (!dot) {
        obb_diag *d = obb_error(diags, place.line ? OBB_FAULT_DESCRIPTION : OBB_FAULT_USAGE, place,
                                "`%s` is not a variant", name);
        obb_hint(diags, d, "a variant is written PLATFORM.CONFIGURATION, as in host.debug, and may go on "
                           "with +AXIS=VALUE");
        return NULL;
    }
    char *platform = obb_arena_copy(p->arena, name, (size_t)(dot - name));
    char *configuration = obb_arena_copy(p->arena, dot + 1, length - (size_t)(dot + 1 - name));
    for (const char *at = name + length; *at;) {
        size_t n = strcspn(at + 1, "+");
        obb_arena_push(p->arena, &all, obb_arena_copy(p->arena, at + 1, n));
        at += n + 1;
    }
    for (size_t i = 0; sets && i < sets->count; i++)
        obb_arena_push(p->arena, &all, sets->at[i]);
    return obb_project_variant(p, platform, configuration, &all, place, diags);
}

const obb_variant *obb_variant_of_use(const obb_use *use, const obb_variant *from, const obb_variant *tools,
                                      obb_diags *diags)
{
    if (!use->variant)
        return tools;
    if (strchr(use->variant, '.'))
        return obb_project_variant_named(from->project, use->variant, NULL, use->place, diags);
    return obb_project_variant(from->project, use->variant, from->configuration->name, NULL, use->place,
                               diags);
}

void obb_project_lineup_variants(obb_project *p, const obb_lineup *lineup, const obb_words *sets,
                                 obb_diags *diags, obb_variants *variants)
{
    for (size_t i = 0; i < lineup->variants.count; i++) {
        const obb_word *w = &lineup->variants.at[i];
        const obb_variant *v = obb_project_variant_named(p, w->text, sets, w->place, diags);
        if (v)
            obb_arena_push(p->arena, variants, v);
    }
}
