/* The command `size`: how full the memory is, of what, and against another build.
 *
 * Accounts come from build/accounts.h, or from a file that `size --json` wrote. Rows of two accounts are
 * matched by name; what only one side has is marked as new or gone, and the rest of a shortened table is
 * summed up. */
#include <stdio.h>
#include <string.h>
#include <unistd.h>

#include "base/path.h"
#include "build/accounts.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/image_picture.h"
#include "cli/terminal.h"
#include "report/report.h"

enum { MOST_ROWS = 8, MOST_GONE = 4, BAR = 24 };

/* One program that is shown, and what it is compared with. */
typedef struct subject {
    session *s;
    const obb_target *target;  /* NULL: a file that was named */
    const obb_variant *variant;
    const char *name;
    obb_account *account, *before; /* account: NULL for an image; before: NULL when nothing is compared */
} subject;

static char *number(const subject *u, uint64_t n)
{
    return obb_arena_format(u->s->w->arena, "%llu", (unsigned long long)n);
}

/* "+12", "-3", "", with "new" and "gone" where one side has nothing. */
static char *change(const subject *u, bool was, uint64_t before, bool is, uint64_t now)
{
    long long difference = (long long)now - (long long)before;
    obb_arena *arena = u->s->w->arena;
    if (!was || !is)
        return obb_arena_format(arena, "%+lld %s", difference, was ? "gone" : "new");
    return difference ? obb_arena_format(arena, "%+lld %s", difference, difference > 0 ? "grown" : "less")
                      : obb_arena_string(arena, "");
}

/* --- the four tables; the last column, the change, is there when something is compared ---- */

static const obb_region_use *region_before(const subject *u, const char *name)
{
    for (size_t i = 0; u->before && i < u->before->regions.count; i++)
        if (strcmp(u->before->regions.at[i].name, name) == 0)
            return &u->before->regions.at[i];
    return NULL;
}

static char *bar(const subject *u, uint64_t used, uint64_t length, uint64_t limit)
{
    char text[BAR + 1];
    uint64_t most = length ? length : 1;
    size_t full = (size_t)((double)used / (double)most * BAR + 0.5),
           mark = (size_t)((double)limit / (double)most * BAR + 0.5);
    for (size_t i = 0; i < BAR; i++)
        text[i] = i < full ? '#' : '.';
    if (used && text[0] == '.')
        text[0] = ':';
    if (limit && mark < BAR)
        text[mark] = '|';
    text[BAR] = 0;
    return obb_arena_string(u->s->w->arena, text);
}

static void region_table(const subject *u)
{
    table t = {.name = "size-regions", .columns = u->before ? 9 : 8};
    if (!u->account->regions.count)
        return;
    table_row(&t, "region", ">origin", ">length", ">used", ">free", ">full", "", "budget", "change");
    for (size_t i = 0; i < u->account->regions.count; i++) {
        const obb_region_use *r = &u->account->regions.at[i], *before = region_before(u, r->name);
        const char *stated;
        uint64_t limit = u->target ? obb_budget_limit(u->s->w, u->target, u->variant, r, &stated) : 0;
        if (!u->target)
            stated = "";
        bool over = limit && r->used > limit;
        char *free_text = r->used <= r->length ? number(u, r->length - r->used)
                                               : obb_arena_format(u->s->w->arena, "-%llu",
                                                                  (unsigned long long)(r->used - r->length));
        table_row(&t, r->name, obb_arena_format(u->s->w->arena, "0x%08llx", (unsigned long long)r->origin),
                  number(u, r->length), number(u, r->used), free_text,
                  obb_arena_format(u->s->w->arena, "%.1f %%",
                                   r->length ? 100.0 * (double)r->used / (double)r->length : 0.0),
                  bar(u, r->used, r->length, limit),
                  !limit ? "" : obb_arena_format(u->s->w->arena, "%s%s", stated, over ? ", overrun" : ""),
                  change(u, before != NULL, before ? before->used : 0, true, r->used));
    }
    table_print(&t, false);
    putchar('\n');
}

