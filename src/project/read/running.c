/* Meaning of `runner`, `device` and `launch`.
 *
 * Words are kept with their placeholders, which are filled when something is run. Tools and programs that
 * they name become uses, so that they are built first. */
#include <string.h>

#include "base/fill.h"
#include "project/read/reader.h"

/* --- runners ------------------------------------------------------------------------ */

static void read_success(obb_reader *r, const obb_item *item, obb_runner *runner)
{
    obb_word value = obb_item_value(item);
    uint64_t status;
    if (obb_read_size(value.text, &status) && status <= 255) {
        runner->success = (int)status;
        return;
    }
    obb_diag *d = obb_reader_fault(r, value.place, "`%s` is not an exit code", value.text);
    obb_hint(r->diags, d, "a number from 0 to 255");
}

static void read_runner(obb_reader *r, const obb_item *item)
{
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    const obb_runner *before = obb_project_runner(r->project, item->name.text);
    if (before) {
        obb_reader_twice(r, "runners", item->name.text, item->name.place, before->place);
        return;
    }
    obb_runner *runner = obb_arena_alloc(r->arena, sizeof *runner);
    runner->name = item->name.text;
    runner->place = item->name.place;
    obb_items items = obb_reader_items(r, item->block, OBB_IN_RUNNER, NULL);
    for (size_t i = 0; i < items.count; i++) {
        obb_word_list words = obb_item_values(r, &items.at[i]);
        if (items.at[i].vocable.id == OBB_W_RUN)
            runner->run = words;
        else if (items.at[i].vocable.id == OBB_W_DEBUG)
            runner->debug = words;
        else if (items.at[i].vocable.id == OBB_W_SUCCESS)
            read_success(r, &items.at[i], runner);
        else
            runner->summary = obb_item_value(&items.at[i]).text;
    }
    if (!runner->run.count) {
        obb_diag *d = obb_reader_fault(r, runner->place, "the runner `%s` does not say how it runs",
                                       runner->name);
        obb_hint(r->diags, d, "state it: run EMULATOR {program} {arguments}");
    }
    obb_arena_push(r->arena, &r->project->runners, runner);
}

void obb_read_runners(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++)
        if (top->at[i].vocable.id == OBB_W_RUNNER)
            read_runner(r, &top->at[i]);
}

/* --- devices ------------------------------------------------------------------------ */

static obb_word_list *device_words(obb_device *d, obb_word_id id)
{
    switch (id) {
    case OBB_W_PROBE: return &d->probe;
    case OBB_W_LOAD: return &d->load;
    case OBB_W_VERIFY: return &d->verify;
    default: return &d->reset;
    }
}

static void read_device(obb_reader *r, const obb_item *item)
{
    const obb_device *before = obb_project_device(r->project, item->name.text ? item->name.text : "");
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    if (before) {
        obb_reader_twice(r, "devices", item->name.text, item->name.place, before->place);
        return;
    }
    obb_device *d = obb_arena_alloc(r->arena, sizeof *d);
    *d = (obb_device){.name = item->name.text, .place = item->name.place};
    obb_items items = obb_reader_items(r, item->block, OBB_IN_DEVICE, NULL);
    for (size_t i = 0; i < items.count; i++) {
        if (items.at[i].vocable.id == OBB_W_SUMMARY) {
            d->summary = obb_item_value(&items.at[i]).text;
            continue;
        }
        obb_word_list words = obb_item_values(r, &items.at[i]);
        *device_words(d, items.at[i].vocable.id) = words;
        obb_read_tools(r, &words, NULL, &d->tools);
    }
    if (!d->load.count && !d->probe.count) {
        obb_diag *fault =
            obb_reader_fault(r, d->place, "the device `%s` says neither how it is loaded nor how it is asked",
                             d->name);
        obb_hint(r->diags, fault, "state it: load {tool:LOADER} {image} {address}; probe {tool:LOADER} info");
    }
    obb_arena_push(r->arena, &r->project->devices, d);
}

/* --- launches ----------------------------------------------------------------------- */

/* A launch belongs to no variant, so it has no placeholders. */
static void check_plain(obb_reader *r, const obb_word_list *words, const obb_vocable *v)
{
    const char *const *kept = obb_vocable_placeholders(v->id);
    for (size_t i = 0; i < words->count; i++)
        for (const char *const *k = kept; k && *k; k++) {
            const char *at = strstr(words->at[i].text, *k);
            if (!at || at == words->at[i].text || at[-1] != '{')
                continue;
            obb_reader_fault(r, words->at[i].place, "`%s` in a launch: braces are for steps and tests",
                             words->at[i].text);
            break;
        }
}

static bool no_value(void *self, const char *name, bool alone, obb_words *words)
{
    (void)self, (void)name, (void)alone, (void)words;
    return false;
}

/* A launch has no placeholders of its own, but braces are written as everywhere. */
static obb_word with_plain_braces(obb_reader *r, obb_word word)
{
    static const obb_fill fill = {no_value, NULL};
    obb_words filled = {0};
    obb_fill_word(&fill, word.text, r->arena, &filled);
    word.text = filled.at[0];
    return word;
}

static void read_launch_item(obb_reader *r, const obb_item *item, obb_launch *l)
{
    obb_word_list words = obb_item_values(r, item);
    check_plain(r, &words, &item->vocable);
    obb_word value = obb_item_value(item);
    switch (item->vocable.id) {
    case OBB_W_SUMMARY: l->summary = value.text; break;
    case OBB_W_TESTED: l->program = value.text; break;
    case OBB_W_IN: l->folder = obb_reader_path(r, &value); break;
    case OBB_W_ARGS:
        for (size_t i = 0; i < words.count; i++)
            obb_arena_push(r->arena, &l->arguments, with_plain_braces(r, words.at[i]));
        break;
    default:
        obb_check_environment(r, &words);
        for (size_t i = 0; i < words.count; i++)
            obb_arena_push(r->arena, &l->environment, with_plain_braces(r, words.at[i]));
    }
}

static void read_launch(obb_reader *r, const obb_item *item)
{
    const obb_launch *before = obb_project_launch(r->project, item->name.text ? item->name.text : "");
    if (!obb_reader_name_ok(r, &item->name) || !item->block)
        return;
    if (before) {
        obb_reader_twice(r, "launches", item->name.text, item->name.place, before->place);
        return;
    }
    obb_launch *l = obb_arena_alloc(r->arena, sizeof *l);
    *l = (obb_launch){.name = item->name.text, .place = item->name.place};
    obb_items items = obb_reader_items(r, item->block, OBB_IN_LAUNCH, NULL);
    for (size_t i = 0; i < items.count; i++)
        read_launch_item(r, &items.at[i], l);
    if (!l->program) {
        obb_diag *d = obb_reader_fault(r, l->place, "the launch `%s` does not say what it runs", l->name);
        obb_hint(r->diags, d, "state it: program NAME");
    }
    obb_arena_push(r->arena, &r->project->launches, l);
}

void obb_read_launches(obb_reader *r, obb_items *top)
{
    for (size_t i = 0; i < top->count; i++) {
        if (top->at[i].vocable.id == OBB_W_DEVICE)
            read_device(r, &top->at[i]);
        if (top->at[i].vocable.id == OBB_W_LAUNCH)
            read_launch(r, &top->at[i]);
    }
}

/* --- looking things up -------------------------------------------------------------- */

