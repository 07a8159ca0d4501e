/* A software bill of materials: what third-party code is in each program, in the form of SPDX 2.3 (ISO/IEC
 * 5962, as JSON; the numbers of clauses below are those of the specification).
 *
 * It comes from the graph: what a link reads is followed to the compiles, and what those read to the
 * third-party project in whose folder it lies. So headers alone count as well, and what is stated but not
 * used does not. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <time.h>

#include "base/path.h"
#include "base/sha256.h"
#include "report/report.h"

/* How much of a third-party project is in a product; more is stronger. */
typedef enum bond { NONE, HEADERS, SHARED, LINKED } bond;

typedef struct writer {
    const obb_dependency_table *table;
    const obb_project *project;
    obb_arena *arena;
    bond *bonds;          /* by third-party project, of the product that is looked at */
    bool *seen;           /* by action */
    bool *used;           /* by third-party project: by any product */
    json_t *packages, *relations;
} writer;

/* 3.2: letters, digits, dots and hyphens. */
static const char *identifier(writer *w, const char *kind, const char *name)
{
    char *id = obb_arena_format(w->arena, "SPDXRef-%s-%s", kind, name);
    for (char *c = id; *c; c++)
        if (!((*c >= 'a' && *c <= 'z') || (*c >= 'A' && *c <= 'Z') || (*c >= '0' && *c <= '9') || *c == '.' ||
              *c == '-'))
            *c = '-';
    return id;
}

static void relate(writer *w, const char *from, const char *how, const char *to, const char *comment)
{
    json_t *r = json_pack("{s:s,s:s,s:s}", "spdxElementId", from, "relationshipType", how,
                          "relatedSpdxElement", to);
    if (comment)
        json_object_set_new(r, "comment", json_string(comment));
    json_array_append_new(w->relations, r);
}

/* --- what is in a product ----------------------------------------------------------- */

static size_t index_of(const writer *w, const char *scope)
{
    size_t i = 0;
    while (i < w->project->thirdparty.count && strcmp(w->project->thirdparty.at[i]->name, scope) != 0)
        i++;
    return i;
}

static void note(writer *w, size_t other, bond how)
{
    if (w->bonds[other] < how)
        w->bonds[other] = how;
}

/* A file of a binary, or that a build of its own made: a library that is linked, or a header. */
static void note_made(writer *w, const char *scope, const char *path)
{
    bool shared = strstr(obb_path_name(path), ".so") || strcmp(obb_path_suffix(path), ".dylib") == 0;
    note(w, index_of(w, scope),
         obb_is_archive(path) || obb_is_object(path) ? LINKED
         : shared                                    ? SHARED
                                                     : HEADERS);
}

/* The project in whose folder a file lies; the innermost one counts. */
static void note_path(writer *w, const char *path)
{
    size_t which = 0, longest = 0;
    for (size_t i = 0; i < w->project->thirdparty.count; i++) {
        const obb_thirdparty *other = w->project->thirdparty.at[i];
        if (other->folder && strlen(other->folder) > longest && obb_path_within(path, other->folder)) {
            which = i;
            longest = strlen(other->folder);
        }
        for (size_t k = 0; k < other->prebuilts.count; k++)
            if (other->prebuilts.at[k]->folder && obb_path_within(path, other->prebuilts.at[k]->folder))
                note_made(w, other->name, path);
    }
    if (longest)
        note(w, which, HEADERS);
}

static void follow(writer *w, const obb_action *a, bond how)
{
    const obb_plan *plan = w->table->plan;
    const obb_dependencies *d = obb_dependencies_of(w->table, a);
    if (w->seen[a->number])
        return;
    w->seen[a->number] = true;
    if (a->target->place.scope && a->kind != OBB_RUN_STEP)
        note(w, index_of(w, a->target->place.scope), how);
    for (size_t i = 0; i < d->inputs.count; i++) {
        const obb_action *maker = obb_plan_maker(plan, d->inputs.at[i]);
        bool shared = maker && maker->kind == OBB_LINK_LIBRARY;
        if (maker && maker->kind == OBB_RUN_STEP && maker->target->place.scope)
            note_made(w, maker->target->place.scope, obb_files_path(plan->files, d->inputs.at[i]));
        note_path(w, obb_files_path(plan->files, d->inputs.at[i]));
        if (maker && (maker->kind != OBB_LINK_PROGRAM ||
                      a->kind == OBB_MAKE_IMAGE)) /* a tool of a step is not in it */
            follow(w, maker, shared ? SHARED : how);
    }
}

/* --- packages ----------------------------------------------------------------------- */

