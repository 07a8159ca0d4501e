/* `load` and `probe`: an image onto a device, and what is on it.
 *
 * Builds the image and the programs that the device's commands run, then hands over to build/loading.h.
 * Progress that the device reports becomes the progress line; its other lines are printed as they are. */
#include "build/loading.h"

#include <stdio.h>
#include <string.h>
#include <sys/stat.h>

#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "report/report.h"

typedef struct talk_view {
    session *s;
    const char *device;
} talk_view;

/* --- what is shown while a device is at work ---------------------------------------- */

static void show_command(void *self, const obb_words *argv)
{
    const talk_view *v = self;
    obb_text line = {0};
    obb_text_shell_line(&line, argv->at, argv->count);
    if (v->s->options->verbose)
        terminal_say(stdout, "  %s\n", obb_text_bytes(&line));
    obb_text_free(&line);
}

static void show_progress(void *self, const char *what, uint64_t done, uint64_t total)
{
    const talk_view *v = self;
    char line[200];
    if (!total)
        return;
    int filled = (int)(done * 30 / total);
    snprintf(line, sizeof line, "%-8s  %s  %.*s%.*s  %llu of %llu bytes, %llu %%", what, v->device, filled,
             "##############################", 30 - filled, "..............................",
             (unsigned long long)done, (unsigned long long)total, (unsigned long long)(done * 100 / total));
    terminal_progress(line);
}

static void show_line(void *self, const char *line)
{
    const talk_view *v = self;
    terminal_progress("");
    if (!v->s->options->json && !v->s->options->quiet)
        terminal_say(stdout, "  %s\n", line);
    fflush(stdout);
}

static void show_end(void *self, const char *errors, size_t length)
{
    (void)self;
    terminal_progress("");
    fwrite(errors, 1, length, stderr);
}

static void print_json(const obb_talk *t, const char *name, const char *image, const char *address)
{
    json_t *o = json_object(), *said = json_array();
    json_object_set_new(o, "device", json_string(t->device->name));
    if (image)
        json_object_set_new(o, "image", json_string(image));
    if (address)
        json_object_set_new(o, "address", json_string(address));
    for (size_t i = 0; i < t->said.count; i++)
        json_array_append_new(said, obb_report_text(t->said.at[i]));
    json_object_set_new(o, "said", said);
    json_object_set_new(o, "state", json_string(t->state));
    json_print(o, name);
}

/* --- the commands ------------------------------------------------------------------- */

/* Programs of the project that the device's commands run are built first. */
static int build_for(session *s, const obb_device *d, const char *image)
{
    obb_words names = {0};
    obb_request tools = s->options->request;
    for (size_t i = 0; i < d->tools.count; i++) /* loading reads the project again */
        obb_arena_push(s->w->arena, &names, obb_arena_string(s->w->arena, d->tools.at[i].name));
    if (image) {
        int code = build_targets(s, stderr, false);
        if (code)
            return code;
        obb_workspace_renew(s->w);
    }
    if (!names.count)
        return 0;
    tools.names = names;
    tools.platforms = tools.configurations = tools.sets = tools.lineups = (obb_words){0};
    tools.variants = (obb_words){0};
    obb_arena_push(s->w->arena, &tools.variants, OBB_TOOLS_VARIANT);
    s->w->request = &tools;
    obb_workspace_renew(s->w);
    int code = build_targets(s, stderr, false);
    obb_workspace_renew(s->w);
    s->w->request = &s->options->request;
    return code;
}

