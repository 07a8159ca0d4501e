/* Debian packages (pack.h): deb(5), deb-control(5), Debian Policy 4.7. */
#include <ctype.h>
#include <errno.h>
#include <nettle/md5.h>
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "base/process.h"
#include "delivery/debian_needs.h"
#include "delivery/pack.h"
#include "image/elf.h"

/* One package while it is made. */
typedef struct package {
    const obb_packing *p;
    const char *name, *architecture, *maintainer, *version;
    obb_members members, control;
    obb_words ours;         /* sonames of libraries that are in it */
    obb_text interfaces;    /* the shlibs file */
    bool libraries;         /* some lie where the dynamic linker looks by itself */
    bool compiled;          /* something in it is for a machine */
    bool failed;
} package;

static void fail(package *k, obb_place place, const char *message, const char *word, const char *hint)
{
    obb_diag *d = obb_error(k->p->input->diags, OBB_FAULT_DESCRIPTION, place, message, word);
    if (hint)
        obb_hint(k->p->input->diags, d, "%s", hint);
    k->failed = true;
}

/* --- names -------------------------------------------------------------------------- */

/* Lower case letters, digits, and + - . (Policy 5.6.1). */
static const char *package_name(obb_arena *arena, const char *name)
{
    char *copy = obb_arena_string(arena, name);
    for (char *c = copy; *c; c++)
        *c = isalnum((unsigned char)*c) ? (char)tolower((unsigned char)*c) : strchr("+-.", *c) ? *c : '-';
    return copy;
}

static const char *architecture_of(const char *triplet)
{
    static const struct { const char *begin, *inside, *name;
    } known[] = {{"x86_64", "", "amd64"},        {"aarch64", "", "arm64"},       {"arm", "eabihf", "armhf"},
                 {"arm", "eabi", "armel"},       {"i", "86-", "i386"},           {"riscv64", "", "riscv64"},
                 {"powerpc64le", "", "ppc64el"}, {"ppc64le", "", "ppc64el"},     {"s390x", "", "s390x"},
                 {"mips64el", "", "mips64el"},   {"loongarch64", "", "loong64"}, {"sparc64", "", "sparc64"}};
    for (size_t i = 0; i < sizeof known / sizeof *known; i++)
        if (obb_starts(triplet, known[i].begin) && strstr(triplet, known[i].inside))
            return known[i].name;
    return NULL;
}

static void find_name(package *k)
{
    const obb_packing *p = k->p;
    k->name = package_name(p->arena, p->delivery->name);
    k->version = p->input->plan->project->version;
    k->maintainer = p->delivery->maintainer ? p->delivery->maintainer : p->input->plan->project->maintainer;
}

/* When it is known whether something in it is compiled. */
static void check_names(package *k)
{
    const obb_packing *p = k->p;
    const obb_project *project = p->input->plan->project;
    const obb_plan_variant *in = p->input->in;
    obb_diags *ignored = obb_diags_new();
    const obb_tool *tool = obb_toolchain_need(in->toolchain, OBB_TOOL_C, "deb", OBB_NOWHERE, ignored);
    obb_diags_free(ignored);
    k->architecture = k->compiled ? tool ? architecture_of(tool->target) : NULL : "all";
    if (strcmp(obb_variant_value(in->variant, OBB_AXIS_OS), "linux") != 0 && k->compiled)
        fail(k, p->delivery->place, "%s is not a system that installs Debian packages", in->variant->name,
             "pack it as tar.gz or zip");
    else if (!k->architecture)
        fail(k, p->delivery->place, "no Debian architecture is known for %s",
             tool ? tool->target : in->variant->name, NULL);
    if (!isdigit((unsigned char)*k->version))
        fail(k, project->place,
             "a Debian package needs a version that begins with a digit, and `%s` has none", project->name,
             "state it: project NAME { version 1.0 }");
    if (!strchr(k->maintainer, '<') || !strchr(k->maintainer, '@'))
        fail(k, p->delivery->place, "a Debian package names who maintains it, and `%s` does not",
             p->delivery->name, "state it, in the delivery or the project: maintainer \"NAME <ADDRESS>\"");
    if (strlen(k->name) < 2)
        fail(k, p->delivery->place, "`%s` is too short for the name of a Debian package", p->delivery->name,
             NULL);
}

