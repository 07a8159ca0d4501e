/* Reading a serialized plan, and taking a part out of it.
 *
 * Reaching goes through two indexes: from a file to the actions that read or make it, and from an action to
 * its users. The actions reached become a plan in the order of the serialized one, in which makers come
 * before users. */
#include <string.h>

#include "plan/serialized_format.h"

bool serialized_may_read(const obb_serialized_plan *k, const void *at, size_t length)
{
    serialized_trust *t = k->trust;
    if (!t->whole && !t->damaged)
        t->damaged = !t->bytes.vouch(t->bytes.self, at, length);
    return !t->damaged;
}

bool obb_serialized_plan_is_sound(const obb_serialized_plan *k)
{
    return !k->trust->damaged;
}

bool obb_serialized_plan_is_whole(const obb_serialized_plan *k)
{
    k->trust->whole = serialized_may_read(k, k->trust->bytes.at, k->trust->bytes.length);
    return k->trust->whole;
}

/* What is read is as it was written, so only what a difference of versions could bring is checked. */
obb_serialized_plan *obb_serialized_plan_open(const obb_plan_bytes *bytes, obb_arena *arena)
{
    const serialized_header *h = bytes->at;
    obb_serialized_plan *k = obb_arena_alloc(arena, sizeof *k);
    k->trust = obb_arena_alloc(arena, sizeof *k->trust);
    *k->trust = (serialized_trust){.bytes = *bytes, .whole = !bytes->vouch};
    if (bytes->length < sizeof *h || !serialized_may_read(k, h, sizeof *h) ||
        memcmp(h->magic, SERIALIZED_MAGIC, sizeof h->magic) != 0)
        return NULL;
    k->header = h;
    k->actions = (const serialized_action *)(const void *)(h + 1);
    k->tools = (const serialized_tool *)(const void *)(k->actions + h->actions);
    k->toolchains = (const serialized_toolchain *)(const void *)(k->tools + h->tools);
    k->words = (const serialized_words *)(const void *)(k->toolchains + h->toolchains);
    k->text = (const char *)(k->words + h->words);
    k->pool = (const uint32_t *)(const void *)(k->text + h->text_length);
    k->arena = arena;
    return (const char *)(k->pool + h->pool_count) == (const char *)bytes->at + bytes->length ? k : NULL;
}

size_t obb_serialized_plan_count(const obb_serialized_plan *k)
{
    return k->header->actions;
}

const uint32_t *serialized_list(const obb_serialized_plan *k, uint32_t at)
{
    static const uint32_t none[] = {0};
    const uint32_t *list = k->pool + at;
    bool good = serialized_may_read(k, list, sizeof *list) &&
                serialized_may_read(k, list + 1, list[0] * sizeof *list);
    return good ? list : none;
}

const serialized_action *serialized_action_at(const obb_serialized_plan *k, uint32_t number)
{
    static const serialized_action none = {0};
    const serialized_action *a = &k->actions[number];
    return serialized_may_read(k, a, sizeof *a) ? a : &none;
}

static const char *string_at(const obb_serialized_plan *k, uint32_t at)
{
    enum { AT_ONCE = 256 };
    size_t rest = at == SERIALIZED_NONE ? 0 : k->header->text_length - at;
    const char *from = rest ? k->text + at : NULL, *part = from;
    for (size_t n; rest; part += n, rest -= n) {
        n = rest < AT_ONCE ? rest : AT_ONCE;
        if (!serialized_may_read(k, part, n))
            return "";
        if (memchr(part, 0, n))
            return from;
    }
    return NULL;
}

static obb_words words_at(const obb_serialized_plan *k, uint32_t at, obb_arena *arena)
{
    const uint32_t *list = serialized_list(k, at);
    obb_words words = {0};
    for (uint32_t i = 1; i <= list[0]; i++)
        obb_arena_push(arena, &words, string_at(k, list[i]));
    return words;
}

void obb_serialized_plan_variants(const obb_serialized_plan *k, obb_arena *arena, obb_words *names)
{
    *names = words_at(k, k->header->chosen, arena);
}

