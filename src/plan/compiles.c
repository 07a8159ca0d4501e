/* Compiles: which tool, which words, and what comes out.
 *
 * All sources of a target in one language share one set of compile options, unless a `for` holds for a
 * source: that one gets its own. The command has include folders and macros first, then the words of
 * settings, then source and output. Inputs are not stated here, since the scan finds them. */
#include <string.h>

#include "base/path.h"
#include "plan/context.h"
#include "plan/profile.h"
#include "scan/token_fingerprint.h"
#include "toolchain/linking.h"

/* Whether the toolchain says how it compiles the language. */
static bool custom_can(obb_plan_context *j, const obb_compile_options *w)
{
    const obb_toolchain *tc = w->toolchain;
    if (!tc->custom || w->language == OBB_ASM_INTEL || obb_custom_command(tc->custom, w->language)->count)
        return true;
    obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                            "`%s` has sources in %s, which toolchain `%s` does not compile", j->target->name,
                            obb_language_name(w->language), tc->name);
    obb_also(j->diags, d, tc->place, "the toolchain");
    obb_hint(j->diags, d,
             "state how it does: compile c PROGRAM -c {source} -o {object} {includes} {defines} {flags}");
    return false;
}

/* What compilers of the gcc family write depends on the tokens of a text and their places alone. Those of the
 * clang family put a checksum of each text into the debug information (DWARF 5, 6.2.4). */
static bool tokens_decide(const obb_compile_options *w, const obb_flat_settings *settings)
{
    bool c = w->language == OBB_C || w->language == OBB_CXX;
    return c && w->tool->family == OBB_FAMILY_GCC && !obb_flat_is(settings, OBB_SET_EXACT_TEXT, "yes") &&
           obb_lexis_of(&w->flags, w->language == OBB_CXX).told;
}

/* Flags that make the compiler read files or run programs that are not known here. */
static bool reads_more(const obb_words *flags)
{
    static const char *const marks[] = {"-fprofile-use",
                                        "-fauto-profile",
                                        "-fbranch-probabilities",
                                        "-fplugin",
                                        "-fpass-plugin",
                                        "-wrapper",
                                        "-B",
                                        NULL};
    for (size_t i = 0; i < flags->count; i++)
        for (const char *const *m = marks; *m; m++)
            if (obb_starts(flags->at[i], *m))
                return true;
    return false;
}

void obb_context_named_files(obb_plan_context *j, const obb_tool *tool, const obb_words *words,
                             obb_file_list *list)
{
    const obb_plan *plan = j->plan;
    obb_options options = {0};
    obb_options_read(words, OBB_READ_BY_DRIVER, plan->files, plan->arena, &options);
    for (size_t i = 0; i < options.count; i++) {
        const obb_option *o = &options.at[i];
        obb_file file = obb_option_names_file(o) && *o->value
                            ? obb_files_number(plan->files,
                                               obb_files_resolve(plan->files, plan->arena, ".", o->value))
                            : OBB_NO_FILE;
        bool there = file != OBB_NO_FILE &&
                     (obb_files_is_file(plan->files, file) || obb_plan_maker(plan, file));
        if (there)
            obb_arena_push(plan->arena, list, file);
        obb_fingerprint fingerprint; /* what stands in it decides what the words are */
        if (file != OBB_NO_FILE && (o->kind == OBB_OPTION_RESPONSE || o->kind == OBB_OPTION_SPECS))
            obb_files_fingerprint(plan->files, file, &fingerprint);
        if (o->kind == OBB_OPTION_OTHER || (o->kind == OBB_OPTION_FILE && !there))
            obb_option_guess(o, plan->files, plan->arena, list);
    }
    if (tool)
        obb_toolchain_programs(j->in->toolchain, tool, &options, list);
}

/* Whether a name in a `for` means a source that another one stands in for here. */
static bool names_replaced(obb_plan_context *j, const char *pattern)
{
    obb_file_list found = {0};
    obb_replaced_list replaced = {0};
    obb_diags *ignored = obb_diags_new();
    bool any = false;
    obb_patterns_expand(&j->target->sources, j->plan->files, j->plan->arena, ignored, &found, &replaced);
    obb_diags_free(ignored);
    for (size_t i = 0; i < replaced.count && !any; i++)
        any = obb_path_matches(pattern, obb_files_path(j->plan->files, replaced.at[i].file));
    return any;
}

