/* The scan oracle: for every source of some projects, in every variant, the files that the
 * scan finds are those that the real tools report (the compilers' -M, the assemblers' own
 * dependency output).
 *
 *     oracle [-l MOST] [-c CONFIGURATION] FOLDER...
 *
 * One test a project. At most MOST sources (default 0) may be left to the compiler. Behind -c, that configuration
 * alone. */
#include "harness/harness.h"

#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "base/process.h"
#include "plan/dependencies.h"
#include "plan/planner.h"

typedef struct figures {
    size_t sources, exact, left, different;
} figures;

static obb_map set_of(const obb_words *words)
{
    obb_map set = {0};
    for (size_t i = 0; i < words->count; i++)
        obb_map_put(&set, words->at[i], &set);
    return set;
}

static bool covers(const obb_map *set, const obb_words *words, const char *who, const char *source)
{
    bool all = true;
    for (size_t i = 0; i < words->count; i++)
        if (!obb_map_get(set, words->at[i])) {
            printf("%s: only %s has %s\n", source, who, words->at[i]);
            all = false;
        }
    return all;
}

/* Compilers name headers of the system by their shortest path, through symbolic links. */
static obb_words real_names(const obb_plan *plan, const obb_words *words)
{
    obb_words real = {0};
    char path[4096];
    for (size_t i = 0; i < words->count; i++)
        obb_arena_push(plan->arena, &real, words->at[i][0] == '/' && realpath(words->at[i], path)
                                               ? obb_arena_string(plan->arena, path) : words->at[i]);
    return real;
}

static bool same_set(const obb_words *scan, const obb_words *tool, const char *source)
{
    obb_map a = set_of(scan), b = set_of(tool);
    bool first = covers(&a, tool, "the tool", source), second = covers(&b, scan, "the scan", source);
    obb_map_free(&a);
    obb_map_free(&b);
    return first && second;
}

/* What the assembler itself read: .include and .incbin, which the compiler does not know. */
static void add_assembler_files(const obb_plan *plan, const obb_action *a, obb_words *files)
{
    obb_words argv = {0};
    char root[4096];
    char *rule = obb_arena_format(plan->arena, "%s/obbligato-oracle-XXXXXX", obb_temporary_folder());
    const char *passing = obb_arena_format(plan->arena, "%s/cc", obb_temporary_folder()); /* what the compiler passes on */
    int fd = mkstemp(rule);
    for (size_t i = 0; i < a->argv.count; i++)
        obb_arena_push(plan->arena, &argv, i == a->output_word ? "/dev/null" : a->argv.at[i]);
    obb_arena_push(plan->arena, &argv, obb_arena_format(plan->arena, "-Wa,--MD,%s", rule));
    obb_arena_push(plan->arena, &argv, NULL);
    obb_answer answer = obb_ask(argv.at, "");
    char *text = harness_read(rule, NULL);
    obb_words read = {0};
    if (!answer.status && text && getcwd(root, sizeof root))
        obb_read_rule(plan->files, plan->arena, root, text, &read);
    for (size_t i = 0; i < read.count; i++)
        if (!obb_starts(read.at[i], passing) && strcmp(read.at[i], "{standard input}") != 0 &&
            strcmp(read.at[i], obb_path_name(obb_files_path(plan->files, a->source))) != 0) /* named by .file alone */
            obb_arena_push(plan->arena, files, read.at[i]);
    free(text);
    close(fd);
    unlink(rule);
    obb_answer_free(&answer);
}

/* Assembly, and the case of C with inline assembly that includes files. */
static bool reads_by_assembler(const obb_plan *plan, const obb_action *a)
{
    return a->options->language == OBB_ASM || a->options->language == OBB_ASM_CPP ||
           strstr(obb_files_path(plan->files, a->source), "incbin");
}

static bool told(const obb_dependency_table *table, const obb_action *a, obb_words *files)
{
    const obb_plan *plan = table->plan;
    obb_words words = {0};
    for (size_t i = 0; i < a->argv.count; i++)
        if (i != a->output_word && i + 1 != a->output_word && strcmp(a->argv.at[i], "-c") != 0 &&
            a->argv.at[i] != obb_files_path(plan->files, a->source))
            obb_arena_push(plan->arena, &words, a->argv.at[i]);
    if (a->options->language == OBB_ASM)
        obb_arena_push(plan->arena, files, obb_files_path(plan->files, a->source));
    else if (!obb_dialect_ask_files(obb_dependencies_of(table, a)->setup->dialect, &words, obb_files_path(plan->files, a->source), files))
        return false;
    if (reads_by_assembler(plan, a))
        add_assembler_files(plan, a, files);
    return true;
}

/* What it includes is made by an action that nobody has carried out here: no tool can be asked. NULL: all is there. */
static const char *unmade(const obb_plan *plan, const obb_dependencies *d)
{
    for (size_t i = 0; i < d->inputs.count; i++) {
        const char *path = obb_files_path(plan->files, d->inputs.at[i]);
        const obb_action *maker = obb_plan_maker(plan, d->inputs.at[i]);
        if (maker && maker->kind == OBB_RUN_STEP && access(path, F_OK))
            return path;
    }
    return NULL;
}

