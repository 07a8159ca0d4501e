/* Words of steps, tests and devices, and what they stand for (plan/words.h). */
#include "plan/words.h"

#include <string.h>

#include "base/fill.h"
#include "base/path.h"
#include "plan/dependencies.h"

/* --- files and products ------------------------------------------------------------- */

bool obb_leads_back(obb_arena *arena, const char *folder)
{
    bool top = false;
    while (!(top = strcmp(folder, ".") == 0 || strcmp(folder, "/") == 0) && !obb_is_link(folder))
        folder = obb_path_folder(arena, folder);
    return top;
}

/* A path of the project as it is seen from one of its folders. */
static const char *seen_from(const obb_plan *plan, const char *folder, const char *path)
{
    obb_arena *arena = plan->arena;
    if (path[0] == '/' || strcmp(folder, ".") == 0)
        return path;
    if (obb_path_outside(folder) || !obb_leads_back(arena, folder))
        return obb_path_join(arena, plan->root, path);
    return obb_path_from(arena, folder, path);
}

static bool makes(const obb_target *step, const char *path)
{
    for (size_t k = 0; k < step->makes.count; k++)
        if (strcmp(step->makes.at[k].path, path) == 0)
            return true;
    return false;
}

/* A file made by this target's steps; OBB_NO_FILE with an error when there is none here. A name that is a
 * whole path in some variant is not taken for the end of another path here. */
obb_file obb_context_made(obb_plan_context *j, const char *name, obb_place place)
{
    bool whole = false;
    for (size_t i = 0; i < j->target->uses.count; i++)
        whole = whole || makes(j->target->uses.at[i].target, name);
    for (size_t i = 0; i < j->target->uses.count; i++) {
        const obb_target *step = obb_in(j->in->variant, j->target->uses.at[i].target);
        for (size_t k = 0; k < step->makes.count; k++) {
            const char *path = step->makes.at[k].path;
            if (whole ? strcmp(path, name) == 0 : obb_path_ends(path, name))
                return obb_files_number(j->plan->files,
                                        obb_path_join(j->plan->arena, obb_context_folder(j, step), path));
        }
    }
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, place, "no step makes `%s` in %s", name,
                            j->in->variant->name);
    obb_hint(j->diags, d, "put the reference inside the same `when` as the step that makes it");
    return OBB_NO_FILE;
}

static void add_once(obb_plan_context *j, obb_file_list *list, obb_file file)
{
    for (size_t i = 0; i < list->count; i++)
        if (list->at[i] == file)
            return;
    if (file != OBB_NO_FILE)
        obb_arena_push(j->plan->arena, list, file);
}

void obb_context_made_sources(obb_plan_context *j, obb_file_list *sources)
{
    for (size_t i = 0; i < j->target->made_of.count; i++)
        if (j->target->made_of.at[i].source)
            add_once(j, sources,
                     obb_context_made(j, j->target->made_of.at[i].path, j->target->made_of.at[i].place));
    for (size_t i = 0; i < j->target->uses.count; i++) {
        const obb_target *step = obb_in(j->in->variant, j->target->uses.at[i].target);
        for (size_t k = 0; obb_compiles_all_of(&j->target->uses.at[i]) && k < step->makes.count; k++)
            if (obb_language_of(step->makes.at[k].path) != OBB_NO_LANGUAGE)
                add_once(j, sources,
                         obb_files_number(j->plan->files,
                                          obb_path_join(j->plan->arena, obb_context_folder(j, step),
                                                        step->makes.at[k].path)));
    }
}

/* A product of a variant that is planned later: who makes it is known then. */
static const char *late_product(obb_filler *f, const obb_target *here, const obb_variant *variant,
                                const char *as)
{
    const obb_plan_context *j = f->context;
    obb_arena *arena = j->plan->arena;
    const obb_naming naming = obb_naming_for(variant, obb_toolchains_for(j->plan->toolchains, variant));
    const char *path = obb_product_path(arena, &naming, obb_variant_folder(arena, j->plan->out, variant),
                                        here, false);
    obb_file file = obb_files_number(j->plan->files, path);
    obb_arena_push(arena, &f->action->stated.inputs, file);
    if (j->unfinished) /* else these are words of a test that is not wanted */
        obb_arena_push(arena, &j->unfinished->late,
                       ((obb_late_need){f->action, here, variant, file, f->place, as}));
    return path;
}

