/* Meaning of `runner`, `device` and `launch`.
 *
 * Words are kept with their placeholders, which are filled when something is run. Tools and programs that
 * they name become uses, so that they are built first. */
#include <string.h>

#include "project/read/steps.h"
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
        else if (items.at[i].vocable.id == OBB_W_RUN_IMAGE)
            runner->run_image = words;
        else if (items.at[i].vocable.id == OBB_W_DEBUG_IMAGE)
            runner->debug_image = words;
        else if (items.at[i].vocable.id == OBB_W_SUCCESS)
            read_success(r, &items.at[i], runner);
        else
            runner->summary = obb_item_value(&items.at[i]).text;
    }
    if (!runner->run.count && !runner->run_image.count) {
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

/* Whether a name in braces means something in a launch, which makes nothing and reads nothing. */
static bool means_something(const char *name)
{
    bool known = obb_starts(name, "source}") || obb_starts(name, "product:");
    for (const char *const *fact = obb_fact_names; *fact && !known; fact++)
        known = obb_starts(name, *fact);
    return known;
}

static void check_words(obb_reader *r, const obb_word_list *words)
{
    for (size_t i = 0; i < words->count; i++)
        for (const char *at = words->at[i].text; (at = strpbrk(at, "{}")); at++) {
            bool doubled = at[1] == at[0];
            if (!doubled && *at == '{' && !means_something(at + 1)) {
                obb_diag *d = obb_reader_fault(r, words->at[i].place, "`%s` means nothing in a launch",
                                               words->at[i].text);
                obb_hint(r->diags, d,
                         "{product:NAME}, {source}, {out}, {variant}, {axis:NAME} and {region:NAME} do");
                break;
            }
            at += doubled;
        }
}

static void set_launched(obb_reader *r, const obb_item *item, obb_launch *l)
{
    if (l->program)
        obb_reader_fault(r, item->head.place, "`%s`: a launch runs one thing, a program or an image",
                         item->head.text);
    l->program = obb_item_value(item).text;
}

/* Where it runs, seen from the file that states it, unless a placeholder in front stands for a path. */
static const char *launch_folder(obb_reader *r, const obb_word *value)
{
    static const char *const paths[] = {"{product:", "{source}", "{out}"};
    for (size_t i = 0; i < sizeof paths / sizeof *paths; i++)
        if (obb_starts(value->text, paths[i]))
            return value->text;
    return obb_reader_path(r, value);
}

static void read_launch_item(obb_reader *r, const obb_item *item, obb_launch *l)
{
    obb_word_list words = obb_item_values(r, item);
    check_words(r, &words);
    obb_read_products(r, &words, &l->products);
    obb_word value = obb_item_value(item);
    switch (item->vocable.id) {
    case OBB_W_SUMMARY: l->summary = value.text; break;
    case OBB_W_TESTED: case OBB_W_LAUNCHED_IMAGE: set_launched(r, item, l); break;
    case OBB_W_IN: l->folder = launch_folder(r, &value); break;
    case OBB_W_ARGS:
        for (size_t i = 0; i < words.count; i++)
            obb_arena_push(r->arena, &l->arguments, words.at[i]);
        break;
    default:
        obb_check_environment(r, &words);
        for (size_t i = 0; i < words.count; i++)
            obb_arena_push(r->arena, &l->environment, words.at[i]);
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
        obb_hint(r->diags, d, "state it: program NAME, or image NAME");
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

