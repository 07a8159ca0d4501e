/* Talking to a device through its commands (build/loading.h). A command's output is read line by line while
 * it runs.
 *
 * The words of a command are filled like those of steps; programs of the project among them have been built
 * before. The state notes an image as incomplete before the first command starts and as whole after the last
 * has succeeded, so a broken load never looks like a good one. */
#include "build/loading.h"

#include <stdio.h>
#include <string.h>

#include "base/commands.h"
#include "base/path.h"
#include "build/build.h"
#include "toolchain/spell.h"

/* One command of a device while it runs. */
typedef struct conversation {
    obb_talk *talk;
    const char *what;     /* load, verify ... */
    obb_command command;
    obb_commands commands;
    size_t shown;         /* of its output */
    bool interrupted;
} conversation;

/* --- which device, which image ------------------------------------------------------ */

const obb_device *obb_find_device(obb_workspace *w, const char *name)
{
    const obb_project *p = w->project;
    obb_words names = {0};
    const obb_device *d = name                    ? obb_project_device(p, name)
                          : p->devices.count == 1 ? p->devices.at[0]
                                                  : NULL;
    if (d)
        return d;
    for (size_t i = 0; i < p->devices.count; i++)
        obb_arena_push(w->arena, &names, p->devices.at[i]->name);
    obb_arena_push(w->arena, &names, NULL);
    obb_diag *fault = name
                          ? obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE, "there is no device `%s`", name)
                          : obb_error(w->diags, OBB_FAULT_USAGE, OBB_NOWHERE,
                                      p->devices.count ? "the project has several devices"
                                                       : "the project has no device");
    if (name)
        obb_hint_nearest(w->diags, fault, name, names.at);
    if (!fault->hint)
        obb_hint(w->diags, fault,
                 p->devices.count
                     ? "`obbligato show devices` lists them; choose one: --device NAME"
                     : "describe one: device NAME { load LOADER {address} {image}; probe LOADER info }");
    obb_workspace_tell(w);
    return NULL;
}

const obb_target *obb_find_image(obb_workspace *w, const char *name)
{
    const obb_target *t = obb_project_named(w->project, NULL, name);
    if (w->variants.count != 1) {
        obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` is loaded in one variant", name,
                           "choose one: -p PLATFORM -c CONFIGURATION, or --variant");
        return NULL;
    }
    if (t && t->kind == OBB_IMAGE)
        return t;
    obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` is not an image", name,
                       t && t->kind == OBB_PROGRAM ? "describe one: image NAME { from PROGRAM }"
                                                   : "`obbligato show targets` lists them");
    return NULL;
}

/* The first address of the image: where its program is loaded, or where its first region begins. */
static bool first_address(obb_workspace *w, const obb_action *image, uint64_t *address)
{
    obb_image_layout layout = {0};
    bool known = image->image && !obb_image_lay_out(image->image, w->arena, &layout) && layout.addressed;
    *address = layout.start;
    return known;
}

int obb_find_address(obb_workspace *w, const char *name, const char *stated, const char **address)
{
    uint64_t first;
    const obb_action *image = obb_plan_product(w->plan, obb_project_named(w->project, NULL, name),
                                               w->variants.at[0]);
    *address = stated;
    if (stated && obb_read_size(stated, &first))
        return 0;
    if (stated)
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` is not an address", stated,
                                  "a number, decimal or 0x: --address 0x08000000");
    if (!first_address(w, image, &first))
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` does not say where it belongs", name,
                                  "state it: --address 0");
    *address = obb_arena_format(w->arena, "0x%08llx", (unsigned long long)first);
    return 0;
}

/* --- one command of the device ------------------------------------------------------ */

