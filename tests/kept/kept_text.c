/* What is kept of a build (state/snapshot.h), as text: the files it depends on, and each action with all its fields, in
 * an order that does not depend on numbers. What was renewed after edits must read like what is written again.
 *
 *     kept-text READY-FILE
 */
#include <stdio.h>
#include <stdlib.h>
#include <string.h>

#include "plan/serialized.h"
#include "state/snapshot.h"

enum { KEY_AT = 16 }; /* in the header of the file: behind the magic word and a seal */

static obb_snapshot *ready;
static obb_files *files;

static obb_file tell(void *self, obb_file kept)
{
    (void)self;
    return obb_files_number(files, obb_snapshot_path(ready, kept));
}

static obb_file number(void *self, obb_file file)
{
    (void)self;
    return obb_snapshot_number(ready, obb_files_path(files, file));
}

static int by_text(const void *a, const void *b)
{
    return strcmp(*(const char *const *)a, *(const char *const *)b);
}

static void add_sorted(obb_text *text, const char *what, obb_words *words)
{
    if (words->count)
        qsort(words->at, words->count, sizeof *words->at, by_text);
    obb_text_format(text, " %s:", what);
    for (size_t i = 0; i < words->count; i++)
        obb_text_format(text, " %s", words->at[i]);
    obb_text_string(text, "\n");
}

static void add_paths(obb_arena *arena, obb_text *text, const char *what, const obb_file_list *list)
{
    obb_words words = {0};
    for (size_t i = 0; i < list->count; i++)
        obb_arena_push(arena, &words, obb_files_path(files, list->at[i]));
    add_sorted(text, what, &words);
}

static const char *text_of(obb_arena *arena, const obb_plan *plan, const obb_action *a)
{
    obb_text text = {0};
    obb_words needs = {0};
    obb_text_format(&text, "%s kind %d target %s variant %s command %016llx%016llx tools %016llx output word %zd root word %zd in place %d\n words:",
                    obb_files_path(files, a->output), a->kind, a->target->name, a->variant->name, (unsigned long long)a->command.high,
                    (unsigned long long)a->command.low, (unsigned long long)a->tools.low, (ssize_t)a->output_word, (ssize_t)a->root_word, a->in_place);
    for (size_t i = 0; i < a->argv.count; i++)
        obb_text_format(&text, " %s", a->argv.at[i]);
    obb_text_string(&text, "\n");
    add_paths(arena, &text, "also makes", &a->also);
    if (a->options) {
        obb_text_format(&text, " source: %s language %d stored %d\n defines:", obb_files_path(files, a->source), a->options->language, a->options->stored);
        for (size_t i = 0; i < a->options->defines.count; i++)
            obb_text_format(&text, " %s", a->options->defines.at[i]);
        obb_text_string(&text, "\n includes:");
        for (size_t i = 0; i < a->options->includes.count; i++)
            obb_text_format(&text, " %s", a->options->includes.at[i]);
        obb_text_string(&text, "\n");
    } else {
        add_paths(arena, &text, "reads", &a->stated.inputs);
        for (size_t i = 0; i < a->stated.needs.count; i++)
            obb_arena_push(arena, &needs, obb_files_path(files, plan->actions.at[a->stated.needs.at[i]]->output));
        add_sorted(&text, "needs", &needs);
    }
    const char *copy = obb_arena_string(arena, text.bytes);
    obb_text_free(&text);
    return copy;
}

int main(int argc, char **argv)
{
    obb_fingerprint key;
    obb_text bytes = {0};
    obb_arena *arena = obb_arena_new();
    files = obb_files_new();
    if (argc != 2 || obb_file_read(argv[1], &bytes) || bytes.length < KEY_AT + sizeof key)
        return fprintf(stderr, "kept-text READY-FILE\n"), 2;
    memcpy(&key, bytes.bytes + KEY_AT, sizeof key);
    ready = obb_snapshot_open(argv[1], key);
    obb_plan_bytes plan_bytes = {.vouch = obb_snapshot_vouches, .self = ready};
    plan_bytes.at = ready ? obb_snapshot_plan(ready, &plan_bytes.length) : NULL;
    if (ready && !plan_bytes.length) /* renewed so often that the next build is to write it anew */
        return puts("no plan"), 0;
    obb_serialized_plan *kept = plan_bytes.at ? obb_serialized_plan_open(&plan_bytes, arena) : NULL;
    if (!kept)
        return fprintf(stderr, "%s: nothing is kept, or it is damaged\n", argv[1]), 1;
    obb_file_list all = {0}, others = {0};
    obb_words reached = {0};
    for (obb_file f = 0, count = obb_snapshot_number(ready, "\001"); f < count; f++) { /* a name that nobody has gets the next number */
        obb_file_list one = {0};
        obb_arena_push(arena, &one, f);
        obb_serialized_plan *alone = obb_serialized_plan_open(&plan_bytes, arena);
        if (obb_serialized_plan_reaches(alone, &one, &others)) /* else the plan itself depends on it */
            obb_arena_push(arena, &all, f);
        if (obb_serialized_plan_reached(alone))
            obb_arena_push(arena, &reached, obb_arena_format(arena, "%s reaches %zu", obb_snapshot_path(ready, f), obb_serialized_plan_reached(alone)));
    }
    others.count = 0;
    const obb_file_mapping files_of = {NULL, tell, number};
    if (!obb_serialized_plan_reaches(kept, &all, &others))
        return fprintf(stderr, "%s: it hangs on more than files\n", argv[1]), 1;
    obb_toolchains *toolchains = obb_toolchains_new(arena, files, obb_no_memo);
    obb_plan *plan = obb_serialized_plan_subplan(kept, &files_of, &(const obb_plan_input){.arena = arena, .files = files, .toolchains = toolchains, .scanner = obb_scanner_new(files), .out = "out"});
    obb_words texts = {0}, names = {0}, left_out = {0};
    for (size_t i = 0; i < plan->actions.count; i++)
        obb_arena_push(arena, &texts, text_of(arena, plan, plan->actions.at[i]));
    if (texts.count)
        qsort(texts.at, texts.count, sizeof *texts.at, by_text);
    for (size_t i = 0; i < texts.count; i++)
        fputs(texts.at[i], stdout);
    obb_serialized_plan_variants(kept, arena, &names);
    obb_serialized_plan_left_out(kept, arena, &left_out);
    if (reached.count)
        qsort(reached.at, reached.count, sizeof *reached.at, by_text);
    for (size_t i = 0; i < reached.count; i++)
        puts(reached.at[i]);
    for (size_t i = 0; i < names.count; i++)
        printf("variant %s\n", names.at[i]);
    for (size_t i = 0; i < left_out.count; i++)
        printf("left out %s\n", left_out.at[i]);
    printf("%zu actions of %zu\n", plan->actions.count, obb_serialized_plan_count(kept));
    if (!obb_serialized_plan_is_sound(kept))
        return fprintf(stderr, "%s: a part of it is damaged\n", argv[1]), 1;
    return 0;
}