/* --- what is in it ------------------------------------------------------------------ */

/* deb-shlibs(5): NAME VERSION PACKAGE, of libNAME.so.VERSION. */
static void note_library(package *k, const char *path, const char *soname)
{
    const char *so = strstr(soname, ".so");
    obb_arena_push(k->p->arena, &k->ours, soname);
    if (strcmp(obb_path_folder(k->p->arena, path),
               obb_path_join(k->p->arena, "usr", k->p->input->in->naming.libraries)) != 0 || !so)
        return;
    k->libraries = true;
    if (so[3] == '.')
        obb_text_format(&k->interfaces, "%.*s %s %s (>= %s)\n", (int)(so - soname), soname, so + 4, k->name,
                        k->version);
}

static void look_at(package *k, const char *path, const char *source)
{
    obb_elf_dynamic d = {0};
    const char *suffix = obb_path_suffix(path);
    k->compiled = k->compiled || strcmp(suffix, ".a") == 0;
    if (!obb_elf_read_dynamic(source, k->p->arena, &d))
        return;
    k->compiled = true;
    if (d.is_library && strstr(obb_path_name(path), ".so"))
        note_library(k, path, d.name ? d.name : obb_path_name(path));
}

/* Manuals are compressed (Policy 12.1). */
static void take_members(package *k)
{
    obb_members all = {0};
    k->failed = !obb_pack_members(k->p, "usr/", &all) || k->failed;
    for (size_t i = 0; i < all.count && !k->failed; i++) {
        obb_member m = all.at[i];
        if (obb_starts(m.path, "usr/share/man/") && !m.link && strcmp(obb_path_suffix(m.path), ".gz") != 0) {
            m.path = obb_arena_format(k->p->arena, "%s.gz", m.path);
            m.source = obb_pack_compressed(k->p, m.source, obb_arena_format(k->p->arena, "manual.%zu.gz", i));
            k->failed = !m.source;
        }
        k->compiled = k->compiled || (m.link && obb_starts(m.path, "usr/lib/")); /* to a library */
        if (!m.link && !k->failed)
            look_at(k, m.path, m.source);
        obb_arena_push(k->p->arena, &k->members, m);
    }
}

/* Policy 12.5, and 12.7. */
static void add_documents(package *k)
{
    const obb_packing *p = k->p;
    const obb_project *project = p->input->plan->project;
    const char *folder = obb_arena_format(p->arena, "usr/share/doc/%s", k->name);
    obb_text text = {0}, part = {0};
    obb_text_format(&text, "This is %s, made by obbligato from the project %s %s.\n\n", p->delivery->name,
                    project->name, project->version);
    if (*project->licence)
        obb_text_format(&text, "Licence: %s\n\n", project->licence);
    for (size_t i = 0; i < p->entries->count; i++) {
        const obb_entry *e = &p->entries->at[i];
        if (!obb_starts(e->what, "licence") || !e->source || obb_file_read(e->source, &part))
            continue;
        obb_text_format(&text, "%s:\n\n%s\n", e->what, obb_text_bytes(&part));
        obb_text_free(&part);
    }
    k->failed = !obb_pack_text(p, &k->members, obb_path_join(p->arena, folder, "copyright"), &text) ||
                k->failed;
    obb_text_free(&text);
    obb_text_format(
        &text,
        "%s (%s) unstable; urgency=medium\n\n  * Version %s.\n\n -- %s  Sat, 01 Jan 2000 00:00:00 +0000\n",
        k->name, k->version, k->version, k->maintainer);
    k->failed = !obb_pack_text(p, &k->members, obb_path_join(p->arena, folder, "changelog.gz"), &text) ||
                k->failed;
    obb_member *last = &k->members.at[k->members.count - 1];
    last->source = k->failed ? NULL : obb_pack_compressed(p, last->source, "changelog.gz");
    k->failed = !last->source;
    obb_text_free(&text);
}

