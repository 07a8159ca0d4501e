/* Spelling settings for the gcc and clang families, for Intel-syntax assemblers, and for toolchains that a
 * description defines; names of products by system.
 *
 * Every setting has exactly one spelling for a family; a setting without one adds nothing. Words come out in
 * the order of layers, portable settings before plain flags. */
#include "toolchain/spell.h"

#include <string.h>

#include "base/fill.h"
#include "base/path.h"
#include "project/vocabulary.h"

static void add(obb_arena *arena, obb_words *words, const char *word)
{
    if (word)
        obb_arena_push(arena, words, word);
}

static bool holds_word(const char *value, const char *word)
{
    size_t n = strlen(word);
    for (const char *at = value; (at = strstr(at, word)); at += n)
        if ((at == value || at[-1] == ' ') && (at[n] == ' ' || !at[n]))
            return true;
    return false;
}

static const char *chosen(const obb_flat_settings *s, obb_setting_id id, const char *const *pairs)
{
    const obb_origin_setting *last = obb_flat_last(s, id);
    for (; last && *pairs; pairs += 2)
        if (strcmp(pairs[0], last->value) == 0)
            return pairs[1];
    return NULL;
}

static void spell_warnings(const obb_flat_settings *s, obb_arena *arena, obb_words *words)
{
    const obb_origin_setting *w = obb_flat_last(s, OBB_SET_WARNINGS);
    if (!w)
        return;
    if (holds_word(w->value, "none"))
        add(arena, words, "-w");
    if (holds_word(w->value, "normal") || holds_word(w->value, "strict"))
        add(arena, words, "-Wall");
    if (holds_word(w->value, "strict")) {
        add(arena, words, "-Wextra");
        add(arena, words, "-Wpedantic");
    }
    if (holds_word(w->value, "fatal"))
        add(arena, words, "-Werror");
}

static void spell_sanitizers(const obb_flat_settings *s, obb_arena *arena, obb_words *words)
{
    const obb_origin_setting *w = obb_flat_last(s, OBB_SET_SANITIZE);
    if (!w || holds_word(w->value, "none"))
        return;
    obb_text text = {0};
    for (const char *c = w->value; *c; c++)
        obb_text_char(&text, *c == ' ' ? ',' : *c);
    add(arena, words, obb_arena_format(arena, "-fsanitize=%s", text.bytes));
    add(arena, words, "-fno-omit-frame-pointer");
    obb_text_free(&text);
}

static bool apple(const char *machine)
{
    return strstr(machine, "apple") || strstr(machine, "darwin");
}

static bool windows(const char *machine)
{
    return strstr(machine, "mingw") || strstr(machine, "windows");
}

/* Options on which a compile and a link must agree. */
static void spell_machine(const obb_flat_settings *s, obb_arena *arena, obb_words *words)
{
    static const char *const lto[] = {"yes", "-flto", "no", "-fno-lto", NULL};
    static const char *const coverage[] = {"yes", "--coverage", NULL};
    add(arena, words, chosen(s, OBB_SET_LTO, lto));
    add(arena, words, chosen(s, OBB_SET_COVERAGE, coverage));
    spell_sanitizers(s, arena, words);
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == OBB_SET_FLAGS)
            add(arena, words, s->at[i].value);
}

static void spell_language(obb_language language, const obb_flat_settings *s, obb_arena *arena,
                           obb_words *words)
{
    const char *standard = language == OBB_C     ? obb_flat_standard(s, 'c')
                           : language == OBB_CXX ? obb_flat_standard(s, '+')
                                                 : NULL;
    obb_setting_id own = language == OBB_C     ? OBB_SET_C_FLAGS
                         : language == OBB_CXX ? OBB_SET_CXX_FLAGS
                                               : OBB_SET_ASM_FLAGS;
    if (standard)
        add(arena, words, obb_arena_format(arena, "-std=%s", standard));
    if (language == OBB_C || language == OBB_CXX)
        spell_warnings(s, arena, words);
    spell_machine(s, arena, words);
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == own)
            add(arena, words, s->at[i].value);
}

