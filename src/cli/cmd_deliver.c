/* What goes out: `install`, `uninstall`, `pack`, and `show deliveries`. */
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "build/delivering.h"
#include "build/planning.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "delivery/pack.h"
#include "report/report.h"

static const char usual_prefix[] = "/usr/local";

/* What one command did. */
typedef struct doing {
    session *s;
    size_t counts[4]; /* by obb_install_event */
    json_t *files;    /* under --json; else NULL */
} doing;

/* The names that were given, but the first ones, are deliveries; what is built are the targets in them. */
static int choose_deliveries(session *s, size_t first, obb_delivery_choice *choice)
{
    obb_words kept = {0}, names = {0};
    for (size_t i = first; i < s->options->request.names.count; i++)
        obb_arena_push(s->w->arena, &names, obb_arena_string(s->w->arena, s->options->request.names.at[i]));
    int code = obb_choose_deliveries(s->w, &names, choice);
    for (size_t i = 0; i < choice->targets.count; i++)
        obb_vec_push(&kept, strdup(choice->targets.at[i]));
    if (!code)
        options_name(s->options, &kept);
    return code;
}

/* Nothing is built of deliveries that have only files in them. */
static int build_deliveries(session *s, const obb_delivery_choice *choice, obb_delivered_list *list)
{
    int code = s->options->request.names.count ? build_and_plan(s) : obb_plan_request(s->w);
    if (code || s->options->request.dry_run)
        return code;
    code = obb_scan_changed(s->w);
    return code ? code : obb_list_deliveries(s->w, &choice->deliveries, true, list);
}

/* --- install and uninstall ----------------------------------------------------------- */

/* The prefix as it is for whoever runs what is there; and where its files are written. */
static int find_prefix(session *s, const char **prefix, const char **written)
{
    obb_workspace *w = s->w;
    const char *said = s->options->prefix ? s->options->prefix : usual_prefix;
    const char *below = s->options->below;
    if (below && *said != '/')
        return obb_workspace_fail(w, OBB_FAULT_USAGE,
                                  "`%s` is no absolute path, and --below stands for the root", said,
                                  "obbligato install --prefix /usr --below FOLDER");
    *prefix = obb_path_join(w->arena, w->root, obb_workspace_typed_path(w, said));
    *written = below ? obb_arena_format(w->arena, "%s%s",
                                        obb_path_join(w->arena, w->root, obb_workspace_typed_path(w, below)),
                                        strcmp(said, "/") == 0 ? "" : obb_path_join(w->arena, "/", said))
                     : *prefix;
    return 0;
}

static void told(void *self, obb_install_event event, const char *path)
{
    static const char *const verbs[] = {"install", "keep", "remove", "stays"};
    doing *d = self;
    const options *o = d->s->options;
    d->counts[event]++;
    if (d->files)
        json_array_append_new(d->files,
                              json_pack("{s:s,s:o}", "what", verbs[event], "file", obb_report_text(path)));
    else if (event == OBB_LEFT)
        terminal_say(stdout, "%-8s  %s  since it was changed after it was installed\n", verbs[event], path);
    else if (!o->quiet && (o->verbose || event != OBB_KEPT))
        terminal_say(stdout, "%-8s  %s\n", verbs[event], path);
}

static obb_installing installing_of(session *s, doing *d)
{
    d->s = s;
    d->files = s->options->json ? json_array() : NULL;
    return (obb_installing){.replace = s->options->replace,
                            .dry_run = s->options->request.dry_run, .tell = told, .self = d};
}

