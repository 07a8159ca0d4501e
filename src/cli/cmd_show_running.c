/* `show tests`, `show launches`, `show devices`: what can be run, and how; `show thirdparty`; and `show
 * store`.
 *
 * Filled like the tables of cmd_show.c; nothing is built, and devices are not talked to. */
#include <string.h>

#include "cli/commands.h"
#include "cli/terminal.h"
#include "build/cache.h"
#include "build/launch.h"

static const char *words_text(session *s, const obb_word_list *words)
{
    const char *text = "";
    for (size_t i = 0; i < words->count; i++)
        text = obb_arena_format(s->w->arena, "%s%s%s", text, *text ? " " : "", words->at[i].text);
    return text;
}

static const char *properties_text(session *s, const obb_properties *properties)
{
    const char *text = "";
    for (size_t i = 0; i < properties->count; i++)
        for (size_t k = 0; k < properties->at[i].lines.count; k++)
            text = obb_arena_format(s->w->arena, "%s%s%s", text, *text ? ", " : "",
                                    words_text(s, &properties->at[i].lines.at[k]));
    return text;
}

static const char *place_text(session *s, obb_place place)
{
    return obb_arena_format(s->w->arena, "%s:%d", place.file, place.line);
}

/* Whether a test runs here, in one of the chosen variants. */
static const char *runs_text(session *s, const obb_target *t, const obb_variant *v)
{
    if (obb_left_out(v, t))
        return "left out";
    if (v->runner)
        return obb_arena_format(s->w->arena, "by %s", v->runner->name);
    return obb_runs_here(v) ? "yes" : "no";
}

int show_tests(session *s)
{
    table t = {.name = "tests"};
    int code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    table_row(&t, "test", "variant", "runs here", "arguments", "expects", ">time limit", "optional",
              "described", "summary");
    for (size_t v = 0; v < s->w->variants.count; v++)
        for (size_t i = 0; i < s->w->project->targets.count; i++) {
            const obb_target *here = obb_in(s->w->variants.at[v], s->w->project->targets.at[i]);
            char room[40] = "60.0 s";
            if (here->kind != OBB_TEST)
                continue;
            if (here->time_limit)
                duration_text(room, sizeof room, here->time_limit);
            table_row(&t, here->name, s->w->variants.at[v]->name, runs_text(s, here, s->w->variants.at[v]),
                      properties_text(s, &here->arguments), properties_text(s, &here->expectations),
                      obb_arena_string(s->w->arena, room), here->optional ? "yes" : "no",
                      place_text(s, here->place), here->summary ? here->summary : "");
        }
    table_print(&t, s->options->json);
    return 0;
}

int show_launches(session *s)
{
    table t = {.name = "launches"};
    table_row(&t, "launch", "program", "arguments", "environment", "folder", "described", "summary");
    for (size_t i = 0; i < s->w->project->launches.count; i++) {
        const obb_launch *l = s->w->project->launches.at[i];
        table_row(&t, l->name, l->program, words_text(s, &l->arguments), words_text(s, &l->environment),
                  l->folder ? l->folder : "", place_text(s, l->place), l->summary ? l->summary : "");
    }
    table_print(&t, s->options->json);
    return 0;
}

int show_devices(session *s)
{
    table t = {.name = "devices"};
    table_row(&t, "device", "probe", "load", "verify", "reset", "described", "summary");
    for (size_t i = 0; i < s->w->project->devices.count; i++) {
        const obb_device *d = s->w->project->devices.at[i];
        table_row(&t, d->name, words_text(s, &d->probe), words_text(s, &d->load), words_text(s, &d->verify),
                  words_text(s, &d->reset), place_text(s, d->place), d->summary ? d->summary : "");
    }
    table_print(&t, s->options->json);
    return 0;
}

/* The targets that others may use. */
static const char *targets_of(session *s, const obb_thirdparty *other)
{
    const char *text = "";
    for (size_t i = 0; i < s->w->project->targets.count; i++) {
        const obb_target *t = s->w->project->targets.at[i];
        if (obb_same(t->place.scope, other->name) && !t->owner)
            text = obb_arena_format(s->w->arena, "%s%s%s", text, *text ? " " : "", t->name);
    }
    return text;
}

