/* Reading ELF by libelf into plain arrays (elf.h). A file that is not sound gives a message, never a partial
 * result.
 *
 * Everything that is returned is copied out of libelf's memory, into the arena. Indexes and offsets of the
 * file are checked before they are used. */
#include "image/elf.h"

#include <errno.h>
#include <fcntl.h>
#include <gelf.h>
#include <libelf.h>
#include <string.h>
#include <unistd.h>

static const struct { unsigned number; const char *name;
} machines[] = {{EM_386, "x86"},         {EM_X86_64, "x86-64"}, {EM_ARM, "ARM"},
                {EM_AARCH64, "AArch64"}, {EM_RISCV, "RISC-V"},  {EM_AVR, "AVR"},
                {EM_MIPS, "MIPS"},       {EM_PPC, "PowerPC"},   {EM_PPC64, "PowerPC 64"},
                {EM_68K, "68000"},       {EM_SPARC, "SPARC"},   {EM_SPARCV9, "SPARC V9"},
                {EM_S390, "S/390"},      {EM_MSP430, "MSP430"}, {EM_XTENSA, "Xtensa"}};

static const char *machine_name(obb_arena *arena, unsigned number)
{
    for (size_t i = 0; i < sizeof machines / sizeof *machines; i++)
        if (machines[i].number == number)
            return machines[i].name;
    return obb_arena_format(arena, "machine %u", number);
}

/* Where a section is loaded from: the segment that holds it says (gABI, Program Header:
 * p_paddr). A section with contents is found by its place in the file, another by address. */
static uint64_t load_address(Elf *e, const GElf_Shdr *s)
{
    size_t count = 0;
    GElf_Phdr p;
    elf_getphdrnum(e, &count);
    for (size_t i = 0; i < count; i++) {
        if (!gelf_getphdr(e, (int)i, &p) || p.p_type != PT_LOAD)
            continue;
        bool contents = s->sh_type != SHT_NOBITS;
        if (contents && s->sh_offset >= p.p_offset && s->sh_offset + s->sh_size <= p.p_offset + p.p_filesz &&
            s->sh_addr >= p.p_vaddr && s->sh_addr + s->sh_size <= p.p_vaddr + p.p_memsz)
            return p.p_paddr + (s->sh_offset - p.p_offset);
        if (!contents && s->sh_addr >= p.p_vaddr && s->sh_addr + s->sh_size <= p.p_vaddr + p.p_memsz)
            return p.p_paddr + (s->sh_addr - p.p_vaddr);
    }
    return s->sh_addr;
}

/* A copy of what belongs to the file's memory, which is unmapped afterwards. */
static const unsigned char *contents_of(Elf_Scn *scn, const GElf_Shdr *s, obb_arena *arena)
{
    Elf_Data *data = elf_rawdata(scn, NULL);
    if (!data || !data->d_buf || data->d_size < s->sh_size)
        return NULL;
    return (const unsigned char *)obb_arena_copy(arena, data->d_buf, (size_t)s->sh_size);
}

static void add_section(obb_elf *elf, Elf *e, Elf_Scn *scn, size_t names, obb_arena *arena)
{
    GElf_Shdr s;
    obb_elf_section section = {.index = (unsigned)elf_ndxscn(scn)};
    if (!gelf_getshdr(scn, &s))
        return;
    const char *name = elf_strptr(e, names, s.sh_name);
    section.name = obb_arena_string(arena, name ? name : "");
    section.address = s.sh_addr;
    section.size = s.sh_size;
    section.offset = s.sh_offset;
    section.file_size = s.sh_type == SHT_NOBITS ? 0 : s.sh_size;
    section.allocated = (s.sh_flags & SHF_ALLOC) && !(s.sh_flags & SHF_TLS && s.sh_type == SHT_NOBITS);
    section.writable = s.sh_flags & SHF_WRITE;
    section.executable = s.sh_flags & SHF_EXECINSTR;
    section.constants = s.sh_type == SHT_PROGBITS && !section.writable && !section.executable;
    section.has_contents = section.allocated && s.sh_type != SHT_NOBITS && s.sh_size;
    section.load_address = section.allocated ? load_address(e, &s) : s.sh_addr;
    obb_arena_push(arena, &elf->sections, section);
}

