/* Memory accounts (account.h). Every byte of an allocated section belongs to one symbol row or to the row of
 * what no symbol covers, so that the rows add up to the sizes of the sections. */
#include "image/account.h"

#include <stdlib.h>
#include <string.h>

#include "base/map.h"
#include "base/path.h"
#include "base/text.h"

typedef struct maker {
    const obb_elf *elf;
    obb_account *account;
    obb_arena *arena;
    const obb_account_facts *facts;
    obb_map strings; /* of objects -> source */
    obb_map origins; /* "symbol" of a global one, "file|symbol" of a local one -> source */
    obb_map rows;    /* source -> obb_source_use */
    const char *source; /* of the object that is being read; NULL: an archive */
    const char *path;
    bool implied, dynamic; /* of the object; of the program */
    OBB_VEC(obb_symbol_use) bare; /* rows of the section that is being counted */
} maker;

static const char no_symbol[] = "(no symbol)", not_known[] = "(libraries and start files)";

uint64_t obb_source_bytes(const obb_source_use *use)
{
    return use->code + use->constants + use->data + use->zeroed;
}

/* --- where symbols come from -------------------------------------------------------- */

static const char *symbol_key(maker *m, const obb_elf_symbol *s)
{
    return s->global ? s->name : obb_arena_format(m->arena, "%s|%s", s->file ? s->file : "", s->name);
}

/* Fewer bytes may be like a string by chance. */
enum { LEAST_STRING = 4 };

static bool is_text(const char *at, size_t n)
{
    for (size_t i = 0; i < n; i++)
        if ((unsigned char)at[i] < ' ' && !strchr("\t\n\v\f\r\a\b\033", at[i]))
            return false;
    return n >= LEAST_STRING;
}

/* Strings of constants, which have no symbols. */
static void note_strings(maker *m, const obb_elf *elf, const char *source)
{
    if (m->implied && m->dynamic) /* the shared one is linked */
        return;
    for (size_t i = 0; i < elf->sections.count; i++) {
        const obb_elf_section *s = &elf->sections.at[i];
        const char *at = (const char *)s->bytes;
        if (!s->allocated || !s->constants || !at)
            continue;
        for (size_t left = (size_t)s->size, n; left && (n = strnlen(at, left)) < left;
             at += n + 1, left -= n + 1)
            if (is_text(at, n) && !obb_map_get(&m->strings, at))
                obb_map_put(&m->strings, at, (void *)(uintptr_t)source);
    }
}

static void note_member(void *self, const char *member, const obb_elf *elf)
{
    maker *m = self;
    const char *source = m->source ? m->source
                         : *member ? obb_arena_format(m->arena, "%s(%s)", obb_path_name(m->path), member)
                                   : obb_path_name(m->path);
    note_strings(m, elf, source);
    for (size_t i = 0; i < elf->symbols.count; i++) {
        const char *key = symbol_key(m, &elf->symbols.at[i]);
        if (!obb_map_get(&m->origins, key)) /* the first object that has it is the one linked */
            obb_map_put(&m->origins, key, (void *)(uintptr_t)source);
    }
}

static const char *source_of(maker *m, const obb_elf_symbol *s)
{
    const char *known = obb_map_get(&m->origins, symbol_key(m, s));
    return known ? known : s->file ? s->file : not_known;
}

/* --- rows --------------------------------------------------------------------------- */

static void add_bytes(obb_source_use *use, const obb_elf_section *s, uint64_t bytes)
{
    uint64_t *into = s->executable      ? &use->code
                     : !s->has_contents ? &use->zeroed
                     : s->writable      ? &use->data
                                        : &use->constants;
    *into += bytes;
}

static void add_to_source(maker *m, const char *source, const obb_elf_section *s, uint64_t bytes)
{
    obb_source_use *row = obb_map_get(&m->rows, source);
    if (!row) {
        row = obb_arena_alloc(m->arena, sizeof *row);
        row->name = source;
        obb_map_put(&m->rows, source, row);
    }
    add_bytes(row, s, bytes);
    add_bytes(&m->account->total, s, bytes);
}

/* By section and address; of two at one place the longer, then the global one first. */
static int by_place(const void *a, const void *b)
{
    const obb_elf_symbol *x = *(obb_elf_symbol *const *)a, *y = *(obb_elf_symbol *const *)b;
    if (x->section != y->section)
        return x->section < y->section ? -1 : 1;
    if (x->address != y->address)
        return x->address < y->address ? -1 : 1;
    if (x->size != y->size)
        return x->size > y->size ? -1 : 1;
    return x->global != y->global ? (x->global ? -1 : 1) : strcmp(x->name, y->name);
}

typedef OBB_VEC(const obb_elf_symbol *) symbol_list;