/* Whether its files are here, and are what was fetched. */
static const char *files_of(session *s, const obb_thirdparty *other)
{
    obb_tree_edits edits = {0};
    const char *why = other->fetched ? obb_list_edits(s->w->arena, other, &edits) : NULL, *text = "";
    if (!other->fetched)
        return other->folder ? "used in place" : "the system's";
    if (why)
        return other->fetched->missing ? "not fetched yet" : why;
    if (!edits.count)
        return other->fetched->patches.count ? "as fetched and patched" : "as fetched";
    if (!s->options->verbose && edits.count > 2)
        return obb_arena_format(s->w->arena, "%zu differ (-v lists them)", edits.count);
    for (size_t i = 0; i < edits.count; i++)
        text = obb_arena_format(s->w->arena, "%s%s%s %s", text, *text ? ", " : "", edits.at[i].what,
                                edits.at[i].path);
    return text;
}

/* Of what the system may have: what is taken in the chosen variants, and why. */
static const char *taken(session *s, const obb_thirdparty *other)
{
    const char *text = "";
    if (!other->system)
        return "";
    for (size_t i = 0; i < s->w->variants.count; i++) {
        const obb_variant *v = s->w->variants.at[i];
        bool system = obb_takes_system(v, other);
        const char *what = system ? obb_arena_format(s->w->arena, "the system's: %s", other->system->text)
                           : other->prefer_own
                               ? "own: preferred"
                               : obb_arena_format(s->w->arena, "own: no %s", other->system->text);
        text = obb_arena_format(s->w->arena, "%s%s%s%s%s", text, *text ? "; " : "", what,
                                s->w->variants.count > 1 ? " in " : "",
                                s->w->variants.count > 1 ? v->name : "");
    }
    return text;
}

static const char *state_of(session *s, const obb_thirdparty *other)
{
    const char *files = files_of(s, other), *system = taken(s, other);
    return *system && (other->folder || other->fetched)
               ? obb_arena_format(s->w->arena, "%s; %s", files, system)
           : *system ? system
                     : files;
}

/* Who asks for a third-party project, and who for that one, up to this project. */
static void add_askers(session *s, table *t, const obb_thirdparty *other, size_t depth)
{
    for (size_t i = 0; i < other->askers.count && depth < 20; i++) {
        const obb_asker *a = &other->askers.at[i];
        const obb_thirdparty *by = a->by ? obb_project_thirdparty(s->w->project, a->by) : NULL;
        const char *wish = !a->version ? "any"
                           : a->least  ? obb_arena_format(s->w->arena, "least %s", a->version)
                                       : a->version;
        table_row(t, other->name, other->version, a->by ? a->by : "this project", wish,
                  place_text(s, a->place));
        if (by)
            add_askers(s, t, by, depth + 1);
    }
}

static int show_askers(session *s)
{
    table t = {.name = "askers"};
    const obb_thirdparty *other = obb_project_thirdparty(s->w->project, s->options->why);
    if (!other)
        return obb_workspace_fail(s->w, OBB_FAULT_USAGE, "there is no third-party project `%s`",
                                  s->options->why, "`obbligato show thirdparty` lists them");
    table_row(&t, "project", "version", "asked for by", "which wants", "stated");
    add_askers(s, &t, other, 0);
    table_print(&t, s->options->json);
    return 0;
}

int show_thirdparty(session *s)
{
    if (s->options->why)
        return show_askers(s);
    table t = {.name = "thirdparty"};
    bool complete = !s->w->project->incomplete;
    int code = complete ? obb_workspace_open_state(s->w, false) : 0;
    if (!code && complete)
        code = obb_workspace_choose_variants(s->w);
    if (code)
        return code;
    table_row(&t, "project", "version", "licence", "from", "files", "described by", "targets", "stated");
    for (size_t i = 0; i < s->w->project->thirdparty.count; i++) {
        const obb_thirdparty *other = s->w->project->thirdparty.at[i];
        table_row(&t, other->name, other->version, other->licence, other->from, state_of(s, other),
                  other->description ? other->description : "", targets_of(s, other),
                  place_text(s, other->place));
    }
    table_print(&t, s->options->json);
    return 0;
}