bool obb_filler_is_late(const obb_filler *f, obb_file file)
{
    const obb_plan *plan = f->context->plan;
    for (size_t i = 0; i < plan->late.count; i++)
        if (plan->late.at[i].action == f->action && plan->late.at[i].file == file)
            return true;
    return false;
}

/* The product of another target, in some variant; NULL with an error when it has none. */
static const char *product_of(obb_filler *f, const obb_target *described, const obb_variant *variant,
                              const char *as)
{
    obb_plan_context *j = f->context;
    const obb_target *here = obb_in(variant, described);
    const char *why = obb_left_out(variant, described);
    const obb_plan_variant *in = obb_plan_variant_of(j->plan, variant);
    const obb_action *a = obb_plan_product(j->plan, described, variant);
    if (!in && !why)
        return late_product(f, here, variant, as);
    if (here->executable.text && !why) {
        const char *path = obb_product_path(j->plan->arena, &in->naming, in->folder, here, false);
        obb_context_input(j, f->action, obb_files_number(j->plan->files, path));
        return path;
    }
    if (a) {
        obb_context_input(j, f->action, a->output);
        return obb_files_path(j->plan->files, a->output);
    }
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, f->place,
                            why ? "`%s` runs or reads {%s}, which does not exist in %s"
                                : "`%s` runs or reads {%s}, which makes nothing in %s",
                            j->target->name, as, variant->name);
    if (why)
        obb_hint(j->diags, d, "`%s` is there only %s", described->name, why);
    f->action->stated.broken = true;
    return NULL;
}

static const obb_target *used_by(const obb_uses *uses, const char *name)
{
    for (size_t i = 0; i < uses->count; i++)
        if (strcmp(uses->at[i].name, name) == 0 && !uses->at[i].variant)
            return uses->at[i].target;
    return NULL;
}

/* NAME of this variant, or VARIANT/NAME. */
static const char *named_product(obb_filler *f, const char *name, const char *as)
{
    const obb_plan_context *j = f->context;
    const char *slash = strchr(name, '/');
    if (!slash)
        return product_of(f, used_by(&j->target->uses, name), j->in->variant, as);
    for (size_t i = 0; i < j->target->tools.count; i++) {
        const obb_use *use = &j->target->tools.at[i];
        if (!use->variant || strncmp(use->variant, name, (size_t)(slash - name)) != 0 ||
            use->variant[slash - name] || strcmp(use->name, slash + 1) != 0)
            continue;
        const obb_variant *v = obb_variant_of_use(use, j->in->variant, NULL, j->diags);
        f->action->stated.broken = f->action->stated.broken || !v;
        return v ? product_of(f, use->target, v, as) : NULL;
    }
    return NULL;
}

/* --- placeholders ------------------------------------------------------------------ */

static void one(obb_filler *f, obb_words *words, const char *path)
{
    if (path)
        obb_arena_push(f->context->plan->arena, words, seen_from(f->context->plan, f->from, path));
}

/* A tool of the variant's toolchain by the word that states it; -1: it is none. */
static int tool_role(const char *name)
{
    static const struct { const char *name; obb_role role; } tools[] = {
        {"c", OBB_TOOL_C}, {"c++", OBB_TOOL_CXX}, {"assembler", OBB_TOOL_ASSEMBLER},
        {"archiver", OBB_TOOL_ARCHIVER}, {"linker", OBB_TOOL_LINKER}, {"object-copier", OBB_TOOL_COPIER}};
    for (size_t i = 0; i < sizeof tools / sizeof *tools; i++)
        if (strcmp(tools[i].name, name) == 0)
            return (int)tools[i].role;
    return -1;
}

static void tool_words(obb_filler *f, obb_role role, obb_words *words)
{
    const obb_tool *tool = obb_context_tool(f->context, role);
    f->action->stated.broken = f->action->stated.broken || !tool;
    for (size_t i = 0; tool && i < tool->command.count; i++)
        obb_arena_push(f->context->plan->arena, words, tool->command.at[i]);
    if (tool)
        obb_context_input(f->context, f->action,
                          obb_files_number(f->context->plan->files, tool->command.at[0]));
}