static void spell_intel(const obb_flat_settings *s, const char *format, obb_arena *arena,
                        obb_words *words)
{
    add(arena, words, "-f");
    add(arena, words, format);
    if (obb_flat_is(s, OBB_SET_DEBUG_INFO, "full") || obb_flat_is(s, OBB_SET_DEBUG_INFO, "lines")) {
        add(arena, words, "-g");
        add(arena, words, obb_starts(format, "win") ? "-Fcv8" : "-Fdwarf");
    }
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == OBB_SET_ASM_FLAGS)
            add(arena, words, s->at[i].value);
}

void obb_spell_compile(const obb_compile_facts *facts, obb_arena *arena, obb_words *words)
{
    const obb_flat_settings *s = facts->settings;
    static const char *const optimize[] = {"none", "-O0", "debug", "-Og", "speed", "-O2",
                                           "size", "-Os", "most", "-O3", NULL};
    static const char *const debug[] = {"lines", "-g1", "full", "-g", NULL};
    static const char *const position[] = {"yes", "-fPIC", "no", "-fno-pic", NULL};
    static const char *const freestanding[] = {"yes", "-ffreestanding", NULL};
    static const char *const red_zone[] = {"no", "-mno-red-zone", "yes", "-mred-zone", NULL};
    static const char *const protector[] = {"yes", "-fstack-protector-strong", "no", "-fno-stack-protector",
                                            NULL};
    static const char *const pie[] = {"yes", "-fPIE", "no", "-fno-pie", NULL};
    static const char *const visibility[] = {"hidden", "-fvisibility=hidden", "default",
                                             "-fvisibility=default", NULL};
    if (facts->language == OBB_ASM_INTEL) {
        obb_words flags = {0};
        spell_machine(s, arena, &flags);
        const char *format = obb_intel_format(facts->machine, &flags);
        spell_intel(s, format ? format : "elf64", arena, words);
        return;
    }
    bool pic = facts->pic && !windows(facts->machine); /* all code is, there */
    const char *stated = chosen(s, OBB_SET_PIC, position);
    add(arena, words, chosen(s, OBB_SET_OPTIMIZE, optimize));
    add(arena, words, chosen(s, OBB_SET_DEBUG_INFO, debug));
    add(arena, words, stated ? stated : pic ? "-fPIC" : chosen(s, OBB_SET_PIE, pie));
    add(arena, words, chosen(s, OBB_SET_FREESTANDING, freestanding));
    add(arena, words, chosen(s, OBB_SET_VISIBILITY, visibility));
    if (facts->language == OBB_CXX && obb_flat_is(s, OBB_SET_VISIBILITY, "hidden"))
        add(arena, words, "-fvisibility-inlines-hidden");
    add(arena, words, chosen(s, OBB_SET_RED_ZONE, red_zone));
    add(arena, words, chosen(s, OBB_SET_STACK_PROTECTOR, protector));
    if (obb_flat_is(s, OBB_SET_DROP_UNUSED, "yes")) {
        add(arena, words, "-ffunction-sections");
        add(arena, words, "-fdata-sections");
    }
    spell_language(facts->language, s, arena, words);
    for (size_t i = 0; i < facts->metadata.count; i++)
        add(arena, words, facts->metadata.at[i]);
}

const char *obb_intel_format(const char *target, const obb_words *flags)
{
    bool wide = strncmp(target, "x86_64", 6) == 0 || strncmp(target, "amd64", 5) == 0;
    bool narrow = target[0] == 'i' && strncmp(target + 2, "86", 2) == 0;
    for (size_t i = 0; wide && i < flags->count; i++)
        if (strcmp(flags->at[i], "-m32") == 0 || strcmp(flags->at[i], "-m16") == 0) {
            wide = false;
            narrow = true;
        }
    if (windows(target))
        return wide ? "win64" : narrow ? "win32" : NULL;
    if (strstr(target, "linux") || strstr(target, "bsd") || strstr(target, "elf"))
        return wide ? "elf64" : narrow ? "elf32" : NULL;
    if (apple(target))
        return wide ? "macho64" : NULL;
    return NULL;
}