static void section_table(const subject *u)
{
    table t = {.name = "size-sections", .columns = u->before ? 6 : 5};
    uint64_t sum = 0;
    table_row(&t, "section", ">bytes", ">address", "region", "loaded from", "change");
    for (size_t i = 0; i < u->account->sections.count; i++) {
        const obb_section_use *now = &u->account->sections.at[i], *was = NULL;
        for (size_t k = 0; u->before && k < u->before->sections.count; k++)
            if (strcmp(u->before->sections.at[k].name, now->name) == 0)
                was = &u->before->sections.at[k];
        sum += now->size;
        table_row(&t, now->name, number(u, now->size),
                  obb_arena_format(u->s->w->arena, "0x%08llx", (unsigned long long)now->address), now->region,
                  now->load_region, change(u, was != NULL, was ? was->size : 0, true, now->size));
    }
    for (size_t k = 0; u->before && k < u->before->sections.count; k++) {
        const obb_section_use *was = &u->before->sections.at[k];
        bool is = false;
        for (size_t i = 0; i < u->account->sections.count && !is; i++)
            is = strcmp(u->account->sections.at[i].name, was->name) == 0;
        if (!is)
            table_row(&t, was->name, "0", "", was->region, "", change(u, true, was->size, false, 0));
    }
    table_row(&t, "total", number(u, sum), "", "", "", "");
    table_print(&t, false);
    putchar('\n');
}

static const obb_source_use *source_before(const subject *u, const char *name)
{
    for (size_t i = 0; u->before && i < u->before->sources.count; i++)
        if (strcmp(u->before->sources.at[i].name, name) == 0)
            return &u->before->sources.at[i];
    return NULL;
}

static void source_row(const subject *u, table *t, const obb_source_use *now, const obb_source_use *was,
                       bool is)
{
    uint64_t bytes = is ? obb_source_bytes(now) : 0;
    table_row(t, now->name, number(u, bytes), number(u, is ? now->code : 0),
              number(u, is ? now->constants : 0), number(u, is ? now->data : 0),
              number(u, is ? now->zeroed : 0),
              change(u, was != NULL, was ? obb_source_bytes(was) : 0, is, bytes));
}

/* How many rows are shown; the rest is summed up. All are under -v. */
static size_t shown(const subject *u, size_t count)
{
    return u->s->options->verbose || count <= MOST_ROWS + 1 ? count : MOST_ROWS;
}

/* Sources that only the other account has, largest first. */
static void gone_sources(const subject *u, table *t)
{
    size_t gone = 0, more = 0;
    uint64_t bytes = 0;
    for (size_t i = 0; u->before && i < u->before->sources.count; i++) {
        const obb_source_use *was = &u->before->sources.at[i];
        bool is = false;
        for (size_t k = 0; k < u->account->sources.count && !is; k++)
            is = strcmp(u->account->sources.at[k].name, was->name) == 0;
        if (is)
            continue;
        if (gone++ < MOST_GONE || u->s->options->verbose) {
            source_row(u, t, was, was, false);
        } else {
            more++;
            bytes += obb_source_bytes(was);
        }
    }
    if (more)
        table_row(t, obb_arena_format(u->s->w->arena, "(%zu smaller ones gone; -v shows them)", more), "0",
                  "0", "0", "0", "0",
                  obb_arena_format(u->s->w->arena, "-%llu gone", (unsigned long long)bytes));
}

static void add_use(obb_source_use *sum, const obb_source_use *use)
{
    sum->code += use->code;
    sum->constants += use->constants;
    sum->data += use->data;
    sum->zeroed += use->zeroed;
}

