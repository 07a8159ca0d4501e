/* Changing run paths (run_path.h). The text lies among the strings for the dynamic linker. Linkers let
 * strings share their ends, so what others begin at is looked for before anything is overwritten. */
#include "delivery/run_path.h"

#include <gelf.h>
#include <string.h>

/* Where things lie in the file, as offsets. */
typedef struct place {
    Elf *elf;
    size_t entries, entry_size, count; /* of the dynamic section */
    size_t strings, strings_size;      /* of its strings */
    size_t which;                      /* the entry that is the run path */
    size_t text;                       /* where that begins among the strings */
} place;

static bool holds(const obb_text *file, size_t offset, size_t size)
{
    return offset <= file->length && size <= file->length - offset;
}

static bool find_dynamic(place *p, const obb_text *file)
{
    Elf_Scn *scn = NULL;
    GElf_Shdr s, strings;
    while ((scn = elf_nextscn(p->elf, scn)))
        if (gelf_getshdr(scn, &s) && s.sh_type == SHT_DYNAMIC)
            break;
    if (!scn || !s.sh_entsize || !gelf_getshdr(elf_getscn(p->elf, s.sh_link), &strings))
        return false;
    p->entries = (size_t)s.sh_offset;
    p->entry_size = (size_t)s.sh_entsize;
    p->count = (size_t)(s.sh_size / s.sh_entsize);
    p->strings = (size_t)strings.sh_offset;
    p->strings_size = (size_t)strings.sh_size;
    if (!holds(file, p->entries, p->count * p->entry_size) || !holds(file, p->strings, p->strings_size) ||
        !p->strings_size || file->bytes[p->strings + p->strings_size - 1])
        return false;
    Elf_Data *data = elf_getdata(scn, NULL);
    p->which = p->count;
    for (size_t i = 0; data && i < p->count; i++) {
        GElf_Dyn d;
        bool run_path = gelf_getdyn(data, (int)i, &d) && d.d_tag == DT_RUNPATH;
        if ((run_path || (d.d_tag == DT_RPATH && p->which == p->count)) && d.d_un.d_val < p->strings_size) {
            p->which = i;
            p->text = (size_t)d.d_un.d_val;
        }
    }
    return p->which < p->count;
}

static bool open_place(place *p, obb_text *file)
{
    memset(p, 0, sizeof *p);
    elf_version(EV_CURRENT);
    p->elf = file->length ? elf_memory(file->bytes, file->length) : NULL;
    if (p->elf && elf_kind(p->elf) == ELF_K_ELF && find_dynamic(p, file))
        return true;
    elf_end(p->elf);
    return false;
}

const char *obb_run_path_read(const obb_text *file, obb_arena *arena)
{
    place p;
    obb_text copy = *file; /* libelf reads it only */
    if (!open_place(&p, &copy))
        return NULL;
    const char *text = obb_arena_string(arena, file->bytes + p.strings + p.text);
    elf_end(p.elf);
    return text;
}

/* Notes the first string that begins inside of the run path. */
static void note(const place *p, size_t *first, uint64_t offset)
{
    if (offset > p->text && offset < *first)
        *first = (size_t)offset;
}

static void note_symbols(const place *p, Elf_Scn *scn, const GElf_Shdr *s, size_t *first)
{
    Elf_Data *data = elf_getdata(scn, NULL);
    GElf_Sym symbol;
    for (int i = 0; data && s->sh_entsize && i < (int)(s->sh_size / s->sh_entsize); i++)
        if (gelf_getsym(data, i, &symbol))
            note(p, first, symbol.st_name);
}

/* Names and versions of what is needed, and of what is offered (Linux Standard Base, Symbol Versioning). */
static void note_versions(const place *p, Elf_Scn *scn, const GElf_Shdr *s, size_t *first)
{
    Elf_Data *data = elf_getdata(scn, NULL);
    GElf_Verneed need;
    GElf_Vernaux of_need;
    GElf_Verdef offer;
    GElf_Verdaux of_offer;
    for (int at = 0; data && s->sh_type == SHT_GNU_verneed && gelf_getverneed(data, at, &need);) {
        note(p, first, need.vn_file);
        for (int aux = at + (int)need.vn_aux; gelf_getvernaux(data, aux, &of_need);
             aux += (int)of_need.vna_next) {
            note(p, first, of_need.vna_name);
            if (!of_need.vna_next)
                break;
        }
        if (!need.vn_next)
            break;
        at += (int)need.vn_next;
    }
    for (int at = 0; data && s->sh_type == SHT_GNU_verdef && gelf_getverdef(data, at, &offer);) {
        for (int aux = at + (int)offer.vd_aux; gelf_getverdaux(data, aux, &of_offer);
             aux += (int)of_offer.vda_next) {
            note(p, first, of_offer.vda_name);
            if (!of_offer.vda_next)
                break;
        }
        if (!offer.vd_next)
            break;
        at += (int)offer.vd_next;
    }
}

/* How many bytes of the text nobody else begins in. */
static size_t find_room(const place *p, const obb_text *file)
{
    size_t first = p->text + strlen(file->bytes + p->strings + p->text) + 1;
    Elf_Scn *scn = NULL;
    GElf_Shdr s;
    GElf_Dyn d;
    while ((scn = elf_nextscn(p->elf, scn))) {
        if (!gelf_getshdr(scn, &s))
            continue;
        if (s.sh_type == SHT_DYNSYM)
            note_symbols(p, scn, &s, &first);
        else if (s.sh_type == SHT_GNU_verneed || s.sh_type == SHT_GNU_verdef)
            note_versions(p, scn, &s, &first);
        Elf_Data *data = s.sh_type == SHT_DYNAMIC ? elf_getdata(scn, NULL) : NULL;
        for (int i = 0; data && i < (int)p->count; i++)
            if (gelf_getdyn(data, i, &d) && (d.d_tag == DT_NEEDED || d.d_tag == DT_SONAME ||
                                             d.d_tag == DT_RPATH || d.d_tag == DT_RUNPATH))
                note(p, &first, d.d_un.d_val);
    }
    return first - p->text;
}

const char *obb_run_path_write(obb_text *file, const char *run_path)
{
    place p;
    if (!open_place(&p, file))
        return "it has none";
    size_t room = find_room(&p, file), length = strlen(run_path);
    char *text = file->bytes + p.strings + p.text, *entries = file->bytes + p.entries;
    elf_end(p.elf);
    if (length >= room)
        return "there is no room for it in the file";
    memset(text, 0, room);
    memcpy(text, run_path, length);
    if (!length) { /* the entries behind it move up; the last one ends the list */
        size_t next = (p.which + 1) * p.entry_size, end = p.count * p.entry_size;
        memmove(entries + next - p.entry_size, entries + next, end - next);
        memset(entries + end - p.entry_size, 0, p.entry_size);
    }
    return NULL;
}