void obb_serialized_plan_left_out(const obb_serialized_plan *k, obb_arena *arena, obb_words *left_out)
{
    *left_out = words_at(k, k->header->left_out, arena);
}

void obb_serialized_plan_far(const obb_serialized_plan *k, obb_arena *arena, obb_words *far)
{
    *far = words_at(k, k->header->far, arena);
}

/* --- the part ----------------------------------------------------------------------- */

static void reach(obb_serialized_plan *k, uint32_t number)
{
    if (!k->part_number[number])
        obb_arena_push(k->arena, &k->reached, number);
    k->part_number[number] = 1;
}

static serialized_row index_row(const obb_serialized_plan *k, uint32_t at, uint32_t rows, uint32_t number)
{
    const uint32_t *begins = k->pool + at;
    if (number >= rows || !serialized_may_read(k, begins + number, 2 * sizeof *begins))
        return (serialized_row){NULL, 0};
    const serialized_row row = {begins + rows + 1 + begins[number], begins[number + 1] - begins[number]};
    return serialized_may_read(k, row.at, row.count * sizeof *row.at) ? row : (serialized_row){NULL, 0};
}

serialized_row serialized_touchers(const obb_serialized_plan *k, obb_file file)
{
    return index_row(k, k->header->touchers, k->header->touched_files, file);
}

serialized_row serialized_users(const obb_serialized_plan *k, uint32_t action)
{
    return index_row(k, k->header->users, k->header->actions, action);
}

bool serialized_lists(const obb_serialized_plan *k, uint32_t list, obb_file file)
{
    const uint32_t *files = serialized_list(k, list);
    for (uint32_t n = 1; n <= files[0]; n++)
        if (files[n] == file)
            return true;
    return false;
}

bool serialized_makes(const obb_serialized_plan *k, uint32_t action, obb_file file)
{
    const serialized_action *a = serialized_action_at(k, action);
    return a->output == file || serialized_lists(k, a->also, file);
}

/* The index may hold inputs that an action no longer has since it was renewed. */
static bool touches(const obb_serialized_plan *k, uint32_t number, obb_file file)
{
    return serialized_makes(k, number, file) ||
           serialized_lists(k, serialized_action_at(k, number)->inputs, file);
}

/* What stands behind the index; false when nothing there touches the file. */
static bool reach_added(obb_serialized_plan *k, obb_file file)
{
    const uint32_t *added = serialized_list(k, k->header->added);
    bool any = false;
    for (uint32_t n = 1; n < added[0]; n += 2)
        if (added[n] == file && touches(k, added[n + 1], file)) {
            reach(k, added[n + 1]);
            any = true;
        }
    return any;
}

/* Reaches the actions that read or make a file; false when there are none. */
static bool reach_touchers(obb_serialized_plan *k, obb_file file)
{
    serialized_row row = serialized_touchers(k, file);
    bool any = false;
    for (uint32_t i = 0; i < row.count; i++)
        if (touches(k, row.at[i], file)) {
            reach(k, row.at[i]);
            any = true;
        }
    return reach_added(k, file) || any;
}

/* The index may hold users that do not need the action any more since they were renewed. */
static bool is_needed_by(const obb_serialized_plan *k, uint32_t number, uint32_t user)
{
    return k->header->pool_count == k->header->fresh_count ||
           serialized_lists(k, serialized_action_at(k, user)->needs, number);
}

/* Users of what the reached actions make. */
static void reach_users(obb_serialized_plan *k)
{
    for (size_t i = 0; i < k->reached.count; i++) {
        const serialized_action *a = serialized_action_at(k, k->reached.at[i]);
        serialized_row row = serialized_users(k, k->reached.at[i]);
        const uint32_t *also = serialized_list(k, a->also);
        for (uint32_t n = 0; n < row.count; n++)
            if (is_needed_by(k, k->reached.at[i], row.at[n]))
                reach(k, row.at[n]);
        reach_added(k, a->output);
        for (uint32_t n = 1; n <= also[0]; n++)
            reach_added(k, also[n]);
    }
}