void obb_spell_includes(const obb_flat_settings *s, obb_arena *arena, obb_words *folders)
{
    for (size_t i = 0; i < s->count; i++) {
        bool known = s->at[i].id != OBB_SET_INCLUDE;
        for (size_t k = 0; k < folders->count && !known; k++)
            known = strcmp(folders->at[k], s->at[i].value) == 0;
        if (!known)
            obb_arena_push(arena, folders, s->at[i].value);
    }
}

void obb_spell_defines(const obb_flat_settings *s, obb_arena *arena, obb_words *defines)
{
    obb_map names = {0};
    for (size_t i = 0; i < s->count; i++) {
        const char *value = s->at[i].value;
        bool added = false;
        uint32_t k = s->at[i].id == OBB_SET_DEFINE
                         ? obb_map_number(&names, value, strcspn(value, "="), &added)
                         : UINT32_MAX;
        if (added) {
            names.at[k].key = value;
            obb_arena_push(arena, defines, value);
        } else if (k != UINT32_MAX) {
            defines->at[k] = value;
        }
    }
    obb_map_free(&names);
}

void obb_spell_include_words(obb_language language, const obb_words *folders,
                             const obb_words *defines, obb_arena *arena, obb_words *words)
{
    const char *folder_form = language == OBB_ASM_INTEL ? "-I%s/" : "-I%s";
    for (size_t i = 0; i < defines->count; i++)
        obb_arena_push(arena, words, obb_arena_format(arena, "-D%s", defines->at[i]));
    for (size_t i = 0; i < folders->count; i++)
        obb_arena_push(arena, words, obb_arena_format(arena, folder_form, folders->at[i]));
}

void obb_spell_for_linker(bool linker, const char *option, const char *value, obb_arena *arena,
                          obb_words *words)
{
    bool apart = linker || strchr(option, ',') || (value && strchr(value, ','));
    if (!apart) {
        add(arena, words,
            obb_arena_format(arena, "-Wl,%s%s%s", option, value ? "," : "", value ? value : ""));
        return;
    }
    for (const char *word = option; word; word = word == option ? value : NULL) {
        if (!linker)
            add(arena, words, "-Xlinker");
        add(arena, words, word);
    }
}

/* What the linker itself takes as well. */
static void spell_linker(const obb_flat_settings *s, bool linker, obb_arena *arena, obb_words *words)
{
    const obb_origin_setting *script = obb_flat_last(s, OBB_SET_LINKER_SCRIPT);
    const obb_origin_setting *entry = obb_flat_last(s, OBB_SET_ENTRY);
    if (obb_flat_is(s, OBB_SET_DROP_UNUSED, "yes"))
        obb_spell_for_linker(linker, "--gc-sections", NULL, arena, words);
    if (entry)
        obb_spell_for_linker(linker, "-e", entry->value, arena, words);
    if (script) {
        add(arena, words, "-T");
        add(arena, words, script->value);
    }
}

static void spell_list(const char *machine, bool linker, const char *option, const char *file,
                       obb_arena *arena, obb_words *words)
{
    if (apple(machine))
        obb_spell_for_linker(linker, "-exported_symbols_list", file, arena, words);
    else
        obb_spell_for_linker(linker, obb_arena_format(arena, "%s=%s", option, file), NULL, arena, words);
}

/* A version script (GNU ld manual 3.9), a list of Apple's linker, or a module definition, which is linked
 * like an object. */
static void spell_exports(const char *machine, bool linker, const obb_flat_settings *s, obb_arena *arena,
                          obb_words *words)
{
    const obb_origin_setting *exports = obb_flat_last(s, OBB_SET_EXPORTS);
    const obb_origin_setting *list = obb_flat_last(s, OBB_SET_DYNAMIC_LIST);
    if (exports && windows(machine))
        add(arena, words, exports->value);
    else if (exports)
        spell_list(machine, linker, "--version-script", exports->value, arena, words);
    if (list && !windows(machine))
        spell_list(machine, linker, "--dynamic-list", list->value, arena, words);
}