/* The same words in a file, one a line, as compilers take them by @FILE. */
static const char *words_file(obb_filler *f, const obb_target *target)
{
    obb_plan_context *j = f->context;
    obb_words words = obb_plan_compile_words(j, target);
    obb_text text = {0};
    for (size_t i = 0; i < words.count; i++) {
        obb_text_char(&text, '"');
        for (const char *c = words.at[i]; *c; c++) {
            if (*c == '"' || *c == '\\')
                obb_text_char(&text, '\\');
            obb_text_char(&text, *c);
        }
        obb_text_string(&text, "\"\n");
    }
    const char *name = obb_arena_format(j->plan->arena, "%s.words",
                                        obb_target_folder(target, j->plan->arena));
    obb_file file = obb_plan_add_text(j->unfinished, j->in, NULL, name, &text);
    obb_context_input(j, f->action, file);
    return obb_files_path(j->plan->files, file);
}

/* A folder of a step that runs apart: absolute, since whoever configures a build there is told where it is.
 */
static const char *own_folder(const obb_filler *f, const char *name)
{
    const obb_plan *plan = f->context->plan;
    return obb_path_join(plan->arena,
                         obb_path_join(plan->arena, plan->root,
                                       obb_context_folder(f->context, f->context->target)),
                         name);
}

