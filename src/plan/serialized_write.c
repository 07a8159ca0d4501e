/* Writing a serialized plan, and renewing it.
 *
 * Tables are built in memory and written one after the other. Renewing keeps all numbers: rows are replaced
 * or added, never removed, and what no row refers to any more stays until the next full write. */
#include <string.h>

#include "plan/serialized_format.h"

/* Rows of a table by the address of what they describe; those before `from` are older. */
typedef struct known_rows {
    obb_map numbers;
    uint32_t from;
} known_rows;

typedef struct writer {
    const obb_plan *plan;
    const obb_dependency_table *known; /* of that plan */
    const obb_serialized_plan *kept;      /* what is renewed; NULL: nothing was kept before */
    const obb_plan_facts *facts;    /* NULL: none of the actions is new */
    const obb_file_mapping *files_of; /* NULL: the plan's files have the kept numbers */
    OBB_VEC(serialized_action) actions;
    OBB_VEC(serialized_tool) tools;
    OBB_VEC(serialized_toolchain) toolchains;
    OBB_VEC(serialized_words) words;
    OBB_VEC(uint32_t) pool;
    obb_text text;
    obb_map strings; /* to an offset */
    known_rows known_tools, known_toolchains, known_words;
    uint32_t *kept_number; /* by action: in the serialized plan; when nothing was kept before */
    obb_arena *arena;
} writer;

static uint32_t put_string(writer *w, const char *s)
{
    if (!s)
        return SERIALIZED_NONE;
    bool added;
    uint32_t n = obb_map_number(&w->strings, s, strlen(s), &added);
    if (added) {
        uint32_t *offset = obb_arena_alloc(w->arena, sizeof *offset);
        *offset = (uint32_t)w->text.length;
        w->strings.at[n].value = offset;
        obb_text_add(&w->text, s, strlen(s) + 1);
    }
    return *(uint32_t *)w->strings.at[n].value;
}

static uint32_t put_words(writer *w, const obb_words *words)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)words->count);
    for (size_t i = 0; i < words->count; i++)
        obb_vec_push(&w->pool, put_string(w, words->at[i]));
    return at;
}

static uint32_t file_number(const writer *w, obb_file file)
{
    return w->files_of ? w->files_of->number(w->files_of->self, file) : file;
}

static uint32_t put_numbers(writer *w, const uint32_t *numbers, size_t count)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)count);
    for (size_t i = 0; i < count; i++)
        obb_vec_push(&w->pool, numbers[i]);
    return at;
}

static uint32_t put_files(writer *w, const obb_file_list *files)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)files->count);
    for (size_t i = 0; i < files->count; i++)
        obb_vec_push(&w->pool, file_number(w, files->at[i]));
    return at;
}

/* Files that nobody need look at have no kept number. */
static uint32_t put_paths(writer *w, const obb_file_list *files)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)files->count);
    for (size_t i = 0; i < files->count; i++)
        obb_vec_push(&w->pool, put_string(w, obb_files_path(w->plan->files, files->at[i])));
    return at;
}

/* The number under which something is known, by its address; *added when it is new. */
static uint32_t number_of(writer *w, known_rows *known, const void *what, bool *added)
{
    char *key = obb_arena_copy(w->arena, &what, sizeof what);
    return known->from + obb_map_number(&known->numbers, key, sizeof what, added);
}

static uint32_t put_toolchain(writer *w, const obb_toolchain *tc)
{
    bool added;
    uint32_t n = number_of(w, &w->known_toolchains, tc, &added);
    if (!added)
        return n;
    const obb_words none = {0};
    serialized_toolchain k = {.name = put_string(w, tc->name),
                              .prefix = put_string(w, tc->prefix),
                              .custom = tc->custom != NULL};
    k.macros = put_words(w, tc->custom ? &tc->custom->macros : &none);
    k.search = put_words(w, tc->custom ? &tc->custom->search : &none);
    obb_vec_push(&w->toolchains, k);
    return n;
}

