#include "plan/kept.h"

#include <string.h>

#include "base/map.h"

#define NONE UINT32_MAX

enum { WORD_OF_PRINT = sizeof(obb_print) / sizeof(uint32_t) };

/* Lists are an offset into the pool, where their length stands before them. */
typedef struct kept_action {
    uint32_t kind, target, target_kind, variant, tool, words;
    uint32_t argv, output_word, root_word, output, also, beside, inputs, needs, source;
    uint32_t in_place, long_way;
    uint32_t image_format, image_program, image_parts, image_fill, image_fill_stated, image_pad_high, image_pad_low;
    uint32_t step_parts, step_folder, step_environment, step_reports, found_inputs; /* step_parts NONE: no step */
    uint32_t command[WORD_OF_PRINT], tools[WORD_OF_PRINT];
} kept_action;

typedef struct kept_tool {
    uint32_t toolchain, role, family, role_name, wanted, variable, version, target, command;
    uint32_t identity[WORD_OF_PRINT];
} kept_tool;

typedef struct kept_toolchain {
    uint32_t name, prefix, custom, macros, search;
} kept_toolchain;

typedef struct kept_words {
    uint32_t tool, language, flags, includes, defines, tokens_decide, stored;
} kept_words;

typedef struct kept_header {
    char magic[8];
    uint32_t actions, tools, toolchains, words; /* how many */
    uint32_t variants, chosen, left_out;        /* lists of strings; chosen: those of the variants that were asked for */
    uint32_t fixed;                             /* a list of files */
    uint32_t touched_files;                     /* files that `touchers` has a row for */
    uint32_t touchers, users;                   /* indexes: by file, the actions that read or make it; by
                                                   action, those that need it */
    uint32_t added;                             /* a list of pairs, file and action, behind `touchers` */
    uint32_t text_length;                       /* of the strings; a multiple of 4 */
    uint32_t pool_count, fresh_count;           /* numbers in the pool; as it was first written */
} kept_header;

static const char magic[8] = "obbpln5";

/* --- writing ------------------------------------------------------------------------ */

typedef struct writer {
    const obb_plan *plan;
    const bool *wanted, *fixed, *long_way;
    size_t fixed_count;
    OBB_VEC(kept_action) actions;
    OBB_VEC(kept_tool) tools;
    OBB_VEC(kept_toolchain) toolchains;
    OBB_VEC(kept_words) words;
    OBB_VEC(uint32_t) pool;
    obb_text text;
    obb_map strings, known_tools, known_toolchains, known_words; /* to a number */
    uint32_t *kept_number; /* by action: in the kept plan */
    obb_arena *arena;
} writer;

static uint32_t put_string(writer *w, const char *s)
{
    if (!s)
        return NONE;
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

static uint32_t put_files(writer *w, const obb_file_list *files)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)files->count);
    for (size_t i = 0; i < files->count; i++)
        obb_vec_push(&w->pool, files->at[i]);
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
static uint32_t number_of(writer *w, obb_map *known, const void *what, bool *added)
{
    char *key = obb_arena_copy(w->arena, &what, sizeof what);
    return obb_map_number(known, key, sizeof what, added);
}

static uint32_t put_toolchain(writer *w, const obb_toolchain *tc)
{
    bool added;
    uint32_t n = number_of(w, &w->known_toolchains, tc, &added);
    if (!added)
        return n;
    const obb_words none = {0};
    kept_toolchain k = {.name = put_string(w, tc->name), .prefix = put_string(w, tc->prefix), .custom = tc->custom != NULL};
    k.macros = put_words(w, tc->custom ? &tc->custom->macros : &none);
    k.search = put_words(w, tc->custom ? &tc->custom->search : &none);
    obb_vec_push(&w->toolchains, k);
    return n;
}

static uint32_t put_tool(writer *w, const obb_toolchain *tc, const obb_tool *tool)
{
    bool added;
    if (!tool)
        return NONE;
    uint32_t n = number_of(w, &w->known_tools, tool, &added);
    if (!added)
        return n;
    kept_tool k = {.toolchain = put_toolchain(w, tc), .role = tool->role, .family = tool->family,
                   .role_name = put_string(w, tool->role_name), .wanted = put_string(w, tool->wanted),
                   .variable = put_string(w, tool->variable), .version = put_string(w, tool->version),
                   .target = put_string(w, tool->target), .command = put_words(w, &tool->command)};
    memcpy(k.identity, &tool->identity, sizeof k.identity);
    obb_vec_push(&w->tools, k);
    return n;
}