static void source_table(const subject *u)
{
    table t = {.name = "size-sources", .columns = u->before ? 7 : 6};
    const obb_account *a = u->account;
    size_t most = shown(u, a->sources.count);
    obb_source_use rest = {.name = obb_arena_format(u->s->w->arena, "(%zu smaller ones; -v shows them)",
                                                    a->sources.count - most)};
    table_row(&t, "source", ">bytes", ">code", ">constants", ">data", ">zeroed", "change");
    for (size_t i = 0; i < a->sources.count; i++) {
        const obb_source_use *now = &a->sources.at[i];
        if (i < most) {
            source_row(u, &t, now, source_before(u, now->name), true);
            continue;
        }
        add_use(&rest, now);
    }
    if (most < a->sources.count)
        source_row(u, &t, &rest, &rest, true);
    gone_sources(u, &t);
    source_row(u, &t, &a->total, u->before ? &u->before->total : NULL, true);
    table_print(&t, false);
    putchar('\n');
}

/* What the sources in a folder bring in all. */
static obb_source_use use_of_folder(const obb_account *a, const char *name, const char *folder)
{
    obb_source_use sum = {.name = name};
    for (size_t i = 0; i < a->sources.count; i++)
        if (obb_path_within(a->sources.at[i].name, folder))
            add_use(&sum, &a->sources.at[i]);
    return sum;
}

/* The same by third-party project, of those that bring something. */
static void thirdparty_table(const subject *u)
{
    table t = {.name = "size-thirdparty", .columns = u->before ? 7 : 6};
    const obb_project *p = u->s->w->project;
    bool any = false;
    table_row(&t, "third-party project", ">bytes", ">code", ">constants", ">data", ">zeroed", "change");
    for (size_t i = 0; p && i < p->thirdparty.count; i++) {
        const obb_thirdparty *other = p->thirdparty.at[i];
        if (!other->folder)
            continue;
        const obb_source_use now = use_of_folder(u->account, other->name, other->folder);
        const obb_source_use was = u->before ? use_of_folder(u->before, other->name, other->folder) : now;
        if (obb_source_bytes(&now) || obb_source_bytes(&was)) {
            source_row(u, &t, &now, u->before ? &was : NULL, true);
            any = true;
        }
    }
    if (!any) {
        table_drop(&t);
        return;
    }
    table_print(&t, false);
    putchar('\n');
}

static uint64_t symbol_before(const subject *u, const obb_symbol_use *now, bool *was)
{
    *was = false;
    for (size_t i = 0; u->before && i < u->before->symbols.count; i++) {
        const obb_symbol_use *b = &u->before->symbols.at[i];
        *was = strcmp(b->name, now->name) == 0 && strcmp(b->section, now->section) == 0 &&
               strcmp(b->source, now->source) == 0;
        if (*was)
            return b->size;
    }
    return 0;
}

static void symbol_table(const subject *u)
{
    table t = {.name = "size-symbols", .columns = u->before ? 5 : 4};
    const obb_account *a = u->account;
    size_t most = shown(u, a->symbols.count);
    uint64_t rest = 0;
    bool was;
    table_row(&t, "symbol", ">bytes", "section", "source", "change");
    for (size_t i = 0; i < a->symbols.count; i++) {
        const obb_symbol_use *s = &a->symbols.at[i];
        uint64_t before = i < most ? symbol_before(u, s, &was) : 0;
        if (i < most)
            table_row(&t, s->name, number(u, s->size), s->section, s->source,
                      change(u, was, before, true, s->size));
        else
            rest += s->size;
    }
    if (most < a->symbols.count)
        table_row(&t,
                  obb_arena_format(u->s->w->arena, "(%zu smaller ones; -v shows them)",
                                   a->symbols.count - most),
                  number(u, rest), "", "", "");
    table_print(&t, false);
}

static void tell(const subject *u)
{
    terminal_ink(stdout, INK_STRONG, "%s", u->name);
    terminal_say(stdout, "  %s%s%s, %s bit, %s-endian; sizes in bytes%s%s\n\n",
                 u->variant ? u->variant->name : "", u->variant ? ", " : "", u->account->machine,
                 u->account->wide ? "64" : "32", u->account->big_endian ? "big" : "little",
                 u->before ? "; against " : "", u->before ? u->s->options->against : "");
    region_table(u);
    section_table(u);
    source_table(u);
    thirdparty_table(u);
    symbol_table(u);
}