static void print_end(doing *d, const char *verb, const char *prefix, const char *written)
{
    const options *o = d->s->options;
    char room[40];
    size_t count = d->counts[OBB_INSTALLED] + d->counts[OBB_TAKEN_AWAY];
    if (d->files) {
        json_t *document = json_pack("{s:o,s:o,s:b,s:o}", "prefix", obb_report_text(prefix), "written-to",
                                     obb_report_text(written), "dry-run", o->request.dry_run, "files",
                                     d->files);
        json_object_set_new(document, "errors", session_take_told(d->s));
        json_print(document, verb);
    } else if (!o->quiet) {
        terminal_say(stdout, "%s%s %s %s", o->request.dry_run ? "would " : "",
                     counted(room, sizeof room, count, "file", "files"),
                     strcmp(verb, "install") == 0 ? "installed in" : "removed from", written);
        if (d->counts[OBB_KEPT])
            terminal_say(stdout, ", %zu as they must be", d->counts[OBB_KEPT]);
        if (d->counts[OBB_LEFT])
            terminal_say(stdout, ", %zu left", d->counts[OBB_LEFT]);
        terminal_say(stdout, "\n");
    }
}

static int check_one_variant(session *s, const obb_delivery_choice *choice)
{
    if (choice->variants == 1)
        return 0;
    return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`%s` takes one variant, and several are chosen",
                              s->options->command, "choose one: --variant PLATFORM.CONFIGURATION");
}

/* Of a dry run: every place, since what would be in it is not known yet. */
static int foretell(doing *d, const obb_delivery_choice *choice, const char *written)
{
    obb_delivered_list list = {0};
    session *s = d->s;
    obb_workspace_renew(s->w);
    int code = obb_plan_request(s->w);
    if (!code)
        code = obb_list_deliveries(s->w, &choice->deliveries, false, &list);
    for (size_t i = 0; i < list.count && !code; i++)
        for (size_t k = 0; k < list.at[i].entries.count; k++) {
            const char *path = obb_path_join(s->w->arena, written, list.at[i].entries.at[k].path);
            if (d->files)
                told(d, OBB_INSTALLED, path);
            else
                terminal_say(stdout, "would install %s\n", path);
        }
    return code;
}

int command_install(session *s)
{
    obb_delivery_choice choice = {.chain = true};
    obb_delivered_list list = {0};
    const char *prefix = "", *written = "";
    doing d = {.s = s};
    obb_installing how = installing_of(s, &d);
    int code = choose_deliveries(s, 0, &choice);
    bool dry = s->options->request.dry_run;
    if (!code)
        code = check_one_variant(s, &choice);
    if (!code)
        code = find_prefix(s, &prefix, &written);
    if (!code && !(dry && d.files)) /* one document, and `build -n` has the other */
        code = build_deliveries(s, &choice, &list);
    if (!code && dry)
        code = foretell(&d, &choice, written);
    if (!code && !dry && (s->options->strip || s->options->debug_files))
        code = obb_strip_deliveries(s->w, s->options->debug_files, &list);
    how.prefix = written;
    for (size_t i = 0; i < list.count && !code; i++)
        code = obb_install(s->w, &how, &list.at[i]);
    if (list.count)
        obb_drop_stripped(s->w);
    if (d.files || (!code && !dry))
        print_end(&d, "install", prefix, written);
    return code;
}

int command_uninstall(session *s)
{
    obb_words *names = &s->options->request.names, all = {0};
    const char *prefix = "", *written = "";
    doing d = {.s = s};
    obb_installing how = installing_of(s, &d);
    int code = obb_workspace_read_project(s->w);
    if (!code)
        code = find_prefix(s, &prefix, &written);
    how.prefix = written;
    for (size_t i = 0; i < names->count; i++)
        obb_arena_push(s->w->arena, &all, names->at[i]);
    if (!code && !names->count)
        code = obb_find_installed(s->w, written, &all);
    for (size_t i = 0; i < all.count && !code; i++)
        code = obb_uninstall(s->w, &how, all.at[i]);
    if (d.files || !code)
        print_end(&d, "uninstall", prefix, written);
    return code;
}

/* --- pack ---------------------------------------------------------------------------- */

static int check_formats(session *s)
{
    const obb_words *formats = &s->options->formats;
    if (!formats->count)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`pack` does not know as what%s", "",
                                  "obbligato pack --as tar.gz (or tar.xz, tar.zst, zip, deb, run)");
    for (size_t i = 0; i < formats->count; i++) {
        const char *const *known = obb_pack_formats;
        while (*known && strcmp(*known, formats->at[i]) != 0)
            known++;
        if (!*known)
            return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "`%s` is nothing that a delivery is packed as",
                                      formats->at[i], "one of tar.gz, tar.xz, tar.zst, zip, deb, run");
    }
    return 0;
}

