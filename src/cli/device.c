/* `load` and `probe`: an image onto a device, by the commands that the project's device states. */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>
#include <sys/stat.h>

#include "base/path.h"
#include "base/process.h"
#include "cli/build.h"
#include "cli/commands.h"
#include "cli/terminal.h"
#include "image/elf.h"
#include "report/report.h"
#include "base/commands.h"
#include "toolchain/spell.h"

typedef struct talk {
    session *s;
    const obb_device *device;
    const char *what;     /* load, verify ... */
    obb_command command;
    obb_commands commands;
    size_t shown;         /* of its output */
    unsigned long long done, total;
    obb_words said;       /* lines that are no progress */
    bool interrupted;
} talk;

/* --- which device, which image ------------------------------------------------------ */

static const obb_device *find_device(session *s, const char *name)
{
    const obb_project *p = s->project;
    obb_words names = {0};
    const obb_device *d = name ? obb_project_device(p, name) : p->devices.count == 1 ? p->devices.at[0] : NULL;
    if (d)
        return d;
    for (size_t i = 0; i < p->devices.count; i++)
        obb_arena_push(s->arena, &names, p->devices.at[i]->name);
    obb_arena_push(s->arena, &names, NULL);
    obb_diag *fault = name ? obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no device `%s`", name)
                           : obb_error(s->diags, OBB_FAULT_USAGE, OBB_NOWHERE, p->devices.count ? "the project has several devices" : "the project has no device");
    if (name)
        obb_hint_nearest(s->diags, fault, name, names.at);
    if (!fault->hint)
        obb_hint(s->diags, fault, p->devices.count ? "`obbligato show devices` lists them; choose one: --device NAME"
                                                   : "describe one: device NAME { load LOADER {address} {image}; probe LOADER info }");
    session_show_diags(s);
    return NULL;
}

static const obb_target *find_image(session *s)
{
    const obb_target *t = obb_project_target(s->project, s->options->names.at[0]);
    if (s->variants.count != 1) {
        session_fail(s, OBB_FAULT_USAGE, "`%s` is loaded in one variant", s->options->names.at[0], "choose one: -p PLATFORM -c CONFIGURATION, or --variant");
        return NULL;
    }
    if (t && t->kind == OBB_IMAGE)
        return t;
    session_fail(s, OBB_FAULT_USAGE, "`%s` is no image", s->options->names.at[0],
                 t && t->kind == OBB_PROGRAM ? "describe one: image NAME { from PROGRAM }" : "`obbligato show targets` lists them");
    return NULL;
}

/* The first address that the image's program is loaded at. */
static bool first_address(session *s, const obb_action *image, uint64_t *address)
{
    const char *wrong = NULL;
    const obb_elf *elf = image->image && image->image->program ? obb_elf_read(image->image->program, s->arena, &wrong) : NULL;
    *address = UINT64_MAX;
    for (size_t i = 0; elf && i < elf->sections.count; i++)
        if (elf->sections.at[i].allocated && elf->sections.at[i].has_contents && elf->sections.at[i].size && elf->sections.at[i].load_address < *address)
            *address = elf->sections.at[i].load_address;
    return *address != UINT64_MAX;
}

static int choose_address(session *s, const obb_action *image, const char **address)
{
    uint64_t first;
    *address = s->options->address;
    if (*address) {
        if (obb_read_size(*address, &first))
            return 0;
        return session_fail(s, OBB_FAULT_USAGE, "`%s` is no address", *address, "a number, decimal or 0x: --address 0x08000000");
    }
    if (!first_address(s, image, &first))
        return session_fail(s, OBB_FAULT_USAGE, "`%s` does not say where it belongs", s->options->names.at[0], "state it: --address 0");
    *address = obb_arena_format(s->arena, "0x%08llx", (unsigned long long)first);
    return 0;
}

/* --- one command of the device ------------------------------------------------------ */

static void show_progress(talk *t)
{
    char line[200];
    if (!t->total)
        return;
    int filled = (int)(t->done * 30 / t->total);
    snprintf(line, sizeof line, "%-8s  %s  %.*s%.*s  %llu of %llu bytes, %llu %%", t->what, t->device->name, filled,
             "##############################", 30 - filled, "..............................", t->done, t->total, t->done * 100 / t->total);
    terminal_progress(line);
}