static int by_path(const void *a, const void *b)
{
    return strcmp(((const obb_member *)a)->path, ((const obb_member *)b)->path);
}

/* --- what it needs ------------------------------------------------------------------ */

static bool is_ours(const package *k, const char *library)
{
    bool any = false;
    for (size_t i = 0; i < k->ours.count && !any; i++)
        any = strcmp(k->ours.at[i], library) == 0;
    return any;
}

static const char *depends_of(package *k)
{
    const obb_packing *p = k->p;
    const char *own = NULL;
    obb_answer a = obb_ask((const char *const[]){"dpkg", "--print-architecture", NULL}, "");
    if (!a.failed && !a.status)
        own = obb_arena_copy(p->arena, obb_text_bytes(&a.out), strcspn(obb_text_bytes(&a.out), "\n"));
    obb_answer_free(&a);
    obb_debian_needs needs = {.arena = p->arena, .architecture = k->architecture,
                              .native = own && strcmp(own, k->architecture) == 0};
    for (size_t i = 0; i < k->members.count; i++) {
        obb_elf_dynamic d = {0};
        obb_words others = {0}, symbols = {0};
        if (k->members.at[i].link || !obb_elf_read_dynamic(k->members.at[i].source, p->arena, &d))
            continue;
        for (size_t n = 0; n < d.needed.count; n++)
            if (!is_ours(k, d.needed.at[n]))
                obb_arena_push(p->arena, &others, d.needed.at[n]);
        obb_elf_wanted_symbols(k->members.at[i].source, p->arena, &symbols);
        obb_debian_add_needs(&needs, &others, &symbols);
    }
    const char *text = obb_debian_depends(&needs);
    for (size_t i = 0; i < p->needs.count; i++)
        text = obb_arena_format(p->arena, "%s%s%s (= %s)", text, *text ? ", " : "",
                                package_name(p->arena, p->needs.at[i]), k->version);
    for (size_t i = 0; i < p->delivery->depends.count; i++)
        text = obb_arena_format(p->arena, "%s%s%s", text, *text ? ", " : "", p->delivery->depends.at[i].text);
    for (size_t i = 0; i < needs.unknown.count && !p->needs.count; i++)
        obb_hint(p->input->diags,
                 obb_warn(p->input->diags, p->delivery->place,
                          "no installed package for %s has %s, which `%s` needs", k->architecture,
                          needs.unknown.at[i], p->delivery->name),
                 "install it, or state it: depends PACKAGE");
    return text;
}

/* --- control files ------------------------------------------------------------------ */

static bool add_sums(package *k, uint64_t *kib)
{
    obb_text sums = {0};
    bool done = true;
    for (size_t i = 0; i < k->members.count; i++) {
        struct md5_ctx context;
        uint8_t digest[MD5_DIGEST_SIZE];
        obb_text text = {0};
        const obb_member *m = &k->members.at[i];
        *kib += 1;
        if (m->link)
            continue;
        done = !obb_file_read(m->source, &text) && done;
        *kib += text.length / 1024;
        md5_init(&context);
        if (text.length)
            md5_update(&context, text.length, (const uint8_t *)text.bytes);
        md5_digest(&context, sizeof digest, digest);
        obb_text_free(&text);
        for (size_t b = 0; b < sizeof digest; b++)
            obb_text_format(&sums, "%02x", digest[b]);
        obb_text_format(&sums, "  %s\n", m->path);
    }
    done = obb_pack_text(k->p, &k->control, "md5sums", &sums) && done;
    obb_text_free(&sums);
    return done;
}

