#include "toolchain/spell.h"

#include <string.h>

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

/* Words that a compile and a link must agree on. */
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
        add(arena, words, "-Fdwarf");
    }
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == OBB_SET_ASM_FLAGS)
            add(arena, words, s->at[i].value);
}

void obb_spell_compile(const char *machine, obb_language language,
                       const obb_flat_settings *s, bool pic, const obb_words *more,
                       obb_arena *arena, obb_words *words)
{
    static const char *const optimize[] = {"none", "-O0", "debug", "-Og", "speed", "-O2",
                                           "size", "-Os", "most", "-O3", NULL};
    static const char *const debug[] = {"lines", "-g1", "full", "-g", NULL};
    static const char *const position[] = {"yes", "-fPIC", "no", "-fno-pic", NULL};
    static const char *const freestanding[] = {"yes", "-ffreestanding", NULL};
    if (language == OBB_ASM_INTEL) {
        const char *format = obb_intel_format(machine);
        spell_intel(s, format ? format : "elf64", arena, words);
        return;
    }
    const char *stated = chosen(s, OBB_SET_PIC, position);
    add(arena, words, chosen(s, OBB_SET_OPTIMIZE, optimize));
    add(arena, words, chosen(s, OBB_SET_DEBUG_INFO, debug));
    add(arena, words, stated ? stated : pic ? "-fPIC" : NULL);
    add(arena, words, chosen(s, OBB_SET_FREESTANDING, freestanding));
    spell_language(language, s, arena, words);
    for (size_t i = 0; i < more->count; i++)
        add(arena, words, more->at[i]);
}

const char *obb_intel_format(const char *target)
{
    bool wide = strncmp(target, "x86_64", 6) == 0 || strncmp(target, "amd64", 5) == 0;
    bool narrow = target[0] == 'i' && strncmp(target + 2, "86", 2) == 0;
    if (strstr(target, "linux") || strstr(target, "bsd") || strstr(target, "elf"))
        return wide ? "elf64" : narrow ? "elf32" : NULL;
    if (strstr(target, "apple") || strstr(target, "darwin"))
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

static bool same_macro(const char *a, const char *b)
{
    size_t n = strcspn(a, "=");
    return n == strcspn(b, "=") && strncmp(a, b, n) == 0;
}

void obb_spell_defines(const obb_flat_settings *s, obb_arena *arena, obb_words *defines)
{
    for (size_t i = 0; i < s->count; i++) {
        if (s->at[i].id != OBB_SET_DEFINE)
            continue;
        size_t k = 0;
        while (k < defines->count && !same_macro(defines->at[k], s->at[i].value))
            k++;
        if (k < defines->count)
            defines->at[k] = s->at[i].value;
        else
            obb_arena_push(arena, defines, s->at[i].value);
    }
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

void obb_spell_link(const obb_flat_settings *s, obb_arena *arena, obb_words *words)
{
    static const char *const stdlib_none[] = {"none", "-nostdlib", NULL};
    static const char *const optimize[] = {"speed", "-O2", "size", "-Os", "most", "-O3", NULL};
    const obb_origin_setting *script = obb_flat_last(s, OBB_SET_LINKER_SCRIPT);
    const obb_origin_setting *entry = obb_flat_last(s, OBB_SET_ENTRY);
    if (obb_flat_is(s, OBB_SET_LTO, "yes"))
        add(arena, words, chosen(s, OBB_SET_OPTIMIZE, optimize));
    spell_machine(s, arena, words);
    add(arena, words, chosen(s, OBB_SET_STDLIB, stdlib_none));
    if (entry)
        add(arena, words, obb_arena_format(arena, "-Wl,-e,%s", entry->value));
    if (script) {
        add(arena, words, "-T");
        add(arena, words, script->value);
    }
    for (size_t i = 0; i < s->count; i++)
        if (s->at[i].id == OBB_SET_LINK_FLAGS)
            add(arena, words, s->at[i].value);
}

char *obb_program_path(obb_arena *arena, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/bin/%s", variant_folder, name);
}

char *obb_static_path(obb_arena *arena, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/lib/lib%s.a", variant_folder, name);
}

char *obb_shared_path(obb_arena *arena, const char *variant_folder, const char *name)
{
    return obb_arena_format(arena, "%s/lib/lib%s.so", variant_folder, name);
}