/* Lines `N of M bytes` are how far it is; all others are shown. */
static void take_line(talk *t, const char *line, size_t length)
{
    unsigned long long done, total;
    int end = 0;
    char *copy = obb_arena_copy(t->s->arena, line, length);
    if (sscanf(copy, "%llu of %llu bytes%n", &done, &total, &end) == 2 && end && !copy[end] && done <= total) {
        t->done = done;
        t->total = total;
        show_progress(t);
        return;
    }
    terminal_progress("");
    obb_arena_push(t->s->arena, &t->said, copy);
    if (!t->s->options->json && (!t->s->options->quiet || t->command.status))
        terminal_say(stdout, "  %s\n", copy);
    fflush(stdout);
}

static void printed(obb_command *c)
{
    talk *t = c->self;
    for (const char *end; t->shown < c->output.length && (end = memchr(c->output.bytes + t->shown, '\n', c->output.length - t->shown));) {
        take_line(t, c->output.bytes + t->shown, (size_t)(end - c->output.bytes) - t->shown);
        t->shown = (size_t)(end - c->output.bytes) + 1;
    }
}

static void over(obb_command *c)
{
    talk *t = c->self;
    printed(c);
    if (t->shown < c->output.length)
        take_line(t, c->output.bytes + t->shown, c->output.length - t->shown);
    obb_commands_finish(&t->commands);
}

static void interrupted(void *self)
{
    talk *t = self;
    t->interrupted = true;
}

static const char *file_of(session *s, const char *image, const char *suffix)
{
    if (!image)
        return "";
    size_t n = strlen(image) - strlen(obb_path_suffix(image));
    return obb_arena_format(s->arena, "%.*s%s", (int)n, image, suffix);
}

/* The program that a tool of the project is built to. */
static const char *tool_path(session *s, const char *name)
{
    const obb_variant *home = obb_project_variant_named(s->project, OBB_TOOLS_VARIANT, NULL, OBB_NOWHERE, s->diags);
    const obb_target *tool = home ? obb_in(home, obb_project_target(s->project, name)) : NULL;
    if (!tool)
        return "";
    obb_naming naming = obb_naming_for(obb_variant_value(home, OBB_AXIS_OS), obb_toolchains_for(s->toolchains, home));
    return obb_program_path(s->arena, &naming, obb_variant_folder(s->arena, s->out, home), tool->output);
}

typedef OBB_VEC(obb_filling) filling_list;

static void add_filling(session *s, filling_list *list, const char *name, const char *value)
{
    obb_words *one = obb_arena_alloc(s->arena, sizeof *one);
    obb_arena_push(s->arena, one, value);
    obb_arena_push(s->arena, list, (obb_filling){name, one});
}

/* The words of a command; tools of the project by their paths. */
static bool fill(talk *t, const obb_word_list *said, const char *image, const char *address, obb_words *words)
{
    static const char *const forms[] = {".bin", ".hex", ".srec"};
    session *s = t->s;
    filling_list fillings = {0};
    obb_words templates = {0};
    add_filling(s, &fillings, "image", image ? image : "");
    add_filling(s, &fillings, "address", address);
    add_filling(s, &fillings, "out", obb_variant_folder(s->arena, s->out, s->variants.at[0]));
    for (size_t i = 0; i < sizeof forms / sizeof *forms; i++)
        add_filling(s, &fillings, obb_arena_format(s->arena, "image%s", forms[i]), file_of(s, image, forms[i]));
    for (size_t i = 0; i < t->device->tools.count; i++)
        add_filling(s, &fillings, obb_arena_format(s->arena, "tool:%s", t->device->tools.at[i].name), tool_path(s, t->device->tools.at[i].name));
    for (size_t i = 0; i < said->count; i++)
        obb_arena_push(s->arena, &templates, said->at[i].text);
    obb_fill_words(&templates, fillings.at, fillings.count, s->arena, words);
    const char *found = words->count ? obb_find_program(s->files, s->arena, words->at[0]) : NULL;
    if (found)
        return true;
    obb_diag *d = obb_error(s->diags, OBB_FAULT_OUTSIDE, t->device->place, "`%s` is not there; the device `%s` needs it to %s", words->count ? words->at[0] : "",
                            t->device->name, t->what);
    obb_hint(s->diags, d, "install it, or name a program of the project: {tool:NAME}");
    return false;
}

