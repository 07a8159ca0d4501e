/* Which words define names, and which use them (editor/work.h), by the statements that they stand in. */
#include <string.h>

#include "base/path.h"
#include "editor/work.h"

typedef struct naming {
    const char *word, *block; /* block NULL: any */
    unsigned kinds;
} naming;

/* The second word of these is a name that they define. */
static const naming defining[] =
    {{"program", NULL, NAMES_PROGRAM},     {"library", NULL, NAMES_LIBRARY},
     {"test", NULL, NAMES_TEST},           {"step", NULL, NAMES_STEP},
     {"image", NULL, NAMES_IMAGE},         {"group", NULL, NAMES_GROUP},
     {"platform", NULL, NAMES_PLATFORM},   {"configuration", NULL, NAMES_CONFIGURATION},
     {"toolchain", NULL, NAMES_TOOLCHAIN}, {"axis", NULL, NAMES_AXIS},
     {"runner", NULL, NAMES_RUNNER},       {"settings", NULL, NAMES_SETTINGS},
     {"delivery", NULL, NAMES_DELIVERY},   {"let", NULL, NAMES_LET},
     {"device", NULL, NAMES_DEVICE},       {"thirdparty", NULL, NAMES_THIRDPARTY}};

/* Values of these are names that are defined elsewhere. The first row that fits counts. */
static const naming using[] = {{"uses", NULL, NAMES_LIBRARY | NAMES_STEP},
                               {"needs", "delivery", NAMES_DELIVERY},
                               {"needs", NULL, NAMES_TARGET},
                               {"group", NULL, NAMES_TARGET},
                               {"default", "axis", NAMES_VALUE},
                               {"default", NULL, NAMES_TARGET | NAMES_VARIANT},
                               {"programs", NULL, NAMES_PROGRAM},
                               {"libraries", NULL, NAMES_LIBRARY},
                               {"plug-ins", NULL, NAMES_LIBRARY},
                               {"images", NULL, NAMES_IMAGE},
                               {"developer-files", NULL, NAMES_LIBRARY},
                               {"program", "image", NAMES_PROGRAM},
                               {"program", "launch", NAMES_PROGRAM},
                               {"program", "test", NAMES_PROGRAM},
                               {"image", "launch", NAMES_IMAGE},
                               {"place", NULL, NAMES_IMAGE},
                               {"like", "platform", NAMES_PLATFORM},
                               {"like", "configuration", NAMES_CONFIGURATION},
                               {"like", "toolchain", NAMES_TOOLCHAIN},
                               {"like", NULL, NAMES_SETTINGS},
                               {"toolchain", "platform", NAMES_TOOLCHAIN},
                               {"runner", "platform", NAMES_RUNNER},
                               {"set", NULL, NAMES_VALUE},
                               {"choose", NULL, NAMES_AXIS},
                               {"when", NULL, NAMES_VALUE},
                               {"only", NULL, NAMES_VALUE},
                               {"lineup", NULL, NAMES_VARIANT},
                               {"sources", NULL, NAMES_FILE},
                               {"resources", NULL, NAMES_FILE},
                               {"reads", NULL, NAMES_FILE},
                               {"read", NULL, NAMES_FILE},
                               {"except", NULL, NAMES_FILE},
                               {"linker-script", NULL, NAMES_FILE},
                               {"exports", NULL, NAMES_FILE},
                               {"executable", NULL, NAMES_FILE},
                               {"include", NULL, NAMES_FOLDER}};

static unsigned find(const naming *list, size_t count, const char *word, const char *block)
{
    for (size_t i = 0; i < count; i++)
        if (strcmp(list[i].word, word) == 0 && (!list[i].block || strcmp(list[i].block, block) == 0))
            return list[i].kinds;
    return 0;
}

unsigned names_in(const char *word, const char *block)
{
    return find(using, sizeof using / sizeof *using, word, block);
}

static void add(obb_editor *e, mention m)
{
    obb_arena_push(e->arena, &e->mentions, m);
}

static obb_place moved(const obb_word *w, size_t bytes)
{
    obb_place place = w->place;
    place.column += (int)bytes + w->quoted;
    return place;
}