static uint32_t put_tool(writer *w, const obb_toolchain *tc, const obb_tool *tool)
{
    bool added;
    if (!tool)
        return SERIALIZED_NONE;
    uint32_t n = number_of(w, &w->known_tools, tool, &added);
    if (!added)
        return n;
    serialized_tool k = {.toolchain = put_toolchain(w, tc), .role = tool->role, .family = tool->family,
                   .role_name = put_string(w, tool->role_name), .wanted = put_string(w, tool->wanted),
                   .variable = put_string(w, tool->variable), .version = put_string(w, tool->version),
                   .target = put_string(w, tool->target), .command = put_words(w, &tool->command)};
    memcpy(k.identity, &tool->identity, sizeof k.identity);
    obb_vec_push(&w->tools, k);
    return n;
}

static uint32_t put_compile_words(writer *w, const obb_compile_options *words)
{
    bool added;
    if (!words)
        return SERIALIZED_NONE;
    uint32_t n = number_of(w, &w->known_words, words, &added);
    if (!added)
        return n;
    serialized_words k = {.tool = put_tool(w, words->toolchain, words->tool),
                          .language = words->language,
                          .flags = put_words(w, &words->flags),
                          .includes = put_words(w, &words->includes),
                          .defines = put_words(w, &words->defines),
                          .named = put_files(w, &words->named),
                          .tokens_decide = words->tokens_decide,
                          .stored = words->stored};
    obb_vec_push(&w->words, k);
    return n;
}

static uint32_t put_commands(writer *w, const obb_image_recipe *image)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)image->segments.count * 5);
    for (size_t i = 0; i < image->segments.count; i++) {
        obb_vec_push(&w->pool, put_string(w, image->segments.at[i].path));
        obb_vec_push(&w->pool, (uint32_t)(image->segments.at[i].offset >> 32));
        obb_vec_push(&w->pool, (uint32_t)image->segments.at[i].offset);
        obb_vec_push(&w->pool, (uint32_t)(image->segments.at[i].room >> 32));
        obb_vec_push(&w->pool, (uint32_t)image->segments.at[i].room);
    }
    return at;
}

/* A list of kinds, each with the list of its words and two files. */
static uint32_t put_step(writer *w, const obb_step_recipe *step)
{
    obb_file_list parts = {0};
    for (size_t i = 0; i < step->commands.count; i++) {
        obb_arena_push(w->arena, &parts, (uint32_t)step->commands.at[i].kind);
        obb_arena_push(w->arena, &parts, put_words(w, &step->commands.at[i].words));
        obb_arena_push(w->arena, &parts, put_string(w, step->commands.at[i].input));
        obb_arena_push(w->arena, &parts, put_string(w, step->commands.at[i].output));
    }
    return put_numbers(w, parts.at, parts.count);
}

/* For an action that takes the place of a serialized one, all makers of its inputs: the subplan has only some
 * of them. */
static uint32_t put_needs(writer *w, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(w->known, a);
    obb_file_list needs = {0};
    for (size_t i = 0; !w->kept && i < d->needs.count; i++)
        obb_arena_push(w->arena, &needs, w->kept_number[d->needs.at[i]]);
    for (size_t i = 0; w->kept && i < d->inputs.count; i++) {
        obb_file file = file_number(w, d->inputs.at[i]);
        serialized_row row = serialized_touchers(w->kept, file);
        for (uint32_t n = 0; n < row.count; n++)
            if (serialized_makes(w->kept, row.at[n], file))
                obb_arena_push(w->arena, &needs, row.at[n]);
    }
    return put_numbers(w, needs.at, needs.count);
}

/* Inputs whose contents decided the plan; those that were kept as such stay. */
static uint32_t put_fixed(writer *w, const bool *wanted, size_t actions)
{
    const obb_plan_facts *facts = w->facts;
    obb_file_list list = {0};
    bool *done = obb_arena_alloc(w->arena, facts->fixed_count + 1);
    for (uint32_t i = 1; w->kept && i <= w->kept->pool[w->kept->header->fixed]; i++)
        obb_arena_push(w->arena, &list, w->kept->pool[w->kept->header->fixed + i]);
    for (size_t i = 0; i < actions; i++)
        for (size_t n = 0; wanted[i] && n < w->known->of[i].inputs.count; n++) {
            obb_file file = w->known->of[i].inputs.at[n];
            if (file >= facts->fixed_count || !facts->fixed[file] || done[file])
                continue;
            done[file] = true;
            if (!w->kept || !serialized_lists(w->kept, w->kept->header->fixed, file_number(w, file)))
                obb_arena_push(w->arena, &list, file_number(w, file));
        }
    return put_numbers(w, list.at, list.count);
}