/* Runs it. 0, or an exit code with the error told; what it printed on standard error is shown. */
static int converse(talk *t, const char *what, const obb_word_list *said, const char *image, const char *address)
{
    obb_words words = {0};
    t->what = what;
    t->shown = 0;
    t->done = t->total = 0;
    if (!fill(t, said, image, address, &words))
        return session_show_diags(t->s);
    if (t->s->options->verbose) {
        obb_text line = {0};
        obb_text_shell_line(&line, words.at, words.count);
        terminal_say(stdout, "  %s\n", obb_text_bytes(&line));
        obb_text_free(&line);
    }
    obb_arena_push(t->s->arena, &words, NULL);
    t->command = (obb_command){.argv = words.at, .lock = -1, .apart = true, .over = over, .printed = printed, .self = t};
    t->commands = (obb_commands){.self = t, .interrupted = interrupted};
    obb_commands_open(&t->commands);
    obb_commands_start(&t->commands, &t->command);
    obb_commands_run(&t->commands);
    terminal_progress("");
    if (t->command.errors.length)
        fwrite(t->command.errors.bytes, 1, t->command.errors.length, stderr);
    obb_text_free(&t->command.output);
    obb_text_free(&t->command.errors);
    if (t->interrupted)
        return EXIT_INTERRUPTED;
    if (!t->command.failed && !t->command.status && !t->command.signal)
        return 0;
    obb_diag *d = obb_error(t->s->diags, OBB_FAULT_ACTION, OBB_NOWHERE, "the device `%s` could not be asked to %s: %s ended with status %d", t->device->name, what,
                            words.at[0], t->command.signal ? 128 + t->command.signal : t->command.status);
    obb_hint(t->s->diags, d, "-v shows the command; it is stated at %s:%d", t->device->place.file, t->device->place.line);
    return session_show_diags(t->s);
}

/* --- what is on it ------------------------------------------------------------------ */

static obb_print device_key(const obb_device *d)
{
    obb_printer *p = obb_printer_new();
    obb_printer_string(p, "image on device");
    obb_printer_string(p, d->name);
    return obb_printer_end(p);
}

static int remember(session *s, const obb_device *d, const char *text)
{
    obb_memo memo = obb_state_memo(s->state);
    memo.put(memo.self, device_key(d), text, strlen(text));
    return session_commit(s, 0);
}

static const char *recall(session *s, const obb_device *d)
{
    obb_memo memo = obb_state_memo(s->state);
    obb_text text = {0};
    const char *said = memo.get(memo.self, device_key(d), &text) ? obb_arena_copy(s->arena, text.bytes, text.length) : "";
    obb_text_free(&text);
    return said;
}

/* --- the commands ------------------------------------------------------------------- */

/* Programs of the project that the device's commands run are built first. */
static int build_for(session *s, const obb_device *d, const char *image)
{
    obb_words names = {0};
    options tools = *s->options;
    for (size_t i = 0; i < d->tools.count; i++) /* the project is read anew on the way */
        obb_arena_push(s->arena, &names, obb_arena_string(s->arena, d->tools.at[i].name));
    if (image) {
        int code = build_targets(s, stderr, false);
        if (code)
            return code;
        session_begin_anew(s);
    }
    if (!names.count)
        return 0;
    tools.names = names;
    tools.platforms = tools.configurations = tools.sets = tools.lineups = (obb_words){0};
    tools.variants = (obb_words){0};
    obb_arena_push(s->arena, &tools.variants, OBB_TOOLS_VARIANT);
    options *own = s->options;
    s->options = &tools;
    session_begin_anew(s);
    int code = build_targets(s, stderr, false);
    session_begin_anew(s);
    s->options = own;
    return code;
}

static void tell_result(session *s, const char *name, const talk *t, const char *image, const char *address, const char *state)
{
    if (!s->options->json)
        return;
    json_t *o = json_object();
    json_object_set_new(o, "device", json_string(t->device->name));
    if (image)
        json_object_set_new(o, "image", json_string(image));
    if (address)
        json_object_set_new(o, "address", json_string(address));
    json_t *said = json_array();
    for (size_t i = 0; i < t->said.count; i++)
        json_array_append_new(said, obb_report_text(t->said.at[i]));
    json_object_set_new(o, "said", said);
    json_object_set_new(o, "state", json_string(state));
    json_print(o, name);
}