static uint32_t put_compile_words(writer *w, const obb_compile_words *words)
{
    bool added;
    if (!words)
        return NONE;
    uint32_t n = number_of(w, &w->known_words, words, &added);
    if (!added)
        return n;
    kept_words k = {.tool = put_tool(w, words->toolchain, words->tool), .language = words->language,
                    .flags = put_words(w, &words->flags), .includes = put_words(w, &words->includes),
                    .defines = put_words(w, &words->defines), .tokens_decide = words->tokens_decide,
                    .stored = words->stored};
    obb_vec_push(&w->words, k);
    return n;
}

static uint32_t put_parts(writer *w, const obb_image_job *image)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)image->parts.count * 3);
    for (size_t i = 0; i < image->parts.count; i++) {
        obb_vec_push(&w->pool, put_string(w, image->parts.at[i].path));
        obb_vec_push(&w->pool, (uint32_t)(image->parts.at[i].offset >> 32));
        obb_vec_push(&w->pool, (uint32_t)image->parts.at[i].offset);
    }
    return at;
}

/* A list of kinds, each with the list of its words. */
static uint32_t put_step(writer *w, const obb_step_job *step)
{
    obb_file_list parts = {0};
    for (size_t i = 0; i < step->parts.count; i++) {
        obb_arena_push(w->arena, &parts, (uint32_t)step->parts.at[i].kind);
        obb_arena_push(w->arena, &parts, put_words(w, &step->parts.at[i].words));
    }
    return put_files(w, &parts);
}

static uint32_t put_needs(writer *w, const obb_action *a)
{
    uint32_t at = (uint32_t)w->pool.count;
    obb_vec_push(&w->pool, (uint32_t)a->needs.count);
    for (size_t i = 0; i < a->needs.count; i++)
        obb_vec_push(&w->pool, w->kept_number[a->needs.at[i]]);
    return at;
}

/* Inputs whose contents decided the plan. */
static uint32_t put_fixed(writer *w)
{
    obb_file_list list = {0};
    bool *done = obb_arena_alloc(w->arena, w->fixed_count + 1);
    for (size_t i = 0; i < w->plan->actions.count; i++)
        for (size_t n = 0; w->wanted[i] && n < w->plan->actions.at[i]->inputs.count; n++) {
            obb_file file = w->plan->actions.at[i]->inputs.at[n];
            if (file >= w->fixed_count || !w->fixed[file] || done[file])
                continue;
            done[file] = true;
            obb_arena_push(w->arena, &list, file);
        }
    return put_files(w, &list);
}