static int by_number(const void *a, const void *b)
{
    uint32_t x = *(const uint32_t *)a, y = *(const uint32_t *)b;
    return x < y ? -1 : x > y;
}

/* The reached actions in their order. */
static void number_part(obb_serialized_plan *k)
{
    reach_users(k);
    if (k->reached.count)
        qsort(k->reached.at, k->reached.count, sizeof *k->reached.at, by_number);
    for (size_t i = 0; i < k->reached.count; i++)
        k->part_number[k->reached.at[i]] = (uint32_t)i + 1;
}

bool obb_serialized_plan_reaches(obb_serialized_plan *k, const obb_file_list *changed, obb_file_list *others)
{
    k->part_number = obb_arena_alloc(k->arena, (k->header->actions + 1) * sizeof *k->part_number);
    for (size_t i = 0; i < changed->count; i++) {
        if (serialized_lists(k, k->header->fixed, changed->at[i]))
            return false;
        if (!reach_touchers(k, changed->at[i]))
            obb_arena_push(k->arena, others, changed->at[i]);
    }
    number_part(k);
    return true;
}

static bool rests_on(const obb_serialized_plan *k, uint32_t number, obb_file file)
{
    const serialized_action *a = serialized_action_at(k, number);
    bool scanned = a->kind == OBB_COMPILE || a->kind == OBB_ASSEMBLE, named = false;
    if (a->words != SERIALIZED_NONE && serialized_may_read(k, &k->words[a->words], sizeof *k->words))
        named = serialized_lists(k, k->words[a->words].named, file);
    return serialized_lists(k, a->inputs, file) && (!scanned || named);
}

bool obb_serialized_plan_rests_on(const obb_serialized_plan *k, obb_file file)
{
    serialized_row row = serialized_touchers(k, file);
    const uint32_t *added = serialized_list(k, k->header->added);
    bool rests = false;
    for (uint32_t i = 0; i < row.count && !rests; i++)
        rests = rests_on(k, row.at[i], file);
    for (uint32_t n = 1; n < added[0] && !rests; n += 2)
        rests = added[n] == file && rests_on(k, added[n + 1], file);
    return rests;
}

size_t obb_serialized_plan_reached(const obb_serialized_plan *k)
{
    return k->reached.count;
}

/* --- actions that were planned again ------------------------------------------------- */

/* The kept action of a planned one, which makes the same files; SERIALIZED_NONE: there is none. */
static uint32_t counterpart(const obb_serialized_plan *k, const obb_action *a,
                            const obb_file_mapping *files_of)
{
    obb_file output = files_of->number(files_of->self, a->output);
    serialized_row row = serialized_touchers(k, output);
    for (uint32_t n = 0; n < row.count; n++) {
        const serialized_action *kept = serialized_action_at(k, row.at[n]);
        const uint32_t *also = serialized_list(k, kept->also);
        bool same = kept->output == output && kept->kind == a->kind && also[0] == a->also.count;
        for (size_t i = 0; same && i < a->also.count; i++)
            same = also[1 + i] == files_of->number(files_of->self, a->also.at[i]);
        if (same)
            return row.at[n];
    }
    return SERIALIZED_NONE;
}

enum { KEPT = 0, PLANNED = 1, DROPPED = 2 };

/* Whether all that uses a dropped action was planned again, or is dropped. */
static bool is_used_no_more(const obb_serialized_plan *k, uint32_t number, const char *fate)
{
    const uint32_t *added = serialized_list(k, k->header->added);
    serialized_row row = serialized_users(k, number);
    for (uint32_t n = 0; n < row.count; n++)
        if (fate[row.at[n]] == KEPT && is_needed_by(k, number, row.at[n]))
            return false;
    for (uint32_t n = 1; n < added[0]; n += 2)
        if (serialized_makes(k, number, added[n]) && fate[added[n + 1]] == KEPT)
            return false;
    return true;
}

