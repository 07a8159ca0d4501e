/* Writing images (image.h): chunks by address from an ELF file or from segments, sorted, checked for
 * overlap, gaps filled, then one of three writers.
 *
 * The chunks are complete and in order of address before anything is written, and the file is written in one
 * go. */
#include "image/image.h"

#include <errno.h>
#include <stdlib.h>
#include <string.h>

#include "base/files.h"
#include "base/path.h"
#include "image/elf.h"

enum { RECORD_BYTES = 16 };
static const uint64_t most_bytes = (uint64_t)256 << 20;

/* Bytes at an address; in order of addresses when they are complete. */
typedef struct chunk {
    uint64_t address, length;
    const unsigned char *bytes; /* NULL: all are the fill byte */
    const char *name;
} chunk;

typedef OBB_VEC(chunk) chunks;

/* --- gathering ---------------------------------------------------------------------- */

static int by_address(const void *a, const void *b)
{
    const chunk *x = a, *y = b;
    return x->address < y->address ? -1 : x->address > y->address;
}

static const char *take_program(const char *path, chunks *list, uint64_t *entry, obb_arena *arena)
{
    const char *wrong = NULL;
    const obb_elf *elf = obb_elf_read(path, arena, &wrong);
    if (!elf)
        return wrong;
    *entry = elf->entry;
    for (size_t i = 0; i < elf->sections.count; i++) {
        const obb_elf_section *s = &elf->sections.at[i];
        if (s->has_contents)
            obb_arena_push(arena, list, (chunk){s->load_address, s->size, s->bytes, s->name});
    }
    return list->count ? NULL : obb_arena_format(arena, "%s has nothing to load", path);
}

static const char *take_segments(const obb_image_recipe *recipe, chunks *list, obb_arena *arena)
{
    for (size_t i = 0; i < recipe->segments.count; i++) {
        const obb_image_segment *segment = &recipe->segments.at[i];
        obb_text text = {0};
        int failed = obb_file_read(segment->path, &text);
        bool fits = !segment->room || text.length <= segment->room;
        if (!failed && fits && text.length)
            obb_arena_push(arena, list,
                           (chunk){segment->offset, text.length,
                                   (const unsigned char *)obb_arena_copy(arena, text.bytes, text.length),
                                   segment->path});
        size_t length = text.length;
        obb_text_free(&text);
        if (failed)
            return obb_arena_format(arena, "cannot read %s: %s", segment->path, strerror(failed));
        if (!fits)
            return obb_arena_format(arena, "%s has %zu bytes, and the region that it is placed in %llu",
                                    segment->path, length, (unsigned long long)segment->room);
    }
    return NULL;
}

static const char *check_overlaps(const chunks *list, obb_arena *arena)
{
    for (size_t i = 1; i < list->count; i++) {
        const chunk *a = &list->at[i - 1], *b = &list->at[i];
        if (a->address + a->length > b->address)
            return obb_arena_format(arena, "%s (0x%llx to 0x%llx) and %s (from 0x%llx) overlap", a->name,
                                    (unsigned long long)a->address,
                                    (unsigned long long)(a->address + a->length - 1), b->name,
                                    (unsigned long long)b->address);
    }
    return NULL;
}

/* Where the raw form begins. */
static uint64_t start_of(const obb_image_recipe *recipe, const chunks *list)
{
    return recipe->program ? list->at[0].address : recipe->addressed ? recipe->address : 0;
}

/* Gaps become chunks of their own, so that records start anew there. */
static void fill_gaps(const obb_image_recipe *recipe, chunks *list, obb_arena *arena)
{
    chunks all = {0};
    uint64_t start = list->count ? start_of(recipe, list) : 0;
    for (size_t i = 0; i < list->count; i++) {
        const chunk *before = all.count ? &all.at[all.count - 1] : NULL;
        uint64_t end = before ? before->address + before->length : start;
        if (end < list->at[i].address && recipe->fill_stated)
            obb_arena_push(arena, &all, (chunk){end, list->at[i].address - end, NULL, "the gap"});
        obb_arena_push(arena, &all, list->at[i]);
    }
    uint64_t end = all.count ? all.at[all.count - 1].address + all.at[all.count - 1].length : start;
    if (end - start < recipe->pad_to)
        obb_arena_push(arena, &all, (chunk){end, recipe->pad_to - (end - start), NULL, "the padding"});
    *list = all;
}