/* Loads what was built, and says so. */
static int load(session *s, const obb_device *device, const char *name)
{
    obb_workspace *w = s->w;
    const options *o = s->options;
    const obb_action *image = obb_plan_product(w->plan, obb_project_named(w->project, NULL, name),
                                               w->variants.at[0]);
    const char *address, *file = obb_files_path(w->files, image->output);
    talk_view v = {s, device->name};
    const obb_talk_observer observer = {&v, show_command, show_progress, show_line, show_end};
    obb_talk t = {.w = w, .device = device, .observer = &observer};
    struct stat st;
    char room[40];
    int64_t began = obb_now();
    int code = obb_find_address(w, name, o->address, &address);
    if (code)
        return code;
    if (!o->json && !o->quiet)
        terminal_say(stdout, "load      %s to %s at %s\n", file, device->name, address);
    code = obb_load(&t, name, file, address);
    if (!t.state)
        return code;
    if (code && obb_starts(t.state, "incomplete")) {
        terminal_ink(stderr, INK_ERROR, "the image on `%s` is incomplete", device->name);
        terminal_say(stderr, "; load it again when the cause is fixed\n");
    }
    if (o->json)
        print_json(&t, "load", file, address);
    if (!code && !o->json && !o->quiet)
        terminal_say(stdout, "%lld bytes written%s%s, %s\n", stat(file, &st) ? 0ll : (long long)st.st_size,
                     device->verify.count ? ", verified" : "",
                     device->reset.count ? ", the device was reset" : "",
                     duration_text(room, sizeof room, (unsigned long long)(obb_now() - began) / 1000000));
    return code;
}

int command_load(session *s)
{
    obb_workspace *w = s->w;
    const obb_words *names = &s->options->request.names;
    if (names->count != 1)
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "`load` takes one image%s", "",
                                  "obbligato load striker-image -p striker-m3 -c release");
    int code = obb_workspace_read_project(w);
    const obb_device *device = code ? NULL : obb_find_device(w, s->options->device);
    if (code || !device)
        return code ? code : OBB_FAULT_USAGE;
    if (!device->load.count)
        return obb_workspace_fail(w, OBB_FAULT_DESCRIPTION, "the device `%s` does not say how it is loaded",
                                  device->name, "state it: load LOADER {address} {image}");
    const char *chosen = obb_arena_string(w->arena, device->name);
    code = obb_workspace_choose_variants(w);
    if (code || !obb_find_image(w, names->at[0]))
        return code ? code : OBB_FAULT_USAGE;
    code = build_for(s, device, names->at[0]);
    if (!code && !s->options->request.dry_run)
        code = obb_plan_request(w);
    if (code || s->options->request.dry_run)
        return code;
    return load(s, obb_project_device(w->project, chosen), names->at[0]);
}

int command_probe(session *s)
{
    obb_workspace *w = s->w;
    const obb_words *names = &s->options->request.names;
    if (names->count > 1)
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "`probe` takes one device%s", "",
                                  "obbligato probe bench");
    int code = obb_workspace_read_project(w);
    const obb_device *device = code ? NULL
                                    : obb_find_device(w, names->count ? names->at[0] : s->options->device);
    if (code || !device)
        return code ? code : OBB_FAULT_USAGE;
    if (!device->probe.count)
        return obb_workspace_fail(w, OBB_FAULT_DESCRIPTION, "the device `%s` does not say how it is asked",
                                  device->name, "state it: probe LOADER info");
    const char *chosen = obb_arena_string(w->arena, device->name);
    code = build_for(s, device, NULL);
    if (code)
        return code;
    obb_words none = {0};
    options_name(s->options, &none); /* it is not a target */
    code = obb_plan_request(w);
    if (code)
        return code;
    talk_view v = {s, chosen};
    const obb_talk_observer observer = {&v, show_command, show_progress, show_line, show_end};
    obb_talk t = {.w = w, .device = obb_project_device(w->project, chosen), .observer = &observer};
    if (!s->options->json)
        terminal_say(stdout, "%s\n", chosen);
    code = obb_probe(&t);
    if (!code && *t.state && !s->options->json)
        terminal_say(stdout, "  last loaded from here: %s\n", t.state);
    if (!code && s->options->json)
        print_json(&t, "probe", NULL, NULL);
    return code;
}
