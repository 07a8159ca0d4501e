/* The parts of a draft, one after the other (draft/draft.h). */
#include "draft/draft.h"

#include "draft/work.h"

const char *obb_draft(obb_arena *arena, const obb_draft_request *request, obb_text *text,
                      obb_draft_result *result)
{
    draft d = {.arena = arena, .request = request, .result = result};
    *result = (obb_draft_result){0};
    const char *why = draft_read_tree(&d);
    if (!why && request->database)
        why = draft_read_database(&d);
    for (size_t i = 0; i < d.files.count; i++)
        result->sources += draft_is_counted(d.files.at[i]);
    if (!why && result->sources) {
        draft_find_includes(&d);
        draft_find_packages(&d);
        why = draft_compile(&d);
    }
    if (!why && result->sources) {
        draft_find_targets(&d);
        draft_find_processors(&d);
        draft_find_libraries(&d);
        draft_use_packages(&d);
        draft_write(&d, text);
    }
    obb_map_free(&d.defined);
    obb_map_free(&d.answered);
    obb_map_free(&d.placed);
    obb_map_free(&d.compared);
    obb_map_free(&d.definers);
    obb_map_free(&d.usual);
    return why;
}