static void take_line(conversation *t, const char *line, size_t length)
{
    unsigned long long done, total;
    int end = 0;
    const obb_talk_observer *o = t->talk->observer;
    char *copy = obb_arena_copy(t->talk->w->arena, line, length);
    if (sscanf(copy, "%llu of %llu bytes%n", &done, &total, &end) == 2 && end && !copy[end] &&
        done <= total) {
        if (o->progress)
            o->progress(o->self, t->what, done, total);
        return;
    }
    obb_arena_push(t->talk->w->arena, &t->talk->said, copy);
    if (o->line)
        o->line(o->self, copy);
}

static void printed(obb_command *c)
{
    conversation *t = c->self;
    for (const char *end; t->shown < c->output.length &&
                          (end = memchr(c->output.bytes + t->shown, '\n', c->output.length - t->shown));) {
        take_line(t, c->output.bytes + t->shown, (size_t)(end - c->output.bytes) - t->shown);
        t->shown = (size_t)(end - c->output.bytes) + 1;
    }
}

static void over(obb_command *c)
{
    conversation *t = c->self;
    printed(c);
    if (t->shown < c->output.length)
        take_line(t, c->output.bytes + t->shown, c->output.length - t->shown);
    obb_commands_finish(&t->commands);
}

static void interrupted(void *self)
{
    conversation *t = self;
    t->interrupted = true;
}

static const char *file_of(obb_workspace *w, const char *image, const char *suffix)
{
    if (!image)
        return "";
    size_t n = strlen(image) - strlen(obb_path_suffix(image));
    return obb_arena_format(w->arena, "%.*s%s", (int)n, image, suffix);
}

/* The program that a tool of the project is built to. */
static const char *tool_path(obb_workspace *w, const char *name)
{
    const obb_variant *home = obb_project_variant_named(w->project, OBB_TOOLS_VARIANT, NULL, OBB_NOWHERE,
                                                        w->diags);
    const obb_target *tool = home ? obb_in(home, obb_project_named(w->project, NULL, name)) : NULL;
    if (!tool)
        return "";
    return obb_workspace_product_path(w, home, tool);
}

typedef OBB_VEC(obb_filling) filling_list;

static void add_filling(obb_workspace *w, filling_list *list, const char *name, const char *value)
{
    obb_words *one = obb_arena_alloc(w->arena, sizeof *one);
    obb_arena_push(w->arena, one, value);
    obb_arena_push(w->arena, list, (obb_filling){name, one});
}

/* The words of a command; tools of the project by their paths. */
static bool fill(conversation *t, const obb_word_list *said, const char *image, const char *address,
                 obb_words *words)
{
    static const char *const forms[] = {".bin", ".hex", ".srec"};
    obb_workspace *w = t->talk->w;
    filling_list fillings = {0};
    obb_words templates = {0};
    add_filling(w, &fillings, "image", image ? image : "");
    add_filling(w, &fillings, "address", address);
    add_filling(w, &fillings, "out", obb_variant_folder(w->arena, w->out, w->variants.at[0]));
    for (size_t i = 0; i < sizeof forms / sizeof *forms; i++)
        add_filling(w, &fillings, obb_arena_format(w->arena, "image%s", forms[i]),
                    file_of(w, image, forms[i]));
    for (size_t i = 0; i < t->talk->device->tools.count; i++)
        add_filling(w, &fillings, obb_arena_format(w->arena, "tool:%s", t->talk->device->tools.at[i].name),
                    tool_path(w, t->talk->device->tools.at[i].name));
    for (size_t i = 0; i < said->count; i++)
        obb_arena_push(w->arena, &templates, said->at[i].text);
    const obb_filling_list list = {fillings.at, fillings.count, w->variants.at[0], w->arena};
    obb_fill_words(&templates, &list, words);
    const char *found = words->count ? obb_find_program(w->files, w->arena, words->at[0]) : NULL;
    if (found)
        return true;
    obb_diag *d = obb_error(w->diags, OBB_FAULT_OUTSIDE, t->talk->device->place,
                            "`%s` is not there; the device `%s` needs it to %s",
                            words->count ? words->at[0] : "", t->talk->device->name, t->what);
    obb_hint(w->diags, d, "install it, or name a program of the project: {tool:NAME}");
    return false;
}

