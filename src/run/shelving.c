/* Objects from the shelf and onto it (state/shelf.h). */
#include <string.h>

#include "run/runner.h"

/* All that decides what comes out of a compile (NASM alone writes the project's folder into it, and is
 * left out): its words but for the name of its output and of the
 * project's folder, the tool, what the scan hung on, and each text that it reads. */
static obb_shelf_key key_of(runner *r, const obb_action *a)
{
    obb_text text = {0};
    obb_shelf_key none = {""};
    if (!r->options->shelf || !a->words || !a->words->stored || a->words->language == OBB_ASM_INTEL || a->in_place || a->undecided || a->output_word == SIZE_MAX)
        return none;
    obb_text_string(&text, "object 1");
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = i == a->output_word ? "" : i == a->root_word ? OBB_ROOT_WORD : a->argv.at[i];
        obb_text_add(&text, w, strlen(w) + 1);
    }
    obb_text_add(&text, &a->tools, sizeof a->tools);
    obb_text_add(&text, &a->scan, sizeof a->scan);
    bool known = true;
    for (size_t i = 0; i < a->inputs.count && known; i++) {
        obb_print print;
        const char *path = obb_files_path(r->plan->files, a->inputs.at[i]);
        known = obb_files_print(r->plan->files, a->inputs.at[i], &print) == 0;
        obb_text_add(&text, path, strlen(path) + 1);
        obb_text_add(&text, &print, sizeof print);
    }
    obb_shelf_key key = known ? obb_shelf_key_of(text.bytes, text.length) : none;
    obb_text_free(&text);
    return key;
}

bool obb_shelf_take_object(runner *r, child *c)
{
    obb_shelf_item item;
    c->key = key_of(r, c->action);
    c->inputs = c->action->inputs.count;
    if (!*c->key.text || !obb_shelf_take(r->options->shelf, &c->key, &item))
        return false;
    c->temporary = obb_run_work_file(r, c->action, "part");
    c->taken = obb_file_replace(c->temporary, obb_text_bytes(&item.bytes), item.bytes.length, 0666) == 0;
    c->shelved = item.milliseconds;
    if (c->taken && item.printed.length)
        obb_text_add(&c->command.output, item.printed.bytes, item.printed.length);
    obb_shelf_item_free(&item);
    if (c->taken)
        obb_child_settle(r, c, NULL);
    return c->taken;
}

/* Of texts that stayed as they were while they were read. */
void obb_shelf_fill(runner *r)
{
    for (size_t i = 0; i < r->shelvings.count; i++) {
        const shelving *s = &r->shelvings.at[i];
        obb_shelf_item item = {.milliseconds = s->milliseconds};
        const obb_record *record = obb_state_record(r->state, s->action->output);
        bool steady = record != NULL;
        for (size_t k = 0; steady && k < record->inputs.count; k++)
            steady = !obb_print_same(record->inputs.at[k].print, OBB_NO_PRINT);
        if (steady && !obb_file_read(obb_files_path(r->plan->files, s->action->output), &item.bytes) &&
            obb_print_same(obb_print_of(obb_text_bytes(&item.bytes), item.bytes.length), record->output)) {
            obb_text_string(&item.printed, s->printed);
            obb_shelf_put(r->options->shelf, &s->key, &item);
        }
        obb_shelf_item_free(&item);
    }
}
