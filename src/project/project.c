/* What a project has, by name.
 *
 * Lookups by name over the lists of the project; none of them changes it. */
#include "project/project.h"

#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "project/vocabulary.h"

static const char *const kind_names[] = {"toolchain", "platform", "configuration"};
const char *const obb_library_kinds[] = {"static", "shared", "both", "plug-in", NULL};

void obb_project_free(obb_project *project)
{
    if (!project)
        return;
    obb_map_free(&project->target_names);
    for (int kind = 0; kind < 3; kind++)
        obb_map_free(&project->part_names[kind]);
    obb_map_free(&project->variants);
    obb_arena_free(project->arena);
}

obb_thirdparty *obb_project_thirdparty(const obb_project *project, const char *name)
{
    for (size_t i = 0; name && i < project->thirdparty.count; i++)
        if (strcmp(project->thirdparty.at[i]->name, name) == 0)
            return project->thirdparty.at[i];
    return NULL;
}

const char *obb_target_folder(const obb_target *t, obb_arena *arena)
{
    const char *scope = t->place.scope;
    return scope ? obb_arena_format(arena, "%s/%s", scope, t->name + strlen(scope) + 1) : t->name;
}

static obb_target *scoped_target(const obb_project *p, const char *scope, const char *name)
{
    return obb_project_target(p, obb_arena_format(p->arena, "%s:%s", scope, name));
}

static obb_target *only_library(const obb_project *p, const char *scope)
{
    obb_target *found = NULL;
    for (size_t i = 0; i < p->targets.count; i++) {
        obb_target *t = p->targets.at[i];
        if (t->kind != OBB_LIBRARY || !obb_same(t->place.scope, scope))
            continue;
        if (found)
            return NULL;
        found = t;
    }
    return found;
}

obb_target *obb_project_named(const obb_project *p, const char *scope, const char *name)
{
    obb_target *t = scope ? scoped_target(p, scope, name) : NULL;
    if (!t)
        t = obb_project_target(p, name);
    if (t && scope && !t->place.scope)
        t = NULL; /* code of others does not know ours */
    const obb_thirdparty *other = t ? NULL : obb_project_thirdparty(p, name);
    if (other)
        t = scoped_target(p, name, name);
    return t || !other ? t : only_library(p, other->name);
}

obb_target *obb_project_target(const obb_project *project, const char *name)
{
    return obb_map_get(&project->target_names, name);
}

const char *const *obb_project_target_names(const obb_project *project)
{
    const char **names = obb_arena_alloc(project->arena, (project->targets.count + 1) * sizeof *names);
    for (size_t i = 0; i < project->targets.count; i++)
        names[i] = project->targets.at[i]->name;
    return names;
}

const char *obb_definition_kind_name(obb_definition_kind kind)
{
    return kind_names[kind];
}

const obb_definition *obb_project_definition(const obb_project *p, obb_definition_kind kind, const char *name)
{
    return obb_map_get(&p->part_names[kind], name);
}

const char *const *obb_project_definition_names(const obb_project *p, obb_definition_kind kind)
{
    const char **names = obb_arena_alloc(p->arena, (p->definitions[kind].count + 1) * sizeof *names);
    for (size_t i = 0; i < p->definitions[kind].count; i++)
        names[i] = p->definitions[kind].at[i]->name;
    return names;
}

const obb_lineup *obb_project_lineup(const obb_project *p, const char *name)
{
    for (size_t i = 0; i < p->lineups.count; i++)
        if (strcmp(p->lineups.at[i]->name, name) == 0)
            return p->lineups.at[i];
    return NULL;
}

const char *const *obb_project_lineup_names(const obb_project *p)
{
    const char **names = obb_arena_alloc(p->arena, (p->lineups.count + 1) * sizeof *names);
    for (size_t i = 0; i < p->lineups.count; i++)
        names[i] = p->lineups.at[i]->name;
    return names;
}

const obb_runner *obb_project_runner(const obb_project *p, const char *name)
{
    for (size_t i = 0; i < p->runners.count; i++)
        if (strcmp(p->runners.at[i]->name, name) == 0)
            return p->runners.at[i];
    return NULL;
}

const obb_device *obb_project_device(const obb_project *project, const char *name)
{
    for (size_t i = 0; i < project->devices.count; i++)
        if (strcmp(project->devices.at[i]->name, name) == 0)
            return project->devices.at[i];
    return NULL;
}

const obb_delivery *obb_project_delivery(const obb_project *project, const char *name)
{
    for (size_t i = 0; i < project->deliveries.count; i++)
        if (strcmp(project->deliveries.at[i]->name, name) == 0)
            return project->deliveries.at[i];
    return NULL;
}

const obb_launch *obb_project_launch(const obb_project *project, const char *name)
{
    for (size_t i = 0; i < project->launches.count; i++)
        if (strcmp(project->launches.at[i]->name, name) == 0)
            return project->launches.at[i];
    return NULL;
}

static int index_of(const char *const *words, const char *word)
{
    for (int i = 0; words[i]; i++)
        if (strcmp(words[i], word) == 0)
            return i;
    return 0;
}

static void add_words(obb_arena *arena, obb_word_list *list, const obb_property *p)
{
    for (size_t i = 0; i < p->lines.count; i++)
        for (size_t k = 0; k < p->lines.at[i].count; k++)
            obb_arena_push(arena, list, p->lines.at[i].at[k]);
}

void obb_apply_property(obb_arena *arena, obb_target *t, const obb_property *p)
{
    static const obb_word nothing = {"", {0}, false};
    const obb_word *value = p->lines.count && p->lines.at[0].count ? &p->lines.at[0].at[0] : &nothing;
    uint64_t number = 0;
    switch (p->id) {
    case OBB_W_SUMMARY: t->summary = value->text; break;
    case OBB_W_OPTIONAL: t->optional = strcmp(value->text, "yes") == 0; break;
    case OBB_W_WHOLE: t->whole = strcmp(value->text, "yes") == 0; break;
    case OBB_W_KIND: t->library = (obb_library_kind)index_of(obb_library_kinds, value->text); break;
    case OBB_W_SONAME: add_words(arena, &t->soname, p); break;
    case OBB_W_LINK_ORDER: add_words(arena, &t->link_order, p); break;
    case OBB_W_EXECUTABLE: t->executable = *value; break;
    case OBB_W_OUTPUT:
        t->output = value->place.scope
                        ? obb_arena_format(arena, "%s/%s", value->place.scope, value->text)
                        : value->text;
        t->output_place = value->place;
        break;
    case OBB_W_FORMATS: add_words(arena, &t->formats, p); break;
    case OBB_W_FILL:
        obb_read_size(value->text, &number);
        t->fill = (int)(number & 0xff);
        break;
    case OBB_W_PAD_TO: obb_read_size(value->text, &t->pad_to); break;
    case OBB_W_IN:
        t->folder = *value->text == '{'
                        ? value->text
                        : obb_path_join(arena, value->place.folder, value->text);
        t->folder_place = value->place;
        break;
    case OBB_W_APART: t->apart = strcmp(value->text, "yes") == 0; break;
    case OBB_W_ANYWHERE:
        t->anywhere = strcmp(value->text, "yes") == 0;
        t->anywhere_place = value->place;
        break;
    case OBB_W_REPORTS_READS: t->reports_reads = obb_path_join(arena, "", value->text); break;
    case OBB_W_FROM:
        t->from_source = obb_path_join(arena, value->place.folder, value->text);
        break;
    default: break;
    }
}
