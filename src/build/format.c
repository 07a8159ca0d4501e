/* Laying descriptions out (build/format.h). A link to a file stays one; a file keeps its permissions. */
#include "build/format.h"

#include <errno.h>
#include <string.h>
#include <sys/stat.h>
#include <unistd.h>

#include "base/path.h"
#include "base/real_path.h"
#include "score/score.h"

/* What a text says, without how it is laid out. */
static void print_meaning(obb_arena *arena, const obb_score_origin *origin, const obb_text *text,
                          obb_diags *diags, obb_text *meaning)
{
    obb_score_print(obb_score_parse(arena, origin, obb_text_bytes(text), text->length, diags), meaning);
}

int obb_format_text(obb_workspace *w, const char *name, const obb_text *text, obb_text *formatted)
{
    const obb_score_origin origin = {.file = name};
    obb_text before = {0}, after = {0};
    bool read = obb_score_format(w->arena, &origin, obb_text_bytes(text), text->length, w->diags, formatted);
    if (read) {
        print_meaning(w->arena, &origin, text, w->diags, &before);
        print_meaning(w->arena, &origin, formatted, w->diags, &after);
    }
    bool same = strcmp(obb_text_bytes(&before), obb_text_bytes(&after)) == 0;
    obb_text_free(&before);
    obb_text_free(&after);
    if (read && !same)
        return obb_workspace_fail(
            w, OBB_FAULT_ACTION, "`%s` would say something else when it is laid out", name,
            "it was left as it is; this is a mistake of obbligato's, which we want to know of");
    return obb_workspace_tell(w);
}

static int cannot(obb_workspace *w, const char *verb, const char *name, int failed)
{
    return obb_workspace_fail(w, OBB_FAULT_OUTSIDE,
                              obb_arena_format(w->arena, "cannot %s `%%s`: %s", verb, strerror(failed)), name,
                              NULL);
}

static const char *real_name(obb_workspace *w, const char *name)
{
    char here[4096] = "";
    if (*name != '/' && !getcwd(here, sizeof here))
        return NULL;
    return obb_real_path(w->arena, *name == '/' ? name : obb_arena_format(w->arena, "%s/%s", here, name),
                         NULL, NULL);
}

static int format_file(obb_workspace *w, const char *name, bool only_look, obb_laid_out_list *list)
{
    obb_text text = {0}, formatted = {0};
    struct stat s;
    const char *real = real_name(w, name);
    int failed = !real ? ELOOP : stat(real, &s) ? errno : obb_file_read(real, &text), code = 0;
    if (failed)
        code = cannot(w, "read", name, failed);
    if (!code)
        code = obb_format_text(w, name, &text, &formatted);
    bool changed = text.length != formatted.length ||
                   (text.length && memcmp(text.bytes, formatted.bytes, text.length) != 0);
    if (!code && changed && !only_look)
        failed = obb_file_replace(real, obb_text_bytes(&formatted), formatted.length, s.st_mode & 0777);
    if (!code && failed)
        code = cannot(w, "write", name, failed);
    if (!code)
        obb_arena_push(w->arena, list, ((obb_laid_out){name, changed}));
    obb_text_free(&text);
    obb_text_free(&formatted);
    return code;
}

/* Those of the project, whatever else is wrong with it. */
static int list_own(obb_workspace *w, obb_words *names)
{
    int code = obb_workspace_enter(w);
    if (code)
        return code;
    obb_workspace_read_descriptions(w);
    for (size_t i = 0; i < w->project->own_descriptions.count; i++)
        obb_arena_push(w->arena, names, w->project->own_descriptions.at[i]);
    w->diags->list.count = 0; /* what it means is not asked here */
    return 0;
}

int obb_format_files(obb_workspace *w, const obb_words *names, bool only_look, obb_laid_out_list *list)
{
    obb_words own = {0};
    int code = names->count ? 0 : list_own(w, &own);
    const obb_words *all = names->count ? names : &own;
    for (size_t i = 0; i < all->count; i++) {
        const char *name = names->count && w->request->folder
                               ? obb_path_join(w->arena, w->request->folder, all->at[i])
                               : all->at[i];
        int one = format_file(w, name, only_look, list);
        code = code ? code : one;
    }
    return code;
}