static void sorted_symbols(maker *m, symbol_list *list)
{
    for (size_t i = 0; i < m->elf->symbols.count; i++)
        if (m->elf->symbols.at[i].size)
            obb_arena_push(m->arena, list, &m->elf->symbols.at[i]);
    if (list->count)
        qsort(list->at, list->count, sizeof *list->at, by_place);
}

/* The source of a file that the linker names: an object of ours, or a member of a library. */
static const char *source_of_file(maker *m, const char *file)
{
    const char *open = strrchr(file, '('), *name = obb_path_name(file);
    size_t n = open ? strcspn(open + 1, ")") : 0;
    for (size_t i = 0; i < m->facts->object_count; i++) {
        const obb_account_object *o = &m->facts->objects[i];
        const char *member = obb_path_name(o->path);
        if (o->source && (strcmp(o->path, file) == 0 ||
                          (open && strlen(member) == n && strncmp(member, open + 1, n) == 0)))
            return o->source;
    }
    return name;
}

/* How many bytes of a section without symbols came from where; they become a row each. */
static void add_bare(maker *m, const obb_elf_section *s, const char *source, uint64_t bytes)
{
    add_to_source(m, source, s, bytes);
    if (source == no_symbol)
        source = "";
    for (size_t i = 0; i < m->bare.count; i++)
        if (strcmp(m->bare.at[i].source, source) == 0) {
            m->bare.at[i].size += bytes;
            return;
        }
    obb_arena_push(m->arena, &m->bare, (obb_symbol_use){no_symbol, s->name, source, 0, bytes});
}

/* Sections that the linker makes: its map names the first object for them. */
static bool made_by_linker(const obb_elf_section *s)
{
    static const char *const made[] =
        {".interp", ".dyn", ".hash", ".gnu.hash",     ".gnu.version",      ".rela.",
         ".rel.",   ".plt", ".got",  ".eh_frame_hdr", ".note.gnu.build-id"};
    for (size_t i = 0; i < sizeof made / sizeof *made; i++)
        if (obb_starts(s->name, made[i]))
            return true;
    return false;
}

/* The source of the byte at an address, and how far it reaches: by the map, else as a string. */
static const char *source_at(maker *m, const obb_elf_section *s, uint64_t at, uint64_t *end)
{
    const obb_link_map *map = made_by_linker(s) ? NULL : m->facts->map;
    const obb_map_piece *piece = map ? obb_link_map_at(map, s->name, at) : NULL;
    const char *text = s->bytes ? (const char *)s->bytes + (at - s->address) : "";
    if (piece) {
        *end = piece->address + piece->size < *end ? piece->address + piece->size : *end;
        return source_of_file(m, piece->file);
    }
    uint64_t next = map ? obb_link_map_next(map, s->name, at) : UINT64_MAX;
    if (!s->bytes) { /* zeroed: nothing can be told by contents */
        *end = next < *end ? next : *end;
        return no_symbol;
    }
    enum { LONGEST_STRING = 4096 };
    size_t left = (size_t)(*end - at), room = left < LONGEST_STRING ? left : LONGEST_STRING;
    size_t n = strnlen(text, room);
    const char *source = n >= LEAST_STRING && n < room ? obb_map_get(&m->strings, text) : NULL;
    *end = source ? at + n + 1 : at + 1;
    return source ? source : no_symbol;
}

/* Bytes that no symbol covers. */
static void account_bare(maker *m, const obb_elf_section *s, uint64_t from, uint64_t to)
{
    while (from < to) {
        uint64_t end = to;
        const char *source = source_at(m, s, from, &end);
        add_bare(m, s, source, end - from);
        from = end;
    }
}

static void add_bare_rows(maker *m)
{
    for (size_t i = 0; i < m->bare.count; i++)
        obb_arena_push(m->arena, &m->account->symbols, m->bare.at[i]);
    m->bare.count = 0;
}

/* Every byte of a section is counted once: for the first symbol that covers it, or for none. */
static void account_section(maker *m, const obb_elf_section *s, const symbol_list *symbols)
{
    uint64_t at = s->address, end = s->address + s->size;
    for (size_t i = 0; i < symbols->count; i++) {
        const obb_elf_symbol *sym = symbols->at[i];
        if (sym->section != s->index || sym->address >= end || sym->address + sym->size <= at)
            continue;
        uint64_t from = sym->address > at ? sym->address : at;
        uint64_t to = sym->address + sym->size < end ? sym->address + sym->size : end;
        account_bare(m, s, at, from);
        at = to;
        const char *source = source_of(m, sym);
        add_to_source(m, source, s, to - from);
        obb_arena_push(m->arena, &m->account->symbols,
                       (obb_symbol_use){sym->name, s->name, source, from, to - from});
    }
    account_bare(m, s, at, end);
    add_bare_rows(m);
}