static int write_image(talk *t, const char *image, const char *address, const char *name)
{
    session *s = t->s;
    struct stat st;
    char room[40];
    const obb_device *d = t->device;
    int64_t began = obb_now();
    if (!s->options->json && !s->options->quiet)
        terminal_say(stdout, "load      %s to %s at %s\n", image, d->name, address);
    int code = remember(s, d, obb_arena_format(s->arena, "not whole: loading %s began and did not end", name));
    if (code) /* what cannot be noted is not begun: `probe` would tell of an image that is gone */
        return code;
    code = converse(t, "load", &d->load, image, address);
    if (!code && d->verify.count)
        code = converse(t, "verify", &d->verify, image, address);
    if (code) {
        const char *state = obb_arena_format(s->arena, "not whole: loading %s failed", name);
        remember(s, d, state);
        terminal_ink(stderr, INK_ERROR, "the image on `%s` is not whole", d->name);
        terminal_say(stderr, "; load it again when the cause is gone\n");
        tell_result(s, "load", t, image, address, state);
        return code;
    }
    if (d->reset.count)
        code = converse(t, "reset", &d->reset, image, address);
    const char *state = obb_arena_format(s->arena, "%s, whole%s", name, d->verify.count ? " and verified" : "");
    int noted = remember(s, d, state);
    code = code ? code : noted;
    tell_result(s, "load", t, image, address, state);
    if (!code && !s->options->json && !s->options->quiet)
        terminal_say(stdout, "%lld bytes written%s%s, %s\n", stat(image, &st) ? 0ll : (long long)st.st_size, d->verify.count ? ", verified" : "",
               d->reset.count ? ", the device was reset" : "", duration_text(room, sizeof room, (unsigned long long)(obb_now() - began) / 1000000));
    return code;
}

int command_load(session *s)
{
    if (s->options->names.count != 1)
        return session_fail(s, OBB_FAULT_USAGE, "`load` takes one image%s", "", "obbligato load striker-image -p striker-m3 -c release");
    int code = session_read_project(s);
    const obb_device *device = code ? NULL : find_device(s, s->options->device);
    if (code || !device)
        return code ? code : OBB_FAULT_USAGE;
    if (!device->load.count)
        return session_fail(s, OBB_FAULT_DESCRIPTION, "the device `%s` does not say how it is loaded", device->name, "state it: load LOADER {address} {image}");
    const char *chosen = obb_arena_string(s->arena, device->name);
    code = session_choose_variants(s);
    if (code || !find_image(s))
        return code ? code : OBB_FAULT_USAGE;
    code = build_for(s, device, s->options->names.at[0]);
    if (!code && !s->options->dry_run)
        code = session_plan_named(s);
    if (code || s->options->dry_run)
        return code;
    talk t = {.s = s, .device = obb_project_device(s->project, chosen)};
    const obb_action *image = obb_plan_product(s->plan, obb_project_target(s->project, s->options->names.at[0]), s->variants.at[0]);
    const char *address;
    code = choose_address(s, image, &address);
    return code ? code : write_image(&t, obb_files_path(s->files, image->output), address, s->options->names.at[0]);
}

int command_probe(session *s)
{
    if (s->options->names.count > 1)
        return session_fail(s, OBB_FAULT_USAGE, "`probe` takes one device%s", "", "obbligato probe bench");
    int code = session_read_project(s);
    const char *name = s->options->names.count ? s->options->names.at[0] : s->options->device;
    const obb_device *device = code ? NULL : find_device(s, name);
    if (code || !device)
        return code ? code : OBB_FAULT_USAGE;
    if (!device->probe.count)
        return session_fail(s, OBB_FAULT_DESCRIPTION, "the device `%s` does not say how it is asked", device->name, "state it: probe LOADER info");
    const char *chosen = obb_arena_string(s->arena, device->name);
    code = build_for(s, device, NULL);
    if (code)
        return code;
    obb_words none = {0};
    options_name(s->options, &none); /* it is no target */
    code = session_plan_named(s);
    if (code)
        return code;
    talk t = {.s = s, .device = obb_project_device(s->project, chosen)};
    if (!s->options->json)
        terminal_say(stdout, "%s\n", chosen);
    code = converse(&t, "probe", &t.device->probe, NULL, "0");
    const char *state = recall(s, t.device);
    if (!code && *state && !s->options->json)
        terminal_say(stdout, "  loaded last from here: %s\n", state);
    if (!code)
        tell_result(s, "probe", &t, NULL, NULL, state);
    return code;
}
