/* Files whose text is known when the plan is made: the header of the project's facts and
 * axes, and the MEMORY part for linker scripts (GNU ld manual, section 3.7, MEMORY Command). */
#include <ctype.h>
#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "base/path.h"
#include "base/template.h"
#include "plan/context.h"

char *obb_plan_text_folder(const obb_plan *plan, const obb_plan_variant *in, const char *scope)
{
    return obb_path_join(plan->arena, obb_variant_own_folder(plan->arena, in->folder, scope), "gen");
}

char *obb_context_folder(const obb_plan_context *j, const obb_target *t)
{
    return obb_variant_own_folder(j->plan->arena, j->in->folder, t->place.scope);
}

static const char *header_of(const obb_project *p, const char *scope)
{
    return scope ? obb_project_thirdparty(p, scope)->header : p->header;
}

bool obb_has_generated_headers(const obb_project *p, const char *scope)
{
    bool any = header_of(p, scope) != NULL;
    for (size_t i = 0; i < p->checks.count && !any; i++)
        any = p->checks.at[i]->block->into && obb_same(p->checks.at[i]->place.scope, scope);
    for (size_t i = 0; i < p->templates.count && !any; i++)
        any = obb_same(p->templates.at[i]->place.scope, scope);
    for (size_t i = 0; i < p->resource_scopes.count && !any; i++)
        any = obb_same(p->resource_scopes.at[i], scope);
    return any;
}

obb_file obb_plan_add_text(obb_plan *plan, const obb_plan_variant *in, const char *scope, const char *name,
                           obb_text *text)
{
    obb_generated_text ready = {.variant = in->variant, .text = obb_arena_string(plan->arena, text->bytes)};
    ready.file = obb_files_number(plan->files,
                                  obb_path_join(plan->arena, obb_plan_text_folder(plan, in, scope), name));
    obb_files_provide(plan->files, ready.file, ready.text, text->length);
    obb_arena_push(plan->arena, &plan->texts, ready);
    obb_text_free(text);
    return ready.file;
}

static char *macro_name(obb_arena *arena, const char *name)
{
    char *macro = obb_arena_string(arena, name);
    for (char *c = macro; *c; c++)
        *c = (char)(isalnum((unsigned char)*c) ? toupper((unsigned char)*c) : '_');
    return macro;
}

/* NAME_VERSION as a string, and its first three numbers. */
static void version_macros(obb_text *text, const char *name, const char *version)
{
    static const char *const parts[] = {"MAJOR", "MINOR", "PATCH"};
    obb_text_format(text, "#define %s_VERSION \"%s\"\n", name, version);
    for (int i = 0; i < 3; i++) {
        char *end;
        unsigned long n = strtoul(version, &end, 10);
        obb_text_format(text, "#define %s_VERSION_%s %lu\n", name, parts[i], n);
        version = *end == '.' ? end + 1 : end;
    }
}

/* What was found, and, for readers, what was not. */
static void check_macros(obb_text *text, const obb_variant *v, const char *scope, const char *into)
{
    const obb_check_answer *answers = obb_check_answers(v);
    for (size_t i = 0; i < v->project->checks.count; i++) {
        const obb_check *c = v->project->checks.at[i];
        if (!c->macro || !answers[i].asked || !obb_same(c->block->into, into) ||
            !obb_same(c->place.scope, scope))
            continue;
        if (!answers[i].holds)
            obb_text_format(text, "/* not found: %s */\n", c->macro);
        else
            obb_text_format(text, "#define %s %lld\n", c->macro,
                            c->kind == OBB_CHECK_SIZE ? (long long)answers[i].value : 1ll);
    }
}

/* The template of a header, read while planning: whoever edits it has another plan. */
static void add_template(obb_plan *plan, const obb_checks *block, obb_text *text, obb_diags *diags)
{
    obb_text from = {0}, kept = {0};
    obb_template_gap gap;
    obb_file file = obb_files_number(plan->files, block->template);
    int failed = obb_files_is_file(plan->files, file) ? obb_files_read(plan->files, file, &from) : ENOENT;
    if (failed) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, block->template_place, "cannot read `%s`: %s",
                                block->template, strerror(failed));
        obb_hint(diags, d, "`template FILE` names a file of the project, seen from this description");
    }
    if (strlen(obb_text_bytes(&from)) != from.length) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, block->template_place, "`%s` is no text",
                                block->template);
        obb_hint(diags, d, "a template is a header of C or C++ with places for answers");
    }
    obb_template_split(obb_text_bytes(&from), &kept, NULL, NULL);
    obb_text_format(text, "/* From %s: */\n", block->template);
    if (!obb_template_fill(obb_text_bytes(&kept), OBB_TEMPLATE_HEADER, block->values.at, block->values.count,
                           text, &gap)) {
        obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, block->template_place,
                                "`%.*s` in this template has no value", (int)gap.place.whole, gap.place.at);
        obb_hint(diags, d, "state it: template %s with %.*s=VALUE", block->template, (int)gap.place.length,
                 gap.place.name);
    }
    obb_text_free(&from);
    obb_text_free(&kept);
}