static json_t *text_or_none(const char *text)
{
    return text && *text ? obb_report_text(text) : json_string("NOASSERTION");
}

/* 7.7: where the package can be had from. */
static json_t *location(writer *w, const obb_thirdparty *other, const obb_lock_line *line)
{
    const char *from = line ? line->from : other->fetched ? other->from : "";
    if (line && *line->commit)
        return obb_report_text(obb_arena_format(w->arena, "git+%s@%s", from, line->commit));
    return strstr(from, "://") ? obb_report_text(from) : json_string("NOASSERTION");
}

static const char *source_info(writer *w, const obb_thirdparty *other)
{
    const char *text = other->fetched
                           ? ""
                           : obb_arena_format(w->arena, "lies in %s, and is edited there", other->folder);
    for (size_t i = 0; other->fetched && i < other->fetched->patches.count; i++)
        text = obb_arena_format(w->arena, "%s%s%s", *text ? text : "patched: ", *text ? ", " : "",
                                obb_files_path(w->table->plan->files, other->fetched->patches.at[i]));
    return text;
}

static json_t *package(writer *w, const char *id, const char *name, const char *version, const char *licence)
{
    json_t *p = json_pack("{s:s}", "SPDXID", id);
    json_object_set_new(p, "name", obb_report_text(name));
    if (*version)
        json_object_set_new(p, "versionInfo", obb_report_text(version));
    json_object_set_new(p, "filesAnalyzed", json_false());
    json_object_set_new(p, "licenseDeclared", text_or_none(licence));
    json_object_set_new(p, "licenseConcluded", json_string("NOASSERTION"));
    json_object_set_new(p, "copyrightText", json_string("NOASSERTION"));
    json_array_append_new(w->packages, p);
    return p;
}

static void add_thirdparty(writer *w, const obb_thirdparty *other)
{
    const obb_lock_file *lock = w->project->lock;
    const char *version = *other->version ? other->version : "-";
    const obb_lock_line *line = obb_lock_file_find(lock, other->name, version, OBB_LOCK_ARCHIVE);
    json_t *p = package(w, identifier(w, "ThirdParty", other->name), other->name, other->version,
                        other->licence);
    const char *info = source_info(w, other);
    if (line && other->fetched)
        json_object_set_new(p, "checksums",
                            json_pack("[{s:s,s:s}]", "algorithm", "SHA256", "checksumValue", line->sum));
    line = line ? line : obb_lock_file_find(lock, other->name, version, OBB_LOCK_REPOSITORY);
    json_object_set_new(p, "downloadLocation", location(w, other, other->fetched ? line : NULL));
    if (*info)
        json_object_set_new(p, "sourceInfo", obb_report_text(info));
}

static void add_product(writer *w, const obb_action *a)
{
    static const char *const how[] = {NULL, "CONTAINS", "DYNAMIC_LINK", "STATIC_LINK"};
    const char *path = obb_files_path(w->table->plan->files, a->output);
    const char *name = obb_arena_format(w->arena, "%s %s", a->target->name, a->variant->name);
    const char *id = identifier(w, "Product", name);
    json_t *p = package(w, id, name, w->project->version, w->project->licence);
    json_object_set_new(p, "downloadLocation", json_string("NOASSERTION"));
    json_object_set_new(p, "packageFileName",
                        obb_report_text(obb_action_below(w->table->plan, a, path)));
    json_object_set_new(p, "primaryPackagePurpose",
                        json_string(a->kind == OBB_LINK_LIBRARY  ? "LIBRARY"
                                    : a->kind == OBB_MAKE_IMAGE ? "FIRMWARE"
                                                                : "APPLICATION"));
    if (a->target->summary && *a->target->summary)
        json_object_set_new(p, "summary", obb_report_text(a->target->summary));
    relate(w, "SPDXRef-DOCUMENT", "DESCRIBES", id, NULL);
    memset(w->bonds, 0, (w->project->thirdparty.count + 1) * sizeof *w->bonds);
    memset(w->seen, 0, w->table->plan->actions.count + 1);
    follow(w, a, LINKED);
    for (size_t i = 0; i < w->project->thirdparty.count; i++) {
        if (!w->bonds[i])
            continue;
        w->used[i] = true;
        relate(w, id, how[w->bonds[i]], identifier(w, "ThirdParty", w->project->thirdparty.at[i]->name),
               w->bonds[i] == HEADERS ? "its headers alone are included" : NULL);
    }
}