/* The longer description: each line begins with a blank (Policy 5.6.13). */
static void add_description(const package *k, obb_text *text)
{
    const obb_packing *p = k->p;
    const obb_project *project = p->input->plan->project;
    const char *summary = p->delivery->summary && *p->delivery->summary ? p->delivery->summary
                                                                        : project->summary;
    const char *more = p->delivery->description;
    if (!*summary)
        summary = obb_arena_format(p->arena, "programs and files of the project %s", project->name);
    obb_text_format(text, "Description: %s\n ", summary);
    if (!more)
        more = obb_arena_format(p->arena, "%s, a part of the project %s.", p->delivery->name, project->name);
    for (const char *c = more; *c; c++) {
        obb_text_char(text, *c);
        if (*c == '\n')
            obb_text_string(text, c[1] == '\n' || !c[1] ? " ." : " ");
    }
    obb_text_char(text, '\n');
}

static void add_control(package *k)
{
    uint64_t kib = 0;
    obb_text text = {0};
    k->failed = !add_sums(k, &kib) || k->failed;
    const char *depends = k->failed ? "" : depends_of(k);
    obb_text_format(&text,
                    "Package: %s\nVersion: %s\nArchitecture: %s\nMaintainer: %s\nInstalled-Size: %llu\n",
                    k->name, k->version, k->architecture, k->maintainer, (unsigned long long)kib);
    if (*depends)
        obb_text_format(&text, "Depends: %s\n", depends);
    obb_text_string(&text, "Section: misc\nPriority: optional\n");
    add_description(k, &text);
    k->failed = !obb_pack_text(k->p, &k->control, "control", &text) || k->failed;
    obb_text_free(&text);
    if (k->libraries) {
        obb_text_string(&text, "activate-noawait ldconfig\n");
        k->failed = !obb_pack_text(k->p, &k->control, "triggers", &text) || k->failed;
        obb_text_free(&text);
    }
    if (k->interfaces.length)
        k->failed = !obb_pack_text(k->p, &k->control, "shlibs", &k->interfaces) || k->failed;
}

/* The parts of an archive of packages begin with a dot (deb(5)). */
static const obb_members *dotted(const package *k, obb_members *members)
{
    for (size_t i = 0; i < members->count; i++)
        members->at[i].path = obb_arena_format(k->p->arena, "./%s", members->at[i].path);
    return members;
}

const char *obb_pack_deb(const obb_packing *p)
{
    package k = {.p = p};
    obb_members parts = {0};
    obb_text format = {0};
    const char *made = NULL;
    find_name(&k);
    take_members(&k);
    check_names(&k);
    if (!k.failed)
        add_documents(&k);
    if (!k.failed && k.members.count)
        qsort(k.members.at, k.members.count, sizeof *k.members.at, by_path);
    if (!k.failed)
        add_control(&k);
    const char *control = k.failed
                              ? NULL
                              : obb_pack_archive(p, "tar.xz", "control.tar.xz", true, dotted(&k, &k.control));
    const char *data = control ? obb_pack_archive(p, "tar.xz", "data.tar.xz", true, dotted(&k, &k.members))
                               : NULL;
    obb_text_string(&format, "2.0\n");
    if (data && obb_pack_text(p, &parts, "debian-binary", &format)) {
        obb_arena_push(p->arena, &parts, (obb_member){.path = "control.tar.xz", .source = control});
        obb_arena_push(p->arena, &parts, (obb_member){.path = "data.tar.xz", .source = data});
        made = obb_pack_archive(p, "ar", "package.deb", false, &parts);
    }
    obb_text_free(&format);
    obb_text_free(&k.interfaces);
    return made ? obb_pack_finish(p, made,
                                  obb_arena_format(p->arena, "%s_%s_%s.deb", k.name, k.version,
                                                   k.architecture))
                : NULL;
}