/* Notes the kept actions of these targets that were not planned again. False: something still uses one. */
static bool drop_others(obb_serialized_plan *k, const obb_project *project, const bool *targets, char *fate)
{
    for (uint32_t i = 0; i < k->header->actions; i++) {
        const obb_target *t = obb_project_target(project, string_at(k, serialized_action_at(k, i)->target));
        if (t && targets[t->number] && fate[i] != PLANNED) {
            fate[i] = DROPPED;
            obb_arena_push(k->arena, &k->dropped, i);
        }
    }
    for (size_t i = 0; i < k->dropped.count; i++)
        if (!is_used_no_more(k, k->dropped.at[i], fate))
            return false;
    return true;
}

/* As long as only changed files and their users are reached. */
static bool is_settled(const obb_serialized_plan *k, const obb_action *a, uint32_t number)
{
    const serialized_action *kept = serialized_action_at(k, number);
    return a->options && !k->part_number[number] &&
           memcmp(kept->command, &a->command, sizeof kept->command) == 0 &&
           memcmp(kept->tools, &a->tools, sizeof kept->tools) == 0;
}

bool obb_serialized_plan_replace(obb_serialized_plan *k, const obb_plan *plan, const bool *wanted,
                                 const bool *targets, const obb_file_mapping *files_of)
{
    obb_file_list all = {0};
    char *fate = obb_arena_alloc(k->arena, k->header->actions + 1);
    k->settled = obb_arena_alloc(k->arena, plan->actions.count + 1);
    for (size_t i = 0; i < plan->actions.count; i++) {
        uint32_t number = wanted[i] ? counterpart(k, plan->actions.at[i], files_of) : SERIALIZED_NONE;
        bool known = number != SERIALIZED_NONE;
        obb_arena_push(k->arena, &all, number);
        k->fresh += wanted[i] && !known;
        if (known) {
            fate[number] = PLANNED;
            k->settled[i] = is_settled(k, plan->actions.at[i], number);
        }
    }
    for (size_t i = 0; i < all.count; i++)
        if (all.at[i] != SERIALIZED_NONE)
            reach(k, all.at[i]);
    if (!drop_others(k, plan->project, targets, fate))
        return false;
    number_part(k);
    k->planned = all.count;
    for (size_t i = 0; i < k->reached.count; i++) {
        k->part_number[k->reached.at[i]] = 0;
        if (fate[k->reached.at[i]] == KEPT)
            obb_arena_push(k->arena, &all, k->reached.at[i]);
    }
    k->reached.count = 0;
    for (size_t i = 0; i < all.count; i++) {
        obb_arena_push(k->arena, &k->reached, all.at[i]);
        if (all.at[i] != SERIALIZED_NONE)
            k->part_number[all.at[i]] = (uint32_t)i + 1;
    }
    return true;
}

bool obb_serialized_plan_settled(const obb_serialized_plan *k, size_t number)
{
    return k->settled[number];
}

size_t obb_serialized_plan_new(const obb_serialized_plan *k)
{
    return k->fresh;
}

size_t obb_serialized_plan_dropped(const obb_serialized_plan *k)
{
    return k->dropped.count;
}

void obb_serialized_plan_list_dropped(const obb_serialized_plan *k, const obb_file_mapping *files_of,
                                      const obb_plan *plan, obb_file_list *made)
{
    for (size_t i = 0; i < k->dropped.count; i++) {
        const serialized_action *a = serialized_action_at(k, k->dropped.at[i]);
        const uint32_t *also = serialized_list(k, a->also);
        obb_words byproducts = words_at(k, a->byproducts, k->arena);
        obb_arena_push(plan->arena, made, files_of->tell(files_of->self, a->output));
        for (uint32_t n = 1; n <= also[0]; n++)
            obb_arena_push(plan->arena, made, files_of->tell(files_of->self, also[n]));
        for (size_t n = 0; n < byproducts.count; n++)
            obb_arena_push(plan->arena, made, obb_files_number(plan->files, byproducts.at[n]));
    }
}