static void add_contents(obb_elf *elf, Elf *e, obb_arena *arena)
{
    for (size_t i = 0; i < elf->sections.count; i++) {
        obb_elf_section *section = &elf->sections.at[i];
        Elf_Scn *scn = elf_getscn(e, section->index);
        GElf_Shdr s;
        if (section->has_contents && (elf->is_program || section->constants) && scn && gelf_getshdr(scn, &s))
            section->bytes = contents_of(scn, &s, arena);
        section->has_contents = section->has_contents && (section->bytes || !elf->is_program);
    }
}

static void add_symbols(obb_elf *elf, Elf *e, Elf_Scn *scn, obb_arena *arena)
{
    GElf_Shdr s;
    const char *file = NULL;
    Elf_Data *data = elf_getdata(scn, NULL);
    if (!gelf_getshdr(scn, &s) || !data || !s.sh_entsize)
        return;
    int count = (int)(s.sh_size / s.sh_entsize);
    for (int i = 0; i < count; i++) {
        GElf_Sym sym;
        if (!gelf_getsym(data, i, &sym))
            continue;
        const char *name = elf_strptr(e, s.sh_link, sym.st_name);
        int type = GELF_ST_TYPE(sym.st_info);
        if (type == STT_FILE)
            file = name && *name ? obb_arena_string(arena, name) : NULL;
        if (type == STT_FILE || type == STT_SECTION || sym.st_shndx == SHN_UNDEF ||
            (sym.st_shndx >= SHN_LORESERVE && sym.st_shndx != SHN_COMMON) || !name || !*name)
            continue;
        bool global = GELF_ST_BIND(sym.st_info) != STB_LOCAL;
        /* ARM marks the state of functions in the lowest bit of their addresses */
        uint64_t address = type == STT_FUNC && strcmp(elf->machine, "ARM") == 0 ? sym.st_value & ~(uint64_t)1
                                                                                : sym.st_value;
        obb_arena_push(arena, &elf->symbols,
                       (obb_elf_symbol){obb_arena_string(arena, name), global ? NULL : file, address,
                                        sym.st_size, sym.st_shndx, global, type == STT_FUNC,
                                        type == STT_OBJECT});
    }
}

static obb_elf *read_sections(Elf *e, const char *path, obb_arena *arena)
{
    GElf_Ehdr header;
    size_t names;
    if (elf_kind(e) != ELF_K_ELF || !gelf_getehdr(e, &header) || elf_getshdrstrndx(e, &names))
        return NULL;
    obb_elf *elf = obb_arena_alloc(arena, sizeof *elf);
    elf->path = path;
    elf->is_program = header.e_type == ET_EXEC || header.e_type == ET_DYN;
    elf->wide = header.e_ident[EI_CLASS] == ELFCLASS64;
    elf->big_endian = header.e_ident[EI_DATA] == ELFDATA2MSB;
    elf->machine = machine_name(arena, header.e_machine);
    elf->entry = header.e_entry;
    for (Elf_Scn *scn = NULL; (scn = elf_nextscn(e, scn));)
        add_section(elf, e, scn, names, arena);
    return elf;
}

static obb_elf *read_elf(Elf *e, const char *path, obb_arena *arena)
{
    obb_elf *elf = read_sections(e, path, arena);
    if (!elf)
        return NULL;
    add_contents(elf, e, arena);
    for (Elf_Scn *scn = NULL; (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        if (gelf_getshdr(scn, &s) && s.sh_type == SHT_SYMTAB)
            add_symbols(elf, e, scn, arena);
    }
    return elf;
}

static Elf *open_elf(const char *path, int *fd)
{
    elf_version(EV_CURRENT);
    *fd = open(path, O_RDONLY | O_CLOEXEC);
    return *fd < 0 ? NULL : elf_begin(*fd, ELF_C_READ, NULL);
}

/* Also of one that could not be opened, or read. */
static void close_elf(Elf *e, int fd)
{
    if (e)
        elf_end(e);
    if (fd >= 0)
        close(fd);
}

static obb_elf *read_file(const char *path, obb_elf *(*read)(Elf *, const char *, obb_arena *),
                          obb_arena *arena, const char **wrong)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    if (fd < 0) {
        *wrong = obb_arena_format(arena, "cannot read %s: %s", path, strerror(errno));
        return NULL;
    }
    obb_elf *elf = e ? read(e, path, arena) : NULL;
    if (!elf)
        *wrong = obb_arena_format(arena, "%s is not an ELF file", path);
    close_elf(e, fd);
    return elf;
}