static serialized_action action_row(writer *w, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(w->known, a);
    const obb_toolchain *tc = a->options ? a->options->toolchain
                                         : obb_plan_variant_of(w->plan, a->variant)->toolchain;
    uint32_t variant = 0;
    while (w->plan->variants.at[variant].variant != a->variant)
        variant++;
    serialized_action k = {.kind = a->kind,
                           .target = put_string(w, a->target->name),
                           .target_kind = a->target->kind,
                           .variant = variant,
                           .tool = put_tool(w, tc, a->tool),
                           .words = put_compile_words(w, a->options),
                           .argv = put_words(w, &a->argv),
                           .output_word = a->output_word == SIZE_MAX ? SERIALIZED_NONE
                                                                     : (uint32_t)a->output_word,
                           .output = file_number(w, a->output),
                           .root_word = a->root_word == SIZE_MAX ? SERIALIZED_NONE : (uint32_t)a->root_word,
                           .also = put_files(w, &a->also),
                           .links = (uint32_t)a->links,
                           .byproducts = put_paths(w, &a->byproducts),
                           .inputs = put_files(w, &d->inputs),
                           .needs = put_needs(w, a),
                           .source = a->options ? file_number(w, a->source) : SERIALIZED_NONE,
                           .in_place = a->in_place,
                           .budgeted = w->facts->budgeted && w->facts->budgeted[a->number],
                           .reports = a->reports,
                           .untold = (uint32_t)d->untold,
                           .image_format = SERIALIZED_NONE};
    if (a->image) {
        k.image_format = a->image->format;
        k.image_program = put_string(w, a->image->program);
        k.image_parts = put_commands(w, a->image);
        k.image_fill = (uint32_t)a->image->fill;
        k.image_fill_stated = a->image->fill_stated;
        k.image_pad_high = (uint32_t)(a->image->pad_to >> 32);
        k.image_pad_low = (uint32_t)a->image->pad_to;
        k.image_addressed = a->image->addressed;
        k.image_address_high = (uint32_t)(a->image->address >> 32);
        k.image_address_low = (uint32_t)a->image->address;
    }
    k.step_parts = SERIALIZED_NONE;
    k.found_inputs = (uint32_t)d->found_inputs;
    if (a->step) {
        k.step_parts = put_step(w, a->step);
        k.step_folder = put_string(w, a->step->folder);
        k.step_environment = put_words(w, &a->step->environment);
        k.step_reports = put_string(w, a->step->reports_reads);
        k.step_apart = a->step->apart;
        k.step_anywhere = a->step->anywhere;
    }
    memcpy(k.command, &a->command, sizeof k.command);
    memcpy(k.tools, &a->tools, sizeof k.tools);
    return k;
}

/* An index is a run of numbers in the pool: for each row where it begins, and where the last one
 * ends, counted from behind these; then the rows. */
typedef struct index_maker {
    uint32_t rows;
    OBB_VEC(uint32_t) row, value;
} index_maker;

static void index_pair(index_maker *x, uint32_t row, uint32_t value)
{
    obb_vec_push(&x->row, row);
    obb_vec_push(&x->value, value);
    x->rows = row >= x->rows ? row + 1 : x->rows;
}

static uint32_t put_index(writer *w, index_maker *x)
{
    uint32_t at = (uint32_t)w->pool.count;
    uint32_t *next = obb_arena_alloc(w->arena, (x->rows + 2) * sizeof *next);
    for (size_t i = 0; i < x->row.count; i++)
        next[x->row.at[i] + 1]++;
    for (uint32_t i = 0; i <= x->rows; i++) {
        next[i] += i ? next[i - 1] : 0;
        obb_vec_push(&w->pool, next[i]);
    }
    obb_vec_room(&w->pool, w->pool.count + x->row.count);
    for (size_t i = 0; i < x->row.count; i++)
        w->pool.at[w->pool.count + next[x->row.at[i]]++] = x->value.at[i];
    w->pool.count += x->row.count;
    obb_vec_free(&x->row);
    obb_vec_free(&x->value);
    return at;
}