/* --- actions of the part ------------------------------------------------------------ */

typedef struct maker {
    obb_serialized_plan *kept;
    const obb_file_mapping *files_of;
    obb_plan *plan;
    obb_arena *arena;
    const obb_variant **variants;
    obb_toolchain **toolchains;
    obb_tool **tools;
    obb_compile_options **words;
    obb_map targets;
} maker;

static obb_toolchain *make_toolchain(maker *m, uint32_t n)
{
    const serialized_toolchain *from = &m->kept->toolchains[n];
    if (m->toolchains[n] || !serialized_may_read(m->kept, from, sizeof *from))
        return m->toolchains[n];
    obb_toolchain *tc = m->toolchains[n] = obb_arena_alloc(m->arena, sizeof *tc);
    *tc = (obb_toolchain){.name = string_at(m->kept, from->name), .prefix = string_at(m->kept, from->prefix),
                          .arena = m->arena, .files = m->plan->files, .memo = m->plan->toolchains->memo};
    if (from->custom) {
        tc->custom = obb_arena_alloc(m->arena, sizeof *tc->custom);
        tc->custom->macros = words_at(m->kept, from->macros, m->arena);
        tc->custom->search = words_at(m->kept, from->search, m->arena);
    }
    obb_toolchains_adopt(m->plan->toolchains, tc);
    return tc;
}

static obb_tool *make_tool(maker *m, uint32_t n)
{
    const serialized_tool *from = &m->kept->tools[n];
    if (n == SERIALIZED_NONE)
        return NULL;
    if (m->tools[n] || !serialized_may_read(m->kept, from, sizeof *from))
        return m->tools[n];
    obb_tool *t = m->tools[n] = obb_arena_alloc(m->arena, sizeof *t);
    *t = (obb_tool){.role = (obb_role)from->role,
                    .family = (obb_family)from->family,
                    .asked = true,
                    .role_name = string_at(m->kept, from->role_name),
                    .wanted = string_at(m->kept, from->wanted),
                    .variable = string_at(m->kept, from->variable),
                    .version = string_at(m->kept, from->version),
                    .target = string_at(m->kept, from->target),
                    .command = words_at(m->kept, from->command, m->arena)};
    memcpy(&t->identity, from->identity, sizeof t->identity);
    return t;
}

static void make_files(maker *m, uint32_t at, obb_file_list *files)
{
    const uint32_t *list = serialized_list(m->kept, at);
    for (uint32_t i = 1; i <= list[0]; i++)
        obb_arena_push(m->arena, files, m->files_of->tell(m->files_of->self, list[i]));
}

static obb_compile_options *make_words(maker *m, uint32_t n)
{
    const serialized_words *from = &m->kept->words[n];
    if (n == SERIALIZED_NONE)
        return NULL;
    if (m->words[n] || !serialized_may_read(m->kept, from, sizeof *from))
        return m->words[n];
    const serialized_tool *tool = &m->kept->tools[from->tool];
    if (!serialized_may_read(m->kept, tool, sizeof *tool))
        return NULL;
    obb_compile_options *w = m->words[n] = obb_arena_alloc(m->arena, sizeof *w);
    *w = (obb_compile_options){.number = m->plan->options++,
                               .toolchain = make_toolchain(m, tool->toolchain),
                               .tool = make_tool(m, from->tool),
                               .language = (obb_language)from->language,
                               .flags = words_at(m->kept, from->flags, m->arena),
                               .includes = words_at(m->kept, from->includes, m->arena),
                               .defines = words_at(m->kept, from->defines, m->arena),
                               .tokens_decide = from->tokens_decide,
                               .stored = from->stored};
    make_files(m, from->named, &w->named);
    return w;
}

static const obb_target *make_target(maker *m, const obb_variant *variant, const char *name, uint32_t kind)
{
    if (m->plan->project)
        return obb_in(variant, obb_project_target(m->plan->project, name));
    obb_target *t = obb_map_get(&m->targets, name);
    if (t)
        return t;
    t = obb_arena_alloc(m->arena, sizeof *t);
    t->name = name;
    t->kind = (obb_target_kind)kind;
    obb_map_put(&m->targets, name, t);
    return t;
}