/* The words with which a language is compiled, or programs are linked, in the variant: as one word. */
static const char *flags_word(obb_filler *f, const char *name)
{
    obb_plan_context *j = f->context;
    obb_words words = strcmp(name, "link-flags") == 0
                          ? obb_plan_link_words(j)
                          : obb_plan_language_words(j, strcmp(name, "cxx-flags") == 0 ? OBB_CXX : OBB_C);
    obb_text text = {0};
    for (size_t i = 0; i < words.count; i++)
        obb_text_format(&text, "%s%s", i ? " " : "", words.at[i]);
    if (!j->in->toolchain->custom && *name != 'l') /* what is made does not name the project's folder */
        obb_text_format(&text, "%s-fdebug-prefix-map=%s=.", text.length ? " " : "", j->plan->root);
    const char *copy = obb_arena_string(j->plan->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

/* What stands for something in a step that runs apart alone; NULL: nothing does. */
static const char *word_apart(obb_filler *f, const char *name)
{
    obb_plan_context *j = f->context;
    obb_arena *arena = j->plan->arena;
    if (!j->target->apart)
        return NULL;
    if (strcmp(name, "source") == 0)
        return obb_path_join(arena, j->plan->root, f->place.folder);
    if (strcmp(name, "build") == 0 || strcmp(name, "prefix") == 0)
        return own_folder(f, name);
    if (strcmp(name, "jobs") == 0)
        return OBB_JOBS_WORD;
    if (strcmp(name, "target") == 0) {
        const obb_tool *tool = obb_context_tool(j, OBB_TOOL_C);
        return tool ? tool->target : "";
    }
    bool flags = strcmp(name, "c-flags") == 0 || strcmp(name, "cxx-flags") == 0 ||
                 strcmp(name, "link-flags") == 0;
    return flags && j->unfinished ? flags_word(f, name) : NULL;
}

/* What a placeholder stands for. */
static obb_words words_of(obb_filler *f, const char *name)
{
    obb_plan_context *j = f->context;
    obb_arena *arena = j->plan->arena;
    obb_words words = {0};
    const char *fact = obb_variant_fact(j->in->variant, j->target->place.scope, name, arena);
    int role = tool_role(name);
    const char *apart = word_apart(f, name);
    if (apart)
        obb_arena_push(arena, &words, apart);
    else if (strcmp(name, "reads") == 0 || strcmp(name, "makes") == 0) {
        const obb_words *list = *name == 'r' ? &f->reads : &f->makes;
        for (size_t i = 0; i < list->count; i++)
            one(f, &words, list->at[i]);
    } else if (strcmp(name, "makes.dir") == 0 && f->makes.count) {
        one(f, &words, obb_path_folder(arena, f->makes.at[0]));
    } else if (strcmp(name, "source") == 0) {
        one(f, &words, f->place.folder);
    } else if (strcmp(name, "out") == 0) {
        one(f, &words, obb_context_folder(j, j->target));
    } else if (strcmp(name, "reports-reads") == 0 && j->target->reports_reads) {
        one(f, &words, obb_path_join(arena, obb_context_folder(j, j->target), j->target->reports_reads));
    } else if (strcmp(name, "product") == 0 && j->target->after) {
        one(f, &words, product_of(f, j->target->owner, j->in->variant, name));
    } else if (obb_starts(name, "product:")) {
        one(f, &words, named_product(f, name + 8, name));
    } else if (obb_starts(name, "tool:")) {
        one(f, &words, product_of(f, used_by(&j->target->tools, name + 5), j->plan->tools_variant, name));
    } else if (obb_starts(name, "made:")) {
        obb_file file = obb_context_made(j, name + 5, f->place);
        if (file != OBB_NO_FILE)
            obb_context_input(j, f->action, file);
        one(f, &words, file == OBB_NO_FILE ? NULL : obb_files_path(j->plan->files, file));
    } else if (role >= 0) {
        tool_words(f, (obb_role)role, &words);
    } else if (j->unfinished && obb_starts(name, "compile-words:")) {
        words = obb_plan_compile_words(j, used_by(&j->target->uses, name + 14));
    } else if (j->unfinished && obb_starts(name, "compile-words-file:")) {
        one(f, &words, words_file(f, used_by(&j->target->uses, name + 19)));
    } else if (fact) {
        obb_arena_push(arena, &words, fact);
    } else if (obb_starts(name, "axis:") || obb_starts(name, "region:")) {
        obb_report_no_fact(j->in->variant, name, f->place, j->diags);
    } else {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, f->place, "{%s} means nothing here", name);
    }
    return words;
}

static bool value_of(void *self, const char *name, bool alone, obb_words *words)
{
    obb_words values = words_of(self, name); /* of the arena */
    (void)alone;
    for (size_t i = 0; i < values.count; i++)
        obb_vec_push(words, values.at[i]);
    return true;
}

void obb_filler_word(obb_filler *f, const obb_word *w, obb_words *into)
{
    const obb_fill fill = {value_of, f};
    f->place = w->place;
    if (!obb_fill_word(&fill, w->text, f->context->plan->arena, into))
        obb_error(f->context->diags, OBB_FAULT_DESCRIPTION, w->place,
                  "`%s` has several values and cannot be part of a word", w->text);
}

obb_words obb_filler_line(obb_filler *f, const obb_word_list *line)
{
    obb_words words = {0};
    for (size_t i = 0; i < line->count; i++)
        obb_filler_word(f, &line->at[i], &words);
    return words;
}

/* --- for steps, tests and devices --------------------------------------------------- */

static void add_read(obb_filler *f, obb_file file)
{
    if (file == OBB_NO_FILE)
        return;
    obb_arena_push(f->context->plan->arena, &f->reads, obb_files_path(f->context->plan->files, file));
    obb_context_input(f->context, f->action, file);
}

void obb_filler_reads(obb_filler *f)
{
    obb_plan_context *j = f->context;
    obb_file_list files = {0};
    obb_patterns_expand(&j->target->reads, j->plan->files, j->plan->arena, j->diags, &files, NULL);
    for (size_t i = 0; i < files.count; i++)
        add_read(f, files.at[i]);
    for (size_t i = 0; i < j->target->reads.count; i++)
        for (size_t k = 0; k < j->target->reads.at[i].names.count; k++) {
            const obb_word *w = &j->target->reads.at[i].names.at[k];
            f->place = w->place;
            if (obb_starts(w->text, "made:"))
                add_read(f, obb_context_made(j, w->text + 5, w->place));
            if (!obb_starts(w->text, "product:"))
                continue;
            const char *path = named_product(f, w->text + 8, w->text);
            if (path)
                obb_arena_push(j->plan->arena, &f->reads, path);
        }
}

obb_words obb_plan_words(const obb_plan *plan, const obb_variant *variant, const obb_target *target,
                         const obb_word_list *said, const char *from, obb_diags *diags)
{
    obb_action scratch = {
        .output = OBB_NO_FILE}; /* takes the inputs that words name: they are wanted already */
    obb_plan_context context = {.plan = plan,
                                .in = obb_plan_variant_of(plan, variant),
                                .target = target,
                                .diags = diags};
    obb_filler f = {.context = &context, .action = &scratch, .from = from, .place = target->place};
    obb_filler_reads(&f);
    return obb_filler_line(&f, said);
}
