/* Key pairs (build/keys.h). */
#include "build/keys.h"

#include <dirent.h>
#include <string.h>

#include "base/path.h"
#include "base/process.h"
#include "state/far_place.h"

static int by_name(const void *a, const void *b)
{
    return strcmp(((const obb_key_pair *)a)->name, ((const obb_key_pair *)b)->name);
}

static const char *first_line(obb_arena *arena, const obb_text *text)
{
    const char *bytes = obb_text_bytes(text);
    return obb_arena_copy(arena, bytes, strcspn(bytes, "\n"));
}

int obb_list_key_pairs(obb_workspace *w, obb_key_pairs *pairs, const char **folder)
{
    static const char suffix[] = ".public";
    *folder = obb_keys_folder(w->arena);
    if (!*folder)
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "there is no home folder to keep keys in%s", "",
                                  "set HOME or XDG_CONFIG_HOME");
    DIR *d = opendir(*folder);
    for (struct dirent *e; d && (e = readdir(d));) {
        obb_text text = {0};
        size_t n = strlen(e->d_name), end = strlen(suffix);
        if (n > end && strcmp(e->d_name + n - end, suffix) == 0 &&
            !obb_file_read(obb_path_join(w->arena, *folder, e->d_name), &text)) {
            const obb_key_pair pair = {obb_arena_copy(w->arena, e->d_name, n - end),
                                       first_line(w->arena, &text)};
            obb_arena_push(w->arena, pairs, pair);
        }
        obb_text_free(&text);
    }
    if (d)
        closedir(d);
    if (pairs->count)
        qsort(pairs->at, pairs->count, sizeof *pairs->at, by_name);
    return 0;
}

int obb_make_key_pair(obb_workspace *w, const char *name, obb_key_pair *made)
{
    const char *program = obb_program_beside(w->arena, "obbligato-transfer"),
               *folder = obb_keys_folder(w->arena);
    if (!obb_is_key_name(name))
        return obb_workspace_fail(w, OBB_FAULT_USAGE, "`%s` cannot be the name of a key pair", name,
                                  "letters, digits, `-` and `_`: obbligato keys ci");
    if (!program)
        return obb_workspace_fail(w, OBB_FAULT_OUTSIDE, "the program `%s` is not there", "obbligato-transfer",
                                  "it belongs beside obbligato");
    const char *const argv[] = {program, "keys", name, NULL};
    obb_answer answer = obb_ask(argv, NULL);
    *made = (obb_key_pair){name, first_line(w->arena, &answer.out)};
    const char *why = first_line(w->arena, &answer.err);
    int code = answer.failed || answer.status;
    bool there = answer.status == OBB_FAULT_USAGE;
    obb_answer_free(&answer);
    if (!code)
        return 0;
    return obb_workspace_fail(w, there ? OBB_FAULT_USAGE : OBB_FAULT_OUTSIDE,
                              obb_arena_format(w->arena, "the key pair `%%s` cannot be made in %s: %s",
                                               folder ? folder : "a home folder", why),
                              name,
                              there ? "a key is never replaced: choose another name, or remove it" : NULL);
}