/* What `for` names must be among the sources: otherwise a misspelt name would silently have no effect. */
static void check_for(obb_plan_context *j, const obb_file_list *sources)
{
    for (size_t i = 0; i < j->target->for_files.count; i++)
        for (size_t k = 0; k < j->target->for_files.at[i].patterns.count; k++) {
            const obb_word *w = &j->target->for_files.at[i].patterns.at[k];
            bool found = false;
            for (size_t n = 0; n < sources->count && !found; n++) {
                obb_source_name name = obb_plan_source_name(j->plan, j->in, sources->at[n]);
                found = obb_for_matches(j->target, w->text, &name);
            }
            if (found || names_replaced(j, w->text))
                continue;
            obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, w->place,
                                    "`for %s` names no source of `%s`", w->text, j->target->name);
            obb_hint(j->diags, d, "`obbligato show sources %s` lists them; what a step makes is made:NAME",
                     j->target->name);
        }
}

/* A folder that is searched for headers must be there, or be made. */
static void check_includes(obb_plan_context *j, const obb_flat_settings *settings)
{
    for (size_t i = 0; i < settings->count; i++) {
        const obb_origin_setting *s = &settings->at[i];
        if (s->id != OBB_SET_INCLUDE || obb_path_is_output(s->value, j->plan->out))
            continue;
        const obb_stamp *stamp = obb_files_stamp(j->plan->files, obb_files_number(j->plan->files, s->value));
        if (stamp && stamp->kind == OBB_KIND_FOLDER)
            continue;
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, s->place, "there is no folder `%s`",
                                s->value);
        obb_hint(j->diags, d, "paths are relative to the folder of %s",
                 s->place.file ? s->place.file : OBB_SCORE_NAME);
    }
}

/* Headers of others are searched as those of the system are, so that our warnings are not theirs. Not those
 * that are still to be made: a compiler leaves out folders that are not there when it is asked. */
static bool is_foreign(const obb_plan_context *j, const obb_origin_setting *s)
{
    const obb_thirdparty *other = obb_project_thirdparty(j->plan->project, s->place.scope);
    return s->id == OBB_SET_INCLUDE && other && !other->own_headers &&
           !obb_same(s->place.scope, j->target->place.scope) && !obb_path_is_output(s->value, j->plan->out);
}

/* The folders of others are flags, and the rest is left. */
static obb_flat_settings take_foreign(const obb_plan_context *j, const obb_flat_settings *settings,
                                      obb_words *flags)
{
    obb_flat_settings rest = {0};
    obb_words folders = {0};
    for (size_t i = 0; i < settings->count; i++) {
        obb_flat_settings one = {.at = &settings->at[i], .count = 1};
        if (is_foreign(j, &settings->at[i]))
            obb_spell_includes(&one, j->plan->arena, &folders);
        else
            obb_arena_push(j->plan->arena, &rest, settings->at[i]);
    }
    for (size_t i = 0; i < folders.count; i++) {
        obb_arena_push(j->plan->arena, flags, "-isystem");
        obb_arena_push(j->plan->arena, flags, folders.at[i]);
    }
    return rest;
}

/* Whether steps of our project make headers, or those of the third-party project that the target belongs to.
 */
static bool makes_headers(const obb_plan_context *j)
{
    const obb_project *p = j->plan->project;
    bool any = j->in->makes_headers && !j->target->place.scope;
    for (size_t i = 0; j->target->place.scope && i < p->targets.count && !any; i++)
        any = obb_same(p->targets.at[i]->place.scope, j->target->place.scope) &&
              obb_makes_header(j->in->variant, p->targets.at[i]);
    return any;
}