static obb_region_use *region_at(obb_account *a, uint64_t address, uint64_t size)
{
    for (size_t i = 0; i < a->regions.count; i++) {
        obb_region_use *r = &a->regions.at[i];
        if (address >= r->origin && address - r->origin < r->length &&
            size <= r->length - (address - r->origin))
            return r;
    }
    return NULL;
}

/* A section takes its place at run time, and one more where it is loaded from. */
static void place_section(obb_account *a, const obb_elf_section *s, obb_arena *arena)
{
    obb_region_use *here = region_at(a, s->address, s->size);
    obb_region_use *from = s->has_contents ? region_at(a, s->load_address, s->size) : NULL;
    obb_section_use use = {s->name, here ? here->name : "", from && from != here ? from->name : "",
                           s->address, s->size};
    if (here)
        here->used += s->size;
    if (from && from != here)
        from->used += s->size;
    obb_arena_push(arena, &a->sections, use);
}

static int by_address(const void *a, const void *b)
{
    const obb_section_use *x = a, *y = b;
    return x->address < y->address ? -1 : x->address > y->address;
}

static int sources_by_size(const void *a, const void *b)
{
    const obb_source_use *x = a, *y = b;
    uint64_t m = obb_source_bytes(x), n = obb_source_bytes(y);
    return m != n ? (m > n ? -1 : 1) : strcmp(x->name, y->name);
}

static int symbols_by_size(const void *a, const void *b)
{
    const obb_symbol_use *x = a, *y = b;
    if (x->size != y->size)
        return x->size > y->size ? -1 : 1;
    int order = strcmp(x->name, y->name);
    return order ? order : x->address < y->address ? -1 : x->address > y->address;
}

static void sort_sections(obb_account *a)
{
    if (a->sections.count)
        qsort(a->sections.at, a->sections.count, sizeof *a->sections.at, by_address);
}

static void sort_rows(maker *m)
{
    obb_account *a = m->account;
    for (size_t i = 0; i < m->rows.count; i++)
        obb_arena_push(m->arena, &a->sources, *(obb_source_use *)m->rows.at[i].value);
    sort_sections(a);
    if (a->sources.count)
        qsort(a->sources.at, a->sources.count, sizeof *a->sources.at, sources_by_size);
    if (a->symbols.count)
        qsort(a->symbols.at, a->symbols.count, sizeof *a->symbols.at, symbols_by_size);
}

static obb_account *new_account(const obb_elf *program, const obb_region_use *regions, size_t count,
                                obb_arena *arena)
{
    obb_account *a = obb_arena_alloc(arena, sizeof *a);
    a->machine = program->machine;
    a->wide = program->wide;
    a->big_endian = program->big_endian;
    a->total.name = "total";
    for (size_t i = 0; i < count; i++) {
        obb_region_use r = regions[i];
        r.used = 0;
        obb_arena_push(arena, &a->regions, r);
    }
    return a;
}

obb_account *obb_account_of_sections(const obb_elf *program, const obb_region_use *regions, size_t count,
                                     obb_arena *arena)
{
    obb_account *a = new_account(program, regions, count, arena);
    for (size_t i = 0; i < program->sections.count; i++) {
        const obb_elf_section *s = &program->sections.at[i];
        if (!s->allocated || !s->size)
            continue;
        place_section(a, s, arena);
        add_bytes(&a->total, s, s->size);
    }
    sort_sections(a);
    return a;
}

obb_account *obb_account_make(const obb_elf *program, const obb_account_facts *facts, obb_arena *arena)
{
    obb_account *a = new_account(program, facts->regions, facts->region_count, arena);
    maker m = {.elf = program, .account = a, .arena = arena, .facts = facts};
    symbol_list symbols = {0};
    for (size_t i = 0; i < program->sections.count; i++)
        m.dynamic = m.dynamic || strcmp(program->sections.at[i].name, ".dynamic") == 0;
    for (size_t i = 0; i < facts->object_count; i++) {
        m.source = facts->objects[i].source;
        m.path = facts->objects[i].path;
        m.implied = facts->objects[i].implied;
        obb_elf_each_member(facts->objects[i].path, arena, note_member, &m);
    }
    sorted_symbols(&m, &symbols);
    for (size_t i = 0; i < program->sections.count; i++) {
        const obb_elf_section *s = &program->sections.at[i];
        if (!s->allocated || !s->size)
            continue;
        place_section(a, s, arena);
        account_section(&m, s, &symbols);
    }
    sort_rows(&m);
    obb_map_free(&m.origins);
    obb_map_free(&m.strings);
    obb_map_free(&m.rows);
    return a;
}