/* What third-party projects have in them of each other. */
static void relate_others(writer *w)
{
    const obb_plan *plan = w->table->plan;
    for (size_t i = 0; i < w->project->thirdparty.count; i++) {
        memset(w->bonds, 0, (w->project->thirdparty.count + 1) * sizeof *w->bonds);
        for (size_t k = 0; k < plan->actions.count && w->used[i]; k++) {
            const obb_action *a = plan->actions.at[k];
            const obb_dependencies *d = obb_dependencies_of(w->table, a);
            if (!obb_same(a->target->place.scope, w->project->thirdparty.at[i]->name))
                continue;
            for (size_t n = 0; n < d->inputs.count; n++)
                note_path(w, obb_files_path(plan->files, d->inputs.at[n]));
        }
        for (size_t k = 0; k < w->project->thirdparty.count; k++)
            if (k != i && w->bonds[k] && w->used[k])
                relate(w, identifier(w, "ThirdParty", w->project->thirdparty.at[i]->name), "DEPENDS_ON",
                       identifier(w, "ThirdParty", w->project->thirdparty.at[k]->name), NULL);
    }
}

/* --- the document ------------------------------------------------------------------- */

/* 6.9: the time of SOURCE_DATE_EPOCH, so that the same input gives the same text; else the one that is said.
 */
static const char *created(writer *w, int64_t otherwise)
{
    const char *said = getenv("SOURCE_DATE_EPOCH");
    time_t when = said && *said ? (time_t)strtoll(said, NULL, 10) : (time_t)otherwise;
    char text[40];
    struct tm tm;
    if (!gmtime_r(&when, &tm) || !strftime(text, sizeof text, "%Y-%m-%dT%H:%M:%SZ", &tm))
        return "1970-01-01T00:00:00Z";
    return obb_arena_string(w->arena, text);
}

/* 6.5: a URI that no other document has; a UUID made of the contents (RFC 9562, 5.8). */
static const char *namespace_of(writer *w, const char *when)
{
    char digits[OBB_SHA256_TEXT];
    char *packages = json_dumps(w->packages, JSON_COMPACT),
         *relations = json_dumps(w->relations, JSON_COMPACT);
    const char *all = obb_arena_format(w->arena, "%s%s%s%s", w->project->name, when, packages, relations);
    free(packages);
    free(relations);
    obb_sha256(all, strlen(all), digits);
    return obb_arena_format(w->arena, "urn:uuid:%.8s-%.4s-8%.3s-a%.3s-%.12s", digits, digits + 8, digits + 12,
                            digits + 15, digits + 18);
}

void obb_report_sbom(const obb_dependency_table *table, const bool *wanted, int64_t when, obb_text *text)
{
    const obb_plan *plan = table->plan;
    writer w = {.table = table, .project = plan->project, .arena = plan->arena, .packages = json_array(),
                .relations = json_array()};
    w.bonds = obb_arena_alloc(w.arena, (w.project->thirdparty.count + 1) * sizeof *w.bonds);
    w.used = obb_arena_alloc(w.arena, w.project->thirdparty.count + 1);
    w.seen = obb_arena_alloc(w.arena, plan->actions.count + 1);
    for (size_t i = 0; i < plan->actions.count; i++) {
        const obb_action *a = plan->actions.at[i];
        bool product = a->kind == OBB_LINK_PROGRAM || a->kind == OBB_LINK_LIBRARY ||
                       a->kind == OBB_MAKE_IMAGE;
        if (wanted[i] && product && !a->target->place.scope && a->target->kind != OBB_TEST &&
            obb_plan_variant_of(plan, a->variant)->chosen)
            add_product(&w, a);
    }
    for (size_t i = 0; i < w.project->thirdparty.count; i++)
        if (w.used[i])
            add_thirdparty(&w, w.project->thirdparty.at[i]);
    relate_others(&w);
    const char *made = created(&w, when), *version = w.project->version;
    json_t *document = json_pack("{s:s,s:s,s:s,s:s,s:s,s:{s:s,s:[s]}}", "spdxVersion", "SPDX-2.3",
                                 "dataLicense", "CC0-1.0", "SPDXID", "SPDXRef-DOCUMENT", "name",
                                 obb_arena_format(w.arena, "%s%s%s", w.project->name, *version ? " " : "",
                                                  version),
                                 "documentNamespace", namespace_of(&w, made), "creationInfo", "created", made,
                                 "creators", "Tool: obbligato-" OBB_VERSION);
    json_object_set_new(document, "packages", w.packages);
    json_object_set_new(document, "relationships", w.relations);
    char *dump = json_dumps(document, JSON_INDENT(2) | JSON_PRESERVE_ORDER);
    obb_text_format(text, "%s\n", dump);
    free(dump);
    json_decref(document);
}