static void show_packed(session *s, const obb_delivered *d, const char *path, json_t *files)
{
    struct stat there = {.st_size = 0};
    stat(path, &there);
    if (files)
        json_array_append_new(files, json_pack("{s:s,s:s,s:o,s:I}", "delivery", d->delivery->name, "variant",
                                               d->in->variant->name, "file", obb_report_text(path), "bytes",
                                               (json_int_t)there.st_size));
    else if (!s->options->quiet)
        terminal_say(stdout, "pack      %s  %llu bytes, %zu files (%s)\n", path,
                     (unsigned long long)there.st_size, d->entries.count, d->in->variant->name);
}

static int pack_as(session *s, const char *format, const obb_delivered_list *list, obb_words *packed,
                   json_t *files)
{
    const options *o = s->options;
    const obb_pack_request request = {.format = format, .strip = o->strip, .debug_files = o->debug_files,
                                      .to = o->to ? obb_workspace_typed_path(s->w, o->to) : NULL};
    int code = 0;
    for (size_t i = 0; i < list->count && !code; i++) {
        code = obb_pack_delivered(s->w, &list->at[i], &request, packed);
        if (!code)
            show_packed(s, &list->at[i], packed->at[packed->count - 1], files);
    }
    return code;
}

int command_pack(session *s)
{
    obb_delivery_choice choice = {0};
    obb_delivered_list list = {0};
    obb_words packed = {0};
    json_t *files = s->options->json ? json_array() : NULL;
    int code = check_formats(s);
    if (!code)
        code = choose_deliveries(s, 0, &choice);
    if (!code)
        code = build_deliveries(s, &choice, &list);
    bool dry = s->options->request.dry_run;
    for (size_t i = 0; i < s->options->formats.count && !code; i++) {
        for (size_t k = 0; k < choice.deliveries.count && dry && !files; k++)
            terminal_say(stdout, "would pack %s as %s\n", choice.deliveries.at[k], s->options->formats.at[i]);
        if (!dry)
            code = pack_as(s, s->options->formats.at[i], &list, &packed, files);
    }
    bool forecast = dry && s->options->request.names.count;
    if (files && (code || !forecast)) { /* a dry run of a build has printed its document */
        json_t *document = json_pack("{s:o,s:o}", "files", files, "errors", session_take_told(s));
        json_print(document, "pack");
    }
    return code;
}

/* --- show deliveries ---------------------------------------------------------------- */

static const char *bytes_of(session *s, const obb_entry *e)
{
    struct stat there;
    if (e->link || (!e->source && !e->bytes))
        return "";
    if (e->source && stat(e->source, &there))
        return "not built";
    return obb_arena_format(s->w->arena, "%llu", e->source ? (unsigned long long)there.st_size
                                                           : (unsigned long long)e->length);
}

int show_deliveries(session *s)
{
    obb_delivery_choice choice = {0};
    obb_delivered_list list = {0};
    table t = {.name = "deliveries"};
    int code = choose_deliveries(s, 1, &choice);
    if (!code)
        code = obb_plan_request(s->w);
    if (!code)
        code = obb_list_deliveries(s->w, &choice.deliveries, false, &list);
    if (code)
        return code;
    table_row(&t, "delivery", "variant", "place", "what", ">bytes", "from");
    for (size_t i = 0; i < list.count; i++)
        for (size_t k = 0; k < list.at[i].entries.count; k++) {
            const obb_entry *e = &list.at[i].entries.at[k];
            bool first = k == 0 || s->options->json;
            table_row(&t, first ? list.at[i].delivery->name : "", first ? list.at[i].in->variant->name : "",
                      e->path, e->what, bytes_of(s, e),
                      e->source ? e->source
                      : e->link ? obb_arena_format(s->w->arena, "-> %s", e->link)
                                : "");
        }
    table_print(&t, s->options->json);
    return 0;
}
