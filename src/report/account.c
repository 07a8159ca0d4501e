/* Accounts as JSON, and back: what `size --json` writes is what `size --against` reads.
 *
 * Both directions use the same member names. An account that was read has no ELF file behind it, and all its
 * numbers are taken as they are. */
#include <string.h>

#include "report/report.h"

static void put_number(json_t *o, const char *key, uint64_t n)
{
    json_object_set_new(o, key, json_integer((json_int_t)n));
}

static void put_text(json_t *o, const char *key, const char *text)
{
    json_object_set_new(o, key, obb_report_text(text));
}

static json_t *regions_of(const obb_account *a)
{
    json_t *list = json_array();
    for (size_t i = 0; i < a->regions.count; i++) {
        const obb_region_use *r = &a->regions.at[i];
        json_t *o = json_object();
        put_text(o, "region", r->name);
        put_number(o, "origin", r->origin);
        put_number(o, "length", r->length);
        put_number(o, "used", r->used);
        put_number(o, "free", r->length > r->used ? r->length - r->used : 0);
        json_array_append_new(list, o);
    }
    return list;
}

static json_t *sections_of(const obb_account *a)
{
    json_t *list = json_array();
    for (size_t i = 0; i < a->sections.count; i++) {
        const obb_section_use *s = &a->sections.at[i];
        json_t *o = json_object();
        put_text(o, "section", s->name);
        put_text(o, "region", s->region);
        put_text(o, "loaded-from", s->load_region);
        put_number(o, "address", s->address);
        put_number(o, "size", s->size);
        json_array_append_new(list, o);
    }
    return list;
}

static json_t *sources_of(const obb_account *a)
{
    json_t *list = json_array();
    for (size_t i = 0; i < a->sources.count; i++) {
        const obb_source_use *s = &a->sources.at[i];
        json_t *o = json_object();
        put_text(o, "source", s->name);
        put_number(o, "code", s->code);
        put_number(o, "constants", s->constants);
        put_number(o, "data", s->data);
        put_number(o, "zeroed", s->zeroed);
        json_array_append_new(list, o);
    }
    return list;
}

static json_t *symbols_of(const obb_account *a)
{
    json_t *list = json_array();
    for (size_t i = 0; i < a->symbols.count; i++) {
        const obb_symbol_use *s = &a->symbols.at[i];
        json_t *o = json_object();
        put_text(o, "symbol", s->name);
        put_text(o, "section", s->section);
        put_text(o, "source", s->source);
        put_number(o, "address", s->address);
        put_number(o, "size", s->size);
        json_array_append_new(list, o);
    }
    return list;
}

json_t *obb_report_account(const char *program, const char *variant, const obb_account *a)
{
    json_t *o = json_object();
    put_text(o, "program", program);
    put_text(o, "variant", variant);
    put_text(o, "machine", a->machine);
    put_number(o, "bits", a->wide ? 64 : 32);
    put_text(o, "endian", a->big_endian ? "big" : "little");
    json_object_set_new(o, "regions", regions_of(a));
    json_object_set_new(o, "sections", sections_of(a));
    json_object_set_new(o, "sources", sources_of(a));
    json_object_set_new(o, "symbols", symbols_of(a));
    return o;
}

json_t *obb_report_account_sums(const char *program, const char *variant, const obb_account *a)
{
    json_t *o = json_object();
    put_text(o, "program", program);
    put_text(o, "variant", variant);
    put_number(o, "code", a->total.code);
    put_number(o, "constants", a->total.constants);
    put_number(o, "data", a->total.data);
    put_number(o, "zeroed", a->total.zeroed);
    json_object_set_new(o, "regions", regions_of(a));
    return o;
}

json_t *obb_report_image(const char *image, const char *variant, const obb_image_layout *layout)
{
    json_t *o = json_object(), *parts = json_array();
    for (size_t i = 0; i < layout->parts.count; i++) {
        const obb_image_part *p = &layout->parts.at[i];
        json_t *part = json_object();
        json_object_set_new(part, "part", p->name ? obb_report_text(p->name) : json_null());
        put_number(part, "address", p->address);
        put_number(part, "bytes", p->length);
        json_array_append_new(parts, part);
    }
    put_text(o, "image", image);
    put_text(o, "variant", variant);
    json_object_set_new(o, "address",
                        layout->addressed ? json_integer((json_int_t)layout->start) : json_null());
    put_number(o, "bytes", layout->length);
    json_object_set_new(o, "parts", parts);
    return o;
}