static void put_indexes(writer *w, serialized_header *h)
{
    index_maker touchers = {0}, users = {.rows = (uint32_t)w->actions.count};
    for (uint32_t i = 0; i < w->actions.count; i++) {
        const serialized_action *a = &w->actions.at[i];
        const uint32_t both[] = {a->also, a->inputs};
        index_pair(&touchers, a->output, i);
        for (int k = 0; k < 2; k++)
            for (uint32_t n = 1; n <= w->pool.at[both[k]]; n++)
                index_pair(&touchers, w->pool.at[both[k] + n], i);
        for (uint32_t n = 1; n <= w->pool.at[a->needs]; n++)
            index_pair(&users, w->pool.at[a->needs + n], i);
    }
    h->touched_files = touchers.rows;
    h->touchers = put_index(w, &touchers);
    h->users = put_index(w, &users);
    h->added = put_numbers(w, NULL, 0);
}

static void put_table(obb_text *bytes, const void *at, size_t count, size_t size)
{
    if (count)
        obb_text_add(bytes, at, count * size);
}

/* The header is complete except for the counts. */
static void put_all(writer *w, serialized_header *h, obb_text *bytes)
{
    while (w->text.length % 4 || !w->text.length)
        obb_text_char(&w->text, 0);
    h->actions = (uint32_t)w->actions.count;
    h->tools = (uint32_t)w->tools.count;
    h->toolchains = (uint32_t)w->toolchains.count;
    h->words = (uint32_t)w->words.count;
    h->text_length = (uint32_t)w->text.length;
    h->pool_count = (uint32_t)w->pool.count;
    obb_text_add(bytes, h, sizeof *h);
    put_table(bytes, w->actions.at, w->actions.count, sizeof *w->actions.at);
    put_table(bytes, w->tools.at, w->tools.count, sizeof *w->tools.at);
    put_table(bytes, w->toolchains.at, w->toolchains.count, sizeof *w->toolchains.at);
    put_table(bytes, w->words.at, w->words.count, sizeof *w->words.at);
    put_table(bytes, w->text.bytes, w->text.length, 1);
    put_table(bytes, w->pool.at, w->pool.count, sizeof *w->pool.at);
}

static void release(writer *w)
{
    obb_vec_free(&w->actions);
    obb_vec_free(&w->tools);
    obb_vec_free(&w->toolchains);
    obb_vec_free(&w->words);
    obb_vec_free(&w->pool);
    obb_text_free(&w->text);
    obb_map_free(&w->strings);
    obb_map_free(&w->known_tools.numbers);
    obb_map_free(&w->known_toolchains.numbers);
    obb_map_free(&w->known_words.numbers);
    obb_arena_free(w->arena);
}

/* Where the statements of all targets stand in the pool. */
static uint32_t put_statements(writer *w)
{
    const obb_project *p = w->plan->project;
    uint32_t at = put_numbers(w, NULL, 0);
    obb_vec_room(&w->pool, w->pool.count + p->targets.count * WORD_OF_PRINT);
    for (size_t i = 0; i < p->targets.count; i++)
        memcpy(w->pool.at + w->pool.count + i * WORD_OF_PRINT, &p->targets.at[i]->statement,
               sizeof(obb_fingerprint));
    w->pool.at[at] = (uint32_t)(p->targets.count * WORD_OF_PRINT);
    w->pool.count += w->pool.at[at];
    return at;
}

static void put_header(writer *w, serialized_header *h)
{
    obb_words variants = {0}, chosen = {0};
    for (size_t i = 0; i < w->plan->variants.count; i++) {
        const char *name = w->plan->variants.at[i].variant->name;
        obb_arena_push(w->arena, &variants, name);
        if (w->plan->variants.at[i].chosen)
            obb_arena_push(w->arena, &chosen, name);
    }
    memcpy(h->magic, SERIALIZED_MAGIC, sizeof h->magic);
    memcpy(h->rest, &w->plan->project->rest, sizeof h->rest);
    memcpy(h->wanted, &w->facts->wanted_targets, sizeof h->wanted);
    h->variants = put_words(w, &variants);
    h->chosen = put_words(w, &chosen);
    h->left_out = put_words(w, w->facts->left_out);
    h->far = put_words(w, w->facts->far);
    h->fixed = put_fixed(w, w->facts->wanted, w->plan->actions.count);
    h->statements = put_statements(w);
    put_indexes(w, h);
    h->fresh_count = (uint32_t)w->pool.count;
}