static obb_image_recipe *make_image(maker *m, const serialized_action *from)
{
    if (from->image_format == SERIALIZED_NONE)
        return NULL;
    const uint32_t *parts = serialized_list(m->kept, from->image_parts);
    obb_image_recipe *context = obb_arena_alloc(m->arena, sizeof *context);
    *context = (obb_image_recipe){.format = (obb_image_format)from->image_format,
                                  .program = string_at(m->kept, from->image_program),
                                  .fill = (int)from->image_fill,
                                  .fill_stated = from->image_fill_stated,
                                  .pad_to = (uint64_t)from->image_pad_high << 32 | from->image_pad_low,
                                  .addressed = from->image_addressed,
                                  .address = (uint64_t)from->image_address_high << 32 |
                                             from->image_address_low};
    for (uint32_t i = 1; i <= parts[0]; i += 5)
        obb_arena_push(m->arena, &context->segments,
                       (obb_image_segment){string_at(m->kept, parts[i]),
                                           (uint64_t)parts[i + 1] << 32 | parts[i + 2],
                                           (uint64_t)parts[i + 3] << 32 | parts[i + 4]});
    return context;
}

static obb_step_recipe *make_step(maker *m, const serialized_action *from)
{
    if (from->step_parts == SERIALIZED_NONE)
        return NULL;
    const uint32_t *parts = serialized_list(m->kept, from->step_parts);
    obb_step_recipe *step = obb_arena_alloc(m->arena, sizeof *step);
    *step = (obb_step_recipe){.folder = string_at(m->kept, from->step_folder),
                              .reports_reads = string_at(m->kept, from->step_reports),
                              .environment = words_at(m->kept, from->step_environment, m->arena),
                              .apart = from->step_apart,
                              .anywhere = from->step_anywhere};
    for (uint32_t i = 1; i < parts[0]; i += 4) {
        obb_step_command part = {.kind = (obb_step_command_kind)parts[i],
                                 .words = words_at(m->kept, parts[i + 1], m->arena),
                                 .input = string_at(m->kept, parts[i + 2]),
                                 .output = string_at(m->kept, parts[i + 3])};
        obb_arena_push(m->arena, &part.words, NULL);
        part.words.count--;
        obb_arena_push(m->arena, &step->commands, part);
    }
    return step;
}

static void make_action(maker *m, uint32_t number)
{
    const serialized_action *from = serialized_action_at(m->kept, number);
    const uint32_t *needs = serialized_list(m->kept, from->needs);
    if (!obb_serialized_plan_is_sound(m->kept))
        return;
    obb_action *a = obb_arena_alloc(m->arena, sizeof *a);
    bool compile = from->words != SERIALIZED_NONE;
    *a = (obb_action){.kind = (obb_action_kind)from->kind,
                      .number = (uint32_t)m->plan->actions.count,
                      .target = make_target(m, m->variants[from->variant], string_at(m->kept, from->target),
                                            from->target_kind),
                      .variant = m->variants[from->variant],
                      .argv = words_at(m->kept, from->argv, m->arena),
                      .in_place = from->in_place,
                      .budgeted = from->budgeted,
                      .reports = from->reports,
                      .root_word = from->root_word == SERIALIZED_NONE ? SIZE_MAX : from->root_word,
                      .output_word = from->output_word == SERIALIZED_NONE ? SIZE_MAX : from->output_word,
                      .output = m->files_of->tell(m->files_of->self, from->output),
                      .image = make_image(m, from),
                      .step = make_step(m, from),
                      .stated = {.untold = from->untold,
                                 .found_inputs = from->found_inputs,
                                 .pending = OBB_NO_FILE},
                      .tool = make_tool(m, from->tool),
                      .options = make_words(m, from->words)};
    make_files(m, from->also, &a->also);
    a->links = from->links;
    obb_words byproducts = words_at(m->kept, from->byproducts, m->arena);
    for (size_t i = 0; i < byproducts.count; i++)
        obb_arena_push(m->arena, &a->byproducts, obb_files_number(m->plan->files, byproducts.at[i]));
    make_files(m, from->inputs, &a->stated.inputs); /* of a compile: told of, and found again by its scan */
    a->source = compile ? m->files_of->tell(m->files_of->self, from->source) : from->source;
    if (compile)
        a->stated.inputs.count = 0;
    for (uint32_t i = 1; !compile && i <= needs[0]; i++)
        if (m->kept->part_number[needs[i]])
            obb_arena_push(m->arena, &a->stated.needs, m->kept->part_number[needs[i]] - 1);
    memcpy(&a->command, from->command, sizeof a->command);
    memcpy(&a->tools, from->tools, sizeof a->tools);
    obb_arena_push(m->arena, &m->plan->actions, a);
    obb_plan_set_maker(m->plan, a->output, a);
    for (size_t i = 0; i < a->also.count; i++)
        obb_plan_set_maker(m->plan, a->also.at[i], a);
    if (a->step)
        obb_plan_mark_pending(m->plan, a);
}