/* --- what is held against it -------------------------------------------------------- */

static obb_account *account_of_file(session *s, const char *path)
{
    const char *wrong = NULL;
    const obb_elf *elf = obb_elf_read(path, s->w->arena, &wrong);
    if (elf)
        return obb_account_make(elf, &(const obb_account_facts){.map = NULL}, s->w->arena);
    obb_error(s->w->diags, OBB_FAULT_OUTSIDE, OBB_NOWHERE, "%s", wrong);
    return NULL;
}

/* A saved account, an ELF file, or the same program in another variant. */
static obb_account *account_before(session *s, const subject *u)
{
    const char *against = s->options->against, *path = obb_workspace_path(s->w, against);
    obb_text text = {0};
    obb_account *a = NULL;
    if (access(path, F_OK) == 0) {
        int failed = obb_file_read(path, &text);
        json_t *document = !failed && text.length && text.bytes[0] == '{'
                               ? json_loadb(text.bytes, text.length, 0, NULL)
                               : NULL;
        if (document)
            a = obb_report_read_account(document, u->name, u->variant ? u->variant->name : "", s->w->arena);
        else
            a = account_of_file(s, path);
        if (!a && !s->w->diags->list.count)
            obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "%s holds no account of `%s`", against,
                      u->name);
        json_decref(document);
        obb_text_free(&text);
        return a;
    }
    if (!u->target) {
        obb_error(s->w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no file `%s`", against);
        return NULL;
    }
    const obb_variant *other = obb_project_variant_named(s->w->project, against, NULL, OBB_NOWHERE,
                                                         s->w->diags);
    if (!other) {
        obb_hint(s->w->diags, s->w->diags->list.at[0],
                 "--against takes a variant, an ELF file, or what `size --json` wrote");
        return NULL;
    }
    a = obb_account_elsewhere(s->w, u->target, other);
    return a;
}

/* --- the command -------------------------------------------------------------------- */

/* "flash 43.1 %, ram 12.0 %" */
static char *fullness(const subject *u)
{
    obb_text text = {0};
    for (size_t i = 0; i < u->account->regions.count; i++) {
        const obb_region_use *r = &u->account->regions.at[i];
        obb_text_format(&text, "%s%s %.1f %%", text.length ? ", " : "", r->name,
                        r->length ? 100.0 * (double)r->used / (double)r->length : 0.0);
    }
    char *copy = obb_arena_string(u->s->w->arena, obb_text_bytes(&text));
    obb_text_free(&text);
    return copy;
}

/* Programs in several variants, a row each. */
static void overview(const subject *subjects, size_t count)
{
    table t = {.name = "size"};
    table_row(&t, "program", "variant", ">code", ">constants", ">data", ">zeroed", ">bytes", "memory");
    for (size_t i = 0; i < count; i++) {
        const subject *u = &subjects[i];
        const obb_source_use *all = u->account ? &u->account->total : NULL;
        if (all)
            table_row(&t, u->name, u->variant->name, number(u, all->code), number(u, all->constants),
                      number(u, all->data), number(u, all->zeroed), number(u, obb_source_bytes(all)),
                      fullness(u));
    }
    table_print(&t, false);
    terminal_ink(stdout, INK_DIM, "-v shows regions, sections, sources and symbols of each\n");
}

/* Whether a table of several variants says it all: unless more is asked for. */
static bool is_overview(const session *s, const subject *subjects, size_t count)
{
    bool several = false;
    for (size_t i = 0; i < count; i++) {
        if (!subjects[i].account || !subjects[i].target)
            return false;
        several = several || subjects[i].variant != subjects[0].variant;
    }
    return several && !s->options->verbose && !s->options->against && !s->options->json;
}

