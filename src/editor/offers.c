/* What may stand at a place (editor/work.h): words of the language, names, values, files. */
#include <dirent.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "editor/work.h"
#include "project/vocabulary.h"

/* CompletionItemKind of the protocol. */
enum {
    KIND_FILE = 17,
    KIND_FOLDER = 19,
    KIND_KEYWORD = 14,
    KIND_VALUE = 12,
    KIND_NAME = 9,
    KIND_PROPERTY = 10
};

typedef struct offer {
    obb_editor *e;
    json_t *items;
    const char *word; /* what is typed */
    json_t *range;    /* that is replaced */
    obb_map seen;
} offer;

static void add(offer *o, const char *text, int kind, const char *detail)
{
    if (strncmp(text, o->word, strlen(o->word)) != 0 ||
        obb_map_put(&o->seen, obb_arena_string(o->e->arena, text), o))
        return;
    json_t *item = json_pack("{s:s, s:i, s:{s:O, s:s}}", "label", text, "kind", kind, "textEdit", "range",
                             o->range, "newText", text);
    if (detail)
        json_object_set_new(item, "detail", json_string(detail));
    json_array_append_new(o->items, item);
}

static const obb_setting_info *setting_called(const char *word)
{
    for (int i = 0; i < OBB_SETTING_COUNT; i++)
        if (strcmp(obb_setting_infos[i].word, word) == 0)
            return &obb_setting_infos[i];
    return NULL;
}

static void offer_words(offer *o, unsigned where)
{
    const char *words[OBB_MOST_WORDS];
    obb_vocable_list((obb_where)where, words);
    for (const char **w = words; *w; w++) {
        const obb_setting_info *setting = setting_called(*w);
        add(o, *w, setting ? KIND_PROPERTY : KIND_KEYWORD, setting ? setting->summary : NULL);
    }
}

static const char *kind_name(unsigned kinds)
{
    static const char *const names[] = {"program", "library",  "test",          "step",      "image",
                                        "group",   "platform", "configuration", "toolchain", "axis",
                                        "value",   "runner",   "settings",      "delivery",  "let"};
    for (size_t i = 0; i < sizeof names / sizeof *names; i++)
        if (kinds == 1u << i)
            return names[i];
    return NULL;
}

static void offer_names(offer *o, unsigned kinds)
{
    const mentions *all = mentions_of(o->e);
    for (size_t i = 0; i < all->count; i++) {
        const mention *m = &all->at[i];
        if (m->defines && m->kinds & kinds & ~(unsigned)NAMES_VALUE)
            add(o, m->name, KIND_NAME, kind_name(m->kinds));
    }
}

/* Axes that nobody defines here: those of the machine. */
static void offer_axes(offer *o, const char *behind)
{
    const obb_project *p = o->e->w ? o->e->w->project : NULL;
    for (size_t i = 0; p && i < p->axes.count; i++)
        add(o, obb_arena_format(o->e->arena, "%s%s", p->axes.at[i]->name, behind), KIND_NAME,
            p->axes.at[i]->summary);
}

static void offer_axis_values(offer *o, const char *axis, const char *before)
{
    const obb_project *p = o->e->w ? o->e->w->project : NULL;
    for (size_t i = 0; p && i < p->axes.count; i++)
        for (size_t k = 0; strcmp(p->axes.at[i]->name, axis) == 0 && k < p->axes.at[i]->values.count; k++)
            add(o, obb_arena_format(o->e->arena, "%s%s", before, p->axes.at[i]->values.at[k]), KIND_VALUE,
                axis);
}

/* AXIS=VALUE: the axis first, then what it may be. */
static void offer_assignments(offer *o)
{
    const char *sign = strchr(o->word, '=');
    if (!sign) {
        offer_axes(o, "=");
        return;
    }
    size_t n = (size_t)(sign - o->word) - (sign > o->word && sign[-1] == '!');
    const char *bar = strrchr(sign, '|'), *from = bar ? bar : sign;
    offer_axis_values(o, obb_arena_copy(o->e->arena, o->word, n),
                      obb_arena_copy(o->e->arena, o->word, (size_t)(from - o->word) + 1));
}