static const char *check_length(const obb_image_recipe *recipe, const chunks *list, obb_arena *arena)
{
    uint64_t start = start_of(recipe, list);
    const chunk *last = &list->at[list->count - 1];
    uint64_t length = last->address + last->length - start;
    if (recipe->pad_to && length > recipe->pad_to)
        return obb_arena_format(arena, "the image has %llu bytes and must not have more than %llu (pad-to)",
                                (unsigned long long)length, (unsigned long long)recipe->pad_to);
    if (recipe->format != OBB_IMAGE_BIN && last->address + last->length - 1 > 0xffffffff)
        return obb_arena_format(arena, "%s lies above 4 GiB, which the format cannot say", last->name);
    if (length > most_bytes && recipe->format == OBB_IMAGE_BIN)
        return obb_arena_format(arena,
                                "from %s at 0x%llx to %s at 0x%llx a raw image would have %llu MiB; give "
                                "%s a load address beside the rest (AT> in the linker script)",
                                list->at[0].name, (unsigned long long)list->at[0].address, last->name,
                                (unsigned long long)last->address, (unsigned long long)(length >> 20),
                                last->name);
    return NULL;
}

/* --- writing ------------------------------------------------------------------------ */

static unsigned char byte_at(const obb_image_recipe *recipe, const chunk *c, uint64_t i)
{
    return c->bytes ? c->bytes[i] : (unsigned char)recipe->fill;
}

static void write_bin(const obb_image_recipe *recipe, const chunks *list, obb_text *out)
{
    uint64_t at = start_of(recipe, list);
    for (size_t i = 0; i < list->count; i++) {
        const chunk *c = &list->at[i];
        for (; at < c->address; at++)
            obb_text_char(out, (char)recipe->fill);
        if (c->bytes)
            obb_text_add(out, c->bytes, (size_t)c->length);
        for (uint64_t k = 0; !c->bytes && k < c->length; k++)
            obb_text_char(out, (char)recipe->fill);
        at += c->length;
    }
}

static void hex_byte(obb_text *out, unsigned byte, unsigned *sum)
{
    obb_text_format(out, "%02X", byte & 0xff);
    *sum += byte & 0xff;
}

static void hex_record(obb_text *out, unsigned type, unsigned address, const unsigned char *bytes,
                       unsigned count)
{
    unsigned sum = 0;
    obb_text_char(out, ':');
    hex_byte(out, count, &sum);
    hex_byte(out, address >> 8, &sum);
    hex_byte(out, address, &sum);
    hex_byte(out, type, &sum);
    for (unsigned i = 0; i < count; i++)
        hex_byte(out, bytes[i], &sum);
    hex_byte(out, 0x100 - (sum & 0xff), &sum);
    obb_text_string(out, "\r\n");
}

static void hex_word(obb_text *out, unsigned type, unsigned word)
{
    unsigned char bytes[] = {(unsigned char)(word >> 8), (unsigned char)word};
    hex_record(out, type, 0, bytes, 2);
}

/* The base that makes an address fit 16 bits: a segment below 1 MiB, else an upper half. */
static void hex_base(obb_text *out, uint64_t address, uint64_t *segment, uint64_t *upper)
{
    if (address >= *segment + *upper && address <= *segment + *upper + 0xffff)
        return;
    if (address <= 0xfffff && !*upper) {
        *segment = address & 0xf0000;
        hex_word(out, 2, (unsigned)(*segment >> 4));
        return;
    }
    if (*segment) /* a segment left standing would be added by some readers */
        hex_word(out, 2, 0);
    *segment = 0;
    *upper = address & 0xffff0000;
    hex_word(out, 4, (unsigned)(*upper >> 16));
}

static void write_hex(const obb_image_recipe *recipe, const chunks *list, uint64_t entry, obb_text *out)
{
    uint64_t segment = 0, upper = 0;
    for (size_t i = 0; i < list->count; i++) {
        const chunk *c = &list->at[i];
        for (uint64_t at = 0; at < c->length;) {
            unsigned char bytes[RECORD_BYTES];
            uint64_t address = c->address + at;
            hex_base(out, address, &segment, &upper);
            unsigned low = (unsigned)(address - segment - upper), n = RECORD_BYTES;
            if (c->length - at < n)
                n = (unsigned)(c->length - at);
            if (low + n > 0x10000)
                n = 0x10000 - low;
            for (unsigned k = 0; k < n; k++)
                bytes[k] = byte_at(recipe, c, at + k);
            hex_record(out, 0, low, bytes, n);
            at += n;
        }
    }
    if (entry) {
        bool far = entry > 0xfffff;
        unsigned char start[] = {(unsigned char)(far ? entry >> 24 : (entry & 0xf0000) >> 12),
                                 (unsigned char)(far ? entry >> 16 : 0), (unsigned char)(entry >> 8),
                                 (unsigned char)entry};
        hex_record(out, far ? 5 : 3, 0, start, 4);
    }
    hex_record(out, 1, 0, NULL, 0);
}