static obb_compile_options *make_words(obb_plan_context *j, obb_language language,
                                       const obb_flat_settings *settings)
{
    obb_arena *arena = j->plan->arena;
    obb_toolchain *tc = j->in->toolchain;
    obb_compile_options *w = obb_arena_alloc(arena, sizeof *w);
    w->number = j->unfinished->options++;
    w->toolchain = tc;
    w->language = language;
    w->tool = custom_can(j, w) ? obb_context_tool(j, obb_role_of(language)) : NULL;
    if (!w->tool)
        return w;
    check_includes(j, settings);
    obb_words foreign = {0};
    bool apart = !tc->custom &&
                 (language == OBB_C || language == OBB_CXX); /* no assembler is told -isystem */
    const obb_flat_settings rest = apart ? take_foreign(j, settings, &foreign) : *settings;
    obb_spell_includes(&rest, arena, &w->includes);
    obb_spell_defines(settings, arena, &w->defines);
    if (obb_has_generated_headers(j->plan->project, j->target->place.scope) || makes_headers(j))
        obb_arena_push(arena, &w->includes, obb_plan_text_folder(j->plan, j->in, j->target->place.scope));
    if (tc->custom && language != OBB_ASM_INTEL) {
        obb_spell_custom(tc->custom, language, settings, arena, &w->flags);
        obb_context_named_files(j, w->tool, &w->flags, &w->named);
        return w;
    }
    const char *machine = w->tool->target;
    if (language == OBB_ASM_INTEL && j->target->kind != OBB_IMAGE) {
        const obb_tool *c = obb_context_tool(j,
                                             OBB_TOOL_C); /* it assembles for the C compiler's machine */
        obb_words flags = {0};
        machine = c ? c->target : "";
        for (size_t i = 0; i < settings->count; i++)
            if (settings->at[i].id == OBB_SET_FLAGS)
                obb_arena_push(arena, &flags, settings->at[i].value);
        if (c && !obb_intel_format(machine, &flags))
            obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                      "`%s` has Intel-syntax assembly, which is not for %s", j->target->name, machine);
    }
    const obb_compile_facts facts = {.machine = machine,
                                     .language = language,
                                     .settings = settings,
                                     .pic = j->in->pic[j->target->number],
                                     .metadata = j->metadata.compile};
    obb_spell_compile(&facts, arena, &w->flags);
    for (size_t i = 0; i < foreign.count; i++)
        obb_arena_push(arena, &w->flags, foreign.at[i]);
    obb_context_named_files(j, w->tool, &w->flags, &w->named);
    w->tokens_decide = tokens_decide(w, settings);
    w->stored = !obb_flat_is(settings, OBB_SET_STORE, "no") && !reads_more(&w->flags);
    if (j->target->kind == OBB_IMAGE && language == OBB_ASM_INTEL &&
        j->target->from_source) /* it finds files beside it */
        obb_arena_push(arena, &w->includes, obb_path_folder(arena, j->target->from_source));
    if (j->target->kind == OBB_IMAGE) { /* a flat binary */
        w->flags.at[1] = "bin";
        w->flags.count = 2;
    }
    return w;
}

static obb_compile_options *words_for(obb_plan_context *j, obb_language language, obb_file source)
{
    obb_source_name name = obb_plan_source_name(j->plan, j->in, source);
    if (obb_resolve_has_own(j->target, &name)) {
        obb_flat_settings own = obb_resolve(j->in->variant, j->target, &name, j->plan->arena);
        obb_context_check_facts(j, &own);
        return make_words(j, language, &own);
    }
    if (!j->shared[language])
        j->shared[language] = make_words(j, language, &j->settings);
    return j->shared[language];
}

/* Flags that make compilers write files beside the object, named after it: their suffixes (GCC
 * manual 3.11, 3.12; the counts themselves are written when the program runs). Some tell the object's name to
 * the program. */
static const struct writer { const char *flag, *suffixes[4]; } writers[] = {
    {"--coverage", {".gcno", ".gcda"}}, {"-ftest-coverage", {".gcno"}}, {"-fprofile-arcs", {".gcda"}},
    {"-fprofile-generate", {".gcda"}}, {"-gsplit-dwarf", {".dwo"}}, {"-save-temps", {".i", ".ii", ".s"}},
    {"-fstack-usage", {".su"}}, {"-fcallgraph-info", {".ci"}}};

