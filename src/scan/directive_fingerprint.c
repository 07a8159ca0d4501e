/* The fingerprint of directives (directive_fingerprint.h): over the summary of a file. What a macro becomes
 * stands apart from the rest, unless it assembles something: that is looked for where it is used (inline.c).
 */
#include "scan/directive_fingerprint.h"

#include <string.h>

static void add_number(obb_hasher *p, uint64_t n)
{
    obb_hasher_add(p, &n, sizeof n);
}

static void add_tokens(obb_hasher *p, const obb_token *tokens, size_t count)
{
    add_number(p, count);
    for (size_t i = 0; i < count; i++) {
        const obb_token *t = &tokens[i];
        add_number(p, (uint64_t)t->kind << 1 | t->space);
        add_number(p, t->kind == OBB_T_MARK ? t->code : t->length);
        if (t->text)
            obb_hasher_add(p, t->text, t->length);
    }
}

static void add_macro(obb_hasher *p, const obb_symbols *symbols, const obb_macro *m)
{
    add_number(p, (uint64_t)m->with_arguments << 1 | m->variadic);
    add_number(p, m->parameter_count);
    for (uint32_t i = 0; i < m->parameter_count; i++)
        obb_hasher_string(p, obb_symbol_text(symbols, m->parameters[i]));
    add_tokens(p, m->body, m->length);
}

static bool has_symbol(obb_directive_kind kind)
{
    switch (kind) {
    case OBB_D_IFDEF:
    case OBB_D_IFNDEF:
    case OBB_D_ELIFDEF:
    case OBB_D_ELIFNDEF:
    case OBB_D_UNDEF:
    case OBB_D_PUSH:
    case OBB_D_POP: return true;
    default: return false;
    }
}

uint64_t obb_macro_name_mark(const char *name)
{
    return obb_fingerprint_of(name, strlen(name)).low;
}

static void take_macro(obb_hasher *skeleton, const obb_symbols *symbols, const obb_macro *m,
                       obb_directive_fingerprint *print)
{
    const char *name = obb_symbol_text(symbols, m->symbol);
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(skeleton, name);
    add_number(skeleton, m->assembles);
    if (m->assembles)
        add_macro(skeleton, symbols, m);
    add_macro(p, symbols, m);
    const obb_macro_mark mark = {obb_macro_name_mark(name), obb_hasher_end(p).low};
    obb_vec_push(&print->macros, mark);
}

void obb_directive_fingerprint_of(const char *text, size_t length, obb_text_kind kind,
                                  obb_directive_fingerprint *print)
{
    obb_symbols symbols = {.arena = obb_arena_new()};
    obb_hasher *skeleton = obb_hasher_new(), *lines = obb_hasher_new();
    const obb_directive_summary *summary = obb_directives_summarize(&symbols, text, length, kind);
    *print = (obb_directive_fingerprint){.lines = 0};
    for (size_t i = 0; i < summary->directives.count; i++) {
        const obb_directive *d = &summary->directives.at[i];
        add_number(lines, (uint64_t)d->line);
        if (d->kind == OBB_D_LINE) {
            add_tokens(lines, d->tokens, d->count);
            continue;
        }
        add_number(skeleton, (uint64_t)d->kind << 1 | d->quoted);
        if (d->macro)
            take_macro(skeleton, &symbols, d->macro, print);
        if (has_symbol(d->kind))
            obb_hasher_string(skeleton, obb_symbol_text(&symbols, d->symbol));
        obb_hasher_string(skeleton, d->name ? d->name : "");
        if (!d->macro)
            add_tokens(skeleton, d->tokens, d->count);
    }
    obb_map_free(&symbols.map);
    obb_arena_free(symbols.arena);
    print->skeleton = obb_hasher_end(skeleton);
    print->lines = obb_hasher_end(lines).low;
}

/* Kept: skeleton, lines, what each macro becomes. Where skeletons are the same, the names are, too. */
void obb_directive_fingerprint_encode(const obb_directive_fingerprint *print, obb_text *bytes)
{
    obb_text_add(bytes, &print->skeleton, sizeof print->skeleton);
    obb_text_add(bytes, &print->lines, sizeof print->lines);
    for (size_t i = 0; i < print->macros.count; i++)
        obb_text_add(bytes, &print->macros.at[i].body, sizeof print->macros.at[i].body);
}

bool obb_directives_alike(const obb_text *then, const obb_directive_fingerprint *now,
                          bool (*asked)(void *self, uint64_t name), void *self)
{
    obb_fingerprint skeleton;
    uint64_t lines, body;
    const char *at = then->bytes;
    if (then->length != sizeof skeleton + sizeof lines + now->macros.count * sizeof body)
        return false;
    memcpy(&skeleton, at, sizeof skeleton);
    memcpy(&lines, at + sizeof skeleton, sizeof lines);
    at += sizeof skeleton + sizeof lines;
    if (!obb_fingerprint_same(skeleton, now->skeleton) ||
        (lines != now->lines && asked(self, obb_macro_name_mark("__LINE__"))))
        return false;
    for (size_t i = 0; i < now->macros.count; i++, at += sizeof body) {
        memcpy(&body, at, sizeof body);
        if (body != now->macros.at[i].body && asked(self, now->macros.at[i].name))
            return false;
    }
    return true;
}
