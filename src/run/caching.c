/* Objects from the cache and into it (state/object_cache.h). */
#include <string.h>

#include "run/scheduler.h"

/* All that decides what comes out of a compile (NASM alone writes the project's folder into it, and is
 * left out): its words except for the name of its output and of the
 * project's folder, the tool, what the scan depended on, and each text that it reads. */
static obb_object_cache_key key_of(runner *r, const obb_action *a)
{
    obb_text text = {0};
    obb_object_cache_key none = {""};
    if (!r->options->cache || !a->options || !a->options->stored || a->options->language == OBB_ASM_INTEL ||
        a->in_place || a->undecided || a->output_word == SIZE_MAX)
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
        obb_fingerprint fingerprint;
        const char *path = obb_files_path(r->plan->files, a->inputs.at[i]);
        known = obb_files_fingerprint(r->plan->files, a->inputs.at[i], &fingerprint) == 0;
        obb_text_add(&text, path, strlen(path) + 1);
        obb_text_add(&text, &fingerprint, sizeof fingerprint);
    }
    obb_object_cache_key key = known ? obb_object_cache_key_of(text.bytes, text.length) : none;
    obb_text_free(&text);
    return key;
}

bool obb_object_cache_take_object(runner *r, child *c)
{
    obb_object_cache_item item;
    c->key = key_of(r, c->action);
    c->inputs = c->action->inputs.count;
    if (!*c->key.text || !obb_object_cache_take(r->options->cache, &c->key, &item))
        return false;
    c->temporary = obb_run_work_file(r, c->action, "part");
    c->taken = obb_file_replace(c->temporary, obb_text_bytes(&item.bytes), item.bytes.length, 0666) == 0;
    c->cached = item.milliseconds;
    if (c->taken && item.printed.length)
        obb_text_add(&c->command.output, item.printed.bytes, item.printed.length);
    obb_object_cache_item_free(&item);
    if (c->taken)
        obb_child_settle(r, c, NULL);
    return c->taken;
}

/* Of texts that stayed as they were while they were read. */
void obb_object_cache_fill(runner *r)
{
    for (size_t i = 0; i < r->cachings.count; i++) {
        const caching *s = &r->cachings.at[i];
        obb_object_cache_item item = {.milliseconds = s->milliseconds};
        const obb_record *record = obb_state_record(r->state, s->action->output);
        bool steady = record != NULL;
        for (size_t k = 0; steady && k < record->inputs.count; k++)
            steady = !obb_fingerprint_same(record->inputs.at[k].fingerprint, OBB_NO_FINGERPRINT);
        if (steady && !obb_file_read(obb_files_path(r->plan->files, s->action->output), &item.bytes) &&
            obb_fingerprint_same(obb_fingerprint_of(obb_text_bytes(&item.bytes), item.bytes.length),
                                 record->output)) {
            obb_text_string(&item.printed, s->printed);
            obb_object_cache_put(r->options->cache, &s->key, &item);
        }
        obb_object_cache_item_free(&item);
    }
}