void obb_spell_link(const char *machine, bool linker, const obb_flat_settings *s, obb_arena *arena,
                    obb_words *words)
{
    static const char *const stdlib[] = {"none",     "-nostdlib",     "support", "-nostdlib",
                                         "no-start", "-nostartfiles", NULL};
    static const char *const optimize[] = {"speed", "-O2", "size", "-Os", "most", "-O3", NULL};
    static const char *const pie[] = {"yes", "-pie", "no", "-no-pie", NULL};
    if (!linker && obb_flat_is(s, OBB_SET_LTO, "yes"))
        add(arena, words, chosen(s, OBB_SET_OPTIMIZE, optimize));
    if (!linker) {
        spell_machine(s, arena, words);
        add(arena, words, chosen(s, OBB_SET_STDLIB, stdlib));
        add(arena, words, chosen(s, OBB_SET_PIE, pie));
    }
    if (apple(machine) && obb_flat_is(s, OBB_SET_DROP_UNUSED, "yes"))
        add(arena, words, "-Wl,-dead_strip");
    else
        spell_linker(s, linker, arena, words);
    spell_exports(machine, linker, s, arena, words);
    for (size_t i = 0; i < s->count; i++) {
        if (s->at[i].id == OBB_SET_LINK_FLAGS)
            add(arena, words, s->at[i].value);
        if (s->at[i].id == OBB_SET_RPATH && !windows(machine)) /* which has nothing of the kind */
            obb_spell_for_linker(linker, "-rpath", s->at[i].value, arena, words);
    }
}

/* --- custom toolchains -------------------------------------------------------------- */

typedef struct pair_list {
    const char *const *pairs; /* names and values; ends with NULL */
} pair_list;

static bool value_of_pair(void *self, const char *name, bool alone, obb_words *words)
{
    (void)alone;
    for (const char *const *p = ((pair_list *)self)->pairs; *p; p += 2)
        if (strcmp(p[0], name) == 0) {
            obb_vec_push(words, p[1]);
            return true;
        }
    return false;
}

static const char *filled(const char *text, const char *const *pairs, obb_arena *arena)
{
    pair_list list = {pairs};
    const obb_fill fill = {value_of_pair, &list};
    obb_words words = {0};
    obb_fill_word(&fill, text, arena, &words);
    return words.count ? words.at[0] : "";
}

/* Within a word, the first one of several counts. */
static bool value_of_filling(void *self, const char *name, bool alone, obb_words *words)
{
    const obb_filling_list *list = self;
    for (size_t k = 0; k < list->count; k++) {
        if (strcmp(list->at[k].name, name) != 0)
            continue;
        for (size_t i = 0; i < list->at[k].words->count && (alone || i == 0); i++)
            obb_vec_push(words, list->at[k].words->at[i]);
        return true;
    }
    const char *fact = list->variant ? obb_variant_fact(list->variant, NULL, name, list->arena) : NULL;
    if (fact)
        obb_vec_push(words, fact);
    return fact != NULL;
}

void obb_fill_words(const obb_words *command, const obb_filling_list *fillings, obb_words *words)
{
    obb_filling_list list = *fillings;
    const obb_fill fill = {value_of_filling, &list};
    for (size_t i = 0; i < command->count; i++)
        obb_fill_word(&fill, command->at[i], list.arena, words);
}

static const char *spelling_of(const obb_custom *custom, const char *word)
{
    for (size_t i = custom->spellings.count; i-- > 0;)
        if (strcmp(custom->spellings.at[i].word, word) == 0)
            return custom->spellings.at[i].text;
    return NULL;
}

void obb_spell_custom_words(const obb_custom *custom, const char *word, const obb_words *values,
                            obb_arena *arena, obb_words *words)
{
    const char *form = spelling_of(custom, word);
    for (size_t i = 0; form && i < values->count; i++) {
        const char *v = values->at[i];
        const char *equals = strcmp(word, "define") == 0 ? strchr(v, '=') : NULL;
        const char *name = equals ? obb_arena_copy(arena, v, (size_t)(equals - v)) : v;
        const char *pairs[] = {"path", v, "name", name, "value",
                               equals ? equals + 1 : strcmp(word, "define") == 0 ? "1" : v, NULL};
        add(arena, words, filled(form, pairs, arena));
    }
}

