/* How a program is run here (launch.h): directly, or through the runner of its platform.
 *
 * The words come from the runner's description, with {program}, {arguments} and {port} replaced. Without a
 * runner, the program must be for this machine; a runner that is not on PATH is an error with a hint. */
#include "build/launch.h"

#include <string.h>

#include "base/fill.h"
#include "base/path.h"
#include "base/process.h"
#include "toolchain/spell.h"

bool obb_runs_here(const obb_variant *v)
{
    const char *cpu = obb_variant_value(v, OBB_AXIS_CPU), *here = v->project->host->cpu;
    bool same = strcmp(cpu, here) == 0 || (strcmp(cpu, "x86") == 0 && strcmp(here, "x86_64") == 0);
    return same && strcmp(obb_variant_value(v, OBB_AXIS_OS), v->project->host->os) == 0;
}

typedef struct launch_filler {
    obb_workspace *w;
    const obb_variant *variant;
    const obb_word *word;
} launch_filler;

static bool value_in_launch(void *self, const char *name, bool alone, obb_words *words)
{
    const launch_filler *f = self;
    obb_workspace *w = f->w;
    const char *fact = obb_variant_fact(f->variant, NULL, name, w->arena);
    const obb_target *product = obb_starts(name, "product:") ? obb_project_named(w->project, NULL, name + 8)
                                                             : NULL;
    const char *path = product                        ? obb_workspace_product_path(w, f->variant, product)
                       : strcmp(name, "source") == 0 ? f->word->place.folder
                       : strcmp(name, "out") == 0    ? fact
                                                      : NULL;
    (void)alone;
    if (path || fact)
        obb_vec_push(words, path ? obb_path_join(w->arena, w->root, path) : fact);
    if (!fact && (obb_starts(name, "region:") || obb_starts(name, "axis:")))
        obb_report_no_fact(f->variant, name, f->word->place, w->diags);
    return path || fact;
}

static const char *fill_word(launch_filler *f, const obb_word *word)
{
    const obb_fill fill = {value_in_launch, f};
    obb_words filled = {0};
    f->word = word;
    obb_fill_word(&fill, word->text, f->w->arena, &filled);
    return filled.at[0];
}

obb_launch_facts obb_launch_in(obb_workspace *w, const obb_launch *l, const obb_variant *v)
{
    obb_launch_facts facts = {.folder = NULL};
    launch_filler f = {.w = w, .variant = v};
    for (size_t i = 0; l && i < l->arguments.count; i++)
        obb_arena_push(w->arena, &facts.arguments, fill_word(&f, &l->arguments.at[i]));
    for (size_t i = 0; l && i < l->environment.count; i++)
        obb_arena_push(w->arena, &facts.environment, fill_word(&f, &l->environment.at[i]));
    const obb_word folder = {l ? l->folder : NULL, l ? l->place : OBB_NOWHERE, false};
    if (folder.text)
        facts.folder = obb_path_join(w->arena, w->root, fill_word(&f, &folder));
    return facts;
}

const obb_target *obb_program_in(const obb_variant *v, const obb_target *described)
{
    const obb_target *t = obb_in(v, described), *found = NULL;
    if (t->kind == OBB_PROGRAM || t->kind == OBB_TEST)
        return t;
    for (size_t i = 0; t->kind == OBB_IMAGE && i < t->uses.count && !found; i++)
        if (t->uses.at[i].target->kind == OBB_PROGRAM || t->uses.at[i].target->kind == OBB_IMAGE)
            found = obb_program_in(v, t->uses.at[i].target);
    return found;
}

static bool needs_runner(const obb_launching *l, obb_diags *diags)
{
    const obb_definition *platform = l->variant->platform;
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, platform->place,
                            "%s of platform `%s` do not run on this machine",
                            l->image ? "images" : "programs", platform->name);
    obb_hint(diags, d, "name what runs them: runner NAME in the platform, and runner NAME { %s }",
             l->image ? "run-image EMULATOR {image}" : "run EMULATOR {program} {arguments}");
    return false;
}

/* The words of a runner with its placeholders replaced. */
static void fill(const obb_launching *l, const obb_word_list *said, obb_words *words)
{
    obb_words programs = {0}, images = {0}, ports = {0}, templates = {0};
    obb_arena_push(l->arena, &programs, l->program ? l->program : "");
    obb_arena_push(l->arena, &images, l->image ? l->image : "");
    obb_arena_push(l->arena, &ports, l->port ? l->port : "");
    for (size_t i = 0; i < said->count; i++)
        obb_arena_push(l->arena, &templates, said->at[i].text);
    const obb_filling fillings[] = {
        {"program", &programs}, {"image", &images}, {"arguments", l->arguments}, {"port", &ports}};
    const obb_filling_list list = {fillings, 4, l->variant, l->arena};
    obb_fill_words(&templates, &list, words);
}

static bool takes_arguments(const obb_word_list *said)
{
    for (size_t i = 0; i < said->count; i++)
        if (strstr(said->at[i].text, "{arguments}"))
            return true;
    return false;
}

static bool by_runner(const obb_launching *l, const obb_word_list *said, obb_diags *diags, obb_words *words)
{
    const obb_runner *runner = l->variant->runner;
    if (l->arguments->count && !takes_arguments(said)) {
        obb_diag *d = obb_error(diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                "the runner `%s` does not pass arguments on", runner->name);
        obb_hint(diags, d, "put {arguments} into its `run`");
        return false;
    }
    fill(l, said, words);
    const char *found = obb_find_program(l->files, l->arena, words->at[0]);
    if (!found) {
        obb_diag *d = obb_error(diags, OBB_FAULT_OUTSIDE, runner->place,
                                "`%s` %s; the runner `%s` needs it", words->at[0],
                                obb_program_absence(words->at[0]), runner->name);
        obb_hint(diags, d,
                 "install it (Debian has emulators in qemu-system-arm, qemu-system-misc and qemu-user)");
        return false;
    }
    words->at[0] = found;
    return true;
}

/* What the runner states for this; without a statement, an error. */
static bool by_statement(const obb_launching *l, obb_diags *diags, obb_words *words)
{
    const obb_runner *runner = l->variant->runner;
    const obb_word_list *said = l->image && l->port ? &runner->debug_image
                                : l->image          ? &runner->run_image
                                : l->port           ? &runner->debug
                                                    : &runner->run;
    if (said->count)
        return by_runner(l, said, diags, words);
    obb_diag *d = obb_error(diags, OBB_FAULT_DESCRIPTION, runner->place,
                            l->port ? "the runner `%s` does not say how it waits for a debugger%s"
                                    : "the runner `%s` does not say how it runs %s",
                            runner->name, l->port ? "" : "an image");
    obb_hint(diags, d, "state it: %s EMULATOR %s%s",
             l->image && l->port ? "debug-image"
             : l->image          ? "run-image"
                                 : "debug",
             l->image ? "{image}" : "{program}", l->port ? " WORDS-THAT-MAKE-IT-WAIT {port}" : "");
    return false;
}

bool obb_launch_words(const obb_launching *l, obb_diags *diags, obb_words *words)
{
    const obb_variant *v = l->variant;
    if (v->runner)
        return by_statement(l, diags, words);
    if (l->port || l->image || !obb_runs_here(v))
        return needs_runner(l, diags);
    obb_arena_push(l->arena, words, l->program);
    for (size_t i = 0; i < l->arguments->count; i++)
        obb_arena_push(l->arena, words, l->arguments->at[i]);
    return true;
}