/* The variants of the serialized plan: those of the plan, or in a plan without a project names alone. */
static void find_variants(maker *m)
{
    obb_words names = words_at(m->kept, m->kept->header->variants, m->arena);
    m->variants = obb_arena_alloc(m->arena, (names.count + 1) * sizeof *m->variants);
    for (size_t i = 0; i < names.count; i++) {
        obb_variant *bare = obb_arena_alloc(m->arena, sizeof *bare);
        bare->name = names.at[i];
        m->variants[i] = bare;
        for (size_t v = 0; v < m->plan->variants.count; v++)
            if (strcmp(m->plan->variants.at[v].variant->name, names.at[i]) == 0)
                m->variants[i] = m->plan->variants.at[v].variant;
    }
}

/* Planned actions may need what the others make. */
static void need_others(const obb_serialized_plan *k, obb_plan *plan)
{
    for (size_t i = 0; i < k->planned; i++) {
        obb_action *a = plan->actions.at[i];
        for (size_t n = 0; n < a->stated.inputs.count; n++) {
            const obb_action *other = obb_plan_maker(plan, a->stated.inputs.at[n]);
            if (other && other->number >= k->planned)
                obb_arena_push(plan->arena, &a->stated.needs, other->number);
        }
    }
}

static void add_actions(obb_serialized_plan *k, const obb_file_mapping *files_of, obb_plan *plan)
{
    maker m = {.kept = k, .files_of = files_of, .arena = plan->arena, .plan = plan};
    find_variants(&m);
    m.toolchains = obb_arena_alloc(m.arena, (k->header->toolchains + 1) * sizeof *m.toolchains);
    m.tools = obb_arena_alloc(m.arena, (k->header->tools + 1) * sizeof *m.tools);
    m.words = obb_arena_alloc(m.arena, (k->header->words + 1) * sizeof *m.words);
    for (size_t i = k->planned; i < k->reached.count; i++)
        make_action(&m, k->reached.at[i]);
    obb_map_free(&m.targets);
}

obb_plan *obb_serialized_plan_subplan(obb_serialized_plan *k, const obb_file_mapping *files_of,
                                      const obb_plan_input *input)
{
    obb_plan *plan = obb_arena_alloc(input->arena, sizeof *plan);
    *plan = (obb_plan){.arena = input->arena,
                       .files = input->files,
                       .toolchains = input->toolchains,
                       .scanner = input->scanner,
                       .out = input->out,
                       .root = obb_plan_root(input->arena)};
    add_actions(k, files_of, plan);
    return plan;
}

void obb_serialized_plan_join(obb_serialized_plan *k, const obb_file_mapping *files_of, obb_plan *plan)
{
    add_actions(k, files_of, plan);
    need_others(k, plan);
}