static bool find_beside(const obb_words *flags, obb_arena *arena, obb_words *suffixes)
{
    bool in_place = false;
    for (size_t i = 0; i < flags->count; i++)
        for (size_t w = 0; w < sizeof writers / sizeof *writers; w++) {
            if (!obb_starts(flags->at[i], writers[w].flag))
                continue;
            in_place = true;
            for (const char *const *s = writers[w].suffixes; *s; s++)
                obb_arena_push(arena, suffixes, *s);
        }
    return in_place;
}

/* Debug information names the folder of the compile, unless it is told another name. With
 * relative paths, all that is made is then the same wherever the project lies. */
static bool has_debug_information(const obb_words *flags)
{
    bool has = false;
    for (size_t i = 0; i < flags->count; i++)
        if (obb_starts(flags->at[i], "-g"))
            has = strcmp(flags->at[i], "-g0") != 0;
    return has;
}

static void custom_command(obb_plan_context *j, obb_action *a, const char *source)
{
    const obb_custom *c = a->options->toolchain->custom;
    const obb_custom_compile compile = {.language = a->options->language,
                                        .source = source,
                                        .object = obb_files_path(j->plan->files, a->output),
                                        .includes = &a->options->includes,
                                        .defines = &a->options->defines,
                                        .flags = &a->options->flags};
    obb_words words = {0};
    obb_spell_custom_compile(c, &compile, j->plan->arena, &words);
    obb_context_words(j, a, &a->options->tool->command);
    obb_context_words(j, a, &words);
    a->in_place = true; /* files that it leaves are named after its output */
    obb_context_beside(j, a, j->in->naming.object, &c->byproducts);
}

void obb_plan_compile(obb_plan_context *j, obb_file source, obb_language language, const char *output)
{
    const obb_plan *plan = j->plan;
    const char *path = obb_files_path(plan->files, source);
    obb_action *a = obb_context_action(j, language >= OBB_ASM_CPP ? OBB_ASSEMBLE : OBB_COMPILE, output);
    obb_arena_push(plan->arena, &j->compiles, a);
    a->source = source;
    a->options = words_for(j, language, source);
    obb_context_input(j, a, source);
    if (!a->options->tool) {
        a->stated.broken = true;
        return;
    }
    if (a->options->toolchain->custom && language != OBB_ASM_INTEL) {
        custom_command(j, a, path);
        obb_context_finish(j, a, a->options->tool, NULL);
        return;
    }
    obb_context_words(j, a, &a->options->tool->command);
    obb_spell_include_words(language, &a->options->includes, &a->options->defines, plan->arena, &a->argv);
    obb_context_words(j, a, &a->options->flags);
    if (language != OBB_ASM_INTEL && has_debug_information(&a->options->flags))
        obb_context_root_word(j, a);
    if (language != OBB_ASM_INTEL)
        obb_context_word(j, a, "-c");
    obb_context_file_word(j, a, path);
    obb_context_word(j, a, "-o");
    obb_context_output_word(j, a);
    obb_words byproducts = {0};
    a->in_place = find_beside(&a->options->flags, plan->arena, &byproducts) || obb_reads_profile(a->options);
    obb_context_beside(j, a, j->in->naming.object, &byproducts);
    obb_context_finish(j, a, a->options->tool, NULL);
}

/* Patterns are expanded once for all variants where no condition stands. */
static obb_file_list *sources_of(obb_plan_context *j)
{
    size_t n = j->target->number;
    bool compiles = j->target->kind != OBB_IMAGE && j->target->kind != OBB_STEP,
         made = compiles && j->target->made_of.count;
    for (size_t i = 0; compiles && i < j->target->uses.count && !made; i++)
        made = j->target->uses.at[i].target->kind == OBB_STEP;
    bool common = !made && !j->plan->project->targets.at[n]->conditional;
    obb_file_list *list = common ? &j->plan->common_sources[n] : &j->in->sources[n];
    if (!list->count)
        obb_patterns_expand(&j->target->sources, j->plan->files, j->plan->arena, j->diags, list, NULL);
    if (made && !j->in->sources_complete[n])
        obb_context_made_sources(j, list);
    j->in->sources_complete[n] = true;
    j->in->sources[n] = *list;
    return list;
}