obb_elf *obb_elf_read(const char *path, obb_arena *arena, const char **wrong)
{
    return read_file(path, read_elf, arena, wrong);
}

obb_elf *obb_elf_read_sections(const char *path, obb_arena *arena, const char **wrong)
{
    return read_file(path, read_sections, arena, wrong);
}

bool obb_elf_each_member(const char *path, obb_arena *arena,
                         void (*take)(void *self, const char *member, const obb_elf *elf), void *self)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    if (!e) {
        close_elf(e, fd);
        return false;
    }
    bool archive = elf_kind(e) == ELF_K_AR;
    for (Elf *member = e; member; member = archive ? elf_begin(fd, ELF_C_READ, e) : NULL) {
        if (archive && member == e)
            continue;
        Elf_Arhdr *header = archive ? elf_getarhdr(member) : NULL;
        const obb_elf *elf = read_elf(member, path, arena);
        if (elf)
            take(self, header && header->ar_name ? obb_arena_string(arena, header->ar_name) : "", elf);
        if (!archive)
            break;
        elf_next(member);
        elf_end(member);
    }
    close_elf(e, fd);
    return true;
}

static void take_entry(Elf *e, const GElf_Shdr *s, const GElf_Dyn *d, obb_arena *arena,
                       obb_elf_dynamic *dynamic)
{
    bool named = d->d_tag == DT_NEEDED || d->d_tag == DT_SONAME || d->d_tag == DT_RPATH ||
                 d->d_tag == DT_RUNPATH;
    const char *name = named ? elf_strptr(e, s->sh_link, (size_t)d->d_un.d_val) : NULL;
    if (!name)
        return;
    char *copy = obb_arena_string(arena, name);
    if (d->d_tag == DT_NEEDED)
        obb_arena_push(arena, &dynamic->needed, copy);
    else if (d->d_tag == DT_SONAME)
        dynamic->name = copy;
    else if (d->d_tag == DT_RUNPATH || !dynamic->run_path)
        dynamic->run_path = copy;
}

bool obb_elf_read_dynamic(const char *path, obb_arena *arena, obb_elf_dynamic *dynamic)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    GElf_Ehdr header;
    *dynamic = (obb_elf_dynamic){0};
    bool ok = e && elf_kind(e) == ELF_K_ELF && gelf_getehdr(e, &header);
    for (Elf_Scn *scn = NULL; ok && (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        GElf_Dyn d;
        Elf_Data *data = gelf_getshdr(scn, &s) && s.sh_type == SHT_DYNAMIC && s.sh_entsize
                             ? elf_getdata(scn, NULL)
                             : NULL;
        dynamic->is_library = dynamic->is_library || (data && header.e_type == ET_DYN);
        for (int i = 0;
             data && (size_t)i < s.sh_size / s.sh_entsize && gelf_getdyn(data, i, &d) && d.d_tag != DT_NULL;
             i++)
            take_entry(e, &s, &d, arena, dynamic);
    }
    close_elf(e, fd);
    return ok;
}

const char *obb_elf_build_id(const char *path, obb_arena *arena)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    const char *id = NULL;
    for (Elf_Scn *scn = NULL; e && !id && (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        GElf_Nhdr note;
        size_t name, description;
        Elf_Data *data = gelf_getshdr(scn, &s) && s.sh_type == SHT_NOTE ? elf_getdata(scn, NULL) : NULL;
        for (size_t at = 0; data && (at = gelf_getnote(data, at, &note, &name, &description)) > 0 && !id;) {
            const unsigned char *bytes = (const unsigned char *)data->d_buf + description;
            if (note.n_type != NT_GNU_BUILD_ID || note.n_namesz != 4 ||
                memcmp((const char *)data->d_buf + name, "GNU", 4) != 0)
                continue;
            id = "";
            for (size_t i = 0; i < note.n_descsz; i++)
                id = obb_arena_format(arena, "%s%02x", id, bytes[i]);
        }
    }
    close_elf(e, fd);
    return id;
}