/* A setting is spelt by `spell SETTING=VALUE`, or by `spell SETTING` with {value}. */
static void spell_custom_setting(const obb_custom *custom, const obb_origin_setting *s, obb_arena *arena,
                                 obb_words *words)
{
    const char *word = obb_setting_infos[s->id].word;
    const char *text = spelling_of(custom, obb_arena_format(arena, "%s=%s", word, s->value));
    const char *pairs[] = {"value", s->value, NULL};
    if (!text && (text = spelling_of(custom, word)))
        text = filled(text, pairs, arena);
    if (text && *text)
        add(arena, words, text);
}

void obb_spell_custom(const obb_custom *custom, obb_language language, const obb_flat_settings *s,
                      obb_arena *arena, obb_words *flags)
{
    obb_setting_id own = language == OBB_C     ? OBB_SET_C_FLAGS
                         : language == OBB_CXX ? OBB_SET_CXX_FLAGS
                                               : OBB_SET_ASM_FLAGS;
    for (int id = OBB_SET_STANDARD; id < OBB_SET_STDLIB; id++) {
        const obb_origin_setting *last = obb_flat_last(s, (obb_setting_id)id);
        const char *standard = language == OBB_C     ? obb_flat_standard(s, 'c')
                               : language == OBB_CXX ? obb_flat_standard(s, '+')
                                                     : NULL;
        obb_origin_setting o = last ? *last : (obb_origin_setting){.id = (obb_setting_id)id};
        if (id == OBB_SET_STANDARD)
            o.value = standard;
        if (last && o.value)
            spell_custom_setting(custom, &o, arena, flags);
    }
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == OBB_SET_FLAGS)
            add(arena, flags, s->at[i].value);
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == own)
            add(arena, flags, s->at[i].value);
}

/* --- names of products -------------------------------------------------------------- */

obb_naming obb_naming_of_system(const char *os, const obb_toolchain *tc)
{
    obb_naming n = {.program = "", .object = ".o", .library = ".a", .shared = ".so"};
    if (strcmp(os, "windows") == 0) {
        n = (obb_naming){.program = ".exe",
                         .object = ".o",
                         .library = ".a",
                         .shared = ".dll",
                         .import = ".dll.a",
                         .shared_in_bin = true};
    } else if (strcmp(os, "macos") == 0) {
        n.shared = ".dylib";
    }
    n.libraries = "lib";
    n.project = "";
    if (tc && tc->program_suffix)
        n.program = tc->program_suffix;
    if (tc && tc->object_suffix)
        n.object = tc->object_suffix;
    if (tc && tc->shared_suffix)
        n.shared = tc->shared_suffix;
    if (tc && tc->library_suffix) {
        n.library = tc->library_suffix;
        n.plain_names = true;
    }
    return n;
}

obb_naming obb_naming_for(const obb_variant *variant, const obb_toolchain *tc)
{
    obb_naming n = obb_naming_of_system(obb_variant_value(variant, OBB_AXIS_OS), tc);
    const obb_property *folder = obb_definition_property(variant, variant->platform, OBB_W_LIBRARY_FOLDER);
    if (folder && folder->lines.count && folder->lines.at[0].count)
        n.libraries = folder->lines.at[0].at[0].text;
    n.project = variant->project->name;
    return n;
}

char *obb_program_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/bin/%s%s", variant_folder, name, n->program);
}

char *obb_test_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/test/%s%s", variant_folder, name, n->program);
}

/* NAME/TARGET of third-party code lies in a folder of its own. */
static char *library_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name,
                          const char *suffix)
{
    const char *own = obb_path_name(name), *prefix = n->plain_names && suffix == n->library ? "" : "lib";
    return obb_arena_format(arena, "%s/%s/%.*s%s%s%s", variant_folder, n->libraries, (int)(own - name), name,
                            prefix, own, suffix);
}

char *obb_static_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    return library_path(arena, n, variant_folder, name, n->library);
}