static const char *bytes_cell(const session *s, uint64_t bytes)
{
    char room[40];
    return obb_arena_string(s->w->arena, bytes_text(room, sizeof room, bytes));
}

static char *count_text(const session *s, uint64_t count)
{
    return obb_arena_format(s->w->arena, "%llu", (unsigned long long)count);
}

static json_t *far_document(const obb_cache_state *c)
{
    const obb_far_account *a = &c->far_account;
    json_t *o = json_object(), *trust = json_array();
    if (!c->far.url) {
        json_decref(o);
        json_decref(trust);
        return json_null();
    }
    for (size_t i = 0; i < c->far.trust.count; i++)
        json_array_append_new(trust, json_string(c->far.trust.at[i]));
    json_object_set_new(o, "url", json_string(c->far.url));
    json_object_set_new(o, "brings", json_boolean(c->far.reads));
    json_object_set_new(o, "sends", json_boolean(c->far.writes));
    json_object_set_new(o, "trust", trust);
    const struct { const char *name; uint64_t value; } counts[] = {
        {"brought", a->hits}, {"not-there", a->misses}, {"refused", a->refused}, {"sent", a->sent},
        {"failures", a->failures}, {"bytes-brought", a->bytes_in}, {"bytes-sent", a->bytes_out},
        {"milliseconds-saved", a->saved}};
    for (size_t i = 0; i < sizeof counts / sizeof *counts; i++)
        json_object_set_new(o, counts[i].name, json_integer((json_int_t)counts[i].value));
    return o;
}

static void say_far(session *s, const obb_cache_state *c)
{
    const obb_far_account *a = &c->far_account;
    char saved[40];
    obb_text trust = {0};
    for (size_t i = 0; i < c->far.trust.count; i++)
        obb_text_format(&trust, "%s%s", i ? ", " : "", c->far.trust.at[i]);
    terminal_say(stdout, "\nfar store %s: %s; takes objects of %s\n", c->far.url,
                 c->far.writes ? "objects are brought and sent" : "objects are brought",
                 trust.length ? trust.bytes : "nobody (state whose: trust ed25519:...)");
    obb_text_free(&trust);
    terminal_say(stdout,
                 "  brought  %llu, %s, which took %s to make; %llu were not there, %llu were refused\n",
                 (unsigned long long)a->hits, bytes_cell(s, a->bytes_in),
                 duration_text(saved, sizeof saved, a->saved), (unsigned long long)a->misses,
                 (unsigned long long)a->refused);
    terminal_say(stdout, "  sent     %llu, %s; %llu requests failed\n", (unsigned long long)a->sent,
                 bytes_cell(s, a->bytes_out), (unsigned long long)a->failures);
}

int show_store(session *s)
{
    table t = {.name = "store"};
    obb_cache_state c;
    int code = obb_look_at_cache(s->w, &c);
    if (code)
        return code;
    if (!c.folder && !s->options->json) {
        terminal_say(stdout, "the store is off (OBBLIGATO_STORE=off, or there is no home folder)\n");
        return 0;
    }
    table_row(&t, "folder", ">objects", ">size", ">limit", ">days since the oldest was used");
    if (c.there)
        table_row(&t, c.folder, count_text(s, c.entries), bytes_cell(s, c.bytes), bytes_cell(s, c.limit),
                  c.oldest ? obb_arena_format(s->w->arena, "%.1f", (double)(obb_now() - c.oldest) / 86400e9)
                           : "");
    if (s->options->json) {
        json_t *document = json_object();
        json_object_set_new(document, "rows", table_rows(&t));
        json_object_set_new(document, "far", far_document(&c));
        json_print(document, "store");
        return 0;
    }
    table_print(&t, false);
    if (c.far.url)
        say_far(s, &c);
    return 0;
}