/* Every source must be something that can be compiled, or a header. */
void obb_plan_check_sources(obb_plan_context *j)
{
    const obb_file_list *sources = sources_of(j);
    const char *who = j->target->name;
    size_t compiled = 0, faults = j->diags->list.count;
    check_for(j, sources);
    for (size_t i = 0; i < sources->count; i++) {
        const char *path = obb_files_path(j->plan->files, sources->at[i]);
        bool known = obb_language_of(path) != OBB_NO_LANGUAGE || obb_is_object(path) || obb_is_archive(path);
        compiled += known;
        if (obb_is_archive(path) && j->target->kind == OBB_LIBRARY && j->target->library != OBB_SHARED) {
            obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                                    "`%s` is a static library and cannot hold the archive %s", who, path);
            obb_hint(j->diags, d,
                     "name the archive among the sources of what is linked, or let a library share "
                     "`link-flags`");
        }
        if (known || obb_is_header(path))
            continue;
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                                "`%s` has the source %s, and nothing compiles `%s` files", who, path,
                                obb_path_suffix(path));
        obb_hint(j->diags, d, "known suffixes: .c .cpp .cc .cxx .S .s .asm .o .a; `except` takes files away");
    }
    if (j->target->sources.count && !compiled && j->diags->list.count == faults && sources->count) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, j->target->place,
                                "`%s` has nothing to compile", who);
        obb_hint(j->diags, d, "its sources are all headers; a library of headers states no sources");
    }
}

char *obb_plan_objects_folder(obb_arena *arena, const char *variant_folder, const obb_target *target)
{
    return obb_arena_format(arena, "%s/obj/%s/", variant_folder, obb_target_folder(target, arena));
}

/* Of what steps make, the folder of the variant would stand in it twice; what was fetched, or lies outside
 * the project, is named as its own description names it. */
static char *object_path(obb_plan_context *j, const char *path, const char *suffix)
{
    const char *folder = obb_path_within(path, j->in->folder) ? "made/" : "";
    const obb_thirdparty *other = obb_project_thirdparty(j->plan->project, j->target->place.scope);
    if (*folder)
        path += strlen(j->in->folder) + 1;
    else if (other && (other->fetched || obb_path_outside(other->folder)) &&
             obb_path_within(path, other->folder))
        path += strlen(other->folder) + 1;
    const char *name = obb_path_name(path);
    enum {
        LONGEST = 230,
        KEPT = 180
    }; /* names have 255 bytes at most (POSIX, NAME_MAX), and more is written beside objects */
    if (strlen(name) > LONGEST) {
        size_t n = KEPT;
        while (((unsigned char)name[n] & 0xC0) == 0x80)
            n--;
        path = obb_arena_format(j->plan->arena, "%.*s%.*s~%016llx", (int)(name - path), path, (int)n, name,
                                (unsigned long long)obb_fingerprint_of(name, strlen(name)).low);
    }
    return obb_arena_format(j->plan->arena, "%s%s%s%s",
                            obb_plan_objects_folder(j->plan->arena, j->in->folder, j->target), folder, path,
                            suffix);
}

void obb_plan_compiles(obb_plan_context *j)
{
    const obb_file_list *sources = sources_of(j);
    for (size_t i = 0; i < sources->count; i++) {
        const char *path = obb_files_path(j->plan->files, sources->at[i]);
        obb_language language = obb_language_of(path);
        if (language != OBB_NO_LANGUAGE)
            obb_plan_compile(j, sources->at[i], language, object_path(j, path, j->in->naming.object));
    }
    obb_file_list included = {0};
    obb_file resources = obb_plan_resources(j, &included);
    if (resources == OBB_NO_FILE)
        return;
    obb_plan_compile(j, resources, OBB_ASM_CPP,
                     object_path(j, obb_files_path(j->plan->files, resources), j->in->naming.object));
    for (size_t i = 0; i < included.count;
         i++) { /* the scan will find them; who makes them is known before it */
        const obb_action *maker = obb_plan_maker(j->plan, included.at[i]);
        if (maker)
            obb_arena_push(j->plan->arena, &j->compiles.at[j->compiles.count - 1]->stated.needs,
                           maker->number);
    }
}