static void s_record(obb_text *out, unsigned type, unsigned address_bytes, uint64_t address,
                     const unsigned char *bytes, unsigned count)
{
    unsigned sum = 0;
    obb_text_format(out, "S%u", type);
    hex_byte(out, address_bytes + count + 1, &sum);
    for (unsigned i = address_bytes; i-- > 0;)
        hex_byte(out, (unsigned)(address >> (8 * i)), &sum);
    for (unsigned i = 0; i < count; i++)
        hex_byte(out, bytes[i], &sum);
    hex_byte(out, 0xff - (sum & 0xff), &sum);
    obb_text_string(out, "\r\n");
}

static void write_srec(const obb_image_recipe *recipe, const chunks *list, uint64_t entry, const char *name,
                       obb_text *out)
{
    const chunk *last = &list->at[list->count - 1];
    uint64_t highest = last->address + last->length - 1;
    unsigned type = highest <= 0xffff ? 1 : highest <= 0xffffff ? 2 : 3;
    size_t length = strlen(name);
    s_record(out, 0, 2, 0, (const unsigned char *)name, (unsigned)(length > 40 ? 40 : length));
    for (size_t i = 0; i < list->count; i++) {
        const chunk *c = &list->at[i];
        for (uint64_t at = 0; at < c->length; at += RECORD_BYTES) {
            unsigned char bytes[RECORD_BYTES];
            unsigned n = c->length - at < RECORD_BYTES ? (unsigned)(c->length - at) : RECORD_BYTES;
            for (unsigned k = 0; k < n; k++)
                bytes[k] = byte_at(recipe, c, at + k);
            s_record(out, type, type + 1, c->address + at, bytes, n);
        }
    }
    s_record(out, 10 - type, type + 1, entry, NULL, 0);
}

/* What is in it, in order of address. */
static const char *gather(const obb_image_recipe *recipe, chunks *list, uint64_t *entry, obb_arena *arena)
{
    const char *wrong = recipe->program ? take_program(recipe->program, list, entry, arena)
                                        : take_segments(recipe, list, arena);
    if (wrong)
        return wrong;
    if (list->count)
        qsort(list->at, list->count, sizeof *list->at, by_address);
    return check_overlaps(list, arena);
}

const char *obb_image_lay_out(const obb_image_recipe *recipe, obb_arena *arena, obb_image_layout *layout)
{
    chunks list = {0};
    uint64_t entry;
    const char *wrong = gather(recipe, &list, &entry, arena);
    if (wrong || !list.count)
        return wrong ? wrong : "the image would be empty";
    layout->start = start_of(recipe, &list);
    layout->addressed = recipe->program || recipe->addressed;
    uint64_t at = layout->start;
    for (size_t i = 0; i < list.count; i++) {
        const chunk *c = &list.at[i];
        if (c->address > at)
            obb_arena_push(arena, &layout->parts, ((obb_image_part){NULL, at, c->address - at, false}));
        obb_arena_push(arena, &layout->parts, ((obb_image_part){c->name, c->address, c->length, false}));
        at = c->address + c->length;
    }
    if (at - layout->start < recipe->pad_to)
        obb_arena_push(arena, &layout->parts,
                       ((obb_image_part){NULL, at, recipe->pad_to - (at - layout->start), true}));
    layout->length = recipe->pad_to > at - layout->start ? recipe->pad_to : at - layout->start;
    return NULL;
}

const char *obb_image_make(const obb_image_recipe *recipe, const char *path, const char *name,
                           obb_arena *arena)
{
    chunks list = {0};
    uint64_t entry = 0;
    const char *wrong = gather(recipe, &list, &entry, arena);
    if (wrong)
        return wrong;
    fill_gaps(recipe, &list, arena);
    wrong = list.count ? check_length(recipe, &list, arena) : "the image would be empty";
    if (wrong)
        return wrong;
    obb_text out = {0};
    if (recipe->format == OBB_IMAGE_BIN)
        write_bin(recipe, &list, &out);
    else if (recipe->format == OBB_IMAGE_HEX)
        write_hex(recipe, &list, entry, &out);
    else
        write_srec(recipe, &list, entry, name, &out);
    int failed = obb_file_write(path, out.bytes, out.length, NULL);
    obb_text_free(&out);
    return failed ? obb_arena_format(arena, "cannot write %s: %s", path, strerror(failed)) : NULL;
}
