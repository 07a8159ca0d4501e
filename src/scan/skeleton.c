#include "scan/skeleton.h"

static void add_number(obb_printer *p, uint64_t n)
{
    obb_printer_add(p, &n, sizeof n);
}

static void add_tokens(obb_printer *p, const obb_token *tokens, size_t count)
{
    add_number(p, count);
    for (size_t i = 0; i < count; i++) {
        const obb_token *t = &tokens[i];
        add_number(p, (uint64_t)t->kind << 1 | t->space);
        add_number(p, t->kind == OBB_T_MARK ? t->code : t->length);
        if (t->text)
            obb_printer_add(p, t->text, t->length);
    }
}

static void add_macro(obb_printer *p, const obb_symbols *symbols, const obb_macro *m)
{
    obb_printer_string(p, obb_symbol_text(symbols, m->symbol));
    add_number(p, (uint64_t)m->with_arguments << 1 | m->variadic);
    add_number(p, m->parameter_count);
    for (uint32_t i = 0; i < m->parameter_count; i++)
        obb_printer_string(p, obb_symbol_text(symbols, m->parameters[i]));
    add_tokens(p, m->body, m->length);
}

static bool has_symbol(obb_directive_kind kind)
{
    switch (kind) {
    case OBB_D_IFDEF: case OBB_D_IFNDEF: case OBB_D_ELIFDEF: case OBB_D_ELIFNDEF: case OBB_D_UNDEF: case OBB_D_PUSH:
    case OBB_D_POP: return true;
    default: return false;
    }
}

obb_print obb_skeleton(const char *text, size_t length, obb_text_kind kind)
{
    obb_symbols symbols = {.arena = obb_arena_new()};
    obb_printer *p = obb_printer_new();
    const obb_digest *digest = obb_digest_make(&symbols, text, length, kind);
    for (size_t i = 0; i < digest->directives.count; i++) {
        const obb_directive *d = &digest->directives.at[i];
        add_number(p, d->kind);
        add_number(p, (uint64_t)d->line << 1 | d->quoted);
        if (d->macro)
            add_macro(p, &symbols, d->macro);
        if (has_symbol(d->kind))
            obb_printer_string(p, obb_symbol_text(&symbols, d->symbol));
        obb_printer_string(p, d->name ? d->name : "");
        add_tokens(p, d->tokens, d->count);
    }
    obb_map_free(&symbols.map);
    obb_arena_free(symbols.arena);
    return obb_printer_end(p);
}
