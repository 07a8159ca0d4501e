/* Objects from the cache and into it (run/caching.h). */
#include "run/caching.h"

#include <string.h>

#include "base/path.h"
#include "state/packed.h"

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

/* The words of a compile except for the name of its output and of the project's folder. */
static void add_compile(const obb_dependency_table *table, const obb_action *a, obb_text *text)
{
    const char *idle = idle_folder(table->plan, a, obb_dependencies_of(table, a));
    obb_text_string(text, "object 2");
    for (size_t i = 0; i < a->argv.count; i++) {
        const char *w = i == a->output_word                          ? ""
                        : i == a->root_word                          ? OBB_ROOT_WORD
                        : idle && strcmp(a->argv.at[i], idle) == 0 ? "-I{gen}"
                                                                     : a->argv.at[i];
        obb_text_add(text, w, strlen(w) + 1);
    }
}

/* What a step says, in words, and what it makes. */
static void add_step(const obb_dependency_table *table, const obb_action *a, obb_text *text)
{
    const char *first = obb_files_path(table->plan->files, a->output);
    obb_text_string(text, "step 1");
    for (size_t i = 0; i < a->argv.count; i++)
        obb_text_add(text, a->argv.at[i], strlen(a->argv.at[i]) + 1);
    obb_text_add(text, first, strlen(first) + 1);
}

static bool is_kept(const obb_action *a, const obb_dependencies *d)
{
    if (a->step)
        return a->step->anywhere;
    return a->options && a->options->stored && a->options->language != OBB_ASM_INTEL && !a->in_place &&
           !d->undecided && a->output_word != SIZE_MAX;
}

/* All that decides what comes out of a compile (NASM alone writes the project's folder into it, and is left
 * out) or of a step that says so: its words, the tool, what the scan depended on, and each text that it
 * reads. */
obb_object_cache_key obb_caching_key(const obb_dependency_table *table, const obb_action *a)
{
    const obb_dependencies *d = obb_dependencies_of(table, a);
    obb_files *files = table->plan->files;
    obb_text text = {0};
    obb_object_cache_key none = {""};
    if (!is_kept(a, d))
        return none;
    (a->step ? add_step : add_compile)(table, a, &text);
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

/* --- what steps have made ------------------------------------------------------------ */

static const char *made_path(const obb_plan *plan, const obb_action *a, size_t i)
{
    return obb_files_path(plan->files, i ? a->also.at[i - 1] : a->output);
}

bool obb_caching_take_step(obb_object_cache *cache, const obb_object_cache_key *key, const obb_plan *plan,
                           const obb_action *a, obb_text *printed, obb_cost *cost)
{
    obb_object_cache_item item;
    obb_packed_file file;
    size_t at = 0;
    if (!obb_object_cache_take(cache, key, &item))
        return false;
    bool taken = true;
    for (size_t i = 0; i <= a->also.count && taken; i++)
        taken = obb_packed_next(&item.bytes, &at, &file) &&
                !obb_file_replace(made_path(plan, a, i), file.bytes, file.length,
                                  file.executable ? 0777 : 0666);
    *cost = item.cost;
    if (taken && item.printed.length)
        obb_text_add(printed, item.printed.bytes, item.printed.length);
    obb_object_cache_item_free(&item);
    return taken;
}

/* With the fingerprint of it all, as obb_outputs_fingerprint makes it. */
static bool pack(const obb_plan *plan, const obb_action *a, obb_text *text, obb_fingerprint *output)
{
    obb_hasher *hasher = obb_hasher_new();
    bool read = true;
    for (size_t i = 0; i <= a->also.count && read; i++) {
        obb_text one = {0};
        obb_stamp stamp;
        const char *path = made_path(plan, a, i);
        read = obb_stamp_of(path, &stamp) && !obb_file_read(path, &one);
        const obb_fingerprint print = obb_fingerprint_of(obb_text_bytes(&one), one.length);
        *output = print;
        obb_hasher_add(hasher, &print, sizeof print);
        if (read)
            obb_packed_add(text, obb_text_bytes(&one), one.length, stamp.executable);
        obb_text_free(&one);
    }
    const obb_fingerprint whole = obb_hasher_end(hasher);
    *output = a->also.count ? whole : *output;
    return read;
}

static bool read_made(const obb_plan *plan, const obb_action *a, obb_text *bytes, obb_fingerprint *output)
{
    if (a->step)
        return pack(plan, a, bytes, output);
    bool read = !obb_file_read(obb_files_path(plan->files, a->output), bytes);
    *output = obb_fingerprint_of(obb_text_bytes(bytes), bytes->length);
    return read;
}

bool obb_caching_put(obb_object_cache *cache, const obb_object_cache_key *key,
                     const obb_dependency_table *table, const obb_action *a,
                     const obb_object_cache_item *item, obb_fingerprint output)
{
    obb_object_cache_item whole = {.cost = item->cost, .printed = item->printed};
    obb_fingerprint read = OBB_NO_FINGERPRINT;
    bool put = inputs_stayed(table, a) && read_made(table->plan, a, &whole.bytes, &read) &&
               obb_fingerprint_same(read, output) && obb_object_cache_put(cache, key, &whole);
    obb_text_free(&whole.bytes);
    return put;
}

bool obb_caching_same(obb_object_cache *cache, const obb_object_cache_key *key, const obb_plan *plan,
                      const obb_action *a, bool *same)
{
    obb_object_cache_item there;
    obb_text here = {0};
    obb_fingerprint ignored;
    if (!obb_object_cache_take(cache, key, &there))
        return false;
    bool read = read_made(plan, a, &here, &ignored);
    *same = read && here.length == there.bytes.length &&
            (!here.length || memcmp(here.bytes, there.bytes.bytes, here.length) == 0);
    obb_text_free(&here);
    obb_object_cache_item_free(&there);
    return true;
}