void obb_serialized_plan_write(const obb_dependency_table *table, const obb_plan_facts *facts,
                               obb_text *bytes)
{
    const obb_plan *plan = table->plan;
    writer w = {.plan = plan, .known = table, .facts = facts, .arena = obb_arena_new()};
    serialized_header h = {.actions = 0};
    uint32_t count = 0;
    w.kept_number = obb_arena_alloc(w.arena, (plan->actions.count + 1) * sizeof *w.kept_number);
    for (size_t i = 0; i < plan->actions.count; i++)
        if (facts->wanted[i])
            w.kept_number[i] = count++;
    for (size_t i = 0; i < plan->actions.count; i++)
        if (facts->wanted[i]) {
            serialized_action row = action_row(&w, plan->actions.at[i]);
            obb_vec_push(&w.actions, row);
        }
    put_header(&w, &h);
    put_all(&w, &h, bytes);
    release(&w);
}

/* --- renewing ----------------------------------------------------------------------- */

#define TAKE_TABLE(vec, from, n) \
    do { \
        obb_vec_room(vec, (n) + 16); \
        if (n) \
            memcpy((vec)->at, from, (n) * sizeof *(vec)->at); \
        (vec)->count = (n); \
    } while (0)

static void take_tables(writer *w)
{
    const obb_serialized_plan *k = w->kept;
    TAKE_TABLE(&w->actions, k->actions, k->header->actions);
    TAKE_TABLE(&w->tools, k->tools, k->header->tools);
    TAKE_TABLE(&w->toolchains, k->toolchains, k->header->toolchains);
    TAKE_TABLE(&w->words, k->words, k->header->words);
    TAKE_TABLE(&w->pool, k->pool, k->header->pool_count);
    obb_text_add(&w->text, k->text, k->header->text_length);
    w->known_tools.from = k->header->tools;
    w->known_toolchains.from = k->header->toolchains;
    w->known_words.from = k->header->words;
}

/* Pairs that the index does not have. */
static void add_pairs(const obb_serialized_plan *k, uint32_t number, const uint32_t *files, size_t count,
                      obb_text *added)
{
    for (size_t i = 0; i < count; i++) {
        const uint32_t pair[] = {files[i], number};
        serialized_row row = serialized_touchers(k, files[i]);
        bool known = false;
        for (uint32_t n = 0; n < row.count && !known; n++)
            known = row.at[n] == number;
        for (size_t n = 0; n < added->length && !known; n += sizeof pair)
            known = memcmp(added->bytes + n, pair, sizeof pair) == 0;
        if (!known)
            obb_text_add(added, pair, sizeof pair);
    }
}

/* Whether an input is made by an action that is not among the needs yet: an order that the serialized plan
 * does not know. */
static bool needs_more(const obb_serialized_plan *k, const serialized_action *a, const uint32_t *files,
                       size_t count)
{
    for (size_t i = 0; i < count; i++) {
        serialized_row row = serialized_touchers(k, files[i]);
        for (uint32_t n = 0; n < row.count; n++)
            if (serialized_makes(k, row.at[n], files[i]) && !serialized_lists(k, a->needs, row.at[n]))
                return true;
    }
    return false;
}

static bool holds(const uint32_t *numbers, size_t count, uint32_t number)
{
    for (size_t i = 0; i < count; i++)
        if (numbers[i] == number)
            return true;
    return false;
}

static bool makes_any(const obb_serialized_plan *k, uint32_t action, const uint32_t *files, size_t count)
{
    for (size_t i = 0; i < count; i++)
        if (serialized_makes(k, action, files[i]))
            return true;
    return false;
}

/* Whether the action reads nothing any more that one of its needs makes: then that is no longer needed, and
 * the order of actions changes. */
