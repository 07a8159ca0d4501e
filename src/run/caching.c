/* Objects from the cache and into it (run/caching.h). */
#include "run/caching.h"

#include <string.h>

#include "base/path.h"

/* The word for the folder of generated headers of the action's variant, when nothing was read from it: then
 * it decides nothing, and other variants make the same object. NULL: it decides, or flags may be written
 * down. */
static const char *idle_folder(const obb_plan *plan, const obb_action *a, const obb_dependencies *d)
{
    const char *folder = obb_path_join(plan->arena, obb_variant_folder(plan->arena, plan->out, a->variant),
                                       "gen");
    bool idle = true;
    for (size_t i = 0; i < d->inputs.count && idle; i++)
        idle = !obb_path_within(obb_files_path(plan->files, d->inputs.at[i]), folder);
    for (size_t i = 0; i < a->argv.count && idle; i++)
        idle = !strstr(a->argv.at[i], "record-gcc-switches") && !strstr(a->argv.at[i], "record-command-line");
    return idle ? obb_arena_format(plan->arena, "-I%s", folder) : NULL;
}

/* All that decides what comes out of a compile (NASM alone writes the project's folder into it, and is
 * left out): its words except for the name of its output and of the
 * project's folder, the tool, what the scan depended on, and each text that it reads. */
obb_object_cache_key obb_caching_key(const obb_dependency_table *table, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_files *files = table->plan->files;
    obb_text text = {0};
    obb_object_cache_key none = {""};
    if (!a->options || !a->options->stored || a->options->language == OBB_ASM_INTEL ||
        a->in_place || d->undecided || a->output_word == SIZE_MAX)
        return none;
    obb_text_string(&text, "object 2");
    const char *idle = idle_folder(table->plan, a, d);
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = i == a->output_word                          ? ""
                        : i == a->root_word                          ? OBB_ROOT_WORD
                        : idle && strcmp(a->argv.at[i], idle) == 0 ? "-I{gen}"
                                                                     : a->argv.at[i];
        obb_text_add(&text, w, strlen(w) + 1);
    }
    obb_text_add(&text, &a->tools, sizeof a->tools);
    obb_text_add(&text, &d->scan, sizeof d->scan);
    bool known = true;
    for (size_t i = 0; i < d->inputs.count && known; i++) {
        obb_fingerprint fingerprint;
        const char *path = obb_files_path(files, d->inputs.at[i]);
        known = obb_files_fingerprint(files, d->inputs.at[i], &fingerprint) == 0;
        obb_text_add(&text, path, strlen(path) + 1);
        obb_text_add(&text, &fingerprint, sizeof fingerprint);
    }
    obb_object_cache_key key = known ? obb_object_cache_key_of(text.bytes, text.length) : none;
    obb_text_free(&text);
    return key;
}

bool obb_caching_take(obb_object_cache *cache, const obb_object_cache_key *key, const char *path,
                      obb_text *printed, obb_cost *cost)
{
    obb_object_cache_item item;
    if (!obb_object_cache_take(cache, key, &item))
        return false;
    bool taken = obb_file_replace(path, obb_text_bytes(&item.bytes), item.bytes.length, 0666) == 0;
    *cost = item.cost;
    if (taken && item.printed.length)
        obb_text_add(printed, item.printed.bytes, item.printed.length);
    obb_object_cache_item_free(&item);
    return taken;
}

static bool inputs_stayed(const obb_dependency_table *table, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_files *files = table->plan->files;
    bool same = true;
    for (size_t i = 0; i < d->inputs.count && same; i++) {
        obb_stamp now;
        const obb_stamp *then = obb_files_stamp(files, d->inputs.at[i]);
        same = then && obb_stamp_of(obb_files_path(files, d->inputs.at[i]), &now) &&
               obb_stamp_same(then, &now);
    }
    return same;
}

bool obb_caching_put(obb_object_cache *cache, const obb_object_cache_key *key,
                     const obb_dependency_table *table, const obb_action *a,
                     const obb_object_cache_item *item, obb_fingerprint output)
{
    obb_object_cache_item whole = {.cost = item->cost, .printed = item->printed};
    bool put = inputs_stayed(table, a) &&
               !obb_file_read(obb_files_path(table->plan->files, a->output), &whole.bytes) &&
               obb_fingerprint_same(obb_fingerprint_of(obb_text_bytes(&whole.bytes), whole.bytes.length),
                                    output) &&
               obb_object_cache_put(cache, key, &whole);
    obb_text_free(&whole.bytes);
    return put;
}