/* A header that `checks` blocks name for their macros; what its template has stands behind them, since it
 * goes by them. */
static void add_check_header(obb_plan *plan, const obb_plan_variant *in, const char *scope, const char *into,
                             obb_diags *diags)
{
    const obb_project *p = plan->project;
    obb_text text = {0};
    const char *guard = obb_arena_format(plan->arena, "%s_ANSWERS", macro_name(plan->arena, into));
    obb_text_format(&text, "/* What %s has; written by obbligato. */\n#ifndef %s\n#define %s\n",
                    in->variant->name, guard, guard);
    check_macros(&text, in->variant, scope, into);
    obb_text_string(&text, "#endif\n");
    for (size_t i = 0; i < p->templates.count; i++)
        if (strcmp(p->templates.at[i]->into, into) == 0 && obb_same(p->templates.at[i]->place.scope, scope))
            add_template(plan, p->templates.at[i], &text, diags);
    obb_plan_add_text(plan, in, scope, into, &text);
}

static void add_check_headers(obb_plan *plan, const obb_plan_variant *in, obb_diags *diags)
{
    const obb_project *p = plan->project;
    obb_map done = {0};
    for (size_t i = 0; i < p->checks.count + p->templates.count; i++) {
        const obb_checks *block =
            i < p->checks.count ? p->checks.at[i]->block : p->templates.at[i - p->checks.count];
        const char *scope = block->place.scope;
        if (block->into && !obb_map_put(&done, obb_arena_format(plan->arena, "%s:%s", scope ? scope : "",
                                                                block->into), plan))
            add_check_header(plan, in, scope, block->into, diags);
    }
    obb_map_free(&done);
}

/* Of our project, or of a third-party one. */
static void add_header(obb_plan *plan, const obb_plan_variant *in, const char *scope)
{
    obb_text text = {0};
    obb_words macros = {0};
    const obb_project *p = plan->project;
    const obb_thirdparty *other = obb_project_thirdparty(p, scope);
    const char *called = other ? other->project : p->name, *file = header_of(p, scope);
    const char *name = macro_name(plan->arena, called), *guard = macro_name(plan->arena, file);
    obb_text_format(&text,
                    "/* Facts of %s in the variant %s; written by obbligato. */\n#ifndef %s\n#define %s\n",
                    called, in->variant->name, guard, guard);
    version_macros(&text, name, other ? other->version : p->version);
    obb_text_format(&text, "#define %s_VARIANT \"%s\"\n", name, in->variant->name);
    obb_axis_macros(in->variant, scope, plan->arena, &macros);
    for (size_t i = 0; i < macros.count; i++)
        obb_text_format(&text, "#define %.*s 1\n", (int)strcspn(macros.at[i], "="), macros.at[i]);
    check_macros(&text, in->variant, scope, NULL);
    obb_text_string(&text, "#endif\n");
    obb_plan_add_text(plan, in, scope, file, &text);
}

static void add_memory(obb_plan *plan, const obb_plan_variant *in)
{
    obb_text text = {0};
    const obb_variant *v = in->variant;
    obb_text_format(&text, "/* The memory of platform %s; written by obbligato from %s. */\nMEMORY\n{\n",
                    v->platform->name, v->platform->place.file);
    for (size_t i = 0; i < v->memory.count; i++) {
        const obb_region *r = &v->memory.at[i];
        obb_text_format(&text, "    %s%s%s%s : ORIGIN = 0x%08llx, LENGTH = 0x%08llx\n", r->name,
                        *r->attributes ? " (" : "", r->attributes, *r->attributes ? ")" : "",
                        (unsigned long long)r->origin, (unsigned long long)r->length);
    }
    obb_text_string(&text, "}\n");
    obb_plan_add_text(plan, in, NULL, "regions.ld", &text);
}

void obb_plan_texts(obb_plan *plan, const obb_plan_variant *in, obb_diags *diags)
{
    if (plan->project->header)
        add_header(plan, in, NULL);
    for (size_t i = 0; i < plan->project->thirdparty.count; i++)
        if (plan->project->thirdparty.at[i]->header)
            add_header(plan, in, plan->project->thirdparty.at[i]->name);
    add_check_headers(plan, in, diags);
    if (in->variant->memory.count)
        add_memory(plan, in);
}