static bool needs_less(const obb_serialized_plan *k, const serialized_action *a, const uint32_t *files,
                       size_t count)
{
    const uint32_t *before = k->pool + a->inputs;
    for (uint32_t i = 1; i <= before[0]; i++) {
        if (holds(files, count, before[i]))
            continue;
        serialized_row row = serialized_touchers(k, before[i]);
        for (uint32_t n = 0; n < row.count; n++)
            if (serialized_makes(k, row.at[n], before[i]) && serialized_lists(k, a->needs, row.at[n]) &&
                !makes_any(k, row.at[n], files, count))
                return true;
    }
    return false;
}

static bool same_list(const obb_serialized_plan *k, uint32_t list, const uint32_t *numbers, size_t count)
{
    return k->pool[list] == count &&
           (!count || memcmp(k->pool + list + 1, numbers, count * sizeof *numbers) == 0);
}

/* The row of a planned compile that was not scanned: it reads what it read before. */
static serialized_action settled_row(writer *w, const obb_action *a, const serialized_action *before)
{
    serialized_action row = action_row(w, a);
    row.inputs = before->inputs;
    row.needs = before->needs;
    row.untold = before->untold;
    row.found_inputs = before->found_inputs;
    return row;
}

/* What an action of the part was found to read goes into its row; one that was planned again gets a
 * new row. False: the order of actions changed with it. */
static bool renew_action(writer *w, size_t i, obb_text *added)
{
    const obb_serialized_plan *k = w->kept;
    const obb_action *a = w->plan->actions.at[i];
    const obb_dependencies *d = obb_dependencies_of(w->known, a);
    uint32_t number = k->reached.at[i];
    serialized_action *row = number == SERIALIZED_NONE ? NULL : &w->actions.at[number];
    bool planned = i < k->planned,
         varies = a->options || a->step; /* what a scan found, and what a step told */
    obb_file_list numbers = {0};
    if (!row || (!planned && !varies))
        return true;
    for (size_t n = 0; n < d->inputs.count; n++)
        obb_arena_push(w->arena, &numbers, file_number(w, d->inputs.at[n]));
    if (planned && k->settled[i])
        *row = settled_row(w, a, row);
    else if (planned)
        *row = action_row(w, a);
    else if (same_list(k, row->inputs, numbers.at, numbers.count))
        return true;
    else if (needs_more(k, row, numbers.at, numbers.count) || needs_less(k, row, numbers.at, numbers.count))
        return false;
    else
        row->inputs = put_numbers(w, numbers.at, numbers.count);
    if (!planned || !k->settled[i])
        add_pairs(k, number, numbers.at, numbers.count, added);
    return true;
}

/* What an edited description changes besides actions. */
static void renew_header(writer *w, serialized_header *h)
{
    const obb_project *p = w->plan->project;
    h->left_out = put_words(w, w->facts->left_out);
    h->fixed = put_fixed(w, w->facts->wanted, w->kept->planned);
    for (size_t i = 0; i < p->targets.count; i++)
        memcpy(w->pool.at + h->statements + 1 + i * WORD_OF_PRINT, &p->targets.at[i]->statement,
               sizeof(obb_fingerprint));
}

void obb_serialized_plan_renew(const obb_serialized_plan *k, const obb_dependency_table *part,
                               const obb_plan_facts *facts, const obb_file_mapping *files_of, obb_text *bytes)
{
    const uint32_t *added_before = serialized_list(k, k->header->added);
    writer w = {.plan = part->plan, .known = part, .kept = k, .facts = facts, .files_of = files_of};
    serialized_header h = *k->header;
    obb_text added = {0};
    bool good = true;
    if (h.pool_count > h.fresh_count / 2 * 3 + 4096 || k->fresh || k->dropped.count ||
        !obb_serialized_plan_is_whole(k))
        return;
    w.arena = obb_arena_new();
    take_tables(&w);
    if (added_before[0])
        obb_text_add(&added, added_before + 1, added_before[0] * sizeof(uint32_t));
    for (size_t i = 0; i < k->reached.count && good; i++)
        good = renew_action(&w, i, &added);
    if (facts)
        renew_header(&w, &h);
    if (added.length / sizeof(uint32_t) > added_before[0])
        h.added = put_numbers(&w, (const uint32_t *)(const void *)added.bytes,
                              added.length / sizeof(uint32_t));
    if (good)
        put_all(&w, &h, bytes);
    obb_text_free(&added);
    release(&w);
}