static json_t *json_of(const subject *u)
{
    if (!u->account)
        return image_picture_json(u->s, u->target, u->variant);
    json_t *o = obb_report_account(u->name, u->variant ? u->variant->name : "", u->account);
    if (u->before)
        json_object_set_new(o, "against", obb_report_account(u->name, u->s->options->against, u->before));
    return o;
}

/* Shows one, or adds it to the lists of a document. 0, or an exit code with the message shown. */
static int tell_one(session *s, subject *u, json_t *programs, json_t *images)
{
    if (s->options->against && u->account)
        u->before = account_before(s, u);
    int code = obb_workspace_tell(s->w);
    if (code)
        return code;
    if (s->options->json) {
        json_t *o = json_of(u);
        if (o)
            json_array_append_new(u->account ? programs : images, o);
        return obb_workspace_tell(s->w);
    }
    if (!u->account)
        return image_picture_show(s, u->target, u->variant);
    tell(u);
    return 0;
}

static int tell_all(session *s, subject *subjects, size_t count)
{
    json_t *programs = json_array(), *images = json_array(), *document = json_object();
    bool whole = is_overview(s, subjects, count);
    int code = 0;
    if (whole)
        overview(subjects, count);
    for (size_t i = 0; i < count && !code && !whole; i++) {
        if (i && !s->options->json)
            putchar('\n');
        code = tell_one(s, &subjects[i], programs, images);
    }
    json_object_set_new(document, "programs", programs);
    json_object_set_new(document, "images", images);
    if (s->options->json && !code)
        json_print(document, "size");
    else
        json_decref(document);
    fflush(stdout);
    for (size_t i = 0; i < count; i++)
        if (subjects[i].target && subjects[i].account)
            obb_compare_budgets(s->w, subjects[i].target, subjects[i].variant, subjects[i].account, true);
    int budgets = obb_workspace_tell(s->w);
    return code ? code : budgets;
}

/* Files that are named by a path are shown as they are. */
static int size_of_files(session *s)
{
    subject *subjects = obb_arena_alloc(s->w->arena, s->options->request.names.count * sizeof *subjects);
    size_t count = s->options->request.names.count;
    for (size_t i = 0; i < count; i++) {
        const char *name = s->options->request.names.at[i];
        subjects[i] = (subject){.s = s,
                                .name = name,
                                .account = account_of_file(s, obb_workspace_path(s->w, name))};
    }
    int code = obb_workspace_tell(s->w);
    return code ? code : tell_all(s, subjects, count);
}

int command_size(session *s)
{
    obb_words *names = &s->options->request.names;
    bool files = names->count > 0;
    for (size_t i = 0; i < names->count; i++)
        files = files && strchr(names->at[i], '/') &&
                access(obb_workspace_path(s->w, names->at[i]), F_OK) == 0;
    if (!names->count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`size` needs a program or an image%s", "",
                                  "obbligato size NAME; or the path of an ELF file");
    if (files)
        return size_of_files(s);
    s->options->request.budgets_apart = true;
    int code = build_and_plan(s);
    if (code || s->options->request.dry_run)
        return code;
    subject *subjects = obb_arena_alloc(s->w->arena,
                                        s->w->targets.count * s->w->variants.count * sizeof *subjects);
    size_t count = 0;
    for (size_t i = 0; i < s->w->targets.count; i++)
        for (size_t v = 0; v < s->w->variants.count; v++) {
            const obb_target *t = s->w->targets.at[i];
            if (obb_left_out(s->w->variants.at[v], t))
                continue;
            bool image = t->kind == OBB_IMAGE;
            obb_account *a = image ? NULL : obb_account_of_program(s->w, t, s->w->variants.at[v]);
            if (a || image)
                subjects[count++] = (subject){.s = s,
                                              .target = t,
                                              .variant = s->w->variants.at[v],
                                              .name = t->name,
                                              .account = a};
        }
    code = obb_workspace_tell(s->w);
    return code ? code : tell_all(s, subjects, count);
}