static void compare(const obb_dependency_table *table, const obb_action *a, figures *f)
{
    const obb_plan *plan = table->plan;
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_words scan = {0}, tool = {0};
    const char *source = obb_files_path(plan->files, a->source);
    bool assembly = reads_by_assembler(plan, a);
    if (a->options->toolchain->custom)
        return; /* it has no report to compare with */
    if (assembly && a->tool->family != OBB_FAMILY_GCC)
        return; /* the assembler inside clang does not tell what it reads */
    const char *waits = unmade(plan, d);
    if (waits) {
        printf("%s: not compared, %s is not made\n", source, waits);
        return;
    }
    f->sources++;
    if (d->pending != OBB_NO_FILE) {
        printf("%s: waits for %s\n", source, obb_files_path(plan->files, d->pending));
        f->different++;
        return;
    }
    if (d->undecided) {
        printf("%s: left to the compiler: %s\n", source, d->undecided);
        f->left++;
        return;
    }
    for (size_t i = 0; i < d->inputs.count - d->untold; i++) /* no compiler tells what was only tested for */
        obb_arena_push(plan->arena, &scan, obb_files_path(plan->files, d->inputs.at[i]));
    bool answered = told(table, a, &tool);
    scan = real_names(plan, &scan);
    tool = real_names(plan, &tool);
    if (answered && same_set(&scan, &tool, source)) {
        f->exact++;
        return;
    }
    f->different++;
    printf("%s: %s\n", source, answered ? a->variant->name : "the tool does not say");
}

static bool show_diags(obb_diags *diags)
{
    for (size_t i = 0; i < diags->list.count; i++) {
        const obb_diag *d = diags->list.at[i];
        printf("%s:%d: %s\n", d->place.file ? d->place.file : "?", d->place.line, d->message);
    }
    return diags->list.count == 0;
}

/* The compilers read what the plan makes ready, as the scan does. */
static void write_texts(const obb_plan *plan)
{
    for (size_t i = 0; i < plan->texts.count; i++) {
        const char *path = obb_files_path(plan->files, plan->texts.at[i].file);
        obb_path_make_folders(path);
        obb_file_write(path, plan->texts.at[i].text, strlen(plan->texts.at[i].text), NULL);
    }
}

static figures examine(const char *only)
{
    figures f = {0};
    obb_arena *arena = obb_arena_new();
    obb_diags *diags = obb_diags_new();
    obb_files *files = obb_files_new();
    obb_project *project = obb_project_read(files, NULL, NULL, diags);
    obb_toolchains *tc = obb_toolchains_new(arena, files, obb_no_memo);
    obb_scanner *scanner = obb_scanner_new(files);
    OBB_VEC(const obb_variant *) variants = {0};
    const obb_definitions *platforms = &project->definitions[OBB_PLATFORM_DEFINITION], *configurations = &project->definitions[OBB_CONFIGURATION_DEFINITION];
    for (size_t p = 0; p < platforms->count; p++)
        for (size_t c = 0; c < configurations->count; c++)
            if (!only || strcmp(only, configurations->at[c]->name) == 0)
                obb_arena_push(arena, &variants, obb_project_variant(project, platforms->at[p]->name, configurations->at[c]->name,
                                                                 NULL, OBB_NOWHERE, diags));
    bool built = access("out/.obbligato", F_OK) == 0; /* then what steps make is there */
    char *out = built ? strdup("out") : harness_folder(); /* for the texts that the plan makes ready */
    obb_plan *plan = obb_plan_make(&(const obb_plan_input){.arena = arena, .project = project, .files = files, .toolchains = tc, .scanner = scanner,
                                          .out = out, .variants = variants.at, .variant_count = variants.count}, diags);
    write_texts(plan);
    bool *wanted = obb_arena_alloc(arena, plan->actions.count);
    memset(wanted, 1, plan->actions.count);
    obb_plan_believe(plan);
    obb_dependency_table *table = obb_dependency_table_new(plan);
    obb_scan_wanted(table, wanted, (obb_scan_memory){NULL, NULL, NULL}, diags);
    if (show_diags(diags))
        for (size_t i = 0; i < plan->actions.count; i++)
            if (plan->actions.at[i]->kind == OBB_COMPILE || plan->actions.at[i]->kind == OBB_ASSEMBLE)
                compare(table, plan->actions.at[i], &f);
    if (!built)
        harness_remove(out);
    free(out);
    obb_scanner_free(scanner);
    obb_toolchains_free(tc);
    obb_project_free(project);
    obb_files_free(files);
    obb_diags_free(diags);
    obb_arena_free(arena);
    return f;
}

int main(int argc, char **argv)
{
    char home[4096], name[5000];
    const char *only = NULL;
    size_t most = 0;
    if (!getcwd(home, sizeof home))
        return 2;
    for (int i = 1; i < argc; i++) {
        if (strcmp(argv[i], "-l") == 0 && i + 1 < argc) {
            most = (size_t)atoi(argv[++i]);
            continue;
        }
        if (strcmp(argv[i], "-c") == 0 && i + 1 < argc) {
            only = argv[++i];
            continue;
        }
        if (chdir(argv[i])) {
            perror(argv[i]);
            return 2;
        }
        figures f = examine(only);
        printf("%s: %zu sources, %zu exact, %zu left to the compiler, %zu different\n", argv[i], f.sources,
               f.exact, f.left, f.different);
        snprintf(name, sizeof name, "the scan of %s is what the tools say", argv[i]);
        harness_count(name, f.sources && !f.different && f.left <= most && f.exact + f.left == f.sources);
        if (chdir(home))
            return 2;
    }
    return harness_end();
}