static void put_action(writer *w, const obb_action *a)
{
    const obb_toolchain *tc = a->words ? a->words->toolchain : obb_plan_variant_of(w->plan, a->variant)->toolchain;
    uint32_t variant = 0;
    while (w->plan->variants.at[variant].variant != a->variant)
        variant++;
    kept_action k = {
        .kind = a->kind, .target = put_string(w, a->target->name), .target_kind = a->target->kind, .variant = variant, .tool = put_tool(w, tc, a->tool),
        .words = put_compile_words(w, a->words), .argv = put_words(w, &a->argv),
        .output_word = a->output_word == SIZE_MAX ? NONE : (uint32_t)a->output_word, .output = a->output,
        .root_word = a->root_word == SIZE_MAX ? NONE : (uint32_t)a->root_word,
        .also = put_files(w, &a->also), .beside = put_paths(w, &a->beside), .inputs = put_files(w, &a->inputs),
        .needs = put_needs(w, a), .source = a->source, .in_place = a->in_place,
        .long_way = w->long_way[a->number], .image_format = NONE};
    if (a->image) {
        k.image_format = a->image->format;
        k.image_program = put_string(w, a->image->program);
        k.image_parts = put_parts(w, a->image);
        k.image_fill = (uint32_t)a->image->fill;
        k.image_fill_stated = a->image->fill_stated;
        k.image_pad_high = (uint32_t)(a->image->pad_to >> 32);
        k.image_pad_low = (uint32_t)a->image->pad_to;
    }
    k.step_parts = NONE;
    k.found_inputs = (uint32_t)a->found_inputs;
    if (a->step) {
        k.step_parts = put_step(w, a->step);
        k.step_folder = put_string(w, a->step->folder);
        k.step_environment = put_words(w, &a->step->environment);
        k.step_reports = put_string(w, a->step->reports_reads);
    }
    memcpy(k.command, &a->command, sizeof k.command);
    memcpy(k.tools, &a->tools, sizeof k.tools);
    obb_vec_push(&w->actions, k);
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

static void put_indexes(writer *w, kept_header *h)
{
    index_maker touchers = {0}, users = {.rows = (uint32_t)w->actions.count};
    const obb_file_list none = {0};
    for (uint32_t i = 0; i < w->actions.count; i++) {
        const kept_action *a = &w->actions.at[i];
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
    h->added = put_files(w, &none);
}

static void put_table(obb_text *bytes, const void *at, size_t count, size_t size)
{
    if (count)
        obb_text_add(bytes, at, count * size);
}

static void put_all(writer *w, const obb_words *left_out, obb_text *bytes)
{
    kept_header h = {.actions = (uint32_t)w->actions.count, .tools = (uint32_t)w->tools.count,
                     .toolchains = (uint32_t)w->toolchains.count, .words = (uint32_t)w->words.count};
    obb_words variants = {0}, chosen = {0};
    for (size_t i = 0; i < w->plan->variants.count; i++) {
        const char *name = w->plan->variants.at[i].variant->name;
        obb_arena_push(w->arena, &variants, name);
        if (w->plan->variants.at[i].chosen)
            obb_arena_push(w->arena, &chosen, name);
    }
    memcpy(h.magic, magic, sizeof magic);
    h.variants = put_words(w, &variants);
    h.chosen = put_words(w, &chosen);
    h.left_out = put_words(w, left_out);
    h.fixed = put_fixed(w);
    put_indexes(w, &h);
    do
        obb_text_char(&w->text, 0);
    while (w->text.length % 4);
    h.text_length = (uint32_t)w->text.length;
    h.pool_count = h.fresh_count = (uint32_t)w->pool.count;
    obb_text_add(bytes, &h, sizeof h);
    put_table(bytes, w->actions.at, w->actions.count, sizeof *w->actions.at);
    put_table(bytes, w->tools.at, w->tools.count, sizeof *w->tools.at);
    put_table(bytes, w->toolchains.at, w->toolchains.count, sizeof *w->toolchains.at);
    put_table(bytes, w->words.at, w->words.count, sizeof *w->words.at);
    put_table(bytes, w->text.bytes, w->text.length, 1);
    put_table(bytes, w->pool.at, w->pool.count, sizeof *w->pool.at);
}

void obb_kept_plan_write(const obb_plan *plan, const bool *wanted, const bool *fixed, size_t fixed_count,
                         const bool *long_way, const obb_words *left_out, obb_text *bytes)
{
    writer w = {.plan = plan, .wanted = wanted, .fixed = fixed, .fixed_count = fixed_count, .long_way = long_way,
                .arena = obb_arena_new()};
    uint32_t count = 0;
    w.kept_number = obb_arena_alloc(w.arena, (plan->actions.count + 1) * sizeof *w.kept_number);
    for (size_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            w.kept_number[i] = count++;
    for (size_t i = 0; i < plan->actions.count; i++)
        if (wanted[i])
            put_action(&w, plan->actions.at[i]);
    put_all(&w, left_out, bytes);
    obb_vec_free(&w.actions);
    obb_vec_free(&w.tools);
    obb_vec_free(&w.toolchains);
    obb_vec_free(&w.words);
    obb_vec_free(&w.pool);
    obb_text_free(&w.text);
    obb_map_free(&w.strings);
    obb_map_free(&w.known_tools);
    obb_map_free(&w.known_toolchains);
    obb_map_free(&w.known_words);
    obb_arena_free(w.arena);
}

/* --- reading ------------------------------------------------------------------------ */

struct obb_kept_plan {
    const kept_header *header;
    const kept_action *actions;
    const kept_tool *tools;
    const kept_toolchain *toolchains;
    const kept_words *words;
    const char *text;
    const uint32_t *pool;
    size_t length;
    obb_arena *arena;
    OBB_VEC(uint32_t) reached; /* action numbers, in order */
    uint32_t *part_number;     /* by action: in the part, plus 1 */
};

/* The seal around the bytes holds, so only what a difference of versions could bring is checked. */
obb_kept_plan *obb_kept_plan_open(const void *bytes, size_t length, obb_arena *arena)
{
    const kept_header *h = bytes;
    if (length < sizeof *h || memcmp(h->magic, magic, sizeof magic) != 0)
        return NULL;
    obb_kept_plan *k = obb_arena_alloc(arena, sizeof *k);
    k->header = h;
    k->actions = (const kept_action *)(const void *)(h + 1);
    k->tools = (const kept_tool *)(const void *)(k->actions + h->actions);
    k->toolchains = (const kept_toolchain *)(const void *)(k->tools + h->tools);
    k->words = (const kept_words *)(const void *)(k->toolchains + h->toolchains);
    k->text = (const char *)(k->words + h->words);
    k->pool = (const uint32_t *)(const void *)(k->text + h->text_length);
    k->length = length;
    k->arena = arena;
    return (const char *)(k->pool + h->pool_count) == (const char *)bytes + length ? k : NULL;
}

size_t obb_kept_plan_count(const obb_kept_plan *k)
{
    return k->header->actions;
}

static const char *string_at(const obb_kept_plan *k, uint32_t at)
{
    return at == NONE ? NULL : k->text + at;
}

static obb_words words_at(const obb_kept_plan *k, uint32_t at, obb_arena *arena)
{
    obb_words words = {0};
    for (uint32_t i = 0; i < k->pool[at]; i++)
        obb_arena_push(arena, &words, string_at(k, k->pool[at + 1 + i]));
    return words;
}

void obb_kept_plan_variants(const obb_kept_plan *k, obb_arena *arena, obb_words *names)
{
    *names = words_at(k, k->header->chosen, arena);
}

void obb_kept_plan_left_out(const obb_kept_plan *k, obb_arena *arena, obb_words *left_out)
{
    *left_out = words_at(k, k->header->left_out, arena);
}

/* --- the part ----------------------------------------------------------------------- */

static void reach(obb_kept_plan *k, uint32_t number)
{
    if (!k->part_number[number])
        obb_arena_push(k->arena, &k->reached, number);
    k->part_number[number] = 1;
}

typedef struct run {
    const uint32_t *at;
    uint32_t count;
} run;

static run index_row(const obb_kept_plan *k, uint32_t at, uint32_t rows, uint32_t number)
{
    const uint32_t *begins = k->pool + at;
    if (number >= rows)
        return (run){NULL, 0};
    return (run){begins + rows + 1 + begins[number], begins[number + 1] - begins[number]};
}

/* Whether a file stands in a list of the pool. */
static bool lists(const obb_kept_plan *k, uint32_t list, obb_file file)
{
    for (uint32_t n = 1; n <= k->pool[list]; n++)
        if (k->pool[list + n] == file)
            return true;
    return false;
}

/* The index may tell of inputs that an action has no more since it was renewed. */
static bool touches(const obb_kept_plan *k, uint32_t number, obb_file file)
{
    const kept_action *a = &k->actions[number];
    return a->output == file || lists(k, a->inputs, file) || lists(k, a->also, file);
}

/* Reaches the actions that read or make a file; false when there are none. */
static bool reach_touchers(obb_kept_plan *k, obb_file file)
{
    const uint32_t *added = k->pool + k->header->added;
    run row = index_row(k, k->header->touchers, k->header->touched_files, file);
    bool any = false;
    for (uint32_t i = 0; i < row.count; i++)
        if (touches(k, row.at[i], file)) {
            reach(k, row.at[i]);
            any = true;
        }
    for (uint32_t n = 1; n < added[0]; n += 2)
        if (added[n] == file && touches(k, added[n + 1], file)) {
            reach(k, added[n + 1]);
            any = true;
        }
    return any;
}

/* Users of what the reached actions make. */
static void reach_users(obb_kept_plan *k)
{
    for (size_t i = 0; i < k->reached.count; i++) {
        run row = index_row(k, k->header->users, k->header->actions, k->reached.at[i]);
        for (uint32_t n = 0; n < row.count; n++)
            reach(k, row.at[n]);
    }
}

static int by_number(const void *a, const void *b)
{
    uint32_t x = *(const uint32_t *)a, y = *(const uint32_t *)b;
    return x < y ? -1 : x > y;
}

bool obb_kept_plan_reaches(obb_kept_plan *k, const obb_file_list *changed)
{
    bool good = true;
    k->part_number = obb_arena_alloc(k->arena, (k->header->actions + 1) * sizeof *k->part_number);
    for (size_t i = 0; i < changed->count; i++)
        if (lists(k, k->header->fixed, changed->at[i]) || !reach_touchers(k, changed->at[i]))
            return false;
    reach_users(k);
    if (k->reached.count)
        qsort(k->reached.at, k->reached.count, sizeof *k->reached.at, by_number);
    for (size_t i = 0; i < k->reached.count; i++) {
        good = good && !k->actions[k->reached.at[i]].long_way;
        k->part_number[k->reached.at[i]] = (uint32_t)i + 1;
    }
    return good;
}

typedef struct maker {
    obb_kept_plan *kept;
    const obb_kept_files *files_of;
    obb_plan *plan;
    obb_arena *arena;
    obb_variant **variants;
    obb_toolchain **toolchains;
    obb_tool **tools;
    obb_compile_words **words;
    obb_map targets;
} maker;

static obb_toolchain *make_toolchain(maker *m, uint32_t n)
{
    const kept_toolchain *from = &m->kept->toolchains[n];
    if (m->toolchains[n])
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
    if (n == NONE || m->tools[n])
        return n == NONE ? NULL : m->tools[n];
    const kept_tool *from = &m->kept->tools[n];
    obb_tool *t = m->tools[n] = obb_arena_alloc(m->arena, sizeof *t);
    *t = (obb_tool){.role = (obb_role)from->role, .family = (obb_family)from->family, .asked = true,
                    .role_name = string_at(m->kept, from->role_name), .wanted = string_at(m->kept, from->wanted),
                    .variable = string_at(m->kept, from->variable), .version = string_at(m->kept, from->version),
                    .target = string_at(m->kept, from->target), .command = words_at(m->kept, from->command, m->arena)};
    memcpy(&t->identity, from->identity, sizeof t->identity);
    return t;
}

static obb_compile_words *make_words(maker *m, uint32_t n)
{
    if (n == NONE || m->words[n])
        return n == NONE ? NULL : m->words[n];
    const kept_words *from = &m->kept->words[n];
    obb_compile_words *w = m->words[n] = obb_arena_alloc(m->arena, sizeof *w);
    *w = (obb_compile_words){.toolchain = make_toolchain(m, m->kept->tools[from->tool].toolchain), .tool = make_tool(m, from->tool),
                             .language = (obb_language)from->language, .flags = words_at(m->kept, from->flags, m->arena),
                             .includes = words_at(m->kept, from->includes, m->arena),
                             .defines = words_at(m->kept, from->defines, m->arena), .tokens_decide = from->tokens_decide,
                             .stored = from->stored};
    return w;
}

static obb_target *make_target(maker *m, const char *name, uint32_t kind)
{
    obb_target *t = obb_map_get(&m->targets, name);
    if (t)
        return t;
    t = obb_arena_alloc(m->arena, sizeof *t);
    t->name = name;
    t->kind = (obb_target_kind)kind;
    obb_map_put(&m->targets, name, t);
    return t;
}

static obb_image_job *make_image(maker *m, const kept_action *from)
{
    const uint32_t *parts = m->kept->pool + from->image_parts;
    if (from->image_format == NONE)
        return NULL;
    obb_image_job *job = obb_arena_alloc(m->arena, sizeof *job);
    *job = (obb_image_job){.format = (obb_image_format)from->image_format, .program = string_at(m->kept, from->image_program),
                           .fill = (int)from->image_fill, .fill_stated = from->image_fill_stated,
                           .pad_to = (uint64_t)from->image_pad_high << 32 | from->image_pad_low};
    for (uint32_t i = 1; i <= parts[0]; i += 3)
        obb_arena_push(m->arena, &job->parts,
                       (obb_image_part){string_at(m->kept, parts[i]), (uint64_t)parts[i + 1] << 32 | parts[i + 2]});
    return job;
}

static obb_step_job *make_step(maker *m, const kept_action *from)
{
    if (from->step_parts == NONE)
        return NULL;
    const uint32_t *parts = m->kept->pool + from->step_parts;
    obb_step_job *step = obb_arena_alloc(m->arena, sizeof *step);
    *step = (obb_step_job){.folder = string_at(m->kept, from->step_folder), .reports_reads = string_at(m->kept, from->step_reports),
                           .environment = words_at(m->kept, from->step_environment, m->arena)};
    for (uint32_t i = 1; i < parts[0]; i += 2) {
        obb_step_part part = {(obb_step_part_kind)parts[i], words_at(m->kept, parts[i + 1], m->arena)};
        obb_arena_push(m->arena, &part.words, NULL);
        part.words.count--;
        obb_arena_push(m->arena, &step->parts, part);
    }
    return step;
}

static void make_files(maker *m, uint32_t at, obb_file_list *files)
{
    const uint32_t *list = m->kept->pool + at;
    for (uint32_t i = 1; i <= list[0]; i++)
        obb_arena_push(m->arena, files, m->files_of->tell(m->files_of->self, list[i]));
}

static void make_action(maker *m, uint32_t number)
{
    const kept_action *from = &m->kept->actions[number];
    const uint32_t *needs = m->kept->pool + from->needs;
    obb_action *a = obb_arena_alloc(m->arena, sizeof *a);
    bool compile = from->words != NONE;
    *a = (obb_action){.kind = (obb_action_kind)from->kind, .number = (uint32_t)m->plan->actions.count,
                      .target = make_target(m, string_at(m->kept, from->target), from->target_kind),
                      .variant = m->variants[from->variant],
                      .argv = words_at(m->kept, from->argv, m->arena), .in_place = from->in_place,
                      .root_word = from->root_word == NONE ? SIZE_MAX : from->root_word, .output_word = from->output_word == NONE ? SIZE_MAX : from->output_word,
                      .output = m->files_of->tell(m->files_of->self, from->output), .image = make_image(m, from),
                      .step = make_step(m, from), .found_inputs = from->found_inputs, .pending = OBB_NO_FILE,
                      .tool = make_tool(m, from->tool), .words = make_words(m, from->words)};
    make_files(m, from->also, &a->also);
    obb_words beside = words_at(m->kept, from->beside, m->arena);
    for (size_t i = 0; i < beside.count; i++)
        obb_arena_push(m->arena, &a->beside, obb_files_number(m->plan->files, beside.at[i]));
    make_files(m, from->inputs, &a->inputs); /* of a compile: told of, and found again by its scan */
    a->source = compile ? m->files_of->tell(m->files_of->self, from->source) : from->source;
    if (compile)
        a->inputs.count = 0;
    for (uint32_t i = 1; !compile && i <= needs[0]; i++)
        if (m->kept->part_number[needs[i]])
            obb_arena_push(m->arena, &a->needs, m->kept->part_number[needs[i]] - 1);
    memcpy(&a->command, from->command, sizeof a->command);
    memcpy(&a->tools, from->tools, sizeof a->tools);
    obb_arena_push(m->arena, &m->plan->actions, a);
    obb_plan_set_maker(m->plan, a->output, a);
    for (size_t i = 0; i < a->also.count; i++)
        obb_plan_set_maker(m->plan, a->also.at[i], a);
    if (a->step)
        obb_plan_promise(m->plan, a);
}

obb_plan *obb_kept_plan_part(obb_kept_plan *k, const obb_kept_files *files_of, obb_arena *arena, obb_files *files,
                             obb_toolchains *toolchains, obb_scanner *scanner, const char *out)
{
    maker m = {.kept = k, .files_of = files_of, .arena = arena};
    obb_words names = words_at(k, k->header->variants, arena);
    m.plan = obb_arena_alloc(arena, sizeof *m.plan);
    *m.plan = (obb_plan){.arena = arena, .files = files, .toolchains = toolchains, .scanner = scanner, .out = out};
    m.variants = obb_arena_alloc(arena, (names.count + 1) * sizeof *m.variants);
    for (size_t i = 0; i < names.count; i++) {
        m.variants[i] = obb_arena_alloc(arena, sizeof *m.variants[i]);
        m.variants[i]->name = names.at[i];
    }
    m.toolchains = obb_arena_alloc(arena, (k->header->toolchains + 1) * sizeof *m.toolchains);
    m.tools = obb_arena_alloc(arena, (k->header->tools + 1) * sizeof *m.tools);
    m.words = obb_arena_alloc(arena, (k->header->words + 1) * sizeof *m.words);
    for (size_t i = 0; i < k->reached.count; i++)
        make_action(&m, k->reached.at[i]);
    obb_map_free(&m.targets);
    return m.plan;
}

/* --- renewing ----------------------------------------------------------------------- */

static uint32_t add_list(obb_text *pool, const uint32_t *numbers, size_t count)
{
    uint32_t at = (uint32_t)(pool->length / sizeof(uint32_t)), length = (uint32_t)count;
    obb_text_add(pool, &length, sizeof length);
    if (count)
        obb_text_add(pool, numbers, count * sizeof *numbers);
    return at;
}

static bool same_list(const obb_kept_plan *k, uint32_t list, const uint32_t *numbers, size_t count)
{
    return k->pool[list] == count && (!count || memcmp(k->pool + list + 1, numbers, count * sizeof *numbers) == 0);
}

/* Pairs that the index does not have. */
static void add_pairs(const obb_kept_plan *k, uint32_t number, const uint32_t *files, size_t count, obb_text *added)
{
    for (size_t i = 0; i < count; i++) {
        const uint32_t pair[] = {files[i], number};
        run row = index_row(k, k->header->touchers, k->header->touched_files, files[i]);
        bool known = false;
        for (uint32_t n = 0; n < row.count && !known; n++)
            known = row.at[n] == number;
        for (size_t n = 0; n < added->length && !known; n += sizeof pair)
            known = memcmp(added->bytes + n, pair, sizeof pair) == 0;
        if (!known)
            obb_text_add(added, pair, sizeof pair);
    }
}

/* Whether an input is made by an action that is not among the needs yet: an order that the kept plan
 * does not know. */
static bool needs_more(const obb_kept_plan *k, const kept_action *a, const uint32_t *files, size_t count)
{
    for (size_t i = 0; i < count; i++) {
        run row = index_row(k, k->header->touchers, k->header->touched_files, files[i]);
        for (uint32_t n = 0; n < row.count; n++) {
            const kept_action *other = &k->actions[row.at[n]];
            bool makes = other->output == files[i] || lists(k, other->also, files[i]);
            if (makes && !lists(k, a->needs, row.at[n]))
                return true;
        }
    }
    return false;
}

/* The lists of inputs that changed go into the pool, and their actions into the table. False: the
 * order of actions changed with them. */
static bool renew_inputs(const obb_kept_plan *k, const obb_plan *part, const obb_kept_files *files_of, obb_text *bytes,
                         obb_text *pool, obb_text *added)
{
    OBB_VEC(uint32_t) numbers = {0};
    bool good = true;
    for (size_t i = 0; i < k->reached.count && good; i++) {
        const obb_action *a = part->actions.at[i];
        kept_action changed = k->actions[k->reached.at[i]];
        bool varies = a->words || a->step; /* what a scan found, and what a step told */
        numbers.count = 0;
        for (size_t n = 0; varies && n < a->inputs.count; n++)
            obb_vec_push(&numbers, files_of->number(files_of->self, a->inputs.at[n]));
        if (!varies || same_list(k, changed.inputs, numbers.at, numbers.count))
            continue;
        good = !needs_more(k, &changed, numbers.at, numbers.count);
        add_pairs(k, k->reached.at[i], numbers.at, numbers.count, added);
        changed.inputs = add_list(pool, numbers.at, numbers.count);
        memcpy(bytes->bytes + sizeof *k->header + k->reached.at[i] * sizeof changed, &changed, sizeof changed);
    }
    obb_vec_free(&numbers);
    return good;
}

void obb_kept_plan_renew(const obb_kept_plan *k, const obb_plan *part, const obb_kept_files *files_of, obb_text *bytes)
{
    size_t fixed_part = k->length - k->header->pool_count * sizeof(uint32_t);
    const uint32_t *added_before = k->pool + k->header->added;
    obb_text pool = {0}, added = {0};
    kept_header h = *k->header;
    if (h.pool_count > h.fresh_count / 2 * 3 + 4096)
        return;
    obb_text_add(&pool, k->pool, h.pool_count * sizeof(uint32_t));
    obb_text_add(bytes, k->header, fixed_part);
    if (added_before[0])
        obb_text_add(&added, added_before + 1, added_before[0] * sizeof(uint32_t));
    bool good = renew_inputs(k, part, files_of, bytes, &pool, &added);
    if (added.length / sizeof(uint32_t) > added_before[0])
        h.added = add_list(&pool, (const uint32_t *)(const void *)added.bytes, added.length / sizeof(uint32_t));
    h.pool_count = (uint32_t)(pool.length / sizeof(uint32_t));
    memcpy(bytes->bytes, &h, sizeof h);
    obb_text_add(bytes, pool.bytes, pool.length);
    if (!good)
        bytes->length = 0;
    obb_text_free(&pool);
    obb_text_free(&added);
}