const char *obb_plan_script(obb_plan_context *j, const char *script, obb_place place)
{
    const obb_plan *plan = j->plan;
    obb_file source = obb_files_number(plan->files, script);
    if (j->in->toolchain->custom) {
        obb_diag *d = obb_error(j->diags, OBB_FAULT_DESCRIPTION, place,
                                "toolchain `%s` does not say how a linker script is preprocessed",
                                j->in->toolchain->name);
        obb_hint(j->diags, d, "make it by a step: linker-script made:NAME");
        return script;
    }
    if (!obb_files_is_file(plan->files, source) && !obb_plan_maker(plan, source)) {
        obb_error(j->diags, OBB_FAULT_DESCRIPTION, place, "there is no file `%s`", script);
        return script;
    }
    const char *output = object_path(j, script, ".ld");
    obb_action *a = obb_context_action(j, OBB_ASSEMBLE, output);
    a->source = source;
    a->options = words_for(j, OBB_ASM_CPP, source);
    obb_context_input(j, a, source);
    a->stated.broken = !a->options->tool;
    if (!a->options->tool)
        return output;
    const char *const words[] = {"-E", "-P", "-x", "assembler-with-cpp"};
    obb_context_words(j, a, &a->options->tool->command);
    obb_spell_include_words(OBB_ASM_CPP, &a->options->includes, &a->options->defines, plan->arena, &a->argv);
    obb_context_words(j, a, &a->options->flags);
    for (size_t i = 0; i < sizeof words / sizeof *words; i++)
        obb_context_word(j, a, words[i]);
    obb_context_file_word(j, a, script);
    obb_context_word(j, a, "-o");
    obb_context_output_word(j, a);
    obb_context_finish(j, a, a->options->tool, NULL);
    return output;
}

obb_words obb_plan_language_words(obb_plan_context *j, obb_language language)
{
    obb_words words = {0};
    const obb_flat_settings settings = obb_resolve(j->in->variant, j->target, NULL, j->plan->arena);
    obb_plan_context inner = *j;
    inner.settings = settings;
    const obb_compile_options *options = make_words(&inner, language, &inner.settings);
    obb_spell_include_words(language, &(obb_words){0}, &options->defines, j->plan->arena, &words);
    for (size_t i = 0; i < options->flags.count; i++)
        obb_arena_push(j->plan->arena, &words, options->flags.at[i]);
    return words;
}

obb_words obb_plan_compile_words(const obb_plan_context *asking, const obb_target *described)
{
    obb_arena *arena = asking->plan->arena;
    obb_words words = {0};
    obb_plan_context j = {.plan = asking->plan,
                          .unfinished = asking->unfinished,
                          .in = asking->in,
                          .target = obb_in(asking->in->variant, described),
                          .diags = asking->diags};
    const obb_file_list *sources = &j.in->sources[described->number];
    obb_file source = OBB_NO_FILE;
    for (size_t i = sources->count; i-- > 0;)
        if (obb_language_of(obb_files_path(j.plan->files, sources->at[i])) != OBB_NO_LANGUAGE)
            source = sources->at[i];
    j.settings = obb_resolve(j.in->variant, j.target, NULL, arena);
    obb_context_take_metadata(&j);
    obb_language language = source == OBB_NO_FILE ? OBB_C
                                                  : obb_language_of(obb_files_path(j.plan->files, source));
    const obb_compile_options *options = make_words(&j, language, &j.settings);
    obb_spell_include_words(language, &options->includes, &options->defines, arena, &words);
    for (size_t i = 0; i < options->flags.count; i++)
        obb_arena_push(arena, &words, options->flags.at[i]);
    return words;
}