/* AXIS=VALUE, as it stands in `set` and in conditions: AXIS!=VALUE, AXIS=A|B. */
static void add_assignment(obb_editor *e, const obb_word *w)
{
    const char *sign = strpbrk(w->text, "=!"),
               *value = sign ? sign + 1 + (*sign == '!' && sign[1] == '=') : NULL;
    if (!sign || sign == w->text)
        return;
    const char *axis = obb_arena_copy(e->arena, w->text, (size_t)(sign - w->text));
    add(e, (mention){.kinds = NAMES_AXIS, .name = axis, .place = moved(w, 0)});
    for (size_t n; *value; value += n + (value[n] == '|')) {
        n = strcspn(value, "|");
        add(e, (mention){.kinds = NAMES_VALUE,
                         .name = obb_arena_copy(e->arena, value, n),
                         .axis = axis,
                         .place = moved(w, (size_t)(value - w->text))});
    }
}

/* {tool:NAME}, {product:NAME}, {product:VARIANT/NAME}, {axis:NAME}, and {NAME} for what `let` states. */
static void add_placeholders(obb_editor *e, const obb_word *w)
{
    for (const char *open = w->text; (open = strchr(open, '{')); open++) {
        const char *close = strchr(open, '}');
        if (!close || open[1] == '{')
            break;
        const char *name = obb_arena_copy(e->arena, open + 1, (size_t)(close - open - 1)),
                   *colon = strchr(name, ':');
        unsigned kinds = !colon                              ? NAMES_LET
                         : strncmp(name, "tool:", 5) == 0    ? NAMES_PROGRAM
                         : strncmp(name, "product:", 8) == 0 ? NAMES_TARGET
                         : strncmp(name, "axis:", 5) == 0    ? NAMES_AXIS
                                                             : 0;
        size_t from = colon ? (size_t)(colon - name) + 1 : 0, at = (size_t)(open - w->text) + 1;
        const char *slash = kinds == NAMES_TARGET ? strchr(name, '/')
                                                  : NULL; /* PLATFORM.CONFIGURATION/NAME */
        if (slash) {
            add(e, (mention){.kinds = NAMES_PLATFORM,
                             .name = obb_arena_copy(e->arena, name + from, strcspn(name + from, "./")),
                             .place = moved(w, at + from)});
            from = (size_t)(slash - name) + 1;
        }
        if (kinds)
            add(e, (mention){.kinds = kinds, .name = name + from, .place = moved(w, at + from)});
    }
}

static void add_value(obb_editor *e, const obb_word *w, unsigned kinds)
{
    if (kinds & NAMES_VALUE && strchr(w->text, '='))
        add_assignment(e, w);
    else if (kinds && !(kinds & (NAMES_FILE | NAMES_FOLDER)))
        add(e, (mention){.kinds = kinds, .name = w->text, .place = moved(w, 0)});
}

static void add_block(obb_editor *e, const obb_block *block, const char *in, unsigned kinds);

static void add_axis_values(obb_editor *e, const obb_statement *s, const char *axis)
{
    for (size_t i = 0; i < s->block->list.count; i++) {
        const obb_statement *one = s->block->list.at[i];
        bool values = strcmp(one->words.at[0].text, "values") == 0,
             usual = strcmp(one->words.at[0].text, "default") == 0;
        for (size_t k = 1; (values || usual) && k < one->words.count; k++)
            add(e, (mention){.kinds = NAMES_VALUE,
                             .name = one->words.at[k].text,
                             .axis = axis,
                             .place = moved(&one->words.at[k], 0),
                             .defines = values});
    }
}

