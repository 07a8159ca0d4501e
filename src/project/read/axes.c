/* The axes that are built in, and those that a description adds.
 *
 * Built-in axes come first, in a fixed order, and have the lowest numbers. Values of other machines'
 * processors and systems are open: a platform may state new ones. */
#include <ctype.h>
#include <string.h>
#include <sys/utsname.h>

#include "project/read/reader.h"

static const char *const os_values[] = {"none",    "linux",   "macos",  "windows",
                                        "freebsd", "openbsd", "netbsd", NULL};
static const char *const cpu_values[] = {
    "x86_64", "x86", "aarch64", "arm", "cortex-m0", "cortex-m0+", "cortex-m3", "cortex-m4", "cortex-m7",
    "cortex-m23", "cortex-m33", "riscv32", "riscv64", "avr", "mcs51", "msp430", "mips", "powerpc",
    "powerpc64", "s390x", "sparc64", "xtensa", NULL};
static const char *const libc_values[] = {"none", "glibc", "musl", "newlib", "picolibc", "avr-libc",
                                          "msvcrt", "bsd", NULL};
static const char *const endian_values[] = {"little", "big", NULL};
static const char *const family_values[] = {"gcc", "clang", "custom", NULL};
static const char *const no_values[] = {NULL};

static const char *const switch_values[] = {"off", "on", NULL};

static const struct built_in {
    const char *name, *summary, *initial;
    const char *const *values;
    bool open, found_out;
} built_in[OBB_AXIS_BUILT_IN] = {
    [OBB_AXIS_OS] = {"os", "the operating system; none: there is none", NULL, os_values, false, false},
    [OBB_AXIS_CPU] = {"cpu", "the processor", NULL, cpu_values, true, false},
    [OBB_AXIS_LIBC] = {"libc", "the C library", NULL, libc_values, true, false},
    [OBB_AXIS_ENDIAN] = {"endian", "the order of bytes in a word", "little", endian_values, false, false},
    [OBB_AXIS_FAMILY] = {"family", "the family of the toolchain", NULL, family_values, false, true},
    [OBB_AXIS_CONFIGURATION] = {"configuration", "the way to build", NULL, no_values, false, true},
    [OBB_AXIS_PLATFORM] = {"platform", "the machine to build for", NULL, no_values, false, true},
    [OBB_AXIS_HOST_OS] = {"host.os", "the operating system of this machine", NULL, os_values, true, true},
    [OBB_AXIS_HOST_CPU] = {"host.cpu", "the processor of this machine", NULL, cpu_values, true, true},
    [OBB_AXIS_COVERAGE] = {"coverage", "whether programs count which of their lines run", "off",
                           switch_values, false, false},
};

static const char *gcc_family(void *self)
{
    (void)self;
    return "gcc";
}

static const char *known_os(const char *sysname)
{
    static const char *const names[] = {"Linux", "linux", "Darwin", "macos", "FreeBSD", "freebsd",
                                        "OpenBSD", "openbsd", "NetBSD", "netbsd", NULL};
    for (const char *const *n = names; *n; n += 2)
        if (strcmp(n[0], sysname) == 0)
            return n[1];
    return "linux";
}

const char *obb_cpu_of(const char *machine)
{
    static const char *const others[] = {"amd64", "x86_64", "i386", "x86", "i486", "x86", "i586", "x86",
                                         "i686", "x86", "arm64", "aarch64", "armv6l", "arm", "armv7l", "arm",
                                         "ppc64le", "powerpc64", NULL};
    for (const char *const *n = others; *n; n += 2)
        if (strcmp(n[0], machine) == 0)
            return n[1];
    for (const char *const *n = cpu_values; *n; n++)
        if (strcmp(*n, machine) == 0)
            return *n;
    return "";
}

const obb_host *obb_host_here(void)
{
    static obb_host host;
    static const union { uint16_t word; unsigned char bytes[2]; } order = {1};
    struct utsname name;
    bool known = uname(&name) >= 0;
    host = (obb_host){.os = known ? known_os(name.sysname) : "linux",
                      .cpu = known ? obb_cpu_of(name.machine) : "",
                      .endian = order.bytes[0] ? "little" : "big",
                      .family = gcc_family};
#if defined __GLIBC__
    host.libc = "glibc";
#else
    host.libc = strcmp(host.os, "linux") == 0 ? "musl" : "bsd";
#endif
    return &host;
}

obb_axis *obb_axis_or_fault(obb_reader *r, const char *name, obb_place place)
{
    obb_axis *axis = obb_find_axis_in(r->project, place.scope, name);
    if (!axis)
        obb_no_such_axis(r->project, name, place, r->diags);
    return axis;
}

/* The letters and digits of a name, in small letters; or its digits alone. */
static char *bare(obb_arena *arena, const char *name, bool digits)
{
    obb_text text = {0};
    obb_text_add(&text, "", 0);
    for (; *name; name++)
        if (isdigit((unsigned char)*name) || (!digits && isalpha((unsigned char)*name)))
            obb_text_char(&text, (char)tolower((unsigned char)*name));
    char *copy = obb_arena_string(arena, text.bytes);
    obb_text_free(&text);
    return copy;
}

