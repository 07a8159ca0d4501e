/* Causes as phrases (up_to_date.h): what a line of a build, `why` and the record say. */
#include "run/up_to_date.h"

#include <string.h>

static size_t times(const obb_words *words, const char *word)
{
    size_t n = 0;
    for (size_t i = 0; i < words->count; i++)
        n += strcmp(words->at[i], word) == 0;
    return n;
}

static void add_difference(obb_text *text, const obb_words *a, const obb_words *b)
{
    size_t shown = 0;
    for (size_t i = 0; i < a->count; i++) {
        if (times(a, a->at[i]) <= times(b, a->at[i]))
            continue;
        if (++shown > 4) {
            obb_text_string(text, " ...");
            return;
        }
        obb_text_format(text, " %s", a->at[i]);
    }
}

static const char *command_difference(obb_arena *arena, const obb_record *record, const obb_action *a)
{
    obb_text text = {0}, more = {0}, less = {0};
    add_difference(&more, &a->argv, &record->argv);
    add_difference(&less, &record->argv, &a->argv);
    obb_text_string(&text, "the command changed: ");
    if (more.length)
        obb_text_format(&text, "now with%s%s", more.bytes, less.length ? ", " : "");
    if (less.length)
        obb_text_format(&text, "%swithout%s", more.length ? "" : "now ", less.bytes);
    if (!more.length && !less.length)
        obb_text_string(&text, "its words are in another order");
    const char *copy = obb_arena_string(arena, text.bytes);
    obb_text_free(&text);
    obb_text_free(&more);
    obb_text_free(&less);
    return copy;
}

const char *obb_cause_text(obb_arena *arena, obb_state *state, const obb_plan *plan,
                           const obb_action *action, obb_cause cause)
{
    const char *path = cause.file == OBB_NO_FILE ? "" : obb_files_path(plan->files, cause.file);
    switch (cause.kind) {
    case OBB_CAUSE_NONE: return "up to date";
    case OBB_CAUSE_NEVER_MADE: return "never made here before";
    case OBB_CAUSE_OUTPUT_GONE: return obb_arena_format(arena, "%s is gone", path);
    case OBB_CAUSE_OUTPUT_CHANGED:
        return obb_arena_format(arena, "%s%s was changed by something else", path,
                                action->also.count ? ", or what is made with it," : "");
    case OBB_CAUSE_TOOL:
        return obb_arena_format(arena, "the %s%s changed",
                                action->tool ? action->tool->role_name : "way obbligato does it",
                                action->kind == OBB_LINK_PROGRAM || action->kind == OBB_LINK_LIBRARY
                                    ? " or the linker behind it"
                                    : "");
    case OBB_CAUSE_COMMAND: return command_difference(arena, obb_state_record(state, action->output), action);
    case OBB_CAUSE_INPUT_CHANGED: return obb_arena_format(arena, "%s changed", path);
    case OBB_CAUSE_INPUT_NEW: return obb_arena_format(arena, "%s is read now and was not before", path);
    case OBB_CAUSE_INPUT_NO_MORE: return obb_arena_format(arena, "%s is not read any more", path);
    case OBB_CAUSE_INPUT_MISSING: return obb_arena_format(arena, "%s is missing", path);
    case OBB_CAUSE_INPUT_REMADE: return obb_arena_format(arena, "%s is made again first", path);
    }
    return "";
}