/* Programs of Windows find those that lie beside them. */
char *obb_shared_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    if (!n->shared_in_bin)
        return library_path(arena, n, variant_folder, name, n->shared);
    char *path = obb_arena_format(arena, "%s/bin/%s%s", variant_folder, name, n->shared);
    for (char *c = path + strlen(variant_folder) + strlen("/bin/"); *c; c++)
        *c = *c == '/' ? '-' : *c;
    return path;
}

char *obb_versioned_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name,
                         const char *version)
{
    if (n->shared_in_bin) /* the suffix must stay the last one, and the name may end with a digit */
        return obb_shared_path(arena, n, variant_folder, obb_arena_format(arena, "%s-%s", name, version));
    if (strcmp(n->shared, ".so") != 0)
        return obb_shared_path(arena, n, variant_folder, obb_arena_format(arena, "%s.%s", name, version));
    return obb_arena_format(arena, "%s.%s", obb_shared_path(arena, n, variant_folder, name), version);
}

char *obb_plug_in_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/%s/%s/%s%s", variant_folder, n->libraries, n->project, name,
                            strcmp(n->shared, ".dylib") == 0 ? ".so" : n->shared);
}

/* Of a program that is not linked here: a file, or what a step makes. */
static char *executable_path(obb_arena *arena, const char *folder, const obb_target *t)
{
    const char *text = t->executable.text;
    if (!obb_starts(text, "made:"))
        return obb_path_join(arena, t->executable.place.folder, text);
    for (size_t i = 0; i < t->made_of.count; i++) /* as a whole path */
        if (obb_path_ends(t->made_of.at[i].path, text + strlen("made:")))
            text = t->made_of.at[i].path;
    return obb_path_join(arena, obb_variant_own_folder(arena, folder, t->place.scope), text);
}

char *obb_product_path(obb_arena *arena, const obb_naming *n, const char *folder, const obb_target *t,
                       bool shared)
{
    if (t->kind == OBB_IMAGE)
        return obb_arena_format(arena, "%s/img/%s.%s", folder, t->output,
                                t->formats.count ? t->formats.at[0].text : "bin");
    if (t->kind == OBB_TEST)
        return obb_test_path(arena, n, folder, t->output);
    if (t->executable.text)
        return executable_path(arena, folder, t);
    if (t->kind == OBB_PROGRAM)
        return obb_program_path(arena, n, folder, t->output);
    if (t->library == OBB_PLUG_IN)
        return obb_plug_in_path(arena, n, folder, t->output);
    if (t->library == OBB_STATIC || (t->library == OBB_BOTH && !shared))
        return obb_static_path(arena, n, folder, t->output);
    return t->soname.count ? obb_versioned_path(arena, n, folder, t->output,
                                                t->soname.at[n->import ? 0 : t->soname.count - 1].text)
                           : obb_shared_path(arena, n, folder, t->output);
}

char *obb_import_path(obb_arena *arena, const obb_naming *n, const char *variant_folder, const char *name)
{
    return n->import ? library_path(arena, n, variant_folder, name, n->import)
                     : obb_shared_path(arena, n, variant_folder, name);
}

const obb_words *obb_custom_command(const obb_custom *c, obb_language language)
{
    return language == OBB_C ? &c->compile_c : language == OBB_CXX ? &c->compile_cxx : &c->assemble;
}

void obb_spell_custom_compile(const obb_custom *c, const obb_custom_compile *compile, obb_arena *arena,
                              obb_words *words)
{
    obb_words sources = {0}, objects = {0}, includes = {0}, defines = {0}, filled = {0};
    obb_arena_push(arena, &sources, compile->source);
    obb_arena_push(arena, &objects, compile->object);
    obb_spell_custom_words(c, "include", compile->includes, arena, &includes);
    obb_spell_custom_words(c, "define", compile->defines, arena, &defines);
    obb_filling fillings[] = {{"source", &sources}, {"object", &objects}, {"includes", &includes},
                              {"defines", &defines}, {"flags", compile->flags}};
    const obb_filling_list list = {.at = fillings, .count = 5, .arena = arena};
    obb_fill_words(obb_custom_command(c, compile->language), &list, &filled);
    for (size_t i = 1; i < filled.count; i++)
        obb_arena_push(arena, words, filled.at[i]);
}
