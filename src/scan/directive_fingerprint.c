/* The fingerprint of directives (directive_fingerprint.h): over the summary of a file, with line numbers
 * where a macro may ask for them. */
#include "scan/directive_fingerprint.h"

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
    obb_hasher_string(p, obb_symbol_text(symbols, m->symbol));
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

obb_fingerprint obb_directive_fingerprint(const char *text, size_t length, obb_text_kind kind)
{
    obb_symbols symbols = {.arena = obb_arena_new()};
    obb_hasher *p = obb_hasher_new();
    const obb_directive_summary *summary = obb_directives_summarize(&symbols, text, length, kind);
    for (size_t i = 0; i < summary->directives.count; i++) {
        const obb_directive *d = &summary->directives.at[i];
        add_number(p, d->kind);
        add_number(p, (uint64_t)d->line << 1 | d->quoted);
        if (d->macro)
            add_macro(p, &symbols, d->macro);
        if (has_symbol(d->kind))
            obb_hasher_string(p, obb_symbol_text(&symbols, d->symbol));
        obb_hasher_string(p, d->name ? d->name : "");
        add_tokens(p, d->tokens, d->count);
    }
    obb_map_free(&symbols.map);
    obb_arena_free(symbols.arena);
    return obb_hasher_end(p);
}