/* choose AXIS { A|B { … } else { … } } */
static void add_choices(obb_editor *e, const obb_statement *s, const char *in)
{
    const char *axis = s->words.count > 1 ? s->words.at[1].text : "";
    for (size_t i = 0; i < s->block->list.count; i++) {
        const obb_statement *one = s->block->list.at[i];
        const char *value = one->words.at[0].text;
        for (size_t n; *value && strcmp(one->words.at[0].text, "else") != 0; value += n + (value[n] == '|')) {
            n = strcspn(value, "|");
            add(e, (mention){.kinds = NAMES_VALUE,
                             .name = obb_arena_copy(e->arena, value, n),
                             .axis = axis,
                             .place = moved(&one->words.at[0], (size_t)(value - one->words.at[0].text))});
        }
        if (one->block)
            add_block(e, one->block, in, 0);
    }
}

static void add_statement(obb_editor *e, const obb_statement *s, const char *in, unsigned kinds_of_list)
{
    const char *word = s->words.at[0].text;
    unsigned defined = *in ? 0 : find(defining, sizeof defining / sizeof *defining, word, ""),
             kinds = kinds_of_list ? 0 : names_in(word, in);
    if (kinds_of_list) /* `uses { A B }`: values, a statement a line */
        for (size_t i = 0; i < s->words.count; i++)
            add_value(e, &s->words.at[i], kinds_of_list);
    if (defined && s->words.count > 1)
        add(e, (mention){.kinds = defined,
                         .name = s->words.at[1].text,
                         .place = moved(&s->words.at[1], 0),
                         .defines = true});
    for (size_t i = defined ? 2 : 1; i < s->words.count && !kinds_of_list; i++)
        add_value(e, &s->words.at[i], kinds);
    for (size_t i = 0; i < s->words.count; i++)
        add_placeholders(e, &s->words.at[i]);
    if (!s->block)
        return;
    if (defined == NAMES_AXIS && s->words.count > 1)
        add_axis_values(e, s, s->words.at[1].text);
    else if (strcmp(word, "choose") == 0)
        add_choices(e, s, in);
    else if (!*in && strcmp(word, "group") == 0)
        add_block(e, s->block, word, NAMES_TARGET);
    else if (!*in && strcmp(word, "lineup") == 0)
        add_block(e, s->block, word, NAMES_VARIANT);
    else
        add_block(e, s->block, *in ? in : word,
                  *in && kinds && !(kinds & (NAMES_VALUE | NAMES_AXIS)) ? kinds : 0);
}

/* While a block is typed it is not closed yet, and all that follows lies in it: what begins a line and
 * defines a name is taken to stand at the top. */
static void add_block(obb_editor *e, const obb_block *block, const char *in, unsigned kinds)
{
    for (size_t i = 0; i < block->list.count; i++) {
        const obb_word *first = &block->list.at[i]->words.at[0];
        bool top = first->place.column == 1 &&
                   find(defining, sizeof defining / sizeof *defining, first->text, "");
        add_statement(e, block->list.at[i], top ? "" : in, top ? 0 : kinds);
    }
}

const mentions *mentions_of(obb_editor *e)
{
    obb_diags *ignored = obb_diags_new();
    for (size_t i = 0; e->w && !e->named && i < e->w->project->own_descriptions.count; i++) {
        const char *path = e->w->project->own_descriptions.at[i];
        size_t length;
        const char *text = text_of(e, obb_path_join(e->arena, e->w->root, path), &length);
        const obb_score *score = obb_score_parse(e->arena, &(obb_score_origin){.file = path}, text, length,
                                                 ignored);
        add_block(e, &score->top, "", 0);
    }
    e->named = true;
    obb_diags_free(ignored);
    return &e->mentions;
}

const mention *mention_at(obb_editor *e, const char *path, int line, int column)
{
    const char *file = path_in_project(e, path);
    const mentions *all = mentions_of(e);
    for (size_t i = 0; i < all->count; i++) {
        const mention *m = &all->at[i];
        if (strcmp(m->place.file, file) == 0 && m->place.line == line && column >= m->place.column &&
            column <= m->place.column + (int)strlen(m->name))
            return m;
    }
    return NULL;
}

bool same_name(const mention *a, const mention *b)
{
    bool axes = !(a->kinds & b->kinds & NAMES_VALUE) || (a->axis && b->axis && strcmp(a->axis, b->axis) == 0);
    return a->kinds & b->kinds && strcmp(a->name, b->name) == 0 && axes;
}