/* --- back --------------------------------------------------------------------------- */

static const char *text_of(const json_t *o, const char *key, obb_arena *arena)
{
    const char *text = json_string_value(json_object_get(o, key));
    return obb_arena_string(arena, text ? text : "");
}

static uint64_t number_of(const json_t *o, const char *key)
{
    return (uint64_t)json_integer_value(json_object_get(o, key));
}

json_t *obb_report_sections(const obb_elf *program)
{
    json_t *list = json_array();
    for (size_t i = 0; i < program->sections.count; i++) {
        const obb_elf_section *s = &program->sections.at[i];
        if (!s->allocated || !s->size)
            continue;
        json_t *o = json_object();
        put_text(o, "section", s->name);
        put_number(o, "address", s->address);
        put_number(o, "loaded-from", s->load_address);
        put_number(o, "size", s->size);
        json_object_set_new(o, "contents", json_boolean(s->has_contents));
        json_object_set_new(o, "writable", json_boolean(s->writable));
        json_object_set_new(o, "executable", json_boolean(s->executable));
        json_array_append_new(list, o);
    }
    return list;
}

const obb_elf *obb_report_read_sections(const json_t *sections, obb_arena *arena)
{
    obb_elf *program = obb_arena_alloc(arena, sizeof *program);
    size_t i;
    const json_t *o;
    json_array_foreach(sections, i, o)
        obb_arena_push(arena, &program->sections,
                       ((obb_elf_section){.name = text_of(o, "section", arena),
                                          .address = number_of(o, "address"),
                                          .load_address = number_of(o, "loaded-from"),
                                          .size = number_of(o, "size"),
                                          .allocated = true,
                                          .has_contents = json_is_true(json_object_get(o, "contents")),
                                          .writable = json_is_true(json_object_get(o, "writable")),
                                          .executable = json_is_true(json_object_get(o, "executable"))}));
    return program;
}

static obb_account *account_of(const json_t *o, obb_arena *arena)
{
    obb_account *a = obb_arena_alloc(arena, sizeof *a);
    size_t i;
    json_t *row;
    a->machine = text_of(o, "machine", arena);
    a->total.name = "total";
    json_array_foreach(json_object_get(o, "regions"), i, row)
        obb_arena_push(arena, &a->regions,
                       (obb_region_use){text_of(row, "region", arena), number_of(row, "origin"),
                                        number_of(row, "length"), number_of(row, "used")});
    json_array_foreach(json_object_get(o, "sections"), i, row)
        obb_arena_push(arena, &a->sections,
                       (obb_section_use){text_of(row, "section", arena), text_of(row, "region", arena),
                                         text_of(row, "loaded-from", arena), number_of(row, "address"),
                                         number_of(row, "size")});
    json_array_foreach(json_object_get(o, "sources"), i, row) {
        obb_source_use s = {text_of(row, "source", arena), number_of(row, "code"),
                            number_of(row, "constants"), number_of(row, "data"), number_of(row, "zeroed")};
        a->total.code += s.code;
        a->total.constants += s.constants;
        a->total.data += s.data;
        a->total.zeroed += s.zeroed;
        obb_arena_push(arena, &a->sources, s);
    }
    json_array_foreach(json_object_get(o, "symbols"), i, row)
        obb_arena_push(arena, &a->symbols,
                       (obb_symbol_use){text_of(row, "symbol", arena), text_of(row, "section", arena),
                                        text_of(row, "source", arena), number_of(row, "address"),
                                        number_of(row, "size")});
    return a;
}

obb_account *obb_report_read_account(const json_t *document, const char *program, const char *variant,
                                     obb_arena *arena)
{
    const json_t *programs = json_object_get(document, "programs");
    obb_account *found = NULL;
    size_t i, rank = 0;
    json_t *o;
    json_array_foreach(programs, i, o) {
        const char *name = json_string_value(json_object_get(o, "program"));
        const char *of = json_string_value(json_object_get(o, "variant"));
        bool same = name && strcmp(name, program) == 0;
        size_t fits = !same ? 0 : of && strcmp(of, variant) == 0 ? 2 : 1; /* its own variant before others */
        if (fits > rank) {
            found = account_of(o, arena);
            rank = fits;
        }
    }
    return found;
}