static void offer_variants(offer *o)
{
    const mentions *all = mentions_of(o->e);
    for (size_t i = 0; i < all->count; i++) {
        const mention *p = &all->at[i];
        for (size_t k = 0; p->defines && p->kinds == NAMES_PLATFORM && k < all->count; k++) {
            const mention *c = &all->at[k];
            if (c->defines && c->kinds == NAMES_CONFIGURATION)
                add(o, obb_arena_format(o->e->arena, "%s.%s", p->name, c->name), KIND_VALUE, "variant");
        }
        if (p->defines && p->kinds == NAMES_PLATFORM) {
            add(o, obb_arena_format(o->e->arena, "%s.debug", p->name), KIND_VALUE, "variant");
            add(o, obb_arena_format(o->e->arena, "%s.release", p->name), KIND_VALUE, "variant");
        }
    }
    add(o, "host.debug", KIND_VALUE, "variant");
    add(o, "host.release", KIND_VALUE, "variant");
}

/* Of the folder that is typed so far, seen from the file. */
static void offer_files(offer *o, const char *path, bool folders_only)
{
    const char *slash = strrchr(o->word, '/');
    const char *typed = slash ? obb_arena_copy(o->e->arena, o->word, (size_t)(slash - o->word) + 1) : "";
    const char *folder = obb_path_join(o->e->arena, obb_path_folder(o->e->arena, path), *typed ? typed : ".");
    DIR *dir = opendir(folder);
    for (struct dirent *entry; dir && (entry = readdir(dir));) {
        struct stat s;
        if (*entry->d_name == '.' || stat(obb_path_join(o->e->arena, folder, entry->d_name), &s))
            continue;
        bool is_folder = S_ISDIR(s.st_mode);
        if (is_folder || !folders_only)
            add(o,
                obb_arena_format(o->e->arena, "%s%s%s", typed, entry->d_name,
                                 is_folder && !folders_only ? "/" : ""),
                is_folder ? KIND_FOLDER : KIND_FILE, NULL);
    }
    if (dir)
        closedir(dir);
}

static void offer_values(offer *o, const char *path, const char *statement, const char *block)
{
    unsigned kinds = names_in(statement, block);
    const obb_setting_info *setting = setting_called(statement);
    for (const char *const *w = setting ? setting->allowed : NULL; w && *w; w++)
        add(o, *w, KIND_VALUE, setting->summary);
    offer_names(o, kinds);
    if (kinds & NAMES_AXIS)
        offer_axes(o, "");
    if (kinds & NAMES_VALUE)
        offer_assignments(o);
    if (kinds & NAMES_VARIANT)
        offer_variants(o);
    if (kinds & (NAMES_FILE | NAMES_FOLDER))
        offer_files(o, path, !(kinds & NAMES_FILE));
    if (strcmp(statement, "toolchain") == 0 || strcmp(statement, "like") == 0)
        add(o, "host", KIND_NAME, "built in");
}

json_t *offer_completions(obb_editor *e, const char *path, int line, int column)
{
    spot s;
    find_spot(e, path, line, column, &s);
    offer o = {.e = e,
               .items = json_array(),
               .word = s.word,
               .range = range_json(e, path, s.place, strlen(s.whole))};
    unsigned where = where_of(&s);
    const frame *inner = s.frames.count ? &s.frames.at[s.frames.count - 1] : NULL;
    const char *top = s.frames.count ? s.frames.at[0].word : "";
    if (!s.words.count && where)
        offer_words(&o, where);
    else if (!s.words.count && inner && strcmp(inner->word, "choose") == 0)
        offer_axis_values(&o, inner->name, ""), add(&o, "else", KIND_KEYWORD, NULL);
    else if (inner && !where)
        offer_values(&o, path, inner->word, top);
    else if (s.words.count)
        offer_values(&o, path, s.words.at[0].text, top);
    json_decref(o.range);
    obb_map_free(&o.seen);
    return json_pack("{s:b, s:o}", "isIncomplete", 0, "items", o.items);
}