/* Runs it. 0, or an exit code with the messages told. */
static int converse(obb_talk *talk, const char *what, const obb_word_list *said, const char *image,
                    const char *address)
{
    const obb_talk_observer *o = talk->observer;
    conversation t = {.talk = talk, .what = what};
    obb_words words = {0};
    if (!fill(&t, said, image, address, &words))
        return obb_workspace_tell(talk->w);
    if (o->command)
        o->command(o->self, &words);
    obb_arena_push(talk->w->arena, &words, NULL);
    t.command = (obb_command){.argv = words.at,
                              .lock = -1,
                              .apart = true,
                              .over = over,
                              .printed = printed,
                              .self = &t};
    t.commands = (obb_commands){.self = &t, .interrupted = interrupted};
    obb_commands_open(&t.commands);
    obb_commands_start(&t.commands, &t.command);
    obb_commands_run(&t.commands);
    if (o->ended)
        o->ended(o->self, obb_text_bytes(&t.command.errors), t.command.errors.length);
    obb_text_free(&t.command.output);
    obb_text_free(&t.command.errors);
    if (t.interrupted)
        return OBB_BUILD_INTERRUPTED;
    if (!t.command.failed && !t.command.status && !t.command.signal)
        return 0;
    obb_diag *d = obb_error(talk->w->diags, OBB_FAULT_ACTION, OBB_NOWHERE,
                            "the device `%s` could not be asked to %s: %s ended with status %d",
                            talk->device->name, what, words.at[0],
                            t.command.signal ? 128 + t.command.signal : t.command.status);
    obb_hint(talk->w->diags, d, "-v shows the command; it is stated at %s:%d", talk->device->place.file,
             talk->device->place.line);
    return obb_workspace_tell(talk->w);
}

/* --- what is on it ------------------------------------------------------------------ */

static obb_fingerprint device_key(const obb_device *d)
{
    obb_hasher *p = obb_hasher_new();
    obb_hasher_string(p, "image on device");
    obb_hasher_string(p, d->name);
    return obb_hasher_end(p);
}

static int remember(obb_workspace *w, const obb_device *d, const char *text)
{
    obb_memo memo = obb_state_memo(w->state);
    memo.put(memo.self, device_key(d), text, strlen(text));
    return obb_workspace_commit(w, 0);
}

static const char *recall(obb_workspace *w, const obb_device *d)
{
    obb_memo memo = obb_state_memo(w->state);
    obb_text text = {0};
    const char *said = memo.get(memo.self, device_key(d), &text)
                           ? obb_arena_copy(w->arena, text.bytes, text.length)
                           : "";
    obb_text_free(&text);
    return said;
}

int obb_load(obb_talk *t, const char *name, const char *file, const char *address)
{
    obb_workspace *w = t->w;
    const obb_device *d = t->device;
    int code = remember(w, d,
                        obb_arena_format(w->arena, "incomplete: loading %s began and did not end", name));
    if (code) /* without a note nothing is loaded: `probe` would report an image that is gone */
        return code;
    code = converse(t, "load", &d->load, file, address);
    if (!code && d->verify.count)
        code = converse(t, "verify", &d->verify, file, address);
    if (code) {
        t->state = obb_arena_format(w->arena, "incomplete: loading %s failed", name);
        remember(w, d, t->state);
        return code;
    }
    if (d->reset.count)
        code = converse(t, "reset", &d->reset, file, address);
    t->state = obb_arena_format(w->arena, "%s, complete%s", name, d->verify.count ? " and verified" : "");
    int noted = remember(w, d, t->state);
    return code ? code : noted;
}

int obb_probe(obb_talk *t)
{
    int code = converse(t, "probe", &t->device->probe, NULL, "0");
    t->state = recall(t->w, t->device);
    return code;
}
