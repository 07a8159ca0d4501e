/* Drafting a description of a tree (build/draft.h). */
#include "build/draft.h"

#include <ctype.h>
#include <errno.h>
#include <string.h>
#include <unistd.h>
#include <uv.h>

#include "base/path.h"
#include "build/outcome.h"
#include "project/vocabulary.h"
#include "score/score.h"

static void add_sources(obb_workspace *w, const obb_block *block, const char *folder, obb_words *known)
{
    for (size_t i = 0; i < block->list.count; i++) {
        const obb_statement *s = block->list.at[i];
        bool sources = strcmp(s->words.at[0].text, "sources") == 0;
        for (size_t k = 1; sources && k < s->words.count && strcmp(s->words.at[k].text, "except") != 0; k++)
            obb_arena_push(w->arena, known, obb_path_join(w->arena, folder, s->words.at[k].text));
        if (s->block)
            add_sources(w, s->block, folder, known);
    }
}

/* Patterns of sources that the project's own descriptions state. */
static void list_known(obb_workspace *w, obb_words *known)
{
    for (size_t i = 0; i < w->project->own_descriptions.count; i++) {
        const char *path = w->project->own_descriptions.at[i];
        obb_text text = {0};
        if (!obb_file_read(path, &text)) {
            const obb_score *score = obb_score_parse(w->arena, &(obb_score_origin){.file = path}, text.bytes,
                                                     text.length, w->diags);
            add_sources(w, &score->top, obb_path_folder(w->arena, path), known);
        }
        obb_text_free(&text);
    }
}

static void tell_progress(void *self, size_t done, size_t total)
{
    const obb_workspace *w = self;
    char line[80];
    snprintf(line, sizeof line, "compiling %zu of %zu sources once", done < total ? done : total, total);
    obb_workspace_phase(w, line);
}

/* After the folder. */
static const char *project_name(obb_workspace *w)
{
    char here[4096];
    char *name = obb_arena_string(w->arena, getcwd(here, sizeof here) ? obb_path_name(here) : "project");
    for (char *c = name; *c; c++)
        if (!isalnum((unsigned char)*c) && *c != '-' && *c != '_')
            *c = '-';
    return isalpha((unsigned char)*name) ? name : obb_arena_format(w->arena, "project-%s", name);
}

static int lay_out(obb_workspace *w, const obb_text *text, obb_drafted *drafted)
{
    obb_text formatted = {0};
    bool read = obb_score_format(w->arena, &(obb_score_origin){.file = "the draft"}, obb_text_bytes(text),
                                 text->length, w->diags, &formatted);
    drafted->text = obb_arena_copy(w->arena, obb_text_bytes(&formatted), formatted.length);
    obb_text_free(&formatted);
    return read ? 0 : obb_workspace_tell(w);
}

int obb_draft_tree(obb_workspace *w, const char *folder, const char *database, bool only_look,
                   obb_drafted *drafted)
{
    obb_words known = {0};
    obb_text text = {0};
    int code = 0;
    *drafted = (obb_drafted){.text = ""};
    if (folder && chdir(folder))
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "cannot work in `%s`", folder, strerror(errno));
    drafted->adds = access(OBB_SCORE_NAME, F_OK) == 0;
    if (drafted->adds) {
        code = obb_workspace_enter(w);
        if (code)
            return code;
        obb_workspace_read_descriptions(w);
        list_known(w, &known);
        w->diags->list.count = 0; /* what is wrong with it is not asked here */
    }
    const obb_draft_request request = {.name = project_name(w),
                                       .database = database,
                                       .known = drafted->adds ? &known : NULL,
                                       .jobs = w->request->jobs ? w->request->jobs
                                                                : uv_available_parallelism(),
                                       .progress = tell_progress,
                                       .self = w};
    const char *why = obb_draft(w->arena, &request, &text, &drafted->result);
    obb_workspace_phase(w, "");
    if (drafted->result.interrupted)
        code = OBB_BUILD_INTERRUPTED;
    else if (why)
        code = obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "nothing can be drafted: %s", why, NULL);
    else
        code = lay_out(w, &text, drafted);
    if (!code && *drafted->text && !drafted->adds && !only_look) {
        int failed = obb_file_replace(OBB_SCORE_NAME, drafted->text, strlen(drafted->text), 0666);
        drafted->written = !failed;
        if (failed) {
            obb_workspace_cannot_write(w, OBB_SCORE_NAME, failed);
            code = obb_workspace_tell(w);
        }
    }
    obb_text_free(&text);
    return code;
}