void obb_check_new_value(obb_reader *r, const obb_axis *axis, const char *value, obb_place place)
{
    obb_words names = {0};
    const char *near = NULL;
    for (size_t i = 0; i < axis->values.count; i++) {
        if (strcmp(axis->values.at[i], value) == 0)
            return;
        if (strcmp(bare(r->arena, axis->values.at[i], false), bare(r->arena, value, false)) == 0)
            near = axis->values.at[i];
        obb_arena_push(r->arena, &names, axis->values.at[i]);
    }
    obb_arena_push(r->arena, &names, NULL);
    const char *like = near ? NULL : obb_nearest(value, names.at);
    if (like && strcmp(bare(r->arena, like, true), bare(r->arena, value, true)) ==
                    0) /* other numbers are other machines */
        near = like;
    if (!near)
        return;
    obb_diag *d = obb_warn(r->diags, place,
                           "`%s` is a new value of the axis `%s`, and similar to the known one `%s`", value,
                           axis->name, near);
    obb_hint(r->diags, d, "if that is intended, declare it: axis %s { values %s }", axis->name, value);
}

void obb_add_axis_value(obb_reader *r, obb_axis *axis, const char *value)
{
    for (size_t i = 0; i < axis->values.count; i++)
        if (strcmp(axis->values.at[i], value) == 0)
            return;
    obb_arena_push(r->arena, &axis->values, value);
}

/* --- reading ------------------------------------------------------------------------ */

static obb_axis *add_axis(obb_reader *r, const char *name)
{
    obb_axis *a = obb_arena_alloc(r->arena, sizeof *a);
    a->name = name;
    a->number = r->project->axes.count;
    obb_arena_push(r->arena, &r->project->axes, a);
    return a;
}

static void add_built_in(obb_reader *r)
{
    for (size_t i = 0; i < OBB_AXIS_BUILT_IN; i++) {
        const struct built_in *b = &built_in[i];
        obb_axis *a = add_axis(r, b->name);
        a->summary = b->summary;
        a->initial = b->initial;
        a->open = b->open;
        a->found_out = b->found_out;
        for (const char *const *v = b->values; *v; v++)
            obb_arena_push(r->arena, &a->values, *v);
    }
}

static void read_axis_item(obb_reader *r, obb_axis *a, const obb_item *item)
{
    obb_word value = obb_item_value(item);
    obb_word_list values;
    switch (item->vocable.id) {
    case OBB_W_SUMMARY: a->summary = value.text; break;
    case OBB_W_INITIAL:
        a->initial = value.text;
        a->initial_place = value.place;
        break;
    case OBB_W_MACRO:
        values = obb_item_values(r, item);
        a->define = value.text;
        a->define_in_header = values.count == 3 && strcmp(values.at[1].text, "in") == 0 &&
                              strcmp(values.at[2].text, "header") == 0;
        if (values.count != 1 && !a->define_in_header)
            obb_hint(r->diags, obb_reader_fault(r, item->head.place, "this `%s` is not complete", "define"),
                     "write: define TELEMETRY; or define TELEMETRY in header");
        break;
    default:
        values = obb_item_values(r, item);
        for (size_t i = 0; i < values.count; i++)
            if (obb_reader_name_ok(r, &values.at[i]))
                obb_add_axis_value(r, a, values.at[i].text);
    }
}

static void read_axis(obb_reader *r, const obb_item *item)
{
    obb_axis *a = obb_find_axis(r->project, item->name.text);
    bool own = !a || a->place.line;
    if (a && a->place.line) {
        obb_reader_twice(r, "axes", a->name, item->name.place, a->place);
        return;
    }
    if (a && a->found_out) {
        obb_reader_fault(r, item->name.place,
                         "the axis `%s` follows from the variant; nothing can be added to it", a->name);
        return;
    }
    if (!a)
        a = add_axis(r, item->name.text);
    a->place = item->name.place;
    obb_items items = obb_reader_items(r, item->block, OBB_IN_AXIS, NULL);
    for (size_t i = 0; i < items.count; i++)
        read_axis_item(r, a, &items.at[i]);
    if (own && !a->values.count)
        a->open = true;
    if (a->initial && !a->open && !obb_value_among(a->initial, &a->values))
        obb_barred_value(a, a->initial, a->initial_place, r->arena, r->diags);
    if (own && !a->initial) {
        obb_diag *d = obb_reader_fault(r, a->place, "the axis `%s` has no default", a->name);
        obb_hint(r->diags, d, "state one: default VALUE; every variant then has a value");
    }
}

void obb_read_axes(obb_reader *r, obb_items *top)
{
    add_built_in(r);
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_AXIS && top->at[i].block &&
            obb_reader_name_ok(r, &top->at[i].name))
            read_axis(r, &top->at[i]);
}