/* The name of a version that is needed, by its number (Linux Standard Base, Symbol Versioning). */
static const char *version_name(Elf *e, unsigned number)
{
    for (Elf_Scn *scn = NULL; (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        GElf_Verneed need;
        GElf_Vernaux aux;
        Elf_Data *data = gelf_getshdr(scn, &s) && s.sh_type == SHT_GNU_verneed ? elf_getdata(scn, NULL)
                                                                               : NULL;
        for (int at = 0, more = 1; data && more && gelf_getverneed(data, at, &need); at += more) {
            for (int k = at + (int)need.vn_aux, next = 1; next && gelf_getvernaux(data, k, &aux); k += next) {
                if ((aux.vna_other & 0x7fff) == number)
                    return elf_strptr(e, s.sh_link, aux.vna_name);
                next = (int)aux.vna_next;
            }
            more = (int)need.vn_next;
        }
    }
    return NULL;
}

static void take_wanted(Elf *e, Elf_Data *symbols, const GElf_Shdr *s, obb_arena *arena, obb_words *wanted)
{
    Elf_Data *versions = NULL;
    for (Elf_Scn *scn = NULL; !versions && (scn = elf_nextscn(e, scn));) {
        GElf_Shdr v;
        if (gelf_getshdr(scn, &v) && v.sh_type == SHT_GNU_versym)
            versions = elf_getdata(scn, NULL);
    }
    for (int i = 1; s->sh_entsize && (size_t)i < s->sh_size / s->sh_entsize; i++) {
        GElf_Sym symbol;
        GElf_Versym number = 0;
        if (!gelf_getsym(symbols, i, &symbol) || symbol.st_shndx != SHN_UNDEF)
            continue;
        const char *name = elf_strptr(e, s->sh_link, symbol.st_name);
        const char *version = versions && gelf_getversym(versions, i, &number) && (number & 0x7fff) > 1
                                  ? version_name(e, number & 0x7fff)
                                  : NULL;
        if (name && *name)
            obb_arena_push(arena, wanted, obb_arena_format(arena, "%s@%s", name, version ? version : "Base"));
    }
}

void obb_elf_wanted_symbols(const char *path, obb_arena *arena, obb_words *symbols)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    for (Elf_Scn *scn = NULL; e && (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        Elf_Data *data = gelf_getshdr(scn, &s) && s.sh_type == SHT_DYNSYM ? elf_getdata(scn, NULL) : NULL;
        if (data)
            take_wanted(e, data, &s, arena, symbols);
    }
    close_elf(e, fd);
}

static void take_name(Elf *e, const GElf_Shdr *s, const GElf_Sym *symbol, obb_arena *arena,
                      obb_elf_names *names)
{
    const char *name = elf_strptr(e, s->sh_link, symbol->st_name);
    bool local = GELF_ST_BIND(symbol->st_info) == STB_LOCAL;
    if (name && *name && !local)
        obb_arena_push(arena, symbol->st_shndx == SHN_UNDEF ? &names->wanted : &names->defined,
                       obb_arena_string(arena, name));
}

bool obb_elf_read_names(const char *path, obb_arena *arena, obb_elf_names *names)
{
    int fd;
    Elf *e = open_elf(path, &fd);
    GElf_Ehdr header;
    bool read = e && elf_kind(e) == ELF_K_ELF && gelf_getehdr(e, &header);
    unsigned kind = read && header.e_type == ET_DYN ? SHT_DYNSYM : SHT_SYMTAB;
    for (Elf_Scn *scn = NULL; read && (scn = elf_nextscn(e, scn));) {
        GElf_Shdr s;
        GElf_Sym symbol;
        Elf_Data *data = gelf_getshdr(scn, &s) && s.sh_type == kind ? elf_getdata(scn, NULL) : NULL;
        for (int i = 1; data && s.sh_entsize && (size_t)i < s.sh_size / s.sh_entsize; i++)
            if (gelf_getsym(data, i, &symbol))
                take_name(e, &s, &symbol, arena, names);
    }
    close_elf(e, fd);
    return read;
}
