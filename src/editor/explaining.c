/* What a word means (editor/work.h): a name, with what it stands for; or a word of the language, from the
 * manual. */
#include <string.h>

#include "base/path.h"
#include "editor/work.h"
#include "project/resolve/settings.h"
#include "project/setting.h"

/* The row of a table in the manual that begins with the word: | `word …` | meaning | */
static const char *row_of(obb_editor *e, const char *word)
{
    const char *start = obb_arena_format(e->arena, "`%s", word);
    size_t n = strlen(start);
    for (const char *line = e->manual; line && *line; line = strchr(line, '\n'), line += line != NULL) {
        size_t length = strcspn(line, "\n"),
               first = strncmp(line, "| ", 2) == 0 ? strcspn(line + 2, "|") + 2 : 0;
        const char *row = first ? obb_arena_copy(e->arena, line, length) : NULL,
                   *at = row ? strstr(row, start) : NULL;
        if (!at || (size_t)(at - row) > first || (at[n] != ' ' && at[n] != '`'))
            continue;
        const char *end = strchr(row + 2, '|');
        return obb_arena_format(e->arena, "%.*s\n\n%.*s", (int)(end - row - 2), row + 2,
                                (int)(length - (size_t)(end - row) - 3), end + 2);
    }
    return NULL;
}

static const char *setting_text(obb_editor *e, const char *word)
{
    for (int i = 0; i < OBB_SETTING_COUNT; i++) {
        const obb_setting_info *s = &obb_setting_infos[i];
        if (strcmp(s->word, word) != 0)
            continue;
        obb_text text = {0};
        obb_text_format(&text, "`%s`: %s", word, s->summary);
        for (const char *const *a = s->allowed; a && *a; a++)
            obb_text_format(&text, "%s `%s`", a == s->allowed ? "\n\n" : ",", *a);
        const char *copy = obb_arena_string(e->arena, text.bytes);
        obb_text_free(&text);
        return copy;
    }
    return NULL;
}

/* The settings of a target in its first default variant, and where each comes from. */
static void add_settings(obb_editor *e, const obb_target *target, obb_text *text)
{
    obb_workspace *w = e->w;
    size_t messages = w->diags->list.count;
    if (messages || (!w->variants.count && obb_workspace_choose_variants(w)) || !w->variants.count)
        return;
    const obb_variant *v = w->variants.at[0];
    const obb_flat_settings flat = obb_resolve(v, obb_in(v, target), NULL, e->arena);
    obb_text_format(text, "\n\nIn %s:\n\n| setting | value | stated at |\n|---|---|---|\n", v->name);
    for (size_t i = 0; i < flat.count; i++) {
        const obb_origin_setting *s = &flat.at[i];
        obb_text_format(text, "| %s | `%s` | ", obb_setting_infos[s->id].word, s->value);
        if (s->place.line && *s->place.file != '<')
            obb_text_format(text, "%s:%d", s->place.file, s->place.line);
        else
            obb_text_string(text, "built in");
        obb_text_string(text, " |\n");
    }
}

static const char *target_text(obb_editor *e, const mention *m)
{
    const obb_target *t = e->w->project ? obb_project_named(e->w->project, NULL, m->name) : NULL;
    obb_text text = {0};
    if (!t)
        return NULL;
    obb_text_format(&text, "**%s**", t->name);
    if (t->summary)
        obb_text_format(&text, ": %s", t->summary);
    obb_text_format(&text, "\n\n%s:%d", t->place.file, t->place.line);
    add_settings(e, t, &text);
    const char *copy = obb_arena_string(e->arena, text.bytes);
    obb_text_free(&text);
    return copy;
}

static const char *axis_text(obb_editor *e, const char *name)
{
    for (size_t i = 0; i < e->w->project->axes.count; i++) {
        const obb_axis *a = e->w->project->axes.at[i];
        if (strcmp(a->name, name) != 0)
            continue;
        obb_text text = {0};
        obb_text_format(&text, "axis **%s**: %s\n\n", a->name, a->summary ? a->summary : "");
        for (size_t k = 0; k < a->values.count; k++)
            obb_text_format(&text, "%s`%s`", k ? ", " : "", a->values.at[k]);
        const char *copy = obb_arena_string(e->arena, text.bytes);
        obb_text_free(&text);
        return copy;
    }
    return NULL;
}

/* Of what the project does not know just now: where it is defined. */
static const char *defined_text(obb_editor *e, const mention *m)
{
    const mentions *all = mentions_of(e);
    for (size_t i = 0; i < all->count; i++) {
        const mention *d = &all->at[i];
        if (d->defines && same_name(d, m))
            return obb_arena_format(e->arena, "**%s**\n\n%s:%d", d->name, d->place.file, d->place.line);
    }
    return NULL;
}

json_t *explain(obb_editor *e, const char *path, int line, int column)
{
    const mention *m = mention_at(e, path, line, column);
    const char *text = NULL;
    spot s;
    find_spot(e, path, line, column + 1, &s); /* behind the character that is pointed at */
    if (m && e->w && e->w->project && m->kinds & NAMES_TARGET)
        text = target_text(e, m);
    if (m && !text && e->w && e->w->project && m->kinds & (NAMES_AXIS | NAMES_VALUE))
        text = axis_text(e, m->axis ? m->axis : m->name);
    if (m && !text)
        text = defined_text(e, m);
    if (!text && !s.words.count && *s.whole)
        text = setting_text(e, s.whole);
    if (!text && !s.words.count && *s.whole)
        text = row_of(e, s.whole);
    return text ? json_pack("{s:{s:s, s:s}}", "contents", "kind", "markdown", "value", text) : json_null();
}
